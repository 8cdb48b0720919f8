//! A bake over many processes where things go wrong: on a real Slurm of two nodes, killed at random, on a disk that fills. The maps are those
//! of one bake, byte for byte.

mod support;

use serde_json::{Value, json};
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use support::disk::SmallDisk;
use support::jobs::{maps, ok, quad, sample, split, tile_files};
use support::server::with_lid_on;
use support::slurm::{PATIENCE, Slurm, loudly, quietly, wait_for};
use support::{error, program, run};

/// Process numbers of workers of a job folder.
fn workers(job: &Path) -> Vec<String> {
    let pattern = format!("work .*{}.* --job", job.display());
    let found =
        Command::new("pgrep").args(["-f", &pattern]).output().map(|o| String::from_utf8_lossy(&o.stdout).into_owned());
    // The shell that runs a worker has the folder's name in none of its words.
    found.unwrap_or_default().lines().map(str::to_owned).collect()
}

#[test]
fn eight_jobs_of_a_cluster_with_a_worker_killed_a_node_drained_and_a_share_made_twice() {
    let began = Instant::now();
    let told = |what: &str| println!("{:6.1} s  {what}", began.elapsed().as_secs_f64());
    let (kept, recipe) = sample("lookout-lantern", 1024);
    let folder = kept.path();
    ok(folder, &["bake", &recipe, "--out", "one"]);
    split(folder, &recipe, 8);
    let job = folder.join("job").canonicalize().expect("a folder");
    let slurm = match Slurm::start() {
        Ok(slurm) => slurm,
        Err(why) => {
            loudly(&format!("SLURM IS NOT TESTED HERE: {why}. Local workers stand in for it"));
            ok(folder, &["submit", "job", "--local", "2", "--out", "joined"]);
            assert_eq!(maps(&folder.join("joined")), maps(&folder.join("one")));
            return;
        }
    };
    told("Slurm is up");
    slurm.submit(folder);
    // One node makes no more shares, and a share is made by hand beside the cluster.
    wait_for("tiles", || (tile_files(&job).len() > 3).then_some(()));
    slurm.told("scontrol", &["update", "nodename=n2", "state=drain", "reason=test"]).expect("drained");
    let by_hand =
        program(folder).args(["work", "job", "--job", "6"]).stdout(Stdio::null()).stderr(Stdio::null()).spawn();
    // A worker of the cluster is killed.
    let own = by_hand.as_ref().expect("it starts").id().to_string();
    let killed = wait_for("a worker", || workers(&job).into_iter().find(|pid| *pid != own));
    quietly(Command::new("kill").args(["-KILL", &killed])).expect("killed");
    assert!(by_hand.expect("it starts").wait().expect("it ends").success());
    slurm.rest();
    told("the queue is empty");
    slurm.told("scontrol", &["update", "nodename=n2", "state=resume"]).expect("resumed");
    let join_log = fs::read_to_string(job.join("logs/join.log")).expect("it was joined");
    let complete = folder.join("joined").join("report.json").is_file();
    assert!(complete || join_log.contains("are missing"), "{join_log}");
    // Sent again, only what is missing is made.
    if !complete {
        let there = tile_files(&job);
        let before: Vec<_> = there.iter().map(|f| f.metadata().expect("there").modified().expect("a time")).collect();
        slurm.submit(folder);
        slurm.rest();
        let after: Vec<_> = there.iter().map(|f| f.metadata().expect("there").modified().expect("a time")).collect();
        assert_eq!(before, after, "finished tiles were made again");
    }
    assert_eq!(maps(&folder.join("joined")), maps(&folder.join("one")));
    told(if complete { "joined at once" } else { "joined once sent again" });

    // A task that is asked to stop goes back into the queue by itself. Its worker is halted meanwhile, so that it cannot end just then.
    fs::remove_dir_all(job.join("tiles")).expect("removed");
    fs::remove_dir_all(folder.join("joined")).expect("removed");
    let array = slurm.submit(folder);
    let log = |share: &str| fs::read_to_string(job.join(format!("logs/share-{share}.log"))).unwrap_or_default();
    let share = wait_for("a task that was asked to stop", || {
        let worker = workers(&job).into_iter().next()?;
        let signal = |name: &str| quietly(Command::new("kill").args([name, &worker])).ok();
        signal("-STOP")?;
        let words = fs::read(format!("/proc/{worker}/cmdline")).unwrap_or_default();
        let share =
            String::from_utf8_lossy(&words).split('\0').skip_while(|word| *word != "--job").nth(1).map(str::to_owned);
        let asked = share.filter(|share| {
            slurm.told("scancel", &["--batch", "--signal=TERM", &format!("{array}_{share}")]).is_some()
        });
        std::thread::sleep(Duration::from_secs(1));
        signal("-CONT");
        std::thread::sleep(Duration::from_secs(1));
        asked.filter(|share| log(share).contains("asked to stop"))
    });
    slurm.rest();
    told("a task was asked to stop, and all is joined");
    assert_eq!(maps(&folder.join("joined")), maps(&folder.join("one")));
    let log = log(&share);
    let after = log.split("asked to stop").last().expect("a text");
    assert!(after.contains("tiles made with"), "it went on: {log}");
}

