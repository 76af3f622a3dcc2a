//! The languages: which files are written in them, their parsers, and what is declared in them how.

use tree_sitter::Language as Grammar;

/// A language that has a parser.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[allow(missing_docs)]
pub enum Language {
    Bash,
    C,
    CSharp,
    Cpp,
    Css,
    Go,
    Html,
    Java,
    JavaScript,
    Json,
    Markdown,
    Php,
    Python,
    Ruby,
    Rust,
    Toml,
    Tsx,
    TypeScript,
    Yaml,
}

/// A kind of node that has a name, which stands once in its place.
pub(crate) struct Named {
    pub(crate) node: &'static str,
    /// What a person calls it.
    pub(crate) kind: &'static str,
    /// The field that holds the name; without one, the first child that is a name.
    pub(crate) field: Option<&'static str>,
    /// The field whose text tells those of one name apart.
    pub(crate) told_by: Option<&'static str>,
}

const fn named(node: &'static str, kind: &'static str) -> Named {
    Named {
        node,
        kind,
        field: Some("name"),
        told_by: None,
    }
}

/// Where several of one name may stand beside each other if their parameters differ.
const fn overloaded(node: &'static str, kind: &'static str) -> Named {
    Named {
        told_by: Some("parameters"),
        ..named(node, kind)
    }
}

const fn key(node: &'static str, field: Option<&'static str>) -> Named {
    Named {
        field,
        ..named(node, "key")
    }
}

/// One row of the table of languages.
pub(crate) struct Entry {
    pub(crate) language: Language,
    grammar: fn() -> Grammar,
    /// Ends of file names, without the dot.
    extensions: &'static [&'static str],
    /// Whole file names.
    files: &'static [&'static str],
    /// What has a name.
    pub(crate) names: &'static [Named],
    /// Nodes that bring names in; their names stand once in the whole file.
    pub(crate) imports: &'static [&'static str],
    /// Bodies that are not looked into: what stands twice there the compiler knows best.
    pub(crate) bodies: &'static [&'static str],
    /// Lists of items, each of which is to stand once.
    pub(crate) lists: &'static [&'static str],
    comments: Comments,
}

/// How comments are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Comments {
    /// What begins one that lasts to the end of its line.
    pub line: Option<&'static str>,
    /// What begins and ends one that may be longer.
    pub block: Option<(&'static str, &'static str)>,
    /// Whether such a one may hold another.
    pub nested: bool,
}

pub(crate) const SLASHES: Comments = Comments {
    line: Some("//"),
    block: Some(("/*", "*/")),
    nested: false,
};
const NESTED: Comments = Comments {
    nested: true,
    ..SLASHES
};
const STARS: Comments = Comments {
    line: None,
    ..SLASHES
};
pub(crate) const HASH: Comments = Comments {
    line: Some("#"),
    block: None,
    nested: false,
};
pub(crate) const ANGLES: Comments = Comments {
    line: None,
    block: Some(("<!--", "-->")),
    nested: false,
};
const NO_COMMENTS: Comments = Comments {
    line: None,
    block: None,
    nested: false,
};

const SCRIPT: &[Named] = &[
    named("function_declaration", "function"),
    named("generator_function_declaration", "function"),
    named("class_declaration", "class"),
    named("abstract_class_declaration", "class"),
    named("method_definition", "method"),
    named("interface_declaration", "interface"),
    named("enum_declaration", "enum"),
    named("type_alias_declaration", "type"),
    named("variable_declarator", "variable"),
    key("pair", Some("key")),
];

const SCRIPT_IMPORTS: &[&str] = &["import_clause"];

const C_LIKE: &[Named] = &[
    Named {
        field: Some("declarator"),
        told_by: Some("declarator"),
        ..named("function_definition", "function")
    },
    named("preproc_def", "macro"),
    named("enumerator", "constant"),
    Named {
        field: Some("declarator"),
        ..named("field_declaration", "field")
    },
];

