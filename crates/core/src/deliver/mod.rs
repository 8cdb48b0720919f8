//! Deliveries: how the maps of a run are named, packed, encoded and made smaller for whoever takes them, as arithmetic on plain data.
//! A profile says what is wanted; a plan says which files that makes of a run and what stands against it; texels are worked out row by
//! row, so that no map is ever whole in memory.

mod names;
mod plan;
mod portrait;
mod profile;
mod shipped;
mod texels;

pub use names::{NameFault, NameFields, Pattern};
pub use plan::{
    Delivery, DeliveryNames, PlannedChannel, PlannedPicture, SourceMap, UsedMap, asset_name, parts_of, plan_delivery,
    sheet_names, sources_of,
};
pub use portrait::{BACKDROP, Dress, portrait};
pub use profile::{Channel, Holds, MapPick, MeshRules, PROFILE_VERSION, Pick, PictureRule, Profile};
pub use shipped::{PLAIN_ROUGHNESS, shipped_profiles};
pub use texels::{Mixer, SourceRows};
