//! `make measure`: figures that only a real browser can give, from the full samples, printed one per line; of the cases that are named, or all. The browser draws
//! in software here, so a frame is slower than on any machine with a graphics card.

use anyhow::{Context, Result};
use ember_ridge_browser_tests::{Session, Start};
use serde_json::Value;

/// Turns the model stage by keys and waits for each frame to be on the canvas; gives milliseconds a frame.
const TURN: &str = "const done = arguments[0]; \
    const canvas = document.querySelector('section[aria-label=\"Model stage\"] canvas'); \
    const gl = canvas.getContext('webgl2'); const pixel = new Uint8Array(4); const times = []; \
    const press = () => canvas.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight', bubbles: true })); \
    let began = 0; \
    const step = () => { press(); began = performance.now(); requestAnimationFrame(() => requestAnimationFrame(() => { \
        gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel); \
        times.push(performance.now() - began); times.length < 25 ? step() : done(times.slice(5)); })) }; step();";

/// Milliseconds that a page answered with.
fn numbers(told: &Value) -> Result<Vec<f64>> {
    Ok(told.as_array().context("a list of milliseconds")?.iter().filter_map(Value::as_f64).collect())
}

/// The one in the middle and the worst, in words.
fn middle(mut times: Vec<f64>) -> Result<String> {
    times.sort_by(f64::total_cmp);
    let worst = times.last().context("nothing was measured")?;
    Ok(format!("median {:.0} ms, worst {worst:.0} ms of {}", times[times.len() / 2], times.len()))
}

#[tokio::main]
async fn main() -> Result<()> {
    let session = Session::start(Start { draft: false, ..Start::default() }).await?;
    session.samples_ready().await?;
    // Those that are named, or all.
    let named: Vec<String> = std::env::args().skip(1).collect();
    let wanted = |name: &str| named.is_empty() || named.iter().any(|n| n == name);
    if wanted("landing") {
        landing(&session).await?;
    }
    if wanted("turning") {
        turning(&session).await?;
    }
    if wanted("following") {
        following(&session).await?;
    }
    if wanted("dragging") {
        dragging(&session).await?;
    }
    if wanted("masking") {
        masking(&session).await?;
    }
    if wanted("coating") {
        coating(&session).await?;
    }
    if wanted("comparing") {
        comparing(&session).await?;
    }
    if wanted("large") {
        large(&session).await?;
    }
    if wanted("listing") {
        listing(&session).await?;
    }
    session.close().await
}

/// Asks for a final of each sample at 2048 and waits for its first live picture, which fills the whole sheet; then stops it.
async fn landing(session: &Session) -> Result<()> {
    const FIRST: &str = "const [asset, done] = arguments; const json = { 'Content-Type': 'application/json' }; \
        const send = (path, method, body) => fetch('/api' + path, { method, headers: json, body }); (async () => { \
        const began = performance.now(); \
        const run = await (await send(`/assets/${asset}/runs`, 'POST', JSON.stringify({ kind: 'final' }))).json(); \
        while (!(await fetch(`/api/runs/${run.id}/live/normal`)).ok) await new Promise((go) => setTimeout(go, 10)); \
        const took = performance.now() - began; await send(`/runs/${run.id}/stop`, 'POST'); done([run.id, took]); })();";
    let assets = session.api("/assets").await?;
    for asset in assets.as_array().into_iter().flatten() {
        let view = session.api(&format!("/assets/{}", asset["id"])).await?;
        let maps = view["recipe"]["maps"].as_array().context("maps")?;
        if maps.iter().all(|map| map["map"] != "normal") {
            continue;
        }
        for known in ["its meshes to be read first", "its meshes in memory"] {
            let answer = session.page.execute_async(FIRST, vec![asset["id"].clone()]).await?;
            println!(
                "from asking for a final of the {} ({} maps, {}) to a picture of the whole sheet, {known}: {:.0} ms",
                asset["name"].as_str().unwrap_or_default(),
                maps.len(),
                view["recipe"]["sheet"]["size"],
                answer[1].as_f64().context("milliseconds")?
            );
            ember_ridge_browser_tests::wait_until("it to stop", async || {
                Ok(session.api("/queue").await?.as_array().is_some_and(Vec::is_empty))
            })
            .await?;
        }
    }
    Ok(())
}

