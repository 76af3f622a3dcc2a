//! The project's own commands: trusted by a person, run from Proof and the command line, required by
//! the gate.

use crate::kit::{Repo, Tmux, armistice_as, merged};
use armistice::base::project_checks::CheckSetting;
use armistice_git::Verdict;

const TWO: &str = "[[checks]]\nname = \"berths\"\nrun = \"echo ran >> ran.log; test -f right\"\nrequired = true\n\n[[checks]]\nname = \"tides\"\nrun = \"echo high; echo low >&2\"\n";

/// A merge whose one conflict is settled, in a repository that names two checks.
fn settled() -> Repo {
    let repo = merged();
    repo.write(".git/info/exclude", "ran.log\nright\n.armistice.toml\n");
    repo.write(".armistice.toml", TWO);
    assert_eq!(repo.output(&["settle", "a.txt", "--by", "ours"]).0, 0);
    repo
}

fn check(name: &str, run: &str, required: bool) -> CheckSetting {
    CheckSetting {
        name: name.to_owned(),
        run: run.to_owned(),
        required,
        ..CheckSetting::default()
    }
}

#[test]
fn commands_of_a_repository_run_only_when_a_person_has_trusted_them_as_they_stand() {
    let repo = settled();
    let state = repo.dir.path().join("state");
    let env = [("XDG_STATE_HOME", state.to_str().unwrap())];
    let said = |args: &[&str]| armistice_as(&repo.top, args, &env);

    let (code, text) = said(&["proof", "--run"]);
    assert!(
        code == 2 && text.contains("are not trusted, and none was run"),
        "{text}"
    );
    let (code, text) = said(&["proof", "--trust"]);
    assert_eq!(code, 2, "nobody can be asked: {text}");
    assert!(
        text.contains("berths (required): echo ran >> ran.log"),
        "{text}"
    );
    assert!(!repo.path("ran.log").exists() && !state.exists());

    let tmux = Tmux::start(
        &repo.top,
        (120, 30),
        "proof --trust",
        &[("XDG_STATE_HOME", env[0].1)],
    );
    tmux.wait("Type yes:");
    tmux.type_text("yes").keys("Enter");
    tmux.wait("EXIT 0");

    let (code, text) = said(&["proof", "--run"]);
    assert!(
        code == 1 && text.contains("berths: failed with exit code 1"),
        "{text}"
    );
    assert!(
        text.contains("high\nlow\n") && text.contains("tides: passed"),
        "{text}"
    );
    assert_eq!(repo.read("ran.log"), "ran\n");
    repo.write("right", "");
    let (code, text) = said(&["proof", "--run", "berths"]);
    assert!(code == 0 && text.contains("berths: passed"), "{text}");
    // Any other text asks again.
    repo.write(".armistice.toml", TWO.replace("echo high", "rm -rf x"));
    let (code, text) = said(&["proof", "--run"]);
    assert!(code == 2 && text.contains("not trusted"), "{text}");
    assert_eq!(repo.read("ran.log"), "ran\nran\n");
    // And another repository has its own trust.
    let copy = repo.copy();
    copy.write(".armistice.toml", TWO);
    let (code, text) = armistice_as(&copy.top, &["proof", "--run"], &env);
    assert!(code == 2 && text.contains("not trusted"), "{text}");
}

#[test]
fn a_required_check_stands_in_the_way_until_it_has_passed_on_what_stands_there() {
    let repo = settled();
    let home = repo.dir.path().join("home");
    let config = home.join("armistice/config.toml");
    std::fs::create_dir_all(config.parent().unwrap()).unwrap();
    std::fs::write(&config, TWO).unwrap();
    std::fs::remove_file(repo.path(".armistice.toml")).unwrap();
    let env = [("XDG_CONFIG_HOME", home.to_str().unwrap())];
    let said = |args: &[&str]| armistice_as(&repo.top, args, &env);

    let (code, text) = said(&["conclude"]);
    assert!(
        code == 1 && text.contains("the required check 'berths' has not run"),
        "{text}"
    );
    assert_eq!(said(&["proof", "--run"]).0, 1);
    let (code, text) = said(&["conclude"]);
    assert!(
        code == 1 && text.contains("the required check 'berths' failed"),
        "{text}"
    );
    repo.write("right", "");
    assert_eq!(said(&["proof", "--run"]).0, 0);
    let json: serde_json::Value = serde_json::from_slice(
        &armistice_as(&repo.top, &["proof", "--json"], &env)
            .1
            .into_bytes(),
    )
    .unwrap();
    assert_eq!(json["checks"][0]["verdict"], "passed");
    assert_eq!(json["checks"][1]["last"]["output"][1], "low");
    // A tracked file that changes afterwards makes it stale; the same file again, staged, too.
    repo.write("a.txt", "one\nours and more\nthree\n");
    let (code, text) = said(&["proof"]);
    assert!(
        code == 1 && text.contains("berths: files changed since it ran"),
        "{text}"
    );
    repo.git(&["checkout", "-q", "--", "a.txt"]);
    assert!(said(&["proof"]).1.contains("berths: passed"));
    repo.write("a.txt", "one\nours and more\nthree\n");
    repo.git(&["add", "a.txt"]);
    let (code, text) = said(&["conclude"]);
    assert!(
        code == 1 && text.contains("files changed after the required check"),
        "{text}"
    );
    let (code, text) = said(&["conclude", "--despite-findings"]);
    assert_eq!(code, 0, "{text}");
}

