//! What is wrong with a set, from its contents or from an import: who took what of whom.

use std::path::Path;

use eutaxis_core::diagnose::{Context, Reader};
use eutaxis_core::evidence::Evidence;
use eutaxis_core::examine::{Attempt, Ended, Raised, RaisedKind, raised};
use eutaxis_core::fault::escaped;
use eutaxis_core::interface::{Gap, Lack};
use eutaxis_core::knowledge::{
    Causes, Lacking, is_standard, lacking_module, lacking_name, was_everywhere,
};

use eutaxis_world::Error;

use super::contents::Contents;

/// Causes that are faults of a machine: no other release mends them, and what they say of this
/// machine says nothing of others.
const OF_THE_MACHINE: [&str; 16] = [
    "no-space",
    "memory-exhausted",
    "not-permitted",
    "path-too-long",
    "tls-untrusted",
    "network-unreachable",
    "library-absent",
    "libc-too-old",
    "cxx-runtime-too-old",
    "driver-too-old",
    "device-unsupported",
    "toolkit-absent",
    "display-absent",
    "too-many-files",
    "text-encoding",
    "file-corrupt",
];

/// Something that is wrong with a set.
#[derive(Debug, Clone)]
pub(crate) struct Failure {
    /// The project of the module whose import led there.
    pub(crate) owner: usize,
    /// The project that ran into it.
    pub(crate) taker: usize,
    /// Its source, from the folder of modules on, where that is known.
    pub(crate) file: Option<String>,
    /// The module whose import led there.
    pub(crate) root: String,
    /// The import ended the process.
    ended: bool,
    /// It is below what people import first: worth a bound on another project, and no reason to give
    /// up a release.
    pub(crate) slight: bool,
    /// What happened, in words.
    pub(crate) told: String,
    pub(crate) evidence: Evidence,
    /// What explains it, as an id of `diagnose`.
    pub(crate) cause: Option<String>,
    pub(crate) kind: Kind,
}

/// What kind of thing it is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Kind {
    /// Something is taken that is not there.
    Lacks(Lack),
    /// Projects that met in the call that failed, the caller first, the innermost pair first.
    Met(Vec<(usize, usize)>),
    /// A compiled part was built against another series of a project.
    BuiltAgainst(usize),
    /// The release does not run by this interpreter, or beside what it needs.
    Unfit {
        /// Its source is not for this interpreter, or its wheel is none.
        by_syntax: bool,
    },
    /// Another project brings one of its files, with other contents: only one of them can be there.
    Shared,
    /// A fault of the machine.
    Machine,
}

impl Failure {
    /// Whether it is about a part that nobody asked for: a script, and nothing else, lacks what
    /// nobody states, or ends what imports it; or one of several modules lacks what is needed for an
    /// extra.
    pub(crate) fn is_of_a_part(&self, contents: &Contents) -> bool {
        if let Kind::Lacks(Lack::Module {
            module,
            owner: None,
        }) = &self.kind
            && contents.is_of_an_extra(self.taker, &self.root, module)
        {
            return true;
        }
        let by_itself = match &self.kind {
            Kind::Unfit { by_syntax } => !by_syntax,
            Kind::Met(_) | Kind::BuiltAgainst(_) | Kind::Lacks(_) | Kind::Machine => self.ended,
            Kind::Shared => false,
        };
        by_itself && contents.is_only_started(&self.root)
    }

    /// The project that lacks what is taken of it, or that a compiled part was not built against.
    pub(crate) fn other(&self) -> Option<usize> {
        match &self.kind {
            Kind::Lacks(Lack::Name { owner, .. }) | Kind::BuiltAgainst(owner) => Some(*owner),
            Kind::Lacks(Lack::Module { owner, .. }) => *owner,
            Kind::Lacks(Lack::Standard { .. })
            | Kind::Met(_)
            | Kind::Unfit { .. }
            | Kind::Shared
            | Kind::Machine => None,
        }
    }

