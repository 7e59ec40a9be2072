//! `eutaxis.toml` and `[tool.eutaxis]` of `pyproject.toml`: depots, policy, targets.

mod adjust;
mod build;
mod keep;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_core::document::{Document, Table};
use eutaxis_core::fault::{Fault, FaultKind};
use eutaxis_core::knowledge::{Causes, Families, Libraries, Number};
use eutaxis_core::offer::{Adjustment, Chronology, Policy, Prefer, Prereleases, Wheels};
use eutaxis_core::targets::{Accelerator, Accelerators};
use eutaxis_core::{Name, Target};
use url::Url;

use crate::build::Limits;
use crate::depot::Named;
use crate::files::read_text;
use crate::interpreter::expand_home;
use crate::network::FetchLimits;
pub use crate::network::NetworkSettings;
use crate::stock::parse_size;
use crate::{Error, Result};
pub use build::BuildSettings;
pub use keep::{KeptDepot, append, is_plain, own_file};

/// A `[[depot]]`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DepotEntry {
    /// Its name, if it has one.
    pub name: Option<String>,
    /// URLs or a path, as written: its addresses, to be tried in this order.
    pub places: Vec<String>,
    /// The file that names it.
    pub file: PathBuf,
    /// Projects that it alone serves.
    pub only: Vec<Name>,
    /// What all builds that it serves were made for: `FAMILY TOOLKIT`, or `none`.
    pub accelerator: Option<String>,
    /// Dates that it does not give may be asked of the other depots.
    pub asks_dates: bool,
    /// The user insists on it, though what comes from there could be changed on the way.
    pub insecure: bool,
    /// Further origins of its files, which get the same login.
    pub files: Vec<Url>,
}

impl DepotEntry {
    /// As a depot to open.
    pub fn named(&self) -> Named<'_> {
        Named {
            places: self.places.iter().map(String::as_str).collect(),
            base: self.file.parent().map(Path::to_owned).unwrap_or_default(),
            name: self.name.as_deref(),
            insecure: self.insecure,
            files: self.files.clone(),
        }
    }
}

/// The settings of a place, from the nearest file and the user's own.
#[derive(Debug, Clone)]
pub struct Config {
    /// Where the settings come from.
    pub files: Vec<PathBuf>,
    /// Depots in their order.
    pub depots: Vec<DepotEntry>,
    /// Policy as far as stated.
    pub policy: Policy,
    /// They say what is done about releases of different times, so that what pins record does not
    /// count.
    pub names_chronology: bool,
    /// The families of accelerators: those that are compiled in, and those of further files.
    pub families: Arc<Families>,
    /// What is known of system libraries: what is compiled in, and further files.
    pub libraries: Arc<Libraries>,
    /// What is known of causes and their signs, where further files add to what is compiled in.
    own_causes: Option<Arc<Causes>>,
    /// Targets by name.
    pub targets: BTreeMap<String, Target>,
    /// What the user tries environments with, by name.
    pub trials: BTreeMap<String, Trial>,
    /// Facts stated over the metadata, in their order.
    pub adjustments: Vec<Adjustment>,
    /// Those of files that several projects share; they count behind the others.
    pub facts: Vec<Adjustment>,
    /// The folders of projects that are settled together.
    pub members: Vec<PathBuf>,
    /// How single projects are built from source.
    pub builds: BTreeMap<Name, BuildSettings>,
    /// What each hook of a build may use.
    pub build_limits: Limits,
    /// Globs of interpreters.
    pub search: Vec<String>,
    /// Those of them that stand in the user's own file, or in one that was named: not in one that
    /// just lies here.
    pub own_search: Vec<String>,
    /// How patient the client is.
    pub network: NetworkSettings,
}

