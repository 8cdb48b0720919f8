//! `ember-ridge split`, `work`, `join`, `submit --local` and `status`: the same maps as those of one bake, and what is refused.

use crate::support::jobs::{maps, ok, quad, report, sample, split, tile_files};
use crate::support::{error, program, run};
use ember_ridge_core::Recipe;
use ember_ridge_core::sheet::{Layout, SheetSettings};
use serde_json::{Value, json};
use std::fs;
use std::time::{Duration, Instant};

#[test]
fn shares_made_apart_are_joined_to_what_one_bake_makes() {
    let (folder, recipe) = sample("boundary-stone", 256);
    let folder = folder.path();
    ok(folder, &["bake", &recipe, "--out", "one", "--threads", "1", "--keep-hits", "one-hits"]);
    let told = ok(folder, &["split", &recipe, "--jobs", "3", "--to", "job", "--keep-hits", "--json"]);
    let told: Value = serde_json::from_slice(&told.stdout).expect("JSON");
    assert_eq!((&told["shares"], &told["tile_side"]), (&json!(3), &json!(32)));
    // The inputs may be gone by now.
    for entry in fs::read_dir(folder).expect("a folder") {
        let path = entry.expect("readable").path();
        if path.extension().is_some_and(|e| e != "json") {
            fs::remove_file(path).expect("removed");
        }
    }

    let early = run(folder, &["join", "job", "--out", "joined", "--json"]);
    assert_eq!(early.status.code(), Some(1), "nothing is there yet");
    let lacking: Value = serde_json::from_slice(&early.stdout).expect("JSON");
    assert_eq!((&lacking["missing"], &lacking["torn"]), (&told["tiles"], &json!(0)));
    assert!(!folder.join("joined").exists(), "nothing half-written");

    ok(folder, &["work", "job", "--job", "1", "--threads", "2"]);
    ok(folder, &["work", "job", "--job", "0"]);
    let status: Value = serde_json::from_slice(&ok(folder, &["status", "job", "--json"]).stdout).expect("JSON");
    assert_eq!((&status["shares_done"], &status["failed"]), (&json!(2), &json!(0)), "{status}");
    assert!(status["rate"].as_f64().is_some_and(|rate| rate > 0.0), "{status}");
    assert!(status["seconds_left"].as_f64().is_some_and(|left| left > 0.0), "{status}");
    // Counted from 1 the last share is the third; run twice, nothing is made again.
    ok(folder, &["work", "job", "--job", "2"]);
    let again = ok(folder, &["work", "job", "--job", "3"]);
    assert!(String::from_utf8_lossy(&again.stdout).contains("share 0: 0 tiles made"), "{again:?}");

    ok(folder, &["join", "job", "--out", "joined", "--keep-hits", "hits"]);
    assert_eq!(maps(&folder.join("joined")), maps(&folder.join("one")));
    assert_eq!(report(&folder.join("joined")), report(&folder.join("one")));
    let hits = |of: &str| fs::read(folder.join(of).join("kept-hits.bin")).expect("kept");
    assert_eq!(hits("hits"), hits("one-hits"));

    // Torn, cut off and missing tiles are named, and the next worker makes them anew.
    let files = tile_files(&folder.join("job"));
    let mut bytes = fs::read(&files[0]).expect("readable");
    let middle = bytes.len() / 2;
    bytes[middle] ^= 1;
    fs::write(&files[0], bytes).expect("written");
    let whole = fs::read(&files[1]).expect("readable");
    fs::write(&files[1], &whole[..whole.len() / 3]).expect("written");
    // That of another tile is not this one.
    fs::write(&files[2], &whole).expect("written");
    fs::remove_file(&files[3]).expect("removed");
    let torn = run(folder, &["join", "job", "--out", "again", "--json"]);
    assert_eq!(torn.status.code(), Some(1));
    let lacking: Value = serde_json::from_slice(&torn.stdout).expect("JSON");
    assert_eq!((&lacking["missing"], &lacking["torn"]), (&json!(1), &json!(3)), "{lacking}");
    let said = error(&torn);
    assert!(
        files[..4].iter().all(|file| said.contains(&*file.file_name().expect("a name").to_string_lossy())),
        "{said}"
    );
    for share in lacking["shares"].as_array().expect("a list") {
        ok(folder, &["work", "job", "--job", &share.to_string()]);
    }
    ok(folder, &["join", "job", "--out", "again"]);
    assert_eq!(maps(&folder.join("again")), maps(&folder.join("one")));
}

