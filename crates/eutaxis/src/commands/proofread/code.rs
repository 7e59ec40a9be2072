//! One's own code: what it imports, held against what there is to import.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use eutaxis_core::Ask;
use eutaxis_core::fault::Origin;
use eutaxis_core::offer::Rules;
use eutaxis_core::own::{self, Brought, Trouble};
use eutaxis_core::pins::Lock;
use eutaxis_core::requirement::{Entry, ProjectAsks, RequirementList, Wanted, script_block};
use eutaxis_world::Error;
use eutaxis_world::files::read_text;
use eutaxis_world::own_code::own_code;

use super::brought::{self, Held, Kind};
use super::{Reader, is_script};
use crate::answer::proofread::{CodeRead, OwnTold, Told};
use crate::proof::bringing::Bringers;
use crate::words::near;
use crate::words::own::Mends;
use crate::{asks, paired, remembered, typed};

/// Reads code, and holds it against what was named: an environment, else pins and lists, else what
/// lies in this folder.
pub(super) fn held(
    reader: &Reader<'_>,
    code: &[PathBuf],
    named: &[PathBuf],
    environment: Option<&Path>,
) -> Result<(CodeRead, Vec<Told>), Error> {
    let own = own_code(code, &reader.surroundings.cache)?;
    let mut asked: BTreeMap<String, Origin> = BTreeMap::new();
    let sets = sets(reader, code, named, environment, &mut asked)?;
    let target = sets.first().map_or(reader.target, |held| &held.target);
    let series = Some(target.interpreter.series());
    let brought: Vec<Brought> = sets.iter().map(|held| held.brought.clone()).collect();
    let mut remarks = own::held(&own.code, series, &brought);
    // Of a single file nobody can say what the others import.
    if code.iter().all(|path| !path.is_dir()) && !is_whole(code, &sets) {
        remarks.retain(|r| !matches!(r.trouble, Trouble::NeverImported { .. }));
    }
    let rules = Rules {
        target,
        ..reader.rules()
    };
    let bringers = Bringers::new(reader.run, rules);
    let labels: Vec<String> = sets.iter().map(|held| held.brought.label.clone()).collect();
    let against = labels.join(" or ");
    let mut told: Vec<Told> = Vec::new();
    for remark in remarks {
        let mut one = OwnTold {
            remark,
            at: None,
            against: against.clone(),
            mends: Mends::default(),
        };
        match &one.remark.trouble {
            Trouble::NotBrought { module, .. } => {
                if let Some(found) = bringers.of(module)? {
                    let back = matches!(
                        &one.remark.trouble,
                        Trouble::NotBrought {
                            standard: Some(_),
                            ..
                        }
                    );
                    let told = found.told(if back { "one of that name" } else { "it" });
                    // A script's own asks are changed by hand.
                    let own = sets.first().map(|s| &s.kind);
                    let by_hand = matches!(own, Some(Kind::Asks(path)) if is_script(path));
                    one.mends.project = Some(match by_hand {
                        true => format!(
                            "{told}: add \"{}\" to the script's dependencies",
                            found.ask()
                        ),
                        false => told,
                    });
                    one.mends.line = sets.first().and_then(|s| s.kind.with(&found.ask()));
                }
            }
            Trouble::OnlyThrough { project, .. } => {
                one.mends.line = sets.first().and_then(|s| s.kind.with(project.as_str()));
            }
            Trouble::NeverImported { project, .. } => {
                one.mends.line = sets.first().and_then(|s| s.kind.without(project.as_str()));
                let origin = asked.get(project.as_str());
                one.at = Some(origin.map_or_else(|| against.clone(), crate::words::place));
            }
            Trouble::NoName { .. }
            | Trouble::Crosses { .. }
            | Trouble::Hides { .. }
            | Trouble::Unread { .. } => {}
        }
        told.push(Told::Own(one));
    }
    let unread = own.unread.iter();
    told.extend(unread.map(|(path, why)| Told::Unread(near(path), why.clone())));
    let sources = &own.code.sources;
    let read = CodeRead {
        files: sources.len(),
        imports: sources.iter().map(|s| s.imports.len()).sum(),
        against: labels,
    };
    Ok((read, told))
}

/// Whether the code is all that the asks are for: a script with asks of its own.
fn is_whole(code: &[PathBuf], sets: &[Held]) -> bool {
    let own = |held: &Held| matches!(&held.kind, Kind::Asks(path) if code.contains(path));
    sets.iter().all(own)
}

