//! White space merged by component: indentation, words, trailing whitespace, line end.

use armistice_core::*;
use std::sync::Arc;

/// The text after settling what is certain, and how many conflicts are open.
fn settled(
    path: &str,
    blanks: WhitespacePolicy,
    base: &str,
    ours: &str,
    theirs: &str,
) -> (String, usize) {
    let options = Options::default();
    let plan = Arc::new(plan(&base.into(), &ours.into(), &theirs.into(), &options));
    let context = RuleContext {
        path: path.to_owned(),
        blanks,
        ..RuleContext::default()
    };
    let rulings = AutoSettle::Certain.pick(&propose_all(&plan, &context));
    let session = Session::with_rulings(plan, rulings);
    let text = String::from_utf8(session.draft().bytes()).unwrap();
    (text, session.draft().counts().open)
}

/// Both ways round, the same comes out and no conflict is open.
fn gives(path: &str, base: &str, ours: &str, theirs: &str, expected: &str) {
    for (ours, theirs) in [(ours, theirs), (theirs, ours)] {
        let found = settled(path, WhitespacePolicy::Exact, base, ours, theirs);
        assert_eq!(found, (expected.to_owned(), 0), "{base}\n{ours}\n{theirs}");
    }
}

fn stays_open(path: &str, base: &str, ours: &str, theirs: &str) {
    let (_, open) = settled(path, WhitespacePolicy::Exact, base, ours, theirs);
    assert_eq!(open, 1, "{base}\n{ours}\n{theirs}");
}

#[test]
fn each_component_is_merged_on_its_own() {
    // Indentation of one, words of the other.
    gives(
        "a.rs",
        "moor(ship);\n",
        "  moor(ship);\n",
        "moor(tug);\n",
        "  moor(tug);\n",
    );
    // Trailing blanks gone on one side, words of the other.
    gives(
        "a.rs",
        "moor(ship);  \n",
        "moor(ship);\n",
        "moor(tug);  \n",
        "moor(tug);\n",
    );
    // Line end of one, words of the other.
    gives(
        "a.txt",
        "moor(ship);\n",
        "moor(ship);\r\n",
        "moor(tug);\n",
        "moor(tug);\r\n",
    );
    // Blanks inside of one, indentation of the other.
    gives(
        "a.rs",
        "moor(a,b);\n",
        "moor(a, b);\n",
        "\tmoor(a,b);\n",
        "\tmoor(a, b);\n",
    );
    // All of them at once.
    gives(
        "a.rs",
        "moor(ship);  \nlog(ship);\n",
        "\tmoor(ship);\r\n\tlog(ship);\r\n",
        "moor(tug);  \nlog(tug);\n",
        "\tmoor(tug);\r\n\tlog(tug);\r\n",
    );
}

#[test]
fn a_whole_file_from_tabs_to_spaces_takes_the_words_of_the_other() {
    let line = |n: usize, indent: &str, verb: &str| {
        format!(
            "{}berth_{n}.{verb}(ship, tide);\n",
            indent.repeat(1 + n % 3)
        )
    };
    let text = |indent: &str, verb: fn(usize) -> &'static str| -> String {
        (0..400).map(|n| line(n, indent, verb(n))).collect()
    };
    let plain = |_| "find";
    let worded = |n: usize| if n % 17 == 3 { "reserve" } else { "find" };
    gives(
        "a.rs",
        &text("\t", plain),
        &text("    ", plain),
        &text("\t", worded),
        &text("    ", worded),
    );
}

#[test]
fn a_new_line_is_indented_as_its_neighbours_are() {
    gives(
        "a.py",
        "def f():\n\tmoor(ship)\n\tif low:\n\t\twait(tide)\n\tlog(ship)\n",
        "def f():\n    moor(ship)\n    if low:\n        wait(tide)\n    log(ship)\n",
        "def f():\n\tmoor(ship)\n\tif low:\n\t\twarn(ship)\n\t\twait(tide)\n\tlog(ship)\n",
        "def f():\n    moor(ship)\n    if low:\n        warn(ship)\n        wait(tide)\n    log(ship)\n",
    );
}

#[test]
fn a_block_wrapped_in_a_new_one_takes_the_words_of_the_other() {
    gives(
        "a.rs",
        "fn f() {\n    moor(ship);\n    log(ship);\n}\n",
        "fn f() {\n    if tide.is_low() {\n        moor(ship);\n        log(ship);\n    }\n}\n",
        "fn f() {\n    moor(ship, LOW);\n    log(ship);\n}\n",
        "fn f() {\n    if tide.is_low() {\n        moor(ship, LOW);\n        log(ship);\n    }\n}\n",
    );
}

#[test]
fn a_statement_wrapped_anew_takes_the_words_of_the_other() {
    gives(
        "a.rs",
        "let berth = quay.find(ship, tide, draught);\n",
        "let berth = quay\n    .find(ship, tide, draught);\n",
        "let berth = quay.find(ship, tide, length);\n",
        "let berth = quay\n    .find(ship, tide, length);\n",
    );
    // Joined again.
    gives(
        "a.rs",
        "moor(\n    ship,\n    tide\n);\n",
        "moor(ship, tide);\n",
        "moor(\n    tug,\n    tide\n);\n",
        "moor(tug, tide);\n",
    );
}

#[test]
fn blanks_that_both_changed_are_a_persons_unless_the_policy_passes_them_over() {
    let cases = [
        (WhitespacePolicy::LineEnds, "a\n", "a\r\n", "a"),
        (WhitespacePolicy::Trailing, "a\n", "a \n", "a\t\n"),
        (WhitespacePolicy::Amount, "a b\n", "a  b\n", "a\tb\n"),
        (WhitespacePolicy::All, "f(a)\n", "f( a)\n", "f(a )\n"),
    ];
    for (least, base, ours, theirs) in cases {
        // What stands before makes the last line of every version end alike.
        for policy in WhitespacePolicy::ALL {
            let (_, open) = settled("a.txt", policy, base, ours, theirs);
            let both_kept = least == WhitespacePolicy::All;
            let settles = policy >= least || both_kept;
            assert_eq!(
                open,
                usize::from(!settles),
                "{policy:?} {base:?} {ours:?} {theirs:?}"
            );
        }
    }
}

#[test]
fn words_that_both_changed_are_no_matter_of_white_space() {
    for policy in WhitespacePolicy::ALL {
        let (_, open) = settled("a.rs", policy, "moor(a);\n", "  moor(b);\n", "\tmoor(c);\n");
        assert_eq!(open, 1, "{policy:?}");
    }
    stays_open("a.rs", "moor(ship);\n", "  moor(tug);\n", "moor(ferry);\n");
}

#[test]
fn the_names_of_policies_lead_round() {
    let mut policy = WhitespacePolicy::Exact;
    let mut names = Vec::new();
    for _ in 0..WhitespacePolicy::ALL.len() {
        names.push(policy.name());
        policy = policy.next();
    }
    assert_eq!(names, ["exact", "line-ends", "trailing", "amount", "all"]);
    assert_eq!(policy, WhitespacePolicy::Exact);
}
