//! Edits that belong where the other side moved the code: which there are, and what they give.

use crate::state::app::State;
use crate::state::effect::FileId;
use crate::state::file::OpenFile;
use armistice_core::{Draft, Options, RegionId, Source, Version, plan};
use armistice_git::{CaseKind, MovedEdit};
use std::sync::Arc;

/// The current conflict in Parley as an edit of code that a side moved to another file; nothing as long
/// as that is not known.
pub fn moved_edit(state: &State) -> Option<&MovedEdit> {
    let file = state.open_file()?;
    let id = file.view.region;
    file.plan().conflict_of(id)?;
    let case = &state.file(state.file)?.case;
    let mut edits = state.terrain.known()?.edits.iter();
    edits.find(|edit| case.has_path(&edit.from) && conflicts_about(file, edit).contains(&id))
}

/// Returns the edits of a file that belong to code which a side moved to other files: all of them where
/// that side removed the file, else those of open conflicts.
pub fn moved_edits(state: &State, at: FileId) -> Vec<&MovedEdit> {
    let (Some(file), Some(terrain)) = (state.file(at), state.terrain.known()) else {
        return Vec::new();
    };
    let is_removed = is_removed(state, at);
    let is_open = |edit: &MovedEdit| {
        let about = |open: &OpenFile| {
            let about = conflicts_about(open, edit);
            about.iter().any(|id| open.draft().is_open(*id))
        };
        file.open().is_some_and(about)
    };
    let edits = terrain.edits.iter();
    edits
        .filter(|edit| file.case.has_path(&edit.from) && (is_removed || is_open(edit)))
        .collect()
}

/// Whether a side removed what the other edited.
pub fn is_removed(state: &State, at: FileId) -> bool {
    let kind = state.file(at).map(|file| file.case.kind);
    matches!(
        kind,
        Some(CaseKind::RemovedByOurs | CaseKind::RemovedByTheirs)
    )
}

/// The conflicts about code that was moved.
pub fn conflicts_about(open: &OpenFile, moved: &MovedEdit) -> Vec<RegionId> {
    let places = [
        (Version::Base, moved.base),
        (moved.mover.other().into(), moved.edited),
    ];
    let plan = open.plan();
    let is_about = |id: &RegionId| {
        places.iter().any(|(version, inside)| {
            let lines = plan.region(*id).lines(*version);
            !lines.is_empty() && inside.contains(plan.real_line(*version, lines.start))
        })
    };
    let all = plan.conflicts().iter().copied();
    all.filter(is_about).collect()
}

/// The moved code with the other side's edit in it; nothing where both changed the same of it.
pub fn with_edit(base: &[u8], moved: &[u8], edited: &[u8]) -> Option<Vec<u8>> {
    let [base, moved, edited] = [base, moved, edited].map(Source::new);
    let plan = plan(&base, &moved, &edited, &Options::default());
    let merged = || Draft::new(Arc::new(plan.clone())).bytes();
    plan.conflicts().is_empty().then(merged)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_edit_goes_into_moved_code_unless_both_changed_the_same() {
        let base = b"def rates(hour):\n    if hour < 6:\n        return 180\n    return 120\n";
        let moved = b"def rates(hour):\n    if hour < 6:\n        return 180\n    return 125\n";
        let edited = b"def rates(hour):\n    if hour < 5:\n        return 180\n    return 120\n";
        let both = b"def rates(hour):\n    if hour < 5:\n        return 180\n    return 125\n";
        assert_eq!(with_edit(base, moved, edited).as_deref(), Some(&both[..]));
        assert_eq!(with_edit(base, base, edited).as_deref(), Some(&edited[..]));
        let other = b"def rates(hour):\n    if hour < 4:\n        return 180\n    return 120\n";
        assert_eq!(with_edit(base, other, edited), None);
    }
}
