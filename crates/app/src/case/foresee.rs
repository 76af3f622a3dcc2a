//! What would happen if two lines met: git's own merge in memory, and the rules over what it would
//! leave; for a rebase step by step.
//!
//! Nothing of the repository changes by looking. Decisions that were tried out count like any other:
//! they lie under the same versions.

use crate::base::party_words::PartyWords;
use crate::case::foresee_words::{notes, refusal, step_label};
use crate::case::load::CaseLoad;
use crate::case::opened::OpenedFile;
use crate::case::propose::RuleSettings;
use crate::case::service::CaseService;
use armistice_core::{Certainty, Entry, RegionId, RegionState, Resolution, Side, Version};
use armistice_git::{
    Beginning, Cancel, Case, CaseKind, CleanFiles, CommandSettings, Commit, Error, Meeting,
    MergedTree, Obstacles, Relation, Replayed, ReplayedCommit, RepoPath, Repository, Sandbox,
    SettledContent, SettledFile, Situation, TreeState, Undertaking, begin_words, meeting, party,
    picked, replayed,
};
use serde::Serialize;
use std::collections::HashMap;
use std::time::{Duration, Instant};

/// What is asked for.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize)]
pub struct Question {
    pub undertaking: Undertaking,
    /// The other line, as git takes it; a range of commits where they are picked or undone.
    pub name: String,
    /// The side that conflicts which stay open are taken to be settled by, where later steps stand
    /// on them.
    pub assumed: Side,
}

impl Question {
    /// What would happen, with open conflicts taken as ours has them.
    pub fn new(undertaking: Undertaking, name: impl Into<String>) -> Self {
        Question {
            undertaking,
            name: name.into(),
            assumed: Side::Ours,
        }
    }

    /// The range of commits that is picked or undone, if it is one.
    fn range(&self) -> Option<&str> {
        let takes_one = matches!(self.undertaking, Undertaking::Pick | Undertaking::Revert);
        Some(self.name.as_str()).filter(|name| takes_one && name.contains(".."))
    }

    /// The very command that begins it.
    pub fn command(&self) -> String {
        let words = begin_words(self.undertaking, &self.name);
        format!("git {}", words.join(" "))
    }
}

/// One file that would be in conflict.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ForeseenFile {
    pub path: RepoPath,
    /// What kind of conflict it would be.
    pub kind: CaseKind,
    /// What each side did, in words.
    pub did: [String; 2],
    /// Whether it has lines to be merged; else it is one question as a whole.
    pub has_lines: bool,
    /// What git would leave open.
    pub conflicts: usize,
    /// Of those, what a rule settles for certain.
    pub by_rule: usize,
    /// What a rule offers.
    pub offered: usize,
    /// What would be open, offered ones among them.
    pub open: usize,
    /// What was settled alike before.
    pub remembered: usize,
    /// What somebody has decided already, trying it out.
    pub decided: usize,
    /// Whether its conflicts are still to be read: until then nothing is counted.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub pending: bool,
}

/// How a step ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum StepEnd {
    /// Nothing clashes.
    Clean,
    /// Nothing is left of it.
    Empty,
    /// git stops, and rules settle all of it.
    Settled,
    /// git stops, and something is open.
    Open,
    /// git stops, because nothing is left of it: a person skips or keeps it.
    EmptyStop,
}

impl StepEnd {
    /// Whether git stops there.
    pub fn stops(self) -> bool {
        !matches!(self, StepEnd::Clean | StepEnd::Empty)
    }
}

/// One stop of what is foreseen: the only one, or one commit of a rebase.
#[derive(Clone, Debug)]
pub struct ForeseenStep {
    pub end: StepEnd,
    /// The commit that is made again or undone; none in a merge.
    pub commit: Option<Commit>,
    pub situation: Box<Situation>,
    pub files: Vec<ForeseenFile>,
    pub clean: CleanFiles,
    /// Whether steps before it left something open, so that it stands on what rules would leave.
    pub is_estimate: bool,
    /// The earlier step, counted from 1, in which one of its conflicts stood already.
    pub repeats: Option<usize>,
}

/// How much work something would be.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Weight {
    /// Conflicts that a person would be asked about.
    pub questions: usize,
    /// How often git would stop.
    pub stops: usize,
    /// Stops at which an earlier conflict returns.
    pub repeats: usize,
}

