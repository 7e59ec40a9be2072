//! What is asked for otherwise than when pins were settled.

use eutaxis_standards::requirement::Ask;

/// What moved in a list of asks.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct AskMoves {
    /// Those that are new.
    pub added: Vec<Ask>,
    /// Those that are gone.
    pub dropped: Vec<Ask>,
    /// Those that say something else, before and now.
    pub other: Vec<(Ask, Ask)>,
}

impl AskMoves {
    /// From what was asked to what is asked. Asks of the same project stand for each other, in their
    /// order.
    pub fn between(before: &[Ask], now: &[Ask]) -> Self {
        let text = |ask: &Ask| ask.requirement.to_string();
        let same = |a: &Ask, list: &[Ask]| list.iter().any(|b| text(a) == text(b));
        let mut moves = AskMoves {
            dropped: before.iter().filter(|a| !same(a, now)).cloned().collect(),
            ..AskMoves::default()
        };
        for ask in now.iter().filter(|a| !same(a, before)) {
            let name = &ask.requirement.name;
            let old = moves
                .dropped
                .iter()
                .position(|a| a.requirement.name == *name);
            match old {
                Some(at) => moves.other.push((moves.dropped.remove(at), ask.clone())),
                None => moves.added.push(ask.clone()),
            }
        }
        moves
    }

    /// Whether nothing moved.
    pub fn is_empty(&self) -> bool {
        self.added.is_empty() && self.dropped.is_empty() && self.other.is_empty()
    }
}

/// What the files of a question say otherwise than when its pins were settled.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Since {
    /// Of what is asked.
    pub asks: AskMoves,
    /// Of what bounds.
    pub bounds: AskMoves,
    /// Why the files cannot be read any more.
    pub unread: Option<String>,
}

impl Since {
    /// Whether they say the same.
    pub fn is_none(&self) -> bool {
        self.asks.is_empty() && self.bounds.is_empty() && self.unread.is_none()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use eutaxis_standards::Requirement;
    use eutaxis_standards::fault::Origin;

    #[test]
    fn what_moved_is_told_apart() {
        let ask = |text: &str| Ask {
            requirement: Requirement::parse(text).unwrap(),
            origin: Origin::line("a.txt", 1),
        };
        let before = [ask("firnio>=1"), ask("wirepack"), ask("moulin")];
        let now = [ask("firnio>=2"), ask("moulin"), ask("serac")];
        let moves = AskMoves::between(&before, &now);
        assert_eq!(moves.added, [ask("serac")]);
        assert_eq!(moves.dropped, [ask("wirepack")]);
        assert_eq!(moves.other, [(ask("firnio>=1"), ask("firnio>=2"))]);
        assert!(AskMoves::between(&now, &now).is_empty());
    }
}
