//! Both sides' lines one after the other, so that they stand as one text would have them: brackets
//! closed, commas between items, a blank line between declarations, no item twice.
//!
//! Not here: whether both may stand (`rules`); a person has asked for both.

use crate::decide::resolution::Resolution;
use crate::merge::list_items::is_item;
use crate::model::region::RegionId;
use crate::model::segment::Segment;
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::plan::structure::Apart;
use crate::text::language::{begins_declaration, is_import};
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, Source};
use crate::text::tokens::bracket;
use std::collections::HashSet;

/// Both sides' lines, those of `first` first; [`Resolution::Both`] where they need nothing between
/// them.
///
/// ```
/// use armistice_core::{Options, Side, joined, plan};
/// let base = "list = [\n    \"a\"\n]\n";
/// let ours = "list = [\n    \"a\",\n    \"b\"\n]\n";
/// let theirs = "list = [\n    \"a\",\n    \"c\"\n]\n";
/// let plan = plan(&base.into(), &ours.into(), &theirs.into(), &Options::default());
/// let id = *plan.conflicts().last().unwrap();
/// let both = joined(&plan, id, Side::Ours);
/// assert!(both.text(&plan, plan.region(id)).bytes().ends_with(b"\"b\",\n    \"c\"\n"));
/// ```
///
/// # Panics
/// If the plan has no such region.
pub fn joined(plan: &Plan, id: RegionId, first: Side) -> Resolution {
    let (versions, region) = (plan.versions(), plan.region(id));
    let plain = Resolution::Both(first);
    let part = |side: Side| Part {
        version: side.into(),
        text: versions.get(side.into()),
        lines: region.lines(side.into()),
    };
    let (head, tail) = (part(first), part(first.other()));
    if head.lines.is_empty() || tail.lines.is_empty() {
        return plain;
    }
    let new = without_doubles(&head, &tail);
    let after = head.after();
    let mut out = vec![Segment::Lines(head.version, head.lines)];
    let mut changed = new.len() < tail.lines.len();
    let end = versions.ours.usual_end().bytes();
    if let Some(closing) = closing(&head, &tail, after) {
        out.push(Segment::Lines(head.version, closing));
        changed = true;
    } else if let Some(with_comma) = comma_added(&head, &tail, after, end) {
        out = vec![
            Segment::Lines(
                head.version,
                LineRange::new(head.lines.start.0, with_comma.at.0),
            ),
            Segment::Text(with_comma.line),
            Segment::Lines(
                head.version,
                LineRange::new(with_comma.at.0 + 1, head.lines.end.0),
            ),
        ];
        changed = true;
    }
    for _ in 0..blank_lines(plan, id, &head, &tail) {
        out.push(Segment::Text(end.to_vec()));
        changed = true;
    }
    out.extend(runs(&new).map(|lines| Segment::Lines(tail.version, lines)));
    if let Some(Apart::BothAdded { wanting, .. }) = plan.apart(id).filter(|_| !new.is_empty()) {
        out.extend((0..*wanting).map(|_| Segment::Text(end.to_vec())));
        changed |= *wanting > 0;
    }
    let mut joined = Vec::new();
    for segment in out {
        segment.add_to(&mut joined);
    }
    match changed {
        true => Resolution::Segments(joined),
        false => plain,
    }
}

/// One side's lines.
struct Part<'a> {
    version: Version,
    text: &'a Source,
    lines: LineRange,
}

impl<'a> Part<'a> {
    fn rows(&self) -> impl DoubleEndedIterator<Item = (LineIdx, Line<'a>)> + '_ {
        self.lines.iter().map(|at| (at, self.text.line(at)))
    }

    /// The last line that is not blank.
    fn last(&self) -> Option<(LineIdx, Line<'a>)> {
        self.rows().rfind(|(_, line)| !line.trimmed().is_empty())
    }

    /// The line behind its part.
    fn after(&self) -> Option<Line<'a>> {
        let at = self.lines.end;
        ((at.0 as usize) < self.text.len()).then(|| self.text.line(at))
    }

    /// By how much its brackets open more than they close.
    fn depth(&self) -> isize {
        let signs = self.text.slice(self.lines).iter();
        signs.map(|sign| bracket(*sign)).sum()
    }
}