impl Default for Config {
    fn default() -> Self {
        Config {
            files: Vec::new(),
            depots: Vec::new(),
            policy: Policy::default(),
            names_chronology: false,
            families: Families::built_in(),
            libraries: Libraries::built_in(),
            own_causes: None,
            targets: BTreeMap::new(),
            trials: BTreeMap::new(),
            adjustments: Vec::new(),
            facts: Vec::new(),
            members: Vec::new(),
            builds: BTreeMap::new(),
            build_limits: Limits::default(),
            search: Vec::new(),
            own_search: Vec::new(),
            network: NetworkSettings::default(),
        }
    }
}

impl Config {
    /// What is known of causes and their signs: what is compiled in, and further files. What is
    /// compiled in is read when it is asked for: most commands never do, and its patterns take
    /// longer to read than a small search does.
    pub fn causes(&self) -> Arc<Causes> {
        self.own_causes.clone().unwrap_or_else(Causes::built_in)
    }

    /// The settings for a folder: `explicit` when given, else `eutaxis.toml` or `[tool.eutaxis]` in
    /// the folder or the nearest above it; then the user's own file, whose depots follow and whose
    /// targets fill in.
    ///
    /// # Errors
    /// When a file cannot be read, with the line.
    pub fn load(folder: &Path, explicit: Option<&Path>) -> Result<Self> {
        let mut config = Config::default();
        let nearest = match explicit {
            Some(path) => Some(path.to_owned()),
            None => folder.ancestors().find_map(settings_in),
        };
        let own = own_file();
        let own_path = own.clone().unwrap_or_default();
        let own = own.filter(|p| explicit.is_none() && p.is_file());
        let mut texts = Vec::new();
        for path in nearest.into_iter().chain(own) {
            let text = read_text(&path).map_err(Error::of_request)?;
            texts.push((path, text));
        }
        // What is known of accelerators comes first: targets and depots of every file may name it.
        for (path, text) in &texts {
            config.read_knowledge(text, path)?;
        }
        for (path, text) in texts {
            let shown = path.display().to_string();
            let before = config.search.len();
            config
                .read_text(&text, &path)
                .map_err(|f| Error::in_file(&shown, &text, &f))?;
            if explicit.is_some() || path == own_path {
                config
                    .own_search
                    .extend(config.search.iter().skip(before).cloned());
            }
            config.files.push(path);
        }
        Ok(config)
    }

    /// The same with the shared facts among the adjustments, behind the user's own; or without them.
    ///
    /// # Errors
    /// When two say different things of the same releases.
    pub fn with_facts(mut self, wanted: bool) -> Result<Self> {
        if wanted {
            let facts = std::mem::take(&mut self.facts);
            self.adjustments.extend(facts);
        }
        if let Some((one, other)) = adjust::contradiction(&self.adjustments) {
            let message = format!(
                "{} and {} say different things of {} {}",
                one.origin, other.origin, one.project, one.versions
            );
            return Err(Error::request(message.trim_end().to_owned())
                .help("keep the one that holds; --no-facts leaves shared facts out"));
        }
        Ok(self)
    }

