//! Everything the screens need to know at once: operation, parties, cases, message.

use crate::case::driven::{DrivenFile, driven, driven_into_head};
use crate::case::grouping::{MergeResult, grouped};
use crate::case::one::Case;
use crate::case::place::IndexState;
use crate::case::reading::{places_in_index, staged_entries};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::mark::Mark;
use crate::repo::operation::Operation;
use crate::repo::parties::Parties;
use crate::repo::repository::Repository;
use crate::repo::stages::Stages;
use crate::situation::stash::applied_stash;
use crate::situation::steps::{OperationStep, steps};
use crate::store::records::Store;
use serde::Serialize;

/// One commit, for a person.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Commit {
    /// Its full name.
    pub oid: String,
    /// Its short name.
    pub short: String,
    /// First line of its message.
    pub subject: String,
    /// Who wrote it.
    pub author: String,
    /// When, in seconds since 1970 (UTC).
    pub time: i64,
}

/// One of the two sides, by name.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Party {
    /// What it is called: a branch, "onto harbour/main", "your commit 2 of 5".
    pub label: String,
    /// The commit it stands for, where there is one.
    pub commit: Option<Commit>,
}

/// The remote branch that the current branch follows.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Upstream {
    /// Its name.
    pub name: String,
    /// Commits that it does not have.
    pub ahead: usize,
    /// Commits of it that are not here.
    pub behind: usize,
}

/// What git is in the middle of, and what stands in the way.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Situation {
    /// What is in progress.
    pub operation: Operation,
    /// Where the repository stands.
    pub mark: Mark,
    /// The branch it is about, if any.
    pub branch: Option<String>,
    /// Stage 2.
    pub ours: Party,
    /// Stage 3.
    pub theirs: Party,
    /// Of several branches merged at once, those that git merged into ours before the conflict.
    pub merged_before: Vec<String>,
    /// The conflicted paths in order.
    pub cases: Vec<Case>,
    /// The steps of the operation, if it has several.
    pub steps: Vec<OperationStep>,
    /// The message git prepared.
    pub message: PreparedMessage,
    /// Where nothing is in progress: the remote branch that is followed.
    pub upstream: Option<Upstream>,
    /// What rules settled while git merged, by file.
    pub driven: Vec<DrivenFile>,
    /// Whether that is in the commit that is checked out already.
    pub driven_is_committed: bool,
    /// What it is foreseen of, if nothing of it is in progress yet.
    pub foreseen: Option<Foreseen>,
    /// The stash that the conflicts come from, which git keeps.
    pub stash: Option<Commit>,
}

/// What a situation is foreseen of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Foreseen {
    /// What would be begun.
    pub undertaking: Undertaking,
    /// The commits that would be merged.
    pub(crate) parties: Parties,
    /// What git would leave: what it merges by itself stands there as it would be staged.
    pub(crate) tree: String,
}

impl Foreseen {
    /// The tree that git would leave.
    pub fn tree(&self) -> &str {
        &self.tree
    }
}

/// What can be begun with another line of commits, or one commit of it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Undertaking {
    /// Both lines become one.
    #[default]
    Merge,
    /// The own commits are made again on top of the other line.
    Rebase,
    /// What one commit did is done here too.
    Pick,
    /// What one commit did is undone.
    Revert,
}

impl Undertaking {
    /// All of them, in the order of the screen.
    pub const ALL: [Undertaking; 4] = [
        Undertaking::Merge,
        Undertaking::Rebase,
        Undertaking::Pick,
        Undertaking::Revert,
    ];

    /// What it is called.
    pub fn name(self) -> &'static str {
        match self {
            Undertaking::Merge => "merge",
            Undertaking::Rebase => "rebase",
            Undertaking::Pick => "pick",
            Undertaking::Revert => "revert",
        }
    }
}

impl Situation {
    /// How many conflicts rules settled while git merged.
    pub fn settled_while_merging(&self) -> usize {
        self.driven.iter().map(|file| file.settled.len()).sum()
    }

