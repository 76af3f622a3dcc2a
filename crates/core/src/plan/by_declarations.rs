//! A plan in which each declaration is compared with itself, wherever it stands.
//!
//! All three versions are laid out in one order first (`outline::layout`), so nothing that was moved
//! is taken for removed and added, and no change of one declaration lands in another.

use crate::diff::interned::InternedLines;
use crate::diff::options::Options;
use crate::diff::regions::regions;
use crate::model::region::{Region, RegionId, RegionKind};
use crate::model::side::{PerSide, Side};
use crate::model::versions::{Version, Versions};
use crate::outline::declaration::Outline;
use crate::outline::layout::{Layout, Piece, PieceKind, Single, lay_out};
use crate::plan::build::{LineCounts, Plan, plan};
use crate::plan::recipe::Matching;
use crate::plan::structure::{Added, Apart, Structure};
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::Source;
use crate::text::tokens::is_worded;
use std::collections::HashSet;

impl Plan {
    /// Whether its texts are laid out by declarations.
    pub fn is_by_declarations(&self) -> bool {
        self.structure.is_some()
    }

    /// Why a conflict of lines is none of declarations, if that is so.
    pub fn apart(&self, region: RegionId) -> Option<&Apart> {
        self.structure.as_ref()?.apart.get(&region)
    }

    /// The side that alone changed the lines of a conflict, which is one by lines only.
    pub fn undisputed(&self, region: RegionId) -> Option<Side> {
        match self.apart(region)? {
            Apart::Moved { mover, .. } => Some(mover.other()),
            Apart::Beside { changed_by, .. } => Some(*changed_by),
            _ => None,
        }
    }

    /// Whether lines alone would not tell what it tells: a side changed something that the other moved,
    /// or both added something of one name.
    pub fn insists(&self) -> bool {
        self.structure.as_ref().is_some_and(|s| s.insists)
    }

    /// The three versions as they are, where this plan lays them out otherwise.
    pub fn real_versions(&self) -> &Versions {
        let structure = self.structure.as_ref();
        let real = structure.and_then(|structure| structure.real.as_ref());
        real.unwrap_or_else(|| self.versions())
    }

    /// Whether a side took out a line that says something and has the same line again elsewhere: it may
    /// have moved things.
    pub fn may_have_moves(&self) -> bool {
        Side::BOTH.into_iter().any(|side| {
            let rows = |version: Version| {
                let regions = self.regions().iter().filter(move |r| r.is_changed_by(side));
                let text = self.versions().get(version);
                regions.flat_map(move |r| text.lines(r.lines(version)).map(|line| line.trimmed()))
            };
            let gone: HashSet<&[u8]> = rows(Version::Base).filter(|row| is_worded(row)).collect();
            rows(side.into()).any(|row| gone.contains(row))
        })
    }

    /// Where a line of a version's text in this plan stands in the version itself: a plan by
    /// declarations lays lines out in another order.
    pub fn real_line(&self, version: Version, line: LineIdx) -> LineIdx {
        let structure = self.structure.as_ref();
        structure.map_or(line, |structure| structure.real(version, line))
    }

    /// Where a line of a version stands in that version's text in this plan.
    pub fn laid_out_line(&self, version: Version, line: LineIdx) -> LineIdx {
        let structure = self.structure.as_ref();
        let numbers = structure.and_then(|s| s.numbers[version as usize].as_ref());
        let at = numbers.and_then(|numbers| numbers.iter().position(|real| *real == line.0));
        at.map_or(line, |at| LineIdx(at as u32))
    }

    /// The runs of lines that some lines of a version are in the version itself.
    pub fn real_runs(&self, version: Version, lines: LineRange) -> Vec<LineRange> {
        let mut runs: Vec<LineRange> = Vec::new();
        for at in lines.iter().map(|at| self.real_line(version, at)) {
            match runs.last_mut() {
                Some(run) if run.end == at => run.end.0 += 1,
                _ => runs.push(LineRange::one(at)),
            }
        }
        runs
    }
}

/// The plan of the same three versions by their declarations; `plain` is the one by lines.
///
/// `None` if there is no conflict to begin with and the plan by lines [is plain](Plan::is_plain), or nothing
/// that declarations would tell.
///
/// ```
/// use armistice_core::{Options, Outline, plan, plan_by_declarations};
/// let plain = plan(&"a\n".into(), &"b\n".into(), &"c\n".into(), &Options::default());
/// let none = Outline::default();
/// assert!(plan_by_declarations(&plain, [&none, &none, &none], &Options::default()).is_none());
/// ```
pub fn plan_by_declarations(
    plain: &Plan,
    outlines: [&Outline; 3],
    options: &Options,
) -> Option<Plan> {
    let is_empty = |outline: &&Outline| outline.declarations().is_empty();
    let is_settled = plain.conflicts().is_empty() && plain.is_plain();
    if is_settled || outlines.iter().all(is_empty) || !are_sound(outlines) {
        return None;
    }
    let layout = lay_out(plain.versions(), outlines)?;
    let plan = Planner::new(plain, &layout).plan(options);
    (!plan.conflicts().is_empty()).then_some(plan)
}

