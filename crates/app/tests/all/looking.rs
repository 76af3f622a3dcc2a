//! Looking changes nothing: in every state of a repository, each file keeps its bytes, mode, inode and
//! time, whatever is looked at.

use crate::kit::{Desk, Repo, git_in};
use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

/// Mode, inode, seconds and nanoseconds of the last change, and bytes.
type Entry = (u32, u64, i64, i64, Vec<u8>);

/// Everything below a folder.
fn everything(top: &Path) -> BTreeMap<PathBuf, Entry> {
    let mut all = BTreeMap::new();
    let mut folders = vec![top.to_owned()];
    while let Some(folder) = folders.pop() {
        let meta = fs::metadata(&folder).unwrap();
        let entry = (
            meta.mode(),
            meta.ino(),
            meta.mtime(),
            meta.mtime_nsec(),
            Vec::new(),
        );
        all.insert(folder.clone(), entry);
        for found in fs::read_dir(&folder).unwrap().flatten() {
            let meta = found.metadata().unwrap();
            let bytes = match meta.is_file() {
                true => fs::read(found.path()).unwrap(),
                false => Vec::new(),
            };
            let entry = (
                meta.mode(),
                meta.ino(),
                meta.mtime(),
                meta.mtime_nsec(),
                bytes,
            );
            all.insert(found.path(), entry);
            if meta.is_dir() {
                folders.push(found.path());
            }
        }
    }
    all
}

fn changes(before: &BTreeMap<PathBuf, Entry>, after: &BTreeMap<PathBuf, Entry>) -> Vec<String> {
    let all = before.keys().chain(after.keys());
    let mut changed: Vec<String> = all
        .filter(|path| before.get(*path) != after.get(*path))
        .map(|path| path.display().to_string())
        .collect();
    changed.sort();
    changed.dedup();
    changed
}

/// A repository in a format that an older git may not know: then an ordinary one.
fn of_format(option: &str) -> Repo {
    let dir = tempfile::TempDir::new().unwrap();
    match git_in(dir.path(), &["init", "-q", option, "."])
        .status
        .success()
    {
        true => apart(&[option]),
        false => apart(&[]),
    }
}

/// Two branches that clash in one file, merge in another and each have one of their own.
fn apart(init: &[&str]) -> Repo {
    let repo = Repo::with(init);
    let lines = |n: usize, with: &str| -> String {
        let line = |at: usize| {
            if at == n {
                format!("{with}\n")
            } else {
                format!("line {at}\n")
            }
        };
        (0..12).map(line).collect()
    };
    for name in ["a.txt", "b.txt", "sub dir/c.rs", "d.txt"] {
        repo.write(name, lines(99, ""));
    }
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write("a.txt", lines(3, "theirs"));
    repo.write("b.txt", lines(1, "theirs"));
    repo.write("theirs.txt", "theirs\n");
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("a.txt", lines(3, "ours"));
    repo.write("b.txt", lines(9, "ours"));
    repo.commit("ours");
    repo
}

/// Gives a file another time without changing it.
fn touch(repo: &Repo, name: &str) {
    let file = fs::File::options()
        .append(true)
        .open(repo.path(name))
        .unwrap();
    file.set_modified(SystemTime::now() - Duration::from_secs(100_000))
        .unwrap();
}

/// A program that notes each of its calls in the git folder.
fn noting(repo: &Repo, name: &str, then: &str) {
    let file = repo.path(name);
    fs::create_dir_all(file.parent().unwrap()).unwrap();
    let log = repo.path(".git/noted").display().to_string();
    fs::write(
        &file,
        format!("#!/bin/sh\necho \"$0\" >> '{log}'\n{then}\n"),
    )
    .unwrap();
    fs::set_permissions(&file, fs::Permissions::from_mode(0o755)).unwrap();
}

const HOOKS: [&str; 12] = [
    "post-index-change",
    "post-checkout",
    "post-merge",
    "post-commit",
    "pre-commit",
    "pre-merge-commit",
    "pre-rebase",
    "pre-auto-gc",
    "reference-transaction",
    "prepare-commit-msg",
    "fsmonitor-watchman",
    "post-rewrite",
];

