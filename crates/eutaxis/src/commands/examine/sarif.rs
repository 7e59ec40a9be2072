//! Findings in the open format for findings of checks (SARIF 2.1.0).

use std::path::Path;

use eutaxis_core::examine::{Finding, Severity};
use eutaxis_world::Error;

use crate::sarif::{Result, located, write as write_log};

/// Writes the findings, whole or not at all.
pub(super) fn write(findings: &[Finding], file: &Path) -> std::result::Result<(), Error> {
    write_log(findings.iter().map(result), file)
}

fn result(finding: &Finding) -> Result {
    let level = match finding.severity {
        Severity::Breaks => "error",
        Severity::Risk => "warning",
        Severity::Note => "note",
    };
    let who = finding
        .project
        .as_ref()
        .map_or(String::new(), |p| match &finding.version {
            Some(version) => format!("{p} {version}: "),
            None => format!("{p}: "),
        });
    Result {
        id: finding.id.to_owned(),
        level,
        message: format!("{who}{}. To do: {}", finding.evidence, finding.remedy),
        locations: finding
            .paths
            .iter()
            .map(|p| located(Path::new(p), None))
            .collect(),
    }
}
