//! Scout: where its parts are, and the rows of its forecast.

use crate::base::safe_text::count;
use crate::case::foresee::{Forecast, ForeseenFile, ForeseenStep, StepEnd, Weight};
use crate::state::app::State;
use crate::view::areas::Screen;
use armistice_core::{Side, Version};
use armistice_git::{Commit, Meeting, Operation, Relation, RepoPath, Undertaking};
use ratatui::layout::Rect;

/// The parts of Scout; one that has no room is empty.
pub struct ScoutAreas {
    pub counterparts: Rect,
    pub state: Rect,
    pub meeting: Rect,
    pub forecast: Rect,
}

/// Rows of the state of the tree, its heading among them.
const STATE_ROWS: u16 = 9;

impl ScoutAreas {
    pub fn new(state: &State) -> Self {
        let screen = Screen::new(state);
        let body = screen.body;
        if !screen.is_wide() {
            // One above the other: whom, how the lines stand, what would come of it.
            let list = (body.height / 3).max(4).min(body.height);
            let meeting = 4.min(body.height.saturating_sub(list));
            let part = |y: u16, height: u16| Rect {
                y: body.y + y,
                height,
                ..body
            };
            return ScoutAreas {
                counterparts: part(0, list),
                meeting: part(list, meeting),
                state: Rect::default(),
                forecast: part(list + meeting, body.height - list - meeting),
            };
        }
        let left = (body.width / 4).clamp(34, 48);
        let middle = (body.width - left) * 9 / 20;
        let right = body.width - left - middle;
        let rows = STATE_ROWS.min(body.height / 2);
        let part = |x: u16, width: u16| Rect {
            x: body.x + x,
            width: width.saturating_sub(1),
            ..body
        };
        let column = part(0, left);
        ScoutAreas {
            counterparts: Rect {
                height: body.height - rows,
                ..column
            },
            state: Rect {
                y: body.y + body.height - rows,
                height: rows,
                ..column
            },
            meeting: part(left, middle),
            forecast: part(left + middle, right + 1),
        }
    }
}

/// Whether something real is in progress.
pub fn is_under_way(state: &State) -> bool {
    let situation = &state.situation;
    situation.foreseen.is_none()
        && (situation.operation != Operation::Loose || !situation.cases.is_empty())
}

/// A row of the forecast.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ForecastRow {
    /// Words that cannot be chosen.
    Words(String),
    /// Words that need a look.
    Finding(String),
    /// A step of a rebase.
    Step(usize),
    /// A file of a step that would be in conflict.
    File(usize, usize),
    /// A file of a step that git would merge by itself.
    Clean(usize, usize),
}

impl ForecastRow {
    /// Whether the cursor stands on it.
    pub fn is_chosen_at_all(&self) -> bool {
        !matches!(self, ForecastRow::Words(_) | ForecastRow::Finding(_))
    }
}

/// The rows of what is foreseen.
pub fn forecast_rows(state: &State) -> Vec<ForecastRow> {
    let scout = &state.scout;
    let Some(forecast) = &scout.forecast else {
        return Vec::new();
    };
    let mut rows = Vec::new();
    let words = |text: String| ForecastRow::Words(text);
    if let Some(why) = &forecast.refused {
        rows.push(ForecastRow::Finding(format!("git would refuse: {why}")));
    }
    for (text, named) in obstacle_words(forecast) {
        rows.push(ForecastRow::Finding(text));
        rows.extend(named.iter().take(4).map(|path| words(format!("  {path}"))));
    }
    rows.extend(forecast.notes.iter().cloned().map(words));
    let is_rebase = forecast.has_steps();
    let is_known = !forecast.steps.is_empty() || !scout.looking;
    if forecast.refused.is_none() && is_known {
        rows.extend(summary(forecast).into_iter().map(words));
    }
    for (nth, step) in forecast.steps.iter().enumerate() {
        if is_rebase {
            rows.push(ForecastRow::Step(nth));
        }
        rows.extend((0..step.files.len()).map(|file| ForecastRow::File(nth, file)));
        for found in &step.clean.findings {
            let line = found.finding.line.map_or(0, |line| line.number());
            let text = format!("{}:{line} {}", found.path, found.finding.what);
            rows.push(ForecastRow::Finding(text));
        }
        let [ours, theirs, both] = step.clean.counts();
        if ours + theirs + both > 0 {
            rows.push(words(String::new()));
            rows.push(words(format!(
                "{} merged by git: ▲ {ours} · ▼ {theirs} · both {both} · m {}",
                count(ours + theirs + both, "file"),
                if scout.clean_shown { "folds" } else { "lists" }
            )));
            if scout.clean_shown {
                rows.extend((0..step.clean.files.len()).map(|n| ForecastRow::Clean(nth, n)));
            }
        }
    }
    if forecast.left_out() > 0 {
        rows.push(ForecastRow::Finding(format!(
            "{} not foreseen",
            count(forecast.left_out(), "later step")
        )));
    }
    rows.extend(assumption_words(forecast).into_iter().flatten().map(words));
    let crosses = matches!(forecast.meeting.relation, Relation::Parted(n) if n > 1);
    if crosses && !is_rebase && !forecast.steps.is_empty() {
        let text = "the files that git merges cannot be listed when histories cross";
        rows.push(words(text.to_owned()));
    }
    if let Some([merge, rebase]) = &forecast.weighed {
        rows.push(words(String::new()));
        rows.push(words(format!("as a merge:  {}", weight_words(merge))));
        rows.push(words(format!("as a rebase: {}", weight_words(rebase))));
    }
    rows
}

