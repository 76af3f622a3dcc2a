//! What belongs together of a conflict as one case: its paths, what happened on each side, and what
//! may come of it.

use crate::case::kinds::CaseKind;
use crate::case::outcomes::FileOutcome;
use crate::case::place::{IndexState, Place};
use crate::path::RepoPath;
use crate::repo::index::Mode;
use crate::repo::stages::{Stage, Stages};
use armistice_core::Version;

/// One conflict: a file, whatever paths it has in the index.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Case {
    /// Where it is shown and merged; the first of `places`.
    pub path: RepoPath,
    /// Its versions: those of the parties, where git had merged them half.
    pub stages: Stages,
    /// What kind of conflict it is.
    pub kind: CaseKind,
    /// Whether it is still unmerged anywhere.
    pub standing: IndexState,
    /// All its paths in the index; each unmerged path belongs to one case.
    pub places: Vec<Place>,
    /// What base, ours and theirs call it; none for who does not have it, or where it is not known.
    pub names: [Option<RepoPath>; 3],
    /// What ours and theirs called it before they renamed it; two files may have come to one name.
    pub sources: [Option<RepoPath>; 2],
    /// Where each version stands if it is taken as a whole.
    pub targets: [RepoPath; 3],
    /// Whether it is staged as git merged it, by itself or with rules: nobody has settled it.
    pub as_merged: bool,
    /// The name under which it is staged, where each side gave it another one.
    pub staged_path: Option<RepoPath>,
}

/// The folder of a path, for a person.
fn folder(path: &RepoPath) -> String {
    let at = path.bytes().iter().rposition(|b| *b == b'/');
    let folder = RepoPath::new(&path.bytes()[..at.unwrap_or(0)]);
    match at {
        Some(_) => folder.to_string(),
        None => "at the top".to_owned(),
    }
}

/// The name of a path in its folder, for a person.
fn last_part(path: &RepoPath) -> String {
    let name = path.bytes().rsplit(|b| *b == b'/').next();
    RepoPath::new(name.unwrap_or_default()).to_string()
}

impl Case {
    /// A case of one path that is unmerged; its kind follows from its stages.
    pub fn new(path: RepoPath, stages: Stages) -> Self {
        Case::of(Place::new(path, stages))
    }

    /// A case of one path.
    pub(crate) fn of(place: Place) -> Self {
        let name = |stage: &Option<Stage>| stage.as_ref().map(|_| place.path.clone());
        Case {
            path: place.path.clone(),
            kind: CaseKind::of(&place.stages),
            standing: place.standing,
            names: place.stages.all().map(name),
            sources: [None, None],
            targets: [0, 1, 2].map(|_| place.path.clone()),
            stages: place.stages.clone(),
            as_merged: false,
            staged_path: None,
            places: vec![place],
        }
    }

    /// The same case, staged.
    pub(crate) fn staged(mut self) -> Self {
        self.standing = IndexState::Staged;
        for place in &mut self.places {
            place.standing = IndexState::Staged;
        }
        self
    }

    /// The whole-file outcomes that are possible here, ours first.
    pub fn outcomes(&self) -> Vec<FileOutcome> {
        let Stages { base, ours, theirs } = &self.stages;
        let mut out = Vec::new();
        out.extend(ours.as_ref().map(|_| FileOutcome::Ours));
        out.extend(theirs.as_ref().map(|_| FileOutcome::Theirs));
        let all = ours.is_some() && theirs.is_some();
        out.extend(base.as_ref().filter(|_| all).map(|_| FileOutcome::Base));
        if self.has_two_names() {
            out.push(FileOutcome::Both);
        }
        if self.own_name().is_some() && !all {
            out.push(FileOutcome::OwnName);
        }
        // Without the file the folder stays.
        if !all || self.has_two_names() || self.kind == CaseKind::FileAgainstFolder {
            out.push(FileOutcome::Remove);
        }
        out
    }

    /// Whether ours and theirs have it under two names, so that both can stand.
    pub fn has_two_names(&self) -> bool {
        self.stages.ours.is_some()
            && self.stages.theirs.is_some()
            && self.targets[1] != self.targets[2]
    }

    /// Whether it can be merged line by line, if its contents are text.
    pub fn has_lines(&self) -> bool {
        let is_file = |stage: &Option<Stage>| {
            let stage = stage.as_ref();
            stage.is_some_and(|stage| stage.mode.is_text_like())
        };
        let mergeable = matches!(
            self.kind,
            CaseKind::BothEdited
                | CaseKind::BothAdded
                | CaseKind::TwoOntoOne
                | CaseKind::RenamedTwoWays
                | CaseKind::Suggested
        );
        mergeable && is_file(&self.stages.ours) && is_file(&self.stages.theirs)
    }

