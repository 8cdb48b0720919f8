//! Tests of the real interface, one program: linking it takes longer than most of them.

mod access;
mod deliver;
mod finishes;
mod flow;
mod imports;
mod lasting;
mod looks;
mod masks;
mod meshes;
mod queue;
mod reach;
mod regions;
mod review;
mod stages;
mod units;
mod uvs;
mod words;
