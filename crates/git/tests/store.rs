//! The store under the git folder, and files written in one step.

use armistice_core::{
    Entry, Event, PastOutcome, PastResolution, RegionId, Resolution, Side, Step, Version,
};
use armistice_git::{
    Case, Memory, Mode, Oid, RepoPath, Seen, Stage, Stages, Store, WorkFile, write_atomically,
};
use std::fs;
use std::os::unix::fs::{PermissionsExt, symlink};
use tempfile::TempDir;

fn case(path: &[u8], ours: &str) -> Case {
    let stage = |oid: &str| {
        Some(Stage {
            mode: Mode::File,
            oid: Oid(oid.to_owned()),
        })
    };
    let stages = Stages {
        base: stage("b0"),
        ours: stage(ours),
        theirs: stage("7e"),
    };
    Case::new(RepoPath::new(path), stages)
}

fn event(n: u32) -> Event {
    let entries = vec![Entry::Settle(RegionId(n), Resolution::Drop)];
    Event::Do(Step::new(format!("step {n}"), entries))
}

#[test]
fn a_journal_comes_back_as_it_was_written() {
    let dir = TempDir::new().unwrap();
    let store = Store::new(dir.path());
    let case = case(b"a\nb \xff.rs", "01");
    let (mut journal, events, note) = store.journal(&case).unwrap();
    assert_eq!((events.len(), note), (0, None));
    assert!(!journal.file().exists(), "asking creates nothing");
    for n in 0..3 {
        journal.append(&[event(n)]).unwrap();
    }
    journal.append(&[Event::Undo]).unwrap();
    let (mut journal, events, note) = store.journal(&case).unwrap();
    assert_eq!(
        (events, note),
        (vec![event(0), event(1), event(2), Event::Undo], None)
    );
    journal.append(&[Event::Redo]).unwrap();
    assert_eq!(store.journal(&case).unwrap().1.len(), 5);
}

#[test]
fn journals_of_other_versions_are_left_alone_and_told() {
    let dir = TempDir::new().unwrap();
    let store = Store::new(dir.path());
    store
        .journal(&case(b"a", "01"))
        .unwrap()
        .0
        .append(&[event(1)])
        .unwrap();
    let (_, events, note) = store.journal(&case(b"a", "02")).unwrap();
    assert_eq!(events, []);
    assert!(note.unwrap().contains("the versions changed"));
    let (_, _, note) = store.journal(&case(b"b", "02")).unwrap();
    assert_eq!(note, None, "another path has nothing to do with it");
    assert_eq!(store.journal(&case(b"a", "01")).unwrap().1, [event(1)]);
    store.close_books().unwrap();
    assert_eq!(
        store.journal(&case(b"a", "02")).unwrap().2,
        None,
        "concluded is over"
    );
}

#[test]
fn every_way_to_damage_a_journal_keeps_the_bytes_and_the_readable_part() {
    let damages: [(&[u8], usize); 4] = [
        (b"{\"do\":{\"la", 2),
        (b"\xff\xfe\n\"undo\"\n", 2),
        (b"\0\0\0\0", 2),
        (b"{\"unknown\":1}\n", 2),
    ];
    for (tail, readable) in damages {
        let dir = TempDir::new().unwrap();
        let store = Store::new(dir.path());
        let case = case(b"a", "01");
        let (mut journal, ..) = store.journal(&case).unwrap();
        journal.append(&[event(1)]).unwrap();
        journal.append(&[event(2)]).unwrap();
        let file = journal.file().to_owned();
        let damaged = [fs::read(&file).unwrap(), tail.to_vec()].concat();
        fs::write(&file, &damaged).unwrap();
        let (mut journal, events, note) = store.journal(&case).unwrap();
        assert_eq!(events.len(), readable, "{tail:?}");
        assert!(note.unwrap().contains("damaged from line 4"), "{tail:?}");
        let kept = fs::read_dir(dir.path().join("armistice/kept"))
            .unwrap()
            .next()
            .unwrap()
            .unwrap();
        assert_eq!(fs::read(kept.path()).unwrap(), damaged);
        journal.append(&[event(3)]).unwrap();
        assert_eq!(
            store.journal(&case).unwrap().1,
            [event(1), event(2), event(3)]
        );
    }
}

