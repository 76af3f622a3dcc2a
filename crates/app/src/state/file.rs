//! A conflicted file as far as it has been read, and where a person is in it.

use crate::base::editor::Editor;
use armistice_core::{
    Counts, Draft, Encoding, Pick, Plan, RegionId, Resolution, Ruling, Session, Side,
};
use armistice_git::{Case, IndexState, Seen};
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
    pub unsaved_edit: Option<String>,
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
        let done = self.case.standing == IndexState::Staged;
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
        self.case.standing == IndexState::Staged && !self.changed
    }
}
