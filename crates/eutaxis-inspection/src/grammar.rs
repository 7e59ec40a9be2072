//! The tree of a source, by the language's grammar; what all who read sources share. One parser is
//! kept for each thread.

use std::cell::RefCell;

use tree_sitter::{Node, Parser, Tree};

/// What is nested deeper than this is not read: each level takes room on the stack.
pub(crate) const DEEPEST: usize = 300;

/// Sources of more bytes are tables of data, and not read.
pub(crate) const MOST_BYTES: usize = 4 << 20;

thread_local! {
    static PARSER: RefCell<Option<Parser>> = const { RefCell::new(None) };
}

/// The tree of a source; what cannot be read in it are errors in the tree. None where it is larger
/// than any source.
pub(crate) fn tree(source: &[u8]) -> Option<Tree> {
    if source.len() > MOST_BYTES {
        return None;
    }
    PARSER.with_borrow_mut(|parser| {
        if parser.is_none() {
            let mut new = Parser::new();
            new.set_language(&tree_sitter_python::LANGUAGE.into())
                .ok()?;
            *parser = Some(new);
        }
        parser.as_mut()?.parse(source, None)
    })
}

/// The text of a node.
pub(crate) fn word(text: &[u8], node: Node<'_>) -> String {
    let bytes = text.get(node.byte_range()).unwrap_or_default();
    String::from_utf8_lossy(bytes).into_owned()
}

/// A dotted name, without the white space that may stand in it.
pub(crate) fn dotted(text: &[u8], node: Node<'_>) -> String {
    let mut name = word(text, node);
    name.retain(|c| !c.is_whitespace() && c != '\\');
    name
}

/// The line of a node, from 1.
pub(crate) fn line_of(node: Node<'_>) -> u32 {
    u32::try_from(node.start_position().row).map_or(u32::MAX, |row| row.saturating_add(1))
}
