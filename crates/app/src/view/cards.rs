//! How the cards of the evidence are laid out: which rows there is room for, so that the question is
//! in sight.
//!
//! Each card opens at the rows that clash. What is not in question is folded into rows that say what
//! it is, as far as there is no room for it. Not here: what a card holds (`case::evidence`), cells.

use crate::base::safe_text::count;
use crate::case::card_lines::CardLine;
use crate::case::evidence::Card;
use crate::case::stakes::Stake;
use crate::state::file::CardScroll;
use crate::view::wrapping::wrapped;
use armistice_core::{LineIdx, Version};

/// One row of a card on the screen.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum CardRow {
    Head(usize),
    /// A line of a card, and which of the rows that it takes.
    Line {
        card: usize,
        line: usize,
        row: usize,
    },
    /// Lines that are not in question.
    Fold {
        card: usize,
        says: String,
    },
    /// Lines that there is no room for: so many below, and above.
    Cut {
        card: usize,
        below: usize,
        above: usize,
    },
    /// A commit that made what a card shows, in words.
    Who {
        card: usize,
        says: String,
    },
    Gap,
    /// Above lines of a version around the conflict.
    AroundHead(Version),
    Around(Version, LineIdx),
    /// Where the conflict is among them, and how many lines it has.
    Here(usize),
}

impl CardRow {
    /// The row for the same card among all of them: `which` says which its column has.
    pub(crate) fn in_place(mut self, which: &[usize]) -> Self {
        match &mut self {
            CardRow::Head(card)
            | CardRow::Line { card, .. }
            | CardRow::Fold { card, .. }
            | CardRow::Cut { card, .. }
            | CardRow::Who { card, .. } => *card = which[*card],
            CardRow::Gap | CardRow::AroundHead(_) | CardRow::Around(..) | CardRow::Here(_) => {}
        }
        self
    }
}

/// Columns in front of the text of a card's line: order of picking, number, sign.
pub(crate) const CARD_GUTTER: usize = 11;
/// Runs of lines up to which folding them saves nothing.
const FOLD_LEAST: usize = 2;
/// From this height on a row is left free between cards.
const ROOMY: usize = 16;
/// Below this height base is left out: what was done to it says what it was.
const BASE_LEAST: usize = 10;

/// What is shown of a card, from the least to all of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Level {
    /// Rows that clash, without what was taken out to make room for others.
    Added,
    Clashing,
    Changed,
    Nearby,
    All,
}

impl Level {
    const ALL: [Level; 5] = [
        Level::Added,
        Level::Clashing,
        Level::Changed,
        Level::Nearby,
        Level::All,
    ];
}

/// A line of a card, or several folded into a row.
#[derive(Clone, Copy)]
enum Item {
    Line(usize),
    Fold(usize, usize),
}

/// The rows of all cards that fit into `height`.
pub(crate) fn card_rows(
    cards: &[&Card],
    width: usize,
    height: usize,
    scroll: CardScroll,
    who: &[Vec<String>],
) -> Vec<CardRow> {
    let who = told(cards, width, height, who);
    let rows: usize = who.iter().map(Vec::len).sum();
    let shares = shares(cards, width, height - rows, scroll);
    let gap = usize::from(height >= ROOMY);
    let mut out = Vec::new();
    for (card, share) in shares.iter().enumerate() {
        let Some((level, room)) = share else { continue };
        out.push(CardRow::Head(card));
        out.extend(body(cards, card, *level, width, *room, scroll));
        let says = who.get(card).into_iter().flatten().cloned();
        out.extend(says.map(|says| CardRow::Who { card, says }));
        out.extend((0..gap).map(|_| CardRow::Gap));
    }
    out
}

/// What is said about commits, as far as all that changed leaves room for it.
fn told(cards: &[&Card], width: usize, height: usize, who: &[Vec<String>]) -> Vec<Vec<String>> {
    let short = |says: &Vec<String>| -> Vec<String> {
        match says.len() > COMMITS {
            true => {
                let more = format!("and {} · c shows all", count(says.len() - 1, "more commit"));
                vec![says[0].clone(), more]
            }
            false => says.clone(),
        }
    };
    let all: Vec<Vec<String>> = who.iter().map(short).collect();
    let rows: usize = all.iter().map(Vec::len).sum();
    match wanted(cards, width, height) + cards.len().min(2) + rows <= height {
        true => all,
        false => Vec::new(),
    }
}

/// Commits that are reported under a card.
const COMMITS: usize = 2;

/// Rows that the cards of both sides take if all that changed is shown.
pub(crate) fn wanted(cards: &[&Card], width: usize, most: usize) -> usize {
    let sides = cards.iter().take(2);
    let rows = sides.map(|card| 1 + rows_of(card, Level::Changed, width, false, most));
    rows.sum()
}

