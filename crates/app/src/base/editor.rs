//! A text editor as a value: rope, cursor, selection, undo, search.
//!
//! It knows nothing of merging but one mark a line, which it carries along so
//! that the gutter stays true while text moves. Not here: drawing, keys.

use crate::base::safe_text::{TAB, byte_at, width_of};
use armistice_core::Origin;
use armistice_core::limits::EDITOR_STEPS;
use ropey::Rope;
use unicode_segmentation::UnicodeSegmentation;

/// One change: at a character, what went and what came.
#[derive(Clone, Debug)]
struct Change {
    at: usize,
    removed: String,
    inserted: String,
    cursor: usize,
    /// Marks of the lines that the removed text touched.
    marks: Vec<Origin>,
}

/// Where the cursor goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Motion {
    Left,
    Right,
    Up,
    Down,
    WordLeft,
    WordRight,
    LineStart,
    LineEnd,
    PageUp,
    PageDown,
    Start,
    End,
}

/// An editor over one text with LF line ends.
#[derive(Clone, Debug)]
pub struct Editor {
    rope: Rope,
    /// One mark a line of the rope.
    marks: Vec<Origin>,
    /// Character index, never beyond the text's length.
    cursor: usize,
    anchor: Option<usize>,
    /// Column the cursor wants while it moves over shorter lines.
    wish: Option<usize>,
    done: Vec<Change>,
    undone: Vec<Change>,
    clipboard: String,
    /// Whether that is a whole line, which is put in above the one at the cursor.
    whole_line: bool,
    /// First line shown.
    pub top: usize,
    /// Columns scrolled out to the left.
    pub left: usize,
    /// Whether anything changed since the last look at it.
    pub dirty: bool,
}

/// Characters that are walked to find the partner of a bracket.
const PARTNER_CHARS: usize = 20_000;

impl Editor {
    /// An editor with a mark for each line; missing marks are `Unchanged`.
    pub fn new(text: &str, mut marks: Vec<Origin>) -> Self {
        let rope = Rope::from_str(text);
        marks.resize(rope.len_lines(), Origin::Unchanged);
        Editor {
            rope,
            marks,
            cursor: 0,
            anchor: None,
            wish: None,
            done: Vec::new(),
            undone: Vec::new(),
            clipboard: String::new(),
            whole_line: false,
            top: 0,
            left: 0,
            dirty: false,
        }
    }

    pub fn text(&self) -> String {
        self.rope.to_string()
    }

    pub fn len_lines(&self) -> usize {
        self.rope.len_lines()
    }

    /// A line without its newline.
    pub fn line(&self, line: usize) -> String {
        let mut text = self
            .rope
            .get_line(line)
            .map_or(String::new(), |l| l.to_string());
        if text.ends_with('\n') {
            text.pop();
        }
        text
    }

    pub fn mark(&self, line: usize) -> Origin {
        self.marks.get(line).copied().unwrap_or(Origin::Unchanged)
    }

    /// Line and byte within the line of the cursor.
    pub fn position(&self) -> (usize, usize) {
        self.position_of(self.cursor)
    }

    fn position_of(&self, at: usize) -> (usize, usize) {
        let line = self.rope.char_to_line(at);
        let start = self.rope.line_to_char(line);
        let byte = self.rope.char_to_byte(at) - self.rope.char_to_byte(start);
        (line, byte)
    }

    /// Puts the cursor on a line and byte, as near as the text allows.
    pub fn place(&mut self, line: usize, byte: usize, select: bool) {
        let line = line.min(self.len_lines().saturating_sub(1));
        let text = self.line(line);
        let byte = (0..=byte.min(text.len()))
            .rev()
            .find(|b| text.is_char_boundary(*b));
        let chars = text[..byte.unwrap_or(0)].chars().count();
        self.go(self.rope.line_to_char(line) + chars, select);
    }

    /// The selected characters' range, if any.
    pub fn selection(&self) -> Option<(usize, usize)> {
        let anchor = self.anchor.filter(|a| *a != self.cursor)?;
        Some((anchor.min(self.cursor), anchor.max(self.cursor)))
    }

    /// The selected bytes of a line.
    pub fn selected_on(&self, line: usize) -> Option<std::ops::Range<usize>> {
        let (from, to) = self.selection()?;
        let ((l1, b1), (l2, b2)) = (self.position_of(from), self.position_of(to));
        if line < l1 || line > l2 {
            return None;
        }
        let start = if line == l1 { b1 } else { 0 };
        let end = if line == l2 {
            b2
        } else {
            self.line(line).len()
        };
        Some(start..end)
    }

