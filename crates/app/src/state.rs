//! Everything the screens show, as one value. Changed by `update` alone.

use crate::action::{Effect, Tab, Tally};
use crate::editor::Editor;
use crate::keymap::Context;
use crate::open_findings::detail;
use crate::settings::Settings;
use crate::update::Rulings;
use armistice_core::{
    Counts, Draft, Encoding, Origin, Pick, Plan, RegionId, Report, Resolution, Ruling, Session,
    Side, SideReport, Version, rule_title,
};
use armistice_git::{Case, Ending, LogLine, Proof, Seen, Situation, Standing, Verdict};
use std::collections::BTreeMap;

/// A conflicted file as far as it has been read.
#[derive(Clone, Debug)]
pub enum FileLoad {
    /// Being read.
    Waiting,
    /// Could not be read.
    Failed(String),
    /// Lines that can be merged.
    Lines(Box<OpenFile>),
    /// Nothing to merge line by line: only whole-file outcomes.
    Whole(WholeFile),
}

/// A case that is settled as a whole.
#[derive(Clone, Debug)]
pub struct WholeFile {
    /// Why its lines cannot be merged here.
    pub why: &'static str,
    /// Bytes of base, ours, theirs; `None` for a missing version.
    pub sizes: [Option<usize>; 3],
    /// Lines each side added to and removed from base, where there are lines.
    pub lost: Option<[(usize, usize); 2]>,
    pub seen: Seen,
}

/// A file with a session over it.
#[derive(Clone, Debug)]
pub struct OpenFile {
    pub session: Session,
    pub encoding: Encoding,
    pub seen: Seen,
    /// Lines that ours and theirs added to and removed from base.
    pub lost: [(usize, usize); 2],
    /// Why each conflict is one, in the plan's order.
    pub causes: Vec<String>,
    /// What the rules make of the conflicts, settled ones too.
    pub rulings: BTreeMap<RegionId, Ruling>,
    /// The words of one side at the indentation of the other, where conflicts can be settled so.
    pub reindented: BTreeMap<RegionId, Vec<(Side, Resolution)>>,
    /// Whether what we staged is no longer what the draft says.
    pub outdated: bool,
    pub view: FileView,
    /// What a person should know about how it was opened.
    pub note: Option<String>,
    /// Text of an edit that was cut short.
    pub sketch: Option<String>,
}

impl OpenFile {
    pub fn draft(&self) -> &Draft {
        self.session.draft()
    }

    pub fn plan(&self) -> &Plan {
        self.session.draft().plan()
    }

    /// What a rule would let stand for an open conflict.
    pub fn proposal(&self, id: RegionId) -> Option<&Ruling> {
        let open = self.draft().is_open(id);
        let ruling = self.rulings.get(&id).filter(|_| open);
        ruling.filter(|r| r.resolution.is_some())
    }
}

/// How the evidence is looked at.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Lens {
    /// base→ours and base→theirs.
    #[default]
    Deltas,
    /// Ours against theirs.
    Face,
    /// The plain versions.
    Texts,
}

impl Lens {
    pub const ALL: [Lens; 3] = [Lens::Deltas, Lens::Face, Lens::Texts];

    pub fn name(self) -> &'static str {
        match self {
            Lens::Deltas => "deltas",
            Lens::Face => "face",
            Lens::Texts => "texts",
        }
    }

    pub fn next(self) -> Self {
        Lens::ALL[(self as usize + 1) % 3]
    }
}

/// Where a person is in a file.
#[derive(Clone, Debug, Default)]
pub struct FileView {
    /// The region the cursor is in.
    pub region: u32,
    /// Rows below the region's first.
    pub offset: usize,
    /// First row shown.
    pub top: usize,
    /// Columns scrolled out to the left.
    pub left: usize,
    pub lens: Lens,
    pub wide: bool,
    /// The previewed choice, by its place in the settle box.
    pub choice: Option<usize>,
    pub mode: Mode,
}

/// What is being done in a file.
#[derive(Clone, Debug, Default)]
pub enum Mode {
    #[default]
    Look,
    Pick(Picking),
    Edit(Box<Editing>),
}

/// Lines being picked in the evidence.
#[derive(Clone, Debug, Default)]
pub struct Picking {
    /// Place in the list of lines.
    pub cursor: usize,
    pub picks: Vec<Pick>,
}

