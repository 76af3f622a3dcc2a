//! A merge carried out by git in memory: whatever it writes goes into a git folder of its own that is
//! thrown away.
//!
//! Neither the index nor a reference nor the repository's own objects are touched, and no hook runs.

use crate::case::grouping::{MergeResult, grouped};
use crate::case::kinds::CaseKind;
use crate::case::one::Case;
use crate::case::place::Place;
use crate::file::owner::temp_folder;
use crate::file::times::Times;
use crate::path::RepoPath;
use crate::process::cancel::Cancel;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation, failed};
use crate::repo::index::Mode;
use crate::repo::objects::Oid;
use crate::repo::parties::{Parties, common_ancestors};
use crate::repo::private_folder::make_private_folder;
use crate::repo::repository::Repository;
use crate::repo::stages::{Stage, Stages};
use crate::situation::names::names;
use crate::situation::paths_gone::paths_gone;
use crate::situation::proof::PathFinding;
use crate::situation::read::{Commit, Foreseen, Party, Situation, Undertaking};
use crate::situation::terrain::{Terrain, terrain};
use crate::situation::touched::touched;
use armistice_core::PerSide;
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex, MutexGuard};
use tempfile::TempDir;

/// A repository whose new objects go into a folder of their own, which goes with the last of these.
#[derive(Clone, Debug)]
pub struct Sandbox {
    repo: Repository,
    /// Removed when the last sandbox over it is dropped.
    _folder: Arc<TempDir>,
    /// The times of the repository's own objects; none once they are put back.
    times: Arc<Mutex<Times>>,
    known: Arc<Mutex<Known>>,
    /// Whether our own merge driver merges as git does.
    without_rules: bool,
}

/// What git was asked already: none of it can change.
#[derive(Debug, Default)]
struct Known {
    /// Trees of commits.
    trees: HashMap<String, String>,
    /// Last common ancestors of two commits.
    ancestors: HashMap<[String; 2], Vec<String>>,
}

/// What git would leave of one merge.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MergedTree {
    /// The tree; what clashes stands in it with markers.
    pub tree: String,
    /// What would be in conflict.
    pub cases: Vec<Case>,
    parties: Parties,
}

/// What comes of a file of a foreseen step.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SettledFile {
    /// Where it stands.
    pub path: RepoPath,
    /// What stands there.
    pub content: SettledContent,
}

/// What stands at a path of a foreseen step.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum SettledContent {
    /// A text.
    Text(Mode, Vec<u8>),
    /// What a side has.
    Entry(Stage),
    /// Nothing.
    Gone,
}

impl Sandbox {
    /// A sandbox over a repository; its calls end when `cancel` says so.
    ///
    /// # Errors
    /// If there is no room for temporary files.
    pub fn new(repo: &Repository, cancel: &Cancel) -> Result<Self, Error> {
        let folder = temp_folder().map_err(Error::file("create", "a temporary folder"))?;
        let times = Times::of(&repo.common_dir().join("objects"));
        make_private_folder(repo, folder.path())?;
        Ok(Sandbox {
            times: Arc::new(Mutex::new(times)),
            repo: repo.until(cancel).writing_into(folder.path()),
            _folder: Arc::new(folder),
            known: Arc::default(),
            without_rules: false,
        })
    }

    /// The same, in which our own merge driver settles nothing by rule.
    pub(crate) fn without_rules(self) -> Self {
        Sandbox {
            without_rules: true,
            ..self
        }
    }

    /// Leaves the repository's own objects as old as they were before; to be called when git has done all
    /// that it is asked to.
    pub fn leave_untouched(&self) {
        if let Ok(mut times) = self.times.lock() {
            std::mem::take(&mut *times).put_back();
        }
    }

    /// The repository, with what was written here.
    pub fn repo(&self) -> &Repository {
        &self.repo
    }

