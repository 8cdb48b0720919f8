//! The expression graph: typed nodes over columns of places, each expression once, evaluated in batches. It knows no mesh and no ray; what
//! it reads comes as columns, and every column is as long as there are places.

use super::coats::Blend;
use super::columns::Columns;
use super::curve::{ColorCurve, Curve};
use super::lanes::vectorised;
use super::patterns::{ColorKernel, Kernel, Points};
use super::settings::SoftRange;
use super::signal::Signal;
use glam::Vec3;
use rustc_hash::FxHashMap;
use std::ops::Range;

/// Places evaluated at a time: their columns stay in the nearest cache.
pub const BATCH: usize = 256;

/// What a node gives at each place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Type {
    Number,
    Vector,
}

impl Type {
    fn columns(self) -> usize {
        match self {
            Type::Number => 1,
            Type::Vector => 3,
        }
    }
}

/// What is read from the surface.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Input {
    /// Place in object space, scene units.
    Position,
    /// Unit normal in object space.
    Normal,
    /// Place from the middle of the low-poly part's box, scene units.
    PartPosition,
    /// Place in that box, 0 to 1 along each axis.
    PartShare,
    /// Place on the sheet, and 0.
    Uv,
    /// Place on the UVs for textures, and 0.
    TextureUv,
    /// Side of the square of surface that a place stands for, scene units.
    Side,
    /// The same on the sheet, UV units.
    UvSide,
    /// The same on the UVs for textures.
    TextureUvSide,
    /// The same within the part's box, as a share of it: the least over the axes.
    PartSide,
    /// Colour that the sculpt carries, linear light.
    Carried,
    /// A column by number in [`Graph::measured`].
    Measured(u32),
}

impl Input {
    pub fn kind(self) -> Type {
        match self {
            Input::Position | Input::Normal | Input::PartPosition | Input::PartShare => Type::Vector,
            Input::Uv | Input::TextureUv | Input::Carried => Type::Vector,
            Input::Side | Input::UvSide | Input::TextureUvSide | Input::PartSide | Input::Measured(_) => Type::Number,
        }
    }
}

/// A node by number.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct NodeId(u32);

/// What a node does with its arguments.
enum Op {
    Input(Input),
    Constant(f32),
    /// A pattern by number; its arguments are a place, a normal and a side.
    Pattern(u32),
    /// A place moved by three numbers: `place + amount * (2 p - 1)` along each axis.
    Warp(f32),
    /// One coordinate of a vector.
    Coordinate(u32),
    /// Cosine with a unit vector.
    Facing(Vec3),
    /// `amount * (2 p - 1)` added to a number.
    BreakUp(f32),
    Range(SoftRange),
    /// The product, the larger, and the first times what the second leaves.
    And,
    Or,
    Minus,
    /// From one number to another, straight, held within 0 to 1.
    Levels([f32; 2]),
    Curve(Curve<f32>),
    /// A colour, linear light.
    Color(Vec3),
    ColorCurve(ColorCurve),
    /// A picture by number; its arguments are those of a pattern.
    Picture(u32),
    /// One thing over another as far as a number from 0 to 1 goes: numbers or colours.
    Lay(Blend),
    /// 1 less the number.
    Invert,
    Scale(f32),
    /// Held between two numbers.
    Clamp([f32; 2]),
    /// A function of numbers, by number.
    Function(u32),
    /// Three numbers as a vector.
    Vector,
}

/// A function of numbers: from a column per argument to a column.
pub(super) type Function = Box<dyn Fn(&[&[f32]], &mut [f32]) + Send + Sync>;

struct Node {
    op: Op,
    arguments: Vec<NodeId>,
    kind: Type,
}

/// What has to be brought beside the surface itself.
#[derive(Clone, Debug, PartialEq)]
pub enum Measured {
    /// A signal that is measured.
    Signal(Signal),
    /// A place blurred along the surface, by its settings without the blur.
    Blurred(Box<super::settings::PlaceSettings>, f32),
}

