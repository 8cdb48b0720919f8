//! `ember-ridge verify`: sound files hold, and every planted fault is named with its file: a map turned by a degree, green the other way,
//! a scale that is off, a seam, a tile that is missing, files that are damaged.

use crate::support::{error, run};
use ember_ridge_core::glam::{Quat, Vec3};
use ember_ridge_core::picture::{Depth, Image, ImageFormat};
use ember_ridge_formats::image::{ImageSpec, read_image, write_image};
use serde_json::Value;
use std::fmt::Write;
use std::fs;
use std::io::Cursor;
use std::path::Path;

/// Two flat squares side by side, each an island of its own, and dunes over both.
pub fn write_pair(folder: &Path) {
    let low = "o dune_low\nv 0 0 0\nv 1 0 0\nv 2 0 0\nv 0 0 1\nv 1 0 1\nv 2 0 1\n\
        vt 0.05 0.9\nvt 0.45 0.9\nvt 0.05 0.5\nvt 0.45 0.5\nvt 0.55 0.9\nvt 0.95 0.9\nvt 0.55 0.5\nvt 0.95 0.5\n\
        f 1/1 4/3 5/4 2/2\nf 2/5 5/7 6/8 3/6\n";
    fs::write(folder.join("dune_low.obj"), low).expect("written");
    let (across, down) = (120, 60);
    let mut high = String::from("o dune_high\n");
    for j in 0..=down {
        for i in 0..=across {
            let (x, z) = (2.0 * i as f32 / across as f32, j as f32 / down as f32);
            let y = 0.03 * (5.0 * x).sin() * (4.0 * z + 0.5).cos();
            writeln!(high, "v {x} {y} {z}").expect("text");
        }
    }
    let at = |i: usize, j: usize| j * (across + 1) + i + 1;
    for j in 0..down {
        for i in 0..across {
            writeln!(high, "f {} {} {} {}", at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)).expect("text");
        }
    }
    fs::write(folder.join("dune_high.obj"), high).expect("written");
}

pub fn baked() -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    write_pair(folder.path());
    let pair =
        ["bake", "--low", "dune_low.obj", "--high", "dune_high.obj", "--maps", "normal,displacement", "--out", "out"];
    let form = ["--size", "256", "--samples", "1", "--depth", "16", "--reach-out", "0.1", "--reach-in", "0.1"];
    let output = run(folder.path(), &[&pair[..], &form].concat());
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    folder
}

fn verified(folder: &Path) -> (Option<i32>, Value) {
    let output = run(folder, &["verify", "out", "--json"]);
    (output.status.code(), serde_json::from_slice(&output.stdout).unwrap_or_else(|_| panic!("{}", error(&output))))
}

fn number(answer: &Value, way: &str) -> f64 {
    answer.pointer(way).and_then(Value::as_f64).unwrap_or(f64::NAN)
}

/// The one fault: its file and what it says.
fn fault(answer: &Value) -> (&str, &str) {
    let faults = answer["faults"].as_array().expect("a list");
    assert_eq!(faults.len(), 1, "{answer}");
    (faults[0]["file"].as_str().unwrap_or_default(), faults[0]["fault"].as_str().unwrap_or_default())
}

/// Writes a map of a folder's bake anew, texel by texel.
pub fn change(folder: &Path, file: &str, to: impl Fn(u32, u32, Vec3) -> Vec3) {
    let path = folder.join("out").join(file);
    let image: Image = read_image(file, &fs::read(&path).expect("a file")).expect("a picture");
    let channels = image.channels;
    let texels = (0..image.height).flat_map(|y| (0..image.width).map(move |x| (x, y)));
    let values: Vec<f32> = texels
        .flat_map(|(x, y)| {
            let [r, g, b, _] = image.texel(x, y);
            to(x, y, Vec3::new(r, g, b)).to_array().into_iter().take(channels).collect::<Vec<_>>()
        })
        .collect();
    let (format, depth) = (ImageFormat::Png, Depth::Sixteen);
    let spec = ImageSpec { size: image.width, channels, format, depth, color: false, dither: false, notes: Vec::new() };
    let mut bytes = Cursor::new(Vec::new());
    write_image(&mut bytes, &spec, &mut |sink| sink(&values)).expect("written");
    fs::write(path, bytes.into_inner()).expect("written");
}

const NORMAL: &str = "dune_low_normal.png";
const DISPLACEMENT: &str = "dune_low_displacement.png";

