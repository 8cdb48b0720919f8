//! Procedural surfaces made elsewhere: the nodes of a MaterialX document, each after those it reads, laid out in the one expression graph.
//! A value of any type is so many numbers side by side, and a surface shader is the nine numbers that a finish has besides height: mixing
//! two shaders is mixing two values.
//!
//! The meaning of each node is that of the MaterialX Specification 1.39 and of its standard library; nodes that the library itself makes
//! of others arrive here as those others.

mod channels;
mod colors;
mod geometry;
mod math;
mod noise;
mod shaders;

use super::compile::Compiler;
use super::graph::{Function, Graph, NodeId};
use super::stack::FinishFault;
use crate::document::{Document, DocumentInput, DocumentMaterial, DocumentNode, DocumentType, DocumentValue};

/// Whether nodes of this category are worked out here.
pub fn understands(category: &str) -> bool {
    maker(category).is_some()
}

type Make = fn(&mut Call) -> Result<Wide, String>;

/// A category of nodes.
struct Category {
    name: &'static str,
    make: Make,
}

const fn category(name: &'static str, make: Make) -> Category {
    Category { name, make }
}

const NODES: [&[Category]; 6] =
    [math::NODES, channels::NODES, colors::NODES, geometry::NODES, noise::NODES, shaders::NODES];

fn maker(name: &str) -> Option<Make> {
    NODES.into_iter().flatten().find(|category| category.name == name).map(|category| category.make)
}

/// A value: its numbers side by side.
type Wide = Vec<NodeId>;

/// A node while it is laid out in the graph.
struct Call<'a> {
    graph: &'a mut Graph,
    document: &'a Document,
    node: &'a DocumentNode,
    /// What earlier nodes came to.
    laid: &'a Laid,
    /// What is to be said of the node besides its value.
    asides: Vec<Aside>,
}

/// What is said of a node that is worked out all the same.
enum Aside {
    Note(String),
    /// Its picture is not there.
    Picture(String),
}

/// A document laid out in the graph, node by node.
#[derive(Default)]
struct Laid {
    values: Vec<Wide>,
    /// How far each value moves on over the square that a place stands for: times its side on the sheet, and times its side on the
    /// surface.
    steps: Vec<[f32; 2]>,
    /// Why a node could not be made; None where it was, or is not used.
    whys: Vec<Option<String>>,
    notes: Vec<String>,
    /// Pictures that are not there, and why.
    pictures: Vec<String>,
}

impl Call<'_> {
    fn input(&self, name: &str) -> Option<&DocumentInput> {
        self.node.inputs.iter().find(|input| input.name == name)
    }

    fn text(&self, name: &str) -> Option<&str> {
        match &self.input(name)?.value {
            DocumentValue::Text(text) => Some(text),
            _ => None,
        }
    }

    /// Tells of something about the node that is worked out all the same.
    fn aside(&mut self, said: &str) {
        let said = self.said(said);
        self.asides.push(Aside::Note(said));
    }

    /// Something about the node, with where it is.
    fn said(&self, said: &str) -> String {
        format!("{} (line {}): {said}", self.node.name, self.node.line)
    }

    /// The numbers of an input as they come; none where there is no such input.
    fn try_get(&mut self, name: &str) -> Option<Wide> {
        let value = self.input(name)?.value.clone();
        Some(match value {
            DocumentValue::Numbers(numbers) => numbers.iter().map(|number| self.graph.constant(*number)).collect(),
            DocumentValue::Node(number, output) => picked(&self.laid.values[number], output.as_deref()),
            DocumentValue::Text(_) | DocumentValue::Picture(_) => return None,
        })
        .filter(|wide| !wide.is_empty())
    }

    /// The numbers of an input, or `default` for each where the document and the standard give none.
    fn get(&mut self, name: &str, default: f32) -> Wide {
        self.try_get(name).unwrap_or_else(|| vec![self.graph.constant(default)])
    }

    fn number(&mut self, name: &str, default: f32) -> NodeId {
        self.get(name, default)[0]
    }

    /// As many numbers of an input as asked: one goes for all, missing ones are 0.
    fn several<const N: usize>(&mut self, name: &str, default: f32) -> [NodeId; N] {
        let wide = self.get(name, default);
        let zero = self.graph.constant(0.0);
        std::array::from_fn(|at| if wide.len() == 1 { wide[0] } else { wide.get(at).copied().unwrap_or(zero) })
    }

    /// A number that may not vary over the surface.
    fn fixed(&mut self, name: &str, default: f32) -> Result<f32, String> {
        let node = self.number(name, default);
        self.graph.known(node).ok_or_else(|| format!("its {name} varies over the surface; give it a plain number"))
    }

    /// A function for each number of the node's own type; an input of one number goes for all.
    fn each<const N: usize>(&mut self, name: &str, inputs: [&Wide; N], function: fn([f32; N]) -> f32) -> Wide {
        // What has no numbers, such as a node of a type that is not known, makes none.
        if inputs.iter().any(|wide| wide.is_empty()) {
            return Wide::new();
        }
        let width = inputs.iter().map(|wide| wide.len()).max().unwrap_or(0).max(self.node.kind.numbers());
        (0..width).map(|at| self.apply(name, inputs.map(|wide| nth(wide, at)), function)).collect()
    }

    /// A function of numbers.
    fn apply<const N: usize>(&mut self, name: &str, inputs: [NodeId; N], function: fn([f32; N]) -> f32) -> NodeId {
        self.graph.function(name, &inputs, each_place(function))
    }

    fn constant(&mut self, value: f32) -> NodeId {
        self.graph.constant(value)
    }

    fn add(&mut self, a: NodeId, b: NodeId) -> NodeId {
        self.apply("add", [a, b], |[a, b]| a + b)
    }

    fn multiply(&mut self, a: NodeId, b: NodeId) -> NodeId {
        self.apply("multiply", [a, b], |[a, b]| a * b)
    }

    fn dot(&mut self, a: &[NodeId], b: &[NodeId]) -> NodeId {
        let mut sum = self.constant(0.0);
        for (at, x) in a.iter().enumerate() {
            let product = self.multiply(*x, b[at.min(b.len() - 1)]);
            sum = if at == 0 { product } else { self.add(sum, product) };
        }
        sum
    }

    fn length(&mut self, a: &[NodeId]) -> NodeId {
        let squared = self.dot(a, a);
        self.apply("sqrt", [squared], |[x]| libm::sqrtf(x))
    }
}

