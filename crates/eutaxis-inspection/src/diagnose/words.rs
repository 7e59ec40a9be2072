//! A cause in words: texts of the knowledge with the facts put in.

use super::Cause;
use super::facts::Facts;
use crate::remedy::{Invocation, Remedy, Step, Verb};
use eutaxis_standards::knowledge::{CauseKind, Causes, Cure, Sign, Vain, Wording};
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
    /// The cause in words, with what is to be typed on that system (`linux`, `macos`, `windows`)
    /// unless the log is of another one.
    pub fn told(&self, causes: &Causes, system: &str) -> Told {
        let Some(kind) = causes.kind_of(&self.id).and_then(|k| causes.kind(k)) else {
            return Told::default();
        };
        let system = self.origin.system.as_deref().unwrap_or(system);
        self.in_words(kind, self.own_sign(causes), system)
    }

    /// Whether a cure is among those that do not help.
    pub fn excludes(&self, cure: Cure, causes: &Causes) -> bool {
        let kind = causes.kind_of(&self.id).and_then(|k| causes.kind(k));
        let all = kind.map(|kind| vain(kind, self.own_sign(causes)));
        all.into_iter().flatten().any(|v| v.cure() == Some(cure))
    }

    /// Its sign: words of a sign go with the kind that the sign was for.
    fn own_sign<'c>(&self, causes: &'c Causes) -> Option<&'c Sign> {
        let sign = self.sign.and_then(|s| causes.sign(s))?;
        let kind = causes.kind(sign.kind)?;
        (kind.id == self.id).then_some(sign)
    }

    fn in_words(&self, kind: &CauseKind, sign: Option<&Sign>, system: &str) -> Told {
        let facts = &self.facts;
        let best = |own: Option<&Wording>, common: &Wording| {
            let own = own.and_then(|w| first(w, facts));
            own.or_else(|| first(common, facts)).unwrap_or_default()
        };
        let remedies = sign
            .and_then(|s| s.remedies.as_ref())
            .unwrap_or(&kind.remedies);
        let advice = remedies.iter().filter_map(|a| {
            // Advice whose command lacks a fact is left out.
            let step = match a.change_on(system) {
                Some(change) => Some(step(change, facts)?),
                None => None,
            };
            Some(Remedy {
                words: filled(&a.text, facts)?,
                step,
                evidence: None,
            })
        });
        let mut kept: Vec<Remedy> = Vec::new();
        for remedy in advice {
            // Several wordings of one advice: the first that can be told is enough.
            if !kept.iter().any(|k| {
                (k.step.is_some() && k.step == remedy.step) || same_advice(&k.words, &remedy.words)
            }) {
                kept.push(remedy);
            }
        }
        let vain = vain(kind, sign);
        Told {
            title: best(sign.and_then(|s| s.title.as_ref()), &kind.title),
            explanation: best(sign.and_then(|s| s.why.as_ref()), &kind.why),
            remedies: kept,
            would_not_help: vain
                .iter()
                .filter_map(|v| filled(v.text(), facts))
                .collect(),
        }
    }
}

fn vain<'c>(kind: &'c CauseKind, sign: Option<&'c Sign>) -> &'c [Vain] {
    let own = sign.and_then(|s| s.would_not_help.as_ref());
    own.unwrap_or(&kind.would_not_help)
}

/// Two wordings of one advice begin alike.
fn same_advice(a: &str, b: &str) -> bool {
    let start = |t: &str| t.split([':', ',', ';']).next().unwrap_or(t).to_owned();
    start(a) == start(b)
}

/// The first text whose facts are all known; long paths by their ends, the line itself shows them
/// whole.
fn first(wording: &Wording, facts: &Facts) -> Option<String> {
    let shown = |name: &str| {
        let value = facts.get(name)?;
        Some(match name {
            "path" | "file" => shortened(&value),
            _ => value,
        })
    };
    wording.each().iter().find_map(|text| put_in(text, &shown))
}

/// A path of more than this many characters is long.
const LONG: usize = 60;

