//! What each side did to each declaration: edited, moved, renamed, added, removed.
//!
//! Not here: what comes of it in a merge (`plan::by_declarations`).

use crate::limits::RENAMED_LIKENESS;
use crate::model::side::{PerSide, Side};
use crate::model::versions::{Version, Versions};
use crate::outline::change::{DeclarationChange, Did};
use crate::outline::declaration::{Declaration, Outline};
use crate::outline::level::{Node, matched_unordered};
use crate::outline::likeness::WordBag;
use crate::outline::matching::Level;
use crate::outline::parted::find_parted;
use crate::outline::units::{Unit, units};
use crate::text::lines::LineRange;
use crate::text::source::Source;
use std::collections::HashMap;

/// What each side did to every declaration, outer ones before what is inside of them; in the order of
/// base, with what a side added behind.
///
/// ```
/// use armistice_core::{Source, Versions, declaration_changes, outline_by_indentation};
/// let base: Source = "moor:\n  a\n\npay:\n  b\n".into();
/// let ours: Source = "pay:\n  b\n\nmoor:\n  a\n".into();
/// let outlines = [&base, &ours, &base].map(outline_by_indentation);
/// let [b, o, t] = &outlines;
/// let versions = Versions { base: base.clone(), ours, theirs: base };
/// let all = declaration_changes(&versions, [b, o, t]);
/// let moved: Vec<_> = all.iter().filter(|c| c.did.ours.moved).collect();
/// assert_eq!((all.len(), moved.len()), (2, 1));
/// ```
pub fn declaration_changes(versions: &Versions, outlines: [&Outline; 3]) -> Vec<DeclarationChange> {
    let texts = [&versions.base, &versions.ours, &versions.theirs];
    let mut walk = Walk {
        texts,
        rows: Vec::new(),
    };
    walk.level(
        outlines.map(Outline::declarations),
        texts.map(Source::all),
        0,
    );
    walk.find_elsewhere();
    let mut rows = walk.rows;
    find_parted(texts, &mut rows);
    rows
}

/// The names that a side gave to declarations of base: each with its former name, in order.
pub fn renamed_declarations(
    base: (&Source, &Outline),
    side: (&Source, &Outline),
) -> Vec<(String, String)> {
    let versions = Versions {
        base: base.0.clone(),
        ours: side.0.clone(),
        theirs: base.0.clone(),
    };
    let rows = declaration_changes(&versions, [base.1, side.1, base.1]);
    let renamed = rows.iter().filter(|row| row.did.ours.renamed);
    let names = renamed.map(|row| {
        let name = |version| row.name_in(version).to_owned();
        (name(Version::Base), name(Version::Ours))
    });
    names.collect()
}

struct Walk<'a> {
    texts: [&'a Source; 3],
    rows: Vec<DeclarationChange>,
}

impl<'a> Walk<'a> {
    fn level(
        &mut self,
        declarations: [&'a [Declaration]; 3],
        within: [LineRange; 3],
        depth: usize,
    ) {
        let cut = |n: usize| units(self.texts[n], declarations[n], within[n]);
        let units = [cut(0), cut(1), cut(2)];
        let levels = [0, 1, 2].map(|n| Level {
            text: self.texts[n],
            units: &units[n],
        });
        for node in matched_unordered(levels) {
            self.node(&node, &units, depth);
        }
    }

    fn node(&mut self, node: &Node, units: &[Vec<Unit<'a>>; 3], depth: usize) {
        let all = [Version::Base, Version::Ours, Version::Theirs];
        let of = all.map(|v| {
            let unit = node.at(v).map(|n| units[v as usize][n]);
            unit.and_then(|unit| unit.declaration)
        });
        let Some(first) = of.iter().flatten().next() else {
            return;
        };
        let text = |n: usize| of[n].map(|d| self.texts[n].slice(d.lines));
        let did = |side: Side| {
            let n = Version::from(side) as usize;
            let (base, side_text) = (text(0), text(n));
            let renamed = of[0].zip(of[n]).is_some_and(|(a, b)| a.name != b.name);
            let plain = |n: usize| {
                let name = of[n].map_or("", |d| d.name.as_str());
                let text = String::from_utf8_lossy(text(n).unwrap_or_default()).into_owned();
                if renamed && !name.is_empty() {
                    text.replace(name, "")
                } else {
                    text
                }
            };
            Did {
                added: base.is_none() && side_text.is_some(),
                removed: base.is_some() && side_text.is_none(),
                edited: base.is_some() && side_text.is_some() && plain(0) != plain(n),
                moved: node.moved[side],
                renamed,
            }
        };
        let did = PerSide::from_fn(did);
        self.rows.push(DeclarationChange {
            kind: first.kind,
            names: [0, 1, 2].map(|n: usize| of[n].map(|d| d.name.clone())),
            depth,
            lines: [0, 1, 2].map(|n: usize| of[n].map(|d| d.lines)),
            did,
            went_to: PerSide::default(),
            parted: PerSide::default(),
        });
        let inner = of.map(|d| d.map_or(&[][..], |d| d.inner.as_slice()));
        if inner.iter().any(|inner| !inner.is_empty()) {
            let within = [0, 1, 2].map(|n: usize| match inner[n] {
                [] => LineRange::default(),
                [first, ..] => {
                    let last = inner[n].last().map_or(first.lines.end, |d| d.lines.end);
                    LineRange::new(first.lines.start.0, last.0)
                }
            });
            self.level(inner, within, depth + 1);
        }
    }

    /// Finds what a side took out here and has elsewhere: under the same name, and alike.
    fn find_elsewhere(&mut self) {
        for side in Side::BOTH {
            let version = Version::from(side);
            let mut added: HashMap<(&'static str, String), Vec<usize>> = HashMap::new();
            for (nth, row) in self
                .rows
                .iter()
                .enumerate()
                .filter(|(_, r)| r.did[side].added)
            {
                let key = (row.kind_class(), row.name_in(version).to_owned());
                added.entry(key).or_default().push(nth);
            }
            for nth in 0..self.rows.len() {
                let row = &self.rows[nth];
                if !row.did[side].removed {
                    continue;
                }
                let key = (row.kind_class(), row.name_in(Version::Base).to_owned());
                let Some(places) = added.get_mut(&key) else {
                    continue;
                };
                let alike = |to: &usize| {
                    let text = |row: &DeclarationChange, version: Version| {
                        let lines = row.lines_in(version).unwrap_or_default();
                        self.texts[version as usize].slice(lines)
                    };
                    let (here, there) = (text(row, Version::Base), text(&self.rows[*to], version));
                    WordBag::new(here).likeness(&WordBag::new(there)) >= RENAMED_LIKENESS
                };
                let Some(at) = places.iter().position(alike) else {
                    continue;
                };
                let to = places.remove(at);
                let did = &mut self.rows[nth].did[side];
                (did.removed, did.moved) = (false, true);
                self.rows[nth].went_to[side] = Some(to);
                let there = &mut self.rows[to].did[side];
                (there.added, there.moved) = (false, true);
            }
        }
    }
}

impl DeclarationChange {
    /// Functions become methods where they move into a type.
    fn kind_class(&self) -> &'static str {
        match self.kind {
            "method" => "function",
            kind => kind,
        }
    }
}
