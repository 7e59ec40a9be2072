//! What importing the pinned set would run into, found out before anything is placed: by its
//! sources, and with `--prove` by running it.

use std::cell::RefCell;
use std::path::Path;

use eutaxis_core::Target;
use eutaxis_core::evidence::Evidence;
use eutaxis_core::examine::{Seat, Snapshot};
use eutaxis_core::pins::Lock;
use eutaxis_core::record::proof_of;
use eutaxis_core::remedy::Step;
use eutaxis_world::depot::Depots;
use eutaxis_world::environment::{Item, Place, Sound, WheelAt, look, stock_up};
use eutaxis_world::interpreter::Found;
use eutaxis_world::store::Store;
use eutaxis_world::{Error, ErrorKind};

use crate::answer::furnish::{Judged, Refused};
use crate::cli::Furnish;
use crate::output::Output;
use crate::plan::Surroundings;
use crate::proof::below;
use crate::proof::contents::Contents;
use crate::proof::failure::Failure;
use crate::proof::reading;
use crate::proof::signs::Signs;
use crate::proof::trial::Trial;
use crate::question::Again;
use crate::{typed, words};

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
    /// Its file.
    pub(super) pins: &'a Path,
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
        let shares = self.shares_system();
        let is_beside = shares || is_there && !self.arguments.tidy;
        let target = self.surroundings.target_of(&self.python.facts)?;
        let sound = match is_beside || self.arguments.prove {
            true => None,
            false => Sound::of(&items, is_whole, &target),
        };
        if let Some(followed) = sound.as_ref().and_then(|s| s.known(network.catalogue())) {
            let mut judged = self.judged.borrow_mut();
            judged.followed = followed;
            judged.level = Evidence::Read;
            return Ok(());
        }
        let unpacked = stock_up(&items, cache, network, &|_, _, _| {})?;
        let mut contents = Contents::of(&items, &unpacked, is_whole);
        if is_beside {
            let place = if is_there { self.at } else { &self.python.path };
            match self.there(place, true) {
                Ok(there) => contents.set.beside(modules_of(&there)),
                Err(_) => contents.set.open = true,
            }
        }
        let below = !(self.arguments.prove && is_whole);
        let gaps = contents.gaps(&target, network.catalogue(), below);
        if let Some(sound) = sound.filter(|_| gaps.first.is_empty() && gaps.below.is_empty()) {
            sound.keep(gaps.sources, network.catalogue());
        }
        let failures = gaps.first.iter().map(|gap| Failure::of_gap(gap, &contents));
        let mut failures: Vec<Failure> = failures.collect();
        let mut judged = self.judged.borrow_mut();
        judged.followed = gaps.sources;
        judged.level = Evidence::Read;
        let told = |f: &Failure| below::told(f, &contents);
        let (slight, apart) = below::read(&gaps.below, &contents);
        let mut mendable = slight.len();
        judged.scripts = slight.iter().map(told).collect();
        judged.apart = apart;
        let mut trial = None;
        if !below {
            let by = (self.python, shares);
            let made = Trial::of(&contents, &items, by, cache, network, self.output)?;
            let signs = Signs::of(&self.surroundings.config, target.interpreter.series());
            let ran = made.run()?;
            ran.outrank(&mut failures, &signs, &contents);
            trial = Some((made, signs, ran));
        }
        let (scripts, failures): (Vec<Failure>, Vec<Failure>) = failures
            .into_iter()
            .partition(|f| f.is_of_a_part(&contents));
        judged.scripts.extend(scripts.iter().map(told));
        if let Some((trial, signs, mut ran)) = trial {
            if failures.is_empty() {
                let (reached, failed) = trial.run_below(&signs)?;
                ran.tried.below = Some(reached);
                let (slight, apart) = below::sorted(failed, &contents);
                mendable += slight.len();
                judged.scripts.extend(slight.iter().map(told));
                judged.apart = apart;
            }
            judged.leaves = ran.leaves;
            judged.tried = Some(ran.tried);
            judged.level = Evidence::Ran;
        }
        judged.failures = failures.iter().map(told).collect();
        // What a proof could not mend it will not mend now.
        if !judged.failures.is_empty() || mendable > 0 && !self.is_proven() {
            judged.again = self.again(&target);
        }
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
        Err(Error::new(ErrorKind::Request, "the set is not placed"))
    }

    /// Whether the pins were proven when they were settled.
    fn is_proven(&self) -> bool {
        proof_of(self.lock).is_some_and(|p| p.level.is_verified())
    }

    /// The command that settles the same once more, and proves it, when the pins record the question.
    fn again(&self, target: &Target) -> Option<String> {
        let again = Again {
            lock: self.lock,
            pins: self.pins,
            place: target,
            config: &self.surroundings.config,
            depots: &self.arguments.depots,
        };
        let mut more = vec!["--prove".to_owned()];
        more.extend(typed::permit(&self.arguments.permit));
        let more: Vec<&str> = more.iter().map(String::as_str).collect();
        let again = again.once_more(&self.python.path, &more);
        again.map(|one| words::steps::typed(&Step::Run(vec![one])))
    }

    /// Whether the environment sees, or will see, what its base brings.
    fn shares_system(&self) -> bool {
        let sees = matches!(
            look(self.at),
            Ok(Place::Environment {
                shares_system: true,
                ..
            })
        );
        self.arguments.share_system || sees
    }

    /// What is in a place, the environment or its base, now.
    fn there(&self, place: &Path, quick: bool) -> Result<Snapshot, Error> {
        self.surroundings.snapshot(place, quick)
    }

    /// Whether importing what is there now runs into nothing.
    fn holds(&self) -> Result<bool, Error> {
        let there = self.there(self.at, false)?;
        let (gaps, _) = reading::gaps(&there, self.depots.network().catalogue());
        Ok(!gaps.iter().any(|g| g.asked))
    }
}

/// Names that can be imported there beside the standard library.
fn modules_of(there: &Snapshot) -> Vec<String> {
    let beside = there.path.iter().filter(|e| e.seat != Seat::Standard);
    beside.flat_map(|e| e.modules.keys().cloned()).collect()
}
