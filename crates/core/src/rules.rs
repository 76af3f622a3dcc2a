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
mod echo;
mod formula;
mod generated;
mod memory;
mod more;
mod moved;
mod numbers;
mod reindented;
mod removed;
mod rewrapped;
mod sorted;
mod too_long;
mod white_space;

pub use formula::Formula;

use crate::journal::Entry;
use crate::loom::{Clash, Deeds, Facts, Woven, weave_rows};
use crate::plan::{Algorithm, Plan, Region, RegionId, Versions};
use crate::precedent::Precedents;
use crate::resolution::{Resolution, Side, Strand, Version};
use crate::words::is_space;
use serde::{Deserialize, Serialize};
use std::cell::OnceCell;
use std::collections::{BTreeSet, HashMap};
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

/// Something that speaks against changes being independent although they do not overlap.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Doubt {
    /// Both changed the same blanks.
    BlankClash,
    /// New lines use words that the other side changed.
    Stale,
    /// The other side's changes of words were made in new lines too.
    Renewed,
    /// New lines are like a line that the other side changed.
    Copied,
    /// One side took lines out, the other did something around them.
    Taken,
    /// Both put lines in.
    BothPutIn,
    /// New lines were indented as the other side indents.
    Shifted,
    /// Not code: what belongs together does not stand together.
    Data,
    /// Both changed numbers.
    Numbers,
    /// One side broke the same words into other lines.
    WrappedAnew,
    /// New lines whose place an order tells, in a list or a header.
    ListItems,
    /// Changed words with next to nothing between them.
    Touching,
    /// Words blended right beside other changes.
    Crowded,
    /// One side formatted what the other took out or replaced.
    Formatted,
    /// Lines paired another way give another text.
    Unsteady,
}

/// Unchanged words between two changes from which on they are taken for independent.
const APART: usize = 2;

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
    &numbers::Numbers,
    &blend::Blend,
    &formula::Replay,
    &beside::Beside,
    &adjacent::Adjacent,
    &rewrapped::Rewrapped,
    &both_added::BothAdded,
    &moved::Moved,
    &too_long::TooLong,
];

/// The title of a rule; its id if this build has no such rule.
pub fn rule_title(id: &str) -> &str {
    let rule = RULES.iter().find(|rule| rule.id() == id);
    rule.map_or(id, |rule| rule.title())
}

/// What all conflicts of a plan share, computed when a rule first asks for it.
#[derive(Default)]
struct Shared<'a> {
    /// Where each line with words stands in ours and in theirs, without its indentation.
    places: [OnceCell<Places<'a>>; 2],
}

type Places<'a> = HashMap<&'a [u8], Vec<u32>>;

/// A conflict as rules look at it; what is costly is computed once, when it is first asked for.
pub struct Conflict<'a> {
    plan: &'a Plan,
    id: RegionId,
    shared: Rc<Shared<'a>>,
    woven: OnceCell<Result<Woven, Clash>>,
    steady: OnceCell<bool>,
}

impl<'a> Conflict<'a> {
    /// A conflict of a plan.
    pub fn new(plan: &'a Plan, id: RegionId) -> Self {
        Self::with(plan, id, Rc::default())
    }

    fn with(plan: &'a Plan, id: RegionId, shared: Rc<Shared<'a>>) -> Self {
        Conflict {
            plan,
            id,
            shared,
            woven: OnceCell::new(),
            steady: OnceCell::new(),
        }
    }

