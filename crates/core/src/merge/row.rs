//! Merging one row three ways: indentation, words, trailing whitespace and line end each on their own.
//!
//! Not here: which rows belong together (`row_edits`), the order of rows (`rows`).

use crate::merge::import_list::merge_import_list;
use crate::merge::stats::{Clash, MergeStats};
use crate::merge::tokens::merge_tokens;
use crate::text::source::Line;
use crate::text::tokens::{is_name, solid_tokens};
use std::collections::HashMap;

/// A row that both sides changed, merged.
pub(crate) struct MergedRow {
    pub(crate) text: Vec<u8>,
    /// How many unchanged words stand between a change of ours and one of theirs, at the least;
    /// `None` if at most one side changed words.
    pub(crate) gap: Option<usize>,
}

/// Merges a row of base with the rows it became on each side; counts in `stats` what that took.
///
/// # Errors
/// [`Clash::Words`] if both sides changed the same words.
pub(crate) fn merge_row(
    (b, o, t): (Line<'_>, Line<'_>, Line<'_>),
    stats: &mut MergeStats,
) -> Result<MergedRow, Clash> {
    let mut out = component(stats, b.indent(), o.indent(), t.indent()).to_vec();
    let trailing = component(stats, b.trailing(), o.trailing(), t.trailing());
    let end = component(stats, b.end().bytes(), o.end().bytes(), t.end().bytes());
    let (wb, wo, wt) = (b.trimmed(), o.trimmed(), t.trimmed());
    let gap = if wo == wt || wt == wb {
        out.extend_from_slice(wo);
        None
    } else if wo == wb {
        out.extend_from_slice(wt);
        None
    } else {
        let (words, gap) = words((b, o, t), stats)?;
        out.extend_from_slice(&words);
        stats.gap = [stats.gap, gap].into_iter().flatten().min();
        gap
    };
    out.extend_from_slice(trailing);
    out.extend_from_slice(end);
    Ok(MergedRow { text: out, gap })
}

/// Blanks of one place merged three ways; those of ours where both changed them.
fn component<'l>(stats: &mut MergeStats, b: &'l [u8], o: &'l [u8], t: &'l [u8]) -> &'l [u8] {
    if o == t || t == b {
        o
    } else if o == b {
        t
    } else {
        stats.whitespace_clashes += 1;
        o
    }
}

/// Merges the words of a row that both sides changed; the gap as in [`MergedRow`].
fn words(
    (b, o, t): (Line<'_>, Line<'_>, Line<'_>),
    stats: &mut MergeStats,
) -> Result<(Vec<u8>, Option<usize>), Clash> {
    let (wb, wo, wt) = (b.trimmed(), o.trimmed(), t.trimmed());
    let Some(merged) = merge_tokens(wb, wo, wt) else {
        let list = merge_import_list(b, o, t).ok_or(Clash::Words)?;
        stats.import_lists += 1;
        return Ok((list.words, (!list.sure).then_some(0)));
    };
    stats.numbers += usize::from(renumbered(wb, wo) && renumbered(wb, wt));
    stats.whitespace_clashes += merged.whitespace_clashes;
    stats.doubled_names += usize::from(doubles_a_name((wb, wo, wt), &merged.text));
    Ok((merged.text, merged.gap))
}

/// Whether a change of words is one of numbers too.
fn renumbered(base: &[u8], side: &[u8]) -> bool {
    let numbers = |line| -> Vec<&[u8]> {
        let words = solid_tokens(line);
        words.filter(|w| w.iter().any(u8::is_ascii_digit)).collect()
    };
    numbers(base) != numbers(side)
}

/// Whether a row has a name more often than either side, which both brought into it.
fn doubles_a_name((base, ours, theirs): (&[u8], &[u8], &[u8]), text: &[u8]) -> bool {
    // How often each name is in base, ours, theirs and the text.
    let mut times: HashMap<&[u8], [usize; 4]> = HashMap::new();
    for (nth, line) in [base, ours, theirs, text].into_iter().enumerate() {
        let names = solid_tokens(line).filter(|word| word.len() > 1 && is_name(word));
        names.for_each(|name| times.entry(name).or_default()[nth] += 1);
    }
    times.values().any(|[base, ours, theirs, text]| {
        *base == 0 && *ours > 0 && *theirs > 0 && text > ours.max(theirs)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn check(rows: [&str; 3], expected: Result<(&str, Option<usize>), Clash>) -> MergeStats {
        let mut stats = MergeStats::default();
        let [b, o, t] = rows.map(|row| Line::new(row.as_bytes()));
        let merged = merge_row((b, o, t), &mut stats);
        let merged = merged.map(|row| (String::from_utf8(row.text).unwrap(), row.gap));
        assert_eq!(
            merged,
            expected.map(|(text, gap)| (text.to_owned(), gap)),
            "{rows:?}"
        );
        stats
    }

    #[test]
    fn indentation_words_and_line_end_are_merged_apart() {
        let rows = ["  moor(ship)\n", "    moor(ship)\n", "  moor(tug)  \r\n"];
        let stats = check(rows, Ok(("    moor(tug)  \r\n", None)));
        assert_eq!(stats.whitespace_clashes, 0);
    }

    #[test]
    fn two_indentations_are_a_clash_that_ours_wins() {
        let stats = check(
            ["  go()\n", "\tgo()\n", "    go()\n"],
            Ok(("\tgo()\n", None)),
        );
        assert_eq!(stats.whitespace_clashes, 1);
    }

    #[test]
    fn different_words_are_merged_and_the_same_ones_clash() {
        let stats = check(
            ["moor(a, b)\n", "moor(x, b)\n", "moor(a, y)\n"],
            Ok(("moor(x, y)\n", Some(1))),
        );
        assert_eq!((stats.gap, stats.numbers), (Some(1), 0));
        check(["moor(a)\n", "moor(x)\n", "moor(y)\n"], Err(Clash::Words));
    }

    #[test]
    fn numbers_that_both_changed_are_counted() {
        let stats = check(
            ["of 1 to 5\n", "of 2 to 5\n", "of 1 to 6\n"],
            Ok(("of 2 to 6\n", Some(1))),
        );
        assert_eq!(stats.numbers, 1);
    }
}
