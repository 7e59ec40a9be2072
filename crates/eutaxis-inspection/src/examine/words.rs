//! What is wrong in an environment, as sentences without final stop.

use std::fmt;

use super::trouble::{
    BaseTrouble, BuildEvidence, CompiledTrouble, FilesTrouble, PinDifference, RecordTrouble,
    RunTrouble, Trouble, Whose,
};
use super::{Ended, Seat};
use eutaxis_standards::day;
use eutaxis_standards::fault::escaped;

/// A few of many, in words.
fn some(items: &[String]) -> String {
    const MOST: usize = 3;
    let shown: Vec<&str> = items.iter().take(MOST).map(String::as_str).collect();
    match items.len().saturating_sub(MOST) {
        0 => shown.join(", "),
        more => format!("{} and {more} more", shown.join(", ")),
    }
}

/// One word for one thing, another for several.
fn of<'a, T>(items: &[T], one: &'a str, several: &'a str) -> &'a str {
    if items.len() == 1 { one } else { several }
}

impl fmt::Display for Trouble {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.words())
    }
}

impl Trouble {
    fn words(&self) -> String {
        match self {
            Trouble::Base(base) => base_words(base),
            Trouble::Moved { made, leading } => {
                let leading = match leading.as_slice() {
                    [] => String::new(),
                    files => format!("; {} lead there", some(files)),
                };
                format!("it was made at {made}{leading}")
            }
            Trouble::BrokenMetadata { info, why } => format!("{info}: {why}"),
            Trouble::BrokenRecord(record) => record_words(record),
            Trouble::Unmet(needs) => format!("needs {}, which is not placed", needs.short()),
            Trouble::VersionClash {
                needs,
                found,
                since,
            } => {
                let since = since.map_or(String::new(), |t| format!(" since {}", day(t)));
                format!("needs {}; {found} is in place{since}", needs.short())
            }
            Trouble::WrongInterpreter { needs, here } => {
                format!("it is for Python {needs}; this is {here}")
            }
            Trouble::Compiled(compiled) => compiled.words(),
            Trouble::DriverTooOld { miss, by } => match by {
                BuildEvidence::Label(label) => format!("{miss} (its label is +{label})"),
                BuildEvidence::Library { file, library } => {
                    format!("{miss} ({file} needs {library})")
                }
            },
            Trouble::DeviceUnsupported(miss) => miss.to_string(),
            Trouble::Files(files) => files.words(),
            Trouble::Variant(miss) => format!("its wheel is a variant {miss}"),
            Trouble::TagMismatch { tags, here } => {
                format!("its wheel was made for {}; this is {here}", some(tags))
            }
            Trouble::Shadowed {
                module,
                file,
                whose,
            } => format!(
                "`import {module}` finds {file} first, {}",
                whose_words(whose)
            ),
            Trouble::BuiltBefore {
                project,
                version,
                published,
                compiled,
                other,
                series,
                began,
            } => {
                let was = if *compiled { "compiled" } else { "published" };
                let (on, since) = (day(*published), day(*began));
                format!(
                    "{project} {version} was {was} on {on}, before {other} {series} existed \
                        ({since}), and sets no upper bound"
                )
            }
            Trouble::AbsentPin {
                pins,
                project,
                version,
            } => {
                let version = version.as_ref().map_or(String::new(), |v| format!(" {v}"));
                format!("{pins} pins {project}{version}, which is not placed")
            }
            Trouble::DiffersFromPin { pins, how } => {
                format!("{pins} pins {}", difference_words(how))
            }
            Trouble::NotPinned { pins } => format!("{pins} does not pin it"),
            Trouble::Inherited {
                folder,
                seat,
                projects,
            } => {
                let why = match seat {
                    Seat::Variable => "PYTHONPATH",
                    Seat::Start
                    | Seat::Standard
                    | Seat::Site
                    | Seat::User
                    | Seat::System
                    | Seat::Pth => "a .pth file",
                };
                format!(
                    "{} {} of {folder} {} seen from here, because {why} adds it: {}",
                    projects.len(),
                    of(projects, "project", "projects"),
                    of(projects, "is", "are"),
                    some(projects)
                )
            }
            Trouble::Gap {
                told, module, root, ..
            } if module == root => told.clone(),
            Trouble::Gap { told, root, .. } => format!("{told}; `import {root}` leads there"),
            Trouble::BuiltHere(built) => built_here(built),
            Trouble::Unreached => {
                "it was brought by another project, and nothing needs it now".to_owned()
            }
            Trouble::Run(run) => run.words(),
        }
    }
}

