//! The folder itself: made whole by whoever splits a bake, and checked by whoever works on it.

use super::mapped::{open_packed, write_packed};
use super::tiles::JobTiles;
use crate::files::write_whole;
use blake3::{Hash, Hasher};
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::Blocks;
use ember_ridge_core::flat::{Packed, Packing};
use serde::{Deserialize, Serialize};
use std::fs;
use std::io::{self, Read};
use std::path::{Path, PathBuf};

/// Rises when an older program could not work on the folder.
const VERSION: u32 = 1;
const JOB: &str = "job.json";
const RECIPE: &str = "recipe.json";
const PREPARED: &str = "prepared.bin";
const SHARES: &str = "shares.bin";
const INPUTS: &str = "inputs";
const TILES: &str = "tiles";

/// The program that a job is for.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Program {
    pub version: String,
    /// BLAKE3 of the program's file, hexadecimal, as far as it tells builds apart.
    pub build: String,
}

impl Program {
    /// The program in a file, of this version.
    ///
    /// # Errors
    /// The file cannot be read.
    pub fn of(version: &str, file: &Path) -> io::Result<Program> {
        let build = hash_file(file)?.to_hex()[..16].to_owned();
        Ok(Program { version: version.to_owned(), build })
    }

    fn told(&self) -> String {
        format!("{} ({})", self.version, self.build)
    }
}

/// A file that the recipe reads.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Input {
    /// As the recipe names it, or relative to the file it lies beside.
    pub file: PathBuf,
    /// BLAKE3, hexadecimal; its name in the folder.
    pub hash: String,
    pub bytes: u64,
}

/// What a job is expected to take.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Estimated {
    /// Thread seconds of all shares, and of the longest.
    pub seconds: f64,
    pub longest_seconds: f64,
    /// Bytes that a worker of one thread holds in memory, what it has mapped among them, and what each further thread adds.
    pub memory: u64,
    pub thread_memory: u64,
    /// Bytes that the join holds in memory, and seconds that it takes.
    pub join_memory: u64,
    pub join_seconds: f64,
    /// Bytes of the folder once all tiles are in it, at most.
    pub disk: u64,
    /// Tiles that were made to find out.
    pub timed_tiles: usize,
}

/// `job.json`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct JobFacts {
    pub version: u32,
    pub program: Program,
    /// What the job is called: the asset or the low-poly.
    pub name: String,
    pub recipe: String,
    pub inputs: Vec<Input>,
    pub prepared: String,
    pub shares_hash: String,
    pub shares: usize,
    /// Tiles that hold anything, as they are kept: squares of so many texels along their side.
    pub tiles: usize,
    pub tile_side: u32,
    pub maps: usize,
    pub sheets: Vec<String>,
    pub blocks: Blocks,
    pub keeps_hits: bool,
    pub estimate: Estimated,
}

/// The tiles of a share: the number of each, and thread seconds that it is likely to take.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Share {
    pub blocks: Vec<u32>,
    pub costs: Vec<f32>,
}

/// All that goes into a new folder.
pub struct NewJob<'a> {
    pub name: String,
    pub program: Program,
    pub recipe: &'a Recipe,
    /// Files that the recipe reads: the name each goes by, and where it lies.
    pub inputs: Vec<(PathBuf, PathBuf)>,
    pub prepared: Packing<'a>,
    pub shares: Vec<Share>,
    pub blocks: Blocks,
    pub tile_side: u32,
    pub sheets: Vec<String>,
    pub keeps_hits: bool,
    pub estimate: Estimated,
}

/// Why a folder cannot be worked on.
#[derive(Debug, thiserror::Error)]
pub enum JobFault {
    #[error("{}: {fault}. {remedy}", .path.display())]
    Folder { path: PathBuf, fault: String, remedy: String },
    #[error("{0}")]
    Io(#[from] io::Error),
}

fn fault(path: &Path, fault: impl Into<String>, remedy: &str) -> JobFault {
    JobFault::Folder { path: path.to_owned(), fault: fault.into(), remedy: remedy.to_owned() }
}

const SPLIT_AGAIN: &str = "Split the bake again, into a new folder";

/// Says where a fault of the file system lies, and what to do about it.
pub(super) fn with_path(path: &Path) -> impl Fn(io::Error) -> io::Error + '_ {
    |fault| {
        let remedy = match fault.kind() {
            io::ErrorKind::StorageFull => "Free some space there",
            io::ErrorKind::NotFound => "Copy the folder again, or split the bake again",
            _ => "See that it can be read and written",
        };
        io::Error::new(fault.kind(), format!("{}: {fault}. {remedy}", path.display()))
    }
}

/// BLAKE3 of a file, which is mapped and hashed on all threads of the pool this is called in.
pub(super) fn hash_file(path: &Path) -> io::Result<Hash> {
    let mut hasher = Hasher::new();
    hasher.update_mmap_rayon(path).map_err(with_path(path))?;
    Ok(hasher.finalize())
}

