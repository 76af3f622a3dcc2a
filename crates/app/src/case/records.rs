//! Records of what was decided: of what is in progress, and of what is concluded.

use crate::base::safe_text::visible;
use crate::case::opened::OpenedFile;
use armistice_core::{DecidedBy, Decision, FileRecord, MergeRecord, Side, Version};
use armistice_git::{Case, Decisions, FileOutcome, IndexState, Repository, Situation};

/// Why something counts as settled by hand that nobody settled here.
const STAGED_ELSEWHERE: &str = "staged by another program";

/// What was decided in a file: in its lines, or as a whole.
pub fn file_record(
    case: &Case,
    open: Option<&OpenedFile>,
    whole: Option<FileOutcome>,
) -> FileRecord {
    let path = case.staged_path.as_ref().unwrap_or(&case.path);
    let path = visible(&path.to_string());
    let elsewhere = case.standing == IndexState::Staged;
    if let Some(open) = open {
        let mut record = FileRecord::of(&path, open.draft());
        for decision in &mut record.decisions {
            if elsewhere && decision.by == DecidedBy::Open {
                decision.by = DecidedBy::Hand;
                decision.reason = STAGED_ELSEWHERE.to_owned();
            }
        }
        return record;
    }
    let without = |side: Side| case.stages.all()[Version::from(side) as usize].is_none();
    let (by, reason) = match whole {
        None if elsewhere => (DecidedBy::Hand, STAGED_ELSEWHERE.to_owned()),
        None => (DecidedBy::Open, "not decided".to_owned()),
        Some(outcome) => (
            match outcome {
                FileOutcome::Ours => DecidedBy::Ours,
                FileOutcome::Theirs => DecidedBy::Theirs,
                FileOutcome::Both => DecidedBy::Both,
                FileOutcome::Base => DecidedBy::Base,
                // As the side has it that removed it.
                FileOutcome::Remove if without(Side::Ours) => DecidedBy::Ours,
                FileOutcome::Remove if without(Side::Theirs) => DecidedBy::Theirs,
                FileOutcome::Remove | FileOutcome::OwnName => DecidedBy::Hand,
            },
            format!("settled as a whole: {}", outcome.name()),
        ),
    };
    let [ours, theirs] = case.words();
    FileRecord {
        path,
        decisions: vec![Decision {
            conflict: 0,
            line: 0,
            cause: format!("ours {ours}, theirs {theirs}"),
            by,
            rule: None,
            reason,
        }],
        strip: vec![Some(by); 1],
    }
}

/// The record of what is in progress, of files that were read; who decides is filled in by [`signed`].
pub fn merge_record(situation: &Situation, files: Vec<FileRecord>) -> MergeRecord {
    MergeRecord {
        operation: situation.operation.name().to_owned(),
        ours: visible(&situation.ours.label),
        theirs: visible(&situation.theirs.label),
        who: String::new(),
        commit: None,
        files,
    }
}

/// A record with the name of whom git takes the user for.
pub fn signed(repo: &Repository, record: MergeRecord) -> MergeRecord {
    let name = repo.user_name();
    MergeRecord {
        who: visible(&name.unwrap_or_else(|| "an unnamed user".to_owned())),
        ..record
    }
}

/// A record with a name under it, or the one of the commit that is checked out.
pub(crate) fn decided(
    repo: &Repository,
    record: Option<&MergeRecord>,
) -> Result<MergeRecord, String> {
    match record {
        Some(record) => Ok(signed(repo, record.clone())),
        None => kept_record(repo, "HEAD"),
    }
}

/// What was decided in what became a commit.
///
/// # Errors
/// If there is no such commit, or no record of it.
pub fn kept_record(repo: &Repository, revision: &str) -> Result<MergeRecord, String> {
    let commit = repo
        .resolve(&format!("{revision}^{{commit}}"))
        .map_err(|error| error.to_string())?;
    let Some(commit) = commit else {
        return Err(format!("'{revision}' names no commit"));
    };
    let kept = Decisions::new(repo.git_dir());
    let record = kept
        .of(&commit)
        .and_then(|bytes| serde_json::from_slice(&bytes).ok());
    record.ok_or_else(|| {
        let others = kept.commits();
        let short = |commit: &String| commit.chars().take(7).collect::<String>();
        let listed: Vec<String> = others.iter().take(5).map(short).collect();
        match listed.is_empty() {
            true => {
                "no operation is in progress, and none was concluded with Armistice here".to_owned()
            }
            false => format!(
                "{} has no recorded decisions; the newest records are of {}",
                short(&commit),
                listed.join(", ")
            ),
        }
    })
}
