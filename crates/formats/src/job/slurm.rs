//! Slurm by its own commands: scripts sent with sbatch, what is in the queue asked of squeue, and jobs ended with scancel.

use super::folder::{Job, with_path};
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus, Stdio};
use std::time::{Duration, Instant};

/// Tasks of an array, at most: what clusters allow unless they are told otherwise. A task then does several things, one after the other.
pub const MOST_TASKS: usize = 1000;
/// Try again later, as in sysexits.h: the code of a worker that was asked to stop.
pub const TRY_AGAIN: u8 = 75;
/// Something may take so many times what was estimated, and so many seconds besides, before it is ended.
const SLACK: f64 = 3.0;
const LEAST_SECONDS: f64 = 600.0;
/// A command that says nothing for so long is given up: one that asks, and one that sends.
const ASKS: Duration = Duration::from_secs(10);
const SENDS: Duration = Duration::from_secs(60);

/// How jobs are sent.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Slurm {
    /// The command that sends: `sbatch` where it is on the path, or where it lies; squeue and scancel lie beside it.
    pub command: PathBuf,
    /// The cluster's own where none is named.
    pub partition: Option<String>,
    /// Time and memory of a task, as Slurm writes them; as estimated where none is given.
    pub time: Option<String>,
    pub memory: Option<String>,
    /// Further options for sbatch, as they are.
    pub options: Vec<String>,
}

/// A job that is to be sent.
pub struct ToSend<'a> {
    pub name: &'a str,
    /// What the queue tells beside its number, for [`Slurm::sent_for`].
    pub comment: Option<&'a str>,
    /// Where its words go; of an array, `%a` is the number of the task.
    pub log: PathBuf,
    pub threads: usize,
    /// Estimated, of a task.
    pub seconds: f64,
    pub bytes: u64,
    /// Jobs that have to end before it begins.
    pub after: Option<&'a str>,
}

