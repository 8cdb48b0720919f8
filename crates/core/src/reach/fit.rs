//! Reaches fitted to the sculpt, point by point. Probes ask for distances and set limits at places inside triangles; distances
//! stand at corners and run straight between them. The system of inequalities is solved by projecting onto one after the other
//! (Agmon, "The relaxation method for linear inequalities", 1954), in the order of the probes, so that the same meshes give
//! the same fit. What is asked for goes before what limits; both are told. Each part is fitted by itself, so that a change of what one
//! part may hit leaves the others as they were.

use super::Direction;
use super::points::ReachPoints;
use super::probes::{EarlierProbes, PartView, Probe, ProbeScene, Wall, probe};
use super::relax::Side;
use crate::flat::{Packed, Packing};
use crate::stop::{Stop, Stopped};
use crate::trace::{BackFaces, Sight};
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use std::ops::Range;
use std::sync::Arc;

/// One pair of numbers for the whole asset, and how well they fit the points that were probed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct SuggestedReach {
    pub out: f32,
    #[serde(rename = "in")]
    pub inward: f32,
    /// Share (0..1) of probed points whose sculpt surface lies within these reaches.
    pub enclosed: f32,
}

/// How well a fit did, in shares (0..1) of the points that were probed and have sculpt near them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct FitReport {
    pub enclosed: f32,
    /// Points whose room was limited by another wall of their own part.
    pub limited_by_own: f32,
    /// Points whose room was limited by a wall of a neighbour part.
    pub limited_by_neighbour: f32,
    /// Points whose sculpt could not be enclosed.
    pub left: f32,
    /// Share of all points that have no sculpt near them.
    pub bare: f32,
}

/// A place where the fit was limited.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct FitSpot {
    pub point: [f32; 3],
    pub why: FitLimit,
}

/// What kept the fit from going further.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum FitLimit {
    Own,
    Neighbour,
    Left,
}

/// Fitted reaches of each point, and an account of them.
pub struct Fit {
    /// Scene units, one per point of [`ReachPoints`].
    pub out: Vec<f32>,
    pub inward: Vec<f32>,
    pub report: FitReport,
    /// Some of the places that were limited or left.
    pub spots: Vec<FitSpot>,
    pub uniform: SuggestedReach,
    /// What was probed, for looking where an envelope falls short.
    pub probes: Vec<Probe>,
    /// Parts that an earlier fit had fitted alike: nothing was probed or solved for them.
    pub kept_parts: usize,
    views: Vec<PartView>,
    back_faces: BackFaces,
}

/// A fit as it is kept between programs. Whom its parts see is told by who asks for it.
#[derive(Serialize, Deserialize)]
struct KeptFit<'a> {
    out: Cow<'a, [f32]>,
    inward: Cow<'a, [f32]>,
    report: FitReport,
    spots: Cow<'a, [FitSpot]>,
    uniform: SuggestedReach,
    probes: Cow<'a, [Probe]>,
}

impl Fit {
    /// Puts it into bytes under a name.
    pub fn pack(&self, name: String, into: &mut Packing) {
        let Fit { out, inward, report, spots, uniform, probes, .. } = self;
        let (report, uniform) = (*report, *uniform);
        let (out, inward, spots, probes) = (out.into(), inward.into(), spots.into(), probes.into());
        into.told(name, &KeptFit { out, inward, report, spots, uniform, probes });
    }

    /// Takes it from bytes again: one for parts that see these.
    ///
    /// # Errors
    /// What of it is missing or damaged.
    pub fn unpack(
        name: &str,
        from: &Packed,
        (sights, high_parts): (&[Sight], usize),
        back_faces: BackFaces,
    ) -> Result<Fit, String> {
        let KeptFit { out, inward, report, spots, uniform, probes } = from.told(name)?;
        Ok(Fit {
            out: out.into_owned(),
            inward: inward.into_owned(),
            report,
            spots: spots.into_owned(),
            uniform,
            probes: probes.into_owned(),
            kept_parts: 0,
            views: PartView::of(sights, high_parts),
            back_faces,
        })
    }
}

