//! Who changed what is looked at: asked of git's history once a file, in the background.

use crate::base::commands::Tab;
use crate::base::safe_text::{ago, count, visible};
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::state::file::{FileLoad, Who};
use crate::state::overlay::Overlay;
use crate::view::who::card_commits;
use armistice_core::{PerSide, Side};
use armistice_git::{Commit, CommitDetails, SideHistory, Undertaking};

/// What is to be asked: of the file in Parley at once, of the row on Docket when time has passed.
pub(crate) fn ask(state: &mut State, tick: bool) -> Option<Effect> {
    let at = match state.tab {
        Tab::Parley => state.file,
        Tab::Docket if tick => state.chosen(),
        _ => return None,
    };
    let operation = state.situation.operation;
    let file = state.file_mut(at)?;
    let is_read = matches!(file.load, FileLoad::Lines(_) | FileLoad::Whole(_));
    if !is_read || !matches!(file.who, Who::Unasked) {
        return None;
    }
    file.who = Who::Asked;
    Some(Effect::ReadHistory(at, operation))
}

/// What git's history says has come.
pub(crate) fn read(state: &mut State, at: FileId, found: Result<PerSide<SideHistory>, String>) {
    let Some(file) = state.file_mut(at) else {
        return;
    };
    file.who = match found {
        Ok(found) => Who::Known(Box::new(found)),
        Err(why) => Who::Failed(why),
    };
}

/// Shows what the commits behind the conflict or the file say.
pub(crate) fn show(state: &mut State) -> Vec<Effect> {
    if state.tab == Tab::Scout {
        return show_lines(state);
    }
    let at = match state.tab {
        Tab::Parley => state.file,
        _ => state.chosen(),
    };
    let Some(file) = state.file(at) else {
        return Vec::new();
    };
    match &file.who {
        Who::Known(_) => {}
        Who::Failed(why) => {
            let why = format!("git log failed: {why}");
            state.complain(why);
            return Vec::new();
        }
        Who::Unasked | Who::Asked => {
            let operation = state.situation.operation;
            let unasked = matches!(file.who, Who::Unasked);
            state[at].who = Who::Asked;
            state.say("reading git log …");
            let effect = unasked.then(|| Effect::ReadHistory(at, operation));
            return effect.into_iter().collect();
        }
    }
    let mut wanted: Vec<(Side, String)> = Vec::new();
    for side in Side::BOTH {
        let commits: Vec<&Commit> = match (state.tab, file.open()) {
            (Tab::Parley, Some(open)) => card_commits(file, &open.shown().cards, side),
            _ => match &file.who {
                Who::Known(known) => known[side].commits.iter().collect(),
                _ => Vec::new(),
            },
        };
        wanted.extend(
            commits
                .into_iter()
                .take(MOST)
                .map(|c| (side, c.oid.clone())),
        );
    }
    if wanted.is_empty() {
        state.say("no commit since the merge base touches this, on either side");
        return Vec::new();
    }
    state.say("reading the commits …");
    vec![Effect::ReadCommits(wanted)]
}

/// Shows what the newest commits of both lines say that Scout looks at.
fn show_lines(state: &mut State) -> Vec<Effect> {
    let Some(forecast) = &state.scout.forecast else {
        state.say("no forecast yet");
        return Vec::new();
    };
    let is_rebase = forecast.question.undertaking == Undertaking::Rebase;
    let lines = &forecast.meeting.lines.commits;
    let of = |side: Side| {
        // In a rebase the own commits are those that come.
        let line = if is_rebase { side.other() } else { side };
        let commits = lines[line].iter().take(MOST);
        commits.map(move |commit| (side, commit.oid.clone()))
    };
    let wanted: Vec<(Side, String)> = Side::BOTH.into_iter().flat_map(of).collect();
    if wanted.is_empty() {
        state.say("neither side has commits of its own");
        return Vec::new();
    }
    state.say("reading the commits …");
    vec![Effect::ReadCommits(wanted)]
}

/// Commits of each side that are reported in full.
const MOST: usize = 8;

/// The commits in full have come.
pub(crate) fn tell(state: &mut State, found: Result<Vec<(Side, CommitDetails)>, String>) {
    let found = match found {
        Ok(found) => found,
        Err(why) => return state.complain(why),
    };
    let mut lines = Vec::new();
    let branch = state.label(Side::Ours).to_owned();
    let foreseen = state.scout.met(&branch).filter(|_| state.tab == Tab::Scout);
    let names = match foreseen {
        Some(parties) => parties.map(|party| party.label),
        None => Side::BOTH.map(|side| state.label(side).to_owned()),
    };
    for (side, details) in &found {
        let (mark, name) = match side {
            Side::Ours => ("▲", &names[0]),
            Side::Theirs => ("▼", &names[1]),
        };
        let commit = &details.commit;
        lines.push(format!(
            "{mark} {name} · {} {}",
            commit.short,
            visible(&commit.subject)
        ));
        lines.push(format!(
            "  {} <{}> · {} · ask {}",
            visible(&commit.author),
            visible(&details.email),
            ago(state.now, commit.time),
            visible(&commit.author)
        ));
        lines.push(String::new());
        let said = details.message.lines().skip(1);
        let said: Vec<&str> = said.skip_while(|line| line.trim().is_empty()).collect();
        lines.extend(said.iter().map(|line| format!("  {}", visible(line))));
        if !said.is_empty() {
            lines.push(String::new());
        }
        lines.push(format!("  changed {}:", count(details.files.len(), "file")));
        let files = details.files.iter().take(MOST_FILES);
        lines.extend(files.map(|path| format!("    {path}")));
        if details.files.len() > MOST_FILES {
            lines.push(format!("    and {} more", details.files.len() - MOST_FILES));
        }
        lines.push(String::new());
    }
    state.say("");
    state.overlay = Some(Overlay::Output {
        title: "who and why".to_owned(),
        lines,
        top: 0,
    });
}

/// Files of a commit that are listed.
const MOST_FILES: usize = 20;
