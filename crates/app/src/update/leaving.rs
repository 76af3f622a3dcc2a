//! Closing the program.

use crate::state::app::State;
use crate::state::effect::Effect;
use crate::update::editing;

pub(crate) fn quit(state: &mut State) -> Vec<Effect> {
    if state.accord.running.is_some() && !std::mem::replace(&mut state.accord.leaving, true) {
        state.complain(
            "git is still at work; ctrl-c on Accord stops it, q again stops it and closes",
        );
        return Vec::new();
    }
    // Text typed but not kept yet is saved and offered again; decisions are in the journal.
    let mut effects = editing::save_unsaved_edit(state);
    if state.accord.running.is_some() {
        effects.push(Effect::CancelWork);
    }
    state.done = true;
    effects.push(Effect::Quit);
    effects
}
