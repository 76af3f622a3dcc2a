//! Asks the rules, in their order, and keeps the most certain answer.

use crate::decide::ruling::{Certainty, Ruling};
use crate::model::region::RegionId;
use crate::plan::build::Plan;
use crate::plan::structure::Apart;
use crate::rules::adjacent::Adjacent;
use crate::rules::beside::Beside;
use crate::rules::blend::Blend;
use crate::rules::both_added::BothAdded;
use crate::rules::by_path::ByPath;
use crate::rules::conflict::{Conflict, Shared};
use crate::rules::declarations::{DECLARATIONS, Declarations};
use crate::rules::formula::Replay;
use crate::rules::generated::{GENERATED_FILE, Generated};
use crate::rules::import_list::Names;
use crate::rules::list_end::ListEnd;
use crate::rules::more::More;
use crate::rules::moved::Moved;
use crate::rules::numbers::Numbers;
use crate::rules::past_resolution::Memory;
use crate::rules::reindented::Reindented;
use crate::rules::removed::Removed;
use crate::rules::rewrapped::Rewrapped;
use crate::rules::rule::{Proposal, Rule, RuleContext};
use crate::rules::similar_conflict::SimilarConflict;
use crate::rules::sorted::Sorted;
use crate::rules::too_long::TooLong;
use crate::rules::white_space::WhiteSpace;
use crate::witness::objection::objection;
use std::sync::Arc;

/// All rules, in the order in which they are asked.
pub static RULES: &[&dyn Rule] = &[
    &ByPath,
    &Memory,
    &SimilarConflict,
    &Generated,
    &Declarations,
    &WhiteSpace,
    &Removed,
    &Reindented,
    &More,
    &Sorted,
    &Names,
    &ListEnd,
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
///
/// ```
/// assert_eq!(armistice_core::rule_title("blend"), "word-by-word blend");
/// ```
pub fn rule_title(id: &str) -> &str {
    let rule = RULES.iter().find(|rule| rule.id() == id);
    rule.map_or(id, |rule| rule.title())
}

/// Asks the rules about one conflict; returns the most certain answer, the first among equals.
///
/// `None` if no rule has anything to say. A hint has no resolution; anything surer has one.
///
/// # Panics
/// If the plan has no such region.
///
/// ```
/// use armistice_core::{Certainty, Options, RuleContext, plan, propose};
/// let (base, ours, theirs) = ("use tide;\n", "use crane;\nuse tide;\n", "use pilot;\nuse tide;\n");
/// let plan = plan(&base.into(), &ours.into(), &theirs.into(), &Options::default());
/// let ruling = propose(&plan, plan.conflicts()[0], &RuleContext::default()).unwrap();
/// assert!(ruling.resolution.is_some() && ruling.certainty > Certainty::Hint);
/// ```
pub fn propose(plan: &Plan, id: RegionId, context: &RuleContext) -> Option<Ruling> {
    ruling(&Conflict::new(plan, id), context)
}

fn ruling(conflict: &Conflict<'_>, context: &RuleContext) -> Option<Ruling> {
    let mut best: Option<Ruling> = None;
    // Which of two bodies or places something has only a person knows.
    let either_or = matches!(
        conflict.plan().apart(conflict.id()),
        Some(Apart::TwoBodies { .. } | Apart::TwoPlaces { .. })
    );
    let is_doubtful = conflict.plan().is_doubtful(conflict.id());
    for rule in RULES {
        // Every rule would do what is in doubt.
        if is_doubtful && !rule.repeats_a_person() {
            continue;
        }
        if context.off.contains(rule.id()) {
            // Switched off it says nothing, and nobody else decides what it would leave to a person.
            if rule.id() == DECLARATIONS && either_or {
                break;
            }
            continue;
        }
        let Some(found) = rule.propose(conflict, context) else {
            continue;
        };
        let found = witnessed(conflict, *rule, found);
        if best
            .as_ref()
            .is_some_and(|b| b.certainty >= found.certainty)
        {
            continue;
        }
        // What a tool writes is not put together by other rules.
        let last = found.certainty == Certainty::Certain
            || rule.id() == GENERATED_FILE
            || rule.id() == DECLARATIONS && either_or;
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

/// A proposal as it may be shown: one against whose outcome something speaks is a hint that says what.
///
/// What a person decided before about the same texts, or the like, is theirs: no witness is asked.
fn witnessed(conflict: &Conflict<'_>, rule: &dyn Rule, found: Proposal) -> Proposal {
    let Some(resolution) = &found.resolution else {
        return found;
    };
    if rule.repeats_a_person() {
        return found;
    }
    let outcome = resolution.text(conflict.plan(), conflict.region());
    match objection(conflict.plan(), conflict.id(), &outcome) {
        None => found,
        Some(why) => Proposal::hint(format!("{}; but {why}", found.reason)),
    }
}

/// Asks the rules about all conflicts of a plan, in order.
///
/// The same as asking a [`Proposer`] about every stretch in turn.
///
/// ```
/// use armistice_core::{Certainty, Options, RuleContext, plan, propose_all};
/// let (ours, theirs) = ("moor(tug);\nlog(a);\n", "moor(ship);\nlog(b);\n");
/// let plan = plan(&"moor(ship);\nlog(a);\n".into(), &ours.into(), &theirs.into(), &Options::default());
/// let rulings = propose_all(&plan, &RuleContext::default());
/// assert_eq!(rulings[0].1.certainty, Certainty::Certain);
/// ```
pub fn propose_all(plan: &Plan, context: &RuleContext) -> Vec<(RegionId, Ruling)> {
    let proposer = Proposer::new(plan, context);
    let all = 0..proposer.len();
    all.flat_map(|nth| proposer.stretch(nth)).collect()
}

/// The rules, asked about one stretch of conflicts after the other, in any order and from any
/// number of threads: what they share is computed once.
#[derive(Debug)]
pub struct Proposer<'a> {
    plan: &'a Plan,
    context: &'a RuleContext,
    stretches: Vec<&'a [RegionId]>,
    shared: Arc<Shared<'a>>,
}

impl<'a> Proposer<'a> {
    /// The rules over a plan; none is asked yet.
    pub fn new(plan: &'a Plan, context: &'a RuleContext) -> Self {
        Proposer {
            plan,
            context,
            stretches: plan.stretches().collect(),
            shared: Arc::default(),
        }
    }

    /// How many stretches of conflicts there are.
    pub fn len(&self) -> usize {
        self.stretches.len()
    }

    /// Whether there is no conflict.
    pub fn is_empty(&self) -> bool {
        self.stretches.is_empty()
    }

    /// Asks the rules about the conflicts of one stretch, counted from zero; nothing past the last.
    pub fn stretch(&self, nth: usize) -> Vec<(RegionId, Ruling)> {
        let conflicts = self.stretches.get(nth).copied().unwrap_or_default();
        let ruled = conflicts.iter().filter_map(|id| {
            let conflict = Conflict::with(self.plan, *id, Arc::clone(&self.shared));
            Some((*id, ruling(&conflict, self.context)?))
        });
        let mut out: Vec<_> = ruled.collect();
        let certain = |(_, ruling): &(RegionId, Ruling)| ruling.certainty == Certainty::Certain;
        // What goes with lines that a person still has to settle may depend on how.
        if out.len() < conflicts.len() || !out.iter().all(certain) {
            for (_, ruling) in &mut out {
                ruling.certainty = ruling.certainty.min(Certainty::Likely);
            }
        }
        out
    }
}
