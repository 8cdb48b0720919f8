//! Steps on UVs. They name points, edges and faces by numbers that hold as long as the mesh has the same triangles, and by places, which hold
//! where its triangles were put in another order.

use crate::surface::Axis;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Points of a mesh, named so that a newer file keeps them: edges are two after another, faces three.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NamedPoints {
    /// Of which triangles the numbers are: first 16 digits of the BLAKE3 of the point numbers of all corners.
    pub topology: String,
    /// Points by number: counted from 0 as the triangles name them, those of one place being one.
    pub points: Vec<u32>,
    /// Where each lay, scene units.
    pub at: Vec<[f32; 3]>,
}

/// Marks edges as seams, or takes the mark off. What is marked is cut, and what is cleared joined, when islands are unwrapped.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SeamsStep {
    /// Edges, two points each.
    #[serde(default)]
    pub edges: NamedPoints,
    /// Every edge sharper than this too, degrees.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sharper: Option<f32>,
    /// Clears them instead.
    #[serde(default, skip_serializing_if = "is_false")]
    pub clear: bool,
}

/// Lays islands flat anew, with the least symmetric Dirichlet energy found, and never a flipped face; in place of the layout they have.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct UnwrapStep {
    /// Faces, three points each, whose islands are meant; without them, all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub islands: Option<NamedPoints>,
    /// Cuts them along seams of its own: edges sharper than so many degrees, and where islands would be stretched too much. Without it, along
    /// the seams that are there and those that are marked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub angle: Option<f32>,
}

/// Moves the UVs of islands to the least symmetric Dirichlet energy, from where they lie; pinned points stay.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RelaxStep {
    /// Faces, three points each, whose islands are meant; without them, all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub islands: Option<NamedPoints>,
}

/// Holds points where they lie on the sheet while islands are relaxed and unwrapped, or lets go of them.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PinStep {
    pub points: NamedPoints,
    #[serde(default, skip_serializing_if = "is_false")]
    pub release: bool,
}

/// Scales, turns and moves islands, about the middle of the box around all of them.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MoveUvsStep {
    /// Faces, three points each, whose islands are meant.
    pub islands: NamedPoints,
    /// Along U and V; -1 flips.
    #[serde(default = "ones")]
    pub scale: [f32; 2],
    /// Degrees, counter-clockwise.
    #[serde(default)]
    pub turn: f32,
    /// UV units.
    #[serde(default)]
    pub by: [f32; 2],
    /// Only points nearer to the first of the faces than this, scene units along the surface, and those less the further away they lie; as far as
    /// no face is flipped.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub within: Option<f32>,
}

/// Gives islands a density.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DensityStep {
    /// Faces, three points each, whose islands are meant; without them, all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub islands: Option<NamedPoints>,
    /// Texels per scene unit on a sheet of `size`.
    pub texels: f32,
    pub size: u32,
}

/// Lays rows of edges straight, along U or V, whichever is nearer, with their lengths of the surface; the rest of the island follows.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct StraightenStep {
    /// Edges, two points each.
    pub edges: NamedPoints,
}

/// Joins the two islands at an edge, along all edges they share there; the smaller comes to the larger.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct StitchStep {
    /// The edge, two points.
    pub edge: NamedPoints,
}

/// Packs all islands into the unit square, as large as they fit. Stacked islands stay stacked.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PackStep {
    /// Texels left between islands and to the border, on a sheet of `size`.
    pub margin: f32,
    pub size: u32,
    /// Leaves islands turned as they are.
    #[serde(default, skip_serializing_if = "is_false")]
    pub upright: bool,
    /// Leaves islands as large beside each other as they are; otherwise all get the same density.
    #[serde(default, skip_serializing_if = "is_false")]
    pub keep_density: bool,
}

/// Stacks islands that are mirror images of each other across an axis.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct StackStep {
    pub axis: Axis,
}

fn is_false(x: &bool) -> bool {
    !x
}

fn ones() -> [f32; 2] {
    [1.0; 2]
}

/// Points that a step names at most.
const MOST_POINTS: usize = 300_000;
/// Sizes of sheets that margins and densities are told on.
const SIZES: std::ops::RangeInclusive<u32> = 16..=65_536;

fn ranged(name: &str, x: f32, low: f32, high: f32) -> Result<(), String> {
    match x.is_finite() && x >= low && x <= high {
        true => Ok(()),
        false => Err(format!("{name} is {x}; give {low} to {high}")),
    }
}

fn sized(size: u32) -> Result<(), String> {
    match SIZES.contains(&size) {
        true => Ok(()),
        false => Err(format!("size is {size}; give {} to {} texels", SIZES.start(), SIZES.end())),
    }
}

impl NamedPoints {
    /// How many groups of so many points there are.
    pub fn count(&self, each: usize) -> usize {
        self.points.len() / each
    }