/// A job in its folder.
pub struct Job {
    folder: PathBuf,
    pub facts: JobFacts,
    key: Hash,
}

impl Job {
    /// Sees to it that a job can be made in a folder, before any work is done for it.
    ///
    /// # Errors
    /// It is there already and not empty.
    pub fn ready(folder: &Path) -> Result<(), JobFault> {
        let what = match folder.join(JOB).is_file() {
            true => "it holds a job already",
            false => "it is not empty",
        };
        match fs::read_dir(folder).is_ok_and(|mut entries| entries.next().is_some()) {
            true => Err(fault(folder, what, "Name a new folder with --to")),
            false => Ok(()),
        }
    }

    /// Makes the folder of a job. Its head is written last: a folder without one is no job.
    ///
    /// # Errors
    /// As [`Job::ready`], and where the folder cannot be written.
    pub fn make(folder: &Path, new: NewJob) -> Result<Job, JobFault> {
        Job::ready(folder)?;
        let inputs = folder.join(INPUTS);
        fs::create_dir_all(&inputs).map_err(with_path(&inputs))?;
        let mut kept = Vec::new();
        for (file, path) in new.inputs {
            let (hash, bytes) = copy_by_hash(&path, &inputs)?;
            kept.push(Input { file, hash: hash.to_hex().to_string(), bytes });
        }
        kept.sort_by(|a, b| a.file.cmp(&b.file));
        let text = serde_json::to_string_pretty(new.recipe).map_err(io::Error::other)?;
        let write = |name: &str, bytes: &[u8]| -> io::Result<String> {
            let path = folder.join(name);
            write_whole(&path, |file| io::Write::write_all(file, bytes)).map_err(with_path(&path))?;
            Ok(blake3::hash(bytes).to_hex().to_string())
        };
        let recipe = write(RECIPE, text.as_bytes())?;
        let shares_hash = write(SHARES, &postcard::to_stdvec(&new.shares).map_err(io::Error::other)?)?;
        let prepared = folder.join(PREPARED);
        write_packed(&prepared, &new.prepared).map_err(with_path(&prepared))?;
        let facts = JobFacts {
            version: VERSION,
            program: new.program,
            name: new.name,
            recipe,
            inputs: kept,
            prepared: hash_file(&prepared)?.to_hex().to_string(),
            shares_hash,
            shares: new.shares.len(),
            tiles: new.shares.iter().map(|share| share.blocks.len()).sum(),
            tile_side: new.tile_side,
            maps: new.recipe.maps.len(),
            sheets: new.sheets,
            blocks: new.blocks,
            keeps_hits: new.keeps_hits,
            estimate: new.estimate,
        };
        write(JOB, serde_json::to_string_pretty(&facts).map_err(io::Error::other)?.as_bytes())?;
        Ok(Job { folder: folder.to_owned(), key: key_of(&facts), facts })
    }

    /// Whether a folder holds a job.
    ///
    /// # Errors
    /// It cannot be told.
    pub fn is_in(folder: &Path) -> io::Result<bool> {
        let path = folder.join(JOB);
        path.try_exists().map_err(with_path(&path))
    }

    /// Bytes of what was worked out for all workers of the job in a folder; none where there is no job.
    pub fn prepared_bytes(folder: &Path) -> u64 {
        let job = folder.join(JOB).is_file();
        if job { fs::metadata(folder.join(PREPARED)).map_or(0, |about| about.len()) } else { 0 }
    }

    /// Opens the folder of a job.
    ///
    /// # Errors
    /// It holds no job, or one of another version.
    pub fn open(folder: &Path) -> Result<Job, JobFault> {
        let path = folder.join(JOB);
        let text = fs::read_to_string(&path).map_err(|error| {
            let remedy = "Name a folder that 'split' wrote";
            fault(folder, format!("it holds no job that can be read ({JOB}: {error})"), remedy)
        })?;
        let version: Option<u64> =
            serde_json::from_str::<serde_json::Value>(&text).ok().and_then(|told| told["version"].as_u64());
        if version != Some(u64::from(VERSION)) {
            let told = version.map_or("no version".to_owned(), |version| format!("version {version}"));
            return Err(fault(
                &path,
                format!("it is of {told}, and this program reads version {VERSION}"),
                SPLIT_AGAIN,
            ));
        }
        let facts: JobFacts =
            serde_json::from_str(&text).map_err(|error| fault(&path, error.to_string(), SPLIT_AGAIN))?;
        Ok(Job { folder: folder.to_owned(), key: key_of(&facts), facts })
    }

    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// Where what tasks say goes under a cluster.
    pub fn logs(&self) -> PathBuf {
        self.folder.join("logs")
    }

