//! `eutaxis.toml` and `[tool.eutaxis]` of `pyproject.toml`: depots, policy, targets (commands, section 3).

mod adjust;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use eutaxis_core::document::{Document, Table};
use eutaxis_core::fault::Fault;
use eutaxis_core::offer::{Chronology, Policy, Prefer, Prereleases, Wheels};
use eutaxis_core::solve::Adjustment;
use eutaxis_core::{Name, Target};

use crate::files::read_text;
use crate::{Error, Result};

/// A `[[depot]]`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DepotEntry {
    /// Its name, if it has one.
    pub name: Option<String>,
    /// URL or path, as written.
    pub place: String,
    /// The folder that a path is relative to: that of the file.
    pub base: PathBuf,
    /// Projects that it alone serves.
    pub only: Vec<Name>,
}

/// `[network]`: how patient the client is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NetworkSettings {
    /// Seconds without any news after which an attempt is given up.
    pub timeout: u64,
    /// How often something is tried at most.
    pub attempts: u32,
}

impl Default for NetworkSettings {
    fn default() -> Self {
        NetworkSettings { timeout: 30, attempts: 4 }
    }
}

/// The settings of a place, from the nearest file and the user's own.
#[derive(Debug, Clone, Default)]
pub struct Config {
    /// Where the settings come from.
    pub files: Vec<PathBuf>,
    /// Depots in their order.
    pub depots: Vec<DepotEntry>,
    /// Policy as far as stated.
    pub policy: Policy,
    /// Targets by name.
    pub targets: BTreeMap<String, Target>,
    /// Facts stated over the metadata, in their order.
    pub adjustments: Vec<Adjustment>,
    /// Globs of interpreters.
    pub search: Vec<String>,
    /// How patient the client is.
    pub network: NetworkSettings,
}

impl Config {
    /// The settings for a folder: `explicit` when given, else `eutaxis.toml` or `[tool.eutaxis]` in the folder or the
    /// nearest above it; then the user's own file, whose depots follow and whose targets fill in.
    ///
    /// # Errors
    /// When a file cannot be read, with the line.
    pub fn load(folder: &Path, explicit: Option<&Path>) -> Result<Self> {
        let mut config = Config::default();
        let nearest = match explicit {
            Some(path) => Some(path.to_owned()),
            None => folder.ancestors().find_map(settings_in),
        };
        if let Some(path) = nearest {
            config.read(&path)?;
        }
        let own = directories::ProjectDirs::from("", "", "eutaxis").map(|d| d.config_dir().join("eutaxis.toml"));
        if let Some(path) = own.filter(|p| explicit.is_none() && p.is_file()) {
            config.read(&path)?;
        }
        Ok(config)
    }

    fn read(&mut self, path: &Path) -> Result<()> {
        let text = read_text(path).map_err(Error::of_request)?;
        let shown = path.display().to_string();
        self.read_text(&text, path).map_err(|f| Error::in_file(&shown, &text, &f))?;
        self.files.push(path.to_owned());
        Ok(())
    }

    fn read_text(&mut self, text: &str, path: &Path) -> std::result::Result<(), Fault> {
        let document = Document::parse(text)?;
        let root = document.root();
        let table = if is_project_file(path) {
            match root.table("tool")?.map(|t| t.table("eutaxis")).transpose()?.flatten() {
                Some(table) => table,
                None => return Ok(()),
            }
        } else {
            root
        };
        table.ensure_known(&["depot", "policy", "target", "interpreters", "network", "adjust"])?;
        let base = path.parent().map(Path::to_owned).unwrap_or_default();
        for entry in table.tables("depot")? {
            self.depots.push(depot(&entry, &base)?);
        }
        for entry in table.tables("adjust")? {
            self.adjustments.push(adjust::read(&entry, text, path)?);
        }
        if let Some(policy) = table.table("policy")? {
            read_policy(&policy, &mut self.policy)?;
        }
        for (name, value) in table.table("target")?.iter().flat_map(|t| t.entries().collect::<Vec<_>>()) {
            let target = read_target(&value.table()?)?;
            self.targets.entry(name.value.to_owned()).or_insert(target);
        }
        if let Some(network) = table.table("network")? {
            self.network = read_network(&network, self.network)?;
        }
        if let Some(interpreters) = table.table("interpreters")? {
            interpreters.ensure_known(&["search"])?;
            self.search
                .extend(interpreters.strings("search")?.unwrap_or_default().into_iter().map(|t| t.value.to_owned()));
        }
        Ok(())
    }
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

fn depot(entry: &Table<'_>, base: &Path) -> std::result::Result<DepotEntry, Fault> {
    entry.ensure_known(&["name", "url", "path", "only"])?;
    let name = entry.string("name")?.map(|t| t.value.to_owned());
    let place = match (entry.string("url")?, entry.string("path")?) {
        (Some(place), None) | (None, Some(place)) => place.value.to_owned(),
        _ => return Err(entry.fault("a depot has either `url` or `path`")),
    };
    let mut only = Vec::new();
    for text in entry.strings("only")?.unwrap_or_default() {
        only.push(Name::parse(text.value).map_err(|f| f.shifted(text.at))?);
    }
    Ok(DepotEntry { name, place, base: base.to_owned(), only })
}

fn read_policy(table: &Table<'_>, policy: &mut Policy) -> std::result::Result<(), Fault> {
    table.ensure_known(&["wheels", "build", "prereleases", "as-of", "prefer", "chronology"])?;
    let bad = |key: &str, at: usize, known: &str| Fault::new(format!("`policy.{key}` must be one of {known}"), at);
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
            "period" => Prefer::Period,
            _ => return Err(bad("prefer", text.at, "newest, oldest, period")),
        };
    }
    if let Some(text) = table.string("chronology")? {
        policy.chronology = match text.value {
            "caution" => Chronology::Caution,
            "follow" => Chronology::Follow,
            "ignore" => Chronology::Ignore,
            _ => return Err(bad("chronology", text.at, "caution, follow, ignore")),
        };
    }
    if let Some(text) = table.string("as-of")? {
        policy.as_of = Some(as_of(text.value).map_err(|f| f.shifted(text.at))?);
    }
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

