//! `docket`, `settle` and `conclude`: the work of the screens on the plain command line.

use crate::base::json::json_text;
use crate::base::safe_text::{count, visible};
use crate::base::settings::Settings;
use crate::case::checks::{outstanding, project_checks};
use crate::case::choices::clashing;
use crate::case::findings::{marker_words, settled_while_merging, several_at_once};
use crate::case::finish::Finish;
use crate::case::load::CaseLoad;
use crate::case::opened::{OpenedFile, Unfinished};
use crate::case::service::CaseService;
use crate::case::steps::FinishedSteps;
use crate::commands::cli::{By, IfEmpty, ModeOf};
use crate::commands::drawing::read_record;
use crate::commands::exit::Exit;
use crate::commands::output::{complain, raw, say};
use crate::commands::proof::{detailed, print_proof};
use crate::commands::reading::{Read, read_all, rule_settings};
use crate::view::who::commit_line;
use anyhow::{Context, Result, bail};
use armistice_core::{
    Certainty, ConflictId, Entry, Event, PerSide, Side, Step, Version, rule_title,
};
use armistice_git::{
    Cancel, Case, Commit, Ending, Error, FileOutcome, IndexState, LeftBehind, Leftover, MarkerFile,
    Mode, Operation, Overwrite, RepoPath, Repository, Situation, StepState, Verdict, history,
    left_behind, marker_files, remove_leftovers,
};
use serde::Serialize;
use std::io::Read as _;
use std::os::unix::ffi::OsStrExt;
use std::path::{Component, Path, PathBuf};
use std::time::{SystemTime, UNIX_EPOCH};

#[derive(Serialize)]
struct DocketJson<'a> {
    operation: Operation,
    ours: &'a armistice_git::Party,
    theirs: &'a armistice_git::Party,
    /// The steps of a rebase or a range.
    steps: &'a [armistice_git::OperationStep],
    cases: Vec<CaseJson<'a>>,
    /// What rules settled while git merged, where no screen appears.
    settled_while_merging: Vec<DrivenJson<'a>>,
    /// Whether that is in the commit that is checked out already.
    settled_is_committed: bool,
    /// Tracked files with conflict markers while no operation is in progress.
    markers: &'a [MarkerFile],
}

#[derive(Serialize)]
struct DrivenJson<'a> {
    path: RepoPath,
    conflicts: &'a [armistice_git::DrivenConflict],
}

#[derive(Serialize)]
struct CaseJson<'a> {
    path: &'a RepoPath,
    /// The same in hexadecimal bytes: what is printed has escapes.
    path_bytes: String,
    /// All its unmerged paths; where it is staged, those that were.
    paths: Vec<&'a RepoPath>,
    /// What base, ours and theirs call it.
    names: &'a [Option<RepoPath>; 3],
    kind: armistice_git::CaseKind,
    standing: IndexState,
    /// Why a staged file is not finished, if so.
    #[serde(skip_serializing_if = "Option::is_none")]
    unfinished: Option<&'static str>,
    /// What each side did.
    ours: String,
    theirs: String,
    versions: &'a armistice_git::Stages,
    conflicts: usize,
    open: usize,
    by_rule: usize,
    by_you: usize,
    /// Settled by what somebody staged without this program.
    elsewhere: usize,
    /// Open conflicts for which a rule proposes something.
    proposed: usize,
    mergeable: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    why_not: Option<String>,
    outcomes: Vec<FileOutcome>,
    /// The commits of each side that touch the file, newest first.
    #[serde(skip_serializing_if = "Option::is_none")]
    who: Option<&'a PerSide<Vec<Commit>>>,
}

