//! Questions about finishes, asked of a plan: how they and their coats read, and how much of their surface each coat covers.

use crate::bake::Plan;
use crate::finish::{Coat, Finish};
use crate::maps::{Placed, SURVEY_RAYS, Setup, Survey, inside_of};
use crate::stop::Stop;
use schemars::JsonSchema;
use serde::Serialize;

/// Places of the surface that shares are taken from.
const SURVEYED: usize = 8_192;

/// A finish as the page shows it.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct FinishView {
    pub name: String,
    /// What it is given to: "part housing_low".
    pub on: String,
    /// Share of the surface that it is given to; none where it cannot be given.
    pub share: Option<f32>,
    /// Why it cannot be given to anything.
    pub error: Option<String>,
    pub base: String,
    /// Materials of the document that it lies on; none without one.
    pub materials: Vec<String>,
    /// From the ground up.
    pub coats: Vec<CoatView>,
}

/// A coat as the page shows it.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct CoatView {
    pub name: String,
    /// What it sets and where it lies, in words.
    pub sentence: String,
    /// What it sets: "colour #7c2f22, roughness 0.55".
    pub what: String,
    /// Share of the finish's surface that it covers; none while its place cannot be made.
    pub covers: Option<f32>,
    /// Why its place cannot be made.
    pub error: Option<String>,
}

impl Plan {
    /// How the finishes of the recipe read and what they cover.
    ///
    /// # Errors
    /// That the work was stopped.
    pub fn finish_views(&self, stop: Stop) -> Result<Vec<FinishView>, String> {
        let setup = self.setup(stop);
        let survey = Survey::spread(&setup, SURVEYED)?;
        Ok(self.recipe.finishes.iter().map(|finish| finish_view(finish, &survey, &setup)).collect())
    }
}

fn finish_view(finish: &Finish, survey: &Survey, setup: &Setup) -> FinishView {
    let inside = inside_of(&finish.on, setup, survey);
    let own = inside.as_deref().unwrap_or_default();
    let share = |of: usize, all: usize| (all > 0).then(|| of as f32 / all as f32);
    FinishView {
        name: finish.name.clone(),
        on: finish.on.words(),
        share: inside.as_ref().ok().and_then(|own| share(own.iter().filter(|own| **own).count(), own.len())),
        base: finish.ground_words(),
        materials: materials_of(finish, setup),
        coats: finish.coats.iter().map(|coat| coat_view(coat, own, survey, setup)).collect(),
        error: inside.err(),
    }
}

fn materials_of(finish: &Finish, setup: &Setup) -> Vec<String> {
    let document = finish.materialx.as_ref().and_then(|source| setup.scene.documents.get(&source.file).ok());
    document.map_or_else(Vec::new, |document| document.materials.iter().map(|m| m.name.clone()).collect())
}

fn coat_view(coat: &Coat, own: &[bool], survey: &Survey, setup: &Setup) -> CoatView {
    let placed = Placed::place(&coat.place, setup, SURVEY_RAYS).map(|placed| survey.values(&placed, setup));
    let covers = placed.as_ref().ok().and_then(|values| {
        let inside = values.iter().zip(own).filter(|(value, own)| **own && value.is_finite());
        let (sum, count) = inside.fold((0.0f64, 0u32), |(sum, count), (value, _)| (sum + f64::from(*value), count + 1));
        (count > 0).then(|| coat.amount * (sum / f64::from(count)) as f32)
    });
    CoatView { name: coat.name.clone(), sentence: coat.sentence(), what: coat.what(), covers, error: placed.err() }
}
