//! Declarations of a text, matched over three versions, and the order in which they shall stand.

pub(crate) mod change;
pub(crate) mod changes;
pub(crate) mod columns;
pub(crate) mod declaration;
pub(crate) mod indented;
pub(crate) mod layout;
pub(crate) mod level;
pub(crate) mod likeness;
pub(crate) mod matching;
pub(crate) mod parted;
pub(crate) mod units;
