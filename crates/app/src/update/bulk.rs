//! Docket over many files: marking, filtering, sorting, and what is done to all marked ones.

use crate::base::safe_text::count;
use crate::case::choices::clashing;
use crate::case::finish::Finish;
use crate::case::opened::Recording;
use crate::state::app::State;
use crate::state::docket::{Filter, Sort};
use crate::state::effect::{Effect, FileId, WriteJob};
use crate::state::file::{FileLoad, Mode, OpenFile};
use crate::state::overlay::{Overlay, Question, Settles};
use crate::update::files::untouched_text;
use crate::update::whole::{decides_lines, outcome_words};
use armistice_core::limits::LISTED_CONFLICTS;
use armistice_core::{Entry, RegionState, Version};
use armistice_git::{FileOutcome, IndexState, Overwrite};

/// Marks the chosen file, or takes the mark away, and goes on to the next.
pub(crate) fn mark(state: &mut State) {
    let at = state.chosen();
    let Some(path) = state.file(at).map(|file| file.case.path.clone()) else {
        return;
    };
    if !state.docket.marked.remove(&path) {
        state.docket.marked.insert(path);
    }
    let rows = state.docket_rows();
    let here = rows.iter().position(|row| *row == at);
    if let Some(next) = here.and_then(|here| rows.get(here + 1)) {
        state.docket.chosen = next.0;
    }
    say_marked(state);
}

/// Marks all files that are shown; takes all marks away where they are marked already.
pub(crate) fn mark_all(state: &mut State) {
    let rows = state.docket_rows();
    let paths: Vec<_> = rows.iter().map(|at| state[*at].case.path.clone()).collect();
    let marked = &mut state.docket.marked;
    if paths.iter().all(|path| marked.contains(path)) {
        marked.clear();
    } else {
        marked.extend(paths);
    }
    say_marked(state);
}

fn say_marked(state: &mut State) {
    let text = match state.marked().len() {
        0 => "nothing is marked".to_owned(),
        n => format!(
            "{} marked · o t b x O T L W u R act on all of them",
            count(n, "file")
        ),
    };
    state.say(text);
}

/// Shows the next group of files.
pub(crate) fn next_filter(state: &mut State) {
    let now = Filter::ALL.iter().position(|f| *f == state.docket.filter);
    state.docket.filter = Filter::ALL[(now.unwrap_or(0) + 1) % Filter::ALL.len()];
    let shown = state.docket_rows();
    keep_cursor(state, &shown);
    let name = state.docket.filter.name();
    state.say(format!("showing {name}: {}", count(shown.len(), "file")));
}

/// Shows the files in the next order.
pub(crate) fn next_sort(state: &mut State) {
    let now = Sort::ALL.iter().position(|s| *s == state.docket.sort);
    state.docket.sort = Sort::ALL[(now.unwrap_or(0) + 1) % Sort::ALL.len()];
    let name = state.docket.sort.name();
    state.say(format!("in order {name}"));
}

/// Begins typing a part of a path.
pub(crate) fn narrow(state: &mut State) {
    state.docket.path.clear();
    state.overlay = Some(Overlay::Narrow);
}

/// A key while a part of a path is typed; whether typing goes on.
pub(crate) fn narrow_key(state: &mut State, name: &str, typed: Option<char>) -> bool {
    match name {
        "enter" => return false,
        "esc" => {
            state.docket.path.clear();
            return false;
        }
        "backspace" => drop(state.docket.path.pop()),
        _ => state.docket.path.extend(typed),
    }
    let shown = state.docket_rows();
    keep_cursor(state, &shown);
    true
}

/// The cursor stays on a file that is shown.
fn keep_cursor(state: &mut State, shown: &[FileId]) {
    if let Some(first) = shown.first().filter(|_| !shown.contains(&state.chosen())) {
        state.docket.chosen = first.0;
    }
}

/// Takes one side in all conflicts of the marked files; what each changed alone stays.
pub(crate) fn take_clashes(state: &mut State, version: Version) -> Vec<Effect> {
    let files = state.marked_or_chosen();
    let mut entries = Vec::new();
    let (mut named, mut without) = (Vec::new(), 0);
    for at in files {
        let file = &state[at];
        let Some(open) = file
            .open()
            .filter(|_| file.case.standing == IndexState::Unmerged)
        else {
            without += usize::from(file.case.standing == IndexState::Unmerged);
            continue;
        };
        let ids: Vec<_> = open.draft().open().collect();
        if !ids.is_empty() {
            named.push(format!(
                "{} · {}",
                file.case.title(),
                count(ids.len(), "conflict")
            ));
        }
        let take = |id| (at, Entry::Settle(id, clashing(open.plan(), id, version)));
        entries.extend(ids.into_iter().map(take));
    }
    if entries.is_empty() {
        state.say("these files have no open line conflict");
        return Vec::new();
    }
    let n = entries.len();
    let name = version.name();
    let mut lines = listed(named);
    lines.push("Changes that only one side made stay. u in Parley undoes all of it.".to_owned());
    if without > 0 {
        lines.push(format!(
            "{} without mergeable lines stay unchanged.",
            count(without, "file")
        ));
    }
    state.overlay = Some(Overlay::Question(Box::new(Question {
        title: format!("take {name} in {}?", count(n, "open conflict")),
        lines,
        yes: format!("take {name} in all open conflicts"),
        effects: Vec::new(),
        settles: Some(Settles {
            label: format!("took {name} in {}", count(n, "conflict")),
            entries,
        }),
        ..Question::default()
    })));
    Vec::new()
}