#[test]
fn a_final_of_the_page_is_baked_on_the_cluster_stopped_there_and_goes_on_here() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path();
    let slurm = match Slurm::start() {
        Ok(slurm) => slurm,
        Err(why) => return loudly(&format!("FINALS OF THE PAGE ARE NOT TESTED ON SLURM HERE: {why}")),
    };
    let cluster = json!({ "name": "night farm", "partition": "p", "shares": 4, "memory": "900M" });
    fs::write(data.join("cluster.json"), cluster.to_string()).expect("written");
    let server = with_lid_on(data, &[("SLURM_CONF", &slurm.conf())]);
    let ended = |run: &Value| run["status"] != "waiting" && run["status"] != "running";
    assert_eq!(server.json("GET", "/api/clusters", &Value::Null)[0]["fault"], Value::Null);
    server.edit(&["sheet", "size"], json!(1024));
    let here = server.final_map();
    let order = json!({ "kind": "final", "on_cluster": true });
    let far = server.json("POST", "/api/assets/1/runs", &order)["id"].clone();
    let done = server.wait(&far, ended);
    assert_eq!((&done["status"], &done["cluster"]), (&json!("done"), &json!("night farm")), "{done}");
    let map = |id: &Value| server.ask("GET", &format!("/api/runs/{id}/maps/normal"), b"", "").1;
    assert!(map(&far) == here, "joined tiles differ from those of one bake");

    // Drained, the cluster makes nothing: stopped, the run has left its queue, and what is missing is made here.
    for node in ["nodename=n1", "nodename=n2"] {
        slurm.told("scontrol", &["update", node, "state=drain", "reason=test"]).expect("drained");
    }
    let waits = server.json("POST", "/api/assets/1/runs", &order)["id"].clone();
    // The queue tells whose tasks they are, so that nothing is sent twice.
    let asked = ["--noheader", "--me", "--states=PENDING,RUNNING,SUSPENDED", "--format=%F %k"];
    let told = wait_for("a job in the queue", || slurm.told("squeue", &asked).filter(|said| !said.trim().is_empty()));
    let place = format!("/runs/{waits}/job");
    assert!(told.lines().all(|line| line.ends_with(&place)), "{told}");
    server.json("POST", &format!("/api/runs/{waits}/stop"), &Value::Null);
    assert_eq!(server.wait(&waits, ended)["status"], "stopped");
    wait_for("an empty queue", || slurm.told("squeue", &["-h"]).filter(|said| said.trim().is_empty()));
    server.json("POST", &format!("/api/runs/{waits}/resume?here=true"), &Value::Null);
    let done = server.wait(&waits, ended);
    assert_eq!((&done["status"], &done["cluster"]), (&json!("done"), &Value::Null), "{done}");
    assert!(map(&waits) == here, "tiles made here differ");
}

/// The pictures of a delivery, by name.
fn delivered(place: &Path) -> Vec<(String, Vec<u8>)> {
    maps(place).into_iter().filter(|(name, _)| name.ends_with(".png")).collect()
}

