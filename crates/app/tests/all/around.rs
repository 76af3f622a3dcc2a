//! What a finished program has around its screens: topics, pages for man, completions, settings, other
//! keys, a look around.

use crate::kit::{Repo, Tmux, armistice_as};
use std::fs;
use std::process::Command;
use tempfile::TempDir;

fn at_home(repo: &Repo, home: &TempDir, args: &[&str]) -> (i32, String) {
    let home = home.path().to_str().unwrap();
    armistice_as(&repo.top, args, &[("XDG_CONFIG_HOME", home)])
}

#[test]
fn topics_and_commands_are_explained() {
    let repo = Repo::new();
    for (topic, told) in [
        ("rules", "blend              word-by-word blend"),
        ("marks", "▲  ^   ours"),
        ("keys", "take ours"),
        ("cases", "renamed two ways"),
        ("configuration", "#whitespace = \"exact\""),
        ("scout", "Usage:"),
    ] {
        let (code, said) = repo.output(&["help", topic]);
        assert!(code == 0 && said.contains(told), "{topic}: {said}");
    }
    let (code, said) = repo.output(&["help"]);
    assert!(code == 0 && said.contains("armistice help rules"), "{said}");
    let (code, said) = repo.output(&["help", "nonsense"]);
    assert!(
        code == 2 && said.contains("topics are rules, marks"),
        "{said}"
    );
}

#[test]
fn pages_for_man_are_written() {
    let repo = Repo::new();
    let (code, said) = repo.output(&["man"]);
    assert!(code == 0 && said.contains(".TH armistice 1"), "{said}");
    let (code, said) = repo.output(&["man", "--into", "../pages"]);
    assert_eq!(code, 0, "{said}");
    let page = fs::read_to_string(repo.path("../pages/armistice-scout.1")).unwrap();
    assert!(page.contains("what a merge or rebase would do"), "{page}");
}

#[test]
fn the_shell_completes_branches_and_files_in_conflict() {
    let repo = Repo::conflict("quay.txt", "one\n", "ours\n", "theirs\n");
    let (code, script) = repo.output(&["completions", "bash"]);
    assert_eq!(code, 0);
    repo.write("../complete.bash", script);
    for (words, found) in [
        ("armistice scout si", "side"),
        ("armistice settle qu", "quay.txt"),
        ("armistice sco", "scout"),
    ] {
        let last = words.split(' ').count() - 1;
        let line = format!(
            "source ../complete.bash; COMP_WORDS=({words}); COMP_CWORD={last}; _armistice_with_git armistice \"${{COMP_WORDS[{last}]}}\" \"${{COMP_WORDS[{}]}}\"; printf '%s\\n' \"${{COMPREPLY[@]}}\"",
            last - 1
        );
        let output = Command::new("bash")
            .current_dir(&repo.top)
            .args(["-c", &line])
            .output()
            .unwrap();
        let said = String::from_utf8_lossy(&output.stdout).into_owned();
        assert_eq!(
            said.trim(),
            found,
            "{words}: {}",
            String::from_utf8_lossy(&output.stderr)
        );
    }
}

#[test]
fn a_file_of_settings_is_written_and_never_over_one_that_is_there() {
    let (repo, home) = (Repo::new(), TempDir::new().unwrap());
    let (code, said) = at_home(&repo, &home, &["setup", "--config"]);
    assert_eq!(code, 0, "{said}");
    let file = home.path().join("armistice/config.toml");
    let text = fs::read_to_string(&file).unwrap();
    assert!(text.contains("#settle = \"certain\""));
    let (code, said) = at_home(&repo, &home, &["docket"]);
    assert_eq!(code, 0, "it makes sense: {said}");
    fs::write(&file, "go-on = false\n").unwrap();
    let (code, said) = at_home(&repo, &home, &["setup", "--config"]);
    assert!(code == 2 && said.contains("was not changed"), "{said}");
    assert_eq!(fs::read_to_string(&file).unwrap(), "go-on = false\n");
}

#[test]
fn other_keys_do_what_settings_say_and_a_clash_is_told() {
    let repo = Repo::conflict("a.txt", "one\n", "ours\n", "theirs\n");
    let home = TempDir::new().unwrap();
    let file = home.path().join("armistice/config.toml");
    fs::create_dir_all(file.parent().unwrap()).unwrap();
    fs::write(&file, "[keys.parley]\n\"o\" = [\"f2\"]\n\"t\" = [\"o\"]\n").unwrap();
    let (code, said) = at_home(&repo, &home, &["help", "keys"]);
    assert!(
        code == 0 && said.contains("f2               take ours"),
        "{said}"
    );
    let variables = [("XDG_CONFIG_HOME", home.path().to_str().unwrap())];
    let t = Tmux::start(&repo.top, (160, 40), "", &variables);
    t.wait(">  open     a.txt");
    t.keys("Enter").wait("conflict 1 of 1");
    t.wait("f2 ours");
    t.wait("o theirs");
    // What was theirs' key before means nothing here any more.
    t.keys("o").wait("settled 1 by theirs");
    t.keys("q").wait("EXIT 0");
    fs::write(&file, "[keys.parley]\n\"o\" = [\"t\"]\n").unwrap();
    let (code, said) = at_home(&repo, &home, &["docket"]);
    assert!(
        code == 2 && said.contains("'t' would mean two things"),
        "{said}"
    );
}

#[test]
fn doctor_looks_around_and_changes_nothing() {
    let repo = Repo::new();
    let (code, said) = repo.output(&["doctor"]);
    for told in [
        "git version",
        "merge.conflictStyle",
        "rerere.enabled",
        "setup --dry-run",
    ] {
        assert!(said.contains(told), "{told}: {said}");
    }
    assert!(code < 2, "{said}");
    let (code, said) = armistice_as(&repo.top, &["doctor"], &[("TERM", "dumb")]);
    assert!(
        code == 1 && said.contains("! terminal: TERM=dumb"),
        "{said}"
    );
    assert_eq!(repo.git(&["status", "--porcelain"]), "");
}

#[test]
fn the_message_of_a_merge_lists_its_conflicts_if_the_settings_say_so() {
    let home = TempDir::new().unwrap();
    fs::create_dir(home.path().join("armistice")).unwrap();
    let file = home.path().join("armistice/config.toml");
    let env = [("XDG_CONFIG_HOME", home.path().to_str().unwrap())];
    for (settings, cleanup, message) in [
        ("", "default", "Merge branch 'side'"),
        (
            "conflict-list = \"always\"\n",
            "default",
            "Merge branch 'side'\n\nConflicts:\n\ta.txt",
        ),
        (
            "",
            "whitespace",
            "Merge branch 'side'\n\n# Conflicts:\n#\ta.txt",
        ),
        (
            "conflict-list = \"never\"\n",
            "whitespace",
            "Merge branch 'side'",
        ),
    ] {
        fs::write(&file, settings).unwrap();
        let repo = Repo::new();
        repo.git(&["config", "commit.cleanup", cleanup]);
        repo.diverge("a.txt", "one\n", "ours\n", "theirs\n");
        repo.try_git(&["merge", "-q", "side"]);
        for args in [&["settle", "--by", "ours", "a.txt"][..], &["conclude"]] {
            let (code, said) = armistice_as(&repo.top, args, &env);
            assert_eq!(code, 0, "{said}");
        }
        assert_eq!(
            repo.git(&["log", "-1", "--format=%B"]).trim(),
            message,
            "{settings}{cleanup}"
        );
    }
}
