//! Puts unmerged paths together that are one conflict, and finds what each party calls the file.
//!
//! The index tells only stages of paths. What was renamed, and to what, is found out again from the
//! trees of both parties and of what they started from, by content. Where those is not known the
//! stages alone are paired; what finds no partner is a case of its own.

use crate::case::kinds::CaseKind;
use crate::case::one::Case;
use crate::case::place::{IndexState, Place};
use crate::case::reading::{Differing, differing_files, folders_in_index};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::index::Mode;
use crate::repo::objects::Oid;
use crate::repo::parties::Parties;
use crate::repo::repository::Repository;
use crate::repo::stages::{Stage, Stages};
use crate::repo::trees::{TreeEntry, tree_entries};
use armistice_core::limits::RENAME_CANDIDATES;
use armistice_core::{Source, TreeFile, find_markers, renames};
use std::cell::OnceCell;
use std::collections::{BTreeMap, HashMap, HashSet};

/// Where git left the result of a merge.
#[derive(Clone, Copy, Debug)]
pub(crate) enum MergeResult<'a> {
    /// In the index.
    Index,
    /// In a tree that nothing refers to: a forecast.
    Tree(&'a str),
}

impl MergeResult<'_> {
    /// Returns those of some names that are folders in it.
    fn folders(self, repo: &Repository, names: &[&RepoPath]) -> Result<HashSet<RepoPath>, Error> {
        match self {
            MergeResult::Index => folders_in_index(repo, names),
            MergeResult::Tree(tree) => {
                let entries = tree_entries(repo, tree, names)?.into_iter();
                let folders = entries.filter(|(_, entry)| entry.stage.is_none());
                Ok(folders.map(|(path, _)| path).collect())
            }
        }
    }
}

/// The cases that unmerged paths make, in order of their paths.
///
/// # Errors
/// If git fails.
pub(crate) fn grouped(
    repo: &Repository,
    places: Vec<Place>,
    parties: &Parties,
    result: MergeResult<'_>,
) -> Result<Vec<Case>, Error> {
    if places.is_empty() {
        return Ok(Vec::new());
    }
    let trees = Trees::read(repo, &places, parties)?;
    let mut left: BTreeMap<RepoPath, Place> = places
        .into_iter()
        .map(|place| (place.path.clone(), place))
        .collect();
    let mut cases = two_names(&trees, &mut left)?;
    cases.extend(moved_aside(&trees, &mut left, result)?);
    cases.extend(against_folders(repo, &mut left, result)?);
    let rest: Vec<Case> = left.into_values().map(Case::of).collect();
    for case in rest {
        cases.push(trees.named(case)?);
    }
    trees.with_true_sides(&mut cases)?;
    cases.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(cases)
}

/// The side whose trees and stages are looked at.
const OURS: usize = 1;
const THEIRS: usize = 2;

/// What the trees of base, ours and theirs have at the paths in question.
struct Trees<'a> {
    repo: &'a Repository,
    names: [Option<String>; 3],
    /// By tree; nothing of a tree that is not known.
    entries: [HashMap<RepoPath, TreeEntry>; 3],
    /// Files that a side has otherwise than base: gone and new ones; of ours and of theirs.
    changed: [OnceCell<Differing>; 2],
}

impl<'a> Trees<'a> {
    fn read(repo: &'a Repository, places: &[Place], parties: &Parties) -> Result<Self, Error> {
        let base = parties.bases.first().cloned();
        let names = match (&parties.theirs, &parties.stash) {
            (Some(_), _) => [base, parties.ours.clone(), parties.theirs.clone()],
            (None, Some([stash, on])) if made_on(repo, on, places)? => {
                [Some(on.clone()), parties.ours.clone(), Some(stash.clone())]
            }
            (None, _) => [None, parties.ours.clone(), None],
        };
        let mut paths: Vec<RepoPath> = places.iter().map(|place| place.path.clone()).collect();
        paths.extend(places.iter().filter_map(|place| before_tilde(&place.path)));
        paths.sort();
        paths.dedup();
        let paths: Vec<&RepoPath> = paths.iter().collect();
        let mut entries = <[HashMap<_, _>; 3]>::default();
        for (name, entries) in names.iter().zip(&mut entries) {
            if let Some(name) = name {
                *entries = tree_entries(repo, name, &paths)?;
            }
        }
        Ok(Trees {
            repo,
            names,
            entries,
            changed: Default::default(),
        })
    }

