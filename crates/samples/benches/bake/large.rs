//! An 8192 sheet of six maps: how far memory rises.

use super::{Clock, SIX, recipe, stone};
use ember_ridge_core::bake::{Plan, run_into};
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_formats::files::spool_for;
use ember_ridge_formats::image::write_map;
use std::fs::File;
use std::io::BufWriter;
use std::time::Instant;

/// Peak resident memory of this process so far, bytes.
pub(super) fn peak_memory() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find(|l| l.starts_with("VmHWM:"));
    line.and_then(|l| l.split_whitespace().nth(1)).and_then(|kb| kb.parse::<u64>().ok()).unwrap_or(0) * 1024
}

/// Forgets the peak so far, so that what follows is measured from here.
pub(super) fn forget_peak() {
    let _ = std::fs::write("/proc/self/clear_refs", "5");
}

pub fn large() {
    let stone = stone();
    let scene = BakeScene::new(&[&stone.low], &[&stone.high], None).expect("no cage");
    let mut recipe = recipe(8192, 1, &SIX);
    // Few rays: they cost time, not memory.
    for map in &mut recipe.maps {
        match map {
            MapSettings::Ao(settings) => settings.rays = 4.into(),
            MapSettings::Cavity(settings) => settings.rays = 4.into(),
            _ => {}
        }
    }
    let folder = std::env::temp_dir();
    forget_peak();
    let before = peak_memory();
    let begun = Instant::now();
    let clock = Clock(Instant::now());
    let plan = Plan::new(&recipe, &scene).expect("sound");
    let spool = spool_for(plan.spool_bytes(), &folder).expect("room in the temporary folder");
    let outcome = run_into(&plan, 0, &clock, spool, None).expect("not stopped");
    let traced = begun.elapsed().as_secs_f64();
    for map in 0..outcome.maps.len() {
        let path = folder.join(format!("ember-ridge-bench-{map}.png"));
        let file = File::create(&path).expect("room in the temporary folder");
        write_map(&mut BufWriter::new(file), &outcome, 0, map).expect("room in the temporary folder");
        let _ = std::fs::remove_file(path);
    }
    let peak = peak_memory();
    println!("8192, six maps, 8 bit: traced {traced:.1} s, with writing {:.1} s", begun.elapsed().as_secs_f64());
    println!(
        "memory: {:.2} GiB with meshes and tree, {:.2} GiB at the peak: {:.2} GiB beyond",
        before as f64 / f64::from(1 << 30),
        peak as f64 / f64::from(1 << 30),
        (peak - before) as f64 / f64::from(1 << 30)
    );
}
