//! How many rays each texel gets.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Rays per texel that may be asked for.
pub const RAY_COUNTS: [u32; 8] = [4, 8, 16, 32, 64, 128, 256, 512];

/// Rays after which a texel's error is first asked for.
pub(super) const FIRST_LOOK: u32 = 16;

/// Rays that may be the most where they follow from an error: those that leave room after the first look.
pub fn most_ray_counts() -> impl Iterator<Item = u32> {
    RAY_COUNTS.into_iter().filter(|&rays| rays > FIRST_LOOK)
}

/// Numbers as they are offered: `4, 8 or 16`.
fn listed(counts: impl IntoIterator<Item = u32>) -> String {
    let mut words: Vec<String> = counts.into_iter().map(|n| n.to_string()).collect();
    let last = words.pop().unwrap_or_default();
    format!("{} or {last}", words.join(", "))
}

/// Standard errors that may be asked for, shares of the full range.
pub const RAY_ERRORS: std::ops::RangeInclusive<f32> = 0.001..=0.2;

/// How many rays each texel gets, dealt out over its samples.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(untagged, expecting = "give a number of rays, or {\"most\": 256, \"error\": 0.01}")]
pub enum Rays {
    /// As many for each: a power of two from 4 to 512.
    Fixed(u32),
    /// As many as its error asks for.
    ByError(RaysByError),
}

/// Each texel gets rays until its estimated standard error is met.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RaysByError {
    /// Where every texel ends, met or not: a power of two from 32 to 512.
    pub most: u32,
    /// Standard error of a texel's value, of full range 1.
    pub error: f32,
}

impl From<u32> for Rays {
    fn from(rays: u32) -> Rays {
        Rays::Fixed(rays)
    }
}

impl Rays {
    /// The most that a texel may get.
    pub fn most(self) -> u32 {
        match self {
            Rays::Fixed(rays) | Rays::ByError(RaysByError { most: rays, .. }) => rays,
        }
    }

    /// The error at which a texel has enough, where the number follows from it.
    pub(super) fn error(self) -> Option<f32> {
        match self {
            Rays::Fixed(_) => None,
            Rays::ByError(RaysByError { error, .. }) => Some(error),
        }
    }

    /// The same with no texel above `limit`.
    pub fn at_most(self, limit: u32) -> Rays {
        match self {
            Rays::ByError(RaysByError { error, most }) if limit > FIRST_LOOK => {
                Rays::ByError(RaysByError { error, most: most.min(limit) })
            }
            Rays::Fixed(rays) | Rays::ByError(RaysByError { most: rays, .. }) => Rays::Fixed(rays.min(limit)),
        }
    }

    /// For the ledger.
    pub(crate) fn words(self) -> String {
        match self {
            Rays::Fixed(rays) => format!("{rays} rays"),
            Rays::ByError(RaysByError { most, error }) => format!("up to {most} rays for an error of {error}"),
        }
    }

    pub(crate) fn check(self) -> Result<(), String> {
        match self {
            Rays::Fixed(rays) if !RAY_COUNTS.contains(&rays) => {
                Err(format!("rays is {rays}; give {}", listed(RAY_COUNTS)))
            }
            Rays::ByError(RaysByError { most, .. }) if !most_ray_counts().any(|n| n == most) => {
                Err(format!("rays.most is {most}; give {}", listed(most_ray_counts())))
            }
            Rays::ByError(RaysByError { error, .. }) if !RAY_ERRORS.contains(&error) => {
                Err(format!("rays.error is {error}; give {} to {}", RAY_ERRORS.start(), RAY_ERRORS.end()))
            }
            Rays::Fixed(_) | Rays::ByError(_) => Ok(()),
        }
    }
}
