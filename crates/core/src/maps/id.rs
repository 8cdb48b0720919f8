//! `id`: flat colours that tell regions apart. A texel takes the region most of its samples hit; nothing is blended. A
//! region's colour comes from its name alone, so adding a part moves no other colour.

use super::{Map, MapKind, MapShape, MapWork, Setup, TileWork};
use crate::finding::Finding;
use crate::inspect::{colours_merged, colours_moved, colours_shared, no_colours};
use crate::layout::{Islands, find_islands};
use crate::mesh::{DisjointSets, Mesh, NO_MATERIAL, weld};
use crate::picture::linear_to_srgb;
use crate::scene::{BakeScene, Beside, KeptBeside};
use crate::stop::Stopped;
use glam::{Vec2, Vec3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;

/// What makes two places different regions.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum IdSource {
    /// The sculpt's vertex colour.
    Color,
    /// The sculpt's material.
    Material,
    /// The sculpt's part.
    #[default]
    Part,
    /// Each loose piece of the sculpt.
    Piece,
    /// The low-poly part.
    LowPart,
    /// The UV island.
    Island,
    /// Each material of each part of the sculpt.
    MaterialPart,
}

impl IdSource {
    pub(crate) fn words(self) -> &'static str {
        match self {
            IdSource::Color => "vertex colour",
            IdSource::Material => "material",
            IdSource::Part => "sculpt part",
            IdSource::Piece => "loose piece",
            IdSource::LowPart => "low-poly part",
            IdSource::Island => "UV island",
            IdSource::MaterialPart => "material and part",
        }
    }
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct IdSettings {
    #[serde(default)]
    pub from: IdSource,
}

impl Map for IdSettings {
    const KIND: MapKind = MapKind {
        explains: "One flat colour per region, for picking parts or materials while texturing.",
        encoding: "flat sRGB colours, see palette",
        flat: true,
        ..MapKind::data("id", "ID", MapShape::rgb(&[0.0, 0.0, 0.0]))
    };

    fn prepare(&self, setup: &Setup) -> Result<Box<dyn MapWork>, String> {
        if !matches!(self.from, IdSource::LowPart | IdSource::Island) {
            setup.needs_sculpt()?;
        }
        Ok(Box::new(IdTask::new(self, setup.scene)))
    }

    fn words(&self) -> String {
        format!("by {}", self.from.words())
    }
}

/// A region's name and its colour in the file, as `[r, g, b]` bytes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct PaletteEntry {
    pub name: String,
    pub color: [u8; 3],
}

/// Past this many different vertex colours they are paint, not regions: near ones are merged.
const MOST_COLOURS: usize = 256;

enum Regions {
    HighTriangle(Vec<u32>),
    HighVertex(Vec<u32>),
    LowTriangle(Vec<u32>),
}

/// The ID map ready to work on tiles.
pub(super) struct IdTask {
    regions: Regions,
    pub(super) palette: Vec<PaletteEntry>,
    findings: Vec<Finding>,
}

impl KeptBeside for IdTask {
    fn bytes(&self) -> usize {
        let (Regions::HighTriangle(of) | Regions::HighVertex(of) | Regions::LowTriangle(of)) = &self.regions;
        4 * of.len() + self.palette.iter().map(|entry| entry.name.len() + 32).sum::<usize>()
    }
}

impl IdTask {
    /// The regions of a scene, kept with it: telling a sculpt's colours apart takes longer than a look at a finish may.
    pub(super) fn kept(from: IdSource, scene: &BakeScene) -> Result<Beside<IdTask>, Stopped> {
        let name = format!("regions by {}", from.words());
        scene.kept_beside(name, || Ok(IdTask::new(&IdSettings { from }, scene)))
    }

