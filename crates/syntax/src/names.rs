//! The names that stand more than once in one place.

use crate::language::{Entry, Language, Named};
use crate::node_kinds::{NodeKinds, Role};
use armistice_core::{LineIdx, Repeated};
use std::collections::HashMap;
use tree_sitter::Node;

/// A place, a kind and a name: what must be there once.
type Slot = (usize, &'static str, String);

/// Bytes of an item of a list that is compared with the others: shorter ones are flags, longer ones
/// data.
const ITEM_BYTES: (usize, usize) = (3, 120);

/// Where a node stands.
#[derive(Default)]
pub(crate) struct Around<'t> {
    /// The names of what it stands in.
    pub(crate) path: Vec<String>,
    /// What it stands in, outermost first.
    pub(crate) ancestors: Vec<Node<'t>>,
    /// Attributes and the like right before it, in order.
    pub(crate) attributes: Vec<Node<'t>>,
}

impl<'t> Around<'t> {
    /// Goes past a node to what stands behind it.
    pub(crate) fn pass(&mut self, node: Node<'t>, kinds: &NodeKinds) {
        if !node.is_named() {
            return;
        }
        if kinds.of(node).is_distinguishing {
            self.attributes.push(node);
        } else {
            self.attributes.clear();
        }
    }

    /// The node in which the name of the current one must stand once.
    fn place(&self, kinds: &NodeKinds) -> usize {
        let outer = self.ancestors.iter().rev();
        let mut outer = outer.skip_while(|node| kinds.of(**node).is_no_place);
        let whole = self.ancestors.first();
        outer.next().or(whole).map_or(0, Node::id)
    }
}

/// A name that a line declares or brings in.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Declared {
    /// Where it begins.
    pub line: LineIdx,
    /// What it is: "function", "class", "key", "import", …
    pub kind: &'static str,
    /// What it is called, with what tells it from its like.
    pub name: String,
}

/// Collects names while the tree is walked.
pub(crate) struct Names<'a> {
    entry: &'static Entry,
    pub(crate) kinds: &'static NodeKinds,
    bytes: &'a [u8],
    slots: HashMap<Slot, Vec<LineIdx>>,
    /// What each place is called.
    paths: HashMap<usize, Vec<String>>,
    order: Vec<Slot>,
}

impl<'a> Names<'a> {
    pub(crate) fn new(language: Language, bytes: &'a [u8]) -> Self {
        let entry = language.entry();
        Names {
            kinds: NodeKinds::of_language(language),
            entry,
            bytes,
            slots: HashMap::new(),
            paths: HashMap::new(),
            order: Vec::new(),
        }
    }

    /// Whether there is anything to look for.
    pub(crate) fn is_idle(&self) -> bool {
        let Entry {
            names,
            imports,
            lists,
            ..
        } = self.entry;
        names.is_empty() && imports.is_empty() && lists.is_empty()
    }

    fn text(&self, node: Node<'_>) -> String {
        let bytes = &self.bytes[node.byte_range()];
        String::from_utf8_lossy(bytes).into_owned()
    }

    /// Whether there is nothing to look for below a node.
    pub(crate) fn ends_at(&self, node: Node<'_>) -> bool {
        matches!(self.kinds.of(node).role, Role::Body | Role::Import)
    }

    /// Looks at one node. Gives the name that what is below stands in, if it has one.
    pub(crate) fn visit(&mut self, node: Node<'_>, around: &Around<'_>) -> Option<String> {
        let named = match self.kinds.of(node).role {
            Role::Named(named) => named,
            Role::Import => {
                self.import(node, around);
                return None;
            }
            Role::List => {
                self.items(node, around);
                return None;
            }
            Role::Other | Role::Body => return None,
        };
        let (name, told) = self.name(node, named)?;
        // In a pattern or a use a name may stand again.
        if name.is_empty() || node.has_error() && name.contains('\n') {
            return None;
        }
        let place = around.place(self.kinds);
        let attributes = self.attributes(node, around);
        let slot = (place, named.kind, format!("{name}{told}{attributes}"));
        self.paths
            .entry(place)
            .or_insert_with(|| around.path.clone());
        self.put(slot, node);
        Some(name)
    }

    fn put(&mut self, slot: Slot, node: Node<'_>) {
        let line = LineIdx(node.start_position().row as u32);
        let lines = self.slots.entry(slot.clone()).or_default();
        lines.push(line);
        if lines.len() == 2 {
            self.order.push(slot);
        }
    }

    /// The items of a list, as far as they say something: numbers and signs may well stand again.
    fn items(&mut self, list: Node<'_>, around: &Around<'_>) {
        let mut cursor = list.walk();
        for item in list.named_children(&mut cursor) {
            let text = &self.bytes[item.byte_range()];
            let is_short = (ITEM_BYTES.0..ITEM_BYTES.1).contains(&text.len());
            if !is_short || !text.iter().any(u8::is_ascii_alphabetic) || item.is_extra() {
                continue;
            }
            let name = words(&self.text(item));
            self.paths
                .entry(list.id())
                .or_insert_with(|| around.path.clone());
            self.put((list.id(), "list item", name), item);
        }
    }