pub(crate) fn docket(repo: &Repository, json: bool, who: bool) -> Result<Exit> {
    let situation = Situation::read(repo)?;
    let service = CaseService::new(repo.clone());
    let files = read_all(
        &service,
        &situation.cases,
        &rule_settings(repo, &situation)?,
    );
    let is_left =
        |f: &Read| f.case.standing == IndexState::Unmerged || f.load.unfinished().is_some();
    let left = files.iter().any(is_left);
    let markers = match situation.is_idle() {
        true => marker_files(repo).unwrap_or_else(|why| {
            complain!("armistice: not checked for conflict markers: {why}");
            Vec::new()
        }),
        false => Vec::new(),
    };
    let left = left || markers.iter().any(MarkerFile::is_new);
    let mut touched = Vec::new();
    for file in files.iter().filter(|_| who) {
        let found = history(repo, situation.operation, &file.case, None)?;
        touched.push(found.map(|side| side.commits));
    }
    match json {
        true => {
            let out = DocketJson {
                operation: situation.operation,
                ours: &situation.ours,
                theirs: &situation.theirs,
                steps: &situation.steps,
                cases: (files.iter().enumerate())
                    .map(|(at, file)| CaseJson {
                        who: touched.get(at),
                        ..case_json(file)
                    })
                    .collect(),
                settled_while_merging: (situation.driven.iter())
                    .map(|file| DrivenJson {
                        path: file.path(),
                        conflicts: &file.settled,
                    })
                    .collect(),
                settled_is_committed: situation.driven_is_committed,
                markers: &markers,
            };
            raw(format!("{}\n", json_text(&out)?).as_bytes());
        }
        false => print_docket(&situation, &files, &touched, &markers),
    }
    Ok(if left { Exit::Open } else { Exit::Done })
}

fn case_json(file: &Read) -> CaseJson<'_> {
    let counts = file.load.counts(&file.case);
    let [ours, theirs] = file.case.words();
    CaseJson {
        path: &file.case.path,
        path_bytes: file.case.path.hex(),
        paths: file
            .case
            .places
            .iter()
            .filter(|place| place.standing == file.case.standing)
            .map(|place| &place.path)
            .collect(),
        names: &file.case.names,
        kind: file.case.kind,
        standing: file.case.standing,
        unfinished: file.load.unfinished().map(Unfinished::words),
        ours,
        theirs,
        versions: &file.case.stages,
        conflicts: counts.conflicts,
        open: counts.open,
        by_rule: counts.by_rule,
        by_you: counts.by_person(),
        elsewhere: counts.elsewhere,
        proposed: proposed(file),
        mergeable: file.load.open().is_some(),
        why_not: match &file.load {
            CaseLoad::Whole(whole) => Some(whole.why.to_owned()),
            CaseLoad::Failed(why) => Some(why.clone()),
            CaseLoad::Lines(_) => None,
        },
        outcomes: file.case.outcomes(),
        who: None,
    }
}

/// Open conflicts for which a rule proposes something.
fn proposed(file: &Read) -> usize {
    file.load.open().map_or(0, |open| open.proposals().count())
}

fn print_docket(
    situation: &Situation,
    files: &[Read],
    who: &[PerSide<Vec<Commit>>],
    markers: &[MarkerFile],
) {
    let party = |p: &armistice_git::Party| match &p.commit {
        Some(c) => format!("{} · {} {}", p.label, c.short, visible(&c.subject)),
        None => p.label.clone(),
    };
    if situation.is_idle() {
        say!("no merge, rebase, cherry-pick or revert is in progress; no file is in conflict");
        print_driven(situation);
        if let Some(said) = marker_words(markers) {
            say!("{said}");
        }
        return;
    }
    say!("{}", situation.operation.name());
    say!("  ours    {}", party(&situation.ours));
    say!("  theirs  {}", party(&situation.theirs));
    if let Some(said) = several_at_once(situation) {
        say!("  {}", visible(&said));
    }
    let this = situation
        .steps
        .iter()
        .position(|s| s.state == StepState::This);
    if let Some(this) = this {
        let step = &situation.steps[this];
        let (n, all) = (this + 1, situation.steps.len());
        say!("  step    {n} of {all}: {}", visible(&step.subject));
    }
    for (at, file) in files.iter().enumerate() {
        let counts = file.load.counts(&file.case);
        let [ours, theirs] = file.case.words();
        let state = match (file.case.standing, counts.open) {
            (IndexState::Staged, open) if let Some(why) = file.load.unfinished() => {
                format!("{} · {open} of {} open", why.words(), counts.conflicts)
            }
            (IndexState::Staged, _) if file.case.as_merged => "as git merged it".to_owned(),
            (IndexState::Staged, _) => "staged".to_owned(),
            (_, 0) => "settled, not written".to_owned(),
            (_, n) => format!("{n} of {} open", counts.conflicts),
        };
        let ruled = match (counts.by_rule, proposed(file)) {
            (0, 0) => String::new(),
            (n, 0) => format!(" · {n} settled by rule"),
            (n, p) => format!(" · {n} settled by rule, {p} with a suggestion"),
        };
        say!(
            "{}\n    {state}{ruled}; ours {ours}, theirs {theirs}",
            file.case.title()
        );
        if file.case.title() != file.case.path.to_string() {
            say!("    as {}", file.case.path);
        }
        if let CaseLoad::Whole(whole) = &file.load {
            say!("    {}", whole.why);
        }
        for side in Side::BOTH {
            for commit in who.get(at).into_iter().flat_map(|who| &who[side]) {
                let side = Version::from(side).name();
                say!("    {side}  {}", commit_line(commit, now()));
            }
        }
    }
    if files.is_empty() {
        say!("no file is in conflict");
    }
    print_driven(situation);
}

