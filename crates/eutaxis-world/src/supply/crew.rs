//! Threads that answer wants. Over the network each mostly waits, so there are many of them; on a
//! disk as many as there are processors.
//!
//! Every want is answered once; whoever wants it later finds the answer, or waits for the one who
//! is at it.

use std::collections::{HashMap, VecDeque};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use eutaxis_core::Name;
use eutaxis_core::index::{Page, PageFile};
use eutaxis_core::offer::{MetadataAnswer, WheelFiles};
use eutaxis_core::solve::{Effort, Want};

use super::ahead::Ahead;
use super::built::{ByBuild, Question};
use super::judge::Judge;
use super::{dated, described, hashed, within};
use crate::depot::{Depot, Depots};
use crate::guarded::guarded;
use crate::{Error, ErrorKind, Result};

/// So many requests are under way at once.
const MOST_UNDER_WAY: usize = 24;

/// Who waits for an answer looks so often whether there are hands enough.
const PATIENCE: Duration = Duration::from_millis(2);

/// The answer to a want.
#[derive(Debug, Clone)]
pub(super) enum Fact {
    Page(Name, Option<(Arc<dyn Depot>, Arc<Page>)>),
    Metadata(Name, Arc<str>, MetadataAnswer),
    /// None: that cannot be had without fetching the wheel.
    Files(Name, Arc<str>, Option<Arc<WheelFiles>>),
}

enum Slot {
    Waiting,
    UnderWay(Instant),
    Done(Result<Fact>),
}

/// What is wanted, in words.
fn shown(want: &Want) -> String {
    match want {
        Want::Page(project) => format!("the page of {project}"),
        Want::Direct(project, _) => format!("the file of {project}"),
        Want::Metadata(_, file) => format!("the metadata of {file}"),
        Want::Archive(_, file) => format!("{file}, to learn what it needs"),
        Want::Files(_, file, _) => format!("the list of files of {file}"),
    }
}

#[derive(Default)]
struct State {
    slots: HashMap<Want, Slot>,
    /// Wants of the search, then those that are only foreseen.
    queue: VecDeque<Want>,
    foreseen: VecDeque<Want>,
    idle: usize,
    threads: usize,
    closed: bool,
}

impl State {
    /// What was answered to a want for metadata.
    fn metadata(&self, want: &Want) -> Option<&MetadataAnswer> {
        match self.slots.get(want)? {
            Slot::Done(Ok(Fact::Metadata(_, _, answer))) => Some(answer),
            Slot::Done(_) | Slot::Waiting | Slot::UnderWay(_) => None,
        }
    }
}

struct Shared {
    depots: Arc<Depots>,
    /// Judges the pages that come, each on the thread that read it.
    judge: Option<Arc<Judge>>,
    ahead: Option<Mutex<Ahead>>,
    by_build: Option<Arc<dyn ByBuild>>,
    /// So many threads at most while nobody waits for a server, and while somebody does.
    most: (usize, usize),
    state: Mutex<State>,
    /// Something was put into a queue, or the crew is dismissed.
    work: Condvar,
    /// Something was answered.
    news: Condvar,
}

/// The crew; dismissed when dropped. A thread that still waits for a server then ends after that.
pub(super) struct Crew {
    shared: Arc<Shared>,
}

impl Crew {
    pub(super) fn new(
        depots: Arc<Depots>,
        judge: Option<Arc<Judge>>,
        ahead: Option<Ahead>,
        by_build: Option<Arc<dyn ByBuild>>,
    ) -> Self {
        let processors = std::thread::available_parallelism().map_or(2, usize::from);
        let waiting = if depots.are_remote() {
            MOST_UNDER_WAY
        } else {
            processors
        };
        let shared = Shared {
            depots,
            judge,
            ahead: ahead.map(Mutex::new),
            by_build,
            most: (processors.min(waiting), waiting),
            state: Mutex::default(),
            work: Condvar::new(),
            news: Condvar::new(),
        };
        Crew {
            shared: Arc::new(shared),
        }
    }

