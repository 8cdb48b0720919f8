//! glTF 2.0, text and binary. Each node with a mesh becomes a part under the node's name, placed by its transform; skinned meshes
//! stand as their joints do. Quantised and meshopt-packed attributes, strips, fans and sparse accessors are read.

mod accessors;
pub(crate) mod chunks;
mod document;
mod looks;
mod meshopt;
mod write;

pub use write::write_glb;

use super::{Beside, EXPORT_AGAIN, Fault, tell};
use accessors::{read_floats, read_indices, read_joints, read_matrices};
use document::{Buffer, Document};
use ember_ridge_core::glam::{Mat3, Mat4, Vec2, Vec3, Vec4};
use ember_ridge_core::mesh::MOST_TRIANGLES;
use ember_ridge_core::picture::linear_to_srgb;
use ember_ridge_core::{Draft, DraftPart};
use gltf::mesh::Mode;
use gltf::{Primitive, Semantic};
use std::collections::HashMap;

/// Of vertices without a colour in a file where others have one: it is multiplied with the material's.
const WHITE: [u8; 3] = [255; 3];

/// The parser panics at some damaged files (a primitive that names an accessor which is not there); that is their fault, and told.
pub(super) fn read(bytes: &[u8], stem: &str, beside: Beside) -> Result<Draft, Fault> {
    let reading = std::panic::AssertUnwindSafe(|| read_checked(bytes, stem, beside));
    std::panic::catch_unwind(reading).unwrap_or_else(|_| {
        Err(Fault::new("the whole file", "it refers to parts that are not in the file", EXPORT_AGAIN))
    })
}

fn read_checked(bytes: &[u8], stem: &str, beside: Beside) -> Result<Draft, Fault> {
    let mut document = document::open(bytes, beside.siblings)?;
    let mut draft = Draft { notes: std::mem::take(&mut document.notes), ..Draft::default() };
    let materials = looks::names(&document.gltf);
    draft.looks =
        looks::looks(&document, &materials, beside.siblings, beside.uv_set, beside.texture_set, &mut draft.notes);
    let mut reader = Reader {
        draft,
        buffers: &document.buffers,
        materials,
        globals: placed_nodes(&document),
        normals: true,
        uv_set: beside.uv_set,
        texture_set: beside.texture_set,
        uv_sets: 0,
        shared: HashMap::new(),
        corners: 0,
    };
    for node in document.gltf.nodes() {
        reader.uv_sets = reader.uv_sets.max(node.mesh().map_or(0, |mesh| uv_sets(&mesh)));
    }
    for (number, name) in shown_nodes(&document, stem) {
        if let Some(node) = document.gltf.nodes().nth(number) {
            reader.add_node(&node, &name)?;
        }
    }
    Ok(reader.finish())
}

/// The pictures of vertices up to `count` that are not told otherwise lie on the UVs that are read.
fn lie_on_uvs(draft: &mut Draft, count: usize) {
    let uvs = &draft.uvs;
    let known = draft.texture_uvs.len();
    draft.texture_uvs.extend((known..count).map(|v| uvs.get(v).copied().unwrap_or_default()));
}

fn uv_sets(mesh: &gltf::Mesh) -> u32 {
    let sets = mesh.primitives().flat_map(|p| {
        p.attributes().filter_map(|(s, _)| if let Semantic::TexCoords(n) = s { Some(n + 1) } else { None }).max()
    });
    sets.max().unwrap_or(0)
}

/// Nodes with a mesh, each once, in the order of the scene that is shown, and the names of their parts. A file without scenes
/// shows every node.
fn shown_nodes(document: &Document, stem: &str) -> Vec<(usize, String)> {
    let gltf = &document.gltf;
    let scenes: Vec<gltf::Scene> = match gltf.default_scene() {
        Some(scene) => vec![scene],
        None => gltf.scenes().collect(),
    };
    let mut waiting: Vec<gltf::Node> = match scenes.is_empty() {
        true => gltf.nodes().collect(),
        false => scenes.iter().flat_map(|s| s.nodes()).collect(),
    };
    waiting.reverse();
    let mut seen = vec![false; gltf.nodes().len()];
    let mut shown = Vec::new();
    while let Some(node) = waiting.pop() {
        if std::mem::replace(&mut seen[node.index()], true) {
            continue;
        }
        if let Some(mesh) = node.mesh() {
            shown.push((node.index(), node.name().or(mesh.name()).unwrap_or(stem).to_owned()));
        }
        let first = waiting.len();
        waiting.extend(node.children());
        waiting[first..].reverse();
    }
    shown
}

