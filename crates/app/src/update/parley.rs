//! Parley: moving about the draft, deciding, previewing, picking lines.

use super::{docket, rulings};
use crate::action::{Command, Effect, Tab};
use crate::editor::Motion;
use crate::evidence::pickable;
use crate::rows::Rows;
use crate::state::{Mode, OpenFile, PROPOSAL, Picking, State, choices, reindented_name};
use crate::text::count;
use armistice_core::{
    Entry, Event, Kind, LineIdx, RegionId, Resolution, Side, Standing, Step, Version,
};

pub(super) fn run(state: &mut State, command: Command) -> Vec<Effect> {
    if state.open_file().is_none() {
        state.tab = Tab::Docket;
        return docket::run(state, command);
    }
    if let Some(Mode::Pick(_)) = state.open_file().map(|f| &f.view.mode) {
        return run_picking(state, command);
    }
    match command {
        Command::Move(motion) => travel(state, motion),
        Command::NextOpen => return next_open(state, true),
        Command::PrevOpen => return next_open(state, false),
        Command::NextChange => next_change(state, true),
        Command::PrevChange => next_change(state, false),
        Command::NextFile => return other_file(state, true),
        Command::PrevFile => return other_file(state, false),
        Command::Take(version) => return settle(state, Resolution::Take(version)),
        Command::Both(side) => return settle(state, Resolution::Both(side)),
        Command::Reindent(words) => return reindent(state, words),
        Command::Drop => return settle(state, Resolution::Drop),
        Command::Decline => return decline(state),
        Command::Reopen => return reopen(state),
        Command::StartOver => return start_over(state),
        Command::Undo => return undo(state),
        Command::Redo => return redo(state),
        Command::Pick => start_picking(state),
        Command::Edit => super::editing::start(state),
        Command::Lens => with_view(state, |file| file.view.lens = file.view.lens.next()),
        Command::Wide => with_view(state, |file| file.view.wide = !file.view.wide),
        Command::NextChoice => preview(state, true),
        Command::PrevChoice => preview(state, false),
        Command::Accept => return accept(state),
        Command::SettleLikely => return rulings::settle_likely(state, Some(state.file)),
        Command::SameAgain => return rulings::same_again(state),
        Command::NextRuled => return rulings::next_ruled(state, true),
        Command::PrevRuled => return rulings::next_ruled(state, false),
        Command::SwitchRule => return rulings::switch_rule(state),
        Command::SwitchOn => return rulings::switch_on(state),
        Command::NextPolicy => return rulings::next_policy(state),
        Command::Forget => return rulings::forget(state),
        Command::ShowBlanks => show_blanks(state),
        Command::TakeProposal => {
            return match state.open_file().is_some_and(|f| f.view.choice.is_some()) {
                true => accept(state),
                false => rulings::take_proposal(state),
            };
        }
        Command::WriteFile => return docket::finish(state, state.file),
        Command::Back => back(state),
        _ => {}
    }
    Vec::new()
}

fn with_view(state: &mut State, change: impl FnOnce(&mut OpenFile)) {
    if let Some(file) = state.open_file_mut() {
        change(file);
    }
}

fn back(state: &mut State) {
    let previewing = state.open_file().is_some_and(|f| f.view.choice.is_some());
    match previewing {
        true => with_view(state, |file| file.view.choice = None),
        false => state.tab = Tab::Docket,
    }
}

fn show_blanks(state: &mut State) {
    state.blanks_shown = !state.blanks_shown;
    let policy = state.settings.whitespace.name();
    let shown = if state.blanks_shown {
        "shown"
    } else {
        "not shown"
    };
    state.say(format!(
        "blanks are {shown} · white space: {policy} (W changes that)"
    ));
}

fn region(state: &State) -> Option<RegionId> {
    state.open_file().map(|f| RegionId(f.view.region))
}