/// The draft being edited.
#[derive(Clone, Debug)]
pub struct Editing {
    pub editor: Editor,
    /// The draft that the editor's text was made from, seed included.
    pub before: Draft,
    /// The conflict it started in, if it is open or seeded.
    pub region: Option<RegionId>,
    /// How many lines stood there before.
    pub was: usize,
    /// What was put there to start from.
    pub seed: Option<Resolution>,
    /// The search prompt, while it is open.
    pub prompt: Option<String>,
    pub needle: String,
}

/// One conflicted path with what is known and decided about it.
#[derive(Clone, Debug)]
pub struct FileState {
    pub case: Case,
    pub load: FileLoad,
    /// Whether it is being written just now.
    pub writing: bool,
    /// Whether decisions were made since it was written.
    pub changed: bool,
}

impl FileState {
    pub fn new(case: Case) -> Self {
        FileState {
            case,
            load: FileLoad::Waiting,
            writing: false,
            changed: false,
        }
    }

    /// Conflicts and open ones; a case without lines is one conflict.
    pub fn counts(&self) -> Option<Counts> {
        let done = self.case.standing == Standing::Staged;
        match &self.load {
            FileLoad::Waiting => None,
            FileLoad::Lines(open) => Some(open.draft().counts()),
            FileLoad::Failed(_) | FileLoad::Whole(_) => Some(Counts {
                conflicts: 1,
                open: usize::from(!done),
                by_rule: 0,
            }),
        }
    }

    /// Open conflicts for which a rule proposes something.
    pub fn proposals(&self) -> impl Iterator<Item = RegionId> {
        let open = self.open();
        let ids = open
            .into_iter()
            .flat_map(|file| file.draft().open().map(move |id| (file, id)));
        ids.filter(|(file, id)| file.proposal(*id).is_some())
            .map(|(_, id)| id)
    }

    pub fn open(&self) -> Option<&OpenFile> {
        match &self.load {
            FileLoad::Lines(open) => Some(open),
            _ => None,
        }
    }

    pub fn open_mut(&mut self) -> Option<&mut OpenFile> {
        match &mut self.load {
            FileLoad::Lines(open) => Some(open),
            _ => None,
        }
    }

    /// Whether it is written and staged as it stands.
    pub fn finished(&self) -> bool {
        self.case.standing == Standing::Staged && !self.changed
    }
}

/// A question that must be answered before something is done.
#[derive(Clone, Debug)]
pub struct Question {
    pub title: String,
    pub lines: Vec<String>,
    /// What "yes" does, in a few words.
    pub yes: String,
    pub effects: Vec<Effect>,
    /// What it settles, if it is about that.
    pub rulings: Rulings,
}

/// Something in front of the screen.
#[derive(Clone, Debug)]
pub enum Overlay {
    Help {
        top: usize,
    },
    Ask {
        typed: String,
        chosen: usize,
    },
    Question(Question),
    /// What git and its hooks said when they refused.
    Told {
        title: String,
        lines: Vec<String>,
        top: usize,
    },
}

/// The one-line message.
#[derive(Clone, Debug, Default)]
pub struct Message {
    pub text: String,
    pub is_trouble: bool,
}

#[derive(Clone, Debug, Default)]
pub struct ListView {
    pub chosen: usize,
    pub top: usize,
}

/// What Proof knows.
#[derive(Clone, Debug, Default)]
pub struct ProofState {
    /// All that was found.
    pub proof: Option<Proof>,
    /// What the checks of what is to be committed found.
    pub checked: Option<Proof>,
    /// What became of every line, by file.
    pub reports: Vec<(usize, Report)>,
    pub running: bool,
    pub error: Option<String>,
    pub list: ListView,
}

/// What Accord knows.
#[derive(Clone, Debug)]
pub struct AccordState {
    pub editor: Editor,
    pub editing: bool,
    pub running: Option<Ending>,
    pub verdict: Option<Verdict>,
    pub log: Vec<LogLine>,
    /// The result against each parent.
    pub against: Option<(Tally, Tally)>,
    pub top: usize,
}

