//! Three-way merging over rows: finer than lines that are equal or not.
//!
//! Rows of base are paired with rows of each side over their words, not their
//! blanks. What each side did to a row (`row`), or put between two rows, is then merged.
//! Nothing here decides whether the outcome is safe; the [`MergeStats`] tell the
//! rules what it took.

use crate::diff::hunk::Algorithm;
use crate::limits::CONFLICT_ROWS;
use crate::merge::adjacency::Adjacency;
use crate::merge::dependence::{copied, orphaned};
use crate::merge::row::merge_row;
use crate::merge::row_edits::{RowChange, RowEdit, row_edits};
use crate::merge::side_layout::SideLayout;
use crate::merge::stats::{Clash, EditCounts, MergeStats};
use crate::merge::substitutions::{Replayed, is_pattern};
use crate::model::region::Region;
use crate::model::segment::Segment;
use crate::model::side::{PerSide, Side};
use crate::model::versions::{Version, Versions};
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::Line;
use crate::text::tokens::solid_tokens;
use std::cell::OnceCell;

/// What the two sides' rows give together.
#[derive(Clone, Debug)]
pub(crate) struct MergedRows {
    pub(crate) segments: Vec<Segment>,
    pub(crate) stats: MergeStats,
}

/// What each side did to the rows of a region.
///
/// # Errors
/// [`Clash::TooLong`] if a version of it has more than [`CONFLICT_ROWS`] rows.
pub(crate) fn edits_of(
    versions: &Versions,
    region: &Region,
    algorithm: Algorithm,
) -> Result<PerSide<Vec<RowEdit>>, Clash> {
    let most = Version::ALL.map(|v| region.lines(v).len());
    if most.into_iter().max() > Some(CONFLICT_ROWS) {
        return Err(Clash::TooLong);
    }
    Ok(PerSide::from_fn(|side| {
        let (base, text) = (&versions.base, versions.get(side.into()));
        row_edits(
            base,
            region.base,
            text,
            region.lines(side.into()),
            algorithm,
        )
    }))
}

/// Merges the rows of a region by what each side did to them.
///
/// # Errors
/// If the changes get in each other's way: why.
pub(crate) fn merge_rows(
    versions: &Versions,
    region: &Region,
    edits: &PerSide<Vec<RowEdit>>,
) -> Result<MergedRows, Clash> {
    let mut merger = RowMerger {
        versions,
        edits,
        layouts: PerSide::default(),
        adjacency: Adjacency::new(versions),
        segments: Vec::new(),
        stats: MergeStats {
            sides: edits.as_ref().map(|edits| EditCounts::of(edits)),
            ..MergeStats::default()
        },
    };
    merger.run()?;
    let (segments, mut stats) = (merger.segments, merger.stats);
    for side in Side::BOTH {
        let other = (Version::from(side.other()), edits[side.other()].as_slice());
        stats.copied += copied(versions, &edits[side], other);
        let left = (Version::from(side), region.lines(side.into()));
        stats.orphaned += orphaned(versions, left, &edits[side], other);
    }
    Ok(MergedRows { segments, stats })
}

struct RowMerger<'a, 'b> {
    versions: &'a Versions,
    edits: &'b PerSide<Vec<RowEdit>>,
    /// Found out when the first new row asks for it.
    layouts: PerSide<OnceCell<SideLayout<'a>>>,
    adjacency: Adjacency<'a>,
    segments: Vec<Segment>,
    stats: MergeStats,
}

