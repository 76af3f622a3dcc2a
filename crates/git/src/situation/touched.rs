//! What the commit would bring, path by path: what base and the two parties have there, and what is
//! staged.
//!
//! Paths in which everybody can see that the right thing is staged are left out: what one side alone
//! changed, as that side has it. Renames are followed.

use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::Oid;
use crate::repo::parties::Parties;
use crate::repo::repository::Repository;
use crate::repo::stages::Stage;
use crate::repo::trees::tree_difference;
use crate::situation::read::Situation;
use armistice_core::{Side, Source};
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// A path that needs a look, with the contents of each that has it as an ordinary file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Touched {
    pub(crate) path: RepoPath,
    pub(crate) base: Option<Oid>,
    pub(crate) ours: Option<Oid>,
    pub(crate) theirs: Option<Oid>,
    pub(crate) staged: Option<Oid>,
}

/// One path in a difference between two trees.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Change {
    path: RepoPath,
    /// Where it was before, if it was renamed.
    from: Option<RepoPath>,
    before: Option<Oid>,
    after: Option<Oid>,
}

/// All paths that a side or the index has otherwise than base.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct TouchedPaths {
    /// Those whose staged contents do not follow from one side alone.
    pub(crate) to_look_at: Vec<Touched>,
    /// The others.
    pub(crate) followed: Vec<Touched>,
    /// Paths of base that a side renamed or removed, and that the result has not.
    pub(crate) gone: Vec<GonePath>,
}

/// A path of base that a side has not any more.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct GonePath {
    pub(crate) side: Side,
    pub(crate) path: RepoPath,
    /// What the side calls it now, if it renamed it.
    pub(crate) renamed: Option<RepoPath>,
}

/// All paths that a side or the index has otherwise than base; `None` where what the parties started
/// from is not known.
pub(crate) fn touched(
    repo: &Repository,
    situation: &Situation,
) -> Result<Option<TouchedPaths>, Error> {
    let parties = match &situation.foreseen {
        Some(foreseen) => foreseen.parties.clone(),
        None => Parties::read(repo, situation.operation)?,
    };
    let (Some(base), Some(head), Some(theirs)) = (parties.base(), &parties.ours, &parties.theirs)
    else {
        return Ok(None);
    };
    let [of_ours, of_theirs] = changes_of_sides(repo, base, [head, theirs])?;
    let staged = match &situation.foreseen {
        None => index_changes(repo, head)?,
        Some(foreseen) => {
            let mut changes = tree_changes_by_name(repo, head, &foreseen.tree)?;
            // What would be in conflict would not be staged.
            changes.retain(|change| {
                !situation
                    .cases
                    .iter()
                    .any(|case| case.has_path(&change.path))
            });
            changes
        }
    };
    Ok(Some(combine(&of_ours, &of_theirs, &staged)))
}

/// All paths that a side or the tree of a merge commit has otherwise than base.
///
/// # Errors
/// If git fails.
pub(crate) fn touched_by_merge(
    repo: &Repository,
    base: &str,
    sides: [&str; 2],
    tree: &str,
) -> Result<TouchedPaths, Error> {
    let [of_ours, of_theirs] = changes_of_sides(repo, base, sides)?;
    let committed = tree_changes_by_name(repo, sides[0], tree)?;
    Ok(combine(&of_ours, &of_theirs, &committed))
}

/// What base, ours, theirs and the index have at each path; nothing where they have no file.
///
/// # Errors
/// If git fails.
pub(crate) fn texts_of(repo: &Repository, all: &[&Touched]) -> Result<Vec<[Source; 4]>, Error> {
    let oids = |t: &Touched| [&t.base, &t.ours, &t.theirs, &t.staged].map(Option::clone);
    let wanted: Vec<Oid> = all.iter().flat_map(|t| oids(t)).flatten().collect();
    let mut contents = repo.contents(&wanted)?.into_iter();
    let texts = all.iter().map(|touched| {
        oids(touched).map(|oid| {
            let text = oid.and_then(|_| contents.next());
            text.unwrap_or_else(|| Source::new(Vec::new()))
        })
    });
    Ok(texts.collect())
}

