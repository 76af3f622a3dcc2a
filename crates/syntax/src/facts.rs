//! Parses a text and collects what is to be known of it.

use crate::language::Language;
use crate::names::{Around, Declared, Names};
use crate::trees::{self, PARSED_BYTES};
use armistice_core::{LineIdx, SyntaxError, SyntaxFacts};
use tree_sitter::Node;

/// How many errors of a text are distinguished: with more, the parser does not cope with it.
const ERRORS: usize = 200;

/// Parses a text; `None` if it is too large or takes too long.
///
/// ```
/// use armistice_syntax::{Language, facts};
/// let facts = facts(Language::Json, b"{\"a\": 1,\n \"b\": 2,\n \"a\": 3}\n").unwrap();
/// assert!(facts.errors.is_empty());
/// assert_eq!(facts.repeated[0].lines.len(), 2);
/// ```
pub fn facts(language: Language, bytes: &[u8]) -> Option<SyntaxFacts> {
    if bytes.len() > PARSED_BYTES {
        return None;
    }
    let text = trees::parsed(language, bytes)?;
    let read = || parsed(text.tree.root_node(), language, bytes);
    Some(text.facts.get_or_init(read).clone())
}

/// The names that each line declares or brings in, in order; `None` if the text is too large or takes
/// too long to parse. What stands inside of bodies of functions is left out.
///
/// ```
/// use armistice_syntax::{Language, declared};
/// let names = declared(Language::Rust, b"use quay::Berth;\n\nfn moor() {}\n").unwrap();
/// let names: Vec<_> = names.iter().map(|d| (d.line.number(), d.kind, d.name.as_str())).collect();
/// assert_eq!(names, [(1, "import", "Berth"), (3, "function", "moor")]);
/// ```
pub fn declared(language: Language, bytes: &[u8]) -> Option<Vec<Declared>> {
    if bytes.len() > PARSED_BYTES {
        return None;
    }
    with_tree(language, bytes, |root| {
        let mut names = Names::new(language, bytes);
        walk(root, &mut names);
        names.declared()
    })
}

