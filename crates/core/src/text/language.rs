//! What is known of languages, in one table for all rules: words, signs and file names.
//!
//! Nothing here parses. A word counts in whatever language the file is: rules use it only where a
//! mistake makes them say less, or where what they say is proved by other means as well.

/// A word that begins a declaration.
struct Declaration {
    word: &'static [u8],
    /// Whether a row beginning with it stands by itself, whatever follows.
    begins: bool,
    /// Whether it has a body of its own that may stand anywhere among its like.
    has_body: bool,
}

const fn declaration(word: &'static str, begins: bool, has_body: bool) -> Declaration {
    Declaration {
        word: word.as_bytes(),
        begins,
        has_body,
    }
}

const DECLARATIONS: [Declaration; 23] = [
    declaration("def", true, true),
    declaration("class", true, true),
    declaration("fn", true, true),
    declaration("struct", true, true),
    declaration("enum", true, true),
    declaration("impl", true, true),
    declaration("trait", true, true),
    declaration("function", true, true),
    declaration("interface", false, true),
    declaration("async", true, false),
    declaration("pub", true, false),
    declaration("mod", true, false),
    declaration("use", true, false),
    declaration("import", true, false),
    declaration("from", true, false),
    declaration("export", true, false),
    declaration("const", true, false),
    declaration("let", true, false),
    declaration("var", true, false),
    declaration("static", true, false),
    declaration("public", true, false),
    declaration("private", true, false),
    declaration("type", true, false),
];

/// Whether a word begins what stands by itself.
pub(crate) fn begins_declaration(word: &[u8]) -> bool {
    DECLARATIONS.iter().any(|d| d.begins && d.word == word)
}

/// Whether a word begins a declaration with a body of its own.
pub(crate) fn has_body(word: &[u8]) -> bool {
    DECLARATIONS.iter().any(|d| d.has_body && d.word == word)
}

/// Where the names are that a line brings in.
#[derive(Clone, Copy)]
enum Names {
    /// No difference is made between them.
    Unknown,
    /// Between braces.
    Braces,
    /// From behind this to the end of the line.
    After(&'static str),
}

/// A way to bring names in.
struct Import {
    /// How the line begins.
    start: &'static str,
    /// The kind of list whose items such lines are, if they are kept in order.
    kind: Option<&'static str>,
    /// What else the line must hold to be an import by itself; `None` if it is none.
    whole: Option<&'static str>,
    names: Names,
}

const IMPORTS: [Import; 13] = [
    import("import ", Some("import "), Some(""), Names::Braces),
    import(
        "from ",
        Some("import "),
        Some(" import "),
        Names::After(" import "),
    ),
    import("use ", Some("use "), Some(""), Names::Braces),
    import("pub use ", Some("pub use "), None, Names::Braces),
    import("#include ", Some("#include "), Some(""), Names::Unknown),
    import("using ", Some("using "), None, Names::Unknown),
    import("mod ", Some("mod "), None, Names::Unknown),
    import("pub mod ", Some("pub mod "), None, Names::Unknown),
    import("require ", Some("require "), None, Names::Unknown),
    import("const ", None, Some(" = require("), Names::Unknown),
    import("var ", None, Some(" = require("), Names::Unknown),
    import("export {", None, None, Names::Braces),
    import("const {", None, None, Names::Braces),
];

const fn import(
    start: &'static str,
    kind: Option<&'static str>,
    whole: Option<&'static str>,
    names: Names,
) -> Import {
    Import {
        start,
        kind,
        whole,
        names,
    }
}

/// The ways to bring names in that a line may be one of.
fn imports_like(line: &[u8]) -> impl Iterator<Item = &'static Import> {
    let like = |import: &&Import| line.starts_with(import.start.as_bytes());
    IMPORTS.iter().filter(like)
}

/// Whether a line goes on in the next one.
fn goes_on(line: &[u8]) -> bool {
    matches!(line.last(), Some(b'(' | b'{' | b'\\' | b','))
}

/// Whether a line, without blanks around it, is a whole import.
pub(crate) fn is_import(line: &[u8]) -> bool {
    let whole = |what: &str| what.is_empty() || find(line, what).is_some();
    !goes_on(line) && imports_like(line).any(|import| import.whole.is_some_and(whole))
}