/// A function applied place by place.
fn each_place<const N: usize>(function: fn([f32; N]) -> f32) -> Function {
    Box::new(move |columns, out| {
        for (i, slot) in out.iter_mut().enumerate() {
            *slot = function(std::array::from_fn(|argument| columns[argument][i]));
        }
    })
}

/// The number of a value for one of several; one goes for all.
fn nth(wide: &Wide, at: usize) -> NodeId {
    wide[at.min(wide.len() - 1)]
}

/// One output of a node that has several, by the standard's names.
fn picked(value: &Wide, output: Option<&str>) -> Wide {
    let at = match output {
        Some("outr" | "outx" | "r") => 0,
        Some("outg" | "outy" | "g") => 1,
        Some("outb" | "outz" | "b") => 2,
        Some("outa" | "outw" | "a") => 3,
        Some("outcolor" | "rgb") => return value.iter().take(3).copied().collect(),
        _ => return value.clone(),
    };
    value.get(at).map_or_else(|| value.clone(), |number| vec![*number])
}

impl Compiler<'_> {
    /// The channels of a material of a document, in the order of a finish's.
    ///
    /// # Errors
    /// The document has no such material.
    pub(super) fn document(
        &mut self,
        document: &Document,
        material: Option<&str>,
        faults: &mut Vec<FinishFault>,
    ) -> Result<[NodeId; 6], String> {
        let material = document.material(material)?;
        let laid = lay_out(document, material, &mut self.graph);
        faults.extend(laid.told(document).into_iter().map(|why| FinishFault::Document { why }));
        faults.extend(laid.pictures.iter().map(|why| FinishFault::DocumentPicture { why: why.clone() }));
        let values = &laid.values;
        let grey = self.graph.constant(0.5);
        let surface = &values[material.surface];
        let number = |at: usize| surface.get(at).copied().unwrap_or(grey);
        let color = self.graph.vector([number(0), number(1), number(2)]);
        let emission = self.graph.vector([number(5), number(6), number(7)]);
        let flat = self.graph.constant(0.0);
        let own_height = material.displacement.and_then(|node| values[node].first().copied());
        let height = own_height.unwrap_or(flat);
        Ok([color, number(3), number(4), emission, number(8), height])
    }
}

/// What is told of one document at most.
const MOST_TOLD: usize = 50;

impl Laid {
    /// What could not be made, and what is left aside.
    fn told(&self, document: &Document) -> Vec<String> {
        let faults = document.nodes.iter().zip(&self.whys).filter_map(|(node, why)| {
            let DocumentNode { line, name, .. } = node;
            Some(format!("line {line}: {name}: {}", why.as_ref()?))
        });
        let mut told: Vec<String> = document.notes.iter().cloned().chain(faults).chain(self.notes.clone()).collect();
        let more = told.len().saturating_sub(MOST_TOLD);
        told.truncate(MOST_TOLD);
        if more > 0 {
            told.push(format!("{more} more of the kind"));
        }
        told
    }
}

/// The value of every node that a material follows from, and what could not be made of them.
fn lay_out(document: &Document, material: &DocumentMaterial, graph: &mut Graph) -> Laid {
    let mut laid = Laid::default();
    for (node, used) in document.nodes.iter().zip(document.used_by(material)) {
        let (value, why) = if used { lay_node(document, node, &mut laid, graph) } else { (Wide::new(), None) };
        laid.steps.push(step_of(node, &laid.steps));
        laid.values.push(value);
        laid.whys.push(why);
    }
    laid
}

