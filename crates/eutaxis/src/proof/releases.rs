//! The releases of a project that have a module, or a name of one: looked for in their files, as few
//! of them as can be.

use std::sync::Arc;

use eutaxis_core::index::PageFile;
use eutaxis_core::interface::{Form, Module, Set};
use eutaxis_core::offer::{Rules, Verdict};
use eutaxis_core::solve::Problem;
use eutaxis_core::{Name, Requirement, Version};
use eutaxis_world::Error;
use eutaxis_world::supply::{Depth, Run};
use jiff::Timestamp;

/// So many files are looked into for one question.
const MOST_LOOKED_INTO: usize = 12;

/// A release that can be taken on the target, with the wheel that would be.
#[derive(Debug, Clone)]
pub(super) struct Release {
    pub(super) version: Version,
    pub(super) file: Arc<PageFile>,
}

impl Release {
    pub(super) fn published(&self) -> Option<Timestamp> {
        self.file.published
    }
}

/// The releases of a project that have a wheel for the target, newest first.
pub(super) fn releases(
    run: &Run,
    problem: &Problem,
    project: &Name,
) -> Result<Vec<Release>, Error> {
    let rules = Rules {
        target: &problem.target,
        policy: &problem.policy,
        adjustments: &[],
    };
    let requirement = Requirement::any(project);
    let looked = run
        .look(std::slice::from_ref(&requirement), &rules, Depth::Gaps)?
        .pop()
        .flatten();
    let Some(looked) = looked else {
        return Ok(Vec::new());
    };
    let offers = looked.judged.admitted(&requirement, &rules);
    let ready = offers.iter().filter(|o| o.verdict == Verdict::Ready);
    let mut found: Vec<Release> = ready
        .filter_map(|o| {
            let file = o.best().filter(|f| f.is_wheel())?;
            Some(Release {
                version: o.version.clone(),
                file: Arc::clone(&file.file),
            })
        })
        .collect();
    found.sort_by(|a, b| b.version.cmp(&a.version));
    Ok(found)
}

/// When the series of a release began, by its first two numbers: who was published later had met it.
pub(crate) fn began(
    run: &Run,
    problem: &Problem,
    project: &Name,
    version: &Version,
) -> Result<Option<Timestamp>, Error> {
    let series = |v: &Version| (v.release_number(0), v.release_number(1));
    let all = releases(run, problem, project)?;
    let of_it = all.iter().filter(|r| series(&r.version) == series(version));
    Ok(of_it.filter_map(Release::published).min())
}

/// What is looked for: a module, and a name of it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Sought<'a> {
    pub(super) module: &'a str,
    pub(super) name: Option<&'a str>,
    /// A source that makes names while it runs has the name where it mentions it.
    pub(super) by_word: bool,
    /// Every source has the name where it mentions it: it is no name of a module.
    pub(super) anywhere: bool,
}

impl<'a> Sought<'a> {
    /// What the sources say without doubt.
    pub(super) fn surely(module: &'a str, name: Option<&'a str>) -> Self {
        Sought {
            module,
            name,
            by_word: false,
            anywhere: false,
        }
    }
}

impl Sought<'_> {
    /// Whether a release has it; none where its files do not tell.
    pub(super) fn is_in(
        &self,
        run: &Run,
        project: &Name,
        release: &Release,
    ) -> Result<Option<bool>, Error> {
        let base = self.module.replace('.', "/");
        let (file, package) = (format!("{base}.py"), format!("{base}/__init__.py"));
        let sources = run.sources(project, &release.file, &|p| p == file || p == package)?;
        let mut set = Set::new(1);
        let paths = sources.paths.iter().flatten();
        paths.for_each(|path| set.add(0, path));
        let Some(located) = set.get(self.module) else {
            return Ok(Some(false));
        };
        let Some(name) = self.name else {
            return Ok(Some(true));
        };
        if set.get(&format!("{}.{name}", self.module)).is_some() {
            return Ok(Some(true));
        }
        if located.form == Form::Compiled {
            return Ok(None);
        }
        let source = sources.found.iter().find(|(p, _)| *p == located.file);
        if self.anywhere {
            return Ok(source.map(|(_, bytes)| mentions(bytes, name)));
        }
        let read = source.map(|(_, bytes)| Module::read(bytes));
        Ok(match read {
            Some(read) if read.gives(name) => Some(true),
            Some(read) if read.open.is_none() && read.makes.is_empty() => Some(false),
            _ => {
                let told = source.filter(|_| self.by_word);
                told.map(|(_, bytes)| mentions(bytes, name))
            }
        })
    }
}

/// Whether a source has a word.
fn mentions(source: &[u8], word: &str) -> bool {
    let mut words = source.split(|b| !b.is_ascii_alphanumeric() && *b != b'_');
    words.any(|w| w == word.as_bytes())
}

/// Whether a source of a release takes a module, or a name of one, whatever happens.
pub(super) fn takes(
    run: &Run,
    project: &Name,
    release: &Release,
    file: &str,
    sought: Sought<'_>,
) -> Result<bool, Error> {
    let sources = run.sources(project, &release.file, &|p| p == file)?;
    let read = sources.found.first().map(|(_, bytes)| Module::read(bytes));
    let is_it = |t: &eutaxis_core::interface::Take| {
        let name = sought.name.is_none_or(|n| t.path.iter().any(|p| p == n));
        t.level == 0 && within(&t.module, sought.module) && name
    };
    Ok(read.is_some_and(|read| read.takes.iter().any(is_it)))
}

/// Whether a module is this one, or lies in it.
fn within(module: &str, this: &str) -> bool {
    module
        .strip_prefix(this)
        .is_some_and(|rest| rest.is_empty() || rest.starts_with('.'))
}

