//! Merging by declarations with real git: moved and edited, added by both, names that went.

use crate::kit::{Desk, Repo};

/// A method of four lines.
fn method(name: &str, word: &str) -> String {
    format!(
        "    /// {name}s a ship.\n    pub fn {name}(&mut self) {{\n        self.{word}();\n        self.log(\"{name}\");\n    }}\n"
    )
}

fn quay(methods: &[(&str, &str)]) -> String {
    let methods: Vec<String> = methods
        .iter()
        .map(|(name, word)| method(name, word))
        .collect();
    format!(
        "use tide::Level;\n\nimpl Quay {{\n{}}}\n",
        methods.join("\n")
    )
}

const MOOR: (&str, &str) = ("moor", "wait");
const PAY: (&str, &str) = ("pay", "wait");
const LEAVE: (&str, &str) = ("leave", "wait");
const TURN: (&str, &str) = ("turn", "wait");

/// Two branches that changed several files, the second merged into the first.
fn moved_and_edited() -> Repo {
    Repo::merge(&[(
        "quay.rs",
        [
            quay(&[MOOR, PAY, LEAVE, TURN]),
            quay(&[PAY, LEAVE, TURN, MOOR]),
            quay(&[("moor", "hurry"), PAY, LEAVE, TURN]),
        ],
    )])
}

#[test]
fn a_moved_method_keeps_the_edit_of_the_other_side() {
    let repo = moved_and_edited();
    assert!(!repo.unmerged().is_empty(), "git has a conflict here");
    let (code, said) = repo.output(&["settle", "--by", "rule", "quay.rs"]);
    assert_eq!(code, 0, "{said}");
    let right = quay(&[PAY, LEAVE, TURN, ("moor", "hurry")]);
    assert_eq!(repo.read("quay.rs"), right);
    let (code, said) = repo.output(&["proof"]);
    assert_eq!((code, said.contains("no findings")), (0, true), "{said}");
}

#[test]
fn taking_the_mover_whole_is_named_and_so_is_whose_edit_it_was() {
    let repo = moved_and_edited();
    repo.write("quay.rs", quay(&[PAY, LEAVE, TURN, MOOR]));
    repo.git(&["add", "quay.rs"]);
    let (code, said) = repo.output(&["proof"]);
    assert_eq!(code, 1, "{said}");
    assert!(said.contains("self.hurry();"), "{said}");
}

#[test]
fn the_screen_says_who_moved_it_and_decisions_come_back() {
    let repo = moved_and_edited();
    let mut desk = Desk::ruled(&repo.top, (160, 47));
    desk.press("enter");
    let screen = desk.shows();
    assert!(screen.contains("moved function moor"), "{screen}");
    assert!(screen.contains("self.hurry();"), "{screen}");
    // Declined: the method stands at its new place as base had it.
    desk.press("o");
    let screen = desk.shows();
    assert!(screen.contains("1 settled"), "{screen}");
    drop(desk);
    let mut desk = Desk::ruled(&repo.top, (160, 47));
    desk.press("enter w");
    assert_eq!(repo.read("quay.rs"), quay(&[PAY, LEAVE, TURN, MOOR]));
}

#[test]
fn what_both_added_at_one_place_is_offered_together() {
    let repo = Repo::merge(&[(
        "quay.rs",
        [
            quay(&[MOOR, PAY, LEAVE]),
            quay(&[MOOR, ("berth", "wait"), PAY, LEAVE]),
            quay(&[MOOR, ("anchor", "rest"), PAY, LEAVE]),
        ],
    )]);
    let (code, said) = repo.output(&["settle", "--by", "rule", "quay.rs"]);
    assert_eq!(code, 0, "{said}");
    let both = quay(&[MOOR, ("berth", "wait"), ("anchor", "rest"), PAY, LEAVE]);
    assert_eq!(repo.read("quay.rs"), both);
}

