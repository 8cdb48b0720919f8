//! Values as documents write them: numbers by type, units, colour spaces.

use ember_ridge_core::document::DocumentType;
use ember_ridge_core::glam::{Mat3, Vec3};
use ember_ridge_core::picture::{Coding, Image, Pixels, srgb_to_linear};

/// The numbers of a value, or what is wrong with it. None where the type has no numbers or nothing is written.
pub(super) fn numbers(kind: DocumentType, text: &str) -> Result<Option<Vec<f32>>, String> {
    let wanted = kind.numbers();
    let text = text.trim();
    if text.is_empty() || matches!(kind, DocumentType::Text | DocumentType::Surface | DocumentType::Other) {
        return Ok(None);
    }
    if kind == DocumentType::Boolean {
        return match text {
            "true" | "1" => Ok(Some(vec![1.0])),
            "false" | "0" => Ok(Some(vec![0.0])),
            other => Err(format!("'{}' is neither true nor false", short(other))),
        };
    }
    let parts = text.split([',', ' ', '\t', '\n', '\r']).filter(|part| !part.is_empty());
    let mut numbers = Vec::with_capacity(wanted);
    for part in parts {
        let number: f32 = part.parse().map_err(|_| format!("'{}' is not a number", short(part)))?;
        if !number.is_finite() {
            return Err(format!("'{}' is not a number that can be worked with", short(part)));
        }
        numbers.push(number);
        if numbers.len() > wanted {
            break;
        }
    }
    match numbers.len() == wanted {
        true => Ok(Some(numbers)),
        false => Err(format!("'{}' is not the {wanted} numbers that its type has", short(text))),
    }
}

/// A text as it is quoted in an error.
pub(super) fn short(text: &str) -> String {
    text.chars().take(40).collect()
}

/// What a unit of length is in metres (a scene unit is taken for a metre), or one of angle in degrees (MaterialX standard library,
/// `UD_stdlib_distance` and `UD_stdlib_angle`).
pub(super) fn unit(name: &str) -> Option<f32> {
    Some(match name {
        "nanometer" => 1e-9,
        "micron" => 1e-6,
        "millimeter" => 0.001,
        "centimeter" => 0.01,
        "inch" => 0.0254,
        "foot" => 0.3048,
        "yard" => 0.9144,
        "meter" | "degree" => 1.0,
        "kilometer" => 1000.0,
        "mile" => 1609.344,
        "radian" => 57.295_78,
        _ => return None,
    })
}

/// How the colours of a space become linear light in Rec. 709 (the standard's colour management library).
#[derive(Clone, Copy)]
pub(super) enum Space {
    Linear,
    Srgb,
    Gamma(f32),
    Matrix(Mat3),
    SrgbMatrix(Mat3),
    GammaMatrix(f32, Mat3),
}

/// From ACEScg primaries, a column per primary.
const AP1: Mat3 = Mat3::from_cols(
    Vec3::new(1.705_051, -0.130_256_42, -0.024_003_357),
    Vec3::new(-0.621_792_1, 1.140_804_7, -0.128_968_97),
    Vec3::new(-0.083_258_87, -0.010_548_319, 1.152_972_3),
);
const P3: Mat3 = Mat3::from_cols(
    Vec3::new(1.224_930_3, -0.042_058_68, -0.019_641_28),
    Vec3::new(-0.224_929_68, 1.042_059, -0.078_647_94),
    Vec3::new(0.0, 0.0, 1.098_289_3),
);
const ADOBE: Mat3 = Mat3::from_cols(
    Vec3::new(1.398_356_5, 0.0, 0.0),
    Vec3::new(-0.398_356_5, 1.0, -0.042_928_58),
    Vec3::new(0.0, 0.0, 1.042_928_6),
);

impl Space {
    /// By the standard's name; None for one that is not known.
    pub fn named(name: &str) -> Option<Space> {
        Some(match name {
            "" | "none" | "raw" | "lin_rec709" | "lin_rec709_scene" | "scene-linear Rec.709-sRGB" => Space::Linear,
            "srgb_texture" | "srgb_rec709_scene" | "srgb_rec709_display" => Space::Srgb,
            "gamma18" | "g18_rec709" => Space::Gamma(1.8),
            "gamma22" | "g22_rec709" | "g22_rec709_scene" => Space::Gamma(2.2),
            "gamma24" | "rec709_display" | "g24_rec709_scene" => Space::Gamma(2.4),
            "acescg" | "lin_ap1" | "lin_ap1_scene" => Space::Matrix(AP1),
            "g22_ap1" | "g22_ap1_scene" => Space::GammaMatrix(2.2, AP1),
            "lin_displayp3" | "lin_p3d65_scene" => Space::Matrix(P3),
            "srgb_displayp3" | "srgb_p3d65_scene" => Space::SrgbMatrix(P3),
            "lin_adobergb" | "lin_adobergb_scene" => Space::Matrix(ADOBE),
            "adobergb" | "g22_adobergb_scene" => Space::GammaMatrix(563.0 / 256.0, ADOBE),
            _ => return None,
        })
    }

    pub fn light(self, color: Vec3) -> Vec3 {
        let bent = |gamma: f32| color.to_array().map(|c| libm::powf(c.max(0.0), gamma)).into();
        let decoded = || color.to_array().map(srgb_to_linear).into();
        match self {
            Space::Linear => color,
            Space::Srgb => decoded(),
            Space::Gamma(gamma) => bent(gamma),
            Space::Matrix(matrix) => matrix * color,
            Space::SrgbMatrix(matrix) => matrix * Vec3::from(<[f32; 3]>::from(decoded())),
            Space::GammaMatrix(gamma, matrix) => matrix * Vec3::from(<[f32; 3]>::from(bent(gamma))),
        }
    }

    /// The picture with its numbers in this space: kept as they are where reading decodes them, worked out beforehand otherwise.
    pub fn picture(self, mut image: Image) -> Image {
        image.coding = match (self, &image.pixels) {
            (Space::Linear, _) => Coding::Linear,
            (Space::Srgb, Pixels::U8(_) | Pixels::U16(_)) => Coding::Srgb,
            _ => return self.worked_out(&image),
        };
        image
    }

    fn worked_out(self, image: &Image) -> Image {
        let mut pixels = Vec::with_capacity((image.width * image.height * 4) as usize);
        for y in 0..image.height {
            for x in 0..image.width {
                let [r, g, b, a] = image.texel(x, y);
                pixels.extend(self.light(Vec3::new(r, g, b)).to_array().into_iter().chain([a]));
            }
        }
        Image::new(image.width, image.height, 4, Pixels::F32(pixels), Coding::Linear)
    }
}
