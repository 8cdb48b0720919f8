//! A stretch of the trail: a plane that repeats without a seam, made by a finish alone. There is no sculpt.

use crate::Sample;
use crate::finishes::{body, give, ready};
use ember_ridge_core::Recipe;
use ember_ridge_core::finish::FinishOn;
use ember_ridge_core::mesh::{Facing, PlaneTarget};
use ember_ridge_core::picture::Depth;
use ember_ridge_core::recipe::MeshSource;

pub(super) const LABEL: &str = "Trail ground";

/// Side of the plane, scene units.
const SIDE: f32 = 2.0;

pub(super) fn make() -> Sample {
    let plane = PlaneTarget { facing: Facing::Y, middle: [0.0; 3], size: [SIDE; 2], repeats: true };
    let low = plane.mesh("trail_ground");
    let mut recipe = Recipe::new(LABEL);
    recipe.low.push(MeshSource::plane("trail_ground", plane));
    recipe.maps.clear();
    // Heights need more steps than 8 bits have.
    recipe.sheet.depth = Depth::Sixteen;
    let maps = ["base-color", "roughness", "metallic", "height", "normal", "displacement"];
    give(&mut recipe, ready("trail ground", &body(&low, &low), FinishOn::All), &maps);
    Sample {
        name: "trail-ground",
        label: LABEL,
        finished: true,
        high: low.clone(),
        low,
        low_file: "",
        high_file: "",
        recipe,
    }
}
