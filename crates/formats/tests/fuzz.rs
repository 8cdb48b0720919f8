//! One target a reader: files of the corpus, changed the way damage and malice change them, must be read or refused, and take no
//! more memory than a few times their bytes and no more time than a blink. Each target works in a process of its own whose memory
//! is limited, so that a reader which asks for too much dies and is told with the seed that killed it.
//!
//! `make test` gives each target some seconds, `make fuzz` an hour in all. `EMBER_RIDGE_FUZZ_SECONDS` says how long,
//! `EMBER_RIDGE_FUZZ_SEED` where to begin.

#[path = "support/fbx.rs"]
mod fbx_files;

use ember_ridge_core::Recipe;
use ember_ridge_formats::image::read_image;
use ember_ridge_formats::mesh::write_ply;
use ember_ridge_formats::read_mesh;
use proptest::prelude::*;
use proptest::test_runner::{Config, RngAlgorithm, TestCaseError, TestRng, TestRunner};
use serde_json::Value;
use std::path::Path;
use std::process::Command;
use std::time::{Duration, Instant};

/// Kilobytes a target may address, its own program among them.
const MOST_MEMORY: u64 = 3_000_000;
/// Longest that one small file may take.
const MOST_TIME: Duration = Duration::from_secs(5);
/// Cases between two looks at the clock.
const ROUND: u32 = 64;

type Files = Vec<(String, Vec<u8>)>;

/// Files of the corpus with these extensions.
fn corpus(extensions: &[&str]) -> Files {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/corpus");
    let mut files: Files = std::fs::read_dir(folder)
        .expect("there")
        .map(|entry| entry.expect("readable").path())
        .filter(|p| p.extension().is_some_and(|e| extensions.iter().any(|x| e == *x)))
        .map(|p| (p.file_name().expect("named").to_string_lossy().into_owned(), std::fs::read(&p).expect("readable")))
        .collect();
    files.sort();
    files
}

/// One change to the bytes of a file.
#[derive(Clone, Debug)]
enum Change {
    Flip {
        at: usize,
        bits: u8,
    },
    Cut {
        from: usize,
        length: usize,
    },
    Repeat {
        from: usize,
        length: usize,
        times: usize,
    },
    /// A number in place of four bytes.
    Number {
        at: usize,
        number: u32,
        big_endian: bool,
    },
    /// A word in place of one between spaces.
    Word {
        nth: usize,
        with: &'static str,
    },
    /// A line of text said again elsewhere, or dropped.
    Line {
        nth: usize,
        to: Option<usize>,
    },
    /// A value of the JSON in place of another, or dropped.
    Json {
        nth: usize,
        with: Option<&'static str>,
    },
}

const NUMBERS: &[u32] = &[0, 1, 2, 0x7f, 0xff, 0xffff, 0x7fff_ffff, 0x8000_0000, 0xffff_ffff, 0x7fc0_0000, 0x1000_0000];
const WORDS: &[&str] = &[
    "",
    "0",
    "-1",
    "1",
    "4294967295",
    "-9223372036854775809",
    "1e999",
    "nan",
    "1/1/1",
    "//",
    "\\",
    "f",
    "v",
    "solid",
    "#",
    "é",
];
const VALUES: &[&str] = &[
    "null",
    "0",
    "-1",
    "1",
    "255",
    "65536",
    "4294967295",
    "1e308",
    "\"\"",
    "\"data:,\"",
    "[]",
    "{}",
    "true",
    "[0,0,0]",
    "[[0]]",
];

