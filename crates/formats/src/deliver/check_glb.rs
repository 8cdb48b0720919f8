//! A delivered GLB read back by the `gltf` crate and held against the low-poly that was baked.

use super::check::Check;
use ember_ridge_core::Mesh;
use ember_ridge_core::glam::{Vec2, Vec3, vec2};
use ember_ridge_core::mesh::corner_tangents;
use ember_ridge_core::surface::degrees_between;

/// Angles that are let pass; the numbers are copied, so that there should be none.
const MOST_DEGREES: f32 = 0.01;

/// What to do about a file that was changed on its way.
pub(super) const CHANGED: &str = "Deliver it again, and change nothing in it on the way";

/// Its triangles and tangents, and the bytes of its textures. `sheet_of` tells of a triangle of `low` which of `sheets` it lies on.
pub fn check_glb(
    file: &str,
    bytes: &[u8],
    low: &Mesh,
    sheets: usize,
    sheet_of: &dyn Fn(u32) -> usize,
) -> (Vec<Check>, Vec<Vec<u8>>) {
    let check = |what: &str, fine, found: String| Check {
        file: file.to_owned(),
        what: what.to_owned(),
        found,
        fine,
        remedy: if fine { String::new() } else { CHANGED.to_owned() },
    };
    // The parser panics at some damaged files.
    let read = std::panic::catch_unwind(|| corners_of(bytes)).unwrap_or_else(|_| Err("it is damaged".to_owned()));
    let found = match read {
        Ok(found) => found,
        Err(fault) => return (vec![check("read", false, fault)], Vec::new()),
    };
    // Part by part, and in each sheet by sheet, as it is written.
    let parts = low.parts.iter().flat_map(|part| (0..sheets.max(1)).map(move |sheet| (part, sheet)));
    let order: Vec<u32> =
        parts.flat_map(|(part, sheet)| part.triangles.clone().filter(move |t| sheet_of(*t) == sheet)).collect();
    let mut checks = vec![check(
        "triangles",
        found.corners.len() == 3 * order.len(),
        format!("{} triangles of {}", found.corners.len() / 3, order.len()),
    )];
    if !checks[0].fine {
        return (checks, found.textures);
    }
    let tangents = if low.uvs.is_empty() { Vec::new() } else { corner_tangents(low) };
    let (mut apart, mut turned, mut moved) = (0.0f32, 0usize, 0usize);
    for (at, corner) in found.corners.iter().enumerate() {
        let (triangle, number) = (order[at / 3] as usize, at % 3);
        let vertex = low.triangles[triangle][number] as usize;
        let uv = low.uvs.get(vertex).map_or(corner.uv, |uv| vec2(uv.x, 1.0 - uv.y));
        if corner.position != low.positions[vertex] || corner.normal != low.normals[vertex] || corner.uv != uv {
            moved += 1;
        }
        if let Some(tangent) = tangents.get(triangle).map(|corners| corners[number]) {
            turned += usize::from(corner.sign != tangent.sign);
            apart = apart.max(degrees_between(corner.tangent, tangent.tangent));
        }
    }
    let words =
        if moved == 0 { "all where they were baked".to_owned() } else { format!("{moved} corners are elsewhere") };
    checks.push(check("corners", moved == 0, words));
    if !tangents.is_empty() {
        let fine = apart <= MOST_DEGREES && turned == 0;
        let words = match (fine, turned) {
            (true, _) => format!("as baked, at most {apart:.4} degrees off"),
            (false, 0) => format!("up to {apart:.1} degrees off those that were baked with"),
            (false, _) => format!("{turned} corners are mirrored, and up to {apart:.1} degrees off"),
        };
        checks.push(check("tangents", fine, words));
    }
    (checks, found.textures)
}

struct Corner {
    position: Vec3,
    normal: Vec3,
    uv: Vec2,
    tangent: Vec3,
    sign: f32,
}

struct Found {
    corners: Vec<Corner>,
    textures: Vec<Vec<u8>>,
}

fn corners_of(bytes: &[u8]) -> Result<Found, String> {
    let gltf = gltf::Gltf::from_slice(bytes).map_err(|_| "it is no sound GLB".to_owned())?;
    let blob = gltf.blob.as_deref().ok_or("it has no buffer")?;
    let mut corners = Vec::new();
    for primitive in gltf.nodes().filter_map(|node| node.mesh()).flat_map(|mesh| mesh.primitives()) {
        let reader = primitive.reader(|_| Some(blob));
        let positions: Vec<[f32; 3]> = reader.read_positions().ok_or("it lacks positions")?.collect();
        let normals: Vec<[f32; 3]> = reader.read_normals().ok_or("it lacks normals")?.collect();
        let uvs: Vec<[f32; 2]> = reader.read_tex_coords(0).map_or_else(Vec::new, |uvs| uvs.into_f32().collect());
        let tangents: Vec<[f32; 4]> = reader.read_tangents().map_or_else(Vec::new, |tangents| tangents.collect());
        for index in reader.read_indices().ok_or("it lacks indices")?.into_u32() {
            let at = index as usize;
            let [x, y, z, sign] = tangents.get(at).copied().unwrap_or_default();
            corners.push(Corner {
                position: positions.get(at).copied().ok_or("an index points outside")?.into(),
                normal: normals.get(at).copied().ok_or("an index points outside")?.into(),
                uv: uvs.get(at).copied().unwrap_or_default().into(),
                tangent: Vec3::new(x, y, z),
                sign,
            });
        }
    }
    let texture = |image: gltf::Image| {
        let gltf::image::Source::View { view, .. } = image.source() else { return Err("a texture lies outside") };
        blob.get(view.offset()..view.offset() + view.length()).map(<[u8]>::to_vec).ok_or("a texture is cut short")
    };
    let textures = gltf.images().map(texture).collect::<Result<_, _>>()?;
    Ok(Found { corners, textures })
}
