//! Findings in the open format for findings of checks (SARIF 2.1.0).

use std::path::Path;

use eutaxis_core::examine::{Finding, Severity};
use eutaxis_world::Error;

use crate::sarif::{Level, Location, Result, write as write_log};
use crate::words;

/// Writes the findings, whole or not at all.
pub(super) fn write(findings: &[Finding], file: &Path) -> std::result::Result<(), Error> {
    write_log(findings.iter().map(result), file)
}

fn result(finding: &Finding) -> Result {
    let level = match finding.severity {
        Severity::Breaks => Level::Error,
        Severity::Risk => Level::Warning,
        Severity::Note => Level::Note,
    };
    let who = finding
        .project
        .as_ref()
        .map_or(String::new(), |p| match &finding.version {
            Some(version) => format!("{p} {version}: "),
            None => format!("{p}: "),
        });
    let remedy = words::steps::remedy(&finding.remedy);
    let locations = finding.paths.iter();
    Result::new(
        finding.id(),
        level,
        format!("{who}{}. To do: {}", finding.evidence(), remedy),
        locations
            .map(|p| Location::new(Path::new(p), None))
            .collect(),
    )
}