/// Room left beyond the measured distance: a share of it, and a share of the diagonal. Probes do not see what lies between them.
const ROOM: f32 = 0.2;
const ROOM_OF_DIAGONAL: f32 = 0.004;
/// A start stays short of this share of the way to where it would do harm.
const SHORT_OF_HARM: f32 = 0.92;
/// Without need, the envelope keeps to its half of a gap.
const HALF: f32 = 0.45;
/// Share of probes that the uniform reach must cover, and its room and least.
const COVER: f64 = 0.9995;
const UNIFORM_ROOM: f32 = 1.2;
const LEAST: f32 = 0.002;
const MOST_SPOTS: usize = 300;

/// What a probe asks of one side: at least `want`, and no more than `most` if it can be helped.
#[derive(Clone, Copy)]
pub(super) struct Bound {
    /// What is needed for the ray to begin (or end) beyond the surface, and where it begins to do harm.
    pub need: f32,
    pub harm: f32,
    pub want: f32,
    pub most: f32,
    /// The room that was asked for was cut by this wall.
    cut: Option<Wall>,
}

fn bound(need: Option<f32>, room: f32, wall: Option<Wall>, harm: f32) -> Bound {
    let need = need.unwrap_or(0.0);
    let wished = need * (1.0 + ROOM) + room;
    let most = harm * SHORT_OF_HARM;
    let half = wall.map_or(f32::INFINITY, |w| w.distance * HALF);
    // Room is given up for the neighbour; what is needed is not, unless it does harm.
    let want = wished.min(half.max(need * 1.02)).min(most);
    Bound { need, harm, want, most, cut: wall.filter(|_| want < wished * 0.999) }
}

/// Fits reaches to the sculpt. Parts that ask what they did in one of the `earlier` fits of the same meshes are taken over from it.
///
/// # Errors
/// [`Stopped`] when `stop` asked for it.
pub fn fit_reach(scene: &ProbeScene, points: &ReachPoints, earlier: &[Arc<Fit>], stop: Stop) -> Result<Fit, Stopped> {
    let views = PartView::of(scene.sights, scene.high_parts);
    let alike = |fit: &&Arc<Fit>| fit.views.iter().zip(&views).filter(|(was, is)| was == is).count();
    let before = earlier.iter().filter(|fit| fit.back_faces == scene.back_faces).max_by_key(alike);
    let kept = |part: usize| before.is_some_and(|fit| fit.views[part] == views[part]);
    let probed = before.map(|fit| EarlierProbes { probes: &fit.probes, kept: &kept });
    let probes = probe(scene, &views, probed, stop)?;
    let diagonal = scene.low.mesh.diagonal();
    let room = diagonal * ROOM_OF_DIAGONAL;
    let out_bounds: Vec<Bound> = probes.iter().map(|p| bound(p.outside, room, p.wall_out, p.harm)).collect();
    let in_bounds: Vec<Bound> = probes
        .iter()
        .map(|p| {
            let wall = p.wall_in.map_or(f32::INFINITY, |w| w.distance);
            bound(p.inside, room, p.wall_in, wall)
        })
        .collect();
    let solve = |(part, triangles): (usize, &Range<u32>)| -> [Vec<f32>; 2] {
        let own = points.of_triangles(triangles);
        if let Some(fit) = before.filter(|_| kept(part)) {
            return [fit.out[own.clone()].to_vec(), fit.inward[own].to_vec()];
        }
        let side = |bounds: &[Bound]| Side::new(&probes, bounds, points, triangles.clone(), stop).solve();
        let (out, inward) = rayon::join(|| side(&out_bounds), || side(&in_bounds));
        [out, inward]
    };
    let triangles: Vec<Range<u32>> = scene.low.mesh.parts.iter().map(|part| part.triangles.clone()).collect();
    let solved: Vec<[Vec<f32>; 2]> = triangles.par_iter().enumerate().map(solve).collect();
    if stop() {
        return Err(Stopped);
    }
    let (mut out, mut inward) = (vec![0.0; points.count], vec![0.0; points.count]);
    for (own, [part_out, part_in]) in triangles.iter().map(|t| points.of_triangles(t)).zip(solved) {
        out[own.clone()].copy_from_slice(&part_out);
        inward[own].copy_from_slice(&part_in);
    }
    let (report, spots) = account(scene, &probes, points, (&out, &out_bounds), (&inward, &in_bounds));
    let kept_parts = (0..views.len()).filter(|&part| kept(part)).count();
    let uniform = uniform(&probes, diagonal);
    let back_faces = scene.back_faces;
    Ok(Fit { uniform, out, inward, report, spots, probes, kept_parts, views, back_faces })
}

