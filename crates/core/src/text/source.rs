//! Bytes cut into lines, each with its own ending; nothing is ever normalised.
//!
//! Not here: decoding for display (`encoding`), words (`tokens`).

use crate::text::lines::{LineIdx, LineRange};
use std::sync::{Arc, OnceLock};

/// One version of a text: bytes, and where its lines start.
///
/// Concatenating its lines gives the bytes back exactly. Lines end at LF; only
/// a text without any LF is cut at lone CRs. Cloning shares the bytes.
///
/// ```
/// use armistice_core::{LineEnd, LineIdx, Source};
/// let text = Source::from("moor\r\npay");
/// assert_eq!(text.line(LineIdx(0)).content(), b"moor");
/// assert_eq!(text.line(LineIdx(0)).end(), LineEnd::CrLf);
/// assert_eq!(text.slice(text.all()), text.bytes());
/// ```
#[derive(Clone)]
pub struct Source(Arc<Inner>);

struct Inner {
    bytes: Vec<u8>,
    /// Ends of the lines in order, strictly rising; the last is `bytes.len()`.
    ends: Vec<usize>,
    /// How most lines end, once somebody asked.
    usual_end: OnceLock<LineEnd>,
}

/// How one line ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum LineEnd {
    /// `\n`
    Lf,
    /// `\r\n`
    CrLf,
    /// `\r`
    Cr,
    /// The last line of a text without one.
    None,
}

impl LineEnd {
    /// Its bytes.
    pub fn bytes(self) -> &'static [u8] {
        match self {
            LineEnd::Lf => b"\n",
            LineEnd::CrLf => b"\r\n",
            LineEnd::Cr => b"\r",
            LineEnd::None => b"",
        }
    }

    /// The name a person knows it by.
    pub fn name(self) -> &'static str {
        match self {
            LineEnd::Lf => "LF",
            LineEnd::CrLf => "CRLF",
            LineEnd::Cr => "CR",
            LineEnd::None => "no line end",
        }
    }
}

/// One line with its ending.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Line<'a>(&'a [u8]);

impl<'a> Line<'a> {
    /// A line out of bytes that hold at most one ending, at their end.
    pub fn new(bytes: &'a [u8]) -> Self {
        Line(bytes)
    }

    /// All of it.
    pub fn bytes(self) -> &'a [u8] {
        self.0
    }

    /// How it ends.
    pub fn end(self) -> LineEnd {
        match self.0 {
            [.., b'\r', b'\n'] => LineEnd::CrLf,
            [.., b'\n'] => LineEnd::Lf,
            [.., b'\r'] => LineEnd::Cr,
            _ => LineEnd::None,
        }
    }

    /// The line without its ending.
    pub fn content(self) -> &'a [u8] {
        &self.0[..self.0.len() - self.end().bytes().len()]
    }

    /// The blanks it starts with.
    pub fn indent(self) -> &'a [u8] {
        let content = self.content();
        let n = content.iter().take_while(|b| is_blank(**b)).count();
        &content[..n]
    }

    /// The blanks between its last word and its ending; none if it is all blank.
    pub fn trailing(self) -> &'a [u8] {
        &self.content()[self.indent().len() + self.trimmed().len()..]
    }

    /// The line without indentation, trailing whitespace and ending.
    pub fn trimmed(self) -> &'a [u8] {
        let rest = &self.content()[self.indent().len()..];
        let n = rest.iter().rev().take_while(|b| is_blank(**b)).count();
        &rest[..rest.len() - n]
    }
}

pub(crate) fn is_blank(byte: u8) -> bool {
    byte == b' ' || byte == b'\t'
}

impl Source {
    /// Cuts `bytes` into lines.
    pub fn new(bytes: impl Into<Vec<u8>>) -> Self {
        let bytes = bytes.into();
        let mut ends = cut(&bytes, b'\n');
        // A text of the old Mac kind would otherwise be one single line.
        if ends.len() <= 1 && bytes.last() != Some(&b'\n') {
            ends = cut(&bytes, b'\r');
        }
        Source(Arc::new(Inner {
            bytes,
            ends,
            usual_end: OnceLock::new(),
        }))
    }

    /// All bytes.
    pub fn bytes(&self) -> &[u8] {
        &self.0.bytes
    }

    /// How many lines; the empty text has none.
    pub fn len(&self) -> usize {
        self.0.ends.len()
    }

    /// Whether there are no bytes.
    pub fn is_empty(&self) -> bool {
        self.0.bytes.is_empty()
    }

    /// All lines as a range.
    pub fn all(&self) -> LineRange {
        (0..self.len()).into()
    }

