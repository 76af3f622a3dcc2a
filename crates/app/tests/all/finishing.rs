//! Finishing files: one service for the screens and the command line, many files at once.

use crate::kit::Repo;
use armistice::base::settings::Settings;
use armistice::case::finish::Finish;
use armistice::case::load::CaseLoad;
use armistice::case::opened::OpenedFile;
use armistice::case::propose::RuleSettings;
use armistice::case::service::CaseService;
use armistice_core::{AutoSettle, Entry, Event, PastOutcome, Resolution, Step, Version};
use armistice_git::{Error, Memory, Overwrite, Repository, Situation};
use std::fs;
use std::os::unix::fs::PermissionsExt;

const BASE: &str = "head\nmoor(ship);\ntail\n";
const OURS: &str = "head\nmoor(tug);\ntail\n";
const THEIRS: &str = "head\nmoor(ship, low);\ntail\n";

/// A merge stopped by the same conflict in several files.
fn stopped_in(names: &[&str]) -> Repo {
    let repo = Repo::new();
    repo.write(".gitattributes", "*.crlf text eol=crlf\n");
    let put = |text: &str| names.iter().for_each(|name| repo.write(name, text));
    put(BASE);
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    put(THEIRS);
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    put(OURS);
    repo.commit("ours");
    assert_eq!(repo.try_git(&["merge", "side"]).status.code(), Some(1));
    repo
}

struct Desk {
    service: CaseService,
    situation: Situation,
    opened: Vec<OpenedFile>,
}

/// All cases opened, every conflict settled by one version.
fn settled(repo: &Repo, by: Version) -> Desk {
    let service = CaseService::new(Repository::discover(&repo.top).unwrap());
    let situation = service.situation().unwrap();
    let settings = Settings {
        settle: AutoSettle::None,
        ..Settings::default()
    };
    let rules = RuleSettings::new(&situation, &settings);
    let loads = service.load(&situation.cases, &rules);
    let opened = loads.into_iter().map(|load| match load {
        CaseLoad::Lines(mut file) => {
            let ids = file.plan().conflicts().to_vec();
            let entries = ids
                .into_iter()
                .map(|id| Entry::Settle(id, Resolution::Take(by)));
            let step = Step::new("settled", entries.collect());
            file.apply(&Event::Do(step)).unwrap();
            *file
        }
        other => panic!("lines were expected: {other:?}"),
    });
    let opened = opened.collect();
    Desk {
        service,
        situation,
        opened,
    }
}

impl Desk {
    fn all(&self) -> Vec<Finish> {
        let files = self.situation.cases.iter().zip(&self.opened);
        files
            .map(|(case, open)| Finish::new(case, open, Overwrite::No))
            .collect()
    }

    fn remembered(&self) -> Vec<PastOutcome> {
        let memory = Memory::new(self.service.repo().common_dir());
        let all = memory.read().unwrap();
        all.into_iter().map(|past| past.outcome).collect()
    }
}

#[test]
fn many_files_are_written_and_staged_as_one_would_be() {
    let names = [
        "a.txt",
        "deep/with space.txt",
        "quo\"te's.txt",
        "näh/e\u{301}.txt",
        "new\nline.txt",
        "-dash.txt",
        "ends.crlf",
    ];
    let repo = stopped_in(&names);
    let desk = settled(&repo, Version::Theirs);
    let done = desk.service.finish(&desk.all());
    assert!(done.results.iter().all(Result::is_ok), "{:?}", done.results);
    assert_eq!(repo.unmerged(), "");
    for name in names {
        let expected = match name.ends_with(".crlf") {
            true => THEIRS.replace('\n', "\r\n"),
            false => THEIRS.to_owned(),
        };
        assert_eq!(repo.read(name), expected, "{name:?}");
        let staged = repo.git(&["show", &format!(":{name}")]);
        assert_eq!(staged, THEIRS, "{name:?}");
    }
    assert_eq!(
        repo.git(&["diff", "--name-only"]),
        "",
        "git sees nothing left to stage"
    );
}

