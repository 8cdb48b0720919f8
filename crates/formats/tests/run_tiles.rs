//! Finished tiles of a run on the disk: they are there after a kill, and what was torn is not taken for whole.

use ember_ridge_core::bake::Spool;
use ember_ridge_formats::run_tiles::RunTiles;
use std::fs;
use std::path::Path;

const KEY: [u8; 32] = [7; 32];

fn part(slot: usize) -> Vec<u8> {
    (0..200 + slot * 13).map(|i| (i * (slot + 3)) as u8).collect()
}

fn open(path: &Path) -> RunTiles {
    RunTiles::open(path, &KEY).expect("it can be written")
}

/// Slots of the first `count` that hold what was kept; a damaged one is an error, not something else.
fn whole(tiles: &RunTiles, count: usize) -> Vec<usize> {
    let mut bytes = Vec::new();
    let holds = |slot: &usize| match tiles.fetch(*slot, &mut bytes) {
        Ok(true) => {
            assert_eq!(bytes, part(*slot), "slot {slot}");
            true
        }
        Ok(false) | Err(_) => {
            assert!(bytes.is_empty());
            false
        }
    };
    (0..count).filter(holds).collect()
}

#[test]
fn parts_outlast_the_program_and_torn_ones_are_found() {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("tiles");
    {
        let tiles = open(&path);
        assert!(tiles.lasts());
        (0..30).for_each(|slot| tiles.keep(slot, part(slot)).expect("room"));
        assert_eq!(whole(&tiles, 31), (0..30).collect::<Vec<_>>());
    }
    assert_eq!(whole(&open(&path), 31), (0..30).collect::<Vec<_>>());
    let sound = fs::read(&path).expect("a file");
    // Cut off at any length: what was whole before the cut still is, and what is kept afterwards is found again.
    for cut in [sound.len() - 1, sound.len() - 150, sound.len() / 2, 80, 61, 40, 3, 0] {
        fs::write(&path, &sound[..cut]).expect("room");
        let tiles = open(&path);
        let left = whole(&tiles, 30);
        assert_eq!(left, (0..left.len()).collect::<Vec<_>>(), "cut at {cut}");
        assert!(cut < sound.len() / 2 || left.len() > 12, "cut at {cut}: {left:?}");
        tiles.keep(29, part(29)).expect("room");
        drop(tiles);
        let after = whole(&open(&path), 30);
        assert!(after.len() == left.len() + 1 && after.contains(&29), "cut at {cut}: {after:?}");
    }
    // A byte changed anywhere: that part, or those after it, are not there; no other holds anything else.
    for at in (0..sound.len()).step_by(37) {
        let mut damaged = sound.clone();
        damaged[at] ^= 0x20;
        fs::write(&path, &damaged).expect("room");
        let left = whole(&open(&path), 30);
        assert!(left.len() < 30, "byte {at} is covered by a checksum");
    }
}

#[test]
fn a_slot_that_is_kept_again_holds_the_later_bytes() {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("tiles");
    let tiles = open(&path);
    tiles.keep(4, vec![1; 50]).expect("room");
    tiles.keep(4, part(4)).expect("room");
    assert_eq!(whole(&tiles, 6), [4]);
    drop(tiles);
    assert_eq!(whole(&open(&path), 6), [4]);
}

#[test]
fn tiles_of_another_run_are_not_taken() {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("tiles");
    open(&path).keep(1, part(1)).expect("room");
    let other = RunTiles::open(&path, &[8; 32]).expect("it can be written");
    assert_eq!(whole(&other, 3), Vec::<usize>::new());
    fs::write(&path, b"something else altogether, longer than the head of such a file is, so that it is read")
        .expect("room");
    assert_eq!(whole(&open(&path), 3), Vec::<usize>::new());
    let fault = RunTiles::open(folder.path(), &KEY).err().expect("a folder is no file").to_string();
    assert!(fault.starts_with(&folder.path().display().to_string()), "{fault}");
}