/// Moves an end of a mask's range on the lantern by keys and waits for its picture; the page tells how long it took.
async fn masking(session: &Session) -> Result<()> {
    session.asset_menu().await?.click().await?;
    session.xpath("//*[@role='menuitem' and contains(., 'Lookout lantern')]").await?.click().await?;
    session.masks().await?;
    session.xpath("//aside//button[b[.='edge wear']]").await?.click().await?;
    let handle = "const handle = document.querySelector(\"[role=slider][aria-label$=': 1 from']\"); \
        handle.focus(); handle.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight', bubbles: true }));";
    let what = "an end of a mask's range to its picture, lantern of 612k triangles at 512";
    by_hand(session, what, "Mask on the stages", handle).await
}

/// Changes the amount of the lantern's enamel by keys and waits for the material to be on screen.
async fn coating(session: &Session) -> Result<()> {
    session.stop("Finish").await?;
    session.xpath("//aside//*[@role='radio' and .='Finishes']").await?.click().await?;
    session.choose("Finish in hand", "weathered enamel").await?;
    session.xpath("//button[@data-coat='enamel']").await?.click().await?;
    let amount = "const field = document.querySelector(\"input[aria-label='Amount of the coat']\"); \
        field.focus(); field.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', bubbles: true }));";
    let what = "the amount of a coat to its material, lantern of 612k triangles at 512";
    by_hand(session, what, "The coat as a sentence", amount).await?;
    while_held(session, &format!("{what}, while it is held"), "The coat as a sentence", amount).await
}

/// Does something forty times, one every 150 ms as a hand that stays on it, and tells how long each picture took that came.
async fn while_held(session: &Session, what: &str, told: &str, act: &str) -> Result<()> {
    tokio::time::sleep(std::time::Duration::from_secs(6)).await;
    let hold = format!(
        "const done = arguments[0]; const times = []; const see = new MutationObserver(() => \
            times.push(Number(document.querySelector(\"[aria-label='{told}']\").dataset.took))); \
        see.observe(document.body, {{ subtree: true, attributes: true, attributeFilter: ['data-took'] }}); let left = 40; \
        const go = () => {{ {act} if (--left > 0) return setTimeout(go, 150); \
            setTimeout(() => {{ see.disconnect(); done(times) }}, 1500) }}; go();"
    );
    let times = session.page.execute_async(&hold, vec![]).await?;
    let times = numbers(&times)?;
    println!("{what}: {}", middle(times)?);
    Ok(())
}

/// Does something a dozen times and tells how long its picture took; what is called `told` in the page says so.
async fn by_hand(session: &Session, what: &str, told: &str, act: &str) -> Result<()> {
    let rests = format!("document.querySelector(\"[aria-label='{told}']\")?.dataset.busy === 'false'");
    session.until("all to be measured", &rests).await?;
    let mut times = Vec::new();
    for _ in 0..12 {
        // A proof that follows the last change would share the processor.
        tokio::time::sleep(std::time::Duration::from_secs(6)).await;
        let watch = format!(
            "const done = arguments[0]; const line = () => document.querySelector(\"[aria-label='{told}']\"); \
            let began = false; const see = new MutationObserver(() => {{ began ||= line()?.dataset.busy === 'true'; \
                if (!began || line()?.dataset.busy !== 'false') return; see.disconnect(); done(Number(line().dataset.took)) }}); \
            see.observe(document.body, {{ subtree: true, childList: true, attributes: true, attributeFilter: ['data-busy'] }}); \
            {act}"
        );
        times.push(session.page.execute_async(&watch, vec![]).await?.as_f64().context("milliseconds")?);
        session.until("all to be measured", &rests).await?;
    }
    println!("{what}: {}", middle(times)?);
    Ok(())
}

