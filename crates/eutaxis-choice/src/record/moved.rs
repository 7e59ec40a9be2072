//! What moved between a lock file and a solution.

use crate::rehearse::MoveKind;
use crate::solve::Chosen;
use eutaxis_standards::name::Name;
use eutaxis_standards::pins::Lock;
use eutaxis_standards::version::Version;

/// A project whose pin is another than before.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Moved {
    /// The project.
    pub project: Name,
    /// The version that was pinned, as it stood there.
    pub before: Option<String>,
    /// The version that is chosen.
    pub after: Option<Version>,
    /// Which way it went.
    pub kind: MoveKind,
}

/// What moved: of what is chosen in its order, then what is not chosen any more.
pub fn moved<'a>(lock: &Lock, chosen: impl IntoIterator<Item = &'a Chosen>) -> Vec<Moved> {
    let mut moved = Vec::new();
    let mut stays: Vec<&Name> = Vec::new();
    for one in chosen {
        stays.push(&one.project);
        let pinned = lock.packages.iter().find(|p| p.name == one.project);
        let before = pinned.and_then(|p| p.version.clone());
        let parsed = before.as_deref().and_then(|v| Version::parse(v).ok());
        let kind = match parsed.map(|v| one.version.cmp(&v)) {
            None => MoveKind::Added,
            Some(std::cmp::Ordering::Greater) => MoveKind::Raised,
            Some(std::cmp::Ordering::Less) => MoveKind::Lowered,
            Some(std::cmp::Ordering::Equal) => continue,
        };
        moved.push(Moved {
            project: one.project.clone(),
            before,
            after: Some(one.version.clone()),
            kind,
        });
    }
    let gone = lock.packages.iter().filter(|p| !stays.contains(&&p.name));
    moved.extend(gone.map(|package| Moved {
        project: package.name.clone(),
        before: package.version.clone(),
        after: None,
        kind: MoveKind::Dropped,
    }));
    moved
}
