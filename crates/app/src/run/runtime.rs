//! The event loop: reads the terminal, calls `update`, hands effects to workers, draws frames.

use crate::base::commands::Tab;
use crate::base::path_settings::RepositoryPaths;
use crate::base::settings::Settings;
use crate::base::theme::Theme;
use crate::case::service::CaseService;
use crate::case::trust::repository_paths;
use crate::render::frame::{draw, draw_opening};
use crate::run::lending::{LOOKS, Lending, run_program};
use crate::run::worker::{Job, Worker};
use crate::state::action::{Action, WorkResult};
use crate::state::app::State;
use crate::state::effect::{Effect, Trouble};
use crate::update::dispatch::{start, update};
use crate::update::returning::return_to;
use crate::update::scout::ask_to_undo;
use crate::view::areas::Screen;
use anyhow::{Context, Result};
use armistice_git::Interrupted;
use armistice_git::{Cancel, Situation, Undertaking};
use armistice_git::{Leftover, known_leftovers};
use ratatui::backend::CrosstermBackend;
use ratatui::crossterm::event::{
    self, DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture,
    Event, KeyCode, KeyModifiers,
};
use ratatui::crossterm::execute;
use ratatui::crossterm::terminal::{
    Clear, ClearType, EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode,
};
use ratatui::{Frame, Terminal};
use std::collections::VecDeque;
use std::io::{Stdout, Write, stdout};
use std::mem::ManuallyDrop;
use std::sync::atomic::{AtomicBool, AtomicU64, AtomicUsize, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::sync::{Arc, Condvar, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};

/// Threads that read; one more writes.
const READERS: usize = 2;
/// How long the end of the program waits for git; twice at most.
const PATIENCE: Duration = Duration::from_millis(800);
/// How often ages on the screen and the text being typed are looked after.
const TICK: Duration = Duration::from_secs(1);
/// How long opening may take before the screen says so: most repositories are read by then.
const UNSEEN: Duration = Duration::from_millis(250);

/// What the main loop waits for.
enum Wake {
    Action(Action),
    /// The repository was read, or could not be.
    Opened,
    /// TERM, HUP or INT: end as if by q.
    End,
    /// CONT: whoever stopped the program may have used the terminal meanwhile.
    Continued,
}

/// What there is to show, read before the first frame.
struct Opened {
    worker: Worker,
    situation: Situation,
    /// What a run that was cut short had left, and what became of it.
    mended: Vec<String>,
    /// What a command left in which git was killed.
    interrupted: Option<Interrupted>,
    paths: RepositoryPaths,
    /// Backup files of git's that nobody has removed.
    leftovers: Vec<Leftover>,
}

/// Whether the terminal has gone away.
static GONE: AtomicBool = AtomicBool::new(false);

/// Whether the terminal went away while the screens were open: no message can be shown then.
pub fn terminal_is_gone() -> bool {
    GONE.load(Ordering::Relaxed)
}

/// What the system answers for a terminal that is gone: EIO, ENXIO, EBADF, EPIPE, the same on every Unix.
const LOST: [i32; 4] = [5, 6, 9, 32];

/// Whether an error says that the terminal is gone.
fn is_of_lost_terminal(error: &anyhow::Error) -> bool {
    let causes = error
        .chain()
        .filter_map(|cause| cause.downcast_ref::<std::io::Error>());
    let mut codes = causes.filter_map(std::io::Error::raw_os_error);
    codes.any(|code| LOST.contains(&code))
}

/// How the screens were closed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ended {
    /// All that had been asked for was done.
    Whole,
    /// A git was still at work and was stopped.
    GitStopped,
}

/// What Scout begins with: the other line, if one was named, and what would be done with it.
pub type Asked = (Option<String>, Undertaking);

