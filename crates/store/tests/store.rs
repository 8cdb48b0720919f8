//! The store on real folders: data of the version before, steps back and forth, numbers, what is broken off, what is collected.

use ember_ridge_core::Recipe;
use ember_ridge_core::bake::Report;
use ember_ridge_core::recipe::MeshSource;
use ember_ridge_core::{Finding, FindingKind, Severity};
use ember_ridge_store::{MOST_REVISIONS, OnCluster, RunFile, RunFilter, RunKind, RunStatus, Store, StoreFault};
use sqlx::sqlite::SqliteConnectOptions;
use sqlx::{Row, SqlitePool};
use std::io::Write;
use std::path::Path;

async fn store(folder: &Path) -> Store {
    Store::open(folder).await.expect("opens")
}

async fn database(folder: &Path) -> SqlitePool {
    let options = SqliteConnectOptions::new().filename(folder.join("ember-ridge.sqlite")).create_if_missing(true);
    SqlitePool::connect_with(options).await.expect("opens")
}

fn sized(size: u32) -> Recipe {
    let mut recipe = Recipe::new("lid");
    recipe.sheet.size = size;
    recipe
}

/// A folder as the version before left it: its own tables, a revision that was undone, runs with reports, one that failed in part.
#[tokio::test]
async fn data_of_the_version_before_is_brought_up_to_date() {
    let folder = tempfile::tempdir().expect("a folder");
    let first = include_str!("../migrations/0001_first.sql");
    let pool = database(folder.path()).await;
    sqlx::raw_sql(first).execute(&pool).await.expect("the tables of before");
    sqlx::raw_sql(
        "CREATE TABLE _sqlx_migrations (version BIGINT PRIMARY KEY, description TEXT NOT NULL,
            installed_on TIMESTAMP NOT NULL DEFAULT CURRENT_TIMESTAMP, success BOOLEAN NOT NULL, checksum BLOB NOT NULL,
            execution_time BIGINT NOT NULL)",
    )
    .execute(&pool)
    .await
    .expect("a table");
    // As every version since the first has written it.
    sqlx::query(
        "INSERT INTO _sqlx_migrations (version, description, success, checksum, execution_time) VALUES (1, 'first', 1,
            X'1A94935F7C39E54ECE448AEE45E09A100AEFFCF3C8C6D46F3D92BE133553B8F3CF2B7AE9061EB035A7FFB7A5F3D410BF', 0)",
    )
    .execute(&pool)
    .await
    .expect("written");
    sqlx::query("INSERT INTO assets VALUES (7, 'lid', 0, 1)").execute(&pool).await.expect("written");
    for (number, size) in [(0, 1024), (1, 512), (2, 256)] {
        let recipe = serde_json::to_string(&sized(size)).expect("JSON");
        sqlx::query("INSERT INTO revisions VALUES (7, ?, ?, ?)")
            .bind(number)
            .bind(format!("size {size}"))
            .bind(recipe)
            .execute(&pool)
            .await
            .expect("written");
    }
    let report = r#"{"seconds": 2.5, "maps": {"normal": {"error": null}, "ao": {"error": "no"}},
        "findings": [{"severity": "note"}, {"severity": "fault", "kind": "misses"}]}"#;
    for (id, number, status, report) in [
        (4, 1, "done", Some(report)),
        (5, 2, "failed", None),
        (9, 3, "running", None),
        (10, 4, "done", Some("not JSON")),
    ] {
        sqlx::query("INSERT INTO runs VALUES (?, 7, ?, 'final', ?, ?, 99, ?, NULL)")
            .bind(id)
            .bind(number)
            .bind(status)
            .bind(serde_json::to_string(&sized(512)).expect("JSON"))
            .bind(report)
            .execute(&pool)
            .await
            .expect("written");
    }
    sqlx::query(
        "INSERT INTO run_files VALUES (4, 'normal', 'lid_normal.png', 'aa', 300), (4, 'small/normal', '', 'bb', 7)",
    )
    .execute(&pool)
    .await
    .expect("written");
    pool.close().await;

    let store = store(folder.path()).await;
    let asset = store.asset(7).await.expect("there");
    assert_eq!((asset.head, asset.recipe.sheet.size), (1, 512));
    assert_eq!((asset.undo.as_deref(), asset.redo.as_deref()), (Some("size 512"), Some("size 256")));
    store.redo(7).await.expect("works");
    assert_eq!(store.asset(7).await.expect("there").recipe.sheet.size, 256);
    store.undo(7).await.expect("works");
    store.undo(7).await.expect("works");
    store.undo(7).await.expect("stays at the first");
    assert_eq!(store.asset(7).await.expect("there").head, 0);
    // A new edit takes a number that was never there.
    store.revise(7, 0, "size 64", &sized(64)).await.expect("works");
    assert_eq!(store.asset(7).await.expect("there").head, 3);
    let lines = store.runs(7, None, 10, &RunFilter::default()).await.expect("works");
    let told: Vec<_> = lines.iter().map(|l| (l.number, l.status)).collect();
    use RunStatus::{Done, Failed, Partial, Waiting};
    assert_eq!(told, [(4, Done), (3, Waiting), (2, Failed), (1, Partial)]);
    let first = lines.last().expect("four");
    assert_eq!((first.maps.as_slice(), first.failed_maps, first.findings), (&["normal".to_owned()][..], 1, 1));
    assert_eq!((first.seconds, first.bytes, first.size, first.samples), (Some(2.5), 300, 512, 4));
    let by = store.found_by(7).await.expect("works");
    assert_eq!((by.maps, by.findings), (vec!["normal".to_owned()], vec![FindingKind::Misses]));
    let next = store.add_run(7, RunKind::Proof, &sized(64), &[]).await.expect("works");
    let next = store.run_line(next).await.expect("there");
    assert_eq!((next.id, next.number), (11, 5));
    assert_eq!(store.add_asset(&sized(64)).await.expect("works"), 8);
}

