//! `wrong-architecture`, `unreadable-binary`: compiled files that this machine's programs cannot
//! load (PEP 425, platform tag; System V ABI, PE and Mach-O formats).

use super::Remedy;
use super::{Compiled, CompiledTrouble, Finding, Severity, Snapshot, Trouble};
use crate::binary::{Binary, Format, PythonAbi, named_abi};
use eutaxis_standards::targets::{System, Target};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    for compiled in snapshot
        .compiled
        .iter()
        .filter(|c| snapshot.is_loaded(c) || is_ours_elsewhere(snapshot, c))
    {
        let file = snapshot.shown(&compiled.path);
        let trouble = match &compiled.parts {
            Err(why) => CompiledTrouble::Unreadable {
                file,
                why: why.to_string(),
            },
            Ok(parts) if !parts.iter().any(|p| fits(p, &snapshot.target)) => {
                let described = parts.iter().map(|p| described(p, &snapshot.target));
                CompiledTrouble::WrongArchitecture {
                    file,
                    parts: described.collect(),
                    here: snapshot.target.platform.to_string(),
                }
            }
            Ok(_) => continue,
        };
        let owner = compiled
            .owner
            .and_then(|o| snapshot.projects.get(o))
            .map_or("PROJECT", |p| p.name.as_str());
        let remedy = Remedy::shortlist("take the file for this machine", owner);
        let finding = Finding::new(Severity::Breaks, Trouble::Compiled(trouble), remedy);
        findings.push(
            finding
                .about_owner(snapshot, compiled.owner)
                .of(vec![compiled.path.clone()]),
        );
    }
}

/// A module for this interpreter on another machine: its ending is not looked for, so that it is
/// not loaded either, and nothing stands in for it.
fn is_ours_elsewhere(snapshot: &Snapshot, compiled: &Compiled) -> bool {
    let Some(PythonAbi::Exact(abi)) = named_abi(&compiled.path) else {
        return false;
    };
    let stem = |path: &str| {
        path.rsplit_once('/')
            .map(|(f, n)| (f.to_owned(), n.split('.').next().map(str::to_owned)))
    };
    let wanted = stem(&compiled.path);
    let replaced = || {
        snapshot
            .compiled
            .iter()
            .any(|c| c.importable && stem(&c.path) == wanted)
    };
    snapshot.target.interpreter.abis.contains(&abi) && !replaced()
}

/// Whether a part is one that the target's programs load.
pub(crate) fn fits(part: &Binary, target: &Target) -> bool {
    part.format == form(target) && target.platform.loads_arch(&part.arch)
}

/// The form of compiled files that the target's programs load.
fn form(target: &Target) -> Format {
    match target.platform.system {
        System::Linux(_) => Format::Elf,
        System::Macos(..) => Format::MachO,
        System::Windows => Format::Pe,
    }
}

fn described(part: &Binary, target: &Target) -> String {
    let own = part.format == form(target);
    if own {
        part.arch.clone()
    } else {
        format!("{} ({})", part.arch, part.format.system())
    }
}
