//! How evidence and settle box are laid out: data and geometry, no cells.

use crate::base::safe_text::{count, wrap};
use crate::case::choices::Choice;
use crate::case::evidence::Card;
use crate::state::app::State;
use crate::state::file::{CardScroll, Mode, OpenFile};
use crate::view::cards::{CARD_GUTTER, CardRow, card_rows, longest_scroll};
use crate::view::who::{card_commits, commit_line};
use crate::view::wrapping::wrapped;
use armistice_core::{LineIdx, RegionId, RegionKind, RegionState, Side, Version};
use ratatui::layout::Rect;

/// How evidence and settle box share their area.
pub(crate) struct Parts {
    pub(crate) head: Rect,
    pub(crate) cards: Rect,
    pub(crate) settle: Rect,
}

pub(crate) fn parts(file: &OpenFile, area: Rect) -> Parts {
    let settle = settle_height(file, area);
    let settle = settle.min(area.height.saturating_sub(3));
    let head = Rect {
        height: area.height.min(1),
        ..area
    };
    let cards = Rect {
        y: area.y + head.height,
        height: area.height.saturating_sub(settle + head.height),
        ..area
    };
    let settle = Rect {
        y: cards.y + cards.height,
        height: settle,
        ..area
    };
    Parts {
        head,
        cards,
        settle,
    }
}

/// In a low area the choices share one row.
pub(crate) fn is_low(area: Rect) -> bool {
    area.height < 16
}

pub(crate) fn settle_height(file: &OpenFile, area: Rect) -> u16 {
    if matches!(file.view.mode, Mode::Edit(_)) {
        return 0;
    }
    let n = file.shown().choices.len() as u16;
    let reason = rows_above(file, area) as u16;
    match n {
        0 => 2,
        _ if is_low(area) => 2 + reason,
        n => 2 + reason + n.div_ceil(per_row(area.width)),
    }
}

/// Rows of the settle box between its title and the choices; in a low area what choices give up is
/// in the title.
pub(crate) fn rows_above(file: &OpenFile, area: Rect) -> usize {
    let told = !is_low(area) && gives_up(file).is_some();
    reason(file, area).len() + usize::from(told)
}

/// What the plain choices give up, in one sentence; nothing where no conflict is open.
pub(crate) fn gives_up(file: &OpenFile) -> Option<String> {
    let choices = &file.shown().choices;
    let is_open = file.draft().is_open(file.view.region);
    if !is_open || choices.is_empty() {
        return None;
    }
    let rows = |side: Side| match file.shown().worked[side] {
        0 => format!("only {}' layout", Version::from(side).name()),
        n => format!("{} from {}", count(n, "line"), Version::from(side).name()),
    };
    let mut said = format!(
        "discards: o {} · t {}",
        rows(Side::Theirs),
        rows(Side::Ours)
    );
    let has = |key: &str| choices.iter().any(|choice| choice.key == key);
    if has("b") {
        said += " · b both";
    }
    // Elsewhere what one side took out stands again in the other's lines.
    let base = file.plan().region(file.view.region).base;
    if has("a") && base.is_empty() {
        said += " · a nothing";
    }
    Some(said)
}

/// Why a rule settled this, or what it proposes or hints at; in lines.
pub(crate) fn reason(file: &OpenFile, area: Rect) -> Vec<String> {
    let id = file.view.region;
    let ruling = match file.draft().standing(id) {
        RegionState::Ruled(ruling) => Some((ruling.certainty, ruling.reason.as_str())),
        RegionState::Open => file
            .opened
            .rulings()
            .get(&id)
            .map(|r| (r.certainty, r.reason.as_str())),
        _ => None,
    };
    let Some((certainty, reason)) = ruling else {
        return Vec::new();
    };
    let mut lines = wrap(
        &format!("{}: {reason}", certainty.name()),
        (area.width as usize).saturating_sub(4),
    );
    let most = if is_low(area) { 1 } else { 3 };
    if lines.len() > most {
        lines.truncate(most);
        if let Some(last) = lines.last_mut() {
            last.push_str(" …");
        }
    }
    lines
}

pub(crate) fn per_row(width: u16) -> u16 {
    (width / 30).clamp(1, 3)
}

/// The commits behind each card, in words.
pub(crate) fn who_says(state: &State, cards: &[Card]) -> Vec<Vec<String>> {
    let Some(file) = state.file(state.file) else {
        return Vec::new();
    };
    let of = |card: &Card| -> Vec<String> {
        let side = match card.party {
            Version::Ours => Side::Ours,
            Version::Theirs => Side::Theirs,
            Version::Base => return Vec::new(),
        };
        let commits = card_commits(file, cards, side);
        commits
            .iter()
            .map(|commit| commit_line(commit, state.now))
            .collect()
    };
    cards.iter().map(of).collect()
}

/// A column of cards on the screen: its area and what is in it.
pub(crate) struct Column {
    pub(crate) area: Rect,
    pub(crate) rows: Vec<CardRow>,
}

