//! Whole MaterialX documents: what shaders come down to, what is told, documents as artists have them, and those that are damaged or made
//! to do harm.

use crate::support::documents::{PLACE, UV, assert_near, channel, columns, columns_of, lying_on, read, shaded};
use ember_ridge_core::finish::{FinishChannel, FinishFault};
use ember_ridge_core::glam::Vec3;
use ember_ridge_formats::materialx::read_document;

#[test]
fn shaders_come_down_to_the_channels_of_a_finish() {
    use FinishChannel::{Color, Emission, Metallic, Opacity, Roughness};
    let cases: [(&str, [&[f32]; 5]); 5] = [
        (
            r#"<standard_surface name="s" type="surfaceshader"><input name="base" type="float" value="0.5"/>
               <input name="base_color" type="color3" value="0.4,0.6,0.8"/><input name="metalness" type="float" value="1"/>
               <input name="specular_roughness" type="float" value="0.35"/><input name="emission" type="float" value="2"/>
               <input name="emission_color" type="color3" value="1,0.5,0"/><input name="opacity" type="color3" value="0.3,0.6,0.9"/>
               </standard_surface>"#,
            [&[0.2, 0.3, 0.4], &[0.35], &[1.0], &[2.0, 1.0, 0.0], &[0.6]],
        ),
        (
            r#"<open_pbr_surface name="s" type="surfaceshader"><input name="base_color" type="color3" value="0.4,0.6,0.8"/>
               <input name="base_metalness" type="float" value="0.25"/><input name="geometry_opacity" type="float" value="0.5"/>
               </open_pbr_surface>"#,
            [&[0.4, 0.6, 0.8], &[0.3], &[0.25], &[0.0, 0.0, 0.0], &[0.5]],
        ),
        (
            r#"<gltf_pbr name="s" type="surfaceshader"><input name="alpha" type="float" value="0.4"/>
               <input name="alpha_mode" type="integer" value="1"/><input name="emissive" type="color3" value="0.5,0.25,0"/>
               <input name="emissive_strength" type="float" value="4"/></gltf_pbr>"#,
            [&[1.0, 1.0, 1.0], &[1.0], &[1.0], &[2.0, 1.0, 0.0], &[0.0]],
        ),
        (
            r#"<UsdPreviewSurface name="s" type="surfaceshader"><input name="roughness" type="float" value="0.7"/></UsdPreviewSurface>"#,
            [&[0.18, 0.18, 0.18], &[0.7], &[0.0], &[0.0, 0.0, 0.0], &[1.0]],
        ),
        (
            r#"<surface_unlit name="s" type="surfaceshader"><input name="emission" type="float" value="0.5"/></surface_unlit>"#,
            [&[0.0, 0.0, 0.0], &[1.0], &[0.0], &[0.5, 0.5, 0.5], &[1.0]],
        ),
    ];
    for (shader, wanted) in cases {
        for (which, wanted) in [Color, Roughness, Metallic, Emission, Opacity].into_iter().zip(wanted) {
            assert_near(
                &channel(read(&shaded(shader)), which, PLACE, UV),
                wanted,
                1e-6,
                &format!("{which:?} {shader}"),
            );
        }
    }
}

#[test]
fn surfaces_mix_and_displacement_is_height_in_metres() {
    let text = shaded(
        r#"<standard_surface name="a" type="surfaceshader"><input name="base_color" type="color3" value="1,0,0"/></standard_surface>
           <gltf_pbr name="b" type="surfaceshader"><input name="base_color" type="color3" value="0,1,0"/>
           <input name="metallic" type="float" value="0.5"/><input name="roughness" type="float" value="0.6"/></gltf_pbr>
           <mix name="m" type="surfaceshader"><input name="bg" type="surfaceshader" nodename="a"/>
           <input name="fg" type="surfaceshader" nodename="b"/><input name="mix" type="float" value="0.25"/></mix>
           <displacement name="d" type="displacementshader"><input name="displacement" type="float" value="2" unit="centimeter" unittype="distance"/>
           <input name="scale" type="float" value="0.5"/></displacement>
           <surfacematerial name="Mixed" type="material"><input name="surfaceshader" type="surfaceshader" nodename="m"/>
           <input name="displacementshader" type="displacementshader" nodename="d"/></surfacematerial>"#,
    );
    let of = |which| channel(read(&text), which, PLACE, UV);
    assert_near(&of(FinishChannel::Color), &[0.75, 0.25, 0.0], 1e-6, "colour");
    assert_near(&of(FinishChannel::Roughness), &[0.3], 1e-6, "roughness");
    assert_near(&of(FinishChannel::Metallic), &[0.125], 1e-6, "metallic");
    assert_near(&of(FinishChannel::Height), &[0.01], 1e-8, "height");
}

