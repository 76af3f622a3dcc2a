//! The outline of a text: what it declares, nested, with the comments and attributes of each.

use crate::kinds::{DeclaringKind, NameOf};
use crate::language::Language;
use crate::node_kinds::{NodeKind, NodeKinds};
use crate::trees::{self, PARSED_BYTES};
use armistice_core::{Declaration, LineIdx, LineRange, Outline, Source};
use tree_sitter::Node;

/// How deep declarations are looked for: deeper ones belong to what they stand in.
const DEPTH: usize = 40;

/// Bytes of a name that are shown and compared.
const NAME_BYTES: usize = 120;

/// The declarations of a text; `None` if it is too large or takes too long to parse.
///
/// Only what takes whole lines is one: comments and attributes right above belong to it, what stands in
/// the body of a function does not count.
///
/// ```
/// use armistice_syntax::{Language, outline};
/// let text = "/// Moors it.\nfn moor() {}\n\nimpl Quay {\n    fn pay() {}\n}\n".into();
/// let outline = outline(Language::Rust, &text).unwrap();
/// let all: Vec<_> = outline.flat().iter().map(|(n, d)| (*n, d.title())).collect();
/// assert_eq!(all, [
///     (0, "function moor".to_owned()),
///     (0, "impl Quay".to_owned()),
///     (1, "function pay".to_owned()),
/// ]);
/// assert_eq!(outline.declarations()[0].lines.len(), 2);
/// ```
pub fn outline(language: Language, text: &Source) -> Option<Outline> {
    if text.bytes().len() > PARSED_BYTES {
        return None;
    }
    let parsed = trees::parsed(language, text.bytes())?;
    let read = || read(parsed.tree.root_node(), language, text);
    Some(parsed.outline.get_or_init(read).clone())
}

fn read(root: Node<'_>, language: Language, text: &Source) -> Outline {
    let reader = Reader {
        bytes: text.bytes(),
        kinds: NodeKinds::of_language(language),
        ends_with_comments: language == Language::Toml,
    };
    let mut declarations = Vec::new();
    reader.children(root, None, 0, &mut declarations);
    let errors = count_errors(root, language);
    Outline::new(declarations, text.len(), true).with_errors(errors)
}

/// How many places of a text make no sense, end tags without a beginning among them.
fn count_errors(root: Node<'_>, language: Language) -> usize {
    // An end tag without a beginning is no error to the parser.
    let has_odd_tags = language == Language::Html;
    if !has_odd_tags && !root.has_error() {
        return 0;
    }
    let kinds = NodeKinds::of_language(language);
    let mut count = 0;
    let mut cursor = root.walk();
    loop {
        let node = cursor.node();
        let is_error = node.is_error() || node.is_missing();
        count += usize::from(is_error || kinds.of(node).is_odd_tag);
        let may_have_errors = node.has_error() || has_odd_tags;
        if !is_error && may_have_errors && cursor.goto_first_child() {
            continue;
        }
        while !cursor.goto_next_sibling() {
            if !cursor.goto_parent() {
                return count;
            }
        }
    }
}

struct Reader<'a> {
    bytes: &'a [u8],
    kinds: &'static NodeKinds,
    /// Whether the comments above a declaration stand in the node before it.
    ends_with_comments: bool,
}

/// A text without the comments in its last lines.
fn without_last_comments(text: &[u8]) -> &[u8] {
    let mut text = text;
    while let Some(at) = text.iter().rposition(|b| *b == b'\n') {
        if !text[at..].trim_ascii_start().starts_with(b"#") {
            break;
        }
        text = text[..at].trim_ascii_end();
    }
    text
}

/// How many lines right above the end of a text are comments.
fn comments_above(text: &[u8]) -> usize {
    let lines = text.strip_suffix(b"\n").unwrap_or(b"");
    let lines = lines.rsplit(|b| *b == b'\n');
    lines
        .take_while(|line| line.trim_ascii_start().starts_with(b"#"))
        .count()
}

