//! What was delivered: a line for every delivery that was put in its place.

use super::{Result, Store, StoreFault, from_json, now, to_json};
use serde::Serialize;
use serde::de::DeserializeOwned;
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// A delivery, with what is told of it.
#[derive(Clone, Debug, PartialEq)]
pub struct DeliveryLine<T> {
    pub id: i64,
    pub asset: i64,
    /// Number of its run within the asset.
    pub run: i64,
    /// Below the folder that deliveries go to, with `/`.
    pub folder: String,
    /// Counted from 1 within its folder.
    pub version: u32,
    /// Seconds since 1970.
    pub made: i64,
    pub told: T,
}

const LINE: &str = "SELECT id, asset, run, folder, version, made, told FROM deliveries";

/// Deliveries of an asset that are listed, at most.
const MOST_LISTED: u32 = 50;

impl Store {
    /// Remembers a delivery; its number, and when that was, seconds since 1970.
    pub async fn add_delivery(
        &self,
        asset: i64,
        run: i64,
        folder: &str,
        version: u32,
        told: &(impl Serialize + Sync),
    ) -> Result<(i64, i64)> {
        let made = now();
        let query = "INSERT INTO deliveries (asset, run, folder, version, made, told) VALUES (?, ?, ?, ?, ?, ?)";
        let added = sqlx::query(query)
            .bind(asset)
            .bind(run)
            .bind(folder)
            .bind(version)
            .bind(made)
            .bind(to_json(told))
            .execute(&self.pool)
            .await?;
        Ok((added.last_insert_rowid(), made))
    }

    /// The newest deliveries of an asset, newest first.
    pub async fn deliveries<T: DeserializeOwned>(&self, asset: i64) -> Result<Vec<DeliveryLine<T>>> {
        let query = sqlx::AssertSqlSafe(format!("{LINE} WHERE asset = ? ORDER BY id DESC LIMIT {MOST_LISTED}"));
        sqlx::query(query).bind(asset).fetch_all(&self.pool).await?.iter().map(line_of).collect()
    }

    /// One delivery.
    ///
    /// # Errors
    /// There is none of this number.
    pub async fn delivery<T: DeserializeOwned>(&self, id: i64) -> Result<DeliveryLine<T>> {
        let query = sqlx::AssertSqlSafe(format!("{LINE} WHERE id = ?"));
        let row = sqlx::query(query).bind(id).fetch_optional(&self.pool).await?;
        line_of(&row.ok_or(StoreFault::Missing("such delivery".to_owned()))?)
    }
}

fn line_of<T: DeserializeOwned>(row: &SqliteRow) -> Result<DeliveryLine<T>> {
    Ok(DeliveryLine {
        id: row.get("id"),
        asset: row.get("asset"),
        run: row.get("run"),
        folder: row.get("folder"),
        version: row.get("version"),
        made: row.get("made"),
        told: from_json("a delivery", row.get("told"))?,
    })
}
