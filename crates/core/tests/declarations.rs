//! Merging by declarations: moved and edited, added by both, two bodies, two places.
//!
//! Declarations are read by indentation here; parsers are tried in the application's tests.

use armistice_core::*;
use proptest::prelude::*;
use std::sync::Arc;

/// What each rule of the plan says, and the text with all that is likely.
struct Merged {
    plan: Arc<Plan>,
    rulings: Vec<(RegionId, Ruling)>,
}

fn merged(base: &str, ours: &str, theirs: &str) -> Option<Merged> {
    let texts = [base, ours, theirs].map(Source::from);
    let [b, o, t] = [0, 1, 2].map(|n: usize| outline_by_indentation(&texts[n]));
    let options = Options::default();
    let plain = plan(&texts[0], &texts[1], &texts[2], &options);
    let plan = Arc::new(plan_by_declarations(&plain, [&b, &o, &t], &options)?);
    let rulings = propose_all(&plan, &RuleContext::default());
    Some(Merged { plan, rulings })
}

impl Merged {
    /// How sure the rule is of each conflict, those that nobody settles as `None`.
    fn levels(&self) -> Vec<Option<Certainty>> {
        let of = |id: &RegionId| {
            let ruling = self.rulings.iter().find(|(region, _)| region == id);
            ruling.map(|(_, ruling)| ruling.certainty)
        };
        self.plan.conflicts().iter().map(of).collect()
    }

    fn text(&self, settle: AutoSettle) -> Option<String> {
        let session = Session::with_rulings(Arc::clone(&self.plan), settle.pick(&self.rulings));
        let draft = session.draft();
        (draft.counts().open == 0).then(|| String::from_utf8_lossy(&draft.bytes()).into_owned())
    }

    fn reasons(&self) -> String {
        let all: Vec<&str> = self
            .rulings
            .iter()
            .map(|(_, r)| r.reason.as_str())
            .collect();
        all.join("\n")
    }
}

/// A block of three lines under a name.
fn block(name: &str, word: &str) -> String {
    format!(
        "# About {name}.\n{name}:\n    look at {name}\n    {word} the {name}\n    leave {name}\n"
    )
}

fn text(blocks: &[(&str, &str)]) -> String {
    let all: Vec<String> = blocks
        .iter()
        .map(|(name, word)| block(name, word))
        .collect();
    all.join("\n")
}

const BASE: [(&str, &str); 5] = [
    ("moor", "wait"),
    ("pay", "wait"),
    ("tide", "wait"),
    ("pilot", "wait"),
    ("berth", "wait"),
];

fn order(names: [&str; 5], edited: &str, word: &'static str) -> String {
    let blocks = names.map(|name| (name, if name == edited { word } else { "wait" }));
    text(&blocks)
}

const AS_IS: [&str; 5] = ["moor", "pay", "tide", "pilot", "berth"];
const MOVED: [&str; 5] = ["pay", "tide", "pilot", "moor", "berth"];

#[test]
fn what_one_side_moved_and_the_other_edited_is_edited_at_its_new_place() {
    let (base, ours) = (text(&BASE), order(MOVED, "", ""));
    let theirs = order(AS_IS, "moor", "hurry");
    let wanted = order(MOVED, "moor", "hurry");
    for (ours, theirs) in [(&ours, &theirs), (&theirs, &ours)] {
        let merged = merged(&base, ours, theirs).unwrap();
        assert!(merged.plan.insists());
        assert_eq!(merged.text(AutoSettle::Certain), Some(wanted.clone()));
        assert!(
            merged.reasons().contains("moved block moor:"),
            "{}",
            merged.reasons()
        );
    }
}

#[test]
fn both_may_edit_what_one_of_them_moved() {
    let base = text(&BASE);
    let edit = |text: String| text.replace("look at moor", "glance at moor");
    let ours = edit(order(MOVED, "", ""));
    let theirs = order(AS_IS, "moor", "hurry").replace("leave moor", "part from moor");
    let wanted = edit(order(MOVED, "moor", "hurry")).replace("leave moor", "part from moor");
    let merged = merged(&base, &ours, &theirs).unwrap();
    assert_eq!(merged.text(AutoSettle::Likely), Some(wanted));
}