/// Goes to the first open conflict when a file is shown for the first time.
pub(super) fn arrive(state: &mut State) {
    let Some(file) = state.open_file_mut() else {
        return;
    };
    let fresh = file.view.region == 0 && file.view.offset == 0 && file.view.top == 0;
    let first = file
        .draft()
        .open()
        .next()
        .or(file.plan().conflicts().first().copied());
    let first = first.filter(|_| fresh);
    if let Some(first) = first {
        show(file, first);
    }
    if file.sketch.is_some() {
        state.say("an edit of this file was cut short; e brings its text back");
    }
}

/// Puts the cursor on a region and the region near the top of the window.
pub(super) fn show(file: &mut OpenFile, region: RegionId) {
    file.view.region = region.0;
    file.view.offset = 0;
    file.view.choice = None;
    // Settled afterwards by `follow`, which leaves a few lines above the cursor.
    let (start, _) = Rows::new(file).of(region);
    file.view.top = start.saturating_sub(6);
}

/// Keeps the cursor in the window and, where it fits, its whole region too.
pub(super) fn follow(file: &mut OpenFile, height: usize) {
    let rows = Rows::new(file);
    let (cursor, len) = (rows.cursor(), rows.height());
    let (start, tall) = rows.of(RegionId(file.view.region));
    let margin = (height / 6).min(3);
    let lowest = (cursor + margin + 1).saturating_sub(height.max(1));
    let mut top = file
        .view
        .top
        .clamp(lowest, cursor.saturating_sub(margin).max(lowest));
    let is_conflict = file
        .plan()
        .conflict_of(RegionId(file.view.region))
        .is_some();
    if is_conflict && tall + 2 <= height {
        let lowest = (start + tall + 1).saturating_sub(height);
        top = top.clamp(lowest, start.saturating_sub(1).max(lowest));
    }
    file.view.top = top.min(len.saturating_sub(height.min(len)));
}

pub(super) fn go_to_row(state: &mut State, row: usize) {
    with_view(state, |file| {
        let rows = Rows::new(file);
        let row = row.min(rows.height().saturating_sub(1));
        if let Some((id, _)) = rows.at(row) {
            let offset = row - rows.of(id).0;
            if file.view.region != id.0 {
                file.view.choice = None;
            }
            file.view.region = id.0;
            file.view.offset = offset;
        }
    });
}

/// Goes to a line of the draft.
pub(super) fn go_to_line(state: &mut State, line: LineIdx) {
    let row = state.open_file().map(|file| Rows::new(file).row_of(line));
    go_to_row(state, row.unwrap_or(0));
}

fn travel(state: &mut State, motion: Motion) {
    let page = crate::screen::Screen::new(state).draft_area().height as usize;
    let Some(file) = state.open_file_mut() else {
        return;
    };
    let (row, len) = {
        let rows = Rows::new(file);
        (rows.cursor(), rows.height())
    };
    let to = match motion {
        Motion::Up => row.saturating_sub(1),
        Motion::Down => row + 1,
        Motion::PageUp => row.saturating_sub(page),
        Motion::PageDown => row + page,
        Motion::Start => 0,
        Motion::End => len,
        Motion::Left => {
            file.view.left = file.view.left.saturating_sub(8);
            row
        }
        Motion::Right => {
            file.view.left += 8;
            row
        }
        _ => row,
    };
    go_to_row(state, to);
}

fn next_open(state: &mut State, forward: bool) -> Vec<Effect> {
    let Some(file) = state.open_file_mut() else {
        return Vec::new();
    };
    let here = RegionId(file.view.region);
    let open: Vec<_> = file.draft().open().collect();
    let ahead = match forward {
        true => open.iter().copied().find(|id| *id > here),
        false => open.iter().copied().rev().find(|id| *id < here),
    };
    let round = if forward { open.first() } else { open.last() };
    let Some(id) = ahead.or(round.copied()) else {
        return on_from_here(state, forward);
    };
    let wrapped = ahead.is_none() && id != here;
    show(file, id);
    if wrapped {
        let from = if forward { "top" } else { "end" };
        state.say(format!("from the {from} again"));
    }
    Vec::new()
}

