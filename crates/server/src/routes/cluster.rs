//! The cluster that finals may be baked on.

use crate::App;
use crate::api::ClusterView;
use crate::fault::{Result, aside};
use rocket::serde::json::Json;
use rocket::{State, get};
use std::sync::Arc;

described_routes!(list_clusters);

/// Clusters that finals may be baked on, at most one, and whether it answers now.
#[utoipa::path(tag = "program", responses((status = 200, description = "Clusters", body = ref("ClusterView[]"))))]
#[get("/clusters")]
async fn list_clusters(app: &State<Arc<App>>) -> Result<Json<Vec<ClusterView>>> {
    let app = app.inner().clone();
    aside(move || {
        let view = |cluster: &crate::cluster::Cluster| ClusterView {
            name: cluster.name.clone(),
            partition: cluster.partition.clone(),
            shares: cluster.shares as u32,
            threads: cluster.threads as u32,
            fault: cluster.slurm().in_queue(&[]).err().map(|fault| fault.to_string()),
        };
        Ok(Json(app.cluster.iter().map(view).collect()))
    })
    .await
}
