//! Three-way merging over words and the blanks between them.
//!
//! A text is a run of words, each with the blanks (line ends included) in
//! front of it. Words are merged three ways by position; the blanks in front
//! of a word that stays are merged three ways on their own. So one side may
//! re-wrap a statement while the other changes its words.

use crate::diff::hunk::TokenHunk;
use crate::diff::tokens::{TokenDiff, TokenText};
use crate::model::side::{PerSide, Side};
use crate::text::tokens::is_name;
use std::borrow::Cow;
use std::cell::OnceCell;
use std::collections::HashMap;
use std::ops::Range;

/// What both sides' words give together.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct MergedTokens {
    pub(crate) text: Vec<u8>,
    /// Fewest unchanged words between a change of ours and one of theirs;
    /// `None` if only one side changed words.
    pub(crate) gap: Option<usize>,
    /// Blanks that both sides changed, each its own way; ours were kept.
    pub(crate) whitespace_clashes: usize,
}

/// Merges three texts word by word; `None` where both sides changed the same words
/// or put words in at the same place.
pub(crate) fn merge_tokens(base: &[u8], ours: &[u8], theirs: &[u8]) -> Option<MergedTokens> {
    let TokenDiff {
        base, sides, hunks, ..
    } = TokenDiff::new(base, ours, theirs)?;
    let hunks = hunks.map(|hunks| joined(&base, hunks));
    let merger = TokenMerger {
        base: &base,
        sides: &sides,
        hunks: &hunks,
        layouts: PerSide::default(),
        at: 0,
        at_side: PerSide::new(0, 0),
        ended: PerSide::default(),
        follow: None,
        out: MergedTokens {
            text: Vec::new(),
            gap: None,
            whitespace_clashes: 0,
        },
    };
    merger.merge()
}

/// Changes parted by nothing but signs are one: the signs match by accident.
fn joined(base: &TokenText<'_>, changes: Vec<TokenHunk>) -> Vec<TokenHunk> {
    let mut out: Vec<TokenHunk> = Vec::new();
    for change in changes {
        if let Some(last) = out.last_mut() {
            let between = last.base.end..change.base.start;
            let solid = between.clone().any(|at| is_name(base.word(at)));
            let rewritten = |c: &TokenHunk| !c.base.is_empty() && !c.side.is_empty();
            if !solid && between.len() <= 2 && (rewritten(last) && rewritten(&change)) {
                last.base.end = change.base.end;
                last.side.end = change.side.end;
                continue;
            }
        }
        out.push(change);
    }
    out
}

/// A word and the blanks behind it.
type Spot<'a> = (&'a [u8], &'a [u8]);

/// The blanks in front of base words that a side kept together with the word before, and what it
/// made of them: the word before, the blank of base, the blank of the side.
fn kept_blanks<'a>(
    base: &TokenText<'a>,
    side: &TokenText<'a>,
    hunks: &[TokenHunk],
) -> Vec<(&'a [u8], &'a [u8], &'a [u8])> {
    let mut kept = Vec::with_capacity(base.len());
    let mut shift = 0isize;
    let mut hunks = hunks.iter().peekable();
    for at in 0..base.len() {
        let mut whole = at > 0;
        while let Some(hunk) = hunks.next_if(|h| h.base.end <= at) {
            shift = hunk.side.end as isize - hunk.base.end as isize;
            whole &= hunk.base.end < at;
        }
        if !whole || hunks.peek().is_some_and(|h| h.base.start <= at) {
            continue;
        }
        let (old, new) = (base.blank(at), side.blank((at as isize + shift) as usize));
        // Rows left blank part some lines from others and say nothing about the rest.
        let breaks_of = |blank: &[u8]| blank.iter().filter(|b| **b == b'\n').count();
        if breaks_of(new) <= 1.max(breaks_of(old)) {
            kept.push((base.word(at - 1), old, new));
        }
    }
    kept
}

/// What a side made of the blanks between words that it left as they were.
#[derive(Default)]
struct Layout<'a> {
    /// By the word in front and the blank of base; `None` where it made several things of one.
    after: HashMap<Spot<'a>, Option<&'a [u8]>>,
    /// By the blank of base alone, for blanks that break a line.
    breaks: HashMap<&'a [u8], Option<&'a [u8]>>,
}

