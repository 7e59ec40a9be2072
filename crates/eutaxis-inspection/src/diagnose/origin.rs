//! Where a log was written: system, architecture, C library, interpreter and driver, as far as its
//! lines tell, and the target that follows from them.

use std::collections::BTreeMap;

use super::facts::Facts;

use eutaxis_standards::knowledge::{Confidence, OriginWords, origin_words};
use eutaxis_standards::name::Name;
use eutaxis_standards::targets::{
    Accelerators, Implementation, Interpreter, Libc, Platform, System, Target,
};
use eutaxis_standards::version::Version;

/// So many bytes at the beginning are read for it line by line; behind them only lines that are
/// looked at anyway, and the end.
pub(super) const HEAD: u64 = 1 << 16;
/// So many different things are kept.
const MOST: usize = 400;
/// So many files that were there are kept.
const MOST_PATHS: usize = 40;
/// The longest word that is kept.
const LONGEST: usize = 400;
/// What a Linux of today has at least, where nothing tells.
const USUAL_GLIBC: (u32, u32) = (2, 28);

/// Where a log was written, as far as it tells.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Origin {
    /// `linux`, `macos` or `windows`.
    pub system: Option<String>,
    /// The architecture of its programs, by the name that Linux has for it.
    pub arch: Option<String>,
    /// The C library, with its version where it is told: `glibc 2.31`, `musl`.
    pub libc: Option<String>,
    /// Its GNU C library is older than this.
    pub below: Option<String>,
    /// `pypy`; none where nothing speaks against CPython.
    pub implementation: Option<String>,
    /// The series of the interpreter that ran: `3.11`, `3.13t`.
    pub interpreter: Option<String>,
    /// The version of the accelerator's driver.
    pub driver: Option<String>,
    /// The family of the accelerator that the driver is for.
    pub accelerator: Option<String>,
    /// The distribution of Linux.
    pub distribution: Option<String>,
    /// Files that were there when it was written.
    pub paths: Vec<String>,
}

/// The target that a log is of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Place {
    /// It.
    pub target: Target,
    /// What the log does not tell of it, as it was taken to be: `x86_64`, `glibc 2.28`.
    pub assumed: Vec<String>,
}

impl Origin {
    /// Whether it cannot have been on a platform.
    pub fn contradicts(&self, platform: &Platform) -> bool {
        let system = system_of(platform);
        let is_other = self.system.as_deref().is_some_and(|s| s != system);
        let arch = self.arch.as_deref();
        let runs = |arch: &str| {
            let of_platform = as_linux_calls(platform.arch());
            arch == of_platform
                || platform.loads_arch(arch)
                || arch == as_linux_calls(platform.machine())
        };
        let libc = self.libc.as_deref().and_then(|l| l.split(' ').next());
        let other_libc = matches!(
            (libc, platform.system),
            (Some("musl"), System::Linux(Libc::Glibc(..)))
                | (Some("glibc"), System::Linux(Libc::Musl(..)))
        );
        is_other || arch.is_some_and(|a| !runs(a)) || other_libc
    }

    /// In words: `CPython 3.14 on macOS arm64`; none where nothing is told.
    pub fn words(&self) -> Option<String> {
        let name = match self.implementation.as_deref() {
            None => "CPython",
            Some("pypy") => "PyPy",
            Some(other) => other,
        };
        let interpreter = self.interpreter.as_deref().map(|i| format!("{name} {i}"));
        let all: Vec<String> = interpreter.into_iter().chain(self.machine()).collect();
        (!all.is_empty()).then(|| all.join(" on "))
    }

    /// The system and the architecture in words: `Linux aarch64`, `macOS arm64`; none where neither
    /// is told.
    fn machine(&self) -> Option<String> {
        let system = self.system.as_deref().map(|s| match s {
            "linux" => "Linux",
            "macos" => "macOS",
            "windows" => "Windows",
            other => other,
        });
        let arch = self.arch.as_deref().map(|a| self.own_word(a));
        let libc = self.libc.as_deref();
        let words: Vec<&str> = [system, arch, libc].into_iter().flatten().collect();
        (!words.is_empty()).then(|| words.join(" "))
    }

