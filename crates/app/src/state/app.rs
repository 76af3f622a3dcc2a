//! Everything the screens show, as one value. Only `update` changes it.

use crate::base::commands::Tab;
use crate::base::editor::Editor;
use crate::base::keymap::KeyContext;
use crate::base::party_words::PartyWords;
use crate::base::project_checks::ProjectCheck;
use crate::base::settings::Settings;
use crate::case::checks::{OutputLines, ProjectChecks};
use crate::case::findings::{detail, marker_words};
use crate::case::opened::Unfinished;
use crate::case::place::Place;
use crate::case::staged_diff::DiffRead;
use crate::state::docket::DocketView;
use crate::state::effect::FileId;
use crate::state::file::{FileLoad, FileState, Mode, OpenFile, SyntaxState};
use crate::state::following::Following;
use crate::state::overlay::{ListView, Message, Overlay};
use crate::state::scout::ScoutState;
use crate::state::terrain::{Reading, TerrainState};
use armistice_core::{Counts, Draft, PerSide, Report, Side, SideReport};
use armistice_git::IndexState;
use armistice_git::{
    AgainstParent, Case, CheckRun, Ending, Leftover, LogLine, MarkerFile, Operation, PathFinding,
    Proof, RepoPath, Situation, Undertaking, Verdict,
};
use std::collections::HashMap;
use std::ops::{Index, IndexMut};

/// What Proof knows.
#[derive(Clone, Debug, Default)]
pub struct ProofState {
    /// All that was found.
    pub proof: Option<Proof>,
    /// What the checks of what is to be committed found.
    pub checked: Option<Proof>,
    /// What became of every line, by file.
    pub reports: Vec<(FileId, Report)>,
    pub running: bool,
    /// Whether to check once more when the check that runs is done: what it looked at has changed.
    pub again: bool,
    pub error: Option<String>,
    /// The project's own commands.
    pub checks: ProjectChecks,
    /// The one that runs, by its line, and since when.
    pub at_work: Option<(String, i64)>,
    /// What each printed in this session, by its line.
    pub outputs: HashMap<String, OutputLines>,
    pub list: ListView,
}

/// What a row of Proof's list is about, counted from zero.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ProofRow {
    Check(usize),
    Finding(usize),
}

impl ProofState {
    /// Rows of the list: the project's own commands, then the findings.
    pub fn rows(&self) -> usize {
        self.checks.all.len() + self.proof.as_ref().map_or(0, |proof| proof.findings.len())
    }

    /// What a row is about, if there is such a one.
    pub fn row(&self, nth: usize) -> Option<ProofRow> {
        let checks = self.checks.all.len();
        match nth.checked_sub(checks) {
            None => Some(ProofRow::Check(nth)),
            Some(finding) => (nth < self.rows()).then_some(ProofRow::Finding(finding)),
        }
    }

    /// The finding at the cursor.
    pub fn chosen_finding(&self) -> Option<&PathFinding> {
        match self.row(self.list.chosen)? {
            ProofRow::Check(_) => None,
            ProofRow::Finding(nth) => self.proof.as_ref()?.findings.get(nth),
        }
    }

    /// The command at the cursor.
    pub fn chosen_check(&self) -> Option<&(ProjectCheck, Option<CheckRun>)> {
        match self.row(self.list.chosen)? {
            ProofRow::Check(nth) => self.checks.all.get(nth),
            ProofRow::Finding(_) => None,
        }
    }

    /// What stood in the work tree when it was looked at the last time.
    pub fn stands(&self) -> &str {
        self.checked.as_ref().map_or("", |proof| &proof.stands)
    }
}

/// What Accord knows.
#[derive(Clone, Debug)]
pub struct AccordState {
    pub editor: Editor,
    pub editing: bool,
    pub running: Option<Ending>,
    /// Whether to conclude as soon as what is staged is checked.
    pub waiting: bool,
    pub verdict: Option<Verdict>,
    /// Where no operation is in progress: tracked files with conflict markers, once they were looked for.
    pub markers: Option<Vec<MarkerFile>>,
    /// Backup files of git's own beside what was in conflict, of all steps that were ended.
    pub leftovers: Vec<Leftover>,
    pub log: Vec<LogLine>,
    /// What is staged against each parent.
    pub against: Vec<AgainstParent>,
    pub top: usize,
}

