//! Tells the bench whether Embree is installed to be measured beside.

use std::path::Path;

const HEADER: &str = "/usr/include/embree3/rtcore.h";

fn main() {
    println!("cargo::rerun-if-changed={HEADER}");
    println!("cargo::rustc-check-cfg=cfg(embree)");
    if Path::new(HEADER).is_file() {
        println!("cargo::rustc-cfg=embree");
        println!("cargo::rustc-link-arg-benches=-lembree3");
    }
}
