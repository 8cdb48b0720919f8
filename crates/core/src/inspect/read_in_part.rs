//! What of a file was left out or read in a certain way.

use crate::finding::{Finding, FindingKind, Place, Severity};
use crate::mesh::{Mesh, ReadNote};

pub(super) fn notes(mesh: &Mesh) -> Vec<Finding> {
    mesh.notes.iter().map(read_in_part).collect()
}

fn read_in_part(note: &ReadNote) -> Finding {
    Finding::new(FindingKind::ReadInPart, Severity::Note, note.reason.clone(), note.remedy.clone())
        .at(Place { part: note.part.clone(), ..Place::default() })
}
