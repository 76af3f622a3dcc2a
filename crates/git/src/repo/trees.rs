//! Trees of files, parsed from git's own objects: entries at paths, and the difference of two trees.

use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::index::Mode;
use crate::repo::objects::Oid;
use crate::repo::repository::Repository;
use crate::repo::stages::Stage;
use std::collections::{BTreeMap, HashMap, HashSet};

/// What a tree has at a path.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct TreeEntry {
    /// Name of the object.
    pub(crate) oid: Oid,
    /// The file, link or submodule; `None` for a folder.
    pub(crate) stage: Option<Stage>,
}

/// A path that two trees have differently; folders are not listed, only what is in them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct TreeChange {
    pub(crate) path: RepoPath,
    /// What the first tree has there.
    pub(crate) before: Option<Stage>,
    /// What the second tree has there.
    pub(crate) after: Option<Stage>,
}

/// Returns what a tree, or the tree of a commit, has at some paths; paths that it lacks are left out.
///
/// # Errors
/// If git fails or the tree cannot be read.
pub(crate) fn tree_entries(
    repo: &Repository,
    tree: &str,
    paths: &[&RepoPath],
) -> Result<HashMap<RepoPath, TreeEntry>, Error> {
    let mut found = HashMap::new();
    if paths.is_empty() {
        return Ok(found);
    }
    let wanted: HashSet<&[u8]> = paths.iter().map(|path| path.bytes()).collect();
    let folders: HashSet<&[u8]> = paths.iter().flat_map(|path| folders_of(path)).collect();
    let mut level = vec![(Vec::new(), format!("{tree}^{{tree}}"))];
    while !level.is_empty() {
        let (prefixes, names): (Vec<Vec<u8>>, Vec<String>) = level.drain(..).unzip();
        for (prefix, entries) in prefixes.iter().zip(read_trees(repo, &names)?) {
            for (name, entry) in entries {
                let path = [prefix, &name[..]].concat();
                if entry.stage.is_none() && folders.contains(&path[..]) {
                    level.push(([&path[..], b"/"].concat(), entry.oid.0.clone()));
                }
                if wanted.contains(&path[..]) {
                    found.insert(RepoPath::new(path), entry);
                }
            }
        }
    }
    Ok(found)
}

/// The folders above a path.
fn folders_of(path: &RepoPath) -> impl Iterator<Item = &[u8]> {
    let bytes = path.bytes();
    let slashes = (0..bytes.len()).filter(move |at| bytes[*at] == b'/');
    slashes.map(move |at| &bytes[..at])
}

/// Returns what differs between two trees, or the trees of commits, in the order of paths.
///
/// Only folders that differ are read.
///
/// # Errors
/// If git fails or a tree cannot be read.
pub(crate) fn tree_difference(
    repo: &Repository,
    from: &str,
    to: &str,
) -> Result<Vec<TreeChange>, Error> {
    let mut changes = Vec::new();
    let root = |name: &str| Some(format!("{name}^{{tree}}"));
    let mut level = vec![(Vec::new(), [root(from), root(to)])];
    while !level.is_empty() {
        let pairs = std::mem::take(&mut level);
        let names: Vec<String> = pairs
            .iter()
            .flat_map(|(_, pair)| pair.iter().flatten().cloned())
            .collect();
        let mut trees = read_trees(repo, &names)?.into_iter();
        for (prefix, pair) in pairs {
            let [before, after] = pair.map(|name| match name {
                Some(_) => trees.next().unwrap_or_default(),
                None => BTreeMap::new(),
            });
            let names: HashSet<&Vec<u8>> = before.keys().chain(after.keys()).collect();
            for name in names {
                let both = [before.get(name), after.get(name)];
                if both[0] == both[1] {
                    continue;
                }
                let path = [&prefix[..], &name[..]].concat();
                let folder = |entry: Option<&TreeEntry>| {
                    let entry = entry.filter(|entry| entry.stage.is_none())?;
                    Some(entry.oid.0.clone())
                };
                let folders = both.map(folder);
                if folders.iter().any(Option::is_some) {
                    level.push(([&path[..], b"/"].concat(), folders));
                }
                let [before, after] = both.map(|entry| entry.and_then(|e| e.stage.clone()));
                if before.is_some() || after.is_some() {
                    changes.push(TreeChange {
                        path: RepoPath::new(path),
                        before,
                        after,
                    });
                }
            }
        }
    }
    changes.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(changes)
}

/// Returns the entries of trees by their names in the folder, for each of `names` in order.
fn read_trees(
    repo: &Repository,
    names: &[String],
) -> Result<Vec<BTreeMap<Vec<u8>, TreeEntry>>, Error> {
    let unreadable = |name: &String| Error::Unreadable {
        command: "cat-file --batch".to_owned(),
        what: format!("tree {name} is missing or damaged"),
    };
    let objects = repo.objects(names)?;
    let trees = names.iter().zip(objects).map(|(name, object)| {
        let object = object.ok_or_else(|| unreadable(name))?;
        parse(&object.bytes, object.oid.len() / 2).ok_or_else(|| unreadable(name))
    });
    trees.collect()
}

