//! What each tool does to the texels under its stroke.

use super::field::{Field, Texel};
use super::footprint::{Laid, Spot};
use super::scene::{MendMap, MendScene};
use super::settings::{Mend, MendTool};
use crate::maps::Reads;
use crate::surface::MeshPoint;
use glam::{IVec3, Quat, Vec3, Vec4};
use rayon::prelude::*;
use rustc_hash::FxHashMap;

/// Smoothing takes the mean of what lies within about this share of the brush.
const SMOOTHING: f32 = 0.25;
/// A point is laid on the surface from no further than this share of the brush, plus as far as it was moved.
const ASTRAY: f32 = 1.0;

/// Draws a stroke onto a map.
pub(super) fn draw(scene: &MendScene, laid: &Laid, map: &MendMap, field: &mut Field) {
    match laid.mend.tool {
        MendTool::Set => {
            let Some(value) = value_to_set(laid.mend, map) else { return };
            // Directions are those of the low-poly itself.
            let target = |spot: &Spot| Some(value.unwrap_or_else(|| spot.base.extend(0.0)));
            blend(scene, laid, map, field, |_, spot| target(spot));
        }
        MendTool::Clone => {
            let Some(source) = CloneSource::of(scene, laid) else { return };
            blend(scene, laid, map, field, |field, spot| source.value(scene, map, field, spot));
        }
        MendTool::Smooth => {
            let means = Means::of(scene, laid, map, field);
            blend(scene, laid, map, field, |_, spot| means.at(map, spot));
        }
        MendTool::Smudge => smudge(scene, laid, map, field),
    }
}

/// What a stroke sets a map to; None within where directions follow the surface, none at all where the stroke has no value for the map.
fn value_to_set(mend: &Mend, map: &MendMap) -> Option<Option<Vec4>> {
    match map.reads {
        Reads::Direction { .. } => Some(None),
        Reads::Color => mend.color.map(|color| Some(color.linear().extend(1.0))),
        Reads::Height => mend.value.map(|value| {
            let most = map.furthest.unwrap_or(f32::MAX);
            Some(Vec4::splat(value.clamp(-most, most)))
        }),
        Reads::Number { zero, span, .. } => mend.value.map(|value| {
            let share = |value: f32| (value / span + zero).clamp(0.0, 1.0);
            // Of two channels for both signs each holds its own.
            let signed = map.channels > 1 && zero == 0.0;
            let second = if signed { share(-value) } else { share(value) };
            Some(Vec4::new(share(value), second, if signed { 0.0 } else { share(value) }, 1.0))
        }),
    }
}

/// Mixes what is there with what `target` says, by the weight of the stroke. All targets are worked out before anything changes.
fn blend(
    scene: &MendScene,
    laid: &Laid,
    map: &MendMap,
    field: &mut Field,
    target: impl Fn(&Field, &Spot) -> Option<Vec4> + Sync,
) {
    let now: &Field = field;
    let mixed = laid.spots.par_iter().filter_map(|spot| {
        let value = target(now, spot)?;
        mixed(scene, map, now, (spot.texel, spot.at), (value, spot.weight * laid.mend.strength))
    });
    let mixed: Vec<(Texel, [f32; 4])> = mixed.collect();
    mixed.into_iter().for_each(|(texel, value)| field.set(texel, value));
}

/// A texel moved towards a value by a share of the way.
fn mixed(
    scene: &MendScene,
    map: &MendMap,
    field: &Field,
    (texel, at): (Texel, MeshPoint),
    (target, share): (Vec4, f32),
) -> Option<(Texel, [f32; 4])> {
    let before = scene.value(map, field, texel.sheet, (texel.x, texel.y), at)?;
    let value = match map.flat {
        // One or the other: between two colours of a table there is none.
        true if share < 0.5 => return None,
        true => target,
        false if share >= 1.0 => target,
        false => before.lerp(target, share),
    };
    Some((texel, map.space.close(value, scene.low, at)?))
}

/// Where a clone takes from: the surface around its source, turned so that it faces as the surface at the beginning of the stroke does.
struct CloneSource {
    beginning: Vec3,
    source: Vec3,
    turn: Quat,
    size: f32,
}

