//! One conflicted path as one case: what happened on each side, and what may come of it.

use crate::path::RepoPath;
use serde::Serialize;

/// Name of an object, in hexadecimal, of whichever length the repository uses.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, serde::Deserialize)]
#[serde(transparent)]
pub struct Oid(pub String);

/// What an index entry is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Mode {
    /// An ordinary file.
    File,
    /// A file that may be run.
    Executable,
    /// A symbolic link.
    Link,
    /// A commit of another repository.
    Submodule,
}

impl Mode {
    pub(crate) fn parse(octal: &[u8]) -> Option<Self> {
        match octal {
            b"100644" | b"100664" => Some(Mode::File),
            b"100755" => Some(Mode::Executable),
            b"120000" => Some(Mode::Link),
            b"160000" => Some(Mode::Submodule),
            _ => None,
        }
    }

    pub(crate) fn octal(self) -> &'static str {
        match self {
            Mode::File => "100644",
            Mode::Executable => "100755",
            Mode::Link => "120000",
            Mode::Submodule => "160000",
        }
    }

    fn is_text_like(self) -> bool {
        matches!(self, Mode::File | Mode::Executable)
    }
}

/// One stage of an unmerged path.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, serde::Deserialize)]
pub struct Stage {
    /// What it is.
    pub mode: Mode,
    /// Its content.
    pub oid: Oid,
}

/// The stages of an unmerged path: base, ours, theirs.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, serde::Deserialize)]
pub struct Stages {
    /// Stage 1.
    pub base: Option<Stage>,
    /// Stage 2.
    pub ours: Option<Stage>,
    /// Stage 3.
    pub theirs: Option<Stage>,
}

impl Stages {
    /// All three, in order of their numbers.
    pub fn all(&self) -> [&Option<Stage>; 3] {
        [&self.base, &self.ours, &self.theirs]
    }

    /// The names of the contents, empty for a missing stage.
    pub fn names(&self) -> [String; 3] {
        let name =
            |stage: &Option<Stage>| stage.as_ref().map_or(String::new(), |s| s.oid.0.clone());
        [name(&self.base), name(&self.ours), name(&self.theirs)]
    }

    /// The mode that the merged file should have: a change of one side counts.
    pub fn merged_mode(&self) -> Mode {
        let mode = |stage: &Option<Stage>| stage.as_ref().map(|s| s.mode);
        let (base, ours, theirs) = (mode(&self.base), mode(&self.ours), mode(&self.theirs));
        let merged = if ours == base {
            theirs.or(ours)
        } else {
            ours.or(theirs)
        };
        merged.or(base).unwrap_or(Mode::File)
    }
}

/// A case of a situation, counted from zero in the order of paths.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct CaseId(pub usize);

/// What kind of conflict the index tells of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// All three versions are files.
    BothEdited,
    /// Both sides added the path; there is no base.
    BothAdded,
    /// All three are files of one content; only their modes differ.
    ModeOnly,
    /// Ours removed what theirs edited.
    RemovedByOurs,
    /// Theirs removed what ours edited.
    RemovedByTheirs,
    /// Only base is left: what remains of a file renamed or removed on both sides.
    BothGone,
    /// Only ours has it: what remains of a rename.
    OnlyOurs,
    /// Only theirs has it: what remains of a rename.
    OnlyTheirs,
    /// A symbolic link is among the versions.
    Link,
    /// A submodule is among the versions.
    Submodule,
}

impl Kind {
    /// Reads the kind off the stages.
    pub fn of(stages: &Stages) -> Self {
        let present = || stages.all().into_iter().flatten();
        if present().any(|s| s.mode == Mode::Submodule) {
            return Kind::Submodule;
        }
        if !present().all(|s| s.mode.is_text_like()) {
            return Kind::Link;
        }
        match (&stages.base, &stages.ours, &stages.theirs) {
            (Some(b), Some(o), Some(t)) if b.oid == o.oid && o.oid == t.oid => Kind::ModeOnly,
            (Some(_), Some(_), Some(_)) => Kind::BothEdited,
            (None, Some(_), Some(_)) => Kind::BothAdded,
            (_, Some(_), None) if stages.base.is_none() => Kind::OnlyOurs,
            (_, None, Some(_)) if stages.base.is_none() => Kind::OnlyTheirs,
            (_, Some(_), None) => Kind::RemovedByTheirs,
            (_, None, Some(_)) => Kind::RemovedByOurs,
            (_, None, None) => Kind::BothGone,
        }
    }

    /// Whether it can be merged line by line, if its contents are text.
    pub fn has_lines(self) -> bool {
        matches!(self, Kind::BothEdited | Kind::BothAdded)
    }
}

