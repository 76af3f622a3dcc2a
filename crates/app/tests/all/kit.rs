//! What the tests share: repositories made by real git, the program run by its
//! command line or in tmux, and a desk that drives the state without a terminal.

use armistice::base::theme::{Theme, ThemeOptions};
use armistice::case::service::CaseService;
use armistice::run::worker::{Job, Worker};
use armistice::state::action::{Action, WorkResult};
use armistice::state::app::State;
use armistice::state::effect::Effect;
use armistice::update::dispatch::{start, update};
use armistice::view::areas::Screen;
use armistice_core::AutoSettle;
use armistice_git::Repository;
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use std::cell::RefCell;
use std::collections::VecDeque;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use tempfile::TempDir;

/// Noon of 16 November 2026, so that ages on the screens stay the same.
pub const NOW: i64 = 1_794_826_800;

/// A folder with a repository in it, gone after the test.
pub struct Repo {
    pub dir: TempDir,
    pub top: PathBuf,
}

impl Repo {
    pub fn new() -> Self {
        Self::with(&[])
    }

    pub fn with(init: &[&str]) -> Self {
        let dir = TempDir::new().unwrap();
        let top = dir.path().join("work tree");
        fs::create_dir(&top).unwrap();
        let repo = Repo { dir, top };
        let mut args = vec!["init", "-q", "-b", "main"];
        args.extend(init);
        repo.git(&args);
        // The desk runs git in this process's own environment, where nobody may have a name.
        for (key, value) in [
            ("user.name", "Ines Brandt"),
            ("user.email", "ines@harbour.example"),
            ("commit.gpgSign", "false"),
            ("core.autocrlf", "false"),
        ] {
            repo.git(&["config", key, value]);
        }
        repo
    }

    /// The demo, made by the program itself.
    pub fn demo(kind: &str) -> Self {
        let dir = TempDir::new().unwrap();
        let top = dir.path().join("demo");
        let made = armistice(
            dir.path(),
            &["demo", kind, "--into", top.to_str().unwrap(), "--no-open"],
        );
        assert!(made.status.success(), "{made:?}");
        Repo { dir, top }
    }

    /// The same repository once more, to be changed on its own.
    pub fn copy(&self) -> Self {
        let dir = TempDir::new().unwrap();
        let top = dir.path().join("work tree");
        let mut copy = Command::new("cp");
        let copied = copy.arg("-a").args([&self.top, &top]).status().unwrap();
        assert!(copied.success());
        Repo { dir, top }
    }

    pub fn path(&self, name: &str) -> PathBuf {
        self.top.join(name)
    }

    pub fn write(&self, name: &str, text: impl AsRef<[u8]>) {
        let file = self.path(name);
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        fs::write(file, text).unwrap();
    }

    pub fn read(&self, name: &str) -> String {
        String::from_utf8_lossy(&fs::read(self.path(name)).unwrap()).into_owned()
    }

    /// Runs git, whatever comes of it.
    pub fn try_git(&self, args: &[&str]) -> Output {
        git_in(&self.top, args)
    }

    /// Runs git, which must succeed, and gives what it printed.
    pub fn git(&self, args: &[&str]) -> String {
        let output = self.try_git(args);
        assert!(
            output.status.success(),
            "git {args:?}: {}",
            String::from_utf8_lossy(&output.stderr)
        );
        String::from_utf8_lossy(&output.stdout).into_owned()
    }

    pub fn commit(&self, message: &str) {
        self.git(&["add", "-A"]);
        self.git(&["commit", "-q", "-m", message]);
    }

    /// Two branches that changed `name` differently, `main` checked out.
    pub fn diverge(&self, name: &str, base: &str, ours: &str, theirs: &str) {
        self.write(name, base);
        self.commit("base");
        self.git(&["checkout", "-q", "-b", "side"]);
        self.write(name, theirs);
        self.commit("theirs");
        self.git(&["checkout", "-q", "main"]);
        self.write(name, ours);
        self.commit("ours");
    }

