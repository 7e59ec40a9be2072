//! `proofread`: what is wrong in a requirement list, project file or pins, before anything is
//! fetched or placed?

use std::cell::LazyCell;
use std::path::Path;
use std::sync::Arc;

use eutaxis_core::fault::{Fault, Origin, escaped, line_and_column};
use eutaxis_core::index::Hashes;
use eutaxis_core::name::nearest;
use eutaxis_core::offer::{Adjustment, JudgedPage, Policy, Rules, Verdict};
use eutaxis_core::pins::{Lock, Package};
use eutaxis_core::proofread::{Remark, Severity, alone, paged};
use eutaxis_core::record;
use eutaxis_core::requirement::{ProjectAsks, RequirementList, Wanted, script_block};
use eutaxis_core::{Ask, Name, Requirement, Target, Version};
use eutaxis_world::Error;
use eutaxis_world::depot::Depots;
use eutaxis_world::files::read_text;
use eutaxis_world::supply::{Depth, Run};

use crate::cli::{Common, Proofread};
use crate::output::{Answer, Outcome, Output};
use crate::plan::{self, Surroundings};
use crate::words;
use crate::{render, report};

pub(crate) fn run(
    arguments: &Proofread,
    common: &Common,
    output: &Output,
) -> Result<Answer, Error> {
    let surroundings = Surroundings::reading(common)?;
    let depots = plan::named_depots(&arguments.depots, &surroundings, false)?;
    let chosen = plan::target(&arguments.target, &surroundings)?;
    let policy = plan::policy(&arguments.policy, &surroundings.config)?;
    let options = &arguments.target;
    let stated =
        !options.target.is_empty() || options.interpreter.is_some() || options.platform.is_some();
    let reader = Reader {
        depots: &depots,
        run: &Run::new(Arc::clone(&depots)),
        target: &chosen.target,
        stated,
        policy: &policy,
        adjustments: &surroundings.config.adjustments,
    };
    let mut remarks = Vec::new();
    let mut asked = 0;
    for file in &arguments.files {
        let (more, count) = reader.file(file)?;
        remarks.extend(more);
        asked += count;
    }
    output.report_network(depots.network());
    // Worst first; within one severity as the lines stand.
    remarks.sort_by(|a, b| (a.severity, &a.place).cmp(&(b.severity, &b.place)));
    let breaks = remarks.iter().any(|r| r.severity == Severity::Breaks);
    let shown: Vec<String> = arguments
        .files
        .iter()
        .map(|f| f.display().to_string())
        .collect();
    let text = render::proofread::text(&remarks, &shown, asked, depots.is_empty());
    let report = report::Proofread {
        target: chosen.target.to_string(),
        files: shown,
        requirements: asked,
        checked_against_depots: !depots.is_empty(),
        remarks: remarks.iter().map(Into::into).collect(),
    };
    Ok(Answer {
        outcome: if breaks { Outcome::No } else { Outcome::Ok },
        text,
        report: report.into(),
    })
}

struct Reader<'a> {
    depots: &'a Arc<Depots>,
    run: &'a Run,
    target: &'a Target,
    /// The target was named; else pins are read for the one that they record.
    stated: bool,
    policy: &'a Policy,
    adjustments: &'a [Adjustment],
}