/// Lines of the second part that do not stand in the first as the same item or import.
fn without_doubles(head: &Part<'_>, tail: &Part<'_>) -> Vec<LineIdx> {
    let single = |line: &Line<'_>| {
        let row = line.trimmed();
        is_import(row) || (row.ends_with(b",") && is_item(row))
    };
    let all = head.rows().chain(tail.rows());
    let mut worded = all.filter(|(_, line)| !line.trimmed().is_empty());
    let known: HashSet<&[u8]> = match worded.all(|(_, line)| single(&line)) {
        true => head.rows().map(|(_, line)| line.trimmed()).collect(),
        false => HashSet::new(),
    };
    let is_new = |line: &Line<'_>| line.trimmed().is_empty() || !known.contains(line.trimmed());
    let rows = tail.rows().filter(|(_, line)| is_new(line));
    rows.map(|(at, _)| at).collect()
}

/// The lines behind the first part that close what it left open, where the second leaves as much
/// open: what both share closes the second alone.
fn closing(head: &Part<'_>, tail: &Part<'_>, after: Option<Line<'_>>) -> Option<LineRange> {
    let depth = head.depth();
    if depth != 1 || tail.depth() != depth || !after.is_some_and(closes) {
        return None;
    }
    let line = head.text.line(head.lines.end);
    let sum: isize = line.content().iter().map(|sign| bracket(*sign)).sum();
    (sum == -1).then(|| LineRange::new(head.lines.end.0, head.lines.end.0 + 1))
}

/// Whether a line begins with what closes a block or a list.
fn closes(line: Line<'_>) -> bool {
    let first = line.trimmed().first();
    first.is_some_and(|sign| bracket(*sign) < 0)
}

/// The last line of the first part with the comma that items behind it need.
struct WithComma {
    at: LineIdx,
    line: Vec<u8>,
}

fn comma_added(
    head: &Part<'_>,
    tail: &Part<'_>,
    after: Option<Line<'_>>,
    end: &[u8],
) -> Option<WithComma> {
    let ((at, last), (_, other)) = (head.last()?, tail.last()?);
    let bare = |line: &Line<'_>| {
        let row = line.trimmed();
        let last = row.last().copied().unwrap_or(b',');
        !matches!(last, b',' | b';' | b':' | b'{' | b'[' | b'(' | b'\\')
    };
    // Only between items of a list that ends behind them, and whose last item has no comma.
    let balanced = head.depth() == 0 && tail.depth() == 0;
    let lists = balanced && after.is_some_and(closes) && bare(&last) && bare(&other);
    let before = head
        .lines
        .start
        .0
        .checked_sub(1)
        .map(|at| head.text.line(LineIdx(at)));
    let opens = |line: Line<'_>| matches!(line.trimmed().last(), Some(b',' | b'[' | b'{' | b'('));
    let items = before.is_some_and(opens) || head.lines.len() > 1 && is_listed(head, at);
    if !lists || !items || last.trimmed().starts_with(b"//") || last.trimmed().starts_with(b"#") {
        return None;
    }
    let content = [last.indent(), last.trimmed(), b",", last.trailing()].concat();
    let ending = match last.end().bytes() {
        [] => end,
        ending => ending,
    };
    Some(WithComma {
        at,
        line: [&content, ending].concat(),
    })
}

/// Whether the lines before the last end in commas, as items do.
fn is_listed(part: &Part<'_>, last: LineIdx) -> bool {
    let mut before = part
        .rows()
        .filter(|(at, line)| *at < last && !line.trimmed().is_empty());
    before.all(|(_, line)| matches!(line.trimmed().last(), Some(b',' | b'{' | b'[')))
}

/// How many blank lines are wanting between both: as many as mostly stand between declarations here if
/// that is known; else one if both are declarations of several lines and nothing stands between them.
fn blank_lines(plan: &Plan, id: RegionId, head: &Part<'_>, tail: &Part<'_>) -> usize {
    let blank = |at: LineIdx, text: &Source| text.line(at).trimmed().is_empty();
    let last = LineIdx(head.lines.end.0 - 1);
    if blank(last, head.text) || blank(tail.lines.start, tail.text) {
        return 0;
    }
    if let Some(Apart::BothAdded { parted, .. }) = plan.apart(id) {
        return *parted;
    }
    let both = declares(head).zip(declares(tail));
    usize::from(both.is_some_and(|(a, b)| a == b))
}

/// The indentation of the declaration that a part of several lines begins with, if it does.
fn declares<'a>(part: &Part<'a>) -> Option<&'a [u8]> {
    let mut rows = part.rows().filter(|(_, line)| !line.trimmed().is_empty());
    let (_, first) = rows.find(|(_, line)| !is_lead(line.trimmed()))?;
    let row = first.trimmed();
    let word = row
        .split(|b| !b.is_ascii_alphanumeric() && *b != b'_')
        .next()?;
    let declares = begins_declaration(word) && !is_import(row) && part.lines.len() > 1;
    declares.then(|| first.indent())
}

