//! OBJ: objects and groups become parts, `usemtl` names become materials, vertex colours are kept, negative indices and faces with
//! any number of corners are read; lines, points and curves are left out and noted. The format is read here rather than by a
//! package: the common one makes faces of lines, mixes up UVs where only some corners have them, and names no line in its errors.

mod library;
mod write;

pub use write::{write_obj, write_obj_of_quads};

use super::text::{decode, lines, quoted};
use super::{Beside, EXPORT_AGAIN, Fault, NO_COLOR};
use ember_ridge_core::glam::{Vec2, Vec3};
use ember_ridge_core::mesh::MOST_TRIANGLES;
use ember_ridge_core::{Draft, DraftPart};
use library::read_libraries;
use rustc_hash::FxHashMap;

/// One corner of a face: numbers of its point, UV and normal, counted from 1; 0 for none.
type Corner = [u32; 3];

#[derive(Default)]
struct Reader {
    positions: Vec<Vec3>,
    /// As long as `positions`, or shorter by those at the end that have none.
    colors: Vec<[u8; 3]>,
    uvs: Vec<Vec2>,
    normals: Vec<Vec3>,
    corners: Vec<Corner>,
    vertex_of: FxHashMap<Corner, u32>,
    parts: Vec<DraftPart>,
    /// Name and material that the next face gets, and whether a part for them is open.
    name: String,
    material: Option<String>,
    open: bool,
    indices: usize,
    libraries: Vec<String>,
    left_out: LeftOut,
}

/// What was read over.
#[derive(Default)]
struct LeftOut {
    lines: usize,
    curves: usize,
    without_uv: usize,
    without_normal: usize,
}

pub(super) fn read(bytes: &[u8], stem: &str, beside: Beside) -> Result<Draft, Fault> {
    let (text, note) = decode(bytes)?;
    let mut reader = Reader { name: stem.to_owned(), ..Reader::default() };
    for (number, line) in lines(&text) {
        reader.line(&line, stem).map_err(|Wrong(fault, remedy)| {
            Fault::new(format!("line {number} ('{}')", quoted(&line)), fault, remedy)
        })?;
    }
    drop(text);
    let mut notes = Vec::new();
    let mut tell = |reason: String, remedy: &str| super::tell(&mut notes, None, reason, remedy);
    if let Some(note) = note {
        tell(note.to_owned(), "Save it as UTF-8 if names look wrong");
    }
    let LeftOut { lines, curves, without_uv, without_normal } = reader.left_out;
    if lines > 0 {
        tell(format!("{lines} lines and points were left out"), "Nothing to do: only faces can be baked");
    }
    if curves > 0 {
        tell(format!("{curves} curves and surfaces were left out"), "Convert them to polygons if they should be baked");
    }
    let any_uvs = reader.corners.iter().any(|c| c[1] > 0);
    if any_uvs && without_uv > 0 {
        tell(
            format!("{without_uv} face corners have no UV while others do; they were given 0, 0"),
            "Unwrap the whole mesh if those faces should be baked",
        );
    }
    let any_normals = reader.corners.iter().any(|c| c[2] > 0);
    if any_normals && without_normal > 0 {
        tell(
            format!("{without_normal} face corners have no normal while others do; all normals were computed again"),
            "Export with normals throughout to keep the file's own",
        );
    }
    let looks = read_libraries(&reader.libraries, beside.siblings, &mut notes);
    let all_normals = any_normals && without_normal == 0;
    Ok(Draft { looks, notes, ..reader.finish(any_uvs, all_normals) })
}

/// What is wrong with a line, and what to do.
struct Wrong(&'static str, &'static str);

const REPAIR: &str = "Repair the line";

impl Reader {
    fn line(&mut self, line: &str, stem: &str) -> Result<(), Wrong> {
        let line = line.trim();
        let (word, rest) = line.split_once(|c: char| c.is_ascii_whitespace()).unwrap_or((line, ""));
        let rest = rest.trim();
        match word {
            "v" => self.position(rest)?,
            "vt" => {
                let (count, [u, v, ..]) = numbers(rest).ok_or(Wrong("a UV is not two numbers", REPAIR))?;
                if count == 0 {
                    return Err(Wrong("a UV is not two numbers", REPAIR));
                }
                self.uvs.push(Vec2::new(u, v));
            }
            "vn" => {
                let Some((3.., [x, y, z, ..])) = numbers(rest) else {
                    return Err(Wrong("a normal is not three numbers", REPAIR));
                };
                self.normals.push(Vec3::new(x, y, z));
            }
            "f" | "fo" => self.face(rest)?,
            "l" | "p" => self.left_out.lines += 1,
            "curv" | "curv2" | "surf" => self.left_out.curves += 1,
            "o" | "g" => {
                self.name = if rest.is_empty() { stem.to_owned() } else { rest.to_owned() };
                self.open = false;
            }
            "usemtl" => {
                self.material = (!rest.is_empty()).then(|| rest.to_owned());
                self.open = false;
            }
            "mtllib" if !rest.is_empty() && !self.libraries.iter().any(|l| l == rest) => {
                self.libraries.push(rest.to_owned());
            }
            _ => {}
        }
        Ok(())
    }