/// How far each card can be scrolled down.
pub(crate) fn longest_scroll(
    cards: &[&Card],
    width: usize,
    height: usize,
    scroll: CardScroll,
    who: &[Vec<String>],
) -> [usize; 3] {
    let rows: usize = told(cards, width, height, who).iter().map(Vec::len).sum();
    let shares = shares(cards, width, height - rows, scroll);
    let mut most = [0; 3];
    for (card, share) in shares.iter().enumerate().take(3) {
        if let Some((level, room)) = share {
            let all = flat(cards[card], *level, width, scroll.unfolded);
            if all.rows.len() <= *room && cards[card].hidden == 0 {
                continue;
            }
            let from = all.opening.min(all.rows.len().saturating_sub(*room));
            most[card] = (all.rows.len() + 1).saturating_sub(from + *room);
        }
    }
    most
}

/// For each card what is shown of it and in how many rows, its head not counted; nothing if there is
/// no room for it at all.
fn shares(
    cards: &[&Card],
    width: usize,
    height: usize,
    scroll: CardScroll,
) -> Vec<Option<(Level, usize)>> {
    let gap = usize::from(height >= ROOMY);
    let sides = cards.len().min(2);
    let need = |card: usize, level| rows_of(cards[card], level, width, scroll.unfolded, height);
    let heads = |n: usize| n * (1 + gap);
    let mut room = height.saturating_sub(heads(sides));
    let mut levels = vec![Level::Added; sides];
    let mut needs: Vec<usize> = (0..sides).map(|card| need(card, Level::Added)).collect();
    if needs.iter().sum::<usize>() > room {
        // Whoever needs less than half gets it; the other gets the rest.
        let least = needs.iter().min().copied().unwrap_or(0).min(room / 2);
        let smaller = usize::from(sides == 2 && needs[1] < needs[0]);
        let given = |n: usize| match sides {
            1 => room,
            _ if n == smaller => least,
            _ => room - least,
        };
        return (0..cards.len())
            .map(|card| (card < sides).then(|| (Level::Added, given(card))))
            .collect();
    }
    room -= needs.iter().sum::<usize>();
    for level in &Level::ALL[1..] {
        for card in 0..sides {
            let more = need(card, *level).saturating_sub(needs[card]);
            if levels[card] < *level && more <= room {
                room -= more;
                needs[card] += more;
                levels[card] = *level;
            }
        }
    }
    let mut out: Vec<Option<(Level, usize)>> = levels.into_iter().zip(needs).map(Some).collect();
    for card in sides..cards.len() {
        let fits = height >= BASE_LEAST && room > 1 + gap;
        let share = fits.then(|| {
            room -= 1 + gap;
            let level = Level::ALL
                .into_iter()
                .rev()
                .find(|level| need(card, *level) <= room);
            let level = level.unwrap_or(Level::Clashing);
            let given = need(card, level).min(room);
            room -= given;
            (level, given)
        });
        out.push(share);
    }
    out
}

/// Which lines of a card are shown at a level, the rest folded.
fn items(card: &Card, level: Level, unfolded: bool) -> Vec<Item> {
    let clashes = card.lines.iter().any(|line| line.stake == Stake::Clash);
    let near = |at: usize| {
        let from = at.saturating_sub(1);
        let around = card.lines[from..card.lines.len().min(at + 2)].iter();
        around
            .clone()
            .any(|l| matches!(l.stake, Stake::Clash | Stake::Own))
    };
    let is_shown = |at: usize| match card.lines[at].stake {
        _ if unfolded || !clashes => true,
        Stake::Clash => level > Level::Added || !is_replaced(card, at),
        Stake::Own => level >= Level::Changed,
        Stake::Kept | Stake::Layout(_) if level == Level::Nearby => near(at),
        Stake::Kept => level == Level::All,
        Stake::Layout(_) => level == Level::All && near(at),
    };
    let mut out = Vec::new();
    let mut at = 0;
    while at < card.lines.len() {
        if is_shown(at) {
            out.push(Item::Line(at));
            at += 1;
            continue;
        }
        let from = at;
        while at < card.lines.len() && !is_shown(at) {
            at += 1;
        }
        match at - from < FOLD_LEAST {
            true => out.extend((from..at).map(Item::Line)),
            false => out.push(Item::Fold(from, at)),
        }
    }
    out
}

/// Whether a line was taken out and others stand in its place: base shows it in the draft.
fn is_replaced(card: &Card, at: usize) -> bool {
    let changed = |line: &CardLine| line.stake == Stake::Clash;
    let put_in = |line: &CardLine| line.sign == "+";
    let behind = card.lines[at..].iter().take_while(|line| changed(line));
    let before = card.lines[..at]
        .iter()
        .rev()
        .take_while(|line| changed(line));
    card.lines[at].sign == "−" && behind.chain(before).any(put_in)
}

