//! Random numbers from whole numbers, the same on every machine: what patterns scatter by.

/// Mixes three coordinates of a lattice and a seed into 32 bits. The multipliers are those of Teschner and others, "Optimized
/// Spatial Hashing for Collision Detection of Deformable Objects", 2003; the finish is a round of Appleby's MurmurHash3.
#[inline(always)]
pub fn lattice_hash(x: i32, y: i32, z: i32, seed: u32) -> u32 {
    finished(spread_x(x) ^ spread_y(y) ^ spread_z(z) ^ seed)
}

#[inline(always)]
pub fn spread_x(x: i32) -> u32 {
    (x as u32).wrapping_mul(73_856_093)
}

#[inline(always)]
pub fn spread_y(y: i32) -> u32 {
    (y as u32).wrapping_mul(19_349_663)
}

#[inline(always)]
pub fn spread_z(z: i32) -> u32 {
    (z as u32).wrapping_mul(83_492_791)
}

/// The last steps of [`lattice_hash`], from coordinates that are spread already.
#[inline(always)]
pub fn finished(mixed: u32) -> u32 {
    let mut h = mixed;
    h ^= h >> 16;
    h = h.wrapping_mul(0x85eb_ca6b);
    h ^= h >> 13;
    h = h.wrapping_mul(0xc2b2_ae35);
    h ^ h >> 16
}

/// Another number from one that is used up.
#[inline(always)]
pub fn next(h: u32) -> u32 {
    finished(h.wrapping_add(0x9e37_79b9))
}

/// 0 to 1 without 1, from the upper 24 bits.
#[inline(always)]
pub fn unit(h: u32) -> f32 {
    (h >> 8) as f32 * (1.0 / 16_777_216.0)
}

/// A seed that lies nowhere near those of its neighbours.
pub fn seed_of(seed: u32, octave: u32) -> u32 {
    finished(seed.wrapping_mul(0x9e37_79b9) ^ octave.wrapping_mul(0x85eb_ca6b) ^ 0x1234_5678)
}
