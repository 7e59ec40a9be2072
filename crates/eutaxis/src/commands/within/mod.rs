//! `within`: runs a command in an environment without entering it. Of its own it prints nothing on
//! standard output.

mod explain;
mod script;

use std::ffi::{OsStr, OsString};
use std::path::{Path, PathBuf};

use eutaxis_core::Name;
use eutaxis_core::fault::escaped;
use eutaxis_core::pins::select;
use eutaxis_world::environment::{
    Fault, Furnish as Request, LinkMode, Place, fault_of, foresee, look, parts_of, pins_of,
};
use eutaxis_world::interpreter::environment_python;
use eutaxis_world::within::{UNUSABLE, Unstarted, Within as Run};
use eutaxis_world::{Error, ErrorKind};

use crate::cli::{Command, Common, Within};
use crate::output::{Answer, Outcome, Output, print_error};
use crate::plan::{self, Surroundings};
use crate::report;
use crate::words::near;
use crate::{asks, paired, pins, placed, remembered, typed, words};

pub(crate) fn run(arguments: &Within, common: &Common, output: &Output) -> Answer {
    match begun(arguments, common, output) {
        Ok(code) => passed(code),
        Err(error) => {
            print_error(&error);
            passed(UNUSABLE)
        }
    }
}

/// How the command ended; nothing else is said.
fn passed(code: u8) -> Answer {
    Answer {
        outcome: Outcome::Passed(code),
        text: String::new(),
        report: report::Nothing {}.into(),
    }
}

/// Sees to the environment and runs the command: its exit code, where this program has not become
/// it.
fn begun(arguments: &Within, common: &Common, output: &Output) -> Result<u8, Error> {
    let surroundings = Surroundings::new(common)?;
    let output = &output.aside();
    let session = Session {
        arguments,
        common,
        surroundings: &surroundings,
        output,
    };
    let is_script = |p: &&PathBuf| p.extension().is_some_and(|e| e == "py") && p.is_file();
    if let Some(file) = arguments.place.as_ref().filter(is_script) {
        let root = session.of_script(file)?;
        let python = environment_python(&root);
        let words = [
            vec![file.clone().into_os_string()],
            arguments.command.clone(),
        ]
        .concat();
        return session.start(&root, python.as_os_str(), &words);
    }
    let Some((program, rest)) = arguments.command.split_first() else {
        let error = Error::request("no command is named");
        return Err(error.help("write it behind two dashes:  eutaxis within -- python -c \"...\""));
    };
    let place = arguments.place.clone().unwrap_or_else(usual);
    session.see_to(&place)?;
    let root = std::fs::canonicalize(&place).unwrap_or(place);
    session.start(&root, program, rest)
}

/// The environment of this folder; where it has none, the one that is entered.
fn usual() -> PathBuf {
    let own = PathBuf::from(".venv");
    let entered = std::env::var_os("VIRTUAL_ENV").filter(|v| !v.is_empty());
    match entered {
        Some(entered) if !own.exists() => PathBuf::from(entered),
        _ => own,
    }
}

struct Session<'a> {
    arguments: &'a Within,
    common: &'a Common,
    surroundings: &'a Surroundings,
    output: &'a Output,
}

/// What is the matter with an environment.
struct Matter {
    /// In a sentence.
    what: String,
    /// What mends it, as typed behind the program's name.
    mends: Option<Vec<String>>,
    /// Nothing can be run in it.
    is_useless: bool,
}

impl Matter {
    fn told(&self) -> String {
        let mends = self.mends.as_ref().map_or(String::new(), |words| {
            format!(": eutaxis{}", typed::line(words))
        });
        format!("{}{mends}", self.what)
    }
}

