//! `ember-ridge deliver`: the maps of a bake as a profile wants them, in a folder or a zip, read back before anyone takes them.

use crate::Unusable;
use crate::arguments;
use crate::baked::Baked;
use crate::files::{Files, read_text};
use crate::progress::Progress;
use crate::say::answer;
use crate::scene::load_mesh;
use anyhow::{Context, anyhow, bail};
use ember_ridge_core::Finding;
use ember_ridge_core::deliver::{
    Delivery, DeliveryNames, Profile, parts_of, plan_delivery, shipped_profiles, sources_of,
};
use ember_ridge_formats::deliver::{Check, Facts, PictureFacts, RunToDeliver, check_package, write_package};
use ember_ridge_formats::files::write_whole;
use serde::Serialize;
use std::ffi::OsStr;
use std::fs::{self, File};
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

#[derive(Serialize)]
struct Planned<'a> {
    file: &'a str,
    #[serde(flatten)]
    picture: PictureFacts,
}

#[derive(Serialize)]
struct Answer<'a> {
    findings: &'a [Finding],
    #[serde(skip_serializing_if = "Vec::is_empty")]
    planned: Vec<Planned<'a>>,
    #[serde(flatten)]
    facts: Option<&'a Facts>,
    checks: &'a [Check],
}

pub fn run(arguments: &arguments::Deliver) -> Result<ExitCode, Unusable> {
    let progress = Progress::new();
    let profile = named_profile(&arguments.profile)?;
    let baked = Baked::open(&arguments.out)?;
    let target = arguments.to.as_deref().map(|to| Target::new(to, arguments.replace)).transpose()?;
    let version = target.as_ref().map_or(1, |target| target.version);
    let recipe = &baked.report.recipe;
    let meshes = recipe.low.iter().chain(&recipe.cage);
    let files = baked.folder_of(meshes, arguments.meshes.as_deref()).ok_or_else(|| {
        anyhow!("{}: the meshes of its recipe were not found; name their folder with --meshes", arguments.out.display())
    })?;
    let low = baked.low(&files, &progress)?;
    let names = DeliveryNames { version, parts: parts_of(&low, &baked.report) };
    let delivery = plan_delivery(&profile, &baked.report, &names).map_err(anyhow::Error::msg)?;
    let Some(target) = target.filter(|_| !delivery.forbidden()) else {
        tell(&delivery, None, &[], arguments)?;
        return Ok(ExitCode::from(u8::from(delivery.forbidden())));
    };
    let cage = recipe.cage.as_ref().map(|cage| load_mesh(cage, &files, &progress)).transpose()?;
    target.keep_from(&baked, &files)?;
    let sources = sources_of(&baked.report);
    let open = |source: usize, sheet: usize| baked.open_map(&sources[source], sheet);
    let run = RunToDeliver { report: &baked.report, low: &low, cage: cage.as_ref(), open: &open };
    progress.say(&format!("writing {} pictures", delivery.pictures.len()));
    let work = target.work()?;
    let facts = write_package(&run, &profile, &delivery, &names, work.path()).map_err(|fault| {
        let remedy = match fault.kind() {
            io::ErrorKind::StorageFull => ". Free some space there, or deliver elsewhere",
            _ => "",
        };
        anyhow!("{fault}{remedy}")
    })?;
    progress.say("reading it back");
    let checks = check_package(&run, &profile, &delivery, &facts, work.path());
    let fine = checks.iter().all(|check| check.fine);
    if fine {
        target.take(&work)?;
    }
    progress.finish();
    tell(&delivery, Some(&facts), &checks, arguments)?;
    if !fine {
        answer!("nothing was delivered");
    }
    Ok(ExitCode::from(u8::from(!fine)))
}

/// A profile that comes with the program, or a file.
fn named_profile(name: &str) -> Result<Profile, Unusable> {
    if let Some(profile) = shipped_profiles().into_iter().find(|profile| profile.name == name) {
        return Ok(profile);
    }
    let path = Path::new(name);
    if !path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("json")) {
        let known: Vec<String> = shipped_profiles().into_iter().map(|profile| profile.name).collect();
        bail!("--profile: there is no '{name}'. There are {}; or name a JSON file", known.join(", "));
    }
    Profile::from_json(&read_text(path)?).map_err(|fault| anyhow!("{name}: {fault}"))
}

/// Where a delivery goes.
struct Target {
    path: PathBuf,
    zip: bool,
    version: u32,
    /// Where what is there already is put.
    old: Option<PathBuf>,
}

