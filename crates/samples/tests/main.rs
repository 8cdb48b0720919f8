//! Tests of the samples, one program: linking it takes longer than most of them.

mod faults_and_tiles;
mod masks;
mod mends;
mod reach;
mod samples;
mod uvs;
