//! A bake over many processes, which know each other by a folder alone: split, work, join, submit, status.

mod join;
mod split;
mod status;
mod submit;
mod work;

pub use join::run as join;
pub use split::run as split;
pub use status::run as status;
pub use submit::{not_sent, run as submit};
pub use work::run as work;

use crate::Unusable;
use crate::files::Files;
use crate::progress::Progress;
use crate::scene::with_pictures;
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{Plan, Watch};
use ember_ridge_core::scene::BakeScene;
use ember_ridge_formats::job::{Job, Program};

/// This program.
fn this_program() -> Result<Program, Unusable> {
    Ok(Program::of(env!("CARGO_PKG_VERSION"), &std::env::current_exe()?)?)
}

/// The plan of a job that was checked, from what was worked out for all.
fn plan_of(job: &Job, recipe: &Recipe, progress: &Progress) -> Result<Plan, Unusable> {
    let files = Files::given(job.facts.inputs.iter().map(|input| (input.file.clone(), job.input(input))));
    let packed = job.prepared()?;
    let scene = BakeScene::unpack(&packed).map_err(|fault| {
        anyhow::anyhow!("{}: {fault}. Split the bake again, into a new folder", job.folder().display())
    })?;
    let scene = with_pictures(scene, recipe, &files, progress)?;
    let plan = Plan::watched(recipe, &scene, progress)?;
    progress.say(&format!("ready after {:.2} s", progress.now()));
    Ok(plan)
}

/// Seconds as people read them.
fn duration(seconds: f64) -> String {
    let whole = seconds.round() as u64;
    match whole {
        0..=99 => format!("{seconds:.1} s"),
        100..=5999 => format!("{} min", whole.div_ceil(60)),
        _ => format!("{} h {} min", whole / 3600, whole % 3600 / 60),
    }
}
