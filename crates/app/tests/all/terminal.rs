//! What only a real terminal shows: stopping, cancelling, the log, the light ground.

use crate::kit::{Repo, Tmux};
use std::fs;
use std::os::unix::fs::PermissionsExt;

fn hook(repo: &Repo, name: &str, script: &str) {
    repo.write(&format!(".git/hooks/{name}"), script);
    let file = repo.path(&format!(".git/hooks/{name}"));
    fs::set_permissions(file, fs::Permissions::from_mode(0o755)).unwrap();
}

fn conflict() -> Repo {
    Repo::conflict("a.txt", "one\ntwo\n", "one\nours\n", "one\ntheirs\n")
}

#[test]
fn a_hook_that_hangs_can_be_stopped_and_nothing_is_lost() {
    let repo = conflict();
    hook(
        &repo,
        "pre-commit",
        "#!/bin/sh\necho $$ >hook-runs\nexec sleep 600\n",
    );
    let t = Tmux::start(&repo.top, (100, 30), "", &[]);
    t.wait("1 open");
    t.keys("Enter t w").wait("written and staged");
    t.keys("6").wait("all settled, not yet concluded");
    t.keys("c").wait("git is concluding");
    t.wait_until("the hook to run", |_| {
        fs::read_to_string(repo.path("hook-runs")).is_ok_and(|s| s.ends_with('\n'))
    });
    t.keys("C-c").wait("stopped on request");
    let pid = fs::read_to_string(repo.path("hook-runs")).unwrap();
    // Dead is enough; whoever inherited it may not have buried it yet.
    let stat = fs::read_to_string(format!("/proc/{}/stat", pid.trim())).unwrap_or_default();
    assert!(
        stat.is_empty() || stat.contains(") Z "),
        "it went with its git: {stat}"
    );
    assert!(!repo.path(".git/index.lock").exists());
    assert!(repo.path(".git/MERGE_HEAD").exists());
    fs::remove_file(repo.path(".git/hooks/pre-commit")).unwrap();
    t.keys("c").wait("── concluded");
    t.keys("q").wait("EXIT 0");
    assert_eq!(repo.read("a.txt"), "one\ntheirs\n");
}

#[test]
fn the_shell_gets_the_terminal_back_for_a_while() {
    let repo = conflict();
    let t = Tmux::in_shell(&repo.top, (100, 30));
    t.wait("1 open");
    t.keys("Enter o").wait("0 open · 1 settled");
    t.keys("C-z").wait("Stopped");
    assert!(!t.screen().contains("Parley"), "{}", t.screen());
    t.type_text("fg").keys("Enter").wait("0 open · 1 settled");
    t.keys("u").wait("1 open · 0 settled");
    t.keys("q");
    t.wait_until("the shell again", |s| s.trim_end().ends_with("ready>"));
}

#[test]
fn the_log_goes_to_a_file_and_never_to_the_screen() {
    let repo = conflict();
    let log = repo.dir.path().join("log");
    let t = Tmux::start(
        &repo.top,
        (100, 30),
        "",
        &[("ARMISTICE_LOG", log.to_str().unwrap())],
    );
    let screen = t.wait("1 open");
    assert!(!screen.contains("DEBUG"), "{screen}");
    t.keys("q").wait("EXIT 0");
    let log = fs::read_to_string(log).unwrap();
    assert!(log.contains("git=ls-files -z --unmerged"), "{log}");
}

#[test]
fn marks_and_ground_follow_the_command_line() {
    let repo = conflict();
    let t = Tmux::start(
        &repo.top,
        (100, 30),
        "--ascii --theme light",
        &[("COLORTERM", "truecolor")],
    );
    t.wait("1 open");
    let screen = t.screen();
    assert!(
        screen.contains(" ^ main") && !screen.contains('▲'),
        "{screen}"
    );
    // The light ground of the table of roles, as red, green, blue.
    let colours = t.colours();
    let grounds = ["48;2;251;250;247", "48;5;231", "48;5;255"];
    assert!(
        grounds.iter().any(|ground| colours.contains(ground)),
        "{colours}"
    );
    t.keys("q").wait("EXIT 0");
}