/// Rows that a card takes at a level, its head not counted; counted no further than `most`.
fn rows_of(card: &Card, level: Level, width: usize, unfolded: bool, most: usize) -> usize {
    let mut rows = usize::from(card.hidden > 0);
    for item in items(card, level, unfolded) {
        rows += match item {
            Item::Fold(..) => 1,
            Item::Line(at) => wrapped(&card.lines[at], width).len(),
        };
        if rows > most {
            break;
        }
    }
    rows
}

/// All rows of a card at a level, and the first that clashes.
struct Flat {
    rows: Vec<FlatRow>,
    opening: usize,
}

enum FlatRow {
    Line(usize, usize),
    Fold(usize, usize),
}

fn flat(card: &Card, level: Level, width: usize, unfolded: bool) -> Flat {
    let mut rows = Vec::new();
    let mut opening = None;
    for item in items(card, level, unfolded) {
        match item {
            Item::Fold(from, to) => rows.push(FlatRow::Fold(from, to)),
            Item::Line(at) => {
                if card.lines[at].stake == Stake::Clash {
                    opening = opening.or(Some(rows.len()));
                }
                let tall = wrapped(&card.lines[at], width).len();
                rows.extend((0..tall).map(|row| FlatRow::Line(at, row)));
            }
        }
    }
    Flat {
        rows,
        opening: opening.unwrap_or(0),
    }
}

/// The rows of one card in its share of the room.
fn body(
    cards: &[&Card],
    card: usize,
    level: Level,
    width: usize,
    room: usize,
    scroll: CardScroll,
) -> Vec<CardRow> {
    let (lines, hidden) = (&cards[card].lines, cards[card].hidden);
    let all = flat(cards[card], level, width, scroll.unfolded);
    let total = all.rows.len();
    let down = scroll.down.get(card).copied().unwrap_or(0);
    let whole = total <= room && hidden == 0;
    // What does not fit begins where it clashes.
    let from = match whole {
        true => 0,
        false => (all.opening.min(total.saturating_sub(room)) + down).min(total),
    };
    let lines_in = |rows: &[FlatRow]| -> usize {
        let counted = rows.iter().map(|row| match row {
            FlatRow::Line(_, row) => usize::from(*row == 0),
            FlatRow::Fold(from, to) => to - from,
        });
        counted.sum()
    };
    let cut = from + room < total || from > 0 || hidden > 0;
    let shown = if cut { room.saturating_sub(1) } else { room };
    let to = (from + shown).min(total);
    let mut out: Vec<CardRow> = all.rows[from..to]
        .iter()
        .map(|row| match row {
            FlatRow::Line(line, row) => CardRow::Line {
                card,
                line: *line,
                row: *row,
            },
            FlatRow::Fold(from, to) => CardRow::Fold {
                card,
                says: folded(&lines[*from..*to]),
            },
        })
        .collect();
    if cut && room > 0 {
        out.push(CardRow::Cut {
            card,
            below: lines_in(&all.rows[to..]) + hidden,
            above: lines_in(&all.rows[..from]),
        });
    }
    out
}

