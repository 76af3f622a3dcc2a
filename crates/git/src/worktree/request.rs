//! What is asked for: a case, and what shall become of it.

use crate::case::one::Case;
use crate::case::outcomes::FileOutcome;
use crate::file::work_file::Seen;
use crate::path::RepoPath;
use crate::repo::index::Mode;
use crate::worktree::guard::Overwrite;

/// What shall become of a case.
#[derive(Clone, Copy, Debug)]
pub enum Outcome<'a> {
    /// These merged bytes stand.
    Bytes(&'a [u8]),
    /// The file as a whole, as one version has it.
    Whole(FileOutcome),
}

/// A case to be written and staged.
#[derive(Clone, Copy, Debug)]
pub struct WriteRequest<'a> {
    /// Which case.
    pub case: &'a Case,
    /// What shall stand there.
    pub result: Outcome<'a>,
    /// The working file when it was read.
    pub seen: &'a Seen,
    /// Whether it may be replaced if it changed since.
    pub overwrite: Overwrite,
    /// Its mode, where the versions do not tell: [`Stages::mode_clash`](crate::Stages::mode_clash).
    pub mode: Option<Mode>,
    /// Its name, where it is to be another than that of the version, or where the sides gave it two:
    /// [`Case::name_clash`]. Of both, theirs gets it.
    pub name: Option<&'a RepoPath>,
}