#[test]
fn an_edit_of_the_same_words_stays_open_at_the_new_place() {
    let base = text(&BASE);
    let (ours, theirs) = (order(MOVED, "moor", "rush"), order(AS_IS, "moor", "hurry"));
    let merged = merged(&base, &ours, &theirs).unwrap();
    assert_eq!(merged.text(AutoSettle::Likely), None);
    let id = merged.plan.conflicts()[0];
    let region = merged.plan.region(id);
    assert_eq!(merged.plan.conflicts().len(), 1);
    assert_eq!(region.ours.len(), 1);
    // Lines are numbered as in the versions themselves.
    let real = |version: Version| merged.plan.real_line(version, region.lines(version).start);
    let stands =
        |text: &str, row: &str| LineIdx(text.lines().position(|l| l == row).unwrap() as u32);
    assert_eq!(real(Version::Ours), stands(&ours, "    rush the moor"));
    assert_eq!(real(Version::Theirs), stands(&theirs, "    hurry the moor"));
    assert_eq!(real(Version::Base), stands(&base, "    wait the moor"));
    assert_eq!(merged.plan.real_versions().base.bytes(), base.as_bytes());
}

#[test]
fn what_both_moved_to_different_places_is_a_question_about_the_place() {
    let base = text(&BASE);
    // Lines alone have no conflict here but in the last: they would let it stand at both places.
    let theirs = order(["pay", "moor", "tide", "pilot", "berth"], "moor", "hurry");
    let theirs = theirs.replace("wait the berth", "leave the berth");
    let ours = order(["pay", "tide", "pilot", "moor", "berth"], "berth", "sweep");
    let merged = merged(&base, &ours, &theirs).unwrap();
    assert_eq!(merged.levels()[..2], [Some(Certainty::Hint); 2]);
    assert!(
        merged.reasons().contains("to different places"),
        "{}",
        merged.reasons()
    );
    let at = |side: Side| {
        let entries = merged.plan.conflicts().iter();
        let entries = entries.map(|id| Entry::Settle(*id, Resolution::Take(side.into())));
        let mut session = Session::new(Arc::clone(&merged.plan));
        session
            .apply(&Event::Do(Step::new("all", entries.collect())))
            .unwrap();
        String::from_utf8_lossy(&session.draft().bytes()).into_owned()
    };
    assert_eq!(at(Side::Ours), ours);
    assert_eq!(at(Side::Theirs), theirs);
}

#[test]
fn what_both_added_at_one_place_stays_and_is_parted_as_the_others_are() {
    let three = [BASE[2], BASE[0], BASE[1]];
    let base = text(&three);
    let with = |name| text(&[three[0], (name, "wait"), three[1], three[2]]);
    let merged = merged(&base, &with("crane"), &with("hoist")).unwrap();
    let wanted = text(&[
        three[0],
        ("crane", "wait"),
        ("hoist", "wait"),
        three[1],
        three[2],
    ]);
    assert_eq!(merged.levels(), [Some(Certainty::Likely)]);
    assert_eq!(merged.text(AutoSettle::Likely), Some(wanted));
    // Behind the last one there is no blank line yet.
    let with = |name| text(&[three[0], three[1], three[2], (name, "wait")]);
    let merged = self::merged(&base, &with("crane"), &with("hoist")).unwrap();
    let wanted = text(&[
        three[0],
        three[1],
        three[2],
        ("crane", "wait"),
        ("hoist", "wait"),
    ]);
    assert_eq!(merged.text(AutoSettle::Likely), Some(wanted));
}

#[test]
fn where_names_are_kept_in_order_what_both_added_is_put_in_it() {
    let names = |names: &[&'static str]| -> String {
        let blocks: Vec<_> = names.iter().map(|name| (*name, "wait")).collect();
        text(&blocks)
    };
    let base = names(&["alder", "birch", "oak", "pine"]);
    let ours = names(&["alder", "birch", "elm", "oak", "pine"]);
    let theirs = names(&["alder", "birch", "cedar", "oak", "pine"]);
    let merged = merged(&base, &ours, &theirs).unwrap();
    let wanted = names(&["alder", "birch", "cedar", "elm", "oak", "pine"]);
    assert_eq!(merged.text(AutoSettle::Certain), Some(wanted));
}

#[test]
fn one_name_with_two_bodies_stays_open_as_one_conflict() {
    let base = text(&BASE[..3]);
    let with = |word| text(&[BASE[0], ("crane", word), BASE[1], BASE[2]]);
    let merged = merged(&base, &with("lift"), &with("lower")).unwrap();
    assert_eq!(merged.levels(), [Some(Certainty::Hint)]);
    assert!(
        merged.reasons().contains("with different bodies"),
        "{}",
        merged.reasons()
    );
    let region = merged.plan.region(merged.plan.conflicts()[0]);
    assert_eq!((region.base.len(), region.ours.len()), (0, 5));
}

#[test]
fn what_one_side_took_out_and_the_other_edited_stays_open() {
    let base = text(&BASE);
    let ours = text(&[BASE[0], BASE[1], BASE[3], BASE[4]]);
    let theirs = order(AS_IS, "tide", "hurry");
    let merged = merged(&base, &ours, &theirs).unwrap();
    assert_eq!(merged.text(AutoSettle::Likely), None);
}