    /// Reads it; nothing is written by looking.
    ///
    /// # Errors
    /// If git fails.
    pub fn read(repo: &Repository) -> Result<Self, Error> {
        repo.forget_settings();
        let mark = Mark::read(repo)?;
        let operation = mark.operation;
        let branch = branch(repo)?;
        let mut places = places_in_index(repo)?;
        let records = Store::new(repo.git_dir()).records();
        let wrote = |path: &RepoPath, stages: &Stages| records.wrote_for(path, stages);
        let (settled, driven) = driven(repo, &places, &wrote)?;
        if operation == Operation::Loose {
            // git keeps the memory of settled conflicts beyond the operation that
            // made them; without one only those that we settled since the last
            // commit are reported.
            places.retain(|place| {
                place.standing == IndexState::Unmerged || records.wrote_on(&place.path, &mark.head)
            });
        }
        let parties = Parties::read(repo, operation)?;
        let stash = match applied_stash(repo, &parties, &places)? {
            Some(stash) => commit(repo, &stash)?,
            None => None,
        };
        let mut cases = grouped(repo, places, &parties, MergeResult::Index)?;
        name_staged(repo, &mut cases)?;
        cases.extend(settled);
        cases.sort_by(|a, b| a.path.cmp(&b.path));
        let (driven, driven_is_committed) = match cases.is_empty() && operation == Operation::Loose
        {
            true => (driven_into_head(repo)?, true),
            false => (driven, false),
        };
        let idle = operation == Operation::Loose && cases.is_empty();
        let merged_before = merged_before(repo, operation)?;
        Ok(Situation {
            upstream: match idle {
                true => upstream(repo)?,
                false => None,
            },
            driven,
            driven_is_committed,
            foreseen: None,
            stash,
            ours: ours(repo, operation, branch.as_deref(), &merged_before)?,
            merged_before,
            theirs: theirs(repo, operation)?,
            message: message(repo, operation)?,
            steps: steps(repo, operation, &cases)?,
            operation,
            mark,
            branch,
            cases,
        })
    }

    /// Whether there is anything to do at all.
    pub fn is_idle(&self) -> bool {
        self.operation == Operation::Loose && self.cases.is_empty()
    }
}

/// The remote branch that is followed, if there is one, as far as it was fetched.
fn upstream(repo: &Repository) -> Result<Option<Upstream>, Error> {
    let call = Invocation::read([
        "rev-parse",
        "--abbrev-ref",
        "--symbolic-full-name",
        "@{upstream}",
    ]);
    let name = repo.run(&call)?;
    if !name.ok() {
        return Ok(None);
    }
    let call = Invocation::read([
        "rev-list",
        "--left-right",
        "--count",
        "@{upstream}...HEAD",
        "--",
    ]);
    let counts = repo.run(&call)?;
    let text = counts.text();
    let mut numbers = text.split_whitespace().map(str::parse::<usize>);
    let (Some(Ok(behind)), Some(Ok(ahead))) = (numbers.next(), numbers.next()) else {
        return Ok(None);
    };
    Ok(counts.ok().then(|| Upstream {
        name: name.text(),
        ahead,
        behind,
    }))
}

/// Finds out under which of its names a case is staged.
fn name_staged(repo: &Repository, cases: &mut [Case]) -> Result<(), Error> {
    let is_named =
        |case: &&mut Case| case.standing == IndexState::Staged && case.name_clash().is_some();
    let named: Vec<&mut Case> = cases.iter_mut().filter(is_named).collect();
    let names = named.iter().flat_map(|case| case.name_clash()).flatten();
    let names: Vec<RepoPath> = names.cloned().collect();
    let staged = staged_entries(repo, &names.iter().collect::<Vec<_>>())?;
    for case in named {
        let names = case.name_clash().into_iter().flatten();
        let there: Vec<RepoPath> = names
            .filter(|path| staged.contains_key(path))
            .cloned()
            .collect();
        // Both may be staged, as two files.
        case.staged_path = match &there[..] {
            [path] => Some(path.clone()),
            _ => None,
        };
    }
    Ok(())
}

/// The branch being worked on; during a rebase HEAD is detached from it.
fn branch(repo: &Repository) -> Result<Option<String>, Error> {
    for file in ["rebase-merge/head-name", "rebase-apply/head-name"] {
        if let Some(name) = repo.state_file(file) {
            return Ok(Some(short_name(&name).to_owned()));
        }
    }
    let call = Invocation::read(["symbolic-ref", "--quiet", "HEAD"]);
    let output = repo.run(&call)?;
    Ok(output.ok().then(|| short_name(&output.text()).to_owned()))
}

fn short_name(reference: &str) -> &str {
    let heads = reference.strip_prefix("refs/heads/");
    heads
        .or_else(|| reference.strip_prefix("refs/remotes/"))
        .unwrap_or(reference)
}

