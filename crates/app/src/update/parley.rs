//! Parley: moving about the draft, deciding, previewing, picking lines.

use crate::base::commands::{Command, Tab};
use crate::base::editor::Motion;
use crate::base::safe_text::count;
use crate::case::choices::{PROPOSAL, commented_name, reindented_name, with_comment};
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::state::file::Mode;
use crate::update::deciding::{decide, step, with_the_others};
use crate::update::files::{finish, other_unfinished, show_file};
use crate::update::hand_over;
use crate::update::moving::{go_to_row, region, show, with_view};
use crate::update::picking::{run_picking, start_picking};
use crate::update::settling::{decline, settle, settle_as, take_all};
use crate::update::{bulk, cards, following};
use crate::update::{docket, editing, rulings, searching, terrain, who};
use crate::view::areas::Screen;
use crate::view::draft_rows::DraftRows;
use armistice_core::{
    Entry, Event, RegionId, RegionKind, RegionState, Resolution, Side, Version, joined,
};

pub(crate) fn run(state: &mut State, command: Command) -> Vec<Effect> {
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
        Command::TakeAll(side) => return take_all(state, side),
        Command::Both(side) => return both(state, side),
        Command::Reindent(words) => return reindent(state, words),
        Command::Comment(kept) => return leave_as_comment(state, kept),
        Command::Drop => return settle(state, Resolution::Drop),
        Command::Decline => return decline(state),
        Command::Reopen => return reopen(state),
        Command::StartOver => return start_over(state),
        Command::Undo => return undo(state),
        Command::Redo => return redo(state),
        Command::Pick => start_picking(state),
        Command::Edit => editing::start(state),
        Command::ScrollCard(version, down) => {
            let card = usize::from(version == Version::Theirs);
            cards::page(state, card, down);
        }
        Command::ShowWho => return who::show(state),
        Command::Find | Command::FindNext | Command::GoToLine | Command::JumpBack => {
            searching::run(state, command);
        }
        Command::JumpList => return terrain::list(state),
        Command::Copy => return searching::copy(state),
        Command::WrapLines => wrap_lines(state),
        Command::Unfold => cards::unfold(state),
        Command::Lens => with_view(state, |file| file.view.lens = file.view.lens.next()),
        Command::Wide => with_view(state, |file| file.view.wide = !file.view.wide),
        Command::NextChoice => preview(state, true),
        Command::PrevChoice => preview(state, false),
        Command::Accept => return accept(state),
        Command::SettleLikely => return rulings::settle_likely(state, Some(&[state.file])),
        Command::SameAgain => return rulings::same_again(state),
        Command::NextRuled => return rulings::next_ruled(state, true),
        Command::PrevRuled => return rulings::next_ruled(state, false),
        Command::TakeAlong => return following::take_along(state),
        Command::SwitchRule => return rulings::switch_rule(state),
        Command::SwitchOn => return rulings::switch_on(state),
        Command::NextPolicy => return rulings::next_policy(state),
        Command::WriteAll => return bulk::write_all(state),
        Command::HandOver => return hand_over::begin(state, state.file),
        Command::Forget => return rulings::forget(state),
        Command::ShowBlanks => show_blanks(state),
        Command::TakeProposal => {
            return match state.open_file().is_some_and(|f| f.view.choice.is_some()) {
                true => accept(state),
                false => rulings::take_proposal(state),
            };
        }
        Command::WriteFile => return finish(state, state.file),
        Command::Back => back(state),
        _ => {}
    }
    Vec::new()
}

fn back(state: &mut State) {
    let previewing = state.open_file().is_some_and(|f| f.view.choice.is_some());
    let wide = state.open_file().is_some_and(|f| f.view.wide);
    if state.open_file().is_some_and(|f| f.view.selected.is_some()) {
        return with_view(state, |file| file.view.selected = None);
    }
    match (previewing, wide) {
        (true, _) => with_view(state, |file| file.view.choice = None),
        (false, true) => with_view(state, |file| file.view.wide = false),
        (false, false) => state.tab = Tab::Docket,
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
        "white space is {shown} · policy: {policy} (B changes it)"
    ));
}

