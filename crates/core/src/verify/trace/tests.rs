use super::*;
use crate::{Entry, Event, Options, Resolution, Session, Step, plan};
use proptest::prelude::*;
use std::sync::Arc;

const BASE: &str = "def moor(ship):\n    check(ship)\n    log(ship, tide)\n    return berth\n\ndef pay(fee):\n    book(fee)\n    return None\n";

fn versions() -> [String; 3] {
    let ours = BASE.replace("check(ship)", "check(ship, draught)");
    let theirs = BASE.replace("    book(fee)\n", "    book(fee)\n    stamp(fee, today)\n");
    [BASE.to_owned(), ours, theirs]
}

fn found(versions: &[String; 3], result: &str) -> Vec<(Check, usize, String)> {
    let [base, ours, theirs] = versions.each_ref().map(|t| Source::from(t.as_str()));
    let plan = plan(&base, &ours, &theirs, &Options::default());
    let found = trace(&plan, &result.into(), None).into_iter();
    found
        .map(|f| (f.check, f.line.map_or(0, LineIdx::number), f.what))
        .collect()
}

fn merged() -> String {
    let [_, ours, _] = versions();
    ours.replace("    book(fee)\n", "    book(fee)\n    stamp(fee, today)\n")
}

#[test]
fn a_right_result_has_no_finding_however_it_is_laid_out() {
    assert_eq!(found(&versions(), &merged()), []);
    let wrapped = merged().replace(
        "check(ship, draught)",
        "check(\n        ship,\n        draught\n    )",
    );
    assert_eq!(found(&versions(), &wrapped), []);
}

#[test]
fn each_way_to_break_it_is_named_where_it_is() {
    for (from, to, check, line, says) in [
        (
            "    stamp(fee, today)\n",
            "",
            Check::Lost,
            8,
            "a line that theirs added is missing: stamp(fee, today)",
        ),
        (
            "check(ship, draught)",
            "check(ship)",
            Check::Lost,
            2,
            "an edit of ours is lost: the line is check(ship) again, not check(ship, draught)",
        ),
        (
            "    log(ship, tide)\n",
            "",
            Check::Lost,
            3,
            "a line that all versions have is missing: log(ship, tide)",
        ),
        (
            "log(ship, tide)",
            "log(ship, wind)",
            Check::Lost,
            3,
            "a line that all versions have is missing: log(ship, tide)",
        ),
        (
            "    check(ship, draught)\n",
            "    check(ship)\n    check(ship, draught)\n",
            Check::Back,
            2,
            "a line that ours removed is back: check(ship)",
        ),
        (
            "    return berth\n",
            "    return berth\n    log(ship, tide)\n    return berth\n",
            Check::Twice,
            5,
            "2 lines appear twice, also line 3: log(ship, tide)",
        ),
    ] {
        let broken = merged().replacen(from, to, 1);
        assert_eq!(
            found(&versions(), &broken),
            [(check, line, says.to_owned())],
            "{to:?}"
        );
    }
}

#[test]
fn an_edit_of_code_that_the_other_side_moved_is_followed() {
    let block = "def moor(ship):\n    check(ship)\n    log(ship, tide)\n    return berth\n\n";
    let rest: String = ('a'..'i')
        .map(|c| format!("def pay_{c}(fee):\n    book_{c}(fee)\n"))
        .collect();
    let base = format!("{block}{rest}");
    let ours = format!("{rest}\n{block}");
    let edited = |text: &str| text.replace("check(ship)", "check(ship, draught)");
    let all = [base.clone(), ours.clone(), edited(&base)];
    assert_eq!(found(&all, &edited(&ours)), []);
    let says = "an edit of theirs is lost where ours moved the code: the line is check(ship), not check(ship, draught)";
    assert_eq!(found(&all, &ours), [(Check::Lost, 19, says.to_owned())]);
}

