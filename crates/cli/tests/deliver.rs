//! `ember-ridge deliver`: packages of every profile that comes with the program, read by libraries that did not write them; what stands
//! in the way is told before anything is written, and what went wrong afterwards is found.

use crate::support::{error, program, run, with_pair};
use crate::verify;
use ember_ridge_core::glam::Vec3;
use ember_ridge_formats::read_mesh;
use serde_json::Value;
use std::collections::BTreeSet;
use std::fs;
use std::path::Path;
use std::process::Command;

/// A bake of the lid with these maps, in `out`.
fn baked(maps: &str, more: &[&str]) -> tempfile::TempDir {
    let folder = with_pair();
    let pair = ["bake", "--low", "lid_low.obj", "--high", "lid_high.obj", "--maps", maps, "--out", "out"];
    let form = ["--size", "64", "--samples", "1", "--reach-out", "0.1", "--reach-in", "0.1"];
    let output = run(folder.path(), &[&pair[..], &form, more].concat());
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    folder
}

fn delivered(folder: &Path, profile: &str, to: &str, more: &[&str]) -> (Option<i32>, Value) {
    let order = ["deliver", "out", "--profile", profile, "--to", to, "--json"];
    let output = run(folder, &[&order[..], more].concat());
    (output.status.code(), serde_json::from_slice(&output.stdout).unwrap_or_else(|_| panic!("{}", error(&output))))
}

/// The files of a folder, by their paths within it.
fn files_in(folder: &Path) -> BTreeSet<String> {
    let mut files = BTreeSet::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(next) = folders.pop() {
        for entry in fs::read_dir(&next).expect("a folder") {
            let path = entry.expect("an entry").path();
            if path.is_dir() {
                folders.push(path);
            } else {
                files.insert(path.strip_prefix(folder).expect("below it").to_string_lossy().into_owned());
            }
        }
    }
    files
}

#[test]
fn every_profile_delivers_what_it_says_and_all_of_it_is_read_back() {
    let folder = baked("normal,ao,displacement,curvature,id", &["--depth", "16"]);
    let profiles = run(folder.path(), &["profile"]);
    let profiles = String::from_utf8(profiles.stdout).expect("text");
    let names: Vec<&str> = profiles.lines().filter_map(|line| line.split_whitespace().next()).collect();
    assert_eq!(names, ["metal-rough-packed", "separate", "gltf", "film-exr", "painting-16"]);
    for name in names {
        let (code, answer) = delivered(folder.path(), name, &format!("to-{name}"), &[]);
        assert_eq!(code, Some(0), "{name}: {answer}");
        let told = answer["files"].as_array().expect("a list");
        let mut told: BTreeSet<String> = told.iter().map(|f| f["file"].as_str().expect("a name").to_owned()).collect();
        told.extend(["facts.json".to_owned(), "facts.txt".to_owned()]);
        assert_eq!(files_in(&folder.path().join(format!("to-{name}"))), told, "{name}");
        let checks = answer["checks"].as_array().expect("a list");
        assert!(checks.len() > told.len() && checks.iter().all(|check| check["fine"] == true), "{name}: {checks:#?}");
        let facts: Value = read_json(&folder.path().join(format!("to-{name}/facts.json")));
        assert_eq!((&facts["profile"], &facts["version"]), (&name.into(), &1.into()));
    }
    let leftovers: Vec<String> = files_in(folder.path()).into_iter().filter(|file| file.starts_with('.')).collect();
    assert_eq!(leftovers, Vec::<String>::new());
}

