//! Finishing a case: working file and index together, and taking that back.
//!
//! Order matters. The new file is made ready beside its place first, then the
//! index is changed (which fails whole if its lock is held), then one rename
//! puts the file in place. Whatever fails, both are as they were.

use crate::blobs::read_blobs;
use crate::case::{Case, Kind, Mode, Oid, Outcome, Stage};
use crate::error::Error;
use crate::invocation::{Git, Invocation};
use crate::repository::Repository;
use crate::store::{Copy, Record, Store};
use crate::work_file::{Prepared, Seen, WorkFile};
use armistice_core::{Source, Versions, find_markers};
use std::fs;
use std::path::PathBuf;

/// The contents of a case.
#[derive(Clone, Debug)]
pub struct Loaded {
    /// Base, ours, theirs; a missing version is empty.
    pub versions: Versions,
    /// Whether a version is binary, so that lines make no sense.
    pub binary: bool,
    /// The working file when it was read.
    pub seen: Seen,
}

/// Reads the versions of a case and looks at its working file.
///
/// # Errors
/// If an object is missing or the working file cannot be read.
pub fn load(repo: &Repository, case: &Case) -> Result<Loaded, Error> {
    let mut all = load_all(repo, std::slice::from_ref(case))?;
    all.pop().ok_or_else(|| Error::Unreadable {
        command: "cat-file --batch".to_owned(),
        what: format!("nothing for '{}'", case.path),
    })
}

/// Reads many cases with one call for all contents; in the order of `cases`.
///
/// # Errors
/// As [`load`], for the first case that fails.
pub fn load_all(repo: &Repository, cases: &[Case]) -> Result<Vec<Loaded>, Error> {
    let oids: Vec<Oid> = cases
        .iter()
        .flat_map(|case| readable(case))
        .flatten()
        .map(|s| s.oid.clone())
        .collect();
    let mut blobs = read_blobs(repo, &oids)?.into_iter();
    let binary = called_binary(repo, cases)?;
    let mut loaded = Vec::with_capacity(cases.len());
    for (case, called_binary) in cases.iter().zip(binary) {
        let mut next = |stage: Option<&Stage>| {
            let bytes = stage.and_then(|_| blobs.next());
            Source::new(bytes.unwrap_or_default())
        };
        let [base, ours, theirs] = readable(case);
        let versions = Versions {
            base: next(base),
            ours: next(ours),
            theirs: next(theirs),
        };
        let texts = [&versions.base, &versions.ours, &versions.theirs];
        loaded.push(Loaded {
            binary: called_binary || texts.into_iter().any(Source::is_binary),
            seen: WorkFile::read(repo.work_tree(), &case.path)?.seen,
            versions,
        });
    }
    Ok(loaded)
}

/// The stages that are objects of this repository: the commit of a submodule is none.
fn readable(case: &Case) -> [Option<&Stage>; 3] {
    let is_readable = |s: &&Stage| s.mode != Mode::Submodule;
    case.stages.all().map(|s| s.as_ref().filter(is_readable))
}

/// For each case, whether attributes forbid merging it line by line.
fn called_binary(repo: &Repository, cases: &[Case]) -> Result<Vec<bool>, Error> {
    let paths: Vec<u8> = cases
        .iter()
        .flat_map(|c| [c.path.bytes(), b"\0"].concat())
        .collect();
    let call = Invocation::read(["check-attr", "-z", "--stdin", "merge"]).stdin(paths);
    let output = repo.must(&call)?;
    // PATH NUL "merge" NUL VALUE NUL, once for each; "unset" is what -merge and the macro "binary" give.
    let values = output.stdout.split(|b| *b == 0).skip(2).step_by(3);
    Ok(values
        .map(|value| matches!(value, b"unset" | b"binary"))
        .collect())
}

/// What is staged for a path now, if anything is.
///
/// # Errors
/// If git fails.
pub fn staged_bytes(repo: &Repository, case: &Case) -> Result<Option<Vec<u8>>, Error> {
    let call = Invocation::read(["ls-files", "-z", "--stage", "--"]).arg(case.path.to_os());
    let fields = entry_fields(repo, &call)?;
    match &fields[..] {
        // The commit of a submodule is no object of this repository.
        [mode, oid, ..] if mode != "160000" => {
            Ok(Some(read_blobs(repo, &[Oid(oid.clone())])?.concat()))
        }
        _ => Ok(None),
    }
}

/// The fields before the path of the first entry that `ls-files` or `ls-tree` prints.
fn entry_fields(repo: &Repository, call: &Invocation) -> Result<Vec<String>, Error> {
    let output = repo.must(call)?;
    let head = output.stdout.split(|b| *b == b'\t').next();
    let head = String::from_utf8_lossy(head.unwrap_or_default()).into_owned();
    Ok(head.split(' ').map(str::to_owned).collect())
}

/// Whether a working file that changed may be replaced.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Overwrite {
    /// No: refuse if it is not what was read or what git left.
    No,
    /// Yes, by decision of a person; a copy is kept.
    Yes,
}

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
    outcome: Outcome,
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
    if let (Some(stage), Kind::BothEdited) = (&mut stage, case.kind) {
        stage.mode = case.stages.merged_mode();
    }
    replace(repo, case, now, stage)
}

