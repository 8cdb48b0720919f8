//! The web server: routes, jobs and events around the store and the core. No rule of the job is decided here.

pub mod api;
mod display;
mod fault;
mod gate;
mod intake;
mod jobs;
mod keep;
mod routes;
mod sample_assets;
mod scenes;
mod upload;

pub use fault::Problem;

use ember_ridge_store::Store;
use rocket::config::{Config, LogLevel, Shutdown};
use rocket::data::{Limits, ToByteUnit};
use rocket::{Build, Rocket};
use std::collections::HashMap;
use std::net::IpAddr;
use std::path::PathBuf;
use std::sync::{Arc, Mutex};
use std::time::Instant;

/// How to serve.
#[derive(Clone, Debug)]
pub struct Settings {
    pub data: PathBuf,
    pub address: IpAddr,
    pub port: u16,
    /// Add the sample assets with a finished bake each, unless they are there.
    pub samples: bool,
}

/// What every route works with.
pub struct App {
    pub(crate) store: Store,
    pub(crate) scenes: scenes::Scenes,
    pub(crate) jobs: jobs::Jobs,
    pub(crate) images: routes::ImageCache,
    pub(crate) swatches: routes::SwatchCache,
    /// Sculpts as the page draws them, ready to send.
    pub(crate) shown: Mutex<HashMap<String, Arc<Vec<u8>>>>,
}

/// A server that is ready to launch, and the address to open in a browser.
pub struct Ready {
    pub rocket: Rocket<Build>,
    pub url: String,
}

/// Opens the store, starts the worker and mounts the routes.
///
/// # Errors
/// A data folder that cannot be used.
pub async fn prepare(settings: &Settings) -> anyhow::Result<Ready> {
    let store = Store::open(&settings.data).await?;
    let app = Arc::new(App {
        jobs: jobs::Jobs::new(Instant::now()),
        scenes: scenes::Scenes::default(),
        images: routes::ImageCache::default(),
        swatches: routes::SwatchCache::default(),
        shown: Mutex::default(),
        store,
    });
    jobs::start_worker(app.clone());
    if settings.samples {
        sample_assets::add_missing(app.clone());
    }
    let gate = gate::Gate::new(settings.address);
    let host = if settings.address.is_unspecified() { "127.0.0.1".to_owned() } else { settings.address.to_string() };
    let url = format!("http://{host}:{}/{}", settings.port, gate.query());
    let config = Config {
        address: settings.address,
        port: settings.port,
        log_level: LogLevel::Critical,
        // A recipe holds every stroke that was painted.
        limits: Limits::default().limit("json", 32.mebibytes()),
        shutdown: Shutdown { grace: 1, mercy: 1, ..Shutdown::default() },
        ..Config::default()
    };
    let rocket = routes::mount(rocket::custom(config)).attach(gate).manage(app);
    Ok(Ready { rocket, url })
}