/// The kind of list that a line bringing names in is an item of; `Some(None)` if it is an import,
/// but not the whole of one.
pub(crate) fn import_kind(line: &[u8]) -> Option<Option<&'static str>> {
    let kind = imports_like(line).find_map(|import| import.kind)?;
    Some((!goes_on(line)).then_some(kind))
}

/// The bytes of a line in which it lists the names that it brings in.
pub(crate) fn import_names(line: &[u8]) -> Option<std::ops::Range<usize>> {
    imports_like(line).find_map(|import| match import.names {
        Names::Unknown => None,
        Names::Braces => Some(find(line, "{")? + 1..find(line, "}")?),
        Names::After(word) => Some(find(line, word)? + word.len()..line.len()),
    })
}

fn find(line: &[u8], wanted: &str) -> Option<usize> {
    let mut windows = line.windows(wanted.len());
    windows.position(|window| window == wanted.as_bytes())
}

/// Signs that begin a comment or, inside one, its next row.
const COMMENTS: [&[u8]; 6] = [b"#", b"//", b"/*", b"*", b"--", b"\"\"\""];

/// Whether a row, without its indentation, is a comment.
pub(crate) fn is_comment(row: &[u8]) -> bool {
    COMMENTS.iter().any(|sign| row.starts_with(sign))
}

/// Endings of files that hold data or prose: their rows mean what they say, not what is around.
const DATA: [&str; 9] = [
    "toml", "json", "yaml", "yml", "cfg", "ini", "md", "rst", "txt",
];

/// Whether a path names a file of data or prose.
pub(crate) fn is_data(path: &str) -> bool {
    let name = path.rsplit('/').next().unwrap_or_default();
    let ending = name.rsplit_once('.').map_or("", |(_, ending)| ending);
    DATA.contains(&ending)
}

/// Files that tools write to hold versions fast.
const LOCKS: [&str; 9] = [
    "Cargo.lock",
    "package-lock.json",
    "yarn.lock",
    "pnpm-lock.yaml",
    "poetry.lock",
    "Gemfile.lock",
    "composer.lock",
    "go.sum",
    "uv.lock",
];

/// Whether a path names a file that a tool writes to hold versions fast.
pub(crate) fn is_lock(path: &str) -> bool {
    let name = path.rsplit('/').next().unwrap_or_default();
    LOCKS.contains(&name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_word_and_each_beginning_is_in_the_table_once() {
        let words = DECLARATIONS.iter().map(|d| d.word);
        let starts = IMPORTS.iter().map(|import| import.start.as_bytes());
        let mut all: Vec<&[u8]> = words.chain(starts).chain(COMMENTS).collect();
        all.sort_unstable();
        assert!(all.windows(2).all(|pair| pair[0] != pair[1]), "{all:?}");
        let idle = |d: &&Declaration| !d.begins && !d.has_body;
        assert_eq!(DECLARATIONS.iter().filter(idle).count(), 0);
    }

    #[test]
    fn imports_are_told_from_what_only_begins_like_them() {
        for (line, whole, kind, names) in [
            ("import tide", true, Some("import "), None),
            (
                "from harbour import berth, tide",
                true,
                Some("import "),
                Some("berth, tide"),
            ),
            ("from there on", false, Some("import "), None),
            (
                "use harbour::{berth, tide};",
                true,
                Some("use "),
                Some("berth, tide"),
            ),
            ("use harbour::{", false, None, None),
            ("pub use tide::{Low};", false, Some("pub use "), Some("Low")),
            ("const { berth } = quay;", false, None, Some(" berth ")),
            ("const tide = require('tide');", true, None, None),
            ("const tide = 4;", false, None, None),
            ("important();", false, None, None),
        ] {
            let bytes = line.as_bytes();
            assert_eq!(is_import(bytes), whole, "{line}");
            assert_eq!(import_kind(bytes).flatten(), kind, "{line}");
            let found = import_names(bytes).map(|range| &line[range]);
            assert_eq!(found, names, "{line}");
        }
    }

    #[test]
    fn files_are_told_by_their_names() {
        assert!(is_data("config/prices.toml") && is_data("README.md"));
        assert!(!is_data("toml") && !is_data("src/toml.rs") && !is_data(""));
        assert!(is_lock("deep/Cargo.lock") && !is_lock("Cargo.lock.rs"));
        assert!(is_comment(b"// moor") && is_comment(b"* moor") && !is_comment(b"moor # the ship"));
    }
}