impl<'a> RowMerger<'a, '_> {
    fn run(&mut self) -> Result<(), Clash> {
        let (ours, theirs) = (self.edits.ours.as_slice(), self.edits.theirs.as_slice());
        let (mut i, mut j) = (0, 0);
        loop {
            match (ours.get(i).copied(), theirs.get(j).copied()) {
                (None, None) => return Ok(()),
                (Some(RowEdit::Insert(a, o)), Some(RowEdit::Insert(b, t))) if a == b => {
                    self.both_insert(PerSide::new(i, j), PerSide::new(o, t))?;
                    self.note(Side::Ours, RowEdit::Insert(a, o), None);
                    self.note(Side::Theirs, RowEdit::Insert(b, t), None);
                    (i, j) = (i + 1, j + 1);
                }
                (Some(RowEdit::Insert(at, lines)), next) => {
                    self.insert(Side::Ours, at, lines, next)?;
                    i += 1;
                }
                (next, Some(RowEdit::Insert(at, lines))) => {
                    self.insert(Side::Theirs, at, lines, next)?;
                    j += 1;
                }
                (Some(o), Some(t)) => {
                    let used =
                        self.rows(PerSide::new(o, t), PerSide::new(&ours[i..], &theirs[j..]))?;
                    (i, j) = (i + used.ours, j + used.theirs);
                }
                // Both lists cover the same rows of base.
                (Some(_), None) | (None, Some(_)) => return Err(Clash::Deleted),
            }
        }
    }

    /// One row, or the rows that one side replaced; how many edits of each side that used up.
    fn rows(
        &mut self,
        edit: PerSide<RowEdit>,
        rest: PerSide<&[RowEdit]>,
    ) -> Result<PerSide<usize>, Clash> {
        match (edit.ours, edit.theirs) {
            (RowEdit::Replace(a, o), RowEdit::Replace(b, t)) => {
                let same = self.versions.ours.slice(o) == self.versions.theirs.slice(t);
                if a != b || !same {
                    return Err(Clash::Deleted);
                }
                self.lines(Version::Ours, o);
            }
            (RowEdit::Replace(rows, new), _) => {
                let used = self.replace(Side::Ours, rows, new, rest.theirs)?;
                return Ok(PerSide::new(1, used));
            }
            (_, RowEdit::Replace(rows, new)) => {
                let used = self.replace(Side::Theirs, rows, new, rest.ours)?;
                return Ok(PerSide::new(used, 1));
            }
            (RowEdit::Delete(_), RowEdit::Delete(_)) => {}
            (RowEdit::Delete(_), RowEdit::Keep(_, _, change)) => {
                self.delete((Side::Ours, edit.ours), change, rest.theirs)?;
            }
            (RowEdit::Keep(_, _, change), RowEdit::Delete(_)) => {
                self.delete((Side::Theirs, edit.theirs), change, rest.ours)?;
            }
            (RowEdit::Keep(b, o, mine), RowEdit::Keep(_, t, other)) => {
                let touching = self.row(b, PerSide::new((o, mine), (t, other)))?;
                let goes_on = |rest: &[RowEdit]| matches!(rest.get(1), Some(RowEdit::Insert(..)));
                let forked = touching && rest.iter().any(|rest| goes_on(rest));
                self.stats.forked_ends += usize::from(forked);
            }
            (RowEdit::Insert(..), _) | (_, RowEdit::Insert(..)) => return Err(Clash::BothInserted),
        }
        Ok(PerSide::new(1, 1))
    }

    /// A row that one side took out; `change` is what the other did to it, `rest` what it goes on with.
    fn delete(
        &mut self,
        (side, edit): (Side, RowEdit),
        change: RowChange,
        rest: &[RowEdit],
    ) -> Result<(), Clash> {
        match change {
            // A comma, say, for what it put in behind the row.
            RowChange::Formatting if matches!(rest.get(1), Some(RowEdit::Insert(..))) => {
                return Err(Clash::Deleted);
            }
            RowChange::Wording => return Err(Clash::Deleted),
            RowChange::Whitespace => self.stats.deleted_respaced += 1,
            RowChange::Formatting => self.stats.formatted += 1,
            RowChange::Unchanged => {}
        }
        self.note(side, edit, None);
        Ok(())
    }

    /// Rows that one side replaced and the other must have left as they were.
    fn replace(
        &mut self,
        side: Side,
        rows: LineRange,
        new: LineRange,
        other: &[RowEdit],
    ) -> Result<usize, Clash> {
        let (mut used, mut respaced) = (0, false);
        for edit in other {
            let inside = matches!(edit, RowEdit::Insert(at, _) if *at < rows.end);
            if edit.start() >= rows.end && !inside {
                break;
            }
            match edit {
                RowEdit::Keep(_, _, RowChange::Unchanged) => {}
                RowEdit::Keep(_, _, RowChange::Whitespace) => respaced = true,
                RowEdit::Keep(_, _, RowChange::Formatting) => {
                    respaced = true;
                    self.stats.formatted += 1;
                }
                RowEdit::Keep(..) | RowEdit::Delete(_) | RowEdit::Replace(..) => {
                    return Err(Clash::Deleted);
                }
                RowEdit::Insert(..) => return Err(Clash::Inside),
            }
            used += 1;
        }
        self.note(side, RowEdit::Replace(rows, new), None);
        self.stats.replaced += 1;
        self.inserted_rows(side, respaced.then_some(rows.start), new)?;
        Ok(used)
    }

    /// Rows that both sides put in before the same row of base; `at` is where in their edits.
    fn both_insert(&mut self, at: PerSide<usize>, lines: PerSide<LineRange>) -> Result<(), Clash> {
        let new = |side: Side| self.versions.get(side.into()).slice(lines[side]);
        if new(Side::Ours) == new(Side::Theirs) {
            self.lines(Version::Ours, lines.ours);
            return Ok(());
        }
        let tails = PerSide::from_fn(|side| self.ends_the_row(side, at[side], lines[side]));
        if tails.ours != tails.theirs {
            let first = if tails.ours { Side::Ours } else { Side::Theirs };
            self.stats.beside += 1;
            return self.insert_in_order(first, lines);
        }
        let opens = PerSide::from_fn(|side| self.opens_block(side, at[side], lines[side]));
        let level = |side: Side| self.level(side, lines[side]);
        if opens.ours == opens.theirs || level(Side::Ours) != level(Side::Theirs) {
            return Err(Clash::BothInserted);
        }
        let first = if opens.ours { Side::Theirs } else { Side::Ours };
        self.stats.before_new_block += 1;
        self.insert_in_order(first, lines)
    }

    fn insert_in_order(&mut self, first: Side, lines: PerSide<LineRange>) -> Result<(), Clash> {
        self.inserted_rows(first, None, lines[first])?;
        self.inserted_rows(first.other(), None, lines[first.other()])
    }

    /// Whether new rows are the end of the row before them, which was broken in two.
    fn ends_the_row(&self, side: Side, at: usize, lines: LineRange) -> bool {
        let before = at.checked_sub(1).map(|at| self.edits[side][at]);
        let Some(RowEdit::Keep(b, s, RowChange::Wording)) = before else {
            return false;
        };
        let text = self.versions.get(side.into());
        let row = text.line(s).trimmed();
        let sign = row.split(|b| *b == b' ').next().unwrap_or_default();
        let sign = match sign.iter().any(u8::is_ascii_alphanumeric) {
            true => b"",
            false => sign,
        };
        let rows = text.lines(lines).map(|line| {
            let row = line.trimmed();
            row.strip_prefix(sign).unwrap_or(row)
        });
        let new: Vec<&[u8]> = rows.flat_map(solid_tokens).collect();
        let old: Vec<&[u8]> = solid_tokens(self.versions.base.line(b).trimmed()).collect();
        let kept: Vec<&[u8]> = solid_tokens(row).collect();
        !new.is_empty() && old.ends_with(&new) && !kept.ends_with(&new)
    }

    /// The indentation of the first row with words.
    fn level(&self, side: Side, lines: LineRange) -> Option<&[u8]> {
        let mut rows = self.versions.get(side.into()).lines(lines);
        let worded = rows.find(|line| !line.trimmed().is_empty());
        worded.map(Line::indent)
    }

    /// Whether new rows open a block for the row that follows them.
    fn opens_block(&self, side: Side, at: usize, lines: LineRange) -> bool {
        let Some(RowEdit::Keep(b, s, _)) = self.edits[side].get(at + 1) else {
            return false;
        };
        let text = self.versions.get(side.into());
        let (old, new) = (self.versions.base.line(*b).indent(), text.line(*s).indent());
        let deeper = |a: &[u8], b: &[u8]| a.len() > b.len() && a.starts_with(b);
        let last = lines.end.0.checked_sub(1).map(|at| text.line(LineIdx(at)));
        deeper(new, old) && last.is_some_and(|line| deeper(new, line.indent()))
    }

    fn insert(
        &mut self,
        side: Side,
        at: LineIdx,
        lines: LineRange,
        next: Option<RowEdit>,
    ) -> Result<(), Clash> {
        self.note(side, RowEdit::Insert(at, lines), next);
        self.inserted_rows(side, Some(at), lines)
    }

    /// New rows of a side: indented as the other side indents what is around row `at`,
    /// and with the substitutions that the other side made.
    fn inserted_rows(
        &mut self,
        side: Side,
        at: Option<LineIdx>,
        lines: LineRange,
    ) -> Result<(), Clash> {
        let (versions, edits) = (self.versions, self.edits);
        let text = versions.get(side.into());
        let other = side.other();
        // Taken out while it is read, so that rows can be added to the outcome.
        let cell = std::mem::take(&mut self.layouts[other]);
        let layout = cell.get_or_init(|| {
            SideLayout::new(&versions.base, versions.get(other.into()), &edits[other])
        });
        let worded = text.lines(lines).filter(|l| !l.trimmed().is_empty());
        let least = worded.map(Line::indent).min_by_key(|i| i.len());
        let pattern = at.is_some() && is_pattern(&layout.substitutions);
        self.stats.beside_pattern += usize::from(pattern);
        for idx in lines.iter() {
            let line = text.line(idx);
            let indent = match at {
                Some(at) if !line.trimmed().is_empty() => {
                    let least = least.unwrap_or_default();
                    let indent = layout.indentation.of(at, line.indent(), least);
                    indent.ok_or(Clash::Inside)?
                }
                _ => line.indent().to_vec(),
            };
            let words = match layout.replay(line) {
                Replayed::Rewritten(words) => Some(words),
                Replayed::Untouched => None,
                Replayed::Outdated => {
                    self.stats.outdated += 1;
                    None
                }
            };
            let same_indent = indent == line.indent();
            if same_indent && words.is_none() {
                self.lines(side.into(), LineRange::one(idx));
                continue;
            }
            self.stats.reindented += usize::from(!same_indent);
            self.stats.rewritten += usize::from(words.is_some());
            let words = words.as_deref().unwrap_or(line.trimmed());
            self.text([&indent, words, line.trailing(), line.end().bytes()].concat());
        }
        self.layouts[other] = cell;
        Ok(())
    }

    /// One row that stayed; whether both changed words of it that touch.
    fn row(&mut self, base: LineIdx, rows: PerSide<(LineIdx, RowChange)>) -> Result<bool, Clash> {
        let ((o, mine), (t, other)) = (rows.ours, rows.theirs);
        let v = self.versions;
        let (ours, theirs) = (v.ours.line(o), v.theirs.line(t));
        match (mine, other) {
            (RowChange::Unchanged, RowChange::Unchanged) => {
                self.lines(Version::Base, LineRange::one(base));
            }
            (_, RowChange::Unchanged) => {
                self.note(Side::Ours, RowEdit::Keep(base, o, mine), None);
                self.lines(Version::Ours, LineRange::one(o));
            }
            (RowChange::Unchanged, _) => {
                self.note(Side::Theirs, RowEdit::Keep(base, t, other), None);
                self.lines(Version::Theirs, LineRange::one(t));
            }
            _ if ours == theirs => {
                self.adjacency.forget();
                self.lines(Version::Ours, LineRange::one(o));
            }
            _ => {
                self.note(Side::Ours, RowEdit::Keep(base, o, mine), None);
                self.note(Side::Theirs, RowEdit::Keep(base, t, other), None);
                let merged = merge_row((v.base.line(base), ours, theirs), &mut self.stats)?;
                let blank = [mine, other].contains(&RowChange::Whitespace);
                self.stats.blended += usize::from(!blank);
                if merged.text == ours.bytes() {
                    self.lines(Version::Ours, LineRange::one(o));
                } else if merged.text == theirs.bytes() {
                    self.lines(Version::Theirs, LineRange::one(t));
                } else {
                    self.text(merged.text);
                }
                return Ok(merged.gap == Some(0));
            }
        }
        Ok(false)
    }

    fn note(&mut self, side: Side, edit: RowEdit, next: Option<RowEdit>) {
        let before = self.segments.last();
        self.adjacency
            .note((side, edit), next, before, &mut self.stats);
    }

    fn lines(&mut self, version: Version, lines: LineRange) {
        Segment::Lines(version, lines).add_to(&mut self.segments);
    }

    fn text(&mut self, bytes: Vec<u8>) {
        Segment::Text(bytes).add_to(&mut self.segments);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Options, Resolution, plan};

    /// The merged text and what it took; or why there is none.
    fn merged(base: &str, ours: &str, theirs: &str) -> Result<(String, MergeStats), Clash> {
        let plan = plan(
            &base.into(),
            &ours.into(),
            &theirs.into(),
            &Options::default(),
        );
        let region = plan.region(plan.conflicts()[0]);
        let merged = {
            let edits = edits_of(plan.versions(), region, Algorithm::Histogram)?;
            merge_rows(plan.versions(), region, &edits)?
        };
        let text = Resolution::Segments(merged.segments).text(&plan, region);
        let text = String::from_utf8(text.bytes().to_vec()).unwrap();
        Ok((text, merged.stats))
    }

    #[test]
    fn facts_tell_what_it_took() {
        let of = |base, ours, theirs| merged(base, ours, theirs).unwrap();
        let (text, stats) = of(
            "let a = 1;\nlet b = x;\n",
            "let a = 2;\nlet b = x;\n",
            "let a = 1;\nlet b = y;\n",
        );
        assert_eq!(
            (text.as_str(), stats.adjacent),
            ("let a = 2;\nlet b = y;\n", 1)
        );
        let (text, stats) = of("moor(ship);\n", "moor(ship);\nlog();\n", "moor(tug);\n");
        assert_eq!((text.as_str(), stats.beside), ("moor(tug);\nlog();\n", 1));
        let (_, stats) = of(
            "moor(ship, low, tide);\n",
            "dock(ship, low, tide);\n",
            "moor(ship, low, wind);\n",
        );
        assert_eq!((stats.blended, stats.gap), (1, Some(5)));
        let (text, stats) = of("moor(a);\n", "  moor(a);\n", "moor(b);\n");
        assert_eq!((text.as_str(), stats.blended), ("  moor(b);\n", 0));
        let (text, stats) = of(
            "moor(a);\nlog(a);\n",
            "  moor(a);\n  log(a);\n",
            "moor(a);\npay(a);\nlog(a);\n",
        );
        assert_eq!(
            (text.as_str(), stats.reindented),
            ("  moor(a);\n  pay(a);\n  log(a);\n", 1)
        );
        let (text, stats) = of(
            "new Tide(this, options);\n",
            "if (low) new Tide(this, options).log();\nnew Tide(this, options);\n",
            "new Tide(this);\n",
        );
        assert_eq!((stats.rewritten, stats.copied), (1, 1));
        assert_eq!(text, "if (low) new Tide(this).log();\nnew Tide(this);\n");
    }

    #[test]
    fn facts_tell_what_speaks_against_it() {
        let stats = |base, ours, theirs| merged(base, ours, theirs).unwrap().1;
        // New rows like what the other side made of the row beside them.
        let base = "lamps = list(quay.lamps)\npay(ship);\n";
        let ours = "moor(ship, berth, tide);\nlamps = list(quay.lamps)\npay(ship);\n";
        let rival = stats(base, ours, "moor(ship, berth);\npay(ship);\n");
        assert_eq!((rival.beside_deleted, rival.similar_to_replacement), (1, 1));
        let unlike = stats(base, ours, "light the lamps\npay(ship);\n");
        assert_eq!(
            (unlike.beside_deleted, unlike.similar_to_replacement),
            (1, 0)
        );
        // Both changed the end of a row, and one goes on behind it.
        let forked = stats(
            "moor(ship, berth, quay)\n",
            "moor(ship, berth, quay, tide)\n",
            "moor(ship, berth, quay,\n    pilot)\n",
        );
        assert_eq!((forked.blended, forked.forked_ends), (1, 1));
        // Both brought the same name into one row.
        let doubled = stats(
            "fn name(ship, berth)\n",
            "fn name(ship, berth, pilot)\n",
            "fn name(pilot, ship, berth)\n",
        );
        assert_eq!(doubled.doubled_names, 1);
        // The same words put into each of several rows, and a new row without them.
        let base = "berth = quay,\ndepth = low,\n";
        let theirs = "berth = quay,\ndepth = low,\npilot = guide or 0,\n";
        let ours = "berth = self.quay,\ndepth = self.low,\n";
        assert_eq!(stats(base, ours, theirs).beside_pattern, 1);
        let one = "berth = quay,\ndepth = self.low,\n";
        assert_eq!(stats(base, one, theirs).beside_pattern, 0);
        // An import means the same wherever it stands, a statement does not.
        let base = "import tide\nimport wind\n";
        let alone = stats(
            base,
            "import tide\nimport pilot\nimport wind\n",
            "import wind\n",
        );
        assert_eq!((alone.beside_deleted, alone.self_contained), (1, 1));
        let hangs = stats(
            "moor(a);\npay(b);\n",
            "moor(a);\nlog(c);\npay(b);\n",
            "pay(b);\n",
        );
        assert_eq!((hangs.beside_deleted, hangs.self_contained), (1, 0));
    }

    #[test]
    fn names_of_an_import_are_a_set_in_a_longer_conflict_too() {
        let (text, stats) = merged(
            "from office import desk\nfrom harbour import berth, quay\n",
            "from office import desk\nfrom harbour import anchor, berth, quay\n",
            "from harbour import quay\n",
        )
        .unwrap();
        assert_eq!(text, "from harbour import anchor, quay\n");
        // Their order places every name.
        assert_eq!((stats.blended, stats.gap), (1, None));
        let (text, stats) = merged(
            "from office import desk\nfrom harbour import quay, berth\n",
            "from office import desk\nfrom harbour import quay, berth, anchor\n",
            "from harbour import berth\n",
        )
        .unwrap();
        assert_eq!(text, "from harbour import berth, anchor\n");
        assert_ne!(stats.gap, None);
    }

    #[test]
    fn the_end_of_a_row_stays_with_its_row() {
        let base = "// The quay whose lamps are lit when the sun is down\nlight();\n";
        let ours = "// The quay whose lamps are lit when the sun is down\n// Broken ones stay dark.\nlight();\n";
        let theirs =
            "// The northern quay whose lamps are lit when the sun\n// is down\nlight();\n";
        let (text, _) = merged(base, ours, theirs).unwrap();
        assert_eq!(
            text,
            "// The northern quay whose lamps are lit when the sun\n// is down\n// Broken ones stay dark.\n"
        );
        // Something new of theirs at that place: nobody can tell which comes first.
        let other = "// The northern quay whose lamps are lit when the sun is down\n// And no other.\nlight();\n";
        assert_eq!(merged(base, ours, other).unwrap_err(), Clash::BothInserted);
    }

    #[test]
    fn clashes_say_why() {
        let why = |base, ours, theirs| merged(base, ours, theirs).unwrap_err();
        assert_eq!(why("moor(a);\n", "moor(b);\n", "moor(c);\n"), Clash::Words);
        assert_eq!(why("", "moor();\n", "pay();\n"), Clash::BothInserted);
        assert_eq!(
            why("moor(ship, a);\n", "", "moor(ship, b);\n"),
            Clash::Deleted
        );
        let inside = why(
            "moor(ship);\nlog(ship);\n",
            "light the lamps\n",
            "moor(ship);\npay(ship);\nlog(ship);\n",
        );
        assert_eq!(inside, Clash::Inside);
    }
}
