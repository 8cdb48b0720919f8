//! A bake by several processes beside one: processor time, and what split and join take of very many tiles.

use super::large::{forget_peak, peak_memory};
use super::{Clock, SIX, recipe, stone};
use ember_ridge_core::bake::{Plan, join, on_threads, run, run_apart};
use ember_ridge_core::scene::BakeScene;
use ember_ridge_formats::job::{Job, Program, SplitOrder, split};
use std::collections::HashMap;
use std::path::Path;
use std::process::Command;
use std::sync::Arc;
use std::time::Instant;

/// What a process of this program is asked to do, and what it prints before its processor time.
const WORKER: &str = "apart-worker";
const ONE: &str = "apart-one";
const SAID: &str = "processor seconds: ";
const SIZE: u32 = 1024;

/// Seconds that the threads of this process have run, by /proc (hundredths of a second).
fn processor_seconds() -> f64 {
    let told = std::fs::read_to_string("/proc/self/stat").unwrap_or_default();
    let fields = told.rsplit(')').next().unwrap_or_default().split_whitespace();
    let ticks: Vec<f64> = fields.skip(11).take(2).filter_map(|field| field.parse().ok()).collect();
    ticks.iter().sum::<f64>() / 100.0
}

fn program() -> Program {
    Program { version: "bench".into(), build: "bench".into() }
}

/// A process of this program; the processor seconds that it told.
fn process(words: &[&str]) -> std::io::Result<std::process::Child> {
    Command::new(std::env::current_exe()?).arg("--bench").args(words).stdout(std::process::Stdio::piped()).spawn()
}

fn told(child: std::process::Child) -> Vec<f64> {
    let said = child.wait_with_output().expect("it ends");
    assert!(said.status.success(), "it ends well");
    let text = String::from_utf8_lossy(&said.stdout).into_owned();
    let line = text.lines().find_map(|line| line.strip_prefix(SAID)).expect("it tells");
    line.split_whitespace().map(|word| word.parse().expect("a number")).collect()
}

/// Does what a process of the bench was asked to do; true when this is one.
pub fn is_process() -> bool {
    let words: Vec<String> = std::env::args().collect();
    let Some(at) = words.iter().position(|word| word == WORKER || word == ONE) else { return false };
    let clock = Clock(Instant::now());
    if words[at] == ONE {
        let stone = stone();
        let before = processor_seconds();
        on_threads(2, || {
            let scene = BakeScene::new(&[&stone.low], &[&stone.high], None).expect("no cage");
            let plan = Plan::watched(&recipe(SIZE, 4, &SIX), &scene, &clock).expect("sound");
            let ready = processor_seconds() - before;
            run(&plan, 2, &clock).expect("not stopped");
            println!("{SAID}{} {ready}", processor_seconds() - before);
        });
        return true;
    }
    let (folder, share) = (Path::new(&words[at + 1]), words[at + 2].parse::<usize>().expect("a number"));
    on_threads(1, || {
        let job = Job::open(folder).expect("a job");
        job.check(&program()).expect("as it was split");
        let scene = BakeScene::unpack(&job.prepared().expect("there")).expect("as it was packed");
        let plan = Plan::watched(&job.recipe().expect("there"), &scene, &clock).expect("sound");
        let ready = processor_seconds();
        let shares = job.shares().expect("there");
        run_apart(&plan, 1, &clock, (&job.facts.blocks, &shares[share].blocks), &job.tiles()).expect("room");
        println!("{SAID}{} {ready}", processor_seconds());
    });
    true
}

/// Cuts a plan up into so many shares.
fn split_into(shares: usize, plan: &Plan, place: &Path) -> Job {
    let order = SplitOrder { shares, keeps_hits: false, program: program(), inputs: Vec::new(), cage: None };
    let made = split(plan, order, place, &Clock(Instant::now()), &|_| ());
    made.expect("room").expect("not stopped")
}

/// How long the longest of eight shares takes, in what its threads ran: of each tile the least of three times, as others work on this
/// machine too.
fn longest_share() {
    let (stone, clock) = (stone(), Clock(Instant::now()));
    let scene = BakeScene::new(&[&stone.low], &[&stone.high], None).expect("no cage");
    let folder = tempfile::tempdir().expect("a folder");
    let place = folder.path().join("job");
    on_threads(1, || {
        let plan = Plan::watched(&recipe(SIZE, 4, &SIX), &scene, &clock).expect("sound");
        let job = split_into(8, &plan, &place);
        let shares = job.shares().expect("there");
        let mut least: HashMap<u32, f64> = HashMap::new();
        for _ in 0..3 {
            let _ = std::fs::remove_dir_all(place.join("tiles"));
            for share in &shares {
                run_apart(&plan, 1, &clock, (&job.facts.blocks, &share.blocks), &job.tiles()).expect("room");
                for block in &share.blocks {
                    let made = job.tiles().read(*block).expect("readable").expect("made");
                    let seconds = least.entry(*block).or_insert(f64::INFINITY);
                    *seconds = seconds.min(made.seconds);
                }
            }
        }
        let took: Vec<f64> = shares.iter().map(|share| share.blocks.iter().map(|block| least[block]).sum()).collect();
        let (mean, longest) = (took.iter().sum::<f64>() / 8.0, took.iter().copied().fold(0.0, f64::max));
        println!("eight shares: {mean:.2} s each, the longest {:.3} times the mean", longest / mean);
    });
}

pub fn print() {
    println!("\n-- the stone at {SIZE}, six maps, 4 samples: two processes of one thread beside one of two threads");
    let stone = stone();
    let scene = BakeScene::new(&[&stone.low], &[&stone.high], None).expect("no cage");
    let clock = Clock(Instant::now());
    let recipe = recipe(SIZE, 4, &SIX);
    let folder = tempfile::tempdir().expect("a folder");
    let place = folder.path().join("job");
    let (before, begun) = (processor_seconds(), Instant::now());
    on_threads(2, || {
        let plan = Plan::watched(&recipe, &scene, &clock).expect("sound");
        split_into(2, &plan, &place);
    });
    println!("split: {:.2} s, {:.2} s of processor time", begun.elapsed().as_secs_f64(), processor_seconds() - before);
    let mut least = [f64::INFINITY; 2];
    for round in 0..3 {
        let one = told(process(&[ONE]).expect("it starts"));
        let _ = std::fs::remove_dir_all(place.join("tiles"));
        let path = place.to_str().expect("a name");
        let workers = ["0", "1"].map(|share| process(&[WORKER, path, share]).expect("it starts")).map(told);
        let sum = |at: usize| workers.iter().map(|worker| worker[at]).sum::<f64>();
        println!(
            "round {round}: one process {:.2} s ({:.2} until its first tile), two workers {:.2} s ({:.2}): {:.3}",
            one[0],
            one[1],
            sum(0),
            sum(1),
            sum(0) / one[0]
        );
        least = [least[0].min(one[0]), least[1].min(sum(0))];
    }
    println!("least of each: {:.3} times", least[1] / least[0]);
    let begun = Instant::now();
    forget_peak();
    let job = Job::open(&place).expect("a job");
    let scene = BakeScene::unpack(&job.prepared().expect("there")).expect("as it was packed");
    let plan = Plan::watched(&recipe, &scene, &clock).expect("sound");
    join(&plan, 2, &clock, Arc::new(job.tiles())).expect("all are there");
    let seconds = begun.elapsed().as_secs_f64();
    println!("join: {seconds:.2} s, {:.2} GiB at the peak", peak_memory() as f64 / f64::from(1 << 30));
    longest_share();
}
