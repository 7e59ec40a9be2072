//! `device-unsupported`: compiled files that hold code for devices, and none that those of the machine
//! run (docs/accelerators.md).

use std::collections::BTreeMap;

use crate::binary::code_of;

use super::{Compiled, Finding, Remedy, Severity, Snapshot, Trouble};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    let accelerators = &snapshot.target.accelerators;
    if accelerators.is_empty() {
        return;
    }
    let mut owned: BTreeMap<usize, Vec<&Compiled>> = BTreeMap::new();
    for compiled in &snapshot.compiled {
        let holds = compiled.parts.iter().flatten().any(|p| !p.code.is_empty());
        if let Some(owner) = compiled.owner.filter(|_| holds) {
            owned.entry(owner).or_default().push(compiled);
        }
    }
    for (index, files) in owned {
        let Some(project) = snapshot.projects.get(index).filter(|p| p.here) else {
            continue;
        };
        let images = files
            .iter()
            .flat_map(|c| code_of(&c.path, c.parts.as_deref().unwrap_or_default()));
        let code = accelerators.families.device_code(images);
        let Some(miss) = accelerators.code_miss(&code) else {
            continue;
        };
        let words = "take the newest build with code for the device";
        let remedy = Remedy::shortlist(words, &project.name);
        let trouble = Trouble::DeviceUnsupported(miss);
        let paths = files.iter().map(|c| c.path.clone()).collect();
        let finding = Finding::new(Severity::Breaks, trouble, remedy);
        findings.push(finding.about(project).of(paths));
    }
}
