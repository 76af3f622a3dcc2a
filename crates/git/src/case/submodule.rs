//! What is to be had about the commits of a submodule: subjects, and which contains which.

use crate::case::kinds::CaseKind;
use crate::case::one::Case;
use crate::process::invocation::{Git, Invocation};
use crate::process::runner::Runner;
use crate::repo::index::Mode;
use crate::repo::repository::Repository;
use armistice_core::Version;

/// Tells of the commits of a case that is about a submodule; nothing of another.
///
/// Where the submodule is not checked out only the names of the commits are known. git is asked in
/// the submodule alone; what fails there is only not told.
pub(crate) fn commits(repo: &Repository, case: &Case) -> Vec<String> {
    if case.kind != CaseKind::Submodule {
        return Vec::new();
    }
    let at = |version: Version| {
        let stage = case.stages.all()[version as usize].as_ref();
        stage
            .filter(|s| s.mode == Mode::Submodule)
            .map(|s| s.oid.0.clone())
    };
    let folder = case.targets[1].under(repo.work_tree());
    // Without one git would find the repository around it.
    let checked_out = folder.join(".git").exists();
    let git = Runner::new(&folder);
    let mut lines = Vec::new();
    for version in Version::ALL {
        let Some(oid) = at(version) else { continue };
        let format = "--format=%h %s";
        let call = Invocation::read(["log", "-1", format, &oid, "--"]);
        let told = match checked_out {
            true => git.run(&call).ok().filter(|output| output.ok()),
            false => None,
        };
        let short: String = oid.chars().take(10).collect();
        let told = told.map_or(short, |output| output.text());
        lines.push(format!("{}: commit {told}", version.name()));
    }
    if !checked_out {
        lines.push("The submodule is not checked out: no more is known of its commits.".to_owned());
        return lines;
    }
    let contains = |later: &str, earlier: &str| {
        let call = Invocation::read(["merge-base", "--is-ancestor", earlier, later]);
        git.run(&call).is_ok_and(|output| output.ok())
    };
    if let (Some(ours), Some(theirs)) = (at(Version::Ours), at(Version::Theirs)) {
        let told = match (contains(&ours, &theirs), contains(&theirs, &ours)) {
            (true, false) => "Ours is ahead: it contains theirs.",
            (false, true) => "Theirs is ahead: it contains ours.",
            (true, true) => "Both are the same commit.",
            (false, false) => "Neither contains the other, or one of them is not there.",
        };
        lines.push(told.to_owned());
    }
    lines
}