    fn new(settings: &IdSettings, scene: &BakeScene) -> IdTask {
        let (high, low) = (&*scene.high, &scene.low.mesh);
        let names_of_parts = |mesh: &Mesh| mesh.parts.iter().map(|p| p.name.clone()).collect::<Vec<_>>();
        let mut findings = Vec::new();
        let (regions, names) = match settings.from {
            IdSource::Part => (Regions::HighTriangle(high.triangle_parts()), names_of_parts(high)),
            IdSource::LowPart => (Regions::LowTriangle(low.triangle_parts()), names_of_parts(low)),
            IdSource::Material => {
                let mut names = high.materials.clone();
                names.push("no material".into());
                (Regions::HighTriangle(materials_of(high)), names)
            }
            IdSource::MaterialPart => {
                let parts = high.triangle_parts();
                let pairs: Vec<(u32, u32)> = parts.into_iter().zip(materials_of(high)).collect();
                let mut known = pairs.clone();
                known.sort_unstable();
                known.dedup();
                let material = |m: u32| high.materials.get(m as usize).map_or("no material", String::as_str);
                let names = known.iter().map(|&(p, m)| format!("{} / {}", high.parts[p as usize].name, material(m)));
                let names = names.collect();
                let of = pairs.iter().map(|pair| known.binary_search(pair).unwrap_or_default() as u32).collect();
                (Regions::HighTriangle(of), names)
            }
            IdSource::Piece => {
                let (of, count) = loose_pieces(high, scene.copy_of());
                let names = piece_names(high, &of, count);
                (Regions::HighTriangle(of), names)
            }
            IdSource::Island => {
                let islands = find_islands(low);
                let names = island_names(low, &islands);
                (Regions::LowTriangle(islands.island_of), names)
            }
            IdSource::Color => {
                let (of, palette, finding) = vertex_colours(high);
                findings.extend(finding);
                return IdTask { regions: Regions::HighVertex(of), palette, findings };
            }
        };
        let (palette, clashes) = coloured(names);
        findings.extend(clashes);
        IdTask { regions, palette, findings }
    }

    /// The region of a sample, by its number in the palette; None where it hit nothing.
    pub(super) fn region(&self, tile: &TileWork, s: usize) -> Option<u32> {
        let place = tile.surface.place(s)?;
        Some(match &self.regions {
            Regions::HighTriangle(of) => of[place.triangle as usize],
            Regions::LowTriangle(of) => of[tile.hits.low(s).triangle as usize],
            Regions::HighVertex(of) => of[tile.surface.vertex(s)? as usize],
        })
    }
}

impl MapWork for IdTask {
    fn evaluate(&self, tile: &mut TileWork, out: &mut [f32]) {
        let mut votes: Vec<u32> = Vec::new();
        for (texel, samples) in tile.wanted_texels() {
            votes.clear();
            votes.extend(samples.filter_map(|s| self.region(tile, s)));
            votes.sort_unstable();
            let winner = votes.chunk_by(|a, b| a == b).max_by_key(|run| (run.len(), std::cmp::Reverse(run[0])));
            let rgb = winner.map_or([0; 3], |run| self.palette[run[0] as usize].color);
            for (slot, byte) in out[texel * 3..texel * 3 + 3].iter_mut().zip(rgb) {
                *slot = f32::from(byte) / 255.0;
            }
        }
    }

    fn palette(&self) -> Option<&[PaletteEntry]> {
        Some(&self.palette)
    }

    fn findings(&self) -> &[Finding] {
        &self.findings
    }
}

/// Material number of each triangle; one past the last for none.
fn materials_of(mesh: &Mesh) -> Vec<u32> {
    let none = mesh.materials.len() as u32;
    match mesh.triangle_materials.is_empty() {
        true => vec![none; mesh.triangles.len()],
        false => mesh.triangle_materials.iter().map(|&m| if m == NO_MATERIAL { none } else { m }).collect(),
    }
}

/// How often another colour is looked for before a region keeps one that is taken.
const TRIES: u32 = 64;

