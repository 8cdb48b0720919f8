//! The example of docs/api.md, run as it stands there against a real server.

use crate::support::server::Server;
use ember_ridge_core::Recipe;
use std::io::Read;
use std::process::Command;

/// The one shell example of a page.
fn example(page: &str) -> &str {
    let (_, after) = page.split_once("```sh\n").expect("the page has an example");
    let (example, rest) = after.split_once("```").expect("it ends");
    assert!(!rest.contains("```sh"), "a second example would not be run");
    example
}

#[test]
fn the_example_of_the_page_works() {
    let data = tempfile::tempdir().expect("a folder");
    let folder = tempfile::tempdir().expect("a folder");
    let corners = |top: f32| format!("v 0 0 0\nv 0 {top} 1\nv 1 {top} 1\nv 1 0 0\nvt 0 0\nvt 0 1\nvt 1 1\nvt 1 0\n");
    for (name, top) in [("lid_low.obj", 0.0), ("lid_high.obj", 0.1)] {
        let mesh = format!("o lid\n{}f 1/1 2/2 3/3 4/4\n", corners(top));
        std::fs::write(folder.path().join(name), mesh).expect("written");
    }
    let server = Server::start(data.path());
    let script = format!("set -eu\n{}", example(include_str!("../../../docs/api.md")));
    let output = Command::new("bash")
        .args(["-c", &script])
        .current_dir(folder.path())
        .env("SERVER", format!("http://127.0.0.1:{}", server.port))
        .output()
        .expect("bash is here");
    let said = String::from_utf8_lossy(&output.stdout);
    assert!(output.status.success(), "{said}{}", String::from_utf8_lossy(&output.stderr));
    server.kill();
    let (maps, checks) = said.trim().rsplit_once('\n').expect("lines");
    assert_eq!(maps, "done\nao\ncurvature\nid\nmiss\nnormal");
    let count: usize = checks.strip_suffix(" checks, 0 failed").and_then(|n| n.parse().ok()).expect(checks);
    assert!(count > 10, "{checks}");

    let zip = std::fs::File::open(folder.path().join("lid.zip")).expect("there");
    let mut zip = zip::ZipArchive::new(zip).expect("a zip");
    let mut recipe = String::new();
    zip.by_name("recipe.json").expect("there").read_to_string(&mut recipe).expect("text");
    let recipe: Recipe = serde_json::from_str(&recipe).expect("a recipe");
    assert_eq!(recipe.sheet.size, 256);
    let rays =
        recipe.maps.iter().find(|m| m.id() == "ao").map(|m| serde_json::to_value(m).expect("JSON")["rays"].clone());
    assert_eq!(rays, Some(serde_json::json!(64)));
}