impl Session<'_> {
    /// Looks whether the environment is there, whole and as pinned; with `--furnish` mends it.
    fn see_to(&self, place: &Path) -> Result<(), Error> {
        let Some(matter) = self.matter(place) else {
            return Ok(());
        };
        let words = matter.mends.as_ref().filter(|_| self.arguments.furnish);
        // What is asked anew is not settled unasked.
        let words = words.filter(|w| w.first().is_some_and(|verb| verb == "furnish"));
        if let Some(words) = words {
            self.output.notice(&format!("{}: mending it", matter.what));
            return self.furnish(words);
        }
        if matter.is_useless {
            let error = Error::new(ErrorKind::Request, matter.what.clone());
            return Err(match &matter.mends {
                Some(words) => error.help(format!(
                    "eutaxis{}    or the same command with --furnish",
                    typed::line(words)
                )),
                None if look(place).is_ok_and(|p| p == Place::Free) => {
                    error.help(made_from_nothing(place))
                }
                None => error,
            });
        }
        self.output.notice(&format!("caution: {}", matter.told()));
        Ok(())
    }

    fn matter(&self, place: &Path) -> Option<Matter> {
        let shown = near(place);
        let pins = self.pins_for(place);
        let furnish = |more: &[&str]| {
            let pins = pins.as_ref()?;
            let mut words = vec!["furnish".to_owned()];
            if near(pins) != "pylock.toml" {
                words.push(near(pins));
            }
            if *place != paired::environment_of(pins) {
                words.extend(["--at".to_owned(), shown.clone()]);
            }
            words.extend(more.iter().map(|w| (*w).to_owned()));
            let chosen = parts_of(&self.surroundings.cache, place).unwrap_or_default();
            for (option, kind) in [("--extra", "extra "), ("--group", "group ")] {
                let named = chosen.iter().filter_map(|line| line.strip_prefix(kind));
                words.extend(named.flat_map(|n| [option.to_owned(), n.to_owned()]));
            }
            words.extend(typed::depots(&self.arguments.depots));
            Some(words)
        };
        let useless = |what: String, mends: Option<Vec<String>>| {
            Some(Matter {
                what,
                mends,
                is_useless: true,
            })
        };
        match look(place) {
            Ok(Place::Environment { .. }) => {}
            Ok(Place::Free) => return useless(format!("{shown} is not made"), furnish(&[])),
            Ok(Place::Other) => return useless(format!("{shown} is no environment"), None),
            Err(error) => return useless(error.message, None),
        }
        match fault_of(place) {
            Some(Fault::BaseGone(base)) => {
                let what = format!("the interpreter of {shown} is gone ({})", base.display());
                // An environment is mended by making it anew, which is not done unasked.
                return useless(what, None).map(|m| Matter {
                    what: format!(
                        "{}; make it anew: remove {shown}, then  eutaxis{}",
                        m.what,
                        typed::line(&furnish(&[]).unwrap_or_else(|| vec!["furnish".to_owned()]))
                    ),
                    ..m
                });
            }
            Some(Fault::NoInterpreter | Fault::Gone) => {
                return useless(format!("{shown} has no interpreter"), None);
            }
            Some(Fault::Moved(from)) => {
                return Some(Matter {
                    what: format!(
                        "{shown} was made at {}, and its scripts lead there",
                        from.display()
                    ),
                    mends: None,
                    is_useless: false,
                });
            }
            None => {}
        }
        let pins = pins.as_ref()?;
        let unlike = self.unlike(place, pins).map(|what| Matter {
            what: format!("{shown} is not as {} pins it: {what}", near(pins)),
            mends: furnish(&[]),
            is_useless: false,
        });
        unlike.or_else(|| older(pins))
    }

    /// The pins that an environment was made by; of one that is not made, those it would be made by.
    fn pins_for(&self, place: &Path) -> Option<PathBuf> {
        let whole = std::fs::canonicalize(place).unwrap_or_else(|_| place.to_owned());
        if let Some(pins) = pins_of(&self.surroundings.cache, &whole) {
            return Some(PathBuf::from(near(&pins)));
        }
        let file = paired::pins_of(place);
        file.is_file().then_some(file)
    }

    /// How an environment differs from pins, in a few words; none where it does not, or where the
    /// pins cannot be held against it.
    fn unlike(&self, place: &Path, file: &Path) -> Option<String> {
        let lock = pins::read_lock(file).ok()?;
        let finder = self.surroundings.finder();
        let python = environment_python(place).display().to_string();
        let found = finder.named(&python, &self.surroundings.probes()).ok()?;
        let target = self.surroundings.target_of(&found.facts).ok()?;
        let folder = file.parent().map(Path::to_owned).unwrap_or_default();
        let chosen = placed::pins::parts(&self.surroundings.cache, place, &lock);
        let selected = match select(&lock, &target, &chosen) {
            Ok(selected) => selected,
            Err(fault) => return Some(fault.message().to_owned()),
        };
        let depots = plan::named_depots(&self.arguments.depots, self.surroundings, false).ok()?;
        let (wheels, sources): (Vec<_>, Vec<_>) =
            selected.into_iter().partition(|s| s.wheel.is_some());
        let items = super::furnish::items(&wheels, &folder, &depots).ok()?;
        let built: Vec<(Name, String)> = sources
            .iter()
            .map(|s| {
                let version = s.package.version.clone();
                (s.package.name.clone(), version.unwrap_or_default())
            })
            .collect();
        let request = Request {
            at: place.to_owned(),
            items,
            python: &found.facts,
            tidy: false,
            share_system: None,
            link: LinkMode::Auto,
            cache: self.surroundings.cache.clone(),
            network: depots.network(),
            settled_for: None,
        };
        let report = foresee(&request, &built).ok()?;
        told(&report)
    }

    /// Furnishes as typed; what it has to say goes to standard error.
    fn furnish(&self, words: &[String]) -> Result<(), Error> {
        let Some(Command::Furnish(furnish)) = Command::of_words(words.iter().cloned()) else {
            return Err(Error::new(ErrorKind::Internal, "cannot say what mends it"));
        };
        let answer = super::furnish::run(&furnish, self.common, self.output)?;
        self.output.tell(&answer.text);
        match answer.outcome {
            Outcome::Ok => Ok(()),
            Outcome::No | Outcome::Passed(_) => {
                Err(Error::new(ErrorKind::Request, "it could not be mended"))
            }
        }
    }

    /// Starts the command; does not come back where the system lets a program become another.
    fn start(&self, root: &Path, program: &OsStr, rest: &[OsString]) -> Result<u8, Error> {
        let run = Run {
            root,
            program,
            arguments: rest,
        };
        let started = if self.arguments.explain {
            run.watched()
                .map(|ended| explain::explained(&ended, root, self))
        } else {
            Err(run.become_it())
        };
        started.or_else(|Unstarted { code, why }| {
            let name = escaped(&program.to_string_lossy());
            print_error(&Error::request(format!("{name} cannot be run: {why}")));
            Ok(code)
        })
    }
}

