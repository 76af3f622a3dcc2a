//! Rule: what is in conflict by lines is none by declarations.

use crate::decide::joined::joined;
use crate::decide::resolution::Resolution;
use crate::decide::ruling::Certainty;
use crate::model::segment::Segment;
use crate::model::side::{PerSide, Side};
use crate::plan::structure::{Added, Apart};
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};
use crate::text::tokens::same_tokens;

/// The id of the rule.
pub(crate) const DECLARATIONS: &str = "declarations";

pub(crate) struct Declarations;

impl Rule for Declarations {
    fn id(&self) -> &'static str {
        DECLARATIONS
    }

    fn title(&self) -> &'static str {
        "declaration by declaration"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let [_, ours, theirs] = conflict.texts();
        Some(match conflict.plan().apart(conflict.id())? {
            // Where only blanks differ there are no two bodies.
            Apart::TwoBodies { .. } if same_tokens(ours, theirs) => return None,
            Apart::TwoBodies { what } => Proposal::hint(format!(
                "{} and {} each added {what}, with different bodies",
                context.ours, context.theirs
            )),
            Apart::Moved {
                mover,
                what,
                is_declaration,
            } => {
                let (moved, changed) = (context.label(*mover), context.label(mover.other()));
                Proposal::new(
                    sure(*is_declaration),
                    Resolution::Take(mover.other().into()),
                    format!("{moved} moved {what}; the edit of {changed} moves with it"),
                )
            }
            Apart::Beside {
                changed_by,
                what,
                is_declaration,
                may_be_renamed,
                wanting,
            } => {
                let (changed, other) = (
                    context.label(*changed_by),
                    context.label(changed_by.other()),
                );
                let (certainty, reason) = match may_be_renamed {
                    true => (
                        Certainty::Likely,
                        format!(
                            "{changed} added {what} and removed a declaration that {other} changed: if this is a rename, that change belongs here"
                        ),
                    ),
                    false => (
                        sure(*is_declaration),
                        format!("only {changed} changed {what}; {other} changed its neighbours"),
                    ),
                };
                let version = (*changed_by).into();
                let resolution = match wanting {
                    0 => Resolution::Take(version),
                    _ => {
                        let lines = conflict.region().lines(version);
                        let own = vec![Segment::Lines(version, lines)];
                        Resolution::Segments(with_blank_lines(conflict, own, *wanting))
                    }
                };
                Proposal::new(certainty, resolution, reason)
            }
            Apart::TwoPlaces { place_of, what } => Proposal::hint(format!(
                "{} and {} moved {what} to different places; this is the place of {}: keep it at one of the two",
                context.ours,
                context.theirs,
                context.label(*place_of)
            )),
            Apart::BothAdded {
                added, replaces, ..
            } if *replaces => Proposal::hint(format!(
                "each side replaced these lines differently: {} {}, {} {}",
                context.ours,
                titles(&added.ours),
                context.theirs,
                titles(&added.theirs)
            )),
            Apart::BothAdded {
                added,
                sorted,
                wanting,
                ..
            } => both_added(conflict, context, added, (*sorted, *wanting))?,
        })
    }

    fn examples(&self) -> &'static [Example] {
        // Examples know no declarations; this rule is tested in `tests/declarations.rs`.
        &[Example {
            path: "a.rs",
            base: "",
            ours: "fn moor() {}\n",
            theirs: "fn dock() {}\n",
            gives: None,
        }]
    }
}

/// Declarations hang on no neighbour; of mere lines, that run one after the other, nobody can be sure.
fn sure(is_declaration: bool) -> Certainty {
    match is_declaration {
        true => Certainty::Certain,
        false => Certainty::Likely,
    }
}

fn titles(added: &[Added]) -> String {
    let all: Vec<&str> = added.iter().map(|one| &*one.title).collect();
    match &all[..] {
        [] => "nothing".to_owned(),
        [one] => (*one).to_owned(),
        [one, other] => format!("{one} and {other}"),
        [one, .., last] => format!("{} things from {one} to {last}", all.len()),
    }
}

/// Both stay: in the order of their names where their neighbours are in that order, else ours first.
///
/// Nothing where some are mere lines: their order may mean something.
fn both_added(
    conflict: &Conflict<'_>,
    context: &RuleContext,
    added: &PerSide<Vec<Added>>,
    (sorted, wanting): (bool, usize),
) -> Option<Proposal> {
    if added
        .iter()
        .any(|all| all.is_empty() || all.iter().any(|one| !one.is_declaration))
    {
        return None;
    }
    let (ours, theirs) = (titles(&added.ours), titles(&added.theirs));
    let each = format!(
        "{} added {ours} here, {} {theirs}",
        context.ours, context.theirs
    );
    if sorted
        && wanting == 0
        && let Some(in_order) = in_order(conflict, added)
    {
        let reason = format!("{each}; both are kept, in the sorted order of the file");
        return Some(Proposal::certain(in_order, reason));
    }
    let reason = format!("{each}; both are kept, {} first", context.ours);
    Some(Proposal::likely(
        joined(conflict.plan(), conflict.id(), Side::Ours),
        reason,
    ))
}

/// Some segments with blank lines behind them.
fn with_blank_lines(conflict: &Conflict<'_>, segments: Vec<Segment>, count: usize) -> Vec<Segment> {
    let end = conflict.versions().ours.usual_end().bytes();
    [segments, vec![Segment::Text(end.repeat(count))]].concat()
}

/// What both added, in the order of names; `None` if a side's own are not, or need something between
/// them that does not come with each.
fn in_order(conflict: &Conflict<'_>, added: &PerSide<Vec<Added>>) -> Option<Resolution> {
    let rising = |all: &Vec<Added>| all.windows(2).all(|pair| pair[0].name <= pair[1].name);
    if !added.iter().all(rising) {
        return None;
    }
    let each = Side::BOTH
        .into_iter()
        .flat_map(|side| added[side].iter().map(move |one| (side, one)));
    let mut each: Vec<(Side, &Added)> = each.collect();
    let ending = |(side, one): &(Side, &Added)| {
        let text = conflict.versions().get((*side).into()).slice(one.lines);
        let blank = text
            .iter()
            .rev()
            .take_while(|b| b.is_ascii_whitespace())
            .count();
        let last = text[..text.len() - blank].last().copied();
        (
            last == Some(b','),
            String::from_utf8_lossy(&text[text.len() - blank..]).into_owned(),
        )
    };
    let first = ending(each.first()?);
    if !each.iter().all(|one| ending(one) == first) {
        return None;
    }
    each.sort_by(|a, b| a.1.name.cmp(&b.1.name));
    let segments = each
        .iter()
        .map(|(side, one)| Segment::Lines((*side).into(), one.lines));
    Some(conflict.resolution(segments.collect()))
}
