//! Undo, redo and resuming: a draft and the steps that made it.

use crate::decide::ruling::Ruling;
use crate::diff::lines::changed_lines;
use crate::draft::entry::{Entry, LineEdit, Refused, Step};
use crate::draft::journal::Event;
use crate::draft::merged_text::Draft;
use crate::model::region::RegionId;
use crate::plan::build::Plan;
use crate::text::source::Source;
use std::sync::Arc;

/// A draft and the decisions that made it: what is undone, redone and resumed.
///
/// ```
/// use armistice_core::{Entry, Event, Options, Resolution, Session, Step, Version, plan};
/// use std::sync::Arc;
///
/// let plan = Arc::new(plan(&"a\n".into(), &"b\n".into(), &"c\n".into(), &Options::default()));
/// let settle = Entry::Settle(plan.conflicts()[0], Resolution::Take(Version::Theirs));
/// let event = Event::Do(Step::new("settled by theirs", vec![settle]));
/// let mut session = Session::new(Arc::clone(&plan));
/// session.apply(&event)?;
/// assert_eq!(session.draft().bytes(), b"c\n");
/// // The same events give the same draft, in this program or the next.
/// let (resumed, refused) = Session::replay(plan, &[event, Event::Undo]);
/// assert_eq!((resumed.draft().counts().open, refused), (1, None));
/// # Ok::<(), armistice_core::Refused>(())
/// ```
#[derive(Clone, Debug)]
pub struct Session {
    draft: Draft,
    /// All steps known; those from `done` on have been taken back.
    steps: Vec<Step>,
    done: usize,
    /// Whether the first step was taken by rules and is in no journal yet.
    unsaved: bool,
    /// The steps that could be redone before the last one was taken.
    dropped: Vec<Step>,
}

impl Session {
    /// A session in which nothing is decided yet.
    pub fn new(plan: Arc<Plan>) -> Self {
        Session {
            draft: Draft::new(plan),
            steps: Vec::new(),
            done: 0,
            unsaved: false,
            dropped: Vec::new(),
        }
    }

    /// A session whose draft is a merged text that somebody else made: what differs from the plan was
    /// written by hand. `None` if the draft cannot be made so.
    pub fn with_result(plan: Arc<Plan>, result: &Source) -> Option<Self> {
        let mut session = Session::new(plan);
        let before = session.draft.bytes();
        let lines =
            |text| -> Vec<&[u8]> { <[u8]>::split_inclusive(text, |b| *b == b'\n').collect() };
        let (old, new) = (lines(&before), lines(result.bytes()));
        let edits = changed_lines(&old, &new);
        let edits = edits.into_iter().map(|(lines, to)| LineEdit {
            lines,
            text: new[to.start.0 as usize..to.end.0 as usize].concat(),
        });
        let edits: Vec<LineEdit> = edits.collect();
        if !edits.is_empty() {
            let entry = Entry::Edit {
                edits,
                prefer: None,
            };
            let step = Step::new("the merged text", vec![entry]);
            session.apply(&Event::Do(step)).ok()?;
        }
        (session.draft.bytes() == result.bytes()).then_some(session)
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
        let step = Step {
            on_opening: true,
            ..Step::new(label, entries)
        };
        // A ruling that does not fit the plan leaves the session as it was.
        if session.apply(&Event::Do(step)).is_ok() {
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

    /// What [`Session::take_unsaved`] gave could not be recorded: it is unsaved again.
    pub fn still_unsaved(&mut self) {
        self.unsaved = !self.steps.is_empty();
    }

    /// Takes back the event that was applied last, as if it had never been: it could not be
    /// recorded, and what is not recorded must not be built upon.
    pub fn retract(&mut self, event: &Event) {
        match event {
            Event::Do(_) => {
                self.done = self.done.saturating_sub(1);
                self.steps.truncate(self.done);
                self.steps.append(&mut self.dropped);
            }
            Event::Redo => self.done = self.done.saturating_sub(1),
            Event::Undo => self.done = (self.done + 1).min(self.steps.len()),
        }
        self.rebuild();
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

    /// The step that undo would take back; what rules settled on opening was no person's step.
    pub fn undoable(&self) -> Option<&Step> {
        self.steps().last().filter(|step| !step.on_opening)
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
                self.draft = self.draft.after(step)?;
                self.push(step.clone());
            }
            Event::Redo => {
                let step = self.redoable().ok_or(Refused::Tangled)?;
                self.draft = self.draft.after(step)?;
                self.done += 1;
            }
            Event::Undo => {
                self.undoable().ok_or(Refused::Tangled)?;
                self.done -= 1;
                self.rebuild();
            }
        }
        Ok(())
    }

    fn push(&mut self, step: Step) {
        self.dropped = self.steps.split_off(self.done);
        self.steps.push(step);
        self.done += 1;
    }

    /// Makes the draft again from the steps that count, up to one that is refused.
    fn rebuild(&mut self) -> Option<Refused> {
        let (draft, refused) = Draft::replayed(self.draft.plan().clone(), self.steps());
        self.draft = draft;
        let (at, why) = refused?;
        self.steps.truncate(at);
        self.done = at;
        Some(why)
    }
}
