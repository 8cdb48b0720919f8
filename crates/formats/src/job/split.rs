//! A bake cut up: what all workers would work out again put into a folder, and its tiles shared out by what they are likely to cost.

use super::folder::{Estimated, Job, JobFault, NewJob, Program, Share};
use ember_ridge_core::Mesh;
use ember_ridge_core::bake::{Blocks, Costs, Plan, Watch, share_out};
use ember_ridge_core::scene::ReadyScene;
use ember_ridge_core::sheet::TILE;
use std::path::{Path, PathBuf};

/// Seconds that tiles are timed for, to tell what the others cost.
const TIMING: f64 = 3.0;
/// Bytes of a worker besides what it has mapped and read: the program itself, and what each thread works with.
const OF_PROGRAM: u64 = 64 << 20;
const OF_THREAD: u64 = 32 << 20;
/// Bytes of tiles that the join keeps at hand, and seconds that a texel of a map takes it (docs/performance.md).
const OF_TILES: u64 = 64 << 20;
const JOINED_TEXEL: f64 = 4e-7;

/// How a bake is to be cut up.
pub struct SplitOrder<'a> {
    pub shares: usize,
    pub keeps_hits: bool,
    /// The program that workers run.
    pub program: Program,
    /// Files that the recipe reads: the name each goes by, and where it lies.
    pub inputs: Vec<(PathBuf, PathBuf)>,
    pub cage: Option<&'a Mesh>,
}

/// Cuts a bake up into a new folder, on the thread pool this is called in. `stage` hears what is done next. None when the watch asked to stop;
/// the folder then holds no job.
///
/// # Errors
/// As [`Job::make`].
pub fn split(
    plan: &Plan,
    order: SplitOrder,
    folder: &Path,
    watch: &dyn Watch,
    stage: &dyn Fn(&str),
) -> Result<Option<Job>, JobFault> {
    Job::ready(folder)?;
    let recipe = &plan.recipe;
    let blocks = Blocks::of(plan, order.shares);
    stage("timing some tiles");
    let costs = Costs::measured(plan, &blocks, watch, TIMING);
    if watch.stopped() {
        return Ok(None);
    }
    let shares: Vec<Share> = share_out(&costs.blocks, order.shares)
        .into_iter()
        .map(|own| {
            let (blocks, costs) = own.into_iter().unzip();
            Share { blocks, costs }
        })
        .collect();
    let scene = &plan.rays.scene;
    let ready = ReadyScene::of(scene, order.cage);
    let prepared = ready.pack();
    let mapped: u64 = prepared.sections.iter().map(|(_, section)| section.len() as u64).sum();
    let meshes = (scene.high.bytes() + 2 * scene.low.mesh.bytes()) as u64;
    let of_share = |share: &Share| share.costs.iter().map(|cost| f64::from(*cost)).sum::<f64>();
    let copied: u64 = order.inputs.iter().map(|(_, path)| path.metadata().map_or(0, |about| about.len())).sum();
    let memory = OF_PROGRAM + mapped + meshes + plan.sheets_bytes();
    let texels = f64::from(recipe.sheet.size).powi(2) * (plan.sheet_names().len() * recipe.maps.len()) as f64;
    let estimate = Estimated {
        seconds: costs.seconds(),
        longest_seconds: shares.iter().map(of_share).fold(0.0, f64::max),
        memory,
        thread_memory: OF_THREAD,
        join_memory: memory + OF_TILES + plan.outcome_bytes(),
        join_seconds: texels * JOINED_TEXEL,
        disk: mapped + copied + plan.spool_bytes() + costs.blocks.len() as u64 * 1024,
        timed_tiles: costs.timed,
    };
    stage("writing the folder");
    let name = if recipe.asset.is_empty() { recipe.low.first().map_or("", |low| low.stem()) } else { &recipe.asset };
    let new = NewJob {
        name: name.to_owned(),
        program: order.program,
        recipe,
        inputs: order.inputs,
        prepared,
        shares,
        tile_side: TILE * blocks.along,
        blocks,
        sheets: plan.sheet_names().iter().map(|name| name.label()).collect(),
        keeps_hits: order.keeps_hits,
        estimate,
    };
    Job::make(folder, new).map(Some)
}

/// Seconds that the thread which asks has run.
pub fn thread_seconds() -> f64 {
    let ran = rustix::time::clock_gettime(rustix::time::ClockId::ThreadCPUTime);
    ran.tv_sec as f64 + ran.tv_nsec as f64 * 1e-9
}
