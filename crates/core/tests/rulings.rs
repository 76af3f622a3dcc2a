//! Laws of settling by rule, over arbitrary bytes and over generated programs.

use armistice_core::*;
use proptest::prelude::*;
use std::sync::Arc;

fn make(b: &[u8], o: &[u8], t: &[u8]) -> Arc<Plan> {
    let options = Options::default();
    Arc::new(plan(
        &Source::new(b),
        &Source::new(o),
        &Source::new(t),
        &options,
    ))
}

/// Texts in which every rule finds something to do.
fn text() -> impl Strategy<Value = Vec<u8>> {
    let line = prop_oneof![
        6 => prop::sample::select(vec![
            &b"moor(ship, berth);\n"[..], b"  moor(ship, berth);\n", b"moor(tug, berth);\n",
            b"moor(ship,\n    quay);\n", b"use tide;\n", b"use berth;\n", b"import low\n", b"\n", b"}\n",
            b"at = \"1.4.2\"\n", b"at = \"1.5.2\"\n", b"// Copyright 2024 Harbour\n", b"// Copyright 2025 Harbour\n",
        ]).prop_map(<[u8]>::to_vec),
        1 => prop::sample::select(vec![&b"a\r\n"[..], b"b\r", b"\xff\xfe x\n", b"\0", b"a b"]).prop_map(<[u8]>::to_vec),
        1 => prop::collection::vec(any::<u8>(), 0..6),
    ];
    prop::collection::vec(line, 0..8).prop_map(|lines| lines.concat())
}

/// A program of lines that say different things, at some depth.
fn program() -> impl Strategy<Value = Vec<String>> {
    prop::collection::vec((0usize..3, 0usize..1000), 2..14).prop_map(|rows| {
        let line = |(nth, (depth, n)): (usize, (usize, usize))| {
            format!(
                "{}let slot_{nth} = berth_{n}.find(ship, tide_{nth}, draught);",
                "    ".repeat(depth)
            )
        };
        rows.into_iter().enumerate().map(line).collect()
    })
}

fn joined(lines: &[String]) -> Vec<u8> {
    lines
        .iter()
        .flat_map(|line| [line.as_str(), "\n"].concat().into_bytes())
        .collect()
}

fn settled(b: &[u8], o: &[u8], t: &[u8]) -> (Vec<u8>, usize) {
    let plan = make(b, o, t);
    let rulings = AutoSettle::Certain.pick(&propose_all(&plan, &RuleContext::default()));
    let session = Session::with_rulings(plan, rulings);
    (session.draft().bytes(), session.draft().counts().open)
}