/// Opens a repository and runs the screens until the person closes them, beginning with Scout where
/// something is `asked`.
///
/// # Errors
/// If the repository cannot be read or the terminal refuses.
pub fn run(
    open: impl FnOnce() -> Result<CaseService> + Send + 'static,
    asked: Option<Asked>,
    theme: Theme,
    settings: Settings,
) -> Result<Ended> {
    let (to_main, wakes) = channel();
    let lending = Lending::default();
    watch_signals(&to_main, &lending)?;
    let opened = to_main.clone();
    let opening = std::thread::spawn(move || {
        let service = open().and_then(|service| {
            Ok(Opened {
                mended: service.mend()?,
                interrupted: service.interrupted()?,
                situation: service.situation()?,
                paths: repository_paths(service.repo()),
                leftovers: known_leftovers(service.repo()),
                worker: Worker::new(service),
            })
        });
        let _ = opened.send(Wake::Opened);
        service
    });
    let opening = match wait_for_opening(opening, &wakes, &to_main, &lending, &theme) {
        Err(error) if is_of_lost_terminal(&error) => {
            GONE.store(true, Ordering::Relaxed);
            None
        }
        opening => opening?,
    };
    let Some(opening) = opening else {
        return Ok(Ended::Whole);
    };
    let (opened, mut screen) = (opening.opened, opening.screen);
    let worker = Arc::new(opened.worker);
    let size =
        ratatui::crossterm::terminal::size().context("cannot ask the terminal for its size")?;
    let mut state = State::new(opened.situation, size, now());
    state.set_up(Settings {
        of_repository: opened.paths,
        ..settings
    });
    state.accord.leftovers = opened.leftovers;
    return_to(&mut state, worker.service().place());
    if let Some((other, undertaking)) = asked {
        (state.scout.wanted, state.scout.undertaking) = (other, undertaking);
        state.tab = Tab::Scout;
    }
    if !opened.mended.is_empty() {
        state.say(opened.mended.join(" · "));
    }
    if let Some(torn) = &opened.interrupted {
        ask_to_undo(&mut state, torn);
    }
    let pool = Pool::new(&worker, &to_main);
    let first = start(&mut state);
    carry_out(&mut state, first, &worker, &pool, &mut screen)?;
    for action in opening.typed {
        let effects = update(&mut state, action);
        carry_out(&mut state, effects, &worker, &pool, &mut screen)?;
    }
    let mut result = main_loop(&mut state, &wakes, &worker, &pool, &mut screen, &theme);
    if result.as_ref().is_err_and(is_of_lost_terminal) {
        GONE.store(true, Ordering::Relaxed);
        // What was typed is saved all the same; only the terminal is missing.
        let _ = end(&mut state, &worker, &pool, &mut screen);
        result = Ok(());
    }
    drop(screen);
    // A file that is being written is finished before the program ends, if that takes no longer.
    worker.stop_foreseeing();
    let ended = pool.finish();
    worker.forget_foreseen();
    result.map(|()| ended)
}

/// A repository that was read, and the terminal taken over meanwhile.
struct Opening {
    opened: Opened,
    screen: RawScreen,
    /// What was typed before there was anything to see.
    typed: Vec<Action>,
}

/// Waits until the repository is read; nothing if the person left before. An error is reported on the
/// terminal as it was if it comes soon.
fn wait_for_opening(
    opening: JoinHandle<Result<Opened>>,
    wakes: &Receiver<Wake>,
    to_main: &Sender<Wake>,
    lending: &Lending,
    theme: &Theme,
) -> Result<Option<Opening>> {
    let started = Instant::now();
    let (mut screen, mut typed): (Option<RawScreen>, _) = (None, Vec::new());
    let enter = || {
        let screen = RawScreen::enter(lending.clone());
        listen(to_main, lending);
        screen
    };
    loop {
        let pause = match &screen {
            Some(_) => TICK,
            None => UNSEEN.saturating_sub(started.elapsed()),
        };
        let leaves = match wakes.recv_timeout(pause) {
            Ok(Wake::Opened) => break,
            Ok(Wake::End) => true,
            Ok(Wake::Action(action)) => {
                let leaves = is_leave(&action);
                typed.push(action);
                leaves
            }
            Ok(Wake::Continued) => {
                screen.as_mut().map_or(Ok(()), RawScreen::again)?;
                false
            }
            Err(_) => {
                if screen.is_none() {
                    screen = Some(enter()?);
                }
                false
            }
        };
        if leaves {
            Cancel::everything();
            wait_for(|| opening.is_finished(), PATIENCE);
            return Ok(None);
        }
        if let Some(screen) = &mut screen {
            let seconds = started.elapsed().as_secs();
            let frame = |frame: &mut Frame<'_>| draw_opening(seconds, theme, frame);
            screen.terminal.draw(frame)?;
        }
    }
    let opened = match opening.join() {
        Ok(opened) => opened?,
        Err(panic) => std::panic::resume_unwind(panic),
    };
    let screen = screen.map_or_else(enter, Ok)?;
    Ok(Some(Opening {
        opened,
        screen,
        typed,
    }))
}

