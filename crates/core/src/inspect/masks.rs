//! Masks that cannot be made, and masks that show nothing.

use crate::finding::{Finding, FindingKind, Severity};

/// `mask` cannot be made for a reason in words.
pub fn mask_unusable(mask: &str, why: &str) -> Finding {
    let reason = format!("{mask} cannot be made: {why}");
    Finding::new(FindingKind::MaskUnusable, Severity::Fault, reason, "Change it at Finish, or leave it out")
}

/// `mask` is black all over.
pub fn mask_empty(mask: &str) -> Finding {
    let reason = format!("{mask} is black all over: nothing of the surface lies in its ranges");
    let remedy = "Widen its ranges at Finish; the histogram shows where the surface lies";
    Finding::new(FindingKind::MaskEmpty, Severity::Warning, reason, remedy)
}
