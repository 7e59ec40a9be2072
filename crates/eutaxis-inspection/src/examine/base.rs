//! `base-gone`, `moved-environment`: the interpreter behind the environment, and the place where it
//! was made (PEP 405).

use super::{Finding, PlaceFault, Severity, Snapshot, some};
use super::{Remedy, Step};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    let again = || {
        let step = Step::Furnish {
            pins: Some("PINS".to_owned()),
            environment: format!("{}-new", snapshot.name),
            tidy: false,
        };
        Remedy::new("make it anew from its pins, at another place", step)
    };
    for fault in &snapshot.faults {
        let (id, evidence, paths) = match fault {
            PlaceFault::BaseGone(base) => (
                "base-gone",
                format!("its base interpreter is not there: {base}"),
                vec![base.clone()],
            ),
            PlaceFault::OtherBase(recorded, found) => (
                "base-gone",
                format!(
                    "it was made with Python {recorded}, and its base interpreter is {found} now"
                ),
                Vec::new(),
            ),
            PlaceFault::NoInterpreter(why) => (
                "base-gone",
                format!("its interpreter cannot be used: {why}"),
                Vec::new(),
            ),
            PlaceFault::Moved(made, files) => {
                let leading = if files.is_empty() {
                    String::new()
                } else {
                    format!("; {} lead there", some(files))
                };
                (
                    "moved-environment",
                    format!("it was made at {made}{leading}"),
                    files.clone(),
                )
            }
        };
        findings.push(Finding::new(id, Severity::Breaks, evidence, again()).of(paths));
    }
}
