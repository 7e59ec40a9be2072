//! What is pinned as source becomes wheels before anything is placed: from the store, or built where
//! that is permitted.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_core::artifact::Repository;
use eutaxis_core::fault::Origin;
use eutaxis_core::index::Hashes;
use eutaxis_core::offer::{Policy, Rules, Verdict};
use eutaxis_core::pins::{LockFile, Package, Selected};
use eutaxis_core::remedy::Step;
use eutaxis_core::requirement::{Ask, Requirement};
use eutaxis_core::{Name, Version, record};
use eutaxis_world::build::broken_off;
use eutaxis_world::depot::{Depots, wheel_metadata};
use eutaxis_world::environment::{DirectUrl, Item, WheelAt};
use eutaxis_world::files::file_url;
use eutaxis_world::network::Wanted;
use eutaxis_world::supply::{Depth, Outcome as End, Run, built_metadata, keep_built};
use eutaxis_world::trees::{Packed, packed_folder, packed_repository};
use eutaxis_world::{Error, ErrorKind};
use jiff::Timestamp;
use rayon::prelude::*;

use super::Prepared;
use crate::answer::build::{Failed, Foreseen, Way};
use crate::asks;
use crate::building::foresee::{Place, with_wheel};
use crate::building::make::{Archive, Maker, Recipe, placed};
use crate::cli::Furnish;
use crate::output::{Answer, Outcome, Output};
use crate::pins::{hashes, place, problem_of, sha256};
use crate::plan::{self, Surroundings};
use crate::question::Again;
use crate::{render, report, words};

/// A project that is pinned as source.
#[derive(Debug, Clone)]
pub(super) struct Sourced {
    name: Name,
    version: String,
    at: WheelAt,
    filename: String,
    sha256: String,
    hashes: Hashes,
    size: Option<u64>,
    published: Option<Timestamp>,
    said: Option<(Vec<String>, Vec<Name>)>,
    requested: bool,
    direct_url: Option<DirectUrl>,
    /// It is a source tree.
    tree: Option<Tree>,
}

/// A source tree that is pinned.
#[derive(Debug, Clone)]
struct Tree {
    packed: Packed,
    /// The folder that is used where it lies.
    in_place: Option<PathBuf>,
    /// It is the user's own: no permission is needed.
    is_own: bool,
}

impl Sourced {
    /// Whether it is the user's own folder.
    pub(super) fn is_own(&self) -> bool {
        self.tree.as_ref().is_some_and(|t| t.is_own)
    }

    /// The release.
    pub(super) fn release(&self) -> (Name, String) {
        (self.name.clone(), self.version.clone())
    }
}

/// What is pinned of a project as source.
///
/// # Errors
/// When the file is nowhere, or the tree cannot be had.
pub(super) fn sourced(
    selected: &Selected<'_>,
    folder: &Path,
    depots: &Depots,
    cache: &Path,
) -> Result<Sourced, Error> {
    let package = selected.package;
    let version = package.version.clone().unwrap_or_default();
    let archive = package.archive.as_ref().map(|a| &a.file);
    let Some(file) = package.sdist.as_ref().or(archive) else {
        return tree(package, folder, depots, cache);
    };
    let (requested, direct_url) = super::said_of_asks(package);
    Ok(Sourced {
        name: package.name.clone(),
        version,
        at: place(file, folder, &package.name, depots)?,
        filename: file.filename().unwrap_or_default(),
        sha256: sha256(file, package)?,
        hashes: hashes(file),
        size: file.size,
        published: published(file),
        said: record::said_of(package),
        requested,
        direct_url,
        tree: None,
    })
}

