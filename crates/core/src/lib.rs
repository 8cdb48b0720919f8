//! The pure computation of Ember Ridge: meshes, rays, sheets, maps and bakes.
//!
//! Nothing here knows a file, a network, a database, a clock or an interface. Bytes become meshes in
//! `ember-ridge-formats`; everything after that, up to typed pixels, happens in this crate.

pub mod bake;
pub mod finding;
pub mod maps;
pub mod mesh;
pub mod reach;
pub mod recipe;
pub mod sheet;
pub mod stop;
pub mod trace;

pub use finding::{Exception, Finding, FindingKind, Fix, FixOn, Place, Severity, mark_allowed};
pub use glam;
pub use mesh::{Draft, DraftPart, Mesh, MeshFault, Part};
pub use recipe::{Recipe, changes};
