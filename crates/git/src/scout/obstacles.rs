//! Files for which git would refuse to begin, and files that it would replace without a word.

use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::repository::Repository;
use crate::repo::trees::tree_difference;
use crate::scout::command_settings::CommandSettings;
use crate::scout::state::TreeState;
use crate::situation::read::Undertaking;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::fs;
use std::os::unix::ffi::OsStrExt as _;
use std::path::Path;

/// What is in the way of a command.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Obstacles {
    /// Files for which git would refuse to begin.
    pub refused: Vec<RepoPath>,
    /// Ignored files that git would replace or remove, and say nothing.
    pub overwritten: Vec<RepoPath>,
    /// Untracked files for which git would stop at a later step, counted from 1.
    pub later: Vec<(usize, RepoPath)>,
}

/// What would be begun.
pub struct Beginning<'a> {
    /// With which command.
    pub undertaking: Undertaking,
    /// Whether the branch only moves on.
    pub forward: bool,
    /// The tree that would be checked out first.
    pub to: &'a str,
    /// What settings make of the command.
    pub settings: &'a CommandSettings,
    /// Files that later steps add, by step from 1.
    pub later: &'a [(usize, RepoPath)],
}

impl Obstacles {
    /// Looks what would be in the way; nothing is written by looking. `objects` reads objects that
    /// are foreseen.
    ///
    /// # Errors
    /// If git fails.
    pub fn read(
        repo: &Repository,
        objects: &Repository,
        state: &TreeState,
        beginning: &Beginning<'_>,
    ) -> Result<Self, Error> {
        let &Beginning {
            undertaking,
            forward,
            to,
            settings,
            later,
        } = beginning;
        let written = written(objects, to)?;
        let added: Vec<&RepoPath> = (written.iter())
            .filter(|(_, change)| change.added)
            .map(|(path, _)| path)
            .collect();
        let mut refused: BTreeSet<RepoPath> = BTreeSet::new();
        let stashes = match undertaking {
            Undertaking::Rebase => settings.rebase_autostash,
            Undertaking::Merge => settings.merge_autostash,
            Undertaking::Pick | Undertaking::Revert => false,
        };
        if !stashes {
            let staged = state.staged.iter();
            match (undertaking, forward) {
                // A rebase begins from a clean tree alone.
                (Undertaking::Rebase, _) => {
                    refused.extend(staged.chain(&state.changed).cloned());
                }
                // What is staged as the other line has it is no obstacle to moving on.
                (Undertaking::Merge, true) => {
                    let differs = |path: &&RepoPath| {
                        let change = written.get(*path);
                        let staged = state.staged_as.get(*path);
                        change.is_some_and(|change| staged != Some(&change.to))
                    };
                    refused.extend(staged.filter(differs).cloned());
                }
                _ => refused.extend(staged.cloned()),
            }
            // A file that is gone from the working tree is put there again.
            let there = |path: &&RepoPath| path.under(repo.work_tree()).symlink_metadata().is_ok();
            let changed = state.changed.iter().filter(there);
            refused.extend(changed.filter(|path| written.contains_key(*path)).cloned());
        }
        let entries = Entries::read(repo)?;
        for (path, oid) in &entries.trusted {
            // git looks at these only when it is about to replace them.
            if written.contains_key(path) && differs_on_disk(repo, path, oid)? {
                refused.insert(path.clone());
            }
        }
        let mut untracked = BTreeSet::new();
        for path in added.iter().filter(|path| !entries.has(path)) {
            untracked.extend(in_place_of(repo.work_tree(), path, &entries));
        }
        let mut untracked_later = Vec::new();
        for (step, path) in later {
            if !entries.has(path) {
                let found = in_place_of(repo.work_tree(), path, &entries);
                untracked_later.extend(found.into_iter().map(|found| (*step, found)));
            }
        }
        let all: BTreeSet<&RepoPath> = untracked
            .iter()
            .chain(untracked_later.iter().map(|(_, path)| path))
            .collect();
        let ignored = ignored(repo, &all)?;
        let overwritten = all.iter().filter(|path| ignored.contains(**path));
        let overwritten = overwritten.map(|path| (*path).clone()).collect();
        refused.extend(
            untracked
                .iter()
                .filter(|path| !ignored.contains(*path))
                .cloned(),
        );
        let later = untracked_later.iter();
        let later = later.filter(|(_, path)| !ignored.contains(path) && !untracked.contains(path));
        Ok(Obstacles {
            refused: refused.iter().cloned().collect(),
            overwritten,
            later: later.cloned().collect(),
        })
    }

