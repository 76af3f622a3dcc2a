//! The steps of a rebase, a range of picks or reverts, or a mailbox: done, this one, to come.
//!
//! Read from the files in which git keeps them. What cannot be read of them is left out: git alone
//! decides what it does next.

use crate::case::one::Case;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::operation::{Backend, Operation};
use crate::repo::repository::Repository;
use serde::Serialize;
use std::collections::{HashMap, HashSet};

/// How far a step is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum StepState {
    /// It was carried out.
    Done,
    /// git stopped at it.
    This,
    /// It comes later.
    ToCome,
}

/// One step.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct OperationStep {
    /// How far it is.
    pub state: StepState,
    /// What git does: "pick", "edit", "exec", …
    pub command: String,
    /// The commit that it is about, by its full name.
    pub commit: Option<String>,
    /// The subject of that commit, or what is run.
    pub subject: String,
    /// Files in conflict now that it changes too, if it is still to come.
    pub touches: Vec<RepoPath>,
}

/// Steps to come that are looked into for files that are in conflict now.
const LOOKED_INTO: usize = 200;

/// The steps of the operation in progress, in order; none of a merge.
///
/// # Errors
/// If git fails.
pub(crate) fn steps(
    repo: &Repository,
    operation: Operation,
    cases: &[Case],
) -> Result<Vec<OperationStep>, Error> {
    let mut steps = match operation {
        Operation::Rebase {
            backend: Backend::Merge,
            ..
        } => of_rebase(repo)?,
        Operation::Rebase { .. } | Operation::Mailbox => of_patches(repo),
        Operation::CherryPick | Operation::Revert => of_sequence(repo)?,
        Operation::Merge | Operation::Loose => Vec::new(),
    };
    find_touched(repo, &mut steps, cases)?;
    Ok(steps)
}

fn of_rebase(repo: &Repository) -> Result<Vec<OperationStep>, Error> {
    let sign = comment_sign(repo)?;
    let read = |file: &str| {
        let text = repo.state_file(file).unwrap_or_default();
        parse(&text, &sign, StepState::ToCome)
    };
    let mut steps = read("rebase-merge/done");
    let last = steps.len().saturating_sub(1);
    for (nth, step) in steps.iter_mut().enumerate() {
        step.state = match nth == last {
            true => StepState::This,
            false => StepState::Done,
        };
    }
    steps.extend(read("rebase-merge/git-rebase-todo"));
    Ok(steps)
}

/// Picks and reverts: the first line of what is to do is the current one; what was committed since
/// the beginning is done.
fn of_sequence(repo: &Repository) -> Result<Vec<OperationStep>, Error> {
    let Some(todo) = repo.state_file("sequencer/todo") else {
        return Ok(Vec::new());
    };
    let mut steps = Vec::new();
    if let Some(head) = repo.state_file("sequencer/head") {
        let range = format!("{}..HEAD", head.trim());
        let call = Invocation::read(["log", "--reverse", "--format=%H %s", &range, "--"]);
        let done = repo.run(&call)?.text();
        steps.extend(done.lines().filter_map(|line| {
            let (commit, subject) = line.split_once(' ')?;
            Some(OperationStep {
                state: StepState::Done,
                command: "pick".to_owned(),
                commit: Some(commit.to_owned()),
                subject: subject.to_owned(),
                touches: Vec::new(),
            })
        }));
    }
    let mut left = parse(&todo, &comment_sign(repo)?, StepState::ToCome);
    if let Some(first) = left.first_mut() {
        first.state = StepState::This;
    }
    steps.extend(left);
    Ok(steps)
}

/// Patches, numbered files with a mail in each.
fn of_patches(repo: &Repository) -> Vec<OperationStep> {
    let number = |file: &str| -> usize {
        let text = repo.state_file(file);
        text.and_then(|text| text.trim().parse().ok()).unwrap_or(0)
    };
    let (next, last) = (number("rebase-apply/next"), number("rebase-apply/last"));
    let step = |n: usize| {
        let mail = repo.state_file(&format!("rebase-apply/{n:04}"));
        let (commit, subject) = mail.as_deref().map(of_mail).unwrap_or_default();
        OperationStep {
            state: match n.cmp(&next) {
                std::cmp::Ordering::Less => StepState::Done,
                std::cmp::Ordering::Equal => StepState::This,
                std::cmp::Ordering::Greater => StepState::ToCome,
            },
            command: "apply".to_owned(),
            commit,
            subject,
            touches: Vec::new(),
        }
    };
    (1..=last).map(step).collect()
}

/// The commit and the subject that a mail tells of.
fn of_mail(mail: &str) -> (Option<String>, String) {
    let first = mail.lines().next().unwrap_or_default();
    let commit = first
        .strip_prefix("From ")
        .and_then(|rest| rest.split(' ').next());
    let is_name = |name: &&str| name.len() >= 40 && name.bytes().all(|b| b.is_ascii_hexdigit());
    let subject = mail.lines().find_map(|line| line.strip_prefix("Subject: "));
    let subject = subject.unwrap_or_default();
    let plain = match subject.strip_prefix('[') {
        Some(rest) => rest.split_once("] ").map_or(subject, |(_, rest)| rest),
        None => subject,
    };
    (commit.filter(is_name).map(str::to_owned), plain.to_owned())
}

