//! From an action to the next state and the work to be done. Pure: no I/O.

use crate::base::commands::{Command, Tab};
use crate::base::editor::Motion;
use crate::base::keymap;
use crate::base::keymap::KeyContext;
use crate::base::party_words::PartyWords;
use crate::case::findings::settled_while_merging;
use crate::state::action::{Action, WorkResult};
use crate::state::app::State;
use crate::state::effect::Effect;
use crate::state::file::FileLoad;
use crate::state::overlay::Overlay;
use crate::update::files::show_file;
use crate::update::loading::loads;
use crate::update::moving::go_to_row;
use crate::update::overlay::Pressed;
use crate::update::picking::{self, click_pick};
use crate::update::windows::settle_views;
use crate::update::{
    accord, cards, docket, editing, leaving, overlay, parley, results, returning, scout, searching,
    staged, syntax, terrain, who,
};
use crate::view::areas::Screen;
use crate::view::following::is_removed;
use crate::view::hit::Hit;
use ratatui::crossterm::event::{
    KeyCode, KeyEvent, KeyEventKind, KeyModifiers, MouseButton, MouseEvent, MouseEventKind,
};
use ratatui::layout::Position;

/// Rows that one turn of the wheel scrolls.
const WHEEL: usize = 3;
/// Files in conflict up to which declarations are read unasked.
const TOLD_FILES: usize = 60;

/// Applies an action; returns what must be done outside.
pub fn update(state: &mut State, action: Action) -> Vec<Effect> {
    let tick = matches!(action, Action::Tick(_));
    let recorded =
        matches!(&action, Action::Done(_, result) if matches!(**result, WorkResult::Recorded(..)));
    let mut effects = apply(state, action);
    // Recording asks for nothing; what it left is looked at with the next action.
    if !recorded {
        effects.extend(syntax::ask(state, tick));
        effects.extend(who::ask(state, tick));
        effects.extend(syntax::ask_shades(state));
    }
    // In Parley it tells in which declaration one is, on Docket whether a file that a side removed went
    // elsewhere; of very many files only on request.
    let asks =
        state.tab == Tab::Parley || state.tab == Tab::Docket && is_removed(state, state.chosen());
    let told = asks && state.files.len() <= TOLD_FILES;
    if (state.tab == Tab::Terrain || told) && !tick {
        effects.extend(terrain::read(state));
    }
    if state.situation.foreseen.is_some() {
        stay_foreseen(state, &mut effects);
    }
    settle_views(state);
    name_parties(state);
    // Whoever decides something comes back to it, also after a kill.
    if effects
        .iter()
        .any(|effect| matches!(effect, Effect::Record(..)))
    {
        effects.extend(returning::note(state));
    }
    // What is checked is accounted for too; both are work for others than the screen.
    let is_check = |effect: &Effect| matches!(effect, Effect::Prove);
    if effects.iter().any(is_check) {
        effects.push(Effect::Audit(state.drafts()));
        if state.proof.running {
            // One after the other: of two at once the older might end last.
            state.proof.again = true;
            effects.retain(|effect| !is_check(effect));
        }
        state.proof.running = true;
    }
    effects
}

/// Nothing is written, staged or concluded of what is only foreseen.
fn stay_foreseen(state: &mut State, effects: &mut Vec<Effect>) {
    // How a file would be settled as a whole is tried out like anything else.
    for effect in effects.iter_mut() {
        let Effect::SettleWhole { file, outcome, .. } = effect else {
            continue;
        };
        let (at, outcome) = (*file, *outcome);
        *effect = Effect::DecideWhole(at, outcome);
        if let FileLoad::Whole(whole) = &mut state[at].load {
            whole.decided = Some(outcome);
        }
        let path = state[at].case.path.to_string();
        let name = outcome.name();
        state[at].writing = false;
        state.say(format!(
            "{path}: tried out with {name} for the whole file · R starts over"
        ));
    }
    let asked = effects.len();
    effects.retain(|effect| !effect.changes_the_tree());
    if effects.len() < asked {
        state.files.iter_mut().for_each(|file| file.writing = false);
        state.following = None;
        state.accord.running = None;
        state.complain("this is a forecast: nothing can be written yet; press 1, then S to begin");
    }
    let about_real = |effect: &Effect| {
        matches!(
            effect,
            Effect::Prove | Effect::Measure | Effect::Audit(_) | Effect::SavePlace(_)
        )
    };
    effects.retain(|effect| !about_real(effect));
}

