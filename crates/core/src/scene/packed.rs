//! A scene as packed bytes, with all that was worked out for it so far: meshes, trees, fits, curvature fields, shared space. Whoever opens
//! it has it at once; trees and fields stay in the bytes. Pictures and documents that a recipe names are not among it.

use super::{BESIDE, BakeScene, CURVATURES, FITS, Few, FitRules, PART_TREES};
use crate::flat::{Packed, Packing};
use crate::mesh::{CurvatureField, Mesh};
use crate::reach::{Fit, LowSurface};
use crate::trace::{BackFaces, Sight, TraceScene};
use glam::Vec3;
use serde::{Deserialize, Serialize};
use std::sync::{Arc, OnceLock};

/// What of a scene is packed, under which names.
#[derive(Serialize, Deserialize)]
struct Told {
    own_surface: bool,
    has_cage: bool,
    high_identity: [u8; 32],
    high_bounds: (Vec3, Vec3),
    repeats: bool,
    has_low_trace: bool,
    /// By how each was made.
    curvatures: Vec<u32>,
    fits: Vec<(Vec<Sight>, BackFaces)>,
    part_trees: Vec<String>,
    shared_space: Option<Vec<crate::pairs::Shares>>,
}

/// A scene with what was worked out for it, ready to be packed: rows are lent from here.
pub struct ReadyScene<'a> {
    scene: &'a BakeScene,
    cage: Option<&'a Mesh>,
    curvatures: Vec<(u32, Arc<CurvatureField>)>,
    fits: Vec<(FitRules, Arc<Fit>)>,
    part_trees: Vec<(String, Arc<TraceScene>)>,
}

impl<'a> ReadyScene<'a> {
    /// A scene, and the cage that its low-poly was given.
    pub fn of(scene: &'a BakeScene, cage: Option<&'a Mesh>) -> ReadyScene<'a> {
        ReadyScene {
            scene,
            cage,
            curvatures: scene.curvatures.entries(),
            fits: scene.fits.entries(),
            part_trees: scene.part_trees.entries(),
        }
    }

    /// Puts it into bytes.
    pub fn pack(&self) -> Packing<'_> {
        let (scene, mut into) = (self.scene, Packing::default());
        let low_trace = scene.low_trace.get();
        into.told(
            "scene",
            &Told {
                own_surface: scene.own_surface,
                has_cage: self.cage.is_some(),
                high_identity: *scene.high_identity(),
                high_bounds: scene.high_bounds,
                repeats: scene.copy_of.is_some(),
                has_low_trace: low_trace.is_some(),
                curvatures: self.curvatures.iter().map(|(radius, _)| *radius).collect(),
                fits: self.fits.iter().map(|(rules, _)| rules.clone()).collect(),
                part_trees: self.part_trees.iter().map(|(name, _)| name.clone()).collect(),
                shared_space: scene.shared_space.get().cloned(),
            },
        );
        scene.low.mesh.pack("low", &mut into);
        if let Some(cage) = self.cage {
            cage.pack("cage", &mut into);
        }
        if !scene.own_surface {
            scene.high.pack("high", &mut into);
        }
        if let Some(copy_of) = &scene.copy_of {
            into.flat("copy-of", copy_of.as_slice());
        }
        scene.trace.pack("high", &mut into);
        if let Some(tree) = low_trace {
            tree.pack("low", &mut into);
        }
        for (at, (_, field)) in self.curvatures.iter().enumerate() {
            field.pack(&format!("curvature/{at}"), &mut into);
        }
        for (at, (_, fit)) in self.fits.iter().enumerate() {
            fit.pack(format!("fit/{at}"), &mut into);
        }
        for (at, (_, tree)) in self.part_trees.iter().enumerate() {
            tree.pack(&format!("part/{at}"), &mut into);
        }
        into
    }
}

impl BakeScene {
    /// Takes a scene from packed bytes, without the pictures and documents of a recipe.
    ///
    /// # Errors
    /// What of it is missing or damaged.
    pub fn unpack(from: &Packed) -> Result<BakeScene, String> {
        let told: Told = from.told("scene")?;
        let cage = told.has_cage.then(|| Mesh::unpack("cage", from)).transpose()?;
        let low = LowSurface::new(Mesh::unpack("low", from)?, cage.as_ref()).map_err(|fault| fault.to_string())?;
        let high = if told.own_surface { low.mesh.clone() } else { Mesh::unpack("high", from)? };
        let curvatures = Few::new(CURVATURES);
        for (at, radius) in told.curvatures.into_iter().enumerate() {
            curvatures.put(radius, CurvatureField::unpack(&format!("curvature/{at}"), from)?);
        }
        let fits = Few::new(FITS);
        for (at, (sights, back_faces)) in told.fits.into_iter().enumerate() {
            let fit = Fit::unpack(&format!("fit/{at}"), from, (&sights, high.parts.len()), back_faces)?;
            fits.put((sights, back_faces), fit);
        }
        let part_trees = Few::new(PART_TREES);
        for (at, name) in told.part_trees.into_iter().enumerate() {
            part_trees.put(name, TraceScene::unpack(&format!("part/{at}"), from)?);
        }
        let low_trace = told.has_low_trace.then(|| TraceScene::unpack("low", from)).transpose()?;
        let copy_of = told.repeats.then(|| from.values("copy-of")).transpose()?;
        Ok(BakeScene {
            low: Arc::new(low),
            high: Arc::new(high),
            trace: Arc::new(TraceScene::unpack("high", from)?),
            own_surface: told.own_surface,
            images: Default::default(),
            documents: Default::default(),
            meter: Arc::default(),
            low_trace: Arc::new(low_trace.map_or_else(OnceLock::new, OnceLock::from)),
            curvatures: Arc::new(curvatures),
            low_findings: Arc::default(),
            shared_space: Arc::new(told.shared_space.map_or_else(OnceLock::new, OnceLock::from)),
            points: Arc::default(),
            fits: Arc::new(fits),
            high_identity: Arc::new(OnceLock::from(told.high_identity)),
            part_trees: Arc::new(part_trees),
            beside: Arc::new(Few::new(BESIDE)),
            copy_of: copy_of.map(Arc::new),
            high_bounds: told.high_bounds,
        })
    }
}
