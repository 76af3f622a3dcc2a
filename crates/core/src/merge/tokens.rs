//! Three-way merging over words, blanks between them told apart.
//!
//! A text is a run of words, each with the blanks (line ends included) in
//! front of it. TokenText are merged three ways by position; the blanks in front
//! of a word that stays are merged three ways on their own. So one side may
//! re-wrap a statement while the other changes its words.

use crate::diff::hunk::Hunk;
use crate::diff::search::search_small;
use crate::diff::tokens::{LONG, TokenText};
use crate::text::tokens::is_name;
use imara_diff::{Interner, Token};
use std::borrow::Cow;
use std::collections::HashMap;
use std::ops::Range;

/// What both sides' words give together.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct MergedTokens {
    pub(crate) text: Vec<u8>,
    /// Fewest unchanged words between a change of ours and one of theirs;
    /// `None` if only one side changed words.
    pub(crate) gap: Option<usize>,
    /// WhitespacePolicy that both sides changed, each its own way; ours were kept.
    pub(crate) whitespace_clashes: usize,
}

/// A run of base words that a side changed, and what it made of them.
#[derive(Clone, Debug, PartialEq, Eq)]
struct TokenHunk {
    base: Range<usize>,
    side: Range<usize>,
}

/// Merges three texts word by word; `None` where both sides changed the same words
/// or put words in at the same place.
pub(crate) fn merge_tokens(base: &[u8], ours: &[u8], theirs: &[u8]) -> Option<MergedTokens> {
    if base.len().max(ours.len()).max(theirs.len()) > LONG {
        return None;
    }
    let (base, ours, theirs) = (
        TokenText::new(base),
        TokenText::new(ours),
        TokenText::new(theirs),
    );
    let mut interner = Interner::new(base.len() * 2 + 8);
    let tokens = base.tokens(&mut interner);
    let changes = |side_tokens: &[Token]| {
        let hunks = search_small(&tokens, side_tokens).into_iter();
        let change = |h: Hunk| TokenHunk {
            base: h.base.span(),
            side: h.side.span(),
        };
        joined(&base, hunks.map(change).collect())
    };
    let ours_tokens = ours.tokens(&mut interner);
    let theirs_tokens = theirs.tokens(&mut interner);
    let ours_changes = changes(&ours_tokens);
    let theirs_changes = changes(&theirs_tokens);
    let layouts = [
        Layout::new(&base, &ours, &ours_changes),
        Layout::new(&base, &theirs, &theirs_changes),
    ];
    TokenMerger {
        base,
        ours,
        theirs,
        layouts,
        at: [0; 3],
        follow: None,
        out: MergedTokens {
            text: Vec::new(),
            gap: None,
            whitespace_clashes: 0,
        },
    }
    .merge(&ours_changes, &theirs_changes)
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

/// What a side made of the blanks between words that it left as they were.
struct Layout<'a> {
    /// By the word in front and the blank of base; `None` where it made several things of one.
    after: HashMap<Spot<'a>, Option<&'a [u8]>>,
    /// By the blank of base alone, for blanks that break a line.
    breaks: HashMap<&'a [u8], Option<&'a [u8]>>,
}