    /// `[knowledge]`: further files of the form of those that are compiled in.
    fn read_knowledge(&mut self, text: &str, path: &Path) -> Result<()> {
        let shown = path.display().to_string();
        let base = path.parent().unwrap_or(Path::new(""));
        let named = || -> std::result::Result<[Vec<PathBuf>; 4], Fault> {
            let document = Document::parse(text)?;
            let Some(table) = own_table(&document, path)? else {
                return Ok([const { Vec::new() }; 4]);
            };
            let Some(knowledge) = table.table("knowledge")? else {
                return Ok([const { Vec::new() }; 4]);
            };
            knowledge.ensure_known(&["accelerators", "libraries", "causes", "facts"])?;
            let files = |key: &str| -> std::result::Result<Vec<PathBuf>, Fault> {
                let files = knowledge.strings(key)?.unwrap_or_default();
                Ok(files
                    .into_iter()
                    .map(|f| base.join(expand_home(f.value)))
                    .collect())
            };
            Ok([
                files("accelerators")?,
                files("libraries")?,
                files("causes")?,
                files("facts")?,
            ])
        };
        let [accelerators, libraries, causes, facts] =
            named().map_err(|f| Error::in_file(&shown, text, &f))?;
        for file in accelerators {
            let text = read_text(&file).map_err(Error::of_request)?;
            let families = self.families.with(&text);
            self.families = Arc::new(
                families.map_err(|f| Error::in_file(&file.display().to_string(), &text, &f))?,
            );
        }
        for file in facts {
            let text = read_text(&file).map_err(Error::of_request)?;
            let read = adjust::read_facts(&text, &file, &self.families);
            let read = read.map_err(|f| Error::in_file(&file.display().to_string(), &text, &f))?;
            self.facts.extend(read);
        }
        for file in libraries {
            let text = read_text(&file).map_err(Error::of_request)?;
            let libraries = self.libraries.with(&text);
            self.libraries = Arc::new(
                libraries.map_err(|f| Error::in_file(&file.display().to_string(), &text, &f))?,
            );
        }
        for file in causes {
            let text = read_text(&file).map_err(Error::of_request)?;
            let causes = self.causes().with(&text);
            let causes =
                causes.map_err(|f| Error::in_file(&file.display().to_string(), &text, &f))?;
            self.own_causes = Some(Arc::new(causes));
        }
        Ok(())
    }

    fn read_text(&mut self, text: &str, path: &Path) -> std::result::Result<(), Fault> {
        let document = Document::parse(text)?;
        let Some(table) = own_table(&document, path)? else {
            return Ok(());
        };
        table.ensure_known(&[
            "depot",
            "policy",
            "target",
            "interpreters",
            "network",
            "adjust",
            "build",
            "knowledge",
            "trial",
            "member",
        ])?;
        let base = path.parent().map(Path::to_owned).unwrap_or_default();
        for entry in table.tables("depot")? {
            self.depots.push(depot(&entry, path, &self.families)?);
        }
        for entry in table.tables("member")? {
            entry.ensure_known(&["path"])?;
            let Some(path) = entry.string("path")? else {
                return Err(entry.fault("`path` is missing: the folder of a project"));
            };
            let folder = base.join(expand_home(path.value));
            if !folder.join("pyproject.toml").is_file() {
                let fault = Fault::of(
                    FaultKind::Absent,
                    format!("there is no pyproject.toml in {}", folder.display()),
                    path.at,
                );
                return Err(fault.hint("name the folder of a project, relative to this file"));
            }
            self.members.push(folder);
        }
        for entry in table.tables("adjust")? {
            self.adjustments
                .push(adjust::read(&entry, text, path, &self.families)?);
        }
        if let Some(policy) = table.table("policy")? {
            read_policy(&policy, &mut self.policy)?;
            let says = |key: &str| {
                policy
                    .string(key)
                    .map(|text| text.map(|t| t.value.to_owned()))
            };
            self.names_chronology |=
                says("chronology")?.is_some() || says("prefer")?.as_deref() == Some("period");
        }
        if let Some(build) = table.table("build")? {
            build::read(
                &build,
                &mut self.policy,
                &mut self.builds,
                &mut self.build_limits,
            )?;
        }
        for (name, value) in table
            .table("target")?
            .iter()
            .flat_map(|t| t.entries().collect::<Vec<_>>())
        {
            let target = read_target(&value.table()?, &self.families)?;
            self.targets.entry(name.value.to_owned()).or_insert(target);
        }
        for (name, value) in table
            .table("trial")?
            .iter()
            .flat_map(|t| t.entries().collect::<Vec<_>>())
        {
            let trial = read_trial(&value.table()?)?;
            self.trials.entry(name.value.to_owned()).or_insert(trial);
        }
        if let Some(network) = table.table("network")? {
            self.network = read_network(&network, self.network)?;
        }
        if let Some(interpreters) = table.table("interpreters")? {
            interpreters.ensure_known(&["search"])?;
            self.search.extend(
                interpreters
                    .strings("search")?
                    .unwrap_or_default()
                    .into_iter()
                    .map(|t| t.value.to_owned()),
            );
        }
        Ok(())
    }
}

