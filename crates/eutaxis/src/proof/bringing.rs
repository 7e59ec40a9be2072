//! The project that brings a module, where its name is all that is known: by the files of what the
//! depots have, else by what is known of well-known names.

use std::cell::{Cell, OnceCell, RefCell};
use std::collections::{BTreeMap, BTreeSet};
use std::rc::Rc;

use eutaxis_core::index::PageFile;
use eutaxis_core::interface::{Form, Set};
use eutaxis_core::knowledge::{bringing, module_named};
use eutaxis_core::name::is_identifier;
use eutaxis_core::offer::Rules;
use eutaxis_core::solve::Problem;
use eutaxis_core::{Name, Requirement};
use eutaxis_world::Error;
use eutaxis_world::supply::{Depth, Looked, Run};
use rayon::prelude::*;

use super::bearers::{Bearing, bearing};
use crate::answer::bringing::{Bringing, Shown};

/// So many parts of a module's name may be those of a project.
const MOST_PARTS: usize = 4;

/// So many projects of a depot on disk are looked into.
const MOST_LOOKED_AT: usize = 1000;

/// So many modules are looked for in files; of more only the well-known pairs are told.
const MOST_ASKED: usize = 50;

/// Looks for the projects that bring modules; what was found out is kept for the next question.
pub(crate) struct Bringers<'a> {
    run: &'a Run,
    rules: Rules<'a>,
    /// What may still be looked for in files.
    left: Cell<usize>,
    /// The modules of the newest wheels; none where they cannot be known.
    modules: RefCell<BTreeMap<Name, Option<Rc<Set>>>>,
    /// The projects of depots on this disk.
    on_disk: OnceCell<Vec<Name>>,
}

impl<'a> Bringers<'a> {
    pub(crate) fn new(run: &'a Run, rules: Rules<'a>) -> Self {
        Bringers {
            run,
            rules,
            left: Cell::new(MOST_ASKED),
            modules: RefCell::default(),
            on_disk: OnceCell::new(),
        }
    }

    /// Who brings a module, whose project bears another name or its own; none where nobody is known
    /// to.
    ///
    /// # Errors
    /// When the network fails.
    pub(crate) fn of(&self, module: &str) -> Result<Option<Bringing>, Error> {
        if !module.split('.').all(is_identifier) {
            return Ok(None);
        }
        let usual: Vec<Name> = bringing(module)
            .iter()
            .filter_map(|n| Name::parse(n).ok())
            .collect();
        let as_shown = |name: &Name, shown: Shown| Bringing {
            project: name.clone(),
            bound: None,
            shown,
        };
        let Some(left) = self
            .left
            .get()
            .checked_sub(1)
            .filter(|_| !self.run.depots().is_empty())
        else {
            let first = usual.first();
            return Ok(first.map(|name| as_shown(name, Shown::Usually)));
        };
        self.left.set(left);
        let parts: Vec<&str> = module.split('.').collect();
        let lengths = (1..=parts.len().min(MOST_PARTS)).rev();
        let own = lengths.filter_map(|n| Name::parse(&parts.get(..n)?.join("-")).ok());
        let mut seen = BTreeSet::new();
        let mut unread = None;
        let candidates = usual.iter().cloned().chain(own);
        for name in candidates.filter(|n| seen.insert(n.clone())) {
            match self.brings(&name, module)? {
                Some(true) => return Ok(Some(as_shown(&name, Shown::Files))),
                // An older release may have had it.
                Some(false) if usual.contains(&name) => {
                    if let Some(bound) = self.within(&name, module)? {
                        return Ok(Some(Bringing {
                            bound: Some(bound),
                            ..as_shown(&name, Shown::Files)
                        }));
                    }
                }
                None if usual.contains(&name) => {
                    unread.get_or_insert(as_shown(&name, Shown::Usually));
                }
                None if self.run.page_of(&name).is_some() => {
                    unread.get_or_insert(as_shown(&name, Shown::Named));
                }
                Some(false) | None => {}
            }
        }
        if unread.is_some() || self.run.depots().are_remote() {
            return Ok(unread);
        }
        // What lies on this disk can be looked through.
        let others = self.on_disk.get_or_init(|| {
            let all = self.run.depots().projects();
            all.into_iter().take(MOST_LOOKED_AT).collect()
        });
        for name in others.iter().filter(|n| !seen.contains(*n)) {
            if self.brings(name, module)? == Some(true) {
                return Ok(Some(as_shown(name, Shown::Files)));
            }
        }
        Ok(None)
    }

