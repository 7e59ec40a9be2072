//! Deterministic inputs for the benches, made before the clock starts.

use std::collections::HashMap;
use std::sync::Arc;

use eutaxis_core::artifact::Metadata;
use eutaxis_core::fault::Origin;
use eutaxis_core::index::Page;
use eutaxis_core::offer::{MetadataAnswer, Policy};
use eutaxis_core::solve::{End, Problem, Search, Solution, Solver, Step, Want};
use eutaxis_core::{Ask, Name, Requirement, Target};

/// A small generator of numbers: the same on every machine and in every run.
#[derive(Debug, Clone)]
pub struct Numbers(u64);

impl Numbers {
    /// A sequence that begins with this seed.
    pub fn new(seed: u64) -> Self {
        Numbers(seed.wrapping_mul(2) + 1)
    }

    /// The next number below `limit`.
    pub fn below(&mut self, limit: u64) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0 % limit
    }
}

/// Version texts as indexes hold them: mostly plain, one in ten a pre-release.
pub fn versions(count: usize) -> Vec<String> {
    let mut numbers = Numbers::new(7);
    (0..count)
        .map(|_| {
            let plain = format!(
                "{}.{}.{}",
                numbers.below(30),
                numbers.below(40),
                numbers.below(20)
            );
            if numbers.below(10) == 0 {
                format!("{plain}rc{}", numbers.below(4))
            } else {
                plain
            }
        })
        .collect()
}

/// A page of an index in JSON with so many releases of five files each.
pub fn page(project: &str, releases: usize) -> Vec<u8> {
    let mut files = Vec::new();
    for r in 0..releases {
        let version = format!("{}.{}.{}", r / 100, r / 10 % 10, r % 10);
        for tag in [
            "cp310-cp310-manylinux_2_17_x86_64",
            "cp311-cp311-manylinux_2_17_x86_64",
            "cp311-cp311-win_amd64",
            "cp311-cp311-macosx_11_0_arm64",
            "py3-none-any",
        ] {
            let file = format!("{project}-{version}-{tag}.whl");
            files.push(format!(
                r#"{{"filename":"{file}","url":"https://files.example/{file}","hashes":{{"sha256":"{:064x}"}},"requires-python":">=3.8","size":12345,"upload-time":"2024-03-01T10:20:30.123456Z","core-metadata":{{"sha256":"{:064x}"}},"yanked":false}}"#,
                r, r
            ));
        }
    }
    format!(
        r#"{{"meta":{{"api-version":"1.1"}},"name":"{project}","files":[{}]}}"#,
        files.join(",")
    )
    .into_bytes()
}

/// A world of projects `p0`, `p1`, ... whose releases need others, and what is asked of it.
#[derive(Debug)]
pub struct Forest {
    projects: usize,
    releases: usize,
    asks: Vec<String>,
    needs: fn(usize, usize, usize) -> Vec<String>,
}

impl Forest {
    /// Every project needs up to three of the next ones with open bounds, up to the 300th: about
    /// `used` are chosen of `projects`.
    pub fn wide(projects: usize, releases: usize, used: usize) -> Self {
        fn needs(p: usize, r: usize, _: usize) -> Vec<String> {
            let mut numbers = Numbers::new((p * 131 + r) as u64);
            let mut needs = Vec::new();
            for k in 1..=3 {
                // What is needed ends where the asks end: the rest of the index is never touched.
                if numbers.below(4) > 0 && p + k * 2 < 300 {
                    needs.push(format!("p{}>={}", p + k * 2, 1 + numbers.below(3)));
                }
            }
            needs
        }
        let asks = (0..used).step_by(3).map(|i| format!("p{i}")).collect();
        Forest {
            projects,
            releases,
            asks,
            needs,
        }
    }

    /// A chain in which only the oldest release of the last project goes with the first: everything
    /// is tried.
    pub fn chain(length: usize, releases: usize) -> Self {
        fn needs(p: usize, r: usize, projects: usize) -> Vec<String> {
            if p + 1 < projects {
                vec![format!("p{}=={}.0", p + 1, r + 1)]
            } else {
                Vec::new()
            }
        }
        Forest {
            projects: length,
            releases,
            asks: vec!["p0".to_owned(), format!("p{}==1.0", length - 1)],
            needs,
        }
    }

