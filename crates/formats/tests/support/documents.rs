//! MaterialX documents under construction, and what they say of a place.

use ember_ridge_core::document::{Document, Documents};
use ember_ridge_core::finish::{
    Columns, DocumentSource, Finish, FinishChannel, FinishGraph, Input, Sources, compile_finish,
};
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::picture::Pictures;
use ember_ridge_formats::materialx::read_document;
use std::sync::Arc;

pub const PLACE: Vec3 = Vec3::new(0.3, 0.7, 0.1);
pub const UV: Vec3 = Vec3::new(0.25, 0.75, 0.0);
pub const NORMAL: Vec3 = Vec3::new(0.0, 0.6, 0.8);
pub const CARRIED: Vec3 = Vec3::new(0.2, 0.4, 0.6);

pub fn read(text: &str) -> Document {
    read_document("test.mtlx", text.as_bytes(), &|_| None).unwrap_or_else(|fault| panic!("{fault}\n{text}"))
}

pub fn lying_on(document: Document, material: Option<&str>) -> FinishGraph {
    let source = DocumentSource {
        file: "test.mtlx".into(),
        hash: None,
        material: material.map(str::to_owned),
        beside: Vec::new(),
    };
    let finish = Finish::of_document("test", source);
    let documents = Documents::from_iter([("test.mtlx".to_owned(), Arc::new(document))]);
    compile_finish(&finish, Sources { masks: &[], images: &Pictures::default(), documents: &documents })
}

pub fn columns(places: &[(Vec3, Vec3)]) -> Columns {
    columns_of(places, 1e-4)
}

/// Places that each stand for a square of this side, on the sheet and on the surface.
pub fn columns_of(places: &[(Vec3, Vec3)], side: f32) -> Columns {
    let mut columns = Columns::default();
    columns.put_vector(Input::Position, places.iter().map(|(place, _)| *place));
    columns.put_vector(Input::TextureUv, places.iter().map(|(_, uv)| *uv));
    columns.put_vector(Input::Normal, places.iter().map(|_| NORMAL));
    columns.put_vector(Input::Carried, places.iter().map(|_| CARRIED));
    columns.put_number(Input::TextureUvSide, vec![side; places.len()]);
    columns.put_number(Input::Side, vec![side; places.len()]);
    columns
}

/// A channel of the first material at a place.
pub fn channel(document: Document, channel: FinishChannel, place: Vec3, uv: Vec3) -> Vec<f32> {
    let made = lying_on(document, None);
    let node = made.nodes[FinishChannel::ALL.iter().position(|c| *c == channel).expect("a channel")];
    made.graph.columns(&[node], &columns(&[(place, uv)]), 0..1).into_iter().map(|column| column[0]).collect()
}

/// The numbers of the node called `n` in some nodes, at a place: each is brought out as light of its own.
pub fn numbers_at(nodes: &str, kind: &str, place: Vec3, uv: Vec3) -> Vec<f32> {
    let width = match kind {
        "float" | "boolean" | "integer" => 1,
        "vector2" => 2,
        "color3" | "vector3" => 3,
        "color4" | "vector4" => 4,
        other => panic!("{other}"),
    };
    let one = |at: usize| {
        let out = match (width, kind) {
            (1, _) => {
                r#"<convert name="x" type="color3"><input name="in" type="float" nodename="n"/></convert>"#.to_owned()
            }
            _ => format!(
                r#"<extract name="e" type="float"><input name="in" type="{kind}" nodename="n"/>
                   <input name="index" type="integer" value="{at}"/></extract>
                   <convert name="x" type="color3"><input name="in" type="float" nodename="e"/></convert>"#
            ),
        };
        let text = format!(
            r#"<?xml version="1.0"?><materialx version="1.39">{nodes}{out}
               <surface_unlit name="s" type="surfaceshader"><input name="emission_color" type="color3" nodename="x"/></surface_unlit>
               </materialx>"#
        );
        let document = read(&text);
        let understood = document.understood(&document.materials[0]);
        assert!(understood.notes.is_empty(), "{:?}\n{text}", understood.notes);
        channel(document, FinishChannel::Emission, place, uv)[0]
    };
    (0..width).map(one).collect()
}

pub fn assert_near(found: &[f32], wanted: &[f32], within: f32, what: &str) {
    assert_eq!(found.len(), wanted.len(), "{what}: {found:?} against {wanted:?}");
    for (a, b) in found.iter().zip(wanted) {
        assert!((a - b).abs() <= within * b.abs().max(1.0), "{what}: {found:?} against {wanted:?}");
    }
}

pub fn shaded(shader: &str) -> String {
    format!(r#"<?xml version="1.0"?><materialx version="1.39">{shader}</materialx>"#)
}