pub(crate) static LANGUAGES: &[Entry] = &[
    Entry {
        language: Language::Bash,
        grammar: || tree_sitter_bash::LANGUAGE.into(),
        extensions: &["sh", "bash"],
        files: &[".bashrc", ".profile"],
        names: &[named("function_definition", "function")],
        imports: &[],
        bodies: &[],
        lists: &["array"],
        comments: HASH,
    },
    Entry {
        language: Language::C,
        grammar: || tree_sitter_c::LANGUAGE.into(),
        extensions: &["c", "h"],
        files: &[],
        names: C_LIKE,
        imports: &["preproc_include"],
        bodies: &["compound_statement"],
        lists: &["initializer_list"],
        comments: SLASHES,
    },
    Entry {
        language: Language::Cpp,
        grammar: || tree_sitter_cpp::LANGUAGE.into(),
        extensions: &["cc", "cpp", "cxx", "hpp", "hh", "hxx"],
        files: &[],
        names: C_LIKE,
        imports: &["preproc_include"],
        bodies: &["compound_statement"],
        lists: &["initializer_list"],
        comments: SLASHES,
    },
    Entry {
        language: Language::CSharp,
        grammar: || tree_sitter_c_sharp::LANGUAGE.into(),
        extensions: &["cs"],
        files: &[],
        names: &[
            named("class_declaration", "class"),
            named("interface_declaration", "interface"),
            named("struct_declaration", "struct"),
            named("enum_declaration", "enum"),
            named("enum_member_declaration", "constant"),
            named("property_declaration", "property"),
            overloaded("method_declaration", "method"),
            overloaded("constructor_declaration", "constructor"),
        ],
        imports: &["using_directive"],
        bodies: &["block"],
        lists: &["initializer_expression", "collection_expression"],
        comments: SLASHES,
    },
    Entry {
        language: Language::Css,
        grammar: || tree_sitter_css::LANGUAGE.into(),
        extensions: &["css"],
        files: &[],
        names: &[Named {
            node: "rule_set",
            kind: "rule",
            field: None,
            told_by: None,
        }],
        imports: &[],
        bodies: &[],
        lists: &[],
        comments: STARS,
    },
    Entry {
        language: Language::Go,
        grammar: || tree_sitter_go::LANGUAGE.into(),
        extensions: &["go"],
        files: &[],
        names: &[
            named("function_declaration", "function"),
            Named {
                told_by: Some("receiver"),
                ..named("method_declaration", "method")
            },
            named("type_spec", "type"),
            named("const_spec", "constant"),
            named("var_spec", "variable"),
            named("field_declaration", "field"),
            Named {
                field: None,
                ..named("keyed_element", "key")
            },
        ],
        imports: &["import_spec"],
        bodies: &["block"],
        lists: &["literal_value"],
        comments: SLASHES,
    },
    Entry {
        language: Language::Html,
        grammar: || tree_sitter_html::LANGUAGE.into(),
        extensions: &["html", "htm"],
        files: &[],
        names: &[],
        imports: &[],
        bodies: &[],
        lists: &[],
        comments: ANGLES,
    },
    Entry {
        language: Language::Java,
        grammar: || tree_sitter_java::LANGUAGE.into(),
        extensions: &["java"],
        files: &[],
        names: &[
            named("class_declaration", "class"),
            named("interface_declaration", "interface"),
            named("enum_declaration", "enum"),
            named("record_declaration", "record"),
            named("enum_constant", "constant"),
            named("variable_declarator", "variable"),
            overloaded("method_declaration", "method"),
            overloaded("constructor_declaration", "constructor"),
        ],
        imports: &["import_declaration"],
        bodies: &["block", "constructor_body"],
        lists: &["array_initializer"],
        comments: SLASHES,
    },
    Entry {
        language: Language::JavaScript,
        grammar: || tree_sitter_javascript::LANGUAGE.into(),
        extensions: &["js", "mjs", "cjs", "jsx"],
        files: &[],
        names: SCRIPT,
        imports: SCRIPT_IMPORTS,
        bodies: &[],
        lists: &["array"],
        comments: SLASHES,
    },
    Entry {
        language: Language::Json,
        grammar: || tree_sitter_json::LANGUAGE.into(),
        extensions: &["json", "webmanifest"],
        files: &[],
        names: &[key("pair", Some("key"))],
        imports: &[],
        bodies: &[],
        lists: &["array"],
        comments: NO_COMMENTS,
    },
    Entry {
        language: Language::Markdown,
        grammar: || tree_sitter_md::LANGUAGE.into(),
        extensions: &["md", "markdown"],
        files: &[],
        names: &[],
        imports: &[],
        bodies: &[],
        lists: &[],
        comments: ANGLES,
    },
    Entry {
        language: Language::Php,
        grammar: || tree_sitter_php::LANGUAGE_PHP.into(),
        extensions: &["php"],
        files: &[],
        names: &[
            named("function_definition", "function"),
            named("class_declaration", "class"),
            named("interface_declaration", "interface"),
            named("trait_declaration", "trait"),
            named("method_declaration", "method"),
            named("property_element", "property"),
        ],
        imports: &["namespace_use_clause"],
        bodies: &["compound_statement"],
        lists: &["array_creation_expression"],
        comments: SLASHES,
    },
    Entry {
        language: Language::Python,
        grammar: || tree_sitter_python::LANGUAGE.into(),
        extensions: &["py", "pyi"],
        files: &[],
        names: &[
            named("function_definition", "function"),
            named("class_definition", "class"),
            key("pair", Some("key")),
            Named {
                kind: "argument",
                ..named("keyword_argument", "argument")
            },
        ],
        imports: &["import_statement", "import_from_statement"],
        bodies: &[],
        lists: &["list", "set"],
        comments: HASH,
    },
    Entry {
        language: Language::Ruby,
        grammar: || tree_sitter_ruby::LANGUAGE.into(),
        extensions: &["rb", "rake"],
        files: &["Rakefile", "Gemfile"],
        names: &[named("method", "method"), key("pair", Some("key"))],
        imports: &[],
        bodies: &[],
        lists: &["array"],
        comments: HASH,
    },
    Entry {
        language: Language::Rust,
        grammar: || tree_sitter_rust::LANGUAGE.into(),
        extensions: &["rs"],
        files: &[],
        names: &[
            named("function_item", "function"),
            named("function_signature_item", "function"),
            named("struct_item", "struct"),
            named("enum_item", "enum"),
            named("union_item", "union"),
            named("trait_item", "trait"),
            named("type_item", "type"),
            named("mod_item", "module"),
            named("const_item", "constant"),
            named("static_item", "static"),
            named("enum_variant", "variant"),
            named("field_declaration", "field"),
            Named {
                field: Some("field"),
                ..named("field_initializer", "field")
            },
        ],
        imports: &["use_declaration"],
        bodies: &["block"],
        lists: &["array_expression"],
        comments: NESTED,
    },
    Entry {
        language: Language::Toml,
        grammar: || tree_sitter_toml_ng::LANGUAGE.into(),
        extensions: &["toml"],
        files: &["Cargo.lock"],
        names: &[
            key("pair", None),
            Named {
                field: None,
                ..named("table", "table")
            },
        ],
        imports: &[],
        bodies: &[],
        lists: &["array"],
        comments: HASH,
    },
    Entry {
        language: Language::Tsx,
        grammar: || tree_sitter_typescript::LANGUAGE_TSX.into(),
        extensions: &["tsx"],
        files: &[],
        names: SCRIPT,
        imports: SCRIPT_IMPORTS,
        bodies: &[],
        lists: &["array"],
        comments: SLASHES,
    },
    Entry {
        language: Language::TypeScript,
        grammar: || tree_sitter_typescript::LANGUAGE_TYPESCRIPT.into(),
        extensions: &["ts", "mts", "cts"],
        files: &[],
        names: SCRIPT,
        imports: SCRIPT_IMPORTS,
        bodies: &[],
        lists: &["array"],
        comments: SLASHES,
    },
    Entry {
        language: Language::Yaml,
        grammar: || tree_sitter_yaml::LANGUAGE.into(),
        extensions: &["yaml", "yml"],
        files: &[],
        names: &[
            key("block_mapping_pair", Some("key")),
            key("flow_pair", Some("key")),
        ],
        imports: &[],
        bodies: &[],
        lists: &["flow_sequence", "block_sequence"],
        comments: HASH,
    },
];