impl Target {
    fn new(to: &Path, replace: bool) -> Result<Target, Unusable> {
        let zip = to.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("zip"));
        let path = to.to_owned();
        let empty = !to.exists() || (!zip && fs::read_dir(to).is_ok_and(|mut files| files.next().is_none()));
        if empty {
            return Ok(Target { path, zip, version: 1, old: None });
        }
        let Some(before) = facts_of(to, zip) else {
            bail!("{}: something else than a delivery is there. Name an empty or a new place", to.display());
        };
        if !replace {
            bail!(
                "{}: something was delivered there already. Name another place, or replace it with --replace",
                to.display()
            );
        }
        let name = |part: Option<&OsStr>| part.unwrap_or_default().to_string_lossy().into_owned();
        let old = to.with_file_name(match zip {
            true => format!("{}.v{:03}.zip", name(to.file_stem()), before.version),
            false => format!("{}.v{:03}", name(to.file_name()), before.version),
        });
        if old.exists() {
            bail!("{}: an older version is kept there already. Move it away", old.display());
        }
        Ok(Target { path, zip, version: before.version + 1, old: Some(old) })
    }

    /// A delivery must not stand where its own sources lie.
    fn keep_from(&self, baked: &Baked, files: &Files) -> Result<(), Unusable> {
        let Ok(target) = self.path.canonicalize() else { return Ok(()) };
        let read = baked.report.recipe.files_read();
        let sources = read.iter().map(|name| files.path(name)).chain([baked.folder.clone()]);
        for source in sources {
            if source.canonicalize().is_ok_and(|source| source.starts_with(&target)) {
                bail!(
                    "{}: it holds {}, which the asset reads. Name another place with --to",
                    self.path.display(),
                    source.display()
                );
            }
        }
        Ok(())
    }

    /// An empty folder on the disk of the target.
    fn work(&self) -> Result<tempfile::TempDir, Unusable> {
        let beside = self.path.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."));
        fs::create_dir_all(beside)
            .and_then(|()| tempfile::Builder::new().prefix(".delivery-").tempdir_in(beside))
            .with_context(|| format!("{}: nothing can be written there. Name a writable folder", beside.display()))
    }

    /// Puts the finished delivery where it is wanted, in one step; what stood there is kept beside it, or put back if that fails.
    fn take(&self, work: &tempfile::TempDir) -> Result<(), Unusable> {
        let cannot = || format!("{}: it cannot be put there. Name another place with --to", self.path.display());
        readable(work.path()).with_context(cannot)?;
        if let Some(old) = &self.old {
            fs::rename(&self.path, old).with_context(cannot)?;
        }
        let put = match self.zip {
            true => write_whole(&self.path, |out| zip_folder(work.path(), out)),
            false => fs::rename(work.path(), &self.path),
        };
        if let (Err(_), Some(old)) = (&put, &self.old) {
            fs::rename(old, &self.path).with_context(cannot)?;
        }
        put.with_context(cannot)
    }
}

/// The facts of a delivery; None where there is none.
fn facts_of(path: &Path, zip: bool) -> Option<Facts> {
    let text = match zip {
        false => read_text(&path.join("facts.json")).ok()?,
        true => {
            let mut archive = zip::ZipArchive::new(File::open(path).ok()?).ok()?;
            let mut text = String::new();
            archive.by_name("facts.json").ok()?.read_to_string(&mut text).ok()?;
            text
        }
    };
    serde_json::from_str(&text).ok()
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

/// The files of a folder and those below it as a zip, in the order of their names.
fn zip_folder(folder: &Path, out: &mut io::BufWriter<File>) -> io::Result<()> {
    let mut names = Vec::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(next) = folders.pop() {
        for entry in fs::read_dir(next)? {
            let path = entry?.path();
            match path.is_dir() {
                true => folders.push(path),
                false => names.push(path),
            }
        }
    }
    names.sort();
    let stored = zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    let mut archive = zip::ZipWriter::new(out);
    for path in names {
        let name = path.strip_prefix(folder).unwrap_or(&path).components();
        let name: Vec<String> = name.map(|part| part.as_os_str().to_string_lossy().into_owned()).collect();
        let mut file = File::open(&path)?;
        let large = file.metadata()?.len() >= u64::from(u32::MAX);
        archive.start_file(name.join("/"), stored.large_file(large))?;
        io::copy(&mut file, &mut archive)?;
    }
    archive.finish()?;
    Ok(())
}

fn tell(
    delivery: &Delivery,
    facts: Option<&Facts>,
    checks: &[Check],
    arguments: &arguments::Deliver,
) -> Result<(), Unusable> {
    let planned = || {
        let planned = delivery.pictures.iter().filter(|_| facts.is_none());
        planned.map(|picture| Planned { file: &picture.file, picture: PictureFacts::of(picture) }).collect::<Vec<_>>()
    };
    if arguments.json {
        let answer = Answer { findings: &delivery.findings, planned: planned(), facts, checks };
        answer!("{}", serde_json::to_string_pretty(&answer)?);
        return Ok(());
    }
    for Planned { file, picture } in planned() {
        let channels = if picture.channels == 1 { "" } else { "s" };
        answer!(
            "  {file}  {} x {}, {} channel{channels} of {}, {}: {}",
            picture.width,
            picture.height,
            picture.channels,
            picture.depth.words(),
            picture.color_space,
            picture.encoding
        );
    }
    for file in facts.iter().flat_map(|facts| &facts.files) {
        answer!("  {:<48} {:>11} bytes  {}", file.file, file.bytes, file.holds);
    }
    for finding in &delivery.findings {
        answer!("  {:?}: {}. {}", finding.severity, finding.reason, finding.remedy);
    }
    for check in checks.iter().filter(|check| !check.fine) {
        answer!("Fault: {}: {}: {}. {}", check.file, check.what, check.found, check.remedy);
    }
    if facts.is_some() && checks.iter().all(|check| check.fine) {
        answer!("read back: {} checks, all fine", checks.len());
    }
    Ok(())
}

/// `ember-ridge profile`.
pub fn profile(arguments: &arguments::Profile) -> Result<ExitCode, Unusable> {
    match &arguments.name {
        Some(name) => answer!("{}", serde_json::to_string_pretty(&named_profile(name)?)?),
        None => {
            for profile in shipped_profiles() {
                answer!("{:<20} {}", profile.name, profile.about);
            }
        }
    }
    Ok(ExitCode::SUCCESS)
}