    /// Whether nothing is in the way.
    pub fn is_empty(&self) -> bool {
        self.refused.is_empty() && self.overwritten.is_empty() && self.later.is_empty()
    }
}

/// What becomes of a path.
struct Change {
    added: bool,
    /// The object that it would have; `None` if it would be removed.
    to: Option<String>,
}

/// Returns the paths that a tree has differently than the checked-out commit.
fn written(objects: &Repository, to: &str) -> Result<BTreeMap<RepoPath, Change>, Error> {
    let changes = tree_difference(objects, "HEAD", to)?.into_iter();
    let changes = changes.map(|change| {
        let written = Change {
            added: change.before.is_none(),
            to: change.after.map(|stage| stage.oid.0),
        };
        (change.path, written)
    });
    Ok(changes.collect())
}

/// What the index has: every path, and the object of those that git takes to be unchanged unseen.
struct Entries {
    all: BTreeSet<Vec<u8>>,
    trusted: HashMap<RepoPath, String>,
}

impl Entries {
    fn read(repo: &Repository) -> Result<Self, Error> {
        let call = ["ls-files", "-v", "-s", "-z", "--full-name"];
        let listed = repo.must(&Invocation::read(call))?.stdout;
        let (mut all, mut trusted) = (BTreeSet::new(), HashMap::new());
        // `TAG MODE OID STAGE TAB PATH`
        for record in listed.split(|b| *b == 0) {
            let Some(tab) = record.iter().position(|b| *b == b'\t') else {
                continue;
            };
            let (head, path) = (&record[..tab], &record[tab + 1..]);
            let mut words = head.split(|b| *b == b' ');
            let (tag, oid) = (
                words.next().unwrap_or_default(),
                words.nth(1).unwrap_or_default(),
            );
            if tag == b"S" || tag.first().is_some_and(u8::is_ascii_lowercase) {
                let oid = String::from_utf8_lossy(oid).into_owned();
                trusted.insert(RepoPath::new(path), oid);
            }
            all.insert(path.to_vec());
        }
        Ok(Entries { all, trusted })
    }

    fn has(&self, path: &RepoPath) -> bool {
        self.all.contains(path.bytes())
    }
}

/// Whether a file is there and is not what the index has.
fn differs_on_disk(repo: &Repository, path: &RepoPath, oid: &str) -> Result<bool, Error> {
    let file = path.under(repo.work_tree());
    match file.symlink_metadata() {
        Err(_) => return Ok(false),
        Ok(meta) if !meta.is_file() => return Ok(true),
        Ok(_) => {}
    }
    let call = Invocation::read(["hash-object", "--"]).arg(path.to_os());
    Ok(repo.must(&call)?.text() != oid)
}

/// Untracked files in the place of a file that would come: the file itself, what is in a folder of
/// its name, or a file where one of its folders would be. An empty folder is no obstacle.
fn in_place_of(top: &Path, path: &RepoPath, entries: &Entries) -> Vec<RepoPath> {
    let file = path.under(top);
    let relative = |file: &Path| {
        let inside = file.strip_prefix(top).ok()?;
        Some(RepoPath::new(inside.as_os_str().as_bytes()))
    };
    for parent in file.ancestors().skip(1).take_while(|parent| *parent != top) {
        let is_file = parent.symlink_metadata().is_ok_and(|meta| !meta.is_dir());
        if is_file {
            let parent = relative(parent).filter(|parent| !entries.has(parent));
            return parent.into_iter().collect();
        }
    }
    let mut found = Vec::new();
    let mut left = vec![file];
    while let Some(at) = left.pop() {
        let Ok(meta) = at.symlink_metadata() else {
            continue;
        };
        if meta.is_dir() {
            let inside = fs::read_dir(&at).into_iter().flatten().flatten();
            left.extend(inside.map(|entry| entry.path()));
        } else {
            found.extend(relative(&at).filter(|path| !entries.has(path)));
        }
    }
    found
}

/// Those of some untracked paths that git ignores.
fn ignored(repo: &Repository, paths: &BTreeSet<&RepoPath>) -> Result<BTreeSet<RepoPath>, Error> {
    if paths.is_empty() {
        return Ok(BTreeSet::new());
    }
    let listed: Vec<u8> = paths
        .iter()
        .flat_map(|p| [p.bytes(), b"\0"].concat())
        .collect();
    // It exits with 1 where none is.
    let call =
        Invocation::read(["check-ignore", "-z", "--stdin"]).env("GIT_LITERAL_PATHSPECS", "0");
    let found = repo.run(&call.stdin(listed))?.stdout;
    let found = found.split(|b| *b == 0).filter(|path| !path.is_empty());
    Ok(found.map(RepoPath::new).collect())
}