/// Whether a key leaves while there is no screen yet that could say what it does.
fn is_leave(action: &Action) -> bool {
    let Action::Key(key) = action else {
        return false;
    };
    match key.code {
        KeyCode::Char('q') => key.modifiers.is_empty(),
        KeyCode::Char('c') => key.modifiers == KeyModifiers::CONTROL,
        code => code == KeyCode::Esc,
    }
}

fn main_loop(
    state: &mut State,
    wakes: &Receiver<Wake>,
    worker: &Worker,
    pool: &Pool,
    screen: &mut RawScreen,
    theme: &Theme,
) -> Result<()> {
    let mut ticked = Instant::now();
    while !state.done {
        if ticked.elapsed() >= TICK {
            // Also while keys come without a pause: what is typed is saved on ticks.
            ticked = Instant::now();
            let effects = update(state, Action::Tick(now()));
            carry_out(state, effects, worker, pool, screen)?;
        }
        let mut effects = Vec::new();
        screen.terminal.draw(|frame| {
            // The terminal may have been resized before the event that says so was read.
            let size = (frame.area().width, frame.area().height);
            if size != state.size {
                effects = update(state, Action::Resize(size.0, size.1));
            }
            draw(state, &Screen::new(state), theme, frame);
        })?;
        carry_out(state, effects, worker, pool, screen)?;
        let mut wake = wakes.recv_timeout(TICK);
        // Everything that has piled up is worked off before the next frame.
        loop {
            let action = match wake {
                Ok(Wake::Action(action)) => action,
                Ok(Wake::End) => return end(state, worker, pool, screen),
                Ok(Wake::Opened) => break,
                Ok(Wake::Continued) => {
                    screen.again()?;
                    break;
                }
                Err(RecvTimeoutError::Timeout) => break,
                Err(RecvTimeoutError::Disconnected) => return Ok(()),
            };
            let effects = update(state, action);
            carry_out(state, effects, worker, pool, screen)?;
            match wakes.try_recv() {
                Ok(next) => wake = Ok(next),
                Err(_) => break,
            }
        }
    }
    Ok(())
}

/// Ends on a signal: what was typed is saved, as by q.
fn end(state: &mut State, worker: &Worker, pool: &Pool, screen: &mut RawScreen) -> Result<()> {
    let effects = update(state, Action::Tick(now()));
    carry_out(state, effects, worker, pool, screen)
}

fn carry_out(
    state: &mut State,
    effects: Vec<Effect>,
    worker: &Worker,
    pool: &Pool,
    screen: &mut RawScreen,
) -> Result<()> {
    let mut not_recorded = Vec::new();
    for effect in effects {
        if effect.files().iter().any(|at| not_recorded.contains(at)) {
            continue;
        }
        match effect {
            Effect::Quit => {}
            Effect::CancelWork => worker.cancel(),
            Effect::StopChecks => worker.stop_checks(),
            Effect::StopForeseeing => worker.stop_foreseeing(),
            Effect::StopQueued => pool.stop_queued(),
            Effect::Suspend => screen.suspend()?,
            Effect::HandOver(at, given) => {
                let answer = screen.lend(|| run_program(&given))?;
                let answer = answer.map_err(|error| format!("{error:#}"));
                let result = WorkResult::HandedBack(at, given.text, answer);
                let done = Action::Done(state.generation, Box::new(result));
                let more = update(state, done);
                carry_out(state, more, worker, pool, screen)?;
            }
            Effect::Copy(text) => screen.copy(&text)?,
            // Before the screen says so, at the price of one short write; the disk is waited for elsewhere.
            Effect::Record(..) => {
                let job = Job::new(state, effect);
                let case = job.cases.first().cloned();
                let generation = job.generation;
                if let Some(outcome) = worker.perform(job, &|_| {}) {
                    if let WorkResult::Recorded(at, _, Err(_)) = &outcome {
                        not_recorded.push(*at);
                    }
                    let more = update(state, Action::Done(generation, Box::new(outcome)));
                    debug_assert!(more.is_empty(), "recording asks for nothing");
                }
                pool.sync(case);
            }
            effect => pool.send(Job::new(state, effect)),
        }
    }
    Ok(())
}