impl<'a> Layout<'a> {
    fn new(base: &TokenText<'a>, side: &TokenText<'a>, hunks: &[TokenHunk]) -> Self {
        let kept = kept_blanks(base, side, hunks);
        // Where no blank was changed, every blank stays as it is: there is nothing to look up.
        if kept.iter().all(|(_, old, new)| old == new) {
            return Layout::default();
        }
        let mut layout = Layout::default();
        for (word, old, new) in kept {
            let one = |known: &mut Option<&'a [u8]>| {
                if *known != Some(new) {
                    *known = None;
                }
            };
            let after = layout.after.entry((word, old));
            after.and_modify(one).or_insert(Some(new));
            if old.contains(&b'\n') {
                let breaks = layout.breaks.entry(old);
                breaks.and_modify(one).or_insert(Some(new));
            }
        }
        layout
    }

    /// What this side would make of a blank behind a word; `None` if nobody can tell.
    fn of<'b>(&'b self, word: &[u8], blank: &'b [u8]) -> Option<Cow<'b, [u8]>> {
        let broken = blank.contains(&b'\n');
        match self.after.get(&(word, blank)) {
            Some(Some(new)) => return Some(Cow::Borrowed(new)),
            // It broke some lines there and left others: no reason to break this one.
            _ if !broken => return Some(Cow::Borrowed(blank)),
            _ => {}
        }
        match self.breaks.get(blank) {
            Some(known) => known.map(Cow::Borrowed),
            None => self.shifted(blank),
        }
    }

    /// A blank with a line break, indented by as much as all others were.
    fn shifted<'b>(&self, blank: &'b [u8]) -> Option<Cow<'b, [u8]>> {
        let mut all = self.breaks.iter();
        let (old, new) = match all.next() {
            None => return Some(Cow::Borrowed(blank)),
            Some((old, new)) => (*old, (*new)?),
        };
        let apply = |text: &[u8]| -> Option<Vec<u8>> {
            let new = match (new.strip_prefix(old), old.strip_prefix(new)) {
                (Some(more), _) => [text, more].concat(),
                (_, Some(less)) => text.strip_suffix(less)?.to_vec(),
                _ => return None,
            };
            Some(new)
        };
        let alike = all.all(|(old, new)| apply(old).as_deref() == *new);
        alike.then(|| apply(blank)).flatten().map(Cow::Owned)
    }
}

struct TokenMerger<'a, 'b> {
    base: &'b TokenText<'a>,
    sides: &'b PerSide<TokenText<'a>>,
    hunks: &'b PerSide<Vec<TokenHunk>>,
    /// What each side made of the blanks of base, found out when it is first asked for.
    layouts: PerSide<OnceCell<Layout<'a>>>,
    /// Next word of base.
    at: usize,
    /// Next word of each side.
    at_side: PerSide<usize>,
    /// Where the last change of each side ended in base.
    ended: PerSide<Option<usize>>,
    /// The blanks that must follow what was put in.
    follow: Option<&'a [u8]>,
    out: MergedTokens,
}

impl<'a, 'b> TokenMerger<'a, 'b> {
    fn merge(mut self) -> Option<MergedTokens> {
        let hunks = self.hunks;
        let mut next = PerSide::new(0, 0);
        loop {
            let (o, t) = (hunks.ours.get(next.ours), hunks.theirs.get(next.theirs));
            let first = match (o, t) {
                (None, None) => break,
                (Some(_), None) => Side::Ours,
                (None, Some(_)) => Side::Theirs,
                (Some(o), Some(t)) if self.is_same(o, t) => {
                    self.kept_until(o.base.start);
                    self.same_change(o, t);
                    next = PerSide::new(next.ours + 1, next.theirs + 1);
                    continue;
                }
                (Some(o), Some(t)) if clash(o, t) => {
                    let used =
                        self.reconcile(&hunks.ours[next.ours..], &hunks.theirs[next.theirs..])?;
                    next = PerSide::new(next.ours + used.ours, next.theirs + used.theirs);
                    continue;
                }
                (Some(o), Some(t)) => {
                    match (o.base.start, o.base.end) < (t.base.start, t.base.end) {
                        true => Side::Ours,
                        false => Side::Theirs,
                    }
                }
            };
            let hunk = &hunks[first][next[first]];
            if let Some(end) = self.ended[first.other()] {
                let gap = hunk.base.start.checked_sub(end)?;
                self.out.gap = Some(self.out.gap.map_or(gap, |g| g.min(gap)));
            }
            self.kept_until(hunk.base.start);
            self.change(first, hunk);
            self.ended[first] = Some(hunk.base.end);
            next[first] += 1;
        }
        self.kept_until(self.base.len());
        self.blanks();
        Some(self.out)
    }

