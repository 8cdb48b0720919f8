//! The place of a delivery on the disk: a folder or a zip, made beside it, put there in one step, with what stood there kept.

use super::check::Check;
use super::facts::Facts;
use super::package::{RunToDeliver, check_package, write_package};
use crate::files::{files_below, write_whole};
use ember_ridge_core::Recipe;
use ember_ridge_core::deliver::{Delivery, DeliveryNames, Profile};
use ember_ridge_core::recipe::changes;
use std::ffi::OsStr;
use std::fs::{self, File};
use std::io::{self, Read, Seek, Write};
use std::path::{Path, PathBuf};

/// What the name of a folder begins with in which a delivery is made.
pub const WORK: &str = ".delivery-";

/// Why nothing can be delivered to a place. The remedy depends on how the place was named.
#[derive(Debug, thiserror::Error)]
pub enum PlaceFault {
    #[error("{}: something else than a delivery is there", .0.display())]
    Foreign(PathBuf),
    #[error("{}: something was delivered there already", .0.display())]
    Taken(PathBuf),
    #[error("{}: an older version is kept there already", .0.display())]
    Kept(PathBuf),
    /// The place, and the file within it.
    #[error("{}: it holds {}, which the asset reads", .0.display(), .1.display())]
    Source(PathBuf, PathBuf),
    #[error("{}: nothing can be written there ({})", .0.display(), .1)]
    Unwritable(PathBuf, io::Error),
    #[error("{}: it cannot be put there ({})", .0.display(), .1)]
    Unmovable(PathBuf, io::Error),
    /// A file of the delivery, or a map of the run, by name.
    #[error("{0}")]
    Writing(io::Error),
}

/// Where a delivery goes.
#[derive(Debug)]
pub struct Place {
    path: PathBuf,
    zip: bool,
    before: Option<Earlier>,
}

/// What was delivered to a place before.
#[derive(Debug)]
struct Earlier {
    facts: Facts,
    recipe: Option<Recipe>,
    /// Where it is kept from now on.
    kept: PathBuf,
}

/// What became of a delivery.
#[derive(Debug)]
pub struct Delivered {
    pub facts: Facts,
    pub checks: Vec<Check>,
    /// What differs from the delivery before at this place, in words.
    pub changes: Vec<String>,
}

impl Delivered {
    /// Every check was passed: it is in its place.
    pub fn fine(&self) -> bool {
        self.checks.iter().all(|check| check.fine)
    }
}