/// Every GLB that any profile makes of any sample, by the validator of the standard; and each sample's own checks.
#[test]
fn every_profile_of_every_sample_is_sound_and_its_glb_passes_the_validator_of_the_standard() {
    let folder = tempfile::tempdir().expect("a folder");
    let at = folder.path();
    let mut files = Vec::new();
    for sample in ["lookout-lantern", "boundary-stone", "shingle-tile", "dented-watering-can", "trail-ground"] {
        let drafted = |arguments: &[&str]| {
            program(at).args(arguments).env("EMBER_RIDGE_DRAFT_SAMPLES", "1").output().expect("it starts")
        };
        let output = drafted(&["sample", sample, "--out", sample]);
        assert_eq!(output.status.code(), Some(0), "{sample}: {}", error(&output));
        let recipe = format!("{sample}/{sample}.recipe.json");
        let form = ["--size", "128", "--samples", "1", "--ao-rays", "4", "--out", "out"];
        let output = run(at, &[&["bake", &recipe][..], &form].concat());
        assert_eq!(output.status.code(), Some(0), "{sample}: {}", error(&output));
        for profile in ["metal-rough-packed", "separate", "gltf", "film-exr", "painting-16"] {
            let to = format!("{sample}-{profile}");
            let (code, answer) = delivered(at, profile, &to, &["--meshes", sample]);
            let wrong: Vec<&Value> =
                answer["checks"].as_array().into_iter().flatten().filter(|c| c["fine"] != true).collect();
            assert_eq!((code, wrong), (Some(0), Vec::new()), "{to}");
            let made = files_in(&at.join(&to)).into_iter().filter(|file| file.ends_with(".glb"));
            files.extend(made.map(|file| at.join(&to).join(file)));
        }
        fs::remove_dir_all(at.join("out")).expect("removed");
    }
    assert_eq!(files.len(), 25, "{files:?}");
    let manifest = Path::new(env!("CARGO_MANIFEST_DIR"));
    let output = Command::new("node")
        .arg(manifest.join("tests/support/validate.mjs"))
        .arg(manifest.join("../../web"))
        .args(&files)
        .output()
        .expect("node is here, as the page was built");
    assert!(output.status.success(), "{}", error(&output));
    let told: Vec<Value> = serde_json::from_slice(&output.stdout).expect("JSON");
    assert_eq!(told.len(), files.len());
    for glb in told {
        assert_eq!((&glb["errors"], &glb["warnings"]), (&0.into(), &0.into()), "{glb:#}");
        assert!(glb["triangles"].as_u64().is_some_and(|count| count > 1), "{glb:#}");
    }
}

fn read_json(path: &Path) -> Value {
    serde_json::from_str(&fs::read_to_string(path).expect("a file")).expect("JSON")
}

#[test]
fn channels_are_packed_to_the_byte_and_green_turns() {
    let folder = baked("normal,ao,displacement", &[]);
    let mut profile = read_profile(folder.path(), "metal-rough-packed");
    profile["name"] = "mine".into();
    profile["pattern"] = "textures/{part}_{map}_{size}".into();
    profile["y"] = "-".into();
    profile["pictures"] = serde_json::json!([
        { "suffix": "packed", "depth": "8", "holds": { "channels": [
            { "map": "ao" }, { "map": "ao", "invert": true }, { "map": "roughness", "else": 0.5 }, { "map": "normal", "channel": "g" }] } },
        { "suffix": "normal", "depth": "8", "holds": { "map": "normal" } }
    ]);
    fs::write(folder.path().join("mine.json"), profile.to_string()).expect("written");
    let (code, answer) = delivered(folder.path(), "mine.json", "to", &[]);
    assert_eq!(code, Some(0), "{answer}");
    let open = |path: &str| image::open(folder.path().join(path)).unwrap_or_else(|fault| panic!("{path}: {fault}"));
    let packed = open("to/textures/lid_low_packed_64.png");
    let image::DynamicImage::ImageRgba8(packed) = packed else { panic!("{:?}", packed.color()) };
    let (ao, normal) = (open("out/lid_low_ao.png").into_luma8(), open("out/lid_low_normal.png").into_rgb8());
    let turned = open("to/textures/lid_low_normal_64.png").into_rgb8();
    for (x, y, texel) in packed.enumerate_pixels() {
        let ([ao], [r, g, b]) = (ao.get_pixel(x, y).0, normal.get_pixel(x, y).0);
        assert_eq!(texel.0, [ao, 255 - ao, 128, 255 - g], "{x}, {y}: green is turned wherever it is taken from");
        assert_eq!(turned.get_pixel(x, y).0, [r, 255 - g, b]);
    }
}

fn read_profile(folder: &Path, name: &str) -> Value {
    serde_json::from_slice(&run(folder, &["profile", name]).stdout).expect("JSON")
}

