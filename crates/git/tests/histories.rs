//! Whatever histories meet: every unmerged path belongs to one case, any outcomes end with an index
//! without unmerged entries and a work tree that is what was chosen, and taking all of it back
//! restores index, work tree and untracked files byte for byte. Real repositories, real git.

use armistice_git::{
    Case, CaseKind, FileOutcome, Git, IndexState, Invocation, Outcome, Overwrite, RepoPath,
    Repository, Situation, WorkFile, WriteRequest, settle_outcome, take_back, write_all,
};
use std::collections::BTreeMap;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::{Path, PathBuf};
use std::process::Command;
use tempfile::TempDir;

#[path = "histories/foreseen.rs"]
mod foreseen;

/// Numbers that are the same in every run.
struct Chance(u64);

impl Chance {
    fn below(&mut self, n: usize) -> usize {
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) as usize) % n
    }

    fn of<'a, T>(&mut self, all: &'a [T]) -> &'a T {
        &all[self.below(all.len())]
    }
}

struct World {
    dir: TempDir,
}

impl World {
    fn new() -> Self {
        let world = World {
            dir: TempDir::new().unwrap(),
        };
        world.git(&["init", "-q", "-b", "main"]);
        world
    }

    fn top(&self) -> &Path {
        self.dir.path()
    }

    fn git(&self, args: &[&str]) -> (bool, String) {
        let output = Command::new("git")
            .current_dir(self.top())
            .args([
                "-c",
                "user.name=Ina",
                "-c",
                "user.email=ina@harbour.example",
            ])
            .args([
                "-c",
                "protocol.file.allow=always",
                "-c",
                "commit.gpgsign=false",
            ])
            .args(args)
            .env("GIT_CONFIG_GLOBAL", "/dev/null")
            .env("GIT_CONFIG_NOSYSTEM", "1")
            .output()
            .unwrap();
        let text = String::from_utf8_lossy(&output.stdout).into_owned();
        (output.status.success(), text)
    }

    fn commit(&self, message: &str) {
        self.git(&["add", "-A"]);
        self.git(&["commit", "-q", "--allow-empty", "-m", message]);
    }

    fn write(&self, path: &str, text: &str) {
        let file = self.top().join(path);
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        fs::write(file, text).unwrap();
    }

    /// Base, then ours and theirs from it, then the merge; whether it stopped.
    fn meet(base: impl Fn(&World), ours: impl Fn(&World), theirs: impl Fn(&World)) -> Self {
        let world = World::apart(base, ours, theirs);
        world.git(&["merge", "-q", "feature"]);
        world
    }

    /// Base, then ours and theirs from it; ours is checked out.
    fn apart(base: impl Fn(&World), ours: impl Fn(&World), theirs: impl Fn(&World)) -> Self {
        let world = World::new();
        base(&world);
        world.commit("base");
        world.git(&["checkout", "-q", "-b", "feature"]);
        theirs(&world);
        world.commit("theirs");
        world.git(&["checkout", "-q", "-f", "main"]);
        world.git(&["clean", "-qffd"]);
        ours(&world);
        world.commit("ours");
        world
    }

    fn repo(&self) -> Repository {
        Repository::discover(self.top()).unwrap()
    }

    fn situation(&self) -> Situation {
        Situation::read(&self.repo()).unwrap()
    }

    fn cases(&self) -> Vec<Case> {
        self.situation().cases
    }

