//! Asks the rules, in their order, and keeps the surest answer.

use crate::decide::ruling::{Certainty, Ruling};
use crate::model::region::RegionId;
use crate::plan::build::Plan;
use crate::rules::adjacent::Adjacent;
use crate::rules::beside::Beside;
use crate::rules::blend::Blend;
use crate::rules::both_added::BothAdded;
use crate::rules::conflict::Conflict;
use crate::rules::formula::Replay;
use crate::rules::generated::{Generated, ID};
use crate::rules::import_list::Names;
use crate::rules::more::More;
use crate::rules::moved::Moved;
use crate::rules::numbers::Numbers;
use crate::rules::past_resolution::Memory;
use crate::rules::reindented::Reindented;
use crate::rules::removed::Removed;
use crate::rules::rewrapped::Rewrapped;
use crate::rules::rule::{Rule, RuleContext};
use crate::rules::similar_conflict::SimilarConflict;
use crate::rules::sorted::Sorted;
use crate::rules::too_long::TooLong;
use crate::rules::white_space::WhiteSpace;
use std::rc::Rc;

/// All rules, in the order in which they are asked.
pub static RULES: &[&dyn Rule] = &[
    &Memory,
    &SimilarConflict,
    &Generated,
    &WhiteSpace,
    &Removed,
    &Reindented,
    &More,
    &Sorted,
    &Names,
    &Numbers,
    &Rewrapped,
    &Blend,
    &Replay,
    &Beside,
    &Adjacent,
    &BothAdded,
    &Moved,
    &TooLong,
];

/// The title of a rule; its id if this build has no such rule.
pub fn rule_title(id: &str) -> &str {
    let rule = RULES.iter().find(|rule| rule.id() == id);
    rule.map_or(id, |rule| rule.title())
}

/// What the rules make of one conflict: the surest proposal, the first among equals.
pub fn propose(plan: &Plan, id: RegionId, context: &RuleContext) -> Option<Ruling> {
    ruling(&Conflict::new(plan, id), context)
}

fn ruling(conflict: &Conflict<'_>, context: &RuleContext) -> Option<Ruling> {
    let mut best: Option<Ruling> = None;
    for rule in RULES.iter().filter(|rule| !context.off.contains(rule.id())) {
        let Some(found) = rule.propose(conflict, context) else {
            continue;
        };
        if best
            .as_ref()
            .is_some_and(|b| b.certainty >= found.certainty)
        {
            continue;
        }
        // What a tool writes is not put together by other rules.
        let last = found.certainty == Certainty::Certain || rule.id() == ID;
        best = Some(Ruling {
            rule: rule.id().to_owned(),
            certainty: found.certainty,
            reason: found.reason,
            resolution: found.resolution,
        });
        if last {
            break;
        }
    }
    best
}

/// What the rules make of all conflicts of a plan, in order.
pub fn propose_all(plan: &Plan, context: &RuleContext) -> Vec<(RegionId, Ruling)> {
    let mut out = Vec::new();
    let shared = Rc::default();
    for stretch in plan.stretches() {
        let from = out.len();
        out.extend(stretch.iter().filter_map(|id| {
            Some((
                *id,
                ruling(&Conflict::with(plan, *id, Rc::clone(&shared)), context)?,
            ))
        }));
        let all_certain = out.len() - from == stretch.len()
            && out[from..]
                .iter()
                .all(|(_, r)| r.certainty == Certainty::Certain);
        // What goes with lines that a person still has to settle may depend on how.
        for (_, ruling) in out[from..].iter_mut().filter(|_| !all_certain) {
            ruling.certainty = ruling.certainty.min(Certainty::Likely);
        }
    }
    out
}