    /// Sees to it that these are answered, before all that was only foreseen.
    pub(super) fn order<'a>(&self, wants: impl Iterator<Item = &'a Want>) {
        let mut state = self.shared.lock();
        for want in wants {
            match state.slots.get(want) {
                None => {
                    state.slots.insert(want.clone(), Slot::Waiting);
                    state.queue.push_back(want.clone());
                }
                // Foreseen, and not begun: it stands in the other queue, where it is passed over
                // later.
                Some(Slot::Waiting) => state.queue.push_back(want.clone()),
                // A failure is not for ever: what failed while it was only foreseen is tried again.
                Some(Slot::Done(Err(_))) => {
                    state.slots.insert(want.clone(), Slot::Waiting);
                    state.queue.push_back(want.clone());
                }
                Some(_) => {}
            }
        }
        self.shared.call(&mut state);
    }

    /// The answer to a want that was ordered.
    pub(super) fn fact(&self, want: &Want) -> Result<Fact> {
        let mut state = self.shared.lock();
        loop {
            match state.slots.get(want) {
                Some(Slot::Done(fact)) => return fact.clone(),
                Some(Slot::Waiting | Slot::UnderWay(_)) => {}
                // Nobody would ever answer it.
                None => {
                    let message = format!("{} was waited for and never asked for", shown(want));
                    return Err(Error::new(ErrorKind::Internal, message));
                }
            }
            state = self.shared.news_after(state);
        }
    }

    /// What is being waited for longest, in words; none when nothing is.
    pub(super) fn waits_for(&self) -> Option<String> {
        let state = self.shared.lock();
        let under_way = state.slots.iter().filter_map(|(want, slot)| {
            if let Slot::UnderWay(since) = slot {
                Some((*since, want))
            } else {
                None
            }
        });
        let all: Vec<_> = under_way.collect();
        let (_, first) = all.iter().min_by_key(|(since, _)| *since)?;
        let more = if all.len() > 1 {
            format!(" and {} more", all.len() - 1)
        } else {
            String::new()
        };
        Some(format!("{}{more}", shown(first)))
    }

    /// The price of an archive that was asked for: what its cheap answer said.
    pub(super) fn price(&self, project: &Name, file: &Arc<str>) -> u64 {
        match self
            .shared
            .lock()
            .metadata(&Want::Metadata(project.clone(), Arc::clone(file)))
        {
            Some(MetadataAnswer::Dear(bytes)) => *bytes,
            _ => 0,
        }
    }

    /// What was answered of the metadata of a file: what its archive told, where that was asked
    /// for.
    pub(super) fn answer_of(&self, project: &Name, file: &Arc<str>) -> Option<MetadataAnswer> {
        let state = self.shared.lock();
        let of = |want: fn(Name, Arc<str>) -> Want| {
            state.metadata(&want(project.clone(), Arc::clone(file)))
        };
        of(Want::Archive).or_else(|| of(Want::Metadata)).cloned()
    }

    /// What was answered of the metadata of a project's files, in the order of their names; what an
    /// archive told after what was told without it.
    pub(super) fn answers_of(&self, project: &Name) -> Vec<(Arc<str>, MetadataAnswer)> {
        let state = self.shared.lock();
        let of_it = |want: &Want| matches!(want, Want::Metadata(name, _) | Want::Archive(name, _) if name == project);
        let mut answered: Vec<(&Want, Arc<str>, MetadataAnswer)> = state
            .slots
            .iter()
            .filter(|(want, _)| of_it(want))
            .filter_map(|(want, slot)| match slot {
                Slot::Done(Ok(Fact::Metadata(_, file, answer))) => {
                    Some((want, Arc::clone(file), answer.clone()))
                }
                Slot::Done(_) | Slot::Waiting | Slot::UnderWay(_) => None,
            })
            .collect();
        answered.sort_by(|a, b| a.0.cmp(b.0));
        answered
            .into_iter()
            .map(|(_, file, answer)| (file, answer))
            .collect()
    }

    /// What was told of the files within a project's wheels, in the order of their names.
    pub(super) fn files_of(&self, project: &Name) -> Vec<(Arc<str>, Option<Arc<WheelFiles>>)> {
        let state = self.shared.lock();
        let told = |(want, slot): (&Want, &Slot)| match (want, slot) {
            (Want::Files(name, _, _), Slot::Done(Ok(Fact::Files(_, file, files))))
                if name == project =>
            {
                Some((Arc::clone(file), files.clone()))
            }
            _ => None,
        };
        let mut all: Vec<_> = state.slots.iter().filter_map(told).collect();
        all.sort_by(|a, b| a.0.cmp(&b.0));
        all
    }

    /// The page of a project that was answered, with its depot.
    pub(super) fn page_of(&self, project: &Name) -> Option<(Arc<dyn Depot>, Arc<Page>)> {
        self.shared.page_of(project)
    }
}

