//! The folder that keeps hits: what was kept comes back, what is damaged does not, and a file is whole or not there.

use ember_ridge_core::hits::HitStore;
use ember_ridge_formats::hits::{HitShelf, KEPT_HITS, KeptHits, Made};
use std::fs;

#[test]
fn what_was_kept_comes_back_and_what_is_damaged_does_not() {
    let folder = tempfile::tempdir().expect("a folder");
    let folder = folder.path().join("deep/hits");
    let tiles: Vec<([u8; 32], Vec<u8>)> = (0..20u8)
        .map(|n| ([n; 32], (0..5000u32).flat_map(|i| (i / 7 * u32::from(n)).to_le_bytes()).collect()))
        .collect();
    let keep = || {
        let kept = KeptHits::open(None, Some(&folder), None).expect("it can be written");
        let store = kept.store().expect("it keeps");
        tiles.iter().for_each(|(key, bytes)| store.keep(key, bytes));
        assert!(store.fetch(&tiles[0].0).is_none(), "nothing was to be read");
        kept
    };
    // Until it is finished there is nothing, nor is anything left of one that never was.
    drop(keep());
    assert_eq!(fs::read_dir(&folder).expect("a folder").count(), 0);
    let Made { bytes, left_out } = keep().finish().expect("there is room").expect("it kept");
    assert_eq!(left_out, 0);
    let path = folder.join(KEPT_HITS);
    assert_eq!(fs::metadata(&path).expect("a file").len(), bytes);
    assert!(bytes < 20 * 20_000 / 2, "{bytes} bytes: it is compressed");
    let read = || KeptHits::open(Some(&folder), None, None).expect("it can be read");
    let found = |kept: &KeptHits| {
        let store = kept.store().expect("it reads");
        tiles.iter().filter(|(key, bytes)| store.fetch(key).as_ref() == Some(bytes)).count()
    };
    assert_eq!(found(&read()), 20);
    assert!(read().store().expect("it reads").fetch(&[99; 32]).is_none());
    // A byte changed, a file cut off: the others are there, and none is wrong.
    let whole = fs::read(&path).expect("a file");
    let mut damaged = whole.clone();
    damaged[whole.len() / 2] ^= 0x40;
    fs::write(&path, &damaged).expect("room");
    let kept = read();
    let store = kept.store().expect("it reads");
    for (key, bytes) in &tiles {
        assert!(store.fetch(key).is_none_or(|found| found == *bytes));
    }
    assert_eq!(found(&kept), 19);
    fs::write(&path, &whole[..whole.len() * 2 / 3]).expect("room");
    assert!((10..20).contains(&found(&read())));
    // One that reads and keeps at once, in one folder.
    fs::write(&path, &whole).expect("room");
    let both = KeptHits::open(Some(&folder), Some(&folder), None).expect("both");
    assert_eq!(found(&both), 20);
    both.store().expect("both").keep(&tiles[3].0, &tiles[3].1);
    both.finish().expect("room");
    assert_eq!(found(&read()), 1);
    // No more than there is room for; the rest is told.
    let kept = KeptHits::open(None, Some(&folder), Some(bytes / 2)).expect("it can be written");
    tiles.iter().for_each(|(key, bytes)| kept.store().expect("it keeps").keep(key, bytes));
    let made = kept.finish().expect("room").expect("it kept");
    assert!(made.bytes <= bytes / 2 && (5..15).contains(&made.left_out), "{made:?}");
    assert_eq!(found(&read()) as u64, 20 - made.left_out);
}

