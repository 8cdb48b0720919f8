//! What a picture holds, by the end of its name: `lantern_1001_Normal.png`, `crate-ambient-occlusion_4k.tif`.

use crate::maps::Green;

/// Ends of names and the maps that they stand for, as programs that make or take maps write them; without gaps, in small letters.
const SUFFIXES: &[(&str, &[&str])] = &[
    ("normal", &["normal", "normals", "normalmap", "tangentnormal", "tsnormal", "nrm", "nor", "norm", "nml", "n"]),
    ("normal-object", &["normalobject", "objectnormal", "osnormal", "worldnormal", "worldspacenormal", "wsnormal"]),
    ("ao", &["ao", "occlusion", "ambientocclusion", "ambocc", "occ"]),
    ("bent-normal", &["bentnormal", "bentnormals", "bent"]),
    ("curvature", &["curvature", "curve", "curv"]),
    ("cavity", &["cavity", "cav"]),
    ("displacement", &["displacement", "displace", "disp", "height", "heightmap", "bump"]),
    ("id", &["id", "ids", "idmap", "matid", "materialid", "colorid"]),
    ("base-color", &["basecolor", "basecolour", "albedo", "diffuse", "diff", "color", "colour", "col"]),
    ("opacity", &["opacity", "alpha", "transparency"]),
    ("roughness", &["roughness", "rough", "rgh"]),
    ("metallic", &["metallic", "metalness", "metal", "mtl"]),
    ("emission", &["emission", "emissive", "emit"]),
    ("position", &["position", "pos"]),
    ("thickness", &["thickness", "thick"]),
];

/// Most words that an end of a name is made of: `world space normal`.
const MOST_WORDS: usize = 3;

/// Words that say which way green points.
const GREENS: [(&str, Green); 6] = [
    ("gl", Green::Up),
    ("ogl", Green::Up),
    ("opengl", Green::Up),
    ("dx", Green::Down),
    ("directx", Green::Down),
    ("d3d", Green::Down),
];

/// A rule of one's own, which goes before those that are known.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SuffixRule {
    pub suffix: String,
    /// Key of the map.
    pub map: String,
}

/// What a file is taken for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Sorted {
    /// Key of the map; none where its name says nothing.
    pub map: Option<String>,
    /// The sheet it lies on; none where there are several and its name has none of them.
    pub sheet: Option<usize>,
}

/// Takes a file for a map and a sheet by its name. `sheets`: what they are called; one or none where there is one.
pub fn sort_by_suffix(file: &str, sheets: &[String], rules: &[SuffixRule]) -> Sorted {
    let mut words = words_of(file);
    let sheet = if sheets.len() < 2 { Some(0) } else { take_sheet(&mut words, sheets) };
    while words.last().is_some_and(|word| says_nothing(word)) {
        words.pop();
    }
    let ends = (1..=MOST_WORDS.min(words.len())).rev().map(|count| words[words.len() - count..].concat());
    let own = |end: &str| rules.iter().find(|rule| words_of(&rule.suffix).concat() == end).map(|rule| rule.map.clone());
    let known = |end: &str| {
        let row = SUFFIXES.iter().find(|(_, suffixes)| suffixes.contains(&end));
        row.map(|(map, _)| (*map).to_owned())
    };
    let ends: Vec<String> = ends.collect();
    let map = ends.iter().find_map(|end| own(end)).or_else(|| ends.iter().find_map(|end| known(end)));
    Sorted { map, sheet }
}

/// Which way green points, where a file's name says it.
pub fn green_named(file: &str) -> Option<Green> {
    let words = words_of(file);
    GREENS.into_iter().find(|(word, _)| words.iter().any(|own| own == word)).map(|(_, green)| green)
}

/// The words of a name in small letters, without its ending: parted by what is no letter or digit, and before a capital that follows a
/// small letter. A number counts as part of a word that it ends.
fn words_of(file: &str) -> Vec<String> {
    let name = file.rsplit(['/', '\\']).next().unwrap_or(file);
    let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
    let mut words = vec![String::new()];
    let mut before = ' ';
    for c in stem.chars() {
        let begins = c.is_uppercase() && before.is_lowercase();
        if (begins || !c.is_alphanumeric()) && words.last().is_some_and(|word| !word.is_empty()) {
            words.push(String::new());
        }
        if c.is_alphanumeric() {
            words.last_mut().expect("there is one").extend(c.to_lowercase());
        }
        before = c;
    }
    words.retain(|word| !word.is_empty());
    words
}

/// Takes the name of a sheet out of the words; the longest one that is there.
fn take_sheet(words: &mut Vec<String>, sheets: &[String]) -> Option<usize> {
    let named = |sheet: &String| words_of(&format!("{sheet}.")).concat();
    let mut by_length: Vec<(usize, String)> = sheets.iter().map(named).enumerate().collect();
    by_length.sort_by_key(|(_, name)| std::cmp::Reverse(name.len()));
    for (number, name) in by_length.into_iter().filter(|(_, name)| !name.is_empty()) {
        for from in 0..words.len() {
            let to = (from + 1..=words.len()).find(|to| words[from..*to].concat() == name);
            if let Some(to) = to {
                words.drain(from..to);
                return Some(number);
            }
        }
    }
    None
}

/// Sizes, versions, depths and the way green points say nothing of what a map holds.
fn says_nothing(word: &str) -> bool {
    let number = |text: &str| !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
    number(word)
        || word.strip_suffix('k').is_some_and(number)
        || word.strip_suffix("px").is_some_and(number)
        || word.strip_suffix("bit").is_some_and(number)
        || word.strip_prefix('v').is_some_and(number)
        || word == "map"
        || word == "baked"
        || GREENS.iter().any(|(green, _)| *green == word)
}
