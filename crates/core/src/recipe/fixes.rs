//! Fixes that findings offer, taken into a recipe: each is a step that is recorded with the files it is for.

use super::{MeshSource, Recipe};
use crate::finding::{Finding, Fix, FixOn};
use crate::step::{MeshStep, room_last};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A fix that was chosen.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FixOrder {
    /// The file that was checked; none where the fix is for the whole sculpt.
    pub file: Option<String>,
    pub step: MeshStep,
    pub on: FixOn,
}

impl FixOrder {
    /// The order for a fix that a finding offers.
    pub fn of(finding: &Finding, fix: &Fix) -> FixOrder {
        FixOrder { file: finding.place.file.clone(), step: fix.step.clone(), on: fix.on }
    }
}

/// The first fix that each open finding offers, each once; while other fixes are offered, none that lays islands out is among them.
pub fn safe_fixes<'a>(findings: impl IntoIterator<Item = &'a Finding>) -> Vec<FixOrder> {
    let open = findings.into_iter().filter(|f| f.allowed.is_none());
    let mut orders: Vec<FixOrder> = Vec::new();
    for order in open.filter_map(|f| Some(FixOrder::of(f, f.fixes.first()?))) {
        if !orders.contains(&order) {
            orders.push(order);
        }
    }
    room_last(&mut orders, |order| &order.step);
    orders
}

impl Recipe {
    /// Records a fix with the files it is for.
    ///
    /// # Errors
    /// No file of the recipe has the name that the fix is for.
    pub fn take_fix(&mut self, order: &FixOrder) -> Result<(), String> {
        let sources: Vec<&mut MeshSource> = match order.on {
            FixOn::Sculpt => self.high.iter_mut().collect(),
            FixOn::File => {
                let own = |s: &&mut MeshSource| Some(&s.file) == order.file.as_ref();
                // A file of that name among the low-poly's comes first, as it is the one that has checks of its own.
                match self.low.iter().any(|s| Some(&s.file) == order.file.as_ref()) {
                    true => self.low.iter_mut().filter(own).collect(),
                    false => self.high.iter_mut().filter(own).collect(),
                }
            }
        };
        if sources.is_empty() {
            return Err(format!("there is no file '{}' to fix", order.file.as_deref().unwrap_or_default()));
        }
        for source in sources {
            source.steps.push(order.step.clone());
        }
        Ok(())
    }
}
