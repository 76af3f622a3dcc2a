//! Applies the proofs of core to rulings, and takes back those that fail one.

use armistice_core::{
    Certainty, Objection, Plan, ProofKind, RULES, RegionId, RegionKind, Resolution, Ruling,
    Session, Side, may_be_misdirected,
};
use armistice_syntax::ParsedProofs;
use std::cell::LazyCell;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// How often rulings are taken back before those that are left lose their certainty.
const ROUNDS: usize = 6;

/// Lines up to which a ruling counts as near a line that is not as its author has it.
const NEAR_LINES: u32 = 100;

/// Rulings that were judged, and what is in doubt beside them.
pub struct Judged {
    pub rulings: Vec<(RegionId, Ruling)>,
    /// Regions that one side alone changed, and that the result has in another block than that side,
    /// whichever side open conflicts take. Certain rulings are taken.
    pub doubts: BTreeSet<RegionId>,
}

/// Takes back rulings that fail a proof: first of those that are certain, then of those that are offered.
///
/// What cannot be checked is offered, and not certain.
pub fn judged_by_proofs(
    plan: &Arc<Plan>,
    path: &str,
    mut rulings: Vec<(RegionId, Ruling)>,
) -> Judged {
    let mut doubts = BTreeSet::new();
    let needs_none = rulings.is_empty() && plan.conflicts().is_empty() && !may_be_misdirected(plan);
    let proofs = match needs_none {
        true => None,
        false => ParsedProofs::new(plan, path),
    };
    let Some(proofs) = proofs else {
        make_likely(&mut rulings, "the file is too large to prove it");
        return Judged { rulings, doubts };
    };
    let judge = Judge { plan, proofs };
    let last = judge.judge(Certainty::Certain, &mut rulings, None);
    let found = last.unwrap_or_else(|| {
        if !may_be_misdirected(plan) {
            return Vec::new();
        }
        let certain = |(_, ruling): &&(RegionId, Ruling)| {
            ruling.certainty == Certainty::Certain && ruling.resolution.is_some()
        };
        let settled = rulings.iter().filter(certain).cloned().collect();
        judge.findings_with(settled).1.unwrap_or_default()
    });
    let is_doubtful = |found: &&Objection| {
        let kind = plan.region(found.region).kind;
        found.proof == ProofKind::Scope
            && found.leaves == Certainty::Hint
            && matches!(kind, RegionKind::Ours | RegionKind::Theirs)
    };
    let doubtful = found.iter().filter(is_doubtful);
    doubts.extend(doubtful.map(|found| found.region));
    let is_known = !found.is_empty();
    judge.judge(Certainty::Likely, &mut rulings, is_known.then_some(found));
    Judged { rulings, doubts }
}

/// Whether a ruling does what a person has decided, in the settings or before: it needs no proof.
fn repeats_a_person(ruling: &Ruling) -> bool {
    let rule = RULES.iter().find(|rule| rule.id() == ruling.rule);
    rule.is_some_and(|rule| rule.repeats_a_person())
}

/// Makes offers of certain rulings.
fn make_likely(rulings: &mut [(RegionId, Ruling)], why: &str) {
    let certain = rulings.iter_mut().map(|(_, ruling)| ruling);
    let is_certain =
        |ruling: &&mut Ruling| ruling.certainty == Certainty::Certain && !repeats_a_person(ruling);
    for ruling in certain.filter(is_certain) {
        ruling.certainty = Certainty::Likely;
        ruling.reason = format!("{}; but {why}", ruling.reason);
    }
}

/// Judges rulings by the texts that they make.
struct Judge<'a> {
    plan: &'a Arc<Plan>,
    proofs: ParsedProofs<'a>,
}