#[test]
fn one_name_with_two_bodies_is_one_open_conflict() {
    let repo = Repo::merge(&[(
        "quay.rs",
        [
            quay(&[MOOR, PAY, LEAVE]),
            quay(&[MOOR, ("berth", "wait"), PAY, LEAVE]),
            quay(&[MOOR, ("berth", "rest"), PAY, LEAVE]),
        ],
    )]);
    let (code, said) = repo.output(&["settle", "--by", "rule", "quay.rs"]);
    assert_eq!(code, 1, "{said}");
    let (_, said) = repo.output(&["docket", "--json"]);
    assert!(
        said.contains("\"open\": 1") || said.contains("\"open\":1"),
        "{said}"
    );
}

#[test]
fn an_edit_that_lines_put_into_another_declaration_is_told() {
    let gate = |name: &str, word: &str| {
        format!(
            "fn {name}() {{\n    open_the_gate();\n    {word}();\n    wait_for_the_tide();\n    close_the_gate();\n}}\n"
        )
    };
    let text = |parts: [String; 2]| parts.join("\n");
    let base = text([gate("north", "look"), gate("south", "look")]);
    let ours = text([gate("south", "look"), gate("north", "look")]);
    let theirs = text([gate("north", "look_twice"), gate("south", "look")]);
    let repo = Repo::merge(&[("gates.rs", [base, ours, theirs])]);
    // By the shortest difference, which swaps the names and not the functions, git has no conflict.
    for (n, name) in ["1", "2", "3"].into_iter().enumerate() {
        let version = repo.git(&["show", &format!(":{name}:gates.rs")]);
        repo.write(&format!("../{n}"), version);
    }
    let shortest = [
        "merge-file",
        "--diff-algorithm=myers",
        "../1",
        "../0",
        "../2",
    ];
    repo.git(&shortest);
    repo.write("gates.rs", repo.read("../1"));
    repo.git(&["add", "gates.rs"]);
    let wrong = text([gate("south", "look_twice"), gate("north", "look")]);
    assert_eq!(
        repo.read("gates.rs"),
        wrong,
        "the edit of north stands in south"
    );
    let (code, said) = repo.output(&["proof"]);
    assert_eq!(code, 1, "{said}");
    let told = "an edit that theirs made in function north (its line 3) is in function south here";
    assert!(said.contains(told), "{said}");
    // And the right one has nothing against it.
    repo.write(
        "gates.rs",
        text([gate("south", "look"), gate("north", "look_twice")]),
    );
    repo.git(&["add", "gates.rs"]);
    let (code, said) = repo.output(&["proof"]);
    assert_eq!(code, 0, "{said}");
}

/// The demo of code that moved, opened.
fn structure_desk(size: (u16, u16)) -> (Repo, Desk) {
    let repo = Repo::demo("structure");
    let desk = Desk::ruled(&repo.top, size);
    (repo, desk)
}

#[test]
fn terrain_shows_moves_joined_by_lines_and_goes_to_them() {
    let (_repo, mut desk) = structure_desk((160, 47));
    desk.press("4");
    let screen = desk.shows();
    for wanted in [
        "4 moved",
        "function report  moved and edited",
        "function drain  moved",
        "function hail  added",
        "renamed to keeper_at",
        "moved to lock/tab",
        "1 name used that no longer exist",
        "lock/tables.py  merged by git",
        "┼",
    ] {
        assert!(screen.contains(wanted), "no {wanted:?} in\n{screen}");
    }
    // The next moved one, and into its file.
    desk.press("n enter");
    let screen = desk.shows();
    assert!(screen.contains("lock/lock.rs"), "{screen}");
    assert!(screen.contains("in function"), "{screen}");
    // A file that git merged has nothing to settle.
    desk.press("4 end enter");
    assert!(
        desk.message().contains("without a conflict"),
        "{}",
        desk.message()
    );
}

