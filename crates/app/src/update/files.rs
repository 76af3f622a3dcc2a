//! Showing a file, finishing it, taking it back.

use crate::base::commands::Tab;
use crate::base::safe_text::count;
use crate::state::app::State;
use crate::state::effect::Effect;
use crate::state::file::{FileLoad, Mode, OpenFile};
use crate::update::moving::arrive;
use armistice_core::{
    Certainty, Markers, PastResolution, RegionId, RegionState, render_with_markers,
};
use armistice_git::{IndexState, Overwrite};

/// The nearest other file that is not finished, going round.
pub(crate) fn other_unfinished(state: &State, from: usize, forward: bool) -> Option<usize> {
    let n = state.files.len();
    let step = |i: usize| {
        if forward {
            (from + i) % n
        } else {
            (from + n - i) % n
        }
    };
    (1..n).map(step).find(|at| !state.files[*at].finished())
}

/// Shows a file in Parley, or says why it has no lines to show.
pub(crate) fn show_file(state: &mut State, at: usize) -> Vec<Effect> {
    let Some(file) = state.files.get(at) else {
        state.say("there is no file in conflict");
        return Vec::new();
    };
    let path = file.case.path.to_string();
    match &file.load {
        FileLoad::Waiting => {
            state.say(format!("still reading {path} …"));
            return vec![Effect::LoadFirst(at)];
        }
        FileLoad::Failed(why) => {
            let text = format!("{path}: {why}");
            state.complain(text);
        }
        FileLoad::Whole(whole) => {
            let text = format!(
                "{path}: {}; choose a whole-file outcome on Docket",
                whole.why
            );
            state.tab = Tab::Docket;
            state.docket.chosen = at;
            state.say(text);
        }
        FileLoad::Lines(open) => {
            let note = open.note.clone();
            state.tab = Tab::Parley;
            state.file = at;
            state.docket.chosen = at;
            arrive(state);
            if let Some(note) = note {
                state.say(note);
            }
        }
    }
    Vec::new()
}

/// Writes and stages a file in which nothing is open.
pub(crate) fn finish(state: &mut State, at: usize) -> Vec<Effect> {
    let Some(file) = state.files.get(at) else {
        return Vec::new();
    };
    if file.writing {
        return Vec::new();
    }
    let path = file.case.path.to_string();
    if matches!(file.load, FileLoad::Waiting) {
        state.say(format!("still reading {path} …"));
        return vec![Effect::LoadFirst(at)];
    }
    let Some(open) = file.open() else {
        let text = format!("{path}: choose a whole-file outcome: o, t, b or x");
        state.say(text);
        return Vec::new();
    };
    if matches!(open.view.mode, Mode::Edit(_)) {
        state.say("leave the editor first: esc keeps what was written");
        return Vec::new();
    }
    let left = open.draft().counts().open;
    if left > 0 {
        let text = format!(
            "{path}: {} still open; n goes to the next",
            count(left, "conflict")
        );
        state.complain(text);
        return Vec::new();
    }
    if file.finished() {
        let text = format!("{path} is written and staged already");
        state.say(text);
        return Vec::new();
    }
    let effect = Effect::Write {
        file: at,
        bytes: open.draft().bytes(),
        seen: open.seen.clone(),
        overwrite: Overwrite::No,
    };
    let lessons = lessons(open);
    let mut effects = Vec::new();
    // What rules settled is what is written: from now on the journal says so.
    if let Some(first) = state.files[at]
        .open_mut()
        .and_then(|f| f.session.take_unsaved())
    {
        effects.push(Effect::Record(at, vec![first]));
    }
    state.files[at].writing = true;
    state.say(format!("writing {path} …"));
    effects.push(effect);
    if !lessons.is_empty() {
        effects.push(Effect::Remember(lessons));
    }
    effects
}

pub(crate) fn take_back(state: &mut State, at: usize) -> Vec<Effect> {
    let Some(file) = state.files.get(at) else {
        return Vec::new();
    };
    if file.case.standing == IndexState::Unmerged {
        let text = format!(
            "{} is still in conflict; nothing was staged for it",
            file.case.path
        );
        state.say(text);
        return Vec::new();
    }
    let markers = file.open().map(|open| {
        let untouched = armistice_core::Draft::new(open.draft().plan().clone());
        render_with_markers(&untouched, &Markers::default())
    });
    vec![Effect::TakeBack {
        file: at,
        markers: markers.unwrap_or_default(),
    }]
}

/// What a settled conflict teaches.
pub(crate) fn past_resolution(file: &OpenFile, id: RegionId) -> Option<PastResolution> {
    file.plan().conflict_of(id)?;
    let draft = file.draft();
    let resolution = match draft.standing(id) {
        RegionState::Open | RegionState::Merged => return None,
        RegionState::Settled(resolution) => Some(resolution),
        RegionState::Ruled(ruling) => ruling.resolution.as_ref(),
        RegionState::ByHand => None,
    };
    Some(PastResolution::of(
        file.plan(),
        id,
        resolution,
        &draft.text_of(id),
    ))
}

/// What is worth remembering of a finished file: every decision of a person.
pub(crate) fn lessons(file: &OpenFile) -> Vec<PastResolution> {
    let by_person = |id: &&RegionId| match file.draft().standing(**id) {
        RegionState::Settled(_) | RegionState::ByHand => true,
        RegionState::Ruled(ruling) => ruling.certainty < Certainty::Certain,
        RegionState::Open | RegionState::Merged => false,
    };
    let ids = file.plan().conflicts().iter().filter(by_person);
    ids.filter_map(|id| past_resolution(file, *id)).collect()
}