/// Our table of a settings file: all of `eutaxis.toml`, `[tool.eutaxis]` of a project file.
fn own_table<'a>(
    document: &'a Document<'_>,
    path: &Path,
) -> std::result::Result<Option<Table<'a>>, Fault> {
    if !is_project_file(path) {
        return Ok(Some(document.root()));
    }
    Ok(document
        .root()
        .table("tool")?
        .map(|t| t.table("eutaxis"))
        .transpose()?
        .flatten())
}

fn is_project_file(path: &Path) -> bool {
    path.file_name().is_some_and(|n| n == "pyproject.toml")
}

/// The settings file of a folder: `eutaxis.toml`, else a `pyproject.toml` that has our table.
fn settings_in(folder: &Path) -> Option<PathBuf> {
    let own = folder.join("eutaxis.toml");
    if own.is_file() {
        return Some(own);
    }
    let project = folder.join("pyproject.toml");
    let mentions = std::fs::read_to_string(&project).is_ok_and(|t| t.contains("tool.eutaxis"));
    mentions.then_some(project)
}

fn depot(
    entry: &Table<'_>,
    file: &Path,
    families: &Arc<Families>,
) -> std::result::Result<DepotEntry, Fault> {
    entry.ensure_known(&[
        "name",
        "url",
        "path",
        "only",
        "accelerator",
        "ask-dates",
        "insecure",
        "files",
    ])?;
    let name = entry.string("name")?.map(|t| t.value.to_owned());
    let places = match (addresses(entry)?, entry.string("path")?) {
        (Some(places), None) => places,
        (None, Some(place)) => vec![place.value.to_owned()],
        _ => return Err(entry.fault("a depot has either `url` or `path`")),
    };
    let insecure = entry.boolean("insecure")?.unwrap_or(false);
    let asks_dates = entry.boolean("ask-dates")?.unwrap_or(false);
    let mut files = Vec::new();
    for text in entry.strings("files")?.unwrap_or_default() {
        let origin = Url::parse(text.value)
            .ok()
            .filter(|u| matches!(u.scheme(), "http" | "https"));
        let bad = || {
            Fault::new(
                "`files` lists origins such as \"https://files.example\"",
                text.at,
            )
        };
        files.push(origin.ok_or_else(bad)?);
    }
    let mut only = Vec::new();
    for text in entry.strings("only")?.unwrap_or_default() {
        only.push(Name::parse(text.value).map_err(|f| f.shifted(text.at))?);
    }
    let accelerator = entry.string("accelerator")?;
    if let Some(text) = &accelerator {
        families
            .made_for(text.value)
            .map_err(|f| f.shifted(text.at))?;
    }
    let accelerator = accelerator.map(|t| t.value.to_owned());
    Ok(DepotEntry {
        name,
        places,
        file: file.to_owned(),
        only,
        accelerator,
        asks_dates,
        insecure,
        files,
    })
}

/// `url`: one address, or several.
fn addresses(entry: &Table<'_>) -> std::result::Result<Option<Vec<String>>, Fault> {
    match entry.get("url") {
        None => Ok(None),
        Some(value) if value.is_string() => Ok(Some(vec![value.string()?.value.to_owned()])),
        Some(value) => {
            let items = value
                .items()?
                .iter()
                .map(|v| Ok(v.string()?.value.to_owned()))
                .collect::<std::result::Result<Vec<_>, Fault>>()?;
            if items.is_empty() {
                Err(entry.fault("`url` lists no address"))
            } else {
                Ok(Some(items))
            }
        }
    }
}

/// What an environment is tried with.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Trial {
    /// What is run.
    pub what: Tried,
    /// A text that it must print; none when it is enough that it ends well.
    pub expect: Option<String>,
}

