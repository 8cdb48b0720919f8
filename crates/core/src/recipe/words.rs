//! What changed between two recipes, in the words an artist uses. The ledger shows it on every run, undo shows it on its step.

use super::{MeshSource, Recipe};
use crate::finish::{Mask, finishes_changed, lower_first};
use crate::hits::HitRule;
use crate::maps::{Green, MapSettings};
use crate::mend::Mends;
use crate::mesh::{Plane, PlaneTarget, UvChoice, UvSet};
use crate::pairs::{Endings, Pairing};
use crate::picture::ImageFormat;
use crate::reach::{Direction, Stroke};
use crate::sheet::{Layout, Padding};
use crate::surface::Distance;
use crate::trace::BackFaces;
use std::collections::BTreeSet;

fn distance(d: Distance) -> String {
    match d {
        Distance::Auto => "auto".into(),
        Distance::Units(units) => format!("{units}"),
    }
}

fn padding(p: Padding) -> String {
    match p {
        Padding::All => "all".into(),
        Padding::Texels(n) => n.to_string(),
    }
}

fn files(sources: &[MeshSource]) -> Vec<&str> {
    sources.iter().map(|s| s.file.rsplit('/').next().unwrap_or(&s.file)).collect()
}

/// Files that came or went, or those that took the place of others.
fn files_changed(what: &str, old: &[MeshSource], new: &[MeshSource]) -> String {
    let (old, new) = (files(old), files(new));
    let only_in = |these: &[&str], others: &[&str]| -> Vec<String> {
        these.iter().filter(|name| !others.contains(name)).map(|name| (*name).to_owned()).collect()
    };
    match (only_in(&new, &old), only_in(&old, &new)) {
        (added, gone) if added.is_empty() && gone.is_empty() => format!("{what} newer file"),
        (added, gone) if gone.is_empty() => format!("{what} {} added", added.join(", ")),
        (added, gone) if added.is_empty() => format!("{what} {} removed", gone.join(", ")),
        _ => format!("{what} {} to {}", old.join(", "), new.join(", ")),
    }
}

/// Names of the files that came in with one.
fn beside(source: &MeshSource) -> String {
    let names: Vec<&str> = source.beside.iter().map(|f| f.file.as_str()).collect();
    if names.is_empty() { "none".into() } else { names.join(", ") }
}

