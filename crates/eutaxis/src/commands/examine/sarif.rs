//! Findings in the open format for findings of checks (SARIF 2.1.0), which CI services and editors show.

use std::collections::BTreeSet;
use std::path::Path;

use eutaxis_core::examine::{Finding, Severity};
use eutaxis_world::Error;
use eutaxis_world::files::{file_url, write_whole};
use serde_json::{Value, json};

/// Writes the findings, whole or not at all.
pub(super) fn write(findings: &[Finding], file: &Path) -> Result<(), Error> {
    let text = serde_json::to_string_pretty(&log(findings)).unwrap_or_default();
    write_whole(file, format!("{text}\n").as_bytes())
}

fn log(findings: &[Finding]) -> Value {
    let ids: BTreeSet<&str> = findings.iter().map(|f| f.id).collect();
    let rules: Vec<Value> =
        ids.iter().map(|id| json!({"id": id, "shortDescription": {"text": id.replace('-', " ")}})).collect();
    let results: Vec<Value> = findings.iter().map(result).collect();
    json!({
        "version": "2.1.0",
        "runs": [{
            "tool": {"driver": {"name": "eutaxis", "version": env!("CARGO_PKG_VERSION"), "rules": rules}},
            "results": results,
        }],
    })
}

fn result(finding: &Finding) -> Value {
    let level = match finding.severity {
        Severity::Breaks => "error",
        Severity::Risk => "warning",
        Severity::Note => "note",
    };
    let who = finding.project.as_ref().map_or(String::new(), |p| match &finding.version {
        Some(version) => format!("{p} {version}: "),
        None => format!("{p}: "),
    });
    let locations: Vec<Value> = finding
        .paths
        .iter()
        .map(|p| json!({"physicalLocation": {"artifactLocation": {"uri": file_url(Path::new(p))}}}))
        .collect();
    json!({
        "ruleId": finding.id, "level": level, "locations": locations,
        "message": {"text": format!("{who}{}. To do: {}", finding.evidence, finding.remedy)},
    })
}
