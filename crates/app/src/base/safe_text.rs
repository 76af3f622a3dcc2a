//! Text made safe for a terminal and measured in columns; no byte of a file reaches the terminal raw.

use armistice_core::is_hidden;
use ratatui::buffer::{Buffer, CellDiffOption};
use ratatui::layout::Rect;
use ratatui::style::Style;
use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// Columns between tab stops.
pub const TAB: usize = 4;

/// Whether a character could move the cursor, turn the direction of writing or hide itself.
pub(crate) fn is_unsafe(c: char) -> bool {
    c.is_control() || is_hidden(c)
}

/// What is shown for one grapheme that starts at a column.
fn shown(grapheme: &str, column: usize) -> (String, usize) {
    if grapheme == "\t" {
        let width = TAB - column % TAB;
        return (" ".repeat(width), width);
    }
    if grapheme.chars().any(is_unsafe) {
        let part = |c: char| match is_unsafe(c) {
            true => format!("<{:02x}>", c as u32),
            false => c.to_string(),
        };
        let text: String = grapheme.chars().map(part).collect();
        let width = text.width();
        return (text, width);
    }
    (grapheme.to_owned(), grapheme.width())
}

/// Text without line breaks as it is safe to show, tabs as spaces.
pub fn visible(text: &str) -> String {
    let (mut out, mut column) = (String::new(), 0);
    for grapheme in text.graphemes(true) {
        let (text, width) = shown(grapheme, column);
        out += &text;
        column += width;
    }
    out
}

/// Columns that a text takes when shown from column 0.
pub fn width_of(text: &str) -> usize {
    text.graphemes(true)
        .fold(0, |column, g| column + shown(g, column).1)
}

/// Whether a text takes more columns than that; looks no further than it must.
pub fn is_wider(text: &str, columns: usize) -> bool {
    let mut column = 0;
    text.graphemes(true).any(|grapheme| {
        column += shown(grapheme, column).1;
        column > columns
    })
}

/// The byte of `text` that stands at a column, or its end.
pub fn byte_at(text: &str, target: usize) -> usize {
    let mut column = 0;
    for (at, grapheme) in text.grapheme_indices(true) {
        let width = shown(grapheme, column).1;
        if column + width > target {
            return at;
        }
        column += width;
    }
    text.len()
}

/// Whose a sign on the screen is.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Sign {
    Drawn,
    OfFile,
}

/// How a cell is noted that holds a sign of a file; taken away before the frame is shown.
const OF_FILE: CellDiffOption = CellDiffOption::AlwaysUpdate;

/// Puts plain signs in the place of all others that the program itself draws with, if asked, and
/// takes the notes away by which it knew them.
pub fn plain_signs(buffer: &mut Buffer, plain: impl Fn(&str) -> Option<&'static str>) {
    for cell in &mut buffer.content {
        if cell.diff_option == OF_FILE {
            cell.set_diff_option(CellDiffOption::None);
        } else if let Some(plain) = plain(cell.symbol()) {
            cell.set_symbol(plain);
        }
    }
}

/// Writes along one row of a buffer, cutting at its edges.
pub struct Pen<'a> {
    buffer: &'a mut Buffer,
    row: Rect,
    /// Columns of text that were scrolled out to the left.
    skip: usize,
    column: usize,
    /// Whether blanks are made visible.
    blanks: bool,
    /// Whether something did not fit.
    cut: bool,
}

impl<'a> Pen<'a> {
    /// A pen at the start of row `y` of `area`; a row outside of it takes no ink.
    pub fn new(buffer: &'a mut Buffer, area: Rect, y: u16) -> Self {
        let row = Rect {
            y: area.y + y,
            height: 1,
            ..area
        };
        // The terminal may have shrunk since the areas were computed.
        let inside = y < area.height && row.y < buffer.area.bottom();
        let row = if inside {
            row.intersection(buffer.area)
        } else {
            Rect::default()
        };
        Pen {
            buffer,
            row,
            skip: 0,
            column: 0,
            blanks: false,
            cut: false,
        }
    }

    /// Whether blanks in what is written from here on are made visible.
    pub fn with_blanks(mut self, shown: bool) -> Self {
        self.blanks = shown;
        self
    }

    /// Cuts off what stands left of `skip`; columns count from here on.
    pub fn scrolled(mut self, skip: usize) -> Self {
        let used = self.column as u16;
        self.row.x += used.min(self.row.width);
        self.row.width = self.row.width.saturating_sub(used);
        self.column = 0;
        self.skip = skip;
        self
    }

