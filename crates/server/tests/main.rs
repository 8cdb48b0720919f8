//! Tests of the server, one program: linking the server takes longer than most of them.

#[path = "support/held.rs"]
mod held;
mod support;
#[path = "support/walks.rs"]
mod walks;

mod api;
mod batches;
mod description;
mod finishes;
mod gate;
mod lasting;
mod looks;
mod memory;
mod mends;
mod meshes;
mod queue;
mod queue_order;
mod reach;
mod regions;
mod routes;
mod uvs;
