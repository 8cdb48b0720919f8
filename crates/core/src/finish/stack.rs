//! From finishes to the graph.

use super::coats::{Base, BaseColor, Carrier, Coat, Finish, RampOver, SetColor, SetNumber};
use super::compile::{Compiler, PlaceFault, Sources};
use super::curve::Curve;
use super::graph::{Graph, Input, NodeId};
use super::patterns::{PatternSettings, PicturePatternSettings};

/// The graph of a finish, and the nodes that are its channels.
pub struct FinishGraph {
    pub graph: Graph,
    /// Three colours and four numbers, in the order of [`FinishChannel`].
    pub nodes: [NodeId; 6],
    /// What cannot be made as it is written, and what stands in its place.
    pub faults: Vec<FinishFault>,
}

/// What of a finish cannot be made.
#[derive(Clone, Debug, PartialEq)]
pub enum FinishFault {
    /// The document that it lies on cannot be read; the base lies there instead.
    NoDocument { why: String },
    /// Something in the document that it lies on cannot be made; the rest is.
    Document { why: String },
    /// A picture of that document is not there: a placeholder stands in place of its colours, and numbers are their defaults.
    DocumentPicture { why: String },
    /// A coat is left out.
    Coat { coat: String, why: String },
    /// Its picture is not there: a placeholder stands in place of its colours, and numbers stay as they are below.
    Picture { coat: String, why: String },
}

/// What a finish says of a place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FinishChannel {
    /// Linear light.
    Color,
    Roughness,
    Metallic,
    /// Linear light; may be above 1.
    Emission,
    Opacity,
    /// Scene units.
    Height,
}

impl FinishChannel {
    pub const ALL: [FinishChannel; 6] = [
        FinishChannel::Color,
        FinishChannel::Roughness,
        FinishChannel::Metallic,
        FinishChannel::Emission,
        FinishChannel::Opacity,
        FinishChannel::Height,
    ];

    /// Numbers that it has.
    pub fn numbers(self) -> usize {
        match self {
            FinishChannel::Color | FinishChannel::Emission => 3,
            _ => 1,
        }
    }
}

/// The graph of a finish. A coat that cannot be made is left out.
pub fn compile_finish(finish: &Finish, sources: Sources) -> FinishGraph {
    let mut compiler = Compiler::new(sources);
    let Base { color, roughness, metallic, emission, opacity, height } = finish.base;
    let color = match color {
        BaseColor::Value(color) => compiler.graph.color(color.linear()),
        BaseColor::Of(Carrier::Sculpt) => compiler.graph.input(Input::Carried),
    };
    let emission = compiler.graph.color(emission.linear());
    let [roughness, metallic, opacity, height] =
        [roughness, metallic, opacity, height].map(|value| compiler.graph.constant(value));
    let mut nodes = [color, roughness, metallic, emission, opacity, height];
    let mut faults = Vec::new();
    if let Some(source) = &finish.materialx {
        let laid = sources.documents.get(&source.file).and_then(|document| {
            let laid = compiler.document(document, source.material.as_deref(), &mut faults);
            laid.map_err(|why| format!("{}: {why}", source.file))
        });
        match laid {
            Ok(laid) => nodes = laid,
            Err(why) => faults.push(FinishFault::NoDocument { why }),
        }
    }
    for coat in finish.shown() {
        match compiler.coat(coat, nodes, &mut faults) {
            Ok(laid) => nodes = laid,
            Err(fault) => faults.push(FinishFault::Coat { coat: coat.name.clone(), why: fault.to_string() }),
        }
    }
    FinishGraph { graph: compiler.graph, nodes, faults }
}

impl Compiler<'_> {
    fn coat(
        &mut self,
        coat: &Coat,
        [color, roughness, metallic, emission, opacity, height]: [NodeId; 6],
        faults: &mut Vec<FinishFault>,
    ) -> Result<[NodeId; 6], PlaceFault> {
        let mut share = self.place(&coat.place)?;
        if coat.amount != 1.0 {
            share = self.graph.scale(share, coat.amount);
        }
        let mut missing = |why: String| faults.push(FinishFault::Picture { coat: coat.name.clone(), why });
        let sets = &coat.sets;
        Ok([
            self.lay_color(color, sets.color.as_ref(), share, &mut missing)?,
            self.lay_number(roughness, sets.roughness.as_ref(), share, &mut missing)?,
            self.lay_number(metallic, sets.metallic.as_ref(), share, &mut missing)?,
            self.lay_color(emission, sets.emission.as_ref(), share, &mut missing)?,
            self.lay_number(opacity, sets.opacity.as_ref(), share, &mut missing)?,
            self.lay_number(height, sets.height.as_ref(), share, &mut missing)?,
        ])
    }

    fn lay_color(
        &mut self,
        under: NodeId,
        set: Option<&SetColor>,
        share: NodeId,
        missing: &mut dyn FnMut(String),
    ) -> Result<NodeId, PlaceFault> {
        let Some(set) = set else { return Ok(under) };
        let mut own = match (&set.value, &set.ramp, &set.picture) {
            (Some(value), ..) => self.graph.color(value.linear()),
            (None, Some(RampOver { over, stops, smooth }), _) => {
                let over = self.signal(over)?;
                let stops = stops.iter().map(|(at, color)| (*at, color.linear())).collect();
                self.graph.color_curve(over, Curve { stops, smooth: *smooth })
            }
            (None, None, Some(picture)) => self.picture_colors(picture, missing),
            (None, None, None) => return Ok(under),
        };
        if set.strength != 1.0 {
            own = self.graph.scale(own, set.strength);
        }
        Ok(self.graph.lay(under, own, share, set.blend))
    }

    fn lay_number(
        &mut self,
        under: NodeId,
        set: Option<&SetNumber>,
        share: NodeId,
        missing: &mut dyn FnMut(String),
    ) -> Result<NodeId, PlaceFault> {
        let Some(set) = set else { return Ok(under) };
        let mut own = match (&set.value, &set.ramp, &set.picture) {
            (Some(value), ..) => self.graph.constant(*value),
            (None, Some(RampOver { over, stops, smooth }), _) => {
                let over = self.signal(over)?;
                self.graph.curve(over, Curve { stops: stops.clone(), smooth: *smooth })
            }
            (None, None, Some(picture)) => match self.pattern(&PatternSettings::Picture(picture.clone())) {
                Ok(pattern) => pattern,
                // No number stands for a missing one: what lies below stays.
                Err(fault) => {
                    missing(fault.to_string());
                    return Ok(under);
                }
            },
            (None, None, None) => return Ok(under),
        };
        if set.strength != 1.0 {
            own = self.graph.scale(own, set.strength);
        }
        Ok(self.graph.lay(under, own, share, set.blend))
    }

    fn picture_colors(&mut self, picture: &PicturePatternSettings, missing: &mut dyn FnMut(String)) -> NodeId {
        let settings = PatternSettings::Picture(picture.clone());
        let arguments = self.pattern_arguments(&settings);
        let (colors, fault) = picture.colors(&self.making(&settings));
        if let Some(fault) = fault {
            missing(fault);
        }
        self.graph.picture(format!("colors of {:?}", settings.bare()), arguments, || colors)
    }
}