    fn own_word<'a>(&self, arch: &'a str) -> &'a str {
        match (self.system.as_deref(), arch) {
            (Some("macos"), "aarch64") => "arm64",
            _ => arch,
        }
    }

    /// The interpreter, where its series is told.
    pub fn interpreter(&self) -> Option<Interpreter> {
        let series = self.interpreter.as_deref()?;
        let number = Version::parse(series.trim_end_matches('t')).ok()?;
        let implementation =
            Implementation::from_name(self.implementation.as_deref().unwrap_or("cpython"));
        Interpreter::planned(implementation, &number, series.ends_with('t')).ok()
    }

    /// The target that follows; what the log does not tell is as on `like`, where that can be, else
    /// as is usual there.
    pub fn place(&self, like: &Target) -> Place {
        let mut assumed = Vec::new();
        let is_alike = !self.contradicts(&like.platform);
        let platform = match is_alike && self.libc.is_none() && self.below.is_none() {
            true => {
                if self.arch.is_none() {
                    assumed.push(like.platform.to_string());
                }
                like.platform.clone()
            }
            false => self
                .platform(like, &mut assumed)
                .unwrap_or_else(|| like.platform.clone()),
        };
        let interpreter = self.interpreter().unwrap_or_else(|| {
            assumed.push(format!(
                "{} {}",
                like.interpreter.implementation.name(),
                like.interpreter.series_text()
            ));
            like.interpreter.clone()
        });
        let accelerators = self
            .accelerators(like)
            .unwrap_or_else(|| Accelerators::none(like.accelerators.families.clone()));
        Place {
            target: Target::planned(interpreter, platform, accelerators),
            assumed,
        }
    }

    fn accelerators(&self, like: &Target) -> Option<Accelerators> {
        let text = format!(
            "{} driver {}",
            self.accelerator.as_deref()?,
            self.driver.as_deref()?
        );
        Accelerators::parse(&text, &like.accelerators.families).ok()
    }

    fn platform(&self, like: &Target, assumed: &mut Vec<String>) -> Option<Platform> {
        let like_system = system_of(&like.platform);
        let system = self.system.as_deref().unwrap_or(like_system);
        let arch = match (self.arch.as_deref(), system) {
            (Some(arch), _) => self.own_word(arch).to_owned(),
            (None, _) => {
                let arch = if system == like_system {
                    like.platform.arch()
                } else if system == "macos" {
                    "arm64"
                } else {
                    "x86_64"
                };
                assumed.push(arch.to_owned());
                arch.to_owned()
            }
        };
        let libc = match system {
            "linux" => self.libc_or_usual(assumed),
            _ => String::new(),
        };
        Platform::parse(format!("{system} {arch} {libc}").trim_end()).ok()
    }

    fn libc_or_usual(&self, assumed: &mut Vec<String>) -> String {
        let told = self.libc.as_deref();
        if let Some(whole) = told.filter(|l| l.contains(' ')) {
            return whole.to_owned();
        }
        let usual = if told == Some("musl") {
            "musl 1.2".to_owned()
        } else {
            // Of what is too old, the last that builds are commonly made for.
            let below = self.below.as_deref().and_then(two_numbers);
            let common = [USUAL_GLIBC, (2, 17), (2, 5)];
            let older = |of: &&(u32, u32)| below.is_none_or(|below| **of < below);
            let (major, minor) = common.iter().find(older).copied().unwrap_or(USUAL_GLIBC);
            format!("glibc {major}.{minor}")
        };
        assumed.push(usual.clone());
        usual
    }
}

fn two_numbers(text: &str) -> Option<(u32, u32)> {
    let (major, minor) = text.split_once('.')?;
    Some((major.parse().ok()?, minor.parse().ok()?))
}

pub(crate) fn system_of(platform: &Platform) -> &'static str {
    match platform.system {
        System::Linux(_) => "linux",
        System::Macos(..) => "macos",
        System::Windows => "windows",
    }
}

fn as_linux_calls(arch: &str) -> &str {
    eutaxis_standards::knowledge::architecture(arch).unwrap_or(arch)
}

/// Which output and which command or step of it said something.
type Voice = (String, usize);

/// One fact that was told, with the system it was told of.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
struct Said {
    name: String,
    value: String,
    of: Option<&'static str>,
}

/// How surely something was told, how often, and where last.
#[derive(Debug, Clone)]
struct Weight {
    sure: Confidence,
    times: usize,
    line: u64,
}

/// Listens to the lines of a log.
#[derive(Debug, Default)]
pub(super) struct Listener {
    heard: BTreeMap<(Voice, Said), Weight>,
    paths: BTreeMap<Voice, Vec<String>>,
    /// What was placed, and where.
    placed: Vec<(Name, String)>,
    /// The environment that the prompt shows.
    entered: BTreeMap<Voice, String>,
}

