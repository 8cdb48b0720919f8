//! The low-poly lit with the textures of a delivery, as a picture for the contact sheet: rays from an eye in front of it, one key light with
//! shadows and light from all around.

use super::shipped::PLAIN_ROUGHNESS;
use crate::mesh::{CornerTangent, Mesh, corner_tangents};
use crate::picture::{Image, Sampler, linear_to_srgb, srgb_byte_to_linear};
use crate::surface::MeshPoint;
use crate::trace::{BackFaces, RaySpan, Rounding, Sight, SightMask, TraceScene};
use glam::{Vec2, Vec3, Vec4, vec3};
use rayon::prelude::*;

/// Textures of one sheet as glTF 2.0 packs them; what is missing is as glTF has it without. Pictures of data say that their numbers are
/// linear.
#[derive(Clone, Debug, Default)]
pub struct Dress {
    /// Colour, and opacity in alpha.
    pub base_color: Option<Image>,
    /// Occlusion, roughness, metallic.
    pub packed: Option<Image>,
    /// Tangent space, Y+.
    pub normal: Option<Image>,
    pub emissive: Option<Image>,
}

/// What is seen where the model is not, as sRGB bytes.
pub const BACKDROP: [u8; 3] = [74, 74, 74];
/// From the middle of the model towards the eye.
const TOWARDS_EYE: Vec3 = vec3(0.52, 0.36, 0.78);
/// Half the angle that the picture takes in, as a tangent.
const HALF_VIEW: f32 = 0.26;
const TOWARDS_KEY: Vec3 = vec3(-0.28, 0.74, 0.62);
const KEY: Vec3 = vec3(2.7, 2.6, 2.4);
const FROM_ABOVE: Vec3 = vec3(0.62, 0.66, 0.72);
const FROM_BELOW: Vec3 = vec3(0.24, 0.22, 0.20);
/// Rays of a pixel per side.
const RAYS: u32 = 3;
/// Surfaces that let light through, one behind the other, at most.
const MOST_THROUGH: u32 = 12;
const PLAIN: Vec3 = Vec3::splat(0.5);

/// Red, green and blue as sRGB bytes, `side` by `side` pixels from the top down. `sheet_of` tells of a triangle which of `dresses` it has.
pub fn portrait(mesh: &Mesh, dresses: &[Dress], sheet_of: &(dyn Fn(u32) -> usize + Sync), side: u32) -> Vec<u8> {
    let stage = Stage::new(mesh, dresses, sheet_of);
    let rows = (0..side).into_par_iter().flat_map_iter(|y| (0..side).flat_map(move |x| [[x, y]]));
    let backdrop = Vec3::from(BACKDROP.map(srgb_byte_to_linear));
    let pixel = |[x, y]: [u32; 2]| {
        let mut sum = Vec4::ZERO;
        for n in 0..RAYS * RAYS {
            let at =
                |pixel: u32, step: u32| (pixel as f32 + (step as f32 + 0.5) / RAYS as f32) / side as f32 * 2.0 - 1.0;
            sum += stage.seen(Vec2::new(at(x, n % RAYS), -at(y, n / RAYS)));
        }
        let sum = sum / (RAYS * RAYS) as f32;
        let light = sum.truncate() + (1.0 - sum.w) * backdrop;
        light.to_array().map(|light| (linear_to_srgb(light.clamp(0.0, 1.0)) * 255.0).round() as u8)
    };
    rows.map(pixel).collect::<Vec<_>>().into_flattened()
}

struct Stage<'a> {
    mesh: &'a Mesh,
    dresses: &'a [Dress],
    sheet_of: &'a (dyn Fn(u32) -> usize + Sync),
    tangents: Vec<[CornerTangent; 3]>,
    scene: TraceScene,
    rounding: Rounding,
    allowed: Vec<bool>,
    eye: Vec3,
    /// To the right, up, and away from the eye.
    axes: [Vec3; 3],
    far: f32,
}

