//! What decisions and edits make of a draft, line by line.

use armistice_core::*;
use std::sync::Arc;

/// ours alone · conflict · theirs alone · conflict, with unchanged lines between.
const BASE: &str = "h\none\nm1\nm2\ntwo\nm3\nm4\nthree\nm5\nfour\nt\n";
const OURS: &str = "h\nONE\nm1\nm2\nTWO ours\nm3\nm4\nthree\nm5\nFOUR ours\nt\n";
const THEIRS: &str = "h\none\nm1\nm2\nTWO theirs\nm3\nm4\nTHREE\nm5\nFOUR theirs\nt\n";

fn session() -> Session {
    session_of(BASE, OURS, THEIRS)
}

fn session_of(base: &str, ours: &str, theirs: &str) -> Session {
    let plan = plan(
        &base.into(),
        &ours.into(),
        &theirs.into(),
        &Options::default(),
    );
    Session::new(Arc::new(plan))
}

fn decide(session: &mut Session, entry: Entry) -> Result<(), Refused> {
    session.apply(&Event::Do(Step::new("test", vec![entry])))
}

fn settle(session: &mut Session, conflict: u32, resolution: Resolution) {
    let id = session.draft().region_of(ConflictId(conflict)).unwrap();
    decide(session, Entry::Settle(id, resolution)).unwrap();
}

fn edit(session: &mut Session, lines: (u32, u32), text: &str, prefer: Option<RegionId>) {
    let edits = vec![LineEdit {
        lines: LineRange::new(lines.0, lines.1),
        text: text.into(),
    }];
    decide(session, Entry::Edit { edits, prefer }).unwrap();
}

/// The draft, each line behind the letter of its origin.
fn render(session: &Session) -> String {
    let draft = session.draft();
    let line = |at| {
        let line = draft.line(LineIdx(at)).unwrap();
        let letter = match line.origin {
            Origin::Unchanged => ' ',
            Origin::Same => '=',
            Origin::Ours => 'o',
            Origin::Theirs => 't',
            Origin::Base => 'b',
            Origin::Blend => 'm',
            Origin::Hand => 'h',
            Origin::Open => '?',
        };
        format!("{letter}{}\n", String::from_utf8_lossy(line.line.content()))
    };
    (0..draft.len() as u32).map(line).collect()
}

fn check(session: &Session, expected: &[&str]) {
    let got = render(session);
    let got: Vec<_> = got.lines().collect();
    assert_eq!(got, expected);
}

#[test]
fn a_fresh_draft_shows_base_where_it_is_open() {
    let session = session();
    check(
        &session,
        &[
            " h", "oONE", " m1", " m2", "?two", " m3", " m4", "tTHREE", " m5", "?four", " t",
        ],
    );
    assert_eq!(
        session.draft().counts(),
        Counts {
            conflicts: 2,
            open: 2,
            by_rule: 0,
            elsewhere: 0,
        }
    );
}

#[test]
fn each_resolution_leaves_its_lines() {
    let pick = |version, line| Pick {
        version,
        line: LineIdx(line),
    };
    let table = [
        (Resolution::Take(Version::Ours), vec!["oTWO ours"]),
        (Resolution::Take(Version::Theirs), vec!["tTWO theirs"]),
        (Resolution::Take(Version::Base), vec!["btwo"]),
        (
            Resolution::Both(Side::Ours),
            vec!["oTWO ours", "tTWO theirs"],
        ),
        (
            Resolution::Both(Side::Theirs),
            vec!["tTWO theirs", "oTWO ours"],
        ),
        (Resolution::Drop, vec![]),
        (
            Resolution::Lines(vec![
                pick(Version::Theirs, 4),
                pick(Version::Base, 0),
                pick(Version::Theirs, 4),
            ]),
            vec!["tTWO theirs", "bh", "tTWO theirs"],
        ),
    ];
    for (resolution, lines) in table {
        let mut session = session();
        let plan = session.draft().plan().clone();
        let region = plan.region(plan.conflicts()[0]);
        assert_eq!(resolution.len(region), lines.len());
        let text: String = lines.iter().map(|l| format!("{}\n", &l[1..])).collect();
        assert_eq!(resolution.text(&plan, region).bytes(), text.as_bytes());
        settle(&mut session, 0, resolution.clone());
        let mut expected = vec![" h", "oONE", " m1", " m2"];
        expected.extend(&lines);
        expected.extend([" m3", " m4", "tTHREE", " m5", "?four", " t"]);
        check(&session, &expected);
        assert_eq!(session.draft().counts().open, 1);
        assert_eq!(
            *session.draft().standing(plan.conflicts()[0]),
            RegionState::Settled(resolution)
        );
    }
}

