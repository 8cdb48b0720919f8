//! What is kept: SQLite for what is asked about, content-addressed files beside it for bytes. A row refers to a file only
//! after the file is whole, so a crash at any moment leaves nothing half-written that looks whole.

mod assets;
mod batches;
mod blobs;
mod clusters;
mod collect;
mod deliveries;
mod ledger;
mod lock;
mod migrations;
mod queue;
mod runs;

pub use assets::{Asset, MOST_REVISIONS};
pub use batches::{Batch, BatchLine, Undelivered};
pub use blobs::{BlobWriter, Blobs};
pub use clusters::OnCluster;
pub use collect::MOST_PROOFS;
pub use deliveries::DeliveryLine;
pub use ledger::{FoundBy, RunFilter};
pub use runs::{Run, RunFile, RunKind, RunLine, RunStatus};

use lock::FolderLock;
use serde::Serialize;
use serde::de::DeserializeOwned;
use sqlx::sqlite::{SqliteConnectOptions, SqliteJournalMode, SqlitePoolOptions, SqliteSynchronous};
use sqlx::{Row, SqliteConnection, SqlitePool};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, SystemTime, UNIX_EPOCH};
use tokio::sync::{OwnedRwLockReadGuard, RwLock};

/// Why the store could not do what was asked.
#[derive(Debug, thiserror::Error)]
pub enum StoreFault {
    #[error("the database does not answer: {0}")]
    Database(#[from] sqlx::Error),
    #[error("the database cannot be brought up to date: {0}. It may come from a newer version of this program")]
    Migration(#[from] sqlx::migrate::MigrateError),
    #[error("{path}: {error}. Check that the disk has free space and the folder is writable")]
    File { path: PathBuf, error: std::io::Error },
    #[error("{folder}: in use by {holder}. Stop that program, or give another folder with --data")]
    Held { folder: PathBuf, holder: String },
    #[error("{0}")]
    Damaged(String),
    #[error("there is no {0}")]
    Missing(String),
    #[error("the asset was changed elsewhere in the meantime (revision {now}, not {base})")]
    Stale { base: i64, now: i64 },
}

impl StoreFault {
    /// True when there is no room left on the disk.
    pub fn is_full_disk(&self) -> bool {
        match self {
            StoreFault::File { error, .. } => error.kind() == std::io::ErrorKind::StorageFull,
            StoreFault::Database(sqlx::Error::Database(error)) => error.message().contains("full"),
            _ => false,
        }
    }
}

pub type Result<T> = std::result::Result<T, StoreFault>;

/// The store of one data folder.
#[derive(Clone)]
pub struct Store {
    pool: SqlitePool,
    pub blobs: Blobs,
    /// Folders of unfinished runs.
    places: PathBuf,
    naming: Arc<RwLock<()>>,
    _lock: Arc<FolderLock>,
}

/// While this is held, blobs that no row names yet are not collected.
pub struct Naming {
    _guard: OwnedRwLockReadGuard<()>,
}

pub(crate) fn now() -> i64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |d| d.as_secs() as i64)
}

fn to_json(value: &impl Serialize) -> String {
    serde_json::to_string(value).expect("our own types have string keys and finite numbers only")
}

fn from_json<T: DeserializeOwned>(what: &str, text: &str) -> Result<T> {
    serde_json::from_str(text).map_err(|e| StoreFault::Damaged(format!("{what} in the database cannot be read: {e}")))
}

impl Store {
    /// Opens the store in `folder`, making it when it is not there. Runs that a kill cut off wait again, and blobs that
    /// nothing names are removed.
    ///
    /// # Errors
    /// A folder that another program holds or that cannot be written, or a database that is damaged or newer than this program.
    pub async fn open(folder: &Path) -> Result<Store> {
        let lock = FolderLock::take(folder)?;
        let blobs = Blobs::open(folder)?;
        let options = SqliteConnectOptions::new()
            .filename(folder.join("ember-ridge.sqlite"))
            .create_if_missing(true)
            .journal_mode(SqliteJournalMode::Wal)
            .synchronous(SqliteSynchronous::Full)
            .busy_timeout(Duration::from_secs(30))
            .foreign_keys(true);
        // A step that broke off leaves nothing open for whoever has the connection next.
        let pool = SqlitePoolOptions::new()
            .max_connections(4)
            .after_release(|connection, _| {
                Box::pin(async move {
                    let _ = sqlx::query("ROLLBACK").execute(connection).await;
                    Ok(true)
                })
            })
            .connect_with(options)
            .await?;
        migrations::migrator().run(&pool).await?;
        let places = folder.join("runs");
        let store = Store { pool, blobs, places, naming: Arc::default(), _lock: Arc::new(lock) };
        store.take_up_runs().await?;
        store.tidy_places().await?;
        store.collect().await?;
        Ok(store)
    }

    /// A setting of the whole program; None when it was never set.
    ///
    /// # Errors
    /// A database that does not answer, or a value of another type.
    pub async fn setting<T: DeserializeOwned>(&self, name: &str) -> Result<Option<T>> {
        let found =
            sqlx::query("SELECT value FROM settings WHERE name = ?").bind(name).fetch_optional(&self.pool).await?;
        found.map(|row| from_json(&format!("the setting {name}"), row.get("value"))).transpose()
    }

    /// Sets a setting of the whole program.
    ///
    /// # Errors
    /// A database that cannot be written.
    pub async fn set_setting(&self, name: &str, value: &(impl Serialize + Sync)) -> Result<()> {
        let query =
            "INSERT INTO settings (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value";
        sqlx::query(query).bind(name).bind(to_json(value)).execute(&self.pool).await?;
        Ok(())
    }

    /// Keeps the collector away from here until a row names what is stored now.
    pub async fn naming(&self) -> Naming {
        Naming { _guard: self.naming.clone().read_owned().await }
    }

    /// Does several things in the database all or none. Plain statements: the package's own transactions lose count of themselves when
    /// a full disk makes SQLite roll back by itself.
    async fn in_one_step<T>(&self, work: impl AsyncFnOnce(&mut SqliteConnection) -> Result<T>) -> Result<T> {
        let mut connection = self.pool.acquire().await?;
        sqlx::query("BEGIN IMMEDIATE").execute(&mut *connection).await?;
        let done = work(&mut connection).await?;
        sqlx::query("COMMIT").execute(&mut *connection).await?;
        Ok(done)
    }

    /// The next number of this name, which was never given before.
    async fn next(step: &mut SqliteConnection, name: &str) -> Result<i64> {
        let query = "INSERT INTO counters (name, last) VALUES (?, 1)
            ON CONFLICT (name) DO UPDATE SET last = last + 1 RETURNING last";
        Ok(sqlx::query(query).bind(name).fetch_one(step).await?.get(0))
    }

    /// Keeps what is known of a mesh file whose blob is stored already.
    pub async fn put_mesh(&self, hash: &str, file: &str, summary: &impl Serialize) -> Result<()> {
        sqlx::query("INSERT OR REPLACE INTO meshes (hash, file, summary) VALUES (?, ?, ?)")
            .bind(hash)
            .bind(file)
            .bind(to_json(summary))
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// What is known of a mesh file. A summary of another version of this program is as if there were none.
    pub async fn mesh<T: DeserializeOwned>(&self, hash: &str, file: &str) -> Result<Option<T>> {
        let query = "SELECT summary FROM meshes WHERE hash = ? AND file = ?";
        let row = sqlx::query(query).bind(hash).bind(file).fetch_optional(&self.pool).await?;
        Ok(row.and_then(|r| serde_json::from_str(r.get(0)).ok()))
    }
}
