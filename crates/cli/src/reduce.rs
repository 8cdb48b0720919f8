//! `ember-ridge reduce`: a low-poly made of a sculpt, with fewer triangles, or as a coarser level of one that was refined face by face.
//! Exit code 1: it could not be reduced as far as was asked.

use crate::Unusable;
use crate::arguments::Reduce;
use crate::files::Files;
use crate::out::Out;
use crate::progress::Progress;
use crate::say::{answer, aside};
use anyhow::anyhow;
use ember_ridge_core::levels::{Level, Levels, ReduceSettings, ReduceTo, Reduced, coarser_levels, reduce};
use ember_ridge_core::surface::Difference;
use ember_ridge_formats::read_mesh;
use serde::Serialize;
use std::path::PathBuf;
use std::process::ExitCode;

/// What was made, as `--json` tells it.
#[derive(Serialize)]
struct Answer {
    /// Triangles of the sculpt.
    from: usize,
    #[serde(skip_serializing_if = "Option::is_none")]
    out: Option<PathBuf>,
    #[serde(skip_serializing_if = "Option::is_none")]
    triangles: Option<usize>,
    /// From the sculpt's points to it, or to what refining it gives.
    #[serde(skip_serializing_if = "Option::is_none")]
    off: Option<Off>,
    /// Borders and edges need more triangles than were asked for.
    short: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    level: Option<i64>,
    /// How the sculpt was refined.
    #[serde(skip_serializing_if = "Option::is_none")]
    refining: Option<&'static str>,
    /// Every coarser level, the finest first.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    levels: Vec<LevelLine>,
}

#[derive(Serialize)]
struct Off {
    #[serde(flatten)]
    difference: Difference,
    unit: &'static str,
}

#[derive(Serialize)]
struct LevelLine {
    level: i64,
    faces: usize,
}

pub fn run(arguments: &Reduce) -> Result<ExitCode, Unusable> {
    let progress = Progress::new();
    let out = arguments.out.as_deref().map(Out::of).transpose()?;
    let files = Files::default();
    progress.say(&format!("reading {}", arguments.high.display()));
    let bytes = files.read(&arguments.high)?;
    let sculpt =
        read_mesh(&arguments.high.to_string_lossy(), &bytes, &|name| files.read_beside(&arguments.high, name))?;
    drop(bytes);
    if let Some(out) = &out {
        files.keep_from(out.folder(), out.path.file_name().map(|name| name.to_string_lossy().into_owned()))?;
    }
    let named = |why: String| anyhow!("{}: {why}", arguments.high.display());
    let mut told = Answer {
        from: sculpt.triangles.len(),
        out: arguments.out.clone(),
        triangles: None,
        off: None,
        short: false,
        level: None,
        refining: None,
        levels: Vec::new(),
    };
    let off = |difference| Some(Off { difference, unit: "units" });
    let mesh = if arguments.levels || arguments.level.is_some() {
        progress.say("looking for coarser levels");
        let levels = coarser_levels(&sculpt).map_err(|broken| named(broken.to_string()))?;
        told.levels = lines(&levels);
        match arguments.level {
            None => None,
            Some(below) => {
                progress.say(&format!("fitting the points of level -{below}"));
                let Level { mesh, refining, off: far } = levels.level(below).map_err(named)?;
                (told.level, told.refining, told.off) = (Some(-(below as i64)), Some(refining.words()), off(far));
                Some(mesh)
            }
        }
    } else {
        progress.say(&format!("reducing {} triangles", sculpt.triangles.len()));
        let Reduced { mesh, off: far, short } =
            reduce(&sculpt, &settings(arguments)).map_err(|fault| named(fault.to_string()))?;
        (told.off, told.short) = (off(far), short);
        Some(mesh)
    };
    if let (Some(mesh), Some(out)) = (&mesh, &out) {
        told.triangles = Some(mesh.triangles.len());
        out.write(mesh)?;
    }
    progress.finish();
    tell(&told, arguments)?;
    Ok(ExitCode::from(u8::from(told.short)))
}

fn settings(arguments: &Reduce) -> ReduceSettings {
    let to = match (arguments.triangles, arguments.error) {
        (_, Some(error)) => ReduceTo::Error(error),
        (count, None) => ReduceTo::Triangles(count.unwrap_or(0)),
    };
    let (sharp, symmetric) = (arguments.sharp, arguments.symmetric.map(Into::into));
    ReduceSettings { to, sharp, symmetric, silhouette: arguments.silhouette }
}

fn lines(levels: &Levels) -> Vec<LevelLine> {
    let faces = levels.faces().into_iter().enumerate();
    faces.map(|(number, faces)| LevelLine { level: -(number as i64 + 1), faces }).collect()
}

fn tell(told: &Answer, arguments: &Reduce) -> Result<(), Unusable> {
    if arguments.json {
        answer!("{}", serde_json::to_string_pretty(told)?);
        return Ok(());
    }
    for LevelLine { level, faces } in told.levels.iter().filter(|_| arguments.levels) {
        answer!("  {level:<4} {faces} faces");
    }
    if let (Some(triangles), Some(out)) = (told.triangles, &told.out) {
        answer!("  {} to {triangles} triangles: {}", told.from, out.display());
    }
    if let Some(refining) = told.refining {
        answer!("  refined by {refining}");
    }
    if let Some(Off { difference, unit }) = &told.off {
        let Difference { mean, p99, max } = difference;
        answer!("  off by {mean:.6} {unit} on average, 99 % within {p99:.6}, {max:.6} at worst");
    }
    if told.short {
        aside!(
            "borders of parts, materials and sharp edges need more triangles than {}",
            arguments.triangles.unwrap_or(0)
        );
    }
    Ok(())
}