    /// Merges two commits, by their object names; `base` is what they are taken to have started from,
    /// else git finds it.
    ///
    /// # Errors
    /// If git fails, or is too old to merge in memory (before 2.40).
    ///
    /// `options` are those of the merge strategy, as `-X` takes them.
    /// Where git puts a file aside, it calls it by what it calls the sides: `labels`, which are `ours` and
    /// `theirs` themselves if none are given.
    pub fn merge(
        &self,
        base: Option<&str>,
        ours: &str,
        theirs: &str,
        labels: Option<[&str; 2]>,
        options: &[String],
    ) -> Result<MergedTree, Error> {
        let call = ["merge-tree", "--write-tree", "-z", "--no-messages"];
        let mut call = Invocation::write(call)
            // Our own merge driver notes nothing of a forecast, and obeys the settings that are trusted
            // in the repository itself.
            .env("ARMISTICE_FORESEEN", self.repo.common_dir());
        if self.without_rules {
            call = call.env("ARMISTICE_WITHOUT_RULES", "1");
        }
        let bases = match base {
            Some(base) => {
                call = call.arg(format!("--merge-base={base}"));
                vec![base.to_owned()]
            }
            None => self.ancestors(ours, theirs)?,
        };
        let options = options.iter().map(|option| format!("-X{option}"));
        let call = options.fold(call, Invocation::arg).arg(ours).arg(theirs);
        let output = self.repo.run(&call)?;
        // What it says to words that it does not know.
        if output.code == Some(129) {
            return Err(Error::TooOld { needed: "2.40" });
        }
        if !matches!(output.code, Some(0 | 1)) {
            return Err(failed(&call, &output));
        }
        let (tree, mut places) = parse(&output.stdout).ok_or_else(|| Error::Unreadable {
            command: "merge-tree".to_owned(),
            what: String::from_utf8_lossy(&output.stdout).into_owned(),
        })?;
        if let Some(labels) = labels {
            for place in &mut places {
                place.path = put_aside(&place.path, [ours, theirs], labels);
            }
            places.sort_by(|a, b| a.path.cmp(&b.path));
        }
        let parties = Parties {
            bases,
            ours: Some(ours.to_owned()),
            theirs: Some(theirs.to_owned()),
            stash: None,
        };
        let cases = grouped(&self.repo, places, &parties, MergeResult::Tree(&tree))?;
        // What is in such a folder is read from the index.
        if cases
            .iter()
            .any(|case| case.kind == CaseKind::FileAgainstFolder)
        {
            self.repo.must(&Invocation::write(["read-tree", &tree]))?;
        }
        Ok(MergedTree {
            cases,
            tree,
            parties,
        })
    }