    /// Index and work tree, byte for byte.
    fn state(&self) -> BTreeMap<String, Vec<u8>> {
        let mut all = BTreeMap::new();
        let (_, index) = self.git(&["ls-files", "-s", "-z"]);
        all.insert("index".to_owned(), index.into_bytes());
        let mut folders = vec![PathBuf::new()];
        while let Some(folder) = folders.pop() {
            for entry in fs::read_dir(self.top().join(&folder)).unwrap().flatten() {
                let path = folder.join(entry.file_name());
                let meta = entry.metadata().unwrap();
                if path == Path::new(".git") {
                    continue;
                }
                let name = path.to_string_lossy().into_owned();
                if meta.is_dir() {
                    folders.push(path);
                } else if meta.is_symlink() {
                    let target = fs::read_link(entry.path()).unwrap();
                    all.insert(name + " ->", target.as_os_str().as_bytes().to_vec());
                } else {
                    let run = meta.permissions().mode() & 0o100 != 0;
                    let bytes = fs::read(entry.path()).unwrap();
                    all.insert(format!("{name} {run}"), bytes);
                }
            }
        }
        all
    }

    fn unmerged(&self) -> Vec<String> {
        let (_, listed) = self.git(&["diff", "--name-only", "--diff-filter=U", "-z"]);
        listed
            .split('\0')
            .filter(|p| !p.is_empty())
            .map(str::to_owned)
            .collect()
    }

    /// Paths in the index, without stages.
    fn staged(&self) -> Vec<String> {
        let (_, listed) = self.git(&["ls-files", "-z"]);
        listed
            .split('\0')
            .filter(|p| !p.is_empty())
            .map(str::to_owned)
            .collect()
    }

    /// What `git status` has to say besides what is staged.
    fn unstaged(&self) -> Vec<String> {
        let (_, listed) = self.git(&["status", "--porcelain=v1", "-z", "--no-renames"]);
        let lines = listed.split('\0').filter(|line| line.len() > 3);
        let odd = |line: &&str| !line[1..].starts_with(' ');
        lines.filter(odd).map(str::to_owned).collect()
    }
}

fn text(of: &str) -> String {
    (1..=12).map(|n| format!("line {n} of {of}\n")).collect()
}

fn edited(text: &str, line: usize, by: &str) -> String {
    let lines = text.lines().enumerate();
    lines
        .map(|(n, l)| {
            if n == line {
                format!("{l} {by}\n")
            } else {
                format!("{l}\n")
            }
        })
        .collect()
}

/// Settles a case by an outcome; texts that can be merged are written as ours has them.
fn settle(world: &World, case: &Case, outcome: FileOutcome) {
    let repo = world.repo();
    let seen = WorkFile::read(world.top(), &case.path).unwrap().seen;
    let done = settle_outcome(&repo, case, outcome, None, &seen, Overwrite::No);
    if let Err(error) = done {
        panic!("{}: {outcome:?}: {error}\n{case:#?}", case.title());
    }
}

fn take_all_back(world: &World, cases: &[Case]) {
    for case in cases.iter().rev() {
        let now = world.cases();
        let now = now.iter().find(|c| c.path == case.path);
        let now = now.unwrap_or_else(|| panic!("{}: no case any more", case.title()));
        assert_eq!(now.standing, IndexState::Staged, "{}", case.title());
        take_back(&world.repo(), now, b"").unwrap();
    }
}

/// Every outcome of every case, each taken back; all must hold.
fn all_outcomes(world: &World) {
    let before = world.state();
    let cases = world.cases();
    let mut paths: Vec<String> = cases
        .iter()
        .flat_map(Case::paths)
        .map(ToString::to_string)
        .collect();
    paths.sort();
    let mut unmerged = world.unmerged();
    unmerged.sort();
    unmerged.dedup();
    assert_eq!(paths, unmerged, "each unmerged path in one case");
    let most = cases
        .iter()
        .map(|case| case.outcomes().len())
        .max()
        .unwrap_or(0);
    assert!(cases.iter().all(|case| !case.outcomes().is_empty()));
    for nth in 0..most {
        let chosen = |case: &Case| {
            let outcomes = case.outcomes();
            outcomes[nth % outcomes.len()]
        };
        for case in &cases {
            settle(world, case, chosen(case));
        }
        assert_eq!(world.unmerged(), [""; 0], "{cases:#?}");
        assert_eq!(
            world.unstaged(),
            [""; 0],
            "{:?}",
            cases.iter().map(chosen).collect::<Vec<_>>()
        );
        let labelled = |path: &String| path.contains('~');
        assert!(!world.staged().iter().any(labelled), "{:?}", world.staged());
        take_all_back(world, &cases);
        let after = world.state();
        for (name, bytes) in &before {
            let now = after.get(name);
            assert!(
                now == Some(bytes),
                "{name} is otherwise after {:?}: {now:?}",
                cases.iter().map(chosen).collect::<Vec<_>>()
            );
        }
        assert_eq!(before.len(), after.len(), "{:?}", after.keys());
    }
}

