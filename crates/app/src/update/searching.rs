//! Looking for words in the draft and the versions, going to a line, and back.

use crate::base::commands::Command;
use crate::base::safe_text::count;
use crate::state::app::State;
use crate::state::effect::Effect;
use crate::state::file::{Mode, OpenFile, SelectedRows};
use crate::state::overlay::{Overlay, Sought};
use crate::update::moving::{go_to_line, go_to_row, with_view};
use crate::view::draft_rows::{DraftRow, DraftRows};
use armistice_core::{LineIdx, Source, Version};
use ratatui::crossterm::event::{KeyCode, KeyEvent};

/// Places that can be gone back to.
const JUMPS: usize = 100;

/// Begins to type what is looked for, or goes on without.
pub(crate) fn run(state: &mut State, command: Command) {
    match command {
        Command::Find => open(state, Sought::Words),
        Command::GoToLine => open(state, Sought::Line),
        Command::FindNext => find(state),
        _ => back(state),
    }
}

fn open(state: &mut State, sought: Sought) {
    state.overlay = Some(Overlay::Seek {
        sought,
        typed: String::new(),
    });
}

/// A key while it is typed.
pub(crate) fn key(state: &mut State, key: &KeyEvent, name: &str) {
    let Some(Overlay::Seek { sought, typed }) = &mut state.overlay else {
        return;
    };
    match (name, key.code) {
        ("esc", _) => state.overlay = None,
        ("backspace", _) => drop(typed.pop()),
        ("enter", _) => {
            let (sought, typed) = (*sought, std::mem::take(typed));
            state.overlay = None;
            match sought {
                Sought::Words => {
                    if !typed.is_empty() {
                        state.needle = typed;
                    }
                    find(state);
                }
                Sought::Line => go_to(state, &typed),
            }
        }
        (name, KeyCode::Char(c)) if !name.starts_with("ctrl-") => typed.push(c),
        _ => {}
    }
}

fn go_to(state: &mut State, typed: &str) {
    let len = state.open_file().map_or(0, |file| file.draft().len());
    match typed.trim().parse::<usize>() {
        Ok(number) if number >= 1 && number <= len => {
            note(state);
            go_to_line(state, LineIdx(number as u32 - 1));
        }
        Ok(_) => state.say(format!("the draft has lines 1 to {len}")),
        Err(_) => state.say(format!("'{typed}' is not a line number")),
    }
}

/// Notes where one is, to be gone back to.
pub(crate) fn note(state: &mut State) {
    with_view(state, |file| {
        let row = DraftRows::new(file).cursor();
        if file.view.jumps.last() != Some(&row) {
            file.view.jumps.push(row);
        }
        if file.view.jumps.len() > JUMPS {
            file.view.jumps.remove(0);
        }
    });
}

fn back(state: &mut State) {
    let row = state.open_file_mut().and_then(|file| file.view.jumps.pop());
    match row {
        Some(row) => go_to_row(state, row),
        None => state.say("no earlier position in this file"),
    }
}

/// Whether a line holds words; capitals count only if some were typed.
fn holds(file: &OpenFile, content: &[u8], needle: &str) -> bool {
    let text = file.opened.encoding.decode(content);
    match needle.chars().any(char::is_uppercase) {
        true => text.contains(needle),
        false => text.to_lowercase().contains(needle),
    }
}

