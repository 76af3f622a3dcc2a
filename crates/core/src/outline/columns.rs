//! Declarations in three columns, each in the order of its version, and what joins them. What nobody moved
//! stands in one row.
//!
//! The terminal draws it, and so do files: both from this.

use crate::model::side::{PerSide, Side};
use crate::model::versions::Version;
use crate::outline::change::DeclarationChange;
use std::collections::HashMap;

/// A declaration in the column of a version.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Cell {
    /// Which of the declarations it is.
    pub declaration: usize,
    /// How deep it stands.
    pub depth: usize,
}

/// What joins a cell of base with one of a side.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Join {
    /// The row of base.
    pub base: usize,
    /// The row of the side.
    pub side: usize,
    /// Whether the side moved it.
    pub moved: bool,
}

/// Three columns and what joins them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Columns {
    /// Cells of base, ours and theirs, row by row; all columns have as many.
    cells: [Vec<Option<Cell>>; 3],
    /// What joins base with each side, from the top of base.
    pub joins: PerSide<Vec<Join>>,
}

impl Columns {
    /// The columns of those declarations that `shown` keeps.
    ///
    /// ```
    /// use armistice_core::{Columns, Side, Source, Version, Versions, declaration_changes, outline_by_indentation};
    /// let base: Source = "moor:\n  a\n\npay:\n  b\n".into();
    /// let ours: Source = "pay:\n  b\n\nmoor:\n  a\n".into();
    /// let outlines = [&base, &ours, &base].map(outline_by_indentation);
    /// let [b, o, t] = &outlines;
    /// let versions = Versions { base: base.clone(), ours, theirs: base };
    /// let all = declaration_changes(&versions, [b, o, t]);
    /// let columns = Columns::new(&all, |_| true);
    /// assert_eq!(columns.cells(Version::Ours).iter().flatten().count(), 2);
    /// let crossing = columns.joins[Side::Ours].iter().filter(|j| j.base != j.side);
    /// assert_eq!(crossing.count(), 1);
    /// ```
    pub fn new(all: &[DeclarationChange], shown: impl Fn(usize) -> bool) -> Self {
        let column = |version: Version| {
            let there = (0..all.len()).filter(|n| shown(*n));
            let mut cells: Vec<(u32, usize, Cell)> = there
                .filter_map(|declaration| {
                    let depth = all[declaration].depth;
                    let lines = all[declaration].lines_in(version)?;
                    Some((lines.start.0, depth, Cell { declaration, depth }))
                })
                .collect();
            cells.sort_by_key(|(start, depth, _)| (*start, *depth));
            cells.into_iter().map(|(.., cell)| cell).collect::<Vec<_>>()
        };
        let order = [Version::Base, Version::Ours, Version::Theirs].map(column);
        let mut columns = Columns::default();
        columns.align(all, &order);
        columns.join(all);
        columns
    }

    /// Puts what no side moved past others into one row, and what else a side has into rows between.
    fn align(&mut self, all: &[DeclarationChange], order: &[Vec<Cell>; 3]) {
        let mut next = [0; 3];
        for cell in &order[0] {
            let change = &all[cell.declaration];
            let steady = PerSide::from_fn(|side: Side| {
                change.lines_in(side.into()).is_some() && !change.did[side].moved
            });
            let mut extras: [Vec<Cell>; 3] = Default::default();
            for side in Side::BOTH.into_iter().filter(|side| steady[*side]) {
                let n = Version::from(side) as usize;
                let rest = &order[n][next[n]..];
                let before = rest
                    .iter()
                    .take_while(|c| c.declaration != cell.declaration);
                extras[n].extend(before.copied());
                next[n] += extras[n].len() + 1;
            }
            self.push(&extras);
            let own = |side: Side| steady[side].then_some(*cell);
            self.cells[0].push(Some(*cell));
            self.cells[1].push(own(Side::Ours));
            self.cells[2].push(own(Side::Theirs));
        }
        let rest = [1, 2].map(|n: usize| order[n].get(next[n]..).unwrap_or_default().to_vec());
        let [ours, theirs] = rest;
        self.push(&[Vec::new(), ours, theirs]);
    }

