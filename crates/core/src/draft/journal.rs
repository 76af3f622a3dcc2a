//! Decisions as data: undo, redo, resuming and the record are replays of them.
//!
//! A session is a draft and the events that made it. Events are lines of JSON;
//! where they are stored is not decided here.

use crate::decide::resolution::Resolution;
use crate::decide::ruling::{Certainty, Ruling};
use crate::draft::merged_text::{Draft, LineEdit, Refused};
use crate::model::region::RegionId;
use crate::plan::build::Plan;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// One decision about one region, or one change by hand.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Entry {
    /// Let this stand there. For a change made by one side only, base declines it.
    Settle(RegionId, Resolution),
    /// Let stand there what a rule proposes.
    Rule(RegionId, Ruling),
    /// Open a settled conflict again.
    Reopen(RegionId),
    /// Put a region back to how it merged by itself.
    Restore(RegionId),
    /// Lines rewritten by hand; all refer to the draft before this entry.
    /// An insertion between two regions belongs to `prefer`.
    Edit {
        /// The changed lines in order.
        edits: Vec<LineEdit>,
        /// The conflict the person was editing, if it was one.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        prefer: Option<RegionId>,
    },
}

impl Entry {
    /// The decision it amounts to, if it is at least this sure.
    pub fn of_ruling(id: RegionId, ruling: &Ruling, least: Certainty) -> Option<Entry> {
        let settles = ruling.resolution.is_some() && ruling.certainty >= least;
        settles.then(|| Entry::Rule(id, ruling.clone()))
    }
}

/// What is undone and redone as one.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Step {
    /// A few words for it: "settled conflict 2 by ours".
    pub label: String,
    /// What it does, in order.
    pub entries: Vec<Entry>,
    /// The number it shares with steps in other files that are taken back with it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub group: Option<u64>,
}

impl Step {
    /// A step of one file alone.
    pub fn new(label: impl Into<String>, entries: Vec<Entry>) -> Self {
        Step {
            label: label.into(),
            entries,
            group: None,
        }
    }
}

/// What happened, as the journal keeps it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Event {
    /// A step was taken; steps undone before it are forgotten.
    Do(Step),
    /// The last step was taken back.
    Undo,
    /// The step taken back last was taken again.
    Redo,
}

/// What a stored journal says about itself in its first line.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Header {
    /// Version of the format.
    pub armistice: u32,
    /// The path it is about, for people who read the file.
    pub path: String,
    /// Names of the contents of base, ours and theirs that the decisions are about.
    pub versions: [String; 3],
}

/// A stored journal, read.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ReadJournal {
    /// Its first line, if that could be read.
    pub header: Option<Header>,
    /// Its events in order.
    pub events: Vec<Event>,
    /// Lines that could not be read, counted from one. A torn last line is one of them.
    pub unreadable: Vec<usize>,
}

impl Header {
    /// The format this build writes.
    pub const FORMAT: u32 = 1;

    /// Its line in a stored journal.
    pub fn to_line(&self) -> Vec<u8> {
        to_line(self)
    }
}

impl Event {
    /// Its line in a stored journal.
    pub fn to_line(&self) -> Vec<u8> {
        to_line(self)
    }
}

fn to_line(value: &impl Serialize) -> Vec<u8> {
    // Serialising these types cannot fail: no map keys but strings, no I/O.
    let mut line = serde_json::to_vec(value).unwrap_or_default();
    line.push(b'\n');
    line
}

/// Reads a stored journal; stops at the first event that cannot be read, since
/// later ones may build on it.
pub fn read_journal(bytes: &[u8]) -> ReadJournal {
    let mut lines = bytes.split_inclusive(|b| *b == b'\n').zip(1..);
    let mut out = ReadJournal::default();
    match lines.next() {
        Some((line, _)) => out.header = serde_json::from_slice(line).ok(),
        None => return out,
    }
    for (line, number) in lines {
        // A line without its newline was torn off while it was being written.
        let whole = line.ends_with(b"\n");
        match serde_json::from_slice(line) {
            Ok(event) if whole => out.events.push(event),
            _ => {
                out.unreadable.push(number);
                break;
            }
        }
    }
    out
}

/// A draft and the decisions that made it.
#[derive(Clone, Debug)]
pub struct Session {
    draft: Draft,
    /// All steps known; those from `done` on have been taken back.
    steps: Vec<Step>,
    done: usize,
    /// Whether the first step was taken by rules and is in no journal yet.
    unsaved: bool,
}

