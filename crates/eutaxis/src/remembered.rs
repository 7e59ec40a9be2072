//! The question that pins remember, as it was typed: what is asked for, where it must run, what is
//! permitted. A run that asks nothing takes it up; what is typed over it changes just that.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use eutaxis_core::fault::Origin;
use eutaxis_core::pins::{Lock, is_lock_file_name, lock_file_name_for};
use eutaxis_core::record::{AskMoves, Since};
use eutaxis_core::requirement::Accepts;
use eutaxis_core::{Ask, Requirement, record};
use eutaxis_world::depot::local_path;
use eutaxis_world::files::{read_text, relative, slashed};
use eutaxis_world::network::without_secret;
use eutaxis_world::{Error, ErrorKind};

use crate::asks::is_address;
use crate::cli::{AskOptions, Command, PolicyOptions, Settle, TargetOptions};
use crate::plan::as_file_name;
use crate::words::near;
use crate::{asks, paired, pins, typed};

/// The option for one lock.
pub(crate) const TOGETHER: &str = "--together";

/// A question as it was typed.
#[derive(Debug, Clone)]
pub(crate) struct Remembered {
    pub(crate) asks: AskOptions,
    pub(crate) target: TargetOptions,
    pub(crate) policy: PolicyOptions,
    /// Addresses in the metadata of others are taken.
    pub(crate) permit_urls: bool,
    /// All targets are to be one lock.
    pub(crate) together: bool,
}

/// The words by which pins in a folder remember a question: paths are told from that folder.
pub(crate) fn words(
    asks: &AskOptions,
    target: &TargetOptions,
    policy: &PolicyOptions,
    folder: &Path,
) -> Vec<String> {
    let from = |path: &PathBuf| from_folder(path, folder);
    let asks = without_secrets(asks);
    let asks = AskOptions {
        asks: asks.asks.iter().map(from).collect(),
        bounds: asks.bounds.iter().map(from).collect(),
        ..asks
    };
    let mut policy = policy.clone();
    policy.permit.build_bounds = policy.permit.build_bounds.iter().map(from).collect();
    let interpreter = target.interpreter.iter();
    let interpreter = interpreter.flat_map(|i| ["--interpreter".to_owned(), i.clone()]);
    let lenient = asks.lenient.then(|| "--lenient".to_owned());
    let parts = [
        typed::asks(&asks),
        lenient.into_iter().collect(),
        typed::target(target),
        interpreter.collect(),
        typed::policy(&policy),
    ];
    parts.concat()
}

fn from_folder(path: &Path, folder: &Path) -> PathBuf {
    if is_address(path) {
        return path.to_owned();
    }
    let whole = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    relative(folder, &whole).map_or(whole, PathBuf::from)
}

/// An ask as pins in a folder remember it: what lies on this disk is told by its path from there, so
/// that the folder can move.
fn from_pins(requirement: &Requirement, folder: &Path) -> String {
    let whole = || requirement.to_string();
    let Accepts::Url(url) = &requirement.accepts else {
        return whole();
    };
    let is_bare = requirement.extras.is_empty() && requirement.marker.is_none();
    let at = local_path(url, folder)
        .filter(|_| is_bare && url.starts_with("file:") && !url.contains('#'));
    match at.and_then(|at| relative(folder, &at)) {
        Some(path) if path.is_empty() => "./.".to_owned(),
        Some(path) if path.starts_with("../") => path,
        Some(path) => format!("./{path}"),
        None => whole(),
    }
}

/// What is settled by some words.
fn settle_of(words: impl IntoIterator<Item = String>) -> Option<Box<Settle>> {
    let words = std::iter::once("settle".to_owned()).chain(words);
    let Some(Command::Settle(settle)) = Command::of_words(words) else {
        return None;
    };
    Some(settle)
}

