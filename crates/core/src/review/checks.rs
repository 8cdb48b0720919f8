//! The findings on an asset before it is baked, composed from those on its files, their placing and their pairs.

use crate::finding::Finding;
use crate::inspect::{compare_placing, pair_findings, tight_islands};
use crate::mesh::{Mesh, Part};
use crate::pairs::{PairRules, PairTable, Pairing, Shares, pair_parts, shared_space};
use crate::recipe::Recipe;
use glam::Vec3;

/// A box, low and high corner, scene units.
pub type Bounds = (Vec3, Vec3);

/// How the low-poly's and the sculpt's boxes lie to each other, file by file on each side; nothing to say where the low-poly was
/// made here over the sculpt.
pub fn check_placing(
    recipe: &Recipe,
    low: impl IntoIterator<Item = Bounds>,
    high: impl IntoIterator<Item = Bounds>,
) -> Option<Finding> {
    let around = |a: Bounds, b: Bounds| (a.0.min(b.0), a.1.max(b.1));
    if recipe.low.iter().any(|s| s.plane.is_some()) {
        return None;
    }
    compare_placing(low.into_iter().reduce(around)?, high.into_iter().reduce(around)?)
}

/// The pairs of an asset's parts, and what they leave over; nothing is left over while a side is missing. `share` is asked for by
/// pairing by space alone.
pub fn check_pairs(
    recipe: &Recipe,
    low: &[Part],
    high: &[Part],
    share: Option<&[Shares]>,
) -> (PairTable, Vec<Finding>) {
    let table = pair_parts(low, high, PairRules { share, ..recipe.pair_rules() });
    let left = if high.is_empty() { Vec::new() } else { pair_findings(&table, low, high) };
    (table, left)
}

/// What is wrong between the files of an asset: placing, room between islands, pairs. What is wrong with one file is told by
/// [`crate::inspect::check_mesh`].
pub fn check_together(recipe: &Recipe, low: &[Mesh], high: &[Mesh]) -> Vec<Finding> {
    let mut found: Vec<Finding> =
        check_placing(recipe, low.iter().map(Mesh::bounds), high.iter().map(Mesh::bounds)).into_iter().collect();
    let joined = |meshes: &[Mesh]| Mesh::joined(&meshes.iter().collect::<Vec<_>>());
    if low.is_empty() {
        return found;
    }
    let low = joined(low);
    found.extend(tight_islands(&low, &recipe.sheet));
    if !high.is_empty() {
        let high = joined(high);
        let share = (recipe.pairing == Pairing::Space).then(|| shared_space(&low, &high, &high.parts));
        found.extend(check_pairs(recipe, &low.parts, &high.parts, share.as_deref()).1);
    }
    found
}
