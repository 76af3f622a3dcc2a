//! Lines turned into a comment, in the comment syntax of their file.

use crate::language::{ANGLES, Comments, HASH, Language, SLASHES};

/// Comment syntax of files that have no parser here, by their extension or whole name. Extensions
/// that several languages share are left out: a wrong comment would be code.
const OTHERS: &[(Comments, &[&str])] = &[
    (
        with_line("--"),
        &[
            "sql", "lua", "hs", "elm", "ada", "adb", "ads", "vhd", "vhdl",
        ],
    ),
    (
        HASH,
        &[
            "ini",
            "cfg",
            "conf",
            "properties",
            "cmake",
            "r",
            "ps1",
            "tcl",
            "jl",
            "nix",
            "tf",
            "mk",
            "gitignore",
            "gitattributes",
            "env",
            "dockerfile",
            "makefile",
            "gemfile",
            "rakefile",
            "ex",
            "exs",
            "coffee",
        ],
    ),
    (
        SLASHES,
        &[
            "kt", "kts", "swift", "scala", "dart", "groovy", "gradle", "proto", "zig", "scss",
            "less", "glsl", "jsonc", "json5",
        ],
    ),
    (with_line("%"), &["tex", "sty", "erl", "hrl"]),
    (with_line(";"), &["lisp", "el", "clj", "cljs", "scm"]),
    (with_line("\""), &["vim", "vimrc"]),
    (ANGLES, &["xml", "svg", "xsd", "xsl", "plist", "xhtml"]),
];

const fn with_line(line: &'static str) -> Comments {
    Comments {
        line: Some(line),
        block: None,
        nested: false,
    }
}

impl Comments {
    /// How comments are written in a file, by its name; `None` where that is not known or where
    /// there are none, as in JSON.
    ///
    /// ```
    /// use armistice_syntax::Comments;
    /// assert_eq!(Comments::of("db/tides.sql").unwrap().line, Some("--"));
    /// assert!(Comments::of("prices.json").is_none());
    /// ```
    pub fn of(path: &str) -> Option<Comments> {
        let comments = match Language::of(path) {
            Some(language) => Some(language.comments()),
            None => {
                let file = path.rsplit('/').next().unwrap_or(path).to_ascii_lowercase();
                let end = file.rsplit('.').next().unwrap_or(&file);
                let known = OTHERS.iter().find(|(_, ends)| ends.contains(&end));
                known.map(|(comments, _)| *comments)
            }
        };
        comments.filter(|comments| comments.line.is_some() || comments.block.is_some())
    }

    /// Whole lines as a comment at their indentation; every line keeps its ending.
    ///
    /// Comments that end with their line are preferred. What would end a longer comment too soon is
    /// taken apart by a blank, and a line that a trailing `\` would join with the next is closed by
    /// the sign once more. Blank lines stay blank where each line is a comment of its own.
    ///
    /// ```
    /// use armistice_syntax::Comments;
    /// let rust = Comments::of("quay.rs").unwrap();
    /// assert_eq!(rust.comment_out(b"    moor();\n"), b"    // moor();\n");
    /// let html = Comments::of("quay.html").unwrap();
    /// assert_eq!(html.comment_out(b"<p>a -- b</p>\n"), b"<!-- <p>a - - b</p> -->\n");
    /// ```
    pub fn comment_out(&self, lines: &[u8]) -> Vec<u8> {
        match (self.line, self.block) {
            (Some(sign), _) => line_by_line(sign, lines),
            (None, Some(ends)) => as_block(ends, self.nested, lines),
            (None, None) => lines.to_vec(),
        }
    }
}

/// A line and its ending.
fn split_ending(line: &[u8]) -> (&[u8], &[u8]) {
    let end = line
        .iter()
        .rposition(|b| !matches!(b, b'\n' | b'\r'))
        .map_or(0, |at| at + 1);
    line.split_at(end)
}

fn is_blank(line: &[u8]) -> bool {
    line.iter().all(u8::is_ascii_whitespace)
}

fn indent_of(line: &[u8]) -> usize {
    let text = line.iter().position(|b| !matches!(b, b' ' | b'\t'));
    text.unwrap_or(line.len())
}

/// The indentation that all lines share, in bytes.
fn shared_indent(lines: &[&[u8]]) -> usize {
    let mut own = lines.iter().filter(|line| !is_blank(line));
    let Some(first) = own.next() else {
        return 0;
    };
    let first = &first[..indent_of(first)];
    own.fold(first.len(), |shared, line| {
        let alike = first.iter().zip(line.iter()).take_while(|(a, b)| a == b);
        shared.min(alike.count())
    })
}