#[test]
fn proof_shows_offers_verdicts_and_output() {
    let repo = merged();
    repo.write("Makefile", "all:\n\techo moored\n");
    let mut desk = repo.desk();
    let screen = desk.press("5").shows();
    assert!(
        screen.contains("make                                    offered      suggested by files"),
        "{screen}"
    );
    // Nobody named it: it runs only where the cursor is on it.
    desk.press("G r");
    assert!(
        desk.message().contains("these checks are only suggestions"),
        "{}",
        desk.message()
    );
    desk.press("g r");
    let screen = desk.shows();
    assert!(
        screen.contains("+ make                                    passed"),
        "{screen}"
    );
    let screen = desk.press("o").shows();
    assert!(
        screen.contains("echo moored") && screen.contains("lines 1 to 2 of 2"),
        "{screen}"
    );
    desk.press("esc");

    desk.state.settings.checks = vec![
        check("tests", "seq 1 500; exit 7", true),
        check("slow", "true", false),
    ];
    desk.press("2 5 G r");
    let screen = desk.shows();
    assert!(
        screen.contains("! tests                                   failed"),
        "{screen}"
    );
    assert!(screen.contains("exit code 7"), "{screen}");
    assert!(
        !screen.contains("Makefile"),
        "what is named takes the place of offers\n{screen}"
    );
    desk.press("g enter");
    assert!(
        desk.shows().contains("of 500 · arrows scroll"),
        "{}",
        desk.shows()
    );
    let screen = desk.press("g").shows();
    assert!(screen.contains("lines 1 to "), "{screen}");
    // Another desk finds the verdict again, with the end of what was printed.
    let mut again = repo.desk();
    again.state.settings.checks = desk.state.settings.checks.clone();
    let screen = again.press("2 5 g o").shows();
    assert!(
        screen.contains("failed") && screen.contains("of 400"),
        "{screen}"
    );
}

#[test]
fn the_gate_waits_for_a_required_check_and_a_person_may_pass_it() {
    let repo = settled();
    std::fs::remove_file(repo.path(".armistice.toml")).unwrap();
    let mut desk = repo.desk();
    desk.state.settings.checks = vec![check("tests", "test -f right", true)];
    let screen = desk.press("5").shows();
    assert!(
        screen.contains("Not ready: the required check 'tests' has not run."),
        "{screen}"
    );
    assert!(!screen.contains("Proof clean"), "{screen}");
    repo.write("right", "");
    let screen = desk.press("r").shows();
    assert!(
        screen.contains("Ready to conclude") && screen.contains("5 Proof clean"),
        "{screen}"
    );
    repo.write("a.txt", "one\nby hand\nthree\n");
    repo.git(&["add", "a.txt"]);
    let screen = desk.press("2 5").shows();
    assert!(
        screen.contains("files changed after the required check") && screen.contains("stale"),
        "{screen}"
    );
    desk.press("6 c");
    assert!(
        desk.shows().contains("Conclude anyway?"),
        "{}",
        desk.shows()
    );
    desk.press("enter");
    let asked = desk.shows();
    assert!(
        asked.contains("Conclude without a required check?"),
        "{asked}"
    );
    desk.press("enter");
    assert_eq!(desk.state.accord.verdict, Some(Verdict::Concluded));
}

#[test]
fn a_question_shows_every_command_before_one_runs_and_no_runs_none() {
    let repo = settled();
    let mut desk = repo.desk();
    let screen = desk.press("5 r").shows();
    for text in [
        "Trust the commands of .armistice.toml?",
        "berths (required): echo ran",
        "tides: echo high",
    ] {
        assert!(screen.contains(text), "no '{text}' on\n{screen}");
    }
    desk.press("esc");
    assert!(!repo.path("ran.log").exists());
    // What does not fit on the screen was not seen.
    let long = format!(
        "[[checks]]\nname = \"long\"\nrun = \"true {}\"\n",
        "x ".repeat(450)
    );
    repo.write(".armistice.toml", long + TWO);
    desk.state.size = (80, 20);
    desk.press("2 5 r");
    assert!(desk.message().contains("do not fit"), "{}", desk.message());
    repo.write(".armistice.toml", "<<<<<<< ours\n");
    let screen = desk.press("2 5").shows();
    assert!(screen.contains(".armistice.toml: line 1"), "{screen}");
}