fn mirrored(certainty: &[(RegionId, Ruling)]) -> Vec<(RegionId, Certainty)> {
    certainty.iter().map(|(id, r)| (*id, r.certainty)).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn no_bytes_upset_the_rules_and_every_ruling_fits(b in text(), o in text(), t in text()) {
        let plan = make(&b, &o, &t);
        for blanks in WhitespacePolicy::ALL {
            let context = RuleContext { blanks, path: "a.rs".into(), ..RuleContext::default() };
            let rulings = propose_all(&plan, &context);
            let all = AutoSettle::Likely.pick(&rulings);
            let mut session = Session::with_rulings(plan.clone(), all.clone());
            prop_assert_eq!(session.draft().counts().by_rule, all.len());
            for (_, ruling) in &rulings {
                prop_assert_eq!(ruling.resolution.is_none(), ruling.certainty == Certainty::Hint);
                prop_assert!(!ruling.reason.is_empty());
            }
            for side in [Side::Ours, Side::Theirs] {
                for id in plan.conflicts() {
                    let region = plan.region(*id);
                    let Some(found) = Resolution::reindented(&plan, *id, side) else { continue };
                    let solid = |bytes: &[u8]| bytes.iter().copied().filter(|b| !b" \t\r\n".contains(b)).collect::<Vec<u8>>();
                    let versions = plan.versions();
                    let words = versions.get(side.into()).slice(region.lines(side.into()));
                    prop_assert_eq!(solid(found.text(&plan, region).bytes()), solid(words));
                }
            }
            // The journal tells the same again.
            let events: Vec<_> = session.take_unsaved().into_iter().collect();
            let lines = events.iter().flat_map(|e: &Event| e.to_line());
            let header = Header { armistice: Header::FORMAT, path: String::new(), versions: Default::default(), plan: Default::default() };
            let bytes: Vec<u8> = header.to_line().into_iter().chain(lines).collect();
            let (again, refused) = Session::replay(plan.clone(), &read_journal(&bytes).events);
            prop_assert_eq!(refused, None);
            prop_assert_eq!(again.draft().bytes(), session.draft().bytes());
        }
    }

    #[test]
    fn swapping_the_sides_swaps_nothing_but_the_sides(b in text(), o in text(), t in text()) {
        let (plan, swapped) = (make(&b, &o, &t), make(&b, &t, &o));
        let context = RuleContext::default();
        let (one, other) = (propose_all(&plan, &context), propose_all(&swapped, &context));
        prop_assert_eq!(mirrored(&one), mirrored(&other));
        for ((id, a), (_, b)) in one.iter().zip(&other) {
            // What is certain is the same text, whichever side is called ours.
            if a.certainty == Certainty::Certain {
                let text = |plan: &Plan, r: &Ruling| {
                    r.resolution.as_ref().map(|r| r.text(plan, plan.region(*id)).bytes().to_vec())
                };
                let (x, y) = (text(&plan, a).unwrap(), text(&swapped, b).unwrap());
                // A last line without an end gets the usual one of ours.
                let trimmed = |t: &[u8]| -> Vec<u8> { t.iter().copied().filter(|b| !b"\r\n".contains(b)).collect() };
                prop_assert_eq!(trimmed(&x), trimmed(&y), "{} {}", a.rule, b.rule);
            }
        }
    }

    #[test]
    fn edits_of_different_lines_both_stand(base in program(), i in 0usize..20, j in 0usize..20) {
        let (i, j) = (i % base.len(), j % base.len());
        prop_assume!(i != j);
        let edited = |at: &[(usize, &str, &str)]| {
            let mut lines = base.clone();
            for (at, from, to) in at {
                lines[*at] = lines[*at].replace(from, to);
            }
            joined(&lines)
        };
        let (ours, theirs) = ((i, "find", "reserve"), (j, "draught", "length"));
        let (text, open) = settled(&joined(&base), &edited(&[ours]), &edited(&[theirs]));
        prop_assert_eq!(open, 0);
        prop_assert_eq!(text, edited(&[ours, theirs]));
    }

    #[test]
    fn a_file_laid_out_anew_takes_the_words_of_the_other(base in program(), at in 0usize..20, tabs: bool, extra: bool) {
        let at = at % base.len();
        let anew = |lines: &[String]| -> Vec<u8> {
            let anew = |line: &String| {
                let line = if tabs { line.replace("    ", "\t") } else { line.clone() };
                match extra { true => format!("    {line}"), false => line }
            };
            joined(&lines.iter().map(anew).collect::<Vec<_>>())
        };
        let mut worded = base.clone();
        worded[at] = worded[at].replace("find(ship", "reserve(ship");
        let (text, open) = settled(&joined(&base), &anew(&base), &joined(&worded));
        prop_assert_eq!(open, 0);
        prop_assert_eq!(text, anew(&worded));
    }

    #[test]
    fn both_words_of_one_line_stand_or_somebody_is_asked(base in program(), at in 0usize..20) {
        let at = at % base.len();
        let edited = |pairs: &[(&str, &str)]| {
            let mut lines = base.clone();
            for (from, to) in pairs {
                lines[at] = lines[at].replace(from, to);
            }
            joined(&lines)
        };
        let (ours, theirs) = (("let slot", "let place"), ("draught)", "length)"));
        let (text, open) = settled(&joined(&base), &edited(&[ours]), &edited(&[theirs]));
        prop_assert!(open == 1 || text == edited(&[ours, theirs]));
    }

    #[test]
    fn audit_accounts_for_every_line(b in text(), o in text(), t in text()) {
        let plan = make(&b, &o, &t);
        let rulings = AutoSettle::Likely.pick(&propose_all(&plan, &RuleContext::default()));
        let session = Session::with_rulings(plan.clone(), rulings);
        let report = audit(session.draft(), None);
        let added = |side: &Source| {
            plan.regions().iter().filter(|r| r.kind != RegionKind::Unchanged).map(|r| {
                let version = if side == &plan.versions().ours { r.ours } else { r.theirs };
                version.len()
            }).sum::<usize>()
        };
        prop_assert!(report.sides.ours.added.all() <= added(&plan.versions().ours));
        prop_assert_eq!(report.sides.ours.added.missing + report.sides.theirs.added.missing, 0);
        prop_assert_eq!(report.sides.ours.added.waiting > 0 && session.draft().counts().open == 0, false);
    }
}

#[test]
fn settled_conflicts_are_found_again_by_content_and_by_likeness() {
    let plan = make(b"quay one\n", b"pier one\n", b"mole one\n");
    let id = plan.conflicts()[0];
    let taken = PastResolution::of(&plan, id, Some(&Resolution::Take(Version::Theirs)), &[]);
    let session = [(taken.clone(), "theirs".to_owned())];
    let context = RuleContext {
        past: PastResolutions::new([&taken], &session),
        ..RuleContext::default()
    };
    let find = |plan: &Plan| {
        let ruling = propose(plan, plan.conflicts()[0], &context)?;
        Some((ruling.rule, ruling.resolution?))
    };
    // The same texts, the sides the other way round.
    let mirrored = make(b"x\n\nquay one\n", b"x\n\nmole one\n", b"x\n\npier one\n");
    let ours = Resolution::Take(Version::Ours);
    assert_eq!(find(&mirrored), Some(("memory".to_owned(), ours)));
    // The same changes of words in another line.
    let like = make(b"  let quay;\n", b"  let pier;\n", b"  let mole;\n");
    let theirs = Resolution::Take(Version::Theirs);
    assert_eq!(find(&like), Some(("echo".to_owned(), theirs)));
    let unlike = make(b"  let quay;\n", b"  let pier;\n", b"  let jetty;\n");
    assert_eq!(find(&unlike), None);
}