/// Why a cluster did not do what it was asked.
#[derive(Debug, thiserror::Error)]
pub enum SlurmFault {
    /// The command is missing, or does not answer in time.
    #[error("{command}: {fault}")]
    Silent { command: String, fault: String },
    #[error("{command} failed: {said}")]
    Refused { command: String, said: String },
    /// The folder for what tasks say cannot be made.
    #[error("{0}")]
    Folder(#[from] io::Error),
}

impl Slurm {
    /// Sends an array that runs a command of a shell with the numbers below `count`, at most [`MOST_TASKS`] tasks; its number.
    ///
    /// # Errors
    /// Slurm does not answer, or refuses it.
    pub fn send_array(&self, job: &ToSend, command: &str, count: usize) -> Result<String, SlurmFault> {
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
    /// As [`Slurm::send_array`].
    pub fn send_one(&self, job: &ToSend, command: &str) -> Result<String, SlurmFault> {
        self.send(job, &[], &format!("#!/bin/bash\nexec {command}\n"))
    }

    /// Sends all shares of a job, to be made by a program on so many threads each; the number of the array. What tasks say goes to `logs` in
    /// the job's folder.
    ///
    /// # Errors
    /// As [`Slurm::send_array`].
    pub fn send_shares(&self, job: &Job, program: &Path, threads: usize) -> Result<String, SlurmFault> {
        let logs = job.logs();
        std::fs::create_dir_all(&logs).map_err(with_path(&logs))?;
        let work = format!("{} work {} --threads {threads} --job", quoted(program), quoted(job.folder()));
        let (seconds, bytes) = job.of_task(threads);
        let name = format!("bake-{}", job.facts.name);
        let log = logs.join("share-%a.log");
        let comment = Some(&*comment_of(job));
        let array = ToSend { name: &name, comment, log, threads, seconds, bytes, after: None };
        self.send_array(&array, &work, job.facts.shares)
    }

    /// Arrays that [`Slurm::send_shares`] sent for a job and that wait or run, whoever sent them; not those that are being ended.
    ///
    /// # Errors
    /// The cluster does not answer.
    pub fn sent_for(&self, job: &Job) -> Result<Vec<String>, SlurmFault> {
        let comment = comment_of(job);
        let mut sent: Vec<String> = Vec::new();
        for line in self.queue(&["--states=PENDING,RUNNING,SUSPENDED", "--format=%F %k"])?.lines() {
            if let Some((number, of)) = line.trim().split_once(' ')
                && of == comment
                && !sent.iter().any(|known| known == number)
            {
                sent.push(number.to_owned());
            }
        }
        Ok(sent)
    }

    /// Time and memory that a task is given, as Slurm writes them.
    pub fn limits(&self, seconds: f64, bytes: u64) -> (String, String) {
        let minutes = ((seconds * SLACK + LEAST_SECONDS) / 60.0).ceil() as u64;
        let time = self.time.clone().unwrap_or_else(|| minutes.to_string());
        (time, self.memory.clone().unwrap_or_else(|| format!("{}M", bytes.div_ceil(1 << 20))))
    }

    fn send(&self, job: &ToSend, more: &[String], script: &str) -> Result<String, SlurmFault> {
        let (time, memory) = self.limits(job.seconds, job.bytes);
        let name: String = job.name.chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
        let mut sbatch = Command::new(&self.command);
        sbatch.args(["--parsable", "--open-mode=append"]).args(more);
        sbatch.args(job.comment.iter().map(|comment| format!("--comment={comment}")));
        sbatch.arg(format!("--job-name={name}")).arg(format!("--output={}", job.log.display()));
        sbatch.arg(format!("--cpus-per-task={}", job.threads.max(1)));
        sbatch.arg(format!("--time={time}")).arg(format!("--mem={memory}"));
        sbatch.args(job.after.iter().map(|number| format!("--dependency=afterany:{number}")));
        sbatch.args(self.partition.iter().map(|partition| format!("--partition={partition}")));
        sbatch.args(&self.options);
        // A cluster's name may follow the number.
        let said = told_by(sbatch, script, SENDS)?;
        let number = said.trim().split(';').next().unwrap_or_default().to_owned();
        match number.is_empty() {
            true => Err(SlurmFault::Refused { command: "sbatch".into(), said: "it named no job".into() }),
            false => Ok(number),
        }
    }

    /// A command that lies beside the one that sends.
    fn beside(&self, name: &str) -> Command {
        Command::new(self.command.with_file_name(name))
    }

    /// Whether any of these jobs is in the queue or runs.
    ///
    /// # Errors
    /// The cluster does not answer.
    pub fn in_queue(&self, numbers: &[String]) -> Result<bool, SlurmFault> {
        let listed = self.queue(&["--format=%F"])?;
        Ok(listed.lines().any(|line| numbers.iter().any(|number| line.trim() == number)))
    }

    /// What the queue tells of this user's jobs, a line each task: %F is the number of its array.
    fn queue(&self, more: &[&str]) -> Result<String, SlurmFault> {
        let mut squeue = self.beside("squeue");
        squeue.args(["--noheader", "--me"]).args(more);
        told_by(squeue, "", ASKS)
    }

    /// Ends jobs, those that run and those that wait.
    ///
    /// # Errors
    /// The cluster does not answer.
    pub fn cancel(&self, numbers: &[String]) -> Result<(), SlurmFault> {
        let mut scancel = self.beside("scancel");
        scancel.args(numbers);
        told_by(scancel, "", ASKS).map(drop)
    }
}

/// How the queue knows the tasks of a job: by its folder.
fn comment_of(job: &Job) -> String {
    job.folder().to_string_lossy().into_owned()
}

/// What a command says when it is given some words, if it does so in time.
fn told_by(mut command: Command, words: &str, patience: Duration) -> Result<String, SlurmFault> {
    let name = command.get_program().to_string_lossy().into_owned();
    let silent = |fault: io::Error| SlurmFault::Silent { command: name.clone(), fault: fault.to_string() };
    let child = command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn();
    let mut child = child.map_err(silent)?;
    // One that ends before it has read all says why on its standard error.
    let _ = child.stdin.take().map(|mut stdin| stdin.write_all(words.as_bytes()));
    let (out, err) = (read_apart(child.stdout.take()), read_apart(child.stderr.take()));
    let status = ended(&mut child, patience).map_err(silent)?;
    let (out, err) = (out.join().unwrap_or_default(), err.join().unwrap_or_default());
    match status.success() {
        true => Ok(out),
        false => {
            let said = if err.trim().is_empty() { status.to_string() } else { err.trim().to_owned() };
            // It is there: where it lies is of no interest.
            let command = Path::new(&name).file_name().map_or(name.clone(), |file| file.to_string_lossy().into_owned());
            Err(SlurmFault::Refused { command, said })
        }
    }
}

/// Reads a pipe beside everything else, so that it never fills.
fn read_apart(pipe: Option<impl Read + Send + 'static>) -> std::thread::JoinHandle<String> {
    std::thread::spawn(move || {
        let mut said = Vec::new();
        // What was said until it broke off is told.
        let _ = pipe.map(|mut pipe| pipe.read_to_end(&mut said));
        String::from_utf8_lossy(&said).into_owned()
    })
}

/// How a command ended, which is killed once it has taken too long.
fn ended(child: &mut Child, patience: Duration) -> io::Result<ExitStatus> {
    let begun = Instant::now();
    loop {
        if let Some(status) = child.try_wait()? {
            return Ok(status);
        }
        if begun.elapsed() > patience {
            child.kill()?;
            child.wait()?;
            return Err(io::Error::other(format!("it did not answer within {} s", patience.as_secs())));
        }
        std::thread::sleep(Duration::from_millis(10));
    }
}

/// A path as a word of a shell.
pub fn quoted(path: &Path) -> String {
    format!("'{}'", path.to_string_lossy().replace('\'', "'\\''"))
}