fn read_network(table: &Table<'_>, before: NetworkSettings) -> std::result::Result<NetworkSettings, Fault> {
    table.ensure_known(&["timeout", "attempts"])?;
    let number = |key: &str, most: u64| match table.integer(key)? {
        None => Ok(None),
        Some(found) => match u64::try_from(found.value) {
            Ok(n) if (1..=most).contains(&n) => Ok(Some(n)),
            _ => Err(Fault::new(format!("`network.{key}` must be a number from 1 to {most}"), found.at)),
        },
    };
    let timeout = number("timeout", 3600)?.unwrap_or(before.timeout);
    let attempts = number("attempts", 20)?.and_then(|n| u32::try_from(n).ok()).unwrap_or(before.attempts);
    Ok(NetworkSettings { timeout, attempts })
}

fn read_target(table: &Table<'_>) -> std::result::Result<Target, Fault> {
    table.ensure_known(&["interpreter", "platform", "accelerator"])?;
    if table.get("accelerator").is_some() {
        return Err(table
            .fault("`accelerator` cannot be used yet")
            .hint("leave it out; builds for accelerators are not told apart so far"));
    }
    let text = |key: &str| table.string(key)?.ok_or_else(|| table.fault(format_args!("`{key}` is missing")));
    let (interpreter, platform) = (text("interpreter")?, text("platform")?);
    let interpreter =
        eutaxis_core::target::Interpreter::parse(interpreter.value).map_err(|f| f.shifted(interpreter.at))?;
    let platform = eutaxis_core::target::Platform::parse(platform.value).map_err(|f| f.shifted(platform.at))?;
    Ok(Target::planned(interpreter, platform))
}

/// Reads `--as-of`: a moment in RFC 3339, or a date, which stands for the end of that day in UTC (choice, rule 7).
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
        Fault::new(format!("`{text}` is not a date"), 0).hint("write 2026-03-31, or 2026-03-31T12:00:00Z")
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
        assert_eq!((config.policy.wheels, config.policy.prefer), (Wheels::Only, Prefer::Oldest));
        assert_eq!(config.policy.as_of.unwrap().to_string(), "2026-03-31T23:59:59.999999999Z");
        assert_eq!(config.targets["ridge-logger"].platform.arch(), "armv7l");
        assert_eq!(config.search.len(), 1);
        assert_eq!(config.network, NetworkSettings { timeout: 5, ..NetworkSettings::default() });
    }

    #[test]
    fn a_project_file_holds_the_same_settings() {
        let text =
            "[project]\nname = 'x'\n[[tool.eutaxis.depot]]\npath = 'wheels'\n[tool.eutaxis.policy]\nwheels = 'any'\n";
        let config = load("pyproject.toml", text).unwrap();
        assert_eq!((config.depots[0].place.as_str(), config.policy.wheels), ("wheels", Wheels::Any));
        assert!(load("pyproject.toml", "[tool.other]\ndepots = 1").unwrap().files.is_empty());
    }

    #[rstest]
    #[case("[[depots]]\npath='x'", "did you mean `depot`?", 1)]
    #[case("[[depot]]\npath='x'\nurl='y'", "either `url` or `path`", 1)]
    #[case("[policy]\nwheels = 'never'", "only, first, any", 2)]
    #[case("[policy]\nas-of = 'soon'", "is not a date", 2)]
    #[case("[policy]\nchronology = 'no'", "caution, follow, ignore", 2)]
    #[case("[[adjust]]\nproject='x'\nbecause='y'", "either `needs` or `avoid = true`", 1)]
    #[case("[[adjust]]\nproject='x'\nneeds='y >>1'\nbecause='y'", "not a version", 3)]
    #[case("[[adjust]]\nproject='x'\navoid=true", "`because` is missing", 1)]
    #[case("[[adjust]]\nproject='x'\navoid=true\nbecause='y'\nversions='<'", "version", 5)]
    #[case("[network]\ntimeout = 0", "a number from 1 to 3600", 2)]
    #[case("[target.a]\nplatform='linux x86_64'", "`interpreter` is missing", 1)]
    #[case("[target.a]\nplatform='linux x86'\ninterpreter='3.9'", "architecture", 2)]
    #[case("[target.a]\naccelerator='b'", "cannot be used yet", 1)]
    fn bad_settings_are_told_with_their_line(#[case] text: &str, #[case] part: &str, #[case] line: u32) {
        let error = load("eutaxis.toml", text).unwrap_err();
        let told = format!("{} {}", error.message, error.help.clone().unwrap_or_default());
        assert!(told.contains(part), "{told}");
        assert_eq!(error.places[0].line, line);
    }
}
