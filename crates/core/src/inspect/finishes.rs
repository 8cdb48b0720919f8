//! Finishes and coats that cannot be made as they are written.

use crate::finding::{Finding, FindingKind, Severity};

/// A finish or coat cannot be made for a reason in words.
pub fn finish_unusable(what: &str, why: &str) -> Finding {
    let reason = format!("{what} cannot be made: {why}");
    Finding::new(
        FindingKind::FinishUnusable,
        Severity::Fault,
        reason,
        "Change it at Finish; the rest is baked without it",
    )
}

/// A coat's picture is not there.
pub fn finish_picture_missing(finish: &str, coat: &str, why: &str) -> Finding {
    let reason = format!("Coat {coat} of {finish} shows ember and ash stripes, as its picture cannot be read: {why}");
    let remedy = "Add the picture again at Finish, or give the coat a value";
    Finding::new(FindingKind::FinishPicture, Severity::Fault, reason, remedy)
}