#[test]
fn colours_become_light_by_the_space_that_is_nearest() {
    let one = |around: &str, own: &str| {
        let text = format!(
            r#"<materialx version="1.39" {around}><surface_unlit name="s" type="surfaceshader">
               <input name="emission_color" type="color3" value="0.5,0.5,0.5" {own}/></surface_unlit></materialx>"#
        );
        channel(read(&text), FinishChannel::Emission, PLACE, UV)[1]
    };
    let srgb = ((0.5f32 + 0.055) / 1.055).powf(2.4);
    assert_near(&[one("", "")], &[0.5], 1e-7, "no space");
    assert_near(&[one("colorspace='srgb_texture'", "")], &[srgb], 1e-6, "srgb around");
    assert_near(&[one("colorspace='srgb_texture'", "colorspace='lin_rec709'")], &[0.5], 1e-7, "nearest");
    assert_near(&[one("", "colorspace='g22_rec709'")], &[0.5f32.powf(2.2)], 1e-6, "gamma");
    // Grey stays grey between sets of primaries of one white.
    assert_near(&[one("", "colorspace='acescg'")], &[0.5], 1e-5, "primaries");
}

#[test]
fn what_is_not_understood_is_told_and_never_black() {
    let text = shaded(
        r#"<glitter name="g" type="color3"><input name="in" type="color3" nodename="c"/></glitter>
           <constant name="c" type="color3"><input name="value" type="color3" value="0.2,0.3,0.4"/></constant>
           <sparkle name="h" type="float"/>
           <standard_surface name="s" type="surfaceshader"><input name="base_color" type="color3" nodename="g"/>
           <input name="specular_roughness" type="float" nodename="h"/><input name="coat" type="float" value="1"/></standard_surface>"#,
    );
    let made = lying_on(read(&text), None);
    let told: Vec<String> = made
        .faults
        .iter()
        .map(|fault| match fault {
            FinishFault::Document { why } => why.clone(),
            other => panic!("{other:?}"),
        })
        .collect();
    for said in ["'glitter'", "'sparkle'", "coat of standard_surface"] {
        assert!(told.iter().any(|why| why.contains(said)), "{said}: {told:?}");
    }
    // What it would have changed goes through; what is from nowhere is mid-grey.
    assert_near(&channel(read(&text), FinishChannel::Color, PLACE, UV), &[0.2, 0.3, 0.4], 1e-6, "colour");
    assert_near(&channel(read(&text), FinishChannel::Roughness, PLACE, UV), &[0.5], 1e-6, "roughness");
}

#[test]
fn pictures_are_read_as_their_space_and_edges_say() {
    // Red, green on top; blue, white below; at the middle of each texel.
    let (texels, mut png) = ([255, 0, 0, 0, 255, 0, 0, 0, 255, 255, 255, 128], Vec::new());
    image::ImageEncoder::write_image(
        image::codecs::png::PngEncoder::new(&mut png),
        &texels,
        2,
        2,
        image::ExtendedColorType::Rgb8,
    )
    .expect("a picture");
    let at = |u: f32, v: f32, more: &str| {
        let text = shaded(&format!(
            r#"<image name="i" type="color3"><input name="file" type="filename" value="a.png" {more}/>
               <input name="default" type="color3" value="0.1,0.2,0.3"/><input name="uaddressmode" type="string" value="constant"/>
               <input name="filtertype" type="string" value="closest"/></image>
               <surface_unlit name="s" type="surfaceshader"><input name="emission_color" type="color3" nodename="i"/></surface_unlit>"#
        ));
        let bytes = png.clone();
        let document = read_document("t.mtlx", text.as_bytes(), &move |file| (file == "a.png").then(|| bytes.clone()));
        channel(document.expect("read"), FinishChannel::Emission, PLACE, Vec3::new(u, v, 0.0))
    };
    assert_near(&at(0.25, 0.75, ""), &[1.0, 0.0, 0.0], 1e-6, "top left");
    assert_near(&at(0.75, 0.25, ""), &[1.0, 1.0, 128.0 / 255.0], 1e-6, "bottom right, as it stands");
    let light = ((128.0f32 / 255.0 + 0.055) / 1.055).powf(2.4);
    assert_near(&at(0.75, 0.25, "colorspace='srgb_texture'"), &[1.0, 1.0, light], 1e-5, "bottom right, as light");
    assert_near(&at(0.75, 1.25, ""), &[1.0, 1.0, 128.0 / 255.0], 1e-6, "repeated along v");
    assert_near(&at(1.25, 0.75, ""), &[0.1, 0.2, 0.3], 1e-6, "its default beyond u");
}

