//! `make screenshots`: starts the demo, drives each main view at 1280x800 and writes docs/screenshots/<view>.png. Names of
//! views on the command line make only those; `--out DIR` writes elsewhere; `--draft` uses coarse sculpts.

use anyhow::{Context, Result};
use ember_ridge_browser_tests::{Session, Start};
use std::path::PathBuf;

/// Each view: its name, and what to do to get there from the page as it opens.
const VIEWS: &[(&str, &[Step])] = &[
    ("review", &[Step::Pause(3000), Step::Drag((560, 540), (560, 540)), Step::Pause(1500)]),
    (
        "review-night",
        &[
            Step::Click("Night theme"),
            Step::Stop("Review"),
            Step::Script(WIPE),
            Step::Click("Smooth"),
            Step::Drag((1010, 390), (1080, 390)),
            Step::Pause(3000),
            Step::Script(SHOW_MENDS),
        ],
    ),
    ("meshes", &[Step::Stop("Meshes"), Step::Script(LOW_WIRES)]),
    ("layout", &[Step::Stop("Meshes"), Step::Click("Texel density"), Step::Script(LAYOUT)]),
    ("faults", &[Step::Asset("Dented watering can"), Step::Stop("Meshes"), Step::Script(FIRST_PLACE)]),
    ("pairs", &[Step::Stop("Pairs"), Step::Script(APART)]),
    ("tile", &[Step::Click("Night theme"), Step::Asset("Shingle tile"), Step::Stop("Review"), Step::Pause(3000)]),
    ("ground", &[Step::Asset("Trail ground"), Step::Stop("Finish"), Step::Pause(9000)]),
    ("reach", &[Step::Stop("Reach"), Step::Keys(&['n']), Step::Pause(1500)]),
    (
        "brush",
        &[Step::Stop("Reach"), Step::Script(BRUSH), Step::Drag((520, 535), (610, 535)), Step::Script(SHOW_BRUSH)],
    ),
    ("maps", &[Step::Stop("Maps"), Step::Choose("Map", "Occlusion"), Step::Script(SWATCHES)]),
    ("bake", &[Step::Stop("Bake")]),
    ("finish", &[Step::Stop("Finish"), Step::Pause(12000)]),
    (
        "finish-night",
        &[
            Step::Click("Night theme"),
            Step::Asset("Boundary stone"),
            Step::Stop("Finish"),
            Step::Script(MASKS),
            Step::Pause(2000),
            Step::Script(CREVICE_DIRT),
            Step::Pause(20000),
            Step::Choose("How the mask shows", "Mask tint"),
        ],
    ),
    ("deliver", &[Step::Stop("Deliver"), Step::Pause(1500), Step::Script(DELIVER), Step::Pause(3000)]),
    (
        "receiver",
        &[Step::Stop("Deliver"), Step::Pause(1500), Step::Script(DELIVER), Step::Script(RECEIVER), Step::Pause(6000)],
    ),
    (
        "contact",
        &[Step::Stop("Deliver"), Step::Pause(1500), Step::Script(DELIVER), Step::Script(CONTACT), Step::Pause(1500)],
    ),
    (
        "stone",
        &[
            Step::Asset("Boundary stone"),
            Step::Stop("Review"),
            Step::Choose("Map", "Displacement"),
            Step::Script(DISPLACED),
            Step::Pause(9000),
            Step::Script(SHOW_DISPLACED),
        ],
    ),
    // Last: it changes what the others show of the stone.
    (
        "uvs",
        &[
            Step::Asset("Boundary stone"),
            Step::Stop("Meshes"),
            Step::Click("Seams"),
            Step::Script(UVS),
            Step::Drag((545, 330), (545, 330)),
            Step::Pause(2500),
            Step::Click("Unwrap all"),
            Step::Pause(2000),
            Step::Script(SETTLED),
            Step::Click("Pack"),
            Step::Pause(2000),
            Step::Script(SETTLED),
            Step::Click("Islands"),
            Step::Drag((545, 480), (545, 480)),
            Step::Pause(2000),
        ],
    ),
];

/// Scrolls to the list of maps and opens the settings of occlusion.
const SWATCHES: &str = "document.querySelector('[aria-label=\"Occlusion: show settings\"]').click(); \
    document.querySelector('section[aria-label=Maps]').scrollIntoView(); \
    return new Promise(r => setTimeout(r, 9000))";

/// Scrolls to the layout's figures.
const LAYOUT: &str = "document.querySelector('section[aria-label=Layout]').scrollIntoView()";
/// Waits until nothing is baked any more.
const SETTLED: &str = "return new Promise(r => { const wait = setInterval(async () => { \
    if ((await (await fetch('/api/queue')).json()).length > 0) return; \
    clearInterval(wait); setTimeout(r, 2500) }, 500) })";
/// Scrolls to the UVs.
const UVS: &str = "document.querySelector('section[aria-label=UVs]').scrollIntoView()";
const FIRST_PLACE: &str = "return new Promise(r => setTimeout(async () => { \
    document.querySelector('section[aria-label=Findings] li button[aria-expanded]').click(); \
    await new Promise(f => setTimeout(f, 300)); \
    [...document.querySelectorAll('aside button')].find(b => b.textContent === 'Show the place').click(); r() }, 1500))";
/// Pulls the pairs half apart, as a hand on the slider does.
const APART: &str = "const s = document.querySelector('[aria-label=\"Pull pairs apart\"]'); s.focus(); \
    for (let i = 0; i < 5; i++) s.dispatchEvent(new KeyboardEvent('keydown', { key: 'PageUp', bubbles: true }))";