    /// The plan it belongs to.
    pub fn plan(&self) -> &'a Plan {
        self.plan
    }

    /// Its region.
    pub fn region(&self) -> &'a Region {
        self.plan.region(self.id)
    }

    /// Which region it is.
    pub fn id(&self) -> RegionId {
        self.id
    }

    /// Where a side has a line with words.
    fn places(&self, side: Side, line: &[u8]) -> &[u32] {
        let index = || {
            let text = self.versions().get(side.into());
            let mut places = Places::new();
            for at in text.all().iter() {
                let line = text.line(at).trimmed();
                if moved::is_worded(line) {
                    places.entry(line).or_default().push(at.0);
                }
            }
            places
        };
        let places = self.shared.places[usize::from(side == Side::Theirs)].get_or_init(index);
        places.get(line).map_or(&[], Vec::as_slice)
    }

    fn versions(&self) -> &'a Versions {
        self.plan.versions()
    }

    /// The bytes of one version.
    pub fn text(&self, version: Version) -> &'a [u8] {
        self.versions()
            .get(version)
            .slice(self.region().lines(version))
    }

    /// What its rows give together, or why they do not.
    fn woven(&self) -> Result<&Woven, Clash> {
        let weave = || weave_rows(self.versions(), self.region(), Algorithm::Histogram);
        self.woven.get_or_init(weave).as_ref().map_err(|c| *c)
    }

    fn facts(&self) -> Option<&Facts> {
        self.woven().ok().map(|w| &w.facts)
    }

    /// The woven rows as a resolution: a whole side where they are just that.
    fn woven_resolution(&self) -> Option<Resolution> {
        let woven = self.woven().ok()?;
        Some(self.resolution(woven.strands.clone()))
    }

    fn resolution(&self, strands: Vec<Strand>) -> Resolution {
        let resolution = Resolution::Woven(strands);
        let text = resolution.text(self.plan, self.region());
        let whole = [Version::Ours, Version::Theirs].into_iter();
        match whole
            .map(|v| (v, self.text(v)))
            .find(|(_, t)| *t == text.bytes())
        {
            Some((version, _)) => Resolution::Take(version),
            None => resolution,
        }
    }

    /// What speaks against taking the woven rows as they are.
    ///
    /// The doubts were found by looking at real merges with a known answer.
    pub fn doubts(&self, context: &Context) -> Vec<Doubt> {
        let Some(facts) = self.facts() else {
            return Vec::new();
        };
        let [ours, theirs] = &facts.sides;
        let takes = |d: &Deeds| d.gone + d.swapped > 0;
        let idle = |d: &Deeds| *d == Deeds::default();
        let data = matches!(
            context.extension(),
            "toml" | "json" | "yaml" | "yml" | "cfg" | "ini" | "md" | "rst" | "txt"
        );
        let found = [
            (facts.blank_clashes > 0, Doubt::BlankClash),
            (facts.stale > 0, Doubt::Stale),
            (facts.renewed > 0, Doubt::Renewed),
            (facts.copied > 0, Doubt::Copied),
            (
                takes(ours) && !idle(theirs) || takes(theirs) && !idle(ours),
                Doubt::Taken,
            ),
            (ours.put_in > 0 && theirs.put_in > 0, Doubt::BothPutIn),
            (facts.shifted > 0, Doubt::Shifted),
            (data, Doubt::Data),
            (
                facts.numbers > 0 || self.both_changed_numbers(),
                Doubt::Numbers,
            ),
            (self.is_wrapped_anew(), Doubt::WrappedAnew),
            (facts.beside > 0 && self.adds_list_items(), Doubt::ListItems),
            (
                facts.blended > 0 && facts.gap.is_some_and(|gap| gap < APART),
                Doubt::Touching,
            ),
            (
                facts.blended > 0 && facts.beside + facts.beside_gone + facts.adjacent > 0,
                Doubt::Crowded,
            ),
            (facts.formatted > 0, Doubt::Formatted),
            (!self.is_steady(), Doubt::Unsteady),
        ];
        found
            .into_iter()
            .filter(|(is, _)| *is)
            .map(|(_, doubt)| doubt)
            .collect()
    }

    /// How sure one may be of the woven rows.
    ///
    /// Measured on real merges: where lines were taken out, what the other side added or
    /// blended there is wrong too often to be offered.
    fn sure(&self, context: &Context) -> Certainty {
        let doubts = self.doubts(context);
        let (Some(facts), false) = (self.facts(), doubts.is_empty()) else {
            return Certainty::Certain;
        };
        let spoils = |doubt: &Doubt| match doubt {
            Doubt::Stale | Doubt::Copied | Doubt::Numbers => true,
            Doubt::Taken => facts.beside + facts.beside_gone + facts.blended > 0,
            _ => false,
        };
        match doubts.iter().any(spoils) || doubts.len() > 2 {
            true => Certainty::Hint,
            false => Certainty::Likely,
        }
    }

    /// Whether one side broke the same words into other lines.
    fn is_wrapped_anew(&self) -> bool {
        let base = self.text(Version::Base);
        [Version::Ours, Version::Theirs].into_iter().any(|v| {
            let (region, side) = (self.region(), self.text(v));
            region.lines(v).len() != region.base.len() && crate::words::same_words(base, side)
        })
    }

    fn both_changed_numbers(&self) -> bool {
        let numbers = |v: Version| -> Vec<&[u8]> { numbers::numbers(self.text(v)).collect() };
        let (base, ours, theirs) = (
            numbers(Version::Base),
            numbers(Version::Ours),
            numbers(Version::Theirs),
        );
        base.len() == ours.len() && base.len() == theirs.len() && base != ours && base != theirs
    }

    /// Whether a side put in lines whose place in a list or header only its order tells.
    fn adds_list_items(&self) -> bool {
        let base: BTreeSet<&[u8]> = self
            .text(Version::Base)
            .split(|b| *b == b'\n')
            .map(<[u8]>::trim_ascii)
            .collect();
        [Version::Ours, Version::Theirs].into_iter().any(|v| {
            let lines = self.text(v).split(|b| *b == b'\n').map(<[u8]>::trim_ascii);
            lines
                .filter(|line| !base.contains(line))
                .any(sorted::is_item)
        })
    }

    /// Whether rows paired another way give the same text, and no line stands there twice
    /// that each side has once.
    fn is_steady(&self) -> bool {
        *self.steady.get_or_init(|| self.look_whether_steady())
    }

    fn look_whether_steady(&self) -> bool {
        let Ok(woven) = self.woven() else {
            return false;
        };
        let text =
            |strands: &[Strand]| Resolution::Woven(strands.to_vec()).text(self.plan, self.region());
        let text_of_this = text(&woven.strands);
        let other = weave_rows(self.versions(), self.region(), Algorithm::Myers);
        let agrees = other.is_ok_and(|other| text(&other.strands) == text_of_this);
        agrees && !self.repeats(text_of_this.bytes())
    }

    /// Whether a text has a line of words more often than both sides.
    fn repeats(&self, text: &[u8]) -> bool {
        let count = |bytes: &[u8]| {
            let mut lines: HashMap<Vec<u8>, usize> = HashMap::new();
            for line in bytes.split(|b| *b == b'\n') {
                let solid: Vec<u8> = line.iter().copied().filter(|b| !is_space(*b)).collect();
                if solid.len() > 3 {
                    *lines.entry(solid).or_default() += 1;
                }
            }
            lines
        };
        let sides = [Version::Ours, Version::Theirs, Version::Base].map(|v| count(self.text(v)));
        count(text).iter().any(|(line, n)| {
            *n > 1
                && sides
                    .iter()
                    .all(|side| side.get(line).is_none_or(|m| m < n))
        })
    }
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

fn lines(n: usize) -> String {
    match n {
        1 => "1 line".to_owned(),
        n => format!("{n} lines"),
    }
}

#[cfg(test)]
mod tests;
