//! Mesh formats: which there are, how a file is recognised, and the one error they all answer with.

mod fbx;
mod gltf;
mod obj;
mod ply;
mod stl;
mod text;

pub(crate) use self::gltf::chunks;
pub use self::gltf::write_glb;
pub use obj::{write_obj, write_obj_of_quads};
pub use ply::write_ply;

use ember_ridge_core::mesh::{ReadNote, UvChoice, UvSet};
use ember_ridge_core::{Draft, Finding, FindingKind, Mesh, MeshFault, Place, Severity};

/// Why a mesh file cannot be used: which file, where in it, what is wrong, what to do.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("{file}: {place}: {fault}. {remedy}")]
pub struct ReadFault {
    pub file: String,
    pub place: String,
    pub fault: String,
    pub remedy: String,
    pub kind: FindingKind,
}

impl ReadFault {
    /// The same as a finding, for `check`.
    pub fn as_finding(&self) -> Finding {
        Finding::new(self.kind, Severity::Fault, format!("{}: {}", self.place, self.fault), self.remedy.clone())
            .at(Place { file: Some(self.file.clone()), ..Place::default() })
    }
}

/// A fault inside a reader, before the file's name is put on it.
#[derive(Debug)]
pub(crate) struct Fault {
    place: String,
    fault: String,
    remedy: String,
}

pub(crate) const EXPORT_AGAIN: &str = "The file is cut short or damaged; export it again";

impl Fault {
    pub(crate) fn new(place: impl Into<String>, fault: impl Into<String>, remedy: impl Into<String>) -> Fault {
        Fault { place: place.into(), fault: fault.into(), remedy: remedy.into() }
    }

    /// With the name of its file.
    pub(crate) fn of(self, file: &str, kind: FindingKind) -> ReadFault {
        let Fault { place, fault, remedy } = self;
        ReadFault { file: file.to_owned(), place, fault, remedy, kind }
    }
}

/// Bytes that all textures of a mesh may take once decoded; those beyond are left out.
const MOST_PICTURE_BYTES: u64 = 2 << 30;
/// What is told of one file at most.
const MOST_NOTES: usize = 50;
/// Of vertices without a colour in a file where others have one: mid-grey.
const NO_COLOR: [u8; 3] = [128; 3];

/// Notes something of a file that came in all the same: once, and no more than anyone reads.
fn tell(notes: &mut Vec<ReadNote>, part: Option<&str>, reason: impl Into<String>, remedy: &str) {
    let note = ReadNote { part: part.map(str::to_owned), reason: reason.into(), remedy: remedy.to_owned() };
    if notes.len() < MOST_NOTES && !notes.contains(&note) {
        notes.push(note);
    }
}

/// Files that belong to the one being read (a `.bin` beside a `.gltf`), by the relative name it gives them.
pub type Siblings<'a> = &'a dyn Fn(&str) -> Option<Vec<u8>>;

/// What a reader may use besides the file's own bytes.
#[derive(Clone, Copy)]
pub(crate) struct Beside<'a> {
    siblings: Siblings<'a>,
    /// Number of the UV set that is baked; none where UVs are made.
    uv_set: Option<u32>,
    /// Number of the UV set that textures lie on, where it is chosen.
    texture_set: Option<u32>,
}

type Reader = fn(&[u8], &str, Beside) -> Result<Draft, Fault>;

/// A mesh format that is read.
pub struct MeshFormat {
    pub label: &'static str,
    pub extensions: &'static [&'static str],
    /// Whether a file may hold more than one UV set.
    many_uv_sets: bool,
    /// Whether a file may name others that lie beside it.
    names_others: bool,
    read: Reader,
}

/// Every mesh format.
pub const MESH_FORMATS: &[MeshFormat] = &[
    MeshFormat { label: "OBJ", extensions: &["obj"], many_uv_sets: false, names_others: true, read: obj::read },
    MeshFormat { label: "PLY", extensions: &["ply"], many_uv_sets: false, names_others: false, read: ply::read },
    MeshFormat {
        label: "glTF",
        extensions: &["glb", "gltf"],
        many_uv_sets: true,
        names_others: true,
        read: gltf::read,
    },
    MeshFormat { label: "FBX", extensions: &["fbx"], many_uv_sets: true, names_others: true, read: fbx::read },
    MeshFormat { label: "STL", extensions: &["stl"], many_uv_sets: false, names_others: false, read: stl::read },
];

/// Extensions of files that only mean something to a mesh that names them: material libraries, buffers, textures.
pub const BESIDE_EXTENSIONS: &[&str] = &["mtl", "bin", "png", "jpg", "jpeg", "tga", "tif", "tiff", "exr"];

