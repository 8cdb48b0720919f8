//! Small FBX files, written here in both of their encodings, so that what is read can be held against arithmetic.
#![allow(dead_code, reason = "each test program uses its own share")]

use std::fmt::Write as _;
use std::io::Write as _;

/// What a record of a file holds.
#[derive(Clone)]
pub enum Value {
    Whole(i64),
    Real(f64),
    Text(&'static str),
    /// The name of an object and its class.
    Named(String, &'static str),
    Wholes(Vec<i32>),
    Reals(Vec<f64>),
    Bytes(Vec<u8>),
}

#[derive(Clone)]
pub struct Record {
    pub name: &'static str,
    pub values: Vec<Value>,
    pub records: Vec<Record>,
}

pub fn record(name: &'static str, values: Vec<Value>, records: Vec<Record>) -> Record {
    Record { name, values, records }
}

fn leaf(name: &'static str, value: Value) -> Record {
    record(name, vec![value], Vec::new())
}

/// A property of an object: its name, kind and values.
fn property(name: &'static str, kind: &'static str, values: &[Value]) -> Record {
    let mut all = vec![Value::Text(name), Value::Text(kind), Value::Text(""), Value::Text("A")];
    all.extend_from_slice(values);
    record("P", all, Vec::new())
}

fn reals(values: [f64; 3]) -> [Value; 3] {
    values.map(Value::Real)
}

/// A crate of six square faces, a corner at the origin and edges of one unit, and a lid: the same mesh turned inside out along x. Both
/// lie below a yard that is moved.
pub struct Crate {
    /// 1 is Y, 2 is Z.
    pub up: i64,
    /// Centimetres that a unit is.
    pub unit: f64,
    pub normals: bool,
    /// A picture within the file.
    pub picture: Option<Vec<u8>>,
}

/// Corners of the faces, from outside anticlockwise in right-handed axes.
pub const FACES: [[i32; 4]; 6] = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
pub const OUT: [[f64; 3]; 6] =
    [[0.0, 0.0, -1.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0], [0.0, 1.0, 0.0], [-1.0, 0.0, 0.0], [1.0, 0.0, 0.0]];

impl Crate {
    pub fn records(&self) -> Vec<Record> {
        let axes = match self.up {
            1 => [("UpAxis", 1), ("UpAxisSign", 1), ("FrontAxis", 2), ("FrontAxisSign", 1)],
            _ => [("UpAxis", 2), ("UpAxisSign", 1), ("FrontAxis", 1), ("FrontAxisSign", -1)],
        };
        let axes = axes.into_iter().chain([("CoordAxis", 0), ("CoordAxisSign", 1)]);
        let mut settings: Vec<Record> =
            axes.map(|(name, value)| property(name, "int", &[Value::Whole(value)])).collect();
        settings.push(property("UnitScaleFactor", "double", &[Value::Real(self.unit)]));
        let model = |id: i64, name: &str, kind: &'static str, at: [f64; 3], scale: [f64; 3]| {
            let placed = vec![
                property("Lcl Translation", "Lcl Translation", &reals(at)),
                property("Lcl Scaling", "Lcl Scaling", &reals(scale)),
            ];
            let values = vec![Value::Whole(id), Value::Named(name.into(), "Model"), Value::Text(kind)];
            record("Model", values, vec![leaf("Version", Value::Whole(232)), record("Properties70", vec![], placed)])
        };
        let material = |id: i64, name: &str, color: [f64; 3]| {
            let values = vec![Value::Whole(id), Value::Named(name.into(), "Material"), Value::Text("")];
            let color = vec![property("DiffuseColor", "Color", &reals(color))];
            record(
                "Material",
                values,
                vec![leaf("ShadingModel", Value::Text("phong")), record("Properties70", vec![], color)],
            )
        };
        let mut objects = vec![
            self.geometry(),
            model(20, "yard", "Null", [10.0, 0.0, 0.0], [1.0; 3]),
            model(21, "crate", "Mesh", [0.0, 0.0, 5.0], [2.0; 3]),
            model(22, "lid", "Mesh", [0.0; 3], [-1.0, 1.0, 1.0]),
            material(30, "oak", [0.5, 0.25, 0.125]),
            material(31, "iron", [0.25, 0.25, 0.25]),
        ];
        let mut links = vec![(20, 0), (21, 20), (22, 20), (10, 21), (10, 22), (30, 21), (31, 21), (31, 22), (30, 22)];
        if let Some(bytes) = &self.picture {
            let named = |id: i64, class| vec![Value::Whole(id), Value::Named("planks".into(), class), Value::Text("")];
            let path = leaf("RelativeFilename", Value::Text("maps\\planks.png"));
            objects.push(record("Texture", named(40, "Texture"), vec![path.clone()]));
            let content = leaf("Content", Value::Bytes(bytes.clone()));
            objects.push(record("Video", named(41, "Video"), vec![path, content]));
            links.push((41, 40));
        }
        let mut connections: Vec<Record> = links
            .into_iter()
            .map(|(from, to)| record("C", vec![Value::Text("OO"), Value::Whole(from), Value::Whole(to)], vec![]))
            .collect();
        if self.picture.is_some() {
            let laid = vec![Value::Text("OP"), Value::Whole(40), Value::Whole(30), Value::Text("DiffuseColor")];
            connections.push(record("C", laid, vec![]));
        }
        let header = vec![leaf("FBXHeaderVersion", Value::Whole(1003)), leaf("FBXVersion", Value::Whole(7400))];
        vec![
            record("FBXHeaderExtension", vec![], header),
            record("GlobalSettings", vec![], vec![record("Properties70", vec![], settings)]),
            record("Objects", vec![], objects),
            record("Connections", vec![], connections),
        ]
    }

    fn geometry(&self) -> Record {
        let corner = |i: usize| [(i & 1) as f64, (i >> 1 & 1) as f64, (i >> 2) as f64];
        let square = [[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]];
        let layer = |name: &'static str, number: i64, mapping, reference, rows: Vec<Record>| {
            let mut records = vec![
                leaf("Version", Value::Whole(101)),
                leaf("Name", Value::Text(if number == 0 { "first" } else { "second" })),
                leaf("MappingInformationType", Value::Text(mapping)),
                leaf("ReferenceInformationType", Value::Text(reference)),
            ];
            records.extend(rows);
            record(name, vec![Value::Whole(number)], records)
        };
        let by_corner = "ByPolygonVertex";
        let all: Vec<[f64; 2]> = FACES.iter().flat_map(|_| square).collect();
        let uvs = |size: f64| Value::Reals(all.iter().flatten().map(|x| x * size).collect());
        let mut records = vec![
            leaf("Vertices", Value::Reals((0..8).flat_map(corner).collect())),
            // The last corner of a face stands with all its bits turned.
            leaf("PolygonVertexIndex", Value::Wholes(FACES.iter().flat_map(|[a, b, c, d]| [*a, *b, *c, !d]).collect())),
            layer("LayerElementUV", 0, by_corner, "Direct", vec![leaf("UV", uvs(1.0))]),
            layer("LayerElementUV", 1, by_corner, "Direct", vec![leaf("UV", uvs(0.5))]),
            layer(
                "LayerElementColor",
                0,
                "ByPolygon",
                "IndexToDirect",
                vec![
                    leaf("Colors", Value::Reals(vec![1.0, 0.0, 0.0, 1.0, 0.0, 0.5, 0.0, 1.0])),
                    leaf("ColorIndex", Value::Wholes(vec![0, 1, 0, 0, 0, 0])),
                ],
            ),
            layer(
                "LayerElementMaterial",
                0,
                "ByPolygon",
                "IndexToDirect",
                vec![leaf("Materials", Value::Wholes(vec![0, 0, 0, 0, 0, 1]))],
            ),
        ];
        if self.normals {
            let normals = OUT.iter().flat_map(|out| [*out; 4]).flatten().collect();
            records.push(layer(
                "LayerElementNormal",
                0,
                by_corner,
                "Direct",
                vec![leaf("Normals", Value::Reals(normals))],
            ));
        }
        record("Geometry", vec![Value::Whole(10), Value::Named("box".into(), "Geometry"), Value::Text("Mesh")], records)
    }
}

