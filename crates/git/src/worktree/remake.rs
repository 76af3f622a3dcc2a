//! Making a file again by a command of the project, instead of merging it.
//!
//! Nothing is staged before the command has ended well: a command that fails, or a program that is
//! killed meanwhile, leaves the file in conflict.

use crate::case::contents::load;
use crate::case::one::Case;
use crate::case::outcomes::FileOutcome;
use crate::case::place::IndexState;
use crate::file::work_file::{Seen, WorkFile, write_atomically};
use crate::process::cancel::Cancel;
use crate::process::error::Error;
use crate::process::shell::run_shell;
use crate::repo::index::staged_diff;
use crate::repo::repository::Repository;
use crate::store::remade::note_remade;
use crate::worktree::guard::Overwrite;
use crate::worktree::staging::stage_as_they_stand;
use crate::worktree::write::{Written, settle_outcome};

/// How much of what a command prints is kept to say why it failed, in bytes.
const LAST_WORDS: usize = 2000;

/// Runs `line` in the shell at the top of the working tree and stages the file that it makes. The
/// command finds one side's whole file there, without markers; `Ok(Err)` says why it failed, and the
/// file is then as it was before.
///
/// # Errors
/// If the file is not what was seen, or cannot be written: nothing has changed then.
pub fn remake(
    repo: &Repository,
    case: &Case,
    line: &str,
    seen: &Seen,
    cancel: &Cancel,
) -> Result<Result<Written, String>, Error> {
    let top = repo.work_tree();
    let outcomes = case.outcomes();
    let sides = [FileOutcome::Ours, FileOutcome::Theirs];
    let Some(side) = sides.into_iter().find(|side| outcomes.contains(side)) else {
        return Ok(Err(format!("{}: no side has the file", case.path)));
    };
    let before = WorkFile::read(top, &case.path)?;
    let is_conflict = case.standing == IndexState::Unmerged;
    if before.seen != *seen && is_conflict {
        return Err(Error::ChangedOutside {
            path: case.path.clone(),
        });
    }
    if !matches!(before.seen, Seen::File(..) | Seen::Missing) {
        return Ok(Err(format!("{} is no plain file", case.path)));
    }
    if is_conflict {
        let versions = load(repo, case)?.versions;
        let text = match side {
            FileOutcome::Theirs => &versions.theirs,
            _ => &versions.ours,
        };
        write_atomically(&before.file, text.bytes(), None)?;
    }
    let mut last = Vec::new();
    let ended = run_shell(top, line, cancel, &mut |bytes| {
        last.extend_from_slice(bytes);
        let from = last.len().saturating_sub(LAST_WORDS);
        last.drain(..from);
    });
    let made = match ended {
        Ok(Some(0)) => WorkFile::read(top, &case.path),
        ended => {
            put_back(&before)?;
            let why = match ended {
                Err(error) => error.to_string(),
                Ok(_) => {
                    let said = String::from_utf8_lossy(&last);
                    said.lines().last().unwrap_or_default().to_owned()
                }
            };
            return Ok(Err(format!(
                "'{line}' failed: {why}; nothing was staged, {} is as it was",
                case.path
            )));
        }
    };
    let made = match made {
        Ok(made) if matches!(made.seen, Seen::File(..)) => made,
        _ => {
            put_back(&before)?;
            return Ok(Err(format!(
                "'{line}' left no file at {}; nothing was staged, it is as it was",
                case.path
            )));
        }
    };
    if is_conflict {
        // Written as any other result first, so that it can be taken back.
        put_back(&before)?;
        settle_outcome(repo, case, side, None, &before.seen, Overwrite::No)?;
        write_atomically(&made.file, &made.bytes, None)?;
    }
    stage_as_they_stand(repo, std::slice::from_ref(&case.path))?;
    note_remade(repo, &case.path, &staged_diff(repo)?)?;
    Ok(Ok(Written {
        seen: WorkFile::read(top, &case.path)?.seen,
        kept: None,
    }))
}

/// Puts the file back as it was before the command ran.
fn put_back(before: &WorkFile) -> Result<(), Error> {
    match before.seen {
        Seen::Missing => match std::fs::remove_file(&before.file) {
            Err(why) if why.kind() != std::io::ErrorKind::NotFound => {
                Err(Error::file("remove", &before.file)(why))
            }
            _ => Ok(()),
        },
        _ => write_atomically(&before.file, &before.bytes, None),
    }
}