/// What is staged against each parent, as it is looked through.
#[derive(Clone, Debug, Default)]
pub struct StagedView {
    /// Which parent, in the order of [`AccordState::against`].
    pub parent: usize,
    pub files: ListView,
    /// The first row of the difference that is shown.
    pub top: usize,
    /// Columns scrolled out to the left.
    pub left: usize,
    /// Differences that were read, by parent and file; nothing where there is no text.
    pub read: HashMap<(usize, RepoPath), DiffRead>,
}

impl AccordState {
    fn new(message: &str) -> Self {
        AccordState {
            editor: Editor::new(message, Vec::new()),
            editing: false,
            running: None,
            waiting: false,
            verdict: None,
            markers: None,
            leftovers: Vec::new(),
            log: Vec::new(),
            against: Vec::new(),
            top: 0,
        }
    }
}

/// The whole state of the application.
#[derive(Clone, Debug)]
pub struct State {
    pub tab: Tab,
    pub size: (u16, u16),
    /// Seconds since 1970, for telling ages.
    pub now: i64,
    /// Counts how often the situation was read; results of earlier readings are dropped.
    pub generation: u64,
    pub situation: Situation,
    /// One for each case of the situation, in its order.
    pub files: Vec<FileState>,
    pub docket: DocketView,
    /// The file that Parley shows.
    pub file: FileId,
    pub scout: ScoutState,
    pub terrain: TerrainState,
    pub proof: ProofState,
    pub accord: AccordState,
    /// The place that was noted last.
    pub noted: Option<Place>,
    /// Where the person was when the program was closed, until it is shown again.
    pub returning: Option<Place>,
    /// An edit that waits for the files it is about to be read.
    pub following: Option<Following>,
    /// What is staged, if it is looked through.
    pub staged: Option<StagedView>,
    pub overlay: Option<Overlay>,
    pub message: Message,
    pub done: bool,
    pub settings: Settings,
    /// Rules switched off in this session, the last one last.
    pub switched_off: Vec<String>,
    /// What was copied last, in the editor or out of the versions.
    pub clipboard: String,
    /// What was looked for last in Parley.
    pub needle: String,
    /// Whether blanks and line ends are made visible.
    pub blanks_shown: bool,
    /// Steps over several files so far.
    groups: u64,
}

impl State {
    /// A state over a situation; nothing is loaded yet.
    pub fn new(situation: Situation, size: (u16, u16), now: i64) -> Self {
        let files = situation
            .cases
            .iter()
            .cloned()
            .map(FileState::new)
            .collect();
        let tab = match situation.cases.is_empty() {
            true if situation.is_idle() => Tab::Scout,
            true => Tab::Accord,
            false => Tab::Docket,
        };
        let accord = AccordState::new(&situation.message.as_git);
        State {
            tab,
            size,
            now,
            generation: 0,
            situation,
            files,
            docket: DocketView::default(),
            file: FileId(0),
            scout: ScoutState::default(),
            terrain: TerrainState::default(),
            proof: ProofState::default(),
            accord,
            noted: None,
            returning: None,
            following: None,
            staged: None,
            overlay: None,
            message: Message::default(),
            done: false,
            settings: Settings::default(),
            switched_off: Vec::new(),
            clipboard: String::new(),
            needle: String::new(),
            blanks_shown: false,
            groups: 0,
        }
    }

    /// Takes the settings; nothing has been edited yet.
    pub fn set_up(&mut self, settings: Settings) {
        self.accord = AccordState::new(&self.situation.message.with(settings.conflict_list));
        self.settings = settings;
    }

    /// Takes a newly read situation; what was loaded of unchanged cases stays.
    pub fn situate(&mut self, situation: Situation) {
        self.generation += 1;
        let here = [self.file, FileId(self.docket.chosen)];
        let here = here.map(|at| Some(self.file(at)?.case.path.clone()));
        let mut old: Vec<_> = std::mem::take(&mut self.files);
        let same_step = self.situation.theirs == situation.theirs
            && self.situation.foreseen.is_some() == situation.foreseen.is_some();
        let adopt = |case: &Case| {
            let at = old.iter().position(|f| {
                same_step && f.case.path == case.path && f.case.stages == case.stages
            });
            match at.map(|at| old.swap_remove(at)) {
                Some(mut file) if !matches!(file.load, FileLoad::Waiting) => {
                    // Somebody else staged it: decisions made before that were not written.
                    if !file.is_staged() && case.standing == IndexState::Staged {
                        file.unfinished = None;
                    }
                    file.case = case.clone();
                    file.writing = false;
                    // What was being looked at is not told any more.
                    if let Some(open) = file.open_mut() {
                        open.view.syntax = SyntaxState::default();
                    }
                    file
                }
                _ => FileState::new(case.clone()),
            }
        };
        self.files = situation.cases.iter().map(adopt).collect();
        if self.situation.message != situation.message {
            let fresh = AccordState::new(&situation.message.with(self.settings.conflict_list));
            let old = std::mem::replace(&mut self.accord, fresh);
            (self.accord.verdict, self.accord.log) = (old.verdict, old.log);
            self.accord.leftovers = old.leftovers;
            self.staged = None;
        }
        // Another case may have come in front of the current one.
        let last = self.files.len().saturating_sub(1);
        let again = |path: &Option<RepoPath>, at: usize| {
            let mut cases = self.files.iter().map(|file| &file.case.path);
            let found = cases.position(|other| Some(other) == path.as_ref());
            found.unwrap_or(at.min(last))
        };
        let [file, chosen] = here;
        let (file, chosen) = (
            again(&file, self.file.0),
            again(&chosen, self.docket.chosen),
        );
        (self.file, self.docket.chosen) = (FileId(file), chosen);
        // What moved is read again when somebody looks.
        self.terrain.reading = Reading::Unread;
        self.accord.markers = None;
        // What was found before stays to be read until it is checked again.
        (self.proof.running, self.proof.again) = (false, false);
        self.situation = situation;
    }

