//! What is foreseen is what git then leaves, and not one byte of the repository changes by looking.

use crate::{Chance, World, change, edited, rounds, text};
use armistice_git::{
    Beginning, Cancel, Case, CommandSettings, Obstacles, Relation, Sandbox, Situation, TreeState,
    Undertaking, counterparts, meeting, picked, replayed,
};
use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::path::PathBuf;

/// Every file of the work tree and the git folder: contents, mode, and when it was changed.
fn everything(world: &World) -> BTreeMap<PathBuf, (u32, i64, i64, u64, Vec<u8>)> {
    let mut all = BTreeMap::new();
    let mut folders = vec![world.top().to_owned()];
    while let Some(folder) = folders.pop() {
        for entry in fs::read_dir(&folder).unwrap().flatten() {
            let meta = entry.metadata().unwrap();
            let bytes = match meta.is_file() {
                true => fs::read(entry.path()).unwrap(),
                false => Vec::new(),
            };
            let when = (
                meta.mode(),
                meta.mtime(),
                meta.mtime_nsec(),
                meta.ino(),
                bytes,
            );
            all.insert(entry.path(), when);
            if meta.is_dir() {
                folders.push(entry.path());
            }
        }
    }
    all
}

/// What matters of cases: where they stand, of what kind they are, what each side has.
fn told(cases: &[Case]) -> Vec<String> {
    let one = |case: &Case| {
        let places: Vec<String> = (case.places.iter())
            .map(|place| format!("{} {:?}", place.path, place.stages.names()))
            .collect();
        let names = case.stages.names();
        format!(
            "{} {:?} {names:?} {}",
            case.path,
            case.kind,
            places.join(" ")
        )
    };
    cases.iter().map(one).collect()
}

fn foreseen(world: &World, base: Option<&str>, ours: &str, theirs: &str) -> Vec<Case> {
    let repo = world.repo();
    let oid = |name: &str| repo.resolve(name).unwrap().unwrap();
    let sandbox = Sandbox::new(&repo, &Cancel::default()).unwrap();
    // git names what it puts aside after the branch.
    let labels = base.is_none().then_some(["HEAD", theirs]);
    let merged = sandbox.merge(base, &oid(ours), &oid(theirs), labels, &[]);
    let cases = merged.unwrap().cases;
    sandbox.leave_untouched();
    cases
}

#[test]
fn random_histories_meet_as_foreseen() {
    let mut clashed = 0;
    for seed in 0..rounds() * 2 {
        let world = World::apart(
            |w| {
                for name in ["a", "b", "c", "d/e", "d/f", "d/g", "h/i"] {
                    w.write(name, &text(name));
                }
            },
            |w| change(w, &mut Chance(seed * 2 + 1), "ours"),
            |w| change(w, &mut Chance(seed * 2 + 2), "theirs"),
        );
        let before = everything(&world);
        let found = told(&foreseen(&world, None, "HEAD", "feature"));
        assert_eq!(
            everything(&world),
            before,
            "seed {seed}: looking changed something"
        );
        world.git(&["merge", "-q", "feature"]);
        let left = told(&world.cases());
        assert_eq!(found, left, "seed {seed}");
        clashed += usize::from(!left.is_empty());
    }
    assert!(
        clashed as u64 * 4 > rounds(),
        "{clashed} of {} clashed",
        rounds() * 2
    );
}

/// Three own commits on top of a base, and two of another line: the second own one clashes, the third is
/// there already, the first is clean.
fn lines() -> World {
    World::apart(
        |w| w.write("a", &text("a")),
        |w| {
            w.write("b", "clean\n");
            w.commit("first");
            w.write("a", &edited(&text("a"), 3, "ours"));
            w.commit("second");
            w.write("c", "there already\n");
        },
        |w| {
            w.write("a", &edited(&text("a"), 3, "theirs"));
            w.commit("their first");
            w.write("c", "there already\n");
        },
    )
}

#[test]
fn steps_of_a_rebase_are_those_that_git_makes() {
    let world = lines();
    let repo = world.repo();
    let before = everything(&world);
    let all = replayed(&repo, "feature").unwrap();
    let dropped: Vec<&str> = all
        .dropped
        .iter()
        .map(|step| step.subject.as_str())
        .collect();
    assert_eq!(dropped.len(), 1, "{dropped:?}");
    let steps = all.commits;
    let subjects: Vec<&str> = steps
        .iter()
        .map(|step| step.commit.subject.as_str())
        .collect();
    // The third does what the other line does already.
    assert_eq!(subjects, ["first", "second"]);
    let sandbox = Sandbox::new(&repo, &Cancel::default()).unwrap();
    let tip = repo.resolve("feature").unwrap().unwrap();
    let parent = |nth: usize| steps[nth].only_parent(&repo).unwrap().unwrap();
    let own = |nth: usize| &steps[nth].commit.oid;
    let first = sandbox
        .merge(Some(&parent(0)), &tip, own(0), None, &[])
        .unwrap();
    assert!(first.cases.is_empty());
    let made = sandbox.commit(&first.tree, &[], &tip).unwrap();
    let second = sandbox
        .merge(Some(&parent(1)), &made, own(1), None, &[])
        .unwrap();
    sandbox.leave_untouched();
    assert_eq!(everything(&world), before);
    world.git(&["rebase", "-q", "feature"]);
    assert_eq!(told(&second.cases), told(&world.cases()));
}