/// What would happen.
#[derive(Clone, Debug)]
pub struct Forecast {
    pub question: Question,
    pub meeting: Meeting,
    pub tree: TreeState,
    /// Files for which git would refuse to begin, stop later, or which it would replace.
    pub obstacles: Obstacles,
    /// What settings make of the command, and what is not foreseen because of them, a sentence each.
    pub notes: Vec<String>,
    /// Why it cannot be begun at all, in words.
    pub refused: Option<String>,
    pub steps: Vec<ForeseenStep>,
    /// How many steps there are, foreseen or not yet.
    pub steps_to_come: usize,
    /// The same as merge and as rebase, where both can be weighed.
    pub weighed: Option<[Weight; 2]>,
    /// How much work it would be if open conflicts were settled by the other side than is assumed,
    /// where that makes a difference.
    pub otherwise: Option<Weight>,
}

impl Forecast {
    /// Whether it is done commit by commit.
    pub fn has_steps(&self) -> bool {
        self.question.undertaking == Undertaking::Rebase || self.question.range().is_some()
    }

    /// How much work it would be.
    pub fn weight(&self) -> Weight {
        weight(&self.steps)
    }

    /// Whether something would be open, or may be in steps that are not foreseen.
    pub fn has_open(&self) -> bool {
        let asks = |step: &ForeseenStep| matches!(step.end, StepEnd::Open | StepEnd::EmptyStop);
        self.left_out() > 0 || self.steps.iter().any(asks)
    }

    /// How many findings there are in files that git merges by itself.
    pub fn findings(&self) -> usize {
        self.steps
            .iter()
            .map(|step| step.clean.findings.len())
            .sum()
    }

    /// The tree that the last step would leave, if it leaves nothing open.
    pub fn tree(&self) -> Option<&str> {
        let last = self.steps.last().filter(|_| !self.has_open())?;
        let is_clean = self.steps.iter().all(|step| !step.end.stops());
        let foreseen = last.situation.foreseen.as_ref().filter(|_| is_clean)?;
        Some(foreseen.tree())
    }

    /// Steps beyond [`STEPS`], which are not foreseen.
    pub fn left_out(&self) -> usize {
        self.steps_to_come.saturating_sub(STEPS)
    }
}

fn weight(steps: &[ForeseenStep]) -> Weight {
    let stops = |step: &&ForeseenStep| step.end.stops();
    let files = steps.iter().flat_map(|step| &step.files);
    Weight {
        questions: files.map(|file| file.open).sum(),
        stops: steps.iter().filter(stops).count(),
        repeats: steps.iter().filter(|step| step.repeats.is_some()).count(),
    }
}

/// Own commits that are foreseen of a rebase; how many more there are is said.
pub const STEPS: usize = 400;

/// Conflicted files up to which the other of merge and rebase is worked out for a comparison: it takes
/// as long again.
const WEIGHED_FILES: usize = 100;

/// Files that are read at a time before a merge goes on to the next.
const PORTION: usize = 32;
/// How often the files read so far are handed over.
const TELL_INTERVAL: Duration = Duration::from_millis(250);

/// The first steps that are reported one by one, and every how many later ones.
const TOLD: usize = 10;

/// What is needed to look.
pub struct Foreseer<'a> {
    pub repo: &'a Repository,
    /// What is in progress, if that was read already.
    pub now: Option<&'a Situation>,
    pub rules: &'a RuleSettings,
    pub cancel: &'a Cancel,
    /// Called with what is known so far.
    pub tell: &'a dyn Fn(&Forecast),
}

