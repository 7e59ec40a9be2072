//! Source trees that are asked for: what they are called, what they need, and what of that only
//! their build systems tell.

use std::sync::Arc;
use std::sync::atomic::AtomicBool;

use eutaxis_core::artifact::{Metadata, SourceFiles};
use eutaxis_core::fault::escaped;
use eutaxis_core::offer::Policy;
use eutaxis_core::requirement::{Accepts, Ask};
use eutaxis_core::{Name, Target, Version};
use eutaxis_world::build::broken_off;
use eutaxis_world::depot::{Depots, KnownTree, TreeKind, sdist_metadata};
use eutaxis_world::files::read_text;
use eutaxis_world::interpreter::Found;
use eutaxis_world::supply::{built_metadata, keep_built};
use eutaxis_world::trees::{Packed, TreeAt, identity_of, packed_folder, packed_repository};
use eutaxis_world::{Error, ErrorKind};

use super::make::{Archive, Maker, Recipe};
use crate::asks::Asks;
use crate::cli::{BuildOptions, TargetOptions};
use crate::output::Output;
use crate::plan::{self, Surroundings};
use crate::typed;
use crate::words::{near, place};

/// Looks into the trees that are asked for, for the first target; gives the projects that are the
/// user's own.
pub(crate) fn know(
    asks: &Asks,
    (place, permit): (&TargetOptions, &BuildOptions),
    targets: &[plan::Chosen],
    (surroundings, depots): (&Surroundings, &Arc<Depots>),
    policy: &Policy,
    output: &Output,
) -> Result<Vec<Name>, Error> {
    let is_url = |a: &Ask| matches!(a.requirement.accepts, Accepts::Url(_));
    let first = targets.first();
    let Some(chosen) = first.filter(|_| asks.asks.iter().any(is_url)) else {
        return Ok(Vec::new());
    };
    let python = plan::interpreter_here(place, surroundings, chosen);
    let bounds = crate::asks::build_bounds(permit)?;
    let look = Look {
        surroundings,
        depots,
        target: &chosen.target,
        python: python.as_ref().map_err(|why| *why),
        policy,
        bounds: &bounds,
        output,
    };
    look.know(asks)
}

/// For what, and by what, trees are looked into.
struct Look<'a> {
    surroundings: &'a Surroundings,
    depots: &'a Arc<Depots>,
    target: &'a Target,
    /// The interpreter of the target, or why there is none here.
    python: Result<&'a Found, &'static str>,
    policy: &'a Policy,
    /// What bounds the requirements of builds.
    bounds: &'a [Ask],
    output: &'a Output,
}

