//! From the command line's words to a recipe.

use crate::Unusable;
use crate::arguments::Bake;
use crate::files::{Files, read_plain, read_text};
use crate::out::Out;
use crate::progress::Progress;
use crate::say::aside;
use crate::scene::load_mesh;
use anyhow::{Context, anyhow, bail};
use ember_ridge_core::finish::{KeptMasks, Mask};
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::levels::{ReduceSettings, ReduceTo, Reduced, reduce};
use ember_ridge_core::maps::{Green, MAPS, MapSettings, green_of};
use ember_ridge_core::mesh::{Facing, PlaneTarget};
use ember_ridge_core::picture::PictureSource;
use ember_ridge_core::recipe::{MeshSource, NormalMapSource};
use ember_ridge_core::step::{MeshStep, SHARP_OF_MADE};
use ember_ridge_core::{Mesh, Recipe};
use ember_ridge_formats::image::read_image;
use serde::Serialize;
use serde_json::Value;
use std::path::{Path, PathBuf};

/// The recipe and its files.
pub fn recipe_of(arguments: &Bake) -> Result<(Recipe, Files), Unusable> {
    if let Some(path) = &arguments.recipe {
        let text = read_text(path)?;
        let recipe: Recipe = Recipe::from_json(&text).map_err(|fault| anyhow!("{}: {fault}", path.display()))?;
        let folder = arguments.meshes.clone().or_else(|| path.parent().map(Path::to_path_buf)).unwrap_or_default();
        return Ok((recipe, Files::in_folder(folder)));
    }
    let mut files = Files::default();
    let mut source = |path: &PathBuf| MeshSource::file(files.name(path));
    let mut recipe = Recipe::new("");
    recipe.low = arguments.low.iter().map(&mut source).collect();
    recipe.high = arguments.high.iter().map(&mut source).collect();
    recipe.cage = arguments.cage.as_ref().map(&mut source);
    if let Some(facing) = arguments.plane {
        recipe.low.push(plane_over(&recipe, &files, facing.into(), arguments)?);
    }
    if let Some(count) = arguments.make_low {
        let made = made_low(&recipe, &files, count, arguments)?;
        recipe.low.push(made);
    }
    if recipe.high.is_empty() && arguments.normal_map.is_none() && arguments.finish.is_empty() {
        bail!("--high: name at least one sculpt, or give --normal-map or --finish to make maps from");
    }
    Ok((recipe, files))
}

/// A low-poly made of the sculpt, written to the folder of the maps, with steps that make its UVs.
fn made_low(recipe: &Recipe, files: &Files, count: usize, arguments: &Bake) -> Result<MeshSource, Unusable> {
    let progress = Progress::new();
    let sculpts: Vec<Mesh> =
        recipe.high.iter().map(|source| load_mesh(source, files, &progress)).collect::<Result<_, _>>()?;
    let sculpt = Mesh::joined(&sculpts.iter().collect::<Vec<_>>());
    let settings = ReduceSettings { to: ReduceTo::Triangles(count), ..ReduceSettings::default() };
    progress.say(&format!("making a low-poly of {} triangles", sculpt.triangles.len()));
    let Reduced { mut mesh, off, short } =
        reduce(&sculpt, &settings).map_err(|fault| anyhow!("--make-low: {fault}"))?;
    for part in &mut mesh.parts {
        part.name = recipe.endings.low_name(&part.name);
    }
    let first = arguments.high.first().and_then(|path| path.file_stem()).unwrap_or_default().to_string_lossy();
    let name = format!("{}.glb", recipe.endings.low_name(&first));
    let folder = arguments.out.clone().unwrap_or_else(|| PathBuf::from("baked"));
    let out = Out::of(&folder.join(&name))?;
    files.keep_from(&folder, [name])?;
    out.write(&mesh)?;
    progress.finish();
    aside!(
        "{}: {} triangles, off from the sculpt by {:.6} units on average, {:.6} at worst",
        out.path.display(),
        mesh.triangles.len(),
        off.mean,
        off.max
    );
    if short {
        aside!("borders of parts and materials need more triangles than {count}");
    }
    let size = arguments.size.unwrap_or(recipe.sheet.size);
    let steps = MeshStep::fresh_uvs(SHARP_OF_MADE, size as f32 / 128.0, size);
    Ok(MeshSource { steps, ..MeshSource::file(out.path.to_string_lossy()) })
}