/// What makes an environment that has no pins yet.
fn made_from_nothing(place: &Path) -> String {
    let pins = paired::pins_of(place);
    // Of a place elsewhere the pins stay in this folder.
    let pins = match paired::name_of(&pins) {
        Some(_) => pins,
        None => PathBuf::from("pylock.toml"),
    };
    let settle = paired::settle_again(&pins, &[]);
    let mut furnish = vec!["furnish".to_owned()];
    if *pins != *"pylock.toml" {
        furnish.push(near(&pins));
    }
    if *place != paired::environment_of(&pins) {
        furnish.extend(["--at".to_owned(), near(place)]);
    }
    let typed = |words: &[String]| format!("eutaxis{}", typed::line(words));
    let furnish = typed(&furnish);
    // Something must say what it is to hold.
    match asks::default_file() {
        Ok(_) => format!("make it:  {} && {furnish}", typed(&settle)),
        Err(_) => format!(
            "name what it is to hold behind  {}  (or write a requirements.txt), then make it:  {furnish}",
            typed(&settle)
        ),
    }
}

/// That the files of the question say something else by now.
fn older(file: &Path) -> Option<Matter> {
    let lock = pins::read_lock(file).ok()?;
    let since = remembered::since(&lock, file.parent().unwrap_or(Path::new("")));
    let told = words::since(&since)?;
    let mends = paired::settle_again(file, &[]);
    Some(Matter {
        what: format!(
            "{} is older than what is asked: {}",
            near(file),
            escaped(&told)
        ),
        mends: Some(mends),
        is_useless: false,
    })
}

/// What would have to be done, in a few words.
fn told(report: &eutaxis_world::environment::Report) -> Option<String> {
    const MOST: usize = 3;
    let mut all: Vec<String> = Vec::new();
    let placed = report.placed.iter();
    all.extend(placed.map(|(name, version, _)| format!("{name} {version} is not there")));
    let replaced = report.replaced.iter();
    all.extend(replaced.map(|m| match m.before == m.after {
        true => format!("{} {} is another file, or not whole", m.name, m.before),
        false => format!("{} is {}, pinned is {}", m.name, m.before, m.after),
    }));
    let more = all.len().saturating_sub(MOST);
    all.truncate(MOST);
    if more > 0 {
        all.push(format!("{more} more"));
    }
    (!all.is_empty()).then(|| all.join(", "))
}