    pub fn selected_text(&self) -> Option<String> {
        let (from, to) = self.selection()?;
        Some(self.rope.slice(from..to).to_string())
    }

    pub fn select_all(&mut self) {
        self.anchor = Some(0);
        self.cursor = self.rope.len_chars();
    }

    fn go(&mut self, to: usize, select: bool) {
        match (select, self.anchor) {
            (true, None) => self.anchor = Some(self.cursor),
            (false, _) => self.anchor = None,
            _ => {}
        }
        self.cursor = to.min(self.rope.len_chars());
        self.wish = None;
    }

    /// Moves the cursor; a page is `page` lines.
    pub fn travel(&mut self, motion: Motion, select: bool, page: usize) {
        let (line, byte) = self.position();
        match motion {
            Motion::Up => self.vertical(line.saturating_sub(1), select),
            Motion::Down => self.vertical(line + 1, select),
            Motion::PageUp => self.vertical(line.saturating_sub(page), select),
            Motion::PageDown => self.vertical(line + page, select),
            Motion::LineStart => self.place(line, self.smart_start(line, byte), select),
            Motion::LineEnd => self.place(line, usize::MAX, select),
            Motion::Start => self.go(0, select),
            Motion::End => self.go(self.rope.len_chars(), select),
            Motion::Left => self.go(self.step_left(), select),
            Motion::Right => self.go(self.step_right(), select),
            Motion::WordLeft => self.go(self.word_left(), select),
            Motion::WordRight => self.go(self.word_right(), select),
        }
    }

    /// First the start of the words, then the start of the line.
    fn smart_start(&self, line: usize, byte: usize) -> usize {
        let text = self.line(line);
        let indent = text.len() - text.trim_start().len();
        if byte == indent { 0 } else { indent }
    }

    fn vertical(&mut self, line: usize, select: bool) {
        let (now, byte) = self.position();
        let text = self.line(now);
        let wish = self.wish.unwrap_or_else(|| width_of(&text[..byte]));
        let line = line.min(self.len_lines().saturating_sub(1));
        let byte = byte_at(&self.line(line), wish);
        self.place(line, byte, select);
        self.wish = Some(wish);
    }

    fn step_left(&self) -> usize {
        let (line, byte) = self.position();
        let text = self.line(line);
        match text[..byte].graphemes(true).next_back() {
            Some(grapheme) => self.cursor - grapheme.chars().count(),
            None => self.cursor.saturating_sub(1),
        }
    }

    fn step_right(&self) -> usize {
        let (line, byte) = self.position();
        let text = self.line(line);
        match text[byte..].graphemes(true).next() {
            Some(grapheme) => self.cursor + grapheme.chars().count(),
            None => self.cursor + 1,
        }
    }

    fn word_left(&self) -> usize {
        let (line, byte) = self.position();
        let text = self.line(line);
        let start = text[..byte]
            .split_word_bound_indices()
            .rfind(|(_, w)| !w.trim().is_empty())
            .map_or(0, |(at, _)| at);
        match byte {
            0 => self.step_left(),
            _ => self.cursor - text[start..byte].chars().count(),
        }
    }

    fn word_right(&self) -> usize {
        let (line, byte) = self.position();
        let text = self.line(line);
        let rest = &text[byte..];
        let end = rest
            .split_word_bound_indices()
            .find(|(_, w)| !w.trim().is_empty())
            .map_or(rest.len(), |(at, w)| at + w.len());
        match rest.is_empty() {
            true => self.step_right(),
            false => self.cursor + rest[..end].chars().count(),
        }
    }

    /// Replaces the selection, or inserts at the cursor.
    pub fn insert(&mut self, text: &str) {
        let (from, to) = self.selection().unwrap_or((self.cursor, self.cursor));
        let text = text.replace("\r\n", "\n").replace('\r', "\n");
        self.replace(from, to, &text);
    }

    /// A new line at the indentation of this one.
    pub fn newline(&mut self) {
        let (line, byte) = self.position();
        let text = self.line(line);
        let indent = text.len() - text.trim_start().len();
        if byte <= indent && self.selection().is_none() {
            // Before the text of a line: that line moves down as it is, an empty one stays.
            self.place(line, 0, false);
            self.insert("\n");
            self.place(line + 1, byte, false);
            return;
        }
        let indent = text[..indent.min(byte)].to_owned();
        // What opens a block is followed by what stands deeper.
        let opens = text[..byte].trim_end().ends_with(['{', '(', '[', ':']);
        let deeper = match opens {
            true if self.uses_tabs() => "\t".to_owned(),
            true => " ".repeat(self.step()),
            false => String::new(),
        };
        self.insert(&format!("\n{indent}{deeper}"));
    }