/// A low-poly over two UDIM tiles with materials that bring pictures, and a cage, baked by two processes.
#[test]
fn processes_of_one_machine_share_sheets_pictures_and_a_cage() {
    let folder = tempfile::tempdir().expect("a folder");
    let folder = folder.path();
    fs::write(folder.join("lid_low.obj"), quad("lid_low", 0.0, 0.0, 1) + &quad("rim_low", 1.0, 0.0, 5))
        .expect("written");
    fs::write(folder.join("lid_cage.obj"), quad("lid_low", 0.0, 0.2, 1) + &quad("rim_low", 1.0, 0.2, 5))
        .expect("written");
    let sculpt = quad("lid_high", 0.0, 0.05, 1) + &quad("rim_high", 1.0, 0.08, 5);
    fs::write(folder.join("lid_high.obj"), sculpt).expect("written");
    let mut picture = Vec::new();
    image::RgbImage::from_fn(64, 64, |x, y| image::Rgb([x as u8 * 4, y as u8 * 4, 90]))
        .write_to(&mut std::io::Cursor::new(&mut picture), image::ImageFormat::Png)
        .expect("memory");
    fs::write(folder.join("paint.png"), picture).expect("written");
    let mut recipe = Recipe::new("lid");
    recipe.low = vec![ember_ridge_core::recipe::MeshSource::file("lid_low.obj")];
    recipe.high = vec![ember_ridge_core::recipe::MeshSource::file("lid_high.obj")];
    recipe.cage = Some(ember_ridge_core::recipe::MeshSource::file("lid_cage.obj"));
    recipe.sheet = SheetSettings { size: 128, layout: Layout::Udim, ..recipe.sheet };
    fs::write(folder.join("lid.json"), serde_json::to_string(&recipe).expect("JSON")).expect("written");

    ok(folder, &["bake", "lid.json", "--out", "one", "--picture", "paint.png", "--maps", "normal,ao,color,curvature"]);
    // The recipe of a report is one that can be split.
    let told: Value =
        serde_json::from_slice(&fs::read(folder.join("one/report.json")).expect("written")).expect("JSON");
    fs::write(folder.join("told.json"), told["recipe"].to_string()).expect("written");
    let made = split(folder, "told.json", 5);
    assert_eq!(made["sheets"], json!(["1001", "1002"]));
    ok(folder, &["submit", "job", "--local", "2", "--out", "joined"]);
    assert_eq!(maps(&folder.join("joined")), maps(&folder.join("one")));
    assert_eq!(report(&folder.join("joined")), report(&folder.join("one")));
}

#[test]
fn what_is_not_the_job_as_it_was_split_is_refused_by_name() {
    let (folder, recipe) = sample("boundary-stone", 128);
    let folder = folder.path();
    split(folder, &recipe, 2);
    let job = folder.join("job");
    let refused = |arguments: &[&str], words: &[&str]| {
        let output = run(folder, arguments);
        assert_eq!(output.status.code(), Some(2), "{arguments:?}: {}", error(&output));
        let said = error(&output);
        assert!(words.iter().all(|word| said.contains(word)), "{arguments:?}: {said}");
    };
    let with = |name: &str, change: &dyn Fn(Vec<u8>) -> Vec<u8>, check: &dyn Fn()| {
        let path = job.join(name);
        let before = fs::read(&path).expect("readable");
        fs::remove_file(&path).expect("removed");
        fs::write(&path, change(before.clone())).expect("written");
        check();
        fs::write(&path, before).expect("written");
    };
    let work = ["work", "job", "--job", "0"];
    let facts: Value = serde_json::from_slice(&fs::read(job.join("job.json")).expect("readable")).expect("JSON");
    // One byte of each file; of the sculpt, its name in the recipe is said.
    let flip = |mut bytes: Vec<u8>| {
        let middle = bytes.len() / 2;
        bytes[middle] ^= 1;
        bytes
    };
    for input in facts["inputs"].as_array().expect("a list") {
        let (file, hash) = (input["file"].as_str().expect("a name"), input["hash"].as_str().expect("a hash"));
        with(&format!("inputs/{hash}"), &flip, &|| refused(&work, &[file, "not the file the bake was split with"]));
    }
    assert_eq!(facts["inputs"].as_array().map(Vec::len), Some(2), "the low-poly and the sculpt");
    for name in ["prepared.bin", "recipe.json", "shares.bin"] {
        with(name, &flip, &|| refused(&work, &[name, "not the file the bake was split with"]));
        with(name, &|bytes| bytes[..bytes.len() / 2].to_vec(), &|| refused(&work, &[name]));
    }
    let other = |field: &'static str, value: &'static str| {
        move |bytes: Vec<u8>| {
            let mut facts: Value = serde_json::from_slice(&bytes).expect("JSON");
            facts["program"][field] = json!(value);
            facts.to_string().into_bytes()
        }
    };
    with("job.json", &other("version", "0.0.9"), &|| refused(&work, &["version 0.0.9", "split it again"]));
    with("job.json", &other("build", "00"), &|| refused(&["join", "job", "--out", "out"], &["of the program"]));
    with("job.json", &|_| b"{\"version\": 99}".to_vec(), &|| refused(&work, &["version 99"]));
    with("job.json", &|_| b"{".to_vec(), &|| refused(&work, &["job.json"]));
    refused(&["work", "job", "--job", "9"], &["2 shares", "below 2"]);
    refused(&["work", "elsewhere", "--job", "0"], &["elsewhere", "'split' wrote"]);
    refused(&["split", &recipe, "--jobs", "2", "--to", "job"], &["holds a job already"]);
    refused(&["split", &recipe, "--jobs", "0", "--to", "new"], &["--jobs"]);
    refused(&["join", "job", "--out", "out", "--keep-hits", "hits"], &["split without --keep-hits"]);
    refused(&["submit", "job"], &["--slurm"]);
    let nowhere =
        program(folder).env("PATH", "/nowhere").args(["submit", "job", "--slurm"]).output().expect("it starts");
    assert_eq!(nowhere.status.code(), Some(2));
    assert!(error(&nowhere).contains("--local"), "{}", error(&nowhere));
    // A failed share is told by status.
    let status = run(folder, &["status", "job", "--json"]);
    assert_eq!(status.status.code(), Some(1));
    let told: Value = serde_json::from_slice(&status.stdout).expect("JSON");
    assert_eq!((&told["failed_shares"][0]["share"], &told["done"]), (&json!(0), &json!(0)), "{told}");
    assert!(told["failed"].as_u64() > Some(0), "{told}");
    ok(folder, &work);
    let told: Value = serde_json::from_slice(&ok(folder, &["status", "job", "--json"]).stdout).expect("JSON");
    assert_eq!(told["failed_shares"], json!([]));
}

