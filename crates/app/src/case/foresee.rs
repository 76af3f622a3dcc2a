//! What would happen if two lines met: git's own merge in memory, and the rules over what it would
//! leave; for a rebase step by step.
//!
//! Nothing of the repository changes by looking. Decisions that were tried out count like any other:
//! they lie under the same versions.

use crate::case::load::CaseLoad;
use crate::case::opened::OpenedFile;
use crate::case::propose::RuleSettings;
use crate::case::service::CaseService;
use armistice_core::{Certainty, Entry, RegionId, RegionState, Resolution, Version};
use armistice_git::{
    Cancel, Case, CaseKind, CleanFiles, Commit, Error, Meeting, MergedTree, Relation, RepoPath,
    Repository, Sandbox, SettledContent, SettledFile, Situation, TreeState, Undertaking,
    begin_words, meeting, only_parent, party, replayed,
};
use serde::Serialize;
use std::collections::HashMap;

/// What is asked for.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize)]
pub struct Question {
    pub undertaking: Undertaking,
    /// The other line, as git takes it.
    pub name: String,
}

impl Question {
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
    /// Files for which git would refuse to begin.
    pub in_the_way: Vec<RepoPath>,
    /// Why it cannot be begun at all, in words.
    pub refused: Option<String>,
    pub steps: Vec<ForeseenStep>,
    /// How many steps there are, foreseen or not yet.
    pub steps_to_come: usize,
    /// The same as merge and as rebase, where both can be weighed.
    pub weighed: Option<[Weight; 2]>,
}

impl Forecast {
    /// How much work it would be.
    pub fn weight(&self) -> Weight {
        weight(&self.steps)
    }

    /// Whether something would be open, or may be in steps that are not foreseen.
    pub fn has_open(&self) -> bool {
        self.left_out() > 0 || self.steps.iter().any(|step| step.end == StepEnd::Open)
    }

    /// Steps beyond [`STEPS`], which are not foreseen.
    pub fn left_out(&self) -> usize {
        self.steps_to_come.saturating_sub(STEPS)
    }
}

fn weight(steps: &[ForeseenStep]) -> Weight {
    let stops = |step: &&ForeseenStep| matches!(step.end, StepEnd::Settled | StepEnd::Open);
    let files = steps.iter().flat_map(|step| &step.files);
    Weight {
        questions: files.map(|file| file.open).sum(),
        stops: steps.iter().filter(stops).count(),
        repeats: steps.iter().filter(|step| step.repeats.is_some()).count(),
    }
}

/// Own commits that are foreseen of a rebase; how many more there are is said.
pub const STEPS: usize = 400;

/// The first steps that are told one by one, and every how many later ones.
const TOLD: usize = 10;

