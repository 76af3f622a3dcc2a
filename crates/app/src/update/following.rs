//! Edits that belong into another file than the current one: along with code that the other side moved,
//! and names that went. A file that git merged is taken in as a case first.

use crate::base::commands::Tab;
use crate::base::safe_text::count;
use crate::case::choices::clashing;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::state::file::{FileLoad, Mode, OpenFile};
use crate::state::following::Following;
use crate::update::deciding::do_together;
use crate::update::files::show_file;
use crate::update::moving::go_to_line;
use crate::update::taking::edit;
use crate::update::whole::ask_whole;
use crate::update::{settling, terrain};
use crate::view::following::{conflicts_about, is_removed, moved_edit, moved_edits, with_edit};
use armistice_core::{
    Entry, LineIdx, LineRange, Origin, Region, RegionId, RegionKind, RegionState, Resolution,
    Segment, Source, Version, changed_lines,
};
use armistice_git::{FileOutcome, MovedEdit, RepoPath};
use std::collections::BTreeSet;

/// Takes the current edit along to where the other side moved the code.
pub(crate) fn take_along(state: &mut State) -> Vec<Effect> {
    match moved_edit(state).cloned() {
        Some(edit) => begin(state, Following::Moved(vec![edit], None)),
        None => not_known(state),
    }
}

/// Takes all edits of a file along whose code the side that removed the file has elsewhere.
pub(crate) fn take_all_along(state: &mut State, at: FileId) -> Vec<Effect> {
    let edits: Vec<MovedEdit> = moved_edits(state, at).into_iter().cloned().collect();
    let removed = is_removed(state, at);
    match (edits.is_empty(), state.file(at)) {
        (false, Some(file)) => {
            let from = removed.then(|| file.case.path.clone());
            begin(state, Following::Moved(edits, from))
        }
        (true, Some(file)) => {
            let path = file.case.path.clone();
            state.terrain.then_follow = state.terrain.known().is_none().then_some(path);
            not_known(state)
        }
        _ => Vec::new(),
    }
}

/// Moves the edits of a file for which `J` was pressed before it was known what moved.
pub(crate) fn go_on_after_reading(state: &mut State) -> Vec<Effect> {
    let path = state.terrain.then_follow.take();
    let file = path.and_then(|path| file_of(state, &path));
    match file.filter(|_| state.tab == Tab::Docket && state.terrain.known().is_some()) {
        Some(file) => take_all_along(state, file),
        None => Vec::new(),
    }
}

fn not_known(state: &mut State) -> Vec<Effect> {
    state.say(match state.terrain.known() {
        Some(_) => "no side moved code out of this file that the other side edited",
        None if state.terrain.then_follow.is_some() => "reading moved code …",
        None => "reading moved code; press J again in a moment",
    });
    terrain::read(state)
}

/// Puts the new name in place of the one that went, where the finding at the cursor says.
pub(crate) fn replace_name(state: &mut State) -> Vec<Effect> {
    let found = state.proof.chosen_finding();
    let renamed = found.and_then(|found| {
        let [old, new] = found.finding.renamed.clone()?;
        Some(Following::Renamed {
            path: found.path.clone(),
            line: found.finding.line?,
            old,
            new,
        })
    });
    match renamed {
        Some(renamed) => begin(state, renamed),
        None => {
            state.say("this finding is not about a renamed name");
            Vec::new()
        }
    }
}

fn begin(state: &mut State, what: Following) -> Vec<Effect> {
    let missing = |path: &&RepoPath| file_of(state, path).is_none();
    let to: BTreeSet<RepoPath> = what.to().into_iter().filter(missing).cloned().collect();
    state.following = Some(what);
    if to.is_empty() {
        return go_on(state);
    }
    let names: Vec<String> = to.iter().map(ToString::to_string).collect();
    state.say(format!(
        "reading {}, which git merged without a conflict …",
        names.join(", ")
    ));
    vec![Effect::TakeIn(to.into_iter().collect())]
}

/// Files are cases now, but for these.
pub(crate) fn taken_in(state: &mut State, taken: Result<Vec<RepoPath>, String>) -> Vec<Effect> {
    match taken.as_deref() {
        Ok([]) => return vec![Effect::ReadSituation],
        Ok([path, ..]) => state.complain(format!(
            "{path} cannot be edited here: its base, ours and theirs are unknown"
        )),
        Err(why) => state.complain(why.clone()),
    }
    state.following = None;
    Vec::new()
}