    /// Whether all three trees are known.
    fn are_known(&self) -> bool {
        self.names.iter().all(Option::is_some)
    }

    fn has(&self, nth: usize, path: &RepoPath) -> bool {
        self.entries[nth].contains_key(path)
    }

    /// The file, link or submodule that a tree has at a path.
    fn stage(&self, nth: usize, path: &RepoPath) -> Option<&Stage> {
        self.entries[nth].get(path)?.stage.as_ref()
    }

    /// What a side has otherwise than base; nothing where the trees are not known.
    fn changed(&self, nth: usize) -> Result<&Differing, Error> {
        let cell = &self.changed[nth - OURS];
        if let Some(changed) = cell.get() {
            return Ok(changed);
        }
        let found = match (&self.names[0], &self.names[nth]) {
            (Some(base), Some(side)) => differing_files(self.repo, base, side)?,
            _ => Differing::default(),
        };
        Ok(cell.get_or_init(|| found))
    }

    /// Pairs of files, by content: places among `gone` and among `new`.
    fn pairs(
        &self,
        gone: &[(RepoPath, Stage)],
        new: &[(RepoPath, Stage)],
    ) -> Result<Vec<(usize, usize)>, Error> {
        if gone.is_empty() || new.is_empty() || gone.len() + new.len() > RENAME_CANDIDATES {
            return Ok(Vec::new());
        }
        let read = |all: &[(RepoPath, Stage)]| -> Result<Vec<Source>, Error> {
            // The commit of a submodule is no object of this repository.
            let files = all.iter().filter(|(_, s)| s.mode != Mode::Submodule);
            let oids: Vec<Oid> = files.map(|(_, stage)| stage.oid.clone()).collect();
            let mut texts = self.repo.contents(&oids)?.into_iter();
            let text = |(_, stage): &(RepoPath, Stage)| match stage.mode {
                Mode::Submodule => Some(Source::new(Vec::new())),
                _ => texts.next(),
            };
            Ok(all.iter().map_while(text).collect())
        };
        let (gone_texts, new_texts) = (read(gone)?, read(new)?);
        fn files<'b>(all: &'b [(RepoPath, Stage)], texts: &'b [Source]) -> Vec<TreeFile<'b>> {
            let file = |((path, _), text): (&'b (RepoPath, Stage), &'b Source)| TreeFile {
                path: path.bytes(),
                content: text.bytes(),
            };
            all.iter().zip(texts).map(file).collect()
        }
        let found = renames(&files(gone, &gone_texts), &files(new, &new_texts));
        Ok(found.into_iter().map(|pair| (pair.from, pair.to)).collect())
    }

    /// What a side called the file that it has at `path` now, in base.
    fn source(&self, nth: usize, path: &RepoPath) -> Result<Option<RepoPath>, Error> {
        let Some(stage) = self.stage(nth, path) else {
            return Ok(None);
        };
        let gone = &self.changed(nth)?.gone;
        let new = [(path.clone(), stage.clone())];
        let pair = self.pairs(gone, &new)?.first().copied();
        Ok(pair.map(|(from, _)| gone[from].0.clone()))
    }

    /// A case of one path, with the names that the parties have for it.
    fn named(&self, mut case: Case) -> Result<Case, Error> {
        if !self.are_known() || case.kind == CaseKind::BothGone {
            return Ok(case);
        }
        let path = case.path.clone();
        let there = [0, 1, 2].map(|nth| self.has(nth, &path));
        match (&case.stages.base, there) {
            // What stands at this path in base is it.
            (Some(_), [true, ..]) => {}
            (Some(base), [false, ..]) => {
                let base = base.clone();
                let gone = [OURS, THEIRS].map(|nth| self.changed(nth));
                let [ours, theirs] = gone;
                let all = ours?.gone.iter().chain(&theirs?.gone);
                let same: Vec<&RepoPath> = all
                    .filter(|(_, stage)| stage.oid == base.oid)
                    .map(|(path, _)| path)
                    .collect();
                let from = same.iter().max_by_key(|from| same_name(from, &path));
                let Some(from) = from.map(|from| (*from).clone()) else {
                    return Ok(case);
                };
                for nth in [OURS, THEIRS] {
                    let stands = case.stages.all()[nth].is_some();
                    let moved = stands && !there[nth] && !self.side_has(nth, &from)?;
                    case.names[nth] = match stands {
                        false => None,
                        // In a folder that the other side renamed.
                        true if moved => self.elsewhere(nth, &case.stages)?,
                        true if there[nth] => Some(path.clone()),
                        true => Some(from.clone()),
                    };
                }
                if case.names.iter().flatten().all(|name| *name != path) {
                    case.kind = CaseKind::Suggested;
                }
                case.names[0] = Some(from);
            }
            (None, [_, true, true]) => {
                let sources = [self.source(OURS, &path)?, self.source(THEIRS, &path)?];
                if sources.iter().any(Option::is_some) {
                    case.kind = CaseKind::TwoOntoOne;
                    case.sources = sources;
                }
            }
            (None, [_, false, false]) => {
                for nth in [OURS, THEIRS] {
                    if case.stages.all()[nth].is_some() {
                        case.names[nth] = self.elsewhere(nth, &case.stages)?;
                    }
                }
                if case.names.iter().flatten().any(|name| *name != path) {
                    case.kind = CaseKind::Suggested;
                }
            }
            _ => {}
        }
        Ok(case)
    }

