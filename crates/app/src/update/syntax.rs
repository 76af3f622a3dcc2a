//! Whether the draft at hand makes sense to a parser, asked after decisions and once a second while it
//! is edited.

use crate::base::commands::Tab;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::state::file::Mode;
use armistice_core::{Finding, Source};
use std::hash::{DefaultHasher, Hash, Hasher};

/// Bytes of the three versions together beyond which nobody asks: making the draft would hold the
/// screen, and the parser would refuse it.
const ASKED_BYTES: usize = 4_000_000;

/// Asks about the draft at hand if it changed; about the text being edited only on a tick.
pub(crate) fn ask(state: &mut State, tick: bool) -> Vec<Effect> {
    let at = state.file;
    if state.tab != Tab::Parley {
        return Vec::new();
    }
    let Some(open) = state.file_mut(at).and_then(|file| file.open_mut()) else {
        return Vec::new();
    };
    let versions = open.plan().versions();
    let size = [&versions.base, &versions.ours, &versions.theirs].map(|text| text.bytes().len());
    if size.iter().sum::<usize>() > ASKED_BYTES {
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

pub(crate) fn checked(state: &mut State, at: FileId, stamp: u64, found: Vec<Finding>) {
    if let Some(open) = state.file_mut(at).and_then(|file| file.open_mut()) {
        open.view.syntax.found = Some((stamp, found));
    }
}
