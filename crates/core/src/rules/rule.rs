//! What a rule is: its input, its answer, its name.

use crate::decide::past::PastResolutions;
use crate::decide::policy::WhitespacePolicy;
use crate::decide::resolution::Resolution;
use crate::decide::ruling::Certainty;
use crate::model::side::Side;
use crate::rules::conflict::Conflict;
use std::collections::BTreeSet;

/// One way to settle conflicts.
pub trait Rule: Sync {
    /// Its name in journals, configuration and JSON; never changes.
    fn id(&self) -> &'static str;

    /// What it is about, in a few words.
    fn title(&self) -> &'static str;

    /// What it makes of a conflict, if anything.
    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal>;

    /// Whether it repeats what a person decided, instead of finding an outcome itself.
    fn repeats_a_person(&self) -> bool {
        false
    }

    /// Conflicts it settles and conflicts it must leave alone.
    fn examples(&self) -> &'static [Example];
}

/// What the rules know besides the conflict.
#[derive(Clone, Debug)]
pub struct RuleContext {
    /// The path of the file; its name may say what kind of text it is.
    pub path: String,
    /// What the sides are called in reasons.
    pub ours: String,
    /// What the sides are called in reasons.
    pub theirs: String,
    /// White space in which the sides may differ.
    pub blanks: WhitespacePolicy,
    /// Rules that are switched off.
    pub off: BTreeSet<String>,
    /// Conflicts settled before.
    pub past: PastResolutions,
    /// The side that settings take for files of such a path, and the pattern that says so.
    pub by_path: Option<(Side, String)>,
}

impl Default for RuleContext {
    fn default() -> Self {
        RuleContext {
            path: String::new(),
            ours: "ours".to_owned(),
            theirs: "theirs".to_owned(),
            blanks: WhitespacePolicy::default(),
            off: BTreeSet::new(),
            past: PastResolutions::default(),
            by_path: None,
        }
    }
}

impl RuleContext {
    /// What a side is called.
    pub fn label(&self, side: Side) -> &str {
        match side {
            Side::Ours => &self.ours,
            Side::Theirs => &self.theirs,
        }
    }
}

/// A certainty, a reason and mostly a resolution.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Proposal {
    /// How sure.
    pub certainty: Certainty,
    /// Why.
    pub reason: String,
    /// What shall stand; `None` for a hint.
    pub resolution: Option<Resolution>,
}

impl Proposal {
    pub(crate) fn certain(resolution: Resolution, reason: String) -> Self {
        Self::new(Certainty::Certain, resolution, reason)
    }

    pub(crate) fn likely(resolution: Resolution, reason: String) -> Self {
        Self::new(Certainty::Likely, resolution, reason)
    }

    pub(crate) fn hint(reason: String) -> Self {
        Proposal {
            certainty: Certainty::Hint,
            reason,
            resolution: None,
        }
    }

    pub(crate) fn new(certainty: Certainty, resolution: Resolution, reason: String) -> Self {
        Proposal {
            certainty,
            reason,
            resolution: (certainty > Certainty::Hint).then_some(resolution),
        }
    }
}

/// A conflict and the expected answer: each rule is tested by a table of these.
#[derive(Clone, Copy, Debug)]
pub struct Example {
    /// The path, where the kind of file matters.
    pub path: &'static str,
    /// The three versions.
    pub base: &'static str,
    /// The three versions.
    pub ours: &'static str,
    /// The three versions.
    pub theirs: &'static str,
    /// How sure and what whole text; `None`: the rule must leave it alone.
    pub gives: Option<(Certainty, &'static str)>,
}
