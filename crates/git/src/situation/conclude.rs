//! Concluding, skipping and backing out; the log afterwards.

use crate::case::one::Case;
use crate::case::place::IndexState;
use crate::file::folders::{ROOT, make_folder};
use crate::file::owner::temp_prefix;
use crate::file::work_file::{Seen, WorkFile};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation, Output};
use crate::repo::mark::Mark;
use crate::repo::operation::{Backend, Operation};
use crate::repo::repository::Repository;
use crate::situation::interrupted::{is_torn, not_in_index};
use crate::situation::read::{Commit, Situation, parse_commit};
use crate::situation::staged::{is_empty_step, staged_print};
use crate::store::intent::Intent;
use crate::store::records::Store;
use crate::worktree::leftovers::{Leftover, leftovers, note_leftovers};
use serde::Serialize;
use std::ffi::OsString;
use std::path::PathBuf;

/// What is done with the operation in progress.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Ending {
    /// Commit, and go on to the next step if there is one.
    Conclude,
    /// Commit although nothing is left to commit, and go on.
    KeepEmpty,
    /// Leave this step out and go on.
    Skip,
    /// Go back to how it was before the operation.
    BackOut,
}

/// How an ending went.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct After {
    /// What happened.
    pub verdict: Verdict,
    /// All that git and the hooks printed.
    pub message: String,
    /// The commit that was made of what was decided, if one was.
    pub commit: Option<String>,
    /// Copies of working files that backing out or skipping discarded.
    pub kept: Vec<PathBuf>,
    /// Backup files of git's own that lie beside what was in conflict.
    pub leftovers: Vec<Leftover>,
    /// Why the notes of what was decided could not be put away, if so.
    pub untidy: Option<String>,
}

/// What came of an ending.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Verdict {
    /// The operation is over.
    Concluded,
    /// The next step waits, most likely with conflicts.
    NextStep,
    /// The operation is over and everything is as before.
    BackedOut,
    /// git or a hook refused: the operation is where it was. If git died half-way,
    /// [`left_behind`](crate::left_behind) tells what is left of it.
    Refused,
    /// All that the step would bring is there already: it is to be skipped or kept as an empty
    /// commit, and which of them was not said. Nothing has changed.
    Empty,
}

/// What a person has seen when they end an operation.
#[derive(Clone, Copy, Debug, Default)]
pub struct SeenState<'a> {
    /// Where the repository stood, if that is known.
    pub mark: Option<&'a Mark>,
    /// What was staged when it was checked: [`Proof::staged`](crate::Proof::staged).
    pub staged: Option<&'a str>,
    /// The message to conclude with; git's own if `None`.
    pub message: Option<&'a str>,
}

/// Carries out an ending.
///
/// # Errors
/// If git cannot be run, was cancelled, or there is no operation to end; and if the repository is
/// not as it was seen: nothing was done then. A refusal of git is no error but a verdict.
pub fn run_ending(repo: &Repository, ending: Ending, seen: &SeenState<'_>) -> Result<After, Error> {
    if let Some(mark) = seen.mark {
        mark.must_hold(repo)?;
    }
    let before = Situation::read(repo)?;
    if let Some(staged) = seen.staged
        && staged != staged_print(repo)?
    {
        return Err(Error::MovedOn {
            what: "what is staged is not what was checked".to_owned(),
        });
    }
    let mark = &before.mark;
    let store = Store::new(repo.git_dir());
    // git leaves such a step out of a rebase without a word, and refuses it elsewhere.
    let had_conflicts = !before.cases.is_empty();
    let is_unmerged = |case: &Case| case.standing == IndexState::Unmerged;
    if ending == Ending::Conclude
        && !before.cases.iter().any(is_unmerged)
        && is_empty_step(repo, before.operation, had_conflicts)?
    {
        return Ok(After {
            verdict: Verdict::Empty,
            message: String::new(),
            commit: None,
            kept: Vec::new(),
            leftovers: Vec::new(),
            untidy: None,
        });
    }
    let kept = match ending {
        Ending::Conclude | Ending::KeepEmpty => Vec::new(),
        Ending::Skip | Ending::BackOut => keep_work(repo, &store, &before.cases)?,
    };
    let words = words(ending, before.operation)?;
    // git inherits the lock: a program that starts after this one was killed waits until git has ended.
    let _lock = store.command_lock()?;
    let intent = Intent::to_end(repo, words, not_in_index(repo)?, kept.clone())?;
    let output = match ending {
        Ending::Conclude => conclude_call(repo, before.operation, seen.message),
        Ending::KeepEmpty => keep_empty(repo, before.operation, seen.message),
        Ending::Skip => simple_call(repo, before.operation, "--skip"),
        Ending::BackOut => simple_call(repo, before.operation, "--abort"),
    };
    // From 128 on git gave up or a signal ended it. With 1 it stopped or refused; a hook that refuses may
    // have changed files, and that is not half a command.
    let gave_up = match &output {
        Ok(output) => output.code.is_none_or(|code| code >= 128),
        Err(_) => true,
    };
    let is_torn = gave_up && is_torn(repo, &intent)?;
    if !is_torn {
        Intent::forget(repo)?;
    }
    let output = output?;
    let over = Operation::detect(repo)? == Operation::Loose;
    let verdict = match ending {
        Ending::BackOut if over && output.ok() => Verdict::BackedOut,
        Ending::BackOut => Verdict::Refused,
        _ if over && output.ok() => Verdict::Concluded,
        // Stopping at the next conflict is exit 1 as well; only the state tells them apart.
        _ if !is_torn && *mark != Mark::read(repo)? => Verdict::NextStep,
        _ => Verdict::Refused,
    };
    // git has done what was asked for: what cannot be put away must not look like a failure.
    let untidy = match verdict {
        Verdict::Concluded | Verdict::NextStep => store.close_books().err(),
        Verdict::BackedOut => store.forget_written().err(),
        Verdict::Refused | Verdict::Empty => None,
    };
    Ok(After {
        verdict,
        message: output.message(),
        untidy: untidy.map(|why| why.to_string()),
        commit: match (ending, verdict) {
            (Ending::Conclude | Ending::KeepEmpty, Verdict::Concluded | Verdict::NextStep) => {
                first_since(repo, &before.mark)?
            }
            _ => None,
        },
        kept: kept.into_iter().map(|(_, copy)| copy).collect(),
        // What was asked for is done by now, whether or not the folders can be looked through.
        leftovers: match verdict {
            Verdict::Concluded | Verdict::NextStep | Verdict::BackedOut => {
                let left = leftovers(repo, &before.cases).unwrap_or_default();
                if let Err(why) = note_leftovers(repo, &left) {
                    tracing::warn!(%why, "backup files are not noted");
                }
                left
            }
            Verdict::Refused | Verdict::Empty => Vec::new(),
        },
    })
}