/// From this width on the cards of ours and theirs stand side by side.
const TWO_COLUMNS: u16 = 120;

/// Which cards stand in which column.
fn columns_of(cards: &[Card], area: Rect) -> Vec<(Rect, Vec<usize>)> {
    if area.width < TWO_COLUMNS || cards.len() < 3 {
        return vec![(area, (0..cards.len()).collect())];
    }
    let half = area.width / 2;
    let right = Rect {
        x: area.x + half,
        width: area.width - half,
        ..area
    };
    let left = Rect {
        width: half,
        ..area
    };
    // Ours, and below it the last, which is base; theirs.
    vec![(left, vec![0, 2]), (right, vec![1])]
}

/// The columns of cards as far as they fit into an area, and around them what room is left for.
pub(crate) fn columns(state: &State, file: &OpenFile, cards: &[Card], area: Rect) -> Vec<Column> {
    if let Mode::Pick(picking) = &file.view.mode {
        let (width, height) = (card_width(area), area.height as usize);
        let rows = picking_rows(cards, picking.cursor, width, height);
        return vec![Column { area, rows }];
    }
    let who = who_says(state, cards);
    let column = |(area, which): (Rect, Vec<usize>)| {
        let (own, scroll, who) = of_column(cards, &which, file.view.cards, &who);
        let (width, height) = (card_width(area), area.height as usize);
        let rows = card_rows(&own, width, height, scroll, &who);
        let mut rows: Vec<CardRow> = rows.into_iter().map(|row| row.in_place(&which)).collect();
        let parties: Vec<Version> = own.iter().map(|card| card.party).collect();
        let room = height.saturating_sub(rows.len());
        rows.extend(around(file, &parties, room));
        Column { area, rows }
    };
    columns_of(cards, area).into_iter().map(column).collect()
}

/// The cards of one column, with what is known of each.
fn of_column<'a>(
    cards: &'a [Card],
    which: &[usize],
    scroll: CardScroll,
    who: &[Vec<String>],
) -> (Vec<&'a Card>, CardScroll, Vec<Vec<String>>) {
    let own = which.iter().map(|at| &cards[*at]).collect();
    let mut down = [0; 3];
    for (place, at) in which.iter().enumerate().take(3) {
        down[place] = scroll.down.get(*at).copied().unwrap_or(0);
    }
    let who = which
        .iter()
        .map(|at| who.get(*at).cloned().unwrap_or_default());
    (own, CardScroll { down, ..scroll }, who.collect())
}

/// How far a card can be scrolled down.
pub(crate) fn longest(state: &State, file: &OpenFile, card: usize, area: Rect) -> usize {
    let cards = &file.shown().cards;
    let who = who_says(state, cards);
    for (area, which) in columns_of(cards, area) {
        let Some(place) = which.iter().position(|at| *at == card) else {
            continue;
        };
        let (own, scroll, who) = of_column(cards, &which, file.view.cards, &who);
        let (width, height) = (card_width(area), area.height as usize);
        let most = longest_scroll(&own, width, height, scroll, &who);
        return most.get(place).copied().unwrap_or(0);
    }
    0
}

/// Lines of each version around the current conflict, where the cards leave room for them.
fn around(file: &OpenFile, parties: &[Version], room: usize) -> Vec<CardRow> {
    let sides: Vec<Version> = parties
        .iter()
        .copied()
        .filter(|version| *version != Version::Base)
        .collect();
    let is_conflict = file.plan().conflict_of(file.view.region).is_some();
    if !is_conflict || sides.is_empty() {
        return Vec::new();
    }
    // A head, the lines before, a mark for the conflict, the lines behind.
    let each = (room / sides.len()).saturating_sub(2) / 2;
    let each = each.min(AROUND);
    if each < 2 {
        return Vec::new();
    }
    let mut out = Vec::new();
    for version in sides {
        let lines = file.plan().region(file.view.region).lines(version);
        let len = file.plan().versions().get(version).len();
        out.push(CardRow::AroundHead(version));
        let before = (lines.start.0 as usize).saturating_sub(each)..lines.start.0 as usize;
        let behind = lines.end.0 as usize..(lines.end.0 as usize + each).min(len);
        let row = |at: usize| CardRow::Around(version, LineIdx(at as u32));
        out.extend(before.map(row));
        out.push(CardRow::Here(lines.len()));
        out.extend(behind.map(row));
    }
    out
}

/// Lines before and behind a conflict that are shown of each version.
const AROUND: usize = 5;

/// Columns for the text of cards.
pub(crate) fn card_width(area: Rect) -> usize {
    // One column stays free at the right edge.
    (area.width as usize).saturating_sub(CARD_GUTTER + 1)
}