/// Nodes, each after its arguments.
#[derive(Default)]
pub struct Graph {
    nodes: Vec<Node>,
    known: FxHashMap<String, NodeId>,
    patterns: Vec<Box<dyn Kernel>>,
    pictures: Vec<Box<dyn ColorKernel>>,
    functions: Vec<Function>,
    measured: Vec<Measured>,
}

impl Graph {
    /// What nodes read of the surface.
    pub fn inputs_of(&self, nodes: &[NodeId]) -> Vec<Input> {
        let used = self.used_by(nodes).into_iter();
        let nodes = self.nodes.iter().zip(used).filter(|(_, used)| *used);
        nodes.filter_map(|(node, _)| if let Op::Input(input) = node.op { Some(input) } else { None }).collect()
    }

    /// What has to be measured for [`Input::Measured`] of this number.
    pub fn measured(&self, number: u32) -> &Measured {
        &self.measured[number as usize]
    }

    /// How many different expressions it holds.
    pub fn len(&self) -> usize {
        self.nodes.len()
    }

    pub fn is_empty(&self) -> bool {
        self.nodes.is_empty()
    }

    pub fn kind(&self, node: NodeId) -> Type {
        self.nodes[node.0 as usize].kind
    }

    /// The node of this name, made now if it is new. The name says all that the operation and its arguments do.
    fn node(&mut self, name: String, kind: Type, arguments: &[NodeId], op: impl FnOnce(&mut Graph) -> Op) -> NodeId {
        let key = format!("{name}{arguments:?}");
        if let Some(known) = self.known.get(&key) {
            return *known;
        }
        let op = op(self);
        let id = NodeId(self.nodes.len() as u32);
        self.nodes.push(Node { op, arguments: arguments.to_vec(), kind });
        self.known.insert(key, id);
        id
    }

    pub(super) fn input(&mut self, input: Input) -> NodeId {
        self.node(format!("{input:?}"), input.kind(), &[], |_| Op::Input(input))
    }

    /// A number that is brought along.
    pub(super) fn measure(&mut self, measured: Measured) -> NodeId {
        let known = self.measured.iter().position(|m| *m == measured);
        let number = known.unwrap_or_else(|| {
            self.measured.push(measured);
            self.measured.len() - 1
        });
        self.input(Input::Measured(number as u32))
    }

    pub(super) fn constant(&mut self, value: f32) -> NodeId {
        self.node(format!("constant {}", value.to_bits()), Type::Number, &[], |_| Op::Constant(value))
    }

    /// A pattern at a place; `name` tells all of its settings.
    pub(super) fn pattern<E>(
        &mut self,
        name: String,
        [place, normal, side]: [NodeId; 3],
        make: impl FnOnce() -> Result<Box<dyn Kernel>, E>,
    ) -> Result<NodeId, E> {
        let arguments = [place, normal, side];
        if let Some(known) = self.known.get(&format!("{name}{arguments:?}")) {
            return Ok(*known);
        }
        let kernel = make()?;
        Ok(self.node(name, Type::Number, &arguments, |graph| {
            graph.patterns.push(kernel);
            Op::Pattern(graph.patterns.len() as u32 - 1)
        }))
    }

    pub(super) fn warp(&mut self, place: NodeId, [x, y, z]: [NodeId; 3], amount: f32) -> NodeId {
        self.node(format!("warp {}", amount.to_bits()), Type::Vector, &[place, x, y, z], |_| Op::Warp(amount))
    }

    pub(super) fn coordinate(&mut self, vector: NodeId, axis: usize) -> NodeId {
        self.node(format!("coordinate {axis}"), Type::Number, &[vector], |_| Op::Coordinate(axis as u32))
    }

    pub(super) fn facing(&mut self, normal: NodeId, direction: Vec3) -> NodeId {
        let unit = direction.normalize();
        self.node(format!("facing {unit:?}"), Type::Number, &[normal], |_| Op::Facing(unit))
    }

