//! A layout in figures, before and after it is edited.

use super::energy::Piece;
use super::net::Chart;
use super::sheet::Sheet;
use crate::mesh::Mesh;
use glam::DVec2;
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How well a mesh lies on the sheet.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct UvSummary {
    pub islands: usize,
    /// Triangles that lie the other way round than most of their island; some without area on the sheet are among them.
    pub flipped: usize,
    /// Mean symmetric Dirichlet energy over the surface, each island at its own density: 4 where lengths are kept. None where a face is
    /// flipped.
    pub energy: Option<f64>,
    /// Of the worst island.
    pub worst_energy: Option<f64>,
    /// Share of the sheet that islands cover, stacked ones counted each.
    pub covered: f64,
    /// The finest and the coarsest island's density, UV units per scene unit.
    pub densities: Option<[f64; 2]>,
    /// Edges that are marked as seams and not cut yet, and points that are pinned.
    pub marked: usize,
    pub pinned: usize,
}

impl UvSummary {
    /// None for a mesh without UVs.
    pub fn new(mesh: &Mesh) -> Option<UvSummary> {
        if mesh.uvs.is_empty() {
            return None;
        }
        let sheet = Sheet::new(mesh.clone());
        let charts = sheet.charts(&sheet.seams);
        let measured: Vec<Measured> = charts.par_iter().map(|chart| Measured::new(&sheet, chart)).collect();
        let laid = || measured.iter().filter(|m| m.uv > 0.0 && m.surface > 0.0);
        let surface: f64 = laid().map(|m| m.surface).sum();
        let flipped = measured.iter().map(|m| m.flipped).sum();
        let energies = (flipped == 0 && surface > 0.0)
            .then(|| (laid().map(|m| m.energy * m.surface).sum::<f64>() / surface, laid().map(|m| m.energy)))
            .map(|(mean, all)| (mean, all.fold(0.0, f64::max)));
        let densities = laid().map(|m| (m.uv / m.surface).sqrt());
        let range = densities.fold((f64::INFINITY, 0.0f64), |(low, high), d| (low.min(d), high.max(d)));
        Some(UvSummary {
            islands: charts.len(),
            flipped,
            energy: energies.map(|e| e.0),
            worst_energy: energies.map(|e| e.1),
            covered: 0.5 * laid().map(|m| m.uv).sum::<f64>(),
            densities: (range.1 > 0.0).then_some([range.1, range.0]),
            marked: mesh.marks.seams.len(),
            pinned: mesh.marks.pins.len(),
        })
    }
}

struct Measured {
    /// Twice the areas on the sheet and of the surface.
    uv: f64,
    surface: f64,
    flipped: usize,
    energy: f64,
}

impl Measured {
    fn new(sheet: &Sheet, chart: &Chart) -> Measured {
        let mut uvs = sheet.uvs_of(chart);
        let signed = Sheet::signed_area(chart, &uvs);
        if signed < 0.0 {
            uvs.iter_mut().for_each(|uv| *uv = DVec2::new(-uv.x, uv.y));
        }
        let surface = sheet.surface(chart);
        // Faces without a surface have no side to lie on.
        let flipped = chart.corners.iter().zip(&chart.faces).filter(|(t, face)| {
            let [a, b, c] = t.map(|p| uvs[p as usize]);
            (b - a).perp_dot(c - a) <= 0.0 && sheet.net.area_normal(**face).length() > 0.0
        });
        let flipped = flipped.count();
        let scale = (signed.abs() / surface).sqrt();
        let energy = match flipped == 0 && scale > 0.0 && scale.is_finite() {
            true => Piece::new(&chart.places(&sheet.net), chart.corners.clone(), scale).energy(&uvs),
            false => f64::INFINITY,
        };
        Measured { uv: signed.abs(), surface, flipped, energy }
    }
}
