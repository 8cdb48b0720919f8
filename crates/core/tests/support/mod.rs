//! Meshes with known answers, and a bake without a clock.

use ember_ridge_core::bake::{Counts, Ended, Outcome, Plan, Report, Spool, Unwatched, Watch, run};
use ember_ridge_core::glam::{Vec2, Vec3, vec2, vec3};
use ember_ridge_core::maps::{AoSettings, CurvatureSettings, MapSettings, PaletteEntry, Rays};
use ember_ridge_core::mesh::{Laid, MaterialLook, Surface};
use ember_ridge_core::picture::{Coding, Depth, Image, Pixels, Sampler};
use ember_ridge_core::reach::Reach;
use ember_ridge_core::recipe::Recipe;
use ember_ridge_core::scene::BakeScene;
use ember_ridge_core::sheet::Padding;
use ember_ridge_core::surface::Distance;
use ember_ridge_core::{Draft, DraftPart, Mesh};
use std::collections::HashMap;
use std::sync::{Arc, Mutex};

/// A spool that outlasts the runs of a test.
#[derive(Default)]
pub struct Lasting(pub Mutex<HashMap<usize, Vec<u8>>>);

impl Spool for Lasting {
    fn keep(&self, slot: usize, bytes: Vec<u8>) -> Result<(), String> {
        self.0.lock().expect("no panic").insert(slot, bytes);
        Ok(())
    }

    fn fetch(&self, slot: usize, into: &mut Vec<u8>) -> Result<bool, String> {
        into.clear();
        let slots = self.0.lock().expect("no panic");
        match slots.get(&slot) {
            Some(bytes) if bytes.is_empty() => Err("damaged".into()),
            found => {
                into.extend(found.into_iter().flatten());
                Ok(found.is_some())
            }
        }
    }

    fn lasts(&self) -> bool {
        true
    }
}

/// A sheet of `n` x `n` cells over the unit square in x and z (uv = x, 1 - z), lifted by `height`. Faces look up (+y).
pub fn height_field(name: &str, n: usize, height: impl Fn(f32, f32) -> f32) -> Mesh {
    let mut draft = Draft::default();
    let mut indices = Vec::new();
    for j in 0..=n {
        for i in 0..=n {
            let (x, z) = (i as f32 / n as f32, j as f32 / n as f32);
            draft.positions.push(vec3(x, height(x, z), z));
            draft.uvs.push(vec2(x, 1.0 - z));
        }
    }
    let at = |i: usize, j: usize| (j * (n + 1) + i) as u32;
    for j in 0..n {
        for i in 0..n {
            let (a, b, c, d) = (at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j));
            indices.extend([a, b, c, a, c, d]);
        }
    }
    draft.parts.push(DraftPart { name: name.into(), indices, ..DraftPart::default() });
    draft.finish().expect("a grid is a whole mesh")
}

/// The unit square at y = 0, uv = (x, 1 - z).
pub fn flat() -> Mesh {
    height_field("flat_low", 1, |_, _| 0.0)
}

/// The centre of a texel of the unit square, counted row by row from the top left of a sheet of `size`.
pub fn texel_of_flat(t: usize, size: u32) -> Vec3 {
    let (x, y) = (t % size as usize, t / size as usize);
    vec3(x as f32 + 0.5, 0.0, y as f32 + 0.5) / size as f32
}

