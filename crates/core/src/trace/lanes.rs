//! Sixteen floats worked on at once: the arithmetic that packets are made of, written three times. [`Plain`] runs anywhere; `Avx2`
//! uses pairs of the 256-bit registers of x86-64, `Avx512` its 512-bit ones. Sums, products and comparisons round alike in all, so
//! that all find the same hits; only [`Lanes::box_plane`] may fuse its two steps, and boxes carry a margin for that.
#![allow(unsafe_code, reason = "intrinsics; made only where the registers were found, tested against Plain")]

/// Rays in a packet.
pub const LANES: usize = 16;
/// Triangles in a leaf: two rays are tested against all of them at once.
pub const LEAF: usize = LANES / 2;

/// One value a ray.
#[derive(Clone, Copy, Debug, PartialEq)]
#[repr(C, align(64))]
pub struct PerRay<T>(pub [T; LANES]);

impl<T: Copy> PerRay<T> {
    pub fn splat(value: T) -> Self {
        PerRay([value; LANES])
    }
}

/// One number a triangle of a leaf.
#[derive(Clone, Copy, Debug, PartialEq, bytemuck::Pod, bytemuck::Zeroable)]
#[repr(C, align(32))]
pub struct PerTriangle(pub [f32; LEAF]);

/// Arithmetic on all lanes. `Mask` is one yes or no a lane.
pub(super) trait Lanes: Copy {
    type Mask: Copy;

    fn load(values: &PerRay<f32>) -> Self;
    /// The values of a leaf's triangles in the first half of the lanes, and again in the second.
    fn twice(values: &PerTriangle) -> Self;
    fn splat(value: f32) -> Self;
    fn store(self) -> PerRay<f32>;
    /// Lane `pair[0]` in the first half of the lanes, lane `pair[1]` in the second.
    fn spread(self, pair: [usize; 2]) -> Self;
    fn add(self, other: Self) -> Self;
    fn sub(self, other: Self) -> Self;
    fn mul(self, other: Self) -> Self;
    fn div(self, other: Self) -> Self;
    /// The smaller; `other` where either is not a number.
    fn min(self, other: Self) -> Self;
    /// The larger; `other` where either is not a number.
    fn max(self, other: Self) -> Self;
    /// `self * scale - shift`, rounded once or twice.
    fn box_plane(self, scale: Self, shift: Self) -> Self;
    fn lt(self, other: Self) -> Self::Mask;
    fn le(self, other: Self) -> Self::Mask;
    fn eq(self, other: Self) -> Self::Mask;
    fn select(mask: Self::Mask, yes: Self, no: Self) -> Self;
    fn mask(bits: u16) -> Self::Mask;
    /// Bit `i` for lane `i`.
    fn bits(mask: Self::Mask) -> u16;
    fn both(a: Self::Mask, b: Self::Mask) -> Self::Mask;
    fn either(a: Self::Mask, b: Self::Mask) -> Self::Mask;
    /// Asks for an entry of `list` that will be read soon.
    fn fetch_ahead<T>(list: &[T], at: u32);
}

/// Lanes in a plain array.
#[derive(Clone, Copy)]
pub(super) struct Plain([f32; LANES]);

impl Plain {
    #[inline(always)]
    fn zip(self, other: Self, f: impl Fn(f32, f32) -> f32) -> Self {
        Plain(std::array::from_fn(|i| f(self.0[i], other.0[i])))
    }

    #[inline(always)]
    fn compare(self, other: Self, f: impl Fn(f32, f32) -> bool) -> [bool; LANES] {
        std::array::from_fn(|i| f(self.0[i], other.0[i]))
    }
}

impl Lanes for Plain {
    type Mask = [bool; LANES];

