//! A conflicted file as far as it has been read, with cursor, scroll position and lenses.

use crate::base::editor::Editor;
use crate::case::choices::{Choice, choices};
use crate::case::evidence::{Card, Lens, cards, worked};
use crate::case::load::{CaseLoad, WholeFile, whole_counts};
use crate::case::opened::{OpenedFile, Unfinished};
use armistice_core::{
    Counts, Draft, Finding, PerSide, Pick, Plan, RegionId, Resolution, Ruling, Weight,
    WhitespacePolicy,
};
use armistice_git::{Case, IndexState, Seen, SideHistory};

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
    Whole(Box<WholeFile>),
}

impl FileLoad {
    /// The working file when it was read, if the file is read.
    pub fn seen(&self) -> Option<&Seen> {
        match self {
            FileLoad::Lines(open) => Some(&open.opened.seen),
            FileLoad::Whole(whole) => Some(&whole.seen),
            FileLoad::Waiting | FileLoad::Failed(_) => None,
        }
    }
}

impl From<CaseLoad> for FileLoad {
    fn from(load: CaseLoad) -> Self {
        match load {
            CaseLoad::Failed(why) => FileLoad::Failed(why),
            CaseLoad::Lines(opened) => FileLoad::Lines(Box::new(OpenFile::new(*opened))),
            CaseLoad::Whole(whole) => FileLoad::Whole(whole),
        }
    }
}

/// An opened file, and where a person is in it.
#[derive(Clone, Debug)]
pub struct OpenFile {
    pub opened: OpenedFile,
    pub view: FileView,
    shown: Shown,
}

/// What the cards were worked out for: region, lens, revision of the decisions, whether comments and
/// the like are known, and the policy about white space.
type ShownFor = (RegionId, Lens, u64, bool, WhitespacePolicy);

/// What is worked out once a decision, not once a frame.
#[derive(Clone, Debug, Default)]
pub struct Shown {
    /// What it was worked out for.
    of: Option<ShownFor>,
    /// The cards of the current region.
    pub cards: Vec<Card>,
    /// What is possible there.
    pub choices: Vec<Choice>,
    /// Rows that each side changed there, layout alone not counted.
    pub worked: PerSide<usize>,
}

impl OpenFile {
    /// Whether a search is being typed.
    pub fn is_prompting(&self) -> bool {
        matches!(&self.view.mode, Mode::Edit(editing) if editing.prompt.is_some())
    }

    pub fn new(opened: OpenedFile) -> Self {
        let mut file = OpenFile {
            opened,
            view: FileView::default(),
            shown: Shown::default(),
        };
        file.refresh();
        file
    }

    pub fn draft(&self) -> &Draft {
        self.opened.draft()
    }

    pub fn plan(&self) -> &Plan {
        self.opened.plan()
    }

    pub fn proposal(&self, id: RegionId) -> Option<&Ruling> {
        self.opened.proposal(id)
    }

    /// The lens that counts: picking needs the plain lines.
    pub fn lens(&self) -> Lens {
        match self.view.mode {
            Mode::Pick(_) => Lens::Texts,
            _ => self.view.lens,
        }
    }

    /// Works out what the current region shows, unless that is known already.
    pub fn refresh(&mut self) {
        let (region, lens) = (self.view.region, self.lens());
        let shaded = self.opened.is_shaded();
        let policy = self.view.policy;
        let of = Some((region, lens, self.opened.revision(), shaded, policy));
        if self.shown.of != of {
            let stays = |(r, l, ..): ShownFor| (r, l) == (region, lens);
            if !self.shown.of.is_some_and(stays) {
                self.view.cards = CardScroll::default();
            }
            let shown = cards(&self.opened, region, lens, policy);
            let worked = match lens {
                Lens::Deltas => worked(&shown),
                _ => worked(&cards(&self.opened, region, Lens::Deltas, policy)),
            };
            self.shown = Shown {
                of,
                worked,
                cards: shown,
                choices: choices(&self.opened, region),
            };
        }
    }

    /// What the current region shows, as of the last [`OpenFile::refresh`].
    pub fn shown(&self) -> &Shown {
        &self.shown
    }

    /// The choice that is previewed.
    pub fn previewed(&self) -> Option<&Choice> {
        self.shown.choices.get(self.view.choice?)
    }
}

/// How much of the cards a person asked to see.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct CardScroll {
    /// Rows that each card is scrolled down.
    pub down: [usize; 3],
    /// Whether nothing is folded.
    pub unfolded: bool,
}

