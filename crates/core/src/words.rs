//! A line cut into words: what differences inside lines are made of.
//!
//! A word is a run of letters, digits and underscores, a run of one kind of
//! blank, or one single other sign. No grapheme is ever cut in two.

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
/// Bytes that are not UTF-8 form words of their own.
pub fn words(bytes: &[u8]) -> Vec<Range<usize>> {
    let mut out: Vec<Range<usize>> = Vec::new();
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

fn class_of(grapheme: &str) -> Class {
    match grapheme.chars().next() {
        Some(c @ (' ' | '\t')) if grapheme.len() == 1 => Class::Blank(c as u8),
        Some(c) if c.is_alphanumeric() || c == '_' => Class::Word,
        _ => Class::Sign,
    }
}

/// The words of a line that are not blanks: what likeness of lines is judged by.
pub(crate) fn solid_words(bytes: &[u8]) -> impl Iterator<Item = &[u8]> {
    words(bytes)
        .into_iter()
        .map(move |range| &bytes[range])
        .filter(|word| !word.iter().all(|b| crate::text::is_blank(*b)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn cut(text: &str) -> Vec<&str> {
        words(text.as_bytes())
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

    proptest! {
        #[test]
        fn words_tile_any_bytes(bytes: Vec<u8>) {
            let mut at = 0;
            for word in words(&bytes) {
                prop_assert_eq!(word.start, at);
                prop_assert!(word.end > at);
                at = word.end;
            }
            prop_assert_eq!(at, bytes.len());
        }
    }
}
