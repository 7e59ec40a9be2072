//! The question that pins answer, as it is typed once more: what is asked for, under which bounds and
//! by which policy, for which place.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use eutaxis_core::fault::Origin;
use eutaxis_core::offer::{Policy, Prefer, Prereleases, Wheels};
use eutaxis_core::pins::Lock;
use eutaxis_core::remedy::{Invocation, Verb};
use eutaxis_core::{Ask, Target, record};
use eutaxis_world::config::Config;

use crate::cli::{AskOptions, DepotOptions};
use crate::words::near;
use crate::{asks, remembered, typed};

/// Pins whose question is asked once more.
pub(crate) struct Again<'a> {
    pub(crate) lock: &'a Lock,
    /// Their file.
    pub(crate) pins: &'a Path,
    /// Where it will be asked.
    pub(crate) place: &'a Target,
    pub(crate) config: &'a Config,
    /// Those of this run.
    pub(crate) depots: &'a DepotOptions,
}

impl Again<'_> {
    /// Words behind the command that settles; none where the pins do not record the question, or a
    /// list of bounds that they rest on is gone. The chronology is that of the pins that are written
    /// over.
    pub(crate) fn words(&self) -> Option<Vec<String>> {
        let asks = record::asks_of(self.lock);
        if asks.is_empty() {
            return None;
        }
        let mut words = asks_words(&asks);
        for file in files_of(&record::bounds_of(self.lock)) {
            if !file.is_file() {
                return None;
            }
            words.extend(["--bounds".to_owned(), file.display().to_string()]);
        }
        let policy = record::policy_of(self.lock);
        words.extend(policy_words(&policy, &self.config.policy));
        if self.shared().is_none()
            && let Some(target) = record::target_of(self.lock, &self.config.families)
        {
            words.extend(accelerator_words(&target, self.place));
        }
        words.extend(self.depot_words());
        Some(words)
    }

    /// The command that settles the same over the same pins, with more options: pins that remember
    /// their question, whose files say the same as then, need no more said.
    pub(crate) fn once_more(&self, python: &Path, options: &[&str]) -> Option<Invocation> {
        let folder = self.pins.parent().unwrap_or(Path::new(""));
        let remembers = remembered::of(self.lock, folder).is_some();
        if !remembers || !remembered::since(self.lock, folder).is_none() {
            return self.settle(python, options);
        }
        let mut words = Vec::new();
        if self.shared().is_none()
            && let Some(target) = record::target_of(self.lock, &self.config.families)
        {
            words.extend(accelerator_words(&target, self.place));
        }
        words.extend(self.depot_words());
        let settle = Invocation::new(Verb::Settle, words);
        let settle = settle.with(options.iter().copied());
        // Pins for several targets remember which.
        let place = match self.shared() {
            Some(_) => Vec::new(),
            None => vec!["--interpreter".to_owned(), near(python)],
        };
        Some(settle.with(place).with(["--out", &near(self.pins)]))
    }

    /// The command that settles it over the same pins, with something more said.
    pub(crate) fn settle(&self, python: &Path, more: &[&str]) -> Option<Invocation> {
        let settle = Invocation::new(Verb::Settle, self.words()?);
        let settle = settle.with(more.iter().copied());
        let place = self.shared();
        let place = place.unwrap_or_else(|| vec!["--interpreter".to_owned(), near(python)]);
        Some(settle.with(place).with(["--out", &near(self.pins)]))
    }

    /// The words for the targets of pins that are for several.
    pub(crate) fn shared(&self) -> Option<Vec<String>> {
        let folder = self.pins.parent().unwrap_or(Path::new(""));
        let question = remembered::of(self.lock, folder).filter(|q| q.together)?;
        let mut words = typed::target(&question.target);
        words.push(remembered::TOGETHER.to_owned());
        Some(words)
    }

    /// The depots that were named; where nothing names one, those of the pins.
    fn depot_words(&self) -> Vec<String> {
        let named = typed::depots(self.depots);
        let is_set = std::env::var_os("EUTAXIS_DEPOT").is_some_and(|d| !d.is_empty());
        if !named.is_empty() || is_set || !self.config.depots.is_empty() {
            return named;
        }
        let folder = self.pins.parent().unwrap_or(Path::new(""));
        let each = remembered::depots(self.lock, folder);
        let option = |depot: String| ["--depot".to_owned(), depot];
        each.into_iter().flat_map(option).collect()
    }
}

