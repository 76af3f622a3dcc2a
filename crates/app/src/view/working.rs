//! Which actions do something here and now: the key bar shows no others.

use crate::base::commands::{Command, Tab};
use crate::base::editor::Motion;
use crate::state::app::State;
use crate::state::file::{FileLoad, FileState, Mode, OpenFile};
use crate::view::following::{moved_edit, moved_edits};
use crate::view::gate::droppable_stash;
use armistice_core::{RegionKind, RegionState, Resolution, Side, Version};
use armistice_git::{IndexState, Operation};

/// Whether an action does something here and now.
pub(crate) fn works(state: &State, command: Command) -> bool {
    match state.tab {
        Tab::Scout => works_on_scout(state, command),
        Tab::Docket => works_on_docket(state, command),
        Tab::Parley => match state.open_file() {
            Some(file) if matches!(file.view.mode, Mode::Look) => works_in(state, file, command),
            _ => true,
        },
        Tab::Accord => works_on_accord(state, command),
        Tab::Terrain => state.terrain.known().is_some() || !is_about_files(command),
        Tab::Proof => works_on_proof(state, command),
    }
}

fn works_on_scout(state: &State, command: Command) -> bool {
    let real = state.situation.foreseen.is_none() && !state.situation.is_idle();
    let known = state.scout.forecast.is_some();
    match command {
        Command::Begin | Command::ShowMerged | Command::Draw | Command::ShowWho => known && !real,
        Command::Accept | Command::SwitchList | Command::NextUndertaking | Command::Narrow => !real,
        Command::NextAssumption => {
            let forecast = state.scout.forecast.as_ref();
            forecast.is_some_and(|f| f.steps.iter().any(|step| step.is_estimate))
        }
        _ => true,
    }
}

fn works_on_docket(state: &State, command: Command) -> bool {
    let marked = !state.marked().is_empty();
    let Some(file) = state.file(state.chosen()) else {
        return !is_about_files(command);
    };
    let staged = file.case.standing == IndexState::Staged;
    let is_ready =
        |file: &FileState| !file.finished() && file.counts().is_some_and(|counts| counts.open == 0);
    match command {
        Command::NextOpen | Command::PrevOpen => state.files_done().0 < state.files.len(),
        Command::SettleLikely => state
            .files
            .iter()
            .any(|file| file.proposals().next().is_some()),
        Command::WriteFile => is_ready(file),
        Command::TakeBack => staged || marked,
        Command::WriteAll => state.files.iter().any(is_ready),
        Command::Whole(outcome) => marked || (!staged && file.case.outcomes().contains(&outcome)),
        Command::TakeClashes(_) => {
            marked
                || file
                    .open()
                    .is_some_and(|open| open.draft().open().next().is_some())
        }
        Command::ShowGivenUp => !matches!(file.load, FileLoad::Waiting | FileLoad::Failed(_)),
        Command::Regenerate => {
            let path = file.case.path.to_string();
            state.settings.made_by(&path).is_some()
        }
        Command::TakeAlong => !staged && !moved_edits(state, state.chosen()).is_empty(),
        Command::HandOver => file.open().is_some() && !file.finished(),
        _ => true,
    }
}

fn is_about_files(command: Command) -> bool {
    !matches!(
        command,
        Command::Help | Command::Ask | Command::Quit | Command::Go(_) | Command::Reload
    )
}

fn works_in(state: &State, file: &OpenFile, command: Command) -> bool {
    let id = file.view.region;
    let standing = file.draft().standing(id);
    let is_conflict = file.plan().conflict_of(id).is_some();
    let offers = |resolution: &Resolution| {
        let mut all = file.shown().choices.iter();
        all.any(|choice| choice.resolution == *resolution)
    };
    let finished = state.file(state.file).is_some_and(FileState::finished);
    match command {
        Command::NextOpen | Command::PrevOpen => {
            file.draft().open().any(|other| other != id) || file.draft().open().next().is_none()
        }
        Command::TakeProposal => file.view.choice.is_some() || file.proposal(id).is_some(),
        Command::Take(Version::Base) => offers(&Resolution::Take(Version::Base)),
        Command::Take(_) | Command::Pick | Command::NextChoice => is_conflict,
        Command::Both(side) => {
            let key = if side == Side::Ours { "a" } else { "A" };
            file.shown().choices.iter().any(|choice| choice.key == key)
        }
        Command::Drop => offers(&Resolution::Drop),
        Command::Reindent(_) => is_conflict,
        Command::TakeAlong => file.draft().is_open(id) && moved_edit(state).is_some(),
        Command::WriteFile => !finished && file.draft().open().next().is_none(),
        Command::Undo => !file.opened.session().steps().is_empty(),
        Command::Redo => file.opened.session().redoable().is_some(),
        Command::SameAgain => {
            is_conflict && matches!(standing, RegionState::Settled(_) | RegionState::ByHand)
        }
        Command::SettleLikely => file.opened.proposals().next().is_some(),
        Command::NextRuled => file.draft().ruled().next().is_some(),
        Command::Decline => !is_conflict && file.plan().region(id).kind != RegionKind::Unchanged,
        Command::Reopen => is_conflict && !matches!(standing, RegionState::Open),
        Command::NextFile => state.files.len() > 1,
        Command::Move(Motion::Right) => file.view.cut,
        _ => true,
    }
}

fn works_on_accord(state: &State, command: Command) -> bool {
    let idle = state.situation.is_idle();
    let operation = state.situation.operation;
    match command {
        Command::Conclude | Command::BackOut => operation != Operation::Loose,
        Command::EditMessage => operation.takes_message(),
        Command::Skip => operation.can_skip(),
        Command::ShowStaged => !idle,
        Command::DropStash => droppable_stash(state).is_some(),
        Command::RemoveBackups => !state.accord.leftovers.is_empty(),
        _ => true,
    }
}

fn works_on_proof(state: &State, command: Command) -> bool {
    match command {
        Command::Accept => state.proof.rows() > 0,
        Command::StageAgain => {
            let chosen = state.proof.chosen_finding();
            chosen.is_some_and(|found| found.finding.check == armistice_core::Check::Unstaged)
        }
        Command::ReplaceName => {
            let chosen = state.proof.chosen_finding();
            chosen.is_some_and(|found| found.finding.renamed.is_some())
        }
        Command::RunChecks | Command::CheckOutput => !state.proof.checks.all.is_empty(),
        Command::StopChecks => state.proof.at_work.is_some(),
        _ => true,
    }
}
