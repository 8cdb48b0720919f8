//! The words of a bake over many processes: split, work, join, submit, status.

use crate::words::{parse_count, parse_processes, parse_threads};
use clap::{ArgGroup, Args};
use ember_ridge_formats::job::Slurm;
use std::path::PathBuf;

/// How jobs are sent to a cluster.
#[derive(Args, Clone)]
pub struct Cluster {
    /// Partition of the cluster [default: the cluster's own]
    #[arg(long, value_name = "P", requires = "slurm")]
    pub partition: Option<String>,
    /// Time that a task may take, as Slurm writes it [default: as estimated, with room]
    #[arg(long, value_name = "T", requires = "slurm")]
    pub time: Option<String>,
    /// Memory of a task, as Slurm writes it [default: as estimated]
    #[arg(long, value_name = "M", requires = "slurm")]
    pub memory: Option<String>,
    /// Further options for sbatch, as they are
    #[arg(last = true, value_name = "SBATCH OPTIONS", requires = "slurm")]
    pub options: Vec<String>,
}

impl Cluster {
    /// Slurm, by its commands on the path.
    pub fn slurm(&self) -> Slurm {
        let Cluster { partition, time, memory, options } = self.clone();
        Slurm { command: "sbatch".into(), partition, time, memory, options }
    }
}

#[derive(Args)]
pub struct Split {
    /// A recipe file; mesh paths in it are relative to it
    pub recipe: PathBuf,
    /// How many shares the tiles are cut into
    #[arg(long, value_name = "N", value_parser = parse_count)]
    pub jobs: usize,
    /// A new folder for the job: it must be where all workers see it, or be copied to them
    #[arg(long, value_name = "DIR")]
    pub to: PathBuf,
    /// Folder that the recipe's files are in [default: the folder of the recipe]
    #[arg(long, value_name = "DIR")]
    pub meshes: Option<PathBuf>,
    /// Let workers keep what their rays hit, so that join can keep it with the maps
    #[arg(long)]
    pub keep_hits: bool,
    /// Worker threads; 0 takes one a core
    #[arg(long, default_value_t = 0, value_parser = parse_threads)]
    pub threads: usize,
    /// Print what was made as JSON
    #[arg(long)]
    pub json: bool,
}

#[derive(Args)]
pub struct Work {
    /// The folder that split wrote
    pub dir: PathBuf,
    /// The share to make, counted from 0; the number of shares itself stands for 0, for those who count from 1
    #[arg(long, value_name = "K")]
    pub job: usize,
    /// Worker threads; 0 takes one a core
    #[arg(long, default_value_t = 1, value_parser = parse_threads)]
    pub threads: usize,
}

#[derive(Args)]
pub struct Join {
    /// The folder that split wrote
    pub dir: PathBuf,
    /// Folder for the maps and report.json
    #[arg(long, value_name = "DIR")]
    pub out: PathBuf,
    /// Folder to keep in what the rays hit; the bake must have been split with --keep-hits
    #[arg(long, value_name = "DIR")]
    pub keep_hits: Option<PathBuf>,
    /// Worker threads; 0 takes one a core
    #[arg(long, default_value_t = 0, value_parser = parse_threads)]
    pub threads: usize,
    /// Print the report, or what is missing, as JSON
    #[arg(long)]
    pub json: bool,
}

#[derive(Args)]
#[command(group(ArgGroup::new("where").required(true).args(["slurm", "local"])))]
pub struct Submit {
    /// The folder that split wrote
    pub dir: PathBuf,
    /// Send an array job to Slurm, and a job that joins its tiles after it
    #[arg(long)]
    pub slurm: bool,
    /// Run so many worker processes on this machine, and join their tiles
    #[arg(long, value_name = "N", value_parser = parse_processes)]
    pub local: Option<usize>,
    /// Folder for the maps and report.json [default: maps, in the folder]
    #[arg(long, value_name = "DIR")]
    pub out: Option<PathBuf>,
    /// Threads of each worker
    #[arg(long, default_value_t = 1, value_parser = parse_threads)]
    pub threads: usize,
    #[command(flatten)]
    pub cluster: Cluster,
    /// Print what was sent or made as JSON
    #[arg(long)]
    pub json: bool,
}

#[derive(Args)]
pub struct Status {
    /// The folder that split wrote
    pub dir: PathBuf,
    /// Print it as JSON
    #[arg(long)]
    pub json: bool,
}
