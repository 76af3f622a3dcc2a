//! The two parties of a merge, and values that there are two of, one for each.

use serde::{Deserialize, Serialize};
use std::ops::{Index, IndexMut};

/// One of the two parties of a merge.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Side {
    /// The side merged into.
    #[default]
    Ours,
    /// The side that comes in.
    Theirs,
}

impl Side {
    /// Both, ours first, in the order of the screens.
    pub const BOTH: [Side; 2] = [Side::Ours, Side::Theirs];

    /// The other one.
    pub fn other(self) -> Self {
        match self {
            Side::Ours => Side::Theirs,
            Side::Theirs => Side::Ours,
        }
    }
}

/// A value for ours and a value for theirs, indexed by [`Side`].
///
/// ```
/// use armistice_core::{PerSide, Side};
/// let lines = PerSide::new(3, 4);
/// assert_eq!(lines[Side::Theirs], 4);
/// assert_eq!(lines.map(|n| n * 2), PerSide::new(6, 8));
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct PerSide<T> {
    /// That of ours.
    pub ours: T,
    /// That of theirs.
    pub theirs: T,
}

impl<T> PerSide<T> {
    /// A value for each side.
    pub fn new(ours: T, theirs: T) -> Self {
        PerSide { ours, theirs }
    }

    /// The results of calling `of` with each side, ours first.
    pub fn from_fn(mut of: impl FnMut(Side) -> T) -> Self {
        PerSide {
            ours: of(Side::Ours),
            theirs: of(Side::Theirs),
        }
    }

    /// The results of calling `of` with each value, that of ours first.
    pub fn map<U>(self, mut of: impl FnMut(T) -> U) -> PerSide<U> {
        PerSide {
            ours: of(self.ours),
            theirs: of(self.theirs),
        }
    }

    /// References to both.
    pub fn as_ref(&self) -> PerSide<&T> {
        PerSide {
            ours: &self.ours,
            theirs: &self.theirs,
        }
    }

    /// Both in order, ours first.
    pub fn iter(&self) -> impl Iterator<Item = &T> {
        [&self.ours, &self.theirs].into_iter()
    }
}

impl<T> Index<Side> for PerSide<T> {
    type Output = T;

    fn index(&self, side: Side) -> &T {
        match side {
            Side::Ours => &self.ours,
            Side::Theirs => &self.theirs,
        }
    }
}

impl<T> IndexMut<Side> for PerSide<T> {
    fn index_mut(&mut self, side: Side) -> &mut T {
        match side {
            Side::Ours => &mut self.ours,
            Side::Theirs => &mut self.theirs,
        }
    }
}
