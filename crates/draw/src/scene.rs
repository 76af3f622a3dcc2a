//! Shapes and text on pages, in points; the origin is the upper left corner.

use crate::font::Font;

/// A colour by what it means: party, and how loud. Values are those for a light ground.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Colour {
    Ours,
    Theirs,
    Base,
    Blend,
    Hand,
    Finding,
    Text,
    Faint,
    Rule,
    Panel,
}

impl Colour {
    /// Red, green and blue, 0 to 255 each.
    pub fn rgb(self) -> [u8; 3] {
        match self {
            Colour::Ours => [0x9A, 0x5B, 0x00],
            Colour::Theirs => [0x5B, 0x35, 0xC4],
            Colour::Base => [0x55, 0x62, 0x6F],
            Colour::Blend => [0x0B, 0x7A, 0x5C],
            Colour::Hand => [0x3A, 0x34, 0x27],
            Colour::Finding => [0xB3, 0x31, 0x1A],
            Colour::Text => [0x1D, 0x22, 0x2B],
            Colour::Faint => [0x6B, 0x74, 0x82],
            Colour::Rule => [0xC9, 0xCE, 0xD6],
            Colour::Panel => [0xF1, 0xF3, 0xF6],
        }
    }
}

/// Something on a page; lengths in points.
#[derive(Clone, Debug, PartialEq)]
pub enum Shape {
    /// A filled box, or its edge alone.
    Box {
        /// Left, top, width, height.
        at: [f32; 4],
        /// Its colour.
        colour: Colour,
        /// Whether only its edge is drawn.
        hollow: bool,
    },
    /// A line through points.
    Line {
        /// Left and top of each.
        points: Vec<[f32; 2]>,
        /// Its colour.
        colour: Colour,
        /// How thick it is.
        width: f32,
    },
    /// A filled disc.
    Disc {
        /// Its middle.
        at: [f32; 2],
        /// Its radius.
        radius: f32,
        /// Its colour.
        colour: Colour,
    },
    /// One line of text.
    Text {
        /// Left end of its base line.
        at: [f32; 2],
        /// Size of its letters.
        size: f32,
        /// Its colour.
        colour: Colour,
        /// What it says; every character has a glyph.
        text: String,
    },
}

/// One page.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Page {
    /// From the back to the front.
    pub shapes: Vec<Shape>,
    /// How high it is.
    pub height: f32,
}

/// A picture of one or more pages of one width.
#[derive(Clone, Debug, PartialEq)]
pub struct Scene {
    /// What it shows, in a line.
    pub title: String,
    /// How wide it is.
    pub width: f32,
    /// Its pages; at least one.
    pub pages: Vec<Page>,
}

/// Edge of a page, and the distance between two lines of text.
pub(crate) const MARGIN: f32 = 28.0;
pub(crate) const LINE: f32 = 15.0;
pub(crate) const SIZE: f32 = 9.5;

/// Puts shapes on pages from the top, and begins a new page where one is full.
pub(crate) struct Painter {
    font: Font,
    title: String,
    width: f32,
    most: f32,
    done: Vec<Page>,
    shapes: Vec<Shape>,
    /// Where the next line of text stands.
    pub(crate) y: f32,
}

impl Painter {
    /// A page that is at most `most` high, with a title and what is said under it.
    pub(crate) fn new(title: &str, subtitle: &str, width: f32, most: f32) -> Self {
        let mut painter = Painter {
            font: Font::new(),
            title: title.to_owned(),
            width,
            most,
            done: Vec::new(),
            shapes: Vec::new(),
            y: MARGIN + 12.0,
        };
        painter.text([MARGIN, painter.y], 15.0, Colour::Text, title);
        painter.y += 16.0;
        painter.text([MARGIN, painter.y], SIZE, Colour::Faint, subtitle);
        painter.y += LINE + 6.0;
        painter
    }

    pub(crate) fn width(&self) -> f32 {
        self.width
    }

    /// How wide a text would be.
    pub(crate) fn measure(&self, text: &str, size: f32) -> f32 {
        self.font.width(text, size)
    }

    /// Begins a new page unless so much room is left; a whole page at most is ever asked for.
    pub(crate) fn room(&mut self, height: f32) {
        let is_fresh = self.y <= MARGIN + 12.0;
        if self.y + height > self.most - MARGIN && !is_fresh {
            let height = self.y + MARGIN;
            self.done.push(Page {
                shapes: std::mem::take(&mut self.shapes),
                height,
            });
            self.y = MARGIN + 12.0;
        }
    }

    pub(crate) fn put(&mut self, shape: Shape) {
        self.shapes.push(shape);
    }

    pub(crate) fn text(&mut self, at: [f32; 2], size: f32, colour: Colour, text: &str) {
        let text = self.font.drawable(text);
        self.put(Shape::Text {
            at,
            size,
            colour,
            text,
        });
    }

    /// A text that is shortened in its middle to so much room.
    pub(crate) fn fitted(&mut self, at: [f32; 2], room: f32, colour: Colour, text: &str) {
        let text = self.font.drawable(text);
        let text = shortened(&text, |text| self.font.width(text, SIZE) <= room);
        self.text(at, SIZE, colour, &text);
    }

    pub(crate) fn line(&mut self, points: Vec<[f32; 2]>, colour: Colour, width: f32) {
        self.put(Shape::Line {
            points,
            colour,
            width,
        });
    }

    /// What the marks mean, at the foot.
    pub(crate) fn legend(&mut self, entries: &[(Colour, &str)]) {
        self.room(LINE * 2.0);
        self.y += 6.0;
        let mut x = MARGIN;
        for (colour, text) in entries {
            let width = self.measure(text, SIZE) + 22.0;
            if x + width > self.width - MARGIN {
                (x, self.y) = (MARGIN, self.y + LINE);
            }
            self.text([x, self.y], SIZE, *colour, text);
            x += width;
        }
        self.y += LINE;
    }

    pub(crate) fn finish(mut self) -> Scene {
        self.done.push(Page {
            shapes: self.shapes,
            height: self.y + MARGIN,
        });
        Scene {
            title: self.title,
            width: self.width,
            pages: self.done,
        }
    }
}

/// A text with its middle left out until it fits.
fn shortened(text: &str, fits: impl Fn(&str) -> bool) -> String {
    if fits(text) {
        return text.to_owned();
    }
    let chars: Vec<char> = text.chars().collect();
    for keep in (2..chars.len()).rev() {
        let (head, tail) = (keep.div_ceil(2), keep / 2);
        let short: String = chars[..head]
            .iter()
            .chain(&['…'])
            .chain(&chars[chars.len() - tail..])
            .collect();
        if fits(&short) {
            return short;
        }
    }
    "…".to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn long_names_are_shortened_in_the_middle() {
        let fits = |n: usize| move |text: &str| text.chars().count() <= n;
        assert_eq!(shortened("quay.rs", fits(9)), "quay.rs");
        assert_eq!(shortened("harbour/quay.rs", fits(9)), "harb…y.rs");
        assert_eq!(shortened("harbour", fits(1)), "…");
    }
}