fn picking_rows(cards: &[Card], cursor: usize, width: usize, height: usize) -> Vec<CardRow> {
    let mut all = Vec::new();
    let (mut nth, mut at) = (0, 0);
    for (card, of) in cards.iter().enumerate() {
        all.push(CardRow::Head(card));
        for (line, text) in of.lines.iter().enumerate() {
            let tall = wrapped(text, width).len();
            all.extend((0..tall).map(|row| CardRow::Line { card, line, row }));
            if nth == cursor {
                at = all.len();
            }
            nth += 1;
        }
        if of.hidden > 0 {
            let (below, above) = (of.hidden, 0);
            all.push(CardRow::Cut { card, below, above });
        }
        all.push(CardRow::Gap);
    }
    let from = (at + 3).saturating_sub(height).min(all.len());
    all.split_off(from)
}

/// The choices that fit on one row: number, column and text of each; the chosen one is among them.
pub(crate) fn low_cells(
    choices: &[Choice],
    width: usize,
    chosen: Option<usize>,
    named: impl Fn(&str) -> String,
) -> Vec<(usize, usize, String)> {
    let text = |choice: &Choice| {
        let label = match choice.label.as_str() {
            "ours then theirs" => "ours+theirs",
            "theirs then ours" => "theirs+ours",
            label => label,
        };
        format!("{} {} {}", choice.key, named(label), choice.lines)
    };
    let texts: Vec<_> = choices.iter().map(text).collect();
    let wide = |from: usize, to: usize| -> usize {
        let texts = texts[from..to].iter();
        texts.map(|text| text.chars().count() + 2).sum()
    };
    // Room for the sign that more of them stand to the left or right.
    let room = width.saturating_sub(2);
    let last = chosen.map_or(0, |nth| nth + 1).min(texts.len());
    let first = (0..last).find(|from| wide(*from, last) <= room);
    let first = first.unwrap_or(last.saturating_sub(1));
    let mut x = 2;
    let mut out = Vec::new();
    for (nth, text) in texts.into_iter().enumerate().skip(first) {
        let end = x + text.chars().count();
        if end > room && nth >= last {
            break;
        }
        out.push((nth, x, text));
        x = end + 2;
    }
    out
}

/// Lines of the three versions at one height.
pub(crate) struct Aligned {
    pub(crate) kind: RegionKind,
    pub(crate) here: bool,
    /// By [`Version`]: base, ours, theirs.
    pub(crate) lines: [Option<LineIdx>; 3],
}

/// Rows around the cursor's region, the same region at the same height in all three.
pub(crate) fn aligned(file: &OpenFile, height: usize) -> Vec<Aligned> {
    let plan = file.plan();
    let here = file.view.region.0 as usize;
    let above = height / 4;
    let tall = |i: usize| {
        let region = plan.region(RegionId(i as u32));
        [Version::Base, Version::Ours, Version::Theirs]
            .map(|v| region.lines(v).len())
            .into_iter()
            .max()
            .unwrap_or(0)
    };
    let (mut first, mut got) = (here, 0);
    while first > 0 && got < above {
        first -= 1;
        got += tall(first);
    }
    let mut out = Vec::new();
    let mut skip =
        got.saturating_sub(above) + file.view.offset.min(tall(here).saturating_sub(height / 2));
    for i in first..plan.regions().len() {
        let region = plan.region(RegionId(i as u32));
        for nth in 0..tall(i) {
            if skip > 0 {
                skip -= 1;
                continue;
            }
            if out.len() == height {
                return out;
            }
            let line = |v| region.lines(v).iter().nth(nth);
            out.push(Aligned {
                kind: region.kind,
                here: i == here && region.kind != RegionKind::Unchanged,
                lines: [
                    line(Version::Base),
                    line(Version::Ours),
                    line(Version::Theirs),
                ],
            });
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use armistice_core::Resolution;

    fn shown(width: usize, chosen: Option<usize>) -> Vec<(usize, usize, String)> {
        let choice = |(key, label, lines): (&'static str, &str, usize)| Choice {
            key,
            label: label.to_owned(),
            lines,
            resolution: Resolution::Drop,
        };
        let all = [
            ("o", "ours", 3),
            ("t", "theirs", 2),
            ("a", "ours then theirs", 5),
            ("I", "theirs re-indented", 2),
        ];
        low_cells(&all.map(choice), width, chosen, str::to_owned)
    }

    #[test]
    fn choices_on_one_row_are_cut_where_it_ends_but_the_chosen_one_is_shown() {
        let numbers = |cells: Vec<(usize, usize, String)>| -> Vec<usize> {
            cells.into_iter().map(|(nth, ..)| nth).collect()
        };
        assert_eq!(numbers(shown(80, None)), [0, 1, 2, 3]);
        assert_eq!(numbers(shown(40, None)), [0, 1]);
        assert_eq!(numbers(shown(40, Some(2))), [1, 2]);
        assert_eq!(numbers(shown(44, Some(3))), [2, 3]);
        assert_eq!(shown(80, None)[1], (1, 12, "t theirs 2".to_owned()));
        // Narrower than the choice itself: cut, but there.
        assert_eq!(numbers(shown(10, Some(3))), [3]);
    }
}