/// The first commit that was made since: later ones are steps in which nothing clashed.
fn first_since(repo: &Repository, mark: &Mark) -> Result<Option<String>, Error> {
    let since = mark.head.as_ref().map(|head| format!("^{head}"));
    let call = Invocation::read(["rev-list", "--first-parent", "HEAD"]);
    let call = since.iter().fold(call, |call, since| call.arg(since));
    let listed = repo.run(&call.arg("--"))?.text();
    Ok(listed.lines().last().map(str::to_owned))
}

/// Commits an empty step, and goes on.
fn keep_empty(
    repo: &Repository,
    operation: Operation,
    message: Option<&str>,
) -> Result<Output, Error> {
    let command = operation.command().ok_or_else(nothing_to_end)?;
    let commit = ["-c", "commit.cleanup=whitespace", "commit", "--allow-empty"];
    let mails = matches!(operation, Operation::Mailbox);
    let author = if mails { mail_author(repo) } else { Vec::new() };
    let own = mails.then(|| repo.state_file("rebase-apply/final-commit"));
    let own = own.flatten();
    let message = message.or(own.as_deref());
    let call = match (operation, operation.incoming(), message) {
        // The author and the date are those of the commit that is replayed.
        (Operation::Rebase { .. }, Some(head), _) => {
            Invocation::conclude(commit).arg("-C").arg(head)
        }
        (_, _, Some(text)) => Invocation::conclude(commit).arg("-F").arg("-").stdin(text),
        _ => Invocation::conclude(commit).arg("--no-edit"),
    };
    let call = author
        .iter()
        .fold(call, |call, (key, value)| call.env(key, value));
    let output = repo.run(&call)?;
    if !output.ok() {
        return Ok(output);
    }
    if matches!(operation, Operation::Rebase { .. })
        && let Some(text) = message
    {
        let amend = [
            "commit",
            "--amend",
            "--allow-empty",
            "--no-verify",
            "-F",
            "-",
        ];
        let output = repo.run(&Invocation::conclude(amend).stdin(text))?;
        if !output.ok() {
            return Ok(output);
        }
    }
    match Operation::detect(repo)? {
        Operation::Loose => Ok(output),
        // Patches know only of their own commits: the one that was made here is gone past.
        Operation::Mailbox
        | Operation::Rebase {
            backend: Backend::Apply,
            ..
        } => repo.run(&Invocation::conclude([command, "--skip"])),
        _ => repo.run(&Invocation::conclude([command, "--continue"])),
    }
}

/// The author of the mailed patch that is applied, as variables for git.
fn mail_author(repo: &Repository) -> Vec<(String, String)> {
    let script = repo
        .state_file("rebase-apply/author-script")
        .unwrap_or_default();
    let variable = |line: &str| {
        let (key, value) = line.split_once('=')?;
        let value = value.strip_prefix('\'')?.strip_suffix('\'')?;
        let known = ["GIT_AUTHOR_NAME", "GIT_AUTHOR_EMAIL", "GIT_AUTHOR_DATE"].contains(&key);
        known.then(|| (key.to_owned(), value.replace("'\\''", "'")))
    };
    script.lines().filter_map(variable).collect()
}