    /// The same, with the merge stopped by the conflict.
    pub fn conflict(name: &str, base: &str, ours: &str, theirs: &str) -> Self {
        let repo = Repo::new();
        repo.diverge(name, base, ours, theirs);
        let merge = repo.try_git(&["merge", "side"]);
        assert_eq!(merge.status.code(), Some(1));
        repo
    }

    /// Files, each as base, ours and theirs have it, with theirs being merged.
    pub fn merge(files: &[(&str, [String; 3])]) -> Self {
        let repo = Repo::new();
        let write = |nth: usize, message: &str| {
            for (file, texts) in files {
                repo.write(file, &texts[nth]);
            }
            repo.commit(message);
        };
        write(0, "base");
        repo.git(&["checkout", "-q", "-b", "side"]);
        write(2, "theirs");
        repo.git(&["checkout", "-q", "main"]);
        write(1, "ours");
        repo.try_git(&["merge", "-q", "--no-commit", "side"]);
        repo
    }

    pub fn run(&self, args: &[&str]) -> Output {
        armistice(&self.top, args)
    }

    /// Runs the program and gives its exit code and all it said.
    pub fn output(&self, args: &[&str]) -> (i32, String) {
        let output = self.run(args);
        let text = [output.stdout, output.stderr].concat();
        (
            output.status.code().unwrap(),
            String::from_utf8_lossy(&text).into_owned(),
        )
    }

    pub fn unmerged(&self) -> String {
        self.git(&["ls-files", "-u"])
    }

    pub fn desk(&self) -> Desk {
        Desk::new(&self.top, (100, 30))
    }
}

pub fn git_in(folder: &Path, args: &[&str]) -> Output {
    let mut command = Command::new("git");
    command.current_dir(folder).args(args);
    plain_environment(&mut command);
    command.output().unwrap()
}

/// No settings and no identity but these: the machine's own must not matter.
pub fn plain_environment(command: &mut Command) {
    for (key, value) in [
        ("GIT_CONFIG_GLOBAL", "/dev/null"),
        ("GIT_CONFIG_NOSYSTEM", "1"),
        ("GIT_AUTHOR_NAME", "Ines Brandt"),
        ("GIT_AUTHOR_EMAIL", "ines@harbour.example"),
        ("GIT_COMMITTER_NAME", "Ines Brandt"),
        ("GIT_COMMITTER_EMAIL", "ines@harbour.example"),
        ("GIT_EDITOR", "true"),
        ("LC_ALL", "C.UTF-8"),
    ] {
        command.env(key, value);
    }
}

pub fn armistice(folder: &Path, args: &[&str]) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_armistice"));
    command.current_dir(folder).args(args);
    plain_environment(&mut command);
    command.output().unwrap()
}

/// Runs the program with more variables; its exit code and all it said.
pub fn armistice_as(folder: &Path, args: &[&str], env: &[(&str, &str)]) -> (i32, String) {
    let mut command = Command::new(env!("CARGO_BIN_EXE_armistice"));
    command.current_dir(folder).args(args);
    plain_environment(&mut command);
    let output = command.envs(env.iter().copied()).output().unwrap();
    let text = [output.stdout, output.stderr].concat();
    (
        output.status.code().unwrap(),
        String::from_utf8_lossy(&text).into_owned(),
    )
}

/// The state with its work done at once, as if by a very quick machine.
pub struct Desk {
    pub state: State,
    pub worker: Worker,
}

impl Desk {
    /// A desk at which rules settle nothing by themselves: every conflict waits for the test.
    pub fn new(folder: &Path, size: (u16, u16)) -> Self {
        Self::with(folder, size, AutoSettle::None)
    }

    /// A desk as a person opens it.
    pub fn ruled(folder: &Path, size: (u16, u16)) -> Self {
        Self::with(folder, size, AutoSettle::Certain)
    }