#[tokio::test]
async fn steps_go_back_the_way_they_came() {
    let folder = tempfile::tempdir().expect("a folder");
    let store = store(folder.path()).await;
    let id = store.add_asset(&sized(16)).await.expect("works");
    let head = async || store.asset(id).await.expect("there");
    store.revise(id, 0, "a", &sized(32)).await.expect("works");
    store.revise(id, 1, "b", &sized(64)).await.expect("works");
    store.undo(id).await.expect("works");
    store.revise(id, 1, "c", &sized(128)).await.expect("works");
    assert_eq!((head().await.head, head().await.redo), (3, None), "what was undone before an edit cannot be redone");
    for size in [32, 16, 16] {
        store.undo(id).await.expect("works");
        assert_eq!(head().await.recipe.sheet.size, size);
    }
    for size in [32, 128, 128] {
        store.redo(id).await.expect("works");
        assert_eq!(head().await.recipe.sheet.size, size);
    }
    let stale = store.revise(id, 2, "d", &sized(256)).await.expect_err("2 was undone");
    assert!(matches!(stale, StoreFault::Stale { base: 2, now: 3 }), "{stale}");
    assert_eq!(store.revision(id, 2).await.expect("works").map(|r| r.sheet.size), Some(64), "it is known all the same");
    assert!(store.revise(99, 0, "e", &sized(16)).await.is_err_and(|f| matches!(f, StoreFault::Missing(_))));
}

#[tokio::test]
async fn old_revisions_are_forgotten_and_undo_ends_there() {
    let folder = tempfile::tempdir().expect("a folder");
    let store = store(folder.path()).await;
    let id = store.add_asset(&sized(16)).await.expect("works");
    for number in 0..MOST_REVISIONS + 5 {
        store.revise(id, number, "step", &sized(16)).await.expect("works");
    }
    assert!(store.revision(id, 5).await.expect("works").is_none());
    assert!(store.revision(id, 6).await.expect("works").is_some());
    for _ in 0..MOST_REVISIONS + 5 {
        store.undo(id).await.expect("works");
    }
    let asset = store.asset(id).await.expect("there");
    assert_eq!((asset.head, asset.undo), (6, None));
}

