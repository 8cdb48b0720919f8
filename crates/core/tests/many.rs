//! Assets of very many parts and materials, and what regions are called: no number wraps, no two regions share a colour unsaid,
//! and a region keeps its colour when others come and go.

use crate::support::*;
use ember_ridge_core::finding::{FindingKind, Severity};
use ember_ridge_core::glam::{Vec2, Vec3, vec2, vec3};
use ember_ridge_core::inspect::check_mesh;
use ember_ridge_core::maps::{IdSettings, IdSource, MapSettings, PaletteEntry, colour_of_name};
use ember_ridge_core::picture::Pixels;
use ember_ridge_core::recipe::changes;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::{Draft, DraftPart, Mesh};
use std::collections::HashSet;

fn id_map(from: IdSource) -> Vec<MapSettings> {
    vec![MapSettings::Id(IdSettings { from })]
}

/// Squares of a `side` by `side` board from number `from` on, each a part and a material of its own, `wide` cells wide about the
/// cell's middle. UVs are those of the board.
fn board(side: usize, numbers: std::ops::Range<usize>, wide: f32, height: impl Fn(usize) -> f32) -> Mesh {
    let mut draft = Draft::default();
    for number in numbers {
        let middle = vec2((number % side) as f32 + 0.5, (number / side) as f32 + 0.5) / side as f32;
        let first = draft.positions.len() as u32;
        for (a, b) in [(-1.0, -1.0), (-1.0, 1.0), (1.0, 1.0), (1.0, -1.0)] {
            let at: Vec2 = middle + vec2(a, b) * (0.5 * wide / side as f32);
            draft.positions.push(vec3(at.x, height(number), at.y));
            draft.uvs.push(vec2(at.x, 1.0 - at.y));
        }
        let indices = [0, 1, 2, 0, 2, 3].map(|i| i + first).to_vec();
        let material = Some(format!("m{number}"));
        draft.parts.push(DraftPart { name: format!("cell {number} x"), material, indices, ..DraftPart::default() });
    }
    draft.finish().expect("squares are a whole mesh")
}

fn color_at(map: &WholeMap, size: usize, x: usize, y: usize) -> [u8; 3] {
    let Pixels::U8(bytes) = &map.pixels else { panic!("8 bits") };
    std::array::from_fn(|c| bytes[(y * size + x) * 3 + c])
}

/// Each cell's sculpt covers its neighbours too and lies higher than some: only its own may be hit.
#[test]
fn seventy_thousand_parts_see_each_their_own() {
    const SIDE: usize = 265;
    const SIZE: usize = 1060;
    let all = 0..SIDE * SIDE;
    let height = |number: usize| 0.01 + 0.0001 * (number % 7) as f32;
    let low = board(SIDE, all.clone(), 1.0, |_| 0.0);
    // From two files, neither of which has too many parts for 16 bits.
    let halves = [board(SIDE, 0..SIDE * 130, 2.9, height), board(SIDE, SIDE * 130..all.end, 2.9, height)];
    let high: Vec<&Mesh> = halves.iter().collect();
    assert!(all.len() > 70_000 && halves.iter().all(|h| h.parts.len() < 65_535));
    let joined = Mesh::joined(&high);
    let materials: HashSet<u32> = joined.triangle_materials.iter().copied().collect();
    assert_eq!(materials.len(), all.len());
    for from in [IdSource::Part, IdSource::LowPart, IdSource::MaterialPart] {
        let mut recipe = recipe(SIZE as u32, 1, (0.02, 0.02), id_map(from));
        recipe.sheet.dither = false;
        let scene = BakeScene::new(&[&low], &high, None).expect("no cage");
        let began = std::time::Instant::now();
        let whole = bake_scene(&recipe, &scene, 2, &ember_ridge_core::bake::Unwatched).expect("nobody stops it");
        println!("{from:?}: {:.1} s", began.elapsed().as_secs_f32());
        assert_eq!(whole.counts.misses, 0);
        let palette: &[PaletteEntry] = whole.maps[0].palette.as_ref().expect("ids have one");
        let colors: HashSet<[u8; 3]> = palette.iter().map(|p| p.color).collect();
        let names: HashSet<&str> = palette.iter().map(|p| p.name.as_str()).collect();
        assert_eq!((colors.len(), names.len()), (all.len() + usize::from(palette.len() > all.len()), palette.len()));
        let of_name: std::collections::HashMap<&str, [u8; 3]> =
            palette.iter().map(|p| (p.name.as_str(), p.color)).collect();
        for number in all.clone() {
            let name = match from {
                IdSource::MaterialPart => format!("cell {number} x / m{number}"),
                _ => format!("cell {number} x"),
            };
            let (x, y) = (number % SIDE * 4 + 2, number / SIDE * 4 + 2);
            assert_eq!(color_at(&whole.maps[0], SIZE, x, y), of_name[name.as_str()], "{name}");
        }
        // Of seventy thousand names some have one colour: said, and fixed.
        let clash = whole.report.findings.iter().find(|f| f.kind == FindingKind::ColoursMerged);
        assert_eq!(clash.map(|f| f.severity), Some(Severity::Note));
    }
}