/// Seconds since 1970.
fn now() -> i64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH);
    since.map_or(0, |since| since.as_secs() as i64)
}

/// What rules settled where nobody was shown it.
fn print_driven(situation: &Situation) {
    let Some(said) = settled_while_merging(situation) else {
        return;
    };
    say!("{said}");
    for file in &situation.driven {
        for conflict in &file.settled {
            let (path, line) = (file.path(), conflict.line);
            let title = rule_title(&conflict.rule);
            say!("  {path}:{line}: {title}: {}", visible(&conflict.reason));
        }
    }
}

/// The path that a file has from the top of the work tree.
fn repo_path(repo: &Repository, file: &Path) -> Result<RepoPath> {
    let cwd = std::env::current_dir().context("cannot read the current folder")?;
    let mut whole = PathBuf::new();
    for part in cwd.canonicalize()?.join(file).components() {
        match part {
            Component::ParentDir => {
                whole.pop();
            }
            Component::CurDir => {}
            part => whole.push(part),
        }
    }
    let top = repo.work_tree().canonicalize()?;
    let inside = whole.strip_prefix(&top).map_err(|_| {
        anyhow::anyhow!(
            "'{}' is outside the working tree '{}'",
            file.display(),
            top.display()
        )
    })?;
    Ok(RepoPath::new(inside.as_os_str().as_bytes()))
}

/// How conflicts shall be settled.
pub(crate) struct SettleOrder {
    pub(crate) by: By,
    /// Whose mode counts where both added the file with different ones.
    pub(crate) mode: Option<ModeOf>,
    /// The name that it gets.
    pub(crate) name: Option<PathBuf>,
    pub(crate) conflict: Option<usize>,
    pub(crate) overwrite: Overwrite,
}

impl SettleOrder {
    /// The mode that a file gets that both added with different ones; why it is not known.
    fn mode(&self, case: &Case) -> Result<Option<Mode>> {
        let Some([ours, theirs]) = case.stages.mode_clash() else {
            return Ok(None);
        };
        Ok(Some(match (self.mode, self.by) {
            (Some(ModeOf::Ours), _) | (None, By::Ours) => ours,
            (Some(ModeOf::Theirs), _) | (None, By::Theirs) => theirs,
            (None, _) => bail!(
                "'{}': both sides added it with different modes; choose one with --mode",
                case.path
            ),
        }))
    }
}

impl SettleOrder {
    /// The name that a file gets; why it is not known.
    fn name(&self, repo: &Repository, case: &Case) -> Result<Option<RepoPath>> {
        if let Some(name) = &self.name {
            return repo_path(repo, name).map(Some);
        }
        let Some([first, second]) = case.name_clash() else {
            return Ok(None);
        };
        Ok(Some(match self.by {
            By::Ours if case.has_two_names() => first.clone(),
            By::Theirs if case.has_two_names() => second.clone(),
            // Where git suggests a name, taking a side takes the suggestion.
            By::Ours | By::Theirs | By::Base => first.clone(),
            By::OwnName => second.clone(),
            By::Rule | By::Remove | By::Both => bail!(
                "'{}' has two names: choose '{first}' or '{second}' with --name",
                case.path
            ),
        }))
    }

    /// The outcome of a whole file that was asked for, whether it has lines or not.
    fn whole(&self) -> Option<FileOutcome> {
        match self.by {
            By::Remove => Some(FileOutcome::Remove),
            By::Both => Some(FileOutcome::Both),
            By::OwnName => Some(FileOutcome::OwnName),
            By::Ours | By::Theirs | By::Base | By::Rule => None,
        }
    }
}