#[test]
fn assets_of_a_batch_go_to_the_cluster_whole_or_in_shares_and_a_broken_one_leaves_the_others() {
    let kept = tempfile::tempdir().expect("a folder");
    let folder = kept.path();
    let meshes = folder.join("meshes");
    fs::create_dir(&meshes).expect("made");
    let write = |name: &str, text: String| fs::write(meshes.join(name), text).expect("written");
    for number in 0..3 {
        write(&format!("lid {number}_low.obj"), quad("lid_low", 0.0, 0.0, 1));
        write(&format!("lid {number}_high.obj"), quad("lid_high", 0.0, 0.05, 1));
    }
    write("lid 1_high.obj", "v 0 0 0\nf 1 2 3\n".into());
    write("wide_low.obj", quad("lid_low", 0.0, 0.0, 1) + &quad("rim_low", 1.0, 0.0, 5));
    write("wide_high.obj", quad("lid_high", 0.0, 0.05, 1) + &quad("rim_high", 1.0, 0.08, 5));
    let template = json!({
        "recipe": { "sheet": { "size": 64, "samples": 1, "layout": "udim", "depth": "16" },
            "reach": { "out": 0.1, "in": 0.1 }, "maps": [{ "map": "normal" }, { "map": "displacement" }] },
        "profile": "painting-16"
    });
    fs::write(folder.join("template.json"), template.to_string()).expect("written");
    let here = run(folder, &["batch", "template.json", "meshes", "--out", "here", "--json"]);
    assert_eq!(here.status.code(), Some(1), "{}", error(&here));
    let slurm = match Slurm::start() {
        Ok(slurm) => slurm,
        Err(why) => return loudly(&format!("A BATCH ON SLURM IS NOT TESTED HERE: {why}")),
    };
    // Of two sheets only one asset has more samples than this.
    let mut batch = program(folder);
    batch.args(["batch", "template.json", "meshes", "--out", "farm", "--json", "--slurm", "--split-above", "0.006"]);
    batch.args(["--partition", "p", "--memory", "900M", "--", "--comment=night"]);
    let farm = batch.env("SLURM_CONF", slurm.conf()).output().expect("it starts");
    assert_eq!(farm.status.code(), Some(1), "{}", error(&farm));
    let told: Value = serde_json::from_slice(&farm.stdout).expect("JSON");
    let as_here: Value = serde_json::from_slice(&here.stdout).expect("JSON");
    for (row, of_here) in
        told["assets"].as_array().expect("rows").iter().zip(as_here["assets"].as_array().expect("rows"))
    {
        for field in ["asset", "status", "maps", "findings", "truths", "delivered", "hash"] {
            assert_eq!(row[field], of_here[field], "{field}: {row}\n{}", error(&farm));
        }
    }
    assert_eq!((&told["done"], &told["failed"]), (&json!(3), &json!(1)), "{told}");
    assert!(folder.join("farm/batch.html").is_file());
    let rows = told["assets"].as_array().expect("rows").iter();
    for place in rows.filter_map(|row| row["delivered"].as_str()) {
        let own = delivered(&folder.join("farm").join(place));
        assert!(own.len() >= 2, "{place}: {told}");
        assert_eq!(own, delivered(&folder.join("here").join(place)), "{place}");
    }
    assert!(error(&farm).contains("sent as jobs"), "{}", error(&farm));
}

/// Numbers that look random and are the same every time.
struct Dice(u64);

impl Dice {
    fn below(&mut self, most: u64) -> u64 {
        self.0 = self.0.wrapping_mul(6364136223846793005).wrapping_add(1442695040888963407);
        (self.0 >> 33) % most
    }
}

fn begin(folder: &Path, arguments: &[&str]) -> Child {
    program(folder).args(arguments).stdout(Stdio::null()).stderr(Stdio::null()).spawn().expect("it starts")
}

