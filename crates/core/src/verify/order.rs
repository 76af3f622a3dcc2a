//! Lines that both sides added at one place: which comes first.

use crate::model::side::Side;
use crate::model::versions::Version;
use crate::verify::result_lines::{LineSource, Objection, ProofKind, ResultLines, width, words};

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
/// `positions` are those of base, ours and theirs; without them nobody can tell.
pub(crate) fn out_of_order(
    lines: &ResultLines<'_>,
    positions: Option<[&[Position]; 3]>,
) -> Vec<(Objection, Position)> {
    let mut found = Vec::new();
    // The last line at each indentation, outermost first: new ones with the side that added them.
    let mut before: Vec<(usize, Option<(Side, Position)>)> = Vec::new();
    for (
        row,
        LineSource {
            version,
            row: real,
            id,
        },
    ) in lines.settled()
    {
        let line = lines.text(version, real);
        // What ends a block belongs to what is above it.
        if line.is_empty() || ends_block(line) {
            continue;
        }
        let Some(there) = lines.line(row) else {
            continue;
        };
        let indentation = width(there.line.bytes());
        let position = positions.and_then(|all| all[version as usize].get(real as usize).copied());
        let position = position.unwrap_or(Position::Unknown);
        // What base has too keeps its place.
        let new = match *lines.changed_by(id) {
            [side] if id.0 != Version::Base => Some((side, position)),
            _ => None,
        };
        before.retain(|(other, _)| *other <= indentation);
        let last = before
            .last()
            .filter(|(other, _)| *other == indentation)
            .copied();
        if let (Some((side, position)), Some((_, Some((other, at_other))))) = (new, last)
            && other != side
        {
            let worst = match (position, at_other) {
                // What leaves the block can only be the last.
                _ if leaves_block(line) => Position::Unknown,
                (Position::Ordered, _) | (_, Position::Ordered) => Position::Ordered,
                (Position::Unknown, _) | (_, Position::Unknown) => Position::Unknown,
                _ => Position::Free,
            };
            if worst != Position::Free {
                let what = "is next to a line that the other side added, and their order matters";
                let objection = lines.objection(ProofKind::Order, row, what.to_owned());
                found.extend(objection.map(|objection| (objection, worst)));
            }
        }
        before.retain(|(other, _)| *other < indentation);
        before.push((indentation, new));
    }
    found
}

/// Whether a line only ends a block.
fn ends_block(line: &[u8]) -> bool {
    let closes = |b: &u8| matches!(b, b'}' | b')' | b']' | b';' | b',');
    line.iter().all(closes) || line == b"end" || line.starts_with(b"</")
}

/// Whether nothing of its block runs after a line.
fn leaves_block(line: &[u8]) -> bool {
    const LEAVING: [&[u8]; 5] = [b"return", b"raise", b"throw", b"break", b"continue"];
    words(line)
        .first()
        .is_some_and(|word| LEAVING.contains(word))
}
