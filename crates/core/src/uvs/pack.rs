//! Islands packed into the unit square, as large as they fit, with a margin around each. Islands are taken largest first; each goes where
//! it comes to lie lowest, on a grid of cells that it touches grown by the margin: what does not meet there keeps the margin exactly.

use glam::DVec2;
use rayon::prelude::*;
use std::sync::Arc;

/// How islands are packed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Packing {
    /// UV units that are left between islands and to the border.
    pub margin: f64,
    /// Whether islands may be turned.
    pub turn: bool,
}

/// Where an island goes: its places times the scale, turned, and moved.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Placed {
    /// Cosine and sine of the turn.
    pub turn: DVec2,
    pub by: DVec2,
}

impl Placed {
    pub fn place(&self, scale: f64, uv: DVec2) -> DVec2 {
        self.turn.rotate(uv * scale) + self.by
    }
}

/// Cells per side while ways are tried, and for the places in the end by how many islands there are.
const ROUGH: usize = 256;

fn fine(islands: usize) -> usize {
    match islands {
        0..=128 => 1024,
        129..=1024 => 512,
        _ => 256,
    }
}

/// Up to so many islands are tried in four directions.
const MOST_TURNED: usize = 1024;
/// The scale is found to this share.
const EXACT: f64 = 0.004;

/// Shapes of all islands in all directions, for so many cells at a scale.
type Held = (usize, f64, Arc<Vec<Vec<Shape>>>);

/// In which order islands are taken, and which of the places that are free is the best.
#[derive(Clone)]
struct Way {
    order: Vec<usize>,
    /// Nearest to the lower left corner by the larger of the two sides, rather than lowest.
    square: bool,
    /// Islands that lie in one of their directions, by its number; others in the one that suits best.
    held: Vec<Option<usize>>,
}

