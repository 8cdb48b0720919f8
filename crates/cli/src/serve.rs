//! `ember-ridge serve`: the application in a browser on this machine.

use crate::Unusable;
use crate::arguments::Serve;
use crate::say::answer;
use anyhow::{Context, anyhow};
use ember_ridge_server::{Settings, default_budget, prepare};
use std::process::ExitCode;

pub fn run(arguments: &Serve) -> Result<ExitCode, Unusable> {
    tracing_subscriber::fmt().with_writer(std::io::stderr).with_max_level(tracing::Level::ERROR).init();
    let settings = Settings {
        data: arguments.data.clone(),
        address: arguments.address,
        port: arguments.port,
        samples: arguments.samples,
        deliveries: arguments.deliveries.clone(),
        cluster: arguments.cluster.clone(),
        memory: arguments.memory.unwrap_or_else(default_budget),
    };
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build()?;
    let served = runtime.block_on(async {
        let ready = prepare(&settings).await.with_context(|| format!("{}", settings.data.display()))?;
        let rocket = ready.rocket.ignite().await.map_err(|e| anyhow!("{e}"))?;
        answer!("Ember Ridge is at {}", ready.url);
        let gibibytes = settings.memory as f64 / f64::from(1 << 30);
        answer!("Memory: up to {gibibytes:.1} GiB are held between requests, besides what a bake takes; set it with --memory.");
        answer!("Data: {}. Stop with Ctrl C; a bake that is cut off goes on at the next start.", settings.data.display());
        rocket.launch().await.map_err(|e| {
            anyhow!(
                "port {} of {} cannot be used: {}. Give another with --port",
                settings.port,
                settings.address,
                e.kind()
            )
        })?;
        Ok(ExitCode::SUCCESS)
    });
    // A bake under way is not waited for: cut off as by a kill, it goes on at the next start.
    runtime.shutdown_background();
    served
}
