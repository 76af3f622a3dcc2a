//! What Armistice keeps under the git folder: journals, copies, notes, memory.

pub(crate) mod before;
pub(crate) mod check_runs;
pub(crate) mod decisions;
pub(crate) mod intent;
pub(crate) mod journal;
pub(crate) mod memory;
pub(crate) mod records;
pub(crate) mod remade;
pub(crate) mod write_lock;
pub(crate) mod written;
