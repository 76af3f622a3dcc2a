//! A whole file in a few cells: whose change is where.

use crate::base::theme::Role;
use crate::state::file::OpenFile;
use crate::view::draft_rows::Rows;
use armistice_core::{Kind, Origin, RegionId, Standing};

/// What one cell of an overview shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Cell {
    By(Role),
    Open,
}

/// Who won in a region, for an overview.
pub(crate) fn winner(open: &OpenFile, id: RegionId) -> Option<Cell> {
    let draft = open.draft();
    match draft.standing(id) {
        Standing::Open => Some(Cell::Open),
        Standing::ByHand => Some(Cell::By(Role::Hand)),
        _ => {
            let origins = || draft.pieces(id).iter().map(|p| p.origin());
            let has = |o: Origin| origins().any(|x| x == o);
            if has(Origin::Blend) {
                return Some(Cell::By(Role::Blend));
            }
            match (
                has(Origin::Ours),
                has(Origin::Theirs),
                open.plan().region(id).kind,
            ) {
                (true, true, _) => Some(Cell::By(Role::Blend)),
                (true, false, _) => Some(Cell::By(Role::Ours)),
                (false, true, _) => Some(Cell::By(Role::Theirs)),
                (false, false, Kind::Unchanged | Kind::Same) => None,
                (false, false, Kind::Ours) if *draft.standing(id) == Standing::Merged => {
                    Some(Cell::By(Role::Ours))
                }
                (false, false, Kind::Theirs) if *draft.standing(id) == Standing::Merged => {
                    Some(Cell::By(Role::Theirs))
                }
                (false, false, _) => Some(Cell::By(Role::Base)),
            }
        }
    }
}

/// The whole file in `cells` cells; open conflicts outshine all else.
pub(crate) fn overview(file: &OpenFile, cells: usize) -> Vec<Option<Cell>> {
    let mut out = vec![None; cells];
    let rows = Rows::new(file);
    let all = rows.height().max(1);
    if cells == 0 {
        return out;
    }
    for (id, region) in file.plan().ids() {
        let touched = *file.draft().standing(id) != Standing::Merged;
        if region.kind == Kind::Unchanged && !touched {
            continue;
        }
        let Some(cell) = winner(file, id) else {
            continue;
        };
        let (start, height) = rows.of(id);
        let to = ((start + height.max(1) - 1) * cells / all).min(cells - 1);
        for place in &mut out[(start * cells / all).min(to)..=to] {
            if *place != Some(Cell::Open) {
                *place = Some(cell);
            }
        }
    }
    out
}