fn file_of(state: &State, path: &RepoPath) -> Option<FileId> {
    let mut files = state.ids();
    let found = files.find(|(_, file)| file.case.has_path(path));
    found.map(|(at, _)| at)
}

/// Everything was read again: an edit whose files are no cases does not wait for them.
pub(crate) fn give_up(state: &mut State) {
    let waits = state.following.as_ref();
    let is_case = |path: &&RepoPath| file_of(state, path).is_some();
    if waits.is_some_and(|waits| !waits.to().iter().all(is_case)) {
        state.following = None;
        state.complain("a file for this edit is no longer in conflict; nothing was changed");
    }
}

/// Does what waits for files, once they are read.
pub(crate) fn go_on(state: &mut State) -> Vec<Effect> {
    let Some(waits) = state.following.clone() else {
        return Vec::new();
    };
    let is_read = |path: &RepoPath| {
        let at = file_of(state, path);
        at.is_some_and(|at| !matches!(state[at].load, FileLoad::Waiting))
    };
    if !waits.to().into_iter().all(is_read) {
        return Vec::new();
    }
    state.following = None;
    let mut open = state.files.iter().filter_map(|file| file.open());
    if open.any(|open| matches!(open.view.mode, Mode::Edit(_))) {
        state.complain("leave the editor first: esc keeps the text");
        return Vec::new();
    }
    let done = match &waits {
        Following::Moved(edits, whole) => along(state, edits, whole.as_ref()),
        Following::Renamed {
            path,
            line,
            old,
            new,
        } => renamed(state, path, *line, old, new),
    };
    done.unwrap_or_else(|why| {
        state.complain(why);
        Vec::new()
    })
}

/// Edits moved code where it is now, and settles the conflicts about it where it was by who moved it; a
/// file that was removed is asked about as a whole.
fn along(
    state: &mut State,
    edits: &[MovedEdit],
    whole: Option<&RepoPath>,
) -> Result<Vec<Effect>, String> {
    let mut entries: Vec<(FileId, Entry)> = Vec::new();
    for moved in edits {
        let (at, entry) = edited_there(state, moved, &entries)?;
        entries.retain(|(other, earlier)| *other != at || !is_about_same(earlier, &entry));
        entries.push((at, entry));
        if let Some(from) = file_of(state, &moved.from)
            && let Some(here) = state[from].open()
        {
            for id in conflicts_about(here, moved) {
                let taken = clashing(here.plan(), id, moved.mover.into());
                entries.push((from, Entry::Settle(id, taken)));
            }
        }
    }
    let places: BTreeSet<String> = edits.iter().map(|edit| edit.to.to_string()).collect();
    let places = places.into_iter().collect::<Vec<_>>().join(", ");
    let what = match edits {
        [one] => one.title.clone(),
        all => count(all.len(), "declaration"),
    };
    let label = format!("edited {what} at its new place");
    let mut effects = do_together(state, &label, entries);
    state.say(format!(
        "{what}: edited in {places}, its new place · w there writes it · u undoes it"
    ));
    let here = state.open_file().map(|open| open.view.region);
    if let (Tab::Parley, Some(here), None) = (state.tab, here, whole) {
        settling::go_on(state, here);
    }
    if let Some(at) = whole.and_then(|path| file_of(state, path)) {
        effects.extend(ask_whole(state, at, FileOutcome::Remove));
    }
    Ok(effects)
}

/// The other side's edit in code that was moved, as a decision in the file where it is now.
fn edited_there(
    state: &State,
    moved: &MovedEdit,
    before: &[(FileId, Entry)],
) -> Result<(FileId, Entry), String> {
    let MovedEdit { title, to, .. } = moved;
    let at = file_of(state, to).ok_or("the file is no longer in conflict")?;
    let there = state[at]
        .open()
        .ok_or_else(|| format!("{to} is resolved as a whole file and has no draft"))?;
    let [base, stands, edited] = &moved.texts;
    let merged = with_edit(base, stands, edited).ok_or_else(|| {
        format!("{title}: both sides changed the same lines; ; goes to it in {to}")
    })?;
    // What is edited in the same change by now goes on from there.
    let earlier = before.iter().find_map(|(other, entry)| match entry {
        Entry::Settle(id, Resolution::Segments(segments)) if *other == at => {
            Some((*id, segments.clone()))
        }
        _ => None,
    });
    let has_edit =
        |(other, entry): &(FileId, Entry)| *other == at && matches!(entry, Entry::Edit { .. });
    let entry = match before.iter().any(has_edit) {
        true => None,
        false => rewritten(there, moved.mover.into(), moved.moved, &merged, earlier),
    };
    // Where a rule, a person or both sides made the change, the moved code is found by its text.
    let of_file = before.iter().filter(|(other, _)| *other == at);
    let draft = there
        .opened
        .draft_after(of_file.map(|(_, entry)| entry.clone()).collect());
    let by_text = || edit(&draft, &replaced_once(&draft.bytes(), stands, &merged)?);
    let entry = entry.or_else(by_text).ok_or_else(|| {
        format!("{title} in the draft of {to} differs from the moved version; ; goes to it")
    })?;
    Ok((at, entry))
}

