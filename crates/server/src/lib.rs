//! The web server: routes, jobs and events around the store and the core. No rule of the job is decided here.

pub mod api;
mod cluster;
mod describe;
mod display;
mod fault;
mod gate;
mod intake;
mod jobs;
mod keep;
mod library;
mod memory;
mod routes;
mod sample_assets;
mod scenes;
mod upload;
mod views;

pub use describe::description;
pub use fault::Problem;
pub use memory::default_budget;

/// Parts that are tested by themselves.
pub mod parts {
    pub use crate::fault::Fault;
    pub use crate::gate::{Named, parse_host, parse_origin};
    pub use crate::jobs::{Queue, Queued, Stopped};
    pub use crate::memory::Memory;
}

use ember_ridge_formats::hits::HitShelf;
use ember_ridge_store::Store;
use rocket::config::{Config, LogLevel, Shutdown};
use rocket::data::{Limits, ToByteUnit};
use rocket::{Build, Rocket};
use std::collections::HashMap;
use std::net::IpAddr;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Instant;

/// How to serve.
#[derive(Clone, Debug)]
pub struct Settings {
    pub data: PathBuf,
    pub address: IpAddr,
    pub port: u16,
    /// Add the sample assets with a finished bake each, unless they are there.
    pub samples: bool,
    /// Bytes that may be held in memory between requests.
    pub memory: u64,
    /// The only folder that deliveries are written to; none: one in the data folder.
    pub deliveries: Option<PathBuf>,
    /// A file that describes a cluster for finals; none: `cluster.json` in the data folder, where there is one.
    pub cluster: Option<PathBuf>,
}

/// What a mutex guards, also after a thread that held it panicked: what is guarded here is whole between any two statements.
pub(crate) fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// What every route works with.
pub struct App {
    pub(crate) store: Store,
    pub(crate) memory: memory::Memory,
    pub(crate) jobs: jobs::Jobs,
    /// What the rays of finals hit, kept on the disk.
    pub(crate) hits: HitShelf,
    /// Held while a file that was sent is read.
    pub(crate) reading: Mutex<()>,
    /// Held while the library of masks is changed.
    pub(crate) library: tokio::sync::Mutex<()>,
    /// The folder that deliveries are written below.
    pub(crate) deliveries: PathBuf,
    /// The cluster that finals may be baked on.
    pub(crate) cluster: Option<cluster::Cluster>,
    /// Held while a delivery is made.
    pub(crate) delivering: Mutex<()>,
    /// Held while what is done of batches is delivered.
    pub(crate) batch_turn: tokio::sync::Mutex<()>,
    /// Turns at changing an asset, by its number: edits of one are made one after the other.
    pub(crate) turns: Mutex<HashMap<i64, Arc<tokio::sync::Mutex<()>>>>,
}

impl App {
    /// Waits for the turn to change an asset.
    pub(crate) async fn turn(&self, asset: i64) -> tokio::sync::OwnedMutexGuard<()> {
        let turn = locked(&self.turns).entry(asset).or_default().clone();
        turn.lock_owned().await
    }
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
    let cluster = cluster::Cluster::find(settings.cluster.as_deref(), &settings.data)?;
    let store = Store::open(&settings.data).await?;
    let most_hits = store.setting(routes::HITS_SETTING).await?.unwrap_or(routes::MOST_HITS);
    let own_deliveries = settings.data.join("deliveries");
    routes::tidy_deliveries(&own_deliveries);
    let app = Arc::new(App {
        jobs: jobs::Jobs::new(Instant::now()),
        memory: memory::Memory::new(settings.memory),
        hits: HitShelf::new(settings.data.join("hits"), most_hits),
        reading: Mutex::default(),
        deliveries: std::path::absolute(settings.deliveries.clone().unwrap_or(own_deliveries))?,
        delivering: Mutex::default(),
        cluster,
        batch_turn: tokio::sync::Mutex::default(),
        library: tokio::sync::Mutex::default(),
        turns: Mutex::default(),
        store,
    });
    jobs::take_up(&app).await.map_err(|fault| anyhow::anyhow!("{fault}"))?;
    jobs::start_worker(&app);
    routes::deliver_finished(&app);
    if settings.samples {
        sample_assets::add_missing(app.clone());
    }
    let gate = gate::Gate::new(settings.address, settings.port);
    let host = match settings.address {
        open if open.is_unspecified() => "127.0.0.1".to_owned(),
        IpAddr::V6(address) => format!("[{address}]"),
        IpAddr::V4(address) => address.to_string(),
    };
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
