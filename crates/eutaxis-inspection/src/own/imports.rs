//! The imports of a source, all of them, with what each hangs on: also those in functions, which the
//! reading of modules ([`crate::interface`]) leaves out, since importing the module does not run
//! them.

use tree_sitter::Node;

use crate::grammar::{self, DEEPEST, line_of};

/// What an import hangs on.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Manner {
    /// It happens whenever the file is run or imported.
    Always,
    /// It happens when a function is called: its name.
    Within(String),
    /// It stands under a condition.
    Perhaps,
    /// What follows where it fails is written beside it.
    Guarded,
    /// For checkers of types only (`if TYPE_CHECKING`), and never run.
    Typing,
}

/// A module that a source imports.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Import {
    /// Its name, from the top.
    pub module: String,
    /// What is taken of it: a name, or a module in it.
    pub name: Option<String>,
    /// The line, from 1.
    pub line: u32,
    /// What it hangs on.
    pub manner: Manner,
}

/// The imports of a source that name a module from the top, in their order; and the first line that
/// cannot be read, if there is one.
pub(super) fn read(source: &[u8]) -> (Vec<Import>, Option<u32>) {
    let source = source.strip_prefix(b"\xef\xbb\xbf").unwrap_or(source);
    let tree = grammar::tree(source);
    let Some(tree) = tree else {
        return (Vec::new(), Some(1));
    };
    let mut reading = Reading {
        text: source,
        found: Vec::new(),
        broken: None,
    };
    reading.node(tree.root_node(), &Manner::Always, 0);
    (reading.found, reading.broken)
}

struct Reading<'a> {
    text: &'a [u8],
    found: Vec<Import>,
    broken: Option<u32>,
}