#[test]
fn one_file_changed_outside_stops_itself_alone() {
    let repo = stopped_in(&["a.txt", "b.txt", "c.txt"]);
    let desk = settled(&repo, Version::Theirs);
    repo.write("b.txt", "work of somebody else\n");
    let done = desk.service.finish(&desk.all());
    let refused = |n: usize| matches!(done.results[n], Err(Error::ChangedOutside { .. }));
    assert_eq!([refused(0), refused(1), refused(2)], [false, true, false]);
    assert_eq!(repo.read("b.txt"), "work of somebody else\n");
    assert_eq!(
        (repo.read("a.txt"), repo.read("c.txt")),
        (THEIRS.into(), THEIRS.into())
    );
    let unmerged = repo.unmerged();
    assert!(
        unmerged.lines().count() == 3 && unmerged.contains("\tb.txt"),
        "{unmerged}"
    );
}

#[test]
fn a_refused_write_teaches_the_memory_nothing() {
    let repo = stopped_in(&["a.txt"]);
    let desk = settled(&repo, Version::Theirs);
    repo.write("a.txt", "work of somebody else\n");
    let done = desk.service.finish(&desk.all());
    assert!(done.results[0].is_err());
    assert_eq!(desk.remembered(), []);
    let files = desk.all().into_iter().map(|file| Finish {
        overwrite: Overwrite::Yes,
        ..file
    });
    let done = desk.service.finish(&files.collect::<Vec<_>>());
    let kept = done.results[0].as_ref().unwrap().kept.clone().unwrap();
    assert_eq!(fs::read_to_string(kept).unwrap(), "work of somebody else\n");
    assert_eq!(desk.remembered(), [PastOutcome::Take(Version::Theirs)]);
}

#[test]
fn while_git_holds_the_index_nothing_is_written() {
    let repo = stopped_in(&["a.txt", "b.txt"]);
    let desk = settled(&repo, Version::Theirs);
    let before = (repo.read("a.txt"), repo.unmerged());
    repo.write(".git/index.lock", "");
    let done = desk.service.finish(&desk.all());
    assert!(
        done.results.iter().all(Result::is_err),
        "{:?}",
        done.results
    );
    fs::remove_file(repo.path(".git/index.lock")).unwrap();
    assert_eq!((repo.read("a.txt"), repo.unmerged()), before);
    assert_eq!(desk.remembered(), []);
    let done = desk.service.finish(&desk.all());
    assert!(done.results.iter().all(Result::is_ok), "{:?}", done.results);
}

#[test]
fn what_cannot_be_noted_is_not_staged_either() {
    let repo = stopped_in(&["a.txt"]);
    let desk = settled(&repo, Version::Theirs);
    let before = (repo.read("a.txt"), repo.unmerged());
    // A folder where the record should go: no right that a superuser would not have is needed.
    repo.write(".git/armistice/written.jsonl/in the way", "");
    let done = desk.service.finish(&desk.all());
    assert!(done.results[0].is_err());
    assert_eq!((repo.read("a.txt"), repo.unmerged()), before);
}

#[test]
fn a_second_write_that_is_refused_leaves_the_first_as_it_was() {
    let repo = stopped_in(&["a.txt"]);
    let first = settled(&repo, Version::Theirs);
    assert!(first.service.finish(&first.all()).results[0].is_ok());
    let again = settled(&repo, Version::Ours);
    let files = again.all();
    let before = (repo.read("a.txt"), repo.git(&["ls-files", "-s"]));
    repo.write(".git/index.lock", "");
    assert!(again.service.finish(&files).results[0].is_err());
    fs::remove_file(repo.path(".git/index.lock")).unwrap();
    let noted = fs::read(repo.path(".git/armistice/written.jsonl")).unwrap();
    fs::remove_file(repo.path(".git/armistice/written.jsonl")).unwrap();
    repo.write(".git/armistice/written.jsonl/in the way", "");
    let overwrite = |file: Finish| Finish {
        overwrite: Overwrite::Yes,
        ..file
    };
    let forced: Vec<Finish> = files.clone().into_iter().map(overwrite).collect();
    assert!(again.service.finish(&forced).results[0].is_err());
    let after = (repo.read("a.txt"), repo.git(&["ls-files", "-s"]));
    assert_eq!(after, before, "still staged as the first write left it");
    // With the record as it was, the second write goes through unasked.
    fs::remove_dir_all(repo.path(".git/armistice/written.jsonl")).unwrap();
    repo.write(".git/armistice/written.jsonl", noted);
    let done = again.service.finish(&files);
    assert!(done.results[0].is_ok(), "{:?}", done.results);
    assert_eq!(repo.read("a.txt"), OURS);
}

