//! Words that people look for, and the commands that do what they mean (`knowledge/words.toml`).

use std::sync::LazyLock;

use serde::Deserialize;

/// What is done here under another name.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct TradeWord {
    /// The words.
    pub names: Vec<String>,
    /// Commands of the program without its name, in the order in which they are typed; what is
    /// written in capitals is to be filled in.
    pub commands: Vec<String>,
    /// How it is done with them.
    pub says: String,
}

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    word: Vec<TradeWord>,
}

// The file is compiled in and read by a test, so that it cannot be broken in a build that passed.
static FILE: LazyLock<File> = LazyLock::new(|| {
    toml::from_str(include_str!("../../../../knowledge/words.toml")).unwrap_or_default()
});

/// What a word means here, without regard to case; none where it is not known.
pub fn trade_word(word: &str) -> Option<&'static TradeWord> {
    let names = |entry: &&TradeWord| entry.names.iter().any(|n| n.eq_ignore_ascii_case(word));
    FILE.word.iter().find(names)
}

/// All words that are known.
pub fn trade_words() -> impl Iterator<Item = &'static TradeWord> {
    FILE.word.iter()
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn each_word_stands_once() {
        let all: Vec<&String> = trade_words().flat_map(|w| &w.names).collect();
        assert!(all.len() > 60);
        assert_eq!(all.iter().collect::<BTreeSet<_>>().len(), all.len());
        assert_eq!(trade_word("Lock").unwrap().commands, ["settle"]);
        assert!(trade_word("glacier").is_none());
    }
}
