//! `cargo bench -- reach`: rays with fitted reaches beside the best single pair of numbers a search can find, on the two samples and
//! on the family of shapes. A ray fails when it misses although there is a surface, or when it hits what belongs elsewhere. On
//! the shapes the right surface is known; on the samples a hit is wrong when the low-poly has a face of its own, looking the
//! same way, at less than half the distance.

use ember_ridge_core::glam::Vec3;
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::pairs::Pairing;
use ember_ridge_core::reach::{Direction, spread_points};
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::stop::never;
use ember_ridge_core::surface::{Distance, MeshPoint};
use ember_ridge_core::trace::{BackFaces, LANES, Packet, RaySpan, Seen, SightMask, Walk};
use ember_ridge_core::{Mesh, Recipe};
use ember_ridge_samples::shapes::{FAMILY, Shape, shape};
use ember_ridge_samples::{Detail, make};
use std::time::Instant;

/// Points a shape is judged at, laid out from another number on than those the fit probes.
const POINTS: usize = 12_000;
const SEED: u32 = 1_000_003;

/// What became of a ray.
#[derive(Clone, Copy, PartialEq)]
enum Fate {
    Right,
    Missed,
    Wrong,
}

type Point = MeshPoint;

/// Misses and wrong hits.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
struct Failures {
    misses: usize,
    wrong: usize,
}

impl Failures {
    fn sum(self) -> usize {
        self.misses + self.wrong
    }
}

#[derive(Clone)]
struct Case<'a> {
    name: String,
    scene: BakeScene,
    recipe: Recipe,
    points: Vec<Point>,
    /// The right height over each point, where it is known.
    truth: Option<&'a Shape>,
}

impl Case<'_> {
    /// Which points fail with rays that start and end as `reach` says of each.
    fn failing(&self, reach: &dyn Fn(Point) -> (f32, f32)) -> Vec<bool> {
        let mut failing = Vec::with_capacity(self.points.len());
        self.each(reach, &mut |fate| failing.push(fate != Fate::Right));
        failing
    }

    fn judge(&self, reach: &dyn Fn(Point) -> (f32, f32)) -> Failures {
        let mut failures = Failures::default();
        self.each(reach, &mut |fate| match fate {
            Fate::Right => {}
            Fate::Missed => failures.misses += 1,
            Fate::Wrong => failures.wrong += 1,
        });
        failures
    }

    fn each(&self, reach: &dyn Fn(Point) -> (f32, f32), told: &mut dyn FnMut(Fate)) {
        let low = &self.scene.low;
        let pairs = self.scene.pairs(self.recipe.pair_rules());
        let (mut packet, mut walk, mut mask) = (Packet::default(), Walk::default(), SightMask::default());
        for run in self.points.chunk_by(|a, b| low.parts[a.triangle as usize] == low.parts[b.triangle as usize]) {
            let mask =
                mask.of(&pairs.sights[low.parts[run[0].triangle as usize] as usize], self.scene.high.parts.len());
            for lanes in run.chunks(LANES) {
                packet.clear();
                for (i, &place) in lanes.iter().enumerate() {
                    let p = low.point(place, Direction::Averaged);
                    let (out, inward) = reach(place);
                    let origin = p.position + p.outward * out;
                    packet.set(i, &RaySpan { origin, direction: -p.outward, length: out + inward });
                }
                let rule = (BackFaces::Skip, Seen::Along);
                let answer = self.scene.trace.closest_packet(&packet, mask, rule.0, rule.1, &mut walk);
                for (i, &point) in lanes.iter().enumerate() {
                    told(match answer.lane(i).hit {
                        None => Fate::Missed,
                        Some(hit) => {
                            let (height, at) = (reach(point).0 - hit.t, self.scene.high.at(hit.at));
                            if self.is_wrong(point, height, hit.at.triangle, at) { Fate::Wrong } else { Fate::Right }
                        }
                    });
                }
            }
        }
    }

    fn is_wrong(&self, place: Point, height: f32, triangle: u32, hit: Vec3) -> bool {
        let low = &self.scene.low;
        let p = low.point(place, Direction::Averaged);
        let diagonal = low.mesh.diagonal();
        if let Some(shape) = self.truth {
            // Steep sides are cut into facets: there a ray may hit a little off.
            let right = p.position + p.outward * shape.height(p.position);
            return !shape.belongs(triangle, place.triangle) || hit.distance(right) > diagonal * 0.05;
        }
        if height.abs() < diagonal * 0.01 {
            return false;
        }
        let facing = |other: u32| low.mesh.face_normal(other).dot(p.outward) > 0.3;
        self.scene.low_trace().nearest(hit, height.abs() * 0.5, facing).is_some()
    }

    /// Points whose ray fails whatever its length: they are no fault of any reach.
    fn beyond_help(&self) -> Vec<bool> {
        let diagonal = self.scene.low.mesh.diagonal();
        let one = |point: &Point| {
            let alone = Case { points: vec![*point], ..self.clone() };
            (0..60).all(|i| alone.judge(&|_| (diagonal * 0.0005 * 1.11f32.powi(i), diagonal * 0.2)).sum() > 0)
        };
        let suspects = self.failing(&|_| (diagonal * 0.02, diagonal * 0.2));
        self.points.iter().zip(suspects).map(|(p, suspect)| suspect && one(p)).collect()
    }

    /// The best single pair of numbers: a coarse search over both, then finer ones around the best.
    fn best_single(&self) -> ((f32, f32), Failures) {
        let diagonal = self.scene.low.mesh.diagonal();
        let mut best = ((0.0, 0.0), Failures { misses: usize::MAX / 2, wrong: 0 });
        let mut look = |out: f32, inward: f32| {
            let failures = self.judge(&|_| (out, inward));
            if failures.sum() < best.1.sum() {
                best = ((out, inward), failures);
            }
            best.0
        };
        let ladder = |low: f32, high: f32, n: usize| {
            (0..n).map(move |i| low * (high / low).powf(i as f32 / (n - 1) as f32)).collect::<Vec<f32>>()
        };
        let mut middle = (0.0, 0.0);
        for out in ladder(diagonal * 0.001, diagonal * 0.2, 16) {
            for inward in ladder(diagonal * 0.001, diagonal * 0.2, 10) {
                middle = look(out, inward);
            }
        }
        for width in [1.35f32, 1.1] {
            let (o, i) = middle;
            for out in ladder(o / width, o * width, 5) {
                for inward in ladder(i / width, i * width, 5) {
                    middle = look(out, inward);
                }
            }
        }
        best
    }
}

