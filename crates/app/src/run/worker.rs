//! Carries effects out: each becomes calls of git and core, and one result.
//!
//! Knows nothing of threads or terminals; the runtime decides where this runs.

use crate::base::settings::Settings;
use crate::state::action::WorkResult;
use crate::state::app::State;
use crate::state::effect::{Effect, Rulings, Tally, Trouble, Wrote};
use crate::state::file::{FileLoad, FileView, OpenFile, WholeFile};
use armistice_core::{
    AutoSettle, Draft, Encoding, Event, Line, LineRange, Options, PastResolution, PastResolutions,
    Plan, RULES, RegionId, Report, Resolution, RuleContext, Session, Side, Source, Version,
    Versions, audit, changed_lines, describe, plan, propose, propose_all,
};
use armistice_git::{
    Cancel, Case, CaseKind, Error, IndexState, Journal, Loaded, Loose, Memory, Overwrite,
    Repository, Seen, Situation, Store, Written, load, load_all, log, prove, result_against,
    run_ending, settle_outcome, staged_bytes, take_back, write_result,
};
use std::collections::hash_map::Entry;
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex};

/// An effect with what it needs to know of the state it came from.
#[derive(Clone, Debug)]
pub struct Job {
    pub generation: u64,
    pub effect: Effect,
    /// The cases it is about, in the order in which the effect names them.
    pub cases: Vec<Case>,
    /// What rules are told.
    pub rules: RuleSettings,
}

/// What rules are told of every file.
#[derive(Clone, Debug, Default)]
pub struct RuleSettings {
    pub ours: String,
    pub theirs: String,
    pub settings: Settings,
}

impl RuleSettings {
    pub fn new(situation: &Situation, settings: &Settings) -> Self {
        RuleSettings {
            ours: situation.ours.label.clone(),
            theirs: situation.theirs.label.clone(),
            settings: settings.clone(),
        }
    }

    fn context(&self, case: &Case, past: &PastResolutions) -> RuleContext {
        RuleContext {
            past: past.clone(),
            ..self
                .settings
                .context(case.path.to_string(), &self.ours, &self.theirs)
        }
    }
}

impl Job {
    pub fn new(state: &State, effect: Effect) -> Self {
        let files = match &effect {
            Effect::Load(files) => files.clone(),
            Effect::LoadFirst(at) | Effect::Record(at, _) => vec![*at],
            Effect::SaveUnsavedEdit(at, _) | Effect::DropUnsavedEdit(at) => vec![*at],
            Effect::Write { file, .. } | Effect::SettleWhole { file, .. } => vec![*file],
            Effect::TakeBack { file, .. } => vec![*file],
            Effect::Propose(plans) => plans.iter().map(|(at, _)| *at).collect(),
            Effect::Audit(drafts) => drafts.iter().map(|(at, _)| *at).collect(),
            _ => Vec::new(),
        };
        let cases = files.iter().filter_map(|at| state.files.get(*at));
        Job {
            generation: state.generation,
            cases: cases.map(|f| f.case.clone()).collect(),
            rules: RuleSettings::new(&state.situation, &state.settings),
            effect,
        }
    }
}

/// Does the work of one repository.
pub struct Worker {
    repo: Repository,
    store: Store,
    /// Open journals by path and versions.
    journals: Mutex<HashMap<String, Journal>>,
    cancel: Mutex<Cancel>,
    memory: Memory,
    /// What is remembered, read when it is first asked for.
    past: Mutex<Option<PastResolutions>>,
    /// Loose files that the repository was made for.
    loose: Option<Loose>,
}

impl Worker {
    pub fn new(repo: Repository) -> Self {
        Worker {
            store: Store::new(repo.git_dir()),
            memory: Memory::new(repo.common_dir()),
            repo,
            journals: Mutex::default(),
            cancel: Mutex::default(),
            past: Mutex::default(),
            loose: None,
        }
    }

    /// A worker on loose files.
    pub fn on(loose: Loose) -> Self {
        Worker {
            loose: Some(loose.clone()),
            ..Worker::new(loose.repo().clone())
        }
    }