fn now() -> i64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH);
    since.map_or(0, |d| d.as_secs() as i64)
}

fn listen(to_main: &Sender<Wake>, lending: &Lending) {
    let (to_main, lending) = (to_main.clone(), lending.clone());
    std::thread::spawn(move || {
        loop {
            lending.stand_aside();
            // Not longer: a program that gets the terminal must not lose a key to this one.
            match event::poll(LOOKS) {
                Ok(false) => continue,
                Ok(true) => {}
                Err(_) => break,
            }
            let Ok(event) = event::read() else { break };
            let action = match event {
                Event::Key(key) => Action::Key(key),
                Event::Mouse(mouse) => Action::Mouse(mouse),
                Event::Paste(text) => Action::Paste(text),
                Event::Resize(width, height) => Action::Resize(width, height),
                Event::FocusGained | Event::FocusLost => continue,
            };
            if to_main.send(Wake::Action(action)).is_err() {
                break;
            }
        }
        // Nothing can be shown or asked any more.
        GONE.store(true, Ordering::Relaxed);
        let _ = to_main.send(Wake::End);
    });
}

fn watch_signals(to_main: &Sender<Wake>, lending: &Lending) -> Result<()> {
    use signal_hook::consts::{SIGCONT, SIGHUP, SIGINT, SIGTERM};
    let lending = lending.clone();
    let mut signals = signal_hook::iterator::Signals::new([SIGTERM, SIGHUP, SIGINT, SIGCONT])?;
    let to_main = to_main.clone();
    std::thread::spawn(move || {
        for signal in signals.forever() {
            let wake = match signal {
                SIGCONT => Wake::Continued,
                // Meant for the program that has the terminal.
                SIGINT if lending.is_lent() => continue,
                SIGHUP => {
                    GONE.store(true, Ordering::Relaxed);
                    Wake::End
                }
                _ => Wake::End,
            };
            if to_main.send(wake).is_err() {
                break;
            }
        }
    });
    Ok(())
}

/// The terminal in full-screen mode; put back when dropped, also by a panic.
struct RawScreen {
    /// Never dropped: it would complain of a terminal that is gone, on one that is gone.
    terminal: ManuallyDrop<Terminal<CrosstermBackend<Stdout>>>,
    lending: Lending,
}

impl RawScreen {
    fn enter(lending: Lending) -> Result<Self> {
        let hook = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            restore();
            tracing::error!(%info, "panic");
            hook(info);
        }));
        enable_raw_mode().context("cannot switch the terminal to raw mode; is this a terminal?")?;
        let terminal = take_over().and_then(|()| Terminal::new(CrosstermBackend::new(stdout())));
        match terminal {
            Ok(terminal) => Ok(RawScreen {
                terminal: ManuallyDrop::new(terminal),
                lending,
            }),
            Err(error) => {
                restore();
                Err(error.into())
            }
        }
    }

    /// Gives the terminal back to the shell and stops, until the shell says to go on.
    fn suspend(&mut self) -> Result<()> {
        restore();
        signal_hook::low_level::raise(signal_hook::consts::SIGTSTP)?;
        self.again()
    }

    /// Gives the terminal to another program as long as that runs.
    fn lend<T>(&mut self, run: impl FnOnce() -> T) -> Result<T> {
        self.lending.begin();
        restore();
        let came = run();
        let back = self.again();
        self.lending.end();
        back.map(|()| came)
    }

    /// Takes the terminal over once more and draws everything.
    fn again(&mut self) -> Result<()> {
        // Whoever had the terminal meanwhile may have switched the mode without this program.
        disable_raw_mode()?;
        enable_raw_mode()?;
        take_over()?;
        // A new one knows nothing of the old screen and so draws every cell; clearing the
        // old one would ask the terminal for its cursor, whose answer the listener reads.
        execute!(stdout(), Clear(ClearType::All))?;
        self.terminal = ManuallyDrop::new(Terminal::new(CrosstermBackend::new(stdout()))?);
        Ok(())
    }

    /// Hands text to the terminal's clipboard (OSC 52), which asks no other program.
    fn copy(&mut self, text: &str) -> Result<()> {
        let mut out = stdout();
        write!(out, "\x1b]52;c;{}\x07", base64(text.as_bytes()))?;
        out.flush()?;
        Ok(())
    }
}