    /// Whether both sides made the same of the same words.
    fn is_same(&self, ours: &TokenHunk, theirs: &TokenHunk) -> bool {
        let run = |side: Side, hunk: &TokenHunk| self.sides[side].run(hunk.side.clone());
        ours.base == theirs.base && run(Side::Ours, ours) == run(Side::Theirs, theirs)
    }

    /// Two changes that get in each other's way, where there is still one answer; how many
    /// changes of each side that used up.
    fn reconcile(&mut self, ours: &[TokenHunk], theirs: &[TokenHunk]) -> Option<PerSide<usize>> {
        let first = PerSide::new(&ours[0], &theirs[0]);
        for side in [Side::Theirs, Side::Ours] {
            // A comma that a formatter puts behind the last of a list stays the last.
            let (comma, more) = (first[side], first[side.other()]);
            if self.is_last_comma(side, comma) && self.is_more(side.other(), more) {
                self.kept_until(first.ours.base.start);
                self.more_before_the_comma(side.other(), more, comma);
                self.ended = first.map(|hunk| Some(hunk.base.end));
                return Some(PerSide::new(1, 1));
            }
        }
        for side in [Side::Theirs, Side::Ours] {
            let small = if side == Side::Ours { theirs } else { ours };
            if let Some(n) = self.held(first[side], small, side.other()) {
                self.larger(side, first[side], &small[n - 1]);
                let mut used = PerSide::new(1, 1);
                used[side.other()] = n;
                return Some(used);
            }
        }
        None
    }

    /// Words that nobody changed, each behind its blanks merged three ways.
    fn kept_until(&mut self, base: usize) {
        while self.at < base {
            self.blanks();
            self.out.text.extend_from_slice(self.base.word(self.at));
            self.at += 1;
            self.at_side = self.at_side.map(|at| at + 1);
        }
    }

    fn blanks(&mut self) {
        if let Some(blank) = self.follow.take() {
            return self.out.text.extend_from_slice(blank);
        }
        let b = self.base.blank(self.at);
        let of = |side: Side| self.sides[side].blank(self.at_side[side]);
        let (o, t) = (of(Side::Ours), of(Side::Theirs));
        let blank = if o == t || t == b {
            o
        } else if o == b {
            t
        } else {
            self.out.whitespace_clashes += 1;
            o
        };
        self.out.text.extend_from_slice(blank);
    }

    /// Both sides made the same of the same words.
    fn same_change(&mut self, ours: &TokenHunk, theirs: &TokenHunk) {
        if !ours.side.is_empty() {
            self.blanks();
            let run = self.sides.ours.run(ours.side.clone());
            self.out.text.extend_from_slice(run);
        }
        self.at = ours.base.end;
        self.at_side = PerSide::new(ours.side.end, theirs.side.end);
        self.ended = PerSide::new(Some(ours.base.end), Some(theirs.base.end));
    }

    /// What one side made of words that the other left as they were.
    fn change(&mut self, by: Side, hunk: &TokenHunk) {
        let other_at = self.at_side[by.other()];
        let (base, other) = (self.base, &self.sides[by.other()]);
        let laid_out_anew =
            (1..hunk.base.len()).any(|n| base.blank(self.at + n) != other.blank(other_at + n));
        if !hunk.side.is_empty() {
            self.put(by, hunk);
        }
        self.out.whitespace_clashes += usize::from(laid_out_anew);
        self.at = hunk.base.end;
        self.at_side[by] = hunk.side.end;
        self.at_side[by.other()] += hunk.base.len();
    }

    /// New words of a side.
    ///
    /// The blanks in front, and those behind where they are not the usual outcome: what the
    /// other side did to the blanks in a gap that is now two goes to the one that is as it was.
    fn put(&mut self, by: Side, hunk: &TokenHunk) {
        let (words, replaced) = (hunk.side.clone(), !hunk.base.is_empty());
        let side = &self.sides[by];
        let b = self.base.blank(self.at);
        let s = side.blank(words.start);
        let o = self.sides[by.other()].blank(self.at_side[by.other()]);
        let back = side.blank(words.end);
        let sign = matches!(
            side.word(words.start),
            b"," | b";" | b"." | b")" | b"]" | b"}"
        );
        let (front, follow) = if self.follow.is_some() {
            (None, None)
        } else if replaced && s == b {
            (Some(o), None)
        } else if replaced || o == b || sign {
            (None, None)
        } else if s == b && back == b {
            (Some(o), Some(o))
        } else if s == b {
            (Some(o), Some(back))
        } else if back == b {
            (None, None)
        } else {
            self.out.whitespace_clashes += 1;
            (None, Some(back))
        };
        match self.follow.take().or(front) {
            Some(front) => self.out.text.extend_from_slice(front),
            None => self.blank_anew(by, words.start),
        }
        self.run_anew(by, words);
        self.follow = follow;
    }