/// A closed ball about the origin, `rings` from pole to pole, without UVs.
pub fn ball(name: &str, radius: f32, rings: usize) -> Mesh {
    let around = rings * 2;
    let mut draft = Draft::default();
    draft.positions.push(Vec3::Y * radius);
    for r in 1..rings {
        for k in 0..around {
            let (polar, turn) =
                (std::f32::consts::PI * r as f32 / rings as f32, std::f32::consts::TAU * k as f32 / around as f32);
            draft.positions.push(radius * vec3(polar.sin() * turn.cos(), polar.cos(), polar.sin() * turn.sin()));
        }
    }
    draft.positions.push(Vec3::NEG_Y * radius);
    let last = draft.positions.len() as u32 - 1;
    let at = |r: usize, k: usize| (1 + (r - 1) * around + k % around) as u32;
    let mut indices = Vec::new();
    for k in 0..around {
        indices.extend([0, at(1, k + 1), at(1, k)]);
        indices.extend([last, at(rings - 1, k), at(rings - 1, k + 1)]);
        for r in 1..rings - 1 {
            indices.extend([at(r, k), at(r, k + 1), at(r + 1, k + 1), at(r, k), at(r + 1, k + 1), at(r + 1, k)]);
        }
    }
    draft.parts.push(DraftPart { name: name.into(), indices, ..DraftPart::default() });
    draft.finish().expect("a ball is a whole mesh")
}

/// An axis-aligned box with four corners a side, each side a UV island in a 3 x 2 layout.
pub fn cube(name: &str, half: f32) -> Mesh {
    let mut draft = Draft::default();
    let mut indices = Vec::new();
    let sides = [Vec3::X, Vec3::NEG_X, Vec3::Y, Vec3::NEG_Y, Vec3::Z, Vec3::NEG_Z];
    for (s, out) in sides.into_iter().enumerate() {
        let right = if out.y != 0.0 { Vec3::X } else { Vec3::Y.cross(out) };
        let up = out.cross(right);
        let corner = vec2((s % 3) as f32 / 3.0, (s / 3) as f32 / 2.0) + 0.02;
        let first = draft.positions.len() as u32;
        for (a, b) in [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)] {
            draft.positions.push((out + right * a + up * b) * half);
            draft.normals.push(out);
            draft.uvs.push(corner + (vec2(a, b) + 1.0) / 2.0 * vec2(0.29, 0.46));
        }
        indices.extend([0, 1, 2, 0, 2, 3].map(|i| i + first));
    }
    draft.parts.push(DraftPart { name: name.into(), indices, ..DraftPart::default() });
    draft.finish().expect("a box is a whole mesh")
}

/// Moves a mesh.
pub fn moved(mesh: &Mesh, by: Vec3) -> Mesh {
    let mut mesh = mesh.clone();
    mesh.positions.iter_mut().for_each(|p| *p += by);
    mesh
}

pub fn scaled(mesh: &Mesh, by: f32) -> Mesh {
    let mut mesh = mesh.clone();
    mesh.positions.iter_mut().for_each(|p| *p *= by);
    mesh
}

pub fn with_uvs(mesh: &Mesh, change: impl Fn(Vec2) -> Vec2) -> Mesh {
    let mut mesh = mesh.clone();
    mesh.uvs.iter_mut().for_each(|uv| *uv = change(*uv));
    mesh
}

/// Maps of these ids, as they are before anyone sets them.
pub fn maps(ids: &[&str]) -> Vec<MapSettings> {
    ids.iter().map(|id| MapSettings::by_key(id).expect("a map of this id")).collect()
}

pub fn recipe(size: u32, samples: u32, reach: (f32, f32), maps: Vec<MapSettings>) -> Recipe {
    let mut recipe = Recipe::new("test");
    recipe.sheet.size = size;
    recipe.sheet.samples = samples;
    recipe.sheet.padding = Padding::Texels(0);
    recipe.reach = Reach { out: Distance::Units(reach.0), inward: Distance::Units(reach.1), ..Reach::default() };
    recipe.maps = maps;
    recipe
}

/// A finished map, whole in memory.
#[derive(Debug, PartialEq)]
pub struct WholeMap {
    /// As a recipe and a report name it.
    pub id: String,
    pub channels: usize,
    pub scale: Option<f32>,
    pub pixels: Pixels,
    pub palette: Option<Vec<PaletteEntry>>,
    pub error: Option<String>,
}

/// A finished bake of one sheet, whole in memory.
pub struct Whole {
    pub maps: Vec<WholeMap>,
    pub covered: Vec<bool>,
    pub counts: Counts,
    pub report: Report,
}

