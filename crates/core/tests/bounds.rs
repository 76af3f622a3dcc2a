//! Bounds: what is said at one, and what beyond it.

use armistice_core::limits::{
    AUDITED_LINE_BYTES, CONFLICT_ROWS, FORMATTED_ROW_BYTES, LIMITS, LINE_BYTES, TOKEN_BYTES,
};
use armistice_core::{
    Cause, Certainty, Check, Options, Plan, RuleContext, Session, Source, Span, audit, cause, plan,
    propose, spans,
};
use std::sync::Arc;

fn plan_of(base: &str, ours: &str, theirs: &str) -> Plan {
    plan(
        &base.into(),
        &ours.into(),
        &theirs.into(),
        &Options::default(),
    )
}

/// A conflict of so many rows, each re-worded by both sides.
fn rows(n: usize) -> Plan {
    let text = |word: &str| -> String { (0..n).map(|i| format!("{word} {i}\n")).collect() };
    plan_of(&text("quay"), &text("pier"), &text("mole"))
}

#[test]
fn a_conflict_of_too_many_rows_says_so_and_is_only_explained() {
    let ruling = |plan: &Plan| propose(plan, plan.conflicts()[0], &RuleContext::default());
    let at = rows(CONFLICT_ROWS);
    assert_eq!(at.conflicts().len(), 1);
    assert_ne!(cause(&at, at.conflicts()[0]), Cause::TooLong);
    let beyond = rows(CONFLICT_ROWS + 1);
    assert_eq!(beyond.conflicts().len(), 1);
    assert_eq!(cause(&beyond, beyond.conflicts()[0]), Cause::TooLong);
    let ruling = ruling(&beyond).unwrap();
    assert_eq!(
        (ruling.rule.as_str(), ruling.certainty, ruling.resolution),
        ("too-long", Certainty::Hint, None)
    );
}

#[test]
fn words_beyond_the_bound_are_not_merged() {
    // Both sides changed one word each, far apart: a blend, if it is looked into.
    let text = |first: &str, last: &str, bytes: usize| {
        let middle = "tide ".repeat(bytes / 5);
        format!("{first} {middle}{last}\n")
    };
    let ruling = |bytes: usize| {
        let [base, ours, theirs] =
            [("a", "z"), ("b", "z"), ("a", "y")].map(|(first, last)| text(first, last, bytes));
        let plan = plan_of(&base, &ours, &theirs);
        propose(&plan, plan.conflicts()[0], &RuleContext::default())
    };
    let within = ruling(FORMATTED_ROW_BYTES / 2).unwrap();
    assert!(within.resolution.is_some(), "{within:?}");
    let beyond = ruling(TOKEN_BYTES + 10).unwrap();
    assert_eq!(
        (beyond.rule.as_str(), beyond.resolution),
        ("too-long", None)
    );
}

#[test]
fn a_line_that_is_too_long_is_shown_as_one_change() {
    let line = |first: &str, last: &str, bytes: usize| {
        let mut line = format!("moor {first} ");
        line += &"x ".repeat((bytes - line.len() - last.len() - 2) / 2);
        line + last + " y"
    };
    let changes = |bytes: usize| {
        let (old, new) = (line("a", "c", bytes), line("b", "d", bytes));
        let spans = spans(old.as_bytes(), new.as_bytes());
        let changed = spans
            .iter()
            .filter(|span| matches!(span, Span::Changed(..)));
        changed.count()
    };
    assert_eq!(changes(LINE_BYTES - 10), 2);
    assert_eq!(changes(LINE_BYTES + 10), 1);
}

#[test]
fn a_line_of_data_is_traced_but_not_reported() {
    let lost = |bytes: usize| {
        let line = format!("moor the ship {}\n", "x".repeat(bytes - 15));
        let plan = plan_of("a\n", &format!("a\n{line}"), "a\n");
        let session = Session::new(Arc::new(plan));
        let report = audit(session.draft(), Some(&Source::from("a\n")));
        let lost = report.findings.iter().filter(|f| f.check == Check::Lost);
        (lost.count(), report.sides.ours.added.kept)
    };
    assert_eq!(lost(AUDITED_LINE_BYTES - 1), (1, 0));
    assert_eq!(lost(AUDITED_LINE_BYTES + 10), (0, 1));
}

#[test]
fn every_bound_can_be_looked_up_by_its_name() {
    let value = |name: &str| {
        LIMITS
            .iter()
            .find(|limit| limit.name == name)
            .unwrap()
            .value
    };
    for (name, constant) in [
        ("AUDITED_LINE_BYTES", AUDITED_LINE_BYTES),
        ("CONFLICT_ROWS", CONFLICT_ROWS),
        ("LINE_BYTES", LINE_BYTES),
        ("TOKEN_BYTES", TOKEN_BYTES),
    ] {
        assert_eq!(value(name), constant as u64, "{name}");
    }
}