    /// A number for a step over several files, unlike any in journals of before.
    pub fn next_group(&mut self) -> u64 {
        self.groups += 1;
        (self.now.unsigned_abs() << 20) + self.groups
    }

    /// What the sides are called where "ours" and "theirs" would mislead: in a rebase.
    pub fn party_words(&self) -> PartyWords {
        let situation = &self.situation;
        let label = &situation.ours.label;
        let onto = label.strip_prefix("onto ").unwrap_or(label);
        let foreseen = situation.foreseen.as_ref().map(|of| of.undertaking);
        match (situation.operation, foreseen) {
            (Operation::Rebase { step, .. }, _) => {
                PartyWords::new(onto, format!("your commit {step}"))
            }
            // A forecast of a rebase is looked into from the step that Scout shows.
            (_, Some(Undertaking::Rebase)) if self.tab != Tab::Scout => {
                let step = self.scout.shown.as_ref().map_or(1, |(_, nth)| nth + 1);
                PartyWords::new(onto, format!("your commit {step}"))
            }
            _ => PartyWords::default(),
        }
    }

    /// A text of the program with the sides by their names.
    pub fn named(&self, text: &str) -> String {
        self.party_words().put_into(text)
    }

    /// Says something at the bottom; trouble that nobody has seen yet stays.
    pub fn say(&mut self, text: impl Into<String>) {
        if self.message.is_trouble && !self.message.seen {
            return;
        }
        self.message = Message {
            text: text.into(),
            ..Message::default()
        };
    }

    /// Says what went wrong; behind other trouble that nobody has seen yet.
    pub fn complain(&mut self, text: impl Into<String>) {
        let mut text = text.into();
        let unseen = &self.message;
        if unseen.is_trouble && !unseen.seen && !unseen.text.contains(&text) {
            text = format!("{} · {text}", unseen.text);
        }
        self.message = Message {
            text,
            is_trouble: true,
            seen: false,
        };
    }

    /// Removes the last report about markers from the message line: it is out of date.
    pub fn drop_marker_report(&mut self) {
        let reported = self.accord.markers.as_deref().and_then(marker_words);
        if reported.is_some_and(|said| said == self.message.text) {
            self.message = Message::default();
        }
    }

    /// A file, if there is such a one.
    pub fn file(&self, at: FileId) -> Option<&FileState> {
        self.files.get(at.0)
    }

    pub fn file_mut(&mut self, at: FileId) -> Option<&mut FileState> {
        self.files.get_mut(at.0)
    }

    /// The file that is chosen on Docket.
    pub fn chosen(&self) -> FileId {
        FileId(self.docket.chosen)
    }

    /// The ids of all files.
    pub fn file_ids(&self) -> impl DoubleEndedIterator<Item = FileId> + use<> {
        (0..self.files.len()).map(FileId)
    }

    /// The other files, going round from one.
    pub fn others(&self, from: FileId, forward: bool) -> impl Iterator<Item = FileId> + use<> {
        let n = self.files.len();
        (1..n).map(move |step| match forward {
            true => FileId((from.0 + step) % n),
            false => FileId((from.0 + n - step) % n),
        })
    }

    /// All files with their ids.
    pub fn ids(&self) -> impl DoubleEndedIterator<Item = (FileId, &FileState)> {
        self.files
            .iter()
            .enumerate()
            .map(|(at, file)| (FileId(at), file))
    }