    /// Whether a side still has a file of base.
    fn side_has(&self, nth: usize, path: &RepoPath) -> Result<bool, Error> {
        let gone = &self.changed(nth)?.gone;
        Ok(!gone.iter().any(|(gone, _)| gone == path))
    }

    /// Where a side itself has the file that stands at a path which only git suggests.
    fn elsewhere(&self, nth: usize, stages: &Stages) -> Result<Option<RepoPath>, Error> {
        let Some(stage) = stages.all()[nth] else {
            return Ok(None);
        };
        let new = &self.changed(nth)?.new;
        let same = new.iter().find(|(_, new)| new.oid == stage.oid);
        Ok(same.map(|(path, _)| path.clone()))
    }

    /// Replaces what git had merged half by what the parties themselves have.
    fn with_true_sides(&self, cases: &mut [Case]) -> Result<(), Error> {
        let mut suspects: Vec<(usize, usize, Stage)> = Vec::new();
        for (at, case) in cases.iter().enumerate() {
            let always = case.kind == CaseKind::RenamedTwoWays;
            for nth in [OURS, THEIRS] {
                let (Some(stage), Some(name)) = (case.stages.all()[nth], &case.names[nth]) else {
                    continue;
                };
                let of_party = self.stage(nth, name).filter(|own| own.oid != stage.oid);
                if let Some(own) = of_party
                    && (always || stage.mode.is_text_like())
                {
                    suspects.push((at, nth, own.clone()));
                }
            }
        }
        let oids: Vec<Oid> = suspects
            .iter()
            .filter_map(|(at, nth, _)| cases[*at].stages.all()[*nth].as_ref())
            .map(|stage| stage.oid.clone())
            .collect();
        let texts = self.repo.contents(&oids)?;
        for ((at, nth, own), text) in suspects.into_iter().zip(texts) {
            let case = &mut cases[at];
            if case.kind == CaseKind::RenamedTwoWays || !find_markers(&text).is_empty() {
                match nth {
                    OURS => case.stages.ours = Some(own),
                    _ => case.stages.theirs = Some(own),
                }
            }
        }
        Ok(())
    }
}

/// Whether the stages of base are what a commit has: then it is what they come from.
pub(crate) fn made_on(repo: &Repository, commit: &str, places: &[Place]) -> Result<bool, Error> {
    let with_base = places.iter().filter(|place| place.stages.base.is_some());
    let paths: Vec<&RepoPath> = with_base.clone().map(|place| &place.path).collect();
    let there = tree_entries(repo, commit, &paths)?;
    let mut same = 0;
    for place in with_base {
        match there.get(&place.path) {
            Some(entry) if entry.stage == place.stages.base => same += 1,
            Some(_) => return Ok(false),
            None => {}
        }
    }
    Ok(same > 0)
}

/// Whether the last parts of two paths are the same.
fn same_name(a: &RepoPath, b: &RepoPath) -> bool {
    let name = |path: &RepoPath| {
        path.bytes()
            .rsplit(|b| *b == b'/')
            .next()
            .map(<[u8]>::to_vec)
    };
    name(a) == name(b)
}