#[test]
fn a_smaller_flipped_delivery_holds_means_upside_down() {
    let folder = baked("normal,ao,position", &["--depth", "16"]);
    let mut profile = read_profile(folder.path(), "painting-16");
    profile["most_size"] = 16.into();
    profile["flip_v"] = true.into();
    fs::write(folder.path().join("small.json"), profile.to_string()).expect("written");
    let (code, answer) = delivered(folder.path(), "small.json", "to", &[]);
    assert_eq!(code, Some(0), "{answer}");
    let open = |path: &str| image::open(folder.path().join(path)).expect("a picture").into_rgb16();
    let (whole, small) = (open("out/lid_low_position.png"), open("to/lid_low_position.png"));
    assert_eq!(small.dimensions(), (16, 16));
    for (x, y, texel) in small.enumerate_pixels() {
        for c in 0..3 {
            let block = (0..16u32).map(|n| f64::from(whole.get_pixel(4 * x + n % 4, 4 * (15 - y) + n / 4).0[c]));
            let mean = block.sum::<f64>() / 16.0;
            assert!((f64::from(texel.0[c]) - mean).abs() <= 0.51, "{x}, {y}: {} is not {mean}", texel.0[c]);
        }
    }
}

#[test]
fn the_glb_is_read_by_another_library_with_its_tangents_and_textures() {
    let folder = baked("normal,ao", &[]);
    let (code, answer) = delivered(folder.path(), "gltf", "to", &[]);
    assert_eq!(code, Some(0), "{answer}");
    let bytes = fs::read(folder.path().join("to/lid_low.glb")).expect("a file");
    let gltf::Gltf { document, blob } = gltf::Gltf::from_slice(&bytes).expect("a sound GLB");
    let blob = blob.expect("a buffer");
    let texture = |image: gltf::Image| match image.source() {
        gltf::image::Source::View { view, .. } => {
            let picture = image::load_from_memory(&blob[view.offset()..][..view.length()]).expect("a picture");
            (picture.width(), picture.height())
        }
        gltf::image::Source::Uri { uri, .. } => panic!("{uri} lies outside"),
    };
    let textures: Vec<(u32, u32)> = document.images().map(texture).collect();
    assert_eq!(textures, [(64, 64); 2], "occlusion with roughness and metallic, and the normal map");
    let material = document.materials().next().expect("one");
    assert!(material.normal_texture().is_some() && material.occlusion_texture().is_some());
    assert_eq!(material.pbr_metallic_roughness().metallic_factor(), 1.0);
    let primitive = document.meshes().next().and_then(|mesh| mesh.primitives().next()).expect("one");
    let reader = primitive.reader(|_| Some(&blob));
    let normals: Vec<[f32; 3]> = reader.read_normals().expect("there").collect();
    let tangents: Vec<[f32; 4]> = reader.read_tangents().expect("there").collect();
    assert_eq!(reader.read_indices().expect("there").into_u32().count(), 6);
    // The lid lies at y = 0 with U along X and V against Z.
    for (normal, tangent) in normals.iter().zip(tangents) {
        assert_eq!((*normal, tangent), ([0.0, 1.0, 0.0], [1.0, 0.0, 0.0, 1.0]));
    }
}

#[test]
fn what_stands_in_the_way_is_told_and_nothing_is_written() {
    let folder = baked("ao", &[]);
    let at = |path: &str| folder.path().join(path);
    let refused = |order: &[&str]| {
        let output = run(folder.path(), order);
        assert_eq!(output.status.code(), Some(2), "{}", error(&output));
        error(&output)
    };
    let to = |profile, to| refused(&["deliver", "out", "--profile", profile, "--to", to]);
    assert!(to("glossy", "to").contains("there is no 'glossy' among the profiles. There are metal-rough-packed"));
    fs::write(at("bad.json"), "{ \"version\": 1 }").expect("written");
    assert!(to("bad.json", "to").contains("bad.json: missing field"), "{}", to("bad.json", "to"));
    assert!(to("separate", ".").contains("something else than a delivery"));
    assert!(refused(&["deliver", "nowhere", "--profile", "gltf", "--to", "to"]).contains("holds no bake"));
    // Two pictures of one name.
    let mut profile = read_profile(folder.path(), "painting-16");
    let rule = serde_json::json!({ "suffix": "ao", "depth": "8", "holds": { "map": "ao" } });
    profile["pictures"] = serde_json::json!([rule, rule]);
    fs::write(at("twice.json"), profile.to_string()).expect("written");
    let output = run(folder.path(), &["deliver", "out", "--profile", "twice.json", "--to", "to", "--json"]);
    assert_eq!(output.status.code(), Some(1), "{}", error(&output));
    let answer: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert_eq!(answer["findings"][0]["kind"], "delivery-clash");
    assert!(!at("to").exists());
    // Listed before it is written.
    let listed = run(folder.path(), &["deliver", "out", "--profile", "separate", "--list"]);
    let words = String::from_utf8(listed.stdout).expect("text");
    assert!(words.contains("lid_low_Occlusion.png  64 x 64, 1 channel of 8 bit, data"), "{words}");
    assert!(words.contains("Warning: 'Normal' is left out: the run has no normal"), "{words}");
    assert!(!at("to").exists());
}