/// The end of a long path: from the folder of packages on, else the last two parts.
fn shortened(path: &str) -> String {
    if path.chars().count() <= LONG {
        return path.to_owned();
    }
    let parts: Vec<&str> = path.split(['/', '\\']).collect();
    let packages = parts.iter().rposition(|p| p.ends_with("-packages"));
    let from = packages.map_or(parts.len().saturating_sub(2), |at| at + 1);
    let slash = if path.contains('\\') { "\\" } else { "/" };
    match parts.get(from..) {
        Some(end) if !end.is_empty() => end.join(slash),
        _ => path.to_owned(),
    }
}

/// A text with `{name}` replaced by the fact; none when one is not known.
fn filled(text: &str, facts: &Facts) -> Option<String> {
    put_in(text, &|name| facts.get(name))
}

/// What an advice says is to be typed: a command of the program word by word, so that a fact that
/// the log told stays one word; else a line for the system.
fn step(line: &str, facts: &Facts) -> Option<Step> {
    let mut words = split(line).into_iter();
    if words.next().as_deref() == Some("eutaxis")
        && let Some(verb) = words.next().as_deref().and_then(Verb::of)
    {
        let mut put: Vec<String> = Vec::new();
        for word in words {
            match word.strip_prefix('{').and_then(|w| w.strip_suffix('}')) {
                // A list is as many words as it has items.
                Some(name) if !name.contains('{') => match facts.all(name) {
                    [] => return None,
                    all => put.extend(all.iter().cloned()),
                },
                _ => put.push(filled(&word, facts)?),
            }
        }
        return Some(Step::Run(vec![Invocation { verb, words: put }]));
    }
    let entered = line
        .strip_prefix(". ")
        .and_then(|l| l.strip_suffix("/bin/activate"));
    if let Some(environment) = entered.filter(|e| !e.contains('{')) {
        return Some(Step::Enter {
            environment: environment.to_owned(),
        });
    }
    typed(line, facts).map(Step::Line)
}

/// The words of a line; what stands in double quotes is one.
fn split(line: &str) -> Vec<String> {
    let mut words = vec![String::new()];
    let mut quoted = false;
    for c in line.chars() {
        match (c, words.last_mut()) {
            ('"', _) => quoted = !quoted,
            (' ', _) if !quoted => words.push(String::new()),
            (c, Some(word)) => word.push(c),
            (_, None) => {}
        }
    }
    words.retain(|w| !w.is_empty());
    words
}

/// A line for the system's shell: facts are words of the log, and each of them stays one word.
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
    fn long_paths_are_told_by_their_ends() {
        let packages = "/Users/ada/ice/.venv/lib/python3.11/site-packages/icelens/_core.so";
        assert_eq!(shortened(packages), "icelens/_core.so");
        let own = "/home/ada/a-folder-of-a-season/of-the-north-ridge/and-its-logs/depth.py";
        assert_eq!(shortened(own), "and-its-logs/depth.py");
        assert_eq!(shortened("/srv/melt/season.py"), "/srv/melt/season.py");
    }

    #[test]
    fn what_a_log_says_is_never_read_by_the_shell() {
        let mut facts = Facts::default();
        facts.set("wheel", "/tmp/$(touch hut).whl");
        facts.set("requirement", "firnio>=2");
        facts.set_list_if_absent("asks", vec!["firnio>=2".to_owned(), "moulin".to_owned()]);
        let words = |text: &str| match step(text, &facts) {
            Some(Step::Run(all)) => all.into_iter().flat_map(|i| i.words).collect(),
            Some(_) | None => Vec::new(),
        };
        assert_eq!(words("eutaxis assay {wheel}"), ["/tmp/$(touch hut).whl"]);
        assert_eq!(
            words("eutaxis shortlist {requirement} --files"),
            ["firnio>=2", "--files"]
        );
        assert_eq!(words("eutaxis settle {asks}"), ["firnio>=2", "moulin"]);
        assert_eq!(
            words("eutaxis settle \"{requirement},<3\""),
            ["firnio>=2,<3"]
        );
        assert_eq!(
            step("eutaxis locate {module}", &facts),
            None,
            "a fact is not known"
        );
        assert_eq!(
            step("mv {wheel} old", &facts),
            Some(Step::Line("mv '/tmp/$(touch hut).whl' old".to_owned()))
        );
        assert_eq!(
            filled("{requirement} is damaged", &facts).as_deref(),
            Some("firnio>=2 is damaged")
        );
    }
}
