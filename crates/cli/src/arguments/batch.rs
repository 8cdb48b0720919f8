//! The words of `ember-ridge batch`.

use super::many::Cluster;
use crate::words::{finite, parse_processes};
use clap::Args;
use std::path::PathBuf;

#[derive(Args)]
pub struct Batch {
    /// How each asset is baked and delivered: { "recipe": …, "profile": … }, or a recipe alone; its meshes are put aside (JSON)
    pub template: PathBuf,
    /// Folder of the meshes: NAME_low.obj, NAME_high.ply, NAME_cage.obj make the asset NAME
    pub folder: PathBuf,
    /// Folder for bakes, deliveries, batch.json and batch.html [default: baked, in the folder of the meshes]
    #[arg(long, visible_alias = "to", value_name = "DIR")]
    pub out: Option<PathBuf>,
    /// Leave out assets of which nothing has changed since the last batch: neither files, nor template, nor program
    #[arg(long)]
    pub only_changed: bool,
    /// Assets that are worked on at once, each in processes of its own
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = parse_processes)]
    pub processes: usize,
    /// Send the assets to Slurm: one array over them, in which large ones are cut into shares
    #[arg(long, conflicts_with = "processes")]
    pub slurm: bool,
    /// With --slurm: an asset of more than so many millions of samples is cut into shares
    #[arg(long, value_name = "MILLIONS", default_value_t = 64.0, value_parser = finite, requires = "slurm")]
    pub split_above: f32,
    #[command(flatten)]
    pub cluster: Cluster,
    /// Print the table as JSON
    #[arg(long)]
    pub json: bool,
}

/// One task of a batch on a cluster
#[derive(Args)]
pub struct BatchTask {
    /// Where the batch has written what its tasks do
    pub place: PathBuf,
    /// Which list the task is of
    pub list: String,
    /// The number of the task in it
    pub number: usize,
}

impl Batch {
    /// Threads of each process; 0 is one per core.
    pub fn threads(&self) -> usize {
        match self.processes {
            _ if self.slurm => 1,
            1 => 0,
            several => std::thread::available_parallelism().map_or(1, usize::from).div_ceil(several),
        }
    }
}
