//! An opened file: its session, what rules make of it, and what a person should know of it.
//!
//! Not here: where a person is in it (`state::file`), reading and writing (`case::service`).

use crate::case::planning::{LayOut, planned};
use armistice_core::{
    AutoSettle, Counts, Draft, Encoding, Entry, Event, LineIdx, Plan, Refused, RegionId,
    Resolution, RuleContext, Ruling, Session, Side, Step, Version, describe,
};
use armistice_git::{Loaded, Seen};
use armistice_syntax::{Comments, Language, ShadedRange, shades};
use std::collections::BTreeMap;
use std::sync::Arc;

/// Stretches of a line that are comments, strings or keywords.
pub type Shades = Vec<ShadedRange>;

/// Those of all lines of base, ours and theirs.
pub type AllShades = [Vec<Shades>; 3];

/// Looks for them in all three versions; nothing where no parser is known.
pub fn all_shades(path: &str, plan: &Plan) -> Option<AllShades> {
    let language = Language::of(path)?;
    let of = |version| shades(language, plan.versions().get(version)).unwrap_or_default();
    Some([Version::Base, Version::Ours, Version::Theirs].map(of))
}

/// Why a staged file is not finished.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unfinished {
    /// A decision was taken back or changed after the file was written.
    Decided,
    /// What is staged has conflict markers that no version has.
    Markers,
}

impl Unfinished {
    /// What is said of such a file.
    pub fn words(self) -> &'static str {
        match self {
            Unfinished::Decided => "changed after it was written",
            Unfinished::Markers => "staged with conflict markers",
        }
    }
}

/// A file with a session over it.
#[derive(Clone, Debug)]
pub struct OpenedFile {
    session: Session,
    rulings: BTreeMap<RegionId, Ruling>,
    /// Counts how often decisions or rulings changed: what is worked out of them is kept until then.
    revision: u64,
    pub encoding: Encoding,
    pub seen: Seen,
    /// Why each conflict is one, in the plan's order.
    pub causes: Vec<String>,
    /// The words of one side at the indentation of the other, where conflicts can be settled so.
    pub reindented: BTreeMap<RegionId, Vec<(Side, Resolution)>>,
    /// Comments, strings and keywords of base, ours and theirs, once they are known.
    shades: Option<Arc<AllShades>>,
    /// How comments are written in it, if they can be.
    pub comments: Option<Comments>,
    /// Why it is not finished although it is staged, if so.
    pub unfinished: Option<Unfinished>,
    /// The step that made the draft out of what stood in the working file when it was last seen.
    pub taken: Option<usize>,
    /// What a person should know about how it was opened.
    pub note: Option<String>,
    /// Text of an edit that was cut short.
    pub unsaved_edit: Option<String>,
}

/// Label of the step that takes what stands in the working file into the draft.
pub(crate) const TAKEN: &str = "took the contents on disk";

/// What is to be recorded about a file.
#[derive(Clone, Debug, Default)]
pub struct Recording {
    /// What rules settled on opening, if no journal says so yet.
    pub rules: Option<Event>,
    /// What a person decided.
    pub event: Option<Event>,
}

impl Recording {
    /// Both, in their order.
    pub fn events(&self) -> Vec<Event> {
        self.rules.iter().chain(&self.event).cloned().collect()
    }
}

impl OpenedFile {
    /// A session over loaded versions, with the decisions of its journal.
    ///
    /// Without a journal, rules settle what they are sure of. Decisions that no longer fit are left
    /// out, and the note says so.
    pub fn open(
        loaded: &Loaded,
        events: &[Event],
        context: &RuleContext,
        settle: AutoSettle,
        lay_out: LayOut,
    ) -> Self {
        let v = &loaded.versions;
        let (plan, rulings) = planned(v, context, &lay_out);
        let (session, refused) = match events {
            [] => {
                let settled = settle.pick(&rulings);
                (Session::with_rulings(Arc::clone(&plan), settled), None)
            }
            events => Session::replay(Arc::clone(&plan), events),
        };
        let note = refused.map(|why| {
            let step = session.steps().len() + 1;
            format!("decisions from number {step} on no longer apply: {why}")
        });
        let sample = if v.ours.is_empty() {
            &v.theirs
        } else {
            &v.ours
        };
        let causes = plan.conflicts().iter().map(|id| describe(&plan, *id));
        OpenedFile {
            causes: causes.collect(),
            comments: Comments::of(&context.path),
            shades: None,
            reindented: reindented(&plan),
            rulings: rulings.into_iter().collect(),
            revision: 0,
            unfinished: None,
            taken: None,
            session,
            encoding: Encoding::detect(sample.bytes()),
            seen: loaded.seen.clone(),
            note,
            unsaved_edit: None,
        }
    }

