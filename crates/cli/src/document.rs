//! MaterialX documents on the command line: named as `FILE.mtlx` or `FILE.mtlx:MATERIAL`, shown node by node, and made a finish.

use crate::Unusable;
use crate::files::{Files, read_plain};
use crate::say::answer;
use anyhow::anyhow;
use ember_ridge_core::document::{Document, DocumentMaterial, DocumentNode, DocumentPicture};
use ember_ridge_core::finish::{DocumentSource, Finish};
use ember_ridge_formats::materialx::read_document;
use serde_json::{Value, json};
use std::path::Path;

const EXTENSION: &str = ".mtlx";

/// A document that is asked for, and which of its materials.
pub struct Asked {
    file: String,
    material: Option<String>,
}

impl Asked {
    /// None for what names no such document.
    pub fn of(name: &str) -> Option<Asked> {
        if name.to_lowercase().ends_with(EXTENSION) {
            return Some(Asked { file: name.to_owned(), material: None });
        }
        let at = name.to_lowercase().rfind(&format!("{EXTENSION}:"))? + EXTENSION.len();
        Some(Asked { file: name[..at].to_owned(), material: Some(name[at + 1..].to_owned()) })
    }

    /// # Errors
    /// The file, the place and what is wrong there.
    pub fn read(&self) -> Result<Document, Unusable> {
        let path = Path::new(&self.file);
        let bytes = read_plain(path)?;
        let files = Files::default();
        Ok(read_document(&self.file, &bytes, &|name| files.read_beside(path, name))?)
    }

    /// # Errors
    /// The materials that there are.
    pub fn material<'a>(&self, document: &'a Document) -> Result<&'a DocumentMaterial, Unusable> {
        document.material(self.material.as_deref()).map_err(|fault| anyhow!("{}: {fault}", self.file))
    }

    /// The document as a finish of everything, called after its material or its file.
    pub fn finish(&self, files: &mut Files) -> Finish {
        let path = Path::new(&self.file);
        let stem = path.file_stem().map_or_else(|| self.file.clone(), |stem| stem.to_string_lossy().into_owned());
        let name: String = self.material.as_ref().unwrap_or(&stem).chars().take(60).collect();
        let source =
            DocumentSource { file: files.name(path), hash: None, material: self.material.clone(), beside: Vec::new() };
        Finish::of_document(name, source)
    }
}

/// Tells what is understood of a document, node by node, and what is not.
pub fn show_document(asked: &Asked, as_json: bool) -> Result<(), Unusable> {
    let document = asked.read()?;
    let wanted: Vec<&DocumentMaterial> = match &asked.material {
        Some(_) => vec![asked.material(&document)?],
        None => document.materials.iter().collect(),
    };
    let mut told = Vec::new();
    for material in &wanted {
        let understood = document.understood(material);
        let used = document.used_by(material);
        let lines = document.nodes.iter().zip(used).zip(understood.nodes).filter(|((_, used), _)| *used);
        told.push((*material, lines.map(|((node, _), why)| (node, why)).collect::<Vec<_>>(), understood.notes));
    }
    if as_json {
        let nodes = |(node, why): &(&DocumentNode, Option<String>)| {
            let category = &node.category;
            json!({ "name": node.name, "line": node.line, "category": category, "understood": why.is_none(), "why": why })
        };
        let materials: Vec<Value> = told
            .iter()
            .map(|(material, lines, notes)| {
                let shader = &document.nodes[material.surface].category;
                let nodes: Vec<Value> = lines.iter().map(nodes).collect();
                json!({ "name": material.name, "shader": shader, "nodes": nodes, "notes": notes })
            })
            .collect();
        let picture = |picture: &DocumentPicture| {
            let why = picture.image.as_ref().err();
            json!({ "file": picture.file, "color_space": picture.space, "read": why.is_none(), "why": why })
        };
        let pictures: Vec<Value> = document.pictures.iter().map(picture).collect();
        let (file, version) = (&asked.file, &document.version);
        let whole = json!({ "document": file, "version": version, "materials": materials, "pictures": pictures });
        answer!("{}", serde_json::to_string_pretty(&whole)?);
        return Ok(());
    }
    answer!("{}: MaterialX {}", asked.file, document.version);
    for (material, lines, notes) in &told {
        answer!("{} ({})", material.name, document.nodes[material.surface].category);
        for (node, why) in lines {
            let said = why.as_ref().map_or_else(|| "understood".to_owned(), |why| format!("not understood: {why}"));
            answer!("  line {:<5} {:<32} {:<18} {said}", node.line, node.name, node.category);
        }
        notes.iter().for_each(|note| answer!("  note: {note}"));
    }
    if told.is_empty() {
        answer!("  it holds no material and no surface shader");
    }
    Ok(())
}
