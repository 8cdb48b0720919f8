//! `ember-ridge work`: the tiles of one share. Exit code 75: it was asked to stop, and is to be run again.

use super::{plan_of, this_program};
use crate::Unusable;
use crate::arguments::Work;
use crate::progress::Progress;
use crate::say::{answer, aside};
use anyhow::bail;
use ember_ridge_core::bake::{Ended, Made, on_threads, run_apart};
use ember_ridge_formats::job::{Job, Share, TRY_AGAIN};
use std::process::ExitCode;

pub fn run(arguments: &Work) -> Result<ExitCode, Unusable> {
    let progress = Progress::that_stops()?;
    let job = Job::open(&arguments.dir)?;
    let shares = job.facts.shares;
    if arguments.job > shares {
        bail!("--job: there are {shares} shares, counted from 0; give a number below {shares}");
    }
    let share = arguments.job % shares;
    let made = make(&job, share, arguments.threads, &progress);
    progress.finish();
    match made {
        Ok(Made { left: 0, made, skipped, rays }) => {
            job.note_done(share);
            answer!("share {share}: {made} tiles made with {rays} rays, {skipped} were there");
            Ok(ExitCode::SUCCESS)
        }
        Ok(Made { left, made, skipped, .. }) => {
            aside!(
                "share {share}: asked to stop; {made} tiles made, {skipped} were there, {left} are left. Run it again"
            );
            Ok(ExitCode::from(TRY_AGAIN))
        }
        Err(fault) => {
            // Where not even this can be written, standard error has it.
            let _ = job.note_failed(share, &format!("{fault:#}"));
            Err(fault)
        }
    }
}

fn make(job: &Job, share: usize, threads: usize, progress: &Progress) -> Result<Made, Unusable> {
    on_threads(threads, || {
        job.check(&this_program()?)?;
        let shares = job.shares()?;
        let Some(Share { blocks: own, .. }) = shares.get(share) else {
            bail!("{}: it has no share {share}. Split the bake again, into a new folder", job.folder().display())
        };
        let plan = plan_of(job, &job.recipe()?, progress)?;
        match run_apart(&plan, threads, progress, (&job.facts.blocks, own), &job.tiles()) {
            Ok(made) => Ok(made),
            Err(Ended::Spool(fault)) => {
                bail!(
                    "{fault}. Free some space there, or let it be written to; then run it again: finished tiles are kept"
                )
            }
            Err(fault) => bail!(fault),
        }
    })
}
