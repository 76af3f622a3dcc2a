//! What kind of conflict the stages tell of, and what each side did, in words.

use crate::case::stages::Stages;
use crate::repo::index::Mode;
use serde::Serialize;

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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Oid, Stage};

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