/// What a trial runs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Tried {
    /// Python code, by the environment's interpreter.
    Code(String),
    /// A command of the environment, to its end.
    Command(Vec<String>),
    /// A command that goes on by itself: it is started, and ended when something is seen.
    Service(Vec<String>, Until),
}

/// What is waited for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Until {
    /// A text in what it writes.
    Text(String),
    /// Somebody listens at this port of this machine.
    Port(u16),
}

impl std::fmt::Display for Until {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Until::Text(text) => write!(f, "`{text}`"),
            Until::Port(port) => write!(f, "port {port}"),
        }
    }
}

impl Until {
    /// `port 8080`, or a text.
    fn of(text: &str) -> Self {
        let port = text
            .strip_prefix("port ")
            .and_then(|p| p.trim().parse().ok());
        port.map_or_else(|| Until::Text(text.to_owned()), Until::Port)
    }
}

fn read_trial(table: &Table<'_>) -> std::result::Result<Trial, Fault> {
    table.ensure_known(&["code", "command", "until", "expect"])?;
    let code = table.string("code")?;
    let until = table.string("until")?;
    let command = match table.get("command") {
        Some(value) => {
            let items = value.items()?;
            let words = items.iter().map(|i| Ok(i.string()?.value.to_owned()));
            Some(words.collect::<std::result::Result<Vec<String>, Fault>>()?)
        }
        None => None,
    };
    let what = match (code, command, until) {
        (Some(code), None, None) => Tried::Code(code.value.to_owned()),
        (None, Some(words), _) if words.is_empty() => {
            return Err(table.fault("the `command` of a trial has at least one word"));
        }
        (None, Some(words), None) => Tried::Command(words),
        (None, Some(words), Some(until)) => Tried::Service(words, Until::of(until.value)),
        (Some(_), None, Some(_)) => {
            return Err(table.fault("`until` goes with `command`, which is started"));
        }
        (Some(_), Some(_), _) | (None, None, _) => {
            return Err(table.fault("a trial has `code` or `command`, which is run"));
        }
    };
    let expect = table.string("expect")?.map(|t| t.value.to_owned());
    Ok(Trial { what, expect })
}

fn read_policy(table: &Table<'_>, policy: &mut Policy) -> std::result::Result<(), Fault> {
    table.ensure_known(&[
        "wheels",
        "build",
        "prereleases",
        "as-of",
        "take-undated",
        "prefer",
        "chronology",
    ])?;
    let bad = |key: &str, at: usize, known: &str| {
        Fault::new(format!("`policy.{key}` must be one of {known}"), at)
    };
    if let Some(text) = table.string("wheels")? {
        policy.wheels = match text.value {
            "only" => Wheels::Only,
            "first" => Wheels::First,
            "any" => Wheels::Any,
            _ => return Err(bad("wheels", text.at, "only, first, any")),
        };
    }
    if let Some(text) = table.string("prefer")? {
        policy.prefer = match text.value {
            "newest" => Prefer::Newest,
            "oldest" => Prefer::Oldest,
            // Another word for `chronology = "follow"`.
            "period" => {
                policy.chronology = Chronology::Follow;
                Prefer::Newest
            }
            _ => return Err(bad("prefer", text.at, "newest, oldest, period")),
        };
    }
    if let Some(text) = table.string("chronology")? {
        let words = Chronology::ALL.map(Chronology::as_str).join(", ");
        policy.chronology =
            Chronology::of(text.value).ok_or_else(|| bad("chronology", text.at, &words))?;
    }
    if let Some(text) = table.string("as-of")? {
        policy.as_of = Some(as_of(text.value).map_err(|f| f.shifted(text.at))?);
    }
    policy.take_undated = table
        .boolean("take-undated")?
        .unwrap_or(policy.take_undated);
    let names = |key: &str| -> std::result::Result<Vec<Name>, Fault> {
        table
            .strings(key)?
            .unwrap_or_default()
            .iter()
            .map(|t| Name::parse(t.value).map_err(|f| f.shifted(t.at)))
            .collect()
    };
    policy.build.extend(names("build")?);
    let all = table.strings("prereleases")?.unwrap_or_default();
    if all.iter().any(|t| t.value == "all") {
        policy.prereleases = Prereleases::All;
    } else if !all.is_empty() {
        policy.prereleases = Prereleases::Of(names("prereleases")?);
    }
    Ok(())
}

