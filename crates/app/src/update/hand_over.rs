//! A file given to the user's editor or another program, and what came back taken into the draft.
//!
//! Conflicts whose markers still stand in the answer stay open; what became of the others, and every
//! other change, is one step of edits.

use crate::base::safe_text::count;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId, HandOver};
use crate::state::file::{Mode, OpenFile};
use crate::update::deciding::{apply, step};
use crate::update::taking::entries_for;
use armistice_core::{
    LineIdx, LineRange, MarkerKind, Markers, RegionId, Source, changed_lines, find_markers,
    render_with_markers,
};

/// Gives a file away.
pub(crate) fn begin(state: &mut State, at: FileId) -> Vec<Effect> {
    let Some(file) = state.file(at) else {
        return Vec::new();
    };
    let path = file.case.path.to_string();
    let Some(open) = file.open() else {
        state.say(format!("{path} has no lines to edit"));
        return Vec::new();
    };
    if matches!(open.view.mode, Mode::Edit(_)) {
        state.say("leave the editor first: esc keeps the text");
        return Vec::new();
    }
    if file.finished() {
        state.say(format!(
            "{path} is staged; press u on Docket first to take it back"
        ));
        return Vec::new();
    }
    let text = render_with_markers(open.draft(), &Markers::default());
    let name = path.rsplit('/').next().unwrap_or("file");
    let plain = |c: char| {
        if c.is_alphanumeric() || matches!(c, '.' | '-' | '_') {
            c
        } else {
            '_'
        }
    };
    let hand_over = HandOver {
        command: state
            .settings
            .hand_over
            .clone()
            .unwrap_or_else(|| EDITOR.to_owned()),
        name: name.chars().map(plain).collect(),
        line: line_of(open, &text, open.view.region),
        versions: open.plan().real_versions().clone(),
        text,
    };
    state.say(format!("{path} is open in another program …"));
    vec![Effect::HandOver(at, Box::new(hand_over))]
}

/// The user's editor; where none is named, the one that every system of this kind has.
const EDITOR: &str = "${VISUAL:-${EDITOR:-vi}} +{line} {output}";

/// The line of a text with markers at which a region stands, counted from one.
fn line_of(open: &OpenFile, text: &[u8], region: RegionId) -> usize {
    let open_ids: Vec<RegionId> = open.draft().open().collect();
    match open_ids.iter().position(|id| *id == region) {
        Some(nth) => {
            let blocks = blocks(&Source::new(text));
            blocks
                .get(nth)
                .map_or(1, |block| block.start.0 as usize + 1)
        }
        None => open.draft().lines_of(region).start.0 as usize + 1,
    }
}

/// The lines of each conflict in a text with markers, markers included.
fn blocks(text: &Source) -> Vec<LineRange> {
    let mut found = Vec::new();
    let mut from = None;
    for (at, kind) in find_markers(text) {
        match kind {
            MarkerKind::Ours => from = Some(at),
            MarkerKind::End => {
                if let Some(start) = from.take() {
                    let end = LineIdx(at.0 + 1);
                    found.push(LineRange { start, end });
                }
            }
            _ => {}
        }
    }
    found
}

/// Takes the answer into the draft.
pub(crate) fn taken(
    state: &mut State,
    at: FileId,
    given: &[u8],
    result: Result<Vec<u8>, String>,
) -> Vec<Effect> {
    let path = match state.file(at) {
        Some(file) => file.case.path.to_string(),
        None => return Vec::new(),
    };
    let answer = match result {
        Ok(answer) => answer,
        Err(why) => {
            state.complain(format!("{path}: {why}; nothing was changed"));
            return Vec::new();
        }
    };
    if answer == given {
        state.say(format!("{path}: the program changed nothing"));
        return Vec::new();
    }
    let Some(open) = state[at].open() else {
        return Vec::new();
    };
    if render_with_markers(open.draft(), &Markers::default()) != given {
        state.complain(format!(
            "{path}: the draft changed in the meantime; the result was not used"
        ));
        return Vec::new();
    }
    let reached = match reached(open, given, &answer) {
        Ok(reached) => reached,
        Err(why) => {
            state.complain(format!("{path}: {why}; the result was not used"));
            return Vec::new();
        }
    };
    let entries = entries_for(open, &reached.settled, &reached.text);
    let left = reached.left;
    if entries.is_empty() {
        state.say(format!("{path}: the draft already has this text"));
        return Vec::new();
    }
    let rest = match left {
        0 => String::new(),
        n => format!(" · {} still open", count(n, "conflict")),
    };
    state.say(format!(
        "{path}: took the result into the draft{rest} · u undoes it"
    ));
    apply(state, at, step(TAKEN.to_owned(), entries))
}

/// What the step is called.
const TAKEN: &str = "took the result of another program";

/// An answer in which what is still marked stands as the draft has it.
struct Reached {
    /// Conflicts that are marked no more.
    settled: Vec<RegionId>,
    text: Vec<u8>,
    /// How many are still marked.
    left: usize,
}

fn reached(open: &OpenFile, given: &[u8], answer: &[u8]) -> Result<Reached, String> {
    let (given, answer) = (Source::new(given), Source::new(answer));
    if answer.is_binary() {
        return Err("the result is not text".to_owned());
    }
    let ids: Vec<RegionId> = open.draft().open().collect();
    let was = blocks(&given);
    if was.len() != ids.len() {
        return Err(
            "the file contains marker lines of its own, so its conflicts cannot be recognised"
                .to_owned(),
        );
    }
    fn lines(text: &Source) -> Vec<&[u8]> {
        text.lines(text.all()).map(|line| line.bytes()).collect()
    }
    let changes = changed_lines(&lines(&given), &lines(&answer));
    let touched = |block: &LineRange| {
        changes.iter().any(|(from, _)| {
            let inserted = from.is_empty() && from.start > block.start && from.start < block.end;
            inserted || from.start < block.end && block.start < from.end
        })
    };
    let mut text = Vec::new();
    let mut at = LineIdx(0);
    let mut settled = Vec::new();
    let now = blocks(&answer);
    let mut still = now.iter();
    for (id, block) in ids.iter().zip(&was) {
        if touched(block) {
            settled.push(*id);
            continue;
        }
        // The block stands there as it was: in the draft its region has other lines.
        let same = |b: &&LineRange| answer.slice(**b) == given.slice(*block);
        let Some(there) = still.find(same) else {
            return Err("the conflict markers were moved".to_owned());
        };
        text.extend_from_slice(answer.slice(LineRange {
            start: at,
            end: there.start,
        }));
        text.extend_from_slice(&open.draft().text_of(*id));
        at = there.end;
    }
    let left = ids.len() - settled.len();
    let end = LineIdx(answer.len() as u32);
    text.extend_from_slice(answer.slice(LineRange { start: at, end }));
    if !find_markers(&Source::new(text.clone())).is_empty() {
        return Err(
            "a changed conflict still has markers: finish it there, or leave it unchanged"
                .to_owned(),
        );
    }
    Ok(Reached {
        settled,
        text,
        left,
    })
}