/// Parses `MODE NAME<NUL>OID`, any number of times; the name of an object has `oid_size` bytes.
fn parse(mut bytes: &[u8], oid_size: usize) -> Option<BTreeMap<Vec<u8>, TreeEntry>> {
    let mut entries = BTreeMap::new();
    while !bytes.is_empty() {
        let space = bytes.iter().position(|b| *b == b' ')?;
        let zero = bytes.iter().position(|b| *b == 0)?;
        let name = bytes.get(space + 1..zero)?;
        let oid = bytes.get(zero + 1..zero + 1 + oid_size)?;
        let oid = Oid(oid.iter().map(|byte| format!("{byte:02x}")).collect());
        let stage = Mode::parse(&bytes[..space]).map(|mode| Stage {
            mode,
            oid: oid.clone(),
        });
        entries.insert(name.to_vec(), TreeEntry { oid, stage });
        bytes = &bytes[zero + 1 + oid_size..];
    }
    Some(entries)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn folders_of_a_tree_have_no_stage() {
        let raw = b"100755 a b\0\xaa\x0140000 c\nd\0\xbb\x02160000 s\0\xcc\x03";
        let all = parse(raw, 2).unwrap();
        let file = &all[&b"a b"[..]];
        assert_eq!(file.stage.as_ref().map(|s| s.mode), Some(Mode::Executable));
        assert_eq!(file.oid.0, "aa01");
        assert_eq!(all[&b"c\nd"[..]].stage, None);
        assert_eq!(
            all[&b"s"[..]].stage.as_ref().map(|s| s.mode),
            Some(Mode::Submodule)
        );
        assert!(parse(&raw[..10], 2).is_none() && parse(b"", 20).unwrap().is_empty());
    }

    /// A repository with two commits, and the output of git.
    fn two_commits() -> (tempfile::TempDir, Repository) {
        let folder = tempfile::TempDir::new().unwrap();
        let git = |args: &[&str]| {
            let mut command = std::process::Command::new("git");
            command.args(["-c", "user.name=A", "-c", "user.email=a@x"]);
            let output = command.args(args).current_dir(folder.path()).output();
            assert!(output.unwrap().status.success(), "{args:?}");
        };
        let write = |name: &str, text: &str| {
            let file = folder.path().join(name);
            std::fs::create_dir_all(file.parent().unwrap()).unwrap();
            std::fs::write(file, text).unwrap();
        };
        git(&["init", "-q"]);
        for name in ["a", "d/e/f", "d/e/g", "d.x", "d0", "same/x", "was/a folder"] {
            write(name, name);
        }
        git(&["add", "."]);
        git(&["commit", "-qm", "one"]);
        git(&["rm", "-rq", "d/e/f", "was", "d0"]);
        write("was", "a file");
        write("d/e/g", "other");
        write("new/n\nl", "new");
        std::os::unix::fs::symlink("x", folder.path().join("d0")).unwrap();
        git(&["update-index", "--chmod=+x", "a"]);
        git(&["add", "was", "d", "new", "d0"]);
        git(&["commit", "-qm", "two"]);
        let repo = Repository::discover(folder.path()).unwrap();
        (folder, repo)
    }

    #[test]
    fn the_difference_of_two_trees_is_that_of_git() {
        let (folder, repo) = two_commits();
        let mut command = std::process::Command::new("git");
        command.args([
            "diff-tree",
            "-r",
            "-z",
            "--raw",
            "--no-abbrev",
            "--no-renames",
        ]);
        let output = command
            .args(["HEAD^", "HEAD"])
            .current_dir(folder.path())
            .output()
            .unwrap();
        let changes = tree_difference(&repo, "HEAD^", "HEAD").unwrap();
        let written = |stage: &Option<Stage>| match stage {
            Some(stage) => (stage.mode.octal().to_owned(), stage.oid.0.clone()),
            None => ("000000".to_owned(), "0".repeat(40)),
        };
        let mut out = Vec::new();
        for change in &changes {
            let (before, after) = (written(&change.before), written(&change.after));
            let head = format!(":{} {} {} {} ", before.0, after.0, before.1, after.1);
            out.push((head, change.path.bytes().to_vec()));
        }
        let fields: Vec<&[u8]> = output.stdout.split(|b| *b == 0).collect();
        let of_git = fields.chunks_exact(2).map(|pair| {
            let head = String::from_utf8_lossy(pair[0]).into_owned();
            (head[..head.len() - 1].to_owned(), pair[1].to_vec())
        });
        let of_git: Vec<_> = of_git.collect();
        assert!(of_git.len() >= 7, "{of_git:?}");
        assert_eq!(out, of_git);
        assert!(tree_difference(&repo, "HEAD", "HEAD").unwrap().is_empty());
        assert!(tree_difference(&repo, "HEAD", "no such").is_err());
    }

    #[test]
    fn entries_are_found_at_files_and_folders() {
        let (_folder, repo) = two_commits();
        let paths = ["a", "d/e", "d/e/g", "d/none", "new/n\nl", "was/a folder"];
        let paths = paths.map(|path| RepoPath::new(path.as_bytes()));
        let all: Vec<&RepoPath> = paths.iter().collect();
        let found = tree_entries(&repo, "HEAD", &all).unwrap();
        let is_file = |path: &RepoPath| found.get(path).map(|entry| entry.stage.is_some());
        let shown: Vec<_> = paths.iter().map(is_file).collect();
        let (file, folder) = (Some(true), Some(false));
        assert_eq!(shown, [file, folder, file, None, file, None]);
    }
}
