//! Regions of an ID map whose colours are not their own.

use crate::finding::{Finding, FindingKind, Severity};

fn finding(severity: Severity, reason: String, remedy: &str) -> Finding {
    Finding::new(FindingKind::ColoursMerged, severity, reason, remedy)
}

/// So many regions share a colour with another, `name` among them.
pub fn colours_shared(count: usize, name: &str) -> Finding {
    finding(
        Severity::Warning,
        format!("{count} regions, '{name}' among them, share a colour with another: there are too many to tell apart"),
        "Use fewer regions, or bake the asset on several sheets",
    )
}

/// So many regions gave way to others; `name` to `first` among them.
pub fn colours_moved(count: usize, name: &str, first: &str) -> Finding {
    let reason = match count {
        1 => format!("'{name}' would have had the same colour as '{first}', so it was given a different one"),
        n => format!("{n} regions were given a different colour because their own was taken: '{name}' by '{first}'"),
    };
    let remedy = "Pick colours from the palette in the report; they stay as long as the names do";
    finding(Severity::Note, reason, remedy)
}

/// So many vertex colours became so many regions.
pub fn colours_merged(colours: usize, regions: usize) -> Finding {
    finding(
        Severity::Note,
        format!("{colours} different vertex colours were merged into {regions} regions"),
        "Paint flat colours if each should be a region of its own",
    )
}

/// There is nothing to tell regions by.
pub fn no_colours() -> Finding {
    finding(
        Severity::Warning,
        "The sculpt has no vertex colours, so the ID map by colour has one region".into(),
        "Paint the sculpt, or make the ID map by part or material",
    )
}