impl Listener {
    /// A line, without what a service puts before it.
    pub(super) fn hear(&mut self, line: u64, stream: &str, episode: usize, text: &str) {
        let text = text.get(..LONGEST * 2).unwrap_or(text);
        if let Some(name) = entered(text) {
            let voice = (stream.to_owned(), episode);
            self.entered.insert(voice, name.to_owned());
        }
        for words in origin_words(text) {
            self.take(line, &(stream.to_owned(), episode), words);
        }
    }

    fn take(&mut self, line: u64, voice: &Voice, words: OriginWords) {
        let OriginWords {
            sure,
            mut system,
            arch,
            facts,
        } = words;
        let mut all: Vec<(String, String, Confidence)> = Vec::new();
        let fact = |name: &str| facts.iter().find(|(n, _)| n == name).map(|(_, v)| v);
        if let (Some(project), Some(folder)) = (fact("project"), fact("folder"))
            && let Ok(project) = Name::parse(project)
            && self.placed.len() < MOST
        {
            self.placed.push((project, folder.clone()));
        }
        for (name, value) in facts.into_iter().filter(|(_, v)| v.len() < LONGEST) {
            match name.as_str() {
                "path" => {
                    let on_windows = value.contains('\\');
                    if on_windows {
                        system = system.or(Some("windows"));
                    } else if system.is_none()
                        && value.starts_with('/')
                        && !value.starts_with("/Users/")
                    {
                        all.push(("system".into(), "linux".into(), Confidence::Low));
                    }
                    let known = self.paths.entry(voice.clone()).or_default();
                    if known.len() < MOST_PATHS && !known.contains(&value) {
                        known.push(value);
                    }
                }
                "project" | "folder" => {}
                "interpreter" => all.extend(series(&value).map(|v| (name, v, sure))),
                "libc" => all.push((name, library(&value), sure)),
                "distribution" => {
                    let own = eutaxis_standards::knowledge::distribution_like(&value);
                    all.extend(own.into_iter().next().map(|v| (name, v, sure)));
                }
                "accelerator" => all.push((name, value.to_ascii_lowercase(), sure)),
                _ => all.push((name, value, sure)),
            }
        }
        let told = [("system", system), ("arch", arch)];
        all.extend(
            told.into_iter()
                .filter_map(|(n, v)| Some((n.into(), v?.into(), sure))),
        );
        for (name, value, sure) in all {
            let said = Said {
                name,
                value,
                of: system,
            };
            let full = self.heard.len() >= MOST;
            let weight = match self.heard.get_mut(&(voice.clone(), said.clone())) {
                Some(weight) => weight,
                None if full => continue,
                None => self.heard.entry((voice.clone(), said)).or_insert(Weight {
                    sure,
                    times: 0,
                    line,
                }),
            };
            weight.times += 1;
            weight.line = line;
            weight.sure = weight.sure.max(sure);
        }
    }

    /// What it comes to for what was seen in one output and command; what is not told there is taken
    /// from the others.
    pub(super) fn origin(&self, stream: &str, episode: usize) -> Origin {
        let voice = (stream.to_owned(), episode);
        let mine = |v: &Voice| *v == voice;
        let mut origin = Origin {
            system: self.best("system", None, &mine),
            ..Origin::default()
        };
        let others = |_: &Voice| true;
        origin.system = origin.system.or_else(|| self.best("system", None, &others));
        let of = origin.system.clone();
        let best = |name: &str| {
            let own = self.best(name, of.as_deref(), &mine);
            own.or_else(|| self.best(name, of.as_deref(), &others))
        };
        origin.arch = best("arch");
        if of.as_deref().is_none_or(|s| s == "linux") {
            (origin.libc, origin.below) = (best("libc"), best("below"));
            origin.distribution = best("distribution");
        }
        origin.implementation = best("implementation");
        let free = best("threads").is_some();
        origin.interpreter = best("interpreter").map(|series| match free {
            true => format!("{series}t"),
            false => series,
        });
        (origin.driver, origin.accelerator) = (best("driver"), best("accelerator"));
        let own = self.paths.get(&voice).cloned();
        origin.paths = own.unwrap_or_else(|| {
            self.paths
                .values()
                .flatten()
                .take(MOST_PATHS)
                .cloned()
                .collect()
        });
        origin
    }

