//! Editing by hand: the draft in Parley, the message in Accord.

use crate::base::commands::Command;
use crate::base::editor::Editor;
use crate::base::keymap::KeyContext;
use crate::base::safe_text::count;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::state::file::{Editing, Mode, OpenFile};
use crate::update::deciding::decide;
use crate::update::moving::go_to_line;
use crate::view::areas::Screen;
use armistice_core::{
    Draft, Encoding, Entry, Event, LineEdit, LineEnd, LineIdx, LineRange, Origin, RegionId,
    Resolution, Side, Step, changed_lines,
};
use ratatui::crossterm::event::{KeyCode, KeyEvent};

/// Opens the editor where the cursor is.
pub(crate) fn start(state: &mut State) {
    let Some(file) = state.open_file_mut() else {
        return;
    };
    let id = file.view.region;
    let row = file
        .view
        .offset
        .saturating_sub(usize::from(file.draft().is_open(id)));
    let seed = seed(file, id);
    let before = match &seed {
        Some(resolution) => file
            .opened
            .draft_with(Entry::Settle(id, resolution.clone())),
        None => file.draft().clone(),
    };
    let open = file.draft().is_open(id);
    let (text, marks) = text_of(&before, file.opened.encoding);
    let mut editor = Editor::new(&text, marks);
    let unsaved = file.opened.unsaved_edit.take();
    let resumed = unsaved.is_some();
    if let Some(unsaved) = unsaved {
        editor.select_all();
        editor.insert(&unsaved);
    }
    let lines = before.lines_of(id);
    let last = lines.len().saturating_sub(1);
    editor.place(lines.start.0 as usize + row.min(last), 0, false);
    editor.top = file.view.top.min(lines.start.0 as usize);
    file.view.mode = Mode::Edit(Box::new(Editing {
        editor,
        before,
        region: (open || seed.is_some()).then_some(id),
        was: file.draft().lines_of(id).len(),
        seed,
        prompt: None,
        needle: String::new(),
    }));
    state.say(match resumed {
        true => "restored the text of the interrupted edit; esc keeps it, ctrl-g discards it",
        false => "editing the draft; esc keeps the text, ctrl-g discards it",
    });
}

/// What an open conflict starts from: the previewed choice; both sides where base has nothing.
fn seed(file: &OpenFile, id: RegionId) -> Option<Resolution> {
    let region = file.plan().region(id);
    match file.previewed() {
        Some(choice) => Some(choice.resolution.clone()),
        None if file.draft().is_open(id) && region.base.is_empty() => {
            Some(Resolution::Both(Side::Ours))
        }
        None => None,
    }
}

/// The draft as text with LF line ends, and where each line came from.
pub(crate) fn text_of(draft: &Draft, encoding: Encoding) -> (String, Vec<Origin>) {
    let (mut text, mut marks) = (String::new(), Vec::new());
    for line in (0..draft.len() as u32).filter_map(|at| draft.line(LineIdx(at))) {
        text += &encoding.decode(line.line.content());
        if line.line.end() != LineEnd::None {
            text.push('\n');
        }
        marks.push(line.origin);
    }
    (text, marks)
}

/// The editor that is being typed into, draft or message.
fn editor(state: &mut State) -> Option<&mut Editor> {
    if state.context() == KeyContext::Message {
        return Some(&mut state.accord.editor);
    }
    match &mut state.open_file_mut()?.view.mode {
        Mode::Edit(editing) => Some(&mut editing.editor),
        _ => None,
    }
}

pub(crate) fn insert(state: &mut State, text: &str) {
    if let Some(editor) = editor(state) {
        editor.insert(text);
    }
}

pub(crate) fn place(state: &mut State, line: usize, byte: usize, select: bool) {
    if let Some(editor) = editor(state) {
        editor.place(line, byte, select);
    }
}