impl Session {
    /// A session in which nothing is decided yet.
    pub fn new(plan: Arc<Plan>) -> Self {
        Session {
            draft: Draft::new(plan),
            steps: Vec::new(),
            done: 0,
            unsaved: false,
        }
    }

    /// A session in which rules have settled what they are sure of.
    ///
    /// Looking at a file writes nothing: the step is recorded with the first
    /// decision of a person ([`Session::take_unsaved`]).
    pub fn with_rulings(plan: Arc<Plan>, rulings: Vec<(RegionId, Ruling)>) -> Self {
        let mut session = Session::new(plan);
        let entries: Vec<_> = rulings
            .into_iter()
            .map(|(id, r)| Entry::Rule(id, r))
            .collect();
        let label = match entries.len() {
            0 => return session,
            1 => "settled 1 conflict by rule".to_owned(),
            n => format!("settled {n} conflicts by rule"),
        };
        // A ruling that does not fit the plan leaves the session as it was.
        if session.apply(&Event::Do(Step::new(label, entries))).is_ok() {
            session.unsaved = true;
        }
        session
    }

    /// What a journal must hold before the next event, if it does not yet.
    pub fn take_unsaved(&mut self) -> Option<Event> {
        let first = self.steps.first().filter(|_| self.unsaved)?;
        self.unsaved = false;
        Some(Event::Do(first.clone()))
    }

    /// The session that a journal tells of.
    ///
    /// A step that does not fit the plan ends the replay; it comes back with the
    /// session as it was before that step.
    pub fn replay(plan: Arc<Plan>, events: &[Event]) -> (Self, Option<Refused>) {
        let mut session = Session::new(plan);
        for event in events {
            match event {
                Event::Do(step) => session.push(step.clone()),
                Event::Undo => session.done = session.done.saturating_sub(1),
                Event::Redo => session.done = (session.done + 1).min(session.steps.len()),
            }
        }
        let refused = session.rebuild();
        (session, refused)
    }

    /// The merged text as it stands.
    pub fn draft(&self) -> &Draft {
        &self.draft
    }

    /// The steps that count, oldest first.
    pub fn steps(&self) -> &[Step] {
        &self.steps[..self.done]
    }

    /// The step that undo would take back.
    pub fn undoable(&self) -> Option<&Step> {
        self.steps().last()
    }

    /// The step that redo would take again.
    pub fn redoable(&self) -> Option<&Step> {
        self.steps.get(self.done)
    }

    /// Applies an event.
    ///
    /// # Errors
    /// If it does not fit the plan or there is nothing to undo or redo; the
    /// session is then as it was.
    pub fn apply(&mut self, event: &Event) -> Result<(), Refused> {
        match event {
            Event::Do(step) => {
                self.draft = ran(&self.draft, step)?;
                self.push(step.clone());
            }
            Event::Redo => {
                let step = self.redoable().ok_or(Refused::Tangled)?;
                self.draft = ran(&self.draft, step)?;
                self.done += 1;
            }
            Event::Undo => {
                self.done = self.done.checked_sub(1).ok_or(Refused::Tangled)?;
                self.rebuild();
            }
        }
        Ok(())
    }

    fn push(&mut self, step: Step) {
        self.steps.truncate(self.done);
        self.steps.push(step);
        self.done += 1;
    }

    /// Makes the draft anew from the steps that count, up to one that is refused.
    fn rebuild(&mut self) -> Option<Refused> {
        let mut draft = Draft::new(self.draft.plan().clone());
        for at in 0..self.done {
            if let Err(why) = run_step(&mut draft, &self.steps[at]) {
                // It may have been done in part: the steps before it are replayed without it.
                self.steps.truncate(at);
                self.done = at;
                self.rebuild();
                return Some(why);
            }
        }
        draft.index();
        self.draft = draft;
        None
    }
}

/// The draft after a step; the old one stays whole in case the step is refused half-way.
fn ran(draft: &Draft, step: &Step) -> Result<Draft, Refused> {
    let mut draft = draft.clone();
    run_step(&mut draft, step)?;
    draft.index();
    Ok(draft)
}

fn run_step(draft: &mut Draft, step: &Step) -> Result<(), Refused> {
    for entry in &step.entries {
        match entry {
            Entry::Settle(region, resolution) => draft.settle(*region, resolution)?,
            Entry::Rule(region, ruling) => draft.rule(*region, ruling)?,
            Entry::Reopen(region) => draft.reopen(*region)?,
            Entry::Restore(region) => draft.reset(*region)?,
            Entry::Edit { edits, prefer } => draft.edit(edits, *prefer)?,
        }
    }
    Ok(())
}
