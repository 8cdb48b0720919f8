//! Charts joined again where they lie well as one.

use super::lay::{Flat, flattened, lies_on_itself};
use super::net::{Edge, Net, edge};
use rustc_hash::{FxHashMap, FxHashSet};

/// Joins charts that lie well as one: those that share the most of their border first, none across edges that are sharper than
/// `degrees` on average.
pub(super) fn joined(net: &Net, flats: Vec<Flat>, degrees: f64, enough: f64) -> Vec<Flat> {
    let mut flats: Vec<Option<Flat>> = flats.into_iter().map(Some).collect();
    let mut chart_of = vec![u32::MAX; net.faces.len()];
    for (number, flat) in flats.iter().flatten().enumerate() {
        flat.chart.faces.iter().for_each(|&f| chart_of[f as usize] = number as u32);
    }
    let mut failed: FxHashSet<Edge> = FxHashSet::default();
    loop {
        let mut shared: FxHashMap<Edge, (f64, f64)> = FxHashMap::default();
        let mut around = vec![0.0; flats.len()];
        for side in 0..3 * net.faces.len() as u32 {
            let own = chart_of[side as usize / 3];
            let other = net.across(side).map_or(u32::MAX, |o| chart_of[o as usize / 3]);
            if own == other || own == u32::MAX {
                continue;
            }
            let [a, b] = net.ends(side).map(|p| net.points[p as usize]);
            let long = a.distance(b);
            around[own as usize] += long;
            if other != u32::MAX {
                let [one, two] =
                    [side / 3, net.across(side).unwrap_or(side) / 3].map(|f| net.area_normal(f).normalize_or_zero());
                let known = shared.entry(edge(own, other)).or_default();
                known.0 += long;
                known.1 += long * one.dot(two).clamp(-1.0, 1.0).acos().to_degrees();
            }
        }
        let mut pairs: Vec<(f64, Edge)> = shared
            .into_iter()
            .filter(|(pair, (long, turned))| *turned < degrees * long && !failed.contains(pair))
            .map(|(pair, (long, _))| (long / around[pair[0] as usize].min(around[pair[1] as usize]), pair))
            .collect();
        pairs.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        let mut changed = FxHashSet::default();
        for (_, [one, two]) in pairs {
            if changed.contains(&one) || changed.contains(&two) {
                continue;
            }
            let (Some(a), Some(b)) = (&flats[one as usize], &flats[two as usize]) else { continue };
            let mut faces = [&a.chart.faces[..], &b.chart.faces[..]].concat();
            faces.sort_unstable();
            let slits = a.chart.slits(net).into_iter().chain(b.chart.slits(net)).collect();
            let whole = net.charts(&faces, &slits);
            let flat = match &whole[..] {
                [chart] if chart.is_flat_kind() => flattened(net, chart, false),
                _ => None,
            };
            match flat.filter(|f| f.energy <= enough && !lies_on_itself(&f.chart, &f.uvs)) {
                Some(flat) => {
                    flat.chart.faces.iter().for_each(|&f| chart_of[f as usize] = one);
                    flats[one as usize] = Some(flat);
                    flats[two as usize] = None;
                    changed.extend([one, two]);
                    failed.retain(|pair| !pair.contains(&one) && !pair.contains(&two));
                }
                None => _ = failed.insert([one, two]),
            }
        }
        if changed.is_empty() {
            return flats.into_iter().flatten().collect();
        }
    }
}