    /// Of a module that is absent: that it was placed for another interpreter than the one that ran,
    /// or that the shell started another one than it shows as entered.
    pub(super) fn mismatch(&self, stream: &str, episode: usize, facts: &mut Facts) {
        let voice = (stream.to_owned(), episode);
        let none = Vec::new();
        let paths = self.paths.get(&voice).unwrap_or(&none);
        let module = facts
            .get("module")
            .and_then(|m| Name::parse(m.split('.').next()?).ok());
        let mut placed = self
            .placed
            .iter()
            .rev()
            .filter(|(name, _)| Some(name) == module.as_ref());
        let series = facts.get("interpreter");
        let is_other = |folder: &str| {
            let known = series.is_some()
                && folder.contains("python")
                && series
                    .as_ref()
                    .is_some_and(|s| !folder.contains(&format!("python{s}")));
            let ran = paths
                .iter()
                .filter_map(|p| p.split_once("/lib/python").map(|(home, _)| home));
            let mut homes = ran.peekable();
            known || (homes.peek().is_some() && homes.all(|home| !folder.starts_with(home)))
        };
        if let Some((_, folder)) = placed.find(|(_, folder)| is_other(folder)) {
            facts.set("placed_in", folder.as_str());
        }
        let Some(entered) = self.entered.get(&voice) else {
            return;
        };
        let ran = paths.iter().find(|p| {
            let of_interpreter = p.contains("/lib/python") || p.contains("/bin/python");
            let mut folders = p.split(['/', '\\']);
            of_interpreter && !folders.any(|f| f == entered)
        });
        let is_of_it = |p: &String| p.split(['/', '\\']).any(|f| f == entered);
        // The library of an environment's base is run by the environment as well.
        let ran = ran.filter(|p| !paths.iter().any(is_of_it) && p.contains("/bin/"));
        if let Some(ran) = ran {
            facts.set("entered", entered.as_str());
            facts.set("ran", ran.as_str());
        }
    }

    /// What was told most surely, most often, last.
    fn best(&self, name: &str, of: Option<&str>, by: &dyn Fn(&Voice) -> bool) -> Option<String> {
        let fits = |said: &Said| {
            said.name == name
                && (name == "system" || said.of.is_none() || of.is_none() || said.of == of)
        };
        let mut all: BTreeMap<&str, (Confidence, usize, u64)> = BTreeMap::new();
        for ((_, said), weight) in self
            .heard
            .iter()
            .filter(|((v, said), _)| by(v) && fits(said))
        {
            let (sure, times, line) = all.entry(&said.value).or_insert((weight.sure, 0, 0));
            match weight.sure.cmp(sure) {
                std::cmp::Ordering::Greater => (*sure, *times) = (weight.sure, weight.times),
                std::cmp::Ordering::Equal => *times += weight.times,
                std::cmp::Ordering::Less => {}
            }
            *line = weight.line.max(*line);
        }
        let best = all.into_iter().max_by_key(|(_, weight)| *weight);
        best.map(|(value, _)| value.to_owned())
    }
}

/// The environment in a prompt: `(.venv) ada@camp:~$ python camp.py`.
fn entered(text: &str) -> Option<&str> {
    let (name, rest) = text.strip_prefix('(')?.split_once(')')?;
    let is_prompt = rest.contains("$ ") || rest.contains("> ") || rest.contains("% ");
    (is_prompt && !name.contains(['(', '"'])).then_some(name.trim())
}

/// `3.11` of `3.11`, `311`, `38`; none of what is no series.
fn series(text: &str) -> Option<String> {
    let text = text.trim_end_matches('t');
    let (major, minor) = match text.split_once('.') {
        Some(parts) => parts,
        None => text.split_at_checked(1)?,
    };
    let is_number = |t: &str| !t.is_empty() && t.chars().all(|c| c.is_ascii_digit());
    (matches!(major, "2" | "3") && is_number(minor)).then(|| format!("{major}.{minor}"))
}

