//! EXR with half or 32-bit floats, in blocks of sixteen lines. Grey is one channel Y; colour is B, G, R, with an A before them where
//! there are four.

use super::{ImageSpec, Place, RowSource, WriteFault};
use ember_ridge_core::picture::Depth;
use exr::block::writer::ChunksWriter;
use exr::block::{BlockIndex, UncompressedBlock};
use exr::compression::Compression;
use exr::meta::BlockDescription;
use exr::meta::attribute::{AttributeValue, ChannelDescription, LineOrder, SampleType, Text};
use exr::meta::header::Header;
use exr::prelude::f16;
use std::io;

pub(super) fn write(place: &mut dyn Place, spec: &ImageSpec, rows: &mut RowSource) -> Result<(), WriteFault> {
    let sample = if spec.depth == Depth::Float { SampleType::F32 } else { SampleType::F16 };
    // Channels stand in the order of their names.
    let names: &[&str] = match spec.channels {
        1 => &["Y"],
        4 => &["A", "B", "G", "R"],
        _ => &["B", "G", "R"],
    };
    let channels = names.iter().map(|name| ChannelDescription::named(*name, sample)).collect();
    let size = spec.size as usize;
    let mut header = Header::new(Text::from("map"), (size, size), channels).with_encoding(
        Compression::ZIP16,
        BlockDescription::ScanLines,
        LineOrder::Increasing,
    );
    note(&mut header, &spec.notes)?;
    let mut fault = None;
    let written = exr::block::write(place, [header].into_iter().collect(), true, |meta, chunks| {
        let blocks: Vec<(usize, BlockIndex)> = meta.enumerate_ordered_header_block_indices().collect();
        let mut blocks = blocks.into_iter().peekable();
        let mut compressor = chunks.sequential_blocks_compressor(&meta);
        let mut waiting: Vec<f32> = Vec::new();
        let line = size * spec.channels;
        let done = rows(&mut |values| {
            waiting.extend_from_slice(values);
            let mut taken = 0;
            while let Some((number, index)) = blocks.peek().copied() {
                let entries = index.pixel_size.y() * line;
                if waiting.len() - taken < entries {
                    break;
                }
                let data = block_bytes(&waiting[taken..taken + entries], spec);
                let block = UncompressedBlock { index, data };
                compressor.compress_block(number, block).map_err(|e| io::Error::other(e.to_string()))?;
                taken += entries;
                blocks.next();
            }
            waiting.drain(..taken);
            Ok(())
        });
        if let Err(error) = done {
            fault = Some(error);
            return Err(exr::error::Error::Aborted);
        }
        Ok(())
    });
    match (fault, written) {
        (Some(fault), _) => Err(fault),
        (None, Err(exr::error::Error::Io(error))) => Err(error.into()),
        (None, Err(error)) => Err(error.to_string().into()),
        (None, Ok(())) => Ok(()),
    }
}

/// Puts notes into the header. The library holds attributes that it does not know in two tables without an order of their own, and
/// writes them as they come; one in each keeps the bytes of a map the same from run to run.
fn note(header: &mut Header, notes: &[(String, String)]) -> Result<(), WriteFault> {
    let (software, others): (Vec<_>, Vec<_>) = notes.iter().partition(|(name, _)| name == "Software");
    let text = |text: &str| Text::new_or_none(text).unwrap_or_default();
    header.own_attributes.software_name = software.first().map(|(_, name)| text(name));
    let tables = [&mut header.shared_attributes.other, &mut header.own_attributes.other];
    if others.len() > tables.len() {
        return Err(format!("EXR takes {} notes beside the program's name", tables.len()).into());
    }
    for (table, (name, note)) in tables.into_iter().zip(others) {
        table.insert(Text::from(name.as_str()), AttributeValue::Text(text(note)));
    }
    Ok(())
}

/// Lines as the format wants them: for each line, all values of one channel, then of the next; native byte order.
fn block_bytes(values: &[f32], spec: &ImageSpec) -> Vec<u8> {
    let (size, channels) = (spec.size as usize, spec.channels);
    let mut bytes = Vec::with_capacity(values.len() * 4);
    for line in values.chunks_exact(size * channels) {
        for channel in (0..channels).rev() {
            for x in 0..size {
                let value = line[x * channels + channel];
                match spec.depth {
                    Depth::Float => bytes.extend(value.to_ne_bytes()),
                    Depth::Eight | Depth::Sixteen => bytes.extend(f16::from_f32(value).to_ne_bytes()),
                }
            }
        }
    }
    bytes
}
