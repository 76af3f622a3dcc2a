//! Asking the rules, on as many processors as there are.

use crate::base::settings::Settings;
use crate::case::parser_witness::judged_by_parser;
use armistice_core::{
    PastResolution, PastResolutions, Plan, Proposer, RULES, RegionId, RuleContext, Ruling, propose,
};
use armistice_git::{Case, Situation};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::thread;

/// Stretches of conflicts that one thread takes at a time.
const BLOCK: usize = 32;
/// Stretches up to which one thread alone is quicker: starting another takes as long as some
/// dozens of conflicts with their witness.
const FEW: usize = 2 * BLOCK;

/// What the rules make of all conflicts of a plan, as far as a parser has nothing against it.
pub fn propose_judged(plan: &Arc<Plan>, context: &RuleContext) -> Vec<(RegionId, Ruling)> {
    judged_by_parser(plan, &context.path, propose_in_parallel(plan, context))
}

/// What the rules make of all conflicts of a plan: the same as `propose_all`, in the same order.
fn propose_in_parallel(plan: &Plan, context: &RuleContext) -> Vec<(RegionId, Ruling)> {
    let proposer = Proposer::new(plan, context);
    let threads = match proposer.len() > FEW {
        true => thread::available_parallelism().map_or(1, usize::from),
        false => 1,
    };
    let next = AtomicUsize::new(0);
    let work = || {
        let mut done = Vec::new();
        loop {
            let from = next.fetch_add(BLOCK, Ordering::Relaxed);
            if from >= proposer.len() {
                return done;
            }
            let to = (from + BLOCK).min(proposer.len());
            let found: Vec<_> = (from..to).flat_map(|nth| proposer.stretch(nth)).collect();
            done.push((from, found));
        }
    };
    let mut blocks = thread::scope(|scope| {
        let others: Vec<_> = (1..threads).map(|_| scope.spawn(work)).collect();
        let mut blocks = work();
        for other in others {
            match other.join() {
                Ok(more) => blocks.extend(more),
                Err(panic) => std::panic::resume_unwind(panic),
            }
        }
        blocks
    });
    blocks.sort_unstable_by_key(|(from, _)| *from);
    blocks.into_iter().flat_map(|(_, found)| found).collect()
}

/// What rules know of every file.
#[derive(Clone, Debug, Default)]
pub struct RuleSettings {
    pub ours: String,
    pub theirs: String,
    pub settings: Settings,
}

impl RuleSettings {
    pub fn new(situation: &Situation, settings: &Settings) -> Self {
        RuleSettings {
            ours: situation.ours.label.clone(),
            theirs: situation.theirs.label.clone(),
            settings: settings.clone(),
        }
    }

    /// What rules know of one file.
    pub fn context(&self, case: &Case, past: &PastResolutions) -> RuleContext {
        let path = case.path.to_string();
        RuleContext {
            past: past.clone(),
            ..self.settings.context(path, &self.ours, &self.theirs)
        }
    }
}

/// Conflicts of one plan that are the same as a settled one, or like it; `by` says how that was settled.
pub fn propose_like(
    settled: &PastResolution,
    by: &str,
    plan: &Plan,
    ids: &[RegionId],
) -> Vec<(RegionId, Ruling)> {
    let others = RULES.iter().map(|rule| rule.id().to_owned());
    let context = RuleContext {
        past: PastResolutions::again(settled, by),
        // Only what was settled before is asked for.
        off: others
            .filter(|id| !matches!(id.as_str(), "memory" | "echo"))
            .collect(),
        ..RuleContext::default()
    };
    let ids = ids.iter();
    ids.filter_map(|id| Some((*id, propose(plan, *id, &context)?)))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use armistice_core::{Options, plan, propose_all};

    #[test]
    fn several_threads_find_what_one_finds_in_the_same_order() {
        let text = |side: &str| -> String {
            let line = |n: usize| match n % 5 {
                0 => format!("{side} moors ship {n}\n"),
                2 if n.is_multiple_of(3) => format!("    berth {n} of {side},\n"),
                _ => format!("line {n}\n"),
            };
            (0..5 * 3 * FEW).map(line).collect()
        };
        let [base, ours, theirs] = ["the office", "a pilot", "the office"].map(text);
        let theirs = theirs.replace("ship", "tug");
        let plan = plan(
            &base.as_str().into(),
            &ours.as_str().into(),
            &theirs.as_str().into(),
            &Options::default(),
        );
        let context = RuleContext::default();
        let found = propose_in_parallel(&plan, &context);
        assert!(found.len() > FEW, "{}", found.len());
        assert_eq!(found, propose_all(&plan, &context));
    }
}
