//! `survey`: what is this machine, as a target, and which interpreters are here?

use std::path::{Path, PathBuf};

use eutaxis_core::Target;
use eutaxis_core::knowledge;
use eutaxis_core::target::{Libc, System};
use eutaxis_world::Error;
use eutaxis_world::files::{read_text, write_whole};
use eutaxis_world::interpreter::{Facts, Finder, Found, Seat};
use serde_json::{Map, Value, json};

use crate::cli::{Common, Survey};
use crate::output::{Answer, Outcome, Output};
use crate::plan::Surroundings;
use crate::render;

/// An interpreter as a row.
#[derive(Debug)]
pub(crate) struct Row {
    pub(crate) name: String,
    pub(crate) version: String,
    pub(crate) kind: String,
    pub(crate) path: String,
    pub(crate) default: bool,
    facts: Facts,
    full_path: PathBuf,
}

/// Everything that was found.
#[derive(Debug)]
pub(crate) struct Report {
    os: String,
    os_release: String,
    pub(crate) interpreters: Vec<Row>,
    pub(crate) target: Option<Target>,
    pub(crate) tags: Option<Vec<String>>,
    pub(crate) cautions: Vec<String>,
    pub(crate) saved: Option<String>,
}

pub(crate) fn run(arguments: &Survey, common: &Common, output: &Output) -> Result<Answer, Vec<Error>> {
    let surroundings = Surroundings::new(common).map_err(|e| vec![e])?;
    let (finder, probes) = (surroundings.finder(), surroundings.probes());
    let (found, failed) = match &arguments.interpreter {
        Some(name) => (vec![finder.named(name, &probes).map_err(|e| vec![e])?], Vec::new()),
        None => finder.all(&probes),
    };
    if output.verbose() {
        failed.iter().for_each(|e| output.notice(&format!("left out: {}", e.message)));
    }
    let chosen = arguments.interpreter.is_some();
    let default = found
        .iter()
        .position(|f| chosen || f.bare_names.iter().any(|n| n == "python3"))
        .or(found.iter().position(|f| f.bare_names.iter().any(|n| n == "python")));
    let target = match default.and_then(|i| found.get(i)) {
        Some(found) => Some(surroundings.target_of(&found.facts).map_err(|e| vec![e])?),
        None => None,
    };
    let mut report = Report {
        os: std::env::consts::OS.to_owned(),
        os_release: os_release(),
        tags: target.as_ref().filter(|_| arguments.tags).map(Target::tags),
        cautions: cautions(&found, default, &finder, chosen),
        interpreters: found.iter().enumerate().map(|(i, f)| row(f, Some(i) == default && !chosen)).collect(),
        target,
        saved: None,
    };
    if let Some(name) = &arguments.save {
        report.saved = Some(save(name, report.target.as_ref()).map_err(|e| vec![e])?);
    }
    Ok(Answer { outcome: Outcome::Ok, text: render::survey::text(&report), json: report.json() })
}

/// The folder that stands in for the root of the file system.
fn root() -> PathBuf {
    std::env::var_os("EUTAXIS_ROOT").filter(|r| !r.is_empty()).map_or_else(|| PathBuf::from("/"), PathBuf::from)
}

fn os_release() -> String {
    let text = std::fs::read_to_string(root().join("etc/os-release")).unwrap_or_default();
    let value = |key: &str| {
        let line = text.lines().find_map(|l| l.strip_prefix(key)?.strip_prefix('='));
        line.map(|v| v.trim_matches('"').to_owned()).filter(|v| !v.is_empty())
    };
    let named = value("NAME")
        .zip(value("VERSION_ID"))
        .map(|(n, v)| format!("{} {v}", n.split_whitespace().next().unwrap_or(&n)));
    named.or_else(|| value("PRETTY_NAME")).unwrap_or_default()
}

