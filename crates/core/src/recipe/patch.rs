//! A recipe edited from several places at once: what one edit changed, as a list of small changes, and how such a list is laid over
//! a recipe that has moved on since. What the two sides touched apart merges; what both touched is answered with both values.
//!
//! A place is named by the fields and keys that lead to it. Lists whose entries have a name of their own (maps, masks, finishes and their
//! coats, files, pairs made by hand, parts with a reach of their own) are entered by that name; lists that only grow (strokes, steps) are
//! added to at `+`; every other list is one value.

use super::Recipe;
use crate::change::Change;
use crate::maps::MAPS;
use schemars::JsonSchema;
use serde::Serialize;
use serde_json::{Map, Value};

/// A place that both sides changed, each to something else.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Conflict {
    pub at: Vec<String>,
    /// The place in words.
    pub words: String,
    /// What the edit wants there; none when it clears the place.
    pub mine: Option<Value>,
    /// What stands there by now.
    pub theirs: Option<Value>,
}

/// Why changes were not laid over a recipe.
#[derive(Clone, Debug, PartialEq)]
pub enum PatchFault {
    Conflicts(Vec<Conflict>),
    /// A place that is not there, or a recipe that would not be one.
    Wrong(String),
}

/// Where entries are added to a list.
const ADDED: &str = "+";

/// The most changes one edit may hold.
pub const MOST_CHANGES: usize = 4096;

/// Lists whose entries have a name of their own: the place, and the fields that name an entry, those that it has joined by colons. The
/// page has this table from here.
pub const NAMED_LISTS: &[(&str, &[&str])] = &[
    ("maps", &["map", "mask", "name"]),
    ("masks", &["name"]),
    ("finishes", &["name"]),
    ("finishes/*/coats", &["name"]),
    ("low", &["file"]),
    ("high", &["file"]),
    ("hand_pairs", &["high"]),
    ("reach/parts", &["part"]),
];

/// Lists that only grow, step by step; `*` stands for any name.
pub const GROWING_LISTS: &[&str] = &["reach/strokes", "mends/strokes", "exceptions", "low/*/steps", "high/*/steps"];

fn is_at(at: &[String], place: &str) -> bool {
    at.len() == place.split('/').count() && at.iter().zip(place.split('/')).all(|(name, p)| p == "*" || name == p)
}

/// The fields that name the entries of a list.
fn key_of(at: &[String]) -> Option<&'static [&'static str]> {
    NAMED_LISTS.iter().find(|(place, _)| is_at(at, place)).map(|(_, key)| *key)
}

/// The name of an entry; None where it has none of the fields.
fn name_of(entry: &Value, key: &[&str]) -> Option<String> {
    let fields: Vec<&str> = key.iter().filter_map(|field| entry[field].as_str()).collect();
    (!fields.is_empty()).then(|| fields.join(":"))
}

fn grows(at: &[String]) -> bool {
    GROWING_LISTS.iter().any(|place| is_at(at, place))
}

fn with(at: &[String], next: &str) -> Vec<String> {
    [at, &[next.to_owned()]].concat()
}

/// By way of the text, in which a number is as short as everyone else sees it.
fn to_value(recipe: &Recipe) -> Value {
    let text = serde_json::to_string(recipe).expect("recipes have string keys and finite numbers only");
    serde_json::from_str(&text).expect("just written")
}

/// What leads from one recipe to another.
pub fn difference(before: &Recipe, after: &Recipe) -> Vec<Change> {
    let mut changes = Vec::new();
    compare(&[], Some(&to_value(before)), Some(&to_value(after)), &mut changes);
    changes
}

fn compare(at: &[String], before: Option<&Value>, after: Option<&Value>, changes: &mut Vec<Change>) {
    if before == after {
        return;
    }
    match (before, after) {
        (Some(Value::Object(a)), Some(Value::Object(b))) => {
            for key in a.keys().chain(b.keys().filter(|k| !a.contains_key(*k))) {
                compare(&with(at, key), a.get(key), b.get(key), changes);
            }
        }
        // A list that is empty is left out of a recipe.
        (a, b) if grows(at) && begins_with(list_of(b), list_of(a)) => {
            let added = list_of(b)[list_of(a).len()..].to_vec();
            changes.push(Change { at: with(at, ADDED), to: Some(added.into()) });
        }
        (a, b) => match key_of(at).and_then(|key| by_key(key, list_of(a), list_of(b))) {
            Some((keys, a, b)) => {
                let find =
                    |list: &[(String, Value)], key: &str| list.iter().find(|(k, _)| k == key).map(|(_, v)| v.clone());
                for key in keys {
                    compare(&with(at, &key), find(&a, &key).as_ref(), find(&b, &key).as_ref(), changes);
                }
            }
            None => changes.push(Change { at: at.to_vec(), to: b.cloned() }),
        },
    }
}

