//! What is wrong with a line of a list or an entry of pins, and what to do about it.

use eutaxis_core::fault::escaped;
use eutaxis_core::offer::Bar;
use eutaxis_core::proofread::{Pinned, Remark, Trouble};
use eutaxis_core::requirement::{Directive, DirectiveKind};
use eutaxis_world::network::without_secret;

use super::NO_LIST;

/// So many further lines on one project are told.
const MOST_ALSO: usize = 5;

/// A line without what is secret in it.
pub(crate) fn directive(directive: &Directive) -> String {
    let value = &directive.value;
    match value.is_empty() {
        true => escaped(&directive.text),
        false => escaped(&directive.text.replace(value, &without_secret(value))),
    }
}

/// What to do instead of a line that speaks to an installer.
pub(crate) fn instead(kind: DirectiveKind) -> &'static str {
    match kind {
        DirectiveKind::Place => {
            "name the place that offers files with --depot, or as [[depot]] in eutaxis.toml"
        }
        DirectiveKind::Prereleases => "use --prereleases PROJECT or --prereleases all",
        DirectiveKind::Wheels => "use --wheels only; source is built only where --build permits it",
        DirectiveKind::Source => "use --rebuild PROJECT for each that is to be built",
        DirectiveKind::NoPlace => "only depots that are named serve files: name just those",
        DirectiveKind::BuildSettings => {
            "write it as settings under [build.PROJECT] in eutaxis.toml"
        }
        DirectiveKind::Nothing => "changes nothing here",
        DirectiveKind::Unknown => "it is not known here",
    }
}

/// What is wrong with a line, and what to do.
pub(crate) fn told(remark: &Remark) -> (String, String) {
    let name = remark.project.as_ref().map_or("", |p| p.as_str());
    match &remark.trouble {
        Trouble::Malformed { what, advice } => {
            let usual = "write it as the standard says: name>=1,<2";
            (escaped(what), advice.as_deref().unwrap_or(usual).to_owned())
        }
        Trouble::ShellQuotes(meant) => (
            "quotes and backslashes belong to the shell, not into a list".to_owned(),
            format!("write  {meant}"),
        ),
        Trouble::ShellFile(file) => (
            format!(
                "a file named `{file}` lies beside: a bound was typed in a shell without quotes"
            ),
            format!(
                "quote requirements in the shell, put the bound into the list, and delete `{file}`"
            ),
        ),
        Trouble::Directive { text, kind } => (
            format!("`{}` is a directive, not a requirement", escaped(text)),
            instead(*kind).to_owned(),
        ),
        Trouble::Interpreter { needs, here } => (
            format!("requires-python {needs} leaves out this target, {here}"),
            "name another with --interpreter, or change the line".to_owned(),
        ),
        Trouble::Excluding(lines) => (
            format!(
                "these lines exclude each other: {}",
                joined(lines, " and ", |l| format!("{} ({})", l.text, l.place))
            ),
            "keep one of them, or loosen one".to_owned(),
        ),
        Trouble::Doubled { also, line } => {
            let more = also.len().saturating_sub(MOST_ALSO);
            let first = also.get(..MOST_ALSO).unwrap_or(also);
            let mut also = joined(first, ", ", ToString::to_string);
            if more > 0 {
                also.push_str(&format!(" and in {more} more"));
            }
            let line = line.as_ref().map_or(String::new(), |l| format!(":  {l}"));
            (
                format!("{name} stands here again: also in {also}"),
                format!("make one line of them{line}"),
            )
        }
        Trouble::UnknownName {
            near,
            known,
            doubts,
        } => {
            let remedy = if let Some(known) = known {
                known.clone()
            } else if near.is_empty() {
                NO_LIST.to_owned()
            } else {
                format!("did you mean {}?", joined(near, ", ", ToString::to_string))
            };
            let remedy = std::iter::once(&remedy).chain(doubts);
            let remedy: Vec<&str> = remedy.map(String::as_str).collect();
            (format!("no depot has {name}"), remedy.join("; "))
        }
        Trouble::UnknownVersion { set, near } => {
            let what = match set.clauses() {
                [only] if only.pins_exactly() => {
                    let version = only.version().map_or(String::new(), ToString::to_string);
                    format!("there is no {name} {version}")
                }
                _ => format!("no release of {name} is {set}"),
            };
            let near = joined(near, ", ", ToString::to_string);
            (what, format!("the nearest are {near}"))
        }
        Trouble::Barred {
            newest,
            ready,
            elsewhere,
        } => {
            let (version, bar) = newest.as_ref().map_or((String::new(), None), |(v, bar)| {
                (v.to_string(), bar.as_ref())
            });
            let remedy = match ready {
                Some(version) => {
                    format!("{version} can be had here, or use another interpreter or platform")
                }
                None => "no release of it can be had here: use another interpreter or platform"
                    .to_owned(),
            };
            let places = joined(elsewhere, ", ", |(system, arch)| format!("{system} {arch}"));
            let remedy = match places.is_empty() {
                true => remedy,
                false => format!("{remedy}; {version} has wheels for {places}"),
            };
            (barred(name, &version, bar), remedy)
        }
        Trouble::OfModule { usual } => (
            format!("{name} is the name of a module that another project usually brings"),
            format!("is {} meant?", joined(usual, " or ", Clone::clone)),
        ),
        Trouble::NeededAnyway { by } => (
            format!(
                "{}, asked for too, needs {name} anyway",
                joined(by, " and ", ToString::to_string)
            ),
            format!("leave the line out, unless your own code imports {name}"),
        ),
        Trouble::Yanked {
            version,
            reason,
            other,
            ..
        } => {
            let remedy = other
                .as_ref()
                .map_or("nothing else can be had".to_owned(), |v| {
                    format!("the newest that is not is {v}")
                });
            (yanked(name, version, reason), remedy)
        }
        Trouble::Unbounded {
            set,
            stated,
            series: (oldest, newest),
            line,
        } => {
            let what = match stated {
                Some(series) => format!(
                    "{set} was written for series {series}, and series {newest} is out: nothing \
                        keeps it away"
                ),
                None => format!(
                    "nothing bounds {name}: its series go from {oldest} to {newest}, and the \
                        newest is taken"
                ),
            };
            (what, format!("if that is not meant, write  {line}"))
        }
        Trouble::Pinned(pinned) => told_of_pins(name, pinned),
    }
}

