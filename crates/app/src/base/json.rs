//! JSON as the commands print it: nothing in it can garble a terminal.

use crate::base::safe_text::is_unsafe;
use serde::Serialize;

/// A value as indented JSON. Control, direction and invisible characters of its texts are written as
/// `\u` escapes, so that it reads back to the same texts.
///
/// # Errors
/// If the value cannot be written as JSON.
pub fn json_text(value: &impl Serialize) -> serde_json::Result<String> {
    let text = serde_json::to_string_pretty(value)?;
    if !text.chars().any(escaped) {
        return Ok(text);
    }
    let mut out = String::with_capacity(text.len() + 64);
    for c in text.chars() {
        match escaped(c) {
            true => {
                let mut units = [0; 2];
                for unit in c.encode_utf16(&mut units) {
                    out.push_str(&format!("\\u{unit:04x}"));
                }
            }
            false => out.push(c),
        }
    }
    Ok(out)
}

/// Such characters stand in strings only, where an escape means the same; newlines stand between values.
fn escaped(c: char) -> bool {
    c != '\n' && is_unsafe(c)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_garbles_a_terminal_is_escaped_and_reads_back() {
        let text = "a\u{9b}31m \u{202e}b\u{2066} \u{1b}[0m é 漢 \u{e0041} \u{feff}";
        let json = json_text(&vec![text]).unwrap();
        assert!(json.is_ascii() || !json.chars().any(escaped), "{json}");
        assert!(
            json.contains("\\u009b") && json.contains("\\u202e") && json.contains("é 漢"),
            "{json}"
        );
        let back: Vec<String> = serde_json::from_str(&json).unwrap();
        assert_eq!(back, [text]);
    }
}
