//! The description of the API: the same in the program and in the web part, whose client and types are generated from it.
//! `make types` rewrites what the web part has.

use ember_ridge_core::recipe::{GROWING_LISTS, NAMED_LISTS};
use serde_json::json;
use std::path::Path;

const WEB: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/");

/// Fails when a file of the web part is not `text`; rewrites it first when asked to.
fn holds(file: &str, text: &str) {
    let file = Path::new(WEB).join(file);
    if std::env::var_os("UPDATE_TYPES").is_some() {
        std::fs::write(&file, text).expect("the web part can be written");
    }
    let there = std::fs::read_to_string(&file).unwrap_or_default();
    assert!(there == text, "{} is out of date; run `make types` and commit it", file.display());
}

#[test]
fn the_web_part_has_the_description_of_the_program() {
    let text = serde_json::to_string_pretty(&ember_ridge_server::description()).expect("JSON");
    holds("openapi.json", &format!("{text}\n"));
}

/// How places of a recipe are named is one table for both.
#[test]
fn the_web_part_has_the_tables_of_lists() {
    let named: Vec<_> = NAMED_LISTS.iter().map(|(place, key)| json!({ "place": place, "key": key })).collect();
    let tables = json!({ "named": named, "growing": GROWING_LISTS });
    holds("src/api/lists.json", &format!("{}\n", serde_json::to_string_pretty(&tables).expect("JSON")));
}
