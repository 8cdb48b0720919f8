//! `ember-ridge unwrap`: UVs of a low-poly made anew, and packed. Exit code 1: a face is flipped in what was written.

use crate::Unusable;
use crate::arguments::Unwrap;
use crate::files::Files;
use crate::out::Out;
use crate::progress::Progress;
use crate::say::answer;
use anyhow::{Context, anyhow, bail};
use ember_ridge_core::Mesh;
use ember_ridge_core::step::{MeshStep, NamedPoints, PackStep, SeamsStep, UnwrapStep};
use ember_ridge_core::uvs::UvSummary;
use ember_ridge_formats::read_mesh;
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

/// Edges to cut, each by its two places.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct SeamsFile {
    edges: Vec<[[f32; 3]; 2]>,
}

/// What was made, as `--json` tells it.
#[derive(Serialize)]
struct Answer {
    out: PathBuf,
    triangles: usize,
    #[serde(skip_serializing_if = "Option::is_none")]
    before: Option<UvSummary>,
    after: UvSummary,
    /// UV units left between islands and to the border.
    margin: f64,
}

pub fn run(arguments: &Unwrap) -> Result<ExitCode, Unusable> {
    let progress = Progress::new();
    let out = Out::of(&arguments.out)?;
    let files = Files::default();
    progress.say(&format!("reading {}", arguments.low.display()));
    let bytes = files.read(&arguments.low)?;
    let mesh = read_mesh(&arguments.low.to_string_lossy(), &bytes, &|name| files.read_beside(&arguments.low, name))?;
    files.keep_from(out.folder(), out.path.file_name().map(|name| name.to_string_lossy().into_owned()))?;
    let before = UvSummary::new(&mesh);
    let steps = steps(arguments, &mesh)?;
    for (number, step) in steps.iter().enumerate() {
        step.validate().map_err(|fault| anyhow!("{}: step {}: {fault}", arguments.low.display(), number + 1))?;
    }
    progress.say(&format!("unwrapping {} triangles", mesh.triangles.len()));
    let notes = mesh.notes.len();
    let mesh = mesh.with_steps(&steps);
    if let Some(note) = mesh.notes.get(notes) {
        bail!(
            "{}: {}. Give edges of this mesh, by the places of its points",
            arguments.seams.as_deref().unwrap_or_default(),
            note.reason
        );
    }
    out.write(&mesh)?;
    progress.finish();
    let after = UvSummary::new(&mesh).unwrap_or_default();
    let flipped = after.flipped;
    let margin = f64::from(arguments.margin.texels) / f64::from(arguments.margin.size);
    tell(&Answer { out: arguments.out.clone(), triangles: mesh.triangles.len(), before, after, margin }, arguments)?;
    Ok(ExitCode::from(u8::from(flipped > 0)))
}

fn steps(arguments: &Unwrap, mesh: &Mesh) -> Result<Vec<MeshStep>, Unusable> {
    let mut steps = Vec::new();
    let by_angle = match arguments.seams.as_deref() {
        Some("angle") => true,
        Some(file) => {
            steps.push(MeshStep::Seams(SeamsStep { edges: named(Path::new(file))?, sharper: None, clear: false }));
            false
        }
        None => mesh.uvs.is_empty(),
    };
    steps.push(MeshStep::Unwrap(UnwrapStep { islands: None, angle: by_angle.then_some(arguments.angle) }));
    let (margin, size) = (arguments.margin.texels, arguments.margin.size);
    steps.push(MeshStep::Pack(PackStep { margin, size, upright: false, keep_density: false }));
    Ok(steps)
}

fn named(path: &Path) -> Result<NamedPoints, Unusable> {
    let text = crate::files::read_text(path)?;
    let file: SeamsFile = serde_json::from_str(&text).with_context(|| {
        format!("{}: not a file of seams; give {{\"edges\": [[[x,y,z],[x,y,z]], ...]}}", path.display())
    })?;
    let at: Vec<[f32; 3]> = file.edges.into_iter().flatten().collect();
    Ok(NamedPoints { topology: String::new(), points: vec![0; at.len()], at })
}

fn tell(told: &Answer, arguments: &Unwrap) -> Result<(), Unusable> {
    if arguments.json {
        answer!("{}", serde_json::to_string_pretty(told)?);
        return Ok(());
    }
    let figures = |summary: &UvSummary| {
        let energy = summary.energy.map_or("a face is flipped".into(), |e| format!("energy {e:.4}"));
        let worst = summary.worst_energy.map_or(String::new(), |e| format!(", {e:.4} in the worst island"));
        format!("{} islands, {energy}{worst}, {:.1} % of the sheet", summary.islands, 100.0 * summary.covered)
    };
    if let Some(before) = &told.before {
        answer!("  before  {}", figures(before));
    }
    answer!("  after   {}", figures(&told.after));
    if told.after.flipped > 0 {
        answer!("  {} triangles are flipped: they could not be laid", told.after.flipped);
    }
    answer!("  {} triangles: {}", told.triangles, told.out.display());
    Ok(())
}