impl Drop for RawScreen {
    fn drop(&mut self) {
        restore();
        // A last newline would only matter to a terminal that is gone.
        let _ = self.terminal.show_cursor();
    }
}

fn take_over() -> std::io::Result<()> {
    execute!(
        stdout(),
        EnterAlternateScreen,
        EnableMouseCapture,
        EnableBracketedPaste
    )
}

fn restore() {
    // Whatever of this fails, the rest is tried: there is nobody left to tell.
    let _ = execute!(
        stdout(),
        DisableBracketedPaste,
        DisableMouseCapture,
        LeaveAlternateScreen
    );
    let _ = disable_raw_mode();
}

fn base64(bytes: &[u8]) -> String {
    const SIGNS: &[u8; 64] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    let mut out = String::new();
    for chunk in bytes.chunks(3) {
        let bits =
            chunk.iter().fold(0u32, |n, b| n << 8 | u32::from(*b)) << (8 * (3 - chunk.len()));
        for i in 0..4 {
            let sign = SIGNS[(bits >> (18 - 6 * i) & 63) as usize];
            out.push(if i <= chunk.len() { sign as char } else { '=' });
        }
    }
    out
}

enum Task {
    Job(Job, u64),
    Sync(armistice_git::Case),
    Stop,
}

/// Threads that do jobs: several that read, one that writes in order.
struct Pool {
    reads: Arc<(Mutex<VecDeque<Job>>, Condvar)>,
    writes: Sender<Task>,
    /// How many jobs were sent to the writer.
    sent: AtomicU64,
    /// Of those, how many a person has stopped, as far as they can be.
    stopped: Arc<AtomicU64>,
    writer: JoinHandle<()>,
    /// How many readers and commands are at work.
    busy: Arc<AtomicUsize>,
    worker: Arc<Worker>,
    to_main: Sender<Wake>,
}

impl Pool {
    fn new(worker: &Arc<Worker>, to_main: &Sender<Wake>) -> Self {
        let reads: Arc<(Mutex<VecDeque<Job>>, Condvar)> = Arc::default();
        let busy: Arc<AtomicUsize> = Arc::default();
        for _ in 0..READERS {
            let (reads, worker, to_main) = (reads.clone(), worker.clone(), to_main.clone());
            let busy = busy.clone();
            std::thread::spawn(move || {
                while let Some(job) = next_read(&reads) {
                    busy.fetch_add(1, Ordering::Relaxed);
                    let heard = report(&worker, job, &to_main);
                    busy.fetch_sub(1, Ordering::Relaxed);
                    if !heard {
                        break;
                    }
                }
            });
        }
        let (writes, tasks) = channel();
        let (own_worker, own_to_main) = (worker.clone(), to_main.clone());
        let stopped: Arc<AtomicU64> = Arc::default();
        let own_stopped = stopped.clone();
        let (worker, to_main) = (worker.clone(), to_main.clone());
        let writer = std::thread::spawn(move || {
            for task in tasks {
                match task {
                    Task::Job(job, nth) if nth < stopped.load(Ordering::Relaxed) => {
                        match left_alone(&job) {
                            Some(result) => {
                                let done = Action::Done(job.generation, Box::new(result));
                                let _ = to_main.send(Wake::Action(done));
                            }
                            None => drop(report(&worker, job, &to_main)),
                        }
                    }
                    Task::Job(job, _) => {
                        report(&worker, job, &to_main);
                    }
                    Task::Sync(case) => worker.sync(&case),
                    Task::Stop => break,
                }
            }
        });
        Pool {
            reads,
            writes,
            sent: AtomicU64::new(0),
            stopped: own_stopped,
            writer,
            busy,
            worker: own_worker,
            to_main: own_to_main,
        }
    }