/// Goes to the next line of the draft that holds what is looked for; where only a version has it,
/// says where.
fn find(state: &mut State) {
    let needle = state.needle.clone();
    if needle.is_empty() {
        state.say("/ searches");
        return;
    }
    let Some(file) = state.open_file() else {
        return;
    };
    if !matches!(file.view.mode, Mode::Look) {
        return;
    }
    let rows = DraftRows::new(file);
    let here = rows.cursor();
    let len = file.draft().len();
    let at = |nth: usize| LineIdx(nth as u32);
    let holds_it = |nth: &usize| {
        let line = file.draft().line(at(*nth));
        line.is_some_and(|line| holds(file, line.line.content(), &needle))
    };
    let found: Vec<usize> = (0..len).filter(holds_it).collect();
    let next = found.iter().position(|nth| rows.row_of(at(*nth)) > here);
    let elsewhere = only_in_versions(file, &needle);
    match next.or((!found.is_empty()).then_some(0)) {
        Some(nth) => {
            let line = at(found[nth]);
            note(state);
            go_to_line(state, line);
            let rest = elsewhere.map_or(String::new(), |(version, line)| {
                format!(" · also in {}, line {}", version.name(), line.number())
            });
            state.say(format!(
                "'{needle}': {} of {}{rest} · , goes on",
                nth + 1,
                found.len()
            ));
        }
        None => match elsewhere {
            Some((version, line)) => {
                let text = format!(
                    "'{needle}' is not in the draft; {} has it on line {}",
                    version.name(),
                    line.number()
                );
                go_to_version(state, version, line);
                state.say(text);
            }
            None => state.say(format!("'{needle}' is in no version of this file")),
        },
    }
}

/// The first line that has it in a version whose text there does not stand in the draft.
fn only_in_versions(file: &OpenFile, needle: &str) -> Option<(Version, LineIdx)> {
    let plan = file.plan();
    let stands = |version: Version, at: LineIdx| {
        let source: &Source = plan.versions().get(version);
        let content = source.line(at).content();
        let region = plan.region_at(version, at)?;
        let lines = file.draft().lines_of(region).iter();
        let mut same = lines.filter_map(|line| file.draft().line(line));
        Some(same.any(|line| line.line.content() == content))
    };
    Version::ALL.into_iter().find_map(|version| {
        let source = plan.versions().get(version);
        let mut lines = source.all().iter();
        let found = lines.find(|at| {
            holds(file, source.line(*at).content(), needle) && stands(version, *at) == Some(false)
        });
        found.map(|at| (version, at))
    })
}

/// Goes to the region that a line of a version belongs to.
fn go_to_version(state: &mut State, version: Version, line: LineIdx) {
    let Some(file) = state.open_file() else {
        return;
    };
    let Some(region) = file.plan().region_at(version, line) else {
        return;
    };
    let row = DraftRows::new(file).of(region).0;
    note(state);
    go_to_row(state, row);
}

/// A row was clicked: dragging may begin there.
pub(crate) fn begin_drag(state: &mut State, row: usize) {
    with_view(state, |file| {
        file.view.selected = None;
        file.view.drag = row;
    });
}

/// Dragging has come to a row.
pub(crate) fn drag(state: &mut State, row: usize) {
    with_view(state, |file| {
        let last = DraftRows::new(file).height().saturating_sub(1);
        let from = file.view.drag.min(last);
        let to = row.min(last);
        file.view.selected = (from != to).then_some(SelectedRows { from, to });
    });
    let rows = state.open_file().and_then(|file| file.view.selected);
    if let Some(rows) = rows {
        let n = rows.from.abs_diff(rows.to) + 1;
        state.say(format!("{} selected · y copies them", count(n, "row")));
    }
}

/// Copies the selected lines of the draft, or the one at the cursor.
pub(crate) fn copy(state: &mut State) -> Vec<Effect> {
    let Some(file) = state.open_file() else {
        return Vec::new();
    };
    let rows = DraftRows::new(file);
    let cursor = rows.cursor();
    let (from, to) = match file.view.selected {
        Some(rows) => (rows.from.min(rows.to), rows.from.max(rows.to)),
        None => (cursor, cursor),
    };
    let mut text = String::new();
    let mut lines = 0;
    for row in from..=to {
        if let Some((_, DraftRow::Line(at))) = rows.at(row)
            && let Some(line) = file.draft().line(at)
        {
            text += &file.opened.encoding.decode(line.line.content());
            text.push('\n');
            lines += 1;
        }
    }
    if lines == 0 {
        state.say("there is no line here to copy");
        return Vec::new();
    }
    state.say(format!(
        "copied {}; ctrl-v in the editor pastes them",
        count(lines, "line")
    ));
    with_view(state, |file| file.view.selected = None);
    state.clipboard.clone_from(&text);
    vec![Effect::Copy(text)]
}