fn only(world: &World) -> Case {
    let mut cases = world.cases();
    assert_eq!(cases.len(), 1, "{cases:#?}");
    cases.remove(0)
}

#[test]
fn a_file_renamed_two_ways_is_one_case_with_the_true_sides() {
    let world = World::meet(
        |w| w.write("quay.rs", &text("quay")),
        |w| {
            w.git(&["mv", "quay.rs", "berth.rs"]);
            w.write("berth.rs", &edited(&text("quay"), 4, "by ours"));
        },
        |w| {
            w.git(&["mv", "quay.rs", "mole.rs"]);
            w.write("mole.rs", &edited(&text("quay"), 4, "by theirs"));
        },
    );
    let case = only(&world);
    assert_eq!(case.kind, CaseKind::RenamedTwoWays);
    assert_eq!(case.title(), "quay.rs → berth.rs or mole.rs");
    assert_eq!(
        case.words(),
        [
            "renamed it to berth.rs, edited it",
            "renamed it to mole.rs, edited it"
        ]
    );
    assert_eq!(case.places.len(), 3);
    let loaded = armistice_git::load(&world.repo(), &case).unwrap();
    assert_eq!(
        loaded.versions.ours.bytes(),
        edited(&text("quay"), 4, "by ours").as_bytes()
    );
    assert_eq!(
        loaded.versions.theirs.bytes(),
        edited(&text("quay"), 4, "by theirs").as_bytes()
    );
    all_outcomes(&world);
    // A merged text must be given a name, and gets it.
    let before = world.state();
    let write = |name: Option<&RepoPath>| {
        let request = WriteRequest {
            case: &case,
            result: Outcome::Bytes(b"merged\n"),
            seen: &loaded.seen,
            overwrite: Overwrite::No,
            mode: None,
            name,
        };
        write_all(&world.repo(), &[request]).remove(0)
    };
    assert!(write(None).unwrap_err().to_string().contains("two names"));
    assert_eq!(world.state(), before);
    write(Some(&case.targets[2])).unwrap();
    assert_eq!(world.staged(), ["mole.rs"]);
    assert_eq!(fs::read(world.top().join("mole.rs")).unwrap(), b"merged\n");
    assert!(!world.top().join("berth.rs").exists());
    take_all_back(&world, std::slice::from_ref(&case));
    assert_eq!(world.state(), before);
}

#[test]
fn a_file_against_a_folder_takes_its_place_or_goes() {
    for theirs_folder in [true, false] {
        let file = |w: &World| w.write("pier", &text("pier"));
        let folder = |w: &World| {
            w.write("pier/one.rs", &text("one"));
            w.write("pier/deep/two.rs", &text("two"));
        };
        let base = |w: &World| w.write("kept", "kept\n");
        let world = match theirs_folder {
            true => World::meet(base, file, folder),
            false => World::meet(base, folder, file),
        };
        let case = only(&world);
        assert_eq!(case.kind, CaseKind::FileAgainstFolder);
        let loaded = armistice_git::load(&world.repo(), &case).unwrap();
        assert_eq!(loaded.folder.len(), 2);
        all_outcomes(&world);
        let side = if theirs_folder {
            FileOutcome::Ours
        } else {
            FileOutcome::Theirs
        };
        settle(&world, &case, side);
        assert_eq!(world.staged(), ["kept", "pier"]);
        // Settled otherwise without taking it back first.
        let now = only(&world);
        settle(&world, &now, FileOutcome::Remove);
        assert_eq!(world.staged(), ["kept", "pier/deep/two.rs", "pier/one.rs"]);
        assert_eq!(world.unstaged(), [""; 0]);
    }
}