impl CompiledTrouble {
    fn words(&self) -> String {
        match self {
            CompiledTrouble::Unreadable { file, why } => format!("{file}: {why}"),
            CompiledTrouble::Invisible { file, abi, here } => format!(
                "{file} is built for {abi} and cannot be loaded by {here}: the module is invisible"
            ),
            CompiledTrouble::UnknownSymbols {
                file,
                symbols,
                here,
            } => format!(
                "{file} uses {} of the interpreter, which {here} does not have",
                some(symbols)
            ),
            CompiledTrouble::WrongArchitecture { file, parts, here } => {
                format!("{file} is for {}; this is {here}", parts.join(" and "))
            }
            CompiledTrouble::LibraryAbsent {
                library,
                files,
                through,
                near,
                ..
            } => {
                let needs = of(files, "needs", "need");
                let through = through.as_ref();
                let through = through.map_or(String::new(), |t| format!(" (through {t})"));
                let near = near.as_ref();
                let near = near.map_or(String::new(), |n| format!("; {n} is there"));
                format!(
                    "{} {needs} {library}{through}; it is nowhere on the loader's path{near}",
                    some(files)
                )
            }
            CompiledTrouble::LibrariesUnused { files, libraries } => format!(
                "{} {} {}; {} nowhere on the loader's path, and no module that is here loads what \
                    needs them",
                some(files),
                of(files, "needs", "need"),
                some(libraries),
                of(libraries, "it is", "they are")
            ),
            CompiledTrouble::LibraryTooOld {
                file,
                version,
                library,
                found,
                highest,
                ..
            } => {
                let ends = highest.as_ref();
                let ends = ends.map_or(String::new(), |h| format!(", which ends at {h}"));
                format!("{file} needs {version} of {library}; here is {found}{ends}")
            }
            CompiledTrouble::LibraryDiffers {
                library,
                projects: [one, two],
                files: [first, other],
            } => format!(
                "{one} and {two} bring {library} each, with different contents ({first} and \
                    {other}); one process loads only the first"
            ),
        }
    }
}

impl FilesTrouble {
    fn words(&self) -> String {
        match self {
            FilesTrouble::Absent(files) => match files.as_slice() {
                [one] => format!("{one} is not there"),
                many => format!("{} of its files are not there: {}", many.len(), some(many)),
            },
            FilesTrouble::Altered { files, how } => match files.as_slice() {
                [one] => format!("{one} was changed since it was placed: {how}"),
                many => format!(
                    "{} of its files were changed since they were placed: {}",
                    many.len(),
                    some(many)
                ),
            },
            FilesTrouble::Shared {
                projects: [one, two],
                files,
                last,
            } => {
                let last = last.as_ref();
                let last = last.map_or(String::new(), |p| format!("; {p} was written last"));
                format!("{one} and {two} both own {}{last}", some(files))
            }
            FilesTrouble::Twice { infos, last } => {
                let last = last.as_ref().map_or("?".to_owned(), ToString::to_string);
                format!(
                    "it is there {} times: {}; {last} was placed last",
                    infos.len(),
                    some(infos)
                )
            }
            FilesTrouble::SetAside(tops) => {
                format!("{} was set aside by a change that did not end", some(tops))
            }
            FilesTrouble::StrayModules(files) => format!(
                "{} in its package {} to no project, and can be imported",
                some(files),
                of(files, "belongs", "belong")
            ),
            FilesTrouble::Strays { top, files } => match files.as_slice() {
                [one] => format!("{one} belongs to no project"),
                many => format!(
                    "{} files below {top}/ belong to no project: {}",
                    many.len(),
                    some(many)
                ),
            },
        }
    }
}

impl RunTrouble {
    fn words(&self) -> String {
        match self {
            RunTrouble::Import {
                module,
                ended,
                last,
                at,
            } => {
                let how = match ended {
                    Ended::Raised => raised(last.as_deref()),
                    ended
                    @ (Ended::Well | Ended::Exited(_) | Ended::Signal(_) | Ended::Hung(_)) => {
                        end_words(*ended)
                    }
                };
                let at = at.as_ref();
                let at = at.map_or(String::new(), |at| format!(" (last in {at})"));
                format!("`import {module}` {how}{at}")
            }
            RunTrouble::Warns {
                module,
                first,
                is_harmless,
            } => {
                let harmless = if *is_harmless {
                    "; harmless: it is meant for those who make it"
                } else {
                    ""
                };
                format!("`import {module}` says: {}{harmless}", escaped(first))
            }
            RunTrouble::Device {
                sight,
                ended,
                last,
                because,
            } => {
                let mut words = sight.words();
                match ended {
                    Ended::Well => {}
                    Ended::Raised => words.push_str(&format!(": it {}", raised(last.as_deref()))),
                    ended @ (Ended::Exited(_) | Ended::Signal(_) | Ended::Hung(_)) => {
                        words.push_str(&format!(": it {}", end_words(*ended)));
                    }
                }
                let because = because.as_ref();
                words + &because.map_or(String::new(), |b| format!("; {b}"))
            }
            RunTrouble::Trial {
                trial,
                ended,
                last,
                awaited,
                expected,
                printed,
            } => {
                let found = printed.trim();
                let before = awaited.as_ref();
                let before = before.map_or(String::new(), |a| format!(" before {a} is seen"));
                let how = match (expected, ended) {
                    (_, Ended::Raised) => raised(last.as_deref()),
                    (Some(expected), Ended::Well) if found.is_empty() => {
                        format!("prints nothing; expected is `{expected}`")
                    }
                    (Some(expected), Ended::Well) => {
                        format!("prints `{}`; expected is `{expected}`", escaped(found))
                    }
                    (_, ended) => end_words(*ended),
                };
                format!("trial {trial} {how}{before}")
            }
        }
    }
}