/// Comments, attributes and decorators belong to what follows them.
fn is_lead(row: &[u8]) -> bool {
    row.starts_with(b"//")
        || row.starts_with(b"#")
        || row.starts_with(b"@")
        || row.starts_with(b"*")
}

/// Lines as runs.
fn runs(lines: &[LineIdx]) -> impl Iterator<Item = LineRange> {
    let mut out: Vec<LineRange> = Vec::new();
    for at in lines {
        match out.last_mut() {
            Some(run) if run.end == *at => run.end = LineIdx(at.0 + 1),
            _ => out.push(LineRange::new(at.0, at.0 + 1)),
        }
    }
    out.into_iter()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Draft, Entry, Event, Options, Session, Step, plan};
    use std::sync::Arc;

    /// The whole text with both sides' lines in every conflict, ours first.
    fn both(base: &str, ours: &str, theirs: &str) -> String {
        let plan = Arc::new(plan(
            &base.into(),
            &ours.into(),
            &theirs.into(),
            &Options::default(),
        ));
        let mut session = Session::new(Arc::clone(&plan));
        let settle = |id: &RegionId| Entry::Settle(*id, joined(&plan, *id, Side::Ours));
        let entries = plan.conflicts().iter().map(settle).collect();
        session
            .apply(&Event::Do(Step::new("both".to_owned(), entries)))
            .unwrap();
        let draft: &Draft = session.draft();
        String::from_utf8(draft.bytes()).unwrap()
    }

    #[test]
    fn declarations_are_closed_and_stand_apart() {
        let base = "mod quay {\n}\n";
        let ours = "mod quay {\n    fn moor() {\n        log();\n    }\n}\n";
        let theirs = "mod quay {\n    fn dock() {\n        pay();\n    }\n}\n";
        assert_eq!(
            both(base, ours, theirs),
            "mod quay {\n    fn moor() {\n        log();\n    }\n\n    fn dock() {\n        pay();\n    }\n}\n"
        );
        let python = both(
            "x = 1\n",
            "x = 1\ndef a():\n    b()\n",
            "x = 1\ndef c():\n    d()\n",
        );
        assert_eq!(python, "x = 1\ndef a():\n    b()\n\ndef c():\n    d()\n");
    }

    #[test]
    fn items_get_commas_and_none_stands_twice() {
        let base = "{\n  \"a\": 1\n}\n";
        let ours = "{\n  \"a\": 1,\n  \"b\": 2\n}\n";
        let theirs = "{\n  \"a\": 1,\n  \"c\": 3\n}\n";
        assert_eq!(
            both(base, ours, theirs),
            "{\n  \"a\": 1,\n  \"b\": 2,\n  \"c\": 3\n}\n"
        );
        let list = both(
            "[\n]\n",
            "[\n  quay,\n  tug,\n]\n",
            "[\n  tide,\n  quay,\n]\n",
        );
        assert_eq!(list, "[\n  quay,\n  tug,\n  tide,\n]\n");
        let imports = both("\n", "use a;\nuse b;\n\n", "use b;\nuse c;\n\n");
        assert_eq!(imports, "use a;\nuse b;\nuse c;\n\n");
    }

    #[test]
    fn what_needs_nothing_stays_as_it_is() {
        let plan = plan(
            &"a\n".into(),
            &"moor();\n".into(),
            &"dock();\n".into(),
            &Options::default(),
        );
        let id = plan.conflicts()[0];
        assert_eq!(
            joined(&plan, id, Side::Theirs),
            Resolution::Both(Side::Theirs)
        );
        // What the second leaves closed needs no bracket of the first.
        let block = both(
            "x {\n}\n",
            "x {\n    if t {\n        a();\n    }\n}\n",
            "x {\n    b();\n}\n",
        );
        assert_eq!(
            block.matches('{').count(),
            block.matches('}').count(),
            "{block}"
        );
        // A statement that stands in both stands twice: who calls it twice may mean it.
        assert_eq!(
            both("", "log();\nmoor();\n", "log();\ndock();\n"),
            "log();\nmoor();\ndock();\n"
        );
    }
}
