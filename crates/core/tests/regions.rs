//! A region that is baked into an earlier picture: its tiles are those of the whole bake, everything else is the earlier picture.

use crate::support::*;
use ember_ridge_core::bake::{Around, AroundMap, Ended, Plan, Unwatched, run, run_into};
use ember_ridge_core::picture::{Coding, Depth, Image};
use ember_ridge_core::recipe::{Recipe, changes};
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::sheet::{Region, RegionRectangle, TILE};
use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

const NAMES: [&str; 4] = ["normal", "displacement", "ao", "id"];
const SIZE: u32 = 128;

fn sculpt(by: f32) -> ember_ridge_core::Mesh {
    height_field("waves_high", 64, move |x, z| by * (19.0 * x).sin() * (13.0 * z).cos())
}

/// The maps of an earlier bake as its files would hold them.
#[derive(Clone)]
struct Earlier(BTreeMap<String, AroundMap>);

impl Around for Earlier {
    fn map(&self, key: &str) -> Result<Option<AroundMap>, String> {
        Ok(self.0.get(key).cloned())
    }
}

fn around(earlier: &Whole, size: u32) -> Earlier {
    let maps = earlier.maps.iter().map(|map| {
        let image = Image::new(size, size, map.channels, map.pixels.clone(), Coding::Linear);
        (map.id.clone(), AroundMap { sheets: vec![image], scale: map.scale })
    });
    Earlier(maps.collect())
}

/// The second of four columns of tiles, and of its rows the lower half.
fn part() -> Region {
    Region { run: Some(7), rectangles: vec![RegionRectangle { sheet: 0, from: [0.3, 0.1], to: [0.49, 0.45] }] }
}

fn is_in(t: usize) -> bool {
    let (x, y) = (t as u32 % SIZE, t as u32 / SIZE);
    x / TILE == 1 && y >= SIZE / 2
}

fn plan_part(recipe: &Recipe, high: &ember_ridge_core::Mesh, around: impl Around + 'static) -> Plan {
    let recipe = Recipe { region: Some(part()), ..recipe.clone() };
    let scene = BakeScene::new(&[&flat()], &[high], None).expect("sound");
    Plan::new(&recipe, &scene).expect("sound").amid(Arc::new(around))
}

fn bake_part(recipe: &Recipe, high: &ember_ridge_core::Mesh, around: Earlier, threads: usize) -> Whole {
    let plan = plan_part(recipe, high, around);
    Whole::of(&run(&plan, threads, &Unwatched).expect("nobody stops it"), 0)
}

#[test]
fn a_region_holds_the_new_bake_and_all_around_it_the_earlier_one() {
    let mut recipe = recipe(SIZE, 4, (0.2, 0.2), maps(&NAMES));
    recipe.sheet.depth = Depth::Sixteen;
    let (before, after) = (sculpt(0.02), sculpt(0.05));
    let (old, new) = (bake(&recipe, &flat(), &[&before]), bake(&recipe, &flat(), &[&after]));
    let mixed = bake_part(&recipe, &after, around(&old, SIZE), 2);
    assert_eq!(mixed.covered, new.covered);
    for name in NAMES {
        let [mixed_values, old_values, new_values] = [&mixed, &old, &new].map(|whole| values(whole, name));
        let of = |whole: &Whole| whole.maps.iter().find(|m| m.id == name).and_then(|m| m.scale);
        // Heights are told by their own scales: both are brought to units.
        let units = |value: f32, scale: Option<f32>| scale.map_or(value, |scale| (value - 0.5) * scale);
        let channels = mixed_values.len() / mixed.covered.len();
        for (at, &value) in mixed_values.iter().enumerate() {
            let (expected, scale) =
                if is_in(at / channels) { (new_values[at], of(&new)) } else { (old_values[at], of(&old)) };
            let off = units(value, of(&mixed)) - units(expected, scale);
            let may = if scale.is_some() { 0.2 / 65535.0 } else { 0.0 };
            assert!(off.abs() <= may, "{name} at {at}: {value} and {expected}");
        }
    }
    let other = bake_part(&recipe, &after, around(&old, SIZE), 1);
    assert_eq!(mixed.maps, other.maps, "the same for any number of threads");
    // It says what it is, in its report and in words.
    assert_eq!(mixed.report.recipe.region, Some(part()));
    assert_eq!(changes(&recipe, &mixed.report.recipe), ["region of 12 % into run 7"]);
    assert!(mixed.report.rays < new.report.rays / 4);
    assert_eq!(mixed.report.covered, new.report.covered);
}

