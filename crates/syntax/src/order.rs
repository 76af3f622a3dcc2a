//! Whether the place of a line among its neighbours has a meaning, and which parts of a line are
//! independent of each other: one table of node kinds for all languages.

use crate::facts::with_tree;
use crate::language::Language;
use crate::node_kinds::{NodeKind, NodeKinds};
use crate::trees::PARSED_BYTES;
use armistice_core::{Position, Source};
use std::ops::Range;
use tree_sitter::Node;

/// Returns for each line whether its place has a meaning; `None` if the text cannot be parsed.
///
/// It is that of the outermost known node that begins with the line; blank lines are free.
pub fn positions(language: Language, text: &Source) -> Option<Vec<Position>> {
    if text.bytes().len() > PARSED_BYTES {
        return None;
    }
    with_tree(language, text.bytes(), |root| read(root, language, text))
}

fn read(root: Node<'_>, language: Language, text: &Source) -> Vec<Position> {
    let kinds = NodeKinds::of_language(language);
    let first: Vec<Option<usize>> = text
        .lines(text.all())
        .map(|line| line.bytes().iter().position(|b| !b.is_ascii_whitespace()))
        .collect();
    let position = |at: &Option<usize>| at.map_or(Position::Free, |_| Position::Unknown);
    let mut found: Vec<Position> = first.iter().map(position).collect();
    let mut around: Vec<Node<'_>> = Vec::new();
    // Where the last node begins, and the position of the outermost known node that begins there.
    let (mut begin, mut known) = (usize::MAX, Position::Unknown);
    let mut cursor = root.walk();
    loop {
        let node = cursor.node();
        let (start, end) = (node.start_position(), node.end_position());
        let begins_line = first.get(start.row) == Some(&Some(start.column));
        // What is inside of one line begins no other line.
        let matters = (begins_line || end.row > start.row) && node.end_byte() > node.start_byte();
        // The root is no line's own node: in Python it is called a module too.
        if matters && !around.is_empty() {
            if begin != node.start_byte() {
                (begin, known) = (node.start_byte(), Position::Unknown);
            }
            let kind = kinds.of(node);
            if kind.is_comment {
                known = Position::Free;
            } else if known == Position::Unknown {
                known = of_node((node, kind), &around, kinds, text.bytes());
            }
            if begins_line {
                found[start.row] = known;
            }
        }
        if matters && cursor.goto_first_child() {
            around.push(node);
            continue;
        }
        // Lines inside of one token, such as those of a long string, belong to it.
        let inside = start.row + 1..end.row + usize::from(end.column > 0);
        for row in inside {
            if first.get(row).is_some_and(Option::is_some) {
                found[row] = known;
            }
        }
        while !cursor.goto_next_sibling() {
            if !cursor.goto_parent() {
                return found;
            }
            around.pop();
        }
    }
}

