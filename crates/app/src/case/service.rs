//! What can be done with the cases of one repository: reading them with the decisions recorded,
//! recording, finishing, taking back, accounting. For the screens and for the command line alike.
//!
//! Knows nothing of threads, screens or command lines.

use crate::base::project_checks::CheckSetting;
use crate::base::safe_text::count;
use crate::case::checks::{ProjectChecks, project_checks};
use crate::case::finish::{Finish, FinishAs, Finished};
use crate::case::load::{CaseLoad, WholeFile, why_whole};
use crate::case::opened::{OpenedFile, Unfinished};
use crate::case::place::Place;
use crate::case::planning::LayOut;
use crate::case::propose::RuleSettings;
use crate::case::records::signed;
use crate::case::steps::{FinishedSteps, add_steps};
use armistice_core::{
    AutoSettle, Check, Draft, Event, Finding, Inputs, MergeRecord, PastResolution, PastResolutions,
    PerSide, Report, Side, Source, Versions, Weight, audit, check, find_markers,
};
use armistice_git::{
    After, Cancel, Case, CheckSteps, Decisions, Ending, Error, FileOutcome, Foreseen, IndexState,
    Interrupted, Journal, LeftBehind, Loaded, Loose, Mark, Memory, Operation, Outcome, Overwrite,
    Proof, Prover, RepoPath, Repository, Seen, SeenState, SideHistory, Situation, StagedText,
    StepReview, Store, Terrain, WriteRequest, Written, foreseen_history, history, left_behind,
    load, load_all, mend, merged_by_git, remake, run_ending, settle_outcome, stage_as_they_stand,
    staged_contents, take_back, take_in, terrain, undo_interrupted, write_all,
};
use armistice_git::{in_parallel, processors};
use std::cmp::Reverse;
use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::sync::{Mutex, MutexGuard};

/// The cases of one repository.
pub struct CaseService {
    repo: Repository,
    prover: Prover,
    steps: StepReview,
    store: Store,
    /// Open journals by path and versions.
    journals: Mutex<HashMap<Key, Journal>>,
    memory: Memory,
    /// What is remembered, read when it is first asked for.
    past: Mutex<Option<PastResolutions>>,
    /// Where the repository stood when the situation was last read.
    mark: Mutex<Option<Mark>>,
    /// Loose files that the repository was made for.
    loose: Option<Loose>,
}

impl CaseService {
    pub fn new(repo: Repository) -> Self {
        CaseService {
            store: Store::new(repo.git_dir()),
            memory: Memory::new(repo.common_dir()),
            repo,
            prover: Prover::default(),
            steps: StepReview::default(),
            journals: Mutex::default(),
            past: Mutex::default(),
            mark: Mutex::default(),
            loose: None,
        }
    }

    /// A service over loose files.
    pub fn on(loose: Loose) -> Self {
        let repo = loose.repo().clone();
        CaseService {
            loose: Some(loose),
            ..CaseService::new(repo)
        }
    }

    pub fn repo(&self) -> &Repository {
        &self.repo
    }

    /// Brings to an end what a program had begun that was killed; what that was, for a person.
    ///
    /// # Errors
    /// If git or the disk refuses.
    pub fn mend(&self) -> Result<Vec<String>, Error> {
        mended(&self.repo)
    }

    /// What a command left in which git was killed, if there is such a thing.
    ///
    /// # Errors
    /// If git fails.
    pub fn interrupted(&self) -> Result<Option<Interrupted>, Error> {
        Ok(match left_behind(&self.repo)? {
            Some(LeftBehind::Torn(torn)) => Some(torn),
            Some(LeftBehind::Over(_)) | None => None,
        })
    }

    /// Goes back to the state before a command that was interrupted; how many files went back.
    ///
    /// # Errors
    /// If git or the disk refuses.
    pub fn undo_interrupted(&self) -> Result<usize, Error> {
        undo_interrupted(&self.repo)
    }

