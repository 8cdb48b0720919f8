//! Loops over many places, compiled for the widest registers of the machine. Every path does the same operations on the same numbers in
//! the same order, none of them fused, so that all give the same bits.

use pulp::Arch;

/// Runs a loop compiled for the registers of this machine. `work` and what it calls must be inlined.
#[inline(always)]
pub fn vectorised<R>(work: impl FnOnce() -> R) -> R {
    Arch::new().dispatch(work)
}
