//! What a whole-file outcome means: for the lines, and in words.

use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::state::overlay::{Overlay, Question, Settles};
use crate::view::given_up::given_up;
use armistice_core::{Entry, RegionKind, Resolution, Version};
use armistice_git::{FileOutcome, IndexState, Overwrite};

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
        label: format!("took the whole file from {}", version.name()),
        entries: changed.map(|(id, _)| take(id)).collect(),
    })
}

/// Says what a whole-file outcome would give up, and asks.
pub(crate) fn ask_whole(state: &mut State, at: FileId, outcome: FileOutcome) -> Vec<Effect> {
    let Some(file) = state.file(at) else {
        return Vec::new();
    };
    if file.case.standing == IndexState::Staged {
        state.say("this file is staged; press u first to take it back");
        return Vec::new();
    }
    let Some(seen) = file.load.seen().cloned() else {
        state.say("still reading this file");
        return Vec::new();
    };
    if !file.case.outcomes().contains(&outcome) {
        let text = format!(
            "{}: '{}' is not possible here",
            file.case.path,
            outcome.name()
        );
        state.complain(text);
        return Vec::new();
    }
    let title = format!("{}: {}", file.case.path, outcome_words(outcome));
    let mut lines = given_up(state, at, outcome);
    lines.push("The current working file is copied aside; u on Docket undoes this.".to_owned());
    let effect = Effect::SettleWhole {
        file: at,
        outcome,
        seen,
        overwrite: Overwrite::No,
    };
    let settles = decides_lines(state, at, outcome);
    state.overlay = Some(Overlay::Question(Box::new(Question {
        title,
        lines,
        yes: outcome_words(outcome).to_owned(),
        effects: vec![effect],
        settles,
        ..Question::default()
    })));
    Vec::new()
}

pub(crate) fn outcome_words(outcome: FileOutcome) -> &'static str {
    match outcome {
        FileOutcome::Ours => "take the whole file from ours",
        FileOutcome::Theirs => "take the whole file from theirs",
        FileOutcome::Base => "take the whole file from base",
        FileOutcome::Remove => "remove the file",
        FileOutcome::Both => "keep both, each under its own name",
        FileOutcome::OwnName => "keep it at its own path",
    }
}