    fn send(&self, job: Job) {
        if matches!(job.effect, Effect::RunChecks { .. }) {
            // It may take minutes, which nothing else shall wait for.
            let (worker, to_main, busy) = (&self.worker, &self.to_main, &self.busy);
            let (worker, to_main, busy) = (worker.clone(), to_main.clone(), busy.clone());
            busy.fetch_add(1, Ordering::Relaxed);
            std::thread::spawn(move || {
                report(&worker, job, &to_main);
                busy.fetch_sub(1, Ordering::Relaxed);
            });
            return;
        }
        let first = matches!(job.effect, Effect::LoadFirst(_));
        match job.effect {
            Effect::Load(_)
            | Effect::LoadFirst(_)
            | Effect::Prove
            | Effect::Audit(_)
            | Effect::Propose(_)
            | Effect::FindLike { .. }
            | Effect::ReadLog
            | Effect::ReadDiff { .. }
            | Effect::ReadHistory(..)
            | Effect::Shade(..)
            | Effect::ReadTerrain
            | Effect::FindMarkers
            | Effect::ReviewSteps
            | Effect::ReadScout
            | Effect::Foresee(_)
            | Effect::NameCounterpart(_)
            | Effect::Draw(..)
            | Effect::ReadCommits(_)
            | Effect::CheckSyntax { .. }
            | Effect::Measure => {
                let (queue, bell) = &*self.reads;
                if let Ok(mut queue) = queue.lock() {
                    if first {
                        queue.push_front(job);
                    } else {
                        queue.push_back(job);
                    }
                    bell.notify_one();
                }
            }
            // The writer outlives every sender, so sending cannot fail.
            _ => {
                let nth = self.sent.fetch_add(1, Ordering::Relaxed);
                drop(self.writes.send(Task::Job(job, nth)));
            }
        }
    }

    /// Forgets the files that wait to be read, and has those that wait to be written left alone.
    fn stop_queued(&self) {
        let (queue, _) = &*self.reads;
        if let Ok(mut queue) = queue.lock() {
            queue.retain(|job| !matches!(job.effect, Effect::Load(_)));
        }
        let sent = self.sent.load(Ordering::Relaxed);
        self.stopped.store(sent, Ordering::Relaxed);
    }

    fn sync(&self, case: Option<armistice_git::Case>) {
        if let Some(case) = case {
            drop(self.writes.send(Task::Sync(case)));
        }
    }

    /// Waits for what is being written, then ends every git that still runs: one that hangs must
    /// not hold the program.
    fn finish(self) -> Ended {
        drop(self.writes.send(Task::Stop));
        let idle = || self.writer.is_finished() && self.busy.load(Ordering::Relaxed) == 0;
        wait_for(|| self.writer.is_finished(), PATIENCE);
        let ended = match self.writer.is_finished() {
            true => Ended::Whole,
            false => Ended::GitStopped,
        };
        Cancel::everything();
        wait_for(idle, PATIENCE);
        ended
    }
}

/// What is reported of a job that a person has stopped; nothing if it is done all the same.
fn left_alone(job: &Job) -> Option<WorkResult> {
    let Effect::WriteMany(jobs) = &job.effect else {
        return None;
    };
    let stopped = jobs.iter().map(|(at, _)| (*at, Err(Trouble::Stopped)));
    Some(WorkResult::WroteMany(stopped.collect()))
}

/// Waits until something is so, at most for a while.
fn wait_for(is: impl Fn() -> bool, most: Duration) {
    let started = Instant::now();
    while !is() && started.elapsed() < most {
        std::thread::sleep(Duration::from_millis(5));
    }
}

fn next_read(reads: &(Mutex<VecDeque<Job>>, Condvar)) -> Option<Job> {
    let (queue, bell) = reads;
    let mut queue = queue.lock().ok()?;
    loop {
        if let Some(job) = queue.pop_front() {
            return Some(job);
        }
        queue = bell.wait(queue).ok()?;
    }
}

/// Does a job and reports; says whether anybody still listens.
fn report(worker: &Worker, job: Job, to_main: &Sender<Wake>) -> bool {
    let generation = job.generation;
    let tell = |result| {
        // Nobody listens any more: the program ends.
        let _ = to_main.send(Wake::Action(Action::Done(generation, Box::new(result))));
    };
    match worker.perform(job, &tell) {
        Some(outcome) => to_main
            .send(Wake::Action(Action::Done(generation, Box::new(outcome))))
            .is_ok(),
        None => true,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_clipboard_gets_base64() {
        assert_eq!(base64(b"tide"), "dGlkZQ==");
        assert_eq!(base64(b"berth"), "YmVydGg=");
        assert_eq!(base64(b"harbou"), "aGFyYm91");
    }
}