    /// Who brings the module that bears the name of a project that no depot has: people ask for what
    /// they import. None where nobody is known to, or where finding out fails.
    pub(crate) fn of_name(&self, name: &Name) -> Option<Bringing> {
        let module =
            module_named(name).map_or_else(|| name.as_str().replace('-', "_"), str::to_owned);
        let found = self.of(&module).ok().flatten();
        found.filter(|f| f.project != *name && f.shown != Shown::Named)
    }

    /// Whether the newest wheel of a project for the target has a module; none where its files do
    /// not tell, or no depot has it.
    fn brings(&self, project: &Name, module: &str) -> Result<Option<bool>, Error> {
        let known = self.modules.borrow().get(project).cloned();
        let set = match known {
            Some(known) => known,
            None => {
                let requirement = Requirement::any(project);
                let paths = paths_of(self.run, &self.rules, std::slice::from_ref(&requirement))?;
                let set = paths.into_iter().next().flatten().map(|paths| {
                    let mut set = Set::new(1);
                    paths.iter().for_each(|path| set.add(0, path));
                    Rc::new(set)
                });
                let mut modules = self.modules.borrow_mut();
                modules.insert(project.clone(), set.clone());
                set
            }
        };
        let above = module.rsplit_once('.').map(|(above, _)| above);
        Ok(set.map(|set| {
            let has = |m: &str| set.get(m).is_some_and(|at| at.form != Form::Namespace);
            has(module) || above.is_some_and(has)
        }))
    }

    /// The older releases of a project that have a module.
    fn within(&self, project: &Name, module: &str) -> Result<Option<String>, Error> {
        let (target, policy) = (self.rules.target.clone(), self.rules.policy.clone());
        let problem = Problem::new(target, policy, Vec::new());
        let sought = (module, None);
        Ok(match bearing(self.run, &problem, project, sought, None)? {
            Bearing::Within(bound) => Some(bound),
            Bearing::Newest | Bearing::Mentioned(_) | Bearing::None | Bearing::Unknown => None,
        })
    }
}

/// The paths, from the folder of modules on, of the files that these requirements would be met by;
/// none where they cannot be known without the whole file.
///
/// # Errors
/// When the network fails.
pub(crate) fn paths_of(
    run: &Run,
    rules: &Rules<'_>,
    requirements: &[Requirement],
) -> Result<Vec<Option<Vec<String>>>, Error> {
    let looked = run.look(requirements, rules, Depth::Gaps)?;
    let of = |(requirement, looked): (&Requirement, &Option<Looked>)| {
        let offers = looked.as_ref()?.judged.admitted(requirement, rules);
        let wheel = |o: &eutaxis_core::offer::Offer| {
            let best = o.best().filter(|f| f.is_wheel())?;
            Some((o.version.clone(), best.file.clone()))
        };
        let newest = offers.iter().filter_map(wheel);
        let (_, file) = newest.max_by(|a, b| a.0.cmp(&b.0))?;
        paths_in_file(run, &requirement.name, &file)
    };
    Ok(requirements.par_iter().zip(&looked).map(of).collect())
}

/// The paths in one file; none where its list cannot be had, which is not what was asked for.
pub(crate) fn paths_in_file(run: &Run, project: &Name, file: &PageFile) -> Option<Vec<String>> {
    let sources = run.sources(project, file, &|_| false);
    sources.ok().and_then(|s| s.paths)
}