/// Settings in which `after` differs from `before`, each as a short phrase; empty when a bake of both gives the same.
pub fn changes(before: &Recipe, after: &Recipe) -> Vec<String> {
    let identity =
        |sources: &[MeshSource]| sources.iter().map(|s| (s.file.clone(), s.hash.clone())).collect::<Vec<_>>();
    let sides = [("low-poly", &before.low, &after.low), ("sculpt", &before.high, &after.high)];
    let (same, other): (Vec<_>, Vec<_>) = sides.into_iter().partition(|(_, old, new)| identity(old) == identity(new));
    let mut said: Vec<String> = other.into_iter().map(|(what, old, new)| files_changed(what, old, new)).collect();
    let mut say = |what: &str, old: String, new: String| {
        if old != new {
            said.push(format!("{what} {old} to {new}"));
        }
    };
    for (old, new) in same.into_iter().flat_map(|(_, old, new)| old.iter().zip(new)) {
        say(&format!("UVs of {}", new.file), uvs(old.uvs), uvs(new.uvs));
        let texture = |source: &MeshSource| source.texture_uvs.map_or("as the file says".into(), uv_set);
        say(&format!("texture UVs of {}", new.file), texture(old), texture(new));
        say(&format!("plane {}", new.file), plane(old.plane), plane(new.plane));
        if old.beside != new.beside {
            let (had, has) = (beside(old), beside(new));
            let has = if had == has { format!("newer {has}") } else { has };
            say(&format!("files beside {}", new.file), had, has);
        }
    }
    let named = |file: Option<(&str, &Option<String>)>| {
        file.map_or(("none".to_owned(), None), |(name, hash)| (name.to_owned(), hash.clone()))
    };
    let cage = |r: &Recipe| named(r.cage.as_ref().map(|c| (c.file.as_str(), &c.hash)));
    let map = |r: &Recipe| named(r.normal_map.as_ref().map(|n| (n.file.as_str(), &n.hash)));
    for (what, old, new) in [("cage", cage(before), cage(after)), ("normal map", map(before), map(after))] {
        let newer = if old.0 == new.0 && old.1 != new.1 { "newer " } else { "" };
        say(what, old.0, format!("{newer}{}", new.0));
    }
    if let (Some(old), Some(new)) = (&before.normal_map, &after.normal_map) {
        say("normal map's green", old.y.words().into(), new.y.words().into());
    }
    say("reach out", distance(before.reach.out), distance(after.reach.out));
    say("reach in", distance(before.reach.inward), distance(after.reach.inward));
    let parts: BTreeSet<&str> = before.reach.parts.iter().chain(&after.reach.parts).map(|p| p.part.as_str()).collect();
    for part in parts {
        let own = |r: &Recipe| r.reach.parts.iter().find(|p| p.part == part).cloned();
        let told = |d: Option<Option<Distance>>| d.flatten().map_or("the asset's".into(), distance);
        let (old, new) = (own(before), own(after));
        say(&format!("reach out of {part}"), told(old.as_ref().map(|p| p.out)), told(new.as_ref().map(|p| p.out)));
        say(&format!("reach in of {part}"), told(old.as_ref().map(|p| p.inward)), told(new.as_ref().map(|p| p.inward)));
    }
    let direction = |d| if d == Direction::Plumb { "plumb" } else { "averaged" }.to_owned();
    say("direction", direction(before.direction), direction(after.direction));
    let hit = |h| if h == HitRule::Nearest { "nearest" } else { "outermost" }.to_owned();
    say("hit", hit(before.hit), hit(after.hit));
    let pairing = |p| match p {
        Pairing::Names => "by names".to_owned(),
        Pairing::Space => "by space".to_owned(),
        Pairing::All => "all".to_owned(),
    };
    say("pairs", pairing(before.pairing), pairing(after.pairing));
    let endings = |e: &Endings| format!("{} / {}", e.low.join(" "), e.high.join(" "));
    say("endings", endings(&before.endings), endings(&after.endings));
    let back = |b| if b == BackFaces::Keep { "kept" } else { "skipped" }.to_owned();
    say("back faces", back(before.back_faces), back(after.back_faces));
    let (b, a) = (&before.sheet, &after.sheet);
    say("size", b.size.to_string(), a.size.to_string());
    say("samples", b.samples.to_string(), a.samples.to_string());
    say("padding", padding(b.padding), padding(a.padding));
    say("depth", b.depth.words().into(), a.depth.words().into());
    say("format", b.format.label().into(), a.format.label().into());
    let color = |f: Option<ImageFormat>| f.map_or("as the others", ImageFormat::label).to_owned();
    say("colour format", color(b.color_format), color(a.color_format));
    let dither = |d| if d { "on" } else { "off" }.to_owned();
    say("dither", dither(b.dither), dither(a.dither));
    let layout = |l| match l {
        Layout::One => "one".to_owned(),
        Layout::Materials => "one per material".to_owned(),
        Layout::Udim => "one per UDIM tile".to_owned(),
    };
    say("sheets", layout(b.layout), layout(a.layout));
    say("proof size", b.proof_size.to_string(), a.proof_size.to_string());
    say("seed", before.seed.to_string(), after.seed.to_string());
    if before.region != after.region {
        let whole = || "all of the sheet again".to_owned();
        said.push(after.region.as_ref().map_or_else(whole, |region| region.words(a.size)));
    }
    for (old, new) in both_sides(before, after).filter(|(old, new)| old.steps != new.steps) {
        let kept = old.steps.iter().zip(&new.steps).take_while(|(a, b)| a == b).count();
        said.extend(old.steps[kept..].iter().map(|s| format!("{}: no longer {}", new.file, s.words())));
        said.extend(new.steps[kept..].iter().map(|s| format!("{}: {}", new.file, s.words())));
    }
    let (old, new) = (&before.reach.strokes, &after.reach.strokes);
    let kept = old.iter().zip(new).take_while(|(a, b)| a == b).count();
    said.extend(strokes(&old[kept..]).map(|words| format!("{words} removed")));
    said.extend(strokes(&new[kept..]).map(|words| format!("{words} painted")));
    said.extend(mends_changed(&before.mends, &after.mends));
    for pair in after.hand_pairs.iter().filter(|p| !before.hand_pairs.contains(p)) {
        let low = if pair.low.is_empty() { "nothing".to_owned() } else { pair.low.join(" and ") };
        said.push(format!("{} paired with {low}", pair.high));
    }
    for pair in before.hand_pairs.iter().filter(|p| !after.hand_pairs.iter().any(|a| a.high == p.high)) {
        said.push(format!("{} paired automatically again", pair.high));
    }
    said.extend(masks_changed(&before.masks, &after.masks));
    said.extend(finishes_changed(&before.finishes, &after.finishes));
    let rays = |r: &Recipe| r.finish_rays.words();
    if before.finish_rays != after.finish_rays {
        said.push(format!("rays of finishes {} to {}", rays(before), rays(after)));
    }
    for map in &after.maps {
        let label = &map.label();
        match before.maps.iter().find(|m| m.key() == map.key()) {
            // A mask that came with its map is told once.
            None if matches!(map, MapSettings::Mask(own) if !before.masks.iter().any(|m| m.name == own.mask)) => {}
            None => said.push(format!("{label} added")),
            Some(old) => said.extend(settings_changed(label, old, map)),
        }
    }
    for map in before.maps.iter().filter(|m| !after.maps.iter().any(|a| a.key() == m.key())) {
        said.push(format!("{} left out", map.label()));
    }
    said
}