/// What is in the way, each with its files.
pub fn obstacle_words(forecast: &Forecast) -> Vec<(String, Vec<String>)> {
    let obstacles = &forecast.obstacles;
    let names = |paths: &[RepoPath]| paths.iter().map(ToString::to_string).collect();
    let mut all: Vec<(String, Vec<String>)> = Vec::new();
    if !obstacles.refused.is_empty() {
        let files = count(obstacles.refused.len(), "file");
        let text = format!("{files} in the way: git refuses to begin");
        all.push((text, names(&obstacles.refused)));
    }
    if !obstacles.overwritten.is_empty() {
        let files = count(obstacles.overwritten.len(), "ignored file");
        let text = format!("{files} in the way: git overwrites them without asking");
        all.push((text, names(&obstacles.overwritten)));
    }
    if !obstacles.later.is_empty() {
        let files = count(obstacles.later.len(), "untracked file");
        let named = |(step, path): &(usize, RepoPath)| format!("{path} (step {step})");
        let text = format!("{files} in the way later: git stops there");
        all.push((text, obstacles.later.iter().map(named).collect()));
    }
    all
}

/// What the numbers of steps behind an open one stand on, in two lines; nothing without such steps.
pub fn assumption_words(forecast: &Forecast) -> Option<[String; 2]> {
    forecast.steps.iter().find(|step| step.is_estimate)?;
    let question = &forecast.question;
    let name = |side: Side| match (question.undertaking, side) {
        (Undertaking::Rebase, Side::Ours) => question.name.clone(),
        (Undertaking::Rebase, Side::Theirs) => "your commits".to_owned(),
        (_, side) => Version::from(side).name().to_owned(),
    };
    let (assumed, other) = (name(question.assumed), name(question.assumed.other()));
    Some([
        format!("estimates assume {assumed} for open conflicts"),
        match &forecast.otherwise {
            Some(weight) => format!("  with {other}: {}", weight_words(weight)),
            None => format!("  the same numbers with {other}"),
        },
    ])
}

/// What would happen, in a line or two.
pub fn summary(forecast: &Forecast) -> Vec<String> {
    let meeting = &forecast.meeting;
    let files = || forecast.steps.iter().flat_map(|step| &step.files);
    let sum = |of: fn(&ForeseenFile) -> usize| files().map(of).sum::<usize>();
    let conflicts = sum(|file| file.conflicts);
    let nothing = match (forecast.question.undertaking, meeting.relation) {
        (Undertaking::Merge, Relation::Contained) => "nothing to do",
        (Undertaking::Merge | Undertaking::Rebase, Relation::FastForward) => "nothing can conflict",
        _ if forecast.steps.is_empty() => "nothing to do",
        _ if conflicts == 0 => "nothing would conflict",
        _ => "",
    };
    if !nothing.is_empty() {
        return vec![nothing.to_owned()];
    }
    let pending = files().filter(|file| file.pending).count();
    if pending > 0 {
        let all = count(files().count(), "file");
        let read = files().count() - pending;
        return vec![
            format!("{all} in conflict"),
            format!("reading conflicts: {read} of {all} …"),
        ];
    }
    let what = format!(
        "{} in {}",
        count(conflicts, "conflict"),
        count(files().count(), "file")
    );
    let (by_rule, open) = (sum(|file| file.by_rule), sum(|file| file.open));
    let mut words = format!("★ {by_rule} by rule · {open} open");
    for (n, what) in [
        (sum(|file| file.offered), "suggested"),
        (sum(|file| file.remembered), "remembered"),
        (sum(|file| file.decided), "tried out"),
    ] {
        if n > 0 {
            words += &format!(" · {n} {what}");
        }
    }
    vec![what, words]
}

/// How two lines stand to each other, in words.
pub fn relation_words(meeting: &Meeting) -> String {
    match meeting.relation {
        Relation::Contained => "already up to date: nothing to do".to_owned(),
        Relation::FastForward => format!(
            "{} behind, none ahead: fast-forward, no conflict possible",
            count(meeting.behind, "commit")
        ),
        Relation::Unrelated => "no common ancestor: the two sides share no commit".to_owned(),
        Relation::Parted(bases) => {
            let several = match bases {
                1 => String::new(),
                n => format!(" · {n} merge bases; git merges those first"),
            };
            format!(
                "{} ahead, {} behind{several}",
                count(meeting.ahead, "commit"),
                meeting.behind
            )
        }
    }
}