impl Foreseer<'_> {
    /// Looks what would happen; what is found stays readable through the sandbox.
    ///
    /// # Errors
    /// If git fails or is stopped, or there is no such commit.
    pub fn look(&self, question: &Question) -> Result<(Forecast, Sandbox), Error> {
        let sandbox = Sandbox::new(self.repo, self.cancel)?;
        let forecast = self.look_in(&sandbox, question);
        sandbox.leave_untouched();
        Ok((forecast?, sandbox))
    }

    fn look_in(&self, sandbox: &Sandbox, question: &Question) -> Result<Forecast, Error> {
        let now = match self.now {
            Some(now) => now.clone(),
            None => Situation::read(self.repo)?,
        };
        let repo = self.repo.until(self.cancel);
        let no_commit = || Error::NoCommit {
            name: question.name.clone(),
        };
        // A range is described by its newest commit.
        let tip = match (question.range(), question.name.rsplit_once("..")) {
            (Some(_), Some((_, ""))) => "HEAD",
            (Some(_), Some((_, tip))) => tip.trim_start_matches('.'),
            (None, Some(_)) => return Err(no_commit()),
            _ => &question.name,
        };
        let meeting = meeting(&repo, tip)?.ok_or_else(no_commit)?;
        let settings = CommandSettings::read(&repo, now.branch.as_deref())?;
        let mut forecast = Forecast {
            refused: refusal(self.repo, question.undertaking, &meeting, &settings),
            notes: notes(question.undertaking, &meeting, &settings),
            question: question.clone(),
            tree: TreeState::read(&repo)?,
            meeting,
            obstacles: Obstacles::default(),
            steps: Vec::new(),
            steps_to_come: 0,
            weighed: None,
            otherwise: None,
        };
        (self.tell)(&forecast);
        if forecast.refused.is_some()
            || forecast.meeting.relation == Relation::Contained
                && question.undertaking == Undertaking::Merge
        {
            return Ok(forecast);
        }
        let look = Look {
            sandbox,
            service: CaseService::new(sandbox.repo().clone()),
            rules: self.rules,
            now: &now,
            settings,
        };
        let added = self.all_steps(&look, &mut forecast)?;
        self.obstacles(&look, &mut forecast, &added)?;
        (self.tell)(&forecast);
        let quiet = Foreseer {
            tell: &|_| {},
            ..*self
        };
        let is_weighed = matches!(
            question.undertaking,
            Undertaking::Merge | Undertaking::Rebase
        ) && matches!(forecast.meeting.relation, Relation::Parted(_));
        let files: usize = forecast.steps.iter().map(|step| step.files.len()).sum();
        if is_weighed && files > WEIGHED_FILES {
            let note = format!(
                "merge and rebase are not compared: more than {WEIGHED_FILES} files conflict"
            );
            forecast.notes.push(note);
        } else if is_weighed {
            quiet.weigh(&look, &mut forecast)?;
            (self.tell)(&forecast);
        }
        if forecast.steps.iter().any(|step| step.is_estimate) {
            let mut other = forecast.clone();
            other.question.assumed = question.assumed.other();
            other.steps.clear();
            quiet.all_steps(&look, &mut other)?;
            let weight = other.weight();
            forecast.otherwise = (weight != forecast.weight()).then_some(weight);
        }
        Ok(forecast)
    }

    /// Foresees every step; the files that each of them adds.
    fn all_steps(
        &self,
        look: &Look<'_>,
        forecast: &mut Forecast,
    ) -> Result<Vec<(usize, RepoPath)>, Error> {
        match forecast.question.undertaking {
            Undertaking::Merge => self.merge(look, forecast).map(|()| Vec::new()),
            Undertaking::Rebase => {
                let name = forecast.question.name.clone();
                let repo = self.repo.until(self.cancel);
                let Replayed { commits, dropped } = replayed(&repo, &name)?;
                let is_dropped = |commit: &Commit| {
                    let (short, subject) = (&commit.short, &commit.subject);
                    format!("git drops {short} {subject}: {name} already has the same change")
                };
                forecast.notes.extend(dropped.iter().map(is_dropped));
                let added = (1..).zip(&commits).flat_map(|(step, commit)| {
                    let paths = commit.added.iter().cloned();
                    paths.map(move |path| (step, path))
                });
                let mut added: Vec<(usize, RepoPath)> = added.collect();
                added.sort();
                let tip = forecast.meeting.theirs.oid.clone();
                let tip = self.replay(look, forecast, commits, tip)?;
                self.names_after(look, forecast, &tip)?;
                Ok(added)
            }
            undertaking => {
                let repo = self.repo.until(self.cancel);
                let newest_first = undertaking == Undertaking::Revert;
                let commits = match forecast.question.range() {
                    Some(range) => picked(&repo, range, newest_first)?,
                    None => picked(&repo, &forecast.meeting.theirs.oid, newest_first)?,
                };
                let tip = forecast.meeting.ours.oid.clone();
                self.replay(look, forecast, commits, tip)?;
                Ok(Vec::new())
            }
        }
    }

    /// One merge.
    fn merge(&self, look: &Look<'_>, forecast: &mut Forecast) -> Result<(), Error> {
        let (ours, theirs) = (&forecast.meeting.ours, &forecast.meeting.theirs);
        let name = &forecast.question.name;
        let branch = look.now.ours.label.clone();
        let base = match forecast.meeting.relation {
            Relation::FastForward => Some(ours.oid.as_str()),
            _ => None,
        };
        let labels = Some(["HEAD", name.as_str()]);
        let merged = match look.settings.strategy.as_deref() {
            Some("ours") if base.is_none() => {
                let tree = look.sandbox.tree_of(&ours.oid)?;
                look.sandbox.merged_as(tree, &ours.oid, &theirs.oid)
            }
            _ => {
                let options = &look.settings.strategy_options;
                (look.sandbox).merge(base, &ours.oid, &theirs.oid, labels, options)?
            }
        };
        let parties = [party(&branch, ours), party(name, theirs)];
        let step = look.begun_step(Undertaking::Merge, parties, &merged, None);
        forecast.steps.push(step);
        // The files first, then the conflicts in them as they are read.
        let mut told = Instant::now();
        (self.tell)(forecast);
        let last = forecast.steps.len() - 1;
        let mut first = 0;
        while let Some(some) = forecast.steps[last].situation.cases.get(first..)
            && !some.is_empty()
        {
            let some = some[..some.len().min(PORTION)].to_vec();
            let loads = look.load(&some, &forecast.steps[last].situation);
            for (nth, (case, load)) in some.iter().zip(&loads).enumerate() {
                forecast.steps[last].files[first + nth] = foreseen_file(case, load);
            }
            first += some.len();
            if self.cancel.is_cancelled() {
                return Err(Error::Cancelled);
            }
            if told.elapsed() > TELL_INTERVAL {
                (self.tell)(forecast);
                told = Instant::now();
            }
        }
        look.end_step(&mut forecast.steps[last])
    }

    /// Commits made again or undone one after the other, each on what the ones before would leave;
    /// the commit that would be there in the end.
    fn replay(
        &self,
        look: &Look<'_>,
        forecast: &mut Forecast,
        commits: Vec<ReplayedCommit>,
        mut tip: String,
    ) -> Result<String, Error> {
        let undertaking = forecast.question.undertaking;
        let (name, assumed) = (forecast.question.name.clone(), forecast.question.assumed);
        forecast.steps_to_come = commits.len();
        let total = commits.len();
        let mut known = Known::default();
        let mut is_estimate = false;
        for (nth, replayed) in (1..).zip(commits.into_iter().take(STEPS)) {
            let parent = replayed.only_parent(look.sandbox.repo())?;
            let commit = replayed.commit;
            let Some(parent) = parent else {
                let why = format!(
                    "{} is a merge: git needs -m to choose its main parent",
                    commit.short
                );
                match nth {
                    1 => forecast.refused = Some(why),
                    _ => forecast
                        .notes
                        .push(format!("git stops at step {nth}: {why}")),
                }
                forecast.steps_to_come = nth - 1;
                return Ok(tip);
            };
            let (base, other) = match undertaking {
                Undertaking::Revert => (commit.oid.clone(), parent.clone()),
                _ => (parent.clone(), commit.oid.clone()),
            };
            let aside = step_label(undertaking, &commit);
            let labels = Some(["HEAD", aside.as_str()]);
            let merged = (look.sandbox).merge(Some(&base), &tip, &other, labels, &[])?;
            let parties = match undertaking {
                Undertaking::Rebase => {
                    let mut onto = forecast.meeting.theirs.clone();
                    onto.oid.clone_from(&tip);
                    [
                        party(&format!("onto {name}"), &onto),
                        party(&format!("your commit {nth} of {total}"), &commit),
                    ]
                }
                _ => {
                    let label = match undertaking {
                        Undertaking::Pick => "the picked commit".to_owned(),
                        _ => format!("without {}", commit.short),
                    };
                    let mut ours = forecast.meeting.ours.clone();
                    ours.oid.clone_from(&tip);
                    [party(&look.now.ours.label, &ours), party(&label, &commit)]
                }
            };
            let (mut step, loads) =
                look.step(undertaking, parties, &merged, Some(commit.clone()))?;
            step.is_estimate = is_estimate;
            let (settled, keys) = result_of(&step.situation.cases, &loads, assumed);
            step.repeats = known.earlier(&keys);
            known.put(keys, nth);
            is_estimate |= step.end == StepEnd::Open;
            let next = look.sandbox.commit(&merged.tree, &settled, &tip)?;
            let leaves_nothing = look.sandbox.tree_of(&next)? == look.sandbox.tree_of(&tip)?;
            match (leaves_nothing, step.end, undertaking) {
                // A rebase keeps a commit that was empty from the start, and drops others by itself.
                (true, StepEnd::Clean, Undertaking::Rebase) => {
                    let was_empty =
                        look.sandbox.tree_of(&commit.oid)? == look.sandbox.tree_of(&parent)?;
                    if was_empty {
                        tip = next;
                    } else {
                        step.end = StepEnd::Empty;
                    }
                }
                (true, StepEnd::Clean, _) => step.end = StepEnd::EmptyStop,
                (true, StepEnd::Settled, _) => {}
                _ => tip = next,
            }
            forecast.steps.push(step);
            // Each time all steps so far are handed over.
            if nth <= TOLD || nth % TOLD == 0 {
                (self.tell)(forecast);
            }
        }
        Ok(tip)
    }

    /// Names that went, over both lines of a rebase and its result: reported with the last step.
    fn names_after(
        &self,
        look: &Look<'_>,
        forecast: &mut Forecast,
        tip: &str,
    ) -> Result<(), Error> {
        let meeting = &forecast.meeting;
        if forecast.steps.is_empty() || !matches!(meeting.relation, Relation::Parted(_)) {
            return Ok(());
        }
        let tree = look.sandbox.tree_of(tip)?;
        let mut merged = look
            .sandbox
            .merged_as(tree, &meeting.theirs.oid, &meeting.ours.oid);
        look.sandbox.find_bases(&mut merged)?;
        let name = format!("onto {}", forecast.question.name);
        let parties = [
            party(&name, &meeting.theirs),
            party("your commits", &meeting.ours),
        ];
        let situation = look
            .sandbox
            .situation(look.now, Undertaking::Rebase, parties, &merged);
        let clean = look.sandbox.merged_by_git(&situation)?;
        // Which side is "ours" in a rebase is never clear: each is called by its name.
        let names = PartyWords::new(forecast.question.name.as_str(), "your commits");
        let mut findings = clean.findings;
        for found in &mut findings {
            found.finding.what = names.put_into(&found.finding.what);
        }
        if let Some(last) = forecast.steps.last_mut() {
            last.clean = CleanFiles {
                files: Vec::new(),
                findings,
            };
        }
        Ok(())
    }

    fn obstacles(
        &self,
        look: &Look<'_>,
        forecast: &mut Forecast,
        later: &[(usize, RepoPath)],
    ) -> Result<(), Error> {
        let undertaking = forecast.question.undertaking;
        let to = match (undertaking, forecast.steps.first()) {
            (Undertaking::Rebase, _) => Some(forecast.meeting.theirs.oid.clone()),
            (_, Some(step)) => (step.situation.foreseen.as_ref()).map(|f| f.tree().to_owned()),
            _ => None,
        };
        if let Some(to) = to {
            let beginning = Beginning {
                undertaking,
                forward: forecast.meeting.relation == Relation::FastForward,
                to: &to,
                settings: &look.settings,
                later,
            };
            let repo = self.repo.until(self.cancel);
            forecast.obstacles =
                Obstacles::read(&repo, look.sandbox.repo(), &forecast.tree, &beginning)?;
        }
        Ok(())
    }

    /// The same as merge and as rebase.
    fn weigh(&self, look: &Look<'_>, forecast: &mut Forecast) -> Result<(), Error> {
        let own = forecast.weight();
        let mut other = Forecast {
            steps: Vec::new(),
            ..forecast.clone()
        };
        forecast.weighed = match forecast.question.undertaking {
            Undertaking::Merge => {
                other.question.undertaking = Undertaking::Rebase;
                self.all_steps(look, &mut other)?;
                (other.left_out() == 0).then(|| [own, other.weight()])
            }
            _ => {
                other.question.undertaking = Undertaking::Merge;
                self.all_steps(look, &mut other)?;
                (forecast.left_out() == 0).then(|| [other.weight(), own])
            }
        };
        Ok(())
    }
}

