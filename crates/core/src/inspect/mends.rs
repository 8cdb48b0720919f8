//! Mends that a bake draws over something else than they were made on, or over nothing.

use crate::finding::{Finding, FindingKind, Severity};

/// What a mend, by its number from 1, lies over on a map has changed by so much.
pub fn mend_ground(number: usize, map: &str, by: &str) -> Finding {
    let reason =
        format!("{map} has changed by {by} under mend {number} since it was made. The mend is drawn all the same");
    let remedy = "Look at it at Review with the mends hidden; undo it, or mend the place again";
    Finding::new(FindingKind::MendGround, Severity::Warning, reason, remedy)
}

/// A mend, by its number from 1, touches nothing.
pub fn mend_idle(number: usize, map: &str) -> Finding {
    let reason = format!("Mend {number} touches no texel of {map}: nothing of the low-poly lies near its path");
    Finding::new(FindingKind::MendIdle, Severity::Warning, reason, "Undo it at Review, or mend the place again")
}
