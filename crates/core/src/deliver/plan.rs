//! Which files a profile makes of a run, and what stands against that, before anything is written.

use super::names::{NameFields, Pattern};
use super::profile::{Channel, Holds, Pick, PictureRule, Profile};
use crate::bake::{MapFacts, MapReport, Report};
use crate::finding::{Finding, FindingKind, Severity};
use crate::maps::{Green, Reads};
use crate::mesh::Mesh;
use crate::picture::{Depth, ImageFormat};
use crate::sheet::{Layout, SheetName, sheet_table};
use std::collections::{BTreeMap, BTreeSet};

/// Characters of a delivered file's path within the delivery, at most.
const MOST_PATH: usize = 200;

/// A map of a run as it can be delivered.
#[derive(Clone, Debug)]
pub struct SourceMap<'a> {
    pub facts: MapFacts,
    pub report: &'a MapReport,
    pub reads: Reads,
}

impl SourceMap<'_> {
    /// Names of its files, sheet by sheet.
    pub fn files(&self) -> Vec<&str> {
        match self.report.files.is_empty() {
            true => vec![&self.report.file],
            false => self.report.files.iter().map(|sheet| sheet.file.as_str()).collect(),
        }
    }

    /// Heights in whole numbers: the distance from black to white, scene units, whether its own file is of whole numbers or not.
    pub fn whole_scale(&self) -> Option<f32> {
        (self.reads == Reads::Height).then(|| {
            let furthest = 2.0 * self.report.extreme.unwrap_or(0.0);
            self.report.scale.unwrap_or(if furthest > 0.0 { furthest } else { 1.0 })
        })
    }

    /// Colours are regions, of which no mean is taken.
    pub fn flat(&self) -> bool {
        self.facts.kind().flat
    }

    /// Its green turns with the way the sheet's V runs.
    pub fn tangent_space(&self) -> bool {
        matches!(self.reads, Reads::Direction { .. }) && self.facts.settings.tangent_space()
    }

    /// Its file holds floats.
    pub fn floats(&self) -> bool {
        self.facts.floats()
    }
}

/// The maps of a run that have files, in the order of its recipe.
pub fn sources_of(report: &Report) -> Vec<SourceMap<'_>> {
    let recipe = &report.recipe;
    let source = |settings| {
        let facts = MapFacts::new(settings, recipe);
        let report = report.maps.get(facts.key()).filter(|map| map.error.is_none() && !map.file.is_empty())?;
        let reads = report.reads.unwrap_or_else(|| facts.settings.reads(1.0));
        Some(SourceMap { facts, report, reads })
    };
    recipe.maps.iter().filter_map(source).collect()
}

/// The sheets of a run.
pub fn sheet_names(report: &Report) -> Vec<SheetName> {
    let name = |label: &String| match report.recipe.sheet.layout {
        Layout::One => SheetName::One,
        Layout::Materials => SheetName::Material(label.clone()),
        Layout::Udim => label.parse().map_or(SheetName::One, SheetName::Udim),
    };
    if report.sheets.is_empty() { vec![SheetName::One] } else { report.sheets.iter().map(name).collect() }
}

/// Where a channel of a planned picture comes from.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum PlannedChannel {
    /// The same everywhere, as the file is to hold it.
    Value(f32),
    /// A channel of one of the picture's maps.
    Map { used: usize, channel: usize, invert: bool },
}

/// A map that a planned picture reads.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct UsedMap {
    /// Its number among [`sources_of`].
    pub source: usize,
    pub reads: Reads,
    /// Channels of its file.
    pub channels: usize,
    pub floats: bool,
    pub flat: bool,
    /// Green is turned round.
    pub turn_green: bool,
    /// As [`SourceMap::whole_scale`].
    pub scale: Option<f32>,
}

/// A picture file that a delivery will hold.
#[derive(Clone, Debug, PartialEq)]
pub struct PlannedPicture {
    /// Path within the delivery, with `/`.
    pub file: String,
    /// The number of its rule in the profile.
    pub rule: usize,
    /// Counted from 0.
    pub sheet: usize,
    /// Texels per side of the file.
    pub size: u32,
    /// So many texels of the run per side become one.
    pub shrink: u32,
    pub format: ImageFormat,
    pub depth: Depth,
    /// Colours meant to be seen, and marked so.
    pub color: bool,
    pub flip_v: bool,
    /// Rounding to 8 bit is spread over neighbouring texels.
    pub dither: bool,
    pub used: Vec<UsedMap>,
    pub channels: Vec<PlannedChannel>,
    /// How its numbers are read, in a sentence.
    pub encoding: String,
    /// Heights in whole numbers: the distance from black to white, scene units.
    pub scale: Option<f32>,
}