/// Files that git merged, with what each side did, one line a file; why it is not known.
///
/// # Errors
/// If git fails.
pub fn merged_by_git(
    repo: &Repository,
    situation: &Situation,
) -> Result<Option<Vec<String>>, Error> {
    let Some(all) = touched(repo, situation)? else {
        return Ok(None);
    };
    let mut files: Vec<Touched> = all.to_look_at.into_iter().chain(all.followed).collect();
    files.retain(|file| !situation.cases.iter().any(|case| case.has_path(&file.path)));
    files.sort_by(|a, b| a.path.cmp(&b.path));
    let did = |base: &Option<Oid>, side: &Option<Oid>| match (base, side) {
        (base, side) if base == side => "unchanged",
        (None, _) => "added it",
        (_, None) => "removed it",
        _ => "edited it",
    };
    let line = |file: &Touched| {
        let (ours, theirs) = (did(&file.base, &file.ours), did(&file.base, &file.theirs));
        format!("{} · ours {ours} · theirs {theirs}", file.path)
    };
    Ok(Some(files.iter().map(line).collect()))
}

/// What two sides changed since their base, renames followed.
fn changes_of_sides(
    repo: &Repository,
    base: &str,
    sides: [&str; 2],
) -> Result<[Vec<Change>; 2], Error> {
    let call = [
        "diff-tree",
        "--stdin",
        "-r",
        "-z",
        "--raw",
        "-M",
        "--no-abbrev",
    ];
    let trees = [base, sides[0], sides[1]].map(|name| format!("{name}^{{tree}}"));
    let trees = repo.objects(&trees)?.into_iter().map(|tree| {
        let tree = tree.ok_or_else(|| Error::Unreadable {
            command: "cat-file --batch".to_owned(),
            what: "a tree of a merged commit is missing".to_owned(),
        });
        tree.map(|tree| tree.oid)
    });
    let trees = trees.collect::<Result<Vec<_>, Error>>()?;
    let [base, ours, theirs] = &trees[..] else {
        return Ok(Default::default());
    };
    let pairs = format!("{base} {ours}\n{base} {theirs}\n");
    let output = repo.must(&Invocation::read(call).stdin(pairs))?;
    // git repeats each pair on a line before its differences.
    let second = format!("{base} {theirs}\n");
    let first = format!("{base} {ours}\n");
    let listed = output.stdout.strip_prefix(first.as_bytes()).unwrap_or(&[]);
    let mut places = listed.windows(second.len());
    let at = places.position(|part| part == second.as_bytes());
    let [of_ours, of_theirs] = match at {
        Some(at) => [&listed[..at], &listed[at + second.len()..]],
        None => [listed, &[]],
    };
    Ok([parse(of_ours), parse(of_theirs)])
}

/// The difference of two trees, with a rename as a removed and an added file, as in an index.
fn tree_changes_by_name(repo: &Repository, from: &str, to: &str) -> Result<Vec<Change>, Error> {
    let file = |stage: Option<Stage>| {
        let file = stage.filter(|stage| stage.mode.is_text_like())?;
        Some(file.oid)
    };
    let changes = tree_difference(repo, from, to)?.into_iter();
    let changes = changes.map(|change| Change {
        path: change.path,
        from: None,
        before: file(change.before),
        after: file(change.after),
    });
    Ok(changes.collect())
}

fn index_changes(repo: &Repository, head: &str) -> Result<Vec<Change>, Error> {
    let call = Invocation::read([
        "diff-index",
        "--cached",
        "-z",
        "--raw",
        "--no-renames",
        "--no-abbrev",
        head,
        "--",
    ]);
    Ok(parse(&repo.must(&call)?.stdout))
}

