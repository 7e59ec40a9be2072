//! `variant-mismatch`: a wheel variant that asks for what the machine has not (draft PEP 825).

use super::Remedy;
use super::{Finding, Severity, Snapshot, Trouble};
use eutaxis_standards::targets::VariantMiss;

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    for (_, project) in snapshot.here() {
        let miss = match &project.variants {
            None => continue,
            Some(Err(why)) => VariantMiss::Unread(why.clone()),
            Some(Ok(variants)) => {
                // A wheel describes just its own.
                let Some(label) = variants.labels().next() else {
                    continue;
                };
                match snapshot.target.variant(variants, label) {
                    Ok(_) => continue,
                    Err(miss) => miss,
                }
            }
        };
        let severity = match miss {
            VariantMiss::Unmet(..) => Severity::Breaks,
            VariantMiss::Unknown(..) | VariantMiss::Undescribed(_) | VariantMiss::Unread(_) => {
                Severity::Risk
            }
        };
        let remedy = Remedy::shortlist("place the file for this machine", &project.name);
        let finding = Finding::new(severity, Trouble::Variant(Box::new(miss)), remedy);
        findings.push(finding.about(project).of(vec![project.info.clone()]));
    }
}
