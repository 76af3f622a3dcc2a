//! What a parser knows of a text, and what is wrong in a result that none of its versions had.
//!
//! Core parses nothing: whoever can fills in [`SyntaxFacts`]. Without a parser brackets are counted.

use crate::limits::TRACED_FINDINGS;
use crate::text::lines::LineIdx;
use crate::text::source::Source;
use crate::verify::checks::{Check, Finding};
use std::collections::HashMap;

/// A place that a parser could not make sense of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SyntaxError {
    /// Its line.
    pub line: LineIdx,
    /// Its first byte on that line, counted from zero.
    pub column: usize,
    /// What is missing there, if the parser can tell.
    pub missing: Option<String>,
}

/// Something with a name that stands more than once in one place: a function in a module, a key in
/// a table, an imported name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Repeated {
    /// What it is, in a word: "function", "key", "import".
    pub kind: &'static str,
    /// Its name, with what else tells it from its like (the types of its parameters).
    pub name: String,
    /// The names of what it stands in, outermost first.
    pub path: Vec<String>,
    /// Where; at least two, in order.
    pub lines: Vec<LineIdx>,
}

/// What a parser knows of one text.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SyntaxFacts {
    /// In order.
    pub errors: Vec<SyntaxError>,
    /// What stands more than once, in the order of the second.
    pub repeated: Vec<Repeated>,
}

/// A text and what a parser knows of it.
#[derive(Clone, Copy, Debug)]
pub struct Parsed<'a> {
    /// The text.
    pub text: &'a Source,
    /// Of this very text.
    pub facts: &'a SyntaxFacts,
}

/// Errors and repeated names of a result that none of its versions has.
///
/// An error is known if a version has one on a line with the same words, or if some version has at
/// least as many: a parser that does not cope with a file says nothing about it.
///
/// ```
/// use armistice_core::{Check, LineIdx, Parsed, SyntaxError, SyntaxFacts, syntax_findings};
/// let error = SyntaxError { line: LineIdx(1), column: 3, missing: Some("}".to_owned()) };
/// let facts = SyntaxFacts { errors: vec![error], repeated: vec![] };
/// let result = Parsed { text: &"fn a() {\nmoor()\n".into(), facts: &facts };
/// let found = syntax_findings(result, &[]);
/// assert_eq!(found[0].check, Check::Syntax);
/// assert_eq!(found[0].what, "'}' is missing here, column 4: moor()");
/// ```
pub fn syntax_findings(result: Parsed<'_>, versions: &[Parsed<'_>]) -> Vec<Finding> {
    let mut found = errors(result, versions);
    found.extend(repeated(result, versions));
    found.truncate(TRACED_FINDINGS);
    let found = found.into_iter();
    found.map(|f| f.in_text(result.text)).collect()
}

fn words(parsed: &Parsed<'_>, at: LineIdx) -> Vec<u8> {
    match (at.0 as usize) < parsed.text.len() {
        true => parsed.text.line(at).trimmed().to_vec(),
        false => Vec::new(),
    }
}

fn errors(result: Parsed<'_>, versions: &[Parsed<'_>]) -> Vec<Finding> {
    let all = &result.facts.errors;
    if versions.iter().any(|v| v.facts.errors.len() >= all.len()) {
        return Vec::new();
    }
    let mut known: HashMap<Vec<u8>, usize> = HashMap::new();
    for version in versions {
        for error in &version.facts.errors {
            *known.entry(words(version, error.line)).or_default() += 1;
        }
    }
    let is_new = |error: &&SyntaxError| match known.get_mut(&words(&result, error.line)) {
        Some(n) if *n > 0 => {
            *n -= 1;
            false
        }
        _ => true,
    };
    let finding = |error: &SyntaxError| {
        let line = words(&result, error.line);
        let line: String = String::from_utf8_lossy(&line).chars().take(60).collect();
        let column = error.column + 1;
        let what = match &error.missing {
            Some(sign) => format!("'{sign}' is missing here, column {column}: {line}"),
            None => format!("syntax error at column {column}: {line}"),
        };
        Finding::new(Check::Syntax, Some(error.line), what)
    };
    all.iter().filter(is_new).map(finding).collect()
}

fn repeated(result: Parsed<'_>, versions: &[Parsed<'_>]) -> Vec<Finding> {
    let same = |a: &Repeated, b: &Repeated| {
        a.kind == b.kind && a.name == b.name && a.path == b.path && a.lines.len() <= b.lines.len()
    };
    let known = |r: &&Repeated| {
        let of = |version: &Parsed<'_>| version.facts.repeated.iter().any(|v| same(r, v));
        !versions.iter().any(of)
    };
    let finding = |r: &Repeated| {
        let lines: Vec<String> = r.lines.iter().map(|l| l.number().to_string()).collect();
        let (last, before) = lines.split_last()?;
        let place = match r.path.is_empty() {
            true => String::new(),
            false => format!(" in '{}'", r.path.join(" › ")),
        };
        let times = match lines.len() {
            2 => "twice".to_owned(),
            n => format!("{n} times"),
        };
        let what = format!(
            "{} '{}'{place} is defined {times}: lines {} and {last}",
            r.kind,
            r.name,
            before.join(", "),
        );
        Some(Finding::new(Check::Twice, r.lines.last().copied(), what))
    };
    let new = result.facts.repeated.iter().filter(known);
    new.filter_map(finding).collect()
}

