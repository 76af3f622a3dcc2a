//! The demo in a real terminal, from opening to the log.

use crate::kit::{Repo, Tmux};

/// Settles every open conflict of the current file by `key` and finishes it.
fn settle_file(t: &Tmux, path: &str, key: &str) {
    let screen = t.wait(&format!("── {path}"));
    let open: usize = number_before(&screen, " open ·");
    for left in (0..open).rev() {
        t.keys(key).wait(&format!("· {left} open ·"));
        if left > 0 {
            t.keys("n");
        }
    }
    t.keys("w");
    let screen = t.wait_until("written, or why not", |s| {
        s.contains("written and staged") || s.contains("The draft does not parse")
    });
    if screen.contains("The draft does not parse") {
        // One whole function after the other: a brace is missing between them.
        t.keys("Enter").wait("written and staged");
    }
}

fn number_before(screen: &str, text: &str) -> usize {
    let line = screen
        .lines()
        .find(|l| l.starts_with("── ") && l.contains(text))
        .unwrap();
    let head = &line[..line.find(text).unwrap()];
    head.rsplit(' ').next().unwrap().parse().unwrap()
}

fn demo_merge(size: (u16, u16)) {
    let repo = Repo::demo("merge");
    let t = Tmux::start(&repo.top, size, "", &[]);
    t.wait("17 open");
    t.keys("L").wait("accept 10 suggestions?");
    t.keys("Enter").wait("7 open");
    // A newcomer begins with text, not with a picture.
    t.wait(">  open     db/schema.sql");
    t.keys("Home").wait(">  open     assets/crest.png");
    t.keys("o").wait("take the whole file from ours");
    t.keys("Enter").wait("Docket 1/14");
    t.keys("n Enter");
    settle_file(&t, "db/schema.sql", "t");
    t.keys("n").wait(">  open     docs/current");
    t.keys("t").wait("discards from ours");
    t.keys("Enter").wait("Docket 3/14");
    t.keys("n").wait(">  open     scripts/backup.sh");
    t.keys("x").wait("remove the file");
    t.keys("Enter").wait("Docket 4/14");
    t.keys("n Enter");
    settle_file(&t, "src/moorings.rs", "a");
    for (path, key) in [
        ("tools/report.py", "b"),
        // These are settled, by rules and by taking what they offered: what is open comes first.
        ("web/timetable.html", "o"),
        ("web/timetable.js", "o"),
        ("config/prices.toml", "o"),
        ("docs/handbook.md", "a"),
        ("src/quay.rs", "t"),
        ("tools/gauge.py", "t"),
        ("tools/lamps.py", "o"),
        ("tools/pilotage.py", "A"),
    ] {
        t.keys("n");
        settle_file(&t, path, key);
    }
    t.keys("5").wait("Ready to conclude");
    t.keys("6").wait("all settled, not yet concluded");
    t.keys("c").wait("── concluded");
    t.wait("Merge branch 'night-pilotage'");
    // The graph of the log, not the head line, which names the tip alone.
    t.wait_until("the log", |screen| {
        let of_night = screen
            .lines()
            .filter(|l| l.contains("night") || l.contains("Night"));
        of_night.count() > 2
    });
    t.keys("q").wait("EXIT 0");
    assert_eq!(repo.unmerged(), "");
    assert_eq!(repo.git(&["status", "--porcelain"]), "");
    assert_eq!(
        repo.git(&["rev-list", "--count", "--merges", "HEAD"])
            .trim(),
        "1"
    );
    assert!(!repo.path("scripts/backup.sh").exists());
    assert_eq!(repo.git(&["diff", "--stat", "HEAD", ":/"]), "");
    let message = repo.git(&["log", "-1", "--format=%B"]);
    assert_eq!(
        message.trim(),
        "Merge branch 'night-pilotage' into harbour/main"
    );
}

#[test]
fn the_demo_merge_from_opening_to_the_log_wide() {
    demo_merge((160, 47));
}

#[test]
fn the_demo_merge_from_opening_to_the_log_small() {
    demo_merge((80, 24));
}