    fn with(folder: &Path, size: (u16, u16), settle: AutoSettle) -> Self {
        let repo = Repository::discover(folder).unwrap();
        let worker = Worker::new(CaseService::new(repo));
        let situation = worker.service().situation().unwrap();
        let mut desk = Desk {
            state: State::new(situation, size, NOW),
            worker,
        };
        desk.state.settings.settle = settle;
        let effects = start(&mut desk.state);
        desk.work(effects);
        desk
    }

    fn work(&mut self, effects: Vec<Effect>) {
        let mut queue: VecDeque<_> = effects.into();
        let mut not_recorded = Vec::new();
        while let Some(effect) = queue.pop_front() {
            if effect.files().iter().any(|at| not_recorded.contains(at)) {
                continue;
            }
            let job = Job::new(&self.state, effect);
            let generation = job.generation;
            let told = RefCell::new(Vec::new());
            let outcome = self
                .worker
                .perform(job, &|result| told.borrow_mut().push(result));
            for result in told.into_inner() {
                let done = Action::Done(generation, Box::new(result));
                queue.extend(update(&mut self.state, done));
            }
            if let Some(outcome) = outcome {
                if let WorkResult::Recorded(at, _, Err(_)) = &outcome {
                    not_recorded.push(*at);
                }
                queue.extend(update(
                    &mut self.state,
                    Action::Done(generation, Box::new(outcome)),
                ));
            }
        }
    }

    pub fn act(&mut self, action: Action) {
        let effects = update(&mut self.state, action);
        self.work(effects);
    }

    /// Presses keys by the names of the keymap, blanks between them.
    pub fn press(&mut self, keys: &str) -> &mut Self {
        for name in keys.split(' ') {
            self.act(Action::Key(key(name)));
        }
        self
    }

    pub fn type_text(&mut self, text: &str) -> &mut Self {
        for c in text.chars() {
            self.act(Action::Key(KeyEvent::new(
                KeyCode::Char(c),
                KeyModifiers::NONE,
            )));
        }
        self
    }

    /// Opens a file by the end of its path.
    pub fn open(&mut self, path: &str) -> &mut Self {
        let at = self
            .state
            .files
            .iter()
            .position(|f| f.case.path.to_string().ends_with(path));
        self.press("2");
        self.state.docket.chosen = at.unwrap_or_else(|| panic!("{path} is no case"));
        self.press("enter")
    }

    pub fn message(&self) -> &str {
        &self.state.message.text
    }

    /// What the screen shows, one line a row, trailing whitespace gone.
    pub fn shows(&self) -> String {
        self.shows_in(&Theme::new(&ThemeOptions {
            no_color: true,
            ..ThemeOptions::default()
        }))
    }

    pub fn shows_in(&self, theme: &Theme) -> String {
        self.shows_on(self.state.size, theme)
    }

    /// What a terminal shows that has another size by now than the state knows of.
    pub fn shows_on(&self, (width, height): (u16, u16), theme: &Theme) -> String {
        let mut terminal = Terminal::new(TestBackend::new(width, height)).unwrap();
        let draw = |f: &mut ratatui::Frame<'_>| {
            armistice::render::frame::draw(&self.state, &Screen::new(&self.state), theme, f);
        };
        terminal.draw(draw).unwrap();
        let buffer = terminal.backend().buffer();
        let row = |y| {
            let cells: String = (0..width).map(|x| buffer[(x, y)].symbol()).collect();
            cells.trim_end().to_owned() + "\n"
        };
        (0..height).map(row).collect()
    }
}

