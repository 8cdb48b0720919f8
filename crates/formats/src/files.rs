//! Files that are whole or not there: written under a temporary name in the same folder, then renamed.

use std::fs::{self, File};
use std::io::{self, BufWriter, Write};
use std::path::Path;

/// Writes `path` through `fill`. On any error the temporary file is removed and an older file of that name stays as it was.
///
/// # Errors
/// What `fill`, the file system or the rename answers.
pub fn write_whole(path: &Path, fill: impl FnOnce(&mut BufWriter<File>) -> io::Result<()>) -> io::Result<()> {
    let name = path.file_name().ok_or_else(|| io::Error::new(io::ErrorKind::InvalidInput, "no file name"))?;
    let temporary = path.with_file_name(format!(".{}.{}.tmp", name.to_string_lossy(), std::process::id()));
    let written = File::create(&temporary).and_then(|file| {
        let mut writer = BufWriter::with_capacity(1 << 18, file);
        fill(&mut writer)?;
        writer.flush()?;
        fs::rename(&temporary, path)
    });
    if written.is_err() {
        let _ = fs::remove_file(&temporary);
    }
    written
}