    /// Seconds and bytes that the longest share is likely to take on so many threads.
    pub fn of_task(&self, threads: usize) -> (f64, u64) {
        let Estimated { longest_seconds, memory, thread_memory, .. } = self.facts.estimate;
        (longest_seconds / threads as f64, memory + thread_memory * threads as u64)
    }

    /// Sees to it that the job is for this program, and that all files are those it was split with.
    ///
    /// # Errors
    /// The program, or the file that is another one.
    pub fn check(&self, program: &Program) -> Result<(), JobFault> {
        let own = &self.facts.program;
        if own != program {
            let (theirs, ours) = (own.told(), program.told());
            let told = format!("it was split by version {theirs} of the program, and this is {ours}");
            return Err(fault(&self.folder, told, "Work on it with the program that split it, or split it again"));
        }
        let inputs = self.facts.inputs.iter().map(|input| {
            let named = format!("{} ({})", input.file.display(), self.input(input).display());
            (named, self.input(input), &input.hash)
        });
        let own = [(RECIPE, &self.facts.recipe), (SHARES, &self.facts.shares_hash), (PREPARED, &self.facts.prepared)];
        let own = own
            .into_iter()
            .map(|(name, hash)| (self.folder.join(name).display().to_string(), self.folder.join(name), hash));
        for (named, path, expected) in own.chain(inputs) {
            let found = hash_file(&path)?.to_hex();
            if found.as_str() != expected {
                let told = format!("it is not the file the bake was split with (BLAKE3 {found}, not {expected})");
                let remedy = "Copy the folder again, or split the bake again";
                return Err(fault(Path::new(&named), told, remedy));
            }
        }
        Ok(())
    }

    /// Where an input lies.
    pub fn input(&self, input: &Input) -> PathBuf {
        self.folder.join(INPUTS).join(&input.hash)
    }

    /// # Errors
    /// It cannot be read.
    pub fn recipe(&self) -> Result<Recipe, JobFault> {
        let path = self.folder.join(RECIPE);
        let text = fs::read_to_string(&path).map_err(with_path(&path))?;
        Recipe::from_json(&text).map_err(|error| fault(&path, error, SPLIT_AGAIN))
    }

    /// What was worked out for all.
    ///
    /// # Errors
    /// It cannot be opened.
    pub fn prepared(&self) -> Result<Packed, JobFault> {
        let path = self.folder.join(PREPARED);
        Ok(open_packed(&path).map_err(with_path(&path))?)
    }

    /// Who makes which tiles.
    ///
    /// # Errors
    /// It cannot be read.
    pub fn shares(&self) -> Result<Vec<Share>, JobFault> {
        let path = self.folder.join(SHARES);
        let bytes = fs::read(&path).map_err(with_path(&path))?;
        postcard::from_bytes(&bytes).map_err(|error| fault(&path, error.to_string(), SPLIT_AGAIN))
    }

    /// Its tiles.
    pub fn tiles(&self) -> JobTiles {
        let facts = &self.facts;
        JobTiles::new(self.folder.join(TILES), self.key, facts.blocks, facts.maps, facts.keeps_hits)
    }

    pub(super) fn tiles_folder(&self) -> PathBuf {
        self.folder.join(TILES)
    }
}

/// Tells the job apart from others: what its tiles follow from.
fn key_of(facts: &JobFacts) -> Hash {
    let mut hasher = Hasher::new();
    for told in [&facts.recipe, &facts.prepared, &facts.program.version, &facts.program.build] {
        hasher.update(told.as_bytes());
    }
    facts.inputs.iter().for_each(|input| {
        hasher.update(input.hash.as_bytes());
    });
    hasher.update(format!("{:?}", facts.blocks).as_bytes());
    hasher.finalize()
}

/// Copies a file into a folder under the name of its hash.
fn copy_by_hash(path: &Path, folder: &Path) -> io::Result<(Hash, u64)> {
    let mut from = fs::File::open(path).map_err(with_path(path))?;
    let mut to = tempfile::Builder::new().prefix(".input-").tempfile_in(folder).map_err(with_path(folder))?;
    let (mut hasher, mut bytes, mut buffer) = (Hasher::new(), 0u64, vec![0; 1 << 20]);
    loop {
        let count = from.read(&mut buffer).map_err(with_path(path))?;
        if count == 0 {
            break;
        }
        hasher.update(&buffer[..count]);
        io::Write::write_all(&mut to, &buffer[..count]).map_err(with_path(folder))?;
        bytes += count as u64;
    }
    let hash = hasher.finalize();
    let place = folder.join(hash.to_hex().as_str());
    to.persist(&place).map_err(|fault| fault.error).map_err(with_path(&place))?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        fs::set_permissions(&place, fs::Permissions::from_mode(0o444)).map_err(with_path(&place))?;
    }
    Ok((hash, bytes))
}
