//! Questions about masks, asked of a plan: how a mask reads, what each of its terms sees and covers, what it holds at a place, and which
//! places would explain examples.

use crate::bake::Plan;
use crate::finish::{
    Candidate, Channel, Histogram, Mask, PlaceSettings, Proposal, RegionBy, Signal, SoftRange, Term, propose, rounded,
};
use crate::maps::{Placed, SURVEY_RAYS, Setup, Survey, regions_at};
use crate::scene::BakeScene;
use crate::stop::Stop;
use crate::surface::{Axis, MeshPoint};
use schemars::JsonSchema;
use serde::Serialize;

/// Places of the surface that histograms and shares are taken from.
const SURVEYED: usize = 16_384;
/// Bins of a histogram: as many as a survey has rays, so that each share of them has a bin.
const BINS: usize = 64;
/// Places of the surface that proposals are weighed with.
const WEIGHED: usize = 4_096;

/// A mask as the page shows it.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct MaskView {
    pub sentence: String,
    /// Share of the surface that it covers; none while it cannot be made.
    pub covers: Option<f32>,
    /// Why it cannot be made.
    pub error: Option<String>,
    pub terms: Vec<TermView>,
}

/// One term of a mask.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct TermView {
    /// The signal by name: "curvature at 0.02".
    pub signal: String,
    /// The term as part of the sentence.
    pub words: String,
    /// Share of the surface that it covers by itself.
    pub covers: Option<f32>,
    /// How the signal is distributed over the surface, before it is broken up.
    pub histogram: Option<Histogram>,
    pub error: Option<String>,
}

/// A mask at one place.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct MaskAt {
    pub value: Option<f32>,
    pub terms: Vec<TermAt>,
}

/// A term at one place.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct TermAt {
    /// Its signal, before it is broken up; none where it is not to be had.
    pub signal: Option<f32>,
    /// How its range would have to stand to hold the place, and to leave it out.
    pub including: SoftRange,
    pub leaving_out: SoftRange,
}

/// Places that explain examples, or why there is none.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Proposals {
    pub proposals: Vec<Proposal>,
    /// What stands against them, in words: examples that nothing tells apart.
    pub told: Option<String>,
}

fn mean(values: &[f32]) -> Option<f32> {
    let there = values.iter().filter(|v| v.is_finite());
    let (sum, count) = there.fold((0.0f64, 0usize), |(sum, count), v| (sum + f64::from(*v), count + 1));
    (count > 0).then(|| (sum / count as f64) as f32)
}

impl Plan {
    fn mask(&self, name: &str) -> Option<&Mask> {
        self.recipe.masks.iter().find(|mask| mask.name == name)
    }

    /// How a mask reads and what its terms see; None where the recipe has none of the name.
    pub fn mask_view(&self, name: &str, stop: Stop) -> Option<MaskView> {
        let mask = self.mask(name)?;
        let setup = self.setup(stop);
        let survey = Survey::spread(&setup, SURVEYED);
        let signals = mask.place.terms.iter().map(|term| &term.signal);
        let _metered = setup.scene.meter.begin(work_of(signals, SURVEYED, setup.scene));
        let whole = survey.as_ref().map_err(String::clone).and_then(|survey| {
            let placed = Placed::mask(name, &setup, SURVEY_RAYS)?;
            Ok(mean(&survey.values(&placed, &setup)))
        });
        let terms = mask.place.terms.iter().map(|term| match &survey {
            Ok(survey) => term_view(term, survey, &setup),
            Err(fault) => unseen(term, fault.clone()),
        });
        let terms = terms.collect();
        let sentence = mask.place.sentence();
        Some(match whole {
            Ok(covers) => MaskView { sentence, covers, error: None, terms },
            Err(error) => MaskView { sentence, covers: None, error: Some(error), terms },
        })
    }

    /// What a mask and the signals of its terms are at a place of the low surface.
    pub fn mask_at(&self, name: &str, at: MeshPoint, stop: Stop) -> Option<MaskAt> {
        let mask = self.mask(name)?;
        let setup = self.setup(stop);
        let survey = Survey::at(&self.rays, &[at]);
        let value = |placed: Result<Placed, String>| {
            survey.values(&placed.ok()?, &setup).first().copied().filter(|value| value.is_finite())
        };
        let terms = mask.place.terms.iter().map(|term| {
            let signal = value(Placed::signal(&term.signal, &setup, SURVEY_RAYS));
            let ranges = signal.map(|signal| (term.including(signal), term.leaving_out(signal)));
            let (including, leaving_out) = ranges.unwrap_or((term.range(), term.range()));
            TermAt { signal, including, leaving_out }
        });
        Some(MaskAt { terms: terms.collect(), value: value(Placed::mask(name, &setup, SURVEY_RAYS)) })
    }

    /// The region that a place of the low surface lies in, by the name that a mask gives it.
    pub fn region_at(&self, by: RegionBy, at: MeshPoint, stop: Stop) -> Option<String> {
        regions_at(by, &self.setup(stop), &Survey::at(&self.rays, &[at])).pop().flatten()
    }

