//! Meshes and Pairs by clicks and keys: faults found, shown, accepted and fixed; layouts looked at; parts paired by rule, by
//! space and manually; files corrected, replaced, and a plane made in place of one.

use anyhow::{Context, Result, ensure};
use ember_ridge_browser_tests::{Session, Start, wait_until};
use fantoccini::Locator;
use fantoccini::key::Key;
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::time::Duration;

const CAN: i64 = 4;
const TILE: i64 = 3;

async fn open_asset(session: &Session, name: &str) -> Result<()> {
    session.asset_menu().await?.click().await?;
    session.xpath(&format!("//*[@role='menuitem' and contains(., '{name}')]")).await?.click().await?;
    Ok(())
}

/// The share of a stage's pixels that two pictures of it show differently.
fn differing(a: &[[u8; 3]], b: &[[u8; 3]]) -> f64 {
    let other = |(p, q): &(&[u8; 3], &[u8; 3])| p.iter().zip(q.iter()).any(|(c, d)| c.abs_diff(*d) > 12);
    a.iter().zip(b).filter(other).count() as f64 / a.len().max(1) as f64
}

/// How many different colours a stage's canvas shows, in steps of eight, and the share of them that is clearly orange.
async fn colours(session: &Session, stage: &str) -> Result<(usize, f64)> {
    let pixels = session.drawn(stage).await?;
    let seen: BTreeSet<[u8; 3]> = pixels.iter().map(|p| p.map(|c| c / 8)).collect();
    let orange = pixels.iter().filter(|p| p[0] > 130 && i32::from(p[0]) - i32::from(p[2]) > 60).count();
    Ok((seen.len(), orange as f64 / pixels.len() as f64))
}

/// Waits until a stage's picture is as it should be.
async fn until_seen(session: &Session, stage: &str, what: &str, enough: impl Fn(usize, f64) -> bool) -> Result<()> {
    let seen = async || colours(session, stage).await.map(|(count, orange)| enough(count, orange));
    wait_until(&format!("{what}, on the {stage} stage"), seen).await
}

