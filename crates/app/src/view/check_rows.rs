//! The checks as Proof lists them, and what a verdict may say.

use crate::base::safe_text::count;
use armistice_core::{Check, Weight};
use armistice_git::Proof;

/// A row of the list: its name, and the checks whose findings it counts.
pub struct CheckRow {
    pub name: &'static str,
    pub checks: &'static [Check],
}

const fn row(name: &'static str, checks: &'static [Check]) -> CheckRow {
    CheckRow { name, checks }
}

pub const CHECK_ROWS: [CheckRow; 12] = [
    row("no conflict is open", &[Check::Open]),
    row("resolved files are staged", &[Check::Unwritten]),
    row("no file changed after staging", &[Check::Unstaged]),
    row("no marker lines", &[Check::Markers]),
    row("no edit is lost", &[Check::Lost]),
    row("no removed line has come back", &[Check::Back]),
    row(
        "every edit is where its author made it",
        &[Check::Misplaced],
    ),
    row("no removed name is used", &[Check::Names]),
    row("edits fit together", &[Check::Together]),
    row("nothing is defined twice", &[Check::Twice]),
    row("the syntax is valid", &[Check::Syntax]),
    row(
        "line endings are clean",
        &[Check::LineEnds, Check::LastNewline, Check::TrailingBlanks],
    ),
];

/// What became of one row of checks.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Verdict {
    /// It holds, and what was looked at.
    Holds(String),
    /// There is nothing to check yet.
    Nothing,
    /// So many findings, some of which block.
    Found(usize),
    /// So many findings, none of which blocks.
    ToConfirm(usize),
}

impl CheckRow {
    /// What a proof says of it, and never more than it looked at.
    pub fn verdict(&self, proof: &Proof) -> Verdict {
        let of = |check: &Check| self.checks.contains(check);
        let found = proof.findings.iter().filter(|f| of(&f.finding.check));
        let stops = found.clone().any(|f| f.finding.weight == Weight::Stops);
        match (found.count(), stops) {
            (0, _) => {}
            (n, true) => return Verdict::Found(n),
            (n, false) => return Verdict::ToConfirm(n),
        }
        let texts = count(proof.texts, "merged text");
        match self.checks[0] {
            Check::Open | Check::Unwritten | Check::Unstaged => Verdict::Holds(String::new()),
            Check::Names => match proof.named {
                None | Some(0) => Verdict::Nothing,
                Some(1) => Verdict::Holds("1 file of code".to_owned()),
                Some(files) => Verdict::Holds(format!("{files} files of code")),
            },
            _ if proof.texts == 0 => Verdict::Nothing,
            Check::Syntax if proof.parsed < proof.texts => Verdict::Holds(format!(
                "{} of {texts} parsed, brackets counted in the rest",
                proof.parsed
            )),
            Check::Syntax => Verdict::Holds(format!("{texts} parsed")),
            // Only a parser tells which declaration is which.
            Check::Misplaced if proof.parsed == 0 => Verdict::Nothing,
            Check::Misplaced if proof.parsed < proof.texts => {
                Verdict::Holds(format!("{} of {texts} parsed", proof.parsed))
            }
            Check::Misplaced => Verdict::Holds(format!("{texts} parsed")),
            Check::Lost | Check::Back | Check::Twice => Verdict::Holds(format!("{texts} traced")),
            _ => Verdict::Holds(texts),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_check_stands_in_one_row() {
        for check in Check::ALL {
            let rows = CHECK_ROWS.iter().filter(|row| row.checks.contains(&check));
            assert_eq!(rows.count(), 1, "{check:?}");
        }
    }

    #[test]
    fn what_was_not_looked_at_does_not_hold() {
        let lost = &CHECK_ROWS[4];
        assert_eq!(lost.verdict(&Proof::default()), Verdict::Nothing);
        let proof = Proof {
            texts: 2,
            ..Proof::default()
        };
        let said = lost.verdict(&proof);
        assert_eq!(said, Verdict::Holds("2 merged texts traced".to_owned()));
    }
}