pub(crate) fn run(state: &mut State, command: Command) -> Vec<Effect> {
    let page = Screen::new(state).draft_area().height as usize;
    match command {
        Command::LeaveEditor => return leave(state),
        Command::DiscardEdit => return discard(state),
        Command::Find => open_prompt(state),
        Command::FindNext => find_next(state),
        Command::Copy | Command::Cut => {
            let text = editor(state).and_then(|e| match command {
                Command::Cut => e.cut(),
                _ => e.copy(),
            });
            if let Some(text) = &text {
                state.clipboard.clone_from(text);
            }
            return text.map(Effect::Copy).into_iter().collect();
        }
        Command::Paste => {
            let text = state.clipboard.clone();
            if let Some(editor) = editor(state) {
                editor.set_clipboard(&text);
            }
        }
        _ => {}
    }
    let Some(editor) = editor(state) else {
        return Vec::new();
    };
    match command {
        Command::Move(motion) => editor.travel(motion, false, page),
        Command::Select(motion) => editor.travel(motion, true, page),
        Command::Newline => editor.newline(),
        Command::TabStop => editor.tab(),
        Command::Backspace => editor.backspace(),
        Command::Delete => editor.delete(),
        Command::DeleteLine => editor.delete_line(),
        Command::SelectAll => editor.select_all(),
        Command::Paste => editor.paste(),
        Command::EditUndo => {
            editor.undo();
        }
        Command::EditRedo => {
            editor.redo();
        }
        _ => {}
    }
    Vec::new()
}

fn editing(state: &mut State) -> Option<&mut Editing> {
    match &mut state.open_file_mut()?.view.mode {
        Mode::Edit(editing) => Some(editing),
        _ => None,
    }
}

fn open_prompt(state: &mut State) {
    if let Some(editing) = editing(state) {
        editing.prompt = Some(String::new());
    }
}

fn find_next(state: &mut State) {
    let Some(editing) = editing(state) else {
        return;
    };
    let needle = editing.needle.clone();
    if !editing.editor.find(&needle, false) {
        state.say(format!("'{needle}' is not in this text"));
    }
}

/// Keys for the search prompt; says whether it took the key.
pub(crate) fn prompt_key(state: &mut State, key: &KeyEvent, name: &str) -> bool {
    let Some(editing) = editing(state) else {
        return false;
    };
    let Some(typed) = &mut editing.prompt else {
        return false;
    };
    match (name, key.code) {
        ("esc", _) => editing.prompt = None,
        ("enter", _) => {
            editing.needle = std::mem::take(typed);
            editing.prompt = None;
            find_next(state);
        }
        ("backspace", _) => {
            typed.pop();
        }
        (name, KeyCode::Char(c)) if !name.starts_with("ctrl-") => typed.push(c),
        _ => {}
    }
    true
}

fn discard(state: &mut State) -> Vec<Effect> {
    if state.context() == KeyContext::Message {
        let message = state.situation.message.with(state.settings.conflict_list);
        state.accord.editor = Editor::new(&message, Vec::new());
        state.accord.editing = false;
        state.say("restored git's own message");
        return Vec::new();
    }
    let at = state.file;
    if let Some(file) = state.open_file_mut() {
        file.view.mode = Mode::Look;
    }
    state.say("left the editor; the text was discarded");
    vec![Effect::DropUnsavedEdit(at)]
}

fn leave(state: &mut State) -> Vec<Effect> {
    if state.context() == KeyContext::Message {
        state.accord.editing = false;
        state.say("the message is saved for the commit");
        return Vec::new();
    }
    let at = state.file;
    let Some(file) = state.open_file_mut() else {
        return Vec::new();
    };
    let Mode::Edit(editing) = &file.view.mode else {
        return Vec::new();
    };
    let line = editing.editor.position().0;
    let entries = match entries(editing, file.opened.encoding) {
        Ok(entries) => entries,
        Err(why) => {
            state.complain(why);
            return Vec::new();
        }
    };
    let left = std::mem::take(&mut file.view.mode);
    if entries.is_empty() {
        state.say("nothing was changed");
        return vec![Effect::DropUnsavedEdit(at)];
    }
    if let Mode::Edit(editing) = left {
        file.view.unrecorded = Some(editing);
    }
    let edits = entries.iter().map(|e| match e {
        Entry::Edit { edits, .. } => edits.len(),
        _ => 0,
    });
    let label = format!("edited {} by hand", count(edits.sum(), "place"));
    let message = format!("{label} · u undoes it");
    let mut effects = decide(state, Event::Do(Step::new(label, entries)), message);
    if effects.is_empty() {
        // Refused, and said so: what was typed stays in the editor.
        if let Some(file) = state.open_file_mut()
            && let Some(editing) = file.view.unrecorded.take()
        {
            file.view.mode = Mode::Edit(editing);
        }
        return effects;
    }
    // Behind the record: what is typed is kept until it is in the journal.
    effects.push(Effect::DropUnsavedEdit(at));
    go_to_line(state, LineIdx(line as u32));
    effects
}

