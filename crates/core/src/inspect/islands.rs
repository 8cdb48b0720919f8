//! Islands of a part that a finding picks out.

use crate::layout::Unwrap;
use crate::mesh::Mesh;

/// Those of `own` islands that `which` picks: how many, and all their triangles.
pub(super) fn picked(unwrap: &Unwrap, own: &[usize], which: impl Fn(usize) -> bool) -> (usize, Vec<u32>) {
    let islands: Vec<usize> = own.iter().copied().filter(|&i| which(i)).collect();
    (islands.len(), islands.iter().flat_map(|&i| unwrap.islands[i].triangles.iter().copied()).collect())
}

pub(super) fn islands_words(count: usize) -> String {
    if count == 1 { "A UV island".into() } else { format!("{count} UV islands") }
}

/// Islands of each part, by number.
pub(super) fn islands_of_parts(mesh: &Mesh, unwrap: &Unwrap) -> Vec<Vec<usize>> {
    let mut of_part = vec![Vec::new(); mesh.parts.len()];
    for (number, island) in unwrap.islands.iter().enumerate() {
        of_part[mesh.part_of(island.triangles[0])].push(number);
    }
    of_part
}