impl Reader<'_> {
    fn rules(&self) -> Rules<'_> {
        Rules {
            target: self.target,
            policy: self.policy,
            adjustments: self.adjustments,
        }
    }

    /// Remarks on a file, and how many requirements or pins it has.
    fn file(&self, path: &Path) -> Result<(Vec<Remark>, usize), Error> {
        let text = read_text(path).map_err(Error::of_request)?;
        let shown = path.display().to_string();
        let place = |offset: usize| Origin::line(&shown, line_and_column(&text, offset).0);
        let malformed = |fault: &Fault| {
            let remedy = fault
                .advice()
                .unwrap_or("write it as the standard says: name>=1,<2")
                .to_owned();
            let text = escaped(fault.message());
            vec![Remark::new(
                "malformed",
                Severity::Breaks,
                &place(fault.offset()),
                text,
                remedy,
            )]
        };
        if path.extension().is_some_and(|e| e == "toml") {
            if text
                .lines()
                .any(|l| l.trim_start().starts_with("lock-version"))
            {
                return match Lock::parse(&text) {
                    Ok(lock) => {
                        let own = record::target_of(&lock, &self.target.accelerators.families)
                            .filter(|_| !self.stated);
                        let reader = Reader {
                            target: own.as_ref().unwrap_or(self.target),
                            ..*self
                        };
                        Ok((reader.pins(&lock, &text, &shown)?, lock.packages.len()))
                    }
                    Err(fault) => Ok((malformed(&fault), 0)),
                };
            }
            return Ok(
                match ProjectAsks::parse(&text, &shown, &Wanted::default()) {
                    Ok(project) => self.project(&project)?,
                    Err(fault) => (malformed(&fault), 0),
                },
            );
        }
        if path.extension().is_some_and(|e| e == "py") {
            let project = script_block(&text).and_then(|b| b.map(|b| b.asks(&shown)).transpose());
            return Ok(match project {
                Ok(Some(project)) => self.project(&project)?,
                Ok(None) => {
                    let why = "the script holds no inline metadata".to_owned();
                    let remedy = "add a comment block `# /// script`".to_owned();
                    (
                        vec![Remark::new(
                            "malformed",
                            Severity::Breaks,
                            &place(0),
                            why,
                            remedy,
                        )],
                        0,
                    )
                }
                Err(fault) => (malformed(&fault), 0),
            });
        }
        let (list, faults) = RequirementList::read(&text, &shown);
        let mut remarks: Vec<Remark> = Vec::new();
        for fault in &faults {
            let line = line_and_column(&text, fault.offset()).0;
            match quoted(&text, line) {
                Some(inner) => remarks.push(Remark::new(
                    "shell-trace",
                    Severity::Breaks,
                    &place(fault.offset()),
                    "quotes and backslashes belong to the shell, not into a list".to_owned(),
                    format!("write  {inner}"),
                )),
                None => remarks.extend(malformed(fault)),
            }
        }
        for directive in &list.directives {
            let text = format!(
                "`{}` is a directive, not a requirement",
                escaped(&directive.text)
            );
            remarks.push(Remark::new(
                "directive",
                Severity::Note,
                &directive.origin,
                text,
                directive.advice.to_owned(),
            ));
        }
        remarks.extend(redirected(path, &list.asks));
        remarks.extend(self.asks(&list.asks)?);
        Ok((remarks, list.asks.len()))
    }

    fn project(&self, project: &ProjectAsks) -> Result<(Vec<Remark>, usize), Error> {
        let mut remarks = Vec::new();
        if let Some((set, origin)) = &project.requires_python
            && !set.matches(&self.target.interpreter.version)
        {
            let text = format!(
                "requires-python {set} leaves out this target, {}",
                self.target.interpreter
            );
            let remedy = "name another with --interpreter, or change the line".to_owned();
            remarks.push(Remark::new(
                "interpreter",
                Severity::Breaks,
                origin,
                text,
                remedy,
            ));
        }
        remarks.extend(self.asks(&project.asks)?);
        Ok((remarks, project.asks.len()))
    }

    fn asks(&self, asks: &[Ask]) -> Result<Vec<Remark>, Error> {
        let mut remarks = alone(asks, self.target);
        if self.depots.is_empty() {
            return Ok(remarks);
        }
        let counts = |a: &&Ask| {
            a.requirement
                .marker
                .as_ref()
                .is_none_or(|m| m.holds(&self.target.markers, None))
        };
        let counting: Vec<&Ask> = asks
            .iter()
            .filter(counts)
            .filter(|a| a.requirement.versions().is_some())
            .collect();
        let requirements: Vec<Requirement> =
            counting.iter().map(|a| a.requirement.clone()).collect();
        let looked = self.run.look(&requirements, &self.rules(), Depth::Gaps)?;
        // A large index is a large list: it is asked for once, and only when a name is unknown.
        let known = LazyCell::new(|| self.depots.projects());
        for (ask, looked) in counting.into_iter().zip(looked) {
            match looked {
                Some(looked) => remarks.extend(paged(ask, &looked.judged)),
                None => remarks.push(unknown(ask, &known)),
            }
        }
        Ok(remarks)
    }

    /// Pins against the target, and against the depots.
    fn pins(&self, lock: &Lock, text: &str, shown: &str) -> Result<Vec<Remark>, Error> {
        let mut remarks = Vec::new();
        if let Some(set) = lock
            .requires_python
            .as_deref()
            .and_then(|s| eutaxis_core::VersionSpecifier::parse(s).ok())
            && !set.matches(&self.target.interpreter.version)
        {
            let line = 1 + text
                .lines()
                .position(|l| l.starts_with("requires-python"))
                .unwrap_or(0);
            let place = Origin::line(shown, u32::try_from(line).unwrap_or(1));
            let text = format!(
                "these pins are for Python {set}; this target has {}",
                self.target.interpreter
            );
            let remedy = "name the target that they are for, or settle again".to_owned();
            remarks.push(Remark::new(
                "interpreter",
                Severity::Breaks,
                &place,
                text,
                remedy,
            ));
        }
        let pinned = |p: &Package| match p.version.as_deref().and_then(|v| Version::parse(v).ok()) {
            Some(version) => Requirement::exactly(&p.name, &version),
            None => Requirement::any(&p.name),
        };
        let requirements: Vec<Requirement> = lock.packages.iter().map(pinned).collect();
        let looked = match self.depots.is_empty() {
            true => Vec::new(),
            false => self.run.look(&requirements, &self.rules(), Depth::Gaps)?,
        };
        for (i, package) in lock.packages.iter().enumerate() {
            let name = format!("name = \"{}\"", package.name);
            let line = 1 + text.lines().position(|l| l.trim() == name).unwrap_or(0);
            let place = Origin::line(shown, u32::try_from(line).unwrap_or(1));
            let files = || package.wheels.iter().chain(&package.sdist);
            if files().any(|f| !f.hashes.contains_key("sha256")) {
                let text = format!("{} is pinned without a SHA-256 hash", package.name);
                let remedy = "settle again: it writes one for every file".to_owned();
                remarks.push(
                    Remark::new("no-hash", Severity::Breaks, &place, text, remedy)
                        .about(&package.name),
                );
            }
            if let Some(looked) = looked.get(i) {
                remarks.extend(self.pin(
                    package,
                    &place,
                    looked.as_ref().map(|l| l.judged.as_ref()),
                ));
            }
        }
        Ok(remarks)
    }

    fn pin(
        &self,
        package: &Package,
        place: &Origin,
        judged: Option<&JudgedPage>,
    ) -> Option<Remark> {
        let name = &package.name;
        let remark = |id: &'static str, severity: Severity, text: String, remedy: String| {
            Some(Remark::new(id, severity, place, text, remedy).about(name))
        };
        let version = package
            .version
            .as_deref()
            .and_then(|v| Version::parse(v).ok())?;
        let settle = || "settle again with --renew".to_owned();
        let Some(judged) = judged else {
            return remark(
                "unknown-name",
                Severity::Breaks,
                format!("no depot has {name} any more"),
                settle(),
            );
        };
        let Some(offer) = judged.offer(&version) else {
            let text = format!("there is no {name} {version} in the depots");
            return remark("unknown-version", Severity::Breaks, text, settle());
        };
        for file in package.wheels.iter().chain(&package.sdist) {
            let Some(filename) = file.filename() else {
                continue;
            };
            let Some(listed) = offer.files.iter().find(|f| *f.file.filename == *filename) else {
                let text = format!("the depots have no {filename}");
                return remark("absent-file", Severity::Risk, text, settle());
            };
            let pinned: Hashes = file.hashes.iter().collect();
            if !listed.file.hashes.agree(&pinned) && listed.file.hashes.has_strong() {
                let text = format!("the depot states another hash for {filename}");
                return remark(
                    "hash-differs",
                    Severity::Breaks,
                    text,
                    "find out which file is the right one, then settle again with --renew"
                        .to_owned(),
                );
            }
        }
        if let Some(reason) = &offer.yanked {
            let why = if reason.is_empty() {
                String::new()
            } else {
                format!(": \"{}\"", escaped(reason))
            };
            return remark(
                "yanked",
                Severity::Risk,
                format!("{name} {version} is yanked{why}"),
                settle(),
            );
        }
        if offer.verdict == Verdict::Barred {
            let why = offer
                .bars
                .first()
                .map_or(String::new(), |b| format!(": {b}"));
            let text = format!("{name} {version} cannot be had on this target{why}");
            return remark("barred", Severity::Breaks, text, settle());
        }
        None
    }
}

