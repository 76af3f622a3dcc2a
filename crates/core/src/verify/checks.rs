//! Whether a merged text is fit to be committed, as far as bytes can tell.
//!
//! Not here: whether anything was lost (`audit`), the project's own checks.

use crate::limits::{SURROUNDING_CHARS, SURROUNDING_LINES};
use crate::model::versions::Versions;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, LineEnd, Source, is_blank};
use crate::verify::markers::{find_markers, lone_markers};
use serde::Serialize;
use std::collections::HashSet;

/// One kind of check.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Check {
    /// No conflict is open.
    Open,
    /// What is settled is written and staged.
    Unwritten,
    /// What stands on disk is what is staged.
    Unstaged,
    /// No marker line is left.
    Markers,
    /// Lines end alike, if they did in every version.
    LineEnds,
    /// The last line ends with a newline, if it did in every version.
    LastNewline,
    /// No trailing whitespace that no version had.
    TrailingBlanks,
    /// Nothing that a side added, or that all have, is gone without a decision.
    Lost,
    /// Nothing stands again that a side removed.
    Back,
    /// What a side changed in a declaration stands in that one.
    Misplaced,
    /// No name is used that the other side renamed or removed.
    Names,
    /// Edits of different lines that belong together agree: a count and its list, rows of a table.
    Together,
    /// No line, declaration, import or key stands there more often than on either side.
    Twice,
    /// A parser makes sense of it, as far as it did of every version.
    Syntax,
}

impl Check {
    /// All checks in the order of the screen.
    pub const ALL: [Check; 14] = [
        Check::Open,
        Check::Unwritten,
        Check::Unstaged,
        Check::Markers,
        Check::LineEnds,
        Check::LastNewline,
        Check::TrailingBlanks,
        Check::Lost,
        Check::Back,
        Check::Misplaced,
        Check::Names,
        Check::Together,
        Check::Twice,
        Check::Syntax,
    ];

    /// Its name on the screen.
    pub fn name(self) -> &'static str {
        match self {
            Check::Open => "no conflict is open",
            Check::Unwritten => "resolved files are staged",
            Check::Unstaged => "no file changed after staging",
            Check::Markers => "no marker lines",
            Check::LineEnds => "line ends are not mixed",
            Check::LastNewline => "the last newline is present",
            Check::TrailingBlanks => "no trailing whitespace was added",
            Check::Lost => "no edit is lost",
            Check::Back => "no removed line has come back",
            Check::Misplaced => "every edit is where its author made it",
            Check::Names => "no removed name is used",
            Check::Together => "edits fit together",
            Check::Twice => "nothing is defined twice",
            Check::Syntax => "the syntax is valid",
        }
    }

    /// How much a finding of it weighs.
    pub fn weight(self) -> Weight {
        match self {
            Check::Open
            | Check::Unwritten
            | Check::Unstaged
            | Check::Markers
            | Check::Lost
            | Check::Back
            | Check::Misplaced
            | Check::Names
            | Check::Syntax => Weight::Stops,
            Check::LineEnds
            | Check::LastNewline
            | Check::TrailingBlanks
            | Check::Together
            | Check::Twice => Weight::Look,
        }
    }
}

/// How much a finding weighs.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Weight {
    /// It stands in the way of concluding.
    Stops,
    /// Worth a look.
    Look,
}

/// One thing found.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Finding {
    /// By which check.
    pub check: Check,
    /// How much it weighs.
    pub weight: Weight,
    /// Where, if it is about a line; in JSON counted from 1.
    #[serde(serialize_with = "number")]
    pub line: Option<LineIdx>,
    /// What, for a person.
    pub what: String,
    /// The name that stands there and the one that it has by now, if the finding is about one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub renamed: Option<[String; 2]>,
    /// The lines around it, its own in the middle; empty if it is about no line.
    #[serde(skip)]
    pub around: Vec<(LineIdx, String)>,
}

fn number<S: serde::Serializer>(line: &Option<LineIdx>, to: S) -> Result<S::Ok, S::Error> {
    line.map(LineIdx::number).serialize(to)
}

