//! Options as they would be typed, for commands that an answer recommends.

use clap::ValueEnum;
pub(crate) use eutaxis_core::shell::quoted;

use crate::cli::{AskOptions, BuildOptions, DepotOptions, PolicyOptions, TargetOptions};

/// Words as a shell takes them, each with a blank before it.
pub(crate) fn line(words: &[String]) -> String {
    words.iter().map(|w| format!(" {}", quoted(w))).collect()
}

/// `--option VALUE` for each value.
fn each<T: Into<String>>(option: &str, values: impl IntoIterator<Item = T>) -> Vec<String> {
    let two = |value: T| [option.to_owned(), value.into()];
    values.into_iter().flat_map(two).collect()
}

fn word<T: ValueEnum>(option: &str, value: Option<&T>) -> Vec<String> {
    let value = value.and_then(ValueEnum::to_possible_value);
    each(option, value.map(|v| v.get_name().to_owned()))
}

fn paths(list: &[std::path::PathBuf]) -> Vec<String> {
    list.iter().map(|p| p.display().to_string()).collect()
}

/// What is asked for.
pub(crate) fn asks(options: &AskOptions) -> Vec<String> {
    let parts = [
        options.requirements.clone(),
        each("--asks", paths(&options.asks)),
        each("--extra", options.extra.clone()),
        each("--group", options.group.clone()),
        each("--bounds", paths(&options.bounds)),
    ];
    parts.concat()
}

/// Where it must run; not the interpreter, which the answer names.
pub(crate) fn target(options: &TargetOptions) -> Vec<String> {
    let parts = [
        each("--target", options.target.clone()),
        each("--platform", options.platform.clone()),
        each("--accelerator", options.accelerator.clone()),
    ];
    parts.concat()
}

/// Where files come from.
pub(crate) fn depots(options: &DepotOptions) -> Vec<String> {
    each("--depot", options.depot.clone())
}

/// What is permitted and preferred.
pub(crate) fn policy(options: &PolicyOptions) -> Vec<String> {
    let parts = [
        word("--wheels", options.wheels.as_ref()),
        permit(&options.permit),
        each("--prereleases", options.prereleases.clone()),
        each("--as-of", options.as_of.clone()),
        match options.take_undated {
            true => vec!["--take-undated".to_owned()],
            false => Vec::new(),
        },
        word("--prefer", options.prefer.as_ref()),
        word("--chronology", options.chronology.as_ref()),
    ];
    parts.concat()
}

/// What may be built.
pub(crate) fn permit(options: &BuildOptions) -> Vec<String> {
    let flag = |word: &str, is_given: bool| is_given.then(|| word.to_owned());
    let parts = [
        each("--build", options.build.clone()),
        each("--rebuild", options.rebuild.clone()),
        flag("--build-light", options.build_light)
            .into_iter()
            .collect(),
        flag("--build-all", options.build_all).into_iter().collect(),
        each("--build-bounds", paths(&options.build_bounds)),
    ];
    parts.concat()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::cli::{Cli, Command};
    use clap::Parser;
    use eutaxis_core::knowledge::Causes;

    /// What is typed is read back as the same options.
    #[test]
    fn options_come_back() {
        let typed = "eutaxis span a --asks f.txt --extra x --target t --accelerator none --depot d \
            --wheels only --build b --rebuild r --build-light --build-all --build-bounds c.txt --as-of 2026-01-01 --prefer oldest --chronology ignore \
            --prereleases all";
        let Ok(Cli {
            command: Some(Command::Span(span)),
            ..
        }) = Cli::try_parse_from(typed.split(' '))
        else {
            panic!("span")
        };
        let parts = [
            asks(&span.asks),
            target(&span.target),
            depots(&span.depots),
            policy(&span.policy),
        ];
        let again = format!("eutaxis span{}", line(&parts.concat()));
        let Ok(Cli {
            command: Some(Command::Span(read)),
            ..
        }) = Cli::try_parse_from(again.split(' '))
        else {
            panic!("{again}")
        };
        assert_eq!(format!("{span:?}"), format!("{read:?}"));
    }

    /// The commands that causes advise, with a word for each fact, are such as the program takes.
    #[test]
    fn every_command_of_the_causes_is_taken() {
        let causes = Causes::built_in();
        let kinds = (0..).map_while(|n| causes.kind(n)).map(|k| &k.remedies);
        let signs = (0..).map_while(|n| causes.sign(n));
        let all = kinds.chain(signs.filter_map(|s| s.remedies.as_ref()));
        let changes = all.flatten().filter_map(|advice| advice.change.as_deref());
        let mut tried = 0;
        for line in changes.filter(|line| line.starts_with("eutaxis ")) {
            let mut words = line.to_owned();
            while let (Some(from), Some(to)) = (words.find('{'), words.find('}')) {
                words.replace_range(from..=to, "firnio");
            }
            let taken = Cli::try_parse_from(words.split(' '));
            assert!(taken.is_ok(), "{line}: {}", taken.unwrap_err());
            tried += 1;
        }
        assert!(tried > 30, "{tried} commands");
    }
}