    /// Places that explain which of some places of the low surface are `wanted`. Asked without any, it measures what later questions
    /// need, so that they are answered at once.
    pub fn propose(&self, places: &[MeshPoint], wanted: &[bool], stop: Stop) -> Proposals {
        let setup = self.setup(stop);
        let none = |told: &str| Proposals { proposals: Vec::new(), told: Some(told.to_owned()) };
        let survey = match Survey::spread(&setup, WEIGHED) {
            Ok(survey) => survey,
            Err(fault) => return none(&fault),
        };
        // One by one, so that one place has one value however often it is picked.
        let examples: Vec<Survey> = places.iter().map(|at| Survey::at(&self.rays, &[*at])).collect();
        let candidate = |signal: Signal| {
            let placed = Placed::signal(&signal, &setup, SURVEY_RAYS).ok()?;
            let at_examples = examples.iter().flat_map(|example| example.values(&placed, &setup)).collect();
            Some(Candidate { at_examples, on_surface: survey.values(&placed, &setup), signal })
        };
        let signals = signals_to_try(&setup, &examples, wanted);
        let _metered = setup.scene.meter.begin(work_of(&signals, WEIGHED, setup.scene));
        let candidates: Vec<Candidate> = signals.into_iter().filter_map(candidate).collect();
        if !wanted.contains(&true) {
            return none("Pick at least one place that should be in");
        }
        let proposals = propose(&candidates, wanted);
        let told = match proposals.iter().map(|p| p.explained).max() {
            None => Some("Nothing was hit at these places; pick others".to_owned()),
            Some(most) if most < wanted.len() => {
                let best = proposals.iter().find(|p| p.explained == most);
                let missed = best.map(|p| p.missed.iter().map(|n| (n + 1).to_string()).collect::<Vec<_>>());
                Some(format!(
                    "Nothing separates these examples: the best explains {most} of {}, not example {}",
                    wanted.len(),
                    missed.unwrap_or_default().join(", ")
                ))
            }
            Some(_) => None,
        };
        Proposals { proposals, told }
    }
}

/// About what measuring signals takes at so many places.
fn work_of<'a>(signals: impl IntoIterator<Item = &'a Signal>, places: usize, scene: &BakeScene) -> u64 {
    let of_signal = |signal: &Signal| {
        let prepared = if matches!(signal, Signal::Curvature { .. }) { scene.curvature_work() } else { 0 };
        signal.work() * places as u64 + prepared
    };
    signals.into_iter().map(of_signal).sum()
}

fn unseen(term: &Term, error: String) -> TermView {
    TermView { signal: term.signal.words(), words: term.words(), covers: None, histogram: None, error: Some(error) }
}

fn term_view(term: &Term, survey: &Survey, setup: &Setup) -> TermView {
    let alone = PlaceSettings { terms: vec![term.clone()], ..PlaceSettings::default() };
    let signal = Placed::signal(&term.signal, setup, SURVEY_RAYS).map(|placed| survey.values(&placed, setup));
    let covers = Placed::place(&alone, setup, SURVEY_RAYS).map(|placed| mean(&survey.values(&placed, setup)));
    let mut view = match covers {
        Ok(covers) => TermView { covers, error: None, ..unseen(term, String::new()) },
        Err(error) => unseen(term, error),
    };
    view.histogram = signal.ok().map(|values| Histogram::of(&values, term.signal.info().range, BINS));
    view
}

/// Sizes and distances that are tried, as shares of the asset's diagonal.
const CURVATURES: [f32; 3] = [0.006, 0.012, 0.024];
const OCCLUSIONS: [f32; 4] = [0.015, 0.03, 0.08, 0.2];
const CAVITIES: [f32; 2] = [0.006, 0.02];

/// Signals that may explain examples: those that are measured, at several sizes, and the regions that the wanted ones lie in.
fn signals_to_try(setup: &Setup, examples: &[Survey], wanted: &[bool]) -> Vec<Signal> {
    let share = |share: f32| rounded(share * setup.diagonal);
    let axes = [Axis::Y, Axis::X, Axis::Z];
    let towards = |axis: Axis| {
        let mut direction = [0.0; 3];
        direction[axis as usize] = 1.0;
        Signal::Facing { direction }
    };
    let mut signals: Vec<Signal> = CURVATURES.map(|size| Signal::Curvature { size: share(size) }).into();
    signals.extend(OCCLUSIONS.map(|distance| Signal::Occlusion { distance: share(distance) }));
    signals.extend(CAVITIES.map(|size| Signal::Cavity { size: share(size) }));
    signals.extend(axes.map(towards));
    signals.extend(axes.map(|axis| Signal::Height { axis }));
    if !setup.scene.high.colors.is_empty() {
        signals.extend([Channel::R, Channel::G, Channel::B].map(|of| Signal::Channel { of }));
    }
    for by in [RegionBy::Part, RegionBy::Id, RegionBy::Material, RegionBy::VertexColor] {
        let names = examples.iter().flat_map(|example| regions_at(by, setup, example));
        let mut names: Vec<String> = names.zip(wanted).filter(|(_, w)| **w).filter_map(|(n, _)| n).collect();
        names.sort_unstable();
        names.dedup();
        if !names.is_empty() {
            signals.push(Signal::Region { by, names });
        }
    }
    signals
}
