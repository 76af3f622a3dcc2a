//! What is staged against each commit that it would stand on.

use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::Oid;
use crate::repo::operation::Operation;
use crate::repo::parties::empty_tree;
use crate::repo::repository::Repository;
use crate::situation::read::{Situation, branch_at};
use armistice_core::{Side, Source};
use std::collections::HashMap;

/// A commit that the next one would stand on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Parent {
    /// What it is called: a branch, or "harbour/main and 2 steps".
    pub label: String,
    /// Whose it is; none for the third and further parents.
    pub side: Option<Side>,
}

/// A file in which what is staged differs from a parent.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StagedFile {
    /// Where it is.
    pub path: RepoPath,
    /// What the parent has there, if it has an ordinary file or a link.
    pub before: Option<Oid>,
    /// What is staged there, likewise.
    pub after: Option<Oid>,
    /// Lines added and removed, as git counts them; none for what has no lines.
    pub lines: Option<(usize, usize)>,
    /// What became of it, in one word or a few.
    pub what: &'static str,
}

/// What is staged against one parent.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AgainstParent {
    /// Which.
    pub parent: Parent,
    /// The files that differ, in order.
    pub files: Vec<StagedFile>,
}

impl AgainstParent {
    /// Lines added and removed in all files.
    pub fn lines(&self) -> (usize, usize) {
        let lines = self.files.iter().filter_map(|file| file.lines);
        lines.fold((0, 0), |sum, (added, removed)| {
            (sum.0 + added, sum.1 + removed)
        })
    }
}

/// What is staged against each parent of the commit to be made: one, or all that a merge joins.
///
/// Paths still in conflict are left out: nothing is staged there.
///
/// # Errors
/// If git fails.
pub fn staged_against_parents(
    repo: &Repository,
    situation: &Situation,
) -> Result<Vec<AgainstParent>, Error> {
    let head = match &situation.ours.commit {
        Some(commit) => commit.oid.clone(),
        None => empty_tree(repo)?,
    };
    let label = match situation.operation {
        Operation::Rebase { .. } => replayed_onto(repo, situation, &head)?,
        _ => situation.ours.label.clone(),
    };
    let mut parents = vec![(label, Some(Side::Ours), head)];
    if situation.operation == Operation::Merge {
        let heads = repo.state_file("MERGE_HEAD").unwrap_or_default();
        let heads: Vec<&str> = heads.lines().collect();
        for (nth, oid) in heads.iter().enumerate() {
            let label = match heads.len() {
                1 => situation.theirs.label.clone(),
                _ => branch_at(repo, oid)?,
            };
            let side = (nth == 0).then_some(Side::Theirs);
            parents.push((label, side, (*oid).to_owned()));
        }
    }
    parents
        .into_iter()
        .map(|(label, side, oid)| {
            Ok(AgainstParent {
                parent: Parent { label, side },
                files: staged_files(repo, &oid)?,
            })
        })
        .collect()
}

/// In a rebase the next commit stands on the steps before it, not on the branch.
fn replayed_onto(repo: &Repository, situation: &Situation, head: &str) -> Result<String, Error> {
    let label = &situation.ours.label;
    let label = label.strip_prefix("onto ").unwrap_or(label).to_owned();
    let onto = ["rebase-merge/onto", "rebase-apply/onto"];
    let Some(onto) = onto.into_iter().find_map(|file| repo.state_file(file)) else {
        return Ok(label);
    };
    let call = Invocation::read(["rev-list", "--count", &format!("{onto}..{head}"), "--"]);
    let output = repo.run(&call)?;
    Ok(match output.text().trim() {
        "" | "0" => label,
        "1" => format!("{label} and 1 step"),
        n => format!("{label} and {n} steps"),
    })
}