/// Where a person is in a file.
#[derive(Clone, Debug)]
pub struct FileView {
    /// The region the cursor is in.
    pub region: RegionId,
    /// Rows below the region's first.
    pub offset: usize,
    /// First row shown.
    pub top: usize,
    /// Columns scrolled out to the left.
    pub left: usize,
    /// Columns at which lines of the draft wrap; none while they are cut.
    pub wrap: Option<u16>,
    /// Rows of the draft that were dragged over.
    pub selected: Option<SelectedRows>,
    /// The row at which dragging would begin.
    pub drag: usize,
    /// Rows that can be gone back to, the last one last.
    pub jumps: Vec<usize>,
    /// Whether a line that is shown goes on beyond an edge of the window.
    pub cut: bool,
    pub lens: Lens,
    pub wide: bool,
    /// White space in which the sides may differ, as settings have it.
    pub policy: WhitespacePolicy,
    /// How far the cards are scrolled and unfolded.
    pub cards: CardScroll,
    /// The previewed choice, by its place in the settle box.
    pub choice: Option<usize>,
    pub mode: Mode,
    /// Which text was last given to a parser, and what made no sense in the one before or in it.
    pub syntax: SyntaxState,
    /// The editor that was left, until what was written in it is recorded.
    pub unrecorded: Option<Box<Editing>>,
}

/// What a parser makes of the draft, or of the text being edited.
#[derive(Clone, Debug, Default)]
pub struct SyntaxState {
    /// The text that was asked about last.
    pub asked: Option<u64>,
    /// The decisions it was made of, so that it is not made again for nothing.
    pub revision: Option<u64>,
    /// Whether comments, strings and keywords were asked for.
    pub shades_asked: bool,
    /// Whether the file is to be written as soon as it was looked at.
    pub then_write: bool,
    /// The text that was looked at last, and what makes no sense in it.
    pub found: Option<(u64, Vec<Finding>)>,
}

impl SyntaxState {
    /// What makes no sense in the text that was asked about last, as far as it is known.
    pub fn trouble(&self) -> Option<&Finding> {
        let (stamp, found) = self.found.as_ref()?;
        let stops = |f: &&Finding| f.weight == Weight::Stops;
        found
            .iter()
            .find(stops)
            .filter(|_| Some(*stamp) == self.asked)
    }
}

impl Default for FileView {
    fn default() -> Self {
        FileView {
            region: RegionId(0),
            offset: 0,
            top: 0,
            left: 0,
            wrap: None,
            selected: None,
            drag: 0,
            jumps: Vec::new(),
            cut: false,
            lens: Lens::default(),
            wide: false,
            policy: WhitespacePolicy::default(),
            cards: CardScroll::default(),
            choice: None,
            mode: Mode::default(),
            syntax: SyntaxState::default(),
            unrecorded: None,
        }
    }
}

/// Rows from where dragging began to where it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SelectedRows {
    pub from: usize,
    pub to: usize,
}

impl SelectedRows {
    /// Whether a row is among them.
    pub fn contains(self, row: usize) -> bool {
        (self.from.min(self.to)..=self.from.max(self.to)).contains(&row)
    }
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
    /// Those of them that stand as a comment.
    pub commented: Vec<Pick>,
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
    /// Why it would not be finished if it is staged.
    pub unfinished: Option<Unfinished>,
    /// Who changed it, as far as git's history was asked.
    pub who: Who,
}

/// What git's history says of a file.
#[derive(Clone, Debug, Default)]
pub enum Who {
    #[default]
    Unasked,
    Asked,
    Known(Box<PerSide<SideHistory>>),
    /// It could not be asked: why.
    Failed(String),
}

impl FileState {
    pub fn new(case: Case) -> Self {
        FileState {
            case,
            load: FileLoad::Waiting,
            writing: false,
            unfinished: None,
            who: Who::default(),
        }
    }

    /// Conflicts and open ones; a case without lines is one conflict.
    pub fn counts(&self) -> Option<Counts> {
        match &self.load {
            FileLoad::Waiting => None,
            FileLoad::Lines(open) if self.finished() => {
                Some(open.opened.counts().staged_elsewhere())
            }
            FileLoad::Lines(open) => Some(open.opened.counts()),
            FileLoad::Failed(_) => Some(whole_counts(&self.case, None)),
            FileLoad::Whole(whole) => Some(whole_counts(&self.case, Some(whole))),
        }
    }

    /// Open conflicts for which a rule proposes something.
    pub fn proposals(&self) -> impl Iterator<Item = RegionId> {
        self.open()
            .into_iter()
            .flat_map(|file| file.opened.proposals())
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
        self.is_staged() && self.unfinished.is_none()
    }

    /// Whether the index has a result for it, the present one or an earlier one.
    pub fn is_staged(&self) -> bool {
        self.case.standing == IndexState::Staged
    }
}
