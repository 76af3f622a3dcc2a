//! Applies decisions to the sessions of files and asks for them to be recorded.

use crate::base::safe_text::count;
use crate::case::opened::Recording;
use crate::case::opened::Unfinished;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::update::moving::with_view;
use armistice_core::{Entry, Event, RegionId, Step};

/// Applies an event to the current file and has it recorded.
pub(crate) fn decide(state: &mut State, event: Event, message: String) -> Vec<Effect> {
    state.say(message);
    let effects = apply(state, state.file, event);
    with_view(state, |file| {
        let last = file.plan().regions().len().saturating_sub(1) as u32;
        file.view.region = file.view.region.min(RegionId(last));
    });
    effects
}

pub(crate) fn step(label: String, entries: Vec<Entry>) -> Event {
    Event::Do(Step::new(label, entries))
}

/// Applies an event to any file and has it recorded.
pub(crate) fn apply(state: &mut State, at: FileId, event: Event) -> Vec<Effect> {
    let Some(open) = state.file_mut(at).and_then(|f| f.open_mut()) else {
        return Vec::new();
    };
    let unsaved = open.opened.take_unsaved();
    if let Err(refused) = open.opened.apply(&event) {
        if unsaved.is_some() {
            open.opened.still_unsaved();
        }
        state.complain(format!("not done: {refused}"));
        return Vec::new();
    }
    open.view.choice = None;
    state[at].unfinished = Some(Unfinished::Decided);
    let recording = Recording {
        rules: unsaved,
        event: Some(event),
    };
    vec![Effect::Record(at, recording)]
}

/// One step over several files: each gets its part, all are taken back together.
pub(crate) fn do_together(
    state: &mut State,
    label: &str,
    entries: Vec<(FileId, Entry)>,
) -> Vec<Effect> {
    let group = state.next_group();
    let mut effects = Vec::new();
    for at in state.file_ids() {
        let own: Vec<_> = entries
            .iter()
            .filter(|(f, _)| *f == at)
            .map(|(_, e)| e.clone())
            .collect();
        if own.is_empty() {
            continue;
        }
        let step = Step {
            label: label.to_owned(),
            entries: own,
            group: Some(group),
            on_opening: false,
        };
        effects.extend(apply(state, at, Event::Do(step)));
    }
    effects
}

/// Undoes or redoes in all files what was done in them as one step with this one.
pub(crate) fn with_the_others(state: &mut State, group: u64, event: &Event) -> Vec<Effect> {
    let here = state.file;
    let mut effects = Vec::new();
    let mut stuck = 0;
    for at in state.file_ids() {
        let Some(open) = state[at].open().filter(|_| at != here) else {
            continue;
        };
        let step = match event {
            Event::Undo => open.opened.session().undoable(),
            _ => open.opened.session().redoable(),
        };
        if step.and_then(|s| s.group) == Some(group) {
            effects.extend(apply(state, at, event.clone()));
        } else if *event == Event::Undo
            && open
                .opened
                .session()
                .steps()
                .iter()
                .any(|s| s.group == Some(group))
        {
            stuck += 1;
        }
    }
    if stuck > 0 {
        let text = format!(
            "{} · kept in {}, where later decisions depend on it",
            state.message.text,
            count(stuck, "file")
        );
        state.say(text);
    }
    effects
}