    fn uses_tabs(&self) -> bool {
        (0..self.len_lines().min(500)).any(|l| self.line(l).starts_with('\t'))
    }

    /// Blanks of one step of indentation: the least that a line of the text has.
    fn step(&self) -> usize {
        let indents = (0..self.len_lines().min(500)).map(|nth| {
            let line = self.line(nth);
            line.len() - line.trim_start_matches(' ').len()
        });
        indents.filter(|n| *n > 1).min().unwrap_or(TAB).min(8)
    }

    /// One step of indentation, in the kind of blanks that the text uses.
    pub fn tab(&mut self) {
        let uses_tabs = self.uses_tabs();
        let (line, byte) = self.position();
        let column = width_of(&self.line(line)[..byte]);
        let spaces = " ".repeat(TAB - column % TAB);
        self.insert(if uses_tabs { "\t" } else { &spaces });
    }

    pub fn backspace(&mut self) {
        let (from, to) = self.selection().unwrap_or((self.step_left(), self.cursor));
        self.replace(from, to, "");
    }

    pub fn delete(&mut self) {
        let to = self.step_right().min(self.rope.len_chars());
        let (from, to) = self.selection().unwrap_or((self.cursor, to));
        self.replace(from, to, "");
    }

    /// Removes the line that the cursor is on.
    pub fn delete_line(&mut self) {
        let (line, _) = self.position();
        let from = self.rope.line_to_char(line);
        let to = self.rope.line_to_char((line + 1).min(self.len_lines()));
        self.replace(from, to, "");
    }

    /// Copies what is selected, or else the whole line.
    pub fn copy(&mut self) -> Option<String> {
        let selected = self.selected_text();
        self.whole_line = selected.is_none();
        let text = match selected {
            Some(text) => text,
            None => format!("{}\n", self.line(self.position().0)),
        };
        self.clipboard.clone_from(&text);
        Some(text)
    }

    /// Cuts what is selected, or else the whole line.
    pub fn cut(&mut self) -> Option<String> {
        let text = self.copy()?;
        match self.whole_line {
            true => self.delete_line(),
            false => self.backspace(),
        }
        Some(text)
    }

    /// What is pasted from here on, copied elsewhere: whole lines end with one.
    pub fn set_clipboard(&mut self, text: &str) {
        self.whole_line = text.ends_with('\n');
        text.clone_into(&mut self.clipboard);
    }

    pub fn paste(&mut self) {
        let text = self.clipboard.clone();
        if self.whole_line && self.selection().is_none() {
            let (line, _) = self.position();
            self.place(line, 0, false);
        }
        self.insert(&text);
    }

    /// The bracket that goes with the one at the cursor or before it, by line and byte; nothing
    /// where there is none.
    pub fn partner(&self) -> Option<(usize, usize)> {
        let at = |nth: usize| (nth < self.rope.len_chars()).then(|| self.rope.char(nth));
        let is_bracket = |c: char| "()[]{}".contains(c);
        let here = [Some(self.cursor), self.cursor.checked_sub(1)];
        let here = here.into_iter().flatten();
        let (nth, sign) = here
            .filter_map(|nth| Some((nth, at(nth)?)))
            .find(|(_, c)| is_bracket(*c))?;
        let (other, forward) = match sign {
            '(' => (')', true),
            '[' => (']', true),
            '{' => ('}', true),
            ')' => ('(', false),
            ']' => ('[', false),
            _ => ('{', false),
        };
        let mut depth = 0usize;
        let mut look = nth;
        for _ in 0..PARTNER_CHARS {
            let c = at(look)?;
            if c == sign {
                depth += 1;
            } else if c == other {
                depth -= 1;
                if depth == 0 {
                    let line = self.rope.char_to_line(look);
                    let start = self.rope.line_to_byte(line);
                    return Some((line, self.rope.char_to_byte(look) - start));
                }
            }
            look = match forward {
                true => look + 1,
                false => look.checked_sub(1)?,
            };
        }
        None
    }

    fn replace(&mut self, from: usize, to: usize, text: &str) {
        if from == to && text.is_empty() {
            return;
        }
        let change = self.perform(from, to, text);
        self.undone.clear();
        if !self.joined(&change) {
            self.done.push(change);
        }
        if self.done.len() > EDITOR_STEPS {
            self.done.remove(0);
        }
    }