fn ours(
    repo: &Repository,
    operation: Operation,
    branch: Option<&str>,
    before: &[String],
) -> Result<Party, Error> {
    let commit = commit(repo, "HEAD")?;
    let label = match (operation, branch) {
        (_, branch) if !before.is_empty() => {
            let at_hand = branch.unwrap_or("HEAD");
            format!("{at_hand} with {}", before.join(", "))
        }
        (Operation::Rebase { .. }, branch) => format!("onto {}", onto(repo, branch)?),
        (_, Some(branch)) => branch.to_owned(),
        (_, None) => match &commit {
            Some(commit) => format!("detached at {}", commit.short),
            None => "no commit yet".to_owned(),
        },
    };
    Ok(Party { label, commit })
}

fn onto(repo: &Repository, branch: Option<&str>) -> Result<String, Error> {
    let onto = ["rebase-merge/onto", "rebase-apply/onto"];
    let oid = onto.into_iter().find_map(|file| repo.state_file(file));
    let oid = oid.unwrap_or_else(|| "HEAD".to_owned());
    let names = names_of(repo, &oid)?;
    let name = names.into_iter().find(|n| Some(n.as_str()) != branch);
    Ok(name.unwrap_or_else(|| oid.chars().take(7).collect()))
}

/// A branch that points at a commit, or its short name.
pub(crate) fn branch_at(repo: &Repository, oid: &str) -> Result<String, Error> {
    let name = names_of(repo, oid)?.into_iter().next();
    Ok(name.unwrap_or_else(|| oid.chars().take(7).collect()))
}

/// Branches that point at a commit, local ones first.
fn names_of(repo: &Repository, oid: &str) -> Result<Vec<String>, Error> {
    let at = format!("--points-at={oid}");
    let call = Invocation::read([
        "for-each-ref",
        &at,
        "--format=%(refname)",
        "refs/heads",
        "refs/remotes",
    ]);
    let output = repo.run(&call)?;
    let text = output.text();
    let names = text.lines().filter(|n| !n.ends_with("/HEAD"));
    Ok(names.map(|n| short_name(n).to_owned()).collect())
}

fn theirs(repo: &Repository, operation: Operation) -> Result<Party, Error> {
    let heads = merge_heads(repo);
    // Of several branches git merges one after the other, and leaves none but the last in conflict.
    let last = heads.last().map_or("", String::as_str);
    let commit = match operation {
        Operation::Merge => commit(repo, last)?,
        _ => match operation.incoming() {
            Some(head) => commit(repo, head)?,
            None => None,
        },
    };
    let short = commit.as_ref().map_or("?", |c| c.short.as_str());
    let label = match operation {
        Operation::Merge => merged_name(repo, last)?.unwrap_or_else(|| short.to_owned()),
        Operation::Rebase { step, total, .. } => format!("your commit {step} of {total}"),
        Operation::CherryPick => "the picked commit".to_owned(),
        Operation::Revert => format!("without {short}"),
        Operation::Mailbox => "the mailed patch".to_owned(),
        Operation::Loose => "the changes being applied".to_owned(),
    };
    Ok(Party { label, commit })
}

/// The commits that are merged, in the order in which git merges them.
fn merge_heads(repo: &Repository) -> Vec<String> {
    let heads = repo.state_file("MERGE_HEAD").unwrap_or_default();
    heads.lines().map(str::to_owned).collect()
}

/// The names of all but the last of several branches that are merged at once.
fn merged_before(repo: &Repository, operation: Operation) -> Result<Vec<String>, Error> {
    let heads = merge_heads(repo);
    let earlier = match operation {
        Operation::Merge => &heads[..heads.len().saturating_sub(1)],
        _ => &[],
    };
    let mut names = Vec::new();
    for oid in earlier {
        let name = merged_name(repo, oid)?;
        names.push(name.unwrap_or_else(|| oid.chars().take(7).collect()));
    }
    Ok(names)
}

/// The branch being merged: of those at that commit, the one git's message quotes.
fn merged_name(repo: &Repository, oid: &str) -> Result<Option<String>, Error> {
    let names = names_of(repo, oid)?;
    let message = repo.state_file("MERGE_MSG").unwrap_or_default();
    let quoted = names.iter().find(|n| message.contains(&format!("'{n}'")));
    Ok(quoted.or(names.first()).cloned())
}

pub(crate) fn commit(repo: &Repository, revision: &str) -> Result<Option<Commit>, Error> {
    let format = "--format=%H%x00%h%x00%s%x00%an%x00%at";
    let call = Invocation::read(["log", "-1", "-z", format, revision, "--"]);
    let output = repo.run(&call)?;
    Ok(output.ok().then(|| parse_commit(&output.stdout)).flatten())
}