/// What `read` makes of a text's tree; `None` if it takes too long to parse.
pub(crate) fn with_tree<T>(
    language: Language,
    bytes: &[u8],
    read: impl FnOnce(Node<'_>) -> T,
) -> Option<T> {
    let text = trees::parsed(language, bytes)?;
    Some(read(text.tree.root_node()))
}

fn parsed(root: Node<'_>, language: Language, bytes: &[u8]) -> SyntaxFacts {
    let mut facts = SyntaxFacts::default();
    if root.has_error() {
        errors(root, &mut facts.errors);
    }
    let mut names = Names::new(language, bytes);
    if !names.is_idle() {
        walk(root, &mut names);
    }
    facts.repeated = names.repeated();
    facts
}

/// The nodes that make no sense; only what holds some is descended into.
fn errors(root: Node<'_>, out: &mut Vec<SyntaxError>) {
    let mut stack = vec![root];
    while let Some(node) = stack.pop() {
        if out.len() >= ERRORS {
            return;
        }
        if node.is_error() || node.is_missing() {
            let at = node.start_position();
            out.push(SyntaxError {
                line: LineIdx(at.row as u32),
                column: at.column,
                missing: node.is_missing().then(|| node.kind().to_owned()),
            });
            continue;
        }
        let mut cursor = node.walk();
        let children: Vec<_> = node.children(&mut cursor).collect();
        let broken = |n: &Node<'_>| n.has_error() || n.is_missing();
        stack.extend(children.into_iter().rev().filter(broken));
    }
}

/// Walks the named nodes, without the stack of calls that a deep text would need.
///
/// What stands around a node is known on the way: to ask the tree for a parent or a sibling costs as
/// much as there are siblings.
fn walk(root: Node<'_>, names: &mut Names<'_>) {
    let mut cursor = root.walk();
    let mut around = Around::default();
    // How long the path was before each node on the way down, and what stood before that node.
    let mut above: Vec<(usize, Vec<Node<'_>>)> = Vec::new();
    loop {
        let node = cursor.node();
        let before = around.path.len();
        let name = names.visit(node, &around);
        around.path.extend(name);
        if !names.ends_at(node) && cursor.goto_first_child() {
            above.push((before, std::mem::take(&mut around.attributes)));
            around.ancestors.push(node);
            continue;
        }
        around.path.truncate(before);
        let mut done = node;
        around.pass(done, names.kinds);
        while !cursor.goto_next_sibling() {
            if !cursor.goto_parent() {
                return;
            }
            let (length, attributes) = above.pop().unwrap_or_default();
            around.path.truncate(length);
            around.attributes = attributes;
            done = around.ancestors.pop().unwrap_or(root);
            around.pass(done, names.kinds);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn repeated(path: &str, text: &str) -> Vec<String> {
        let facts = facts(Language::of(path).unwrap(), text.as_bytes()).unwrap();
        assert_eq!(facts.errors, [], "{path}");
        let of = |r: &armistice_core::Repeated| {
            let lines: Vec<String> = r.lines.iter().map(|l| l.number().to_string()).collect();
            format!("{} {} {}", r.kind, r.name, lines.join(" "))
        };
        facts.repeated.iter().map(of).collect()
    }

    #[test]
    fn names_that_stand_twice_in_one_place_are_found() {
        for (path, text, found) in [
            (
                "a.rs",
                "fn a() {}\nmod b {\n fn a() {}\n}\nfn a() {}\n",
                "function a 1 5",
            ),
            ("a.rs", "use a::{B, C};\nuse d::E as B;\n", "import B 1 2"),
            (
                "a.rs",
                "impl A {\n fn x() {}\n}\nimpl B {\n fn x() {}\n fn x() {}\n}\n",
                "function x 5 6",
            ),
            ("a.py", "import os\nfrom a import b, os\n", "import os 1 2"),
            (
                "a.py",
                "class A:\n  def x(self): pass\n  def y(self): pass\n  def x(self): pass\n",
                "function x 2 4",
            ),
            (
                "a.js",
                "import {a, b} from 'x';\nimport b from 'y';\n",
                "import b 1 2",
            ),
            (
                "a.ts",
                "class A {\n  post(): void {}\n  post(): void {}\n}\n",
                "method post 2 3",
            ),
            (
                "a.go",
                "package a\nimport (\n\"fmt\"\n\"log\"\n\"fmt\"\n)\n",
                "import \"fmt\" 3 5",
            ),
            (
                "a.go",
                "package a\nfunc a() {}\nfunc a() {}\n",
                "function a 2 3",
            ),
            (
                "A.java",
                "class A {\n void a(int x) {}\n void a(int x) {}\n}\n",
                "method a(int x) 2 3",
            ),
            (
                "a.c",
                "int a(void) { return 1; }\nint a(void) { return 2; }\n",
                "function a a(void) 1 2",
            ),
            (
                "a.json",
                "{\"a\": 1, \"b\": {\"a\": 2,\n\"a\": 3}}\n",
                "key \"a\" 1 2",
            ),
            ("a.yaml", "a: 1\nb:\n  a: 2\na: 3\n", "key a 1 4"),
            ("a.toml", "[a]\nx = 1\ny = 2\nx = 3\n", "key x 2 4"),
            ("a.rb", "def a\nend\ndef a\nend\n", "method a 1 3"),
            (
                "a.php",
                "<?php\nfunction a() {}\nfunction a() {}\n",
                "function a 2 3",
            ),
            (
                "a.cs",
                "class A {\n void B() {}\n void B() {}\n}\n",
                "method B() 2 3",
            ),
            ("a.sh", "a() { ls; }\na() { ls; }\n", "function a 1 2"),
        ] {
            assert_eq!(repeated(path, text), [found], "{path}");
        }
    }

    #[test]
    fn what_may_stand_beside_its_like_is_left_alone() {
        for (path, text) in [
            (
                "a.rs",
                "fn a() { let x = 1; let x = 2; }\n#[cfg(unix)]\nfn b() {}\n#[cfg(windows)]\nfn b() {}\n",
            ),
            (
                "a.rs",
                "impl Add for A { fn add() {} }\nimpl Add for B { fn add() {} }\n",
            ),
            (
                "a.py",
                "class A:\n  @property\n  def x(self): pass\n  @x.setter\n  def x(self, v): pass\n",
            ),
            ("a.py", "if a:\n  def f(): pass\nelse:\n  def f(): pass\n"),
            (
                "A.java",
                "class A { void a(int x) {} void a(String x) {} }\n",
            ),
            ("a.ts", "class A { get x() { return 1; } set x(v) {} }\n"),
            ("a.json", "[{\"a\": 1}, {\"a\": 2}]\n"),
            ("a.yaml", "- a: 1\n- a: 2\n"),
            (
                "a.js",
                "{ let a = 1; }\n{ let a = 2; }\nf({a: 1}, {a: 2});\n",
            ),
        ] {
            assert_eq!(repeated(path, text), [""; 0], "{path}: {text}");
        }
    }

    #[test]
    fn what_makes_no_sense_has_a_line_and_a_column() {
        for (path, text, line) in [
            ("a.rs", "fn a() {\n    moor(;\n}\n", 1),
            ("a.json", "{\"a\": 1,\n \"b\": 2,\n \"c\" 3}\n", 1),
            ("a.py", "def a(:\n    pass\n", 0),
        ] {
            let facts = facts(Language::of(path).unwrap(), text.as_bytes()).unwrap();
            assert_eq!(
                facts.errors[0].line,
                LineIdx(line),
                "{path}: {:?}",
                facts.errors
            );
        }
        assert_eq!(facts(Language::Json, &vec![b' '; PARSED_BYTES + 1]), None);
    }
}
