//! What formatters change besides blanks: commas before closing brackets, kinds of quotes.

use crate::words::{is_space, words};

/// The words of a text without what formatters change: blanks, commas before a closing bracket, kinds of quotes.
pub(crate) fn formatted(text: &[u8]) -> Vec<&[u8]> {
    let mut out: Vec<&[u8]> = Vec::new();
    for range in words(text) {
        let word = &text[range];
        match word {
            _ if word.iter().all(|b| is_space(*b)) => {}
            b"'" | b"\"" => out.push(b"\""),
            b")" | b"]" | b"}" => {
                if out.last() == Some(&b",".as_slice()) {
                    out.pop();
                }
                out.push(word);
            }
            _ => out.push(word),
        }
    }
    out
}

fn count(text: &[u8], sign: u8) -> usize {
    text.iter().filter(|b| **b == sign).count()
}

/// Whether single quotes became double ones throughout.
pub(crate) fn requoted(base: &[u8], side: &[u8]) -> bool {
    count(base, b'\'') > 0
        && count(side, b'\'') == 0
        && count(side, b'"') == count(base, b'"') + count(base, b'\'')
}

/// Double quotes for single ones; `None` where both are in one line.
pub(crate) fn double_quoted(text: &[u8]) -> Option<Vec<u8>> {
    let mixed = text
        .split(|b| *b == b'\n')
        .any(|l| count(l, b'\'') % 2 == 1);
    (!mixed).then(|| {
        text.iter()
            .map(|b| if *b == b'\'' { b'"' } else { *b })
            .collect()
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn formatting_is_told_from_wording() {
        let same = |a: &str, b: &str| formatted(a.as_bytes()) == formatted(b.as_bytes());
        assert!(same(
            "moor(ship, 'low')",
            "moor(\n    ship,\n    \"low\",\n)"
        ));
        assert!(!same("moor(ship)", "moor(tug)"));
        assert!(requoted(b"'a' + 'b'", b"\"a\" + \"b\""));
        assert!(!requoted(b"'a' + 'b'", b"\"a\" + 'b'"));
        assert_eq!(double_quoted(b"x = 'a'\n"), Some(b"x = \"a\"\n".to_vec()));
        assert_eq!(double_quoted(b"it's\n"), None);
    }
}