/// What base, ours and theirs have where they clash.
type Texts = [Vec<u8>; 3];

/// A conflict of a file by its texts.
type Clash = (RepoPath, Texts);

/// Conflicts of the steps so far, each with its step.
#[derive(Default)]
struct Known {
    /// By their three texts.
    texts: HashMap<Texts, usize>,
    /// By file, the lines that a step's own commit put where it clashed: the next commit that changes one of
    /// them clashes there again.
    made: HashMap<(RepoPath, Vec<u8>), usize>,
}

/// Letters and digits that a line must have to tell one place from another.
const TELLING: usize = 6;

/// The lines of a text that tell one place from another, without blanks around them.
fn telling_lines(text: &[u8]) -> impl Iterator<Item = &[u8]> {
    let lines = text.split(|b| *b == b'\n').map(<[u8]>::trim_ascii);
    lines.filter(|line| line.iter().filter(|b| b.is_ascii_alphanumeric()).count() >= TELLING)
}

impl Known {
    /// The step in which one of these conflicts stood already, or of which one goes on.
    fn earlier(&self, conflicts: &[Clash]) -> Option<usize> {
        let one = |(path, texts): &Clash| {
            let of_line = |line: &[u8]| self.made.get(&(path.clone(), line.to_vec()));
            let goes_on = || telling_lines(&texts[0]).find_map(of_line);
            self.texts.get(texts).or_else(goes_on).copied()
        };
        conflicts.iter().find_map(one)
    }