pub(crate) fn settle(repo: &Repository, paths: &[PathBuf], order: &SettleOrder) -> Result<Exit> {
    let situation = Situation::read(repo)?;
    let mut cases = Vec::new();
    // All paths are looked up before anything is changed.
    for path in paths {
        let path = repo_path(repo, path)?;
        match situation.cases.iter().find(|c| c.has_path(&path)) {
            Some(case) if cases.contains(case) => {}
            Some(case) => cases.push(case.clone()),
            None => bail!("'{path}' is not in conflict; 'armistice docket' lists the conflicts"),
        }
    }
    let service = CaseService::new(repo.clone());
    let read = read_all(&service, &cases, &rule_settings(repo, &situation)?);
    let is_done =
        |f: &&Read| f.case.standing == IndexState::Staged && f.load.unfinished().is_none();
    if let Some(done) = read.iter().find(is_done) {
        bail!(
            "'{}' is already staged and has no open conflict",
            done.case.path
        );
    }
    // What can be refused for all of them is refused before anything is changed.
    let steps: Vec<_> = read
        .iter()
        .map(|file| {
            if let Some(outcome) = order.whole() {
                let named = outcome == FileOutcome::Both && order.name.is_some();
                if !named && !file.case.outcomes().contains(&outcome) {
                    bail!(
                        "'{}': '{}' is not possible here",
                        file.case.path,
                        outcome.name()
                    );
                }
                return Ok(Task::Whole(outcome));
            }
            order.mode(&file.case)?;
            order.name(repo, &file.case)?;
            step_for(file, order.by, order.conflict)
        })
        .collect::<Result<_>>()?;
    let mut settling = Settling {
        service: &service,
        order,
        open: false,
        finish: Vec::new(),
        refused: Vec::new(),
    };
    for (file, step) in read.into_iter().zip(steps) {
        settling.settle(file, step)?;
    }
    settling.finish()
}

/// What shall be done to one case.
enum Task {
    /// These decisions about its lines, with a label for the journal.
    Decide(String, Vec<Entry>),
    /// One whole-file outcome.
    Whole(FileOutcome),
}

fn step_for(file: &Read, by: By, conflict: Option<usize>) -> Result<Task> {
    let path = &file.case.path;
    let version = match by {
        By::Ours => Some(Version::Ours),
        By::Theirs => Some(Version::Theirs),
        By::Base => Some(Version::Base),
        By::Rule | By::Remove | By::Both | By::OwnName => None,
    };
    match (&file.load, version) {
        (CaseLoad::Lines(open), _) => {
            let entries = entries(open, version, conflict, path)?;
            let name = version.map_or("rule", Version::name);
            let label = format!("settled {} by {name}", count(entries.len(), "conflict"));
            Ok(Task::Decide(label, entries))
        }
        (CaseLoad::Whole(whole), Some(version)) => {
            whole_outcome(&file.case, version, whole.why).map(Task::Whole)
        }
        (CaseLoad::Whole(whole), None) => {
            bail!(
                "'{path}' has no lines that a rule could merge: {}",
                whole.why
            )
        }
        (CaseLoad::Failed(why), _) => bail!("{path}: {why}"),
    }
}

/// Cases being settled; those in which no conflict is open any more are finished together.
struct Settling<'a> {
    service: &'a CaseService,
    order: &'a SettleOrder,
    /// Whether something is still open.
    open: bool,
    finish: Vec<Finish>,
    refused: Vec<String>,
}