/// A step that fails in its middle leaves nothing, and the connection is good for the next.
#[tokio::test]
async fn what_breaks_off_leaves_nothing() {
    let folder = tempfile::tempdir().expect("a folder");
    let store = store(folder.path()).await;
    for _ in 0..12 {
        // There is no asset 5: the run's number is counted, then the row is refused.
        assert!(store.add_run(5, RunKind::Proof, &sized(16), &[]).await.is_err());
    }
    let id = store.add_asset(&sized(16)).await.expect("works");
    let run = store.add_run(id, RunKind::Proof, &sized(16), &[]).await.expect("works");
    assert_eq!((run, store.run_line(run).await.expect("there").number), (1, 1), "nothing was counted");
    let pool = database(folder.path()).await;
    let counted: i64 = sqlx::query("SELECT count(*) FROM counters").fetch_one(&pool).await.expect("answers").get(0);
    assert_eq!(counted, 3, "assets, runs, and this asset's runs");
}

#[tokio::test]
async fn the_collector_takes_what_nothing_names_and_waits_for_what_is_being_named() {
    let folder = tempfile::tempdir().expect("a folder");
    let store = store(folder.path()).await;
    let [kept, undone, loose] =
        ["kept", "undone", "loose"].map(|text| store.blobs.put(text.as_bytes()).expect("works"));
    let with = |hash: &str| {
        let mut recipe = sized(16);
        recipe.low.push(MeshSource { hash: Some(hash.to_owned()), ..MeshSource::file("lid.obj") });
        recipe
    };
    let id = store.add_asset(&with(&kept)).await.expect("works");
    store.revise(id, 0, "another", &with(&undone)).await.expect("works");
    store.undo(id).await.expect("works");
    let naming = store.naming().await;
    assert_eq!(store.collect().await.expect("works"), 0);
    assert!(store.blobs.has(&loose), "it may be about to be named");
    drop(naming);
    assert_eq!(store.collect().await.expect("works"), 5);
    assert_eq!([&kept, &undone, &loose].map(|hash| store.blobs.has(hash)), [true, true, false]);
    assert_eq!(store.asset_frees(id).await.expect("works"), 10);
    // Another asset's run names one of them too.
    let other = store.add_asset(&sized(16)).await.expect("works");
    store.add_run(other, RunKind::Final, &with(&kept), &[]).await.expect("works");
    assert_eq!(store.asset_frees(id).await.expect("works"), 6);
    store.delete_asset(id).await.expect("works");
    assert_eq!(store.collect().await.expect("works"), 6);
    assert_eq!([&kept, &undone].map(|hash| store.blobs.has(hash)), [true, false]);
}

#[tokio::test]
async fn blobs_are_what_their_names_say() {
    let folder = tempfile::tempdir().expect("a folder");
    let store = store(folder.path()).await;
    let mut writer = store.blobs.writer().expect("works");
    writer.write_all(b"half of it").expect("works");
    drop(writer);
    assert_eq!(std::fs::read_dir(folder.path().join("incoming")).expect("there").count(), 0, "dropped is gone");
    let hash = store.blobs.put(b"whole").expect("works");
    assert_eq!(hash, blake3::hash(b"whole").to_hex().as_str());
    assert_eq!(
        (store.blobs.read(&hash).expect("there"), store.blobs.length(&hash).expect("there")),
        (b"whole".to_vec(), 5)
    );
    let path = folder.path().join("blobs").join(&hash[..2]).join(&hash[2..]);
    std::fs::write(&path, b"WHOLE").expect("written");
    for fault in [store.blobs.read(&hash).expect_err("altered"), store.blobs.open_blob(&hash).expect_err("altered")] {
        let text = fault.to_string();
        assert!(text.contains("not those that were stored") && text.contains("Import the file"), "{text}");
    }
    for name in ["", "..", "../../etc/passwd", &"g".repeat(64), &hash[..63]] {
        assert!(store.blobs.read(name).is_err_and(|f| matches!(f, StoreFault::Missing(_))), "{name}");
        assert!(!store.blobs.has(name));
    }
}

