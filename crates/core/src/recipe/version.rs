//! Recipes of other versions: older ones are brought up to this program's, newer ones are refused by name. A recipe is read through
//! here wherever it comes from: a file, the store, a request.

use super::{RECIPE_VERSION, Recipe};
use serde_json::Value;

/// What leads from one version to the next: the first entry from 1 to 2.
type Step = fn(&mut Value);
const STEPS: &[Step] = &[];
const _: () = assert!(STEPS.len() + 1 == RECIPE_VERSION as usize, "every older version needs its step");

impl Recipe {
    /// Reads a recipe of this version or an older one from JSON text.
    ///
    /// # Errors
    /// One sentence: the line or field, what is wrong with it.
    pub fn from_json(text: &str) -> Result<Recipe, String> {
        let value: Value = serde_json::from_str(text).map_err(|e| format!("it is not valid JSON: {e}"))?;
        if value.get("version").and_then(Value::as_u64) == Some(u64::from(RECIPE_VERSION)) {
            // From the text itself, so that an error names its line.
            return serde_json::from_str(text).map_err(|e| e.to_string());
        }
        Recipe::from_value(value)
    }

    /// The same from a value.
    ///
    /// # Errors
    /// The field, and what is wrong with it.
    pub fn from_value(value: Value) -> Result<Recipe, String> {
        serde_json::from_value(brought_up(value, STEPS)?).map_err(|e| e.to_string())
    }
}

/// A recipe's JSON at the version that the last of `steps` leads to.
fn brought_up(mut value: Value, steps: &[Step]) -> Result<Value, String> {
    let newest = steps.len() as u64 + 1;
    let version = value.get("version").and_then(Value::as_u64);
    let Some(version) = version.filter(|v| (1..=newest).contains(v)) else {
        let held = value.get("version").map_or("missing".to_owned(), Value::to_string);
        return Err(format!("version is {held}; this program reads recipes of version 1 to {newest}"));
    };
    for (number, step) in steps.iter().enumerate().skip(version as usize - 1) {
        step(&mut value);
        value["version"] = Value::from(number + 2);
    }
    Ok(value)
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn doubled(value: &mut Value) {
        value["size"] = json!(value["size"].as_u64().unwrap_or(0) * 2);
    }

    fn renamed(value: &mut Value) {
        value["side"] = value["size"].take();
    }

    #[test]
    fn each_step_is_taken_once_from_where_a_recipe_stands() {
        let steps: &[Step] = &[doubled, renamed];
        let from = |version: u64| brought_up(json!({ "version": version, "size": 8 }), steps);
        assert_eq!(from(1), Ok(json!({ "version": 3, "size": null, "side": 16 })));
        assert_eq!(from(2), Ok(json!({ "version": 3, "size": null, "side": 8 })));
        assert_eq!(from(3), Ok(json!({ "version": 3, "size": 8 })));
        for wrong in [json!({}), json!({ "version": 0 }), json!({ "version": 4 }), json!({ "version": "1" }), json!([])]
        {
            assert!(brought_up(wrong.clone(), steps).is_err_and(|e| e.contains("version 1 to 3")), "{wrong}");
        }
    }
}
