//! What Terrain shows: the declarations of all files, those that are chosen among them.

use crate::state::overlay::ListView;
use armistice_core::{Columns, DeclarationChange, changed_alone, changed_with_surroundings};
use armistice_git::RepoPath;
use armistice_git::{FileTerrain, Terrain};
use std::sync::Arc;

/// How far reading has come.
#[derive(Clone, Debug, Default)]
pub enum Reading {
    #[default]
    Unread,
    Reading,
    Known(Arc<Terrain>),
    Failed(String),
}

/// A declaration of a file, both counted from zero.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Item {
    pub file: usize,
    pub declaration: usize,
}

/// The declarations of one file that are shown.
#[derive(Clone, Debug)]
pub struct Block {
    pub file: usize,
    pub columns: Columns,
    /// Those that are shown, in the order of base, what was added behind.
    pub shown: Vec<usize>,
}

/// Which declarations Terrain shows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ShownDeclarations {
    /// What changed, and beside what moved what it went past.
    #[default]
    Around,
    /// What changed, and nothing that did not.
    Changed,
    /// All.
    All,
}

impl ShownDeclarations {
    /// The next one, round and round.
    pub fn next(self) -> Self {
        match self {
            ShownDeclarations::Around => ShownDeclarations::Changed,
            ShownDeclarations::Changed => ShownDeclarations::All,
            ShownDeclarations::All => ShownDeclarations::Around,
        }
    }
}

#[derive(Clone, Debug, Default)]
pub struct TerrainState {
    pub reading: Reading,
    /// The file whose edits are to follow moved code once this is read.
    pub then_follow: Option<RepoPath>,
    /// Which declarations are shown.
    pub shown: ShownDeclarations,
    /// The declaration at the cursor among all that are shown, and the first row of the window.
    pub list: ListView,
    /// Worked out when it was read, and when `shown` was switched.
    pub blocks: Vec<Block>,
}

impl TerrainState {
    pub fn known(&self) -> Option<&Terrain> {
        match &self.reading {
            Reading::Known(terrain) => Some(terrain),
            _ => None,
        }
    }

    /// Works out again what is shown.
    pub fn lay_out(&mut self) {
        let Reading::Known(terrain) = &self.reading else {
            self.blocks = Vec::new();
            return;
        };
        let block = |(file, of): (usize, &FileTerrain)| {
            let changed = match self.shown {
                ShownDeclarations::Around => changed_with_surroundings(&of.changes),
                ShownDeclarations::Changed => changed_alone(&of.changes),
                ShownDeclarations::All => vec![true; of.changes.len()],
            };
            let shows = |n: usize| changed[n];
            Block {
                file,
                columns: Columns::new(&of.changes, shows),
                shown: (0..of.changes.len()).filter(|n| shows(*n)).collect(),
            }
        };
        self.blocks = terrain.files.iter().enumerate().map(block).collect();
        self.blocks.retain(|block| !block.shown.is_empty());
    }

    /// The declarations that are shown, in order.
    pub fn items(&self) -> impl Iterator<Item = Item> {
        self.blocks.iter().flat_map(|block| {
            let file = block.file;
            block.shown.iter().map(move |declaration| Item {
                file,
                declaration: *declaration,
            })
        })
    }

    /// The one at the cursor.
    pub fn chosen(&self) -> Option<Item> {
        self.items().nth(self.list.chosen)
    }

    pub fn change(&self, item: Item) -> Option<(&FileTerrain, &DeclarationChange)> {
        let file = self.known()?.files.get(item.file)?;
        Some((file, file.changes.get(item.declaration)?))
    }

    /// How many declarations somebody moved, to another file too.
    pub fn moved(&self) -> usize {
        let files = self.known().map_or(&[][..], |terrain| &terrain.files);
        let all = files.iter().flat_map(|file| &file.changes);
        all.filter(|change| change.did.iter().any(|did| did.moved))
            .count()
    }
}