#[tokio::test]
async fn a_folder_is_held_by_one_store_at_a_time() {
    let folder = tempfile::tempdir().expect("a folder");
    let first = store(folder.path()).await;
    let id = first.add_asset(&sized(16)).await.expect("works");
    let run = first.add_run(id, RunKind::Final, &sized(16), &[]).await.expect("works");
    let held = Store::open(folder.path()).await.err().expect("it is held");
    assert!(
        matches!(&held, StoreFault::Held { holder, .. } if holder.contains(&std::process::id().to_string())),
        "{held}"
    );
    assert_eq!(first.run_line(run).await.expect("there").status, RunStatus::Waiting, "nothing was marked");
    drop(first);
    let second = store(folder.path()).await;
    assert_eq!(second.run_line(run).await.expect("there").status, RunStatus::Waiting, "it is taken up again");
}

#[tokio::test]
async fn a_run_on_a_cluster_is_known_for_one_and_how_far_it_is_outlasts_the_store() {
    let folder = tempfile::tempdir().expect("a folder");
    let first = store(folder.path()).await;
    let asset = first.add_asset(&sized(16)).await.expect("works");
    let here = first.add_run(asset, RunKind::Final, &sized(16), &[]).await.expect("works");
    let farm = OnCluster { name: "night farm".into(), ..OnCluster::default() };
    let far = first.add_run_on(asset, RunKind::Final, &sized(16), &[], &farm).await.expect("works");
    assert_eq!(first.run_line(here).await.expect("there").cluster, None);
    assert_eq!(first.run_line(far).await.expect("there").cluster, Some(farm.clone()));
    let sent = OnCluster { folder: Some("/shared/job".into()), jobs: vec!["17".into()], here: true, ..farm };
    first.set_cluster_job(far, sent.folder.as_deref(), &sent.jobs).await.expect("works");
    for run in [far, here] {
        first.bring_home(run).await.expect("works");
    }
    drop(first);
    let second = store(folder.path()).await;
    assert_eq!(second.run_line(here).await.expect("there").cluster, None, "it was here all along");
    assert_eq!(second.run(far).await.expect("there").line.cluster, Some(sent));
    let on_clusters = async || second.runs_on_clusters(asset).await.expect("works");
    assert_eq!(on_clusters().await.iter().map(|line| line.id).collect::<Vec<_>>(), [far]);
    second.set_run_status(far, RunStatus::Done, None).await.expect("works");
    assert_eq!(on_clusters().await, [], "it is over");
}

/// A run that takes the program down with it is left alone in the end; one that gets further each time is not.
#[tokio::test]
async fn a_run_that_gets_nowhere_is_left_alone() {
    let folder = tempfile::tempdir().expect("a folder");
    let (mut id, mut moving) = (0, 0);
    for start in 0..26i64 {
        let store = store(folder.path()).await;
        if start == 0 {
            let asset = store.add_asset(&sized(16)).await.expect("works");
            id = store.add_run(asset, RunKind::Final, &sized(16), &[]).await.expect("works");
            moving = store.add_run(asset, RunKind::Final, &sized(16), &[]).await.expect("works");
        }
        let line = store.run_line(id).await.expect("there");
        if start < 25 {
            assert_eq!((line.status, &line.error), (RunStatus::Waiting, &None), "start {start}");
            store.set_run_status(id, RunStatus::Running, None).await.expect("works");
        } else {
            assert_eq!(line.status, RunStatus::Interrupted);
            assert!(line.error.is_some_and(|why| why.contains("again and again")));
            store.let_go_on(id).await.expect("works");
            assert_eq!(store.run_line(id).await.expect("there").status, RunStatus::Waiting);
        }
        assert_eq!(store.run_line(moving).await.expect("there").status, RunStatus::Waiting, "start {start}");
        store.set_run_status(moving, RunStatus::Running, None).await.expect("works");
        std::fs::create_dir_all(store.run_place(moving)).expect("room");
        std::fs::write(store.run_tiles(moving), vec![0; 10 * (start as usize + 1)]).expect("room");
        assert_eq!(store.tile_bytes(moving), 10 * (start as u64 + 1));
        assert_eq!(store.run_frees(moving).await.expect("works"), store.tile_bytes(moving));
        assert_eq!(store.asset_frees(1).await.expect("works"), store.tile_bytes(moving));
    }
    // Tiles of a run that is gone, and of one that nobody knows, go.
    let store = store(folder.path()).await;
    store.delete_run(moving).await.expect("works");
    assert!(!store.run_place(moving).exists());
    let stray = store.run_place(4711);
    std::fs::create_dir_all(&stray).expect("room");
    drop(store);
    self::store(folder.path()).await;
    assert!(!stray.exists());
}