    /// Columns left on the row.
    pub fn room(&self) -> usize {
        (self.row.width as usize + self.skip).saturating_sub(self.column)
    }

    /// Columns written so far.
    pub fn column(&self) -> usize {
        self.column
    }

    /// Writes text of a file, made safe: its signs are not the program's own and stay as they are
    /// where those are drawn plain (`plain_signs`).
    pub fn write_line(&mut self, text: &str, style: Style) -> &mut Self {
        self.write_as(Sign::OfFile, text, style)
    }

    /// Writes text of any kind, made safe.
    pub fn write(&mut self, text: &str, style: Style) -> &mut Self {
        self.write_as(Sign::Drawn, text, style)
    }

    fn write_as(&mut self, sign: Sign, text: &str, style: Style) -> &mut Self {
        // Most text is plain: one segment, where each byte takes one column.
        let plain = |b: u8| (b'!'..=b'~').contains(&b) || (b == b' ' && !self.blanks);
        if !text.is_empty() && text.bytes().all(plain) {
            let fits = text.len().min(self.room().max(1));
            self.cut |= text.len() > self.room();
            self.put(Sign::Drawn, &text[..fits], fits, style);
            return self;
        }
        let mut rest = text.graphemes(true).peekable();
        while let Some(grapheme) = rest.next() {
            let (width, of) = match (self.blanks, grapheme) {
                (true, " ") => (1, Some("·")),
                (true, "\t") => (shown(grapheme, self.column).1, Some("→")),
                _ => (0, None),
            };
            match of {
                Some(mark) => {
                    let text = format!("{mark}{}", " ".repeat(width - 1));
                    self.put(Sign::Drawn, &text, width, style);
                }
                None => {
                    let (text, width) = shown(grapheme, self.column);
                    self.cut |= width > self.room();
                    self.put(sign, &text, width, style);
                }
            }
            if self.room() == 0 {
                self.cut |= rest.peek().is_some();
                break;
            }
        }
        self
    }

    fn put(&mut self, sign: Sign, text: &str, width: usize, style: Style) {
        let (start, end) = (self.column, self.column + width);
        self.column = end;
        if end <= self.skip || self.row.width == 0 {
            return;
        }
        let at = start.saturating_sub(self.skip);
        // What does not fit whole is cut grapheme by grapheme by the buffer itself.
        let cut = match start < self.skip {
            true => text.chars().skip(self.skip - start).collect(),
            false => text.to_owned(),
        };
        let room = (self.row.width as usize).saturating_sub(at);
        let x = self.row.x + at.min(self.row.width as usize) as u16;
        self.buffer.set_stringn(x, self.row.y, cut, room, style);
        if let Some(cell) = self.buffer.cell_mut((x, self.row.y)).filter(|_| room > 0) {
            cell.set_diff_option(match sign {
                Sign::Drawn => CellDiffOption::None,
                Sign::OfFile => OF_FILE,
            });
        }
    }

    /// Puts a sign at each edge beyond which what was written goes on.
    pub fn mark_cut(&mut self, style: Style) {
        if self.row.width == 0 {
            return;
        }
        let last = self.row.x + self.row.width - 1;
        let marks = [
            (self.skip > 0 && self.column > 0, self.row.x, "‹"),
            (self.cut, last, "›"),
        ];
        for (is, x, sign) in marks {
            if let Some(cell) = self.buffer.cell_mut((x, self.row.y)).filter(|_| is) {
                cell.set_symbol(sign).set_style(style);
                cell.set_diff_option(CellDiffOption::None);
            }
        }
    }

    /// Moves on to a column, leaving what is there.
    pub fn to(&mut self, column: usize) -> &mut Self {
        self.column = self.column.max(column);
        self
    }

    /// Writes text that ends at the right edge, if it fits behind what is there.
    pub fn right(&mut self, text: &str, style: Style) -> &mut Self {
        let width = text.width();
        let total = self.row.width as usize;
        if self.column + width < total {
            self.column = total - width;
            self.write(text, style);
        }
        self
    }

    /// Fills the rest of the row with a sign.
    pub fn fill(&mut self, sign: &str, style: Style) -> &mut Self {
        let n = self.room();
        self.write(&sign.repeat(n), style)
    }
}

/// A duration before now, as people say it.
pub fn ago(now: i64, then: i64) -> String {
    let seconds = (now - then).max(0);
    let units = [
        (31_536_000, "year"),
        (2_592_000, "month"),
        (604_800, "week"),
        (86_400, "day"),
        (3600, "hour"),
        (60, "minute"),
    ];
    for (size, name) in units {
        if seconds >= size {
            let n = seconds / size;
            let plural = if n == 1 { "" } else { "s" };
            return format!("{n} {name}{plural} ago");
        }
    }
    "just now".to_owned()
}