/// The texts of a file before and after; nothing for what is no text.
///
/// # Errors
/// If git fails.
pub fn staged_texts(repo: &Repository, file: &StagedFile) -> Result<Option<[Source; 2]>, Error> {
    let wanted: Vec<Oid> = [&file.before, &file.after]
        .into_iter()
        .flatten()
        .cloned()
        .collect();
    let mut read = repo.contents(&wanted)?.into_iter();
    let mut next = |oid: &Option<Oid>| match oid {
        Some(_) => read.next().unwrap_or_else(|| Source::new("")),
        None => Source::new(""),
    };
    let texts = [next(&file.before), next(&file.after)];
    let is_text = texts.iter().all(|text| !text.is_binary());
    Ok((is_text && file.lines.is_some()).then_some(texts))
}

fn staged_files(repo: &Repository, parent: &str) -> Result<Vec<StagedFile>, Error> {
    let call = Invocation::read([
        "diff-index",
        "--cached",
        "--raw",
        "--numstat",
        "-z",
        "--no-renames",
        "--no-abbrev",
        parent,
        "--",
    ]);
    Ok(parse(&repo.must(&call)?.stdout))
}

/// Parses `:MODE MODE OID OID STATUS NUL PATH NUL`, and behind all of those `ADDED TAB REMOVED TAB
/// PATH NUL`.
fn parse(bytes: &[u8]) -> Vec<StagedFile> {
    let mut fields = bytes.split(|b| *b == 0).filter(|field| !field.is_empty());
    let (mut files, mut lines) = (Vec::new(), HashMap::new());
    while let Some(field) = fields.next() {
        if field.starts_with(b":") {
            let head = String::from_utf8_lossy(field).into_owned();
            let words: Vec<&str> = head.split(' ').collect();
            let (Some(path), [was, is, before, after, status]) = (fields.next(), &words[..]) else {
                continue;
            };
            let was = was.trim_start_matches(':');
            let oid = |mode: &str, oid: &str| {
                let has_blob = mode.starts_with("100") || mode.starts_with("120");
                has_blob.then(|| Oid(oid.to_owned()))
            };
            let what = match *status {
                "U" => continue,
                "A" => "added",
                "D" => "removed",
                "T" => "another kind of file",
                _ if was.starts_with("160") || is.starts_with("160") => "submodule",
                _ if before == after => "executable or not",
                _ => "changed",
            };
            files.push(StagedFile {
                path: RepoPath::new(path),
                before: oid(was, before),
                after: oid(is, after),
                lines: None,
                what,
            });
        } else {
            let mut parts = field.splitn(3, |b| *b == b'\t');
            let mut number = || {
                let part = String::from_utf8_lossy(parts.next()?).into_owned();
                part.parse::<usize>().ok()
            };
            let counts = number().zip(number());
            if let Some(path) = parts.next() {
                lines.insert(RepoPath::new(path), counts);
            }
        }
    }
    for file in &mut files {
        file.lines = lines.get(&file.path).copied().flatten();
    }
    files
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_come_with_their_counts_and_conflicts_are_left_out() {
        let raw = b":100644 100644 a b M\0x y\0:000000 100644 0 c A\0n\nl\0:100644 000000 d 0 D\0gone\0:100644 100644 e 0 U\0open\0:160000 160000 f g M\0sub\0:100644 100755 h h M\0run\x003\t1\tx y\0-\t-\tn\nl\x000\t9\tgone\x001\t1\tsub\x000\t0\trun\0";
        let files = parse(raw);
        let brief = |file: &StagedFile| (file.path.to_string(), file.lines, file.what);
        assert_eq!(
            files.iter().map(brief).collect::<Vec<_>>(),
            [
                ("x y".to_owned(), Some((3, 1)), "changed"),
                ("n\\nl".to_owned(), None, "added"),
                ("gone".to_owned(), Some((0, 9)), "removed"),
                ("sub".to_owned(), Some((1, 1)), "submodule"),
                ("run".to_owned(), Some((0, 0)), "executable or not"),
            ]
        );
        assert_eq!(
            (files[2].before.is_some(), files[2].after.is_some()),
            (true, false)
        );
        assert_eq!(files[3].before, None);
    }
}
