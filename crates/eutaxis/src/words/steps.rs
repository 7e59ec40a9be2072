//! Steps of the program as they are typed.

use eutaxis_core::examine::{Remedy, Step};
use eutaxis_core::fault::Origin;
use eutaxis_core::pins::Lock;
use eutaxis_core::record;

use crate::typed::quoted;

/// A step as it is typed.
pub(crate) fn typed(step: &Step) -> String {
    match step {
        Step::Shortlist { project } => format!("eutaxis shortlist {}", quoted(project)),
        Step::Settle { asks } => {
            let asks: Vec<String> = asks.iter().map(|ask| quoted(ask)).collect();
            format!("eutaxis settle {}", asks.join(" "))
        }
        Step::Rehearse { ask, environment } => {
            format!(
                "eutaxis rehearse {} --in {}",
                quoted(ask),
                quoted(environment)
            )
        }
        Step::Furnish {
            pins,
            environment,
            tidy,
        } => {
            let pins = pins.as_ref();
            let pins = pins.map_or(String::new(), |p| format!("{} ", quoted(p)));
            let tidy = if *tidy { " --tidy" } else { "" };
            format!("eutaxis furnish {pins}--at {}{tidy}", quoted(environment))
        }
        Step::Without { file, then } => format!("rm {} && {}", quoted(file), typed(then)),
        Step::Examine => "eutaxis examine -v".to_owned(),
        Step::Typed(typed) => typed.clone(),
    }
}

/// The command that settles once more what pins answer, and proves it; none when they do not record
/// the question.
pub(crate) fn again(lock: &Lock) -> Option<String> {
    let asks = record::asks_of(lock);
    let mut parts: Vec<String> = Vec::new();
    for ask in &asks {
        let part = match &ask.origin {
            Origin::Argument => quoted(&ask.requirement.to_string()),
            Origin::Line { file, .. } => format!("--asks {}", quoted(file)),
        };
        if !parts.contains(&part) {
            parts.push(part);
        }
    }
    // What is asked for on the command line stands before the options.
    parts.sort_by_key(|p| p.starts_with("--"));
    (!parts.is_empty()).then(|| format!("eutaxis settle {} --prove", parts.join(" ")))
}

/// A remedy on one line.
pub(crate) fn remedy(remedy: &Remedy) -> String {
    match &remedy.step {
        Some(step) => format!("{}:  {}", remedy.words, typed(step)),
        None => remedy.words.clone(),
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case::a_name(&["firnio"], "eutaxis settle firnio")]
    #[case::a_bound(&["firnio<2", "moulin"], "eutaxis settle \"firnio<2\" moulin")]
    fn asks_are_quoted_where_a_shell_would_read_them(#[case] asks: &[&str], #[case] line: &str) {
        let asks = asks.iter().map(|a| (*a).to_owned()).collect();
        assert_eq!(typed(&Step::Settle { asks }), line);
    }

    /// A wheel may hold a file of any name, and a log may speak of one.
    #[test]
    fn no_name_is_read_by_the_shell() {
        let step = Step::Without {
            file: "/camp/.venv/$(touch hut).py".to_owned(),
            then: Box::new(Step::Rehearse {
                ask: "firnio>=2".to_owned(),
                environment: "a; touch hut".to_owned(),
            }),
        };
        assert_eq!(
            typed(&step),
            "rm '/camp/.venv/$(touch hut).py' && eutaxis rehearse \"firnio>=2\" --in \"a; touch hut\""
        );
    }

    #[rstest]
    #[case(None, false, "eutaxis furnish --at .venv")]
    #[case(
        Some("pylock.watch.toml"),
        true,
        "eutaxis furnish pylock.watch.toml --at .venv --tidy"
    )]
    fn pins_are_named_where_they_are_not_the_usual_ones(
        #[case] pins: Option<&str>,
        #[case] tidy: bool,
        #[case] line: &str,
    ) {
        let step = Step::Furnish {
            pins: pins.map(str::to_owned),
            environment: ".venv".to_owned(),
            tidy,
        };
        assert_eq!(typed(&step), line);
        let told = remedy(&Remedy::new("bring it to the pins", step));
        assert_eq!(told, format!("bring it to the pins:  {line}"));
    }
}
