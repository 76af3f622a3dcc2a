//! Where a person was when the program was closed.

use crate::base::commands::Tab;
use crate::case::evidence::Lens;
use armistice_core::RegionId;
use serde::{Deserialize, Serialize};

/// A place on the screens, of one operation.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Place {
    /// Where the repository stood: the same file of another step is another place.
    pub of: String,
    pub tab: Tab,
    /// The file, as hexadecimal bytes.
    pub path: String,
    /// Where in it, in its plan.
    pub region: RegionId,
    pub lens: Lens,
    pub wide: bool,
}
