//! Carries effects out: each becomes calls of the case service or of git, and one result.
//!
//! Knows nothing of threads or terminals; the runtime decides where this runs.

use crate::base::project_checks::{CheckOrigin, ProjectCheck};
use crate::base::safe_text::count;
use crate::case::checks::run_check;
use crate::case::drawings::{Drawing, draw_into_store};
use crate::case::finish::Finish;
use crate::case::foresee::{Forecast, Foreseer, Question};
use crate::case::opened::all_shades;
use crate::case::propose::{RuleSettings, propose_judged, propose_like};
use crate::case::service::CaseService;
use crate::case::staged_diff::StagedDiff;
use crate::case::trust::{repository_paths, trust};
use crate::state::action::WorkResult;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId, Trouble, WriteJob, Wrote};
use armistice_core::{Source, Versions};
use armistice_git::drop_stash;
use armistice_git::{
    AgainstParent, Cancel, Case, Error, Interrupted, Oid, Overwrite, Repository, Sandbox, Seen,
    Situation, StagedFile, Verdict, Written, begin, commit_details, counterpart_named,
    counterparts, differs_on_disk, log, marker_files, merged_syntax, remove_leftovers,
    staged_against_parents, staged_texts, what_stands_there,
};
use std::sync::{Arc, Mutex};
use std::time::{SystemTime, UNIX_EPOCH};

/// An effect with what it needs to know of the state it came from.
#[derive(Clone, Debug)]
pub struct Job {
    pub generation: u64,
    pub effect: Effect,
    /// The cases it is about, in the order in which the effect names them.
    pub cases: Vec<Case>,
    /// What rules know of every file.
    pub rules: RuleSettings,
    /// The situation it is about, if that is only foreseen.
    pub foreseen: Option<Box<Situation>>,
}

impl Job {
    pub fn new(state: &State, effect: Effect) -> Self {
        let cases = effect.files().into_iter();
        let cases = cases.filter_map(|at| state.files.get(at.0));
        Job {
            generation: state.generation,
            cases: cases.map(|f| f.case.clone()).collect(),
            rules: RuleSettings::new(&state.situation, &state.settings),
            foreseen: (state.situation.foreseen.is_some())
                .then(|| Box::new(state.situation.clone())),
            effect,
        }
    }
}

/// Does the work of one repository.
pub struct Worker {
    service: CaseService,
    cancel: Mutex<Cancel>,
    /// Stops the project's own command that runs.
    checks: Mutex<Cancel>,
    /// Held while one of them runs.
    at_work: Mutex<()>,
    /// Stops what is being foreseen.
    foreseeing: Mutex<Cancel>,
    /// What was foreseen last: its objects, and what can be asked about its cases.
    foreseen: Mutex<Option<Arc<Foresight>>>,
}

/// A forecast that can be looked into.
struct Foresight {
    sandbox: Sandbox,
    service: CaseService,
}

impl Worker {
    pub fn new(service: CaseService) -> Self {
        Worker {
            service,
            cancel: Mutex::default(),
            checks: Mutex::default(),
            at_work: Mutex::default(),
            foreseeing: Mutex::default(),
            foreseen: Mutex::default(),
        }
    }

    pub fn service(&self) -> &CaseService {
        &self.service
    }

    fn repo(&self) -> &Repository {
        self.service.repo()
    }

    /// What is left of a command that did not do all it was to do.
    fn left(&self, done: bool) -> Option<Interrupted> {
        if done {
            return None;
        }
        self.service.interrupted().unwrap_or_else(|why| {
            tracing::warn!(%why, "not known what a command left");
            None
        })
    }

    /// Asks the concluding that is in progress to stop.
    pub fn cancel(&self) {
        if let Ok(cancel) = self.cancel.lock() {
            cancel.cancel();
        }
    }

    /// Asks the project's own command that runs to stop, and those behind it not to begin.
    pub fn stop_checks(&self) {
        if let Ok(cancel) = self.checks.lock() {
            cancel.cancel();
        }
    }

