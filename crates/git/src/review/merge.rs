//! One commit that merges: how its conflicts were resolved, and what is in it that neither side has.
//!
//! A merge commit merges its parents. A rebased commit merges the change of the commit before into its
//! own parent.

use crate::case::kinds::CaseKind;
use crate::case::one::Case;
use crate::parallel::{in_parallel, processors};
use crate::path::RepoPath;
use crate::process::cancel::Cancel;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::Oid;
use crate::repo::parties::empty_tree;
use crate::repo::repository::Repository;
use crate::repo::stages::Stage;
use crate::repo::trees::{TreeChange, tree_difference, tree_entries};
use crate::scout::sandbox::{MergedTree, Sandbox};
use crate::situation::names::names;
use crate::situation::numbered_files::numbers_used_twice;
use crate::situation::parsing::{Look, look_at_all};
use crate::situation::paths_gone::paths_gone;
use crate::situation::read::{Commit, parse_commit};
use crate::situation::touched::{Touched, TouchedPaths, texts_of, touched_by_merge};
use armistice_core::{
    Check, Finding, Learned, NewLine, Options, PastResolution, ResolvedBy, Side, Source, Versions,
    Weight, changed_lines, describe, plan, resolved,
};
use serde::Serialize;
use std::collections::{BTreeMap, HashMap};

/// A commit to review.
#[derive(Clone, Debug)]
pub struct ToReview {
    /// The commit.
    pub commit: Commit,
    /// Its parents, by their full names.
    pub parents: Vec<String>,
    /// The commit that it was before a rebase.
    pub before: Option<Before>,
}

/// A commit before it was rebased.
#[derive(Clone, Debug, Serialize)]
pub struct Before {
    /// The commit.
    #[serde(flatten)]
    pub commit: Commit,
    /// Its parent, by its full name; none of a first commit.
    pub parent: Option<String>,
}

/// A commit that was looked at.
#[derive(Clone, Debug, Serialize)]
pub struct Reviewed {
    /// The commit.
    #[serde(flatten)]
    pub commit: Commit,
    /// Its parents, by their full names.
    pub parents: Vec<String>,
    /// The commit that it was before a rebase.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub before: Option<Before>,
    /// Files in which git leaves a conflict, which are not as git merges them, or which have a finding.
    pub files: Vec<ReviewedFile>,
    /// The side of which nothing is in the result, although it changed something beside conflicts.
    pub nothing_of: Option<Side>,
    /// Why it was not looked at.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub not_reviewed: Option<String>,
}

/// A file of a merge commit.
#[derive(Clone, Debug, Serialize)]
pub struct ReviewedFile {
    /// Where it is in the commit, or was.
    pub path: RepoPath,
    /// Whether git leaves it in conflict.
    pub in_conflict: bool,
    /// Each conflict, in order; none where git merged the file, or its lines cannot be merged.
    pub conflicts: Vec<ReviewedConflict>,
    /// What came of a file that is resolved as a whole.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub whole: Option<WholeFileResult>,
    /// Lines that neither side nor base has.
    pub new_lines: Vec<NewLine>,
    /// What is wrong, or worth a look.
    pub findings: Vec<Finding>,
}

/// A conflict and how it was resolved.
#[derive(Clone, Debug, Serialize)]
pub struct ReviewedConflict {
    /// Its first line in the commit, counted from 1.
    pub line: usize,
    /// Its lines there.
    pub lines: usize,
    /// Why it was one.
    pub cause: String,
    /// What it was resolved by.
    pub by: ResolvedBy,
    /// What is to be remembered of it.
    #[serde(skip)]
    pub lesson: Option<PastResolution>,
}

/// What came of a file that is resolved as a whole.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum WholeFileResult {
    /// It is as ours has it.
    Ours,
    /// It is as theirs has it.
    Theirs,
    /// It is as base has it.
    Base,
    /// It is gone.
    Removed,
    /// It is as no version has it.
    Other,
}

impl Reviewed {
    fn new(of: &ToReview) -> Self {
        Reviewed {
            commit: of.commit.clone(),
            parents: of.parents.clone(),
            before: of.before.clone(),
            files: Vec::new(),
            nothing_of: None,
            not_reviewed: None,
        }
    }

