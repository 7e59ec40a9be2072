//! Long texts looked through for many short ones at once.
//!
//! One automaton walks several parts of the text side by side: each of its steps waits for the one
//! before, and while it waits the others go on.

use aho_corasick::automaton::{Automaton, StateID};
use aho_corasick::dfa::DFA;
use aho_corasick::{Anchored, MatchKind};

/// So many parts are walked side by side.
const PARTS: usize = 4;

/// Finds where any of many texts ends, without regard to case.
#[derive(Debug, Clone)]
pub struct Skim {
    automaton: DFA,
    start: StateID,
}

/// One part of the text, and where the automaton stands in it.
#[derive(Debug, Clone, Copy)]
struct Part {
    from: usize,
    to: usize,
    state: StateID,
}

impl Skim {
    /// For these texts; none where there are too many.
    pub(super) fn of<'t>(texts: impl Iterator<Item = &'t str>) -> Option<Self> {
        let mut builder = DFA::builder();
        builder.ascii_case_insensitive(true);
        builder.match_kind(MatchKind::Standard).prefilter(false);
        let automaton = builder.build(texts).ok()?;
        let start = automaton.start_state(Anchored::No).ok()?;
        Some(Skim { automaton, start })
    }

    /// Where a text ends, in order; of those that end on one line at least one.
    pub fn ends(&self, text: &[u8]) -> Vec<usize> {
        let mut parts = self.parts(text);
        let mut found: [Vec<usize>; PARTS] = Default::default();
        let together = parts.iter().map(|p| p.to - p.from).min().unwrap_or(0);
        for step in 0..together {
            for (part, found) in parts.iter_mut().zip(&mut found) {
                self.step(part, part.from + step, text, found);
            }
        }
        for (part, found) in parts.iter_mut().zip(&mut found) {
            for at in part.from + together..part.to {
                self.step(part, at, text, found);
            }
        }
        found.concat()
    }

    #[inline]
    fn step(&self, part: &mut Part, at: usize, text: &[u8], found: &mut Vec<usize>) {
        let Some(byte) = text.get(at) else { return };
        part.state = self.automaton.next_state(Anchored::No, part.state, *byte);
        if self.automaton.is_special(part.state) && self.automaton.is_match(part.state) {
            found.push(at);
        }
    }

    /// Parts of about the same length that end where lines do: no text that is looked for goes on
    /// over the end of a line.
    fn parts(&self, text: &[u8]) -> [Part; PARTS] {
        let mut ends = [text.len(); PARTS];
        for (n, end) in ends.iter_mut().enumerate().take(PARTS - 1) {
            let near = text.len() * (n + 1) / PARTS;
            let rest = text.get(near..).unwrap_or_default();
            *end = rest
                .iter()
                .position(|b| *b == b'\n')
                .map_or(text.len(), |i| near + i + 1);
        }
        let mut from = 0;
        ends.map(|to| {
            let part = Part {
                from,
                to: to.max(from),
                state: self.start,
            };
            from = part.to;
            part
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// As a search from the beginning to the end finds them, line by line.
        #[test]
        fn the_same_lines_are_found(text in "[abcEx \n]{0,400}") {
            let texts = ["abc", "x e", "eee", "cab"];
            let skim = Skim::of(texts.into_iter()).unwrap();
            let line = |at: usize| text.as_bytes()[..at].iter().filter(|b| **b == b'\n').count();
            let mut found: Vec<usize> = skim.ends(text.as_bytes()).into_iter().map(line).collect();
            found.dedup();
            let has = |l: &str| texts.iter().any(|t| l.to_ascii_lowercase().contains(t));
            let lines = text.split('\n').enumerate();
            let expected: Vec<usize> = lines.filter(|(_, l)| has(l)).map(|(n, _)| n).collect();
            prop_assert_eq!(found, expected);
        }
    }
}
