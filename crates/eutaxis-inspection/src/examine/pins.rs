//! `absent-pin`, `differs-from-pin`, `not-pinned`: what is placed against what was pinned.

use super::Remedy;
use super::{Finding, Pinned, Project, Severity, Snapshot};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    let Some(pins) = &snapshot.pins else { return };
    let bring = || Remedy::new("bring it to the pins", snapshot.furnish(true));
    for pin in &pins.entries {
        let Some((_, project)) = snapshot.here().find(|(_, p)| p.name == pin.name) else {
            let version = pin
                .version
                .as_ref()
                .map_or(String::new(), |v| format!(" {v}"));
            let evidence = format!(
                "{} pins {}{version}, which is not placed",
                pins.shown, pin.name
            );
            let mut finding = Finding::new("absent-pin", Severity::Breaks, evidence, bring());
            finding.project = Some(pin.name.clone());
            finding.version = pin.version.as_ref().map(ToString::to_string);
            findings.push(finding);
            continue;
        };
        if let Some(how) = differs(pin, project) {
            let evidence = format!("{} pins {how}", pins.shown);
            findings.push(
                Finding::new("differs-from-pin", Severity::Breaks, evidence, bring())
                    .about(project),
            );
        }
    }
    for (_, project) in snapshot.here() {
        if !pins.entries.iter().any(|p| p.name == project.name) {
            let evidence = format!("{} does not pin it", pins.shown);
            findings
                .push(Finding::new("not-pinned", Severity::Risk, evidence, bring()).about(project));
        }
    }
}

/// How what is placed differs from its pin, if it does. `1.0+local` is not `1.0`.
fn differs(pin: &Pinned, project: &Project) -> Option<String> {
    if let Some(wanted) = &pin.version {
        match &project.version {
            Some(found) if found == wanted => {}
            Some(found) => return Some(format!("{wanted}; {found} is in place")),
            None => return Some(format!("{wanted}; what is in place names no version")),
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
    let pinned = pin
        .files
        .iter()
        .any(|(_, sha256)| sha256.eq_ignore_ascii_case(&found));
    if pinned || pin.files.is_empty() {
        return None;
    }
    let (wanted, sha256) = pin.files.first()?;
    let start = |hash: &str| hash.chars().take(12).collect::<String>();
    Some(format!(
        "{wanted} ({}...); in place is {file} ({}...)",
        start(sha256),
        start(&found)
    ))
}
