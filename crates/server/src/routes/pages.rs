//! The built web files, embedded in the program.

use rocket::http::{ContentType, Header};
use rocket::response::content::RawHtml;
use rocket::{Responder, Route, get, routes};
use std::borrow::Cow;
use std::path::PathBuf;

#[derive(rust_embed::RustEmbed)]
#[folder = "../../web/dist"]
struct Built;

pub fn routes() -> Vec<Route> {
    routes![home, opened, file]
}

#[derive(Responder)]
struct Page {
    body: (ContentType, Cow<'static, [u8]>),
    cache: Header<'static>,
}

#[get("/")]
fn home() -> Result<Page, RawHtml<&'static str>> {
    let page = Built::get("index.html").ok_or(RawHtml(
        "<!doctype html><title>Ember Ridge</title><p>The web files are not built. Run <code>make demo</code>.</p>",
    ))?;
    Ok(Page { body: (ContentType::HTML, page.data), cache: Header::new("Cache-Control", "no-cache") })
}

/// The page again: its own addresses name an asset and a stop, which it reads itself.
#[get("/asset/<_..>")]
fn opened() -> Result<Page, RawHtml<&'static str>> {
    home()
}

#[get("/<path..>", rank = 20)]
fn file(path: PathBuf) -> Option<Page> {
    let name = path.to_str()?.replace('\\', "/");
    let found = Built::get(&name)?;
    let kind = path.extension().and_then(|e| ContentType::from_extension(e.to_str()?)).unwrap_or(ContentType::Binary);
    // Vite puts a hash in the names of what lies in assets/.
    let cache = if name.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    Some(Page { body: (kind, found.data), cache: Header::new("Cache-Control", cache) })
}