fn extension_of(file: &str) -> String {
    file.rsplit_once('.').map_or(String::new(), |(_, extension)| extension.to_lowercase())
}

/// Whether a file is a mesh by its extension.
pub fn is_mesh(file: &str) -> bool {
    MESH_FORMATS.iter().any(|format| format.extensions.contains(&extension_of(file).as_str()))
}

/// Whether a file only means something to a mesh that names it.
pub fn lies_beside(file: &str) -> bool {
    BESIDE_EXTENSIONS.contains(&extension_of(file).as_str())
}

/// Whether a mesh file may name others that lie beside it. A glb holds all it needs.
pub fn names_others(file: &str) -> bool {
    let extension = extension_of(file);
    let format = MESH_FORMATS.iter().find(|f| f.extensions.contains(&extension.as_str()));
    extension != "glb" && format.is_some_and(|f| f.names_others)
}

/// Reads a mesh from the bytes of a file named `file`, with its first UV set. Parts without a name of their own take the
/// file's stem.
///
/// # Errors
/// A [`ReadFault`] for an unknown extension, a damaged file, or a mesh that cannot be trusted.
pub fn read_mesh(file: &str, bytes: &[u8], siblings: Siblings) -> Result<Mesh, ReadFault> {
    read_mesh_with(file, bytes, siblings, UvChoice::default(), None)
}

/// Reads a mesh with the UVs that are wanted: a set of the file, or a flat projection; and with a set for textures, where one is chosen.
///
/// # Errors
/// As [`read_mesh`], and for a UV set that is not in the file.
pub fn read_mesh_with(
    file: &str,
    bytes: &[u8],
    siblings: Siblings,
    uvs: UvChoice,
    texture_uvs: Option<UvSet>,
) -> Result<Mesh, ReadFault> {
    let name = file.rsplit(['/', '\\']).next().unwrap_or(file);
    let (stem, extension) = name.rsplit_once('.').unwrap_or((name, ""));
    let extension = extension.to_lowercase();
    let on_file = |f: Fault| f.of(file, FindingKind::Unreadable);
    let format = MESH_FORMATS.iter().find(|f| f.extensions.contains(&extension.as_str())).ok_or_else(|| {
        let known: Vec<&str> = MESH_FORMATS.iter().flat_map(|f| f.extensions).copied().collect();
        on_file(Fault::new(
            "the file's name",
            format!("'.{extension}' is not a mesh format that is read"),
            format!("Export as one of {}", known.join(", ")),
        ))
    })?;
    if bytes.is_empty() {
        return Err(on_file(Fault::new("the whole file", "it is empty", "Export it again")));
    }
    let missing_set = |set: UvSet, held: &str| {
        let fault = format!("UV set {} is asked for, and {held}", set.0);
        on_file(Fault::new("UVs", fault, "Use UV set 0, or export as GLB, which can hold several"))
    };
    let later = [Some(uvs.set()), texture_uvs].into_iter().flatten().find(|set| set.0 > 0);
    if let Some(set) = later.filter(|_| !format.many_uv_sets) {
        return Err(missing_set(set, &format!("{} holds only one, number 0", format.label)));
    }
    // Projected UVs take the place of the file's first set, unless that is kept for textures.
    let uv_set = match (uvs, texture_uvs) {
        (UvChoice::Planar(_), Some(_)) => None,
        (uvs, _) => Some(uvs.set().0),
    };
    let draft = (format.read)(bytes, stem, Beside { siblings, uv_set, texture_set: texture_uvs.map(|set| set.0) });
    let mut draft = draft.map_err(on_file)?;
    if uv_set.is_none() && !format.many_uv_sets {
        draft.texture_uvs = std::mem::take(&mut draft.uvs);
        draft.looks.values_mut().filter_map(|look| look.picture.as_mut()).for_each(|laid| laid.on_texture_uvs = true);
    }
    if uvs.set().0 > 0 && draft.uvs.is_empty() {
        return Err(missing_set(uvs.set(), "no part has it"));
    }
    if let Some(set) = texture_uvs.filter(|set| uv_set != Some(set.0) && draft.texture_uvs.is_empty()) {
        return Err(missing_set(set, "no part has it"));
    }
    let mut mesh = draft.finish().map_err(|f: MeshFault| ReadFault {
        file: file.to_owned(),
        place: f.place,
        fault: f.fault,
        remedy: f.remedy,
        kind: f.kind,
    })?;
    if let UvChoice::Planar(plane) = uvs {
        mesh.uvs = mesh.projected_uvs(plane);
    }
    Ok(mesh)
}
