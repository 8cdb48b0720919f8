//! A whole delivery in a folder: pictures, meshes, palette, recipe and the sheet of facts; and the same read back.

use super::check::{Check, check_picture};
use super::check_glb::{CHANGED, check_glb};
use super::contact::{CONTACT, write_contact_sheet};
use super::facts::{Facts, FileFacts, PictureFacts};
use super::glb::{GlbMaterial, write_textured_glb};
use super::picture::{OpenMap, write_delivered};
use super::sculpt::{AskedFiles, Sculpt};
use crate::files::write_whole;
use crate::image::read_image;
use crate::mesh::write_obj;
use ember_ridge_core::Mesh;
use ember_ridge_core::bake::Report;
use ember_ridge_core::deliver::{
    Delivery, DeliveryNames, Holds, NameFields, Pattern, PictureRule, PlannedPicture, Profile, asset_name,
    plan_delivery, shipped_profiles,
};
use ember_ridge_core::layout::Unwrap;
use ember_ridge_core::maps::PaletteEntry;
use ember_ridge_core::mesh::NO_MATERIAL;
use ember_ridge_core::picture::Image;
use ember_ridge_core::sheet::sheet_table;
use rayon::prelude::*;
use std::borrow::Cow;
use std::cell::RefCell;
use std::collections::HashMap;
use std::fs::{self, File};
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A run with its maps, to be delivered.
pub struct RunToDeliver<'a> {
    pub report: &'a Report,
    pub low: &'a Mesh,
    pub cage: Option<&'a Mesh>,
    pub open: &'a OpenMap<'a>,
    /// What the files are held against, and how far rays went out where there is no cage; none where there is no sculpt at hand.
    pub sculpt: Option<Sculpt<'a>>,
}

impl RunToDeliver<'_> {
    /// Where rays began: the cage, or what makes the same rays as a cage of another program.
    fn outermost(&self) -> Option<Cow<'_, Mesh>> {
        let reached = || {
            let rays = &self.sculpt.as_ref()?.plan.rays;
            Some(rays.field.cage_mesh(&rays.scene.low))
        };
        self.cage.map(Cow::Borrowed).or_else(|| reached().map(Cow::Owned))
    }
}

/// Bytes of maps that are held against the sculpt together, at most.
const MOST_HELD: u64 = 512 << 20;

/// Texels per side of the textures in a GLB, at most.
const MOST_IN_GLB: u32 = 4096;

/// Writes the files of a delivery into `folder`, which is there and empty.
///
/// # Errors
/// What the disk or a map answers, with the file's name.
pub fn write_package(
    run: &RunToDeliver,
    profile: &Profile,
    delivery: &Delivery,
    names: &DeliveryNames,
    folder: &Path,
) -> io::Result<Facts> {
    let asset = asset_name(run.report);
    let first = delivery.pictures.first();
    let size = first.map_or(run.report.recipe.sheet.size, |picture| picture.size);
    let density = Unwrap::new(run.low).map_or(0.0, |unwrap| unwrap.median_density() * size as f32);
    let mut facts = Facts::new(&asset, profile, names.version, density);
    let written: Vec<io::Result<FileFacts>> = delivery
        .pictures
        .par_iter()
        .map(|picture| {
            let fill = |place: &mut io::BufWriter<File>| Ok(write_delivered(place, picture, run.open)?);
            let rule = &profile.pictures[picture.rule];
            let mut file = put(folder, &picture.file, &holds(rule), fill)?;
            file.picture = Some(PictureFacts::of(picture));
            Ok(file)
        })
        .collect();
    for file in written {
        facts.files.push(file?);
    }
    let plain = |ending: &str| {
        let pattern = Pattern::parse("{asset}_{map}").expect("a pattern of known fields");
        pattern.name(&NameFields { asset: asset.clone(), map: ending.to_owned(), ..NameFields::default() })
    };
    if profile.meshes.glb {
        let textures = tempfile::tempdir()?;
        let materials = glb_materials(run, profile, textures.path())?;
        let words = "the low-poly with tangents and textures, glTF 2.0";
        let file = put(folder, &format!("{}.glb", plain("")), words, |out| {
            write_textured_glb(out, run.low, &materials, &sheet_of_triangles(run))
        })?;
        facts.files.push(file);
    }
    if profile.meshes.obj {
        let library = format!("{}.mtl", plain(""));
        let mesh = by_sheets(run);
        facts.files.push(put(folder, &format!("{}.obj", plain("")), "the low-poly, triangulated", |out| {
            writeln!(out, "mtllib {library}")?;
            write_obj(out, &mesh)
        })?);
        let text = material_library(&mesh.materials, profile, delivery);
        facts.files.push(put_text(folder, &library, "the materials of the OBJ", &text)?);
    }
    if let Some(cage) = run.outermost().filter(|_| profile.meshes.cage) {
        let words = if run.cage.is_some() { "the cage" } else { "a cage as far out as rays began" };
        let file = put(folder, &format!("{}.obj", plain("cage")), words, |out| write_obj(out, &cage))?;
        facts.files.push(file);
    }
    if let Some(palette) = run.report.maps.values().find_map(|map| map.palette.as_ref()) {
        let json = serde_json::to_string_pretty(palette)?;
        let words = "the colours of the ID map by name";
        facts.files.push(put_text(folder, &format!("{}.json", plain("ids")), words, &json)?);
        facts.files.push(put_text(folder, &format!("{}.csv", plain("ids")), words, &palette_csv(palette))?);
        facts.files.push(put_text(folder, &format!("{}.gpl", plain("ids")), words, &palette_gpl(&asset, palette))?);
    }
    let name = format!("{}.png", plain("contact"));
    facts.files.push(put(folder, &name, CONTACT, |out| {
        write_contact_sheet(out, run, profile, delivery, names.version, &sheet_of_triangles(run))
    })?);
    let recipe = serde_json::to_string_pretty(&run.report.recipe)?;
    facts.files.push(put_text(folder, "recipe.json", "the settings, to repeat the bake", &recipe)?);
    let text = serde_json::to_string_pretty(profile)?;
    facts.files.push(put_text(folder, "profile.json", "the profile, to deliver or verify again", &text)?);
    put_text(folder, "facts.txt", "", &facts.text())?;
    put_text(folder, "facts.json", "", &serde_json::to_string_pretty(&facts)?)?;
    Ok(facts)
}

