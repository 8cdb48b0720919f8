//! Coats and finishes as sentences: what stands in the list, in the ledger and on an undo step.

use super::coats::{Base, BaseColor, Blend, Coat, DocumentSource, Finish, FinishOn, SetColor, SetNumber, SetTo};
use super::words::{figures, listed, lower_first, percent};

/// "multiplied by", "screened with"; nothing for one that lies over the rest.
fn blend_words(blend: Blend) -> &'static str {
    match blend {
        Blend::Over => "",
        Blend::Multiply => "multiplied by ",
        Blend::Screen => "screened with ",
        Blend::Add => "plus ",
        Blend::Minimum => "at most ",
        Blend::Maximum => "at least ",
    }
}

/// What it is set to where that is no value: "by gradient noise", "from wood.png".
fn source_words<T>(set: &SetTo<T>) -> String {
    match (&set.ramp, &set.picture) {
        (Some(ramp), _) => format!("by {}", ramp.over.words()),
        (None, Some(picture)) => {
            format!("from {}", picture.picture.as_ref().map_or("a picture", |p| p.file.as_str()))
        }
        (None, None) => "unset".into(),
    }
}

fn color_words(name: &str, set: &SetColor) -> String {
    let blend = blend_words(set.blend);
    let said = match set.value {
        Some(value) => format!("{name} {blend}{value}"),
        None => format!("{name} {blend}{}", source_words(set)),
    };
    if set.strength == 1.0 { said } else { format!("{said} times {}", figures(set.strength)) }
}

fn number_words(name: &str, set: &SetNumber) -> String {
    let blend = blend_words(set.blend);
    let value = set.value.map(|value| value * set.strength);
    match (name, value, set.blend) {
        ("metallic", Some(1.0), Blend::Over) => "metal".into(),
        ("metallic", Some(0.0), Blend::Over) => "not metal".into(),
        ("height", Some(value), Blend::Over) => format!("{} high", figures(value)),
        ("height", Some(value), Blend::Add) if value >= 0.0 => format!("raised by {}", figures(value)),
        ("height", Some(value), Blend::Add) => format!("sunk by {}", figures(-value)),
        (_, Some(value), _) => format!("{name} {blend}{}", figures(value)),
        (_, None, _) => format!("{name} {blend}{}", source_words(set)),
    }
}

fn upper_first(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or(String::new(), |first| first.to_uppercase().chain(letters).collect())
}

impl Coat {
    /// What it sets: "colour #7c2f22, roughness 0.55, not metal".
    pub fn what(&self) -> String {
        let sets = &self.sets;
        let colors = |name: &str, set: &Option<SetColor>| set.as_ref().map(|set| color_words(name, set));
        let numbers = |name: &str, set: &Option<SetNumber>| set.as_ref().map(|set| number_words(name, set));
        let said = [
            colors("colour", &sets.color),
            numbers("roughness", &sets.roughness),
            numbers("metallic", &sets.metallic),
            colors("glow", &sets.emission),
            numbers("opacity", &sets.opacity),
            numbers("height", &sets.height),
        ];
        let said: Vec<String> = said.into_iter().flatten().collect();
        if said.is_empty() { "nothing yet".into() } else { said.join(", ") }
    }

    /// The coat as a sentence without its full stop: "Colour #7c2f22, roughness 0.55; edges tighter than 0.05; at 60 %".
    pub fn sentence(&self) -> String {
        let mut said = upper_first(&self.what());
        if !self.place.terms.is_empty() || self.place.invert {
            said += &format!("; {}", lower_first(&self.place.sentence()));
        }
        if self.amount != 1.0 {
            said += &format!("; at {}", percent(self.amount));
        }
        said
    }
}

impl FinishOn {
    /// "everything", "part housing_low".
    pub fn words(&self) -> String {
        match self {
            FinishOn::All => "everything".into(),
            FinishOn::Parts(names) => format!("part {}", listed(names)),
            FinishOn::Materials(names) => format!("material {}", listed(names)),
            FinishOn::Ids(names) => format!("ID colour {}", listed(names)),
        }
    }
}

