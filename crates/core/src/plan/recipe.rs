//! How a plan was made: enough to make the same one again.

use crate::diff::hunk::Algorithm;
use crate::diff::options::Options;
use crate::model::region::{RegionId, RegionKind};
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::text::lines::LineIdx;
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
    /// Regions that are conflicts because their result is in doubt: see [`Plan::with_doubts`].
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub doubts: Vec<RegionId>,
    /// A hash of its regions; empty in what older versions stored.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub fingerprint: String,
}

fn is_default(matching: &Matching) -> bool {
    *matching == Matching::default()
}

impl PlanRecipe {
    /// Whether a plan is the one that this was taken from, as far as this tells.
    pub fn is_of(&self, plan: &Plan) -> bool {
        let now = plan.recipe();
        let known = PlanRecipe {
            fingerprint: match self.fingerprint.is_empty() {
                true => String::new(),
                false => now.fingerprint.clone(),
            },
            ..now
        };
        *self == known
    }
}

impl Plan {
    /// How it was made.
    pub fn recipe(&self) -> PlanRecipe {
        PlanRecipe {
            by_declarations: self.is_by_declarations(),
            matching: self.matching(),
            doubts: self.doubts().collect(),
            fingerprint: self.fingerprint(),
        }
    }

    /// FNV-1a, 64 bits, of where each region lies in the three versions and what it is.
    fn fingerprint(&self) -> String {
        let versions = [Version::Base, Version::Ours, Version::Theirs];
        let mut hash = 0xcbf2_9ce4_8422_2325_u64;
        let mut add = |number: u32| {
            for byte in number.to_le_bytes() {
                hash = (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3);
            }
        };
        for region in self.regions() {
            add(match region.kind {
                RegionKind::Unchanged => 0,
                RegionKind::Ours => 1,
                RegionKind::Theirs => 2,
                RegionKind::Same => 3,
                RegionKind::Conflict => 4,
            });
            for version in versions {
                let lines = region.lines(version);
                add(lines.len() as u32);
                if let Some(last) = lines.end.0.checked_sub(1) {
                    add(self.real_line(version, LineIdx(last)).0);
                }
            }
        }
        format!("{hash:016x}")
    }
}
