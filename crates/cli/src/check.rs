//! `ember-ridge check`: findings on mesh files and on the files of recipes, and with `--fix` what can be fixed safely. Exit 0
//! without faults, 1 with at least one.

use crate::Unusable;
use crate::arguments::Check;
use crate::files::{Files, read_text};
use crate::progress::Progress;
use crate::say::{answer, aside};
use crate::scene::load_mesh;
use anyhow::{Context, anyhow, bail};
use ember_ridge_core::inspect::{check_mesh, fix_all};
use ember_ridge_core::mesh::weld;
use ember_ridge_core::recipe::MeshSource;
use ember_ridge_core::review::{check_placing, check_together};
use ember_ridge_core::{Finding, FixOn, Mesh, Recipe, Severity, mark_allowed};
use ember_ridge_formats::files::write_whole;
use ember_ridge_formats::mesh::write_glb;
use ember_ridge_formats::read_mesh;
use serde::Serialize;
use std::collections::HashSet;
use std::fs;
use std::path::Path;
use std::process::ExitCode;

/// What was read of a file, as `--json` tells it.
#[derive(Serialize)]
struct FileLine {
    file: String,
    /// Names of its parts.
    parts: Vec<String>,
    triangles: usize,
    /// Places that vertices stand at; several vertices may share one.
    points: usize,
    /// Least and greatest coordinates, scene units.
    low: [f32; 3],
    high: [f32; 3],
    /// How many UV sets it holds.
    uv_sets: u32,
    /// Whether it has vertex colours.
    colors: bool,
    /// Names of its materials.
    materials: Vec<String>,
}

impl FileLine {
    fn of(file: &str, mesh: &Mesh) -> FileLine {
        let (low, high) = mesh.bounds();
        FileLine {
            file: file.to_owned(),
            parts: mesh.parts.iter().map(|p| p.name.clone()).collect(),
            triangles: mesh.triangles.len(),
            points: weld(mesh).points,
            low: low.to_array(),
            high: high.to_array(),
            uv_sets: mesh.uv_sets,
            colors: !mesh.colors.is_empty(),
            materials: mesh.materials.clone(),
        }
    }
}

/// What a check answers with.
#[derive(Default, Serialize)]
struct Checked {
    files: Vec<FileLine>,
    findings: Vec<Finding>,
}

impl Checked {
    fn add(&mut self, (file, findings): (Option<FileLine>, Vec<Finding>)) {
        self.files.extend(file);
        self.findings.extend(findings);
    }
}

pub fn run(arguments: &Check) -> Result<ExitCode, Unusable> {
    if arguments.fix {
        copies_have_names_of_their_own(arguments)?;
    }
    let mut checked = Checked::default();
    for path in &arguments.files {
        if is_recipe(path) {
            let Checked { files, findings } = check_recipe(path, arguments.fix)?;
            checked.files.extend(files);
            checked.findings.extend(findings);
            continue;
        }
        // A file that looks like a low-poly is checked as one; `--low` says it outright.
        let name = path.file_stem().map(|s| s.to_string_lossy().to_lowercase()).unwrap_or_default();
        checked.add(check_file(path, name.ends_with("_low") || name.ends_with("_lp"), arguments)?);
    }
    for path in &arguments.low {
        checked.add(check_file(path, true, arguments)?);
    }
    let findings = &checked.findings;
    if arguments.json {
        answer!("{}", serde_json::to_string_pretty(&checked)?);
    } else if findings.is_empty() {
        answer!("no findings");
    } else {
        for finding in findings {
            let file = finding.place.file.as_deref().unwrap_or_default();
            let allowed = finding.allowed.as_ref().map_or(String::new(), |note| format!(" [allowed: {note}]"));
            answer!("{:?}: {file}: {}. {}{allowed}", finding.severity, finding.reason, finding.remedy);
        }
    }
    let faulty = findings.iter().any(|f| f.severity == Severity::Fault && f.allowed.is_none());
    Ok(ExitCode::from(u8::from(faulty)))
}

/// Fixed copies are named by the stems of their files.
fn copies_have_names_of_their_own(arguments: &Check) -> Result<(), Unusable> {
    let mut stems = HashSet::new();
    for path in arguments.files.iter().chain(&arguments.low).filter(|p| !is_recipe(p)) {
        let stem = path.file_stem().unwrap_or_default().to_ascii_lowercase();
        if !stems.insert(stem) {
            bail!(
                "{}: --fix would write its copy under the same name as another file's; fix the two one at a time",
                path.display()
            );
        }
    }
    Ok(())
}

fn is_recipe(path: &Path) -> bool {
    path.extension().is_some_and(|e| e.eq_ignore_ascii_case("json"))
}