impl Settling<'_> {
    fn settle(&mut self, file: Read, task: Task) -> Result<()> {
        let Read { case, load } = file;
        match (load, task) {
            (CaseLoad::Lines(mut open), Task::Decide(label, entries)) => {
                let unsaved = open.take_unsaved();
                let mut events: Vec<Event> = unsaved.into_iter().collect();
                if !entries.is_empty() {
                    let event = Event::Do(Step::new(label, entries));
                    open.apply(&event)?;
                    events.push(event);
                }
                let recorded = self.service.record(&case, &events);
                if let Err(error) = recorded {
                    // The others go on; what is not recorded is not written either.
                    self.refused.push(format!("{}: {error}", case.path));
                    return Ok(());
                }
                match open.counts().open {
                    0 => self.finish.push(Finish {
                        mode: self.order.mode(&case)?,
                        name: self.order.name(self.service.repo(), &case)?,
                        ..Finish::new(&case, &open, self.order.overwrite)
                    }),
                    left => {
                        say!("{}: {} still open", case.path, count(left, "conflict"));
                        self.open = true;
                    }
                }
            }
            (load, Task::Whole(outcome)) => {
                let seen = match load {
                    CaseLoad::Whole(whole) => whole.seen,
                    CaseLoad::Lines(open) => open.seen.clone(),
                    CaseLoad::Failed(why) => bail!("{}: {why}", case.path),
                };
                let service = self.service;
                let name = match &self.order.name {
                    Some(name) => Some(repo_path(service.repo(), name)?),
                    None => None,
                };
                let overwrite = self.order.overwrite;
                let done = service.settle_whole(&case, outcome, name.as_ref(), &seen, overwrite);
                let what = format!("settled as a whole by {}", outcome.name());
                self.tell(&case, done.map(|_| what));
            }
            // Tasks are made out of what was read.
            (_, _) => bail!("{}: nothing was done", case.path),
        }
        Ok(())
    }

    fn tell(&mut self, case: &Case, done: Result<String, Error>) {
        match done {
            Ok(what) => say!("{}: {what}", case.path),
            Err(Error::ChangedOutside { path }) => self.refused.push(format!(
                "'{path}' changed on disk since it was read, and nothing was written; --overwrite copies it aside and writes"
            )),
            Err(Error::ReadOnly { path }) => self.refused.push(format!(
                "'{path}' is read-only, and nothing was written; --overwrite copies it aside and writes"
            )),
            Err(error) => self.refused.push(format!("{}: {error}", case.path)),
        }
    }

    /// Writes, stages and remembers what is settled, all in a few calls of git.
    fn finish(mut self) -> Result<Exit> {
        let files = std::mem::take(&mut self.finish);
        let done = self.service.finish(&files);
        for (file, result) in files.iter().zip(done.results) {
            self.tell(&file.case, result.map(|_| "wrote and staged".to_owned()));
        }
        if let Some(error) = done.not_remembered {
            complain!("armistice: the resolution was not stored: {error}");
        }
        match self.refused.is_empty() {
            true if self.open => Ok(Exit::Open),
            true => Ok(Exit::Done),
            false => bail!("{}", self.refused.join("\n")),
        }
    }
}

/// For a whole file, a side that removed it means removing it.
fn whole_outcome(case: &Case, version: Version, why: &str) -> Result<FileOutcome> {
    let outcome = match version {
        Version::Ours => FileOutcome::Ours,
        Version::Theirs => FileOutcome::Theirs,
        Version::Base => FileOutcome::Base,
    };
    let possible = case.outcomes();
    match case.stage(outcome) {
        _ if possible.contains(&outcome) => Ok(outcome),
        None if version != Version::Base && possible.contains(&FileOutcome::Remove) => {
            Ok(FileOutcome::Remove)
        }
        _ => bail!(
            "'{}' cannot be settled by {}: {why}",
            case.path,
            version.name()
        ),
    }
}

fn entries(
    open: &OpenedFile,
    version: Option<Version>,
    conflict: Option<usize>,
    path: &RepoPath,
) -> Result<Vec<Entry>> {
    let settle = |id| match version {
        Some(version) => Some(Entry::Settle(id, clashing(open.plan(), id, version))),
        None => Entry::of_ruling(id, open.proposal(id)?, Certainty::Likely),
    };
    let Some(number) = conflict else {
        return Ok(open.draft().open().filter_map(settle).collect());
    };
    let all = open.plan().conflicts().len();
    let id = number
        .checked_sub(1)
        .and_then(|n| open.plan().region_of(ConflictId(u32::try_from(n).ok()?)));
    match id {
        Some(id) => Ok(settle(id).into_iter().collect()),
        None => bail!("'{path}' has no conflict {number}; they are numbered 1 to {all}"),
    }
}

/// How the command line wants an operation concluded.
pub(crate) struct ConcludeOrder<'a> {
    pub(crate) message: Option<&'a Path>,
    pub(crate) despite_findings: bool,
    pub(crate) empty: Option<IfEmpty>,
    pub(crate) remove_backups: bool,
}

