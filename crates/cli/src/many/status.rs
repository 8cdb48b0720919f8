//! `ember-ridge status`: how far a bake that was split is, told from its folder alone. Exit code 1: a share failed.

use super::duration;
use crate::Unusable;
use crate::arguments::Status;
use crate::say::answer;
use ember_ridge_formats::job::Job;
use std::process::ExitCode;

pub fn run(arguments: &Status) -> Result<ExitCode, Unusable> {
    let status = Job::open(&arguments.dir)?.status()?;
    if arguments.json {
        answer!("{}", serde_json::to_string_pretty(&status)?);
        return Ok(ExitCode::from(u8::from(!status.failed_shares.is_empty())));
    }
    answer!(
        "{} of {} tiles done, {} left; {} of {} shares done",
        status.done,
        status.tiles,
        status.left,
        status.shares_done,
        status.shares
    );
    if let Some(rate) = status.rate {
        let left = status.seconds_left.map_or(String::new(), |seconds| format!(", about {} left", duration(seconds)));
        answer!("  {rate:.1} tiles a second lately{left}");
    }
    for failed in &status.failed_shares {
        answer!("  share {} failed: {}", failed.share, failed.why);
    }
    Ok(ExitCode::from(u8::from(!status.failed_shares.is_empty())))
}
