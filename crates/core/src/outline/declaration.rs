//! What a text declares, nested as its language nests it.
//!
//! Not here: how declarations are found (the syntax crate, or `indented` where no parser is known).

use crate::text::lines::{LineIdx, LineRange};
use std::sync::Arc;

/// A function, a type, a key, a section: something with a name that takes whole lines.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Declaration {
    /// What a person calls it: "function", "class", "key", "section", …
    pub kind: &'static str,
    /// What it is called; may be empty.
    pub name: String,
    /// What tells those of one name apart: parameters, receiver; may be empty.
    pub signature: String,
    /// All its lines, those of its leading comments and attributes included.
    pub lines: LineRange,
    /// The line in which it itself begins, behind its comments and attributes.
    pub starts: LineIdx,
    /// What is declared inside of it, in order.
    pub inner: Vec<Declaration>,
}

impl Declaration {
    /// Its kind and its name, for people: "function moor".
    pub fn title(&self) -> String {
        match self.name.is_empty() {
            true => self.kind.to_owned(),
            false => format!("{} {}", self.kind, self.name),
        }
    }
}

/// The declarations of a text. A copy costs nothing.
///
/// ```
/// use armistice_core::{Declaration, LineIdx, LineRange, Outline};
/// let moor = Declaration {
///     kind: "function",
///     name: "moor".to_owned(),
///     signature: String::new(),
///     lines: LineRange::new(0, 3),
///     starts: LineIdx(1),
///     inner: Vec::new(),
/// };
/// let outline = Outline::new(vec![moor], 5, true);
/// assert_eq!(outline.at(LineIdx(2))[0].title(), "function moor");
/// assert!(outline.at(LineIdx(4)).is_empty());
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Outline {
    /// In order; no two share a line, and what is inside of one lies behind its first line.
    declarations: Arc<[Declaration]>,
    /// Whether a parser found them; else they are read by indentation.
    parsed: bool,
    /// How many places made no sense to the parser.
    errors: usize,
}

impl Outline {
    /// An outline of a text of `lines` lines.
    ///
    /// Declarations that share a line become one; what does not lie within its text, or begins in the
    /// first line of what it stands in, is left out.
    pub fn new(declarations: Vec<Declaration>, lines: usize, parsed: bool) -> Self {
        Outline {
            declarations: settled(declarations, LineRange::from(0..lines)).into(),
            parsed,
            errors: 0,
        }
    }

    /// The same, of a text with some places that made no sense to the parser.
    pub fn with_errors(self, errors: usize) -> Self {
        Outline { errors, ..self }
    }

    /// How many places of the text made no sense to the parser: what stands there may be missing here.
    pub fn errors(&self) -> usize {
        self.errors
    }

    /// The outermost ones, in order.
    pub fn declarations(&self) -> &[Declaration] {
        &self.declarations
    }

    /// Whether a parser found them.
    pub fn is_parsed(&self) -> bool {
        self.parsed
    }

    /// The declarations that a line stands in, outermost first.
    pub fn at(&self, line: LineIdx) -> Vec<&Declaration> {
        let mut out = Vec::new();
        let mut here = self.declarations();
        loop {
            let nth = here.partition_point(|d| d.lines.end <= line);
            match here.get(nth).filter(|d| d.lines.contains(line)) {
                Some(found) => {
                    out.push(found);
                    here = &found.inner;
                }
                None => return out,
            }
        }
    }

    /// All of them with how deep they stand, in the order of the text.
    pub fn flat(&self) -> Vec<(usize, &Declaration)> {
        let mut out = Vec::new();
        let mut stack: Vec<(usize, &Declaration)> = Vec::new();
        stack.extend(self.declarations.iter().rev().map(|d| (0, d)));
        while let Some((depth, declaration)) = stack.pop() {
            out.push((depth, declaration));
            stack.extend(declaration.inner.iter().rev().map(|d| (depth + 1, d)));
        }
        out
    }
}

/// The declarations that tile lines of `within`, in order.
fn settled(mut declarations: Vec<Declaration>, within: LineRange) -> Vec<Declaration> {
    declarations.retain(|d| {
        let lines = d.lines;
        !lines.is_empty() && lines.start >= within.start && lines.end <= within.end
    });
    declarations.sort_by_key(|d| (d.lines.start, std::cmp::Reverse(d.lines.end)));
    let mut out: Vec<Declaration> = Vec::with_capacity(declarations.len());
    for declaration in declarations {
        match out.last_mut() {
            Some(last) if declaration.lines.start < last.lines.end => {
                if declaration.lines.end > last.lines.end {
                    last.lines.end = declaration.lines.end;
                    last.inner.clear();
                }
            }
            _ => out.push(declaration),
        }
    }
    for declaration in &mut out {
        let starts = declaration.starts.max(declaration.lines.start);
        declaration.starts = starts;
        let inside = LineRange::new(starts.0 + 1, declaration.lines.end.0);
        declaration.inner = settled(std::mem::take(&mut declaration.inner), inside);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn named(name: &str, lines: std::ops::Range<u32>, inner: Vec<Declaration>) -> Declaration {
        Declaration {
            kind: "function",
            name: name.to_owned(),
            signature: String::new(),
            lines: LineRange::new(lines.start, lines.end),
            starts: LineIdx(lines.start),
            inner,
        }
    }

    fn names(declarations: &[Declaration]) -> Vec<(&str, LineRange)> {
        declarations
            .iter()
            .map(|d| (d.name.as_str(), d.lines))
            .collect()
    }

    #[test]
    fn those_that_share_a_line_become_one_and_what_lies_outside_is_left_out() {
        let all = vec![
            named(
                "c",
                5..9,
                vec![named("d", 5..6, Vec::new()), named("e", 6..8, Vec::new())],
            ),
            named("a", 0..3, vec![named("x", 1..2, Vec::new())]),
            named("b", 2..4, Vec::new()),
            named("far", 9..12, Vec::new()),
        ];
        let outline = Outline::new(all, 10, true);
        let outer = [("a", LineRange::new(0, 4)), ("c", LineRange::new(5, 9))];
        assert_eq!(names(outline.declarations()), outer);
        assert_eq!(names(&outline.declarations()[0].inner), []);
        assert_eq!(
            names(&outline.declarations()[1].inner),
            [("e", LineRange::new(6, 8))]
        );
        let at: Vec<_> = outline.at(LineIdx(7)).iter().map(|d| d.title()).collect();
        assert_eq!(at, ["function c", "function e"]);
        let flat: Vec<_> = outline
            .flat()
            .iter()
            .map(|(n, d)| (*n, d.name.clone()))
            .collect();
        assert_eq!(flat, [(0, "a".into()), (0, "c".into()), (1, "e".into())]);
    }
}