impl Reader<'_> {
    /// Adds what is declared below a node. `wrapper` is the outermost node that stands around a single
    /// declaration and begins with it.
    fn children<'t>(
        &self,
        node: Node<'t>,
        wrapper: Option<Wrapped<'t>>,
        depth: usize,
        out: &mut Vec<Declaration>,
    ) {
        if depth > DEPTH {
            return;
        }
        let mut cursor = node.walk();
        let mut leading = Leading::default();
        for child in node.children(&mut cursor) {
            let is_first = self.bytes[child.byte_range()].starts_with(b"#!");
            let begins_line = self.begins_its_line(child);
            let kind = self.kinds.of(child);
            if !is_first && begins_line && leading.takes(child, kind) {
                continue;
            }
            let first = leading.first_for(child);
            let spans_lines = child.end_position().row > child.start_position().row;
            // Nothing in the middle of one line takes whole lines.
            if wrapper.is_none() && !begins_line && !spans_lines {
                continue;
            }
            let around = match wrapper {
                Some(wrapper) => wrapper,
                None => Wrapped { first, node: child },
            };
            self.child(child, kind, around, depth, out);
        }
    }

    fn child<'t>(
        &self,
        child: Node<'t>,
        child_kind: NodeKind,
        around: Wrapped<'t>,
        depth: usize,
        out: &mut Vec<Declaration>,
    ) {
        let known = child_kind.declaring;
        let found = known.filter(|_| child.is_named() && !child.is_missing());
        let name = found.and_then(|kind| Some((kind, self.name(child, kind)?)));
        let Some((kind, name)) = name else {
            if child_kind.is_code {
                return;
            }
            let wraps = child_kind.is_wrapper && self.declares_one(child);
            return self.children(child, wraps.then_some(around), depth + 1, out);
        };
        let mut inner = Vec::new();
        if kind.holds {
            self.children(child, None, depth + 1, &mut inner);
        }
        match self.whole_lines(around, child) {
            Some((lines, starts)) => out.push(Declaration {
                kind: kind.kind,
                name,
                signature: self.signature(child),
                lines,
                starts,
                inner,
            }),
            // What stands inside may well take whole lines.
            None => out.append(&mut inner),
        }
    }

    /// Whether one of a node's children at most declares something: else each stands for itself.
    fn declares_one(&self, node: Node<'_>) -> bool {
        let mut cursor = node.walk();
        let declares = |n: &Node<'_>| self.kinds.of(*n).declaring.is_some();
        node.named_children(&mut cursor).filter(declares).count() <= 1
    }

    fn begins_its_line(&self, node: Node<'_>) -> bool {
        let before = self.bytes[..node.start_byte()].iter().rev();
        let is_blank = |b: &u8| *b == b' ' || *b == b'\t';
        before.take_while(|b| **b != b'\n').all(is_blank)
    }

    /// The lines of a declaration, if nothing else stands in them.
    fn whole_lines(&self, around: Wrapped<'_>, own: Node<'_>) -> Option<(LineRange, LineIdx)> {
        let (mut from, starts) = (around.first, around.node.start_position().row);
        let end = around.node.end_byte().max(own.end_byte());
        let text = self.bytes.get(around.node.start_byte()..end)?;
        let mut text = text.trim_ascii_end();
        if self.ends_with_comments {
            text = without_last_comments(text);
            from = starts - comments_above(&self.bytes[..around.node.start_byte()]);
        }
        let end = around.node.start_byte() + text.len();
        let begins = self.begins_its_line(around.node);
        let rest = &self.bytes[end..];
        let rest = &rest[..rest.iter().position(|b| *b == b'\n').unwrap_or(rest.len())];
        let rest = rest.trim_ascii();
        let rest = rest
            .strip_prefix(b",")
            .or(rest.strip_prefix(b";"))
            .unwrap_or(rest);
        let rest = rest.trim_ascii();
        let ends = rest.is_empty()
            || [&b"//"[..], b"#", b"/*", b"--"]
                .iter()
                .any(|sign| rest.starts_with(sign));
        let inside = &self.bytes[around.node.start_byte()..end];
        let rows = inside.iter().filter(|b| **b == b'\n').count();
        let lines = LineRange::new(from as u32, (starts + rows + 1) as u32);
        (begins && ends && !inside.is_empty()).then_some((lines, LineIdx(starts as u32)))
    }

    fn text(&self, node: Node<'_>) -> String {
        self.words(&self.bytes[node.byte_range()])
    }

    /// Bytes with their blanks taken together, cut where a name ends to be one.
    fn words(&self, bytes: &[u8]) -> String {
        let text = String::from_utf8_lossy(&bytes[..bytes.len().min(4 * NAME_BYTES)]);
        let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
        text.chars().take(NAME_BYTES).collect()
    }

    fn name(&self, node: Node<'_>, kind: &DeclaringKind) -> Option<String> {
        let field = |name: &str| node.child_by_field_name(name).map(|n| self.text(n));
        match kind.name {
            NameOf::Field(name) => field(name),
            NameOf::First => node.named_child(0).map(|n| self.text(n)),
            NameOf::Declarator => {
                let mut inner = node.child_by_field_name("declarator")?;
                loop {
                    let deeper = inner.child_by_field_name("declarator");
                    let named = || match inner.kind() {
                        "qualified_identifier" => None,
                        _ => inner.child_by_field_name("name"),
                    };
                    match deeper.or_else(named) {
                        Some(deeper) => inner = deeper,
                        None => return Some(self.text(inner)),
                    }
                }
            }
            NameOf::Impl => {
                let of = field("type")?;
                Some(match field("trait") {
                    Some(name) => format!("{name} for {of}"),
                    None => of,
                })
            }
            NameOf::Head => {
                let text = &self.bytes[node.byte_range()];
                let head = text.iter().position(|b| *b == b'{').unwrap_or(text.len());
                Some(self.words(&text[..head]))
            }
            NameOf::Heading => {
                let heading = node
                    .named_child(0)
                    .filter(|n| n.kind().contains("heading"))?;
                let text = self.text(heading);
                Some(text.trim_matches(['#', '=', '-', ' ']).to_owned())
            }
            NameOf::Tag => {
                let tag = node.named_child(0)?;
                let text = self.text(tag);
                Some(text.trim_matches(['<', '>', '/', ' ']).to_owned())
            }
        }
    }

    /// What tells declarations of one name apart.
    fn signature(&self, node: Node<'_>) -> String {
        let of = |name: &str| node.child_by_field_name(name).map(|n| self.text(n));
        let declarator = || {
            let inner = node.child_by_field_name("declarator")?;
            Some(self.text(inner.child_by_field_name("parameters")?))
        };
        let receiver = of("receiver").unwrap_or_default();
        let parameters = of("parameters").or_else(declarator).unwrap_or_default();
        receiver + &parameters
    }
}