    fn known(&self) -> MutexGuard<'_, Known> {
        match self.known.lock() {
            Ok(known) => known,
            // Nothing can panic while it is held.
            Err(poisoned) => poisoned.into_inner(),
        }
    }

    /// The last common ancestors of two commits: several where histories cross.
    pub(crate) fn merge_bases(&self, ours: &str, theirs: &str) -> Result<Vec<String>, Error> {
        self.ancestors(ours, theirs)
    }

    fn ancestors(&self, ours: &str, theirs: &str) -> Result<Vec<String>, Error> {
        let pair = [ours.to_owned(), theirs.to_owned()];
        let swapped = [theirs.to_owned(), ours.to_owned()];
        let known = self.known().ancestors.get(&pair).cloned();
        let known = known.or_else(|| self.known().ancestors.get(&swapped).cloned());
        if let Some(found) = known {
            return Ok(found);
        }
        let found = common_ancestors(&self.repo, ours, theirs)?;
        self.known().ancestors.insert(pair, found.clone());
        Ok(found)
    }

    /// Finds what both lines of a merge started from.
    ///
    /// # Errors
    /// If git fails.
    pub fn find_bases(&self, merged: &mut MergedTree) -> Result<(), Error> {
        if let (Some(ours), Some(theirs)) = (&merged.parties.ours, &merged.parties.theirs) {
            merged.parties.bases = self.ancestors(ours, theirs)?;
        }
        Ok(())
    }

    /// A merge that leaves a tree as it is: nothing clashes, and nothing of the other line is taken.
    pub fn merged_as(&self, tree: String, ours: &str, theirs: &str) -> MergedTree {
        MergedTree {
            cases: Vec::new(),
            tree,
            parties: Parties {
                bases: Vec::new(),
                ours: Some(ours.to_owned()),
                theirs: Some(theirs.to_owned()),
                stash: None,
            },
        }
    }

    /// A commit of a tree in which some files stand otherwise, on top of another.
    ///
    /// # Errors
    /// If git fails.
    pub fn commit(
        &self,
        tree: &str,
        settled: &[SettledFile],
        parent: &str,
    ) -> Result<String, Error> {
        let mut script = b"commit refs/heads/foreseen\nmark :1\ncommitter Armistice <foreseen@armistice.invalid> 0 +0000\ndata 0\n".to_vec();
        script.extend(format!("from {parent}\nM 040000 {tree} \"\"\n").as_bytes());
        for file in settled {
            let path = quoted(&file.path);
            match &file.content {
                SettledContent::Text(mode, text) => {
                    let head = format!("M {} inline {path}\ndata {}\n", mode.octal(), text.len());
                    script.extend(head.as_bytes());
                    script.extend(text);
                    script.push(b'\n');
                }
                SettledContent::Entry(stage) => {
                    let line = format!("M {} {} {path}\n", stage.mode.octal(), stage.oid.0);
                    script.extend(line.as_bytes());
                }
                SettledContent::Gone => script.extend(format!("D {path}\n").as_bytes()),
            }
        }
        script.extend(b"\nget-mark :1\n");
        let call = [
            "-c",
            "fastimport.unpackLimit=0",
            "fast-import",
            "--quiet",
            "--force",
        ];
        let made = self
            .repo
            .must(&Invocation::write(call).stdin(script))?
            .text();
        if settled.is_empty() {
            self.known().trees.insert(made.clone(), tree.to_owned());
        }
        Ok(made)
    }

    /// The tree of a commit.
    ///
    /// # Errors
    /// If git fails.
    pub fn tree_of(&self, commit: &str) -> Result<String, Error> {
        if let Some(tree) = self.known().trees.get(commit) {
            return Ok(tree.clone());
        }
        let found = self.repo.objects(&[format!("{commit}^{{tree}}")])?.pop();
        let tree = found.flatten().ok_or_else(|| Error::Unreadable {
            command: "cat-file --batch".to_owned(),
            what: format!("the tree of {commit} is missing"),
        })?;
        self.known()
            .trees
            .insert(commit.to_owned(), tree.oid.clone());
        Ok(tree.oid)
    }

    /// What would be in progress, as a situation to look at.
    pub fn situation(
        &self,
        now: &Situation,
        undertaking: Undertaking,
        parties: [Party; 2],
        merged: &MergedTree,
    ) -> Situation {
        let [ours, theirs] = parties;
        Situation {
            ours,
            theirs,
            cases: merged.cases.clone(),
            foreseen: Some(Foreseen {
                undertaking,
                parties: merged.parties.clone(),
                tree: merged.tree.clone(),
            }),
            upstream: None,
            ..now.clone()
        }
    }

    /// What each side did to the declarations of a foreseen merge.
    ///
    /// # Errors
    /// If git fails.
    pub fn terrain(&self, situation: &Situation) -> Result<Terrain, Error> {
        terrain(&self.repo, situation)
    }

    /// Files that git would merge by itself, by what changed them: ours alone, theirs alone, both.
    ///
    /// # Errors
    /// If git fails.
    pub fn merged_by_git(&self, situation: &Situation) -> Result<CleanFiles, Error> {
        let mut clean = CleanFiles::default();
        let Some(all) = touched(&self.repo, situation)? else {
            return Ok(clean);
        };
        let tree = situation.foreseen.as_ref().map(Foreseen::tree);
        let nothing = tree.and_then(|tree| Oid::of_nothing(tree.len()));
        for file in all.to_look_at.iter().chain(&all.followed) {
            if situation.cases.iter().any(|case| case.has_path(&file.path)) {
                continue;
            }
            let by = PerSide {
                ours: file.ours != file.base,
                theirs: file.theirs != file.base,
            };
            let stage = |oid: &Option<Oid>| {
                let oid = oid.clone().or(nothing.clone())?;
                Some(Stage {
                    mode: Mode::File,
                    oid,
                })
            };
            let stages = Stages {
                base: stage(&file.base),
                ours: stage(&file.ours),
                theirs: stage(&file.theirs),
            };
            if by.ours || by.theirs {
                let mut case = Case::new(file.path.clone(), stages).staged();
                case.as_merged = true;
                clean.files.push(CleanFile { case, by });
            }
        }
        clean.files.sort_by(|a, b| a.case.path.cmp(&b.case.path));
        let gone = paths_gone(&self.repo, &all)?;
        let every: Vec<_> = all.to_look_at.into_iter().chain(all.followed).collect();
        if let Some(named) = names(&self.repo, &every, tree)? {
            let found = named.findings.into_iter().chain(gone);
            clean.findings = found
                .map(|(path, finding)| PathFinding { path, finding })
                .collect();
        }
        Ok(clean)
    }
}

