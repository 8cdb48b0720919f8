//! The meshes of a bake, ready for use and shared between bakes, with what is worked out from them once and kept.

mod few;
mod meter;
mod packed;
mod repeat;

pub use few::Few;
pub use meter::{Meter, Metered};
pub use packed::ReadyScene;

use crate::document::Documents;
use crate::finding::Finding;
use crate::inspect::check_mesh;
use crate::mesh::{CurvatureField, Mesh, Part, PlaneTarget};
use crate::pairs::{PairRules, PairTable, Pairing, Shares, pair_parts, shared_space};
use crate::picture::Pictures;
use crate::reach::{CageFault, Fit, LowSurface, ProbeScene, ReachField, ReachPoints, ReachRules, fit_reach};
use crate::stop::{Stop, Stopped};
use crate::surface::Distance;
use crate::trace::{BackFaces, Sight, TraceScene};
use glam::Vec3;
use repeat::{Repeated, repeat_around};
use std::any::Any;
use std::marker::PhantomData;
use std::ops::Deref;
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
    pub images: Pictures,
    /// Documents that finishes lie on.
    pub documents: Documents,
    /// How far measuring over it has come.
    pub meter: Arc<Meter>,
    low_trace: Arc<OnceLock<TraceScene>>,
    curvatures: Arc<Few<u32, CurvatureField>>,
    low_findings: Arc<OnceLock<Vec<Finding>>>,
    shared_space: Arc<OnceLock<Vec<Shares>>>,
    points: Arc<OnceLock<ReachPoints>>,
    fits: Arc<Few<FitRules, Fit>>,
    high_identity: Arc<OnceLock<[u8; 32]>>,
    part_trees: Arc<Few<String, TraceScene>>,
    beside: Arc<Few<String, Box<dyn KeptBeside>>>,
    /// Where the sculpt repeats: for each of its triangles the one it is a copy of.
    copy_of: Option<Arc<Vec<u32>>>,
    /// Box of the sculpt itself, without copies.
    high_bounds: (Vec3, Vec3),
}

/// Something kept with a scene, shared by whoever asked for it.
pub struct Beside<T> {
    kept: Arc<Box<dyn KeptBeside>>,
    of: PhantomData<T>,
}

impl<T: KeptBeside> Deref for Beside<T> {
    type Target = T;

    fn deref(&self) -> &T {
        let any: &dyn Any = &**self.kept;
        any.downcast_ref().expect("what is kept under a name is of one type")
    }
}

/// What a fit depends on besides the meshes: who sees whom, and what back faces do.
type FitRules = (Vec<Sight>, BackFaces);

/// How many fits of a scene are kept.
const FITS: usize = 3;

/// How many curvature fields of a scene are kept, one a detail size.
const CURVATURES: usize = 6;

/// How many parts' own trees are kept, and how much else that rooms above work out.
const PART_TREES: usize = 8;
const BESIDE: usize = 12;