    /// The name of a node, and what else tells it from its like.
    fn name(&self, node: Node<'_>, named: &Named) -> Option<(String, String)> {
        let of = match named.field {
            Some(field) => node.child_by_field_name(field)?,
            None => node.named_child(0)?,
        };
        // The name of a function in C stands inside of its declarator.
        let of = match named.field {
            Some("declarator") => innermost(of),
            _ => of,
        };
        let told = named
            .told_by
            .and_then(|field| node.child_by_field_name(field));
        let told = told.map_or(String::new(), |told| words(&self.text(told)));
        let told = match named.field {
            Some("declarator") => format!(" {told}"),
            _ => told,
        };
        Some((words(&self.text(of)), told))
    }

    /// Attributes and decorators in front of a node: a setter stands beside its getter.
    fn attributes(&self, node: Node<'_>, around: &Around<'_>) -> String {
        let mut out = String::new();
        let is_decorated =
            (around.ancestors.last()).is_some_and(|node| node.kind() == "decorated_definition");
        for attribute in around.attributes.iter().rev() {
            out += &words(&self.text(*attribute));
            if !is_decorated && attribute.kind() != "attribute_item" {
                break;
            }
        }
        let mut cursor = node.walk();
        for child in node.children(&mut cursor) {
            if matches!(child.kind(), "get" | "set" | "static") {
                out += child.kind();
            }
        }
        match out.is_empty() {
            true => out,
            false => format!(" {out}"),
        }
    }

    fn import(&mut self, node: Node<'_>, around: &Around<'_>) {
        let mut names = Vec::new();
        self.imported(node, &mut names);
        if names.is_empty() {
            names.push((words(&self.text(node)), node));
        }
        let root = 0;
        self.paths.entry(root).or_default();
        for (name, at) in names {
            // What is hidden behind an attribute stands beside its like.
            let attributes = self.attributes(node, around);
            self.put((root, "import", name + &attributes), at);
        }
    }

    /// The names that a node brings in, each with where it stands.
    fn imported<'t>(&self, node: Node<'t>, names: &mut Vec<(String, Node<'t>)>) {
        let text = |n: Node<'_>| words(&self.text(n));
        match node.kind() {
            "use_declaration" => {
                if let Some(argument) = node.child_by_field_name("argument") {
                    self.used(argument, names);
                }
            }
            "import_specifier" => {
                let local = node.child_by_field_name("alias");
                let local = local.or_else(|| node.child_by_field_name("name"));
                names.extend(local.map(|n| (text(n), n)));
            }
            "import_clause" => {
                let first = node.named_child(0).filter(|n| n.kind() == "identifier");
                names.extend(first.map(|n| (text(n), n)));
                let mut cursor = node.walk();
                let lists: Vec<Node<'t>> = node.named_children(&mut cursor).collect();
                for list in lists.into_iter().filter(|n| n.kind() != "identifier") {
                    let mut cursor = list.walk();
                    let inner: Vec<Node<'t>> = list.named_children(&mut cursor).collect();
                    match list.kind() {
                        "named_imports" => inner.into_iter().for_each(|n| self.imported(n, names)),
                        _ => names.extend(inner.first().map(|n| (text(*n), *n))),
                    }
                }
            }
            "import_statement" | "import_from_statement" => {
                let mut cursor = node.walk();
                let all: Vec<Node<'t>> = node.children_by_field_name("name", &mut cursor).collect();
                for name in all {
                    let local = name.child_by_field_name("alias").unwrap_or(name);
                    names.push((text(local), name));
                }
            }
            _ => {}
        }
    }

    /// The names that a `use` brings in.
    fn used<'t>(&self, node: Node<'t>, names: &mut Vec<(String, Node<'t>)>) {
        match node.kind() {
            "use_list" | "scoped_use_list" => {
                let list = node.child_by_field_name("list").unwrap_or(node);
                let mut cursor = list.walk();
                let inner: Vec<Node<'t>> = list.named_children(&mut cursor).collect();
                inner.into_iter().for_each(|n| self.used(n, names));
            }
            "use_as_clause" => {
                let alias = node.child_by_field_name("alias");
                let alias = alias.filter(|n| self.text(*n) != "_");
                names.extend(alias.map(|n| (words(&self.text(n)), node)));
            }
            "scoped_identifier" => {
                let name = node.child_by_field_name("name");
                names.extend(name.map(|n| (words(&self.text(n)), node)));
            }
            "identifier" => names.push((self.text(node), node)),
            _ => {}
        }
    }

    /// All that has a name, by where it stands.
    pub(crate) fn declared(self) -> Vec<Declared> {
        let all = self
            .slots
            .into_iter()
            .filter(|(slot, _)| slot.1 != "list item");
        let each = all.flat_map(|((_, kind, name), lines)| {
            lines.into_iter().map(move |line| Declared {
                line,
                kind,
                name: name.clone(),
            })
        });
        let mut declared: Vec<Declared> = each.collect();
        declared.sort_by(|a, b| (a.line, a.kind, &a.name).cmp(&(b.line, b.kind, &b.name)));
        declared
    }

    /// What stands more than once, in the order of the second.
    pub(crate) fn repeated(mut self) -> Vec<Repeated> {
        let order = std::mem::take(&mut self.order);
        let of = |slot: &Slot| Repeated {
            kind: slot.1,
            name: slot.2.clone(),
            path: self.paths.get(&slot.0).cloned().unwrap_or_default(),
            lines: self.slots.get(slot).cloned().unwrap_or_default(),
        };
        order.iter().map(of).collect()
    }
}

/// The name inside of pointers, parameters and the like.
fn innermost(node: Node<'_>) -> Node<'_> {
    let mut node = node;
    while let Some(inner) = node.child_by_field_name("declarator") {
        node = inner;
    }
    node
}

/// A text with its blanks taken together.
fn words(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}
