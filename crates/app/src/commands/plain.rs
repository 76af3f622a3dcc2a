//! The same work without a screen: docket, settle, proof, conclude.

use crate::base::safe_text::{count, visible};
use crate::base::settings::Settings;
use crate::commands::cli::By;
use crate::commands::exit::Exit;
use crate::run::worker::{Job, RuleSettings, Worker};
use crate::state::action::WorkResult;
use crate::state::effect::{Effect, Trouble};
use crate::state::file::{FileLoad, FileState, OpenFile};
use crate::state::findings::detail;
use anyhow::{Context, Result, bail};
use armistice_core::{
    Certainty, ConflictId, Entry, Event, Report, Resolution, SideReport, Step, Version,
};
use armistice_git::{
    Case, FileOutcome, IndexState, Operation, Overwrite, Proof, RepoPath, Repository, Situation,
    Verdict, prove, whose_words,
};
use serde::Serialize;
use std::io::Read;
use std::os::unix::ffi::OsStrExt;
use std::path::{Component, Path, PathBuf};

#[derive(Serialize)]
struct DocketJson<'a> {
    operation: Operation,
    ours: &'a armistice_git::Party,
    theirs: &'a armistice_git::Party,
    cases: Vec<CaseJson<'a>>,
}

#[derive(Serialize)]
struct CaseJson<'a> {
    path: &'a RepoPath,
    kind: armistice_git::CaseKind,
    standing: IndexState,
    ours: &'static str,
    theirs: &'static str,
    versions: &'a armistice_git::Stages,
    conflicts: usize,
    open: usize,
    by_rule: usize,
    by_you: usize,
    /// Open conflicts for which a rule proposes something.
    proposed: usize,
    mergeable: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    why_not: Option<String>,
    outcomes: Vec<FileOutcome>,
}

/// Loads cases with the decisions recorded about them.
fn loaded(worker: &Worker, cases: &[Case], rules: &RuleSettings) -> Vec<FileState> {
    let mut files: Vec<_> = cases.iter().cloned().map(FileState::new).collect();
    for (nth, chunk) in cases.chunks(64).enumerate() {
        let at = |i| nth * 64 + i;
        let job = Job {
            generation: 0,
            effect: Effect::Load((0..chunk.len()).map(at).collect()),
            cases: chunk.to_vec(),
            rules: rules.clone(),
        };
        if let Some(WorkResult::Loaded(loads)) = worker.perform(job) {
            for (at, load) in loads {
                files[at].load = load;
            }
        }
    }
    files
}

fn rule_settings(situation: &Situation) -> Result<RuleSettings> {
    Ok(RuleSettings::new(situation, &Settings::read()?))
}

pub(crate) fn docket(repo: &Repository, json: bool) -> Result<Exit> {
    let situation = Situation::read(repo)?;
    let worker = Worker::new(repo.clone());
    let files = loaded(&worker, &situation.cases, &rule_settings(&situation)?);
    let left = files
        .iter()
        .any(|f| f.case.standing == IndexState::Unmerged);
    match json {
        true => {
            let out = DocketJson {
                operation: situation.operation,
                ours: &situation.ours,
                theirs: &situation.theirs,
                cases: files.iter().map(case_json).collect(),
            };
            println!("{}", serde_json::to_string_pretty(&out)?);
        }
        false => print_docket(&situation, &files),
    }
    Ok(if left { Exit::Open } else { Exit::Done })
}

fn case_json(file: &FileState) -> CaseJson<'_> {
    let counts = file.counts().unwrap_or_default();
    let (ours, theirs) = whose_words(file.case.kind);
    CaseJson {
        path: &file.case.path,
        kind: file.case.kind,
        standing: file.case.standing,
        ours,
        theirs,
        versions: &file.case.stages,
        conflicts: counts.conflicts,
        open: counts.open,
        by_rule: counts.by_rule,
        by_you: counts.by_person(),
        proposed: file.proposals().count(),
        mergeable: file.open().is_some(),
        why_not: match &file.load {
            FileLoad::Whole(whole) => Some(whole.why.to_owned()),
            FileLoad::Failed(why) => Some(why.clone()),
            _ => None,
        },
        outcomes: file.case.outcomes(),
    }
}