/// As text.
pub fn text(records: &[Record]) -> Vec<u8> {
    let mut out = "; FBX 7.4.0 project file\n".to_owned();
    records.iter().for_each(|record| write_text(&mut out, record));
    out.into_bytes()
}

fn listed<T: ToString>(values: &[T]) -> String {
    values.iter().map(T::to_string).collect::<Vec<_>>().join(",")
}

fn write_text(out: &mut String, record: &Record) {
    let values: Vec<String> = record
        .values
        .iter()
        .map(|value| match value {
            Value::Whole(number) => number.to_string(),
            Value::Real(number) => number.to_string(),
            Value::Text(text) => format!("\"{text}\""),
            Value::Named(name, class) => format!("\"{class}::{name}\""),
            Value::Wholes(list) => format!("*{} {{ a: {} }}", list.len(), listed(list)),
            Value::Reals(list) => format!("*{} {{ a: {} }}", list.len(), listed(list)),
            Value::Bytes(_) => "\"\"".to_owned(),
        })
        .collect();
    write!(out, "{}: {}", record.name, values.join(", ")).expect("memory");
    if !record.records.is_empty() || record.values.is_empty() {
        out.push_str(" {\n");
        record.records.iter().for_each(|record| write_text(out, record));
        out.push('}');
    }
    out.push('\n');
}

