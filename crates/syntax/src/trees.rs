//! Parse trees, each made once: the last ones are kept by the contents of their texts.

use crate::language::Language;
use armistice_core::{LineRange, Outline, Scopes, SyntaxFacts, changed_lines};
use std::cell::RefCell;
use std::collections::VecDeque;
use std::collections::hash_map::RandomState;
use std::hash::BuildHasher;
use std::ops::ControlFlow;
use std::sync::{Arc, LazyLock, Mutex, MutexGuard, OnceLock};
use tree_sitter::{InputEdit, ParseOptions, ParseState, Parser, Point, Tree};

/// Work after which a text counts as one that the parser does not cope with, in steps that the parser
/// itself counts: two megabytes of code take 27,000 to 40,000, at 13 to 18 steps a millisecond. The
/// limit is work, not time, so that a busy machine gives the same answers.
pub const PARSE_STEPS: usize = 50_000;

/// The largest text that is parsed, in bytes: larger files are data, and parsing takes a second for
/// every few megabytes.
pub const PARSED_BYTES: usize = 2_000_000;

/// Bytes of the texts whose trees are kept: the versions and results of a few files.
const KEPT_BYTES: usize = 8_000_000;
/// Trees that are kept at most.
const KEPT_TREES: usize = 64;

thread_local! {
    /// One for all texts that a thread parses: what it needs for its work is made ready once.
    static PARSER: RefCell<Parser> = RefCell::new(Parser::new());
    /// The last text that was parsed like another: the results of one merge are more like each other than
    /// like any version.
    static LAST: RefCell<Option<Alike>> = const { RefCell::new(None) };
}

/// A text that was parsed like another.
struct Alike {
    /// The other.
    like: Key,
    bytes: Vec<u8>,
    text: Arc<ParsedText>,
}

/// What is kept of a text: its language, its length, and two hashes with random keys.
type Key = (Language, usize, [u64; 2]);

/// A text that was parsed, and what was read from its tree so far.
pub(crate) struct ParsedText {
    pub(crate) tree: Tree,
    pub(crate) outline: OnceLock<Outline>,
    pub(crate) scopes: OnceLock<Option<Scopes>>,
    pub(crate) facts: OnceLock<SyntaxFacts>,
}

#[derive(Default)]
struct Kept {
    /// The last one used is at the end. No tree where parsing took too much work.
    trees: VecDeque<(Key, Option<Arc<ParsedText>>)>,
    bytes: usize,
}

static KEPT: LazyLock<Mutex<Kept>> = LazyLock::new(Mutex::default);
static HASHERS: LazyLock<[RandomState; 2]> = LazyLock::new(Default::default);

/// Parses a text; `None` if that takes more than [`PARSE_STEPS`].
pub(crate) fn parsed(language: Language, bytes: &[u8]) -> Option<Arc<ParsedText>> {
    let key = key(language, bytes);
    if let Some(found) = find(&key) {
        return found;
    }
    let tree = PARSER.with_borrow_mut(|parser| parse(parser, language, bytes, None));
    keep(key, tree)
}

/// Parses a text that has most of its lines in common with another, whose tree is reused. Later uses of
/// the text find it parsed.
///
/// The tree is the one that a parse from the start makes: a text with errors, where reuse could lead to another
/// tree, is parsed from the start.
pub fn parse_like(language: Language, bytes: &[u8], like: &[u8]) {
    let key = key(language, bytes);
    if bytes.len().max(like.len()) > PARSED_BYTES || find(&key).is_some() {
        return;
    }
    let like_key = self::key(language, like);
    let last = LAST.take().filter(|last| last.like == like_key);
    let (old, known) = match &last {
        Some(last) => (&*last.bytes, Arc::clone(&last.text)),
        None => {
            let known = parsed(language, like).filter(|known| !known.tree.root_node().has_error());
            let Some(known) = known else {
                return;
            };
            (like, known)
        }
    };
    let mut edited = known.tree.clone();
    for edit in edits(old, bytes).iter().rev() {
        edited.edit(edit);
    }
    let tree = PARSER.with_borrow_mut(|parser| parse(parser, language, bytes, Some(&edited)));
    let tree = tree.filter(|tree| !tree.root_node().has_error());
    let text = tree.and_then(|tree| keep(key, Some(tree)));
    let alike = text.map(|text| Alike {
        like: like_key,
        bytes: bytes.to_vec(),
        text,
    });
    LAST.set(alike.or(last));
}

