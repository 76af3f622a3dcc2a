//! A case as far as it could be read, and why some have no lines to merge.

use crate::base::safe_text::visible;
use crate::case::opened::{OpenedFile, Unfinished};
use armistice_core::limits::GIVEN_UP_LINES;
use armistice_core::{
    Counts, Line, LineCounts, LineRange, PerSide, Source, Version, Versions, changed_lines,
};
use armistice_git::{Case, CaseKind, FileOutcome, IndexState, Loaded, Mode, RepoPath, Seen};

/// A case that was read.
#[derive(Clone, Debug)]
pub enum CaseLoad {
    /// It could not be read.
    Failed(String),
    /// Lines that can be merged.
    Lines(Box<OpenedFile>),
    /// Nothing to merge line by line: only whole-file outcomes.
    Whole(Box<WholeFile>),
}

impl CaseLoad {
    /// Conflicts and open ones; a case without lines is one conflict.
    pub fn counts(&self, case: &Case) -> Counts {
        match self {
            CaseLoad::Lines(open) => match case.standing {
                IndexState::Staged if open.unfinished.is_none() => open.counts().staged_elsewhere(),
                IndexState::Staged | IndexState::Unmerged => open.counts(),
            },
            CaseLoad::Failed(_) => whole_counts(case, None),
            CaseLoad::Whole(whole) => whole_counts(case, Some(whole)),
        }
    }

    /// Why the case is not finished although it is staged, if so.
    pub fn unfinished(&self) -> Option<Unfinished> {
        self.open().and_then(|open| open.unfinished)
    }

    pub fn open(&self) -> Option<&OpenedFile> {
        match self {
            CaseLoad::Lines(open) => Some(open),
            _ => None,
        }
    }
}

/// A case without lines is one conflict, open until it is decided.
pub fn whole_counts(case: &Case, whole: Option<&WholeFile>) -> Counts {
    let decided = whole.is_some_and(|whole| whole.decided.is_some());
    let counts = Counts {
        conflicts: 1,
        open: usize::from(!decided),
        ..Counts::default()
    };
    match case.standing {
        IndexState::Staged => counts.staged_elsewhere(),
        IndexState::Unmerged => counts,
    }
}

/// A case that is settled as a whole.
#[derive(Clone, Debug)]
pub struct WholeFile {
    /// Why its lines cannot be merged here.
    pub why: &'static str,
    /// Bytes of each side's version; `None` if it has none.
    pub sizes: PerSide<Option<usize>>,
    /// Lines each side added to and removed from base, where there are lines.
    pub changes: Option<PerSide<LineCounts>>,
    pub seen: Seen,
    /// What each side did, line by line.
    pub edits: PerSide<Vec<String>>,
    /// What else is known: the commits of a submodule.
    pub notes: Vec<String>,
    /// The commit that each side has there, in words; empty if it is no submodule.
    pub commits: PerSide<String>,
    /// Files of the folder that a file of the same name would replace.
    pub folder: Vec<RepoPath>,
    /// What a person decided, now or when the same versions met before.
    pub decided: Option<FileOutcome>,
}

impl WholeFile {
    pub fn new(case: &Case, loaded: Loaded, why: &'static str) -> Self {
        let versions = &loaded.versions;
        let size = |version: Version| {
            let stage = case.stages.all()[version as usize];
            stage.as_ref().map(|_| versions.get(version).bytes().len())
        };
        let has_lines = !loaded.binary && !loaded.too_large;
        WholeFile {
            why,
            sizes: PerSide::from_fn(|side| size(side.into())),
            changes: has_lines.then(|| changes(versions)),
            edits: PerSide::from_fn(|side| match (size(side.into()), has_lines) {
                (Some(_), true) => edit_lines(&versions.base, versions.get(side.into())),
                _ => Vec::new(),
            }),
            seen: loaded.seen,
            notes: loaded.commits,
            commits: PerSide::from_fn(|side| {
                let stage = case.stages.all()[Version::from(side) as usize].as_ref();
                let commit = stage.filter(|stage| stage.mode == Mode::Submodule);
                commit.map_or(String::new(), |stage| {
                    let short: String = stage.oid.0.chars().take(7).collect();
                    format!("commit {short}")
                })
            }),
            folder: loaded.folder,
            decided: None,
        }
    }
}

/// Lines that each side added to and removed from base.
fn changes(versions: &Versions) -> PerSide<LineCounts> {
    let lines = |text: &'_ Source| -> Vec<Vec<u8>> {
        text.lines(text.all())
            .map(|line| Line::bytes(line).to_vec())
            .collect()
    };
    let base = lines(&versions.base);
    PerSide::from_fn(|side| {
        let side = lines(versions.get(side.into()));
        let changed = changed_lines(&slices(&base), &slices(&side));
        let sum = |count: fn(&(LineRange, LineRange)) -> usize| changed.iter().map(count).sum();
        LineCounts {
            added: sum(|(_, to)| to.len()),
            removed: sum(|(from, _)| from.len()),
        }
    })
}

/// The lines that were added to a text and removed from it, each with its number, in order.
pub fn edit_lines(base: &Source, side: &Source) -> Vec<String> {
    let lines = |text: &'_ Source| -> Vec<Vec<u8>> {
        text.lines(text.all())
            .map(|line| Line::bytes(line).to_vec())
            .collect()
    };
    let changed = changed_lines(&slices(&lines(base)), &slices(&lines(side)));
    let mut out = Vec::new();
    for (from, to) in changed {
        for (sign, text, lines) in [("-", base, from), ("+", side, to)] {
            for at in lines.iter() {
                if out.len() >= GIVEN_UP_LINES {
                    out.push("… and more".to_owned());
                    return out;
                }
                let line = String::from_utf8_lossy(text.line(at).content()).into_owned();
                out.push(format!("{sign} {:>5}  {}", at.number(), visible(&line)));
            }
        }
    }
    out
}

fn slices(lines: &[Vec<u8>]) -> Vec<&[u8]> {
    lines.iter().map(Vec::as_slice).collect()
}

/// Why a case has no lines to merge, if it has none.
pub fn why_whole(case: &Case, loaded: &Loaded) -> Option<&'static str> {
    if case.has_lines() {
        return match (loaded.binary, loaded.too_large) {
            (true, _) => Some("binary, or marked as binary in .gitattributes"),
            (false, true) => Some("too large to merge line by line"),
            (false, false) => None,
        };
    }
    Some(match case.kind {
        CaseKind::ModeOnly => "only the modes differ, the contents are the same",
        CaseKind::RemovedByOurs => "ours removed it, so there are no lines to merge",
        CaseKind::RemovedByTheirs => "theirs removed it, so there are no lines to merge",
        CaseKind::BothGone => "no side has this path: it is left over from a rename or removal",
        CaseKind::OnlyOurs | CaseKind::OnlyTheirs => "one side alone has this path",
        CaseKind::Suggested => "only its path is in question: the other side renamed the folder",
        CaseKind::FileAgainstFolder => "a file and a folder cannot share a name",
        CaseKind::Submodule => "a submodule is among the versions: choose its commit",
        CaseKind::Link => "a symbolic link is among the versions, which has no lines",
        CaseKind::BothEdited
        | CaseKind::BothAdded
        | CaseKind::TwoOntoOne
        | CaseKind::RenamedTwoWays => "the versions are of different kinds",
    })
}
