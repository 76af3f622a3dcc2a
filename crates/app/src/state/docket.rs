//! How a person has set Docket up: which files, in which order, and which are marked.

use armistice_git::RepoPath;
use std::collections::BTreeSet;

/// Which files are shown.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Filter {
    #[default]
    All,
    /// Something is open.
    Open,
    /// Nothing is open, and it is not written.
    Settled,
    /// A rule proposes something that nobody has taken.
    Offered,
    /// A rule settled something.
    ByRule,
    Marked,
}

impl Filter {
    pub const ALL: [Filter; 6] = [
        Filter::All,
        Filter::Open,
        Filter::Settled,
        Filter::Offered,
        Filter::ByRule,
        Filter::Marked,
    ];

    pub fn name(self) -> &'static str {
        match self {
            Filter::All => "all files",
            Filter::Open => "open files",
            Filter::Settled => "settled files, not written",
            Filter::Offered => "files with a suggestion",
            Filter::ByRule => "files with rulings",
            Filter::Marked => "marked files",
        }
    }
}

/// In which order they are shown.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Sort {
    #[default]
    Path,
    /// Most open conflicts first.
    Open,
    /// Open ones first, then settled ones, then written ones.
    State,
}

impl Sort {
    pub const ALL: [Sort; 3] = [Sort::Path, Sort::Open, Sort::State];

    pub fn name(self) -> &'static str {
        match self {
            Sort::Path => "by path",
            Sort::Open => "most open conflicts first",
            Sort::State => "open, then settled, then staged",
        }
    }
}

/// Docket as a person has set it up.
#[derive(Clone, Debug, Default)]
pub struct DocketView {
    /// The file at the cursor, by its place among all files.
    pub chosen: usize,
    /// Whether a person went there, or came back to there.
    pub moved: bool,
    /// The first row that is shown, among the rows that there are.
    pub top: usize,
    /// Marked cases, by their paths: they outlive a new reading.
    pub marked: BTreeSet<RepoPath>,
    pub filter: Filter,
    pub sort: Sort,
    /// Only paths that hold these words are shown.
    pub path: String,
    /// Whether a person stopped the reading of files.
    pub stopped: bool,
}

impl DocketView {
    /// Whether all files are shown in their usual order.
    pub fn is_plain(&self) -> bool {
        self.filter == Filter::All && self.sort == Sort::Path && self.path.is_empty()
    }
}
