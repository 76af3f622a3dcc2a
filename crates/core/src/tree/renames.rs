//! Which files that are gone stand under another name: by content alone, for nobody wrote it down.
//!
//! Equal contents first, then likeness over lines; a tie goes to the same name in another folder,
//! then to the same folder.

use crate::limits::{COMMON_LINE_FILES, RENAME_LIKENESS};
use foldhash::{HashMap, HashMapExt};
use std::cmp::Reverse;

/// A file of a tree.
#[derive(Clone, Copy, Debug)]
pub struct TreeFile<'a> {
    /// Its path, slashes between the parts.
    pub path: &'a [u8],
    /// What it holds.
    pub content: &'a [u8],
}

/// A file that stands under another name.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Rename {
    /// Its place among the files that are gone.
    pub from: usize,
    /// Its place among the files that are new.
    pub to: usize,
    /// How much of the larger of the two both have, in per cent of its bytes; 100 if they are equal.
    pub likeness: u8,
}

/// Pairs files that are gone with new ones, each at most once, by where they stood.
///
/// Linear in the texts, but for lines that stand in several files; lines of more files than
/// [`COMMON_LINE_FILES`](crate::limits::COMMON_LINE_FILES) are not counted. Empty files are paired with none.
///
/// ```
/// use armistice_core::{TreeFile, renames};
/// let text = b"deepest berth\nfirst\nby tide\n";
/// let gone = [TreeFile { path: b"quay.rs", content: text }];
/// let new = [TreeFile { path: b"harbour/quay.rs", content: b"deepest berth\nfirst\nby moon\n" }];
/// let found = renames(&gone, &new);
/// assert_eq!((found[0].from, found[0].to), (0, 0));
/// ```
pub fn renames(gone: &[TreeFile<'_>], new: &[TreeFile<'_>]) -> Vec<Rename> {
    let mut pairs = equal(gone, new);
    pairs.extend(alike(gone, new));
    let near = |pair: &Rename| {
        let (from, to) = (gone[pair.from].path, new[pair.to].path);
        (name(from) == name(to), folder(from) == folder(to))
    };
    pairs.sort_by_key(|pair| (Reverse((pair.likeness, near(pair))), pair.from, pair.to));
    let (mut from, mut to) = (vec![false; gone.len()], vec![false; new.len()]);
    pairs.retain(|pair| {
        let free = !from[pair.from] && !to[pair.to];
        from[pair.from] |= free;
        to[pair.to] |= free;
        free
    });
    pairs.sort_by_key(|pair| pair.from);
    pairs
}

/// The last part of a path.
fn name(path: &[u8]) -> &[u8] {
    path.rsplit(|b| *b == b'/').next().unwrap_or(path)
}

/// A path without its last part and the slash before it; empty at the top.
fn folder(path: &[u8]) -> &[u8] {
    &path[..(path.len() - name(path).len()).saturating_sub(1)]
}

/// Pairs of the same content; of very many with one content only the nearest are looked for.
fn equal(gone: &[TreeFile<'_>], new: &[TreeFile<'_>]) -> Vec<Rename> {
    let mut by_content: HashMap<&[u8], Vec<usize>> = HashMap::new();
    for (to, file) in new
        .iter()
        .enumerate()
        .filter(|(_, f)| !f.content.is_empty())
    {
        by_content.entry(file.content).or_default().push(to);
    }
    let mut pairs = Vec::new();
    for (from, file) in gone.iter().enumerate() {
        let all = by_content.get(file.content).map_or(&[][..], Vec::as_slice);
        let near =
            |to: &&usize| all.len() <= COMMON_LINE_FILES || name(new[**to].path) == name(file.path);
        pairs.extend(all.iter().filter(near).map(|to| Rename {
            from,
            to: *to,
            likeness: 100,
        }));
    }
    pairs
}

