//! Three-way merging over words, blanks between them told apart.
//!
//! A text is a run of words, each with the blanks (line ends included) in
//! front of it. Words are merged three ways by position; the blanks in front
//! of a word that stays are merged three ways on their own. So one side may
//! re-wrap a statement while the other changes its words.

use crate::diff::{Hunk, search_small};
use crate::resolution::Side;
use crate::words::{is_space, words};
use imara_diff::{Interner, Token};
use std::borrow::Cow;
use std::collections::HashMap;
use std::ops::Range;

/// Bytes beyond which a text is not stitched.
pub(crate) const LONG: usize = 60_000;

/// What both sides' words give together.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Stitched {
    pub(crate) text: Vec<u8>,
    /// Fewest unchanged words between a change of ours and one of theirs;
    /// `None` if only one side changed words.
    pub(crate) gap: Option<usize>,
    /// Blanks that both sides changed, each its own way; ours were kept.
    pub(crate) blank_clashes: usize,
    /// Runs of words that a side changed, both sides together.
    pub(crate) changes: usize,
}

struct Words<'a> {
    bytes: &'a [u8],
    /// Each word with the blanks in front of it: blanks, word. The last has no word.
    cells: Vec<(Range<usize>, Range<usize>)>,
}

impl<'a> Words<'a> {
    fn new(bytes: &'a [u8]) -> Self {
        let mut cells = Vec::new();
        let mut from = 0;
        for word in words(bytes) {
            if !bytes[word.clone()].iter().all(|b| is_space(*b)) {
                cells.push((from..word.start, word.clone()));
                from = word.end;
            }
        }
        cells.push((from..bytes.len(), bytes.len()..bytes.len()));
        Words { bytes, cells }
    }

    fn len(&self) -> usize {
        self.cells.len() - 1
    }

    fn blank(&self, at: usize) -> &'a [u8] {
        &self.bytes[self.cells[at].0.clone()]
    }

    fn word(&self, at: usize) -> &'a [u8] {
        &self.bytes[self.cells[at].1.clone()]
    }

    /// Words `range` with what stands between them, without the blanks before the first.
    fn run(&self, range: Range<usize>) -> &'a [u8] {
        match range.is_empty() {
            true => b"",
            false => &self.bytes[self.cells[range.start].1.start..self.cells[range.end - 1].1.end],
        }
    }

    fn tokens(&self, interner: &mut Interner<&'a [u8]>) -> Vec<Token> {
        (0..self.len())
            .map(|at| interner.intern(self.word(at)))
            .collect()
    }
}

/// A run of base words that a side changed, and what it made of them.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Change {
    base: Range<usize>,
    side: Range<usize>,
}

