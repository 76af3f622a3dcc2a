//! Replacements of words that one side made, made again in lines that the other side added.

use crate::diff::hunk::{Algorithm, TokenHunk};
use crate::diff::search::search_short;
use crate::diff::tokens::TokenText;
use crate::limits::{FORMATTED_ROW_BYTES, SUBSTITUTED_ROWS};
use crate::merge::row_edits::{RowChange, RowEdit};
use crate::text::source::Source;
use crate::text::tokens::is_name;
use imara_diff::Interner;

/// Some words of a line that became others, and the words around them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Substitution {
    before: Vec<u8>,
    from: Vec<Vec<u8>>,
    to: Vec<u8>,
    after: Vec<u8>,
    /// Blanks in front of what came.
    blank: Vec<u8>,
}

impl Substitution {
    /// What turned one line into another.
    pub(crate) fn between(base: &[u8], side: &[u8]) -> Vec<Substitution> {
        if base.len().max(side.len()) > FORMATTED_ROW_BYTES {
            return Vec::new();
        }
        let (base, side) = (TokenText::new(base), TokenText::new(side));
        let mut interner = Interner::new(base.len() * 2 + 8);
        let (b, s) = (base.symbols(&mut interner), side.symbols(&mut interner));
        let word = |at: Option<usize>| {
            let at = at.filter(|at| *at < base.len());
            at.map_or(Vec::new(), |at| base.word(at).to_vec())
        };
        let hunks = search_short(&b, &s, interner.num_tokens(), Algorithm::Myers).into_iter();
        let swap = |h: TokenHunk| {
            let (from, to) = (h.base, h.side);
            Substitution {
                before: word(from.start.checked_sub(1)),
                after: word(Some(from.end)),
                from: from.map(|at| base.word(at).to_vec()).collect(),
                blank: side.blank(to.start).to_vec(),
                to: side.run(to).to_vec(),
            }
        };
        hunks.map(swap).collect()
    }

    /// Whether the name beside which it only puts something stands in a line in other company too: it
    /// may be another thing of that name there.
    fn stands_otherwise(&self, line: &[u8]) -> bool {
        if !self.from.is_empty() {
            return false;
        }
        let words = TokenText::new(line);
        let word = |at: Option<usize>| {
            let at = at.filter(|at| *at < words.len());
            at.map_or(&b""[..], |at| words.word(at))
        };
        let (name, is_after) = match is_name(&self.after) {
            true => (&self.after, true),
            false => (&self.before, false),
        };
        let alone = |at: usize| match is_after {
            true => word(at.checked_sub(1)) != self.before.as_slice(),
            false => word(Some(at + 1)) != self.after.as_slice(),
        };
        is_name(name) && (0..words.len()).any(|at| words.word(at) == name.as_slice() && alone(at))
    }

    /// Whether it takes words out that a line may still use.
    fn names(&self) -> impl Iterator<Item = &[u8]> {
        let names = self.from.iter().map(Vec::as_slice);
        names.filter(|word| (is_name(word) && word.len() > 1) || matches!(*word, b"'" | b"\""))
    }
}

/// Whether a side did nothing but put the same words into several lines.
pub(crate) fn is_pattern(substitutions: &[Substitution]) -> bool {
    let alike = |s: &Substitution| s.from.is_empty() && s.to == substitutions[0].to;
    substitutions.len() > 1 && substitutions.iter().all(alike)
}

/// What a new line looks like after the other side's changes of words.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Replayed {
    /// It holds nothing that the other side changed.
    Untouched,
    /// It holds words that the other side changed, here put right.
    Rewritten(Vec<u8>),
    /// It holds words that the other side changed elsewhere in other company.
    Outdated,
}

/// Does to a line what the substitutions did to theirs.
pub(crate) fn replay(substitutions: &[Substitution], line: &[u8]) -> Replayed {
    let often = |swap: &Substitution| {
        let alike = |s: &&Substitution| s.from == swap.from && s.to == swap.to;
        swap.names().next().is_some() && substitutions.iter().filter(alike).count() > 1
    };
    let (mut text, mut renewed) = (line.to_vec(), false);
    let mut done: Vec<&Substitution> = Vec::new();
    for swap in substitutions {
        if done.iter().any(|d| d.from == swap.from && d.to == swap.to) {
            continue;
        }
        let alone = often(swap);
        if let Some(next) = substitute_in(swap, &text, alone) {
            if swap.stands_otherwise(&text) {
                return Replayed::Outdated;
            }
            (text, renewed) = (next, true);
            done.push(swap);
        }
    }
    let words = TokenText::new(&text);
    let stale = |swap: &Substitution| {
        swap.names().any(|name| {
            (0..words.len()).any(|at| words.word(at) == name)
                && !swap.to.windows(name.len()).any(|w| w == name)
        })
    };
    match () {
        () if substitutions.iter().any(stale) => Replayed::Outdated,
        () if renewed => Replayed::Rewritten(text),
        () => Replayed::Untouched,
    }
}