impl Language {
    /// The language of a file, by its name alone.
    ///
    /// ```
    /// use armistice_syntax::Language;
    /// assert_eq!(Language::of("src/quay.rs"), Some(Language::Rust));
    /// assert_eq!(Language::of("notes.txt"), None);
    /// ```
    pub fn of(path: &str) -> Option<Language> {
        let file = path.rsplit('/').next().unwrap_or(path);
        let extension = file
            .rsplit_once('.')
            .map(|(_, end)| end.to_ascii_lowercase());
        let is = |entry: &&Entry| {
            entry.files.contains(&file)
                || (extension.as_deref()).is_some_and(|end| entry.extensions.contains(&end))
        };
        LANGUAGES.iter().find(is).map(|entry| entry.language)
    }

    /// Whether what is declared in one language can be used in the other.
    ///
    /// ```
    /// use armistice_syntax::Language;
    /// assert!(Language::C.shares_names_with(Language::Cpp));
    /// assert!(!Language::Bash.shares_names_with(Language::Python));
    /// ```
    pub fn shares_names_with(self, other: Language) -> bool {
        const FAMILIES: [&[Language]; 2] = [
            &[Language::C, Language::Cpp],
            &[
                Language::JavaScript,
                Language::TypeScript,
                Language::Tsx,
                Language::Html,
                Language::Css,
                Language::Php,
            ],
        ];
        let is_family = |family: &&[Language]| family.contains(&self) && family.contains(&other);
        self == other || FAMILIES.iter().any(is_family)
    }

