//! Phrases that the reasons of rules are composed of.

/// A label as an owner: "main's", "theirs'".
pub(crate) fn whose(label: &str) -> String {
    let end = if label.ends_with('s') { "'" } else { "'s" };
    format!("{label}{end}")
}

pub(crate) fn lines(n: usize) -> String {
    match n {
        1 => "1 line".to_owned(),
        n => format!("{n} lines"),
    }
}
