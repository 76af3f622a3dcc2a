//! Tracked files with conflict markers that no merge in progress accounts for.
//!
//! Somebody committed or staged them by mistake, or a git command was killed after it had written
//! its conflicts. A text may also be about markers: lines that a parent or the upstream branch has
//! already do not count as new.

use crate::case::reading::staged_entries;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::Oid;
use crate::repo::repository::Repository;
use crate::repo::trees::tree_entries;
use armistice_core::{
    LineIdx, MARKER_SIZE, Part, Source, find_markers, marker_size, parse_markers,
};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// Where the markers of a file are, the furthest place first.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum MarkerPlace {
    /// In the branch that is followed, or in every parent of the commit that is checked out.
    Earlier,
    /// In the commit that is checked out, and new there or not pushed yet.
    Committed,
    /// Staged, and in no commit.
    Staged,
    /// In the working tree alone.
    WorkTree,
}

/// A tracked file with conflict markers.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct MarkerFile {
    /// The file.
    pub path: RepoPath,
    /// The first line that no earlier place has.
    pub line: LineIdx,
    /// Where they are.
    pub place: MarkerPlace,
}

impl MarkerFile {
    /// Whether nothing earlier accounts for them: the branch is not to be pushed as it is.
    pub fn is_new(&self) -> bool {
        self.place != MarkerPlace::Earlier
    }
}

/// Finds them, in order of their paths. For a repository with no operation in progress.
///
/// Two calls of git look for lines that begin like a marker; only files that have some are read. A
/// partial clone fetches nothing for it: files whose contents are not here are passed over.
///
/// # Errors
/// If git fails, or contents to compare with are not here.
pub fn marker_files(repo: &Repository) -> Result<Vec<MarkerFile>, Error> {
    let repo = &repo.without_fetching();
    let in_index = listed(repo, true)?;
    let in_tree = listed(repo, false)?;
    if in_index.is_empty() && in_tree.is_empty() {
        return Ok(Vec::new());
    }
    let all: BTreeSet<&RepoPath> = in_index.iter().chain(&in_tree).collect();
    let all: Vec<&RepoPath> = all.into_iter().collect();
    let (known, is_merge) = known_before(repo)?;
    let mut texts = Texts::default();
    let staged = staged_entries(repo, &all)?;
    let head = entries_of(repo, "HEAD", &all)?;
    let mut before = Vec::new();
    for revision in &known {
        before.push(entries_of(repo, revision, &all)?);
    }
    let staged: HashMap<RepoPath, Oid> = staged.into_iter().map(|(p, s)| (p, s.oid)).collect();
    texts.read(repo, before.iter().chain([&head, &staged]))?;
    let mut found = Vec::new();
    for path in all {
        let of = |entries: &HashMap<RepoPath, Oid>| texts.of(entries.get(path), is_merge);
        let earlier: Vec<Marks> = before.iter().map(of).collect();
        let (head, staged) = (of(&head), of(&staged));
        let work_tree = match in_tree.contains(path) {
            true => Marks::of(&work_tree_text(repo, path), is_merge),
            false => Marks::default(),
        };
        let new_in_head = head.without(earlier.iter());
        let places = [
            (MarkerPlace::Committed, new_in_head),
            (
                MarkerPlace::Staged,
                staged.without([&head].into_iter().chain(&earlier)),
            ),
            (MarkerPlace::WorkTree, work_tree.without([&staged])),
            (MarkerPlace::Earlier, head.first()),
        ];
        let first = places
            .into_iter()
            .find_map(|(place, line)| Some((place, line?)));
        if let Some((place, line)) = first {
            found.push(MarkerFile {
                path: path.clone(),
                line,
                place,
            });
        }
    }
    Ok(found)
}

/// Tracked files with a line that begins like a marker, in the index or in the working tree.
fn listed(repo: &Repository, cached: bool) -> Result<BTreeSet<RepoPath>, Error> {
    let mut call = Invocation::read(["grep", "-l", "-z", "-I"]);
    if cached {
        call = call.arg("--cached");
    }
    for pattern in ["^<<<<<<<", "^>>>>>>>"] {
        call = call.arg("-e").arg(pattern);
    }
    // It exits with 1 where it finds nothing.
    let listed = repo.run(&call.arg("--"))?.stdout;
    let paths = listed.split(|b| *b == 0).filter(|path| !path.is_empty());
    Ok(paths.map(RepoPath::new).collect())
}

