//! The plan of a bake: everything that is the same for all tiles, worked out once.

use super::few::Few;
use super::kept::KeptTiles;
use super::nearness::shared_space;
use super::packed::HitKey;
use super::pairs::{PairRow, PairRules, PairTable, PairedBy, Shares, pair_parts};
use super::repeat::{Repeated, repeat_around};
use super::run::{Unwatched, Watch};
use super::sheets::{SheetPlan, plan_sheets};
use super::spool::Stored;
use crate::finding::{Finding, FindingKind, mark_allowed};
use crate::maps::{DetailMap, MapSettings, MapShape, MapWork, Setup};
use crate::mesh::{CurvatureField, Mesh, Part, check_mesh, compare_placing};
use crate::reach::{CageFault, Fit, LowSurface, ProbeScene, ReachField, ReachPoints, fit_reach};
use crate::recipe::{Distance, ImageFormat, Pairing, PlaneTarget, Recipe, SheetName};
use crate::sheet::{Depth, Image, sample_pattern};
use crate::stop::{Stop, Stopped};
use crate::trace::{BackFaces, Sight, TraceScene};
use glam::Vec3;
use std::collections::HashMap;
use std::sync::{Arc, OnceLock};

/// The meshes of a bake, ready for use and shared between bakes, and the pictures it reads.
#[derive(Clone)]
pub struct BakeScene {
    pub low: Arc<LowSurface>,
    /// The sculpt; the low-poly itself when there is none.
    pub high: Arc<Mesh>,
    pub trace: Arc<TraceScene>,
    /// True when there is no sculpt, so that the low-poly is its own.
    pub own_surface: bool,
    /// Pictures by the file name the recipe gives them.
    pub images: HashMap<String, Arc<Image>>,
    low_trace: Arc<OnceLock<TraceScene>>,
    curvatures: Arc<Few<u32, CurvatureField>>,
    low_findings: Arc<OnceLock<Vec<Finding>>>,
    shared_space: Arc<OnceLock<Vec<Shares>>>,
    points: Arc<OnceLock<ReachPoints>>,
    fits: Arc<Few<FitRules, Fit>>,
    pub(super) kept: Arc<KeptTiles>,
    high_identity: Arc<OnceLock<HitKey>>,
    /// Where the sculpt repeats: for each of its triangles the one it is a copy of.
    copy_of: Option<Arc<Vec<u32>>>,
    /// Box of the sculpt itself, without copies.
    high_bounds: (Vec3, Vec3),
}

/// What a fit depends on besides the meshes: who sees whom, and what back faces do.
type FitRules = (Vec<Sight>, BackFaces);

/// How many fits of a scene are kept.
const FITS: usize = 3;

/// How many curvature fields of a scene are kept, one a detail size.
const CURVATURES: usize = 3;

impl BakeScene {
    /// Prepares meshes for baking: files of one side are joined, and the tree over the sculpt is built. Without any high mesh
    /// the low-poly stands for it.
    ///
    /// # Errors
    /// A cage that does not fit the low-poly.
    pub fn new(low: &[&Mesh], high: &[&Mesh], cage: Option<&Mesh>) -> Result<BakeScene, CageFault> {
        BakeScene::repeating(low, high, cage, None)
    }

    /// The same for a sculpt that repeats at the edges of a plane.
    ///
    /// # Errors
    /// As [`BakeScene::new`].
    pub fn repeating(
        low: &[&Mesh],
        high: &[&Mesh],
        cage: Option<&Mesh>,
        plane: Option<&PlaneTarget>,
    ) -> Result<BakeScene, CageFault> {
        let low = Arc::new(LowSurface::new(Mesh::joined(low), cage)?);
        let own_surface = high.is_empty();
        let high = if own_surface { low.mesh.clone() } else { Mesh::joined(high) };
        let high_bounds = high.bounds();
        let (high, copy_of) = match plane.filter(|_| !own_surface) {
            None => (Arc::new(high), None),
            Some(plane) => {
                let Repeated { mesh, copy_of } = repeat_around(&high, plane);
                (Arc::new(mesh), Some(Arc::new(copy_of)))
            }
        };
        let trace = Arc::new(TraceScene::new(&high));
        Ok(BakeScene {
            low,
            high,
            trace,
            own_surface,
            images: HashMap::new(),
            low_trace: Arc::default(),
            curvatures: Arc::new(Few::new(CURVATURES)),
            low_findings: Arc::default(),
            shared_space: Arc::default(),
            points: Arc::default(),
            fits: Arc::new(Few::new(FITS)),
            kept: Arc::default(),
            high_identity: Arc::default(),
            copy_of,
            high_bounds,
        })
    }

