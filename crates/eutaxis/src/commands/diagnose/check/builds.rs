//! What the build of a release takes by its archive, beside what its log shows: tools, headers and
//! time, foreseen for the target.

use eutaxis_core::Version;
use eutaxis_core::diagnose::Cause;
use eutaxis_core::index::{FileKind, PageFile};
use eutaxis_world::{Error, ErrorKind};

use super::{Checked, Checker};
use crate::building::foresee::Place;
use crate::{plan, render};

pub(super) fn check(
    checker: &Checker<'_>,
    cause: &mut Cause,
    checked: &mut Checked,
) -> Result<(), Error> {
    let Some(project) = checker
        .project(cause)
        .filter(|_| !checker.depots.is_empty())
    else {
        return Ok(());
    };
    let Some(page) = checker.page(&project)? else {
        return Ok(());
    };
    let spot = checker.spot(cause)?;
    let version = cause
        .facts
        .get("version")
        .and_then(|v| Version::parse(&v).ok());
    let is_source = |f: &&PageFile| matches!(f.kind, FileKind::Sdist(_));
    let files = page.files.iter().map(|f| &**f).filter(is_source);
    let wanted = files.filter(|f| match &version {
        Some(version) => f.kind.version() == version,
        None => !f.kind.version().is_prerelease(),
    });
    let Some(file) = wanted.max_by(|a, b| a.kind.version().cmp(b.kind.version())) else {
        return Ok(());
    };
    let python = plan::interpreter(None, checker.surroundings)
        .ok()
        .filter(|_| spot.here);
    let place = Place {
        surroundings: checker.surroundings,
        depots: &checker.depots,
        target: &spot.target,
        python: python.as_ref(),
        policy: &checker.policy,
        bounds: &[],
    };
    match place.of_file(&project, file, &checker.run) {
        Ok(foreseen) => checked.say(format!(
            "by its archive, {}",
            render::build::line(&foreseen)
        )),
        // What cannot be had tells nothing; the log is explained all the same.
        Err(error) if matches!(error.kind, ErrorKind::Network | ErrorKind::Contents) => {}
        Err(error) => return Err(error),
    }
    Ok(())
}