#[test]
fn a_delivery_is_replaced_whole_when_asked_and_the_old_one_stays() {
    let folder = baked("normal", &[]);
    let at = |path: &str| folder.path().join(path);
    assert_eq!(delivered(folder.path(), "gltf", "to", &[]).0, Some(0));
    let output = run(folder.path(), &["deliver", "out", "--profile", "separate", "--to", "to"]);
    assert!(output.status.code() == Some(2) && error(&output).contains("--replace"), "{}", error(&output));
    let before = files_in(&at("to"));
    let (code, answer) = delivered(folder.path(), "separate", "to", &["--replace"]);
    assert_eq!((code, &answer["version"]), (Some(0), &2.into()), "{answer}");
    assert_eq!(files_in(&at("to.v001")), before);
    assert_ne!(files_in(&at("to")), before);
    // As a zip: the same files.
    let output = run(folder.path(), &["deliver", "out", "--profile", "separate", "--to", "lid.zip"]);
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    let archive = zip::ZipArchive::new(fs::File::open(at("lid.zip")).expect("a file")).expect("a zip");
    let names: BTreeSet<String> = archive.file_names().map(|name| name.expect("text").into_owned()).collect();
    assert_eq!(names, files_in(&at("to")));
    // A zip is replaced as a folder is; what is no delivery is not.
    let sound = fs::read(at("lid.zip")).expect("a file");
    let (code, answer) = delivered(folder.path(), "gltf", "lid.zip", &["--replace"]);
    assert_eq!((code, &answer["version"]), (Some(0), &2.into()), "{answer}");
    assert_eq!(fs::read(at("lid.v001.zip")).expect("kept"), sound);
    fs::write(at("other.zip"), "notes").expect("written");
    let output = run(folder.path(), &["deliver", "out", "--profile", "gltf", "--to", "other.zip", "--replace"]);
    assert!(output.status.code() == Some(2) && error(&output).contains("something else"), "{}", error(&output));
    assert_eq!(fs::read(at("other.zip")).expect("there"), b"notes");
    // An old version that would be lost stops it before any work.
    fs::create_dir(at("to.v002")).expect("made");
    let output = run(folder.path(), &["deliver", "out", "--profile", "gltf", "--to", "to", "--replace"]);
    assert!(output.status.code() == Some(2) && error(&output).contains("to.v002"), "{}", error(&output));
    assert!(at("to/facts.json").exists());
    // Nor does it move what the asset reads.
    fs::remove_dir(at("to.v002")).expect("gone");
    let mut report = read_json(&at("out/report.json"));
    report["recipe"]["low"][0]["file"] = "to/lid_low.obj".into();
    fs::write(at("out/report.json"), report.to_string()).expect("written");
    let output = run(folder.path(), &["deliver", "out", "--profile", "gltf", "--to", "to", "--replace"]);
    assert!(output.status.code() == Some(2) && error(&output).contains("which the asset reads"), "{}", error(&output));
}

/// What went wrong with a map of the run is found while it is delivered, and names it.
#[test]
fn damaged_maps_of_the_run_are_named() {
    let folder = baked("normal,ao", &[]);
    let at = folder.path().join("out/lid_low_ao.png");
    let bytes = fs::read(&at).expect("a file");
    for damage in [&bytes[..bytes.len() / 2], &[]] {
        fs::write(&at, damage).expect("written");
        let output = run(folder.path(), &["deliver", "out", "--profile", "separate", "--to", "to"]);
        assert!(
            output.status.code() == Some(2) && error(&output).contains("lid_low_ao.png: it cannot be read"),
            "{:?}: {}",
            output.status.code(),
            error(&output)
        );
        assert!(!folder.path().join("to").exists());
    }
    fs::remove_file(&at).expect("gone");
    let output = run(folder.path(), &["deliver", "out", "--profile", "separate", "--to", "to"]);
    assert!(output.status.code() == Some(2) && error(&output).contains("lid_low_ao.png"), "{}", error(&output));
}

