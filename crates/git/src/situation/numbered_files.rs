//! Files that both sides added in one folder with one number: migrations, chapters, decisions.

use crate::path::RepoPath;
use crate::situation::touched::Touched;
use armistice_core::{Check, Finding};
use std::collections::BTreeMap;

/// A folder and the number of a file in it.
type Numbered<'a> = (&'a [u8], &'a [u8]);

/// Digits from which on a number without a leading zero is not a date.
const STAMP_DIGITS: usize = 14;

/// Returns a finding for each file of theirs that has the number of another file of ours.
pub(crate) fn numbers_used_twice<'a>(
    all: impl IntoIterator<Item = &'a Touched>,
) -> Vec<(RepoPath, Finding)> {
    // By folder and number: the files that ours and theirs alone added.
    let mut added: BTreeMap<Numbered<'_>, [Vec<&RepoPath>; 2]> = BTreeMap::new();
    for file in all {
        let side = match file {
            Touched { staged: None, .. } | Touched { base: Some(_), .. } => continue,
            Touched {
                ours: Some(_),
                theirs: None,
                ..
            } => 0,
            Touched {
                ours: None,
                theirs: Some(_),
                ..
            } => 1,
            Touched { .. } => continue,
        };
        if let Some(key) = number(file.path.bytes()) {
            added.entry(key).or_default()[side].push(&file.path);
        }
    }
    let mut found = Vec::new();
    for ((_, number), [ours, theirs]) in added {
        let Some(first) = ours.first() else { continue };
        for path in theirs {
            let number = String::from_utf8_lossy(number);
            let what = format!("has the number {number}, which ours gave to {first}");
            found.push((path.clone(), Finding::new(Check::Together, None, what)));
        }
    }
    found
}

/// The folder of a path and the number that its file name begins with, if it counts files: `002_berths.sql`.
fn number(path: &[u8]) -> Option<Numbered<'_>> {
    let at = path.iter().rposition(|b| *b == b'/').map_or(0, |at| at + 1);
    let (folder, name) = path.split_at(at);
    // Some tools put a letter in front.
    let name = match name {
        [b'V' | b'v', rest @ ..] => rest,
        name => name,
    };
    let digits = name.iter().take_while(|b| b.is_ascii_digit()).count();
    let (number, rest) = name.split_at(digits);
    let counts = number.first() == Some(&b'0') && digits > 1 || digits >= STAMP_DIGITS;
    let is_parted = matches!(rest, [b'_' | b'-', ..]);
    (counts && is_parted).then_some((folder, number))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_numbers_that_count_files_are_numbers() {
        for (path, expected) in [
            ("db/002_berths.sql", Some("002")),
            ("db/V01__berths.sql", Some("01")),
            ("20241130121500_berths.rb", Some("20241130121500")),
            ("notes/2024-11-30-tide.md", None),
            ("3d_view.rs", None),
            ("007.txt", None),
        ] {
            let found = number(path.as_bytes()).map(|(_, number)| number);
            assert_eq!(found, expected.map(str::as_bytes), "{path}");
        }
    }
}
