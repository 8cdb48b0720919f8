//! How a recipe pairs low-poly parts with parts of the sculpt: the rule, the suffixes it ignores, and what was
//! decided manually.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Which high-poly parts the rays of a low-poly part may hit.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Pairing {
    /// Parts whose names agree once their endings are taken off.
    #[default]
    Names,
    /// Each high-poly part goes to the low-poly part that most of it lies nearest to.
    Space,
    /// Every part sees every part.
    All,
}

/// Suffixes of names that tell what a part or file is. Case, dots, dashes and spaces do not
/// matter.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Endings {
    pub low: Vec<String>,
    pub high: Vec<String>,
    pub cage: Vec<String>,
}

impl Default for Endings {
    fn default() -> Self {
        let words = |all: &[&str]| all.iter().map(|w| (*w).to_owned()).collect();
        Endings {
            low: words(&["_low", "_lo", "_lp", "_lowpoly"]),
            high: words(&["_high", "_hi", "_hp", "_highpoly"]),
            cage: words(&["_cage"]),
        }
    }
}

/// A side has at most this many endings, each of at most so many characters.
const MOST_ENDINGS: usize = 24;
const LONGEST_ENDING: usize = 40;

/// A name as endings are compared with it.
pub fn plain_name(name: &str) -> String {
    name.trim().to_lowercase().replace(['.', '-', ' '], "_")
}

/// What a file's name says it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NamedRole {
    Low,
    High,
    Cage,
}

impl Endings {
    /// What a file is by the longest ending that its name has before its extension; none when no ending fits.
    pub fn role_of(&self, file: &str) -> Option<NamedRole> {
        let plain = plain_name(file.rsplit_once('.').map_or(file, |(stem, _)| stem));
        let roles = [(NamedRole::Low, &self.low), (NamedRole::High, &self.high), (NamedRole::Cage, &self.cage)];
        let fitting = roles.into_iter().flat_map(|(role, endings)| {
            let plain = &plain;
            let fits = move |e: &String| !e.is_empty() && plain.ends_with(e.as_str());
            endings.iter().map(|e| plain_name(e)).filter(fits).map(move |e| (role, e.len()))
        });
        let longest = |best: Option<(NamedRole, usize)>, next: (NamedRole, usize)| match best {
            // Of suffixes of one length the first counts.
            Some(best) if best.1 >= next.1 => Some(best),
            _ => Some(next),
        };
        fitting.fold(None, longest).map(|(role, _)| role)
    }

    /// A name without case and without the longest ending that fits it.
    pub fn stem(&self, name: &str) -> String {
        let plain = plain_name(name);
        let fits = |e: &&String| !e.is_empty() && plain.len() > e.len() && plain.ends_with(e.as_str());
        let endings: Vec<String> = self.low.iter().chain(&self.high).chain(&self.cage).map(|e| plain_name(e)).collect();
        let longest = endings.iter().filter(fits).map(String::len).max().unwrap_or(0);
        plain[..plain.len() - longest].to_owned()
    }

    /// A sculpt's name as that of its low-poly: with the first ending of low-polys in place of its own.
    pub fn low_name(&self, name: &str) -> String {
        let own = self.stem(name).chars().count();
        let stem: String = name.trim().chars().take(own).collect();
        format!("{stem}{}", self.low.first().map_or("_low", String::as_str))
    }

    /// A name for an asset from the name of one of its files: without extension and ending, its words apart, the first with a
    /// capital. None when nothing is left.
    pub fn asset_name(&self, file: &str) -> Option<String> {
        let stem = file.rsplit_once('.').map_or(file, |(stem, _)| stem);
        let own = self.stem(stem).chars().count();
        let words: String = stem.trim().chars().take(own).map(|c| if "._- ".contains(c) { ' ' } else { c }).collect();
        let words = words.split_whitespace().collect::<Vec<_>>().join(" ");
        let mut letters = words.chars();
        letters.next().map(|first| first.to_uppercase().chain(letters).collect())
    }

    /// # Errors
    /// The field, what it holds, what it may hold.
    pub fn validate(&self) -> Result<(), String> {
        for (side, endings) in [("low", &self.low), ("high", &self.high), ("cage", &self.cage)] {
            if endings.len() > MOST_ENDINGS {
                return Err(format!("endings.{side} has {} entries; give at most {MOST_ENDINGS}", endings.len()));
            }
            if let Some(bad) = endings.iter().find(|e| e.trim().is_empty() || e.chars().count() > LONGEST_ENDING) {
                return Err(format!("endings.{side} holds '{bad}'; give 1 to {LONGEST_ENDING} characters"));
            }
        }
        Ok(())
    }
}

/// A high-poly part paired manually: seen by these low-poly parts and no others, whatever the rule says.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct HandPair {
    pub high: String,
    /// Low-poly parts by name; none hides the part from every ray.
    pub low: Vec<String>,
}