fn told_of_pins(name: &str, pinned: &Pinned) -> (String, String) {
    let anew = || "settle again with --renew".to_owned();
    match pinned {
        Pinned::Interpreter { needs, here } => (
            format!("these pins are for Python {needs}; this target has {here}"),
            "name the target that they are for, or settle again".to_owned(),
        ),
        Pinned::NoHash => (
            format!("{name} is pinned without a SHA-256 hash"),
            "settle again: it writes one for every file".to_owned(),
        ),
        Pinned::NameGone => (format!("no depot has {name} any more"), anew()),
        Pinned::VersionGone(version) => (
            format!("there is no {name} {version} in the depots"),
            anew(),
        ),
        Pinned::FileGone(file) => (format!("the depots have no {file}"), anew()),
        Pinned::OtherHash(file) => (
            format!("the depot states another hash for {file}"),
            "find out which file is the right one, then settle again with --renew".to_owned(),
        ),
        Pinned::Yanked { version, reason } => (yanked(name, version, reason), anew()),
        Pinned::Barred { version, bar } => {
            (barred(name, &version.to_string(), bar.as_ref()), anew())
        }
    }
}

fn barred(name: &str, version: &str, bar: Option<&Bar>) -> String {
    let why = bar.map_or(String::new(), |b| format!(": {b}"));
    format!("{name} {version} cannot be had on this target{why}")
}

fn yanked(name: &str, version: &eutaxis_core::Version, reason: &str) -> String {
    let why = if reason.is_empty() {
        String::new()
    } else {
        format!(": \"{}\"", escaped(reason))
    };
    format!("{name} {version} is yanked{why}")
}