/// How git's older code leaves it: both under one name, with the file put aside untracked.
#[test]
fn a_file_and_a_folder_under_one_name_in_the_index_are_one_case() {
    for (own, folders) in [("2", "3"), ("3", "2")] {
        let world = World::new();
        world.write("kept", "kept\n");
        world.commit("base");
        world.write("pier/one.rs", &text("one"));
        world.write("pier~HEAD", &text("pier"));
        let (_, file) = world.git(&["hash-object", "-w", "pier~HEAD"]);
        let (_, one) = world.git(&["hash-object", "-w", "pier/one.rs"]);
        let (file, one) = (file.trim(), one.trim());
        let lines = format!("100644 {file} {own}\tpier\n100644 {one} {folders}\tpier/one.rs\n");
        let info = world.top().join(".git/info-lines");
        fs::write(&info, lines).unwrap();
        let fed = Command::new("git")
            .current_dir(world.top())
            .args(["update-index", "--index-info"])
            .stdin(fs::File::open(&info).unwrap())
            .status();
        assert!(fed.unwrap().success());
        let case = only(&world);
        assert_eq!(case.kind, CaseKind::FileAgainstFolder);
        assert_eq!(case.places.len(), 2);
        all_outcomes(&world);
        let before = world.state();
        let side = if own == "2" {
            FileOutcome::Ours
        } else {
            FileOutcome::Theirs
        };
        for (outcome, staged) in [(side, "pier"), (FileOutcome::Remove, "pier/one.rs")] {
            settle(&world, &case, outcome);
            assert_eq!(world.staged(), ["kept", staged]);
            assert_eq!(world.unstaged(), [""; 0], "what git put aside is gone");
            take_all_back(&world, std::slice::from_ref(&case));
            assert_eq!(world.state(), before);
        }
        // Somebody else's file of such a name stays.
        world.write("pier~HEAD", "mine\n");
        settle(&world, &case, FileOutcome::Remove);
        assert_eq!(world.unstaged(), ["?? pier~HEAD"]);
    }
}

#[test]
fn untracked_files_in_the_folder_are_not_swept_away() {
    let world = World::meet(
        |w| w.write("kept", "kept\n"),
        |w| w.write("pier", &text("pier")),
        |w| w.write("pier/one.rs", &text("one")),
    );
    world.write("pier/notes", "mine\n");
    let before = world.state();
    let case = only(&world);
    let seen = WorkFile::read(world.top(), &case.path).unwrap().seen;
    let repo = world.repo();
    let refused = settle_outcome(&repo, &case, FileOutcome::Ours, None, &seen, Overwrite::No);
    assert!(
        refused
            .unwrap_err()
            .to_string()
            .contains("a folder is in its place")
    );
    assert_eq!(world.state(), before);
}

#[test]
fn an_edited_file_of_the_folder_is_not_swept_away_either() {
    let world = World::meet(
        |w| w.write("kept", "kept\n"),
        |w| w.write("pier", &text("pier")),
        |w| w.write("pier/one.rs", &text("one")),
    );
    world.write("pier/one.rs", "edited since\n");
    let before = world.state();
    let case = only(&world);
    let seen = WorkFile::read(world.top(), &case.path).unwrap().seen;
    let repo = world.repo();
    let refused = settle_outcome(&repo, &case, FileOutcome::Ours, None, &seen, Overwrite::No);
    assert!(refused.unwrap_err().to_string().contains("pier/one.rs"));
    assert_eq!(world.state(), before);
}