/// Switches between two runs of the lantern by key, and waits until both stages have drawn the other.
async fn comparing(session: &Session) -> Result<()> {
    const SWITCH: &str = "const done = arguments[0]; const sheet = document.querySelector('section[aria-label=\"Sheet stage\"]'); \
        const gl = document.querySelector('section[aria-label=\"Model stage\"] canvas').getContext('webgl2'); \
        const pixel = new Uint8Array(4); const was = sheet.dataset.picture; const began = performance.now(); \
        const look = () => requestAnimationFrame(() => { if (sheet.dataset.picture === was) return look(); \
            requestAnimationFrame(() => { gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel); \
                done(performance.now() - began) }) }); \
        window.dispatchEvent(new KeyboardEvent('keydown', { key: 'x', bubbles: true })); look();";
    session.stop("Review").await?;
    let runs = session.api("/assets/1/runs").await?;
    // The newest with maps is on screen; the one before it is the other.
    let with_maps = |r: &&Value| r["status"] == "done";
    let other = runs["runs"].as_array().into_iter().flatten().filter(with_maps).nth(1).context("another run")?;
    let kind = other["kind"].as_str().context("a kind")?;
    let named = format!("{} {kind}, {} px", other["number"], other["size"]);
    session.choose("Other run", &named).await?;
    tokio::time::sleep(std::time::Duration::from_secs(8)).await;
    let mut times = Vec::new();
    for _ in 0..20 {
        times.push(session.page.execute_async(SWITCH, vec![]).await?.as_f64().context("milliseconds")?);
        tokio::time::sleep(std::time::Duration::from_millis(400)).await;
    }
    println!("from a key to the other of two compared runs on both stages: {}", middle(times)?);
    session.choose("Other run", "no other").await
}

/// Texels per side of a sheet too large to be sent as one picture.
const LARGE: u32 = 16384;

/// Bakes the shingle's normal map at 16384, opens it from another asset, zooms in to its texels, pans over it, and reads texels.
async fn large(session: &Session) -> Result<()> {
    const BAKE: &str = "const [asset, size, done] = arguments; const json = { 'Content-Type': 'application/json' }; (async () => { \
        const view = await (await fetch(`/api/assets/${asset}`)).json(); const { recipe } = view; \
        recipe.maps = [{ map: 'normal' }]; recipe.finishes = []; recipe.masks = []; recipe.sheet.size = size; recipe.sheet.samples = 1; \
        await fetch(`/api/assets/${asset}/recipe`, { method: 'PUT', headers: json, body: JSON.stringify({ base: view.revision, recipe }) }); \
        done(await (await fetch(`/api/assets/${asset}/runs`, { method: 'POST', headers: json, \
            body: JSON.stringify({ kind: 'final' }) })).json()); })();";
    const OPEN: &str = "const [name, done] = arguments; const canvas = () => document.querySelector(\"canvas[aria-label^='Sheet']\"); \
        const was = canvas().dataset.drawn; \
        const item = [...document.querySelectorAll(\"[role='menuitem']\")].find((one) => one.textContent.includes(name)); \
        const began = performance.now(); item.click(); \
        const look = () => requestAnimationFrame(() => { const now = canvas()?.dataset; \
            if (!now || now.drawn === was || now.drawn === '' || now.whole !== 'true') return look(); \
            done(performance.now() - began) }); look();";
    // Keys zoom in until a texel is a pixel wide and more; then the sheet is moved by keys, a frame each.
    const PAN: &str = "const done = arguments[0]; const canvas = document.querySelector(\"canvas[aria-label^='Sheet']\"); \
        const press = (key) => canvas.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true })); \
        for (let n = 0; n < 17; n++) press('+'); const began = performance.now(); const frames = []; let last = 0; let shown = 0; \
        const pan = () => requestAnimationFrame((now) => { if (last > 0) frames.push(now - last); last = now; \
            press(frames.length % 60 < 30 ? 'ArrowRight' : 'ArrowDown'); frames.length < 120 ? pan() : rest(performance.now()); }); \
        const rest = (from) => requestAnimationFrame(() => \
            canvas.dataset.whole === 'true' ? done([shown, frames, performance.now() - from]) : rest(from)); \
        const first = () => requestAnimationFrame(() => { if (canvas.dataset.whole !== 'true') return first(); \
            shown = performance.now() - began; pan(); }); requestAnimationFrame(first);";
    const TEXEL: &str = "const [run, size, done] = arguments; (async () => { const times = []; for (let n = 0; n < 40; n++) { \
        const at = () => Math.floor(Math.random() * size); const began = performance.now(); \
        await (await fetch(`/api/runs/${run}/texel?x=${at()}&y=${at()}`)).json(); times.push(performance.now() - began); } done(times); })();";
    let assets = session.api("/assets").await?;
    let named =
        |name: &str| assets.as_array().into_iter().flatten().find(|a| a["name"] == name).map(|a| a["id"].clone());
    let shingle = named("Shingle tile").context("the shingle")?.as_i64().context("an id")?;
    let began = std::time::Instant::now();
    let run = session.page.execute_async(BAKE, vec![shingle.into(), LARGE.into()]).await?;
    // A bake of this size outlasts what a test would wait for.
    while session.api(&format!("/runs/{}", run["id"])).await?["run"]["status"] != "done" {
        tokio::time::sleep(std::time::Duration::from_millis(500)).await;
    }
    println!("a normal map of {LARGE} baked and kept: {:.0} s", began.elapsed().as_secs_f64());
    session.stop("Review").await?;
    session.asset_menu().await?.click().await?;
    let opened = session.page.execute_async(OPEN, vec!["Shingle tile".into()]).await?;
    println!("from choosing an asset to its sheet of {LARGE} on screen: {:.0} ms", opened.as_f64().context("ms")?);
    tokio::time::sleep(std::time::Duration::from_secs(5)).await;
    let told = session.page.execute_async(PAN, vec![]).await?;
    let frames = numbers(&told[1])?;
    println!(
        "zoomed in to its texels: all in view after {:.0} ms; panning 4800 pixels: frames of {}; all in view {:.0} ms after the last",
        told[0].as_f64().context("ms")?,
        middle(frames)?,
        told[2].as_f64().context("ms")?
    );
    let times = session.page.execute_async(TEXEL, vec![run["id"].clone(), LARGE.into()]).await?;
    let times = numbers(&times)?;
    println!("the value of a texel of it: {}", middle(times)?);
    Ok(())
}