    /// Runs the project's own commands one after the other; tells what comes of it as it comes.
    fn run_checks(
        &self,
        checks: &[ProjectCheck],
        trusted: Option<&str>,
        tell: &dyn Fn(WorkResult),
    ) {
        let Ok(_at_work) = self.at_work.try_lock() else {
            return tell(WorkResult::Note("a command is running already".to_owned()));
        };
        if let Some(text) = trusted
            && let Err(error) = trust(self.repo(), text)
        {
            tell(WorkResult::Note(format!("no command was run: {error}")));
            return;
        }
        if trusted.is_some() {
            tell(WorkResult::PathsRead(Box::new(repository_paths(
                self.repo(),
            ))));
        }
        let cancel = Cancel::default();
        if let Ok(mut held) = self.checks.lock() {
            *held = cancel.clone();
        }
        for check in checks {
            if cancel.is_cancelled() {
                break;
            }
            if check.origin == CheckOrigin::Untrusted && trusted.is_none() {
                let name = &check.name;
                tell(WorkResult::Note(format!(
                    "'{name}' is not trusted and was not run"
                )));
                continue;
            }
            tell(WorkResult::CheckBegan(check.run.clone()));
            let said = |lines| tell(WorkResult::CheckSaid(check.run.clone(), lines));
            let ended = run_check(self.repo(), check, &cancel, &mut |lines| said(lines));
            let ended = ended.map_err(|error| error.to_string());
            tell(WorkResult::CheckEnded(check.run.clone(), ended));
        }
        tell(WorkResult::ChecksDone);
    }

    /// Throws away what was foreseen.
    pub fn forget_foreseen(&self) {
        if let Ok(mut held) = self.foreseen.lock() {
            *held = None;
        }
    }

    /// Asks what is being foreseen to stop.
    pub fn stop_foreseeing(&self) {
        if let Ok(held) = self.foreseeing.lock() {
            held.cancel();
        }
    }

    /// Looks what would happen, tells what is known as it comes, and keeps it to be looked into.
    fn foresee(&self, question: &Question, rules: &RuleSettings, tell: &dyn Fn(WorkResult)) {
        let cancel = Cancel::default();
        if let Ok(mut held) = self.foreseeing.lock() {
            held.cancel();
            *held = cancel.clone();
        }
        let told = |forecast: &Forecast| {
            let forecast = Box::new(forecast.clone());
            tell(WorkResult::Foreseen(question.clone(), Ok(forecast), false));
        };
        let foreseer = Foreseer {
            repo: self.repo(),
            now: None,
            rules,
            cancel: &cancel,
            tell: &told,
        };
        let result = match foreseer.look(question) {
            // Somebody has asked something else meanwhile.
            Err(Error::Cancelled) => return,
            Err(error) => Err(error.to_string()),
            Ok((forecast, sandbox)) => {
                let service = CaseService::new(sandbox.repo().until(&Cancel::default()));
                if let Ok(mut held) = self.foreseen.lock() {
                    *held = Some(Arc::new(Foresight { sandbox, service }));
                }
                Ok(Box::new(forecast))
            }
        };
        tell(WorkResult::Foreseen(question.clone(), result, true));
    }

