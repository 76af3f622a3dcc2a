//! What became of the lines that each side added: kept, given up, rewritten.
//!
//! First form: it looks at each region by itself. It does not yet follow lines
//! that were moved out of their region.

use crate::draft::{Draft, Standing};
use crate::plan::{Kind, Plan, RegionId};
use crate::resolution::{Side, Version};
use serde::Serialize;
use std::collections::HashMap;

/// What became of a line that a side added.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fate {
    /// It stands in the draft.
    Kept,
    /// A decision left it out.
    GivenUp,
    /// Its region was rewritten by hand and it is not there as it was.
    Rewritten,
    /// Its conflict is still open.
    Waiting,
}

/// The added lines of one side, counted by fate.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct SideReport {
    /// In the draft.
    pub kept: usize,
    /// Left out by a decision.
    pub given_up: usize,
    /// Rewritten by hand.
    pub rewritten: usize,
    /// In a conflict that is still open.
    pub waiting: usize,
}

impl std::ops::AddAssign for SideReport {
    fn add_assign(&mut self, other: Self) {
        self.kept += other.kept;
        self.given_up += other.given_up;
        self.rewritten += other.rewritten;
        self.waiting += other.waiting;
    }
}

/// What became of both sides' work.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Report {
    /// Lines that ours added.
    pub ours: SideReport,
    /// Lines that theirs added.
    pub theirs: SideReport,
    /// Regions that hold a line of a version twice.
    pub twice: Vec<RegionId>,
}

/// Accounts for every line that a side added to base.
pub fn audit(plan: &Plan, draft: &Draft) -> Report {
    let mut report = Report::default();
    for (id, region) in plan.ids() {
        if region.kind == Kind::Unchanged {
            continue;
        }
        if picked_twice(draft, id) {
            report.twice.push(id);
        }
        for side in [Side::Ours, Side::Theirs] {
            count(plan, draft, id, side, &mut report);
        }
    }
    report
}

fn count(plan: &Plan, draft: &Draft, id: RegionId, side: Side, report: &mut Report) {
    let (region, versions) = (plan.region(id), plan.versions());
    let version = Version::from(side);
    let mut base: HashMap<&[u8], usize> = HashMap::new();
    for line in versions.base.lines(region.base) {
        *base.entry(line.bytes()).or_default() += 1;
    }
    let mut stands = standing_lines(draft, id);
    let into = match side {
        Side::Ours => &mut report.ours,
        Side::Theirs => &mut report.theirs,
    };
    for line in versions.get(version).lines(region.lines(version)) {
        if take(&mut base, line.bytes()) {
            continue;
        }
        match fate(draft.standing(id), take(&mut stands, line.bytes())) {
            Fate::Kept => into.kept += 1,
            Fate::GivenUp => into.given_up += 1,
            Fate::Rewritten => into.rewritten += 1,
            Fate::Waiting => into.waiting += 1,
        }
    }
}

fn fate(standing: &Standing, stands: bool) -> Fate {
    match standing {
        Standing::Open => Fate::Waiting,
        _ if stands => Fate::Kept,
        Standing::ByHand => Fate::Rewritten,
        Standing::Settled(_) | Standing::Ruled(_) | Standing::Merged => Fate::GivenUp,
    }
}

fn take<'a>(lines: &mut HashMap<&'a [u8], usize>, line: &'a [u8]) -> bool {
    match lines.get_mut(line) {
        Some(n) if *n > 0 => {
            *n -= 1;
            true
        }
        _ => false,
    }
}

fn standing_lines(draft: &Draft, id: RegionId) -> HashMap<&[u8], usize> {
    let mut out = HashMap::new();
    for line in draft.lines_of(id).iter().filter_map(|at| draft.line(at)) {
        *out.entry(line.line.bytes()).or_default() += 1;
    }
    out
}

fn picked_twice(draft: &Draft, id: RegionId) -> bool {
    let mut seen = std::collections::HashSet::new();
    let lines = draft.lines_of(id).iter().filter_map(|at| draft.line(at));
    let mut picks = lines.filter_map(|line| line.source);
    picks.any(|pick| !seen.insert((pick.version, pick.line)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Entry, Event, Options, Resolution, Session, Step, plan};
    use std::sync::Arc;

    #[test]
    fn every_added_line_is_accounted_for() {
        let plan = plan(
            &"a\nb\nc\nd\n".into(),
            &"a\nO1\nO2\nc\nd\no3\n".into(),
            &"t0\na\nT1\nc\nd\n".into(),
            &Options::default(),
        );
        let conflict = plan.conflicts()[0];
        let mut session = Session::new(Arc::new(plan));
        let open = audit(session.draft().plan(), session.draft());
        assert_eq!(
            (open.ours.kept, open.ours.waiting, open.theirs.kept),
            (1, 2, 1)
        );
        let entries = vec![Entry::Settle(conflict, Resolution::Take(Version::Ours))];
        let label = String::new();
        session
            .apply(&Event::Do(Step::new(label, entries)))
            .unwrap();
        let done = audit(session.draft().plan(), session.draft());
        assert_eq!((done.ours.kept, done.ours.given_up), (3, 0));
        assert_eq!((done.theirs.kept, done.theirs.given_up), (1, 1));
        assert_eq!(done.twice, []);
    }
}
