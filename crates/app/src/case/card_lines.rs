//! Lines of a card, cut into stretches that say how each is to be shown.

use crate::case::opened::Shades;
use crate::case::stakes::Stake;
use armistice_core::{DeltaRow, Encoding, LineIdx, Pick, Source, Span, WhitespacePolicy, spans};
use armistice_syntax::{Shade, ShadedRange};
use std::ops::Range;

/// How a stretch of a line is to be shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Tone {
    Plain,
    Faint,
    Removed,
    Added,
    /// Not text of the file, but drawn into it.
    Sign,
    /// What did not change and is a comment, a string or a keyword; faint or not.
    Shaded(Shade, bool),
}

/// One line of a card.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CardLine {
    /// Its number in the version it is from.
    pub number: Option<usize>,
    /// `+`, `−` or a blank.
    pub sign: &'static str,
    pub parts: Vec<(Tone, String)>,
    /// Whose line it is, where it can be picked.
    pub pick: Option<Pick>,
    pub stake: Stake,
}

/// One row of a difference, ready to be drawn.
pub(crate) fn delta_line(
    encoding: Encoding,
    row: &DeltaRow,
    old: &Source,
    new: &Source,
    shades: &dyn Fn(LineIdx) -> Shades,
) -> CardLine {
    let plain = |source: &Source, at: LineIdx| encoding.decode(source.line(at).content());
    let line = |at: LineIdx, sign, parts| CardLine {
        number: Some(at.number()),
        sign,
        parts: bounded(parts),
        pick: None,
        stake: Stake::Clash,
    };
    match row {
        DeltaRow::Kept(_, b) => {
            let content = new.line(*b).content();
            let all = 0..content.len();
            line(
                *b,
                " ",
                shaded(Tone::Faint, encoding, content, all, &shades(*b)),
            )
        }
        DeltaRow::Removed(a) => line(*a, "−", whole(Tone::Removed, plain(old, *a))),
        DeltaRow::Added(b) => line(*b, "+", whole(Tone::Added, plain(new, *b))),
        DeltaRow::Reworded(a, b) | DeltaRow::Reindented(a, b) | DeltaRow::Respaced(a, b) => {
            let mut parts = inline(
                encoding,
                old.line(*a).content(),
                new.line(*b).content(),
                &shades(*b),
            );
            let (was, is) = (old.line(*a).end(), new.line(*b).end());
            if was != is {
                parts.extend(changed(was.name().to_owned(), is.name().to_owned()));
            }
            line(*b, " ", parts)
        }
    }
}

/// A whole line in one tone; its indentation says nothing and stays plain.
fn whole(tone: Tone, text: String) -> Vec<(Tone, String)> {
    let (indent, words) = text.split_at(text.len() - text.trim_start().len());
    vec![(Tone::Plain, indent.to_owned()), (tone, words.to_owned())]
}

/// A re-worded line, shown as `kept[old→new]kept`.
fn inline(
    encoding: Encoding,
    old: &[u8],
    new: &[u8],
    shades: &[ShadedRange],
) -> Vec<(Tone, String)> {
    let mut out = Vec::new();
    for span in spans(old, new) {
        match span {
            Span::Kept(range) => out.extend(shaded(Tone::Plain, encoding, new, range, shades)),
            Span::Changed(a, b) => {
                let (was, is) = (encoding.decode(&old[a]), encoding.decode(&new[b]));
                let blank = |s: &str| !s.is_empty() && s.trim().is_empty();
                let show = |s: String| if blank(&s) { blanks(&s) } else { s };
                out.extend(changed(show(was), show(is)));
            }
        }
    }
    out
}

/// Parts of which none is longer than a person would read: the middle of a longer one is left out,
/// with a sign.
pub(crate) fn bounded(parts: Vec<(Tone, String)>) -> Vec<(Tone, String)> {
    if parts.iter().all(|(_, text)| text.len() <= PART_BYTES) {
        return parts;
    }
    let mut out = Vec::new();
    for (tone, text) in parts {
        if text.len() <= PART_BYTES {
            out.push((tone, text));
            continue;
        }
        let head = text.floor_char_boundary(PART_BYTES / 2);
        let tail = text.ceil_char_boundary(text.len() - PART_BYTES / 4);
        out.push((tone, text[..head].to_owned()));
        out.push((Tone::Sign, "…".to_owned()));
        out.push((tone, text[tail..].to_owned()));
    }
    out
}

/// Bytes of a part of a line that are shown.
const PART_BYTES: usize = 4_000;

/// A stretch of a line that did not change, cut where it is a comment, a string or a keyword.
pub(crate) fn shaded(
    tone: Tone,
    encoding: Encoding,
    content: &[u8],
    range: Range<usize>,
    shades: &[ShadedRange],
) -> Vec<(Tone, String)> {
    let mut out = Vec::new();
    let mut at = range.start;
    let mut push = |tone: Tone, from: usize, to: usize| {
        if from < to {
            out.push((tone, encoding.decode(&content[from..to])));
        }
    };
    for (stretch, shade) in shades {
        let (from, to) = (stretch.start.max(at), stretch.end.min(range.end));
        if from < to {
            push(tone, at, from);
            push(Tone::Shaded(*shade, tone == Tone::Faint), from, to);
            at = to;
        }
    }
    push(tone, at, range.end);
    if out.is_empty() {
        out.push((tone, String::new()));
    }
    out
}

fn changed(was: String, is: String) -> Vec<(Tone, String)> {
    vec![
        (Tone::Sign, "[".to_owned()),
        (Tone::Removed, was),
        (Tone::Sign, "→".to_owned()),
        (Tone::Added, is),
        (Tone::Sign, "]".to_owned()),
    ]
}

/// White space made visible where it is all that changed.
fn blanks(text: &str) -> String {
    text.chars()
        .map(|c| match c {
            ' ' => '·',
            '\t' => '⇥',
            other => other,
        })
        .collect()
}

/// A line of a difference without what is only blanks, where those may differ.
pub(crate) fn worded_alone(mut line: CardLine, policy: WhitespacePolicy) -> CardLine {
    if policy != WhitespacePolicy::All {
        return line;
    }
    let is_blank = |text: &str| text.chars().all(|c| matches!(c, '·' | '⇥' | ' ' | '\t'));
    let mut parts = Vec::new();
    let mut rest = line.parts.as_slice();
    while let Some((first, after)) = rest.split_first() {
        match rest {
            [
                (Tone::Sign, _),
                (Tone::Removed, was),
                (Tone::Sign, _),
                (Tone::Added, is),
                (Tone::Sign, _),
                behind @ ..,
            ] if is_blank(was) && is_blank(is) => {
                parts.push((Tone::Plain, is.replace('·', " ").replace('⇥', "\t")));
                rest = behind;
            }
            _ => {
                parts.push(first.clone());
                rest = after;
            }
        }
    }
    line.parts = parts;
    line
}