/// "1 line", "2 lines".
pub fn count(n: usize, unit: &str) -> String {
    match n {
        1 => format!("1 {unit}"),
        n => format!("{n} {unit}s"),
    }
}

/// Text cut to a width, with an ellipsis if anything was cut.
pub fn fit(text: &str, width: usize) -> String {
    if text.width() <= width {
        return text.to_owned();
    }
    let mut out = String::new();
    for grapheme in text.graphemes(true) {
        if out.width() + grapheme.width() + 1 > width {
            break;
        }
        out += grapheme;
    }
    if width > 0 {
        out.push('…');
    }
    out
}

/// A path cut at its front, where it tells least.
pub fn fit_path(path: &str, width: usize) -> String {
    if path.width() <= width {
        return path.to_owned();
    }
    let mut tail: Vec<&str> = Vec::new();
    let mut used = 1;
    for grapheme in path.graphemes(true).rev() {
        used += grapheme.width();
        if used > width {
            break;
        }
        tail.push(grapheme);
    }
    tail.reverse();
    format!("…{}", tail.concat())
}

/// Words laid out in lines of at most `width` columns.
pub fn wrap(text: &str, width: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in text.split_whitespace() {
        match lines.last_mut() {
            Some(line) if line.chars().count() + 1 + word.chars().count() <= width => {
                line.push(' ');
                line.push_str(word);
            }
            _ => lines.push(fit(word, width.max(1))),
        }
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    fn drawn(text: &str, width: u16, skip: usize) -> String {
        let area = Rect::new(0, 0, width, 1);
        let mut buffer = Buffer::empty(area);
        Pen::new(&mut buffer, area, 0)
            .scrolled(skip)
            .write(text, Style::new());
        (0..width)
            .map(|x| buffer[(x, 0)].symbol().to_owned())
            .collect()
    }

    #[test]
    fn control_and_direction_characters_are_made_visible() {
        assert_eq!(visible("a\x1b[31mb\u{202e}c"), "a<1b>[31mb<202e>c");
        let hidden = "a\u{ad}\u{34f}\u{61c}\u{180e}\u{3164}\u{e0041}b";
        assert_eq!(visible(hidden), "a<ad><34f><61c><180e><3164><e0041>b");
        assert_eq!(visible("\tx"), "    x");
        assert_eq!(visible("ab\tx"), "ab  x");
    }

    #[test]
    fn text_is_cut_at_both_edges() {
        assert_eq!(drawn("abcdef", 4, 0), "abcd");
        assert_eq!(drawn("abcdef", 4, 2), "cdef");
        assert_eq!(drawn("\tab", 4, 2), "  ab");
        assert_eq!(drawn("⚓⚓⚓", 3, 0).trim_end().chars().next(), Some('⚓'));
    }

    #[test]
    fn what_goes_on_beyond_an_edge_wears_a_sign() {
        let marked = |text: &str, width: u16, skip: usize| -> String {
            let area = Rect::new(0, 0, width, 1);
            let mut buffer = Buffer::empty(area);
            let mut pen = Pen::new(&mut buffer, area, 0).scrolled(skip);
            pen.write_line(text, Style::new()).mark_cut(Style::new());
            (0..width)
                .map(|x| buffer[(x, 0)].symbol().to_owned())
                .collect()
        };
        assert_eq!(marked("abcd", 4, 0), "abcd");
        assert_eq!(marked("abcde", 4, 0), "abc›");
        assert_eq!(marked("käfer", 4, 0), "käf›");
        assert_eq!(marked("käfer", 5, 0), "käfer");
        assert_eq!(marked("abcdefg", 4, 2), "‹de›");
        assert_eq!(marked("abcdef", 4, 2), "‹def");
        assert_eq!(marked("", 4, 2), "    ");
    }

    #[test]
    fn columns_and_bytes_agree() {
        assert_eq!(byte_at("a\tbc", 4), 2);
        assert_eq!(width_of("a\tbc"), 6);
        assert_eq!(byte_at("abc", 99), 3);
    }

    #[test]
    fn paths_are_cut_in_front_and_times_told_in_words() {
        assert_eq!(fit_path("src/deep/quay.rs", 8), "…quay.rs");
        assert_eq!(ago(1000, 1000 - 3 * 86_400), "3 days ago".to_owned());
        assert_eq!(ago(1000, 900), "1 minute ago");
    }
}
