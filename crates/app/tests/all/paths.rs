//! Settings about files of certain paths: the person's own, the repository's, and what is usual.

use crate::kit::{Desk, Repo, Tmux, armistice_as};
use armistice::base::path_settings::PathSetting;
use armistice::case::trust::repository_paths;
use armistice_git::Repository;
use std::fs;

/// Two lock files, one of them no text, in which both sides changed the same place.
fn locks() -> Repo {
    let repo = Repo::new();
    repo.write("bin.lock", b"\0base");
    repo.write("tide.lock", "base\n");
    repo.write("tide.txt", "base\n");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write("bin.lock", b"\0theirs");
    repo.write("tide.lock", "theirs\n");
    repo.write("tide.txt", "theirs\n");
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("bin.lock", b"\0ours");
    repo.write("tide.lock", "ours\n");
    repo.write("tide.txt", "ours\n");
    repo.commit("ours");
    repo.try_git(&["merge", "-q", "side"]);
    repo
}

#[test]
fn settings_take_a_side_for_files_of_a_path() {
    let repo = locks();
    let config = tempfile::TempDir::new().unwrap();
    fs::create_dir(config.path().join("armistice")).unwrap();
    let file = config.path().join("armistice/config.toml");
    fs::write(file, "[[paths]]\npattern = \"*.lock\"\ntake = \"theirs\"\n").unwrap();
    let env = [("XDG_CONFIG_HOME", config.path().to_str().unwrap())];
    let t = Tmux::start(&repo.top, (120, 40), "", &env);
    // The one that settings say nothing of is what is left.
    t.wait("1 open");
    t.wait(">  open     tide.txt");
    t.keys("W").wait("1 file left");
    t.keys("q").wait("EXIT 0");
    assert_eq!(repo.read("tide.lock"), "theirs\n");
    assert_eq!(repo.read("bin.lock"), "\0theirs");
    let (_, said) = armistice_as(&repo.top, &["docket"], &env);
    assert!(
        said.contains("tide.lock\n    staged · 1 settled by rule"),
        "{said}"
    );
}

#[test]
fn a_generated_file_is_made_again_and_staged() {
    let repo = locks();
    let mut desk = Desk::new(&repo.top, (160, 47));
    desk.open("tide.lock").press("2 M");
    assert!(
        desk.message().contains("settings name no command"),
        "{}",
        desk.message()
    );
    let setting = |line: &str| PathSetting {
        pattern: "*.lock".to_owned(),
        regenerate: Some(line.to_owned()),
        ..Default::default()
    };
    let before = repo.unmerged();
    desk.state.settings.paths = vec![setting("echo broken; exit 3")];
    desk.press("M");
    let asked = desk.shows();
    assert!(
        asked.contains("Runs, as settings say: echo broken; exit 3"),
        "{asked}"
    );
    let work = repo.read("tide.lock");
    // Other files are open: that is asked about by itself.
    desk.press("enter");
    let asked = desk.shows();
    assert!(asked.contains("before the others are finished?"), "{asked}");
    assert!(asked.contains("tide.txt"), "{asked}");
    desk.press("esc");
    assert_eq!(repo.unmerged(), before);
    desk.press("M enter enter");
    assert!(
        desk.message()
            .contains("failed: broken; nothing was staged"),
        "{}",
        desk.message()
    );
    assert_eq!(
        (repo.unmerged(), repo.read("tide.lock")),
        (before.clone(), work)
    );
    desk.state.settings.paths = vec![setting("rm tide.lock")];
    desk.press("M enter enter");
    assert!(
        desk.message().contains("left no file"),
        "{}",
        desk.message()
    );
    assert_eq!(repo.unmerged(), before);
    desk.state.settings.paths = vec![setting(
        "! grep -q '<<<' tide.lock && echo made > tide.lock",
    )];
    desk.press("M enter enter");
    assert!(
        desk.message().contains("made again by"),
        "{}",
        desk.message()
    );
    assert_eq!(repo.git(&["show", ":tide.lock"]), "made\n");
    assert_eq!(repo.read("tide.lock"), "made\n");
    desk.press("u");
    assert_eq!(repo.unmerged(), before);
}