/// Merges three texts word by word; `None` where both sides changed the same words
/// or put words in at the same place.
pub(crate) fn stitch(base: &[u8], ours: &[u8], theirs: &[u8]) -> Option<Stitched> {
    if base.len().max(ours.len()).max(theirs.len()) > LONG {
        return None;
    }
    let (base, ours, theirs) = (Words::new(base), Words::new(ours), Words::new(theirs));
    let mut interner = Interner::new(base.len() * 2 + 8);
    let tokens = base.tokens(&mut interner);
    let changes = |side_tokens: &[Token]| {
        let hunks = search_small(&tokens, side_tokens).into_iter();
        let change = |h: Hunk| Change {
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
    Loom {
        base,
        ours,
        theirs,
        layouts,
        at: [0; 3],
        follow: None,
        out: Stitched {
            text: Vec::new(),
            gap: None,
            blank_clashes: 0,
            changes: 0,
        },
    }
    .weave(&ours_changes, &theirs_changes)
}

/// The runs of words that turned `base` into `side`, as (gone, come); `None` if too long.
pub(crate) fn word_changes(base: &[u8], side: &[u8]) -> Option<Vec<(Vec<u8>, Vec<u8>)>> {
    if base.len().max(side.len()) > LONG {
        return None;
    }
    let (base, side) = (Words::new(base), Words::new(side));
    let mut interner = Interner::new(base.len() * 2 + 8);
    let (b, s) = (base.tokens(&mut interner), side.tokens(&mut interner));
    let hunks = search_small(&b, &s).into_iter();
    let run = |h: Hunk| {
        (
            base.run(h.base.span()).to_vec(),
            side.run(h.side.span()).to_vec(),
        )
    };
    Some(hunks.map(run).collect())
}

/// Words that a side must have put in where nothing was, for the other to be said to have them too.
const SAID: usize = 3;

/// What each side did to the words of base.
pub(crate) struct WordDiff<'a> {
    base: Words<'a>,
    sides: [Words<'a>; 2],
    tokens: [Vec<Token>; 3],
    hunks: [Vec<Hunk>; 2],
}

impl<'a> WordDiff<'a> {
    /// `None` if a text is too long.
    pub(crate) fn new(base: &'a [u8], ours: &'a [u8], theirs: &'a [u8]) -> Option<Self> {
        if base.len().max(ours.len()).max(theirs.len()) > LONG {
            return None;
        }
        let (base, sides) = (Words::new(base), [ours, theirs].map(Words::new));
        let mut interner = Interner::new(base.len() * 2 + 8);
        let tokens = [&base, &sides[0], &sides[1]].map(|words| words.tokens(&mut interner));
        let hunks = [1, 2].map(|side| search_small(&tokens[0], &tokens[side]));
        Some(WordDiff {
            base,
            sides,
            tokens,
            hunks,
        })
    }

    /// The runs of words that a side took out and what it put there.
    pub(crate) fn changes(&self, side: Side) -> Vec<(&'a [u8], &'a [u8])> {
        let at = usize::from(side == Side::Theirs);
        let run = |h: &Hunk| {
            (
                self.base.run(h.base.span()),
                self.sides[at].run(h.side.span()),
            )
        };
        self.hunks[at].iter().map(run).collect()
    }

    /// The side that has every change of words which the other made, and more.
    pub(crate) fn covering(&self) -> Option<Side> {
        let [b, o, t] = &self.tokens;
        let [by_ours, by_theirs] = &self.hunks;
        if by_ours.is_empty() || by_theirs.is_empty() || o == t {
            return None;
        }
        match (
            covers(b, (t, by_theirs), (o, by_ours)),
            covers(b, (o, by_ours), (t, by_theirs)),
        ) {
            (true, false) => Some(Side::Ours),
            (false, true) => Some(Side::Theirs),
            _ => None,
        }
    }
}

/// Whether `more` has every change of words that `less` made of base.
fn covers(b: &[Token], (l, less): (&[Token], &[Hunk]), (m, more): (&[Token], &[Hunk])) -> bool {
    // Most changes that do not hold the other's do not even touch its first.
    let touches = |hunk: &Hunk| {
        let first = less[0].base;
        hunk.base.start <= first.end && first.start <= hunk.base.end
    };
    let slid = less[0].side.is_empty();
    if !slid && !more.iter().any(touches) {
        return false;
    }
    let mut gone = vec![false; b.len()];
    for hunk in more {
        gone[hunk.base.span()].fill(true);
    }
    less.iter().all(|hunk| {
        let (out, come) = (hunk.base.span(), &l[hunk.side.span()]);
        if come.is_empty() {
            // A run taken out of like words may be any of several.
            return slides(b, out).any(|out| {
                let shorter = more.iter().any(|hunk| {
                    let words = hunk.base.span();
                    let meets = words.start < out.end && out.start < words.end;
                    meets && hunk.side.len() < words.len()
                });
                shorter && gone[out].iter().all(|gone| *gone)
            });
        }
        let said = come.len() >= SAID || !b.is_empty();
        let has = |hunk: &Hunk| {
            let (words, new) = (hunk.base.span(), &m[hunk.side.span()]);
            let around = words.start <= out.start && out.end <= words.end;
            around && new.windows(come.len()).any(|run| run == come)
        };
        said && gone[out.clone()].iter().all(|gone| *gone) && more.iter().any(has)
    })
}

/// A run of words and the same words beside it.
fn slides(words: &[Token], run: Range<usize>) -> impl Iterator<Item = Range<usize>> {
    let left = (0..run.start)
        .rev()
        .zip((0..run.end).rev())
        .take_while(|(a, b)| words[*a] == words[*b])
        .count();
    let right = (run.start..words.len())
        .zip(run.end..words.len())
        .take_while(|(a, b)| words[*a] == words[*b])
        .count();
    (run.start - left..=run.start + right).map(move |at| at..at + run.len())
}

/// Some words of a line that became others, and the words around them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Swap {
    before: Vec<u8>,
    from: Vec<Vec<u8>>,
    to: Vec<u8>,
    after: Vec<u8>,
    /// Blanks in front of what came.
    blank: Vec<u8>,
}

impl Swap {
    /// What turned one line into another.
    pub(crate) fn between(base: &[u8], side: &[u8]) -> Vec<Swap> {
        if base.len().max(side.len()) > 4_000 {
            return Vec::new();
        }
        let (base, side) = (Words::new(base), Words::new(side));
        let mut interner = Interner::new(base.len() * 2 + 8);
        let (b, s) = (base.tokens(&mut interner), side.tokens(&mut interner));
        let word = |at: Option<usize>| {
            let at = at.filter(|at| *at < base.len());
            at.map_or(Vec::new(), |at| base.word(at).to_vec())
        };
        let hunks = search_small(&b, &s).into_iter();
        let swap = |h: Hunk| {
            let (from, to) = (h.base.span(), h.side.span());
            Swap {
                before: word(from.start.checked_sub(1)),
                after: word(Some(from.end)),
                from: from.map(|at| base.word(at).to_vec()).collect(),
                blank: side.blank(to.start).to_vec(),
                to: side.run(to).to_vec(),
            }
        };
        hunks.map(swap).collect()
    }

    /// Whether it takes words out that a line may still use.
    fn names(&self) -> impl Iterator<Item = &[u8]> {
        let names = self.from.iter().map(Vec::as_slice);
        names.filter(|word| (is_name(word) && word.len() > 1) || matches!(*word, b"'" | b"\""))
    }
}

/// What a new line looks like after the other side's changes of words.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Replayed {
    /// It holds nothing that the other side changed.
    Fresh,
    /// It holds words that the other side changed, here put right.
    Renewed(Vec<u8>),
    /// It holds words that the other side changed elsewhere in other company.
    Stale,
}

