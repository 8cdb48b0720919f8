//! Which parts of a mesh a ray may hit. An asset may have tens of thousands of parts on either side, so what a low part sees is
//! told by its exceptions, and spread out as a mask only while its rays are traced.

/// A set of parts, by their numbers.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash, serde::Serialize, serde::Deserialize)]
pub struct Sight {
    /// What holds for each part that `unlike` does not name.
    most: bool,
    /// Parts for which the opposite holds, rising.
    unlike: Vec<u32>,
}

impl Sight {
    /// Every part.
    pub fn everything() -> Sight {
        Sight { most: true, unlike: Vec::new() }
    }

    /// These parts, given in any order.
    pub fn only(parts: impl IntoIterator<Item = u32>) -> Sight {
        Sight { most: false, unlike: sorted(parts) }
    }

    /// Every part but these, given in any order.
    pub fn all_but(parts: impl IntoIterator<Item = u32>) -> Sight {
        Sight { most: true, unlike: sorted(parts) }
    }

    /// Different for different sights.
    pub fn to_bytes(&self) -> Vec<u8> {
        let unlike = self.unlike.iter().flat_map(|part| part.to_le_bytes());
        std::iter::once(u8::from(self.most)).chain(unlike).collect()
    }

    pub fn sees(&self, part: u32) -> bool {
        self.most != self.unlike.binary_search(&part).is_ok()
    }

    /// The same without some parts.
    #[must_use]
    pub fn without(&self, parts: &[u32]) -> Sight {
        match self.most {
            true => Sight::all_but(self.unlike.iter().chain(parts).copied()),
            false => Sight::only(self.unlike.iter().filter(|p| !parts.contains(p)).copied()),
        }
    }

    /// The parts seen, when they are told one by one; None when all but some are.
    pub fn listed(&self) -> Option<&[u32]> {
        (!self.most).then_some(self.unlike.as_slice())
    }

    /// True when some of `parts` parts is in both.
    pub fn meets(&self, other: &Sight, parts: usize) -> bool {
        match (self.listed(), other.listed()) {
            (Some(own), _) => own.iter().any(|&part| other.sees(part)),
            (None, Some(_)) => other.meets(self, parts),
            (None, None) => {
                let mut hidden: Vec<u32> = self.unlike.iter().chain(&other.unlike).copied().collect();
                hidden.sort_unstable();
                hidden.dedup();
                hidden.len() < parts
            }
        }
    }
}

fn sorted(parts: impl IntoIterator<Item = u32>) -> Vec<u32> {
    let mut parts: Vec<u32> = parts.into_iter().collect();
    parts.sort_unstable();
    parts.dedup();
    parts
}

/// A sight as a mask; what one thread's rays are traced with. Going on to another sight changes only what differs.
#[derive(Debug, Default)]
pub struct SightMask {
    shown: Sight,
    mask: Vec<bool>,
}

impl SightMask {
    /// `mask[part]` over `parts` parts: whether `sight` holds it.
    pub fn of(&mut self, sight: &Sight, parts: usize) -> &[bool] {
        if self.mask.len() != parts || self.shown.most != sight.most {
            self.mask.clear();
            self.mask.resize(parts, sight.most);
        } else if self.shown != *sight {
            self.shown.unlike.iter().for_each(|&part| self.mask[part as usize] = sight.most);
        } else {
            return &self.mask;
        }
        sight.unlike.iter().for_each(|&part| self.mask[part as usize] = !sight.most);
        self.shown.clone_from(sight);
        &self.mask
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const PARTS: u32 = 12;

    fn any_sight() -> impl Strategy<Value = Sight> {
        (any::<bool>(), proptest::collection::vec(0..PARTS, 0..14)).prop_map(|(most, parts)| match most {
            true => Sight::all_but(parts),
            false => Sight::only(parts),
        })
    }

    fn plain(sight: &Sight) -> Vec<bool> {
        (0..PARTS).map(|part| sight.sees(part)).collect()
    }

    proptest! {
        #[test]
        fn masks_say_what_sights_do(sights in proptest::collection::vec(any_sight(), 1..8)) {
            let mut mask = SightMask::default();
            for sight in &sights {
                prop_assert_eq!(mask.of(sight, PARTS as usize), plain(sight));
            }
        }

        #[test]
        fn sights_meet_where_their_masks_do(a in any_sight(), b in any_sight()) {
            let both = plain(&a).iter().zip(plain(&b)).any(|(x, y)| *x && y);
            prop_assert_eq!(a.meets(&b, PARTS as usize), both);
        }

        #[test]
        fn what_is_taken_out_is_not_seen(sight in any_sight(), out in proptest::collection::vec(0..PARTS, 0..6)) {
            let left = plain(&sight).into_iter().enumerate().map(|(p, seen)| seen && !out.contains(&(p as u32)));
            prop_assert_eq!(plain(&sight.without(&out)), left.collect::<Vec<_>>());
        }
    }
}
