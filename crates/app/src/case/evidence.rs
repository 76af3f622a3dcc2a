//! What each side did to base at one place, as cards of lines ready to be drawn.

use crate::base::safe_text::count;
use crate::case::opened::{OpenedFile, Shades};
use crate::case::stakes::{Stake, Stakes};
use armistice_core::limits::{CARD_FORMULA_BYTES, CARD_LINES};
use armistice_core::{
    Delta, DeltaRow, Encoding, Formula, LineIdx, LineRange, PerSide, Pick, RegionId, RegionKind,
    Side, Source, Span, Version, WhitespacePolicy, delta, spans,
};
use armistice_syntax::{Shade, ShadedRange};
use serde::{Deserialize, Serialize};
use std::ops::Range;

/// How the evidence is looked at.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub enum Lens {
    /// base→ours and base→theirs.
    #[default]
    Deltas,
    /// Ours against theirs.
    Face,
    /// The plain versions.
    Texts,
}

impl Lens {
    pub const ALL: [Lens; 3] = [Lens::Deltas, Lens::Face, Lens::Texts];

    pub fn name(self) -> &'static str {
        match self {
            Lens::Deltas => "deltas",
            Lens::Face => "face",
            Lens::Texts => "texts",
        }
    }

    pub fn next(self) -> Self {
        Lens::ALL[(self as usize + 1) % 3]
    }
}

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

/// What one party did, or what one version says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Card {
    pub party: Version,
    /// In whose colour removed words are: who removed them, or, face to face, whose they were.
    pub removed: Version,
    /// "re-worded 1 line, added 2", and how many of them clash if not all do.
    pub summary: String,
    pub lines: Vec<CardLine>,
    /// Lines left out because there are too many.
    pub hidden: usize,
    /// How much there is to read; the least is shown in full first.
    pub cost: usize,
}

/// The cards for a region, ours above theirs; none where nobody changed anything.
///
/// Under the policy that lets the sides differ in all white space, what is only blanks is left out:
/// it counts as not changed.
pub fn cards(file: &OpenedFile, id: RegionId, lens: Lens, policy: WhitespacePolicy) -> Vec<Card> {
    let Some(region) = file.plan().regions().get(id.0 as usize) else {
        return Vec::new();
    };
    if region.kind == RegionKind::Unchanged {
        return Vec::new();
    }
    match lens {
        Lens::Texts => {
            let stakes = stakes_of(file, id, policy);
            Version::ALL.map(|v| text_card(file, id, v, &stakes)).into()
        }
        Lens::Face => {
            let stakes = stakes_of(file, id, policy);
            vec![
                face_card(file, id, policy),
                text_card(file, id, Version::Base, &stakes),
            ]
        }
        Lens::Deltas => deltas(file, id, region.kind, policy),
    }
}

/// Rows that each side changed, by the cards of its differences; layout alone does not count.
pub fn worked(cards: &[Card]) -> PerSide<usize> {
    PerSide::from_fn(|side: Side| {
        let card = cards.iter().find(|card| card.party == side.into());
        let lines = card.into_iter().flat_map(|card| &card.lines);
        let counts = |line: &&CardLine| matches!(line.stake, Stake::Clash | Stake::Own);
        lines.filter(counts).count()
    })
}

fn deltas(
    file: &OpenedFile,
    id: RegionId,
    kind: RegionKind,
    policy: WhitespacePolicy,
) -> Vec<Card> {
    let region = file.plan().region(id);
    let versions = file.plan().versions();
    let of = |side: Side| {
        let lines = cut(region.lines(side.into()));
        let side = versions.get(side.into());
        seen(delta(&versions.base, cut(region.base), side, lines), policy)
    };
    let deltas = PerSide::from_fn(of);
    let stakes = match kind {
        RegionKind::Conflict => Stakes::of(&deltas, versions),
        _ => Stakes::all(&deltas, versions),
    };
    let card = |side: Side| delta_card(file, id, side, &deltas[side], &stakes, policy);
    match kind {
        RegionKind::Ours => vec![card(Side::Ours)],
        RegionKind::Theirs => vec![card(Side::Theirs)],
        RegionKind::Same => {
            let mut card = card(Side::Ours);
            card.summary = format!("both {}", card.summary);
            vec![card]
        }
        _ => vec![
            card(Side::Ours),
            card(Side::Theirs),
            text_card(file, id, Version::Base, &stakes),
        ],
    }
}

/// What has to do with the question in a conflict, for lenses that show other texts than deltas.
fn stakes_of(file: &OpenedFile, id: RegionId, policy: WhitespacePolicy) -> Stakes {
    let region = file.plan().region(id);
    let versions = file.plan().versions();
    let of = |side: Side| {
        let lines = cut(region.lines(side.into()));
        let side = versions.get(side.into());
        seen(delta(&versions.base, cut(region.base), side, lines), policy)
    };
    let deltas = PerSide::from_fn(of);
    match region.kind {
        RegionKind::Conflict => Stakes::of(&deltas, versions),
        _ => Stakes::all(&deltas, versions),
    }
}