/// How a step ends, in words.
pub fn step_words(step: &ForeseenStep) -> String {
    if step.files.iter().any(|file| file.pending) {
        return "…".to_owned();
    }
    let conflicts: usize = step.files.iter().map(|file| file.conflicts).sum();
    let open: usize = step.files.iter().map(|file| file.open).sum();
    let mut words = match step.end {
        StepEnd::Clean => "clean".to_owned(),
        StepEnd::Empty => "becomes empty; git drops it".to_owned(),
        StepEnd::EmptyStop => "becomes empty; git stops: skip or keep it".to_owned(),
        StepEnd::Settled => format!("{}, all settled by rule", count(conflicts, "conflict")),
        StepEnd::Open => format!("{}, {open} open", count(conflicts, "conflict")),
    };
    if let Some(earlier) = step.repeats {
        words += &format!(" · as in step {earlier}");
    }
    if step.is_estimate {
        words += " · estimate";
    }
    words
}

/// How much work it would be, in words.
pub fn weight_words(weight: &Weight) -> String {
    let mut words = format!(
        "{} at {}",
        count(weight.questions, "question"),
        count(weight.stops, "stop")
    );
    if weight.repeats > 0 {
        words += &format!(", {} again", weight.repeats);
    }
    words
}

/// A row of the drawing of two lines.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum MeetingRow {
    /// A commit of one side.
    Commit(Side, Commit),
    /// Commits of a side that are folded.
    Folded(Side, usize),
    /// Where both lines part.
    Base(Option<Commit>),
}

/// Both lines of commits, the newest first, down to where they part, in so many rows. In a rebase the own
/// commits are those that come, as on the other screens.
pub fn meeting_rows(meeting: &Meeting, undertaking: Undertaking, room: usize) -> Vec<MeetingRow> {
    let line = |side: Side| match undertaking {
        Undertaking::Rebase => side.other(),
        _ => side,
    };
    let lines = &meeting.lines;
    let all = |side: Side| lines.commits[line(side)].len() + lines.left_out[line(side)];
    let room = room.saturating_sub(1);
    let (ours, theirs) = (all(Side::Ours), all(Side::Theirs));
    // Each gets half; what one does not need is the other's.
    let half = room / 2;
    let for_ours = ours.min(half.max(room.saturating_sub(theirs)));
    let for_theirs = theirs.min(room.saturating_sub(for_ours));
    let mut rows: Vec<MeetingRow> = Vec::new();
    for (side, all, room) in [
        (Side::Ours, ours, for_ours),
        (Side::Theirs, theirs, for_theirs),
    ] {
        let commits = &lines.commits[line(side)];
        let shown = match all > room {
            true => room.saturating_sub(1),
            false => room,
        };
        let shown = shown.min(commits.len());
        let own = commits.iter().take(shown).cloned();
        rows.extend(own.map(|commit| MeetingRow::Commit(side, commit)));
        if all > shown {
            rows.push(MeetingRow::Folded(side, all - shown));
        }
    }
    rows.push(MeetingRow::Base(meeting.lines.base.clone()));
    rows
}

#[cfg(test)]
mod tests {
    use super::*;
    use armistice_core::PerSide;
    use armistice_git::TwoLines;

    fn commit(n: usize) -> Commit {
        Commit {
            oid: format!("{n:040}"),
            short: format!("{n:07}"),
            subject: format!("commit {n}"),
            author: "Ines Brandt".to_owned(),
            time: n as i64,
        }
    }

    fn meeting(ours: usize, theirs: usize) -> Meeting {
        Meeting {
            ours: commit(1),
            theirs: commit(2),
            relation: Relation::Parted(1),
            lines: TwoLines {
                commits: PerSide {
                    ours: (0..ours).map(commit).collect(),
                    theirs: (0..theirs).map(commit).collect(),
                },
                left_out: PerSide { ours: 0, theirs: 0 },
                base: Some(commit(9)),
            },
            ahead: ours,
            behind: theirs,
        }
    }

    #[test]
    fn both_lines_fit_whatever_there_is_of_them_and_what_is_folded_is_counted() {
        for (ours, theirs) in [(0, 0), (1, 50), (50, 1), (30, 30), (3, 4)] {
            for room in 1..40 {
                let rows = meeting_rows(&meeting(ours, theirs), Undertaking::Merge, room);
                assert!(
                    rows.len() <= room.max(3),
                    "{ours} {theirs} {room}: {}",
                    rows.len()
                );
                let of = |side: Side| -> usize {
                    let one = |row: &MeetingRow| match row {
                        MeetingRow::Commit(of, _) => usize::from(*of == side),
                        MeetingRow::Folded(of, n) if *of == side => *n,
                        _ => 0,
                    };
                    rows.iter().map(one).sum()
                };
                assert_eq!((of(Side::Ours), of(Side::Theirs)), (ours, theirs));
                assert!(matches!(rows.last(), Some(MeetingRow::Base(Some(_)))));
            }
        }
    }

    #[test]
    fn how_lines_stand_is_said_in_words() {
        let mut lines = meeting(2, 3);
        assert_eq!(relation_words(&lines), "2 commits ahead, 3 behind");
        lines.relation = Relation::Parted(2);
        assert!(relation_words(&lines).contains("2 merge bases"));
        lines.relation = Relation::Contained;
        assert!(relation_words(&lines).contains("already up to date"));
    }
}