/// A colour of its own for each name. Regions of one name are one region. A name whose colour another has already takes the next
/// that is free, the later in the alphabet giving way, and a finding says so.
fn coloured(names: Vec<String>) -> (Vec<PaletteEntry>, Option<Finding>) {
    let mut distinct: Vec<&str> = names.iter().map(String::as_str).collect();
    distinct.sort_unstable();
    distinct.dedup();
    let mut taken: HashMap<[u8; 3], &str> = HashMap::new();
    let mut color_of: HashMap<&str, [u8; 3]> = HashMap::new();
    let (mut moved, mut shared) = (Vec::new(), Vec::new());
    for name in distinct {
        let mut color = colour_of_name(name);
        let first = taken.get(&color).copied();
        for again in 1..TRIES {
            if !taken.contains_key(&color) {
                break;
            }
            color = colour_of_name(&format!("{name}\u{0}{again}"));
        }
        match (first, taken.contains_key(&color)) {
            (_, true) => shared.push((first, name)),
            (Some(first), false) => moved.push((first, name)),
            (None, false) => {}
        }
        taken.entry(color).or_insert(name);
        color_of.insert(name, color);
    }
    let finding = match (shared.first(), moved.first()) {
        (Some((_, name)), _) => Some(colours_shared(shared.len(), name)),
        (None, Some((first, name))) => Some(colours_moved(moved.len(), name, first)),
        (None, None) => None,
    };
    let palette = names.iter().map(|name| PaletteEntry { color: color_of[name.as_str()], name: name.clone() });
    (palette.collect(), finding)
}

/// Loose pieces by part and place, so that a piece more elsewhere renames none.
fn piece_names(mesh: &Mesh, piece_of: &[u32], count: usize) -> Vec<String> {
    let part_of = mesh.triangle_parts();
    let mut boxes = vec![(u32::MAX, Vec3::INFINITY, Vec3::NEG_INFINITY); count];
    for (t, &piece) in piece_of.iter().enumerate() {
        let (part, low, high) = &mut boxes[piece as usize];
        *part = (*part).min(part_of[t]);
        for p in mesh.corners(t as u32) {
            (*low, *high) = (low.min(p), high.max(p));
        }
    }
    let name = |&(part, low, high): &(u32, Vec3, Vec3)| {
        // To a tenth of the piece's own size, in whole decimals: coordinates that stay when the rest of the asset changes.
        let size = (high - low).length().max(f32::MIN_POSITIVE);
        let decimals = (1.0 - libm::log10f(size)).ceil().clamp(0.0, 9.0) as usize;
        let [x, y, z] = ((low + high) * 0.5).to_array().map(|c| plain_number(c, decimals));
        format!("{} at {x} {y} {z}", mesh.parts[part as usize].name)
    };
    told_apart(boxes.iter().map(name).collect())
}

/// UV islands by part and place on the sheet.
fn island_names(mesh: &Mesh, islands: &Islands) -> Vec<String> {
    let part_of = mesh.triangle_parts();
    let mut boxes = vec![(u32::MAX, Vec2::INFINITY, Vec2::NEG_INFINITY); islands.count];
    for (t, &island) in islands.island_of.iter().enumerate() {
        let (part, low, high) = &mut boxes[island as usize];
        *part = (*part).min(part_of[t]);
        let uvs = if mesh.uvs.is_empty() { [Vec2::ZERO; 3] } else { mesh.corner_uvs(t as u32) };
        for uv in uvs {
            (*low, *high) = (low.min(uv), high.max(uv));
        }
    }
    let name = |&(part, low, high): &(u32, Vec2, Vec2)| {
        let [u, v] = ((low + high) * 0.5).to_array().map(|c| plain_number(c, 3));
        format!("{} at UV {u} {v}", mesh.parts[part as usize].name)
    };
    told_apart(boxes.iter().map(name).collect())
}

/// A number with so many decimals; never a negative zero.
fn plain_number(x: f32, decimals: usize) -> String {
    let text = format!("{x:.decimals$}");
    if text.trim_start_matches('-').chars().all(|c| c == '0' || c == '.') { text.replace('-', "") } else { text }
}

/// Numbers what has one name and still is not one region.
fn told_apart(mut names: Vec<String>) -> Vec<String> {
    let mut met: HashMap<String, u32> = HashMap::new();
    for name in &mut names {
        let number = met.entry(name.clone()).or_insert(0);
        *number += 1;
        if *number > 1 {
            *name = format!("{name} ({number})");
        }
    }
    names
}

