//! One file per command.

pub(crate) mod assay;
mod completions;
mod demo;
pub(crate) mod depots;
mod diagnose;
pub(crate) mod examine;
pub(crate) mod furnish;
pub(crate) mod gather;
pub(crate) mod help;
mod here;
pub(crate) mod locate;
mod manual;
pub(crate) mod proofread;
pub(crate) mod reason;
pub(crate) mod rehearse;
pub(crate) mod settle;
pub(crate) mod shortlist;
pub(crate) mod span;
pub(crate) mod stock;
pub(crate) mod survey;
mod within;

use eutaxis_world::{Error, Errors};

use crate::cli::{Cli, Command, Common};
use crate::output::{Answer, Outcome, Output};
use crate::report;

/// Runs the command. Most end at the first error; those that read lists tell all that is wrong.
pub(crate) fn run(cli: &Cli, output: &Output) -> Result<Answer, Errors> {
    let Some(command) = &cli.command else {
        return Ok(here::run(&cli.common)?);
    };
    match command {
        Command::Survey(arguments) => Ok(survey::run(arguments, &cli.common, output)?),
        Command::Shortlist(arguments) => Ok(shortlist::run(arguments, &cli.common, output)?),
        Command::Span(arguments) => span::run(arguments, &cli.common, output),
        Command::Settle(arguments) => settle::run(arguments, &cli.common, output),
        Command::Examine(arguments) => Ok(examine::run(arguments, &cli.common, output)?),
        Command::Diagnose(arguments) => Ok(diagnose::run(arguments, &cli.common, output)?),
        Command::Assay(arguments) => assay::run(arguments, &cli.common, output),
        Command::Locate(arguments) => Ok(locate::run(arguments, &cli.common)?),
        Command::Rehearse(arguments) => rehearse::run(arguments, &cli.common, output),
        Command::Proofread(arguments) => Ok(proofread::run(arguments, &cli.common, output)?),
        Command::Reason(arguments) => Ok(reason::run(arguments, &cli.common, output)?),
        Command::Gather(arguments) => Ok(gather::run(arguments, &cli.common, output)?),
        Command::Furnish(arguments) => Ok(furnish::run(arguments, &cli.common, output)?),
        Command::Within(arguments) => Ok(within::run(arguments, &cli.common, output)),
        Command::Stock(arguments) => Ok(stock::run(arguments, &cli.common)?),
        Command::Depots(arguments) => Ok(depots::run(arguments, &cli.common, output)?),
        Command::Demo(arguments) => Ok(demo::run(arguments, &cli.common, output)?),
        Command::Help(arguments) => Ok(help::run(arguments, &cli.common)?),
        Command::Completions(arguments) => Ok(completions::run(arguments, &cli.common)?),
        Command::Manual(arguments) => Ok(manual::run(arguments, &cli.common)?),
    }
}

/// The answer of a command that only prints a text: it has no JSON, and why.
fn text_alone(
    common: &Common,
    why: &str,
    text: impl FnOnce() -> Result<String, Error>,
) -> Result<Answer, Error> {
    if common.json {
        return Err(Error::request(why));
    }
    Ok(Answer {
        outcome: Outcome::Ok,
        text: text()?,
        report: report::Nothing {}.into(),
    })
}
