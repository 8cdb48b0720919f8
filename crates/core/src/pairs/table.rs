//! Which high-poly parts the rays of each low-poly part may hit: by part names, by shared space, or manually.

use super::{Endings, HandPair, Pairing, Shares, plain_name};
use crate::mesh::Part;
use crate::trace::Sight;
use std::collections::HashMap;

/// What decides about pairs besides the parts themselves.
#[derive(Clone, Copy)]
pub struct PairRules<'a> {
    pub pairing: Pairing,
    pub endings: &'a Endings,
    pub hand_pairs: &'a [HandPair],
    /// Needed by [`Pairing::Space`]; without it that rule pairs nothing.
    pub share: Option<&'a [Shares]>,
}

/// Why a low and a high part are paired.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum PairedBy {
    Hand,
    Name,
    /// The share of the high part that lies nearest to the low part, 0 to 1.
    Space(f32),
    /// Every part sees every part.
    All,
    /// Nothing fits, so it sees everything.
    Default,
}

/// The high parts a low part is paired with, and why: those named one by one, and what holds for all others.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct PairRow {
    /// By number, rising; None where it is not paired although the others are.
    named: Vec<(u32, Option<PairedBy>)>,
    others: Option<PairedBy>,
}

impl PairRow {
    /// Why the low part is paired with a high part; None when it is not.
    pub fn by(&self, high: u32) -> Option<PairedBy> {
        match self.named.binary_search_by_key(&high, |(number, _)| *number) {
            Ok(at) => self.named[at].1,
            Err(_) => self.others,
        }
    }

    /// The pairs among `high` parts, by number.
    pub fn pairs(&self, high: usize) -> impl Iterator<Item = (u32, PairedBy)> + '_ {
        let all = if self.others.is_some() { 0..high as u32 } else { 0..0 };
        let named = if self.others.is_some() { &[] } else { self.named.as_slice() };
        let of_all = all.filter_map(|h| self.by(h).map(|by| (h, by)));
        of_all.chain(named.iter().filter_map(|&(h, by)| by.map(|by| (h, by))))
    }

    fn pairs_nothing(&self) -> bool {
        self.others.is_none() && self.named.iter().all(|(_, by)| by.is_none())
    }

    fn sight(&self) -> Sight {
        let unlike = |wanted: bool| self.named.iter().filter(move |(_, by)| by.is_some() == wanted).map(|(h, _)| *h);
        match self.others {
            Some(_) => Sight::all_but(unlike(false)),
            None => Sight::only(unlike(true)),
        }
    }
}

/// The result of pairing, by low part, and what could not be paired.
#[derive(Clone, Debug, Default)]
pub struct PairTable {
    pub rows: Vec<PairRow>,
    /// The high parts that the rays of each low part may hit.
    pub sights: Vec<Sight>,
    /// High parts that pair with nothing, by number; none are named where nothing pairs at all.
    pub orphans: Vec<u32>,
    /// Low parts that pair with nothing, by number, and so see all that is not hidden manually.
    pub lonely: Vec<u32>,
    /// Parts of the sculpt are left for the lonely to see.
    pub lonely_see: bool,
    /// By which rule no part of several pairs with any.
    pub nothing_by: Option<Pairing>,
}

/// The stems that a high part's may belong to, longest first: its own, and what is left of it before an underscore
/// (`housing_rivets` belongs to `housing`).
fn stems_of(high_stem: &str) -> impl Iterator<Item = &str> {
    std::iter::once(high_stem).chain(high_stem.rmatch_indices('_').map(|(at, _)| &high_stem[..at]))
}

/// A low part that holds at least this share of a high part is paired with it.
const LEAST_SHARE: f32 = 0.25;

