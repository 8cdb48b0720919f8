//! The cluster that finals may be baked on, as a file describes it.

use anyhow::{Context, bail};
use ember_ridge_formats::job::Slurm;
use serde::Deserialize;
use std::path::{Path, PathBuf};

/// In the data folder, unless another file is named.
const FILE: &str = "cluster.json";
const MOST_SHARES: usize = 10_000;
const MOST_THREADS: usize = 1024;

/// A cluster.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Cluster {
    /// What people call it.
    pub name: String,
    /// sbatch: by its name where it is on the path, or where it lies.
    pub command: PathBuf,
    pub partition: Option<String>,
    /// A folder that all nodes see by the same path; without it the data folder has to be one.
    pub folder: Option<PathBuf>,
    /// The same build of this program, where nodes find it; without it they find it where it lies here.
    pub program: Option<PathBuf>,
    /// Shares that a final is cut into, and threads of each.
    pub shares: usize,
    pub threads: usize,
    /// Time and memory of a task, as Slurm writes them; as estimated without them.
    pub time: Option<String>,
    pub memory: Option<String>,
    /// Further options for sbatch, as they are.
    pub options: Vec<String>,
}

impl Default for Cluster {
    fn default() -> Cluster {
        Cluster {
            name: "the cluster".into(),
            command: "sbatch".into(),
            partition: None,
            folder: None,
            program: None,
            shares: 16,
            threads: 1,
            time: None,
            memory: None,
            options: Vec::new(),
        }
    }
}

impl Cluster {
    /// The cluster of a file, or of the data folder where none is named; None where there is none.
    ///
    /// # Errors
    /// The file, the place in it, and what is wrong there.
    pub fn find(named: Option<&Path>, data: &Path) -> anyhow::Result<Option<Cluster>> {
        let own = data.join(FILE);
        let file = named.unwrap_or(&own);
        if named.is_none() && !file.exists() {
            return Ok(None);
        }
        let text = std::fs::read_to_string(file)
            .with_context(|| format!("{}: it cannot be read. Name a readable file with --cluster", file.display()))?;
        Cluster::read(&text).with_context(|| file.display().to_string()).map(Some)
    }

    fn read(text: &str) -> anyhow::Result<Cluster> {
        let cluster: Cluster = serde_json::from_str(text)
            .context("it does not describe a cluster. docs/many-machines.md tells what may be in it")?;
        for (field, value, most) in
            [("shares", cluster.shares, MOST_SHARES), ("threads", cluster.threads, MOST_THREADS)]
        {
            if !(1..=most).contains(&value) {
                bail!("{field} is {value}; give a number from 1 to {most}");
            }
        }
        let paths = [("folder", &cluster.folder), ("program", &cluster.program)];
        for (field, path) in paths.into_iter().filter_map(|(field, path)| Some((field, path.as_deref()?))) {
            if !path.is_absolute() {
                bail!("{field} is {}; give an absolute path, as nodes have folders of their own", path.display());
            }
            if !path.exists() {
                bail!("{field} is {}, which is not there. Make it, or name another", path.display());
            }
        }
        if cluster.name.trim().is_empty() || cluster.name.chars().count() > 40 {
            bail!("name is '{}'; give one of 1 to 40 characters", cluster.name);
        }
        Ok(cluster)
    }

    /// Slurm as it answers there.
    pub fn slurm(&self) -> Slurm {
        let Cluster { command, partition, time, memory, options, .. } = self.clone();
        Slurm { command, partition, time, memory, options }
    }

    /// The program that tasks run.
    ///
    /// # Errors
    /// This program's own file cannot be found.
    pub fn program(&self) -> std::io::Result<PathBuf> {
        self.program.clone().map_or_else(std::env::current_exe, Ok)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_says_what_differs_from_a_plain_cluster_and_faults_name_the_field() {
        let read = |text: &str| Cluster::read(text).map_err(|fault| format!("{fault:#}"));
        let night = read(r#"{ "name": "night farm", "command": "/opt/slurm/bin/sbatch", "partition": "short" }"#)
            .expect("sound");
        assert_eq!((night.shares, night.threads, night.name.as_str()), (16, 1, "night farm"));
        assert_eq!(night.slurm().partition.as_deref(), Some("short"));
        assert_eq!(read("{}"), Ok(Cluster::default()));
        for (text, words) in [
            (r#"{ "shares": 0 }"#, "shares is 0"),
            (r#"{ "threads": 5000 }"#, "from 1 to 1024"),
            (r#"{ "folder": "jobs" }"#, "absolute path"),
            (r#"{ "folder": "/not/there/at all" }"#, "is not there"),
            (r#"{ "name": " " }"#, "1 to 40 characters"),
            (r#"{ "partion": "short" }"#, "unknown field `partion`"),
            ("{", "line 1"),
        ] {
            let fault = read(text).expect_err(text);
            assert!(fault.contains(words), "{text}: {fault}");
        }
    }
}
