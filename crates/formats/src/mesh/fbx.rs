//! FBX, binary and text, through ufbx. Each node with a mesh becomes a part under the node's name, placed by its transform and turned so
//! that Y points up; lengths stand as the file counts them, and what a unit of it is, is told. Nothing is written in this format.

use super::{Beside, EXPORT_AGAIN, Fault, MOST_PICTURE_BYTES, NO_COLOR, Siblings, tell};
use crate::image::read_image_within;
use ember_ridge_core::glam::{DMat3, DVec3, Vec2, dvec3};
use ember_ridge_core::mesh::{Laid, MOST_TRIANGLES, MaterialLook, ReadNote};
use ember_ridge_core::picture::{Image, Sampler};
use ember_ridge_core::{Draft, DraftPart};
use rustc_hash::FxHashMap;
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;
use ufbx::{
    CoordinateAxes, CoordinateAxis, ErrorType, FileFormat, LoadOpts, Material, MaterialMap, Node, Scene, Texture,
    WarningType,
};

/// What a file may take in memory while it is read, beside its own size: arrays are packed, and a damaged one may claim anything.
const LEAST_MEMORY: usize = 256 << 20;
const MEMORY_A_BYTE: usize = 64;
/// Nodes below each other.
const DEEPEST: u32 = 512;
/// Lengths of a metre and a centimetre may be rounded this much.
const SAME_UNIT: f64 = 1e-4;

pub(super) fn read(bytes: &[u8], stem: &str, beside: Beside) -> Result<Draft, Fault> {
    // The bindings panic where a file breaks what they take for granted.
    let reading = std::panic::AssertUnwindSafe(|| read_checked(bytes, stem, beside));
    std::panic::catch_unwind(reading).unwrap_or_else(|_| {
        Err(Fault::new("the whole file", "it refers to parts that are not in the file", EXPORT_AGAIN))
    })
}

fn read_checked(bytes: &[u8], stem: &str, beside: Beside) -> Result<Draft, Fault> {
    let mut options = LoadOpts {
        ignore_animation: true,
        file_format: FileFormat::Fbx,
        node_depth_limit: DEEPEST,
        target_axes: CoordinateAxes::right_handed_y_up(),
        ..LoadOpts::default()
    };
    let most = LEAST_MEMORY.saturating_add(bytes.len().saturating_mul(MEMORY_A_BYTE));
    options.temp_allocator.memory_limit = most;
    options.result_allocator.memory_limit = most;
    let scene = ufbx::load_memory(bytes, options).map_err(|error| fault_of(&error))?;
    let shown: Vec<&Node> = scene.nodes.iter().map(|node| &**node).filter(|node| node.mesh.is_some()).collect();
    // Pictures lie on the first set where no other is chosen.
    let pictured = scene.materials.iter().any(|material| texture_of(material).is_some());
    let texture_set = beside.texture_set.or(pictured.then_some(0)).filter(|set| Some(*set) != beside.uv_set);
    let mut reader = Reader {
        draft: Draft { notes: notes_of(&scene), ..Draft::default() },
        uv_set: beside.uv_set,
        texture_set,
        normals: shown.iter().filter_map(|node| node.mesh.as_ref()).any(|mesh| mesh.vertex_normal.exists),
        corners: 0,
    };
    for node in &shown {
        let name = Some(&*node.element.name).filter(|name| !name.is_empty()).unwrap_or(stem);
        reader.add(node, name)?;
    }
    let sets = shown.iter().filter_map(|node| node.mesh.as_ref()).map(|mesh| mesh.uv_sets.len());
    reader.draft.uv_sets = Some(sets.max().unwrap_or(0) as u32);
    reader.draft.looks = looks(&scene, beside.siblings, texture_set.is_some(), &mut reader.draft.notes);
    Ok(reader.finish())
}

