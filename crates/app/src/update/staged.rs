//! Looking through what is staged, against each parent.

use crate::base::commands::{Command, Tab};
use crate::base::editor::Motion;
use crate::case::staged_diff::DiffRead;
use crate::state::app::{StagedView, State};
use crate::state::effect::Effect;
use crate::update::files::show_file;
use crate::view::staged::{StagedAreas, diff_at};
use armistice_git::{AgainstParent, RepoPath};

/// Columns by which long lines are scrolled.
const ASIDE: usize = 8;

pub(crate) fn open(state: &mut State) -> Vec<Effect> {
    if state
        .accord
        .against
        .iter()
        .all(|against| against.files.is_empty())
    {
        state.say("no staged file differs from a parent");
        return vec![Effect::Measure];
    }
    let mut view = StagedView::default();
    // The file of the finding at the cursor is what one wants to see.
    let finding = state
        .proof
        .chosen_finding()
        .filter(|_| state.tab == Tab::Proof);
    let found = finding.map(|finding| &finding.path);
    let files = state.accord.against.first().map(|against| &against.files);
    if let (Some(path), Some(files)) = (found, files) {
        let at = files.iter().position(|file| file.path == *path);
        view.files.chosen = at.unwrap_or(0);
    }
    state.staged = Some(view);
    read_chosen(state)
}

pub(crate) fn run(state: &mut State, command: Command) -> Vec<Effect> {
    let rows = StagedAreas::new(state).diff.height as usize;
    let diff = diff_at(state);
    let (lines, changes) = diff.map_or((0, Vec::new()), |d| (d.rows.len(), d.changes.clone()));
    let last = lines.saturating_sub(rows.max(1));
    let Some(view) = &mut state.staged else {
        return Vec::new();
    };
    match command {
        Command::Move(Motion::Down) => return go_to(state, 1),
        Command::Move(Motion::Up) => return go_to(state, -1),
        Command::Move(Motion::PageDown) => view.top = (view.top + rows.max(2) - 1).min(last),
        Command::Move(Motion::PageUp) => view.top = view.top.saturating_sub(rows.max(2) - 1),
        Command::Move(Motion::Start) => view.top = 0,
        Command::Move(Motion::End) => view.top = last,
        Command::Move(Motion::Right) => view.left += ASIDE,
        Command::Move(Motion::Left) => view.left = view.left.saturating_sub(ASIDE),
        Command::NextChange => match changes.iter().find(|at| **at > view.top) {
            Some(next) if view.top < last => view.top = (*next).min(last),
            _ => return go_to(state, 1),
        },
        Command::PrevChange => {
            let before = changes.iter().rev().find(|at| **at < view.top);
            view.top = before.copied().unwrap_or(0);
        }
        Command::NextParent => return next_parent(state),
        Command::Accept => return go_to_parley(state),
        Command::Back => state.staged = None,
        _ => {}
    }
    Vec::new()
}

/// Scrolls by rows, for the wheel.
pub(crate) fn scroll(state: &mut State, down: bool, by: usize) {
    let rows = StagedAreas::new(state).diff.height as usize;
    let lines = diff_at(state).map_or(0, |diff| diff.rows.len());
    if let Some(view) = &mut state.staged {
        view.top = match down {
            true => (view.top + by).min(lines.saturating_sub(rows.max(1))),
            false => view.top.saturating_sub(by),
        };
    }
}

fn against(state: &State) -> Option<&AgainstParent> {
    state.accord.against.get(state.staged.as_ref()?.parent)
}

/// Goes to another file.
fn go_to(state: &mut State, step: isize) -> Vec<Effect> {
    let files = against(state).map_or(0, |against| against.files.len());
    if let Some(view) = &mut state.staged {
        let to = view.files.chosen.saturating_add_signed(step);
        let to = to.min(files.saturating_sub(1));
        if to == view.files.chosen {
            state.say("no other file there");
            return Vec::new();
        }
        (view.files.chosen, view.top, view.left) = (to, 0, 0);
    }
    read_chosen(state)
}

