//! Steps as they are typed: the one place where a remedy becomes a line for a shell.

use eutaxis_core::remedy::{Invocation, Remedy, Step};

use crate::typed::{line, quoted};

/// A step as it is typed.
pub(crate) fn typed(step: &Step) -> String {
    match step {
        Step::Run(all) => {
            let all: Vec<String> = all.iter().map(command).collect();
            all.join(" && ")
        }
        Step::Without { file, then } => format!("rm {} && {}", quoted(file), typed(then)),
        Step::Enter { environment } => super::enter::line(std::path::Path::new(environment)),
        Step::Start(words) => line(words).trim_start().to_owned(),
        Step::Line(line) => line.clone(),
    }
}

fn command(one: &Invocation) -> String {
    format!("eutaxis {}{}", one.verb.as_str(), line(&one.words))
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
    use clap::Parser;
    use rstest::rstest;

    use eutaxis_core::remedy::Verb;

    use super::*;
    use crate::cli::Cli;

    /// What is typed is taken by the program's own parser, and by no shell for anything else.
    #[rstest]
    #[case(Step::settle(["firnio"]), "eutaxis settle firnio")]
    #[case(Step::settle(["firnio<2", "moulin"]), "eutaxis settle \"firnio<2\" moulin")]
    #[case(Step::shortlist("firnio"), "eutaxis shortlist firnio")]
    #[case(Step::examine(), "eutaxis examine -v")]
    #[case(Step::furnish(None, ".venv", false), "eutaxis furnish --at .venv")]
    #[case(
        Step::furnish(Some("pylock.watch.toml"), "my env", true),
        "eutaxis furnish pylock.watch.toml --at \"my env\" --tidy"
    )]
    #[case(
        Step::rehearse("firnio>=2", "a; touch hut"),
        "eutaxis rehearse \"firnio>=2\" --in \"a; touch hut\""
    )]
    fn commands_are_taken(#[case] step: Step, #[case] expected: &str) {
        assert_eq!(typed(&step), expected);
        let Step::Run(all) = step else {
            panic!("a command")
        };
        for one in all {
            let words = ["eutaxis".to_owned(), one.verb.as_str().to_owned()];
            let taken = Cli::try_parse_from(words.into_iter().chain(one.words));
            assert!(taken.is_ok(), "{expected}: {}", taken.unwrap_err());
        }
    }

    /// Each command that a remedy can name is one of the program's.
    #[test]
    fn every_verb_is_a_command() {
        for verb in Verb::ALL {
            let help = Cli::try_parse_from(["eutaxis", verb.as_str(), "--help"]);
            let kind = help.unwrap_err().kind();
            assert_eq!(kind, clap::error::ErrorKind::DisplayHelp, "{verb:?}");
        }
    }

    /// A wheel may hold a file of any name, and a log may speak of one.
    #[rstest]
    #[case(
        Step::Without {
            file: "/camp/.venv/$(touch hut).py".to_owned(),
            then: Box::new(Step::furnish(None, ".venv", false)),
        },
        "rm '/camp/.venv/$(touch hut).py' && eutaxis furnish --at .venv"
    )]
    #[case(Step::Enter { environment: "my env".to_owned() }, ". \"my env/bin/activate\"")]
    #[case(
        Step::Start(vec![".venv/bin/python".to_owned(), "$(touch hut).py".to_owned()]),
        ".venv/bin/python '$(touch hut).py'"
    )]
    #[case(Step::Line("df -h".to_owned()), "df -h")]
    fn no_name_is_read_by_the_shell(#[case] step: Step, #[case] expected: &str) {
        assert_eq!(typed(&step), expected);
        let told = remedy(&Remedy::new("do it", step));
        assert_eq!(told, format!("do it:  {expected}"));
    }
}
