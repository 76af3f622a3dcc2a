//! Laws of the three-way merge and of the draft, over arbitrary bytes.

use armistice_core::*;
use proptest::prelude::*;
use std::sync::Arc;

/// Texts of few distinct lines, with every kind of line end, so that changes collide.
fn text() -> impl Strategy<Value = Vec<u8>> {
    let line = prop_oneof![
        4 => prop::sample::select(vec![&b"a\n"[..], b"b\n", b"c\n", b"  a\n", b"\n", b"}\n"]).prop_map(<[u8]>::to_vec),
        1 => prop::sample::select(vec![&b"a\r\n"[..], b"b\r", b"x y z\n", b"\xff\xfe\n", b"\0"]).prop_map(<[u8]>::to_vec),
        1 => prop::collection::vec(any::<u8>(), 0..4),
    ];
    prop::collection::vec(line, 0..14).prop_map(|lines| lines.concat())
}

fn make(b: &[u8], o: &[u8], t: &[u8]) -> Arc<Plan> {
    let source = |bytes: &[u8]| Source::new(bytes);
    Arc::new(plan(
        &source(b),
        &source(o),
        &source(t),
        &Options::default(),
    ))
}

fn merged(b: &[u8], o: &[u8], t: &[u8]) -> Vec<u8> {
    let draft = Draft::new(make(b, o, t));
    assert_eq!(draft.counts().open, 0);
    draft.bytes()
}

fn settle_all(plan: &Arc<Plan>, version: Version) -> Session {
    let mut session = Session::new(plan.clone());
    let settle = |id: &RegionId| Entry::Settle(*id, Resolution::Take(version));
    let entries = plan.conflicts().iter().map(settle).collect();
    let label = "all".to_owned();
    session
        .apply(&Event::Do(Step::new(label, entries)))
        .unwrap();
    session
}

fn tiles(plan: &Plan, version: Version) -> bool {
    let mut at = 0;
    let in_order = plan.regions().iter().all(|r| {
        let lines = r.lines(version);
        let fits = lines.start.0 == at && lines.end.0 >= at;
        at = lines.end.0;
        fits
    });
    in_order && at as usize == plan.versions().get(version).len()
}

