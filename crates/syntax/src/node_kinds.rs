//! What each kind of node is, by the number that its grammar gives it: to compare names of kinds takes
//! longer than to parse.

use crate::kinds::{DeclaringKind, kinds_of};
use crate::language::{Entry, LANGUAGES, Language, Named};
use std::sync::OnceLock;
use tree_sitter::{Language as Grammar, Node};

/// What a kind of node is to those who walk a tree.
#[derive(Clone, Copy, Default)]
pub(crate) struct NodeKind {
    pub(crate) is_comment: bool,
    /// Whether it belongs to the declaration below it.
    pub(crate) is_attribute: bool,
    /// Whether what is declared below it is of no interest: it runs.
    pub(crate) is_code: bool,
    /// Whether it may stand around a single declaration.
    pub(crate) is_wrapper: bool,
    /// An end tag without a start tag, which is no error to the parser.
    pub(crate) is_odd_tag: bool,
    /// What it declares, if a node of it is named.
    pub(crate) declaring: Option<&'static DeclaringKind>,
    pub(crate) role: Role,
    /// Whether it may be anywhere among its siblings.
    pub(crate) is_free: bool,
    /// Whether it runs, counts or overrides in the order in which it stands.
    pub(crate) is_ordered: bool,
    /// Whether its parts do not depend on each other.
    pub(crate) has_independent_parts: bool,
    /// A member of an enumeration wherever it stands.
    pub(crate) is_enum_member: bool,
    /// What holds the members of an enumeration.
    pub(crate) holds_enum: bool,
    /// A set, whose items may be in any order.
    pub(crate) is_set: bool,
    /// A start tag, which holds the attributes.
    pub(crate) is_tag: bool,
    /// An attribute of a tag, or a member of an object in Python.
    pub(crate) is_attribute_or_member: bool,
    pub(crate) is_import_statement: bool,
    /// A list or tuple of Python, or what is called so elsewhere.
    pub(crate) is_list_or_tuple: bool,
    /// Whether it tells the declaration behind it from its like.
    pub(crate) is_distinguishing: bool,
    /// Whether it stands around a single declaration and is no place of its own.
    pub(crate) is_no_place: bool,
}

/// What a kind of node is in the search for repeated names.
#[derive(Clone, Copy, Default)]
pub(crate) enum Role {
    #[default]
    Other,
    Import,
    Named(&'static Named),
    /// Holds items of which each is to stand once.
    List,
    /// Holds nothing that has to stand once.
    Body,
}

/// Nodes that stand around a single declaration.
const WRAPPERS: [&str; 18] = [
    "export_statement",
    "decorated_definition",
    "lexical_declaration",
    "variable_declaration",
    "type_declaration",
    "const_declaration",
    "var_declaration",
    "local_variable_declaration",
    "template_declaration",
    "expression_statement",
    "ambient_declaration",
    "declaration",
    "type_definition",
    "field_declaration",
    "property_declaration",
    "attributed_declaration",
    "namespace_body",
    "declaration_with_attributes",
];

/// Nodes that stand around a single declaration and are no place of their own.
const NO_PLACES: [&str; 14] = [
    "export_statement",
    "decorated_definition",
    "lexical_declaration",
    "variable_declaration",
    "type_declaration",
    "const_declaration",
    "var_declaration",
    "field_declaration",
    "local_variable_declaration",
    "property_declaration",
    "import_clause",
    "template_declaration",
    "block_node",
    "attribute_item",
];

const DISTINGUISHING: [&str; 4] = [
    "attribute_item",
    "decorator",
    "modifiers",
    "marker_annotation",
];

const ENUM_MEMBERS: [&str; 4] = [
    "enumerator",
    "enum_variant",
    "enum_assignment",
    "enum_member_declaration",
];

const ATTRIBUTES: [&str; 4] = [
    "attribute_item",
    "decorator",
    "attribute_list",
    "annotation",
];

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

/// The kinds of nodes of one grammar.
pub(crate) struct NodeKinds(Vec<NodeKind>);

/// Those of each language, worked out once.
static KINDS: [OnceLock<NodeKinds>; LANGUAGES.len()] = [const { OnceLock::new() }; LANGUAGES.len()];

impl NodeKinds {
    /// Those of a language.
    pub(crate) fn of_language(language: Language) -> &'static Self {
        let read = || {
            let (grammar, entry) = (language.grammar(), language.entry());
            let ids = 0..grammar.node_kind_count() as u16;
            NodeKinds(ids.map(|id| kind(id, &grammar, entry)).collect())
        };
        KINDS[language as usize].get_or_init(read)
    }

    /// What a node is; nothing known of one that makes no sense.
    pub(crate) fn of(&self, node: Node<'_>) -> NodeKind {
        let found = self.0.get(node.kind_id() as usize);
        found.copied().unwrap_or_default()
    }
}

fn kind(id: u16, grammar: &Grammar, entry: &'static Entry) -> NodeKind {
    let name = grammar.node_kind_for_id(id).unwrap_or_default();
    let is_named = grammar.node_kind_is_named(id);
    let declaring = kinds_of(entry.language).iter().find(|k| k.node == name);
    NodeKind {
        is_comment: name.contains("comment"),
        is_attribute: ATTRIBUTES.contains(&name),
        is_code: ["function", "lambda", "closure"]
            .iter()
            .any(|word| name.contains(word)),
        is_wrapper: WRAPPERS.contains(&name),
        is_odd_tag: name == "erroneous_end_tag",
        declaring,
        role: match is_named {
            true => role(name, entry),
            false => Role::Other,
        },
        is_free: is_named && FREE.contains(&name),
        is_ordered: ORDERED.contains(&name),
        has_independent_parts: INDEPENDENT.contains(&name),
        is_enum_member: is_named && ENUM_MEMBERS.contains(&name),
        holds_enum: matches!(name, "enum_body" | "enum_declaration_list"),
        is_set: name == "set",
        is_tag: name.ends_with("_tag"),
        is_attribute_or_member: name == "attribute",
        is_import_statement: name == "import_statement",
        is_list_or_tuple: matches!(name, "list" | "tuple"),
        is_distinguishing: DISTINGUISHING.contains(&name),
        is_no_place: NO_PLACES.contains(&name),
    }
}

fn role(name: &str, entry: &'static Entry) -> Role {
    if entry.imports.contains(&name) {
        Role::Import
    } else if entry.lists.contains(&name) {
        Role::List
    } else if entry.bodies.contains(&name) {
        Role::Body
    } else {
        let named = entry.names.iter().find(|n| n.node == name);
        named.map_or(Role::Other, Role::Named)
    }
}
