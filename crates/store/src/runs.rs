//! The ledger: every run with the exact recipe that made it.

use super::clusters::OnCluster;
use super::ledger::kind_word;
use super::queue::LAST_TURN;
use super::{Result, Store, StoreFault, from_json, now, to_json};
use ember_ridge_core::bake::Report;
use ember_ridge_core::{Recipe, Severity};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};
use std::collections::BTreeSet;

/// A quick bake to judge, the one to keep, or maps that another program made.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum RunKind {
    Proof,
    Final,
    Imported,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum RunStatus {
    Waiting,
    Running,
    Done,
    /// Done, but for maps that failed.
    Partial,
    Stopped,
    Failed,
    /// The program ended again and again while it ran.
    Interrupted,
}

macro_rules! stored_as_word {
    ($type:ty { $($value:ident => $word:literal),+ }) => {
        impl $type {
            pub(super) fn word(self) -> &'static str {
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

stored_as_word!(RunKind { Proof => "proof", Final => "final", Imported => "imported" });
stored_as_word!(RunStatus {
    Waiting => "waiting", Running => "running", Done => "done", Partial => "partial",
    Stopped => "stopped", Failed => "failed", Interrupted => "interrupted"
});

impl RunStatus {
    /// True when its maps are there, all or some.
    pub fn has_maps(self) -> bool {
        matches!(self, RunStatus::Done | RunStatus::Partial)
    }
}

/// One line of the ledger, without the recipe and the report.
#[derive(Clone, Debug, PartialEq)]
pub struct RunLine {
    pub id: i64,
    pub asset: i64,
    /// Counts from 1 within the asset.
    pub number: i64,
    pub kind: RunKind,
    pub status: RunStatus,
    /// Seconds since 1970.
    pub created: i64,
    pub error: Option<String>,
    pub size: u32,
    pub samples: u32,
    /// What differs from the run before, in words.
    pub changes: Vec<String>,
    /// Ids of the maps that were made.
    pub maps: Vec<String>,
    pub failed_maps: u32,
    /// Findings that are more than notes.
    pub findings: u32,
    pub seconds: Option<f64>,
    /// Of the maps' files.
    pub bytes: i64,
    /// It waits until it is let go on.
    pub held: bool,
    /// What a person calls it; empty where nobody does.
    pub name: String,
    /// It does not age out.
    pub starred: bool,
    /// What it is a region of, in words; none where it is all of its sheets.
    pub region: Option<String>,
    /// Where it is, or was, baked besides this machine.
    pub cluster: Option<OnCluster>,
}

/// A run with all that is known of it.
#[derive(Clone, Debug)]
pub struct Run {
    pub line: RunLine,
    pub recipe: Recipe,
    pub report: Option<Report>,
}

/// A file that a run made.
#[derive(Clone, Debug, PartialEq)]
pub struct RunFile {
    pub map: String,
    pub file: String,
    pub hash: String,
    pub bytes: i64,
}

pub(super) const LINE: &str =
    "SELECT id, asset, number, kind, status, created, error, size, samples, changes, maps, failed_maps, findings,
    seconds, bytes, held, name, starred, region, cluster, recipe, report FROM runs";

/// A line whose words are not known is shown as failed, and says so: it hides no other.
pub(super) fn line_of(row: &SqliteRow) -> RunLine {
    let words = |column: &str| serde_json::from_str(row.get(column)).unwrap_or_default();
    let (kind, status) = (RunKind::from_word(row.get("kind")), RunStatus::from_word(row.get("status")));
    let fault = kind.as_ref().err().or(status.as_ref().err()).map(ToString::to_string);
    RunLine {
        id: row.get("id"),
        asset: row.get("asset"),
        number: row.get("number"),
        kind: kind.unwrap_or(RunKind::Proof),
        status: status.unwrap_or(RunStatus::Failed),
        created: row.get("created"),
        error: fault.or_else(|| row.get("error")),
        size: row.get("size"),
        samples: row.get("samples"),
        changes: words("changes"),
        maps: words("maps"),
        failed_maps: row.get("failed_maps"),
        findings: row.get("findings"),
        seconds: row.get("seconds"),
        bytes: row.get("bytes"),
        held: row.get("held"),
        name: row.get("name"),
        starred: row.get("starred"),
        region: row.get("region"),
        cluster: OnCluster::read(row.get("cluster")),
    }
}

fn run_of(row: &SqliteRow) -> Result<Run> {
    let report: Option<String> = row.get("report");
    let recipe = Recipe::from_json(row.get("recipe"))
        .map_err(|e| StoreFault::Damaged(format!("the run's recipe in the database cannot be read: {e}")))?;
    Ok(Run { line: line_of(row), recipe, report: report.map(|text| from_json("a report", &text)).transpose()? })
}

impl Store {
    /// Enters a run in the ledger, waiting to be worked on. `changes` tells in words what differs from the run before.
    pub async fn add_run(&self, asset: i64, kind: RunKind, recipe: &Recipe, changes: &[String]) -> Result<i64> {
        self.in_one_step(async |step| Store::enter_run(step, asset, kind, recipe, changes).await).await
    }

    /// Enters maps that another program made as a run that is done, all or nothing.
    pub async fn add_imported(&self, asset: i64, report: &Report, files: &[RunFile], told: &[String]) -> Result<i64> {
        self.in_one_step(async |step| {
            let id = Store::enter_run(step, asset, RunKind::Imported, &report.recipe, told).await?;
            Store::close_run(step, id, report, files).await?;
            Ok(id)
        })
        .await
    }

    pub(super) async fn enter_run(
        step: &mut SqliteConnection,
        asset: i64,
        kind: RunKind,
        recipe: &Recipe,
        changes: &[String],
    ) -> Result<i64> {
        let id = Store::next(step, "runs").await?;
        let number = Store::next(step, &format!("run/{asset}")).await?;
        let query =
            "INSERT INTO runs (id, asset, number, kind, status, recipe, created, size, samples, changes, region, turn)
            VALUES (?, ?, ?, ?, 'waiting', ?, ?, ?, ?, ?, ?, ";
        sqlx::query(sqlx::AssertSqlSafe(format!("{query}{LAST_TURN})")))
            .bind(id)
            .bind(asset)
            .bind(number)
            .bind(kind.word())
            .bind(to_json(recipe))
            .bind(now())
            .bind(recipe.sheet.size)
            .bind(recipe.sheet.samples)
            .bind(to_json(&changes))
            .bind(recipe.region.as_ref().map(|region| region.words(recipe.sheet.size)))
            .execute(&mut *step)
            .await?;
        Ok(id)
    }

    pub async fn run(&self, id: i64) -> Result<Run> {
        run_of(&self.run_row(id).await?)
    }

    pub async fn run_line(&self, id: i64) -> Result<RunLine> {
        Ok(line_of(&self.run_row(id).await?))
    }

    /// The run of an asset that has a number there.
    pub async fn run_numbered(&self, asset: i64, number: i64) -> Result<Run> {
        let query = sqlx::AssertSqlSafe(format!("{LINE} WHERE asset = ? AND number = ?"));
        let row = sqlx::query(query).bind(asset).bind(number).fetch_optional(&self.pool).await?;
        run_of(&row.ok_or_else(|| StoreFault::Missing(format!("run {number} of this asset")))?)
    }

    async fn run_row(&self, id: i64) -> Result<SqliteRow> {
        let query = sqlx::AssertSqlSafe(format!("{LINE} WHERE id = ?"));
        let row = sqlx::query(query).bind(id).fetch_optional(&self.pool).await?;
        row.ok_or_else(|| StoreFault::Missing(format!("run {id}")))
    }

    /// How many runs an asset has, and the bytes of their maps.
    pub async fn run_totals(&self, asset: i64) -> Result<(i64, i64)> {
        let query = "SELECT count(*), coalesce(sum(bytes), 0) FROM runs WHERE asset = ?";
        let row = sqlx::query(query).bind(asset).fetch_one(&self.pool).await?;
        Ok((row.get(0), row.get(1)))
    }

    /// The newest run of an asset that fits, with all that is known of it; one that cannot be read is passed over, and so are maps that
    /// another program made where no kind is asked for.
    pub async fn newest_run(&self, asset: i64, kind: Option<RunKind>, with_maps: bool) -> Result<Option<Run>> {
        let query = format!(
            "{LINE} WHERE asset = ? AND (kind = ? OR ? IS NULL AND kind != 'imported') AND (NOT ? OR status IN ('done', 'partial'))
            ORDER BY number DESC LIMIT 3"
        );
        let kind = kind.map(RunKind::word);
        let query = sqlx::query(sqlx::AssertSqlSafe(query)).bind(asset).bind(kind).bind(kind).bind(with_maps);
        Ok(query.fetch_all(&self.pool).await?.iter().find_map(|row| run_of(row).ok()))
    }

    /// Runs of an asset that wait or are worked on.
    pub async fn open_runs(&self, asset: i64) -> Result<Vec<RunLine>> {
        let query = sqlx::AssertSqlSafe(format!("{LINE} WHERE asset = ? AND status IN ('waiting', 'running')"));
        let rows = sqlx::query(query).bind(asset).fetch_all(&self.pool).await?;
        Ok(rows.iter().map(line_of).collect())
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

    /// Keeps small pictures of what a run that was stopped had made by then.
    pub async fn keep_pictures(&self, id: i64, files: &[RunFile]) -> Result<()> {
        self.in_one_step(async |step| Store::put_files(step, id, files).await).await
    }

    async fn put_files(step: &mut SqliteConnection, id: i64, files: &[RunFile]) -> Result<()> {
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
        Ok(())
    }

    /// Closes a run: its files, whose blobs are stored already, its report, and its status, all or nothing.
    pub async fn finish_run(&self, id: i64, report: &Report, files: &[RunFile]) -> Result<()> {
        self.in_one_step(async |step| Store::close_run(step, id, report, files).await).await
    }

    async fn close_run(step: &mut SqliteConnection, id: i64, report: &Report, files: &[RunFile]) -> Result<()> {
        Store::put_files(step, id, files).await?;
        let made: Vec<&str> = report.maps.iter().filter(|(_, m)| m.error.is_none()).map(|(id, _)| &**id).collect();
        let failed = report.maps.len() - made.len();
        let status = if failed == 0 { RunStatus::Done } else { RunStatus::Partial };
        let grave = report.findings.iter().filter(|f| f.severity != Severity::Note).count();
        let bytes: i64 = files.iter().filter(|f| !f.file.is_empty()).map(|f| f.bytes).sum();
        let found: BTreeSet<_> = report.findings.iter().map(|f| kind_word(f.kind)).collect();
        let query = "UPDATE runs SET status = ?, report = ?, error = NULL, maps = ?, failed_maps = ?, findings = ?, seconds = ?,
                bytes = ?, found = ? WHERE id = ?";
        sqlx::query(query)
            .bind(status.word())
            .bind(to_json(report))
            .bind(to_json(&made))
            .bind(failed as i64)
            .bind(grave as i64)
            .bind(report.seconds)
            .bind(bytes)
            .bind(to_json(&found))
            .bind(id)
            .execute(&mut *step)
            .await?;
        Ok(())
    }

    /// Small pictures of these runs, as the map's name and the blob's hash by run.
    pub async fn small_pictures(&self, asset: i64, from: i64, to: i64) -> Result<Vec<(i64, String, String)>> {
        let query = "SELECT f.run, substr(f.map, 7), f.hash FROM run_files f JOIN runs r ON r.id = f.run
            WHERE r.asset = ? AND r.number BETWEEN ? AND ? AND f.map LIKE 'small/%' ORDER BY f.map";
        let rows = sqlx::query(query).bind(asset).bind(from).bind(to).fetch_all(&self.pool).await?;
        Ok(rows.iter().map(|r| (r.get(0), r.get(1), r.get(2))).collect())
    }

    /// The file of this hash, when a run has one.
    pub async fn file_by_hash(&self, hash: &str) -> Result<Option<RunFile>> {
        let query = "SELECT map, file, hash, bytes FROM run_files WHERE hash = ? LIMIT 1";
        let row = sqlx::query(query).bind(hash).fetch_optional(&self.pool).await?;
        Ok(row.map(|r| RunFile { map: r.get(0), file: r.get(1), hash: r.get(2), bytes: r.get(3) }))
    }

    pub async fn run_files(&self, id: i64) -> Result<Vec<RunFile>> {
        let query = "SELECT map, file, hash, bytes FROM run_files WHERE run = ? ORDER BY map";
        let rows = sqlx::query(query).bind(id).fetch_all(&self.pool).await?;
        Ok(rows.iter().map(|r| RunFile { map: r.get(0), file: r.get(1), hash: r.get(2), bytes: r.get(3) }).collect())
    }
}
