//! Which of two plans of the same versions a person is shown: by lines, or by declarations.

use crate::decide::ruling::{Certainty, Ruling};
use crate::model::region::RegionId;
use crate::model::side::Side;
use crate::plan::build::Plan;
use std::collections::HashSet;

/// Whether the plan by declarations is the better one, by what rules make of both.
///
/// It is where a side changed what the other moved: lines may have put that change elsewhere. Else it is
/// where fewer lines stay open, even when all that is likely is taken; then with what is certain alone.
///
/// ```
/// use armistice_core::{Options, plan, prefers_declarations};
/// let plain = plan(&"a\n".into(), &"b\n".into(), &"c\n".into(), &Options::default());
/// assert!(!prefers_declarations((&plain, &[]), (&plain, &[])));
/// ```
pub fn prefers_declarations(
    lines: (&Plan, &[(RegionId, Ruling)]),
    declarations: (&Plan, &[(RegionId, Ruling)]),
) -> bool {
    let open = |(plan, rulings): (&Plan, &[(RegionId, Ruling)])| {
        [Certainty::Likely, Certainty::Certain].map(|least| open_lines(plan, rulings, least))
    };
    declarations.0.insists() || open(declarations) < open(lines)
}

/// Lines of both sides in conflicts that no ruling of at least that certainty settles.
fn open_lines(plan: &Plan, rulings: &[(RegionId, Ruling)], least: Certainty) -> usize {
    let settles = |(_, ruling): &&(RegionId, Ruling)| {
        ruling.certainty >= least && ruling.resolution.is_some()
    };
    let settled: HashSet<RegionId> = rulings.iter().filter(settles).map(|(id, _)| *id).collect();
    let open = plan.conflicts().iter().filter(|id| !settled.contains(id));
    let lines = open.map(|id| {
        let region = plan.region(*id);
        let of = |side: Side| region.lines(side.into()).len();
        Side::BOTH.into_iter().map(of).sum::<usize>().max(1)
    });
    lines.sum()
}