fn row(found: &Found, default: bool) -> Row {
    let facts = &found.facts;
    let name = match found.seat {
        Seat::Active => "active".to_owned(),
        Seat::Here => ".venv".to_owned(),
        _ => found.bare_names.iter().find(|n| *n == "python3").cloned().unwrap_or_else(|| {
            // A plain name that starts another interpreter here says nothing: the series does.
            let file = found.path.file_name().map_or_else(|| "?".to_owned(), |n| n.to_string_lossy().into_owned());
            if matches!(file.as_str(), "python3" | "python") {
                format!("python{}", facts.markers.python_version)
            } else {
                file
            }
        }),
    };
    let kind = match (found.seat, facts.in_environment(), facts.externally_managed) {
        (Seat::Active, ..) => "active environment",
        (Seat::Here, ..) => "environment of this folder",
        (_, true, _) => "environment",
        (_, _, true) => "system, externally managed",
        (Seat::Configured, ..) => "configured",
        _ => "free-standing",
    };
    let flags = match (facts.free_threaded, facts.bits) {
        (true, _) => " free-threaded",
        (_, 32) => " 32-bit",
        _ => "",
    };
    let implementation =
        if facts.implementation == "cpython" { String::new() } else { format!("{} ", facts.implementation) };
    let shown = if facts.executable.as_os_str().is_empty() { &found.path } else { &facts.executable };
    Row {
        name,
        version: format!("{implementation}{}{flags}", facts.version),
        kind: kind.to_owned(),
        path: render::near(shown),
        default,
        full_path: shown.clone(),
        facts: facts.clone(),
    }
}

fn cautions(found: &[Found], default: Option<usize>, finder: &Finder, chosen: bool) -> Vec<String> {
    let mut cautions = Vec::new();
    if let Some(root) = finder.active.as_ref().filter(|r| !r.is_dir()) {
        let shown = root.display();
        cautions.push(format!("the active environment {shown} is gone: its folder does not exist. Leave it (deactivate), or furnish it again."));
    }
    let default = default.and_then(|i| found.get(i));
    if let Some(default) = default {
        let facts = &default.facts;
        let machine = &facts.markers.platform_machine;
        if facts.bits == 32 && machine.contains("64") {
            cautions.push(format!("the programs are 32-bit on a 64-bit kernel ({machine}): only 32-bit files run. Many projects offer wheels for 64-bit only; a 64-bit system takes those."));
        }
        let of_seat = |seat: Seat| found.iter().find(|f| f.seat == seat);
        let elsewhere = |f: &&Found| f.facts.prefix != facts.prefix;
        if let Some(active) = of_seat(Seat::Active).filter(elsewhere) {
            cautions.push(format!(
                "`python3` starts {}, not the active environment {}: what you place with one, the other does not see.",
                facts.executable.display(),
                active.facts.prefix.display()
            ));
        } else if of_seat(Seat::Here).filter(elsewhere).is_some() && !chosen {
            cautions.push("`python3` is not the environment of this folder: what you place with one, the other does not see. Use .venv/bin/python, or enter it:  . .venv/bin/activate".to_owned());
        }
        cautions.extend(past_its_end(facts));
    }
    cautions
}

fn past_its_end(facts: &Facts) -> Option<String> {
    let series = facts.markers.python_version.as_ref();
    let end = knowledge::series(&facts.implementation, series)?.end_of_life.clone()?;
    let today = jiff::Timestamp::now().to_string();
    let past = end.as_str() < today.get(..10)?;
    past.then(|| {
        format!(
            "{} {series} is past its end of life ({end}): new releases of many projects no longer offer wheels for it.",
            facts.markers.platform_python_implementation
        )
    })
}

/// Appends `[target.NAME]` to `eutaxis.toml` of this folder.
fn save(name: &str, target: Option<&Target>) -> Result<String, Error> {
    let Some(target) = target else {
        return Err(Error::request("there is no interpreter here, so no target can be saved")
            .help("name one with --interpreter PATH"));
    };
    let plain = |b: u8| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_');
    if name.is_empty() || !name.bytes().all(plain) {
        return Err(Error::request(format!("`{name}` cannot name a target")).help("use letters, digits, `-` and `_`"));
    }
    let path = Path::new("eutaxis.toml");
    let before = if path.exists() { read_text(path)? } else { String::new() };
    let known = toml::from_str::<toml::Table>(&before)
        .map_err(|e| Error::request(format!("eutaxis.toml is not valid TOML: {}", e.message())))?;
    if known.get("target").and_then(|t| t.get(name)).is_some() {
        return Err(Error::request(format!("eutaxis.toml has a target `{name}` already"))
            .help("choose another name, or delete that table first"));
    }
    let gap = match before.is_empty() {
        true => "",
        false if before.ends_with('\n') => "\n",
        false => "\n\n",
    };
    let text = format!(
        "{before}{gap}[target.{name}]\ninterpreter = \"{}\"\nplatform = \"{}\"\n",
        target.interpreter, target.platform
    );
    write_whole(path, text.as_bytes())?;
    Ok(format!("[target.{name}] to eutaxis.toml"))
}