fn travel(state: &mut State, motion: Motion) {
    let page = Screen::new(state).draft_area().height as usize;
    let Some(file) = state.open_file_mut() else {
        return;
    };
    let (row, len) = {
        let rows = DraftRows::new(file);
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
    let here = file.view.region;
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
    searching::note(state);
    with_view(state, |file| show(file, id));
    if wrapped {
        let from = if forward { "top" } else { "end" };
        state.say(format!("from the {from} again"));
    }
    Vec::new()
}

/// Nothing is open in this file: on to the next one that has something open. What is settled and not
/// written yet is written together at the end.
fn on_from_here(state: &mut State, forward: bool) -> Vec<Effect> {
    let is_open = |at: &FileId| {
        let file = state.file(*at).filter(|file| !file.finished());
        let counts = file.and_then(|file| file.counts());
        counts.is_some_and(|counts| counts.open > 0)
    };
    let done = state.file(state.file).is_some_and(|f| f.finished());
    let next = state.others(state.file, forward).find(is_open);
    match (done, next, other_unfinished(state, state.file, forward)) {
        (_, Some(next), _) => {
            let effects = show_file(state, next);
            if state.tab == Tab::Parley && state.file == next {
                let path = state[next].case.path.to_string();
                state.say(format!("next: {path}; W writes all settled files"));
            }
            return effects;
        }
        (false, None, _) => state.say("no conflict is open; w writes this file, W writes all"),
        (true, None, Some(next)) => return show_file(state, next),
        (true, None, None) => state.say("every file is finished; 5 checks the result, 6 concludes"),
    }
    Vec::new()
}

fn next_change(state: &mut State, forward: bool) {
    let Some(file) = state.open_file_mut() else {
        return;
    };
    let here = file.view.region;
    let plan = file.plan();
    let changed = |id: &u32| plan.region(RegionId(*id)).kind != RegionKind::Unchanged;
    let (here, n) = (here.0, plan.regions().len() as u32);
    let next = match forward {
        true => (here + 1..n).chain(0..here).find(changed),
        false => (0..here).rev().chain((here + 1..n).rev()).find(changed),
    };
    match next {
        Some(id) => show(file, RegionId(id)),
        None => state.say("no other change in this file"),
    }
}

fn other_file(state: &mut State, forward: bool) -> Vec<Effect> {
    let mut others = state.others(state.file, forward);
    match others.find(|at| state[*at].open().is_some()) {
        Some(at) => show_file(state, at),
        None => {
            state.say("no other file has lines to settle");
            Vec::new()
        }
    }
}

/// The words of one side at the indentation of the other.
fn reindent(state: &mut State, words: Side) -> Vec<Effect> {
    let found = state.open_file().zip(region(state)).and_then(|(file, id)| {
        let mut offered = file.opened.reindented.get(&id)?.iter();
        let (_, resolution) = offered.find(|(side, _)| *side == words)?;
        Some(resolution.clone())
    });
    match found {
        Some(resolution) => settle_as(state, resolution, reindented_name(words)),
        None => {
            state.say("not possible here: both sides use the same indentation, or the conflict is too long");
            Vec::new()
        }
    }
}

/// Lines up to which a draft wraps: how high each is must be known for each frame.
const WRAPPED_LINES: usize = 5_000;

fn wrap_lines(state: &mut State) {
    let width = Screen::new(state).draft_area().width;
    let Some(file) = state.open_file_mut() else {
        return;
    };
    let said = match file.view.wrap {
        Some(_) => {
            file.view.wrap = None;
            "long lines are cut off"
        }
        None if file.draft().len() > WRAPPED_LINES => {
            "this draft is too long to wrap; the line at the cursor is shown in full"
        }
        None => {
            file.view.wrap = Some(width);
            file.view.left = 0;
            "long lines wrap; Z cuts them off"
        }
    };
    state.say(said);
}

/// Both sides, so that they stand as one text would have them.
fn both(state: &mut State, first: Side) -> Vec<Effect> {
    let plain = Resolution::Both(first);
    let (Some(file), Some(id)) = (state.open_file(), region(state)) else {
        return Vec::new();
    };
    match file.plan().conflict_of(id) {
        Some(_) => {
            let resolution = joined(file.plan(), id, first);
            settle_as(state, resolution, plain.name())
        }
        None => settle(state, plain),
    }
}

/// One side, and the other behind it as a comment.
fn leave_as_comment(state: &mut State, kept: Side) -> Vec<Effect> {
    let (Some(file), Some(id)) = (state.open_file(), region(state)) else {
        return Vec::new();
    };
    let why = match (file.plan().conflict_of(id), file.opened.comments) {
        (None, _) => "no conflict here; n goes to the next open one",
        (_, None) => "not possible here: Armistice knows no comment syntax for this file",
        _ => "the other side has no line to keep as a comment",
    };
    match with_comment(&file.opened, id, kept).filter(|_| file.plan().conflict_of(id).is_some()) {
        Some(resolution) => settle_as(state, resolution, commented_name(kept)),
        None => {
            state.say(why);
            Vec::new()
        }
    }
}

fn reopen(state: &mut State) -> Vec<Effect> {
    let (Some(file), Some(id)) = (state.open_file(), region(state)) else {
        return Vec::new();
    };
    let Some(conflict) = file.plan().conflict_of(id) else {
        return match file.draft().standing(id) {
            RegionState::Merged => {
                state.say("no settled conflict here");
                Vec::new()
            }
            _ => {
                let label = "restored the merged lines".to_owned();
                decide(
                    state,
                    step(label.clone(), vec![Entry::Restore(id)]),
                    format!("{label} · u undoes it"),
                )
            }
        };
    };
    if file.draft().is_open(id) {
        state.say("this conflict is open already");
        return Vec::new();
    }
    let label = format!("reopened {conflict}");
    let message = format!("{label} · u undoes it");
    decide(state, step(label, vec![Entry::Reopen(id)]), message)
}

fn start_over(state: &mut State) -> Vec<Effect> {
    let Some(file) = state.open_file() else {
        return Vec::new();
    };
    let (own, ruled) = bulk::decisions(file);
    let entries = [own, ruled].concat();
    if entries.is_empty() {
        state.say("this file has no decisions yet");
        return Vec::new();
    }
    let label = format!("started over in {}", count(entries.len(), "decision"));
    decide(
        state,
        step(label, entries),
        "all decisions in this file were discarded · u brings them back".to_owned(),
    )
}

fn undo(state: &mut State) -> Vec<Effect> {
    let label = state
        .open_file()
        .and_then(|f| f.opened.session().undoable())
        .map(|s| s.label.clone());
    match label {
        Some(label) => go_and_decide(state, Event::Undo, format!("undone: {label} · U redoes it")),
        None => {
            let ruled = state
                .open_file()
                .is_some_and(|f| f.draft().counts().by_rule > 0);
            state.say(match ruled {
                true => "nothing of yours to undo here; s shows what rules settled, r reopens it",
                false => "nothing to undo in this file",
            });
            Vec::new()
        }
    }
}

fn redo(state: &mut State) -> Vec<Effect> {
    let label = state
        .open_file()
        .and_then(|f| f.opened.session().redoable())
        .map(|s| s.label.clone());
    match label {
        Some(label) => go_and_decide(state, Event::Redo, format!("{label} · u undoes it")),
        None => {
            state.say("nothing to redo in this file");
            Vec::new()
        }
    }
}

/// Undo and redo go to where they change something, so that it is seen.
fn go_and_decide(state: &mut State, event: Event, message: String) -> Vec<Effect> {
    let target = state.open_file().and_then(|file| {
        let step = match event {
            Event::Undo => file.opened.session().undoable(),
            _ => file.opened.session().redoable(),
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
        Event::Undo => file.opened.session().undoable()?.group,
        _ => file.opened.session().redoable()?.group,
    });
    let mut effects = decide(state, event.clone(), message);
    if let Some(group) = group {
        effects.extend(with_the_others(state, group, &event));
    }
    if let (Some(id), Some(file)) = (target, state.open_file_mut()) {
        show(file, id);
    }
    effects
}

fn preview(state: &mut State, forward: bool) {
    with_view(state, |file| {
        let n = file.shown().choices.len();
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
    let choice = state.open_file().and_then(|file| file.previewed().cloned());
    match choice {
        Some(choice) if choice.key == PROPOSAL => rulings::take_proposal(state),
        Some(choice) => settle_as(state, choice.resolution, &choice.label),
        None => {
            state.say("← and → preview the choices; o, t, b, a, d take one directly");
            Vec::new()
        }
    }
}

pub(crate) fn click_choice(state: &mut State, nth: usize) -> Vec<Effect> {
    let previewed = state.open_file().and_then(|f| f.view.choice) == Some(nth);
    if previewed {
        return accept(state);
    }
    with_view(state, |file| file.view.choice = Some(nth));
    state.say("previewed in the draft; click again or enter to take it");
    Vec::new()
}