    #[inline(always)]
    fn load(values: &PerRay<f32>) -> Self {
        Plain(values.0)
    }
    #[inline(always)]
    fn splat(value: f32) -> Self {
        Plain([value; LANES])
    }
    #[inline(always)]
    fn store(self) -> PerRay<f32> {
        PerRay(self.0)
    }
    #[inline(always)]
    fn twice(values: &PerTriangle) -> Self {
        Plain(std::array::from_fn(|i| values.0[i % LEAF]))
    }
    #[inline(always)]
    fn spread(self, pair: [usize; 2]) -> Self {
        Plain(std::array::from_fn(|i| self.0[pair[i / LEAF]]))
    }
    #[inline(always)]
    fn add(self, other: Self) -> Self {
        self.zip(other, |a, b| a + b)
    }
    #[inline(always)]
    fn sub(self, other: Self) -> Self {
        self.zip(other, |a, b| a - b)
    }
    #[inline(always)]
    fn mul(self, other: Self) -> Self {
        self.zip(other, |a, b| a * b)
    }
    #[inline(always)]
    fn div(self, other: Self) -> Self {
        self.zip(other, |a, b| a / b)
    }
    #[inline(always)]
    fn min(self, other: Self) -> Self {
        self.zip(other, |a, b| if a < b { a } else { b })
    }
    #[inline(always)]
    fn max(self, other: Self) -> Self {
        self.zip(other, |a, b| if a > b { a } else { b })
    }
    #[inline(always)]
    fn box_plane(self, scale: Self, shift: Self) -> Self {
        self.mul(scale).sub(shift)
    }
    #[inline(always)]
    fn lt(self, other: Self) -> Self::Mask {
        self.compare(other, |a, b| a < b)
    }
    #[inline(always)]
    fn le(self, other: Self) -> Self::Mask {
        self.compare(other, |a, b| a <= b)
    }
    #[inline(always)]
    fn eq(self, other: Self) -> Self::Mask {
        self.compare(other, |a, b| a == b)
    }
    #[inline(always)]
    fn select(mask: Self::Mask, yes: Self, no: Self) -> Self {
        Plain(std::array::from_fn(|i| if mask[i] { yes.0[i] } else { no.0[i] }))
    }
    #[inline(always)]
    fn mask(bits: u16) -> Self::Mask {
        std::array::from_fn(|i| bits >> i & 1 == 1)
    }
    #[inline(always)]
    fn bits(mask: Self::Mask) -> u16 {
        mask.iter().enumerate().fold(0, |bits, (i, &m)| bits | u16::from(m) << i)
    }
    #[inline(always)]
    fn both(a: Self::Mask, b: Self::Mask) -> Self::Mask {
        std::array::from_fn(|i| a[i] & b[i])
    }
    #[inline(always)]
    fn either(a: Self::Mask, b: Self::Mask) -> Self::Mask {
        std::array::from_fn(|i| a[i] | b[i])
    }
    #[inline(always)]
    fn fetch_ahead<T>(_: &[T], _: u32) {}
}

/// A set of registers that the walk is compiled for and that this machine has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Registers(pub(super) Width);

/// How wide they are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Width {
    Plain,
    #[cfg(target_arch = "x86_64")]
    Avx2,
    #[cfg(target_arch = "x86_64")]
    Avx512,
}

impl Registers {
    /// All that this machine has, the narrowest first.
    pub fn available() -> Vec<Registers> {
        let mut found = vec![Registers(Width::Plain)];
        #[cfg(target_arch = "x86_64")]
        if is_x86_feature_detected!("avx2") && is_x86_feature_detected!("fma") {
            found.push(Registers(Width::Avx2));
            if is_x86_feature_detected!("avx512f") && is_x86_feature_detected!("avx512dq") {
                found.push(Registers(Width::Avx512));
            }
        }
        found
    }

    /// The widest, or what `EMBER_RIDGE_LANES` asks for: `plain` or `avx2`.
    pub fn chosen() -> Registers {
        static CHOSEN: std::sync::OnceLock<Registers> = std::sync::OnceLock::new();
        *CHOSEN.get_or_init(|| {
            let most = match std::env::var("EMBER_RIDGE_LANES").as_deref() {
                Ok("plain") => 1,
                Ok("avx2") => 2,
                _ => usize::MAX,
            };
            let found = Registers::available();
            found[found.len().min(most) - 1]
        })
    }
}

