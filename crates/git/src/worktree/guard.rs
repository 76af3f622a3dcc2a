//! Whether a working file may be replaced: only what git or this program left there, unasked.

use crate::case::contents::entry_fields;
use crate::case::one::Case;
use crate::file::work_file::{Seen, WorkFile};
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::Oid;
use crate::repo::repository::Repository;
use crate::store::records::Store;
use armistice_core::{Source, find_markers};

/// Whether a working file that changed may be replaced.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Overwrite {
    /// No: refuse if it is not what was read or what git left.
    No,
    /// Yes, by decision of a person; a copy is kept.
    Yes,
}

pub(crate) fn guard(
    repo: &Repository,
    case: &Case,
    seen: &Seen,
    overwrite: Overwrite,
) -> Result<WorkFile, Error> {
    let top = repo.work_tree();
    WorkFile::check_safe(top, &case.path)?;
    let now = WorkFile::read(top, &case.path)?;
    let changed = now.seen != *seen || !is_as_left(repo, case, &now)?;
    match (changed, overwrite) {
        (true, Overwrite::No) => Err(Error::ChangedOutside {
            path: case.path.clone(),
        }),
        _ => Ok(now),
    }
}

/// Whether the working file is what git, or this program, left there.
fn is_as_left(repo: &Repository, case: &Case, now: &WorkFile) -> Result<bool, Error> {
    let record = Store::new(repo.git_dir()).recorded(&case.path);
    if record.is_some_and(|r| r.after == now.seen) {
        return Ok(true);
    }
    match now.seen {
        Seen::Missing | Seen::Other => return Ok(true),
        Seen::File(..) | Seen::Link(_) => {}
    }
    if let Some(merged) = auto_merged(repo, case)? {
        return Ok(merged == cleaned(repo, case, now)?);
    }
    for stage in case.stages.all().into_iter().flatten() {
        if stage.oid == cleaned(repo, case, now)? {
            return Ok(true);
        }
    }
    Ok(case.kind.has_lines() && looks_merged(repo, case, &now.bytes)?)
}

/// What git's merge left at the path, where git remembers it.
fn auto_merged(repo: &Repository, case: &Case) -> Result<Option<Oid>, Error> {
    let Some(tree) = repo.resolve("AUTO_MERGE")? else {
        return Ok(None);
    };
    let call = Invocation::read(["ls-tree", "-z", "--full-tree", &tree, "--"]);
    let fields = entry_fields(repo, &call.arg(case.path.to_os()))?;
    Ok(fields.into_iter().nth(2).map(Oid))
}

/// The object that the working file would become.
fn cleaned(repo: &Repository, case: &Case, now: &WorkFile) -> Result<Oid, Error> {
    let mut call = Invocation::read(["hash-object", "--stdin"]);
    if matches!(now.seen, Seen::File(..)) {
        let mut path = std::ffi::OsString::from("--path=");
        path.push(case.path.to_os());
        call = call.arg(path);
    }
    let output = repo.must(&call.stdin(now.bytes.clone()))?;
    Ok(Oid(output.text()))
}

/// Whether `bytes` are what git would merge the three versions to, labels and
/// line ends aside.
fn looks_merged(repo: &Repository, case: &Case, bytes: &[u8]) -> Result<bool, Error> {
    let [base, ours, theirs] = case.stages.all();
    let (Some(ours), Some(theirs)) = (ours, theirs) else {
        return Ok(false);
    };
    let base = match base {
        Some(stage) => stage.oid.clone(),
        // git knows the empty blob without its being stored, by its name of either length.
        None => Oid(repo
            .must(&Invocation::read(["hash-object", "--stdin"]))?
            .text()),
    };
    let plain = bare(bytes);
    for algorithm in ["histogram", "myers"] {
        let algorithm = format!("--diff-algorithm={algorithm}");
        let args = [
            "merge-file",
            "-p",
            "-q",
            "--object-id",
            &algorithm,
            &ours.oid.0,
            &base.0,
            &theirs.oid.0,
        ];
        if bare(&repo.run(&Invocation::read(args))?.stdout) == plain {
            return Ok(true);
        }
    }
    Ok(false)
}

/// Lines without carriage returns and without what stands behind markers.
fn bare(bytes: &[u8]) -> Vec<Vec<u8>> {
    let text = Source::new(bytes);
    let markers: Vec<_> = find_markers(&text)
        .into_iter()
        .map(|(line, _)| line)
        .collect();
    let line = |at| match markers.binary_search(&at) {
        Ok(_) => text
            .line(at)
            .content()
            .first()
            .copied()
            .into_iter()
            .collect(),
        Err(_) => text.line(at).content().to_vec(),
    };
    text.all().iter().map(line).collect()
}