    /// The line `idx`; an empty one past the end.
    pub fn line(&self, idx: LineIdx) -> Line<'_> {
        Line(self.slice(LineRange::new(idx.0, idx.0 + 1)))
    }

    /// The bytes of some lines; what lies past the end is left out.
    pub fn slice(&self, lines: LineRange) -> &[u8] {
        &self.0.bytes[self.start_of(lines.start)..self.start_of(lines.end)]
    }

    /// Some lines one by one.
    pub fn lines(&self, range: LineRange) -> impl DoubleEndedIterator<Item = Line<'_>> {
        range.iter().map(|i| self.line(i))
    }

    /// The ending most lines have, by a look at the first thousand; LF if there is none.
    pub fn usual_end(&self) -> LineEnd {
        *self.0.usual_end.get_or_init(|| self.count_ends())
    }

    fn count_ends(&self) -> LineEnd {
        let (mut lf, mut crlf, mut cr) = (0, 0, 0);
        for line in self.lines((0..self.len().min(1000)).into()) {
            match line.end() {
                LineEnd::Lf => lf += 1,
                LineEnd::CrLf => crlf += 1,
                LineEnd::Cr => cr += 1,
                LineEnd::None => {}
            }
        }
        if crlf > lf && crlf >= cr {
            LineEnd::CrLf
        } else if cr > lf {
            LineEnd::Cr
        } else {
            LineEnd::Lf
        }
    }

    /// Whether git would call it binary: a NUL within the first 8,000 bytes.
    pub fn is_binary(&self) -> bool {
        let bytes = self.bytes();
        bytes[..bytes.len().min(8000)].contains(&0)
    }

    fn start_of(&self, line: LineIdx) -> usize {
        match line.0 as usize {
            0 => 0,
            n => {
                let ends = &self.0.ends;
                ends.get(n - 1).copied().unwrap_or(self.0.bytes.len())
            }
        }
    }
}

impl std::fmt::Debug for Source {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{:?}", String::from_utf8_lossy(self.bytes()))
    }
}

impl PartialEq for Source {
    fn eq(&self, other: &Self) -> bool {
        self.bytes() == other.bytes()
    }
}

impl Eq for Source {}

impl From<&str> for Source {
    fn from(text: &str) -> Self {
        Source::new(text)
    }
}

fn cut(bytes: &[u8], end: u8) -> Vec<usize> {
    let mut ends = Vec::with_capacity(bytes.len() / 32);
    let mut from = 0;
    while let Some(n) = find(&bytes[from..], end) {
        from += n + 1;
        ends.push(from);
    }
    if from < bytes.len() {
        ends.push(bytes.len());
    }
    ends
}

/// First place of `byte`, eight bytes at a time: cutting is a fifth of a whole merge.
fn find(bytes: &[u8], byte: u8) -> Option<usize> {
    const LOW: u64 = 0x0101_0101_0101_0101;
    const HIGH: u64 = 0x8080_8080_8080_8080;
    let pattern = LOW * u64::from(byte);
    let (chunks, rest) = bytes.as_chunks::<8>();
    for (i, chunk) in chunks.iter().enumerate() {
        let x = u64::from_le_bytes(*chunk) ^ pattern;
        let hit = x.wrapping_sub(LOW) & !x & HIGH;
        if hit != 0 {
            return Some(i * 8 + hit.trailing_zeros() as usize / 8);
        }
    }
    let at = rest.iter().position(|b| *b == byte)?;
    Some(chunks.len() * 8 + at)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn each_line_keeps_its_own_ending() {
        let text = Source::new("a\nb\r\n\nc");
        let ends: Vec<_> = text.lines(text.all()).map(Line::end).collect();
        assert_eq!(
            ends,
            [LineEnd::Lf, LineEnd::CrLf, LineEnd::Lf, LineEnd::None]
        );
        assert_eq!(text.line(LineIdx(1)).content(), b"b");
        assert_eq!(text.line(LineIdx(9)).bytes(), b"");
    }

    #[test]
    fn only_a_text_without_lf_is_cut_at_cr() {
        assert_eq!(Source::new("a\rb\rc").len(), 3);
        assert_eq!(Source::new("a\rb\nc").len(), 2);
    }

    #[test]
    fn the_usual_end_is_the_commonest() {
        assert_eq!(Source::new("a\r\nb\r\nc\n").usual_end(), LineEnd::CrLf);
        assert_eq!(Source::new("").usual_end(), LineEnd::Lf);
    }

    proptest! {
        #[test]
        fn lines_put_together_are_the_bytes(bytes: Vec<u8>) {
            let text = Source::new(bytes.clone());
            let joined: Vec<u8> = text.lines(text.all()).flat_map(|l| l.bytes().to_vec()).collect();
            prop_assert_eq!(joined, bytes);
        }

        #[test]
        fn find_agrees_with_position(bytes in prop::collection::vec(8u8..13, 0..60)) {
            prop_assert_eq!(find(&bytes, b'\n'), bytes.iter().position(|b| *b == b'\n'));
        }
    }
}