impl Reading<'_> {
    fn word(&self, node: Node<'_>) -> String {
        grammar::word(self.text, node)
    }

    fn dotted(&self, node: Node<'_>) -> String {
        grammar::dotted(self.text, node)
    }

    fn node(&mut self, node: Node<'_>, manner: &Manner, depth: usize) {
        if depth > DEEPEST {
            self.broken.get_or_insert(line_of(node));
            return;
        }
        let child = match node.kind() {
            "ERROR" => {
                self.broken.get_or_insert(line_of(node));
                manner.clone()
            }
            "import_statement" => return self.import(node, manner),
            "import_from_statement" => return self.import_from(node, manner),
            "function_definition" | "lambda" => {
                let name = node.child_by_field_name("name").map(|n| self.word(n));
                let within = Manner::Within(name.unwrap_or_else(|| "a lambda".to_owned()));
                hanging(manner, within)
            }
            "call" => {
                self.by_word(node, manner);
                manner.clone()
            }
            "try_statement" => return self.attempt(node, manner, depth),
            "with_statement" if self.suppresses(node) => hanging(manner, Manner::Guarded),
            "if_statement" => return self.condition(node, manner, depth),
            "while_statement" | "for_statement" | "match_statement" => {
                hanging(manner, Manner::Perhaps)
            }
            _ => manner.clone(),
        };
        self.children(node, &child, depth);
    }

    fn children(&mut self, node: Node<'_>, manner: &Manner, depth: usize) {
        let mut cursor = node.walk();
        for part in node.named_children(&mut cursor) {
            self.node(part, manner, depth + 1);
        }
    }

    /// `try`: where a handler takes failed imports, what stands in it is guarded, and so is what the
    /// handler imports instead.
    fn attempt(&mut self, node: Node<'_>, manner: &Manner, depth: usize) {
        let mut cursor = node.walk();
        let parts: Vec<Node<'_>> = node.named_children(&mut cursor).collect();
        let guards = parts.iter().any(|p| self.takes_failed_imports(*p));
        let inside = match guards {
            true => hanging(manner, Manner::Guarded),
            false => manner.clone(),
        };
        for part in parts {
            match part.kind() {
                "except_clause" | "except_group_clause" if guards => {
                    self.children(part, &inside, depth + 1);
                }
                "except_clause" | "except_group_clause" => {
                    self.children(part, &hanging(manner, Manner::Perhaps), depth + 1);
                }
                "block" => self.children(part, &inside, depth + 1),
                _ => self.node(part, manner, depth + 1),
            }
        }
    }

    /// `except ImportError`, `except (ImportError, ...)`, `except Exception`, `except:`.
    fn takes_failed_imports(&self, clause: Node<'_>) -> bool {
        if !matches!(clause.kind(), "except_clause" | "except_group_clause") {
            return false;
        }
        let mut cursor = clause.walk();
        let stated = clause
            .named_children(&mut cursor)
            .find(|part| !matches!(part.kind(), "block" | "comment"));
        let Some(stated) = stated else { return true };
        let text = self.word(stated);
        let mut words = text.split(|c: char| !c.is_alphanumeric() && c != '_');
        words.any(is_failed_import)
    }

    /// `with suppress(ImportError)`.
    fn suppresses(&self, node: Node<'_>) -> bool {
        let mut cursor = node.walk();
        let head = node
            .named_children(&mut cursor)
            .find(|part| part.kind() == "with_clause");
        let text = head.map(|h| self.word(h)).unwrap_or_default();
        let mut words = text.split(|c: char| !c.is_alphanumeric() && c != '_');
        text.contains("suppress") && words.any(is_failed_import)
    }

    fn condition(&mut self, node: Node<'_>, manner: &Manner, depth: usize) {
        let condition = node.child_by_field_name("condition");
        let text = condition.map(|c| self.word(c)).unwrap_or_default();
        // Whoever runs the file runs what stands under it.
        let is_main = text.contains("__name__");
        let for_types = text.contains("TYPE_CHECKING") && !text.contains("not ");
        let first = match (is_main, for_types) {
            (true, _) => manner.clone(),
            (_, true) => hanging(manner, Manner::Typing),
            _ => hanging(manner, Manner::Perhaps),
        };
        let other = hanging(manner, Manner::Perhaps);
        let mut cursor = node.walk();
        for part in node.named_children(&mut cursor) {
            let of = match part.kind() {
                "block" => &first,
                _ => &other,
            };
            self.node(part, of, depth + 1);
        }
    }

    fn import(&mut self, node: Node<'_>, manner: &Manner) {
        let mut cursor = node.walk();
        let named: Vec<Node<'_>> = node.children_by_field_name("name", &mut cursor).collect();
        for part in named {
            let name = match part.kind() {
                "aliased_import" => part.child_by_field_name("name"),
                _ => Some(part),
            };
            let module = name.map(|n| self.dotted(n)).unwrap_or_default();
            self.take(module, None, part, manner);
        }
    }

    fn import_from(&mut self, node: Node<'_>, manner: &Manner) {
        let Some(from) = node.child_by_field_name("module_name") else {
            return;
        };
        let module = self.dotted(from);
        // What begins with a dot is one's own.
        if module.starts_with('.') {
            return;
        }
        let mut cursor = node.walk();
        let named: Vec<Node<'_>> = node.children_by_field_name("name", &mut cursor).collect();
        if named.is_empty() {
            self.take(module, None, from, manner);
            return;
        }
        for part in named {
            let name = match part.kind() {
                "aliased_import" => part.child_by_field_name("name"),
                _ => Some(part),
            };
            let name = name.map(|n| self.dotted(n));
            self.take(module.clone(), name, part, manner);
        }
    }

    /// `importlib.import_module("radargram")`, `__import__("radargram")`: the name is written out.
    fn by_word(&mut self, node: Node<'_>, manner: &Manner) {
        let function = node.child_by_field_name("function").map(|f| self.dotted(f));
        let function = function.unwrap_or_default();
        let is_import = function == "__import__"
            || function == "import_module"
            || function.ends_with(".import_module");
        if !is_import {
            return;
        }
        let Some(arguments) = node.child_by_field_name("arguments") else {
            return;
        };
        let mut cursor = arguments.walk();
        let first = arguments.named_children(&mut cursor).next();
        let text = first.filter(|f| f.kind() == "string").map(|f| self.word(f));
        let name = text.as_deref().unwrap_or_default();
        let name = name.trim_matches(|c| c == '"' || c == '\'');
        self.take(name.to_owned(), None, node, manner);
    }

    fn take(&mut self, module: String, name: Option<String>, node: Node<'_>, manner: &Manner) {
        let is_name = |part: &str| eutaxis_standards::name::is_identifier(part);
        if module.split('.').all(is_name) {
            self.found.push(Import {
                module,
                name,
                line: line_of(node),
                manner: manner.clone(),
            });
        }
    }
}

