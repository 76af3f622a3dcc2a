//! The tables in `docs/ARCHITECTURE.md` name items that exist.

use std::fs;
use std::path::{Path, PathBuf};

fn top() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// The rows of the table below a heading, by their cells.
fn table(heading: &str) -> Vec<Vec<String>> {
    let text = fs::read_to_string(top().join("docs/ARCHITECTURE.md")).unwrap();
    let section = text.split(&format!("\n## {heading}\n")).nth(1).unwrap();
    let section = section.split("\n## ").next().unwrap();
    let rows = section.lines().filter(|line| line.starts_with("| "));
    let cells = |row: &str| -> Vec<String> {
        let cells = row.trim_matches('|').split(" | ");
        cells
            .map(|cell| cell.trim().trim_matches('`').to_owned())
            .collect()
    };
    // The first row is the head of the table.
    rows.skip(1).map(cells).collect()
}

/// All sources of the crates below a folder.
fn sources(folder: &Path, out: &mut Vec<String>) {
    for file in fs::read_dir(folder).unwrap().flatten() {
        let path = file.path();
        if path.is_dir() {
            sources(&path, out);
        } else if path.extension().is_some_and(|end| end == "rs") {
            out.push(fs::read_to_string(path).unwrap());
        }
    }
}

/// Whether a source defines an item of a name.
fn defines(source: &str, name: &str) -> bool {
    let kinds = ["fn", "struct", "enum", "trait", "type", "const", "static"];
    kinds.iter().any(|kind| {
        let head = format!("{kind} {name}");
        source.match_indices(&head).any(|(at, _)| {
            let next = source[at + head.len()..].chars().next();
            next.is_some_and(|c| !c.is_alphanumeric() && c != '_')
        })
    })
}

#[test]
fn every_term_of_the_glossary_has_its_type() {
    let mut all = Vec::new();
    for name in ["core", "syntax", "git", "draw", "app"] {
        sources(&top().join("crates").join(name).join("src"), &mut all);
    }
    let rows = table("Glossary");
    assert!((30..=40).contains(&rows.len()), "{} terms", rows.len());
    for row in rows {
        let found = all.iter().any(|source| defines(source, &row[1]));
        assert!(found, "{}: no type {}", row[0], row[1]);
    }
}

#[test]
fn every_behaviour_is_where_the_table_says() {
    let rows = table("Where is …");
    assert!(rows.len() >= 30, "{} behaviours", rows.len());
    for row in rows {
        let file = top().join("crates").join(&row[1]);
        let source = fs::read_to_string(&file).unwrap_or_default();
        assert!(
            defines(&source, &row[2]),
            "{}: no {} in {}",
            row[0],
            row[2],
            row[1]
        );
    }
}
