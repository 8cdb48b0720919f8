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
mod mends;
mod meshes;
mod queue;
mod reach;
mod regions;
mod routes;
