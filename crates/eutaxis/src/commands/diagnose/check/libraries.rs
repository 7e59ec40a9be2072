//! `library-absent`, `toolkit-absent`: whether what is placed in the environment lacks the library
//! still, by following the loader's way.

use eutaxis_core::diagnose::Cause;
use eutaxis_core::examine::examine;
use eutaxis_core::knowledge::Confidence;
use eutaxis_world::Error;

use super::{Checked, Checker};

/// So many files that lack it are told.
const MOST: usize = 3;

pub(super) fn check(
    checker: &Checker<'_>,
    cause: &mut Cause,
    checked: &mut Checked,
) -> Result<(), Error> {
    let Some(snapshot) = &checker.snapshot else {
        return Ok(());
    };
    let Some(library) = cause.facts.get("library") else {
        return Ok(());
    };
    let findings = examine(snapshot);
    let lacks = |f: &&eutaxis_core::examine::Finding| f.trouble.lacks(&library);
    let mut found = findings.iter().filter(lacks).peekable();
    if found.peek().is_none() {
        checked.say(format!(
            "nothing that is placed in {} lacks {library} now",
            snapshot.name
        ));
        return Ok(());
    }
    cause.confidence = Confidence::High;
    for finding in found.take(MOST) {
        let project = finding
            .project
            .as_ref()
            .map_or(String::new(), |p| format!("{p}: "));
        if let Some(project) = &finding.project {
            cause.facts.set_if_absent("project", project.as_str());
        }
        checked.say(format!(
            "so it is in {} still: {project}{}",
            snapshot.name,
            finding.evidence()
        ));
    }
    Ok(())
}