/// A node that stands for a whole declaration, and the line in which its comments begin.
#[derive(Clone, Copy)]
struct Wrapped<'t> {
    first: usize,
    node: Node<'t>,
}

/// Comments and attributes that wait for what they belong to.
#[derive(Default)]
struct Leading {
    /// First line of the first of them, and last line of the last.
    rows: Option<(usize, usize)>,
}

impl Leading {
    /// Whether a node is one of them; it then waits with those before it.
    fn takes(&mut self, node: Node<'_>, kind: NodeKind) -> bool {
        if !kind.is_comment && !kind.is_attribute {
            return false;
        }
        let (first, mut last) = (node.start_position().row, node.end_position().row);
        // Some comments end behind their line.
        if node.end_position().column == 0 && last > first {
            last -= 1;
        }
        self.rows = match self.rows {
            Some((from, to)) if to + 1 >= first => Some((from, last)),
            _ => Some((first, last)),
        };
        true
    }

    /// The line in which a node begins with what waited for it; nothing waits then.
    fn first_for(&mut self, node: Node<'_>) -> usize {
        let row = node.start_position().row;
        match self.rows.take() {
            Some((from, to)) if to + 1 == row => from,
            _ => row,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Kind, name and lines of everything that is declared, deeper ones indented.
    fn shown(path: &str, text: &str) -> String {
        let outline = outline(Language::of(path).unwrap(), &text.into()).unwrap();
        let row = |(depth, d): (usize, &Declaration)| {
            let (from, to) = (d.lines.start.number(), d.lines.end.0);
            format!("{}{} {from}-{to}\n", "  ".repeat(depth), d.title())
        };
        outline.flat().into_iter().map(row).collect()
    }

    fn check(path: &str, text: &str, expected: &str) {
        let expected: Vec<&str> = expected
            .split('\n')
            .map(|row| row.strip_prefix('|').unwrap_or(row))
            .collect();
        assert_eq!(shown(path, text).trim_end(), expected.join("\n"), "{path}");
    }

    #[test]
    fn each_language_nests_what_it_declares() {
        check(
            "quay.rs",
            "use tide::Level;\n\n/// A quay.\n#[derive(Debug)]\npub struct Quay {\n    // How deep.\n    depth: u8, // metres\n    free: bool,\n}\n\nimpl Fee for Quay {\n    fn pay(&self) -> u8 {\n        let x = 1;\n        x\n    }\n}\n\n#[cfg(test)]\nmod tests {\n    #[test]\n    fn pays() {}\n}\n",
            "struct Quay 3-9\n|  field depth 6-7\n|  field free 8-8\nimpl Fee for Quay 11-16\n|  function pay 12-15\nmodule tests 18-22\n|  function pays 20-21",
        );
        check(
            "quay.py",
            "import os\n\nLIMIT = 3\n\n# Moors ships.\nclass Quay:\n    free = True\n\n    @property\n    def depth(self):\n        def inner():\n            pass\n        return 1\n\n    def pay(self): pass\n\n\ndef moor(ship):\n    return 1\n",
            "variable LIMIT 3-3\nclass Quay 5-15\n|  variable free 7-7\n|  function depth 9-13\n|  function pay 15-15\nfunction moor 18-19",
        );
        check(
            "quay.js",
            "import a from 'a';\n\n// Fees.\nexport const fees = {\n  day: 1,\n  night: 2,\n};\n\nexport class Quay {\n  moor(ship) {\n    const x = 1;\n    return x;\n  }\n}\n\nfunction pay() {}\nconst late = () => {\n  const y = { z: 1 };\n};\n",
            "variable fees 3-7\n|  key day 5-5\n|  key night 6-6\nclass Quay 9-14\n|  method moor 10-13\nfunction pay 16-16\nvariable late 17-19",
        );
        check(
            "quay.ts",
            "export interface Berth {\n  depth: number;\n  moor(ship: Ship): void;\n}\n\nexport enum Tide {\n  Low = 1,\n  High = 2,\n}\n\nexport type Fee = number;\n",
            "interface Berth 1-4\n|  property depth 2-2\n|  method moor 3-3\nenum Tide 6-9\n|  constant Low 7-7\n|  constant High 8-8\ntype Fee 11-11",
        );
        check(
            "quay.go",
            "package quay\n\nconst (\n\tLow = 1\n\tHigh = 2\n)\n\n// Quay is one.\ntype Quay struct {\n\tDepth int\n}\n\nfunc (q *Quay) Moor() {\n\tx := 1\n\t_ = x\n}\n",
            "constant Low 4-4\nconstant High 5-5\ntype Quay 8-11\n|  field Depth 10-10\nmethod Moor 13-16",
        );
        check(
            "Quay.java",
            "package q;\n\n/** A quay. */\npublic class Quay {\n    private int depth = 1;\n\n    @Override\n    public void moor(Ship ship) {\n        int x = 1;\n    }\n\n    enum Tide {\n        LOW,\n        HIGH\n    }\n}\n",
            "class Quay 3-16\n|  field depth 5-5\n|  method moor 7-10\n|  enum Tide 12-15\n|    constant LOW 13-13\n|    constant HIGH 14-14",
        );
        check(
            "quay.c",
            "#include <a.h>\n#define LIMIT 3\n\nstruct quay {\n    int depth;\n};\n\nstatic int fee = 1;\n\n/* Moors. */\nint *moor(int ship)\n{\n    int x = 1;\n    return 0;\n}\n",
            "macro LIMIT 2-2\nstruct quay 4-6\n|  field depth 5-5\ndeclaration fee 8-8\nfunction moor 10-15",
        );
        check(
            "quay.cpp",
            "namespace q {\n\nclass Quay {\n  public:\n    int depth;\n    void moor() {\n        int x;\n    }\n};\n\nvoid Quay::pay() {}\n\n}\n",
            "namespace q 1-13\n|  class Quay 3-9\n|    field depth 5-5\n|    function moor 6-8\n|  function Quay::pay 11-11",
        );
        check(
            "Quay.cs",
            "namespace Q {\n    public class Quay {\n        public int Depth { get; set; }\n        private int fee = 1;\n\n        [Old]\n        public void Moor(Ship ship) {\n        }\n    }\n}\n",
            "namespace Q 1-10\n|  class Quay 2-9\n|    property Depth 3-3\n|    field fee 4-4\n|    method Moor 6-8",
        );
        check(
            "quay.php",
            "<?php\nclass Quay {\n    private $depth = 1;\n\n    public function moor($ship) {\n        return 1;\n    }\n}\n\nfunction pay() {}\n",
            "class Quay 2-8\n|  property $depth 3-3\n|  method moor 5-7\nfunction pay 10-10",
        );
        check(
            "quay.rb",
            "module Q\n  class Quay\n    LIMIT = 3\n\n    # Moors.\n    def moor(ship)\n      x = 1\n    end\n  end\nend\n",
            "module Q 1-10\n|  class Quay 2-9\n|    variable LIMIT 3-3\n|    method moor 5-8",
        );
        check(
            "quay.sh",
            "#!/bin/sh\nLIMIT=3\n\n# Moors.\nmoor() {\n    x=1\n}\n",
            "variable LIMIT 2-2\nfunction moor 4-7",
        );
    }

    #[test]
    fn data_and_documents_nest_by_keys_and_headings() {
        check(
            "fees.json",
            "{\n  \"day\": 1,\n  \"night\": {\n    \"late\": 2\n  },\n  \"one\": {\"a\": 1}\n}\n",
            "key \"day\" 2-2\nkey \"night\" 3-5\n|  key \"late\" 4-4\nkey \"one\" 6-6",
        );
        check(
            "fees.toml",
            "top = 1\n\n# By day.\n[day]\nfee = 1\nlate = 2\n\n# By night.\n[night]\nfee = 3\n\n[[berth]]\nname = \"a\"\n",
            "key top 1-1\ntable day 3-6\n|  key fee 5-5\n|  key late 6-6\ntable night 8-10\n|  key fee 10-10\ntable berth 12-13\n|  key name 13-13",
        );
        check(
            "fees.yaml",
            "day: 1\n# By night.\nnight:\n  late: 2\n  list:\n    - a\n    - b\n",
            "key day 1-1\nkey night 2-7\n|  key late 4-4\n|  key list 5-7",
        );
        check(
            "fees.css",
            "/* Quays. */\n.quay {\n  color: red;\n  width: 1px;\n}\n\n@media print {\n  .berth {\n    color: blue;\n  }\n}\n",
            "rule .quay 1-5\n|  property color 3-3\n|  property width 4-4\nmedia @media print 7-11\n|  rule .berth 8-10\n|    property color 9-9",
        );
        check(
            "fees.md",
            "# Fees\n\ntext\n\n## By day\n\none\n\n## By night\n\ntwo\n",
            "section Fees 1-11\n|  section By day 5-7\n|  section By night 9-11",
        );
        check(
            "fees.html",
            "<html>\n<body>\n  <div id=\"day\">\n    <p>one</p>\n  </div>\n</body>\n</html>\n",
            "element html 1-7\n|  element body 2-6\n|    element div id=\"day\" 3-5\n|      element p 4-4",
        );
    }

    #[test]
    fn a_text_that_makes_no_sense_still_has_what_can_be_told() {
        let found = shown("a.rs", "fn a() {}\n)))\nfn b() {}\n");
        assert!(found.contains("function a 1-1"), "{found}");
        assert_eq!(shown("a.rs", ""), "");
        assert_eq!(shown("a.rs", "fn a() {} fn b() {}\n"), "");
    }
}
