//! Requirement lists with all that they lead to: other lists and bounds, hashes, paths and addresses
//! without a name.

use std::path::{Path, PathBuf};

use eutaxis_core::artifact::name_in_address;
use eutaxis_core::fault::Origin;
use eutaxis_core::offer::{Adjustment, Effect};
use eutaxis_core::requirement::{
    Accepts, Entry, ProjectAsks, RequirementList, StatedHash, Unnamed, Wanted,
};
use eutaxis_core::{Ask, Name, VersionSpecifier};
use eutaxis_world::files::{file_url, read_text};
use eutaxis_world::{Error, Errors};

use super::Asks;
use super::text::{Texts, is_address};

/// What a list is read for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Role {
    /// It asks.
    Asks,
    /// It bounds.
    Bounds,
}

/// Reads a list and those that it leads to.
pub(super) fn read(
    file: &Path,
    role: Role,
    texts: &Texts<'_>,
    found: &mut Asks,
) -> Result<(), Errors> {
    let mut reader = Reader {
        texts,
        found,
        open: Vec::new(),
        done: Vec::new(),
    };
    let mut errors = Vec::new();
    reader.list(file, role, None, &mut errors);
    Errors::of(errors)
}

/// The bounds of a list on this disk.
pub(super) fn read_bounds(file: &Path) -> Result<Vec<Ask>, Errors> {
    let mut found = Asks::default();
    read(file, Role::Bounds, &Texts::new(None), &mut found)?;
    Errors::of(
        super::correct::refused(&found.directives)
            .into_iter()
            .collect(),
    )?;
    Ok(found.bounds)
}

/// What another list on this disk asks for, to which one leads, with all that it leads to.
pub(crate) fn followed(from: &Path, to: &str) -> Result<Vec<Ask>, Errors> {
    let texts = Texts::new(None);
    let mut found = Asks::default();
    let mut reader = Reader {
        texts: &texts,
        found: &mut found,
        open: vec![from.to_owned()],
        done: Vec::new(),
    };
    let mut errors = Vec::new();
    reader.list(&beside(from, to)?, Role::Asks, None, &mut errors);
    Errors::of(errors)?;
    Ok(found.asks)
}

struct Reader<'a> {
    texts: &'a Texts<'a>,
    found: &'a mut Asks,
    /// The lists that are being read, the first one first.
    open: Vec<PathBuf>,
    /// Those that were read, and for what.
    done: Vec<(PathBuf, Role)>,
}

impl Reader<'_> {
    fn list(&mut self, file: &Path, role: Role, from: Option<&Origin>, errors: &mut Vec<Error>) {
        let same = identity(file);
        if let Some(at) = self.open.iter().position(|f| identity(f) == same) {
            errors.push(circle(&self.open, at, file, from));
            return;
        }
        if self.done.iter().any(|(f, r)| *f == same && *r == role) {
            return;
        }
        let (text, shown) = match self.texts.read(file) {
            Ok(read) => read,
            Err(error) => {
                errors.push(match from {
                    Some(origin) => error.also(&format!("{origin} leads there")),
                    None => error,
                });
                return;
            }
        };
        self.open.push(file.to_owned());
        let (list, faults) = RequirementList::read(&text, &shown);
        let told = faults.iter().map(|f| Error::in_file(&shown, &text, f));
        errors.extend(told);
        for entry in list.entries {
            if let Err(error) = self.entry(entry, file, role, errors) {
                errors.push(error);
            }
        }
        self.open.pop();
        self.done.push((same, role));
        self.found.files.push(shown);
    }

    fn entry(
        &mut self,
        entry: Entry,
        file: &Path,
        role: Role,
        errors: &mut Vec<Error>,
    ) -> Result<(), Error> {
        match entry {
            Entry::Follow {
                path,
                bounds,
                origin,
            } => {
                let role = if bounds { Role::Bounds } else { role };
                let path = with_variables(&path, &origin)?;
                self.list(&beside(file, &path)?, role, Some(&origin), errors);
            }
            Entry::Ask(mut ask, hashes) => {
                if let Accepts::Url(url) = &mut ask.requirement.accepts {
                    *url = with_variables(url, &ask.origin)?;
                }
                self.take(ask, hashes, role);
            }
            Entry::Unnamed(mut unnamed, hashes) => {
                unnamed.place = with_variables(&unnamed.place, &unnamed.origin)?;
                if role == Role::Bounds {
                    let error = Error::request(format!(
                        "{}: `{}` bounds nothing: it has no name",
                        unnamed.origin, unnamed.place
                    ));
                    return Err(error.help("a bound is a name with versions: firnio<2"));
                }
                let ask = named(&unnamed, &folder_of(file))?;
                if unnamed.editable {
                    self.found.editable.push(ask.requirement.name.clone());
                }
                self.take(ask, hashes, role);
            }
            Entry::Directive(directive) => self.found.directives.push(directive),
        }
        Ok(())
    }

    fn take(&mut self, ask: Ask, hashes: Vec<StatedHash>, role: Role) {
        if !hashes.is_empty() {
            self.found.hashed.push(hashed(&ask, hashes));
        }
        match role {
            Role::Asks => self.found.asks.push(ask),
            Role::Bounds => self.found.bounds.push(ask),
        }
    }
}

