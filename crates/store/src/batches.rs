//! Assets that are baked one after the other and delivered by one profile.

use super::{Result, Store, from_json, now, to_json};
use serde::Serialize;
use serde::de::DeserializeOwned;
use sqlx::Row;

/// An asset of a batch.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct BatchLine {
    pub asset: i64,
    /// Below the folder that deliveries go to, with `/`.
    pub folder: String,
    /// None where it could not be baked.
    pub run: Option<i64>,
    /// Nothing had changed since that run, and since its delivery where there is a profile.
    pub unchanged: bool,
    pub delivery: Option<i64>,
    /// Why it could not be baked or delivered.
    pub fault: Option<String>,
}

/// A batch, with its profile.
#[derive(Clone, Debug, PartialEq)]
pub struct Batch<P> {
    pub id: i64,
    /// Seconds since 1970.
    pub made: i64,
    /// None where nothing is delivered.
    pub profile: Option<P>,
    /// In the order in which they were asked for.
    pub lines: Vec<BatchLine>,
}

/// A run of a batch that is done and not delivered yet.
#[derive(Clone, Debug, PartialEq)]
pub struct Undelivered<P> {
    pub batch: i64,
    pub place: i64,
    pub asset: i64,
    pub run: i64,
    pub folder: String,
    pub profile: P,
}

impl Store {
    /// Enters a batch; its number.
    pub async fn add_batch(&self, profile: Option<&(impl Serialize + Sync)>, lines: &[BatchLine]) -> Result<i64> {
        self.in_one_step(async |step| {
            let query = sqlx::query("INSERT INTO batches (made, profile) VALUES (?, ?)");
            let added = query.bind(now()).bind(profile.map(|profile| to_json(profile))).execute(&mut *step).await?;
            let id = added.last_insert_rowid();
            for (place, line) in lines.iter().enumerate() {
                let query = "INSERT INTO batch_lines (batch, place, asset, folder, run, unchanged, delivery, fault)
                    VALUES (?, ?, ?, ?, ?, ?, ?, ?)";
                sqlx::query(query)
                    .bind(id)
                    .bind(place as i64)
                    .bind(line.asset)
                    .bind(&line.folder)
                    .bind(line.run)
                    .bind(line.unchanged)
                    .bind(line.delivery)
                    .bind(&line.fault)
                    .execute(&mut *step)
                    .await?;
            }
            Ok(id)
        })
        .await
    }

    /// The newest batches, newest first.
    pub async fn batches<P: DeserializeOwned>(&self, most: u32) -> Result<Vec<Batch<P>>> {
        let query = "SELECT id, made, profile FROM batches ORDER BY id DESC LIMIT ?";
        let mut found = Vec::new();
        for row in sqlx::query(query).bind(most).fetch_all(&self.pool).await? {
            let id = row.get("id");
            let query =
                "SELECT asset, folder, run, unchanged, delivery, fault FROM batch_lines WHERE batch = ? ORDER BY place";
            let lines = sqlx::query(query).bind(id).fetch_all(&self.pool).await?;
            let line = |row: &sqlx::sqlite::SqliteRow| BatchLine {
                asset: row.get("asset"),
                folder: row.get("folder"),
                run: row.get("run"),
                unchanged: row.get("unchanged"),
                delivery: row.get("delivery"),
                fault: row.get("fault"),
            };
            let profile: Option<String> = row.get("profile");
            let profile = profile.map(|text| from_json("a batch's profile", &text)).transpose()?;
            found.push(Batch { id, made: row.get("made"), profile, lines: lines.iter().map(line).collect() });
        }
        Ok(found)
    }

    /// Runs of batches that are done and not delivered yet, oldest batch first.
    pub async fn undelivered<P: DeserializeOwned>(&self) -> Result<Vec<Undelivered<P>>> {
        let query = "SELECT l.batch, l.place, l.asset, l.run, l.folder, b.profile
            FROM batch_lines l JOIN batches b ON b.id = l.batch JOIN runs r ON r.id = l.run
            WHERE b.profile IS NOT NULL AND NOT l.unchanged AND l.delivery IS NULL AND l.fault IS NULL
            AND r.status IN ('done', 'partial') ORDER BY l.batch, l.place";
        let found = |row: &sqlx::sqlite::SqliteRow| {
            Ok(Undelivered {
                batch: row.get("batch"),
                place: row.get("place"),
                asset: row.get("asset"),
                run: row.get("run"),
                folder: row.get("folder"),
                profile: from_json("a batch's profile", row.get("profile"))?,
            })
        };
        sqlx::query(query).fetch_all(&self.pool).await?.iter().map(found).collect()
    }

    /// Tells how the delivery of a batch's line ended: its number, or why there is none.
    pub async fn end_delivery(&self, batch: i64, place: i64, ended: std::result::Result<i64, &str>) -> Result<()> {
        let query = "UPDATE batch_lines SET delivery = ?, fault = ? WHERE batch = ? AND place = ?";
        sqlx::query(query).bind(ended.ok()).bind(ended.err()).bind(batch).bind(place).execute(&self.pool).await?;
        Ok(())
    }
}
