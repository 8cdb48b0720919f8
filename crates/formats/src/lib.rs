//! Meshes and images from and to open formats. One file per format; the tables in [`mesh`] and [`image`] list them.
//! Nothing of the job is decided here: a reader fills a [`ember_ridge_core::Draft`], a writer writes what it is given.

pub mod deliver;
pub mod files;
pub mod hits;
pub mod image;
pub mod job;
pub mod keep;
pub mod kept;
pub mod materialx;
pub mod mesh;
pub mod run_tiles;

pub use mesh::{MeshFormat, ReadFault, Siblings, is_mesh, read_mesh, read_mesh_with};