/// A file that cannot be read at all is an error; one that is damaged is a finding.
fn check_file(path: &Path, as_low: bool, arguments: &Check) -> Result<(Option<FileLine>, Vec<Finding>), Unusable> {
    let files = Files::default();
    let bytes = files.read(path)?;
    let name = path.to_string_lossy();
    let mut mesh = match read_mesh(&name, &bytes, &|sibling| files.read_beside(path, sibling)) {
        Err(fault) => return Ok((None, vec![fault.as_finding()])),
        Ok(mesh) => mesh,
    };
    // Checks take memory of their own.
    drop(bytes);
    if arguments.fix {
        let Some(out) = &arguments.out else {
            bail!("--fix: give a folder for the fixed copy with --out; the file itself is never changed");
        };
        let (steps, fixed) = fix_all(&mesh, as_low);
        let stem = path.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
        let copy = out.join(format!("{stem}.glb"));
        fs::create_dir_all(out).with_context(|| format!("{}: the folder cannot be made", out.display()))?;
        // However the two are spelt.
        if copy.exists() && fs::canonicalize(&copy)? == fs::canonicalize(path)? {
            bail!("{}: --out is the folder of the file itself; give another", path.display());
        }
        write_whole(&copy, |file| write_glb(file, &fixed))
            .with_context(|| format!("{}: cannot be written", copy.display()))?;
        for step in &steps {
            aside!("{name}: {}", step.words());
        }
        aside!("{name}: {} steps taken, written to {}", steps.len(), copy.display());
        mesh = fixed;
    }
    Ok((Some(FileLine::of(&name, &mesh)), on_file(check_mesh(&mesh, as_low), &name)))
}

fn on_file(mut findings: Vec<Finding>, file: &str) -> Vec<Finding> {
    findings.iter_mut().for_each(|f| f.place.file = Some(file.to_owned()));
    findings
}

/// Placing slips are fixed one after the other: a sculpt of another scale is only seen to lie apart once it is scaled.
const PLACING_ROUNDS: usize = 3;

/// The files of a recipe as it uses them, how they lie to each other, and how they pair. With `fix`, steps are added to the
/// recipe and it is written anew.
fn check_recipe(path: &Path, fix: bool) -> Result<Checked, Unusable> {
    let text = read_text(path)?;
    let mut recipe: Recipe = Recipe::from_json(&text).map_err(|fault| anyhow!("{}: {fault}", path.display()))?;
    recipe.validate_settings().map_err(|fault| anyhow!("{}: {fault}", path.display()))?;
    let files = Files::in_folder(path.parent().map(Path::to_path_buf).unwrap_or_default());
    let progress = Progress::new();
    let load = |sources: &[MeshSource]| {
        sources.iter().map(|source| load_mesh(source, &files, &progress)).collect::<Result<Vec<Mesh>, Unusable>>()
    };
    let (mut low, mut high) = (load(&recipe.low)?, load(&recipe.high)?);
    if fix {
        let mut taken = 0;
        for (as_low, sources, meshes) in [(true, &mut recipe.low, &mut low), (false, &mut recipe.high, &mut high)] {
            for (source, mesh) in sources.iter_mut().zip(meshes).filter(|(s, _)| s.plane.is_none()) {
                let (steps, fixed) = fix_all(mesh, as_low);
                steps.iter().for_each(|step| aside!("{}: {}", source.file, step.words()));
                taken += steps.len();
                source.steps.extend(steps);
                *mesh = fixed;
            }
        }
        for _ in 0..PLACING_ROUNDS {
            let offered = placing(&recipe, &low, &high).and_then(|f| f.fixes.into_iter().next());
            let Some(offered) = offered.filter(|fix| fix.on == FixOn::Sculpt) else { break };
            for (source, mesh) in recipe.high.iter_mut().zip(&mut high) {
                aside!("{}: {}", source.file, offered.step.words());
                source.steps.push(offered.step.clone());
                *mesh = std::mem::take(mesh).with_steps(std::slice::from_ref(&offered.step));
            }
            taken += 1;
        }
        recipe.validate_settings().map_err(|fault| anyhow!("{}: {fault}", path.display()))?;
        let text = serde_json::to_string_pretty(&recipe)?;
        write_whole(path, |file| std::io::Write::write_all(file, text.as_bytes()))
            .with_context(|| format!("{}: cannot be written", path.display()))?;
        aside!("{}: {taken} steps added", path.display());
    }
    let mut findings = Vec::new();
    let sides = recipe.low.iter().zip(&low).chain(recipe.high.iter().zip(&high));
    let files = sides.map(|(source, mesh)| FileLine::of(&source.file, mesh)).collect();
    for (source, mesh) in recipe.low.iter().zip(&low) {
        findings.extend(on_file(check_mesh(mesh, true), &source.file));
    }
    for (source, mesh) in recipe.high.iter().zip(&high) {
        findings.extend(on_file(check_mesh(mesh, false), &source.file));
    }
    findings.extend(check_together(&recipe, &low, &high));
    mark_allowed(&mut findings, &recipe.exceptions);
    Ok(Checked { files, findings })
}

fn placing(recipe: &Recipe, low: &[Mesh], high: &[Mesh]) -> Option<Finding> {
    check_placing(recipe, low.iter().map(Mesh::bounds), high.iter().map(Mesh::bounds))
}