impl Kind {
    /// The pins whose question is typed once more: its own, or those that go with the environment.
    fn pins(&self) -> Option<PathBuf> {
        match self {
            Kind::Environment(root) => Some(paired::pins_of(root)).filter(|pins| pins.is_file()),
            Kind::Pins(path, remember) => Some(path.clone()).filter(|_| *remember),
            Kind::Asks(_) => None,
        }
    }

    /// The line that adds a project to it.
    fn with(&self, project: &str) -> Option<String> {
        let changed = self.changed("--and", project);
        changed.or_else(|| match self {
            Kind::Environment(root) => Some(format!(
                "eutaxis rehearse{}",
                typed::line(&[project.to_owned(), "--in".to_owned(), near(root)])
            )),
            Kind::Pins(..) | Kind::Asks(_) => None,
        })
    }

    /// The line that takes a project out of it.
    fn without(&self, project: &str) -> Option<String> {
        self.changed("--drop", project)
    }

    /// The line that changes what is asked for.
    fn changed(&self, option: &str, project: &str) -> Option<String> {
        if let Kind::Asks(path) = self {
            return settle_line(path, option, project);
        }
        let pins = self.pins()?;
        Some(paired::settle_again_line(&pins, &[option, project]))
    }
}

/// The line that changes a file of asks; a script's own are changed by hand.
fn settle_line(path: &Path, option: &str, project: &str) -> Option<String> {
    if is_script(path) {
        return None;
    }
    let mut words = vec!["settle".to_owned()];
    if asks::default_file().ok().flatten().as_deref() != Some(path) {
        words.extend(["--asks".to_owned(), near(path)]);
    }
    words.extend([option.to_owned(), project.to_owned()]);
    Some(format!("eutaxis{}", typed::line(&words)))
}

/// What the code is held against.
fn sets(
    reader: &Reader<'_>,
    code: &[PathBuf],
    named: &[PathBuf],
    environment: Option<&Path>,
    asked: &mut BTreeMap<String, Origin>,
) -> Result<Vec<Held>, Error> {
    if let Some(root) = environment {
        return Ok(vec![brought::of_environment(reader, root)?]);
    }
    let mut sets = Vec::new();
    let scripts = code.iter().filter(|path| path.is_file());
    for path in named.iter().chain(scripts) {
        sets.extend(of_file(reader, path, asked)?);
    }
    if !sets.is_empty() {
        return Ok(sets);
    }
    if let Some((path, lock)) = remembered::here() {
        return Ok(vec![brought::of_pins(reader, &path, &lock)?]);
    }
    match asks::default_file() {
        Ok(Some(path)) => Ok(of_file(reader, &path, asked)?.into_iter().collect()),
        Ok(None) | Err(_) => Ok(Vec::new()),
    }
}

/// What a file pins or asks for; none of a script without asks of its own.
fn of_file(
    reader: &Reader<'_>,
    path: &Path,
    asked: &mut BTreeMap<String, Origin>,
) -> Result<Option<Held>, Error> {
    let ending = path.extension().and_then(|e| e.to_str());
    if ending == Some("ipynb") {
        return Ok(None);
    }
    let is_code = is_script(path);
    let text = match read_text(path) {
        Ok(text) => text,
        // One in another encoding has imports, and no asks that could be read.
        Err(_) if is_code => return Ok(None),
        Err(error) => return Err(error.of_request()),
    };
    let shown = path.display().to_string();
    // What is wrong with its lines is told of them.
    let found: Vec<Ask> = match ending {
        Some("toml") => match Lock::parse(&text) {
            Ok(lock) => return brought::of_pins(reader, path, &lock).map(Some),
            Err(_) => match ProjectAsks::parse(&text, &shown, &Wanted::default()) {
                Ok(project) => project.asks,
                Err(_) => return Ok(None),
            },
        },
        _ if is_code => match script_block(&text).map(|b| b.map(|b| b.asks(&shown))) {
            Ok(Some(Ok(project))) => project.asks,
            Ok(Some(Err(_)) | None) | Err(_) => return Ok(None),
        },
        _ => {
            let (list, _) = RequirementList::read(&text, &shown);
            let mut found: Vec<Ask> = list.asks().cloned().collect();
            for entry in &list.entries {
                if let Entry::Follow {
                    path: other,
                    bounds: false,
                    ..
                } = entry
                {
                    found.extend(asks::followed(path, other).unwrap_or_default());
                }
            }
            found
        }
    };
    for ask in &found {
        let name = ask.requirement.name.as_str().to_owned();
        asked.entry(name).or_insert_with(|| ask.origin.clone());
    }
    brought::of_asks(reader, path, &found).map(Some)
}
