//! Where a log was written, seen from here: on this machine, in what was named, or elsewhere. What is
//! of elsewhere gets remedies for there, and nothing that only this machine has.

use std::path::{Path, PathBuf};

use eutaxis_core::diagnose::{Cause, Origin};
use eutaxis_core::knowledge::distribution_like;
use eutaxis_core::remedy::{Remedy, Step, Verb};
use eutaxis_core::targets::Interpreter;
use eutaxis_world::Error;
use eutaxis_world::root::{distribution, root};

use super::{Checker, Spot, called, is_named, spec};
use crate::answer::diagnose::LogOf;
use crate::cli::TargetOptions;
use crate::plan;

/// Folders in which every machine of a system has something: a file that is there as well says
/// nothing, and what lies deeper in others has two folders of its own.
const COMMON: [&str; 5] = ["/usr/", "/lib/", "/lib64/", "/bin/", "/opt/"];
/// What lies here is gone when the log is read.
const PASSING: [&str; 5] = ["/tmp/", "/var/tmp/", "/private/", "/dev/", "/proc/"];

/// Where it was.
#[derive(Debug, Clone)]
pub(super) enum Whereabouts {
    /// On this machine, or where the options say.
    Here,
    /// On another one, and what tells so.
    Elsewhere(String),
}

impl Checker<'_> {
    /// Where something was written, looked for once: each advice and each check asks.
    pub(super) fn whereabouts(&self, origin: &Origin) -> Whereabouts {
        let known = self
            .places
            .borrow()
            .iter()
            .find(|(o, _)| o == origin)
            .cloned();
        if let Some((_, known)) = known {
            return known;
        }
        let found = self.look_for(origin);
        self.places
            .borrow_mut()
            .push((origin.clone(), found.clone()));
        found
    }

    fn look_for(&self, origin: &Origin) -> Whereabouts {
        let options = &self.arguments.target;
        let is_path = |text: &String| Interpreter::parse(text).is_err();
        let is_of_here = options.interpreter.as_ref().is_some_and(is_path);
        if self.snapshot.is_some() || names_a_place(options) || is_of_here {
            return Whereabouts::Here;
        }
        if let Some(platform) = self.platform()
            && origin.contradicts(platform)
        {
            return Whereabouts::Elsewhere(format!("this machine is {platform}"));
        }
        let own = distribution(&root());
        if let (Some(other), Some(here)) = (origin.distribution.as_deref(), own.first())
            && !own.iter().any(|d| d == other)
            && !distribution_like(other).contains(here)
        {
            return Whereabouts::Elsewhere(format!("it is {other}, and this machine {here}"));
        }
        match absent(&origin.paths, &root()) {
            Some(path) => Whereabouts::Elsewhere(format!("{path} is not here")),
            None => Whereabouts::Here,
        }
    }

    /// What is found on this machine may be offered.
    pub(super) fn is_of_here(&self, cause: &Cause) -> bool {
        let is_here = matches!(self.whereabouts(&cause.origin), Whereabouts::Here);
        let named = names_a_place(&self.arguments.target) && self.snapshot.is_none();
        is_here && (!named || self.this().is_ok_and(|chosen| chosen.here))
    }

    /// The place of a log of elsewhere, as far as it tells; none for one of here.
    pub(super) fn elsewhere(&self, cause: &Cause) -> Result<Option<Spot>, Error> {
        let Whereabouts::Elsewhere(_) = self.whereabouts(&cause.origin) else {
            return Ok(None);
        };
        let place = cause.origin.place(&self.like()?);
        let mut target = place.target;
        let named = self.arguments.target.interpreter.as_deref();
        if let Some(interpreter) = named.and_then(|text| Interpreter::parse(text).ok()) {
            target = target.with_interpreter(interpreter);
        }
        Ok(Some(Spot {
            shown: format!("{} on {}", called(&target.interpreter), target.place()),
            here: false,
            typed: vec!["--target".to_owned(), spec(&target)],
            target,
        }))
    }

    /// What is not told of a log's place is as here.
    fn like(&self) -> Result<eutaxis_core::Target, Error> {
        match &self.arguments.target.interpreter {
            None => Ok(self.this()?.target.clone()),
            Some(_) => {
                let machine = plan::target(&TargetOptions::default(), self.surroundings)?;
                Ok(machine.target)
            }
        }
    }

    /// What the log is of, in words.
    pub(super) fn log_of(&self, origin: &Origin, root: Option<&Cause>) -> Option<LogOf> {
        let words = origin.words()?;
        let (elsewhere, assumed) = match self.whereabouts(origin) {
            Whereabouts::Here => (None, Vec::new()),
            Whereabouts::Elsewhere(why) => {
                let told = |like| origin.place(&like).assumed;
                let is_asked = root.is_some() && !self.depots.is_empty();
                let assumed = self.like().ok().filter(|_| is_asked).map(told);
                (Some(why), assumed.unwrap_or_default())
            }
        };
        Some(LogOf {
            words,
            elsewhere,
            assumed,
        })
    }

    /// System packages are those of the distribution that the log is of.
    pub(super) fn as_there(&self, cause: &mut Cause) {
        if let Whereabouts::Elsewhere(_) = self.whereabouts(&cause.origin) {
            let own = cause.origin.distribution.as_deref();
            let distributions = own.map(distribution_like).unwrap_or_default();
            let config = &self.surroundings.config;
            cause
                .facts
                .packaged_for(&distributions, &config.families, &config.libraries);
        }
    }

    /// Advice about the machine of a log of elsewhere is for there.
    pub(super) fn advised(&self, cause: &Cause, remedy: Remedy) -> Remedy {
        let is_local = match &remedy.step {
            Some(Step::Run(all)) => all.iter().any(|one| looks_at_the_machine(one.verb)),
            Some(Step::Enter { .. } | Step::Start(_) | Step::Line(_)) => true,
            Some(Step::Without { .. }) | None => false,
        };
        match self.whereabouts(&cause.origin) {
            Whereabouts::Elsewhere(_) if is_local => {
                let is_windows = cause.origin.system.as_deref() == Some("windows");
                let of_shell = matches!(remedy.step, Some(Step::Enter { .. }));
                Remedy {
                    words: format!("on that machine: {}", remedy.words),
                    step: remedy.step.filter(|_| !(is_windows && of_shell)),
                    ..remedy
                }
            }
            Whereabouts::Elsewhere(_) | Whereabouts::Here => remedy,
        }
    }
}

