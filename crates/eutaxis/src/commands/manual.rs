//! `manual`: pages for `man`, one of the program and one of each command.

use std::path::Path;

use clap::CommandFactory;
use eutaxis_world::files::write_whole;
use eutaxis_world::{Doing, Error};

use crate::cli::{Cli, Common, Manual};
use crate::output::Answer;
use crate::words::{count, near};

use super::text_alone;

pub(crate) fn run(arguments: &Manual, common: &Common) -> Result<Answer, Error> {
    text_alone(common, "manual writes pages, which have no JSON", || {
        written(&arguments.folder)
    })
}

/// Writes the pages, and tells how many.
fn written(folder: &Path) -> Result<String, Error> {
    std::fs::create_dir_all(folder).doing("cannot make", folder)?;
    let cli = Cli::command();
    let mut pages = vec![("eutaxis".to_owned(), cli.clone())];
    for command in cli.get_subcommands() {
        let name = format!("eutaxis-{}", command.get_name());
        let typed = format!("eutaxis {}", command.get_name());
        let command = command.clone().name(name.clone()).bin_name(typed);
        pages.push((name, command));
    }
    let number = pages.len();
    for (name, command) in pages {
        let mut page = Vec::new();
        let man = clap_mangen::Man::new(command);
        // Nothing is written but to memory, which takes it.
        let _ = man.render(&mut page);
        write_whole(&folder.join(format!("{name}.1")), &page)?;
    }
    let (pages, shown) = (count(number, "page"), near(folder));
    Ok(format!(
        "{pages} in {shown}; read one: man -l {shown}/eutaxis.1\n"
    ))
}
