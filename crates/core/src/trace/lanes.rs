//! Eight floats worked on at once: the arithmetic that packets are made of, written twice. [`Plain`] runs anywhere; `Avx2`
//! uses the 256-bit registers of x86-64. Sums, products and comparisons round alike in both, so that both find the same
//! hits; only [`Lanes::box_plane`] may fuse its two steps, and boxes carry a margin for that.
#![allow(unsafe_code, reason = "intrinsics of AVX2 and FMA; made only where `detect` found both, tested against Plain")]

/// Rays in a packet.
pub const LANES: usize = 8;

/// One value a ray.
#[derive(Clone, Copy, Debug, PartialEq)]
#[repr(C, align(32))]
pub struct Eight<T>(pub [T; LANES]);

impl<T: Copy> Eight<T> {
    pub fn splat(value: T) -> Self {
        Eight([value; LANES])
    }
}

/// Arithmetic on eight lanes. `Mask` is one yes or no a lane.
pub(super) trait Lanes: Copy {
    type Mask: Copy;

    fn load(values: &Eight<f32>) -> Self;
    fn splat(value: f32) -> Self;
    fn store(self) -> Eight<f32>;
    /// Lane `lane` (0 to 7) in all lanes.
    fn spread(self, lane: usize) -> Self;
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
    fn mask(bits: u8) -> Self::Mask;
    /// Bit `i` for lane `i`.
    fn bits(mask: Self::Mask) -> u8;
    fn both(a: Self::Mask, b: Self::Mask) -> Self::Mask;
    fn either(a: Self::Mask, b: Self::Mask) -> Self::Mask;
    /// Asks for an entry of `list` that will be read soon.
    fn fetch_ahead<T>(list: &[T], at: u32);
}