/// The plan of three versions by their declarations where a side moved some of them; `None` elsewhere.
///
/// Results are held against it: lines alone take what moved for removed and added.
pub fn plan_along_moves(versions: &Versions, outlines: [&Outline; 3]) -> Option<Plan> {
    if !are_sound(outlines) {
        return None;
    }
    let layout = lay_out(versions, outlines)?;
    layout.numbers.iter().any(Option::is_some).then(|| {
        let options = Options::default();
        let plain = plan(&versions.base, &versions.ours, &versions.theirs, &options);
        Planner::new(&plain, &layout).plan(&options)
    })
}

/// Whether neither side has more places than base that a parser makes no sense of: declarations are
/// missing in an outline where they are not understood, and would be taken for removed.
fn are_sound([base, ours, theirs]: [&Outline; 3]) -> bool {
    ours.errors().max(theirs.errors()) <= base.errors()
}

/// The lines of each version that are in conflict by lines.
struct Contested([Vec<LineRange>; 3]);

impl Contested {
    fn new(plain: &Plan) -> Self {
        let of = |version: Version| {
            let regions = plain.conflicts().iter().map(|id| plain.region(*id));
            regions.map(|region| region.lines(version)).collect()
        };
        Contested([Version::Base, Version::Ours, Version::Theirs].map(of))
    }

    fn holds(&self, version: Version, line: LineIdx) -> bool {
        let all = &self.0[version as usize];
        let nth = all.partition_point(|lines| lines.end <= line);
        all.get(nth).is_some_and(|lines| lines.contains(line))
    }
}

struct Planner<'a> {
    layout: &'a Layout,
    contested: Contested,
    lines: InternedLines,
    /// Conflicts are numbered by what they were cut out of; each region here is its own.
    stretch: u32,
    plan: Plan,
    structure: Structure,
}

impl<'a> Planner<'a> {
    fn new(plain: &Plan, layout: &'a Layout) -> Self {
        let v = &layout.versions;
        Planner {
            layout,
            contested: Contested::new(plain),
            lines: InternedLines::new(&v.base, &v.ours, &v.theirs),
            plan: Plan::empty(v.clone()),
            stretch: 0,
            structure: Structure {
                numbers: layout.numbers.clone(),
                real: Some(plain.versions().clone()),
                ..Structure::default()
            },
        }
    }

    /// Notes which sides took out a declaration that the other changed.
    fn find_taken_out(&mut self) {
        let v = &self.layout.versions;
        let text =
            |version: Version, piece: &Piece| v.get(version).slice(piece.lines[version as usize]);
        for piece in self
            .layout
            .pieces
            .iter()
            .filter(|p| p.kind == PieceKind::Common)
        {
            for side in Side::BOTH {
                let (base, other) = (text(Version::Base, piece), text(side.other().into(), piece));
                let is_gone = text(side.into(), piece).is_empty();
                self.structure.took_out[side] |= is_gone && !base.is_empty() && other != base;
            }
        }
    }

    fn plan(mut self, options: &Options) -> Plan {
        self.find_taken_out();
        let mut changes = PerSide::<LineCounts>::default();
        for piece in &self.layout.pieces {
            let regions = self.regions_of(piece, options);
            for region in &regions {
                for side in Side::BOTH.into_iter().filter(|s| region.is_changed_by(*s)) {
                    changes[side].added += region.lines(side.into()).len();
                    changes[side].removed += region.base.len();
                }
            }
            self.push_all(piece, regions);
        }
        if self.plan.regions().is_empty() {
            self.plan.push_region(Region {
                kind: RegionKind::Unchanged,
                base: LineRange::default(),
                ours: LineRange::default(),
                theirs: LineRange::default(),
            });
        }
        self.plan
            .finish(changes, self.structure, Matching::of(options))
    }

    /// The regions of one piece, counted from the beginning of the texts.
    fn regions_of(&self, piece: &Piece, options: &Options) -> Vec<Region> {
        let v = &self.layout.versions;
        let [base, ours, theirs] = [Version::Base, Version::Ours, Version::Theirs]
            .map(|version| v.get(version).slice(piece.lines[version as usize]));
        let whole = |kind| {
            let [base, ours, theirs] = piece.lines;
            vec![Region {
                kind,
                base,
                ours,
                theirs,
            }]
        };
        if base == ours && base == theirs {
            return whole(RegionKind::Unchanged);
        }
        if ours == theirs {
            return whole(RegionKind::Same);
        }
        if piece.kind == PieceKind::OneOfTwoPlaces {
            return whole(RegionKind::Conflict);
        }
        let is_whole = matches!(piece.kind, PieceKind::Single | PieceKind::Twice);
        if is_whole && !ours.is_empty() && !theirs.is_empty() {
            return whole(RegionKind::Conflict);
        }
        let [base, ours, theirs] = [base, ours, theirs].map(Source::new);
        let lines = InternedLines::new(&base, &ours, &theirs);
        let found = regions(&lines, options);
        let shifted = found.regions.into_iter().map(|region| Region {
            kind: region.kind,
            base: region.base.shifted(piece.lines[0].start),
            ours: region.ours.shifted(piece.lines[1].start),
            theirs: region.theirs.shifted(piece.lines[2].start),
        });
        shifted.collect()
    }

