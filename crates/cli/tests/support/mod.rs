//! A lid as a low-poly and a sculpt, and the program run on them.
#![allow(dead_code, reason = "each test file uses its own share")]

pub mod disk;
pub mod jobs;
pub mod server;
pub mod slurm;

use std::fs;
use std::path::Path;
use std::process::{Command, Output, Stdio};

pub const LOW: &str =
    "o lid_low\nv 0 0 0\nv 0 0 1\nv 1 0 1\nv 1 0 0\nvt 0 1\nvt 0 0\nvt 1 0\nvt 1 1\nf 1/1 2/2 3/3\nf 1/1 3/3 4/4\n";
pub const HIGH: &str = "o lid_high\nv 0 0.05 0\nv 0 0.05 1\nv 1 0.05 1\nv 1 0.05 0\nf 1 2 3\nf 1 3 4\n";

pub fn program(folder: &Path) -> Command {
    let mut program = Command::new(env!("CARGO_BIN_EXE_ember-ridge"));
    program.current_dir(folder).stdin(Stdio::null());
    program
}

pub fn run(folder: &Path, arguments: &[&str]) -> Output {
    program(folder).args(arguments).output().expect("it starts")
}

pub fn with_pair() -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    fs::write(folder.path().join("lid_low.obj"), LOW).expect("written");
    fs::write(folder.path().join("lid_high.obj"), HIGH).expect("written");
    folder
}

pub fn error(output: &Output) -> String {
    String::from_utf8_lossy(&output.stderr).into_owned()
}