impl AccordState {
    fn new(message: &str) -> Self {
        AccordState {
            editor: Editor::new(message, Vec::new()),
            editing: false,
            running: None,
            verdict: None,
            log: Vec::new(),
            against: None,
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
    pub docket: ListView,
    /// The file that Parley shows.
    pub file: usize,
    pub proof: ProofState,
    pub accord: AccordState,
    pub overlay: Option<Overlay>,
    pub message: Message,
    pub done: bool,
    pub settings: Settings,
    /// Rules switched off in this session, the last one last.
    pub switched_off: Vec<String>,
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
        let tab = if situation.cases.is_empty() {
            Tab::Accord
        } else {
            Tab::Docket
        };
        let accord = AccordState::new(&situation.message);
        State {
            tab,
            size,
            now,
            generation: 0,
            situation,
            files,
            docket: ListView::default(),
            file: 0,
            proof: ProofState::default(),
            accord,
            overlay: None,
            message: Message::default(),
            done: false,
            settings: Settings::default(),
            switched_off: Vec::new(),
            blanks_shown: false,
            groups: 0,
        }
    }

    /// Takes a newly read situation; what was loaded of unchanged cases stays.
    pub fn situate(&mut self, situation: Situation) {
        self.generation += 1;
        let mut old: Vec<_> = std::mem::take(&mut self.files);
        let same_step = self.situation.theirs == situation.theirs;
        let adopt = |case: &Case| {
            let at = old.iter().position(|f| {
                same_step && f.case.path == case.path && f.case.stages == case.stages
            });
            match at.map(|at| old.swap_remove(at)) {
                Some(mut file) if !matches!(file.load, FileLoad::Waiting) => {
                    file.case = case.clone();
                    file.writing = false;
                    file
                }
                _ => FileState::new(case.clone()),
            }
        };
        self.files = situation.cases.iter().map(adopt).collect();
        if self.situation.message != situation.message {
            let fresh = AccordState::new(&situation.message);
            let old = std::mem::replace(&mut self.accord, fresh);
            (self.accord.verdict, self.accord.log) = (old.verdict, old.log);
        }
        self.docket.chosen = self.docket.chosen.min(self.files.len().saturating_sub(1));
        self.file = self.file.min(self.files.len().saturating_sub(1));
        // What was found before stays to be read until it is checked anew.
        self.proof.running = true;
        self.situation = situation;
    }

    /// A number for a step over several files, unlike any in journals of before.
    pub fn next_group(&mut self) -> u64 {
        self.groups += 1;
        (self.now.unsigned_abs() << 20) + self.groups
    }

    pub fn say(&mut self, text: impl Into<String>) {
        self.message = Message {
            text: text.into(),
            is_trouble: false,
        };
    }

    pub fn complain(&mut self, text: impl Into<String>) {
        self.message = Message {
            text: text.into(),
            is_trouble: true,
        };
    }

    /// The file that Parley shows, if it has lines.
    pub fn open_file(&self) -> Option<&OpenFile> {
        self.files.get(self.file)?.open()
    }

    pub fn open_file_mut(&mut self) -> Option<&mut OpenFile> {
        self.files.get_mut(self.file)?.open_mut()
    }

    /// Which keys count now.
    pub fn context(&self) -> Context {
        match self.tab {
            Tab::Docket => Context::Docket,
            Tab::Proof => Context::Proof,
            Tab::Accord if self.accord.editing => Context::Message,
            Tab::Accord => Context::Accord,
            Tab::Parley => match self.open_file().map(|f| &f.view.mode) {
                Some(Mode::Pick(_)) => Context::Picking,
                Some(Mode::Edit(_)) => Context::Editing,
                _ => Context::Parley,
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
                }
                None => waiting += 1,
            }
        }
        (sum, waiting)
    }

    /// The drafts of all files that are read, to be accounted for.
    pub fn drafts(&self) -> Vec<(usize, Draft)> {
        let open = self.files.iter().enumerate();
        open.filter_map(|(at, f)| Some((at, f.open()?.draft().clone())))
            .collect()
    }

    /// Puts together what the checks and the audit found.
    pub fn sum_up(&mut self) {
        let Some(checked) = self.proof.checked.clone() else {
            return;
        };
        let mut proof = detail(checked, &self.files);
        for (at, report) in &self.proof.reports {
            if let Some(file) = self.files.get(*at) {
                proof.add_findings(&file.case.path, &report.findings);
            }
        }
        self.proof.proof = Some(proof);
    }