impl Report {
    /// `Linux x86_64, 64-bit, glibc 2.36 (Debian 12)`
    pub(crate) fn machine_words(&self) -> String {
        let Some(target) = &self.target else { return format!("{} {}", self.os, std::env::consts::ARCH) };
        let platform = &target.platform;
        let (system, library) = match platform.system {
            System::Linux(libc) => ("Linux", libc_words(libc)),
            System::Macos(major, minor) => ("macOS", format!("macOS {major}.{minor}")),
            System::Windows => ("Windows", String::new()),
        };
        let bits = self.default_facts().map_or(64, |f| f.bits);
        let arch = if platform.arch() == platform.machine() {
            platform.arch().to_owned()
        } else {
            format!("{} programs on a {} kernel", platform.arch(), platform.machine())
        };
        let mut words = vec![format!("{system} {arch}"), format!("{bits}-bit")];
        words.extend(Some(library).filter(|l| !l.is_empty()));
        let release = if self.os_release.is_empty() { String::new() } else { format!(" ({})", self.os_release) };
        format!("{}{release}", words.join(", "))
    }

    fn default_facts(&self) -> Option<&Facts> {
        self.interpreters.iter().find(|i| i.default).or(self.interpreters.first()).map(|i| &i.facts)
    }

    fn json(&self) -> Map<String, Value> {
        let facts = self.default_facts();
        let libc = match self.target.as_ref().map(|t| t.platform.system) {
            Some(System::Linux(Libc::Glibc(a, b))) => json!({"name": "glibc", "version": format!("{a}.{b}")}),
            Some(System::Linux(Libc::Musl(a, b))) => json!({"name": "musl", "version": format!("{a}.{b}")}),
            _ => Value::Null,
        };
        let machine = json!({
            "os": self.os,
            "os_release": self.os_release,
            "kernel_arch": facts.map_or(std::env::consts::ARCH, |f| &f.markers.platform_machine),
            "arch": self.target.as_ref().map_or(std::env::consts::ARCH, |t| t.platform.arch()),
            "bits": facts.map_or(usize::BITS, |f| f.bits),
            "libc": libc,
        });
        let interpreters: Vec<Value> = self.interpreters.iter().map(Row::json).collect();
        let mut object = Map::new();
        object.insert("machine".into(), machine);
        object.insert("interpreters".into(), interpreters.into());
        // Accelerators are not looked for yet: none is known, which is not the same as none being there.
        object.insert("accelerators".into(), json!([]));
        object.insert("target".into(), self.target.as_ref().map(ToString::to_string).into());
        if let Some(tags) = &self.tags {
            object.insert("tags".into(), json!(tags));
        }
        object.insert("cautions".into(), json!(self.cautions));
        if let Some(saved) = &self.saved {
            object.insert("written".into(), json!([saved]));
        }
        object
    }
}

impl Row {
    fn json(&self) -> Value {
        let facts = &self.facts;
        let environment = facts.in_environment().then(|| json!({"kind": self.kind, "root": facts.prefix}));
        json!({
            "path": self.full_path,
            "implementation": facts.implementation,
            "version": facts.version,
            "abi": facts.interpreter().ok().and_then(|i| i.abis.first().cloned()),
            "bits": facts.bits,
            "platform": facts.platform,
            "environment": environment,
            "externally_managed": facts.externally_managed,
            "default": self.default,
        })
    }
}

fn libc_words(libc: Libc) -> String {
    match libc {
        Libc::Glibc(a, b) => format!("glibc {a}.{b}"),
        Libc::Musl(a, b) => format!("musl {a}.{b}"),
        Libc::Static => "no C library that is loaded".to_owned(),
    }
}
