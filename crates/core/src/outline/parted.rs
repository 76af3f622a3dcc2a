//! Declarations that a side cut in two, or put together: what was split off, and into what something
//! went. Told where it is plain: most lines of the part stood in, or stand in, the other.

use crate::model::side::Side;
use crate::model::versions::Version;
use crate::outline::change::DeclarationChange;
use crate::text::lines::LineRange;
use crate::text::source::Source;
use std::collections::HashMap;

/// Lines of a part that must stand in the other, at least.
const LINES: usize = 2;

/// How many of ten lines of a part must.
const OF_TEN: usize = 7;

/// Notes for each side what it split off and what it joined to something else.
pub(crate) fn find_parted(texts: [&Source; 3], rows: &mut [DeclarationChange]) {
    let is_leaf: Vec<bool> = (0..rows.len())
        .map(|nth| {
            rows.get(nth + 1)
                .is_none_or(|next| next.depth <= rows[nth].depth)
        })
        .collect();
    for side in Side::BOTH {
        let version = Version::from(side);
        let lines = |version: Version, row: &DeclarationChange| {
            let lines = row.lines_in(version).unwrap_or_default();
            telling(texts[version as usize], lines)
        };
        // What base has and the side has not any more, and the other way round, row by row.
        let (mut lost, mut gained) = (Places::default(), Places::default());
        for (nth, row) in rows.iter().enumerate().filter(|(nth, _)| is_leaf[*nth]) {
            let did = row.did[side];
            if did.edited || did.removed || did.added {
                let (before, after) = (lines(Version::Base, row), lines(version, row));
                lost.put(nth, surplus(&before, &after));
                gained.put(nth, surplus(&after, &before));
            }
        }
        let mut found = Vec::new();
        for (nth, row) in rows.iter().enumerate().filter(|(nth, _)| is_leaf[*nth]) {
            let did = row.did[side];
            let (own, places) = match (did.added, did.removed) {
                (true, false) => (lines(version, row), &lost),
                (false, true) => (lines(Version::Base, row), &gained),
                _ => continue,
            };
            // The head is its own; what it holds is what was parted.
            found.extend(
                places
                    .most(nth, own.get(1..).unwrap_or_default())
                    .map(|of| (nth, of)),
            );
        }
        for (nth, of) in found {
            rows[nth].parted[side] = Some(of);
        }
    }
}

/// The lines that tell one place from another, without blanks around them.
fn telling(text: &Source, lines: LineRange) -> Vec<&[u8]> {
    let lines = text.lines(lines).map(|line| line.trimmed());
    lines
        .filter(|line| line.iter().filter(|b| b.is_ascii_alphanumeric()).count() > 3)
        .collect()
}

/// Lines that one list has more often than another.
fn surplus<'a>(of: &[&'a [u8]], over: &[&'a [u8]]) -> Vec<&'a [u8]> {
    let mut left: HashMap<&[u8], usize> = HashMap::new();
    for line in over {
        *left.entry(line).or_default() += 1;
    }
    let is_more = |line: &&&[u8]| match left.get_mut(**line) {
        Some(n) if *n > 0 => {
            *n -= 1;
            false
        }
        _ => true,
    };
    of.iter().filter(is_more).copied().collect()
}

/// In which rows lines stand.
#[derive(Default)]
struct Places<'a>(HashMap<&'a [u8], Vec<usize>>);

impl<'a> Places<'a> {
    fn put(&mut self, row: usize, lines: Vec<&'a [u8]>) {
        for line in lines {
            let rows = self.0.entry(line).or_default();
            if rows.last() != Some(&row) {
                rows.push(row);
            }
        }
    }

    /// The other row in which most of some lines stand, if it is plain.
    fn most(&self, own: usize, lines: &[&[u8]]) -> Option<usize> {
        let mut votes: HashMap<usize, usize> = HashMap::new();
        for line in lines {
            // What stands everywhere tells nothing.
            let rows = self.0.get(line).filter(|rows| rows.len() <= 8);
            for row in rows.into_iter().flatten().filter(|row| **row != own) {
                *votes.entry(*row).or_default() += 1;
            }
        }
        let (row, most) = votes
            .into_iter()
            .max_by_key(|(row, n)| (*n, usize::MAX - row))?;
        (most >= LINES && most * 10 >= lines.len() * OF_TEN).then_some(row)
    }
}

#[cfg(test)]
mod tests {
    use crate::model::side::Side;
    use crate::model::versions::Versions;
    use crate::outline::changes::declaration_changes;
    use crate::outline::indented::outline_by_indentation;
    use crate::text::source::Source;

    fn parted(base: &str, ours: &str) -> Vec<(String, String)> {
        let [base, ours]: [Source; 2] = [base.into(), ours.into()];
        let outlines = [&base, &ours, &base].map(outline_by_indentation);
        let [b, o, t] = &outlines;
        let versions = Versions {
            base: base.clone(),
            ours: ours.clone(),
            theirs: base.clone(),
        };
        let rows = declaration_changes(&versions, [b, o, t]);
        let name = |nth: usize| rows[nth].names.iter().flatten().next().unwrap().clone();
        let all = rows.iter().enumerate();
        all.filter_map(|(nth, row)| Some((name(nth), name(row.parted[Side::Ours]?))))
            .collect()
    }

    const WHOLE: &str = "moor(ship):\n  slot = free.pop()\n  log.write(slot)\n  rope = store.take(ship)\n  rope.tie(slot)\n  rope.check(ship)\n";
    const CUT: &str = "moor(ship):\n  slot = free.pop()\n  log.write(slot)\n  tie_up(ship, slot)\n\ntie_up(ship, slot):\n  rope = store.take(ship)\n  rope.tie(slot)\n  rope.check(ship)\n";

    #[test]
    fn what_was_split_off_and_what_was_joined_is_told_of_the_part() {
        let name = |text: &str| text.lines().next().unwrap().to_owned();
        let [(part, of)] = &parted(WHOLE, CUT)[..] else {
            panic!("{:?}", parted(WHOLE, CUT));
        };
        assert!(part.starts_with("tie_up") && name(WHOLE).starts_with(of.as_str()));
        let [(part, of)] = &parted(CUT, WHOLE)[..] else {
            panic!("{:?}", parted(CUT, WHOLE));
        };
        assert!(part.starts_with("tie_up") && name(WHOLE).starts_with(of.as_str()));
    }

    #[test]
    fn what_is_new_was_not_split_off() {
        let more = format!("{WHOLE}\nleave(ship):\n  free.push(ship.slot)\n  log.write(ship)\n");
        assert_eq!(parted(WHOLE, &more), []);
        assert_eq!(parted(&more, WHOLE), []);
        // A copy takes nothing away.
        let copy = format!("{WHOLE}\n{}", WHOLE.replace("moor", "berth"));
        assert_eq!(parted(WHOLE, &copy), []);
    }
}