#[test]
fn terrain_is_a_list_where_there_is_no_room() {
    let (_repo, mut desk) = structure_desk((80, 24));
    desk.press("4");
    let screen = desk.shows();
    assert!(screen.contains("function report"), "{screen}");
    assert!(screen.contains("▲ moved and edited"), "{screen}");
    assert!(screen.contains("▼ edited"), "{screen}");
    let folded = screen.lines().filter(|l| l.contains("function")).count();
    // Hidden is what did not change, what moved code went past as well.
    desk.press("a");
    let hidden = desk.shows();
    assert!(
        desk.message().contains("changed declarations only"),
        "{}",
        desk.message()
    );
    let rows = hidden.lines().filter(|l| l.contains("function"));
    let rows: Vec<&str> = rows.collect();
    assert!(!rows.is_empty() && rows.len() < folded, "{hidden}");
    assert!(
        rows.iter()
            .all(|row| row.contains('▲') || row.contains('▼')),
        "{hidden}"
    );
    desk.press("a");
    assert!(
        desk.message().contains("all declarations"),
        "{}",
        desk.message()
    );
    let all = desk
        .shows()
        .lines()
        .filter(|l| l.contains("function"))
        .count();
    assert!(all >= folded, "{all} {folded}");
}

#[test]
fn the_list_of_declarations_goes_where_its_letters_say() {
    let (_repo, mut desk) = structure_desk((160, 47));
    desk.open("lock/lock.rs").press(";");
    let screen = desk.shows();
    assert!(screen.contains("Declarations ·"), "{screen}");
    assert!(screen.contains("function enter"), "{screen}");
    desk.type_text("drn");
    let screen = desk.shows();
    assert!(
        screen.contains("function drain") && !screen.contains("  function enter  "),
        "{screen}"
    );
    desk.press("enter");
    assert!(
        desk.shows().contains("in function drain"),
        "{}",
        desk.shows()
    );
    desk.press(";").type_text("zzz");
    assert!(
        desk.shows().contains("no declaration in this file"),
        "{}",
        desk.shows()
    );
    desk.press("enter");
    assert!(
        desk.message().contains("no such declaration"),
        "{}",
        desk.message()
    );
}

#[test]
fn pictures_and_the_record_are_written_where_they_are_asked_for() {
    let repo = Repo::demo("structure");
    for (picture, wanted) in [
        ("moves", "function drain"),
        ("history", "Wait for the tug"),
        ("record", "lock/lock.rs"),
    ] {
        for ending in ["svg", "pdf"] {
            let file = format!("../{picture}.{ending}");
            let (code, said) = repo.output(&["draw", picture, "--output", &file]);
            assert_eq!(code, 0, "{said}");
            let bytes = std::fs::read(repo.path(&file)).unwrap();
            match ending {
                "svg" => assert!(
                    String::from_utf8_lossy(&bytes).contains(wanted),
                    "{picture}"
                ),
                _ => assert!(bytes.starts_with(b"%PDF-"), "{picture}"),
            }
        }
    }
    let (code, said) = repo.output(&["draw", "moves", "--output", "../moves.png"]);
    assert_eq!(
        (code, said.contains("must end in .svg or .pdf")),
        (2, true),
        "{said}"
    );
    assert_eq!(
        repo.git(&["status", "--porcelain", "--untracked-files=all"])
            .matches("??")
            .count(),
        0
    );
    let (code, said) = repo.output(&["record"]);
    assert_eq!(code, 1, "one is open: {said}");
    assert!(
        said.contains("# What was decided: merge of lock-keeping into harbour/main"),
        "{said}"
    );
    assert!(
        said.contains("- **by rule** (declaration by declaration): conflict"),
        "{said}"
    );
    let (_, said) = repo.output(&["record", "--json"]);
    let record: serde_json::Value = serde_json::from_str(&said).unwrap();
    assert_eq!(record["files"][0]["path"], "lock/lock.rs");
    let by: Vec<&str> = record["files"][0]["decisions"]
        .as_array()
        .unwrap()
        .iter()
        .map(|decision| decision["by"].as_str().unwrap())
        .collect();
    // A blend of two operands is offered, and waits for a person.
    assert!(by.contains(&"rule") && by.contains(&"open"), "{by:?}");
    repo.git(&["merge", "--abort"]);
    let (code, said) = repo.output(&["record"]);
    assert_eq!(
        (code, said.contains("no operation is in progress")),
        (2, true),
        "{said}"
    );
}