/// A scale that all islands fit at, and where each goes; None where they do not at any. Several orders are tried, the best one with some islands
/// exchanged, always the same ones.
///
/// `islands` are given by the sides of their borders, each with the island to its left.
pub fn pack(islands: &[Vec<[DVec2; 2]>], packing: Packing) -> Option<(f64, Vec<Placed>)> {
    let turns: Vec<DVec2> = islands.iter().map(|i| if packing.turn { upright(i) } else { DVec2::X }).collect();
    let areas: Vec<f64> =
        islands.iter().map(|i| 0.5 * i.iter().map(|[a, b]| a.perp_dot(*b)).sum::<f64>().abs()).collect();
    let sizes: Vec<DVec2> = islands.iter().zip(&turns).map(|(i, turn)| size(i, *turn)).collect();
    let area: f64 = areas.iter().sum();
    let least = sizes.iter().map(|s| s.min_element()).fold(0.0, f64::max);
    if area <= 0.0 || !area.is_finite() {
        return None;
    }
    let free = (1.0 - 2.0 * packing.margin).max(0.0);
    let most = free * (1.0 / area.sqrt()).min(std::f64::consts::SQRT_2 / least.max(f64::MIN_POSITIVE));
    let mut held: Vec<Held> = Vec::new();
    let mut attempt = |cells: usize, scale: f64, way: &Way| {
        let known = held.iter().find(|h| h.0 == cells && h.1 == scale).map(|h| h.2.clone());
        let shapes = known.unwrap_or_else(|| {
            if held.len() == MOST_HELD {
                held.remove(0);
            }
            let shapes = Arc::new(shapes(islands, &turns, &sizes, scale, cells, packing));
            held.push((cells, scale, shapes.clone()));
            shapes
        });
        Grid::new(cells, packing).placed(&shapes, way)
    };
    let by = |weight: &dyn Fn(usize) -> f64| {
        let mut order: Vec<usize> = (0..islands.len()).collect();
        order.sort_by(|&a, &b| weight(b).total_cmp(&weight(a)).then(a.cmp(&b)));
        order
    };
    let orders = [
        by(&|i| sizes[i].max_element()),
        by(&|i| sizes[i].element_product()),
        by(&|i| areas[i]),
        by(&|i| sizes[i].min_element()),
    ];
    let held = vec![None; islands.len()];
    let mut best = (0.0, Way { order: orders[0].clone(), square: false, held: held.clone() });
    let mut try_way = |way: Way, best: &mut (f64, Way)| {
        // Up from what is known to be possible, in steps that grow finer; a way that gains nothing at once is left.
        let mut step = if best.0 == 0.0 { most } else { 0.015 * best.0 };
        let mut scale = best.0;
        while step > EXACT * scale.max(1e-9 * most) {
            if attempt(ROUGH, scale + step, &way).is_some() {
                scale += step;
            } else if scale == best.0 && scale > 0.0 {
                break;
            } else {
                step *= 0.5;
            }
        }
        if scale > best.0 {
            *best = (scale, way);
        }
    };
    for order in orders {
        for square in [false, true] {
            try_way(Way { order: order.clone(), square, held: held.clone() }, &mut best);
        }
    }
    let mut chance = 0x9E37_79B9_7F4A_7C15u64;
    let mut number = |below: usize| {
        chance = chance.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (chance >> 33) as usize % below.max(1)
    };
    for _ in 0..(MOST_WORK / islands.len()).min(MOST_TRIES) {
        let mut way = best.1.clone();
        way.square = number(2) == 0;
        for _ in 0..1 + number(3) {
            let (from, to) = (number(islands.len()), number(islands.len()));
            if number(2) == 0 {
                // Long ones lie in up to sixteen directions, of which most are of no use: quarters are tried as often.
                let direction = if number(2) == 0 { 4 * number(4) } else { number(MOST_DIRECTIONS) };
                way.held[from] = (number(4) > 0).then_some(direction);
            } else {
                let island = way.order.remove(from);
                way.order.insert(to, island);
            }
        }
        try_way(way, &mut best);
    }
    let (rough, way) = best;
    let cells = fine(islands.len());
    let mut found: Option<(f64, Vec<Placed>)> = None;
    let (mut low, mut high) = if rough > 0.0 { (0.98 * rough, 1.08 * rough) } else { (0.0, most) };
    while high - low > EXACT * high {
        let scale = 0.5 * (low + high);
        match attempt(cells, scale, &way) {
            Some(placed) => (low, found) = (scale, Some((scale, placed))),
            None => high = scale,
        }
        // What is cut off below is not known to be possible.
        if found.is_none() && high - low <= EXACT * high && low > 1e-6 * most {
            low *= 0.8;
        }
    }
    found
}

/// Scales whose shapes are kept: ways are tried at the same ones.
const MOST_HELD: usize = 6;
/// Exchanges that are tried at most.
const MOST_TRIES: usize = 60;
/// And so many islands placed for them.
const MOST_WORK: usize = 600;

/// Size of the box around an island once it is turned.
fn size(island: &[[DVec2; 2]], turn: DVec2) -> DVec2 {
    let (low, high) = bounds(island, turn);
    high - low
}

fn bounds(island: &[[DVec2; 2]], turn: DVec2) -> (DVec2, DVec2) {
    island.iter().flatten().fold((DVec2::INFINITY, DVec2::NEG_INFINITY), |(low, high), p| {
        let p = turn.rotate(*p);
        (low.min(p), high.max(p))
    })
}

/// The turn that gives an island the smallest box, lying rather than standing: one of its convex hull's sides lies along it.
fn upright(island: &[[DVec2; 2]]) -> DVec2 {
    let hull = hull(island.iter().flatten().copied().collect());
    let mut best = (f64::INFINITY, DVec2::X);
    for i in 0..hull.len() {
        let Some(along) = (hull[(i + 1) % hull.len()] - hull[i]).try_normalize() else { continue };
        let turn = DVec2::new(along.x, -along.y);
        let (low, high) = hull.iter().fold((DVec2::INFINITY, DVec2::NEG_INFINITY), |(low, high), p| {
            let p = turn.rotate(*p);
            (low.min(p), high.max(p))
        });
        let size = high - low;
        // Of sides that are equal but for rounding the first one.
        if size.element_product() < best.0 * (1.0 - 1e-9) {
            best = (size.element_product(), if size.y > size.x { turn.perp() } else { turn });
        }
    }
    best.1
}

