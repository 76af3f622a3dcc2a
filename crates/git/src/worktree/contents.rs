//! What stands in the work tree for entries of the index, and putting back what stood there.

use crate::case::place::Place;
use crate::file::work_file::{Prepared, Seen, WorkFile};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::index::Mode;
use crate::repo::objects::{Oid, filtered};
use crate::repo::repository::Repository;
use crate::repo::stages::Stage;
use crate::store::records::Store;
use crate::store::written::Record;
use crate::worktree::change::{Change, put_link};

/// What shall stand in the work tree for entries, in order; nothing for what goes and for submodules.
pub(crate) fn contents_of<'a>(
    repo: &Repository,
    entries: impl Iterator<Item = (&'a Place, Option<&'a Stage>)>,
) -> Result<Vec<Vec<u8>>, Error> {
    let entries: Vec<_> = entries.collect();
    let is_link = |stage: &&Stage| stage.mode == Mode::Link;
    let files: Vec<(&RepoPath, &Oid)> = (entries.iter())
        .filter_map(|(place, stage)| {
            let stage = stage.filter(|stage| stage.mode.is_text_like())?;
            Some((&place.path, &stage.oid))
        })
        .collect();
    let links = entries
        .iter()
        .filter_map(|(_, stage)| stage.filter(is_link));
    let links: Vec<Oid> = links.map(|stage| stage.oid.clone()).collect();
    let mut files = filtered(repo, &files)?.into_iter();
    let mut links = repo.read_blobs(&links)?.into_iter();
    let next = |(place, stage): (&Place, Option<&Stage>)| match stage.map(|stage| stage.mode) {
        Some(Mode::Link) => links.next().ok_or_else(|| missing(&place.path)),
        Some(Mode::File | Mode::Executable) => files.next().ok_or_else(|| missing(&place.path)),
        Some(Mode::Submodule) | None => Ok(Vec::new()),
    };
    entries.into_iter().map(next).collect()
}

/// git gave fewer answers than it was asked for: better no file than a wrong one.
pub(crate) fn missing(path: &RepoPath) -> Error {
    Error::Unreadable {
        command: "about several files".to_owned(),
        what: format!("nothing for '{path}'"),
    }
}

/// The working file that an entry makes.
pub(crate) fn seen_of(stage: Option<&Stage>, content: &[u8]) -> Seen {
    match stage.map(|stage| stage.mode) {
        None => Seen::Missing,
        Some(Mode::Submodule) => Seen::Other,
        Some(Mode::Link) => Seen::link(content),
        Some(Mode::File | Mode::Executable) => Seen::file(content),
    }
}

/// The stage that git leaves on disk where only one side has a file.
pub(crate) fn lone_stage(place: &Place) -> Option<&Stage> {
    let (ours, theirs) = (&place.stages.ours, &place.stages.theirs);
    let stage = ours.as_ref().xor(theirs.as_ref())?;
    (stage.mode != Mode::Submodule).then_some(stage)
}

/// Puts back what stood at a path before it was written; without a record, what git leaves there.
///
/// # Errors
/// If git or the disk refuses.
pub(crate) fn put_back(
    repo: &Repository,
    place: &Place,
    record: Option<&Record>,
    with_markers: &[u8],
) -> Result<(), Error> {
    let top = repo.work_tree();
    let file = place.path.under(top);
    match record {
        Some(Record { before: None, .. }) => {
            let stages = place.stages.all().into_iter().flatten();
            let had_folder = stages
                .chain(&place.merged)
                .any(|s| s.mode == Mode::Submodule);
            match had_folder {
                true => Change::Folder.carry_out(top, &file),
                false => Change::Remove.carry_out(top, &file),
            }
        }
        Some(Record {
            before: Some(copy), ..
        }) if let Some(bytes) = Store::new(repo.git_dir()).copy(copy) => {
            if copy.is_link {
                return put_link(&bytes, &file);
            }
            let stages = [&place.stages.ours, &place.merged, &place.stages.theirs];
            let stage = stages.into_iter().flatten().next();
            let told = stage.is_some_and(|s| s.mode == Mode::Executable);
            Change::Late {
                executable: copy.executable.unwrap_or(told),
                content: bytes,
            }
            .carry_out(top, &file)
        }
        // A copy that is gone leaves what git would have left: markers, or the one side's file.
        Some(_) | None => {
            if let Some(stage) = lone_stage(place).or(place.merged.as_ref()) {
                let content = contents_of(repo, std::iter::once((place, Some(stage))))?.concat();
                let now = WorkFile::read(top, &place.path)?.seen;
                return Change::prepare(Some(stage), content, &file, &now)?.carry_out(top, &file);
            }
            if !place.has_lines() {
                return Ok(());
            }
            let call = Invocation::write(["hash-object", "-w", "--stdin"]).stdin(with_markers);
            let oid = Oid(repo.must(&call)?.text());
            let bytes = filtered(repo, &[(&place.path, &oid)])?.concat();
            Prepared::new(&file, &bytes, None)?.persist()
        }
    }
}