    /// Single typed letters that follow each other are undone together.
    fn joined(&mut self, change: &Change) -> bool {
        let typed = change.removed.is_empty()
            && change.inserted.chars().count() == 1
            && !change.inserted.starts_with(char::is_whitespace);
        match self.done.last_mut() {
            Some(last)
                if typed
                    && last.removed.is_empty()
                    && !last.inserted.contains('\n')
                    && last.at + last.inserted.chars().count() == change.at =>
            {
                last.inserted += &change.inserted;
                true
            }
            _ => false,
        }
    }

    fn perform(&mut self, from: usize, to: usize, text: &str) -> Change {
        let (first, last) = (self.rope.char_to_line(from), self.rope.char_to_line(to));
        let change = Change {
            at: from,
            removed: self.rope.slice(from..to).to_string(),
            inserted: text.to_owned(),
            cursor: self.cursor,
            marks: self.marks[first..=last].to_vec(),
        };
        self.rope.remove(from..to);
        self.rope.insert(from, text);
        self.remark(from, &change, first, last);
        self.cursor = from + text.chars().count();
        self.anchor = None;
        self.wish = None;
        self.dirty = true;
        change
    }

    /// Lines that the change touched are by hand; a line merely pushed down, or
    /// drawn up whole, keeps its mark.
    fn remark(&mut self, from: usize, change: &Change, first: usize, last: usize) {
        let line_now = self.rope.char_to_line(from);
        let at_start = from == self.rope.line_to_char(line_now);
        let n = change.inserted.matches('\n').count() + 1;
        let mut marks = vec![Origin::Hand; n];
        let whole = |text: &str| text.is_empty() || text.ends_with('\n');
        if at_start && whole(&change.inserted) && whole(&change.removed) {
            marks[n - 1] = self.marks[last];
        }
        let end = from + change.inserted.chars().count();
        let at_end = self.rope.get_char(end).is_none_or(|c| c == '\n');
        if !at_start && change.removed.is_empty() && change.inserted.starts_with('\n') && at_end {
            marks[0] = self.marks[first];
        }
        self.marks.splice(first..=last, marks);
    }

    pub fn undo(&mut self) -> bool {
        let Some(change) = self.done.pop() else {
            return false;
        };
        let to = change.at + change.inserted.chars().count();
        let first = self.rope.char_to_line(change.at);
        self.perform(change.at, to, &change.removed);
        let n = change.marks.len();
        self.marks.splice(first..first + n, change.marks.clone());
        self.cursor = change.cursor;
        self.undone.push(change);
        true
    }

    pub fn redo(&mut self) -> bool {
        let Some(change) = self.undone.pop() else {
            return false;
        };
        let to = change.at + change.removed.chars().count();
        let again = self.perform(change.at, to, &change.inserted);
        self.done.push(again);
        true
    }

    /// Moves to the next place where `needle` stands, from the cursor on and round.
    pub fn find(&mut self, needle: &str, backwards: bool) -> bool {
        if needle.is_empty() {
            return false;
        }
        let text = self.text();
        let ignore_case = !needle.chars().any(char::is_uppercase);
        let fold = |s: &str| {
            if ignore_case {
                s.to_ascii_lowercase()
            } else {
                s.to_owned()
            }
        };
        let (text, needle) = (fold(&text), fold(needle));
        let here = self.rope.char_to_byte(self.cursor);
        let found = match backwards {
            true => text[..here.saturating_sub(1).min(here)]
                .rfind(&needle)
                .or_else(|| text.rfind(&needle)),
            false => text[here..]
                .find(&needle)
                .map(|at| at + here)
                .or_else(|| text.find(&needle)),
        };
        let Some(byte) = found else {
            return false;
        };
        let start = self.rope.byte_to_char(byte);
        self.go(start, false);
        self.anchor = Some(start);
        self.cursor = start + needle.chars().count();
        true
    }