fn verified(folder: &Path) -> (Option<i32>, Vec<(String, String)>) {
    let output = run(folder, &["verify", "out", "--delivery", "to", "--json"]);
    let answer: Value = serde_json::from_slice(&output.stdout).unwrap_or_else(|_| panic!("{}", error(&output)));
    let told = |fault: &Value, key: &str| fault[key].as_str().unwrap_or_default().to_owned();
    let faults = answer["faults"].as_array().expect("a list");
    (output.status.code(), faults.iter().map(|fault| (told(fault, "file"), told(fault, "fault"))).collect())
}

/// Plants a fault in a delivered file, sees it named, and puts the file back.
fn planted(folder: &Path, file: &str, plant: impl Fn(&Path), words: &str) {
    let path = folder.join("to").join(file);
    let sound = fs::read(&path).expect("a file");
    plant(&path);
    let (code, faults) = verified(folder);
    assert_eq!(code, Some(1), "{file}: {words}");
    assert!(faults.iter().all(|(at, _)| at == file), "only {file} is at fault: {faults:#?}");
    assert!(faults.iter().any(|(_, fault)| fault.contains(words)), "{file}: '{words}' is not among {faults:#?}");
    fs::write(&path, sound).expect("written");
}

#[test]
fn planted_faults_in_a_delivery_are_each_named_with_their_file() {
    let folder = tempfile::tempdir().expect("a folder");
    crate::verify::write_pair(folder.path());
    let pair = ["bake", "--low", "dune_low.obj", "--high", "dune_high.obj", "--maps", "normal,displacement,ao"];
    let form = ["--out", "out", "--size", "256", "--samples", "1", "--reach-out", "0.1", "--reach-in", "0.1"];
    let output = run(folder.path(), &[&pair[..], &form, &["--depth", "16"]].concat());
    assert_eq!(output.status.code(), Some(0), "{}", error(&output));
    assert_eq!(delivered(folder.path(), "separate", "to", &[]).0, Some(0));
    assert_eq!(verified(folder.path()), (Some(0), Vec::new()));

    let repaint = |path: &Path, change: &dyn Fn(&mut [u16])| {
        let mut picture = image::open(path).expect("a picture").into_rgb16();
        picture.pixels_mut().for_each(|texel| change(&mut texel.0));
        picture.save(path).expect("written");
    };
    let (normal, height, ao) = ("dune_low_Normal.png", "dune_low_Displacement.png", "dune_low_Occlusion.png");
    planted(folder.path(), normal, |path| repaint(path, &|t| t[1] = u16::MAX - t[1]), "green is turned");
    planted(folder.path(), normal, |path| repaint(path, &|t| t.swap(0, 2)), "red and blue have changed places");
    let flipped = |path: &Path| image::open(path).expect("a picture").flipv().save(path).expect("written");
    planted(folder.path(), height, flipped, "the sheet stands on its head");
    let shallow = |path: &Path| {
        let picture = image::open(path).expect("a picture").into_luma8();
        picture.save(path).expect("written");
    };
    planted(folder.path(), height, shallow, "1 channel of 8 bit");
    let truncated = |path: &Path| {
        let bytes = fs::read(path).expect("a file");
        fs::write(path, &bytes[..bytes.len() * 2 / 3]).expect("written");
    };
    planted(folder.path(), ao, truncated, "cut short");
    planted(folder.path(), "dune_low.glb", truncated, "cut short");
    planted(folder.path(), ao, |path| fs::remove_file(path).expect("gone"), "it is missing");
    let marked = |path: &Path| {
        let bytes = fs::read(path).expect("a file");
        // Behind the header (8 + 25 bytes): a chunk of one byte, the rendering intent, with its checksum.
        let mut crc = flate2::Crc::new();
        crc.update(b"sRGB\0");
        let chunk = [&[0, 0, 0, 1][..], b"sRGB\0", &crc.sum().to_be_bytes()].concat();
        fs::write(path, [&bytes[..33], &chunk, &bytes[33..]].concat()).expect("written");
    };
    planted(folder.path(), ao, marked, "marked sRGB");
    // Tangents that another program made: each turned by a right angle.
    let turned = |path: &Path| {
        let mut bytes = fs::read(path).expect("a file");
        let gltf = gltf::Gltf::from_slice(&bytes).expect("a sound GLB");
        let blob = gltf.blob.clone().expect("a buffer");
        let start = bytes.len() - blob.len();
        for accessor in gltf.accessors().filter(|a| a.dimensions() == gltf::accessor::Dimensions::Vec4) {
            let view = accessor.view().expect("one");
            for vertex in 0..accessor.count() {
                let at = start + view.offset() + 16 * vertex;
                bytes[at..at + 12].rotate_right(4);
            }
        }
        fs::write(path, bytes).expect("written");
    };
    let painted_over = |path: &Path| {
        let mut bytes = fs::read(path).expect("a file");
        let gltf = gltf::Gltf::from_slice(&bytes).expect("a sound GLB");
        let start = bytes.len() - gltf.blob.as_ref().expect("a buffer").len();
        let gltf::image::Source::View { view, .. } = gltf.images().last().expect("one").source() else {
            panic!("it is inside")
        };
        let place = start + view.offset()..start + view.offset() + view.length();
        let mut picture = image::load_from_memory(&bytes[place.clone()]).expect("a picture").into_rgb8();
        picture.pixels_mut().for_each(|texel| texel.0 = [128, 128, 255]);
        let mut flat = std::io::Cursor::new(Vec::new());
        picture.write_to(&mut flat, image::ImageFormat::Png).expect("written");
        let flat = flat.into_inner();
        bytes[place.start..place.start + flat.len()].copy_from_slice(&flat);
        fs::write(path, bytes).expect("written");
    };
    planted(folder.path(), "dune_low.glb", painted_over, "texture dune_low_normal.png");
    planted(folder.path(), "dune_low.glb", turned, "degrees off those that were baked with");
    assert_eq!(verified(folder.path()), (Some(0), Vec::new()));
}