#[test]
fn sound_files_hold_and_a_turn_of_a_degree_reads_a_degree() {
    let folder = baked();
    let folder = folder.path();
    let (code, sound) = verified(folder);
    assert_eq!((code, sound["faults"].as_array().map(Vec::len)), (Some(0), Some(0)), "{sound}");
    assert!(number(&sound, "/truths/lit/0/mean") < 0.3, "{sound}");
    assert_eq!(sound["truths"]["lit"].as_array().map(Vec::len), Some(3), "256, 128 and 64 texels: {sound}");
    assert!(number(&sound, "/truths/lit/2/mean") > number(&sound, "/truths/lit/0/mean"), "{sound}");
    // Waves of 0.03 units: what is left is the straight way between texels.
    assert!(number(&sound, "/truths/displaced/mean") < 2e-4, "{sound}");
    assert!(number(&sound, "/truths/seams/mean") < 0.3 && number(&sound, "/truths/seams/points") > 50.0, "{sound}");
    let text = run(folder, &["verify", "out"]);
    assert!(String::from_utf8_lossy(&text.stdout).contains("no faults"));

    // Every normal turned by one degree about the first axis of tangent space; on one island by three.
    let turned = |degrees: f32, n: Vec3| {
        let n = (n * 2.0 - 1.0).normalize_or(Vec3::Z);
        Quat::from_rotation_x(degrees.to_radians()) * n * 0.5 + 0.5
    };
    change(folder, NORMAL, |_, _, n| turned(1.0, n));
    let (_, answer) = verified(folder);
    let mean = number(&answer, "/truths/lit/0/mean");
    assert!((mean - 1.0).abs() < 0.15, "{mean}");
    assert!(number(&answer, "/truths/seams/mean") < 0.3, "both sides turned alike: {answer}");
    change(folder, NORMAL, |x, _, n| if x < 128 { turned(3.0, n) } else { n });
    let (_, answer) = verified(folder);
    let seams = number(&answer, "/truths/seams/mean");
    assert!((seams - 3.0).abs() < 0.2, "{seams}");
}

#[test]
fn planted_faults_are_named_with_their_files() {
    let folder = baked();
    let folder = folder.path();
    let sound = fs::read(folder.join("out").join(NORMAL)).expect("a file");
    let report = fs::read_to_string(folder.join("out/report.json")).expect("a file");

    change(folder, NORMAL, |_, _, n| Vec3::new(n.x, 1.0 - n.y, n.z));
    let (code, answer) = verified(folder);
    assert_eq!((code, fault(&answer).0), (Some(1), NORMAL), "{answer}");
    assert!(fault(&answer).1.contains("green channel points the other way"), "{answer}");

    // Tangent space lies along the axes here: the first axis is X, the second -Z, the third Y.
    fs::write(folder.join("out").join(NORMAL), &sound).expect("written");
    change(folder, NORMAL, |_, _, n| Vec3::new(n.x, n.z, 1.0 - n.y));
    assert!(fault(&verified(folder).1).1.contains("object-space"));

    fs::write(folder.join("out").join(NORMAL), &sound).expect("written");
    change(folder, NORMAL, |x, y, n| if (64..96).contains(&x) && (32..64).contains(&y) { Vec3::ZERO } else { n });
    let (_, answer) = verified(folder);
    assert!(
        fault(&answer).0 == NORMAL && fault(&answer).1.contains("a tile is missing: every texel from 64, 32"),
        "{answer}"
    );

    fs::write(folder.join("out").join(NORMAL), &sound[..sound.len() / 2]).expect("written");
    assert!(fault(&verified(folder).1).1.contains(NORMAL));
    fs::remove_file(folder.join("out").join(NORMAL)).expect("removed");
    assert!(fault(&verified(folder).1).1.contains(NORMAL));

    // The scale that the report tells is 1.05 times the file's.
    fs::write(folder.join("out").join(NORMAL), &sound).expect("written");
    let mut told: Value = serde_json::from_str(&report).expect("JSON");
    let before = number(&verified(folder).1, "/truths/displaced/mean");
    let scale = told["maps"]["displacement"]["scale"].as_f64().expect("a scale");
    told["maps"]["displacement"]["scale"] = (scale * 1.05).into();
    fs::write(folder.join("out/report.json"), told.to_string()).expect("written");
    let (code, answer) = verified(folder);
    assert_eq!((code, fault(&answer).0), (Some(1), DISPLACEMENT), "{answer}");
    assert!(fault(&answer).1.contains("reads 1.05"), "{answer}");
    assert!(number(&answer, "/truths/displaced/mean") > 3.0 * before, "{answer}");
    fs::write(folder.join("out/report.json"), &report).expect("written");
    change(folder, DISPLACEMENT, |_, _, h| 1.0 - h);
    assert!(fault(&verified(folder).1).1.contains("run the other way"));
}

#[test]
fn a_bake_onto_a_plane_finds_its_sculpt_by_itself() {
    let folder = tempfile::tempdir().expect("a folder");
    write_pair(folder.path());
    let form = ["--maps", "normal,displacement", "--size", "256", "--samples", "1", "--depth", "16", "--out", "out"];
    let output = run(folder.path(), &[&["bake", "--plane", "y", "--high", "dune_high.obj"][..], &form].concat());
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    let (code, answer) = verified(folder.path());
    assert_eq!((code, answer["faults"].as_array().map(Vec::len)), (Some(0), Some(0)), "{answer}");
    assert!(
        number(&answer, "/truths/lit/0/mean") < 0.5 && number(&answer, "/truths/displaced/mean") < 2e-4,
        "{answer}"
    );
}

#[test]
fn what_cannot_be_verified_is_told() {
    let folder = baked();
    let folder = folder.path();
    let nowhere = run(folder, &["verify", "nowhere"]);
    assert_eq!(nowhere.status.code(), Some(2), "{}", error(&nowhere));
    fs::rename(folder.join("dune_high.obj"), folder.join("elsewhere.obj")).expect("moved");
    let output = run(folder, &["verify", "out"]);
    assert_eq!(output.status.code(), Some(2));
    assert!(error(&output).contains("dune_high.obj"), "{}", error(&output));
    fs::remove_file(folder.join("dune_low.obj")).expect("removed");
    let output = run(folder, &["verify", "out"]);
    assert!(error(&output).contains("--meshes"), "{}", error(&output));
}
