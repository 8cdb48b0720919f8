//! STL, binary and text. The format is read here rather than by a package: the common one reads the first solid only, and takes
//! words in lower case and single spaces alone. It holds bare triangles: each solid is a part, there are no UVs, and normals are
//! made anew.

use super::text::{decode, lines, quoted};
use super::{Beside, EXPORT_AGAIN, Fault, tell};
use ember_ridge_core::glam::Vec3;
use ember_ridge_core::mesh::MOST_TRIANGLES;
use ember_ridge_core::{Draft, DraftPart};
use rustc_hash::FxHashMap;

pub(super) fn read(bytes: &[u8], stem: &str, _beside: Beside) -> Result<Draft, Fault> {
    if is_text(bytes) { read_text(bytes, stem) } else { read_binary(bytes, stem) }
}

/// Binary files may begin with `solid` too; they are as long as the count in them says.
fn is_text(bytes: &[u8]) -> bool {
    let start = bytes.trim_ascii_start();
    let start = start.strip_prefix(b"\xef\xbb\xbf").unwrap_or(start);
    let marked = bytes.starts_with(b"\xff\xfe") || bytes.starts_with(b"\xfe\xff");
    let solid = start.get(..5).is_some_and(|w| w.eq_ignore_ascii_case(b"solid"));
    let fits = bytes.get(80..84).is_some_and(|c| {
        let count = u64::from(u32::from_le_bytes([c[0], c[1], c[2], c[3]]));
        bytes.len() as u64 == 84 + 50 * count
    });
    marked || (solid && !fits)
}

fn read_binary(bytes: &[u8], stem: &str) -> Result<Draft, Fault> {
    // It says how many triangles follow, at 50 bytes each; a short file is told before it is read.
    let Some(count) = bytes.get(80..84).map(|c| u64::from(u32::from_le_bytes([c[0], c[1], c[2], c[3]]))) else {
        return Err(Fault::new("the whole file", "it is too short for an STL", EXPORT_AGAIN));
    };
    let there = (bytes.len() as u64 - 84) / 50;
    if count > there {
        return Err(Fault::new("byte 80", format!("it claims {count} triangles but holds {there}"), EXPORT_AGAIN));
    }
    if count > MOST_TRIANGLES as u64 {
        let fault = format!("it holds {count} triangles; at most {MOST_TRIANGLES} are read");
        return Err(Fault::new("byte 80", fault, "Decimate the sculpt, or split the file"));
    }
    let mut draft = Draft::default();
    let mut points = Points::default();
    let mut part = DraftPart { name: stem.to_owned(), ..DraftPart::default() };
    part.indices.reserve_exact(3 * count as usize);
    for triangle in bytes[84..].as_chunks::<50>().0.iter().take(count as usize) {
        // A normal, three corners, two bytes of no meaning.
        for corner in triangle[12..48].as_chunks::<12>().0 {
            let lane = |i: usize| f32::from_le_bytes([corner[i], corner[i + 1], corner[i + 2], corner[i + 3]]);
            part.indices.push(points.number(Vec3::new(lane(0), lane(4), lane(8)), &mut draft.positions));
        }
    }
    draft.parts.push(part);
    Ok(draft)
}

/// Corners that lie on one place are one vertex.
#[derive(Default)]
struct Points {
    vertex_of: FxHashMap<[u32; 3], u32>,
}

impl Points {
    fn number(&mut self, place: Vec3, positions: &mut Vec<Vec3>) -> u32 {
        // A zero has no sign.
        let key = place.to_array().map(|c| (c + 0.0).to_bits());
        let next = positions.len() as u32;
        let vertex = *self.vertex_of.entry(key).or_insert(next);
        if vertex == next {
            positions.push(place);
        }
        vertex
    }
}

fn read_text(bytes: &[u8], stem: &str) -> Result<Draft, Fault> {
    let (text, note) = decode(bytes)?;
    let mut draft = Draft::default();
    if let Some(note) = note {
        tell(&mut draft.notes, None, note, "Save it as UTF-8 if names look wrong");
    }
    let mut points = Points::default();
    let mut facet: Vec<u32> = Vec::new();
    let mut ended = true;
    for (number, line) in lines(&text) {
        let fault = |fault: &str| Fault::new(format!("line {number} ('{}')", quoted(&line)), fault, EXPORT_AGAIN);
        let mut words = line.split_ascii_whitespace();
        match words.next().unwrap_or_default().to_ascii_lowercase().as_str() {
            "solid" => {
                let name = words.collect::<Vec<_>>().join(" ");
                let name = if name.is_empty() { stem.to_owned() } else { name };
                draft.parts.push(DraftPart { name, ..DraftPart::default() });
                ended = false;
            }
            "vertex" => {
                let values: Vec<f32> = words.map_while(|w| w.parse().ok()).collect();
                let &[x, y, z] = values.as_slice() else { return Err(fault("a vertex is not three numbers")) };
                facet.push(points.number(Vec3::new(x, y, z), &mut draft.positions));
            }
            "endfacet" => {
                let part = draft.parts.last_mut().ok_or_else(|| fault("a facet lies outside a solid"))?;
                match facet.as_slice() {
                    [_, _, _] => part.indices.append(&mut facet),
                    other => return Err(fault(&format!("a facet has {} corners; it needs three", other.len()))),
                }
            }
            "endsolid" => ended = true,
            _ => {}
        }
    }
    if !ended || !facet.is_empty() {
        return Err(Fault::new("the end of the file", "its last solid is not ended", EXPORT_AGAIN));
    }
    Ok(draft)
}