fn account(
    scene: &ProbeScene,
    probes: &[Probe],
    points: &ReachPoints,
    (out, out_bounds): (&[f32], &[Bound]),
    (inward, in_bounds): (&[f32], &[Bound]),
) -> (FitReport, Vec<FitSpot>) {
    let mut report = FitReport::default();
    let (mut near, mut spots) = (0usize, Vec::new());
    let [mut enclosed, mut own, mut neighbour, mut left] = [0usize; 4];
    for (i, probe) in probes.iter().enumerate() {
        let corners = &points.of[probe.at.triangle as usize];
        let has = probe.outside.is_some() || probe.inside.is_some();
        near += usize::from(has);
        let holds = |need: Option<f32>, values: &[f32]| {
            need.is_none_or(|n| probe.at.between(corners.map(|p| values[p as usize])) >= n)
        };
        let within = holds(probe.outside, out) && holds(probe.inside, inward);
        let cut = out_bounds[i].cut.or(in_bounds[i].cut);
        let why = match (has && !within, cut) {
            (true, _) => Some(FitLimit::Left),
            (false, Some(wall)) if has => Some(if wall.own { FitLimit::Own } else { FitLimit::Neighbour }),
            _ => None,
        };
        enclosed += usize::from(has && within);
        match why {
            Some(FitLimit::Left) => left += 1,
            Some(FitLimit::Own) => own += 1,
            Some(FitLimit::Neighbour) => neighbour += 1,
            None => {}
        }
        spots.extend(why.map(|why| (i, why)));
    }
    let share = |n: usize| n as f32 / near.max(1) as f32;
    report.enclosed = if near == 0 { 0.0 } else { share(enclosed) };
    (report.limited_by_own, report.limited_by_neighbour, report.left) = (share(own), share(neighbour), share(left));
    report.bare = 1.0 - near as f32 / probes.len().max(1) as f32;
    // What could not be enclosed is shown first, then an even choice of the rest.
    spots.sort_by_key(|(_, why)| *why != FitLimit::Left);
    let every = spots.len().div_ceil(MOST_SPOTS).max(1);
    let spots = spots.into_iter().step_by(every).map(|(i, why)| {
        let p = &probes[i];
        let point = scene.low.point(p.at, Direction::Averaged).position.to_array();
        FitSpot { point, why }
    });
    (report, spots.collect())
}

/// One pair of numbers for all, as one would choose it who sees every probe.
fn uniform(probes: &[Probe], diagonal: f32) -> SuggestedReach {
    let mut out: Vec<f32> = probes.iter().filter_map(|p| p.outside).collect();
    let mut inward: Vec<f32> = probes.iter().filter_map(|p| p.inside).collect();
    let near = out.len() + inward.len();
    let cover = |distances: &mut Vec<f32>| {
        distances.sort_unstable_by(f32::total_cmp);
        let spare = ((1.0 - COVER) * near as f64) as usize;
        let covered = distances.len().checked_sub(spare + 1).map_or(0.0, |last| distances[last]);
        (covered * UNIFORM_ROOM).max(diagonal * LEAST)
    };
    let (o, i) = (cover(&mut out), cover(&mut inward));
    let inside = out.iter().filter(|&&d| d <= o).count() + inward.iter().filter(|&&d| d <= i).count();
    SuggestedReach { out: o, inward: i, enclosed: inside as f32 / near.max(1) as f32 }
}