/// The decisions that turn the draft into the editor's text.
fn entries(editing: &Editing, encoding: Encoding) -> Result<Vec<Entry>, String> {
    let before = text_of(&editing.before, encoding).0;
    let after = editing.editor.text();
    let old: Vec<&[u8]> = before.split_inclusive('\n').map(str::as_bytes).collect();
    let new: Vec<&[u8]> = after.split_inclusive('\n').map(str::as_bytes).collect();
    let end = editing.before.plan().versions().ours.usual_end();
    let mut edits = Vec::new();
    for (lines, to) in changed_lines(&old, &new) {
        let mut text = Vec::new();
        for line in &new[to.start.0 as usize..to.end.0 as usize] {
            text.extend(encoded(line, encoding, end)?);
        }
        edits.push(LineEdit { lines, text });
    }
    if edits.is_empty() {
        return Ok(Vec::new());
    }
    Ok(with_seed(editing, edits))
}

fn encoded(line: &[u8], encoding: Encoding, end: LineEnd) -> Result<Vec<u8>, String> {
    let text = String::from_utf8_lossy(line);
    let (content, ending) = match text.strip_suffix('\n') {
        Some(content) => (content, end.bytes()),
        None => (&*text, &b""[..]),
    };
    let mut bytes = encoding.encode(content).ok_or_else(|| {
        format!(
            "this file is {}, which cannot encode '{}'; change that line, or discard with ctrl-g",
            encoding.name(),
            content.trim()
        )
    })?;
    bytes.extend_from_slice(ending);
    Ok(bytes)
}

/// A seed counts only if the text that it gave was touched; else the conflict stays open.
fn with_seed(editing: &Editing, mut edits: Vec<LineEdit>) -> Vec<Entry> {
    let Some(id) = editing.region else {
        return seed_entry(editing, edits, None);
    };
    let at = editing.before.lines_of(id);
    let touched = edits.iter().any(|e| match e.lines.is_empty() {
        true => at.start <= e.lines.start && e.lines.start <= at.end,
        false => e.lines.start < at.end && at.start < e.lines.end,
    });
    if touched {
        return seed_entry(editing, edits, Some(id));
    }
    if editing.seed.is_some() {
        let shift = |line: LineIdx| (line.0 as usize + editing.was - at.len()) as u32;
        for edit in edits.iter_mut().filter(|e| e.lines.start >= at.end) {
            edit.lines = LineRange::new(shift(edit.lines.start), shift(edit.lines.end));
        }
    }
    vec![Entry::Edit {
        edits,
        prefer: None,
    }]
}

fn seed_entry(editing: &Editing, edits: Vec<LineEdit>, prefer: Option<RegionId>) -> Vec<Entry> {
    let seed = editing.seed.clone().zip(prefer);
    let seed = seed.map(|(resolution, id)| Entry::Settle(id, resolution));
    seed.into_iter()
        .chain([Entry::Edit { edits, prefer }])
        .collect()
}

/// Once a second, what was typed is put where a crash cannot reach it.
pub(crate) fn save_unsaved_edit(state: &mut State) -> Vec<Effect> {
    let mut effects = Vec::new();
    for (at, file) in state.files.iter_mut().enumerate() {
        if let Some(open) = file.open_mut()
            && let Mode::Edit(editing) = &mut open.view.mode
            && editing.editor.dirty
        {
            editing.editor.dirty = false;
            effects.push(Effect::SaveUnsavedEdit(FileId(at), editing.editor.text()));
        }
    }
    effects
}
