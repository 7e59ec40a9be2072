//! Two lines for each command, which its `--help` begins with.

macro_rules! examples {
    ($($name:ident: $first:literal, $second:literal;)*) => {
        $(pub(crate) const $name: &str = concat!("    ", $first, "\n    ", $second);)*
        /// All of them, by the names of the commands in capitals.
        #[cfg(test)]
        pub(crate) const ALL: &[(&str, &str)] = &[$((stringify!($name), $name)),*];
    };
}

examples! {
    SURVEY: "eutaxis survey", "eutaxis survey --environments ~/work";
    SHORTLIST: "eutaxis shortlist radargram", "eutaxis shortlist \"radargram>=2\" --files";
    SPAN: "eutaxis span --asks requirements.txt", "eutaxis span radargram --interpreters 3.9..3.13";
    SETTLE: "eutaxis settle --asks requirements.txt", "eutaxis settle --and \"katabat>=0.5\"";
    REASON: "eutaxis reason frostgrid", "eutaxis reason frostgrid --not 2.1.0";
    GATHER: "eutaxis gather --into stick", "eutaxis gather pylock.night.toml --into stick";
    FURNISH: "eutaxis furnish", "eutaxis furnish pylock.night.toml --at .venv-night";
    EXAMINE: "eutaxis examine .venv", "eutaxis examine .venv --pins pylock.toml --imports";
    REHEARSE: "eutaxis rehearse", "eutaxis rehearse \"ablatia>=2026\" --in .venv";
    DIAGNOSE: "eutaxis diagnose build.log", "python camp.py 2>&1 | eutaxis diagnose";
    ASSAY: "eutaxis assay radargram-2.2.0-py3-none-any.whl", "eutaxis assay downloads/*.whl";
    LOCATE: "eutaxis locate firnio", "eutaxis locate firnio.tables --in .venv";
    PROOFREAD: "eutaxis proofread requirements.txt", "eutaxis proofread src --in .venv";
    WITHIN: "eutaxis within -- python camp.py", "eutaxis within .venv-night -- python -m firnio";
    DEPOTS: "eutaxis depots", "eutaxis depots --keep ~/wheels --name main";
    STOCK: "eutaxis stock", "eutaxis stock --trim 30d";
    DEMO: "eutaxis demo", "eutaxis demo camp --all";
    HELP: "eutaxis help settle", "eutaxis help install";
    COMPLETIONS: "eutaxis completions bash > ~/.eutaxis-completions", "eutaxis completions fish | source";
    MANUAL: "eutaxis manual man", "man -l man/eutaxis-settle.1";
}

#[cfg(test)]
mod tests {
    use clap::CommandFactory;

    use super::ALL;
    use crate::cli::{Cli, Command};

    /// Every command has its two, and each that is one of ours can be typed.
    #[test]
    fn every_command_begins_with_two_lines_that_can_be_typed() {
        for command in Cli::command().get_subcommands() {
            let name = command.get_name();
            let own = ALL.iter().find(|(n, _)| n.eq_ignore_ascii_case(name));
            let (_, text) = own.unwrap_or_else(|| panic!("{name} has no examples"));
            let shown = command.get_before_help().map(ToString::to_string);
            assert_eq!(shown.as_deref(), Some(*text), "{name}");
            // What is behind a bar or an arrow is the shell's, and what is before a bar another
            // program's.
            let parts = text.lines().flat_map(|line| line.split(['|', '>']));
            let typed = parts.filter_map(|part| part.trim().strip_prefix("eutaxis "));
            for line in typed.filter(|line| !line.contains("\"")) {
                let words = line.split(' ').map(str::to_owned);
                assert!(Command::of_words(words).is_some(), "{line}");
            }
            let quoted = text.lines().filter(|line| line.contains('"'));
            for line in quoted {
                let words = line.trim().trim_start_matches("eutaxis ").split(' ');
                let words = words.map(|w| w.trim_matches('"').to_owned());
                assert!(Command::of_words(words).is_some(), "{line}");
            }
        }
    }
}