/// The message and a question call the sides by their names.
fn name_parties(state: &mut State) {
    let words = state.party_words();
    if words == PartyWords::default() {
        return;
    }
    state.message.text = words.put_into(&state.message.text);
    if let Some(Overlay::Question(question)) = &mut state.overlay {
        question.title = words.put_into(&question.title);
        question.yes = words.put_into(&question.yes);
        for line in &mut question.lines {
            *line = words.put_into(line);
        }
        if let Some(other) = &mut question.other {
            other.label = words.put_into(&other.label);
        }
    }
}

fn apply(state: &mut State, action: Action) -> Vec<Effect> {
    // Whoever presses a key has had the message before their eyes.
    state.message.seen |= matches!(
        action,
        Action::Key(_) | Action::Mouse(_) | Action::Command(_)
    );
    // Whoever goes their own way is not called back.
    if matches!(action, Action::Key(_) | Action::Mouse(_)) && state.returning.is_some() {
        leave_it(state);
    }
    match action {
        Action::Key(key) if key.kind != KeyEventKind::Release => on_key(state, key),
        Action::Key(_) => Vec::new(),
        Action::Mouse(mouse) => on_mouse(state, mouse),
        Action::Paste(text) => on_paste(state, &text),
        Action::Resize(width, height) => {
            state.size = (width, height);
            Vec::new()
        }
        Action::Tick(now) => {
            state.now = now;
            let mut effects = editing::save_unsaved_edit(state);
            effects.extend(returning::note(state));
            effects
        }
        Action::Command(command) => run(state, command),
        Action::Done(generation, outcome) => results::take(state, generation, *outcome),
    }
}

/// The file stays the current one; its place in it comes back when it is read.
fn leave_it(state: &mut State) {
    if let Some(place) = &mut state.returning {
        place.tab = Tab::Docket;
    }
}

/// What to do when the program starts.
pub fn start(state: &mut State) -> Vec<Effect> {
    let mut effects = loads(state.file_ids().collect());
    effects.push(Effect::Prove);
    state.proof.running = true;
    effects.push(Effect::Measure);
    if state.situation.is_idle() {
        effects.extend([Effect::ReadLog, Effect::FindMarkers]);
        effects.extend(scout::read(state));
    }
    if let Some(said) = settled_while_merging(&state.situation)
        && state.message.text.is_empty()
    {
        let how = match state.situation.driven_is_committed {
            true => "'armistice docket' lists them with reasons",
            false => "s in Parley shows the next one with its reason, r reopens it",
        };
        state.say(format!("{said} · {how}"));
    }
    effects
}

fn on_key(state: &mut State, key: KeyEvent) -> Vec<Effect> {
    let name = keymap::name_of(&key);
    if state.overlay.is_some() {
        return match overlay::key(state, &key, &name) {
            Pressed::Done(effects) => effects,
            Pressed::Run(command) => run(state, command),
        };
    }
    let context = state.context();
    if context == KeyContext::Editing && editing::prompt_key(state, &key, &name) {
        return Vec::new();
    }
    if let Some(command) = keymap::command_for(context, &name) {
        return run(state, command);
    }
    if keymap::is_typing(context)
        && let KeyCode::Char(c) = key.code
        && !key
            .modifiers
            .intersects(KeyModifiers::CONTROL | KeyModifiers::ALT)
    {
        editing::insert(state, &c.to_string());
    }
    Vec::new()
}

fn on_paste(state: &mut State, text: &str) -> Vec<Effect> {
    if state.overlay.is_none() && keymap::is_typing(state.context()) {
        editing::insert(state, text);
    }
    Vec::new()
}