    /// Whether there is something to look at.
    pub fn has_findings(&self) -> bool {
        self.files.iter().any(ReviewedFile::has_findings)
    }

    /// How many conflicts git leaves.
    pub fn conflicts(&self) -> usize {
        let of = |file: &ReviewedFile| match file.in_conflict {
            true => file.conflicts.len().max(1),
            false => 0,
        };
        self.files.iter().map(of).sum()
    }
}

impl ReviewedFile {
    fn new(path: RepoPath, in_conflict: bool) -> Self {
        ReviewedFile {
            path,
            in_conflict,
            conflicts: Vec::new(),
            whole: None,
            new_lines: Vec::new(),
            findings: Vec::new(),
        }
    }

    /// Whether there is nothing to say of it.
    fn is_quiet(&self) -> bool {
        self.findings.is_empty() && self.new_lines.is_empty()
    }

    /// Whether it has a finding that blocks a commit, or new lines where git saw no conflict.
    pub fn has_findings(&self) -> bool {
        self.findings.iter().any(|f| f.weight == Weight::Stops) || self.written().next().is_some()
    }

    /// New lines where there was no conflict.
    pub fn written(&self) -> impl Iterator<Item = &NewLine> {
        self.new_lines.iter().filter(|new| !new.in_conflict)
    }
}

/// The merge commits of a range, newest first, of `revisions` as `git log` takes them.
///
/// # Errors
/// If git fails, or there is no such commit.
pub fn merge_commits(repo: &Repository, revisions: &[String]) -> Result<Vec<ToReview>, Error> {
    let words = ["--merges".to_owned()].into_iter();
    commits_of(
        repo,
        &words.chain(revisions.iter().cloned()).collect::<Vec<_>>(),
    )
}

/// One commit; `None` if it has fewer than two parents.
///
/// # Errors
/// If git fails, or there is no such commit.
pub fn merge_commit(repo: &Repository, revision: &str) -> Result<Option<ToReview>, Error> {
    let words = ["--no-walk", revision].map(str::to_owned);
    let found = commits_of(repo, &words)?.pop();
    Ok(found.filter(|of| of.parents.len() > 1))
}

/// The commits that `git log` lists for some words.
pub(crate) fn commits_of(repo: &Repository, words: &[String]) -> Result<Vec<ToReview>, Error> {
    let format = "--format=%H%x00%h%x00%s%x00%an%x00%at%x00%P";
    let call = Invocation::read(["log", "-z", format]);
    let call = words.iter().fold(call, Invocation::arg).arg("--");
    let listed = repo.must(&call)?.stdout;
    let fields: Vec<&[u8]> = listed.split(|b| *b == 0).collect();
    let of = |fields: &[&[u8]]| {
        let commit = parse_commit(&fields[..5].join(&0))?;
        let parents = String::from_utf8_lossy(fields[5]);
        let parents = parents.split_whitespace().map(str::to_owned);
        Some(ToReview {
            commit,
            parents: parents.collect(),
            before: None,
        })
    };
    Ok(fields.chunks_exact(6).filter_map(of).collect())
}

/// Looks at commits that merge; nothing of the repository changes by it.
pub struct Reviewer {
    /// One for each thread.
    sandboxes: Vec<Sandbox>,
}

/// Merges that each thread reviews before the results are handed over.
const PORTION: usize = 8;

impl Reviewer {
    /// A reviewer of a repository; its calls end when `cancel` says so.
    ///
    /// # Errors
    /// If there is no room for temporary files.
    pub fn new(repo: &Repository, cancel: &Cancel) -> Result<Self, Error> {
        let sandbox = || Ok(Sandbox::new(repo, cancel)?.without_rules());
        let sandboxes = (0..processors()).map(|_| sandbox());
        Ok(Reviewer {
            sandboxes: sandboxes.collect::<Result<_, Error>>()?,
        })
    }

    pub(crate) fn sandbox(&self) -> &Sandbox {
        &self.sandboxes[0]
    }

    /// Leaves the repository's own objects as old as they were; to be called when all is reviewed.
    pub fn leave_untouched(&self) {
        for sandbox in &self.sandboxes {
            sandbox.leave_untouched();
        }
    }