    fn validate(&self, each: usize, what: &str) -> Result<(), String> {
        if self.points.len() != self.at.len() || !self.points.len().is_multiple_of(each) {
            return Err(format!(
                "{what}: {} points and {} places; give a place for each point, {each} points each",
                self.points.len(),
                self.at.len()
            ));
        }
        if self.points.len() > MOST_POINTS {
            return Err(format!("{what}: {} points; a step names at most {MOST_POINTS}", self.points.len()));
        }
        match self.at.iter().flatten().all(|x| x.is_finite()) {
            true => Ok(()),
            false => Err(format!("{what}: a place is no number")),
        }
    }
}

fn islands(named: Option<&NamedPoints>) -> Result<(), String> {
    named.map_or(Ok(()), |n| n.validate(3, "islands"))
}

fn of(named: Option<&NamedPoints>) -> String {
    named.map_or("all islands".into(), |n| counted(n.count(3), "island"))
}

fn counted(count: usize, what: &str) -> String {
    format!("{count} {what}{}", if count == 1 { "" } else { "s" })
}

/// A step on UVs: its words in the list of steps, and what is wrong with it.
pub(super) trait UvStep {
    fn words(&self) -> String;
    /// # Errors
    /// The field, what it holds, what it may hold.
    fn validate(&self) -> Result<(), String>;
}

impl UvStep for SeamsStep {
    fn words(&self) -> String {
        let done = if self.clear { "cleared of seams" } else { "marked as seams" };
        match self.sharper {
            Some(degrees) => format!("edges sharper than {degrees} degrees {done}"),
            None => format!("{} {done}", counted(self.edges.count(2), "edge")),
        }
    }

    fn validate(&self) -> Result<(), String> {
        self.sharper.map_or(Ok(()), |x| ranged("sharper", x, 0.0, 180.0))?;
        self.edges.validate(2, "edges")
    }
}

impl UvStep for UnwrapStep {
    fn words(&self) -> String {
        let how = self.angle.map_or(String::new(), |a| format!(", cut where sharper than {a} degrees"));
        format!("{} unwrapped{how}", of(self.islands.as_ref()))
    }

    fn validate(&self) -> Result<(), String> {
        self.angle.map_or(Ok(()), |x| ranged("angle", x, 1.0, 180.0))?;
        islands(self.islands.as_ref())
    }
}

impl UvStep for RelaxStep {
    fn words(&self) -> String {
        format!("{} relaxed", of(self.islands.as_ref()))
    }

    fn validate(&self) -> Result<(), String> {
        islands(self.islands.as_ref())
    }
}

impl UvStep for PinStep {
    fn words(&self) -> String {
        let done = if self.release { "released" } else { "pinned" };
        format!("{} {done}", counted(self.points.count(1), "point"))
    }

    fn validate(&self) -> Result<(), String> {
        self.points.validate(1, "points")
    }
}

impl UvStep for MoveUvsStep {
    fn words(&self) -> String {
        match self.within {
            Some(_) => "part of an island moved".into(),
            None => format!("{} moved on the sheet", counted(self.islands.count(3), "island")),
        }
    }

    fn validate(&self) -> Result<(), String> {
        for x in self.scale {
            ranged("scale", x.abs(), 1e-3, 1e3)?;
        }
        ranged("turn", self.turn, -360.0, 360.0)?;
        self.by.into_iter().try_for_each(|x| ranged("by", x, -16.0, 16.0))?;
        self.within.map_or(Ok(()), |x| ranged("within", x, 1e-9, 1e9))?;
        islands(Some(&self.islands))
    }
}

impl UvStep for DensityStep {
    fn words(&self) -> String {
        format!("{} given {} texels per unit at {}", of(self.islands.as_ref()), self.texels, self.size)
    }

    fn validate(&self) -> Result<(), String> {
        ranged("texels", self.texels, 1e-6, 1e9)?;
        sized(self.size)?;
        islands(self.islands.as_ref())
    }
}

impl UvStep for StraightenStep {
    fn words(&self) -> String {
        format!("{} laid straight", counted(self.edges.count(2), "edge"))
    }

    fn validate(&self) -> Result<(), String> {
        self.edges.validate(2, "edges")
    }
}

impl UvStep for StitchStep {
    fn words(&self) -> String {
        "two islands stitched".into()
    }

    fn validate(&self) -> Result<(), String> {
        self.edge.validate(2, "edge")
    }
}

impl UvStep for PackStep {
    fn words(&self) -> String {
        format!("islands packed, {} texels apart at {}", self.margin, self.size)
    }

    fn validate(&self) -> Result<(), String> {
        sized(self.size)?;
        ranged("margin", self.margin, 0.0, self.size as f32 / 4.0)
    }
}

impl UvStep for StackStep {
    fn words(&self) -> String {
        format!("mirror images across {} stacked", self.axis.letter())
    }

    fn validate(&self) -> Result<(), String> {
        Ok(())
    }
}