/// A picture of black and white texels, many times over the square that a place stands for, is grey there.
#[test]
fn pictures_that_are_tiled_finely_are_averaged() {
    let mut png = Vec::new();
    let texels = [0, 255, 255, 0].map(|c| [c; 3]).concat();
    ember_ridge_formats::image::write_png(&mut png, 2, 3, &texels).expect("a picture");
    let text = shaded(
        r#"<tiledimage name="i" type="color3"><input name="file" type="filename" value="a.png"/>
           <input name="uvtiling" type="vector2" value="64, 64"/></tiledimage>
           <surface_unlit name="s" type="surfaceshader"><input name="emission_color" type="color3" nodename="i"/></surface_unlit>"#,
    );
    let document = read_document("t.mtlx", text.as_bytes(), &|_| Some(png.clone())).expect("read");
    let made = lying_on(document, None);
    let places: Vec<(Vec3, Vec3)> = (0..50).map(|i| (PLACE, Vec3::new(0.013 * i as f32, 25.25 / 64.0, 0.0))).collect();
    let emission = made.nodes[3];
    let light = |side: f32| made.graph.columns(&[emission], &columns_of(&places, side), 0..places.len())[0].clone();
    assert!(light(1.0 / 64.0).iter().all(|light| (light - 0.5).abs() < 1e-3), "{:?}", light(1.0 / 64.0));
    // Seen closely it is as black and white as it is.
    assert!(light(1e-5).iter().any(|light| *light < 0.1) && light(1e-5).iter().any(|light| *light > 0.9));
}

#[test]
fn a_picture_that_is_missing_shows_stripes_and_is_told_as_a_picture() {
    let text = shaded(
        r#"<image name="i" type="color3"><input name="file" type="filename" value="a.png"/></image>
           <image name="r" type="float"><input name="file" type="filename" value="b.png"/><input name="default" type="float" value="0.25"/></image>
           <standard_surface name="s" type="surfaceshader"><input name="base_color" type="color3" nodename="i"/>
           <input name="specular_roughness" type="float" nodename="r"/></standard_surface>"#,
    );
    let told = lying_on(read(&text), None).faults;
    let of = |file: &str| {
        let missing = |fault: &FinishFault| matches!(fault, FinishFault::DocumentPicture { why } if why.contains(file));
        told.iter().filter(|fault| missing(fault)).count()
    };
    assert_eq!((of("a.png"), of("b.png"), told.len()), (1, 1, 2), "{told:?}");
    let [r, _, b] = <[f32; 3]>::try_from(channel(read(&text), FinishChannel::Color, PLACE, UV)).expect("a colour");
    assert!(r > 0.5 && r > b, "ember or ash: {r} {b}");
    assert_near(&channel(read(&text), FinishChannel::Roughness, PLACE, UV), &[0.25], 1e-6, "its default");
}

#[test]
fn of_very_many_faults_the_first_are_told_and_the_rest_counted() {
    let mut text = String::from("<materialx version='1.39'>");
    for i in 0..300 {
        text += &format!("<add name='a{i}' type='float'><input name='in1' type='float' nodename='g{i}'/>");
        let next =
            if i > 0 { format!("<input name='in2' type='float' nodename='a{}'/>", i - 1) } else { String::new() };
        text += &format!("{next}</add><glitter name='g{i}' type='float'/>");
    }
    text += "<surface_unlit name='s' type='surfaceshader'><input name='emission' type='float' nodename='a299'/></surface_unlit></materialx>";
    let document = read(&text);
    let understood = document.understood(&document.materials[0]);
    assert_eq!(understood.nodes.iter().flatten().count(), 300);
    assert_eq!(understood.told.len(), 51);
    assert!(understood.told[50].ends_with("more of the kind"), "{}", understood.told[50]);
}

/// Documents as artists have them, one per kind of material.
const DOCUMENTS: [(&str, &str); 6] = [
    ("wood", include_str!("materialx/wood.mtlx")),
    ("brick", include_str!("materialx/brick.mtlx")),
    ("marble", include_str!("materialx/marble.mtlx")),
    ("rusted metal", include_str!("materialx/rusted_metal.mtlx")),
    ("tiled", include_str!("materialx/tiled.mtlx")),
    ("layered", include_str!("materialx/layered.mtlx")),
];