fn key(name: &str) -> KeyEvent {
    let (modifiers, rest) = match name.split_once('-') {
        Some(("ctrl", rest)) => (KeyModifiers::CONTROL, rest),
        Some(("shift", rest)) => (KeyModifiers::SHIFT, rest),
        _ => (KeyModifiers::NONE, name),
    };
    let code = match rest {
        "enter" => KeyCode::Enter,
        "esc" => KeyCode::Esc,
        "space" => KeyCode::Char(' '),
        "tab" => KeyCode::Tab,
        "up" => KeyCode::Up,
        "down" => KeyCode::Down,
        "left" => KeyCode::Left,
        "right" => KeyCode::Right,
        "home" => KeyCode::Home,
        "end" => KeyCode::End,
        "pageup" => KeyCode::PageUp,
        "pagedown" => KeyCode::PageDown,
        "backspace" => KeyCode::Backspace,
        "delete" => KeyCode::Delete,
        one => KeyCode::Char(one.chars().next().unwrap()),
    };
    KeyEvent::new(code, modifiers)
}

/// The real program in a terminal of tmux.
pub struct Tmux {
    socket: String,
    _home: TempDir,
}

static SESSIONS: AtomicUsize = AtomicUsize::new(0);
/// Seconds that a screen may take; fewer show sooner which texts a change of wording broke.
fn patience() -> Duration {
    let seconds = std::env::var("ARMISTICE_PATIENCE").ok();
    Duration::from_secs(seconds.and_then(|n| n.parse().ok()).unwrap_or(60))
}

impl Tmux {
    /// Starts the program in `folder` in a window of this size.
    pub fn start(folder: &Path, size: (u16, u16), args: &str, env: &[(&str, &str)]) -> Self {
        let variables: String = env.iter().map(|(k, v)| format!("{k}={v} ")).collect();
        let program = env!("CARGO_BIN_EXE_armistice");
        Self::launch(
            folder,
            size,
            // A killed program leaves the cursor anywhere: the code gets a line of its own.
            &format!("env {variables}'{program}' {args}; printf '\\n\\rEXIT %s\\n' $?; cat"),
        )
    }

    /// Starts the program so that its exit code goes into a file, and its errors into another.
    pub fn start_noting(folder: &Path, size: (u16, u16), code: &Path, errors: &Path) -> Self {
        let program = env!("CARGO_BIN_EXE_armistice");
        let (code, errors) = (code.display(), errors.display());
        Self::launch(
            folder,
            size,
            &format!("trap '' HUP; '{program}' 2>'{errors}'; echo $? >'{code}'"),
        )
    }

    /// Takes the terminal away.
    pub fn vanish(&self) {
        let _ = self.call(&["kill-server"]).output();
    }

    /// Starts the program from a shell with job control.
    pub fn in_shell(folder: &Path, size: (u16, u16)) -> Self {
        let tmux = Self::launch(folder, size, "PS1='ready> ' bash --norc -i");
        tmux.wait("ready>");
        tmux.type_text(&format!("'{}'", env!("CARGO_BIN_EXE_armistice")))
            .keys("Enter");
        tmux
    }

    fn launch(folder: &Path, (width, height): (u16, u16), command: &str) -> Self {
        let home = TempDir::new().unwrap();
        let n = SESSIONS.fetch_add(1, Ordering::Relaxed);
        let socket = home.path().join(format!("s{n}")).display().to_string();
        let (width, height) = (width.to_string(), height.to_string());
        let tmux = Tmux {
            socket,
            _home: home,
        };
        let mut call = tmux.call(&[
            "-f",
            "/dev/null",
            "new-session",
            "-d",
            "-x",
            &width,
            "-y",
            &height,
        ]);
        plain_environment(call.current_dir(folder));
        let output = call.arg(command).output().unwrap();
        assert!(
            output.status.success(),
            "tmux: {}",
            String::from_utf8_lossy(&output.stderr)
        );
        tmux
    }

    fn call(&self, args: &[&str]) -> Command {
        let mut command = Command::new("tmux");
        command
            .env_remove("TMUX")
            .args(["-S", &self.socket])
            .args(args);
        command
    }