/// Goes to a file that was clicked.
pub(crate) fn click(state: &mut State, row: usize) -> Vec<Effect> {
    let files = against(state).map_or(0, |against| against.files.len());
    if let Some(view) = &mut state.staged
        && row < files
    {
        (view.files.chosen, view.top, view.left) = (row, 0, 0);
    }
    read_chosen(state)
}

/// Against another parent, at the same file if it differs there too.
fn next_parent(state: &mut State) -> Vec<Effect> {
    let parents = state.accord.against.len();
    if parents < 2 {
        state.say("the next commit has one parent");
        return Vec::new();
    }
    let path = chosen_path(state);
    let Some(view) = &mut state.staged else {
        return Vec::new();
    };
    view.parent = (view.parent + 1) % parents;
    (view.files.chosen, view.files.top, view.top) = (0, 0, 0);
    let files = &state.accord.against[view.parent].files;
    let same = files
        .iter()
        .position(|file| Some(&file.path) == path.as_ref());
    view.files.chosen = same.unwrap_or(0);
    read_chosen(state)
}

fn chosen_path(state: &State) -> Option<RepoPath> {
    let view = state.staged.as_ref()?;
    let file = against(state)?.files.get(view.files.chosen)?;
    Some(file.path.clone())
}

/// Reads the difference of the chosen file, unless it is known.
pub(crate) fn read_chosen(state: &mut State) -> Vec<Effect> {
    let (Some(view), Some(against)) = (&state.staged, against(state)) else {
        return Vec::new();
    };
    let Some(file) = against.files.get(view.files.chosen) else {
        return Vec::new();
    };
    if view.read.contains_key(&(view.parent, file.path.clone())) {
        return Vec::new();
    }
    let others = state.accord.against.iter().enumerate();
    let mut others = others.filter(|(nth, _)| *nth != view.parent);
    let other = others.find_map(|(_, other)| {
        let same = other.files.iter().find(|f| f.path == file.path);
        // Where nothing differs from the other parent, it has what is staged.
        same.map_or(file.after.clone(), |same| same.before.clone())
    });
    // A commit that is replayed is no parent; where nothing clashed, all that is staged is its doing.
    let other = match state.accord.against.len() {
        1 => {
            let case = state.files.iter().find(|f| f.case.path == file.path);
            let theirs = case.map(|f| f.case.stages.theirs.as_ref().map(|stage| stage.oid.clone()));
            theirs.unwrap_or_else(|| file.after.clone())
        }
        _ => other,
    };
    vec![Effect::ReadDiff {
        parent: view.parent,
        file: Box::new(file.clone()),
        other,
    }]
}

pub(crate) fn read(state: &mut State, parent: usize, path: RepoPath, diff: DiffRead) {
    if let Some(view) = &mut state.staged {
        view.read.insert((parent, path), diff);
    }
}

/// What is staged was counted again: what was read of it may be another text by now.
pub(crate) fn counted(state: &mut State, against: Vec<AgainstParent>) -> Vec<Effect> {
    if state.accord.against == against {
        return Vec::new();
    }
    state.accord.against = against;
    let Some(view) = &mut state.staged else {
        return Vec::new();
    };
    view.read.clear();
    view.parent = view
        .parent
        .min(state.accord.against.len().saturating_sub(1));
    let files = state
        .accord
        .against
        .get(view.parent)
        .map_or(0, |a| a.files.len());
    view.files.chosen = view.files.chosen.min(files.saturating_sub(1));
    view.top = 0;
    read_chosen(state)
}

fn go_to_parley(state: &mut State) -> Vec<Effect> {
    let Some(path) = chosen_path(state) else {
        return Vec::new();
    };
    let case = state.ids().find(|(_, file)| file.case.path == path);
    match case.map(|(at, _)| at) {
        Some(at) => show_file(state, at),
        None => {
            state.say(format!("{path}: git merged this file without a conflict"));
            Vec::new()
        }
    }
}
