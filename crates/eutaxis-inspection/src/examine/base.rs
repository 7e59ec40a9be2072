//! `base-gone`, `moved-environment`: the interpreter behind the environment, and the place where it
//! was made (PEP 405).

use super::{BaseTrouble, Finding, PlaceFault, Severity, Snapshot, Trouble};
use crate::remedy::{Remedy, Step};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    let again = || {
        let pins = snapshot.pins.as_ref().map(|p| p.shown.as_str());
        // Where none were named they are the reader's to name.
        let pins = pins.or(Some("PINS"));
        let step = Step::furnish(pins, &format!("{}-new", snapshot.name), false);
        Remedy::new("make it anew from its pins, at another place", step)
    };
    for fault in &snapshot.faults {
        let (trouble, paths) = match fault.clone() {
            PlaceFault::BaseGone(base) => {
                let paths = vec![base.clone()];
                (Trouble::Base(BaseTrouble::Gone(base)), paths)
            }
            PlaceFault::OtherBase(recorded, found) => (
                Trouble::Base(BaseTrouble::Other(recorded, found)),
                Vec::new(),
            ),
            PlaceFault::NoInterpreter(why) => {
                (Trouble::Base(BaseTrouble::Unusable(why)), Vec::new())
            }
            PlaceFault::Moved(made, leading) => {
                let paths = leading.clone();
                (Trouble::Moved { made, leading }, paths)
            }
        };
        findings.push(Finding::new(Severity::Breaks, trouble, again()).of(paths));
    }
}