    /// What is in conflict, and what the parties are called.
    ///
    /// # Errors
    /// If git fails.
    pub fn situation(&self) -> Result<Situation, Error> {
        let mut situation = Situation::read(&self.repo)?;
        *self.mark() = Some(situation.mark.clone());
        if let Some(loose) = &self.loose {
            loose.name(&mut situation);
        }
        Ok(situation)
    }

    fn mark(&self) -> MutexGuard<'_, Option<Mark>> {
        match self.mark.lock() {
            Ok(mark) => mark,
            // Nothing can panic while it is held.
            Err(poisoned) => poisoned.into_inner(),
        }
    }

    /// Refuses what was decided on another picture of the repository than the present one.
    fn must_hold(&self) -> Result<(), Error> {
        let mark = self.mark().clone();
        mark.map_or(Ok(()), |mark| mark.must_hold(&self.repo))
    }

    /// Ends the operation, or one step of it, if the repository still stands where it stood.
    ///
    /// # Errors
    /// As for [`run_ending`].
    pub fn end(
        &self,
        ending: Ending,
        message: Option<&str>,
        staged: Option<&str>,
        record: Option<&MergeRecord>,
        cancel: &Cancel,
    ) -> Result<After, Error> {
        let mark = self.mark().clone();
        let seen = SeenState {
            mark: mark.as_ref(),
            staged,
            message,
        };
        let after = run_ending(&self.repo.until(cancel), ending, &seen);
        // The journals of a step that was concluded are put aside: none is open any more.
        self.open_journals().clear();
        if let (
            Ok(After {
                commit: Some(commit),
                ..
            }),
            Some(record),
        ) = (&after, record)
        {
            self.keep_record(commit, record);
        }
        after
    }

    /// It is concluded: a record that cannot be kept must not look like a failure.
    fn keep_record(&self, commit: &str, record: &MergeRecord) {
        let record = MergeRecord {
            commit: Some(commit.to_owned()),
            ..signed(&self.repo, record.clone())
        };
        let bytes = serde_json::to_vec(&record).unwrap_or_default();
        let kept = Decisions::new(self.repo.git_dir()).keep(commit, &bytes);
        if let Err(error) = kept {
            tracing::warn!(%error, "record not kept");
        }
    }

    /// Who changed the file of a case on each side since they parted.
    ///
    /// # Errors
    /// If git fails.
    pub fn history(
        &self,
        case: &Case,
        operation: Operation,
    ) -> Result<PerSide<SideHistory>, Error> {
        let loaded = load(&self.repo, case)?;
        let lines = !loaded.binary && !loaded.too_large;
        history(
            &self.repo,
            operation,
            case,
            lines.then_some(&loaded.versions),
        )
    }

    /// The same of something that is only foreseen.
    ///
    /// # Errors
    /// If git fails.
    pub fn foreseen_history(
        &self,
        case: &Case,
        foreseen: &Foreseen,
    ) -> Result<PerSide<SideHistory>, Error> {
        let loaded = load(&self.repo, case)?;
        let lines = !loaded.binary && !loaded.too_large;
        let versions = lines.then_some(&loaded.versions);
        foreseen_history(&self.repo, foreseen, case, versions)
    }

    /// Reads cases with the decisions recorded about them; in their order.
    pub fn load(&self, cases: &[Case], rules: &RuleSettings) -> Vec<CaseLoad> {
        let staged = self.staged(cases).unwrap_or_default();
        let staged = |case: &Case| staged.get(&case.path).cloned();
        let records = self.store.records();
        let one = |case: &Case, loaded: Loaded| match why_whole(case, &loaded) {
            Some(why) => {
                // What somebody else staged was not decided here, whatever was decided before.
                let versions = &loaded.versions;
                let stands = |outcome: &FileOutcome| match (outcome, staged(case)) {
                    _ if case.standing == IndexState::Unmerged => true,
                    (FileOutcome::Remove, staged) => staged.is_none(),
                    (_, None) => records.wrote(&case.path),
                    (FileOutcome::Both | FileOutcome::OwnName, _) => records.wrote(&case.path),
                    (FileOutcome::Ours, Some(now)) => now.text.bytes() == versions.ours.bytes(),
                    (FileOutcome::Theirs, Some(now)) => now.text.bytes() == versions.theirs.bytes(),
                    (FileOutcome::Base, Some(now)) => now.text.bytes() == versions.base.bytes(),
                };
                let by_path = match rules.settings.settle {
                    AutoSettle::None => None,
                    _ => rules.settings.taken_side(&case.path.to_string()),
                };
                let by_path = by_path.map(|(side, _)| match side {
                    Side::Ours => FileOutcome::Ours,
                    Side::Theirs => FileOutcome::Theirs,
                });
                let possible = |outcome: &FileOutcome| case.outcomes().contains(outcome);
                let decided = self.store.whole(case).or(by_path.filter(possible));
                let decided = decided.filter(stands);
                let mut whole = WholeFile::new(case, loaded, why);
                whole.decided = decided;
                CaseLoad::Whole(Box::new(whole))
            }
            None => {
                // What somebody else staged since is no result of these decisions.
                let is_ours =
                    |now: &StagedText| case.as_merged || records.staged(&case.path, &now.oid);
                let staged = staged(case);
                let ours = staged.as_ref().filter(|now| is_ours(now));
                let (staged, ours) = (
                    staged.as_ref().map(|now| &now.text),
                    ours.map(|now| &now.text),
                );
                self.open(case, &loaded, (staged, ours), rules)
            }
        };
        match load_all(&self.repo, cases) {
            Ok(all) => {
                // The longest first, so that the processors end together.
                let mut order: Vec<(usize, Loaded)> = all.into_iter().enumerate().collect();
                order.sort_by_key(|(_, loaded)| Reverse(loaded.versions.ours.bytes().len()));
                let mut done = in_parallel(order.into_iter(), processors(), |(nth, loaded)| {
                    (nth, one(&cases[nth], loaded))
                });
                done.sort_unstable_by_key(|(nth, _)| *nth);
                done.into_iter().map(|(_, load)| load).collect()
            }
            // One that fails must not take the others with it.
            Err(error) if cases.len() == 1 => vec![CaseLoad::Failed(error.to_string())],
            Err(_) => {
                let each = cases.iter().map(std::slice::from_ref);
                each.flat_map(|case| self.load(case, rules)).collect()
            }
        }
    }

    /// What is staged for those cases that are staged, by path.
    fn staged(&self, cases: &[Case]) -> Result<HashMap<RepoPath, StagedText>, Error> {
        let staged = cases
            .iter()
            .filter(|case| case.standing == IndexState::Staged);
        let staged: Vec<Case> = staged.cloned().collect();
        let contents = staged_contents(&self.repo, &staged)?;
        let paths = staged.into_iter().map(|case| case.path);
        Ok(paths
            .zip(contents)
            .filter_map(|(path, text)| Some((path, text?)))
            .collect())
    }

    fn open(
        &self,
        case: &Case,
        loaded: &Loaded,
        // What is staged; the same if this program wrote it.
        (staged, written): (Option<&Source>, Option<&Source>),
        rules: &RuleSettings,
    ) -> CaseLoad {
        let (mut journal, events, note) = match self.store.journal(case) {
            Ok(read) => read,
            Err(error) => return CaseLoad::Failed(error.to_string()),
        };
        let context = rules.context(case, &self.past());
        let settle = rules.settings.settle;
        let best = match rules.settings.declarations {
            true => LayOut::Best,
            false => LayOut::Lines,
        };
        let lay_out = match events.is_empty() {
            true => best.clone(),
            false => LayOut::Again(journal.recipe().clone()),
        };
        let mut open = OpenedFile::open(loaded, &events, &context, settle, lay_out);
        let (mut events, mut note) = (events, note);
        if !events.is_empty() && !open.plan().is_made_by(journal.recipe()) {
            // Decisions name regions by number: in another plan they would be about other lines.
            match self.store.put_aside(&mut journal, case) {
                Ok(copy) => {
                    let copy = copy.display();
                    note = Some(format!(
                        "this file's changes are now split differently, so its decisions do not apply; they were put aside as {copy}"
                    ));
                }
                Err(error) => return CaseLoad::Failed(error.to_string()),
            }
            events.clear();
            open = OpenedFile::open(loaded, &events, &context, settle, best);
        }
        journal.set_recipe(open.plan().recipe());
        self.open_journals().insert(key(case), journal);
        open.note = note.or(open.note);
        open.unsaved_edit = self.store.unsaved_edit(case);
        // A file that we staged and of which a decision was then taken back or changed is not
        // finished, after a restart either. Without a decision nothing was taken back: what is open
        // then is what rules settled when it was written and leave open now.
        let decided = written.is_some_and(|text| match open.counts().open {
            0 => text.bytes() != open.draft().bytes(),
            _ => !events.is_empty(),
        });
        open.unfinished = match staged {
            Some(text) if has_new_markers(text, &loaded.versions) => Some(Unfinished::Markers),
            _ => decided.then_some(Unfinished::Decided),
        };
        CaseLoad::Lines(Box::new(open))
    }

    fn open_journals(&self) -> MutexGuard<'_, HashMap<Key, Journal>> {
        match self.journals.lock() {
            Ok(journals) => journals,
            // A thread that panicked while it held the lock left whole entries behind.
            Err(poisoned) => poisoned.into_inner(),
        }
    }

    /// Records events about a case; when this returns they survive the program.
    ///
    /// # Errors
    /// If they cannot be written, or another program wrote to the journal.
    pub fn record(&self, case: &Case, events: &[Event]) -> Result<(), Error> {
        let mut journals = self.open_journals();
        let journal = match journals.entry(key(case)) {
            Entry::Occupied(open) => open.into_mut(),
            Entry::Vacant(place) => place.insert(self.store.journal(case)?.0),
        };
        journal.append(events)
    }

    /// Sees to it that a case's journal is on the disk.
    pub fn sync(&self, case: &Case) {
        let file = self
            .open_journals()
            .get(&key(case))
            .map(|j| j.file().to_owned());
        if let Some(file) = file
            && let Err(error) = Journal::sync(&file)
        {
            tracing::warn!(%error, "journal not synced");
        }
    }

    /// Writes and stages files, then remembers how those were settled that were written.
    pub fn finish(&self, files: &[Finish]) -> Finished {
        let results = match (self.must_hold(), &self.loose) {
            (Err(error), _) => files.iter().map(|_| Err(error.again())).collect(),
            (_, None) => self.write(files),
            // Loose files go to their output first: what is refused there is staged nowhere.
            (_, Some(loose)) => files
                .iter()
                .map(|file| {
                    loose.deliver(file.result.bytes(), file.overwrite)?;
                    let mut written = self.write(std::slice::from_ref(file));
                    written.pop().unwrap_or(Err(Error::Cancelled))
                })
                .collect(),
        };
        let written = files
            .iter()
            .zip(&results)
            .filter(|(_, result)| result.is_ok());
        let lessons: Vec<_> = written.flat_map(|(file, _)| file.lessons.clone()).collect();
        for (file, result) in files.iter().zip(&results) {
            if let (FinishAs::Whole(outcome), Ok(_)) = (&file.result, result) {
                self.note_whole(&file.case, *outcome);
            }
        }
        let remembered = self.memory.remember(&lessons);
        self.forget_past();
        Finished {
            results,
            not_remembered: remembered.err(),
        }
    }

    fn write(&self, files: &[Finish]) -> Vec<Result<Written, Error>> {
        let requests = files.iter().map(|file| WriteRequest {
            case: &file.case,
            result: match &file.result {
                FinishAs::Merged(bytes) => Outcome::Bytes(bytes),
                FinishAs::Whole(outcome) => Outcome::Whole(*outcome),
            },
            seen: &file.seen,
            overwrite: file.overwrite,
            mode: file.mode,
            name: file.name.as_ref(),
        });
        write_all(&self.repo, &requests.collect::<Vec<_>>())
    }

    /// Settles a case by a whole-file outcome.
    ///
    /// # Errors
    /// As for finishing; and if the case has no such outcome.
    pub fn settle_whole(
        &self,
        case: &Case,
        outcome: FileOutcome,
        name: Option<&RepoPath>,
        seen: &Seen,
        overwrite: Overwrite,
    ) -> Result<Written, Error> {
        self.must_hold()?;
        let written = settle_outcome(&self.repo, case, outcome, name, seen, overwrite)?;
        self.note_whole(case, outcome);
        Ok(written)
    }

    /// Notes how a case is settled as a whole, so that it comes back when the same versions meet. That it may
    /// not come back some day must not look like a failure.
    pub fn note_whole(&self, case: &Case, outcome: FileOutcome) {
        if let Err(error) = self.store.save_whole(case, outcome) {
            tracing::warn!(%error, "whole-file outcome not noted");
        }
    }

    /// Makes a file again by a line for the shell, and stages what it makes; `Ok(Err)` says why that
    /// failed, and nothing was staged then.
    ///
    /// # Errors
    /// As for settling a whole file: nothing has changed then.
    pub fn regenerate(
        &self,
        case: &Case,
        line: &str,
        seen: &Seen,
    ) -> Result<Result<Written, String>, Error> {
        self.must_hold()?;
        remake(&self.repo, case, line, seen, &Cancel::default())
    }

    /// Forgets how a case was settled as a whole.
    pub fn undecide(&self, case: &Case) {
        self.store.drop_whole(case);
    }

    /// Puts a finished case back into conflict.
    ///
    /// # Errors
    /// If git or the disk refuses.
    pub fn take_back(&self, case: &Case, markers: &[u8]) -> Result<Written, Error> {
        self.must_hold()?;
        if let Some(loose) = &self.loose {
            loose.take_back()?;
        }
        take_back(&self.repo, case, markers)
    }

    /// Stages a file as it stands on disk.
    ///
    /// # Errors
    /// If git refuses, or the repository moved on.
    pub fn stage_again(&self, path: &RepoPath) -> Result<(), Error> {
        self.must_hold()?;
        stage_as_they_stand(&self.repo, std::slice::from_ref(path))
    }

    /// The files that git merged, one line each; none if it is not known.
    ///
    /// # Errors
    /// If git fails.
    pub fn merged_by_git(&self) -> Result<Option<Vec<String>>, Error> {
        merged_by_git(&self.repo, &Situation::read(&self.repo)?)
    }

    /// Makes a file that git merged a case; whether there is such a file.
    ///
    /// # Errors
    /// If git or the disk refuses, or the repository moved on.
    pub fn take_in(&self, path: &RepoPath) -> Result<bool, Error> {
        self.must_hold()?;
        take_in(&self.repo, &Situation::read(&self.repo)?, path)
    }

    /// What each side did to the declarations of all files.
    ///
    /// # Errors
    /// If git fails.
    pub fn terrain(&self) -> Result<Terrain, Error> {
        terrain(&self.repo, &Situation::read(&self.repo)?)
    }

    /// Checks all that is to be committed.
    ///
    /// # Errors
    /// If git fails.
    pub fn prove(&self, steps: CheckSteps) -> Result<Proof, Error> {
        self.prove_at(&Situation::read(&self.repo)?, steps)
    }

    /// The same in a situation that was read already.
    ///
    /// # Errors
    /// If git fails.
    pub fn prove_at(&self, situation: &Situation, steps: CheckSteps) -> Result<Proof, Error> {
        let mut proof = self.prover.prove(&self.repo, situation)?;
        let found = self
            .steps
            .so_far(&self.repo, situation, steps, &Cancel::default());
        add_steps(&mut proof, found, situation);
        Ok(proof)
    }

    /// Reviews the steps of a rebase that has just ended.
    pub fn finished_steps(&self, steps: CheckSteps) -> FinishedSteps {
        let cancel = Cancel::default();
        FinishedSteps::new(self.steps.of_last_rebase(&self.repo, steps, &cancel))
    }

    /// The project's own commands that can be run here; loose files have none.
    pub fn checks(&self, own: &[CheckSetting]) -> ProjectChecks {
        match self.loose {
            Some(_) => ProjectChecks::default(),
            None => project_checks(&self.repo, own),
        }
    }

    /// Accounts for drafts, each against what is staged where something is; in order.
    pub fn audit(&self, drafts: &[(&Case, &Draft)]) -> Vec<Report> {
        let cases: Vec<Case> = drafts.iter().map(|(case, _)| (*case).clone()).collect();
        // What cannot be read is accounted for by its draft alone.
        let staged = self.staged(&cases).unwrap_or_default();
        let report = |(case, draft): &(&Case, &Draft)| {
            audit(draft, staged.get(&case.path).map(|now| &now.text))
        };
        drafts.iter().map(report).collect()
    }

    /// Keeps the text of an edit in progress.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn save_unsaved_edit(&self, case: &Case, text: &str) -> Result<(), Error> {
        self.store.save_unsaved_edit(case, text)
    }

    /// Notes where a person is; losing it costs only a few keys.
    pub fn save_place(&self, place: &Place) {
        let bytes = serde_json::to_vec(place).unwrap_or_default();
        if let Err(error) = self.store.save_place(&bytes) {
            tracing::warn!(%error, "place not noted");
        }
    }

    /// Where a person was when the program was closed.
    pub fn place(&self) -> Option<Place> {
        serde_json::from_slice(&self.store.place()?).ok()
    }

    pub fn drop_unsaved_edit(&self, case: &Case) {
        self.store.drop_unsaved_edit(case);
    }

    /// What is remembered; an unreadable memory is none, and the log says so.
    pub fn past(&self) -> PastResolutions {
        let mut held = self.held_past();
        let read = || {
            let all = self.memory.read().unwrap_or_else(|error| {
                tracing::warn!(%error, "memory not read");
                Vec::new()
            });
            PastResolutions::new(&all, [])
        };
        held.get_or_insert_with(read).clone()
    }

    fn held_past(&self) -> MutexGuard<'_, Option<PastResolutions>> {
        match self.past.lock() {
            Ok(held) => held,
            Err(poisoned) => poisoned.into_inner(),
        }
    }

    fn forget_past(&self) {
        *self.held_past() = None;
    }

    /// Forgets what is remembered about the same three texts; how much that was.
    ///
    /// # Errors
    /// If the memory cannot be read or written.
    pub fn forget(&self, past: &PastResolution) -> Result<usize, Error> {
        let all = self.memory.read()?;
        let about: Vec<_> = (0..all.len()).filter(|n| all[*n].is_about(past)).collect();
        for nth in about.iter().rev() {
            self.memory.forget(*nth)?;
        }
        self.forget_past();
        Ok(about.len())
    }
}

