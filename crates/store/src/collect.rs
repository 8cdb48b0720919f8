//! Taking back room: runs and assets are deleted with what only they name, proofs age out, and blobs that nothing names go.

use super::{Result, Store};
use futures::TryStreamExt;
use sqlx::Row;
use std::collections::HashSet;
use std::sync::Arc;

/// Proofs of an asset that are kept; the oldest go first. Finals, and what has a star, never go by themselves.
pub const MOST_PROOFS: i64 = 100;

/// Hashes that a text of JSON names: words of 64 hexadecimal digits.
fn hashes_in(text: &str) -> impl Iterator<Item = &str> {
    text.split('"').filter(|w| w.len() == 64 && w.bytes().all(|b| b.is_ascii_hexdigit()))
}

impl Store {
    /// Deletes a run and its files. The blobs go with the next [`Store::collect`].
    pub async fn delete_run(&self, id: i64) -> Result<()> {
        sqlx::query("DELETE FROM runs WHERE id = ?").bind(id).execute(&self.pool).await?;
        self.drop_place(id);
        Ok(())
    }

    /// Deletes an asset with its revisions and runs. The blobs go with the next [`Store::collect`].
    pub async fn delete_asset(&self, id: i64) -> Result<()> {
        sqlx::query("DELETE FROM assets WHERE id = ?").bind(id).execute(&self.pool).await?;
        self.tidy_places().await?;
        Ok(())
    }

    /// Bytes of blobs that only this run names, and of its tiles.
    pub async fn run_frees(&self, id: i64) -> Result<u64> {
        let kept =
            self.named("SELECT recipe FROM runs WHERE id <> ?", "SELECT recipe FROM revisions WHERE ? IS NOT NULL", id);
        let kept = self.with_files(kept.await?, "SELECT hash FROM run_files WHERE run <> ?", id).await?;
        let own =
            self.named("SELECT recipe FROM runs WHERE id = ?", "SELECT recipe FROM runs WHERE id = ?", id).await?;
        let own = self.with_files(own, "SELECT hash FROM run_files WHERE run = ?", id).await?;
        Ok(self.blobs.bytes_of(own.difference(&kept).map(String::as_str)) + self.tile_bytes(id))
    }

    /// Bytes of blobs that only this asset names, and of the tiles of its runs.
    pub async fn asset_frees(&self, id: i64) -> Result<u64> {
        let files =
            |not: &str| format!("SELECT f.hash FROM run_files f JOIN runs r ON r.id = f.run WHERE r.asset {not} ?");
        let texts = |not: &str| {
            let of = |table: &str| format!("SELECT recipe FROM {table} WHERE asset {not} ?");
            (of("runs"), of("revisions"))
        };
        let ((runs, revisions), (own_runs, own_revisions)) = (texts("<>"), texts("="));
        let kept = self.with_files(self.named(&runs, &revisions, id).await?, &files("<>"), id).await?;
        let own = self.with_files(self.named(&own_runs, &own_revisions, id).await?, &files("="), id).await?;
        let runs = sqlx::query("SELECT id FROM runs WHERE asset = ?").bind(id).fetch_all(&self.pool).await?;
        let tiles: u64 = runs.iter().map(|run| self.tile_bytes(run.get(0))).sum();
        Ok(self.blobs.bytes_of(own.difference(&kept).map(String::as_str)) + tiles)
    }

    /// Hashes that the recipes of two questions name.
    async fn named(&self, one: &str, other: &str, id: i64) -> Result<HashSet<String>> {
        let mut names = HashSet::new();
        for query in [one, other] {
            // One recipe at a time: with every stroke that was painted they are large, and there are hundreds.
            let mut rows = sqlx::query(sqlx::AssertSqlSafe(query.to_owned())).bind(id).fetch(&self.pool);
            while let Some(row) = rows.try_next().await? {
                names.extend(hashes_in(row.get(0)).map(str::to_owned));
            }
        }
        Ok(names)
    }

    async fn with_files(&self, mut names: HashSet<String>, query: &str, id: i64) -> Result<HashSet<String>> {
        let rows = sqlx::query(sqlx::AssertSqlSafe(query.to_owned())).bind(id).fetch_all(&self.pool).await?;
        names.extend(rows.iter().map(|r| r.get::<String, _>(0)));
        Ok(names)
    }

    /// Deletes proofs beyond [`MOST_PROOFS`], and beyond `most` bytes over all assets, oldest first; how many there were. What waits, runs or
    /// has a star stays, and so does the newest proof of each asset.
    pub async fn age_proofs(&self, most: i64) -> Result<u64> {
        let query = "DELETE FROM runs WHERE id IN (
            SELECT id FROM (
                SELECT r.id,
                    row_number() OVER (PARTITION BY r.asset ORDER BY r.number DESC) AS place,
                    sum(coalesce(f.bytes, 0)) OVER (ORDER BY r.id DESC) AS bytes
                FROM runs r LEFT JOIN (SELECT run, sum(bytes) AS bytes FROM run_files GROUP BY run) f ON f.run = r.id
                WHERE r.kind = 'proof' AND NOT r.starred AND r.status NOT IN ('waiting', 'running'))
            WHERE place > ? OR (bytes > ? AND place > 1))";
        let gone = sqlx::query(query).bind(MOST_PROOFS).bind(most).execute(&self.pool).await?;
        Ok(gone.rows_affected())
    }

    /// Removes blobs that no revision and no run names; how many bytes that freed. Does nothing while something is being named.
    pub async fn collect(&self) -> Result<u64> {
        let Ok(_alone) = self.naming.try_write() else { return Ok(0) };
        let texts = ("SELECT recipe FROM runs WHERE ? IS NOT NULL", "SELECT recipe FROM revisions WHERE ? IS NOT NULL");
        let named = self.named(texts.0, texts.1, 0).await?;
        let named = self.with_files(named, "SELECT hash FROM run_files WHERE ? IS NOT NULL", 0).await?;
        let named = Arc::new(named);
        let (blobs, there) = (self.blobs.clone(), named.clone());
        let freed = tokio::task::spawn_blocking(move || blobs.keep_only(&there)).await;
        let freed = freed.map_err(|_| super::StoreFault::Damaged("blobs could not be looked through".into()))??;
        let rows = sqlx::query("SELECT DISTINCT hash FROM meshes").fetch_all(&self.pool).await?;
        for hash in rows.iter().map(|r| r.get::<String, _>(0)).filter(|h| !named.contains(h)) {
            sqlx::query("DELETE FROM meshes WHERE hash = ?").bind(hash).execute(&self.pool).await?;
        }
        Ok(freed)
    }
}
