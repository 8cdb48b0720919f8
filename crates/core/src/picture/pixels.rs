//! Typed pixel buffers: the finished texels of one map, at the depth they are written in.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Bits of one channel in the file. 16 bits are whole numbers in PNG and TIFF and half floats in EXR.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub enum Depth {
    #[serde(rename = "8")]
    Eight,
    #[serde(rename = "16")]
    Sixteen,
    /// 32-bit floats, in TIFF and EXR.
    #[serde(rename = "32f")]
    Float,
}

impl Depth {
    pub fn words(self) -> &'static str {
        match self {
            Depth::Eight => "8 bit",
            Depth::Sixteen => "16 bit",
            Depth::Float => "32-bit float",
        }
    }
}

/// Rows from the top (v = 1) down, channels interleaved.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub enum Pixels {
    U8(Vec<u8>),
    U16(Vec<u16>),
    F32(Vec<f32>),
}

/// 0..1 to the nearest step of an integer with `steps` as its largest value.
pub fn quantise(value: f32, steps: f32) -> f32 {
    (value.clamp(0.0, 1.0) * steps).round()
}

impl Pixels {
    /// A buffer of `texels` texels that all hold `value` (0..1, one entry a channel).
    pub fn filled(depth: Depth, texels: usize, value: &[f32]) -> Pixels {
        match depth {
            Depth::Eight => {
                let one: Vec<u8> = value.iter().map(|&v| quantise(v, 255.0) as u8).collect();
                Pixels::U8(one.repeat(texels))
            }
            Depth::Sixteen => {
                let one: Vec<u16> = value.iter().map(|&v| quantise(v, 65535.0) as u16).collect();
                Pixels::U16(one.repeat(texels))
            }
            Depth::Float => Pixels::F32(value.repeat(texels)),
        }
    }

    /// Writes one channel entry (`at` = texel * channels + channel) from a value in 0..1 (any number in a float buffer).
    pub fn set(&mut self, at: usize, value: f32) {
        match self {
            Pixels::U8(v) => v[at] = quantise(value, 255.0) as u8,
            Pixels::U16(v) => v[at] = quantise(value, 65535.0) as u16,
            Pixels::F32(v) => v[at] = value,
        }
    }

    /// Reads one channel entry back as 0..1.
    pub fn get(&self, at: usize) -> f32 {
        match self {
            Pixels::U8(v) => f32::from(v[at]) / 255.0,
            Pixels::U16(v) => f32::from(v[at]) / 65535.0,
            Pixels::F32(v) => v[at],
        }
    }

    pub fn depth(&self) -> Depth {
        match self {
            Pixels::U8(_) => Depth::Eight,
            Pixels::U16(_) => Depth::Sixteen,
            Pixels::F32(_) => Depth::Float,
        }
    }
}