    /// Looks at commits one after the other; `tell` gets each in their order.
    ///
    /// # Errors
    /// If git fails or is stopped.
    pub fn review(&self, merges: &[ToReview], tell: &mut dyn FnMut(Reviewed)) -> Result<(), Error> {
        for portion in merges.chunks(PORTION * self.sandboxes.len()) {
            let shares = portion.chunks(portion.len().div_ceil(self.sandboxes.len()));
            let work: Vec<_> = self.sandboxes.iter().zip(shares).collect();
            let done = in_parallel(work.into_iter(), processors(), |(sandbox, share)| {
                let each = share
                    .iter()
                    .map(|of| Merge { sandbox, of }.review_or_say_why());
                each.collect::<Result<Vec<Reviewed>, Error>>()
            });
            for share in done {
                share?.into_iter().for_each(&mut *tell);
            }
        }
        Ok(())
    }
}

struct Merge<'a> {
    sandbox: &'a Sandbox,
    of: &'a ToReview,
}

/// What a commit merges.
struct Sides {
    /// What both sides started from, if it is not for git to find.
    base: Option<String>,
    ours: String,
    theirs: String,
}

impl Merge<'_> {
    /// Reviews it. One that cannot be read does not take the others with it.
    fn review_or_say_why(&self) -> Result<Reviewed, Error> {
        self.review().or_else(|error| match error {
            Error::Cancelled | Error::TooOld { .. } => Err(error),
            error => Ok(Reviewed {
                not_reviewed: Some(error.to_string()),
                ..Reviewed::new(self.of)
            }),
        })
    }

    fn review(&self) -> Result<Reviewed, Error> {
        let mut reviewed = Reviewed::new(self.of);
        let Sides { base, ours, theirs } = match self.sides()? {
            Ok(sides) => sides,
            Err(why) => {
                reviewed.not_reviewed = Some(why);
                return Ok(reviewed);
            }
        };
        let (ours, theirs) = (&*ours, &*theirs);
        let merged = self
            .sandbox
            .merge(base.as_deref(), ours, theirs, None, &[])?;
        let tree = self.sandbox.tree_of(&self.of.commit.oid)?;
        let base = match base {
            Some(base) => base,
            None => {
                let bases = self.sandbox.merge_bases(ours, theirs)?;
                bases.into_iter().next().unwrap_or_default()
            }
        };
        reviewed.files = self.files(&base, [ours, theirs], &merged, &tree)?;
        // A side may have nothing but conflicts, each of which was resolved by the other side.
        if reviewed.files.iter().any(ReviewedFile::has_findings) {
            reviewed.nothing_of = self.nothing_of(&base, [ours, theirs], &tree)?;
        }
        Ok(reviewed)
    }

    /// What is merged here, or why that is not known.
    fn sides(&self) -> Result<Result<Sides, String>, Error> {
        let parents = &self.of.parents[..];
        Ok(match (&self.of.before, parents) {
            (None, [ours, theirs]) => Ok(Sides {
                // git merges unrelated histories only with a base.
                base: match self.sandbox.merge_bases(ours, theirs)?.is_empty() {
                    true => Some(self.empty_commit()?),
                    false => None,
                },
                ours: ours.clone(),
                theirs: theirs.clone(),
            }),
            (Some(before), [ours]) => Ok(Sides {
                base: Some(match &before.parent {
                    Some(parent) => parent.clone(),
                    None => self.empty_commit()?,
                }),
                ours: ours.clone(),
                theirs: before.commit.oid.clone(),
            }),
            (_, []) => Err("first commits are not reviewed".to_owned()),
            (None, [_]) => Err("not a merge commit".to_owned()),
            (None, _) => Err(format!(
                "merges of {} parents are not reviewed",
                parents.len()
            )),
            (Some(_), _) => Err("rebased merges are not reviewed".to_owned()),
        })
    }

    /// A commit without files.
    fn empty_commit(&self) -> Result<String, Error> {
        let repo = self.sandbox.repo();
        let tree = empty_tree(repo)?;
        let call = Invocation::write(["commit-tree", &tree, "-m", "empty"])
            .env("GIT_AUTHOR_NAME", "Armistice")
            .env("GIT_AUTHOR_EMAIL", "review@armistice.invalid")
            .env("GIT_COMMITTER_NAME", "Armistice")
            .env("GIT_COMMITTER_EMAIL", "review@armistice.invalid");
        Ok(repo.must(&call)?.text().trim().to_owned())
    }

    /// The side of which nothing arrived.
    fn nothing_of(
        &self,
        base: &str,
        [ours, theirs]: [&str; 2],
        tree: &str,
    ) -> Result<Option<Side>, Error> {
        let of = |commit: &str| self.sandbox.tree_of(commit);
        let (base, ours, theirs) = (of(base)?, of(ours)?, of(theirs)?);
        if ours == theirs {
            return Ok(None);
        }
        let nothing_of_theirs = tree == ours && theirs != base;
        let nothing_of_ours = tree == theirs && ours != base;
        Ok(if nothing_of_theirs {
            Some(Side::Theirs)
        } else if nothing_of_ours {
            Some(Side::Ours)
        } else {
            None
        })
    }

    fn files(
        &self,
        base: &str,
        sides: [&str; 2],
        merged: &MergedTree,
        tree: &str,
    ) -> Result<Vec<ReviewedFile>, Error> {
        let repo = self.sandbox.repo();
        let differing = tree_difference(repo, &merged.tree, tree)?.into_iter();
        let differing: BTreeMap<RepoPath, TreeChange> = differing
            .map(|change| (change.path.clone(), change))
            .collect();
        let case_of = |path: &RepoPath| merged.cases.iter().find(|case| case.has_path(path));
        let all = touched_by_merge(repo, base, sides, tree)?;
        let gone = paths_gone(repo, &all)?;
        let TouchedPaths {
            to_look_at: mut touched,
            followed,
            ..
        } = all;
        let every: Vec<Touched> = touched.iter().chain(&followed).cloned().collect();
        // Where histories cross, git merges what they started from first.
        for file in &mut touched {
            if let Some(case) = case_of(&file.path).filter(|case| case.has_lines()) {
                let oid = |stage: &Option<Stage>| stage.as_ref().map(|stage| stage.oid.clone());
                [file.base, file.ours, file.theirs] = case.stages.all().map(oid);
            }
        }
        let listed: Vec<&Touched> = touched.iter().collect();
        let texts = texts_of(repo, &listed)?;
        let mut files = Vec::new();
        let mut looks: HashMap<usize, Look> = HashMap::new();
        for (file, [base, ours, theirs, result]) in touched.iter().zip(texts) {
            let case = case_of(&file.path);
            let versions = Versions { base, ours, theirs };
            let mut reviewed = ReviewedFile::new(file.path.clone(), case.is_some());
            let texts = [&versions.base, &versions.ours, &versions.theirs, &result];
            let has_lines = !texts.into_iter().any(Source::is_binary);
            if case.is_some_and(|case| !case.has_lines()) || !has_lines || file.staged.is_none() {
                reviewed.whole = Some(whole(file));
                reviewed.findings.extend(whole_finding(file, case));
                files.push(reviewed);
                continue;
            }
            let of_git = differing
                .get(&file.path)
                .and_then(|change| change.before.as_ref());
            if case.is_some() {
                read(&mut reviewed, &versions, &result, &self.of.commit.short);
            } else if let Some(of_git) = of_git {
                let merged = repo.contents(std::slice::from_ref(&of_git.oid))?.pop();
                reviewed.new_lines = written(
                    &merged.unwrap_or_else(|| Source::new(Vec::new())),
                    &versions,
                    &result,
                );
            }
            looks.insert(
                files.len(),
                Look {
                    path: file.path.clone(),
                    result,
                    there: [&file.base, &file.ours, &file.theirs].map(Option::is_some),
                    versions,
                    traced: true,
                },
            );
            files.push(reviewed);
        }
        let is_listed = |path: &RepoPath| touched.iter().any(|file| file.path == *path);
        let others = merged.cases.iter().filter(|case| !is_listed(&case.path));
        files.extend(self.other_cases(others.collect(), tree)?);
        let (places, looks): (Vec<usize>, Vec<Look>) = looks.into_iter().unzip();
        for (nth, found) in places.into_iter().zip(look_at_all(&looks)) {
            let file = &mut files[nth];
            let is_of_git = !file.in_conflict && !differing.contains_key(&file.path);
            file.findings = found;
            file.findings
                .retain(|finding| !is_of_git || may_be_of_git(finding.check));
            for finding in &mut file.findings {
                weigh(finding, file.in_conflict, file.conflicts.is_empty());
            }
        }
        self.add_other_changes(&differing, merged, &mut files);
        let named = names(repo, &every, Some(tree))?;
        let of_names = named.into_iter().flat_map(|named| named.findings);
        let others = numbers_used_twice(&every).into_iter().chain(gone);
        for (path, finding) in of_names.chain(others) {
            match files.iter_mut().find(|file| file.path == path) {
                Some(file) => file.findings.push(finding),
                None => files.push(ReviewedFile {
                    findings: vec![finding],
                    ..ReviewedFile::new(path, false)
                }),
            }
        }
        files.retain(|file| file.in_conflict || !file.is_quiet());
        for file in &mut files {
            file.findings.sort_by_key(|finding| finding.line);
        }
        files.sort_by(|a, b| a.path.cmp(&b.path));
        Ok(files)
    }
}