impl Finding {
    /// A finding that weighs what its check weighs.
    pub fn new(check: Check, line: Option<LineIdx>, what: impl Into<String>) -> Self {
        Finding {
            check,
            weight: check.weight(),
            line,
            what: what.into(),
            renamed: None,
            around: Vec::new(),
        }
    }

    /// The same, with the lines of the text in which it was found.
    #[must_use]
    pub fn in_text(mut self, text: &Source) -> Self {
        let Some(LineIdx(at)) = self.line else {
            return self;
        };
        let end = (at as usize + SURROUNDING_LINES + 1).min(text.len());
        let from = (at as usize).saturating_sub(SURROUNDING_LINES).min(end);
        let lines = LineRange::from(from..end);
        let shown = |line: Line<'_>| {
            let text = String::from_utf8_lossy(line.content()).into_owned();
            text.chars().take(SURROUNDING_CHARS).collect()
        };
        self.around = lines.iter().zip(text.lines(lines).map(shown)).collect();
        self
    }
}

/// What is checked.
#[derive(Clone, Copy, Debug)]
pub struct Inputs<'a> {
    /// The merged text.
    pub result: &'a Source,
    /// What it was merged from, where that is known.
    pub versions: Option<&'a Versions>,
}

/// Looks at a merged text; findings come in the order of [`Check::ALL`], then by line.
///
/// Without the versions only markers are looked for: mixed line ends and blanks of the versions are unknown then.
/// Linear in the texts.
///
/// ```
/// use armistice_core::{Check, Inputs, check};
/// let result = "moor\n<<<<<<< ours\npay\n=======\nlog\n>>>>>>> theirs\n".into();
/// let found = check(&Inputs { result: &result, versions: None });
/// assert_eq!((found[0].check, found[0].line.unwrap().number()), (Check::Markers, 2));
/// ```
pub fn check(inputs: &Inputs<'_>) -> Vec<Finding> {
    let mut found = markers(inputs);
    if let Some(versions) = inputs.versions {
        found.extend(line_ends(inputs.result, versions));
        found.extend(last_newline(inputs.result, versions));
        found.extend(trailing_blanks(inputs.result, versions));
    }
    let found = found.into_iter();
    found.map(|f| f.in_text(inputs.result)).collect()
}

fn known_lines(versions: Option<&Versions>) -> HashSet<&[u8]> {
    let sides = versions.map(|v| [&v.ours, &v.theirs]).into_iter().flatten();
    sides
        .flat_map(|s| s.lines(s.all()).map(Line::content))
        .collect()
}

/// A marker that one side had committed already may be text about markers.
fn markers(inputs: &Inputs<'_>) -> Vec<Finding> {
    let mut found: Vec<LineIdx> = find_markers(inputs.result)
        .into_iter()
        .map(|(at, _)| at)
        .collect();
    let alone = lone_markers(inputs.result);
    if found.is_empty() && alone.is_empty() {
        return Vec::new();
    }
    let known = known_lines(inputs.versions);
    // By itself a marker may be an underline or a rule, unless it came with the merge.
    let new = |at: &LineIdx| {
        inputs.versions.is_some_and(|v| {
            let line = inputs.result.line(*at).content();
            !known.contains(line) && !v.base.lines(v.base.all()).any(|l| l.content() == line)
        })
    };
    found.extend(alone.into_iter().filter(new));
    found.sort();
    found.dedup();
    let finding = |at: LineIdx| {
        let content = inputs.result.line(at).content();
        let text = String::from_utf8_lossy(content);
        let mut finding = Finding::new(Check::Markers, Some(at), format!("marker line: {text}"));
        if known.contains(content) {
            finding.weight = Weight::Look;
            finding.what += " (one side had it before the merge)";
        }
        finding
    };
    found.into_iter().map(finding).collect()
}

fn ends(text: &Source) -> Vec<LineEnd> {
    let mut seen = Vec::new();
    for end in text.lines(text.all()).map(Line::end) {
        if end != LineEnd::None && !seen.contains(&end) {
            seen.push(end);
        }
    }
    seen
}