/// What is needed to look.
pub struct Foreseer<'a> {
    pub repo: &'a Repository,
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
        let now = Situation::read(self.repo)?;
        let repo = self.repo.until(self.cancel);
        let Some(meeting) = meeting(&repo, &question.name)? else {
            return Err(Error::NoCommit {
                name: question.name.clone(),
            });
        };
        let mut forecast = Forecast {
            refused: refusal(self.repo, question.undertaking, &meeting),
            question: question.clone(),
            tree: TreeState::read(&repo)?,
            meeting,
            in_the_way: Vec::new(),
            steps: Vec::new(),
            steps_to_come: 0,
            weighed: None,
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
        };
        match question.undertaking {
            Undertaking::Rebase => self.rebase(&look, &mut forecast)?,
            _ => self.once(&look, &mut forecast)?,
        }
        self.in_the_way(&look, &mut forecast)?;
        (self.tell)(&forecast);
        if matches!(
            question.undertaking,
            Undertaking::Merge | Undertaking::Rebase
        ) && matches!(forecast.meeting.relation, Relation::Parted(_))
        {
            self.weigh(&look, &mut forecast)?;
            (self.tell)(&forecast);
        }
        Ok(forecast)
    }

    /// One merge, or one commit picked or undone.
    fn once(&self, look: &Look<'_>, forecast: &mut Forecast) -> Result<(), Error> {
        let (ours, theirs) = (&forecast.meeting.ours, &forecast.meeting.theirs);
        let name = &forecast.question.name;
        let branch = look.now.ours.label.clone();
        let step = match forecast.question.undertaking {
            Undertaking::Merge | Undertaking::Rebase => {
                let base = match forecast.meeting.relation {
                    Relation::FastForward => Some(ours.oid.as_str()),
                    _ => None,
                };
                let labels = Some(["HEAD", name.as_str()]);
                let merged = look.sandbox.merge(base, &ours.oid, &theirs.oid, labels)?;
                let parties = [party(&branch, ours), party(name, theirs)];
                look.step(Undertaking::Merge, parties, &merged, None)?.0
            }
            undertaking => {
                let parent = only_parent(look.sandbox.repo(), &theirs.oid)?;
                let Some(parent) = parent else {
                    forecast.refused = Some(format!(
                        "{} is a merge: git asks which of its parents counts as the main line (-m)",
                        theirs.short
                    ));
                    return Ok(());
                };
                let (base, other) = match undertaking {
                    Undertaking::Pick => (parent, theirs.oid.clone()),
                    _ => (theirs.oid.clone(), parent),
                };
                let aside = step_label(undertaking, theirs);
                let labels = Some(["HEAD", aside.as_str()]);
                let merged = (look.sandbox).merge(Some(&base), &ours.oid, &other, labels)?;
                let label = match undertaking {
                    Undertaking::Pick => "the picked commit".to_owned(),
                    _ => format!("without {}", theirs.short),
                };
                let parties = [party(&branch, ours), party(&label, theirs)];
                look.step(undertaking, parties, &merged, Some(theirs.clone()))?
                    .0
            }
        };
        forecast.steps.push(step);
        Ok(())
    }

    /// Every own commit made again on top of the other line, each on what the ones before would leave.
    fn rebase(&self, look: &Look<'_>, forecast: &mut Forecast) -> Result<(), Error> {
        let name = forecast.question.name.clone();
        let commits = replayed(look.sandbox.repo(), &name)?;
        forecast.steps_to_come = commits.len();
        let total = commits.len();
        let mut tip = forecast.meeting.theirs.oid.clone();
        let mut known = Known::default();
        let mut is_estimate = false;
        for (nth, commit) in (1..).zip(commits.into_iter().take(STEPS)) {
            let Some(parent) = only_parent(look.sandbox.repo(), &commit.oid)? else {
                continue;
            };
            let aside = step_label(Undertaking::Rebase, &commit);
            let labels = Some(["HEAD", aside.as_str()]);
            let merged = (look.sandbox).merge(Some(&parent), &tip, &commit.oid, labels)?;
            let mut onto = forecast.meeting.theirs.clone();
            onto.oid.clone_from(&tip);
            let parties = [
                party(&format!("onto {name}"), &onto),
                party(&format!("your commit {nth} of {total}"), &commit),
            ];
            let (mut step, loads) =
                look.step(Undertaking::Rebase, parties, &merged, Some(commit))?;
            step.is_estimate = is_estimate;
            let (settled, keys) = result_of(&step.situation.cases, &loads);
            step.repeats = known.earlier(&keys);
            known.put(keys, nth);
            is_estimate |= step.end == StepEnd::Open;
            let next = look.sandbox.commit(&merged.tree, &settled, &tip)?;
            let nothing_new = look.sandbox.tree_of(&next)? == look.sandbox.tree_of(&tip)?;
            if nothing_new && step.end != StepEnd::Open {
                step.end = StepEnd::Empty;
            } else {
                tip = next;
            }
            forecast.steps.push(step);
            // Each time all steps so far are handed over.
            if nth <= TOLD || nth % TOLD == 0 {
                (self.tell)(forecast);
            }
        }
        Ok(())
    }

    fn in_the_way(&self, look: &Look<'_>, forecast: &mut Forecast) -> Result<(), Error> {
        let undertaking = forecast.question.undertaking;
        let forward = forecast.meeting.relation == Relation::FastForward;
        let to = match (undertaking, forecast.steps.first()) {
            (Undertaking::Rebase, _) => Some(forecast.meeting.theirs.oid.clone()),
            (_, Some(step)) => step
                .situation
                .foreseen
                .as_ref()
                .map(|f| f.tree().to_owned()),
            _ => None,
        };
        if let Some(to) = to {
            forecast.in_the_way =
                (forecast.tree).in_the_way(look.sandbox.repo(), undertaking, forward, &to)?;
        }
        Ok(())
    }

    /// The same as merge and as rebase.
    fn weigh(&self, look: &Look<'_>, forecast: &mut Forecast) -> Result<(), Error> {
        let quiet = Foreseer {
            tell: &|_| {},
            ..*self
        };
        let own = forecast.weight();
        let mut other = Forecast {
            steps: Vec::new(),
            ..forecast.clone()
        };
        forecast.weighed = match forecast.question.undertaking {
            Undertaking::Merge => {
                other.question.undertaking = Undertaking::Rebase;
                quiet.rebase(look, &mut other)?;
                (other.left_out() == 0).then(|| [own, other.weight()])
            }
            _ => {
                other.question.undertaking = Undertaking::Merge;
                quiet.once(look, &mut other)?;
                (forecast.left_out() == 0).then(|| [other.weight(), own])
            }
        };
        Ok(())
    }
}

