//! Memory of curvature: bounded by the mesh's own, whatever the detail size.

#[allow(dead_code, reason = "the other tests' helpers, of which this one needs few")]
mod support;

use ember_ridge_core::glam::vec3;
use ember_ridge_core::mesh::CurvatureField;
use ember_ridge_core::surface::MeshPoint;
use peak_alloc::PeakAlloc;
use support::*;

#[global_allocator]
static HEAP: PeakAlloc = PeakAlloc;

#[test]
fn curvature_of_any_detail_takes_less_than_twice_the_mesh() {
    // Slivers: a thousand times as long as wide.
    let mut slivers = height_field("slivers", 60, |x, z| 0.01 * (6.0 * x).sin() * z);
    slivers.positions.iter_mut().for_each(|p| *p = vec3(p.x * 0.001, p.y * 0.001, p.z));
    let meshes = [ball("ball", 1.0, 24), ball("ball", 1.0, 200), ball("ball", 1.0, 500), slivers];
    // The threads that compute have a size of their own.
    CurvatureField::new(&meshes[0], 0.1);
    for mesh in &meshes {
        let own = mesh.bytes();
        // The largest takes seconds a size: one of each kind.
        let sizes: &[f32] = if own > 10 << 20 {
            &[0.2, 0.012, 1e-9]
        } else {
            &[0.2, 0.02, 0.012, 0.005, 1e-4, 1e-9, f32::MIN_POSITIVE]
        };
        for &detail in sizes {
            let before = HEAP.current_usage();
            HEAP.reset_peak_usage();
            let began = std::time::Instant::now();
            let field = CurvatureField::new(mesh, detail);
            let seconds = began.elapsed().as_secs_f32();
            let (peak, held) = (HEAP.peak_usage() - before, HEAP.current_usage() - before);
            let triangles = mesh.triangles.len();
            println!(
                "{triangles} triangles, detail {detail:e}: peak {:.2} of the mesh, {seconds:.2} s",
                peak as f32 / own as f32
            );
            // Work that is dealt out to threads has a size of its own, which tells on the smallest mesh.
            assert!(peak < 2 * own + (96 << 10), "{triangles} triangles, detail {detail}: {peak} bytes of {own}");
            assert!(field.bytes().abs_diff(held) < held / 10 + (64 << 10), "it tells what it holds: {held}");
            assert!(field.at(mesh, MeshPoint::new(7, 0.3, 0.3)).is_finite());
        }
    }
}