fn line_ends(result: &Source, versions: &Versions) -> Option<Finding> {
    let mixed_before = [&versions.base, &versions.ours, &versions.theirs]
        .into_iter()
        .any(|v| ends(v).len() > 1);
    if ends(result).len() < 2 || mixed_before {
        return None;
    }
    let usual = result.usual_end();
    let odd = |line: &Line<'_>| line.end() != usual && line.end() != LineEnd::None;
    let at = result.lines(result.all()).position(|line| odd(&line))?;
    let line = LineIdx(at as u32);
    let (this, rest) = (result.line(line).end().name(), usual.name());
    let what = format!("this line ends with {this}, most others end with {rest}");
    Some(Finding::new(Check::LineEnds, Some(line), what))
}

fn last_newline(result: &Source, versions: &Versions) -> Option<Finding> {
    let ended = |text: &Source| {
        let last = text.lines(text.all()).next_back();
        last.is_none_or(|line| line.end() != LineEnd::None)
    };
    let all_ended = [&versions.base, &versions.ours, &versions.theirs]
        .into_iter()
        .all(ended);
    (all_ended && !ended(result)).then(|| {
        let last = LineIdx(result.len().saturating_sub(1) as u32);
        Finding::new(
            Check::LastNewline,
            Some(last),
            "the last line has no newline; it had one in every version",
        )
    })
}

fn trailing_blanks(result: &Source, versions: &Versions) -> Vec<Finding> {
    let blank_at_end = |line: &Line<'_>| line.content().last().copied().is_some_and(is_blank);
    let suspects: Vec<_> = (result.all().iter())
        .zip(result.lines(result.all()))
        .filter(|(_, line)| blank_at_end(line))
        .collect();
    if suspects.is_empty() {
        return Vec::new();
    }
    let mut known = known_lines(Some(versions));
    known.extend(versions.base.lines(versions.base.all()).map(Line::content));
    suspects
        .into_iter()
        .filter(|(_, line)| !known.contains(line.content()))
        .map(|(at, _)| {
            Finding::new(
                Check::TrailingBlanks,
                Some(at),
                "trailing whitespace that no version had",
            )
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(base: &str, ours: &str, theirs: &str, result: &str) -> Vec<(Check, usize, Weight)> {
        let versions = Versions {
            base: base.into(),
            ours: ours.into(),
            theirs: theirs.into(),
        };
        let inputs = Inputs {
            result: &result.into(),
            versions: Some(&versions),
        };
        let place = |f: &Finding| (f.check, f.line.map_or(0, LineIdx::number), f.weight);
        check(&inputs).iter().map(place).collect()
    }

    #[test]
    fn a_clean_result_has_no_finding() {
        assert_eq!(found("a\n", "b \n", "c\n", "b \n"), []);
    }

    #[test]
    fn each_check_finds_its_line() {
        let of = |result| found("a\nb\n", "a\nc\n", "a\nd\n", result);
        assert_eq!(of("a\n<<<<<<< x\n"), [(Check::Markers, 2, Weight::Stops)]);
        assert_eq!(of("a\n=======\nb\n"), [(Check::Markers, 2, Weight::Stops)]);
        assert_eq!(of("a\n||||||| x\n"), [(Check::Markers, 2, Weight::Stops)]);
        assert_eq!(of("a\nb\r\nc\n"), [(Check::LineEnds, 2, Weight::Look)]);
        assert_eq!(of("a\nb"), [(Check::LastNewline, 2, Weight::Look)]);
        assert_eq!(of("a\nq \n"), [(Check::TrailingBlanks, 2, Weight::Look)]);
    }

    #[test]
    fn what_the_versions_had_is_not_held_against_the_result() {
        assert_eq!(found("a\r\nb\n", "a\r\nc\n", "a\r\nb\n", "a\r\nc\n"), []);
        assert_eq!(found("a", "b", "c", "b"), []);
        let ruled = found("", "a\n=======\n", "", "a\n=======\n");
        assert_eq!(ruled, []);
        let quoted = found("", "<<<<<<< text\n", "", "<<<<<<< text\n");
        assert_eq!(quoted, [(Check::Markers, 1, Weight::Look)]);
    }
}