fn line_by_line(sign: &str, bytes: &[u8]) -> Vec<u8> {
    let lines: Vec<&[u8]> = bytes.split_inclusive(|b| *b == b'\n').collect();
    let indent = shared_indent(&lines);
    let mut out = Vec::new();
    for line in lines {
        if is_blank(line) {
            out.extend_from_slice(line);
            continue;
        }
        let (text, ending) = split_ending(line);
        out.extend_from_slice(&text[..indent]);
        out.extend_from_slice(sign.as_bytes());
        out.push(b' ');
        out.extend_from_slice(&text[indent..]);
        if text.ends_with(b"\\") {
            out.push(b' ');
            out.extend_from_slice(sign.as_bytes());
        }
        out.extend_from_slice(ending);
    }
    out
}

fn as_block((open, close): (&str, &str), nested: bool, bytes: &[u8]) -> Vec<u8> {
    let lines: Vec<&[u8]> = bytes.split_inclusive(|b| *b == b'\n').collect();
    let Some(last) = lines.iter().rposition(|line| !is_blank(line)) else {
        return bytes.to_vec();
    };
    let first = lines.iter().position(|line| !is_blank(line)).unwrap_or(0);
    let mut out = Vec::new();
    for (nth, line) in lines.iter().enumerate() {
        let (text, ending) = split_ending(line);
        let indent = if nth == first { indent_of(text) } else { 0 };
        out.extend_from_slice(&text[..indent]);
        if nth == first {
            out.extend_from_slice(open.as_bytes());
            out.push(b' ');
        }
        let inner = &text[indent..];
        match nested {
            true => out.extend_from_slice(inner),
            false => out.extend(taken_apart(inner, close)),
        }
        if nth == last {
            out.push(b' ');
            out.extend_from_slice(close.as_bytes());
        }
        out.extend_from_slice(ending);
    }
    out
}

/// A text in which nothing ends the comment: in angles two dashes do, elsewhere its closing sign.
fn taken_apart(text: &[u8], close: &str) -> Vec<u8> {
    let close = if close == "-->" { "--" } else { close };
    let sign = close.as_bytes();
    let mut out = Vec::new();
    let mut at = 0;
    while at < text.len() {
        if text[at..].starts_with(sign) {
            out.push(sign[0]);
            out.push(b' ');
            at += 1;
        } else {
            out.push(text[at]);
            at += 1;
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn commented(path: &str, text: &str) -> String {
        let comments = Comments::of(path).unwrap();
        String::from_utf8(comments.comment_out(text.as_bytes())).unwrap()
    }

    #[test]
    fn lines_are_comments_at_the_indentation_that_they_share() {
        assert_eq!(
            commented("a.py", "    if tide:\n        moor()\n\n    go()\n"),
            "    # if tide:\n    #     moor()\n\n    # go()\n"
        );
        assert_eq!(
            commented("a.rs", "\ta();\r\n\tb();"),
            "\t// a();\r\n\t// b();"
        );
        assert_eq!(
            commented("a.c", "#define A \\\n  b\n"),
            "// #define A \\ //\n//   b\n"
        );
        assert_eq!(commented("Makefile", "all:\n\tdo\n"), "# all:\n# \tdo\n");
    }

    #[test]
    fn longer_comments_are_not_ended_by_what_is_in_them() {
        assert_eq!(
            commented("a.css", "  a { } /* b */\n\n  c { }\n"),
            "  /* a { } /* b * /\n\n  c { } */\n"
        );
        assert_eq!(
            commented("a.html", "<!-- a --->\n"),
            "<!-- <!- - a - - -> -->\n"
        );
        assert_eq!(commented("a.html", "\n"), "\n");
    }

    #[test]
    fn where_there_is_no_comment_that_is_said() {
        assert!(Comments::of("a.json").is_none());
        assert!(Comments::of("picture.png").is_none());
    }

    #[test]
    fn what_is_commented_out_is_a_comment_to_the_parser() {
        for (path, text) in [
            ("a.rs", "let a = \"/* */\"; // b\n    c();\n"),
            ("a.css", "a { b: \"*/\"; }\n"),
            ("a.html", "<p>a -- b</p>\n<!-- c -->\n"),
            ("a.py", "def a():\n    return '#'\n"),
        ] {
            let language = Language::of(path).unwrap();
            let text = commented(path, text);
            let mut parser = tree_sitter::Parser::new();
            parser.set_language(&language.grammar()).unwrap();
            let tree = parser.parse(&text, None).unwrap();
            let root = tree.root_node();
            assert!(!root.has_error(), "{text}");
            let mut cursor = root.walk();
            for node in root.children(&mut cursor) {
                assert!(node.kind().contains("comment"), "{}: {text}", node.kind());
            }
        }
    }
}