impl Place {
    /// A place for a delivery; a name that ends in `.zip` is that of a zip.
    ///
    /// # Errors
    /// Something is there that is not to be replaced.
    pub fn new(path: &Path, replace: bool) -> Result<Place, PlaceFault> {
        let zip = path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("zip"));
        let own = path.to_owned();
        let empty = !path.exists() || (!zip && fs::read_dir(path).is_ok_and(|mut files| files.next().is_none()));
        if empty {
            return Ok(Place { path: own, zip, before: None });
        }
        let Some(facts) = facts_of(path, zip) else { return Err(PlaceFault::Foreign(own)) };
        if !replace {
            return Err(PlaceFault::Taken(own));
        }
        let name = |part: Option<&OsStr>| part.unwrap_or_default().to_string_lossy().into_owned();
        let kept = path.with_file_name(match zip {
            true => format!("{}.v{:03}.zip", name(path.file_stem()), facts.version),
            false => format!("{}.v{:03}", name(path.file_name()), facts.version),
        });
        if kept.exists() {
            return Err(PlaceFault::Kept(kept));
        }
        let recipe = text_in(path, zip, "recipe.json").and_then(|text| Recipe::from_json(&text).ok());
        Ok(Place { path: own, zip, before: Some(Earlier { facts, recipe, kept }) })
    }

    /// Of what is delivered next, counted from 1.
    pub fn version(&self) -> u32 {
        self.before.as_ref().map_or(1, |before| before.facts.version.saturating_add(1))
    }

    /// Refuses a place that holds one of these files: what a delivery is made of must not be moved away for it.
    ///
    /// # Errors
    /// The first file within it.
    pub fn keep_from(&self, sources: impl Iterator<Item = PathBuf>) -> Result<(), PlaceFault> {
        let Ok(target) = self.path.canonicalize() else { return Ok(()) };
        for source in sources {
            if source.canonicalize().is_ok_and(|source| source.starts_with(&target)) {
                return Err(PlaceFault::Source(self.path.clone(), source));
            }
        }
        Ok(())
    }

    /// Writes a delivery, reads it back, and puts it in its place unless a check failed.
    ///
    /// # Errors
    /// What the disk or a map answers; the place is as it was then.
    pub fn deliver(
        &self,
        run: &RunToDeliver,
        profile: &Profile,
        delivery: &Delivery,
        names: &DeliveryNames,
        stage: &dyn Fn(&str),
    ) -> Result<Delivered, PlaceFault> {
        let work = self.work()?;
        stage("writing the pictures");
        let facts = write_package(run, profile, delivery, names, work.path()).map_err(PlaceFault::Writing)?;
        stage("reading it back");
        let checks = check_package(run, profile, delivery, &facts, work.path());
        let changes = self.before.as_ref().map_or(Vec::new(), |before| before.changes_to(&facts, &run.report.recipe));
        let delivered = Delivered { facts, checks, changes };
        if delivered.fine() {
            self.take(&work)?;
        }
        Ok(delivered)
    }

    /// An empty folder on the disk of the place.
    fn work(&self) -> Result<tempfile::TempDir, PlaceFault> {
        let beside = self.path.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."));
        fs::create_dir_all(beside)
            .and_then(|()| tempfile::Builder::new().prefix(WORK).tempdir_in(beside))
            .map_err(|fault| PlaceFault::Unwritable(beside.to_owned(), fault))
    }

    /// Puts the finished delivery where it is wanted, in one step; what stood there is kept beside it, or put back if that fails.
    fn take(&self, work: &tempfile::TempDir) -> Result<(), PlaceFault> {
        let cannot = |fault| PlaceFault::Unmovable(self.path.clone(), fault);
        readable(work.path()).map_err(cannot)?;
        if let Some(before) = &self.before {
            fs::rename(&self.path, &before.kept).map_err(cannot)?;
        }
        let put = match self.zip {
            true => write_whole(&self.path, |out| {
                let mut archive = zip::ZipWriter::new(out);
                add_folder(&mut archive, work.path())?;
                archive.finish()?;
                Ok(())
            }),
            false => fs::rename(work.path(), &self.path),
        };
        if let (Err(_), Some(before)) = (&put, &self.before) {
            fs::rename(&before.kept, &self.path).map_err(cannot)?;
        }
        put.map_err(cannot)
    }
}

impl Earlier {
    fn changes_to(&self, now: &Facts, recipe: &Recipe) -> Vec<String> {
        let mut words = self.facts.changes_to(now);
        words.extend(self.recipe.iter().flat_map(|before| changes(before, recipe)));
        words
    }
}

/// The facts of the delivery in a folder; None where there is none.
pub fn facts_in(folder: &Path) -> Option<Facts> {
    facts_of(folder, false)
}

fn facts_of(path: &Path, zip: bool) -> Option<Facts> {
    serde_json::from_str(&text_in(path, zip, "facts.json")?).ok()
}

/// A text of a delivery; None where there is none.
fn text_in(path: &Path, zip: bool, name: &str) -> Option<String> {
    /// Bytes of a text, at most: what is longer is no text of ours.
    const MOST: u64 = 64 << 20;
    let mut text = String::new();
    match zip {
        false => File::open(path.join(name)).ok()?.take(MOST).read_to_string(&mut text).ok()?,
        true => {
            let mut archive = zip::ZipArchive::new(File::open(path).ok()?).ok()?;
            archive.by_name(name).ok()?.take(MOST).read_to_string(&mut text).ok()?
        }
    };
    Some(text)
}

/// A temporary folder is its owner's alone; a delivery is for others.
fn readable(folder: &Path) -> io::Result<()> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        fs::set_permissions(folder, fs::Permissions::from_mode(0o755))?;
    }
    Ok(())
}

/// Sends the files of a folder and those below it as a zip, in the order of their names, as it is made: no file is ever whole in memory.
///
/// # Errors
/// A file that cannot be read, or what `out` answers.
pub fn send_zip(folder: &Path, out: impl Write) -> io::Result<()> {
    let mut archive = zip::ZipWriter::new_stream(out);
    add_folder(&mut archive, folder)?;
    archive.finish()?.into_inner().flush()
}

fn add_folder<W: Write + Seek>(archive: &mut zip::ZipWriter<W>, folder: &Path) -> io::Result<()> {
    let stored = zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    for name in files_below(folder)? {
        let mut file = File::open(folder.join(&name))?;
        let large = file.metadata()?.len() >= u64::from(u32::MAX);
        archive.start_file(name, stored.large_file(large))?;
        io::copy(&mut file, archive)?;
    }
    Ok(())
}
