//! A real Slurm: a key daemon, a controller and two nodes on this machine, started by the test and stopped after it.

use super::{error, program};
use serde_json::Value;
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

/// How long a queue may take to run empty.
pub const PATIENCE: Duration = Duration::from_secs(300);

/// Told past what catches the words of tests that pass.
pub fn loudly(words: &str) {
    let _ = writeln!(std::io::stderr().lock(), "\n*** {words} ***\n");
}

/// Held by whoever has the cluster.
static ONE: Mutex<()> = Mutex::new(());

/// A key daemon, a controller and two nodes, in a scratch folder.
pub struct Slurm {
    folder: tempfile::TempDir,
    running: Vec<Child>,
    /// It was started here, and ends here.
    munge: Option<String>,
    _one: MutexGuard<'static, ()>,
}

pub fn quietly(command: &mut Command) -> Result<String, String> {
    let output = command.stdin(Stdio::null()).output().map_err(|fault| format!("{command:?}: {fault}"))?;
    match output.status.success() {
        true => Ok(String::from_utf8_lossy(&output.stdout).into_owned()),
        false => Err(format!("{command:?}: {}", error(&output).trim())),
    }
}

fn free_ports() -> [u16; 3] {
    let listeners = [(); 3].map(|()| std::net::TcpListener::bind("127.0.0.1:0").expect("a port"));
    listeners.each_ref().map(|listener| listener.local_addr().expect("bound").port())
}

fn munge_answers() -> bool {
    quietly(Command::new("bash").args(["-c", "munge -n | unmunge"])).is_ok_and(|said| said.contains("Success"))
}

/// Starts the daemon that vouches for who sends a job, unless it runs; its process number where it was started.
fn start_munge() -> Result<Option<String>, String> {
    if munge_answers() {
        return Ok(None);
    }
    let prepared = "set -e; install -d -o munge -g munge /run/munge /var/log/munge /var/lib/munge; \
        install -d -o munge -g munge -m 700 /etc/munge; \
        test -e /etc/munge/munge.key || { head -c 1024 /dev/urandom > /etc/munge/munge.key; }; \
        chown munge:munge /etc/munge/munge.key; chmod 400 /etc/munge/munge.key; \
        runuser -u munge -- munged --force";
    quietly(Command::new("bash").args(["-c", prepared]))?;
    let begun = Instant::now();
    while !munge_answers() {
        if begun.elapsed() > Duration::from_secs(10) {
            return Err("munged was started and does not answer".into());
        }
        std::thread::sleep(Duration::from_millis(100));
    }
    Ok(Some(fs::read_to_string("/run/munge/munged.pid").map_err(|fault| fault.to_string())?.trim().to_owned()))
}

impl Slurm {
    pub fn start() -> Result<Slurm, String> {
        let one = ONE.lock().unwrap_or_else(PoisonError::into_inner);
        quietly(Command::new("slurmctld").arg("-V"))?;
        let munge = start_munge()?;
        let folder = tempfile::tempdir().map_err(|fault| fault.to_string())?;
        let host = quietly(Command::new("hostname").arg("-s"))?.trim().to_owned();
        let [port, n1, n2] = free_ports();
        let d = folder.path().display();
        let text = format!(
            "ClusterName=t\nSlurmctldHost={host}(127.0.0.1)\nSlurmUser=root\nSlurmdUser=root\nAuthType=auth/munge\n\
             StateSaveLocation={d}/state\nSlurmdSpoolDir={d}/spool%n\nSlurmctldPidFile={d}/ctld.pid\n\
             SlurmdPidFile={d}/slurmd-%n.pid\nSlurmctldPort={port}\nProctrackType=proctrack/linuxproc\n\
             AuthInfo=cred_expire=5\nSchedulerParameters=sched_interval=1\nTaskPlugin=task/none\nSelectType=select/cons_tres\nReturnToService=2\nMinJobAge=2\nKillWait=5\n\
             SlurmctldLogFile={d}/ctld.log\nSlurmdLogFile={d}/slurmd-%n.log\n\
             NodeName=n1 NodeHostname={host} NodeAddr=127.0.0.1 Port={n1} CPUs=1 RealMemory=4000\n\
             NodeName=n2 NodeHostname={host} NodeAddr=127.0.0.1 Port={n2} CPUs=1 RealMemory=4000\n\
             PartitionName=p Nodes=n[1-2] Default=YES MaxTime=INFINITE State=UP\n"
        );
        fs::write(folder.path().join("slurm.conf"), text).map_err(|fault| fault.to_string())?;
        for name in ["state", "spooln1", "spooln2"] {
            fs::create_dir(folder.path().join(name)).map_err(|fault| fault.to_string())?;
        }
        let mut slurm = Slurm { folder, running: Vec::new(), munge, _one: one };
        slurm.begin("slurmctld", &["-D"])?;
        std::thread::sleep(Duration::from_secs(2));
        slurm.begin("slurmd", &["-D", "-N", "n1"])?;
        slurm.begin("slurmd", &["-D", "-N", "n2"])?;
        let begun = Instant::now();
        while slurm.told("sinfo", &["-h", "-N", "-o", "%T"]).is_none_or(|said| said.matches("idle").count() != 2) {
            if begun.elapsed() > Duration::from_secs(30) {
                return Err(format!("its nodes do not come up: {:?}", slurm.told("sinfo", &["-R"])));
            }
            std::thread::sleep(Duration::from_millis(200));
        }
        Ok(slurm)
    }

