//! The files of a command: read whole and only where they are plain files, found again by the names a recipe gives them, and never
//! written over.

use crate::Unusable;
use anyhow::{Context, bail};
use std::collections::{BTreeMap, HashMap, HashSet};
use std::fs;
use std::io::ErrorKind;
use std::path::{Component, Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};

/// Larger files are refused before they are read.
const MOST_BYTES: u64 = 16 << 30;

/// Where a recipe's files lie, and which were read.
#[derive(Default)]
pub struct Files {
    folder: PathBuf,
    /// Paths from the command line whose names are not UTF-8, by the name that stands for them in the recipe.
    named: HashMap<String, PathBuf>,
    /// Files that came inside another, by path.
    held: HashMap<PathBuf, Vec<u8>>,
    /// Where files lie that are given one by one, by the names they go by; there are no others then.
    given_alone: Option<HashMap<PathBuf, PathBuf>>,
    /// Those that were read, by the path they were asked for, and where they lie.
    read: Mutex<BTreeMap<PathBuf, PathBuf>>,
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Files {
    /// Files whose names are relative to `folder`.
    pub fn in_folder(folder: PathBuf) -> Files {
        Files { folder, ..Files::default() }
    }

    /// Files by their names, wherever each lies, and no others.
    pub fn given(files: impl Iterator<Item = (PathBuf, PathBuf)>) -> Files {
        Files { given_alone: Some(files.collect()), ..Files::default() }
    }

    /// The name a path from the command line goes by in the recipe.
    pub fn name(&mut self, path: &Path) -> String {
        if let Some(name) = path.to_str() {
            return name.to_owned();
        }
        let name = path.to_string_lossy().into_owned();
        self.named.insert(name.clone(), path.to_owned());
        name
    }

    pub fn path(&self, name: &str) -> PathBuf {
        self.named.get(name).cloned().unwrap_or_else(|| self.folder.join(name))
    }

    /// # Errors
    /// As [`read_plain`].
    pub fn read(&self, path: &Path) -> Result<Vec<u8>, Unusable> {
        if let Some(held) = self.held.get(path) {
            return Ok(held.clone());
        }
        let place = match &self.given_alone {
            None => path,
            Some(given) => given.get(path).with_context(|| {
                format!(
                    "{}: it is not among the files of the job. Split the bake again, into a new folder",
                    path.display()
                )
            })?,
        };
        let bytes = read_plain(place)?;
        locked(&self.read).extend(path.canonicalize().map(|lies| (path.to_owned(), lies)));
        Ok(bytes)
    }

    /// All that was read so far, by the names that go with the folder, and where it lies.
    pub fn all_read(&self) -> Vec<(PathBuf, PathBuf)> {
        let name = |path: &Path| path.strip_prefix(&self.folder).unwrap_or(path).to_owned();
        locked(&self.read).iter().map(|(path, lies)| (name(path), lies.clone())).collect()
    }

    /// Takes a file that came inside another; it goes before one of that name on the disk.
    pub fn hold(&mut self, name: &str, bytes: Vec<u8>) {
        let path = self.path(name);
        self.held.insert(path, bytes);
    }

    /// A file that belongs to `path`, from the same folder or below; never from elsewhere.
    pub fn read_beside(&self, path: &Path, name: &str) -> Option<Vec<u8>> {
        let name = Path::new(name);
        let folder = path.parent().unwrap_or(Path::new(""));
        if let Some(held) = name.file_name().and_then(|last| self.held.get(&folder.join(last))) {
            return Some(held.clone());
        }
        let stays = name.components().all(|c| matches!(c, Component::Normal(_) | Component::CurDir));
        stays.then(|| self.read(&folder.join(name)).ok()).flatten()
    }

    /// Sees to it that files about to be written to `out` replace none that was read, and none of each other.
    ///
    /// # Errors
    /// The file's name, and what it would replace.
    pub fn keep_from(&self, out: &Path, outputs: impl IntoIterator<Item = String>) -> Result<(), Unusable> {
        let read = locked(&self.read);
        let mut names = HashSet::new();
        for name in outputs {
            let path = out.join(&name);
            if path.canonicalize().is_ok_and(|p| read.values().any(|lies| *lies == p)) {
                bail!(
                    "{}: this command reads this file and would write over it. Give another name or folder with --out",
                    path.display()
                );
            }
            if !names.insert(name.to_lowercase()) {
                bail!("{}: two sheets would be written to this file. Rename one of their materials", path.display());
            }
        }
        Ok(())
    }
}

/// The bytes of a plain file: not those of a pipe or a device, which may have no end.
///
/// # Errors
/// The path, and why it cannot be read.
pub fn read_plain(path: &Path) -> Result<Vec<u8>, Unusable> {
    let about = fs::metadata(path).with_context(|| format!("{}: cannot be read", path.display()))?;
    if !about.is_file() {
        let what = if about.is_dir() { "a folder" } else { "a pipe or a device" };
        bail!("{}: it is {what}, not a file. Name a file on the disk", path.display());
    }
    if about.len() > MOST_BYTES {
        bail!(
            "{}: larger than the {} GiB that are read. Split it into several files",
            path.display(),
            MOST_BYTES >> 30
        );
    }
    fs::read(path).with_context(|| format!("{}: cannot be read", path.display()))
}

/// The text of a recipe.
///
/// # Errors
/// As [`read_plain`], and where it is not UTF-8.
pub fn read_text(path: &Path) -> Result<String, Unusable> {
    String::from_utf8(read_plain(path)?).with_context(|| format!("{}: it is not UTF-8 text", path.display()))
}

/// Makes the folder for results and sees that it can be written to, before any work is done for it.
///
/// # Errors
/// The folder, and why not.
pub fn ready_folder(out: &Path) -> Result<(), Unusable> {
    let made = fs::create_dir_all(out).and_then(|()| tempfile::tempfile_in(out));
    match made {
        Ok(_) => Ok(()),
        Err(error) => {
            let remedy = match error.kind() {
                ErrorKind::StorageFull => "Free some space on its disk, or name another folder with --out",
                _ => "Name a writable folder with --out",
            };
            Err(error).with_context(|| format!("{}: nothing can be written there. {remedy}", out.display()))
        }
    }
}