fn change() -> impl Strategy<Value = Change> {
    let at = any::<u16>().prop_map(usize::from);
    let word = proptest::sample::select(WORDS);
    prop_oneof![
        (at.clone(), 1u8..).prop_map(|(at, bits)| Change::Flip { at, bits }),
        (at.clone(), 0usize..400).prop_map(|(from, length)| Change::Cut { from, length }),
        (at.clone(), 0usize..60, 1usize..200).prop_map(|(from, length, times)| Change::Repeat { from, length, times }),
        (at.clone(), proptest::sample::select(NUMBERS), any::<bool>())
            .prop_map(|(at, number, big_endian)| Change::Number { at, number, big_endian }),
        (at.clone(), word).prop_map(|(nth, with)| Change::Word { nth, with }),
        (at.clone(), proptest::option::of(at.clone())).prop_map(|(nth, to)| Change::Line { nth, to }),
        (at, proptest::option::of(proptest::sample::select(VALUES))).prop_map(|(nth, with)| Change::Json { nth, with }),
    ]
}

fn changed(bytes: &[u8], changes: &[Change]) -> Vec<u8> {
    let mut bytes = bytes.to_vec();
    for change in changes.iter().cloned() {
        if bytes.is_empty() {
            break;
        }
        let length = bytes.len();
        match change {
            Change::Flip { at, bits } => bytes[at % length] ^= bits,
            Change::Cut { from, length: cut } => {
                let from = from % length;
                bytes.drain(from..(from + cut).min(length));
            }
            Change::Repeat { from, length: span, times } => {
                let from = from % length;
                let piece = bytes[from..(from + span).min(length)].repeat(times);
                bytes.splice(from..from, piece);
            }
            Change::Number { at, number, big_endian } => {
                let at = at % length;
                let four = if big_endian { number.to_be_bytes() } else { number.to_le_bytes() };
                bytes.iter_mut().skip(at).zip(four).for_each(|(slot, byte)| *slot = byte);
            }
            Change::Word { nth, with } => {
                let starts: Vec<usize> = (1..length).filter(|&i| bytes[i - 1] == b' ' && bytes[i] > b' ').collect();
                let Some(&start) = starts.get(nth % starts.len().max(1)) else { continue };
                let end = (start..length).find(|&i| bytes[i] <= b' ').unwrap_or(length);
                bytes.splice(start..end, with.bytes());
            }
            Change::Line { nth, to } => {
                let mut lines: Vec<&[u8]> = bytes.split(|&b| b == b'\n').collect();
                let nth = nth % lines.len();
                match to {
                    Some(to) => lines.insert(to % lines.len(), lines[nth]),
                    None => drop(lines.remove(nth)),
                }
                bytes = lines.join(&b'\n');
            }
            Change::Json { nth, with } => {
                let Ok(mut value) = serde_json::from_slice::<Value>(&bytes) else { continue };
                let mut left = nth % places(&value).max(1);
                put(&mut value, &mut left, with.map(|w| serde_json::from_str(w).expect("listed as JSON")));
                bytes = value.to_string().into_bytes();
            }
        }
    }
    bytes
}

/// How many values a document holds, itself not counted.
fn places(value: &Value) -> usize {
    match value {
        Value::Array(list) => list.iter().map(|v| 1 + places(v)).sum(),
        Value::Object(map) => map.values().map(|v| 1 + places(v)).sum(),
        _ => 0,
    }
}

/// Puts another value in place of the one of this number, or drops it.
fn put(value: &mut Value, left: &mut usize, with: Option<Value>) -> bool {
    let here = |left: &mut usize| std::mem::replace(left, left.wrapping_sub(1)) == 0;
    match value {
        Value::Array(list) => {
            for i in 0..list.len() {
                if here(left) {
                    match with {
                        Some(with) => list[i] = with,
                        None => drop(list.remove(i)),
                    }
                    return true;
                }
                if put(&mut list[i], left, with.clone()) {
                    return true;
                }
            }
        }
        Value::Object(map) => {
            for key in map.keys().cloned().collect::<Vec<_>>() {
                if here(left) {
                    match with {
                        Some(with) => drop(map.insert(key, with)),
                        None => drop(map.remove(&key)),
                    }
                    return true;
                }
                if map.get_mut(&key).is_some_and(|v| put(v, left, with.clone())) {
                    return true;
                }
            }
        }
        _ => {}
    }
    false
}

