//! The parser as a witness: what rules settle must make no error that no version has, and nothing may
//! stand twice for it.
//!
//! Conflicts that stay open stand as base has them, in the text with rulings and in the one without:
//! what base makes of them speaks against no ruling.

use armistice_core::{Certainty, Finding, LineIdx, Plan, RegionId, Ruling, Session, Source};
use armistice_git::{has_parser, new_syntax_findings};
use armistice_syntax::is_checked;
use std::cell::OnceCell;
use std::sync::Arc;

/// How often rulings that a parser objects to are taken out before all of a file are.
const ROUNDS: usize = 3;

/// Rulings up to which each is left out in turn, to see which makes an error far away.
const TRIED: usize = 20;

/// Makes hints of rulings that a parser objects to: first of those that are certain, then of those
/// that are offered.
pub fn judged_by_parser(
    plan: &Arc<Plan>,
    path: &str,
    mut rulings: Vec<(RegionId, Ruling)>,
) -> Vec<(RegionId, Ruling)> {
    let versions = plan.real_versions();
    let all = [&versions.base, &versions.ours, &versions.theirs];
    if !has_parser(path) || all.iter().any(|text| !is_checked(path, text.bytes().len())) {
        return rulings;
    }
    for least in [Certainty::Certain, Certainty::Likely] {
        // Those that count more were judged already.
        if rulings
            .iter()
            .any(|(_, r)| r.certainty == least && r.resolution.is_some())
        {
            judge(plan, path, least, &mut rulings);
        }
    }
    rulings
}

fn judge(plan: &Arc<Plan>, path: &str, least: Certainty, rulings: &mut [(RegionId, Ruling)]) {
    let judge = Judge::new(plan, path);
    let judged = |r: &Ruling| r.certainty == least && r.resolution.is_some();
    for round in 0..=ROUNDS {
        let settled = settled(rulings, least, None);
        let (session, found) = judge.findings(settled);
        let Some(first) = found.first() else {
            return;
        };
        let draft = session.draft();
        let near = |id: RegionId| {
            let lines = draft.lines_of(id);
            let around = lines.start.0.saturating_sub(1)..lines.end.0 + 1;
            let at = |finding: &Finding| finding.line.map(|LineIdx(at)| at);
            found.iter().filter_map(at).any(|at| around.contains(&at))
        };
        let all = rulings.iter().filter(|(_, r)| judged(r)).map(|(id, _)| *id);
        let all: Vec<RegionId> = all.collect();
        let mut culprits: Vec<RegionId> = all.iter().copied().filter(|id| near(*id)).collect();
        if culprits.is_empty() && all.len() <= TRIED {
            // An error may show far from what made it.
            let fewer = |id: &RegionId| {
                judge
                    .findings(self::settled(rulings, least, Some(*id)))
                    .1
                    .len()
            };
            culprits = all
                .iter()
                .copied()
                .filter(|id| fewer(id) < found.len())
                .collect();
        }
        if culprits.is_empty() || round == ROUNDS {
            culprits = all;
        }
        for (id, ruling) in rulings.iter_mut() {
            if judged(ruling) && culprits.contains(id) {
                object(ruling, first);
            }
        }
    }
}

/// The rulings that count from a certainty on, all but one.
fn settled(
    rulings: &[(RegionId, Ruling)],
    least: Certainty,
    without: Option<RegionId>,
) -> Vec<(RegionId, Ruling)> {
    let counts = |(id, r): &&(RegionId, Ruling)| {
        r.certainty >= least && r.resolution.is_some() && Some(*id) != without
    };
    rulings.iter().filter(counts).cloned().collect()
}

/// What the text with some rulings is held against.
struct Judge<'a> {
    plan: &'a Arc<Plan>,
    path: &'a str,
    /// The text in which everything is open, once it is asked for.
    untouched: OnceCell<Source>,
}

impl<'a> Judge<'a> {
    fn new(plan: &'a Arc<Plan>, path: &'a str) -> Self {
        Judge {
            plan,
            path,
            untouched: OnceCell::new(),
        }
    }

    fn findings(&self, settled: Vec<(RegionId, Ruling)>) -> (Session, Vec<Finding>) {
        let versions = self.plan.real_versions();
        let mut others = vec![&versions.base, &versions.ours, &versions.theirs];
        let session = Session::with_rulings(Arc::clone(self.plan), settled);
        let text = Source::new(session.draft().bytes());
        let mut found = new_syntax_findings(self.path, &text, &others);
        if !found.is_empty() {
            let open = || Source::new(Session::new(Arc::clone(self.plan)).draft().bytes());
            others.push(self.untouched.get_or_init(open));
            found = new_syntax_findings(self.path, &text, &others);
        }
        (session, found)
    }
}