    /// Whether another project of the set, or one more, may mend it: one takes what another does not
    /// have, or was built against another series of it, or takes what every environment used to
    /// bring; or another one does not go with the interpreter.
    pub(crate) fn is_between(&self) -> bool {
        if let Kind::Lacks(Lack::Module {
            module,
            owner: None,
        }) = &self.kind
        {
            return was_everywhere(module.split('.').next().unwrap_or(module));
        }
        let is_of_another =
            matches!(self.kind, Kind::Lacks(Lack::Standard { .. })) && self.taker != self.owner;
        is_of_another || self.other().is_some_and(|o| o != self.taker)
    }

    /// The module that is lacking, when no project of the set is there to bring it.
    pub(crate) fn lacks_of_nobody(&self) -> Option<String> {
        match &self.kind {
            Kind::Lacks(
                Lack::Module {
                    module,
                    owner: None,
                }
                | Lack::Standard {
                    module, name: None, ..
                },
            ) => Some(module.split('.').next().unwrap_or(module).to_owned()),
            Kind::Lacks(_)
            | Kind::Met(_)
            | Kind::BuiltAgainst(_)
            | Kind::Unfit { .. }
            | Kind::Shared
            | Kind::Machine => None,
        }
    }

    /// How the interpreter lacks what is taken, if that is what is wrong.
    pub(crate) fn lacking(&self) -> Option<Lacking> {
        if let Kind::Lacks(Lack::Standard { how, .. }) = &self.kind {
            Some(*how)
        } else {
            None
        }
    }

    /// What the contents show.
    pub(crate) fn of_gap(gap: &Gap, contents: &Contents) -> Self {
        Failure {
            owner: gap.taker,
            taker: gap.taker,
            file: Some(gap.file.clone()),
            root: gap.root.clone(),
            ended: false,
            slight: false,
            told: gap.told(&contents.names),
            evidence: Evidence::Read,
            cause: None,
            kind: Kind::Lacks(gap.lack.clone()),
        }
    }

    /// A wheel that cannot be placed at all, by its place in the set.
    pub(crate) fn of_refused(taker: usize, filename: &str, error: &Error) -> Self {
        let why = error.message.split(" is refused: ").last();
        let why = why.unwrap_or(&error.message);
        Failure {
            owner: taker,
            taker,
            file: None,
            root: String::new(),
            ended: false,
            slight: false,
            told: format!(
                "cannot be placed: {} in {}",
                escaped(why),
                escaped(filename)
            ),
            evidence: Evidence::Read,
            cause: None,
            kind: Kind::Unfit { by_syntax: true },
        }
    }

    /// Projects that cannot be placed together, each with one that brings the same file.
    pub(crate) fn of_shared(contents: &Contents) -> Vec<Self> {
        let told = |((one, other), path): (&(usize, usize), &String)| {
            let other = contents.names.get(*other).map_or("", String::as_str);
            Failure {
                owner: *one,
                taker: *one,
                file: Some(path.clone()),
                root: path.clone(),
                ended: false,
                slight: false,
                told: format!(
                    "and {other} both bring {}, with different contents, so that only one of them \
                        can be placed",
                    escaped(path)
                ),
                evidence: Evidence::Read,
                cause: None,
                kind: Kind::Shared,
            }
        };
        contents.shared.iter().map(told).collect()
    }

    /// What an import ran into.
    pub(crate) fn of_attempt(
        attempt: &Attempt,
        contents: &Contents,
        site: &Path,
        series: (u64, u64),
        causes: &Causes,
        context: &Context<'_>,
    ) -> Self {
        let raised = raised(&attempt.output);
        let mut reader = Reader::new(causes, context);
        reader.read(attempt.output.as_bytes());
        let cause = reader.finish().causes.into_iter().next();
        let owner = attempt.owner.unwrap_or_default();
        let projects = projects_of(&raised, contents, site, owner);
        let taker = projects.last().copied().unwrap_or(owner);
        let id = cause.as_ref().map(|c| c.id.clone());
        let kind = match &id {
            Some(id) if OF_THE_MACHINE.contains(&id.as_str()) => Kind::Machine,
            _ => kind(
                attempt,
                &raised,
                contents,
                &projects,
                series,
                cause.as_ref(),
            ),
        };
        let last = raised.frames.last();
        let inside = last.and_then(|(file, _)| Path::new(file).strip_prefix(site).ok());
        Failure {
            owner,
            taker,
            file: inside.map(|p| p.to_string_lossy().into_owned()),
            root: attempt.module.clone(),
            ended: matches!(attempt.ended, Ended::Exited(_)),
            slight: false,
            told: told(attempt, &raised).replace(&format!("{}/", site.display()), ""),
            evidence: Evidence::Ran,
            cause: id,
            kind,
        }
    }
}

