//! Runs that wait, in order, and the places where unfinished runs keep their finished tiles: both outlast the program.

use super::runs::{LINE, line_of};
use super::{Result, RunLine, Store};
use sqlx::Row;
use std::collections::HashSet;
use std::path::PathBuf;

/// How often the program may end while a run is worked on, without a tile more, before the run is left alone. A busy machine may need
/// many short starts for its first tile, so this is far above what a few kills in a row come to; it is there to end a loop of crashes.
const MOST_CUT_OFFS: i64 = 24;
const LEFT_ALONE: &str = "the program ended again and again while this run was worked on. Free some memory, bake a smaller \
    sheet or fewer maps, or let it go on";

/// The place behind all others that wait.
pub(super) const LAST_TURN: &str =
    "(SELECT coalesce(max(coalesce(turn, id)), 0) + 1 FROM runs WHERE status IN ('waiting', 'running'))";

impl Store {
    /// The folder that a run keeps its finished tiles in while it is unfinished.
    pub fn run_place(&self, id: i64) -> PathBuf {
        self.places.join(id.to_string())
    }

    /// The file of a run's finished tiles.
    pub fn run_tiles(&self, id: i64) -> PathBuf {
        self.run_place(id).join("tiles")
    }

    /// Bytes of the tiles that an unfinished run has finished.
    pub fn tile_bytes(&self, id: i64) -> u64 {
        std::fs::metadata(self.run_tiles(id)).map_or(0, |about| about.len())
    }

    /// Removes the tiles of a run. What cannot be removed now goes at the next start.
    pub fn drop_place(&self, id: i64) {
        let _ = std::fs::remove_dir_all(self.run_place(id));
    }

    /// Runs that wait, in their order.
    pub async fn queue(&self) -> Result<Vec<RunLine>> {
        let query = sqlx::AssertSqlSafe(format!("{LINE} WHERE status = 'waiting' ORDER BY coalesce(turn, id), id"));
        Ok(sqlx::query(query).fetch_all(&self.pool).await?.iter().map(line_of).collect())
    }

    /// Puts runs that wait or run into this order, in the places that they have now; others stay where they are.
    pub async fn order_queue(&self, order: &[i64]) -> Result<()> {
        self.in_one_step(async |step| {
            let query = "SELECT id, coalesce(turn, id) AS turn FROM runs WHERE status IN ('waiting', 'running')";
            let waiting: Vec<(i64, i64)> =
                sqlx::query(query).fetch_all(&mut *step).await?.iter().map(|r| (r.get(0), r.get(1))).collect();
            let named: Vec<i64> = order.iter().copied().filter(|id| waiting.iter().any(|(w, _)| w == id)).collect();
            let mut turns: Vec<i64> =
                waiting.iter().filter(|(id, _)| named.contains(id)).map(|(_, turn)| *turn).collect();
            turns.sort_unstable();
            for (id, turn) in named.iter().zip(turns) {
                let query = sqlx::query("UPDATE runs SET turn = ? WHERE id = ?").bind(turn).bind(id);
                query.execute(&mut *step).await?;
            }
            Ok(())
        })
        .await
    }

    /// A run that had ended waits again, behind all others.
    pub async fn let_go_on(&self, id: i64) -> Result<()> {
        let query = "UPDATE runs SET status = 'waiting', error = NULL, held = 0, cut_off = 0,
            turn = ";
        let query = sqlx::AssertSqlSafe(format!("{query}{LAST_TURN} WHERE id = ?"));
        sqlx::query(query).bind(id).execute(&self.pool).await?;
        Ok(())
    }

    /// A run that was worked on waits again; one that was stopped or taken away meanwhile stays as it is.
    pub async fn pause_run(&self, id: i64) -> Result<()> {
        let query = "UPDATE runs SET status = 'waiting' WHERE id = ? AND status = 'running'";
        sqlx::query(query).bind(id).execute(&self.pool).await?;
        Ok(())
    }

    /// Holds a run that waits, or lets it go on.
    pub async fn hold_run(&self, id: i64, held: bool) -> Result<()> {
        let query = sqlx::query("UPDATE runs SET held = ? WHERE id = ?").bind(held).bind(id);
        query.execute(&self.pool).await?;
        Ok(())
    }

    /// After a kill: runs that were worked on wait again, at the place they had, and go on from their tiles.
    pub(super) async fn take_up_runs(&self) -> Result<()> {
        let rows = sqlx::query("SELECT id, cut_off, landed FROM runs WHERE status = 'running'").fetch_all(&self.pool);
        for row in rows.await? {
            let (id, cut_off, landed): (i64, i64, i64) = (row.get(0), row.get(1), row.get(2));
            let now = self.tile_bytes(id) as i64;
            let cut_off = if now > landed { 1 } else { cut_off + 1 };
            let (status, why) = match cut_off > MOST_CUT_OFFS {
                true => ("interrupted", Some(LEFT_ALONE)),
                false => ("waiting", None),
            };
            sqlx::query("UPDATE runs SET status = ?, error = ?, cut_off = ?, landed = ? WHERE id = ?")
                .bind(status)
                .bind(why)
                .bind(cut_off)
                .bind(now)
                .bind(id)
                .execute(&self.pool)
                .await?;
        }
        Ok(())
    }

    /// Removes the tiles of runs that are finished or gone.
    pub(super) async fn tidy_places(&self) -> Result<()> {
        let rows = sqlx::query("SELECT id FROM runs WHERE status NOT IN ('done', 'partial')").fetch_all(&self.pool);
        let unfinished: HashSet<String> = rows.await?.iter().map(|r| r.get::<i64, _>(0).to_string()).collect();
        for place in std::fs::read_dir(&self.places).into_iter().flatten().flatten() {
            if !unfinished.contains(place.file_name().to_string_lossy().as_ref()) {
                // It takes room and does no other harm.
                let _ = std::fs::remove_dir_all(place.path());
            }
        }
        Ok(())
    }
}