/// A folder or a repository that is pinned.
fn tree(package: &Package, folder: &Path, depots: &Depots, cache: &Path) -> Result<Sourced, Error> {
    let (requested, _) = super::said_of_asks(package);
    let (tree, direct) = match (&package.directory, &package.vcs) {
        (Some(directory), _) => {
            let at = folder.join(&directory.path);
            let at = match &directory.subdirectory {
                Some(inside) => at.join(inside),
                None => at,
            };
            let whole = std::fs::canonicalize(&at).unwrap_or_else(|_| at.clone());
            if !whole.is_dir() {
                let error = Error::request(format!(
                    "{} is pinned as the folder {}, which is not there",
                    package.name,
                    words::near(&at)
                ));
                return Err(error.help("bring the folder back, or settle again without it"));
            }
            let editable = directory.editable == Some(true);
            let tree = Tree {
                packed: packed_folder(cache, &whole)?,
                in_place: editable.then(|| whole.clone()),
                is_own: true,
            };
            let url = file_url(&whole);
            (tree, DirectUrl::Folder { url, editable })
        }
        (None, Some(vcs)) => {
            let url = match (&vcs.url, &vcs.path) {
                (Some(url), _) => url.clone(),
                (None, Some(path)) => file_url(&folder.join(path)),
                (None, None) => String::new(),
            };
            if vcs.kind != "git" {
                let error = Error::request(format!(
                    "{} is pinned in a repository of {}, and only those of git can be taken",
                    package.name, vcs.kind
                ));
                return Err(error.help("settle with an archive or a folder of it"));
            }
            let pinned = Repository {
                kind: vcs.kind.clone(),
                url,
                revision: Some(vcs.commit_id.clone()),
                subdirectory: vcs.subdirectory.clone(),
            };
            let at = packed_repository(cache, &pinned, depots.network().is_offline())?;
            let asked = Repository {
                revision: vcs.requested_revision.clone(),
                ..pinned
            };
            let tree = Tree {
                packed: at.packed,
                in_place: None,
                is_own: false,
            };
            let commit = at.commit;
            let repository = asked;
            (tree, DirectUrl::Repository { repository, commit })
        }
        (None, None) => {
            let error = Error::request(format!("{} is pinned without a file", package.name));
            return Err(error.help("settle again"));
        }
    };
    Ok(Sourced {
        name: package.name.clone(),
        version: package.version.clone().unwrap_or_default(),
        at: WheelAt::Disk(tree.packed.archive.clone()),
        filename: String::new(),
        sha256: tree.packed.identity.clone(),
        hashes: Hashes::default(),
        size: None,
        published: None,
        // What a folder needs by now is the user's matter; a commit stays what it is.
        said: record::said_of(package).filter(|_| !tree.is_own),
        requested,
        direct_url: Some(direct),
        tree: Some(tree),
    })
}

fn published(file: &LockFile) -> Option<Timestamp> {
    file.upload_time.as_ref()?.to_string().parse().ok()
}

impl Sourced {
    /// The archive on this disk, with the hash that is pinned.
    fn archive(&self, depots: &Depots) -> Result<Archive, Error> {
        if let Some(tree) = &self.tree {
            let archive = match &tree.in_place {
                Some(folder) => Archive::in_place(&self.name, &tree.packed, folder),
                None => Archive::of_tree(&self.name, &tree.packed),
            };
            // What its build system told when it was settled.
            let told = built_metadata(depots.network(), &tree.packed.identity);
            let version = told.map_or_else(|| archive.version.clone(), |m| m.version);
            return Ok(Archive { version, ..archive });
        }
        let path = match &self.at {
            WheelAt::Disk(path) => path.clone(),
            WheelAt::Url(url) => {
                let wanted = Wanted {
                    url: url.clone(),
                    filename: self.filename.clone(),
                    hashes: self.hashes.clone(),
                    size: self.size,
                    insecure: false,
                    learning: false,
                };
                depots.network().bring(&wanted, &|_| {})?.0
            }
        };
        let (found, _) = eutaxis_world::files::sha256_of(&path)?;
        if found != self.sha256.to_ascii_lowercase() {
            let message = format!(
                "{} has the SHA-256 {found}; the pins say {}",
                path.display(),
                self.sha256
            );
            return Err(Error::contents(message).help(
                "the file was changed since it was pinned: get the pinned one back, or settle again",
            ));
        }
        let version = Version::parse(&self.version)
            .map_err(|f| Error::fault(ErrorKind::Request, "the version of a pin", &f))?;
        Ok(Archive {
            project: self.name.clone(),
            version,
            path,
            sha256: found,
            published: self.published,
            is_tree: false,
            in_place: None,
        })
    }
}

