//! A scene as PDF: a page each, its font inside, text that can be selected and searched.

use crate::font::{Font, Subset};
use crate::scene::{Colour, Scene, Shape};
use pdf_writer::types::{CidFontType, FontFlags, SystemInfo};
use pdf_writer::{Content, Finish, Name, Pdf, Rect, Ref, Str, TextStr};
use std::io::{self, Write};

/// Writes a scene as one PDF document.
///
/// # Errors
/// Those of the writer, and if the font cannot be cut to what is used.
///
/// ```
/// use armistice_draw::{Page, Scene, write_pdf};
/// let page = Page { shapes: Vec::new(), height: 50.0 };
/// let scene = Scene { title: "nothing".to_owned(), width: 100.0, pages: vec![page] };
/// let mut out = Vec::new();
/// write_pdf(&scene, &mut out).unwrap();
/// assert!(out.starts_with(b"%PDF-"));
/// ```
pub fn write_pdf(scene: &Scene, mut out: impl Write) -> io::Result<()> {
    let shapes = scene.pages.iter().flat_map(|page| &page.shapes);
    let chars = shapes.filter_map(|shape| match shape {
        Shape::Text { text, .. } => Some(text.chars()),
        _ => None,
    });
    // A font without any glyph is none.
    let chars = chars.flatten().chain([' ']);
    let subset = Font::new().subset(chars);
    let subset =
        subset.ok_or_else(|| io::Error::other("the font cannot be cut to what is used"))?;
    let mut pdf = Pdf::new();
    let ids = Ids::default();
    pdf.catalog(ids.catalog).pages(ids.pages);
    pdf.document_info(ids.info)
        .title(TextStr(&scene.title))
        .creator(TextStr("Armistice"));
    let pages: Vec<(Ref, Ref)> = (0..scene.pages.len() as i32)
        .map(|n| (Ref::new(20 + 2 * n), Ref::new(21 + 2 * n)))
        .collect();
    pdf.pages(ids.pages)
        .kids(pages.iter().map(|(page, _)| *page))
        .count(pages.len() as i32);
    for (page, (id, content)) in scene.pages.iter().zip(&pages) {
        let mut writer = pdf.page(*id);
        writer.media_box(Rect::new(0.0, 0.0, scene.width, page.height));
        writer.parent(ids.pages).contents(*content);
        writer.resources().fonts().pair(FONT, ids.font);
        writer.finish();
        let drawn = content_of(&page.shapes, page.height, &subset);
        pdf.stream(*content, &drawn);
    }
    write_font(&mut pdf, &ids, &subset);
    out.write_all(&pdf.finish())
}

const FONT: Name<'static> = Name(b"F");
const FONT_NAME: Name<'static> = Name(b"ARMIST+Sans");

/// Numbers of the objects that every document has.
struct Ids {
    catalog: Ref,
    pages: Ref,
    info: Ref,
    font: Ref,
    glyphs: Ref,
    descriptor: Ref,
    file: Ref,
    characters: Ref,
}

impl Default for Ids {
    fn default() -> Self {
        Ids {
            catalog: Ref::new(1),
            pages: Ref::new(2),
            info: Ref::new(3),
            font: Ref::new(4),
            glyphs: Ref::new(5),
            descriptor: Ref::new(6),
            file: Ref::new(7),
            characters: Ref::new(8),
        }
    }
}

fn rgb(colour: Colour) -> [f32; 3] {
    colour.rgb().map(|part| f32::from(part) / 255.0)
}

fn content_of(shapes: &[Shape], height: f32, font: &Subset) -> Vec<u8> {
    let mut content = Content::new();
    for shape in shapes {
        match shape {
            Shape::Box {
                at: [x, y, w, h],
                colour,
                hollow,
            } => {
                let [r, g, b] = rgb(*colour);
                let [x, y, w, h] = [*x, height - y - h, *w, *h];
                match hollow {
                    true => {
                        content.set_stroke_rgb(r, g, b).set_line_width(0.8);
                        content.rect(x, y, w, h).stroke();
                    }
                    false => {
                        content
                            .set_fill_rgb(r, g, b)
                            .rect(x, y, w, h)
                            .fill_nonzero();
                    }
                }
            }
            Shape::Line {
                points,
                colour,
                width,
            } => {
                let [r, g, b] = rgb(*colour);
                content.set_stroke_rgb(r, g, b).set_line_width(*width);
                for (nth, [x, y]) in points.iter().enumerate() {
                    match nth {
                        0 => content.move_to(*x, height - y),
                        _ => content.line_to(*x, height - y),
                    };
                }
                content.stroke();
            }
            Shape::Disc { at, radius, colour } => disc(&mut content, *at, *radius, *colour, height),
            Shape::Text {
                at: [x, y],
                size,
                colour,
                text,
            } => {
                let [r, g, b] = rgb(*colour);
                let glyphs = text.chars().filter_map(|c| font.glyphs.get(&c));
                let bytes: Vec<u8> = glyphs.flat_map(|(glyph, _)| glyph.to_be_bytes()).collect();
                content
                    .begin_text()
                    .set_font(FONT, *size)
                    .set_fill_rgb(r, g, b);
                content
                    .next_line(*x, height - y)
                    .show(Str(&bytes))
                    .end_text();
            }
        }
    }
    content.finish().to_vec()
}

