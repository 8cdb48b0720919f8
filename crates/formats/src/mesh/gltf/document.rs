//! From the bytes of a glTF to a document that can be walked: the container, the required extensions, the node tree and the
//! buffers are checked on the plain JSON, and what the parser is needlessly strict about is set right, before it sees any of it.

use super::meshopt;
use crate::mesh::{EXPORT_AGAIN, Fault, Siblings, tell};
use base64::Engine;
use ember_ridge_core::mesh::ReadNote;
use gltf::Gltf;
use percent_encoding::percent_decode_str;
use serde_json::{Value, json};
use std::borrow::Cow;

/// The bytes of a buffer: where they lie in the file, or read or unpacked from elsewhere.
pub(super) type Buffer<'a> = Cow<'a, [u8]>;

/// Nodes, meshes, materials and buffers, of each at most.
const MOST_ENTRIES: usize = 200_000;
/// Bytes of the JSON part.
const MOST_JSON: usize = 256 << 20;

/// Required extensions that are read, or that change only what is of no use here. Others are refused by name.
const READ: &[&str] =
    &["KHR_mesh_quantization", "KHR_texture_transform", "KHR_lights_punctual", meshopt::EXTENSION, meshopt::NEWER];
/// Materials that look otherwise are of no use here.
const LOOKS: &str = "KHR_materials_";

pub(super) struct Document<'a> {
    pub gltf: Gltf,
    pub buffers: Vec<Buffer<'a>>,
    pub notes: Vec<ReadNote>,
}

pub(super) fn open<'a>(bytes: &'a [u8], siblings: Siblings) -> Result<Document<'a>, Fault> {
    let (text, blob) = unpack(bytes)?;
    if text.len() > MOST_JSON {
        let fault = format!("it takes {} bytes; at most {MOST_JSON} are read", text.len());
        return Err(Fault::new("the JSON part", fault, "Keep vertex data in a separate buffer"));
    }
    let mut value: Value = serde_json::from_slice(&text).map_err(|e| {
        let place = format!("the JSON part, line {}, column {}", e.line(), e.column());
        Fault::new(place, "it is not valid JSON", EXPORT_AGAIN)
    })?;
    check_version(&value)?;
    check_extensions(&mut value)?;
    check_counts(&value)?;
    check_nodes(&value)?;
    let mut buffers = load_buffers(&value, blob, siblings)?;
    meshopt::unpack_views(&mut value, &mut buffers)?;
    let mut notes = Vec::new();
    if fill_in_bounds(&mut value) {
        let reason = "Positions lack the min and max that glTF requires; they were measured here";
        tell(&mut notes, None, reason, "Nothing to do here; other programs may refuse the file");
    }
    let gltf: Gltf = serde_json::to_vec(&value).ok().map_or_else(
        || Err(damaged("the JSON part", "it cannot be read")),
        |text| Gltf::from_slice(&text).map_err(|e| fault_of(&e)),
    )?;
    Ok(Document { gltf, buffers, notes })
}

fn damaged(place: impl Into<String>, fault: impl Into<String>) -> Fault {
    Fault::new(place, fault, EXPORT_AGAIN)
}

fn fault_of(error: &gltf::Error) -> Fault {
    match error {
        gltf::Error::Validation(faults) => match faults.first() {
            Some((path, fault)) => damaged(path.as_str(), fault.to_string().to_lowercase()),
            None => damaged("the document", "its parts contradict each other"),
        },
        gltf::Error::Deserialize(e) => damaged("the document", plain_words(&e.to_string())),
        _ => damaged("the document", "it is not a glTF 2.0 document"),
    }
}

/// A decoder's sentence without the place in the rewritten text, which nobody can look up.
fn plain_words(text: &str) -> String {
    text.split(" at line ").next().unwrap_or(text).replace('`', "'")
}

/// The JSON and the binary chunk of either form of file.
fn unpack(bytes: &[u8]) -> Result<(Cow<'_, [u8]>, Option<Buffer<'_>>), Fault> {
    if !bytes.starts_with(b"glTF") {
        return Ok((Cow::Borrowed(bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes)), None));
    }
    if bytes.get(4..8) == Some(&1u32.to_le_bytes()) {
        return Err(first_version());
    }
    let glb =
        gltf::Glb::from_slice(bytes).map_err(|_| damaged("the container", "its lengths do not match the file"))?;
    Ok((glb.json, glb.bin))
}

fn first_version() -> Fault {
    Fault::new("asset.version", "it is glTF 1.0; glTF 2.0 is read", "Export as glTF 2.0")
}

fn check_version(value: &Value) -> Result<(), Fault> {
    let version = &value["asset"]["version"];
    let version = version.as_str().map_or_else(|| version.to_string(), str::to_owned);
    match version.split('.').next() {
        Some("2") => Ok(()),
        Some("1") => Err(first_version()),
        // The first version kept its scenes by name.
        _ if value["scenes"].is_object() || value["nodes"].is_object() => Err(first_version()),
        _ => Err(Fault::new("asset.version", "it is missing or not 2.0", "Export as glTF 2.0")),
    }
}

fn check_extensions(value: &mut Value) -> Result<(), Fault> {
    let Some(required) = value.get_mut("extensionsRequired").and_then(Value::as_array_mut) else { return Ok(()) };
    for name in required.iter().map(|n| n.as_str().unwrap_or_default()) {
        if READ.contains(&name) || name.starts_with(LOOKS) {
            continue;
        }
        let remedy = match name {
            "KHR_draco_mesh_compression" => {
                "Export without compression, or with EXT_meshopt_compression, which is read"
            }
            "KHR_texture_basisu" | "EXT_texture_webp" | "EXT_texture_avif" => "Export with PNG or JPEG textures",
            _ => "Export without that extension",
        };
        return Err(Fault::new("extensionsRequired", format!("it needs {name}, which is not read"), remedy));
    }
    // The parser refuses what it does not know, even where it does not matter.
    required.clear();
    Ok(())
}

