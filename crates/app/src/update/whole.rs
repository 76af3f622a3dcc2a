//! What a whole-file outcome means: for the lines, and in words.

use crate::state::app::State;
use crate::state::effect::FileId;
use crate::state::overlay::Settles;
use armistice_core::{Entry, RegionKind, Resolution, Version};
use armistice_git::FileOutcome;

/// The decisions about lines that a whole-file outcome means: they are counted, kept and come back
/// like any other.
pub(crate) fn decides_lines(state: &State, at: FileId, outcome: FileOutcome) -> Option<Settles> {
    let version = match outcome {
        FileOutcome::Ours => Version::Ours,
        FileOutcome::Theirs => Version::Theirs,
        FileOutcome::Base => Version::Base,
        FileOutcome::Remove | FileOutcome::Both | FileOutcome::OwnName => return None,
    };
    let plan = state[at].open()?.plan();
    // Laid out by declarations it would not stand as the side has it.
    if plan.versions().get(version) != plan.real_versions().get(version) {
        return None;
    }
    let changed = plan
        .ids()
        .filter(|(_, region)| region.kind != RegionKind::Unchanged);
    let take = |id| (at, Entry::Settle(id, Resolution::Take(version)));
    Some(Settles {
        label: format!("took the whole file as {} has it", version.name()),
        entries: changed.map(|(id, _)| take(id)).collect(),
    })
}

pub(crate) fn outcome_words(outcome: FileOutcome) -> &'static str {
    match outcome {
        FileOutcome::Ours => "take the whole file as ours has it",
        FileOutcome::Theirs => "take the whole file as theirs has it",
        FileOutcome::Base => "take the whole file as base had it",
        FileOutcome::Remove => "remove the file",
        FileOutcome::Both => "keep both, each under its own name",
        FileOutcome::OwnName => "keep it where its side has it",
    }
}