    /// Rows of what stands in single columns, side by side.
    fn push(&mut self, extras: &[Vec<Cell>; 3]) {
        let rows = extras.iter().map(Vec::len).max().unwrap_or(0);
        for row in 0..rows {
            for (column, extras) in self.cells.iter_mut().zip(extras) {
                column.push(extras.get(row).copied());
            }
        }
    }

    fn join(&mut self, all: &[DeclarationChange]) {
        self.joins = PerSide::from_fn(|side: Side| {
            let rows: HashMap<usize, usize> = (self.cells[Version::from(side) as usize].iter())
                .enumerate()
                .filter_map(|(row, cell)| Some((cell.as_ref()?.declaration, row)))
                .collect();
            let base = self.cells[Version::Base as usize].iter().enumerate();
            let joined = base.filter_map(|(row, cell)| {
                let declaration = cell.as_ref()?.declaration;
                let change = &all[declaration];
                let there = change.went_to[side].unwrap_or(declaration);
                Some(Join {
                    base: row,
                    side: *rows.get(&there)?,
                    moved: change.did[side].moved,
                })
            });
            joined.collect()
        });
    }

    /// The cells of a version, row by row; `None` where it has nothing in a row.
    pub fn cells(&self, version: Version) -> &[Option<Cell>] {
        &self.cells[version as usize]
    }

    /// How many rows there are.
    pub fn rows(&self) -> usize {
        self.cells[0].len()
    }
}

/// The declarations to be shown when only what changed is: those, what they stand in, and what something
/// that moved went past.
pub fn changed_with_surroundings(all: &[DeclarationChange]) -> Vec<bool> {
    let mut shown = changed_alone(all);
    show_places(all, &mut shown);
    shown
}

/// The declarations that changed, and those that they are in; none that did not change beside them.
pub fn changed_alone(all: &[DeclarationChange]) -> Vec<bool> {
    let mut shown = vec![false; all.len()];
    let mut above: Vec<usize> = Vec::new();
    for (nth, change) in all.iter().enumerate() {
        above.truncate(change.depth);
        // An edit of what is inside is reported there.
        let inner_alone = all
            .get(nth + 1)
            .is_some_and(|next| next.depth > change.depth)
            && change
                .did
                .iter()
                .all(|did| !did.moved && !did.renamed && !did.added && !did.removed);
        if change.is_changed() && !inner_alone {
            shown[nth] = true;
            for outer in &above {
                shown[*outer] = true;
            }
        }
        above.push(nth);
    }
    shown
}

/// Siblings of what moved, so that one sees what it went past.
fn show_places(all: &[DeclarationChange], shown: &mut [bool]) {
    /// Siblings up to which all of them are shown.
    const SIBLINGS: usize = 14;
    // Those of one level that follow each other, by what they stand in.
    let mut levels: Vec<Vec<usize>> = Vec::new();
    let mut open: Vec<usize> = Vec::new();
    for (nth, change) in all.iter().enumerate() {
        open.truncate(change.depth + 1);
        if open.len() <= change.depth {
            open.push(levels.len());
            levels.push(Vec::new());
        }
        if let Some(level) = open.get(change.depth).and_then(|at| levels.get_mut(*at)) {
            level.push(nth);
        }
    }
    for level in levels {
        let moved = |nth: &usize| {
            let change = &all[*nth];
            Side::BOTH
                .iter()
                .any(|side| change.did[*side].moved && change.went_to[*side].is_none())
        };
        if level.len() <= SIBLINGS && level.iter().any(moved) {
            level.iter().for_each(|nth| shown[*nth] = true);
        }
    }
}
