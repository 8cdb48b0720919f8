//! A data folder belongs to one program at a time. The lock is the system's own on an open file, so that it ends with the program
//! however that ends; what is written in the file tells others who holds it.

use super::{Result, StoreFault};
use std::fs::{self, File, TryLockError};
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::Path;

/// Holds a data folder for as long as it lives.
pub(super) struct FolderLock {
    _file: File,
}

impl FolderLock {
    /// Takes the folder, making it when it is not there.
    ///
    /// # Errors
    /// [`StoreFault::Held`] with who holds it; nothing in the folder was touched then.
    pub fn take(folder: &Path) -> Result<FolderLock> {
        let path = folder.join("lock");
        let at = |error| StoreFault::File { path: path.clone(), error };
        fs::create_dir_all(folder).map_err(at)?;
        let mut file = File::options().read(true).write(true).create(true).truncate(false).open(&path).map_err(at)?;
        match file.try_lock() {
            Ok(()) => {}
            Err(TryLockError::Error(error)) => return Err(at(error)),
            Err(TryLockError::WouldBlock) => {
                let mut holder = String::new();
                let _ = file.take(200).read_to_string(&mut holder);
                let holder =
                    if holder.trim().is_empty() { "another program".to_owned() } else { holder.trim().to_owned() };
                return Err(StoreFault::Held { folder: folder.to_owned(), holder });
            }
        }
        let told = format!("process {}", std::process::id());
        let wrote =
            file.set_len(0).and_then(|()| file.seek(SeekFrom::Start(0))).and_then(|_| file.write_all(told.as_bytes()));
        // A full disk must not keep the program from starting.
        if let Err(error) = wrote
            && error.kind() != std::io::ErrorKind::StorageFull
        {
            return Err(at(error));
        }
        Ok(FolderLock { _file: file })
    }
}