/// A text with other lines in the place of some of its lines; `None` unless they are there exactly once.
fn replaced_once(text: &[u8], old: &[u8], new: &[u8]) -> Option<Vec<u8>> {
    let (text, old) = (Source::new(text), Source::new(old));
    let rows: Vec<&[u8]> = text.lines(text.all()).map(|line| line.bytes()).collect();
    let wanted: Vec<&[u8]> = old.lines(old.all()).map(|line| line.bytes()).collect();
    let mut places = rows
        .windows(wanted.len().max(1))
        .enumerate()
        .filter(|(_, window)| *window == wanted);
    let (Some((at, _)), None) = (places.next(), places.next()) else {
        return None;
    };
    let after = rows.get(at + wanted.len()..)?;
    Some([&rows[..at].concat(), new, &after.concat()].concat())
}

fn is_about_same(one: &Entry, other: &Entry) -> bool {
    match (one, other) {
        (Entry::Settle(a, _), Entry::Settle(b, _)) => a == b,
        _ => false,
    }
}

/// Other text for lines that one side alone has there, as a decision about its change; nothing where
/// they are in question or were decided otherwise.
fn rewritten(
    open: &OpenFile,
    version: Version,
    lines: LineRange,
    text: &[u8],
    earlier: Option<(RegionId, Vec<Segment>)>,
) -> Option<Entry> {
    let plan = open.plan();
    let places: Vec<LineIdx> = (lines.iter())
        .map(|at| plan.laid_out_line(version, at))
        .collect();
    let (first, last) = (*places.first()?, *places.last()?);
    let together = last.0 as usize - first.0 as usize + 1 == places.len();
    let id = plan.region_at(version, first)?;
    let region = plan.region(id);
    let own = match version {
        Version::Ours => RegionKind::Ours,
        _ => RegionKind::Theirs,
    };
    let all = region.lines(version);
    if !together || region.kind != own || !all.contains(last) {
        return None;
    }
    let earlier = earlier.filter(|(other, _)| *other == id);
    let mut segments = match (earlier, open.draft().standing(id)) {
        (Some((_, segments)), _) => segments,
        (None, RegionState::Merged) => vec![Segment::Lines(version, all)],
        (None, RegionState::Settled(Resolution::Segments(segments))) => segments.clone(),
        _ => return None,
    };
    let held = |segment: &Segment| match segment {
        Segment::Lines(of, lines) if *of == version => {
            (lines.contains(first) && lines.contains(last)).then_some(*lines)
        }
        _ => None,
    };
    let nth = segments
        .iter()
        .position(|segment| held(segment).is_some())?;
    let held = held(&segments[nth])?;
    let source = plan.versions().get(version);
    let old: Vec<&[u8]> = places.iter().map(|at| source.line(*at).bytes()).collect();
    let new = Source::new(text);
    let rows: Vec<&[u8]> = new.lines(new.all()).map(|line| line.bytes()).collect();
    let stands =
        |from: u32, to: u32| (from < to).then(|| Segment::Lines(version, LineRange::new(from, to)));
    let mut parts = Vec::new();
    let mut from = held.start.0;
    for (was, is) in changed_lines(&old, &rows) {
        parts.extend(stands(from, first.0 + was.start.0));
        parts.push(Segment::Text(new.slice(is).to_vec()));
        from = first.0 + was.end.0;
    }
    parts.extend(stands(from, held.end.0));
    segments.splice(nth..=nth, parts);
    Some(Entry::Settle(id, Resolution::Segments(segments)))
}

/// What stands in a draft, line by line.
fn rows(open: &OpenFile) -> Vec<Vec<u8>> {
    let draft = open.draft();
    (0..draft.len() as u32)
        .filter_map(|at| Some(draft.line(LineIdx(at))?.line.bytes().to_vec()))
        .collect()
}