#[cfg(unix)]
#[test]
fn asked_to_stop_a_worker_ends_after_the_tile_in_hand_and_asks_to_be_run_again() {
    let (folder, recipe) = sample("lookout-lantern", 1024);
    let folder = folder.path();
    split(folder, &recipe, 1);
    let worker = program(folder)
        .args(["work", "job", "--job", "0"])
        .stderr(std::process::Stdio::piped())
        .stdout(std::process::Stdio::piped())
        .spawn()
        .expect("it starts");
    let begun = Instant::now();
    while tile_files(&folder.join("job")).len() < 5 {
        assert!(begun.elapsed() < Duration::from_secs(300), "no tile came");
        std::thread::sleep(Duration::from_millis(20));
    }
    let asked = Instant::now();
    let killed = std::process::Command::new("kill").args(["-TERM", &worker.id().to_string()]).status();
    assert!(killed.expect("kill runs").success());
    let done = worker.wait_with_output().expect("it ends");
    assert_eq!(done.status.code(), Some(75), "{}", error(&done));
    println!("ended {:.2} s after it was asked", asked.elapsed().as_secs_f64());
    let status: Value = serde_json::from_slice(&ok(folder, &["status", "job", "--json"]).stdout).expect("JSON");
    let [done, left] = ["done", "left"].map(|field| status[field].as_u64().expect("a number"));
    assert!(done >= 5 && left > 0 && status["failed"] == json!(0), "{status}");
    assert!(error(&run(folder, &["join", "job", "--out", "out"])).contains("are missing"));
}

/// By what tiles were found to cost all shares are alike, and so they are by the rays that they trace. What they take is in the bench: here
/// others are at work too.
#[test]
fn shares_of_the_samples_are_alike() {
    for (name, size) in [("lookout-lantern", 512), ("boundary-stone", 512)] {
        let (folder, recipe) = sample(name, size);
        let folder = folder.path();
        split(folder, &recipe, 8);
        let job = ember_ridge_formats::job::Job::open(&folder.join("job")).expect("a job");
        let shares = job.shares().expect("readable");
        let over = |of_shares: &[f64]| {
            let mean = of_shares.iter().sum::<f64>() / of_shares.len() as f64;
            of_shares.iter().copied().fold(0.0, f64::max) / mean
        };
        let costs: Vec<f64> =
            shares.iter().map(|share| share.costs.iter().map(|cost| f64::from(*cost)).sum()).collect();
        let rays: Vec<f64> = (0..8)
            .map(|share| {
                let done = ok(folder, &["work", "job", "--job", &share.to_string()]);
                let said = String::from_utf8_lossy(&done.stdout).into_owned();
                let rays = said.split(" rays,").next().and_then(|before| before.rsplit(' ').next());
                rays.and_then(|rays| rays.parse().ok()).unwrap_or_else(|| panic!("{said}"))
            })
            .collect();
        // Neighbours counted off into as many shares, for what balance by cost is worth.
        let mut blocks: Vec<(u32, f32)> =
            shares.iter().flat_map(|share| share.blocks.iter().copied().zip(share.costs.iter().copied())).collect();
        blocks.sort_unstable_by_key(|(block, _)| *block);
        let counted: Vec<f64> = blocks
            .chunks(blocks.len().div_ceil(8))
            .map(|own| own.iter().map(|(_, cost)| f64::from(*cost)).sum())
            .collect();
        println!(
            "{name}: the dearest share {:.3} times the mean, by rays {:.3}; counted off {:.3}",
            over(&costs),
            over(&rays),
            over(&counted)
        );
        assert!(over(&counted) > over(&costs) + 0.05, "{name}: {counted:?}");
        assert!(over(&costs) <= 1.05, "{name}: {costs:?}");
        assert!(over(&rays) <= 1.15, "{name}: {rays:?}");
    }
}
