//! Finds out whether all changes of a side are one and the same replacement.

use crate::diff::tokens::TokenDiff;
use crate::limits::FORMULA_CALLS;
use crate::model::side::Side;
use crate::text::tokens::{is_name, solid_tokens, token_ranges};
use std::ops::Range;

/// A change that is one replacement throughout: the words replaced, the words in their place, and how often.
///
/// ```
/// use armistice_core::Formula;
/// let formula = Formula::of(b"moor(ship); log(ship);", b"moor(tug); log(tug);").unwrap();
/// assert_eq!((formula.from.as_slice(), formula.times), (&b"ship"[..], 2));
/// assert_eq!(formula.replay(b"pay(ship);").0, b"pay(tug);");
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Formula {
    /// The words replaced; empty if arguments were added to calls.
    pub from: Vec<u8>,
    /// The words in their place.
    pub to: Vec<u8>,
    /// The name of the function called, if arguments were added to calls.
    pub call: Option<Vec<u8>>,
    /// How many places were replaced.
    pub times: usize,
}

impl Formula {
    /// The formula that turns `base` into `side`, if one does: every place that could be replaced was.
    pub fn of(base: &[u8], side: &[u8]) -> Option<Self> {
        let changes = TokenDiff::new(base, side, base)?.changes(Side::Ours);
        Self::out_of(&changes, base, side)
    }

    /// The same out of the runs of words that changed.
    pub(crate) fn out_of(changes: &[(&[u8], &[u8])], base: &[u8], side: &[u8]) -> Option<Self> {
        let (from, to) = changes.first().map(|(a, b)| (a.to_vec(), b.to_vec()))?;
        let one = changes.iter().all(|(a, b)| *a == from && *b == to);
        let formula = Formula {
            from,
            to,
            call: None,
            times: changes.len(),
        };
        if one && formula.from.is_empty() && formula.to.starts_with(b",") {
            return formula.of_calls(base, side);
        }
        let named = is_name(&formula.from) && formula.from.len() > 1 && !formula.to.is_empty();
        (one && named && formula.replay(base).0 == side).then_some(formula)
    }

    /// The same as an argument added to every call of one name.
    fn of_calls(self, base: &[u8], side: &[u8]) -> Option<Self> {
        let cells = token_ranges(base);
        let mut names: Vec<&[u8]> = Vec::new();
        for pair in cells.windows(2) {
            let (name, next) = (&base[pair[0].clone()], &base[pair[1].clone()]);
            if next == b"("
                && is_name(name)
                && !names.contains(&name)
                && names.len() < FORMULA_CALLS
            {
                names.push(name);
            }
        }
        names.into_iter().find_map(|name| {
            let call = Some(name.to_vec());
            let formula = Formula {
                call,
                ..self.clone()
            };
            (formula.replay(base).0 == side).then_some(formula)
        })
    }

    /// `text` with its words put before the end of every call of `name`.
    fn extend_calls(&self, name: &[u8], text: &[u8]) -> (Vec<u8>, usize) {
        let cells = token_ranges(text);
        let word = |at: usize| {
            cells
                .get(at)
                .map_or(&b""[..], |r: &Range<usize>| &text[r.clone()])
        };
        // For each bracket that is open, whether it is that of such a call.
        let (mut open, mut out, mut times) = (Vec::new(), Vec::new(), 0);
        for at in 0..cells.len() {
            match word(at) {
                b"(" => open.push(at > 0 && word(at - 1) == name),
                b")" if open.pop() == Some(true) => {
                    out.extend_from_slice(&self.to);
                    times += 1;
                }
                _ => {}
            }
            out.extend_from_slice(word(at));
        }
        (out, times)
    }

    /// `text` with every place replaced, and how many there were.
    pub fn replay(&self, text: &[u8]) -> (Vec<u8>, usize) {
        if let Some(name) = &self.call {
            return self.extend_calls(name, text);
        }
        let cells: Vec<_> = token_ranges(text);
        let wanted: Vec<&[u8]> = token_ranges(&self.from)
            .into_iter()
            .map(|r| &self.from[r])
            .collect();
        let (mut out, mut at, mut times) = (Vec::new(), 0, 0);
        while at < cells.len() {
            let run = cells.get(at..at + wanted.len());
            if run.is_some_and(|run| run.iter().zip(&wanted).all(|(r, w)| text[r.clone()] == **w)) {
                out.extend_from_slice(&self.to);
                at += wanted.len();
                times += 1;
            } else {
                out.extend_from_slice(&text[cells[at].clone()]);
                at += 1;
            }
        }
        (out, times)
    }

    /// Whether arguments can be added to all calls of a text as it is laid out.
    pub(crate) fn fits(&self, text: &[u8]) -> bool {
        let broken = |bytes: &[u8]| bytes.contains(&b'\n');
        let (longer, times) = self.replay(text);
        let lines = text
            .split(|b| *b == b'\n')
            .zip(longer.split(|b| *b == b'\n'));
        let new: Vec<_> = lines.filter(|(a, b)| a != b).collect();
        // A call that ends in a line of its own, or has the arguments already.
        let open = |line: &[u8]| {
            let line = line.trim_ascii_start();
            line.starts_with(b")") || line.windows(self.to.len()).any(|w| w == self.to)
        };
        times > 0 && !broken(&self.to) && !new.iter().any(|(line, _)| open(line))
    }

    /// Whether what was replaced is still there, with something added.
    pub(crate) fn only_adds(&self) -> bool {
        solid_tokens(&self.to).any(|word| word == self.from)
    }

    /// Whether its words stand beside the same words in both texts.
    pub(crate) fn in_company(&self, base: &[u8], other: &[u8]) -> bool {
        let company = |text: &[u8]| -> Vec<(Vec<u8>, Vec<u8>)> {
            let cells: Vec<&[u8]> = solid_tokens(text).collect();
            let wanted: Vec<&[u8]> = solid_tokens(&self.from).collect();
            let word = |at: Option<usize>| {
                let word = at.and_then(|at| cells.get(at));
                word.map_or(Vec::new(), |w| w.to_vec())
            };
            let stands = (0..cells.len()).filter(|at| cells[*at..].starts_with(&wanted));
            stands
                .map(|at| (word(at.checked_sub(1)), word(Some(at + wanted.len()))))
                .collect()
        };
        let known = company(base);
        company(other).iter().all(|(before, after)| {
            // A sign stands beside many words.
            let like = |(b, a): &(Vec<u8>, Vec<u8>)| {
                let (front, back) = (b == before, a == after);
                front && (back || is_name(b)) || back && is_name(a)
            };
            known.iter().any(like)
        })
    }

    /// It in words: "`pop` → `pop_front`, 3 times".
    pub fn describe(&self) -> String {
        let times = match self.times {
            1 => "once".to_owned(),
            n => format!("{n} times"),
        };
        let (from, to) = (
            String::from_utf8_lossy(&self.from),
            String::from_utf8_lossy(&self.to),
        );
        if let Some(call) = &self.call {
            let call = String::from_utf8_lossy(call);
            return format!("`{call}(…)` → `{call}(…{to})`, {times}");
        }
        format!("`{from}` → `{to}`, {times}")
    }
}
