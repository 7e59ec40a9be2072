//! Whether what is placed sees the accelerator: what a check of a framework printed, held against
//! what the machine has (docs/examine.md).

use super::imports::last_line;
use super::{Ended, Finding, Project, RunTrouble, Severity, Snapshot, Trial, Trouble};
use crate::remedy::Remedy;
use eutaxis_standards::knowledge::{DeviceCheck, MadeFor};
use eutaxis_standards::name::Name;
use eutaxis_standards::version::Version;

/// What a project sees of a family of accelerators.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sight {
    /// The project.
    pub project: Name,
    /// Its release.
    pub version: Option<Version>,
    /// The family.
    pub family: String,
    /// How many devices; none when the check did not end well.
    pub devices: Option<usize>,
    /// What they are called.
    pub names: Vec<String>,
    /// Whether a small computation went well; none where none was made.
    pub computed: Option<bool>,
    /// Whether the machine has one.
    pub is_here: bool,
}

impl Sight {
    /// Whether that is how it must be: none where there is none, else one that computes.
    pub fn is_right(&self) -> bool {
        match self.devices {
            None => false,
            Some(0) => !self.is_here,
            Some(_) => self.computed != Some(false),
        }
    }

    /// What it sees, in words.
    pub fn words(&self) -> String {
        let (project, family) = (&self.project, &self.family);
        let names = match self.names.as_slice() {
            [] => String::new(),
            all => format!(" ({})", eutaxis_standards::fault::escaped(&all.join(", "))),
        };
        match self.devices {
            None => format!("{project} cannot be asked for {family}"),
            Some(0) if self.is_here => format!("{project} sees no device of {family}"),
            Some(0) => format!("{project} sees no device of {family}, and none is here"),
            Some(n) => {
                let s = if n == 1 { "" } else { "s" };
                let beside = match self.is_here {
                    true => "",
                    false => ", which was not found on this machine",
                };
                let computes = match self.computed {
                    Some(true) => " and computes",
                    Some(false) => ", and computing fails",
                    None => "",
                };
                format!("{project} sees {n} device{s} of {family}{names}{beside}{computes}")
            }
        }
    }
}

/// Checks that can be made: those of placed projects, with the place of the project.
pub fn checks(snapshot: &Snapshot) -> Vec<(DeviceCheck, usize)> {
    let families = &snapshot.target.accelerators.families;
    let of = |(index, project): (usize, &Project)| {
        let mine = families.checks_of(&project.name);
        mine.map(move |check| (check.clone(), index))
            .collect::<Vec<_>>()
    };
    snapshot.here().flat_map(of).collect()
}

/// What the checks that were run show.
pub fn sights(
    snapshot: &Snapshot,
    checks: &[(DeviceCheck, usize)],
    ran: &[Trial],
) -> (Vec<Sight>, Vec<Finding>) {
    let (mut all, mut findings) = (Vec::new(), Vec::new());
    for ((check, index), trial) in checks.iter().zip(ran) {
        let Some(project) = snapshot.projects.get(*index) else {
            continue;
        };
        let behind = |word: &str| {
            let lines = trial.printed.lines();
            let told = lines.filter_map(|l| l.trim().strip_prefix(word));
            told.map(|t| t.trim().to_owned()).collect::<Vec<_>>()
        };
        let well = trial.ended == Ended::Well;
        let devices = behind("devices ").last().and_then(|n| n.parse().ok());
        let sight = Sight {
            project: project.name.clone(),
            version: project.version.clone(),
            family: check.family.clone(),
            devices: devices.filter(|_| well),
            names: behind("name "),
            computed: behind("computed ").last().map(|t| t == "ok"),
            is_here: snapshot.target.accelerators.has(&check.family),
        };
        if !sight.is_right() {
            findings.push(finding(snapshot, project, &sight, trial));
        }
        all.push(sight);
    }
    (all, findings)
}

/// Why something does not see the accelerator, as far as the environment tells.
fn finding(snapshot: &Snapshot, project: &Project, sight: &Sight, trial: &Trial) -> Finding {
    let made = made_for(snapshot, project);
    let (accelerators, system) = (
        &snapshot.target.accelerators,
        snapshot.target.platform.system,
    );
    let mut uses = made.iter().filter(|m| {
        let family = m.family();
        family.is_some_and(|f| f.name == sight.family)
    });
    let because = match (sight.devices, uses.next()) {
        (Some(0), None) => Some(
            "its build is for the processor only, as far as label and libraries tell".to_owned(),
        ),
        (_, Some(made)) => accelerators.miss(made, system).map(|m| m.to_string()),
        _ => None,
    };
    let trouble = RunTrouble::Device {
        sight: sight.clone(),
        ended: trial.ended,
        last: last_line(&trial.complained),
        because,
    };
    let severity = match sight.is_here {
        true => Severity::Breaks,
        false => Severity::Risk,
    };
    let remedy = match sight.is_here {
        true => Remedy::shortlist(
            "take the newest build that the accelerator runs",
            &project.name,
        ),
        false => "look at what it says: the machine has none".into(),
    };
    Finding::new(severity, Trouble::Run(trouble), remedy).about(project)
}

/// What the builds of a project were made for, by its label, else by the libraries of its files.
fn made_for(snapshot: &Snapshot, project: &Project) -> Vec<MadeFor> {
    let families = &snapshot.target.accelerators.families;
    let by_label = project
        .version
        .as_ref()
        .and_then(|v| families.of_version(v));
    if let Some(made) = by_label {
        return vec![made];
    }
    let owned = snapshot.compiled.iter().filter(|c| {
        let owner = c.owner.and_then(|o| snapshot.projects.get(o));
        owner.is_some_and(|o| o.name == project.name)
    });
    let parts = owned.flat_map(|c| c.parts.iter().flatten());
    let told = parts
        .flat_map(|p| &p.needs)
        .filter_map(|l| families.of_library(l));
    told.map(|(family, toolkit)| MadeFor::Toolkit(family, toolkit))
        .collect()
}
