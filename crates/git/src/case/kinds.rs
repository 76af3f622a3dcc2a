//! The kind of conflict that the stages of a path make, and what each side did, in words.

use crate::repo::index::Mode;
use crate::repo::stages::Stages;
use serde::Serialize;

/// What kind of conflict the index tells of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum CaseKind {
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
    /// Each side gave it another name.
    RenamedTwoWays,
    /// Each side has another file there: one of them, or both, came by a rename.
    TwoOntoOne,
    /// A side added or moved it into a folder that the other renamed: git suggests the new folder.
    Suggested,
    /// One side has a file where the other has a folder.
    FileAgainstFolder,
    /// A symbolic link is among the versions.
    Link,
    /// A submodule is among the versions.
    Submodule,
}

impl CaseKind {
    /// Reads the kind off the stages.
    pub fn of(stages: &Stages) -> Self {
        let present = || stages.all().into_iter().flatten();
        if present().any(|s| s.mode == Mode::Submodule) {
            return CaseKind::Submodule;
        }
        if !present().all(|s| s.mode.is_text_like()) {
            return CaseKind::Link;
        }
        match (&stages.base, &stages.ours, &stages.theirs) {
            (Some(b), Some(o), Some(t)) if b.oid == o.oid && o.oid == t.oid => CaseKind::ModeOnly,
            (Some(_), Some(_), Some(_)) => CaseKind::BothEdited,
            (None, Some(_), Some(_)) => CaseKind::BothAdded,
            (_, Some(_), None) if stages.base.is_none() => CaseKind::OnlyOurs,
            (_, None, Some(_)) if stages.base.is_none() => CaseKind::OnlyTheirs,
            (_, Some(_), None) => CaseKind::RemovedByTheirs,
            (_, None, Some(_)) => CaseKind::RemovedByOurs,
            (_, None, None) => CaseKind::BothGone,
        }
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
            (["f1", "f2", "f3"], CaseKind::BothEdited),
            (["", "f2", "f3"], CaseKind::BothAdded),
            (["f1", "f1", "x1"], CaseKind::ModeOnly),
            (["f1", "", "f3"], CaseKind::RemovedByOurs),
            (["f1", "f2", ""], CaseKind::RemovedByTheirs),
            (["f1", "", ""], CaseKind::BothGone),
            (["", "f2", ""], CaseKind::OnlyOurs),
            (["", "", "f3"], CaseKind::OnlyTheirs),
            (["l1", "l2", "f3"], CaseKind::Link),
            (["s1", "s2", "s3"], CaseKind::Submodule),
        ];
        for (pattern, kind) in table {
            assert_eq!(CaseKind::of(&stages(pattern)), kind, "{pattern:?}");
        }
    }

    #[test]
    fn a_mode_changed_by_one_side_is_kept() {
        assert_eq!(stages(["f1", "f2", "x3"]).merged_mode(), Mode::Executable);
        assert_eq!(stages(["x1", "f2", "x3"]).merged_mode(), Mode::File);
        assert_eq!(stages(["f1", "f2", "f3"]).merged_mode(), Mode::File);
    }
}