    /// New words of a side, laid out as the other side lays out what was there.
    fn run_anew(&mut self, by: Side, words: Range<usize>) {
        for at in words.clone() {
            if at > words.start {
                self.blank_anew(by, at);
            }
            self.out.text.extend_from_slice(self.sides[by].word(at));
        }
    }

    /// The blanks in front of a new word, as the other side would have them.
    fn blank_anew(&mut self, by: Side, at: usize) {
        let (sides, hunks, base) = (self.sides, self.hunks, self.base);
        let side = &sides[by];
        let before = at.checked_sub(1).map_or(&b""[..], |i| side.word(i));
        let blank = side.blank(at);
        let other = by.other();
        let layout =
            self.layouts[other].get_or_init(|| Layout::new(base, &sides[other], &hunks[other]));
        match layout.of(before, blank) {
            Some(blank) => self.out.text.extend_from_slice(&blank),
            None => {
                self.out.whitespace_clashes += 1;
                self.out.text.extend_from_slice(blank);
            }
        }
    }

    /// How many of the next changes of a side (`by`) a larger change of the other side holds;
    /// `None` if one of them only overlaps it.
    fn held(&self, large: &TokenHunk, small: &[TokenHunk], by: Side) -> Option<usize> {
        let (side, other) = (&self.sides[by], &self.sides[by.other()]);
        let new: Vec<&[u8]> = large.side.clone().map(|at| other.word(at)).collect();
        let holds = |hunk: &TokenHunk| {
            let inside = large.base.start <= hunk.base.start
                && hunk.base.end <= large.base.end
                && large.base.len() > hunk.base.len();
            let words: Vec<&[u8]> = match hunk.side.is_empty() {
                true => hunk.base.clone().map(|at| self.base.word(at)).collect(),
                false => hunk.side.clone().map(|at| side.word(at)).collect(),
            };
            let stands = new.windows(words.len().max(1)).any(|run| run == words);
            inside && words.iter().any(|word| is_name(word)) && stands != hunk.side.is_empty()
        };
        let touching = small.iter().take_while(|hunk| clash(hunk, large));
        let n = touching.clone().count();
        (n > 0 && touching.clone().all(holds)).then_some(n)
    }

    /// A change that holds all that the other side did there, up to `last`.
    fn larger(&mut self, by: Side, large: &TokenHunk, last: &TokenHunk) {
        self.kept_until(large.base.start);
        if !large.side.is_empty() {
            match self.follow.take() {
                Some(blank) => self.out.text.extend_from_slice(blank),
                None => self.blank_anew(by, large.side.start),
            }
            self.run_anew(by, large.side.clone());
        }
        self.out.gap = Some(0);
        self.at = large.base.end;
        self.at_side[by] = large.side.end;
        self.at_side[by.other()] = last.side.end + (large.base.end - last.base.end);
        self.ended = PerSide::new(Some(large.base.end), Some(large.base.end));
    }

    /// Whether a change is a comma put in behind the last of a list.
    fn is_last_comma(&self, by: Side, hunk: &TokenHunk) -> bool {
        let closed = hunk.base.start < self.base.len()
            && matches!(self.base.word(hunk.base.start), b")" | b"]" | b"}");
        hunk.base.is_empty() && closed && self.sides[by].run(hunk.side.clone()) == b","
    }

    /// Whether a change puts a comma in and something behind it.
    fn is_more(&self, by: Side, hunk: &TokenHunk) -> bool {
        let (side, words) = (&self.sides[by], hunk.side.clone());
        hunk.base.is_empty()
            && words.len() > 1
            && side.word(words.start) == b","
            && side.word(words.end - 1) != b","
    }

    /// More of a list from one side, and the comma behind its last from the other.
    fn more_before_the_comma(&mut self, by: Side, more: &TokenHunk, comma: &TokenHunk) {
        self.blank_anew(by, more.side.start);
        self.run_anew(by, more.side.clone());
        self.out.text.push(b',');
        self.at = more.base.end;
        self.at_side[by] = more.side.end;
        self.at_side[by.other()] = comma.side.end;
    }
}