pub(crate) fn parse_commit(bytes: &[u8]) -> Option<Commit> {
    let text = String::from_utf8_lossy(bytes);
    let mut fields = text
        .trim_end_matches(['\0', '\n'])
        .split('\0')
        .map(str::to_owned);
    Some(Commit {
        oid: fields.next()?,
        short: fields.next()?,
        subject: fields.next()?,
        author: fields.next()?,
        time: fields.next()?.trim().parse().ok()?,
    })
}

fn message(repo: &Repository, operation: Operation) -> Result<PreparedMessage, Error> {
    let file = match operation {
        Operation::Rebase { .. } => ["rebase-merge/message", "rebase-apply/final-commit"],
        _ => ["MERGE_MSG", "rebase-apply/final-commit"],
    };
    let text = file.into_iter().find_map(|name| repo.state_file(name));
    let sign = match repo.config("core.commentstring")? {
        Some(sign) => Some(sign),
        None => repo.config("core.commentchar")?,
    };
    let sign = sign
        .filter(|s| s != "auto")
        .unwrap_or_else(|| "#".to_owned());
    let cleanup = repo.config("commit.cleanup")?;
    let text = text.unwrap_or_default();
    Ok(PreparedMessage::new(&text, &sign, cleanup.as_deref()))
}

/// Whether the message of a merge lists the files that were in conflict.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ConflictList {
    /// As a comment that git removes, unless `commit.cleanup` keeps comments.
    #[default]
    Git,
    /// As text that stays in the commit.
    Always,
    /// Not at all.
    Never,
}

/// The message that git has prepared.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct PreparedMessage {
    /// What git would commit of it, by `commit.cleanup`.
    pub as_git: String,
    /// The text without comments.
    text: String,
    /// Git's list of the files in conflict, without the sign of comments; empty if there is none.
    list: String,
}

impl PreparedMessage {
    /// `sign` begins a comment; `cleanup` is the value of `commit.cleanup`.
    fn new(message: &str, sign: &str, cleanup: Option<&str>) -> Self {
        let scissors = format!("{sign} ------------------------ >8 ------------------------");
        let trimmed = |text: &str| format!("{}\n", text.trim_end());
        let mut text = Vec::new();
        let mut list = String::new();
        for line in message.lines() {
            match line.strip_prefix(sign) {
                None => text.push(line),
                Some(" Conflicts:") => list = "Conflicts:\n".to_owned(),
                Some(path) if path.starts_with('\t') && !list.is_empty() => {
                    list.push_str(path);
                    list.push('\n');
                }
                Some(_) => {}
            }
        }
        let text = trimmed(&text.join("\n"));
        PreparedMessage {
            as_git: match cleanup {
                Some("verbatim" | "whitespace") => trimmed(message),
                Some("scissors") => {
                    let above = message.lines().take_while(|line| *line != scissors);
                    trimmed(&above.collect::<Vec<_>>().join("\n"))
                }
                _ => text.clone(),
            },
            text,
            list,
        }
    }

    /// Returns the message to conclude with.
    pub fn with(&self, list: ConflictList) -> String {
        match list {
            ConflictList::Git => self.as_git.clone(),
            ConflictList::Always if !self.list.is_empty() => {
                format!("{}\n{}", self.text, self.list)
            }
            ConflictList::Always | ConflictList::Never => self.text.clone(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_list_of_conflicted_files_is_kept_as_git_keeps_comments_or_as_the_settings_say() {
        use ConflictList::{Always, Git, Never};
        let prepared = "Merge branch 'x'\n\n# Conflicts:\n#\ta.rs\n#\tb c.py\n#\n# It looks like\n";
        let with = |cleanup, list| PreparedMessage::new(prepared, "#", cleanup).with(list);
        let listed = "Merge branch 'x'\n\nConflicts:\n\ta.rs\n\tb c.py\n";
        for cleanup in [None, Some("default"), Some("strip")] {
            assert_eq!(with(cleanup, Git), "Merge branch 'x'\n");
        }
        for cleanup in ["verbatim", "whitespace"] {
            assert_eq!(with(Some(cleanup), Git), prepared);
            assert_eq!(with(Some(cleanup), Never), "Merge branch 'x'\n");
        }
        assert_eq!(with(None, Always), listed);
        let cut = "Pick\n# 12\n# ------------------------ >8 ------------------------\n# Conflicts:\n#\ta\n";
        let message = PreparedMessage::new(cut, "#", Some("scissors"));
        assert_eq!(message.with(Git), "Pick\n# 12\n");
        assert_eq!(message.with(Always), "Pick\n\nConflicts:\n\ta\n");
        assert_eq!(
            PreparedMessage::new("#12 fix\n", ";", None).with(Git),
            "#12 fix\n"
        );
    }
}
