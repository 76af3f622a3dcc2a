//! A cancellation flag, shared between threads.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Whether the whole program ends.
static ALL: AtomicBool = AtomicBool::new(false);

/// A wish to stop, shared with the thread that works.
#[derive(Clone, Debug, Default)]
pub struct Cancel(Arc<AtomicBool>);

impl Cancel {
    /// Asks the work to stop.
    pub fn cancel(&self) {
        self.0.store(true, Ordering::Relaxed);
    }

    /// Asks all work of this process to stop, for good: the program ends.
    pub fn everything() {
        ALL.store(true, Ordering::Relaxed);
    }

    /// Whether it was asked to.
    pub fn is_cancelled(&self) -> bool {
        self.0.load(Ordering::Relaxed) || ALL.load(Ordering::Relaxed)
    }
}