impl<'a> Stage<'a> {
    fn new(mesh: &'a Mesh, dresses: &'a [Dress], sheet_of: &'a (dyn Fn(u32) -> usize + Sync)) -> Stage<'a> {
        let (low, high) = mesh.bounds();
        let middle = (low + high) / 2.0;
        let away = -TOWARDS_EYE.normalize();
        let right = away.cross(Vec3::Y).normalize();
        let axes = [right, right.cross(away), away];
        // As far away as every corner of the mesh needs to be in the picture, with a margin.
        let needs = |p: &Vec3| {
            let [x, y, z] = axes.map(|axis| (*p - middle).dot(axis));
            x.abs().max(y.abs()) / (HALF_VIEW * 0.92) - z
        };
        let radius = (high - low).length() / 2.0;
        let distance = mesh.positions.iter().map(needs).fold(0.0, f32::max).max(1.05 * radius);
        let scene = TraceScene::new(mesh);
        let sight = Sight::everything();
        Stage {
            tangents: if mesh.uvs.is_empty() { Vec::new() } else { corner_tangents(mesh) },
            rounding: scene.rounding(&sight),
            allowed: SightMask::default().of(&sight, mesh.parts.len()).to_vec(),
            scene,
            mesh,
            dresses,
            sheet_of,
            eye: middle - away * distance,
            axes,
            far: distance + 2.0 * radius,
        }
    }

    /// Light from a place of the picture (-1..1 both ways, up is positive) and how much of it the model fills.
    fn seen(&self, at: Vec2) -> Vec4 {
        let [right, up, away] = self.axes;
        let direction = (away + (right * at.x + up * at.y) * HALF_VIEW).normalize();
        let mut span = RaySpan { origin: self.eye, direction, length: self.far };
        let (mut light, mut left) = (Vec3::ZERO, 1.0);
        for _ in 0..MOST_THROUGH {
            let Some(hit) = self.scene.closest(&span, &self.allowed, BackFaces::Keep).hit else { break };
            let place = self.mesh.at(hit.at);
            let (found, opacity) = self.lit(hit.at, direction, place);
            light += found * opacity * left;
            left *= 1.0 - opacity;
            if left < 0.01 {
                break;
            }
            let normal = self.mesh.area_normal(hit.at.triangle).normalize_or_zero();
            let behind = if normal.dot(direction) > 0.0 { normal } else { -normal };
            let origin = self.scene.step_off(place, behind, self.rounding);
            span = RaySpan { origin, length: self.far, ..span };
        }
        light.extend(1.0 - left)
    }

    /// Light that a place sends against `direction`, and its opacity: a rough dielectric or metal by Trowbridge and Reitz, as glTF 2.0 has it.
    fn lit(&self, at: MeshPoint, direction: Vec3, place: Vec3) -> (Vec3, f32) {
        let sheet = (self.sheet_of)(at.triangle);
        let dress = self.dresses.get(sheet);
        let uv = (!self.mesh.uvs.is_empty()).then(|| at.between(self.mesh.corner_uvs(at.triangle)));
        let read = |image: Option<&Image>| Some(image?.light(uv?, 1.0, Sampler::default()));
        let base = read(dress.and_then(|dress| dress.base_color.as_ref())).unwrap_or(PLAIN.extend(1.0));
        let packed =
            read(dress.and_then(|dress| dress.packed.as_ref())).unwrap_or(vec3(1.0, PLAIN_ROUGHNESS, 0.0).extend(1.0));
        let emissive = read(dress.and_then(|dress| dress.emissive.as_ref())).unwrap_or(Vec4::ZERO);
        let towards_eye = -direction;
        let mut normal = self.normal(at, read(dress.and_then(|dress| dress.normal.as_ref())));
        let face = self.mesh.area_normal(at.triangle).normalize_or_zero();
        if face.dot(towards_eye) < 0.0 {
            normal = -normal;
        }
        let (occlusion, roughness, metallic) = (packed.x, packed.y.max(0.05), packed.z);
        let color = base.truncate();
        let mirrored = Vec3::splat(0.04).lerp(color, metallic);
        let diffuse = color * (1.0 - metallic);
        let key = TOWARDS_KEY.normalize();
        let half = (key + towards_eye).normalize();
        let (lit, facing) = (normal.dot(key), normal.dot(towards_eye).max(0.05));
        let mut sum = emissive.truncate();
        if lit > 0.0 && self.reached_by_key(place, face, key) {
            let alpha = roughness * roughness;
            let square = alpha * alpha;
            let spread = normal.dot(half).max(0.0).powi(2) * (square - 1.0) + 1.0;
            let lobe = square / (std::f32::consts::PI * spread * spread).max(1e-4);
            let masked = |cosine: f32| cosine / (cosine * (1.0 - alpha / 2.0) + alpha / 2.0);
            let gloss = lobe * masked(lit) * masked(facing) / (4.0 * lit * facing);
            let fresnel = mirrored + (1.0 - mirrored) * (1.0 - half.dot(key)).max(0.0).powi(5);
            sum += (diffuse / std::f32::consts::PI + fresnel * gloss) * KEY * lit;
        }
        let around = |direction: Vec3| FROM_BELOW.lerp(FROM_ABOVE, direction.y * 0.5 + 0.5);
        let fresnel = mirrored + (1.0 - mirrored) * (1.0 - facing).powi(5) * (1.0 - roughness);
        let back = 2.0 * normal.dot(towards_eye) * normal - towards_eye;
        sum += occlusion * (diffuse * around(normal) + fresnel * around(back.lerp(normal, roughness)));
        (sum, base.w)
    }

    /// The normal at a place, turned by what a normal map holds there. `map`: its decoded numbers, 0..1, read as colour.
    fn normal(&self, at: MeshPoint, map: Option<Vec4>) -> Vec3 {
        let own = self.mesh.normal_at(at);
        let (Some(map), Some(corners)) = (map, self.tangents.get(at.triangle as usize)) else { return own };
        let tangent = at.between(corners.map(|corner| corner.tangent));
        let bitangent = own.cross(tangent) * corners[0].sign;
        let turn = map.truncate() * 2.0 - 1.0;
        (tangent * turn.x + bitangent * turn.y + own * turn.z).try_normalize().unwrap_or(own)
    }

    fn reached_by_key(&self, place: Vec3, face: Vec3, key: Vec3) -> bool {
        let side = if face.dot(key) > 0.0 { face } else { -face };
        let span =
            RaySpan { origin: self.scene.step_off(place, side, self.rounding), direction: key, length: self.far };
        self.scene.closest(&span, &self.allowed, BackFaces::Keep).hit.is_none()
    }
}
