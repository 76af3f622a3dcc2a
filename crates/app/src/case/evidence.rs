//! What each side did to base at one place, as cards of lines ready to be drawn.

use crate::base::safe_text::count;
use crate::case::card_lines::{CardLine, Tone, bounded, delta_line, shaded, worded_alone};
use crate::case::opened::OpenedFile;
use crate::case::stakes::{Stake, Stakes};
use armistice_core::limits::{CARD_FORMULA_BYTES, CARD_LINES};
use armistice_core::{
    Apart, Delta, DeltaRow, Formula, LineIdx, LineRange, PerSide, Pick, RegionId, RegionKind, Side,
    Version, WhitespacePolicy, delta,
};
use serde::{Deserialize, Serialize};

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
            let (_, stakes) = differences(file, id, policy);
            Version::ALL.map(|v| text_card(file, id, v, &stakes)).into()
        }
        Lens::Face => {
            let (_, stakes) = differences(file, id, policy);
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

/// What each side did in a region, and what of it has to do with the question.
fn differences(
    file: &OpenedFile,
    id: RegionId,
    policy: WhitespacePolicy,
) -> (PerSide<Delta>, Stakes) {
    let region = file.plan().region(id);
    let versions = file.plan().versions();
    let deltas = PerSide::from_fn(|side: Side| {
        let lines = cut(region.lines(side.into()));
        let text = versions.get(side.into());
        seen(delta(&versions.base, cut(region.base), text, lines), policy)
    });
    let stakes = match region.kind {
        RegionKind::Conflict => Stakes::of(&deltas, versions),
        _ => Stakes::all(&deltas, versions),
    };
    (deltas, stakes)
}

fn deltas(
    file: &OpenedFile,
    id: RegionId,
    kind: RegionKind,
    policy: WhitespacePolicy,
) -> Vec<Card> {
    let (deltas, stakes) = differences(file, id, policy);
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
    let did_nothing = delta
        .rows
        .iter()
        .all(|row| matches!(row, DeltaRow::Kept(..)));
    if let (true, Some(apart)) = (did_nothing, file.plan().apart(id)) {
        card.summary = match apart {
            Apart::Moved { mover, what, .. } if *mover == side => {
                let from = file.plan().real_line(Version::Base, region.base.start);
                format!("moved {what} here from {} of base", from.number())
            }
            _ => "left these lines unchanged".to_owned(),
        };
    }
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
    // A plan by declarations lays lines out in another order than they have.
    let real = |row: &DeltaRow, number: usize| {
        let version = if matches!(row, DeltaRow::Removed(_)) {
            from
        } else {
            to
        };
        let line = LineIdx(number.saturating_sub(1) as u32);
        file.plan().real_line(version, line).number()
    };
    let line = |(row, stake): (&DeltaRow, &Stake)| {
        let line = worded_alone(
            delta_line(file.encoding, row, old, new, &|at| file.shades_of(to, at)),
            policy,
        );
        CardLine {
            stake: *stake,
            number: line.number.map(|number| real(row, number)),
            ..line
        }
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

fn text_card(file: &OpenedFile, id: RegionId, version: Version, stakes: &Stakes) -> Card {
    let all = file.plan().region(id).lines(version);
    let source = file.plan().versions().get(version);
    let line = |at: LineIdx| CardLine {
        number: Some(file.plan().real_line(version, at).number()),
        sign: " ",
        parts: {
            let content = source.line(at).content();
            let all = 0..content.len();
            let shades = file.shades_of(version, at);
            bounded(shaded(Tone::Plain, file.encoding, content, all, &shades))
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
