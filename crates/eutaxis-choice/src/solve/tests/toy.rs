//! Small worlds for tests: projects with releases and needs, written in a few words.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::super::let_go::LetGo;
use super::super::{Clash, Problem, Search, Solution, Step, Want, verify};
use crate::offer::{MetadataAnswer, Policy};
use eutaxis_standards::artifact::Metadata;
use eutaxis_standards::fault::Origin;
use eutaxis_standards::index::{Page, parse_json};
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::{Ask, Requirement};
use eutaxis_standards::targets::{Accelerators, Target};
use eutaxis_standards::version::Version;

/// A release of a toy project.
#[derive(Debug, Clone, Default)]
pub(super) struct Release {
    pub(super) version: String,
    pub(super) needs: Vec<String>,
    pub(super) extras: Vec<String>,
    pub(super) yanked: bool,
    pub(super) source_only: bool,
    pub(super) barred: bool,
    /// Its wheel is compiled.
    pub(super) compiled: bool,
    /// To learn what it needs is not permitted.
    pub(super) costly: bool,
    /// The year in which it appeared.
    pub(super) year: Option<u32>,
    /// Requires-Python stated in the metadata only.
    pub(super) python: Option<String>,
}

/// Projects with their releases.
#[derive(Debug, Clone, Default)]
pub(super) struct World {
    pub(super) projects: BTreeMap<String, Vec<Release>>,
}

impl World {
    /// Lines such as `a 1.0 -> b>=1, c; extra == 'x'` with words `yanked`, `source`, `barred`,
    /// `extras:x+y` after the version.
    pub(super) fn of(lines: &[&str]) -> Self {
        let mut world = World::default();
        for line in lines {
            let (head, needs) = line.split_once("->").unwrap_or((line, ""));
            let words: Vec<&str> = head.split_whitespace().collect();
            let mut release = Release {
                version: words[1].to_owned(),
                ..Release::default()
            };
            for word in &words[2..] {
                match *word {
                    "yanked" => release.yanked = true,
                    "source" => release.source_only = true,
                    "barred" => release.barred = true,
                    "compiled" => release.compiled = true,
                    "costly" => release.costly = true,
                    other => match other.split_once(':').unwrap() {
                        ("extras", list) => {
                            release.extras = list.split('+').map(str::to_owned).collect()
                        }
                        ("year", year) => release.year = Some(year.parse().unwrap()),
                        ("python", set) => release.python = Some(set.to_owned()),
                        _ => panic!("{other}"),
                    },
                }
            }
            release.needs = needs
                .split('&')
                .map(|n| n.trim().to_owned())
                .filter(|n| !n.is_empty())
                .collect();
            world
                .projects
                .entry(words[0].to_owned())
                .or_default()
                .push(release);
        }
        world
    }

    pub(super) fn file(project: &str, release: &Release) -> String {
        let project = project.replace('-', "_");
        match release {
            Release { barred: true, .. } => {
                format!("{project}-{}-cp27-cp27m-win32.whl", release.version)
            }
            Release {
                source_only: true, ..
            } => format!("{project}-{}.tar.gz", release.version),
            Release { compiled: true, .. } => {
                format!(
                    "{project}-{}-cp36-abi3-manylinux_2_17_x86_64.whl",
                    release.version
                )
            }
            _ => format!("{project}-{}-py3-none-any.whl", release.version),
        }
    }

    fn is_costly(&self, project: &Name, file: &str) -> bool {
        let releases = self.projects.get(project.as_str()).into_iter().flatten();
        releases
            .filter(|r| World::file(project.as_str(), r) == file)
            .any(|r| r.costly)
    }

    pub(super) fn page(&self, project: &Name) -> Option<Page> {
        let releases = self.projects.get(project.as_str())?;
        let files: Vec<String> = releases
            .iter()
            .map(|r| {
                let file = World::file(project.as_str(), r);
                let date = r.year.map_or(String::new(), |y| {
                    format!(",\"upload-time\":\"{y}-01-01T00:00:00Z\"")
                });
                format!(
                    "{{\"filename\":\"{file}\",\"url\":\"{file}\",\"yanked\":{}{date}}}",
                    r.yanked
                )
            })
            .collect();
        Some(
            parse_json(
                format!("{{\"files\":[{}]}}", files.join(",")).as_bytes(),
                project,
            )
            .unwrap(),
        )
    }

    pub(super) fn metadata(&self, project: &Name, file: &str) -> Option<Metadata> {
        let release = self
            .projects
            .get(project.as_str())?
            .iter()
            .find(|r| World::file(project.as_str(), r) == file)?;
        let mut text = format!(
            "Metadata-Version: 2.2\nName: {project}\nVersion: {}\n",
            release.version
        );
        release
            .extras
            .iter()
            .for_each(|e| text.push_str(&format!("Provides-Extra: {e}\n")));
        release
            .needs
            .iter()
            .for_each(|n| text.push_str(&format!("Requires-Dist: {n}\n")));
        release
            .python
            .iter()
            .for_each(|p| text.push_str(&format!("Requires-Python: {p}\n")));
        Some(Metadata::parse(text.as_bytes()).unwrap())
    }
}

/// A made-up family of accelerators.
const NORDGLIM: &str = r#"
[[family]]
name = "nordglim"
label = { before = "nor", number = "digits" }
processor = ["cpu"]
packages = ["nordglim-runtime-{major}"]
toolkit = [{ version = "3.6", linux = "450.0" }, { version = "3.9", linux = "480.0" }, { version = "4.1", linux = "510.0" }, { version = "4.2", linux = "530.0" }]
series = [{ major = 4, linux = "505.0" }]
device = [{ name = "b3", first = "3.9" }]
"#;