    /// Two rows of `width` projects between the first and the last: every one of the first row
    /// needs all of the second, with a bound that grows with its release, and the last is asked for
    /// at an old one.
    pub fn diamond(width: usize, releases: usize) -> Self {
        fn needs(p: usize, r: usize, projects: usize) -> Vec<String> {
            let width = (projects - 2) / 2;
            match p {
                0 => (1..=width).map(|q| format!("p{q}")).collect(),
                p if p <= width => (width + 1..=2 * width)
                    .map(|q| format!("p{q}>={}", r / 2 + 1))
                    .collect(),
                p if p <= 2 * width => vec![format!("p{}=={}.0", projects - 1, r + 1)],
                _ => Vec::new(),
            }
        }
        let asks = vec![
            "p0".to_owned(),
            format!("p{}<={}.0", 2 * width + 1, releases / 2),
        ];
        Forest {
            projects: 2 * width + 2,
            releases,
            asks,
            needs,
        }
    }

    /// A wide world of 150 projects in which two more asks need a shared project on both sides of a
    /// bound.
    pub fn clashing(releases: usize) -> Self {
        fn needs(p: usize, r: usize, _: usize) -> Vec<String> {
            match p {
                150 => vec![format!("p152>={}", r / 2 + 1), "p20".to_owned()],
                151 => vec![format!("p152<={}", r / 4 + 2), "p30".to_owned()],
                152 => vec!["p40".to_owned()],
                p => (1..=3)
                    .filter(|k| p + k * 2 < 150)
                    .map(|k| format!("p{}>={}", p + k * 2, 1 + (p + r) % 3))
                    .collect(),
            }
        }
        let mut asks: Vec<String> = (0..150).step_by(5).map(|i| format!("p{i}")).collect();
        asks.extend([
            format!("p150>={}", releases * 3 / 4),
            format!("p151=={}.0", releases / 4),
            "p152<90".to_owned(),
        ]);
        Forest {
            projects: 153,
            releases,
            asks,
            needs,
        }
    }

    /// The chain, asked for at its ends so that nothing fits.
    pub fn torn_chain(length: usize, releases: usize) -> Self {
        Forest {
            asks: vec!["p0>=2".to_owned(), format!("p{}==1.0", length - 1)],
            ..Forest::chain(length, releases)
        }
    }

    /// The diamond, of whose first row one is asked for that the last does not go with.
    pub fn torn_diamond(width: usize, releases: usize) -> Self {
        let mut forest = Forest::diamond(width, releases);
        let last = 2 * width + 1;
        forest.asks = vec!["p0".to_owned(), format!("p{last}==1.0"), "p1>=3".to_owned()];
        forest
    }

    /// A square of projects of which each needs its neighbours to the right and below at its own
    /// release; two corners are asked for at different ones.
    pub fn torn_grid(side: usize, releases: usize) -> Self {
        fn needs(p: usize, r: usize, projects: usize) -> Vec<String> {
            let side = projects.isqrt();
            let right = (p % side + 1 < side).then_some(p + 1);
            let below = (p + side < projects).then_some(p + side);
            let neighbours = right.into_iter().chain(below);
            neighbours.map(|n| format!("p{n}=={}.0", r + 1)).collect()
        }
        Forest {
            projects: side * side,
            releases,
            asks: vec!["p0>=2".to_owned(), format!("p{}==1.0", side * side - 1)],
            needs,
        }
    }

    /// The instance as clauses for a general solver: a variable for each release, at most one of
    /// each project, asks, and needs. Literals are numbers from 1, negative when negated.
    pub fn clauses(&self) -> Vec<Vec<isize>> {
        let literal =
            |p: usize, r: usize| isize::try_from(p * self.releases + r + 1).unwrap_or(isize::MAX);
        let taken = |text: &str| -> Vec<isize> {
            let Ok(requirement) = Requirement::parse(text) else {
                return Vec::new();
            };
            let Some(p) = requirement
                .name
                .as_str()
                .get(1..)
                .and_then(|n| n.parse().ok())
            else {
                return Vec::new();
            };
            let fits = |r: &usize| {
                let version = eutaxis_core::Version::from_release(&[*r as u64 + 1, 0]);
                requirement.versions().is_some_and(|s| s.matches(&version))
            };
            (0..self.releases)
                .filter(fits)
                .map(|r| literal(p, r))
                .collect()
        };
        let mut clauses: Vec<Vec<isize>> = self.asks.iter().map(|ask| taken(ask)).collect();
        for p in 0..self.projects {
            for r in 0..self.releases {
                clauses.extend((0..r).map(|s| vec![-literal(p, r), -literal(p, s)]));
                for need in (self.needs)(p, r, self.projects) {
                    let mut clause = taken(&need);
                    clause.push(-literal(p, r));
                    clauses.push(clause);
                }
            }
        }
        clauses
    }