/// What a picture holds, in words.
fn holds(rule: &PictureRule) -> String {
    match &rule.holds {
        Holds::Map(map) => map.clone(),
        Holds::Channels(_) => rule.maps().join(", "),
    }
}

/// Writes a file and reads it back for its checksum.
fn put(
    folder: &Path,
    name: &str,
    holds: &str,
    fill: impl FnOnce(&mut io::BufWriter<File>) -> io::Result<()>,
) -> io::Result<FileFacts> {
    let path = folder.join(name);
    let named = |fault: io::Error| io::Error::new(fault.kind(), format!("{name}: {fault}"));
    if let Some(parent) = path.parent() {
        fs::create_dir_all(parent).map_err(named)?;
    }
    write_whole(&path, fill).map_err(named)?;
    let mut hasher = blake3::Hasher::new();
    let bytes = io::copy(&mut File::open(&path).map_err(named)?, &mut hasher).map_err(named)?;
    Ok(FileFacts {
        file: name.to_owned(),
        holds: holds.to_owned(),
        bytes,
        blake3: hasher.finalize().to_hex().to_string(),
        picture: None,
    })
}

fn put_text(folder: &Path, name: &str, holds: &str, text: &str) -> io::Result<FileFacts> {
    put(folder, name, holds, |out| out.write_all(text.as_bytes()))
}

/// The textures of the GLB, material by material: as the shipped profile for glTF packs them, and no larger than the delivery.
fn glb_pictures(run: &RunToDeliver, profile: &Profile) -> io::Result<Vec<PlannedPicture>> {
    packed_pictures(run, profile.most_size.map_or(MOST_IN_GLB, |most| most.min(MOST_IN_GLB)))
}

/// The pictures of the shipped profile for glTF, sheet by sheet, of at most so many texels per side where halving reaches that.
pub(super) fn packed_pictures(run: &RunToDeliver, most_size: u32) -> io::Result<Vec<PlannedPicture>> {
    let packed = shipped_profiles().into_iter().find(|profile| profile.name == "gltf").expect("it is shipped");
    let packed = Profile { most_size: Some(most_size), ..packed };
    let names = DeliveryNames { version: 1, parts: Vec::new() };
    let mut pictures = plan_delivery(&packed, run.report, &names).map_err(io::Error::other)?.pictures;
    pictures.sort_by_key(|picture| (picture.sheet, picture.rule));
    Ok(pictures)
}

