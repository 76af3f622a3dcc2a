//! A finished case put back into conflict.

use crate::case::one::Case;
use crate::file::owner::own;
use crate::file::work_file::{Prepared, Seen, WorkFile};
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::index::Mode;
use crate::repo::objects::{Oid, filtered};
use crate::repo::repository::Repository;
use crate::store::records::Store;
use crate::store::written::{Begun, Record, WriteKind};
use crate::worktree::change::{Change, put_link};
use crate::worktree::guard::{are_still_in_index, gone};
use crate::worktree::staging::unstage;
use crate::worktree::write::Written;
use armistice_core::{Source, find_markers};

/// Puts the conflict back: the stages into the index, the working file as it was
/// before this program wrote it.
///
/// A working file that was changed since is kept aside first. One that somebody
/// else staged stays as it is if it still holds markers; otherwise it gets
/// `with_markers`, the markers that git would have left.
///
/// # Errors
/// If git or the disk refuses.
pub fn take_back(repo: &Repository, case: &Case, with_markers: &[u8]) -> Result<Written, Error> {
    let store = Store::new(repo.git_dir());
    let _turn = store.turn()?;
    if are_still_in_index(repo, &[case])? != [true] {
        return Err(gone(case));
    }
    WorkFile::check_safe(repo.work_tree(), &case.path)?;
    let now = WorkFile::read(repo.work_tree(), &case.path)?;
    let record = store.records().of(&case.path).cloned();
    let record = record.filter(|r| r.stages == case.stages);
    let known = record.as_ref().is_some_and(|r| r.after == now.seen);
    let marked = !find_markers(&Source::new(now.bytes.clone())).is_empty();
    let untouched = record.is_none() && (marked || !case.kind.has_lines());
    let kept = match now.seen {
        Seen::File(..) | Seen::Link(_) if !known && !untouched => {
            Some(store.keep(&case.path, &now.bytes)?)
        }
        _ => None,
    };
    if let Some(record) = &record {
        // Noted first: the index and the working file are two steps.
        let begun = Begun {
            kind: WriteKind::TakeBack,
            path: case.path.bytes().to_vec(),
            owner: own().to_owned(),
            from: now.seen.clone(),
            earlier: Some(record.after.clone()),
        };
        let record = Record {
            begun: Some(begun),
            ..record.clone()
        };
        store.record([(&case.path, Some(&record))])?;
    }
    unstage(repo, case)?;
    if !untouched {
        put_back(repo, case, record.as_ref(), with_markers)?;
    }
    store.forget_record(&case.path);
    let seen = WorkFile::read(repo.work_tree(), &case.path)?.seen;
    Ok(Written { seen, kept })
}

pub(crate) fn put_back(
    repo: &Repository,
    case: &Case,
    record: Option<&Record>,
    with_markers: &[u8],
) -> Result<(), Error> {
    let file = case.path.under(repo.work_tree());
    match record {
        Some(Record { before: None, .. }) => Change::Remove.carry_out(&file),
        Some(Record {
            before: Some(copy), ..
        }) if let Some(bytes) = Store::new(repo.git_dir()).copy(copy) => {
            if copy.is_link {
                return put_link(&bytes, &file);
            }
            let executable = case
                .stages
                .ours
                .as_ref()
                .map(|s| s.mode == Mode::Executable);
            Prepared::new(&file, &bytes, executable)?.persist()
        }
        // A copy that is gone leaves the markers that git would write.
        Some(_) | None => {
            let call = Invocation::write(["hash-object", "-w", "--stdin"]).stdin(with_markers);
            let oid = Oid(repo.must(&call)?.text());
            let bytes = filtered(repo, &[(&case.path, &oid)])?.concat();
            Prepared::new(&file, &bytes, None)?.persist()
        }
    }
}