impl PlannedPicture {
    /// Whether the file holds floats.
    pub fn floats(&self) -> bool {
        self.depth == Depth::Float || self.format == ImageFormat::Exr
    }
}

/// The files of a delivery, and what stands against it. Faults among the findings forbid it.
#[derive(Clone, Debug, Default)]
pub struct Delivery {
    pub pictures: Vec<PlannedPicture>,
    pub findings: Vec<Finding>,
}

impl Delivery {
    pub fn forbidden(&self) -> bool {
        self.findings.iter().any(|finding| finding.severity == Severity::Fault)
    }
}

/// What a delivery is named by besides its run.
#[derive(Clone, Debug, PartialEq)]
pub struct DeliveryNames {
    /// Its version, counted from 1.
    pub version: u32,
    /// As [`parts_of`]; where there are none, no name holds a part.
    pub parts: Vec<String>,
}

/// Works out the files that `profile` makes of the run, by its maps, its sheets and their size.
///
/// # Errors
/// The profile is not valid.
pub fn plan_delivery(profile: &Profile, report: &Report, names: &DeliveryNames) -> Result<Delivery, String> {
    profile.validate()?;
    let pattern = Pattern::parse(&profile.pattern).map_err(|fault| fault.to_string())?;
    let sources = sources_of(report);
    let mut delivery = Delivery::default();
    let shrink = sources.first().map_or(1, |map| shrink_of(map.report.width, profile.most_size));
    if let (Some(most), Some(map)) = (profile.most_size, sources.first())
        && map.report.width / shrink > most
    {
        let (size, reached) = (map.report.width, map.report.width / shrink);
        delivery.findings.push(Finding::new(
            FindingKind::DeliverySize,
            Severity::Warning,
            format!("{most} texels per side are wanted, but {size} can only be halved to {reached}"),
            "Choose another size in the profile, or bake at one that halves evenly",
        ));
    }
    let sheets = sheet_names(report);
    for (rule, picture) in profile.pictures.iter().enumerate() {
        let Some(mixed) = mixed(picture, profile.y, &sources, report, &mut delivery.findings) else { continue };
        for (sheet, name) in sheets.iter().enumerate() {
            let size = sources.first().map_or(0, |map| map.report.width) / shrink;
            let (material, tile) = match name {
                SheetName::One => (String::new(), String::new()),
                SheetName::Material(material) => (material.clone(), String::new()),
                SheetName::Udim(number) => (String::new(), number.to_string()),
            };
            let fields = NameFields {
                asset: asset_name(report),
                sheet: material,
                part: names.parts.get(sheet).cloned().unwrap_or_default(),
                map: picture.suffix.clone(),
                size,
                tile,
                version: names.version,
            };
            delivery.pictures.push(PlannedPicture {
                file: format!("{}.{}", pattern.name(&fields), picture.format.extension()),
                rule,
                sheet,
                size,
                shrink,
                format: picture.format,
                depth: picture.depth,
                color: mixed.color,
                flip_v: profile.flip_v,
                dither: mixed.dither,
                used: mixed.used.clone(),
                channels: mixed.channels.clone(),
                encoding: mixed.encoding.clone(),
                scale: mixed.scale,
            });
        }
    }
    delivery.findings.extend(clashes(&delivery.pictures));
    crate::finding::worst_first(&mut delivery.findings);
    Ok(delivery)
}

/// Of each sheet of a run, the part of the low-poly that it holds alone; empty otherwise.
pub fn parts_of(low: &Mesh, report: &Report) -> Vec<String> {
    let sheets = sheet_names(report).len();
    let labels = if report.sheets.is_empty() { vec![String::new()] } else { report.sheets.clone() };
    let table = sheet_table(low, report.recipe.sheet.layout, &labels);
    let mut parts: Vec<BTreeSet<usize>> = vec![BTreeSet::new(); sheets];
    for (triangle, part) in low.triangle_parts().into_iter().enumerate() {
        if let Some(held) = table.of[triangle].and_then(|sheet| parts.get_mut(sheet as usize)) {
            held.insert(part as usize);
        }
    }
    let alone = |held: BTreeSet<usize>| match held.iter().collect::<Vec<_>>()[..] {
        [part] => low.parts[*part].name.clone(),
        _ => String::new(),
    };
    parts.into_iter().map(alone).collect()
}

/// What an asset is called in file names: its own name, or that of its first low-poly file.
pub fn asset_name(report: &Report) -> String {
    let recipe = &report.recipe;
    if !recipe.asset.trim().is_empty() {
        return recipe.asset.trim().to_owned();
    }
    let file = recipe.low.first().map_or("asset", |source| source.file.as_str());
    let name = file.rsplit(['/', '\\']).next().unwrap_or(file);
    name.rsplit_once('.').map_or(name, |(stem, _)| stem).to_owned()
}