/// Finishes or undoes what a killed program had begun; what that was, a line each. What is left of a
/// command that git was killed in is only named.
///
/// # Errors
/// If git or the disk refuses.
pub fn mended(repo: &Repository) -> Result<Vec<String>, Error> {
    let mut said: Vec<String> = mend(repo)?.iter().map(ToString::to_string).collect();
    said.extend(left_behind(repo)?.map(|left| match left {
        LeftBehind::Over(text) => text,
        LeftBehind::Torn(torn) => format!(
            "'{}' was interrupted: {} changed{} · 'armistice mend --undo' goes back to the state before it",
            torn.command,
            count(torn.files.len(), "file"),
            match torn.is_ending {
                true => "",
                false => " and no operation is in progress",
            }
        ),
    }));
    Ok(said)
}

/// Whether a text has conflict markers that came with the merge.
fn has_new_markers(text: &Source, versions: &Versions) -> bool {
    let inputs = Inputs {
        result: text,
        versions: Some(versions),
    };
    let stops = |f: &Finding| f.check == Check::Markers && f.weight == Weight::Stops;
    !find_markers(text).is_empty() && check(&inputs).iter().any(stops)
}

/// A path and the contents of its versions.
type Key = (RepoPath, [String; 3]);

fn key(case: &Case) -> Key {
    (case.path.clone(), case.stages.names())
}
