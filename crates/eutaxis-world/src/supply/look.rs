//! Projects looked at by themselves, by the same judge as in a search: for lists and checks that
//! choose nothing.

use std::collections::HashMap;
use std::sync::Arc;

use eutaxis_core::artifact::Metadata;
use eutaxis_core::index::Page;
use eutaxis_core::offer::{
    JudgedPage, Known, Learned, Loss, Lost, MetadataAnswer, Offer, Open, Reach, Rules, Verdict,
    WheelFiles, lost, untold,
};
use eutaxis_core::requirement::Accepts;
use eutaxis_core::solve::Want;
use eutaxis_core::{Name, Requirement};

use super::Run;
use super::crew::{Crew, Fact};
use crate::Result;

/// So many releases of a project may turn out to be barred by their metadata before it is let be.
const MOST_LATE: usize = 100;

/// How far it is looked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Depth {
    /// Into the metadata of a release where the page leaves out which interpreters it is for, or
    /// where it would have to be built, as far as that is cheap.
    Gaps,
    /// Into the metadata of the release that would be taken; a wheel is fetched for it.
    Needs,
}

/// A project as it is judged, with the metadata of the release that would be taken if they were
/// read.
#[derive(Debug, Clone)]
pub struct Looked {
    /// The project.
    pub judged: Arc<JudgedPage>,
    /// What the release needs.
    pub metadata: Option<Arc<Metadata>>,
}

/// A requirement that is being looked into.
struct Looking<'a> {
    requirement: &'a Requirement,
    looked: Looked,
    /// What is to be known next.
    want: Option<Want>,
}

impl Run {
    /// A project that was read, as it is judged with all that is known of its files by now.
    pub fn judged(&self, project: &Name, rules: &Rules<'_>) -> Option<Arc<JudgedPage>> {
        self.page_of(project)
            .map(|page| self.judged_page(&page, rules))
    }

    fn judged_page(&self, page: &Arc<Page>, rules: &Rules<'_>) -> Arc<JudgedPage> {
        let mut judged = self.judges.of(rules).page(page);
        let crew = self.crew(None);
        for (file, answer) in crew.answers_of(&page.project) {
            judged.learn(&file, &answer, rules);
        }
        for (file, files) in crew.files_of(&page.project) {
            files.iter().for_each(|files| {
                judged.learn_files(&file, files, rules);
            });
        }
        judged
    }

    /// That a release leaves the accelerators of the place unused, which builds of its project use.
    /// Metadata that cannot be had cheaply tell nothing.
    pub fn loss(&self, judged: &JudgedPage, offer: &Offer, rules: &Rules<'_>) -> Option<Box<Loss>> {
        let project = judged.project();
        let mut asked: HashMap<Arc<str>, Option<Arc<Metadata>>> = HashMap::new();
        let metadata = |answer| {
            if let MetadataAnswer::Known(metadata) = answer {
                Some(metadata)
            } else {
                None
            }
        };
        let crew = self.crew(None);
        let read = crew.answers_of(project).into_iter();
        asked.extend(read.map(|(file, answer)| (file, metadata(answer))));
        let mut within: HashMap<_, _> = crew.files_of(project).into_iter().collect();
        loop {
            let known = Known {
                metadata: &|file| asked.get(file).cloned(),
                files: &|file| within.get(file).cloned(),
            };
            let open = match lost(judged, offer, known, rules) {
                Lost::No => return None,
                Lost::Yes(loss) => return Some(loss),
                Lost::Ask(open) => open,
            };
            let want = match &open {
                Open::Metadata(file) => Want::Metadata(project.clone(), Arc::clone(file)),
                Open::Files(file) => Want::Files(project.clone(), Arc::clone(file), Reach::Parts),
            };
            crew.order([&want].into_iter());
            match (open, crew.fact(&want)) {
                (Open::Metadata(file), Ok(Fact::Metadata(_, _, answer))) => {
                    asked.insert(file, metadata(answer));
                }
                (Open::Files(file), Ok(Fact::Files(_, _, files))) => {
                    within.insert(file, files);
                }
                (Open::Metadata(file), _) => {
                    asked.insert(file, None);
                }
                (Open::Files(file), _) => {
                    within.insert(file, None);
                }
            }
        }
    }