/// A colour for a name, the same wherever the name stands: its FNV-1a hash picks hue, lightness and chroma in Oklch
/// (Ottosson 2020), within what sRGB can show.
pub fn colour_of_name(name: &str) -> [u8; 3] {
    let mut hash = 0xcbf2_9ce4_8422_2325u64;
    for byte in name.bytes() {
        hash = (hash ^ u64::from(byte)).wrapping_mul(0x0000_0100_0000_01b3);
    }
    // FNV's low bits mix poorly on short names; fold the halves together (splitmix64's finaliser).
    hash = (hash ^ hash >> 30).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    hash ^= hash >> 31;
    let share = |bits: u64| (bits & 0xffff) as f32 / 65536.0;
    let hue = share(hash) * std::f32::consts::TAU;
    let (lightness, chroma) = (0.52 + 0.30 * share(hash >> 16), 0.09 + 0.05 * share(hash >> 32));
    oklab_to_srgb(lightness, chroma * libm::cosf(hue), chroma * libm::sinf(hue))
}

fn oklab_to_srgb(l: f32, a: f32, b: f32) -> [u8; 3] {
    let cone = |ka: f32, kb: f32| (l + ka * a + kb * b).powi(3);
    let long = cone(0.396_337_78, 0.215_803_76);
    let medium = cone(-0.105_561_346, -0.063_854_17);
    let short = cone(-0.089_484_18, -1.291_485_5);
    let linear = [
        4.076_741_7 * long - 3.307_711_6 * medium + 0.230_969_93 * short,
        -1.268_438 * long + 2.609_757_4 * medium - 0.341_319_4 * short,
        -0.004_196_086_3 * long - 0.703_418_6 * medium + 1.707_614_7 * short,
    ];
    linear.map(|x: f32| (linear_to_srgb(x.clamp(0.0, 1.0)) * 255.0).round() as u8)
}

/// Piece number of each triangle, and how many pieces there are: triangles are one piece when they share a point.
fn loose_pieces(mesh: &Mesh, copy_of: Option<&[u32]>) -> (Vec<u32>, usize) {
    let welded = weld(mesh);
    let mut sets = DisjointSets::new(welded.points);
    let points = |t: &[u32; 3]| t.map(|v| welded.point_of[v as usize]);
    for triangle in &mesh.triangles {
        let [a, b, c] = points(triangle);
        sets.join(a, b);
        sets.join(a, c);
    }
    // A piece that goes on past a repeating edge is one with what comes in at the opposite one.
    for (copy, &original) in copy_of.into_iter().flatten().enumerate() {
        sets.join(points(&mesh.triangles[copy])[0], points(&mesh.triangles[original as usize])[0]);
    }
    sets.numbered(mesh.triangles.iter().map(|t| points(t)[0]))
}

fn vertex_colours(mesh: &Mesh) -> (Vec<u32>, Vec<PaletteEntry>, Option<Finding>) {
    if mesh.colors.is_empty() {
        let only = PaletteEntry { name: "no colour".into(), color: [128; 3] };
        return (vec![0; mesh.positions.len()], vec![only], Some(no_colours()));
    }
    let mut distinct: Vec<[u8; 3]> = mesh.colors.clone();
    distinct.sort_unstable();
    distinct.dedup();
    let merge = distinct.len() > MOST_COLOURS;
    // 5 levels a channel: 125 colours at most, evenly spaced.
    let snap = |c: [u8; 3]| if merge { c.map(|x| ((f32::from(x) / 63.75).round() * 63.75) as u8) } else { c };
    let mut number: HashMap<[u8; 3], u32> = HashMap::new();
    let mut palette = Vec::new();
    let of = mesh
        .colors
        .iter()
        .map(|&c| {
            let color = snap(c);
            *number.entry(color).or_insert_with(|| {
                let [r, g, b] = color;
                palette.push(PaletteEntry { name: format!("#{r:02x}{g:02x}{b:02x}"), color });
                palette.len() as u32 - 1
            })
        })
        .collect();
    let finding = merge.then(|| colours_merged(distinct.len(), palette.len()));
    (of, palette, finding)
}