#[test]
fn documents_of_six_kinds_are_understood_and_vary_over_the_surface() {
    for (name, text) in DOCUMENTS {
        let document = read(text);
        let material = document.material(None).expect("a material");
        let understood = document.understood(material);
        // The one picture is not beside it here.
        let unknown: Vec<_> = understood.notes.iter().filter(|note| !note.contains("tiles.png")).collect();
        assert!(unknown.is_empty(), "{name}: {unknown:?}");
        let made = lying_on(document, None);
        let places: Vec<(Vec3, Vec3)> = (0..400)
            .map(|i| {
                let (u, v) = ((i % 20) as f32 / 20.0, (i / 20) as f32 / 20.0);
                (Vec3::new(u * 2.0 - 1.0, v * 2.0 - 1.0, u * v), Vec3::new(u, v, 0.0))
            })
            .collect();
        let all = made.graph.columns(&made.nodes, &columns(&places), 0..places.len());
        assert!(all.iter().flatten().all(|value| value.is_finite()), "{name}");
        let spread = |column: &Vec<f32>| {
            let (low, high) = column.iter().fold((f32::MAX, f32::MIN), |(l, h), v| (l.min(*v), h.max(*v)));
            assert!((-0.01..=1.6).contains(&low) && high < 1.6, "{name}: {low} to {high}");
            high - low
        };
        assert!(spread(&all[0]) > 0.02, "{name}: its colour hardly varies");
        let mean = all[0].iter().sum::<f32>() / 400.0;
        assert!(mean > 0.02, "{name}: it is black");
    }
}

fn refused(text: &str) -> String {
    read_document("bad.mtlx", text.as_bytes(), &|_| None).expect_err("it is refused").to_string()
}

#[test]
fn damaged_documents_are_refused_with_line_and_remedy() {
    let root = |inside: &str| format!("<materialx version=\"1.39\">\n{inside}\n</materialx>");
    let cases: [(String, &[&str]); 10] = [
        (String::new(), &["no element"]),
        ("<materialx version='1.39'>\n<add name='a'".into(), &["line 2", "XML"]),
        ("<materialx version='1.39'>\n<add name='a' type='float'>".into(), &["line 2", "<add> is not closed"]),
        ("<html/>".into(), &["<html>", "MaterialX document"]),
        ("<?xml version='1.0'?>\n<!DOCTYPE a [<!ENTITY b 'c'>]>\n<materialx/>".into(), &["line 2", "document type"]),
        (
            root(
                "<surface_unlit name='s' type='surfaceshader'>\n<input name='emission' type='float' value='bright'/></surface_unlit>",
            ),
            &["line 3", "'bright' is not a number"],
        ),
        (
            root(
                "<surface_unlit name='s' type='surfaceshader'><input name='emission_color' type='color3' value='1,2'/></surface_unlit>",
            ),
            &["line 2", "3 numbers"],
        ),
        (
            root(
                "<surface_unlit name='s' type='surfaceshader'>\n<input name='emission' type='float' nodename='gone'/></surface_unlit>",
            ),
            &["line 3", "'gone', which is not there", "Correct the name"],
        ),
        (
            root(
                "<surface_unlit name='s' type='surfaceshader'><input name='emission' type='float' nodename='a'/></surface_unlit>\n<add name='a' type='float'><input name='in1' type='float' nodename='b'/></add>\n<add name='b' type='float'><input name='in1' type='float' nodename='a'/></add>",
            ),
            &["reads itself", "circle"],
        ),
        (
            root(
                "<surface_unlit name='s' type='surfaceshader'><input name='emission' type='float' value='inf'/></surface_unlit>",
            ),
            &["line 2", "'inf'"],
        ),
    ];
    for (text, wanted) in cases {
        let fault = refused(&text);
        assert!(fault.starts_with("bad.mtlx: "), "{fault}");
        for said in wanted {
            assert!(fault.contains(said), "{said}: {fault}");
        }
    }
}

