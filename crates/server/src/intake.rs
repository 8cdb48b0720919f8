//! A mesh file's place in the recipe, and what of the settings goes on holding for a newer file: everything that names parts
//! which are still there.

use crate::api::Role;
use ember_ridge_core::Recipe;
use ember_ridge_core::recipe::{MOST_NAME, MeshSource};

/// Puts a file into the recipe. One of the same name and role is replaced, or the one named by `replaces`; another is added.
/// A file that replaces another keeps its UV choice and its steps; a low-poly replaces a plane made here.
pub fn place(recipe: &mut Recipe, role: Role, source: MeshSource, replaces: Option<&str>) {
    name_from_file(recipe, &source.file);
    let side = match role {
        Role::Cage => {
            recipe.cage = Some(source);
            return;
        }
        Role::Low => &mut recipe.low,
        Role::High => &mut recipe.high,
    };
    side.retain(|s| s.plane.is_none());
    let replaced = side.iter().position(|s| Some(s.file.as_str()) == replaces);
    match replaced.or_else(|| side.iter().position(|s| s.file == source.file)) {
        Some(at) => {
            let old = &side[at];
            side[at] = MeshSource { uvs: old.uvs, texture_uvs: old.texture_uvs, steps: old.steps.clone(), ..source };
        }
        None => side.push(source),
    }
}

/// What a page calls an asset that nobody has named yet, before its number.
const UNNAMED: &str = "New asset";

/// An asset that nobody has named takes its name from its first file.
fn name_from_file(recipe: &mut Recipe, file: &str) {
    let number = recipe.asset.strip_prefix(UNNAMED).map(str::trim);
    let unnamed = number.is_some_and(|n| n.bytes().all(|b| b.is_ascii_digit()));
    if !unnamed || !recipe.low.is_empty() || !recipe.high.is_empty() {
        return;
    }
    if let Some(name) = recipe.endings.asset_name(file) {
        recipe.asset = name.chars().take(MOST_NAME).collect();
    }
}

/// Removes what names parts that are no longer there, and says each in words. `low` and `high` are the parts there are.
pub fn carry_over(recipe: &mut Recipe, low: &[String], high: &[String]) -> Vec<String> {
    let mut lost = Vec::new();
    for (sources, parts) in [(&mut recipe.low, low), (&mut recipe.high, high)] {
        for source in sources.iter_mut() {
            source.steps.retain(|step| {
                let there = step.part().is_none_or(|part| parts.iter().any(|p| p == part));
                if !there {
                    lost.push(format!("{}: {} (no such part now)", source.file, step.words()));
                }
                there
            });
        }
    }
    if high.is_empty() || low.is_empty() {
        return lost;
    }
    recipe.hand_pairs.retain_mut(|pair| {
        if !high.contains(&pair.high) {
            lost.push(format!("'{}' was paired manually and is no longer in the sculpt", pair.high));
            return false;
        }
        let before = pair.low.len();
        pair.low.retain(|part| {
            let there = low.contains(part);
            if !there {
                lost.push(format!("'{}' was paired manually with '{part}', which is gone", pair.high));
            }
            there
        });
        // A part whose partners are all gone follows the rule again; one that was hidden on purpose stays hidden.
        before == 0 || !pair.low.is_empty()
    });
    recipe.reach.parts.retain(|own| {
        let there = low.contains(&own.part);
        if !there {
            lost.push(format!("'{}' had a reach of its own and is no longer in the low-poly", own.part));
        }
        there
    });
    recipe.exceptions.retain(|exception| {
        let there = exception.part.as_ref().is_none_or(|part| low.contains(part) || high.contains(part));
        if !there {
            let part = exception.part.as_deref().unwrap_or_default();
            lost.push(format!("the note '{}' on '{part}', which is gone", exception.note));
        }
        there
    });
    lost
}