/// Pairs low with high parts. By names, each high part goes to the low part with the longest fitting stem; by space, to each
/// low part that a quarter of it lies nearest to. What was decided manually stands above both. A low part that pairs with
/// nothing sees everything, and when nothing pairs at all, every part sees everything.
pub fn pair_parts(low: &[Part], high: &[Part], rules: PairRules) -> PairTable {
    let mut hand: HashMap<String, &HandPair> = HashMap::new();
    for pair in rules.hand_pairs {
        hand.entry(plain_name(&pair.high)).or_insert(pair);
    }
    let numbered = |name: &dyn Fn(&Part) -> String| {
        let mut of: HashMap<String, Vec<u32>> = HashMap::new();
        for (number, part) in low.iter().enumerate() {
            of.entry(name(part)).or_default().push(number as u32);
        }
        of
    };
    let low_of_name = numbered(&|part| plain_name(&part.name));
    let low_of_stem = numbered(&|part| rules.endings.stem(&part.name));
    let all_see = rules.pairing == Pairing::All || (low.len() == 1 && high.len() == 1 && hand.is_empty());
    let mut rows = vec![PairRow::default(); low.len()];
    if all_see {
        rows.iter_mut().for_each(|row| row.others = Some(PairedBy::All));
    }
    let (mut orphans, mut by_hand) = (Vec::new(), Vec::new());
    for (h, part) in high.iter().enumerate() {
        let number = h as u32;
        let own_hand = if hand.is_empty() { None } else { hand.get(&plain_name(&part.name)) };
        let paired: Vec<(u32, PairedBy)> = if let Some(pair) = own_hand {
            by_hand.push(number);
            let seen_by = pair.low.iter().filter_map(|name| low_of_name.get(&plain_name(name)));
            if all_see {
                rows.iter_mut().for_each(|row| row.named.push((number, None)));
            }
            let mut seen_by: Vec<u32> = seen_by.flatten().copied().collect();
            seen_by.sort_unstable();
            seen_by.dedup();
            seen_by.into_iter().map(|l| (l, PairedBy::Hand)).collect()
        } else if all_see {
            continue;
        } else if rules.pairing == Pairing::Space {
            let shares = rules.share.and_then(|s| s.get(h)).into_iter().flatten();
            shares.filter(|(_, s)| *s >= LEAST_SHARE).map(|&(l, s)| (l, PairedBy::Space(s))).collect()
        } else {
            let stem = rules.endings.stem(&part.name);
            let longest = stems_of(&stem).find_map(|s| low_of_stem.get(s));
            longest.into_iter().flatten().map(|&l| (l, PairedBy::Name)).collect()
        };
        for &(l, by) in &paired {
            let named = &mut rows[l as usize].named;
            match named.last_mut().filter(|(known, _)| *known == number) {
                Some(last) => last.1 = Some(by),
                None => named.push((number, Some(by))),
            }
        }
        if paired.is_empty() && own_hand.is_none() {
            orphans.push(number);
        }
    }
    let mut table = PairTable { lonely_see: by_hand.len() < high.len(), ..PairTable::default() };
    if orphans.len() == high.len() && !high.is_empty() {
        // A single low-poly part has nobody to share the sculpt with.
        let one = low.len() == 1;
        let by = Some(if one { PairedBy::All } else { PairedBy::Default });
        rows.fill(PairRow { named: Vec::new(), others: by });
        table.nothing_by = (!one).then_some(rules.pairing);
    } else {
        table.orphans = orphans;
        table.lonely = (0..low.len() as u32).filter(|&l| rows[l as usize].pairs_nothing()).collect();
        // What is hidden manually stays hidden.
        let left: Vec<_> = by_hand.iter().map(|&h| (h, None)).collect();
        for &l in &table.lonely {
            rows[l as usize] = PairRow { named: left.clone(), others: Some(PairedBy::Default) };
        }
    }
    table.sights = rows.iter().map(PairRow::sight).collect();
    table.rows = rows;
    table
}

#[cfg(test)]
mod tests {
    use super::*;

    fn parts(names: &[&str]) -> Vec<Part> {
        names.iter().map(|n| Part { name: (*n).to_owned(), triangles: 0..1 }).collect()
    }

    /// `[low part][high part]`: who sees whom.
    fn seen(table: &PairTable, high: u32) -> Vec<Vec<bool>> {
        table.sights.iter().map(|sight| (0..high).map(|h| sight.sees(h)).collect()).collect()
    }