    pub fn keys(&self, keys: &str) -> &Self {
        for key in keys.split(' ') {
            assert!(self.call(&["send-keys", key]).status().unwrap().success());
        }
        self
    }

    pub fn type_text(&self, text: &str) -> &Self {
        assert!(
            self.call(&["send-keys", "-l", "--", text])
                .status()
                .unwrap()
                .success()
        );
        self
    }

    pub fn screen(&self) -> String {
        let output = self.call(&["capture-pane", "-p"]).output().unwrap();
        String::from_utf8_lossy(&output.stdout).into_owned()
    }

    /// The screen with its colours, as escape sequences.
    pub fn colours(&self) -> String {
        let output = self.call(&["capture-pane", "-p", "-e"]).output().unwrap();
        String::from_utf8_lossy(&output.stdout).into_owned()
    }

    /// Waits until the screen shows a text, and gives the screen.
    pub fn wait(&self, text: &str) -> String {
        self.wait_until(text, |screen| screen.contains(text))
    }

    pub fn wait_until(&self, what: &str, is: impl Fn(&str) -> bool) -> String {
        let started = Instant::now();
        loop {
            let screen = self.screen();
            if is(&screen) {
                return screen;
            }
            assert!(started.elapsed() < patience(), "no '{what}' on:\n{screen}");
            std::thread::sleep(Duration::from_millis(15));
        }
    }

    pub fn resize(&self, width: u16, height: u16) -> &Self {
        let (width, height) = (width.to_string(), height.to_string());
        assert!(
            self.call(&["resize-window", "-x", &width, "-y", &height])
                .status()
                .unwrap()
                .success()
        );
        self
    }

    /// The process of the program itself.
    pub fn pid(&self) -> String {
        let output = self
            .call(&["display", "-p", "#{pane_pid}"])
            .output()
            .unwrap();
        let shell = String::from_utf8_lossy(&output.stdout).trim().to_owned();
        let children = Command::new("pgrep").args(["-P", &shell]).output().unwrap();
        let text = String::from_utf8_lossy(&children.stdout).into_owned();
        text.lines().next().expect("the program runs").to_owned()
    }

    /// Limits the size to which the program may write files, in bytes: a disk that fills up.
    pub fn limit_files(&self, bytes: Option<u64>) -> &Self {
        let bytes = bytes.map_or("unlimited".to_owned(), |n| n.to_string());
        let mut command = Command::new("prlimit");
        command.args(["--pid", &self.pid(), &format!("--fsize={bytes}:unlimited")]);
        assert!(command.status().unwrap().success());
        self
    }

    pub fn signal(&self, name: &str) -> &Self {
        let status = Command::new("kill")
            .args([name, &self.pid()])
            .status()
            .unwrap();
        assert!(status.success());
        self
    }
}

impl Drop for Tmux {
    fn drop(&mut self) {
        let _ = self.call(&["kill-server"]).output();
    }
}

pub const BASE: &str = "one\ntwo\nthree\n";
pub const OURS: &str = "one\nours\nthree\n";
pub const THEIRS: &str = "one\ntheirs\nthree\n";

pub fn merged() -> Repo {
    Repo::conflict("a.txt", BASE, OURS, THEIRS)
}

pub fn conclude(desk: &mut Desk) {
    desk.press("6 c");
}

pub fn assert_concluded(desk: &Desk) {
    let verdict = desk.state.accord.verdict;
    assert_eq!(
        verdict,
        Some(armistice_git::Verdict::Concluded),
        "{}",
        desk.message()
    );
}

/// A small generator of numbers that are the same in every run.
pub struct Dice(pub u64);

impl Dice {
    pub fn roll(&mut self, sides: usize) -> usize {
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1);
        (self.0 >> 33) as usize % sides
    }

    pub fn one_of<T: Copy>(&mut self, of: &[T]) -> T {
        of[self.roll(of.len())]
    }
}