#[test]
fn a_file_in_a_renamed_folder_may_stay_where_its_side_has_it() {
    let world = World::meet(
        |w| {
            ["a", "b", "c"]
                .iter()
                .for_each(|n| w.write(&format!("tide/{n}.rs"), &text(n)))
        },
        |w| drop(w.git(&["mv", "tide", "moon"])),
        |w| w.write("tide/new.rs", &text("new")),
    );
    let case = only(&world);
    assert_eq!(case.kind, CaseKind::Suggested);
    assert_eq!(
        case.words(),
        ["renamed the folder tide to moon", "added it as tide/new.rs"]
    );
    all_outcomes(&world);
    settle(&world, &case, FileOutcome::OwnName);
    assert!(world.staged().contains(&"tide/new.rs".to_owned()));
    assert!(!world.staged().contains(&"moon/new.rs".to_owned()));
    assert_eq!(world.unstaged(), [""; 0]);
}

#[test]
fn two_files_onto_one_name_are_told_from_where_they_came() {
    let world = World::meet(
        |w| ["a", "b"].iter().for_each(|n| w.write(n, &text(n))),
        |w| drop(w.git(&["mv", "a", "c"])),
        |w| drop(w.git(&["mv", "b", "c"])),
    );
    let case = only(&world);
    assert_eq!(case.kind, CaseKind::TwoOntoOne);
    assert_eq!(case.words(), ["renamed a to it", "renamed b to it"]);
    all_outcomes(&world);
    // Both are kept once the second has a name.
    let seen = WorkFile::read(world.top(), &case.path).unwrap().seen;
    let name = RepoPath::new("d");
    settle_outcome(
        &world.repo(),
        &case,
        FileOutcome::Both,
        Some(&name),
        &seen,
        Overwrite::No,
    )
    .unwrap();
    assert_eq!(world.staged(), ["c", "d"]);
    let bytes = |name: &str| fs::read(world.top().join(name)).unwrap();
    assert_eq!(
        (bytes("c"), bytes("d")),
        (text("a").into_bytes(), text("b").into_bytes())
    );
}

#[test]
fn a_new_name_that_is_taken_is_refused() {
    let world = World::meet(
        |w| ["a", "b"].iter().for_each(|n| w.write(n, &text(n))),
        |w| w.write("b", &edited(&text("b"), 3, "by ours")),
        |w| drop(w.git(&["rm", "-q", "b"])),
    );
    let case = only(&world);
    let seen = WorkFile::read(world.top(), &case.path).unwrap().seen;
    let before = world.state();
    let repo = world.repo();
    let under = |name: &str| {
        let name = RepoPath::new(name);
        settle_outcome(
            &repo,
            &case,
            FileOutcome::Ours,
            Some(&name),
            &seen,
            Overwrite::No,
        )
    };
    assert!(
        under("a")
            .unwrap_err()
            .to_string()
            .contains("another file of that name")
    );
    world.write("untracked", "mine\n");
    assert!(under("untracked").is_err());
    fs::remove_file(world.top().join("untracked")).unwrap();
    assert_eq!(world.state(), before);
    under("new/b").unwrap();
    assert_eq!(world.staged(), ["a", "new/b"]);
    take_all_back(&world, std::slice::from_ref(&case));
    assert_eq!(world.state(), before);
}

#[test]
fn kinds_that_differ_and_links_are_taken_as_they_are() {
    let world = World::meet(
        |w| {
            w.write("pier", &text("pier"));
            symlink("one", w.top().join("link")).unwrap();
        },
        |w| {
            w.write("pier", &edited(&text("pier"), 3, "by ours"));
            fs::remove_file(w.top().join("link")).unwrap();
            symlink("two", w.top().join("link")).unwrap();
        },
        |w| {
            for (name, target) in [("pier", "quay"), ("link", "three")] {
                fs::remove_file(w.top().join(name)).unwrap();
                symlink(target, w.top().join(name)).unwrap();
            }
        },
    );
    let cases = world.cases();
    assert_eq!(cases.len(), 2);
    assert!(cases.iter().all(|case| case.kind == CaseKind::Link));
    assert_eq!(cases[0].words()[1], "changed the target of the link");
    assert_eq!(cases[1].words(), ["edited it", "made it a link"]);
    all_outcomes(&world);
}