/// Andrew's monotone chain.
fn hull(mut points: Vec<DVec2>) -> Vec<DVec2> {
    points.sort_by(|a, b| a.x.total_cmp(&b.x).then(a.y.total_cmp(&b.y)));
    points.dedup();
    let mut whole = Vec::new();
    for _ in 0..2 {
        let start = whole.len();
        for &p in &points {
            while whole.len() >= start + 2 {
                let [a, b]: [DVec2; 2] = [whole[whole.len() - 2], whole[whole.len() - 1]];
                if (b - a).perp_dot(p - a) > 0.0 {
                    break;
                }
                whole.pop();
            }
            whole.push(p);
        }
        whole.pop();
        points.reverse();
    }
    whole
}

/// Cells of an island: a row of bits each, from its lower left corner on.
struct Shape {
    width: usize,
    height: usize,
    /// Runs of cells: their row, the first, and how many; the longest come first, as they meet others soonest.
    runs: Vec<[usize; 3]>,
    /// Lower left corner of its box, turned and scaled.
    low: DVec2,
    turn: DVec2,
}

impl Shape {
    fn new(island: &[[DVec2; 2]], turn: DVec2, scale: f64, cells: usize) -> Shape {
        let (low, high) = bounds(island, turn);
        let (low, high) = (low * scale, high * scale);
        let count = |x: f64| ((x * cells as f64).floor() as usize + 1).min(cells + 1);
        let (width, height) = (count(high.x - low.x), count(high.y - low.y));
        let mut rows = vec![vec![0u64; width.div_ceil(64)]; height];
        let side = |side: &[DVec2; 2]| side.map(|p| (turn.rotate(p) * scale - low) * cells as f64);
        let border: Vec<[DVec2; 2]> = island.iter().map(side).collect();
        border.iter().for_each(|&side| touch(&mut rows, width, side));
        fill(&mut rows, width, &border);
        let mut runs: Vec<[usize; 3]> = rows.iter().enumerate().flat_map(|(y, row)| runs(row, width, y)).collect();
        runs.sort_by_key(|&[row, first, count]| (std::cmp::Reverse(count), row, first));
        Shape { width, height, runs, low, turn }
    }
}

/// The shapes of islands at a scale, in each direction they are tried in: a quarter turn apart, long ones a sixteenth, so that they may
/// lie across the square.
fn shapes(
    islands: &[Vec<[DVec2; 2]>],
    turns: &[DVec2],
    sizes: &[DVec2],
    scale: f64,
    cells: usize,
    packing: Packing,
) -> Vec<Vec<Shape>> {
    let all = islands.par_iter().zip(turns).zip(sizes);
    all.map(|((island, turn), size)| {
        let directions = match size.max_element() * scale > LONG {
            _ if !packing.turn || islands.len() > MOST_TURNED => 1,
            true => MOST_DIRECTIONS,
            false => 4,
        };
        let angle = |k: usize| std::f64::consts::TAU * k as f64 / directions as f64;
        // Quarters exactly, so that sides that lie along the border stay there.
        let turned = |k: usize| match 4 * k % directions {
            0 => (0..4 * k / directions).fold(*turn, |turn, _| turn.perp()),
            _ => DVec2::from_angle(angle(k)).rotate(*turn),
        };
        (0..directions).map(|k| Shape::new(island, turned(k), scale, cells)).collect()
    })
    .collect()
}

/// Directions that long islands are tried in.
const MOST_DIRECTIONS: usize = 16;
/// Islands at least this long, UV units, are tried across the square too.
const LONG: f64 = 0.4;

/// Cells are taken this much larger than they are, for rounding.
const HAIR: f64 = 1e-9;

