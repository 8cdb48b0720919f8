//! Slurm's commands, with scripts in their place that write down what they were asked; what is sent is run by the shell, as a node would.

use ember_ridge_formats::job::{MOST_TASKS, Slurm, SlurmFault, TRY_AGAIN, ToSend, quoted};
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};
use std::time::{Duration, Instant};

/// Commands of a cluster in a folder of their own, each a script of bash that runs there.
struct Commands(tempfile::TempDir);

impl Commands {
    fn new(scripts: &[(&str, &str)]) -> Commands {
        let commands = Commands(tempfile::tempdir().expect("a folder"));
        for (name, script) in scripts {
            let place = commands.at(name);
            fs::write(&place, format!("#!/bin/bash\ncd \"$(dirname \"$0\")\" || exit 1\n{script}\n")).expect("written");
            fs::set_permissions(&place, fs::Permissions::from_mode(0o755)).expect("made a command");
        }
        commands
    }

    fn at(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn lines(&self, name: &str) -> Vec<String> {
        fs::read_to_string(self.at(name)).unwrap_or_default().lines().map(str::to_owned).collect()
    }

    fn slurm(&self) -> Slurm {
        let command = self.at("sbatch");
        Slurm { command, partition: None, time: None, memory: None, options: Vec::new() }
    }

    /// Runs what was sent as one task of array 77.
    fn task(&self, number: usize) -> Command {
        let path = format!("{}:{}", self.0.path().display(), std::env::var("PATH").expect("a path"));
        let mut task = Command::new("bash");
        task.arg(self.at("script")).current_dir(self.0.path()).env("PATH", path);
        task.env("SLURM_ARRAY_JOB_ID", "77").env("SLURM_ARRAY_TASK_ID", number.to_string());
        task
    }

    fn run_task(&self, number: usize) -> Output {
        self.task(number).output().expect("it runs")
    }
}

/// Writes down its arguments, a line each, and the script.
const SBATCH: &str = "printf '%s\\n' \"$@\" > asked; cat > script; echo '77;night'";
const SCONTROL: &str = "echo \"$*\" >> requeued";

fn job(name: &str) -> ToSend<'_> {
    let log = PathBuf::from("/logs/of it/%a.log");
    ToSend { name, comment: None, log, threads: 2, seconds: 60.0, bytes: 300 << 20, after: None }
}

#[test]
fn a_task_does_every_thousandth_thing_and_is_given_the_time_of_all_of_them() {
    let commands = Commands::new(&[("sbatch", SBATCH)]);
    let number = commands.slurm().send_array(&job("lamp"), "echo", 2 * MOST_TASKS + 500).expect("sent");
    assert_eq!(number, "77", "without the name of the cluster");
    assert!(commands.lines("asked").contains(&"--array=0-999".into()));
    // Three things of a minute, three times as long as told, and ten minutes besides.
    assert!(commands.lines("asked").contains(&"--time=19".into()), "{:?}", commands.lines("asked"));
    for (task, done) in [(0, "0\n1000\n2000\n"), (499, "499\n1499\n2499\n"), (500, "500\n1500\n"), (999, "999\n1999\n")]
    {
        let ran = commands.run_task(task);
        assert_eq!((ran.status.code(), String::from_utf8_lossy(&ran.stdout).as_ref()), (Some(0), done));
    }
    commands.slurm().send_array(&job("lamp"), "echo", 3).expect("sent");
    assert!(commands.lines("asked").contains(&"--array=0-2".into()));
    assert!(commands.lines("asked").contains(&"--time=13".into()));
    assert_eq!(String::from_utf8_lossy(&commands.run_task(2).stdout), "2\n");
}

#[test]
fn sbatch_is_asked_as_the_job_and_the_cluster_say() {
    let commands = Commands::new(&[("sbatch", SBATCH)]);
    let mut wanted = job("Old köat/lamp 2");
    (wanted.after, wanted.comment) = (Some("12"), Some("/jobs/of it"));
    commands.slurm().send_one(&wanted, "true").expect("sent");
    let told = [
        "--parsable",
        "--open-mode=append",
        "--comment=/jobs/of it",
        "--job-name=Old-köat-lamp-2",
        "--output=/logs/of it/%a.log",
        "--cpus-per-task=2",
        "--time=13",
        "--mem=300M",
        "--dependency=afterany:12",
    ];
    assert_eq!(commands.lines("asked"), told);
    assert_eq!(commands.lines("script"), ["#!/bin/bash", "exec true"]);
    let (partition, time, memory) = (Some("short".into()), Some("1-00".into()), Some("2G".into()));
    // The cluster's own options come last, so that they have the last word.
    let options = vec!["--account=props".into(), "--comment=night".into()];
    Slurm { partition, time, memory, options, ..commands.slurm() }.send_one(&job("lamp"), "true").expect("sent");
    let asked = commands.lines("asked");
    assert_eq!(asked[5..], ["--time=1-00", "--mem=2G", "--partition=short", "--account=props", "--comment=night"]);
}

