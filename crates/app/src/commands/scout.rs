//! `scout`: what would happen if the current branch met another line, on the plain command line.

use crate::base::json::json_text;
use crate::base::safe_text::{count, visible};
use crate::case::foresee::{Forecast, ForeseenStep, Foreseer, Question, StepEnd, Weight};
use crate::case::propose::RuleSettings;
use crate::case::trust::settings_of;
use crate::commands::cli::{As, Level};
use crate::commands::exit::Exit;
use crate::commands::output::{raw, say};
use crate::view::scout::{
    assumption_words, obstacle_words, relation_words, step_words, weight_words,
};
use anyhow::{Result, bail};
use armistice_core::Side;
use armistice_git::{
    Cancel, Commit, Counterpart, PathFinding, Relation, RepoPath, Repository, Situation, TreeState,
    Undertaking, counterparts,
};
use serde::Serialize;

impl From<As> for Undertaking {
    fn from(undertaking: As) -> Self {
        match undertaking {
            As::Merge => Undertaking::Merge,
            As::Rebase => Undertaking::Rebase,
            As::Pick => Undertaking::Pick,
            As::Revert => Undertaking::Revert,
        }
    }
}

#[derive(Serialize)]
struct ScoutJson<'a> {
    undertaking: Undertaking,
    other: &'a str,
    command: String,
    ours: &'a Commit,
    theirs: &'a Commit,
    relation: Relation,
    ahead: usize,
    behind: usize,
    base: Option<&'a Commit>,
    tree: &'a TreeState,
    /// Files for which git would refuse to begin.
    in_the_way: &'a [RepoPath],
    /// Ignored files that git would replace, and untracked ones at which a later step would stop.
    overwritten: &'a [RepoPath],
    in_the_way_later: &'a [(usize, RepoPath)],
    /// What settings make of the command.
    notes: &'a [String],
    /// Why git would not begin.
    refused: Option<&'a str>,
    conflicts: usize,
    by_rule: usize,
    offered: usize,
    open: usize,
    remembered: usize,
    steps: Vec<StepJson<'a>>,
    weighed: Option<WeighedJson>,
    /// The side that estimates take for what stays open, and the numbers if it were the other.
    assumed: Side,
    otherwise: Option<Weight>,
    /// What git would leave, if nothing clashes.
    result_tree: Option<&'a str>,
}

#[derive(Serialize)]
struct WeighedJson {
    merge: Weight,
    rebase: Weight,
}

#[derive(Serialize)]
struct StepJson<'a> {
    commit: Option<&'a Commit>,
    end: StepEnd,
    is_estimate: bool,
    /// The earlier step, from 1, of which a conflict returns.
    repeats: Option<usize>,
    files: &'a [crate::case::foresee::ForeseenFile],
    merged_by_git: CleanJson,
    findings: &'a [PathFinding],
}

#[derive(Serialize)]
struct CleanJson {
    ours: usize,
    theirs: usize,
    both: usize,
}

/// The question that somebody asks on the command line: the most likely counterpart if none is named.
pub(crate) fn question(
    repo: &Repository,
    other: Option<String>,
    undertaking: Undertaking,
    assumed: Side,
) -> Result<Question> {
    if repo.resolve("HEAD")?.is_none() {
        bail!("this repository has no commits yet: there is nothing to merge or rebase");
    }
    let name = match other {
        Some(name) => name,
        None => match counterparts(repo)?.into_iter().find(is_line) {
            Some(found) => found.name,
            None => bail!("this repository has no other branch; name a commit"),
        },
    };
    Ok(Question {
        undertaking,
        name,
        assumed,
    })
}

/// Whether it is a line of its own, not one of the own commits.
fn is_line(found: &Counterpart) -> bool {
    found.kind != armistice_git::CounterpartKind::Commit
}

/// Says what would happen.
pub(crate) fn scout(
    repo: &Repository,
    question: &Question,
    settle: Option<Level>,
    json: bool,
) -> Result<Exit> {
    let situation = Situation::read(repo)?;
    if !situation.is_idle() {
        bail!(
            "a {} is in progress: conclude or abort it first ('armistice docket')",
            situation.operation.name()
        );
    }
    let mut rules = RuleSettings::new(&situation, &settings_of(repo)?);
    if let Some(level) = settle {
        rules.settings.settle = level.into();
    }
    let cancel = Cancel::default();
    let foreseer = Foreseer {
        repo,
        now: Some(&situation),
        rules: &rules,
        cancel: &cancel,
        tell: &|_| {},
    };
    let (forecast, _sandbox) = foreseer.look(question)?;
    match json {
        true => raw((json_text(&as_json(&forecast))? + "\n").as_bytes()),
        false => print(&forecast),
    }
    // What stands in the way here says nothing about whether both lines still merge.
    let asks = forecast.refused.is_some() || forecast.has_open() || forecast.findings() > 0;
    Ok(match asks {
        true => Exit::Open,
        false => Exit::Done,
    })
}