impl Look<'_> {
    /// Looks into every tree that is asked for, so that its address leads to it; gives the projects
    /// in folders, whose builds are permitted: they are the user's own.
    fn know(&self, asks: &Asks) -> Result<Vec<Name>, Error> {
        let mut own = Vec::new();
        for ask in &asks.asks {
            let Accepts::Url(url) = &ask.requirement.accepts else {
                continue;
            };
            let name = &ask.requirement.name;
            let stated = asks.own.iter().find(|o| o.name == *name);
            if let Some(tree) = stated.filter(|o| o.is_dynamic) {
                let at = TreeAt::Folder(tree.folder.clone());
                self.depots.know(self.known(ask, url, at, true)?);
                own.push(name.clone());
                continue;
            }
            if let Some(tree) = stated {
                self.depots.know(in_place(tree, url)?);
                own.push(name.clone());
                continue;
            }
            let Some(at) = TreeAt::of(url)? else {
                continue;
            };
            if matches!(at, TreeAt::Folder(_)) {
                own.push(name.clone());
            }
            if self.depots.tree(url).is_none() {
                let editable = asks.editable.contains(name);
                self.depots.know(self.known(ask, url, at, editable)?);
            }
        }
        Ok(own)
    }

    fn known(&self, ask: &Ask, url: &str, at: TreeAt, editable: bool) -> Result<KnownTree, Error> {
        let cache = &self.surroundings.cache;
        let name = &ask.requirement.name;
        let (packed, kind) = match at {
            TreeAt::Folder(folder) => {
                let packed = packed_folder(cache, &folder)?;
                (packed, TreeKind::Folder { folder, editable })
            }
            TreeAt::Repository(repository) => {
                let offline = self.depots.network().is_offline();
                let at = packed_repository(cache, &repository, offline)
                    .map_err(|e| e.also(&format!("{} asks for it", place(&ask.origin))))?;
                let commit = at.commit;
                (at.packed, TreeKind::Repository { repository, commit })
            }
        };
        let metadata = self.told(name, &packed, &kind, ask)?;
        if metadata.name != *name {
            let error = Error::request(format!(
                "{}: {name} is asked for, and {} lies there",
                place(&ask.origin),
                metadata.name
            ));
            return Err(error.help(format!("write  {} @ {url}", metadata.name)));
        }
        let path = match &kind {
            TreeKind::Folder {
                folder,
                editable: true,
            } => folder.clone(),
            TreeKind::Folder { .. } | TreeKind::Repository { .. } => packed.archive,
        };
        Ok(KnownTree {
            project: name.clone(),
            version: metadata.version.clone(),
            url: url.to_owned(),
            path,
            identity: packed.identity,
            metadata,
            kind,
        })
    }

    /// What a tree says of itself: by its files, or by its build system where that may be asked.
    fn told(
        &self,
        name: &Name,
        packed: &Packed,
        kind: &TreeKind,
        ask: &Ask,
    ) -> Result<Metadata, Error> {
        let stated = sdist_metadata(&packed.archive)?;
        if let Some(metadata) = stated.filter(|m| m.unsure.is_none()) {
            return Ok(metadata);
        }
        if let Some(metadata) = built_metadata(self.depots.network(), &packed.identity) {
            return Ok(metadata);
        }
        let where_ = place(&ask.origin);
        let is_own = matches!(kind, TreeKind::Folder { .. });
        let permits = &self.policy;
        if !is_own && !permits.builds(name) && !permits.build_light {
            let error = Error::request(format!(
                "{where_}: what {name} needs, and which version it is, only its build system tells"
            ));
            return Err(error.help(format!(
                "permit that it is asked:  the same command with --build {name}"
            )));
        }
        let python = self.python.map_err(|why| {
            let error = Error::request(format!(
                "{where_}: which version {name} is, only its build system tells, and {why}"
            ));
            error.help("state its version and its dependencies in its pyproject.toml")
        })?;
        self.output.notice(&format!(
            "{name}: its build system is asked for its version and needs"
        ));
        let stop: Arc<AtomicBool> = broken_off()?;
        let steps = self.output.steps();
        let maker = Maker {
            recipe: Recipe {
                surroundings: self.surroundings,
                python,
                target: self.target,
                policy: self.policy,
                bounds: self.bounds,
                depots: self.depots,
            },
            steps: &steps,
            stop: &stop,
        };
        let archive = Archive::of_tree(name, packed);
        match maker.metadata(&archive)? {
            Ok(metadata) => {
                keep_built(self.depots.network(), &packed.identity, &metadata);
                Ok(metadata)
            }
            Err(failed) => {
                let root = failed.causes.first();
                let said = failed.last.last().map(|line| escaped(line.trim()));
                let why = root.map(|c| c.title.clone()).or(said);
                let why = why.unwrap_or_else(|| failed.why.clone());
                let log = failed.log.as_deref().map(near);
                let error = Error::new(
                    ErrorKind::Request,
                    format!("{name}: {} failed: {why}", failed.step.words()),
                );
                Err(match log {
                    Some(log) if root.is_some() => error.help(format!(
                        "its log tells more:  eutaxis diagnose {}",
                        typed::quoted(&log)
                    )),
                    // No cause is known: the error has its last line.
                    Some(log) => error.help(format!("its whole log is {log}")),
                    None => error,
                })
            }
        }
    }
}

/// What a project file states of its project; none where only its build system tells.
pub(crate) fn stated(project_file: Vec<u8>) -> Option<Metadata> {
    let mut files = SourceFiles::default();
    files.take("tree/pyproject.toml", project_file);
    files.metadata().ok().flatten()
}

/// A project file's own project, that is used where it lies: what it depends on is asked by the
/// file, with its lines; of it only extras are left.
fn in_place(own: &crate::asks::Own, url: &str) -> Result<KnownTree, Error> {
    let file = own.folder.join("pyproject.toml");
    let text = read_text(&file).map_err(Error::of_request)?;
    let mut metadata = stated(text.clone().into_bytes()).unwrap_or_else(|| {
        // Which version it is by now only its build system tells; nobody needs to know.
        Metadata::unsaid(own.name.clone(), Version::from_release(&[0]))
    });
    let is_of_extra = |marker: &eutaxis_core::Marker| marker.to_string().contains("extra");
    metadata
        .requires
        .retain(|r| r.marker.as_ref().is_some_and(is_of_extra));
    let identity = identity_of(&format!("{}\0{text}", file.display()));
    Ok(KnownTree {
        project: own.name.clone(),
        version: metadata.version.clone(),
        url: url.to_owned(),
        path: own.folder.clone(),
        identity,
        metadata,
        kind: TreeKind::Folder {
            folder: own.folder.clone(),
            editable: true,
        },
    })
}
