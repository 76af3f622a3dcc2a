//! A whole file in the height of the window: whose change is where.

use crate::base::theme::Role;
use crate::state::file::OpenFile;
use crate::view::draft_rows::DraftRows;
use armistice_core::{Origin, RegionId, RegionKind, RegionState};

/// What one cell of an overview shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum OverviewCell {
    By(Role),
    Open,
}

/// Who won in a region, for an overview.
pub(crate) fn winner(open: &OpenFile, id: RegionId) -> Option<OverviewCell> {
    let draft = open.draft();
    match draft.standing(id) {
        RegionState::Open => Some(OverviewCell::Open),
        RegionState::ByHand => Some(OverviewCell::By(Role::Hand)),
        _ => {
            let origins = || draft.segments(id).iter().map(|p| p.origin());
            let has = |o: Origin| origins().any(|x| x == o);
            if has(Origin::Blend) {
                return Some(OverviewCell::By(Role::Blend));
            }
            match (
                has(Origin::Ours),
                has(Origin::Theirs),
                open.plan().region(id).kind,
            ) {
                (true, true, _) => Some(OverviewCell::By(Role::Blend)),
                (true, false, _) => Some(OverviewCell::By(Role::Ours)),
                (false, true, _) => Some(OverviewCell::By(Role::Theirs)),
                (false, false, RegionKind::Unchanged | RegionKind::Same) => None,
                (false, false, RegionKind::Ours) if *draft.standing(id) == RegionState::Merged => {
                    Some(OverviewCell::By(Role::Ours))
                }
                (false, false, RegionKind::Theirs)
                    if *draft.standing(id) == RegionState::Merged =>
                {
                    Some(OverviewCell::By(Role::Theirs))
                }
                (false, false, _) => Some(OverviewCell::By(Role::Base)),
            }
        }
    }
}

/// The whole file in `cells` cells; open conflicts outshine all else.
pub(crate) fn overview(file: &OpenFile, cells: usize) -> Vec<Option<OverviewCell>> {
    let mut out = vec![None; cells];
    let rows = DraftRows::new(file);
    let all = rows.height().max(1);
    if cells == 0 {
        return out;
    }
    for (id, region) in file.plan().ids() {
        let touched = *file.draft().standing(id) != RegionState::Merged;
        if region.kind == RegionKind::Unchanged && !touched {
            continue;
        }
        let Some(cell) = winner(file, id) else {
            continue;
        };
        let (start, height) = rows.of(id);
        let to = ((start + height.max(1) - 1) * cells / all).min(cells - 1);
        for place in &mut out[(start * cells / all).min(to)..=to] {
            if *place != Some(OverviewCell::Open) {
                *place = Some(cell);
            }
        }
    }
    out
}