/// Settles whatever is in conflict, by rule first.
fn settle_all(repo: &Repo) {
    for by in ["rule", "ours"] {
        let open = repo.git(&["diff", "--name-only", "--diff-filter=U"]);
        let args: Vec<&str> = ["settle", "--by", by]
            .into_iter()
            .chain(open.lines())
            .collect();
        if args.len() > 3 {
            repo.output(&args);
        }
    }
}

#[test]
fn what_was_decided_is_there_after_concluding() {
    let repo = Repo::demo("structure");
    settle_all(&repo);
    let (_, before) = repo.output(&["record"]);
    let mut desk = Desk::new(&repo.top, (160, 47));
    desk.press("6 c");
    if desk.state.overlay.is_some() {
        desk.press("enter");
    }
    assert!(desk.state.situation.is_idle(), "{}", desk.shows());
    let (code, after) = repo.output(&["record"]);
    assert_eq!(code, 0, "{after}");
    let head = repo.git(&["rev-parse", "HEAD"]);
    assert!(after.contains(&format!("Concluded as {}.", head.trim())));
    let files = |text: &str| text.lines().filter(|line| line.starts_with("## ")).count();
    assert_eq!(files(&before), files(&after));
    assert!(!after.contains("- **open**"), "{after}");
    // The screen draws the same, and the two lines that met.
    desk.press("D");
    let drawings = repo.path(".git/armistice/drawings");
    let text = std::fs::read_to_string(drawings.join("record.md")).unwrap();
    assert_eq!(text, after);
    let history = std::fs::read_to_string(drawings.join("history.svg")).unwrap();
    for named in ["harbour/main", "lock-keeping", "Wait for the tug"] {
        assert!(history.contains(named), "{named}");
    }
    // One that knows nothing of it says which it knows.
    let (code, said) = repo.output(&["record", "HEAD^"]);
    assert_eq!((code, said.contains(&head[..7])), (2, true), "{said}");
}

#[test]
fn a_key_draws_into_the_store_and_says_where() {
    let (repo, mut desk) = structure_desk((160, 47));
    desk.press("4 D");
    assert!(desk.message().starts_with("drawn: "), "{}", desk.message());
    assert!(repo.path(".git/armistice/drawings/moves.pdf").exists());
    desk.press("6 D");
    assert!(repo.path(".git/armistice/drawings/record.svg").exists());
    assert!(repo.path(".git/armistice/drawings/history.svg").exists());
    assert_eq!(
        repo.git(&["status", "--porcelain", "--untracked-files=all"])
            .matches("??")
            .count(),
        0
    );
}

#[test]
fn the_demo_of_code_that_moved_ends_with_every_edit_at_its_new_place() {
    let repo = Repo::demo("structure");
    let (code, said) = repo.output(&["settle", "--by", "rule", "lock/lock.rs", "lock/tolls.py"]);
    assert_eq!(code, 1, "the table that went elsewhere is open: {said}");
    Desk::ruled(&repo.top, (160, 47))
        .open("lock/tolls.py")
        .press("J 2 W");
    let lock = repo.read("lock/lock.rs");
    let at = |text: &str| {
        lock.find(text)
            .unwrap_or_else(|| panic!("no {text:?} in\n{lock}"))
    };
    assert!(at("water at {} dm of {} dm") < at("self.level -= self.sluices();"));
    assert!(at("self.level -= self.sluices();") < at("self.tug.wait();"));
    assert!(
        lock.contains("    }\n\n    /// Calls the ship"),
        "a blank line before: {lock}"
    );
    assert!(
        lock.contains("first()\n    }\n\n    /// Lets water out"),
        "and behind: {lock}"
    );
    assert!(
        repo.read("lock/tolls.py")
            .contains("tables.rates(hour) + 2 * ship.length")
    );
    let (code, said) = repo.output(&["proof"]);
    assert_eq!(code, 1, "{said}");
    assert_eq!(
        said.lines().count(),
        2,
        "the name that went, and nothing else: {said}"
    );
    assert!(
        said.contains("lock/daybook.py:9: function 'on_watch' was renamed to 'keeper_at'"),
        "{said}"
    );
}