impl Whole {
    pub fn of(outcome: &Outcome, sheet: usize) -> Whole {
        let whole = |(number, map): (usize, &ember_ridge_core::bake::BakedMap)| WholeMap {
            id: map.facts.key().to_owned(),
            channels: map.facts.shape.channels,
            scale: map.scale,
            pixels: outcome.pixels(sheet, number).expect("tiles wait in memory"),
            palette: map.palette.clone(),
            error: map.error.clone(),
        };
        let texels = outcome.size as usize * outcome.size as usize;
        Whole {
            maps: outcome.maps.iter().enumerate().map(whole).collect(),
            covered: (0..texels).map(|t| outcome.covered(sheet).get(t)).collect(),
            counts: outcome.counts.clone(),
            report: outcome.report.clone(),
        }
    }
}

pub fn bake(recipe: &Recipe, low: &Mesh, high: &[&Mesh]) -> Whole {
    bake_on(recipe, low, high, 2)
}

pub fn bake_on(recipe: &Recipe, low: &Mesh, high: &[&Mesh], threads: usize) -> Whole {
    let scene = BakeScene::new(&[low], high, None).expect("no cage, no fault");
    bake_scene(recipe, &scene, threads, &Unwatched).expect("nobody stops it")
}

pub fn bake_scene(recipe: &Recipe, scene: &BakeScene, threads: usize, watch: &dyn Watch) -> Result<Whole, Ended> {
    let plan = Plan::new(recipe, scene).expect("the recipe is sound");
    run(&plan, threads, watch).map(|outcome| Whole::of(&outcome, 0))
}

/// A recipe of one sample per texel and files of 16 bits.
pub fn sixteen(size: u32, reach: f32, maps: Vec<MapSettings>) -> Recipe {
    let mut recipe = recipe(size, 1, (reach, reach), maps);
    recipe.sheet.depth = Depth::Sixteen;
    recipe
}

pub fn ao(rays: impl Into<Rays>, distance: f32) -> AoSettings {
    AoSettings { rays: rays.into(), distance: Distance::Units(distance), ..AoSettings::default() }
}

pub fn curvature(detail: f32, radius: f32) -> MapSettings {
    MapSettings::Curvature(CurvatureSettings {
        detail: Distance::Units(detail),
        radius: Distance::Units(radius),
        ..CurvatureSettings::default()
    })
}

/// The values of a map that was baked, texel by texel.
pub fn values(whole: &Whole, map: &str) -> Vec<f32> {
    let map = whole.maps.iter().find(|m| m.id == map).expect("it was baked");
    assert_eq!(map.error, None);
    let entries = whole.covered.len() * map.channels;
    (0..entries).map(|at| map.pixels.get(at)).collect()
}

/// The same mesh of one material, whose roughness, metal and light are numbers times pictures of a few texels over its UVs (or
/// plain numbers on a mesh without UVs).
pub fn with_surface(mesh: &Mesh) -> Mesh {
    let laid = |bytes: &[u8], coding| Laid {
        image: Arc::new(Image::new(2, 2, 3, Pixels::U8(bytes.to_vec()), coding)),
        sampler: Sampler::default(),
        placing: None,
        on_texture_uvs: true,
    };
    let surface = Surface {
        roughness: 0.8,
        metallic: 0.5,
        rough_metal: Some(laid(&[0, 40, 90, 0, 200, 10, 0, 120, 255, 0, 80, 160], Coding::Linear)),
        emission: [0.9, 0.5, 0.2],
        emission_picture: Some(laid(&[10, 240, 90, 30, 200, 10, 250, 120, 255, 70, 80, 160], Coding::Srgb)),
        ..Surface::default()
    };
    Mesh {
        materials: vec!["paint".into()],
        triangle_materials: vec![0; mesh.triangles.len()],
        looks: vec![MaterialLook { surface: Some(surface), ..MaterialLook::default() }],
        ..mesh.clone()
    }
}