impl Prepared {
    /// Turns what is pinned as source into wheels; an answer where that cannot be.
    pub(super) fn build(
        &mut self,
        arguments: &Furnish,
        surroundings: &Surroundings,
        depots: &Arc<Depots>,
        output: &Output,
    ) -> Result<Option<Answer>, Error> {
        let policy = self.policy(arguments, surroundings)?;
        let mut policy = policy;
        // What is the user's own is built unasked.
        let own = self.sources.iter().filter(|s| s.is_own());
        policy.build.extend(own.map(|s| s.name.clone()));
        let pinned = |name: &Name| self.sources.iter().any(|s| s.name == *name);
        if let Some(other) = policy.rebuild.iter().find(|n| !pinned(n)) {
            let error = Error::request(format!("{other} is not pinned as source"));
            return Err(error.help(format!("settle it so:  eutaxis settle --rebuild {other}")));
        }
        if self.sources.is_empty() {
            return Ok(None);
        }
        let archives = self.sources.iter().map(|s| s.archive(depots));
        let site = Site {
            prepared: self,
            arguments,
            surroundings,
            depots,
            output,
            policy,
            bounds: asks::build_bounds(&arguments.permit)?,
            archives: archives.collect::<Result<_, _>>()?,
        };
        let foreseen = site.foreseen()?;
        if foreseen.iter().any(Foreseen::is_open) {
            return Ok(Some(site.unpermitted(foreseen)));
        }
        match site.built(&foreseen)? {
            Ok(items) => {
                self.items.extend(items);
                Ok(None)
            }
            Err(answer) => Ok(Some(*answer)),
        }
    }

    /// The policy of the settings and the options: what the pins record permits nothing.
    fn policy(&self, arguments: &Furnish, surroundings: &Surroundings) -> Result<Policy, Error> {
        let recorded = record::policy_of(&self.lock);
        let mut policy = Policy {
            as_of: recorded.as_of,
            prereleases: recorded.prereleases,
            ..surroundings.config.policy.clone()
        };
        plan::permit(&arguments.permit, &mut policy)?;
        Ok(policy)
    }
}

/// Where, and by what, the sources of some pins are built.
struct Site<'a> {
    prepared: &'a Prepared,
    arguments: &'a Furnish,
    surroundings: &'a Surroundings,
    depots: &'a Arc<Depots>,
    output: &'a Output,
    policy: Policy,
    /// What bounds build requirements.
    bounds: Vec<Ask>,
    /// The archives, in the order of the sources.
    archives: Vec<Archive>,
}

