//! The rooms of this crate stand on floors, and each uses rooms of lower floors alone: read from the `use` lines and paths of the
//! source. docs/architecture.md draws them; the drawing is held to the same list.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

/// Floors from the ground up; rooms on one floor do not use each other.
const FLOORS: &[&[&str]] = &[
    &["change", "flat", "picture", "polygon", "stop", "surface"],
    &["step"],
    &["document", "finding"],
    &["mesh"],
    &["uvs"],
    &["layout", "sheet", "trace"],
    &["levels", "pairs", "reach"],
    &["inspect"],
    &["scene"],
    &["hits"],
    &["finish"],
    &["maps"],
    &["mend"],
    &["recipe"],
    &["bake"],
    &["deliver", "import", "review"],
];

fn floor_of(room: &str) -> Option<usize> {
    FLOORS.iter().position(|rooms| rooms.contains(&room))
}

fn sources(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).expect("the source is here") {
        let path = entry.expect("readable").path();
        if path.is_dir() {
            sources(&path, found);
        } else if path.extension().is_some_and(|e| e == "rs") {
            found.push(path);
        }
    }
}

/// The name that a piece of source begins with.
fn name_at(source: &str) -> &str {
    &source[..source.find(|c: char| !c.is_alphanumeric() && c != '_').unwrap_or(source.len())]
}

/// Rooms that a source uses: what it names by `crate::`, and rooms reached by as many `super::` as lead from it, `depth` modules
/// down, to the root, or one more in its tests.
fn rooms_used(source: &str, depth: usize) -> Vec<&str> {
    let named = source.match_indices("crate::").map(|(at, word)| name_at(&source[at + word.len()..]));
    let up = "super::".repeat(depth);
    let reached = source.match_indices(&up).map(|(at, _)| name_at(source[at..].trim_start_matches("super::")));
    named.chain(reached.filter(|name| floor_of(name).is_some())).collect()
}

#[test]
fn an_arrow_is_seen_however_it_is_written() {
    assert_eq!(rooms_used("use crate::bake::Plan;", 2), ["bake"]);
    assert_eq!(rooms_used("let x: crate::maps::Green = y;", 1), ["maps"]);
    assert_eq!(rooms_used("use super::super::recipe::Recipe;", 2), ["recipe"]);
    assert_eq!(rooms_used("mod tests { use super::super::super::hits::Hit; }", 2), ["hits"]);
    assert_eq!(rooms_used("use super::mesh::Mesh;", 1), ["mesh"]);
    // A module beside it, and a name of its own room.
    assert!(rooms_used("use super::tile::MISS; use super::super::RAY_COUNTS;", 2).is_empty());
}

fn tree() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("src")
}

#[test]
fn no_room_uses_one_on_its_own_floor_or_above() {
    let mut files = Vec::new();
    sources(&tree(), &mut files);
    let mut arrows = BTreeMap::new();
    for file in &files {
        let place = file.strip_prefix(tree()).expect("below the source").to_owned();
        let room = place.iter().next().expect("a name").to_string_lossy().trim_end_matches(".rs").to_owned();
        if room == "lib" {
            continue;
        }
        let own = floor_of(&room).unwrap_or_else(|| panic!("'{room}' stands on no floor"));
        let source = fs::read_to_string(file).expect("readable");
        let depth = place.iter().count() - usize::from(place.ends_with("mod.rs"));
        for used in rooms_used(&source, depth).into_iter().filter(|used| *used != room) {
            let floor = floor_of(used).unwrap_or_else(|| panic!("{}: crate::{used} is no room", place.display()));
            *arrows.entry((room.clone(), used.to_owned())).or_insert(0) += 1;
            assert!(floor < own, "{}: {room} (floor {}) uses {used} (floor {})", place.display(), own + 1, floor + 1);
        }
    }
    // It did read them: these two arrows are what the crate is for.
    assert!(
        arrows.contains_key(&("bake".into(), "hits".into())) && arrows.contains_key(&("maps".into(), "hits".into()))
    );
}

#[test]
fn every_room_has_a_floor_and_every_floor_its_rooms() {
    let lib = fs::read_to_string(tree().join("lib.rs")).expect("readable");
    let mut declared: Vec<&str> = lib
        .lines()
        .filter_map(|line| line.strip_prefix("pub ").unwrap_or(line).strip_prefix("mod ")?.strip_suffix(';'))
        .collect();
    let listed: Vec<&str> = FLOORS.concat();
    assert_eq!(declared, listed, "lib.rs names the rooms floor by floor");
    declared.sort_unstable();
    declared.dedup();
    assert_eq!(declared.len(), listed.len());
}

#[test]
fn the_drawing_in_the_docs_shows_these_floors() {
    let page = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/architecture.md");
    let page = fs::read_to_string(page).expect("the page is in the tree");
    let drawn: Vec<Vec<&str>> = page
        .lines()
        .filter_map(|line| {
            let cells: Vec<&str> = line.strip_prefix('|')?.split('|').map(str::trim).collect();
            cells.first()?.parse::<usize>().ok()?;
            Some(cells[1].split(", ").map(|room| room.trim_matches('`')).collect())
        })
        .collect();
    let mut wanted: Vec<Vec<&str>> = FLOORS.iter().map(|rooms| rooms.to_vec()).collect();
    wanted.reverse();
    assert_eq!(drawn, wanted, "the top floor stands first, as in a building");
}