    /// Does a job and gives its result, if it has one; what comes bit by bit is reported.
    pub fn perform(&self, job: Job, tell: &dyn Fn(WorkResult)) -> Option<WorkResult> {
        let Job {
            effect,
            cases,
            rules,
            foreseen,
            ..
        } = job;
        let held = self.foreseen.lock().ok().and_then(|held| held.clone());
        let seen = foreseen.as_ref().and(held);
        let service = seen.as_ref().map_or(&self.service, |seen| &seen.service);
        match (&effect, &seen, &foreseen) {
            (Effect::Foresee(question), ..) => {
                self.foresee(question, &rules, tell);
                return None;
            }
            (Effect::ReadTerrain, Some(seen), Some(situation)) => {
                let read = seen.sandbox.terrain(situation).map_err(|e| e.to_string());
                return Some(WorkResult::TerrainRead(read.map(Box::new)));
            }
            (Effect::ReadHistory(at, _), Some(seen), Some(situation)) => {
                let (case, foreseen) = (cases.first()?, situation.foreseen.as_ref()?);
                let found = seen.service.foreseen_history(case, foreseen);
                let found = found.map_err(|e| e.to_string());
                return Some(WorkResult::HistoryRead(*at, found));
            }
            // Whatever asked for it: nothing of a forecast is written.
            (effect, _, Some(_)) if effect.changes_the_tree() => return None,
            _ => {}
        }
        let case = cases.first().cloned();
        match (effect, case) {
            (Effect::Load(files), _) => {
                let loads = service.load(&cases, &rules);
                Some(WorkResult::Loaded(files.into_iter().zip(loads).collect()))
            }
            (Effect::LoadFirst(at), Some(case)) => {
                let load = service.load(&[case], &rules).pop()?;
                Some(WorkResult::Loaded(vec![(at, load)]))
            }
            (Effect::Record(at, recording), Some(case)) => {
                let result = service.record(&case, &recording.events());
                let result = result.map_err(|e| e.to_string());
                Some(WorkResult::Recorded(at, recording, result))
            }
            (Effect::Compare(files), _) => {
                let differs = |((at, seen), case): (&(FileId, Seen), &Case)| {
                    differs_on_disk(self.repo(), case, seen).then_some(*at)
                };
                let differ = files.iter().zip(&cases).filter_map(differs).collect();
                Some(WorkResult::Compared(differ))
            }
            (Effect::ReadWorkFile(at), Some(case)) => {
                let read = what_stands_there(self.repo(), &case);
                Some(WorkResult::WorkFileRead(
                    at,
                    read.map_err(|e| e.to_string()),
                ))
            }
            (Effect::Shade(at, plan), Some(case)) => {
                let found = all_shades(&case.path.to_string(), &plan)?;
                Some(WorkResult::Shaded(at, Arc::new(found)))
            }
            (Effect::ReadHistory(at, operation), Some(case)) => {
                let found = service.history(&case, operation);
                Some(WorkResult::HistoryRead(
                    at,
                    found.map_err(|e| e.to_string()),
                ))
            }
            (Effect::Audit(drafts), _) => {
                let pairs: Vec<_> = cases.iter().zip(drafts.iter().map(|(_, d)| d)).collect();
                let reports = service.audit(&pairs);
                let files = drafts.iter().map(|(at, _)| *at);
                Some(WorkResult::Audited(files.zip(reports).collect()))
            }
            (Effect::WriteMany(jobs), _) => {
                let done = self.write_many(jobs, &cases);
                Some(WorkResult::WroteMany(done))
            }
            (Effect::Propose(plans), _) => {
                let past = service.past();
                let pairs = plans.into_iter().zip(&cases);
                let ruled = pairs.map(|((at, plan), case)| {
                    (
                        at,
                        propose_judged(&plan, &rules.context(case, &past)).rulings,
                    )
                });
                Some(WorkResult::Ruled(ruled.collect()))
            }
            (Effect::Prove, _) => {
                let checks = self.service.checks(&rules.settings.checks);
                let proof = self
                    .service
                    .prove(rules.settings.check_steps)
                    .map_err(|e| e.to_string());
                Some(WorkResult::Proved(proof, Box::new(checks)))
            }
            (Effect::ReviewSteps, _) => {
                let found = self.service.finished_steps(rules.settings.check_steps);
                Some(WorkResult::StepsReviewed(found))
            }
            (Effect::RunChecks { checks, trust }, _) => {
                self.run_checks(&checks, trust.as_deref(), tell);
                None
            }
            (Effect::ReadSituation, _) => {
                tell(WorkResult::PathsRead(Box::new(repository_paths(
                    self.repo(),
                ))));
                self.perform_whole(Effect::ReadSituation)
            }
            (
                Effect::CheckSyntax {
                    at,
                    stamp,
                    text,
                    plan,
                },
                Some(case),
            ) => {
                let there = case.stages.all().map(|stage| stage.is_some());
                let found = merged_syntax(&case.path, &text, plan.real_versions(), there);
                Some(WorkResult::SyntaxChecked(at, stamp, found))
            }
            (effect, Some(case)) => self.perform_on(&case, effect),
            (effect, None) => self.perform_whole(effect),
        }
    }

