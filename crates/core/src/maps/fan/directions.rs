//! Directions of rays over a hemisphere, and where in a texel each starts.
//!
//! A ray has three numbers from one low-discrepancy sequence, the first three dimensions of Sobol's (direction numbers by Bratley and
//! Fox, "Algorithm 659", 1988): the first two are its direction on the square, mapped to the cosine-weighted hemisphere (Malley); the
//! third says which of the texel's samples it starts from. So the rays of each sample are spread over the whole sky, and all of them
//! together too; and the first rays of a longer run are those of a shorter one. Each set of directions is scrambled by itself, each
//! number on its own (Owen 1995, by the hash of Burley, "Practical Hash-based Owen Scrambling", JCGT 2020). Scrambling only permutes
//! the cells that the directions lie in, so texels can take their rays cell by cell: rays of neighbouring texels then run nearly the
//! same way, and make packets that hold together. Where texels take as many rays as their error asks for, they do so round by round:
//! each round has as many rays as all before it, and each of its rays has a partner among those in the same cell.

use super::rays::FIRST_LOOK;
use glam::Vec3;
use std::sync::OnceLock;

/// Scrambled copies of the sequence, as unit directions about +z. Texels pick one by hash.
#[derive(Debug)]
pub(super) struct DirectionSets {
    rays: usize,
    seed: u64,
    /// `SETS * rays` rays; those of a set in the order of their cells.
    by_cells: Vec<Entry>,
    in_rounds: OnceLock<Rounds>,
}

/// The rays of all sets, those of a set in rounds and those of a round in the order of their cells.
#[derive(Debug, Default)]
struct Rounds {
    entries: Vec<Entry>,
    /// For each ray the place within its set of an earlier one in the same cell; any for the first of all.
    partners: Vec<u16>,
}

/// A ray of a set.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct Entry {
    pub direction: Vec3,
    /// Which share of the texel's samples it starts from, in units of 2^-24.
    start: u32,
    /// Its number in the sequence: it is one of the first `n` rays when this is less than `n`.
    pub number: u32,
    /// Its place on the square in Morton's order.
    code: u32,
}

impl Entry {
    /// Which of `samples` it starts from.
    #[inline]
    pub fn start_of(&self, samples: usize) -> usize {
        (self.start as usize * samples) >> 24
    }
}

/// Sets there are to pick from.
const SETS: usize = 256;

impl DirectionSets {
    /// `rays`: a power of two.
    pub fn new(rays: u32, seed: u64) -> DirectionSets {
        let n = rays as usize;
        let mut by_cells = vec![Entry::default(); SETS * n];
        for (set, entries) in by_cells.chunks_mut(n).enumerate() {
            let key = mix(seed ^ (set as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15));
            let (key_x, key_y, key_start) = (key as u32, (key >> 32) as u32, mix(key) as u32);
            for number in 0..rays {
                let [x, y, start] = sobol(number);
                let (x, y, start) = (scrambled(x, key_x), scrambled(y, key_y), scrambled(start, key_start));
                let direction = cosine_direction(unit(x), unit(y));
                let code = interleaved(x) << 1 | interleaved(y);
                entries[cell(code, rays)] = Entry { direction, start: start >> 8, number, code };
            }
        }
        DirectionSets { rays: n, seed, by_cells, in_rounds: OnceLock::new() }
    }

    /// The number of the set a texel uses.
    pub fn set_of(&self, sheet: usize, texel: u32) -> usize {
        let key = self.seed ^ (sheet as u64) << 40 ^ u64::from(texel);
        (mix(key) % SETS as u64) as usize
    }

    /// The rays of a set, cell by cell.
    pub fn by_cells(&self, set: usize) -> &[Entry] {
        &self.by_cells[set * self.rays..][..self.rays]
    }

    /// The rays of a set, round by round, and the place of each one's partner.
    pub fn by_rounds(&self, set: usize) -> (&[Entry], &[u16]) {
        let Rounds { entries, partners } = self.in_rounds.get_or_init(|| self.rounds());
        (&entries[set * self.rays..][..self.rays], &partners[set * self.rays..][..self.rays])
    }

