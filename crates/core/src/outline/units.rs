//! The parts of one level of a text: its declarations, and the paragraphs between them.

use crate::outline::declaration::Declaration;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::Source;

/// A declaration, or a paragraph between declarations, with the blank lines behind it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Unit<'a> {
    /// `None` for a paragraph.
    pub(crate) declaration: Option<&'a Declaration>,
    /// Its lines, without blank ones around them; empty for blank lines that nothing stands before.
    pub(crate) lines: LineRange,
    /// The blank lines behind it.
    pub(crate) tail: LineRange,
}

impl Unit<'_> {
    /// Its lines and the blank ones behind it.
    pub(crate) fn whole(&self) -> LineRange {
        LineRange::new(self.lines.start.0, self.tail.end.0)
    }

    /// For people: "function moor", or "lines".
    pub(crate) fn title(&self) -> String {
        self.declaration
            .map_or("lines".to_owned(), Declaration::title)
    }
}

/// Cuts `within` into units, which tile it in order; `declarations` are those of that level.
pub(crate) fn units<'a>(
    text: &Source,
    declarations: &'a [Declaration],
    within: LineRange,
) -> Vec<Unit<'a>> {
    let mut out = Vec::with_capacity(declarations.len());
    let mut at = within.start;
    for declaration in declarations {
        paragraphs(
            text,
            LineRange::new(at.0, declaration.lines.start.0),
            &mut out,
        );
        out.push(Unit {
            declaration: Some(declaration),
            lines: declaration.lines,
            tail: LineRange::new(declaration.lines.end.0, declaration.lines.end.0),
        });
        at = declaration.lines.end;
    }
    paragraphs(text, LineRange::new(at.0, within.end.0), &mut out);
    out
}

/// Adds the paragraphs of some lines; blank ones go to what stands before them.
fn paragraphs(text: &Source, lines: LineRange, out: &mut Vec<Unit<'_>>) {
    let empty = |at: LineIdx| LineRange::new(at.0, at.0);
    let mut was_blank = true;
    for at in lines.iter() {
        let is_blank = text.line(at).trimmed().is_empty();
        let behind = LineIdx(at.0 + 1);
        match out.last_mut() {
            Some(unit) if is_blank => unit.tail.end = behind,
            Some(unit) if !was_blank => {
                unit.lines.end = behind;
                unit.tail = empty(behind);
            }
            _ if is_blank => out.push(Unit {
                declaration: None,
                lines: empty(at),
                tail: LineRange::one(at),
            }),
            _ => out.push(Unit {
                declaration: None,
                lines: LineRange::one(at),
                tail: empty(behind),
            }),
        }
        was_blank = is_blank;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::outline::declaration::Outline;
    use crate::outline::indented::outline_by_indentation;

    fn shown(text: &str) -> Vec<(bool, usize, usize)> {
        let text = Source::from(text);
        let outline: Outline = outline_by_indentation(&text);
        let units = units(&text, outline.declarations(), text.all());
        let tiles: Vec<_> = units.iter().flat_map(|u| u.whole().iter()).collect();
        assert_eq!(tiles, text.all().iter().collect::<Vec<_>>());
        let each = units.iter();
        each.map(|u| (u.declaration.is_some(), u.lines.len(), u.tail.len()))
            .collect()
    }

    #[test]
    fn declarations_and_paragraphs_tile_their_level() {
        assert_eq!(
            shown("\nuse a\nuse b\n\nlet c\n\n\nmoor:\n  x\n\n  y\npay:\n  z\n\nover\n"),
            [
                (false, 0, 1),
                (false, 2, 1),
                (false, 1, 2),
                (true, 4, 0),
                (true, 2, 1),
                (false, 1, 0)
            ]
        );
        assert_eq!(shown(""), []);
        assert_eq!(shown("\n\n"), [(false, 0, 2)]);
    }
}
