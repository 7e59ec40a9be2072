//! Since which series of the interpreter a line of code is part of the language, by the parser.
//!
//! PEP 498, 572, 570, 614, 634, 646, 654, 695, 617 (parenthesised context managers, official since
//! 3.10), 526, 492, 3104.

use tree_sitter::Node;

use crate::grammar;

/// A form of the language that not every interpreter reads.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Feature {
    /// In a few words.
    pub(super) name: &'static str,
    /// The first series that reads it.
    pub(super) since: (u64, u64),
}

/// Longer lines are data.
const LONGEST: usize = 2000;
/// What is nested deeper is not looked at.
const DEEPEST: usize = 200;

/// The forms by their nodes.
const NODES: [(&str, &str, (u64, u64)); 12] = [
    ("match_statement", "a match statement", (3, 10)),
    ("named_expression", "an assignment expression (:=)", (3, 8)),
    ("type_alias_statement", "a type statement", (3, 12)),
    ("type_parameter", "type parameters", (3, 12)),
    ("except_group_clause", "except*", (3, 11)),
    (
        "positional_separator",
        "positional-only parameters (/)",
        (3, 8),
    ),
    ("await", "await", (3, 5)),
    ("nonlocal_statement", "a nonlocal statement", (3, 0)),
    ("keyword_separator", "keyword-only parameters (*)", (3, 0)),
    ("interpolation", "an f-string", (3, 6)),
    ("typed_parameter", "annotations", (3, 0)),
    ("typed_default_parameter", "annotations", (3, 0)),
];

/// The newest form in a line of code; none where every interpreter reads it, or it is no code.
pub(super) fn newest_feature(code: &str) -> Option<Feature> {
    if code.is_empty() || code.len() > LONGEST {
        return None;
    }
    // How interpreters that do not know it show a part of an f-string.
    if code.starts_with('(') && code.ends_with("=)") {
        return Some(Feature {
            name: "= in an f-string",
            since: (3, 8),
        });
    }
    let whole = completed(code.trim());
    let tree = grammar::tree(whole.as_bytes())?;
    let mut newest = None;
    look(tree.root_node(), &whole, 0, &mut newest);
    newest
}

/// A line with what it needs to be whole.
fn completed(line: &str) -> String {
    let body = if line.starts_with("match ") {
        "\n    case _: pass\n"
    } else {
        "\n    pass\n"
    };
    let is_open = line.ends_with(':');
    let (before, behind) = if line.starts_with("case ") {
        ("match x:\n    ", "\n        pass\n")
    } else if line.starts_with("except") {
        ("try:\n    pass\n", body)
    } else if line.starts_with('@') {
        ("", "\ndef x():\n    pass\n")
    } else if is_open {
        ("", body)
    } else {
        ("", "\n")
    };
    format!("{before}{line}{behind}")
}

fn look(node: Node<'_>, source: &str, depth: usize, newest: &mut Option<Feature>) {
    if depth > DEEPEST {
        return;
    }
    if let Some(found) = feature(node, source)
        && newest.is_none_or(|known| known.since < found.since)
    {
        *newest = Some(found);
    }
    let mut cursor = node.walk();
    for child in node.children(&mut cursor) {
        look(child, source, depth + 1, newest);
    }
}

fn feature(node: Node<'_>, source: &str) -> Option<Feature> {
    let kind = node.kind();
    let of = |name, since| Some(Feature { name, since });
    if let Some((_, name, since)) = NODES.iter().find(|(k, ..)| *k == kind) {
        // `f"{x=}"`
        if kind == "interpolation" && text(node, source).ends_with("=}") {
            return of("= in an f-string", (3, 8));
        }
        return of(name, *since);
    }
    match kind {
        "string" if quotes_itself(node, source) => {
            of("an f-string with its own quotes inside", (3, 12))
        }
        "decorator" => {
            let mut inner = node.named_child(0)?;
            if inner.kind() == "call" {
                inner = inner.child_by_field_name("function")?;
            }
            let is_plain = text(inner, source)
                .chars()
                .all(|c| c.is_alphanumeric() || "_.".contains(c));
            if is_plain {
                None
            } else {
                of("a decorator that is an expression", (3, 9))
            }
        }
        "with_clause"
            if text(node, source).starts_with('(') && text(node, source).contains(" as ") =>
        {
            of("parentheses around context managers", (3, 9))
        }
        "type" if node.parent().is_some_and(|p| p.kind() == "assignment") => {
            of("annotations of variables", (3, 6))
        }
        "type"
            if node
                .parent()
                .is_some_and(|p| p.kind() == "function_definition") =>
        {
            of("annotations", (3, 0))
        }
        "async" => of("async", (3, 5)),
        "except_clause"
            if text(node, source).starts_with("except*")
                || text(node, source).starts_with("except *") =>
        {
            of("except*", (3, 11))
        }
        "integer" | "float" if text(node, source).contains('_') => {
            of("underscores in numbers", (3, 6))
        }
        "list_splat" if node.parent().is_some_and(|p| p.kind() == "subscript") => {
            of("unpacking in an index", (3, 11))
        }
        _ => None,
    }
}

/// A string in a part of an f-string bears the quotes of the f-string (PEP 701).
fn quotes_itself(node: Node<'_>, source: &str) -> bool {
    let quote = |node: Node<'_>| {
        text(node, source)
            .trim_start_matches(char::is_alphabetic)
            .chars()
            .next()
    };
    let mut above = node.parent();
    while let Some(node_above) = above {
        if node_above.kind() == "string" {
            return quote(node_above) == quote(node);
        }
        above = node_above.parent();
    }
    false
}

fn text<'s>(node: Node<'_>, source: &'s str) -> &'s str {
    source.get(node.byte_range()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("match depth:", Some((3, 10)))]
    #[case("case [x, y]:", Some((3, 10)))]
    #[case("if (n := len(rows)) > 3:", Some((3, 8)))]
    #[case("type Depths = list[float]", Some((3, 12)))]
    #[case("def first[T](rows: list[T]) -> T:", Some((3, 12)))]
    #[case("class Rows[T]:", Some((3, 12)))]
    #[case("except* ValueError:", Some((3, 11)))]
    #[case("def read(path, /, depth):", Some((3, 8)))]
    #[case("def read(path, *, depth):", Some((3, 0)))]
    #[case("print(f'{depth=}')", Some((3, 8)))]
    #[case("print(f'{depth}')", Some((3, 6)))]
    #[case("(depth=)", Some((3, 8)))]
    #[case("print(f'{rows['a']}')", Some((3, 12)))]
    #[case("print(f'{rows[\"a\"]}')", Some((3, 6)))]
    #[case("depth: float = 4.1", Some((3, 6)))]
    #[case("async def read():", Some((3, 5)))]
    #[case("with (open('a') as a, open('b') as b):", Some((3, 9)))]
    #[case("@readers['radar'].register", Some((3, 9)))]
    #[case("@app.route('/depth')", None)]
    #[case("depth = 10_000", Some((3, 6)))]
    #[case("nonlocal depth", Some((3, 0)))]
    #[case("x = rows[*parts]", Some((3, 11)))]
    #[case("print 'depth'", None)]
    #[case("match = depth", None)]
    #[case("for row in rows:", None)]
    #[case("))) (", None)]
    fn forms_of_the_language_are_known_by_series(
        #[case] code: &str,
        #[case] since: Option<(u64, u64)>,
    ) {
        assert_eq!(newest_feature(code).map(|f| f.since), since);
    }
}
