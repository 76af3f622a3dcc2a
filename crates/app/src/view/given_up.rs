//! What a whole-file outcome would give up, in words.

use crate::base::safe_text::count;
use crate::state::app::State;
use crate::state::file::FileLoad;
use armistice_core::Version;
use armistice_git::FileOutcome;

/// What a whole-file outcome would give up, one line a side.
pub fn given_up(state: &State, at: usize, outcome: FileOutcome) -> Vec<String> {
    let file = &state.files[at];
    let loses = |version: Version| match outcome {
        FileOutcome::Ours => version == Version::Theirs,
        FileOutcome::Theirs => version == Version::Ours,
        FileOutcome::Base => version != Version::Base,
        FileOutcome::Remove => file.case.stages.all()[version as usize].is_some(),
    };
    let sides = [Version::Ours, Version::Theirs]
        .into_iter()
        .filter(|v| loses(*v));
    sides
        .map(|side| {
            format!(
                "gives up what {} did: {}",
                side.name(),
                work_of(&file.load, side)
            )
        })
        .collect()
}

/// What one side did to the whole file, in words.
fn work_of(load: &FileLoad, side: Version) -> String {
    let told = |(added, removed)| format!("{} added, {removed} removed", count(added, "line"));
    match load {
        FileLoad::Lines(open) => told(open.lost[usize::from(side == Version::Theirs)]),
        FileLoad::Whole(whole) => {
            let theirs = usize::from(side == Version::Theirs);
            match (whole.sizes[1 + theirs], whole.lost) {
                (None, _) => "its removal of the file".to_owned(),
                (Some(_), Some(lost)) => told(lost[theirs]),
                (Some(size), None) => format!("a version of {}", count(size, "byte")),
            }
        }
        FileLoad::Waiting | FileLoad::Failed(_) => "not read".to_owned(),
    }
}