    /// BLAKE3 of the sculpt's faces, part by part: what a ray may hit.
    pub(super) fn high_identity(&self) -> &HitKey {
        self.high_identity.get_or_init(|| {
            let mut hasher = blake3::Hasher::new();
            for part in &self.high.parts {
                hasher.update(&part.triangles.end.to_le_bytes());
            }
            for t in 0..self.high.triangles.len() as u32 {
                let corners = self.high.corners(t).map(|p| p.to_array().map(f32::to_le_bytes));
                hasher.update(corners.as_flattened().as_flattened());
            }
            *hasher.finalize().as_bytes()
        })
    }

    /// Bytes it holds in memory with all that was made for it since: trees, curvature, kept rays. Pictures are not counted, and
    /// neither is what is being made.
    pub fn bytes(&self) -> usize {
        let curvature: usize = self.curvatures.ready().iter().map(|field| field.bytes()).sum();
        let low = self.low.mesh.bytes() + self.low.mesh.triangles.len() * 120;
        let trees = self.trace.bytes() + self.low_trace.get().map_or(0, TraceScene::bytes);
        self.high.bytes() + low + trees + curvature + self.kept.bytes()
    }

    /// The same scene with the pictures a recipe names.
    pub fn with_images(&self, images: HashMap<String, Arc<Image>>) -> BakeScene {
        BakeScene { images, ..self.clone() }
    }

    /// The low-poly as something rays may hit; built when first asked for.
    pub fn low_trace(&self) -> &TraceScene {
        self.low_trace.get_or_init(|| TraceScene::new(&self.low.mesh))
    }

    /// What is wrong with the low-poly; checked when first asked for, not again at every bake.
    pub fn low_findings(&self) -> &[Finding] {
        self.low_findings.get_or_init(|| check_mesh(&self.low.mesh, true))
    }

    /// Box of the sculpt, low and high corner; without the copies of one that repeats.
    pub fn high_bounds(&self) -> (Vec3, Vec3) {
        self.high_bounds
    }

    /// For each triangle of a sculpt that repeats, the one it is a copy of.
    pub fn copy_of(&self) -> Option<&[u32]> {
        self.copy_of.as_deref().map(Vec::as_slice)
    }

    /// How much of each high-poly part lies nearest to each low-poly part, copies of a sculpt that repeats left out; measured when
    /// first asked for.
    pub fn shared_space(&self) -> &[Shares] {
        let own = |part: &Part| {
            let copied = |t: &u32| self.copy_of.as_ref().is_some_and(|of| of[*t as usize] != *t);
            // A part's copies come after it.
            let end = part.triangles.clone().find(copied).unwrap_or(part.triangles.end);
            Part { name: part.name.clone(), triangles: part.triangles.start..end }
        };
        let measured =
            || shared_space(&self.low.mesh, &self.high, &self.high.parts.iter().map(own).collect::<Vec<_>>());
        self.shared_space.get_or_init(measured)
    }

    /// The pairs of a recipe over these meshes.
    pub fn pairs(&self, recipe: &Recipe) -> PairTable {
        let share = (recipe.pairing == Pairing::Space).then(|| self.shared_space());
        pair_parts(&self.low.mesh.parts, &self.high.parts, PairRules::of(recipe, share))
    }

    /// Length of the box around both meshes, corner to corner, scene units.
    pub fn diagonal(&self) -> f32 {
        let ((a, b), (c, d)) = (self.low.mesh.bounds(), self.high_bounds);
        (b.max(d) - a.min(c)).length()
    }

    /// Points of the low-poly that reaches stand at.
    pub fn points(&self) -> &ReachPoints {
        self.points.get_or_init(|| ReachPoints::new(&self.low.mesh))
    }

    /// Reaches fitted to the sculpt; kept for the next bake.
    ///
    /// # Errors
    /// [`Stopped`] when `stop` asked for it.
    pub fn fit(&self, pairs: &PairTable, back_faces: BackFaces, stop: Stop) -> Result<Arc<Fit>, Stopped> {
        let scene = ProbeScene {
            low: &self.low,
            low_trace: self.low_trace(),
            high_trace: &self.trace,
            sights: &pairs.sights,
            high_parts: self.high.parts.len(),
            back_faces,
        };
        self.fits.get((pairs.sights.clone(), back_faces), || fit_reach(&scene, self.points(), stop))
    }