/// A line of a difference without what is only blanks, where those may differ.
fn worded_alone(mut line: CardLine, policy: WhitespacePolicy) -> CardLine {
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

/// A difference as a policy about white space has it seen.
fn seen(mut delta: Delta, policy: WhitespacePolicy) -> Delta {
    if policy == WhitespacePolicy::All {
        for row in &mut delta.rows {
            if let DeltaRow::Reindented(a, b) | DeltaRow::Respaced(a, b) = *row {
                *row = DeltaRow::Kept(a, b);
            }
        }
    }
    delta
}

fn cut(lines: LineRange) -> LineRange {
    LineRange::new(
        lines.start.0,
        lines.end.0.min(lines.start.0 + CARD_LINES as u32),
    )
}

fn delta_card(
    file: &OpenedFile,
    id: RegionId,
    side: Side,
    delta: &Delta,
    stakes: &Stakes,
    policy: WhitespacePolicy,
) -> Card {
    let region = file.plan().region(id);
    let party = Version::from(side);
    let mut card = compared(
        file,
        (Version::Base, region.base),
        (party, region.lines(party)),
        delta,
        &stakes.rows[side],
        policy,
    );
    card.removed = party;
    let clash = stakes.rows[side]
        .iter()
        .filter(|s| **s == Stake::Clash)
        .count();
    let changed = delta
        .rows
        .iter()
        .filter(|row| !matches!(row, DeltaRow::Kept(..)))
        .count();
    if clash < changed && clash > 0 {
        card.summary += &format!(" · {clash} of {changed} clash");
    }
    card
}

fn face_card(file: &OpenedFile, id: RegionId, policy: WhitespacePolicy) -> Card {
    let region = file.plan().region(id);
    let versions = file.plan().versions();
    let (ours, theirs) = (cut(region.ours), cut(region.theirs));
    let delta = seen(
        delta(&versions.ours, ours, &versions.theirs, theirs),
        policy,
    );
    let stakes = Stakes::between(&delta, &versions.ours, &versions.theirs);
    let mut card = compared(
        file,
        (Version::Ours, region.ours),
        (Version::Theirs, region.theirs),
        &delta,
        &stakes,
        policy,
    );
    card.summary = format!("against ours: {}", card.summary);
    card
}

fn compared(
    file: &OpenedFile,
    (from, a): (Version, LineRange),
    (to, b): (Version, LineRange),
    delta: &Delta,
    stakes: &[Stake],
    policy: WhitespacePolicy,
) -> Card {
    let versions = file.plan().versions();
    let (old, new) = (versions.get(from), versions.get(to));
    let hidden = a.len().max(b.len()).saturating_sub(CARD_LINES);
    let line = |(row, stake): (&DeltaRow, &Stake)| CardLine {
        stake: *stake,
        ..worded_alone(
            delta_line(file.encoding, row, old, new, &|at| file.shades_of(to, at)),
            policy,
        )
    };
    Card {
        party: to,
        removed: from,
        summary: describe(delta, old.slice(cut(a)), new.slice(cut(b))),
        lines: delta.rows.iter().zip(stakes).map(line).collect(),
        hidden,
        cost: cost(delta),
    }
}

/// What happened: as one replacement where it is that, several times over.
fn describe(delta: &Delta, old: &[u8], new: &[u8]) -> String {
    // Moving about waits for this: a formula of pages of text is not looked for.
    let short = old.len().max(new.len()) <= CARD_FORMULA_BYTES;
    let formula = short.then(|| Formula::of(old, new)).flatten();
    match formula.filter(|formula| formula.times > 1) {
        Some(formula) => format!("changed {}", formula.describe()),
        None => delta.summary(),
    }
}

fn cost(delta: &Delta) -> usize {
    delta.cost + delta.rows.len()
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
fn bounded(parts: Vec<(Tone, String)>) -> Vec<(Tone, String)> {
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

fn text_card(file: &OpenedFile, id: RegionId, version: Version, stakes: &Stakes) -> Card {
    let all = file.plan().region(id).lines(version);
    let source = file.plan().versions().get(version);
    let line = |at: LineIdx| CardLine {
        number: Some(at.number()),
        sign: " ",
        parts: {
            let content = source.line(at).content();
            let all = 0..content.len();
            shaded(
                Tone::Plain,
                file.encoding,
                content,
                all,
                &file.shades_of(version, at),
            )
        },
        pick: Some(Pick { version, line: at }),
        stake: stakes.of_line(version, at),
    };
    Card {
        party: version,
        removed: version,
        summary: count(all.len(), "line"),
        lines: cut(all).iter().map(line).collect(),
        hidden: all.len().saturating_sub(CARD_LINES),
        cost: usize::MAX,
    }
}

/// The lines of a region that can be picked, in the order in which they are shown.
pub fn pickable(file: &OpenedFile, id: RegionId) -> Vec<Pick> {
    let cards = cards(file, id, Lens::Texts, WhitespacePolicy::Exact);
    let lines = cards.iter().flat_map(|card| &card.lines);
    lines.filter_map(|line| line.pick).collect()
}