    fn rounds(&self) -> Rounds {
        let (mut rounds, mut in_cell) = (Rounds::default(), vec![0; self.rays]);
        for set in 0..SETS {
            let mut entries = self.by_cells(set).to_vec();
            entries.sort_by_key(|entry| (entry.number / FIRST_LOOK).checked_ilog2().map_or(0, |round| round + 1));
            let mut partners = vec![0; self.rays];
            let mut half = 1;
            while half < self.rays as u32 {
                // As many rays as there are cells: one in each.
                for (at, entry) in entries.iter().enumerate().filter(|(_, entry)| entry.number < half) {
                    in_cell[cell(entry.code, half)] = at as u16;
                }
                for (at, entry) in entries.iter().enumerate() {
                    if (half..2 * half).contains(&entry.number) {
                        partners[at] = in_cell[cell(entry.code, half)];
                    }
                }
                half *= 2;
            }
            rounds.entries.extend(entries);
            rounds.partners.extend(partners);
        }
        rounds
    }
}

/// The cell of a place on the square, of `cells` of equal size (a power of two).
fn cell(code: u32, cells: u32) -> usize {
    code.checked_shr(32 - cells.ilog2()).unwrap_or(0) as usize
}

/// The upper 16 bits of a fraction with a gap below each, so that cells near each other get numbers near each other (Morton's order).
fn interleaved(x: u32) -> u32 {
    (0..16).fold(0, |sum, bit| sum | (x >> (16 + bit) & 1) << (2 * bit))
}

/// A point of Sobol's sequence as binary fractions: dimensions of the primitive polynomials 1, x + 1 and x^2 + x + 1, with first
/// direction numbers 1; 1; and 1, 3.
fn sobol(mut i: u32) -> [u32; 3] {
    let mut point = [i.reverse_bits(), 0, 0];
    // The direction number at hand of each dimension, and the one before it.
    let (mut second, mut third, mut before) = (1 << 31, 1 << 31, 3 << 30);
    while i != 0 {
        if i & 1 == 1 {
            point[1] ^= second;
            point[2] ^= third;
        }
        second ^= second >> 1;
        // m(k) = 2 m(k-1) ^ 4 m(k-2) ^ m(k-2), shifted to the top.
        (third, before) = (before, before ^ third ^ third >> 2);
        i >>= 1;
    }
    point
}

/// A nested uniform scramble of a binary fraction (Burley 2020, after Laine and Karras): each bit is flipped by what the bits above
/// it are.
fn scrambled(fraction: u32, key: u32) -> u32 {
    let mut x = fraction.reverse_bits().wrapping_add(key);
    for factor in [0x6c50_b47c, 0xb82f_1e52, 0xc7af_e638, 0x8d22_f6e6u32] {
        x ^= x.wrapping_mul(factor);
    }
    x.reverse_bits()
}

/// The finaliser of splitmix64.
fn mix(mut h: u64) -> u64 {
    h = (h ^ h >> 30).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    h = (h ^ h >> 27).wrapping_mul(0x94d0_49bb_1331_11eb);
    h ^ h >> 31
}

fn unit(bits: u32) -> f32 {
    (bits >> 8) as f32 / 16_777_216.0
}

/// Malley's method over Shirley and Chiu's concentric map of the square to the disc.
fn cosine_direction(x: f32, y: f32) -> Vec3 {
    let (a, b) = (2.0 * x - 1.0, 2.0 * y - 1.0);
    let (radius, angle) = if a.abs() > b.abs() {
        (a, std::f32::consts::FRAC_PI_4 * (b / a))
    } else if b != 0.0 {
        (b, std::f32::consts::FRAC_PI_2 - std::f32::consts::FRAC_PI_4 * (a / b))
    } else {
        (0.0, 0.0)
    };
    let (sin, cos) = libm::sincosf(angle);
    Vec3::new(radius * cos, radius * sin, (1.0 - radius * radius).max(0.0).sqrt())
}

#[cfg(test)]
mod tests {
    use super::super::rays::RAY_COUNTS;
    use super::*;

    fn sets_of(sets: &DirectionSets) -> impl Iterator<Item = &[Entry]> {
        sets.by_cells.chunks(sets.rays)
    }