#[test]
fn what_the_repository_says_of_paths_counts_once_a_person_has_seen_it() {
    let repo = locks();
    let home = tempfile::TempDir::new().unwrap();
    let env = [
        ("XDG_STATE_HOME", home.path().to_str().unwrap()),
        ("XDG_CONFIG_HOME", home.path().to_str().unwrap()),
    ];
    let settings = "[[checks]]\nname = \"hum\"\nrun = \"true\"\nwhen = \"nowhere\"\n\n[[paths]]\npattern = \"tide.lock\"\nregenerate = \"echo made > tide.lock\"\n\n[[paths]]\npattern = \"tide.txt\"\ntake = \"theirs\"\n";
    fs::write(repo.top.join(".armistice.toml"), settings).unwrap();
    let (_, said) = armistice_as(&repo.top, &["docket"], &env);
    assert!(said.contains("tide.txt\n    1 of 1 open"), "{said}");
    let t = Tmux::start(&repo.top, (160, 47), "", &env);
    t.wait("tide.lock");
    t.keys("/").wait("only paths with");
    t.type_text("tide.lock").keys("Enter");
    t.wait("Nobody has trusted it yet");
    t.keys("M").wait("came with the repository");
    // All that is trusted is shown, what does not hold here as well.
    let asked = t.wait("tide.txt is taken from theirs");
    for line in [
        "hum: true",
        "tide.lock is made again by: echo made > tide.lock",
    ] {
        assert!(asked.contains(line), "{asked}");
    }
    t.keys("Escape").wait("nothing was done");
    assert_eq!(repo.read("tide.lock").matches("<<<<<<<").count(), 1);
    t.keys("M").wait("came with the repository");
    t.keys("Enter").wait("trusted as it stands");
    t.keys("M").wait("as settings say");
    t.keys("Enter").wait("before the others are finished?");
    t.keys("Enter").wait("made again by");
    assert_eq!(repo.git(&["show", ":tide.lock"]), "made\n");
    t.keys("q").wait("EXIT 0");
    let (_, said) = armistice_as(&repo.top, &["docket"], &env);
    assert!(
        said.contains("tide.txt\n    settled, not written"),
        "{said}"
    );
    // Whoever changes a letter of it is asked again.
    fs::write(
        repo.top.join(".armistice.toml"),
        settings.replace("echo made", "echo evil"),
    )
    .unwrap();
    let mut desk = Desk::new(&repo.top, (160, 47));
    desk.state.settings.of_repository = repository_paths(&Repository::discover(&repo.top).unwrap());
    desk.open("tide.lock").press("2 u M");
    let asked = desk.shows();
    assert!(asked.contains("Trust the commands"), "{asked}");
}

#[test]
fn a_file_that_a_tool_writes_is_proposed_to_be_made_again() {
    let repo = Repo::conflict("web/yarn.lock", "a\n", "b\n", "c\n");
    let mut desk = repo.desk();
    let shown = desk.press("2").shows();
    assert!(
        shown.contains("A tool writes this file. Proposed: M takes"),
        "{shown}"
    );
    let asked = desk.press("M").shows();
    assert!(asked.contains("cd 'web' && yarn install"), "{asked}");
    assert!(asked.contains("nobody has set it"), "{asked}");
    desk.press("esc");
    assert!(repo.read("web/yarn.lock").contains("<<<<<<<"));
}

#[test]
fn a_file_made_again_is_out_of_date_once_another_file_is_staged() {
    let repo = locks();
    repo.output(&["settle", "bin.lock", "--by", "ours"]);
    let mut desk = Desk::new(&repo.top, (160, 47));
    desk.state.settings.paths = vec![PathSetting {
        pattern: "tide.lock".to_owned(),
        regenerate: Some("cat tide.txt > tide.lock".to_owned()),
        ..Default::default()
    }];
    let said = "made this file before other files were staged";
    desk.open("tide.lock").press("2 M enter enter");
    assert!(
        desk.message().contains("made again by"),
        "{}",
        desk.message()
    );
    assert!(repo.git(&["show", ":tide.lock"]).contains("<<<<<<<"));
    assert!(!desk.press("5").shows().contains(said), "{}", desk.shows());
    // The other file held markers then, and so does the lock: Proof names both.
    desk.open("tide.txt").press("o w");
    let proof = desk.press("5").shows();
    assert!(
        proof.contains(said) && proof.contains("marker line:"),
        "{proof}"
    );
    assert!(!desk.press("6").shows().contains("Accord ready"));
    let (_, cli) = repo.output(&["proof"]);
    assert!(cli.contains(said), "{cli}");
    // Made again when all others are finished it is asked about once, and up to date.
    desk.press("2");
    let at = desk
        .state
        .files
        .iter()
        .position(|f| f.case.path.to_string() == "tide.lock");
    desk.state.docket.chosen = at.unwrap();
    desk.press("M enter");
    assert_eq!(repo.git(&["show", ":tide.lock"]), repo.read("tide.txt"));
    let proof = desk.press("5").shows();
    assert!(
        !proof.contains(said) && !proof.contains("marker line:"),
        "{proof}"
    );
    assert!(
        desk.press("6").shows().contains("Accord ready"),
        "{}",
        desk.shows()
    );
}
