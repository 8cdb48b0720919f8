//! Needles: rays of a bake for looking at, spread over the low-poly, each with where it starts, where it ends and what became of it.

use crate::bake::Plan;
use crate::hits::{Scratch, trace_courses};
use crate::reach::{Course, spread_points};
use crate::trace::LANES;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What became of a ray.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum NeedleFate {
    Hit,
    Miss,
    /// It passed through a back face first, or met nothing but one.
    BackFace,
    /// It hit a part that lies with another low-poly part.
    WrongPart,
}

/// One drawn ray, scene units.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Needle {
    pub start: [f32; 3],
    /// On the low surface.
    pub surface: [f32; 3],
    /// Its hit, or the end of its reach.
    pub end: [f32; 3],
    /// Low-poly part.
    pub part: u32,
    pub fate: NeedleFate,
}

/// Needles of one picture at most.
pub const MOST_NEEDLES: usize = 20_000;

impl Plan {
    /// About `count` needles over the whole low-poly, or over the parts that `wanted` takes, evenly by area.
    pub fn needles(&self, count: usize, wanted: &dyn Fn(&str) -> bool) -> Vec<Needle> {
        let (plan, low) = (&self.rays, &self.rays.scene.low);
        let taken: Vec<bool> = low.mesh.parts.iter().map(|p| wanted(&p.name)).collect();
        // Spread over everything first, so that choosing a part does not move its needles.
        let area = |own: bool| -> f64 {
            let parts = low.mesh.parts.iter().zip(&taken).filter(|(_, t)| !own || **t);
            parts.flat_map(|(p, _)| p.triangles.clone()).map(|t| f64::from(low.mesh.area_normal(t).length())).sum()
        };
        let share = area(true) / area(false).max(f64::MIN_POSITIVE);
        if share <= 0.0 || plan.scene.own_surface {
            return Vec::new();
        }
        let all = (count.min(MOST_NEEDLES) as f64 / share).min(4.0e6) as usize;
        let points: Vec<_> = spread_points(low, all, 0, 0)
            .into_iter()
            .filter(|at| taken[low.parts[at.triangle as usize] as usize])
            .take(MOST_NEEDLES)
            .collect();
        let mut scratch = Scratch::default();
        let mut needles = Vec::with_capacity(points.len());
        for run in points.chunk_by(|a, b| low.parts[a.triangle as usize] == low.parts[b.triangle as usize]) {
            let part = low.parts[run[0].triangle as usize];
            for lanes in run.chunks(LANES) {
                let courses: Vec<Course> = lanes.iter().map(|&at| plan.field.course(low, at)).collect();
                let answers = trace_courses(plan, &courses, part, &mut scratch);
                for (course, answer) in courses.iter().zip(answers) {
                    let wrong = answer.at.is_some_and(|at| plan.is_elsewhere(part, at.triangle));
                    let fate = match (answer.at, answer.skipped_back) {
                        _ if wrong => NeedleFate::WrongPart,
                        (_, true) => NeedleFate::BackFace,
                        (Some(_), false) => NeedleFate::Hit,
                        (None, false) => NeedleFate::Miss,
                    };
                    let height = if answer.at.is_some() { answer.height } else { -course.inward };
                    needles.push(Needle {
                        start: (course.position + course.outward * course.run_up).to_array(),
                        surface: course.position.to_array(),
                        end: (course.position + course.outward * height).to_array(),
                        part,
                        fate,
                    });
                }
            }
        }
        needles
    }
}