    fn position(&mut self, rest: &str) -> Result<(), Wrong> {
        let (count, values) = numbers(rest).ok_or(Wrong("a vertex position is not three numbers", REPAIR))?;
        let [x, y, z, ..] = values;
        let place = Vec3::new(x, y, z);
        let rgb = match count {
            0..=2 => return Err(Wrong("a vertex position is not three numbers", REPAIR)),
            6 => Some([values[3], values[4], values[5]]),
            7.. => Some([values[4], values[5], values[6]]),
            _ => None,
        };
        // Four numbers are homogeneous coordinates.
        let place = match count {
            4 if values[3] == 0.0 => return Err(Wrong("a vertex lies at infinity (its fourth number is 0)", REPAIR)),
            4 => place / values[3],
            _ => place,
        };
        self.positions.push(place);
        if let Some(rgb) = rgb {
            self.colors.resize(self.positions.len() - 1, NO_COLOR);
            self.colors.push(rgb.map(|c| (c.clamp(0.0, 1.0) * 255.0).round() as u8));
        }
        Ok(())
    }

    fn face(&mut self, rest: &str) -> Result<(), Wrong> {
        let first = self.indices;
        if self.corners.len() > MOST_TRIANGLES * 3 || first > MOST_TRIANGLES * 3 {
            return Err(Wrong("the file holds more faces than are read", "Decimate the sculpt, or split the file"));
        }
        if !self.open {
            let material = self.material.clone();
            self.parts.push(DraftPart { name: self.name.clone(), material, ..DraftPart::default() });
            self.open = true;
        }
        let Some(part) = self.parts.last_mut() else { return Ok(()) };
        let start = part.indices.len();
        for word in rest.split_ascii_whitespace() {
            // What follows a mark is a comment.
            if word.starts_with('#') {
                break;
            }
            let counts = [self.positions.len(), self.uvs.len(), self.normals.len()];
            let corner = corner(word, counts)?;
            self.left_out.without_uv += usize::from(corner[1] == 0);
            self.left_out.without_normal += usize::from(corner[2] == 0);
            let next = self.corners.len() as u32;
            let vertex = *self.vertex_of.entry(corner).or_insert(next);
            if vertex == next {
                self.corners.push(corner);
            }
            part.indices.push(vertex);
        }
        let corners = part.indices.len() - start;
        match corners {
            0..3 => {
                part.indices.truncate(start);
                self.left_out.lines += 1;
                return Ok(());
            }
            3 if part.corners.is_empty() => {}
            // Corners are told only from the first face on that is no triangle.
            _ => {
                if part.corners.is_empty() {
                    part.corners = vec![3; start / 3];
                }
                part.corners.push(corners as u32);
            }
        }
        self.indices += corners;
        Ok(())
    }

    fn finish(self, uvs: bool, normals: bool) -> Draft {
        let color = |c: &Corner| self.colors.get(c[0] as usize - 1).copied().unwrap_or(NO_COLOR);
        let corners = &self.corners;
        Draft {
            positions: corners.iter().map(|c| self.positions[c[0] as usize - 1]).collect(),
            uvs: match uvs {
                true => {
                    corners.iter().map(|c| if c[1] > 0 { self.uvs[c[1] as usize - 1] } else { Vec2::ZERO }).collect()
                }
                false => Vec::new(),
            },
            normals: match normals {
                true => corners.iter().map(|c| self.normals[c[2] as usize - 1]).collect(),
                false => Vec::new(),
            },
            colors: if self.colors.is_empty() { Vec::new() } else { corners.iter().map(color).collect() },
            parts: self.parts,
            ..Draft::default()
        }
    }
}

/// How many numbers a line holds and the first eight of them; None when one is no number.
fn numbers(text: &str) -> Option<(usize, [f32; 8])> {
    let mut values = [0.0; 8];
    let mut count = 0;
    for word in text.split_ascii_whitespace().take_while(|w| !w.starts_with('#')) {
        let value = word.parse().ok()?;
        if let Some(slot) = values.get_mut(count) {
            *slot = value;
        }
        count += 1;
    }
    Some((count, values))
}

/// A face corner such as `3`, `3/1`, `3//2` or `-1/-1/-1`, as numbers from 1.
fn corner(word: &str, counts: [usize; 3]) -> Result<Corner, Wrong> {
    const NOT_THERE: [&str; 3] = [
        "a face names a vertex that is not in the file",
        "a face names a UV that is not in the file",
        "a face names a normal that is not in the file",
    ];
    let mut corner = [0; 3];
    let mut fields = word.split('/');
    for (i, slot) in corner.iter_mut().enumerate() {
        let text = fields.next().unwrap_or("");
        if text.is_empty() && i > 0 {
            continue;
        }
        let number: i64 = text.parse().map_err(|_| Wrong("a face cannot be read", "Repair or delete the line"))?;
        let from_one = if number < 0 { counts[i] as i64 + 1 + number } else { number };
        if from_one < 1 || from_one > counts[i] as i64 {
            return Err(Wrong(NOT_THERE[i], EXPORT_AGAIN));
        }
        *slot = u32::try_from(from_one).map_err(|_| Wrong(NOT_THERE[i], EXPORT_AGAIN))?;
    }
    match fields.next() {
        Some(_) => Err(Wrong("a face cannot be read", "Repair or delete the line")),
        None => Ok(corner),
    }
}
