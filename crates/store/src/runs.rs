//! The ledger: every run with the exact recipe that made it.

use super::{Result, Store, StoreFault, from_json, now, to_json};
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::Report;
use serde::{Deserialize, Serialize};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;
use ts_rs::TS;

/// A quick bake to judge, or the one to keep.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum RunKind {
    Proof,
    Final,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum RunStatus {
    Waiting,
    Running,
    Done,
    Stopped,
    Failed,
    /// The program ended while it ran.
    Interrupted,
}

macro_rules! stored_as_word {
    ($type:ty { $($value:ident => $word:literal),+ }) => {
        impl $type {
            fn word(self) -> &'static str {
                match self { $(Self::$value => $word),+ }
            }

            fn from_word(word: &str) -> Result<Self> {
                match word {
                    $($word => Ok(Self::$value),)+
                    other => Err(StoreFault::Damaged(format!("'{other}' in the ledger is not known"))),
                }
            }
        }
    };
}

stored_as_word!(RunKind { Proof => "proof", Final => "final" });
stored_as_word!(RunStatus {
    Waiting => "waiting", Running => "running", Done => "done",
    Stopped => "stopped", Failed => "failed", Interrupted => "interrupted"
});

/// One line of the ledger.
#[derive(Clone, Debug)]
pub struct Run {
    pub id: i64,
    pub asset: i64,
    /// Counts from 1 within the asset.
    pub number: i64,
    pub kind: RunKind,
    pub status: RunStatus,
    pub recipe: Recipe,
    /// Seconds since 1970.
    pub created: i64,
    pub report: Option<Report>,
    pub error: Option<String>,
}

/// A file a run made.
#[derive(Clone, Debug, PartialEq)]
pub struct RunFile {
    pub map: String,
    pub file: String,
    pub hash: String,
    pub bytes: i64,
}

const COLUMNS: &str = "SELECT id, asset, number, kind, status, recipe, created, report, error FROM runs";

fn run_of(row: &SqliteRow) -> Result<Run> {
    let report: Option<String> = row.get(7);
    Ok(Run {
        id: row.get(0),
        asset: row.get(1),
        number: row.get(2),
        kind: RunKind::from_word(row.get(3))?,
        status: RunStatus::from_word(row.get(4))?,
        recipe: from_json("a run's recipe", row.get(5))?,
        created: row.get(6),
        report: report.map(|text| from_json("a report", &text)).transpose()?,
        error: row.get(8),
    })
}

impl Store {
    /// Enters a run in the ledger, waiting to be worked on.
    pub async fn add_run(&self, asset: i64, kind: RunKind, recipe: &Recipe) -> Result<i64> {
        let query = "INSERT INTO runs (asset, number, kind, status, recipe, created)
            SELECT ?1, coalesce(max(number), 0) + 1, ?2, 'waiting', ?3, ?4 FROM runs WHERE asset = ?1";
        let added = sqlx::query(query)
            .bind(asset)
            .bind(kind.word())
            .bind(to_json(recipe))
            .bind(now())
            .execute(&self.pool)
            .await?;
        Ok(added.last_insert_rowid())
    }

    pub async fn run(&self, id: i64) -> Result<Run> {
        let row = sqlx::query(sqlx::AssertSqlSafe(format!("{COLUMNS} WHERE id = ?")))
            .bind(id)
            .fetch_optional(&self.pool)
            .await?;
        run_of(&row.ok_or_else(|| StoreFault::Missing(format!("run {id}")))?)
    }

    /// The asset's runs, newest first.
    pub async fn runs(&self, asset: i64) -> Result<Vec<Run>> {
        let query = sqlx::AssertSqlSafe(format!("{COLUMNS} WHERE asset = ? ORDER BY number DESC LIMIT 200"));
        let rows = sqlx::query(query).bind(asset).fetch_all(&self.pool).await?;
        rows.iter().map(run_of).collect()
    }

    pub async fn set_run_status(&self, id: i64, status: RunStatus, error: Option<&str>) -> Result<()> {
        sqlx::query("UPDATE runs SET status = ?, error = ? WHERE id = ?")
            .bind(status.word())
            .bind(error)
            .bind(id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Closes a run: its files, whose blobs are stored already, its report, and its status, all or nothing.
    pub async fn finish_run(&self, id: i64, report: &Report, files: &[RunFile]) -> Result<()> {
        let mut step = self.pool.begin().await?;
        for file in files {
            sqlx::query("INSERT OR REPLACE INTO run_files (run, map, file, hash, bytes) VALUES (?, ?, ?, ?, ?)")
                .bind(id)
                .bind(&file.map)
                .bind(&file.file)
                .bind(&file.hash)
                .bind(file.bytes)
                .execute(&mut *step)
                .await?;
        }
        sqlx::query("UPDATE runs SET status = 'done', report = ?, error = NULL WHERE id = ?")
            .bind(to_json(report))
            .bind(id)
            .execute(&mut *step)
            .await?;
        step.commit().await?;
        Ok(())
    }

    pub async fn run_files(&self, id: i64) -> Result<Vec<RunFile>> {
        let query = "SELECT map, file, hash, bytes FROM run_files WHERE run = ? ORDER BY map";
        let rows = sqlx::query(query).bind(id).fetch_all(&self.pool).await?;
        Ok(rows.iter().map(|r| RunFile { map: r.get(0), file: r.get(1), hash: r.get(2), bytes: r.get(3) }).collect())
    }

    pub(super) async fn mark_interrupted(&self) -> Result<()> {
        let query = "UPDATE runs SET status = 'interrupted' WHERE status IN ('waiting', 'running')";
        sqlx::query(query).execute(&self.pool).await?;
        Ok(())
    }
}