impl<'a> Layout<'a> {
    fn new(base: &TokenText<'a>, side: &TokenText<'a>, changes: &[TokenHunk]) -> Self {
        let (mut after, mut breaks) = (HashMap::new(), HashMap::new());
        let mut shift = 0isize;
        let mut changes = changes.iter().peekable();
        for at in 0..base.len() {
            let mut whole = at > 0;
            while let Some(change) = changes.next_if(|c| c.base.end <= at) {
                shift = change.side.end as isize - change.base.end as isize;
                whole &= change.base.end < at;
            }
            let inside = changes.peek().is_some_and(|c| c.base.start <= at);
            let before = changes.peek().is_some_and(|c| c.base.start < at);
            if inside || before || !whole {
                continue;
            }
            let (old, new) = (base.blank(at), side.blank((at as isize + shift) as usize));
            // Rows left blank part some lines from others and say nothing about the rest.
            let breaks_of = |blank: &[u8]| blank.iter().filter(|b| **b == b'\n').count();
            if breaks_of(new) > 1.max(breaks_of(old)) {
                continue;
            }
            let one = |known: &mut Option<&'a [u8]>| {
                if *known != Some(new) {
                    *known = None;
                }
            };
            after
                .entry((base.word(at - 1), old))
                .and_modify(one)
                .or_insert(Some(new));
            if old.contains(&b'\n') {
                breaks.entry(old).and_modify(one).or_insert(Some(new));
            }
        }
        Layout { after, breaks }
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
        let told = |text: &[u8]| -> Option<Vec<u8>> {
            let new = match (new.strip_prefix(old), old.strip_prefix(new)) {
                (Some(more), _) => [text, more].concat(),
                (_, Some(less)) => text.strip_suffix(less)?.to_vec(),
                _ => return None,
            };
            Some(new)
        };
        let alike = all.all(|(old, new)| told(old).as_deref() == *new);
        alike.then(|| told(blank)).flatten().map(Cow::Owned)
    }
}

struct TokenMerger<'a> {
    base: TokenText<'a>,
    ours: TokenText<'a>,
    theirs: TokenText<'a>,
    /// What ours and theirs made of the blanks of base.
    layouts: [Layout<'a>; 2],
    /// Next word of base, ours, theirs.
    at: [usize; 3],
    /// The blanks that must follow what was put in.
    follow: Option<&'a [u8]>,
    out: MergedTokens,
}

impl<'a> TokenMerger<'a> {
    fn merge(mut self, ours: &[TokenHunk], theirs: &[TokenHunk]) -> Option<MergedTokens> {
        let (mut i, mut j) = (0, 0);
        // Where the last change of each side ended in base.
        let mut ended: [Option<usize>; 2] = [None, None];
        while i < ours.len() || j < theirs.len() {
            let (o, t) = (ours.get(i), theirs.get(j));
            let ours_first = match (o, t) {
                (Some(o), Some(t)) => {
                    if o.base == t.base
                        && self.ours.run(o.side.clone()) == self.theirs.run(t.side.clone())
                    {
                        self.kept_until(o.base.start);
                        self.same_change(o, t);
                        ended = [Some(o.base.end), Some(t.base.end)];
                        (i, j) = (i + 1, j + 1);
                        continue;
                    }
                    if clash(o, t) {
                        let (o, t) = (o.clone(), t.clone());
                        // A comma that a formatter puts behind the last of a list stays the last.
                        if self.last_comma(false, &t) && self.is_more(true, &o) {
                            self.kept_until(o.base.start);
                            self.more_before_the_comma(true, &o, &t);
                        } else if self.last_comma(true, &o) && self.is_more(false, &t) {
                            self.kept_until(o.base.start);
                            self.more_before_the_comma(false, &t, &o);
                        } else if let Some(n) = self.held(&t, &ours[i..], true) {
                            ended = self.larger(false, &t, &ours[i + n - 1]);
                            (i, j) = (i + n, j + 1);
                            continue;
                        } else if let Some(n) = self.held(&o, &theirs[j..], false) {
                            ended = self.larger(true, &o, &theirs[j + n - 1]);
                            (i, j) = (i + 1, j + n);
                            continue;
                        } else {
                            return None;
                        }
                        ended = [Some(o.base.end), Some(t.base.end)];
                        (i, j) = (i + 1, j + 1);
                        continue;
                    }
                    (o.base.start, o.base.end) < (t.base.start, t.base.end)
                }
                (o, _) => o.is_some(),
            };
            let change = if ours_first { o? } else { t? };
            let other = ended[usize::from(ours_first)];
            if let Some(end) = other {
                let gap = change.base.start.checked_sub(end)?;
                self.out.gap = Some(self.out.gap.map_or(gap, |g| g.min(gap)));
            }
            self.kept_until(change.base.start);
            self.change(ours_first, change);
            ended[usize::from(!ours_first)] = Some(change.base.end);
            if ours_first {
                i += 1;
            } else {
                j += 1;
            }
        }
        self.kept_until(self.base.len());
        self.blanks();
        Some(self.out)
    }