/// Goes to the conflict about the table that ours moved to another file.
fn at_the_moved_table(size: (u16, u16)) -> (Repo, Desk) {
    let (repo, mut desk) = structure_desk(size);
    // What rules offer elsewhere is taken.
    desk.press("L enter").open("lock/tolls.py");
    assert!(desk.shows().contains("conflict 2 of 2"), "{}", desk.shows());
    (repo, desk)
}

#[test]
fn an_edit_follows_code_into_the_file_to_which_it_was_moved() {
    for size in [(160, 47), (80, 24)] {
        let (repo, mut desk) = at_the_moved_table(size);
        let before = repo.git(&["status", "--porcelain"]);
        if size.0 == 160 {
            let told = "J move the edit of theirs to lock/tables.py";
            assert!(desk.shows().contains(told), "{}", desk.shows());
        }
        desk.press("J");
        assert!(
            desk.shows().contains("edited in lock/tables.py"),
            "{}",
            desk.shows()
        );
        // It waits in the draft: nothing is written before somebody writes it.
        assert_eq!(repo.git(&["status", "--porcelain"]), before);
        desk.press("2 W");
        let tables = std::fs::read_to_string(repo.path("lock/tables.py")).unwrap();
        assert!(
            tables.contains("return 195") && !tables.contains("return 180"),
            "{tables}"
        );
        assert!(
            !std::fs::read_to_string(repo.path("lock/tolls.py"))
                .unwrap()
                .contains("def rates")
        );
        assert_eq!(repo.git(&["diff"]), "", "what is staged stands on disk");
        let (_, said) = repo.output(&["proof"]);
        assert!(
            !said.contains("lock/tables.py") && !said.contains("lock/tolls.py"),
            "{said}"
        );
        // Opened again, it is there again, and nothing is to be written.
        drop(desk);
        let desk = Desk::ruled(&repo.top, size);
        assert!(
            desk.state
                .files
                .iter()
                .all(|file| file.finished() && file.unfinished.is_none())
        );
        assert_eq!(desk.state.files.len(), 3);
    }
}

#[test]
fn taking_along_is_one_step_that_undo_takes_back_in_both_files() {
    let (_repo, mut desk) = at_the_moved_table((160, 47));
    desk.press("J");
    let texts = |desk: &Desk| -> Vec<String> {
        let drafts = desk
            .state
            .files
            .iter()
            .map(|file| file.open().unwrap().draft().bytes());
        drafts
            .map(|bytes| String::from_utf8(bytes).unwrap())
            .collect()
    };
    let done = texts(&desk);
    assert!(done.iter().any(|text| text.contains("return 195")));
    desk.press("u");
    let undone = texts(&desk);
    assert!(desk.shows().contains("conflict 2 of 2"), "{}", desk.shows());
    let stands =
        |texts: &[String], line: &str| texts.iter().filter(|text| text.contains(line)).count();
    assert_eq!(
        (stands(&undone, "return 195"), stands(&undone, "return 180")),
        (0, 2)
    );
    desk.press("U");
    assert_eq!(texts(&desk), done);
}

#[test]
fn an_edit_follows_code_into_a_file_that_is_staged_already() {
    let (repo, mut desk) = at_the_moved_table((160, 47));
    // Another edit makes the file a case, which is written before.
    desk.press("J 2 W 3 u").open("lock/tables.py");
    assert!(!desk.state.files.iter().all(|file| file.finished()));
    desk.press("2 W");
    let tables = || std::fs::read_to_string(repo.path("lock/tables.py")).unwrap();
    assert!(tables().contains("return 180"), "{}", tables());
    desk.open("lock/tolls.py").press("J");
    assert!(
        desk.shows().contains("edited in lock/tables.py"),
        "{}",
        desk.shows()
    );
    desk.press("2 W");
    assert!(tables().contains("return 195"), "{}", tables());
    assert!(desk.state.files.iter().all(|file| file.finished()));
}

