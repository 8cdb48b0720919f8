//! What ports are: connected to a node, a node graph or an interface, or holding a value of their own.

use super::{At, Instance, Resolver, fault, is_node};
use crate::image::read_image_within;
use crate::materialx::tree::Element;
use crate::materialx::value::{Space, numbers, short, unit};
use crate::mesh::Fault;
use ember_ridge_core::document::{DocumentInput, DocumentNode, DocumentPicture, DocumentType, DocumentValue};
use ember_ridge_core::glam::Vec3;
use rustc_hash::FxHashMap;
use std::sync::Arc;

const MOST_PICTURES: usize = 256;
/// Bytes that all pictures of a document may take once decoded.
const MOST_PICTURE_BYTES: u64 = 2 << 30;

impl<'a> Resolver<'a> {
    /// What a definition gives an input that a node leaves out.
    pub(super) fn default(&mut self, at: At, input: &Element) -> Result<Option<DocumentValue>, Fault> {
        if let Some(geometry) = input.attribute("defaultgeomprop") {
            let (category, kind, width) = match geometry {
                "UV0" => ("texcoord", DocumentType::Vector2, "UV0"),
                "Pobject" | "Pworld" => ("position", DocumentType::Vector3, "P"),
                "Nobject" | "Nworld" => ("normal", DocumentType::Vector3, "N"),
                _ => return Ok(None),
            };
            if let Some(number) = self.of_surface.get(width) {
                return Ok(Some(DocumentValue::Node(*number, None)));
            }
            let (name, category, line) = (geometry.to_owned(), category.to_owned(), input.line);
            let line = if at.0 == 0 { line } else { 1 };
            let Instance::Node(number) = self.push(DocumentNode { name, line, category, kind, inputs: Vec::new() })
            else {
                return Ok(None);
            };
            self.of_surface.insert(width, number);
            return Ok(Some(DocumentValue::Node(number, None)));
        }
        let kind = DocumentType::named(input.attribute("type").unwrap_or(""));
        self.written(at, input, kind, DocumentType::Other)
    }

    /// What an input is connected to or holds.
    pub(super) fn value(
        &mut self,
        scope: usize,
        at: At,
        input: &'a Element,
        node: DocumentType,
    ) -> Result<Option<DocumentValue>, Fault> {
        let kind = DocumentType::named(input.attribute("type").unwrap_or(""));
        let connected = self.connection(scope, at, input)?;
        let value = match connected {
            Some(value) => Some(value),
            None => self.written(at, input, kind, node)?,
        };
        // Before 1.39 a connection could pick channels.
        match (value, input.attribute("channels")) {
            (Some(value @ DocumentValue::Node(..)), Some(channels)) => {
                let inputs = vec![
                    DocumentInput { name: "in".into(), value, given: true },
                    DocumentInput { name: "channels".into(), value: DocumentValue::Text(channels.into()), given: true },
                ];
                let name = format!("{}{}.{channels}", self.scopes[scope].path, input.name());
                let node = DocumentNode { name, line: input.line, category: "swizzle".into(), kind, inputs };
                Ok(match self.push(node) {
                    Instance::Node(number) => Some(DocumentValue::Node(number, None)),
                    Instance::Graph(_) => None,
                })
            }
            (value, _) => Ok(value),
        }
    }

    /// What a port is connected to.
    fn connection(&mut self, scope: usize, at: At, port: &'a Element) -> Result<Option<DocumentValue>, Fault> {
        let output = port.attribute("output");
        if let Some(interface) = port.attribute("interfacename") {
            return Ok(self.scopes[scope].bound.get(interface).cloned());
        }
        let missing = |what: &str, name: &str| {
            let said = format!("'{}' reads the {what} '{}', which is not there", short(port.name()), short(name));
            fault(port, said, "Correct the name, or remove the connection")
        };
        if let Some(name) = port.attribute("nodename") {
            let inside = self.scopes[scope].inside;
            let found = self.named(inside, name, |tag| is_node(tag) || tag == "nodegraph");
            let node = found.ok_or_else(|| missing("node", name))?;
            return self.output(scope, node, output, port);
        }
        if let Some(name) = port.attribute("nodegraph") {
            let found = self.named((at.0, 0), name, |tag| tag == "nodegraph");
            let graph = found.ok_or_else(|| missing("node graph", name))?;
            return self.output(0, graph, output, port);
        }
        if let Some(name) = output.filter(|_| port.attribute("value").is_none()) {
            let found = self.named((at.0, 0), name, |tag| tag == "output");
            let output = found.ok_or_else(|| missing("output", name))?;
            return self.through(0, output);
        }
        Ok(None)
    }

    /// A child by name, with or without a namespace.
    fn named(&mut self, inside: At, name: &str, is: impl Fn(&str) -> bool) -> Option<At> {
        if !self.names.contains_key(&inside) {
            let mut names: FxHashMap<&'a str, Vec<At>> = FxHashMap::default();
            self.children(inside).for_each(|(at, element)| names.entry(element.name()).or_default().push(at));
            self.names.insert(inside, names);
        }
        let plain = name.rsplit(':').next().unwrap_or(name);
        let names = &self.names[&inside];
        let find = |name: &str| names.get(name)?.iter().copied().find(|at| is(&self.element(*at).tag));
        find(name).or_else(|| find(plain))
    }

