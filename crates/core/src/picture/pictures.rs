//! The pictures of a recipe, or why one of them could not be read.

use super::Image;
use rustc_hash::FxHashMap;
use std::sync::Arc;

/// Pictures by the file name that a recipe gives them.
#[derive(Clone, Debug, Default)]
pub struct Pictures {
    read: FxHashMap<String, Result<Arc<Image>, String>>,
}

impl Pictures {
    /// Keeps a picture, or the reason why it could not be read.
    pub fn keep(&mut self, file: String, picture: Result<Arc<Image>, String>) {
        self.read.insert(file, picture);
    }

    /// The picture of this name.
    ///
    /// # Errors
    /// Why there is none, with the file named.
    pub fn get(&self, file: &str) -> Result<&Arc<Image>, String> {
        match self.read.get(file) {
            Some(Ok(image)) => Ok(image),
            Some(Err(fault)) if fault.contains(file) => Err(fault.clone()),
            Some(Err(fault)) => Err(format!("{file}: {fault}")),
            None => Err(format!("{file}: the picture was not read; add it again")),
        }
    }
}

impl FromIterator<(String, Arc<Image>)> for Pictures {
    fn from_iter<I: IntoIterator<Item = (String, Arc<Image>)>>(pictures: I) -> Pictures {
        Pictures { read: pictures.into_iter().map(|(file, image)| (file, Ok(image))).collect() }
    }
}
