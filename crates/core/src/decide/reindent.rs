//! The words of one side at the indentation of the other, as a choice for a person.

use crate::decide::resolution::Resolution;
use crate::limits::REINDENTED_ROWS;
use crate::merge::indentation::IndentationMap;
use crate::merge::row_edits::RowEdit;
use crate::model::region::RegionId;
use crate::model::segment::Segment;
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, Source};
use std::collections::BTreeSet;

impl Resolution {
    /// The lines of one side, indented as the other side indents what stands there.
    ///
    /// Rows that both have take the other's indentation; a row that only `words` has moves as
    /// the rows around it do. `None` where that would be a side as it is, or the conflict is
    /// longer than a person would settle this way.
    pub fn reindented(plan: &Plan, id: RegionId, words: Side) -> Option<Resolution> {
        let (versions, region) = (plan.versions(), plan.region(id));
        let (by, like) = (Version::from(words), Version::from(words.other()));
        let (side, other) = (versions.get(by), versions.get(like));
        let (lines, others) = (region.lines(by), region.lines(like));
        if lines.len().max(others.len()).max(region.base.len()) > REINDENTED_ROWS
            || used(side, lines) == used(other, others)
        {
            return None;
        }
        let edits = plan.finer(id)?.edits()?;
        let (mine, theirs) = (&edits[words], &edits[words.other()]);
        let first = |text, lines| worded(text, lines).next().map(Line::indent);
        let start = (
            region.base.start,
            first(side, lines)?,
            first(other, others)?,
        );
        let indents = IndentationMap::between((side, mine), (other, theirs), start);
        let least = worded(side, lines)
            .map(Line::indent)
            .min_by_key(|i| i.len())?;
        let mut segments: Vec<Segment> = Vec::new();
        for edit in mine {
            let (at, rows) = match *edit {
                RowEdit::Keep(b, s, _) => (b, LineRange::one(s)),
                RowEdit::Insert(at, rows) => (at, rows),
                RowEdit::Replace(old, rows) => (old.start, rows),
                RowEdit::Delete(_) => continue,
            };
            for idx in rows.iter() {
                row(&indents, at, (by, idx), side.line(idx), least).add_to(&mut segments);
            }
        }
        let out = Resolution::Segments(segments);
        let text = out.text(plan, region);
        let whole = [side.slice(lines), other.slice(others)];
        (!whole.contains(&text.bytes())).then_some(out)
    }
}

fn row(
    indents: &IndentationMap<'_>,
    at: LineIdx,
    (by, idx): (Version, LineIdx),
    line: Line<'_>,
    least: &[u8],
) -> Segment {
    let as_it_is = Segment::Lines(by, LineRange::one(idx));
    if line.trimmed().is_empty() {
        return as_it_is;
    }
    let indent = indents
        .row(at, line.indent())
        .or_else(|| indents.of(at, line.indent(), least))
        .or_else(|| indents.nearest(at, line.indent()));
    match indent {
        Some(indent) if indent != line.indent() => {
            let rest = &line.bytes()[line.indent().len()..];
            Segment::Text([&indent, rest].concat())
        }
        _ => as_it_is,
    }
}

fn worded(text: &Source, lines: LineRange) -> impl Iterator<Item = Line<'_>> {
    text.lines(lines).filter(|line| !line.trimmed().is_empty())
}

/// The indentations that a side uses.
fn used(text: &Source, lines: LineRange) -> BTreeSet<&[u8]> {
    worded(text, lines).map(Line::indent).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Options, plan};

    fn reindented(base: &str, ours: &str, theirs: &str, words: Side) -> Option<String> {
        let plan = plan(
            &base.into(),
            &ours.into(),
            &theirs.into(),
            &Options::default(),
        );
        let region = plan.region(plan.conflicts()[0]);
        let found = Resolution::reindented(&plan, plan.conflicts()[0], words)?;
        Some(String::from_utf8(found.text(&plan, region).bytes().to_vec()).unwrap())
    }

    const BASE: &str = "moor(ship, low);\nlog(ship);\n";
    const DEEPER: &str = "    moor(ship, slack);\n    log(ship);\n";

    #[test]
    fn words_of_one_stand_at_the_indentation_of_the_other() {
        let theirs = "moor(ship, high);\nlog(ship);\n";
        assert_eq!(
            reindented(BASE, DEEPER, theirs, Side::Theirs).as_deref(),
            Some("    moor(ship, high);\n    log(ship);\n")
        );
        assert_eq!(
            reindented(BASE, DEEPER, theirs, Side::Ours).as_deref(),
            Some("moor(ship, slack);\nlog(ship);\n")
        );
    }

    #[test]
    fn new_rows_move_as_the_rows_around_them() {
        let theirs = "moor(ship, high);\nif loud {\n    pay(ship);\n}\n\nlog(ship);\n";
        assert_eq!(
            reindented(BASE, DEEPER, theirs, Side::Theirs).as_deref(),
            Some(
                "    moor(ship, high);\n    if loud {\n        pay(ship);\n    }\n\n    log(ship);\n"
            )
        );
    }

    #[test]
    fn tabs_become_blanks_level_by_level() {
        let base = "fn dock() {\n\tif low {\n\t\tmoor(ship, low);\n\t}\n}\n";
        let ours = "fn dock() {\n    if low {\n        moor(ship, slack);\n    }\n}\n";
        let theirs = "fn dock() {\n\tif low {\n\t\tmoor(ship, high);\n\t}\n}\n";
        let found = reindented(base, ours, theirs, Side::Theirs).unwrap();
        assert!(found.contains("\n        moor(ship, high);\n"), "{found}");
    }

    #[test]
    fn rows_without_a_pair_follow_the_first_one() {
        let found = reindented(
            "moor(ship);\n",
            "        wait for the tide\n",
            "    let it = go;\n      now(it);\n",
            Side::Theirs,
        );
        assert_eq!(
            found.as_deref(),
            Some("        let it = go;\n          now(it);\n")
        );
    }

    #[test]
    fn where_indentation_does_not_differ_there_is_no_such_choice() {
        let theirs = "moor(ship, high);\nlog(ship);\n";
        let ours = "moor(ship, slack);\nlog(ship);\n";
        assert_eq!(reindented(BASE, ours, theirs, Side::Ours), None);
        // One side has nothing to be indented.
        assert_eq!(reindented(BASE, "", DEEPER, Side::Theirs), None);
    }
}
