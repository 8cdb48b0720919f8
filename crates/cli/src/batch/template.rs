//! The template of a batch, and the assets that the files of a folder make.

use crate::Unusable;
use crate::deliver::named_profile;
use crate::files::read_text;
use anyhow::{Context, anyhow};
use ember_ridge_core::Recipe;
use ember_ridge_core::deliver::Profile;
use ember_ridge_core::pairs::NamedRole;
use ember_ridge_core::recipe::MeshSource;
use ember_ridge_formats::files::files_below;
use ember_ridge_formats::is_mesh;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

/// How every asset of a batch is baked and delivered.
pub struct Template {
    /// Without meshes.
    pub recipe: Recipe,
    pub profile: Profile,
}

/// The profile of a template that names none.
const PROFILE: &str = "separate";

impl Template {
    /// Reads `{ "recipe": …, "profile": name or profile }`, or a recipe alone. What the recipe says of meshes and the asset's name is put
    /// aside.
    ///
    /// # Errors
    /// The file, the field, and what is wrong with it.
    pub fn read(path: &Path) -> Result<Template, Unusable> {
        let named = |fault: String| anyhow!("{}: {fault}", path.display());
        let value: Value =
            serde_json::from_str(&read_text(path)?).map_err(|fault| named(format!("it is not valid JSON: {fault}")))?;
        let (mut recipe, profile) = match value {
            Value::Object(mut fields) if fields.contains_key("recipe") => {
                let (recipe, profile) = (fields.remove("recipe").unwrap_or_default(), fields.remove("profile"));
                if let Some(other) = fields.keys().next() {
                    return Err(named(format!(
                        "\"{other}\" is no field of a template; there are \"recipe\" and \"profile\""
                    )));
                }
                (recipe, profile)
            }
            alone => (alone, None),
        };
        if let Some(fields) = recipe.as_object_mut() {
            fields.entry("version").or_insert(json!(1));
            for (field, empty) in [("low", json!([])), ("high", json!([])), ("cage", Value::Null), ("asset", json!(""))]
            {
                fields.insert(field.to_owned(), empty);
            }
        }
        let recipe = Recipe::from_value(recipe).map_err(|fault| named(format!("recipe: {fault}")))?;
        recipe.validate().map_err(|fault| named(format!("recipe: {fault}")))?;
        let profile = match profile {
            None => named_profile(PROFILE)?,
            Some(Value::String(name)) => {
                let beside = path.with_file_name(&name);
                let name = if beside.is_file() { beside.to_string_lossy().into_owned() } else { name };
                named_profile(&name).with_context(|| format!("{}: profile", path.display()))?
            }
            Some(profile) => {
                Profile::from_json(&profile.to_string()).map_err(|fault| named(format!("profile: {fault}")))?
            }
        };
        Ok(Template { recipe, profile })
    }
}

/// Files that belong together.
#[derive(Clone, Serialize, Deserialize)]
pub struct Asset {
    /// Of its folder in the batch.
    pub name: String,
    pub recipe: Recipe,
    /// Of the template, the program and every file that it is made of.
    pub hash: String,
}

/// The assets that files in a folder make by their names, in order, and which files make none, with the reason. `out` is no part of it.
///
/// # Errors
/// A folder or a file that cannot be read.
pub fn assets_in(folder: &Path, out: &Path, template: &Template) -> Result<(Vec<Asset>, Vec<String>), Unusable> {
    let entries = fs::read_dir(folder).with_context(|| format!("{}: its files cannot be listed", folder.display()))?;
    let mut names: Vec<String> = Vec::new();
    for entry in entries {
        let entry = entry?;
        if entry.path().is_file() {
            names.extend(entry.file_name().to_str().map(str::to_owned));
        }
    }
    names.sort();
    let meshes: Vec<String> = names.into_iter().filter(|name| !name.starts_with('.') && is_mesh(name)).collect();
    let beside = hash_beside(folder, out, &meshes)?;
    let endings = &template.recipe.endings;
    let stem = |file: &str| endings.stem(file.rsplit_once('.').map_or(file, |(stem, _)| stem));
    let mut groups: BTreeMap<String, Vec<(NamedRole, String)>> = BTreeMap::new();
    let mut left_out = Vec::new();
    for file in meshes {
        match endings.role_of(&file) {
            Some(role) => groups.entry(stem(&file)).or_default().push((role, file)),
            None => left_out.push(format!("{file}: its name ends as neither a low-poly's, a sculpt's nor a cage's")),
        }
    }
    let mut assets = Vec::new();
    for (name, files) in groups {
        let of = |role: NamedRole| {
            files.iter().filter(move |(own, _)| *own == role).map(|(_, file)| MeshSource::file(file.clone()))
        };
        let low: Vec<MeshSource> = of(NamedRole::Low).collect();
        let Some(first) = low.first() else {
            left_out.extend(files.iter().map(|(_, file)| format!("{file}: no low-poly goes with it")));
            continue;
        };
        let asset = endings.asset_name(&first.file).unwrap_or_else(|| name.clone());
        let (high, cage) = (of(NamedRole::High).collect(), of(NamedRole::Cage).next());
        let recipe = Recipe { asset, low, high, cage, ..template.recipe.clone() };
        let mut hasher = blake3::Hasher::new();
        let program = env!("CARGO_PKG_VERSION");
        hasher.update(serde_json::to_string(&(program, &recipe, &template.profile, &beside))?.as_bytes());
        for (_, file) in &files {
            add_file(&mut hasher, &folder.join(file));
        }
        assets.push(Asset { name, recipe, hash: hasher.finalize().to_hex().to_string() });
    }
    Ok((assets, left_out))
}

/// Adds what a file holds. One that cannot be read fails when it is baked, and says so there.
fn add_file(hasher: &mut blake3::Hasher, path: &Path) {
    let mut own = blake3::Hasher::new();
    let read = fs::File::open(path).and_then(|file| own.update_reader(file).map(|_| ()));
    if read.is_ok() {
        hasher.update(own.finalize().as_bytes());
    }
}

/// A hash of everything in the folder that is no mesh: textures, materials and buffers, which any mesh there may name.
fn hash_beside(folder: &Path, out: &Path, meshes: &[String]) -> Result<String, Unusable> {
    let mut hasher = blake3::Hasher::new();
    let out = out.canonicalize().ok();
    let unlisted = |folder: &Path| format!("{}: its files cannot be listed", folder.display());
    let entries = fs::read_dir(folder).and_then(|entries| entries.collect::<Result<Vec<_>, _>>());
    let entries = entries.with_context(|| unlisted(folder))?;
    let mut paths: Vec<_> = entries.into_iter().map(|entry| entry.path()).collect();
    paths.sort();
    for path in paths {
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        if name.starts_with('.') || meshes.contains(&name) || path.canonicalize().ok() == out {
            continue;
        }
        let files: Vec<PathBuf> = match path.is_dir() {
            true => {
                let files = files_below(&path).with_context(|| unlisted(&path))?;
                files.into_iter().map(|file| path.join(file)).collect()
            }
            false => vec![path],
        };
        let of_batch = |file: &PathBuf| {
            out.as_ref().is_some_and(|out| file.canonicalize().is_ok_and(|file| file.starts_with(out)))
        };
        for file in files.into_iter().filter(|file| !of_batch(file)) {
            hasher.update(file.to_string_lossy().as_bytes());
            add_file(&mut hasher, &file);
        }
    }
    Ok(hasher.finalize().to_hex().to_string())
}
