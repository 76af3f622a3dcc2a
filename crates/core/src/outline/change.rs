//! What became of one declaration in two sides.
//!
//! Not here: finding that out (`changes`, `parted`).

use crate::model::side::PerSide;
use crate::model::versions::Version;
use crate::text::lines::LineRange;
use serde::Serialize;

/// What a side did to a declaration of base, or has that base does not.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize)]
pub struct Did {
    /// Its text is another, names of it aside.
    pub edited: bool,
    /// It stands elsewhere among its neighbours, or in something else.
    pub moved: bool,
    /// It has another name.
    pub renamed: bool,
    /// Base does not have it.
    pub added: bool,
    /// The side does not have it.
    pub removed: bool,
}

impl Did {
    /// Whether the side did anything to it.
    pub fn anything(self) -> bool {
        self != Did::default()
    }

    /// In words: "moved and edited"; "left alone" if it did nothing.
    pub fn words(self) -> String {
        let all = [
            (self.added, "added"),
            (self.removed, "removed"),
            (self.moved, "moved"),
            (self.renamed, "renamed"),
            (self.edited, "edited"),
        ];
        let words: Vec<&str> = all
            .iter()
            .filter(|(is, _)| *is)
            .map(|(_, word)| *word)
            .collect();
        match words.as_slice() {
            [] => "left alone".to_owned(),
            [one] => (*one).to_owned(),
            [first @ .., last] => format!("{} and {last}", first.join(", ")),
        }
    }
}

/// A declaration in the versions that have it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct DeclarationChange {
    /// What it is: "function".
    pub kind: &'static str,
    /// Its name in base, ours and theirs.
    pub names: [Option<String>; 3],
    /// How deep it stands.
    pub depth: usize,
    /// Its lines in base, ours and theirs.
    #[serde(skip)]
    pub lines: [Option<LineRange>; 3],
    /// What each side did.
    pub did: PerSide<Did>,
    /// Where a side has it that took it out of here: the row of what it stands in there.
    pub went_to: PerSide<Option<usize>>,
    /// Of what a side added, the row that it was split off from; of what it removed, the row that it was
    /// joined to.
    #[serde(skip)]
    pub parted: PerSide<Option<usize>>,
}

impl DeclarationChange {
    /// Its lines in a version.
    pub fn lines_in(&self, version: Version) -> Option<LineRange> {
        self.lines[version as usize]
    }

    /// Its name in a version; else in another that has it.
    pub fn name_in(&self, version: Version) -> &str {
        let own = self.names[version as usize].as_deref();
        own.or_else(|| self.names.iter().flatten().next().map(String::as_str))
            .unwrap_or_default()
    }

    /// Whether anybody did anything to it.
    pub fn is_changed(&self) -> bool {
        self.did.iter().any(|did| did.anything())
    }
}
