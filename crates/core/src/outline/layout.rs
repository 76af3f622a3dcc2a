//! Three versions laid out in one order of their declarations, so that each stands beside itself.
//!
//! Every version keeps all its lines; only their order is another where a side moved something.
//! Not here: what becomes of the pieces (`plan::by_declarations`).

use crate::model::side::Side;
use crate::model::versions::{Version, Versions};
use crate::outline::declaration::{Declaration, Outline};
use crate::outline::level::{Node, matched};
use crate::outline::matching::Level;
use crate::outline::units::{Unit, units};
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::Source;
use std::rc::Rc;

/// What a piece of the layout is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum PieceKind {
    /// The same in base and at least one side.
    Common,
    /// Added by both sides under one name.
    Twice,
    /// Moved by both sides to different places: one of the two.
    OneOfTwoPlaces,
    /// Blank lines behind such a one.
    Tail,
    /// Things that one version alone has, those of each behind one another.
    Single,
}

/// A stretch of the layout in all three versions.
#[derive(Clone, Debug)]
pub(crate) struct Piece {
    pub(crate) kind: PieceKind,
    /// Its lines in base, ours and theirs as they are laid out; pieces tile each of them.
    pub(crate) lines: [LineRange; 3],
    /// The side that moved it, if one alone did.
    pub(crate) mover: Option<Side>,
    /// The declaration it is of, for people; nothing for single things.
    pub(crate) title: Rc<str>,
    /// Whether it is of a declaration, not of lines between them.
    pub(crate) is_declaration: bool,
    /// Single things of base, ours and theirs.
    pub(crate) singles: [Vec<Single>; 3],
    /// Whether the declarations of its level stand in the order of their names.
    pub(crate) sorted: bool,
    /// How many blank lines mostly stand between them.
    pub(crate) parted: usize,
    /// How many are wanting behind single things, because they stood last in their version.
    pub(crate) wanting: usize,
}

/// Something that one version alone has.
#[derive(Clone, Debug)]
pub(crate) struct Single {
    pub(crate) title: String,
    pub(crate) name: String,
    pub(crate) is_declaration: bool,
    /// Its lines as they are laid out, with the blank ones behind it.
    pub(crate) lines: LineRange,
}

/// Three versions in one order.
#[derive(Debug)]
pub(crate) struct Layout {
    pub(crate) versions: Versions,
    /// For each line as it is laid out where it stands in its version; `None` where nothing moved.
    pub(crate) numbers: [Option<Vec<u32>>; 3],
    pub(crate) pieces: Vec<Piece>,
}

/// Lays three versions out by their declarations.
///
/// `None` where that cannot be: a last line without an ending would no longer be the last.
pub(crate) fn lay_out<'a>(versions: &'a Versions, outlines: [&'a Outline; 3]) -> Option<Layout> {
    let mut builder: Builder<'a> = Builder::new(versions);
    let declarations = outlines.map(Outline::declarations);
    let within = builder.texts.map(Source::all);
    builder.level(declarations, within, None);
    builder.finish(versions)
}

