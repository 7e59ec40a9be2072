//! `completions`: what a shell reads to complete commands and options.

use clap::CommandFactory;
use eutaxis_world::Error;

use crate::cli::{Cli, Common, Completions};
use crate::output::Answer;

use super::text_alone;

pub(crate) fn run(arguments: &Completions, common: &Common) -> Result<Answer, Error> {
    let why = "completions are a script for a shell, which has no JSON";
    text_alone(common, why, || {
        let mut script = Vec::new();
        clap_complete::generate(arguments.shell, &mut Cli::command(), "eutaxis", &mut script);
        Ok(String::from_utf8_lossy(&script).into_owned())
    })
}