    pub(super) fn break_up(&mut self, signal: NodeId, pattern: NodeId, amount: f32) -> NodeId {
        self.node(format!("break-up {}", amount.to_bits()), Type::Number, &[signal, pattern], |_| Op::BreakUp(amount))
    }

    pub(super) fn range(&mut self, signal: NodeId, range: SoftRange) -> NodeId {
        self.node(format!("{range:?}"), Type::Number, &[signal], |_| Op::Range(range))
    }

    pub(super) fn and(&mut self, a: NodeId, b: NodeId) -> NodeId {
        self.node("and".into(), Type::Number, &[a, b], |_| Op::And)
    }

    pub(super) fn or(&mut self, a: NodeId, b: NodeId) -> NodeId {
        self.node("or".into(), Type::Number, &[a, b], |_| Op::Or)
    }

    pub(super) fn minus(&mut self, a: NodeId, b: NodeId) -> NodeId {
        self.node("minus".into(), Type::Number, &[a, b], |_| Op::Minus)
    }

    pub(super) fn levels(&mut self, value: NodeId, ends: [f32; 2]) -> NodeId {
        self.node(format!("levels {ends:?}"), Type::Number, &[value], |_| Op::Levels(ends))
    }

    pub(super) fn curve(&mut self, value: NodeId, curve: Curve<f32>) -> NodeId {
        self.node(format!("{curve:?}"), Type::Number, &[value], |_| Op::Curve(curve))
    }

    /// A colour, linear light.
    pub(super) fn color(&mut self, color: Vec3) -> NodeId {
        self.node(format!("color {color:?}"), Type::Vector, &[], |_| Op::Color(color))
    }

    pub(super) fn color_curve(&mut self, value: NodeId, curve: ColorCurve) -> NodeId {
        self.node(format!("colors {curve:?}"), Type::Vector, &[value], |_| Op::ColorCurve(curve))
    }

    /// A picture's colours at a place; `name` tells all of its settings.
    pub(super) fn picture(
        &mut self,
        name: String,
        arguments: [NodeId; 3],
        make: impl FnOnce() -> Box<dyn ColorKernel>,
    ) -> NodeId {
        self.node(name, Type::Vector, &arguments, |graph| {
            graph.pictures.push(make());
            Op::Picture(graph.pictures.len() as u32 - 1)
        })
    }

    /// `over` laid on `under`, both numbers or both colours, as far as `share` goes.
    pub(super) fn lay(&mut self, under: NodeId, over: NodeId, share: NodeId, blend: Blend) -> NodeId {
        self.node(format!("lay {blend:?}"), self.kind(under), &[under, over, share], |_| Op::Lay(blend))
    }

    pub(super) fn invert(&mut self, value: NodeId) -> NodeId {
        self.node("invert".into(), Type::Number, &[value], |_| Op::Invert)
    }

    pub(super) fn scale(&mut self, value: NodeId, by: f32) -> NodeId {
        self.node(format!("scale {}", by.to_bits()), self.kind(value), &[value], |_| Op::Scale(by))
    }

    pub(super) fn clamp(&mut self, value: NodeId, ends: [f32; 2]) -> NodeId {
        self.node(format!("clamp {ends:?}"), Type::Number, &[value], |_| Op::Clamp(ends))
    }

    /// The value of a node that is the same everywhere.
    pub fn known(&self, node: NodeId) -> Option<f32> {
        if let Op::Constant(value) = self.nodes[node.0 as usize].op { Some(value) } else { None }
    }

    /// A function of numbers; `name` tells all of it. Of constants it is worked out at once.
    pub(super) fn function(&mut self, name: &str, arguments: &[NodeId], function: Function) -> NodeId {
        let known: Option<Vec<f32>> = arguments.iter().map(|argument| self.known(*argument)).collect();
        if let Some(known) = known {
            let columns: Vec<&[f32]> = known.iter().map(std::slice::from_ref).collect();
            let mut value = [0.0];
            function(&columns, &mut value);
            return self.constant(value[0]);
        }
        self.node(format!("function {name}"), Type::Number, arguments, |graph| {
            graph.functions.push(function);
            Op::Function(graph.functions.len() as u32 - 1)
        })
    }