fn read_network(
    table: &Table<'_>,
    before: NetworkSettings,
) -> std::result::Result<NetworkSettings, Fault> {
    table.ensure_known(&["timeout", "attempts", "fetch-limit"])?;
    let number = |key: &str, most: u64| match table.integer(key)? {
        None => Ok(None),
        Some(found) => match u64::try_from(found.value) {
            Ok(n) if (1..=most).contains(&n) => Ok(Some(n)),
            _ => Err(Fault::new(
                format!("`network.{key}` must be a number from 1 to {most}"),
                found.at,
            )),
        },
    };
    let timeout = number("timeout", 3600)?.unwrap_or(before.timeout);
    let attempts = number("attempts", 20)?
        .and_then(|n| u32::try_from(n).ok())
        .unwrap_or(before.attempts);
    let limits = match table.string("fetch-limit")? {
        Some(text) => {
            FetchLimits::of(parse_size(text.value).map_err(|why| Fault::new(why, text.at))?)
        }
        None => before.limits,
    };
    Ok(NetworkSettings {
        timeout,
        attempts,
        limits,
    })
}

fn read_target(table: &Table<'_>, families: &Arc<Families>) -> std::result::Result<Target, Fault> {
    table.ensure_known(&["interpreter", "platform", "accelerator"])?;
    let accelerators = match table.get("accelerator") {
        None => Accelerators::none(Arc::clone(families)),
        Some(value) if value.is_string() => {
            let text = value.string()?;
            Accelerators::parse(text.value, families).map_err(|f| f.shifted(text.at))?
        }
        Some(value) if value.is_table() => read_accelerator(&[value.table()?], families)?,
        Some(value) if value.items().is_err() => {
            return Err(value.wrong("a text, a table, or a list of tables"));
        }
        Some(value) => {
            let tables = value
                .items()?
                .iter()
                .map(|v| v.table())
                .collect::<std::result::Result<Vec<_>, _>>()?;
            read_accelerator(&tables, families)?
        }
    };
    let text = |key: &str| {
        table
            .string(key)?
            .ok_or_else(|| table.fault(format_args!("`{key}` is missing")))
    };
    let (interpreter, platform) = (text("interpreter")?, text("platform")?);
    let interpreter = eutaxis_core::targets::Interpreter::parse(interpreter.value)
        .map_err(|f| f.shifted(interpreter.at))?;
    let platform = eutaxis_core::targets::Platform::parse(platform.value)
        .map_err(|f| f.shifted(platform.at))?;
    Ok(Target::planned(interpreter, platform, accelerators))
}