fn print_docket(situation: &Situation, files: &[FileState]) {
    let party = |p: &armistice_git::Party| match &p.commit {
        Some(c) => format!("{} · {} {}", p.label, c.short, visible(&c.subject)),
        None => p.label.clone(),
    };
    println!("{}", situation.operation.name());
    println!("  ours    {}", party(&situation.ours));
    println!("  theirs  {}", party(&situation.theirs));
    for file in files {
        let counts = file.counts().unwrap_or_default();
        let (ours, theirs) = whose_words(file.case.kind);
        let state = match (file.case.standing, counts.open) {
            (IndexState::Staged, _) => "staged".to_owned(),
            (_, 0) => "settled, not written".to_owned(),
            (_, n) => format!("{n} of {} open", counts.conflicts),
        };
        let ruled = match (counts.by_rule, file.proposals().count()) {
            (0, 0) => String::new(),
            (n, 0) => format!(" · {n} settled by rule"),
            (n, p) => format!(" · {n} settled by rule, {p} with a proposal"),
        };
        println!(
            "{}\n    {state}{ruled}; ours {ours}, theirs {theirs}",
            file.case.path
        );
        if let FileLoad::Whole(whole) = &file.load {
            println!("    {}", whole.why);
        }
    }
    if files.is_empty() {
        println!("no file is in conflict");
    }
}

/// The path that a file has from the top of the work tree.
fn repo_path(repo: &Repository, file: &Path) -> Result<RepoPath> {
    let cwd = std::env::current_dir().context("cannot tell the current folder")?;
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
            "'{}' is outside of the work tree '{}'",
            file.display(),
            top.display()
        )
    })?;
    Ok(RepoPath::new(inside.as_os_str().as_bytes()))
}

pub(crate) fn settle(
    repo: &Repository,
    paths: &[PathBuf],
    by: By,
    conflict: Option<usize>,
    overwrite: Overwrite,
) -> Result<Exit> {
    let situation = Situation::read(repo)?;
    let mut cases = Vec::new();
    // All paths are looked up before anything is changed.
    for path in paths {
        let path = repo_path(repo, path)?;
        match situation.cases.iter().find(|c| c.path == path) {
            Some(case) if case.standing == IndexState::Unmerged => cases.push(case),
            Some(_) => bail!("'{path}' is staged already; nothing in it is open"),
            None => bail!("'{path}' is not in conflict; 'armistice docket' lists what is"),
        }
    }
    let worker = Worker::new(repo.clone());
    let rules = rule_settings(&situation)?;
    let mut exit = Exit::Done;
    for case in cases {
        if settle_one((&worker, &rules), case, by, conflict, overwrite)? == Exit::Open {
            exit = Exit::Open;
        }
    }
    Ok(exit)
}

fn settle_one(
    (worker, rules): (&Worker, &RuleSettings),
    case: &Case,
    by: By,
    conflict: Option<usize>,
    overwrite: Overwrite,
) -> Result<Exit> {
    let mut files = loaded(worker, std::slice::from_ref(case), rules);
    let file = &mut files[0];
    let version = match by {
        By::Ours => Some(Version::Ours),
        By::Theirs => Some(Version::Theirs),
        By::Base => Some(Version::Base),
        By::Rule => None,
    };
    let effect = match &mut file.load {
        FileLoad::Lines(open) => {
            let entries = entries(open, version, conflict, &case.path)?;
            if !entries.is_empty() {
                let name = version.map_or("rule", Version::name);
                let label = format!("settled {} by {name}", count(entries.len(), "conflict"));
                let event = Event::Do(Step::new(label, entries));
                let unsaved = open.session.take_unsaved();
                open.session.apply(&event)?;
                record(worker, case, unsaved.into_iter().chain([event]).collect())?;
            } else if let Some(first) = open.session.take_unsaved() {
                record(worker, case, vec![first])?;
            }
            let left = open.draft().counts().open;
            if left > 0 {
                println!("{}: {} still open", case.path, count(left, "conflict"));
                return Ok(Exit::Open);
            }
            Effect::Write {
                file: 0,
                bytes: open.draft().bytes(),
                seen: open.seen.clone(),
                overwrite,
            }
        }
        FileLoad::Whole(whole) => {
            let Some(version) = version else {
                bail!(
                    "'{}' has no lines for a rule to look at: {}",
                    case.path,
                    whole.why
                );
            };
            let outcome = whole_outcome(case, version, whole.why)?;
            Effect::SettleWhole {
                file: 0,
                outcome,
                seen: whole.seen.clone(),
                overwrite,
            }
        }
        FileLoad::Failed(why) => bail!("{}: {why}", case.path),
        FileLoad::Waiting => bail!("{}: not read", case.path),
    };
    carry_out(worker, case, effect)
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
    open: &OpenFile,
    version: Option<Version>,
    conflict: Option<usize>,
    path: &RepoPath,
) -> Result<Vec<Entry>> {
    let settle = |id| match version {
        Some(version) => Some(Entry::Settle(id, Resolution::Take(version))),
        None => Entry::of_ruling(id, open.proposal(id)?, Certainty::Likely),
    };
    let Some(number) = conflict else {
        return Ok(open.draft().open().filter_map(settle).collect());
    };
    let all = open.plan().conflicts().len();
    let id = number
        .checked_sub(1)
        .and_then(|n| open.plan().region_of(ConflictId(n as u32)));
    match id {
        Some(id) => Ok(settle(id).into_iter().collect()),
        None => bail!("'{path}' has no conflict {number}; they are numbered 1 to {all}"),
    }
}