/// How many texels per side become one: a power of two that divides the size.
fn shrink_of(size: u32, most: Option<u32>) -> u32 {
    let Some(most) = most else { return 1 };
    let mut shrink = 1;
    while size / shrink > most && (size / shrink).is_multiple_of(2) {
        shrink *= 2;
    }
    shrink
}

/// What a rule comes to on the maps of a run.
struct Mixed {
    used: Vec<UsedMap>,
    channels: Vec<PlannedChannel>,
    color: bool,
    dither: bool,
    encoding: String,
    scale: Option<f32>,
}

/// None when the picture is left out; findings tell why, where that matters.
fn mixed(
    rule: &PictureRule,
    y: Green,
    sources: &[SourceMap],
    report: &Report,
    findings: &mut Vec<Finding>,
) -> Option<Mixed> {
    let find = |key: &str| sources.iter().position(|map| map.facts.key() == key);
    let picks = match &rule.holds {
        Holds::Map(key) => {
            let Some(source) = find(key) else {
                findings.extend(missing(rule, &[key], report));
                return None;
            };
            // One pick for grey, one a channel otherwise.
            let channels = if sources[source].facts.shape.channels == 1 { 1 } else { 3 };
            Channel::ALL[..channels].iter().map(|channel| Pick::of(key, *channel)).collect()
        }
        Holds::Channels(picks) => picks.clone(),
    };
    let lacking = |pick: &Pick, strict: bool| match pick {
        Pick::Map(pick) if find(&pick.map).is_none() && (!strict || pick.otherwise.is_none()) => Some(pick.map.clone()),
        _ => None,
    };
    let lost: Vec<String> = picks.iter().filter_map(|pick| lacking(pick, true)).collect();
    let all_lost = rule.maps().iter().all(|key| find(key).is_none()) && !rule.maps().is_empty();
    if !lost.is_empty() || all_lost {
        let keys = if lost.is_empty() { rule.maps() } else { lost.iter().map(String::as_str).collect() };
        findings.extend(missing(rule, &keys, report));
        return None;
    }
    let mut filled: Vec<String> = picks.iter().filter_map(|pick| lacking(pick, false)).collect();
    filled.dedup();
    if !filled.is_empty() {
        findings.push(Finding::new(
            FindingKind::DeliveryFilled,
            Severity::Note,
            format!(
                "'{}': the run has no {}; the profile's value stands in its place",
                rule.suffix,
                filled.join(" and no ")
            ),
            "Add the map at Maps and bake again, if it should vary",
        ));
    }
    let target_floats = rule.depth == Depth::Float || rule.format == ImageFormat::Exr;
    let mut used: Vec<UsedMap> = Vec::new();
    let mut take = |source: usize| {
        used.iter().position(|map| map.source == source).unwrap_or_else(|| {
            let map = &sources[source];
            let turn_green = map.tangent_space() && map.reads != Reads::Direction { y };
            used.push(UsedMap {
                source,
                reads: map.reads,
                channels: map.facts.shape.channels,
                floats: map.floats(),
                flat: map.flat(),
                turn_green,
                scale: map.whole_scale(),
            });
            used.len() - 1
        })
    };
    let planned = picks.iter().map(|pick| match pick {
        Pick::Value(value) => PlannedChannel::Value(*value),
        Pick::Map(pick) => match find(&pick.map) {
            None => PlannedChannel::Value(pick.otherwise.unwrap_or_default()),
            Some(source) => {
                let most = sources[source].facts.shape.channels - 1;
                let channel = if most == 0 { 0 } else { (pick.channel as usize).min(most) };
                PlannedChannel::Map { used: take(source), channel, invert: pick.invert }
            }
        },
    });
    let channels: Vec<PlannedChannel> = planned.collect();
    let told = |channel: &PlannedChannel| match channel {
        PlannedChannel::Map { used: at, .. } => Some(used[*at].reads),
        PlannedChannel::Value(_) => None,
    };
    let color = channels.len() > 1 && channels.iter().take(3).all(|channel| told(channel) == Some(Reads::Color));
    let deeper =
        used.iter().any(|map| sources[map.source].facts.depth != Depth::Eight) && used.iter().all(|map| !map.flat);
    let heights = channels.iter().any(|channel| told(channel) == Some(Reads::Height));
    findings.extend(shallow(rule, color || used.iter().all(|map| map.reads == Reads::Color), heights));
    let scale = match channels.first() {
        Some(PlannedChannel::Map { used: at, .. }) if !target_floats => used[*at].scale,
        _ => None,
    };
    let encoding = encoding_of(&channels, &used, sources, (y, target_floats, color));
    let dither = report.recipe.sheet.dither && rule.depth == Depth::Eight && deeper;
    Some(Mixed { used, channels, color, dither, encoding, scale })
}