fn joined<T>(list: &[T], between: &str, words: impl Fn(&T) -> String) -> String {
    list.iter().map(words).collect::<Vec<_>>().join(between)
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use eutaxis_core::fault::Origin;
    use eutaxis_core::index::parse_json;
    use eutaxis_core::offer::{JudgedPage, Policy, Rules};
    use eutaxis_core::proofread::{alone, paged};
    use eutaxis_core::{Ask, Name, Requirement, Target};
    use rstest::rstest;

    use super::*;

    fn ask(text: &str, line: u32) -> Ask {
        Ask {
            requirement: Requirement::parse(text).unwrap(),
            origin: Origin::line("a.txt", line),
        }
    }

    fn words(remarks: &[Remark]) -> Vec<String> {
        let one = |r: &Remark| {
            let (text, remedy) = told(r);
            format!(
                "{} {} | {text} | {remedy}",
                r.trouble.id(),
                r.trouble.severity().as_str()
            )
        };
        remarks.iter().map(one).collect()
    }

    const PAGE: &str = r#"{"files":[
        {"filename":"m-1.0-py3-none-any.whl","url":"x"}, {"filename":"m-1.2-py3-none-any.whl","url":"x"},
        {"filename":"m-2.0-py3-none-any.whl","url":"x"}, {"filename":"m-2.1-py3-none-any.whl","url":"x","yanked":"bad"},
        {"filename":"m-3.0-cp39-cp39-win_amd64.whl","url":"x"}, {"filename":"m-3.1rc1-py3-none-any.whl","url":"x"}]}"#;

    #[rstest]
    #[case::fine("m>=2,<3", &[])]
    #[case::not_there("m==1.1", &["unknown-version breaks | there is no m 1.1 | the nearest are \
        1.0, 1.2, 2.0, 2.1"])]
    #[case::none_matches("m>=4,<5", &["unknown-version breaks | no release of m is >=4,<5 | the \
        nearest are 3.0, 3.1rc1"])]
    #[case::barred("m==3.0", &["barred breaks | m 3.0 cannot be had on this target: wheels for \
        cp39; this target is cp312 | 3.1rc1 can be had here, or use another interpreter or \
        platform; 3.0 has wheels for windows x86_64"])]
    #[case::pinned_yanked("m==2.1", &["yanked risk | m 2.1 is yanked: \"bad\" | the newest that is \
        not is 2.0"])]
    #[case::yanked("m>2.0,<3", &["yanked breaks | m 2.1 is yanked: \"bad\" | the newest that is \
        not is 2.0"])]
    #[case::older_series("m>=1.2", &["unbounded risk | >=1.2 was written for series 1, and series \
        3 is out: nothing keeps it away | if that is not meant, write  m>=1.2,<2"])]
    #[case::bare("m", &["unbounded note | nothing bounds m: its series go from 1 to 3, and the \
        newest is taken | if that is not meant, write  m<4"])]
    #[case::newest_series("m>=3", &[])]
    fn a_line_against_its_page_is_told(#[case] text: &str, #[case] expected: &[&str]) {
        let page = parse_json(PAGE.as_bytes(), &Name::parse("m").unwrap()).unwrap();
        let target = Target::parse("cpython 3.12 / linux x86_64 glibc 2.36").unwrap();
        let rules = Rules {
            target: &target,
            policy: &Policy::default(),
            adjustments: &[],
        };
        let judged = JudgedPage::new(Arc::new(page), &rules);
        assert_eq!(words(&paged(&ask(text, 1), &judged, &target)), expected);
    }

    #[test]
    fn doubled_and_excluding_lines_are_told_with_their_numbers() {
        let asks: Vec<Ask> = ["m>=2", "n", "m<1", "N[x]>=1"]
            .iter()
            .zip(1..)
            .map(|(text, line)| ask(text, line))
            .collect();
        let target = Target::parse("cpython 3.12 / linux x86_64 glibc 2.36").unwrap();
        assert_eq!(
            words(&alone(&asks, &target)),
            [
                "excluding breaks | these lines exclude each other: m >=2 (a.txt:1) and m <1 \
                    (a.txt:3) | keep one of them, or loosen one",
                "doubled risk | n stands here again: also in a.txt:2 | make one line of them:  \
                    n[x]>=1",
            ]
        );
    }
}