    /// Whether two parties are really meeting.
    pub fn has_real_parties(&self) -> bool {
        self.situation.foreseen.is_none() && !self.situation.is_idle()
    }

    /// The file that Parley shows, if it has lines.
    pub fn open_file(&self) -> Option<&OpenFile> {
        self.file(self.file)?.open()
    }

    pub fn open_file_mut(&mut self) -> Option<&mut OpenFile> {
        self.file_mut(self.file)?.open_mut()
    }

    /// Which keys count now.
    pub fn context(&self) -> KeyContext {
        match self.tab {
            Tab::Proof | Tab::Accord if self.staged.is_some() => KeyContext::Staged,
            Tab::Scout => KeyContext::Scout,
            Tab::Docket => KeyContext::Docket,
            Tab::Terrain => KeyContext::Terrain,
            Tab::Proof => KeyContext::Proof,
            Tab::Accord if self.accord.editing => KeyContext::Message,
            Tab::Accord => KeyContext::Accord,
            Tab::Parley => match self.open_file().map(|f| &f.view.mode) {
                Some(Mode::Pick(_)) => KeyContext::Picking,
                Some(Mode::Edit(_)) => KeyContext::Editing,
                _ => KeyContext::Parley,
            },
        }
    }

    /// Files finished and files in all.
    pub fn files_done(&self) -> (usize, usize) {
        let done = self.files.iter().filter(|f| f.finished()).count();
        (done, self.files.len())
    }

    /// Conflicts, open ones, and how many files are not read yet.
    pub fn totals(&self) -> (Counts, usize) {
        let mut sum = Counts::default();
        let mut waiting = 0;
        for file in &self.files {
            match file.counts() {
                Some(counts) => {
                    sum.conflicts += counts.conflicts;
                    sum.open += counts.open;
                    sum.by_rule += counts.by_rule;
                    sum.elsewhere += counts.elsewhere;
                }
                None => waiting += 1,
            }
        }
        (sum, waiting)
    }

    /// The drafts of all files that are read, to be accounted for.
    pub fn drafts(&self) -> Vec<(FileId, Draft)> {
        self.ids()
            .filter_map(|(at, f)| Some((at, f.open()?.draft().clone())))
            .collect()
    }

    /// Puts together what the checks and the audit found.
    pub fn sum_up(&mut self) {
        let Some(checked) = self.proof.checked.clone() else {
            return;
        };
        // What is staged may have changed outside since the file was read.
        for file in self.files.iter_mut().filter(|f| f.is_staged()) {
            let has_markers = checked.has_markers(&file.case.path);
            match (has_markers, file.unfinished) {
                (true, _) => file.unfinished = Some(Unfinished::Markers),
                (false, Some(Unfinished::Markers)) => file.unfinished = None,
                _ => {}
            }
        }
        let open = |path: &RepoPath| {
            let file = self.files.iter().find(|f| f.case.path == *path);
            file.and_then(|f| f.open()).map(|f| &f.opened)
        };
        let decided = |path: &RepoPath| {
            let file = self.files.iter().find(|f| f.case.path == *path);
            matches!(file.map(|f| &f.load), Some(FileLoad::Whole(w)) if w.decided.is_some())
        };
        let changed = self.files.iter();
        let changed =
            changed.filter(|f| f.is_staged() && f.unfinished == Some(Unfinished::Decided));
        let changed = changed.map(|file| &file.case.path);
        let mut proof = detail(checked, open, decided, changed);
        for (at, report) in &self.proof.reports {
            if let Some(file) = self.file(*at) {
                proof.add_findings(&file.case.path, &report.findings);
            }
        }
        self.proof.proof = Some(proof);
    }

    /// What became of both sides' work in all files.
    pub fn ledger(&self) -> PerSide<SideReport> {
        let mut sum = PerSide::<SideReport>::default();
        for (_, report) in &self.proof.reports {
            for side in Side::BOTH {
                sum[side] += report.sides[side];
            }
        }
        sum
    }

    /// The name of a side, as the second line says it.
    pub fn label(&self, side: Side) -> &str {
        match side {
            Side::Ours => &self.situation.ours.label,
            Side::Theirs => &self.situation.theirs.label,
        }
    }
}

/// # Panics
/// If there is no such file.
impl Index<FileId> for State {
    type Output = FileState;

    fn index(&self, at: FileId) -> &FileState {
        &self.files[at.0]
    }
}

impl IndexMut<FileId> for State {
    fn index_mut(&mut self, at: FileId) -> &mut FileState {
        &mut self.files[at.0]
    }
}