/// What each side did, in words; `whose_words(kind).0` is ours.
pub fn whose_words(kind: Kind) -> (&'static str, &'static str) {
    match kind {
        Kind::BothEdited => ("edited it", "edited it"),
        Kind::BothAdded => ("added it", "added it"),
        Kind::ModeOnly => ("has another mode", "has another mode"),
        Kind::RemovedByOurs => ("removed it", "edited it"),
        Kind::RemovedByTheirs => ("edited it", "removed it"),
        Kind::BothGone => ("no longer has it here", "no longer has it here"),
        Kind::OnlyOurs => ("has it here", "does not have it here"),
        Kind::OnlyTheirs => ("does not have it here", "has it here"),
        Kind::Link => (
            "changed a link or made it one",
            "changed a link or made it one",
        ),
        Kind::Submodule => ("moved the submodule", "moved the submodule"),
    }
}

/// A whole-file outcome.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Outcome {
    /// The file as ours has it.
    Ours,
    /// The file as theirs has it.
    Theirs,
    /// The file as base had it.
    Base,
    /// No file.
    Remove,
}

impl Outcome {
    /// A few words for it.
    pub fn name(self) -> &'static str {
        match self {
            Outcome::Ours => "ours",
            Outcome::Theirs => "theirs",
            Outcome::Base => "base",
            Outcome::Remove => "remove the file",
        }
    }
}

/// Whether a case is still unmerged in the index.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Standing {
    /// Its stages are in the index.
    Unmerged,
    /// Something has been staged for it; git still remembers the stages.
    Staged,
}

/// One conflicted path.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Case {
    /// Where.
    pub path: RepoPath,
    /// Its versions.
    pub stages: Stages,
    /// What kind of conflict it is.
    pub kind: Kind,
    /// Whether it is still unmerged.
    pub standing: Standing,
}

impl Case {
    /// The whole-file outcomes that are safe here, ours first.
    ///
    /// None for submodules: which commit is checked out there is not ours to change.
    pub fn outcomes(&self) -> Vec<Outcome> {
        if self.kind == Kind::Submodule {
            return Vec::new();
        }
        let Stages { base, ours, theirs } = &self.stages;
        let mut out = Vec::new();
        out.extend(ours.as_ref().map(|_| Outcome::Ours));
        out.extend(theirs.as_ref().map(|_| Outcome::Theirs));
        let all = ours.is_some() && theirs.is_some();
        out.extend(base.as_ref().filter(|_| all).map(|_| Outcome::Base));
        if !all {
            out.push(Outcome::Remove);
        }
        out
    }

    /// The stage that an outcome takes, if it takes one.
    pub fn stage(&self, outcome: Outcome) -> Option<&Stage> {
        match outcome {
            Outcome::Ours => self.stages.ours.as_ref(),
            Outcome::Theirs => self.stages.theirs.as_ref(),
            Outcome::Base => self.stages.base.as_ref(),
            Outcome::Remove => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn stages(pattern: [&str; 3]) -> Stages {
        let stage = |s: &str| {
            let (mode, oid) = s.split_at_checked(1)?;
            let mode = match mode {
                "f" => Mode::File,
                "x" => Mode::Executable,
                "l" => Mode::Link,
                _ => Mode::Submodule,
            };
            let oid = Oid(oid.to_owned());
            Some(Stage { mode, oid })
        };
        Stages {
            base: stage(pattern[0]),
            ours: stage(pattern[1]),
            theirs: stage(pattern[2]),
        }
    }

    #[test]
    fn every_pattern_of_stages_has_its_kind() {
        let table = [
            (["f1", "f2", "f3"], Kind::BothEdited),
            (["", "f2", "f3"], Kind::BothAdded),
            (["f1", "f1", "x1"], Kind::ModeOnly),
            (["f1", "", "f3"], Kind::RemovedByOurs),
            (["f1", "f2", ""], Kind::RemovedByTheirs),
            (["f1", "", ""], Kind::BothGone),
            (["", "f2", ""], Kind::OnlyOurs),
            (["", "", "f3"], Kind::OnlyTheirs),
            (["l1", "l2", "f3"], Kind::Link),
            (["s1", "s2", "s3"], Kind::Submodule),
        ];
        for (pattern, kind) in table {
            assert_eq!(Kind::of(&stages(pattern)), kind, "{pattern:?}");
        }
    }

    #[test]
    fn a_mode_changed_by_one_side_is_kept() {
        assert_eq!(stages(["f1", "f2", "x3"]).merged_mode(), Mode::Executable);
        assert_eq!(stages(["x1", "f2", "x3"]).merged_mode(), Mode::File);
        assert_eq!(stages(["f1", "f2", "f3"]).merged_mode(), Mode::File);
    }
}
