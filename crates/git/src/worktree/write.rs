//! Finishing a case: working file and index together, and taking that back.
//!
//! Order matters. The new file is made ready beside its place first, then the
//! index is changed (which fails whole if its lock is held), then one rename
//! puts the file in place. Whatever fails, both are as they were.

use crate::case::kinds::CaseKind;
use crate::case::one::Case;
use crate::case::outcomes::FileOutcome;
use crate::case::stages::Stage;
use crate::file::work_file::{Seen, WorkFile};
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::Oid;
use crate::repo::repository::Repository;
use crate::store::records::{Copy, Record, Store};
use crate::worktree::change::Change;
use crate::worktree::guard::{Overwrite, guard};
use crate::worktree::staging::{stage_entry, unstage};
use std::path::PathBuf;

/// What was written.
#[derive(Clone, Debug)]
pub struct Written {
    /// The working file as it was left.
    pub seen: Seen,
    /// Where the bytes that stood there before are kept.
    pub kept: Option<PathBuf>,
}

/// Writes and stages the merged bytes of a case.
///
/// The working file gets what git's filters make of `bytes` (line ends, and
/// whatever else attributes ask for); the index gets `bytes` themselves.
///
/// # Errors
/// If the working file changed since `seen` or was edited by hand after git
/// stopped and `overwrite` does not allow replacing it, if it is not safe to
/// write there, or if git or the disk refuses; nothing has changed then.
pub fn write_result(
    repo: &Repository,
    case: &Case,
    bytes: &[u8],
    seen: &Seen,
    overwrite: Overwrite,
) -> Result<Written, Error> {
    let now = guard(repo, case, seen, overwrite)?;
    let call = Invocation::write(["hash-object", "-w", "--stdin"]).stdin(bytes);
    let oid = Oid(repo.must(&call)?.text());
    let mode = case.stages.merged_mode();
    replace(repo, case, now, Some(Stage { mode, oid }))
}

/// Settles a case by a whole-file outcome.
///
/// # Errors
/// As [`write_result`]; and if the outcome is not one of [`Case::outcomes`].
pub fn settle_outcome(
    repo: &Repository,
    case: &Case,
    outcome: FileOutcome,
    seen: &Seen,
    overwrite: Overwrite,
) -> Result<Written, Error> {
    if !case.outcomes().contains(&outcome) {
        return Err(Error::Unsafe {
            path: case.path.clone(),
            why: "this case has no such outcome",
        });
    }
    let now = guard(repo, case, seen, overwrite)?;
    let mut stage = case.stage(outcome).cloned();
    // Ours or theirs means the content; a mode that one side alone changed stays.
    if let (Some(stage), CaseKind::BothEdited) = (&mut stage, case.kind) {
        stage.mode = case.stages.merged_mode();
    }
    replace(repo, case, now, stage)
}

/// Replaces working file and index entry together.
fn replace(
    repo: &Repository,
    case: &Case,
    now: WorkFile,
    stage: Option<Stage>,
) -> Result<Written, Error> {
    let store = Store::new(repo.git_dir());
    let kept = match now.seen {
        Seen::File(..) | Seen::Link(_) => Some(store.keep(&case.path, &now.bytes)?),
        Seen::Missing | Seen::Other => None,
    };
    let file = now.file.clone();
    let change = match &stage {
        Some(stage) => Change::prepare(repo, case, stage, &file)?,
        None => Change::Remove,
    };
    stage_entry(repo, case, stage.as_ref())?;
    let done = change
        .carry_out(&file)
        .and_then(|()| WorkFile::read(repo.work_tree(), &case.path));
    let left = match done {
        Ok(left) => left,
        Err(error) => {
            unstage(repo, case)?;
            return Err(error);
        }
    };
    // Only spares git a second look at the file; it does no harm if it fails.
    let refresh = Invocation::write(["add", "--refresh", "--"]).arg(case.path.to_os());
    let _ = repo.run(&refresh);
    let mut record = record_of(&store, case, &now, &kept, &left.seen);
    record.head = repo.resolve("HEAD")?;
    store.record(&case.path, &record)?;
    Ok(Written {
        seen: left.seen,
        kept,
    })
}

/// What to remember for taking back: a file written for the second time still
/// goes back to what git left, not to what was written first.
fn record_of(
    store: &Store,
    case: &Case,
    now: &WorkFile,
    kept: &Option<PathBuf>,
    after: &Seen,
) -> Record {
    let earlier = store.recorded(&case.path);
    let before = match earlier.filter(|r| r.stages == case.stages) {
        Some(earlier) => earlier.before,
        None => kept.clone().map(|file| Copy {
            file,
            is_link: matches!(now.seen, Seen::Link(_)),
        }),
    };
    Record {
        stages: case.stages.clone(),
        before,
        after: after.clone(),
        head: None,
    }
}