    /// Scrolls so that the cursor is inside a window of this size.
    pub fn follow(&mut self, height: usize, width: usize) {
        let (line, byte) = self.position();
        let column = width_of(&self.line(line)[..byte]);
        let height = height.max(1);
        let margin = (height / 6).min(3);
        let lowest = (line + margin + 1).saturating_sub(height);
        self.top = self
            .top
            .clamp(lowest, line.saturating_sub(margin).max(lowest));
        let lowest = (column + 2).saturating_sub(width.max(4));
        self.left = self.left.clamp(lowest, column.max(lowest));
        if self.left < 8 && column + 2 < width {
            self.left = 0;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn editor(text: &str) -> Editor {
        Editor::new(text, vec![Origin::Ours; text.split('\n').count()])
    }

    fn marks(editor: &Editor) -> String {
        let letter = |line| match editor.mark(line) {
            Origin::Hand => 'h',
            _ => '.',
        };
        (0..editor.len_lines()).map(letter).collect()
    }

    #[test]
    fn typing_changes_one_line_and_its_mark() {
        let mut e = editor("one\ntwo\nthree\n");
        e.place(1, 3, false);
        e.insert("!");
        assert_eq!(e.text(), "one\ntwo!\nthree\n");
        assert_eq!(marks(&e), ".h..");
    }

    #[test]
    fn a_new_line_before_an_indented_one_leaves_it_as_it_is() {
        for byte in [0, 2, 4] {
            let mut e = editor("one\n    two\n");
            e.place(1, byte, false);
            e.newline();
            assert_eq!(e.text(), "one\n\n    two\n");
            assert_eq!(e.position(), (2, byte));
        }
    }

    #[test]
    fn a_new_line_keeps_its_neighbours_marks_and_the_indent() {
        let mut e = editor("  one\n  two\n");
        e.place(0, 5, false);
        e.newline();
        e.insert("x");
        assert_eq!(e.text(), "  one\n  x\n  two\n");
        assert_eq!(marks(&e), ".h..");
    }

    #[test]
    fn undo_and_redo_give_text_and_marks_back() {
        let mut e = editor("one\ntwo\nthree\n");
        e.place(0, 1, false);
        e.place(2, 2, true);
        e.insert("X\nY");
        assert_eq!(e.text(), "oX\nYree\n");
        assert!(e.undo());
        assert_eq!(
            (e.text().as_str(), marks(&e).as_str()),
            ("one\ntwo\nthree\n", "....")
        );
        assert!(e.redo());
        assert_eq!(
            (e.text().as_str(), marks(&e).as_str()),
            ("oX\nYree\n", "hh.")
        );
        assert!(!e.redo());
    }

    #[test]
    fn typed_letters_are_undone_as_one_word() {
        let mut e = editor("");
        for c in "ab cd".chars() {
            e.insert(&c.to_string());
        }
        e.undo();
        assert_eq!(e.text(), "ab");
    }

    #[test]
    fn a_line_can_be_cut_and_pasted() {
        let mut e = editor("a\nb\n");
        e.travel(Motion::Down, true, 1);
        assert_eq!(e.cut().as_deref(), Some("a\n"));
        assert_eq!((e.text().as_str(), marks(&e).as_str()), ("b\n", ".."));
        e.travel(Motion::End, false, 1);
        e.paste();
        assert_eq!(e.text(), "b\na\n");
    }

    #[test]
    fn the_cursor_never_cuts_a_grapheme() {
        let mut e = editor("e\u{301}x\n");
        e.travel(Motion::Right, false, 1);
        assert_eq!(e.position(), (0, 3));
        e.backspace();
        assert_eq!(e.text(), "x\n");
    }

    #[test]
    fn words_pages_and_ends_are_reached() {
        let mut e = editor("let tide = 4;\nshort\nlonger line\n");
        e.travel(Motion::WordRight, false, 1);
        e.travel(Motion::WordRight, false, 1);
        assert_eq!(e.position(), (0, 8));
        e.travel(Motion::LineEnd, false, 1);
        e.travel(Motion::Down, false, 1);
        assert_eq!(e.position(), (1, 5));
        e.travel(Motion::Down, false, 1);
        assert_eq!(e.position(), (2, 11));
        e.travel(Motion::End, false, 1);
        assert_eq!(e.position(), (3, 0));
        e.travel(Motion::PageUp, false, 2);
        assert_eq!(e.position().0, 1);
    }

    #[test]
    fn search_goes_round() {
        let mut e = editor("tide\nberth\ntide\n");
        assert!(e.find("tide", false));
        assert_eq!(e.position(), (0, 4));
        assert!(e.find("tide", false));
        assert_eq!(e.position(), (2, 4));
        assert!(e.find("tide", false));
        assert_eq!(e.position(), (0, 4));
        assert!(e.find("berth", true));
        assert_eq!(e.position().0, 1);
        assert!(!e.find("quay", false));
    }
}
