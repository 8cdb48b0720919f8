//! From elements to plain nodes: references followed, node graphs put in place of the nodes that they make, interfaces bound, defaults of
//! the standard filled in.

mod ports;

use super::Pictures;
use super::library::TREES;
use super::tree::{Element, Tree};
use super::value::short;
use crate::mesh::Fault;
use ember_ridge_core::document::{
    Document, DocumentInput, DocumentMaterial, DocumentNode, DocumentType, DocumentValue,
};
use ember_ridge_core::finish::understands;
use rustc_hash::{FxHashMap, FxHashSet};

/// Plain nodes of a document, at most: node graphs inside node graphs multiply.
const MOST_NODES: usize = 20_000;
/// Nodes that read each other in a row, at most.
const MOST_DEEP: usize = 600;
const MOST_MATERIALS: usize = 256;
/// Definitions of one category that a node is held against, at most; the standard has 47 of one.
const MOST_DEFINITIONS: usize = 256;
/// What is told of one document at most.
const MOST_NOTES: usize = 50;

/// An element: which tree (the document is the first, those of the library follow), and which of its elements.
type At = (usize, usize);

/// Where names are looked up: the document, or a node graph in place of a node.
struct Scope {
    /// The element whose children are its nodes.
    inside: At,
    /// Before the names of its nodes.
    path: String,
    /// What its interface is bound to.
    bound: FxHashMap<String, DocumentValue>,
    /// Line of the node of the document that it stands for.
    line: usize,
}

/// What a node has become.
#[derive(Clone, Copy)]
enum Instance {
    /// A plain node, by number.
    Node(usize),
    /// A node graph in its place.
    Graph(usize),
}

/// What a node's definition says.
#[derive(Default, Clone)]
struct Definition {
    name: String,
    at: Option<At>,
    /// Its inputs, those that it inherits last.
    inputs: Vec<At>,
    graph: Option<At>,
}

struct Resolver<'a> {
    trees: Vec<&'a Tree>,
    pictures: Pictures<'a>,
    /// Definitions by the category of their nodes, and by their own name.
    by_category: FxHashMap<&'a str, Vec<At>>,
    by_name: FxHashMap<&'a str, At>,
    /// Node graphs by the definition that they are made for.
    graphs: FxHashMap<&'a str, At>,
    scopes: Vec<Scope>,
    made: FxHashMap<(usize, At), Instance>,
    open: FxHashSet<(usize, At)>,
    of_surface: FxHashMap<&'static str, usize>,
    /// Children by name, of elements whose children were asked for.
    names: FxHashMap<At, FxHashMap<&'a str, Vec<At>>>,
    picture_bytes: u64,
    document: Document,
}

/// The plain nodes of a document.
pub(super) fn resolve(tree: &Tree, pictures: Pictures) -> Result<Document, Fault> {
    let mut resolver = Resolver {
        trees: [tree].into_iter().chain(TREES.iter()).collect(),
        pictures,
        by_category: FxHashMap::default(),
        by_name: FxHashMap::default(),
        graphs: FxHashMap::default(),
        scopes: vec![Scope { inside: (0, 0), path: String::new(), bound: FxHashMap::default(), line: 1 }],
        made: FxHashMap::default(),
        open: FxHashSet::default(),
        of_surface: FxHashMap::default(),
        names: FxHashMap::default(),
        picture_bytes: 0,
        document: Document::default(),
    };
    resolver.index();
    resolver.materials()?;
    Ok(resolver.document)
}

/// Whether an element of this tag is a node: neither a port nor a declaration.
fn is_node(tag: &str) -> bool {
    const OTHERS: [&str; 24] = [
        "input",
        "output",
        "parameter",
        "token",
        "nodegraph",
        "nodedef",
        "implementation",
        "typedef",
        "unittypedef",
        "unitdef",
        "unit",
        "geompropdef",
        "attributedef",
        "targetdef",
        "look",
        "lookgroup",
        "materialassign",
        "geominfo",
        "geomprop",
        "collection",
        "propertyset",
        "variantset",
        "backdrop",
        "xi:include",
    ];
    !OTHERS.contains(&tag)
}

fn fault(element: &Element, fault: impl Into<String>, remedy: &str) -> Fault {
    Fault::new(format!("line {}", element.line), fault, remedy)
}

