//! Importing the modules of a set by an interpreter of this machine, in an environment that is
//! thrown away: made from the store by links, each module in a process of its own with an empty
//! home and without credentials.

use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Instant;

use eutaxis_core::examine::{Attempt, Ended};
use eutaxis_world::Error;
use eutaxis_world::attempt::{Limits, Runner};
use eutaxis_world::environment::{Furnish, Item, Layout, LinkMode, furnish};
use eutaxis_world::interpreter::{Found, environment_python};
use eutaxis_world::network::Network;
use eutaxis_world::store::Store;

use super::contents::Contents;
use crate::answer::proof::Tried;
use crate::output::Output;

/// What each import may use.
const LIMITS: Limits = Limits {
    seconds: 60,
    memory: 8 << 30,
};

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

/// Makes the environment and imports what is asked for, by an interpreter whose packages it sees or
/// not.
pub(crate) fn run(
    contents: &Contents,
    items: &[Item],
    (python, shares_system): (&Found, bool),
    cache: &Path,
    network: &Network,
    output: &Output,
) -> Result<Outcome, Error> {
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
    let runner = Runner {
        python: environment_python(&at),
        user_base: None,
        limits: LIMITS,
        clean: true,
    };
    let modules = contents.roots();
    let bar = output.progress();
    bar.set_length(modules.len() as u64);
    bar.set_message("importing");
    let done = AtomicU64::new(0);
    let started = Instant::now();
    let attempts = runner.import(&modules, &|| {
        bar.set_position(done.fetch_add(1, Ordering::Relaxed) + 1);
    });
    bar.finish_and_clear();
    let attempts = attempts?;
    let mut leaves: Vec<String> = attempts.iter().flat_map(|a| a.leaves.clone()).collect();
    leaves.sort();
    leaves.dedup();
    let interpreter = python.facts.interpreter()?;
    Ok(Outcome {
        tried: Tried {
            modules: modules.len(),
            interpreter: interpreter.to_string(),
            seconds: started.elapsed().as_secs_f64(),
        },
        failed: attempts
            .into_iter()
            .filter(|a| a.ended != Ended::Well)
            .collect(),
        leaves,
        site: at.join(Layout::of(&python.facts)?.site),
    })
}
