//! `manual`: pages for `man`, one of the program and one of each command.

use clap::CommandFactory;
use eutaxis_world::files::write_whole;
use eutaxis_world::{Doing, Error};

use crate::cli::{Cli, Common, Manual};
use crate::output::{Answer, Outcome};
use crate::report;
use crate::words::count;

pub(crate) fn run(arguments: &Manual, common: &Common) -> Result<Answer, Error> {
    if common.json {
        return Err(Error::request("manual writes pages, which have no JSON"));
    }
    let folder = &arguments.folder;
    std::fs::create_dir_all(folder).doing("cannot make", folder)?;
    let cli = Cli::command().disable_help_subcommand(true);
    let mut pages = vec![("eutaxis".to_owned(), cli.clone())];
    for command in cli.get_subcommands() {
        let name = format!("eutaxis-{}", command.get_name());
        let typed = format!("eutaxis {}", command.get_name());
        pages.push((name.clone(), command.clone().name(name).bin_name(typed)));
    }
    let number = pages.len();
    for (name, command) in pages {
        let mut page = Vec::new();
        let man = clap_mangen::Man::new(command);
        // Nothing is written but to memory, which takes it.
        let _ = man.render(&mut page);
        write_whole(&folder.join(format!("{name}.1")), &page)?;
    }
    let shown = crate::words::near(folder);
    Ok(Answer {
        outcome: Outcome::Ok,
        text: format!(
            "{} in {shown}; read one: man -l {shown}/eutaxis.1\n",
            count(number, "page")
        ),
        report: report::Nothing {}.into(),
    })
}
