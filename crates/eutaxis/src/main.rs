//! The program: arguments, commands, what they print. `main` alone ends the process.
//!
//! The way of every command: arguments (`cli`) -> plan -> the world and the core -> report -> text
//! or JSON (`render`).

mod answer;
mod asks;
mod building;
mod cli;
mod commands;
mod examples;
mod output;
mod paired;
mod pins;
mod placed;
mod plan;
mod proof;
mod question;
mod remembered;
mod render;
mod report;
mod sarif;
mod typed;
mod voice;
mod words;

use std::process::ExitCode;

use clap::Parser;

fn main() -> ExitCode {
    let cli = match cli::Cli::try_parse() {
        Ok(cli) => cli,
        Err(error) => {
            let Some(word) = output::unknown_command(&error) else {
                return output::usage(&error);
            };
            output::print_error(&commands::help::no_command(&word));
            return ExitCode::from(2);
        }
    };
    let output = output::Output::new(
        &cli.common,
        cli.command.as_ref().is_some_and(cli::Command::has_verdict),
    );
    let outcome = commands::run(&cli, &output);
    let name = cli.command.as_ref().map_or("here", cli::Command::name);
    output.finish(name, outcome)
}
