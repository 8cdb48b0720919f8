//! Tests of the core, one program: what they share is built once. Those that measure memory have programs of their own.

/// As in the program. The system's own gives large pieces back at once and takes them anew, which costs a third of the time here.
#[global_allocator]
static MEMORY: mimalloc::MiMalloc = mimalloc::MiMalloc;

#[path = "support/shapes.rs"]
mod shapes;
mod support;
#[path = "support/surfaces.rs"]
mod surfaces;

mod apart;
mod bakes;
mod compare;
mod curvature;
mod deliver;
mod examples;
mod findings;
mod finishes;
mod finishes_kept;
mod fixes;
mod floors;
mod going_on;
mod golden;
mod imports;
mod levels;
mod many;
mod maps;
mod masks;
mod mends;
mod meshes;
mod normals;
mod occlusion;
mod offers;
mod orientation;
mod patches;
mod patterns;
mod places;
mod ray_stories;
mod reach;
mod regions;
mod results;
mod reuse;
mod sheets;
mod stopping;
mod tracing;
mod truths;
mod uvs;
