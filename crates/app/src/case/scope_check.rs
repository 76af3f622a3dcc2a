//! Applies the proofs of core to rulings, and takes back those that fail one.

use armistice_core::{
    Certainty, Draft, Objection, Outline, Plan, Position, RegionId, Resolution, Ruling, ScopeTexts,
    Scopes, Session, Side, Source, TextKind, Version, objections,
};
use armistice_syntax::{Language, are_independent, outline, positions, scopes};
use std::collections::BTreeSet;
use std::ops::Range;
use std::sync::Arc;

/// Bytes of each version up to which rulings are checked.
const CHECKED_BYTES: usize = 400_000;

/// How often rulings are taken back before all of a file are.
const ROUNDS: usize = 6;

/// Lines up to which a ruling counts as near a line that is not as its author has it.
const NEAR_LINES: u32 = 100;

/// Takes back rulings that put a line into another block: first of those that are certain, then of those
/// that are offered.
pub fn judged_by_scope(
    plan: &Arc<Plan>,
    path: &str,
    mut rulings: Vec<(RegionId, Ruling)>,
) -> Vec<(RegionId, Ruling)> {
    let versions = plan.real_versions();
    let all = [&versions.base, &versions.ours, &versions.theirs];
    if all.iter().any(|text| text.bytes().len() > CHECKED_BYTES) {
        return rulings;
    }
    let judge = Judge::new(plan, path);
    for least in [Certainty::Certain, Certainty::Likely] {
        judge.judge(least, &mut rulings);
    }
    rulings
}

/// What all results of a plan are compared with.
struct Judge<'a> {
    plan: &'a Arc<Plan>,
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
            language,
            scopes,
            outlines,
            positions,
            path,
            kind: TextKind::of(path, Language::of(path).is_some_and(has_names)),
            layout,
        }
    }

    fn findings(&self, draft: &Draft) -> Vec<Objection> {
        let text = Source::new(draft.bytes());
        if text.len() != draft.len() {
            return Vec::new();
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
        let texts = ScopeTexts {
            positions: self
                .positions
                .as_ref()
                .map(|all| [&*all[0], &*all[1], &*all[2]]),
            independent: Some(&independent),
            versions: [&versions[0], &versions[1], &versions[2]],
            result: &result,
            outlines: outlines.map(|([base, ours, theirs], result)| [base, ours, theirs, result]),
        };
        objections(draft, &texts, self.kind)
    }

    /// What is wrong with some rulings, whichever side the other conflicts are settled by.
    fn findings_with(&self, settled: Vec<(RegionId, Ruling)>) -> (Session, Vec<Objection>) {
        let is_settled = |id: &&RegionId| settled.iter().any(|(other, _)| other == *id);
        let conflicts = self.plan.conflicts().iter();
        let open: Vec<RegionId> = conflicts.filter(|id| !is_settled(id)).copied().collect();
        let session_with = |side: Option<Side>| {
            let others = open.iter().filter_map(|id| {
                let taken = Ruling {
                    rule: String::new(),
                    certainty: Certainty::Certain,
                    reason: String::new(),
                    resolution: Some(Resolution::Take(Version::from(side?))),
                };
                Some((*id, taken))
            });
            let all = settled.iter().cloned().chain(others).collect();
            Session::with_rulings(Arc::clone(self.plan), all)
        };
        let session = session_with(Some(Side::Ours));
        let mut found = self.findings(session.draft());
        if !open.is_empty() && !found.is_empty() {
            let other = self.findings(session_with(Some(Side::Theirs)).draft());
            let also: BTreeSet<_> = other.iter().map(id_of).collect();
            found.retain(|found| also.contains(&id_of(found)) && !open.contains(&found.region));
        }
        (session, found)
    }

    fn judge(&self, least: Certainty, rulings: &mut [(RegionId, Ruling)]) {
        let counts = |ruling: &Ruling| ruling.certainty >= least && ruling.resolution.is_some();
        let is_judged = |ruling: &Ruling| ruling.certainty == least && ruling.resolution.is_some();
        if !rulings.iter().any(|(_, ruling)| is_judged(ruling)) {
            return;
        }
        // What others than these rulings have done speaks against none of them.
        let before = rulings.iter().filter(|(_, r)| counts(r) && !is_judged(r));
        let (_, known) = self.findings_with(before.cloned().collect());
        let known: BTreeSet<_> = known.into_iter().map(|found| id_of(&found)).collect();
        for round in 0..=ROUNDS {
            let settled = rulings.iter().filter(|(_, r)| counts(r)).cloned().collect();
            let (session, mut found) = self.findings_with(settled);
            let draft = session.draft();
            found.retain(|found| found.leaves < least && !known.contains(&id_of(found)));
            let Some(first) = found.first() else {
                return;
            };
            let judged: Vec<RegionId> = rulings
                .iter()
                .filter(|(_, r)| is_judged(r))
                .map(|(id, _)| *id)
                .collect();
            let mut culprits: BTreeSet<RegionId> = BTreeSet::new();
            for found in &found {
                if judged.contains(&found.region) {
                    culprits.insert(found.region);
                    continue;
                }
                // A line beside a ruling is in another block because of it.
                let distance = |id: &RegionId| {
                    let lines = draft.lines_of(*id);
                    let at = found.line.0;
                    if at < lines.start.0 {
                        lines.start.0 - at
                    } else {
                        (at + 1).saturating_sub(lines.end.0)
                    }
                };
                culprits.extend(judged.iter().min_by_key(|id| distance(id)));
            }
            if round == ROUNDS {
                // What is left comes of rulings that are not the nearest.
                let is_near = |id: &RegionId| {
                    let lines = draft.lines_of(*id);
                    let from = lines.start.0.saturating_sub(NEAR_LINES);
                    found
                        .iter()
                        .any(|found| (from..lines.end.0 + NEAR_LINES).contains(&found.line.0))
                };
                culprits.extend(judged.into_iter().filter(is_near));
            }
            for (id, ruling) in rulings.iter_mut() {
                if is_judged(ruling) && culprits.contains(id) {
                    let own = found
                        .iter()
                        .find(|found| found.region == *id)
                        .unwrap_or(first);
                    object(ruling, own);
                }
            }
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
