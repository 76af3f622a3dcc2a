//! The names that a line gives to something: what it imports, declares or sets.

use crate::merge::list_items::entry_name;
use crate::text::language::{begins_declaration, has_body, import_names, is_import};
use crate::text::tokens::{is_name, solid_tokens};

/// The names that a line, without blanks around it, brings in, declares or gives a value.
pub(crate) fn given_names(line: &[u8]) -> Vec<Vec<u8>> {
    if let Some(range) = import_names(line) {
        let names = line.get(range).unwrap_or_default();
        return names.split(|b| *b == b',').filter_map(local_name).collect();
    }
    let words: Vec<&[u8]> = solid_tokens(line).collect();
    if is_import(line) {
        // `import name from "there"`: only the name counts; else the whole line does.
        return match words.as_slice() {
            [b"import", name, b"from", ..] if is_name(name) => vec![name.to_vec()],
            _ => vec![words.concat()],
        };
    }
    let declares = |word: &&&[u8]| begins_declaration(word) || has_body(word);
    let before = words.iter().take_while(declares).count();
    if before > 0 && words[..before].iter().any(|w| has_body(w)) {
        let name = words.get(before).filter(|name| is_name(name));
        return name.map(|name| name.to_vec()).into_iter().collect();
    }
    entry_name(line).map(<[u8]>::to_vec).into_iter().collect()
}

/// What an imported name is called here: behind `as`, else its last part.
fn local_name(item: &[u8]) -> Option<Vec<u8>> {
    let words: Vec<&[u8]> = solid_tokens(item).collect();
    words.iter().rev().find(|w| is_name(w)).map(|w| w.to_vec())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_that_a_line_gives() {
        for (line, names) in [
            ("use a::{B, c::D, E as F};", &["B", "D", "F"][..]),
            ("from a import b, c as d", &["b", "d"]),
            ("import b from './b2'", &["b"]),
            ("#include <a.h>", &["#include<a.h>"]),
            ("pub fn moor(ship: Ship) {", &["moor"]),
            ("async function pay() {", &["pay"]),
            ("class Quay:", &["Quay"]),
            ("\"berth\": 4,", &["berth"]),
            ("let berth = quay;", &[]),
            ("moor(ship);", &[]),
        ] {
            let given = given_names(line.as_bytes());
            let given: Vec<_> = given.iter().map(|n| String::from_utf8_lossy(n)).collect();
            assert_eq!(given, names, "{line}");
        }
    }
}
