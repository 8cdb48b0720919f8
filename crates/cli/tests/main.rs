//! Tests of the command line, one program: linking it takes longer than most of them. Those that load the machine are programs of their
//! own.

mod support;

mod api_example;
mod batch;
mod compare;
mod deliver;
mod finals_on_cluster;
mod finishes;
mod hostile;
mod imports;
mod many;
mod masks;
mod materialx;
mod program;
mod reduce;
mod regions;
mod shell;
mod unwrap;
mod verify;
