//! `miss`: the share of a texel's rays that met nothing, for review. 1 is a texel without any hit.

use super::MapKind;
use crate::bake::TileHits;

pub(super) const KIND: MapKind = MapKind {
    id: "miss",
    label: "Miss",
    explains: "White where rays met no sculpt. For review; nobody ships it.",
    encoding: "share of the texel's rays that missed, 0 none to 1 all; linear",
    channels: 1,
    neutral: &[0.0],
};

pub(super) fn evaluate(hits: &TileHits, out: &mut [f32]) {
    for (texel, samples) in hits.texels() {
        let missed = samples.clone().filter(|&s| !hits.is_hit(s)).count();
        out[texel] = missed as f32 / samples.len() as f32;
    }
}