/// The question of pins that lie in a folder; none where they remember none.
pub(crate) fn of(lock: &Lock, folder: &Path) -> Option<Remembered> {
    let settle = settle_of(record::question_of(lock)?)?;
    let Settle {
        mut asks,
        target,
        mut policy,
        permit_urls,
        together,
        ..
    } = *settle;
    let in_folder = |path: &mut PathBuf| {
        if !is_address(path) && !path.is_absolute() && !folder.as_os_str().is_empty() {
            *path = folder.join(&*path);
        }
    };
    let is_path = |w: &String| w.starts_with("./") || w.starts_with("../");
    for word in asks.requirements.iter_mut().filter(|w| is_path(w)) {
        let place = folder.join(&*word);
        // What begins with a dot or a slash is no name.
        *word = match place.is_absolute() || place.starts_with("..") {
            true => slashed(&place),
            false => format!("./{}", slashed(&place).trim_start_matches("./")),
        };
    }
    let files = asks.asks.iter_mut().chain(&mut asks.bounds);
    files
        .chain(&mut policy.permit.build_bounds)
        .for_each(in_folder);
    Some(Remembered {
        asks,
        target,
        policy,
        permit_urls,
        together,
    })
}

/// The depots that pins in a folder came from.
pub(crate) fn depots(lock: &Lock, folder: &Path) -> Vec<String> {
    let recorded = lock.packages.iter().filter_map(record::depot_of);
    let each: BTreeSet<String> = recorded
        .map(|depot| match depot.contains("://") {
            true => depot.to_owned(),
            false => near(&folder.join(depot)),
        })
        .collect();
    each.into_iter().collect()
}

impl Remembered {
    /// The words of the question with the asks that are typed as they are now.
    pub(crate) fn words_of(&self, asks: &[Ask], folder: &Path) -> Vec<String> {
        let typed = asks.iter().filter(|a| a.origin == Origin::Argument);
        let own = AskOptions {
            requirements: typed.map(|a| from_pins(&a.requirement, folder)).collect(),
            ..self.asks.clone()
        };
        let mut words = words(&own, &self.target, &self.policy, folder);
        words.extend(self.permit_urls.then(|| "--permit-urls".to_owned()));
        words.extend(self.together.then(|| TOGETHER.to_owned()));
        words
    }

    /// The same for this machine, whichever interpreter it was typed with.
    pub(crate) fn here(mut self) -> Self {
        self.target.interpreter = None;
        self
    }

    /// The same with options that a way out stands for.
    pub(crate) fn with(self, options: impl Iterator<Item = String>) -> Self {
        let Some(over) = settle_of(options) else {
            return self;
        };
        self.under(&over.asks, &over.target, &over.policy)
    }

    /// The same for just these asks, typed.
    pub(crate) fn of_asks(&self, asks: &[Ask]) -> Self {
        let typed = asks.iter().map(|a| a.requirement.to_string()).collect();
        Remembered {
            asks: AskOptions {
                requirements: typed,
                bounds: self.asks.bounds.clone(),
                lenient: self.asks.lenient,
                ..AskOptions::default()
            },
            ..self.clone()
        }
    }

    /// The same with what is typed over it.
    pub(crate) fn under(
        mut self,
        asks: &AskOptions,
        target: &TargetOptions,
        policy: &PolicyOptions,
    ) -> Self {
        if !asks.extra.is_empty() || !asks.group.is_empty() {
            self.asks.extra.clone_from(&asks.extra);
            self.asks.group.clone_from(&asks.group);
        }
        if !asks.bounds.is_empty() {
            self.asks.bounds.clone_from(&asks.bounds);
        }
        self.asks.lenient |= asks.lenient;
        self.target = place_under(self.target, target);
        self.policy = policy_under(self.policy, policy);
        self
    }
}

fn place_under(mut place: TargetOptions, over: &TargetOptions) -> TargetOptions {
    if !over.target.is_empty() || over.platform.is_some() {
        // Another place altogether.
        (place.target, place.platform) = (over.target.clone(), over.platform.clone());
        (place.interpreter, place.accelerator) = (None, None);
    }
    if over.interpreter.is_some() {
        place.interpreter.clone_from(&over.interpreter);
    }
    if over.accelerator.is_some() {
        place.accelerator.clone_from(&over.accelerator);
    }
    place
}

fn policy_under(mut policy: PolicyOptions, over: &PolicyOptions) -> PolicyOptions {
    policy.wheels = over.wheels.or(policy.wheels);
    policy.as_of = over.as_of.clone().or(policy.as_of);
    policy.take_undated |= over.take_undated;
    policy.prefer = over.prefer.or(policy.prefer);
    policy.chronology = over.chronology.or(policy.chronology);
    let add = |all: &mut Vec<String>, more: &[String]| {
        for one in more {
            if !all.contains(one) {
                all.push(one.clone());
            }
        }
    };
    add(&mut policy.prereleases, &over.prereleases);
    let (permit, more) = (&mut policy.permit, &over.permit);
    add(&mut permit.build, &more.build);
    add(&mut permit.rebuild, &more.rebuild);
    permit.build_light |= more.build_light;
    permit.build_all |= more.build_all;
    if !more.build_bounds.is_empty() {
        permit.build_bounds.clone_from(&more.build_bounds);
    }
    policy
}