fn case<'a>(name: &str, low: &Mesh, high: &Mesh, mut recipe: Recipe, truth: Option<&'a Shape>) -> Case<'a> {
    recipe.maps = MapSettings::by_key("miss").into_iter().collect();
    let scene = BakeScene::new(&[low], &[high], None).expect("no cage, no fault");
    let points = spread_points(&scene.low, POINTS, 1, SEED);
    Case { name: name.to_owned(), scene, recipe, points, truth }
}

pub fn print() {
    println!(
        "fitted reaches beside the best single numbers; points judged: {POINTS} a shape, without those that fail at any length (beyond)"
    );
    println!(
        "{:<22} {:>8} {:>8} {:>8} | {:>8} {:>8} {:>8} | {:>6} {:>7} {:>6}",
        "shape", "single", "misses", "wrong", "fitted", "misses", "wrong", "ratio", "fit s", "beyond"
    );
    let mut whole = (0usize, 0usize);
    let mut line = |mut case: Case| {
        let helpless = case.beyond_help();
        let mut kept = helpless.iter();
        case.points.retain(|_| !kept.next().copied().unwrap_or(false));
        let helpless = helpless.iter().filter(|h| **h).count();
        let begun = Instant::now();
        let field = case
            .scene
            .field(case.recipe.reach_rules(), &case.scene.pairs(case.recipe.pair_rules()), &never)
            .expect("nobody stops it");
        let seconds = begun.elapsed().as_secs_f64();
        let fitted = case.judge(&|place| field.at(place));
        let (_, single) = case.best_single();
        let ratio = fitted.sum() as f64 / single.sum().max(1) as f64;
        println!(
            "{:<22} {:>8} {:>8} {:>8} | {:>8} {:>8} {:>8} | {ratio:>6.2} {seconds:>7.3} {helpless:>6}",
            case.name,
            single.sum(),
            single.misses,
            single.wrong,
            fitted.sum(),
            fitted.misses,
            fitted.wrong
        );
        whole = (whole.0 + single.sum(), whole.1 + fitted.sum());
    };
    for name in ["lookout-lantern", "boundary-stone"] {
        let sample = make(name, Detail::Full).expect("a sample of this name");
        line(case(name, &sample.low, &sample.high, sample.recipe.clone(), None));
    }
    for number in 0..FAMILY {
        let made = shape(number);
        let mut recipe = Recipe::new("shape");
        recipe.reach.out = Distance::Auto;
        recipe.pairing = Pairing::All;
        line(case(&made.name, &made.low, &made.high, recipe, Some(&made)));
    }
    println!("all: single {}, fitted {}, ratio {:.2}", whole.0, whole.1, whole.1 as f64 / whole.0.max(1) as f64);
}