fn fault_of(error: &ufbx::Error) -> Fault {
    let (fault, remedy) = match error.type_ {
        ErrorType::UnrecognizedFileFormat => ("it is not an FBX file".to_owned(), "Export it again as FBX"),
        ErrorType::UnsupportedVersion => {
            (format!("its version is not read ({})", error.info()), "Export it as FBX of version 7 (2011 or later)")
        }
        ErrorType::MemoryLimit | ErrorType::AllocationLimit | ErrorType::OutOfMemory => {
            ("what it says it holds takes more memory than a file of this size can need".to_owned(), EXPORT_AGAIN)
        }
        ErrorType::NodeDepthLimit => {
            (format!("its nodes lie more than {DEEPEST} deep in each other"), "Flatten the hierarchy before export")
        }
        _ => {
            let told = [&*error.description, error.info()].map(str::to_lowercase);
            let [what, which] = told.map(|text| text.trim().to_owned());
            (if which.is_empty() { what } else { format!("{what}: {which}") }, EXPORT_AGAIN)
        }
    };
    Fault::new("the whole file", fault, remedy)
}

/// What the file says of itself that bears on how it lies beside others.
fn notes_of(scene: &Scene) -> Vec<ReadNote> {
    let mut notes = Vec::new();
    let metres = scene.settings.unit_meters;
    let known = [(1.0, "metres"), (0.01, "centimetres"), (0.001, "millimetres"), (0.0254, "inches"), (0.3048, "feet")];
    let known = known.into_iter().find(|(size, _)| (metres / size - 1.0).abs() < SAME_UNIT);
    let counts = known.map_or_else(|| format!("units of {metres} metres"), |(_, name)| name.to_owned());
    if metres.is_finite() && metres > 0.0 && counts != "metres" {
        let reason = format!("The file counts in {counts}; its lengths were taken as they stand");
        let remedy = format!("Scale it by {metres} at Meshes if your other meshes are in metres");
        tell(&mut notes, None, reason, &remedy);
    }
    // What the file says, whatever its meshes were turned to.
    let up = scene.settings.axes.up;
    if !matches!(up, CoordinateAxis::PositiveY | CoordinateAxis::Unknown) {
        let reason = format!("Up is {} in the file; it was turned so that Y points up", axis_words(up));
        tell(&mut notes, None, reason, "Nothing to do, unless your other meshes lie turned the same way");
    }
    if scene.metadata.has_warning[WarningType::IndexClamped as usize] {
        let reason = "Faces name vertices, normals or UVs that are not there; the last one was taken in their place";
        tell(&mut notes, None, reason, "Export it again if faces look torn");
    }
    let curved = scene.nurbs_surfaces.len() + scene.procedural_geometries.len();
    if curved > 0 {
        let surfaces = if curved == 1 {
            "surface that is not a mesh was".into()
        } else {
            format!("{curved} surfaces that are not meshes were")
        };
        let reason = format!("{}{surfaces} left out", if curved == 1 { "A " } else { "" });
        tell(&mut notes, None, reason, "Convert it to polygons before export if it should be baked");
    }
    notes
}

fn axis_words(axis: CoordinateAxis) -> &'static str {
    match axis {
        CoordinateAxis::PositiveX => "X",
        CoordinateAxis::NegativeX => "-X",
        CoordinateAxis::PositiveY => "Y",
        CoordinateAxis::NegativeY => "-Y",
        CoordinateAxis::PositiveZ => "Z",
        CoordinateAxis::NegativeZ => "-Z",
        CoordinateAxis::Unknown => "unknown",
    }
}

/// What fills a draft, node by node.
struct Reader {
    draft: Draft,
    uv_set: Option<u32>,
    /// The set that textures lie on, where it is not the one that is baked.
    texture_set: Option<u32>,
    /// Some mesh of the file has normals.
    normals: bool,
    /// Corners of all faces so far.
    corners: usize,
}

/// What tells a corner's vertex from others of its node: numbers of its position, normal, UVs, UVs of textures and colour.
type Corner = [u32; 5];

impl Reader {
    fn note(&mut self, part: &str, reason: String, remedy: &str) {
        tell(&mut self.draft.notes, Some(part), reason, remedy);
    }

