//! What files are by their names, which sheet each triangle lies on, and fixes as a recipe takes them.

use ember_ridge_core::glam::{vec2, vec3};
use ember_ridge_core::pairs::{Endings, NamedRole};
use ember_ridge_core::recipe::{FixOrder, MeshSource, Missing, safe_fixes};
use ember_ridge_core::sheet::{Layout, sheet_table};
use ember_ridge_core::step::MeshStep;
use ember_ridge_core::{Draft, DraftPart, Finding, FindingKind, Fix, FixOn, Mesh, Place, Recipe, Severity};

#[test]
fn a_name_tells_what_a_file_is_by_its_longest_ending() {
    let words = |all: &[&str]| all.iter().map(|w| (*w).to_owned()).collect();
    let own = Endings { low: words(&["_lo", "_base"]), high: words(&["_hi", "_sculpt_lo"]), cage: words(&["_cage"]) };
    for (file, role) in [
        ("lid_lo.obj", Some(NamedRole::Low)),
        ("Lid-LO.glb", Some(NamedRole::Low)),
        ("lid.sculpt.lo.ply", Some(NamedRole::High)),
        ("lid_hi", Some(NamedRole::High)),
        ("lid_cage.obj", Some(NamedRole::Cage)),
        ("lo.obj", None),
        ("lid_low.obj", None),
        ("", None),
    ] {
        assert_eq!(own.role_of(file), role, "{file}");
    }
    assert_eq!(Endings::default().role_of("stone_highpoly.obj"), Some(NamedRole::High));
}

#[test]
fn an_asset_is_named_after_its_file() {
    let endings = Endings::default();
    for (file, name) in [
        ("lookout_lantern_low.obj", Some("Lookout lantern")),
        ("Stone-03.high.glb", Some("Stone 03")),
        ("écran_lp.ply", Some("Écran")),
        ("rock.obj", Some("Rock")),
        ("_low.obj", Some("Low")),
        ("__.obj", None),
    ] {
        assert_eq!(endings.asset_name(file).as_deref(), name, "{file}");
    }
}

/// Triangles in UDIM tiles 1001, 1002, 1011 and over the border between the first two, of two materials and none.
fn four_triangles() -> Mesh {
    let corners = |u: f32, v: f32| [vec2(u, v), vec2(u + 0.5, v), vec2(u, v + 0.5)];
    let uvs: Vec<_> =
        [(0.1, 0.1), (1.2, 0.2), (0.3, 1.4), (0.7, 0.1)].into_iter().flat_map(|(u, v)| corners(u, v)).collect();
    let part = |name: &str, material: Option<&str>, first: u32| DraftPart {
        name: name.into(),
        indices: vec![first, first + 1, first + 2],
        material: material.map(Into::into),
        ..DraftPart::default()
    };
    Draft {
        positions: uvs.iter().map(|uv| vec3(uv.x, 0.0, uv.y)).collect(),
        uvs,
        parts: vec![
            part("a", Some("tin"), 0),
            part("b", Some("glass"), 3),
            part("c", None, 6),
            part("d", Some("tin"), 9),
        ],
        ..Draft::default()
    }
    .finish()
    .expect("whole")
}

#[test]
fn a_triangle_lies_on_the_sheet_of_its_middle_or_of_its_material() {
    let mesh = four_triangles();
    let names = |all: &[&str]| all.iter().map(|n| (*n).to_owned()).collect::<Vec<_>>();
    let udim = sheet_table(&mesh, Layout::Udim, &names(&["1001", "1002", "1011"]));
    assert_eq!(udim.of, [Some(0), Some(1), Some(2), Some(0)]);
    assert_eq!(udim.corners, [[0, 0], [1, 0], [0, 1]]);
    let materials = sheet_table(&mesh, Layout::Materials, &names(&["tin", "no-material"]));
    assert_eq!(materials.of, [Some(0), None, Some(1), Some(0)], "one whose material has no sheet lies on none");
    assert_eq!(sheet_table(&mesh, Layout::One, &names(&[""])).of, [Some(0); 4]);
}

fn finding(file: &str, steps: &[MeshStep]) -> Finding {
    let fixes = steps.iter().map(|step| Fix::of_file("fix it", step.clone())).collect();
    let place = Place { file: Some(file.to_owned()), ..Place::default() };
    Finding::new(FindingKind::TurnedFaces, Severity::Fault, "r", "r").at(place).with_fixes(fixes)
}

#[test]
fn safe_fixes_are_the_first_of_each_once_and_laying_out_comes_last() {
    let turn = MeshStep::TurnFaces { part: None };
    let (lay_out, scale) = (MeshStep::LayOut { part: None }, MeshStep::Scale { factor: 2.0 });
    let steps = |findings: &[Finding]| safe_fixes(findings).into_iter().map(|o| o.step).collect::<Vec<_>>();
    let accepted = Finding { allowed: Some("so".into()), ..finding("b.obj", std::slice::from_ref(&scale)) };
    let all = [
        finding("a.obj", std::slice::from_ref(&lay_out)),
        finding("a.obj", &[turn.clone(), scale.clone()]),
        finding("a.obj", std::slice::from_ref(&turn)),
        finding("b.obj", std::slice::from_ref(&turn)),
        finding("c.obj", &[]),
        accepted,
    ];
    assert_eq!(steps(&all), [turn.clone(), turn.clone()], "each file's once");
    assert_eq!(steps(&all[..1]), [lay_out], "laid out when nothing else is left to do");
    assert_eq!(steps(&all[4..]), []);
}

#[test]
fn a_fix_is_recorded_with_the_files_it_is_for() {
    let mut recipe = Recipe::new("lid");
    assert_eq!(recipe.missing(), Some(Missing::LowPoly));
    recipe.low = vec![MeshSource::file("lid.obj")];
    assert_eq!(recipe.missing(), Some(Missing::Sculpt));
    recipe.high = vec![MeshSource::file("lid.obj"), MeshSource::file("nails.obj")];
    assert_eq!(recipe.missing(), None);
    let order = |file: Option<&str>, on| FixOrder {
        file: file.map(str::to_owned),
        step: MeshStep::TurnFaces { part: None },
        on,
    };
    let counts = |r: &Recipe| r.low.iter().chain(&r.high).map(|s| s.steps.len()).collect::<Vec<_>>();
    recipe.take_fix(&order(Some("lid.obj"), FixOn::File)).expect("there");
    assert_eq!(counts(&recipe), [1, 0, 0], "of two of one name the low-poly's");
    recipe.take_fix(&order(None, FixOn::Sculpt)).expect("there");
    recipe.take_fix(&order(Some("nails.obj"), FixOn::File)).expect("there");
    assert_eq!(counts(&recipe), [1, 1, 2]);
    let gone = recipe.take_fix(&order(Some("rope.obj"), FixOn::File));
    assert!(gone.is_err_and(|text| text.contains("rope.obj")) && counts(&recipe) == [1, 1, 2]);
}
