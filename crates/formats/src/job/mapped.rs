//! Packed bytes in a file that is mapped into memory: sections one after the other, then where each lies, then a foot. Whoever opens it
//! reads no more of it than is used.

use crate::files::write_whole;
use ember_ridge_core::flat::{ALIGNED, Bytes, Contents, Packed, Packing};
use memmap2::Mmap;
use std::fs::File;
use std::io::{self, Write};
use std::path::Path;
use std::sync::Arc;

/// Last bytes of the file; the number rises when others could not read what precedes.
const FOOT: &[u8; 32] = b"Ember Ridge packed bytes 1     \n";
/// Before them, where the contents lie: first byte and length.
const PLACE: usize = 16;

/// Writes packed sections. Bytes of rows lie as this machine has them, lowest first.
///
/// # Errors
/// What the file system answers; a machine that has the highest byte first.
pub fn write_packed(path: &Path, packing: &Packing) -> io::Result<()> {
    if cfg!(target_endian = "big") {
        return Err(io::Error::other(
            "this machine has the highest byte first; split the bake on one that has the lowest",
        ));
    }
    write_whole(path, |file| {
        let (mut contents, mut at) = (Contents::default(), 0usize);
        for (name, section) in &packing.sections {
            let gap = at.next_multiple_of(ALIGNED) - at;
            file.write_all(&[0; ALIGNED][..gap])?;
            at += gap;
            file.write_all(section)?;
            contents.0.insert(name.clone(), at..at + section.len());
            at += section.len();
        }
        let told = postcard::to_stdvec(&contents).map_err(io::Error::other)?;
        file.write_all(&told)?;
        file.write_all(&(at as u64).to_le_bytes())?;
        file.write_all(&(told.len() as u64).to_le_bytes())?;
        file.write_all(FOOT)
    })
}

/// Opens packed sections, mapped into memory. The file must not be written to while it is open: it is replaced by another of its name or
/// left alone.
///
/// # Errors
/// What the file system answers; a file that is cut off or of another version.
pub fn open_packed(path: &Path) -> io::Result<Packed> {
    let damaged = || io::Error::new(io::ErrorKind::InvalidData, "it is cut off, or of another version of the program");
    let map = map(&File::open(path)?)?;
    let foot = map.len().checked_sub(FOOT.len()).ok_or_else(damaged)?;
    let place = foot.checked_sub(PLACE).ok_or_else(damaged)?;
    let number = |at: usize| map[at..].first_chunk().map_or(0, |bytes| u64::from_le_bytes(*bytes) as usize);
    let (first, length) = (number(place), number(place + 8));
    let told =
        first.checked_add(length).filter(|end| *end == place && map[foot..] == FOOT[..]).map(|end| &map[first..end]);
    let contents: Contents = postcard::from_bytes(told.ok_or_else(damaged)?).map_err(|_| damaged())?;
    let bytes: Bytes = Arc::new(map);
    Ok(Packed { bytes, contents })
}

#[expect(unsafe_code, reason = "a map shows what others write into its file")]
fn map(file: &File) -> io::Result<Mmap> {
    // SAFETY: files of a job are put in their place whole, under their name, and never written to again; whoever does so from outside
    // is told not to in docs/many-machines.md, and what is read from the map are plain numbers, checked where they are used as places.
    unsafe { Mmap::map(file) }
}
