//! Lines that both sides added at one place: which comes first.

use crate::model::side::Side;
use crate::verify::result_lines::{LineSource, Objection, ResultLines};

/// Whether the place of a line among its neighbours has a meaning.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Position {
    /// It may stand anywhere among its like.
    Free,
    /// It runs, counts or overrides in order.
    Ordered,
    /// Nobody can tell.
    Unknown,
}

/// Returns lines that stand beside a line which the other side added, although their order is not free;
/// with each, whether that is known.
///
/// `positions` are those of base, ours and theirs.
pub(crate) fn out_of_order(
    lines: &ResultLines<'_>,
    positions: [&[Position]; 3],
) -> Vec<(Objection, Position)> {
    let mut found = Vec::new();
    let mut before: Option<(Side, Position)> = None;
    for (
        row,
        LineSource {
            version,
            row: real,
            id,
        },
    ) in lines.settled()
    {
        if lines.text(version, real).is_empty() {
            continue;
        }
        let position = positions[version as usize].get(real as usize).copied();
        let position = position.unwrap_or(Position::Unknown);
        let side = match lines.changed_by(id)[..] {
            // Whatever base has too keeps its place.
            [side] if id.0 != crate::model::versions::Version::Base => side,
            _ => {
                before = None;
                continue;
            }
        };
        if let Some((other, at_other)) = before
            && other != side
        {
            let worst = match (position, at_other) {
                (Position::Ordered, _) | (_, Position::Ordered) => Position::Ordered,
                (Position::Unknown, _) | (_, Position::Unknown) => Position::Unknown,
                _ => Position::Free,
            };
            if worst != Position::Free {
                let what =
                    "stands beside a line that the other side added, and their order has a meaning";
                let objection = lines.objection(row, what.to_owned());
                found.extend(objection.map(|objection| (objection, worst)));
            }
        }
        before = Some((side, position));
    }
    found
}