/// Parses `:MODE MODE OID OID STATUS NUL PATH NUL [PATH NUL]`.
///
/// Unmerged paths are left out; links and submodules count as absent: nothing in them is merged.
fn parse(bytes: &[u8]) -> Vec<Change> {
    let mut fields = bytes.split(|b| *b == 0);
    let mut out = Vec::new();
    while let (Some(head), Some(path)) = (fields.next(), fields.next()) {
        let head = String::from_utf8_lossy(head).into_owned();
        let words: Vec<&str> = head.split(' ').collect();
        let [before_mode, after_mode, before, after, status] = words[..] else {
            continue;
        };
        let two = status.starts_with(['R', 'C']);
        let second = if two { fields.next() } else { None };
        if status == "U" {
            continue;
        }
        let is_file = |mode: &str| mode.trim_start_matches(':').starts_with("100");
        let oid = |mode: &str, oid: &str| is_file(mode).then(|| Oid(oid.to_owned()));
        out.push(Change {
            path: RepoPath::new(second.unwrap_or(path)),
            from: status.starts_with('R').then(|| RepoPath::new(path)),
            before: oid(before_mode, before),
            after: oid(after_mode, after),
        });
    }
    out
}

fn combine(ours: &[Change], theirs: &[Change], staged: &[Change]) -> TouchedPaths {
    let by_path = |changes: &[Change]| -> HashMap<RepoPath, Change> {
        let entries = changes.iter().map(|c| (c.path.clone(), c.clone()));
        entries.collect()
    };
    let renamed = |changes: &[Change]| -> HashMap<RepoPath, RepoPath> {
        let renames = changes
            .iter()
            .filter_map(|c| Some((c.from.clone()?, c.path.clone())));
        renames.collect()
    };
    let gone: BTreeSet<RepoPath> = (ours.iter().chain(theirs))
        .filter_map(|c| c.from.clone())
        .collect();
    let (to_ours, to_theirs) = (renamed(ours), renamed(theirs));
    let (of_ours, of_theirs, of_index) = (by_path(ours), by_path(theirs), by_path(staged));
    let is_there = |path: &RepoPath| match of_index.get(path) {
        Some(change) => change.after.is_some(),
        // As ours has it.
        None => match of_ours.get(path) {
            Some(change) => change.after.is_some(),
            None => !to_ours.contains_key(path),
        },
    };
    let of_side = |side: Side, changes: &[Change]| -> Vec<GonePath> {
        let gone = changes.iter().filter_map(|change| {
            let removed = change.after.is_none() && change.before.is_some();
            let renamed = change.from.is_some().then(|| change.path.clone());
            let path = match &change.from {
                Some(from) => from.clone(),
                None if removed => change.path.clone(),
                None => return None,
            };
            (!is_there(&path)).then_some(GonePath {
                side,
                path,
                renamed,
            })
        });
        gone.collect()
    };
    let gone_paths = [of_side(Side::Ours, ours), of_side(Side::Theirs, theirs)].concat();
    let mut paths: BTreeMap<RepoPath, RepoPath> = BTreeMap::new();
    for change in ours.iter().chain(theirs).chain(staged) {
        if gone.contains(&change.path) {
            continue;
        }
        // Where it stood in base.
        let origin =
            |from: &HashMap<RepoPath, Change>| from.get(&change.path).and_then(|c| c.from.clone());
        let origin = origin(&of_ours).or_else(|| origin(&of_theirs));
        paths.insert(
            change.path.clone(),
            origin.unwrap_or_else(|| change.path.clone()),
        );
    }
    let one = |(path, origin): (RepoPath, RepoPath)| {
        // A side that did not rename it has it at its old place.
        let side = |changes: &HashMap<RepoPath, Change>, to: &HashMap<RepoPath, RepoPath>| {
            let at = to.get(&origin).unwrap_or(&origin);
            changes.get(at).or_else(|| changes.get(&path)).cloned()
        };
        let (ours, theirs) = (side(&of_ours, &to_ours), side(&of_theirs, &to_theirs));
        let index = of_index.get(&path);
        let before = [&ours, &theirs].into_iter().flatten();
        let base = before.map(|c| c.before.clone()).next();
        // What neither side changed can only be known by what HEAD has.
        let base = base.unwrap_or_else(|| index.and_then(|c| c.before.clone()));
        let of = |change: Option<Change>| change.map_or_else(|| base.clone(), |c| c.after);
        let (ours, theirs) = (of(ours), of(theirs));
        let head = index.map_or_else(|| ours.clone(), |c| c.before.clone());
        let staged = index.map_or(head, |c| c.after.clone());
        Touched {
            path,
            base,
            ours,
            theirs,
            staged,
        }
    };
    let all = paths.into_iter().map(one);
    let (followed, to_look_at) = all.partition(follows);
    TouchedPaths {
        to_look_at,
        followed,
        gone: gone_paths,
    }
}