impl Drop for Crew {
    fn drop(&mut self) {
        self.shared.lock().closed = true;
        self.shared.work.notify_all();
    }
}

impl Shared {
    fn lock(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Waits for an answer to anything. Those who are there may have begun to wait for a server since
    /// they were called: then more can work.
    fn news_after<'s>(self: &Arc<Self>, state: MutexGuard<'s, State>) -> MutexGuard<'s, State> {
        if self.most.0 == self.most.1 || state.threads >= self.most.1 {
            let after = self.news.wait(state);
            return after.unwrap_or_else(PoisonError::into_inner);
        }
        let after = self.news.wait_timeout(state, PATIENCE);
        let (mut state, patience) = after.unwrap_or_else(PoisonError::into_inner);
        if patience.timed_out() {
            self.call(&mut state);
        }
        state
    }

    /// Wakes or hires as many threads as there is work for.
    fn call(self: &Arc<Self>, state: &mut State) {
        let most = match self.depots.network().is_in_use() {
            true => self.most.1,
            false => self.most.0,
        };
        let work = state.queue.len() + state.foreseen.len();
        for _ in 0..work
            .saturating_sub(state.idle)
            .min(most.saturating_sub(state.threads))
        {
            let shared = Arc::clone(self);
            let hired = std::thread::Builder::new()
                .name("depot".to_owned())
                .spawn(move || shared.serve());
            if hired.is_err() {
                break;
            }
            state.threads += 1;
        }
        if state.threads == 0 {
            // The system gives no thread at all: what is wanted fails rather than waits for ever.
            let lost: Vec<Want> = state.queue.drain(..).collect();
            for want in lost {
                state.slots.insert(
                    want,
                    Slot::Done(Err(Error::new(
                        ErrorKind::Disk,
                        "the system gives no more threads",
                    ))),
                );
            }
        }
        for _ in 0..work.min(state.idle) {
            self.work.notify_one();
        }
    }

    fn serve(self: Arc<Self>) {
        let mut state = self.lock();
        loop {
            if state.closed {
                return;
            }
            let Some(want) = state
                .queue
                .pop_front()
                .or_else(|| state.foreseen.pop_front())
            else {
                state.idle += 1;
                state = self
                    .work
                    .wait(state)
                    .unwrap_or_else(PoisonError::into_inner);
                state.idle -= 1;
                continue;
            };
            if !matches!(state.slots.get(&want), Some(Slot::Waiting)) {
                continue;
            }
            state
                .slots
                .insert(want.clone(), Slot::UnderWay(Instant::now()));
            drop(state);
            let fact = guarded(|| shown(&want), || self.answer(&want));
            let foreseen = match (&self.ahead, &fact) {
                // As long as the catalogue has everything, nobody waits, and foreseeing only costs.
                (Some(ahead), Ok(fact)) if self.depots.network().is_in_use() => {
                    let mut ahead = ahead.lock().unwrap_or_else(PoisonError::into_inner);
                    // A wrong guess changes no answer, and so does none.
                    guarded(|| shown(&want), || Ok(ahead.after(fact))).unwrap_or_default()
                }
                _ => Vec::new(),
            };
            state = self.lock();
            state.slots.insert(want, Slot::Done(fact));
            for want in foreseen {
                if !state.slots.contains_key(&want) {
                    state.slots.insert(want.clone(), Slot::Waiting);
                    state.foreseen.push_back(want);
                }
            }
            if !state.foreseen.is_empty() {
                self.call(&mut state);
            }
            self.news.notify_all();
        }
    }

    fn answer(&self, want: &Want) -> Result<Fact> {
        let (Want::Page(asked)
        | Want::Direct(asked, _)
        | Want::Metadata(asked, _)
        | Want::Archive(asked, _)
        | Want::Files(asked, _, _)) = want;
        let shared = |(depot, page): (Arc<dyn Depot>, Page)| {
            let adjustments = self.judge.as_ref().map(|j| j.rules().adjustments);
            let page = hashed::completed(page, &*depot, asked, adjustments.unwrap_or_default());
            let page = described::completed(page, &*depot, asked);
            let page = Arc::new(dated::completed(page, &*depot, &self.depots));
            if let Some(judge) = &self.judge {
                judge.page(&page);
            }
            (depot, page)
        };
        match want {
            Want::Page(project) => Ok(Fact::Page(
                project.clone(),
                self.depots.page(project)?.map(shared),
            )),
            Want::Direct(project, url) => Ok(Fact::Page(
                project.clone(),
                Some(shared(self.depots.direct(project, url)?)),
            )),
            Want::Metadata(project, filename) | Want::Archive(project, filename) => {
                let effort = if matches!(want, Want::Archive(..)) {
                    Effort::Archive
                } else {
                    Effort::Cheap
                };
                let (depot, page) = self.page_of(project).ok_or_else(|| unknown(filename))?;
                let file = file_of(&page, filename)?;
                let answer = match depot.metadata(project, file, effort) {
                    Err(error) if error.kind == ErrorKind::Metadata => {
                        MetadataAnswer::Unusable(error.message)
                    }
                    answer => answer?,
                };
                let network = self.depots.network();
                let question = Question {
                    depot: &depot,
                    project,
                    file,
                    network,
                    effort,
                };
                let answer = question.completed(answer, self.by_build.as_ref())?;
                Ok(Fact::Metadata(project.clone(), filename.clone(), answer))
            }
            Want::Files(project, filename, reach) => {
                let (depot, page) = self.page_of(project).ok_or_else(|| unknown(filename))?;
                let file = file_of(&page, filename)?;
                let told = within::told(&depot, project, file, *reach, self.depots.network())?;
                let told = told.map(Arc::new);
                Ok(Fact::Files(project.clone(), Arc::clone(filename), told))
            }
        }
    }

    /// The page of a project that was answered before.
    fn page_of(&self, project: &Name) -> Option<(Arc<dyn Depot>, Arc<Page>)> {
        let state = self.lock();
        let found = |want: &Want| match state.slots.get(want) {
            Some(Slot::Done(Ok(Fact::Page(_, Some(page))))) => Some(page.clone()),
            _ => None,
        };
        found(&Want::Page(project.clone())).or_else(|| {
            let direct = state
                .slots
                .keys()
                .find(|w| matches!(w, Want::Direct(name, _) if name == project))?;
            found(direct)
        })
    }
}

