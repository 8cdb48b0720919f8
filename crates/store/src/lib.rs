//! What is kept: SQLite for what is asked about, content-addressed files beside it for bytes. A row refers to a file only
//! after the file is whole, so a crash at any moment leaves nothing half-written that looks whole.

mod blobs;
mod runs;

pub use blobs::{BlobWriter, Blobs};
pub use runs::{Run, RunFile, RunKind, RunStatus};

use ember_ridge_core::Recipe;
use serde::Serialize;
use serde::de::DeserializeOwned;
use sqlx::sqlite::{SqliteConnectOptions, SqliteJournalMode, SqlitePoolOptions, SqliteSynchronous};
use sqlx::{Row, SqlitePool};
use std::path::{Path, PathBuf};
use std::time::{SystemTime, UNIX_EPOCH};

/// Why the store could not do what was asked.
#[derive(Debug, thiserror::Error)]
pub enum StoreFault {
    #[error("the database does not answer: {0}")]
    Database(#[from] sqlx::Error),
    #[error("the database cannot be brought up to date: {0}")]
    Migration(#[from] sqlx::migrate::MigrateError),
    #[error("{path}: {error}. Check that the disk has room and the folder may be written")]
    File { path: PathBuf, error: std::io::Error },
    #[error("{0}")]
    Damaged(String),
    #[error("there is no {0}")]
    Missing(String),
    #[error("the asset was changed elsewhere meanwhile (revision {now}, not {base}); the newer state is shown")]
    Stale { base: i64, now: i64 },
}

pub type Result<T> = std::result::Result<T, StoreFault>;

/// The store of one data folder.
#[derive(Clone)]
pub struct Store {
    pool: SqlitePool,
    pub blobs: Blobs,
}

/// An asset as it stands at its present revision.
#[derive(Clone, Debug)]
pub struct Asset {
    pub id: i64,
    pub name: String,
    pub recipe: Recipe,
    /// Number of the present revision.
    pub head: i64,
    /// What the last step did, when it can be undone.
    pub undo: Option<String>,
    /// What the next step did, when it was undone.
    pub redo: Option<String>,
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
    /// Opens the store in `folder`, making it when it is not there. Runs that a crash cut off are marked interrupted.
    ///
    /// # Errors
    /// A folder that cannot be written, or a database that is damaged or newer than this program.
    pub async fn open(folder: &Path) -> Result<Store> {
        let blobs = Blobs::open(folder)?;
        let options = SqliteConnectOptions::new()
            .filename(folder.join("ember-ridge.sqlite"))
            .create_if_missing(true)
            .journal_mode(SqliteJournalMode::Wal)
            .synchronous(SqliteSynchronous::Normal)
            .foreign_keys(true);
        let pool = SqlitePoolOptions::new().max_connections(4).connect_with(options).await?;
        sqlx::migrate!("./migrations").run(&pool).await?;
        let store = Store { pool, blobs };
        store.mark_interrupted().await?;
        Ok(store)
    }

    /// Every asset: its number and name, oldest first.
    pub async fn assets(&self) -> Result<Vec<(i64, String)>> {
        let rows = sqlx::query("SELECT id, name FROM assets ORDER BY id").fetch_all(&self.pool).await?;
        Ok(rows.iter().map(|r| (r.get(0), r.get(1))).collect())
    }

    /// Adds an asset with its first recipe.
    pub async fn add_asset(&self, recipe: &Recipe) -> Result<i64> {
        let mut step = self.pool.begin().await?;
        let id = sqlx::query("INSERT INTO assets (name, created, head) VALUES (?, ?, 0)")
            .bind(&recipe.asset)
            .bind(now())
            .execute(&mut *step)
            .await?
            .last_insert_rowid();
        sqlx::query("INSERT INTO revisions (asset, number, label, recipe) VALUES (?, 0, 'new asset', ?)")
            .bind(id)
            .bind(to_json(recipe))
            .execute(&mut *step)
            .await?;
        step.commit().await?;
        Ok(id)
    }

    pub async fn asset(&self, id: i64) -> Result<Asset> {
        let query = "SELECT a.name, a.head, r.recipe, r.label,
                (SELECT n.label FROM revisions n WHERE n.asset = a.id AND n.number = a.head + 1)
            FROM assets a JOIN revisions r ON r.asset = a.id AND r.number = a.head WHERE a.id = ?";
        let row = sqlx::query(query).bind(id).fetch_optional(&self.pool).await?;
        let row = row.ok_or_else(|| StoreFault::Missing(format!("asset {id}")))?;
        let head: i64 = row.get(1);
        Ok(Asset {
            id,
            name: row.get(0),
            recipe: from_json("a recipe", row.get(2))?,
            head,
            undo: (head > 0).then(|| row.get(3)),
            redo: row.get(4),
        })
    }

    /// Makes `recipe` the asset's next revision. `base` is the revision it was edited from; undone steps are forgotten.
    ///
    /// # Errors
    /// [`StoreFault::Stale`] when the asset has moved on from `base`.
    pub async fn revise(&self, id: i64, base: i64, label: &str, recipe: &Recipe) -> Result<()> {
        let mut step = self.pool.begin().await?;
        let moved = sqlx::query("UPDATE assets SET head = ? + 1, name = ? WHERE id = ? AND head = ?")
            .bind(base)
            .bind(&recipe.asset)
            .bind(id)
            .bind(base)
            .execute(&mut *step)
            .await?;
        if moved.rows_affected() == 0 {
            drop(step);
            return Err(StoreFault::Stale { base, now: self.asset(id).await?.head });
        }
        sqlx::query("DELETE FROM revisions WHERE asset = ? AND number > ?")
            .bind(id)
            .bind(base)
            .execute(&mut *step)
            .await?;
        sqlx::query("INSERT INTO revisions (asset, number, label, recipe) VALUES (?, ?, ?, ?)")
            .bind(id)
            .bind(base + 1)
            .bind(label)
            .bind(to_json(recipe))
            .execute(&mut *step)
            .await?;
        step.commit().await?;
        Ok(())
    }

    /// Steps the asset back (`by` = -1) or forth (1) one revision; stays where it is at either end.
    pub async fn step(&self, id: i64, by: i64) -> Result<()> {
        let query = "UPDATE assets SET head = head + ?,
                name = (SELECT json_extract(recipe, '$.asset') FROM revisions WHERE asset = assets.id AND number = head + ?)
            WHERE id = ? AND EXISTS (SELECT 1 FROM revisions WHERE asset = assets.id AND number = head + ?)";
        sqlx::query(query).bind(by).bind(by).bind(id).bind(by).execute(&self.pool).await?;
        Ok(())
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

    pub async fn mesh<T: DeserializeOwned>(&self, hash: &str, file: &str) -> Result<Option<T>> {
        let query = "SELECT summary FROM meshes WHERE hash = ? AND file = ?";
        let row = sqlx::query(query).bind(hash).bind(file).fetch_optional(&self.pool).await?;
        row.map(|r| from_json("a mesh summary", r.get(0))).transpose()
    }
}