/// Pairs that share at least [`RENAME_LIKENESS`] per cent of the larger one's bytes in whole lines.
fn alike(gone: &[TreeFile<'_>], new: &[TreeFile<'_>]) -> Vec<Rename> {
    let mut places: HashMap<&[u8], Vec<(usize, usize)>> = HashMap::new();
    for (to, file) in new.iter().enumerate() {
        for (line, times) in lines(file.content) {
            places.entry(line).or_default().push((to, times));
        }
    }
    let mut pairs = Vec::new();
    for (from, file) in gone.iter().enumerate() {
        let mut shared: HashMap<usize, usize> = HashMap::new();
        for (line, times) in lines(file.content) {
            let Some(places) = places.get(line).filter(|p| p.len() <= COMMON_LINE_FILES) else {
                continue;
            };
            for (to, others) in places {
                *shared.entry(*to).or_default() += line.len() * times.min(*others);
            }
        }
        pairs.extend(shared.into_iter().filter_map(|(to, bytes)| {
            let larger = file.content.len().max(new[to].content.len()).max(1);
            // Equal ones were found already, and what is not equal is never wholly alike.
            let likeness = (bytes * 100 / larger).min(99) as u8;
            let differs = file.content != new[to].content;
            (differs && likeness >= RENAME_LIKENESS).then_some(Rename { from, to, likeness })
        }));
    }
    pairs
}

/// The lines of a text with their ends, each with how often it stands there.
fn lines(text: &[u8]) -> HashMap<&[u8], usize> {
    let mut lines = HashMap::new();
    for line in text.split_inclusive(|b| *b == b'\n') {
        *lines.entry(line).or_default() += 1;
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(gone: &[(&str, &str)], new: &[(&str, &str)]) -> Vec<String> {
        fn files<'a>(all: &'a [(&str, &str)]) -> Vec<TreeFile<'a>> {
            let file = |(path, content): &'a (&str, &str)| TreeFile {
                path: path.as_bytes(),
                content: content.as_bytes(),
            };
            all.iter().map(file).collect()
        }
        let pairs = renames(&files(gone), &files(new)).into_iter();
        pairs
            .map(|p| format!("{} -> {} {}", gone[p.from].0, new[p.to].0, p.likeness))
            .collect()
    }

    const TIDE: &str = "moor\nlog\npay\nleave\n";

    #[test]
    fn equal_contents_come_before_alike_ones() {
        let new = [("near/quay.rs", "moor\nlog\npay\nturn\n"), ("far.rs", TIDE)];
        assert_eq!(found(&[("quay.rs", TIDE)], &new), ["quay.rs -> far.rs 100"]);
    }

    #[test]
    fn of_equal_ones_the_same_name_counts_then_the_same_folder() {
        let new = [
            ("a/tide.rs", TIDE),
            ("b/quay.rs", TIDE),
            ("a/berth.rs", TIDE),
        ];
        assert_eq!(
            found(&[("a/quay.rs", TIDE)], &new),
            ["a/quay.rs -> b/quay.rs 100"]
        );
        let new = [("c/tide.rs", TIDE), ("a/tide.rs", TIDE)];
        assert_eq!(
            found(&[("a/quay.rs", TIDE)], &new),
            ["a/quay.rs -> a/tide.rs 100"]
        );
    }

    #[test]
    fn each_is_paired_once_the_most_alike_first() {
        let gone = [("a", "1\n2\n3\n4\n"), ("b", "1\n2\n3\n5\n")];
        let new = [("c", "1\n2\n3\n5\n6\n"), ("d", "1\n2\n3\n4\n7\n8\n")];
        assert_eq!(found(&gone, &new), ["a -> d 66", "b -> c 80"]);
    }

    #[test]
    fn what_shares_too_little_or_nothing_is_no_rename() {
        assert_eq!(
            found(&[("a", "1\n2\n3\n")], &[("b", "1\n5\n6\n7\n")]),
            [""; 0]
        );
        assert_eq!(found(&[("a", "")], &[("b", "")]), [""; 0]);
    }
}