/// Where every node stands: its transform and those of all above it. The nodes are trees, which was checked.
fn placed_nodes(document: &Document) -> Vec<Mat4> {
    let nodes: Vec<gltf::Node> = document.gltf.nodes().collect();
    let mut is_child = vec![false; nodes.len()];
    nodes.iter().flat_map(|n| n.children()).for_each(|c| is_child[c.index()] = true);
    let mut placed = vec![Mat4::IDENTITY; nodes.len()];
    let mut waiting: Vec<(usize, Mat4)> =
        (0..nodes.len()).filter(|&n| !is_child[n]).map(|n| (n, Mat4::IDENTITY)).collect();
    while let Some((number, above)) = waiting.pop() {
        placed[number] = above * Mat4::from_cols_array_2d(&nodes[number].transform().matrix());
        waiting.extend(nodes[number].children().map(|c| (c.index(), placed[number])));
    }
    placed
}

/// What fills a draft, node by node.
struct Reader<'a> {
    draft: Draft,
    buffers: &'a [Buffer<'a>],
    /// Names of the materials.
    materials: Vec<String>,
    globals: Vec<Mat4>,
    /// Every primitive so far has normals.
    normals: bool,
    /// Which UV set is read.
    uv_set: Option<u32>,
    /// The set that textures lie on, where it is chosen.
    texture_set: Option<u32>,
    uv_sets: u32,
    /// Vertices placed already.
    shared: HashMap<SharedVertices, Placed>,
    /// Corners of all faces so far.
    corners: usize,
}

/// A run of vertices in the draft: the first one's number, and whether a transform turned them inside out.
#[derive(Clone, Copy)]
struct Placed {
    first: u32,
    count: usize,
    mirrored: bool,
}

#[derive(PartialEq, Eq, Hash)]
struct SharedVertices {
    attributes: Vec<usize>,
    /// UV set of the material's texture.
    texture_set: Option<u32>,
    skin: Option<usize>,
    /// The bits of a matrix.
    transform: [u32; 16],
}