    /// The reaches of a recipe over these meshes.
    ///
    /// # Errors
    /// [`Stopped`] when `stop` asked for it.
    pub fn field(&self, recipe: &Recipe, pairs: &PairTable, stop: Stop) -> Result<ReachField, Stopped> {
        if self.own_surface {
            return Ok(ReachField::none(&self.low));
        }
        let sides = |part: &Part| recipe.reach.of_part(&part.name);
        let fits = self.low.mesh.parts.iter().map(sides).any(|(o, i)| o == Distance::Auto || i == Distance::Auto);
        let fit = fits.then(|| self.fit(pairs, recipe.back_faces, stop)).transpose()?;
        Ok(ReachField::new(recipe, &self.low, || self.low_trace(), self.points(), fit.as_deref()))
    }

    /// Mean curvature of the sculpt averaged over `radius`; kept for the next bake.
    ///
    /// # Errors
    /// [`Stopped`] when `stop` asked for it.
    pub fn curvature(&self, radius: f32, stop: Stop) -> Result<Arc<CurvatureField>, Stopped> {
        self.curvatures.get(radius.to_bits(), || CurvatureField::unless_stopped(&self.high, radius, stop))
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
    pub settings: MapSettings,
    pub shape: MapShape,
    /// True when values are signed heights in scene units, to be scaled once all are known.
    pub(super) heights: bool,
    /// The scale of heights when it is set, not measured.
    pub(super) set_scale: Option<f32>,
    pub(super) stored: Stored,
    pub format: ImageFormat,
    pub depth: Depth,
    /// Ready to work on tiles, or why it cannot be made.
    pub(super) work: Result<Box<dyn MapWork>, String>,
    /// Seconds that getting ready took.
    pub(super) preparing: f64,
}

/// A bake that is ready to run.
pub struct Plan {
    pub recipe: Recipe,
    pub scene: BakeScene,
    pub pairs: PairTable,
    /// The reaches this bake uses.
    pub field: ReachField,
    /// What the meshes, the pairing and the maps' preparation brought to light.
    pub findings: Vec<Finding>,
    pub maps: Vec<PlannedMap>,
    pub sheets: Vec<SheetPlan>,
    /// By high part: it lies with one low part by most of its surface. None when no low part sees anything for want of a
    /// better rule.
    pub(super) with_one: Option<Vec<bool>>,
    /// No sculpt: samples are their own hits.
    pub(super) own_surface: bool,
    pub(super) pattern: Vec<[f64; 2]>,
    pub(super) keeps: bool,
    sight_keys: OnceLock<Vec<HitKey>>,
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
        let pairs = scene.pairs(recipe);
        let field = scene.field(recipe, &pairs, stop)?;
        let detail = detail_map(recipe, scene, &sheets);
        let setup = Setup { recipe, scene, pairs: &pairs, diagonal: scene.diagonal(), detail: &detail, stop };
        let mut maps: Vec<PlannedMap> = Vec::with_capacity(recipe.maps.len());
        for settings in &recipe.maps {
            maps.push(plan_map(settings, &setup, watch));
            // A map that was stopped on its way cannot tell that from one that cannot be made.
            if stop() {
                return Err(PlanFault::Stopped);
            }
        }
        let mut findings = scene.low_findings().to_vec();
        if recipe.sheet.layout == crate::recipe::Layout::Udim {
            findings.retain(|f| f.kind != FindingKind::IslandOutside);
        }
        let made_here = recipe.low.iter().any(|s| s.plane.is_some());
        if !scene.own_surface && !made_here {
            findings.extend(compare_placing(scene.low.mesh.bounds(), scene.high_bounds));
        }
        findings.extend(pairs.findings.iter().cloned());
        findings.extend(scene.low.cage.iter().flat_map(|cage| cage.findings(&scene.low.mesh)));
        findings.extend(maps.iter().filter_map(|m| m.work.as_ref().ok()).flat_map(|w| w.findings().to_vec()));
        mark_allowed(&mut findings, &recipe.exceptions);
        Ok(Plan {
            recipe: recipe.clone(),
            scene: scene.clone(),
            pattern: sample_pattern(recipe.sheet.samples),
            own_surface: scene.own_surface,
            with_one: parts_with_one(scene, &pairs),
            keeps: false,
            sight_keys: OnceLock::new(),
            pairs,
            field,
            findings,
            maps,
            sheets,
        })
    }

    /// The same plan, taking over what an earlier bake of the scene left where rays run as they did, and leaving its own for the
    /// next. The bytes are the same; only proofs are small enough for it to have any effect.
    pub fn keeping(self) -> Plan {
        Plan { keeps: true, ..self }
    }

