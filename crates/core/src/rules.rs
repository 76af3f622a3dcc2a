//! Settling by rule: what no person needs to see, with a reason.
//!
//! A rule looks at one conflict and may propose what shall stand, how sure it
//! is, and why. Rules read; they never change a draft: what they propose
//! becomes a decision like a person's ([`crate::Entry::Rule`]).
//! A rule is one file here behind [`Rule`], with examples and counter-examples.

mod adjacent;
mod beside;
mod blend;
mod both_added;
mod conflict;
mod doubts;
mod echo;
mod formula;
mod generated;
mod memory;
mod more;
mod moved;
mod names;
mod numbers;
mod reindented;
mod removed;
mod rewrapped;
mod sorted;
mod too_long;
mod white_space;

pub use conflict::Conflict;
pub use doubts::Doubt;
pub use formula::Formula;

use crate::journal::Entry;
use crate::plan::{Plan, RegionId};
use crate::precedent::Precedents;
use crate::resolution::{Resolution, Side};
use conflict::APART;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::rc::Rc;

/// How sure a rule is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Certainty {
    /// Explained, never filled in.
    Hint,
    /// Offered: one key takes it.
    Likely,
    /// Filled in when the file is opened.
    Certain,
}

impl Certainty {
    /// The word for it.
    pub fn name(self) -> &'static str {
        match self {
            Certainty::Hint => "hint",
            Certainty::Likely => "likely",
            Certainty::Certain => "certain",
        }
    }
}

impl Ruling {
    /// The decision it amounts to, if it is at least this sure.
    pub fn entry(&self, id: RegionId, least: Certainty) -> Option<Entry> {
        let settles = self.resolution.is_some() && self.certainty >= least;
        settles.then(|| Entry::Rule(id, self.clone()))
    }
}

/// How much is settled without asking.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Settle {
    /// Nothing.
    None,
    /// What the rules are certain of.
    #[default]
    Certain,
    /// What they think likely too.
    Likely,
}

impl Settle {
    /// The rulings that this settles.
    pub fn pick(self, rulings: &[(RegionId, Ruling)]) -> Vec<(RegionId, Ruling)> {
        let least = match self {
            Settle::None => return Vec::new(),
            Settle::Certain => Certainty::Certain,
            Settle::Likely => Certainty::Likely,
        };
        let settled = rulings
            .iter()
            .filter(|(_, r)| r.certainty >= least && r.resolution.is_some());
        settled.cloned().collect()
    }
}

/// White space in which the sides may differ without anybody being asked.
///
/// Each policy includes the ones before it. What only one side changed is kept
/// under all of them; the policy decides where both changed the same blanks, each its own way.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize,
)]
#[serde(rename_all = "kebab-case")]
pub enum Blanks {
    /// None: every clash of blanks is a person's.
    #[default]
    Exact,
    /// Line ends.
    LineEnds,
    /// Line ends and trailing blanks.
    Trailing,
    /// How many blanks, and of which kind, stand where all have some.
    Amount,
    /// All blanks, line breaks too.
    All,
}

impl Blanks {
    /// All policies, strictest first.
    pub const ALL: [Blanks; 5] = [
        Blanks::Exact,
        Blanks::LineEnds,
        Blanks::Trailing,
        Blanks::Amount,
        Blanks::All,
    ];

    /// Its name on the command line and in the configuration.
    pub fn name(self) -> &'static str {
        match self {
            Blanks::Exact => "exact",
            Blanks::LineEnds => "line-ends",
            Blanks::Trailing => "trailing",
            Blanks::Amount => "amount",
            Blanks::All => "all",
        }
    }

    /// The next one, the first after the last.
    pub fn next(self) -> Self {
        let at = Self::ALL.iter().position(|p| *p == self).unwrap_or(0);
        Self::ALL[(at + 1) % Self::ALL.len()]
    }
}

/// What the rules know besides the conflict.
#[derive(Clone, Debug)]
pub struct Context {
    /// The path of the file; its name may say what kind of text it is.
    pub path: String,
    /// What the sides are called in reasons.
    pub ours: String,
    /// What the sides are called in reasons.
    pub theirs: String,
    /// White space in which the sides may differ.
    pub blanks: Blanks,
    /// Rules that are switched off.
    pub off: BTreeSet<String>,
    /// Conflicts settled before.
    pub precedents: Precedents,
}

impl Default for Context {
    fn default() -> Self {
        Context {
            path: String::new(),
            ours: "ours".to_owned(),
            theirs: "theirs".to_owned(),
            blanks: Blanks::default(),
            off: BTreeSet::new(),
            precedents: Precedents::default(),
        }
    }
}

impl Context {
    /// What a side is called.
    pub fn label(&self, side: Side) -> &str {
        match side {
            Side::Ours => &self.ours,
            Side::Theirs => &self.theirs,
        }
    }

