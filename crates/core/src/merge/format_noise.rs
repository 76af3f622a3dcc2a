//! What formatters change besides blanks: commas before closing brackets, kinds of quotes.

use crate::text::tokens::{is_space, token_ranges};

/// Whether two texts differ in nothing but what formatters change.
pub(crate) fn same_but_for_format(a: &[u8], b: &[u8]) -> bool {
    let says = |byte: &&u8| !is_space(**byte) && !matches!(**byte, b',' | b'\'' | b'"');
    // Whoever has other signs was not only formatted: that is quick to tell, and most do.
    a.iter().filter(says).eq(b.iter().filter(says)) && formatted(a) == formatted(b)
}

/// The words of a text without what formatters change: blanks, commas before a closing bracket, kinds of quotes.
fn formatted(text: &[u8]) -> Vec<&[u8]> {
    let mut out: Vec<&[u8]> = Vec::new();
    for range in token_ranges(text) {
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

/// Double quotes for single ones around strings; `None` where a line does not tell its strings.
///
/// A string that holds a double quote stays as it is, as formatters leave it.
pub(crate) fn double_quoted(text: &[u8]) -> Option<Vec<u8>> {
    let mut out = Vec::with_capacity(text.len());
    for line in text.split_inclusive(|b| *b == b'\n') {
        let mut at = 0;
        while at < line.len() {
            let quote = line[at];
            if quote != b'\'' && quote != b'"' {
                out.push(quote);
                at += 1;
                continue;
            }
            if line[at..].starts_with(b"\"\"\"") || line[at..].starts_with(b"'''") {
                // Text of several lines: nobody can tell from one line what is quoted.
                return (!line.contains(&b'\'')).then(|| text.to_vec());
            }
            let end = closing(line, at)?;
            let body = &line[at + 1..end];
            let single = quote == b'\'' && !body.contains(&b'"') && !body.contains(&b'\\');
            let sign = if single { b'"' } else { quote };
            out.push(sign);
            out.extend_from_slice(body);
            out.push(sign);
            at = end + 1;
        }
    }
    Some(out)
}

/// Where the string that begins at `at` ends.
fn closing(line: &[u8], at: usize) -> Option<usize> {
    let mut next = at + 1;
    while next < line.len() {
        match line[next] {
            b'\\' => next += 2,
            b if b == line[at] => return Some(next),
            _ => next += 1,
        }
    }
    None
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
        let mixed = double_quoted(b"moor('a', '\"', \"it's\", 'c\\'d')\n");
        assert_eq!(
            mixed,
            Some(b"moor(\"a\", '\"', \"it's\", 'c\\'d')\n".to_vec())
        );
    }
}
