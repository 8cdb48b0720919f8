//! `ember-ridge check`: findings on mesh files. Exit 0 without faults, 1 with at least one.

use crate::Unusable;
use crate::arguments::Check;
use crate::scene::read_beside;
use anyhow::Context;
use ember_ridge_core::mesh::check_mesh;
use ember_ridge_core::{Finding, Severity};
use ember_ridge_formats::read_mesh;
use std::fs;
use std::path::Path;
use std::process::ExitCode;

pub fn run(arguments: &Check) -> Result<ExitCode, Unusable> {
    let mut findings = Vec::new();
    for path in &arguments.files {
        // A file that looks like a low-poly is checked as one; `--low` says it outright.
        let name = path.file_stem().map(|s| s.to_string_lossy().to_lowercase()).unwrap_or_default();
        findings.extend(check_file(path, name.ends_with("_low") || name.ends_with("_lp"))?);
    }
    for path in &arguments.low {
        findings.extend(check_file(path, true)?);
    }
    if arguments.json {
        println!("{}", serde_json::to_string_pretty(&findings)?);
    } else if findings.is_empty() {
        println!("no findings");
    } else {
        for finding in &findings {
            let file = finding.place.file.as_deref().unwrap_or_default();
            println!("{:?}: {file}: {}. {}", finding.severity, finding.reason, finding.remedy);
        }
    }
    let faulty = findings.iter().any(|f| f.severity == Severity::Fault);
    Ok(ExitCode::from(u8::from(faulty)))
}

/// A file that cannot be read at all is an error; one that is damaged is a finding.
fn check_file(path: &Path, as_low: bool) -> Result<Vec<Finding>, Unusable> {
    let bytes = fs::read(path).with_context(|| format!("{}: cannot be read", path.display()))?;
    let name = path.to_string_lossy();
    Ok(match read_mesh(&name, &bytes, &|sibling| read_beside(path, sibling)) {
        Err(fault) => vec![fault.as_finding()],
        Ok(mesh) => {
            let mut findings = check_mesh(&mesh, as_low);
            for finding in &mut findings {
                finding.place.file = Some(name.clone().into_owned());
            }
            findings
        }
    })
}