    fn add(&mut self, node: &Node, name: &str) -> Result<(), Fault> {
        let Some(mesh) = node.mesh.as_deref() else { return Ok(()) };
        self.corners = self.corners.saturating_add(mesh.num_indices);
        if self.corners > 3 * MOST_TRIANGLES {
            let fault = format!("with its copies the file holds more than {MOST_TRIANGLES} triangles");
            return Err(Fault::new(format!("part '{name}'"), fault, "Decimate the sculpt, or split the file"));
        }
        self.tell_of(node, mesh, name);
        let set = |number: Option<u32>| mesh.uv_sets.get(number? as usize).map(|set| &set.vertex_uv);
        let (uvs, texture_uvs) = (set(self.uv_set), set(self.texture_set));
        let (normals, colors) = (&mesh.vertex_normal, &mesh.vertex_color);
        let m = &node.geometry_to_world;
        let axes = DMat3::from_cols(dvec3(m.m00, m.m10, m.m20), dvec3(m.m01, m.m11, m.m21), dvec3(m.m02, m.m12, m.m22));
        let (from, mirrored) = (dvec3(m.m03, m.m13, m.m23), axes.determinant() < 0.0);
        let upright = axes.inverse().transpose();
        let first = self.draft.positions.len();
        // UVs and colours take room only once a part has some.
        let draft = &mut self.draft;
        uvs.iter().for_each(|_| draft.uvs.resize(first, Vec2::ZERO));
        texture_uvs.iter().for_each(|_| draft.texture_uvs.resize(first, Vec2::ZERO));
        if colors.exists {
            draft.colors.resize(first, NO_COLOR);
        }
        let mut known: FxHashMap<Corner, u32> = FxHashMap::default();
        let mut vertex_of = |index: usize| -> u32 {
            let number = |exists: bool, indices: &[u32]| if exists { indices[index] } else { 0 };
            let corner = [
                mesh.vertex_position.indices[index],
                number(normals.exists, &normals.indices),
                uvs.map_or(0, |uvs| uvs.indices[index]),
                texture_uvs.map_or(0, |uvs| uvs.indices[index]),
                number(colors.exists, &colors.indices),
            ];
            *known.entry(corner).or_insert_with(|| {
                let vertex = draft.positions.len() as u32;
                draft.positions.push((axes * of(mesh.vertex_position[index]) + from).as_vec3());
                if self.normals {
                    let normal = if normals.exists { upright * of(normals[index]) } else { DVec3::ZERO };
                    draft.normals.push(normal.normalize_or_zero().as_vec3());
                }
                let flat = |uv: ufbx::Vec2| Vec2::new(uv.x as f32, uv.y as f32);
                draft.uvs.extend(uvs.map(|uvs| flat(uvs[index])));
                draft.texture_uvs.extend(texture_uvs.map(|uvs| flat(uvs[index])));
                if colors.exists {
                    let color = colors[index];
                    draft.colors.push([color.x, color.y, color.z].map(byte));
                }
                vertex
            })
        };
        let mut parts: BTreeMap<u32, DraftPart> = BTreeMap::new();
        for (number, face) in mesh.faces.iter().enumerate().filter(|(_, face)| face.num_indices >= 3) {
            let material = mesh.face_material.get(number).copied().unwrap_or(0);
            let part = parts.entry(material).or_default();
            let start = part.indices.len();
            let corners = face.index_begin as usize..(face.index_begin + face.num_indices) as usize;
            part.indices.extend(corners.map(&mut vertex_of));
            if mirrored {
                part.indices[start..].reverse();
            }
            part.corners.push(face.num_indices);
        }
        for (number, part) in parts {
            // Instances of a mesh may have materials of their own.
            let materials = if node.materials.is_empty() { &mesh.materials } else { &node.materials };
            let material = materials.get(number as usize).map(|material| material.element.name.to_string());
            self.draft.parts.push(DraftPart { name: name.to_owned(), material, ..part });
        }
        Ok(())
    }

    /// Notes what of a mesh is not taken.
    fn tell_of(&mut self, node: &Node, mesh: &ufbx::Mesh, name: &str) {
        if mesh.num_point_faces + mesh.num_line_faces > 0 {
            let reason = format!("Points and lines of '{name}' were left out");
            self.note(name, reason, "Nothing to do: only faces can be baked");
        }
        if !mesh.skin_deformers.is_empty() {
            let reason =
                format!("'{name}' is skinned; it was read as it was bound, not in the pose that its joints have");
            self.note(name, reason, "Export it in the pose you want to bake, if this is not it");
        }
        if !mesh.blend_deformers.is_empty() {
            let reason = format!("'{name}' has blend shapes; it was read without them");
            self.note(name, reason, "Apply the shape you want to bake before export, if this is not it");
        }
        if mesh.subdivision_display_mode != ufbx::SubdivisionDisplayMode::Disabled
            && mesh.subdivision_preview_levels.max(mesh.subdivision_render_levels) > 0
        {
            let reason = format!("'{name}' is shown subdivided where it was made; its cage was read");
            self.note(name, reason, "Apply the subdivision before export, if that is what should be baked");
        }
        if !node.visible {
            let reason = format!("'{name}' is hidden in the file; it was read all the same");
            self.note(name, reason, "Remove it if it should not be baked");
        }
    }