#[cfg(target_arch = "x86_64")]
pub(super) use x86::{Avx2, Avx512};

#[cfg(target_arch = "x86_64")]
mod x86 {
    use super::{LANES, LEAF, Lanes, PerRay, PerTriangle};
    use std::arch::x86_64::*;

    /// Sixteen lanes in a 512-bit register. Values are made only below functions compiled for AVX-512 F and DQ, which are entered
    /// only with [`Registers`] that were found; that makes every intrinsic here sound.
    #[derive(Clone, Copy)]
    pub struct Avx512(__m512);

    impl Lanes for Avx512 {
        type Mask = __mmask16;

        #[inline(always)]
        fn load(values: &PerRay<f32>) -> Self {
            // SAFETY: `PerRay` is aligned to 64 bytes and holds sixteen floats.
            Avx512(unsafe { _mm512_load_ps(values.0.as_ptr()) })
        }
        #[inline(always)]
        fn twice(values: &PerTriangle) -> Self {
            // SAFETY: `PerTriangle` is aligned to 32 bytes and holds eight floats.
            Avx512(unsafe { _mm512_broadcast_f32x8(_mm256_load_ps(values.0.as_ptr())) })
        }
        #[inline(always)]
        fn splat(value: f32) -> Self {
            // SAFETY: see the type.
            Avx512(unsafe { _mm512_set1_ps(value) })
        }
        #[inline(always)]
        fn store(self) -> PerRay<f32> {
            let mut out = PerRay([0.0; LANES]);
            // SAFETY: `PerRay` is aligned to 64 bytes and holds sixteen floats.
            unsafe { _mm512_store_ps(out.0.as_mut_ptr(), self.0) };
            out
        }
        #[inline(always)]
        fn spread(self, [a, b]: [usize; 2]) -> Self {
            // SAFETY: see the type; only the low four bits of a lane count.
            Avx512(unsafe {
                let lanes = _mm512_mask_set1_epi32(_mm512_set1_epi32(a as i32), 0xff00, b as i32);
                _mm512_permutexvar_ps(lanes, self.0)
            })
        }
        #[inline(always)]
        fn add(self, other: Self) -> Self {
            // SAFETY: see the type.
            Avx512(unsafe { _mm512_add_ps(self.0, other.0) })
        }
        #[inline(always)]
        fn sub(self, other: Self) -> Self {
            // SAFETY: see the type.
            Avx512(unsafe { _mm512_sub_ps(self.0, other.0) })
        }
        #[inline(always)]
        fn mul(self, other: Self) -> Self {
            // SAFETY: see the type.
            Avx512(unsafe { _mm512_mul_ps(self.0, other.0) })
        }
        #[inline(always)]
        fn div(self, other: Self) -> Self {
            // SAFETY: see the type.
            Avx512(unsafe { _mm512_div_ps(self.0, other.0) })
        }
        #[inline(always)]
        fn min(self, other: Self) -> Self {
            // SAFETY: see the type.
            Avx512(unsafe { _mm512_min_ps(self.0, other.0) })
        }
        #[inline(always)]
        fn max(self, other: Self) -> Self {
            // SAFETY: see the type.
            Avx512(unsafe { _mm512_max_ps(self.0, other.0) })
        }
        #[inline(always)]
        fn box_plane(self, scale: Self, shift: Self) -> Self {
            // SAFETY: see the type.
            Avx512(unsafe { _mm512_fmsub_ps(self.0, scale.0, shift.0) })
        }
        #[inline(always)]
        fn lt(self, other: Self) -> Self::Mask {
            // SAFETY: see the type.
            unsafe { _mm512_cmp_ps_mask::<_CMP_LT_OQ>(self.0, other.0) }
        }
        #[inline(always)]
        fn le(self, other: Self) -> Self::Mask {
            // SAFETY: see the type.
            unsafe { _mm512_cmp_ps_mask::<_CMP_LE_OQ>(self.0, other.0) }
        }
        #[inline(always)]
        fn eq(self, other: Self) -> Self::Mask {
            // SAFETY: see the type.
            unsafe { _mm512_cmp_ps_mask::<_CMP_EQ_OQ>(self.0, other.0) }
        }
        #[inline(always)]
        fn select(mask: Self::Mask, yes: Self, no: Self) -> Self {
            // SAFETY: see the type.
            Avx512(unsafe { _mm512_mask_blend_ps(mask, no.0, yes.0) })
        }
        #[inline(always)]
        fn mask(bits: u16) -> Self::Mask {
            bits
        }
        #[inline(always)]
        fn bits(mask: Self::Mask) -> u16 {
            mask
        }
        #[inline(always)]
        fn both(a: Self::Mask, b: Self::Mask) -> Self::Mask {
            a & b
        }
        #[inline(always)]
        fn either(a: Self::Mask, b: Self::Mask) -> Self::Mask {
            a | b
        }
        #[inline(always)]
        fn fetch_ahead<T>(list: &[T], at: u32) {
            let entry = list.as_ptr().wrapping_add(at as usize).cast::<i8>();
            for line in (0..size_of::<T>()).step_by(64) {
                // SAFETY: fetching ahead touches no memory, wherever it points.
                unsafe { _mm_prefetch::<_MM_HINT_T0>(entry.wrapping_add(line)) }
            }
        }
    }

