//! Which stretches of each line are comments, strings and keywords: for the eye, known by weight and
//! slant.

use crate::facts::with_tree;
use crate::language::Language;
use crate::trees::PARSED_BYTES;
use armistice_core::Source;
use std::ops::Range;
use tree_sitter::Node;

/// What a stretch of a line is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Shade {
    /// A comment.
    Comment,
    /// A string or a character.
    Text,
    /// A word of the language itself.
    Keyword,
}

/// Bytes of a line, counted from its start, and what they are.
pub type ShadedRange = (Range<usize>, Shade);

/// For each line its stretches in order, none touching another; `None` if the text is too large or
/// takes too long to parse.
///
/// ```
/// use armistice_syntax::{Language, Shade, shades};
/// let lines = shades(Language::Rust, &"let a = \"b\"; // c\n".into()).unwrap();
/// let found: Vec<_> = lines[0].iter().map(|(range, shade)| (range.clone(), *shade)).collect();
/// assert_eq!(found, [(0..3, Shade::Keyword), (8..11, Shade::Text), (13..17, Shade::Comment)]);
/// ```
pub fn shades(language: Language, text: &Source) -> Option<Vec<Vec<ShadedRange>>> {
    if text.bytes().len() > PARSED_BYTES {
        return None;
    }
    // Where each line starts and how long it is without its ending.
    let mut start = 0;
    let mut places: Vec<(usize, usize)> = Vec::with_capacity(text.len());
    for line in text.lines(text.all()) {
        places.push((start, line.content().len()));
        start += line.bytes().len();
    }
    with_tree(language, text.bytes(), |root| {
        let mut lines = vec![Vec::new(); places.len()];
        let mut cursor = root.walk();
        loop {
            let node = cursor.node();
            let shade = shade_of(node);
            if let Some(shade) = shade {
                mark(&mut lines, &places, node.byte_range(), shade);
            } else if cursor.goto_first_child() {
                continue;
            }
            while !cursor.goto_next_sibling() {
                if !cursor.goto_parent() {
                    return lines;
                }
            }
        }
    })
}

fn shade_of(node: Node<'_>) -> Option<Shade> {
    let kind = node.kind();
    if !node.is_named() {
        let word = kind.strip_prefix('#').unwrap_or(kind);
        let is_word = word.len() > 1 && word.bytes().all(|b| b.is_ascii_alphabetic() || b == b'_');
        return is_word.then_some(Shade::Keyword);
    }
    if kind.contains("comment") {
        return Some(Shade::Comment);
    }
    let text = [
        "string",
        "char_literal",
        "character_literal",
        "rune_literal",
        "heredoc_body",
        "quoted_attribute_value",
        "string_value",
        "double_quote_scalar",
        "single_quote_scalar",
    ];
    // A "string" may be a key of an object as well: quotes tell that it is one.
    let is_text =
        text.contains(&kind) || kind.ends_with("string_literal") || kind.ends_with("_string");
    is_text.then_some(Shade::Text)
}

/// Notes a stretch line by line.
fn mark(
    lines: &mut [Vec<ShadedRange>],
    places: &[(usize, usize)],
    range: Range<usize>,
    shade: Shade,
) {
    let first = places.partition_point(|(start, _)| *start <= range.start);
    for at in first.saturating_sub(1)..places.len() {
        let (start, len) = places[at];
        if start >= range.end {
            break;
        }
        let from = range.start.max(start) - start;
        let to = (range.end - start).min(len);
        if from < to {
            lines[at].push((from..to, shade));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shown(path: &str, text: &str) -> Vec<String> {
        let language = Language::of(path).unwrap();
        let lines = shades(language, &text.into()).unwrap();
        let one = |(line, spans): (&str, &Vec<ShadedRange>)| {
            let part = |(range, shade): &ShadedRange| {
                let sign = match shade {
                    Shade::Comment => 'c',
                    Shade::Text => 's',
                    Shade::Keyword => 'k',
                };
                format!("{sign}:{}", &line[range.clone()])
            };
            spans.iter().map(part).collect::<Vec<_>>().join(" ")
        };
        text.lines().zip(&lines).map(one).collect()
    }

    #[test]
    fn comments_strings_and_keywords_are_told_in_many_languages() {
        assert_eq!(
            shown("a.py", "def moor(a):\n    # by tide\n    return \"quay\"\n"),
            ["k:def", "c:# by tide", "k:return s:\"quay\""]
        );
        assert_eq!(
            shown("a.js", "const a = 'b'; /* c\nd */ if (a) {}\n"),
            ["k:const s:'b' c:/* c", "c:d */ k:if"]
        );
        assert_eq!(shown("a.go", "// x\r\nfunc a() {}\n"), ["c:// x", "k:func"]);
        assert_eq!(shown("a.css", "/* a */ b { }\n"), ["c:/* a */"]);
        assert_eq!(shown("a.json", "{\"a\": \"b\"}\n"), ["s:\"a\" s:\"b\""]);
    }

    #[test]
    fn no_bytes_upset_it() {
        for text in [&b"\xff\xfe\"\n'"[..], b"", b"\n\n", b"\"unended\n"] {
            for language in [
                Language::Rust,
                Language::Python,
                Language::Html,
                Language::Bash,
            ] {
                let text = Source::new(text);
                let lines = shades(language, &text).unwrap();
                assert_eq!(lines.len(), text.len());
                for (line, spans) in text.lines(text.all()).zip(&lines) {
                    for (range, _) in spans {
                        assert!(range.start < range.end && range.end <= line.content().len());
                    }
                }
            }
        }
    }
}