    fn put(&mut self, conflicts: Vec<Clash>, step: usize) {
        for (path, texts) in conflicts {
            let [base, _, theirs] = &texts;
            let before: Vec<&[u8]> = telling_lines(base).collect();
            for line in telling_lines(theirs).filter(|line| !before.contains(line)) {
                self.made
                    .entry((path.clone(), line.to_vec()))
                    .or_insert(step);
            }
            self.texts.entry(texts).or_insert(step);
        }
    }
}

/// One sandbox and what is asked over it.
struct Look<'a> {
    sandbox: &'a Sandbox,
    service: CaseService,
    rules: &'a RuleSettings,
    now: &'a Situation,
    settings: CommandSettings,
}

impl Look<'_> {
    /// A step whose files are known, and not yet read.
    fn begun_step(
        &self,
        undertaking: Undertaking,
        parties: [armistice_git::Party; 2],
        merged: &MergedTree,
        commit: Option<Commit>,
    ) -> ForeseenStep {
        let situation = self
            .sandbox
            .situation(self.now, undertaking, parties, merged);
        let files: Vec<ForeseenFile> = situation.cases.iter().map(pending_file).collect();
        ForeseenStep {
            end: match files.is_empty() {
                true => StepEnd::Clean,
                false => StepEnd::Open,
            },
            commit,
            situation: Box::new(situation),
            files,
            clean: CleanFiles::default(),
            is_estimate: false,
            repeats: None,
        }
    }

    /// Says how a step ends whose files are read.
    fn end_step(&self, step: &mut ForeseenStep) -> Result<(), Error> {
        step.end = match step.files.iter().map(|file| file.open).sum::<usize>() {
            _ if step.files.is_empty() => StepEnd::Clean,
            0 => StepEnd::Settled,
            _ => StepEnd::Open,
        };
        let foreseen = step.situation.foreseen.as_ref();
        // A rebase reports them with its last step, over both lines.
        if foreseen.is_some_and(|foreseen| foreseen.undertaking != Undertaking::Rebase) {
            step.clean = self.sandbox.merged_by_git(&step.situation)?;
        }
        Ok(())
    }

    fn step(
        &self,
        undertaking: Undertaking,
        parties: [armistice_git::Party; 2],
        merged: &MergedTree,
        commit: Option<Commit>,
    ) -> Result<(ForeseenStep, Vec<CaseLoad>), Error> {
        let mut step = self.begun_step(undertaking, parties, merged, commit);
        let cases = &step.situation.cases;
        let loads = self.load(cases, &step.situation);
        let files = cases.iter().zip(&loads);
        step.files = files
            .map(|(case, load)| foreseen_file(case, load))
            .collect();
        self.end_step(&mut step)?;
        Ok((step, loads))
    }

    fn load(&self, cases: &[Case], situation: &Situation) -> Vec<CaseLoad> {
        let rules = RuleSettings::new(situation, &self.rules.settings);
        let portions = cases.chunks(256);
        portions
            .flat_map(|some| self.service.load(some, &rules))
            .collect()
    }
}