/// What hangs on two things: what lets it fail without harm counts first.
fn hanging(outer: &Manner, inner: Manner) -> Manner {
    match outer {
        Manner::Typing | Manner::Guarded => outer.clone(),
        Manner::Within(_) if !matches!(inner, Manner::Typing | Manner::Guarded) => outer.clone(),
        Manner::Perhaps if inner == Manner::Perhaps => outer.clone(),
        Manner::Within(_) | Manner::Perhaps | Manner::Always => inner,
    }
}

/// An exception that takes failed imports.
fn is_failed_import(word: &str) -> bool {
    matches!(
        word,
        "ImportError" | "ModuleNotFoundError" | "Exception" | "BaseException"
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn within(name: &str) -> Manner {
        Manner::Within(name.to_owned())
    }

    #[rstest]
    #[case::plain("import firnio", Manner::Always)]
    #[case::main("if __name__ == '__main__':\n    import firnio", Manner::Always)]
    #[case::class("class A:\n    import firnio", Manner::Always)]
    #[case::function("def read():\n    import firnio", within("read"))]
    #[case::method("class A:\n  def read(self):\n    import firnio", within("read"))]
    #[case::in_function_under_condition("def f(x):\n  if x:\n    import firnio", within("f"))]
    #[case::condition(
        "import sys\nif sys.platform == 'x':\n    import firnio",
        Manner::Perhaps
    )]
    #[case::other_branch("if a:\n    pass\nelse:\n    import firnio", Manner::Perhaps)]
    #[case::guarded(
        "try:\n    import firnio\nexcept ImportError:\n    firnio = None",
        Manner::Guarded
    )]
    #[case::of_two(
        "try:\n    import firnio\nexcept (OSError, ImportError) as e:\n    pass",
        Manner::Guarded
    )]
    #[case::bare("try:\n    import firnio\nexcept:\n    pass", Manner::Guarded)]
    #[case::instead(
        "try:\n    import a\nexcept ModuleNotFoundError:\n    import firnio",
        Manner::Guarded
    )]
    #[case::other_error("try:\n    import firnio\nexcept OSError:\n    pass", Manner::Always)]
    #[case::finally(
        "try:\n    a()\nexcept ImportError:\n    pass\nfinally:\n    import firnio",
        Manner::Always
    )]
    #[case::suppressed("with suppress(ImportError):\n    import firnio", Manner::Guarded)]
    #[case::open_file("with open(f) as g:\n    import firnio", Manner::Always)]
    #[case::types("if TYPE_CHECKING:\n    import firnio", Manner::Typing)]
    #[case::not_types("if not TYPE_CHECKING:\n    import firnio", Manner::Perhaps)]
    #[case::guarded_in_function(
        "def f():\n  try:\n    import firnio\n  except ImportError:\n    pass",
        Manner::Guarded
    )]
    #[case::by_word("x = importlib.import_module('firnio')", Manner::Always)]
    #[case::by_word_of_old("x = __import__(\"firnio\")", Manner::Always)]
    fn each_hangs_on_what_it_stands_in(#[case] source: &str, #[case] manner: Manner) {
        let (found, broken) = read(source.as_bytes());
        let own: Vec<&Import> = found.iter().filter(|i| i.module == "firnio").collect();
        assert_eq!(own.len(), 1, "{found:?}");
        assert_eq!(own[0].manner, manner);
        assert_eq!(broken, None);
    }

    #[test]
    fn all_forms_are_read_with_their_lines() {
        let source = b"\xef\xbb\xbfimport a, b.c as d\nfrom e . f import (g,\n    h as i)\n\
            from j import *\nfrom . import k\nfrom .l import m\nimport_module(name)\n";
        let (found, _) = read(source);
        let told: Vec<String> = found
            .iter()
            .map(|i| {
                format!(
                    "{} {} {}",
                    i.line,
                    i.module,
                    i.name.as_deref().unwrap_or("-")
                )
            })
            .collect();
        assert_eq!(told, ["1 a -", "1 b.c -", "2 e.f g", "3 e.f h", "4 j -"]);
    }

    #[test]
    fn what_cannot_be_read_is_told_by_its_line() {
        let (found, broken) = read(b"import a\nx = = 1\nimport b\n");
        assert!(found.iter().any(|i| i.module == "a"));
        assert_eq!(broken, Some(2));
        let deep = "(".repeat(5000);
        let _ = read(deep.as_bytes());
    }

    proptest::proptest! {
        #[test]
        fn no_bytes_make_the_reader_panic(bytes in proptest::collection::vec(proptest::prelude::any::<u8>(), 0..120)) {
            let _ = read(&bytes);
        }
    }
}
