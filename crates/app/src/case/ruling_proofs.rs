//! Applies the proofs of core to rulings, and takes back those that fail one.

use armistice_core::{
    Certainty, Draft, MergeTexts, Objection, Outline, Plan, Position, Proofs, RULES, RegionId,
    Resolution, Ruling, Scopes, Session, Side, Source, TextKind,
};
use armistice_syntax::{Language, are_independent, outline, positions, scopes};
use std::cell::LazyCell;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use std::sync::Arc;

/// Bytes of each version up to which rulings are checked where the texts are parsed: half a second for
/// each text, versions once and results in every round.
pub(crate) const PARSED_BYTES: usize = 400_000;
/// The same where they are read by their layout.
const LAYOUT_BYTES: usize = 4_000_000;

/// How often rulings are taken back before those that are left lose their certainty.
const ROUNDS: usize = 6;

/// Lines up to which a ruling counts as near a line that is not as its author has it.
const NEAR_LINES: u32 = 100;

/// Takes back rulings that fail a proof: first of those that are certain, then of those that are offered.
///
/// What cannot be checked is offered, and not certain.
pub fn judged_by_proofs(
    plan: &Arc<Plan>,
    path: &str,
    mut rulings: Vec<(RegionId, Ruling)>,
) -> Vec<(RegionId, Ruling)> {
    let versions = plan.real_versions();
    let all = [&versions.base, &versions.ours, &versions.theirs];
    let most = match Language::of(path) {
        Some(_) => PARSED_BYTES,
        None => LAYOUT_BYTES,
    };
    if all.iter().any(|text| text.bytes().len() > most) {
        make_likely(&mut rulings, "the file is too large to prove it");
        return rulings;
    }
    let judge = Judge::new(plan, path);
    for least in [Certainty::Certain, Certainty::Likely] {
        judge.judge(least, &mut rulings);
    }
    rulings
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

/// What all results of a plan are compared with.
struct Judge<'a> {
    plan: &'a Arc<Plan>,
    proofs: Proofs<'a>,
    path: &'a str,
    language: Option<Language>,
    scopes: [Scopes; 3],
    outlines: Option<[Outline; 3]>,
    positions: Option<[Vec<Position>; 3]>,
    kind: TextKind,
    /// How scopes are read where a text has errors, or there is no parser.
    layout: fn(&Source) -> Scopes,
}

/// Whether lines of a language use names that other lines declare.
fn has_names(language: Language) -> bool {
    is_code(language) && language != Language::Json || language == Language::Css
}

/// Whether a language has blocks that begin with a sign or a word.
fn is_code(language: Language) -> bool {
    !matches!(
        language,
        Language::Yaml | Language::Html | Language::Css | Language::Markdown | Language::Toml
    )
}

impl<'a> Judge<'a> {
    fn new(plan: &'a Arc<Plan>, path: &'a str) -> Self {
        let versions = plan.real_versions();
        let all = [&versions.base, &versions.ours, &versions.theirs];
        // Of a text with errors a parser tells no blocks: then all are read by their layout.
        let parsed = Language::of(path).and_then(|language| {
            let [base, ours, theirs] = all.map(|text| scopes(language, text));
            Some((language, [base?, ours?, theirs?]))
        });
        let outlines = parsed.as_ref().and_then(|(language, _)| {
            let [base, ours, theirs] = all.map(|text| outline(*language, text));
            Some([base?, ours?, theirs?])
        });
        let positions = Language::of(path).and_then(|language| {
            let [base, ours, theirs] = all.map(|text| positions(language, text));
            Some([base?, ours?, theirs?])
        });
        let layout: fn(&Source) -> Scopes = match Language::of(path).is_some_and(is_code) {
            true => Scopes::by_layout_of_code,
            false => Scopes::by_layout,
        };
        let (language, scopes) = match parsed {
            Some((language, scopes)) => (Some(language), scopes),
            None => (None, all.map(layout)),
        };
        Judge {
            plan,
            proofs: Proofs::new(plan),
            language,
            scopes,
            outlines,
            positions,
            path,
            kind: TextKind::of(path, Language::of(path).is_some_and(has_names)),
            layout,
        }
    }

    /// What is wrong with a draft; `None` if its lines are not those of its text.
    fn findings(&self, draft: &Draft) -> Option<Vec<Objection>> {
        let text = Source::new(draft.bytes());
        if text.len() != draft.len() {
            return None;
        }
        let parsed = self.language.and_then(|language| scopes(language, &text));
        let by_layout: [Scopes; 3];
        let (versions, result) = match (self.language, parsed) {
            (Some(_), Some(result)) => (&self.scopes, result),
            (Some(_), None) => {
                let all = self.plan.real_versions();
                by_layout = [&all.base, &all.ours, &all.theirs].map(self.layout);
                (&by_layout, (self.layout)(&text))
            }
            (None, _) => (&self.scopes, (self.layout)(&text)),
        };
        let of_result = self.language.and_then(|language| outline(language, &text));
        let outlines = self.outlines.as_ref().zip(of_result.as_ref());
        let base = &self.plan.real_versions().base;
        let language = Language::of(self.path);
        let independent = |edits: [Range<usize>; 2]| {
            language.and_then(|language| are_independent(language, base, edits)) == Some(true)
        };
        let texts = MergeTexts {
            positions: self
                .positions
                .as_ref()
                .map(|all| [&*all[0], &*all[1], &*all[2]]),
            independent: Some(&independent),
            versions: [&versions[0], &versions[1], &versions[2]],
            result: &result,
            outlines: outlines.map(|([base, ours, theirs], result)| [base, ours, theirs, result]),
        };
        Some(self.proofs.objections(draft, &texts, self.kind))
    }

    /// What is wrong with some rulings; `None` if that cannot be told.
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
        let Some(mut found) = self.findings(session.draft()) else {
            return (session, None);
        };
        if open.is_empty() {
            return (session, Some(found));
        }
        let Some(mut other) = self.findings(session_with(Side::Theirs).draft()) else {
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

    fn judge(&self, least: Certainty, rulings: &mut [(RegionId, Ruling)]) {
        let counts = |ruling: &Ruling| ruling.certainty >= least && ruling.resolution.is_some();
        let is_judged = |ruling: &Ruling| {
            ruling.certainty == least && ruling.resolution.is_some() && !repeats_a_person(ruling)
        };
        if !rulings.iter().any(|(_, ruling)| is_judged(ruling)) {
            return;
        }
        let before = rulings.iter().filter(|(_, r)| counts(r) && !is_judged(r));
        let before: Vec<_> = before.cloned().collect();
        // What others than these rulings have done speaks against none of them.
        let known = LazyCell::new(|| {
            let (_, found) = self.findings_with(before);
            found.iter().flatten().map(id_of).collect::<BTreeSet<_>>()
        });
        for round in 0..=ROUNDS {
            let settled = rulings.iter().filter(|(_, r)| counts(r)).cloned().collect();
            let (session, found) = self.findings_with(settled);
            let Some(mut found) = found else {
                make_likely(rulings, "its lines cannot be told apart");
                return;
            };
            let draft = session.draft();
            found.retain(|found| found.leaves < least);
            if !found.is_empty() {
                found.retain(|found| !known.contains(&id_of(found)));
            }
            if found.is_empty() {
                return;
            }
            let judged: Vec<RegionId> = rulings
                .iter()
                .filter(|(_, r)| is_judged(r))
                .map(|(id, _)| *id)
                .collect();
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
                "something else in the result is not as its author has it",
            );
        }
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
