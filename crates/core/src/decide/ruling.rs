//! The answer of a rule to a conflict: what it proposes, how certain it is, and why.

use crate::decide::resolution::Resolution;
use crate::model::region::RegionId;
use serde::{Deserialize, Serialize};

/// How certain a rule is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Certainty {
    /// Explained, never filled in.
    Hint,
    /// Offered: one key takes it.
    Likely,
    /// Filled in when the file is opened.
    Certain,
}

impl Certainty {
    /// Its name on screens and in `--json`.
    pub fn name(self) -> &'static str {
        match self {
            Certainty::Hint => "hint",
            Certainty::Likely => "likely",
            Certainty::Certain => "certain",
        }
    }
}

/// The answer of a rule to a conflict.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Ruling {
    /// The rule's id.
    pub rule: String,
    /// How sure it is.
    pub certainty: Certainty,
    /// Why, in one sentence that names the sides.
    pub reason: String,
    /// What shall stand; `None` for a hint.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub resolution: Option<Resolution>,
}

/// How much is settled without asking.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum AutoSettle {
    /// Nothing.
    None,
    /// What the rules are certain of.
    #[default]
    Certain,
    /// What they think likely too.
    Likely,
}

impl AutoSettle {
    /// The rulings that are settled at this level.
    pub fn pick(self, rulings: &[(RegionId, Ruling)]) -> Vec<(RegionId, Ruling)> {
        let least = match self {
            AutoSettle::None => return Vec::new(),
            AutoSettle::Certain => Certainty::Certain,
            AutoSettle::Likely => Certainty::Likely,
        };
        let settled = rulings
            .iter()
            .filter(|(_, r)| r.certainty >= least && r.resolution.is_some());
        settled.cloned().collect()
    }
}
