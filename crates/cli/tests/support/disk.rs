//! A disk of a few megabytes.

use std::fs::File;
use std::io::Write;
use std::path::Path;
use std::process::Command;

/// A small disk, where this machine lets us have one.
pub struct SmallDisk(tempfile::TempDir);

impl SmallDisk {
    pub fn new(size: &str) -> Option<SmallDisk> {
        let folder = tempfile::tempdir().ok()?;
        let mount = Command::new("mount")
            .args(["-t", "tmpfs", "-o", &format!("size={size}"), "tmpfs"])
            .arg(folder.path())
            .output();
        mount.is_ok_and(|o| o.status.success()).then_some(SmallDisk(folder))
    }

    pub fn path(&self) -> &Path {
        self.0.path()
    }

    /// Fills it up to so many bytes.
    pub fn fill(&self, keep: u64) {
        let mut file = File::create(self.path().join("ballast")).expect("a file");
        while file.write_all(&[7; 4096]).is_ok() {}
        let length = file.metadata().expect("a file").len();
        file.set_len(length.saturating_sub(keep)).expect("smaller");
    }

    /// Takes away what it was filled with.
    pub fn empty(&self) {
        std::fs::remove_file(self.path().join("ballast")).expect("there");
    }
}

impl Drop for SmallDisk {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg("-l").arg(self.path()).output();
    }
}