/// Files that each side gave another name: their old path has stage 1 alone, the new ones 2 and 3.
fn two_names(trees: &Trees<'_>, left: &mut BTreeMap<RepoPath, Place>) -> Result<Vec<Case>, Error> {
    let only = |nth: usize| -> Vec<(RepoPath, Stage)> {
        let places = left.values().filter(|place| {
            let stages = place.stages.all();
            (0..3).all(|n| stages[n].is_some() == (n == nth))
        });
        let stage = |place: &Place| {
            let own = match nth {
                0 => None,
                // What git merged half tells less than what the party has.
                _ => trees.stage(nth, &place.path).cloned(),
            };
            let stage = own.or_else(|| place.stages.all()[nth].clone())?;
            Some((place.path.clone(), stage))
        };
        places.filter_map(stage).collect()
    };
    let (old, ours, theirs) = (only(0), only(OURS), only(THEIRS));
    // A path that git suggests is no name that the side has given.
    let named = |nth: usize, all: Vec<(RepoPath, Stage)>| -> Vec<(RepoPath, Stage)> {
        let is_given = |(path, _): &(RepoPath, Stage)| !trees.are_known() || trees.has(nth, path);
        all.into_iter().filter(is_given).collect()
    };
    let (ours, theirs) = (named(OURS, ours), named(THEIRS, theirs));
    let to_ours: HashMap<usize, usize> = trees.pairs(&old, &ours)?.into_iter().collect();
    let to_theirs: HashMap<usize, usize> = trees.pairs(&old, &theirs)?.into_iter().collect();
    let mut cases = Vec::new();
    for (nth, (path, base)) in old.iter().enumerate() {
        let (ours, theirs) = (
            to_ours.get(&nth).map(|at| ours[*at].clone()),
            to_theirs.get(&nth).map(|at| theirs[*at].clone()),
        );
        let new = [&ours, &theirs];
        let Some((shown, _)) = new.into_iter().flatten().next() else {
            continue;
        };
        let shown = shown.clone();
        let mut places: Vec<Place> = new
            .into_iter()
            .flatten()
            .map(|(path, _)| path)
            .chain([path])
            .filter_map(|path| left.remove(path))
            .collect();
        places.sort_by_key(|place| place.path != shown);
        let name = |new: &Option<(RepoPath, Stage)>| new.as_ref().map(|(path, _)| path.clone());
        let target = |new: &Option<(RepoPath, Stage)>| name(new).unwrap_or_else(|| shown.clone());
        let stages = Stages {
            base: Some(base.clone()),
            ours: ours.as_ref().map(|(_, stage)| stage.clone()),
            theirs: theirs.as_ref().map(|(_, stage)| stage.clone()),
        };
        let kind = match (&ours, &theirs) {
            (Some(_), Some(_)) if CaseKind::of(&stages) == CaseKind::Submodule => {
                CaseKind::Submodule
            }
            (Some(_), Some(_)) => CaseKind::RenamedTwoWays,
            _ => CaseKind::of(&stages),
        };
        cases.push(Case {
            as_merged: false,
            staged_path: None,
            kind,
            names: [Some(path.clone()), name(&ours), name(&theirs)],
            sources: [None, None],
            targets: [path.clone(), target(&ours), target(&theirs)],
            standing: standing(&places),
            path: shown,
            stages,
            places,
        });
    }
    Ok(cases)
}

fn standing(places: &[Place]) -> IndexState {
    match places.iter().all(|p| p.standing == IndexState::Staged) {
        true => IndexState::Staged,
        false => IndexState::Unmerged,
    }
}

/// `quay` of `quay~HEAD`: git's name for what had to stand aside. A party's label may hold slashes,
/// which git makes underscores, and a number may follow.
fn before_tilde(path: &RepoPath) -> Option<RepoPath> {
    let at = path.bytes().iter().rposition(|b| *b == b'~')?;
    let (name, label) = path.bytes().split_at(at);
    let whole = !name.is_empty() && !name.ends_with(b"/") && label.len() > 1;
    (whole && !label.contains(&b'/')).then(|| RepoPath::new(name))
}

