//! The plan a file is settled by: by lines, or by its declarations where those tell more.

use crate::case::propose::propose_judged;
use crate::case::ruling_proofs::Judged;
use armistice_core::{
    Certainty, Matching, Outline, Plan, PlanRecipe, RegionId, RuleContext, Ruling, Versions, plan,
    plan_by_declarations, prefers_declarations, propose,
};
use armistice_syntax::{Language, outline};
use std::collections::BTreeSet;
use std::sync::Arc;

/// Bytes of each version up to which its declarations are asked for: a whole merge of three texts of
/// 380 kB takes half a second with them.
const OUTLINED_BYTES: usize = 400_000;

/// How the texts of a plan are laid out.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum LayOut {
    /// As rules make more of it.
    #[default]
    Best,
    /// As they are.
    Lines,
    /// As another plan of the same versions has them.
    Again(PlanRecipe),
}

/// A plan and what rules make of its conflicts.
pub type Planned = (Arc<Plan>, Vec<(RegionId, Ruling)>);

/// The plan of a file and what rules make of its conflicts.
///
/// A change of one side alone needs no question unless it would end up in another block. Then the lines are
/// matched in other ways, and the declarations are asked; what no plan puts right is a conflict.
pub fn planned(versions: &Versions, context: &RuleContext, lay_out: &LayOut) -> Planned {
    if let LayOut::Again(recipe) = lay_out {
        return again(versions, context, recipe);
    }
    let lines = by_lines(versions, Matching::Either);
    if !lines.conflicts().is_empty() {
        return chosen(lines, context, lay_out);
    }
    let clean = Candidate::of(lines, context);
    if clean.doubts.is_empty() {
        return (clean.plan, clean.rulings);
    }
    let others = [Matching::Shortest, Matching::Rare].map(|matching| by_lines(versions, matching));
    let [shortest, rare] = others.map(|plan| match plan.conflicts().is_empty() {
        true => Ok(Candidate::of(plan, context)),
        false => Err(Box::new(plan)),
    });
    match (shortest, rare) {
        (Ok(found), _) | (_, Ok(found)) if found.doubts.is_empty() => (found.plan, found.rulings),
        (Err(disputed), _) | (_, Err(disputed)) => chosen(*disputed, context, lay_out),
        _ => better(clean, context, lay_out),
    }
}

/// The plan by lines, or the one by declarations.
fn chosen(lines: Plan, context: &RuleContext, lay_out: &LayOut) -> Planned {
    match declarations_of(&lines, context, lay_out) {
        Some(plan) if plan.insists() => Candidate::of(plan, context).with_doubts(context),
        Some(plan) => {
            let lines = Candidate::of(lines, context);
            match lines.is_settled() {
                true => (lines.plan, lines.rulings),
                false => lines.or(plan, context),
            }
        }
        None => Candidate::of(lines, context).with_doubts(context),
    }
}

/// The plan by lines of which something is in doubt, or the one by declarations.
fn better(lines: Candidate, context: &RuleContext, lay_out: &LayOut) -> Planned {
    match declarations_of(&lines.plan, context, lay_out) {
        Some(plan) => lines.or(plan, context),
        None => lines.with_doubts(context),
    }
}

/// The plan that was made so before, or what comes nearest to it.
fn again(versions: &Versions, context: &RuleContext, recipe: &PlanRecipe) -> Planned {
    let lines = by_lines(versions, recipe.matching);
    let plan = match recipe.by_declarations {
        true => declarations_of(&lines, context, &LayOut::Best).unwrap_or(lines),
        false => lines,
    };
    let plan = Arc::new(plan.with_doubts(&recipe.doubts.iter().copied().collect()));
    let judged = propose_judged(&plan, context);
    (plan, judged.rulings)
}

/// A plan that may be taken.
struct Candidate {
    plan: Arc<Plan>,
    rulings: Vec<(RegionId, Ruling)>,
    /// Regions that one side changed, and that the result has in another block than that side.
    doubts: BTreeSet<RegionId>,
}

impl Candidate {
    fn of(plan: Plan, context: &RuleContext) -> Self {
        let plan = Arc::new(plan);
        let Judged { rulings, doubts } = propose_judged(&plan, context);
        Candidate {
            plan,
            rulings,
            doubts,
        }
    }

    /// This one, or one by declarations if that is better.
    fn or(self, declarations: Plan, context: &RuleContext) -> Planned {
        let insists = declarations.insists();
        let other = Candidate::of(declarations, context);
        let is_better = match (self.doubts.is_empty(), other.doubts.is_empty()) {
            _ if insists => true,
            (true, false) => false,
            (false, true) => true,
            _ => prefers_declarations((&self.plan, &self.rulings), (&other.plan, &other.rulings)),
        };
        match is_better {
            true => other.with_doubts(context),
            false => self.with_doubts(context),
        }
    }

    /// Whether rules settle every conflict for certain, and nothing is in doubt.
    fn is_settled(&self) -> bool {
        let certain = |(_, ruling): &(RegionId, Ruling)| ruling.certainty == Certainty::Certain;
        self.rulings.len() == self.plan.conflicts().len()
            && self.rulings.iter().all(certain)
            && self.doubts.is_empty()
    }

    /// With a conflict wherever the result is in doubt.
    fn with_doubts(self, context: &RuleContext) -> Planned {
        if self.doubts.is_empty() {
            return (self.plan, self.rulings);
        }
        let plan = Arc::new(self.plan.with_doubts(&self.doubts));
        let mut rulings = self.rulings;
        let doubted = self.doubts.iter();
        rulings.extend(doubted.filter_map(|id| Some((*id, propose(&plan, *id, context)?))));
        rulings.sort_by_key(|(id, _)| *id);
        (plan, rulings)
    }
}

fn by_lines(versions: &Versions, matching: Matching) -> Plan {
    let v = versions;
    plan(&v.base, &v.ours, &v.theirs, &matching.options())
}

fn declarations_of(lines: &Plan, context: &RuleContext, lay_out: &LayOut) -> Option<Plan> {
    if *lay_out == LayOut::Lines {
        return None;
    }
    let [base, ours, theirs] = outlines(&context.path, lines.versions())?;
    plan_by_declarations(
        lines,
        [&base, &ours, &theirs],
        &lines.recipe().matching.options(),
    )
}

/// The declarations of base, ours and theirs; `None` if no parser is known or one is too long.
pub fn outlines(path: &str, versions: &Versions) -> Option<[Outline; 3]> {
    let language = Language::of(path)?;
    let of = |text| outline(language, text);
    let texts = [&versions.base, &versions.ours, &versions.theirs];
    if texts.iter().any(|text| text.bytes().len() > OUTLINED_BYTES) {
        return None;
    }
    let [base, ours, theirs] = texts.map(of);
    Some([base?, ours?, theirs?])
}
