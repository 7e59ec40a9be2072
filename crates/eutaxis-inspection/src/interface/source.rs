//! Reading a source: what it binds at its top level, and what it takes whatever happens.
//!
//! What stands under any `if`, `try`, `with`, loop or `match`, in functions, in one branch of an
//! expression, may not happen: what is bound there counts, what is taken there does not.

use std::collections::{BTreeMap, BTreeSet};

use tree_sitter::Node;

use super::marks::Marks;
use super::module::{How, Module, Open, Take};
use super::skeleton::skeleton;
use crate::grammar::{self, DEEPEST, MOST_BYTES, line_of};

impl Module {
    /// Reads the source of a module. What cannot be read in whole gives more than is told.
    ///
    /// ```
    /// use eutaxis_inspection::interface::Module;
    ///
    /// let read = Module::read(b"from katabat.urls import parse_url\nclass Sastruga: pass\n");
    /// assert!(read.gives("Sastruga") && read.gives("parse_url"));
    /// assert_eq!(read.takes[0].module, "katabat.urls");
    /// ```
    pub fn read(source: &[u8]) -> Module {
        let unread = || Module {
            open: Some(Open::Unread),
            ..Module::default()
        };
        if source.len() > MOST_BYTES {
            return unread();
        }
        let left = skeleton(source);
        let tree = grammar::tree(&left.text);
        let Some(tree) = tree else {
            return unread();
        };
        let marks = Marks::read(source, &left.text);
        let mut reading = Reading::of(&left.text);
        left.globals.into_iter().for_each(|n| reading.bind(n));
        reading.block(tree.root_node(), Where::Top);
        reading.done(marks, tree.root_node().has_error())
    }
}

/// Where a statement stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Where {
    /// It happens, and binds in the module.
    Top,
    /// It may happen, and binds in the module.
    Perhaps,
    /// It happens, and binds in a class.
    Class,
    /// It may happen, in a class.
    ClassPerhaps,
}

impl Where {
    fn happens(self) -> bool {
        matches!(self, Where::Top | Where::Class)
    }

    fn in_class(self) -> bool {
        matches!(self, Where::Class | Where::ClassPerhaps)
    }

    fn perhaps(self) -> Where {
        if self.in_class() {
            Where::ClassPerhaps
        } else {
            Where::Perhaps
        }
    }

    fn class(self) -> Where {
        if self.happens() {
            Where::Class
        } else {
            Where::ClassPerhaps
        }
    }
}

/// What a name in the module stands for.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Stands {
    /// A module, or a name of one, imported whatever happens.
    Import {
        level: u8,
        module: String,
        path: Vec<String>,
    },
    /// Something else, or one of several.
    Other,
}

struct Reading<'a> {
    text: &'a [u8],
    names: BTreeSet<String>,
    stands: BTreeMap<String, Stands>,
    /// Names that some import binds, whether it happens or not.
    imported: BTreeSet<String>,
    takes: Vec<Take>,
    /// Names that are used of names: the name, what is used of it, line, how.
    uses: Vec<(String, Vec<String>, u32, How)>,
    /// What is set in names: the name, and what.
    sets: Vec<(String, String)>,
    open: Option<Open>,
    /// Annotations are texts (PEP 563).
    annotations_kept: bool,
    /// What follows is not reached.
    ended: bool,
    depth: usize,
}

impl<'a> Reading<'a> {
    fn of(text: &'a [u8]) -> Self {
        Reading {
            text,
            names: BTreeSet::new(),
            stands: BTreeMap::new(),
            imported: BTreeSet::new(),
            takes: Vec::new(),
            uses: Vec::new(),
            sets: Vec::new(),
            open: None,
            annotations_kept: false,
            ended: false,
            depth: 0,
        }
    }

    fn word(&self, node: Node<'_>) -> String {
        grammar::word(self.text, node)
    }

    fn dotted(&self, node: Node<'_>) -> String {
        grammar::dotted(self.text, node)
    }

    fn opens(&mut self, why: Open) {
        self.open.get_or_insert(why);
    }

    /// A name is bound to something that is no import.
    fn bind(&mut self, name: String) {
        self.stands.insert(name.clone(), Stands::Other);
        self.names.insert(name);
    }