    /// Three numbers as a vector or a colour.
    pub(super) fn vector(&mut self, [x, y, z]: [NodeId; 3]) -> NodeId {
        self.node("vector".into(), Type::Vector, &[x, y, z], |_| Op::Vector)
    }

    /// The values of `node`, a number, at every place. The bytes do not depend on how places are grouped.
    pub fn numbers(&self, node: NodeId, columns: &Columns, places: Range<usize>) -> Vec<f32> {
        self.columns(&[node], columns, places).pop().unwrap_or_default()
    }

    /// The values of several nodes at every place, a column a number: one for a number, three for a colour or a vector.
    pub fn columns(&self, nodes: &[NodeId], columns: &Columns, places: Range<usize>) -> Vec<Vec<f32>> {
        let wide: Vec<(usize, usize)> =
            nodes.iter().flat_map(|node| (0..self.kind(*node).columns()).map(|axis| (node.0 as usize, axis))).collect();
        let mut out = vec![Vec::with_capacity(places.len()); wide.len()];
        let used = self.used_by(nodes);
        let room = |(node, used): (&Node, &bool)| vec![vec![0.0; BATCH]; if *used { node.kind.columns() } else { 0 }];
        let mut values: Vec<Vec<Vec<f32>>> = self.nodes.iter().zip(&used).map(room).collect();
        let mut at = places.start;
        while at < places.end {
            let batch = at..(at + BATCH).min(places.end);
            for (number, wanted) in used.iter().enumerate() {
                if *wanted {
                    // Its own columns are taken out while it reads those of its arguments.
                    let mut own = std::mem::take(&mut values[number]);
                    self.evaluate(&self.nodes[number], columns, batch.clone(), &values, &mut own);
                    values[number] = own;
                }
            }
            for (column, (node, axis)) in out.iter_mut().zip(&wide) {
                column.extend_from_slice(&values[*node][*axis][..batch.len()]);
            }
            at = batch.end;
        }
        out
    }

    /// Nodes that some follow from, themselves among them.
    fn used_by(&self, nodes: &[NodeId]) -> Vec<bool> {
        let mut used = vec![false; self.nodes.len()];
        nodes.iter().for_each(|node| used[node.0 as usize] = true);
        for number in (0..self.nodes.len()).rev() {
            if used[number] {
                self.nodes[number].arguments.iter().for_each(|a| used[a.0 as usize] = true);
            }
        }
        used
    }