    /// What is in conflict, and what the parties are called.
    ///
    /// # Errors
    /// If git fails.
    pub fn situation(&self) -> Result<Situation, Error> {
        let mut situation = Situation::read(&self.repo)?;
        if let Some(loose) = &self.loose {
            loose.name(&mut situation);
        }
        Ok(situation)
    }

    pub fn repo(&self) -> &Repository {
        &self.repo
    }

    /// Asks the concluding that is under way to stop.
    pub fn cancel(&self) {
        if let Ok(cancel) = self.cancel.lock() {
            cancel.cancel();
        }
    }

    /// Does a job and tells its result, if it has one.
    pub fn perform(&self, job: Job) -> Option<WorkResult> {
        let Job {
            effect,
            cases,
            rules,
            ..
        } = job;
        let case = cases.first().cloned();
        match (effect, case) {
            (Effect::Load(files), _) => {
                let loads = self.load_all(&cases, &rules);
                Some(WorkResult::Loaded(files.into_iter().zip(loads).collect()))
            }
            (Effect::LoadFirst(at), Some(case)) => {
                Some(WorkResult::Loaded(vec![(at, self.load(&case, &rules))]))
            }
            (Effect::Record(at, events), Some(case)) => {
                let mut events = events.iter();
                let result = events.try_for_each(|event| self.record(&case, event));
                Some(WorkResult::Recorded(at, result.map_err(|e| e.to_string())))
            }
            (Effect::Audit(drafts), _) => {
                let pairs = drafts.into_iter().zip(&cases);
                let audited = pairs.map(|((at, draft), case)| (at, self.audit(case, &draft)));
                Some(WorkResult::Audited(audited.collect()))
            }
            (Effect::Propose(plans), _) => {
                let past = self.past();
                let pairs = plans.into_iter().zip(&cases);
                let ruled = pairs.map(|((at, plan), case)| {
                    (at, propose_all(&plan, &rules.context(case, &past)))
                });
                Some(WorkResult::Ruled(ruled.collect()))
            }
            (
                Effect::Write {
                    file,
                    bytes,
                    seen,
                    overwrite,
                },
                Some(case),
            ) => {
                let result = self.write(&case, &bytes, &seen, overwrite);
                let again = Effect::Write {
                    file,
                    bytes,
                    seen,
                    overwrite: Overwrite::Yes,
                };
                Some(WorkResult::Wrote(
                    file,
                    told(result, "wrote and staged", again),
                ))
            }
            (
                Effect::SettleWhole {
                    file,
                    outcome,
                    seen,
                    overwrite,
                },
                Some(case),
            ) => {
                let result = settle_outcome(&self.repo, &case, outcome, &seen, overwrite);
                let again = Effect::SettleWhole {
                    file,
                    outcome,
                    seen,
                    overwrite: Overwrite::Yes,
                };
                let what = format!("settled as a whole by {}", outcome.name());
                Some(WorkResult::Wrote(file, told(result, &what, again)))
            }
            (Effect::TakeBack { file, markers }, Some(case)) => {
                let back = self.loose.as_ref().map_or(Ok(()), Loose::take_back);
                let result = back.and_then(|()| take_back(&self.repo, &case, &markers));
                Some(WorkResult::TookBack(
                    file,
                    told(result, "took back", Effect::Quit),
                ))
            }
            (Effect::SaveUnsavedEdit(_, text), Some(case)) => {
                let saved = self.store.save_unsaved_edit(&case, &text);
                saved
                    .err()
                    .map(|e| WorkResult::Note(format!("what is being typed cannot be saved: {e}")))
            }
            (Effect::DropUnsavedEdit(_), Some(case)) => {
                self.store.drop_unsaved_edit(&case);
                None
            }
            (effect, _) => self.perform_whole(effect),
        }
    }

