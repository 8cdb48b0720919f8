//! Hits of a tile as bytes, to be kept with a run and taken over by a later one. A tile's key is the hash of all that its hits follow
//! from: the sculpt's faces, the course of every ray, the parts it may hit, the rules. So whatever lies under a key is right for
//! whoever asks for it, whichever recipe it came from.

use super::tile::MISS;
use super::{HitRule, RayPlan, TileHits};
use crate::reach::Course;
use crate::surface::MeshPoint;
use crate::trace::BackFaces;

/// BLAKE3 of what a tile's hits follow from.
pub type HitKey = [u8; 32];

/// Keeps packed hits of tiles between runs. Called from many threads.
pub trait HitStore: Send + Sync {
    /// What was kept under a key; None when nothing was, or when it cannot be read: then it is traced again.
    fn fetch(&self, key: &HitKey) -> Option<Vec<u8>>;

    /// False when nothing is to be kept.
    fn keeps(&self) -> bool;

    /// Keeps a tile, or lets it go: what is not there is traced again.
    fn keep(&self, key: &HitKey, bytes: &[u8]);
}

/// Raised when the same key would stand for other hits.
const VERSION: u8 = 2;
/// Bytes of a sample (triangle, two weights, height, flags), and of a texel that has samples.
const A_SAMPLE: usize = 17;
const A_TEXEL: usize = 4;
const BACK: u8 = 1;
const SKIPPED_BACK: u8 = 2;

/// Key of a tile whose rays run along `courses`.
pub(super) fn key_of(plan: &RayPlan, hits: &TileHits, courses: &[Course]) -> HitKey {
    let mut hasher = blake3::Hasher::new();
    let rule = match plan.rule {
        HitRule::Outermost => 0,
        HitRule::Nearest => 1,
    };
    let back_faces = match plan.back_faces {
        BackFaces::Skip => 0,
        BackFaces::Keep => 1,
    };
    hasher.update(&[VERSION, rule, back_faces]);
    hasher.update(plan.scene.high_identity());
    let mut part_before = None;
    let mut bytes = Vec::with_capacity(courses.len() * 32);
    for (s, course) in courses.iter().enumerate() {
        let part = plan.scene.low.parts[hits.low(s).triangle as usize];
        if part_before != Some(part) {
            part_before = Some(part);
            bytes.extend_from_slice(&plan.sight_keys()[part as usize]);
        }
        let numbers = [course.position.to_array(), course.outward.to_array()];
        bytes.extend(numbers.iter().flatten().flat_map(|x| x.to_le_bytes()));
        bytes.extend(course.run_up.to_le_bytes());
        bytes.extend(course.inward.to_le_bytes());
    }
    hasher.update(&bytes);
    *hasher.finalize().as_bytes()
}

impl TileHits {
    /// Field by field, little-endian.
    pub(super) fn pack(&self) -> Vec<u8> {
        let mut bytes = Vec::with_capacity(self.places.len() * A_SAMPLE);
        bytes.extend(self.places.iter().flat_map(|at| at.triangle.to_le_bytes()));
        bytes.extend(self.places.iter().flat_map(|at| at.v.to_le_bytes()));
        bytes.extend(self.places.iter().flat_map(|at| at.w.to_le_bytes()));
        bytes.extend(self.heights.iter().flat_map(|x| x.to_le_bytes()));
        let flags = self.back.iter().zip(&self.skipped_back);
        bytes.extend(flags.map(|(&back, &skipped)| (u8::from(back) * BACK) | (u8::from(skipped) * SKIPPED_BACK)));
        bytes.extend(self.texels().flat_map(|(texel, _)| self.beyond[texel].to_le_bytes()));
        bytes
    }

    /// Takes packed hits over; false, and nothing changed, when they are not those of as many samples on a sculpt of `triangles`
    /// triangles.
    pub(super) fn unpack(&mut self, bytes: &[u8], triangles: usize) -> bool {
        let n = self.places.len();
        let texels: Vec<usize> = self.texels().map(|(texel, _)| texel).collect();
        if bytes.len() != n * A_SAMPLE + texels.len() * A_TEXEL {
            return false;
        }
        let word = |field: usize, s: usize| {
            let at = (field * n + s) * 4;
            [bytes[at], bytes[at + 1], bytes[at + 2], bytes[at + 3]]
        };
        let hit: Vec<u32> = (0..n).map(|s| u32::from_le_bytes(word(0, s))).collect();
        let float = |field: usize| (0..n).map(|s| f32::from_le_bytes(word(field, s))).collect::<Vec<_>>();
        let (flags, beyond) = bytes[n * 16..].split_at(n);
        let beyond = beyond.as_chunks::<A_TEXEL>().0.iter().map(|b| f32::from_le_bytes(*b));
        let fields = [float(1), float(2), float(3)];
        let known = |t: &u32| (*t as usize) < triangles || *t == MISS;
        if !hit.iter().all(known) || fields.iter().flatten().copied().chain(beyond.clone()).any(|x| !x.is_finite()) {
            return false;
        }
        let [v, w, heights] = fields;
        self.places = (0..n).map(|s| MeshPoint::new(hit[s], v[s], w[s])).collect();
        self.heights = heights;
        texels.into_iter().zip(beyond).for_each(|(texel, height)| self.beyond[texel] = height);
        self.back = flags.iter().map(|f| f & BACK != 0).collect();
        self.skipped_back = flags.iter().map(|f| f & SKIPPED_BACK != 0).collect();
        true
    }
}
