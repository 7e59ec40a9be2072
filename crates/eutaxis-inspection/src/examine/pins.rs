//! `absent-pin`, `differs-from-pin`, `not-pinned`: what is placed against what was pinned.

use super::Remedy;
use super::{Finding, PinDifference, Pinned, Project, Severity, Snapshot, Trouble};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    let Some(pins) = &snapshot.pins else { return };
    let bring = || Remedy::new("bring it to the pins", snapshot.furnish(true));
    for pin in &pins.entries {
        let Some((_, project)) = snapshot.here().find(|(_, p)| p.name == pin.name) else {
            let trouble = Trouble::AbsentPin {
                pins: pins.shown.clone(),
                project: pin.name.clone(),
                version: pin.version.clone(),
            };
            let mut finding = Finding::new(Severity::Breaks, trouble, bring());
            finding.project = Some(pin.name.clone());
            finding.version = pin.version.as_ref().map(ToString::to_string);
            findings.push(finding);
            continue;
        };
        if let Some(how) = differs(pin, project) {
            let pins = pins.shown.clone();
            let trouble = Trouble::DiffersFromPin { pins, how };
            findings.push(Finding::new(Severity::Breaks, trouble, bring()).about(project));
        }
    }
    for (_, project) in snapshot.here() {
        if !pins.entries.iter().any(|p| p.name == project.name) {
            let pins = pins.shown.clone();
            let trouble = Trouble::NotPinned { pins };
            findings.push(Finding::new(Severity::Risk, trouble, bring()).about(project));
        }
    }
}

/// Whether what is placed is another release or file than its pin.
pub fn differs_from_pin(pin: &Pinned, project: &Project) -> bool {
    differs(pin, project).is_some()
}

/// How what is placed differs from its pin, if it does. `1.0+local` is not `1.0`.
fn differs(pin: &Pinned, project: &Project) -> Option<PinDifference> {
    if let Some(wanted) = &pin.version {
        match &project.version {
            Some(found) if found == wanted => {}
            found => {
                return Some(PinDifference::Version {
                    pinned: wanted.clone(),
                    found: found.clone(),
                });
            }
        }
    }
    let from_wheel = project
        .wheel
        .as_ref()
        .map(|(file, sha256)| (file.clone(), sha256.clone()));
    let (file, found) = from_wheel.or_else(|| {
        let direct = project.direct.as_ref()?;
        Some((direct.url.clone(), direct.sha256.clone()?))
    })?;
    let archive = project.built.as_ref().map(|b| b.archive.as_str());
    let pinned = pin.files.iter().any(|(_, sha256)| {
        let is = |other: &str| sha256.eq_ignore_ascii_case(other);
        is(&found) || archive.is_some_and(is)
    });
    if pinned || pin.files.is_empty() {
        return None;
    }
    Some(PinDifference::File {
        pinned: pin.files.first()?.clone(),
        found: (file, found),
    })
}