/// Weighs lost and returned lines: without a conflict nobody decided that they go; where git saw a conflict
/// and a finer merge sees none, a person decided all of it.
fn weigh(finding: &mut Finding, in_conflict: bool, without_conflicts: bool) {
    if matches!(finding.check, Check::Lost | Check::Back) {
        if !in_conflict {
            finding.weight = Weight::Stops;
        } else if without_conflicts {
            finding.weight = Weight::Look;
        }
    }
}

/// Lines of a result that git's own merge has not, and no version has as often.
fn written(merged: &Source, versions: &Versions, result: &Source) -> Vec<NewLine> {
    fn rows(text: &Source) -> Vec<&[u8]> {
        text.lines(text.all()).map(|line| line.trimmed()).collect()
    }
    let (old, new) = (rows(merged), rows(result));
    let changes = changed_lines(&old, &new).into_iter();
    let added = changes.flat_map(|(_, to)| to.iter());
    let added = added.map(|at| (at, new[at.0 as usize]));
    fn often<'a>(rows: &[&'a [u8]]) -> HashMap<&'a [u8], usize> {
        let mut often = HashMap::new();
        for row in rows {
            *often.entry(*row).or_default() += 1;
        }
        often
    }
    let now = often(&new);
    let all = [&versions.base, &versions.ours, &versions.theirs].map(|text| often(&rows(text)));
    let is_new = |row: &[u8]| {
        let before = all.iter().filter_map(|text| text.get(row)).max();
        now.get(row) > before
    };
    let added = added.filter(|(_, row)| !row.is_empty() && is_new(row));
    added
        .map(|(at, row)| NewLine::new(at, row, false))
        .collect()
}