/// The place of the toy worlds, with these accelerators.
pub(super) fn target(accelerators: &str) -> Target {
    let families = Arc::new(
        eutaxis_standards::knowledge::Families::built_in()
            .with(NORDGLIM)
            .unwrap(),
    );
    let mut target = Target::parse("cpython 3.12.4 / linux x86_64 glibc 2.36").unwrap();
    target.accelerators = Accelerators::parse(accelerators, &families).unwrap();
    target
}

pub(super) fn problem(asks: &[&str], bounds: &[&str], policy: Policy) -> Problem {
    let list = |texts: &[&str]| {
        texts
            .iter()
            .enumerate()
            .map(|(i, t)| Ask {
                requirement: Requirement::parse(t).unwrap(),
                origin: Origin::line("asks.txt", i as u32 + 1),
            })
            .collect()
    };
    let target = target("none");
    Problem {
        asks: list(asks),
        bounds: list(bounds),
        ..Problem::new(target.clone(), policy.clone(), Vec::new())
    }
}

/// What a run came to: the solution with its order, or the clash in words.
pub(super) type Outcome = Result<Solution, super::super::Clash>;

/// Runs a search over a world. `eager` also hands in what is only likely to be wanted.
pub(super) fn run(world: &World, problem: &Problem, eager: bool) -> Outcome {
    run_priced(world, problem, eager, &|_| false).0
}

/// The same where only the archives of some files tell what they need; and which archives were
/// asked for.
pub(super) fn run_priced(
    world: &World,
    problem: &Problem,
    eager: bool,
    dear: &dyn Fn(&str) -> bool,
) -> (Outcome, Vec<String>) {
    let (outcome, archives, _) = run_whole(world, problem, eager, dear);
    (outcome, archives)
}

/// The same, and what was let go.
pub(super) fn run_whole(
    world: &World,
    problem: &Problem,
    eager: bool,
    dear: &dyn Fn(&str) -> bool,
) -> (Outcome, Vec<String>, LetGo) {
    let mut archives = Vec::new();
    let mut search = Search::new(problem.clone());
    let mut metadata: BTreeMap<(Name, String), Metadata> = BTreeMap::new();
    for _ in 0..10_000 {
        match search.step() {
            Step::Wants { needed, likely } => {
                let nothing = needed.is_empty() && likely.is_empty();
                assert!(!nothing, "a search that wants nothing must go on");
                // What is all that it wants is worth an answer.
                let all = eager || needed.is_empty();
                for want in needed.into_iter().chain(likely.into_iter().filter(|_| all)) {
                    match want {
                        Want::Page(name) => {
                            let judged =
                                world.page(&name).map(|page| search.judged(Arc::new(page)));
                            search.supply_page(&name, judged);
                        }
                        Want::Metadata(name, file) if dear(&file) => {
                            search.supply_metadata(&name, &file, &MetadataAnswer::Dear(0));
                        }
                        Want::Metadata(name, file) | Want::Archive(name, file) => {
                            if world.is_costly(&name, &file) {
                                let answer = MetadataAnswer::TooDear {
                                    size: 593_000_000,
                                    limit: 32_000_000,
                                };
                                search.supply_metadata(&name, &file, &answer);
                                continue;
                            }
                            archives.extend(dear(&file).then(|| file.to_string()));
                            let found = world.metadata(&name, &file).unwrap();
                            metadata.insert((name.clone(), file.to_string()), found.clone());
                            search.supply_metadata(
                                &name,
                                &file,
                                &MetadataAnswer::Known(Arc::new(found)),
                            );
                        }
                        Want::Files(name, file, _) => search.supply_files(&name, &file, None),
                        Want::Direct(..) => panic!("no toy world has URLs"),
                    }
                }
            }
            Step::Settled(solution) => {
                let known =
                    |name: &Name, file: &str| metadata.get(&(name.clone(), file.to_owned()));
                verify(problem, &solution, &known).unwrap();
                return (Ok(solution), archives, search.let_go);
            }
            Step::Clash(clash) => {
                let (clash, more) = in_order(world, problem, eager, dear, clash);
                archives.extend(more);
                return (Err(clash), archives, search.let_go);
            }
            Step::GaveUp { .. } => panic!("gave up"),
        }
    }
    panic!("the search does not end");
}

/// The clash of the same problem in an order of its own.
fn in_order(
    world: &World,
    problem: &Problem,
    eager: bool,
    dear: &dyn Fn(&str) -> bool,
    clash: Clash,
) -> (Clash, Vec<String>) {
    let ordered = problem.in_order();
    let same = !eager
        && ordered.asks == problem.asks
        && ordered.bounds == problem.bounds
        && problem.prior.is_empty();
    if same {
        return (clash, Vec::new());
    }
    let (end, archives) = run_priced(world, &ordered, false, dear);
    (end.unwrap_err(), archives)
}

/// `a 1.0, b 2.0` in the order of turns; or `no`.
pub(super) fn shown(outcome: &Outcome) -> String {
    match outcome {
        Ok(solution) => {
            let words: Vec<String> = solution
                .chosen
                .iter()
                .map(|c| format!("{} {}", c.project, c.version))
                .collect();
            words.join(", ")
        }
        Err(_) => "no".to_owned(),
    }
}

pub(super) fn version(text: &str) -> Version {
    Version::parse(text).unwrap()
}