/// A finding on maps that the run lacks, with the reason when it has one.
fn missing(rule: &PictureRule, keys: &[&str], report: &Report) -> Option<Finding> {
    if !rule.needed {
        return None;
    }
    let failed = keys.iter().find_map(|key| report.maps.get(*key)?.error.clone());
    let why = failed.map_or(String::new(), |why| format!(" ({why})"));
    Some(Finding::new(
        FindingKind::DeliveryMissing,
        Severity::Warning,
        format!("'{}' is left out: the run has no {}{why}", rule.suffix, keys.join(" and no ")),
        "Add the map at Maps and bake again, or take the picture out of the profile",
    ))
}

/// A finding on numbers that a file holds too coarsely.
fn shallow(rule: &PictureRule, color: bool, heights: bool) -> Option<Finding> {
    let words = if heights && rule.depth == Depth::Eight {
        format!("'{}' holds heights in 8 bit: 256 steps show as terraces", rule.suffix)
    } else if !color && rule.format.color_only() {
        format!("'{}' holds data as {}, which is made for colours", rule.suffix, rule.format.label())
    } else {
        return None;
    };
    let remedy = "Give it 16 bit, as PNG or TIFF, in the profile";
    Some(Finding::new(FindingKind::DeliveryDepth, Severity::Warning, words, remedy))
}

/// Files of one name, also where a system does not tell large letters from small; and names that are too long.
fn clashes(pictures: &[PlannedPicture]) -> Vec<Finding> {
    let mut by_name: BTreeMap<String, Vec<&PlannedPicture>> = BTreeMap::new();
    for picture in pictures {
        by_name.entry(picture.file.to_lowercase()).or_default().push(picture);
    }
    let clash = |same: &[&PlannedPicture]| {
        let remedy = match same.iter().any(|picture| picture.sheet != same[0].sheet) {
            true => "Put {sheet} or {tile} into the pattern",
            false => "Give each picture a suffix of its own",
        };
        let reason = format!("{} pictures would be called {}", same.len(), same[0].file);
        Finding::new(FindingKind::DeliveryClash, Severity::Fault, reason, remedy)
    };
    let mut found: Vec<Finding> = by_name.values().filter(|same| same.len() > 1).map(|same| clash(same)).collect();
    found.extend(pictures.iter().filter(|picture| picture.file.chars().count() > MOST_PATH).map(|picture| {
        let reason = format!("{}: a path of more than {MOST_PATH} characters", picture.file);
        Finding::new(FindingKind::DeliveryClash, Severity::Fault, reason, "Shorten the pattern or the names in it")
    }));
    found
}

/// How the numbers of a picture are read.
fn encoding_of(
    channels: &[PlannedChannel],
    used: &[UsedMap],
    sources: &[SourceMap],
    (y, floats, color): (Green, bool, bool),
) -> String {
    let one = |map: &UsedMap| match (map.reads, map.scale) {
        (Reads::Direction { .. }, _) if sources[map.source].tangent_space() => {
            format!("tangent-space direction, {}", y.words())
        }
        (Reads::Direction { .. }, _) => "object-space direction".to_owned(),
        (Reads::Height, Some(scale)) if !floats => format!("height = (value - 0.5) * {scale} scene units"),
        (Reads::Height, _) => "height in scene units".to_owned(),
        (Reads::Color, _) if color => (if floats { "colour, linear light" } else { "colour, sRGB" }).to_owned(),
        _ => sources[map.source].report.encoding.clone(),
    };
    if let [map] = used
        && channels.iter().enumerate().all(
            |(at, channel)| matches!(channel, PlannedChannel::Map { channel, invert: false, .. } if *channel == at),
        )
    {
        return one(map);
    }
    let letters = if channels.len() == 1 { ["value", "", "", ""] } else { ["R", "G", "B", "A"] };
    let told = channels.iter().zip(letters).map(|(channel, letter)| match channel {
        PlannedChannel::Value(value) => format!("{letter} = {value}"),
        PlannedChannel::Map { used: at, channel, invert } => {
            let map = &sources[used[*at].source];
            let of = if map.facts.shape.channels > 1 { [".r", ".g", ".b", ".a"][*channel] } else { "" };
            format!("{letter} = {}{}{of}", if *invert { "1 - " } else { "" }, map.facts.key())
        }
    });
    told.collect::<Vec<_>>().join(", ")
}
