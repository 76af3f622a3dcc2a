use crate::rules::wording::whose;
use crate::{
    Certainty, Conflict, Example, Options, RULES, RegionKind, Rule, RuleContext, Source, Version,
    plan, propose, rule_title,
};
use std::collections::BTreeSet;

/// The whole text with one rule's proposal, had it been the only conflict.
fn given(rule: &dyn Rule, example: &Example) -> Option<(Certainty, String)> {
    let plan = plan(
        &example.base.into(),
        &example.ours.into(),
        &example.theirs.into(),
        &Options::default(),
    );
    let context = RuleContext {
        path: example.path.to_owned(),
        ..RuleContext::default()
    };
    let mut text = Vec::new();
    let mut least = None;
    for (id, region) in plan.ids() {
        if region.kind != RegionKind::Conflict {
            let version = match region.kind {
                RegionKind::Theirs => Version::Theirs,
                _ => Version::Ours,
            };
            text.extend_from_slice(plan.versions().get(version).slice(region.lines(version)));
            continue;
        }
        let proposal = rule.propose(&Conflict::new(&plan, id), &context)?;
        let sure = proposal.certainty;
        least = Some(least.map_or(sure, |l: Certainty| l.min(sure)));
        match proposal.resolution {
            Some(resolution) => text.extend_from_slice(resolution.text(&plan, region).bytes()),
            None => return Some((Certainty::Hint, String::new())),
        }
    }
    Some((least?, String::from_utf8(text).unwrap()))
}

#[test]
fn each_rule_keeps_to_its_examples() {
    for rule in RULES {
        assert!(!rule.examples().is_empty(), "{} has none", rule.id());
        for example in rule.examples() {
            let expected = example.gives.map(|(c, text)| (c, text.to_owned()));
            assert_eq!(
                given(*rule, example),
                expected,
                "{}: {example:#?}",
                rule.id()
            );
        }
    }
}

#[test]
fn ids_are_unique_and_titles_are_found_by_them() {
    let ids: BTreeSet<_> = RULES.iter().map(|rule| rule.id()).collect();
    assert_eq!(ids.len(), RULES.len());
    assert_eq!(rule_title("blend"), "word-by-word blend");
    assert_eq!(rule_title("nothing-like-it"), "nothing-like-it");
}

#[test]
fn a_bound_that_was_hit_is_told() {
    let rows = |word: &str| -> String { (0..6_000).map(|n| format!("{word} {n}\n")).collect() };
    let row = |word: &str| format!("{word} {}\n", "tide ".repeat(20_000));
    let texts: [&dyn Fn(&str) -> String; 2] = [&rows, &row];
    for text in texts {
        let [base, ours, theirs] = ["quay", "pier", "mole"].map(|w| Source::from(text(w).as_str()));
        let plan = plan(&base, &ours, &theirs, &Options::default());
        let ruling = propose(&plan, plan.conflicts()[0], &RuleContext::default()).unwrap();
        assert_eq!(
            (ruling.rule.as_str(), ruling.certainty),
            ("too-long", Certainty::Hint)
        );
    }
}

#[test]
fn labels_own_things_as_english_has_it() {
    assert_eq!(whose("main"), "main's");
    assert_eq!(whose("theirs"), "theirs'");
}
