//! Material libraries (MTL): the diffuse colour of each material and the picture laid over it. One that cannot be read leaves its
//! materials without a look, and a note; the mesh comes in all the same.

use crate::image::read_image_within;
use crate::mesh::text::{decode, lines};
use crate::mesh::{MOST_PICTURE_BYTES, Siblings, tell};
use ember_ridge_core::glam::{Affine2, Vec2};
use ember_ridge_core::mesh::{Laid, MaterialLook, ReadNote};
use ember_ridge_core::picture::{Sampler, srgb_to_linear};
use std::collections::HashMap;
use std::sync::Arc;

/// Reads the libraries that lie beside the mesh; those that do not are passed over.
pub(super) fn read_libraries(
    names: &[String],
    siblings: Siblings,
    notes: &mut Vec<ReadNote>,
) -> HashMap<String, MaterialLook> {
    let mut looks = Looks { siblings, notes, room: MOST_PICTURE_BYTES, found: HashMap::new() };
    for line in names {
        // Either one name with spaces in it, or several names.
        match siblings(line) {
            Some(bytes) => looks.read(line, &bytes),
            None => {
                for name in line.split_ascii_whitespace().filter(|n| *n != line) {
                    if let Some(bytes) = siblings(name) {
                        looks.read(name, &bytes);
                    }
                }
            }
        }
    }
    looks.found
}

struct Looks<'a> {
    siblings: Siblings<'a>,
    notes: &'a mut Vec<ReadNote>,
    /// Bytes of pictures that may still be decoded.
    room: u64,
    found: HashMap<String, MaterialLook>,
}

impl Looks<'_> {
    fn note(&mut self, reason: String, remedy: &str) {
        tell(self.notes, None, reason, remedy);
    }

    fn read(&mut self, library: &str, bytes: &[u8]) {
        let text = match decode(bytes) {
            Ok((text, _)) => text,
            Err(fault) => {
                let reason = format!("The material library {library} was left out: {}", fault.fault);
                return self.note(reason, "Export it again if its colours should be baked");
            }
        };
        let mut current: Option<String> = None;
        for (number, line) in lines(&text) {
            let line = line.trim();
            let (word, rest) = line.split_once(|c: char| c.is_ascii_whitespace()).unwrap_or((line, ""));
            let rest = rest.trim();
            if word == "newmtl" {
                current = (!rest.is_empty()).then(|| rest.to_owned());
                if let Some(name) = &current {
                    self.found.insert(name.clone(), MaterialLook::default());
                }
                continue;
            }
            let Some(material) = &current else { continue };
            let place = format!("{library}, line {number}");
            match word {
                "Kd" => match color(rest) {
                    Some(color) => self.change(material, |look| look.color = color),
                    None => {
                        let reason = format!("{place}: the colour of '{material}' is not one or three numbers");
                        self.note(reason, "Repair the line if that colour should be baked");
                    }
                },
                "map_Kd" => self.texture(material, rest, &place),
                _ => {}
            }
        }
    }

    fn change(&mut self, material: &str, change: impl FnOnce(&mut MaterialLook)) {
        if let Some(look) = self.found.get_mut(material) {
            change(look);
        }
    }

    fn texture(&mut self, material: &str, rest: &str, place: &str) {
        let (file, placing) = texture_of(rest);
        let Some(bytes) = (self.siblings)(file) else { return };
        match read_image_within(file, &bytes, self.room) {
            Ok(image) => {
                self.room = self.room.saturating_sub(image.bytes());
                self.change(material, |look| {
                    let (image, sampler) = (Arc::new(image), Sampler::default());
                    look.picture = Some(Laid { image, sampler, placing, on_texture_uvs: true });
                });
            }
            Err(f) => {
                let reason = format!("{place}: the texture {file} of '{material}' was left out: {}", f.fault);
                self.note(reason, &f.remedy);
            }
        }
    }
}

/// Linear light of `0.8` (a grey) or `0.8 0.2 0.1`.
fn color(text: &str) -> Option<[f32; 3]> {
    let values: Vec<f32> = text.split_ascii_whitespace().map(str::parse).collect::<Result<_, _>>().ok()?;
    let rgb = match values[..] {
        [grey] => [grey; 3],
        [r, g, b] => [r, g, b],
        _ => return None,
    };
    rgb.iter().all(|c| c.is_finite()).then(|| rgb.map(|c| srgb_to_linear(c.clamp(0.0, 1.0))))
}

/// The file of a texture line, behind its options, and how it is scaled and moved where it is.
fn texture_of(line: &str) -> (&str, Option<Affine2>) {
    let (mut rest, mut scale, mut offset) = (line.trim(), Vec2::ONE, Vec2::ZERO);
    while rest.starts_with('-') {
        let (option, after) = next_word(rest);
        rest = after;
        match option {
            "-s" | "-o" | "-t" => {
                let mut values = Vec::new();
                while values.len() < 3
                    && let (word, after) = next_word(rest)
                    && let Ok(value) = word.parse::<f32>()
                {
                    values.push(value);
                    rest = after;
                }
                let pair =
                    |other: f32| Vec2::new(values.first().copied().unwrap_or(other), *values.get(1).unwrap_or(&other));
                match option {
                    "-s" => scale = pair(1.0),
                    "-o" => offset = pair(0.0),
                    _ => {}
                }
            }
            "-mm" => rest = next_word(next_word(rest).1).1,
            _ => rest = next_word(rest).1,
        }
    }
    let placed = (scale, offset) != (Vec2::ONE, Vec2::ZERO) && scale.is_finite() && offset.is_finite();
    (rest, placed.then(|| Affine2::from_scale_angle_translation(scale, 0.0, offset)))
}

fn next_word(text: &str) -> (&str, &str) {
    let (word, rest) = text.split_once(|c: char| c.is_ascii_whitespace()).unwrap_or((text, ""));
    (word, rest.trim_start())
}
