//! What is staged in one file against a parent, as lines ready to be drawn.

use crate::case::card_lines::{CardLine, delta_line};
use armistice_core::limits::STAGED_DIFF_LINES;
use armistice_core::{DeltaRow, Encoding, Line, Source, delta};
use std::collections::HashSet;

/// Unchanged lines that are shown around a change.
const AROUND: usize = 3;

/// Where a line that the parent has not comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum From {
    /// The other parent has it too.
    OtherParent,
    /// No parent has it: blended, or by hand.
    Nobody,
}

/// One row.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum DiffRow {
    /// So many lines that are the same.
    Folded(usize),
    Same(CardLine),
    Changed(CardLine, From),
}

/// All rows of one file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct StagedDiff {
    pub rows: Vec<DiffRow>,
    /// Rows left out because there are too many.
    pub hidden: usize,
    /// Where each change begins, as a row.
    pub changes: Vec<usize>,
}

/// The difference of one file; nothing where there is no text, why where it could not be read.
pub type DiffRead = Result<Option<Box<StagedDiff>>, String>;

impl StagedDiff {
    /// What became of `before` in `after`; `other` is what another parent has there.
    pub fn new(before: &Source, after: &Source, other: Option<&Source>) -> Self {
        let encoding = Encoding::detect(after.bytes());
        let all = delta(before, before.all(), after, after.all()).rows;
        let theirs: HashSet<&[u8]> = other
            .into_iter()
            .flat_map(|text| text.lines(text.all()).map(Line::content))
            .collect();
        let is_kept = |row: &DeltaRow| matches!(row, DeltaRow::Kept(..));
        let mut diff = StagedDiff::default();
        let mut at = 0;
        while at < all.len() {
            let kept = all[at..].iter().take_while(|row| is_kept(row)).count();
            if kept > 0 {
                diff.keep(
                    &all[at..at + kept],
                    at == 0,
                    at + kept == all.len(),
                    |row| delta_line(encoding, row, before, after, &|_| Vec::new()),
                );
                at += kept;
                continue;
            }
            diff.changes.push(diff.rows.len());
            while at < all.len() && !is_kept(&all[at]) {
                let from = match after_line(&all[at]).map(|at| after.line(at).content()) {
                    Some(line) if theirs.contains(line) => From::OtherParent,
                    _ => From::Nobody,
                };
                let line = delta_line(encoding, &all[at], before, after, &|_| Vec::new());
                diff.rows.push(DiffRow::Changed(line, from));
                at += 1;
            }
        }
        diff.hidden = diff.rows.len().saturating_sub(STAGED_DIFF_LINES);
        diff.rows.truncate(STAGED_DIFF_LINES);
        diff.changes.retain(|at| *at < STAGED_DIFF_LINES);
        diff
    }

    /// Takes unchanged rows, those far from any change as one.
    fn keep(
        &mut self,
        rows: &[DeltaRow],
        first: bool,
        last: bool,
        line: impl Fn(&DeltaRow) -> CardLine,
    ) {
        let before = if first { 0 } else { AROUND.min(rows.len()) };
        let behind = if last {
            0
        } else {
            AROUND.min(rows.len() - before)
        };
        let folded = rows.len() - before - behind;
        // One line says as much as the row that would stand for it.
        let (before, folded) = if folded == 1 {
            (before + 1, 0)
        } else {
            (before, folded)
        };
        let same = |row| DiffRow::Same(line(row));
        self.rows.extend(rows[..before].iter().map(same));
        if folded > 0 {
            self.rows.push(DiffRow::Folded(folded));
        }
        self.rows.extend(rows[before + folded..].iter().map(same));
    }
}

fn after_line(row: &DeltaRow) -> Option<armistice_core::LineIdx> {
    match row {
        DeltaRow::Removed(_) => None,
        DeltaRow::Added(at)
        | DeltaRow::Kept(_, at)
        | DeltaRow::Reworded(_, at)
        | DeltaRow::Reindented(_, at)
        | DeltaRow::Respaced(_, at) => Some(*at),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn brief(before: &str, after: &str, other: Option<&str>) -> Vec<String> {
        let other = other.map(Source::from);
        let diff = StagedDiff::new(&before.into(), &after.into(), other.as_ref());
        let text = |line: &CardLine| -> String {
            let parts: String = line.parts.iter().map(|(_, text)| text.as_str()).collect();
            format!("{}{} {parts}", line.sign, line.number.unwrap_or(0))
        };
        let row = |row: &DiffRow| match row {
            DiffRow::Folded(n) => format!("{n} the same"),
            DiffRow::Same(line) => text(line),
            DiffRow::Changed(line, From::OtherParent) => format!("{} (theirs)", text(line)),
            DiffRow::Changed(line, From::Nobody) => text(line),
        };
        diff.rows.iter().map(row).collect()
    }

    #[test]
    fn changes_stand_among_three_lines_and_say_whose_they_are() {
        let before = "1\n2\n3\n4\n5\n6\nmoor(ship);\n8\n9\n10\n11\n12\n13\n14\n15\n16\nx\n";
        let after = before
            .replace("moor(ship);", "moor(tug);\nlog(tug);")
            .replace("16\nx\n", "16\n");
        assert_eq!(
            brief(before, &after, Some("log(tug);\n")),
            [
                "3 the same",
                " 4 4",
                " 5 5",
                " 6 6",
                " 7 moor([ship→tug]);",
                "+8 log(tug); (theirs)",
                " 9 8",
                " 10 9",
                " 11 10",
                "3 the same",
                " 15 14",
                " 16 15",
                " 17 16",
                "−17 x",
            ]
        );
        assert_eq!(
            brief("a\n", "a\n", None),
            ["1 the same"; 0]
                .to_vec()
                .into_iter()
                .chain([" 1 a"])
                .collect::<Vec<_>>()
        );
        assert_eq!(brief("", "new\n", None), ["+1 new"]);
        assert_eq!(brief("old\n", "", None), ["−1 old"]);
    }
}