/// Eight lanes in plain arrays.
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
    fn load(values: &Eight<f32>) -> Self {
        Plain(values.0)
    }
    #[inline(always)]
    fn splat(value: f32) -> Self {
        Plain([value; LANES])
    }
    #[inline(always)]
    fn store(self) -> Eight<f32> {
        Eight(self.0)
    }
    #[inline(always)]
    fn spread(self, lane: usize) -> Self {
        Plain([self.0[lane]; LANES])
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
    fn mask(bits: u8) -> Self::Mask {
        std::array::from_fn(|i| bits >> i & 1 == 1)
    }
    #[inline(always)]
    fn bits(mask: Self::Mask) -> u8 {
        mask.iter().enumerate().fold(0, |bits, (i, &m)| bits | u8::from(m) << i)
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

#[cfg(target_arch = "x86_64")]
pub(super) use x86::{Avx2, detect};

#[cfg(target_arch = "x86_64")]
mod x86 {
    use super::{Eight, Lanes};
    use crate::trace::LANES;
    use std::arch::x86_64::*;

    /// True when this machine has AVX2 and FMA, and the portable path was not asked for by `EMBER_RIDGE_PORTABLE`.
    pub fn detect() -> bool {
        static FOUND: std::sync::OnceLock<bool> = std::sync::OnceLock::new();
        *FOUND.get_or_init(|| {
            std::env::var_os("EMBER_RIDGE_PORTABLE").is_none()
                && is_x86_feature_detected!("avx2")
                && is_x86_feature_detected!("fma")
        })
    }

    /// Eight lanes in a 256-bit register. Values are made only below functions compiled for AVX2 and FMA, which are entered
    /// only after [`detect`]; that makes every intrinsic here sound.
    #[derive(Clone, Copy)]
    pub struct Avx2(__m256);

    impl Lanes for Avx2 {
        type Mask = __m256;

        #[inline(always)]
        fn load(values: &Eight<f32>) -> Self {
            // SAFETY: `Eight` is aligned to 32 bytes and holds eight floats.
            Avx2(unsafe { _mm256_load_ps(values.0.as_ptr()) })
        }
        #[inline(always)]
        fn splat(value: f32) -> Self {
            // SAFETY: see the type.
            Avx2(unsafe { _mm256_set1_ps(value) })
        }
        #[inline(always)]
        fn store(self) -> Eight<f32> {
            let mut out = Eight([0.0; LANES]);
            // SAFETY: `Eight` is aligned to 32 bytes and holds eight floats.
            unsafe { _mm256_store_ps(out.0.as_mut_ptr(), self.0) };
            out
        }
        #[inline(always)]
        fn spread(self, lane: usize) -> Self {
            // SAFETY: see the type; only the low three bits of the lane count.
            Avx2(unsafe { _mm256_permutevar8x32_ps(self.0, _mm256_set1_epi32(lane as i32)) })
        }
        #[inline(always)]
        fn add(self, other: Self) -> Self {
            // SAFETY: see the type.
            Avx2(unsafe { _mm256_add_ps(self.0, other.0) })
        }
        #[inline(always)]
        fn sub(self, other: Self) -> Self {
            // SAFETY: see the type.
            Avx2(unsafe { _mm256_sub_ps(self.0, other.0) })
        }
        #[inline(always)]
        fn mul(self, other: Self) -> Self {
            // SAFETY: see the type.
            Avx2(unsafe { _mm256_mul_ps(self.0, other.0) })
        }
        #[inline(always)]
        fn div(self, other: Self) -> Self {
            // SAFETY: see the type.
            Avx2(unsafe { _mm256_div_ps(self.0, other.0) })
        }
        #[inline(always)]
        fn min(self, other: Self) -> Self {
            // SAFETY: see the type.
            Avx2(unsafe { _mm256_min_ps(self.0, other.0) })
        }
        #[inline(always)]
        fn max(self, other: Self) -> Self {
            // SAFETY: see the type.
            Avx2(unsafe { _mm256_max_ps(self.0, other.0) })
        }
        #[inline(always)]
        fn box_plane(self, scale: Self, shift: Self) -> Self {
            // SAFETY: see the type.
            Avx2(unsafe { _mm256_fmsub_ps(self.0, scale.0, shift.0) })
        }
        #[inline(always)]
        fn lt(self, other: Self) -> Self::Mask {
            // SAFETY: see the type.
            unsafe { _mm256_cmp_ps::<_CMP_LT_OQ>(self.0, other.0) }
        }
        #[inline(always)]
        fn le(self, other: Self) -> Self::Mask {
            // SAFETY: see the type.
            unsafe { _mm256_cmp_ps::<_CMP_LE_OQ>(self.0, other.0) }
        }
        #[inline(always)]
        fn eq(self, other: Self) -> Self::Mask {
            // SAFETY: see the type.
            unsafe { _mm256_cmp_ps::<_CMP_EQ_OQ>(self.0, other.0) }
        }
        #[inline(always)]
        fn select(mask: Self::Mask, yes: Self, no: Self) -> Self {
            // SAFETY: see the type.
            Avx2(unsafe { _mm256_blendv_ps(no.0, yes.0, mask) })
        }
        #[inline(always)]
        fn mask(bits: u8) -> Self::Mask {
            // SAFETY: see the type.
            unsafe {
                let lane = _mm256_setr_epi32(1, 2, 4, 8, 16, 32, 64, 128);
                let set = _mm256_and_si256(_mm256_set1_epi32(i32::from(bits)), lane);
                _mm256_castsi256_ps(_mm256_cmpeq_epi32(set, lane))
            }
        }
        #[inline(always)]
        fn bits(mask: Self::Mask) -> u8 {
            // SAFETY: see the type.
            unsafe { _mm256_movemask_ps(mask) as u8 }
        }
        #[inline(always)]
        fn both(a: Self::Mask, b: Self::Mask) -> Self::Mask {
            // SAFETY: see the type.
            unsafe { _mm256_and_ps(a, b) }
        }
        #[inline(always)]
        fn either(a: Self::Mask, b: Self::Mask) -> Self::Mask {
            // SAFETY: see the type.
            unsafe { _mm256_or_ps(a, b) }
        }
        #[inline(always)]
        fn fetch_ahead<T>(list: &[T], at: u32) {
            // SAFETY: fetching ahead touches no memory, wherever it points.
            unsafe { _mm_prefetch::<_MM_HINT_T0>(list.as_ptr().wrapping_add(at as usize).cast()) }
        }
    }
}