impl Merge<'_> {
    /// Adds a finding for each path that git merges differently, if none says so yet: links, modes,
    /// submodules, lines that were only taken out.
    fn add_other_changes(
        &self,
        differing: &BTreeMap<RepoPath, TreeChange>,
        merged: &MergedTree,
        files: &mut Vec<ReviewedFile>,
    ) {
        let is_case = |path: &RepoPath| merged.cases.iter().any(|case| case.has_path(path));
        for (path, change) in differing.iter().filter(|(path, _)| !is_case(path)) {
            let at = files.iter().position(|file| file.path == *path);
            if at.is_some_and(|at| files[at].has_findings()) {
                continue;
            }
            let what = match (&change.before, &change.after) {
                (Some(_), None) => "git keeps this file, and the commit has not",
                (None, Some(_)) => "the commit has this file, and git's merge has not",
                (Some(before), Some(after)) if before.oid == after.oid => {
                    "git merges this file with another mode"
                }
                _ => "git merges this file differently, without a conflict",
            };
            let finding = Finding::new(Check::Lost, None, what);
            let nth = at.unwrap_or_else(|| {
                files.push(ReviewedFile::new(path.clone(), false));
                files.len() - 1
            });
            files[nth].findings.push(finding);
        }
    }

    /// Conflicts over what has no lines: links, submodules, folders.
    fn other_cases(&self, cases: Vec<&Case>, tree: &str) -> Result<Vec<ReviewedFile>, Error> {
        let paths: Vec<&RepoPath> = cases.iter().map(|case| &case.path).collect();
        let there = tree_entries(self.sandbox.repo(), tree, &paths)?;
        let of = |case: &&Case| {
            let now = there.get(&case.path).and_then(|entry| entry.stage.as_ref());
            let [base, ours, theirs] = case.stages.all();
            let is = |stage: &Option<Stage>| stage.as_ref() == now;
            let whole = match now {
                None => WholeFileResult::Removed,
                _ if is(ours) => WholeFileResult::Ours,
                _ if is(theirs) => WholeFileResult::Theirs,
                _ if is(base) => WholeFileResult::Base,
                _ => WholeFileResult::Other,
            };
            ReviewedFile {
                whole: Some(whole),
                ..ReviewedFile::new(case.path.clone(), true)
            }
        };
        Ok(cases.iter().map(of).collect())
    }
}