fn on_mouse(state: &mut State, mouse: MouseEvent) -> Vec<Effect> {
    let at = Position::new(mouse.column, mouse.row);
    let wheel = match mouse.kind {
        MouseEventKind::ScrollUp => Some(Motion::Up),
        MouseEventKind::ScrollDown => Some(Motion::Down),
        MouseEventKind::Down(MouseButton::Left) | MouseEventKind::Drag(MouseButton::Left) => None,
        _ => return Vec::new(),
    };
    if let Some(motion) = wheel
        && state.overlay.is_some()
    {
        overlay::turn(state, motion == Motion::Down, WHEEL);
        return Vec::new();
    }
    if let Some(motion) = wheel
        && state.context() == KeyContext::Staged
    {
        staged::scroll(state, motion == Motion::Down, WHEEL);
        return Vec::new();
    }
    if let Some(motion) = wheel
        && let Some(card) = Screen::new(state).card_at(at)
    {
        cards::scroll(state, card, motion == Motion::Down, WHEEL);
        return Vec::new();
    }
    if let Some(motion) = wheel {
        let steps = (0..WHEEL).flat_map(|_| run(state, Command::Move(motion)));
        return steps.collect::<Vec<_>>();
    }
    let drag = matches!(mouse.kind, MouseEventKind::Drag(_));
    let hit = Screen::new(state).hit(at);
    match hit {
        Some(Hit::Text { line, byte }) => {
            editing::place(state, line, byte, drag);
            Vec::new()
        }
        Some(Hit::DraftRow(row)) if drag => {
            searching::drag(state, row);
            Vec::new()
        }
        Some(Hit::Pick(nth)) if drag => {
            picking::drag_pick(state, nth);
            Vec::new()
        }
        Some(hit) if !drag => on_hit(state, hit),
        _ => Vec::new(),
    }
}

fn on_hit(state: &mut State, hit: Hit) -> Vec<Effect> {
    match hit {
        Hit::Command(command) if state.overlay.is_none() => run(state, command),
        Hit::Answer(answer) => overlay::answer(state, answer),
        Hit::DocketRow(row) if state.overlay.is_none() => docket::click(state, row),
        Hit::ProofRow(row) if state.overlay.is_none() => {
            let again = state.proof.list.chosen == row;
            state.proof.list.chosen = row;
            if again {
                run(state, Command::Accept)
            } else {
                Vec::new()
            }
        }
        Hit::TerrainRow(row, column) if state.overlay.is_none() => {
            terrain::click(state, row, column)
        }
        Hit::Counterpart(nth) if state.overlay.is_none() => scout::click_counterpart(state, nth),
        Hit::ForecastRow(nth) if state.overlay.is_none() => scout::click_row(state, nth),
        Hit::StagedRow(row) => staged::click(state, row),
        Hit::DraftRow(row) if state.overlay.is_none() => {
            go_to_row(state, row);
            searching::begin_drag(state, row);
            Vec::new()
        }
        Hit::Spine(row) if state.overlay.is_none() => {
            go_to_row(state, row);
            Vec::new()
        }
        Hit::Choice(nth) if state.overlay.is_none() => parley::click_choice(state, nth),
        Hit::Pick(nth) if state.overlay.is_none() => click_pick(state, nth),
        _ => Vec::new(),
    }
}

/// Runs a command; what it means depends on the screen.
pub fn run(state: &mut State, command: Command) -> Vec<Effect> {
    match command {
        Command::Go(tab) => go(state, tab),
        Command::Help | Command::Ask => {
            overlay::open(state, command);
            Vec::new()
        }
        Command::Quit => leaving::quit(state),
        Command::Suspend => vec![Effect::Suspend],
        Command::ShowMessage => {
            overlay::show_message(state);
            Vec::new()
        }
        Command::Reload => {
            state.say(results::READING);
            vec![Effect::ReadSituation]
        }
        _ if keymap::is_typing(state.context()) => editing::run(state, command),
        Command::ShowStaged => staged::open(state),
        _ if state.context() == KeyContext::Staged => staged::run(state, command),
        _ => match state.tab {
            Tab::Scout => scout::run(state, command),
            Tab::Docket => docket::run(state, command),
            Tab::Parley => parley::run(state, command),
            Tab::Terrain => terrain::run(state, command),
            Tab::Proof => accord::run_proof(state, command),
            Tab::Accord => accord::run(state, command),
        },
    }
}

fn go(state: &mut State, tab: Tab) -> Vec<Effect> {
    if tab == Tab::Parley {
        return show_file(state, state.file);
    }
    state.tab = tab;
    state.say("");
    state.accord.editing = false;
    state.staged = None;
    match tab {
        Tab::Scout => scout::read(state),
        // Nothing is staged of what is only foreseen.
        Tab::Proof | Tab::Accord if state.situation.foreseen.is_some() => Vec::new(),
        Tab::Proof => vec![Effect::Prove],
        Tab::Accord => vec![Effect::Measure, Effect::Prove],
        _ => Vec::new(),
    }
}