    #[test]
    fn every_set_is_cosine_weighted_and_each_ray_starts_from_its_own_share() {
        for rays in RAY_COUNTS {
            let sets = DirectionSets::new(rays, 7);
            for set in sets_of(&sets) {
                let mean = set.iter().map(|e| e.direction).sum::<Vec3>() / rays as f32;
                // The mean of a cosine-weighted hemisphere lies at 2/3 of its height.
                let room = 1.2 / (rays as f32).sqrt();
                assert!(
                    (mean.z - 2.0 / 3.0).abs() < room && mean.x.abs() < room && mean.y.abs() < room,
                    "{rays}: {mean}"
                );
                assert!(set.iter().all(|e| (e.direction.length() - 1.0).abs() < 1e-5 && e.direction.z >= 0.0));
                // A cell that nothing fell into would have kept number 0.
                let mut numbers: Vec<u32> = set.iter().map(|e| e.number).collect();
                numbers.sort_unstable();
                assert!(numbers.into_iter().eq(0..rays), "{rays}: one direction a cell");
                let mut shares: Vec<u32> = set.iter().map(|e| e.start_of(rays as usize) as u32).collect();
                shares.sort_unstable();
                assert!(shares.into_iter().eq(0..rays), "{rays}: each ray starts from its own share");
            }
        }
    }

    #[test]
    fn the_first_rays_of_many_are_those_of_few() {
        let many = DirectionSets::new(256, 3);
        for few in [4, 32, 128] {
            for (longer, shorter) in sets_of(&many).zip(sets_of(&DirectionSets::new(few, 3))) {
                let mut first: Vec<Entry> = longer.iter().copied().filter(|e| e.number < few).collect();
                let mut own = shorter.to_vec();
                first.sort_by_key(|e| e.number);
                own.sort_by_key(|e| e.number);
                assert!(first == own, "{few} of 256");
            }
        }
    }

    #[test]
    fn each_samples_rays_are_spread_over_the_whole_sky() {
        // A set's entries lie in order of their cells, so a run of entries is a box of the square; the sequence is a (1, 3)-sequence,
        // so a box of twice as many entries as there are samples has each sample twice.
        for (rays, samples) in [(64, 16), (256, 16), (256, 4), (512, 64)] {
            for set in sets_of(&DirectionSets::new(rays, 7)) {
                for region in set.chunks(2 * samples) {
                    let mut from: Vec<usize> = region.iter().map(|e| e.start_of(samples)).collect();
                    from.sort_unstable();
                    assert!(from.into_iter().eq((0..2 * samples).map(|i| i / 2)), "{rays} rays, {samples} samples");
                }
            }
        }
    }

    #[test]
    fn rounds_double_and_partners_share_a_cell_that_holds_no_third() {
        for rays in [32, 64, 512] {
            let sets = DirectionSets::new(rays, 5);
            for set in [0, 17, 255] {
                let (entries, partners) = sets.by_rounds(set);
                let mut end = FIRST_LOOK;
                while end <= rays {
                    assert!(entries[..end as usize].iter().all(|e| e.number < end), "the first {end} come first");
                    // Of the later half of these each has a partner in the earlier half, another for each.
                    let later = (0..end as usize).filter(|&at| entries[at].number >= end / 2);
                    let mut met: Vec<u32> = later.map(|at| entries[usize::from(partners[at])].number).collect();
                    met.sort_unstable();
                    assert!(met.into_iter().eq(0..end / 2), "{rays} rays, {end}");
                    end *= 2;
                }
                // Two of one cell of 256 are near each other: such a cell of the disc is an eighth wide at most.
                let spread = (0..rays as usize).filter(|&at| entries[at].number >= 256).map(|at| {
                    let (a, b) = (entries[at].direction, entries[usize::from(partners[at])].direction);
                    (a - b).truncate().length()
                });
                assert!(spread.fold(0.0, f32::max) < 0.25);
            }
        }
    }

    #[test]
    fn the_sequence_begins_as_published() {
        // Sobol's points 1 to 4 in three dimensions (Bratley and Fox 1988).
        let half = 1u32 << 31;
        let point = |a: f64, b: f64, c: f64| [a, b, c].map(|x| (x * 4_294_967_296.0) as u32);
        assert_eq!(sobol(0), [0, 0, 0]);
        assert_eq!(sobol(1), [half, half, half]);
        let mut next: Vec<[u32; 3]> = vec![sobol(2), sobol(3)];
        next.sort_unstable();
        assert_eq!(next, [point(0.25, 0.75, 0.75), point(0.75, 0.25, 0.25)]);
    }
}
