//! The samples' low-polys unwrapped anew: nothing is flipped or overlaps, what can be rolled out is not stretched, and they are packed at least as
//! closely as a well-known packer does it.

use ember_ridge_core::layout::{Unwrap, find_overlaps};
use ember_ridge_core::levels::{ReduceSettings, ReduceTo, reduce};
use ember_ridge_core::step::{MeshStep, SHARP_OF_MADE};
use ember_ridge_core::uvs::UvSummary;
use ember_ridge_samples::{Detail, make};

/// Share of the sheet that xatlas 0.0.11 (brute force, rotations, one sheet of 1024, padding of 8) covered with the same islands, scaled up as far as
/// they fit. It leaves half a texel at the border, where the margin is left here.
const PACKED_ELSEWHERE: [(&str, f64); 3] =
    [("lookout-lantern", 0.567), ("boundary-stone", 0.730), ("dented-watering-can", 0.565)];
/// What that difference at the border makes of areas.
const AT_THE_BORDER: f64 = (1023.0 / 1008.0) * (1023.0 / 1008.0);

#[test]
fn low_polys_are_unwrapped_without_a_flip_and_packed_as_closely_as_elsewhere() {
    for (name, elsewhere) in PACKED_ELSEWHERE {
        let sample = make(name, Detail::Draft).expect("a sample");
        let mesh = sample.low.clone().with_steps(&MeshStep::fresh_uvs(60.0, 8.0, 1024));
        let summary = UvSummary::new(&mesh).expect("UVs");
        assert_eq!(summary.flipped, 0, "{name}");
        assert!(summary.worst_energy.is_some_and(|worst| worst < 4.5), "{name}: {summary:?}");
        assert!(
            summary.covered * AT_THE_BORDER > elsewhere,
            "{name}: {} covered, {elsewhere} elsewhere",
            summary.covered
        );
        let unwrap = Unwrap::new(&mesh).expect("UVs");
        assert!(find_overlaps(&mesh, &unwrap.island_of).is_some_and(|o| o.is_empty()), "{name} overlaps");
        let [finest, coarsest] = summary.densities.expect("densities");
        assert!(finest / coarsest < 1.001, "{name}: {finest} and {coarsest}");
    }
}

#[test]
fn a_low_poly_made_of_a_sculpt_is_unwrapped_without_overlaps() {
    let sample = make("boundary-stone", Detail::Draft).expect("a sample");
    let settings = ReduceSettings { to: ReduceTo::Triangles(500), ..ReduceSettings::default() };
    let low = reduce(&sample.high, &settings).expect("a low-poly").mesh;
    let mesh = low.with_steps(&MeshStep::fresh_uvs(SHARP_OF_MADE, 8.0, 1024));
    let summary = UvSummary::new(&mesh).expect("UVs");
    assert_eq!(summary.flipped, 0);
    assert!(summary.covered > 0.5, "{summary:?}");
    let unwrap = Unwrap::new(&mesh).expect("UVs");
    assert!(find_overlaps(&mesh, &unwrap.island_of).is_some_and(|o| o.is_empty()), "islands overlap");
}
