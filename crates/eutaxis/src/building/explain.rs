//! Why a build failed, by its own log: the same signs by which any other log is read.

use std::path::Path;

use eutaxis_core::diagnose::{Context, Reader};
use eutaxis_core::remedy::Step;
use eutaxis_world::root::{distribution, root};

use crate::answer::build::Cause;
use crate::plan::Surroundings;
use crate::words;

/// The causes that a log shows, the root first.
pub(super) fn causes(log: &Path, surroundings: &Surroundings) -> Vec<Cause> {
    let config = &surroundings.config;
    let distributions = distribution(&root());
    let context = Context {
        families: &config.families,
        libraries: &config.libraries,
        distributions: &distributions,
    };
    let causes = config.causes();
    let mut reader = Reader::new(&causes, &context);
    let Ok(bytes) = std::fs::read(log) else {
        return Vec::new();
    };
    reader.read(&bytes);
    let found = reader.finish();
    let one = |cause: &eutaxis_core::diagnose::Cause| {
        let told = cause.told(&causes, std::env::consts::OS);
        Cause {
            id: cause.id.clone(),
            title: told.title,
            explanation: told.explanation,
            line: (cause.line, cause.excerpt.clone()),
            // What settles something else is solved by whoever tells this.
            remedies: told
                .remedies
                .iter()
                .filter(|r| !matches!(r.step, Some(Step::Run(_))))
                .map(words::steps::remedy)
                .collect(),
        }
    };
    found.causes.iter().map(one).collect()
}

/// The last lines of a log that say something.
pub(super) fn last(log: &Path) -> Vec<String> {
    const LINES: usize = 3;
    let text = std::fs::read(log).unwrap_or_default();
    let text = String::from_utf8_lossy(&text);
    let told = text.lines().map(str::trim).filter(|l| !l.is_empty());
    let told: Vec<&str> = told.collect();
    let from = told.len().saturating_sub(LINES);
    told.into_iter().skip(from).map(str::to_owned).collect()
}