/// Pins that are there, with what they remember.
#[derive(Debug)]
pub(crate) struct Kept {
    /// Their file; of pins for several targets the file that they are named after.
    pub(crate) out: PathBuf,
    pub(crate) lock: Lock,
    pub(crate) question: Option<Remembered>,
}

/// The pins of this folder: `pylock.toml`, else those that alone have a name (PEP 751).
pub(crate) fn here() -> Option<(PathBuf, Lock)> {
    let read = |path: PathBuf| {
        let kept = kept(&path)?;
        Some((kept.out, kept.lock))
    };
    let usual = PathBuf::from("pylock.toml");
    if usual.exists() {
        return read(usual);
    }
    // Pins for several targets are named after it.
    if let Some(found) = read(usual) {
        return Some(found);
    }
    let entries = std::fs::read_dir(".").ok()?.flatten();
    let names = entries.filter_map(|e| e.file_name().into_string().ok());
    let mut named = names.filter(|n| is_lock_file_name(n));
    match (named.next(), named.next()) {
        (Some(only), None) => read(PathBuf::from(only)),
        _ => None,
    }
}

/// The pins at a place, or those of this folder for several targets that are named after it; none
/// where there are none, or what lies there cannot be read.
pub(crate) fn kept(out: &Path) -> Option<Kept> {
    let read = |file: &Path| pins::parsed(&read_text(file).ok()?).ok();
    let folder = out.parent().map(Path::to_owned).unwrap_or_default();
    if out.exists() {
        let lock = read(out)?;
        return Some(Kept {
            out: out.to_owned(),
            question: of(&lock, &folder),
            lock,
        });
    }
    // Pins for several targets remember all of them.
    let near = match folder.as_os_str().is_empty() {
        true => Path::new("."),
        false => &folder,
    };
    let mut names: Vec<String> = std::fs::read_dir(near)
        .ok()?
        .flatten()
        .filter_map(|e| e.file_name().into_string().ok())
        .filter(|name| is_lock_file_name(name) && name != "pylock.toml")
        .collect();
    names.sort();
    let mut all = names.iter().filter_map(|name| {
        let lock = read(&folder.join(name))?;
        let question = of(&lock, &folder)?;
        // Those that are named after other pins are not the ones.
        let targets = &question.target.target;
        let own = file_name(out);
        let is_one = |t: &String| *name == lock_file_name_for(&own, &as_file_name(t));
        (targets.len() > 1 && targets.iter().any(is_one)).then_some((lock, question))
    });
    let (lock, question) = all.next()?;
    let words = record::question_of(&lock);
    // Of two questions neither is the one.
    if all.any(|(other, _)| record::question_of(&other) != words) {
        return None;
    }
    Some(Kept {
        out: out.to_owned(),
        lock,
        question: Some(question),
    })
}

fn file_name(out: &Path) -> String {
    let name = out.file_name();
    name.map_or_else(String::new, |n| n.to_string_lossy().into_owned())
}

/// A run's options with the question of the pins at `out` taken up, where it asks nothing itself;
/// else with the file of this folder. Whether it was taken up.
pub(crate) fn taken_up(
    asks: &AskOptions,
    target: &TargetOptions,
    policy: &PolicyOptions,
    kept: Option<&Kept>,
    members: &[PathBuf],
) -> Result<(Remembered, bool), Error> {
    let own = Remembered {
        asks: asks.clone(),
        target: target.clone(),
        policy: policy.clone(),
        permit_urls: false,
        together: false,
    };
    if !asks.requirements.is_empty() || !asks.asks.is_empty() {
        return Ok((own, false));
    }
    let members: Vec<PathBuf> = members
        .iter()
        .map(|folder| PathBuf::from(near(&folder.join("pyproject.toml"))))
        .collect();
    if let Some(mut question) = kept.and_then(|k| k.question.clone()) {
        let files = &mut question.asks.asks;
        if files.iter().any(|f| members.contains(f)) {
            // Members that came since belong to it.
            let new = members.iter().filter(|m| !files.contains(m)).cloned();
            let new: Vec<PathBuf> = new.collect();
            files.extend(new);
        }
        return Ok((question.under(asks, target, policy), true));
    }
    let mut own = own;
    own.asks.asks = match asks::default_file() {
        Ok(file) => file.into_iter().collect(),
        Err(_) if !members.is_empty() => Vec::new(),
        Err(errors) => return Err(errors.into_first("nothing is asked for")),
    };
    let new = members.iter().filter(|m| !own.asks.asks.contains(m));
    let new: Vec<PathBuf> = new.cloned().collect();
    own.asks.asks.extend(new);
    Ok((own, false))
}

