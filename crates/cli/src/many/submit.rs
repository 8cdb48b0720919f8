//! `ember-ridge submit`: a bake that was split, sent to Slurm or run by processes here.

use crate::Unusable;
use crate::arguments::Submit;
use crate::say::{answer, aside};
use crate::shell::error_of;
use anyhow::{Context, anyhow, bail};
use ember_ridge_formats::job::{Job, MOST_TASKS, SlurmFault, ToSend, quoted};
use serde_json::json;
use std::path::Path;
use std::process::{Command, ExitCode, Stdio};
use std::sync::{Mutex, PoisonError};

pub fn run(arguments: &Submit) -> Result<ExitCode, Unusable> {
    let folder = arguments.dir.canonicalize().unwrap_or(arguments.dir.clone());
    let job = Job::open(&folder)?;
    let out = arguments.out.clone().unwrap_or_else(|| folder.join("maps"));
    let out = std::path::absolute(&out).with_context(|| out.display().to_string())?;
    match arguments.local {
        Some(processes) => run_here(arguments, &job, (&folder, &out), processes),
        None => send(arguments, &job, (&folder, &out)),
    }
}

/// Runs all shares by some processes at a time, then joins them.
fn run_here(
    arguments: &Submit,
    job: &Job,
    (folder, out): (&Path, &Path),
    processes: usize,
) -> Result<ExitCode, Unusable> {
    let program = std::env::current_exe()?;
    let (next, failed) = (Mutex::new(0..job.facts.shares), Mutex::new(0));
    let make = |share: usize| -> Result<(), String> {
        let mut work = Command::new(&program);
        work.arg("work").arg(folder).args(["--job", &share.to_string()]);
        work.args(["--threads", &arguments.threads.to_string()]).stdin(Stdio::null());
        let done = work.output().map_err(|fault| fault.to_string())?;
        if done.status.success() { Ok(()) } else { Err(error_of("work", &done)) }
    };
    let worker = || {
        loop {
            let Some(share) = next.lock().unwrap_or_else(PoisonError::into_inner).next() else { return };
            match make(share) {
                Ok(()) => aside!("share {share} is done"),
                Err(why) => {
                    aside!("share {share} failed: {why}");
                    *failed.lock().unwrap_or_else(PoisonError::into_inner) += 1;
                }
            }
        }
    };
    std::thread::scope(|scope| (0..processes.min(job.facts.shares)).for_each(|_| drop(scope.spawn(worker))));
    let failed = failed.into_inner().unwrap_or_else(PoisonError::into_inner);
    if failed > 0 {
        bail!("{failed} shares failed, and nothing was joined. Run this again: finished tiles are kept");
    }
    let mut join = Command::new(&program);
    join.arg("join").arg(folder).arg("--out").arg(out).stdin(Stdio::null());
    if arguments.json {
        join.arg("--json");
    }
    let code = join.status()?.code().and_then(|code| u8::try_from(code).ok());
    Ok(ExitCode::from(code.unwrap_or(2)))
}

/// What to do where the cluster does not answer.
pub fn not_sent(fault: SlurmFault) -> Unusable {
    anyhow!(
        "{fault}. Run this where sbatch of Slurm answers, or on this machine: submit with --local, batch without --slurm"
    )
}

/// Sends an array job and one that joins its tiles.
fn send(arguments: &Submit, job: &Job, (folder, out): (&Path, &Path)) -> Result<ExitCode, Unusable> {
    let facts = &job.facts;
    let threads = arguments.threads.max(1);
    let program = std::env::current_exe()?;
    let slurm = arguments.cluster.slurm();
    let number = slurm.send_shares(job, &program, threads).map_err(not_sent)?;
    let (program, dir) = (quoted(&program), quoted(folder));
    let command = format!("{program} join {dir} --out {} --threads {threads}", quoted(out));
    let name = format!("join-{}", facts.name);
    let (of_task, bytes_of_task) = job.of_task(threads);
    let (time, memory) = slurm.limits(of_task, bytes_of_task);
    let logs = job.logs();
    let bytes = facts.estimate.join_memory + facts.estimate.thread_memory * threads as u64;
    let seconds = facts.estimate.join_seconds;
    let log = logs.join("join.log");
    let join = ToSend { name: &name, comment: None, log, threads, seconds, bytes, after: Some(&number) };
    let join = slurm.send_one(&join, &command).map_err(not_sent)?;
    let tasks = facts.shares.min(MOST_TASKS);
    if arguments.json {
        let shares = facts.shares;
        let told = json!({
            "array": number, "join": join, "tasks": tasks, "shares": shares, "time": time, "memory": memory, "out": out,
            "logs": logs,
        });
        answer!("{told:#}");
    } else {
        answer!("array job {number}: {tasks} tasks, {memory} of memory and a time limit of {time} each");
        answer!("join job {join} after it; maps go to {}, logs to {}", out.display(), logs.display());
        answer!("how far it is: ember-ridge status {}", arguments.dir.display());
    }
    Ok(ExitCode::SUCCESS)
}