#[test]
fn a_journal_without_its_first_line_is_put_aside() {
    let dir = TempDir::new().unwrap();
    let store = Store::new(dir.path());
    let case = case(b"a", "01");
    let (mut journal, ..) = store.journal(&case).unwrap();
    journal.append(&[event(1)]).unwrap();
    fs::write(journal.file(), "something else\n").unwrap();
    let (_, events, note) = store.journal(&case).unwrap();
    assert_eq!(events, []);
    assert!(note.unwrap().contains("put aside"));
}

#[test]
fn decisions_recorded_over_other_regions_are_put_aside_and_told() {
    let dir = TempDir::new().unwrap();
    let store = Store::new(dir.path());
    let case = case(b"a", "01");
    let (mut journal, ..) = store.journal(&case).unwrap();
    journal.append(&[event(0)]).unwrap();
    let written = fs::read_to_string(journal.file()).unwrap();
    let earlier = written.replace("{\"armistice\":2,", "{\"armistice\":1,");
    assert_ne!(earlier, written);
    fs::write(journal.file(), &earlier).unwrap();
    let (_, events, note) = store.journal(&case).unwrap();
    assert_eq!(events, []);
    let note = note.unwrap();
    assert!(note.contains("another version of Armistice"), "{note}");
    let copy = note.rsplit(' ').next().unwrap();
    assert_eq!(fs::read_to_string(copy).unwrap(), earlier);
}

#[test]
fn unsaved_edits_come_and_go() {
    let dir = TempDir::new().unwrap();
    let store = Store::new(dir.path());
    let (a, b) = (case(b"a", "01"), case(b"a", "02"));
    store.save_unsaved_edit(&a, "half a thought").unwrap();
    assert_eq!(store.unsaved_edit(&a).as_deref(), Some("half a thought"));
    assert_eq!(store.unsaved_edit(&b), None, "about other versions");
    store.drop_unsaved_edit(&a);
    store.drop_unsaved_edit(&a);
    assert_eq!(store.unsaved_edit(&a), None);
}

#[test]
fn copies_never_share_a_name() {
    let dir = TempDir::new().unwrap();
    let store = Store::new(dir.path());
    let path = RepoPath::new(*b"deep/folder/odd name?.rs");
    let first = store.keep(&path, b"one").unwrap();
    let second = store.keep(&path, b"two").unwrap();
    assert_ne!(first, second);
    assert_eq!(
        (fs::read(first).unwrap(), fs::read(&second).unwrap()),
        (b"one".to_vec(), b"two".to_vec())
    );
    assert!(
        second
            .file_name()
            .unwrap()
            .to_string_lossy()
            .ends_with("odd_name_.rs")
    );
}

#[test]
fn a_replaced_file_keeps_its_mode_and_leaves_no_traces() {
    let dir = TempDir::new().unwrap();
    let file = dir.path().join("a");
    fs::write(&file, "old").unwrap();
    fs::set_permissions(&file, fs::Permissions::from_mode(0o640)).unwrap();
    let mode = || fs::metadata(&file).unwrap().permissions().mode() & 0o7777;
    write_atomically(&file, b"new", None).unwrap();
    assert_eq!((fs::read(&file).unwrap(), mode()), (b"new".to_vec(), 0o640));
    write_atomically(&file, b"run", Some(true)).unwrap();
    assert_eq!(mode(), 0o750, "who may read may run");
    write_atomically(&file, b"no", Some(false)).unwrap();
    assert_eq!(mode(), 0o640);
    assert_eq!(fs::read_dir(dir.path()).unwrap().count(), 1);
}

#[test]
fn writing_into_a_file_as_if_it_were_a_folder_is_an_error_with_the_path() {
    let dir = TempDir::new().unwrap();
    fs::write(dir.path().join("a"), "x").unwrap();
    let error = write_atomically(&dir.path().join("a/b"), b"y", None).unwrap_err();
    assert!(error.to_string().contains("cannot create '"), "{error}");
    assert_eq!(fs::read(dir.path().join("a")).unwrap(), b"x");
}

