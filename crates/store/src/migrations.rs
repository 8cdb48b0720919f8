//! The steps in which the database grew, in order. A step that was ever released stays as it is: a folder made by an earlier version
//! goes on from the last one it has, and one whose text changed is refused.

use sqlx::SqlStr;
use sqlx::migrate::{Migration, MigrationType, Migrator};

/// Number, name and text of each.
const STEPS: [(i64, &str, &str); 7] = [
    (1, "first", include_str!("../migrations/0001_first.sql")),
    (2, "unique revisions", include_str!("../migrations/0002_unique_revisions.sql")),
    (3, "settings", include_str!("../migrations/0003_settings.sql")),
    (4, "runs in brief", include_str!("../migrations/0004_runs_in_brief.sql")),
    (5, "queue", include_str!("../migrations/0005_queue.sql")),
    (6, "ledger", include_str!("../migrations/0006_ledger.sql")),
    (7, "regions", include_str!("../migrations/0007_regions.sql")),
];

pub(crate) fn migrator() -> Migrator {
    let step = |(number, name, text): (i64, &'static str, &'static str)| {
        Migration::new(number, name.into(), MigrationType::Simple, SqlStr::from_static(text), false)
    };
    Migrator::with_migrations(STEPS.map(step).to_vec())
}

#[cfg(test)]
mod tests {
    use super::STEPS;

    #[test]
    fn every_file_of_the_folder_is_a_step() {
        let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/migrations");
        let mut files: Vec<String> = std::fs::read_dir(folder)
            .expect("the folder")
            .map(|entry| entry.expect("a file").file_name().to_string_lossy().into_owned())
            .collect();
        files.sort();
        let steps = STEPS.map(|(number, name, _)| format!("{number:04}_{}.sql", name.replace(' ', "_")));
        assert_eq!(files, steps);
    }
}