    /// Writes several files with the same few calls of git.
    fn write_many(
        &self,
        jobs: Vec<(FileId, WriteJob)>,
        cases: &[Case],
    ) -> Vec<(FileId, Result<Wrote, Trouble>)> {
        let mut told = Vec::new();
        let (mut asked, mut files) = (Vec::new(), Vec::new());
        for ((at, job), case) in jobs.into_iter().zip(cases) {
            match job {
                WriteJob::Merged(finish, versions) => match senseless(case, &finish, &versions) {
                    Some(why) => told.push((at, Err(Trouble::Other(why)))),
                    None => {
                        asked.push((at, None));
                        files.push(Finish {
                            case: case.clone(),
                            ..*finish
                        });
                    }
                },
                WriteJob::Whole(outcome, seen, overwrite) => {
                    asked.push((at, Some(outcome)));
                    files.push(Finish::whole(case, outcome, seen, overwrite));
                }
            }
        }
        let done = self.service.finish(&files);
        for ((at, whole), result) in asked.into_iter().zip(done.results) {
            let mut result = outcome(result, "wrote and staged", Effect::Quit);
            if let Ok(wrote) = &mut result {
                wrote.whole = whole;
            }
            told.push((at, result));
        }
        told
    }

    /// Jobs that change the working file of one case.
    fn perform_on(&self, case: &Case, effect: Effect) -> Option<WorkResult> {
        match effect {
            Effect::Finish(at, mut finish) => {
                finish.case = case.clone();
                let mut done = self.service.finish(std::slice::from_ref(&*finish));
                let result = done.results.pop()?;
                finish.overwrite = Overwrite::Yes;
                let again = Effect::Finish(at, finish);
                let mut result = outcome(result, "wrote and staged", again);
                if let (Ok(wrote), Some(error)) = (&mut result, done.not_remembered) {
                    wrote.what =
                        format!("wrote and staged, but did not store the resolution ({error})");
                }
                Some(WorkResult::Wrote(at, result))
            }
            Effect::SettleWhole {
                file,
                outcome: whole,
                seen,
                overwrite,
            } => {
                let result = self
                    .service
                    .settle_whole(case, whole, None, &seen, overwrite);
                let again = Effect::SettleWhole {
                    file,
                    outcome: whole,
                    seen,
                    overwrite: Overwrite::Yes,
                };
                let what = format!("settled as a whole by {}", whole.name());
                let mut result = outcome(result, &what, again);
                if let Ok(wrote) = &mut result {
                    wrote.whole = Some(whole);
                }
                Some(WorkResult::Wrote(file, result))
            }
            Effect::Regenerate { file, line, seen } => {
                let made = self.service.regenerate(case, &line, &seen);
                // Half of it may be done: the current state is read again.
                let result = match made {
                    Ok(Ok(written)) => outcome(
                        Ok(written),
                        &format!("regenerated by '{line}'"),
                        Effect::Quit,
                    ),
                    Ok(Err(why)) => Err(Trouble::MovedOn(why)),
                    Err(error) => outcome(Err(error), "", Effect::Quit),
                };
                Some(WorkResult::Wrote(file, result))
            }
            Effect::TakeBack { file, markers } => {
                let result = self.service.take_back(case, &markers);
                let result = outcome(result, "took back", Effect::Quit);
                Some(WorkResult::TookBack(file, result))
            }
            Effect::SaveUnsavedEdit(_, text) => {
                let saved = self.service.save_unsaved_edit(case, &text);
                let note = |e| format!("the text you are typing cannot be saved: {e}");
                saved.err().map(|e| WorkResult::Note(note(e)))
            }
            Effect::DecideWhole(_, outcome) => {
                self.service.note_whole(case, outcome);
                None
            }
            Effect::Undecide(_) => {
                self.service.undecide(case);
                None
            }
            Effect::DropUnsavedEdit(_) => {
                self.service.drop_unsaved_edit(case);
                None
            }
            effect => self.perform_whole(effect),
        }
    }

