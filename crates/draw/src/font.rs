//! The font that goes into every picture: its widths, the glyphs that it has, and a small copy of it with
//! only those that are used.

use std::collections::BTreeMap;
use subsetter::{GlyphRemapper, subset};
use ttf_parser::{Face, GlyphId};

/// Stands for characters that have no glyph.
const UNKNOWN: char = '\u{FFFD}';

/// A font, read once a picture.
pub(crate) struct Font {
    face: Option<Face<'static>>,
}

/// The part of a font that some characters need.
pub(crate) struct Subset {
    /// The font file, without a table of characters.
    pub(crate) file: Vec<u8>,
    /// The glyph of each character in it, and its width in thousandths of the size.
    pub(crate) glyphs: BTreeMap<char, (u16, f32)>,
    /// How far letters reach above and below the base line, in thousandths of the size.
    pub(crate) ascent: f32,
    pub(crate) descent: f32,
}

impl Font {
    pub(crate) fn new() -> Self {
        Font {
            face: Face::parse(dejavu::sans::regular(), 0).ok(),
        }
    }

    fn glyph(&self, c: char) -> Option<GlyphId> {
        self.face.as_ref()?.glyph_index(c)
    }

    /// The text with characters replaced that have no glyph; control characters are left out.
    pub(crate) fn drawable(&self, text: &str) -> String {
        let chars = text.chars().filter(|c| !c.is_control());
        chars
            .map(|c| if self.glyph(c).is_some() { c } else { UNKNOWN })
            .collect()
    }

    /// The width of a character in thousandths of the size.
    fn advance(&self, c: char) -> f32 {
        let Some(face) = &self.face else {
            return 600.0;
        };
        let glyph = self.glyph(c).unwrap_or(GlyphId(0));
        let advance = face.glyph_hor_advance(glyph).unwrap_or(0);
        f32::from(advance) * 1000.0 / f32::from(face.units_per_em().max(1))
    }

    pub(crate) fn width(&self, text: &str, size: f32) -> f32 {
        text.chars().map(|c| self.advance(c)).sum::<f32>() * size / 1000.0
    }

    /// A copy with the glyphs of some characters alone; `None` if the font cannot be cut.
    pub(crate) fn subset(&self, chars: impl Iterator<Item = char>) -> Option<Subset> {
        let face = self.face.as_ref()?;
        let mut remapper = GlyphRemapper::new();
        let mut glyphs = BTreeMap::new();
        for c in chars {
            if let Some(glyph) = self.glyph(c) {
                glyphs.insert(c, (remapper.remap(glyph.0), self.advance(c)));
            }
        }
        let scale = 1000.0 / f32::from(face.units_per_em().max(1));
        Some(Subset {
            file: subset(dejavu::sans::regular(), 0, &remapper).ok()?,
            glyphs,
            ascent: f32::from(face.ascender()) * scale,
            descent: f32::from(face.descender()) * scale,
        })
    }
}

impl Subset {
    /// The same file with a table of characters in it, as browsers need one.
    pub(crate) fn with_characters(&self) -> Vec<u8> {
        let mut tables = tables_of(&self.file);
        tables.insert(*b"cmap", character_table(&self.glyphs));
        for tag in [*b"OS/2", *b"name", *b"post"] {
            if let Some(table) = tables_of(dejavu::sans::regular()).remove(&tag) {
                let table = match &tag {
                    // Names of glyphs that are gone are left out: version 3 has none.
                    b"post" => [&[0, 3, 0, 0], table.get(4..32).unwrap_or(&[0; 28])].concat(),
                    _ => table,
                };
                tables.entry(tag).or_insert(table);
            }
        }
        font_file(&tables)
    }
}

type Tables = BTreeMap<[u8; 4], Vec<u8>>;

fn number(bytes: &[u8], at: usize, len: usize) -> usize {
    let bytes = bytes.get(at..at + len).unwrap_or_default();
    bytes.iter().fold(0, |n, b| n << 8 | usize::from(*b))
}

/// The tables of a font file, by their tags.
fn tables_of(file: &[u8]) -> Tables {
    let count = number(file, 4, 2);
    let entry = |nth: usize| {
        let at = 12 + 16 * nth;
        let tag = file.get(at..at + 4)?.try_into().ok()?;
        let (from, len) = (number(file, at + 8, 4), number(file, at + 12, 4));
        Some((tag, file.get(from..from + len)?.to_vec()))
    };
    (0..count).filter_map(entry).collect()
}

/// A table that gives each character its glyph (format 12 of the OpenType specification).
fn character_table(glyphs: &BTreeMap<char, (u16, f32)>) -> Vec<u8> {
    let groups: Vec<u8> = glyphs
        .iter()
        .flat_map(|(c, (glyph, _))| {
            let c = (*c as u32).to_be_bytes();
            [c, c, u32::from(*glyph).to_be_bytes()].concat()
        })
        .collect();
    let mut table = vec![0, 0, 0, 1, 0, 3, 0, 10, 0, 0, 0, 12];
    table.extend([0, 12, 0, 0]);
    table.extend((16 + groups.len() as u32).to_be_bytes());
    table.extend([0; 4]);
    table.extend((glyphs.len() as u32).to_be_bytes());
    [table, groups].concat()
}

fn font_file(tables: &Tables) -> Vec<u8> {
    let count = tables.len() as u16;
    let power = count.max(1).ilog2() as u16;
    let range = 16 << power;
    let mut head = vec![0, 1, 0, 0];
    for n in [count, range, power, count * 16 - range] {
        head.extend(n.to_be_bytes());
    }
    let mut body: Vec<u8> = Vec::new();
    let start = 12 + 16 * tables.len();
    for (tag, table) in tables {
        let mut padded = table.clone();
        padded.resize(table.len().next_multiple_of(4), 0);
        let sum = padded.chunks(4).fold(0u32, |sum, word| {
            sum.wrapping_add(number(word, 0, 4) as u32)
        });
        head.extend(tag);
        head.extend(sum.to_be_bytes());
        head.extend(((start + body.len()) as u32).to_be_bytes());
        head.extend((table.len() as u32).to_be_bytes());
        body.extend(padded);
    }
    [head, body].concat()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_has_no_glyph_is_replaced_and_a_subset_is_a_font_with_those_glyphs() {
        let font = Font::new();
        assert_eq!(font.drawable("ship\t▲ 漢"), "ship▲ \u{FFFD}");
        assert!(font.width("mm", 10.0) > font.width("ii", 10.0));
        let subset = font.subset("moor▲".chars()).unwrap();
        let whole = subset.with_characters();
        assert!(whole.len() < 40_000, "{}", whole.len());
        let face = Face::parse(&whole, 0).unwrap();
        for c in "moor▲".chars() {
            assert_eq!(face.glyph_index(c).map(|g| g.0), Some(subset.glyphs[&c].0));
        }
        assert_eq!(face.glyph_index('z'), None);
    }
}