#[test]
fn a_file_that_may_run_may_still_run() {
    let repo = Repo::new();
    repo.write("run.sh", BASE);
    fs::set_permissions(repo.path("run.sh"), fs::Permissions::from_mode(0o755)).unwrap();
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write("run.sh", THEIRS);
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("run.sh", OURS);
    repo.commit("ours");
    assert_eq!(repo.try_git(&["merge", "side"]).status.code(), Some(1));
    let desk = settled(&repo, Version::Ours);
    assert!(desk.service.finish(&desk.all()).results[0].is_ok());
    let mode = fs::metadata(repo.path("run.sh"))
        .unwrap()
        .permissions()
        .mode();
    assert_eq!(mode & 0o111, 0o111);
    assert!(repo.git(&["ls-files", "-s"]).contains("100755"));
}

#[test]
fn a_file_written_twice_goes_back_to_what_git_left() {
    let repo = stopped_in(&["a.txt", "b.txt"]);
    let left = repo.read("a.txt");
    let desk = settled(&repo, Version::Theirs);
    let first = desk.service.finish(&desk.all());
    let again = settled(&repo, Version::Ours);
    let files = again.all();
    assert!(first.results.iter().all(Result::is_ok) && files.len() == 2);
    let second = again.service.finish(&files);
    assert!(
        second.results.iter().all(Result::is_ok),
        "{:?}",
        second.results
    );
    assert_eq!(repo.read("a.txt"), OURS);
    let case = &again.situation.cases[0];
    again
        .service
        .take_back(case, b"markers that are not needed\n")
        .unwrap();
    assert_eq!(repo.read("a.txt"), left);
    assert!(repo.unmerged().contains("\ta.txt") && !repo.unmerged().contains("\tb.txt"));
}

#[test]
fn the_command_line_remembers_what_it_writes() {
    let repo = stopped_in(&["a.txt"]);
    let (code, output) = repo.output(&["settle", "a.txt", "--by", "theirs"]);
    assert_eq!(code, 0, "{output}");
    let (code, output) = repo.output(&["memory"]);
    assert_eq!(code, 0);
    assert!(output.contains("theirs"), "{output}");
    // The next time the same conflict stands there, it is proposed.
    repo.git(&["merge", "--abort"]);
    assert_eq!(repo.try_git(&["merge", "side"]).status.code(), Some(1));
    let again = settled(&repo, Version::Ours);
    let id = again.opened[0].plan().conflicts()[0];
    let ruling = &again.opened[0].rulings()[&id];
    assert_eq!(ruling.rule, "memory");
    assert_eq!(ruling.resolution, Some(Resolution::Take(Version::Theirs)));
}

#[test]
fn many_files_are_settled_in_one_call() {
    let names: Vec<String> = (0..300).map(|n| format!("src/berth {n}.rs")).collect();
    let names: Vec<&str> = names.iter().map(String::as_str).collect();
    let repo = stopped_in(&names);
    repo.write("src/berth 7.rs", "work of somebody else\n");
    let args: Vec<&str> = ["settle", "--by", "ours"]
        .into_iter()
        .chain(names.iter().copied())
        .collect();
    let (code, output) = repo.output(&args);
    assert_eq!(code, 2, "{output}");
    assert_eq!(output.matches("wrote and staged").count(), 299);
    assert_eq!(repo.read("src/berth 7.rs"), "work of somebody else\n");
    assert_eq!(repo.read("src/berth 299.rs"), OURS);
    assert_eq!(repo.unmerged().lines().count(), 3);
    let (code, output) = repo.output(&["settle", "--by", "ours", "--overwrite", "src/berth 7.rs"]);
    assert_eq!(code, 0, "{output}");
    assert_eq!(repo.output(&["proof"]).0, 0);
    assert_eq!(repo.output(&["conclude"]).0, 0);
    assert_eq!(repo.git(&["status", "--porcelain"]), "");
}
