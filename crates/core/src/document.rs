//! Procedural surfaces made elsewhere, as data: the nodes of a MaterialX document without nesting, each after those it reads. What they
//! mean is for the room of finishes.

use crate::picture::{FilesRead, Image};
use std::sync::Arc;

/// Documents by the file name that a recipe gives them.
pub type Documents = FilesRead<Document>;

/// A document as it was read: nodes without nesting, each after those it reads.
#[derive(Clone, Debug, Default)]
pub struct Document {
    /// Tells the bytes of the document and of all pictures it reads.
    pub key: String,
    /// Of the standard that it is written in.
    pub version: String,
    pub materials: Vec<DocumentMaterial>,
    pub nodes: Vec<DocumentNode>,
    pub pictures: Vec<DocumentPicture>,
    /// What was left aside while reading.
    pub notes: Vec<String>,
}

/// What of a document can be a finish.
#[derive(Clone, Debug)]
pub struct DocumentMaterial {
    pub name: String,
    /// The shader, by number of its node.
    pub surface: usize,
    pub displacement: Option<usize>,
}

/// A node of a document.
#[derive(Clone, Debug)]
pub struct DocumentNode {
    /// Its path in the document.
    pub name: String,
    /// Counted from 1.
    pub line: usize,
    pub category: String,
    pub kind: DocumentType,
    pub inputs: Vec<DocumentInput>,
}

#[derive(Clone, Debug)]
pub struct DocumentInput {
    pub name: String,
    pub value: DocumentValue,
    /// The document gives it; otherwise it is the standard's own value.
    pub given: bool,
}

#[derive(Clone, Debug)]
pub enum DocumentValue {
    /// Colours in linear light.
    Numbers(Vec<f32>),
    Text(String),
    /// By number in [`Document::pictures`].
    Picture(usize),
    /// An earlier node, and which of its outputs.
    Node(usize, Option<String>),
}

/// A picture that a document reads.
#[derive(Clone, Debug)]
pub struct DocumentPicture {
    /// As the document names it.
    pub file: String,
    /// The colour space that the document says it is in; empty where it says none.
    pub space: String,
    /// Or why it cannot be read.
    pub image: Result<Arc<Image>, String>,
}

/// Types of values.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DocumentType {
    Float,
    Integer,
    Boolean,
    Color3,
    Color4,
    Vector2,
    Vector3,
    Vector4,
    Matrix33,
    Matrix44,
    Text,
    Surface,
    Displacement,
    /// Several outputs, or a type that no number stands for.
    Other,
}

impl DocumentType {
    /// By the standard's name.
    pub fn named(name: &str) -> DocumentType {
        match name {
            "float" => DocumentType::Float,
            "integer" => DocumentType::Integer,
            "boolean" => DocumentType::Boolean,
            "color3" => DocumentType::Color3,
            "color4" => DocumentType::Color4,
            "vector2" => DocumentType::Vector2,
            "vector3" => DocumentType::Vector3,
            "vector4" => DocumentType::Vector4,
            "matrix33" => DocumentType::Matrix33,
            "matrix44" => DocumentType::Matrix44,
            "string" | "filename" => DocumentType::Text,
            "surfaceshader" => DocumentType::Surface,
            "displacementshader" => DocumentType::Displacement,
            _ => DocumentType::Other,
        }
    }

    /// Numbers that a value has.
    pub fn numbers(self) -> usize {
        match self {
            DocumentType::Float | DocumentType::Integer | DocumentType::Boolean | DocumentType::Displacement => 1,
            DocumentType::Vector2 => 2,
            DocumentType::Color3 | DocumentType::Vector3 => 3,
            DocumentType::Color4 | DocumentType::Vector4 => 4,
            DocumentType::Matrix33 | DocumentType::Surface => 9,
            DocumentType::Matrix44 => 16,
            DocumentType::Text | DocumentType::Other => 0,
        }
    }

    pub(crate) fn is_color(self) -> bool {
        matches!(self, DocumentType::Color3 | DocumentType::Color4)
    }
}

impl Document {
    /// Bytes that it takes in memory, about.
    pub fn bytes(&self) -> u64 {
        let pictures = self.pictures.iter().filter_map(|picture| Some(picture.image.as_ref().ok()?.bytes()));
        let inputs: usize = self.nodes.iter().map(|node| node.inputs.len()).sum();
        pictures.sum::<u64>() + 200 * self.nodes.len() as u64 + 120 * inputs as u64
    }

    /// The material of this name, or the first.
    ///
    /// # Errors
    /// What the document has instead.
    pub fn material(&self, name: Option<&str>) -> Result<&DocumentMaterial, String> {
        let found = match name {
            Some(name) => self.materials.iter().find(|material| material.name == name),
            None => self.materials.first(),
        };
        let known: Vec<&str> = self.materials.iter().map(|material| material.name.as_str()).collect();
        found.ok_or_else(|| match (name, known.is_empty()) {
            (_, true) => "it holds no material and no surface shader".to_owned(),
            (name, false) => format!("it has no material '{}'; it has {}", name.unwrap_or(""), known.join(", ")),
        })
    }

    /// Nodes that a material follows from, itself among them.
    pub fn used_by(&self, material: &DocumentMaterial) -> Vec<bool> {
        let mut used = vec![false; self.nodes.len()];
        let mut open: Vec<usize> = material.displacement.into_iter().chain([material.surface]).collect();
        while let Some(number) = open.pop() {
            if !std::mem::replace(&mut used[number], true) {
                let read = |input: &DocumentInput| match input.value {
                    DocumentValue::Node(read, _) => Some(read),
                    _ => None,
                };
                open.extend(self.nodes[number].inputs.iter().filter_map(read));
            }
        }
        used
    }
}
