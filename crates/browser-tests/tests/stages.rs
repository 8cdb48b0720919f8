//! The stages over a long day: a graphics card that is taken away and given back, and fifty assets opened in turn. What is compared is
//! what the stages themselves draw, without the words that lie over them.

use anyhow::{Context, Result, ensure};
use ember_ridge_browser_tests::{Session, Start};
use std::collections::BTreeSet;

fn greys(pixels: &[[u8; 3]]) -> usize {
    pixels.iter().map(|p| p[0]).collect::<BTreeSet<u8>>().len()
}

const CANVAS: &str = "document.querySelector(\"section[aria-label='Model stage'] canvas\")";

/// Opens an asset as the browser's way back does, and waits until its meshes are on the stage.
async fn open(session: &Session, asset: i64) -> Result<()> {
    let go =
        format!("history.pushState(null, '', '/asset/{asset}/meshes'); dispatchEvent(new PopStateEvent('popstate'))");
    session.page.execute(&go, vec![]).await?;
    let name = session.api(&format!("/assets/{asset}")).await?["name"].as_str().context("a name")?.to_owned();
    session.xpath(&format!("//header//button[contains(., '{name}')]")).await?;
    session.until("its meshes", "document.querySelector('[data-shown]')?.dataset.shown === 'both'").await
}

/// Looks in a row that find the same: two seconds, in which maps that are still on their way arrive.
const AT_REST: usize = 8;

/// Geometries and textures that the model stage holds, once they no longer change from one look to the next.
async fn held(session: &Session) -> Result<String> {
    let (mut last, mut same) = (String::new(), 0);
    for _ in 0..200 {
        let now = session.page.execute(&format!("return {CANVAS}.dataset.held"), vec![]).await?;
        let now = now.as_str().unwrap_or_default().to_owned();
        let rest = "const done = arguments[0]; setTimeout(() => requestAnimationFrame(() => requestAnimationFrame(done)), 250)";
        session.page.execute_async(rest, vec![]).await?;
        same = if now == last && !now.is_empty() { same + 1 } else { 0 };
        if same == AT_REST {
            return Ok(now);
        }
        last = now;
    }
    anyhow::bail!("what the stage holds does not come to rest: {last}")
}

#[tokio::test(flavor = "multi_thread")]
async fn fifty_assets_in_turn_leave_nothing_behind() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    // Once around, each drawn with its maps, so that everything that is made once has been made.
    let mut before = String::new();
    for asset in [1, 2, 3, 4, 1] {
        open(&session, asset).await?;
        before = held(&session).await?;
    }
    for turn in 0..50 {
        open(&session, 1 + (turn + 1) % 4).await?;
    }
    open(&session, 1).await?;
    let after = held(&session).await?;
    println!("geometries and textures of the model stage: {before} before 50 assets, {after} after");
    ensure!(before == after, "{before} before, {after} after");

    // A lost graphics card: nothing is drawn, then everything again.
    let drawn = session.drawn_until("Model", "the lantern", |pixels| greys(pixels) > 60).await?;
    let lose = format!(
        "window.card = {CANVAS}.getContext('webgl2').getExtension('WEBGL_lose_context'); window.card.loseContext()"
    );
    session.page.execute(&lose, vec![]).await?;
    session.drawn_until("Model", "nothing to be drawn", |pixels| greys(pixels) < 4).await?;
    session.page.execute("window.card.restoreContext()", vec![]).await?;
    let again = session.drawn_until("Model", "the lantern again", |pixels| greys(pixels) > 60).await?;
    let alike =
        drawn.iter().zip(&again).filter(|(a, b)| a.iter().zip(b.iter()).all(|(c, d)| c.abs_diff(*d) < 8)).count();
    ensure!(alike * 100 > drawn.len() * 98, "{alike} of {} pixels as before", drawn.len());

    // Wipe and side by side: the sculpt to the right of the line, and both meshes whole.
    let model = |look: &str| format!("//section[@aria-label='Model stage']//button[.='{look}']");
    session.stop("Review").await?;
    session.xpath(&model("Side by side")).await?.click().await?;
    let free = |pixels: &[[u8; 3]]| {
        let borders = [0, 119, 121, 239].into_iter().flat_map(|x| column(pixels, 240, x));
        borders.filter(|p| p[0] > 150).count() == 0
    };
    let whole = |pixels: &[[u8; 3]]| halves(pixels, 240).iter().all(|half| greys(half) > 50) && free(pixels);
    session.drawn_until("Model", "both meshes, whole within their halves", whole).await?;
    session.close().await
}

fn column(pixels: &[[u8; 3]], wide: usize, x: usize) -> impl Iterator<Item = [u8; 3]> + '_ {
    pixels.chunks_exact(wide).map(move |row| row[x])
}

fn halves(pixels: &[[u8; 3]], wide: usize) -> [Vec<[u8; 3]>; 2] {
    let part = |from: usize, to: usize| pixels.chunks_exact(wide).flat_map(|row| row[from..to].to_vec()).collect();
    [part(0, wide / 2), part(wide / 2, wide)]
}