fn kinds(view: &Value) -> BTreeSet<String> {
    let low = view["meshes"].as_array().into_iter().flatten().filter(|m| m["role"] == "low");
    let findings = low.flat_map(|m| m["summary"]["findings"].as_array().cloned().unwrap_or_default());
    findings.filter(|f| f["severity"] != "note").filter_map(|f| f["kind"].as_str().map(str::to_owned)).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn the_can_is_looked_at_mended_paired_and_baked() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    open_asset(&session, "Dented watering can").await?;
    session.stop("Meshes").await?;
    let finding = |text: &str| format!("//section[@aria-label='Findings']//li[contains(., \"{text}\")]");

    // Each planted kind stands in the list, in words.
    for words in [
        "wound against",
        "inside out",
        "no UVs",
        "outside the square",
        "overlap on",
        "a hair's breadth",
        "three or more faces",
        "no UV seam",
        "times as large as",
    ] {
        session.xpath(&finding(words)).await?;
    }
    // Its place is lit on the model and on the sheet.
    let (_, model) = colours(&session, "Model").await?;
    let (_, sheet) = colours(&session, "Sheet").await?;
    session.xpath(&format!("{}//button[@aria-expanded]", finding("wound against"))).await?.click().await?;
    session.xpath(&format!("{}//button[.='Show the place']", finding("wound against"))).await?.click().await?;
    until_seen(&session, "Model", "turned faces are lit", |_, orange| orange > model + 0.02).await?;
    until_seen(&session, "Sheet", "turned faces are lit", |_, orange| orange > sheet + 0.01).await?;

    // One is accepted with a note, and no longer after undo.
    session.xpath(&format!("{}//button[@aria-expanded]", finding("inside out, 256"))).await?.click().await?;
    session.xpath(&format!("{}//button[.='Accept']", finding("inside out, 256"))).await?.click().await?;
    let note = session.css("input[aria-label='Why it is accepted']").await?;
    note.send_keys(&format!("seen from within{}", char::from(Key::Enter))).await?;
    session.xpath(&finding("Accepted: seen from within")).await?;
    session.css("aside h1").await?.click().await?;
    session.control('z').await?;
    session.asset_until(CAN, "the note to be gone", |v| v["recipe"]["exceptions"].is_null()).await?;

    // One fix by itself, recorded as a step of its file, undone and done again.
    session.button("Flip them outward").await?.click().await?;
    let turned = |v: &Value| v["recipe"]["low"][0]["steps"] == json!([{ "step": "turn-faces", "part": "body_low" }]);
    session.asset_until(CAN, "the step", turned).await?;
    session
        .xpath("//ol[@aria-label='Steps of watering_can_low.obj']/li[contains(., 'faces of body_low flipped')]")
        .await?;
    session.css("aside h1").await?.click().await?;
    session.control('z').await?;
    session.asset_until(CAN, "no step", |v| v["recipe"]["low"][0]["steps"].is_null()).await?;
    session.press(&[Key::Control.into(), Key::Shift.into(), 'Z']).await?;
    let view = session.asset_until(CAN, "the step again", turned).await?;
    ensure!(!kinds(&view).contains("turned-faces"), "{:?}", kinds(&view));

    // All the others; once more for what the first round brought to light. What will be done is said before it is.
    for _ in 0..3 {
        let told = session.api(&format!("/assets/{CAN}/findings")).await?;
        let count = told["fixes"].as_array().map_or(0, Vec::len);
        if count < 2 {
            break;
        }
        let before = session.api(&format!("/assets/{CAN}")).await?["revision"].as_i64();
        session.button(&format!("Fix {count}…")).await?.click().await?;
        let lines = format!("//*[@role='group' and @aria-label='Fix {count}' and count(.//li) = {count}]");
        session.xpath(&lines).await?;
        session.button(&format!("Fix {count}")).await?.click().await?;
        session.asset_until(CAN, "steps", |v| v["revision"].as_i64() > before).await?;
    }
    let view = session.asset_until(CAN, "a sound can", |v| kinds(v).is_empty() && v["placing"].is_null()).await?;
    ensure!(view["recipe"]["high"][0]["steps"][0]["step"] == "scale", "{}", view["recipe"]["high"]);

    // Pairs: the rose's sculpt has another name. By space it is found; manually it can be given to another too.
    session.stop("Pairs").await?;
    session.xpath("//section[@aria-label='Unpaired parts' and contains(., 'sprinkler_high')]").await?;
    session.button("By space").await?.click().await?;
    session
        .xpath("//li[@aria-label='rose_low']//li[contains(., 'sprinkler_high') and contains(., '% nearest')]")
        .await?;
    session.asset_until(CAN, "no open pair", |v| v["pair_findings"] == json!([])).await?;
    session.button("By names").await?.click().await?;
    session.xpath("//section[@aria-label='Unpaired parts']").await?;
    session.add_part("rose_low", "sprinkler_high").await?;
    session.xpath("//li[@aria-label='rose_low']//li[contains(., 'sprinkler_high') and contains(., 'manual')]").await?;
    let by_hand = json!([{ "high": "sprinkler_high", "low": ["rose_low"] }]);
    session.asset_until(CAN, "the manual pair", |v| v["recipe"]["hand_pairs"] == by_hand).await?;

    // Dragged onto another pair, it is that one's alone.
    drag(
        &session,
        "//li[@aria-label='rose_low']//li[contains(., 'sprinkler_high')]",
        "//li[@aria-label='brace_low']/div",
    )
    .await?;
    let dragged = json!([{ "high": "sprinkler_high", "low": ["brace_low"] }]);
    session.asset_until(CAN, "the dragged pair", |v| v["recipe"]["hand_pairs"] == dragged).await?;
    session.css("aside h1").await?.click().await?;
    session.control('z').await?;
    session.asset_until(CAN, "the manual pair again", |v| v["recipe"]["hand_pairs"] == by_hand).await?;

    // Endings are typed, and what they pair is seen at once.
    let field = session.css("input[aria-label='Sculpt suffixes']").await?;
    field.click().await?;
    field.send_keys(&format!("{} _sculpt", char::from(Key::End))).await?;
    session
        .asset_until(CAN, "the ending", |v| {
            v["recipe"]["endings"]["high"].as_array().is_some_and(|e| e.contains(&json!("_sculpt")))
        })
        .await?;

    // Apart by keys on the slider: the picture changes, the numbers stand on model and sheet, the meshes do not move.
    let bounds = view["meshes"][0]["summary"]["high_corner"].clone();
    let slider = session.css("[role=slider][aria-label='Pull pairs apart']").await?;
    let whole = session.drawn("Model").await?;
    slider.click().await?;
    slider.send_keys(&char::from(Key::End).to_string()).await?;
    session.xpath("//section[@aria-label='On the stage']//*[.='100 %']").await?;
    let shown = "[...document.querySelectorAll('section[aria-label=\"Model stage\"] [data-part]')].filter(b => b.style.display === 'block').length === 5";
    session.until("five numbers on the model", shown).await?;
    session.drawn_until("Model", "the pairs to be drawn apart", |now| differing(&whole, now) > 0.05).await?;
    ensure!(session.api(&format!("/assets/{CAN}")).await?["meshes"][0]["summary"]["high_corner"] == bounds, "moved");
    session.button("Show spout_low alone").await?.click().await?;
    let alone = "document.querySelectorAll('section[aria-label=\"Model stage\"] [data-part]').length === 1";
    session.until("one pair alone", alone).await?;
    session.button("Show spout_low alone").await?.click().await?;

    // What was fixed bakes: next to nothing is missed.
    session.css("aside h1").await?.click().await?;
    session.press(&['b']).await?;
    let done = |r: &[Value]| r.first().is_some_and(|r| r["status"] == "done");
    let runs = session.runs_until(CAN, "the proof", done).await?;
    let (missed, covered) = (&runs[0]["report"]["misses"], &runs[0]["report"]["covered"]);
    let share = missed.as_f64().unwrap_or(1.0) / covered.as_f64().unwrap_or(1.0);
    ensure!(share < 0.01, "{missed} of {covered} missed");
    session.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn layouts_are_looked_at_and_a_tile_is_a_plane() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    session.stop("Meshes").await?;
    session.xpath("//section[@aria-label='Findings']//*[contains(., 'Nothing is wrong')]").await?;

    // Each look changes what both stages show, and says what its colours mean.
    let mut pictures = vec![session.drawn("Model").await?];
    for look in ["Checker", "Texel density", "Stretch", "Orientation", "Overlap", "Islands", "Predicted blur"] {
        session
            .xpath(&format!("//fieldset[@aria-label='Look at the layout']/button[.='{look}']"))
            .await?
            .click()
            .await?;
        session.css("figure[aria-label='What the colours mean']").await?;
        let unlike = |now: &[[u8; 3]]| pictures.iter().all(|before| differing(before, now) > 0.01);
        let picture = session.drawn_until("Model", &format!("{look} to look like no other"), unlike).await?;
        pictures.push(picture);
    }
    until_seen(&session, "Model", "blur has greys", |colours, _| colours > 20).await?;
    session.xpath("//fieldset[@aria-label='Look at the layout']/button[.='Islands']").await?.click().await?;
    until_seen(&session, "Sheet", "islands have colours", |colours, _| colours > 40).await?;

    // Pointing at an island names it.
    let report = session.api("/assets/1/uvs").await?;
    let largest = report["islands"].as_array().into_iter().flatten().max_by(|a, b| {
        let area = |i: &Value| i["uv_area"].as_f64().unwrap_or(0.0);
        area(a).total_cmp(&area(b))
    });
    let island = largest.context("islands")?;
    let middle = |axis: usize| {
        (island["low"][axis].as_f64().unwrap_or(0.0) + island["high"][axis].as_f64().unwrap_or(0.0)) / 2.0
    };
    let canvas = session.css("section[aria-label='Sheet stage'] canvas").await?;
    let (x, y, width, height) = canvas.rectangle().await?;
    // The sheet is fitted below the tools, with a margin of 14.
    let side = (width - 28.0).min(height - 44.0 - 14.0);
    let (left, top) = (x + (width - side) / 2.0, y + 44.0 + (height - 58.0 - side) / 2.0);
    session.point_at(left + (middle(0) + 0.02) * side, top + (1.0 - middle(1) - 0.02) * side).await?;
    let named = format!("Island {} of {}", island["number"], island["part"].as_str().unwrap_or_default());
    session.xpath(&format!("//*[@aria-label='Island under the pointer' and contains(., '{named}')]")).await?;

    // The sculpt gets another low-poly by a click, and undo brings back the one that was there.
    let made_here = |v: &Value| v["recipe"]["low"][0]["steps"][0]["step"] == "unwrap";
    session.button("Make another low-poly of the sculpt").await?.click().await?;
    session.button("Make the low-poly").await?.click().await?;
    session.asset_until(1, "a low-poly made here", made_here).await?;
    session.xpath("//*[@role='status' and contains(., 'off from the sculpt by')]").await?;
    session.css("aside h1").await?.click().await?;
    session.control('z').await?;
    session.asset_until(1, "the low-poly as it was", |v| !made_here(v)).await?;

    // The tile: its edges stop repeating by a click, the plane moves by typing, undo brings both back.
    open_asset(&session, "Shingle tile").await?;
    session.stop("Meshes").await?;
    let repeats = |v: &Value| v["recipe"]["low"][0]["plane"]["repeats"] == true;
    session.xpath("//label[contains(., 'Tileable edges')]/button").await?.click().await?;
    session.asset_until(TILE, "edges that stop", |v| !repeats(v)).await?;
    let field = session.css("input[aria-label='Plane width']").await?;
    field.click().await?;
    field.send_keys(&format!("2 / 4{}", char::from(Key::Enter))).await?;
    session
        .asset_until(TILE, "a narrower plane", |v| v["recipe"]["low"][0]["plane"]["size"][0].as_f64() == Some(0.5))
        .await?;
    session.css("aside h1").await?.click().await?;
    session.control('z').await?;
    session.control('z').await?;
    let back = |v: &Value| repeats(v) && v["recipe"]["low"][0]["plane"]["size"][0].as_f64() == Some(2.0);
    session.asset_until(TILE, "the plane as it was", back).await?;
    session.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn files_are_corrected_replaced_and_carried_over() -> Result<()> {
    let session = Session::start(Start { samples: false, ..Start::default() }).await?;
    let folder = tempfile::tempdir()?;
    let square = |name: &str, x: f32, turned: bool| {
        let face = if turned { "f 4/4 3/3 2/2 1/1" } else { "f 1/1 2/2 3/3 4/4" };
        format!(
            "o {name}\nv {x} 0 0\nv {x} 0 1\nv {} 0 1\nv {} 0 0\nvt 0 1\nvt 0 0\nvt 1 0\nvt 1 1\n{face}\n",
            x + 1.0,
            x + 1.0
        )
    };
    let write = |name: &str, text: &str| -> Result<String> {
        let path = folder.path().join(name);
        std::fs::write(&path, text)?;
        Ok(path.display().to_string())
    };
    session.asset_menu().await?.click().await?;
    session.xpath("//*[@role='menuitem' and contains(., 'New asset')]").await?.click().await?;
    session.css("aside[aria-label='Meshes']").await?;
    let pick = async |files: &[String]| -> Result<()> {
        let picker = session.page.find(Locator::Css("input[aria-label='Mesh files']")).await?;
        Ok(picker.send_keys(&files.join("\n")).await?)
    };
    // A name that says low is corrected before anything is kept.
    // A library comes in with the mesh that names it; one that nobody names waits, and is left out.
    let painted = format!("mtllib top.mtl\nusemtl paint\n{}", square("lid", 0.0, false));
    let (lid, top) = (write("lid_low.obj", &square("lid", 0.0, false))?, write("top_low.obj", &painted)?);
    let beside = [write("top.mtl", "newmtl paint\nKd 1 0 0\n")?, write("spare.mtl", "newmtl other\n")?];
    pick(&[lid, top, beside[0].clone(), beside[1].clone()]).await?;
    session.xpath("//ul[@aria-label='Files beside the meshes']/li[contains(., 'top.mtl')]").await?;
    session.xpath("//*[@aria-label='Use top_low.obj as']//button[.='Sculpt']").await?.click().await?;
    session.button("Import 2 files").await?.click().await?;
    let files = |v: &Value, side: &str| {
        v["recipe"][side]
            .as_array()
            .into_iter()
            .flatten()
            .filter_map(|s| s["file"].as_str().map(str::to_owned))
            .collect::<Vec<_>>()
    };
    let view =
        session.asset_until(1, "both files", |v| files(v, "low").len() == 1 && files(v, "high").len() == 1).await?;
    ensure!(files(&view, "high") == ["top_low.obj"], "{view}");
    let beside = &view["recipe"]["high"][0]["beside"];
    ensure!(beside.as_array().is_some_and(|b| b.len() == 1) && beside[0]["file"] == "top.mtl", "{beside}");
    session.xpath("//li[contains(., 'spare.mtl') and contains(., 'No imported mesh refers to it')]").await?;
    session.xpath("//section[@aria-label='Sculpt (high-poly)']//*[contains(., ', with top.mtl')]").await?;
    session.button("Leave out spare.mtl").await?.click().await?;
    ensure!(session.page.find(Locator::Css("ul[aria-label='Files beside the meshes']")).await.is_err());

    // UVs of a file are chosen: flat along Y.
    session.choose("UVs", "flat along Y").await?;
    session.asset_until(1, "flat UVs", |v| v["recipe"]["low"][0]["uvs"] == "planar-y").await?;

    // A manual pair, then a newer low-poly in the place of the old whose part has another name.
    session.stop("Pairs").await?;
    session.xpath("//button[@aria-label='lid no longer sees lid']").await?.click().await?;
    session.asset_until(1, "a part unseen", |v| v["unseen"] == json!(["lid"])).await?;
    session.add_part("lid", "lid").await?;
    session.asset_until(1, "the manual pair", |v| v["recipe"]["hand_pairs"][0]["low"] == json!(["lid"])).await?;
    session.stop("Meshes").await?;
    let newer = write("cover.obj", &square("cover", 0.0, false))?;
    pick(&[newer]).await?;
    session.xpath("//*[@aria-label='Use cover.obj as']//button[.='Low']").await?.click().await?;
    session.choose("Place of cover.obj", "Replace lid_low.obj").await?;
    session.button("Import 1 file").await?.click().await?;
    session
        .xpath("//*[@role='status' and contains(., \"'lid' was paired manually with 'lid', which is gone\")]")
        .await?;
    let view = session.asset_until(1, "the newer file", |v| files(v, "low") == ["cover.obj"]).await?;
    ensure!(
        view["recipe"]["low"][0]["uvs"] == "planar-y" && view["recipe"]["hand_pairs"].is_null(),
        "{}",
        view["recipe"]
    );

    // The low-poly is taken out, and a plane made in its place.
    session.button("Remove cover.obj").await?.click().await?;
    session.button("Make a plane instead").await?.click().await?;
    let view = session.asset_until(1, "the plane", |v| !v["recipe"]["low"][0]["plane"].is_null()).await?;
    let size = &view["recipe"]["low"][0]["plane"]["size"];
    ensure!(size[0].as_f64() == Some(1.0) && size[1].as_f64() == Some(1.0), "{size}");
    session.css("aside h1").await?.click().await?;
    session.press(&['b']).await?;
    let done = |r: &[Value]| r.first().is_some_and(|r| r["status"] == "done");
    let runs = session.runs_until(1, "the proof on the plane", done).await?;
    ensure!(runs[0]["report"]["misses"] == 0, "{}", runs[0]["report"]);

    // Another asset, whose sculpt lies far from where this one was looked at: the eye goes there by itself.
    session.asset_menu().await?.click().await?;
    session
        .xpath("//*[@role='menuitem' and contains(., 'New asset') and not(contains(., '1'))]")
        .await?
        .click()
        .await?;
    session.stop("Meshes").await?;
    pick(&[write("away_high.obj", &square("away", 500.0, false))?]).await?;
    session.button("Import 1 file").await?.click().await?;
    session.asset_until(2, "the far sculpt", |v| files(v, "high") == ["away_high.obj"]).await?;
    // A fault that many parts share is one to read, and the others open from it.
    let islands: String = (0..8)
        .map(|i| {
            let (v, u) = (i * 4, 1.1 + f64::from(i) * 0.1);
            let face = format!("f {0}/{0} {1}/{1} {2}/{2} {3}/{3}", v + 1, v + 2, v + 3, v + 4);
            format!(
                "o slat_{i}\nv {i} 0 0\nv {i} 0 1\nv {i}.9 0 1\nv {i}.9 0 0\n\
                 vt {u} 1\nvt {u} 0\nvt {w} 0\nvt {w} 1\n{face}\n",
                w = u + 0.05
            )
        })
        .collect();
    pick(&[write("slats_low.obj", &islands)?]).await?;
    session.button("Import 1 file").await?.click().await?;
    let outside = "//section[@aria-label='Findings']//li[contains(., 'outside the square') and not(.//li)]";
    session.xpath("//button[.='7 more of this kind']").await?;
    ensure!(session.page.find_all(Locator::XPath(outside)).await?.len() == 1);
    session.button("7 more of this kind").await?.click().await?;
    session.xpath("//button[.='Hide 7']").await?;
    ensure!(session.page.find_all(Locator::XPath(outside)).await?.len() == 8);
    // Slats seen aslant take little of the stage; lines of the ground are darker.
    let bright = |pixels: &[[u8; 3]]| pixels.iter().filter(|p| p[0] > 150).count() as f64 / pixels.len() as f64;
    session.drawn_until("Model", "the other asset to be in view", |now| (0.005..0.7).contains(&bright(now))).await?;
    session.close().await
}

/// Drags one element onto another as a hand does.
async fn drag(session: &Session, from: &str, to: &str) -> Result<()> {
    use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
    let to = session.xpath(to).await?;
    session.page.execute("arguments[0].scrollIntoView({ block: 'end' })", vec![serde_json::to_value(&to)?]).await?;
    let middle = async |element: &fantoccini::elements::Element| -> Result<(f64, f64)> {
        let (x, y, width, height) = element.rectangle().await?;
        Ok((x + width.min(60.0) / 2.0, y + height.min(20.0) / 2.0))
    };
    let (start, end) = (middle(&session.xpath(from).await?).await?, middle(&to).await?);
    let step = Some(Duration::from_millis(120));
    let moves = MouseActions::new("mouse".into())
        .then(PointerAction::MoveTo { duration: None, x: start.0, y: start.1 })
        .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
        .then(PointerAction::MoveTo { duration: step, x: start.0 + 8.0, y: start.1 + 8.0 })
        .then(PointerAction::MoveTo { duration: step, x: end.0, y: end.1 - 4.0 })
        .then(PointerAction::MoveTo { duration: step, x: end.0, y: end.1 })
        .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
    session.page.perform_actions(moves).await?;
    Ok(())
}