/// Whether what is staged is what one side alone made of it.
fn follows(touched: &Touched) -> bool {
    let Touched {
        base,
        ours,
        theirs,
        staged,
        ..
    } = touched;
    match (ours == base, theirs == base) {
        (_, true) => staged == ours,
        (true, _) => staged == theirs,
        _ => ours == theirs && staged == ours,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn change(path: &str, from: Option<&str>, before: &str, after: &str) -> Change {
        let oid = |name: &str| (!name.is_empty()).then(|| Oid(name.to_owned()));
        Change {
            path: RepoPath::new(path.as_bytes()),
            from: from.map(|f| RepoPath::new(f.as_bytes())),
            before: oid(before),
            after: oid(after),
        }
    }

    fn names(touched: &[Touched]) -> Vec<String> {
        let of = |t: &Touched| {
            let name = |oid: &Option<Oid>| oid.as_ref().map_or("-".to_owned(), |o| o.0.clone());
            let all = [&t.base, &t.ours, &t.theirs, &t.staged].map(name).join(" ");
            format!("{} {all}", t.path)
        };
        touched.iter().map(of).collect()
    }

    #[test]
    fn what_follows_from_one_side_alone_needs_no_look() {
        let ours = [change("a", None, "1", "2"), change("b", None, "1", "2")];
        let theirs = [change("c", None, "1", "3"), change("b", None, "1", "3")];
        let staged = [change("c", None, "1", "3"), change("b", None, "2", "4")];
        assert_eq!(
            names(&combine(&ours, &theirs, &staged).to_look_at),
            ["b 1 2 3 4"]
        );
    }

    #[test]
    fn a_side_that_is_given_up_as_a_whole_is_looked_at() {
        let theirs = [change("c", None, "1", "3")];
        assert_eq!(names(&combine(&[], &theirs, &[]).to_look_at), ["c 1 1 3 1"]);
        let staged = [change("d", None, "1", "5")];
        assert_eq!(names(&combine(&[], &[], &staged).to_look_at), ["d 1 1 1 5"]);
        let gone = [change("d", None, "1", "")];
        assert_eq!(names(&combine(&[], &[], &gone).to_look_at), ["d 1 1 1 -"]);
    }

    #[test]
    fn renames_are_followed() {
        let ours = [change("new", Some("old"), "1", "2")];
        let theirs = [change("old", None, "1", "3")];
        let staged = [change("new", None, "2", "4")];
        assert_eq!(
            names(&combine(&ours, &theirs, &staged).to_look_at),
            ["new 1 2 3 4"]
        );
        assert_eq!(names(&combine(&ours, &[], &[]).to_look_at), [""; 0]);
        let theirs = [change("new", Some("old"), "1", "1")];
        let ours = [change("old", None, "1", "2")];
        let staged = [change("old", None, "2", ""), change("new", None, "", "2")];
        assert_eq!(names(&combine(&ours, &theirs, &staged).to_look_at), [""; 0]);
    }

    #[test]
    fn raw_differences_are_parsed() {
        let raw = b":100644 100644 1 2 M\0x y\0:100644 000000 1 0 D\0gone\0:160000 160000 1 2 M\0sub\0:100644 100644 1 2 R090\0a\0n\nl\0:100644 000000 1 0 U\0u\0";
        let changes = parse(raw);
        let paths: Vec<String> = changes.iter().map(|c| c.path.to_string()).collect();
        assert_eq!(paths, ["x y", "gone", "sub", "n\\nl"]);
        assert_eq!(changes[1].after, None);
        assert_eq!((&changes[2].before, &changes[2].after), (&None, &None));
        assert_eq!(changes[3].from, Some(RepoPath::new(b"a")));
    }
}