fn list<'a>(value: &'a Value, name: &str) -> &'a [Value] {
    value[name].as_array().map_or(&[], Vec::as_slice)
}

fn check_counts(value: &Value) -> Result<(), Fault> {
    for name in ["nodes", "meshes", "materials", "accessors", "bufferViews", "buffers", "images", "skins", "scenes"] {
        let count = list(value, name).len();
        if count > MOST_ENTRIES {
            let fault = format!("{count} of them; at most {MOST_ENTRIES} are read");
            return Err(Fault::new(name, fault, "Join parts, or split the file"));
        }
    }
    Ok(())
}

/// A node has one parent at most, and none of its own descendants is one of its ancestors: the file's nodes are trees.
fn check_nodes(value: &Value) -> Result<(), Fault> {
    let nodes = list(value, "nodes");
    let mut parent = vec![None; nodes.len()];
    for (number, node) in nodes.iter().enumerate() {
        for child in list(node, "children") {
            let child = child.as_u64().and_then(|c| usize::try_from(c).ok()).filter(|c| *c < nodes.len());
            let Some(child) = child else {
                return Err(damaged(format!("node {number}"), "it names a child that is not there"));
            };
            if let Some(other) = parent[child].replace(number) {
                let fault = match other == number {
                    true => format!("node {number} names it twice as a child"),
                    false => {
                        format!("nodes {other} and {number} both name it as a child; a node can have only one parent")
                    }
                };
                return Err(damaged(format!("node {child}"), fault));
            }
        }
    }
    // Up from each node; those that were seen to end in a root need no second look.
    let mut ends = vec![false; nodes.len()];
    for start in 0..nodes.len() {
        let (mut path, mut at) = (Vec::new(), start);
        while !ends[at] {
            path.push(at);
            match parent[at] {
                Some(up) if path.len() > nodes.len() => {
                    return Err(damaged(format!("node {up}"), "it is among its own descendants"));
                }
                Some(up) => at = up,
                None => break,
            }
        }
        path.into_iter().for_each(|n| ends[n] = true);
    }
    Ok(())
}

/// URIs write a space as %20.
pub(super) fn path_of(uri: &str) -> String {
    percent_decode_str(uri).decode_utf8_lossy().into_owned()
}

/// The bytes in a `data:` URI and the kind it says they are; None for any other URI, an error for one that is damaged.
pub(super) fn inline(uri: &str) -> Option<Result<(String, Vec<u8>), ()>> {
    let (head, text) = uri.strip_prefix("data:")?.split_once(',').unwrap_or(("", ""));
    let Some(kind) = head.strip_suffix(";base64") else { return Some(Err(())) };
    let bytes = base64::engine::general_purpose::STANDARD.decode(text).map_err(|_| ());
    Some(bytes.map(|bytes| (kind.to_owned(), bytes)))
}

/// The binary chunk is used where it lies; other buffers are decoded or read. One that only stands in for packed data is empty.
fn load_buffers<'a>(value: &Value, mut blob: Option<Buffer<'a>>, siblings: Siblings) -> Result<Vec<Buffer<'a>>, Fault> {
    let mut buffers = Vec::new();
    for (number, buffer) in list(value, "buffers").iter().enumerate() {
        let place = format!("buffer {number}");
        let missing = || damaged(&*place, "its data is not there");
        let data = match buffer["uri"].as_str() {
            Some(uri) => match inline(uri) {
                Some(decoded) => Cow::Owned(decoded.map_err(|()| missing())?.1),
                None => {
                    let path = path_of(uri);
                    Cow::Owned(siblings(&path).ok_or_else(|| {
                        let remedy =
                            format!("Import '{path}' together with it, or export as .glb, which is a single file");
                        Fault::new(&*place, format!("'{path}' is not beside it"), remedy)
                    })?)
                }
            },
            None if meshopt::stands_in(buffer) => {
                buffers.push(Cow::Owned(Vec::new()));
                continue;
            }
            None => blob.take().ok_or_else(missing)?,
        };
        let length = buffer["byteLength"].as_u64().unwrap_or(0);
        if (data.len() as u64) < length {
            return Err(damaged(place, format!("it claims {length} bytes but holds {}", data.len())));
        }
        buffers.push(data);
    }
    Ok(buffers)
}

/// The parser refuses positions without bounds. Nothing here reads them; true when any were missing.
fn fill_in_bounds(value: &mut Value) -> bool {
    let primitives = list(value, "meshes").iter().flat_map(|m| list(m, "primitives"));
    let positions: Vec<usize> = primitives
        .flat_map(|p| {
            std::iter::once(&p["attributes"]["POSITION"]).chain(list(p, "targets").iter().map(|t| &t["POSITION"]))
        })
        .filter_map(|a| usize::try_from(a.as_u64()?).ok())
        .collect();
    let mut missing = false;
    for number in positions {
        let Some(accessor) = value["accessors"].get_mut(number).and_then(Value::as_object_mut) else { continue };
        let three = |v: Option<&Value>| v.and_then(Value::as_array).is_some_and(|a| a.len() == 3);
        for bound in ["min", "max"] {
            if !three(accessor.get(bound)) {
                missing = true;
                accessor.insert(bound.into(), json!([0.0, 0.0, 0.0]));
            }
        }
    }
    missing
}
