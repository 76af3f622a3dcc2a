//! The exit codes.

/// How the program ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Exit {
    /// Done, nothing left open.
    Done,
    /// Something is still open or was found.
    Open,
}