/// Whether what is asked for is another question than that of the pins that would be written over;
/// none where they remember none.
pub(crate) fn is_another(asks: &AskOptions, kept: &Kept) -> bool {
    let old = match &kept.question {
        Some(question) => question.asks.clone(),
        // Pins of before questions were remembered say where each ask stood.
        None => {
            let recorded = record::asks_of(&kept.lock);
            if recorded.is_empty() {
                return false;
            }
            let mut old = AskOptions::default();
            for ask in recorded {
                match &ask.origin {
                    Origin::Argument => {
                        old.requirements.push(ask.requirement.to_string());
                    }
                    Origin::Line { file, .. } => {
                        old.asks.push(PathBuf::from(&**file));
                    }
                }
            }
            old
        }
    };
    let said = |options: &AskOptions| -> BTreeSet<String> {
        let plain = |text: &String| {
            asks::argument(text).map_or_else(|_| text.clone(), |a| a.requirement.to_string())
        };
        options.requirements.iter().map(plain).collect()
    };
    let files = |options: &AskOptions| -> BTreeSet<PathBuf> {
        let place = |path: &PathBuf| std::fs::canonicalize(path).unwrap_or_else(|_| path.clone());
        options.asks.iter().map(place).collect()
    };
    let asks = without_secrets(asks);
    said(&asks) != said(&old) || files(&asks) != files(&old)
}

/// The same asks without names and passwords in their addresses.
fn without_secrets(asks: &AskOptions) -> AskOptions {
    let requirement = |text: &String| match Requirement::parse(text) {
        Ok(mut requirement) => {
            if let Accepts::Url(url) = &mut requirement.accepts {
                *url = without_secret(url);
                return requirement.to_string();
            }
            text.clone()
        }
        Err(_) => without_secret(text),
    };
    let place = |path: &PathBuf| match is_address(path) {
        true => PathBuf::from(without_secret(&path.to_string_lossy())),
        false => path.clone(),
    };
    AskOptions {
        requirements: asks.requirements.iter().map(requirement).collect(),
        asks: asks.asks.iter().map(place).collect(),
        bounds: asks.bounds.iter().map(place).collect(),
        ..asks.clone()
    }
}

/// What pins are for, in a few words.
pub(crate) fn told(kept: &Kept) -> String {
    let Some(question) = &kept.question else {
        return "another question".to_owned();
    };
    let files = question.asks.asks.iter().map(|f| slashed(f));
    let all: Vec<String> = question
        .asks
        .requirements
        .iter()
        .cloned()
        .chain(files)
        .collect();
    all.join(", ")
}

/// That another question is asked than that of the pins which would be written over.
pub(crate) fn refused(asks: &AskOptions, rest: &[String], kept: &Kept) -> Error {
    let out = near(&kept.out);
    let error = Error::new(
        ErrorKind::Request,
        format!("{out} answers another question: {}", told(kept)),
    );
    let asks = without_secrets(asks);
    let and: Vec<String> = asks
        .requirements
        .iter()
        .flat_map(|r| ["--and".to_owned(), r.clone()])
        .collect();
    let words = [typed::asks(&asks), rest.to_vec()].concat();
    let apart = format!(
        "eutaxis settle{} --out {}",
        typed::line(&words),
        near(&apart(&asks, kept))
    );
    error.help(match and.is_empty() {
        true => format!("to settle it apart:  {apart}"),
        false => format!(
            "to add to that question:  eutaxis settle{}\nto settle it apart:  {apart}",
            typed::line(&and)
        ),
    })
}