/// A step that may or may not fit the plan.
fn steps() -> impl Strategy<Value = Vec<Event>> {
    let version = prop::sample::select(Version::ALL.to_vec());
    let resolution = prop_oneof![
        version.clone().prop_map(Resolution::Take),
        prop::sample::select(vec![Side::Ours, Side::Theirs]).prop_map(Resolution::Both),
        Just(Resolution::Drop),
        prop::collection::vec((version, 0u32..6), 0..4).prop_map(|picks| {
            let pick = |(version, line)| Pick {
                version,
                line: LineIdx(line),
            };
            Resolution::Lines(picks.into_iter().map(pick).collect())
        }),
    ];
    let edit = (
        0u32..12,
        0u32..4,
        prop::sample::select(vec!["", "hand\n", "one\ntwo\n", "torn"]),
    );
    let edit = edit.prop_map(|(at, n, text)| Entry::Edit {
        edits: vec![LineEdit {
            lines: LineRange::new(at, at + n),
            text: text.into(),
        }],
        prefer: None,
    });
    let id = (0u32..8).prop_map(RegionId);
    let entry = prop_oneof![
        3 => (id.clone(), resolution).prop_map(|(id, r)| Entry::Settle(id, r)),
        1 => id.clone().prop_map(Entry::Reopen),
        1 => id.prop_map(Entry::Restore),
        3 => edit,
    ];
    let event = prop_oneof![
        6 => entry.prop_map(|entry| Event::Do(Step::new("", vec![entry]))),
        1 => Just(Event::Undo),
        1 => Just(Event::Redo),
    ];
    prop::collection::vec(event, 0..12)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn one_sided_changes_merge_to_that_side(b in text(), x in text()) {
        prop_assert_eq!(&merged(&b, &x, &b), &x);
        prop_assert_eq!(&merged(&b, &b, &x), &x);
        prop_assert_eq!(&merged(&b, &x, &x), &x);
    }

    #[test]
    fn regions_tile_all_three_versions(b in text(), o in text(), t in text()) {
        let plan = make(&b, &o, &t);
        for version in Version::ALL {
            prop_assert!(tiles(&plan, version), "{:?} of {:?}", version, plan.regions());
        }
    }

    #[test]
    fn swapping_the_sides_swaps_the_plan(b in text(), o in text(), t in text()) {
        let (plan, swapped) = (make(&b, &o, &t), make(&b, &t, &o));
        let back = |r: &Region| Region {
            kind: match r.kind { RegionKind::Ours => RegionKind::Theirs, RegionKind::Theirs => RegionKind::Ours, kind => kind },
            base: r.base,
            ours: r.theirs,
            theirs: r.ours,
        };
        let back: Vec<_> = swapped.regions().iter().map(back).collect();
        prop_assert_eq!(plan.regions(), &back[..]);
    }

    #[test]
    fn all_ours_is_ours_where_theirs_alone_did_nothing(b in text(), o in text(), t in text()) {
        let plan = make(&b, &o, &t);
        let session = settle_all(&plan, Version::Ours);
        let draft = session.draft();
        let versions = plan.versions();
        for (id, region) in plan.ids().filter(|(_, r)| r.kind != RegionKind::Theirs) {
            let lines = draft.lines_of(id).iter().map(|at| draft.line(at).unwrap().line.bytes());
            let bytes: Vec<u8> = lines.flatten().copied().collect();
            prop_assert_eq!(&bytes[..], versions.ours.slice(region.ours));
        }
    }

    #[test]
    fn a_region_is_what_its_kind_says(b in text(), o in text(), t in text()) {
        let plan = make(&b, &o, &t);
        let v = plan.versions();
        for r in plan.regions() {
            let (b, o, t) = (v.base.slice(r.base), v.ours.slice(r.ours), v.theirs.slice(r.theirs));
            match r.kind {
                RegionKind::Unchanged => prop_assert!(b == o && b == t),
                RegionKind::Ours => prop_assert!(b == t && b != o),
                RegionKind::Theirs => prop_assert!(b == o && b != t),
                RegionKind::Same => prop_assert!(o == t && b != o),
                RegionKind::Conflict => prop_assert!(o != t),
            }
        }
    }

    #[test]
    fn every_line_is_found_where_it_came_from(b in text(), o in text(), t in text()) {
        let plan = make(&b, &o, &t);
        let draft = Draft::new(plan.clone());
        for at in (0..draft.len() as u32).map(LineIdx) {
            let line = draft.line(at).unwrap();
            let source = line.source.unwrap();
            prop_assert_eq!(plan.versions().get(source.version).line(source.line), line.line);
            prop_assert_eq!(draft.find(source.version, source.line), Some(at));
            prop_assert_eq!(draft.region_at(at), Some(line.region));
        }
        prop_assert_eq!(draft.line(LineIdx(draft.len() as u32)), None);
    }

    #[test]
    fn a_replayed_journal_gives_the_same_draft(b in text(), o in text(), t in text(), events in steps()) {
        let plan = make(&b, &o, &t);
        let mut session = Session::new(plan.clone());
        let mut stored = Vec::new();
        for event in events {
            let before = session.draft().bytes();
            match session.apply(&event) {
                Ok(()) => stored.push(event),
                Err(_) => prop_assert_eq!(session.draft().bytes(), before),
            }
        }
        let mut file = Header { armistice: Header::FORMAT, path: "p".into(), versions: Default::default(), plan: Default::default() }.to_line();
        file.extend(stored.iter().flat_map(Event::to_line));
        let read = read_journal(&file);
        prop_assert_eq!(&read.events, &stored);
        let (again, refused) = Session::replay(plan, &read.events);
        prop_assert_eq!(refused, None);
        prop_assert_eq!(again.draft().bytes(), session.draft().bytes());
        prop_assert_eq!(again.steps(), session.steps());
        for at in (0..again.draft().len() as u32).map(LineIdx) {
            prop_assert_eq!(again.draft().line(at), session.draft().line(at));
        }
    }

    #[test]
    fn a_retracted_event_has_never_been(b in text(), o in text(), t in text(), events in steps()) {
        let mut session = Session::new(make(&b, &o, &t));
        for event in &events {
            let seen = |s: &Session| {
                (s.draft().bytes(), s.draft().counts(), s.undoable().cloned(), s.redoable().cloned())
            };
            let before = seen(&session);
            if session.apply(event).is_ok() {
                session.retract(event);
                prop_assert_eq!(seen(&session), before);
                session.apply(event).unwrap();
            }
        }
    }

    #[test]
    fn undoing_everything_gives_the_first_draft_back(b in text(), o in text(), t in text(), events in steps()) {
        let plan = make(&b, &o, &t);
        let mut session = Session::new(plan.clone());
        for event in &events {
            let _ = session.apply(event);
        }
        let after = session.draft().bytes();
        let n = session.steps().len();
        for _ in 0..n {
            session.apply(&Event::Undo).unwrap();
        }
        prop_assert_eq!(session.draft().bytes(), Draft::new(plan).bytes());
        prop_assert!(session.apply(&Event::Undo).is_err());
        for _ in 0..n {
            session.apply(&Event::Redo).unwrap();
        }
        prop_assert_eq!(session.draft().bytes(), after);
    }

    #[test]
    fn an_edit_changes_its_lines_and_no_other(b in text(), o in text(), t in text(), at in 0u32..12, n in 0u32..4) {
        let mut session = Session::new(make(&b, &o, &t));
        let lines: Vec<Vec<u8>> = (0..session.draft().len() as u32)
            .map(|i| session.draft().line(LineIdx(i)).unwrap().line.bytes().to_vec())
            .collect();
        let edits = vec![LineEdit { lines: LineRange::new(at, at + n), text: b"hand\n".to_vec() }];
        let step = Step::new("", vec![Entry::Edit { edits, prefer: None }]);
        let fits = (at + n) as usize <= lines.len();
        prop_assert_eq!(session.apply(&Event::Do(step)).is_ok(), fits);
        if fits {
            let draft = session.draft();
            let after: Vec<_> = (0..draft.len() as u32).map(|i| draft.line(LineIdx(i)).unwrap()).collect();
            let bytes: Vec<Vec<u8>> = after.iter().map(|l| l.line.bytes().to_vec()).collect();
            let mut expected = lines;
            expected.splice(at as usize..(at + n) as usize, [b"hand\n".to_vec()]);
            prop_assert_eq!(bytes, expected);
            prop_assert_eq!(after[at as usize].origin, Origin::Hand);
            prop_assert_eq!(after.iter().filter(|l| l.origin == Origin::Hand).count(), 1);
        }
    }

    #[test]
    fn no_bytes_upset_checks_audit_or_journal(b in text(), o in text(), t in text()) {
        let plan = make(&b, &o, &t);
        let draft = Draft::new(plan.clone());
        let report = audit(&draft, None);
        prop_assert_eq!(report.sides.ours.added.missing + report.sides.theirs.added.missing, 0);
        let result = Source::new(render_with_markers(&draft, &Markers::default()));
        let inputs = Inputs { result: &result, versions: Some(plan.versions()) };
        let stops = check(&inputs).into_iter().filter(|f| f.weight == Weight::Stops).count();
        prop_assert!(stops >= draft.counts().open);
        for id in plan.conflicts() {
            prop_assert!(!describe(&plan, *id).is_empty());
        }
        prop_assert!(read_journal(&o).events.is_empty());
    }
}