/// A list that still says the same is named; else what it said is typed.
fn asks_words(asks: &[Ask]) -> Vec<String> {
    let typed = |of: &dyn Fn(&Origin) -> bool| {
        let these = asks.iter().filter(|a| of(&a.origin));
        these.map(|a| a.requirement.to_string()).collect::<Vec<_>>()
    };
    let mut words = typed(&|origin| *origin == Origin::Argument);
    let mut files = Vec::new();
    for file in files_of(asks) {
        let said = typed(&|origin| *origin != Origin::Argument && is_of(origin, &file));
        if says(&file, &said) {
            files.extend(["--asks".to_owned(), file.display().to_string()]);
        } else {
            words.extend(said);
        }
    }
    words.extend(files);
    words
}

fn is_of(origin: &Origin, file: &Path) -> bool {
    matches!(origin, Origin::Line { file: of, .. } if Path::new(&**of) == file)
}

/// The files that were read, in their order.
fn files_of(asks: &[Ask]) -> Vec<PathBuf> {
    let mut files: Vec<PathBuf> = Vec::new();
    for ask in asks {
        if let Origin::Line { file, .. } = &ask.origin
            && !files.iter().any(|f| f == Path::new(&**file))
        {
            files.push(PathBuf::from(&**file));
        }
    }
    files
}

/// Whether a list asks for exactly this.
fn says(file: &Path, asks: &[String]) -> bool {
    let options = AskOptions {
        asks: vec![file.to_path_buf()],
        ..AskOptions::default()
    };
    let Ok(read) = asks::read_here(&options) else {
        return false;
    };
    let now: BTreeSet<String> = read
        .asks
        .iter()
        .map(|a| a.requirement.to_string())
        .collect();
    now == asks.iter().cloned().collect()
}

/// What is permitted and preferred, where the settings do not say it.
fn policy_words(policy: &Policy, settings: &Policy) -> Vec<String> {
    let mut words: Vec<String> = Vec::new();
    let mut say = |option: &str, value: &str| words.extend([option.to_owned(), value.to_owned()]);
    if policy.wheels != settings.wheels {
        let word = match policy.wheels {
            Wheels::Only => "only",
            Wheels::First => "first",
            Wheels::Any => "any",
        };
        say("--wheels", word);
    }
    for project in policy.build.iter().filter(|p| !settings.build.contains(p)) {
        say("--build", project.as_str());
    }
    for project in &policy.rebuild {
        say("--rebuild", project.as_str());
    }
    match &policy.prereleases {
        stated if *stated == settings.prereleases => {}
        Prereleases::All => say("--prereleases", "all"),
        Prereleases::Of(projects) => projects
            .iter()
            .for_each(|p| say("--prereleases", p.as_str())),
        Prereleases::ByRule => {}
    }
    if let Some(moment) = policy.as_of.filter(|m| settings.as_of != Some(*m)) {
        say("--as-of", &moment.to_string());
    }
    if policy.prefer != settings.prefer {
        let word = match policy.prefer {
            Prefer::Newest => "newest",
            Prefer::Oldest => "oldest",
        };
        say("--prefer", word);
    }
    if policy.take_undated && !settings.take_undated {
        words.push("--take-undated".to_owned());
    }
    if policy.build_light && !settings.build_light {
        words.push("--build-light".to_owned());
    }
    if policy.build_all && !settings.build_all {
        words.push("--build-all".to_owned());
    }
    words
}