/// What has changed in the files of pins that lie in a folder; nothing where the pins remember no
/// files on this disk.
pub(crate) fn since(lock: &Lock, folder: &Path) -> Since {
    let Some(Remembered { mut asks, .. }) = of(lock, folder) else {
        return Since::default();
    };
    asks.asks.retain(|f| !is_address(f));
    asks.bounds.retain(|f| !is_address(f));
    if asks.asks.is_empty() && asks.bounds.is_empty() {
        return Since::default();
    }
    let now = match asks::read_here(&asks) {
        Ok(now) => now,
        Err(errors) => {
            let why = errors.all().first().map(|e| e.message.clone());
            return Since {
                unread: why,
                ..Since::default()
            };
        }
    };
    let own = |ask: &Ask| now.own.iter().any(|o| o.name == ask.requirement.name);
    let is_here = |ask: &&Ask| match &ask.origin {
        Origin::Argument => false,
        Origin::Line { .. } if own(ask) => false,
        Origin::Line { file, .. } => !is_address(Path::new(&**file)),
    };
    // Where a folder lies is no matter of what is asked.
    let plain = |ask: &Ask| match &ask.requirement.accepts {
        Accepts::Url(url) if url.starts_with("file:") => Ask {
            requirement: Requirement::any(&ask.requirement.name),
            origin: ask.origin.clone(),
        },
        Accepts::Url(url) => {
            let mut ask = ask.clone();
            ask.requirement.accepts = Accepts::Url(without_secret(url));
            ask
        }
        Accepts::Versions(_) => ask.clone(),
    };
    let here = |asks: &[Ask]| -> Vec<Ask> { asks.iter().filter(is_here).map(plain).collect() };
    let before = [record::asks_of(lock), record::left_out_of(lock)].concat();
    Since {
        asks: AskMoves::between(&here(&before), &here(&now.asks)),
        bounds: AskMoves::between(&here(&record::bounds_of(lock)), &here(&now.bounds)),
        unread: None,
    }
}

/// Where the pins of a question go that a command would write to the usual place; none where nothing
/// of another question lies there.
pub(crate) fn out_for(asks: &AskOptions) -> Option<PathBuf> {
    let kept = kept(Path::new("pylock.toml")).filter(|k| k.out.exists())?;
    is_another(asks, &kept).then(|| apart(asks, &kept))
}

fn apart(asks: &AskOptions, kept: &Kept) -> PathBuf {
    let name = asks
        .requirements
        .first()
        .and_then(|r| Requirement::parse(r).ok())
        .map(|r| r.name.to_string());
    let file = || {
        let stem = asks
            .asks
            .first()?
            .file_stem()?
            .to_string_lossy()
            .into_owned();
        Some(stem.replace('.', "-"))
    };
    let name = name.or_else(file).unwrap_or_else(|| "other".to_owned());
    kept.out.with_file_name(paired::pins_named(&name))
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn read(words: &str) -> Remembered {
        let settle = settle_of(words.split_whitespace().map(str::to_owned)).unwrap();
        Remembered {
            asks: settle.asks,
            target: settle.target,
            policy: settle.policy,
            permit_urls: settle.permit_urls,
            together: settle.together,
        }
    }

    /// What is typed over a question changes just that.
    #[rstest]
    #[case("--asks a.txt --target ridge", "", "--asks a.txt --target ridge")]
    #[case(
        "--asks a.txt --target ridge",
        "--target camp",
        "--asks a.txt --target camp"
    )]
    #[case(
        "--asks a.txt --interpreter 3.9 --accelerator none",
        "--target camp",
        "--asks a.txt --target camp"
    )]
    #[case(
        "a --target ridge --wheels only",
        "--interpreter 3.12",
        "a --target ridge --interpreter 3.12 --wheels only"
    )]
    #[case(
        "a --wheels only --build x",
        "--wheels first --build y",
        "a --wheels first --build x --build y"
    )]
    #[case(
        "--asks p.toml --extra x --bounds b.txt",
        "--group g",
        "--asks p.toml --group g --bounds b.txt"
    )]
    #[case(
        "a --as-of 2026-01-01 --lenient",
        "--prefer oldest",
        "a --lenient --as-of 2026-01-01 --prefer oldest"
    )]
    fn what_is_typed_changes_just_that(
        #[case] before: &str,
        #[case] over: &str,
        #[case] expected: &str,
    ) {
        let over = read(over);
        let now = read(before).under(&over.asks, &over.target, &over.policy);
        let here = std::env::current_dir().unwrap();
        let words = words(&now.asks, &now.target, &now.policy, &here);
        assert_eq!(words.join(" "), expected);
    }
}
