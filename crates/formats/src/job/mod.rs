//! The folder of a bake that many processes make: the recipe, its files by hash, what all of them would work out again, who makes which
//! tiles, and the tiles as they come. Processes know each other by this folder alone; it may be shared between machines, or copied.

mod folder;
mod mapped;
mod progress;
mod slurm;
mod split;
mod tiles;

pub use folder::{Estimated, Input, Job, JobFacts, JobFault, NewJob, Program, Share};
pub use mapped::{open_packed, write_packed};
pub use progress::{FailedShare, Status};
pub use slurm::{MOST_TASKS, Slurm, SlurmFault, TRY_AGAIN, ToSend, quoted};
pub use split::{SplitOrder, split, thread_seconds};
pub use tiles::{JobTiles, NoTile};
