//! The plan of a bake: everything that is the same for all tiles, worked out once.

use super::around::Around;
use super::facts::MapFacts;
use super::kept::KeptTiles;
use super::outcome::{Outcome, SHEETS_AT_WORK};
use super::run::{Ended, Hushed, Unwatched, Watch, run};
use crate::finding::{Finding, FindingKind, mark_allowed};
use crate::finish::{Finish, compile_mask};
use crate::hits::{Derived, RayPlan, TileNumber};
use crate::inspect::{cage_gaps, compare_placing, mask_unusable, pair_findings};
use crate::maps::{DetailMap, Finishes, MapSettings, MapWork, Setup, sources};
use crate::recipe::Recipe;
use crate::scene::BakeScene;
use crate::sheet::{Layout, Region, SheetName, SheetPlan, plan_sheets};
use crate::stop::{Stop, Stopped};
use std::sync::{Arc, OnceLock};

/// Bytes of a texel while its sheet is padded and written, about.
const PADDING_BYTES: u64 = 6;

/// Why a recipe cannot be baked with these meshes.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum PlanFault {
    #[error("recipe: {0}")]
    Recipe(String),
    #[error(
        "low-poly: no triangle has a place on the sheet. Unwrap the mesh (UVs between 0 and 1) and export it again"
    )]
    NothingOnSheet,
    #[error("the bake was stopped")]
    Stopped,
}

impl From<Stopped> for PlanFault {
    fn from(_: Stopped) -> PlanFault {
        PlanFault::Stopped
    }
}

/// One map of a plan.
pub struct PlannedMap {
    pub facts: Arc<MapFacts>,
    /// Ready to work on tiles, or why it cannot be made.
    pub(super) work: Result<Box<dyn MapWork>, String>,
    /// Seconds that getting ready took.
    pub(super) preparing: f64,
}

/// A bake that is ready to run.
pub struct Plan {
    pub recipe: Recipe,
    /// What primary rays follow.
    pub rays: RayPlan,
    /// What the meshes, the pairing and the maps' preparation brought to light.
    pub findings: Vec<Finding>,
    pub maps: Vec<PlannedMap>,
    rays_key: String,
    pub(super) detail: Result<Arc<DetailMap>, String>,
    made: OnceLock<Arc<Finishes>>,
    /// It is coarser than what will be delivered.
    pub(super) proof: bool,
    /// What lies around the recipe's region; without it everything is baked.
    pub(super) around: Option<Arc<dyn Around>>,
    pub(super) kept: Option<Arc<KeptTiles>>,
    /// A coarser bake of the same, to be seen until tiles land.
    pub(super) first: Option<Outcome>,
}

impl Plan {
    /// Plans `recipe` over `scene`.
    ///
    /// # Errors
    /// A setting out of range, or a low-poly without any UV area inside the square.
    pub fn new(recipe: &Recipe, scene: &BakeScene) -> Result<Plan, PlanFault> {
        Plan::watched(recipe, scene, &Unwatched)
    }

    /// The same with a clock, so that maps are charged for getting ready, and a wish to stop, which is asked in between. Loops
    /// spread over the thread pool they are called in ([`super::on_threads`]).
    ///
    /// # Errors
    /// As [`Plan::new`], and [`PlanFault::Stopped`].
    pub fn watched(recipe: &Recipe, scene: &BakeScene, watch: &dyn Watch) -> Result<Plan, PlanFault> {
        let stop: Stop = &|| watch.stopped();
        recipe.validate().map_err(PlanFault::Recipe)?;
        let sheets = plan_sheets(&scene.low.mesh, &recipe.sheet);
        if sheets.is_empty() {
            return Err(PlanFault::NothingOnSheet);
        }
        let pairs = scene.pairs(recipe.pair_rules());
        let field = scene.field(recipe.reach_rules(), &pairs, stop)?;
        let detail = detail_map(recipe, scene, &sheets);
        let rays = RayPlan {
            derived: Derived::of(scene, &pairs, recipe.sheet.samples),
            scene: scene.clone(),
            pairs,
            field,
            rule: recipe.hit,
            back_faces: recipe.back_faces,
            sheets,
            size: recipe.sheet.size,
            samples: recipe.sheet.samples,
        };
        let rays_key = rays_key(recipe);
        let made = OnceLock::new();
        let setup = setup_of(recipe, &rays, &rays_key, &detail, &made, stop);
        let mut maps: Vec<PlannedMap> = Vec::with_capacity(recipe.maps.len());
        for settings in &recipe.maps {
            maps.push(plan_map(settings, recipe, &setup, watch));
            // A map that was stopped on its way cannot tell that from one that cannot be made.
            if stop() {
                return Err(PlanFault::Stopped);
            }
        }
        let mut findings = scene.low_findings().to_vec();
        if recipe.sheet.layout == Layout::Udim {
            findings.retain(|f| f.kind != FindingKind::IslandOutside);
        }
        let made_here = recipe.low.iter().any(|s| s.plane.is_some());
        if !scene.own_surface && !made_here {
            findings.extend(compare_placing(scene.low.mesh.bounds(), scene.high_bounds()));
        }
        findings.extend(pair_findings(&rays.pairs, &scene.low.mesh.parts, &scene.high.parts));
        findings.extend(scene.low.cage.iter().flat_map(|cage| cage_gaps(cage, &scene.low.mesh)));
        findings.extend(maps.iter().filter_map(|m| m.work.as_ref().ok()).flat_map(|w| w.findings().to_vec()));
        findings.extend(mask_faults(&maps, &setup));
        findings.extend(made.get().iter().flat_map(|finishes| finishes.findings.clone()));
        mark_allowed(&mut findings, &recipe.exceptions);
        Ok(Plan {
            recipe: recipe.clone(),
            rays,
            findings,
            maps,
            rays_key,
            detail,
            made,
            proof: false,
            around: None,
            kept: None,
            first: None,
        })
    }