fn guard(
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

/// What is about to happen to a working file, made ready as far as possible.
enum Change {
    Put(Prepared),
    Link(Vec<u8>),
    Remove,
}

impl Change {
    fn prepare(
        repo: &Repository,
        case: &Case,
        stage: &Stage,
        file: &std::path::Path,
    ) -> Result<Self, Error> {
        if stage.mode == Mode::Link {
            let target = read_blobs(repo, std::slice::from_ref(&stage.oid))?;
            return Ok(Change::Link(target.concat()));
        }
        let bytes = filtered(repo, case, &stage.oid)?;
        let executable = stage.mode == Mode::Executable;
        Ok(Change::Put(Prepared::new(file, &bytes, Some(executable))?))
    }

    fn carry_out(self, file: &std::path::Path) -> Result<(), Error> {
        match self {
            Change::Put(prepared) => prepared.persist(),
            Change::Link(target) => put_link(&target, file),
            Change::Remove => match fs::remove_file(file) {
                Err(e) if e.kind() != std::io::ErrorKind::NotFound => {
                    Err(Error::file("remove", file)(e))
                }
                _ => Ok(()),
            },
        }
    }
}

fn put_link(target: &[u8], file: &std::path::Path) -> Result<(), Error> {
    use std::os::unix::ffi::OsStrExt;
    let target = std::ffi::OsStr::from_bytes(target);
    let folder = file.parent().unwrap_or(std::path::Path::new("."));
    let temp = tempfile::Builder::new()
        .prefix(".armistice-")
        .make_in(folder, |at| std::os::unix::fs::symlink(target, at));
    let temp = temp.map_err(Error::file("write", file))?;
    match temp.persist(file) {
        Ok(_) => Ok(()),
        Err(e) => Err(Error::file("write", file)(e.error)),
    }
}

/// What stands in the work tree for an object: line ends and other filters applied.
fn filtered(repo: &Repository, case: &Case, oid: &Oid) -> Result<Vec<u8>, Error> {
    let mut path = std::ffi::OsString::from("--path=");
    path.push(case.path.to_os());
    let call = Invocation::read(["cat-file", "--filters"])
        .arg(path)
        .arg(&oid.0);
    Ok(repo.must(&call)?.stdout)
}

fn stage_entry(repo: &Repository, case: &Case, stage: Option<&Stage>) -> Result<(), Error> {
    let line = match stage {
        Some(stage) => entry(stage.mode.octal(), &stage.oid.0, 0, case),
        None => removal(case),
    };
    index_info(repo, line)
}

/// Puts the stages of a case back into the index.
fn unstage(repo: &Repository, case: &Case) -> Result<(), Error> {
    let mut lines = removal(case);
    for (number, stage) in (1..).zip(case.stages.all()) {
        if let Some(stage) = stage {
            lines.extend(entry(stage.mode.octal(), &stage.oid.0, number, case));
        }
    }
    index_info(repo, lines)
}

fn removal(case: &Case) -> Vec<u8> {
    let any = case.stages.names().into_iter().find(|n| !n.is_empty());
    let zeros = "0".repeat(any.map_or(40, |n| n.len()));
    entry("0", &zeros, 0, case)
}

fn entry(mode: &str, oid: &str, stage: usize, case: &Case) -> Vec<u8> {
    let mut line = format!("{mode} {oid} {stage}\t").into_bytes();
    line.extend_from_slice(case.path.bytes());
    line.push(0);
    line
}

fn index_info(repo: &Repository, lines: Vec<u8>) -> Result<(), Error> {
    let call = Invocation::write(["update-index", "-z", "--index-info"]).stdin(lines);
    repo.must(&call).map(|_| ())
}

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
    WorkFile::check_safe(repo.work_tree(), &case.path)?;
    let now = WorkFile::read(repo.work_tree(), &case.path)?;
    let record = store
        .recorded(&case.path)
        .filter(|r| r.stages == case.stages);
    let known = record.as_ref().is_some_and(|r| r.after == now.seen);
    let marked = !find_markers(&Source::new(now.bytes.clone())).is_empty();
    let untouched = record.is_none() && (marked || !case.kind.has_lines());
    let kept = match now.seen {
        Seen::File(..) | Seen::Link(_) if !known && !untouched => {
            Some(store.keep(&case.path, &now.bytes)?)
        }
        _ => None,
    };
    unstage(repo, case)?;
    if !untouched {
        put_back(repo, case, record.as_ref(), with_markers)?;
    }
    store.forget_record(&case.path);
    let seen = WorkFile::read(repo.work_tree(), &case.path)?.seen;
    Ok(Written { seen, kept })
}

fn put_back(
    repo: &Repository,
    case: &Case,
    record: Option<&Record>,
    with_markers: &[u8],
) -> Result<(), Error> {
    let file = case.path.under(repo.work_tree());
    match record {
        Some(Record { before: None, .. }) => Change::Remove.carry_out(&file),
        // A copy that is gone leaves the markers that git would write.
        Some(Record {
            before: Some(copy), ..
        }) if copy.file.exists() => {
            let bytes = fs::read(&copy.file).map_err(Error::file("read", &copy.file))?;
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
        Some(_) | None => {
            let call = Invocation::write(["hash-object", "-w", "--stdin"]).stdin(with_markers);
            let oid = Oid(repo.must(&call)?.text());
            let bytes = filtered(repo, case, &oid)?;
            Prepared::new(&file, &bytes, None)?.persist()
        }
    }
}