fn seconds() -> u64 {
    std::env::var("EMBER_RIDGE_FUZZ_SECONDS").ok().and_then(|s| s.parse().ok()).unwrap_or(15)
}

/// Runs a target of this file by itself, with little memory; tells the seed it died at.
fn in_a_small_process(target: &str) {
    let log = tempfile::NamedTempFile::new().expect("a file");
    let program = std::env::current_exe().expect("a path");
    let limited = format!("ulimit -v {MOST_MEMORY}; exec \"$0\" \"$@\"");
    let output = Command::new("sh")
        .args(["-c", &limited])
        .arg(program)
        .args(["--exact", target, "--ignored", "--nocapture", "--test-threads=1"])
        .env("EMBER_RIDGE_FUZZ_LOG", log.path())
        .output()
        .expect("it starts");
    let last = std::fs::read_to_string(log.path()).unwrap_or_default();
    let said = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success(), "{target} ended with {} in the round of seed {last}: {said}", output.status);
    println!("{target}: {last} rounds of {ROUND}");
    assert!(last.parse::<u64>().is_ok_and(|rounds| rounds > 2), "it did not get far: '{last}'");
}

/// Rounds of changed files until the time is over.
fn fuzz(files: &Files, read: impl Fn(&str, &[u8])) {
    let first: u64 = std::env::var("EMBER_RIDGE_FUZZ_SEED").ok().and_then(|s| s.parse().ok()).unwrap_or(0);
    let until = Instant::now() + Duration::from_secs(seconds());
    let mut seed = first;
    while Instant::now() < until {
        if let Ok(log) = std::env::var("EMBER_RIDGE_FUZZ_LOG") {
            std::fs::write(log, seed.to_string()).expect("written");
        }
        let mut bytes = [0; 32];
        bytes[..8].copy_from_slice(&seed.to_le_bytes());
        let rng = TestRng::from_seed(RngAlgorithm::ChaCha, &bytes);
        let config = Config { cases: ROUND, failure_persistence: None, ..Config::default() };
        let mut runner = TestRunner::new_with_rng(config, rng);
        let case = (0..files.len(), proptest::collection::vec(change(), 1..6));
        let result = runner.run(&case, |(file, changes)| {
            let (name, bytes) = &files[file];
            let began = Instant::now();
            read(name, &changed(bytes, &changes));
            match began.elapsed() {
                long if long > MOST_TIME => Err(TestCaseError::fail(format!("{name} took {long:?}"))),
                _ => Ok(()),
            }
        });
        if let Err(fault) = result {
            panic!("seed {seed}: {fault}");
        }
        seed += 1;
    }
}

/// A mesh that comes in must be one that can be trusted.
fn mesh(name: &str, bytes: &[u8]) {
    let beside = |_: &str| None;
    if let Ok(mesh) = read_mesh(name, bytes, &beside) {
        assert!(mesh.triangles.iter().flatten().all(|&v| (v as usize) < mesh.positions.len()));
        assert!(mesh.positions.iter().chain(&mesh.normals).all(|p| p.is_finite()));
        assert!(mesh.uvs.is_empty() || mesh.uvs.len() == mesh.positions.len());
    }
}

macro_rules! targets {
    ($($name:ident, $inside:ident => $work:expr;)+) => {
        $(
            #[test]
            fn $name() {
                in_a_small_process(stringify!($inside));
            }

            #[test]
            #[ignore = "run by the test above in a process of its own"]
            fn $inside() {
                $work
            }
        )+
    };
}

