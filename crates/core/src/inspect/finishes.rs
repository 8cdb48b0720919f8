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
    let reason = format!(
        "A picture of coat {coat} of {finish} cannot be read: {why}. Its colours show as ember and ash stripes, other channels stay as \
         they are below it"
    );
    let remedy = "Add the picture again at Finish, or give the coat a value";
    Finding::new(FindingKind::FinishPicture, Severity::Fault, reason, remedy)
}

/// A picture of a document is not there.
pub fn finish_document_picture(finish: &str, file: &str, why: &str) -> Finding {
    let reason = format!(
        "A picture of {file}, which {finish} lies on, cannot be read: {why}. Its colours show as ember and ash stripes, numbers are their \
         defaults"
    );
    let remedy = "Import the document again together with its pictures, or put them beside it";
    Finding::new(FindingKind::FinishPicture, Severity::Fault, reason, remedy)
}

/// Something that a document asks for is not made.
pub fn finish_document(finish: &str, file: &str, why: &str) -> Finding {
    let reason = format!("{file}, which {finish} lies on, asks for what is not made here: {why}");
    let remedy =
        "Look at that place of the map; if it is wrong, change the document, or bake what it shows to a picture";
    Finding::new(FindingKind::FinishDocument, Severity::Warning, reason, remedy)
}
