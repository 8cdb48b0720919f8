//! Finals that the page has baked on a cluster, and all that may go wrong there. Small scripts stand in for the commands of the cluster: they
//! run its tasks here, and refuse, fall silent or lose tasks when they are told to. tests/cluster.rs does the same on a real one.

use crate::support::server::{PATIENCE, Server, with_lid};
use serde_json::{Value, json};
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// Takes an array and runs its tasks one after the other. What it is to do otherwise is told by files beside it.
const SBATCH: &str = r#"#!/bin/bash
cd "$(dirname "$0")" || exit 1
[ -e refuses ] && { echo "sbatch: error: the account has no hours left" >&2; exit 1; }
number=$(( $(cat number) + 1 ))
cat > "script-$number"
for word in "$@"; do case $word in --array=0-*) last=${word#--array=0-} ;; --comment=*) comment=${word#--comment=} ;; esac; done
PLACE=$PWD NUMBER=$number LAST=$last setsid bash -c '
    echo $$ > "$PLACE/job-$NUMBER"
    while [ -e "$PLACE/waits" ]; do sleep 0.02; done
    cd / || exit
    for (( task = 0; task <= LAST; task++ )); do
        [ -e "$PLACE/loses" ] || SLURM_ARRAY_TASK_ID=$task bash "$PLACE/script-$NUMBER"
    done
    rm -f "$PLACE/job-$NUMBER"
' < /dev/null > /dev/null 2>&1 &
while [ ! -s "job-$number" ] && kill -0 $! 2> /dev/null; do sleep 0.01; done
echo "$comment" > "comment-$number"
echo "$number" > number.new && mv number.new number
[ -e slow ] && sleep 3
echo "$number"
"#;
const SQUEUE: &str = r#"#!/bin/bash
cd "$(dirname "$0")" || exit 1
[ -e silent ] && { echo "squeue: error: the controller does not respond" >&2; exit 1; }
for job in job-*; do
    number=${job#job-}
    [ -e "$job" ] && case $* in *%k*) echo "$number $(cat "comment-$number")" ;; *) echo "$number" ;; esac
done
exit 0
"#;
const SCANCEL: &str = r#"#!/bin/bash
cd "$(dirname "$0")" || exit 1
for number in "$@"; do
    echo "$number" >> cancelled
    [ -e "job-$number" ] && kill -- "-$(cat "job-$number")"
    rm -f "job-$number"
done
exit 0
"#;

/// A server with a lid, and a cluster that is told what to do by files.
struct Farm {
    server: Server,
    commands: PathBuf,
    jobs: PathBuf,
    _folder: tempfile::TempDir,
}

impl Farm {
    fn new() -> Farm {
        let folder = tempfile::tempdir().expect("a folder");
        let at = |name: &str| folder.path().join(name);
        let (commands, jobs, data) = (at("commands"), at("shared jobs"), at("data"));
        for place in [&commands, &jobs, &data] {
            fs::create_dir(place).expect("made");
        }
        for (name, script) in [("sbatch", SBATCH), ("squeue", SQUEUE), ("scancel", SCANCEL)] {
            fs::write(commands.join(name), script).expect("written");
            fs::set_permissions(commands.join(name), fs::Permissions::from_mode(0o755)).expect("made a command");
        }
        fs::write(commands.join("number"), "100").expect("written");
        let cluster = json!({ "name": "night farm", "command": commands.join("sbatch"), "folder": jobs, "shares": 3 });
        fs::write(data.join("cluster.json"), cluster.to_string()).expect("written");
        Farm { server: with_lid(&data), commands, jobs, _folder: folder }
    }

    fn tell(&self, what: &str, on: bool) {
        let file = self.commands.join(what);
        if on { fs::write(file, "").expect("written") } else { fs::remove_file(file).expect("it was told") }
    }

    fn bake(&self) -> Value {
        let run = self.server.json("POST", "/api/assets/1/runs", &json!({ "kind": "final", "on_cluster": true }));
        assert_eq!(run["cluster"], "night farm");
        run["id"].clone()
    }

    fn go_on(&self, id: &Value, here: bool) {
        self.server.json("POST", &format!("/api/runs/{id}/resume?here={here}"), &Value::Null);
    }

    fn ended(&self, id: &Value) -> Value {
        self.server.wait(id, |run| run["status"] != "waiting" && run["status"] != "running")
    }

    fn failed(&self, id: &Value, words: &[&str]) {
        let run = self.ended(id);
        let error = run["error"].as_str().unwrap_or_default();
        assert_eq!(run["status"], "failed", "{run}");
        assert!(words.iter().all(|word| error.contains(word)), "{words:?}: {error}");
        assert_ne!(run["landed"], 0, "it can go on: {run}");
    }

