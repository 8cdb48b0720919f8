//! Assets and the revisions of their recipes. A revision's number is never used again, so that an edit can say for certain what it
//! was made to.

use super::{Result, Store, StoreFault, now, to_json};
use ember_ridge_core::Recipe;
use sqlx::{Row, SqliteConnection};

/// Steps of an asset that can be undone, at most; the oldest are forgotten beyond that.
pub const MOST_REVISIONS: i64 = 400;

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

fn recipe_of(text: &str) -> Result<Recipe> {
    Recipe::from_json(text).map_err(|e| StoreFault::Damaged(format!("a recipe in the database cannot be read: {e}")))
}

impl Store {
    /// Every asset: its number and name, oldest first.
    pub async fn assets(&self) -> Result<Vec<(i64, String)>> {
        let rows = sqlx::query("SELECT id, name FROM assets ORDER BY id").fetch_all(&self.pool).await?;
        Ok(rows.iter().map(|r| (r.get(0), r.get(1))).collect())
    }

    /// Adds an asset with its first recipe.
    pub async fn add_asset(&self, recipe: &Recipe) -> Result<i64> {
        self.in_one_step(async |step| {
            let id = Store::next(step, "assets").await?;
            sqlx::query("INSERT INTO assets (id, name, created, head) VALUES (?, ?, ?, 0)")
                .bind(id)
                .bind(&recipe.asset)
                .bind(now())
                .execute(&mut *step)
                .await?;
            sqlx::query("INSERT INTO revisions (asset, number, label, recipe) VALUES (?, 0, 'new asset', ?)")
                .bind(id)
                .bind(to_json(recipe))
                .execute(&mut *step)
                .await?;
            Ok(id)
        })
        .await
    }

    pub async fn asset(&self, id: i64) -> Result<Asset> {
        let query = "SELECT a.name, a.head, r.recipe, r.label, p.number, n.label
            FROM assets a JOIN revisions r ON r.asset = a.id AND r.number = a.head
            LEFT JOIN revisions p ON p.asset = a.id AND p.number = r.parent
            LEFT JOIN revisions n ON n.asset = a.id AND n.number = r.next WHERE a.id = ?";
        let row = sqlx::query(query).bind(id).fetch_optional(&self.pool).await?;
        let row = row.ok_or_else(|| StoreFault::Missing(format!("asset {id}")))?;
        let before: Option<i64> = row.get(4);
        Ok(Asset {
            id,
            name: row.get(0),
            recipe: recipe_of(row.get(2))?,
            head: row.get(1),
            undo: before.map(|_| row.get(3)),
            redo: row.get(5),
        })
    }

    /// # Errors
    /// [`StoreFault::Missing`] when there is no such asset. Its recipe need not be readable.
    pub async fn asset_exists(&self, id: i64) -> Result<()> {
        let row = sqlx::query("SELECT 1 FROM assets WHERE id = ?").bind(id).fetch_optional(&self.pool).await?;
        row.map(drop).ok_or_else(|| StoreFault::Missing(format!("asset {id}")))
    }

    /// The recipe of one of an asset's revisions; None when it is forgotten or never was.
    pub async fn revision(&self, id: i64, number: i64) -> Result<Option<Recipe>> {
        let query = "SELECT recipe FROM revisions WHERE asset = ? AND number = ?";
        let row = sqlx::query(query).bind(id).bind(number).fetch_optional(&self.pool).await?;
        row.map(|r| recipe_of(r.get(0))).transpose()
    }

    /// Makes `recipe` the asset's next revision, under a number never used before. `base` is the revision it was edited from; undone
    /// steps cannot be redone after it.
    ///
    /// # Errors
    /// [`StoreFault::Stale`] when the asset has moved on from `base`.
    pub async fn revise(&self, id: i64, base: i64, label: &str, recipe: &Recipe) -> Result<()> {
        self.in_one_step(async |step| {
            let moved =
                sqlx::query("UPDATE assets SET last = last + 1, head = last + 1, name = ? WHERE id = ? AND head = ?")
                    .bind(&recipe.asset)
                    .bind(id)
                    .bind(base)
                    .execute(&mut *step)
                    .await?;
            if moved.rows_affected() == 0 {
                let now =
                    sqlx::query("SELECT head FROM assets WHERE id = ?").bind(id).fetch_optional(&mut *step).await?;
                let now = now.ok_or_else(|| StoreFault::Missing(format!("asset {id}")))?.get(0);
                return Err(StoreFault::Stale { base, now });
            }
            let number: i64 =
                sqlx::query("SELECT head FROM assets WHERE id = ?").bind(id).fetch_one(&mut *step).await?.get(0);
            sqlx::query("INSERT INTO revisions (asset, number, label, recipe, parent) VALUES (?, ?, ?, ?, ?)")
                .bind(id)
                .bind(number)
                .bind(label)
                .bind(to_json(recipe))
                .bind(base)
                .execute(&mut *step)
                .await?;
            sqlx::query("UPDATE revisions SET next = ? WHERE asset = ? AND number = ?")
                .bind(number)
                .bind(id)
                .bind(base)
                .execute(&mut *step)
                .await?;
            forget_old(step, id, number).await?;
            Ok(())
        })
        .await
    }

    /// Steps the asset back to the revision it came from; stays where it is at the first.
    pub async fn undo(&self, id: i64) -> Result<()> {
        self.step_to(id, "parent").await
    }

    /// Steps the asset forth to the revision that was undone last; stays where it is when there is none.
    pub async fn redo(&self, id: i64) -> Result<()> {
        self.step_to(id, "next").await
    }

    async fn step_to(&self, id: i64, way: &'static str) -> Result<()> {
        let query = format!(
            "UPDATE assets SET (head, name) = (
                SELECT t.number, json_extract(t.recipe, '$.asset') FROM revisions h
                JOIN revisions t ON t.asset = h.asset AND t.number = h.{way}
                WHERE h.asset = assets.id AND h.number = assets.head)
            WHERE id = ? AND EXISTS (
                SELECT 1 FROM revisions h JOIN revisions t ON t.asset = h.asset AND t.number = h.{way}
                WHERE h.asset = assets.id AND h.number = assets.head)"
        );
        sqlx::query(sqlx::AssertSqlSafe(query)).bind(id).execute(&self.pool).await?;
        Ok(())
    }
}

/// Forgets revisions so old that nobody undoes to them. Numbers rise with time, whatever was undone between.
async fn forget_old(step: &mut SqliteConnection, id: i64, newest: i64) -> Result<()> {
    sqlx::query("DELETE FROM revisions WHERE asset = ? AND number <= ?")
        .bind(id)
        .bind(newest - MOST_REVISIONS)
        .execute(step)
        .await?;
    Ok(())
}