#[test]
fn what_is_seen_tells_files_links_and_nothing_apart() {
    let dir = TempDir::new().unwrap();
    let see = |name: &str| WorkFile::read(dir.path(), &RepoPath::new(name)).unwrap();
    fs::write(dir.path().join("file"), "text").unwrap();
    fs::write(dir.path().join("same"), "text").unwrap();
    symlink("file", dir.path().join("link")).unwrap();
    fs::create_dir(dir.path().join("folder")).unwrap();
    assert_eq!(see("file").seen, see("same").seen);
    assert_eq!(see("file").bytes, b"text");
    assert_ne!(see("link").seen, see("file").seen);
    assert_eq!(see("link").bytes, b"file");
    assert_eq!(see("folder").seen, Seen::Other);
    assert_eq!(see("nothing").seen, Seen::Missing);
    assert_eq!(see("file/below").seen, Seen::Missing);
    fs::write(dir.path().join("file"), "TEXT").unwrap();
    assert_ne!(see("file").seen, see("same").seen);
}

fn past_resolution(text: &str, outcome: PastOutcome) -> PastResolution {
    PastResolution {
        base: text.into(),
        ours: format!("{text} of ours").into(),
        theirs: format!("{text} of theirs").into(),
        outcome,
        around: None,
        learned: None,
    }
}

#[test]
fn a_repository_remembers_the_latest_of_each_conflict() {
    let dir = TempDir::new().unwrap();
    let memory = Memory::new(dir.path());
    assert_eq!(memory.read().unwrap(), []);
    assert!(
        !dir.path().join("armistice").exists(),
        "asking makes nothing"
    );
    let (berth, tide) = (
        PastOutcome::Take(Version::Ours),
        PastOutcome::Text(b"\xff\n".to_vec()),
    );
    let first = past_resolution("berth", berth.clone());
    memory
        .remember(&[first.clone(), past_resolution("tide", tide)])
        .unwrap();
    // The same three texts, the sides the other way round: one conflict, settled again.
    let again = PastResolution {
        ours: first.theirs.clone(),
        theirs: first.ours.clone(),
        ..first
    };
    memory.remember(std::slice::from_ref(&again)).unwrap();
    let all = memory.read().unwrap();
    assert_eq!(all.len(), 2);
    assert_eq!(all[1], again);
    memory.forget(0).unwrap();
    assert_eq!(memory.read().unwrap(), [again]);
    assert!(
        memory
            .forget(1)
            .unwrap_err()
            .to_string()
            .contains("no number 2")
    );
    assert_eq!(memory.forget_all().unwrap(), 1);
    assert_eq!(memory.forget_all().unwrap(), 0);
}

#[test]
fn memory_is_bounded_and_a_damaged_line_is_passed_over() {
    let dir = TempDir::new().unwrap();
    let memory = Memory::new(dir.path());
    let many: Vec<_> = (0..2_100)
        .map(|n| past_resolution(&n.to_string(), PastOutcome::Both(Side::Ours)))
        .collect();
    memory.remember(&many).unwrap();
    let kept = memory.read().unwrap();
    assert_eq!((kept.len(), &kept[0]), (2_000, &many[100]), "the oldest go");
    let big = PastOutcome::Text(vec![b'x'; 7_999_000]);
    memory.remember(&[past_resolution("big", big)]).unwrap();
    let size: usize = memory
        .read()
        .unwrap()
        .iter()
        .map(PastResolution::size)
        .sum();
    assert!(size <= 8_000_000);
    let file = dir.path().join("armistice/memory.jsonl");
    fs::write(&file, "{\"torn\n").unwrap();
    assert_eq!(memory.read().unwrap(), []);
}