/// Nothing is open in this file: on to the next one, once this one is finished.
fn on_from_here(state: &mut State, forward: bool) -> Vec<Effect> {
    let done = state.files.get(state.file).is_some_and(|f| f.finished());
    match (done, docket::other_unfinished(state, state.file, forward)) {
        (false, _) => state.say("nothing is open in this file; w writes and stages it"),
        (true, Some(next)) => return docket::open(state, next),
        (true, None) => state.say("every file is finished; 5 proves the result, 6 concludes"),
    }
    Vec::new()
}

fn next_change(state: &mut State, forward: bool) {
    let Some(file) = state.open_file_mut() else {
        return;
    };
    let here = file.view.region;
    let plan = file.plan();
    let changed = |id: &u32| plan.region(RegionId(*id)).kind != Kind::Unchanged;
    let n = plan.regions().len() as u32;
    let next = match forward {
        true => (here + 1..n)
            .find(changed)
            .or_else(|| (0..here).find(changed)),
        false => (0..here)
            .rev()
            .find(changed)
            .or_else(|| (here + 1..n).rev().find(changed)),
    };
    match next {
        Some(id) => show(file, RegionId(id)),
        None => state.say("no other change in this file"),
    }
}

fn other_file(state: &mut State, forward: bool) -> Vec<Effect> {
    let with_lines: Vec<_> = (0..state.files.len())
        .filter(|at| *at == state.file || state.files[*at].open().is_some())
        .collect();
    let here = with_lines
        .iter()
        .position(|at| *at == state.file)
        .unwrap_or(0);
    let n = with_lines.len();
    let to = if forward {
        (here + 1) % n
    } else {
        (here + n - 1) % n
    };
    match with_lines[to] == state.file {
        true => {
            state.say("no other file has lines to settle");
            Vec::new()
        }
        false => docket::open(state, with_lines[to]),
    }
}

/// Applies an event to the file at hand and has it recorded.
pub(super) fn decide(state: &mut State, event: Event, message: String) -> Vec<Effect> {
    state.say(message);
    let effects = rulings::apply(state, state.file, event);
    with_view(state, |file| {
        let max = file.plan().regions().len().saturating_sub(1) as u32;
        file.view.region = file.view.region.min(max);
    });
    effects
}

fn step(label: String, entries: Vec<Entry>) -> Event {
    Event::Do(Step::new(label, entries))
}

fn settle(state: &mut State, resolution: Resolution) -> Vec<Effect> {
    let name = resolution.name();
    settle_as(state, resolution, name)
}

/// The words of one side at the indentation of the other.
fn reindent(state: &mut State, words: Side) -> Vec<Effect> {
    let found = state.open_file().zip(region(state)).and_then(|(file, id)| {
        let mut offered = file.reindented.get(&id)?.iter();
        let (_, resolution) = offered.find(|(side, _)| *side == words)?;
        Some(resolution.clone())
    });
    match found {
        Some(resolution) => settle_as(state, resolution, reindented_name(words)),
        None => {
            state.say("no choice here: the sides do not indent it differently, or it is very long");
            Vec::new()
        }
    }
}

