//! Settling the conflict at the cursor by one of its choices.

use crate::base::safe_text::count;
use crate::state::app::State;
use crate::state::effect::Effect;
use crate::update::deciding::{decide, step};
use crate::update::moving::region;
use armistice_core::{Entry, RegionId, RegionKind, RegionState, Resolution, Version};

pub(crate) fn settle(state: &mut State, resolution: Resolution) -> Vec<Effect> {
    let name = resolution.name();
    settle_as(state, resolution, name)
}

pub(crate) fn settle_as(state: &mut State, resolution: Resolution, name: &str) -> Vec<Effect> {
    let (Some(file), Some(id)) = (state.open_file(), region(state)) else {
        return Vec::new();
    };
    let Some(conflict) = file.plan().conflict_of(id) else {
        return settle_one_sided(state, id, resolution);
    };
    let lines = resolution.len(file.plan().region(id));
    let label = format!("settled {conflict} by {name} ({})", count(lines, "line"));
    let message = format!("{label} · u takes it back");
    let entries = vec![Entry::Settle(id, resolution)];
    decide(state, step(label, entries), message)
}

/// A change that merged by itself can be taken or declined, nothing else.
pub(crate) fn settle_one_sided(
    state: &mut State,
    id: RegionId,
    resolution: Resolution,
) -> Vec<Effect> {
    let Some(file) = state.open_file() else {
        return Vec::new();
    };
    let kind = file.plan().region(id).kind;
    let by = match (kind, &resolution) {
        (RegionKind::Unchanged, _) => None,
        (_, Resolution::Take(Version::Base)) => return decline(state),
        (RegionKind::Ours, Resolution::Take(Version::Ours))
        | (RegionKind::Theirs, Resolution::Take(Version::Theirs))
        | (RegionKind::Same, Resolution::Take(_)) => Some(Entry::Restore(id)),
        _ => None,
    };
    match by {
        Some(entry) => decide(
            state,
            step("restored a change".to_owned(), vec![entry]),
            "restored the change".to_owned(),
        ),
        None => {
            state.say("no conflict here; n goes to the next open one");
            Vec::new()
        }
    }
}

pub(crate) fn decline(state: &mut State) -> Vec<Effect> {
    let (Some(file), Some(id)) = (state.open_file(), region(state)) else {
        return Vec::new();
    };
    let who = match file.plan().region(id).kind {
        RegionKind::Ours => "ours'",
        RegionKind::Theirs => "theirs'",
        RegionKind::Same => "both sides'",
        RegionKind::Conflict => {
            state.say("this is a conflict; b settles it by base, neither change");
            return Vec::new();
        }
        RegionKind::Unchanged => {
            state.say("nobody changed anything here; N goes to the next change");
            return Vec::new();
        }
    };
    let (label, entry) = match file.draft().standing(id) {
        RegionState::Merged => (
            format!("declined {who} change"),
            Entry::Settle(id, Resolution::Take(Version::Base)),
        ),
        _ => (format!("restored {who} change"), Entry::Restore(id)),
    };
    let message = format!("{label} · u takes it back");
    decide(state, step(label, vec![entry]), message)
}