/// What a node comes to, or what stands for it and why it cannot be made.
fn lay_node(document: &Document, node: &DocumentNode, laid: &mut Laid, graph: &mut Graph) -> (Wide, Option<String>) {
    let mut call = Call { graph, document, node, laid, asides: Vec::new() };
    let made = match maker(&node.category) {
        Some(make) => make(&mut call),
        None => Err(format!("'{}' is not worked out here", node.category)),
    };
    let (value, why) = match made {
        Ok(value) => (value, None),
        Err(why) => (stand_in(&mut call), Some(why)),
    };
    // What has no value, such as a number divided by 0, is 0 from here on.
    let known = |[x]: [f32; 1]| if x.is_nan() { 0.0 } else { x };
    let value = value.into_iter().map(|number| call.apply("known", [number], known)).collect();
    for aside in call.asides {
        match aside {
            Aside::Note(note) => laid.notes.push(note),
            Aside::Picture(why) => laid.pictures.push(why),
        }
    }
    (value, why)
}

/// How far a value moves on over the square that a place stands for: a coordinate as far as the square is wide, one that is multiplied so
/// many times as far, anything else as far as the furthest of what it follows from.
fn step_of(node: &DocumentNode, steps: &[[f32; 2]]) -> [f32; 2] {
    match node.category.as_str() {
        "texcoord" | "geompropvalue" => return [1.0, 0.0],
        "position" => return [0.0, 1.0],
        _ => {}
    }
    let furthest = node.inputs.iter().filter_map(|input| match input.value {
        DocumentValue::Node(read, _) => Some(steps[read]),
        _ => None,
    });
    let furthest = furthest.fold([0.0f32; 2], |[a, b], [c, d]| [a.max(c), b.max(d)]);
    let by = |name: &str| match node.inputs.iter().find(|input| input.name == name).map(|input| &input.value) {
        Some(DocumentValue::Numbers(numbers)) => Some(numbers.iter().fold(0.0f32, |most, n| most.max(n.abs()))),
        _ => None,
    };
    let times = match node.category.as_str() {
        "multiply" => by("in1").or_else(|| by("in2")).unwrap_or(1.0),
        "divide" => by("in2").filter(|by| *by > 0.0).map_or(1.0, |by| 1.0 / by),
        _ => 1.0,
    };
    furthest.map(|step| step * times)
}

/// What stands for a node that cannot be made: what it would have changed, or mid-grey.
fn stand_in(call: &mut Call) -> Wide {
    let width = call.node.kind.numbers().max(1);
    let passed = ["in", "bg", "in1", "fg", "default"].into_iter().find_map(|name| {
        let connected = matches!(call.input(name)?.value, DocumentValue::Node(..));
        call.try_get(name).filter(|wide| connected && wide.len() == width)
    });
    passed.unwrap_or_else(|| vec![call.constant(0.5); width])
}

/// What a material shows beyond colour, roughness and metal.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct DocumentShows {
    pub emission: bool,
    pub opacity: bool,
    pub height: bool,
}

/// What is understood of a document.
#[derive(Clone, Debug)]
pub struct Understood {
    /// Why a node is not worked out, by its number; None where it is, or is not used.
    pub nodes: Vec<Option<String>>,
    /// What else is left aside.
    pub notes: Vec<String>,
    /// All of it in words.
    pub told: Vec<String>,
}

impl Document {
    /// What a material shows of what most do not.
    pub fn shows(&self, material: &DocumentMaterial) -> DocumentShows {
        let mut graph = Graph::default();
        let Laid { values, .. } = lay_out(self, material, &mut graph);
        let plain = |value: &Wide, at: usize, plain: f32| value.get(at).is_none_or(|n| graph.known(*n) == Some(plain));
        let surface = &values[material.surface];
        DocumentShows {
            emission: !(5..8).all(|at| plain(surface, at, 0.0)),
            opacity: !plain(surface, 8, 1.0),
            height: material.displacement.is_some_and(|node| !plain(&values[node], 0, 0.0)),
        }
    }

    /// What is understood of the nodes that a material follows from.
    pub fn understood(&self, material: &DocumentMaterial) -> Understood {
        let laid = lay_out(self, material, &mut Graph::default());
        let told = laid.told(self).into_iter().chain(laid.pictures.clone()).collect();
        let notes = self.notes.iter().cloned().chain(laid.notes).chain(laid.pictures).collect();
        Understood { nodes: laid.whys, notes, told }
    }
}

/// Every category that is worked out here.
pub fn understood_categories() -> impl Iterator<Item = &'static str> {
    NODES.into_iter().flatten().map(|category| category.name)
}
