//! Why the merge cannot be concluded yet, if it cannot.

use crate::base::safe_text::count;
use crate::state::app::State;
use armistice_git::IndexState;

/// What stands in the way of concluding, in words; `None` if nothing does.
pub fn gate(state: &State) -> Option<String> {
    if state.situation.is_idle() {
        return Some("there is nothing to conclude".to_owned());
    }
    let unmerged = state
        .files
        .iter()
        .filter(|f| f.case.standing == IndexState::Unmerged)
        .count();
    if unmerged > 0 {
        return Some(format!("{} not finished yet", count(unmerged, "file")));
    }
    let stops = state
        .proof
        .proof
        .as_ref()
        .map_or(0, armistice_git::Proof::stops);
    match stops {
        0 => None,
        1 => Some("1 finding stands in the way".to_owned()),
        n => Some(format!("{n} findings stand in the way")),
    }
}
