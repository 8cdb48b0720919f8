//! The pictures of a recipe, or why one of them could not be read.

use super::Image;
use rustc_hash::FxHashMap;
use std::sync::Arc;

/// Pictures by the file name that a recipe gives them.
pub type Pictures = FilesRead<Image>;

/// What was read of files, by the name that a recipe gives each, or why one could not be read.
#[derive(Debug)]
pub struct FilesRead<T> {
    read: FxHashMap<String, Result<Arc<T>, String>>,
}

impl<T> Clone for FilesRead<T> {
    fn clone(&self) -> Self {
        FilesRead { read: self.read.clone() }
    }
}

impl<T> Default for FilesRead<T> {
    fn default() -> Self {
        FilesRead { read: FxHashMap::default() }
    }
}

impl<T> FilesRead<T> {
    /// Keeps what was read of a file, or the reason why it could not be read.
    pub fn keep(&mut self, file: String, read: Result<Arc<T>, String>) {
        self.read.insert(file, read);
    }

    /// What was read of the file of this name.
    ///
    /// # Errors
    /// Why there is nothing, with the file named.
    pub fn get(&self, file: &str) -> Result<&Arc<T>, String> {
        match self.read.get(file) {
            Some(Ok(read)) => Ok(read),
            Some(Err(fault)) if fault.contains(file) => Err(fault.clone()),
            Some(Err(fault)) => Err(format!("{file}: {fault}")),
            None => Err(format!("{file}: it was not read; add it again")),
        }
    }
}

impl<T> FromIterator<(String, Arc<T>)> for FilesRead<T> {
    fn from_iter<I: IntoIterator<Item = (String, Arc<T>)>>(files: I) -> FilesRead<T> {
        FilesRead { read: files.into_iter().map(|(file, read)| (file, Ok(read))).collect() }
    }
}