    /// Jobs about the repository as a whole.
    fn perform_whole(&self, effect: Effect) -> Option<WorkResult> {
        let text = |e: Error| e.to_string();
        match effect {
            Effect::ReadSituation => {
                // Another step has other contents.
                self.repo().forget_contents();
                let mended = self.service.mend();
                let read = mended.and_then(|_| self.service.situation()).map_err(text);
                Some(WorkResult::Situated(Box::new(read)))
            }
            Effect::End {
                ending,
                message,
                staged,
                record,
            } => {
                let cancel = Cancel::default();
                if let Ok(mut held) = self.cancel.lock() {
                    *held = cancel.clone();
                }
                let (message, staged) = (message.as_deref(), staged.as_deref());
                let record = record.as_deref();
                let result = (self.service).end(ending, message, staged, record, &cancel);
                let left = self.left(result.as_ref().is_ok_and(|after| {
                    !matches!(after.verdict, Verdict::Refused | Verdict::NextStep)
                }));
                Some(WorkResult::Ended(ending, result.map_err(text), left))
            }
            Effect::FindLike {
                past_resolution,
                by,
                plans,
            } => {
                let mut likes = Vec::new();
                for (at, plan, ids) in &plans {
                    let found = propose_like(&past_resolution, &by, plan, ids);
                    likes.extend(found.into_iter().map(|(id, ruling)| (*at, id, ruling)));
                }
                Some(WorkResult::Likes(likes))
            }
            Effect::Trust(told) => {
                let trusted = trust(self.repo(), &told).map_err(text);
                let paths = trusted.map(|()| Box::new(repository_paths(self.repo())));
                Some(WorkResult::Trusted(paths))
            }
            Effect::FindMarkers => {
                let found = marker_files(self.repo()).map_err(text);
                Some(WorkResult::MarkersFound(found))
            }
            Effect::ListMerged => {
                let lines = self.service.merged_by_git().map_err(text);
                Some(WorkResult::MergedListed(lines.map(|lines| match lines {
                    Some(lines) if lines.is_empty() => {
                        vec!["git merged no other file.".to_owned()]
                    }
                    Some(lines) => {
                        let head = format!(
                            "{} merged by git without a conflict:",
                            count(lines.len(), "file")
                        );
                        [vec![head, String::new()], lines].concat()
                    }
                    None => vec!["The merge base is not known here.".to_owned()],
                })))
            }
            Effect::Draw(drawings) => {
                let now = SystemTime::now().duration_since(UNIX_EPOCH);
                let now = now.map_or(0, |now| now.as_secs() as i64);
                let draw = |drawing: &Drawing| draw_into_store(&self.service, drawing, now);
                let drawn: Result<Vec<_>, String> = drawings.iter().map(draw).collect();
                Some(WorkResult::Drawn(drawn.map(|files| files.concat())))
            }
            Effect::TakeIn(paths) => {
                let mut refused = Vec::new();
                for path in paths {
                    match self.service.take_in(&path) {
                        Ok(true) => {}
                        Ok(false) => refused.push(path),
                        Err(error) => return Some(WorkResult::TakenIn(Err(text(error)))),
                    }
                }
                Some(WorkResult::TakenIn(Ok(refused)))
            }
            Effect::ReadScout => {
                let found = counterparts(self.repo()).map_err(text);
                Some(WorkResult::ScoutRead(found))
            }
            Effect::NameCounterpart(name) => {
                let found = counterpart_named(self.repo(), &name).map_err(text);
                Some(WorkResult::Named(name, found))
            }
            Effect::Begin {
                question,
                seen,
                keep,
            } => {
                let cancel = Cancel::default();
                if let Ok(mut held) = self.cancel.lock() {
                    *held = cancel.clone();
                }
                let repo = self.repo().until(&cancel);
                let begun = begin(
                    &repo,
                    question.undertaking,
                    &question.name,
                    seen.as_deref(),
                    &keep,
                );
                let left = self.left(begun.as_ref().is_ok_and(|begun| begun.done));
                Some(WorkResult::Begun(question, begun.map_err(text), left))
            }
            Effect::DropStash(oid) => {
                let dropped = drop_stash(self.repo(), &oid).map_err(text);
                Some(WorkResult::StashDropped(oid, dropped))
            }
            Effect::UndoInterrupted => {
                let undone = self.service.undo_interrupted().map_err(text);
                Some(WorkResult::UndidInterrupted(undone))
            }
            Effect::ReadTerrain => {
                let read = self.service.terrain().map_err(text);
                Some(WorkResult::TerrainRead(read.map(Box::new)))
            }
            Effect::SavePlace(place) => {
                self.service.save_place(&place);
                None
            }
            Effect::StageAgain(path) => {
                let staged = self.service.stage_again(&path).map_err(text);
                Some(WorkResult::StagedAgain(path, staged))
            }
            Effect::Forget(past) => {
                Some(WorkResult::Forgot(self.service.forget(&past).map_err(text)))
            }
            Effect::ReadLog => Some(WorkResult::LogRead(log(self.repo(), 200).map_err(text))),
            Effect::ReadCommits(wanted) => {
                let details = wanted.into_iter();
                let details =
                    details.map(|(side, oid)| Ok((side, commit_details(self.repo(), &oid)?)));
                Some(WorkResult::CommitsRead(
                    details.collect::<Result<_, Error>>().map_err(text),
                ))
            }
            Effect::RemoveBackups(leftovers) => {
                let gone = remove_leftovers(self.repo(), &leftovers).map_err(text);
                Some(WorkResult::BackupsRemoved(gone.map(|gone| gone.len())))
            }
            Effect::Measure => Some(WorkResult::Measured(self.measure().map_err(text))),
            Effect::ReadDiff {
                parent,
                file,
                other,
            } => {
                let path = file.path.clone();
                let diff = self.staged_diff(&file, other).map_err(text);
                Some(WorkResult::DiffRead(
                    parent,
                    path,
                    diff.map(|d| d.map(Box::new)),
                ))
            }
            _ => None,
        }
    }