/// The plane that is asked for, over the box of the sculpt. It is called `plane`, and so are its maps.
fn plane_over(recipe: &Recipe, files: &Files, facing: Facing, arguments: &Bake) -> Result<MeshSource, Unusable> {
    let progress = Progress::new();
    let meshes = recipe.high.iter().map(|source| load_mesh(source, files, &progress));
    let boxes = meshes.map(|mesh| Ok(mesh?.bounds())).collect::<Result<Vec<_>, Unusable>>()?;
    let whole = boxes.into_iter().reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)));
    // By itself it lies about the middle of the scene, as large as it is asked to be.
    let alone = arguments.plane_size.map(|_| (Vec3::ZERO, Vec3::ZERO));
    let missing = || anyhow!("--plane: name a sculpt with --high, or give --plane-size");
    let mut plane = PlaneTarget::over(facing, whole.or(alone).ok_or_else(missing)?);
    plane.size = arguments.plane_size.unwrap_or(plane.size);
    let middle = Vec3::from(plane.middle) + facing.frame()[2] * arguments.plane_offset.unwrap_or(0.0);
    plane.middle = middle.to_array();
    plane.repeats = arguments.repeats;
    Ok(MeshSource::plane("plane", plane))
}

/// Every map by its id, without those that need a name.
pub fn map_ids() -> Vec<&'static str> {
    MAPS.iter().filter(|m| !m.named).map(|m| m.id).collect()
}

/// Lays the command line's options over a recipe.
pub fn apply_options(recipe: &mut Recipe, files: &mut Files, arguments: &Bake) -> Result<(), Unusable> {
    if !arguments.maps.is_empty() {
        let kept = std::mem::take(&mut recipe.maps);
        for name in &arguments.maps {
            // Settings that the recipe gives a map outlive a choice of maps.
            let known = kept.iter().find(|m| m.key() == *name).cloned().or_else(|| MapSettings::by_key(name));
            let known = known.ok_or_else(|| {
                let (ids, masks) = (map_ids().join(", "), "mask:NAME for a mask of the recipe");
                anyhow!("--maps: no map '{name}'; there are {ids}, and {masks}")
            });
            recipe.maps.push(known?);
        }
    }
    apply_masks(recipe, arguments)?;
    crate::finish::apply(recipe, files, arguments)?;
    apply_sources(recipe, files, arguments);
    fn set<T>(slot: &mut T, value: Option<impl Into<T>>) {
        if let Some(value) = value {
            *slot = value.into();
        }
    }
    set(&mut recipe.sheet.size, arguments.size);
    set(&mut recipe.sheet.samples, arguments.samples);
    set(&mut recipe.sheet.padding, arguments.padding);
    set(&mut recipe.sheet.depth, arguments.depth);
    set(&mut recipe.sheet.format, arguments.format);
    set(&mut recipe.sheet.layout, arguments.sheets);
    if let Some(format) = arguments.color_format {
        recipe.sheet.color_format = Some(format.into());
    }
    recipe.sheet.dither |= arguments.dither;
    set(&mut recipe.reach.out, arguments.reach_out);
    set(&mut recipe.reach.inward, arguments.reach_in);
    set(&mut recipe.reach.out, arguments.reach);
    set(&mut recipe.reach.inward, arguments.reach);
    set(&mut recipe.direction, arguments.direction);
    set(&mut recipe.hit, arguments.hit);
    set(&mut recipe.pairing, arguments.pair);
    set(&mut recipe.back_faces, arguments.back_faces);
    set(&mut recipe.seed, arguments.seed);
    apply_map_options(recipe, arguments)
}

/// Adds the masks of a file, each as a map too unless maps were chosen.
fn apply_masks(recipe: &mut Recipe, arguments: &Bake) -> Result<(), Unusable> {
    for path in &arguments.masks {
        let text = read_text(path)?;
        let kept = KeptMasks::from_json(&text).map_err(|fault| anyhow!("{}: {fault}", path.display()))?;
        for mask in kept.masks {
            let map = MapSettings::by_key(&format!("mask:{}", mask.name));
            recipe.masks.retain(|m| m.name != mask.name);
            recipe.masks.push(mask);
            let baked = |map: &MapSettings| recipe.maps.iter().any(|m| m.key() == map.key());
            recipe.maps.extend(map.filter(|map| arguments.maps.is_empty() && !baked(map)));
        }
    }
    Ok(())
}

fn apply_sources(recipe: &mut Recipe, files: &mut Files, arguments: &Bake) {
    if let Some(uvs) = arguments.low_uvs {
        recipe.low.iter_mut().for_each(|source| source.uvs = uvs);
    }
    if let Some(set) = arguments.low_texture_uvs {
        recipe.low.iter_mut().for_each(|source| source.texture_uvs = Some(set));
    }
    if let Some(uvs) = arguments.high_uvs {
        recipe.high.iter_mut().for_each(|source| source.uvs = uvs);
    }
    if let Some(path) = &arguments.normal_map {
        let file = files.name(path);
        let y = arguments.normal_map_y.or_else(|| guessed_green(path)).unwrap_or_default();
        recipe.normal_map = Some(NormalMapSource { file, hash: None, y });
    }
    for map in &mut recipe.maps {
        if let (MapSettings::Color(settings), Some(path)) = (map, &arguments.picture) {
            settings.picture = Some(PictureSource { file: files.name(path), hash: None });
        }
    }
}

