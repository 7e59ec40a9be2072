//! `help`: the pages of `docs/` in the terminal, and which command does what a word of the trade
//! means.

mod pages;

use clap::CommandFactory;
use eutaxis_core::fault::escaped;
use eutaxis_core::knowledge::{TradeWord, trade_word, trade_words};
use eutaxis_core::name::nearest;
use eutaxis_world::Error;

use crate::cli::{Cli, Common, Help};
use crate::output::Answer;
use crate::render::help as shown;

use super::text_alone;

/// So many topics are proposed in place of one that is not there.
const MOST_NEAR: usize = 3;
/// So many letters of a word that is not known are told.
const LONGEST: usize = 60;

pub(crate) fn run(arguments: &Help, common: &Common) -> Result<Answer, Error> {
    text_alone(common, "help prints pages, which have no JSON", || {
        let Some(topic) = arguments.topic.as_deref() else {
            return Ok(overview());
        };
        match (pages::page(topic), trade_word(topic)) {
            // Who asks for a word of the trade wants what does it here; the page is of the program.
            (Some(page), Some(word)) if !own(topic) => Ok(format!(
                "{}\n{}",
                shown::word(topic, word),
                shown::page(page.text)
            )),
            (Some(page), _) => Ok(shown::page(page.text)),
            (None, Some(word)) => Ok(shown::word(topic, word)),
            (None, None) => usage(topic).ok_or_else(|| unknown(topic)),
        }
    })
}

fn overview() -> String {
    let cli = Cli::command();
    let about = |topic: &str| {
        let command = cli.find_subcommand(topic)?;
        command.get_about().map(ToString::to_string)
    };
    let told = |page: &pages::Page| {
        let about = about(page.topic).or_else(|| page.about.map(str::to_owned));
        (page.topic, about.unwrap_or_default())
    };
    let (commands, matters): (Vec<_>, Vec<_>) =
        pages::PAGES.iter().partition(|p| p.about.is_none());
    shown::overview(
        &commands.into_iter().map(told).collect::<Vec<_>>(),
        &matters.into_iter().map(told).collect::<Vec<_>>(),
    )
}

/// Whether it is a command.
fn own(topic: &str) -> bool {
    Cli::command().find_subcommand(topic).is_some()
}

/// How a command is typed, of those that have no page.
fn usage(topic: &str) -> Option<String> {
    let mut cli = Cli::command();
    // Else the line of usage lacks the program's name.
    cli.build();
    let command = cli.find_subcommand_mut(topic)?;
    Some(command.render_long_help().to_string())
}

/// A word as it can be told: none is long.
fn told(word: &str) -> String {
    let start: String = word.chars().take(LONGEST).collect();
    let more = if start.len() < word.len() { "..." } else { "" };
    format!("`{}{more}`", escaped(&start))
}

fn unknown(topic: &str) -> Error {
    let error = Error::request(format!("there is no page {}", told(topic)));
    let near = near(topic);
    error.help(match near.as_slice() {
        [] => "see which there are: eutaxis help".to_owned(),
        near => format!("near it: {}; all: eutaxis help", near.join(", ")),
    })
}

/// Commands, pages and words of the trade that look like it.
fn near(topic: &str) -> Vec<&'static str> {
    let pages = pages::PAGES.iter().map(|p| p.topic);
    let words = trade_words().flat_map(|w: &TradeWord| w.names.iter().map(String::as_str));
    nearest(topic, pages.chain(words), MOST_NEAR)
}

/// Where a word stands for a command and is none: what does it here, or what is near it.
pub(crate) fn no_command(word: &str) -> Error {
    let message = format!("there is no command {}", told(word));
    let near = near(word);
    match (trade_word(word), near.as_slice()) {
        (Some(meant), _) => {
            let commands = meant.commands.iter().map(|c| format!("eutaxis {c}"));
            let commands: Vec<String> = commands.collect();
            Error::request(format!("{message}: {}", meant.says)).help(commands.join("\n"))
        }
        (None, []) => Error::request(message).help("see which there are: eutaxis help"),
        (None, near) => {
            // What is near may be no command either: then what does it here.
            let typed = |word: &&str| match (own(word), trade_word(word)) {
                (true, _) => vec![format!("eutaxis {word}")],
                (false, Some(meant)) => {
                    let commands = meant.commands.iter();
                    commands.map(|c| format!("eutaxis {c}")).collect()
                }
                (false, None) => vec![format!("eutaxis help {word}")],
            };
            let mut lines: Vec<String> = near.iter().flat_map(typed).collect();
            lines.dedup();
            Error::request(message).help(format!("{}\nall: eutaxis help", lines.join("\n")))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::cli::Command;

    /// What a word leads to can be typed, with something in the place of what is in capitals.
    #[test]
    fn what_words_lead_to_are_commands() {
        for word in trade_words() {
            for command in &word.commands {
                let words = command.split(' ').map(|w| w.trim_matches('"').to_owned());
                let put = |w: String| match w.chars().all(|c| c.is_ascii_uppercase()) {
                    true => "radargram".to_owned(),
                    false => w,
                };
                let typed: Vec<String> = words.map(put).collect();
                assert!(Command::of_words(typed).is_some(), "{command}");
            }
            let own: Vec<&String> = word.names.iter().filter(|n| own(n)).collect();
            assert!(own.is_empty(), "{own:?} are commands themselves");
        }
    }
}
