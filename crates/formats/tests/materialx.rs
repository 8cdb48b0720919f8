//! The nodes of MaterialX documents: each against the standard's definition, the noises against the standard's own functions.

use crate::support::documents::{PLACE, UV, assert_near, numbers_at};
use ember_ridge_core::finish::understood_categories;
use ember_ridge_core::glam::Vec3;

/// A node of inputs `name:type=value`.
fn node(category: &str, kind: &str, inputs: &[&str]) -> String {
    let input = |text: &&str| {
        let (name, rest) = text.split_once(':').expect("name:type=value");
        let (kind, value) = rest.split_once('=').expect("name:type=value");
        format!(r#"<input name="{name}" type="{kind}" value="{value}"/>"#)
    };
    let inputs: String = inputs.iter().map(input).collect();
    format!(r#"<{category} name="n" type="{kind}">{inputs}</{category}>"#)
}

/// Category, type, inputs, and what the standard's definition comes to.
type Case = (&'static str, &'static str, &'static [&'static str], &'static [f32]);

const CASES: &[Case] = &[
    ("add", "color3", &["in1:color3=0.1,0.2,0.3", "in2:float=0.5"], &[0.6, 0.7, 0.8]),
    ("subtract", "vector2", &["in1:vector2=1,2", "in2:vector2=0.25,3"], &[0.75, -1.0]),
    ("multiply", "vector4", &["in1:vector4=1,2,3,4", "in2:vector4=2,0.5,-1,0"], &[2.0, 1.0, -3.0, 0.0]),
    ("divide", "float", &["in1:float=1", "in2:float=8"], &[0.125]),
    ("modulo", "float", &["in1:float=-1.25", "in2:float=1"], &[0.75]),
    ("power", "float", &["in1:float=3", "in2:float=2.5"], &[15.588_457]),
    ("min", "color3", &["in1:color3=1,2,3", "in2:float=2"], &[1.0, 2.0, 2.0]),
    ("max", "color3", &["in1:color3=1,2,3", "in2:float=2"], &[2.0, 2.0, 3.0]),
    ("absval", "float", &["in:float=-2.5"], &[2.5]),
    ("floor", "float", &["in:float=-2.5"], &[-3.0]),
    ("ceil", "float", &["in:float=-2.5"], &[-2.0]),
    ("round", "float", &["in:float=2.6"], &[3.0]),
    ("fract", "float", &["in:float=-0.25"], &[0.75]),
    ("sign", "vector3", &["in:vector3=-2,0,9"], &[-1.0, 0.0, 1.0]),
    ("sin", "float", &["in:float=0.5"], &[0.479_425_54]),
    ("cos", "float", &["in:float=0.5"], &[0.877_582_55]),
    ("tan", "float", &["in:float=0.5"], &[0.546_302_5]),
    ("asin", "float", &["in:float=0.5"], &[std::f32::consts::FRAC_PI_6]),
    ("acos", "float", &["in:float=0.5"], &[std::f32::consts::FRAC_PI_3]),
    ("atan2", "float", &["iny:float=1", "inx:float=-1"], &[2.356_194_5]),
    ("sqrt", "float", &["in:float=6.25"], &[2.5]),
    ("ln", "float", &["in:float=10"], &[std::f32::consts::LN_10]),
    ("exp", "float", &["in:float=1.5"], &[4.481_689]),
    ("invert", "color3", &["in:color3=0.2,0.5,1", "amount:color3=1,2,1"], &[0.8, 1.5, 0.0]),
    ("clamp", "float", &["in:float=3", "low:float=0", "high:float=2"], &[2.0]),
    (
        "remap",
        "float",
        &["in:float=5", "inlow:float=0", "inhigh:float=10", "outlow:float=1", "outhigh:float=3"],
        &[2.0],
    ),
    ("smoothstep", "float", &["in:float=0.25", "low:float=0", "high:float=1"], &[0.156_25]),
    ("normalize", "vector3", &["in:vector3=3,0,4"], &[0.6, 0.0, 0.8]),
    ("magnitude", "float", &["in:vector3=2,3,6"], &[7.0]),
    ("dotproduct", "float", &["in1:vector3=1,2,3", "in2:vector3=4,-5,6"], &[12.0]),
    ("crossproduct", "vector3", &["in1:vector3=1,0,0", "in2:vector3=0,1,0"], &[0.0, 0.0, 1.0]),
    // Positive angles turn clockwise in UV space, and as row vectors in space.
    ("rotate2d", "vector2", &["in:vector2=1,0", "amount:float=90"], &[0.0, -1.0]),
    ("rotate3d", "vector3", &["in:vector3=1,0,0", "amount:float=90", "axis:vector3=0,0,1"], &[0.0, -1.0, 0.0]),
    (
        "transformpoint",
        "vector3",
        &["in:vector3=1,2,3", "fromspace:string=object", "tospace:string=world"],
        &[1.0, 2.0, 3.0],
    ),
    ("transformvector", "vector3", &["in:vector3=1,2,3"], &[1.0, 2.0, 3.0]),
    ("transformnormal", "vector3", &["in:vector3=0,0,1"], &[0.0, 0.0, 1.0]),
    ("transformmatrix", "vector2", &["in:vector2=2,3", "mat:matrix33=1,0,0, 0,2,0, 5,7,1"], &[7.0, 13.0]),
    ("determinant", "float", &["in:matrix33=2,0,0, 0,3,0, 1,1,4"], &[24.0]),
    ("constant", "color4", &["value:color4=0.1,0.2,0.3,0.4"], &[0.1, 0.2, 0.3, 0.4]),
    ("dot", "float", &["in:float=0.7"], &[0.7]),
    ("convert", "color4", &["in:color3=0.1,0.2,0.3"], &[0.1, 0.2, 0.3, 1.0]),
    ("extract", "float", &["in:vector3=4,5,6", "index:integer=1"], &[5.0]),
    ("swizzle", "color3", &["in:vector3=4,5,6", "channels:string=z1x"], &[6.0, 1.0, 4.0]),
    ("combine2", "vector2", &["in1:float=1", "in2:float=2"], &[1.0, 2.0]),
    ("combine2", "color4", &["in1:color3=1,2,3", "in2:float=4"], &[1.0, 2.0, 3.0, 4.0]),
    ("combine3", "color3", &["in1:float=1", "in2:float=2", "in3:float=3"], &[1.0, 2.0, 3.0]),
    ("combine4", "vector4", &["in1:float=1", "in2:float=2", "in3:float=3", "in4:float=4"], &[1.0, 2.0, 3.0, 4.0]),
    ("ifgreater", "float", &["value1:float=1", "value2:float=1", "in1:float=5", "in2:float=6"], &[6.0]),
    ("ifgreatereq", "float", &["value1:float=1", "value2:float=1", "in1:float=5", "in2:float=6"], &[5.0]),
    (
        "ifequal",
        "color3",
        &["value1:float=1", "value2:float=1", "in1:color3=1,2,3", "in2:color3=4,5,6"],
        &[1.0, 2.0, 3.0],
    ),
    ("switch", "float", &["in1:float=5", "in2:float=6", "in3:float=7", "which:float=1.9"], &[6.0]),
    ("and", "boolean", &["in1:boolean=true", "in2:boolean=false"], &[0.0]),
    ("or", "boolean", &["in1:boolean=true", "in2:boolean=false"], &[1.0]),
    ("xor", "boolean", &["in1:boolean=true", "in2:boolean=true"], &[0.0]),
    ("not", "boolean", &["in:boolean=false"], &[1.0]),
    ("luminance", "color3", &["in:color3=1,0.5,0.25"], &[0.622_692; 3]),
    ("rgbtohsv", "color3", &["in:color3=0.2,0.6,0.4"], &[0.416_666_7, 0.666_666_7, 0.6]),
    ("hsvtorgb", "color3", &["in:color3=0.416666667,0.666666667,0.6"], &[0.2, 0.6, 0.4]),
    ("premult", "color4", &["in:color4=0.4,0.6,0.8,0.5"], &[0.2, 0.3, 0.4, 0.5]),
    ("unpremult", "color4", &["in:color4=0.2,0.3,0.4,0.5"], &[0.4, 0.6, 0.8, 0.5]),
    ("plus", "float", &["fg:float=0.3", "bg:float=0.5", "mix:float=0.5"], &[0.65]),
    ("minus", "float", &["fg:float=0.3", "bg:float=0.5", "mix:float=1"], &[0.2]),
    ("difference", "float", &["fg:float=0.7", "bg:float=0.5", "mix:float=1"], &[0.2]),
    ("screen", "float", &["fg:float=0.5", "bg:float=0.5", "mix:float=1"], &[0.75]),
    ("burn", "float", &["fg:float=0.5", "bg:float=0.8", "mix:float=1"], &[0.6]),
    ("dodge", "float", &["fg:float=0.5", "bg:float=0.3", "mix:float=1"], &[0.6]),
    ("in", "color4", &["fg:color4=1,0.5,0,1", "bg:color4=0,0,1,0.5"], &[0.5, 0.25, 0.0, 0.5]),
    ("out", "color4", &["fg:color4=1,0.5,0,1", "bg:color4=0,0,1,0.5"], &[0.5, 0.25, 0.0, 0.5]),
    ("mask", "color4", &["fg:color4=1,0.5,0,0.25", "bg:color4=0,0,1,0.5"], &[0.0, 0.0, 0.25, 0.125]),
    ("over", "color4", &["fg:color4=0.5,0.25,0,0.5", "bg:color4=0,0,1,1"], &[0.5, 0.25, 0.5, 1.0]),
    ("matte", "color4", &["fg:color4=1,0.5,0,0.5", "bg:color4=0,0,1,1"], &[0.5, 0.25, 0.5, 1.0]),
    ("disjointover", "color4", &["fg:color4=0.5,0.25,0,0.75", "bg:color4=0,0,1,0.5"], &[0.5, 0.25, 0.5, 1.0]),
    ("inside", "color3", &["in:color3=1,0.5,0.2", "mask:float=0.5"], &[0.5, 0.25, 0.1]),
    ("outside", "color3", &["in:color3=1,0.5,0.2", "mask:float=0.75"], &[0.25, 0.125, 0.05]),
    ("mix", "color3", &["fg:color3=1,0,0", "bg:color3=0,1,0", "mix:float=0.25"], &[0.25, 0.75, 0.0]),
    ("position", "vector3", &[], &[0.3, 0.7, 0.1]),
    ("normal", "vector3", &["space:string=object"], &[0.0, 0.6, 0.8]),
    ("texcoord", "vector2", &[], &[0.25, 0.75]),
    ("geomcolor", "color3", &[], &[0.2, 0.4, 0.6]),
    ("geompropvalue", "vector2", &["geomprop:string=st"], &[0.25, 0.75]),
    ("ramplr", "float", &["valuel:float=1", "valuer:float=3"], &[1.5]),
    ("ramptb", "float", &["valuet:float=1", "valueb:float=3"], &[1.5]),
    ("splitlr", "float", &["valuel:float=1", "valuer:float=3", "center:float=0.2"], &[3.0]),
    ("splittb", "float", &["valuet:float=1", "valueb:float=3", "center:float=0.8"], &[3.0]),
    // Made of other nodes by the standard's library.
    ("contrast", "float", &["in:float=0.8", "amount:float=2", "pivot:float=0.5"], &[1.1]),
    ("range", "float", &["in:float=0.25", "gamma:float=2", "outlow:float=1", "outhigh:float=3"], &[2.0]),
    ("saturate", "color3", &["in:color3=1,0.5,0.25", "amount:float=0"], &[0.622_692; 3]),
    ("hsvadjust", "color3", &["in:color3=0.2,0.6,0.4", "amount:vector3=0,0.5,1"], &[0.4, 0.6, 0.5]),
    ("colorcorrect", "color3", &["in:color3=0.2,0.6,0.4", "exposure:float=1"], &[0.4, 1.2, 0.8]),
    ("overlay", "float", &["fg:float=0.5", "bg:float=0.25", "mix:float=1"], &[0.25]),
    ("safepower", "float", &["in1:float=-2", "in2:float=2"], &[-4.0]),
    ("trianglewave", "float", &["in:float=1.75"], &[0.25]),
    ("distance", "float", &["in1:vector3=1,2,3", "in2:vector3=3,5,9"], &[7.0]),
    ("reflect", "vector3", &["in:vector3=1,-1,0", "normal:vector3=0,1,0"], &[1.0, 1.0, 0.0]),
    ("ramp4", "float", &["valuetl:float=0", "valuetr:float=4", "valuebl:float=8", "valuebr:float=0"], &[2.25]),
    (
        "place2d",
        "vector2",
        &["texcoord:vector2=0.5,0.25", "scale:vector2=0.5,0.5", "offset:vector2=0.1,0"],
        &[0.9, 0.5],
    ),
    (
        "checkerboard",
        "color3",
        &["color1:color3=1,1,1", "color2:color3=0,0,0.5", "uvtiling:vector2=8,8"],
        &[0.0, 0.0, 0.5],
    ),
    ("circle", "float", &["texcoord:vector2=0.6,0.5", "center:vector2=0.5,0.5", "radius:float=0.2"], &[1.0]),
];

/// Categories that are tried by tests of their own: they need several outputs, matrices, pictures, noise or a whole surface.
const TRIED_ELSEWHERE: &[&str] = &[
    "separate2",
    "separate3",
    "separate4",
    "creatematrix",
    "transpose",
    "invertmatrix",
    "image",
    "noise2d",
    "noise3d",
    "fractal2d",
    "fractal3d",
    "cellnoise2d",
    "cellnoise3d",
    "worleynoise2d",
    "worleynoise3d",
    "standard_surface",
    "open_pbr_surface",
    "gltf_pbr",
    "UsdPreviewSurface",
    "surface_unlit",
    "displacement",
];

#[test]
fn every_node_gives_what_the_standard_defines() {
    for (category, kind, inputs, wanted) in CASES {
        let found = numbers_at(&node(category, kind, inputs), kind, PLACE, UV);
        assert_near(&found, wanted, 2e-6, category);
    }
    let tried = |name: &&str| CASES.iter().any(|(category, ..)| category == name) || TRIED_ELSEWHERE.contains(name);
    let untried: Vec<&str> = understood_categories().filter(|name| !tried(name)).collect();
    assert!(untried.is_empty(), "no test tries {untried:?}");
}

#[test]
fn outputs_of_several_are_picked_by_name() {
    for (kind, width, names) in [
        ("vector2", 2, ["outx", "outy", "", ""]),
        ("color3", 3, ["outr", "outg", "outb", ""]),
        ("vector4", 4, ["outx", "outy", "outz", "outw"]),
    ] {
        let values = ["0.1", "0.2", "0.3", "0.4"][..width].join(",");
        for (at, name) in names[..width].iter().enumerate() {
            let nodes = format!(
                r#"<separate{width} name="m" type="multioutput"><input name="in" type="{kind}" value="{values}"/></separate{width}>
                   <dot name="n" type="float"><input name="in" type="float" nodename="m" output="{name}"/></dot>"#
            );
            let found = numbers_at(&nodes, "float", PLACE, UV);
            assert_near(&found, &[[0.1, 0.2, 0.3, 0.4][at]], 1e-7, name);
        }
    }
}

/// Rows of a matrix made, turned and inverted, read back through what it does to a vector that stands left of it.
#[test]
fn matrices_multiply_turn_and_invert() {
    let rows = r#"<creatematrix name="m" type="matrix33"><input name="in1" type="vector3" value="2,1,0"/>
        <input name="in2" type="vector3" value="0,4,0"/><input name="in3" type="vector3" value="0,0,5"/></creatematrix>"#;
    let times = |matrix: &str, more: &str| {
        let nodes = format!(
            r#"{rows}{more}<transformmatrix name="n" type="vector3"><input name="in" type="vector3" value="1,1,1"/>
               <input name="mat" type="matrix33" nodename="{matrix}"/></transformmatrix>"#
        );
        numbers_at(&nodes, "vector3", PLACE, UV)
    };
    let of = |category: &str| {
        format!(r#"<{category} name="o" type="matrix33"><input name="in" type="matrix33" nodename="m"/></{category}>"#)
    };
    assert_near(&times("m", ""), &[2.0, 5.0, 5.0], 1e-6, "as it is");
    assert_near(&times("o", &of("transpose")), &[3.0, 4.0, 5.0], 1e-6, "turned");
    // The inverse of the rows (2 1) (0 4) is (1/2 -1/8) (0 1/4).
    assert_near(&times("o", &of("invertmatrix")), &[0.5, 0.125, 0.2], 1e-6, "inverted");
}

/// The table is from the standard's own functions; its head says how.
#[test]
fn noises_have_the_standards_own_values() {
    let mut place = Vec3::ZERO;
    let mut tried = 0;
    for line in include_str!("materialx/noise.txt").lines().filter(|line| !line.starts_with('#')) {
        let words: Vec<&str> = line.split(' ').collect();
        let numbers = |from: usize| words[from..].iter().map(|w| w.parse().expect("a number")).collect::<Vec<f32>>();
        if words[0] == "at" {
            place = Vec3::from_slice(&numbers(1));
            continue;
        }
        let (category, style) = match words[0] {
            "solid2d" => ("worleynoise2d", 1),
            "solid3d" => ("worleynoise3d", 1),
            other => (other, 0),
        };
        let settings = match category {
            c if c.starts_with("fractal") => {
                r#"<input name="octaves" type="integer" value="4"/><input name="lacunarity" type="float" value="2.1"/>
                   <input name="diminish" type="float" value="0.45"/>"#
                    .to_owned()
            }
            c if c.starts_with("worley") => format!(
                r#"<input name="jitter" type="float" value="0.8"/><input name="style" type="integer" value="{style}"/>"#
            ),
            _ => String::new(),
        };
        let kind = words[1];
        let text = format!(r#"<{category} name="n" type="{kind}">{settings}</{category}>"#);
        let found = numbers_at(&text, kind, place, place);
        assert_near(&found, &numbers(2), 2e-6, line);
        tried += 1;
    }
    assert_eq!(tried, 6 * 24);
}

#[test]
fn the_standards_own_files_are_read() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/materialx");
    let files = std::fs::read_dir(folder).expect("the folder").map(|entry| entry.expect("a file").path());
    let files: Vec<_> = files.filter(|path| path.extension().is_some_and(|ending| ending == "mtlx")).collect();
    assert_eq!(files.len(), 8, "{files:?}");
    for path in files {
        let text = std::fs::read(&path).expect("readable");
        let name = path.file_name().expect("a name").to_string_lossy();
        ember_ridge_formats::materialx::read_document(&name, &text, &|_| None)
            .unwrap_or_else(|fault| panic!("{fault}"));
    }
}