/// What rules would leave of the files of a step, and its conflicts by their texts.
fn result_of(cases: &[Case], loads: &[CaseLoad], assumed: Side) -> (Vec<SettledFile>, Vec<Clash>) {
    let mut settled = Vec::new();
    let mut keys = Vec::new();
    for (case, load) in cases.iter().zip(loads) {
        // Whatever git put aside goes; what the case leaves stands at its path.
        for path in case.paths().filter(|path| **path != case.path) {
            settled.push(SettledFile {
                path: path.clone(),
                content: SettledContent::Gone,
            });
        }
        let side = case.stages.all()[Version::from(assumed) as usize];
        let content = match (load, side) {
            (CaseLoad::Lines(open), _) => {
                let ids = open.plan().conflicts().iter();
                keys.extend(ids.map(|id| (case.path.clone(), key(open, *id))));
                SettledContent::Text(case.stages.merged_mode(), estimate(open, assumed))
            }
            (_, Some(stage)) => SettledContent::Entry(stage.clone()),
            (_, None) => SettledContent::Gone,
        };
        settled.push(SettledFile {
            path: case.path.clone(),
            content,
        });
    }
    (settled, keys)
}

/// A file in conflict, before its conflicts are read.
fn pending_file(case: &Case) -> ForeseenFile {
    ForeseenFile {
        path: case.path.clone(),
        kind: case.kind,
        did: case.words(),
        has_lines: false,
        conflicts: 1,
        by_rule: 0,
        offered: 0,
        open: 1,
        remembered: 0,
        decided: 0,
        pending: true,
    }
}