/// Whether two different changes get in each other's way.
fn clash(a: &TokenHunk, b: &TokenHunk) -> bool {
    let (x, y) = (&a.base, &b.base);
    if x.start == y.start && (x.is_empty() == y.is_empty()) {
        return true;
    }
    // What is put in at the edge of what the other took out may have belonged to it.
    let put_in_beside = |x: &TokenHunk, y: &TokenHunk| {
        x.base.is_empty()
            && y.side.is_empty()
            && (x.base.start == y.base.start || x.base.start == y.base.end)
    };
    if put_in_beside(a, b) || put_in_beside(b, a) {
        return true;
    }
    // An insertion stands between words: only strictly inside of the other is it in the way.
    x.start < y.end && y.start < x.end
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn merged_text(base: &str, ours: &str, theirs: &str) -> String {
        match merge_tokens(base.as_bytes(), ours.as_bytes(), theirs.as_bytes()) {
            None => "clash".to_owned(),
            Some(s) => {
                let gap = s.gap.map_or("-".to_owned(), |g| g.to_string());
                format!("{}|{gap}", String::from_utf8(s.text).unwrap())
            }
        }
    }

    #[test]
    fn words_changed_apart_from_each_other_go_together() {
        assert_eq!(
            merged_text(
                "moor(ship, berth)",
                "berth(ship, berth)",
                "moor(ship, quay)"
            ),
            "berth(ship, quay)|3"
        );
        assert_eq!(
            merged_text("moor(ship)", "berth(ship)", "dock(ship)"),
            "clash"
        );
        assert_eq!(merged_text("a b", "a x b", "a y b"), "clash");
        assert_eq!(
            merged_text("pop()", "pop_front()", "pop().or(spare)"),
            "pop_front().or(spare)|2"
        );
    }

    #[test]
    fn a_change_that_holds_the_others_stands() {
        assert_eq!(
            merged_text(
                "a sepecific berth of one ship",
                "a specific berth of one ship",
                "a specific quay of one tug"
            ),
            "a specific quay of one tug|0"
        );
        assert_eq!(
            merged_text("moor(low, ship)", "moor(ship)", "moor(high, ship)"),
            "clash"
        );
        assert_eq!(
            merged_text("of the berth", "of a berth", "of the quay there"),
            "of a quay there|0"
        );
    }

    #[test]
    fn a_statement_wrapped_anew_takes_the_other_sides_words() {
        assert_eq!(
            merged_text(
                "moor(ship, berth, tide);\n",
                "moor(\n    ship,\n    berth,\n    tide\n);\n",
                "moor(ship, quay, tide);\n"
            ),
            "moor(\n    ship,\n    quay,\n    tide\n);\n|-"
        );
    }

    proptest! {
        #[test]
        fn whichever_side_is_ours_the_words_are_the_same(
            b in "[ab(), ]{0,14}", x in "[abc(), ]{0,14}", y in "[abd(), ]{0,14}"
        ) {
            let solid = |s: MergedTokens| s.text.into_iter().filter(|b| *b != b' ').collect::<Vec<u8>>();
            let one = merge_tokens(b.as_bytes(), x.as_bytes(), y.as_bytes());
            let other = merge_tokens(b.as_bytes(), y.as_bytes(), x.as_bytes());
            prop_assert_eq!(one.map(solid), other.map(solid));
        }

        #[test]
        fn no_word_comes_from_nowhere(
            b in "[ab(),\n ]{0,14}", x in "[abc(),\n ]{0,14}", y in "[abd(),\n ]{0,14}"
        ) {
            if let Some(merged) = merge_tokens(b.as_bytes(), x.as_bytes(), y.as_bytes()) {
                let known: Vec<&[u8]> = [&b, &x, &y].into_iter().flat_map(|t| crate::text::tokens::solid_tokens(t.as_bytes())).collect();
                for word in crate::text::tokens::solid_tokens(&merged.text) {
                    let parts_known = known.contains(&word) || word.iter().all(|b| known.iter().any(|k| k.contains(b)));
                    prop_assert!(parts_known);
                }
            }
        }

        #[test]
        fn one_side_alone_wins(b in "[ab(),\n ]{0,20}", x in "[abc(),\n ]{0,20}") {
            let (b, x) = (b.as_bytes(), x.as_bytes());
            prop_assert_eq!(merge_tokens(b, x, b).map(|s| s.text), Some(x.to_vec()));
            prop_assert_eq!(merge_tokens(b, b, x).map(|s| s.text), Some(x.to_vec()));
            prop_assert_eq!(merge_tokens(b, x, x).map(|s| s.text), Some(x.to_vec()));
        }
    }
}