targets! {
    obj, obj_inside => fuzz(&corpus(&["obj"]), mesh);
    mtl, mtl_inside => fuzz(&corpus(&["mtl"]), |_, bytes| {
        let text = b"mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl oak\nf 1 2 3\n";
        let read = read_mesh("a.obj", text, &|name| (name == "a.mtl").then(|| bytes.to_vec()));
        assert!(read.is_ok(), "a library never keeps a mesh out");
    });
    stl, stl_inside => fuzz(&corpus(&["stl"]), mesh);
    fbx, fbx_inside => fuzz(&small_fbx(), mesh);
    ply, ply_inside => fuzz(&plys(), mesh);
    gltf, gltf_inside => fuzz(&corpus(&["gltf"]).into_iter().chain(glbs()).collect(), mesh);
    pictures, pictures_inside => fuzz(&small_pictures(), |name, bytes| {
        if let Ok(image) = read_image(name, bytes) {
            let _ = image.texel(image.width - 1, image.height - 1);
        }
    });
    recipes, recipes_inside => fuzz(&small_recipes(), |_, bytes| {
        if let Ok(recipe) = serde_json::from_slice::<Recipe>(bytes) {
            let _ = recipe.validate();
        }
    });
}

fn crate_mesh() -> ember_ridge_core::Mesh {
    let (_, bytes) = corpus(&["obj"]).into_iter().find(|(name, _)| name == "colours.obj").expect("in the corpus");
    read_mesh("colours.obj", &bytes, &|_| None).expect("readable")
}

/// One crate in both encodings.
fn small_fbx() -> Files {
    let records = fbx_files::Crate { up: 2, unit: 1.0, normals: true, picture: None }.records();
    let files = [("text.fbx", fbx_files::text(&records)), ("binary.fbx", fbx_files::binary(&records))];
    files.map(|(name, bytes)| (name.to_owned(), bytes)).to_vec()
}

fn plys() -> Files {
    let mut binary = Vec::new();
    write_ply(&mut binary, &crate_mesh()).expect("memory");
    let text = "ply\nformat ascii 1.0\ncomment typed\nelement vertex 4\nproperty float x\nproperty double y\nproperty float z\n\
        property uchar red\nproperty uchar green\nproperty uchar blue\nelement face 2\nproperty list uchar int vertex_indices\n\
        element edge 1\nproperty int vertex1\nproperty int vertex2\nend_header\n\
        0 0 0 1 2 3\n1 0 0 1 2 3\n1 1 0 1 2 3\n0 1 0 1 2 3\n3 0 1 2\n4 0 1 2 3\n0 1\n";
    vec![("binary.ply".into(), binary), ("text.ply".into(), text.into())]
}

fn glbs() -> Files {
    let mut bytes = Vec::new();
    ember_ridge_formats::mesh::write_glb(&mut bytes, &crate_mesh()).expect("memory");
    vec![("crate.glb".into(), bytes)]
}

fn small_pictures() -> Files {
    use image::ImageFormat as F;
    let picture =
        image::DynamicImage::ImageRgb8(image::RgbImage::from_fn(9, 5, |x, y| image::Rgb([x as u8 * 20, y as u8, 7])));
    [("a.png", F::Png), ("a.tif", F::Tiff), ("a.jpg", F::Jpeg), ("a.tga", F::Tga), ("a.exr", F::OpenExr)]
        .map(|(name, format)| {
            let picture = if format == F::OpenExr { picture.to_rgb32f().into() } else { picture.clone() };
            let mut bytes = std::io::Cursor::new(Vec::new());
            picture.write_to(&mut bytes, format).expect(name);
            (name.to_owned(), bytes.into_inner())
        })
        .into()
}

fn small_recipes() -> Files {
    let mut recipe = Recipe::new("crate");
    recipe.low.push(ember_ridge_core::recipe::MeshSource::file("crate_low.obj"));
    recipe.high.push(ember_ridge_core::recipe::MeshSource::file("crate_high.ply"));
    recipe.maps = ember_ridge_core::maps::MapSettings::all();
    vec![("recipe.json".into(), serde_json::to_vec(&recipe).expect("a recipe"))]
}