fn list_of(value: Option<&Value>) -> &[Value] {
    value.and_then(Value::as_array).map_or(&[], Vec::as_slice)
}

fn begins_with(whole: &[Value], start: &[Value]) -> bool {
    whole.len() > start.len() && whole[..start.len()] == *start
}

type Keyed = Vec<(String, Value)>;

/// Two lists by the names of their entries, when each name stands once and those in both stand in one order, new ones last.
fn by_key(key: &[&str], a: &[Value], b: &[Value]) -> Option<(Vec<String>, Keyed, Keyed)> {
    let keyed = |list: &[Value]| -> Option<Keyed> {
        let entries: Keyed = list.iter().map(|v| Some((name_of(v, key)?, v.clone()))).collect::<Option<_>>()?;
        let twice = |i: usize| entries[..i].iter().any(|(k, _)| *k == entries[i].0);
        (!(0..entries.len()).any(twice)).then_some(entries)
    };
    let (a, b) = (keyed(a)?, keyed(b)?);
    let names = |list: &Keyed| list.iter().map(|(k, _)| k.clone()).collect::<Vec<_>>();
    let (had, has) = (names(&a), names(&b));
    let kept: Vec<&String> = had.iter().filter(|k| has.contains(k)).collect();
    let added: Vec<&String> = has.iter().filter(|k| !had.contains(k)).collect();
    let in_order = has.iter().eq(kept.into_iter().chain(added.iter().copied()));
    in_order.then(|| (had.iter().chain(added).cloned().collect(), a, b))
}

/// Lays changes, made to `base`, over `head`. With `base` the same as `head` nothing can stand against them.
///
/// # Errors
/// [`PatchFault::Conflicts`] for places that were changed to something else between the two; [`PatchFault::Wrong`] for a place that
/// no recipe has or a value that cannot stand there.
pub fn merge(base: &Recipe, head: &Recipe, changes: &[Change]) -> Result<Recipe, PatchFault> {
    if changes.len() > MOST_CHANGES {
        let text = format!("{} changes at once; at most {MOST_CHANGES} are taken", changes.len());
        return Err(PatchFault::Wrong(text));
    }
    let theirs = difference(base, head);
    let mut value = to_value(head);
    let against = |change: &&Change| {
        let added = change.at.last().is_some_and(|l| l == ADDED);
        theirs.iter().any(|t| {
            // Both may add to one list; both may have done the same.
            let together = t.at == change.at && (added || t.to == change.to);
            !together && overlap(&t.at, &change.at)
        })
    };
    let conflicts: Vec<Conflict> = changes.iter().filter(against).map(|change| conflict(&value, change)).collect();
    if !conflicts.is_empty() {
        return Err(PatchFault::Conflicts(conflicts));
    }
    for change in changes {
        put(&mut value, &change.at, change.to.as_ref())
            .map_err(|fault| PatchFault::Wrong(format!("{}: {fault}", change.at.join("."))))?;
    }
    let merged: Recipe = serde_json::from_value(value).map_err(|e| PatchFault::Wrong(format!("recipe: {e}")))?;
    merged.validate_settings().map_err(PatchFault::Wrong)?;
    Ok(merged)
}

/// Every change as a conflict: for changes to a recipe that nobody has any more, so that it cannot be told what else was touched since.
pub fn all_in_conflict(head: &Recipe, changes: &[Change]) -> Vec<Conflict> {
    let value = to_value(head);
    changes.iter().map(|change| conflict(&value, change)).collect()
}

fn conflict(head: &Value, change: &Change) -> Conflict {
    let theirs = at(head, &change.at).cloned();
    Conflict { at: change.at.clone(), words: words(&change.at), mine: change.to.clone(), theirs }
}

/// Whether one place lies in the other. What is added to a list lies in the list.
fn overlap(a: &[String], b: &[String]) -> bool {
    a.iter().zip(b).all(|(x, y)| x == y)
}

