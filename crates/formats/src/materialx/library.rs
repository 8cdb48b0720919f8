//! The standard's own library: which nodes there are, what their inputs are where a document gives none, and which of them are made of
//! others.

use super::tree::Tree;
use std::sync::LazyLock;

/// Name and text of each file.
pub(super) const FILES: [(&str, &str); 8] = [
    ("stdlib_defs.mtlx", include_str!("../../materialx/stdlib_defs.mtlx")),
    ("stdlib_ng.mtlx", include_str!("../../materialx/stdlib_ng.mtlx")),
    ("pbrlib_defs.mtlx", include_str!("../../materialx/pbrlib_defs.mtlx")),
    ("pbrlib_ng.mtlx", include_str!("../../materialx/pbrlib_ng.mtlx")),
    ("standard_surface.mtlx", include_str!("../../materialx/standard_surface.mtlx")),
    ("open_pbr_surface.mtlx", include_str!("../../materialx/open_pbr_surface.mtlx")),
    ("gltf_pbr.mtlx", include_str!("../../materialx/gltf_pbr.mtlx")),
    ("usd_preview_surface.mtlx", include_str!("../../materialx/usd_preview_surface.mtlx")),
];

/// The files as trees. One that could not be read would leave its nodes unknown; a test reads them all.
pub(super) static TREES: LazyLock<Vec<Tree>> =
    LazyLock::new(|| FILES.iter().filter_map(|(_, text)| Tree::read(text.as_bytes()).ok()).collect());
