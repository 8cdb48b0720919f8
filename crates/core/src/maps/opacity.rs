//! `opacity`: the share of a texel's rays that hit the sculpt, for cut-outs such as leaves, grilles and torn cloth; and how opaque
//! the sculpt's own materials are there.

use super::finished::FinishTask;
use super::{Map, MapKind, MapShape, MapWork, Setup, TileWork};
use crate::finish::FinishChannel;
use crate::hits::Resolved;
use crate::mesh::Alpha;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OpacitySettings {}

impl Map for OpacitySettings {
    const KIND: MapKind = MapKind {
        explains: "White where the sculpt is, black where rays pass it: cut-outs baked onto a plain card.",
        encoding: "share of the texel's rays that hit, times the opacity of what they hit, 0 to 1; linear",
        ..MapKind::data("opacity", "Opacity", MapShape::grey(&[0.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        if let Ok(finish) = FinishTask::new(setup, FinishChannel::Opacity) {
            return Ok(Box::new(finish));
        }
        setup.needs_sculpt()?;
        Ok(Box::new(OpacityTask))
    }
}

struct OpacityTask;

impl MapWork for OpacityTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        for (texel, samples) in tile.wanted_texels() {
            let all = samples.len() as f32;
            let hit = samples.filter(|s| tile.hits.is_hit(*s));
            out[texel] = hit.map(|s| opacity_at(&tile.surface, s)).sum::<f32>() / all;
        }
    }
}

/// How opaque the sculpt's material is where sample `s` hit, averaged over what it stands for.
fn opacity_at(hit: &Resolved, s: usize) -> f32 {
    let Some(look) = hit.look(s) else { return 1.0 };
    let Some(surface) = &look.surface else { return 1.0 };
    if surface.alpha == Alpha::Opaque {
        return 1.0;
    }
    let picture = look.picture.as_ref().and_then(|picture| hit.light(s, picture));
    let alpha = (surface.opacity * picture.map_or(1.0, |p| p.w)).clamp(0.0, 1.0);
    match surface.alpha {
        Alpha::Mask(least) => f32::from(u8::from(alpha >= least)),
        Alpha::Opaque | Alpha::Blend => alpha,
    }
}