#[test]
fn killed_twenty_times_workers_and_join_end_in_the_same_bytes() {
    let (kept, recipe) = sample("boundary-stone", 512);
    let folder = kept.path();
    let begun = Instant::now();
    ok(folder, &["bake", &recipe, "--out", "one"]);
    let a_bake = begun.elapsed();
    split(folder, &recipe, 4);
    let mut dice = Dice(20_261_130);
    let mut kills = 0;
    while kills < 14 {
        // Two at a time, now and then on one share.
        let mut pair =
            [dice.below(4), dice.below(4)].map(|share| begin(folder, &["work", "job", "--job", &share.to_string()]));
        std::thread::sleep(Duration::from_millis(dice.below(a_bake.as_millis() as u64 / 3)));
        for worker in &mut pair {
            kills += u32::from(matches!(worker.try_wait(), Ok(None)));
            worker.kill().expect("killed");
            worker.wait().expect("it ended");
        }
        let early = run(folder, &["join", "job", "--out", "early"]);
        match early.status.code() {
            Some(1) => assert!(!folder.join("early").exists(), "nothing half-written: {}", error(&early)),
            Some(0) => assert_eq!(maps(&folder.join("early")), maps(&folder.join("one"))),
            other => panic!("{other:?}: {}", error(&early)),
        }
        if early.status.success() {
            // All were made between kills: from the beginning.
            fs::remove_dir_all(folder.join("early")).expect("removed");
            fs::remove_dir_all(folder.join("job/tiles")).expect("removed");
        }
    }
    for share in 0..4 {
        ok(folder, &["work", "job", "--job", &share.to_string()]);
    }
    let whole = maps(&folder.join("one"));
    while kills < 20 {
        let mut join = begin(folder, &["join", "job", "--out", "joined"]);
        std::thread::sleep(Duration::from_millis(100 + dice.below(a_bake.as_millis() as u64 / 4)));
        kills += u32::from(matches!(join.try_wait(), Ok(None)));
        join.kill().expect("killed");
        join.wait().expect("it ended");
        let there = if folder.join("joined").exists() { maps(&folder.join("joined")) } else { Default::default() };
        for (name, bytes) in there.iter().filter(|(name, _)| !name.starts_with('.')) {
            assert!(whole.get(name) == Some(bytes), "{name} looks whole and is not");
        }
        assert!(begun.elapsed() < 2 * PATIENCE, "{kills} kills: the join ends before it can be killed");
    }
    ok(folder, &["join", "job", "--out", "joined"]);
    let joined = maps(&folder.join("joined"));
    let named: Vec<_> = joined.into_iter().filter(|(name, _)| !name.starts_with('.')).collect();
    assert_eq!(named, whole.into_iter().collect::<Vec<_>>());
    let hidden = |path: &&PathBuf| path.file_name().is_some_and(|name| name.to_string_lossy().starts_with('.'));
    assert_eq!(tile_files(&folder.join("job")).iter().find(hidden), None, "what kills left is swept away");
}

#[test]
fn a_shared_disk_that_fills_stops_with_the_reason_and_goes_on_with_room() {
    let Some(disk) = SmallDisk::new("32m") else {
        loudly("A FULL DISK IS NOT TESTED HERE: this machine lets nobody mount a small one");
        return;
    };
    let (kept, recipe) = sample("boundary-stone", 256);
    let folder = kept.path();
    ok(folder, &["bake", &recipe, "--out", "one"]);
    let job = disk.path().join("job");
    let job = job.to_str().expect("a name");
    ok(folder, &["split", &recipe, "--jobs", "1", "--to", job]);
    let fill = |keep| disk.fill(keep);
    for keep in [0, 100_000] {
        fill(keep);
        let full = run(folder, &["work", job, "--job", "0"]);
        assert_eq!(full.status.code(), Some(2), "{}", error(&full));
        let said = error(&full);
        assert!(said.contains(".tile") || said.contains("tiles"), "it names the place: {said}");
        assert!(said.contains("No space left") && said.contains("Free some space"), "{said}");
        disk.empty();
    }
    ok(folder, &["work", job, "--job", "0"]);
    let out = disk.path().join("maps");
    let out = out.to_str().expect("a name");
    fill(50_000);
    let full = run(folder, &["join", job, "--out", out]);
    assert_ne!(full.status.code(), Some(0), "{}", error(&full));
    assert!(error(&full).contains("No space left"), "{}", error(&full));
    disk.empty();
    ok(folder, &["join", job, "--out", out]);
    assert_eq!(maps(Path::new(out)), maps(&folder.join("one")));
}
