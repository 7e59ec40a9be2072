//! What importing the pinned set would run into, found out before anything is placed: by its
//! sources, and with `--prove` by running it.

use std::cell::RefCell;
use std::path::Path;

use eutaxis_core::diagnose::Context;
use eutaxis_core::evidence::Evidence;
use eutaxis_core::interface::Gap;
use eutaxis_core::pins::Lock;
use eutaxis_world::depot::Depots;
use eutaxis_world::environment::snapshot::{Look, distribution, snapshot};
use eutaxis_world::environment::{Item, WheelAt, stock_up};
use eutaxis_world::interpreter::Found;
use eutaxis_world::root::root;
use eutaxis_world::store::Store;
use eutaxis_world::{Error, ErrorKind};

use crate::answer::furnish::{Judged, Refused};
use crate::cli::Furnish;
use crate::output::Output;
use crate::plan::Surroundings;
use crate::proof::contents::Contents;
use crate::proof::failure::Failure;
use crate::proof::{reading, trial};
use crate::words;

/// Whoever looks into a set before it is placed.
pub(super) struct Judge<'a> {
    pub(super) arguments: &'a Furnish,
    pub(super) surroundings: &'a Surroundings,
    pub(super) depots: &'a Depots,
    pub(super) output: &'a Output,
    pub(super) items: &'a [Item],
    pub(super) at: &'a Path,
    pub(super) python: &'a Found,
    pub(super) lock: &'a Lock,
    /// What it found.
    pub(super) judged: RefCell<Judged>,
}

impl Judge<'_> {
    /// Looks into the set; fails when it is not to be placed.
    pub(super) fn judge(&self, is_there: bool) -> Result<(), Error> {
        let (cache, network) = (&self.surroundings.cache, self.depots.network());
        let store = Store::open(cache)?;
        // What is in place already and nowhere else is not fetched to be looked into.
        let at_hand =
            |item: &&Item| matches!(item.wheel, WheelAt::Disk(_)) || store.has(&item.sha256);
        let items: Vec<Item> = self.items.iter().filter(at_hand).cloned().collect();
        let is_whole = items.len() == self.items.len();
        let unpacked = stock_up(&items, cache, network, &|_, _, _| {})?;
        let shares = self.arguments.share_system;
        let contents = Contents::of(&items, &unpacked, is_whole && !shares);
        let target = self.surroundings.target_of(&self.python.facts)?;
        let (gaps, followed) = contents.gaps(&target, network.catalogue());
        let failures = gaps.iter().map(|gap: &Gap| Failure::of_gap(gap, &contents));
        let (scripts, mut failures): (Vec<Failure>, Vec<Failure>) =
            failures.partition(|f| f.is_of_a_part(&contents));
        let mut judged = self.judged.borrow_mut();
        judged.followed = followed;
        judged.level = Evidence::Read;
        let told = |f: &Failure| {
            let name = contents.names.get(f.taker);
            format!("{} {}", name.map_or("", String::as_str), f.told)
        };
        judged.scripts = scripts.iter().map(told).collect();
        if failures.is_empty() && self.arguments.prove && is_whole {
            let ran = trial::run(&contents, &items, self.python, cache, network, self.output)?;
            failures = self.of_imports(&ran, &contents, target.interpreter.series());
            judged.leaves = ran.leaves;
            judged.tried = Some(ran.tried);
            judged.level = Evidence::Ran;
        }
        judged.failures = failures.iter().map(told).collect();
        if judged.failures.is_empty() || self.arguments.anyway {
            return Ok(());
        }
        let why = if self.arguments.prove {
            Refused::Unproven
        } else if is_there && self.holds()? {
            Refused::WouldBreak
        } else {
            return Ok(());
        };
        judged.refused = Some(why);
        judged.again = words::steps::again(self.lock).map(|s| words::steps::typed(&s));
        Err(Error::new(ErrorKind::Request, "the set is not placed"))
    }

    /// The imports that failed.
    fn of_imports(
        &self,
        ran: &trial::Outcome,
        contents: &Contents,
        series: (u64, u64),
    ) -> Vec<Failure> {
        let config = &self.surroundings.config;
        let distributions = distribution(&root());
        let context = Context {
            families: &config.families,
            libraries: &config.libraries,
            distributions: &distributions,
        };
        let causes = config.causes();
        let failed = ran.failed.iter();
        let failures =
            failed.map(|a| Failure::of_attempt(a, contents, &ran.site, series, &causes, &context));
        failures.filter(|f| !f.is_of_a_part(contents)).collect()
    }

    /// Whether importing what is there now runs into nothing.
    fn holds(&self) -> Result<bool, Error> {
        let (finder, probes) = (self.surroundings.finder(), self.surroundings.probes());
        let there = snapshot(&Look {
            place: self.at,
            finder: &finder,
            probes: &probes,
            families: &self.surroundings.config.families,
            libraries: &self.surroundings.config.libraries,
            from_folder: None,
            quick: false,
        })?;
        let (gaps, _) = reading::gaps(&there, self.depots.network().catalogue());
        Ok(!gaps.iter().any(|g| g.asked))
    }
}