    /// How comments are written in it; in JSON they are not.
    ///
    /// ```
    /// use armistice_syntax::Language;
    /// assert_eq!(Language::Python.comments().line, Some("#"));
    /// assert!(Language::Rust.comments().nested);
    /// ```
    pub fn comments(self) -> Comments {
        self.entry().comments
    }

    pub(crate) fn entry(self) -> &'static Entry {
        let found = LANGUAGES.iter().find(|entry| entry.language == self);
        found.unwrap_or(&LANGUAGES[0])
    }

    pub(crate) fn grammar(self) -> Grammar {
        (self.entry().grammar)()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_language_has_a_row_a_parser_and_names_that_it_knows() {
        for entry in LANGUAGES {
            assert_eq!(entry.language.entry().language, entry.language);
            let grammar = entry.language.grammar();
            let mut parser = tree_sitter::Parser::new();
            parser.set_language(&grammar).unwrap();
            for name in entry.names {
                let known = grammar.id_for_node_kind(name.node, true) != 0;
                // The tables of related languages hold more than each of them has.
                let shared = matches!(entry.language, Language::JavaScript | Language::C);
                assert!(known || shared, "{:?} {}", entry.language, name.node);
                for field in [name.field, name.told_by].into_iter().flatten() {
                    assert!(
                        grammar.field_id_for_name(field).is_some(),
                        "{:?} {field}",
                        entry.language
                    );
                }
            }
            for import in entry.imports {
                assert!(
                    grammar.id_for_node_kind(import, true) != 0,
                    "{:?} {import}",
                    entry.language
                );
            }
            for list in entry.lists {
                assert!(
                    grammar.id_for_node_kind(list, true) != 0,
                    "{:?} {list}",
                    entry.language
                );
            }
            for body in entry.bodies {
                assert!(
                    grammar.id_for_node_kind(body, true) != 0,
                    "{:?} {body}",
                    entry.language
                );
            }
            for extension in entry.extensions {
                let of = LANGUAGES
                    .iter()
                    .filter(|e| e.extensions.contains(extension));
                assert_eq!(of.count(), 1, "{extension}");
            }
        }
    }

    #[test]
    fn comments_are_comments_to_the_parser_of_each_language() {
        for entry in LANGUAGES {
            let mut parser = tree_sitter::Parser::new();
            parser.set_language(&entry.language.grammar()).unwrap();
            let mut is_comment = |text: &str| {
                let tree = parser.parse(text, None).unwrap();
                let root = tree.root_node();
                let mut stack = vec![root];
                let mut found = false;
                while let Some(node) = stack.pop() {
                    // Markdown takes a comment for the HTML that it is.
                    found |= node.kind().contains("comment") || node.kind() == "html_block";
                    stack.extend((0..node.child_count()).filter_map(|n| node.child(n)));
                }
                found && !root.has_error()
            };
            let opens = if entry.language == Language::Php {
                "<?php\n"
            } else {
                ""
            };
            let Comments {
                line,
                block,
                nested,
            } = entry.language.comments();
            if let Some(sign) = line {
                assert!(
                    is_comment(&format!("{opens}{sign} moor the ship\n")),
                    "{:?}",
                    entry.language
                );
            }
            if let Some((open, close)) = block {
                let text = format!("{opens}{open} moor\nthe ship {close}\n");
                assert!(is_comment(&text), "{:?}", entry.language);
                let inner = format!("{opens}{open} a {open} b {close} c {close}\n");
                let holds = is_comment(&inner);
                assert!(holds || !nested, "{:?}", entry.language);
            }
            assert!(line.is_some() || block.is_some() || entry.language == Language::Json);
        }
    }
}