fn record(worker: &Worker, case: &Case, events: Vec<Event>) -> Result<()> {
    let job = Job {
        generation: 0,
        effect: Effect::Record(0, events),
        cases: vec![case.clone()],
        rules: RuleSettings::default(),
    };
    match worker.perform(job) {
        Some(WorkResult::Recorded(_, Err(why))) => bail!("{}: {why}", case.path),
        _ => Ok(()),
    }
}

fn carry_out(worker: &Worker, case: &Case, effect: Effect) -> Result<Exit> {
    let job = Job {
        generation: 0,
        effect,
        cases: vec![case.clone()],
        rules: RuleSettings::default(),
    };
    match worker.perform(job) {
        Some(WorkResult::Wrote(_, Ok(wrote))) => {
            println!("{}: {}", case.path, wrote.what);
            Ok(Exit::Done)
        }
        Some(WorkResult::Wrote(_, Err(Trouble::Changed(_)))) => bail!(
            "'{}' was changed outside of Armistice and nothing was written; --overwrite keeps a copy of it and writes",
            case.path
        ),
        Some(WorkResult::Wrote(_, Err(Trouble::Other(why)))) => bail!("{}: {why}", case.path),
        _ => bail!("{}: nothing was done", case.path),
    }
}

/// The proof, and what became of every line.
#[derive(Serialize)]
struct Detailed {
    #[serde(flatten)]
    proof: Proof,
    audit: AuditJson,
}

#[derive(Default, Serialize)]
struct AuditJson {
    ours: SideReport,
    theirs: SideReport,
    files: Vec<FileAudit>,
}

#[derive(Serialize)]
struct FileAudit {
    path: RepoPath,
    #[serde(flatten)]
    report: Report,
}

fn detailed(repo: &Repository, situation: &Situation) -> Result<Detailed> {
    let rules = rule_settings(situation)?;
    let worker = Worker::new(repo.clone());
    let files = loaded(&worker, &situation.cases, &rules);
    let mut proof = detail(prove(repo, situation)?, &files);
    let mut audit = AuditJson::default();
    for file in &files {
        let Some(open) = file.open() else { continue };
        let report = worker.audit(&file.case, open.draft());
        audit.ours += report.ours;
        audit.theirs += report.theirs;
        proof.add_findings(&file.case.path, &report.findings);
        audit.files.push(FileAudit {
            path: file.case.path.clone(),
            report,
        });
    }
    Ok(Detailed { proof, audit })
}

pub(crate) fn proof(repo: &Repository, json: bool) -> Result<Exit> {
    let situation = Situation::read(repo)?;
    let proof = detailed(repo, &situation)?;
    if json {
        println!("{}", serde_json::to_string_pretty(&proof)?);
    } else {
        print_proof(&proof.proof);
    }
    Ok(match proof.proof.findings.is_empty() {
        true => Exit::Done,
        false => Exit::Open,
    })
}

fn print_proof(proof: &Proof) {
    for item in &proof.findings {
        let line = item.finding.line.map_or(String::new(), |l| format!(":{l}"));
        println!("{}{line}: {}", item.path, visible(&item.finding.what));
    }
    let files = count(proof.files, "file");
    match proof.stops() {
        0 => println!("{files} checked, nothing stands in the way"),
        n => println!("{files} checked, {} in the way", count(n, "finding")),
    }
}

pub(crate) fn conclude(repo: &Repository, message: Option<&Path>, despite: bool) -> Result<Exit> {
    let situation = Situation::read(repo)?;
    if situation.operation == Operation::Loose {
        bail!("no merge, rebase, cherry-pick or revert is under way");
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
    let text = message.unwrap_or_else(|| situation.message.clone());
    let text = Some(text).filter(|t| !t.trim().is_empty());
    let after = armistice_git::conclude(repo, text.as_deref())?;
    let name = situation.operation.name();
    match after.verdict {
        Verdict::Concluded => {
            println!("the {name} is concluded");
            Ok(Exit::Done)
        }
        Verdict::NextStep => {
            println!("on to the next step; 'armistice docket' lists its conflicts");
            Ok(Exit::Open)
        }
        Verdict::Refused | Verdict::BackedOut => {
            bail!("git or a hook refused; nothing was lost:\n{}", after.told)
        }
    }
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