/// Runs in the ledger that is scrolled.
const LISTED: usize = 1000;

/// Bakes a thousand small finals of the watering can, opens it anew, and scrolls its ledger from the newest run to the oldest.
async fn listing(session: &Session) -> Result<()> {
    const BAKE: &str = "const [asset, count, done] = arguments; const json = { 'Content-Type': 'application/json' }; (async () => { \
        const view = await (await fetch(`/api/assets/${asset}`)).json(); const { recipe } = view; \
        recipe.maps = [{ map: 'id', from: 'part' }]; recipe.sheet.size = 64; recipe.sheet.samples = 1; \
        await fetch(`/api/assets/${asset}/recipe`, { method: 'PUT', headers: json, body: JSON.stringify({ base: view.revision, recipe }) }); \
        for (let n = 0; n < count; n++) \
            await fetch(`/api/assets/${asset}/runs`, { method: 'POST', headers: json, body: JSON.stringify({ kind: 'final' }) }); \
        done(count); })();";
    const SCROLL: &str = "const done = arguments[0]; const row = document.querySelector(\"[aria-label='Runs']\"); \
        const frames = []; let last = performance.now(); const began = last; let still = 0; \
        const step = () => requestAnimationFrame(() => { const now = performance.now(); frames.push(now - last); last = now; \
            const before = row.scrollLeft; row.scrollLeft += 1500; still = row.scrollLeft === before ? still + 1 : 0; \
            still > 40 || now - began > 60000 ? done([frames.length, frames, row.scrollWidth]) : step(); }); step();";
    let can = session.api("/assets").await?;
    let can = can.as_array().into_iter().flatten().find(|a| a["name"] == "Dented watering can").context("the can")?;
    let id = can["id"].as_i64().context("an id")?;
    for _ in 0..LISTED / 50 {
        session.page.execute_async(BAKE, vec![id.into(), 50.into()]).await?;
        ember_ridge_browser_tests::wait_until("them to be baked", async || {
            Ok(session.api("/queue").await?.as_array().is_some_and(Vec::is_empty))
        })
        .await?;
    }
    session.asset_menu().await?.click().await?;
    session.xpath("//*[@role='menuitem' and contains(., 'Dented watering can')]").await?.click().await?;
    session.until("runs to be listed", "document.querySelector(\"[aria-label='Runs'] li img\")").await?;
    let told = session.page.execute_async(SCROLL, vec![]).await?;
    let frames = numbers(&told[1])?;
    println!("scrolling a ledger of {LISTED} runs to its end: frames of {}; {} pixels wide", middle(frames)?, told[2]);
    Ok(())
}