impl CloneSource {
    fn of(scene: &MendScene, laid: &Laid) -> Option<CloneSource> {
        let [x, y, z, _] = laid.mend.path[0];
        let (beginning, source) = (Vec3::new(x, y, z), Vec3::from(laid.mend.from?));
        let face = |point: Vec3| Some(super::space::base(scene.low, scene.nearest(point, laid.mend.size)?));
        let turn = Quat::from_rotation_arc(face(beginning)?, face(source)?);
        Some(CloneSource { beginning, source, turn, size: laid.mend.size })
    }

    fn value(&self, scene: &MendScene, map: &MendMap, field: &Field, spot: &Spot) -> Option<Vec4> {
        let moved = self.source + self.turn * (spot.position - self.beginning);
        let at = scene.nearest(moved, ASTRAY * self.size)?;
        let (value, base) = scene.sample(map, field, at)?;
        let back = self.turn.inverse();
        let value = if map.space.directions() { (back * value.truncate()).extend(0.0) } else { value };
        Some(map.space.carried(value, back * base, spot.base))
    }
}

/// Means of a map in cells of space as large as smoothing reaches, read between them.
struct Means {
    cell: f32,
    /// Sum of values, of shading normals, and of weights.
    cells: FxHashMap<IVec3, (Vec4, Vec3, f32)>,
}

impl Means {
    fn of(scene: &MendScene, laid: &Laid, map: &MendMap, field: &Field) -> Means {
        let mut means = Means { cell: laid.mend.size * SMOOTHING, cells: FxHashMap::default() };
        for spot in &laid.spots {
            let Some(value) = scene.value(map, field, spot.texel.sheet, (spot.texel.x, spot.texel.y), spot.at) else {
                continue;
            };
            for (cell, weight) in means.around(spot.position) {
                let sum = means.cells.entry(cell).or_insert((Vec4::ZERO, Vec3::ZERO, 0.0));
                sum.0 += value * weight;
                sum.1 += spot.base * weight;
                sum.2 += weight;
            }
        }
        means
    }

    /// The eight cells around a point, and its weight in each.
    fn around(&self, point: Vec3) -> [(IVec3, f32); 8] {
        let at = point / self.cell;
        let (low, share) = (at.floor(), at - at.floor());
        std::array::from_fn(|n| {
            let pick = |axis: usize| n >> axis & 1 == 1;
            let weight = |axis: usize| if pick(axis) { share[axis] } else { 1.0 - share[axis] };
            let step = IVec3::new(pick(0).into(), pick(1).into(), pick(2).into());
            (low.as_ivec3() + step, weight(0) * weight(1) * weight(2))
        })
    }

    fn at(&self, map: &MendMap, spot: &Spot) -> Option<Vec4> {
        let (mut value, mut base, mut whole) = (Vec4::ZERO, Vec3::ZERO, 0.0);
        for (cell, weight) in self.around(spot.position) {
            if let Some((values, bases, weights)) = self.cells.get(&cell) {
                value += *values * weight;
                base += *bases * weight;
                whole += weights * weight;
            }
        }
        if whole <= 0.0 {
            return None;
        }
        match map.space.directions() {
            true => {
                let way = value.truncate().try_normalize()?;
                Some(map.space.carried(way.extend(0.0), base.try_normalize()?, spot.base))
            }
            false => Some(value / whole),
        }
    }
}

/// Drags values along, from dab to dab.
fn smudge(scene: &MendScene, laid: &Laid, map: &MendMap, field: &mut Field) {
    for step in laid.dabs.windows(2) {
        let (from, to) = (step[0].around.source(), step[1].around.source());
        let moved = to - from;
        let now: &Field = field;
        let dragged = laid.spots.par_iter().filter_map(|spot| {
            let weight = laid.weight(scene, &step[1], spot.at, spot.position) * laid.mend.strength;
            if weight <= 0.0 {
                return None;
            }
            let (value, base) = scene.sample(map, now, scene.nearest(spot.position - moved, laid.mend.size)?)?;
            let value = map.space.carried(value, base, spot.base);
            mixed(scene, map, now, (spot.texel, spot.at), (value, weight))
        });
        let dragged: Vec<(Texel, [f32; 4])> = dragged.collect();
        dragged.into_iter().for_each(|(texel, value)| field.set(texel, value));
    }
}