fn object(ruling: &mut Ruling, finding: &Finding) {
    let line = finding
        .line
        .map_or(String::new(), |at| format!(" at line {at}"));
    ruling.reason = format!(
        "{}; but the result has a syntax error{line}: {}",
        ruling.reason, finding.what
    );
    ruling.certainty = Certainty::Hint;
    ruling.resolution = None;
}

#[cfg(test)]
mod tests {
    use super::*;
    use armistice_core::{Options, Resolution, Segment, plan};

    fn ruled(path: &str, texts: [&str; 3], outcomes: &[(Certainty, &str)]) -> Vec<Ruling> {
        let [base, ours, theirs] = texts.map(Source::from);
        let plan = Arc::new(plan(&base, &ours, &theirs, &Options::default()));
        let rulings = plan.conflicts().iter().zip(outcomes);
        let rulings = rulings.map(|(id, (certainty, text))| {
            let text = Segment::Text(text.as_bytes().to_vec());
            let ruling = Ruling {
                rule: "blend".to_owned(),
                certainty: *certainty,
                reason: "a reason".to_owned(),
                resolution: Some(Resolution::Segments(vec![text])),
            };
            (*id, ruling)
        });
        let judged = judged_by_parser(&plan, path, rulings.collect());
        judged.into_iter().map(|(_, ruling)| ruling).collect()
    }

    const BASE: &str = "def moor():\n    a()\n\n\n\n\ndef pay():\n    b()\n";

    #[test]
    fn a_ruling_whose_outcome_does_not_parse_is_a_hint_that_says_where() {
        let ours = BASE.replace("a()", "a(1)").replace("b()", "b(1)");
        let theirs = BASE.replace("a()", "a(2)").replace("b()", "b(2)");
        let texts = [BASE, &ours, &theirs];
        let both = |first, second| {
            ruled(
                "a.py",
                texts,
                &[(Certainty::Certain, first), (Certainty::Certain, second)],
            )
        };
        let right = both("    a(1, 2)\n", "    b(1, 2)\n");
        assert!(
            right.iter().all(|r| r.certainty == Certainty::Certain),
            "{right:?}"
        );
        let broken = both("    a(1, 2)\n", "    b(1 2 else\n");
        assert_eq!(broken[0].certainty, Certainty::Certain);
        assert_eq!(
            (broken[1].certainty, &broken[1].resolution),
            (Certainty::Hint, &None)
        );
        assert!(
            broken[1]
                .reason
                .contains("the result has a syntax error at line 8"),
            "{}",
            broken[1].reason
        );
        // Offered ones are judged after those that are certain.
        let offered = ruled(
            "a.py",
            texts,
            &[
                (Certainty::Certain, "    a(1, 2)\n"),
                (Certainty::Likely, "  else:\n"),
            ],
        );
        assert_eq!(
            [offered[0].certainty, offered[1].certainty],
            [Certainty::Certain, Certainty::Hint]
        );
    }

    #[test]
    fn what_no_parser_knows_or_no_version_parses_is_left_alone() {
        let ours = BASE.replace("a()", "a(1)");
        let theirs = BASE.replace("a()", "a(2)");
        let texts = [BASE, &ours, &theirs];
        let unknown = ruled("a.unknown", texts, &[(Certainty::Certain, "    a((\n")]);
        assert_eq!(unknown[0].certainty, Certainty::Certain);
        let broken = [BASE, &ours, &theirs].map(|text| format!("def (\n{text}"));
        let broken = [&*broken[0], &*broken[1], &*broken[2]];
        let right = ruled("a.py", broken, &[(Certainty::Certain, "    a(1, 2)\n")]);
        assert_eq!(right[0].certainty, Certainty::Certain);
    }

    #[test]
    fn a_declaration_that_would_stand_twice_is_found() {
        let base = "fn a() {}\n";
        let (ours, theirs) = ("fn a() { ours(); }\n", "fn a() { theirs(); }\n");
        let twice = "fn a() { ours(); }\nfn a() { theirs(); }\n";
        let judged = ruled("a.rs", [base, ours, theirs], &[(Certainty::Certain, twice)]);
        assert_eq!(judged[0].certainty, Certainty::Hint);
        assert!(
            judged[0].reason.contains("defined twice"),
            "{}",
            judged[0].reason
        );
    }
}