/// Marks every cell that a side touches.
fn touch(rows: &mut [Vec<u64>], width: usize, [a, b]: [DVec2; 2]) {
    let (a, b) = if a.y <= b.y { (a, b) } else { (b, a) };
    let past = (((b.y + HAIR).max(0.0) as usize) + 1).min(rows.len());
    for (y, row) in rows.iter_mut().enumerate().take(past).skip((a.y - HAIR).max(0.0) as usize) {
        let at = |y: f64| a.x + (b.x - a.x) * ((y - a.y) / (b.y - a.y)).clamp(0.0, 1.0);
        let (one, two) = if b.y > a.y { (at(y as f64 - HAIR), at(y as f64 + 1.0 + HAIR)) } else { (a.x, b.x) };
        let cell = |x: f64| (x.max(0.0) as usize).min(width - 1);
        set(row, cell(one.min(two) - HAIR), cell(one.max(two) + HAIR) + 1);
    }
}

/// Marks the cells within a border: where it has gone round more often in one direction than in the other.
fn fill(rows: &mut [Vec<u64>], width: usize, border: &[[DVec2; 2]]) {
    let mut crossings: Vec<Vec<(f64, i32)>> = vec![Vec::new(); rows.len()];
    for &[a, b] in border {
        let (low, high, way) = if a.y < b.y { (a, b, 1) } else { (b, a, -1) };
        let first = (low.y - 0.5).ceil().max(0.0) as usize;
        for (y, row) in crossings.iter_mut().enumerate().skip(first) {
            let middle = y as f64 + 0.5;
            if middle >= high.y {
                break;
            }
            row.push((low.x + (high.x - low.x) * ((middle - low.y) / (high.y - low.y)), way));
        }
    }
    for (row, mut crossings) in rows.iter_mut().zip(crossings) {
        crossings.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut around = 0;
        for pair in crossings.windows(2) {
            around += pair[0].1;
            if around != 0 {
                let cell = |x: f64| (x.max(0.0) as usize).min(width - 1);
                set(row, cell(pair[0].0), cell(pair[1].0) + 1);
            }
        }
    }
}

fn runs(row: &[u64], width: usize, y: usize) -> Vec<[usize; 3]> {
    let mut found = Vec::new();
    let mut x = 0;
    while x < width {
        if row[x / 64] >> (x % 64) & 1 == 0 {
            x += 1;
            continue;
        }
        let first = x;
        while x < width && row[x / 64] >> (x % 64) & 1 == 1 {
            x += 1;
        }
        found.push([y, first, x - first]);
    }
    found
}

/// Cells that are taken, the margin around islands among them.
struct Grid {
    cells: usize,
    rows: Vec<Vec<u64>>,
    /// Cells left free along the border.
    border: usize,
    /// For each row up or down from a cell, how many cells to either side lie nearer than the margin; the first is that of the cell itself.
    reach: Vec<usize>,
}

impl Grid {
    fn new(cells: usize, packing: Packing) -> Grid {
        let margin = packing.margin * cells as f64;
        // Cells that are one or two apart leave none or one between them.
        let between = |apart: usize| apart.saturating_sub(1) as f64;
        let rows = (0..).take_while(|&up| between(up) < margin || up == 0);
        let reach = rows.map(|up| {
            let left = (margin * margin - between(up).powi(2)).max(0.0).sqrt();
            (0..).take_while(|&x: &usize| between(x) < left).last().unwrap_or(0)
        });
        Grid {
            cells,
            rows: vec![vec![0; cells.div_ceil(64)]; cells],
            border: margin.ceil() as usize,
            reach: reach.collect(),
        }
    }

    /// Where each island goes; None where one finds no room.
    fn placed(mut self, shapes: &[Vec<Shape>], way: &Way) -> Option<Vec<Placed>> {
        let cells = self.cells;
        let mut placed = vec![Placed { turn: DVec2::X, by: DVec2::ZERO }; shapes.len()];
        for &i in &way.order {
            let shapes = match way.held[i] {
                Some(direction) => {
                    let held = direction * shapes[i].len() / MOST_DIRECTIONS;
                    &shapes[i][held..=held]
                }
                None => &shapes[i][..],
            };
            let rooms: Vec<Option<(usize, usize)>> =
                shapes.par_iter().map(|shape| self.room(shape, way.square)).collect();
            let found = rooms.iter().zip(shapes).filter_map(|(room, shape)| {
                let (x, y) = (*room)?;
                let (right, top) = (x + shape.width, y + shape.height);
                let order = if way.square { (right.max(top), right.min(top)) } else { (top, right) };
                Some((order, (x, y), shape))
            });
            let (_, (x, y), shape) = found.min_by_key(|f| f.0)?;
            self.take(shape, x, y);
            let corner = DVec2::new(x as f64, y as f64) / cells as f64;
            placed[i] = Placed { turn: shape.turn, by: corner - shape.low };
        }
        Some(placed)
    }