    fn finish(self) -> Draft {
        let Reader { mut draft, .. } = self;
        let count = draft.positions.len();
        if !draft.uvs.is_empty() {
            draft.uvs.resize(count, Vec2::ZERO);
        }
        if !draft.texture_uvs.is_empty() {
            draft.texture_uvs.resize(count, Vec2::ZERO);
        }
        if !draft.colors.is_empty() {
            draft.colors.resize(count, NO_COLOR);
        }
        draft
    }
}

fn of(v: ufbx::Vec3) -> DVec3 {
    dvec3(v.x, v.y, v.z)
}

fn byte(value: f64) -> u8 {
    (value.clamp(0.0, 1.0) * 255.0).round() as u8
}

/// A material's base colour, as either way of telling it has it.
fn base_colors(material: &Material) -> [&MaterialMap; 2] {
    [&material.pbr.base_color, &material.fbx.diffuse_color]
}

/// The picture file laid over a material's base colour.
fn texture_of(material: &Material) -> Option<&Texture> {
    let laid = base_colors(material).into_iter().filter(|map| map.texture_enabled);
    laid.filter_map(|map| map.texture.as_deref())
        .find_map(|texture| texture.file_textures.iter().next().map(|file| &**file))
}

/// Base colours of the materials, and the pictures laid over them.
fn looks(
    scene: &Scene,
    siblings: Siblings,
    on_texture_uvs: bool,
    notes: &mut Vec<ReadNote>,
) -> HashMap<String, MaterialLook> {
    let mut room = MOST_PICTURE_BYTES;
    let mut pictures: HashMap<u32, Option<Arc<Image>>> = HashMap::new();
    let mut found = HashMap::new();
    for material in &scene.materials {
        let name = material.element.name.to_string();
        let mut look = MaterialLook::default();
        if let Some(map) = base_colors(material).into_iter().find(|map| map.has_value) {
            let color = map.value_vec4;
            look.color = [color.x, color.y, color.z].map(|c| c.clamp(0.0, 1.0) as f32);
        }
        if let Some(texture) = texture_of(material) {
            let image =
                pictures.entry(texture.element.element_id).or_insert_with(|| match picture(texture, siblings, room) {
                    Ok(image) => {
                        room = room.saturating_sub(image.bytes());
                        Some(Arc::new(image))
                    }
                    Err((fault, remedy)) => {
                        tell(notes, None, format!("Material '{name}': its texture was left out: {fault}"), &remedy);
                        None
                    }
                });
            if let Some(image) = image.clone() {
                // It stands for the colour, too.
                look.color = [1.0; 3];
                look.picture = Some(Laid { image, sampler: Sampler::default(), placing: None, on_texture_uvs });
            }
        }
        found.insert(name, look);
    }
    found
}

/// A texture, from within the file or from beside it.
///
/// # Errors
/// What is wrong with it, and what to do.
fn picture(texture: &Texture, siblings: Siblings, room: u64) -> Result<Image, (String, String)> {
    let path = [&*texture.relative_filename, &*texture.filename].into_iter().find(|path| !path.is_empty());
    let path = path.unwrap_or_default().replace('\\', "/");
    let file = path.rsplit('/').next().unwrap_or(&path);
    let within = Some(texture.content.to_vec()).filter(|bytes| !bytes.is_empty());
    let bytes = within.or_else(|| siblings(&path)).or_else(|| siblings(file));
    let missing = || (format!("'{file}' is not beside it"), format!("Import '{file}' together with it"));
    read_image_within(file, &bytes.ok_or_else(missing)?, room).map_err(|f| (f.fault, f.remedy))
}
