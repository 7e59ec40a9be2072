//! Importing the modules of a set by an interpreter of this machine, in an environment that is
//! thrown away: made from the store by links, each module in a process of its own with an empty
//! home and without credentials.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Instant;

use eutaxis_core::examine::{Attempt, Ended};
use eutaxis_world::Error;
use eutaxis_world::attempt::{Fallen, Limits, Runner};
use eutaxis_world::environment::{Furnish, Item, Layout, LinkMode, furnish};
use eutaxis_world::interpreter::{Found, environment_python};
use eutaxis_world::network::Network;
use eutaxis_world::store::Store;
use tempfile::TempDir;

use super::contents::Contents;
use super::failure::Failure;
use super::signs::Signs;
use crate::answer::proof::{Below, Tried};
use crate::output::Output;

/// What each import may use.
const LIMITS: Limits = Limits {
    seconds: 60,
    memory: 8 << 30,
};

/// So many kinds of failures beside others are looked into once more, by a module of each by itself.
const MOST_BY_THEMSELVES: usize = 16;

/// So long one of them may take then.
const SECONDS_BY_ITSELF: u64 = 20;

/// What came of importing.
pub(crate) struct Outcome {
    pub(crate) tried: Tried,
    /// The imports that failed.
    pub(crate) failed: Vec<Attempt>,
    /// What the imports left behind in an empty home.
    pub(crate) leaves: Vec<String>,
    /// The folder that modules were imported from, which is gone by now.
    pub(crate) site: PathBuf,
}

impl Outcome {
    /// Corrects what was read by what was run: where a module imports, nothing is wrong on its way,
    /// and where it does not, the sources say best why, if they do.
    pub(crate) fn outrank(&self, read: &mut Vec<Failure>, signs: &Signs<'_>, contents: &Contents) {
        let fell: BTreeSet<&str> = self.failed.iter().map(|a| a.module.as_str()).collect();
        read.retain(|f| fell.contains(f.root.as_str()));
        let told: BTreeSet<String> = read.iter().map(|f| f.root.clone()).collect();
        let silent = self.failed.iter().filter(|a| !told.contains(&a.module));
        read.extend(silent.map(|a| signs.failure(a, contents, &self.site)));
    }
}

/// An environment that is thrown away, in which modules are imported.
pub(crate) struct Trial<'a> {
    contents: &'a Contents,
    output: &'a Output,
    interpreter: String,
    runner: Runner,
    site: PathBuf,
    /// Goes with it.
    _scratch: TempDir,
}

impl<'a> Trial<'a> {
    /// Makes the environment, for an interpreter whose packages it sees or not.
    pub(crate) fn of(
        contents: &'a Contents,
        items: &[Item],
        (python, shares_system): (&Found, bool),
        cache: &Path,
        network: &Network,
        output: &'a Output,
    ) -> Result<Self, Error> {
        let scratch = Store::open(cache)?.scratch()?;
        let at = scratch.path().join("environment");
        let request = Furnish {
            at: at.clone(),
            items: items.to_vec(),
            python: &python.facts,
            tidy: false,
            share_system: Some(shares_system),
            link: LinkMode::Auto,
            cache: cache.to_owned(),
            network,
            settled_for: None,
        };
        furnish(&request, &|_, _, _| {}, &|| {}, &|_| Ok(()))?;
        Ok(Trial {
            contents,
            output,
            interpreter: python.facts.interpreter()?.to_string(),
            runner: Runner {
                python: environment_python(&at),
                user_base: None,
                limits: LIMITS,
                clean: true,
            },
            site: at.join(Layout::of(&python.facts)?.site),
            _scratch: scratch,
        })
    }

    /// Imports what is asked for, each module in a process of its own.
    pub(crate) fn run(&self) -> Result<Outcome, Error> {
        let modules = self.contents.roots();
        let bar = self.output.progress();
        bar.set_length(modules.len() as u64);
        bar.set_message("importing");
        let done = AtomicU64::new(0);
        let started = Instant::now();
        let attempts = self.runner.import(&modules, &|| {
            bar.set_position(done.fetch_add(1, Ordering::Relaxed) + 1);
        });
        bar.finish_and_clear();
        let attempts = attempts?;
        let mut leaves: Vec<String> = attempts.iter().flat_map(|a| a.leaves.clone()).collect();
        leaves.sort();
        leaves.dedup();
        // What one import left empty another one may have filled.
        let all = leaves.clone();
        leaves.retain(|left| {
            let fuller = format!("{left}: ");
            !all.iter().any(|other| other.starts_with(&fuller))
        });
        Ok(Outcome {
            tried: Tried {
                modules: modules.len(),
                below: None,
                interpreter: self.interpreter.clone(),
                seconds: started.elapsed().as_secs_f64(),
            },
            failed: failed(attempts),
            leaves,
            site: self.site.clone(),
        })
    }