#[test]
fn an_edit_follows_code_whose_place_was_settled_by_a_rule() {
    let repo = Repo::new();
    let rates = "def rates(hour):\n    if hour < 6:\n        return 180\n    return 120\n";
    let tariff = "def tariff(ship, day):\n    base = ship.length * day.rate\n    base += ship.beam\n    base += ship.draught\n    return base\n";
    repo.write("tolls.py", [tariff, rates].join("\n\n"));
    repo.write("tables.py", "import sluice\n\n\n");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write(
        "tolls.py",
        [tariff, &rates.replace("180", "195")].join("\n\n"),
    );
    let lamp = "def lamp(hour):\n    return hour > 20 or hour < 5\n";
    repo.write("tables.py", format!("import sluice\n\n\n{lamp}"));
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("tolls.py", tariff);
    repo.write("tables.py", format!("import sluice\n\n\n{rates}"));
    repo.commit("ours");
    repo.try_git(&["merge", "-q", "side"]);
    let mut desk = Desk::ruled(&repo.top, (160, 47));
    assert!(desk.shows().contains("tables.py"), "{}", desk.shows());
    desk.open("tables.py");
    if desk.shows().contains("1 open") {
        // Both added a function here: both are kept.
        desk.press("a");
    }
    desk.open("tolls.py").press("J");
    assert!(
        desk.shows().contains("edited in tables.py"),
        "{}",
        desk.shows()
    );
    desk.press("2 W");
    let tables = repo.read("tables.py");
    assert!(
        tables.contains("return 195") && tables.contains("def lamp") && !tables.contains("180"),
        "{tables}"
    );
}

#[test]
fn what_both_changed_of_moved_code_is_said_and_nothing_is_done() {
    let (repo, _desk) = at_the_moved_table((160, 47));
    repo.git(&["merge", "--abort"]);
    let tables = repo.path("lock/tables.py");
    let text = std::fs::read_to_string(&tables).unwrap();
    std::fs::write(&tables, text.replace("return 180", "return 170")).unwrap();
    repo.git(&["commit", "-qam", "Lower the night rate"]);
    repo.try_git(&["merge", "lock-keeping"]);
    let mut desk = Desk::ruled(&repo.top, (160, 47));
    desk.press("L enter").open("lock/tolls.py").press("J");
    let shown = desk.shows();
    assert!(
        shown.contains("both sides changed the same lines"),
        "{shown}"
    );
    assert!(shown.contains("1 open"), "{shown}");
}

#[test]
fn a_name_that_went_is_replaced_where_it_is_used() {
    let (repo, mut desk) = structure_desk((160, 47));
    let daybook = || std::fs::read_to_string(repo.path("lock/daybook.py")).unwrap();
    desk.press("5");
    assert!(desk.shows().contains("R use new name"), "{}", desk.shows());
    desk.press("R");
    let shown = desk.shows();
    assert!(shown.contains("keeper = watch.keeper_at(hour)"), "{shown}");
    assert!(
        shown.contains("replaced 'on_watch' with 'keeper_at' in line 9"),
        "{shown}"
    );
    assert!(daybook().contains("on_watch"), "written only by w");
    desk.press("w");
    assert!(
        daybook().contains("watch.keeper_at(hour)"),
        "{}",
        desk.shows()
    );
    let (_, said) = repo.output(&["proof"]);
    assert!(!said.contains("daybook.py"), "{said}");
    // Taken back, it stands as git had merged it.
    let (mut desk, at) = (Desk::ruled(&repo.top, (160, 47)), 0);
    desk.state.docket.chosen = at;
    desk.press("2 u");
    assert!(
        daybook().contains("watch.on_watch(hour)"),
        "{}",
        desk.shows()
    );
}

