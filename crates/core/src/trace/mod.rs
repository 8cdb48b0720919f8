//! Rays against the high-poly mesh: the acceleration tree and the watertight triangle test. It knows no sheet and no map.

mod bvh;
mod triangle;

pub use bvh::{BackFaces, Hit, RaySpan, TraceAnswer, TraceScene};
