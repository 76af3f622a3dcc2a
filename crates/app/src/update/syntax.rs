//! Whether the current draft makes sense to a parser, asked after decisions and once a second while it
//! is edited.

use crate::base::commands::Tab;
use crate::case::opened::AllShades;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::state::file::{Mode, OpenFile};
use armistice_core::{Finding, Source};
use std::hash::{DefaultHasher, Hash, Hasher};
use std::sync::Arc;

/// Bytes of the three versions together beyond which nobody asks: making the draft would hold the
/// screen, and the parser would refuse it.
const ASKED_BYTES: usize = 4_000_000;

/// Asks about the current draft if it changed; about the text being edited only on a tick.
pub(crate) fn ask(state: &mut State, tick: bool) -> Vec<Effect> {
    match state.tab {
        Tab::Parley => ask_about(state, state.file, tick),
        _ => Vec::new(),
    }
}

fn ask_about(state: &mut State, at: FileId, tick: bool) -> Vec<Effect> {
    let Some(open) = state.file_mut(at).and_then(|file| file.open_mut()) else {
        return Vec::new();
    };
    if is_large(open) {
        return Vec::new();
    }
    let revision = open.opened.revision();
    let text = match &open.view.mode {
        Mode::Edit(editing) => match tick {
            true => open.opened.encoding.encode(&editing.editor.text()),
            false => None,
        },
        _ if open.view.syntax.revision == Some(revision) => None,
        _ => Some(open.draft().bytes()),
    };
    let Some(text) = text else {
        return Vec::new();
    };
    let mut hasher = DefaultHasher::new();
    text.hash(&mut hasher);
    let stamp = hasher.finish();
    let is_edited = matches!(open.view.mode, Mode::Edit(_));
    open.view.syntax.revision = (!is_edited).then_some(revision);
    if open.view.syntax.asked == Some(stamp) {
        return Vec::new();
    }
    open.view.syntax.asked = Some(stamp);
    vec![Effect::CheckSyntax {
        at,
        stamp,
        text: Source::new(text),
        plan: open.draft().plan().clone(),
    }]
}

fn is_large(open: &OpenFile) -> bool {
    let versions = open.plan().real_versions();
    let size = [&versions.base, &versions.ours, &versions.theirs].map(|text| text.bytes().len());
    size.iter().sum::<usize>() > ASKED_BYTES
}

/// What is known of a draft that is to be written.
pub(crate) enum Verdict {
    /// It makes sense, or nobody can tell.
    Sense,
    /// Where it makes none, and why.
    Trouble(Box<Finding>),
    /// It is being looked at; when that is done it is written.
    Wait(Vec<Effect>),
}

pub(crate) fn before_writing(state: &mut State, at: FileId) -> Verdict {
    let effects = ask_about(state, at, false);
    let Some(open) = state.file_mut(at).and_then(|file| file.open_mut()) else {
        return Verdict::Sense;
    };
    if is_large(open) {
        return Verdict::Sense;
    }
    let syntax = &mut open.view.syntax;
    let found = syntax.found.as_ref().map(|(stamp, _)| *stamp);
    if found != syntax.asked {
        syntax.then_write = true;
        return Verdict::Wait(effects);
    }
    match syntax.trouble() {
        Some(trouble) => Verdict::Trouble(Box::new(trouble.clone())),
        None => Verdict::Sense,
    }
}

/// Takes what was found in a text; whether the file is to be written now.
pub(crate) fn checked(state: &mut State, at: FileId, stamp: u64, found: Vec<Finding>) -> bool {
    let Some(open) = state.file_mut(at).and_then(|file| file.open_mut()) else {
        return false;
    };
    let syntax = &mut open.view.syntax;
    syntax.found = Some((stamp, found));
    syntax.asked == Some(stamp) && std::mem::take(&mut syntax.then_write)
}

/// Asks which stretches of the current file are comments, strings and keywords, once a file.
pub(crate) fn ask_shades(state: &mut State) -> Option<Effect> {
    if state.tab != Tab::Parley {
        return None;
    }
    let at = state.file;
    let file = state.open_file_mut()?;
    if file.opened.is_shaded() || file.view.syntax.shades_asked {
        return None;
    }
    file.view.syntax.shades_asked = true;
    Some(Effect::Shade(at, file.draft().plan().clone()))
}

/// They are known now.
pub(crate) fn shaded(state: &mut State, at: FileId, shades: Arc<AllShades>) {
    if let Some(open) = state.file_mut(at).and_then(|file| file.open_mut()) {
        open.opened.set_shades(shades);
    }
}