/// The projects through which a traceback goes, the outermost first, each once in a row.
fn projects_of(raised: &Raised, contents: &Contents, site: &Path, first: usize) -> Vec<usize> {
    let mut projects = vec![first];
    for (file, _) in &raised.frames {
        let inside = Path::new(file).strip_prefix(site).ok();
        let owner = inside.and_then(|p| contents.owner(&p.to_string_lossy()));
        if let Some(owner) = owner.filter(|o| projects.last() != Some(o)) {
            projects.push(owner);
        }
    }
    projects
}

fn kind(
    attempt: &Attempt,
    raised: &Raised,
    contents: &Contents,
    projects: &[usize],
    series: (u64, u64),
    cause: Option<&eutaxis_core::diagnose::Cause>,
) -> Kind {
    let lack = match &raised.kind {
        RaisedKind::Module(module) => Some((module.as_str(), None)),
        RaisedKind::Name { module, name } => Some((module.as_str(), Some(name.as_str()))),
        RaisedKind::Syntax => return Kind::Unfit { by_syntax: true },
        RaisedKind::Other => None,
    };
    if let Some((module, name)) = lack
        && let Some(lack) = lacking(module, name, contents, series)
    {
        return Kind::Lacks(lack);
    }
    let named = |key: &str| {
        let told = cause?.facts.get(key)?;
        let is_it = |n: &String| n.split(' ').next() == Some(told.as_str());
        contents.names.iter().position(is_it)
    };
    if cause.is_some_and(|c| c.id == "abi-changed") || matches!(attempt.ended, Ended::Signal(_)) {
        let against = ["interface", "project", "library"]
            .into_iter()
            .find_map(named);
        if let Some(other) = against.filter(|o| projects.last() != Some(o)) {
            return Kind::BuiltAgainst(other);
        }
    }
    let pairs: Vec<(usize, usize)> = projects
        .windows(2)
        .rev()
        .filter_map(|w| Some((*w.first()?, *w.get(1)?)))
        .filter(|(caller, callee)| caller != callee)
        .collect();
    if pairs.is_empty() {
        Kind::Unfit { by_syntax: false }
    } else {
        Kind::Met(pairs)
    }
}

/// What is lacking, and in whom.
fn lacking(
    module: &str,
    name: Option<&str>,
    contents: &Contents,
    series: (u64, u64),
) -> Option<Lack> {
    let top = module.split('.').next().unwrap_or(module);
    let owner_of = |module: &str| contents.set.get(module).map(|l| l.project);
    if is_standard(top) && owner_of(top).is_none() {
        let how = match name {
            Some(name) => lacking_name(module, name, series),
            None => lacking_module(module, series).or_else(|| lacking_module(top, series)),
        };
        return how.map(|how| Lack::Standard {
            module: module.to_owned(),
            name: name.map(str::to_owned),
            how,
        });
    }
    match name {
        Some(name) => Some(Lack::Name {
            module: module.to_owned(),
            name: name.to_owned(),
            owner: owner_of(module)?,
        }),
        None => {
            let parent = module
                .rsplit_once('.')
                .and_then(|(above, _)| owner_of(above));
            Some(Lack::Module {
                module: module.to_owned(),
                owner: parent.or_else(|| owner_of(top)),
            })
        }
    }
}

fn told(attempt: &Attempt, raised: &Raised) -> String {
    let module = &attempt.module;
    let last = escaped(&raised.last);
    match attempt.ended {
        Ended::Well => format!("`import {module}` is done"),
        Ended::Raised => format!("`import {module}` fails: {last}"),
        Ended::Exited(code) => format!("`import {module}` ends the process with {code}"),
        Ended::Signal(signal) => format!("`import {module}` ends the process by signal {signal}"),
        Ended::Hung(seconds) => format!("`import {module}` is not done after {seconds} s"),
    }
}