/// The first names, and how many more there are.
fn listed(mut names: Vec<String>) -> Vec<String> {
    let more = names.len().saturating_sub(LISTED_CONFLICTS);
    names.truncate(LISTED_CONFLICTS);
    if more > 0 {
        names.push(format!("and {more} more"));
    }
    names
}

/// Settles all marked files by one whole-file outcome, after saying which and which cannot be.
pub(crate) fn ask_whole_marked(state: &mut State, outcome: FileOutcome) -> Vec<Effect> {
    let mut jobs = Vec::new();
    let (mut named, mut left_out) = (Vec::new(), Vec::new());
    let mut entries = Vec::new();
    let mut marked = state.marked();
    marked.sort_by_key(|at| is_generated(state, *at));
    for at in marked {
        let file = &state[at];
        let title = file.case.title();
        // A side that has no file there has removed it.
        let outcome = match file.case.stage(outcome) {
            None if matches!(outcome, FileOutcome::Ours | FileOutcome::Theirs) => {
                FileOutcome::Remove
            }
            _ => outcome,
        };
        let seen = file.load.seen().cloned();
        let possible = file.case.standing == IndexState::Unmerged
            && file.case.outcomes().contains(&outcome)
            && !file.writing;
        match seen.filter(|_| possible) {
            Some(seen) => {
                named.push(match outcome {
                    FileOutcome::Remove => format!("{title} · goes"),
                    _ => title,
                });
                let settles = decides_lines(state, at, outcome);
                entries.extend(settles.map(|s| s.entries).unwrap_or_default());
                jobs.push((at, WriteJob::Whole(outcome, seen, Overwrite::No)));
            }
            None => left_out.push(title),
        }
    }
    if jobs.is_empty() {
        state.complain(format!(
            "'{}' is not possible for any marked file",
            outcome.name()
        ));
        return Vec::new();
    }
    let n = count(jobs.len(), "file");
    let mut lines = listed(named);
    if !left_out.is_empty() {
        let first = &left_out[0];
        lines.push(format!(
            "{} skipped (already staged, or without this outcome), for example {first}.",
            count(left_out.len(), "file")
        ));
    }
    lines.push("v on a file lists the discarded lines; u takes files back.".to_owned());
    let words = outcome_words(outcome);
    state.overlay = Some(Overlay::Question(Box::new(Question {
        title: format!("{n}: {words}?"),
        lines,
        yes: format!("{words}, in {n}"),
        effects: in_portions(jobs),
        settles: (!entries.is_empty()).then(|| Settles {
            label: format!("{} in {n}", outcome.name()),
            entries,
        }),
        ..Question::default()
    })));
    Vec::new()
}

/// Whether a command makes the file out of others.
fn is_generated(state: &State, at: FileId) -> bool {
    let path = state[at].case.path.to_string();
    state.settings.made_by(&path).is_some()
}

/// Puts generated files last: what they are made of is staged by then.
fn last_generated(state: &State, jobs: &mut [(FileId, WriteJob)]) {
    jobs.sort_by_key(|(at, _)| is_generated(state, *at));
}

/// Writes that many files at once, so that progress is seen between.
const PORTION: usize = 500;

fn in_portions(jobs: Vec<(FileId, WriteJob)>) -> Vec<Effect> {
    let portions = jobs.chunks(PORTION);
    portions
        .map(|some| Effect::WriteMany(some.to_vec()))
        .collect()
}

