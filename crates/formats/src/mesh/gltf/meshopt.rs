//! EXT_meshopt_compression: buffer views that were packed by the meshoptimizer codecs are unpacked into buffers of their own, and
//! the document is changed to name those.

use super::document::Buffer;
use crate::mesh::{EXPORT_AGAIN, Fault};
use meshopt::{decode_filter_color, decode_filter_exp, decode_filter_oct, decode_filter_quat};
use serde_json::{Value, json};
use std::borrow::Cow;

pub(super) const EXTENSION: &str = "EXT_meshopt_compression";
/// Its successor, with the same fields.
pub(super) const NEWER: &str = "KHR_meshopt_compression";

/// Bytes that all views of a file may unpack to.
const MOST_UNPACKED: u64 = 4 << 30;
/// A packed byte becomes this many at most: a run of equal vertices packs tightly, but not without end.
const MOST_GROWTH: u64 = 4096;

fn extension(of: &Value) -> Option<&Value> {
    [EXTENSION, NEWER].iter().find_map(|name| of["extensions"].get(*name))
}

/// True for a buffer that holds nothing itself: its views are all packed in another.
pub(super) fn stands_in(buffer: &Value) -> bool {
    extension(buffer).is_some_and(|e| e["fallback"] == true)
}

/// Unpacks every packed view.
///
/// # Errors
/// The view, and what is wrong with it.
pub(super) fn unpack_views(value: &mut Value, buffers: &mut Vec<Buffer>) -> Result<(), Fault> {
    let Some(views) = value.get_mut("bufferViews").and_then(Value::as_array_mut) else { return Ok(()) };
    let mut made = Vec::new();
    let mut whole = 0u64;
    for (number, view) in views.iter_mut().enumerate() {
        let Some(packed) = extension(view) else { continue };
        let place = format!("bufferView {number}, {EXTENSION}");
        let unpacked = Packed::of(packed, buffers)
            .and_then(|p| {
                whole += p.length()?;
                if whole > MOST_UNPACKED { Err("it unpacks to more than 4 GiB".into()) } else { p.unpack() }
            })
            .map_err(|fault: String| Fault::new(place, fault, EXPORT_AGAIN))?;
        view["buffer"] = json!(buffers.len() + made.len());
        view["byteOffset"] = json!(0);
        view["byteLength"] = json!(unpacked.len());
        made.push(unpacked);
    }
    if let Some(list) = value.get_mut("buffers").and_then(Value::as_array_mut) {
        list.extend(made.iter().map(|bytes| json!({ "byteLength": bytes.len() })));
    }
    buffers.extend(made.into_iter().map(Cow::Owned));
    Ok(())
}

struct Packed<'a> {
    data: &'a [u8],
    stride: usize,
    count: usize,
    mode: &'a str,
    filter: &'a str,
}