fn foreseen_file(case: &Case, load: &CaseLoad) -> ForeseenFile {
    let mut file = ForeseenFile {
        pending: false,
        ..pending_file(case)
    };
    match load {
        CaseLoad::Lines(open) => {
            let counts = open.counts();
            file.has_lines = true;
            file.conflicts = counts.conflicts;
            file.by_rule = counts.by_rule;
            file.open = counts.open;
            file.decided = counts.conflicts - counts.open - counts.by_rule;
            file.offered = open.proposals().count();
            let is_memory = |ruling: &&armistice_core::Ruling| {
                ruling.rule == MEMORY && ruling.certainty != Certainty::Hint
            };
            file.remembered = open.rulings().values().filter(is_memory).count();
            // Names or modes may be in question where no line is.
            let asks = case.name_clash().is_some() || case.stages.mode_clash().is_some();
            if asks {
                file.conflicts = file.conflicts.max(1);
                file.open = file.open.max(1);
            }
        }
        CaseLoad::Whole(whole) if whole.decided.is_some() => {
            (file.open, file.decided) = (0, 1);
        }
        _ => {}
    }
    file
}

/// The id of the rule that knows what was settled before.
const MEMORY: &str = "memory";

/// A conflict by its three texts.
fn key(open: &OpenedFile, id: RegionId) -> Texts {
    let plan = open.plan();
    let region = plan.region(id);
    [Version::Base, Version::Ours, Version::Theirs].map(|version| {
        let text = plan.versions().get(version);
        text.slice(region.lines(version)).to_vec()
    })
}

/// The text that is taken to come of a file: what rules settle and offer, and one side where something
/// stays open.
fn estimate(open: &OpenedFile, assumed: Side) -> Vec<u8> {
    let entry = |id: RegionId| {
        let offered = open.proposal(id);
        let offered = offered.and_then(|ruling| Entry::of_ruling(id, ruling, Certainty::Likely));
        offered.unwrap_or(Entry::Settle(id, Resolution::Take(assumed.into())))
    };
    let is_open = |id: &RegionId| matches!(open.draft().standing(*id), RegionState::Open);
    let ids = open.plan().conflicts().iter().copied();
    let entries: Vec<Entry> = ids.filter(is_open).map(entry).collect();
    open.draft_after(entries).bytes()
}
