//! The finer merge of one conflict, row by row, kept with the plan.
//!
//! Partitioning, causes, rules and the re-indented choices all read it here:
//! it is made once. Not here: how rows are merged (`merge::rows`).

use crate::diff::hunk::Algorithm;
use crate::merge::row_edits::{RowEdit, is_only_matching};
use crate::merge::rows::{MergedRows, edits_of, merge_rows};
use crate::merge::stats::Clash;
use crate::model::region::Region;
use crate::model::side::{PerSide, Side};
use crate::model::versions::Versions;
use std::sync::OnceLock;

/// What each side did to the rows of a conflict, and what they give together.
#[derive(Clone, Debug)]
pub(crate) struct FinerMerge {
    edits: Result<PerSide<Vec<RowEdit>>, Clash>,
    /// Made when it is first asked for.
    rows: OnceLock<Result<MergedRows, Clash>>,
}

impl FinerMerge {
    pub(crate) fn new(versions: &Versions, region: &Region) -> Self {
        FinerMerge {
            edits: edits_of(versions, region, Algorithm::Histogram),
            rows: OnceLock::new(),
        }
    }

    /// What each side did to its rows; `None` if they are too many to be looked at.
    pub(crate) fn edits(&self) -> Option<&PerSide<Vec<RowEdit>>> {
        self.edits.as_ref().ok()
    }

    /// What the rows give together, or why they do not; `region` is the one it was made for.
    pub(crate) fn rows(&self, versions: &Versions, region: &Region) -> Result<&MergedRows, Clash> {
        let merge = || merge_rows(versions, region, self.edits.as_ref().map_err(|c| *c)?);
        self.rows.get_or_init(merge).as_ref().map_err(|c| *c)
    }

    /// Whether rows matched another way give the same edits, or the same text.
    pub(crate) fn is_steady(
        &self,
        versions: &Versions,
        region: &Region,
        same_text: impl Fn(&MergedRows, &MergedRows) -> bool,
    ) -> bool {
        let (Ok(rows), Some(edits)) = (self.rows(versions, region), self.edits()) else {
            return false;
        };
        let only = |side: &Side| {
            is_only_matching(&edits[*side], &versions.base, versions.get((*side).into()))
        };
        if Side::BOTH.iter().all(only) {
            return true;
        }
        let Ok(other) = edits_of(versions, region, Algorithm::Myers) else {
            return false;
        };
        other == *edits || merge_rows(versions, region, &other).is_ok_and(|o| same_text(rows, &o))
    }
}