/// The revisions whose markers were there before, and whether the commit that is checked out is a
/// merge: the branch that is followed as far as it lacks commits, else every parent.
fn known_before(repo: &Repository) -> Result<(Vec<String>, bool), Error> {
    let parents = repo.run(&Invocation::read(["rev-list", "--parents", "-n1", "HEAD"]))?;
    let parents: Vec<String> = parents
        .text()
        .split(' ')
        .skip(1)
        .map(str::to_owned)
        .collect();
    let is_merge = parents.len() > 1;
    let ahead = repo.run(&Invocation::read([
        "rev-list",
        "--count",
        "@{upstream}..HEAD",
    ]))?;
    Ok(match ahead.ok() && ahead.text() != "0" {
        true => (vec!["@{upstream}".to_owned()], is_merge),
        false => (parents, is_merge),
    })
}

fn entries_of(
    repo: &Repository,
    revision: &str,
    paths: &[&RepoPath],
) -> Result<HashMap<RepoPath, Oid>, Error> {
    // A branch without commits has none of them.
    let Some(commit) = repo.resolve(revision)? else {
        return Ok(HashMap::new());
    };
    let entries = tree_entries(repo, &commit, paths)?.into_iter();
    Ok(entries.map(|(path, entry)| (path, entry.oid)).collect())
}

fn work_tree_text(repo: &Repository, path: &RepoPath) -> Source {
    let file = path.under(repo.work_tree());
    let is_file = std::fs::symlink_metadata(&file).is_ok_and(|meta| meta.is_file());
    let bytes = is_file.then(|| std::fs::read(&file).unwrap_or_default());
    Source::new(bytes.unwrap_or_default())
}

/// Contents by their names.
#[derive(Default)]
struct Texts(HashMap<Oid, Source>);

impl Texts {
    fn read<'a>(
        &mut self,
        repo: &Repository,
        all: impl Iterator<Item = &'a HashMap<RepoPath, Oid>>,
    ) -> Result<(), Error> {
        let wanted: BTreeSet<&Oid> = all.flat_map(HashMap::values).collect();
        let wanted: Vec<Oid> = wanted.into_iter().cloned().collect();
        for some in wanted.chunks(READ_AT_ONCE) {
            let read = repo.read_blobs(some)?.into_iter().map(Source::new);
            self.0.extend(some.iter().cloned().zip(read));
        }
        Ok(())
    }

    fn of(&self, oid: Option<&Oid>, lone: bool) -> Marks {
        let text = oid.and_then(|oid| self.0.get(oid));
        text.map_or_else(Marks::default, |text| Marks::of(text, lone))
    }
}

/// Contents that are read at once.
const READ_AT_ONCE: usize = 256;

/// The marker lines of a text, by their bytes and how often each occurs, with the first line of each.
#[derive(Default)]
struct Marks(BTreeMap<Vec<u8>, (usize, LineIdx)>);

impl Marks {
    /// Those of whole conflicts; `lone` ones too where a merge may have left half of them.
    fn of(text: &Source, lone: bool) -> Self {
        if text.is_binary() {
            return Marks::default();
        }
        let mut lines = conflict_lines(text);
        if lone {
            lines.extend(find_markers(text).into_iter().map(|(at, _)| at));
            lines.sort_unstable();
            lines.dedup();
        }
        let mut marks = Marks::default();
        for at in lines {
            let line = text.line(at).content().to_vec();
            marks.0.entry(line).or_insert((0, at)).0 += 1;
        }
        marks
    }

    fn first(&self) -> Option<LineIdx> {
        self.0.values().map(|(_, at)| *at).min()
    }

    /// The first line that is here more often than in any of the others.
    fn without<'a>(&self, others: impl IntoIterator<Item = &'a Marks>) -> Option<LineIdx> {
        let others: Vec<&Marks> = others.into_iter().collect();
        let most = |line: &Vec<u8>| {
            let counts = others
                .iter()
                .map(|other| other.0.get(line).map_or(0, |(n, _)| *n));
            counts.max().unwrap_or(0)
        };
        let new = self.0.iter().filter(|(line, (n, _))| *n > most(line));
        new.map(|(_, (_, at))| *at).min()
    }
}

/// The first line of each conflict with markers in a text.
pub(crate) fn conflict_lines(text: &Source) -> Vec<LineIdx> {
    // Most files have none, and are not cut into lines for it.
    if !text
        .bytes()
        .windows(MARKER_SIZE)
        .any(|signs| signs == b"<<<<<<<")
    {
        return Vec::new();
    }
    let parts = match parse_markers(text, marker_size(text)) {
        Ok(parts) if !text.is_binary() => parts,
        _ => return Vec::new(),
    };
    let conflicts = parts.iter().filter_map(|part| match part {
        Part::Conflict { ours, .. } => Some(LineIdx(ours.start.0.saturating_sub(1))),
        Part::Clean(_) => None,
    });
    conflicts.collect()
}
