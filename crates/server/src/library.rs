//! What is kept to start from on any asset: masks, finishes and profiles, a list each, every entry under a name.

use crate::App;
use crate::fault::{Fault, Result};
use ember_ridge_core::deliver::Profile;
use ember_ridge_core::finish::{KeptFinishes, KeptMasks};
use serde::Serialize;
use serde::de::DeserializeOwned;

/// Entries of a list, at most.
const MOST_KEPT: usize = 200;

/// An entry of a list.
pub trait Kept: Serialize + DeserializeOwned + Send + Sync {
    /// Name of the list in the database.
    const LIST: &'static str;
    /// What an entry is, and several are.
    const WORDS: [&'static str; 2];

    fn has(&self, name: &str) -> bool;
    fn names(&self) -> Vec<String>;
}

impl Kept for KeptMasks {
    const LIST: &'static str = "mask-library";
    const WORDS: [&'static str; 2] = ["mask", "masks"];

    fn has(&self, name: &str) -> bool {
        self.masks.iter().any(|mask| mask.name == name)
    }

    fn names(&self) -> Vec<String> {
        self.masks.iter().map(|mask| mask.name.clone()).collect()
    }
}

impl Kept for KeptFinishes {
    const LIST: &'static str = "finish-library";
    const WORDS: [&'static str; 2] = ["finish", "finishes"];

    fn has(&self, name: &str) -> bool {
        self.finishes.iter().any(|finish| finish.name == name)
    }

    fn names(&self) -> Vec<String> {
        self.finishes.iter().map(|finish| finish.name.clone()).collect()
    }
}

impl Kept for Profile {
    const LIST: &'static str = "profiles";
    const WORDS: [&'static str; 2] = ["profile", "profiles"];

    fn has(&self, name: &str) -> bool {
        self.name == name
    }

    fn names(&self) -> Vec<String> {
        vec![self.name.clone()]
    }
}

impl App {
    /// All entries of a list.
    pub(crate) async fn library_of<K: Kept>(&self) -> Result<Vec<K>> {
        Ok(self.store.setting(K::LIST).await?.unwrap_or_default())
    }

    /// Keeps entries in place of those that had their names; all entries after that.
    pub(crate) async fn keep_in_library<K: Kept>(&self, entries: Vec<K>) -> Result<Vec<K>> {
        let _turn = self.library.lock().await;
        let mut kept = self.library_of::<K>().await?;
        let names: Vec<String> = entries.iter().flat_map(K::names).collect();
        kept.retain(|old| !names.iter().any(|name| old.has(name)));
        kept.extend(entries);
        if kept.len() > MOST_KEPT {
            let [_, several] = K::WORDS;
            return Err(Fault::unusable(format!("the library holds {MOST_KEPT} {several}; remove some first")));
        }
        self.store.set_setting(K::LIST, &kept).await?;
        Ok(kept)
    }

    /// Takes an entry out; those that are left.
    pub(crate) async fn drop_from_library<K: Kept>(&self, name: &str) -> Result<Vec<K>> {
        let _turn = self.library.lock().await;
        let mut kept = self.library_of::<K>().await?;
        let before = kept.len();
        kept.retain(|entry| !entry.has(name));
        if kept.len() == before {
            let [one, _] = K::WORDS;
            return Err(Fault::missing(&format!("{one} of this name")));
        }
        self.store.set_setting(K::LIST, &kept).await?;
        Ok(kept)
    }
}