struct Builder<'a> {
    texts: [&'a Source; 3],
    /// The lines laid out so far, by where they stand in their version.
    order: [Vec<u32>; 3],
    pieces: Vec<Piece>,
    /// Single things that wait for a piece of their own.
    pending: [Vec<Unit<'a>>; 3],
    /// Blank lines behind the declaration that was laid out last, by version.
    last_tail: [Option<usize>; 3],
    /// Whether what is laid out now is of a declaration.
    in_declaration: bool,
}

impl<'a> Builder<'a> {
    fn new(versions: &'a Versions) -> Self {
        Builder {
            texts: [&versions.base, &versions.ours, &versions.theirs],
            order: [const { Vec::new() }; 3],
            pieces: Vec::new(),
            pending: [const { Vec::new() }; 3],
            last_tail: [None; 3],
            in_declaration: false,
        }
    }

    fn level(
        &mut self,
        declarations: [&'a [Declaration]; 3],
        within: [LineRange; 3],
        mover: Option<Side>,
    ) {
        let cut = |n: usize| units(self.texts[n], declarations[n], within[n]);
        let units = [cut(0), cut(1), cut(2)];
        let levels = [0, 1, 2].map(|n| Level {
            text: self.texts[n],
            units: &units[n],
        });
        let nodes = matched(levels);
        self.last_tail = [None; 3];
        let style = Style {
            sorted: is_sorted(declarations[0]),
            parted: usual_blank_lines(&units),
        };
        for node in nodes {
            self.node(&node, &units, mover, style);
        }
        self.flush(style, true);
    }

    fn node(&mut self, node: &Node, units: &[Vec<Unit<'a>>; 3], mover: Option<Side>, style: Style) {
        let of = [Version::Base, Version::Ours, Version::Theirs]
            .map(|v| node.at(v).map(|n| units[v as usize][n]));
        if node.versions() == 1 && !node.two_places {
            for (version, unit) in of.iter().enumerate() {
                if let Some(unit) = unit {
                    self.pending[version].push(*unit);
                }
            }
            return;
        }
        self.flush(style, false);
        let mover = mover.or(node.mover());
        let is_declaration = of.iter().flatten().all(|unit| unit.declaration.is_some());
        self.in_declaration = is_declaration;
        let title = of
            .iter()
            .flatten()
            .next_back()
            .map_or(String::new(), Unit::title);
        let title: Rc<str> = Rc::from(title);
        let whole = of.map(|unit| unit.map_or(LineRange::default(), |unit| unit.lines));
        if node.two_places {
            let whole = of.map(|unit| vec![unit.map_or(LineRange::default(), |u| u.whole())]);
            self.piece(PieceKind::OneOfTwoPlaces, whole, None, &title);
            return;
        }
        let inside = self.inside(&of);
        match inside.filter(|_| of[0].is_some()) {
            Some(inner) => {
                let starts = [0, 1, 2].map(|n| LineRange::new(whole[n].start.0, inner[n].start.0));
                self.piece(PieceKind::Common, starts.map(|l| vec![l]), mover, &title);
                let declarations = of.map(|unit| {
                    let declaration = unit.and_then(|unit| unit.declaration);
                    declaration.map_or(&[][..], |d| d.inner.as_slice())
                });
                self.level(declarations, inner, mover);
                self.in_declaration = is_declaration;
                let ends = [0, 1, 2].map(|n| LineRange::new(inner[n].end.0, whole[n].end.0));
                self.piece(PieceKind::Common, ends.map(|l| vec![l]), mover, &title);
            }
            None => {
                let kind = match of[0] {
                    Some(_) => PieceKind::Common,
                    None => PieceKind::Twice,
                };
                self.piece(kind, whole.map(|l| vec![l]), mover, &title);
            }
        }
        let tails = of.map(|unit| vec![unit.map_or(LineRange::default(), |unit| unit.tail)]);
        self.piece(PieceKind::Tail, tails, mover, &title);
        self.last_tail = of.map(|unit| {
            let unit = unit.filter(|unit| unit.declaration.is_some())?;
            Some(unit.tail.len())
        });
    }

    /// Where the inner declarations stand, if it is worth while to look at each of them: all versions
    /// that have the unit have some in it, and they differ.
    fn inside(&self, of: &[Option<Unit<'a>>; 3]) -> Option<[LineRange; 3]> {
        let texts: Vec<&[u8]> = (of.iter().enumerate())
            .filter_map(|(n, unit)| Some(self.texts[n].slice(unit.as_ref()?.lines)))
            .collect();
        if texts.windows(2).all(|pair| pair[0] == pair[1]) {
            return None;
        }
        let mut out = [LineRange::default(); 3];
        for (unit, out) in of.iter().zip(&mut out) {
            if let Some(unit) = unit {
                let inner = &unit.declaration?.inner;
                *out = LineRange::new(inner.first()?.lines.start.0, inner.last()?.lines.end.0);
            }
        }
        Some(out)
    }

    fn flush(&mut self, style: Style, is_last: bool) {
        let pending = std::mem::take(&mut self.pending);
        let runs = [0, 1, 2].map(|n: usize| pending[n].iter().map(Unit::whole).collect());
        let starts = [0, 1, 2].map(|n: usize| self.order[n].len());
        let count = self.pieces.len();
        self.piece(PieceKind::Single, runs, None, &Rc::from(""));
        if self.pieces.len() == count {
            return;
        }
        if let Some(piece) = self.pieces.last_mut() {
            // What stands right before tells best how things are parted here.
            let [_, ours, theirs] = self.last_tail;
            piece.parted = ours.or(theirs).unwrap_or(style.parted);
            piece.sorted = style.sorted;
            let ends = pending.iter().filter_map(|units| units.last());
            let bare = |unit: &Unit<'_>| unit.declaration.is_some() && unit.tail.is_empty();
            if !is_last && ends.clone().any(bare) {
                piece.wanting = piece.parted;
            }
            for (n, units) in pending.iter().enumerate() {
                let mut at = starts[n];
                piece.singles[n].extend(units.iter().map(|unit| {
                    let from = at;
                    at += unit.whole().len();
                    Single {
                        title: unit.title(),
                        name: unit.declaration.map_or(String::new(), |d| d.name.clone()),
                        is_declaration: unit.declaration.is_some(),
                        lines: LineRange::from(from..at),
                    }
                }));
            }
        }
    }

    fn piece(
        &mut self,
        kind: PieceKind,
        runs: [Vec<LineRange>; 3],
        mover: Option<Side>,
        title: &Rc<str>,
    ) {
        let mut lines = [LineRange::default(); 3];
        for (n, runs) in runs.iter().enumerate() {
            let from = self.order[n].len();
            self.order[n].extend(runs.iter().flat_map(|run| run.iter()).map(|at| at.0));
            lines[n] = LineRange::from(from..self.order[n].len());
        }
        if lines.iter().any(|lines| !lines.is_empty()) {
            self.pieces.push(Piece {
                kind,
                lines,
                mover,
                title: Rc::clone(title),
                is_declaration: self.in_declaration,
                singles: [const { Vec::new() }; 3],
                sorted: false,
                parted: 0,
                wanting: 0,
            });
        }
    }

    fn finish(self, versions: &Versions) -> Option<Layout> {
        let mut texts = Vec::with_capacity(3);
        let mut numbers = [const { None }; 3];
        for (n, order) in self.order.into_iter().enumerate() {
            let text = self.texts[n];
            if (0..text.len() as u32).eq(order.iter().copied()) {
                texts.push(text.clone());
                continue;
            }
            let lines = order.iter().map(|at| text.line(LineIdx(*at)).bytes());
            let laid_out = Source::new(lines.collect::<Vec<_>>().concat());
            if laid_out.len() != text.len() || order.len() != text.len() {
                return None;
            }
            texts.push(laid_out);
            numbers[n] = Some(order);
        }
        let theirs = texts.pop()?;
        let ours = texts.pop()?;
        let base = texts.pop()?;
        debug_assert_eq!(base.len(), versions.base.len());
        Some(Layout {
            versions: Versions { base, ours, theirs },
            numbers,
            pieces: self.pieces,
        })
    }
}

/// How the declarations of a level stand.
#[derive(Clone, Copy)]
struct Style {
    /// In the order of their names.
    sorted: bool,
    /// With so many blank lines between them, mostly.
    parted: usize,
}

/// How many blank lines stand behind most declarations that another one follows.
fn usual_blank_lines(units: &[Vec<Unit<'_>>; 3]) -> usize {
    let mut counts = [0usize; 4];
    for units in units {
        let pairs = units.windows(2);
        let declared = pairs.filter(|p| p.iter().all(|unit| unit.declaration.is_some()));
        for pair in declared {
            counts[pair[0].tail.len().min(3)] += 1;
        }
    }
    let most = counts
        .iter()
        .enumerate()
        .max_by_key(|(n, count)| (**count, 3 - n));
    most.map_or(0, |(n, _)| n)
}

/// Whether at least three declarations of one kind stand in the order of their names.
fn is_sorted(declarations: &[Declaration]) -> bool {
    let same_kind = declarations
        .windows(2)
        .all(|pair| pair[0].kind == pair[1].kind);
    declarations.len() >= 3
        && same_kind
        && declarations
            .windows(2)
            .all(|pair| pair[0].name < pair[1].name)
}