    /// An output element, as what it is connected to.
    fn through(&mut self, scope: usize, output: At) -> Result<Option<DocumentValue>, Fault> {
        let element = self.element(output);
        if !self.open.insert((scope, output)) {
            let said = format!("output '{}' leads back to itself", short(element.name()));
            return Err(fault(element, said, "Cut one of the connections of the circle"));
        }
        let kind = DocumentType::named(element.attribute("type").unwrap_or(""));
        let value = self.value(scope, output, element, kind)?;
        self.open.remove(&(scope, output));
        Ok(value)
    }

    /// An output of a node or a node graph.
    fn output(
        &mut self,
        scope: usize,
        node: At,
        output: Option<&str>,
        port: &Element,
    ) -> Result<Option<DocumentValue>, Fault> {
        let within = match self.instance(scope, node)? {
            Instance::Node(number) => return Ok(Some(DocumentValue::Node(number, output.map(str::to_owned)))),
            Instance::Graph(within) => within,
        };
        let inside = self.scopes[within].inside;
        let mut outputs = self.children(inside).filter(|(_, element)| element.tag == "output");
        let found = match output.filter(|name| *name != "out") {
            Some(name) => outputs.find(|(_, element)| element.name() == name),
            None => outputs.next(),
        };
        let Some((at, _)) = found else {
            let graph = short(self.element(node).name());
            let said = format!(
                "'{}' reads the output '{}' of '{graph}', which has none of it",
                short(port.name()),
                short(output.unwrap_or("out"))
            );
            return Err(fault(port, said, "Correct the name of the output"));
        };
        self.through(within, at)
    }

    /// What an input holds itself.
    fn written(
        &mut self,
        at: At,
        input: &Element,
        kind: DocumentType,
        node: DocumentType,
    ) -> Result<Option<DocumentValue>, Fault> {
        let Some(text) = input.attribute("value") else { return Ok(None) };
        let tree = self.trees[at.0];
        if input.attribute("type") == Some("filename") {
            return if text.trim().is_empty() { Ok(None) } else { self.picture(at, input, text, node).map(Some) };
        }
        if kind == DocumentType::Text {
            return Ok(Some(DocumentValue::Text(text.to_owned())));
        }
        let said = |why: String| {
            let said = format!("'{}' has a value that its type has not: {why}", short(input.name()));
            fault(input, said, "Correct the value")
        };
        let Some(mut numbers) = numbers(kind, text).map_err(said)? else { return Ok(None) };
        if let Some(name) = input.attribute("unit") {
            match unit(name) {
                Some(by) => numbers.iter_mut().for_each(|number| *number *= by),
                None => self.note(format!("line {}: the unit '{}' is not known", input.line, short(name))),
            }
        }
        if matches!(kind, DocumentType::Color3 | DocumentType::Color4) {
            let space = self.space(input, tree.inherited(at.1, "colorspace").unwrap_or(""));
            let light = space.light(Vec3::new(numbers[0], numbers[1], numbers[2]));
            numbers[..3].copy_from_slice(&light.to_array());
        }
        Ok(Some(DocumentValue::Numbers(numbers)))
    }

    fn space(&mut self, input: &Element, name: &str) -> Space {
        Space::named(name).unwrap_or_else(|| {
            let (line, name) = (input.line, short(name));
            self.note(format!("line {line}: the colour space '{name}' is not known; its numbers are taken as light"));
            Space::Linear
        })
    }

    fn picture(&mut self, at: At, input: &Element, text: &str, node: DocumentType) -> Result<DocumentValue, Fault> {
        let tree = self.trees[at.0];
        let prefix = tree.inherited(at.1, "fileprefix").unwrap_or("");
        let file = format!("{prefix}{}", text.trim());
        // Pictures of numbers are never decoded; one of several outputs says itself what it is.
        let said = match node {
            DocumentType::Color3 | DocumentType::Color4 => tree.inherited(at.1, "colorspace"),
            DocumentType::Other => input.attribute("colorspace"),
            _ => None,
        };
        let space = said.unwrap_or("").to_owned();
        let known = self.document.pictures.iter().position(|p| p.file == file && p.space == space);
        if let Some(number) = known {
            return Ok(DocumentValue::Picture(number));
        }
        if self.document.pictures.len() >= MOST_PICTURES || file.len() > 4096 {
            let said = format!("it reads more than {MOST_PICTURES} pictures, or one with a very long name");
            return Err(fault(input, said, "Split it into one document per material"));
        }
        let coding = self.space(input, &space);
        let image = match (self.pictures)(&file) {
            None => Err("it is not beside the document; put it there".to_owned()),
            Some(bytes) => {
                let left = MOST_PICTURE_BYTES.saturating_sub(self.picture_bytes);
                read_image_within(&file, &bytes, left).map_err(|fault| fault.to_string())
            }
        };
        let image = image.map(|image| Arc::new(coding.picture(image)));
        self.picture_bytes += image.as_ref().map_or(0, |image| image.bytes());
        self.document.pictures.push(DocumentPicture { file, space, image });
        Ok(DocumentValue::Picture(self.document.pictures.len() - 1))
    }
}