fn at<'a>(value: &'a Value, place: &[String]) -> Option<&'a Value> {
    let mut here = value;
    for (depth, name) in place.iter().enumerate() {
        if name == ADDED {
            return Some(here);
        }
        here = match here {
            Value::Object(map) => map.get(name)?,
            Value::Array(list) => {
                let key = key_of(&place[..depth])?;
                list.iter().find(|v| name_of(v, key).as_ref() == Some(name))?
            }
            _ => return None,
        };
    }
    Some(here)
}

/// Puts a value at a place, or clears it.
fn put(value: &mut Value, place: &[String], to: Option<&Value>) -> Result<(), String> {
    let Some((last, way)) = place.split_last() else { return Err("it names no place".into()) };
    let mut here = value;
    for (depth, name) in way.iter().enumerate() {
        here = enter(here, &place[..depth], name, way.get(depth + 1).unwrap_or(last))?;
    }
    match here {
        Value::Array(list) if last == ADDED => {
            let Some(Value::Array(added)) = to else { return Err("what is added is a list".into()) };
            list.extend(added.iter().cloned());
        }
        Value::Array(list) => {
            let key = key_of(way).ok_or("this list has no named entries")?;
            let found = list.iter().position(|v| name_of(v, key).as_ref() == Some(last));
            match (found, to) {
                (Some(i), Some(to)) => list[i] = to.clone(),
                (Some(i), None) => drop(list.remove(i)),
                (None, Some(to)) => list.push(to.clone()),
                (None, None) => {}
            }
        }
        Value::Object(map) => match to {
            Some(to) => drop(map.insert(last.clone(), to.clone())),
            None => drop(map.remove(last)),
        },
        _ => return Err("nothing can stand there".into()),
    }
    Ok(())
}

/// One step on the way to a place; lists and groups that a recipe leaves out while they are empty are made.
fn enter<'a>(here: &'a mut Value, at: &[String], name: &str, next: &str) -> Result<&'a mut Value, String> {
    match here {
        Value::Object(map) => {
            let place = with(at, name);
            let list = key_of(&place).is_some() || next == ADDED;
            let fresh = || if list { Value::Array(Vec::new()) } else { Value::Object(Map::new()) };
            Ok(map.entry(name).or_insert_with(fresh))
        }
        Value::Array(list) => {
            let key = key_of(at).ok_or("this list has no named entries")?;
            list.iter_mut()
                .find(|v| name_of(v, key).as_deref() == Some(name))
                .ok_or_else(|| format!("'{name}' is not there"))
        }
        _ => Err(format!("'{name}' is not there")),
    }
}

/// A place as a person would name it: "Ambient occlusion: rays".
fn words(at: &[String]) -> String {
    let names: Vec<&str> = at.iter().map(String::as_str).filter(|n| *n != ADDED).collect();
    match names[..] {
        ["maps", id, ref rest @ ..] => {
            let (kind, name) = id.split_once(':').unwrap_or((id, ""));
            let label = MAPS.iter().find(|m| m.id == kind).map_or(kind, |m| m.label);
            let label = format!("{label} {name}").trim_end().to_owned();
            if rest.is_empty() { label } else { format!("{label}: {}", rest.join(" ")) }
        }
        ["masks", name, ref rest @ ..] => {
            let rest: Vec<&str> = rest.iter().copied().filter(|field| *field != "place").collect();
            if rest.is_empty() { format!("mask {name}") } else { format!("mask {name}: {}", rest.join(" ")) }
        }
        ["finishes", name] => format!("finish {name}"),
        ["finishes", name, "coats", coat, ref rest @ ..] => {
            let rest: Vec<&str> = rest.iter().copied().filter(|field| !matches!(*field, "sets" | "place")).collect();
            let coat = format!("coat {coat} of finish {name}");
            if rest.is_empty() { coat } else { format!("{coat}: {}", rest.join(" ")) }
        }
        ["finishes", name, ref rest @ ..] => format!("finish {name}: {}", rest.join(" ")),
        ["low", file, ref rest @ ..] | ["high", file, ref rest @ ..] => {
            if rest.is_empty() {
                file.to_owned()
            } else {
                format!("{file}: {}", rest.join(" "))
            }
        }
        _ => names.join(" ").replace('_', " "),
    }
}