    /// Jobs about the repository as a whole.
    fn perform_whole(&self, effect: Effect) -> Option<WorkResult> {
        let text = |e: Error| e.to_string();
        match effect {
            Effect::ReadSituation => {
                let read = self.situation().map_err(text);
                Some(WorkResult::Situated(Box::new(read)))
            }
            Effect::Prove => {
                let proof = Situation::read(&self.repo).and_then(|s| prove(&self.repo, &s));
                Some(WorkResult::Proved(proof.map_err(text)))
            }
            Effect::End(ending, message) => {
                let cancel = Cancel::default();
                if let Ok(mut held) = self.cancel.lock() {
                    *held = cancel.clone();
                }
                let result = run_ending(&self.repo.until(&cancel), ending, message.as_deref());
                if let Ok(mut journals) = self.journals.lock() {
                    journals.clear();
                }
                Some(WorkResult::Ended(ending, result.map_err(text)))
            }
            Effect::FindLike {
                past_resolution,
                by,
                plans,
            } => Some(WorkResult::Likes(find_like(*past_resolution, &by, &plans))),
            Effect::Remember(lessons) => {
                let remembered = self.memory.remember(&lessons);
                self.forget_past();
                remembered.err().map(|e| {
                    WorkResult::Note(format!("how this was settled is not remembered: {e}"))
                })
            }
            Effect::Forget(past_resolution) => Some(WorkResult::Forgot(
                self.forget(&past_resolution).map_err(text),
            )),
            Effect::ReadLog => Some(WorkResult::LogRead(log(&self.repo, 200).map_err(text))),
            Effect::Measure => Some(WorkResult::Measured(self.measure().map_err(text))),
            _ => None,
        }
    }

    /// Accounts for a draft, against what is staged where something is.
    pub fn audit(&self, case: &Case, draft: &Draft) -> Report {
        let staged = match case.standing {
            IndexState::Staged => staged_bytes(&self.repo, case).ok().flatten(),
            IndexState::Unmerged => None,
        };
        audit(draft, staged.map(Source::new).as_ref())
    }

    fn write(
        &self,
        case: &Case,
        bytes: &[u8],
        seen: &Seen,
        overwrite: Overwrite,
    ) -> Result<Written, Error> {
        if let Some(loose) = &self.loose {
            loose.deliver(bytes, overwrite)?;
        }
        write_result(&self.repo, case, bytes, seen, overwrite)
    }

    fn measure(&self) -> Result<(Tally, Tally), Error> {
        let situation = Situation::read(&self.repo)?;
        let against = |party: &armistice_git::Party| match &party.commit {
            Some(commit) => result_against(&self.repo, &commit.oid),
            None => Ok((0, 0, 0)),
        };
        Ok((against(&situation.ours)?, against(&situation.theirs)?))
    }

    /// What is remembered; an unreadable memory is none, and the log says so.
    fn past(&self) -> PastResolutions {
        let mut held = match self.past.lock() {
            Ok(held) => held,
            Err(poisoned) => poisoned.into_inner(),
        };
        let read = || {
            let all = self.memory.read().unwrap_or_else(|error| {
                tracing::warn!(%error, "memory not read");
                Vec::new()
            });
            PastResolutions::new(&all, [])
        };
        held.get_or_insert_with(read).clone()
    }

    fn forget_past(&self) {
        if let Ok(mut held) = self.past.lock() {
            *held = None;
        }
    }

    fn forget(&self, past_resolution: &PastResolution) -> Result<usize, Error> {
        let all = self.memory.read()?;
        let about: Vec<_> = (0..all.len())
            .filter(|n| all[*n].is_about(past_resolution))
            .collect();
        for nth in about.iter().rev() {
            self.memory.forget(*nth)?;
        }
        self.forget_past();
        Ok(about.len())
    }

    fn load(&self, case: &Case, rules: &RuleSettings) -> FileLoad {
        match load(&self.repo, case) {
            Ok(loaded) => self.prepare(case, loaded, rules),
            Err(error) => FileLoad::Failed(error.to_string()),
        }
    }

    fn load_all(&self, cases: &[Case], rules: &RuleSettings) -> Vec<FileLoad> {
        match load_all(&self.repo, cases) {
            Ok(all) => cases
                .iter()
                .zip(all)
                .map(|(case, loaded)| self.prepare(case, loaded, rules))
                .collect(),
            // One that fails must not take the others with it.
            Err(_) => cases.iter().map(|case| self.load(case, rules)).collect(),
        }
    }