fn conclude_call(
    repo: &Repository,
    operation: Operation,
    message: Option<&str>,
) -> Result<Output, Error> {
    let command = operation.command().ok_or_else(nothing_to_end)?;
    let message = message.filter(|_| operation.takes_message());
    if operation == Operation::Merge {
        let call = match message {
            Some(text) => {
                Invocation::conclude(["commit", "--cleanup=whitespace", "-F", "-"]).stdin(text)
            }
            None => Invocation::conclude(["commit", "--no-edit"]),
        };
        return repo.run(&call);
    }
    let mut call = Invocation::conclude(["-c", "commit.cleanup=whitespace", command, "--continue"]);
    // Continuing asks an editor for the message; ours copies the one that was chosen.
    let mut holder = None;
    if let Some(text) = message {
        // In the store, where the next start sweeps what a program that was killed has left.
        let folder = repo.git_dir().join(ROOT);
        make_folder(&folder)?;
        let file = tempfile::Builder::new()
            .prefix(&temp_prefix())
            .tempfile_in(&folder);
        let file = file.map_err(Error::file("create", "a temporary file"))?;
        std::fs::write(file.path(), text).map_err(Error::file("write", file.path()))?;
        call = call.env("GIT_EDITOR", copying_editor(file.path()));
        holder = Some(file);
    }
    let output = repo.run(&call);
    drop(holder);
    output
}

/// A shell command that overwrites its argument with the message.
fn copying_editor(file: &std::path::Path) -> OsString {
    let path = file.display().to_string().replace('\'', "'\\''");
    OsString::from(format!("cp '{path}'"))
}

fn simple_call(repo: &Repository, operation: Operation, flag: &str) -> Result<Output, Error> {
    let command = operation.command().ok_or_else(nothing_to_end)?;
    repo.run(&Invocation::conclude([command, flag]))
}

fn nothing_to_end() -> Error {
    Error::Failed {
        command: "status".to_owned(),
        status: "no operation in progress".to_owned(),
        message: "there is no merge, rebase, cherry-pick or revert to conclude".to_owned(),
    }
}

/// The words after `git` of the command that carries out an ending.
fn words(ending: Ending, operation: Operation) -> Result<Vec<String>, Error> {
    let command = operation.command().ok_or_else(nothing_to_end)?;
    let words: &[&str] = match (ending, operation) {
        (Ending::Conclude, Operation::Merge) => &["commit"],
        (Ending::Conclude, _) => &[command, "--continue"],
        (Ending::KeepEmpty, _) => &["commit", "--allow-empty"],
        (Ending::Skip, _) => &[command, "--skip"],
        (Ending::BackOut, _) => &[command, "--abort"],
    };
    Ok(words.iter().map(|word| (*word).to_owned()).collect())
}

/// Copies what is about to be discarded: the paths, and the files of the copies.
fn keep_work(
    repo: &Repository,
    store: &Store,
    cases: &[Case],
) -> Result<Vec<(RepoPath, PathBuf)>, Error> {
    let mut kept = Vec::new();
    for case in cases {
        let work = WorkFile::read(repo.work_tree(), &case.path)?;
        if matches!(work.seen, Seen::File(..) | Seen::Link(_)) {
            let copy = store.keep(&case.path, &work.bytes)?;
            kept.push((case.path.clone(), copy));
        }
    }
    Ok(kept)
}

/// One line of the log.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LogLine {
    /// The lines of descent that git draws in front.
    pub graph: String,
    /// The commit, unless the line holds lines of descent alone.
    pub commit: Option<Commit>,
    /// Names that point there.
    pub names: String,
}

/// The newest `n` commits.
///
/// # Errors
/// If git fails.
pub fn log(repo: &Repository, n: usize) -> Result<Vec<LogLine>, Error> {
    let format = "--format=%x00%H%x00%h%x00%s%x00%an%x00%at%x00%D";
    let call = Invocation::read([
        "log",
        "--graph",
        "--color=never",
        format,
        "-n",
        &n.to_string(),
    ]);
    let output = repo.must(&call)?;
    let lines = output
        .stdout
        .split(|b| *b == b'\n')
        .filter(|l| !l.is_empty());
    Ok(lines.map(parse_log_line).collect())
}

fn parse_log_line(line: &[u8]) -> LogLine {
    let mut parts = line.splitn(2, |b| *b == 0);
    let text =
        |bytes: Option<&[u8]>| String::from_utf8_lossy(bytes.unwrap_or_default()).into_owned();
    let graph = text(parts.next());
    let rest = parts.next();
    let names = rest.and_then(|r| r.rsplit(|b| *b == 0).next());
    LogLine {
        graph,
        commit: rest.and_then(parse_commit),
        names: text(names),
    }
}