/// What a room above works out for a scene and keeps with it.
pub trait KeptBeside: Any + Send + Sync {
    /// Bytes it holds in memory.
    fn bytes(&self) -> usize;
}

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
            images: Pictures::default(),
            documents: Documents::default(),
            meter: Arc::default(),
            low_trace: Arc::default(),
            curvatures: Arc::new(Few::new(CURVATURES)),
            low_findings: Arc::default(),
            shared_space: Arc::default(),
            points: Arc::default(),
            fits: Arc::new(Few::new(FITS)),
            high_identity: Arc::default(),
            part_trees: Arc::new(Few::new(PART_TREES)),
            beside: Arc::new(Few::new(BESIDE)),
            copy_of,
            high_bounds,
        })
    }

    /// BLAKE3 of the sculpt's faces, part by part: what a ray may hit.
    pub fn high_identity(&self) -> &[u8; 32] {
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

    /// Bytes it holds in memory with all that was made for it since: trees and curvature. Pictures are not counted, and
    /// neither is what is being made.
    pub fn bytes(&self) -> usize {
        let curvature: usize = self.curvatures.ready().iter().map(|field| field.bytes()).sum();
        let low = self.low.mesh.bytes() + self.low.mesh.triangles.len() * 120;
        let beside: usize = self.beside.ready().iter().map(|kept| (***kept).bytes()).sum();
        let part_trees: usize = self.part_trees.ready().iter().map(|tree| tree.bytes()).sum();
        let trees = part_trees + self.trace.bytes() + self.low_trace.get().map_or(0, TraceScene::bytes);
        self.high.bytes() + low + trees + curvature + beside
    }

    /// The same scene with the pictures a recipe names.
    pub fn with_images(&self, images: Pictures) -> BakeScene {
        BakeScene { images, ..self.clone() }
    }

    /// The same scene with the documents that a recipe's finishes lie on.
    pub fn with_documents(&self, documents: Documents) -> BakeScene {
        BakeScene { documents, ..self.clone() }
    }

    /// The parts of this name as something to look for: those of the sculpt, or of the low-poly where the sculpt has none of it.
    /// None where neither has.
    pub fn part_tree(&self, name: &str) -> Option<Arc<TraceScene>> {
        let with_part =
            [&*self.high, &self.low.mesh].into_iter().find(|mesh| mesh.parts.iter().any(|p| p.name == name))?;
        let made =
            self.part_trees.get(name.to_owned(), || Ok(TraceScene::new(&with_part.only_parts(|part| part == name))));
        made.ok()
    }

    /// What was worked out under a name, made now if it is not there.
    ///
    /// # Errors
    /// [`Stopped`] when `make` says so.
    pub fn kept_beside<T: KeptBeside>(
        &self,
        name: String,
        make: impl FnOnce() -> Result<T, Stopped>,
    ) -> Result<Beside<T>, Stopped> {
        let kept = self.beside.get(name, || Ok(Box::new(make()?) as Box<dyn KeptBeside>))?;
        Ok(Beside { kept, of: PhantomData })
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

    /// Pairs these meshes' parts.
    pub fn pairs(&self, rules: PairRules) -> PairTable {
        let share = (rules.pairing == Pairing::Space).then(|| self.shared_space());
        pair_parts(&self.low.mesh.parts, &self.high.parts, PairRules { share, ..rules })
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
        self.fits.get((pairs.sights.clone(), back_faces), || fit_reach(&scene, self.points(), &self.fits.ready(), stop))
    }

    /// The reaches over these meshes.
    ///
    /// # Errors
    /// [`Stopped`] when `stop` asked for it.
    pub fn field(&self, rules: ReachRules, pairs: &PairTable, stop: Stop) -> Result<ReachField, Stopped> {
        if self.own_surface {
            return Ok(ReachField::none(&self.low));
        }
        let sides = |part: &Part| rules.reach.of_part(&part.name);
        let fits = self.low.mesh.parts.iter().map(sides).any(|(o, i)| o == Distance::Auto || i == Distance::Auto);
        let fit = fits.then(|| self.fit(pairs, rules.back_faces, stop)).transpose()?;
        Ok(ReachField::new(rules, &self.low, || self.low_trace(), self.points(), fit.as_deref()))
    }

    /// Mean curvature of the sculpt averaged over `radius`; kept for the next bake.
    ///
    /// # Errors
    /// [`Stopped`] when `stop` asked for it.
    pub fn curvature(&self, radius: f32, stop: Stop) -> Result<Arc<CurvatureField>, Stopped> {
        let field = self.curvatures.get(radius.to_bits(), || CurvatureField::unless_stopped(&self.high, radius, stop));
        self.meter.did(self.curvature_work());
        field
    }

    /// About what getting ready for curvature at one size takes, as [`Meter`] counts it.
    pub fn curvature_work(&self) -> u64 {
        4 * self.high.positions.len() as u64
    }
}