impl Judge<'_> {
    /// What is wrong with some rulings; `None` if that is not known.
    ///
    /// What is only wrong if the open conflicts are settled by one of the sides leaves an offer.
    fn findings_with(&self, settled: Vec<(RegionId, Ruling)>) -> (Session, Option<Vec<Objection>>) {
        let known: BTreeSet<RegionId> = settled.iter().map(|(id, _)| *id).collect();
        let conflicts = self.plan.conflicts().iter().copied();
        let open: BTreeSet<RegionId> = conflicts.filter(|id| !known.contains(id)).collect();
        let session_with = |side: Side| {
            let taken = Ruling {
                rule: String::new(),
                certainty: Certainty::Certain,
                reason: String::new(),
                resolution: Some(Resolution::Take(side.into())),
            };
            let others = open.iter().map(|id| (*id, taken.clone()));
            let all = settled.iter().cloned().chain(others).collect();
            Session::with_rulings(Arc::clone(self.plan), all)
        };
        let session = session_with(Side::Ours);
        let Some(mut found) = self.proofs.objections(session.draft()) else {
            return (session, None);
        };
        if open.is_empty() {
            return (session, Some(found));
        }
        let Some(mut other) = self.proofs.objections(session_with(Side::Theirs).draft()) else {
            return (session, None);
        };
        let ids = |all: &[Objection]| all.iter().map(id_of).collect::<BTreeSet<_>>();
        let (of_ours, of_theirs) = (ids(&found), ids(&other));
        other.retain(|found| !of_ours.contains(&id_of(found)));
        found.append(&mut other);
        found.retain(|found| !open.contains(&found.region));
        for found in &mut found {
            let id = id_of(found);
            if !of_ours.contains(&id) || !of_theirs.contains(&id) {
                found.leaves = Certainty::Likely;
            }
        }
        (session, Some(found))
    }

    /// Judges the rulings of one certainty; returns all that is found with those that are left, if that
    /// was looked at. `before` is what is found with the more certain ones alone, if that is known.
    fn judge(
        &self,
        least: Certainty,
        rulings: &mut [(RegionId, Ruling)],
        before: Option<Vec<Objection>>,
    ) -> Option<Vec<Objection>> {
        let counts = |ruling: &Ruling| ruling.certainty >= least && ruling.resolution.is_some();
        let is_judged = |ruling: &Ruling| {
            ruling.certainty == least && ruling.resolution.is_some() && !repeats_a_person(ruling)
        };
        if !rulings.iter().any(|(_, ruling)| is_judged(ruling)) {
            return None;
        }
        let others = rulings.iter().filter(|(_, r)| counts(r) && !is_judged(r));
        let others: Vec<_> = others.cloned().collect();
        // What others than these rulings have done speaks against none of them.
        let known = LazyCell::new(|| {
            let found = before.or_else(|| self.findings_with(others).1);
            found.iter().flatten().map(id_of).collect::<BTreeSet<_>>()
        });
        for round in 0..=ROUNDS {
            let settled = rulings.iter().filter(|(_, r)| counts(r)).cloned().collect();
            let (session, found) = self.findings_with(settled);
            let Some(all) = found else {
                make_likely(rulings, "its lines cannot be matched");
                return None;
            };
            let draft = session.draft();
            let judged = rulings.iter().filter(|(_, r)| is_judged(r));
            let judged: Vec<RegionId> = judged.map(|(id, _)| *id).collect();
            let mut found = all.clone();
            found.retain(|found| found.leaves < least);
            // Of the lines of a ruling nothing is known as long as its conflict is open.
            let is_own = |found: &Objection| judged.contains(&found.region);
            if !found.iter().all(is_own) {
                found.retain(|found| is_own(found) || !known.contains(&id_of(found)));
            }
            if found.is_empty() {
                return Some(all);
            }
            // The worst that is found of each ruling.
            let mut culprits: BTreeMap<RegionId, &Objection> = BTreeMap::new();
            let mut blame = |id: RegionId, found| {
                let worst = culprits.entry(id).or_insert(found);
                if found.leaves < worst.leaves {
                    *worst = found;
                }
            };
            for found in &found {
                // A line beside a ruling is in another block because of it.
                let distance = |id: &RegionId| {
                    let lines = draft.lines_of(*id);
                    let before = lines.start.0.saturating_sub(found.line.0);
                    before.max((found.line.0 + 1).saturating_sub(lines.end.0))
                };
                let nearest = judged.iter().min_by_key(|id| distance(id));
                let own = judged.iter().find(|id| **id == found.region);
                if let Some(id) = own.or(nearest) {
                    blame(*id, found);
                }
                if round == ROUNDS {
                    let near = judged.iter().filter(|id| distance(id) <= NEAR_LINES);
                    near.for_each(|id| blame(*id, found));
                }
            }
            for (id, ruling) in rulings.iter_mut() {
                if let Some(found) = culprits.get(id) {
                    object(ruling, found);
                }
            }
        }
        // What is left comes of rulings that are not near it.
        if least == Certainty::Certain {
            make_likely(
                rulings,
                "another line of the result is not where its author put it",
            );
        }
        None
    }
}

/// What tells an objection from others over one plan.
fn id_of(found: &Objection) -> (usize, u32, Certainty) {
    (found.key.0 as usize, found.key.1, found.leaves)
}

fn object(ruling: &mut Ruling, found: &Objection) {
    ruling.reason = format!(
        "{}; but line {} of the result {}",
        ruling.reason,
        found.line.number(),
        found.what
    );
    ruling.certainty = found.leaves;
    if found.leaves == Certainty::Hint {
        ruling.resolution = None;
    }
}