/// Names whose colours are the same by chance, found by trying: the first keeps it, the other has another, and it is said.
#[test]
fn two_regions_never_share_a_colour_unsaid() {
    let mut met = std::collections::HashMap::new();
    let (a, b) = (0..)
        .find_map(|n: u32| {
            let name = format!("p{n}");
            met.insert(colour_of_name(&name), name.clone()).map(|earlier| (earlier, name))
        })
        .expect("there are fewer colours than names");
    let named = |name: &str, x: f32| {
        let mut mesh = moved(&height_field(name, 1, |_, _| 0.0), Vec3::X * x);
        mesh.uvs.iter_mut().for_each(|uv| *uv = vec2(uv.x * 0.4 + 0.5 * x, uv.y));
        mesh
    };
    let (first, second) = (named(&a, 0.0), named(&b, 1.0));
    let both = Mesh::joined(&[&first, &second]);
    let whole = bake(&recipe(32, 1, (0.1, 0.1), id_map(IdSource::Part)), &both, &[&both]);
    let palette = whole.maps[0].palette.as_ref().expect("ids have one");
    assert_ne!(palette[0].color, palette[1].color);
    assert!(palette.iter().any(|p| p.color == colour_of_name(&a)));
    let said = whole.report.findings.iter().find(|f| f.kind == FindingKind::ColoursMerged).expect("it is said");
    assert!(said.reason.contains(&a) && said.reason.contains(&b), "{}", said.reason);
}

/// What regions are called, and their colours, with one more region in front of them.
#[test]
fn pieces_and_islands_keep_their_colours_when_others_come() {
    let bolts = |places: &[Vec3]| {
        let cubes: Vec<Mesh> = places
            .iter()
            .map(|&p| {
                let cube = moved(&scaled(&cube("bolts", 1.0), 0.1), p);
                with_uvs(&cube, |uv| vec2(uv.x * 0.2 + 0.25 * p.x, uv.y * 0.2))
            })
            .collect();
        let mut mesh = Mesh::joined(&cubes.iter().collect::<Vec<_>>());
        let all = 0..mesh.triangles.len() as u32;
        mesh.parts = vec![ember_ridge_core::mesh::Part { name: "bolts".into(), triangles: all }];
        mesh
    };
    let places = [vec3(1.0, 0.0, 0.0), vec3(2.0, 0.5, -0.25), vec3(3.0, 0.0, 0.0)];
    let more = [&[vec3(0.0, 0.0, 1.0)], places.as_slice()].concat();
    for (from, each) in [(IdSource::Piece, 1), (IdSource::Island, 6)] {
        let palette = |mesh: &Mesh| {
            let whole = bake(&recipe(64, 1, (0.01, 0.01), id_map(from)), mesh, &[mesh]);
            whole.maps[0].palette.clone().expect("ids have one")
        };
        let (before, after) = (palette(&bolts(&places)), palette(&bolts(&more)));
        assert_eq!((before.len(), after.len()), (3 * each, 4 * each), "{from:?}");
        for entry in &before {
            assert!(after.contains(entry), "{from:?}: {entry:?} in {after:?}");
            assert!(entry.name.starts_with("bolts at "), "{}", entry.name);
        }
    }
    let whole = bake(&recipe(64, 1, (0.01, 0.01), id_map(IdSource::Piece)), &bolts(&places), &[&bolts(&places)]);
    let names: Vec<String> = whole.maps[0].palette.iter().flatten().map(|p| p.name.clone()).collect();
    assert!(names.contains(&"bolts at 2.00 0.50 -0.25".to_owned()), "{names:?}");
}