/// A repository to be used as a submodule, with three commits: the second and the third both stand
/// on the first.
fn module() -> (World, [String; 3]) {
    let module = World::new();
    let head = |w: &World| w.git(&["rev-parse", "HEAD"]).1.trim().to_owned();
    module.write("depth", &text("depth"));
    module.commit("Sound the harbour");
    let first = head(&module);
    module.write("depth", &edited(&text("depth"), 1, "low"));
    module.commit("Sound it at low tide");
    let second = head(&module);
    module.git(&["checkout", "-q", &first]);
    module.write("depth", &edited(&text("depth"), 1, "high"));
    module.commit("Sound it at high tide");
    let third = head(&module);
    module.git(&["branch", "high", &third]);
    (module, [first, second, third])
}

#[test]
fn a_commit_of_a_submodule_is_staged_whether_it_is_checked_out_or_not() {
    let (module, [first, second, third]) = module();
    let at = |w: &World, commit: &str| {
        let entry = format!("160000,{commit},depths");
        assert!(w.git(&["update-index", "--add", "--cacheinfo", &entry]).0);
        w.git(&["commit", "-q", "-m", "move the submodule"]);
    };
    let world = World::new();
    world.write("kept", "kept\n");
    world.commit("start");
    let url = module.top().to_str().unwrap();
    assert!(world.git(&["submodule", "--quiet", "add", url, "depths"]).0);
    at(&world, &first);
    world.git(&["checkout", "-q", "-b", "feature"]);
    at(&world, &third);
    world.git(&["checkout", "-q", "-f", "main"]);
    at(&world, &second);
    world.git(&["merge", "-q", "feature"]);
    let case = only(&world);
    assert_eq!(case.kind, CaseKind::Submodule);
    let told = armistice_git::load(&world.repo(), &case).unwrap().commits;
    assert!(told[0].contains("Sound it at low tide"), "{told:?}");
    assert!(
        told.last()
            .unwrap()
            .starts_with("Neither contains the other"),
        "{told:?}"
    );
    let gitlink = || world.git(&["ls-files", "-s", "depths"]).1;
    let checked_out = fs::read(world.top().join("depths/depth")).unwrap();
    for (outcome, commit) in [(FileOutcome::Theirs, &third), (FileOutcome::Base, &first)] {
        settle(&world, &case, outcome);
        assert_eq!(gitlink(), format!("160000 {commit} 0\tdepths\n"));
        // The checkout itself is not ours to change.
        assert_eq!(
            fs::read(world.top().join("depths/depth")).unwrap(),
            checked_out
        );
        take_all_back(&world, std::slice::from_ref(&case));
        assert_eq!(world.cases(), std::slice::from_ref(&case));
    }
    fs::remove_dir_all(world.top().join("depths")).unwrap();
    settle(&world, &case, FileOutcome::Theirs);
    assert_eq!(gitlink(), format!("160000 {third} 0\tdepths\n"));
    assert!(world.top().join("depths").is_dir());
    let told = armistice_git::load(&world.repo(), &case).unwrap().commits;
    assert!(told.last().unwrap().contains("not checked out"), "{told:?}");
}

