//! Why the merge cannot be concluded yet, if it cannot.

use crate::base::safe_text::count;
use crate::case::checks::outstanding;
use crate::case::opened::Unfinished;
use crate::state::app::State;
use crate::state::file::{FileLoad, FileState};
use armistice_git::{Commit, IndexState, Operation};

/// Whether all is settled of something that has no end of its own: a stash, a pick without a commit.
pub fn is_loose(state: &State) -> bool {
    let unmerged = |f: &FileState| f.case.standing == IndexState::Unmerged;
    state.situation.operation == Operation::Loose && !state.files.iter().any(unmerged)
}

/// The stash that the conflicts came from, once they are all finished.
pub fn droppable_stash(state: &State) -> Option<&Commit> {
    let stash = state.situation.stash.as_ref()?;
    state.files.iter().all(FileState::finished).then_some(stash)
}

/// What stands in the way of concluding, in words; `None` if nothing does.
pub fn gate(state: &State) -> Option<String> {
    if state.situation.is_idle() {
        return Some("nothing to conclude".to_owned());
    }
    let unmerged = state
        .files
        .iter()
        .filter(|f| f.case.standing == IndexState::Unmerged)
        .count();
    if unmerged > 0 {
        return Some(format!("{} not finished yet", count(unmerged, "file")));
    }
    for why in [Unfinished::Decided, Unfinished::Markers] {
        let staged = state.files.iter().filter(|f| f.is_staged());
        let n = staged.filter(|f| f.unfinished == Some(why)).count();
        if n > 0 {
            let files = count(n, "file");
            return Some(format!("{files} {}: 2 shows which", why.words()));
        }
    }
    if is_loose(state) {
        return Some("nothing to conclude: leave it staged, or commit".to_owned());
    }
    let Some(proof) = &state.proof.proof else {
        return Some("the staged files are not checked yet".to_owned());
    };
    // A verdict counts once the check behind it has ended.
    if state.proof.running {
        return Some("the staged files are being checked".to_owned());
    }
    if (state.files.iter()).any(|f| matches!(f.load, FileLoad::Waiting)) {
        return Some("files are still being read".to_owned());
    }
    match proof.stops() {
        0 => outstanding(&state.proof.checks, &proof.stands)
            .into_iter()
            .next(),
        1 => Some("1 finding blocks it".to_owned()),
        n => Some(format!("{n} findings block it")),
    }
}
