//! Runs that are baked on a cluster: what has to be known of them to go on after a restart.

use super::runs::{LINE, line_of};
use super::{Result, RunKind, RunLine, Store, to_json};
use ember_ridge_core::Recipe;
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

/// Where a run is, or was, baked besides this machine.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct OnCluster {
    /// What people call the cluster.
    pub name: String,
    /// The folder of its job, once there is one.
    pub folder: Option<PathBuf>,
    /// Numbers of what was sent, as the cluster's queue has them.
    pub jobs: Vec<String>,
    /// It goes on here, from the tiles that came.
    pub here: bool,
}

impl OnCluster {
    pub(super) fn read(text: Option<String>) -> Option<OnCluster> {
        text.and_then(|text| serde_json::from_str(&text).ok())
    }
}

impl Store {
    /// Enters a run in the ledger as [`Store::add_run`] does, one that is baked on a cluster.
    pub async fn add_run_on(
        &self,
        asset: i64,
        kind: RunKind,
        recipe: &Recipe,
        changes: &[String],
        cluster: &OnCluster,
    ) -> Result<i64> {
        self.in_one_step(async |step| {
            let id = Store::enter_run(step, asset, kind, recipe, changes).await?;
            let query = sqlx::query("UPDATE runs SET cluster = ? WHERE id = ?").bind(to_json(cluster)).bind(id);
            query.execute(&mut *step).await?;
            Ok(id)
        })
        .await
    }

    /// Runs of an asset that a cluster may still work on, or has the folder of.
    pub async fn runs_on_clusters(&self, asset: i64) -> Result<Vec<RunLine>> {
        let query = format!("{LINE} WHERE asset = ? AND cluster IS NOT NULL AND status NOT IN ('done', 'partial')");
        let rows = sqlx::query(sqlx::AssertSqlSafe(query)).bind(asset).fetch_all(&self.pool).await?;
        Ok(rows.iter().map(line_of).collect())
    }

    /// Remembers the folder of the job of a run on a cluster, and what was sent.
    pub async fn set_cluster_job(&self, id: i64, folder: Option<&Path>, jobs: &[String]) -> Result<()> {
        let query = "UPDATE runs SET cluster = json_set(cluster, '$.folder', json(?), '$.jobs', json(?)) WHERE id = ?";
        sqlx::query(query).bind(to_json(&folder)).bind(to_json(&jobs)).bind(id).execute(&self.pool).await?;
        Ok(())
    }

    /// A run on a cluster goes on here.
    pub async fn bring_home(&self, id: i64) -> Result<()> {
        let query = "UPDATE runs SET cluster = json_set(cluster, '$.here', json('true')) WHERE id = ?";
        sqlx::query(query).bind(id).execute(&self.pool).await?;
        Ok(())
    }
}