/// Writes the textures of the GLB, a set for each sheet.
fn glb_materials(run: &RunToDeliver, profile: &Profile, folder: &Path) -> io::Result<Vec<GlbMaterial>> {
    let pictures = glb_pictures(run, profile)?;
    let labels = if run.report.sheets.is_empty() { vec![String::new()] } else { run.report.sheets.clone() };
    let asset = asset_name(run.report);
    let name = |label: &String| if label.is_empty() { asset.clone() } else { label.clone() };
    let has = |key: &str| run.report.maps.get(key).is_some_and(|map| map.error.is_none());
    let mut materials: Vec<GlbMaterial> = labels
        .iter()
        .map(|label| GlbMaterial {
            name: name(label),
            see_through: has("opacity"),
            occluded: has("ao"),
            ..GlbMaterial::default()
        })
        .collect();
    let written: Vec<io::Result<PathBuf>> = pictures
        .par_iter()
        .enumerate()
        .map(|(number, picture)| {
            let path = folder.join(format!("{number}.png"));
            write_whole(&path, |place| Ok(write_delivered(place, picture, run.open)?))?;
            Ok(path)
        })
        .collect();
    for (picture, path) in pictures.iter().zip(written) {
        let material = &mut materials[picture.sheet];
        let slots = [
            &mut material.base_color,
            &mut material.occlusion_roughness_metallic,
            &mut material.normal,
            &mut material.emissive,
        ];
        if let Some(slot) = slots.into_iter().nth(picture.rule) {
            *slot = Some(path?);
        }
    }
    Ok(materials)
}

/// The low-poly with a material for each sheet.
fn by_sheets(run: &RunToDeliver) -> Mesh {
    let table = sheet_table(run.low, run.report.recipe.sheet.layout, &run.report.sheets);
    let asset = asset_name(run.report);
    let labels = if run.report.sheets.is_empty() { vec![String::new()] } else { run.report.sheets.clone() };
    let plain = |label: &String| {
        let name = if label.is_empty() { &asset } else { label };
        name.chars().map(|c| if c.is_whitespace() { '_' } else { c }).collect::<String>()
    };
    Mesh {
        materials: labels.iter().map(plain).collect(),
        triangle_materials: table.of.iter().map(|sheet| sheet.unwrap_or(NO_MATERIAL)).collect(),
        looks: Vec::new(),
        colors: Vec::new(),
        ..run.low.clone()
    }
}

/// Which map goes with which line of a material library. Roughness, metallic and normal are the lines that most readers know beside
/// those of 1995.
const MATERIAL_LINES: [(&str, &str); 6] = [
    ("base-color", "map_Kd"),
    ("opacity", "map_d"),
    ("roughness", "map_Pr"),
    ("metallic", "map_Pm"),
    ("emission", "map_Ke"),
    ("normal", "norm"),
];

fn material_library(materials: &[String], profile: &Profile, delivery: &Delivery) -> String {
    let mut text = String::new();
    for (sheet, material) in materials.iter().enumerate() {
        text.push_str(&format!("newmtl {material}\nKd 0.8 0.8 0.8\n"));
        for (map, line) in MATERIAL_LINES {
            let file = delivery.pictures.iter().find(|picture| {
                picture.sheet == sheet && profile.pictures[picture.rule].holds == Holds::Map(map.to_owned())
            });
            if let Some(picture) = file {
                text.push_str(&format!("{line} {}\n", picture.file));
            }
        }
    }
    text
}

fn palette_csv(palette: &[PaletteEntry]) -> String {
    let quoted = |name: &str| format!("\"{}\"", name.replace('"', "\"\""));
    let line = |entry: &PaletteEntry| {
        let [r, g, b] = entry.color;
        format!("{},{r},{g},{b},#{r:02x}{g:02x}{b:02x}\n", quoted(&entry.name))
    };
    format!("name,red,green,blue,hex\n{}", palette.iter().map(line).collect::<String>())
}

fn palette_gpl(asset: &str, palette: &[PaletteEntry]) -> String {
    let one_line = |text: &str| text.replace(['\n', '\r'], " ");
    let line = |entry: &PaletteEntry| {
        let [r, g, b] = entry.color;
        format!("{r:3} {g:3} {b:3}\t{}\n", one_line(&entry.name))
    };
    let lines: String = palette.iter().map(line).collect();
    format!("GIMP Palette\nName: {} ids\nColumns: 8\n#\n{lines}", one_line(asset))
}

