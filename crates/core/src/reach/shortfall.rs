//! Where an envelope falls short: places where the sculpt pokes out of it, outside or inside, and where it crosses itself or the
//! envelope of another part. Told from the probes of the fit, so it costs no ray.

use super::LowSurface;
use super::field::ReachField;
use super::probes::Probe;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What is wrong with an envelope somewhere.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum MarkKind {
    /// The sculpt stands out of the outer envelope: rays start under it.
    PokesOut,
    /// The sculpt lies below the inner envelope: rays end above it.
    TooDeep,
    /// The outer envelope crosses itself.
    CrossesItself,
    /// The outer envelope crosses that of another part whose sculpt rays here may hit.
    CrossesAnother,
}

/// One such place.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct EnvelopeMark {
    pub kind: MarkKind,
    /// On the sculpt, or where the envelopes meet.
    pub point: [f32; 3],
    /// How far it stands out or over, scene units.
    pub by: f32,
}

/// All marks, in the order of the probes. With a cage, its own points tell.
pub fn envelope_marks(low: &LowSurface, field: &ReachField, probes: &[Probe]) -> Vec<EnvelopeMark> {
    let mut marks = Vec::new();
    for probe in probes {
        let course = field.course(low, probe.at);
        let mut mark = |kind, height: f32, by| {
            let point = (course.position + course.outward * height).to_array();
            marks.push(EnvelopeMark { kind, point, by });
        };
        if let Some(height) = probe.outside
            && height > course.run_up
        {
            mark(MarkKind::PokesOut, height, height - course.run_up);
        }
        if let Some(depth) = probe.inside
            && depth > course.inward
        {
            mark(MarkKind::TooDeep, -depth, depth - course.inward);
        }
        if let Some(wall) = probe.wall_out {
            let there = field.course(low, wall.at).run_up;
            let over = course.run_up + there - wall.distance;
            if over > 0.0 {
                let kind = if wall.own { MarkKind::CrossesItself } else { MarkKind::CrossesAnother };
                mark(kind, course.run_up.min(wall.distance), over);
            }
        }
    }
    marks
}