#[test]
fn documents_made_to_do_harm_end_soon() {
    // Entities that multiply.
    let laughs = "<!DOCTYPE m [<!ENTITY a \"aaaaaaaaaa\"><!ENTITY b \"&a;&a;&a;&a;\">]><materialx version=\"&b;\"/>";
    assert!(refused(laughs).contains("document type"));
    // Node graphs that hold each other twice, thirty deep: a billion nodes.
    let mut text = String::from("<materialx version='1.39'>");
    for level in 0..30 {
        let inner = level + 1;
        let part = if level == 29 {
            "<constant name='a' type='float'><input name='value' type='float' value='1'/></constant><output name='out' type='float' nodename='a'/>".to_owned()
        } else {
            format!(
                "<n{inner} name='a' type='float'/><n{inner} name='b' type='float'/><add name='c' type='float'><input name='in1' type='float' nodename='a'/><input name='in2' type='float' nodename='b'/></add><output name='out' type='float' nodename='c'/>"
            )
        };
        text += &format!(
            "<nodedef name='D{level}' node='n{level}'><output name='out' type='float'/></nodedef><nodegraph name='G{level}' nodedef='D{level}'>{part}</nodegraph>"
        );
    }
    text += "<n0 name='top' type='float'/><surface_unlit name='s' type='surfaceshader'><input name='emission' type='float' nodename='top'/></surface_unlit></materialx>";
    assert!(refused(&text).contains("nodes"), "{}", refused(&text));
    // A node graph inside itself.
    let own = "<materialx version='1.39'><nodedef name='D' node='n'><output name='out' type='float'/></nodedef><nodegraph name='G' nodedef='D'><n name='a' type='float'/><output name='out' type='float' nodename='a'/></nodegraph><n name='t' type='float'/><surface_unlit name='s' type='surfaceshader'><input name='emission' type='float' nodename='t'/></surface_unlit></materialx>";
    assert!(refused(own).contains("in a row") || refused(own).contains("deep"), "{}", refused(own));
    // A row of nodes that is very long, elements very deep, and one attribute twice.
    let mut row = String::from(
        "<materialx version='1.39'><surface_unlit name='s' type='surfaceshader'><input name='emission' type='float' nodename='a0'/></surface_unlit>",
    );
    for i in 0..5000 {
        row += &format!("<add name='a{i}' type='float'><input name='in1' type='float' nodename='a{}'/></add>", i + 1);
    }
    row += "<constant name='a5000' type='float'/></materialx>";
    assert!(refused(&row).contains("in a row"), "{}", refused(&row));
    // Very many nodes that each look for another among all of them.
    let mut wide = String::from("<materialx version='1.39'>");
    for i in 0..15_000 {
        wide += &format!("<constant name='c{i}' type='float'/>");
    }
    for i in 0..2_000 {
        wide += &format!(
            "<surface_unlit name='s{i}' type='surfaceshader'><input name='emission' type='float' nodename='c{}'/></surface_unlit>",
            14_999 - i
        );
    }
    assert_eq!(read(&(wide + "</materialx>")).materials.len(), 256);
    assert!(refused(&("<materialx>".to_owned() + &"<a>".repeat(100_000))).contains("inside each other"));
    assert!(refused("<materialx a='1' a='2'/>").contains("line 1"));
    // A name from outside its folder is asked of whoever reads files, and answered by nobody here.
    let outside = shaded(
        r#"<image name="i" type="color3"><input name="file" type="filename" value="../../etc/passwd"/></image>
           <surface_unlit name="s" type="surfaceshader"><input name="emission_color" type="color3" nodename="i"/></surface_unlit>"#,
    );
    assert!(read(&outside).pictures[0].image.is_err());
}

#[test]
fn bytes_changed_anywhere_never_bring_it_down() {
    let (_, text) = DOCUMENTS[0];
    let mut random = 0x2545_f491_4f6c_dd1d_u64;
    let mut next = || {
        random ^= random << 13;
        random ^= random >> 7;
        random ^= random << 17;
        random as usize
    };
    for _ in 0..1500 {
        let mut bytes = text.as_bytes().to_vec();
        for _ in 0..1 + next() % 6 {
            if bytes.len() < 2 {
                break;
            }
            let at = next() % bytes.len();
            match next() % 4 {
                0 => bytes[at] = next() as u8,
                1 => drop(bytes.remove(at)),
                2 => bytes.truncate(at.max(1)),
                _ => bytes.insert(at, b"<>\"'&/=0"[next() % 8]),
            }
        }
        if let Ok(document) = read_document("damaged.mtlx", &bytes, &|_| None)
            && !document.materials.is_empty()
        {
            let made = lying_on(document, None);
            made.graph.columns(&made.nodes, &columns(&[(PLACE, UV)]), 0..1);
        }
    }
}