/// A disc out of four curves.
fn disc(content: &mut Content, [x, y]: [f32; 2], r: f32, colour: Colour, height: f32) {
    // How far the handles of a quarter reach, as a part of the radius.
    let k = 0.552_284_8 * r;
    let y = height - y;
    let [red, green, blue] = rgb(colour);
    content.set_fill_rgb(red, green, blue).move_to(x + r, y);
    content.cubic_to(x + r, y + k, x + k, y + r, x, y + r);
    content.cubic_to(x - k, y + r, x - r, y + k, x - r, y);
    content.cubic_to(x - r, y - k, x - k, y - r, x, y - r);
    content.cubic_to(x + k, y - r, x + r, y - k, x + r, y);
    content.fill_nonzero();
}

const IDENTITY: SystemInfo<'static> = SystemInfo {
    registry: Str(b"Adobe"),
    ordering: Str(b"Identity"),
    supplement: 0,
};

fn write_font(pdf: &mut Pdf, ids: &Ids, font: &Subset) {
    pdf.type0_font(ids.font)
        .base_font(FONT_NAME)
        .encoding_predefined(Name(b"Identity-H"))
        .descendant_font(ids.glyphs)
        .to_unicode(ids.characters);
    let mut glyphs = pdf.cid_font(ids.glyphs);
    glyphs
        .subtype(CidFontType::Type2)
        .base_font(FONT_NAME)
        .system_info(IDENTITY)
        .font_descriptor(ids.descriptor)
        .default_width(0.0)
        .cid_to_gid_map_predefined(Name(b"Identity"));
    let mut widths = glyphs.widths();
    for (glyph, width) in font.glyphs.values() {
        widths.consecutive(*glyph, [*width]);
    }
    widths.finish();
    glyphs.finish();
    pdf.font_descriptor(ids.descriptor)
        .name(FONT_NAME)
        .flags(FontFlags::SYMBOLIC)
        .bbox(Rect::new(-1000.0, -400.0, 2000.0, 1200.0))
        .italic_angle(0.0)
        .ascent(font.ascent)
        .descent(font.descent)
        .cap_height(730.0)
        .stem_v(80.0)
        .font_file2(ids.file);
    pdf.stream(ids.file, &font.file)
        .pair(Name(b"Length1"), font.file.len() as i32);
    let characters = characters_of(font);
    pdf.stream(ids.characters, &characters);
}

/// The table that gives glyphs their characters back, for whoever selects or searches (Adobe Technical
/// Note 5411, in the form that all readers know).
fn characters_of(font: &Subset) -> Vec<u8> {
    let mut out = b"/CIDInit /ProcSet findresource begin\n12 dict begin\nbegincmap\n\
/CIDSystemInfo\n<< /Registry (Adobe)\n/Ordering (UCS)\n/Supplement 0\n>> def\n\
/CMapName /Adobe-Identity-UCS def\n/CMapType 2 def\n\
1 begincodespacerange\n<0000> <FFFF>\nendcodespacerange\n"
        .to_vec();
    let mut pairs: Vec<(u16, char)> = font
        .glyphs
        .iter()
        .map(|(c, (glyph, _))| (*glyph, *c))
        .collect();
    pairs.sort_unstable();
    // No block of the table may be longer.
    for some in pairs.chunks(100) {
        out.extend(format!("{} beginbfchar\n", some.len()).bytes());
        for (glyph, c) in some {
            let mut units = [0; 2];
            let units = c
                .encode_utf16(&mut units)
                .iter()
                .map(|unit| format!("{unit:04X}"));
            out.extend(format!("<{glyph:04X}> <{}>\n", units.collect::<String>()).bytes());
        }
        out.extend(b"endbfchar\n");
    }
    out.extend(b"endcmap\nCMapName currentdict /CMap defineresource pop\nend\nend\n");
    out
}
