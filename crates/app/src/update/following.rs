//! Edits that belong into another file than the one at hand: along with code that the other side moved,
//! and names that went. A file that git merged by itself is taken in as a case first.

use crate::base::commands::Tab;
use crate::case::choices::clashing;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::state::file::{FileLoad, Mode, OpenFile};
use crate::state::following::{Following, MovedEdit};
use crate::update::deciding::do_together;
use crate::update::files::show_file;
use crate::update::moving::go_to_line;
use crate::update::taking::edit;
use crate::view::following::{moved_edit, with_edit};
use armistice_core::{
    Entry, LineIdx, LineRange, Origin, Region, RegionId, RegionKind, RegionState, Resolution,
    Segment, Source, Version, changed_lines,
};
use armistice_git::RepoPath;

/// Takes the edit at hand along to where the other side moved the code.
pub(crate) fn take_along(state: &mut State) -> Vec<Effect> {
    match moved_edit(state) {
        Some(edit) => begin(state, Following::Moved(Box::new(edit))),
        None => {
            state.say(match state.terrain.known() {
                Some(_) => "nobody moved this code to another file while the other side edited it",
                None => "what moved is not read yet",
            });
            Vec::new()
        }
    }
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
            state.say("this finding is not about a name that has a new one");
            Vec::new()
        }
    }
}

fn begin(state: &mut State, what: Following) -> Vec<Effect> {
    let to = what.to().clone();
    state.following = Some(what);
    match file_of(state, &to) {
        Some(_) => go_on(state),
        None => {
            state.say(format!("reading {to}, which git merged by itself …"));
            vec![Effect::TakeIn(to)]
        }
    }
}

/// The file is a case now, or there is none.
pub(crate) fn taken_in(
    state: &mut State,
    path: &RepoPath,
    taken: Result<bool, String>,
) -> Vec<Effect> {
    match taken {
        Ok(true) => vec![Effect::ReadSituation],
        Ok(false) => {
            state.following = None;
            state.complain(format!(
                "{path} cannot be edited here: it is not known what it was merged from"
            ));
            Vec::new()
        }
        Err(why) => {
            state.following = None;
            state.complain(why);
            Vec::new()
        }
    }
}

fn file_of(state: &State, path: &RepoPath) -> Option<FileId> {
    let mut files = state.ids();
    let found = files.find(|(_, file)| file.case.has_path(path));
    found.map(|(at, _)| at)
}

/// Does what waits for files, once they are read.
pub(crate) fn go_on(state: &mut State) -> Vec<Effect> {
    let Some(waits) = state.following.clone() else {
        return Vec::new();
    };
    let Some(at) = file_of(state, waits.to()) else {
        return Vec::new();
    };
    if matches!(state[at].load, FileLoad::Waiting) {
        return Vec::new();
    }
    state.following = None;
    if state
        .files
        .iter()
        .filter_map(|file| file.open())
        .any(is_edited)
    {
        state.complain("leave the editor first: esc keeps what was written");
        return Vec::new();
    }
    let done = match &waits {
        Following::Moved(moved) => along(state, at, moved),
        Following::Renamed { line, old, new, .. } => renamed(state, at, *line, old, new),
    };
    done.unwrap_or_else(|why| {
        state.complain(why);
        Vec::new()
    })
}

fn is_edited(open: &OpenFile) -> bool {
    matches!(open.view.mode, Mode::Edit(_))
}

/// What stands in a draft, line by line.
fn rows(open: &OpenFile) -> Vec<Vec<u8>> {
    let draft = open.draft();
    (0..draft.len() as u32)
        .filter_map(|at| Some(draft.line(LineIdx(at))?.line.bytes().to_vec()))
        .collect()
}

/// The lines of a version that stand at these places of the file itself.
fn lines_of(open: &OpenFile, version: Version, lines: LineRange) -> Vec<u8> {
    let versions = open.plan().real_versions();
    versions.get(version).slice(lines).to_vec()
}

/// The conflicts about code that was moved.
fn conflicts_about(open: &OpenFile, moved: &MovedEdit) -> Vec<RegionId> {
    let places = [
        (Version::Base, moved.base),
        (moved.mover.other().into(), moved.edited),
    ];
    let plan = open.plan();
    let is_about = |id: &RegionId| {
        places.iter().any(|(version, inside)| {
            let lines = plan.region(*id).lines(*version);
            !lines.is_empty() && inside.contains(plan.real_line(*version, lines.start))
        })
    };
    let all = plan.conflicts().iter().copied();
    all.filter(is_about).collect()
}