fn sum(forecast: &Forecast, of: impl Fn(&crate::case::foresee::ForeseenFile) -> usize) -> usize {
    let files = forecast.steps.iter().flat_map(|step| &step.files);
    files.map(of).sum()
}

fn step_json(step: &ForeseenStep) -> StepJson<'_> {
    let [ours, theirs, both] = step.clean.counts();
    StepJson {
        commit: step.commit.as_ref(),
        end: step.end,
        is_estimate: step.is_estimate,
        repeats: step.repeats,
        files: &step.files,
        merged_by_git: CleanJson { ours, theirs, both },
        findings: &step.clean.findings,
    }
}

fn as_json(forecast: &Forecast) -> ScoutJson<'_> {
    let meeting = &forecast.meeting;
    let steps = forecast.steps.iter().map(step_json);
    ScoutJson {
        undertaking: forecast.question.undertaking,
        other: &forecast.question.name,
        command: forecast.question.command(),
        ours: &meeting.ours,
        theirs: &meeting.theirs,
        relation: meeting.relation,
        ahead: meeting.ahead,
        behind: meeting.behind,
        base: meeting.lines.base.as_ref(),
        tree: &forecast.tree,
        in_the_way: &forecast.obstacles.refused,
        overwritten: &forecast.obstacles.overwritten,
        in_the_way_later: &forecast.obstacles.later,
        notes: &forecast.notes,
        refused: forecast.refused.as_deref(),
        conflicts: sum(forecast, |file| file.conflicts),
        by_rule: sum(forecast, |file| file.by_rule),
        offered: sum(forecast, |file| file.offered),
        open: sum(forecast, |file| file.open),
        remembered: sum(forecast, |file| file.remembered),
        steps: steps.collect(),
        weighed: forecast
            .weighed
            .map(|[merge, rebase]| WeighedJson { merge, rebase }),
        assumed: forecast.question.assumed,
        otherwise: forecast.otherwise,
        result_tree: forecast.tree(),
    }
}

fn print(forecast: &Forecast) {
    let meeting = &forecast.meeting;
    say!("{}", forecast.question.command());
    let line = |mark: &str, commit: &Commit| {
        format!("  {mark}  {} {}", commit.short, visible(&commit.subject))
    };
    let is_rebase = forecast.question.undertaking == Undertaking::Rebase;
    let parties = match is_rebase {
        // As git calls them while it rebases: its own line is what comes.
        true => [("onto", &meeting.theirs), ("your commits", &meeting.ours)],
        false => [("ours", &meeting.ours), ("theirs", &meeting.theirs)],
    };
    for (name, commit) in parties {
        say!("{}", line(&format!("{name:<12}"), commit));
    }
    let [ours_word, theirs_word] = match is_rebase {
        true => [
            format!("onto {}", forecast.question.name),
            "your commit".to_owned(),
        ],
        false => ["ours".to_owned(), "theirs".to_owned()],
    };
    say!("  {}", relation_words(meeting));
    if let Some(why) = &forecast.refused {
        say!("git would refuse: {why}");
    }
    for (text, named) in obstacle_words(forecast) {
        say!("{text}:");
        for path in named {
            say!("  {path}");
        }
    }
    for note in &forecast.notes {
        say!("  {note}");
    }
    let is_rebase = forecast.has_steps();
    for (nth, step) in (1..).zip(&forecast.steps) {
        if let (true, Some(commit)) = (is_rebase, &step.commit) {
            say!(
                "{nth} of {}  {} {}: {}",
                forecast.steps_to_come,
                commit.short,
                visible(&commit.subject),
                step_words(step)
            );
        }
        for file in &step.files {
            let [ours, theirs] = &file.did;
            let offered = match file.offered {
                0 => String::new(),
                n => format!(" · {n} suggested"),
            };
            say!(
                "  {}: {} of {} open{offered}; {ours_word} {ours}, {theirs_word} {theirs}",
                file.path,
                file.open,
                file.conflicts
            );
        }
        let [ours, theirs, both] = step.clean.counts();
        if ours + theirs + both > 0 {
            say!(
                "  {} merged by git: {ours} changed by {ours_word}, {theirs} by {theirs_word}, {both} by both",
                count(ours + theirs + both, "file")
            );
        }
        for found in &step.clean.findings {
            let line = found.finding.line.map_or(0, |line| line.number());
            say!(
                "  ! {}:{line}: {}",
                found.path,
                visible(&found.finding.what)
            );
        }
    }
    if forecast.left_out() > 0 {
        say!(
            "! {} not foreseen",
            count(forecast.left_out(), "later step")
        );
    }
    for text in assumption_words(forecast).into_iter().flatten() {
        say!("{text}");
    }
    if let Some([merge, rebase]) = &forecast.weighed {
        say!(
            "as a merge: {}; as a rebase: {}",
            weight_words(merge),
            weight_words(rebase)
        );
    }
}
