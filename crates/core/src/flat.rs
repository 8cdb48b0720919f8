//! Long rows of plain values: in memory of their own, or lent by bytes that somebody else holds, such as a file that is mapped into memory.
//! What was lent costs no memory and no time to read in. Bytes lie as this machine has them in memory; whoever keeps them for others
//! tells the program's version and the order of bytes.

use bytemuck::Pod;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::marker::PhantomData;
use std::ops::{Deref, Range};
use std::sync::Arc;

/// Bytes that are there as long as anybody holds them.
pub type Bytes = Arc<dyn AsRef<[u8]> + Send + Sync>;

/// A row of plain values.
pub struct Flat<T>(Held<T>);

enum Held<T> {
    Own(Vec<T>),
    /// A stretch that is known to be aligned and of a whole number of values.
    Lent(Bytes, Range<usize>, PhantomData<T>),
}

impl<T> Default for Flat<T> {
    fn default() -> Self {
        Vec::new().into()
    }
}

impl<T> From<Vec<T>> for Flat<T> {
    fn from(values: Vec<T>) -> Flat<T> {
        Flat(Held::Own(values))
    }
}

impl<T: Pod> Flat<T> {
    /// The values in a stretch of bytes: lent where they lie as memory wants them, copied otherwise. None where no whole number of values
    /// is there.
    fn of(bytes: &Bytes, range: Range<usize>) -> Option<Flat<T>> {
        let stretch = (**bytes).as_ref().get(range.clone())?;
        if stretch.len() % size_of::<T>() != 0 {
            return None;
        }
        Some(match bytemuck::try_cast_slice::<u8, T>(stretch) {
            Ok(_) => Flat(Held::Lent(bytes.clone(), range, PhantomData)),
            Err(_) => bytemuck::pod_collect_to_vec(stretch).into(),
        })
    }

    /// Bytes of its own in memory.
    pub fn own_bytes(&self) -> usize {
        match &self.0 {
            Held::Own(values) => values.len() * size_of::<T>(),
            Held::Lent(..) => 0,
        }
    }
}

impl<T: Pod> Deref for Flat<T> {
    type Target = [T];

    /// Not for every step of a loop: where values are lent, their place is worked out anew.
    fn deref(&self) -> &[T] {
        match &self.0 {
            Held::Own(values) => values,
            Held::Lent(bytes, range, _) => bytemuck::cast_slice(&(**bytes).as_ref()[range.clone()]),
        }
    }
}

/// What sections of packed bytes begin at: as wide as anything in them wants to lie.
pub const ALIGNED: usize = 64;

/// Values on their way into bytes, by name.
#[derive(Default)]
pub struct Packing<'a> {
    pub sections: Vec<(String, Cow<'a, [u8]>)>,
}

/// Where sections lie in packed bytes.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Contents(pub BTreeMap<String, Range<usize>>);

/// Packed bytes with their sections.
pub struct Packed {
    pub bytes: Bytes,
    pub contents: Contents,
}

impl<'a> Packing<'a> {
    /// Plain values as they are.
    pub fn flat<T: Pod>(&mut self, name: impl Into<String>, values: &'a [T]) {
        self.sections.push((name.into(), Cow::Borrowed(bytemuck::cast_slice(values))));
    }

    /// Anything else, in postcard's form.
    pub fn told(&mut self, name: impl Into<String>, value: &impl Serialize) {
        // Into memory and of types without maps of their own, this cannot fail.
        let bytes = postcard::to_stdvec(value).unwrap_or_default();
        self.sections.push((name.into(), Cow::Owned(bytes)));
    }
}

impl Packed {
    /// Values of a section, lent if they can be.
    ///
    /// # Errors
    /// The section, and that it is not there or damaged.
    pub fn flat<T: Pod>(&self, name: &str) -> Result<Flat<T>, String> {
        Flat::of(&self.bytes, self.range(name)?).ok_or_else(|| damaged(name))
    }

    /// Values of a section, copied.
    ///
    /// # Errors
    /// As [`Packed::flat`].
    pub fn values<T: Pod>(&self, name: &str) -> Result<Vec<T>, String> {
        Ok(self.flat(name)?.to_vec())
    }

    /// What was told in a section.
    ///
    /// # Errors
    /// As [`Packed::flat`].
    pub fn told<T: DeserializeOwned>(&self, name: &str) -> Result<T, String> {
        let bytes = (*self.bytes).as_ref().get(self.range(name)?).ok_or_else(|| damaged(name))?;
        postcard::from_bytes(bytes).map_err(|_| damaged(name))
    }

    fn range(&self, name: &str) -> Result<Range<usize>, String> {
        self.contents.0.get(name).cloned().ok_or_else(|| damaged(name))
    }
}

fn damaged(section: &str) -> String {
    format!("its section '{section}' is missing or damaged")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_lies_well_is_lent_and_what_does_not_is_copied() {
        let words: Vec<u32> = (0..64).collect();
        let bytes: Bytes = Arc::new(bytemuck::cast_slice::<u32, u8>(&words).to_vec());
        let start = (*bytes).as_ref().as_ptr().align_offset(4);
        let row = Flat::<u32>::of(&bytes, start..start + 64).expect("sixteen values");
        assert_eq!(row.own_bytes(), 0);
        assert_eq!(row.len(), 16);
        let off = Flat::<u32>::of(&bytes, start + 2..start + 66).expect("sixteen values");
        assert_eq!(off.own_bytes(), 64);
        let by_hand: Vec<u32> = (*bytes).as_ref()[start + 2..start + 66]
            .chunks(4)
            .map(|b| u32::from_ne_bytes([b[0], b[1], b[2], b[3]]))
            .collect();
        assert_eq!(off.to_vec(), by_hand);
        assert!(Flat::<u32>::of(&bytes, 0..7).is_none(), "no whole number of values");
        assert!(Flat::<u32>::of(&bytes, 200..300).is_none(), "beyond the end");
    }
}
