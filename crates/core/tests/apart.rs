//! Tiles made apart, by scenes that were packed and opened again, joined to the bytes of one run; what is missing is named.

use crate::going_on::{two_tiles, wholes};
use crate::support::*;
use ember_ridge_core::bake::{
    BlockStore, Blocks, Costs, Ended, Made, MadeBlock, Plan, Unwatched, join, run, run_apart, share_out,
};
use ember_ridge_core::flat::{Bytes, Contents, Packed, Packing};
use ember_ridge_core::maps::MapSettings;
use ember_ridge_core::reach::Reach;
use ember_ridge_core::recipe::Recipe;
use ember_ridge_core::scene::{BakeScene, ReadyScene};
use ember_ridge_core::surface::Distance;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};

/// Blocks in memory.
#[derive(Default)]
struct Kept(Mutex<BTreeMap<u32, MadeBlock>>);

impl BlockStore for Kept {
    fn is_done(&self, block: u32) -> bool {
        self.0.lock().expect("no panic").contains_key(&block)
    }

    fn keep(&self, block: u32, made: &MadeBlock) -> Result<(), String> {
        let (parts, hits) = (made.parts.clone(), made.hits.clone());
        self.0.lock().expect("no panic").insert(block, MadeBlock { parts, hits, seconds: made.seconds });
        Ok(())
    }

    fn keeps_hits(&self) -> bool {
        false
    }
}

impl Kept {
    /// As a spool that a run may go on from.
    fn spool(&self, but: Option<u32>) -> Arc<Lasting> {
        let kept = self.0.lock().expect("no panic");
        let wanted = kept.iter().filter(|(block, _)| Some(**block) != but);
        let parts = wanted.flat_map(|(_, made)| made.parts.iter().cloned());
        Arc::new(Lasting(Mutex::new(parts.collect())))
    }
}

fn with_fits() -> (ember_ridge_core::Mesh, ember_ridge_core::Mesh, Recipe) {
    let (low, high, mut recipe) = two_tiles();
    recipe.maps.extend(maps(&["curvature"]));
    let ao = recipe.maps.iter().any(|map| matches!(map, MapSettings::Ao(_)));
    assert!(ao, "rays beyond the first");
    recipe.reach = Reach { out: Distance::Auto, inward: Distance::Auto, ..recipe.reach };
    (low, high, recipe)
}

/// Sections one after the other, each where memory wants it.
fn laid_out(packing: Packing) -> Packed {
    let (mut words, mut contents): (Vec<u128>, Contents) = Default::default();
    for (name, section) in packing.sections {
        words.resize(words.len().next_multiple_of(4), 0);
        let at = words.len() * 16;
        contents.0.insert(name, at..at + section.len());
        words.extend(section.chunks(16).map(|chunk| {
            let mut bytes = [0; 16];
            bytes[..chunk.len()].copy_from_slice(chunk);
            u128::from_ne_bytes(bytes)
        }));
    }
    struct Words(Vec<u128>);
    impl AsRef<[u8]> for Words {
        fn as_ref(&self) -> &[u8] {
            bytemuck::cast_slice(&self.0)
        }
    }
    let bytes: Bytes = Arc::new(Words(words));
    Packed { bytes, contents }
}

#[test]
fn blocks_made_in_any_order_by_packed_scenes_join_to_the_bytes_of_one_run() {
    let (low, high, recipe) = with_fits();
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let plan = Plan::new(&recipe, &scene).expect("sound");
    let whole = run(&plan, 2, &Unwatched).expect("nobody stops it");

    let packed = laid_out(ReadyScene::of(&scene, None).pack());
    let opened = BakeScene::unpack(&packed).expect("as it was packed");
    assert!(opened.bytes() < scene.bytes(), "trees and fields stay in the bytes");
    let theirs = Plan::new(&recipe, &opened).expect("sound");
    assert_eq!(theirs.rays.field, plan.rays.field, "the fit is the one that was packed");

    let blocks = Blocks::of(&plan, 3);
    assert_eq!((blocks.along, blocks.sheets), (1, 2));
    let costs = Costs::measured(&plan, &blocks, &Unwatched, 0.0);
    assert_eq!(costs.blocks.len(), plan.busy_tiles());
    let shares = share_out(&costs.blocks, 3);
    let kept = Kept::default();
    let mut all = 0;
    for (number, share) in shares.iter().enumerate() {
        let mut own: Vec<u32> = share.iter().map(|(block, _)| *block).collect();
        own.reverse();
        all += own.len();
        let by = if number == 1 { &plan } else { &theirs };
        let made = run_apart(by, 2, &Unwatched, (&blocks, &own), &kept).expect("it is kept");
        assert_eq!((made.made, made.skipped, made.left), (own.len(), 0, 0));
        let again = run_apart(by, 1, &Unwatched, (&blocks, &own), &kept).expect("it is kept");
        assert_eq!(again, Made { skipped: own.len(), ..Made::default() });
    }
    assert_eq!(all, plan.busy_tiles(), "every tile is in one share");

    let lost = *kept.0.lock().expect("no panic").keys().nth(5).expect("more than five");
    let lost_tiles: Vec<_> = blocks.tiles_of(lost).collect();
    let ended = join(&plan, 2, &Unwatched, kept.spool(Some(lost)));
    assert!(matches!(ended, Err(Ended::Missing(tiles)) if tiles == lost_tiles));
    let joined = join(&theirs, 2, &Unwatched, kept.spool(None)).expect("all are there");
    assert_eq!(wholes(&joined), wholes(&whole));
    assert_eq!(joined.report.findings, whole.report.findings);
    assert_eq!((joined.report.rays, joined.report.covered), (whole.report.rays, whole.report.covered));
}

/// Blocks of several tiles hold each tile once, and slots lead back to them.
#[test]
fn larger_blocks_hold_each_tile_once() {
    let (low, high, recipe) = two_tiles();
    let scene = BakeScene::new(&[&low], &[&high], None).expect("no cage");
    let plan = Plan::new(&recipe, &scene).expect("sound");
    let whole = run(&plan, 1, &Unwatched).expect("nobody stops it");
    let blocks = Blocks { along: 2, ..Blocks::of(&plan, 1) };
    let mut own: Vec<u32> = plan.rays.busy_tiles().into_iter().map(|tile| blocks.of_tile(tile)).collect();
    own.dedup();
    assert!(own.len() * 4 <= plan.busy_tiles() + 3 * own.len());
    for tile in plan.rays.busy_tiles() {
        let holding: Vec<u32> = own.iter().copied().filter(|b| blocks.tiles_of(*b).any(|t| t == tile)).collect();
        assert_eq!(holding, [blocks.of_tile(tile)]);
    }
    let kept = Kept::default();
    let made = run_apart(&plan, 2, &Unwatched, (&blocks, &own), &kept).expect("it is kept");
    assert_eq!(made.made, own.len());
    for (block, made) in kept.0.lock().expect("no panic").iter() {
        let of = |slot: usize| blocks.of_tile(blocks.of_slot(slot, plan.maps.len()).0);
        assert!(made.parts.iter().all(|(slot, _)| of(*slot) == *block));
    }
    assert_eq!(wholes(&join(&plan, 1, &Unwatched, kept.spool(None)).expect("all are there")), wholes(&whole));
}
