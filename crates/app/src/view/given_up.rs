//! What a whole-file outcome would give up, in words.

use crate::base::safe_text::count;
use crate::state::app::State;
use crate::state::effect::FileId;
use crate::state::file::FileLoad;
use armistice_core::{LineCounts, Side, Version};
use armistice_git::FileOutcome;

/// What a whole-file outcome would give up, one line a side.
pub fn given_up(state: &State, at: FileId, outcome: FileOutcome) -> Vec<String> {
    let file = &state[at];
    let loses = |side: Side| match outcome {
        FileOutcome::Ours => side == Side::Theirs,
        FileOutcome::Theirs => side == Side::Ours,
        FileOutcome::Base => true,
        FileOutcome::Remove => file.case.stages.all()[Version::from(side) as usize].is_some(),
    };
    let sides = Side::BOTH.into_iter().filter(|side| loses(*side));
    sides
        .map(|side| {
            format!(
                "gives up what {} did: {}",
                Version::from(side).name(),
                work_of(&file.load, side)
            )
        })
        .collect()
}

/// What one side did to the whole file, in words.
fn work_of(load: &FileLoad, side: Side) -> String {
    let describe = |changes: LineCounts| {
        let LineCounts { added, removed } = changes;
        format!("{} added, {removed} removed", count(added, "line"))
    };
    match load {
        FileLoad::Lines(open) => describe(open.plan().changes()[side]),
        FileLoad::Whole(whole) => match (whole.sizes[side], whole.changes) {
            (None, _) => "its removal of the file".to_owned(),
            (Some(_), Some(changes)) => describe(changes[side]),
            (Some(size), None) => format!("a version of {}", count(size, "byte")),
        },
        FileLoad::Waiting | FileLoad::Failed(_) => "not read".to_owned(),
    }
}