    fn extension(&self) -> &str {
        let name = self.path.rsplit('/').next().unwrap_or_default();
        name.rsplit_once('.').map_or("", |(_, end)| end)
    }
}

/// What a rule found.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Ruling {
    /// The rule's id.
    pub rule: String,
    /// How sure it is.
    pub certainty: Certainty,
    /// Why, in one sentence that names the sides.
    pub reason: String,
    /// What shall stand; `None` for a hint.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub resolution: Option<Resolution>,
}

/// One way to settle conflicts.
pub trait Rule: Sync {
    /// Its name in journals, configuration and JSON; never changes.
    fn id(&self) -> &'static str;

    /// What it is about, in a few words.
    fn title(&self) -> &'static str;

    /// What it makes of a conflict, if anything.
    fn propose(&self, conflict: &Conflict<'_>, context: &Context) -> Option<Proposal>;

    /// Conflicts it settles and conflicts it must leave alone.
    fn examples(&self) -> &'static [Example];
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
    fn certain(resolution: Resolution, reason: String) -> Self {
        Self::new(Certainty::Certain, resolution, reason)
    }

    fn likely(resolution: Resolution, reason: String) -> Self {
        Self::new(Certainty::Likely, resolution, reason)
    }

    fn hint(reason: String) -> Self {
        Proposal {
            certainty: Certainty::Hint,
            reason,
            resolution: None,
        }
    }

    fn new(certainty: Certainty, resolution: Resolution, reason: String) -> Self {
        Proposal {
            certainty,
            reason,
            resolution: (certainty > Certainty::Hint).then_some(resolution),
        }
    }
}

/// A conflict and what shall come of it: the table that each rule is tested by.
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

/// All rules, in the order in which they are asked.
pub static RULES: &[&dyn Rule] = &[
    &memory::Memory,
    &echo::Echo,
    &generated::Generated,
    &white_space::WhiteSpace,
    &removed::Removed,
    &reindented::Reindented,
    &more::More,
    &sorted::Sorted,
    &names::Names,
    &numbers::Numbers,
    &rewrapped::Rewrapped,
    &blend::Blend,
    &formula::Replay,
    &beside::Beside,
    &adjacent::Adjacent,
    &both_added::BothAdded,
    &moved::Moved,
    &too_long::TooLong,
];

/// The title of a rule; its id if this build has no such rule.
pub fn rule_title(id: &str) -> &str {
    let rule = RULES.iter().find(|rule| rule.id() == id);
    rule.map_or(id, |rule| rule.title())
}

/// What the rules make of one conflict: the surest proposal, the first among equals.
pub fn propose(plan: &Plan, id: RegionId, context: &Context) -> Option<Ruling> {
    ruling(&Conflict::new(plan, id), context)
}

fn ruling(conflict: &Conflict<'_>, context: &Context) -> Option<Ruling> {
    let mut best: Option<Ruling> = None;
    for rule in RULES.iter().filter(|rule| !context.off.contains(rule.id())) {
        let Some(found) = rule.propose(conflict, context) else {
            continue;
        };
        if best
            .as_ref()
            .is_some_and(|b| b.certainty >= found.certainty)
        {
            continue;
        }
        // What a tool writes is not put together by other rules.
        let last = found.certainty == Certainty::Certain || rule.id() == generated::ID;
        best = Some(Ruling {
            rule: rule.id().to_owned(),
            certainty: found.certainty,
            reason: found.reason,
            resolution: found.resolution,
        });
        if last {
            break;
        }
    }
    best
}

/// What the rules make of all conflicts of a plan, in order.
pub fn propose_all(plan: &Plan, context: &Context) -> Vec<(RegionId, Ruling)> {
    let mut out = Vec::new();
    let shared = Rc::default();
    for stretch in plan.stretches() {
        let from = out.len();
        out.extend(stretch.iter().filter_map(|id| {
            Some((
                *id,
                ruling(&Conflict::with(plan, *id, Rc::clone(&shared)), context)?,
            ))
        }));
        let all_certain = out.len() - from == stretch.len()
            && out[from..]
                .iter()
                .all(|(_, r)| r.certainty == Certainty::Certain);
        // What goes with lines that a person still has to settle may depend on how.
        for (_, ruling) in out[from..].iter_mut().filter(|_| !all_certain) {
            ruling.certainty = ruling.certainty.min(Certainty::Likely);
        }
    }
    out
}

/// A label as an owner: "main's", "theirs'".
fn whose(label: &str) -> String {
    let end = if label.ends_with('s') { "'" } else { "'s" };
    format!("{label}{end}")
}

fn lines(n: usize) -> String {
    match n {
        1 => "1 line".to_owned(),
        n => format!("{n} lines"),
    }
}

#[cfg(test)]
mod tests;