/// The position of a line that begins with a node; `around` are the nodes that it is in, from the root on.
fn of_node(
    (node, kind): (Node<'_>, NodeKind),
    around: &[Node<'_>],
    kinds: &NodeKinds,
    bytes: &[u8],
) -> Position {
    let parent = around.last().map(|parent| kinds.of(*parent));
    let parent = parent.unwrap_or_default();
    // In Python a member of an object is called an attribute too.
    let is_of_tag = parent.is_tag && kind.is_attribute_or_member;
    let is_valued = || node.child_by_field_name("value").is_some();
    if kind.is_enum_member || node.is_named() && parent.holds_enum {
        return match is_valued() {
            true => Position::Free,
            false => Position::Ordered,
        };
    }
    if kind.is_ordered || kind.is_import_statement && has_effect(node) {
        return Position::Ordered;
    }
    if kind.is_free
        || is_of_tag
        || parent.is_set
        || parent.is_list_or_tuple && is_public_name(node, around, bytes)
    {
        return Position::Free;
    }
    Position::Unknown
}

/// Whether an import binds no name: it is there for what it does.
fn has_effect(node: Node<'_>) -> bool {
    let is_string = |child: Node<'_>| child.kind() == "string";
    node.named_child(0).is_some_and(is_string)
}

/// Whether an item of a list is one of Python's public names.
fn is_public_name(node: Node<'_>, around: &[Node<'_>], bytes: &[u8]) -> bool {
    let [.., assignment, _] = around else {
        return false;
    };
    let left = assignment.child_by_field_name("left");
    let left = left.filter(|_| node.is_named());
    left.is_some_and(|left| bytes.get(left.byte_range()) == Some(b"__all__"))
}

/// Returns whether two edits inside one line are in different parts of something whose parts do not
/// depend on each other: members by key, arguments by keyword, attributes, imported names.
///
/// The edits are ranges of bytes of the text. `None` if the text cannot be parsed.
pub fn are_independent(
    language: Language,
    text: &Source,
    edits: [Range<usize>; 2],
) -> Option<bool> {
    if text.bytes().len() > PARSED_BYTES {
        return None;
    }
    with_tree(language, text.bytes(), |root| {
        let kinds = NodeKinds::of_language(language);
        let from = edits[0].start.min(edits[1].start);
        let to = edits[0].end.max(edits[1].end);
        let Some(node) = root.named_descendant_for_byte_range(from, to) else {
            return false;
        };
        let part = |edit: &Range<usize>| {
            let mut cursor = node.walk();
            let children = node.named_children(&mut cursor);
            children
                .into_iter()
                .find(|child| child.start_byte() <= edit.start && edit.end <= child.end_byte())
        };
        let (one, other) = (part(&edits[0]), part(&edits[1]));
        let is_apart = one.map(|node| node.id()) != other.map(|node| node.id());
        let by_keyword =
            |part: Option<Node<'_>>| part.is_some_and(|part| part.kind() == "keyword_argument");
        let by_name = matches!(node.kind(), "argument_list" | "arguments")
            && by_keyword(one)
            && by_keyword(other);
        is_apart && (kinds.of(node).has_independent_parts || by_name)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_place_of_a_line_has_a_meaning_or_none() {
        use Position::{Free, Ordered, Unknown};
        for (path, text, wanted) in [
            (
                "a.rs",
                "use a::b;\nfn c() {}\nenum D {\n    E,\n    F = 3,\n}\n",
                vec![Free, Free, Free, Ordered, Free, Unknown],
            ),
            (
                "a.py",
                "import a\nb = 1\ndef c(): pass\n",
                vec![Free, Ordered, Free],
            ),
            (
                "a.py",
                "__all__ = [\n    'a',\n]\nb = [\n    'a',\n]\n",
                vec![Ordered, Free, Unknown, Ordered, Unknown, Unknown],
            ),
            (
                "a.js",
                "import './a.css';\nimport {b} from './b';\nf();\n",
                vec![Ordered, Free, Ordered],
            ),
            ("a.py", "b = 1\n", vec![Ordered]),
            (
                "a.py",
                "x = [\n    a.b,\n]\n",
                vec![Ordered, Unknown, Unknown],
            ),
            ("a.css", ".a { color: red }\n", vec![Ordered]),
            ("a.json", "{\n  \"a\": 1\n}\n", vec![Unknown, Free, Unknown]),
            (
                "A.java",
                "enum A {\n    B,\n    C\n}\n",
                vec![Free, Ordered, Ordered, Unknown],
            ),
        ] {
            let found = positions(Language::of(path).unwrap(), &Source::from(text)).unwrap();
            assert_eq!(found, wanted, "{path}: {text}");
        }
    }

    #[test]
    fn parts_by_key_are_independent_and_operands_are_not() {
        let of = |path: &str, text: &str, one: &str, other: &str| {
            let range = |part: &str| {
                let at = text.find(part).unwrap();
                at..at + part.len()
            };
            let language = Language::of(path).unwrap();
            are_independent(language, &Source::from(text), [range(one), range(other)]).unwrap()
        };
        assert!(of("a.py", "f(a=1, b=2)\n", "1", "2"));
        assert!(!of("a.py", "f(1, 2)\n", "1", "2"));
        assert!(!of("a.py", "x = a + b\n", "a", "b"));
        assert!(of("a.js", "x = {a: 1, b: 2};\n", "1", "2"));
        assert!(of("a.rs", "use a::{b, c};\n", "b", "c"));
        assert!(!of("a.js", "x = {a: y * z};\n", "y", "z"));
    }
}
