//! Looking at maps in a real browser: a part of a range, mip levels with what they mix, the sheet repeated, the low-poly displaced, and the
//! view saved as a picture.

use anyhow::{Context, Result, ensure};
use ember_ridge_browser_tests::{Session, Start};
use fantoccini::key::Key;

/// Presses keys on a slider by its label.
async fn press_on(session: &Session, slider: &str, keys: &[Key]) -> Result<()> {
    let thumb = session.css(&format!("[role=slider][aria-label='{slider}']")).await?;
    let keys: String = keys.iter().map(|key| char::from(*key)).collect();
    thumb.send_keys(&keys).await?;
    Ok(())
}

/// Waits until the sheet stage has drawn a picture whose address holds some words, all of it that is in view.
async fn drawn(session: &Session, words: &str) -> Result<()> {
    let script = format!(
        "(sheet => sheet.dataset.picture?.includes('{words}') && sheet.querySelector('canvas').dataset.whole === 'true' && \
          sheet.dataset.picture.startsWith(sheet.querySelector('canvas').dataset.drawn)\
         )(document.querySelector(\"section[aria-label='Sheet stage']\"))"
    );
    session.until(words, &script).await
}

#[tokio::test(flavor = "multi_thread")]
async fn maps_are_looked_at_closely_and_the_view_is_saved() -> Result<()> {
    let session = Session::start(Start::default()).await?;
    session.samples_ready().await?;
    session.stop("Review").await?;
    session.choose("Map", "Occlusion").await?;
    drawn(&session, "/api/pictures/").await?;

    // The end of the range is moved by keys: the sheet shows it, and the number is told.
    session.css("svg[aria-label^='Distribution over']").await?;
    let before = session.drawn("Sheet").await?;
    press_on(&session, "Shown as white", &[Key::Left; 4]).await?;
    drawn(&session, "/look/ao?sheet=0&from=").await?;
    let brighter = session.drawn("Sheet").await?;
    let sum = |pixels: &[[u8; 3]]| pixels.iter().map(|p| u64::from(p[0])).sum::<u64>();
    ensure!(sum(&brighter) > sum(&before), "white is at less than it was");
    session.button("Whole").await?.click().await?;
    drawn(&session, "/api/pictures/").await?;

    // A mip level, and what it mixes in words.
    press_on(&session, "Mip level", &[Key::Right; 3]).await?;
    drawn(&session, "/look/ao?sheet=0&level=3").await?;
    session.xpath("//*[contains(., 'of its texels mix in background') or contains(., 'No texel mixes in')]").await?;
    press_on(&session, "Mip level", &[Key::Home]).await?;
    drawn(&session, "/api/pictures/").await?;

    // Repeated, the sheet is seen more than once, and a place on a repeat is told as one of the sheet.
    let before = session.drawn("Sheet").await?;
    session.xpath("//label[contains(., 'Repeat the sheet')]").await?.click().await?;
    let repeated = session.drawn_until("Sheet", "the repeated sheet", |pixels| pixels != before.as_slice()).await?;
    session.xpath("//label[contains(., 'Hatch padding')]").await?.click().await?;
    session.drawn_until("Sheet", "hatched padding", |pixels| pixels != repeated.as_slice()).await?;
    session.button("Reset").await?.click().await?;
    session.drawn_until("Sheet", "the sheet as it was", |pixels| pixels == before.as_slice()).await?;

    // A normal map that leans further is seen on the model.
    session.choose("Map", "Normal").await?;
    drawn(&session, "/api/pictures/").await?;
    let plain = session.drawn("Model").await?;
    press_on(&session, "Normal strength", &[Key::End]).await?;
    session.drawn_until("Model", "a stronger normal map", |pixels| pixels != plain.as_slice()).await?;
    session.button("Reset").await?.click().await?;

    // The view is saved at the width that is asked for.
    session.button("Save PNG").await?.click().await?;
    let saved = image::open(session.downloaded("png").await?)?;
    ensure!(saved.width() == 2048 && saved.height() > 1000, "{} x {}", saved.width(), saved.height());
    let stage = image::Rgb([0x75u8; 3]);
    let model = saved.to_rgb8().pixels().filter(|pixel| **pixel != stage).count();
    ensure!(model > 100_000, "the model is on it: {model} pixels");

    // The stone has a displacement map: drawn displaced, with a table that comes nearer with each subdivision.
    session.asset_menu().await?.click().await?;
    session.xpath("//*[@role='menuitem' and contains(., 'Boundary stone')]").await?.click().await?;
    let flat = session.drawn("Model").await?;
    session.xpath("//label[contains(., 'Draw the low-poly displaced')]").await?.click().await?;
    session.css("tr[data-subdivided='6']").await?;
    session.drawn_until("Model", "the displaced low-poly", |pixels| pixels != flat.as_slice()).await?;
    let cell = |row: u32| {
        format!("return document.querySelector(\"tr[data-subdivided='{row}'] td:nth-child(3)\").textContent")
    };
    let mut means = Vec::new();
    for row in [0, 3, 6] {
        let told = session.page.execute(&cell(row), vec![]).await?;
        means.push(told.as_str().context("a number")?.parse::<f64>()?);
    }
    ensure!(means[0] > means[1] && means[1] >= means[2], "{means:?}");
    session.close().await
}
