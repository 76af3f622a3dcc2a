//! How a plan was made: enough to make the same one again.

use crate::diff::hunk::Algorithm;
use crate::diff::options::Options;
use crate::model::region::RegionId;
use serde::{Deserialize, Serialize};

/// How the lines of a plan were matched.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Matching {
    /// By the shortest edits; by rare lines if that alone leaves no conflict.
    #[default]
    Either,
    /// By the shortest edits.
    Shortest,
    /// By rare lines.
    Rare,
}

impl Matching {
    /// The options that match lines so.
    pub fn options(self) -> Options {
        let (algorithm, second_look) = match self {
            Matching::Either => (Algorithm::Myers, true),
            Matching::Shortest => (Algorithm::Myers, false),
            Matching::Rare => (Algorithm::Histogram, false),
        };
        Options {
            algorithm,
            second_look,
        }
    }

    /// How options match lines.
    pub(crate) fn of(options: &Options) -> Self {
        match (options.algorithm, options.second_look) {
            (Algorithm::Histogram, _) => Matching::Rare,
            (Algorithm::Myers, true) => Matching::Either,
            (Algorithm::Myers, false) => Matching::Shortest,
        }
    }
}

/// How a plan was made. Decisions name its regions: they are stored with it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlanRecipe {
    /// Whether it lays the texts out by declarations.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub by_declarations: bool,
    /// How its lines were matched.
    #[serde(default, skip_serializing_if = "is_default")]
    pub matching: Matching,
    /// Regions that are conflicts because their result is in doubt: see [`Plan::with_doubts`](crate::Plan::with_doubts).
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub doubts: Vec<RegionId>,
    /// A hash of its regions; empty in what older versions stored.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub fingerprint: String,
}

fn is_default(matching: &Matching) -> bool {
    *matching == Matching::default()
}
