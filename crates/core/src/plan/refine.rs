//! Takes out of a conflict what both sides have in common.
//!
//! Lines that both sides have in common leave the conflict: at its head and
//! tail always, in its middle where the run is long enough to be no accident.
//! Each base line then goes to the part whose words it shares.

use crate::diff::interned::InternedLines;
use crate::diff::search::search_part;
use crate::limits::{COMMON_RUN_LINES, SHARED_OUT_PAIRS};
use crate::model::region::{Region, RegionKind};
use crate::model::versions::Versions;
use crate::text::lines::LineRange;
use crate::text::tokens::solid_tokens;
use imara_diff::Token;
use std::collections::HashSet;

/// A stretch of the conflict in the two sides, before base is shared out.
#[derive(Clone, Copy)]
struct Stretch {
    common: bool,
    ours: LineRange,
    theirs: LineRange,
}

/// The regions that stand for `region`, in order; they tile it in all three versions.
pub(crate) fn refine(versions: &Versions, tokens: &InternedLines, region: Region) -> Vec<Region> {
    // A difference taken the other way round may match other lines; a fixed order of the
    // two, by their content, keeps the plan the same when the sides are swapped.
    let order = |lines: LineRange, bytes| (lines.len(), bytes);
    let swapped = order(region.ours, versions.ours.slice(region.ours))
        > order(region.theirs, versions.theirs.slice(region.theirs));
    let stretches = stretches(tokens, &region, swapped);
    if let [only] = stretches[..] {
        let kind = if only.common {
            RegionKind::Same
        } else {
            RegionKind::Conflict
        };
        return vec![Region { kind, ..region }];
    }
    let bases = share_out(versions, &region, &stretches);
    let pairs = stretches.iter().zip(bases);
    pairs
        .map(|(stretch, base)| Region {
            kind: kind(tokens, stretch, base),
            base,
            ours: stretch.ours,
            theirs: stretch.theirs,
        })
        .collect()
}

fn kind(tokens: &InternedLines, stretch: &Stretch, base: LineRange) -> RegionKind {
    match stretch.common {
        false => RegionKind::Conflict,
        true if tokens.base[base.span()] == tokens.ours[stretch.ours.span()] => {
            RegionKind::Unchanged
        }
        true => RegionKind::Same,
    }
}

/// Alternating runs of common and differing lines; never empty on both sides.
fn stretches(tokens: &InternedLines, region: &Region, swapped: bool) -> Vec<Stretch> {
    let ours = &tokens.ours[region.ours.span()];
    let theirs = &tokens.theirs[region.theirs.span()];
    let mut out = Vec::new();
    let (mut from_o, mut from_t) = (0, 0);
    for (o, t, len) in common_runs(ours, theirs, swapped) {
        let at_edge = (o == 0 && t == 0) || (o + len == ours.len() && t + len == theirs.len());
        if !at_edge && len < COMMON_RUN_LINES {
            continue;
        }
        push(&mut out, region, false, from_o..o, from_t..t);
        push(&mut out, region, true, o..o + len, t..t + len);
        (from_o, from_t) = (o + len, t + len);
    }
    push(
        &mut out,
        region,
        false,
        from_o..ours.len(),
        from_t..theirs.len(),
    );
    out
}

fn push(
    out: &mut Vec<Stretch>,
    region: &Region,
    common: bool,
    ours: std::ops::Range<usize>,
    theirs: std::ops::Range<usize>,
) {
    if ours.is_empty() && theirs.is_empty() {
        return;
    }
    let shift = |range: std::ops::Range<usize>, by: LineRange| {
        let by = by.start.0 as usize;
        LineRange::from(range.start + by..range.end + by)
    };
    out.push(Stretch {
        common,
        ours: shift(ours, region.ours),
        theirs: shift(theirs, region.theirs),
    });
}

/// Runs of equal lines as (line of ours, line of theirs, length), in order.
fn common_runs(ours: &[Token], theirs: &[Token], swapped: bool) -> Vec<(usize, usize, usize)> {
    let head = ours.iter().zip(theirs).take_while(|(a, b)| a == b).count();
    let (ours, theirs) = (&ours[head..], &theirs[head..]);
    let ends = ours.iter().rev().zip(theirs.iter().rev());
    let tail = ends.take_while(|(a, b)| a == b).count();
    let (len_o, len_t) = (ours.len() - tail, theirs.len() - tail);
    let mut runs = vec![(0, 0, head)];
    let inner = inner_runs(&ours[..len_o], &theirs[..len_t], swapped);
    runs.extend(
        inner
            .into_iter()
            .map(|(o, t, len)| (o + head, t + head, len)),
    );
    runs.push((len_o + head, len_t + head, tail));
    runs.retain(|(.., len)| *len > 0);
    runs
}