/// Other text for lines that one side alone has there, as a decision about its change; nothing where
/// they are in question or were decided already.
fn rewritten(open: &OpenFile, version: Version, lines: LineRange, text: &[u8]) -> Option<Entry> {
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
    let is_free = matches!(open.draft().standing(id), RegionState::Merged);
    let all = region.lines(version);
    if !together || region.kind != own || !is_free || !all.contains(last) {
        return None;
    }
    let source = plan.versions().get(version);
    let old: Vec<&[u8]> = places.iter().map(|at| source.line(*at).bytes()).collect();
    let new = Source::new(text);
    let rows: Vec<&[u8]> = new.lines(new.all()).map(|line| line.bytes()).collect();
    let stands =
        |from: u32, to: u32| (from < to).then(|| Segment::Lines(version, LineRange::new(from, to)));
    let mut segments = Vec::new();
    let mut from = all.start.0;
    for (was, is) in changed_lines(&old, &rows) {
        segments.extend(stands(from, first.0 + was.start.0));
        segments.push(Segment::Text(new.slice(is).to_vec()));
        from = first.0 + was.end.0;
    }
    segments.extend(stands(from, all.end.0));
    Some(Entry::Settle(id, Resolution::Segments(segments)))
}

/// Settles the conflicts about code that was moved by who moved it, and edits it where it is now.
fn along(state: &mut State, at: FileId, moved: &MovedEdit) -> Result<Vec<Effect>, String> {
    let MovedEdit {
        title, mover, to, ..
    } = moved;
    let from = file_of(state, &moved.from).ok_or("the file is no conflict any more")?;
    let (here, there) = match (state[from].open(), state[at].open()) {
        (Some(here), Some(there)) => (here, there),
        _ => return Err(format!("{to} is settled as a whole: it has no draft")),
    };
    let base = lines_of(here, Version::Base, moved.base);
    let edited = lines_of(here, mover.other().into(), moved.edited);
    let stands = lines_of(there, (*mover).into(), moved.moved);
    let merged = with_edit(&base, &stands, &edited).ok_or_else(|| {
        format!("{title}: both sides changed the same lines of it; ; goes to it in {to}")
    })?;
    let entry = rewritten(there, (*mover).into(), moved.moved, &merged).ok_or_else(|| {
        format!("{title} is in question itself in {to}: settle it there first, ; goes to it")
    })?;
    let mut entries: Vec<(FileId, Entry)> = vec![(at, entry)];
    for id in conflicts_about(here, moved) {
        let taken = clashing(here.plan(), id, (*mover).into());
        entries.push((from, Entry::Settle(id, taken)));
    }
    let label = format!("{title} edited where it was moved");
    let effects = do_together(state, &label, entries);
    state.say(format!(
        "{title}: edited in {to}, where it was moved · w there writes it · u takes both back"
    ));
    Ok(effects)
}

/// Puts a name in the place of another on one line of a draft.
fn renamed(
    state: &mut State,
    at: FileId,
    line: LineIdx,
    old: &str,
    new: &str,
) -> Result<Vec<Effect>, String> {
    let path = state[at].case.path.to_string();
    let open = state[at]
        .open()
        .ok_or_else(|| format!("{path} is settled as a whole: it has no draft"))?;
    let mut rows = rows(open);
    // The finding is about what is staged: decisions since may have moved the line.
    let wanted = (rows.get(line.0 as usize)).is_some_and(|row| has_word(row, old));
    let nth = match wanted {
        true => line.0 as usize,
        false => {
            let mut places = (0..rows.len()).filter(|nth| has_word(&rows[*nth], old));
            places
                .next()
                .ok_or_else(|| format!("{path}: '{old}' stands nowhere in the draft"))?
        }
    };
    rows[nth] = with_name(&rows[nth], old, new);
    let at_row = LineIdx(nth as u32);
    let entry = as_decision(open, at_row, &rows[nth]);
    let entry = entry.or_else(|| edit(open.draft(), &rows.concat()));
    let entry = entry.ok_or("nothing would change")?;
    let label = format!("{old} called {new}");
    let mut effects = do_together(state, &label, vec![(at, entry)]);
    effects.extend(show_file(state, at));
    if state.tab == Tab::Parley {
        go_to_line(state, LineIdx(nth as u32));
    }
    state.say(format!(
        "{path}: '{old}' is '{new}' in line {} now · w writes it · u takes it back",
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
    rewritten(open, version, LineRange::new(real.0, real.0 + 1), text)
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
    fn names_are_replaced_as_whole_words() {
        let row = b"x = fetch(prefetch, fetch) # fetch_all\n";
        let told = with_name(row, "fetch", "load");
        assert_eq!(told, b"x = load(prefetch, load) # fetch_all\n");
        assert!(!has_word(b"prefetch\n", "fetch"));
    }
}
