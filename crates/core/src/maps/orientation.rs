//! Which way green points in a normal map that was made elsewhere, by whether its slopes are those of one surface.

use super::Green;
use crate::picture::Image;

/// What a normal map's slopes say of its green.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct GreenGuess {
    pub green: Green,
    /// How many times worse its slopes fit together with green turned round; at least [`LEAST_MARGIN`].
    pub margin: f32,
}

/// A smaller margin says nothing: flat maps, directions in object space, noise.
pub const LEAST_MARGIN: f32 = 1.5;
/// Cells that are looked at along a side, at most: rows and columns are passed over evenly on larger maps.
const MOST_PER_SIDE: u32 = 1024;
/// Slopes that change by more from one corner of a cell to another belong to two islands, or to a step.
const MOST_STEP: f32 = 1.0;
/// Normals that lean further than this (the z of a unit vector) have slopes too steep to tell anything.
const LEAST_Z: f32 = 0.15;
/// So many cells have to bend before anything is said.
const LEAST_CELLS: usize = 64;
/// A cell bends whose slopes change by so much, several steps of 8 bit.
const LEAST_BEND: f32 = 0.02;

/// Texels from one corner of a cell to the next: fine detail shows in small cells, a soft surface on a large sheet in wide ones.
const REACHES: [u32; 4] = [1, 3, 8, 24];

/// The slopes of a height field have no curl: what u's slope gains along v is what v's slope gains along u (equality of mixed
/// derivatives). With green the wrong way round the two are of opposite sign, so that they fit worse wherever the surface bends across both
/// axes. The smallest cells that say anything are taken, as wide ones miss what lies between their corners. None where none do.
pub fn green_of(image: &Image) -> Option<GreenGuess> {
    REACHES.into_iter().find_map(|reach| green_by_cells(image, reach))
}

/// The same by cells of one size.
fn green_by_cells(image: &Image, reach: u32) -> Option<GreenGuess> {
    let slopes = |x: u32, y: u32| {
        let [r, g, b, _] = image.texel(x, y);
        let [nx, ny, nz] = [r, g, b].map(|value| value * 2.0 - 1.0);
        let length = (nx * nx + ny * ny + nz * nz).sqrt();
        (image.channels >= 3 && nz > LEAST_Z && (0.7..1.3).contains(&length)).then(|| [-nx / nz, -ny / nz])
    };
    let along = |side: u32| (0..side.saturating_sub(reach)).step_by(side.div_ceil(MOST_PER_SIDE).max(1) as usize);
    let (mut up, mut down, mut cells) = (0.0f64, 0.0f64, 0usize);
    for y in along(image.height) {
        for x in along(image.width) {
            let (right, below) = (x + reach, y + reach);
            let corners = [slopes(x, y), slopes(right, y), slopes(x, below), slopes(right, below)];
            let [Some(a), Some(b), Some(c), Some(d)] = corners else { continue };
            let step = |of: usize| {
                let spread = [a, b, c, d].map(|slope| slope[of]);
                let (low, high) = spread.iter().fold((f32::MAX, f32::MIN), |(l, h), s| (l.min(*s), h.max(*s)));
                high - low
            };
            if step(0).max(step(1)) > MOST_STEP {
                continue;
            }
            // Rows run from the top: v grows towards the row before.
            let u_along_v = (a[0] + b[0] - c[0] - d[0]) / 2.0;
            let v_along_u = (b[1] + d[1] - a[1] - c[1]) / 2.0;
            if u_along_v.abs().max(v_along_u.abs()) < LEAST_BEND {
                continue;
            }
            cells += 1;
            up += f64::from((u_along_v - v_along_u).abs());
            down += f64::from((u_along_v + v_along_u).abs());
        }
    }
    let (green, better, worse) = if up <= down { (Green::Up, up, down) } else { (Green::Down, down, up) };
    let margin = (worse / better.max(1e-6)) as f32;
    (cells >= LEAST_CELLS && margin >= LEAST_MARGIN).then_some(GreenGuess { green, margin })
}

impl GreenGuess {
    /// The guess in a sentence about a file.
    pub fn words(&self, file: &str) -> String {
        let (way, margin) = (self.green.words(), self.margin);
        format!("{file}: taken as {way}; the other way round its slopes fit together {margin:.1} times worse")
    }
}