    /// The lowest place, and there the one furthest left, where a shape meets nothing; or the one nearest to the corner.
    fn room(&self, shape: &Shape, square: bool) -> Option<(usize, usize)> {
        let past_x = self.cells.checked_sub(self.border + shape.width)? + 1;
        let past_y = self.cells.checked_sub(self.border + shape.height)? + 1;
        let words = self.rows[0].len();
        // What lies outside of where its lower left corner may be counts as taken.
        let mut outside = vec![u64::MAX; words];
        (self.border..past_x).for_each(|x| outside[x / 64] &= !(1 << (x % 64)));
        let mut taken = vec![0u64; words];
        let mut spread = vec![0u64; words];
        let mut best: Option<(usize, (usize, usize))> = None;
        for y in self.border..past_y {
            if best.is_some_and(|(side, _)| y + shape.height >= side) {
                break;
            }
            taken.copy_from_slice(&outside);
            let free = shape.runs.iter().all(|&[row, first, count]| {
                spread.copy_from_slice(&self.rows[y + row]);
                if spread.iter().any(|w| *w != 0) {
                    spread_down(&mut spread, count);
                    taken.iter_mut().enumerate().for_each(|(i, word)| *word |= moved(&spread, i, first));
                }
                taken.iter().any(|w| *w != u64::MAX)
            });
            if !free {
                continue;
            }
            let word = taken.iter().position(|w| *w != u64::MAX).unwrap_or(0);
            let x = 64 * word + taken[word].trailing_ones() as usize;
            if !square {
                return Some((x, y));
            }
            let side = (x + shape.width).max(y + shape.height);
            if best.is_none_or(|(known, _)| side < known) {
                best = Some((side, (x, y)));
            }
        }
        best.map(|(_, at)| at)
    }

    /// Takes the cells of a shape at a place, and those nearer than the margin.
    fn take(&mut self, shape: &Shape, x: usize, y: usize) {
        for &[row, first, count] in &shape.runs {
            for (up, &wide) in self.reach.iter().enumerate() {
                let from = (x + first).saturating_sub(wide);
                let to = (x + first + count + wide).min(self.cells);
                for at in [(y + row).checked_sub(up), Some(y + row + up)].into_iter().flatten() {
                    if let Some(taken) = self.rows.get_mut(at) {
                        set(taken, from, to);
                    }
                }
            }
        }
    }
}

/// Sets bits `from..to`.
fn set(row: &mut [u64], from: usize, to: usize) {
    for (word, bits) in row.iter_mut().enumerate().take(to.div_ceil(64)).skip(from / 64) {
        let low = from.saturating_sub(64 * word);
        let high = (to - 64 * word).min(64);
        *bits |= u64::MAX >> (64 - high) & u64::MAX << low;
    }
}

/// Each bit becomes the first of which one of `count` bits from it on is set.
fn spread_down(row: &mut [u64], count: usize) {
    let mut done = 1;
    while done < count {
        let by = done.min(count - done);
        // What is read lies further on, and is not changed yet.
        (0..row.len()).for_each(|i| row[i] |= moved(row, i, by));
        done += by;
    }
}

/// Word `i` of a row moved down by `by` bits.
fn moved(row: &[u64], i: usize, by: usize) -> u64 {
    let (words, bits) = (by / 64, by % 64);
    let low = row.get(i + words).map_or(0, |w| w >> bits);
    let high = if bits > 0 { row.get(i + words + 1).map_or(0, |w| w << (64 - bits)) } else { 0 };
    low | high
}
