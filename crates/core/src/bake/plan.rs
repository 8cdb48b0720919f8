//! The plan of a bake: everything that is the same for all tiles, worked out once.

use super::pairs::{PairTable, pair_parts};
use super::report::ResolvedReach;
use crate::finding::Finding;
use crate::maps::MapTask;
use crate::mesh::{Mesh, check_mesh};
use crate::reach::{CageFault, LowSurface, suggest_reach};
use crate::recipe::{Distance, Recipe};
use crate::sheet::{SheetTriangles, Tile, sample_pattern, tiles_in_morton_order};
use crate::trace::TraceScene;
use std::sync::Arc;

/// The meshes of a bake, ready for use and shared between bakes.
#[derive(Clone)]
pub struct BakeScene {
    pub low: Arc<LowSurface>,
    pub high: Arc<Mesh>,
    pub trace: Arc<TraceScene>,
}

impl BakeScene {
    /// Prepares meshes for baking: files of one side are joined, and the tree over the sculpt is built.
    ///
    /// # Errors
    /// A cage that does not fit the low-poly.
    pub fn new(low: &[&Mesh], high: &[&Mesh], cage: Option<&Mesh>) -> Result<BakeScene, CageFault> {
        let low = Arc::new(LowSurface::new(Mesh::joined(low), cage)?);
        let high = Arc::new(Mesh::joined(high));
        let trace = Arc::new(TraceScene::new(&high));
        Ok(BakeScene { low, high, trace })
    }
}

/// Why a recipe cannot be baked with these meshes.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum PlanFault {
    #[error("recipe: {0}")]
    Recipe(String),
    #[error(
        "low-poly: no triangle has a place on the sheet. Unwrap the mesh (UVs between 0 and 1) and export it again"
    )]
    NothingOnSheet,
}

/// A bake that is ready to run.
pub struct Plan {
    pub recipe: Recipe,
    pub scene: BakeScene,
    pub pairs: PairTable,
    /// The reaches in scene units that this bake uses.
    pub reach: ResolvedReach,
    /// What the meshes, the pairing and the maps' preparation brought to light.
    pub findings: Vec<Finding>,
    pub(super) tasks: Vec<MapTask>,
    pub(super) sheet: SheetTriangles,
    pub(super) tiles: Vec<Tile>,
    pub(super) candidates: Vec<Vec<u32>>,
    pub(super) pattern: Vec<[f64; 2]>,
}

impl Plan {
    /// Plans `recipe` over `scene`.
    ///
    /// # Errors
    /// A setting out of range, or a low-poly without any UV area inside the square.
    pub fn new(recipe: &Recipe, scene: &BakeScene) -> Result<Plan, PlanFault> {
        recipe.validate().map_err(PlanFault::Recipe)?;
        let sheet = SheetTriangles::new(&scene.low.mesh, recipe.sheet.size);
        let tiles = tiles_in_morton_order(recipe.sheet.size);
        let candidates = sheet.bin(&tiles);
        if candidates.iter().all(Vec::is_empty) {
            return Err(PlanFault::NothingOnSheet);
        }
        let pairs = pair_parts(&scene.low.mesh.parts, &scene.high.parts, recipe.pairing);
        let reach = resolve_reach(recipe, scene, &pairs);
        let tasks: Vec<MapTask> = recipe.maps.iter().map(|m| m.prepare(scene)).collect();
        let mut findings = check_mesh(&scene.low.mesh, true);
        findings.extend(pairs.findings.iter().cloned());
        findings.extend(tasks.iter().flat_map(|t| t.findings().iter().cloned()));
        Ok(Plan {
            recipe: recipe.clone(),
            scene: scene.clone(),
            pattern: sample_pattern(recipe.sheet.samples),
            pairs,
            reach,
            findings,
            tasks,
            sheet,
            tiles,
            candidates,
        })
    }

    /// How many tiles hold anything.
    pub fn busy_tiles(&self) -> usize {
        self.candidates.iter().filter(|c| !c.is_empty()).count()
    }
}

fn resolve_reach(recipe: &Recipe, scene: &BakeScene, pairs: &PairTable) -> ResolvedReach {
    let suggested = match (recipe.reach.out, recipe.reach.inward) {
        (Distance::Units(_), Distance::Units(_)) => None,
        _ => Some(suggest_reach(&scene.low, &scene.trace, &pairs.allowed)),
    };
    let measured = suggested.unwrap_or_default();
    let pick = |distance, measured| match distance {
        Distance::Units(units) => units,
        Distance::Auto => measured,
    };
    ResolvedReach {
        out: pick(recipe.reach.out, measured.out),
        inward: pick(recipe.reach.inward, measured.inward),
        suggested,
    }
}