fn base_words(base: &BaseTrouble) -> String {
    match base {
        BaseTrouble::Gone(base) => format!("its base interpreter is not there: {base}"),
        BaseTrouble::Other(recorded, found) => {
            format!("it was made with Python {recorded}, and its base interpreter is {found} now")
        }
        BaseTrouble::Unusable(why) => format!("its interpreter cannot be used: {why}"),
    }
}

fn record_words(record: &RecordTrouble) -> String {
    match record {
        RecordTrouble::Unreadable { info, why } => format!("{info}: {why}"),
        RecordTrouble::Odd(remarks) => some(remarks),
        RecordTrouble::Absent(installer) => {
            let who = installer.as_ref();
            let who = who.map_or(String::new(), |i| format!(" (placed by {i})"));
            format!("it has no RECORD: its files are not known{who}")
        }
    }
}

fn whose_words(whose: &Whose) -> String {
    match whose {
        Whose::Release(Some(version)) => format!("of {version}"),
        Whose::Release(None) => "of another release".to_owned(),
        Whose::Project(project) => format!("which belongs to {project}"),
        Whose::Standard => "in the standard library".to_owned(),
        Whose::Variable => "by PYTHONPATH".to_owned(),
        Whose::Start => "in the folder that code is started from".to_owned(),
        Whose::Pth(folder) => format!("in {folder}, which a .pth file adds"),
    }
}

fn difference_words(how: &PinDifference) -> String {
    match how {
        PinDifference::Version {
            pinned,
            found: Some(found),
        } => format!("{pinned}; {found} is in place"),
        PinDifference::Version {
            pinned,
            found: None,
        } => format!("{pinned}; what is in place names no version"),
        PinDifference::File { pinned, found } => {
            let start = |hash: &str| hash.chars().take(12).collect::<String>();
            let ((wanted, sha256), (file, other)) = (pinned, found);
            format!(
                "{wanted} ({}...); in place is {file} ({}...)",
                start(sha256),
                start(other)
            )
        }
    }
}

/// The exception that ended a run, by the last line of what it wrote.
fn raised(last: Option<&str>) -> String {
    let last = last.unwrap_or("an exception without words");
    format!("fails: {}", escaped(last.trim()))
}

fn end_words(ended: Ended) -> String {
    match ended {
        Ended::Well => "is done".to_owned(),
        Ended::Raised => "raises an exception".to_owned(),
        Ended::Exited(code) => format!("ends the interpreter with exit code {code}"),
        Ended::Signal(signal) => format!("is ended by signal {signal}{}", signal_words(signal)),
        Ended::Hung(seconds) => format!("does not end within {seconds} s"),
    }
}

fn signal_words(signal: i32) -> &'static str {
    match signal {
        4 => " (an instruction that this processor does not have)",
        6 => " (it aborts)",
        7 => " (a bad address)",
        8 => " (a fault of arithmetic)",
        9 => " (killed: perhaps for want of memory)",
        11 => " (it crashes)",
        _ => "",
    }
}

/// How a wheel was built here.
fn built_here(built: &super::Built) -> String {
    let day = built.at.get(..10).unwrap_or(&built.at);
    let mut text = format!("its wheel was built here from source on {day}");
    if !built.by.is_empty() {
        text.push_str(&format!(" by {}", built.by.join(", ")));
    }
    if let Some(compiler) = &built.compiler {
        text.push_str(&format!(", with {compiler}"));
    }
    match built.reproduced {
        Some(true) => text.push_str("; two builds gave the same bytes"),
        Some(false) => text.push_str("; two builds gave different bytes"),
        None => {}
    }
    text
}