#[test]
fn a_folder_without_hits_and_hits_of_another_version_are_named() {
    let folder = tempfile::tempdir().expect("a folder");
    let said = |from: &std::path::Path| KeptHits::open(Some(from), None, None).err().expect("refused").to_string();
    assert!(said(folder.path()).contains("--keep-hits"));
    fs::write(folder.path().join(KEPT_HITS), "something else").expect("room");
    assert!(said(folder.path()).contains("another version"));
    assert!(said(folder.path()).contains(&folder.path().display().to_string()), "the folder is named");
    // With both, the one at fault is named.
    let (good, bad) = (folder.path().join("good"), folder.path().join(KEPT_HITS).join("below a file"));
    let made = KeptHits::open(None, Some(&good), None).expect("it can be written").finish().expect("room");
    assert!(made.is_some());
    let fault = KeptHits::open(Some(&good), Some(&bad), None).err().expect("no folder").to_string();
    assert!(fault.contains("below a file"), "{fault}");
    fs::remove_file(folder.path().join(KEPT_HITS)).expect("a file");
    fs::create_dir(folder.path().join(KEPT_HITS)).expect("room");
    assert!(said(folder.path()).contains("no plain file"));
    assert!(KeptHits::open(None, None, None).expect("nothing to do").store().is_none());
}

#[test]
fn a_shelf_keeps_what_was_used_last_within_its_room() {
    let folder = tempfile::tempdir().expect("a folder");
    let folder = folder.path().join("hits");
    // Bytes that do not compress: a tile takes what it holds.
    let tile = |n: u8| {
        let mut state = u64::from(n) + 1;
        let noise = std::iter::repeat_with(move || {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            (state >> 56) as u8
        });
        ([n; 32], noise.take(10_000).collect::<Vec<u8>>())
    };
    let shelf = HitShelf::new(folder.clone(), 65_000);
    assert_eq!(shelf.held(), 0);
    // A run takes over what is there and keeps what it has to trace; how many were there.
    let run = |tiles: std::ops::Range<u8>| {
        // Times of files tell which was used last.
        std::thread::sleep(std::time::Duration::from_millis(20));
        let hits = shelf.run().expect("it can be written");
        let mut there = 0;
        for (key, bytes) in tiles.map(tile) {
            match hits.fetch(&key) {
                Some(found) => there += usize::from(found == bytes),
                None => hits.keep(&key, &bytes),
            }
        }
        hits.finish().expect("room");
        there
    };
    assert_eq!(run(0..2), 0);
    assert_eq!(run(0..4), 2, "the first two are there, the others are kept beside them");
    assert_eq!(run(0..4), 4);
    assert!((40_000..44_000).contains(&shelf.held()), "no tile is kept twice: {}", shelf.held());
    // Two of the older file are used again, so that the other file is the one to go.
    assert_eq!(run(0..2), 2);
    assert_eq!(run(10..14), 0);
    assert!(shelf.held() <= 65_000);
    assert_eq!((run(0..2), run(10..14)), (2, 4));
    // A file with a damaged tile goes, and its tiles are kept anew by the next run that needs them.
    let files = || fs::read_dir(&folder).expect("a folder").map(|f| f.expect("a file").path()).collect::<Vec<_>>();
    for path in files() {
        let mut bytes = fs::read(&path).expect("a file");
        bytes[5_000] ^= 0x10;
        fs::write(&path, bytes).expect("room");
    }
    assert_eq!(run(0..2), 1);
    assert_eq!((run(0..2), run(0..2)), (0, 2));
    // No room at all: nothing is kept, and what was goes.
    shelf.set_most(0);
    assert_eq!((shelf.held(), run(0..2), shelf.held(), files().len()), (0, 0, 0, 0));
    // A run that was stopped leaves nothing.
    shelf.set_most(65_000);
    let stopped = shelf.run().expect("it can be written");
    stopped.keep(&tile(0).0, &tile(0).1);
    drop(stopped);
    assert_eq!((shelf.held(), files().len()), (0, 0));
    // One that was killed leaves a file that is not whole; whoever opens the shelf next removes it.
    let killed = shelf.run().expect("it can be written");
    killed.keep(&tile(0).0, &tile(0).1);
    std::mem::forget(killed);
    assert_eq!((shelf.held(), files().len()), (0, 1));
    assert_eq!(HitShelf::new(folder.clone(), 65_000).held(), 0);
    assert_eq!(files().len(), 0);
}