#[test]
fn a_change_of_one_side_is_declined_and_restored() {
    let mut session = session();
    let ours = session.draft().region_at(LineIdx(1)).unwrap();
    decide(
        &mut session,
        Entry::Settle(ours, Resolution::Take(Version::Base)),
    )
    .unwrap();
    assert!(render(&session).contains("bone\n"));
    decide(&mut session, Entry::Restore(ours)).unwrap();
    assert!(render(&session).contains("oONE\n"));
    assert_eq!(
        decide(&mut session, Entry::Reopen(ours)),
        Err(Refused::NotAConflict(ours))
    );
}

#[test]
fn an_edit_inside_one_region_splits_it() {
    let mut session = session();
    edit(&mut session, (2, 3), "M1\n", None);
    check(
        &session,
        &[
            " h", "oONE", "hM1", " m2", "?two", " m3", " m4", "tTHREE", " m5", "?four", " t",
        ],
    );
    edit(&mut session, (2, 4), "M\n", None);
    check(
        &session,
        &[
            " h", "oONE", "hM", "?two", " m3", " m4", "tTHREE", " m5", "?four", " t",
        ],
    );
}

#[test]
fn an_edit_over_a_conflict_settles_it_and_leaves_the_rest() {
    let mut session = session();
    edit(&mut session, (3, 6), "all three\n", None);
    check(
        &session,
        &[
            " h",
            "oONE",
            " m1",
            "hall three",
            " m4",
            "tTHREE",
            " m5",
            "?four",
            " t",
        ],
    );
    let conflict = session.draft().region_of(ConflictId(0)).unwrap();
    assert_eq!(*session.draft().standing(conflict), RegionState::ByHand);
    assert_eq!(session.draft().counts().open, 1);
}

#[test]
fn an_edit_over_two_conflicts_settles_both() {
    let mut session = session();
    edit(&mut session, (4, 10), "one line for all\n", None);
    check(
        &session,
        &[" h", "oONE", " m1", " m2", "hone line for all", " t"],
    );
    assert_eq!(session.draft().counts().open, 0);
    session.apply(&Event::Undo).unwrap();
    assert_eq!(session.draft().counts().open, 2);
}

#[test]
fn an_insertion_at_a_border_goes_where_it_is_meant_to() {
    let mut session = session();
    edit(&mut session, (4, 4), "before\n", None);
    assert_eq!(
        session.draft().counts().open,
        2,
        "not into the open conflict"
    );
    let conflict = session.draft().region_of(ConflictId(0)).unwrap();
    edit(&mut session, (6, 6), "behind\n", Some(conflict));
    assert_eq!(
        session.draft().counts().open,
        1,
        "into the conflict that was meant"
    );
    check(
        &session,
        &[
            " h", "oONE", " m1", " m2", "hbefore", "btwo", "hbehind", " m3", " m4", "tTHREE",
            " m5", "?four", " t",
        ],
    );
}

#[test]
fn edits_of_one_step_all_refer_to_the_draft_before_it() {
    let mut session = session();
    let at = |start, end, text: &str| LineEdit {
        lines: LineRange::new(start, end),
        text: text.into(),
    };
    let edits = vec![at(0, 0, "new first\n"), at(2, 3, ""), at(10, 11, "T\n")];
    decide(
        &mut session,
        Entry::Edit {
            edits,
            prefer: None,
        },
    )
    .unwrap();
    check(
        &session,
        &[
            "hnew first",
            " h",
            "oONE",
            " m2",
            "?two",
            " m3",
            " m4",
            "tTHREE",
            " m5",
            "?four",
            "hT",
        ],
    );
}

#[test]
fn what_does_not_fit_is_refused_and_changes_nothing() {
    let mut session = session();
    let before = render(&session);
    let nowhere = RegionId(99);
    let at = |start, end| LineEdit {
        lines: LineRange::new(start, end),
        text: Vec::new(),
    };
    let far = Resolution::Lines(vec![Pick {
        version: Version::Ours,
        line: LineIdx(500),
    }]);
    let conflict = session.draft().region_of(ConflictId(0)).unwrap();
    let table = [
        (
            Entry::Settle(nowhere, Resolution::Drop),
            Refused::NoSuchRegion(nowhere),
        ),
        (Entry::Reopen(nowhere), Refused::NoSuchRegion(nowhere)),
        (
            Entry::Settle(conflict, far),
            Refused::NoSuchLine(LineIdx(500)),
        ),
        (
            Entry::Edit {
                edits: vec![at(5, 40)],
                prefer: None,
            },
            Refused::NoSuchLine(LineIdx(40)),
        ),
        (
            Entry::Edit {
                edits: vec![at(5, 7), at(6, 8)],
                prefer: None,
            },
            Refused::Tangled,
        ),
    ];
    for (entry, refused) in table {
        assert_eq!(decide(&mut session, entry), Err(refused));
        assert!(!refused.to_string().is_empty());
        assert_eq!(render(&session), before);
    }
    assert!(session.steps().is_empty());
    assert_eq!(session.apply(&Event::Redo), Err(Refused::Tangled));
}

