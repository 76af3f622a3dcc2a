//! How the texts of a plan are laid out by declarations, and which of its conflicts are none of those.

use crate::model::region::RegionId;
use crate::model::side::{PerSide, Side};
use crate::model::versions::{Version, Versions};
use crate::text::lines::{LineIdx, LineRange};
use std::collections::BTreeMap;

/// What a plan by declarations knows besides its regions.
#[derive(Clone, Debug, Default)]
pub(crate) struct Structure {
    /// For each line as it is laid out where it stands in its version; `None` where nothing moved.
    pub(crate) numbers: [Option<Vec<u32>>; 3],
    /// Conflicts of lines that are none of declarations, and why.
    pub(crate) apart: BTreeMap<RegionId, Apart>,
    /// The versions as they are, not laid out.
    pub(crate) real: Option<Versions>,
    /// Whether a side took out a declaration that the other changed.
    pub(crate) took_out: PerSide<bool>,
    /// Whether lines alone would not tell what it tells.
    pub(crate) insists: bool,
}

/// Why a conflict of lines is none of declarations.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Apart {
    /// One side moved the declaration, the other alone changed these lines of it.
    Moved {
        /// The side that moved it.
        mover: Side,
        /// The declaration, as "function moor".
        what: String,
        /// Whether it is one; else mere lines.
        is_declaration: bool,
    },
    /// One side alone changed these lines of a declaration, beside what the other changed.
    Beside {
        /// The side that changed it.
        changed_by: Side,
        /// The declaration, as "function moor".
        what: String,
        /// Whether it is one; else mere lines.
        is_declaration: bool,
        /// Whether it is new, while something that the other side changed is gone: it may be that, under
        /// another name.
        may_be_renamed: bool,
        /// How many blank lines are wanting behind it.
        wanting: usize,
    },
    /// Both sides added it, each with another body.
    TwoBodies {
        /// The declaration, as "function moor".
        what: String,
    },
    /// Both sides moved it, to different places; this is one of the two.
    TwoPlaces {
        /// The side whose place this is.
        place_of: Side,
        /// The declaration, as "function moor".
        what: String,
    },
    /// Each side has things here that no other version has.
    BothAdded {
        /// What each side has, in order.
        added: PerSide<Vec<Added>>,
        /// Whether base has something here that neither side has.
        replaces: bool,
        /// Whether what stands around it is in the order of its names.
        sorted: bool,
        /// How many blank lines mostly stand between such things here.
        parted: usize,
        /// How many are wanting behind them.
        wanting: usize,
    },
}

/// A thing that one side alone has.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Added {
    /// For people: "function moor", or "lines".
    pub title: String,
    /// What it is called; empty for mere lines.
    pub name: String,
    /// Whether it is a declaration.
    pub is_declaration: bool,
    /// Its lines as they are laid out, with the blank ones behind it.
    pub lines: LineRange,
}

impl Structure {
    /// Where a line as it is laid out stands in its version.
    pub(crate) fn real(&self, version: Version, line: LineIdx) -> LineIdx {
        let numbers = self.numbers[version as usize].as_ref();
        let real = numbers.and_then(|numbers| numbers.get(line.0 as usize));
        real.map_or(line, |real| LineIdx(*real))
    }
}