/// Tables such as `{ family = "nordglim", toolkit = "4.1", driver = "512.4", device = "b3" }`.
fn read_accelerator(
    tables: &[Table<'_>],
    families: &Arc<Families>,
) -> std::result::Result<Accelerators, Fault> {
    let mut found = Accelerators::none(Arc::clone(families));
    for table in tables {
        table.ensure_known(&["family", "toolkit", "driver", "device", "required"])?;
        let family = table
            .string("family")?
            .ok_or_else(|| table.fault("`family` is missing"))?;
        let number = |key: &str| {
            let text = table.string(key)?;
            text.map(|t| Number::parse(t.value).map_err(|f| f.shifted(t.at)))
                .transpose()
        };
        let devices = match table.get("device") {
            None => Vec::new(),
            Some(value) if value.is_string() => vec![value.string()?.value.to_owned()],
            Some(_) => table
                .strings("device")?
                .unwrap_or_default()
                .iter()
                .map(|t| t.value.to_owned())
                .collect(),
        };
        found.here.push(Accelerator {
            family: Arc::clone(
                families
                    .named(family.value)
                    .map_err(|f| f.shifted(family.at))?,
            ),
            toolkit: number("toolkit")?,
            driver: number("driver")?,
            devices,
            is_required: table.boolean("required")?.unwrap_or(false),
        });
    }
    Ok(found)
}

/// Reads `--as-of`: a moment in RFC 3339, or a date, which stands for the end of that day in UTC
/// (docs/choice.md, as-of).
///
/// # Errors
/// When it is neither.
pub fn as_of(text: &str) -> std::result::Result<jiff::Timestamp, Fault> {
    if let Ok(moment) = text.parse::<jiff::Timestamp>() {
        return Ok(moment);
    }
    let end = text.parse::<jiff::civil::Date>().ok().and_then(|day| {
        let next = day.tomorrow().ok()?;
        let start = next.to_zoned(jiff::tz::TimeZone::UTC).ok()?.timestamp();
        start.checked_sub(jiff::SignedDuration::from_nanos(1)).ok()
    });
    end.ok_or_else(|| {
        Fault::new(format!("`{text}` is not a date"), 0)
            .hint("write 2026-03-31, or 2026-03-31T12:00:00Z")
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const FILE: &str = r#"
[[depot]]
name = "boards"
path = "wheels/boards"
only = ["Radar.gram"]
[policy]
wheels = "only"
prefer = "oldest"
prereleases = ["firnio"]
as-of = "2026-03-31"
[target.ridge-logger]
interpreter = "cpython 3.9"
platform = "linux armv7l glibc 2.31"
[interpreters]
search = ["/opt/py/*/bin/python3"]
[network]
timeout = 5
"#;

    fn load(name: &str, text: &str) -> Result<Config> {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join(name), text).unwrap();
        let deep = folder.path().join("a/b");
        std::fs::create_dir_all(&deep).unwrap();
        Config::load(&deep, None)
    }

    #[test]
    fn settings_of_the_nearest_file_are_read() {
        let config = load("eutaxis.toml", FILE).unwrap();
        assert_eq!(config.depots[0].only, [Name::parse("radar-gram").unwrap()]);
        assert_eq!(
            (config.policy.wheels, config.policy.prefer),
            (Wheels::Only, Prefer::Oldest)
        );
        assert_eq!(
            config.policy.as_of.unwrap().to_string(),
            "2026-03-31T23:59:59.999999999Z"
        );
        assert_eq!(config.targets["ridge-logger"].platform.arch(), "armv7l");
        assert_eq!(config.search.len(), 1);
        assert_eq!(
            config.network,
            NetworkSettings {
                timeout: 5,
                ..NetworkSettings::default()
            }
        );
    }

    #[test]
    fn families_of_further_files_count_for_targets_and_depots() {
        let folder = tempfile::tempdir().unwrap();
        let family = "[[family]]\nname = 'nordglim'\nlabel = \
            { before = 'nor', number = 'digits' }\ntoolkit = [{ version = '4.1' }]\n";
        std::fs::create_dir(folder.path().join("facts")).unwrap();
        std::fs::write(folder.path().join("facts/nordglim.toml"), family).unwrap();
        // The targets stand before what they rest on.
        let text = "[target.a]\ninterpreter = '3.11'\nplatform = 'linux x86_64'\naccelerator = \
            { family = 'nordglim', toolkit = '4.1', device = ['b2', 'b3'] }\n\
            [target.b]\ninterpreter = '3.11'\nplatform = 'linux x86_64'\naccelerator = 'nordglim \
            driver 5 / cuda'\n\
            [[depot]]\npath = 'wheels'\naccelerator = 'nordglim 4.1'\n[knowledge]\naccelerators = \
            ['facts/nordglim.toml']\n";
        std::fs::write(folder.path().join("eutaxis.toml"), text).unwrap();
        let config = Config::load(folder.path(), None).unwrap();
        let shown = |name: &str| config.targets[name].accelerators.as_option();
        assert_eq!(shown("a"), "nordglim toolkit 4.1 device b2 device b3");
        assert_eq!(shown("b"), "nordglim driver 5 / cuda");
        assert_eq!(
            config.depots[0].accelerator.as_deref(),
            Some("nordglim 4.1")
        );
        assert!(
            config.families.named("cuda").is_ok(),
            "those that are compiled in stay"
        );
    }

    #[test]
    fn a_project_file_holds_the_same_settings() {
        let text = "[project]\nname = 'x'\n[[tool.eutaxis.depot]]\npath = \
            'wheels'\n[tool.eutaxis.policy]\nwheels = 'any'\n";
        let config = load("pyproject.toml", text).unwrap();
        assert_eq!(
            (config.depots[0].places[0].as_str(), config.policy.wheels),
            ("wheels", Wheels::Any)
        );
        assert!(
            load("pyproject.toml", "[tool.other]\ndepots = 1")
                .unwrap()
                .files
                .is_empty()
        );
    }

    #[rstest]
    #[case("[[depots]]\npath='x'", "did you mean `depot`?", 1)]
    #[case("[[depot]]\npath='x'\nurl='y'", "either `url` or `path`", 1)]
    #[case("[policy]\nwheels = 'never'", "only, first, any", 2)]
    #[case("[policy]\nas-of = 'soon'", "is not a date", 2)]
    #[case("[policy]\nchronology = 'no'", "heed, follow, caution, ignore", 2)]
    #[case(
        "[[adjust]]\nproject='x'\nbecause='y'",
        "one of `needs`, `avoid = true`, `take = true`, `fails-to-build = true` and `accelerator`",
        1
    )]
    #[case(
        "[[adjust]]\nproject='x'\nneeds='y >>1'\nbecause='y'",
        "not a version",
        3
    )]
    #[case("[[adjust]]\nproject='x'\navoid=true", "`because` is missing", 1)]
    #[case(
        "[[adjust]]\nproject='x'\navoid=true\nbecause='y'\nversions='<'",
        "version",
        5
    )]
    #[case("[network]\ntimeout = 0", "a number from 1 to 3600", 2)]
    #[case("[target.a]\nplatform='linux x86_64'", "`interpreter` is missing", 1)]
    #[case(
        "[target.a]\nplatform='linux x86'\ninterpreter='3.9'",
        "architecture",
        2
    )]
    #[case(
        "[target.a]\ninterpreter='3.9'\nplatform='linux x86_64'\naccelerator='aurora'",
        "family of accelerators",
        4
    )]
    #[case(
        "[target.a]\ninterpreter='3.9'\nplatform='linux \
            x86_64'\naccelerator={ family='cuda', driver='x' }",
        "not a number",
        4
    )]
    #[case(
        "[target.a]\ninterpreter='3.9'\nplatform='linux x86_64'\naccelerator={ speed='x' }",
        "speed",
        4
    )]
    #[case("[[depot]]\npath='x'\naccelerator='cuda'", "FAMILY TOOLKIT", 3)]
    #[case(
        "[[adjust]]\nproject='x'\nbecause='y'\naccelerator='zz 1'",
        "family of accelerators",
        4
    )]
    #[case("[knowledge]\naccelerators=1", "array", 2)]
    fn bad_settings_are_told_with_their_line(
        #[case] text: &str,
        #[case] part: &str,
        #[case] line: u32,
    ) {
        let error = load("eutaxis.toml", text).unwrap_err();
        let told = format!(
            "{} {}",
            error.message,
            error.help.clone().unwrap_or_default()
        );
        assert!(told.contains(part), "{told}");
        assert_eq!(error.places[0].line, line);
    }
}