/// A report is kept whole or not at all, and tells in the ledger's line what failed.
#[tokio::test]
async fn a_run_ends_with_all_its_files_or_none() {
    let folder = tempfile::tempdir().expect("a folder");
    let store = store(folder.path()).await;
    let id = store.add_asset(&sized(16)).await.expect("works");
    let run = store.add_run(id, RunKind::Final, &sized(16), &["first run".into()]).await.expect("works");
    // Vertex colours are what the sculpt does not have: that map fails.
    let report = report_of(&sized(16), &["normal", "color"]);
    let file = |map: &str, file: &str, bytes| RunFile { map: map.into(), file: file.into(), hash: "cc".into(), bytes };
    let files = [file("normal", "lid_normal.png", 100), file("small/normal", "", 9)];
    store.finish_run(run, &report, &files).await.expect("works");
    let line = store.run_line(run).await.expect("there");
    assert_eq!((line.status, line.failed_maps, line.bytes), (RunStatus::Partial, 1, 100));
    assert_eq!((line.maps, line.changes), (vec!["normal".to_owned()], vec!["first run".to_owned()]));
    assert_eq!(store.run(run).await.expect("there").report, Some(report.clone()));
    assert_eq!(store.small_pictures(id, 1, 1).await.expect("works"), [(run, "normal".to_owned(), "cc".to_owned())]);
    assert_eq!(store.newest_run(id, Some(RunKind::Final), true).await.expect("works").map(|r| r.line.id), Some(run));
    assert!(store.newest_run(id, Some(RunKind::Proof), false).await.expect("works").is_none());
    // Of a run that was deleted meanwhile nothing is kept.
    store.delete_run(run).await.expect("works");
    assert!(store.finish_run(run, &report, &files).await.is_err());
    assert!(store.file_by_hash("cc").await.expect("works").is_none());
}

/// The report of a bake of maps over two planes.
fn report_of(recipe: &Recipe, maps: &[&str]) -> Report {
    let (low, high) = (plane(0.0), plane(0.1));
    let scene = ember_ridge_core::scene::BakeScene::new(&[&low], &[&high], None).expect("fits");
    let mut recipe = recipe.clone();
    recipe.low.push(MeshSource::file("lid_low.obj"));
    recipe.high.push(MeshSource::file("lid_high.obj"));
    recipe.maps = maps.iter().filter_map(|m| ember_ridge_core::maps::MapSettings::by_key(m)).collect();
    let plan = ember_ridge_core::bake::Plan::new(&recipe, &scene).expect("plans");
    ember_ridge_core::bake::run(&plan, 1, &ember_ridge_core::bake::Unwatched).expect("bakes").report
}

fn plane(height: f32) -> ember_ridge_core::Mesh {
    use ember_ridge_core::mesh::{Facing, PlaneTarget};
    let plane = PlaneTarget { facing: Facing::Y, middle: [0.0, height, 0.0], size: [1.0, 1.0], repeats: false };
    plane.mesh("lid")
}

#[tokio::test]
async fn settings_hold_what_was_set_last_and_tell_another_type() {
    let folder = tempfile::tempdir().expect("a folder");
    let store = store(folder.path()).await;
    assert_eq!(store.setting::<u64>("room").await.expect("it answers"), None);
    for value in [5u64, 4_000_000_000] {
        store.set_setting("room", &value).await.expect("it can be written");
        assert_eq!(store.setting("room").await.expect("it answers"), Some(value));
    }
    let fault = store.setting::<Vec<String>>("room").await.expect_err("it is a number").to_string();
    assert!(fault.contains("room"), "{fault}");
}