#[test]
fn sixteen_colours_do_with_sixteen() {
    let repo = conflict();
    let plain = [("TERM", "xterm"), ("COLORTERM", "")];
    let t = Tmux::start(&repo.top, (100, 30), "", &plain);
    t.wait("1 open");
    t.keys("Enter").wait("conflict 1 of 1");
    let colours = t.colours();
    assert!(!colours.contains("38;2"), "{colours}");
    let numbers = colours.split("38;5;").skip(1).map(|rest| {
        let digits: String = rest.chars().take_while(char::is_ascii_digit).collect();
        digits.parse::<u8>().unwrap()
    });
    let numbers: Vec<_> = numbers.collect();
    assert!(numbers.iter().all(|n| *n < 16), "{numbers:?}");
    assert!(
        numbers.contains(&3) && numbers.contains(&5),
        "both parties: {numbers:?}"
    );
    t.keys("q").wait("EXIT 0");
}

#[test]
fn outside_of_a_repository_it_says_what_to_do_and_touches_no_screen() {
    let nowhere = tempfile::TempDir::new().unwrap();
    let t = Tmux::start(nowhere.path(), (100, 30), "", &[]);
    let screen = t.wait("EXIT 2");
    assert!(
        screen.contains("is not inside a git work tree; go to one, or try 'armistice demo'"),
        "{screen}"
    );
}

#[test]
fn the_demo_opens_by_one_command() {
    let dir = tempfile::TempDir::new().unwrap();
    let into = dir.path().join("office");
    let t = Tmux::start(
        dir.path(),
        (100, 30),
        &format!("demo rebase --into '{}'", into.display()),
        &[],
    );
    t.wait("rebase 2/5 of");
    t.keys("q").wait("remove it when you like");
    assert!(into.join(".git/rebase-merge").exists());
}

#[test]
fn whoever_stops_the_program_from_outside_finds_the_screen_again() {
    let repo = conflict();
    let t = Tmux::start(&repo.top, (100, 30), "", &[]);
    t.wait("1 open");
    let pid = t.pid();
    t.signal("-STOP");
    // Another program has the terminal meanwhile, in the mode of a shell.
    let tty = std::process::Command::new("ps")
        .args(["-o", "tty=", "-p", &pid])
        .output()
        .unwrap();
    let tty = format!("/dev/{}", String::from_utf8_lossy(&tty.stdout).trim());
    let sane = std::process::Command::new("stty")
        .args(["-F", &tty, "sane"])
        .status()
        .unwrap();
    assert!(sane.success());
    fs::write(&tty, "\x1b[2J\x1b[Hscribbled over everything").unwrap();
    t.wait("scribbled over everything");
    t.signal("-CONT");
    t.wait_until("the screen again", |s| {
        s.contains("1 open") && !s.contains("scribbled")
    });
    t.keys("Enter o").wait("0 open · 1 settled");
    assert!(
        !t.screen().contains("^["),
        "keys are read raw: {}",
        t.screen()
    );
    t.keys("q").wait("EXIT 0");
}

#[test]
fn a_terminal_that_goes_away_ends_the_program_quietly_with_everything_recorded() {
    for keys in ["", "Enter o", "6"] {
        let repo = crate::kit::merged();
        let (code, errors) = (repo.dir.path().join("code"), repo.dir.path().join("errors"));
        let tmux = Tmux::start_noting(&repo.top, (100, 30), &code, &errors);
        // The file is read before a key goes to it.
        tmux.wait("1 conflict · ★ 0 by rule · 0 by you · 1 open");
        match keys {
            "" => {}
            "6" => drop(tmux.keys("6").wait("decisions")),
            _ => {
                tmux.keys("Enter").wait("conflict 1 of 1");
                tmux.keys("o").wait("0 open · 1 settled");
            }
        }
        tmux.vanish();
        let started = std::time::Instant::now();
        let ended = loop {
            match fs::read_to_string(&code) {
                Ok(text) if text.ends_with('\n') => break text,
                _ => {}
            }
            assert!(started.elapsed().as_secs() < 30, "it does not end");
            std::thread::sleep(std::time::Duration::from_millis(20));
        };
        assert_eq!(
            (ended.trim(), fs::read_to_string(&errors).unwrap()),
            ("129", String::new())
        );
        if keys.ends_with('o') {
            assert!(repo.output(&["docket"]).1.contains("settled, not written"));
        }
    }
}