impl Reader<'_> {
    fn note(&mut self, part: &str, reason: String, remedy: &str) {
        tell(&mut self.draft.notes, Some(part), reason, remedy);
    }

    fn add_node(&mut self, node: &gltf::Node, name: &str) -> Result<(), Fault> {
        let Some(mesh) = node.mesh() else { return Ok(()) };
        let skin = node.skin();
        if skin.is_some() {
            let reason = format!("'{name}' is skinned; it was read in the pose that its joints have in the file");
            self.note(name, reason, "Export it in the pose you want to bake, if this is not it");
        }
        if mesh.primitives().any(|p| p.morph_targets().len() > 0) {
            let reason = format!("'{name}' has morph targets; it was read without them");
            self.note(name, reason, "Apply the shape you want to bake before export, if this is not it");
        }
        for primitive in mesh.primitives() {
            self.add_primitive(&primitive, self.globals[node.index()], skin.as_ref(), name)?;
        }
        Ok(())
    }

    fn add_primitive(
        &mut self,
        primitive: &Primitive,
        transform: Mat4,
        skin: Option<&gltf::Skin>,
        name: &str,
    ) -> Result<(), Fault> {
        if matches!(primitive.mode(), Mode::Points | Mode::Lines | Mode::LineLoop | Mode::LineStrip) {
            let reason = format!("Points and lines of '{name}' were left out");
            self.note(name, reason, "Nothing to do: only faces can be baked");
            return Ok(());
        }
        let Some(accessor) = primitive.get(&Semantic::Positions) else { return Ok(()) };
        // Primitives that share their attributes (one vertex list, one index list a part) share their vertices here too.
        let shared = SharedVertices {
            attributes: primitive.attributes().map(|(_, a)| a.index()).collect(),
            texture_set: self.texture_set_of(primitive),
            skin: skin.map(gltf::Skin::index),
            transform: transform.to_cols_array().map(f32::to_bits),
        };
        if let Some(&placed) = self.shared.get(&shared) {
            return self.add_faces(primitive, placed, name);
        }
        if self.draft.positions.len().saturating_add(accessor.count()) > MOST_TRIANGLES {
            let fault = format!("with its copies the file holds more than {MOST_TRIANGLES} vertices");
            return Err(Fault::new(format!("part '{name}'"), fault, "Decimate the sculpt, or split the file"));
        }
        let placed = self.add_vertices(primitive, &accessor, transform, skin, name)?;
        self.shared.insert(shared, placed);
        self.add_faces(primitive, placed, name)
    }

    /// The set that a primitive's textures lie on, where it is not the one that is baked.
    fn texture_set_of(&self, primitive: &Primitive) -> Option<u32> {
        let set = self.texture_set.or_else(|| looks::texture_set(&primitive.material()));
        set.filter(|set| Some(*set) != self.uv_set)
    }

    fn add_vertices(
        &mut self,
        primitive: &Primitive,
        positions: &gltf::Accessor,
        transform: Mat4,
        skin: Option<&gltf::Skin>,
        name: &str,
    ) -> Result<Placed, Fault> {
        let place = |what: &str| format!("part '{name}', {what}");
        let buffers = self.buffers;
        let texture_set = self.texture_set_of(primitive);
        let positions = read_floats(positions, buffers, &place("positions"))?;
        let count = positions.len();
        let read_matching = |semantic: Semantic, what: &str| {
            let Some(accessor) = primitive.get(&semantic) else { return Ok(None) };
            let values = read_floats(&accessor, buffers, &place(what))?;
            if values.len() != count {
                let fault = format!("{} of them for {count} vertices", values.len());
                return Err(Fault::new(place(what), fault, EXPORT_AGAIN));
            }
            Ok(Some(values))
        };
        let bones = match skin {
            Some(skin) => self.skinned(primitive, skin, count, &place("joints"))?,
            None => None,
        };
        let of = |vertex: usize| bones.as_ref().map_or(transform, |b| b[vertex]);
        let draft = &mut self.draft;
        let first = draft.positions.len();
        draft.positions.extend(positions.iter().enumerate().map(|(i, p)| of(i).transform_point3(p.truncate())));
        match read_matching(Semantic::Normals, "normals")? {
            Some(normals) => {
                // Normals go by the inverse transpose.
                let upright = |m: Mat4| Mat3::from_mat4(m).inverse().transpose();
                let whole = upright(transform);
                let turn = |i: usize| if bones.is_some() { upright(of(i)) } else { whole };
                let turned = normals.iter().enumerate().map(|(i, n)| (turn(i) * n.truncate()).normalize_or_zero());
                draft.normals.extend(turned);
            }
            None => self.normals = false,
        }
        draft.normals.resize(first + count, Vec3::ZERO);
        // UVs and colours take room only once a primitive has some.
        let baked = self.uv_set.map(|set| read_matching(Semantic::TexCoords(set), "UVs")).transpose()?.flatten();
        if let Some(uvs) = baked {
            draft.uvs.resize(first, Vec2::ZERO);
            draft.uvs.extend(uvs.iter().map(|t| Vec2::new(t.x, 1.0 - t.y)));
        }
        let texture_uvs = match texture_set {
            Some(set) => read_matching(Semantic::TexCoords(set), "UVs of its texture")?,
            None => None,
        };
        if let Some(uvs) = texture_uvs {
            lie_on_uvs(draft, first);
            draft.texture_uvs.extend(uvs.iter().map(|t| Vec2::new(t.x, 1.0 - t.y)));
        }
        if let Some(colors) = read_matching(Semantic::Colors(0), "colours")? {
            draft.colors.resize(first, WHITE);
            draft.colors.extend(colors.iter().map(|c| c.truncate().to_array().map(srgb_byte)));
        }
        // A mirroring transform turns faces round.
        Ok(Placed { first: first as u32, count, mirrored: count > 0 && of(0).determinant() < 0.0 })
    }

    /// How each vertex of a skinned primitive is placed: the weighted mean of its joints' matrices. None where it names none.
    fn skinned(
        &self,
        primitive: &Primitive,
        skin: &gltf::Skin,
        count: usize,
        place: &str,
    ) -> Result<Option<Vec<Mat4>>, Fault> {
        let (Some(joints), Some(weights)) = (primitive.get(&Semantic::Joints(0)), primitive.get(&Semantic::Weights(0)))
        else {
            return Ok(None);
        };
        let joints = read_joints(&joints, self.buffers, place)?;
        let weights = read_floats(&weights, self.buffers, place)?;
        let bind = match skin.inverse_bind_matrices() {
            Some(accessor) => read_matrices(&accessor, self.buffers, "skin, inverse bind matrices")?,
            None => Vec::new(),
        };
        let bones: Vec<Mat4> = skin
            .joints()
            .enumerate()
            .map(|(i, joint)| self.globals[joint.index()] * bind.get(i).copied().unwrap_or(Mat4::IDENTITY))
            .collect();
        if joints.len() != count || weights.len() != count || joints.iter().flatten().any(|&j| j >= bones.len()) {
            return Err(Fault::new(place, "they do not fit the vertices or the skin", EXPORT_AGAIN));
        }
        let mean = |(joints, weights): (&[usize; 4], &Vec4)| {
            let sum: f32 = weights.to_array().iter().sum();
            let weights = if sum > 0.0 { *weights / sum } else { Vec4::X };
            (0..4).fold(Mat4::ZERO, |all, i| all + bones[joints[i]] * weights[i])
        };
        Ok(Some(joints.iter().zip(&weights).map(mean).collect()))
    }

    fn add_faces(&mut self, primitive: &Primitive, placed: Placed, name: &str) -> Result<(), Fault> {
        let place = format!("part '{name}', indices");
        let Placed { first, count, mirrored } = placed;
        let listed = match primitive.indices() {
            Some(accessor) => read_indices(&accessor, self.buffers, &place)?,
            None => (0..count as u32).collect(),
        };
        if let Some(&out) = listed.iter().find(|&&i| i as usize >= count) {
            return Err(Fault::new(place, format!("index {out} with {count} vertices"), EXPORT_AGAIN));
        }
        let mut indices = match primitive.mode() {
            // Every second triangle of a strip runs the other way.
            Mode::TriangleStrip => listed
                .windows(3)
                .enumerate()
                .flat_map(|(i, w)| if i % 2 == 0 { [w[0], w[1], w[2]] } else { [w[1], w[0], w[2]] })
                .collect(),
            Mode::TriangleFan => match listed.split_first() {
                Some((&hub, rim)) => rim.windows(2).flat_map(|w| [hub, w[0], w[1]]).collect(),
                None => Vec::new(),
            },
            Mode::Triangles | Mode::Points | Mode::Lines | Mode::LineLoop | Mode::LineStrip => listed,
        };
        // Strips join their pieces by triangles that have no area.
        if primitive.mode() == Mode::TriangleStrip {
            let whole = indices.as_chunks::<3>().0.iter().filter(|t| t[0] != t[1] && t[1] != t[2] && t[0] != t[2]);
            indices = whole.flatten().copied().collect();
        }
        indices.iter_mut().for_each(|i| *i += first);
        if mirrored {
            indices.as_chunks_mut::<3>().0.iter_mut().for_each(|t| t.swap(1, 2));
        }
        self.corners += indices.len();
        if self.corners > 3 * MOST_TRIANGLES {
            let fault = format!("with its copies the file holds more than {MOST_TRIANGLES} triangles");
            return Err(Fault::new(place, fault, "Decimate the sculpt, or split the file"));
        }
        let material = primitive.material();
        self.draft.parts.push(DraftPart {
            name: name.to_owned(),
            material: material.index().map(|number| self.materials[number].clone()),
            indices,
            corners: Vec::new(),
        });
        Ok(())
    }

    fn finish(self) -> Draft {
        let Reader { mut draft, normals, uv_sets, .. } = self;
        let count = draft.positions.len();
        if !normals {
            draft.normals.clear();
        }
        if !draft.uvs.is_empty() {
            draft.uvs.resize(count, Vec2::ZERO);
        }
        if !draft.texture_uvs.is_empty() {
            lie_on_uvs(&mut draft, count);
        }
        if !draft.colors.is_empty() {
            draft.colors.resize(count, WHITE);
        }
        draft.uv_sets = Some(uv_sets);
        draft
    }
}

/// glTF vertex colours are linear; ours are sRGB-encoded bytes.
fn srgb_byte(x: f32) -> u8 {
    (linear_to_srgb(x.clamp(0.0, 1.0)) * 255.0).round() as u8
}