#[test]
fn the_demo_rebase_through_all_five_steps() {
    let repo = Repo::demo("rebase");
    let t = Tmux::start(&repo.top, (160, 47), "", &[]);
    let mut quay = 0;
    loop {
        let screen = t.wait_until("a step or the end", |s| {
            s.contains("── concluded") || (s.contains("Docket 0/") && !s.contains("reading"))
        });
        if screen.contains("── concluded") {
            break;
        }
        assert!(screen.contains("▼ your commit "), "{screen}");
        let step = step_of(&screen);
        let (_, listed) = repo.output(&["docket", "--json"]);
        let docket: serde_json::Value = serde_json::from_str(&listed).unwrap();
        for case in docket["cases"].as_array().unwrap() {
            let path = case["path"].as_str().unwrap();
            quay += usize::from(path == "src/quay.rs");
            // Only this file is shown.
            t.keys("2").wait("── ");
            t.keys("/").wait("path contains");
            t.type_text(path).keys("Enter");
            t.wait(&format!("with '{path}'"));
            if case["mergeable"].as_bool().unwrap() {
                t.keys("Enter");
                // Both in the first step, so that the change of the last one clashes again.
                settle_file(&t, path, if path == "src/quay.rs" { "A" } else { "t" });
            } else {
                t.keys("t").wait("take the whole file from your commit");
                t.keys("Enter").wait("settled as a whole");
            }
            t.keys("2 / Enter");
        }
        t.keys("6");
        t.wait_until("the verdict", |s| {
            s.contains("all settled, not yet concluded")
                || s.contains("finding blocks it")
                || s.contains("findings block it")
        });
        let screen = t.keys("c").wait_until("the next step or a question", |s| {
            s.contains("── concluded") || step_of(s) > step || s.contains("Conclude anyway?")
        });
        if screen.contains("Conclude anyway?") {
            // One whole function after the other: a brace is missing between them, and Proof says so.
            t.keys("Enter");
        }
        t.wait_until("the next step", |s| {
            s.contains("── concluded") || step_of(s) > step
        });
    }
    assert_eq!(quay, 2, "the conflict in src/quay.rs returns once");
    t.keys("q").wait("EXIT 0");
    assert_eq!(
        repo.git(&["rev-list", "--count", "harbour/main..night-pilotage"])
            .trim(),
        "5"
    );
    let bodies = repo.git(&["log", "--format=%b", "harbour/main..HEAD"]);
    assert_eq!(bodies.trim(), "", "replayed commits keep their own words");
    assert_eq!(
        repo.git(&["rev-parse", "--abbrev-ref", "HEAD"]).trim(),
        "night-pilotage"
    );
    assert_eq!(repo.git(&["status", "--porcelain"]), "");
}

/// The step that the rail tells of: "rebase 2/5 …".
fn step_of(screen: &str) -> usize {
    let first = screen.lines().next().unwrap_or_default();
    let after = first.split("rebase ").nth(1).unwrap_or("0/");
    after.split('/').next().unwrap().parse().unwrap_or(0)
}

#[test]
fn the_screens_can_do_without_colour() {
    let repo = Repo::demo("merge");
    let t = Tmux::start(&repo.top, (160, 47), "", &[("NO_COLOR", "1")]);
    t.wait("src/quay.rs");
    t.wait("17 open");
    t.wait(">  open     db/schema.sql");
    t.keys("Enter").wait("conflict 1 of 1");
    let screen = t.colours();
    // 38 and 48 set a foreground and a background, 30 to 37 and 90 to 97 one of the sixteen.
    let coloured = [
        "\u{1b}[38",
        "\u{1b}[48",
        ";38;",
        ";48;",
        "\u{1b}[33m",
        "\u{1b}[35m",
        "\u{1b}[90m",
    ];
    for code in coloured {
        assert!(!screen.contains(code), "{code:?} in\n{screen}");
    }
    assert!(screen.contains('▲') && screen.contains('▼') && screen.contains('◆'));
    t.keys("q").wait("EXIT 0");
}

#[test]
fn a_terminal_that_shrinks_loses_nothing() {
    let repo = Repo::demo("merge");
    let t = Tmux::start(&repo.top, (160, 47), "", &[]);
    t.wait("17 open");
    t.wait(">  open     db/schema.sql");
    t.keys("End Up Up Enter").wait("conflict 1 of 3");
    t.keys("o").wait("2 open · 1 settled");
    t.resize(40, 10).wait("Armistice needs more room");
    t.resize(80, 24).wait("2 open · 1 settled");
    t.resize(100, 30).wait("2 open · 1 settled");
    t.keys("q").wait("EXIT 0");
}