#[test]
fn links_that_somebody_put_into_the_store_are_not_followed() {
    let dir = TempDir::new().unwrap();
    let (inside, outside) = (dir.path().join("git"), dir.path().join("outside"));
    let root = inside.join("armistice");
    let case = case(b"a.rs", "01");
    let secret = outside.join("000001-a.rs");
    let reset = || {
        let _ = fs::remove_dir_all(&inside);
        let _ = fs::remove_dir_all(&outside);
        fs::create_dir_all(&root).unwrap();
        fs::create_dir_all(&outside).unwrap();
        fs::write(&secret, "secret").unwrap();
    };
    let untouched = || {
        assert_eq!(fs::read(&secret).unwrap(), b"secret");
        assert_eq!(
            fs::read_dir(&outside).unwrap().count(),
            1,
            "nothing was written outside"
        );
    };
    for folder in ["journal", "kept", "sketch", "concluded"] {
        reset();
        symlink(&outside, root.join(folder)).unwrap();
        let store = Store::new(&inside);
        let refused = [
            store.keep(&case.path, b"x").map(|_| ()).is_err(),
            store
                .journal(&case)
                .and_then(|(mut journal, ..)| journal.append(&[event(1)]))
                .is_err(),
            store.save_unsaved_edit(&case, "x").is_err(),
        ];
        assert_eq!(refused.contains(&true), folder != "concluded", "{folder}");
        store.drop_unsaved_edit(&case);
        let _ = store.close_books();
        untouched();
    }
    reset();
    fs::remove_dir(&root).unwrap();
    symlink(&outside, &root).unwrap();
    let store = Store::new(&inside);
    assert!(store.keep(&case.path, b"x").is_err());
    assert!(store.journal(&case).is_err());
    assert!(Memory::new(&inside).remember(&[]).is_ok());
    assert!(Memory::new(&inside).read().is_err());
    let _ = store.close_books();
    untouched();
    // A file in the place of a folder's file: a link, a pipe.
    reset();
    symlink(&secret, root.join("memory.jsonl")).unwrap();
    assert!(Memory::new(&inside).read().is_err());
    fs::remove_file(root.join("memory.jsonl")).unwrap();
    let pipe = std::process::Command::new("mkfifo")
        .arg(root.join("memory.jsonl"))
        .status();
    assert!(pipe.unwrap().success());
    assert!(
        Memory::new(&inside).read().is_err(),
        "a pipe is not waited for"
    );
    untouched();
}

#[test]
fn a_memory_that_somebody_blew_up_is_read_in_part_and_one_beyond_all_bounds_not_at_all() {
    let dir = TempDir::new().unwrap();
    let memory = Memory::new(dir.path());
    let past = |n: usize| PastResolution {
        base: vec![b'x'; 20_000],
        ..past_resolution(&format!("b{n}"), PastOutcome::Text("b\n".into()))
    };
    memory.remember(&[past(0)]).unwrap();
    let file = dir.path().join("armistice/memory.jsonl");
    let line = fs::read(&file).unwrap();
    let last = serde_json::to_vec(&past(1)).unwrap();
    fs::write(&file, [line.repeat(500), last].concat()).unwrap();
    let read = memory.read().unwrap();
    assert!(
        (300..=400).contains(&read.len()),
        "8 MB of it: {}",
        read.len()
    );
    assert_eq!(read.last().unwrap().ours, b"b1 of ours");
    let huge = fs::OpenOptions::new().write(true).open(&file).unwrap();
    huge.set_len(64_000_001).unwrap();
    assert!(
        memory
            .read()
            .unwrap_err()
            .to_string()
            .contains("larger than 64000000 bytes")
    );
}

#[test]
fn paths_that_look_alike_have_journals_of_their_own() {
    let dir = TempDir::new().unwrap();
    let store = Store::new(dir.path());
    let (newline, letters) = (case(b"a\nb.txt", "01"), case(b"a\\nb.txt", "01"));
    assert_ne!(newline.path.to_string(), letters.path.to_string());
    for (case, n) in [(&newline, 1), (&letters, 2)] {
        store.journal(case).unwrap().0.append(&[event(n)]).unwrap();
    }
    for (case, n) in [(&newline, 1), (&letters, 2)] {
        let (_, events, note) = store.journal(case).unwrap();
        assert_eq!((events, note), (vec![event(n)], None));
    }
}