/// Reads a delivery in `folder` back and holds it against the run.
pub fn check_package(
    run: &RunToDeliver,
    profile: &Profile,
    delivery: &Delivery,
    facts: &Facts,
    folder: &Path,
) -> Vec<Check> {
    let known: RefCell<HashMap<(usize, usize), Arc<Image>>> = RefCell::default();
    let whole = |source: usize, sheet: usize| -> Result<Arc<Image>, String> {
        if let Some(image) = known.borrow().get(&(source, sheet)) {
            return Ok(image.clone());
        }
        let (name, mut place) = (run.open)(source, sheet).map_err(|fault| fault.to_string())?;
        let mut bytes = Vec::new();
        place.read_to_end(&mut bytes).map_err(|fault| format!("{name}: {fault}"))?;
        let image = Arc::new(read_image(&name, &bytes).map_err(|fault| fault.to_string())?);
        known.borrow_mut().insert((source, sheet), image.clone());
        Ok(image)
    };
    // Of the run's maps, only those of the picture in hand are held.
    let checked = |picture: &PlannedPicture, bytes: &[u8]| {
        let used = |key: &(usize, usize)| picture.sheet == key.1 && picture.used.iter().any(|map| map.source == key.0);
        known.borrow_mut().retain(|key, _| used(key));
        check_picture(picture, bytes, &whole)
    };
    let mut checks: Vec<Check> = facts.files.iter().map(|file| whole_file(file, folder)).collect();
    // That a file is not there is told by now.
    let read = |file: &str| fs::read(folder.join(file)).ok();
    for picture in &delivery.pictures {
        checks.extend(read(&picture.file).iter().flat_map(|bytes| checked(picture, bytes)));
    }
    for FileFacts { file, .. } in facts.files.iter().filter(|file| file.file.ends_with(".glb")) {
        let Some(bytes) = read(file) else { continue };
        let sheets = run.report.sheets.len().max(1);
        let (found, textures) = check_glb(file, &bytes, run.low, sheets, &sheet_of_triangles(run));
        let whole = found.iter().all(|check| check.fine);
        checks.extend(found);
        let wanted = glb_pictures(run, profile).unwrap_or_default();
        if whole {
            checks.push(count_of_textures(file, textures.len(), wanted.len()));
        }
        for (picture, bytes) in wanted.iter().zip(&textures) {
            let named = |check: Check| Check {
                found: format!("texture {}: {}", check.file, check.found),
                file: file.clone(),
                ..check
            };
            checks.extend(checked(picture, bytes).into_iter().map(named));
        }
    }
    known.borrow_mut().clear();
    if let Some(sculpt) = &run.sculpt {
        checks.extend(AskedFiles::read(run.report, profile, delivery, &read, MOST_HELD).checks(sculpt));
    }
    checks
}

fn count_of_textures(file: &str, found: usize, wanted: usize) -> Check {
    let fine = found == wanted;
    let remedy = if fine { String::new() } else { CHANGED.to_owned() };
    let found = format!("{found} of {wanted} inside it");
    Check { file: file.to_owned(), what: "textures".to_owned(), found, fine, remedy }
}

/// Which sheet a triangle of the low-poly lies on; the first where it lies on none.
fn sheet_of_triangles(run: &RunToDeliver) -> impl Fn(u32) -> usize {
    let table = sheet_table(run.low, run.report.recipe.sheet.layout, &run.report.sheets);
    move |triangle| table.of[triangle as usize].unwrap_or(0) as usize
}

/// Whether a file is there with the bytes that were written.
fn whole_file(file: &FileFacts, folder: &Path) -> Check {
    let read = File::open(folder.join(&file.file)).and_then(|mut open| {
        let mut hasher = blake3::Hasher::new();
        let bytes = io::copy(&mut open, &mut hasher)?;
        Ok((bytes, hasher.finalize().to_hex().to_string()))
    });
    let (fine, found) = match read {
        Err(fault) if fault.kind() == io::ErrorKind::NotFound => (false, "it is missing".to_owned()),
        Err(fault) => (false, fault.to_string()),
        Ok((bytes, _)) if bytes != file.bytes => (false, format!("{bytes} bytes of {}: it is cut short", file.bytes)),
        Ok((_, hash)) if hash != file.blake3 => (false, "its bytes have changed since it was written".to_owned()),
        Ok((bytes, _)) => (true, format!("{bytes} bytes, checksum agrees")),
    };
    let remedy = if fine { "" } else { "Deliver it again, or copy the file anew" };
    Check { file: file.file.clone(), what: "file".to_owned(), found, fine, remedy: remedy.to_owned() }
}