/// A path or an address in which `${NAME}` stands for a variable of the environment, as it does in
/// lists in circulation, mostly to keep a password out of them.
fn with_variables(text: &str, origin: &Origin) -> Result<String, Error> {
    let mut whole = String::new();
    let mut rest = text;
    while let Some((before, behind)) = rest.split_once("${") {
        let is_name = |c: char| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_';
        let named = behind.split_once('}');
        let Some((name, after)) = named.filter(|(n, _)| !n.is_empty() && n.chars().all(is_name))
        else {
            whole.push_str(before);
            whole.push_str("${");
            rest = behind;
            continue;
        };
        let value = std::env::var(name).map_err(|_| {
            let error = Error::request(format!(
                "{}: the variable {name} is not set",
                crate::words::place(origin)
            ));
            error.help(format!("set {name}, which the line names as ${{{name}}}"))
        })?;
        whole.push_str(before);
        whole.push_str(&value);
        rest = after;
    }
    whole.push_str(rest);
    Ok(whole)
}

/// What the hashes of a line say: of its project only files that have one of them.
fn hashed(ask: &Ask, hashes: Vec<StatedHash>) -> Adjustment {
    Adjustment {
        project: ask.requirement.name.clone(),
        versions: VersionSpecifier::default(),
        when: ask.requirement.marker.clone(),
        effect: Effect::Hashed(hashes),
        because: "its line states hashes".to_owned(),
        origin: ask.origin.clone(),
        learnt: None,
    }
}

/// By what a place is known, however it is written.
fn identity(file: &Path) -> PathBuf {
    match is_address(file) {
        true => file.to_owned(),
        false => std::fs::canonicalize(file).unwrap_or_else(|_| file.to_owned()),
    }
}

fn circle(open: &[PathBuf], at: usize, file: &Path, from: Option<&Origin>) -> Error {
    let way = open
        .iter()
        .skip(at)
        .map(PathBuf::as_path)
        .chain([open.get(at).map_or(file, PathBuf::as_path)])
        .map(|f| f.display().to_string())
        .collect::<Vec<_>>();
    let place = from.map_or(String::new(), |origin| format!("{origin} "));
    let error = Error::request(format!(
        "{place}leads back to where it came from: {}",
        way.join(" -> ")
    ));
    error.help("take that line out: what it names is read already")
}

/// The folder of a list; the current one for a list at an address, whose paths mean nothing here.
fn folder_of(file: &Path) -> PathBuf {
    file.parent().map(Path::to_owned).unwrap_or_default()
}

/// A path or address as a list names it: relative to the list.
fn beside(file: &Path, place: &str) -> Result<PathBuf, Error> {
    let stated = Path::new(place);
    if is_address(stated) || stated.is_absolute() {
        return Ok(stated.to_owned());
    }
    if let Some(path) = place.strip_prefix("file://") {
        return Ok(PathBuf::from(path));
    }
    if is_address(file) {
        let base = url::Url::parse(&file.to_string_lossy());
        let joined = base.and_then(|base| base.join(place));
        return joined.map(|url| PathBuf::from(url.as_str())).map_err(|e| {
            Error::request(format!(
                "{} names `{place}`, which is no address: {e}",
                file.display()
            ))
        });
    }
    let bare = place.strip_prefix("./").unwrap_or(place);
    Ok(folder_of(file).join(bare))
}

