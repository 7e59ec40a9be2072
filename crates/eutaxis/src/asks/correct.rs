//! Lines of lists that speak to an installer and mean something: one error that lists them all, with
//! the whole command that says the same here.

use std::path::Path;

use eutaxis_core::fault::Origin;
use eutaxis_core::requirement::{Directive, DirectiveKind};
use eutaxis_world::Error;
use eutaxis_world::network::without_secret;

use crate::typed;
use crate::words::troubles::{directive, instead};

/// The error, where some line means something.
pub(super) fn refused(directives: &[Directive]) -> Option<Error> {
    let refused: Vec<&Directive> = directives
        .iter()
        .filter(|d| !d.kind.means_nothing())
        .collect();
    let line = |d: &&Directive| format!("{} `{}` ({})", d.origin, directive(d), instead(d.kind));
    let lines: Vec<String> = refused.iter().map(line).collect();
    let what = match lines.len() {
        0 => return None,
        1 => "this line speaks to an installer, and left out it would be missed".to_owned(),
        n => format!("{n} lines speak to an installer, and left out they would be missed"),
    };
    Some(
        Error::request(format!("{what}: {}", lines.join("; ")))
            .help(format!("say it here:  {}", command(&refused))),
    )
}

/// The command of this run with the options that say the same.
fn command(refused: &[&Directive]) -> String {
    let mut words: Vec<String> = std::env::args().skip(1).collect();
    words.push("--lenient".to_owned());
    for directive in refused {
        words.extend(options(directive));
    }
    format!("eutaxis{}", typed::line(&words))
}

/// The options that say what a line says; none where no option does.
fn options(directive: &Directive) -> Vec<String> {
    let two = |option: &str, value: String| vec![option.to_owned(), value];
    match directive.kind {
        DirectiveKind::Place => match directive.value.is_empty() {
            true => Vec::new(),
            false => two("--depot", place(directive)),
        },
        DirectiveKind::Prereleases => two("--prereleases", "all".to_owned()),
        DirectiveKind::Wheels if directive.value == ":all:" => two("--wheels", "only".to_owned()),
        DirectiveKind::Source if !directive.value.starts_with(':') => {
            let names = directive.value.split(',').map(str::trim);
            let names = names.filter(|n| eutaxis_core::Name::parse(n).is_ok());
            names
                .flat_map(|name| two("--rebuild", name.to_owned()))
                .collect()
        }
        DirectiveKind::Wheels
        | DirectiveKind::Source
        | DirectiveKind::NoPlace
        | DirectiveKind::BuildSettings
        | DirectiveKind::Nothing
        | DirectiveKind::Unknown => Vec::new(),
    }
}

/// A place that offers files: relative to its list where that has it.
fn place(directive: &Directive) -> String {
    let stated = &directive.value;
    if stated.contains("://") {
        return without_secret(stated);
    }
    let Origin::Line { file, .. } = &directive.origin else {
        return stated.clone();
    };
    let beside = Path::new(&**file).with_file_name(stated);
    match beside.exists() {
        true => beside.display().to_string(),
        false => stated.clone(),
    }
}