fn inner_runs(ours: &[Token], theirs: &[Token], swapped: bool) -> Vec<(usize, usize, usize)> {
    if ours.len() < COMMON_RUN_LINES || theirs.len() < COMMON_RUN_LINES {
        return Vec::new();
    }
    let (a, b) = if swapped {
        (theirs, ours)
    } else {
        (ours, theirs)
    };
    let mut runs = Vec::new();
    let (mut at_a, mut at_b) = (0, 0);
    let mut run = |a: usize, b: usize, len: usize| {
        if len > 0 {
            runs.push(if swapped { (b, a, len) } else { (a, b, len) });
        }
    };
    for hunk in search_part::<LineRange>(a, b) {
        let (base, side) = (hunk.base.span(), hunk.side.span());
        run(at_a, at_b, base.start - at_a);
        (at_a, at_b) = (base.end, side.end);
    }
    run(at_a, at_b, a.len() - at_a);
    runs
}

/// Cuts the base lines of a conflict among its stretches, in order, so that as
/// many words as possible stand where they are still found.
///
/// A shortest-path over (line, stretch); base goes whole to the first differing
/// stretch when that would cost too much.
fn share_out(versions: &Versions, region: &Region, stretches: &[Stretch]) -> Vec<LineRange> {
    let (lines, parts) = (region.base.len(), stretches.len());
    let start = region.base.start.0;
    if lines == 0 || lines * parts > SHARED_OUT_PAIRS {
        return all_to_first(region, stretches);
    }
    let bags: Vec<_> = stretches.iter().map(|s| bag(versions, s)).collect();
    let mut best = vec![0u32; parts];
    let mut came = vec![0usize; lines * parts];
    for (row, line) in versions.base.lines(region.base).enumerate() {
        let own: HashSet<&[u8]> = solid_tokens(line.bytes()).collect();
        let (mut top, mut from) = (0, 0);
        for part in 0..parts {
            if part == 0 || best[part] > top {
                (top, from) = (best[part], part);
            }
            came[row * parts + part] = from;
            let shared = own
                .iter()
                .filter(|word| bags[part].contains(**word))
                .count() as u32;
            // With equal claims the line belongs to what is still in dispute.
            best[part] = top + 2 * shared + u32::from(!stretches[part].common);
        }
    }
    let mut part = (0..parts).rev().max_by_key(|p| best[*p]).unwrap_or(0);
    let mut counts = vec![0u32; parts];
    for row in (0..lines).rev() {
        counts[part] += 1;
        part = came[row * parts + part];
    }
    let mut at = start;
    let ranges = counts.into_iter().map(|n| {
        at += n;
        LineRange::new(at - n, at)
    });
    ranges.collect()
}

fn all_to_first(region: &Region, stretches: &[Stretch]) -> Vec<LineRange> {
    let first = stretches.iter().position(|s| !s.common).unwrap_or(0);
    let (start, end) = (region.base.start.0, region.base.end.0);
    let cut = |i: usize| match i.cmp(&first) {
        std::cmp::Ordering::Less => LineRange::new(start, start),
        std::cmp::Ordering::Equal => region.base,
        std::cmp::Ordering::Greater => LineRange::new(end, end),
    };
    (0..stretches.len()).map(cut).collect()
}

fn bag<'a>(versions: &'a Versions, stretch: &Stretch) -> HashSet<&'a [u8]> {
    let ours = solid_tokens(versions.ours.slice(stretch.ours));
    let theirs = solid_tokens(versions.theirs.slice(stretch.theirs));
    ours.chain(theirs).collect()
}

#[cfg(test)]
mod tests {
    use crate::{Options, RegionKind, Source, plan};

    fn check(base: &str, ours: &str, theirs: &str, expected: &str) {
        let plan = plan(
            &base.into(),
            &ours.into(),
            &theirs.into(),
            &Options::default(),
        );
        let v = plan.versions();
        let text = |source: &Source, lines| {
            String::from_utf8_lossy(source.slice(lines)).replace('\n', " ")
        };
        let mut seen = String::new();
        for r in plan.regions() {
            let (b, o, t) = (
                text(&v.base, r.base),
                text(&v.ours, r.ours),
                text(&v.theirs, r.theirs),
            );
            seen += &match r.kind {
                RegionKind::Conflict => format!("conflict {b}/ {o}/ {t}\n"),
                kind => format!("{kind:?} {b}/ {o}\n"),
            };
        }
        assert_eq!(seen, expected, "\n{seen}");
    }

    #[test]
    fn common_head_and_tail_leave_the_conflict() {
        check(
            "x\n",
            "h\no\nt\n",
            "h\nq\nt\n",
            "Same / h \nconflict x / o / q \nSame / t \n",
        );
    }

    #[test]
    fn a_long_common_run_parts_one_conflict_into_two() {
        check(
            "old one\nold two\n",
            "new one\nm1\nm2\nm3\nours two\n",
            "fresh one\nm1\nm2\nm3\ntheirs two\n",
            "conflict old one / new one / fresh one \nSame / m1 m2 m3 \nconflict old two / ours two / theirs two \n",
        );
    }

    #[test]
    fn a_short_common_run_in_the_middle_stays() {
        check(
            "x\n",
            "a\n}\nb\n",
            "c\n}\nd\n",
            "conflict x / a } b / c } d \n",
        );
    }

    #[test]
    fn equal_texts_reached_by_other_hunks_are_no_conflict() {
        check("a\nb\nc\n", "q\nr\n", "q\nr\n", "Same a b c / q r \n");
    }
}