fn file_of<'a>(page: &'a Page, filename: &str) -> Result<&'a PageFile> {
    let file = page.file(filename);
    file.map(|f| &**f).ok_or_else(|| unknown(filename))
}

fn unknown(filename: &str) -> Error {
    Error::contents(format!("{filename} is on no page"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use eutaxis_core::index::parse_json;

    use crate::depot::stub::{Stub, depots};

    /// A depot with a fault: pages of some projects break it, and so does all metadata.
    fn broken_page(project: &Name) -> Result<Option<Page>> {
        assert!(project.as_str() != "crevasse", "a hole in the ice");
        let text =
            format!(r#"{{"files":[{{"filename":"{project}-1.0-py3-none-any.whl","url":"x"}}]}}"#);
        Ok(parse_json(text.as_bytes(), project).ok())
    }

    fn broken_metadata(file: &PageFile) -> Result<MetadataAnswer> {
        panic!("cannot read {}", file.filename)
    }

    fn crew() -> Crew {
        Crew::new(
            depots(Stub::new("stub", broken_page, broken_metadata)),
            None,
            None,
            None,
        )
    }

    fn name(text: &str) -> Name {
        Name::parse(text).unwrap()
    }

    #[test]
    fn a_depot_that_panics_is_an_error_and_the_others_are_answered() {
        let crew = crew();
        // More of them than there are threads: none is lost by it.
        let broken: Vec<Want> = (0..40)
            .map(|n| Want::Metadata(name("serac"), format!("serac-{n}").into()))
            .collect();
        let (page, hole) = (Want::Page(name("serac")), Want::Page(name("crevasse")));
        crew.order([&hole, &page].into_iter());
        assert!(matches!(crew.fact(&page), Ok(Fact::Page(_, Some(_)))));
        let error = crew.fact(&hole).unwrap_err();
        assert_eq!(error.kind, ErrorKind::Internal);
        assert!(
            error
                .message
                .ends_with("the page of crevasse: a hole in the ice"),
            "{}",
            error.message
        );
        let file = Want::Metadata(name("serac"), "serac-1.0-py3-none-any.whl".into());
        crew.order([&file].into_iter());
        assert!(
            crew.fact(&file)
                .unwrap_err()
                .message
                .ends_with("cannot read serac-1.0-py3-none-any.whl")
        );
        crew.order(broken.iter());
        assert!(
            broken.iter().all(|want| crew.fact(want).is_err()),
            "no such file"
        );
        crew.order([&page].into_iter());
        assert!(crew.fact(&page).is_ok());
    }

    #[test]
    fn what_was_never_asked_for_is_not_waited_for() {
        assert_eq!(
            crew().fact(&Want::Page(name("serac"))).unwrap_err().kind,
            ErrorKind::Internal
        );
    }

    /// A depot that counts what it is asked for.
    mod counted {
        use std::sync::atomic::{AtomicUsize, Ordering};

        use super::*;

        static PAGES: AtomicUsize = AtomicUsize::new(0);

        fn page(project: &Name) -> Result<Option<Page>> {
            if project.as_str() == "absent" {
                return Ok(None);
            }
            if project.as_str() == "once" {
                PAGES.fetch_add(1, Ordering::SeqCst);
            }
            let text = format!(
                r#"{{"files":[{{"filename":"{project}-1.0-py3-none-any.whl","url":"x"}},
                    {{"filename":"{project}-1.0.tar.gz","url":"y"}}]}}"#
            );
            Ok(parse_json(text.as_bytes(), project).ok())
        }

        fn metadata(file: &PageFile) -> Result<MetadataAnswer> {
            if file.filename.ends_with(".whl") {
                return Ok(MetadataAnswer::Dear(7));
            }
            Err(Error::new(ErrorKind::Metadata, "its metadata has no name"))
        }

        fn crew() -> Crew {
            Crew::new(depots(Stub::new("stub", page, metadata)), None, None, None)
        }

        fn file(name: &str) -> Arc<str> {
            Arc::from(name)
        }

        #[test]
        fn what_is_ordered_twice_is_asked_for_once() {
            let crew = crew();
            let want = Want::Page(name("once"));
            for _ in 0..20 {
                crew.order([&want, &want].into_iter());
            }
            assert!(crew.fact(&want).is_ok());
            crew.order([&want].into_iter());
            assert!(crew.fact(&want).is_ok());
            assert_eq!(PAGES.load(Ordering::SeqCst), 1);
            assert_eq!(crew.waits_for(), None);
        }

        #[test]
        fn a_project_that_no_depot_has_is_an_answer() {
            let crew = crew();
            let want = Want::Page(name("absent"));
            crew.order([&want].into_iter());
            assert!(matches!(crew.fact(&want), Ok(Fact::Page(_, None))));
            assert!(crew.page_of(&name("absent")).is_none());
            // What is wanted of a file of it cannot be answered, and is not waited for.
            let file = Want::Metadata(name("absent"), file("absent-1.0.tar.gz"));
            crew.order([&file].into_iter());
            let error = crew.fact(&file).unwrap_err();
            assert_eq!(error.message, "absent-1.0.tar.gz is on no page");
        }

        #[test]
        fn answers_of_a_project_are_told_in_their_order() {
            let crew = crew();
            let page = Want::Page(name("serac"));
            crew.order([&page].into_iter());
            crew.fact(&page).unwrap();
            let (wheel, source) = (file("serac-1.0-py3-none-any.whl"), file("serac-1.0.tar.gz"));
            let wants = [
                Want::Archive(name("serac"), Arc::clone(&wheel)),
                Want::Metadata(name("serac"), Arc::clone(&source)),
                Want::Metadata(name("serac"), Arc::clone(&wheel)),
            ];
            crew.order(wants.iter());
            wants.iter().for_each(|w| drop(crew.fact(w).unwrap()));
            let answers = crew.answers_of(&name("serac"));
            let files: Vec<&str> = answers.iter().map(|(f, _)| &**f).collect();
            assert_eq!(files, [&*wheel, &*source, &*wheel]);
            assert_eq!(crew.price(&name("serac"), &wheel), 7);
            assert_eq!(crew.price(&name("serac"), &source), 0);
            // Metadata that break the standard bar their release only.
            let told = crew.answer_of(&name("serac"), &source);
            assert!(
                matches!(told, Some(MetadataAnswer::Unusable(_))),
                "{told:?}"
            );
            assert!(crew.answer_of(&name("other"), &source).is_none());
        }
    }
}