#[test]
fn an_edit_that_lines_would_put_into_another_declaration_follows_its_own() {
    // Neighbours that share most of their lines swap places.
    let alike = |name: &str, word: &str| {
        format!(
            "{name}:\n    open the gate\n    {word}\n    wait for the tide\n    close the gate\n"
        )
    };
    let base = alike("north", "look") + "\n" + &alike("south", "look");
    let ours = alike("south", "look") + "\n" + &alike("north", "look");
    let theirs = alike("north", "look twice") + "\n" + &alike("south", "look");
    let wanted = alike("south", "look") + "\n" + &alike("north", "look twice");
    let texts = [&*base, &*ours, &*theirs].map(Source::from);
    let [b, o, t] = [0, 1, 2].map(|n: usize| outline_by_indentation(&texts[n]));
    let [base, ours, theirs] = texts;
    let versions = Versions { base, ours, theirs };
    let plan = Arc::new(plan_along_moves(&versions, [&b, &o, &t]).unwrap());
    let rulings = propose_all(&plan, &RuleContext::default());
    let merged = Merged { plan, rulings };
    assert_eq!(merged.text(AutoSettle::Certain), Some(wanted.clone()));
    // Against it the right result has nothing against it, and the other one has.
    assert_eq!(trace(&merged.plan, &wanted.as_str().into(), None), []);
    let wrong: Source = (alike("south", "look twice") + "\n" + &alike("north", "look"))
        .as_str()
        .into();
    let r = outline_by_indentation(&wrong);
    let found = misplaced(&versions, [&b, &o, &t], &wrong, &r);
    assert_eq!(found.len(), 1, "{found:?}");
    assert!(
        found[0]
            .what
            .contains("theirs made in block north: (its line 3) is in block south:")
    );
    // Nothing is said where nothing moved.
    let still = Versions {
        ours: versions.base.clone(),
        ..versions
    };
    assert!(plan_along_moves(&still, [&b, &b, &t]).is_none());
}

#[test]
fn without_conflicts_or_declarations_and_with_more_errors_lines_stand() {
    let base = text(&BASE);
    let ours = order(MOVED, "", "");
    assert!(merged(&base, &ours, &base).is_none());
    assert!(merged("a\n", "b\n", "c\n").is_none());
    let texts = [base, ours, order(AS_IS, "moor", "hurry")].map(|t| Source::from(t.as_str()));
    let outlines = [0, 1, 2].map(|n: usize| outline_by_indentation(&texts[n]));
    let options = Options::default();
    let plain = plan(&texts[0], &texts[1], &texts[2], &options);
    let [b, o, t] = outlines;
    let broken = t.clone().with_errors(1);
    assert!(plan_by_declarations(&plain, [&b, &o, &t], &options).is_some());
    assert!(plan_by_declarations(&plain, [&b, &o, &broken], &options).is_none());
}

/// A text of some blocks in some order, with some edits.
fn version() -> impl Strategy<Value = String> {
    let names = Just(vec!["moor", "pay", "tide", "pilot", "berth", "crane"]).prop_shuffle();
    let words = prop::collection::vec(prop::sample::select(vec!["wait", "hurry", "rest"]), 6);
    (names, words, 1..7usize).prop_map(|(names, words, n)| {
        let blocks: Vec<_> = names.into_iter().zip(words).take(n).collect();
        text(&blocks)
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn regions_tile_every_version_and_no_line_is_lost(base in version(), ours in version(), theirs in version()) {
        if let Some(Merged { plan, .. }) = merged(&base, &ours, &theirs) {
            for version in Version::ALL {
                let mut at = LineIdx(0);
                let mut real = Vec::new();
                for region in plan.regions() {
                    let lines = region.lines(version);
                    prop_assert_eq!(lines.start, at);
                    at = lines.end;
                    real.extend(plan.real_runs(version, lines).into_iter().flat_map(|run| run.iter()));
                }
                prop_assert_eq!(at.0 as usize, plan.versions().get(version).len());
                real.sort_unstable();
                let all: Vec<LineIdx> = plan.real_versions().get(version).all().iter().collect();
                prop_assert_eq!(real, all);
            }
        }
    }

    #[test]
    fn swapping_the_sides_swaps_the_questions(base in version(), ours in version(), theirs in version()) {
        let one = merged(&base, &ours, &theirs);
        let other = merged(&base, &theirs, &ours);
        prop_assert_eq!(one.is_some(), other.is_some());
        if let (Some(one), Some(other)) = (one, other) {
            let open = |m: &Merged| m.rulings.iter().filter(|(_, r)| r.certainty == Certainty::Certain).count();
            prop_assert_eq!(one.plan.conflicts().len(), other.plan.conflicts().len());
            prop_assert_eq!(open(&one), open(&other));
        }
    }
}
