//! The web files are embedded; the folder must exist even before they are built.
fn main() {
    let built = std::path::Path::new("../../web/dist");
    if !built.exists() {
        let _ = std::fs::create_dir_all(built);
    }
    println!("cargo:rerun-if-changed=../../web/dist");
}
