//! Edits that stand in another declaration than the one they were made in.
//!
//! Where neighbours that share lines swap places, lines alone do not tell which is which: the edit of
//! one may land in the other without a conflict.

use crate::model::side::Side;
use crate::model::versions::{Version, Versions};
use crate::outline::declaration::{Declaration, Outline};
use crate::text::lines::LineIdx;
use crate::text::source::Source;
use crate::text::tokens::is_worded;
use crate::verify::checks::{Check, Finding};
use std::collections::{HashMap, HashSet};

/// Names edits of one side that stand in another declaration of `result`.
///
/// Only declarations count that each text has once under their name. Linear in the texts.
///
/// ```
/// use armistice_core::{Source, Versions, misplaced, outline_by_indentation};
/// let alike = |name: &str, word: &str| format!("{name}:\n  open\n  {word}\n  close\n");
/// let base: Source = (alike("north", "look") + &alike("south", "look")).as_str().into();
/// let ours: Source = (alike("south", "look") + &alike("north", "look")).as_str().into();
/// let theirs: Source = (alike("north", "look twice") + &alike("south", "look")).as_str().into();
/// let result: Source = (alike("south", "look twice") + &alike("north", "look")).as_str().into();
/// let outlines = [&base, &ours, &theirs, &result].map(outline_by_indentation);
/// let [b, o, t, r] = &outlines;
/// let found = misplaced(&Versions { base, ours, theirs }, [b, o, t], &result, r);
/// assert_eq!(found[0].line.unwrap().number(), 3);
/// assert!(found[0].what.contains("block north:"));
/// ```
pub fn misplaced(
    versions: &Versions,
    outlines: [&Outline; 3],
    result: &Source,
    outline: &Outline,
) -> Vec<Finding> {
    let texts = [&versions.base, &versions.ours, &versions.theirs, result];
    let [base, ours, theirs] = outlines;
    let all = [base, ours, theirs, outline].map(unique);
    let text = |n: usize, key: &Key<'_>| {
        let declaration = all[n].get(key)?;
        Some(rows(texts[n], declaration))
    };
    // What stands otherwise than both sides together would have it.
    let mut without = Vec::new();
    let mut with = Vec::new();
    let mut keys: Vec<&Key<'_>> = all[3].keys().collect();
    keys.sort_unstable_by_key(|key| all[3][*key].lines.start);
    for key in keys {
        let (Some(b), Some(o), Some(t), Some(r)) =
            (text(0, key), text(1, key), text(2, key), text(3, key))
        else {
            continue;
        };
        let changed_by = match (o == b, t == b) {
            (true, false) => Some(Side::Theirs),
            (false, true) => Some(Side::Ours),
            _ => None,
        };
        match changed_by {
            Some(side) if r == b => {
                let edited = if side == Side::Ours { o } else { t };
                without.push((key, side, new_rows(&b, &edited)));
            }
            _ if r != b && r != o && r != t => {
                let known: HashSet<&[u8]> = [&b, &o, &t].into_iter().flatten().copied().collect();
                let news: HashSet<&[u8]> = r
                    .iter()
                    .filter(|row| !known.contains(**row))
                    .copied()
                    .collect();
                with.push((key, news));
            }
            _ => {}
        }
    }
    let mut found = Vec::new();
    for (from, side, edit) in without {
        let landed = with
            .iter()
            .find(|(_, news)| !edit.is_empty() && edit.iter().all(|row| news.contains(row)));
        let Some((to, _)) = landed else {
            continue;
        };
        let (from_name, to_name) = (all[3][from].title(), all[3][*to].title());
        let at = line_of(result, all[3][*to], edit[0]);
        let made = line_of(
            versions.get(side.into()),
            all[Version::from(side) as usize][from],
            edit[0],
        );
        let what = format!(
            "an edit that {} made in {from_name} (its line {}) is in {to_name} here",
            Version::from(side).name(),
            made.number(),
        );
        found.push(Finding::new(Check::Misplaced, Some(at), what).in_text(result));
    }
    found
}

/// What each declaration is known by: its kind and the names on the way to it.
type Key<'a> = (&'static str, Vec<&'a str>);

/// The innermost declarations that stand once under their name.
fn unique(outline: &Outline) -> HashMap<Key<'_>, &Declaration> {
    let mut found: HashMap<Key<'_>, Vec<&Declaration>> = HashMap::new();
    let mut path: Vec<&str> = Vec::new();
    for (depth, declaration) in outline.flat() {
        path.truncate(depth);
        path.push(&declaration.name);
        if declaration.inner.is_empty() {
            let key = (declaration.kind, path.clone());
            found.entry(key).or_default().push(declaration);
        }
    }
    let once = found.into_iter().filter(|(_, all)| all.len() == 1);
    once.map(|(key, all)| (key, all[0])).collect()
}

/// The lines of a declaration that have words, without indentation.
fn rows<'a>(text: &'a Source, declaration: &Declaration) -> Vec<&'a [u8]> {
    let rows = text.lines(declaration.lines).map(|line| line.trimmed());
    rows.filter(|row| is_worded(row)).collect()
}

/// Rows of `side` that `base` does not have.
fn new_rows<'a>(base: &[&'a [u8]], side: &[&'a [u8]]) -> Vec<&'a [u8]> {
    let known: HashSet<&[u8]> = base.iter().copied().collect();
    side.iter()
        .filter(|row| !known.contains(**row))
        .copied()
        .collect()
}

fn line_of(text: &Source, declaration: &Declaration, row: &[u8]) -> LineIdx {
    let mut lines = declaration.lines.iter();
    let at = lines.find(|at| text.line(*at).trimmed() == row);
    at.unwrap_or(declaration.lines.start)
}