/// `glibc 2.31` of `glibc2.31` and `2.31`; `musl`.
fn library(text: &str) -> String {
    let at = text
        .find(|c: char| c.is_ascii_digit())
        .unwrap_or(text.len());
    let (name, version) = text.split_at(at);
    let name = if name.is_empty() {
        "glibc"
    } else {
        name.trim()
    };
    format!("{name} {version}").trim_end().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn heard(log: &str) -> Origin {
        let mut listener = Listener::default();
        for (number, line) in (1..).zip(log.lines()) {
            listener.hear(number, "", 0, line);
        }
        listener.origin("", 0)
    }

    #[rstest]
    #[case::macos(
        "Python 3.14.0 (main) [Clang 16.0.0] on darwin\n\
        ImportError: dlopen(/Users/ada/e/_core.so, 0x2): tried: '/Users/ada/e/_core.so' (mach-o \
        file, but is an incompatible architecture (have 'x86_64', need 'arm64'))",
        "CPython 3.14 on macOS arm64",
        "cpython 3.14 / macos arm64 11.0",
        ""
    )]
    #[case::windows(
        "  File \"C:\\Users\\ada\\camp.py\", line 3, in <module>\n\
        ImportError: DLL load failed while importing _core",
        "Windows",
        "cpython 3.12 / windows x86_64",
        "x86_64, cpython 3.12"
    )]
    #[case::old_library(
        "/lib/aarch64-linux-gnu/libc.so.6: version `GLIBC_2.28' not found \
        (required by /home/ada/e/lib/python3.9/site-packages/firnio/_core.so)",
        "CPython 3.9 on Linux aarch64",
        "cpython 3.9 / linux aarch64 glibc 2.17",
        "glibc 2.17"
    )]
    #[case::other_library(
        "Error loading shared library ld-linux-x86-64.so.2: No such file\n\
        Error relocating /x/lib/python3.11/site-packages/a.so: __memcpy_chk: symbol not found",
        "CPython 3.11 on Linux musl",
        "cpython 3.11 / linux x86_64 musl 1.2",
        "x86_64, musl 1.2"
    )]
    #[case::as_here(
        "  File \"/home/ada/camp.py\", line 3, in <module>",
        "Linux",
        "cpython 3.12 / linux x86_64 glibc 2.36",
        "linux x86_64 glibc 2.36, cpython 3.12"
    )]
    #[case::nothing(
        "Killed",
        "",
        "cpython 3.12 / linux x86_64 glibc 2.36",
        "linux x86_64 glibc 2.36, cpython 3.12"
    )]
    #[case::driver(
        "nordglim: driver 512.4 is too old: this build needs 530.0\n\
        Linux-6.1.21-v8+-aarch64-with-glibc2.31\nPython 3.11.2",
        "CPython 3.11 on Linux aarch64 glibc 2.31",
        "cpython 3.11 / linux aarch64 glibc 2.31",
        ""
    )]
    fn a_log_tells_where_it_was_written(
        #[case] log: &str,
        #[case] words: &str,
        #[case] target: &str,
        #[case] assumed: &str,
    ) {
        let origin = heard(log);
        assert_eq!(origin.words().unwrap_or_default(), words);
        let here = Target::parse("cpython 3.12 / linux x86_64 glibc 2.36").unwrap();
        let place = origin.place(&here);
        let series = place.target.interpreter.series_text();
        let told = format!("cpython {series} / {}", place.target.place());
        assert_eq!(told, target);
        assert_eq!(place.assumed.join(", "), assumed);
    }

    #[rstest]
    #[case("linux x86_64 glibc 2.36", true)]
    #[case("linux aarch64 glibc 2.31", false)]
    #[case("linux armv7l kernel aarch64 glibc 2.31", false)]
    #[case("linux aarch64 musl 1.2", true)]
    #[case("macos arm64 14.0", true)]
    fn a_place_may_be_ruled_out(#[case] platform: &str, #[case] expected: bool) {
        let origin = heard("Linux-6.1.21-v8+-aarch64-with-glibc2.31");
        let platform = Platform::parse(platform).unwrap();
        assert_eq!(origin.contradicts(&platform), expected);
    }

    #[test]
    fn what_loads_counts_more_than_what_was_to_be_loaded() {
        let origin = heard(
            "  File \"/srv/e/lib/python3.12/site-packages/firnio/__init__.py\", line 1\n\
             /srv/e/lib/python3.12/site-packages/firnio/_core.cpython-39-aarch64-linux-gnu.so is \
                for another interpreter",
        );
        assert_eq!(origin.interpreter.as_deref(), Some("3.12"));
        assert!(origin.paths.iter().any(|p| p.ends_with("__init__.py")));
    }

    #[test]
    fn outputs_are_told_apart() {
        let mut listener = Listener::default();
        listener.hear(1, "hut", 0, "Python 3.9.2 (default) [GCC 10] on linux");
        listener.hear(2, "camp", 0, "Python 3.12.2 (default) [Clang 16] on darwin");
        let of = |stream| listener.origin(stream, 0).words();
        assert_eq!(of("hut").as_deref(), Some("CPython 3.9 on Linux"));
        assert_eq!(of("camp").as_deref(), Some("CPython 3.12 on macOS"));
    }
}