/// Delivers unless that was done already, and scrolls to what was delivered.
const DELIVER: &str = "return new Promise(r => { \
    [...document.querySelectorAll('aside button')].find(b => b.textContent === 'Deliver')?.click(); \
    const wait = setInterval(() => { const to = document.querySelector('section[aria-label=Delivered]'); \
    if (!to) return; clearInterval(wait); to.scrollIntoView({ block: 'end' }); r() }, 200) })";
const RECEIVER: &str = "location.href = document.querySelector(\"a[href^='/receiver']\").href";
const CONTACT: &str = "location.href = document.querySelector('section[aria-label=Delivered] img').src";

/// Scrolls the panel to the mends.
const SHOW_MENDS: &str = "document.querySelector(\"[aria-label='Mends']\").scrollIntoView({ block: 'end' });";
const WIPE: &str = "[...document.querySelectorAll('aside button')].find(b => b.textContent === 'Wipe').click()";
const DISPLACED: &str =
    "[...document.querySelectorAll('label')].find(l => l.textContent === 'Draw the low-poly displaced').click()";
const SHOW_DISPLACED: &str =
    "document.querySelector(\"[aria-label='Displaced low-poly']\").scrollIntoView({ block: 'start' });";
const LOW_WIRES: &str = "for (const t of ['Low', 'Wires', 'UVs']) \
    [...document.querySelectorAll('section button')].find(b => b.textContent === t).click()";

/// Takes the plumb brush, with needles to see what it does; and scrolls to its settings.
const BRUSH: &str = "[...document.querySelectorAll('aside button')].find(b => b.textContent === 'Plumb').click(); \
    [...document.querySelectorAll('section button')].find(b => b.textContent === 'Needles').click(); \
    return new Promise(r => setTimeout(r, 3000))";
const SHOW_BRUSH: &str = "document.querySelector('section[aria-label=Brush]').scrollIntoView(); \
    return new Promise(r => setTimeout(r, 6000))";

const MASKS: &str = "[...document.querySelectorAll('aside [role=radio]')].find(b => b.textContent === 'Masks').click()";
const CREVICE_DIRT: &str =
    "[...document.querySelectorAll('aside button')].find(b => b.textContent.startsWith('crevice dirt')).click()";

enum Step {
    Stop(&'static str),
    Click(&'static str),
    Keys(&'static [char]),
    Script(&'static str),
    Asset(&'static str),
    Choose(&'static str, &'static str),
    /// Press at one place of the window, let go at another.
    Drag((i32, i32), (i32, i32)),
    /// Milliseconds for something that is to be caught half-way.
    Pause(u64),
}

#[tokio::main]
async fn main() -> Result<()> {
    let mut out = PathBuf::from("docs/screenshots");
    let mut wanted: Vec<String> = Vec::new();
    let mut draft = false;
    let mut arguments = std::env::args().skip(1);
    while let Some(argument) = arguments.next() {
        match argument.as_str() {
            "--out" => out = arguments.next().context("--out needs a folder")?.into(),
            "--draft" => draft = true,
            _ => wanted.push(argument),
        }
    }
    std::fs::create_dir_all(&out)?;
    let mut session = Session::start(Start { draft, ..Start::default() }).await?;
    session.samples_ready().await?;
    for (name, steps) in VIEWS {
        if !wanted.is_empty() && !wanted.iter().any(|w| w == name) {
            continue;
        }
        // Each view starts from a page as a new user gets it.
        session.page.execute("localStorage.clear(); history.replaceState(null, '', '/')", vec![]).await?;
        session.open().await?;
        for step in *steps {
            take(&session, step).await.with_context(|| format!("view {name}"))?;
        }
        settle(&session).await?;
        std::fs::write(out.join(format!("{name}.png")), session.picture().await?)?;
        println!("{}", out.join(format!("{name}.png")).display());
    }
    session.close().await
}

async fn take(session: &Session, step: &Step) -> Result<()> {
    match step {
        Step::Stop(name) => session.stop(name).await,
        Step::Click(name) => Ok(session.button(name).await?.click().await?),
        Step::Keys(keys) => session.press(keys).await,
        Step::Script(script) => session.page.execute(script, vec![]).await.map(drop).map_err(Into::into),
        Step::Choose(label, value) => session.choose(label, value).await,
        Step::Drag(from, to) => session.drag((from.0.into(), from.1.into()), (to.0.into(), to.1.into())).await,
        Step::Pause(milliseconds) => {
            tokio::time::sleep(std::time::Duration::from_millis(*milliseconds)).await;
            Ok(())
        }
        Step::Asset(name) => {
            session.asset_menu().await?.click().await?;
            Ok(session.xpath(&format!("//*[@role='menuitem' and contains(., '{name}')]")).await?.click().await?)
        }
    }
}

/// Waits until every request is answered and two frames are drawn.
async fn settle(session: &Session) -> Result<()> {
    session.until("pictures to load", "[...document.images].every(i => i.complete)").await?;
    let quiet = "(() => { const n = performance.getEntriesByType('resource').length; \
        const same = window.__seen === n; window.__seen = n; return same; })()";
    for _ in 0..6 {
        tokio::time::sleep(std::time::Duration::from_millis(250)).await;
        session.until("requests to end", quiet).await?;
    }
    Ok(())
}