/// The requirement that the standard would write for a path or an address without a name.
pub(super) fn named(unnamed: &Unnamed, folder: &Path) -> Result<Ask, Error> {
    let place = unnamed.place.as_str();
    let ask = |name: Name, url: String| Ask {
        requirement: unnamed.named(name, url),
        origin: unnamed.origin.clone(),
    };
    let nameless = || {
        let error = Error::request(format!(
            "{}: what `{place}` is called is not known",
            crate::words::place(&unnamed.origin)
        ));
        error.help(format!("write it with its name:  NAME @ {place}"))
    };
    if place.contains("://") && !place.starts_with("file:") {
        let name = name_in_address(place).ok_or_else(nameless)?;
        return Ok(ask(name, place.to_owned()));
    }
    let bare = place
        .strip_prefix("file://")
        .or(place.strip_prefix("file:"));
    let (path, fragment) = match bare.unwrap_or(place).split_once('#') {
        Some((path, fragment)) => (path, format!("#{fragment}")),
        None => (bare.unwrap_or(place), String::new()),
    };
    let path = match (path.strip_prefix("~/"), std::env::home_dir()) {
        (Some(rest), Some(home)) => home.join(rest),
        _ => folder.join(path),
    };
    let path = std::path::absolute(&path).unwrap_or(path);
    if !path.exists() {
        let error = Error::request(format!(
            "{}: there is nothing at {}",
            crate::words::place(&unnamed.origin),
            path.display()
        ));
        return Err(error.help("a path in a list is relative to the list"));
    }
    if path.is_dir() {
        let name = match name_in_address(place) {
            Some(name) if place.contains("egg=") => Some(name),
            _ => name_of_tree(&path)?,
        };
        return Ok(ask(name.ok_or_else(nameless)?, file_url(&path)));
    }
    let name = name_in_address(place).ok_or_else(nameless)?;
    Ok(ask(name, format!("{}{fragment}", file_url(&path))))
}

/// The name of the project in a folder, where a file there states it.
fn name_of_tree(folder: &Path) -> Result<Option<Name>, Error> {
    let file = folder.join("pyproject.toml");
    if file.is_file() {
        let text = read_text(&file).map_err(Error::of_request)?;
        let shown = file.display().to_string();
        let read = ProjectAsks::parse_open(&text, &shown, &Wanted::default());
        let name = read.map_err(|f| Error::in_file(&shown, &text, &f))?.name;
        if name.is_some() {
            return Ok(name);
        }
    }
    // Files of an older kind: what stands there plainly.
    let older = ["setup.cfg", "setup.py"].iter().find_map(|file| {
        let text = std::fs::read_to_string(folder.join(file)).ok()?;
        plain_name(&text)
    });
    Ok(older)
}

/// The name that a file of an older kind states as a plain text: `name = kit`, `name="kit",`.
fn plain_name(text: &str) -> Option<Name> {
    text.lines().find_map(|line| {
        let at = line.find("name")?;
        let before = line.get(..at)?.chars().next_back();
        let rest = line.get(at + 4..)?.trim_start().strip_prefix('=')?.trim();
        let word = match rest.chars().next()? {
            quote @ ('"' | '\'') => rest.get(1..)?.split(quote).next()?,
            _ if line.get(..at)?.trim().is_empty() => rest.trim_end_matches(','),
            _ => return None,
        };
        let is_own = before.is_none_or(|c| c.is_whitespace() || c == '(' || c == ',');
        Name::parse(word).ok().filter(|_| is_own)
    })
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("[metadata]\nname = season-kit\nversion = 1\n", Some("season-kit"))]
    #[case(
        "import season\nsetup(name=\"season_kit\", version='1')\n",
        Some("season-kit")
    )]
    #[case("setup(\n    name = 'Kit',\n)\n", Some("kit"))]
    #[case("setup(name=NAME)\nfilename = 'x'\n", None)]
    fn older_files_tell_their_name(#[case] text: &str, #[case] expected: Option<&str>) {
        assert_eq!(plain_name(text).as_ref().map(Name::as_str), expected);
    }
}
