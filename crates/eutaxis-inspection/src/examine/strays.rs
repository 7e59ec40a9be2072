//! `stray-file`: files that no project owns.

use std::collections::BTreeMap;

use super::{FilesTrouble, Finding, Severity, Snapshot, Trouble};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    // What is told as a leftover is not told again.
    let told: Vec<&str> = findings
        .iter()
        .filter(|f| f.id() == "leftover")
        .flat_map(|f| &f.paths)
        .map(String::as_str)
        .collect();
    let mut tops: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for stray in &snapshot.strays {
        let shown = snapshot.shown(&stray.path);
        let top = shown.split('/').next().unwrap_or("").to_owned();
        if !top.starts_with('~') && !told.contains(&stray.path.as_str()) {
            tops.entry(top).or_default().push(stray.path.clone());
        }
    }
    for (top, paths) in tops {
        let files = paths.iter().map(|p| snapshot.shown(p)).collect();
        let trouble = Trouble::Files(FilesTrouble::Strays { top, files });
        let remedy = "nothing, if you put them there; furnish leaves them alone".to_owned();
        findings.push(Finding::new(Severity::Note, trouble, remedy).of(paths));
    }
}