pub(crate) fn conclude(repo: &Repository, order: &ConcludeOrder<'_>) -> Result<Exit> {
    let &ConcludeOrder {
        message,
        despite_findings: despite,
        empty,
        ..
    } = order;
    let service = CaseService::new(repo.clone());
    let situation = service.situation()?;
    if situation.operation == Operation::Loose {
        bail!("no merge, rebase, cherry-pick or revert is in progress");
    }
    let message = message.map(read_message).transpose()?;
    let proof = detailed(repo, &situation)?.proof;
    let open = situation
        .cases
        .iter()
        .any(|c| c.standing == IndexState::Unmerged);
    if open || (proof.stops() > 0 && !despite) {
        print_proof(&proof);
        return Ok(Exit::Open);
    }
    let settings = Settings::read()?;
    let checks = project_checks(repo, &settings.checks);
    let left = outstanding(&checks, &proof.stands);
    if !left.is_empty() && !despite {
        for why in left {
            say!("{why}");
        }
        say!("'armistice proof --run' runs them; --despite-findings concludes anyway");
        return Ok(Exit::Open);
    }
    let text = message.unwrap_or_else(|| situation.message.with(settings.conflict_list));
    let text = Some(text).filter(|t| !t.trim().is_empty());
    let record = read_record(repo, &situation)?;
    let ending = match empty.filter(|_| proof.empty) {
        None => Ending::Conclude,
        Some(IfEmpty::Skip) => Ending::Skip,
        Some(IfEmpty::Keep) => Ending::KeepEmpty,
    };
    let (text, staged) = (text.as_deref(), Some(&*proof.staged));
    let after = service.end(ending, text, staged, Some(&record), &Cancel::default())?;
    if let Some(why) = &after.untidy {
        complain!("armistice: git is done, but the stored decisions could not be removed: {why}");
    }
    tidy(repo, &after.leftovers, order.remove_backups)?;
    let name = situation.operation.name();
    match after.verdict {
        Verdict::Concluded => {
            say!("the {name} is concluded");
            let steps = match situation.operation {
                Operation::Rebase { .. } => service.finished_steps(settings.check_steps),
                _ => FinishedSteps::default(),
            };
            for found in &steps.findings {
                say!("  ! {}  {}", found.path, found.finding.what);
            }
            if let Some(why) = &steps.not_reviewed {
                say!("  ? {why}");
            }
            if steps.findings.is_empty() {
                return Ok(Exit::Done);
            }
            say!("'armistice review --rebased' shows what each commit changed");
            Ok(Exit::Open)
        }
        Verdict::NextStep => {
            say!("continued with the next step; 'armistice docket' lists its conflicts");
            Ok(Exit::Open)
        }
        Verdict::Empty => {
            say!(
                "this step became empty: its changes are already in the branch, or were discarded; '--empty skip' leaves it out, '--empty keep' makes an empty commit"
            );
            Ok(Exit::Open)
        }
        Verdict::Refused | Verdict::BackedOut => {
            if let Some(LeftBehind::Torn(_)) = left_behind(repo)? {
                bail!(
                    "git stopped before it was done; 'armistice mend --undo' restores the state before:\n{}",
                    after.message
                );
            }
            bail!(
                "git or a hook refused; nothing was lost:\n{}",
                after.message
            )
        }
    }
}

/// Tells which backup files git left, and removes them if that was asked for.
fn tidy(repo: &Repository, leftovers: &[Leftover], remove: bool) -> Result<()> {
    if !remove {
        for left in leftovers {
            say!("{}: a backup file of git mergetool is left", left.path);
        }
        return Ok(());
    }
    for (path, copy) in remove_leftovers(repo, leftovers)? {
        say!("{path}: removed, kept as '{}'", copy.display());
    }
    Ok(())
}

fn read_message(file: &Path) -> Result<String> {
    if file == Path::new("-") {
        let mut text = String::new();
        std::io::stdin()
            .read_to_string(&mut text)
            .context("cannot read the message from standard input")?;
        return Ok(text);
    }
    std::fs::read_to_string(file)
        .with_context(|| format!("cannot read the message '{}'", file.display()))
}
