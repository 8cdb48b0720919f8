//! Finishes from proof to proof: what is taken over from the last one gives the bytes of a bake from nothing.

use crate::support::*;
use crate::surfaces::*;
use ember_ridge_core::bake::{KeptTiles, Plan, Unwatched, run};
use ember_ridge_core::finish::*;
use ember_ridge_core::maps::*;
use ember_ridge_core::recipe::Recipe;
use ember_ridge_core::scene::BakeScene;
use std::sync::Arc;

#[test]
fn what_an_earlier_proof_left_gives_the_same_bytes() {
    let bowl = height_field("flat_high", 24, |x, z| 0.2 * ((9.0 * x).sin() * (7.0 * z).cos()).abs());
    let scene = BakeScene::new(&[&flat()], &[&bowl], None).expect("no cage");
    let kept = Arc::new(KeptTiles::default());
    let maps = ["base-color", "roughness", "normal"];
    let bake = |recipe: &Recipe, kept: Option<&Arc<KeptTiles>>| {
        let plan = Plan::new(&recipe.as_proof(), &scene).expect("sound");
        let plan = match kept {
            Some(kept) => plan.keeping(kept),
            None => plan,
        };
        Whole::of(&run(&plan, 2, &Unwatched).expect("nobody stops it"), 0)
    };
    let mut sooty = relief();
    let mut soot = coat("soot", color(SetColor::to(hex("#101010"))));
    soot.place.terms = vec![term(Signal::Occlusion { distance: 0.3 }, [0.0, 0.0], [0.5, 1.0])];
    sooty.coats.push(soot);
    let mut first = recipe_of(vec![sooty], &maps);
    first.finish_rays = Rays::Fixed(4);
    bake(&first, Some(&kept));
    // The same with more rays is another picture.
    first.finish_rays = Rays::Fixed(16);
    let finer = bake(&first, Some(&kept));
    assert!(finer.maps == bake(&first, None).maps);
    let mut second = first.clone();
    second.finishes[0].coats[0].amount = 0.4;
    second.finishes[0].coats[1].sets.color = Some(SetColor::to(hex("#336699")));
    assert!(bake(&second, Some(&kept)).maps == bake(&second, None).maps);
}

/// Each edit changes some channels and leaves others; a proof after it is the same as one from nothing, whatever it takes over.
#[test]
fn edits_of_single_channels_give_the_same_bytes_as_a_bake_from_nothing() {
    let bowl = height_field("flat_high", 24, |x, z| 0.2 * ((9.0 * x).sin() * (7.0 * z).cos()).abs());
    let scene = BakeScene::new(&[&flat()], &[&bowl], None).expect("no cage");
    let kept = Arc::new(KeptTiles::default());
    let maps = ["base-color", "roughness", "metallic", "emission", "opacity", "height", "normal", "displacement"];
    let number = |to: f32| Some(SetNumber::to(to));
    let worn = Sets { roughness: number(0.9), metallic: number(1.0), ..color(SetColor::to(hex("#884422"))) };
    let raised = Sets { height: Some(SetNumber::to(0.01).blended(Blend::Add)), ..color(SetColor::to(hex("#334455"))) };
    let mut coats =
        [coat("worn", worn), coat("matt", Sets { roughness: number(0.2), ..Sets::default() }), coat("raised", raised)];
    for (n, coat) in coats.iter_mut().enumerate() {
        coat.place.terms = vec![term(along_x(0.0, 1.0), [0.1 * n as f32, 0.3], [0.8, 1.0])];
    }
    let mut recipe = recipe_of(vec![finish("f", coats.to_vec())], &maps);
    recipe.sheet.size = 64;
    let lost = SetColor::ramp(Signal::Mask { mask: "nowhere".into() }, [(0.0, hex("#000000")), (1.0, hex("#ffffff"))]);
    let edits: [&dyn Fn(&mut Finish); 11] = [
        &|_| {},
        &|f| f.coats[1].amount = 0.5,
        &|f| f.coats[0].amount = 0.4,
        &|f| f.coats[2].amount = 0.7,
        &|f| f.coats[0].sets.color = Some(lost.clone()),
        &|f| f.coats[0].sets.color = Some(SetColor::to(hex("#884422"))),
        &|f| f.coats[2].muted = true,
        &|f| f.coats[0].solo = true,
        &|f| f.base.opacity = 0.5,
        &|f| f.base.height = 0.02,
        &|f| f.coats.swap(0, 1),
    ];
    for (n, edit) in edits.into_iter().enumerate() {
        edit(&mut recipe.finishes[0]);
        let bake = |plan: Plan| Whole::of(&run(&plan, 2, &Unwatched).expect("nobody stops it"), 0).maps;
        let plan = || Plan::new(&recipe.as_proof(), &scene).expect("sound");
        assert!(bake(plan().keeping(&kept)) == bake(plan()), "edit {n}");
    }
}

#[test]
fn a_mask_that_a_ramp_lies_over_is_part_of_the_finish() {
    let scene = BakeScene::new(&[&flat()], &[], None).expect("no cage");
    let kept = Arc::new(KeptTiles::default());
    let over = Signal::Mask { mask: "m".into() };
    let ramp = SetColor::ramp(over, [(0.0, hex("#000000")), (1.0, hex("#ffffff"))]);
    let mut recipe = recipe_of(vec![finish("f", vec![coat("c", color(ramp))])], &["base-color"]);
    let mut shown = |from: f32| {
        let place =
            PlaceSettings { terms: vec![term(along_x(0.0, 1.0), [from, from], [2.0, 2.0])], ..Default::default() };
        recipe.masks = vec![Mask { name: "m".into(), place }];
        let plan = Plan::new(&recipe.as_proof(), &scene).expect("sound").keeping(&kept);
        let whole = Whole::of(&run(&plan, 1, &Unwatched).expect("nobody stops it"), 0);
        colors(&whole, "base-color")[SIZE as usize / 2].round().x
    };
    assert_eq!([shown(0.9), shown(0.1)], [0.0, 1.0]);
}