#[test]
fn a_delivery_is_held_against_the_sculpt_and_brings_a_cage_as_far_out_as_rays_began() {
    let folder = verify::baked();
    let at = folder.path();
    let (code, answer) = delivered(at, "painting-16", "to", &[]);
    assert_eq!(code, Some(0), "{answer}");
    let against: Vec<&str> = answer["checks"]
        .as_array()
        .into_iter()
        .flatten()
        .filter(|check| check["what"] == "against the sculpt")
        .filter_map(|check| check["found"].as_str())
        .collect();
    let told = |words: &str| against.iter().any(|found| found.starts_with(words) && found.contains("off on average"));
    assert!(told("normals") && told("along seams") && told("heights"), "{answer}");
    // Rays began 0.1 units above both squares.
    let cage = files_in(&at.join("to")).into_iter().find(|file| file.ends_with("_cage.obj")).expect("a cage");
    let mesh = |path: &Path| {
        let name = path.to_string_lossy();
        read_mesh(&name, &fs::read(path).expect("a file"), &|_| None).expect("a mesh")
    };
    let (cage, low) = (mesh(&at.join("to").join(cage)), mesh(&at.join("dune_low.obj")));
    assert_eq!(cage.triangles.len(), low.triangles.len());
    assert!(cage.positions.iter().all(|p| (p.y - 0.1).abs() < 1e-5), "{:?}", cage.positions);
    assert!(low.positions.iter().all(|l| cage.positions.iter().any(|c| (*c - *l).length() < 0.1 + 1e-5)));

    // Maps that do not say what the sculpt says are not delivered, whoever changed them.
    let sound = fs::read(at.join("out/dune_low_normal.png")).expect("a file");
    verify::change(at, "dune_low_normal.png", |_, _, n| Vec3::new(n.x, 1.0 - n.y, n.z));
    let (code, answer) = delivered(at, "painting-16", "turned", &[]);
    let wrong: Vec<&Value> = answer["checks"].as_array().into_iter().flatten().filter(|c| c["fine"] != true).collect();
    assert!(code == Some(1) && wrong.len() == 1, "{wrong:?}");
    assert!(wrong[0]["found"].as_str().is_some_and(|found| found.contains("green")), "{wrong:?}");
    assert!(!at.join("turned").exists());
    fs::write(at.join("out/dune_low_normal.png"), sound).expect("written");

    // Without the sculpt the rest is delivered all the same, and that is said.
    fs::rename(at.join("dune_high.obj"), at.join("elsewhere.obj")).expect("moved");
    let output = run(at, &["deliver", "out", "--profile", "painting-16", "--to", "alone"]);
    assert!(
        output.status.success() && error(&output).contains("dune_high.obj: it was not found"),
        "{}",
        error(&output)
    );
    assert!(!files_in(&at.join("alone")).iter().any(|file| file.ends_with("_cage.obj")));
}