/// What lines are that are folded, in words.
fn folded(lines: &[CardLine]) -> String {
    // The plain texts tell nothing of their lines.
    if lines.iter().all(|line| line.pick.is_some()) {
        return format!("{} outside the conflict", count(lines.len(), "line"));
    }
    let number = |is: fn(&Stake) -> bool| lines.iter().filter(|line| is(&line.stake)).count();
    let layout = number(|stake| matches!(stake, Stake::Layout(_)));
    let own = number(|stake| matches!(stake, Stake::Own | Stake::Clash));
    let kept = number(|stake| *stake == Stake::Kept);
    let out = lines.iter().filter(|line| line.sign == "−").count();
    let mut shifts = lines.iter().filter_map(|line| match line.stake {
        Stake::Layout(by) => Some(by),
        _ => None,
    });
    let by = shifts.next().filter(|first| shifts.all(|by| by == *first));
    let mut parts = Vec::new();
    if layout > 0 {
        let how = match by {
            Some(by) if by > 0 => format!(" re-indented, {by} deeper"),
            Some(by) if by < 0 => format!(" re-indented, {} less deep", -by),
            Some(_) => " re-spaced".to_owned(),
            None => " reformatted".to_owned(),
        };
        parts.push(format!("{}{how}", count(layout, "line")));
    }
    if out > 0 {
        parts.push(format!("{} of base removed", count(out, "line")));
    }
    if own > out {
        parts.push(format!("{} changed only here", count(own - out, "line")));
    }
    if kept > 0 {
        parts.push(format!("{} as in base", count(kept, "line")));
    }
    parts.join(" · ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::case::card_lines::Tone;

    fn card(stakes: &str) -> Card {
        let line = |(nth, sign): (usize, char)| CardLine {
            number: Some(nth + 1),
            sign: " ",
            parts: vec![(Tone::Plain, format!("line {nth}"))],
            pick: None,
            stake: match sign {
                '!' => Stake::Clash,
                'o' => Stake::Own,
                '~' => Stake::Layout(4),
                _ => Stake::Kept,
            },
        };
        Card {
            party: Version::Ours,
            removed: Version::Ours,
            summary: String::new(),
            lines: stakes.chars().enumerate().map(line).collect(),
            hidden: 0,
            cost: 0,
        }
    }

    fn shown(stakes: &[&str], height: usize, scroll: CardScroll) -> String {
        let cards: Vec<Card> = stakes.iter().map(|stakes| card(stakes)).collect();
        let cards: Vec<&Card> = cards.iter().collect();
        let rows = card_rows(&cards, 40, height, scroll, &[]);
        assert!(rows.len() <= height, "{rows:?}");
        let row = |row: &CardRow| match row {
            CardRow::Head(card) => format!("#{card}"),
            CardRow::Line { line, .. } => line.to_string(),
            CardRow::Fold { says, .. } => format!("({says})"),
            CardRow::Cut { below, above, .. } => format!("<{above} {below}>"),
            CardRow::Who { says, .. } => says.clone(),
            CardRow::Gap => "_".to_owned(),
            _ => String::new(),
        };
        rows.iter().map(row).collect::<Vec<_>>().join(" ")
    }

    #[test]
    fn what_clashes_is_in_sight_and_the_rest_is_folded_as_room_is_short() {
        let none = CardScroll::default();
        let long = "~".repeat(27) + "!" + &"~".repeat(15);
        assert_eq!(
            shown(&[&long, ".!."], 9, none),
            "#0 (27 lines re-indented, 4 deeper) 27 (15 lines re-indented, 4 deeper) #1 0 1 2"
        );
        let roomy = shown(&[&long, ".!."], 40, none);
        assert!(
            roomy.starts_with("#0 (26 lines re-indented, 4 deeper) 26 27 28 (14"),
            "{roomy}"
        );
        assert!(
            shown(
                &[&long],
                60,
                CardScroll {
                    unfolded: true,
                    ..none
                }
            )
            .contains("0 1 2 3")
        );
        assert_eq!(
            shown(&["oo..!", "!"], 7, none),
            "#0 0 1 (2 lines as in base) 4 #1 0"
        );
        assert_eq!(
            shown(&["oo..!", "!"], 6, none),
            "#0 (2 lines changed only here · 2 lines as in base) 4 #1 0"
        );
    }

    #[test]
    fn what_does_not_fit_is_cut_with_a_sign_and_scrolls() {
        let (many, few) = ("!".repeat(30), "!!");
        let none = CardScroll::default();
        assert_eq!(shown(&[&many, few], 10, none), "#0 0 1 2 3 4 <0 25> #1 0 1");
        let down = CardScroll {
            down: [10, 0, 0],
            ..none
        };
        assert_eq!(
            shown(&[&many, few], 10, down),
            "#0 10 11 12 13 14 <10 15> #1 0 1"
        );
        let cards = [card(&many), card(few)];
        let cards: Vec<&Card> = cards.iter().collect();
        let most = longest_scroll(&cards, 40, 10, none, &[]);
        assert_eq!(most, [25, 0, 0]);
        let end = CardScroll { down: most, ..none };
        assert_eq!(
            shown(&[&many, few], 10, end),
            "#0 25 26 27 28 29 <25 0> #1 0 1"
        );
        // Both longer than their half: half for each.
        let rows = shown(&[&many, &many], 12, none);
        assert_eq!(rows, "#0 0 1 2 3 <0 26> #1 0 1 2 3 <0 26>");
        let rows = shown(&[&many[..8], &many], 11, none);
        assert_eq!(rows, "#0 0 1 2 <0 5> #1 0 1 2 3 <0 26>");
    }

    #[test]
    fn commits_are_told_where_nothing_gives_way_to_them() {
        let cards = [card("!!"), card("!")];
        let cards: Vec<&Card> = cards.iter().collect();
        let says = |n: usize| (0..n).map(|n| format!("commit {n}")).collect::<Vec<_>>();
        let who = [says(1), says(3)];
        let rows = |height| card_rows(&cards, 40, height, CardScroll::default(), &who);
        let told = |rows: &[CardRow]| -> Vec<String> {
            let says = rows.iter().filter_map(|row| match row {
                CardRow::Who { says, .. } => Some(says.clone()),
                _ => None,
            });
            says.collect()
        };
        assert_eq!(
            told(&rows(16)),
            ["commit 0", "commit 0", "and 2 more commits · c shows all"]
        );
        assert!(told(&rows(8)).is_empty());
        assert_eq!(rows(8).len(), 5);
    }
}
