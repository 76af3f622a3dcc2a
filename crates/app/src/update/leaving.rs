//! Closing the program.

use crate::state::app::State;
use crate::state::effect::Effect;
use crate::update::{editing, returning};

/// A git that still concludes gets as long as the end of the program takes, and is stopped then.
pub(crate) fn quit(state: &mut State) -> Vec<Effect> {
    // Text typed but not kept yet is saved and offered again; decisions are in the journal.
    let mut effects = editing::save_unsaved_edit(state);
    effects.extend(returning::note(state));
    state.done = true;
    effects.push(Effect::Quit);
    effects
}