/// The line with one swap made wherever its words stand in the same company.
fn substitute_in(swap: &Substitution, line: &[u8], alone: bool) -> Option<Vec<u8>> {
    let words = TokenText::new(line);
    let matches = |at: usize| {
        let run = swap.from.iter().enumerate();
        let mut all =
            run.map(|(n, word)| at + n < words.len() && words.word(at + n) == word.as_slice());
        let before = at.checked_sub(1).map_or(b"".as_slice(), |i| words.word(i));
        let after = at + swap.from.len();
        let after = if after < words.len() {
            words.word(after)
        } else {
            b""
        };
        let company = before == swap.before.as_slice() && after == swap.after.as_slice();
        // An insertion, or a sign, means something only between named words.
        let known = is_name(&swap.before) || is_name(&swap.after) || swap.names().next().is_some();
        all.all(|same| same) && ((company && known) || (alone && !swap.from.is_empty()))
    };
    let (mut out, mut at, mut hit) = (Vec::new(), 0, false);
    while at <= words.len() {
        if matches(at) && at < words.len() + usize::from(swap.from.is_empty()) {
            hit = true;
            if !swap.to.is_empty() {
                let own = if swap.from.is_empty() {
                    &swap.blank[..]
                } else {
                    words.blank(at)
                };
                out.extend_from_slice(own);
                out.extend_from_slice(&swap.to);
            }
            at += swap.from.len();
            if swap.from.is_empty() && at <= words.len() {
                out.extend_from_slice(words.blank(at));
                out.extend_from_slice(words.word(at));
                at += 1;
            }
            continue;
        }
        out.extend_from_slice(words.blank(at));
        out.extend_from_slice(words.word(at));
        at += 1;
    }
    hit.then_some(out)
}

/// The changes of words that a side made, row by row.
pub(crate) fn substitutions(
    base: &Source,
    side: &Source,
    row_edits: &[RowEdit],
) -> Vec<Substitution> {
    let worded = |edit: &&RowEdit| {
        matches!(
            edit,
            RowEdit::Keep(_, _, RowChange::Formatting | RowChange::Wording)
        )
    };
    let rows = row_edits.iter().filter(worded).take(SUBSTITUTED_ROWS);
    let of = |edit: &RowEdit| match *edit {
        RowEdit::Keep(b, s, _) => {
            Substitution::between(base.line(b).trimmed(), side.line(s).trimmed())
        }
        _ => Vec::new(),
    };
    rows.flat_map(of).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_the_other_side_did_to_like_words_is_done_to_a_new_line() {
        let substitutions = |pairs: &[(&str, &str)]| -> Vec<Substitution> {
            let of = |(a, b): &(&str, &str)| Substitution::between(a.as_bytes(), b.as_bytes());
            pairs.iter().flat_map(of).collect()
        };
        let renewed = |pairs: &[(&str, &str)], line: &str| match replay(
            &substitutions(pairs),
            line.as_bytes(),
        ) {
            Replayed::Rewritten(text) => String::from_utf8(text).unwrap(),
            other => format!("{other:?}"),
        };
        let cursor = [("return new Tide(this, options);", "return new Tide(this);")];
        assert_eq!(
            renewed(&cursor, "(new Tide(this, options)).log();"),
            "(new Tide(this)).log();"
        );
        let args = [("moor(ship, berth)", "moor(ship, berth, tide)")];
        assert_eq!(
            renewed(&args, "if (moor(tug, berth)) {"),
            "if (moor(tug, berth, tide)) {"
        );
        let style = [
            ("var a = 1;", "const a = 1;"),
            ("var b = 2;", "const b = 2;"),
        ];
        assert_eq!(renewed(&style, "var c = 3;"), "const c = 3;");
        assert_eq!(renewed(&style[..1], "var c = 3;"), "Outdated");
        assert_eq!(renewed(&style, "let d = 4;"), "Untouched");
    }
}
