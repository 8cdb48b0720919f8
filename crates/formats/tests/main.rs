//! Tests of the formats, one program: linking it takes longer than most of them.

mod support;

mod colours;
mod corpus;
mod documents;
mod fbx;
mod hits;
mod hostile;
mod images;
mod keep;
mod materialx;
mod meshes;
mod pyramid;
mod run_tiles;
mod slurm;
mod surfaces;
