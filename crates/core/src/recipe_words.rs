//! What changed between two recipes, in the words an artist uses. The ledger shows it on every run, undo shows it on its step.

use crate::recipe::{
    Direction, Distance, HitRule, ImageFormat, Layout, Padding, Pairing, Plane, Recipe, Source, UvChoice,
};
use crate::trace::BackFaces;

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

fn files(sources: &[Source]) -> String {
    let names: Vec<&str> = sources.iter().map(|s| s.file.rsplit('/').next().unwrap_or(&s.file)).collect();
    if names.is_empty() { "nothing".into() } else { names.join(", ") }
}

/// Settings in which `after` differs from `before`, each as a short phrase; empty when a bake of both gives the same.
pub fn changes(before: &Recipe, after: &Recipe) -> Vec<String> {
    let mut said = Vec::new();
    let mut say = |what: &str, old: String, new: String| {
        if old != new {
            said.push(format!("{what} {old} to {new}"));
        }
    };
    let identity = |sources: &[Source]| sources.iter().map(|s| (s.file.clone(), s.hash.clone())).collect::<Vec<_>>();
    for (what, old, new) in [("low-poly", &before.low, &after.low), ("sculpt", &before.high, &after.high)] {
        if identity(old) != identity(new) {
            let (old, new) = (files(old), files(new));
            if old == new { say(what, "file".into(), "newer file".into()) } else { say(what, old, new) }
        } else {
            for (old, new) in old.iter().zip(new) {
                say(&format!("UVs of {}", new.file), uvs(old.uvs), uvs(new.uvs));
            }
        }
    }
    let cage = |r: &Recipe| r.cage.as_ref().map_or("none".to_owned(), |c| c.file.clone());
    say("cage", cage(before), cage(after));
    let map = |r: &Recipe| r.normal_map.as_ref().map_or("none".to_owned(), |n| n.file.clone());
    say("normal map", map(before), map(after));
    say("reach out", distance(before.reach.out), distance(after.reach.out));
    say("reach in", distance(before.reach.inward), distance(after.reach.inward));
    let direction = |d| if d == Direction::Plumb { "plumb" } else { "averaged" }.to_owned();
    say("direction", direction(before.direction), direction(after.direction));
    let hit = |h| if h == HitRule::Nearest { "nearest" } else { "outermost" }.to_owned();
    say("hit", hit(before.hit), hit(after.hit));
    let pairing = |p| if p == Pairing::All { "all" } else { "by names" }.to_owned();
    say("pairs", pairing(before.pairing), pairing(after.pairing));
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
        Layout::One => "one sheet".to_owned(),
        Layout::Materials => "by material".to_owned(),
        Layout::Udim => "by UDIM tile".to_owned(),
    };
    say("sheets", layout(b.layout), layout(a.layout));
    say("proof size", b.proof_size.to_string(), a.proof_size.to_string());
    say("seed", before.seed.to_string(), after.seed.to_string());
    for map in &after.maps {
        let label = map.kind().label;
        match before.maps.iter().find(|m| m.id() == map.id()) {
            None => said.push(format!("{label} added")),
            Some(old) if old != map => said.push(format!("{label} {} to {}", old.words(), map.words())),
            Some(_) => {}
        }
    }
    for map in before.maps.iter().filter(|m| !after.maps.iter().any(|a| a.id() == m.id())) {
        said.push(format!("{} left out", map.kind().label));
    }
    said
}

fn uvs(choice: UvChoice) -> String {
    match choice {
        UvChoice::Set(number) => format!("set {}", number + 1),
        UvChoice::Planar(Plane::PlanarX) => "flat along X".into(),
        UvChoice::Planar(Plane::PlanarY) => "flat along Y".into(),
        UvChoice::Planar(Plane::PlanarZ) => "flat along Z".into(),
    }
}