    /// What requirements ask for, all at once: each project as it is judged, until it is sure which
    /// release would be taken by itself (docs/choice.md, Requires-Python); none where no depot has
    /// it. Metadata that cannot be had show their fault when the project is settled: here they are
    /// let be.
    ///
    /// # Errors
    /// When the page of a project cannot be read.
    pub fn look(
        &self,
        asked: &[Requirement],
        rules: &Rules<'_>,
        depth: Depth,
    ) -> Result<Vec<Option<Looked>>> {
        let crew = self.crew(None);
        let wants: Vec<Want> = asked.iter().map(page_of).collect();
        crew.order(wants.iter());
        let facts = super::whole(wants.iter().map(|want| crew.fact(want)).collect())?;
        let mut all: Vec<Option<Looking<'_>>> = Vec::new();
        for (requirement, fact) in asked.iter().zip(facts) {
            let looking = |page: &Arc<Page>| {
                Looking::new(requirement, self.judged_page(page, rules), rules, depth)
            };
            all.push(match &fact {
                Fact::Page(_, Some((_, page))) => Some(looking(page)),
                Fact::Page(_, None) | Fact::Metadata(..) | Fact::Files(..) => None,
            });
        }
        while look_once(&mut all, crew, rules, depth) {}
        Ok(all
            .into_iter()
            .map(|looking| looking.map(|l| l.looked))
            .collect())
    }
}

fn page_of(requirement: &Requirement) -> Want {
    match &requirement.accepts {
        Accepts::Url(url) => Want::Direct(requirement.name.clone(), url.clone()),
        Accepts::Versions(_) => Want::Page(requirement.name.clone()),
    }
}

