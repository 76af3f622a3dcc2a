//! Edits that belong where the other side moved the code: which there are, and what they give.

use crate::state::app::State;
use crate::state::file::OpenFile;
use crate::state::following::MovedEdit;
use crate::view::terrain::{conflicts_in, title_in};
use armistice_core::{
    DeclarationChange, Draft, LineRange, Options, RegionId, Side, Source, Version, plan,
};
use armistice_git::FileTerrain;
use std::sync::Arc;

/// The conflict at hand in Parley as an edit of code that a side moved to another file; nothing as long
/// as that is not known.
pub fn moved_edit(state: &State) -> Option<MovedEdit> {
    let file = state.open_file()?;
    moved_edit_at(state, file, file.view.region)
}

/// The same for any conflict of the file in Parley.
fn moved_edit_at(state: &State, file: &OpenFile, id: RegionId) -> Option<MovedEdit> {
    file.plan().conflict_of(id)?;
    let case = &state.file(state.file)?.case;
    let terrain = state.terrain.known()?;
    let from = terrain
        .files
        .iter()
        .find(|file| case.has_path(&file.path))?;
    let all = from.changes.iter().zip(&from.went_to_file);
    let mut edits = all.filter_map(|(change, went)| {
        let mover = Side::BOTH.into_iter().find(|side| went[*side].is_some())?;
        let other = mover.other();
        if !change.did[other].edited || !conflicts_in(file, change).contains(&id) {
            return None;
        }
        let to = went[mover].clone()?;
        let there = terrain.files.iter().find(|file| file.path == to)?;
        Some(MovedEdit {
            title: title_in(change, Version::Base),
            mover,
            from: from.path.clone(),
            base: change.lines_in(Version::Base)?,
            edited: change.lines_in(other.into())?,
            moved: stands_in(there, change, mover)?,
            to,
        })
    });
    edits.next()
}

/// Where a side has a declaration in the file to which it moved it.
fn stands_in(there: &FileTerrain, change: &DeclarationChange, mover: Side) -> Option<LineRange> {
    let version = Version::from(mover);
    let name = change.name_in(Version::Base);
    let is = |other: &&DeclarationChange| {
        other.did[mover].moved
            && other.kind == change.kind
            && other.lines_in(Version::Base).is_none()
            && other.name_in(version) == name
    };
    there.changes.iter().find(is)?.lines_in(version)
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