/// Options that say which machine is meant.
fn names_a_place(options: &TargetOptions) -> bool {
    let without = TargetOptions {
        interpreter: None,
        ..options.clone()
    };
    is_named(&without)
}

fn looks_at_the_machine(verb: Verb) -> bool {
    match verb {
        Verb::Survey
        | Verb::Furnish
        | Verb::Examine
        | Verb::Locate
        | Verb::Stock
        | Verb::Gather
        | Verb::Assay
        | Verb::Rehearse => true,
        Verb::Shortlist
        | Verb::Span
        | Verb::Settle
        | Verb::Reason
        | Verb::Diagnose
        | Verb::Proofread => false,
    }
}

/// A file of those that a log names which shows that it was written elsewhere; none when one of them,
/// or the folders that it lay in, is here.
fn absent<'p>(paths: &'p [String], root: &Path) -> Option<&'p str> {
    let here = |path: &str| root.join(path.trim_start_matches('/')).exists();
    let is_common = |path: &str| COMMON.iter().any(|c| path.starts_with(c));
    let mut lasting: Vec<&str> = paths.iter().map(String::as_str).collect();
    lasting.retain(|p| p.starts_with('/') && !PASSING.iter().any(|t| p.starts_with(t)));
    // Of a script that was moved since, or an environment that was made anew, the home is here.
    let home =
        |path: &str| -> PathBuf { path.split('/').take(3).collect::<Vec<_>>().join("/").into() };
    let is_here =
        |path: &&str| !is_common(path) && (here(path) || here(&home(path).to_string_lossy()));
    if lasting.iter().any(is_here) {
        return None;
    }
    lasting.into_iter().find(|p| !here(p))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::of_another(&["/srv/melt/season.py"], Some("/srv/melt/season.py"))]
    #[case::its_home_is_here(&["/home/ada/gone/season.py"], None)]
    #[case::it_is_here(&["/home/ada/season.py", "/usr/lib/python3.9/runpy.py"], None)]
    #[case::only_what_passes(&["/tmp/build-1/setup.py"], None)]
    #[case::what_all_have(&["/usr/bin/python3"], None)]
    #[case::an_interpreter_that_is_not(&["/usr/bin/python3", "/usr/lib/python3.9/runpy.py"],
        Some("/usr/lib/python3.9/runpy.py"))]
    #[case::relative(&["season.py"], None)]
    fn files_tell_whether_it_was_here(#[case] paths: &[&str], #[case] expected: Option<&str>) {
        let folder = tempfile::tempdir().unwrap();
        for file in ["home/ada/season.py", "usr/bin/python3"] {
            let path = folder.path().join(file);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, "").unwrap();
        }
        let paths: Vec<String> = paths.iter().map(|p| (*p).to_owned()).collect();
        assert_eq!(absent(&paths, folder.path()), expected);
    }
}