    fn bind_import(&mut self, name: String, to: Stands, at: Where) {
        self.imported.insert(name.clone());
        if at.in_class() {
            self.stands.insert(name, Stands::Other);
            return;
        }
        let to = if at.happens() { to } else { Stands::Other };
        let same = self.stands.get(&name).is_none_or(|known| *known == to);
        let known = if same { to } else { Stands::Other };
        self.stands.insert(name.clone(), known);
        self.names.insert(name);
    }

    /// Reads what is nested in a node, unless that is too deep.
    fn deeper(&mut self, read: impl FnOnce(&mut Self)) {
        if self.depth >= DEEPEST {
            self.opens(Open::Unread);
            return;
        }
        self.depth += 1;
        read(self);
        self.depth -= 1;
    }

    fn children(&mut self, node: Node<'_>, read: impl Fn(&mut Self, Node<'_>)) {
        self.deeper(|reading| {
            let mut cursor = node.walk();
            for part in node.named_children(&mut cursor) {
                read(reading, part);
            }
        });
    }

    /// All names of a pattern, bound.
    fn bind_all(&mut self, pattern: Node<'_>, at: Where) {
        match pattern.kind() {
            "identifier" if at.in_class() => {
                self.stands.insert(self.word(pattern), Stands::Other);
            }
            "identifier" => self.bind(self.word(pattern)),
            "attribute" => self.set_in(pattern),
            "subscript" => {}
            _ => self.children(pattern, |reading, part| reading.bind_all(part, at)),
        }
    }

    fn set_in(&mut self, attribute: Node<'_>) {
        if let Some((root, path)) = self.chain(attribute)
            && let Some(last) = path.last()
        {
            self.sets.push((root, last.clone()));
        }
    }

    fn block(&mut self, block: Node<'_>, at: Where) {
        self.children(block, |reading, statement| reading.statement(statement, at));
    }

    fn statement(&mut self, node: Node<'_>, at: Where) {
        let at = if self.ended { at.perhaps() } else { at };
        match node.kind() {
            "import_statement" => self.import(node, at),
            "import_from_statement" => self.import_from(node, at),
            "future_import_statement" => {
                self.annotations_kept |= self.word(node).contains("annotations");
            }
            "expression_statement" => {
                self.children(node, |reading, part| reading.expression_statement(part, at));
            }
            "function_definition" => self.function(node, at),
            "class_definition" => self.class(node, at),
            "decorated_definition" => self.children(node, |reading, part| {
                if part.kind() == "decorator" {
                    reading.evaluated(part, at);
                } else {
                    reading.statement(part, at);
                }
            }),
            "raise_statement" => self.ended |= at == Where::Top,
            "exec_statement" => self.opens(Open::Executes),
            "type_alias_statement" => {
                if let Some(left) = node.child_by_field_name("left") {
                    self.bind_all(left, at);
                }
            }
            "return_statement" | "assert_statement" | "print_statement" => {
                self.evaluated(node, at);
            }
            "ERROR" => {}
            _ => self.compound(node, at.perhaps()),
        }
    }

    /// A statement with blocks, of which nothing is sure to happen.
    fn compound(&mut self, node: Node<'_>, at: Where) {
        let is_except = node.kind() == "except_clause";
        self.children(node, |reading, part| match part.kind() {
            "block" => reading.block(part, at),
            "for_in_clause" | "as_pattern_target" | "case_pattern" => reading.bind_all(part, at),
            "as_pattern" | "with_item" => reading.compound(part, at),
            kind if kind.ends_with("_clause") => reading.compound(part, at),
            // `except Error, name:` of old.
            "identifier" if is_except => reading.bind_all(part, at),
            _ => reading.bound_within(part, at),
        });
        if let Some(left) = node.child_by_field_name("left") {
            self.bind_all(left, at);
        }
    }

    /// Names that an expression binds (PEP 572).
    fn bound_within(&mut self, node: Node<'_>, at: Where) {
        if node.kind() == "named_expression" {
            if let Some(name) = node.child_by_field_name("name") {
                self.bind_all(name, at);
            }
        } else if node.kind() == "call" {
            self.call(node);
        }
        self.children(node, |reading, part| reading.bound_within(part, at));
    }

    fn call(&mut self, node: Node<'_>) {
        let name = node.child_by_field_name("function").map(|f| self.word(f));
        if matches!(name.as_deref(), Some("exec" | "execfile" | "eval")) {
            self.opens(Open::Executes);
        }
    }

    fn import(&mut self, node: Node<'_>, at: Where) {
        let line = line_of(node);
        let mut cursor = node.walk();
        for part in node.children_by_field_name("name", &mut cursor) {
            let (module, alias) = self.imported(part);
            if at.happens() {
                self.take(0, &module, Vec::new(), line, How::Import);
            }
            let (name, to) = match alias {
                Some(alias) => (alias, module),
                // `import a.b` binds `a`.
                None => {
                    let top = module.split('.').next().unwrap_or_default().to_owned();
                    (top.clone(), top)
                }
            };
            let stands = Stands::Import {
                level: 0,
                module: to,
                path: Vec::new(),
            };
            self.bind_import(name, stands, at);
        }
    }

    /// What an import names, and the name that it is given.
    fn imported(&self, part: Node<'_>) -> (String, Option<String>) {
        if part.kind() == "aliased_import" {
            let name = part.child_by_field_name("name").map(|n| self.dotted(n));
            let alias = part.child_by_field_name("alias").map(|n| self.word(n));
            return (name.unwrap_or_default(), alias);
        }
        (self.dotted(part), None)
    }

    fn import_from(&mut self, node: Node<'_>, at: Where) {
        let Some(from) = node.child_by_field_name("module_name") else {
            return;
        };
        let text = self.dotted(from);
        let module = text.trim_start_matches('.').to_owned();
        let level = u8::try_from(text.len() - module.len()).unwrap_or(u8::MAX);
        let mut cursor = node.walk();
        if node
            .named_children(&mut cursor)
            .any(|n| n.kind() == "wildcard_import")
        {
            self.opens(Open::Star);
            if at.happens() {
                self.take(level, &module, Vec::new(), line_of(node), How::Import);
            }
            return;
        }
        let mut cursor = node.walk();
        for part in node.children_by_field_name("name", &mut cursor) {
            let (name, alias) = self.imported(part);
            if name.is_empty() {
                continue;
            }
            if at.happens() {
                let path = vec![name.clone()];
                self.take(level, &module, path, line_of(part), How::From);
            }
            let stands = Stands::Import {
                level,
                module: module.clone(),
                path: vec![name.clone()],
            };
            self.bind_import(alias.unwrap_or(name), stands, at);
        }
    }

    fn take(&mut self, level: u8, module: &str, path: Vec<String>, line: u32, how: How) {
        self.takes.push(Take {
            level,
            module: module.to_owned(),
            path,
            line,
            how,
        });
    }

    fn expression_statement(&mut self, node: Node<'_>, at: Where) {
        match node.kind() {
            "assignment" | "augmented_assignment" => {
                if let Some(kind) = node.child_by_field_name("type") {
                    self.annotation(kind, at);
                }
                let left = node.child_by_field_name("left");
                if let Some(right) = node.child_by_field_name("right") {
                    self.deeper(|reading| reading.expression_statement(right, at));
                }
                if let Some(left) = left {
                    if left.kind() == "attribute" && node.kind() == "augmented_assignment" {
                        self.evaluated(left, at);
                    }
                    self.bind_all(left, at);
                    self.evaluated_in(left, at);
                }
            }
            _ => self.evaluated(node, at),
        }
    }

    /// What is evaluated to find out where something is put: `a.b[c.d] = ...`.
    fn evaluated_in(&mut self, left: Node<'_>, at: Where) {
        match left.kind() {
            "identifier" => {}
            "subscript" => self.evaluated(left, at),
            "attribute" => {
                if let Some(object) = left.child_by_field_name("object") {
                    self.evaluated(object, at);
                }
            }
            _ => self.children(left, |reading, part| reading.evaluated_in(part, at)),
        }
    }

    fn function(&mut self, node: Node<'_>, at: Where) {
        if let Some(parameters) = node.child_by_field_name("parameters") {
            let mut cursor = parameters.walk();
            for parameter in parameters.named_children(&mut cursor) {
                if let Some(value) = parameter.child_by_field_name("value") {
                    self.evaluated(value, at);
                }
                if let Some(kind) = parameter.child_by_field_name("type") {
                    self.annotation(kind, at);
                }
            }
        }
        if let Some(kind) = node.child_by_field_name("return_type") {
            self.annotation(kind, at);
        }
        if let Some(name) = node.child_by_field_name("name") {
            let text = self.word(name);
            if text == "__getattr__" && !at.in_class() {
                self.opens(Open::Answers);
            }
            self.bind_all(name, at);
        }
    }

    fn class(&mut self, node: Node<'_>, at: Where) {
        if let Some(bases) = node.child_by_field_name("superclasses") {
            self.evaluated(bases, at);
        }
        if let Some(body) = node.child_by_field_name("body") {
            self.block(body, at.class());
        }
        if let Some(name) = node.child_by_field_name("name") {
            self.bind_all(name, at);
        }
    }

    fn annotation(&mut self, node: Node<'_>, at: Where) {
        if !self.annotations_kept {
            let from = self.uses.len();
            self.evaluated(node, at);
            for used in self.uses.iter_mut().skip(from) {
                used.3 = How::Annotation;
            }
        }
    }

    /// An expression that is evaluated where it stands.
    fn evaluated(&mut self, node: Node<'_>, at: Where) {
        match node.kind() {
            "attribute" => {
                if let Some((root, path)) = self.chain(node) {
                    if at.happens() {
                        self.uses.push((root, path, line_of(node), How::Use));
                    }
                } else if let Some(object) = node.child_by_field_name("object") {
                    self.deeper(|reading| reading.evaluated(object, at));
                }
            }
            // Of these a part may be left out.
            "lambda"
            | "conditional_expression"
            | "generator_expression"
            | "list_comprehension"
            | "set_comprehension"
            | "dictionary_comprehension" => {
                self.bound_within(node, at.perhaps());
            }
            "boolean_operator" => {
                if let Some(left) = node.child_by_field_name("left") {
                    self.evaluated(left, at);
                }
                if let Some(right) = node.child_by_field_name("right") {
                    self.bound_within(right, at.perhaps());
                }
            }
            "named_expression" => {
                if let Some(name) = node.child_by_field_name("name") {
                    self.bind_all(name, at);
                }
                if let Some(value) = node.child_by_field_name("value") {
                    self.evaluated(value, at);
                }
            }
            "string" | "concatenated_string" => self.bound_within(node, at.perhaps()),
            kind => {
                if kind == "call" {
                    self.call(node);
                }
                self.children(node, |reading, part| reading.evaluated(part, at));
            }
        }
    }

    /// `a.b.c` as `a` and what is used of it; none when it begins with something else.
    fn chain(&self, node: Node<'_>) -> Option<(String, Vec<String>)> {
        let mut path = Vec::new();
        let mut node = node;
        while node.kind() == "attribute" {
            path.push(self.word(node.child_by_field_name("attribute")?));
            node = node.child_by_field_name("object")?;
        }
        path.reverse();
        (node.kind() == "identifier").then(|| (self.word(node), path))
    }

    fn done(mut self, marks: Marks, broken: bool) -> Module {
        for (root, path, line, how) in std::mem::take(&mut self.uses) {
            if let Some(Stands::Import {
                level,
                module,
                path: taken,
            }) = self.stands.get(&root).cloned()
            {
                let path = taken.into_iter().chain(path).collect();
                self.take(level, &module, path, line, how);
            }
        }
        let imported = &self.imported;
        let of_imports = |(root, name): (String, String)| imported.contains(&root).then_some(name);
        let mut sets: Vec<String> = self.sets.into_iter().filter_map(of_imports).collect();
        let told = marks.sets.into_iter();
        sets.extend(told.filter_map(of_imports));
        sets.sort();
        sets.dedup();
        let mut makes = marks.makes;
        if marks.sets_by_name.iter().any(|n| imported.contains(n)) {
            makes.push(None);
        }
        makes.sort();
        makes.dedup();
        if broken {
            self.open.get_or_insert(Open::Unread);
            self.takes.clear();
        }
        let answers = self.names.contains("__getattr__").then_some(Open::Answers);
        self.takes.sort_by_key(|t| t.line);
        self.takes.dedup();
        Module {
            open: self
                .open
                .or(answers)
                .or(marks.writes.then_some(Open::Writes)),
            names: self.names.into_iter().collect(),
            takes: self.takes,
            makes,
            sets,
            moves_path: marks.moves_path,
            finds: marks.finds,
        }
    }
}