/// An overlap is a warning from the share on that its figure shows.
#[test]
fn an_overlap_too_small_to_show_is_no_warning() {
    let over = |side: f32| {
        let left = with_uvs(&height_field("left", 1, |_, _| 0.0), |uv| uv * vec2(0.5, 1.0));
        let right = with_uvs(&height_field("right", 1, |_, _| 0.0), |uv| vec2(0.5 - side, 0.2) + uv * vec2(0.1, side));
        let found = check_mesh(&Mesh::joined(&[&left, &moved(&right, Vec3::X)]), true);
        found.into_iter().find(|f| f.kind == FindingKind::OverlappingUvs)
    };
    assert_eq!(over(0.0), None);
    let small = over(0.005).expect("some thousand texels of the largest sheet");
    assert_eq!(small.severity, Severity::Note);
    assert!(small.reason.contains("less than 0.01 %"), "{}", small.reason);
    let large = over(0.04).expect("a sixth of a percent");
    assert_eq!(large.severity, Severity::Warning);
    assert!(large.reason.contains("0.16 %"), "{}", large.reason);
}

/// What a finding counts are texels, and it looks at the place that has most of them.
#[test]
fn findings_look_where_the_most_texels_are() {
    // Holes in the sculpt: a small one first in reading order, a large one further down.
    let low = height_field("plate", 1, |_, _| 0.0);
    let mut high = height_field("plate", 64, |_, _| 0.0);
    let hole = |p: Vec3, x: f32, z: f32, half: f32| (p.x - x).abs() < half && (p.z - z).abs() < half;
    let middle = |t: &[u32; 3]| t.iter().map(|&v| high.positions[v as usize]).sum::<Vec3>() / 3.0;
    let kept = |t: &&[u32; 3]| !hole(middle(t), 0.25, 0.125, 0.0157) && !hole(middle(t), 0.6875, 0.8125, 0.0626);
    let triangles: Vec<[u32; 3]> = high.triangles.iter().filter(kept).copied().collect();
    high.parts[0].triangles = 0..triangles.len() as u32;
    high.triangles = triangles;
    let whole = bake(&recipe(256, 1, (0.1, 0.1), vec![MapSettings::by_key("miss").expect("known")]), &low, &[&high]);
    let found = whole.report.findings.iter().find(|f| f.kind == FindingKind::Misses).expect("there are holes");
    assert_eq!(u64::from(found.place.count), whole.counts.misses);
    assert!(found.reason.contains(&format!("{} texels", whole.counts.misses)), "{}", found.reason);
    let uv = found.place.uv.expect("a place on the sheet");
    assert!((uv[0] - 0.6875).abs() < 0.07 && (uv[1] - (1.0 - 0.8125)).abs() < 0.07, "{uv:?}");
}

/// Every setting of every map that changes is told, by name, with what it was and what it is.
#[test]
fn the_change_log_misses_no_setting() {
    use ember_ridge_core::maps::{AoSettings, Falloff, Green, NormalSettings};
    use ember_ridge_core::recipe::{MeshSource, NormalMapSource, Recipe};
    let mut before = Recipe::new("lid");
    before.maps = vec![MapSettings::Ao(AoSettings::default())];
    before.normal_map = Some(NormalMapSource { file: "n.png".into(), hash: Some("1".into()), y: Default::default() });
    before.cage = Some(MeshSource { hash: Some("1".into()), ..MeshSource::file("cage.obj") });
    let mut after = before.clone();
    let ao = AoSettings { falloff: Falloff::Linear, clear: vec!["wire".into()], ..AoSettings::default() };
    after.maps = vec![MapSettings::Ao(ao)];
    assert_eq!(changes(&before, &after), vec!["Occlusion clear none to wire", "Occlusion falloff none to linear"]);
    let normal = |y| vec![MapSettings::Normal(NormalSettings { y, carried: y == Green::Up })];
    let [up, down] = [Green::Up, Green::Down].map(|y| Recipe { maps: normal(y), ..before.clone() });
    assert_eq!(changes(&up, &down), vec!["Normal carried on to off", "Normal green Y+ (green up) to Y- (green down)"]);
    after = before.clone();
    after.normal_map.iter_mut().for_each(|n| n.y = Green::Down);
    assert_eq!(changes(&before, &after), vec!["normal map's green Y+ (green up) to Y- (green down)"]);
    after = before.clone();
    after.normal_map.iter_mut().for_each(|n| n.hash = Some("2".into()));
    after.cage.iter_mut().for_each(|c| c.hash = Some("2".into()));
    assert_eq!(changes(&before, &after), vec!["cage cage.obj to newer cage.obj", "normal map n.png to newer n.png"]);
}