    /// TokenText that nobody changed, each behind its blanks merged three ways.
    fn kept_until(&mut self, base: usize) {
        while self.at[0] < base {
            self.blanks();
            self.out.text.extend_from_slice(self.base.word(self.at[0]));
            self.at = self.at.map(|at| at + 1);
        }
    }

    fn blanks(&mut self) {
        if let Some(blank) = self.follow.take() {
            return self.out.text.extend_from_slice(blank);
        }
        let (b, o, t) = (
            self.base.blank(self.at[0]),
            self.ours.blank(self.at[1]),
            self.theirs.blank(self.at[2]),
        );
        let blank = match () {
            () if o == t || t == b => o,
            () if o == b => t,
            () => {
                self.out.whitespace_clashes += 1;
                o
            }
        };
        self.out.text.extend_from_slice(blank);
    }

    /// Both sides made the same of the same words.
    fn same_change(&mut self, ours: &TokenHunk, theirs: &TokenHunk) {
        if !ours.side.is_empty() {
            self.blanks();
            self.out
                .text
                .extend_from_slice(self.ours.run(ours.side.clone()));
        }
        self.at = [ours.base.end, ours.side.end, theirs.side.end];
    }

    fn side(&self, ours: bool) -> &TokenText<'a> {
        if ours { &self.ours } else { &self.theirs }
    }

    fn change(&mut self, ours: bool, change: &TokenHunk) {
        let (own, foreign) = if ours { (1, 2) } else { (2, 1) };
        let (base_at, other_at) = (self.at[0], self.at[foreign]);
        let (side, other) = (self.side(ours), self.side(!ours));
        let words = change.side.clone();
        let laid_out_anew = (1..change.base.len())
            .any(|n| self.base.blank(base_at + n) != other.blank(other_at + n));
        if !words.is_empty() {
            let (b, s, o) = (
                self.base.blank(base_at),
                side.blank(words.start),
                other.blank(other_at),
            );
            let replaced = !change.base.is_empty();
            let back = side.blank(words.end);
            let sign = matches!(
                side.word(words.start),
                b"," | b";" | b"." | b")" | b"]" | b"}"
            );
            // The blanks in front, and those behind where they are not the usual outcome. What
            // the other side did to the blanks in a gap that is now two goes to the one
            // that is as it was.
            let (front, follow) = match () {
                () if self.follow.is_some() => (None, None),
                () if replaced && s == b => (Some(o), None),
                () if replaced || o == b || sign => (None, None),
                () if s == b && back == b => (Some(o), Some(o)),
                () if s == b => (Some(o), Some(back)),
                () if back == b => (None, None),
                () => {
                    self.out.whitespace_clashes += 1;
                    (None, Some(back))
                }
            };
            match self.follow.take().or(front) {
                Some(front) => self.out.text.extend_from_slice(front),
                None => self.blank_anew(ours, words.start),
            }
            self.run_anew(ours, words);
            self.follow = follow;
        }
        self.out.whitespace_clashes += usize::from(laid_out_anew);
        self.at[0] = change.base.end;
        self.at[own] = change.side.end;
        self.at[foreign] += change.base.len();
    }

    /// New words of a side, laid out as the other side lays out what was there.
    fn run_anew(&mut self, ours: bool, words: Range<usize>) {
        for at in words.clone() {
            if at > words.start {
                self.blank_anew(ours, at);
            }
            let word = self.side(ours).word(at);
            self.out.text.extend_from_slice(word);
        }
    }

    /// The blanks in front of a new word.
    fn blank_anew(&mut self, ours: bool, at: usize) {
        let side = self.side(ours);
        let (before, blank) = (
            at.checked_sub(1).map_or(&b""[..], |i| side.word(i)),
            side.blank(at),
        );
        match self.layouts[usize::from(ours)].of(before, blank) {
            Some(blank) => self.out.text.extend_from_slice(&blank),
            None => {
                self.out.whitespace_clashes += 1;
                self.out.text.extend_from_slice(blank);
            }
        }
    }

    /// How many of the next changes of a side a larger change of the other side holds; `None` if
    /// one of them only overlaps it.
    fn held(&self, large: &TokenHunk, small: &[TokenHunk], ours: bool) -> Option<usize> {
        let (side, other) = (self.side(ours), self.side(!ours));
        let new: Vec<&[u8]> = large.side.clone().map(|at| other.word(at)).collect();
        let holds = |change: &TokenHunk| {
            let inside = large.base.start <= change.base.start
                && change.base.end <= large.base.end
                && large.base.len() > change.base.len();
            let words: Vec<&[u8]> = match change.side.is_empty() {
                true => change.base.clone().map(|at| self.base.word(at)).collect(),
                false => change.side.clone().map(|at| side.word(at)).collect(),
            };
            let stands = new.windows(words.len().max(1)).any(|run| run == words);
            inside && words.iter().any(|word| is_name(word)) && stands != change.side.is_empty()
        };
        let touching = small.iter().take_while(|change| clash(change, large));
        let n = touching.clone().count();
        (n > 0 && touching.clone().all(holds)).then_some(n)
    }

    /// A change that holds all that the other side did there; where both ended in base.
    fn larger(&mut self, ours: bool, large: &TokenHunk, last: &TokenHunk) -> [Option<usize>; 2] {
        self.kept_until(large.base.start);
        if !large.side.is_empty() {
            match self.follow.take() {
                Some(blank) => self.out.text.extend_from_slice(blank),
                None => self.blank_anew(ours, large.side.start),
            }
            self.run_anew(ours, large.side.clone());
        }
        self.out.gap = Some(0);
        let (own, foreign) = if ours { (1, 2) } else { (2, 1) };
        self.at[0] = large.base.end;
        self.at[own] = large.side.end;
        self.at[foreign] = last.side.end + (large.base.end - last.base.end);
        [Some(large.base.end); 2]
    }

    /// Whether a change is a comma put in behind the last of a list.
    fn last_comma(&self, ours: bool, change: &TokenHunk) -> bool {
        let closed = change.base.start < self.base.len()
            && matches!(self.base.word(change.base.start), b")" | b"]" | b"}");
        change.base.is_empty() && closed && self.side(ours).run(change.side.clone()) == b","
    }

    /// Whether a change puts a comma in and something behind it.
    fn is_more(&self, ours: bool, change: &TokenHunk) -> bool {
        let (side, words) = (self.side(ours), change.side.clone());
        change.base.is_empty()
            && words.len() > 1
            && side.word(words.start) == b","
            && side.word(words.end - 1) != b","
    }

    /// More of a list from one side, and the comma behind its last from the other.
    fn more_before_the_comma(&mut self, ours: bool, more: &TokenHunk, comma: &TokenHunk) {
        self.blank_anew(ours, more.side.start);
        self.run_anew(ours, more.side.clone());
        self.out.text.push(b',');
        let (own, foreign) = if ours { (1, 2) } else { (2, 1) };
        self.at[0] = more.base.end;
        self.at[own] = more.side.end;
        self.at[foreign] = comma.side.end;
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

    fn told(base: &str, ours: &str, theirs: &str) -> String {
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
            told(
                "moor(ship, berth)",
                "berth(ship, berth)",
                "moor(ship, quay)"
            ),
            "berth(ship, quay)|3"
        );
        assert_eq!(told("moor(ship)", "berth(ship)", "dock(ship)"), "clash");
        assert_eq!(told("a b", "a x b", "a y b"), "clash");
        assert_eq!(
            told("pop()", "pop_front()", "pop().or(spare)"),
            "pop_front().or(spare)|2"
        );
    }

    #[test]
    fn a_change_that_holds_the_others_stands() {
        assert_eq!(
            told(
                "a sepecific berth of one ship",
                "a specific berth of one ship",
                "a specific quay of one tug"
            ),
            "a specific quay of one tug|0"
        );
        assert_eq!(
            told("moor(low, ship)", "moor(ship)", "moor(high, ship)"),
            "clash"
        );
        assert_eq!(
            told("of the berth", "of a berth", "of the quay there"),
            "of a quay there|0"
        );
    }

    #[test]
    fn a_statement_wrapped_anew_takes_the_other_sides_words() {
        assert_eq!(
            told(
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