/// The way that green points in a normal map by its own slopes, which is told. What cannot be read says so where it is baked.
fn guessed_green(path: &Path) -> Option<Green> {
    let name = path.to_string_lossy();
    let guess = green_of(&read_image(&name, &read_plain(path).ok()?).ok()?)?;
    aside!("{}; say otherwise with --normal-map-y", guess.words(&name));
    Some(guess.green)
}

/// Settings of single maps: the named options, then every `--set`.
fn apply_map_options(recipe: &mut Recipe, arguments: &Bake) -> Result<(), Unusable> {
    fn json(value: impl Serialize) -> Option<Value> {
        serde_json::to_value(value).ok().filter(|v| !v.is_null())
    }
    // Without a sculpt there is only the normal map to make them from.
    let from = (arguments.recipe.is_none() && arguments.high.is_empty()).then_some("normal-map");
    let id_from = arguments.id_from.map(ember_ridge_core::maps::IdSource::from);
    let named: [(&[&str], &str, Option<Value>); 8] = [
        (&["normal", "bent-normal"], "y", json(arguments.normal_y)),
        (&["id"], "from", json(id_from)),
        (&["ao", "curvature", "cavity"], "from", json(from)),
        (&["ao", "bent-normal"], "rays", json(arguments.ao_rays)),
        (&["ao", "bent-normal"], "distance", json(arguments.ao_distance)),
        (&["curvature"], "radius", json(arguments.curvature_radius)),
        (&["curvature", "cavity"], "detail", json(arguments.detail_size)),
        (&["displacement"], "scale", json(arguments.displacement_scale)),
    ];
    for (ids, field, value) in named {
        let Some(value) = value else { continue };
        for map in recipe.maps.iter_mut().filter(|m| ids.contains(&m.id())) {
            set_field(map, field, value.clone())?;
        }
    }
    for text in &arguments.set {
        let written = || anyhow!("--set {text}: write MAP.SETTING=VALUE, or masks.NAME.SETTING=VALUE");
        let (name, value) = text.split_once('=').ok_or_else(written)?;
        // What is not JSON is a word.
        let value = serde_json::from_str(value).unwrap_or_else(|_| Value::String(value.to_owned()));
        if let Some(place) = name.strip_prefix("masks.") {
            set_in_mask(&mut recipe.masks, place, value).with_context(|| format!("--set {text}"))?;
            continue;
        }
        let (key, field) = name.rsplit_once('.').ok_or_else(written)?;
        let map = recipe.maps.iter_mut().find(|m| m.key() == key);
        let map = map.ok_or_else(|| anyhow!("--set {text}: map '{key}' is not baked; name it with --maps"))?;
        set_field(map, field, value).with_context(|| format!("--set {text}"))?;
    }
    Ok(())
}

/// Sets something in a mask: `NAME.place.terms.0.to` and the like, lists by number.
fn set_in_mask(masks: &mut [Mask], place: &str, value: Value) -> Result<(), Unusable> {
    let known: Vec<String> = masks.iter().map(|mask| mask.name.clone()).collect();
    let named = |mask: &&mut Mask| place.strip_prefix(mask.name.as_str()).is_some_and(|rest| rest.starts_with('.'));
    let mask = masks.iter_mut().find(named);
    let mask = mask.ok_or_else(|| anyhow!("there is no such mask; the recipe has {}", known.join(", ")))?;
    let way = &place[mask.name.len() + 1..];
    let mut whole = serde_json::to_value(&*mask)?;
    let mut here = &mut whole;
    for name in way.split('.') {
        here = match here {
            Value::Array(list) => {
                let count = list.len();
                let at = name.parse::<usize>().ok().and_then(|at| list.get_mut(at));
                at.ok_or_else(|| anyhow!("'{name}' is none of the {count} entries, which are counted from 0"))?
            }
            Value::Object(fields) => fields.entry(name).or_insert(Value::Null),
            // A group that is left out while it holds nothing.
            empty @ Value::Null => {
                *empty = Value::Object(serde_json::Map::new());
                &mut empty[name]
            }
            _ => bail!("'{name}' lies in what holds no settings"),
        };
    }
    *here = value;
    *mask = serde_json::from_value(whole)?;
    Ok(())
}

fn set_field(map: &mut MapSettings, field: &str, value: Value) -> Result<(), Unusable> {
    let mut fields = serde_json::to_value(&*map)?;
    fields[field] = value.clone();
    *map = serde_json::from_value(fields).with_context(|| format!("{}.{field} = {value}", map.key()))?;
    Ok(())
}