/// Files that git put aside because the other side has a folder, or a file of another kind, there.
fn moved_aside(
    trees: &Trees<'_>,
    left: &mut BTreeMap<RepoPath, Place>,
    result: MergeResult<'_>,
) -> Result<Vec<Case>, Error> {
    let aside: Vec<(RepoPath, RepoPath)> = left
        .keys()
        // A real file may be called so.
        .filter(|path| (0..3).all(|nth| !trees.has(nth, path)))
        .filter_map(|path| Some((path.clone(), before_tilde(path)?)))
        .collect();
    if aside.is_empty() {
        return Ok(Vec::new());
    }
    let names: Vec<&RepoPath> = aside.iter().map(|(_, name)| name).collect();
    let folders = result.folders(trees.repo, &names)?;
    let mut grouped: BTreeMap<RepoPath, Vec<RepoPath>> = BTreeMap::new();
    for (path, name) in aside {
        let is_known = (0..3).any(|nth| trees.has(nth, &name));
        if is_known || folders.contains(&name) || left.contains_key(&name) {
            grouped.entry(name).or_default().push(path);
        }
    }
    let mut cases = Vec::new();
    for (name, mut paths) in grouped {
        paths.extend(left.contains_key(&name).then(|| name.clone()));
        let places: Vec<Place> = paths.iter().filter_map(|path| left.remove(path)).collect();
        let stage = |nth: usize| places.iter().find_map(|p| p.stages.all()[nth].clone());
        let stages = Stages {
            base: stage(0),
            ours: stage(OURS),
            theirs: stage(THEIRS),
        };
        let own = |nth: usize| stages.all()[nth].as_ref().map(|_| name.clone());
        let is_folder = folders.contains(&name)
            || (0..3).any(|nth| {
                let entry = trees.entries[nth].get(&name);
                entry.is_some_and(|entry| entry.stage.is_none())
            });
        let both = stages.ours.is_some() && stages.theirs.is_some();
        cases.push(Case {
            as_merged: false,
            staged_path: None,
            kind: match CaseKind::of(&stages) {
                _ if is_folder && !both => CaseKind::FileAgainstFolder,
                kind => kind,
            },
            path: places[0].path.clone(),
            standing: standing(&places),
            names: [own(0), own(OURS), own(THEIRS)],
            sources: [None, None],
            targets: [0, 1, 2].map(|_| name.clone()),
            stages,
            places,
        });
    }
    Ok(cases)
}

/// Files in whose place the other side has a folder, where git left both under one name: unmerged paths
/// below the file's belong to the same conflict.
fn against_folders(
    repo: &Repository,
    left: &mut BTreeMap<RepoPath, Place>,
    result: MergeResult<'_>,
) -> Result<Vec<Case>, Error> {
    let below = |path: &RepoPath| RepoPath::new([path.bytes(), b"/"].concat());
    let is_file = |place: &Place| {
        let mut stages = place.stages.all().into_iter().flatten();
        let a_side = place.stages.ours.is_some() || place.stages.theirs.is_some();
        a_side && stages.all(|stage| stage.mode != Mode::Submodule)
    };
    let mut found = Vec::new();
    for (path, place) in left.iter().filter(|(_, place)| is_file(place)) {
        let inside = below(path);
        let next = left.range(inside.clone()..).next();
        let unmerged = next.is_some_and(|(p, _)| p.bytes().starts_with(inside.bytes()));
        let on_disk = path.under(repo.work_tree());
        let is_folder = std::fs::symlink_metadata(on_disk).is_ok_and(|meta| meta.is_dir());
        // Where both sides have the file, git has put it aside on disk under a name of its own.
        let one_side = place.stages.ours.is_some() != place.stages.theirs.is_some();
        let is_below = || Ok(!result.folders(repo, &[path])?.is_empty());
        if unmerged && (one_side || is_folder) || is_folder && is_below()? {
            found.push((path.clone(), place.clone()));
        }
    }
    let mut cases = Vec::new();
    for (path, place) in found {
        let inside = below(&path);
        let of_folder: Vec<RepoPath> = left
            .range(inside.clone()..)
            .map(|(path, _)| path)
            .take_while(|path| path.bytes().starts_with(inside.bytes()))
            .cloned()
            .collect();
        left.remove(&path);
        let mut case = Case {
            as_merged: false,
            staged_path: None,
            kind: CaseKind::FileAgainstFolder,
            ..Case::of(place)
        };
        case.places
            .extend(of_folder.iter().filter_map(|path| left.remove(path)));
        case.standing = standing(&case.places);
        cases.push(case);
    }
    Ok(cases)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_a_label_behind_a_name_is_cut_off() {
        let cut = |path: &str| before_tilde(&RepoPath::new(path)).map(|p| p.to_string());
        assert_eq!(cut("quay~HEAD"), Some("quay".to_owned()));
        assert_eq!(cut("a/quay~b~feature_x_0"), Some("a/quay~b".to_owned()));
        for path in ["quay", "~HEAD", "a/~HEAD", "quay~", "quay~a/b"] {
            assert_eq!(cut(path), None, "{path}");
        }
    }
}
