//! The files that Docket shows, and those that are marked.

use crate::state::app::State;
use crate::state::docket::{Filter, Sort};
use crate::state::effect::FileId;
use crate::state::file::FileState;
use armistice_core::RegionState;
use std::cmp::Reverse;

impl State {
    /// The files that Docket shows, in their order there.
    pub fn docket_rows(&self) -> Vec<FileId> {
        let view = &self.docket;
        if view.is_plain() {
            return self.file_ids().collect();
        }
        let wanted = view.path.to_lowercase();
        let mut rows: Vec<FileId> = self
            .ids()
            .filter(|(_, file)| self.passes(file))
            .filter(|(_, file)| {
                wanted.is_empty() || file.case.title().to_lowercase().contains(&wanted)
            })
            .map(|(at, _)| at)
            .collect();
        let open = |at: &FileId| self[*at].counts().map_or(0, |counts| counts.open);
        match view.sort {
            Sort::Path => {}
            Sort::Open => rows.sort_by_key(|at| Reverse(open(at))),
            Sort::State => rows.sort_by_key(|at| (self[*at].finished(), open(at) == 0)),
        }
        rows
    }

    fn passes(&self, file: &FileState) -> bool {
        let open = file.counts().map(|counts| counts.open);
        match self.docket.filter {
            Filter::All => true,
            Filter::Open => open != Some(0),
            Filter::Settled => open == Some(0) && !file.finished(),
            Filter::Offered => file.proposals().next().is_some(),
            Filter::ByRule => file.open().is_some_and(|open| {
                let draft = open.draft();
                let ruled = |(id, _)| matches!(draft.standing(id), RegionState::Ruled(_));
                draft.ruled().any(ruled)
            }),
            Filter::Marked => self.docket.marked.contains(&file.case.path),
        }
    }

    /// The marked files; the one at the cursor if none is.
    pub fn marked_or_chosen(&self) -> Vec<FileId> {
        let marked = self.marked();
        match marked.is_empty() {
            // Where nothing is in conflict there is none.
            true => self.file_ids().filter(|at| *at == self.chosen()).collect(),
            false => marked,
        }
    }

    /// The marked files.
    pub fn marked(&self) -> Vec<FileId> {
        let marked = self.ids();
        marked
            .filter(|(_, file)| self.docket.marked.contains(&file.case.path))
            .map(|(at, _)| at)
            .collect()
    }
}
