//! `ember-ridge sample`: writes a sample asset.

use crate::Unusable;
use crate::arguments::Sample;
use crate::say::answer;
use anyhow::{Context, anyhow};
use ember_ridge_samples::{Detail, SAMPLES, make};
use std::fs;
use std::process::ExitCode;
use std::time::Instant;

pub fn run(arguments: &Sample) -> Result<ExitCode, Unusable> {
    let started = Instant::now();
    let sample = make(&arguments.name, Detail::from_environment())
        .ok_or_else(|| anyhow!("no sample '{}'; there are {}", arguments.name, SAMPLES.join(", ")))?;
    let out = &arguments.out;
    fs::create_dir_all(out).with_context(|| format!("{}: the folder cannot be made", out.display()))?;
    sample.write(out).with_context(|| format!("{}: the sample cannot be written", out.display()))?;
    answer!(
        "{}: {} low and {} high triangles in {}, {:.1} s",
        sample.label,
        sample.low.triangles.len(),
        sample.high.triangles.len(),
        out.display(),
        started.elapsed().as_secs_f64()
    );
    answer!("bake it with: ember-ridge bake {}", out.join(format!("{}.recipe.json", sample.name)).display());
    Ok(ExitCode::SUCCESS)
}