    /// Imports every other module of the projects that are asked for: what is below those that were
    /// tried, and users take when they need it. What failed, and would by itself.
    pub(crate) fn run_below(&self, signs: &Signs<'_>) -> Result<(Below, Vec<Failure>), Error> {
        let started = Instant::now();
        let each = self.contents.below();
        let bar = self.output.progress();
        bar.set_length(each.len() as u64);
        bar.set_message("importing what is below");
        let (owners, groups): (Vec<usize>, Vec<Vec<String>>) = each.into_iter().unzip();
        let sifted = self.runner.sift(&groups, &|| bar.inc(1));
        bar.finish_and_clear();
        let sifted = sifted?;
        let fallen = owners.iter().zip(&sifted);
        let attempts: Vec<Attempt> = fallen
            .flat_map(|(owner, s)| s.failed.iter().map(|f| attempt(f, *owner)))
            .collect();
        let failures = self.by_themselves(&attempts, signs)?;
        let left: usize = sifted.iter().map(|s| s.left.len()).sum();
        let modules: usize = groups.iter().map(Vec::len).sum();
        let below = Below {
            modules: modules - left,
            failed: failures.len(),
            left,
            seconds: started.elapsed().as_secs_f64(),
        };
        Ok((below, failures))
    }

    /// Of what failed beside others what would fail by itself as well. What nobody brings is lacking
    /// in any case; of others that raise the same one stands for all.
    fn by_themselves(
        &self,
        attempts: &[Attempt],
        signs: &Signs<'_>,
    ) -> Result<Vec<Failure>, Error> {
        let (mut sure, mut groups) = (Vec::new(), BTreeMap::<String, Vec<Failure>>::new());
        for attempt in attempts {
            let failure = signs.failure(attempt, self.contents, &self.site);
            if failure.lacks_of_nobody().is_some() {
                sure.push(failure);
                continue;
            }
            let key = match attempt.ended {
                Ended::Raised => attempt.output.lines().next_back().unwrap_or_default(),
                // What ends its process may do so in any way.
                Ended::Well | Ended::Exited(_) | Ended::Signal(_) | Ended::Hung(_) => {
                    &attempt.module
                }
            };
            groups.entry(key.to_owned()).or_default().push(failure);
        }
        let mut groups: Vec<Vec<Failure>> = groups.into_values().collect();
        // Those that many run into first.
        groups.sort_by_key(|g| std::cmp::Reverse(g.len()));
        let first = groups.iter().filter_map(|g| g.first());
        let again: Vec<(String, usize)> = first
            .take(MOST_BY_THEMSELVES)
            .map(|f| (f.root.clone(), f.owner))
            .collect();
        let mut runner = self.runner.clone();
        runner.limits.seconds = SECONDS_BY_ITSELF;
        let attempts = runner.import(&again, &|| {})?;
        for (number, group) in groups.into_iter().enumerate() {
            match attempts.get(number) {
                Some(attempt) if attempt.ended == Ended::Well => {}
                Some(attempt) => {
                    sure.push(signs.failure(attempt, self.contents, &self.site));
                    sure.extend(group.into_iter().skip(1));
                }
                None => sure.extend(group),
            }
        }
        Ok(sure)
    }
}

/// What failed beside others, as if it had been imported by itself.
fn attempt(fallen: &Fallen, owner: usize) -> Attempt {
    Attempt {
        module: fallen.module.clone(),
        owner: Some(owner),
        ended: match fallen.raised {
            Some(_) => Ended::Raised,
            None => Ended::Exited(1),
        },
        output: fallen.raised.clone().unwrap_or_default(),
        complained: String::new(),
        leaves: Vec::new(),
    }
}

fn failed(attempts: Vec<Attempt>) -> Vec<Attempt> {
    let ended = attempts.into_iter();
    ended.filter(|a| a.ended != Ended::Well).collect()
}