    fn prepare(&self, case: &Case, loaded: Loaded, rules: &RuleSettings) -> FileLoad {
        match why_whole(case, &loaded) {
            Some(why) => FileLoad::Whole(whole(case, loaded, why)),
            None => self.open(case, loaded, rules),
        }
    }

    fn open(&self, case: &Case, loaded: Loaded, rules: &RuleSettings) -> FileLoad {
        let (journal, events, note) = match self.store.journal(case) {
            Ok(read) => read,
            Err(error) => return FileLoad::Failed(error.to_string()),
        };
        let context = rules.context(case, &self.past());
        let open = open_file(&loaded, &events, &context, rules.settings.settle);
        if let Ok(mut journals) = self.journals.lock() {
            journals.insert(key(case), journal);
        }
        let (mut open, refused) = open;
        open.note = note.or(refused);
        open.unsaved_edit = self.store.unsaved_edit(case);
        open.outdated = self.is_outdated(case, &open);
        FileLoad::Lines(Box::new(open))
    }

    /// A file that we staged and then decided anew says so also after a restart.
    fn is_outdated(&self, case: &Case, open: &OpenFile) -> bool {
        let ours = case.standing == IndexState::Staged && self.store.wrote(&case.path);
        if !ours || open.draft().counts().open > 0 {
            return false;
        }
        match staged_bytes(&self.repo, case) {
            Ok(Some(staged)) => staged != open.draft().bytes(),
            // What cannot be compared is taken to be as it was left.
            Ok(None) | Err(_) => false,
        }
    }

    fn record(&self, case: &Case, event: &Event) -> Result<(), Error> {
        let mut journals = match self.journals.lock() {
            Ok(journals) => journals,
            // A thread that panicked while it held the lock left whole entries behind.
            Err(poisoned) => poisoned.into_inner(),
        };
        match journals.entry(key(case)) {
            Entry::Occupied(mut open) => open.get_mut().append(event),
            Entry::Vacant(place) => place.insert(self.store.journal(case)?.0).append(event),
        }
    }

    /// Sees to it that a case's journal is on the disk.
    pub fn sync(&self, case: &Case) {
        let held = self.journals.lock().ok();
        let file = held.and_then(|j| j.get(&key(case)).map(|j| j.file().to_owned()));
        if let Some(file) = file
            && let Err(error) = Journal::sync(&file)
        {
            tracing::warn!(%error, "journal not synced");
        }
    }
}

/// Open conflicts that are the same as a settled one, or like it.
fn find_like(
    past_resolution: PastResolution,
    by: &str,
    plans: &[(usize, Arc<Plan>, Vec<RegionId>)],
) -> Rulings {
    let known = [(past_resolution, by.to_owned())];
    let others = RULES.iter().map(|rule| rule.id().to_owned());
    let context = RuleContext {
        past: PastResolutions::new([&known[0].0], &known),
        // Only what was settled before is asked for.
        off: others
            .filter(|id| !matches!(id.as_str(), "memory" | "echo"))
            .collect(),
        ..RuleContext::default()
    };
    let mut found = Vec::new();
    for (at, plan, ids) in plans {
        let rulings = ids
            .iter()
            .filter_map(|id| Some((*id, propose(plan, *id, &context)?)));
        found.extend(rulings.map(|(id, ruling)| (*at, id, ruling)));
    }
    found
}

fn key(case: &Case) -> String {
    format!("{} {}", case.path, case.stages.names().join(" "))
}

fn told(result: Result<Written, Error>, what: &str, again: Effect) -> Result<Wrote, Trouble> {
    match result {
        Ok(written) => Ok(Wrote {
            seen: written.seen,
            kept: written.kept,
            what: what.to_owned(),
        }),
        Err(Error::ChangedOutside { .. }) => Err(Trouble::Changed(Box::new(again))),
        Err(error) => Err(Trouble::Other(error.to_string())),
    }
}

