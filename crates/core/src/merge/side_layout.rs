//! What a side changed throughout (indentation, quotes, names), to be done to new rows of the other.

use crate::merge::format_noise::{double_quoted, requoted};
use crate::merge::indentation::IndentationMap;
use crate::merge::row_edits::RowEdit;
use crate::merge::substitutions::{Replayed, Substitution, replay, substitutions};
use crate::text::source::{Line, Source};

/// How a side changed the layout and the words of base throughout; rows that the other side inserts
/// follow it.
pub(crate) struct SideLayout<'a> {
    pub(crate) indentation: IndentationMap<'a>,
    /// Whether it made double quotes of single ones throughout.
    requoted: bool,
    pub(crate) substitutions: Vec<Substitution>,
}

impl<'a> SideLayout<'a> {
    pub(crate) fn new(base: &'a Source, side: &'a Source, edits: &[RowEdit]) -> Self {
        SideLayout {
            indentation: IndentationMap::new(base, side, edits),
            requoted: requotes_throughout(base, side, edits),
            substitutions: substitutions(base, side, edits),
        }
    }

    /// What this side's replacements make of the words of a row that the other side inserted.
    pub(crate) fn replay(&self, line: Line<'_>) -> Replayed {
        let requoted = self
            .requoted
            .then(|| double_quoted(line.trimmed()))
            .flatten();
        let requoted = requoted.filter(|words| words != line.trimmed());
        let words = requoted.as_deref().unwrap_or(line.trimmed());
        match replay(&self.substitutions, words) {
            Replayed::Untouched => requoted.map_or(Replayed::Untouched, Replayed::Rewritten),
            replayed => replayed,
        }
    }
}

/// Whether a side made double quotes of single ones throughout.
fn requotes_throughout(base: &Source, side: &Source, edits: &[RowEdit]) -> bool {
    let rows = || {
        edits.iter().filter_map(|edit| match *edit {
            RowEdit::Keep(b, s, _) => Some((base.line(b), side.line(s))),
            _ => None,
        })
    };
    let single = |line: Line<'_>| line.content().contains(&b'\'');
    rows().any(|(old, new)| requoted(old.content(), new.content()))
        && !rows().any(|(old, new)| single(old) && single(new))
}
