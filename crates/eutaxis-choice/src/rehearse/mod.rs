//! What would move: a set that is in place, a solution of what is to be added, and the difference
//! of the two.
//!
//! ```
//! use std::collections::BTreeMap;
//!
//! use eutaxis_choice::rehearse::{Placed, breaks};
//! use eutaxis_standards::{Name, Requirement, Version};
//!
//! let placed = |version: &str, needs: &[&str]| -> Result<Placed, eutaxis_standards::fault::Fault> {
//!     let needs = needs.iter().map(|n| Requirement::parse(n)).collect::<Result<_, _>>()?;
//!     let version = Version::parse(version)?;
//!     Ok(Placed { version, file: None, deliberate: true, needs })
//! };
//! let (radargram, firnio) = (Name::parse("radargram")?, Name::parse("firnio")?);
//! let before = BTreeMap::from([
//!     (radargram.clone(), placed("2.0.3", &["firnio<2"])?),
//!     (firnio.clone(), placed("1.3", &[])?),
//! ]);
//! // Somebody raises firnio and looks at nothing else.
//! let mut after = before.clone();
//! after.insert(firnio, placed("2.0", &[])?);
//! let broken = breaks(&before, &after);
//! assert_eq!(broken[0].project, radargram);
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```

use std::collections::BTreeMap;

use crate::solve::{Asker, Chosen, Problem, Solution};
use eutaxis_standards::marker::MarkerValues;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Requirement;
use eutaxis_standards::version::Version;

/// A project that is in place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Placed {
    /// Its release.
    pub version: Version,
    /// The file that it came from, when that is known.
    pub file: Option<String>,
    /// It was asked for by itself.
    pub deliberate: bool,
    /// What it needs there.
    pub needs: Vec<Requirement>,
}

/// Projects that are in place together.
pub type Set = BTreeMap<Name, Placed>;

/// How a project moves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum MoveKind {
    /// It was not there.
    Added,
    /// To a newer release.
    Raised,
    /// To an older release.
    Lowered,
    /// The same release from another file.
    Replaced,
    /// It goes.
    Dropped,
}

impl MoveKind {
    /// The word for it.
    pub fn as_str(self) -> &'static str {
        match self {
            MoveKind::Added => "added",
            MoveKind::Raised => "raised",
            MoveKind::Lowered => "lowered",
            MoveKind::Replaced => "replaced",
            MoveKind::Dropped => "dropped",
        }
    }
}

/// A project that moves.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Move {
    /// The project.
    pub project: Name,
    /// Its release before.
    pub before: Option<Version>,
    /// Its release afterwards.
    pub after: Option<Version>,
    /// How.
    pub kind: MoveKind,
    /// The file before, when it is known, and afterwards.
    pub files: (Option<String>, Option<String>),
    /// Why: who asks for it, in words; for a change those whom the release before does not satisfy.
    pub because: Vec<String>,
    /// It was placed deliberately, and nothing that was said now names it.
    pub silent: bool,
}

/// A need of a project in place that is not met any more.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Break {
    /// The project that needs.
    pub project: Name,
    /// Its release.
    pub version: Version,
    /// What it needs.
    pub needs: Requirement,
    /// The release that it will find.
    pub found: Version,
}

/// What moves when the solution of a problem is placed over a set: the difference of the two.
/// Nothing else is touched.
pub fn moves(before: &Set, problem: &Problem, solution: &Solution) -> Vec<Move> {
    let named: Vec<&Name> = problem
        .asks_in_force()
        .map(|(_, a)| &a.requirement.name)
        .collect();
    let mut moves: Vec<Move> = Vec::new();
    for chosen in &solution.chosen {
        let old = before.get(&chosen.project);
        let file = chosen.file.filename.to_string();
        let kind = match old {
            None => MoveKind::Added,
            Some(old) if old.version < chosen.version => MoveKind::Raised,
            Some(old) if old.version > chosen.version => MoveKind::Lowered,
            Some(old) if old.file.as_ref().is_some_and(|f| *f != file) => MoveKind::Replaced,
            Some(_) => continue,
        };
        moves.push(Move {
            project: chosen.project.clone(),
            before: old.map(|o| o.version.clone()),
            after: Some(chosen.version.clone()),
            kind,
            files: (old.and_then(|o| o.file.clone()), Some(file)),
            because: because(chosen, old, problem),
            silent: old.is_some_and(|o| o.deliberate) && !named.contains(&&chosen.project),
        });
    }
    // Silent ones first, then changes, then what is only added; the order of turns within.
    moves.sort_by_key(|m| (!m.silent, m.kind == MoveKind::Added));
    moves
}

/// The same where the solution is all that there will be: what it does not take goes.
pub fn moves_to(before: &Set, problem: &Problem, solution: &Solution) -> Vec<Move> {
    let mut all = moves(before, problem, solution);
    let gone = before
        .iter()
        .filter(|(name, _)| !solution.chosen.iter().any(|c| c.project == **name));
    all.extend(gone.map(|(name, placed)| Move {
        project: name.clone(),
        before: Some(placed.version.clone()),
        after: None,
        kind: MoveKind::Dropped,
        files: (placed.file.clone(), None),
        because: vec!["nothing needs it any more".to_owned()],
        silent: placed.deliberate,
    }));
    all.sort_by_key(|m| (!m.silent, m.kind == MoveKind::Added));
    all
}

fn because(chosen: &Chosen, old: Option<&Placed>, problem: &Problem) -> Vec<String> {
    let word = |asker: &Asker| match asker {
        Asker::Ask(i) => {
            let ask = problem.ask(*i)?;
            Some((
                format!("you ask {}", ask.requirement.short()),
                ask.requirement.clone(),
            ))
        }
        Asker::Project(name, text) => Some((
            format!("{name} needs {text}"),
            Requirement::parse_lenient(text).ok()?,
        )),
    };
    let askers: Vec<(String, Requirement)> = chosen.asked_by.iter().filter_map(word).collect();
    let unmet =
        |r: &Requirement| old.is_some_and(|o| r.versions().is_some_and(|s| !s.matches(&o.version)));
    let changed = old.is_some_and(|o| o.version != chosen.version);
    let mut told: Vec<String> = askers
        .iter()
        .filter(|(_, r)| !changed || unmet(r))
        .map(|(words, _)| words.clone())
        .collect();
    if told.is_empty() {
        told.push("the release before does not go with the others".to_owned());
    }
    told.dedup();
    told
}

/// What a chosen project needs of the others, as they say who asks for them.
fn needs_of(solution: &Solution, project: &Name) -> Vec<Requirement> {
    let askers = solution.chosen.iter().flat_map(|c| &c.asked_by);
    let mine = askers.filter_map(|asker| {
        if let Asker::Project(name, text) = asker
            && name == project
        {
            Requirement::parse_lenient(text).ok()
        } else {
            None
        }
    });
    mine.collect()
}

/// The set after the moves; `asked` is asked for by itself.
pub fn after(before: &Set, solution: &Solution, asked: &[Name]) -> Set {
    let mut set = before.clone();
    for chosen in &solution.chosen {
        let deliberate = asked.contains(&chosen.project)
            || before.get(&chosen.project).is_some_and(|p| p.deliberate);
        set.insert(
            chosen.project.clone(),
            Placed {
                version: chosen.version.clone(),
                file: Some(chosen.file.filename.to_string()),
                deliberate,
                needs: needs_of(solution, &chosen.project),
            },
        );
    }
    set
}

/// Needs within a set that are not met: those of `before` that were not met either are left out.
pub fn breaks(before: &Set, after: &Set) -> Vec<Break> {
    let unmet = |set: &Set| -> Vec<Break> {
        let mut found = Vec::new();
        for (project, placed) in set {
            for need in &placed.needs {
                let Some(other) = set.get(&need.name) else {
                    continue;
                };
                if need.versions().is_some_and(|s| !s.matches(&other.version)) {
                    found.push(Break {
                        project: project.clone(),
                        version: placed.version.clone(),
                        needs: need.clone(),
                        found: other.version.clone(),
                    });
                }
            }
        }
        found
    };
    let old = unmet(before);
    let same = |a: &Break, b: &Break| {
        a.project == b.project && a.version == b.version && a.needs == b.needs
    };
    unmet(after)
        .into_iter()
        .filter(|b| !old.iter().any(|o| same(o, b)))
        .collect()
}

/// The needs among requirements that count on a target without any extra.
pub fn base_needs(requirements: &[Requirement], values: &MarkerValues) -> Vec<Requirement> {
    let counts = |r: &&Requirement| r.marker.as_ref().is_none_or(|m| m.holds(values, None));
    requirements.iter().filter(counts).cloned().collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn set(lines: &[(&str, &str, &[&str])]) -> Set {
        let placed = |(name, version, needs): &(&str, &str, &[&str])| {
            let needs = needs
                .iter()
                .map(|n| Requirement::parse(n).unwrap())
                .collect();
            let version = Version::parse(version).unwrap();
            (
                Name::parse(name).unwrap(),
                Placed {
                    version,
                    file: None,
                    deliberate: false,
                    needs,
                },
            )
        };
        lines.iter().map(placed).collect()
    }

    #[test]
    fn what_was_broken_before_is_not_broken_now() {
        let before = set(&[("a", "1", &["c<2"]), ("b", "1", &["c>=9"]), ("c", "1", &[])]);
        let mut after = before.clone();
        after.extend(set(&[("c", "2", &[])]));
        let told: Vec<String> = breaks(&before, &after)
            .iter()
            .map(|b| format!("{} {}", b.project, b.needs))
            .collect();
        assert_eq!(told, ["a c<2"]);
        assert!(breaks(&after, &after).is_empty());
    }
}