/// Does something at random to the files of a work tree.
fn change(world: &World, chance: &mut Chance, by: &str) {
    let names = ["a", "b", "d/a", "d/b", "d/c", "e/a", "e", "f/x"];
    for _ in 0..5 + chance.below(6) {
        let path = *chance.of(&names);
        let file = world.top().join(path);
        let there = fs::symlink_metadata(&file).is_ok_and(|meta| !meta.is_dir());
        match chance.below(12) {
            0 | 1 | 8 | 9 | 10 if there && file.is_file() => {
                let old = fs::read_to_string(&file).unwrap_or_default();
                fs::write(&file, edited(&old, chance.below(12), by)).unwrap();
            }
            2 if there => drop(fs::remove_file(&file)),
            3 | 4 if there => {
                let to = world.top().join(chance.of(&names));
                let free = fs::symlink_metadata(&to).is_err()
                    && fs::create_dir_all(to.parent().unwrap()).is_ok();
                if free {
                    fs::rename(&file, to).unwrap();
                }
            }
            5 if there && file.is_file() => {
                fs::set_permissions(&file, fs::Permissions::from_mode(0o755)).unwrap();
            }
            6 if there => {
                fs::remove_file(&file).unwrap();
                symlink(by, &file).unwrap();
            }
            7 => {
                // A folder where a file was.
                if there {
                    fs::remove_file(&file).unwrap();
                }
                if fs::create_dir_all(&file).is_ok() && file.is_dir() {
                    fs::write(file.join("within"), text(by)).unwrap();
                }
            }
            _ if !there && fs::create_dir_all(file.parent().unwrap()).is_ok() && !file.is_dir() => {
                fs::write(&file, text(path)).unwrap();
            }
            _ => {}
        }
    }
}

/// How many random histories; more by the environment, for a long run.
fn rounds() -> u64 {
    let set = std::env::var("ARMISTICE_HISTORIES").ok();
    set.and_then(|n| n.parse().ok()).unwrap_or(8)
}

#[test]
fn random_histories_end_clean_and_can_be_taken_back() {
    let mut kinds: BTreeMap<String, usize> = BTreeMap::new();
    for seed in 1..=rounds() {
        let base = |w: &World| {
            for name in ["a", "b", "d/a", "d/b", "d/c", "f/x"] {
                w.write(name, &text(name));
            }
        };
        let by = |name: &'static str, salt: u64| {
            move |w: &World| change(w, &mut Chance(seed * 1_000 + salt), name)
        };
        let world = World::meet(base, by("ours", 1), by("theirs", 2));
        for case in world.cases() {
            *kinds.entry(format!("{:?}", case.kind)).or_default() += 1;
        }
        all_outcomes(&world);
    }
    assert!(kinds.len() >= 4, "{kinds:?}");
    println!("{kinds:?}");
}

/// A world in which each side renamed and edited one file, before anything is merged.
fn two_renames(world: &World) {
    world.write("quay.rs", &text("quay"));
    world.commit("base");
    world.git(&["checkout", "-q", "-b", "feature"]);
    world.git(&["mv", "quay.rs", "mole.rs"]);
    world.write("mole.rs", &edited(&text("quay"), 4, "by theirs"));
}

fn rename_as_ours(world: &World) {
    world.git(&["mv", "quay.rs", "berth.rs"]);
    world.write("berth.rs", &edited(&text("quay"), 4, "by ours"));
    world.commit("ours");
}

fn has_true_sides(world: &World) {
    let case = only(world);
    assert_eq!(case.kind, CaseKind::RenamedTwoWays);
    let versions = armistice_git::load(&world.repo(), &case).unwrap().versions;
    let by = |name: &str| edited(&text("quay"), 4, name);
    assert_eq!(versions.ours.bytes(), by("by ours").as_bytes());
    assert_eq!(versions.theirs.bytes(), by("by theirs").as_bytes());
    all_outcomes(world);
}

#[test]
fn a_stash_that_clashes_has_its_true_sides() {
    for kept in [true, false] {
        let world = World::new();
        two_renames(&world);
        world.git(&["stash", "-q"]);
        world.git(&["checkout", "-q", "main"]);
        rename_as_ours(&world);
        assert!(!world.git(&["stash", "pop"]).0);
        if !kept {
            // Then only the markers tell what the sides had.
            world.git(&["stash", "drop", "-q"]);
        }
        has_true_sides(&world);
    }
}