/// As binary of version 7.4, arrays packed.
pub fn binary(records: &[Record]) -> Vec<u8> {
    let mut out = b"Kaydara FBX Binary  \0\x1a\0".to_vec();
    out.extend(7400u32.to_le_bytes());
    records.iter().for_each(|record| write_binary(&mut out, record));
    out.extend([0; 13]);
    out
}

fn write_binary(out: &mut Vec<u8>, record: &Record) {
    let mut values = Vec::new();
    for value in &record.values {
        let mut sized = |kind: u8, bytes: &[u8]| {
            values.push(kind);
            values.extend((bytes.len() as u32).to_le_bytes());
            values.extend(bytes);
        };
        match value {
            Value::Whole(number) => {
                values.push(b'L');
                values.extend(number.to_le_bytes());
            }
            Value::Real(number) => {
                values.push(b'D');
                values.extend(number.to_le_bytes());
            }
            Value::Text(text) => sized(b'S', text.as_bytes()),
            Value::Named(name, class) => sized(b'S', format!("{name}\0\x01{class}").as_bytes()),
            Value::Bytes(bytes) => sized(b'R', bytes),
            Value::Wholes(list) => array(&mut values, b'i', list.len(), list.iter().flat_map(|x| x.to_le_bytes())),
            Value::Reals(list) => array(&mut values, b'd', list.len(), list.iter().flat_map(|x| x.to_le_bytes())),
        }
    }
    let start = out.len();
    out.extend([0; 4]);
    out.extend((record.values.len() as u32).to_le_bytes());
    out.extend((values.len() as u32).to_le_bytes());
    out.push(record.name.len() as u8);
    out.extend(record.name.bytes());
    out.extend(values);
    if !record.records.is_empty() {
        record.records.iter().for_each(|record| write_binary(out, record));
        out.extend([0; 13]);
    }
    let end = (out.len() as u32).to_le_bytes();
    out[start..start + 4].copy_from_slice(&end);
}

fn array(out: &mut Vec<u8>, kind: u8, length: usize, bytes: impl Iterator<Item = u8>) {
    let mut packer = flate2::write::ZlibEncoder::new(Vec::new(), flate2::Compression::default());
    packer.write_all(&bytes.collect::<Vec<u8>>()).expect("memory");
    let packed = packer.finish().expect("memory");
    out.push(kind);
    for number in [length as u32, 1, packed.len() as u32] {
        out.extend(number.to_le_bytes());
    }
    out.extend(packed);
}