    /// The same plan as that of a proof: what a proof lowers ([`Recipe::as_proof`]) is not judged.
    pub fn for_proof(self, proof: bool) -> Plan {
        Plan { proof, ..self }
    }

    /// The same plan with what lies around its region.
    pub fn amid(self, around: Arc<dyn Around>) -> Plan {
        Plan { around: Some(around), ..self }
    }

    /// Whether a tile comes from an earlier run.
    pub(super) fn is_outside(&self, number: TileNumber) -> bool {
        let tile = &self.rays.sheets[number.sheet].tiles[number.tile];
        let touches = |region: &Region| region.touches(number.sheet, tile, self.recipe.sheet.size);
        self.around.is_some() && !self.recipe.region.as_ref().is_none_or(touches)
    }

    /// The same plan, taking over what an earlier bake of the scene left in `kept` where rays run as they did, and leaving its own
    /// for the next. The bytes are the same; only proofs are small enough for it to have any effect.
    pub fn keeping(self, kept: &Arc<KeptTiles>) -> Plan {
        Plan { kept: Some(kept.clone()), ..self }
    }

    /// The same plan with a coarse bake of the same maps ([`first_look`]), which fills the whole picture on screen until tiles land.
    pub fn begun_with(self, first: Option<Outcome>) -> Plan {
        Plan { first, ..self }
    }

    /// As much of the recipe's finishes as a map follows from; none where it follows from none of them. Those that heights alone bear on do
    /// where any finish has them.
    pub(super) fn follows_finishes(&self, map: &MapSettings) -> Option<Vec<Finish>> {
        let channel = map.finish_channel()?;
        let by_height = matches!(map, MapSettings::Normal(_) | MapSettings::Displacement(_) | MapSettings::Ao(_));
        let made = self.made.get();
        if by_height && !made.is_some_and(|finishes| finishes.sets_height()) {
            return None;
        }
        // A coat that cannot be made is left out of every channel, for the sake of any.
        let sound = made.is_some_and(|finishes| finishes.findings.is_empty());
        let finishes = self.recipe.finishes.iter();
        Some(finishes.map(|finish| if sound { finish.as_of(channel) } else { finish.clone() }).collect())
    }

    /// What signals and places of the plan are worked out with.
    pub fn setup<'a>(&'a self, stop: Stop<'a>) -> Setup<'a> {
        setup_of(&self.recipe, &self.rays, &self.rays_key, &self.detail, &self.made, stop)
    }

    /// How many tiles hold anything, over all sheets.
    pub fn busy_tiles(&self) -> usize {
        self.rays.busy_tiles().len()
    }

    /// Bytes that wait in the spool at most, once every texel is covered.
    pub fn spool_bytes(&self) -> u64 {
        let texels = u64::from(self.recipe.sheet.size).pow(2) * self.rays.sheets.len() as u64;
        self.maps.iter().map(|m| texels * m.facts.waiting_bytes() as u64).sum()
    }

    /// Bytes that its sheets hold in memory: which triangles lie on which tile.
    pub fn sheets_bytes(&self) -> u64 {
        self.rays.sheets.iter().map(|sheet| sheet.bytes() as u64).sum()
    }

    /// Bytes that a run's outcome holds in memory besides its spool: which texels are covered, and the padding of sheets that are written.
    pub fn outcome_bytes(&self) -> u64 {
        let texels = u64::from(self.recipe.sheet.size).pow(2);
        let sheets = self.rays.sheets.len() as u64;
        texels * sheets / 8 + texels * PADDING_BYTES * sheets.min(SHEETS_AT_WORK as u64)
    }