/// The changed lines between two texts, in order; each counts in a text in which those after it were
/// made already.
fn edits(old: &[u8], new: &[u8]) -> Vec<InputEdit> {
    let lines = |text| -> Vec<&[u8]> { <[u8]>::split_inclusive(text, |b| *b == b'\n').collect() };
    let (old, new) = (lines(old), lines(new));
    let (mut at, mut byte) = (0, 0);
    let mut bytes_to = |row: usize| {
        byte += old[at..row].iter().map(|line| line.len()).sum::<usize>();
        at = row;
        byte
    };
    // A last line without a line end goes on to where it ends.
    let end = |from: usize, lines: &[&[u8]]| match lines.last() {
        Some(last) if !last.ends_with(b"\n") => Point::new(from + lines.len() - 1, last.len()),
        _ => Point::new(from + lines.len(), 0),
    };
    let edit = |(was, is): (LineRange, LineRange)| {
        let (was, is) = (
            was.start.0 as usize..was.end.0 as usize,
            is.start.0 as usize..is.end.0 as usize,
        );
        let start_byte = bytes_to(was.start);
        let old_end_byte = bytes_to(was.end);
        let inserted: usize = new[is.clone()].iter().map(|line| line.len()).sum();
        InputEdit {
            start_byte,
            old_end_byte,
            new_end_byte: start_byte + inserted,
            start_position: Point::new(was.start, 0),
            old_end_position: end(was.start, &old[was.clone()]),
            new_end_position: end(was.start, &new[is]),
        }
    };
    changed_lines(&old, &new).into_iter().map(edit).collect()
}

/// What is kept of a text.
fn find(key: &Key) -> Option<Option<Arc<ParsedText>>> {
    let mut kept = kept();
    let at = kept.trees.iter().rposition(|(known, _)| known == key)?;
    let found = kept.trees.remove(at)?;
    let text = found.1.clone();
    kept.trees.push_back(found);
    Some(text)
}

fn keep(key: Key, tree: Option<Tree>) -> Option<Arc<ParsedText>> {
    let text = tree.map(|tree| {
        Arc::new(ParsedText {
            tree,
            outline: OnceLock::new(),
            scopes: OnceLock::new(),
            facts: OnceLock::new(),
        })
    });
    let mut kept = kept();
    kept.bytes += key.1;
    kept.trees.push_back((key, text.clone()));
    while kept.trees.len() > KEPT_TREES || kept.bytes > KEPT_BYTES && kept.trees.len() > 1 {
        let dropped = kept.trees.pop_front();
        kept.bytes -= dropped.map_or(0, |((_, length, _), _)| length);
    }
    text
}

fn key(language: Language, bytes: &[u8]) -> Key {
    let hashes = [0, 1].map(|nth: usize| HASHERS[nth].hash_one(bytes));
    (language, bytes.len(), hashes)
}

fn kept() -> MutexGuard<'static, Kept> {
    match KEPT.lock() {
        Ok(kept) => kept,
        // A thread that panicked while it held the lock left whole entries behind.
        Err(poisoned) => poisoned.into_inner(),
    }
}