    fn begin(&mut self, daemon: &str, arguments: &[&str]) -> Result<(), String> {
        let mut command = self.command(daemon, arguments);
        let started = command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null()).spawn();
        self.running.push(started.map_err(|fault| format!("{daemon}: {fault}"))?);
        Ok(())
    }

    /// The file by which its commands find it.
    pub fn conf(&self) -> PathBuf {
        self.folder.path().join("slurm.conf")
    }

    fn command(&self, name: &str, arguments: &[&str]) -> Command {
        let mut command = Command::new(name);
        command.args(arguments).env("SLURM_CONF", self.conf());
        command
    }

    pub fn told(&self, name: &str, arguments: &[&str]) -> Option<String> {
        quietly(&mut self.command(name, arguments)).ok()
    }

    /// Waits until no job is in the queue.
    pub fn rest(&self) {
        let begun = Instant::now();
        while self.told("squeue", &["-h"]).is_none_or(|said| !said.trim().is_empty()) {
            assert!(begun.elapsed() < PATIENCE, "{:?}", self.told("squeue", &["-a"]));
            std::thread::sleep(Duration::from_millis(200));
        }
    }

    /// Sends a job folder; the number of its array.
    pub fn submit(&self, folder: &Path) -> String {
        let mut submit = program(folder);
        submit.args([
            "submit",
            "job",
            "--slurm",
            "--out",
            "joined",
            "--time",
            "30",
            "--json",
            "--",
            "--comment=lantern",
        ]);
        let output = submit.env("SLURM_CONF", self.conf()).output().expect("it starts");
        assert!(output.status.success(), "{}", error(&output));
        let told: Value = serde_json::from_slice(&output.stdout).expect("JSON");
        told["array"].as_str().expect("a job's number").to_owned()
    }
}

impl Drop for Slurm {
    fn drop(&mut self) {
        for daemon in self.running.iter_mut().rev() {
            let _ = Command::new("kill").arg(daemon.id().to_string()).output();
            let begun = Instant::now();
            while matches!(daemon.try_wait(), Ok(None)) && begun.elapsed() < Duration::from_secs(10) {
                std::thread::sleep(Duration::from_millis(50));
            }
            let _ = daemon.kill();
            let _ = daemon.wait();
        }
        if let Some(pid) = &self.munge {
            let _ = Command::new("kill").arg(pid).output();
        }
    }
}

/// What is found, once it is.
pub fn wait_for<T>(what: &str, mut look: impl FnMut() -> Option<T>) -> T {
    let begun = Instant::now();
    loop {
        if let Some(found) = look() {
            return found;
        }
        assert!(begun.elapsed() < PATIENCE, "waited in vain for {what}");
        std::thread::sleep(Duration::from_millis(50));
    }
}
