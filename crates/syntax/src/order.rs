//! Whether the place of a line among its neighbours has a meaning, and which parts of a line are
//! independent of each other: one table of node kinds for all languages.

use crate::facts::with_tree;
use crate::language::Language;
use crate::trees::PARSED_BYTES;
use armistice_core::{Position, Source};
use std::ops::Range;
use tree_sitter::Node;

/// What may stand in any order: declarations that are found by name, members by key, imports by name.
const FREE: [&str; 56] = [
    "annotation_type_declaration",
    "block_mapping_pair",
    "class",
    "class_declaration",
    "class_definition",
    "class_specifier",
    "const_item",
    "constructor_declaration",
    "decorated_definition",
    "enum_declaration",
    "enum_item",
    "export_specifier",
    "field_initializer",
    "flow_pair",
    "function_declaration",
    "function_definition",
    "function_item",
    "impl_item",
    "import_declaration",
    "import_from_statement",
    "import_spec",
    "import_specifier",
    "import_statement",
    "interface_declaration",
    "jsx_attribute",
    "keyed_element",
    "keyword_argument",
    "method",
    "method_declaration",
    "method_definition",
    "method_signature",
    "mod_item",
    "module",
    "namespace_definition",
    "namespace_use_declaration",
    "pair",
    "preproc_include",
    "property_declaration",
    "property_signature",
    "record_declaration",
    "shorthand_field_initializer",
    "singleton_method",
    "static_item",
    "struct_item",
    "struct_specifier",
    "table",
    "table_array_element",
    "trait_declaration",
    "trait_item",
    "type_alias_declaration",
    "type_declaration",
    "type_item",
    "union_item",
    "use_declaration",
    "using_directive",
    "generator_function_declaration",
];

/// What runs, counts or overrides in the order in which it stands.
const ORDERED: [&str; 35] = [
    "assignment",
    "break_statement",
    "call",
    "command",
    "continue_statement",
    "do_statement",
    "enum_assignment",
    "enum_case",
    "enum_constant",
    "enum_member_declaration",
    "enum_variant",
    "enumerator",
    "expression_statement",
    "for_in_statement",
    "for_statement",
    "if_statement",
    "keyframes_statement",
    "let_declaration",
    "lexical_declaration",
    "local_variable_declaration",
    "media_statement",
    "pipeline",
    "redirected_statement",
    "return_statement",
    "rule_set",
    "short_var_declaration",
    "supports_statement",
    "switch_statement",
    "throw_statement",
    "try_statement",
    "variable_assignment",
    "variable_declaration",
    "while_statement",
    "with_statement",
    "yield_statement",
];

/// What parts that do not depend on each other are in.
const INDEPENDENT: [&str; 21] = [
    "block_mapping",
    "dictionary",
    "export_clause",
    "field_initializer_list",
    "flow_mapping",
    "import_clause",
    "import_from_statement",
    "import_list",
    "jsx_opening_element",
    "jsx_self_closing_element",
    "literal_value",
    "named_imports",
    "object",
    "object_pattern",
    "selectors",
    "self_closing_tag",
    "set",
    "start_tag",
    "token_tree",
    "union_type",
    "use_list",
];

/// Returns for each line whether its place has a meaning; `None` if the text cannot be parsed.
///
/// It is that of the outermost known node that begins with the line; blank lines are free.
pub fn positions(language: Language, text: &Source) -> Option<Vec<Position>> {
    if text.bytes().len() > PARSED_BYTES {
        return None;
    }
    with_tree(language, text.bytes(), |root| read(root, text))
}

fn read(root: Node<'_>, text: &Source) -> Vec<Position> {
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
            if node.kind().contains("comment") {
                known = Position::Free;
            } else if known == Position::Unknown {
                known = of_node(node, &around, text.bytes());
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
fn of_node(node: Node<'_>, around: &[Node<'_>], bytes: &[u8]) -> Position {
    let parent = around.last().map_or("", |parent| parent.kind());
    // In Python a member of an object is called an attribute too.
    let is_of_tag = node.kind() == "attribute" && parent.ends_with("_tag");
    let is_known = node.is_named() && FREE.contains(&node.kind()) || is_of_tag;
    let is_valued = || node.child_by_field_name("value").is_some();
    if is_enum_member(node, parent) {
        return match is_valued() {
            true => Position::Free,
            false => Position::Ordered,
        };
    }
    if is_ordered(node) {
        return Position::Ordered;
    }
    if is_known || parent == "set" || is_public_name(node, around, bytes) {
        return Position::Free;
    }
    Position::Unknown
}

/// Whether a node is a member of an enumeration.
fn is_enum_member(node: Node<'_>, parent: &str) -> bool {
    let of_enum = matches!(parent, "enum_body" | "enum_declaration_list");
    let kinds = [
        "enumerator",
        "enum_variant",
        "enum_assignment",
        "enum_member_declaration",
    ];
    node.is_named() && (of_enum || kinds.contains(&node.kind()))
}

/// Whether a node runs, counts or overrides in the order in which it stands.
fn is_ordered(node: Node<'_>) -> bool {
    // An import that binds no name is there for what it does.
    let is_string = |child: Node<'_>| child.kind() == "string";
    let has_effect =
        node.kind() == "import_statement" && node.named_child(0).is_some_and(is_string);
    has_effect || ORDERED.contains(&node.kind())
}

/// Whether a node is an item of Python's list of public names.
fn is_public_name(node: Node<'_>, around: &[Node<'_>], bytes: &[u8]) -> bool {
    let [.., assignment, list] = around else {
        return false;
    };
    let is_item = node.is_named() && matches!(list.kind(), "list" | "tuple");
    let left = assignment.child_by_field_name("left").filter(|_| is_item);
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
        is_apart && (INDEPENDENT.contains(&node.kind()) || by_name)
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
