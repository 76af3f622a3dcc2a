//! Finishing files: written and staged first; how their conflicts were settled is remembered only if that worked.

use crate::case::opened::OpenedFile;
use armistice_core::{Certainty, PastResolution, RegionId, RegionState};
use armistice_git::{Case, Error, FileOutcome, Mode, Overwrite, RepoPath, Seen, Written};

/// A file to be finished.
#[derive(Clone, Debug)]
pub struct Finish {
    pub case: Case,
    /// What shall stand there.
    pub result: FinishAs,
    /// The working file when it was read.
    pub seen: Seen,
    pub overwrite: Overwrite,
    /// Its mode, where the versions do not tell.
    pub mode: Option<Mode>,
    /// Its name, where the sides gave it two.
    pub name: Option<RepoPath>,
    /// What is worth remembering of it.
    pub lessons: Vec<PastResolution>,
}

impl Finish {
    /// An opened file in which no conflict is open, as it stands.
    pub fn new(case: &Case, open: &OpenedFile, overwrite: Overwrite) -> Self {
        Finish {
            case: case.clone(),
            result: FinishAs::Merged(open.draft().bytes()),
            seen: open.seen.clone(),
            overwrite,
            mode: None,
            name: None,
            lessons: lessons(open),
        }
    }
}

impl Finish {
    /// A file as a whole, as one version has it.
    pub fn whole(case: &Case, outcome: FileOutcome, seen: Seen, overwrite: Overwrite) -> Self {
        Finish {
            case: case.clone(),
            result: FinishAs::Whole(outcome),
            seen,
            overwrite,
            mode: None,
            name: None,
            lessons: Vec::new(),
        }
    }
}

/// What shall stand where a file is finished.
#[derive(Clone, Debug)]
pub enum FinishAs {
    /// These merged bytes.
    Merged(Vec<u8>),
    /// The file as a whole, as one version has it.
    Whole(FileOutcome),
}

impl FinishAs {
    /// The merged bytes, if it is those.
    pub fn bytes(&self) -> &[u8] {
        match self {
            FinishAs::Merged(bytes) => bytes,
            FinishAs::Whole(_) => &[],
        }
    }
}

/// What came of finishing.
#[derive(Debug)]
pub struct Finished {
    /// For each file in order: as it was left, or why nothing was done to it.
    pub results: Vec<Result<Written, Error>>,
    /// Why it will not be remembered how they were settled, if so.
    pub not_remembered: Option<Error>,
}

/// What a settled conflict teaches; nothing if it is open or no conflict, or if an edit by hand
/// reached beyond it: what was written there is not about its own lines alone.
pub fn lesson(file: &OpenedFile, id: RegionId) -> Option<PastResolution> {
    file.plan().conflict_of(id)?;
    let draft = file.draft();
    let by_hand = |id: RegionId| {
        let there = (id.0 as usize) < file.plan().regions().len();
        there && *draft.standing(id) == RegionState::ByHand
    };
    let neighbours = [id.0.checked_sub(1), id.0.checked_add(1)];
    let mut neighbours = neighbours.into_iter().flatten().map(RegionId);
    if by_hand(id) && neighbours.any(by_hand) {
        return None;
    }
    let resolution = match draft.standing(id) {
        RegionState::Open | RegionState::Merged => return None,
        RegionState::Settled(resolution) => Some(resolution),
        RegionState::Ruled(ruling) => ruling.resolution.as_ref(),
        RegionState::ByHand => None,
    };
    let segments = draft.segments(id);
    Some(PastResolution::of(file.plan(), id, resolution, segments))
}

/// What is worth remembering of a finished file: every decision of a person.
pub fn lessons(file: &OpenedFile) -> Vec<PastResolution> {
    let by_person = |id: &&RegionId| match file.draft().standing(**id) {
        RegionState::Settled(_) | RegionState::ByHand => true,
        RegionState::Ruled(ruling) => ruling.certainty < Certainty::Certain,
        RegionState::Open | RegionState::Merged => false,
    };
    let ids = file.plan().conflicts().iter().filter(by_person);
    ids.filter_map(|id| lesson(file, *id)).collect()
}