/// Whether a merge that git made without a conflict can be wrong in this way: it loses no line.
fn may_be_of_git(check: Check) -> bool {
    matches!(
        check,
        Check::Misplaced | Check::Names | Check::Together | Check::Twice | Check::Syntax
    )
}

/// Reads how a file that git leaves in conflict was resolved.
fn read(file: &mut ReviewedFile, versions: &Versions, result: &Source, commit: &str) {
    let Versions { base, ours, theirs } = versions;
    let plan = plan(base, ours, theirs, &Options::default());
    let found = resolved(&plan, result);
    file.new_lines = found.new_lines;
    if found.conflicts.is_empty() {
        // Where git's conflicts were cannot be told.
        for new in &mut file.new_lines {
            new.in_conflict = true;
        }
    }
    let learned = || Learned {
        commit: commit.to_owned(),
        times: 1,
    };
    let told = found
        .conflicts
        .into_iter()
        .map(|conflict| ReviewedConflict {
            lesson: conflict.lesson(&plan, result, learned()),
            line: conflict.lines.start.number(),
            lines: conflict.lines.len(),
            cause: describe(&plan, conflict.region),
            by: conflict.by,
        });
    file.conflicts = told.collect();
}

fn whole(file: &Touched) -> WholeFileResult {
    let Touched {
        base,
        ours,
        theirs,
        staged,
        ..
    } = file;
    match staged {
        None => WholeFileResult::Removed,
        is if is == ours => WholeFileResult::Ours,
        is if is == theirs => WholeFileResult::Theirs,
        is if is == base => WholeFileResult::Base,
        Some(_) => WholeFileResult::Other,
    }
}

/// What is wrong with a file as a whole.
fn whole_finding(file: &Touched, case: Option<&Case>) -> Option<Finding> {
    let changed = |side: &Option<Oid>| *side != file.base;
    let is_disputed = case.is_some_and(|case| case.kind != CaseKind::Suggested);
    let (ours, theirs) = (&file.ours, &file.theirs);
    let what = match whole(file) {
        WholeFileResult::Removed if ours.is_some() && theirs.is_some() => {
            "the file is gone, although neither side removed it".to_owned()
        }
        _ if is_disputed => return None,
        WholeFileResult::Removed if changed(ours) && ours.is_some() => {
            "the file is gone, although ours added or changed it".to_owned()
        }
        WholeFileResult::Removed if changed(theirs) && theirs.is_some() => {
            "the file is gone, although theirs added or changed it".to_owned()
        }
        WholeFileResult::Other => "the contents are those of no version".to_owned(),
        WholeFileResult::Ours | WholeFileResult::Base if changed(theirs) => {
            "what theirs changed is lost: the file is as before".to_owned()
        }
        WholeFileResult::Theirs | WholeFileResult::Base if changed(ours) => {
            "what ours changed is lost: the file is as before".to_owned()
        }
        _ => return None,
    };
    Some(Finding::new(Check::Lost, None, what))
}
