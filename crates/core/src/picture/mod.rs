//! Pictures: typed pixels, what their numbers mean, how one is looked up at any UV, and the file formats that hold them.

mod format;
mod image;
mod pictures;
mod pixels;
mod source;
mod texture;

pub use format::ImageFormat;
pub use image::{Coding, Image, linear_to_srgb, srgb_byte_to_linear, srgb_to_linear};
pub use pictures::{FilesRead, Pictures};
pub use pixels::{Depth, Pixels, quantise};
pub use source::{FileBeside, PictureSource};
pub use texture::{Sampler, Wrap};