    fn evaluate(
        &self,
        node: &Node,
        columns: &Columns,
        batch: Range<usize>,
        values: &[Vec<Vec<f32>>],
        out: &mut [Vec<f32>],
    ) {
        let n = batch.len();
        let column = |argument: usize, axis: usize| &values[node.arguments[argument].0 as usize][axis][..n];
        let points = || Points {
            x: column(0, 0),
            y: column(0, 1),
            z: column(0, 2),
            normal: [column(1, 0), column(1, 1), column(1, 2)],
            side: column(2, 0),
        };
        let one = |out: &mut [Vec<f32>], f: &dyn Fn(&[f32], &mut [f32])| f(column(0, 0), &mut out[0][..n]);
        match &node.op {
            Op::Input(input) => {
                for (slot, column) in out.iter_mut().zip(columns.of(*input)) {
                    slot[..n].copy_from_slice(&column[batch.clone()]);
                }
            }
            Op::Constant(value) => out[0][..n].fill(*value),
            Op::Pattern(number) => {
                self.patterns[*number as usize].fill(&points(), &mut out[0][..n]);
            }
            Op::Picture(number) => {
                let [r, g, b] = out else { return };
                self.pictures[*number as usize].fill(&points(), [&mut r[..n], &mut g[..n], &mut b[..n]]);
            }
            Op::Warp(amount) => {
                for (axis, slot) in out.iter_mut().enumerate() {
                    let (place, by) = (column(0, axis), column(1 + axis, 0));
                    slot[..n].iter_mut().enumerate().for_each(|(i, v)| *v = place[i] + amount * (2.0 * by[i] - 1.0));
                }
            }
            Op::Coordinate(axis) => out[0][..n].copy_from_slice(column(0, *axis as usize)),
            Op::Facing(to) => {
                let (x, y, z) = (column(0, 0), column(0, 1), column(0, 2));
                let cosine = |i: usize| (x[i] * to.x + y[i] * to.y + z[i] * to.z).clamp(-1.0, 1.0);
                out[0][..n].iter_mut().enumerate().for_each(|(i, v)| *v = cosine(i));
            }
            Op::BreakUp(amount) => {
                let (signal, pattern) = (column(0, 0), column(1, 0));
                let moved = |i: usize| signal[i] + amount * (2.0 * pattern[i] - 1.0);
                out[0][..n].iter_mut().enumerate().for_each(|(i, v)| *v = moved(i));
            }
            Op::And | Op::Or | Op::Minus => {
                let (a, b, slot) = (column(0, 0), column(1, 0), &mut out[0][..n]);
                let each = |slot: &mut [f32], f: fn(f32, f32) -> f32| {
                    slot.iter_mut().enumerate().for_each(|(i, v)| *v = f(a[i], b[i]));
                };
                match node.op {
                    Op::And => each(slot, |a, b| a * b),
                    Op::Or => each(slot, f32::max),
                    _ => each(slot, |a, b| a * (1.0 - b)),
                }
            }
            Op::Range(range) => one(out, &|from, to| {
                vectorised(
                    #[inline(always)]
                    || to.iter_mut().zip(from).for_each(|(v, x)| *v = range.at(*x)),
                );
            }),
            Op::Levels([low, high]) => one(out, &|from, to| {
                to.iter_mut().zip(from).for_each(|(v, x)| *v = ((x - low) / (high - low)).clamp(0.0, 1.0));
            }),
            Op::Curve(curve) => one(out, &|from, to| to.iter_mut().zip(from).for_each(|(v, x)| *v = curve.at(*x))),
            Op::Color(color) => out.iter_mut().zip(color.to_array()).for_each(|(slot, c)| slot[..n].fill(c)),
            Op::ColorCurve(curve) => {
                for (i, value) in column(0, 0).iter().enumerate() {
                    out.iter_mut().zip(curve.at(*value).to_array()).for_each(|(slot, c)| slot[i] = c);
                }
            }
            Op::Lay(blend) => {
                let share = column(2, 0);
                for (axis, slot) in out.iter_mut().enumerate() {
                    let (under, over) = (column(0, axis), column(1, axis));
                    vectorised(
                        #[inline(always)]
                        || {
                            for (i, v) in slot[..n].iter_mut().enumerate() {
                                *v = under[i] + share[i] * (blend.of(under[i], over[i]) - under[i]);
                            }
                        },
                    );
                }
            }
            Op::Invert => one(out, &|from, to| to.iter_mut().zip(from).for_each(|(v, x)| *v = 1.0 - x)),
            Op::Scale(by) => {
                for (axis, slot) in out.iter_mut().enumerate() {
                    slot[..n].iter_mut().zip(column(0, axis)).for_each(|(v, x)| *v = x * by);
                }
            }
            Op::Function(number) => {
                let arguments: Vec<&[f32]> = (0..node.arguments.len()).map(|argument| column(argument, 0)).collect();
                self.functions[*number as usize](&arguments, &mut out[0][..n]);
            }
            Op::Vector => {
                for (axis, slot) in out.iter_mut().enumerate() {
                    slot[..n].copy_from_slice(column(axis, 0));
                }
            }
            Op::Clamp([low, high]) => {
                one(out, &|from, to| to.iter_mut().zip(from).for_each(|(v, x)| *v = x.clamp(*low, *high)));
            }
        }
    }
}