#[test]
fn terrain_says_what_was_split_off_and_what_was_joined() {
    let whole = "def moor(ship):\n    slot = free.pop()\n    rope = store.take(ship)\n    rope.tie(slot)\n    rope.check(ship)\n    return slot\n";
    let cut = "def moor(ship):\n    slot = free.pop()\n    tie_up(ship, slot)\n    return slot\n\n\ndef tie_up(ship, slot):\n    rope = store.take(ship)\n    rope.tie(slot)\n    rope.check(ship)\n";
    let edited = whole.replace("free.pop()", "free.popleft()");
    for (base, ours, theirs, told) in [
        (whole, cut, edited.as_str(), "split off function moor"),
        (
            cut,
            whole,
            "def moor(ship):\n    return 1\n",
            "joined to function moor",
        ),
    ] {
        let texts = [base, ours, theirs].map(str::to_owned);
        let repo = Repo::merge(&[("quay.py", texts)]);
        let mut desk = Desk::ruled(&repo.top, (80, 24));
        desk.press("4");
        assert!(desk.shows().contains(told), "{}", desk.shows());
    }
}

/// A file whose two functions ours put into others, removing it, while theirs edited both.
fn put_into_another_file(renamed: bool) -> Repo {
    let parts = [
        "beam", "draught", "crew", "cargo", "pilot", "tugs", "lines", "watch",
    ];
    let parts = parts
        .map(|part| format!("    total += ship.{part}\n"))
        .concat();
    let toll = format!("def toll(ship):\n    total = ship.length\n{parts}    return total\n");
    let toll = toll.as_str();
    let rates = "def rates(hour):\n    if hour < 6:\n        return 180\n    return 120\n";
    let night = "def night(hour):\n    if hour > 21:\n        return True\n    return hour < 6\n";
    let repo = Repo::new();
    repo.write("tolls.py", [toll, rates, night].join("\n\n"));
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    let edited = [
        toll.to_owned(),
        rates.replace("180", "195"),
        night.replace("21", "22"),
    ];
    repo.write("tolls.py", edited.join("\n\n"));
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.git(&["rm", "-q", "tolls.py"]);
    let more = |name: &str| {
        format!(
            "def {name}(berth):\n    depth = berth.chart({name:?})\n    tide = depth - berth.{name}\n    return tide\n"
        )
    };
    let more: Vec<String> = ["ebb", "flood", "slack", "spring"].map(more).to_vec();
    let more = more.join("\n\n");
    if renamed {
        repo.write("fares.py", toll);
    }
    repo.write("tables.py", [more.as_str(), rates, night].join("\n\n"));
    repo.commit("ours");
    repo.try_git(&["merge", "-q", "side"]);
    repo
}

#[test]
fn edits_of_a_removed_file_go_to_where_its_code_went_and_the_file_goes() {
    let repo = put_into_another_file(false);
    assert!(
        repo.unmerged().contains("\ttolls.py"),
        "{}",
        repo.unmerged()
    );
    let mut desk = Desk::ruled(&repo.top, (160, 47));
    assert!(desk.shows().contains("J take along"), "{}", desk.shows());
    desk.press("J");
    assert!(
        desk.shows().contains("tolls.py: remove the file"),
        "{}",
        desk.shows()
    );
    desk.press("enter W");
    let tables = repo.read("tables.py");
    assert!(
        tables.contains("return 195") && tables.contains("hour > 22"),
        "{tables}"
    );
    assert!(!repo.path("tolls.py").exists());
    let (code, said) = repo.output(&["proof"]);
    assert_eq!(code, 0, "{said}");
}

#[test]
fn edits_follow_out_of_a_file_that_was_renamed_and_split() {
    let repo = put_into_another_file(true);
    assert!(
        repo.unmerged().contains("\tfares.py"),
        "{}",
        repo.unmerged()
    );
    let mut desk = Desk::ruled(&repo.top, (160, 47));
    desk.open("fares.py").press("J");
    assert!(desk.message().contains("next: 2"), "{}", desk.message());
    desk.press("J");
    assert!(
        desk.message().contains("W writes all files"),
        "{}",
        desk.message()
    );
    desk.press("2 W");
    let tables = repo.read("tables.py");
    assert!(
        tables.contains("return 195") && tables.contains("hour > 22"),
        "{tables}"
    );
    let (code, said) = repo.output(&["proof"]);
    assert_eq!(code, 0, "{said}");
}