    /// What the side that did not rename the folder calls a file for which git suggests another
    /// name.
    pub fn own_name(&self) -> Option<&RepoPath> {
        if self.kind != CaseKind::Suggested {
            return None;
        }
        let names = self.names[1..].iter().flatten();
        names.into_iter().find(|name| **name != self.path)
    }

    /// The stage that an outcome takes, if it takes one alone.
    pub fn stage(&self, outcome: FileOutcome) -> Option<&Stage> {
        match outcome {
            FileOutcome::Ours => self.stages.ours.as_ref(),
            FileOutcome::Theirs => self.stages.theirs.as_ref(),
            FileOutcome::Base => self.stages.base.as_ref(),
            FileOutcome::OwnName => self.stages.ours.as_ref().or(self.stages.theirs.as_ref()),
            FileOutcome::Remove | FileOutcome::Both => None,
        }
    }

    /// The names among which a merged text must be given one: ours' and theirs', or the one that git
    /// suggests and its own. None where there is no choice.
    pub fn name_clash(&self) -> Option<[&RepoPath; 2]> {
        let [_, ours, theirs] = &self.targets;
        match self.own_name() {
            Some(own) => Some([&self.path, own]),
            None => self.has_two_names().then_some([ours, theirs]),
        }
    }

    /// The paths of the index that belong to it.
    pub fn paths(&self) -> impl Iterator<Item = &RepoPath> {
        self.places.iter().map(|place| &place.path)
    }

    /// Whether a path is one of its own.
    pub fn has_path(&self, path: &RepoPath) -> bool {
        self.paths().any(|own| own == path)
    }

    /// What ours did, and what theirs did, in words.
    pub fn words(&self) -> [String; 2] {
        [Version::Ours, Version::Theirs].map(|version| self.did(version))
    }

    fn did(&self, version: Version) -> String {
        let nth = version as usize;
        let stage = self.stages.all()[nth].as_ref();
        let (base, base_name) = (self.stages.base.as_ref(), self.names[0].as_ref());
        let name = self.names[nth].as_ref();
        let source = self.sources[nth - 1].as_ref();
        let renamed = match (base_name, name) {
            (Some(from), Some(to)) if from != to => Some((from, to)),
            _ => None,
        };
        match (self.kind, stage) {
            (CaseKind::FileAgainstFolder, None) => "has a folder of that name".to_owned(),
            (CaseKind::FileAgainstFolder, Some(_)) if base.is_none() => {
                "added a file of that name".to_owned()
            }
            (CaseKind::Suggested, None) if base.is_none() => {
                let other = self.names.iter().flatten().next();
                match other.map(|other| (folder(other), folder(&self.path))) {
                    Some((from, to)) => format!("renamed the folder {from} to {to}"),
                    None => "renamed its folder".to_owned(),
                }
            }
            (CaseKind::Suggested, Some(_)) if base.is_none() => match name {
                Some(name) => format!("added it as {name}"),
                None => "added it at another path".to_owned(),
            },
            (CaseKind::TwoOntoOne, Some(_)) if let Some(source) = source => {
                format!("renamed {source} to it")
            }
            (_, None) => match base {
                Some(_) => "removed it".to_owned(),
                None => "does not have it here".to_owned(),
            },
            (_, Some(stage)) => {
                let added = match (self.stages.mode_clash(), stage.mode) {
                    (Some(_), Mode::Executable) => "added it, executable",
                    (Some(_), _) => "added it, not executable",
                    (None, _) => "added it",
                };
                let changed = base.map_or(Some(added), |base| base.turned_into(stage));
                match (renamed, changed) {
                    (Some((_, to)), None) => format!("renamed it to {to}"),
                    (Some((_, to)), Some(what)) => format!("renamed it to {to}, {what}"),
                    (None, Some(what)) => what.to_owned(),
                    (None, None) => "left it as it was".to_owned(),
                }
            }
        }
    }

    /// Where it is, for a person: its old and its new names where it was renamed.
    pub fn title(&self) -> String {
        let [base, ours, theirs] = &self.names;
        let mut new: Vec<&RepoPath> = [ours, theirs].into_iter().flatten().collect();
        if self.kind == CaseKind::FileAgainstFolder {
            return format!("{} (file or folder)", self.targets[1]);
        }
        // git put one of them aside under a name that nobody gave it.
        if base.is_none() && self.targets[1] == self.targets[2] && self.kind != CaseKind::Suggested
        {
            return self.targets[1].to_string();
        }
        new.retain(|name| Some(*name) != base.as_ref());
        new.dedup();
        // In the same folder the name alone tells all.
        let short = |name: &RepoPath| match base {
            Some(base) if folder(base) == folder(name) => last_part(name),
            _ => name.to_string(),
        };
        let new: Vec<String> = new.into_iter().map(short).collect();
        match base {
            Some(base) if !new.is_empty() => format!("{base} → {}", new.join(" or ")),
            _ if self.kind == CaseKind::Suggested => self.path.to_string(),
            _ => self.targets[1].to_string(),
        }
    }
}
