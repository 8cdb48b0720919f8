//! `ember-ridge bake --region --into`: part of a sheet baked into an earlier bake.

use crate::support::{error, run, with_pair};
use ember_ridge_formats::image::read_image;
use std::fs;
use std::path::Path;

const SIZE: u32 = 128;

fn bake(folder: &Path, out: &str, more: &[&str]) -> std::process::Output {
    let plain = [
        "bake",
        "--low",
        "lid_low.obj",
        "--high",
        "lid_high.obj",
        "--size",
        "128",
        "--samples",
        "4",
        "--padding",
        "0",
        "--maps",
        "displacement",
        "--displacement-scale",
        "0.5",
        "--out",
        out,
    ];
    run(folder, &[&plain[..], more].concat())
}

fn texels(folder: &Path, out: &str) -> Vec<[f32; 4]> {
    let bytes = fs::read(folder.join(out).join("lid_low_displacement.png")).expect("a map");
    let image = read_image("map.png", &bytes).expect("a PNG");
    (0..SIZE * SIZE).map(|at| image.texel(at % SIZE, at / SIZE)).collect()
}

#[test]
fn a_region_is_baked_into_an_earlier_bake_that_stays_as_it_is() {
    let folder = with_pair();
    let folder = folder.path();
    for (out, more) in [
        ("missed", ["--reach-out", "0.0001", "--reach-in", "0.0001"]),
        ("whole", ["--reach", "auto", "--pair", "names"]),
    ] {
        let output = bake(folder, out, &more);
        assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    }
    let before = fs::read(folder.join("missed/lid_low_displacement.png")).expect("a map");
    let region = ["--reach", "auto", "--pair", "names", "--region", "0.3,0.3,0.45,0.45", "--into", "missed"];
    let output = bake(folder, "mixed", &region);
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    assert_eq!(fs::read(folder.join("missed/lid_low_displacement.png")).expect("a map"), before);
    let [old, new, mixed] = ["missed", "whole", "mixed"].map(|out| texels(folder, out));
    for at in 0..(SIZE * SIZE) as usize {
        let inside = (at as u32 % SIZE / 32, at as u32 / SIZE / 32) == (1, 2);
        assert_eq!(mixed[at], if inside { new[at] } else { old[at] }, "texel {at}");
    }
    assert!(old != new && mixed != old && mixed != new);
    let report = fs::read_to_string(folder.join("mixed/report.json")).expect("a report");
    assert!(report.contains("\"region\""));
}

#[test]
fn a_region_without_a_place_to_go_is_refused() {
    let folder = with_pair();
    let folder = folder.path();
    let refused = |more: &[&str], says: &str| {
        let output = bake(folder, "out", more);
        assert_eq!(output.status.code(), Some(2), "{}", error(&output));
        assert!(error(&output).contains(says), "{}", error(&output));
    };
    refused(&["--region", "0.3,0.3,0.45,0.45"], "--into");
    refused(&["--region", "0.3,0.3,0.45", "--into", "missed"], "four numbers");
    refused(&["--region", "0.3,0.3,0.45,0.45", "--into", "nowhere"], "nowhere");
    refused(&["--into", "nowhere"], "--region");
    assert_eq!(bake(folder, "first", &[]).status.code(), Some(0));
    refused(&["--region", "0.5,0.3,0.45,0.45", "--into", "first"], "lower left one first");
    let same = run(
        folder,
        &[
            "bake",
            "--low",
            "lid_low.obj",
            "--high",
            "lid_high.obj",
            "--out",
            "first",
            "--region",
            "0,0,1,1",
            "--into",
            "first",
        ],
    );
    assert!(same.status.code() == Some(2) && error(&same).contains("another folder"), "{}", error(&same));
}