    fn names(endings: &Endings) -> PairRules<'_> {
        PairRules { pairing: Pairing::Names, endings, hand_pairs: &[], share: None }
    }

    #[test]
    fn names_pair_without_case_ending_or_tail() {
        let table = pair_parts(
            &parts(&["Cap_low", "housing-LOW", "housing_door.lp"]),
            &parts(&["cap_high", "Housing_rivets_high", "housing_door_hinge", "Housing"]),
            names(&Endings::default()),
        );
        assert!(table.orphans.is_empty() && table.lonely.is_empty());
        assert_eq!(
            seen(&table, 4),
            vec![vec![true, false, false, false], vec![false, true, false, true], vec![false, false, true, false],]
        );
    }

    #[test]
    fn what_pairs_with_nothing_is_said_and_left_parts_see_everything() {
        let table = pair_parts(&parts(&["a", "b"]), &parts(&["a", "lost"]), names(&Endings::default()));
        assert_eq!(seen(&table, 2), vec![vec![true, false], vec![true, true]]);
        assert_eq!((table.orphans, table.lonely, table.lonely_see), (vec![1], vec![1], true));
    }

    #[test]
    fn names_that_never_fit_are_one_note() {
        let table = pair_parts(&parts(&["a", "b"]), &parts(&["x", "y"]), names(&Endings::default()));
        assert!(table.sights.iter().all(|s| *s == Sight::everything()));
        assert_eq!((table.nothing_by, table.orphans.len()), (Some(Pairing::Names), 0));
    }

    #[test]
    fn a_single_low_part_takes_all_there_is() {
        let table = pair_parts(&parts(&["plane"]), &parts(&["shingles", "nails"]), names(&Endings::default()));
        assert_eq!((seen(&table, 2), table.nothing_by, table.orphans.len()), (vec![vec![true, true]], None, 0));
    }

    #[test]
    fn endings_are_the_users_own() {
        let endings = Endings { low: vec!["-Game".into()], high: vec![" zb".into()], cage: vec![] };
        let table = pair_parts(
            &parts(&["Cap-game", "rim_game"]),
            &parts(&["cap.zb", "Rim_bolts zb", "cap_low"]),
            names(&endings),
        );
        // "_low" is no ending any more, but goes on after an underscore.
        assert_eq!(seen(&table, 3), vec![vec![true, false, true], vec![false, true, false]]);
        assert_eq!(endings.stem("zb"), "zb", "a name is never all ending");
    }

    #[test]
    fn what_is_decided_by_hand_stands_above_the_rule() {
        let hand = [
            HandPair { high: "a_high".into(), low: vec!["b".into(), "A".into()] },
            HandPair { high: "hidden".into(), low: vec![] },
        ];
        let endings = Endings::default();
        let rules = PairRules { hand_pairs: &hand, ..names(&endings) };
        let table = pair_parts(&parts(&["a", "b"]), &parts(&["a_high", "b_high", "hidden"]), rules);
        assert_eq!(seen(&table, 3), vec![vec![true, false, false], vec![true, true, false]]);
        assert_eq!(table.rows[1].by(0), Some(PairedBy::Hand));
        assert!(table.orphans.is_empty(), "a part hidden manually is no orphan");
    }

    #[test]
    fn what_is_hidden_by_hand_is_not_seen_for_want_of_anything_else() {
        let hand = [HandPair { high: "a".into(), low: vec![] }];
        let endings = Endings::default();
        let rules = PairRules { hand_pairs: &hand, ..names(&endings) };
        let table = pair_parts(&parts(&["a"]), &parts(&["a"]), rules);
        assert_eq!((seen(&table, 1), table.lonely, table.lonely_see), (vec![vec![false]], vec![0], false));
    }

    #[test]
    fn by_space_each_part_goes_where_most_of_it_lies() {
        let endings = Endings::default();
        let share = [vec![(0, 0.9), (1, 0.1)], vec![(0, 0.5), (1, 0.5)], vec![(0, 0.1)]];
        let rules = PairRules { pairing: Pairing::Space, share: Some(&share), ..names(&endings) };
        let table = pair_parts(&parts(&["p", "q"]), &parts(&["x", "y", "z"]), rules);
        assert_eq!(seen(&table, 3), vec![vec![true, true, false], vec![false, true, false]]);
        assert_eq!(table.rows[0].by(0), Some(PairedBy::Space(0.9)));
        assert_eq!(table.orphans, vec![2]);
    }
}
