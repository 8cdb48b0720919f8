//! The entries of accessors, read by our own bounds-checked code: a hostile accessor gives an error, not a crash.

use super::document::Buffer;
use crate::mesh::{EXPORT_AGAIN, Fault};
use ember_ridge_core::glam::{Mat4, Vec4};
use gltf::Accessor;
use gltf::accessor::{DataType, Dimensions};
use std::collections::HashMap;

/// Entries of one accessor at most: positions, indices, whatever it holds.
pub(super) const MOST_ENTRIES: usize = 3 * ember_ridge_core::mesh::MOST_TRIANGLES;

/// Where an accessor's entries lie: in its view one stride apart, or nowhere (all zero), with some of them given apart.
struct Entries<'a> {
    size: usize,
    count: usize,
    /// The bytes of the view, and the stride.
    dense: Option<(&'a [u8], usize)>,
    /// Entries that are given apart, by number.
    sparse: HashMap<usize, &'a [u8]>,
    zero: [u8; 64],
}

impl<'a> Entries<'a> {
    fn of(accessor: &Accessor, buffers: &'a [Buffer], place: &str) -> Result<Entries<'a>, Fault> {
        let refuse = |fault: String| Fault::new(place, fault, EXPORT_AGAIN);
        let (size, count) = (accessor.size(), accessor.count());
        if count > MOST_ENTRIES {
            return Err(refuse(format!("{count} entries; at most {MOST_ENTRIES} are read")));
        }
        let in_view = |view: &gltf::buffer::View, offset: usize, size: usize, count: usize| {
            let stride = view.stride().unwrap_or(size);
            let start = view.offset().checked_add(offset);
            let length = stride.checked_mul(count.saturating_sub(1)).and_then(|l| l.checked_add(size));
            let span = start.zip(length).and_then(|(start, length)| start.checked_add(length).map(|end| start..end));
            let data = buffers.get(view.buffer().index());
            let bytes = span.zip(data).and_then(|(span, data)| data.get(span));
            let bytes = bytes.ok_or_else(|| refuse(format!("{count} entries do not fit in the buffer")))?;
            if stride < size {
                return Err(refuse(format!("its stride of {stride} bytes is less than its size of {size}")));
            }
            Ok((bytes, stride))
        };
        let dense = accessor.view().map(|view| in_view(&view, accessor.offset(), size, count)).transpose()?;
        let mut sparse = HashMap::new();
        match accessor.sparse() {
            Some(apart) => {
                let (indices, values) = (apart.indices(), apart.values());
                let wide = match indices.index_type() {
                    gltf::accessor::sparse::IndexType::U8 => 1,
                    gltf::accessor::sparse::IndexType::U16 => 2,
                    gltf::accessor::sparse::IndexType::U32 => 4,
                };
                let (given, given_stride) = in_view(&indices.view(), indices.offset(), wide, apart.count())?;
                let (data, data_stride) = in_view(&values.view(), values.offset(), size, apart.count())?;
                for i in 0..apart.count() {
                    let entry = little_endian(&given[i * given_stride..][..wide]) as usize;
                    if entry >= count {
                        return Err(refuse(format!("entry {entry} of {count} is given apart")));
                    }
                    sparse.insert(entry, &data[i * data_stride..][..size]);
                }
            }
            None if dense.is_none() => return Err(refuse("it has no data".into())),
            None => {}
        }
        Ok(Entries { size, count, dense, sparse, zero: [0; 64] })
    }

    fn map<T>(&self, mut read: impl FnMut(&[u8]) -> T) -> Vec<T> {
        let entry = |i: usize| match (self.sparse.get(&i), self.dense) {
            (Some(apart), _) => apart,
            (None, Some((bytes, stride))) => &bytes[i * stride..][..self.size],
            (None, None) => &self.zero[..self.size],
        };
        (0..self.count).map(|i| read(entry(i))).collect()
    }
}

fn little_endian(bytes: &[u8]) -> u32 {
    bytes.iter().rev().fold(0, |sum, &byte| sum << 8 | u32::from(byte))
}

/// One number of an entry; normalised ones are scaled to 0..1 or -1..1.
fn number(bytes: &[u8], kind: DataType, normalised: bool) -> f32 {
    let scaled = |value: f32, full: f32| if normalised { (value / full).max(-1.0) } else { value };
    match kind {
        DataType::U8 => scaled(f32::from(bytes[0]), 255.0),
        DataType::I8 => scaled(f32::from(bytes[0] as i8), 127.0),
        DataType::U16 => scaled(f32::from(u16::from_le_bytes([bytes[0], bytes[1]])), 65535.0),
        DataType::I16 => scaled(f32::from(i16::from_le_bytes([bytes[0], bytes[1]])), 32767.0),
        DataType::U32 => little_endian(&bytes[..4]) as f32,
        DataType::F32 => f32::from_le_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]),
    }
}

/// The entries of an accessor; lanes it does not have are zero.
pub(super) fn read_floats(accessor: &Accessor, buffers: &[Buffer], place: &str) -> Result<Vec<Vec4>, Fault> {
    let lanes = match accessor.dimensions() {
        Dimensions::Vec2 => 2,
        Dimensions::Vec3 => 3,
        Dimensions::Vec4 => 4,
        _ => return Err(Fault::new(place, "it does not hold vectors", EXPORT_AGAIN)),
    };
    let (kind, normalised) = (accessor.data_type(), accessor.normalized());
    let entries = Entries::of(accessor, buffers, place)?;
    Ok(entries.map(|entry| {
        let mut value = [0.0; 4];
        for (slot, bytes) in value.iter_mut().zip(entry.chunks_exact(kind.size())).take(lanes) {
            *slot = number(bytes, kind, normalised);
        }
        Vec4::from(value)
    }))
}

pub(super) fn read_indices(accessor: &Accessor, buffers: &[Buffer], place: &str) -> Result<Vec<u32>, Fault> {
    let kind = accessor.data_type();
    if accessor.dimensions() != Dimensions::Scalar || !matches!(kind, DataType::U8 | DataType::U16 | DataType::U32) {
        return Err(Fault::new(place, "they are not whole numbers", EXPORT_AGAIN));
    }
    Ok(Entries::of(accessor, buffers, place)?.map(little_endian))
}

/// Four joint numbers per vertex.
pub(super) fn read_joints(accessor: &Accessor, buffers: &[Buffer], place: &str) -> Result<Vec<[usize; 4]>, Fault> {
    let wide = match (accessor.dimensions(), accessor.data_type()) {
        (Dimensions::Vec4, DataType::U8) => 1,
        (Dimensions::Vec4, DataType::U16) => 2,
        _ => return Err(Fault::new(place, "they are not four whole numbers", EXPORT_AGAIN)),
    };
    let entries = Entries::of(accessor, buffers, place)?;
    Ok(entries.map(|entry| std::array::from_fn(|i| little_endian(&entry[i * wide..][..wide]) as usize)))
}

pub(super) fn read_matrices(accessor: &Accessor, buffers: &[Buffer], place: &str) -> Result<Vec<Mat4>, Fault> {
    if accessor.dimensions() != Dimensions::Mat4 || accessor.data_type() != DataType::F32 {
        return Err(Fault::new(place, "they are not matrices", EXPORT_AGAIN));
    }
    let entries = Entries::of(accessor, buffers, place)?;
    Ok(entries.map(|entry| {
        let lane = |i: usize| number(&entry[i * 4..], DataType::F32, false);
        Mat4::from_cols_array(&std::array::from_fn(lane))
    }))
}