/// The accelerators for which it was settled, where others are found.
fn accelerator_words(recorded: &Target, place: &Target) -> Vec<String> {
    let of = |target: &Target| {
        let all = target.accelerators.here.iter();
        all.map(ToString::to_string).collect::<Vec<_>>()
    };
    let mut wanted = of(recorded);
    if wanted == of(place) {
        return Vec::new();
    }
    if wanted.is_empty() {
        wanted.push("none".to_owned());
    }
    let each = |one: String| ["--accelerator".to_owned(), one];
    wanted.into_iter().flat_map(each).collect()
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn typed_for(own: &str, place: &str) -> Option<String> {
        let text = format!(
            "lock-version = \"1.0\"\ncreated-by = \"eutaxis\"\npackages = []\n[tool.eutaxis]\n{own}"
        );
        let lock = Lock::parse(&text).unwrap();
        let config = Config::default();
        let again = Again {
            lock: &lock,
            pins: Path::new("pylock.toml"),
            place: &Target::parse_with(place, &config.families).unwrap(),
            config: &config,
            depots: &DepotOptions::default(),
        };
        let step = again.settle(Path::new("python"), &["--prove"])?;
        Some(step.words.join(" "))
    }

    const PLACE: &str = "cpython 3.11 / linux x86_64 glibc 2.36";
    const CUDA: &str = "cpython 3.11 / linux x86_64 glibc 2.36 / cuda toolkit 12.1";

    #[rstest]
    #[case::typed(
        "asks = [{requirement = \"firnio>=2\", at = \"command line:1\"}]",
        "firnio>=2"
    )]
    #[case::a_list_that_is_gone(
        "asks = [{requirement = \"firnio\", at = \"no-such-list.txt:1\"}]",
        "firnio"
    )]
    #[case::policy(
        "asks = [{requirement = \"firnio\", at = \"command line:1\"}]\n\
            policy = {wheels = \"only\", prefer = \"oldest\", prereleases = [\"firnio\"], \
            build = [\"moulin\"], as-of = \"2026-03-01T00:00:00Z\", chronology = \"heed\"}",
        "firnio --wheels only --build moulin --prereleases firnio --as-of 2026-03-01T00:00:00Z \
            --prefer oldest"
    )]
    fn what_was_asked_is_typed_again(#[case] own: &str, #[case] expected: &str) {
        let rest = " --prove --interpreter python --out pylock.toml";
        let own = format!("target = \"{PLACE}\"\n{own}");
        assert_eq!(typed_for(&own, PLACE), Some(format!("{expected}{rest}")));
    }

    /// Pins for a machine without an accelerator stay such where one is found, and the reverse.
    #[rstest]
    #[case(PLACE, PLACE, "")]
    #[case(PLACE, CUDA, " --accelerator none")]
    #[case(CUDA, PLACE, " --accelerator cuda toolkit 12.1")]
    fn accelerators_are_those_of_the_pins(
        #[case] recorded: &str,
        #[case] place: &str,
        #[case] expected: &str,
    ) {
        let own = format!(
            "target = \"{recorded}\"\nasks = [{{requirement = \"firnio\", at = \"command line:1\"}}]"
        );
        let typed = typed_for(&own, place).unwrap();
        assert!(
            typed.starts_with(&format!("firnio{expected} --prove")),
            "{typed}"
        );
    }

    #[rstest]
    #[case::nothing_recorded("")]
    #[case::bounds_that_are_gone(
        "asks = [{requirement = \"firnio\", at = \"command line:1\"}]\n\
            bounds = [{requirement = \"firnio<3\", at = \"no-such-list.txt:1\"}]"
    )]
    fn what_is_not_known_is_not_typed(#[case] own: &str) {
        assert_eq!(typed_for(own, PLACE), None);
    }

    /// A list is named while it says the same.
    #[test]
    fn a_list_is_named_or_what_it_said() {
        let folder = tempfile::tempdir().unwrap();
        let list = folder.path().join("camp.txt");
        std::fs::write(&list, "firnio>=2\n").unwrap();
        let at = format!("{}:1", list.display());
        let own = format!("asks = [{{requirement = \"firnio>=2\", at = '{at}'}}]");
        let typed = || typed_for(&own, PLACE).unwrap();
        assert!(typed().starts_with(&format!("--asks {}", list.display())));
        std::fs::write(&list, "firnio>=3\n").unwrap();
        assert!(typed().starts_with("firnio>=2 "));
    }
}
