//! Each proof catches results that are broken in just its way, and lets the right ones pass.

use armistice_core::{
    Certainty, MergeTexts, Options, Position, Proofs, RegionId, Resolution, Ruling, Scopes,
    Segment, Session, Source, TextKind, plan,
};
use std::sync::Arc;

/// What the proofs say of a merge whose only conflict is settled by a text.
fn found(texts: [&str; 3], outcome: &str, kind: TextKind, position: Position) -> Vec<String> {
    let [base, ours, theirs] = texts.map(Source::from);
    let plan = Arc::new(plan(&base, &ours, &theirs, &Options::default()));
    let ruling = Ruling {
        rule: "test".to_owned(),
        certainty: Certainty::Certain,
        reason: String::new(),
        resolution: Some(Resolution::Segments(vec![Segment::Text(
            outcome.as_bytes().to_vec(),
        )])),
    };
    let conflicts: Vec<RegionId> = plan.conflicts().to_vec();
    assert_eq!(conflicts.len(), 1, "one conflict");
    let session = Session::with_rulings(plan, vec![(conflicts[0], ruling)]);
    judge(&session, [&base, &ours, &theirs], kind, position)
}

fn judge(
    session: &Session,
    versions: [&Source; 3],
    kind: TextKind,
    position: Position,
) -> Vec<String> {
    let scopes = versions.map(Scopes::by_layout);
    let text = Source::new(session.draft().bytes());
    let result = Scopes::by_layout(&text);
    let positions = versions.map(|text| vec![position; text.len()]);
    let texts = MergeTexts {
        text: &text,
        versions: [&scopes[0], &scopes[1], &scopes[2]],
        result: &result,
        outlines: None,
        positions: Some([&positions[0], &positions[1], &positions[2]]),
        independent: None,
    };
    let found = Proofs::new(session.draft().plan()).objections(session.draft(), &texts, kind);
    let hints = found
        .into_iter()
        .filter(|found| found.leaves == Certainty::Hint);
    hints.map(|found| found.what).collect()
}

/// One side wraps three lines, the other edits one of them.
fn wrapped() -> [&'static str; 3] {
    [
        "def moor(ship):\n    note(ship)\n    pay(ship)\n    log(ship)\n",
        "def moor(ship):\n    if ship:\n        note(ship)\n        pay(ship)\n        log(ship)\n",
        "def moor(ship):\n    note(ship)\n    pay(ship, 1)\n    log(ship)\n",
    ]
}

#[test]
fn a_line_out_of_its_block_is_found_wherever_it_is() {
    let right = "    if ship:\n        note(ship)\n        pay(ship, 1)\n        log(ship)\n";
    let of = |text: &str| found(wrapped(), text, TextKind::Other, Position::Free);
    assert_eq!(of(right), [""; 0]);
    for line in ["note(ship)", "pay(ship, 1)", "log(ship)"] {
        let inside = format!("        {line}\n");
        let outside = right.replace(&inside, &format!("    {line}\n"));
        assert!(!of(&outside).is_empty(), "{outside}");
    }
}

#[test]
fn a_name_that_the_other_side_renamed_is_found() {
    let texts = ["total = 1\n", "sum = 1\n", "total = 1\npay(total)\n"];
    let of = |text: &str| found(texts, text, TextKind::Code, Position::Free);
    assert_eq!(of("sum = 1\npay(sum)\n"), [""; 0]);
    let said = of("sum = 1\npay(total)\n");
    assert!(said.iter().any(|said| said.contains("'total'")), "{said:?}");
    // In prose words are no names.
    let prose = found(
        texts,
        "sum = 1\npay(total)\n",
        TextKind::Other,
        Position::Free,
    );
    assert_eq!(prose, [""; 0]);
}

#[test]
fn a_member_is_another_name_unless_the_file_declares_it() {
    let said = |texts: [&str; 3], result: &str| {
        let found = found(texts, result, TextKind::Code, Position::Free);
        found.iter().any(|said| said.contains("'open'"))
    };
    let called = [
        "open(list)\n",
        "unlock(list)\n",
        "open(list)\nwindow.open(url)\n",
    ];
    assert!(!said(called, "unlock(list)\nwindow.open(url)\n"));
    let declared = [
        "def open(self):\n",
        "def unlock(self):\n",
        "def open(self):\nlock.open(key)\n",
    ];
    assert!(said(declared, "def unlock(self):\nlock.open(key)\n"));
}

#[test]
fn rows_of_a_table_have_equally_many_fields() {
    let texts = ["a,b\n1,2\n", "a,b,c\n1,2,3\n", "a,b\n1,2\n4,5\n"];
    let of = |text: &str| found(texts, text, TextKind::Table(b','), Position::Free);
    assert_eq!(of("a,b,c\n1,2,3\n4,5,\n"), [""; 0]);
    assert!(!of("a,b,c\n1,2,3\n4,5\n").is_empty());
}

#[test]
fn lines_that_both_sides_added_have_an_order_only_where_it_means_nothing() {
    let (base, ours, theirs) = ("open\n", "open\nring\n", "open\nlog\n");
    let [base, ours, theirs] = [base, ours, theirs].map(Source::from);
    let plan = Arc::new(plan(&base, &ours, &theirs, &Options::default()));
    let both = |ruling: Resolution| {
        let ruling = Ruling {
            rule: "test".to_owned(),
            certainty: Certainty::Certain,
            reason: String::new(),
            resolution: Some(ruling),
        };
        Session::with_rulings(plan.clone(), vec![(plan.conflicts()[0], ruling)])
    };
    let session = both(Resolution::Both(armistice_core::Side::Ours));
    let of = |position| judge(&session, [&base, &ours, &theirs], TextKind::Other, position);
    assert_eq!(of(Position::Free), [""; 0]);
    assert!(!of(Position::Ordered).is_empty());
}

#[test]
fn edits_that_belong_together_are_found() {
    let texts = [
        "image: a\ntag: 1\n",
        "image: b\ntag: 1\n",
        "image: a\ntag: 2\n",
    ];
    let of = |texts: [&str; 3], text: &str, kind| found(texts, text, kind, Position::Free);
    assert!(!of(texts, "image: b\ntag: 2\n", TextKind::Other).is_empty());
    let apart = [
        "depth: a\nnote: 1\n",
        "depth: b\nnote: 1\n",
        "depth: a\nnote: 2\n",
    ];
    assert_eq!(of(apart, "depth: b\nnote: 2\n", TextKind::Other), [""; 0]);
}

#[test]
fn words_that_one_side_turns_round_are_not_blended() {
    let texts = [
        "if calm(ship) && day:\n",
        "if !calm(ship) && day:\n",
        "if calm(tug) && day:\n",
    ];
    let of = |text: &str| found(texts, text, TextKind::Code, Position::Free);
    assert!(!of("if !calm(tug) && day:\n").is_empty());
    let plain = [
        "moor(ship, quay)\n",
        "moor(tug, quay)\n",
        "moor(ship, lock)\n",
    ];
    let plain = found(plain, "moor(tug, lock)\n", TextKind::Code, Position::Free);
    assert_eq!(plain, [""; 0]);
}