#[test]
fn a_torn_last_line_is_skipped_and_told() {
    let mut file = Header {
        armistice: Header::FORMAT,
        path: "p".into(),
        versions: Default::default(),
        plan: Default::default(),
    }
    .to_line();
    file.extend(Event::Undo.to_line());
    file.extend(b"{\"do\":{\"label\":\"sett");
    let read = read_journal(&file);
    assert_eq!(read.events, [Event::Undo]);
    assert_eq!(read.unreadable, [3]);
}

#[test]
fn text_typed_next_to_an_open_conflict_leaves_it_open() {
    let plan = make(b"a\nb\nc\n", b"a\nO\nc\n", b"a\nT\nc\n");
    let mut session = Session::new(plan.clone());
    let edits = vec![LineEdit {
        lines: LineRange::new(1, 1),
        text: b"new\n".to_vec(),
    }];
    let entries = vec![Entry::Edit {
        edits,
        prefer: None,
    }];
    let label = String::new();
    session
        .apply(&Event::Do(Step::new(label, entries)))
        .unwrap();
    assert_eq!(session.draft().counts().open, 1);
    assert_eq!(session.draft().bytes(), b"a\nnew\nb\nc\n");
}

#[test]
fn sides_without_a_last_newline_are_not_run_together() {
    let plan = make(b"a\nb", b"a\nO", b"a\nT");
    let mut session = Session::new(plan.clone());
    let entries = vec![Entry::Settle(
        plan.conflicts()[0],
        Resolution::Both(Side::Theirs),
    )];
    let label = String::new();
    session
        .apply(&Event::Do(Step::new(label, entries)))
        .unwrap();
    assert_eq!(session.draft().bytes(), b"a\nT\nO");
}

/// Rows with a key each, some of them with another value.
fn keyed(values: &[u8]) -> Vec<u8> {
    let row = |(nth, value): (usize, &u8)| format!("setting_{nth} = value of {value}\n");
    values
        .iter()
        .enumerate()
        .map(row)
        .collect::<String>()
        .into_bytes()
}

proptest! {
    /// Rows that one side alone changed stand whichever side is taken where both changed a row.
    #[test]
    fn what_nobody_disputes_stays_when_a_side_is_taken(
        rows in prop::collection::vec((0u8..3, 0u8..3), 1..14),
    ) {
        let base = keyed(&vec![0; rows.len()]);
        let side = |of: fn(&(u8, u8)) -> u8| keyed(&rows.iter().map(of).collect::<Vec<_>>());
        let (ours, theirs) = (side(|row| row.0), side(|row| row.1 * 10));
        let plan = make(&base, &ours, &theirs);
        let clashes = |region: &Region| region.base.iter().any(|at| {
            let (o, t) = rows[at.0 as usize];
            o > 0 && t > 0
        });
        for taken in [Side::Ours, Side::Theirs] {
            let session = settle_all(&plan, taken.into());
            let text = session.draft().bytes();
            let merged = String::from_utf8(text).unwrap();
            for region in plan.regions().iter().filter(|r| r.kind != RegionKind::Conflict || clashes(r)) {
                for at in region.base.iter() {
                    let (o, t) = rows[at.0 as usize];
                    let value = match (o, t * 10, taken) {
                        (0, t, _) => t,
                        (o, 0, _) => o,
                        (o, _, Side::Ours) => o,
                        (_, t, Side::Theirs) => t,
                    };
                    let row = format!("setting_{} = value of {value}\n", at.0);
                    prop_assert!(merged.contains(&row), "{row} is missing:\n{merged}");
                }
            }
        }
    }
}