type State = (&'static str, fn() -> Repo);

fn with(change: fn(&Repo)) -> Repo {
    let repo = apart(&[]);
    change(&repo);
    repo
}

const STATES: [State; 39] = [
    ("clean", || with(|_| {})),
    ("dirty", || with(|r| r.write("d.txt", "changed\n"))),
    ("stat-dirty", || with(|r| touch(r, "d.txt"))),
    ("stat-dirty with hooks", || {
        with(|r| {
            HOOKS
                .iter()
                .for_each(|hook| noting(r, &format!(".git/hooks/{hook}"), ""));
            touch(r, "d.txt");
            touch(r, "a.txt");
        })
    }),
    ("staged", || {
        with(|r| {
            r.write("d.txt", "changed\n");
            r.git(&["add", "d.txt"]);
        })
    }),
    ("untracked", || with(|r| r.write("new/file", "x\n"))),
    ("untracked cache", || {
        with(|r| {
            r.git(&["config", "core.untrackedCache", "true"]);
            r.git(&["update-index", "--untracked-cache"]);
            r.write("new", "x\n");
            touch(r, "d.txt");
        })
    }),
    ("fsmonitor", || {
        with(|r| {
            noting(r, ".git/monitor", "printf '1\\0/\\0'");
            let monitor = r.path(".git/monitor").display().to_string();
            r.git(&["config", "core.fsmonitor", &format!("'{monitor}'")]);
            touch(r, "d.txt");
        })
    }),
    ("split index", || {
        with(|r| {
            r.git(&["update-index", "--split-index"]);
            old_shared(r);
            touch(r, "d.txt");
        })
    }),
    ("split index by setting", || {
        with(|r| {
            r.git(&["config", "core.splitIndex", "true"]);
            r.write("d.txt", "changed\n");
            r.git(&["add", "d.txt"]);
            old_shared(r);
            touch(r, "a.txt");
        })
    }),
    ("split index that expires now", || {
        with(|r| {
            r.git(&["config", "core.splitIndex", "true"]);
            r.git(&["config", "splitIndex.sharedIndexExpire", "now"]);
            r.git(&["update-index", "--split-index"]);
            r.write("d.txt", "changed\n");
            r.git(&["add", "d.txt"]);
            old_shared(r);
            touch(r, "a.txt");
        })
    }),
    ("split index, merging", || {
        with(|r| {
            r.git(&["config", "core.splitIndex", "true"]);
            r.git(&["config", "splitIndex.sharedIndexExpire", "now"]);
            r.try_git(&["merge", "-q", "side"]);
            old_shared(r);
        })
    }),
    ("sparse", || {
        with(|r| {
            r.git(&["sparse-checkout", "set", "--cone", "sub dir"]);
        })
    }),
    ("sparse index", || {
        with(|r| {
            r.git(&[
                "sparse-checkout",
                "set",
                "--cone",
                "--sparse-index",
                "nothing",
            ]);
            touch(r, "d.txt");
        })
    }),
    ("partial", || {
        let origin = apart(&[]);
        origin.git(&["config", "uploadpack.allowFilter", "true"]);
        cloned(origin, &["--filter=blob:none"], false)
    }),
    ("partial, promisor gone", || {
        let origin = apart(&[]);
        origin.git(&["config", "uploadpack.allowFilter", "true"]);
        cloned(origin, &["--filter=blob:none"], true)
    }),
    ("partial and sparse", || {
        let origin = apart(&[]);
        origin.git(&["config", "uploadpack.allowFilter", "true"]);
        let clone = cloned(origin, &["--filter=blob:none", "--sparse"], false);
        clone.git(&["sparse-checkout", "set", "--cone", "nothing"]);
        clone
    }),
    ("alternates", || cloned(apart(&[]), &["--shared"], false)),
    ("shallow", || {
        cloned(apart(&[]), &["--depth=1", "--no-single-branch"], false)
    }),
    ("linked work tree", || {
        let repo = apart(&[]);
        let linked = repo.dir.path().join("linked");
        repo.git(&[
            "worktree",
            "add",
            "-q",
            "-b",
            "third",
            linked.to_str().unwrap(),
            "main",
        ]);
        Repo {
            dir: repo.dir,
            top: linked,
        }
    }),
    ("main of a linked work tree", || {
        with(|r| {
            let linked = r.dir.path().join("linked");
            r.git(&[
                "worktree",
                "add",
                "-q",
                "-b",
                "third",
                linked.to_str().unwrap(),
                "main",
            ]);
        })
    }),
    ("submodule", || {
        with(|r| {
            let other = r.dir.path().join("other");
            fs::create_dir(&other).unwrap();
            for args in [
                &["init", "-q", "-b", "main"][..],
                &["commit", "-q", "--allow-empty", "-m", "x"],
            ] {
                assert!(git_in(&other, args).status.success());
            }
            let url = other.to_str().unwrap();
            r.git(&[
                "-c",
                "protocol.file.allow=always",
                "submodule",
                "add",
                "-q",
                url,
                "module",
            ]);
            r.commit("module");
        })
    }),
    ("packed", || {
        with(|r| {
            r.git(&["gc", "-q"]);
        })
    }),
    ("packed with indexes", || {
        with(|r| {
            r.git(&["repack", "-q", "-a", "-d"]);
            r.git(&["multi-pack-index", "write"]);
            r.git(&["commit-graph", "write", "--reachable"]);
        })
    }),
    ("due for cleaning", || {
        with(|r| {
            r.git(&["config", "gc.auto", "1"]);
            r.git(&["config", "maintenance.auto", "true"]);
        })
    }),
    ("reftable", || of_format("--ref-format=reftable")),
    ("sha256", || of_format("--object-format=sha256")),
    ("index held", || with(|r| r.write(".git/index.lock", ""))),
    ("HEAD held", || with(|r| r.write(".git/HEAD.lock", ""))),
    ("autocrlf", || {
        with(|r| {
            r.git(&["config", "core.autocrlf", "true"]);
            r.git(&["rm", "-q", "--cached", "-r", "."]);
            r.git(&["reset", "-q", "--hard"]);
            touch(r, "d.txt");
        })
    }),
    ("filters", || {
        with(|r| {
            noting(r, ".git/filter", "cat");
            let filter = format!("'{}'", r.path(".git/filter").display());
            r.git(&["config", "filter.noted.smudge", &filter]);
            r.write(".git/info/attributes", "theirs.txt filter=noted\n");
        })
    }),
    ("index of version 4", || {
        with(|r| {
            r.git(&["update-index", "--index-version", "4"]);
            touch(r, "d.txt");
        })
    }),
    ("assumed unchanged", || {
        with(|r| {
            r.git(&["update-index", "--assume-unchanged", "d.txt"]);
            r.git(&["update-index", "--skip-worktree", "b.txt"]);
            r.write("d.txt", "changed\n");
        })
    }),
    ("stashed", || {
        with(|r| {
            r.write("d.txt", "changed\n");
            r.git(&["stash", "-q"]);
        })
    }),
    ("no commit", || {
        let repo = Repo::new();
        repo.write("a.txt", "x\n");
        repo.git(&["add", "a.txt"]);
        repo
    }),
    ("merging", || {
        with(|r| {
            r.git(&["config", "rerere.enabled", "true"]);
            r.try_git(&["merge", "-q", "side"]);
            touch(r, "d.txt");
            HOOKS
                .iter()
                .for_each(|hook| noting(r, &format!(".git/hooks/{hook}"), ""));
        })
    }),
    ("rebasing", || {
        with(|r| {
            r.try_git(&["rebase", "-q", "side"]);
            touch(r, "d.txt");
        })
    }),
    ("picking", || {
        with(|r| {
            r.try_git(&["cherry-pick", "side"]);
        })
    }),
    ("a stash that clashed", || {
        with(|r| {
            r.write("a.txt", "stashed\n");
            r.git(&["stash", "-q"]);
            r.write("a.txt", "other\n");
            r.commit("other");
            r.try_git(&["stash", "pop"]);
        })
    }),
];

/// Makes the parts of a split index old, so that a newer time is seen.
fn old_shared(repo: &Repo) {
    let mut found = 0;
    for entry in fs::read_dir(repo.path(".git")).unwrap().flatten() {
        let name = entry.file_name().to_string_lossy().into_owned();
        if name.starts_with("sharedindex.") {
            touch(repo, &format!(".git/{name}"));
            found += 1;
        }
    }
    assert!(found > 0, "the index is not split");
}

/// A clone beside its origin; `gone` takes the origin away.
fn cloned(origin: Repo, how: &[&str], gone: bool) -> Repo {
    let top = origin.dir.path().join("clone");
    let url = format!("file://{}", origin.top.display());
    let url = match how.contains(&"--shared") {
        true => origin.top.display().to_string(),
        false => url,
    };
    let mut args = vec!["clone", "-q"];
    args.extend(how);
    args.extend([url.as_str(), "clone"]);
    let made = git_in(origin.dir.path(), &args);
    assert!(made.status.success(), "{made:?}");
    let clone = Repo {
        dir: origin.dir,
        top,
    };
    clone.git(&["branch", "-q", "side", "origin/side"]);
    for (key, value) in [
        ("user.name", "Ines Brandt"),
        ("user.email", "ines@harbour.example"),
    ] {
        clone.git(&["config", key, value]);
    }
    if gone {
        let old = clone.dir.path().join("work tree");
        fs::rename(&old, clone.dir.path().join("elsewhere")).unwrap();
    }
    clone
}

#[test]
fn in_every_state_looking_changes_nothing() {
    let mut faults = Vec::new();
    let commands: [&[&str]; 6] = [
        &["docket"],
        &["docket", "--json", "--who"],
        &["proof"],
        &["scout", "side", "--text"],
        &["scout", "side", "--as", "rebase", "--json"],
        &["doctor"],
    ];
    for (nth, (name, make)) in STATES.into_iter().enumerate() {
        let repo = make();
        // The clock of files is coarse: what is written from here on has another time.
        std::thread::sleep(Duration::from_millis(12));
        let before = everything(repo.dir.path());
        let mut check = |what: &str| {
            let changed = changes(&before, &everything(repo.dir.path()));
            if !changed.is_empty() {
                faults.push(format!("{name}, {what}: {changed:#?}"));
            }
        };
        let mut desk = Desk::new(&repo.top, (120, 40));
        check("opening");
        desk.press("1 2 4 5 6 2 ctrl-r");
        check("all screens");
        drop(desk);
        // Each command in some states, all of them by what `doctor --prove` does.
        let args = commands[nth % commands.len()];
        repo.run(args);
        check(&args.join(" "));
        let (code, said) = repo.output(&["doctor", "--prove"]);
        check("doctor --prove");
        if code != 0 || !said.contains("nothing changed") {
            faults.push(format!("{name}: doctor --prove: {said}"));
        }
    }
    assert!(faults.is_empty(), "{}", faults.join("\n"));
}

#[test]
fn doctor_tells_what_another_program_changed_meanwhile() {
    let repo = apart(&[]);
    noting(&repo, ".git/filter", "cat");
    let log = repo.path(".git/noted").display().to_string();
    // A merge driver of the person's own, which writes into the repository whenever git merges.
    repo.git(&[
        "config",
        "merge.noted.driver",
        &format!("echo x >> '{log}'; exit 1"),
    ]);
    repo.write(".git/info/attributes", "* merge=noted\n");
    let (code, said) = repo.output(&["doctor", "--prove"]);
    assert_eq!(code, 1, "{said}");
    assert!(said.contains(".git/noted is new"), "{said}");
}