/// Brackets that do not balance in a result though they do in all its versions: for files that no
/// parser is known for.
///
/// ```
/// use armistice_core::bracket_findings;
/// let found = bracket_findings(&"a (\nb\n".into(), &[&"a (b)\n".into()]);
/// assert_eq!(found[0].line.unwrap().number(), 1);
/// ```
pub fn bracket_findings(result: &Source, versions: &[&Source]) -> Vec<Finding> {
    let quotes = odd_quotes(result, versions);
    if versions.iter().any(|text| unbalanced(text).is_some()) {
        return quotes.into_iter().collect();
    }
    let finding = |(line, sign): (LineIdx, char)| {
        let what = format!("'{sign}' has no matching bracket; every version is balanced");
        Finding::new(Check::Syntax, Some(line), what).in_text(result)
    };
    unbalanced(result)
        .map(finding)
        .into_iter()
        .chain(quotes)
        .collect()
}

/// A line with an odd number of quotes, where no line of any version has one. Apostrophes are left
/// out: they stand alone in every other sentence.
fn odd_quotes(result: &Source, versions: &[&Source]) -> Option<Finding> {
    let odd = |text: &Source, quote: u8| {
        let lines = text.all().iter().zip(text.lines(text.all()));
        let mut odd = lines.filter(|(_, line)| {
            let signs = line.content().iter();
            signs.filter(|sign| **sign == quote).count() % 2 == 1
        });
        odd.next().map(|(at, _)| at)
    };
    let of = |quote: u8| {
        let at = odd(result, quote)?;
        if versions.iter().any(|text| odd(text, quote).is_some()) {
            return None;
        }
        let sign = char::from(quote);
        let what = format!("an odd number of {sign} on this line, unlike in every version");
        Some(Finding::new(Check::Syntax, Some(at), what).in_text(result))
    };
    of(b'"').or_else(|| of(b'`'))
}

/// The first bracket without a counterpart.
fn unbalanced(text: &Source) -> Option<(LineIdx, char)> {
    let mut open: Vec<(LineIdx, u8)> = Vec::new();
    for (at, line) in text.all().iter().zip(text.lines(text.all())) {
        for sign in line.content() {
            match sign {
                b'(' | b'[' | b'{' => open.push((at, *sign)),
                b')' | b']' | b'}' => {
                    let fits =
                        |o: u8| matches!((o, sign), (b'(', b')') | (b'[', b']') | (b'{', b'}'));
                    match open.pop() {
                        Some((_, o)) if fits(o) => {}
                        _ => return Some((at, *sign as char)),
                    }
                }
                _ => {}
            }
        }
    }
    open.pop().map(|(at, sign)| (at, sign as char))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn facts(errors: &[u32], repeated: &[(&str, &[u32])]) -> SyntaxFacts {
        let error = |line: &u32| SyntaxError {
            line: LineIdx(*line),
            column: 0,
            missing: None,
        };
        let of = |(name, lines): &(&str, &[u32])| Repeated {
            kind: "key",
            name: (*name).to_owned(),
            path: vec!["berths".to_owned()],
            lines: lines.iter().copied().map(LineIdx).collect(),
        };
        SyntaxFacts {
            errors: errors.iter().map(error).collect(),
            repeated: repeated.iter().map(of).collect(),
        }
    }

    #[test]
    fn only_what_no_version_has_is_new() {
        let text = Source::from("a\nb\nc\n");
        let parsed = |facts| Parsed { text: &text, facts };
        let (known, both) = (facts(&[0], &[]), facts(&[0, 2], &[]));
        let lines = |found: Vec<Finding>| {
            found
                .iter()
                .map(|f| f.line.unwrap().number())
                .collect::<Vec<_>>()
        };
        assert_eq!(
            lines(syntax_findings(parsed(&both), &[parsed(&known)])),
            [3]
        );
        assert_eq!(syntax_findings(parsed(&both), &[parsed(&both)]), []);
        let (once, twice) = (
            facts(&[], &[("a", &[0, 1])]),
            facts(&[], &[("a", &[0, 1, 2])]),
        );
        assert_eq!(syntax_findings(parsed(&once), &[parsed(&twice)]), []);
        let found = syntax_findings(parsed(&twice), &[parsed(&once)]);
        assert_eq!(
            found[0].what,
            "key 'a' in 'berths' is defined 3 times: lines 1, 2 and 3"
        );
    }

    #[test]
    fn brackets_are_counted_where_they_balance_in_all_versions() {
        let odd = Source::from(":-) (a\n");
        assert_eq!(bracket_findings(&odd, &[&odd]), []);
        let found = bracket_findings(&"(\n]\n".into(), &[&"()\n".into()]);
        assert_eq!(found[0].line, Some(LineIdx(1)));
    }

    #[test]
    fn a_quote_that_no_version_leaves_alone_is_found_where_no_parser_is_known() {
        let found = |result: &str, versions: &[&str]| {
            let versions: Vec<Source> = versions.iter().map(|text| (*text).into()).collect();
            let versions: Vec<&Source> = versions.iter().collect();
            let found = bracket_findings(&result.into(), &versions);
            found.first().and_then(|f| f.line).map(LineIdx::number)
        };
        let right = "say \"moor\"\nit's `low`\n";
        assert_eq!(found(right, &[right]), None);
        assert_eq!(found("say \"moor\"\nsay \"low\n", &[right]), Some(2));
        assert_eq!(found("it's `low\n", &[right]), Some(1));
        // Texts that do so themselves say nothing.
        assert_eq!(found("say \"low\n", &[right, "5\" pipes\n"]), None);
    }
}
