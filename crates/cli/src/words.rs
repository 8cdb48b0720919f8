//! Words of the command line as what they stand for; one that stands for nothing is told what is expected.

use crate::arguments::Margin;
use crate::options::map_ids;
use ember_ridge_core::import::SuffixRule;
use ember_ridge_core::maps::Green;
use ember_ridge_core::mesh::{Plane, UvChoice};
use ember_ridge_core::picture::Depth;
use ember_ridge_core::sheet::{Padding, RegionRectangle};
use ember_ridge_core::surface::Distance;

pub fn parse_plane_size(text: &str) -> Result<[f32; 2], String> {
    let fault = || "give width and height in scene units, such as 2x1.5".to_owned();
    let (width, height) = text.split_once('x').ok_or_else(fault)?;
    Ok([finite(width.trim()).map_err(|_| fault())?, finite(height.trim()).map_err(|_| fault())?])
}

pub fn parse_bytes(text: &str) -> Result<u64, String> {
    let (digits, unit) = match text.trim().to_ascii_uppercase() {
        t if t.ends_with('G') => (t[..t.len() - 1].to_owned(), 1 << 30),
        t if t.ends_with('M') => (t[..t.len() - 1].to_owned(), 1 << 20),
        t => (t, 1u64),
    };
    let bytes = digits.parse::<u64>().ok().and_then(|n| n.checked_mul(unit)).filter(|b| *b >= 64 << 20);
    bytes.ok_or_else(|| "give at least 64M, such as 512M or 2G".into())
}

pub fn finite(text: &str) -> Result<f32, String> {
    let number = text.parse::<f32>().ok().filter(|n| n.is_finite());
    number.ok_or_else(|| "give a finite number in scene units".into())
}

const MOST_SHARES: usize = 100_000;
/// More threads than any machine has cores would only take memory.
const MOST_THREADS: usize = 1024;

pub fn parse_threads(text: &str) -> Result<usize, String> {
    let number = text.parse().ok().filter(|n| *n <= MOST_THREADS);
    number.ok_or_else(|| format!("give 1 to {MOST_THREADS}, or 0 for one per core"))
}

pub fn parse_distance(text: &str) -> Result<Distance, String> {
    match text {
        "auto" => Ok(Distance::Auto),
        number => match number.parse::<f32>() {
            Ok(units) if units.is_finite() => Ok(Distance::Units(units)),
            _ => Err("give a finite number in scene units, or auto".into()),
        },
    }
}

pub fn parse_processes(text: &str) -> Result<usize, String> {
    match text.parse() {
        Ok(count @ 1..=256) => Ok(count),
        _ => Err("give a number of 1 to 256".into()),
    }
}

/// Shares that a bake is cut into.
pub fn parse_count(text: &str) -> Result<usize, String> {
    match text.parse() {
        Ok(count @ 1..=MOST_SHARES) => Ok(count),
        _ => Err(format!("give a number of 1 to {MOST_SHARES}")),
    }
}

/// The level of `-2`, told as how many levels it is below.
pub fn parse_level(text: &str) -> Result<usize, String> {
    match text.strip_prefix('-').map(str::parse) {
        Some(Ok(below @ 1..=99)) => Ok(below),
        _ => Err("give a level below the sculpt: -1, -2 and so on".into()),
    }
}

/// Texels at a size, as in `8@1024`.
pub fn parse_margin(text: &str) -> Result<Margin, String> {
    let numbers = text.split_once('@').and_then(|(n, size)| Some((n.trim().parse().ok()?, size.trim().parse().ok()?)));
    match numbers {
        Some((texels, size)) if f32::is_finite(texels) => Ok(Margin { texels, size }),
        _ => Err("give texels and the size of the sheet they are of, such as 8@1024".into()),
    }
}

pub fn parse_rectangle(text: &str) -> Result<RegionRectangle, String> {
    let (corners, sheet) = text.split_once('@').unwrap_or((text, "0"));
    let sheet = sheet.parse().map_err(|_| format!("'{sheet}' is no number of a sheet, counted from 0"))?;
    let numbers: Result<Vec<f32>, _> = corners.split(',').map(|number| number.trim().parse()).collect();
    match numbers.as_deref() {
        Ok(&[left, low, right, high]) => Ok(RegionRectangle { sheet, from: [left, low], to: [right, high] }),
        _ => Err("give four numbers of 0 to 1 as U,V,U,V: lower left corner, upper right corner".into()),
    }
}

pub fn parse_padding(text: &str) -> Result<Padding, String> {
    match text {
        "all" => Ok(Padding::All),
        number => number.parse().map(Padding::Texels).map_err(|_| "give a number of texels, or all".into()),
    }
}

pub fn parse_green(text: &str) -> Result<Green, String> {
    match text {
        "+" => Ok(Green::Up),
        "-" => Ok(Green::Down),
        _ => Err("give + (green up) or - (green down)".into()),
    }
}

pub fn parse_scale(text: &str) -> Result<f32, String> {
    let number = text.parse::<f32>().ok().filter(|number| number.is_finite() && *number > 0.0);
    number.ok_or_else(|| "give a distance above 0 in scene units".into())
}

pub fn parse_suffix_rule(text: &str) -> Result<SuffixRule, String> {
    let rule = text.split_once('=').filter(|(suffix, map)| !suffix.is_empty() && map_ids().contains(map));
    let rule = rule.map(|(suffix, map)| SuffixRule { suffix: suffix.to_owned(), map: map.to_owned() });
    rule.ok_or_else(|| format!("give a suffix and a map, such as h=displacement; there are {}", map_ids().join(", ")))
}

pub fn parse_depth(text: &str) -> Result<Depth, String> {
    match text {
        "8" => Ok(Depth::Eight),
        "16" => Ok(Depth::Sixteen),
        "32f" => Ok(Depth::Float),
        _ => Err("give 8, 16 or 32f".into()),
    }
}

pub fn parse_uvs(text: &str) -> Result<UvChoice, String> {
    Ok(match text {
        "planar-x" => UvChoice::Planar(Plane::PlanarX),
        "planar-y" => UvChoice::Planar(Plane::PlanarY),
        "planar-z" => UvChoice::Planar(Plane::PlanarZ),
        set => UvChoice::Set(set.parse().map_err(|fault| format!("{fault}, or planar-x, planar-y or planar-z"))?),
    })
}