    /// Sixteen lanes in two 256-bit registers. Values are made only below functions compiled for AVX2 and FMA, which are entered
    /// only with [`Registers`] that were found; that makes every intrinsic here sound.
    #[derive(Clone, Copy)]
    pub struct Avx2([__m256; 2]);

    impl Avx2 {
        #[inline(always)]
        fn half(self, lane: usize) -> __m256 {
            // SAFETY: see the type; only the low three bits of a lane count.
            unsafe { _mm256_permutevar8x32_ps(self.0[lane / LEAF], _mm256_set1_epi32(lane as i32)) }
        }
    }

    macro_rules! halves {
        ($a:expr, $b:expr, $op:ident) => {
            // SAFETY: see the type.
            unsafe { [$op($a[0], $b[0]), $op($a[1], $b[1])] }
        };
        ($a:expr, $b:expr, $op:ident, $how:ident) => {
            // SAFETY: see the type.
            unsafe { [$op::<$how>($a[0], $b[0]), $op::<$how>($a[1], $b[1])] }
        };
    }

    impl Lanes for Avx2 {
        type Mask = [__m256; 2];

        #[inline(always)]
        fn load(values: &PerRay<f32>) -> Self {
            // SAFETY: `PerRay` is aligned to 64 bytes and holds sixteen floats.
            Avx2(unsafe { [_mm256_load_ps(values.0.as_ptr()), _mm256_load_ps(values.0.as_ptr().add(LEAF))] })
        }
        #[inline(always)]
        fn twice(values: &PerTriangle) -> Self {
            // SAFETY: `PerTriangle` is aligned to 32 bytes and holds eight floats.
            Avx2([unsafe { _mm256_load_ps(values.0.as_ptr()) }; 2])
        }
        #[inline(always)]
        fn splat(value: f32) -> Self {
            // SAFETY: see the type.
            Avx2([unsafe { _mm256_set1_ps(value) }; 2])
        }
        #[inline(always)]
        fn store(self) -> PerRay<f32> {
            let mut out = PerRay([0.0; LANES]);
            // SAFETY: `PerRay` is aligned to 64 bytes and holds sixteen floats.
            unsafe {
                _mm256_store_ps(out.0.as_mut_ptr(), self.0[0]);
                _mm256_store_ps(out.0.as_mut_ptr().add(LEAF), self.0[1]);
            }
            out
        }
        #[inline(always)]
        fn spread(self, [a, b]: [usize; 2]) -> Self {
            Avx2([self.half(a), self.half(b)])
        }
        #[inline(always)]
        fn add(self, other: Self) -> Self {
            Avx2(halves!(self.0, other.0, _mm256_add_ps))
        }
        #[inline(always)]
        fn sub(self, other: Self) -> Self {
            Avx2(halves!(self.0, other.0, _mm256_sub_ps))
        }
        #[inline(always)]
        fn mul(self, other: Self) -> Self {
            Avx2(halves!(self.0, other.0, _mm256_mul_ps))
        }
        #[inline(always)]
        fn div(self, other: Self) -> Self {
            Avx2(halves!(self.0, other.0, _mm256_div_ps))
        }
        #[inline(always)]
        fn min(self, other: Self) -> Self {
            Avx2(halves!(self.0, other.0, _mm256_min_ps))
        }
        #[inline(always)]
        fn max(self, other: Self) -> Self {
            Avx2(halves!(self.0, other.0, _mm256_max_ps))
        }
        #[inline(always)]
        fn box_plane(self, scale: Self, shift: Self) -> Self {
            // SAFETY: see the type.
            Avx2(unsafe {
                [_mm256_fmsub_ps(self.0[0], scale.0[0], shift.0[0]), _mm256_fmsub_ps(self.0[1], scale.0[1], shift.0[1])]
            })
        }
        #[inline(always)]
        fn lt(self, other: Self) -> Self::Mask {
            halves!(self.0, other.0, _mm256_cmp_ps, _CMP_LT_OQ)
        }
        #[inline(always)]
        fn le(self, other: Self) -> Self::Mask {
            halves!(self.0, other.0, _mm256_cmp_ps, _CMP_LE_OQ)
        }
        #[inline(always)]
        fn eq(self, other: Self) -> Self::Mask {
            halves!(self.0, other.0, _mm256_cmp_ps, _CMP_EQ_OQ)
        }
        #[inline(always)]
        fn select(mask: Self::Mask, yes: Self, no: Self) -> Self {
            // SAFETY: see the type.
            Avx2(unsafe {
                [_mm256_blendv_ps(no.0[0], yes.0[0], mask[0]), _mm256_blendv_ps(no.0[1], yes.0[1], mask[1])]
            })
        }
        #[inline(always)]
        fn mask(bits: u16) -> Self::Mask {
            // SAFETY: see the type.
            unsafe {
                let lane = _mm256_setr_epi32(1, 2, 4, 8, 16, 32, 64, 128);
                let low = _mm256_and_si256(_mm256_set1_epi32(i32::from(bits)), lane);
                let high = _mm256_and_si256(_mm256_set1_epi32(i32::from(bits >> LEAF)), lane);
                [
                    _mm256_castsi256_ps(_mm256_cmpeq_epi32(low, lane)),
                    _mm256_castsi256_ps(_mm256_cmpeq_epi32(high, lane)),
                ]
            }
        }
        #[inline(always)]
        fn bits(mask: Self::Mask) -> u16 {
            // SAFETY: see the type.
            unsafe { _mm256_movemask_ps(mask[0]) as u16 | (_mm256_movemask_ps(mask[1]) as u16) << LEAF }
        }
        #[inline(always)]
        fn both(a: Self::Mask, b: Self::Mask) -> Self::Mask {
            halves!(a, b, _mm256_and_ps)
        }
        #[inline(always)]
        fn either(a: Self::Mask, b: Self::Mask) -> Self::Mask {
            halves!(a, b, _mm256_or_ps)
        }
        #[inline(always)]
        fn fetch_ahead<T>(list: &[T], at: u32) {
            let entry = list.as_ptr().wrapping_add(at as usize).cast::<i8>();
            for line in (0..size_of::<T>()).step_by(64) {
                // SAFETY: fetching ahead touches no memory, wherever it points.
                unsafe { _mm_prefetch::<_MM_HINT_T0>(entry.wrapping_add(line)) }
            }
        }
    }
}