async fn turning(session: &Session) -> Result<()> {
    session.asset_menu().await?.click().await?;
    session.xpath("//*[@role='menuitem' and contains(., 'Boundary stone')]").await?.click().await?;
    for look in ["Low", "Sculpt"] {
        session.xpath(&format!("//section[@aria-label='Model stage']//button[.='{look}']")).await?.click().await?;
        tokio::time::sleep(std::time::Duration::from_secs(4)).await;
        let times = session.page.execute_async(TURN, vec![]).await?;
        let times = numbers(&times)?;
        println!("turning the stone, {look}, from key to pixels: {}", middle(times)?);
    }
    Ok(())
}

/// Changes a reach of the stone and waits for the look at it to be on screen; the page tells how long it took.
async fn following(session: &Session) -> Result<()> {
    session.stop("Reach").await?;
    session.until("an envelope", "document.querySelector(\"[aria-label='Envelope']\")").await?;
    let mut times = Vec::new();
    for _ in 0..8 {
        let watch = "const done = arguments[0]; const see = new MutationObserver(() => { \
            const s = document.querySelector('[data-took]'); if (!s) return; see.disconnect(); done(Number(s.dataset.took)) }); \
            see.observe(document.body, { subtree: true, childList: true, attributes: true, attributeFilter: ['data-took'] }); \
            const slider = document.querySelector(\"[aria-label='Reach out of the whole asset, share of the asset']\"); \
            slider.focus(); slider.dispatchEvent(new KeyboardEvent('keydown', { key: 'PageUp', bubbles: true }));";
        let took = session.page.execute_async(watch, vec![]).await?.as_f64().context("milliseconds")?;
        times.push(took);
        // Until the proof has taken the look's place.
        session.until("the look to end", "!document.querySelector('[data-took]')").await?;
    }
    println!("reach change to its look on screen, stone of 1M triangles at 512: {}", middle(times)?);
    Ok(())
}

/// Drags the reach of the stone along its slider as a hand does, and waits for the picture of where it was let go.
async fn dragging(session: &Session) -> Result<()> {
    let mut waits = Vec::new();
    let mut pictures = 0;
    for round in 0..6 {
        let watch = "window.moved = 0; window.seen = []; let told = null; window.watching?.disconnect(); \
            addEventListener('pointermove', () => { window.moved = performance.now() }, { capture: true }); \
            window.watching = new MutationObserver(() => { \
                const now = document.querySelector('[data-took]')?.dataset.took; \
                if (now !== undefined && now !== told) window.seen.push(performance.now()); told = now; \
            }); \
            window.watching.observe( \
                document.body, { subtree: true, childList: true, attributes: true, attributeFilter: ['data-took'] }); \
            const thumb = document.querySelector(\"[aria-label='Reach out of the whole asset, share of the asset']\"); \
            const at = thumb.getBoundingClientRect(); return [at.x + at.width / 2, at.y + at.height / 2]";
        let at = session.page.execute(watch, vec![]).await?;
        let (x, y) = (at[0].as_f64().context("a place")?, at[1].as_f64().context("a place")?);
        let aside = if round % 2 == 0 { 24.0 } else { -24.0 };
        session.drag((x, y), (x + aside, y)).await?;
        session.until("a picture after the last move", "window.seen.some(t => t > window.moved)").await?;
        // Until the proof has taken the picture's place.
        session.until("the picture to end", "!document.querySelector('[data-took]')").await?;
        let told = "const later = window.seen.filter(t => t > window.moved); \
            return [later[later.length - 1] - window.moved, window.seen.length]";
        let told = session.page.execute(told, vec![]).await?;
        waits.push(told[0].as_f64().context("milliseconds")?);
        pictures += told[1].as_u64().context("pictures")?;
    }
    println!(
        "dragging a reach, stone of 1M triangles at 512: from the last move to its picture {}; {pictures} pictures in all drags",
        middle(waits)?
    );
    Ok(())
}