impl Site<'_> {
    /// Where builds are foreseen.
    fn place(&self) -> Place<'_> {
        Place {
            surroundings: self.surroundings,
            depots: self.depots,
            target: &self.prepared.target,
            python: Some(&self.prepared.python),
            policy: &self.policy,
            bounds: &self.bounds,
        }
    }

    /// What is foreseen of each build.
    fn foreseen(&self) -> Result<Vec<Foreseen>, Error> {
        let place = self.place();
        let one = |archive: &Archive| {
            let mut one = place.foresee(archive)?;
            one.is_built &= !self.policy.rebuild.contains(&archive.project);
            Ok(one)
        };
        self.archives.iter().map(one).collect()
    }

    /// That nothing permits some of them.
    fn unpermitted(&self, mut foreseen: Vec<Foreseen>) -> Answer {
        for one in foreseen.iter_mut().filter(|f| f.is_open()) {
            one.with_wheel = self.with_wheel(&one.project);
        }
        let at = &self.prepared.at;
        Answer {
            outcome: Outcome::No,
            text: render::build::unpermitted(&words::near(at), &foreseen),
            report: report::Furnish::Unbuilt(report::Unbuilt::of(at, &foreseen)).into(),
        }
    }

    /// The wheels, from the store or built now, several side by side; or why there are none.
    fn built(&self, foreseen: &[Foreseen]) -> Result<Result<Vec<Item>, Box<Answer>>, Error> {
        let stop = broken_off()?;
        let steps = self.output.steps();
        let to_do: Vec<Foreseen> = foreseen.iter().filter(|f| !f.is_built).cloned().collect();
        if !to_do.is_empty() && !self.output.is_json() {
            let text = render::build::foreseen(&to_do, render::width());
            text.lines().for_each(|line| steps.say(line));
        }
        let maker = Maker {
            recipe: Recipe {
                surroundings: self.surroundings,
                python: &self.prepared.python,
                target: &self.prepared.target,
                policy: &self.policy,
                bounds: &self.bounds,
                depots: self.depots,
            },
            steps: &steps,
            stop: &stop,
        };
        let rebuild = &self.policy.rebuild;
        let one = |archive: &Archive| {
            let built = maker.wheel(archive, rebuild.contains(&archive.project))?;
            if let Ok(built) = &built
                && !built.was_there
            {
                let took = words::seconds(built.record.seconds);
                steps.say(&format!("built {} in {took}", built.record.wheel));
                if let Some(open) = render::build::unconfined(&built.record) {
                    steps.say(&format!("caution: {} {open}", built.record.project));
                }
            }
            Ok::<_, Error>(built)
        };
        let outcomes: Vec<_> = self.archives.par_iter().map(one).collect();
        drop(steps);
        let mut items = Vec::new();
        let each = self
            .prepared
            .sources
            .iter()
            .zip(&self.archives)
            .zip(foreseen);
        for (outcome, ((source, archive), foreseen)) in outcomes.into_iter().zip(each) {
            let built = match outcome? {
                Ok(built) => built,
                Err(failed) => return Ok(Err(Box::new(self.failed(&failed, foreseen)))),
            };
            self.ensure_needs(source, archive, &built.wheel)?;
            items.push(Item {
                direct_url: source.direct_url.clone(),
                ..placed(archive, built, source.requested)?
            });
        }
        Ok(Ok(items))
    }

    /// The needs of a wheel that was built must be those by which the pins were settled.
    fn ensure_needs(&self, source: &Sourced, archive: &Archive, wheel: &Path) -> Result<(), Error> {
        let metadata = wheel_metadata(wheel)?;
        keep_built(self.depots.network(), &archive.sha256, &metadata);
        let (Some((said, extras)), Some(place)) = (&source.said, &self.prepared.settled_for) else {
            return Ok(());
        };
        let found = metadata.needs_in_force(&place.markers, extras);
        if found == *said {
            return Ok(());
        }
        let only = |these: &[String], others: &[String]| {
            let alone: Vec<String> = these
                .iter()
                .filter(|n| !others.contains(n))
                .cloned()
                .collect();
            if alone.is_empty() {
                "nothing".to_owned()
            } else {
                format!("`{}`", alone.join("`, `"))
            }
        };
        let message = format!(
            "{} {} turns out to need {} when it is built, and the pins were settled by {}",
            source.name,
            source.version,
            only(&found, said),
            only(said, &found)
        );
        let again = self.question().once_more(&self.prepared.python.path, &[]);
        let again = again.map_or_else(
            || "settle again".to_owned(),
            |one| {
                let command = words::steps::typed(&Step::Run(vec![one]));
                format!("settle again, by what was learnt:  {command}")
            },
        );
        Err(Error::new(ErrorKind::Refused, message)
            .help(format!("{again}  (nothing was placed; the wheel is kept)")))
    }

    /// The question of the pins, to be asked once more.
    fn question(&self) -> Again<'_> {
        Again {
            lock: &self.prepared.lock,
            pins: &self.prepared.pins,
            place: &self.prepared.target,
            config: &self.surroundings.config,
            depots: &self.arguments.depots,
        }
    }

    /// The newest release of a project with a wheel that fits here, where the depots tell it.
    fn with_wheel(&self, project: &Name) -> Option<Version> {
        if self.depots.is_empty() {
            return None;
        }
        let rules = Rules {
            target: &self.prepared.target,
            policy: &self.policy,
            adjustments: &[],
        };
        with_wheel(project, &rules, &Run::new(Arc::clone(self.depots)))
    }

    /// Why a build failed, with ways that were solved without it.
    fn failed(&self, failed: &Failed, foreseen: &Foreseen) -> Answer {
        let ways = self.ways(failed, foreseen);
        let at = words::near(&self.prepared.at);
        Answer {
            outcome: Outcome::No,
            text: render::build::failed(failed, Some(foreseen), &ways, &at),
            report: report::Furnish::Failed(Box::new(report::BuildFailed::of(
                &self.prepared.at,
                failed,
                Some(foreseen),
                &ways,
            )))
            .into(),
        }
    }

    /// The same question with the newest release that has a wheel here, and with the newest that
    /// builds with less, each solved to the end.
    fn ways(&self, failed: &Failed, foreseen: &Foreseen) -> Vec<Way> {
        let project = &failed.project;
        let packages = &self.prepared.lock.packages;
        let is_of_depots =
            |p: &Package| p.directory.is_none() && p.vcs.is_none() && p.archive.is_none();
        if !packages
            .iter()
            .any(|p| p.name == *project && is_of_depots(p))
        {
            return Vec::new();
        }
        let wheel = self.with_wheel(project);
        let wheel = wheel.map(|version| (version, "the newest release with a wheel here"));
        let lighter = self.lighter(failed, foreseen);
        let all = wheel.into_iter().chain(lighter);
        all.filter_map(|(version, what)| self.way(project, &version, what))
            .collect()
    }

    /// The newest other release that has only source and builds with less than the one that failed:
    /// nothing is compiled, or nothing is missing here.
    fn lighter(&self, failed: &Failed, foreseen: &Foreseen) -> Option<(Version, &'static str)> {
        /// So many archives are looked into for it.
        const MOST: usize = 6;
        let rules = Rules {
            target: &self.prepared.target,
            policy: &self.policy,
            adjustments: &[],
        };
        let run = Run::new(Arc::clone(self.depots));
        let asked = [Requirement::any(&failed.project)];
        let looked = run.look(&asked, &rules, Depth::Gaps).ok()?;
        let looked = looked.into_iter().next()??;
        let place = self.place();
        let others = looked.judged.offers().filter(|o| {
            o.verdict == Verdict::Build && o.version != failed.version && o.yanked.is_none()
        });
        for offer in others.take(MOST) {
            let file = &offer.best()?.file;
            let Ok(one) = place.of_file(&failed.project, file, &run) else {
                continue;
            };
            let is_known = one.unlooked.is_none() && one.unreadable.is_none();
            let what = if is_known && one.is_light && !foreseen.is_light {
                "the newest whose build compiles nothing"
            } else if is_known
                && one.missing().next().is_none()
                && foreseen.missing().next().is_some()
            {
                "the newest whose build misses nothing here"
            } else {
                continue;
            };
            return Some((offer.version.clone(), what));
        }
        None
    }

    /// The same question with a release of a project, when that can be settled.
    fn way(&self, project: &Name, version: &Version, what: &str) -> Option<Way> {
        let families = &self.surroundings.config.families;
        let mut problem = problem_of(&self.prepared.lock, families).ok()?;
        let exact = Requirement::exactly(project, version);
        problem.prior.clear();
        // An ask that leaves it out gives way to it.
        let mut taken = false;
        for ask in &mut problem.asks {
            let requirement = &mut ask.requirement;
            let takes = requirement
                .versions()
                .is_none_or(|set| set.matches(version));
            if requirement.name == *project && (taken || !takes) {
                requirement.clone_from(&exact);
                taken = true;
            }
        }
        if !taken {
            problem.asks.push(Ask {
                requirement: exact.clone(),
                origin: Origin::Argument,
            });
        }
        let run = Run::new(Arc::clone(self.depots));
        let Ok(End::Settled(_)) = run.solve(&problem, &|_| ()) else {
            return None;
        };
        let text = exact.to_string();
        let more: &[&str] = if taken { &[] } else { &[&text] };
        let mut one = self.question().settle(&self.prepared.python.path, more)?;
        if taken {
            let own = |word: &&mut String| {
                Requirement::parse(word).is_ok_and(|r| r.name == *project && word.as_str() != text)
            };
            // An ask that stands in a file is changed there.
            one.words.iter_mut().find(own)?.clone_from(&text);
        }
        Some(Way {
            words: format!("{project} {version}, {what}"),
            command: words::steps::typed(&Step::Run(vec![one])),
        })
    }
}
