//! Which nodes of each language declare something, and where their names stand.

use crate::language::Language;

/// A kind of node that declares something.
#[derive(Clone, Copy, Debug)]
pub(crate) struct DeclaringKind {
    pub(crate) node: &'static str,
    /// What a person calls it.
    pub(crate) kind: &'static str,
    pub(crate) name: NameOf,
    /// Whether what is declared inside of it counts: not what stands in the body of a function.
    pub(crate) holds: bool,
}

/// Where the name of a node stands.
#[derive(Clone, Copy, Debug)]
pub(crate) enum NameOf {
    /// In a field.
    Field(&'static str),
    /// Inside of pointers and parameters, as in C.
    Declarator,
    /// In its first child.
    First,
    /// In two fields, the second of which is always there: a trait and the type it is for.
    Impl,
    /// All of it up to its body.
    Head,
    /// In its heading.
    Heading,
    /// In its opening tag, with what tells it from others.
    Tag,
}

const fn leaf(node: &'static str, kind: &'static str) -> DeclaringKind {
    DeclaringKind {
        node,
        kind,
        name: Field("name"),
        holds: false,
    }
}

const fn holder(node: &'static str, kind: &'static str) -> DeclaringKind {
    DeclaringKind {
        holds: true,
        ..leaf(node, kind)
    }
}

const fn by(name: NameOf, of: DeclaringKind) -> DeclaringKind {
    DeclaringKind { name, ..of }
}

use NameOf::{Declarator, Field, First, Head, Heading, Impl, Tag};

const BASH: &[DeclaringKind] = &[
    leaf("function_definition", "function"),
    leaf("variable_assignment", "variable"),
];

const C: &[DeclaringKind] = &[
    by(Declarator, leaf("function_definition", "function")),
    by(Declarator, leaf("declaration", "declaration")),
    by(Declarator, leaf("type_definition", "type")),
    holder("struct_specifier", "struct"),
    holder("union_specifier", "union"),
    holder("enum_specifier", "enum"),
    holder("class_specifier", "class"),
    holder("namespace_definition", "namespace"),
    by(Declarator, leaf("field_declaration", "field")),
    leaf("enumerator", "constant"),
    leaf("preproc_def", "macro"),
    leaf("preproc_function_def", "macro"),
    by(Head, holder("linkage_specification", "linkage")),
];

const C_SHARP: &[DeclaringKind] = &[
    holder("namespace_declaration", "namespace"),
    holder("class_declaration", "class"),
    holder("interface_declaration", "interface"),
    holder("struct_declaration", "struct"),
    holder("record_declaration", "record"),
    holder("enum_declaration", "enum"),
    leaf("enum_member_declaration", "constant"),
    leaf("property_declaration", "property"),
    leaf("method_declaration", "method"),
    leaf("constructor_declaration", "constructor"),
    leaf("variable_declarator", "field"),
    leaf("delegate_declaration", "delegate"),
];

const CSS: &[DeclaringKind] = &[
    by(Head, holder("rule_set", "rule")),
    by(Head, holder("media_statement", "media")),
    by(Head, holder("supports_statement", "supports")),
    by(Head, holder("keyframes_statement", "keyframes")),
    by(Head, holder("keyframe_block", "keyframe")),
    by(First, leaf("declaration", "property")),
];

const GO: &[DeclaringKind] = &[
    leaf("function_declaration", "function"),
    leaf("method_declaration", "method"),
    holder("type_spec", "type"),
    leaf("const_spec", "constant"),
    holder("var_spec", "variable"),
    leaf("field_declaration", "field"),
    leaf("method_elem", "method"),
    by(First, holder("keyed_element", "key")),
];

const HTML: &[DeclaringKind] = &[
    by(Tag, holder("element", "element")),
    by(Tag, leaf("script_element", "script")),
    by(Tag, leaf("style_element", "style")),
];

const JAVA: &[DeclaringKind] = &[
    holder("class_declaration", "class"),
    holder("interface_declaration", "interface"),
    holder("enum_declaration", "enum"),
    holder("record_declaration", "record"),
    holder("annotation_type_declaration", "annotation"),
    leaf("enum_constant", "constant"),
    by(Declarator, leaf("field_declaration", "field")),
    leaf("method_declaration", "method"),
    leaf("constructor_declaration", "constructor"),
];

const SCRIPT: &[DeclaringKind] = &[
    leaf("function_declaration", "function"),
    leaf("generator_function_declaration", "function"),
    leaf("function_signature", "function"),
    holder("class_declaration", "class"),
    holder("abstract_class_declaration", "class"),
    leaf("method_definition", "method"),
    leaf("method_signature", "method"),
    leaf("abstract_method_signature", "method"),
    leaf("public_field_definition", "field"),
    by(Field("property"), leaf("field_definition", "field")),
    leaf("property_signature", "property"),
    holder("interface_declaration", "interface"),
    holder("enum_declaration", "enum"),
    leaf("enum_assignment", "constant"),
    leaf("type_alias_declaration", "type"),
    holder("internal_module", "namespace"),
    holder("module", "module"),
    holder("variable_declarator", "variable"),
    by(Field("key"), holder("pair", "key")),
];

const JSON: &[DeclaringKind] = &[by(Field("key"), holder("pair", "key"))];

const MARKDOWN: &[DeclaringKind] = &[by(Heading, holder("section", "section"))];

const PHP: &[DeclaringKind] = &[
    leaf("function_definition", "function"),
    holder("class_declaration", "class"),
    holder("interface_declaration", "interface"),
    holder("trait_declaration", "trait"),
    holder("enum_declaration", "enum"),
    leaf("enum_case", "constant"),
    leaf("method_declaration", "method"),
    leaf("property_element", "property"),
    by(First, leaf("const_element", "constant")),
    holder("namespace_definition", "namespace"),
    by(First, holder("array_element_initializer", "key")),
];

const PYTHON: &[DeclaringKind] = &[
    leaf("function_definition", "function"),
    holder("class_definition", "class"),
    by(Field("left"), holder("assignment", "variable")),
    by(Field("key"), holder("pair", "key")),
];

const RUBY: &[DeclaringKind] = &[
    leaf("method", "method"),
    leaf("singleton_method", "method"),
    holder("class", "class"),
    holder("module", "module"),
    by(Field("left"), holder("assignment", "variable")),
    by(Field("key"), holder("pair", "key")),
];

const RUST: &[DeclaringKind] = &[
    leaf("function_item", "function"),
    leaf("function_signature_item", "function"),
    holder("struct_item", "struct"),
    holder("enum_item", "enum"),
    holder("union_item", "union"),
    holder("trait_item", "trait"),
    by(Impl, holder("impl_item", "impl")),
    leaf("type_item", "type"),
    leaf("associated_type", "type"),
    holder("mod_item", "module"),
    leaf("const_item", "constant"),
    leaf("static_item", "static"),
    leaf("macro_definition", "macro"),
    holder("enum_variant", "variant"),
    leaf("field_declaration", "field"),
];

const TOML: &[DeclaringKind] = &[
    by(First, holder("table", "table")),
    by(First, holder("table_array_element", "table")),
    by(First, holder("pair", "key")),
];

const YAML: &[DeclaringKind] = &[
    by(Field("key"), holder("block_mapping_pair", "key")),
    by(Field("key"), holder("flow_pair", "key")),
];

pub(crate) fn kinds_of(language: Language) -> &'static [DeclaringKind] {
    match language {
        Language::Bash => BASH,
        Language::C | Language::Cpp => C,
        Language::CSharp => C_SHARP,
        Language::Css => CSS,
        Language::Go => GO,
        Language::Html => HTML,
        Language::Java => JAVA,
        Language::JavaScript | Language::Tsx | Language::TypeScript => SCRIPT,
        Language::Json => JSON,
        Language::Markdown => MARKDOWN,
        Language::Php => PHP,
        Language::Python => PYTHON,
        Language::Ruby => RUBY,
        Language::Rust => RUST,
        Language::Toml => TOML,
        Language::Yaml => YAML,
    }
}