#[test]
fn a_step_of_many_decisions_is_all_or_nothing() {
    let mut session = session();
    let conflict = session.draft().region_of(ConflictId(0)).unwrap();
    let entries = vec![
        Entry::Settle(conflict, Resolution::Drop),
        Entry::Reopen(RegionId(99)),
    ];
    let step = Step::new("", entries);
    assert!(session.apply(&Event::Do(step)).is_err());
    assert_eq!(session.draft().counts().open, 2);
}

#[test]
fn undo_forgets_nothing_until_something_else_is_decided() {
    let mut session = session();
    settle(&mut session, 0, Resolution::Take(Version::Ours));
    settle(&mut session, 1, Resolution::Take(Version::Theirs));
    session.apply(&Event::Undo).unwrap();
    assert_eq!(session.redoable().unwrap().label, "test");
    session.apply(&Event::Undo).unwrap();
    session.apply(&Event::Redo).unwrap();
    assert!(render(&session).contains("oTWO ours"));
    settle(&mut session, 0, Resolution::Drop);
    assert_eq!(session.redoable(), None);
    assert_eq!(session.steps().len(), 2);
}

#[test]
fn a_journal_of_another_plan_ends_where_it_stops_fitting() {
    let mut session = session();
    settle(&mut session, 0, Resolution::Take(Version::Ours));
    settle(&mut session, 1, Resolution::Take(Version::Ours));
    let events: Vec<_> = session.steps().iter().cloned().map(Event::Do).collect();
    let small = session_of("a\nb\nc\n", "a\nB\nc\n", "a\nb\nC2\n");
    let (replayed, refused) = Session::replay(small.draft().plan().clone(), &events);
    assert!(refused.is_some());
    assert!(replayed.steps().len() < events.len());
    assert_eq!(replayed.draft().len(), 3);
}

#[test]
fn lines_are_found_from_all_three_versions_after_decisions() {
    let mut session = session();
    settle(&mut session, 0, Resolution::Both(Side::Theirs));
    let draft = session.draft();
    let find = |version, line| draft.find(version, LineIdx(line)).map(|l| l.0);
    assert_eq!(find(Version::Theirs, 4), Some(4));
    assert_eq!(find(Version::Ours, 4), Some(5));
    assert_eq!(
        find(Version::Base, 4),
        None,
        "base is not in the draft there"
    );
    for version in Version::ALL {
        assert_eq!(
            find(version, 10),
            Some(11),
            "the last line, from {version:?}"
        );
    }
    assert_eq!(find(Version::Ours, 99), None);
}

#[test]
fn text_typed_into_three_empty_versions_stands() {
    let mut session = session_of("", "", "");
    edit(&mut session, (0, 0), "first\n", None);
    edit(&mut session, (1, 1), "second\n", None);
    assert_eq!(session.draft().bytes(), b"first\nsecond\n");
    assert_eq!(
        render_with_markers(session.draft(), &Markers::default()),
        b"first\nsecond\n"
    );
}

#[test]
fn a_line_without_an_end_gets_one_when_something_follows() {
    let mut session = session_of("a\r\nb", "a\r\nours", "a\r\ntheirs");
    settle(&mut session, 0, Resolution::Both(Side::Ours));
    assert_eq!(session.draft().bytes(), b"a\r\nours\r\ntheirs");
}

#[test]
fn the_report_tells_kept_given_up_rewritten_and_waiting() {
    let mut session = session();
    settle(&mut session, 0, Resolution::Take(Version::Ours));
    let report = |session: &Session| audit(session.draft(), None);
    let now = report(&session);
    let added = now.sides.ours.added;
    assert_eq!((added.kept, added.given_up, added.waiting), (2, 0, 1));
    let added = now.sides.theirs.added;
    assert_eq!((added.kept, added.given_up, added.waiting), (1, 1, 1));
    edit(&mut session, (9, 10), "four by hand\n", None);
    let now = report(&session);
    assert_eq!(
        (
            now.sides.ours.added.rewritten,
            now.sides.theirs.added.rewritten
        ),
        (1, 1)
    );
    assert_eq!(now.findings, []);
}
