//! The page's own unit tests (`web/tests`): its pure parts against arithmetic, and a stop of a few lines put beside the others.

use serde_json::Value;
use std::path::Path;
use std::process::Command;

#[test]
fn the_pages_unit_tests_pass() {
    let web = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web");
    let run = Command::new("npm")
        .args(["run", "--silent", "test", "--", "--reporter=json"])
        .current_dir(web)
        .output()
        .expect("npm is there: the page is built with it");
    let said = String::from_utf8_lossy(&run.stdout).into_owned();
    let report = said.lines().find_map(|line| serde_json::from_str::<Value>(line).ok()).unwrap_or_default();
    let count = |name: &str| report[name].as_u64().unwrap_or(0);
    assert!(
        run.status.success() && count("numFailedTests") == 0 && count("numPassedTests") >= 14,
        "{said}\n{}",
        String::from_utf8_lossy(&run.stderr)
    );
}
