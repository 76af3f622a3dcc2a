//! Everything the screens ask of git at once, what stands in the way, and concluding.

pub(crate) mod calls_outdated;
pub(crate) mod conclude;
pub(crate) mod history;
pub(crate) mod interrupted;
pub(crate) mod lines;
pub(crate) mod looked;
pub(crate) mod marker_files;
pub(crate) mod named_files;
pub(crate) mod names;
pub(crate) mod names_gone;
pub(crate) mod names_moved;
pub(crate) mod names_twice;
pub(crate) mod numbered_files;
pub(crate) mod parents;
pub(crate) mod parsing;
pub(crate) mod paths_gone;
pub(crate) mod proof;
pub(crate) mod read;
pub(crate) mod staged;
pub(crate) mod stash;
pub(crate) mod steps;
pub(crate) mod taken_in;
pub(crate) mod terrain;
pub(crate) mod touched;