#[test]
fn what_a_decision_gave_up_is_no_finding_as_long_as_it_stands() {
    let [base, ours, theirs] =
        ["a\nb\nc\n", "a\nours of it\nc\n", "a\ntheirs of it\nc\n"].map(Source::from);
    let plan = plan(&base, &ours, &theirs, &Options::default());
    let id = plan.conflicts()[0];
    let mut session = Session::new(Arc::new(plan.clone()));
    let take = Entry::Settle(id, Resolution::Take(Version::Ours));
    session
        .apply(&Event::Do(Step::new("", vec![take])))
        .unwrap();
    let draft = session.draft();
    assert_eq!(trace(&plan, &ours, Some(draft)), []);
    let by_hand = trace(&plan, &ours, None);
    assert_eq!(
        (by_hand[0].check, by_hand[0].weight),
        (Check::Lost, Weight::Look)
    );
    let changed = trace(&plan, &"a\nb\nc\n".into(), Some(draft));
    assert_eq!(changed.len(), 2, "{changed:?}");
}

fn text(lines: &[u8]) -> String {
    let line = |n: &u8| format!("moor the ship at berth_{n}\n");
    lines.iter().map(line).collect()
}

proptest! {
    /// Whatever one side alone made of a text is right.
    #[test]
    fn one_side_alone_is_right(base in "[a-h]{0,20}", side in "[a-k]{0,20}") {
        let [base, side] = [base, side].map(|t| text(t.as_bytes()));
        let all = [base.clone(), side.clone(), base.clone()];
        prop_assert_eq!(found(&all, &side), []);
        prop_assert_eq!(found(&[base.clone(), base, side.clone()], &side), []);
    }

    #[test]
    fn no_result_whatever_makes_it_fail(
        texts in prop::array::uniform4("[a-f\n]{0,30}"),
    ) {
        let [base, ours, theirs, result] = texts;
        for (_, line, _) in found(&[base, ours, theirs], &result) {
            prop_assert!(line <= Source::from(result.as_str()).len());
        }
    }
}

#[test]
fn a_line_with_other_numbers_or_a_renamed_name_is_not_missing() {
    let base = "moor(ship)\nlog(ship, tide)\npay(ship)\n";
    let ours = base.replace("ship", "boat");
    let theirs = base.replace("pay(ship)\n", "note(ship, tide, 80)\npay(ship)\n");
    let versions = [base.to_owned(), ours.clone(), theirs];
    let with = |line: &str| ours.replace("pay(boat)\n", &format!("{line}pay(boat)\n"));
    assert_eq!(found(&versions, &with("note(boat, tide, 84)\n")), []);
    // Without one of its words it is, and so is a line that is not there at all.
    for line in ["note(boat, 84)\n", ""] {
        let found = found(&versions, &with(line));
        assert_eq!((found.len(), found[0].0), (1, Check::Lost), "{line}");
    }
}

#[test]
fn what_git_shows_as_part_of_a_conflict_is_decided_with_it() {
    let base = "head\nfirst line\nsecond line\nmiddle\ntail one\ntail two\ntail three\ntail four\nlast line\n";
    let ours = base
        .replace("first line", "first line of ours")
        .replace("second line", "second line, ours");
    let theirs = base
        .replace("second line", "second line, theirs")
        .replace("last line", "last line of theirs");
    let weights = |result: &str| {
        let [base, ours, theirs] = [base, &ours, &theirs].map(Source::from);
        let plan = plan(&base, &ours, &theirs, &Options::default());
        assert_eq!(plan.conflicts().len(), 1);
        let found = trace(&plan, &result.into(), None).into_iter();
        found
            .map(|f| (f.weight, f.what.contains("not in the resolution")))
            .collect::<Vec<_>>()
    };
    // Between git's markers theirs was taken, with the first line that only ours changed.
    assert_eq!(weights(&theirs), [(Weight::Look, true)]);
    let rewritten = theirs.replace("second line, theirs", "another line");
    assert!(
        weights(&rewritten)
            .iter()
            .all(|found| *found == (Weight::Look, true))
    );
    // Further away the same is a loss.
    let lost = theirs.replace("last line of theirs", "last line");
    assert!(weights(&lost).contains(&(Weight::Stops, false)));
}
