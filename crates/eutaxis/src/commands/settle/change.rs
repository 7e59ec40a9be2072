//! Changing the question: what `--and` and `--drop` do to the files in which it stands, and what
//! `--but-not` leaves out without touching them. Nothing is written here.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use eutaxis_core::fault::Origin;
use eutaxis_core::name::nearest;
use eutaxis_core::requirement::{
    Edit, FileForm, Unnamed, added_to_list, added_to_project, edited, joined,
};
use eutaxis_core::{Ask, Name, Requirement};
use eutaxis_world::files::read_text;
use eutaxis_world::{Error, Errors};

use crate::answer::edits::FileEdit;
use crate::asks::{self, Asks, is_address};
use crate::cli::Settle;
use crate::plan::Surroundings;

/// Files as they are about to be.
#[derive(Debug, Default)]
pub(super) struct Changes {
    /// Text before and after, by file.
    files: BTreeMap<PathBuf, (String, String)>,
}

impl Changes {
    /// What the files are about to say.
    pub(super) fn texts(&self) -> BTreeMap<PathBuf, String> {
        let each = self.files.iter();
        each.map(|(file, (_, after))| (file.clone(), after.clone()))
            .collect()
    }

    /// The edits that make it so.
    pub(super) fn edits(&self) -> Vec<FileEdit> {
        let each = self.files.iter();
        let changed = each.filter(|(_, (before, after))| before != after);
        changed
            .map(|(file, (before, after))| FileEdit {
                file: file.clone(),
                before: before.clone(),
                after: after.clone(),
            })
            .collect()
    }

    fn text(&mut self, file: &Path) -> Result<&mut String, Error> {
        if !self.files.contains_key(file) {
            let text = read_text(file).map_err(Error::of_request)?;
            self.files.insert(file.to_owned(), (text.clone(), text));
        }
        let found = self.files.get_mut(file).map(|(_, after)| after);
        found.ok_or_else(|| Error::request(format!("cannot read {}", file.display())))
    }

    fn edit(&mut self, file: &Path, line: u32, edit: Edit<'_>) -> Result<bool, Error> {
        let text = self.text(file)?;
        let after = edited(text, form_of(file), line, edit);
        let is_done = after.is_some();
        *text = after.unwrap_or_else(|| text.clone());
        Ok(is_done)
    }
}

fn form_of(file: &Path) -> FileForm {
    match file.extension().is_some_and(|e| e == "toml" || e == "py") {
        true => FileForm::Quoted,
        false => FileForm::List,
    }
}

/// Does what `--drop` and `--and` say: to the files, or to the requirements that are typed. `groups`
/// are those that are named with what is added.
pub(super) fn made(
    arguments: &mut Settle,
    groups: &[String],
    surroundings: &Surroundings,
) -> Result<Changes, Errors> {
    let mut changes = Changes::default();
    for text in arguments.drop.clone() {
        let name = Name::parse(&text).map_err(|f| Error::in_file("--drop", &text, &f))?;
        let read = asks::read(&arguments.asks, surroundings, &changes.texts())?;
        dropped(&name, &read, arguments, &mut changes)?;
    }
    for text in arguments.and.clone() {
        let requirement = Requirement::parse(&text).map_err(|fault| {
            let error = Error::in_file("--and", &text, &fault);
            match Unnamed::read(&text, false, &Origin::Argument) {
                Some(_) => error.help(format!("write it with its name:  \"NAME @ {text}\"")),
                None => error,
            }
        })?;
        let adding = Adding {
            requirement: &requirement,
            typed: text.trim(),
            groups,
        };
        added(&adding, arguments, surroundings, &mut changes)?;
    }
    Ok(changes)
}

/// The requirements of the command line that are of a project go.
fn untyped(name: &Name, arguments: &mut Settle) -> bool {
    let before = arguments.asks.requirements.len();
    let is_of = |text: &String| Requirement::parse(text).is_ok_and(|r| r.name == *name);
    arguments.asks.requirements.retain(|text| !is_of(text));
    arguments.asks.requirements.len() < before
}

fn dropped(
    name: &Name,
    read: &Asks,
    arguments: &mut Settle,
    changes: &mut Changes,
) -> Result<(), Error> {
    let mut is_found = untyped(name, arguments);
    // From the end, so that lines keep their numbers.
    let mine = read.asks.iter().filter(|a| a.requirement.name == *name);
    let mut mine: Vec<&Ask> = mine.collect();
    mine.sort_by(|a, b| b.origin.cmp(&a.origin));
    for ask in mine {
        let Origin::Line { file, line } = &ask.origin else {
            continue;
        };
        let path = Path::new(&**file);
        if is_address(path) {
            return Err(at_an_address(name, &ask.origin));
        }
        let edit = Edit::Delete(&ask.requirement);
        if !changes.edit(path, *line, edit)? {
            let error = Error::request(format!("the line at {} cannot be taken out", ask.origin));
            return Err(error.help("take it out by hand, and settle"));
        }
        is_found = true;
    }
    if is_found {
        return Ok(());
    }
    Err(not_asked("--drop", name, read))
}

