//! Asking the rules, on as many processors as there are.

use crate::base::settings::Settings;
use crate::case::parser_witness::judged_by_parser;
use crate::case::ruling_proofs::{Judged, judged_by_proofs};
use armistice_core::{
    PastResolution, PastResolutions, Plan, Proposer, RULES, RegionId, RuleContext, Ruling, propose,
};
use armistice_git::{Case, Situation, in_parallel, processors};
use std::sync::Arc;

/// Stretches of conflicts that one thread takes at a time.
const BLOCK: usize = 32;
/// Stretches up to which one thread alone is quicker: starting another takes as long as some
/// dozens of conflicts with their witness.
const FEW: usize = 2 * BLOCK;

/// What the rules make of all conflicts of a plan, as far as proofs and a parser have nothing against it.
pub fn propose_judged(plan: &Arc<Plan>, context: &RuleContext) -> Judged {
    let rulings = propose_in_parallel(plan, context);
    let judged = judged_by_proofs(plan, &context.path, rulings);
    Judged {
        rulings: judged_by_parser(plan, &context.path, judged.rulings),
        ..judged
    }
}

/// What the rules make of all conflicts of a plan: the same as `propose_all`, in the same order.
fn propose_in_parallel(plan: &Plan, context: &RuleContext) -> Vec<(RegionId, Ruling)> {
    let proposer = Proposer::new(plan, context);
    let threads = if proposer.len() > FEW {
        processors()
    } else {
        1
    };
    let starts: Vec<usize> = (0..proposer.len()).step_by(BLOCK).collect();
    let block = |from: usize| -> Vec<_> {
        let to = (from + BLOCK).min(proposer.len());
        (from..to).flat_map(|nth| proposer.stretch(nth)).collect()
    };
    let blocks = in_parallel(starts.into_iter(), threads, block);
    blocks.into_iter().flatten().collect()
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