/// Does to a line what the swaps did to theirs.
pub(crate) fn replay(swaps: &[Swap], line: &[u8]) -> Replayed {
    let often = |swap: &Swap| {
        let alike = |s: &&Swap| s.from == swap.from && s.to == swap.to;
        swap.names().next().is_some() && swaps.iter().filter(alike).count() > 1
    };
    let (mut text, mut renewed) = (line.to_vec(), false);
    let mut done: Vec<&Swap> = Vec::new();
    for swap in swaps {
        if done.iter().any(|d| d.from == swap.from && d.to == swap.to) {
            continue;
        }
        let alone = often(swap);
        if let Some(next) = swap_in(swap, &text, alone) {
            (text, renewed) = (next, true);
            done.push(swap);
        }
    }
    let words = Words::new(&text);
    let stale = |swap: &Swap| {
        swap.names().any(|name| {
            (0..words.len()).any(|at| words.word(at) == name)
                && !swap.to.windows(name.len()).any(|w| w == name)
        })
    };
    match () {
        () if swaps.iter().any(stale) => Replayed::Stale,
        () if renewed => Replayed::Renewed(text),
        () => Replayed::Fresh,
    }
}

/// The line with one swap made wherever its words stand in the same company.
fn swap_in(swap: &Swap, line: &[u8], alone: bool) -> Option<Vec<u8>> {
    let words = Words::new(line);
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

/// Changes parted by nothing but signs are one: the signs match by accident.
fn joined(base: &Words<'_>, changes: Vec<Change>) -> Vec<Change> {
    let mut out: Vec<Change> = Vec::new();
    for change in changes {
        if let Some(last) = out.last_mut() {
            let between = last.base.end..change.base.start;
            let solid = between.clone().any(|at| is_name(base.word(at)));
            let rewritten = |c: &Change| !c.base.is_empty() && !c.side.is_empty();
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

/// Whether a word is more than a sign.
pub(crate) fn is_name(word: &[u8]) -> bool {
    word.iter()
        .any(|b| b.is_ascii_alphanumeric() || *b == b'_' || *b >= 0x80)
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
    fn new(base: &Words<'a>, side: &Words<'a>, changes: &[Change]) -> Self {
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

struct Loom<'a> {
    base: Words<'a>,
    ours: Words<'a>,
    theirs: Words<'a>,
    /// What ours and theirs made of the blanks of base.
    layouts: [Layout<'a>; 2],
    /// Next word of base, ours, theirs.
    at: [usize; 3],
    /// The blanks that must follow what was put in.
    follow: Option<&'a [u8]>,
    out: Stitched,
}

impl<'a> Loom<'a> {
    fn weave(mut self, ours: &[Change], theirs: &[Change]) -> Option<Stitched> {
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

    /// Words that nobody changed, each behind its blanks merged three ways.
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
                self.out.blank_clashes += 1;
                o
            }
        };
        self.out.text.extend_from_slice(blank);
    }

    /// Both sides made the same of the same words.
    fn same_change(&mut self, ours: &Change, theirs: &Change) {
        if !ours.side.is_empty() {
            self.blanks();
            self.out
                .text
                .extend_from_slice(self.ours.run(ours.side.clone()));
        }
        self.at = [ours.base.end, ours.side.end, theirs.side.end];
    }

    fn side(&self, ours: bool) -> &Words<'a> {
        if ours { &self.ours } else { &self.theirs }
    }

    fn change(&mut self, ours: bool, change: &Change) {
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
                    self.out.blank_clashes += 1;
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
        self.out.changes += 1;
        self.out.blank_clashes += usize::from(laid_out_anew);
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
                self.out.blank_clashes += 1;
                self.out.text.extend_from_slice(blank);
            }
        }
    }

    /// Whether a change is a comma put in behind the last of a list.
    fn last_comma(&self, ours: bool, change: &Change) -> bool {
        let closed = change.base.start < self.base.len()
            && matches!(self.base.word(change.base.start), b")" | b"]" | b"}");
        change.base.is_empty() && closed && self.side(ours).run(change.side.clone()) == b","
    }

    /// Whether a change puts a comma in and something behind it.
    fn is_more(&self, ours: bool, change: &Change) -> bool {
        let (side, words) = (self.side(ours), change.side.clone());
        change.base.is_empty()
            && words.len() > 1
            && side.word(words.start) == b","
            && side.word(words.end - 1) != b","
    }

    /// More of a list from one side, and the comma behind its last from the other.
    fn more_before_the_comma(&mut self, ours: bool, more: &Change, comma: &Change) {
        self.blank_anew(ours, more.side.start);
        self.run_anew(ours, more.side.clone());
        self.out.text.push(b',');
        self.out.changes += 1;
        let (own, foreign) = if ours { (1, 2) } else { (2, 1) };
        self.at[0] = more.base.end;
        self.at[own] = more.side.end;
        self.at[foreign] = comma.side.end;
    }
}

/// Whether two different changes get in each other's way.
fn clash(a: &Change, b: &Change) -> bool {
    let (x, y) = (&a.base, &b.base);
    if x.start == y.start && (x.is_empty() == y.is_empty()) {
        return true;
    }
    // What is put in at the edge of what the other took out may have belonged to it.
    let put_in_beside = |x: &Change, y: &Change| {
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
        match stitch(base.as_bytes(), ours.as_bytes(), theirs.as_bytes()) {
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

    #[test]
    fn what_the_other_side_did_to_like_words_is_done_to_a_new_line() {
        let swaps = |pairs: &[(&str, &str)]| -> Vec<Swap> {
            let of = |(a, b): &(&str, &str)| Swap::between(a.as_bytes(), b.as_bytes());
            pairs.iter().flat_map(of).collect()
        };
        let renewed =
            |pairs: &[(&str, &str)], line: &str| match replay(&swaps(pairs), line.as_bytes()) {
                Replayed::Renewed(text) => String::from_utf8(text).unwrap(),
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
        assert_eq!(renewed(&style[..1], "var c = 3;"), "Stale");
        assert_eq!(renewed(&style, "let d = 4;"), "Fresh");
    }

    #[test]
    fn a_change_may_hold_the_other() {
        let holds = |base: &str, less: &str, more: &str| {
            let diff = WordDiff::new(base.as_bytes(), less.as_bytes(), more.as_bytes());
            diff.unwrap().covering() == Some(Side::Theirs)
        };
        let base = "slot = berths[at].write().unwrap();";
        assert!(holds(
            base,
            "slot = berths[at].write();",
            "slot = berths[at].lock();"
        ));
        assert!(!holds(
            base,
            "slot = berths[at].lock();",
            "slot = berths[at].write();"
        ));
        assert!(holds(
            "moor(a, b)",
            "moor(a, b, tide)",
            "moor(a, b, tide, pilot)"
        ));
        assert!(!holds(
            "moor(a, b)",
            "moor(a, b, low)",
            "moor(a, b, tide, pilot)"
        ));
        // What one rewrote, the other took out: neither has the other's change.
        assert!(!holds("log(a)\n", "", "log(b)\n"));
        assert!(!holds("log(a)\n", "", "trace(b, c, d, e)\n"));
        assert!(!holds("a", "a", "b"));
    }

    proptest! {
        #[test]
        fn one_side_alone_wins(b in "[ab(),\n ]{0,20}", x in "[abc(),\n ]{0,20}") {
            let (b, x) = (b.as_bytes(), x.as_bytes());
            prop_assert_eq!(stitch(b, x, b).map(|s| s.text), Some(x.to_vec()));
            prop_assert_eq!(stitch(b, b, x).map(|s| s.text), Some(x.to_vec()));
            prop_assert_eq!(stitch(b, x, x).map(|s| s.text), Some(x.to_vec()));
        }
    }
}