    /// What became of both sides' work in all files.
    pub fn ledger(&self) -> (SideReport, SideReport) {
        let mut sum = (SideReport::default(), SideReport::default());
        for (_, report) in &self.proof.reports {
            sum.0 += report.ours;
            sum.1 += report.theirs;
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

/// The key of the choice that a rule proposes.
pub const PROPOSAL: &str = "space";

/// One line of the settle box.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Choice {
    pub key: &'static str,
    pub label: String,
    pub lines: usize,
    pub resolution: Resolution,
}

/// The words of one side at the indentation of the other, as the screens say it.
pub fn reindented_name(words: Side) -> &'static str {
    match words {
        Side::Ours => "ours re-indented",
        Side::Theirs => "theirs re-indented",
    }
}

/// What is possible for a region, and how many lines each choice would give.
///
/// Choices that would give the same lines as one before them are left out.
pub fn choices(file: &OpenFile, region: RegionId) -> Vec<Choice> {
    let cell = file.plan().region(region);
    if file.plan().conflict_of(region).is_none() {
        return Vec::new();
    }
    let all = [
        ("o", Resolution::Take(Version::Ours)),
        ("t", Resolution::Take(Version::Theirs)),
        ("b", Resolution::Take(Version::Base)),
        ("a", Resolution::Both(Side::Ours)),
        ("A", Resolution::Both(Side::Theirs)),
        ("d", Resolution::Drop),
    ];
    let versions = file.plan().versions();
    let text = |version| versions.get(version).slice(cell.lines(version));
    let (ours, theirs, base) = (
        text(Version::Ours),
        text(Version::Theirs),
        text(Version::Base),
    );
    let one_is_empty = ours.is_empty() || theirs.is_empty();
    let is_new = |resolution: &Resolution| match resolution {
        Resolution::Take(Version::Base) => base != ours && base != theirs,
        Resolution::Both(_) => !one_is_empty,
        Resolution::Drop => !one_is_empty && !base.is_empty(),
        Resolution::Take(_) | Resolution::Lines(_) | Resolution::Woven(_) => true,
    };
    let possible = all.into_iter().filter(|(_, resolution)| is_new(resolution));
    let plain = possible.map(|(key, resolution)| Choice {
        key,
        label: resolution.name().to_owned(),
        lines: resolution.len(cell),
        resolution,
    });
    let reindented = file.reindented.get(&region).into_iter().flatten();
    let reindented = reindented.map(|(words, resolution)| Choice {
        key: if *words == Side::Ours { "i" } else { "I" },
        label: reindented_name(*words).to_owned(),
        lines: resolution.len(cell),
        resolution: resolution.clone(),
    });
    let proposed = file.proposal(region).and_then(|ruling| {
        let resolution = ruling.resolution.clone()?;
        Some(Choice {
            key: PROPOSAL,
            label: rule_title(&ruling.rule).to_owned(),
            lines: resolution.len(cell),
            resolution,
        })
    });
    proposed
        .into_iter()
        .chain(plain)
        .chain(reindented)
        .collect()
}

/// Where a line of the previewed choice comes from.
pub fn preview_origin(file: &OpenFile, nth: usize) -> Origin {
    let id = RegionId(file.view.region);
    let region = file.plan().region(id);
    let resolution = match &file.view.mode {
        Mode::Pick(picking) => Some(Resolution::Lines(picking.picks.clone())),
        _ => {
            let choice = file
                .view
                .choice
                .and_then(|c| choices(file, id).into_iter().nth(c));
            choice.map(|c| c.resolution)
        }
    };
    match resolution {
        Some(Resolution::Take(version)) => version.into(),
        Some(Resolution::Both(first)) => {
            let first_len = region.lines(first.into()).len();
            Version::from(if nth < first_len {
                first
            } else {
                first.other()
            })
            .into()
        }
        Some(Resolution::Lines(picks)) => picks.get(nth).map_or(Origin::Base, |p| p.version.into()),
        Some(Resolution::Woven(strands)) => {
            let mut left = nth;
            for strand in &strands {
                match strand.len() {
                    n if left >= n => left -= n,
                    _ => return strand.origin(),
                }
            }
            Origin::Blend
        }
        Some(Resolution::Drop) | None => Origin::Base,
    }
}
