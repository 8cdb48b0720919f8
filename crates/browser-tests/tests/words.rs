//! The words of docs/terms.md: what is on its list of words not to be written stands nowhere in the page, the program or the docs. And
//! maps go by their labels, never their ids, in what the page shows.

use std::path::{Path, PathBuf};

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn read(path: &Path) -> String {
    std::fs::read_to_string(path).unwrap_or_else(|e| panic!("{}: {e}", path.display()))
}

/// The left column of the last table of the list.
fn forbidden() -> Vec<String> {
    let terms = read(&root().join("docs/terms.md"));
    let (_, list) = terms.split_once("## Not to be written").expect("the list has this part");
    let rows = list.lines().filter(|l| l.starts_with("| ")).skip(1);
    rows.filter_map(|l| l.split('|').nth(1)).map(|w| w.trim().to_lowercase()).collect()
}

fn files_under(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).expect("a folder").flatten() {
        let path = entry.path();
        let name = entry.file_name().to_string_lossy().into_owned();
        if path.is_dir() {
            // Tests may quote anything; what is built or fetched is not written by us.
            if !["tests", "target", "node_modules", "dist", "screenshots"].contains(&name.as_str()) {
                files_under(&path, found);
            }
        } else if [".rs", ".ts", ".tsx", ".md", ".html"].iter().any(|e| name.ends_with(e)) && name != "terms.md" {
            found.push(path);
        }
    }
}

fn written() -> Vec<PathBuf> {
    let mut found = vec![root().join("README.md"), root().join("web/index.html")];
    for folder in ["crates", "docs", "web/src"] {
        files_under(&root().join(folder), &mut found);
    }
    found
}

/// Lines joined, so that a phrase that is broken over two lines is found, with comment marks and runs of spaces set aside.
fn flowing(text: &str) -> String {
    let lines = text.lines().map(|l| l.trim().trim_start_matches(['/', '!', '*', '#']).trim());
    lines.collect::<Vec<_>>().join(" ").to_lowercase()
}

/// Whether a phrase stands in a text as words of its own.
fn has(text: &str, phrase: &str) -> bool {
    let letter = |c: Option<char>| c.is_some_and(|c| c.is_alphanumeric() || c == '_');
    text.match_indices(phrase)
        .any(|(at, found)| !letter(text[..at].chars().next_back()) && !letter(text[at + found.len()..].chars().next()))
}

#[test]
fn words_not_to_be_written_stand_nowhere() {
    let forbidden = forbidden();
    assert!(forbidden.len() > 20 && forbidden.contains(&"rays a texel".to_owned()), "{forbidden:?}");
    let files = written();
    assert!(files.len() > 200, "{} files", files.len());
    let mut faults = Vec::new();
    for file in &files {
        let text = flowing(&read(file));
        faults.extend(forbidden.iter().filter(|w| has(&text, w)).map(|w| format!("{}: '{w}'", file.display())));
    }
    assert!(faults.is_empty(), "{faults:#?}");
}

#[test]
fn a_phrase_is_found_across_lines_and_only_as_words() {
    let text = flowing("/// How many rays a\n    /// texel gets.\n");
    assert!(has(&text, "rays a texel"));
    assert!(!has("arrays a texel", "rays a texel") && !has("rays a texels", "rays a texel"));
}

/// What a person reads in the page never joins an id of a map to words: ids are asked for by `label(...)`.
#[test]
fn the_page_shows_labels_of_maps() {
    let description: serde_json::Value = serde_json::from_str(&read(&root().join("web/openapi.json"))).expect("JSON");
    let maps = description["components"]["schemas"]["MapSettings"]["oneOf"].as_array().expect("a list of maps");
    let ids = maps.iter().filter_map(|m| m["properties"]["map"]["const"].as_str());
    // An id that is a word by itself is its label in small letters.
    let ids: Vec<&str> = ids.filter(|id| id.contains('-') || *id == "ao").collect();
    assert!(ids.contains(&"bent-normal") && ids.contains(&"ao"), "{ids:?}");
    let mut pages = Vec::new();
    files_under(&root().join("web/src"), &mut pages);
    let shown = |line: &str, id: &str| line.contains(&format!(">{id}<")) || line.contains(&format!("alt=\"{id}\""));
    for page in pages.iter().filter(|p| p.extension().is_some_and(|e| e == "tsx")) {
        let text = read(page);
        let line = text.lines().find(|line| ids.iter().any(|id| shown(line, id)));
        assert!(line.is_none(), "{}: {line:?}", page.display());
    }
}