fn at_an_address(name: &Name, origin: &Origin) -> Error {
    let error = Error::request(format!(
        "{name} is asked for at {origin}, which cannot be changed from here"
    ));
    error.help(format!(
        "leave it out of this set with --but-not {name}, or keep a list of your own"
    ))
}

fn not_asked(option: &str, name: &Name, read: &Asks) -> Error {
    let names: Vec<&str> = read
        .asks
        .iter()
        .map(|a| a.requirement.name.as_str())
        .collect();
    let near = nearest(name.as_str(), names.iter().copied(), 2);
    let help = match near.is_empty() {
        true => "`eutaxis reason` tells who needs a project that is not asked for".to_owned(),
        false => format!("did you mean {}?", near.join(", ")),
    };
    Error::request(format!("{option} {name}: nothing asks for it")).help(help)
}

/// What is added.
struct Adding<'a> {
    requirement: &'a Requirement,
    /// As it was typed.
    typed: &'a str,
    /// The groups that are named with it.
    groups: &'a [String],
}

fn added(
    adding: &Adding<'_>,
    arguments: &mut Settle,
    surroundings: &Surroundings,
    changes: &mut Changes,
) -> Result<(), Errors> {
    let Adding {
        requirement,
        typed,
        groups,
    } = adding;
    let group = match groups {
        [] => None,
        [one] => Some(Name::parse(one).map_err(|f| Error::in_file("--group", one, &f))?),
        _ => {
            let error = Error::request("--and adds to one group, and several are named");
            return Err(error.help("name one --group").into());
        }
    };
    let local = arguments.asks.asks.iter().filter(|f| !is_address(f));
    let is_project = |f: &&PathBuf| f.extension().is_some_and(|e| e == "toml");
    let file = match &group {
        Some(_) => local.clone().find(is_project).cloned(),
        None => local.clone().next().cloned(),
    };
    let Some(file) = file else {
        if group.is_some() {
            let error = Error::request("--group speaks of a pyproject.toml, and none is asked");
            return Err(error.help("leave out --group").into());
        }
        // What is typed lies in no file: it joins what is typed.
        untyped_or_joined(requirement, typed, arguments);
        return Ok(());
    };
    // A group that is only begun cannot be read yet.
    let mut known = arguments.asks.clone();
    if let Some(group) = &group
        && asks::read(&known, surroundings, &changes.texts()).is_err()
    {
        known
            .group
            .retain(|g| Name::parse(g).ok().as_ref() != Some(group));
    }
    if let Ok(read) = asks::read(&known, surroundings, &changes.texts()) {
        for ask in read
            .asks
            .iter()
            .filter(|a| a.requirement.name == requirement.name)
        {
            let Origin::Line { file: of, line } = &ask.origin else {
                continue;
            };
            let Some(both) = joined(&ask.requirement, requirement) else {
                continue;
            };
            if Path::new(&**of) != file {
                continue;
            }
            let edit = Edit::Replace(&ask.requirement, &both);
            if both == ask.requirement || changes.edit(&file, *line, edit)? {
                return Ok(());
            }
        }
        if file.extension().is_some_and(|e| e == "py") {
            let last = read.asks.iter().rev().find_map(|a| match &a.origin {
                Origin::Line { file: of, line } if Path::new(&**of) == file => {
                    Some((a.requirement.clone(), *line))
                }
                Origin::Line { .. } | Origin::Argument => None,
            });
            let Some((last, line)) = last else {
                let error = Error::request(format!(
                    "{} asks for nothing yet, so there is no place for {requirement}",
                    file.display()
                ));
                return Err(error
                    .help("write the first one by hand: dependencies = [...]")
                    .into());
            };
            changes.edit(&file, line, Edit::AddBehind(&last, requirement))?;
            return Ok(());
        }
    }
    let shown = file.display().to_string();
    let text = changes.text(&file)?;
    *text = match is_project(&&file) {
        true => added_to_project(text, group.as_ref(), typed)
            .map_err(|f| Error::in_file(&shown, text, &f))?,
        false => added_to_list(text, typed),
    };
    Ok(())
}

/// A requirement joins those of the command line; one on the same project takes both together.
fn untyped_or_joined(requirement: &Requirement, typed: &str, arguments: &mut Settle) {
    for text in &mut arguments.asks.requirements {
        let Ok(old) = Requirement::parse(text) else {
            continue;
        };
        if let Some(both) = joined(&old, requirement) {
            *text = both.to_string();
            return;
        }
    }
    arguments.asks.requirements.push(typed.to_owned());
}

/// What `--but-not` leaves out.
pub(super) fn left_out(arguments: &Settle, asks: &mut Asks) -> Result<Vec<Ask>, Error> {
    let mut out = Vec::new();
    for text in &arguments.but_not {
        let name = Name::parse(text).map_err(|f| Error::in_file("--but-not", text, &f))?;
        let mine = |a: &Ask| a.requirement.name == name;
        if !asks.asks.iter().any(mine) {
            return Err(not_asked("--but-not", &name, asks));
        }
        out.extend(asks.asks.iter().filter(|a| mine(a)).cloned());
        asks.asks.retain(|a| !mine(a));
    }
    if asks.asks.is_empty() {
        let error = Error::request("--but-not leaves out everything that is asked for");
        return Err(error.help("leave out less"));
    }
    Ok(out)
}