/// Asks for what is to be known next of all; whether there was anything.
fn look_once(
    all: &mut [Option<Looking<'_>>],
    crew: &Crew,
    rules: &Rules<'_>,
    depth: Depth,
) -> bool {
    let open: Vec<&mut Looking<'_>> = all
        .iter_mut()
        .flatten()
        .filter(|l| l.want.is_some())
        .collect();
    crew.order(open.iter().filter_map(|l| l.want.as_ref()));
    let any = !open.is_empty();
    for looking in open {
        let Some(want) = looking.want.take() else {
            continue;
        };
        match crew.fact(&want) {
            Ok(Fact::Metadata(_, file, answer)) => {
                looking.learn(&want, &file, &answer, rules, depth);
            }
            Ok(Fact::Files(_, file, files)) => {
                looking.learn_files(&file, files.as_deref(), rules, depth);
            }
            Ok(Fact::Page(..)) | Err(_) => {}
        }
    }
    any
}

impl<'a> Looking<'a> {
    fn new(
        requirement: &'a Requirement,
        judged: Arc<JudgedPage>,
        rules: &Rules<'_>,
        depth: Depth,
    ) -> Self {
        let mut looking = Looking {
            requirement,
            looked: Looked {
                judged,
                metadata: None,
            },
            want: None,
        };
        looking.want = looking.next(rules, depth);
        looking
    }

    /// The metadata of the release that would be taken.
    fn next(&self, rules: &Rules<'_>, depth: Depth) -> Option<Want> {
        let judged = &self.looked.judged;
        let best = judged.best(self.requirement, rules)?;
        let file = &best.best()?.file;
        // What only building would tell bars a release that has only source.
        let is_open = file.requires_python.is_none() || best.verdict == Verdict::Build;
        let wanted = depth == Depth::Needs || is_open;
        (wanted && judged.learnt_bars() < MOST_LATE)
            .then(|| Want::Metadata(judged.project().clone(), Arc::clone(&file.filename)))
    }

    /// The files of the wheel that would be taken, where they would tell what it was made for.
    fn untold(&self, rules: &Rules<'_>) -> Option<Want> {
        let judged = &self.looked.judged;
        let best = judged.best(self.requirement, rules)?;
        let (file, reach) = untold(judged, best, rules)?;
        Some(Want::Files(judged.project().clone(), file, reach))
    }

    fn learn_files(
        &mut self,
        file: &Arc<str>,
        files: Option<&WheelFiles>,
        rules: &Rules<'_>,
        depth: Depth,
    ) {
        let judged = &mut self.looked.judged;
        if files.is_some_and(|files| judged.learn_files(file, files, rules)) {
            self.looked.metadata = None;
            self.want = self.next(rules, depth);
        }
    }

    fn learn(
        &mut self,
        want: &Want,
        file: &Arc<str>,
        answer: &MetadataAnswer,
        rules: &Rules<'_>,
        depth: Depth,
    ) {
        match self.looked.judged.learn(file, answer, rules) {
            Learned::Told(told) if told.is_barred => self.want = self.next(rules, depth),
            Learned::Told(told) => {
                self.looked.metadata = told.metadata;
                self.want = self.untold(rules).filter(|_| depth == Depth::Needs);
            }
            // An archive of source is not fetched for a list.
            Learned::Dear
                if depth == Depth::Needs
                    && file.ends_with(".whl")
                    && matches!(want, Want::Metadata(..)) =>
            {
                self.want = Some(Want::Archive(
                    self.looked.judged.project().clone(),
                    Arc::clone(file),
                ));
            }
            Learned::Dear | Learned::Unknown => {}
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::depot::stub::{Stub, depots};
    use eutaxis_core::Target;
    use eutaxis_core::index::{PageFile, parse_json};
    use eutaxis_core::offer::Policy;
    use rstest::rstest;

    const PAGE: &str = r#"{"files":[
        {"filename":"moulin-4.0.tar.gz","url":"x","requires-python":">=3.8"},
        {"filename":"moulin-3.0-py3-none-any.whl","url":"x"},
        {"filename":"moulin-2.0-py3-none-any.whl","url":"x","requires-python":">=3.8"},
        {"filename":"moulin-1.0-py3-none-any.whl","url":"x","requires-python":">=3.8"}]}"#;

    fn page(project: &Name) -> Result<Option<Page>> {
        Ok((project.as_str() == "moulin").then(|| parse_json(PAGE.as_bytes(), project).unwrap()))
    }

    /// Source that only building tells of, a wheel that is for older interpreters, and wheels that
    /// say nothing against it.
    fn metadata(file: &PageFile) -> Result<MetadataAnswer> {
        let version = file.kind.version();
        if file.filename.ends_with(".gz") {
            return Ok(MetadataAnswer::UnknownUntilBuilt);
        }
        let python = if version.to_string() == "3.0" {
            "Requires-Python: <3.9\n"
        } else {
            ""
        };
        let text = format!("Metadata-Version: 2.1\nName: moulin\nVersion: {version}\n{python}");
        Ok(MetadataAnswer::Known(Arc::new(
            Metadata::parse(text.as_bytes()).unwrap(),
        )))
    }

    #[rstest]
    #[case::what_only_building_tells("moulin==4.0", Depth::Gaps, &["4.0"], false)]
    #[case::what_the_page_leaves_out("moulin>=2,<4", Depth::Gaps, &["3.0"], false)]
    #[case::what_the_page_says("moulin<3", Depth::Gaps, &[], false)]
    #[case::its_needs("moulin<3", Depth::Needs, &[], true)]
    fn it_is_looked_as_far_as_is_asked(
        #[case] requirement: &str,
        #[case] depth: Depth,
        #[case] barred: &[&str],
        #[case] has_metadata: bool,
    ) {
        let target = Target::parse("cpython 3.12 / linux x86_64 glibc 2.36").unwrap();
        let rules = Rules {
            target: &target,
            policy: &Policy::default(),
            adjustments: &[],
        };
        let run = Run::new(depots(Stub::new("stub", page, metadata)));
        let asked = ["crevasse", requirement].map(|text| Requirement::parse(text).unwrap());
        let looked = run.look(&asked, &rules, depth).unwrap();
        assert!(looked[0].is_none(), "no depot has it");
        let looked = looked[1].clone().unwrap();
        let out = looked
            .judged
            .offers()
            .filter(|o| o.verdict == Verdict::Barred);
        assert_eq!(
            out.map(|o| o.version.to_string()).collect::<Vec<_>>(),
            barred
        );
        assert_eq!(looked.metadata.is_some(), has_metadata);
    }
}