/// A path as `fast-import` reads it.
fn quoted(path: &RepoPath) -> String {
    let escaped = path.bytes().iter().map(|byte| match byte {
        b'"' | b'\\' => format!("\\{}", char::from(*byte)),
        b' '..=b'~' => char::from(*byte).to_string(),
        byte => format!("\\{byte:03o}"),
    });
    format!("\"{}\"", escaped.collect::<String>())
}

/// A file that git would merge by itself, and who changed it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CleanFile {
    /// As a case to be looked at: what a side does not have is empty.
    pub case: Case,
    /// Whether a side changed it.
    pub by: PerSide<bool>,
}

/// Files that git would merge by itself, and what is wrong with names in them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct CleanFiles {
    /// In order.
    pub files: Vec<CleanFile>,
    /// Names that went, were moved or declared twice.
    pub findings: Vec<PathFinding>,
}

impl CleanFiles {
    /// How many ours alone, theirs alone, and both changed.
    pub fn counts(&self) -> [usize; 3] {
        let of = |ours, theirs| {
            let by = PerSide { ours, theirs };
            self.files.iter().filter(|file| file.by == by).count()
        };
        [of(true, false), of(false, true), of(true, true)]
    }
}

/// A party of a meeting: what it is called, and its commit.
pub fn party(label: &str, commit: &Commit) -> Party {
    Party {
        label: label.to_owned(),
        commit: Some(commit.clone()),
    }
}

/// The path of a file that git put aside, by another name of its side: git writes `_` for `/` in it.
fn put_aside(path: &RepoPath, sides: [&str; 2], labels: [&str; 2]) -> RepoPath {
    for (side, label) in sides.into_iter().zip(labels) {
        let ending = format!("~{side}");
        if let Some(stem) = path.bytes().strip_suffix(ending.as_bytes()) {
            let label = label.replace('/', "_");
            return RepoPath::new([stem, b"~", label.as_bytes()].concat());
        }
    }
    path.clone()
}

/// Parses `TREE NUL` and `MODE OID STAGE TAB PATH NUL`, any number of times.
fn parse(bytes: &[u8]) -> Option<(String, Vec<Place>)> {
    let mut records = bytes.split(|b| *b == 0);
    let tree = String::from_utf8(records.next()?.to_vec()).ok()?;
    let is_name = tree.len() >= 40 && tree.bytes().all(|b| b.is_ascii_hexdigit());
    if !is_name {
        return None;
    }
    let mut stages: BTreeMap<RepoPath, Stages> = BTreeMap::new();
    for record in records.filter(|record| !record.is_empty()) {
        let tab = record.iter().position(|b| *b == b'\t')?;
        let (head, path) = (&record[..tab], &record[tab + 1..]);
        let mut fields = head.split(|b| *b == b' ');
        let stage = Stage {
            mode: Mode::parse(fields.next()?)?,
            oid: Oid(std::str::from_utf8(fields.next()?).ok()?.to_owned()),
        };
        let of = stages.entry(RepoPath::new(path)).or_default();
        match fields.next()? {
            b"1" => of.base = Some(stage),
            b"2" => of.ours = Some(stage),
            _ => of.theirs = Some(stage),
        }
    }
    let places = stages
        .into_iter()
        .map(|(path, stages)| Place::new(path, stages));
    Some((tree, places.collect()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_put_aside_is_called_as_git_calls_its_side() {
        let aside = |path: &str| {
            let path = RepoPath::new(path.as_bytes());
            put_aside(&path, ["ab12", "cd34"], ["HEAD", "cd34 (Move a/b)"]).to_string()
        };
        assert_eq!(aside("d/signals~ab12"), "d/signals~HEAD");
        assert_eq!(aside("signals~cd34"), "signals~cd34 (Move a_b)");
        assert_eq!(aside("a~HEAD"), "a~HEAD");
    }

    #[test]
    fn a_tree_and_the_stages_of_what_clashes_are_parsed() {
        let tree = "a".repeat(40);
        let bytes =
            format!("{tree}\x00100644 aa 1\ta b\nc\x00100755 bb 2\ta b\nc\x00100644 cc 3\tz\0");
        let (found, places) = parse(bytes.as_bytes()).unwrap();
        assert_eq!(found, tree);
        assert_eq!(places.len(), 2);
        assert_eq!(
            places[0].stages.names(),
            ["aa", "bb", ""].map(str::to_owned)
        );
        assert!(parse(b"fatal: no such\0").is_none() && parse(b"").is_none());
        assert_eq!(parse(format!("{tree}\0").as_bytes()).unwrap().1, []);
    }
}