#[test]
fn what_fails_leaves_the_rest_of_its_task_and_is_told_in_the_end() {
    let commands = Commands::new(&[("sbatch", SBATCH), ("scontrol", SCONTROL)]);
    // Numbers below a thousand fail.
    let work = r#"bash -c 'echo $1 >> done; (( $1 >= 1000 )) || exit 3' work"#;
    commands.slurm().send_array(&job("lamp"), work, 2000).expect("sent");
    assert_eq!(commands.run_task(5).status.code(), Some(3));
    assert_eq!(commands.lines("done"), ["5", "1005"]);
    assert!(commands.lines("requeued").is_empty());
}

#[test]
fn a_task_whose_worker_was_asked_to_stop_puts_itself_back() {
    let commands = Commands::new(&[("sbatch", SBATCH), ("scontrol", SCONTROL)]);
    // It says so by its code.
    let work = format!("bash -c 'echo $1 >> done; exit {TRY_AGAIN}' work");
    commands.slurm().send_array(&job("lamp"), &work, 2000).expect("sent");
    assert_eq!(commands.run_task(5).status.code(), Some(TRY_AGAIN.into()));
    assert_eq!(commands.lines("done"), ["5"], "the others of its numbers wait for their next turn");
    assert_eq!(commands.lines("requeued"), ["requeue 77_5"]);
    // Or the task itself is asked: its worker ends as it likes to, here after what it has in hand.
    let work = "bash -c 'trap \"sleep 0.3; echo $1 >> ended; exit 0\" TERM; echo $1 >> begun; while :; do sleep 0.02; done' work";
    commands.slurm().send_array(&job("lamp"), work, 2000).expect("sent");
    let mut task = commands.task(7).stdout(Stdio::null()).spawn().expect("it runs");
    let begun = Instant::now();
    while commands.lines("begun").is_empty() {
        assert!(begun.elapsed() < Duration::from_secs(60), "the task never began");
        std::thread::sleep(Duration::from_millis(10));
    }
    Command::new("kill").args(["-TERM", &task.id().to_string()]).status().expect("asked");
    assert_eq!(task.wait().expect("it ended").code(), Some(TRY_AGAIN.into()));
    assert_eq!(commands.lines("ended"), ["7"], "it was waited for");
    assert_eq!(commands.lines("requeued"), ["requeue 77_5", "requeue 77_7"]);
}

#[test]
fn the_queue_is_asked_for_whole_numbers_however_long_it_is() {
    let of_all = "printf '%s\\n' \"$@\" > asked; seq -f '      %.0f' 1000 200000";
    let commands = Commands::new(&[("squeue", of_all), ("scancel", "printf '%s\\n' \"$@\" > ended")]);
    let in_queue = |numbers: &[&str]| {
        let numbers: Vec<String> = numbers.iter().map(|number| (*number).to_owned()).collect();
        commands.slurm().in_queue(&numbers).expect("it answers")
    };
    assert!(in_queue(&["7", "1000"]) && in_queue(&["200000"]));
    assert!(!in_queue(&["100", "00", "200001"]) && !in_queue(&[]));
    assert_eq!(commands.lines("asked"), ["--noheader", "--me", "--format=%F"]);
    commands.slurm().cancel(&["12".into(), "13".into()]).expect("it answers");
    assert_eq!(commands.lines("ended"), ["12", "13"]);
}

#[test]
fn who_refuses_is_told_from_who_does_not_answer() {
    let says = "echo 'error: no such partition' >&2; exit 1";
    // One that hangs is given up, and does not live on.
    let hangs = "echo $$ > hung; exec sleep 600";
    let commands = Commands::new(&[("sbatch", says), ("squeue", hangs), ("scancel", "exit 9")]);
    let send = |slurm: &Slurm| slurm.send_one(&job("lamp"), "true").expect_err("not sent");
    let refused = send(&commands.slurm());
    assert!(matches!(refused, SlurmFault::Refused { .. }));
    assert_eq!(refused.to_string(), "sbatch failed: error: no such partition");
    let wordless = commands.slurm().cancel(&["1".into()]).expect_err("it failed");
    assert_eq!(wordless.to_string(), "scancel failed: exit status: 9");
    let nowhere = send(&Slurm { command: commands.at("no such place/sbatch"), ..commands.slurm() });
    assert!(matches!(nowhere, SlurmFault::Silent { .. }));
    assert!(nowhere.to_string().contains("no such place/sbatch: "), "where it was looked for: {nowhere}");
    let hung = commands.slurm().in_queue(&["1".into()]).expect_err("no answer");
    assert!(matches!(hung, SlurmFault::Silent { .. }) && hung.to_string().contains("did not answer within 10 s"));
    let process = commands.lines("hung").concat();
    assert!(!Path::new("/proc").join(process).exists(), "it was killed and waited for");
    let nameless = Commands::new(&[("sbatch", "cat > /dev/null; echo")]);
    assert!(send(&nameless.slurm()).to_string().contains("named no job"));
}

#[test]
fn paths_are_words_of_a_shell() {
    for path in ["/plain/program", "/of it/it's \"here\"/$HOME `x` \\ *", "/new\nline"] {
        let told = Command::new("bash").arg("-c").arg(format!("printf %s {}", quoted(Path::new(path)))).output();
        assert_eq!(String::from_utf8_lossy(&told.expect("it runs").stdout), path);
    }
}
