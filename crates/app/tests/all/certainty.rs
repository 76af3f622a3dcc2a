//! What settles without a person: never a text that puts an edit into the wrong place.

use armistice::base::settings::Settings;
use armistice::case::planning::{LayOut, planned};
use armistice::case::propose::RuleSettings;
use armistice_core::{
    AutoSettle, Certainty, Options, PastResolutions, RegionId, Ruling, Session, Source, Versions,
    plan,
};
use armistice_git::{Case, RepoPath, Stages};

/// What becomes of a merge: how certain it is settled, and the text; open conflicts stand as base has
/// them.
pub(crate) fn settled(path: &str, texts: [&str; 3]) -> (Option<Certainty>, String) {
    settled_with(Settings::default(), path, texts)
}

fn settled_with(settings: Settings, path: &str, texts: [&str; 3]) -> (Option<Certainty>, String) {
    let [base, ours, theirs] = texts.map(Source::from);
    let versions = Versions { base, ours, theirs };
    let rules = RuleSettings {
        ours: "ours".to_owned(),
        theirs: "theirs".to_owned(),
        settings,
    };
    let case = Case::new(RepoPath::new(path.as_bytes()), Stages::default());
    let context = rules.context(&case, &PastResolutions::default());
    let (plan, rulings) = planned(&versions, &context, &LayOut::Best);
    let session = |settle: AutoSettle| {
        let picked: Vec<(RegionId, Ruling)> = settle.pick(&rulings);
        Session::with_rulings(plan.clone(), picked)
    };
    let text = |session: &Session| String::from_utf8(session.draft().bytes()).unwrap();
    let certain = session(AutoSettle::Certain);
    if certain.draft().open().next().is_none() {
        return (Some(Certainty::Certain), text(&certain));
    }
    let likely = session(AutoSettle::Likely);
    if likely.draft().open().next().is_none() {
        return (Some(Certainty::Likely), text(&likely));
    }
    (None, text(&certain))
}

