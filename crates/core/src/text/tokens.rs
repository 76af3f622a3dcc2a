//! A line cut into words: what differences inside lines are made of.
//!
//! A word is a run of letters, digits and underscores, a run of one kind of
//! blank, or one single other sign. No grapheme is ever cut in two.

use crate::limits::SAME_TOKENS_BYTES;
use crate::text::source::is_blank;
use std::ops::Range;
use unicode_segmentation::UnicodeSegmentation;

#[derive(Clone, Copy, PartialEq, Eq)]
enum Class {
    Word,
    Blank(u8),
    Sign,
}

/// The words of `bytes` as byte ranges that tile it, in order.
///
/// Guarantees: no range is empty, no grapheme is cut. Bytes that are not UTF-8
/// form words of their own. Any length; linear in it.
///
/// ```
/// let ranges = armistice_core::token_ranges(b"moor(ship)");
/// assert_eq!(ranges, [0..4, 4..5, 5..9, 9..10]);
/// ```
pub fn token_ranges(bytes: &[u8]) -> Vec<Range<usize>> {
    if bytes.is_ascii() {
        return AsciiTokens { bytes, at: 0 }.collect();
    }
    let mut out: Vec<Range<usize>> = Vec::with_capacity(bytes.len() / 3 + 4);
    let mut last = Class::Sign;
    let mut push = |at: usize, len: usize, class: Class| {
        match out.last_mut() {
            Some(word) if class == last && class != Class::Sign => word.end = at + len,
            _ => out.push(at..at + len),
        }
        last = class;
    };
    let mut at = 0;
    for chunk in bytes.utf8_chunks() {
        for grapheme in chunk.valid().graphemes(true) {
            push(at, grapheme.len(), class_of(grapheme));
            at += grapheme.len();
        }
        if !chunk.invalid().is_empty() {
            push(at, chunk.invalid().len(), Class::Word);
            at += chunk.invalid().len();
        }
    }
    out
}

/// The words of ASCII bytes: no grapheme of it is longer than a byte, but for CR LF.
struct AsciiTokens<'a> {
    bytes: &'a [u8],
    at: usize,
}

impl Iterator for AsciiTokens<'_> {
    type Item = Range<usize>;

    fn next(&mut self) -> Option<Range<usize>> {
        let from = self.at;
        let class = class_of_ascii(*self.bytes.get(from)?);
        self.at += 1;
        if class != Class::Sign {
            let same = |b: &&u8| class_of_ascii(**b) == class;
            self.at += self.bytes[self.at..].iter().take_while(same).count();
        }
        Some(from..self.at)
    }
}

fn class_of_ascii(byte: u8) -> Class {
    match byte {
        b' ' | b'\t' => Class::Blank(byte),
        b'_' => Class::Word,
        byte if byte.is_ascii_alphanumeric() => Class::Word,
        _ => Class::Sign,
    }
}

fn class_of(grapheme: &str) -> Class {
    match grapheme.chars().next() {
        Some(c @ (' ' | '\t')) if grapheme.len() == 1 => Class::Blank(c as u8),
        Some(c) if c.is_alphanumeric() || c == '_' => Class::Word,
        _ => Class::Sign,
    }
}

/// Whether two texts have the same words and differ in blanks and line ends alone.
///
/// Beyond [`SAME_TOKENS_BYTES`] a word that was cut in two counts as the same.
pub(crate) fn same_tokens(a: &[u8], b: &[u8]) -> bool {
    let is_solid = |byte: &&u8| !is_space(**byte);
    // Whoever has other signs has other words: that is quick to tell, and most do.
    if !a.iter().filter(is_solid).eq(b.iter().filter(is_solid)) {
        return false;
    }
    if trimmed(a) == trimmed(b) {
        return true;
    }
    a.len().max(b.len()) > SAME_TOKENS_BYTES || line_tokens(a).eq(line_tokens(b))
}

/// A text without the blanks and line ends around it.
fn trimmed(text: &[u8]) -> &[u8] {
    let from = text.iter().take_while(|b| is_space(**b)).count();
    let rest = &text[from..];
    let behind = rest.iter().rev().take_while(|b| is_space(**b)).count();
    &rest[..rest.len() - behind]
}

fn line_tokens(text: &[u8]) -> impl Iterator<Item = &[u8]> {
    text.split(|b| matches!(b, b'\n' | b'\r'))
        .flat_map(solid_tokens)
}

/// Whether a byte is a blank or ends a line.
pub(crate) fn is_space(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t' | b'\n' | b'\r')
}

/// The words of a line that are not blanks: what likeness of lines is judged by.
pub(crate) fn solid_tokens(bytes: &[u8]) -> impl Iterator<Item = &[u8]> {
    let (ascii, other) = match bytes.is_ascii() {
        true => (Some(AsciiTokens { bytes, at: 0 }), Vec::new()),
        false => (None, token_ranges(bytes)),
    };
    let ranges = ascii.into_iter().flatten().chain(other);
    ranges
        .map(move |range| &bytes[range])
        .filter(|word| !is_blank(word[0]))
}

/// Whether a word is more than a sign.
pub(crate) fn is_name(word: &[u8]) -> bool {
    word.iter()
        .any(|b| b.is_ascii_alphanumeric() || *b == b'_' || *b >= 0x80)
}

/// By how much a sign opens.
pub(crate) fn bracket(sign: u8) -> isize {
    match sign {
        b'(' | b'[' | b'{' => 1,
        b')' | b']' | b'}' => -1,
        _ => 0,
    }
}

/// Whether a line says more than its signs: three letters or digits.
pub(crate) fn is_worded(line: &[u8]) -> bool {
    line.iter().filter(|b| b.is_ascii_alphanumeric()).count() > 2
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn cut(text: &str) -> Vec<&str> {
        token_ranges(text.as_bytes())
            .into_iter()
            .map(|r| &text[r])
            .collect()
    }

    #[test]
    fn identifiers_blanks_and_signs_are_words() {
        assert_eq!(
            cut("\t  let é_1 = q.pop();"),
            [
                "\t", "  ", "let", " ", "é_1", " ", "=", " ", "q", ".", "pop", "(", ")", ";"
            ]
        );
    }

    #[test]
    fn a_grapheme_stays_whole() {
        assert_eq!(
            cut("e\u{301}a ⚓\u{fe0f}"),
            ["e\u{301}a", " ", "⚓\u{fe0f}"]
        );
    }

    #[test]
    fn words_are_the_same_whatever_blanks_stand_between() {
        assert!(same_tokens(b"a b\n", b"  a\tb"));
        assert!(!same_tokens(b"ab", b"a b"));
        let long = |blank: &str| format!("tide{blank}table;").repeat(20_000).into_bytes();
        assert!(same_tokens(&long(" "), &long("  ")));
        assert!(!same_tokens(&long(" "), &long("!")));
    }

    proptest! {
        #[test]
        fn words_tile_any_bytes(bytes: Vec<u8>) {
            let mut at = 0;
            for word in token_ranges(&bytes) {
                prop_assert_eq!(word.start, at);
                prop_assert!(word.end > at);
                at = word.end;
            }
            prop_assert_eq!(at, bytes.len());
        }
    }
}
