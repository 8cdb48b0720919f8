//! The built web files, embedded in the program.

use crate::locked;
use crate::routes::shared::Held;
use flate2::Compression;
use flate2::write::GzEncoder;
use rocket::http::ContentType;
use rocket::response::content::RawHtml;
use rocket::response::{self, Responder};
use rocket::{Request, Response, Route, get, routes};
use rust_embed::EmbeddedFile;
use std::collections::HashMap;
use std::io::{Cursor, Write};
use std::path::PathBuf;
use std::sync::{Arc, LazyLock, Mutex};

#[derive(rust_embed::RustEmbed)]
#[folder = "../../web/dist"]
struct Built;

pub fn routes() -> Vec<Route> {
    routes![home, opened, file]
}

/// A file of the page. Text goes out packed to whoever takes gzip: a third of the bytes.
struct Page {
    kind: ContentType,
    file: EmbeddedFile,
    cache: &'static str,
}

type Packed = HashMap<[u8; 32], Arc<Vec<u8>>>;

/// Packed files by the hash of their content, each packed once.
static PACKED: LazyLock<Mutex<Packed>> = LazyLock::new(Mutex::default);

fn packed(file: &EmbeddedFile) -> std::io::Result<Arc<Vec<u8>>> {
    let hash = file.metadata.sha256_hash();
    if let Some(known) = locked(&PACKED).get(&hash) {
        return Ok(known.clone());
    }
    let mut writer = GzEncoder::new(Vec::new(), Compression::best());
    writer.write_all(&file.data)?;
    let made = Arc::new(writer.finish()?);
    locked(&PACKED).insert(hash, made.clone());
    Ok(made)
}

impl<'r> Responder<'r, 'static> for Page {
    fn respond_to(self, request: &'r Request<'_>) -> response::Result<'static> {
        let mut answer = Response::new();
        answer.set_header(self.kind.clone());
        answer.set_raw_header("Cache-Control", self.cache);
        let takes = request.headers().get("Accept-Encoding").any(|all| all.split(',').any(|e| e.trim() == "gzip"));
        let text = self.kind.is_html() || self.kind.is_css() || self.kind.is_javascript() || self.kind.is_svg();
        answer.set_raw_header("Vary", "Accept-Encoding");
        match (takes && text).then(|| packed(&self.file)) {
            Some(Ok(bytes)) => {
                answer.set_raw_header("Content-Encoding", "gzip");
                answer.set_sized_body(bytes.len(), Cursor::new(Held(bytes)));
            }
            // One that cannot be packed goes out as it is.
            Some(Err(_)) | None => answer.set_sized_body(self.file.data.len(), Cursor::new(self.file.data)),
        }
        Ok(answer)
    }
}

#[get("/")]
fn home() -> Result<Page, RawHtml<&'static str>> {
    let page = Built::get("index.html").ok_or(RawHtml(
        "<!doctype html><title>Ember Ridge</title><p>The web files are not built. Run <code>make demo</code>.</p>",
    ))?;
    Ok(Page { kind: ContentType::HTML, file: page, cache: "no-cache" })
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
    Some(Page { kind, file: found, cache })
}
