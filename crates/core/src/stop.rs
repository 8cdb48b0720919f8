//! The wish to end long work early, as whoever asked for the work has it.

/// Asked between pieces of work, from any thread: true once the work should end, and from then on.
pub type Stop<'a> = &'a (dyn Fn() -> bool + Sync);

/// For work that nobody ends.
pub fn never() -> bool {
    false
}

/// The work was ended before it was done; nothing of it is left.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("stopped")]
pub struct Stopped;