#[test]
fn a_coarser_picture_is_read_between_its_texels_and_flat_colours_are_not_blended() {
    let high = sculpt(0.04);
    let fine = recipe(SIZE, 1, (0.2, 0.2), maps(&NAMES));
    let coarse = bake(&recipe(SIZE / 2, 1, (0.2, 0.2), maps(&NAMES)), &flat(), &[&high]);
    let mixed = bake_part(&fine, &high, around(&coarse, SIZE / 2), 2);
    let whole = bake(&fine, &flat(), &[&high]);
    let furthest = |name: &str| {
        let pairs = values(&mixed, name).into_iter().zip(values(&whole, name));
        pairs.map(|(a, b)| (a - b).abs()).fold(0.0, f32::max)
    };
    assert!((0.001..0.15).contains(&furthest("normal")), "{}", furthest("normal"));
    assert_eq!(furthest("id"), 0.0);
    // A map that the earlier picture lacks is empty around the region.
    let mut lacking = around(&coarse, SIZE / 2);
    assert!(lacking.0.remove("ao").is_some());
    let mixed = bake_part(&fine, &high, lacking, 1);
    let ao = values(&mixed, "ao");
    assert!((0..ao.len()).all(|t| is_in(t) || ao[t] == 1.0));
    assert!((0..ao.len()).any(|t| is_in(t) && ao[t] < 0.95));
}

/// Reads so many maps, and no more.
struct Failing(Earlier, AtomicUsize);

impl Around for Failing {
    fn map(&self, key: &str) -> Result<Option<AroundMap>, String> {
        let left = self.1.fetch_update(Ordering::Relaxed, Ordering::Relaxed, |left| left.checked_sub(1));
        left.map_err(|_| format!("{key}.png: it is damaged; bake a whole final")).and_then(|_| self.0.map(key))
    }
}

#[test]
fn a_region_that_was_cut_off_goes_on_and_ends_the_same() {
    let recipe = recipe(SIZE, 4, (0.2, 0.2), maps(&NAMES));
    let high = sculpt(0.05);
    let old = bake(&recipe, &flat(), &[&sculpt(0.02)]);
    let spool = Arc::new(Lasting::default());
    // A picture that cannot be read ends it, and is told with its file.
    let failing = plan_part(&recipe, &high, Failing(around(&old, SIZE), AtomicUsize::new(2)));
    let ended = run_into(&failing, 1, &Unwatched, spool.clone(), None).err().expect("it cannot be read");
    assert!(matches!(ended, Ended::Around(_)) && ended.to_string().contains("ao.png"), "{ended}");
    let plan = || plan_part(&recipe, &high, around(&old, SIZE));
    let expected = Whole::of(&run(&plan(), 2, &Unwatched).expect("nobody stops it"), 0);
    let whole = |spool| Whole::of(&run_into(&plan(), 2, &Unwatched, spool, None).expect("goes on"), 0);
    assert_eq!(whole(spool.clone()).maps, expected.maps);
    // Some tiles, baked and taken over, were never kept whole.
    let slots = NAMES.len() + 1;
    spool.0.lock().expect("no panic").retain(|slot, _| !(slot / slots).is_multiple_of(3));
    let again = whole(spool);
    assert_eq!((again.maps, again.covered), (expected.maps, expected.covered));
    assert_eq!(again.report.covered, expected.report.covered);
}
