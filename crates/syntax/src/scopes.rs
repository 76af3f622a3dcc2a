//! The blocks that each line of a text is in.

use crate::language::Language;
use crate::node_kinds::NodeKinds;
use crate::trees::{self, PARSED_BYTES};
use armistice_core::{Scopes, Source};
use tree_sitter::Node;

/// Returns for each line the first lines of the nodes that it is in; `None` if the text is too large,
/// takes too long to parse, or has errors: blocks around an error are guesses.
///
/// ```
/// use armistice_syntax::{Language, scopes};
/// let text = "for a in b:\n    if a:\n        moor(\n            a)\npay()\n".into();
/// let scopes = scopes(Language::Python, &text).unwrap();
/// assert_eq!(scopes.of(2), Some(&[0, 1][..]));
/// assert_eq!(scopes.of(3), Some(&[0, 1, 2][..]));
/// assert_eq!(scopes.of(4), Some(&[][..]));
/// ```
pub fn scopes(language: Language, text: &Source) -> Option<Scopes> {
    if text.bytes().len() > PARSED_BYTES {
        return None;
    }
    let parsed = trees::parsed(language, text.bytes())?;
    let read = || read(parsed.tree.root_node(), language, text);
    parsed.scopes.get_or_init(read).clone()
}

fn read(root: Node<'_>, language: Language, text: &Source) -> Option<Scopes> {
    if root.has_error() {
        return None;
    }
    let kinds = NodeKinds::of_language(language);
    let first: Vec<Option<usize>> = text
        .lines(text.all())
        .map(|line| line.bytes().iter().position(|b| !b.is_ascii_whitespace()))
        .collect();
    let mut headers: Vec<Option<Vec<u32>>> = vec![None; first.len()];
    let mut seen = vec![false; first.len()];
    // The rows in which the nodes on the way down begin, without repetitions.
    let mut open: Vec<u32> = Vec::new();
    let mut above: Vec<usize> = Vec::new();
    let mut cursor = root.walk();
    loop {
        let node = cursor.node();
        let start = node.start_position();
        let is_first = first
            .get(start.row)
            .is_some_and(|at| *at == Some(start.column));
        if is_first && !seen[start.row] {
            seen[start.row] = true;
            let row = start.row as u32;
            let is_comment = node.is_extra() || kinds.of(node).is_comment;
            let chain = open.iter().copied().filter(|header| *header < row);
            headers[start.row] = (!is_comment).then(|| chain.collect());
        }
        // What is inside of one line begins no other line.
        let spans_lines = node.end_position().row > start.row;
        if spans_lines && cursor.goto_first_child() {
            let is_root = above.is_empty();
            above.push(open.len());
            if !is_root && !is_list(node) && open.last() != Some(&(start.row as u32)) {
                open.push(start.row as u32);
            }
            continue;
        }
        while !cursor.goto_next_sibling() {
            if !cursor.goto_parent() {
                return Some(Scopes::new(with_inner_lines(headers, &first, &seen)));
            }
            open.truncate(above.pop().unwrap_or(0));
        }
    }
}

/// Whether a node is only a list of what begins with it, such as the statements of a block without
/// braces: its first line is one of them, and no header.
fn is_list(node: Node<'_>) -> bool {
    // A section of Markdown begins with its heading.
    if node.kind() == "section" {
        return false;
    }
    let mut node = node;
    while node.named_child_count() == 1
        && let Some(only) = node.named_child(0)
        && only.byte_range() == node.byte_range()
    {
        node = only;
    }
    let (start, first, second) = (
        node.start_position(),
        node.named_child(0).map(|child| child.start_position()),
        node.named_child(1).map(|child| child.start_position()),
    );
    first == Some(start)
        && second.is_some_and(|second| second.row > start.row && second.column == start.column)
}

/// Gives lines inside of one token, such as those of a long string, the headers of the line before.
fn with_inner_lines(
    mut headers: Vec<Option<Vec<u32>>>,
    first: &[Option<usize>],
    seen: &[bool],
) -> Vec<Option<Vec<u32>>> {
    for row in 1..headers.len() {
        if first[row].is_some() && !seen[row] {
            headers[row] = headers[row - 1].clone();
        }
    }
    headers
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(path: &str, text: &str) -> Vec<Option<Vec<u32>>> {
        let source = Source::from(text);
        let scopes = scopes(Language::of(path).unwrap(), &source).unwrap();
        let rows = 0..source.len() as u32;
        rows.map(|row| scopes.of(row).map(<[u32]>::to_vec))
            .collect()
    }

    #[test]
    fn lines_are_in_the_blocks_that_the_language_says() {
        let python = "class A:\n    def b(self):\n        x = 1\n\n    # c\n    y = 2\n";
        let (class, function) = (Some(vec![0]), Some(vec![0, 1]));
        assert_eq!(
            of("a.py", python),
            [Some(vec![]), class.clone(), function, None, None, class]
        );
        let rust = "fn a() {\nif b {\nc();\n} else {\nd();\n}\n}\n";
        let found = of("a.rs", rust);
        assert_eq!(found[2], Some(vec![0, 1]));
        assert_eq!(found[4], Some(vec![0, 1, 3]));
        let yaml = "a:\n  b:\n    - c\n  d: 1\n";
        let found = of("a.yaml", yaml);
        assert_eq!(
            (found[2].as_deref(), found[3].as_deref()),
            (Some(&[0, 1][..]), Some(&[0][..]))
        );
    }

    #[test]
    fn a_text_with_errors_has_no_scopes() {
        assert_eq!(scopes(Language::Rust, &"fn a( {\n".into()), None);
    }
}