    /// Names of the sheets, in order.
    pub fn sheet_names(&self) -> Vec<SheetName> {
        self.rays.sheets.iter().map(|s| s.name.clone()).collect()
    }
}

/// A bake of a recipe that is coarse enough to be there at once, and still shows what is to come; None where the sheet is as small as that,
/// and for a watch that does not look.
///
/// # Errors
/// As [`Plan::watched`].
pub fn first_look(recipe: &Recipe, scene: &BakeScene, watch: &dyn Watch) -> Result<Option<Outcome>, PlanFault> {
    let first = recipe.as_first_look();
    if !watch.looks() || first.sheet.size >= recipe.sheet.size {
        return Ok(None);
    }
    let plan = Plan::watched(&first, scene, watch)?;
    match run(&plan, rayon::current_num_threads(), &Hushed(watch)) {
        Ok(first) => Ok(Some(first)),
        Err(Ended::Stopped) => Err(PlanFault::Stopped),
        // It is only to be looked at.
        Err(Ended::Spool(_) | Ended::Around(_) | Ended::Missing(_)) => Ok(None),
    }
}

fn setup_of<'a>(
    recipe: &'a Recipe,
    rays: &'a RayPlan,
    rays_key: &'a str,
    detail: &'a Result<Arc<DetailMap>, String>,
    made: &'a OnceLock<Arc<Finishes>>,
    stop: Stop<'a>,
) -> Setup<'a> {
    let id = recipe.maps.iter().find_map(|map| if let MapSettings::Id(id) = map { Some(*id) } else { None });
    Setup {
        scene: &rays.scene,
        pairs: &rays.pairs,
        rays,
        masks: &recipe.masks,
        id,
        rays_key,
        diagonal: rays.scene.diagonal(),
        size: recipe.sheet.size,
        seed: recipe.seed,
        detail,
        finishes: &recipe.finishes,
        finish_rays: recipe.finish_rays,
        made,
        repeats: recipe.repeats().is_some(),
        stop,
    }
}

/// All that hits and what is measured at them follow from besides the meshes.
fn rays_key(recipe: &Recipe) -> String {
    let Recipe { reach, direction, hit, back_faces, pairing, endings, hand_pairs, normal_map, seed, sheet, .. } =
        recipe;
    let told = format!("{:?}", (reach, direction, hit, back_faces, pairing, endings, hand_pairs, normal_map, seed));
    format!("{} {} {}", blake3::hash(told.as_bytes()), sheet.size, sheet.samples)
}

/// Masks that cannot be made: those of maps, and those that no map asks for as far as their settings tell.
fn mask_faults(maps: &[PlannedMap], setup: &Setup) -> Vec<Finding> {
    let of_maps = maps.iter().filter(|map| !map.facts.settings.masks().is_empty()).filter_map(|map| {
        let why = map.work.as_ref().err()?;
        Some(mask_unusable(map.facts.label(), why))
    });
    let sources = sources(setup);
    let asked = |name: &str| maps.iter().any(|map| map.facts.settings.masks().contains(&name));
    let others = setup.masks.iter().filter(|mask| !asked(&mask.name)).filter_map(|mask| {
        let fault = compile_mask(&mask.name, sources).err()?;
        Some(mask_unusable(&format!("Mask {}", mask.name), &fault.to_string()))
    });
    of_maps.chain(others).collect()
}

fn plan_map(settings: &MapSettings, recipe: &Recipe, setup: &Setup, watch: &dyn Watch) -> PlannedMap {
    let begun = watch.now();
    let work = settings.prepare(setup);
    let facts = Arc::new(MapFacts::new(settings, recipe));
    PlannedMap { facts, work, preparing: watch.now() - begun }
}

fn detail_map(recipe: &Recipe, scene: &BakeScene, sheets: &[SheetPlan]) -> Result<Arc<DetailMap>, String> {
    let Some(source) = &recipe.normal_map else {
        return Err(
            "it is set to be made from a normal map, but the recipe names none; add one, or make it from the sculpt"
                .into(),
        );
    };
    let bends_masks = recipe.high.is_empty() && !(recipe.masks.is_empty() && recipe.finishes.is_empty());
    if !bends_masks && !recipe.maps.iter().any(MapSettings::uses_normal_map) {
        return Err("no map asks for it".into());
    }
    let image = scene.images.get(&source.file)?;
    if sheets.len() > 1 {
        return Err("maps from a normal map are made for one sheet; this low-poly has several".into());
    }
    Ok(Arc::new(DetailMap::new(image, source.y, &scene.low)))
}
