//! Deliveries on the disk: the files that a plan of `ember_ridge_core::deliver` names are written into a folder and read back from it.

mod check;
mod check_glb;
mod contact;
mod facts;
mod glb;
mod package;
mod picture;
mod place;
mod rows;
mod sculpt;

pub use check::{Check, TEST_TEXELS, check_picture};
pub use facts::{Facts, FileFacts, PictureFacts, contact_sheet_among};
pub use glb::{GlbMaterial, write_textured_glb};
pub use package::{RunToDeliver, check_package, write_package};
pub use picture::{OpenMap, write_delivered};
pub use place::{Delivered, Place, PlaceFault, WORK, facts_in, send_zip};
pub use rows::{ReadPlace, RowReader};
pub use sculpt::{AskedFiles, Sculpt};