    /// Sees to it that a case's journal is on the disk.
    pub fn sync(&self, case: &Case) {
        self.service.sync(case);
    }

    fn measure(&self) -> Result<Vec<AgainstParent>, Error> {
        staged_against_parents(self.repo(), &Situation::read(self.repo())?)
    }

    fn staged_diff(
        &self,
        file: &StagedFile,
        other: Option<Oid>,
    ) -> Result<Option<StagedDiff>, Error> {
        let other = StagedFile {
            after: other,
            ..file.clone()
        };
        // The second text of the pair: the first is the same for both.
        let other = match other.after {
            Some(_) => staged_texts(self.repo(), &other)?.map(|[_, text]| text),
            None => None,
        };
        let texts = staged_texts(self.repo(), file)?;
        Ok(texts.map(|[before, after]| StagedDiff::new(&before, &after, other.as_ref())))
    }
}

/// Why a merged text is not written with others: a parser finds an error that no version has.
fn senseless(case: &Case, finish: &Finish, versions: &Versions) -> Option<String> {
    let there = case.stages.all().map(|stage| stage.is_some());
    let text = Source::new(finish.result.bytes());
    let found = merged_syntax(&case.path, &text, versions, there);
    let first = found.first()?;
    Some(format!("{} does not parse: {}", case.path, first.what))
}

fn outcome(result: Result<Written, Error>, what: &str, again: Effect) -> Result<Wrote, Trouble> {
    match result {
        Ok(written) => Ok(Wrote {
            seen: written.seen,
            kept: written.kept,
            what: what.to_owned(),
            whole: None,
        }),
        Err(Error::ChangedOutside { .. }) => Err(Trouble::Changed(Box::new(again))),
        Err(Error::ReadOnly { .. }) => Err(Trouble::ReadOnly(Box::new(again))),
        Err(error @ Error::MovedOn { .. }) => Err(Trouble::MovedOn(error.to_string())),
        Err(error) => Err(Trouble::Other(error.to_string())),
    }
}