impl<'a> Packed<'a> {
    fn of(fields: &'a Value, buffers: &'a [Buffer]) -> Result<Packed<'a>, String> {
        let number = |name: &str| fields[name].as_u64().and_then(|n| usize::try_from(n).ok());
        let whole = |name: &str| number(name).ok_or_else(|| format!("its {name} is missing"));
        let start = number("byteOffset").unwrap_or(0);
        let end = start.checked_add(whole("byteLength")?);
        let data = buffers.get(whole("buffer")?).zip(end).and_then(|(b, end)| b.get(start..end));
        Ok(Packed {
            data: data.ok_or("it does not fit in its buffer")?,
            stride: whole("byteStride")?,
            count: whole("count")?,
            mode: fields["mode"].as_str().unwrap_or_default(),
            filter: fields["filter"].as_str().unwrap_or("NONE"),
        })
    }

    /// Bytes it unpacks to, checked against what so few bytes can hold.
    fn length(&self) -> Result<u64, String> {
        let length = (self.count as u64).checked_mul(self.stride as u64);
        let most = (self.data.len() as u64).saturating_mul(MOST_GROWTH);
        length
            .filter(|l| *l <= most)
            .ok_or_else(|| format!("{} entries cannot be in {} bytes", self.count, self.data.len()))
    }

    fn unpack(&self) -> Result<Vec<u8>, String> {
        match self.mode {
            "ATTRIBUTES" => self.attributes(),
            "TRIANGLES" if self.count.is_multiple_of(3) => self.indices(
                |p| meshopt::decode_index_buffer::<u16>(p.data, p.count),
                |p| meshopt::decode_index_buffer::<u32>(p.data, p.count),
            ),
            "INDICES" => self.indices(
                |p| meshopt::decode_index_sequence::<u16>(p.data, p.count),
                |p| meshopt::decode_index_sequence::<u32>(p.data, p.count),
            ),
            other => Err(format!("its mode '{other}' with {} entries is not known", self.count)),
        }
    }

    fn indices(
        &self,
        short: impl Fn(&Self) -> meshopt::Result<Vec<u16>>,
        long: impl Fn(&Self) -> meshopt::Result<Vec<u32>>,
    ) -> Result<Vec<u8>, String> {
        let damaged = |_| "its indices cannot be unpacked".to_owned();
        match self.stride {
            2 => Ok(short(self).map_err(damaged)?.iter().flat_map(|i| i.to_le_bytes()).collect()),
            4 => Ok(long(self).map_err(damaged)?.iter().flat_map(|i| i.to_le_bytes()).collect()),
            other => Err(format!("indices of {other} bytes are not known")),
        }
    }

    /// Vertices of a multiple of four bytes, up to 64, which holds everything this program reads.
    fn attributes(&self) -> Result<Vec<u8>, String> {
        macro_rules! by_words {
            ($($words:literal),+) => {
                match self.stride {
                    $(stride if stride == 4 * $words => self.vertices::<$words>(),)+
                    other => Err(format!("vertices of {other} bytes are not read")),
                }
            };
        }
        by_words!(1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16)
    }

    fn vertices<const WORDS: usize>(&self) -> Result<Vec<u8>, String>
    where
        [u32; WORDS]: Default,
    {
        let mut vertices: Vec<[u32; WORDS]> = meshopt::decode_vertex_buffer(self.data, self.count)
            .map_err(|_| "its vertices cannot be unpacked".to_owned())?;
        if self.filter == "EXPONENTIAL" {
            decode_filter_exp(&mut vertices);
        }
        let mut bytes: Vec<u8> = vertices.iter().flatten().flat_map(|w| w.to_le_bytes()).collect();
        let short = |b: &[u8; 2]| i16::from_le_bytes(*b);
        let shorts = |bytes: &[u8]| -> Vec<[i16; 4]> {
            bytes.as_chunks::<8>().0.iter().map(|e| std::array::from_fn(|i| short(&[e[2 * i], e[2 * i + 1]]))).collect()
        };
        let from_shorts = |v: Vec<[i16; 4]>| v.iter().flatten().flat_map(|s| s.to_le_bytes()).collect::<Vec<u8>>();
        match (self.filter, self.stride) {
            ("NONE" | "EXPONENTIAL", _) => {}
            ("OCTAHEDRAL", 4) => {
                let mut values: Vec<[i8; 4]> = bytes.as_chunks::<4>().0.iter().map(|e| e.map(|b| b as i8)).collect();
                decode_filter_oct(&mut values);
                bytes = values.iter().flatten().map(|b| *b as u8).collect();
            }
            ("OCTAHEDRAL", 8) => {
                let mut values = shorts(&bytes);
                decode_filter_oct(&mut values);
                bytes = from_shorts(values);
            }
            ("QUATERNION", 8) => {
                let mut values = shorts(&bytes);
                decode_filter_quat(&mut values);
                bytes = from_shorts(values);
            }
            ("COLOR", 4) => {
                let mut values: Vec<[u8; 4]> = bytes.as_chunks::<4>().0.to_vec();
                decode_filter_color(&mut values);
                bytes = values.into_flattened();
            }
            (other, stride) => return Err(format!("its filter '{other}' on {stride} bytes is not known")),
        }
        Ok(bytes)
    }
}