#[test]
fn a_mailed_patch_that_renames_is_one_case_whose_files_git_had_merged() {
    let world = World::new();
    two_renames(&world);
    world.commit("theirs");
    let (_, patch) = world.git(&["format-patch", "-1", "--stdout"]);
    world.git(&["checkout", "-q", "main"]);
    rename_as_ours(&world);
    let mail = world.top().join(".git/mail");
    fs::write(&mail, patch).unwrap();
    assert!(!world.git(&["am", "-3", mail.to_str().unwrap()]).0);
    has_true_sides(&world);
}

#[test]
fn steps_picks_and_reverts_name_the_file_as_each_party_does() {
    let world = World::new();
    two_renames(&world);
    world.commit("theirs");
    world.git(&["checkout", "-q", "main"]);
    rename_as_ours(&world);
    for command in [["cherry-pick", "feature"], ["rebase", "feature"]] {
        assert!(!world.git(&command).0);
        let case = only(&world);
        let swapped = command[0] == "rebase";
        let names = case.names.clone().map(|name| name.unwrap().to_string());
        let [ours, theirs] = if swapped {
            ["mole.rs", "berth.rs"]
        } else {
            ["berth.rs", "mole.rs"]
        };
        assert_eq!(names, ["quay.rs", ours, theirs]);
        all_outcomes(&world);
        assert!(world.git(&[command[0], "--abort"]).0);
    }
    // Taking the renaming back, where the new name was removed since.
    world.git(&["rm", "-q", "berth.rs"]);
    world.commit("remove it");
    assert!(!world.git(&["revert", "--no-edit", "HEAD~1"]).0);
    let case = only(&world);
    assert_eq!(case.words()[0], "removed it");
    all_outcomes(&world);
}

#[test]
fn git_knows_what_was_chosen() {
    let world = World::meet(
        |w| w.write("quay.rs", &text("quay")),
        |w| drop(w.git(&["mv", "quay.rs", "berth.rs"])),
        |w| drop(w.git(&["mv", "quay.rs", "mole.rs"])),
    );
    let case = only(&world);
    settle(&world, &case, FileOutcome::Both);
    assert!(world.git(&["commit", "-q", "-m", "Keep both"]).0);
    let call = Invocation::read(["ls-tree", "--name-only", "HEAD"]);
    assert_eq!(
        world.repo().must(&call).unwrap().text(),
        "berth.rs\nmole.rs"
    );
}

/// As git's older strategy leaves it: a file in conflict, and a folder of that name on disk and staged.
#[test]
fn a_file_that_both_sides_edited_is_one_case_with_the_folder_in_its_place() {
    let world = World::meet(
        |w| w.write("d", &text("d")),
        |w| w.write("d", &edited(&text("d"), 3, "ours")),
        |w| w.write("d", &edited(&text("d"), 3, "theirs")),
    );
    let unmerged = world.git(&["ls-files", "-s"]).1;
    fs::remove_file(world.top().join("d")).unwrap();
    world.write("d/f", "in the folder\n");
    world.git(&["add", "d/f"]);
    let info = world.top().join(".git/info/entries");
    fs::write(&info, unmerged).unwrap();
    let mut command = Command::new("git");
    command.args(["update-index", "--index-info"]);
    command.stdin(fs::File::open(&info).unwrap());
    assert!(command.current_dir(world.top()).status().unwrap().success());
    let case = only(&world);
    assert_eq!(case.kind, CaseKind::FileAgainstFolder);
    let seen = WorkFile::read(world.top(), &case.path).unwrap().seen;
    let keep = FileOutcome::Remove;
    settle_outcome(&world.repo(), &case, keep, None, &seen, Overwrite::No).unwrap();
    assert_eq!(world.git(&["ls-files", "-s"]).1.lines().count(), 1);
    assert!(world.top().join("d/f").exists());
}