/// Writes and stages all files in which no conflict is open: of the marked ones, or of all.
pub(crate) fn write_all(state: &mut State) -> Vec<Effect> {
    let marked = state.marked();
    let of = match marked.is_empty() {
        true => state.file_ids().collect(),
        false => marked,
    };
    let mut jobs = Vec::new();
    let mut effects = Vec::new();
    let mut asked = 0;
    for at in of {
        let file = &state[at];
        if file.writing || file.finished() || file.counts().is_none_or(|counts| counts.open > 0) {
            continue;
        }
        match &file.load {
            FileLoad::Lines(open) if matches!(open.view.mode, Mode::Edit(_)) => {}
            // These need an answer: w on the file asks for it.
            FileLoad::Lines(_)
                if file.case.stages.mode_clash().is_some() || file.case.name_clash().is_some() =>
            {
                asked += 1;
            }
            FileLoad::Lines(open) => {
                let overwrite = match open.opened.is_taken() {
                    true => Overwrite::AsRead,
                    false => Overwrite::No,
                };
                let finish = Finish::new(&file.case, &open.opened, overwrite);
                let versions = open.plan().real_versions().clone();
                jobs.push((at, WriteJob::Merged(Box::new(finish), versions)));
            }
            FileLoad::Whole(whole) => {
                let decided = whole.decided.map(|outcome| (outcome, whole.seen.clone()));
                if let Some((outcome, seen)) = decided {
                    jobs.push((at, WriteJob::Whole(outcome, seen, Overwrite::No)));
                }
            }
            FileLoad::Waiting | FileLoad::Failed(_) => {}
        }
    }
    last_generated(state, &mut jobs);
    let ask = match asked {
        0 => String::new(),
        n => format!(
            " · {} need a mode or a name: press w on each",
            count(n, "file")
        ),
    };
    if jobs.is_empty() {
        state.say(format!("no settled file is left to write{ask}"));
        return Vec::new();
    }
    for (at, _) in &jobs {
        // What rules settled is what is written: from now on the journal says so.
        let open = state[*at].open_mut();
        if let Some(first) = open.and_then(|file| file.opened.take_unsaved()) {
            let recording = Recording {
                rules: Some(first),
                event: None,
            };
            effects.push(Effect::Record(*at, recording));
        }
        state[*at].writing = true;
    }
    state.say(format!("writing {}{ask} …", count(jobs.len(), "file")));
    effects.extend(in_portions(jobs));
    effects
}

/// Goes back to the untouched conflict in the marked files, after saying what is discarded. The
/// journal keeps it: undo brings it back.
pub(crate) fn ask_start_over(state: &mut State) -> Vec<Effect> {
    let mut entries = Vec::new();
    let mut effects = Vec::new();
    let mut named = Vec::new();
    for at in state.marked_or_chosen() {
        let Some(file) = state.file(at) else { continue };
        let title = file.case.title();
        let mut said = Vec::new();
        if file.case.standing == IndexState::Staged {
            said.push("the staged result".to_owned());
            effects.push(Effect::TakeBack {
                file: at,
                markers: untouched_text(file.open()),
            });
        }
        match &file.load {
            FileLoad::Lines(open) => {
                let (own, ruled) = decisions(open);
                if own.len() + ruled.len() > 0 {
                    said.push(format!(
                        "{} by you and {} by rule",
                        count(own.len(), "decision"),
                        ruled.len()
                    ));
                }
                let all = own.into_iter().chain(ruled);
                entries.extend(all.map(|entry| (at, entry)));
            }
            FileLoad::Whole(whole) => {
                if let Some(outcome) = whole.decided {
                    said.push(format!("the decision '{}'", outcome.name()));
                    effects.push(Effect::Undecide(at));
                }
            }
            FileLoad::Waiting | FileLoad::Failed(_) => {}
        }
        if !said.is_empty() {
            named.push(format!("{title} · {}", said.join(", ")));
        }
    }
    if named.is_empty() {
        state.say("these files have no decisions");
        return Vec::new();
    }
    let n = count(named.len(), "file");
    let mut lines = listed(named);
    lines.push(
        "Restores the conflicts in the working files; u in Parley brings decisions back."
            .to_owned(),
    );
    state.overlay = Some(Overlay::Question(Box::new(Question {
        title: format!("start over in {n}? This discards:"),
        lines,
        yes: "discard it and start over".to_owned(),
        effects,
        settles: (!entries.is_empty()).then(|| Settles {
            label: format!("started over in {n}"),
            entries,
        }),
        ..Question::default()
    })));
    Vec::new()
}

/// The entries that undo all decisions in a file: those of a person, and those of rules.
pub(crate) fn decisions(open: &OpenFile) -> (Vec<Entry>, Vec<Entry>) {
    let (mut own, mut ruled) = (Vec::new(), Vec::new());
    for (id, _) in open.plan().ids() {
        match open.draft().standing(id) {
            RegionState::Open | RegionState::Merged => {}
            RegionState::Settled(_) | RegionState::ByHand => own.push(Entry::Restore(id)),
            RegionState::Ruled(_) => ruled.push(Entry::Restore(id)),
        }
    }
    (own, ruled)
}