fn parse(
    parser: &mut Parser,
    language: Language,
    bytes: &[u8],
    old: Option<&Tree>,
) -> Option<Tree> {
    // After a text that took too much work, the parser would go on with that one.
    parser.reset();
    parser.set_language(&language.grammar()).ok()?;
    let mut steps = 0;
    let mut in_budget = |_: &ParseState| {
        steps += 1;
        if steps > PARSE_STEPS {
            ControlFlow::Break(())
        } else {
            ControlFlow::Continue(())
        }
    };
    let options = ParseOptions::new().progress_callback(&mut in_budget);
    let mut read = |at: usize, _| bytes.get(at..).unwrap_or_default();
    parser.parse_with_options(&mut read, old, Some(options))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_tree_that_was_reused_is_the_tree_of_the_text() {
        let base = "use a::b;\n\nfn moor(ship: Ship) {\n    check(&ship);\n    pay();\n}\n\nfn pay() {\n    book();\n}\n";
        let python = "import a\n\n\ndef moor(ship):\n    check(ship)\n    if ship:\n        pay()\n\n\ndef pay():\n    book()\n";
        let html = "<ul>\n  <li>quay</li>\n  <li>mole\n</ul>\n<p>tide</p>\n";
        let yaml = "quay:\n  berths:\n    - one\n    - two\nmole: 1";
        let json = "{\n  \"quay\": [\n    1,\n    2\n  ],\n  \"mole\": 3\n}\n";
        let markdown = "# Quay\n\nOne\n\n- a\n- b\n\n## Mole\n\nTwo\n";
        let mut checked = 0;
        for (language, text) in [
            (Language::Rust, base),
            (Language::Python, python),
            (Language::Html, html),
            (Language::Yaml, yaml),
            (Language::Json, json),
            (Language::Markdown, markdown),
        ] {
            let lines: Vec<&str> = text.split_inclusive('\n').collect();
            for from in 0..lines.len() {
                for to in 0..lines.len() {
                    // A line moved, doubled, or taken out, and another indented.
                    let mut moved = lines.clone();
                    let line = moved.remove(from);
                    let taken = moved.concat();
                    moved.insert(to, line);
                    let mut doubled = lines.clone();
                    doubled.insert(to, line);
                    let indented = doubled.concat().replacen(line, &format!("  {line}"), 1);
                    for new in [taken, moved.concat(), doubled.concat(), indented] {
                        let full = |bytes: &[u8]| {
                            PARSER.with_borrow_mut(|parser| parse(parser, language, bytes, None))
                        };
                        let expected = full(new.as_bytes()).unwrap();
                        let mut edited = full(text.as_bytes()).unwrap();
                        for edit in edits(text.as_bytes(), new.as_bytes()).iter().rev() {
                            edited.edit(edit);
                        }
                        let found = PARSER.with_borrow_mut(|parser| {
                            parse(parser, language, new.as_bytes(), Some(&edited))
                        });
                        let found = found.unwrap();
                        if found.root_node().has_error() {
                            continue;
                        }
                        checked += 1;
                        let same = |tree: &Tree| (tree.root_node().to_sexp(), ends(tree));
                        assert_eq!(same(&found), same(&expected), "{new}");
                        // The text before it is the one whose tree is reused now.
                        parse_like(language, new.as_bytes(), text.as_bytes());
                        let kept = parsed(language, new.as_bytes()).unwrap();
                        assert_eq!(same(&kept.tree), same(&expected), "{new}");
                    }
                }
            }
        }
        assert!(checked > 1000, "{checked}");
    }

    /// Where each node ends.
    fn ends(tree: &Tree) -> Vec<Point> {
        let mut found = Vec::new();
        let mut stack = vec![tree.root_node()];
        while let Some(node) = stack.pop() {
            found.push(node.end_position());
            stack.extend((0..node.child_count()).filter_map(|nth| node.child(nth)));
        }
        found
    }

    #[test]
    fn a_text_is_parsed_once_and_equal_lengths_are_told_apart() {
        let text = b"fn only_in_this_test() { moor(); }\n";
        let same = |text: &[u8]| {
            let text = parsed(Language::Rust, text).unwrap();
            text.tree.root_node().to_sexp()
        };
        let first = same(text);
        let copy = text.to_vec();
        assert_eq!(same(&copy), first);
        let times_kept = |text: &[u8]| {
            let key = key(Language::Rust, text);
            let kept = kept();
            kept.trees.iter().filter(|(known, _)| *known == key).count()
        };
        assert_eq!(times_kept(text), 1);
        let other = b"fn only_in_this_test() { moor() ;}\n";
        assert_eq!(other.len(), text.len());
        assert_ne!(key(Language::Rust, other), key(Language::Rust, text));
        same(other);
        assert_eq!((times_kept(text), times_kept(other)), (1, 1));
    }
}