    /// By low part, BLAKE3 of the parts that its rays may hit.
    pub(super) fn sight_keys(&self) -> &[HitKey] {
        self.sight_keys
            .get_or_init(|| self.pairs.sights.iter().map(|sight| *blake3::hash(&sight.to_bytes()).as_bytes()).collect())
    }

    /// How many tiles hold anything, over all sheets.
    pub fn busy_tiles(&self) -> usize {
        self.sheets.iter().flat_map(|s| &s.candidates).filter(|c| !c.is_empty()).count()
    }

    /// Bytes that wait in the spool at most, once every texel is covered.
    pub fn spool_bytes(&self) -> u64 {
        let texels = u64::from(self.recipe.sheet.size).pow(2) * self.sheets.len() as u64;
        self.maps.iter().map(|m| texels * (m.shape.channels * m.stored.bytes()) as u64).sum()
    }

    /// Names of the sheets, in order.
    pub fn sheet_names(&self) -> Vec<SheetName> {
        self.sheets.iter().map(|s| s.name.clone()).collect()
    }
}

/// How a map's values wait to be written: no more precisely than its file holds.
pub(crate) fn stored_for(settings: &MapSettings, recipe: &Recipe) -> Stored {
    let (format, depth) = recipe.file_kind(settings);
    let kind = settings.kind();
    let floats = depth == Depth::Float || format == ImageFormat::Exr;
    match (kind.heights, floats, depth) {
        (true, ..) | (_, true, _) => Stored::F32,
        (_, _, Depth::Eight) if !recipe.sheet.dither || kind.flat => Stored::U8,
        _ => Stored::U16,
    }
}

fn plan_map(settings: &MapSettings, setup: &Setup, watch: &dyn Watch) -> PlannedMap {
    let begun = watch.now();
    let work = settings.prepare(setup);
    let (format, depth) = setup.recipe.file_kind(settings);
    let kind = settings.kind();
    PlannedMap {
        shape: settings.shape(),
        heights: kind.heights,
        set_scale: settings.set_scale(),
        settings: settings.clone(),
        stored: stored_for(settings, setup.recipe),
        format,
        depth,
        work,
        preparing: watch.now() - begun,
    }
}

fn detail_map(recipe: &Recipe, scene: &BakeScene, sheets: &[SheetPlan]) -> Result<Arc<DetailMap>, String> {
    let Some(source) = &recipe.normal_map else {
        return Err(
            "it is to be made from a normal map, and the recipe names none; give one, or make it from the sculpt"
                .into(),
        );
    };
    if !recipe.maps.iter().any(MapSettings::uses_normal_map) {
        return Err("no map asks for it".into());
    }
    let image =
        scene.images.get(&source.file).ok_or_else(|| format!("{}: the normal map was not read", source.file))?;
    if sheets.len() > 1 {
        return Err("maps from a normal map are made for one sheet; this low-poly has several".into());
    }
    Ok(Arc::new(DetailMap::new(image, source.y, &scene.low)))
}

/// Of a high part's surface this share at least lies with another low part, and no more than this with the one that sees it.
const MOST_OF_IT: f32 = 0.6;
const SLIVER: f32 = 0.02;

/// Paired for want of a better rule. What was paired by name or by hand is meant so.
fn is_loose(by: PairedBy) -> bool {
    matches!(by, PairedBy::All | PairedBy::Default)
}

fn parts_with_one(scene: &BakeScene, pairs: &PairTable) -> Option<Vec<bool>> {
    let parts = scene.high.parts.len();
    let loose = |row: &PairRow| row.pairs(parts).any(|(_, by)| is_loose(by));
    if scene.own_surface || pairs.rows.len() < 2 || !pairs.rows.iter().any(loose) {
        return None;
    }
    let most = |row: &Shares| row.iter().map(|(_, share)| *share).fold(0.0, f32::max);
    Some(scene.shared_space().iter().map(|row| most(row) >= MOST_OF_IT).collect())
}

impl Plan {
    /// True when a triangle of the sculpt belongs, by all but a sliver of its part's surface, to another low-poly part than the
    /// one that sees it.
    pub(super) fn is_elsewhere(&self, low_part: u32, high_triangle: u32) -> bool {
        let Some(with_one) = &self.with_one else { return false };
        let part = self.scene.high.parts.partition_point(|p| p.triangles.end <= high_triangle);
        if !with_one.get(part).copied().unwrap_or(false) {
            return false;
        }
        let share = &self.scene.shared_space()[part];
        let own = share.binary_search_by_key(&low_part, |(low, _)| *low).map_or(0.0, |at| share[at].1);
        own <= SLIVER && self.pairs.rows[low_part as usize].by(part as u32).is_some_and(is_loose)
    }
}
