//! `completions`: what a shell reads to complete commands and options.

use clap::CommandFactory;
use eutaxis_world::Error;

use crate::cli::{Cli, Common, Completions};
use crate::output::{Answer, Outcome};
use crate::report;

pub(crate) fn run(arguments: &Completions, common: &Common) -> Result<Answer, Error> {
    if common.json {
        return Err(Error::request(
            "completions are a script for a shell, which has no JSON",
        ));
    }
    let mut script = Vec::new();
    clap_complete::generate(arguments.shell, &mut Cli::command(), "eutaxis", &mut script);
    Ok(Answer {
        outcome: Outcome::Ok,
        text: String::from_utf8_lossy(&script).into_owned(),
        report: report::Nothing {}.into(),
    })
}
