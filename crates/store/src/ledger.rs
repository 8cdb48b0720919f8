//! The ledger as it is read and written in: runs by what they are found by, names, stars, and what a run was made from.

use super::runs::{LINE, RunKind, RunLine, line_of};
use super::{Result, Store};
use ember_ridge_core::{FindingKind, Recipe};
use sqlx::Row;

/// Which runs are wanted; all of them where nothing is said.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct RunFilter {
    pub kind: Option<RunKind>,
    /// A map that was made, as a recipe names it.
    pub map: Option<String>,
    pub finding: Option<FindingKind>,
    pub starred: bool,
}

/// What the runs of an asset can be found by.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct FoundBy {
    pub maps: Vec<String>,
    /// As reports name the kinds of findings.
    pub findings: Vec<FindingKind>,
}

/// The name of a kind in reports.
pub(super) fn kind_word(kind: FindingKind) -> String {
    serde_json::to_value(kind).ok().and_then(|word| word.as_str().map(str::to_owned)).unwrap_or_default()
}

impl Store {
    /// The asset's runs that are wanted, newest first: at most `most` of those whose number is below `before`.
    pub async fn runs(&self, asset: i64, before: Option<i64>, most: u32, wanted: &RunFilter) -> Result<Vec<RunLine>> {
        let line = LINE.replace(", recipe, report", "");
        let query = sqlx::AssertSqlSafe(format!(
            "{line} WHERE asset = ? AND number < ? AND (? IS NULL OR kind = ?) AND (NOT ? OR starred)
            AND (? IS NULL OR EXISTS (SELECT 1 FROM json_each(runs.maps) WHERE value = ?))
            AND (? IS NULL OR EXISTS (SELECT 1 FROM json_each(runs.found) WHERE value = ?))
            ORDER BY number DESC LIMIT ?"
        ));
        let (kind, finding) = (wanted.kind.map(RunKind::word), wanted.finding.map(kind_word));
        let query = sqlx::query(query).bind(asset).bind(before.unwrap_or(i64::MAX)).bind(kind).bind(kind);
        let query = query.bind(wanted.starred).bind(&wanted.map).bind(&wanted.map).bind(&finding).bind(&finding);
        let rows = query.bind(most).fetch_all(&self.pool).await?;
        Ok(rows.iter().map(line_of).collect())
    }

    /// What an asset's runs can be found by, each once.
    pub async fn found_by(&self, asset: i64) -> Result<FoundBy> {
        let all = async |column: &str| -> Result<Vec<String>> {
            let query =
                format!("SELECT DISTINCT value FROM runs, json_each(runs.{column}) WHERE asset = ? ORDER BY value");
            let rows = sqlx::query(sqlx::AssertSqlSafe(query)).bind(asset).fetch_all(&self.pool).await?;
            Ok(rows.iter().map(|row| row.get(0)).collect())
        };
        let kinds = all("found").await?;
        // A kind that a later version knows is passed over.
        let known = |word: &String| serde_json::from_value(word.as_str().into()).ok();
        Ok(FoundBy { maps: all("maps").await?, findings: kinds.iter().filter_map(known).collect() })
    }

    /// Names a run; an empty name takes it away.
    pub async fn name_run(&self, id: i64, name: &str) -> Result<()> {
        sqlx::query("UPDATE runs SET name = ? WHERE id = ?").bind(name).bind(id).execute(&self.pool).await?;
        Ok(())
    }

    /// Gives a run a star, or takes it.
    pub async fn star_run(&self, id: i64, starred: bool) -> Result<()> {
        sqlx::query("UPDATE runs SET starred = ? WHERE id = ?").bind(starred).bind(id).execute(&self.pool).await?;
        Ok(())
    }

    /// Remembers which revision of its asset a run was made from.
    pub async fn made_from(&self, id: i64, revision: Option<i64>) -> Result<()> {
        sqlx::query("UPDATE runs SET revision = ? WHERE id = ?").bind(revision).bind(id).execute(&self.pool).await?;
        Ok(())
    }

    /// The revision of its asset that a run was made from; none where it is not known.
    pub async fn revision_of_run(&self, id: i64) -> Result<Option<i64>> {
        let row = sqlx::query("SELECT revision FROM runs WHERE id = ?").bind(id).fetch_optional(&self.pool).await?;
        Ok(row.and_then(|row| row.get(0)))
    }

    /// The recipe of the asset's revision that a run was made from, while it is remembered.
    pub async fn recipe_before_run(&self, asset: i64, id: i64) -> Result<Option<Recipe>> {
        match self.revision_of_run(id).await? {
            Some(revision) => self.revision(asset, revision).await,
            None => Ok(None),
        }
    }

    /// Bytes of proofs of all assets that may age out.
    pub async fn proof_bytes(&self) -> Result<i64> {
        let query = "SELECT coalesce(sum(f.bytes), 0) FROM run_files f JOIN runs r ON r.id = f.run
            WHERE r.kind = 'proof' AND NOT r.starred";
        Ok(sqlx::query(query).fetch_one(&self.pool).await?.get(0))
    }
}