fn settle_as(state: &mut State, resolution: Resolution, name: &str) -> Vec<Effect> {
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
fn settle_one_sided(state: &mut State, id: RegionId, resolution: Resolution) -> Vec<Effect> {
    let Some(file) = state.open_file() else {
        return Vec::new();
    };
    let kind = file.plan().region(id).kind;
    let by = match (kind, &resolution) {
        (Kind::Unchanged, _) => None,
        (_, Resolution::Take(Version::Base)) => return decline(state),
        (Kind::Ours, Resolution::Take(Version::Ours))
        | (Kind::Theirs, Resolution::Take(Version::Theirs))
        | (Kind::Same, Resolution::Take(_)) => Some(Entry::Restore(id)),
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

fn decline(state: &mut State) -> Vec<Effect> {
    let (Some(file), Some(id)) = (state.open_file(), region(state)) else {
        return Vec::new();
    };
    let who = match file.plan().region(id).kind {
        Kind::Ours => "ours'",
        Kind::Theirs => "theirs'",
        Kind::Same => "both sides'",
        Kind::Conflict => {
            state.say("this is a conflict; b settles it by base, neither change");
            return Vec::new();
        }
        Kind::Unchanged => {
            state.say("nobody changed anything here; N goes to the next change");
            return Vec::new();
        }
    };
    let (label, entry) = match file.draft().standing(id) {
        Standing::Merged => (
            format!("declined {who} change"),
            Entry::Settle(id, Resolution::Take(Version::Base)),
        ),
        _ => (format!("restored {who} change"), Entry::Restore(id)),
    };
    let message = format!("{label} · u takes it back");
    decide(state, step(label, vec![entry]), message)
}

fn reopen(state: &mut State) -> Vec<Effect> {
    let (Some(file), Some(id)) = (state.open_file(), region(state)) else {
        return Vec::new();
    };
    let Some(conflict) = file.plan().conflict_of(id) else {
        return match file.draft().standing(id) {
            Standing::Merged => {
                state.say("no settled conflict here");
                Vec::new()
            }
            _ => {
                let label = "restored the lines as they merged".to_owned();
                decide(
                    state,
                    step(label.clone(), vec![Entry::Restore(id)]),
                    format!("{label} · u takes it back"),
                )
            }
        };
    };
    if file.draft().is_open(id) {
        state.say("this conflict is open already");
        return Vec::new();
    }
    let label = format!("opened {conflict} again");
    let message = format!("{label} · u takes it back");
    decide(state, step(label, vec![Entry::Reopen(id)]), message)
}

fn start_over(state: &mut State) -> Vec<Effect> {
    let Some(file) = state.open_file() else {
        return Vec::new();
    };
    let draft = file.draft();
    let touched = |(id, region): &(RegionId, &armistice_core::Region)| match region.kind {
        Kind::Conflict => !draft.is_open(*id),
        _ => *draft.standing(*id) != Standing::Merged,
    };
    let entries: Vec<_> = file
        .plan()
        .ids()
        .filter(touched)
        .map(|(id, _)| Entry::Restore(id))
        .collect();
    if entries.is_empty() {
        state.say("nothing is decided in this file yet");
        return Vec::new();
    }
    let label = format!("put {} back", count(entries.len(), "decision"));
    decide(
        state,
        step(label, entries),
        "this file is as it was at the start · u brings the decisions back".to_owned(),
    )
}

fn undo(state: &mut State) -> Vec<Effect> {
    let label = state
        .open_file()
        .and_then(|f| f.session.undoable())
        .map(|s| s.label.clone());
    match label {
        Some(label) => go_and_decide(
            state,
            Event::Undo,
            format!("took back: {label} · U does it again"),
        ),
        None => {
            state.say("nothing to take back in this file");
            Vec::new()
        }
    }
}

fn redo(state: &mut State) -> Vec<Effect> {
    let label = state
        .open_file()
        .and_then(|f| f.session.redoable())
        .map(|s| s.label.clone());
    match label {
        Some(label) => go_and_decide(state, Event::Redo, format!("{label} · u takes it back")),
        None => {
            state.say("nothing to do again in this file");
            Vec::new()
        }
    }
}

/// Undo and redo go to where they change something, so that it is seen.
fn go_and_decide(state: &mut State, event: Event, message: String) -> Vec<Effect> {
    let target = state.open_file().and_then(|file| {
        let step = match event {
            Event::Undo => file.session.undoable(),
            _ => file.session.redoable(),
        };
        match step?.entries.as_slice() {
            [
                Entry::Settle(id, _) | Entry::Rule(id, _) | Entry::Reopen(id) | Entry::Restore(id),
                ..,
            ] => Some(*id),
            _ => None,
        }
    });
    let group = state.open_file().and_then(|file| match event {
        Event::Undo => file.session.undoable()?.group,
        _ => file.session.redoable()?.group,
    });
    let mut effects = decide(state, event.clone(), message);
    if let Some(group) = group {
        effects.extend(rulings::with_the_others(state, group, &event));
    }
    if let (Some(id), Some(file)) = (target, state.open_file_mut()) {
        show(file, id);
    }
    effects
}

fn preview(state: &mut State, forward: bool) {
    with_view(state, |file| {
        let n = choices(file, RegionId(file.view.region)).len();
        // One place more than there are choices: the one without a preview.
        let here = file.view.choice.map_or(0, |c| c + 1);
        let to = if forward {
            (here + 1) % (n + 1)
        } else {
            (here + n) % (n + 1)
        };
        file.view.choice = to.checked_sub(1);
    });
}

fn accept(state: &mut State) -> Vec<Effect> {
    let choice = state.open_file().and_then(|file| {
        let nth = file.view.choice?;
        choices(file, RegionId(file.view.region))
            .into_iter()
            .nth(nth)
    });
    match choice {
        Some(choice) if choice.key == PROPOSAL => rulings::take_proposal(state),
        Some(choice) => settle_as(state, choice.resolution, &choice.label),
        None => {
            state.say("← and → preview the choices; o, t, b, a, d take one at once");
            Vec::new()
        }
    }
}

pub(super) fn click_choice(state: &mut State, nth: usize) -> Vec<Effect> {
    let previewed = state.open_file().and_then(|f| f.view.choice) == Some(nth);
    if previewed {
        return accept(state);
    }
    with_view(state, |file| file.view.choice = Some(nth));
    state.say("previewed in the draft; click again or enter to take it");
    Vec::new()
}

fn start_picking(state: &mut State) {
    let in_conflict = region(state)
        .zip(state.open_file())
        .is_some_and(|(id, file)| file.plan().conflict_of(id).is_some());
    if !in_conflict {
        state.say("lines are picked for a conflict; n goes to the next open one");
        return;
    }
    with_view(state, |file| {
        file.view.choice = None;
        file.view.wide = false;
        file.view.mode = Mode::Pick(Picking::default());
    });
    state.say("space marks lines in the order in which they shall stand, enter lets them stand");
}

fn run_picking(state: &mut State, command: Command) -> Vec<Effect> {
    let Some(file) = state.open_file_mut() else {
        return Vec::new();
    };
    let lines = pickable(file);
    let Mode::Pick(picking) = &mut file.view.mode else {
        return Vec::new();
    };
    let last = lines.len().saturating_sub(1);
    match command {
        Command::Move(Motion::Up) => picking.cursor = picking.cursor.saturating_sub(1),
        Command::Move(Motion::Down) => picking.cursor = (picking.cursor + 1).min(last),
        Command::Move(Motion::Start) => picking.cursor = 0,
        Command::Move(Motion::End) => picking.cursor = last,
        Command::PickLine => {
            toggle(picking, &lines);
            picking.cursor = (picking.cursor + 1).min(last);
        }
        Command::Back => {
            file.view.mode = Mode::Look;
            state.say("left without settling");
        }
        Command::Accept => {
            let picks = std::mem::take(&mut picking.picks);
            if picks.is_empty() {
                state.say("no line is marked; space marks one, d in Parley settles by nothing");
                return Vec::new();
            }
            file.view.mode = Mode::Look;
            return settle(state, Resolution::Lines(picks));
        }
        _ => {}
    }
    Vec::new()
}

fn toggle(picking: &mut Picking, lines: &[armistice_core::Pick]) {
    let Some(pick) = lines.get(picking.cursor) else {
        return;
    };
    match picking.picks.iter().position(|p| p == pick) {
        Some(at) => {
            picking.picks.remove(at);
        }
        None => picking.picks.push(*pick),
    }
}

pub(super) fn click_pick(state: &mut State, nth: usize) -> Vec<Effect> {
    with_view(state, |file| {
        let lines = pickable(file);
        if let Mode::Pick(picking) = &mut file.view.mode {
            picking.cursor = nth.min(lines.len().saturating_sub(1));
            toggle(picking, &lines);
        }
    });
    Vec::new()
}