impl Finish {
    /// What lies below the coats: "Wood of boards.mtlx", or the base in words.
    pub fn ground_words(&self) -> String {
        match &self.materialx {
            None => self.base.words(),
            Some(DocumentSource { file, material: Some(material), .. }) => format!("{material} of {file}"),
            Some(DocumentSource { file, material: None, .. }) => file.clone(),
        }
    }
}

impl Base {
    /// "#8d9196, roughness 0.35, metal".
    pub fn words(&self) -> String {
        let mut said = match self.color {
            BaseColor::Value(color) => vec![color.to_string()],
            BaseColor::Of(_) => vec!["the sculpt's colour".to_owned()],
        };
        said.push(format!("roughness {}", figures(self.roughness)));
        said.push(number_words("metallic", &SetNumber::to(self.metallic)));
        if self.emission.0 != [0; 3] {
            said.push(format!("glow {}", self.emission));
        }
        if self.opacity != 1.0 {
            said.push(format!("opacity {}", figures(self.opacity)));
        }
        if self.height != 0.0 {
            said.push(format!("{} high", figures(self.height)));
        }
        said.join(", ")
    }
}

/// Finishes that came, went or changed, in words.
pub fn finishes_changed(before: &[Finish], after: &[Finish]) -> Vec<String> {
    let mut said = Vec::new();
    for finish in after {
        match before.iter().find(|f| f.name == finish.name) {
            None => said.push(format!("finish {} added to {}", finish.name, finish.on.words())),
            Some(old) => said.extend(finish_changed(old, finish)),
        }
    }
    let gone = before.iter().filter(|finish| !after.iter().any(|f| f.name == finish.name));
    said.extend(gone.map(|finish| format!("finish {} removed", finish.name)));
    let order = |list: &[Finish], others: &[Finish]| -> Vec<String> {
        let both = list.iter().filter(|f| others.iter().any(|o| o.name == f.name));
        both.map(|f| f.name.clone()).collect()
    };
    if order(before, after) != order(after, before) {
        said.push("finishes in another order".into());
    }
    said
}

fn finish_changed(old: &Finish, new: &Finish) -> Vec<String> {
    let name = &new.name;
    let mut said = Vec::new();
    if old.on != new.on {
        said.push(format!("finish {name} on {}", new.on.words()));
    }
    if old.base != new.base || old.materialx != new.materialx {
        said.push(format!("base of {name}: {}", new.ground_words()));
    }
    for coat in &new.coats {
        match old.coats.iter().find(|c| c.name == coat.name) {
            None => said.push(format!("coat {} of {name} added", coat.name)),
            Some(was) if was != coat => said.push(format!("coat {} of {name}: {}", coat.name, coat_change(was, coat))),
            Some(_) => {}
        }
    }
    let gone = old.coats.iter().filter(|coat| !new.coats.iter().any(|c| c.name == coat.name));
    said.extend(gone.map(|coat| format!("coat {} of {name} removed", coat.name)));
    let order = |list: &Finish, others: &Finish| -> Vec<String> {
        let both = list.coats.iter().filter(|c| others.coats.iter().any(|o| o.name == c.name));
        both.map(|c| c.name.clone()).collect()
    };
    if order(old, new) != order(new, old) {
        said.push(format!("coats of {name} in another order"));
    }
    said
}

fn coat_change(old: &Coat, new: &Coat) -> String {
    match (old.muted == new.muted, old.solo == new.solo) {
        (false, _) => return if new.muted { "muted" } else { "no longer muted" }.into(),
        (true, false) => return if new.solo { "solo" } else { "no longer solo" }.into(),
        (true, true) => {}
    }
    if old.what() != new.what() {
        return new.what();
    }
    if old.place.sentence() != new.place.sentence() {
        return lower_first(&new.place.sentence());
    }
    if old.amount != new.amount {
        return format!("at {}", percent(new.amount));
    }
    match (old.group == new.group, old.place == new.place) {
        (false, _) => new.group.as_ref().map_or("out of its group".into(), |group| format!("in group {group}")),
        (true, false) => new.place.change_since(&old.place),
        (true, true) => "changed".into(),
    }
}
