//! Settling the conflict at the cursor by one of its choices.

use crate::base::safe_text::count;
use crate::state::app::State;
use crate::state::effect::Effect;
use crate::update::deciding::{decide, step};
use crate::update::moving::{region, show, with_view};
use armistice_core::{Entry, RegionId, RegionKind, RegionState, Resolution, Side, Version};

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
    let message = format!("{label} · u undoes it");
    let entries = vec![Entry::Settle(id, resolution)];
    let effects = decide(state, step(label, entries), message);
    go_on(state, id);
    effects
}

/// After a decision goes to the next open conflict of the file, and says when none is left.
pub(crate) fn go_on(state: &mut State, from: RegionId) {
    let Some(file) = state.open_file() else {
        return;
    };
    // Nothing came of it.
    if file.draft().is_open(from) {
        return;
    }
    let open: Vec<RegionId> = file.draft().open().collect();
    let next = open.iter().find(|id| **id > from).or(open.first()).copied();
    let number = next.and_then(|id| file.plan().conflict_of(id));
    let message = state.message.text.clone();
    match (next, number) {
        (Some(next), Some(number)) if state.settings.go_on => {
            state.say(format!("{message} · next: {number}"));
            with_view(state, |file| show(file, next));
        }
        (None, _) => {
            let (_, waiting) = state.totals();
            let all = waiting == 0
                && state
                    .ids()
                    .all(|(_, file)| file.counts().is_some_and(|counts| counts.open == 0));
            state.say(match all && state.files.len() > 1 {
                true => format!("{message} · no conflict is open: W writes all files"),
                false => format!("{message} · no conflict is open here: w writes the file"),
            });
        }
        _ => {}
    }
}

/// Settles the current conflict and those cut out of the same stretch by one side, and declines what
/// the other side alone changed between them.
pub(crate) fn take_all(state: &mut State, side: Side) -> Vec<Effect> {
    let (Some(file), Some(id)) = (state.open_file(), region(state)) else {
        return Vec::new();
    };
    let plan = file.plan();
    let span = plan
        .conflict_of(id)
        .and_then(|conflict| plan.span_of(conflict));
    let Some((first, last)) = span else {
        state.say("no conflict here; n goes to the next open one");
        return Vec::new();
    };
    let (own, other) = match side {
        Side::Ours => (RegionKind::Ours, RegionKind::Theirs),
        Side::Theirs => (RegionKind::Theirs, RegionKind::Ours),
    };
    let mut entries = Vec::new();
    let (mut settled, mut declined) = (0, 0);
    for at in (first.0..=last.0).map(RegionId) {
        match plan.region(at).kind {
            RegionKind::Conflict => {
                settled += 1;
                entries.push(Entry::Settle(at, Resolution::Take(side.into())));
            }
            // What was declined of it before is part of all of it.
            kind if kind == own && *file.draft().standing(at) != RegionState::Merged => {
                entries.push(Entry::Restore(at));
            }
            kind if kind == other && *file.draft().standing(at) == RegionState::Merged => {
                declined += 1;
                entries.push(Entry::Settle(at, Resolution::Take(Version::Base)));
            }
            _ => {}
        }
    }
    let (own, theirs) = (
        Version::from(side).name(),
        Version::from(side.other()).name(),
    );
    let gone = match declined {
        0 => String::new(),
        n => format!(
            ", discarding {} that only {theirs} made",
            count(n, "change")
        ),
    };
    let label = format!(
        "settled {} by all of {own}{gone}",
        count(settled, "conflict")
    );
    let message = format!("{label} · u undoes it");
    let effects = decide(state, step(label, entries), message);
    go_on(state, last);
    effects
}

/// A change that merged can be taken or declined, nothing else.
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
            state.say("this is a conflict; b takes base, without either change");
            return Vec::new();
        }
        RegionKind::Unchanged => {
            state.say("neither side changed this; N goes to the next change");
            return Vec::new();
        }
    };
    let (label, entry) = match file.draft().standing(id) {
        RegionState::Merged => (
            format!("rejected {who} change"),
            Entry::Settle(id, Resolution::Take(Version::Base)),
        ),
        _ => (format!("restored {who} change"), Entry::Restore(id)),
    };
    let message = format!("{label} · u undoes it");
    decide(state, step(label, vec![entry]), message)
}