    /// It is done, by the cluster or here, with the bytes of a bake here, and has left nothing behind.
    fn done(&self, id: &Value, by: Value, bytes: &[u8]) {
        let run = self.ended(id);
        assert_eq!((&run["status"], &run["cluster"]), (&json!("done"), &by), "{run}");
        assert!(self.server.ask("GET", &format!("/api/runs/{id}/maps/normal"), b"", "").1 == bytes, "{run}");
        self.wait_for("its job to be removed", || entries(&self.jobs) == 0);
    }

    /// Numbers of jobs that were sent so far, and of those that were called back.
    fn sent(&self) -> u32 {
        fs::read_to_string(self.commands.join("number")).expect("readable").trim().parse::<u32>().expect("a number")
            - 100
    }

    fn cancelled(&self) -> usize {
        fs::read_to_string(self.commands.join("cancelled")).unwrap_or_default().lines().count()
    }

    /// Waits until so many jobs were sent.
    fn sends(&self, jobs: u32) {
        self.wait_for("a job in the queue", || self.sent() == jobs);
    }

    fn wait_for(&self, what: &str, is: impl Fn() -> bool) {
        let begun = Instant::now();
        while !is() {
            assert!(begun.elapsed() < PATIENCE, "waited in vain for {what}");
            std::thread::sleep(Duration::from_millis(10));
        }
    }
}

fn entries(folder: &Path) -> usize {
    fs::read_dir(folder).expect("a folder").count()
}

#[test]
fn a_final_on_a_cluster_has_the_bytes_of_one_here_and_proofs_go_before_it() {
    let farm = Farm::new();
    let here = farm.server.final_map();
    let first = farm.bake();
    farm.done(&first, json!("night farm"), &here);

    farm.tell("waits", true);
    let second = farm.bake();
    farm.sends(2);
    let proof = farm.server.bake("proof");
    assert_eq!(farm.ended(&proof)["status"], "done", "the cluster's final makes room");
    assert_eq!(farm.cancelled(), 0, "and its tasks stay in the queue");
    farm.tell("waits", false);
    farm.done(&second, json!("night farm"), &here);
    assert_eq!(farm.sent(), 2);

    // Whoever does not answer may be at work all the same.
    farm.tell("silent", true);
    let clusters = farm.server.json("GET", "/api/clusters", &Value::Null);
    assert!(clusters[0]["fault"].as_str().is_some_and(|why| why.contains("does not respond")), "{clusters}");
    let third = farm.bake();
    farm.done(&third, json!("night farm"), &here);
}

#[test]
fn a_final_on_a_cluster_is_stopped_held_and_outlasts_the_program() {
    let mut farm = Farm::new();
    let here = farm.server.final_map();
    farm.tell("waits", true);
    let stopped = farm.bake();
    farm.sends(1);
    farm.server.json("POST", &format!("/api/runs/{stopped}/stop"), &Value::Null);
    assert_eq!(farm.ended(&stopped)["status"], "stopped");
    assert_eq!(farm.cancelled(), 1);
    farm.tell("waits", false);
    farm.go_on(&stopped, false);
    farm.done(&stopped, json!("night farm"), &here);

    farm.tell("waits", true);
    let held = farm.bake();
    farm.sends(3);
    farm.server.json("POST", &format!("/api/runs/{held}/hold"), &json!({ "held": true }));
    farm.wait_for("its tasks to be called back", || farm.cancelled() == 2);
    // The program ends after its tasks are in the queue, before it is told their number.
    farm.tell("slow", true);
    farm.server.json("POST", &format!("/api/runs/{held}/hold"), &json!({ "held": false }));
    farm.sends(4);
    let data = farm.server.data.clone();
    farm.server.child.kill().expect("it ran");
    farm.server.child.wait().expect("it ended");
    farm.server = Server::start(&data);
    farm.tell("slow", false);
    farm.wait_for("it to be worked on", || farm.server.run(&held)["status"] == "running");
    farm.tell("waits", false);
    farm.done(&held, json!("night farm"), &here);
    assert_eq!(farm.sent(), 4, "what was sent before the program ended was waited for");

    // One that was stopped and is deleted leaves nothing.
    farm.tell("waits", true);
    let deleted = farm.bake();
    farm.sends(5);
    farm.server.json("POST", &format!("/api/runs/{deleted}/stop"), &Value::Null);
    farm.ended(&deleted);
    assert_eq!(entries(&farm.jobs), 1);
    farm.server.json("DELETE", &format!("/api/runs/{deleted}"), &Value::Null);
    assert_eq!(entries(&farm.jobs), 0);
}

