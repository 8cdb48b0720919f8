//! Two files of one map held against each other, texel by texel, in the map's true unit.

use crate::maps::Reads;
use crate::picture::{Coding, Image};
use crate::surface::{Difference, degrees_between};
use schemars::JsonSchema;
use serde::Serialize;

/// A map as its file holds it, and how that is read.
#[derive(Clone, Copy)]
pub struct MapFile<'a> {
    pub image: &'a Image,
    pub reads: Reads,
    /// Distance from black to white of heights in whole numbers; None where the file holds the heights themselves.
    pub scale: Option<f32>,
}

/// How far two maps are apart.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Compared {
    #[serde(flatten)]
    pub difference: Difference,
    pub unit: &'static str,
    /// Texels that both cover.
    pub texels: u64,
    /// The texel where they are furthest apart: its sheet, counted from 0, and its place from the left and the top. None where nothing
    /// differs.
    pub worst: Option<Worst>,
}

/// The texel where two maps are furthest apart.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Worst {
    pub sheet: usize,
    pub x: u32,
    pub y: u32,
}

/// What a texel says in the map's unit.
pub(super) fn told(file: MapFile, x: u32, y: u32) -> [f32; 3] {
    let [r, g, b, _] = file.image.texel(x, y);
    file.reads.told([r, g, b], file.scale, file.image.coding == Coding::Linear)
}

fn comparable([a, b]: [MapFile; 2]) -> Result<(), String> {
    let [(wide, high), (other_wide, other_high)] = [a, b].map(|file| (file.image.width, file.image.height));
    if (wide, high) != (other_wide, other_high) {
        return Err(format!("one is {wide} x {high} and the other {other_wide} x {other_high}; bake both at one size"));
    }
    if a.reads.unit() != b.reads.unit() {
        return Err(format!("one is in {}, the other in {}", a.reads.unit().words(), b.reads.unit().words()));
    }
    Ok(())
}

/// How far two texels are apart, in the map's unit. Of several channels the furthest counts.
fn far_apart([a, b]: [MapFile; 2], x: u32, y: u32) -> f32 {
    let (one, other) = (told(a, x, y), told(b, x, y));
    match a.reads {
        Reads::Direction { .. } => degrees_between(one.into(), other.into()),
        _ => one.iter().zip(other).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max),
    }
}

/// Colours of a difference from nothing to the most that is shown, and of what is not compared.
const SCALE: [[f32; 3]; 3] = [[24.0, 24.0, 26.0], [200.0, 86.0, 42.0], [255.0, 240.0, 214.0]];
const LEFT_OUT: [u8; 3] = [118, 118, 118];

/// The colour of a difference: dark where there is none, brightest where it is `most` or more; grey below 0, where nothing is compared.
pub fn heat_color(far: f32, most: f32) -> [u8; 3] {
    if far < 0.0 {
        return LEFT_OUT;
    }
    let share = 2.0 * if most > 0.0 { (far / most).clamp(0.0, 1.0) } else { 0.0 };
    let (from, within) = if share < 1.0 { (0, share) } else { (1, share - 1.0) };
    std::array::from_fn(|c| (SCALE[from][c] + (SCALE[from + 1][c] - SCALE[from][c]) * within).round() as u8)
}

/// A picture of how far a sheet of a map is from that of another: three channels of eight bits, rows from the top. Dark where they agree,
/// brightest where they are `most` apart, in the map's unit, or more; grey where `covered` leaves a texel out.
///
/// # Errors
/// As [`compare`].
pub fn difference_picture(pair: [MapFile; 2], covered: &dyn Fn(usize) -> bool, most: f32) -> Result<Vec<u8>, String> {
    comparable(pair)?;
    let (wide, high) = (pair[0].image.width, pair[0].image.height);
    let color = |at: usize| {
        let far = || far_apart(pair, (at % wide as usize) as u32, (at / wide as usize) as u32);
        heat_color(if covered(at) { far() } else { -1.0 }, most)
    };
    Ok((0..wide as usize * high as usize).flat_map(color).collect())
}

/// Holds the sheets of a map against those of another. `covered` tells of each sheet which texels count, row by row from the top. Where a
/// map has several channels, the furthest apart counts.
///
/// # Errors
/// Why they cannot be compared: they are not read in one unit, or are not of one size.
pub fn compare<'a>(
    sheets: impl IntoIterator<Item = [MapFile<'a>; 2]>,
    covered: &dyn Fn(usize, usize) -> bool,
) -> Result<Compared, String> {
    let mut apart: Vec<f32> = Vec::new();
    let mut worst: Option<(f32, Worst)> = None;
    let mut unit = None;
    for (sheet, [a, b]) in sheets.into_iter().enumerate() {
        comparable([a, b])?;
        let (wide, high) = (a.image.width, a.image.height);
        unit = unit.or(Some(a.reads.unit()));
        for at in (0..wide as usize * high as usize).filter(|at| covered(sheet, *at)) {
            let (x, y) = ((at % wide as usize) as u32, (at / wide as usize) as u32);
            let far = far_apart([a, b], x, y);
            apart.push(far);
            if far > worst.map_or(0.0, |(most, _)| most) {
                worst = Some((far, Worst { sheet, x, y }));
            }
        }
    }
    Ok(Compared {
        texels: apart.len() as u64,
        difference: Difference::of(apart),
        unit: unit.map_or("", |unit| unit.words()),
        worst: worst.map(|(_, place)| place),
    })
}
