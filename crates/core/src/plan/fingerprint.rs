//! Which plan it is: how it was made, and a hash of its regions.

use crate::model::region::RegionKind;
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::plan::recipe::PlanRecipe;
use crate::text::lines::LineIdx;

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

    /// Whether a recipe was taken from this plan, as far as it tells.
    pub fn is_made_by(&self, recipe: &PlanRecipe) -> bool {
        let now = self.recipe();
        let fingerprint = match recipe.fingerprint.is_empty() {
            true => String::new(),
            false => now.fingerprint,
        };
        *recipe == PlanRecipe { fingerprint, ..now }
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
