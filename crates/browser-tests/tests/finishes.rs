//! Finishes by clicks and keys: a ready-made one found by a word, coats opened, moved, muted and changed, one from nothing given to a
//! part, seen on the model, undone step by step, baked, delivered, and repeated by the command line to the byte.

use anyhow::{Context, Result, ensure};
use ember_ridge_browser_tests::{Session, Start};
use fantoccini::key::Key;
use serde_json::Value;

const LANTERN: i64 = 1;

async fn finish_until(session: &Session, at: usize, what: &str, enough: impl Fn(&Value) -> bool) -> Result<Value> {
    let view = session.asset_until(LANTERN, what, |view| enough(&view["recipe"]["finishes"][at])).await?;
    Ok(view["recipe"]["finishes"][at].clone())
}

fn coats(finish: &Value) -> Vec<&str> {
    finish["coats"].as_array().into_iter().flatten().filter_map(|c| c["name"].as_str()).collect()
}

fn coat<'a>(finish: &'a Value, name: &str) -> &'a Value {
    finish["coats"].as_array().into_iter().flatten().find(|c| c["name"] == name).unwrap_or(&Value::Null)
}

#[tokio::test(flavor = "multi_thread")]
async fn finishes_are_made_reordered_given_baked_and_repeated() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    // A small sheet of one other map: what is baked here is finishes.
    let small = "const json = { 'Content-Type': 'application/json' }; \
        const asset = await (await fetch('/api/assets/1')).json(); \
        const recipe = { ...asset.recipe, maps: asset.recipe.maps.filter((m) => m.map === 'normal') }; \
        recipe.sheet = { ...recipe.sheet, size: 128 }; \
        recipe.finishes = []; \
        await fetch('/api/assets/1/recipe', \
            { method: 'PUT', headers: json, body: JSON.stringify({ base: asset.revision, recipe }) });";
    session.page.execute(&format!("return (async () => {{ {small} }})()"), vec![]).await?;
    session.asset_until(LANTERN, "a small sheet", |view| view["recipe"]["sheet"]["size"] == 128).await?;
    session.stop("Finish").await?;

    // Found by a word, taken with its maps, and seen on the model at once.
    let search = session.css("[aria-label='Search ready-made finishes']").await?;
    search.send_keys("enamel").await?;
    session.until("one left", "document.querySelectorAll('aside li button b').length === 1").await?;
    let plain = session.drawn("Model").await?;
    session.xpath("//aside//button[.//b[.='weathered enamel']]").await?.click().await?;
    let enamel = finish_until(&session, 0, "the finish", |f| f["name"] == "weathered enamel").await?;
    ensure!(coats(&enamel).first() == Some(&"rust"), "{enamel}");
    let recipe = session.api("/assets/1").await?["recipe"].clone();
    for map in ["base-color", "roughness", "metallic"] {
        ensure!(recipe["maps"].as_array().context("maps")?.iter().any(|m| m["map"] == map), "{map} is not baked");
    }
    session.drawn_until("Model", "the enamel", |now| now != plain).await?;
    let strata = "document.querySelectorAll(\"[aria-label^='Core sample'] [data-coat]\").length";
    session.until("the core sample", &format!("{strata} === {}", coats(&enamel).len())).await?;

    // The open coat is the topmost; it moves down with the keyboard, in one step that can be undone.
    session.page.execute("document.querySelector('[data-coat=dust]').focus()", vec![]).await?;
    session.press(&[Key::Alt.into(), Key::Down.into()]).await?;
    finish_until(&session, 0, "dust below grime", |f| coats(f).last() == Some(&"grime")).await?;
    session.control('z').await?;
    finish_until(&session, 0, "dust on top again", |f| coats(f).last() == Some(&"dust")).await?;

    // Muted, and its amount changed.
    session.css("[aria-label='Mute rust bleed']").await?.click().await?;
    finish_until(&session, 0, "a muted coat", |f| coat(f, "rust bleed")["muted"] == true).await?;
    session.xpath("//button[@data-coat='enamel']").await?.click().await?;
    session.css("[aria-label='Name of the coat'][value='enamel']").await?;
    let sentence =
        "document.querySelector(\"[aria-label='The coat as a sentence']\")?.textContent.includes('not metal')";
    session.until("its sentence", sentence).await?;
    session.choose("How Roughness is laid", "Maximum").await?;
    finish_until(&session, 0, "another blend", |f| coat(f, "enamel")["sets"]["roughness"]["blend"] == "maximum")
        .await?;

    // One from nothing, given to a part, placed by what faces up.
    session.button("New finish").await?.click().await?;
    finish_until(&session, 1, "a second finish", |f| f["name"] == "finish").await?;
    session.choose("What the finish is given to", "Parts").await?;
    session
        .xpath("//fieldset[@aria-label='Parts that have the finish']//label[contains(., 'cap_low')]")
        .await?
        .click()
        .await?;
    finish_until(&session, 1, "the cap", |f| f["on"]["parts"] == serde_json::json!(["cap_low"])).await?;
    session.choose("Set a channel", "Metallic").await?;
    session.choose("Add a signal", "Facing").await?;
    let placed = |f: &Value| f["coats"][0]["place"]["terms"][0]["signal"]["kind"] == "facing";
    let second = finish_until(&session, 1, "a place", placed).await?;
    ensure!(second["coats"][0]["sets"]["metallic"]["value"] == 0.0, "{second}");

    // Its colour by a ramp along a signal; a stop more is put halfway and moved by a key.
    session.choose("What Colour is set by", "Ramp").await?;
    let stops = |f: &Value| f["coats"][0]["sets"]["color"]["ramp"]["stops"].clone();
    let at = |f: &Value, stop: usize| stops(f)[stop][0].as_f64();
    finish_until(&session, 1, "a ramp", |f| stops(f).as_array().is_some_and(|s| s.len() == 2)).await?;
    session.button("Add a stop to Colour").await?.click().await?;
    finish_until(&session, 1, "a stop halfway", |f| at(f, 1) == Some(0.5)).await?;
    session.choose("Signal that Colour runs along", "Facing").await?;
    finish_until(&session, 1, "stops over its range", |f| at(f, 0) == Some(-1.0) && at(f, 1) == Some(0.0)).await?;
    session
        .css("[role=slider][aria-label='Stop 2 of Colour']")
        .await?
        .send_keys(&String::from(char::from(Key::Right)))
        .await?;
    finish_until(&session, 1, "the stop moved", |f| at(f, 1) == Some(0.02)).await?;

    let [browser, line] = session.delivered_and_repeated(LANTERN, "lookout-lantern").await?;
    for map in ["base-color", "roughness", "metallic", "normal"] {
        let name = format!("lookout_lantern_low_{map}.png");
        let read = |folder: &tempfile::TempDir| std::fs::read(folder.path().join(&name)).context(name.clone());
        ensure!(read(&line)? == read(&browser)?, "{name} differs from the browser's");
    }

    // What was baked is what the recipe makes now; a coat that is changed since shows.
    session.stop("Finish").await?;
    session.choose("Baked maps against the live finish", "Baked | live, wiped").await?;
    session.css("[role=slider][aria-label='Wipe between baked and live']").await?;
    let rows = "[...document.querySelectorAll(\"[aria-label='Baked against live'] [data-mean]\")]";
    session
        .until("the same on both sides", &format!("{rows}.length >= 4 && {rows}.every((r) => r.dataset.mean < 1)"))
        .await?;
    // The proof that follows has the change too; what is compared stays.
    session.choose("Finish in hand", "weathered enamel").await?;
    for name in ["dust", "enamel"] {
        session.css(&format!("[aria-label='Mute {name}']")).await?.click().await?;
        finish_until(&session, 0, name, |f| coat(f, name)["muted"] == true).await?;
    }
    session.until("another colour than was baked", &format!("{rows}.some((r) => r.dataset.mean > 1)")).await?;
    session.choose("Baked maps against the live finish", "Live").await?;

    // Out as a file with all it needs, and in again; and a document made elsewhere.
    let folder = tempfile::tempdir()?;
    let export = "return (async () => { const { recipe } = await (await fetch('/api/assets/1')).json(); \
        const answer = await fetch('/api/exported-finishes', { method: 'POST', headers: { 'Content-Type': 'application/json' }, \
            body: JSON.stringify({ finishes: recipe.finishes }) }); return answer.text() })()";
    let exported = session.page.execute(export, vec![]).await?;
    let path = folder.path().join("finishes.json");
    std::fs::write(&path, exported.as_str().context("text")?)?;
    let before = session.api("/assets/1").await?["recipe"]["finishes"].as_array().context("finishes")?.len();
    let import = "input[aria-label='Finishes (JSON), or a MaterialX document with its pictures']";
    let file = |path: &std::path::Path| path.to_string_lossy().into_owned();
    session.css(import).await?.send_keys(&file(&path)).await?;
    let count = |view: &Value| view["recipe"]["finishes"].as_array().map_or(0, Vec::len);
    session.asset_until(LANTERN, "the same finishes again", |view| count(view) == 2 * before).await?;
    let document = folder.path().join("layered.mtlx");
    std::fs::write(&document, include_str!("../../formats/tests/materialx/layered.mtlx"))?;
    session.css(import).await?.send_keys(&file(&document)).await?;
    let laid = |view: &Value| view["recipe"]["finishes"][2 * before]["materialx"]["material"] == "Mossy_stone";
    session.asset_until(LANTERN, "the document", laid).await?;
    session
        .until(
            "its material",
            "document.querySelector(\"[aria-label='Material of the document']\")?.textContent === 'Mossy_stone'",
        )
        .await?;
    session.close().await
}