/// The stretch of releases around one that are like it, as places in a list with the newest first:
/// the newest and the oldest of it. What is alike at the oldest end is alike on the way there; where
/// the newest one of all is alike, that is not what they fail by, and no newer one counts.
pub(super) fn stretch<E>(
    at: usize,
    all: usize,
    mut is_alike: impl FnMut(usize) -> Result<bool, E>,
) -> Result<(usize, usize), E> {
    let mut towards = |end: usize| -> Result<usize, E> {
        if at == end || is_alike(end)? {
            return Ok(if end < at { at } else { end });
        }
        let (mut alike, mut other) = (at, end);
        while alike.abs_diff(other) > 1 {
            let middle = usize::midpoint(alike, other);
            if is_alike(middle)? {
                alike = middle;
            } else {
                other = middle;
            }
        }
        Ok(alike)
    };
    Ok((towards(0)?, towards(all.saturating_sub(1))?))
}

/// A stretch of releases, newest first, as versions; nothing is said of those that may come.
pub(super) fn range(all: &[&Version], newest: usize, oldest: usize) -> Option<String> {
    let version = |i: usize| all.get(i).map(|v| v.public());
    let lower = (oldest + 1 < all.len()).then(|| version(oldest)).flatten();
    if newest == oldest && lower.is_some() {
        return Some(format!("=={}", version(newest)?));
    }
    let upper = match newest.checked_sub(1) {
        Some(above) => format!("<{}", version(above)?),
        None => format!("<={}", version(newest)?),
    };
    Some(match lower {
        Some(lower) => format!(">={lower},{upper}"),
        None => upper,
    })
}

/// On which side of a release those lie that have something.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Having {
    /// Older ones have it, up to before this release.
    Before(Version),
    /// Newer ones have it, from this release on.
    From(Version),
}

impl Having {
    /// The bound that keeps to them.
    pub(super) fn bound(&self) -> String {
        match self {
            Having::Before(version) => format!("<{version}"),
            Having::From(version) => format!(">={version}"),
        }
    }
}

/// The releases nearest to one that lacks something which have it: the newest older ones first, for
/// what was once there; from the time of the one that takes it on.
pub(super) fn nearest_having(
    run: &Run,
    project: &Name,
    all: &[Release],
    lacking: &Version,
    since: Option<Timestamp>,
    sought: Sought<'_>,
) -> Result<Option<Having>, Error> {
    let Some(at) = all.iter().position(|r| r.version == *lacking) else {
        return Ok(None);
    };
    let mut left = MOST_LOOKED_INTO;
    let mut has = |i: usize| -> Result<bool, Error> {
        let Some(release) = all.get(i).filter(|_| left > 0) else {
            return Ok(false);
        };
        left -= 1;
        // One whose files do not tell is passed over.
        Ok(sought.is_in(run, project, release)? == Some(true))
    };
    let of_time = |r: &Release| match (r.published(), since) {
        (Some(published), Some(since)) => published <= since,
        _ => true,
    };
    let first = all
        .iter()
        .skip(at + 1)
        .position(of_time)
        .map(|n| n + at + 1);
    let mut lacks = at;
    let mut next = first.unwrap_or(at + 1);
    let mut step = 1;
    while next < all.len() {
        if has(next)? {
            // Between the two lies the first one that lacks it.
            let (mut newest, mut oldest_lacking) = (next, lacks);
            while newest - oldest_lacking > 1 {
                let middle = oldest_lacking + (newest - oldest_lacking) / 2;
                if has(middle)? {
                    newest = middle;
                } else {
                    oldest_lacking = middle;
                }
            }
            let bound = all.get(oldest_lacking).map(|r| r.version.public());
            return Ok(bound.map(Having::Before));
        }
        lacks = next;
        next += step;
        step *= 2;
    }
    let mut oldest = None;
    let (mut low, mut high) = (0, at);
    if at > 0 && has(0)? {
        // Those before `high` are looked through for the oldest that has it.
        while low < high {
            let middle = low + (high - low) / 2;
            if has(middle)? {
                oldest = Some(middle);
                low = middle + 1;
            } else {
                high = middle;
            }
        }
    }
    let version = oldest.and_then(|i| all.get(i)).map(|r| r.version.public());
    Ok(version.map(Having::From))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// Releases 9 to 0, the newest first; those of a stretch are alike.
    #[rstest]
    #[case::alone(3, 3..=3, "==6")]
    #[case::all(3, 0..=9, "<7")]
    #[case::the_newest(0, 0..=0, "==9")]
    #[case::from_some_on(2, 0..=4, ">=5,<8")]
    #[case::up_to_the_newest(0, 0..=4, ">=5,<=9")]
    #[case::up_to_some(5, 4..=9, "<6")]
    #[case::between(5, 2..=7, ">=2,<8")]
    #[case::the_oldest(9, 9..=9, "<1")]
    fn a_stretch_is_found_in_few_looks(
        #[case] at: usize,
        #[case] alike: std::ops::RangeInclusive<usize>,
        #[case] expected: &str,
    ) {
        let mut looks = 0;
        let found = stretch(at, 10, |i| {
            looks += 1;
            Ok::<bool, ()>(alike.contains(&i))
        });
        let (newest, oldest) = found.unwrap();
        let versions: Vec<Version> = (0..10)
            .rev()
            .map(|n| Version::parse(&n.to_string()).unwrap())
            .collect();
        let versions: Vec<&Version> = versions.iter().collect();
        assert_eq!(range(&versions, newest, oldest).as_deref(), Some(expected));
        assert!(looks <= 8, "{looks}");
    }
}