/// Puts a name in the place of another on one line of a draft.
fn renamed(
    state: &mut State,
    path: &RepoPath,
    line: LineIdx,
    old: &str,
    new: &str,
) -> Result<Vec<Effect>, String> {
    let at = file_of(state, path).ok_or("the file is no longer in conflict")?;
    let open = state[at]
        .open()
        .ok_or_else(|| format!("{path} is resolved as a whole file and has no draft"))?;
    let mut rows = rows(open);
    // The finding is about what is staged: decisions since may have moved the line.
    let wanted = (rows.get(line.0 as usize)).is_some_and(|row| has_word(row, old));
    let nth = match wanted {
        true => line.0 as usize,
        false => {
            let mut places = (0..rows.len()).filter(|nth| has_word(&rows[*nth], old));
            places
                .next()
                .ok_or_else(|| format!("{path}: the draft does not contain '{old}'"))?
        }
    };
    rows[nth] = with_name(&rows[nth], old, new);
    let at_row = LineIdx(nth as u32);
    let entry = as_decision(open, at_row, &rows[nth]);
    let entry = entry.or_else(|| edit(open.draft(), &rows.concat()));
    let entry = entry.ok_or("nothing would change")?;
    let label = format!("renamed {old} to {new}");
    let mut effects = do_together(state, &label, vec![(at, entry)]);
    effects.extend(show_file(state, at));
    if state.tab == Tab::Parley {
        go_to_line(state, LineIdx(nth as u32));
    }
    state.say(format!(
        "{path}: replaced '{old}' with '{new}' in line {} · w writes it · u undoes it",
        nth + 1
    ));
    Ok(effects)
}

/// Other text for a line of the draft that one side alone changed, as a decision about its change.
fn as_decision(open: &OpenFile, at: LineIdx, text: &[u8]) -> Option<Entry> {
    let origin = open.draft().line(at)?.origin;
    let version = match origin {
        Origin::Ours => Version::Ours,
        Origin::Theirs => Version::Theirs,
        _ => return None,
    };
    let plan = open.plan();
    let inside = |(id, region): (RegionId, &Region)| {
        let lines = open.draft().lines_of(id);
        let nth =
            at.0.checked_sub(lines.start.0)
                .filter(|_| lines.contains(at))?;
        Some(LineIdx(region.lines(version).start.0 + nth))
    };
    let laid_out = plan.ids().find_map(inside)?;
    let real = plan.real_line(version, laid_out);
    let line = LineRange::new(real.0, real.0 + 1);
    rewritten(open, version, line, text, None)
}

fn is_part(byte: Option<&u8>) -> bool {
    byte.is_some_and(|b| b.is_ascii_alphanumeric() || *b == b'_' || *b >= 0x80)
}

/// Where a name stands in a line as a whole word.
fn words_at(row: &[u8], name: &[u8]) -> Vec<usize> {
    let windows = row.windows(name.len().max(1)).enumerate();
    let whole = |at: usize| {
        let before = at.checked_sub(1).and_then(|n| row.get(n));
        !is_part(before) && !is_part(row.get(at + name.len()))
    };
    windows
        .filter(|(at, window)| *window == name && whole(*at))
        .map(|(at, _)| at)
        .collect()
}

fn has_word(row: &[u8], name: &str) -> bool {
    !words_at(row, name.as_bytes()).is_empty()
}

fn with_name(row: &[u8], old: &str, new: &str) -> Vec<u8> {
    let mut out = Vec::with_capacity(row.len());
    let mut from = 0;
    for at in words_at(row, old.as_bytes()) {
        out.extend_from_slice(&row[from..at]);
        out.extend_from_slice(new.as_bytes());
        from = at + old.len();
    }
    out.extend_from_slice(&row[from..]);
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_are_replaced_where_they_are_found_once() {
        let replaced = |text: &str| replaced_once(text.as_bytes(), b"b\nc\n", b"B\n");
        assert_eq!(replaced("a\nb\nc\nd").as_deref(), Some(&b"a\nB\nd"[..]));
        assert_eq!(replaced("b\nc\nb\nc\n"), None);
        assert_eq!(replaced("a\nb\nd\n"), None);
        assert_eq!(replaced_once(b"a\n", b"", b"x\n"), None);
    }

    #[test]
    fn names_are_replaced_as_whole_words() {
        let row = b"x = fetch(prefetch, fetch) # fetch_all\n";
        let told = with_name(row, "fetch", "load");
        assert_eq!(told, b"x = load(prefetch, load) # fetch_all\n");
        assert!(!has_word(b"prefetch\n", "fetch"));
    }
}