/// A name that no depot has, with those like it.
fn unknown(ask: &Ask, known: &[Name]) -> Remark {
    let name = &ask.requirement.name;
    let near = nearest(name.as_str(), known.iter().map(Name::as_str), 3);
    let remedy = match near.as_slice() {
        [] => words::NO_LIST.to_owned(),
        names => format!("did you mean {}?", names.join(", ")),
    };
    Remark::new(
        "unknown-name",
        Severity::Breaks,
        &ask.origin,
        format!("no depot has {name}"),
        remedy,
    )
    .about(name)
}

/// What stands between quotes, or behind backslashes, on a line that is no requirement as it
/// stands.
fn quoted(text: &str, line: u32) -> Option<String> {
    let line = text
        .lines()
        .nth(usize::try_from(line).ok()?.checked_sub(1)?)?;
    let bare: String = line
        .chars()
        .filter(|c| !matches!(c, '"' | '\'' | '\\'))
        .collect();
    let bare = bare.trim();
    (bare != line.trim() && eutaxis_core::Requirement::parse(bare).is_ok()).then(|| bare.to_owned())
}

/// `name>=2` typed without quotes makes a shell write into a file `=2`, and leaves `name` without
/// its bound.
fn redirected(path: &Path, asks: &[Ask]) -> Vec<Remark> {
    let folder = path
        .parent()
        .filter(|p| !p.as_os_str().is_empty())
        .unwrap_or(Path::new("."));
    let Ok(entries) = std::fs::read_dir(folder) else {
        return Vec::new();
    };
    let mut names: Vec<String> = entries
        .flatten()
        .filter_map(|e| e.file_name().into_string().ok())
        .collect();
    names.sort();
    let version = |name: &str| {
        name.strip_prefix('=')
            .is_some_and(|v| Version::parse(v).is_ok())
    };
    let unbounded: Vec<&Ask> = asks
        .iter()
        .filter(|a| {
            a.requirement
                .versions()
                .is_some_and(eutaxis_core::VersionSpecifier::is_empty)
        })
        .collect();
    let Some(ask) = unbounded.first() else {
        return Vec::new();
    };
    let one = |name: &String| {
        let text = format!(
            "a file named `{name}` lies beside: a bound was typed in a shell without quotes"
        );
        let remedy = format!(
            "quote requirements in the shell, put the bound into the list, and delete `{name}`"
        );
        Remark::new("shell-trace", Severity::Risk, &ask.origin, text, remedy)
    };
    names.iter().filter(|n| version(n)).map(one).collect()
}