#[test]
fn a_pick_and_a_revert_are_foreseen() {
    for (undertaking, args) in [
        (Undertaking::Pick, ["cherry-pick", "feature~1"]),
        (Undertaking::Revert, ["revert", "HEAD~1"]),
    ] {
        let world = lines();
        world.write("a", &edited(&text("a"), 3, "later"));
        world.commit("later");
        let commit = args[1].replace("HEAD~1", "HEAD~2");
        let repo = world.repo();
        let oid = repo.resolve(&commit).unwrap().unwrap();
        let one = picked(&repo, &oid, false).unwrap().remove(0);
        let parent = one.only_parent(&repo).unwrap().unwrap();
        let (base, other) = match undertaking {
            Undertaking::Pick => (parent, oid),
            _ => (oid, parent),
        };
        let found = told(&foreseen(&world, Some(&base), "HEAD", &other));
        world.git(&[args[0], "--no-edit", &commit]);
        let left = told(&world.cases());
        assert!(!left.is_empty(), "{undertaking:?}");
        assert_eq!(found, left, "{undertaking:?}");
    }
}

#[test]
fn histories_that_cross_and_objects_that_are_packed_are_foreseen() {
    let world = lines();
    world.git(&["branch", "-q", "own"]);
    // Each merges the other's first commit, so that there are two last common ancestors.
    world.git(&["merge", "-q", "-s", "ours", "--no-edit", "feature~1"]);
    world.git(&["checkout", "-q", "feature"]);
    world.git(&["merge", "-q", "-s", "ours", "--no-edit", "own~1"]);
    world.git(&["checkout", "-q", "main"]);
    world.git(&["gc", "-q"]);
    let met = meeting(&world.repo(), "feature").unwrap().unwrap();
    assert_eq!(met.relation, Relation::Parted(2));
    let before = everything(&world);
    let found = told(&foreseen(&world, None, "HEAD", "feature"));
    assert_eq!(everything(&world), before);
    world.git(&["merge", "-q", "feature"]);
    assert_eq!(found, told(&world.cases()));
}

#[test]
fn how_lines_stand_to_each_other_is_told() {
    let world = lines();
    let relation = |name: &str| {
        meeting(&world.repo(), name)
            .unwrap()
            .map(|met| met.relation)
    };
    assert_eq!(relation("feature"), Some(Relation::Parted(1)));
    assert_eq!(relation("HEAD~1"), Some(Relation::Contained));
    assert_eq!(relation("nothing"), None);
    world.git(&["branch", "-q", "ahead"]);
    world.git(&["reset", "-q", "--hard", "HEAD~2"]);
    assert_eq!(relation("ahead"), Some(Relation::FastForward));
    world.git(&["checkout", "-q", "--orphan", "other"]);
    world.commit("other");
    assert_eq!(relation("feature"), Some(Relation::Unrelated));
}

#[test]
fn counterparts_begin_with_the_likeliest() {
    let world = lines();
    world.git(&["tag", "-a", "v1", "-m", "one", "feature~1"]);
    world.git(&["branch", "-q", "topic", "feature~1"]);
    world.git(&["checkout", "-q", "topic"]);
    world.git(&["branch", "-q", "--set-upstream-to=feature"]);
    let all = counterparts(&world.repo()).unwrap();
    let names: Vec<(&str, &str)> = all.iter().map(|one| (one.name.as_str(), one.why)).collect();
    assert_eq!(
        &names[..2],
        [("feature", "upstream"), ("main", "main line")]
    );
    assert!(names.contains(&("v1", "")), "{names:?}");
    assert!(!names.iter().any(|(name, _)| *name == "topic"), "{names:?}");
    let tag = all.iter().find(|one| one.name == "v1").unwrap();
    assert_eq!(
        Some(&tag.commit.oid),
        world.repo().resolve("feature~1").unwrap().as_ref()
    );
}

#[test]
fn what_is_in_the_way_is_what_git_refuses_for() {
    let world = lines();
    let repo = world.repo();
    let tip = repo.resolve("feature").unwrap().unwrap();
    let to = |world: &World| {
        let sandbox = Sandbox::new(&world.repo(), &Cancel::default()).unwrap();
        let merged = sandbox.merge(None, "HEAD", &tip, None, &[]).unwrap();
        let state = TreeState::read(&world.repo()).unwrap();
        let beginning = Beginning {
            undertaking: Undertaking::Merge,
            forward: false,
            to: &merged.tree,
            settings: &CommandSettings::default(),
            later: &[],
        };
        let way = Obstacles::read(&world.repo(), sandbox.repo(), &state, &beginning).unwrap();
        let names: Vec<String> = way.refused.iter().map(ToString::to_string).collect();
        (names, state.is_clean())
    };
    assert_eq!(to(&world), (Vec::new(), true));
    // What the merge does not touch is nobody's business.
    world.write("b", "changed\n");
    assert_eq!(to(&world), (Vec::new(), false));
    world.write("a", "changed\n");
    assert_eq!(to(&world), (vec!["a".to_owned()], false));
    let (done, _) = world.git(&["merge", "-q", "feature"]);
    assert!(
        !done && Situation::read(&repo).unwrap().is_idle(),
        "git refused"
    );
    world.git(&["checkout", "-q", "a"]);
    world.git(&["add", "b"]);
    assert_eq!(to(&world).0, ["b"]);
    let (done, _) = world.git(&["merge", "-q", "feature"]);
    assert!(
        !done && Situation::read(&repo).unwrap().is_idle(),
        "git refused what is staged"
    );
}