/// While a proof is baked here, the tasks of a final are at work; whoever stops or holds it then wants them to end too.
#[test]
fn a_final_that_waits_for_a_proof_takes_its_tasks_with_it() {
    let farm = Farm::new();
    // A proof that takes a while.
    farm.server.edit(&["sheet", "proof_size"], json!(2048));
    farm.server.edit(&["sheet", "size"], json!(2048));
    farm.tell("waits", true);
    let last = farm.bake();
    for (jobs, act, body) in [(1, "hold", json!({ "held": true })), (2, "stop", Value::Null)] {
        farm.sends(jobs);
        farm.wait_for("it to be worked on", || farm.server.run(&last)["status"] == "running");
        let proof = farm.server.bake("proof");
        farm.server.wait(&proof, |run| run["status"] == "running");
        assert_eq!(farm.server.run(&last)["status"], "waiting", "the proof goes first");
        assert_eq!(farm.cancelled(), jobs as usize - 1);
        farm.server.json("POST", &format!("/api/runs/{last}/{act}"), &body);
        farm.wait_for("its tasks to be called back", || farm.cancelled() == jobs as usize);
        if act == "hold" {
            farm.server.json("POST", &format!("/api/runs/{last}/hold"), &json!({ "held": false }));
        }
        farm.ended(&proof);
    }
    assert_eq!(farm.ended(&last)["status"], "stopped");
}

/// Nothing that is made here waits for a cluster, and nothing that a cluster has finished waits for more than the run in hand.
#[test]
fn finals_are_baked_here_while_a_cluster_works() {
    let farm = Farm::new();
    let here = farm.server.final_map();
    farm.tell("waits", true);
    let [first, second, home] = [1, 2, 3].map(|jobs| {
        let run = farm.bake();
        farm.sends(jobs);
        run
    });
    let made = farm.server.bake("final");
    assert_eq!(farm.ended(&made)["status"], "done");
    assert_eq!((farm.sent(), farm.cancelled()), (3, 0), "and all jobs are in the cluster's queue");
    // Two that take a while; the cluster is done during the first of them.
    farm.server.edit(&["sheet", "size"], json!(2048));
    let long = farm.server.bake("final");
    farm.server.wait(&long, |run| run["status"] == "running");
    farm.server.edit(&["sheet", "samples"], json!(16));
    let last = farm.server.bake("final");
    // One that waits is taken home, which ends its tasks.
    farm.go_on(&home, true);
    farm.tell("waits", false);
    for run in [&first, &second] {
        farm.server.wait(run, |run| run["status"] == "done");
        assert_ne!(farm.server.run(&last)["status"], "done", "joined before the one behind them");
        assert!(farm.server.ask("GET", &format!("/api/runs/{run}/maps/normal"), b"", "").1 == here);
    }
    assert_eq!(farm.ended(&long)["status"], "done");
    let run = farm.ended(&home);
    assert_eq!((&run["status"], &run["cluster"], farm.cancelled()), (&json!("done"), &Value::Null, 1), "{run}");
    farm.server.json("POST", &format!("/api/runs/{last}/stop"), &Value::Null);
}

#[test]
fn what_a_cluster_refuses_or_loses_is_told_in_words_and_made_here_or_sent_again() {
    let farm = Farm::new();
    let here = farm.server.final_map();
    farm.tell("refuses", true);
    let refused = farm.bake();
    farm.failed(&refused, &["night farm refused the job", "no hours left", "Send it again", "go on here"]);
    farm.go_on(&refused, true);
    farm.done(&refused, Value::Null, &here);
    farm.tell("refuses", false);

    farm.tell("loses", true);
    let lost = farm.bake();
    farm.failed(&lost, &["night farm ended with", "tiles missing", "go on here"]);
    farm.tell("loses", false);
    farm.go_on(&lost, false);
    farm.done(&lost, json!("night farm"), &here);

    // While its tasks wait, it is taken home.
    farm.tell("waits", true);
    let home = farm.bake();
    farm.sends(3);
    farm.wait_for("it to be worked on", || farm.server.run(&home)["status"] == "running");
    farm.go_on(&home, true);
    farm.done(&home, Value::Null, &here);
    assert_eq!(farm.cancelled(), 1);

    for order in [
        json!({ "kind": "proof", "on_cluster": true }),
        json!({ "kind": "final", "on_cluster": true, "region": { "run": 1, "rectangles": [] } }),
    ] {
        let (status, answer) = farm.server.ask("POST", "/api/assets/1/runs", order.to_string().as_bytes(), "");
        let said = String::from_utf8_lossy(&answer);
        assert!(status == 422 && said.contains("Only whole finals are baked on a cluster"), "{status} {said}");
    }
}

#[test]
fn a_file_that_describes_no_cluster_is_refused_by_its_name() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path();
    fs::write(data.join("cluster.json"), r#"{ "shares": 0 }"#).expect("written");
    let refused = crate::support::run(data, &["serve", "--data", "."]);
    let said = crate::support::error(&refused);
    assert_eq!(refused.status.code(), Some(2), "{said}");
    assert!(said.contains("cluster.json") && said.contains("shares is 0; give a number from 1"), "{said}");
    let missing = crate::support::run(data, &["serve", "--data", ".", "--cluster", "farm.json"]);
    assert!(
        crate::support::error(&missing).contains("farm.json: it cannot be read"),
        "{}",
        crate::support::error(&missing)
    );
}