/// What git calls the other side of one commit that is made again or undone.
fn step_label(undertaking: Undertaking, commit: &Commit) -> String {
    match undertaking {
        Undertaking::Revert => format!("parent of {} ({})", commit.short, commit.subject),
        _ => format!("{} ({})", commit.short, commit.subject),
    }
}

/// Why git would not begin at all.
fn refusal(repo: &Repository, undertaking: Undertaking, meeting: &Meeting) -> Option<String> {
    match (undertaking, meeting.relation) {
        (Undertaking::Merge, Relation::Unrelated) if repo.common_dir().join("shallow").exists() => Some(
            "both lines share no commit as far as this clone reaches: it is shallow, git fetch --unshallow may tell more"
                .to_owned(),
        ),
        (Undertaking::Merge, Relation::Unrelated) => Some(
            "both lines share no commit: git merges them only with --allow-unrelated-histories"
                .to_owned(),
        ),
        _ => None,
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
}

impl Look<'_> {
    fn step(
        &self,
        undertaking: Undertaking,
        parties: [armistice_git::Party; 2],
        merged: &MergedTree,
        commit: Option<Commit>,
    ) -> Result<(ForeseenStep, Vec<CaseLoad>), Error> {
        let situation = self
            .sandbox
            .situation(self.now, undertaking, parties, merged);
        let rules = RuleSettings::new(&situation, &self.rules.settings);
        let loads = self.load(&situation.cases, &rules);
        let files: Vec<ForeseenFile> = situation
            .cases
            .iter()
            .zip(&loads)
            .map(|(case, load)| foreseen_file(case, load))
            .collect();
        let end = match files.iter().map(|file| file.open).sum::<usize>() {
            _ if files.is_empty() => StepEnd::Clean,
            0 => StepEnd::Settled,
            _ => StepEnd::Open,
        };
        // Of a rebase the first step stands for what both lines did.
        let clean = match undertaking {
            Undertaking::Rebase => CleanFiles::default(),
            _ => self.sandbox.merged_by_git(&situation)?,
        };
        let step = ForeseenStep {
            end,
            commit,
            situation: Box::new(situation),
            files,
            clean,
            is_estimate: false,
            repeats: None,
        };
        Ok((step, loads))
    }

    fn load(&self, cases: &[Case], rules: &RuleSettings) -> Vec<CaseLoad> {
        let chunks = cases.chunks(256);
        chunks
            .flat_map(|some| self.service.load(some, rules))
            .collect()
    }
}

/// What rules would leave of the files of a step, and its conflicts by their texts.
fn result_of(cases: &[Case], loads: &[CaseLoad]) -> (Vec<SettledFile>, Vec<Clash>) {
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
        let theirs = case.stages.all()[Version::Theirs as usize];
        let content = match (load, theirs) {
            (CaseLoad::Lines(open), _) => {
                let ids = open.plan().conflicts().iter();
                keys.extend(ids.map(|id| (case.path.clone(), key(open, *id))));
                SettledContent::Text(case.stages.merged_mode(), estimate(open))
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

fn foreseen_file(case: &Case, load: &CaseLoad) -> ForeseenFile {
    let mut file = ForeseenFile {
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
            if file.conflicts == 0 && asks {
                (file.conflicts, file.open) = (1, 1);
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

/// The text that is taken to come of a file: what rules settle and offer; where something stays open, what the
/// steps stand on. Whoever settles it otherwise than by the own commit has the next change of it clash again.
fn estimate(open: &OpenedFile) -> Vec<u8> {
    let entry = |id: RegionId| {
        let offered = open.proposal(id);
        let offered = offered.and_then(|ruling| Entry::of_ruling(id, ruling, Certainty::Likely));
        offered.unwrap_or(Entry::Settle(id, Resolution::Take(Version::Ours)))
    };
    let is_open = |id: &RegionId| matches!(open.draft().standing(*id), RegionState::Open);
    let ids = open.plan().conflicts().iter().copied();
    let entries: Vec<Entry> = ids.filter(is_open).map(entry).collect();
    open.draft_after(entries).bytes()
}
