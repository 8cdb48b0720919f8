//! Files that finishes bring along, to bytes and back.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use ember_ridge_core::finish::KeptFile;

/// The bytes of a file that finishes bring along.
///
/// # Errors
/// The file, and that its data is damaged.
pub fn bytes_of(kept: &KeptFile) -> Result<Vec<u8>, String> {
    let damaged = |_| format!("{}: its data is not Base64; export the finishes again", kept.file);
    STANDARD.decode(kept.data.as_bytes()).map_err(damaged)
}

/// A file that finishes bring along.
pub fn kept_file(file: &str, bytes: &[u8]) -> KeptFile {
    KeptFile { file: file.to_owned(), data: STANDARD.encode(bytes) }
}
