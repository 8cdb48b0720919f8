//! Every truth of a bake at once: what its files say, held against the sculpt, and what is wrong with them.

use super::truths::{NormalReading, Question, Truth, Truths};
use crate::bake::Report;
use crate::finish::Finish;
use crate::maps::{MapSettings, Reads};
use crate::picture::Image;
use crate::recipe::Recipe;
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::BTreeMap;

/// The coarsest copy of a normal map that is asked, in texels.
const COARSEST: u32 = 64;

/// Maps that are held against the sculpt.
pub const ASKED_MAPS: [&str; 2] = ["normal", "displacement"];

/// What files say of the sculpt.
#[derive(Debug, Default, Serialize, JsonSchema)]
pub struct TruthsTold {
    /// The normal map at each mip level.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub lit: Vec<LevelTruth>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub displaced: Option<Displaced>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub seams: Option<Truth>,
}

/// A normal map read at a mip level; 0 is the file itself.
#[derive(Debug, Serialize, JsonSchema)]
pub struct LevelTruth {
    pub level: u32,
    #[serde(flatten)]
    pub truth: Truth,
}

/// A displacement map: how far the low-poly that it moves is from the sculpt.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Displaced {
    #[serde(flatten)]
    pub truth: Truth,
    /// The mean as a share of the asset's diagonal.
    pub mean_share: f32,
}

/// Something wrong with the files of a map.
#[derive(Debug, Serialize, JsonSchema)]
pub struct MapFault {
    pub map: String,
    pub fault: String,
    pub remedy: String,
}

/// The answer to every question.
#[derive(Debug, Default, Serialize, JsonSchema)]
pub struct AskedTruths {
    pub truths: TruthsTold,
    pub faults: Vec<MapFault>,
    /// What was not held against the sculpt, and why.
    pub notes: Vec<String>,
}

/// The recipe that the files of a bake are asked with: nothing but its rays is made ready, and what finishes add where they stand above
/// the sculpt.
///
/// # Errors
/// Why they cannot be asked.
pub fn asking(recipe: &Recipe) -> Result<Recipe, String> {
    if recipe.high.is_empty() {
        return Err("there is no sculpt to hold the files against".into());
    }
    let mut asking = Recipe { mends: Default::default(), ..recipe.clone() };
    let stands = recipe.finishes.iter().any(Finish::sets_height);
    if !stands {
        (asking.masks, asking.finishes) = (Vec::new(), Vec::new());
    }
    // Finishes may lie where an ID map says.
    asking.maps.retain(|map| stands && matches!(map, MapSettings::Id(_)));
    asking.maps.extend(MapSettings::by_key("displacement"));
    Ok(asking)
}

/// What is asked of a map by how it is read, the finest first.
pub fn questions(reads: Reads, scale: Option<f32>, width: u32) -> Vec<Question> {
    match reads {
        Reads::Direction { y } => {
            let reading = NormalReading::Tangent(y);
            let levels = (0..).take_while(|level| *level == 0 || width >> level >= COARSEST);
            levels.map(|level| Question::Lit { reading, level }).chain([Question::Seams { reading }]).collect()
        }
        Reads::Height => vec![Question::Displaced { scale, level: None }],
        Reads::Number { .. } | Reads::Color => Vec::new(),
    }
}

impl Truths<'_> {
    /// Asks everything of the files of some maps, each with its sheets as numbers.
    pub fn ask(&self, maps: &BTreeMap<&str, Vec<Image>>, report: &Report) -> AskedTruths {
        let counted = self.counts_finishes().then(|| "what finishes add to the sculpt is counted in".to_owned());
        let mut answer = AskedTruths { notes: counted.into_iter().collect(), ..AskedTruths::default() };
        for (key, sheets) in maps {
            let map = &report.maps[*key];
            let Some(reads) = map.reads else {
                answer
                    .notes
                    .push(format!("an earlier version made {key}, without saying how it is read; bake it again"));
                continue;
            };
            for question in questions(reads, map.scale, map.width) {
                let truth = self.truth(sheets, question);
                if truth.points == 0 {
                    // Without seams there is nothing to tell of them.
                    if matches!(question, Question::Lit { level: 0, .. } | Question::Displaced { .. }) {
                        answer.notes.push(format!("no ray meets the sculpt, so {key} is held against nothing"));
                    }
                    continue;
                }
                match question {
                    Question::Lit { level, .. } => answer.truths.lit.push(LevelTruth { level, truth }),
                    Question::Seams { .. } => answer.truths.seams = Some(truth),
                    Question::Displaced { .. } => {
                        let mean_share = truth.difference.mean / self.diagonal();
                        answer.truths.displaced = Some(Displaced { mean_share, truth });
                    }
                }
            }
            if map.mends > 0 {
                let mends = if map.mends == 1 { "a mend changes" } else { "mends change" };
                answer.notes.push(format!("{mends} {key} on purpose"));
            }
            let fault = match reads {
                Reads::Direction { y } => self.normal_fault(sheets, NormalReading::Tangent(y)),
                Reads::Height => self.height_fault(sheets, map.scale),
                Reads::Number { .. } | Reads::Color => None,
            };
            answer.faults.extend(fault.map(|[fault, remedy]| MapFault { map: (*key).to_owned(), fault, remedy }));
        }
        answer
    }
}