/// Runs are found by what they are, and what a person says of them outlives the program. Proofs age out, but those with a star do not.
#[tokio::test]
async fn runs_are_found_named_starred_and_age_out() {
    let folder = tempfile::tempdir().expect("a folder");
    let here = store(folder.path()).await;
    let id = here.add_asset(&sized(16)).await.expect("works");
    let mut runs = Vec::new();
    for number in 0..6 {
        let kind = if number % 3 == 0 { RunKind::Final } else { RunKind::Proof };
        let run = here.add_run(id, kind, &sized(16), &[]).await.expect("works");
        let mut report = report_of(&sized(16), if number == 4 { &["ao"] } else { &["normal", "ao"] });
        if number == 1 {
            report.findings.push(Finding::new(FindingKind::Misses, Severity::Note, "few", "none"));
        }
        let file = RunFile { map: "ao".into(), file: "a.png".into(), hash: format!("{number:064}"), bytes: 1000 };
        here.finish_run(run, &report, &[file]).await.expect("works");
        runs.push(run);
    }
    here.name_run(runs[2], "before the cage").await.expect("works");
    here.star_run(runs[2], true).await.expect("works");
    here.made_from(runs[2], Some(0)).await.expect("works");
    drop(here);
    let here = store(folder.path()).await;
    let line = here.run_line(runs[2]).await.expect("there");
    assert!(line.starred && line.name == "before the cage");
    assert_eq!(here.recipe_before_run(id, runs[2]).await.expect("works"), Some(sized(16)));
    assert_eq!(here.recipe_before_run(id, runs[1]).await.expect("works"), None);
    let found = async |wanted: RunFilter| -> Vec<i64> {
        let lines = here.runs(id, None, 10, &wanted).await.expect("works");
        lines.into_iter().map(|line| line.number).collect()
    };
    assert_eq!(found(RunFilter::default()).await, [6, 5, 4, 3, 2, 1]);
    assert_eq!(found(RunFilter { kind: Some(RunKind::Final), ..RunFilter::default() }).await, [4, 1]);
    assert_eq!(found(RunFilter { map: Some("normal".into()), ..RunFilter::default() }).await, [6, 4, 3, 2, 1]);
    assert_eq!(found(RunFilter { finding: Some(FindingKind::Misses), ..RunFilter::default() }).await, [2]);
    assert_eq!(found(RunFilter { starred: true, ..RunFilter::default() }).await, [3]);
    let both = RunFilter { kind: Some(RunKind::Final), finding: Some(FindingKind::Misses), ..RunFilter::default() };
    assert!(found(both).await.is_empty());
    assert_eq!(here.proof_bytes().await.expect("works"), 3000, "without the one that has a star");
    // Room for one: the newest proof stays, and so does what has a star.
    assert_eq!(here.age_proofs(1500).await.expect("works"), 2);
    assert_eq!(found(RunFilter::default()).await, [6, 4, 3, 1]);
    assert_eq!(here.age_proofs(0).await.expect("works"), 0, "the newest proof of an asset stays");
    // Without its star it is as old as it is.
    here.star_run(runs[2], false).await.expect("works");
    assert_eq!(here.age_proofs(1500).await.expect("works"), 1);
}

/// A step that lies in the folder and is not taken would be missed only by whoever asks for what it makes.
#[tokio::test]
async fn every_file_of_the_steps_is_taken() {
    let mut files: Vec<String> = std::fs::read_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/migrations"))
        .expect("the folder")
        .map(|entry| entry.expect("a file").file_name().to_string_lossy().into_owned())
        .collect();
    files.sort();
    let folder = tempfile::tempdir().expect("a folder");
    drop(store(folder.path()).await);
    let pool = database(folder.path()).await;
    let query = "SELECT version, description FROM _sqlx_migrations WHERE success ORDER BY version";
    let taken = sqlx::query(query).fetch_all(&pool).await.expect("answers");
    let name = |row: &sqlx::sqlite::SqliteRow| {
        format!("{:04}_{}.sql", row.get::<i64, _>(0), row.get::<String, _>(1).replace(' ', "_"))
    };
    assert_eq!(taken.iter().map(name).collect::<Vec<_>>(), files);
}