fn comment_sign(repo: &Repository) -> Result<String, Error> {
    let sign = repo.config("core.commentchar")?;
    Ok(sign
        .filter(|s| s != "auto")
        .unwrap_or_else(|| "#".to_owned()))
}

/// Parses a list of steps: `COMMAND [-C] [COMMIT] [# ]REST`, one a line.
fn parse(text: &str, comment: &str, state: StepState) -> Vec<OperationStep> {
    let lines = text.lines().map(str::trim);
    let lines = lines.filter(|line| !line.is_empty() && !line.starts_with(comment));
    let step = |line: &str| {
        let (command, rest) = line.split_once(' ').unwrap_or((line, ""));
        // Of a merge the commit whose message it takes.
        let rest = rest
            .strip_prefix("-C ")
            .or(rest.strip_prefix("-c "))
            .unwrap_or(rest);
        let word = rest.split(' ').next().unwrap_or_default();
        let is_commit = word.len() >= 4
            && word.bytes().all(|b| b.is_ascii_hexdigit())
            && !matches!(
                command,
                "exec" | "x" | "label" | "l" | "reset" | "t" | "break" | "b"
            );
        let rest = match is_commit {
            true => rest[word.len()..].trim_start(),
            false => rest,
        };
        OperationStep {
            state,
            command: long_name(command).to_owned(),
            commit: is_commit.then(|| word.to_owned()),
            subject: rest.strip_prefix("# ").unwrap_or(rest).to_owned(),
            touches: Vec::new(),
        }
    };
    lines.map(step).collect()
}

fn long_name(command: &str) -> &str {
    match command {
        "p" => "pick",
        "r" => "reword",
        "e" => "edit",
        "s" => "squash",
        "f" => "fixup",
        "x" => "exec",
        "b" => "break",
        "d" => "drop",
        "l" => "label",
        "t" => "reset",
        "m" => "merge",
        "u" => "update-ref",
        other => other,
    }
}

/// Finds which steps to come change files that are in conflict now.
fn find_touched(
    repo: &Repository,
    steps: &mut [OperationStep],
    cases: &[Case],
) -> Result<(), Error> {
    let coming = |step: &&OperationStep| step.state == StepState::ToCome;
    let commits: Vec<String> = steps
        .iter()
        .filter(coming)
        .filter_map(|step| step.commit.clone())
        .take(LOOKED_INTO)
        .collect();
    if commits.is_empty() || cases.is_empty() {
        return Ok(());
    }
    // In a list that is still to be carried out names may be short.
    let call = Invocation::read(["rev-parse", "--verify", "--quiet"]);
    let mut full = HashMap::new();
    for commit in &commits {
        if commit.len() >= 40 {
            full.insert(commit.clone(), commit.clone());
        } else {
            let output = repo.run(&call.clone().arg(commit))?;
            if output.ok() {
                full.insert(output.text(), commit.clone());
            }
        }
    }
    let asked: String = full.keys().map(|name| format!("{name}\n")).collect();
    let call = Invocation::read(["diff-tree", "--stdin", "-r", "-z", "--name-only", "--root"]);
    let output = repo.run(&call.stdin(asked))?;
    let ours: HashSet<&RepoPath> = cases
        .iter()
        .flat_map(|case| case.paths().chain(case.names.iter().flatten()))
        .collect();
    let mut touched: HashMap<String, Vec<RepoPath>> = HashMap::new();
    let mut commit: Option<&String> = None;
    for word in output
        .stdout
        .split(|b| *b == 0)
        .filter(|word| !word.is_empty())
    {
        let known = std::str::from_utf8(word)
            .ok()
            .and_then(|word| full.get(word));
        if known.is_some() {
            commit = known;
            continue;
        }
        let path = RepoPath::new(word);
        if let Some(commit) = commit.filter(|_| ours.contains(&path)) {
            touched.entry(commit.clone()).or_default().push(path);
        }
    }
    for step in steps
        .iter_mut()
        .filter(|step| step.state == StepState::ToCome)
    {
        let commit = step.commit.as_ref();
        step.touches = commit
            .and_then(|c| touched.get(c))
            .cloned()
            .unwrap_or_default();
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lists_of_steps_are_read_in_short_and_in_long() {
        let text = "pick 91a0346 Add the night surcharge\nf dc41eb8a # Keep a berth\n\n# a comment\nexec make test\nx true\nmerge -C 4c04b689 night # Merge the night\nlabel onto\nbreak\n";
        let steps = parse(text, "#", StepState::ToCome);
        let brief = |step: &OperationStep| {
            let commit = step.commit.clone().unwrap_or_default();
            format!("{} {commit} {}", step.command, step.subject)
        };
        assert_eq!(
            steps.iter().map(brief).collect::<Vec<_>>(),
            [
                "pick 91a0346 Add the night surcharge",
                "fixup dc41eb8a Keep a berth",
                "exec  make test",
                "exec  true",
                "merge 4c04b689 night # Merge the night",
                "label  onto",
                "break  ",
            ]
        );
    }

    #[test]
    fn a_mail_tells_its_commit_and_its_subject() {
        let name = "0123456789012345678901234567890123456789";
        let mail =
            format!("From {name} Mon Sep 17\nFrom: Ines\nSubject: [PATCH 2/3] Post the list\n\n");
        assert_eq!(
            of_mail(&mail),
            (Some(name.to_owned()), "Post the list".to_owned())
        );
        assert_eq!(of_mail("Subject: Plain\n"), (None, "Plain".to_owned()));
    }
}
