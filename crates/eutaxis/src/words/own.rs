//! What is wrong in one's own code, and what to do about it.

use eutaxis_core::fault::escaped;
use eutaxis_core::knowledge::standing;
use eutaxis_core::own::{Gone, Manner, Remark, Trouble};

use super::count;

/// So many further places are told.
const MOST_PLACES: usize = 2;

/// What mends it.
#[derive(Debug, Default)]
pub(crate) struct Mends {
    /// The project, in words: `mast-tools brings it`.
    pub(crate) project: Option<String>,
    /// The line to type.
    pub(crate) line: Option<String>,
}

/// So many of those who need a project are named.
const MOST_NEEDING: usize = 2;

/// What is wrong, and what to do.
pub(crate) fn told(remark: &Remark, against: &str, mends: &Mends) -> (String, String) {
    let hangs = hangs_on(&remark.manner);
    let also = also(remark);
    let (what, remedy) = match &remark.trouble {
        Trouble::NotBrought {
            module,
            standard: None,
        } => (
            format!("{module} is imported{hangs}, and nothing in {against} brings it{also}"),
            mends.project.clone().unwrap_or_else(|| {
                format!(
                    "no project is known to bring it; a module of your own? is {module} spelt \
                    right?"
                )
            }),
        ),
        Trouble::NotBrought {
            module,
            standard: Some(gone),
        } => (
            format!("{module} of the standard library is {gone}{hangs}{also}"),
            of_standard(module, *gone, mends),
        ),
        Trouble::NoName { module, name, gone } => (
            format!("{name} of {module} is {gone}{hangs}{also}"),
            match gone {
                Gone::Since(_) => "take what came in its place, or an older interpreter".to_owned(),
                Gone::Until(_) => "take a newer interpreter, or do without it".to_owned(),
            },
        ),
        Trouble::Crosses { file, lacks } => {
            let each = lacks.iter().map(|(label, modules)| {
                let modules: Vec<&str> = modules.iter().map(String::as_str).collect();
                format!("{label} lacks {}", modules.join(", "))
            });
            let each: Vec<String> = each.collect();
            (
                format!(
                    "{} runs in none of them: {}",
                    escaped(file),
                    each.join("; ")
                ),
                "divide it, so that each part imports of one set alone".to_owned(),
            )
        }
        Trouble::OnlyThrough { project, by } => {
            let first: Vec<&str> = by.iter().take(MOST_NEEDING).map(|n| n.as_str()).collect();
            let needing = match (by.len(), first.as_slice()) {
                (1, [one]) => format!("{one} needs it"),
                (2, [one, other]) => format!("{one} and {other} need it"),
                (n, first) => format!(
                    "{} and {} more need it",
                    first.join(", "),
                    n.saturating_sub(first.len())
                ),
            };
            (
                format!(
                    "{project} is imported{hangs}, and is here only since {needing}, which may \
                        change{also}"
                ),
                "ask for it by itself".to_owned(),
            )
        }
        Trouble::Hides {
            module,
            file,
            project,
        } => {
            let whose = match project {
                Some(project) => format!("of {project}"),
                None => "of the standard library".to_owned(),
            };
            (
                format!(
                    "{} is imported in place of {module} {whose}{also}",
                    escaped(file)
                ),
                "give the file another name".to_owned(),
            )
        }
        Trouble::Unread { .. } => (
            "the code cannot be read from here on".to_owned(),
            "look at the line; what stands behind it may be told wrongly".to_owned(),
        ),
        Trouble::NeverImported { project, by_name } => {
            let by_name = match by_name {
                true => ", as far as its name tells",
                false => "",
            };
            (
                format!("{project} is asked for, and nothing here imports it{by_name}"),
                "if no program or plugin of it is used, leave it out".to_owned(),
            )
        }
    };
    match &mends.line {
        Some(line) => (what, format!("{remedy}:  {line}")),
        None => (what, remedy),
    }
}

/// What is told of several that are asked for and imported nowhere at once, and what to do.
pub(crate) fn never_imported(all: &[(&Remark, &Mends)]) -> Option<(String, String)> {
    let names = |(remark, _): &(&Remark, &Mends)| match &remark.trouble {
        Trouble::NeverImported { project, .. } => Some(project.to_string()),
        Trouble::NotBrought { .. }
        | Trouble::NoName { .. }
        | Trouble::Crosses { .. }
        | Trouble::OnlyThrough { .. }
        | Trouble::Hides { .. }
        | Trouble::Unread { .. } => None,
    };
    let names: Vec<String> = all.iter().filter_map(names).collect();
    let (last, before) = names.split_last()?;
    let remedy = "if no program or plugin of one is used, leave it out";
    let line = all.first()?.1.line.as_ref();
    // The line of the first is that of the others but for the name.
    let line = line.and_then(|l| Some(format!(":  {}NAME", l.strip_suffix(names.first()?)?)));
    Some((
        format!(
            "{} and {last} are asked for, and nothing here imports them",
            before.join(", ")
        ),
        format!("{remedy}{}", line.unwrap_or_default()),
    ))
}

/// What to do about a module of the standard library that the series lacks.
fn of_standard(module: &str, gone: Gone, mends: &Mends) -> String {
    if let Some(project) = &mends.project {
        return project.clone();
    }
    let instead = standing(module).and_then(|s| s.instead.as_ref());
    match (gone, instead) {
        (Gone::Since(_), Some(instead)) => format!("use {instead}"),
        (Gone::Since(_), None) => "do without it, or take an older interpreter".to_owned(),
        (Gone::Until(_), _) => "take a newer interpreter, or do without it".to_owned(),
    }
}

/// What an import hangs on.
fn hangs_on(manner: &Manner) -> String {
    match manner {
        Manner::Always => String::new(),
        Manner::Within(function) => format!(" when {} runs", escaped(function)),
        Manner::Perhaps => " under a condition".to_owned(),
        Manner::Guarded => " where it is there (the code goes on without it)".to_owned(),
        Manner::Typing => " for checkers of types only".to_owned(),
    }
}

fn also(remark: &Remark) -> String {
    let rest: Vec<String> = (remark.places.iter().skip(1))
        .map(|p| escaped(&p.to_string()))
        .collect();
    let first: Vec<&str> = rest.iter().take(MOST_PLACES).map(String::as_str).collect();
    match rest.len() {
        0 => String::new(),
        n if n <= MOST_PLACES => format!("; also {}", first.join(" and ")),
        n => format!(
            "; also {}, and {} more",
            first.join(", "),
            count(n - MOST_PLACES, "place")
        ),
    }
}
