//! Who sees whom: which high-poly parts the rays of each low-poly part may hit, by name, by shared space or manually.

mod settings;
mod shared_space;
mod table;

pub use settings::{Endings, HandPair, NamedRole, Pairing, plain_name};
pub use shared_space::{Shares, shared_space};
pub use table::{PairRow, PairRules, PairTable, PairedBy, pair_parts};
