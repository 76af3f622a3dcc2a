//! Taking what somebody else wrote into a working file over into the draft.

use crate::base::safe_text::count;
use crate::case::opened::TAKEN;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::state::file::{Mode, OpenFile};
use crate::update::deciding::{apply, step};
use armistice_core::{
    Draft, Entry, LineEdit, LineIdx, RegionId, Resolution, Side, Source, Version, changed_lines,
    find_markers,
};
use armistice_git::Seen;

/// Asks which working files are not what they were when they were read.
pub(crate) fn compare(state: &State) -> Effect {
    let seen = state
        .ids()
        .filter_map(|(at, file)| Some((at, file.load.seen()?.clone())));
    Effect::Compare(seen.collect())
}

/// Says which files differ on disk.
pub(crate) fn tell(state: &mut State, differ: &[FileId]) {
    let names: Vec<String> = (differ.iter())
        .filter_map(|at| Some(state.file(*at)?.case.path.to_string()))
        .collect();
    if !names.is_empty() {
        let files = count(names.len(), "file");
        state.say(format!(
            "reloaded · {files} changed on disk: {} · w there asks which version to keep",
            names.join(", ")
        ));
    }
}

/// Makes the draft what stands in the working file.
pub(crate) fn take(
    state: &mut State,
    at: FileId,
    read: Result<(Seen, Vec<u8>), String>,
) -> Vec<Effect> {
    let (seen, bytes) = match read {
        Ok(read) => read,
        Err(why) => {
            state.complain(why);
            return Vec::new();
        }
    };
    let Some(file) = state.file(at) else {
        return Vec::new();
    };
    let path = file.case.path.to_string();
    let Some(open) = file.open() else {
        return Vec::new();
    };
    let refused = if !find_markers(&Source::new(bytes.clone())).is_empty() {
        Some("it still contains conflict markers; resolve them there or here first")
    } else if matches!(open.view.mode, Mode::Edit(_)) {
        Some("leave the editor first: esc keeps the text")
    } else {
        None
    };
    if let Some(why) = refused {
        state.complain(format!("{path}: {why}"));
        return Vec::new();
    }
    let entries = entries(open, &bytes);
    if let Some(open) = state[at].open_mut() {
        // From now on this is what was read.
        let step = open.opened.session().steps().len();
        (open.opened.seen, open.opened.taken) = (seen, Some(step));
    }
    if entries.is_empty() {
        state.say(format!(
            "{path}: the draft already has the contents on disk"
        ));
        return Vec::new();
    }
    state.say(format!(
        "{path}: read the contents on disk into the draft · u undoes it"
    ));
    apply(state, at, step(TAKEN.to_owned(), entries))
}

/// The decisions that make the draft these bytes: open conflicts by whose lines stand there, the
/// rest as edits by hand.
fn entries(open: &OpenFile, bytes: &[u8]) -> Vec<Entry> {
    let ids: Vec<RegionId> = open.draft().open().collect();
    entries_for(open, &ids, bytes)
}

/// The same for some of the open conflicts: the others stay open, and have their lines in `bytes`.
pub(crate) fn entries_for(open: &OpenFile, ids: &[RegionId], bytes: &[u8]) -> Vec<Entry> {
    let draft = open.draft();
    let base = |id: &RegionId| Entry::Settle(*id, Resolution::Take(Version::Base));
    let mut trial: Vec<Entry> = ids.iter().map(base).collect();
    trial.extend(edit(draft, bytes));
    let reached = open.opened.draft_after(trial);
    let settles = ids
        .iter()
        .map(|id| Entry::Settle(*id, whose(&reached, *id)));
    let mut entries: Vec<Entry> = settles.collect();
    let settled = open.opened.draft_after(entries.clone());
    entries.extend(edit(&settled, bytes));
    entries
}

/// Whose lines stand in a region; base where they are nobody's.
fn whose(draft: &Draft, id: RegionId) -> Resolution {
    let text = draft.text_of(id);
    let possible = [
        Resolution::Take(Version::Ours),
        Resolution::Take(Version::Theirs),
        Resolution::Both(Side::Ours),
        Resolution::Both(Side::Theirs),
        Resolution::Drop,
    ];
    let region = draft.plan().region(id);
    let is = |resolution: &Resolution| resolution.text(draft.plan(), region).bytes() == text;
    possible
        .into_iter()
        .find(is)
        .unwrap_or(Resolution::Take(Version::Base))
}

/// The edit that makes a draft these bytes, if they differ.
pub(crate) fn edit(draft: &Draft, bytes: &[u8]) -> Option<Entry> {
    let now = Source::new(bytes);
    let rows: Vec<_> = (0..draft.len() as u32)
        .filter_map(|at| draft.line(LineIdx(at)))
        .collect();
    let old: Vec<&[u8]> = rows.iter().map(|row| row.line.bytes()).collect();
    let new: Vec<&[u8]> = now.lines(now.all()).map(|line| line.bytes()).collect();
    let edits: Vec<LineEdit> = changed_lines(&old, &new)
        .into_iter()
        .map(|(lines, to)| LineEdit {
            lines,
            text: now.slice(to).to_vec(),
        })
        .collect();
    let entry = Entry::Edit {
        edits,
        prefer: None,
    };
    (old != new).then_some(entry)
}
