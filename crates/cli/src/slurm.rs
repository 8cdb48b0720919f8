//! Slurm by its own commands: scripts sent with sbatch, and what is in the queue asked of squeue.

use crate::Unusable;
use crate::many::TRY_AGAIN;
use anyhow::{Context, anyhow, bail};
use clap::Args;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// Tasks of an array, at most: what clusters allow unless they are told otherwise. A task then does several things, one after the other.
pub const MOST_TASKS: usize = 1000;
/// Something may take so many times what was estimated, and so many seconds besides, before it is ended.
const SLACK: f64 = 3.0;
const LEAST_SECONDS: f64 = 600.0;

/// How jobs are sent.
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

/// A job that is to be sent.
pub struct ToSend<'a> {
    pub name: &'a str,
    /// Where its words go; of an array, `%a` is the number of the task.
    pub log: PathBuf,
    pub threads: usize,
    /// Estimated, of a task.
    pub seconds: f64,
    pub bytes: u64,
    /// Jobs that have to end before it begins.
    pub after: Option<&'a str>,
}

impl Cluster {
    /// Sends an array that runs a command of a shell with the numbers below `count`, at most [`MOST_TASKS`] tasks; its number.
    ///
    /// # Errors
    /// Slurm does not answer, or refuses it.
    pub fn send_array(&self, job: &ToSend, command: &str, count: usize) -> Result<String, Unusable> {
        let tasks = count.min(MOST_TASKS);
        let script = format!(
            "#!/bin/bash\n\
             # Asked to stop, a worker ends after the tile in hand; its task is then put in the queue again.\n\
             stopped=0\n\
             failed=0\n\
             trap 'stopped=1; kill -TERM \"$worker\" 2>/dev/null' TERM\n\
             for (( number = SLURM_ARRAY_TASK_ID; number < {count}; number += {tasks} )); do\n\
               {command} \"$number\" &\n\
               worker=$!\n\
               wait \"$worker\"; code=$?\n\
               if (( stopped )); then wait \"$worker\"; code=$?; fi\n\
               if (( stopped || code == {TRY_AGAIN} )); then\n\
                 scontrol requeue \"${{SLURM_ARRAY_JOB_ID}}_${{SLURM_ARRAY_TASK_ID}}\"\n\
                 exit {TRY_AGAIN}\n\
               fi\n\
               if (( code != 0 )); then failed=$code; fi\n\
             done\n\
             exit \"$failed\"\n"
        );
        let each = ToSend { seconds: job.seconds * count.div_ceil(tasks) as f64, log: job.log.clone(), ..*job };
        self.send(&each, &[format!("--array=0-{}", tasks - 1), "--requeue".into()], &script)
    }

    /// Sends a job that runs a command of a shell once; its number.
    ///
    /// # Errors
    /// As [`Cluster::send_array`].
    pub fn send_one(&self, job: &ToSend, command: &str) -> Result<String, Unusable> {
        self.send(job, &[], &format!("#!/bin/bash\nexec {command}\n"))
    }

    /// Time and memory that a task is given, as Slurm writes them.
    pub fn limits(&self, seconds: f64, bytes: u64) -> (String, String) {
        let minutes = ((seconds * SLACK + LEAST_SECONDS) / 60.0).ceil() as u64;
        let time = self.time.clone().unwrap_or_else(|| minutes.to_string());
        (time, self.memory.clone().unwrap_or_else(|| format!("{}M", bytes.div_ceil(1 << 20))))
    }

    fn send(&self, job: &ToSend, more: &[String], script: &str) -> Result<String, Unusable> {
        let (time, memory) = self.limits(job.seconds, job.bytes);
        let name: String = job.name.chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
        let mut sbatch = Command::new("sbatch");
        sbatch.args(["--parsable", "--open-mode=append"]).args(more);
        sbatch.arg(format!("--job-name={name}")).arg(format!("--output={}", job.log.display()));
        sbatch.arg(format!("--cpus-per-task={}", job.threads.max(1)));
        sbatch.arg(format!("--time={time}")).arg(format!("--mem={memory}"));
        sbatch.args(job.after.iter().map(|number| format!("--dependency=afterany:{number}")));
        sbatch.args(self.partition.iter().map(|partition| format!("--partition={partition}")));
        sbatch.args(&self.options);
        told_by(sbatch, script)
    }
}

/// The number of the job that sbatch made of a script.
fn told_by(mut sbatch: Command, script: &str) -> Result<String, Unusable> {
    let remedy =
        "Run this where sbatch of Slurm answers, or on this machine: submit with --local, batch without --slurm";
    let child = sbatch.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn();
    let mut child = child.map_err(|fault| anyhow!("sbatch: {fault}. {remedy}"))?;
    // One that ends before it has read all says why on its standard error.
    let _ = child.stdin.take().map(|mut stdin| stdin.write_all(script.as_bytes()));
    let said = child.wait_with_output().context("sbatch")?;
    if !said.status.success() {
        bail!("sbatch refused the job: {}. {remedy}", String::from_utf8_lossy(&said.stderr).trim());
    }
    // A cluster's name may follow the number.
    let number = String::from_utf8_lossy(&said.stdout).trim().split(';').next().unwrap_or_default().to_owned();
    if number.is_empty() {
        bail!("sbatch named no job. {remedy}");
    }
    Ok(number)
}

/// Whether any of these jobs is in the queue or runs; None where the cluster does not answer.
pub fn in_queue(numbers: &[String]) -> Option<bool> {
    let mut squeue = Command::new("squeue");
    // The number of the array, for each of its tasks too.
    squeue.args(["--noheader", "--format=%F"]).stdin(Stdio::null());
    let said = squeue.output().ok().filter(|said| said.status.success())?;
    let listed = String::from_utf8_lossy(&said.stdout);
    Some(listed.lines().any(|line| numbers.iter().any(|number| line.trim() == number)))
}

/// A path as a word of a shell.
pub fn quoted(path: &Path) -> String {
    format!("'{}'", path.to_string_lossy().replace('\'', "'\\''"))
}