/// Merges in which the obvious mechanical result is wrong: none of them settles.
#[test]
fn what_needs_a_person_is_left_to_a_person() {
    let cases: &[(&str, &str, [&str; 3])] = &[
        (
            "one side removed the block that the other changed; the lines alone merge without a conflict",
            "quay.conf",
            [
                "server west {\n    depth low;\n    length low;\n    light low;\n}\n\nserver inner {\n    depth low;\n    length low;\n    light low;\n}\n",
                "server west {\n    mark mid;\n    depth low;\n    length low;\n    light low;\n}\n",
                "server west {\n    depth low;\n    length low;\n    light low;\n}\n\nserver inner {\n    depth low;\n    length low;\n    gate mid;\n    light low;\n}\n",
            ],
        ),
        (
            "one side changed the folder in which the other side's command runs",
            "Dockerfile",
            [
                "WORKDIR /app\nRUN make\n",
                "WORKDIR /srv\nRUN make\n",
                "WORKDIR /app\nRUN make all\n",
            ],
        ),
        (
            "one side changed a value that the other side's line uses",
            "rate.lua",
            [
                "local n = 2\nreturn n * rate\n",
                "local n = 3\nreturn n * rate\n",
                "local n = 2\nreturn n * rate * 2\n",
            ],
        ),
        (
            "two new members take one number",
            "kind.go",
            [
                "const (\n\tMoor = 10\n\tPay = 20\n)\n",
                "const (\n\tMoor = 10\n\tPay = 20\n\tTug = 30\n)\n",
                "const (\n\tMoor = 10\n\tPay = 20\n\tBell = 30\n)\n",
            ],
        ),
        (
            "two new keys take one port",
            "ports.yaml",
            [
                "web:\n  port: 8080\n  admin: 8081\n",
                "web:\n  port: 8080\n  admin: 8081\n  metrics: 8082\n",
                "web:\n  port: 8080\n  admin: 8081\n  health: 8082\n",
            ],
        ),
        (
            "a class is gone, and a method was added to it",
            "a.rb",
            [
                "class Quay\n  def moor\n    log\n  end\nend\n\nclass Lock\n  def open\n    log\n  end\nend\n",
                "class Lock\n  def open\n    log\n  end\nend\n",
                "class Quay\n  def moor\n    log\n  end\n\n  def pay\n    fee\n  end\nend\n\nclass Lock\n  def open\n    log\n  end\nend\n",
            ],
        ),
        (
            "a service is gone, and a key was added to it",
            "harbour.yaml",
            [
                "services:\n  gauge:\n    image: quay/gauge\n  lamp:\n    image: quay/lamp\n",
                "services:\n  lamp:\n    image: quay/lamp\n",
                "services:\n  gauge:\n    image: quay/gauge\n    privileged: true\n  lamp:\n    image: quay/lamp\n",
            ],
        ),
        (
            "an anchor is gone, and a use of it was added",
            "lights.yaml",
            [
                "dim: &dim\n  watts: 5\nquay:\n  <<: *dim\n",
                "quay:\n  watts: 5\n",
                "dim: &dim\n  watts: 5\nquay:\n  <<: *dim\nmole:\n  <<: *dim\n",
            ],
        ),
        (
            "the first lines of a module run in order",
            "first.py",
            [
                "rest = 0\n",
                "early = 1\nrest = 0\n",
                "later = 2\nrest = 0\n",
            ],
        ),
        (
            "a section is gone, and a key was added to it",
            "tide.ini",
            [
                "[gauge]\nport = 1\n\n[lamp]\nport = 2\n",
                "[lamp]\nport = 2\n",
                "[gauge]\nport = 1\nrate = 9\n\n[lamp]\nport = 2\n",
            ],
        ),
        (
            "values that count upwards by themselves",
            "signal.ts",
            [
                "enum Signal {\n  Ebb,\n  Flood,\n}\n",
                "enum Signal {\n  Ebb,\n  Flood,\n  Slack,\n}\n",
                "enum Signal {\n  Ebb,\n  Flood,\n  Spring,\n}\n",
            ],
        ),
        (
            "statements run in order",
            "office.js",
            [
                "open();\nring();\n",
                "open();\nring();\nlog();\n",
                "open();\nring();\npay();\n",
            ],
        ),
        (
            "the later rule of two wins",
            "web.css",
            [
                ".a { color: red; }\n",
                ".a { color: red; }\n.b { color: blue; }\n",
                ".a { color: red; }\n.c { color: grey; }\n",
            ],
        ),
        (
            "one side renames, the other calls",
            "quay.go",
            [
                "package quay\n\nfunc Berth(s Ship) int { return s.berth }\n",
                "package quay\n\nfunc FindBerth(s Ship) int { return s.berth }\n",
                "package quay\n\nfunc Berth(s Ship) int { return s.berth }\nfunc Next(s Ship) int { return Berth(s) + 1 }\n",
            ],
        ),
        (
            "a condition is negated by one side and widened by the other",
            "lock.c",
            [
                "int open(int level) {\n    return ready(level) && calm();\n}\n",
                "int open(int level) {\n    return !ready(level) && calm();\n}\n",
                "int open(int level) {\n    return ready(level) && calm() && day();\n}\n",
            ],
        ),
        (
            "a table has another column by now",
            "fees.csv",
            [
                "name,fee\ntug,1\n",
                "name,fee,flag\ntug,1,de\n",
                "name,fee\ntug,1\nferry,2\n",
            ],
        ),
        (
            "what one side gave another value the other uses",
            "rates.py",
            [
                "NIGHT = 6\nHOURS = NIGHT // 2\n",
                "NIGHT = 6 * 60\nHOURS = NIGHT // 2\n",
                "NIGHT = 6\nHOURS = NIGHT\n",
            ],
        ),
        (
            "two imports bind one name",
            "Tide.java",
            [
                "import harbour.Log;\n\nclass Tide {}\n",
                "import harbour.Log;\nimport quay.Berth;\n\nclass Tide {}\n",
                "import harbour.Log;\nimport lock.Berth;\n\nclass Tide {}\n",
            ],
        ),
        (
            "a line leaves its loop beside a new line in the loop",
            "gauge.py",
            [
                "def read(xs):\n    for x in xs:\n        note(x)\n        report(xs)\n",
                "def read(xs):\n    for x in xs:\n        note(x)\n    report(xs)\n",
                "def read(xs):\n    for x in xs:\n        note(x)\n        report(xs)\n        count(x)\n",
            ],
        ),
    ];
    let mut wrong = Vec::new();
    for (why, path, texts) in cases {
        let [base, ours, theirs] = *texts;
        for (sides, texts) in [("", *texts), (" (sides swapped)", [base, theirs, ours])] {
            let (certainty, text) = settled(path, texts);
            if certainty.is_some() {
                wrong.push(format!("{why}{sides} in {path}: {certainty:?}\n{text}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn what_cannot_be_looked_at_is_not_certain() {
    // There is no parser that knows whether these count.
    let members = |extra: &str| {
        format!("enum class Signal {{\n    EBB,\n    FLOOD,\n{extra}    SLACK,\n}}\n")
    };
    let texts = [members(""), members("    NEAP,\n"), members("    HIGH,\n")];
    let texts = [&*texts[0], &*texts[1], &*texts[2]];
    assert_eq!(settled("Signal.kt", texts).0, Some(Certainty::Likely));
    // This one is larger than what is checked.
    let large = |first: &str| format!("{first}{}", "pub fn moor() {}\n".repeat(30_000));
    let small = ["a();\nb();\n", "a(1);\nb();\n", "a();\nb(1);\n"];
    let texts = small.map(large);
    let texts = [&*texts[0], &*texts[1], &*texts[2]];
    assert_eq!(settled("a.rs", small).0, Some(Certainty::Certain));
    assert_eq!(settled("a.rs", texts).0, Some(Certainty::Likely));
}

#[test]
fn what_the_settings_say_needs_no_proof() {
    let settings = "[[paths]]\npattern = \"*.css\"\ntake = \"theirs\"\n";
    let settings: Settings = toml::from_str(settings).unwrap();
    let rows = ".a { color: red; }\n".repeat(30_000);
    let [base, ours, theirs] = ["", ".b { left: 0; }\n", ".c { left: 1; }\n"];
    let texts = [base, ours, theirs].map(|last| format!("{rows}{last}"));
    let texts = [&*texts[0], &*texts[1], &*texts[2]];
    let (certainty, text) = settled_with(settings, "web.css", texts);
    assert_eq!((certainty, &*text), (Some(Certainty::Certain), texts[2]));
}

/// Merges that a careful person would not want to be asked about.
#[test]
fn what_is_proven_settles() {
    let cases: &[(&str, [&str; 3], &str)] = &[
        (
            "a.py",
            [
                "def moor(ship):\n    note(ship)\n    pay(ship)\n",
                "def moor(ship):\n    if ship:\n        note(ship)\n        pay(ship)\n",
                "def moor(ship):\n    note(ship, 1)\n    pay(ship)\n",
            ],
            "def moor(ship):\n    if ship:\n        note(ship, 1)\n        pay(ship)\n",
        ),
        (
            "a.rs",
            [
                "use quay::berth;\nuse tide::level;\n",
                "use quay::berth;\nuse quay::rope;\nuse tide::level;\n",
                "use quay::berth;\nuse quay::crane;\nuse tide::level;\n",
            ],
            "use quay::berth;\nuse quay::crane;\nuse quay::rope;\nuse tide::level;\n",
        ),
        (
            "a.py",
            [
                "open(ship=tug, at=dawn)\n",
                "open(ship=ferry, at=dawn)\n",
                "open(ship=tug, at=dusk)\n",
            ],
            "open(ship=ferry, at=dusk)\n",
        ),
    ];
    for (path, texts, wanted) in cases {
        let (certainty, text) = settled(path, *texts);
        assert_eq!(
            (certainty, text.as_str()),
            (Some(Certainty::Certain), *wanted),
            "{path}"
        );
    }
}

/// How a function is written in a language: with its name, the number of its line, and an edit.
type Written = fn(&str, usize, &str) -> String;

const LANGUAGES: [(&str, Written); 6] = [
    ("a.py", |name, n, edit| {
        format!("def {name}(ship):\n    log(ship, {n})\n    pay(ship{edit})\n    return ship\n")
    }),
    ("a.rs", |name, n, edit| {
        format!(
            "fn {name}(ship: Ship) -> Ship {{\n    log(ship, {n});\n    pay(ship{edit});\n    ship\n}}\n"
        )
    }),
    ("a.js", |name, n, edit| {
        format!(
            "function {name}(ship) {{\n  log(ship, {n});\n  pay(ship{edit});\n  return ship;\n}}\n"
        )
    }),
    ("a.go", |name, n, edit| {
        format!(
            "func {name}(ship Ship) Ship {{\n\tlog(ship, {n})\n\tpay(ship{edit})\n\treturn ship\n}}\n"
        )
    }),
    ("A.java", |name, n, edit| {
        format!(
            "    Ship {name}(Ship ship) {{\n        log(ship, {n});\n        pay(ship{edit});\n        return ship;\n    }}\n"
        )
    }),
    ("a.c", |name, n, edit| {
        format!(
            "int {name}(int ship) {{\n    log(ship, {n});\n    pay(ship{edit});\n    return ship;\n}}\n"
        )
    }),
];

/// Similar functions change places on one side while the other edits one of them, or both do.
#[test]
fn an_edit_never_goes_into_another_of_several_similar_functions() {
    let names = ["moor", "dock", "berth", "haul", "tow"];
    let (mut made, mut settles, mut wrong) = (0, 0, Vec::new());
    for (path, written) in LANGUAGES {
        for count in 2..=5 {
            for moved in 0..count {
                for (edited, shift) in (0..count).flat_map(|at| (1..count).map(move |n| (at, n))) {
                    for alike in [true, false] {
                        let n = |at: usize| if alike { 0 } else { at };
                        let text = |order: &[usize], edits: &[(usize, &str)]| {
                            let function = |at: &usize| {
                                let own = edits.iter().find(|(edited, _)| edited == at);
                                written(names[*at], n(*at), own.map_or("", |(_, edit)| edit))
                            };
                            let all: Vec<String> = order.iter().map(function).collect();
                            let all = all.join("\n");
                            if path == "A.java" {
                                format!("class A {{\n{all}}}\n")
                            } else {
                                all
                            }
                        };
                        let order: Vec<usize> = (0..count).collect();
                        let mut other = order.clone();
                        let taken = other.remove(moved);
                        other.insert((moved + shift) % count, taken);
                        if other == order {
                            continue;
                        }
                        let theirs = [(edited, ", tide")];
                        for ours in [&[][..], &[((edited + 1) % count, ", night")]] {
                            let both: Vec<(usize, &str)> =
                                ours.iter().chain(&theirs).copied().collect();
                            let texts =
                                [text(&order, &[]), text(&other, ours), text(&order, &theirs)];
                            let texts = [&*texts[0], &*texts[1], &*texts[2]];
                            // What git itself merges stays as git merges it.
                            let [base, ours, theirs] = texts.map(Source::from);
                            let options = Options::default();
                            if plan(&base, &ours, &theirs, &options).conflicts().is_empty() {
                                continue;
                            }
                            let (certainty, merged) = settled(path, texts);
                            made += 1;
                            settles += usize::from(certainty.is_some());
                            // Where it settles, each edit is in its own function and nowhere else.
                            if certainty.is_some() && merged != text(&other, &both) {
                                wrong.push(format!(
                                    "{path} {count} {moved} {edited} {alike}\n{merged}"
                                ));
                            }
                        }
                    }
                }
            }
        }
    }
    assert!(made > 500, "{made}");
    assert!(
        wrong.is_empty(),
        "{} of {made}: {}",
        wrong.len(),
        wrong.first().map_or("", String::as_str)
    );
    // Restraint alone is no proof.
    assert!(settles * 2 > made, "{settles} of {made} settle");
}