    fn push_all(&mut self, piece: &Piece, mut regions: Vec<Region>) {
        // Several changes of one side to one declaration are one answer.
        let apart: Vec<usize> = (0..regions.len())
            .filter(|n| self.apart(piece, &regions[*n]).is_some())
            .collect();
        if let [first, .., last] = apart[..] {
            let kind = regions[first].kind;
            let others = [kind, RegionKind::Unchanged];
            if regions[first..=last]
                .iter()
                .all(|r| others.contains(&r.kind))
            {
                let end = regions[last];
                let whole = &mut regions[first];
                whole.base.end = end.base.end;
                whole.ours.end = end.ours.end;
                whole.theirs.end = end.theirs.end;
                regions.drain(first + 1..=last);
            }
        }
        for region in regions {
            self.push(piece, region);
        }
    }

    fn push(&mut self, piece: &Piece, region: Region) {
        self.stretch += 1;
        let Some(apart) = self.apart(piece, &region) else {
            match region.kind {
                RegionKind::Conflict => self.plan.push_stretch(&self.lines, self.stretch, region),
                _ => self.plan.push_region(region),
            }
            return;
        };
        // Lines compared in another order than they now stand in are often taken for others.
        let is_moved = self.structure.numbers.iter().any(Option::is_some);
        self.structure.insists |= match apart {
            Apart::Beside { .. } => is_moved,
            Apart::BothAdded { .. } => false,
            Apart::Moved { .. } | Apart::TwoBodies { .. } | Apart::TwoPlaces { .. } => true,
        };
        let id = self.plan.push_conflict(self.stretch, region);
        self.structure.apart.insert(id, apart);
    }

    /// Why lines in conflict, or changed along with a move, are no conflict of declarations.
    fn apart(&self, piece: &Piece, region: &Region) -> Option<Apart> {
        let changed_by = match region.kind {
            RegionKind::Ours => Side::Ours,
            RegionKind::Theirs => Side::Theirs,
            RegionKind::Conflict if piece.kind == PieceKind::OneOfTwoPlaces => {
                let place_of = match region.ours.is_empty() {
                    true => Side::Theirs,
                    false => Side::Ours,
                };
                let what = piece.title.to_string();
                return Some(Apart::TwoPlaces { place_of, what });
            }
            RegionKind::Conflict if piece.kind == PieceKind::Twice => {
                let what = piece.title.to_string();
                return Some(Apart::TwoBodies { what });
            }
            RegionKind::Conflict if piece.kind == PieceKind::Single => {
                let added = |side: Side| {
                    let singles = piece.singles[Version::from(side) as usize].iter();
                    singles.map(added).collect()
                };
                return Some(Apart::BothAdded {
                    added: PerSide::from_fn(added),
                    replaces: !region.base.is_empty(),
                    sorted: piece.sorted,
                    parted: piece.parted,
                    wanting: piece.wanting,
                });
            }
            _ => return None,
        };
        if piece.kind == PieceKind::Tail {
            return None;
        }
        let what = || match piece.title.is_empty() {
            false => piece.title.to_string(),
            true => {
                let singles = piece.singles[Version::from(changed_by) as usize].iter();
                singles
                    .map(|single| single.title.clone())
                    .collect::<Vec<_>>()
                    .join(", ")
            }
        };
        let singles = piece.singles[Version::from(changed_by) as usize].iter();
        let is_declaration = match piece.kind {
            PieceKind::Single => singles.clone().all(|single| single.is_declaration),
            _ => piece.is_declaration,
        };
        if piece.mover == Some(changed_by.other()) {
            let (mover, what) = (changed_by.other(), what());
            return Some(Apart::Moved {
                mover,
                what,
                is_declaration,
            });
        }
        let is_contested = [Version::Base, changed_by.into()]
            .into_iter()
            .any(|version| {
                let real = |at| self.structure.real(version, at);
                let mut lines = region.lines(version).iter();
                lines.any(|at| self.contested.holds(version, real(at)))
            });
        (is_contested || piece.wanting > 0).then(|| Apart::Beside {
            wanting: piece.wanting,
            is_declaration,
            changed_by,
            what: what(),
            may_be_renamed: piece.kind == PieceKind::Single && self.structure.took_out[changed_by],
        })
    }
}

fn added(single: &Single) -> Added {
    Added {
        title: single.title.clone(),
        name: single.name.clone(),
        is_declaration: single.is_declaration,
        lines: single.lines,
    }
}
