//! Paths that one side renamed or removed while the other newly names them: in a string, a link, an
//! include. Lines do not show it, and git merges both.

use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::repository::Repository;
use crate::situation::touched::{GonePath, Touched, TouchedPaths, texts_of};
use armistice_core::limits::NAMES_GONE;
use armistice_core::{Check, Finding, LineIdx, Side, Source, Version, Weight};
use std::collections::HashSet;

/// Bytes of a path up to which it may be a word that means something else.
const SHORT: usize = 5;

/// Returns lines of the result that name a path which the other side renamed or removed, each with the
/// file that it is in; nothing beyond [`NAMES_GONE`](armistice_core::limits::NAMES_GONE) paths.
///
/// # Errors
/// If git fails.
pub(crate) fn paths_gone(
    repo: &Repository,
    all: &TouchedPaths,
) -> Result<Vec<(RepoPath, Finding)>, Error> {
    let mut found = Vec::new();
    for side in Side::BOTH {
        let gone = all.gone.iter().filter(|gone| gone.side == side.other());
        let gone: Vec<(&GonePath, &[u8])> = gone
            .filter_map(|gone| Some((gone, named(&gone.path)?)))
            .collect();
        if gone.is_empty() || gone.len() > NAMES_GONE {
            continue;
        }
        let files = all.to_look_at.iter().chain(&all.followed);
        let files: Vec<&Touched> = files.filter(|file| may_name(file, side)).collect();
        for (file, texts) in files.iter().zip(texts_of(repo, &files)?) {
            let [base, ours, theirs, result] = texts;
            let own = match side {
                Side::Ours => ours,
                Side::Theirs => theirs,
            };
            let uses = uses(&base, &own, &result, &gone).into_iter();
            found.extend(uses.map(|finding| (file.path.clone(), finding)));
        }
    }
    Ok(found)
}

/// Whether a side changed a file that is still there.
fn may_name(file: &Touched, side: Side) -> bool {
    let own = match side {
        Side::Ours => &file.ours,
        Side::Theirs => &file.theirs,
    };
    own.is_some() && *own != file.base && file.staged.is_some()
}

/// What names a path in another file: its file name with the folder that it is in. Files of one name may
/// be in many folders.
fn named(path: &RepoPath) -> Option<&[u8]> {
    let bytes = path.bytes();
    let mut slashes = (0..bytes.len()).rev().filter(|at| bytes[*at] == b'/');
    let from = slashes.nth(1).map_or(0, |at| at + 1);
    let name = &bytes[from..];
    let has_folder = name.contains(&b'/');
    let has_ending = name.contains(&b'.') && name.len() > SHORT;
    (has_folder || has_ending).then_some(name)
}

fn uses(base: &Source, own: &Source, result: &Source, gone: &[(&GonePath, &[u8])]) -> Vec<Finding> {
    let rows = |text: &'_ Source| -> Vec<Vec<u8>> {
        text.lines(text.all())
            .map(|line| line.trimmed().to_vec())
            .collect()
    };
    if [base, own, result].iter().any(|text| text.is_binary()) {
        return Vec::new();
    }
    let before: HashSet<Vec<u8>> = rows(base).into_iter().collect();
    let added: HashSet<Vec<u8>> = rows(own)
        .into_iter()
        .filter(|row| !before.contains(row))
        .collect();
    let mut found = Vec::new();
    for (at, row) in (0..).zip(rows(result)) {
        if !added.contains(&row) {
            continue;
        }
        let Some((path, _)) = gone.iter().find(|(_, name)| has_path(&row, name)) else {
            continue;
        };
        let who = Version::from(path.side).name();
        let other = Version::from(path.side.other()).name();
        let what = match &path.renamed {
            Some(to) => format!("file '{}' was renamed to '{to}' by {who}", path.path),
            None => format!("file '{}' was removed by {who}", path.path),
        };
        let what = format!("{what}; {other} newly names it here");
        let mut finding = Finding::new(Check::Names, Some(LineIdx(at)), what).in_text(result);
        finding.weight = Weight::Look;
        found.push(finding);
    }
    found
}

/// Whether a path is in a line, and not a part of a longer name.
fn has_path(row: &[u8], path: &[u8]) -> bool {
    let is_part = |b: Option<&u8>| {
        b.is_some_and(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'-') || *b >= 0x80)
    };
    let mut windows = row.windows(path.len()).enumerate();
    windows.any(|(at, window)| {
        let before = at.checked_sub(1).and_then(|at| row.get(at));
        window == path && !is_part(before) && !is_part(row.get(at + path.len()))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_path_is_named_with_its_folder() {
        let of = |path: &str| {
            let path = RepoPath::new(path.as_bytes());
            named(&path).map(|name| String::from_utf8_lossy(name).into_owned())
        };
        assert_eq!(of("web/t/a.html").as_deref(), Some("t/a.html"));
        assert_eq!(of("t/run").as_deref(), Some("t/run"));
        assert_eq!(of("tariff.csv").as_deref(), Some("tariff.csv"));
        assert_eq!((of("run"), of("a.c")), (None, None));
    }

    #[test]
    fn part_of_a_longer_name_is_another_path() {
        assert!(has_path(b"render('t/a.html')", b"t/a.html"));
        assert!(has_path(b"[x](../t/a.html#top)", b"t/a.html"));
        assert!(!has_path(b"render('cat/a.html')", b"t/a.html"));
        assert!(!has_path(b"render('t/a.html5')", b"t/a.html"));
    }
}