    /// `holes + 1` projects that each need a hole of their own, of which there are too few: nothing
    /// fits.
    pub fn pigeons(holes: usize) -> Self {
        fn needs(p: usize, r: usize, projects: usize) -> Vec<String> {
            // Pigeon p in hole r: the hole (a project) must be held by p, which is release p+1 of
            // it.
            if p < projects / 2 + 1 {
                vec![format!("p{}=={}.0", projects / 2 + 1 + r, p + 1)]
            } else {
                Vec::new()
            }
        }
        let asks = (0..=holes).map(|p| format!("p{p}>0,<={holes}.0")).collect();
        Forest {
            projects: holes * 2 + 1,
            releases: holes + 1,
            asks,
            needs,
        }
    }

    fn page(&self, name: &Name) -> Option<Page> {
        let number: usize = name.as_str().get(1..)?.parse().ok()?;
        if number >= self.projects {
            return None;
        }
        let files: Vec<String> = (1..=self.releases)
            .map(|r| format!(r#"{{"filename":"{name}-{r}.0-py3-none-any.whl","url":"x","requires-python":">=3"}}"#))
            .collect();
        eutaxis_core::index::parse_json(
            format!(r#"{{"files":[{}]}}"#, files.join(",")).as_bytes(),
            name,
        )
        .ok()
    }

    fn metadata(&self, name: &Name, file: &str) -> Option<Metadata> {
        let number: usize = name.as_str().get(1..)?.parse().ok()?;
        let version = file.split('-').nth(1)?;
        let release: usize = version.split('.').next()?.parse().ok()?;
        let needs: String = (self.needs)(number, release - 1, self.projects)
            .iter()
            .map(|n| format!("Requires-Dist: {n}\n"))
            .collect();
        Metadata::parse(
            format!("Metadata-Version: 2.1\nName: {name}\nVersion: {version}\n{needs}").as_bytes(),
        )
        .ok()
    }

    /// The question.
    pub fn problem(&self) -> Option<Problem> {
        let mut asks = Vec::new();
        for text in &self.asks {
            asks.push(Ask {
                requirement: Requirement::parse(text).ok()?,
                origin: Origin::Argument,
            });
        }
        let target = Target::parse("cpython 3.12 / linux x86_64 glibc 2.36").ok()?;
        Some(Problem::new(target, Policy::default(), asks))
    }

    /// A search over this world.
    pub fn search(&self) -> Option<Search> {
        Some(Search::new(self.problem()?))
    }

    /// All facts that a run wants, gathered once, so that a timed run only searches.
    pub fn facts(&self) -> Facts {
        let mut facts = Facts {
            pages: Vec::new(),
            metadata: Vec::new(),
        };
        if let Some(mut search) = self.search() {
            let _ = self.run(&mut search, Some(&mut facts));
        }
        facts
    }

    /// Runs a search to its end; the solution, or none when there is none.
    pub fn run(&self, search: &mut Search, mut record: Option<&mut Facts>) -> Option<Solution> {
        loop {
            match search.step() {
                Step::Wants { needed, likely } => {
                    for want in needed.into_iter().chain(likely) {
                        match want {
                            Want::Page(name) => {
                                let page = self.page(&name).map(Arc::new);
                                search.supply_page(&name, page.clone().map(|p| search.judged(p)));
                                if let Some(facts) = &mut record {
                                    facts.pages.push((name, page));
                                }
                            }
                            Want::Metadata(name, file) | Want::Archive(name, file) => {
                                let answer =
                                    MetadataAnswer::Known(Arc::new(self.metadata(&name, &file)?));
                                search.supply_metadata(&name, &file, &answer);
                                if let Some(facts) = &mut record {
                                    facts.metadata.push((name, file, answer));
                                }
                            }
                            Want::Files(name, file, _) => search.supply_files(&name, &file, None),
                            Want::Direct(..) => return None,
                        }
                    }
                }
                Step::Settled(solution) => return Some(solution),
                Step::Clash(_) | Step::GaveUp { .. } => return None,
            }
        }
    }
}

/// A world that answers every search from memory.
pub struct Memory<'a> {
    forest: &'a Forest,
    pages: HashMap<Name, Option<Arc<Page>>>,
    metadata: HashMap<(Name, Arc<str>), MetadataAnswer>,
    /// How many problems were solved.
    pub solved: usize,
}

impl<'a> Memory<'a> {
    /// Nothing is in memory yet.
    pub fn new(forest: &'a Forest) -> Self {
        Memory {
            forest,
            pages: HashMap::new(),
            metadata: HashMap::new(),
            solved: 0,
        }
    }
}

impl Solver for Memory<'_> {
    type Error = std::convert::Infallible;

    fn solve(&mut self, problem: &Problem) -> Result<End, Self::Error> {
        self.solved += 1;
        let mut search = Search::new(problem.clone());
        loop {
            match search.step() {
                Step::Wants { needed, likely } => {
                    for want in needed.into_iter().chain(likely) {
                        match want {
                            Want::Page(name) | Want::Direct(name, _) => {
                                let forest = self.forest;
                                let page = self
                                    .pages
                                    .entry(name.clone())
                                    .or_insert_with(|| forest.page(&name).map(Arc::new));
                                let judged = page.clone().map(|p| search.judged(p));
                                search.supply_page(&name, judged);
                            }
                            Want::Metadata(name, file) | Want::Archive(name, file) => {
                                let forest = self.forest;
                                let key = (name.clone(), file.clone());
                                let answer = self.metadata.entry(key).or_insert_with(|| {
                                    forest
                                        .metadata(&name, &file)
                                        .map_or(MetadataAnswer::UnknownUntilBuilt, |m| {
                                            MetadataAnswer::Known(Arc::new(m))
                                        })
                                });
                                search.supply_metadata(&name, &file, answer);
                            }
                            Want::Files(name, file, _) => search.supply_files(&name, &file, None),
                        }
                    }
                }
                Step::Settled(solution) => return Ok(End::Settled(solution)),
                Step::Clash(clash) => return Ok(End::Clash(clash)),
                Step::GaveUp { .. } => return Ok(End::GaveUp),
            }
        }
    }

    fn page(&self, project: &Name) -> Option<Arc<Page>> {
        self.pages.get(project).cloned().flatten()
    }
}

/// Facts in memory.
#[derive(Debug)]
pub struct Facts {
    pages: Vec<(Name, Option<Arc<Page>>)>,
    metadata: Vec<(Name, Arc<str>, MetadataAnswer)>,
}

impl Facts {
    /// How many there are.
    pub fn count(&self) -> usize {
        self.pages.len() + self.metadata.len()
    }

    /// Hands all of them in.
    pub fn supply(&self, search: &mut Search) {
        for (name, page) in &self.pages {
            let judged = page.clone().map(|p| search.judged(p));
            search.supply_page(name, judged);
        }
        for (name, file, answer) in &self.metadata {
            search.supply_metadata(name, file, answer);
        }
    }

    /// Hands all of them in, then searches to the end.
    pub fn settle(&self, search: &mut Search) -> Option<Solution> {
        self.supply(search);
        if let Step::Settled(solution) = search.step() {
            Some(solution)
        } else {
            None
        }
    }

    /// The yardstick: every fact is read once.
    pub fn read_once(&self) -> usize {
        let files: usize = self
            .pages
            .iter()
            .filter_map(|(_, p)| p.as_ref())
            .flat_map(|p| p.files.iter())
            .map(|f| f.filename.len())
            .sum();
        let needs: usize = self
            .metadata
            .iter()
            .map(|(_, _, a)| {
                if let MetadataAnswer::Known(m) = a {
                    m.requires.iter().map(|r| r.name.as_str().len()).sum()
                } else {
                    0
                }
            })
            .sum();
        files + needs
    }
}