#[test]
fn output_is_seen_while_a_command_runs_and_x_stops_it_with_all_it_started() {
    let repo = settled();
    let state = repo.dir.path().join("state");
    repo.write(
        ".armistice.toml",
        "[[checks]]\nname = \"slow\"\nrun = \"echo begun; sleep 300 & echo $! > ran.log; wait\"\n",
    );
    let tmux = Tmux::start(
        &repo.top,
        (120, 40),
        "",
        &[("XDG_STATE_HOME", state.to_str().unwrap())],
    );
    tmux.wait("2 Docket");
    tmux.keys("5");
    tmux.wait("not trusted");
    tmux.keys("r");
    tmux.wait("trust them and run 1 command");
    tmux.keys("Enter");
    tmux.wait("running");
    tmux.wait_until("output", |s| s.lines().any(|l| l.trim() == "begun"));
    // The screen answers meanwhile.
    tmux.keys("2");
    tmux.wait("enter open");
    tmux.keys("5 x");
    tmux.wait("stopped");
    let pid = repo.read("ran.log").trim().to_owned();
    let alive = || std::path::Path::new(&format!("/proc/{pid}")).exists();
    let started = std::time::Instant::now();
    while alive() && started.elapsed().as_secs() < 10 {
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
    assert!(!alive(), "what the command had started still runs");
    // Closing stops what runs as well.
    tmux.keys("r");
    tmux.wait("running");
    tmux.keys("q");
    tmux.wait("EXIT 0");
}

#[test]
fn concluding_all_the_same_lists_everything_and_confirms_a_failed_required_check_by_itself() {
    let repo = merged();
    let line = |n: usize| format!("    call({n})  \n");
    let text: String = (0..60).map(line).collect();
    let mut desk = crate::kit::Desk::new(&repo.top, (100, 30));
    desk.state.settings.checks = vec![
        check("berths", "false", true),
        check("tides", "exit 3", false),
        check("moorings", "true", true),
    ];
    desk.open("a.txt").press("o w");
    repo.write(
        "a.txt",
        format!("one\n<<<<<<< x\nours\n=======\nt\n>>>>>>> y\n{text}"),
    );
    repo.git(&["add", "a.txt"]);
    desk.press("ctrl-r 5 home r down r down r");
    desk.press("6 c");
    let head = repo.git(&["rev-parse", "HEAD"]);
    let mut seen = desk.shows();
    assert!(seen.contains("more lines: arrows scroll"), "{seen}");
    for _ in 0..20 {
        seen += &desk.press("pagedown").shows();
    }
    for text in ["berths", "tides", "marker", "trailing whitespace"] {
        assert!(seen.contains(text), "{text}:\n{seen}");
    }
    // A failed required check is asked about alone; going back there does nothing.
    let asked = desk.press("enter").shows();
    assert!(
        asked.contains("Conclude without a required check?"),
        "{asked}"
    );
    desk.press("esc");
    assert_eq!(repo.git(&["rev-parse", "HEAD"]), head);
    desk.press("c enter enter");
    assert_ne!(repo.git(&["rev-parse", "HEAD"]), head, "{}", desk.message());
}

#[test]
fn a_command_ends_with_the_program_that_is_killed() {
    let repo = merged();
    let pids = repo.dir.path().join("pids");
    // One that ignores being asked, with a child of its own.
    let line = format!(
        "trap '' TERM; echo $$ >> '{0}'; sleep 60 & echo $! >> '{0}'; wait; sleep 60",
        pids.display()
    );
    repo.write(".git/info/exclude", ".armistice.toml\n");
    repo.write(
        ".armistice.toml",
        format!("[[checks]]\nname = \"slow\"\nrun = \"{line}\"\n"),
    );
    let state = repo.dir.path().join("state");
    let env = [("XDG_STATE_HOME", state.to_str().unwrap())];
    let tmux = Tmux::start(&repo.top, (120, 30), "proof --trust", &env);
    tmux.wait("Type yes:");
    tmux.type_text("yes").keys("Enter").wait("EXIT 0");
    let tmux = Tmux::start(&repo.top, (120, 30), "proof --run", &env);
    let started = std::time::Instant::now();
    let running = loop {
        let noted = std::fs::read_to_string(&pids).unwrap_or_default();
        let found: Vec<String> = noted.lines().map(str::to_owned).collect();
        if found.len() == 2 {
            break found;
        }
        assert!(
            started.elapsed().as_secs() < 30,
            "the command does not start"
        );
        std::thread::sleep(std::time::Duration::from_millis(20));
    };
    tmux.signal("-KILL").wait("EXIT 137");
    let is_alive = |pid: &String| std::path::Path::new("/proc").join(pid).exists();
    while running.iter().any(is_alive) {
        assert!(started.elapsed().as_secs() < 30, "it goes on: {running:?}");
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
}