    /// What stands in a line of a version besides names and signs; empty as long as it is not known.
    pub fn shades_of(&self, version: Version, at: LineIdx) -> Shades {
        let all = self.shades.as_ref().map(|shades| &shades[version as usize]);
        let line = all.and_then(|lines| lines.get(at.0 as usize));
        // Offsets are bytes: in another encoding they would be of other characters.
        let line = line.filter(|_| self.encoding.name() == "UTF-8");
        line.cloned().unwrap_or_default()
    }

    /// Whether they are known.
    pub fn is_shaded(&self) -> bool {
        self.shades.is_some()
    }

    /// Takes what was found.
    pub fn set_shades(&mut self, shades: Arc<AllShades>) {
        self.shades = Some(shades);
    }

    /// Whether the draft stands on what stood in the working file when it was last seen.
    pub fn is_taken(&self) -> bool {
        let step = self.taken.and_then(|step| self.session.steps().get(step));
        step.is_some_and(|step| step.label == TAKEN)
    }

    pub fn session(&self) -> &Session {
        &self.session
    }

    pub fn draft(&self) -> &Draft {
        self.session.draft()
    }

    pub fn plan(&self) -> &Arc<Plan> {
        self.session.draft().plan()
    }

    pub fn counts(&self) -> Counts {
        self.draft().counts()
    }

    /// What the rules make of the conflicts, settled ones too.
    pub fn rulings(&self) -> &BTreeMap<RegionId, Ruling> {
        &self.rulings
    }

    /// Rises with every decision, and when rules were asked again.
    pub fn revision(&self) -> u64 {
        self.revision
    }

    /// Applies an event.
    ///
    /// # Errors
    /// If it does not fit; everything is then as it was.
    pub fn apply(&mut self, event: &Event) -> Result<(), Refused> {
        self.session.apply(event)?;
        self.revision += 1;
        Ok(())
    }

    /// What a journal must hold before the next event, if it does not yet.
    pub fn take_unsaved(&mut self) -> Option<Event> {
        self.session.take_unsaved()
    }

    /// Takes back what could not be recorded, as if it had never been.
    pub fn retract(&mut self, recording: &Recording) {
        if let Some(event) = &recording.event {
            self.session.retract(event);
        }
        if recording.rules.is_some() {
            self.session.still_unsaved();
        }
        self.revision += 1;
    }

    /// What [`OpenedFile::take_unsaved`] gave was not recorded after all.
    pub fn still_unsaved(&mut self) {
        self.session.still_unsaved();
    }

    /// The rules were asked again.
    pub fn set_rulings(&mut self, rulings: Vec<(RegionId, Ruling)>) {
        self.rulings = rulings.into_iter().collect();
        self.revision += 1;
    }

    /// What a rule would let stand for an open conflict.
    pub fn proposal(&self, id: RegionId) -> Option<&Ruling> {
        let open = self.draft().is_open(id);
        let ruling = self.rulings.get(&id).filter(|_| open);
        ruling.filter(|r| r.resolution.is_some())
    }

    /// Open conflicts for which a rule proposes something.
    pub fn proposals(&self) -> impl Iterator<Item = RegionId> {
        self.draft()
            .open()
            .filter(|id| self.proposal(*id).is_some())
    }

    /// The draft if one more conflict were settled so.
    pub fn draft_with(&self, entry: Entry) -> Draft {
        self.draft_after(vec![entry])
    }

    /// The draft as some decisions would leave it.
    pub fn draft_after(&self, entries: Vec<Entry>) -> Draft {
        let mut session = self.session.clone();
        // A choice offered for this very file fits it; the draft as it is stands in otherwise.
        let _ = session.apply(&Event::Do(Step::new("", entries)));
        session.draft().clone()
    }
}

/// The words of one side at the indentation of the other, for each conflict where that differs.
fn reindented(plan: &Plan) -> BTreeMap<RegionId, Vec<(Side, Resolution)>> {
    let of = |id: &RegionId| {
        let offered = Side::BOTH.into_iter().filter_map(|words| {
            let found = Resolution::reindented(plan, *id, words)?;
            Some((words, found))
        });
        let offered: Vec<_> = offered.collect();
        (!offered.is_empty()).then_some((*id, offered))
    };
    plan.conflicts().iter().filter_map(of).collect()
}