/// A session over loaded versions, with the decisions of its journal; and what
/// a person should know if some no longer fit.
///
/// Without a journal, rules settle what they are sure of.
pub fn open_file(
    loaded: &Loaded,
    events: &[Event],
    context: &RuleContext,
    settle: AutoSettle,
) -> (OpenFile, Option<String>) {
    let v = &loaded.versions;
    let plan = Arc::new(plan(&v.base, &v.ours, &v.theirs, &Options::default()));
    let rulings = propose_all(&plan, context);
    let (session, refused) = match events {
        [] => (Session::with_rulings(plan, settle.pick(&rulings)), None),
        events => Session::replay(plan, events),
    };
    let note = refused.map(|why| {
        format!(
            "decisions from step {} on no longer fit: {why}",
            session.steps().len() + 1
        )
    });
    let sample = if v.ours.is_empty() {
        &v.theirs
    } else {
        &v.ours
    };
    let causes = session.draft().plan().conflicts().iter();
    let causes = causes
        .map(|id| describe(session.draft().plan(), *id))
        .collect();
    let open = OpenFile {
        lost: changed_by(v),
        causes,
        reindented: reindented(session.draft().plan()),
        rulings: rulings.into_iter().collect(),
        outdated: false,
        session,
        encoding: Encoding::detect(sample.bytes()),
        seen: loaded.seen.clone(),
        view: FileView::default(),
        note: None,
        unsaved_edit: None,
    };
    (open, note)
}

/// The words of one side at the indentation of the other, for each conflict where that differs.
fn reindented(plan: &Plan) -> BTreeMap<RegionId, Vec<(Side, Resolution)>> {
    let of = |id: &RegionId| {
        let offered = [Side::Ours, Side::Theirs].into_iter().filter_map(|words| {
            let found = Resolution::reindented(plan, *id, words)?;
            Some((words, found))
        });
        let offered: Vec<_> = offered.collect();
        (!offered.is_empty()).then_some((*id, offered))
    };
    plan.conflicts().iter().filter_map(of).collect()
}

/// Why a case has no lines to merge, if it has none.
pub fn why_whole(case: &Case, loaded: &Loaded) -> Option<&'static str> {
    match case.kind {
        CaseKind::BothEdited | CaseKind::BothAdded if loaded.binary => {
            Some("not text, or marked so in the attributes")
        }
        CaseKind::BothEdited | CaseKind::BothAdded => None,
        CaseKind::ModeOnly => Some("only the modes differ, the contents are the same"),
        CaseKind::RemovedByOurs => Some("ours removed it, so there are no lines to merge"),
        CaseKind::RemovedByTheirs => Some("theirs removed it, so there are no lines to merge"),
        CaseKind::BothGone => Some(
            "what is left of a rename or removal on both sides: git tells no more than the old path",
        ),
        CaseKind::OnlyOurs | CaseKind::OnlyTheirs => Some(
            "one side alone has this path: most likely a rename; git tells no more in the index",
        ),
        CaseKind::Link => Some("a symbolic link is among the versions, which has no lines"),
        CaseKind::Submodule => {
            Some("a submodule: check out the commit you want in it and stage it with git add")
        }
    }
}

fn whole(case: &Case, loaded: Loaded, why: &'static str) -> WholeFile {
    let versions = &loaded.versions;
    let size = |version| {
        let stage = case.stages.all()[version as usize];
        stage.as_ref().map(|_| versions.get(version).bytes().len())
    };
    WholeFile {
        why,
        sizes: [
            size(Version::Base),
            size(Version::Ours),
            size(Version::Theirs),
        ],
        lost: (!loaded.binary).then(|| changed_by(versions)),
        seen: loaded.seen,
    }
}

/// Lines that ours and theirs added to and removed from base.
fn changed_by(versions: &Versions) -> [(usize, usize); 2] {
    let base = lines(&versions.base);
    [&versions.ours, &versions.theirs].map(|side| {
        let changed = changed_lines(&base, &lines(side));
        let sum = |count: fn(&(LineRange, LineRange)) -> usize| changed.iter().map(count).sum();
        (sum(|(_, to)| to.len()), sum(|(from, _)| from.len()))
    })
}

fn lines(source: &Source) -> Vec<&[u8]> {
    source.lines(source.all()).map(Line::bytes).collect()
}