impl<'a> Resolver<'a> {
    fn element(&self, at: At) -> &'a Element {
        let tree: &'a Tree = self.trees[at.0];
        &tree.elements[at.1]
    }

    fn children(&self, of: At) -> impl Iterator<Item = (At, &'a Element)> + use<'a> {
        let tree: &'a Tree = self.trees[of.0];
        tree.children(of.1).map(move |child| ((of.0, child), &tree.elements[child]))
    }

    fn note(&mut self, note: String) {
        if self.document.notes.len() < MOST_NOTES && !self.document.notes.contains(&note) {
            self.document.notes.push(note);
        }
    }

    fn index(&mut self) {
        for tree in 0..self.trees.len() {
            for (at, element) in self.children((tree, 0)) {
                match element.tag.as_str() {
                    "nodedef" => {
                        self.by_name.entry(element.name()).or_insert(at);
                        let of_category = self.by_category.entry(element.attribute("node").unwrap_or("")).or_default();
                        if of_category.len() < MOST_DEFINITIONS {
                            of_category.push(at);
                        }
                    }
                    "nodegraph" => {
                        if let Some(definition) = element.attribute("nodedef") {
                            self.graphs.entry(definition).or_insert(at);
                        }
                    }
                    "implementation" => {
                        let graph = element.attribute("nodegraph").and_then(|name| self.child(tree, name));
                        if let (Some(definition), Some(graph)) = (element.attribute("nodedef"), graph) {
                            self.graphs.entry(definition).or_insert(graph);
                        }
                    }
                    _ => {}
                }
            }
        }
    }

    /// A node graph of a tree by name.
    fn child(&self, tree: usize, name: &str) -> Option<At> {
        self.children((tree, 0)).find(|(_, e)| e.tag == "nodegraph" && e.name() == name).map(|(at, _)| at)
    }

    fn materials(&mut self) -> Result<(), Fault> {
        let root = self.element((0, 0));
        self.document.version = root.attribute("version").unwrap_or("").to_owned();
        if !matches!(self.document.version.as_str(), "1.38" | "1.39") {
            let version = short(&self.document.version);
            self.note(format!("it is written in version '{version}' of the standard; 1.38 and 1.39 are understood"));
        }
        let all: Vec<(At, &Element)> = self.children((0, 0)).collect();
        for (_, element) in all.iter().filter(|(_, element)| element.tag == "xi:include") {
            let file = short(element.attribute("href").unwrap_or(""));
            self.note(format!("line {}: the document '{file}' that it includes is not read", element.line));
        }
        let materials = || all.iter().filter(|(_, element)| element.tag == "surfacematerial");
        if materials().count() > MOST_MATERIALS {
            self.note(format!("it holds more than {MOST_MATERIALS} materials; the first {MOST_MATERIALS} are read"));
        }
        for (at, element) in materials().take(MOST_MATERIALS) {
            self.material(*at, element)?;
        }
        // A shader that no material shows is one by itself.
        let mut used = FxHashSet::default();
        let uses = |document: &Document, material: &DocumentMaterial, used: &mut FxHashSet<usize>| {
            used.extend(document.used_by(material).iter().enumerate().filter(|(_, used)| **used).map(|(n, _)| n));
        };
        for material in &self.document.materials {
            uses(&self.document, material, &mut used);
        }
        for (at, element) in all.iter().filter(|(_, e)| e.attribute("type") == Some("surfaceshader") && is_node(&e.tag))
        {
            if let Instance::Node(surface) = self.instance(0, *at)?
                && !used.contains(&surface)
                && self.document.materials.len() < MOST_MATERIALS
            {
                let material = DocumentMaterial { name: element.name().to_owned(), surface, displacement: None };
                uses(&self.document, &material, &mut used);
                self.document.materials.push(material);
            }
        }
        Ok(())
    }

    fn material(&mut self, at: At, element: &Element) -> Result<(), Fault> {
        let mut shader = [None, None];
        for (input_at, input) in self.inputs(at)? {
            let which = match input.name() {
                "surfaceshader" => 0,
                "displacementshader" => 1,
                other => {
                    let (line, other) = (input.line, short(other));
                    self.note(format!("line {line}: {}: '{other}' of a material is not shown", element.name()));
                    continue;
                }
            };
            if let Some(DocumentValue::Node(number, _)) = self.value(0, input_at, input, DocumentType::Surface)? {
                shader[which] = Some(number);
            }
        }
        let Some(surface) = shader[0] else {
            let (line, name) = (element.line, short(element.name()));
            self.note(format!("line {line}: material '{name}' has no surface shader"));
            return Ok(());
        };
        let name = element.name().to_owned();
        self.document.materials.push(DocumentMaterial { name, surface, displacement: shader[1] });
        Ok(())
    }

    /// Inputs of an element, and those of the ones it inherits from.
    fn inputs(&self, of: At) -> Result<Vec<(At, &'a Element)>, Fault> {
        let mut inputs: Vec<(At, &'a Element)> = Vec::new();
        let mut at = of;
        for _ in 0..16 {
            for (child, element) in self.children(at) {
                let is_input = matches!(element.tag.as_str(), "input" | "parameter");
                if is_input && !inputs.iter().any(|(_, known)| known.name() == element.name()) {
                    inputs.push((child, element));
                }
            }
            let element = self.element(at);
            let Some(from) = element.attribute("inherit") else { return Ok(inputs) };
            let found = match element.tag.as_str() {
                "nodedef" => self.by_name.get(from).copied(),
                tag => self.children((at.0, 0)).find(|(_, e)| e.tag == tag && e.name() == from).map(|(at, _)| at),
            };
            let missing = || {
                let said = format!("'{}' inherits from '{}', which is not there", short(element.name()), short(from));
                fault(element, said, "Correct the name")
            };
            at = found.ok_or_else(missing)?;
        }
        let said = format!("'{}' inherits from too many in a row, or from itself", short(self.element(of).name()));
        Err(fault(self.element(of), said, "Remove an inherit attribute"))
    }

    /// What a node is by the standard or the document: by the definition it names, or the one that its type and inputs fit best.
    fn definition(&self, node: &Element, inputs: &[(At, &Element)]) -> Result<Definition, Fault> {
        let category = node.tag.rsplit(':').next().unwrap_or(&node.tag);
        let named = node.attribute("nodedef").and_then(|name| self.by_name.get(name)).copied();
        let candidates = match named {
            Some(at) => vec![at],
            None => self.by_category.get(category).cloned().unwrap_or_default(),
        };
        let mut best: Option<(i32, Definition)> = None;
        for at in candidates {
            let element = self.element(at);
            let own = self.inputs(at)?;
            let outputs: Vec<&str> =
                self.children(at).filter(|(_, e)| e.tag == "output").filter_map(|(_, e)| e.attribute("type")).collect();
            let wanted = node.attribute("type").unwrap_or("");
            let gives = match outputs.as_slice() {
                [] => element.attribute("type").is_none_or(|kind| kind == wanted),
                [one] => *one == wanted,
                _ => wanted == "multioutput",
            };
            // A definition for another type of result, or without an input that the node has, is another node's.
            let fits = |(_, input): &(At, &Element)| {
                let same = own.iter().find(|(_, own)| own.name() == input.name());
                match same.map(|(_, own)| own.attribute("type") == input.attribute("type")) {
                    Some(true) => 2,
                    Some(false) => -8,
                    None => -4,
                }
            };
            let version = match (node.attribute("version"), element.attribute("version")) {
                (Some(a), Some(b)) if a == b => 2,
                (None, _) if element.attribute("isdefaultversion") == Some("true") => 1,
                _ => 0,
            };
            let score = inputs.iter().map(fits).sum::<i32>() + version + if gives { 100 } else { 0 };
            if best.as_ref().is_none_or(|(most, _)| score > *most) {
                let graph = self.graphs.get(element.name()).copied();
                let inputs = own.into_iter().map(|(at, _)| at).collect();
                best = Some((score, Definition { name: element.name().to_owned(), at: Some(at), inputs, graph }));
            }
        }
        Ok(best.map(|(_, definition)| definition).unwrap_or_default())
    }

    /// What a node has become, made now where it is new.
    fn instance(&mut self, scope: usize, at: At) -> Result<Instance, Fault> {
        if let Some(made) = self.made.get(&(scope, at)) {
            return Ok(*made);
        }
        let element = self.element(at);
        let (name, tag) = (short(element.name()), short(&element.tag));
        if !self.open.insert((scope, at)) {
            let said = format!("'{name}' reads itself, by way of the nodes that it reads");
            return Err(fault(element, said, "Cut one of the connections of the circle"));
        }
        if self.open.len() > MOST_DEEP {
            let said = format!("more than {MOST_DEEP} nodes read each other in a row");
            return Err(fault(element, said, "Bake a part of it to a picture"));
        }
        if self.document.nodes.len() >= MOST_NODES || self.scopes.len() >= MOST_NODES {
            let said = format!("with its node graphs it comes to more than {MOST_NODES} nodes, at <{tag}> '{name}'");
            return Err(fault(element, said, "Bake a part of it to a picture"));
        }
        let instance = self.make(scope, at, element)?;
        self.open.remove(&(scope, at));
        self.made.insert((scope, at), instance);
        Ok(instance)
    }

    fn make(&mut self, scope: usize, at: At, element: &'a Element) -> Result<Instance, Fault> {
        if element.tag == "nodegraph" {
            // Used as it stands, with its own inputs.
            let bound = self.bound(scope, at, &[])?;
            return self.enter(scope, at, (at, element), bound);
        }
        let inputs = self.inputs(at)?;
        let definition = self.definition(element, &inputs)?;
        let category = element.tag.rsplit(':').next().unwrap_or(&element.tag).to_owned();
        let of_document = definition.at.is_some_and(|(tree, _)| tree == 0);
        match definition.graph {
            Some(graph) if of_document || !understands(&category) => {
                let bound = self.bound(scope, at, &definition.inputs)?;
                self.enter(scope, graph, (at, element), bound)
            }
            _ => self.plain(scope, at, element, category, &definition),
        }
    }

    /// A node graph in the place of a node.
    fn enter(
        &mut self,
        outer: usize,
        inside: At,
        node: (At, &Element),
        bound: FxHashMap<String, DocumentValue>,
    ) -> Result<Instance, Fault> {
        let (at, element) = node;
        let path = format!("{}{}/", self.scopes[outer].path, element.name());
        if path.len() > 4096 {
            return Err(fault(element, "its node graphs lie too deep inside each other", "Flatten them"));
        }
        let line = if at.0 == 0 { element.line } else { self.scopes[outer].line };
        self.scopes.push(Scope { inside, path, bound, line });
        Ok(Instance::Graph(self.scopes.len() - 1))
    }

    /// The values of a node's inputs by name: those that it gives, then those of its definition.
    fn bound(&mut self, scope: usize, at: At, defaults: &[At]) -> Result<FxHashMap<String, DocumentValue>, Fault> {
        let mut bound = FxHashMap::default();
        let node = DocumentType::named(self.element(at).attribute("type").unwrap_or(""));
        for (input_at, input) in self.inputs(at)? {
            if let Some(value) = self.value(scope, input_at, input, node)? {
                bound.insert(input.name().to_owned(), value);
            }
        }
        for default in defaults {
            let input = self.element(*default);
            if !bound.contains_key(input.name())
                && let Some(value) = self.default(*default, input)?
            {
                bound.insert(input.name().to_owned(), value);
            }
        }
        Ok(bound)
    }

    fn plain(
        &mut self,
        scope: usize,
        at: At,
        element: &'a Element,
        category: String,
        definition: &Definition,
    ) -> Result<Instance, Fault> {
        let kind = DocumentType::named(element.attribute("type").unwrap_or(""));
        let mut inputs: Vec<DocumentInput> = Vec::new();
        for (input_at, input) in self.inputs(at)? {
            if let Some(value) = self.value(scope, input_at, input, kind)? {
                inputs.push(DocumentInput { name: input.name().to_owned(), value, given: true });
            }
        }
        for default in &definition.inputs {
            let input = self.element(*default);
            // What a shader does with normals is light, not surface.
            if kind == DocumentType::Surface && input.attribute("defaultgeomprop").is_some() {
                continue;
            }
            if !inputs.iter().any(|given| given.name == input.name())
                && let Some(value) = self.default(*default, input)?
            {
                inputs.push(DocumentInput { name: input.name().to_owned(), value, given: false });
            }
        }
        // Attributes that say what a node does were no inputs in earlier documents.
        for (name, value) in &element.attributes {
            if matches!(name.as_str(), "channels" | "space" | "geomprop") && !inputs.iter().any(|i| i.name == *name) {
                let value = DocumentValue::Text(value.clone());
                inputs.push(DocumentInput { name: name.clone(), value, given: true });
            }
        }
        let known = !definition.name.is_empty() || understands(&category);
        let name = format!("{}{}", self.scopes[scope].path, element.name());
        if !known {
            self.note(format!("line {}: {name}: the standard has no node '{}'", element.line, short(&category)));
        }
        // Lines of the standard's own files say nothing to whoever wrote the document.
        let line = if at.0 == 0 { element.line } else { self.scopes[scope].line };
        Ok(self.push(DocumentNode { name, line, category, kind, inputs }))
    }

    fn push(&mut self, node: DocumentNode) -> Instance {
        self.document.nodes.push(node);
        Instance::Node(self.document.nodes.len() - 1)
    }
}