/// Masks that came, went or read otherwise. A change that the sentence does not tell is named by its place.
fn masks_changed(before: &[Mask], after: &[Mask]) -> Vec<String> {
    let mut said = Vec::new();
    for mask in after {
        let name = &mask.name;
        let Some(old) = before.iter().find(|m| m.name == *name) else {
            said.push(format!("mask {name} added"));
            continue;
        };
        let (had, has) = (old.place.sentence(), mask.place.sentence());
        if had != has {
            said.push(format!("mask {name}: {}", lower_first(&has)));
        } else if old.place != mask.place {
            said.push(format!("mask {name}: {}", mask.place.change_since(&old.place)));
        }
    }
    let gone = before.iter().filter(|mask| !after.iter().any(|m| m.name == mask.name));
    said.extend(gone.map(|mask| format!("mask {} removed", mask.name)));
    said
}

/// Each setting in which a map differs, by the name it has in the recipe: none can be forgotten here.
fn settings_changed(label: &str, old: &MapSettings, new: &MapSettings) -> Vec<String> {
    let fields = |map: &MapSettings| match serde_json::to_value(map) {
        Ok(serde_json::Value::Object(fields)) => fields,
        _ => serde_json::Map::new(),
    };
    let (old, new) = (fields(old), fields(new));
    let names: BTreeSet<&String> = old.keys().chain(new.keys()).collect();
    let changed = names.into_iter().filter(|name| old.get(*name) != new.get(*name)).map(|name| {
        let (before, after) = (value_words(old.get(name)), value_words(new.get(name)));
        let newer = if before == after { "newer " } else { "" };
        let name = if name == "y" { "green".to_owned() } else { name.replace(['-', '_'], " ") };
        format!("{label} {name} {before} to {newer}{after}")
    });
    changed.collect()
}

fn value_words(value: Option<&serde_json::Value>) -> String {
    use serde_json::Value;
    match value {
        None | Some(Value::Null) => "none".into(),
        Some(Value::Bool(on)) => if *on { "on" } else { "off" }.into(),
        Some(Value::String(sign)) if sign == "+" => Green::Up.words().into(),
        Some(Value::String(sign)) if sign == "-" => Green::Down.words().into(),
        // A setting's own word, as the recipe has it.
        Some(Value::String(word)) => word.replace('-', " "),
        Some(Value::Number(number)) => number.as_f64().map_or_else(|| number.to_string(), |n| (n as f32).to_string()),
        Some(Value::Array(list)) if list.is_empty() => "none".into(),
        Some(Value::Array(list)) => list.iter().map(|v| value_words(Some(v))).collect::<Vec<_>>().join(" and "),
        // A picture is told by its file; others by what they hold.
        Some(Value::Object(fields)) => match fields.get("file") {
            Some(Value::String(file)) => file.clone(),
            _ => fields.values().map(|v| value_words(Some(v))).collect::<Vec<_>>().join(" "),
        },
    }
}

/// Strokes in words, those of one brush in a row together.
fn strokes(strokes: &[Stroke]) -> impl Iterator<Item = String> + '_ {
    strokes.chunk_by(|a, b| a.brush == b.brush).map(|run| match run.len() {
        1 => run[0].brush.words().to_owned(),
        n => format!("{n} strokes of {}", run[0].brush.words()),
    })
}

/// Mends that were made, undone, hidden or shown.
fn mends_changed(before: &Mends, after: &Mends) -> Vec<String> {
    let told = |count: usize, what: &str| {
        (count > 0).then(|| format!("{count} {} {what}", if count == 1 { "mend" } else { "mends" }))
    };
    let kept = before.strokes.iter().zip(&after.strokes).take_while(|(a, b)| a == b).count();
    let shown = match (before.hidden, after.hidden) {
        (false, true) => Some("mends hidden".to_owned()),
        (true, false) => Some("mends shown".to_owned()),
        (false, false) | (true, true) => None,
    };
    let undone = told(before.strokes.len() - kept, "undone");
    undone.into_iter().chain(told(after.strokes.len() - kept, "made")).chain(shown).collect()
}

/// Files of both recipes that are the same file on the same side.
fn both_sides<'a>(before: &'a Recipe, after: &'a Recipe) -> impl Iterator<Item = (&'a MeshSource, &'a MeshSource)> {
    let pairs = [(&before.low, &after.low), (&before.high, &after.high)];
    pairs.into_iter().flat_map(|(old, new)| {
        new.iter().filter_map(|n| old.iter().find(|o| (&o.file, &o.hash) == (&n.file, &n.hash)).map(|o| (o, n)))
    })
}

fn plane(plane: Option<PlaneTarget>) -> String {
    plane.map_or("none".into(), |p| {
        let edges = if p.repeats { ", edges repeat" } else { "" };
        let ([w, h], [x, y, z]) = (p.size, p.middle);
        format!("{w} x {h} at ({x}, {y}, {z}) facing {:?}{edges}", p.facing)
    })
}

fn uv_set(set: UvSet) -> String {
    format!("set {}", set.0 + 1)
}

fn uvs(choice: UvChoice) -> String {
    match choice {
        UvChoice::Set(set) => uv_set(set),
        UvChoice::Planar(Plane::PlanarX) => "flat along X".into(),
        UvChoice::Planar(Plane::PlanarY) => "flat along Y".into(),
        UvChoice::Planar(Plane::PlanarZ) => "flat along Z".into(),
    }
}
