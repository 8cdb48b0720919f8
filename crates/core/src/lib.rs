//! The pure computation of Ember Ridge: meshes, rays, sheets, maps and bakes.
//!
//! Nothing here knows a file, a network, a database, a clock or an interface. Bytes become meshes in
//! `ember-ridge-formats`; everything after that, up to typed pixels, happens in this crate.
//!
//! Rooms stand on floors, lowest first in this list; a room uses rooms of floors below it and no others
//! (`tests/floors.rs`). docs/architecture.md draws them.

pub mod change;
pub mod flat;
pub mod picture;
mod polygon;
pub mod stop;
pub mod surface;

pub mod step;

pub mod document;
pub mod finding;

pub mod mesh;

pub mod uvs;

pub mod layout;
pub mod sheet;
pub mod trace;

pub mod levels;
pub mod pairs;
pub mod reach;

pub mod inspect;

pub mod scene;

pub mod hits;

pub mod finish;

pub mod maps;

pub mod mend;

pub mod recipe;

pub mod bake;

pub mod deliver;
pub mod import;
pub mod review;

pub use finding::{Exception, Finding, FindingKind, Fix, FixOn, Place, Remedy, Severity, mark_allowed, worst_first};
pub use glam;
pub use mesh::{Draft, DraftPart, Mesh, MeshFault, Part};
pub use recipe::{Recipe, changes};
