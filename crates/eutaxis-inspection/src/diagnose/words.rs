//! A cause in words: texts of the knowledge with the facts put in.

use super::facts::Facts;
use super::{Cause, Remedy};
use eutaxis_standards::knowledge::{CauseKind, Causes, Sign, Wording};
use eutaxis_standards::shell::quoted;

/// The texts of a cause.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Told {
    /// The cause in a few words.
    pub title: String,
    /// Why that is so.
    pub explanation: String,
    /// What to do, best first.
    pub remedies: Vec<Remedy>,
    /// Usual cures that do not help.
    pub would_not_help: Vec<String>,
}

impl Cause {
    /// The cause in words.
    pub fn told(&self, causes: &Causes) -> Told {
        let Some(kind) = causes.kind_of(&self.id).and_then(|k| causes.kind(k)) else {
            return Told::default();
        };
        // Words of the sign go with the kind that the sign was for.
        let sign = self
            .sign
            .and_then(|s| causes.sign(s))
            .filter(|s| causes.kind(s.kind).is_some_and(|k| k.id == self.id));
        self.in_words(kind, sign)
    }

    fn in_words(&self, kind: &CauseKind, sign: Option<&Sign>) -> Told {
        let facts = &self.facts;
        let best = |own: Option<&Wording>, common: &Wording| {
            let own = own.and_then(|w| first(w, facts));
            own.or_else(|| first(common, facts)).unwrap_or_default()
        };
        let remedies = sign
            .and_then(|s| s.remedies.as_ref())
            .unwrap_or(&kind.remedies);
        let advice = remedies.iter().filter_map(|a| {
            let change = a.change.as_ref().map(|c| typed(c, facts));
            // Advice whose command lacks a fact is left out.
            let change = match change {
                Some(None) => return None,
                Some(whole) => whole,
                None => None,
            };
            Some(Remedy {
                text: filled(&a.text, facts)?,
                change,
                evidence: None,
            })
        });
        let mut kept: Vec<Remedy> = Vec::new();
        for remedy in advice {
            // Several wordings of one advice: the first that can be told is enough.
            if !kept.iter().any(|k| {
                (k.change.is_some() && k.change == remedy.change)
                    || same_advice(&k.text, &remedy.text)
            }) {
                kept.push(remedy);
            }
        }
        let vain = sign
            .and_then(|s| s.would_not_help.as_ref())
            .unwrap_or(&kind.would_not_help);
        Told {
            title: best(sign.and_then(|s| s.title.as_ref()), &kind.title),
            explanation: best(sign.and_then(|s| s.why.as_ref()), &kind.why),
            remedies: kept,
            would_not_help: vain.iter().filter_map(|v| filled(v, facts)).collect(),
        }
    }
}

/// Two wordings of one advice begin alike.
fn same_advice(a: &str, b: &str) -> bool {
    let start = |t: &str| t.split([':', ',', ';']).next().unwrap_or(t).to_owned();
    start(a) == start(b)
}

/// The first text whose facts are all known.
fn first(wording: &Wording, facts: &Facts) -> Option<String> {
    wording.each().iter().find_map(|text| filled(text, facts))
}

/// A text with `{name}` replaced by the fact; none when one is not known.
fn filled(text: &str, facts: &Facts) -> Option<String> {
    put_in(text, &|name| facts.get(name))
}

/// The same for a line that is typed into a shell: facts are words of the log, and each of them
/// stays one word.
fn typed(line: &str, facts: &Facts) -> Option<String> {
    put_in(line, &|name| {
        let words: Vec<String> = facts.all(name).iter().map(|word| quoted(word)).collect();
        (!words.is_empty()).then(|| words.join(" "))
    })
}

fn put_in(text: &str, fact: &dyn Fn(&str) -> Option<String>) -> Option<String> {
    let mut out = String::new();
    let mut rest = text;
    while let Some((before, after)) = rest.split_once('{') {
        let Some((name, after)) = after.split_once('}') else {
            break;
        };
        out.push_str(before);
        out.push_str(&fact(name)?);
        rest = after;
    }
    out.push_str(rest);
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_log_says_is_never_read_by_the_shell() {
        let mut facts = Facts::default();
        facts.set("wheel", "/tmp/$(touch hut).whl");
        facts.set("requirement", "firnio>=2");
        facts.set_list_if_absent("asks", vec!["firnio>=2".to_owned(), "moulin".to_owned()]);
        let line = |text: &str| typed(text, &facts);
        assert_eq!(
            line("eutaxis assay {wheel}").as_deref(),
            Some("eutaxis assay '/tmp/$(touch hut).whl'")
        );
        assert_eq!(
            line("eutaxis shortlist {requirement} --files").as_deref(),
            Some("eutaxis shortlist \"firnio>=2\" --files")
        );
        assert_eq!(
            line("eutaxis settle {asks}").as_deref(),
            Some("eutaxis settle \"firnio>=2\" moulin")
        );
        assert_eq!(line("eutaxis locate {module}"), None, "a fact is not known");
        assert_eq!(
            filled("{requirement} is damaged", &facts).as_deref(),
            Some("firnio>=2 is damaged")
        );
    }
}
