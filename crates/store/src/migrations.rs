//! The steps in which the database grew, in order. A step that was ever released stays as it is: a folder made by an earlier version
//! goes on from the last one it has, and one whose text changed is refused.

use sqlx::SqlStr;
use sqlx::migrate::{Migration, MigrationType, Migrator};

/// Number, name and text of each.
const STEPS: [(i64, &str, &str); 10] = [
    (1, "first", include_str!("../migrations/0001_first.sql")),
    (2, "unique revisions", include_str!("../migrations/0002_unique_revisions.sql")),
    (3, "settings", include_str!("../migrations/0003_settings.sql")),
    (4, "runs in brief", include_str!("../migrations/0004_runs_in_brief.sql")),
    (5, "queue", include_str!("../migrations/0005_queue.sql")),
    (6, "ledger", include_str!("../migrations/0006_ledger.sql")),
    (7, "regions", include_str!("../migrations/0007_regions.sql")),
    (8, "deliveries", include_str!("../migrations/0008_deliveries.sql")),
    (9, "batches", include_str!("../migrations/0009_batches.sql")),
    (10, "clusters", include_str!("../migrations/0010_clusters.sql")),
];

pub(crate) fn migrator() -> Migrator {
    let step = |(number, name, text): (i64, &'static str, &'static str)| {
        Migration::new(number, name.into(), MigrationType::Simple, SqlStr::from_static(text), false)
    };
    Migrator::with_migrations(STEPS.map(step).to_vec())
}
