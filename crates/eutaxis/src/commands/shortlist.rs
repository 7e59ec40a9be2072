//! `shortlist`: which releases exist, which run here, which is best, and why not the others?

use std::sync::Arc;

use eutaxis_core::artifact::Metadata;
use eutaxis_core::fault::Origin;
use eutaxis_core::index::Page;
use eutaxis_core::offer::{JudgedPage, Offer, Policy, Rules, Verdict, by_extra, grid, pick, takes};
use eutaxis_core::remedy::{Invocation, Step, Verb};
use eutaxis_core::requirement::Unnamed;
use eutaxis_core::{Name, Requirement, Target};
use eutaxis_world::Error;
use eutaxis_world::depot::Depots;
use eutaxis_world::supply::{Depth, Looked, Run};

use crate::answer::build::Foreseen;
use crate::answer::shortlist::Listing;
use crate::asks;
use crate::building::foresee::Place;
use crate::cli::{AskOptions, Common, Shortlist};
use crate::output::{Answer, Outcome, Output};
use crate::plan::{self, Surroundings};
use crate::proof::bringing::Bringers;
use crate::words;
use crate::{remembered, render, report, typed};

/// So many names are told that are near to one that no depot has.
const MOST_NEAR: usize = 5;

pub(crate) fn run(
    arguments: &Shortlist,
    common: &Common,
    output: &Output,
) -> Result<Answer, Error> {
    let surroundings = Surroundings::new(common)?;
    let text = &arguments.requirement;
    let mut requirement = Requirement::parse(text).map_err(|f| {
        let error = Error::in_file("command line", text, &f);
        match Unnamed::read(text, false, &Origin::Argument) {
            Some(_) => {
                error.help("name a project of the depots; settle and span take paths and addresses")
            }
            None => error,
        }
    })?;
    let chosen = plan::target(&arguments.target, &surroundings)?;
    let policy = plan::policy(&arguments.policy, &surroundings.config)?;
    let depots = plan::depots(&arguments.depots, &surroundings, false)?;
    asks::keep_secrets(std::iter::once(&mut requirement), depots.network());
    let bar = output.progress();
    bar.set_message("looking");
    let rules = Rules {
        target: &chosen.target,
        policy: &policy,
        adjustments: &surroundings.config.adjustments,
    };
    let run = Run::new(Arc::clone(&depots));
    let looked = run
        .look(std::slice::from_ref(&requirement), &rules, Depth::Needs)?
        .pop()
        .flatten();
    let Some((depot, Looked { judged, metadata })) = run.depot_of(&requirement.name).zip(looked)
    else {
        bar.finish_and_clear();
        return Ok(absent(&requirement, &rules, &run));
    };
    let page = judged.page();
    let all = judged.admitted(&requirement, &rules);
    let also_in = also_in(&requirement.name, depot.label(), &depots);
    bar.finish_and_clear();
    output.report_network(depots.network());
    report_left_out(page, output);
    let count = all.len();
    let shown: Vec<Offer> = all
        .into_iter()
        .filter(|o| takes(&requirement, &o.version))
        .collect();
    let outside = count - shown.len();
    let limit = if arguments.all {
        usize::MAX
    } else {
        arguments.limit
    };
    let best = pick(&shown, &requirement, &rules);
    let builds = Builds {
        arguments,
        surroundings: &surroundings,
        depots: &depots,
        policy: &policy,
        chosen: &chosen,
        run: &run,
    };
    let builds = builds.foreseen(&requirement.name, &shown, best)?;
    let taken = best.and_then(|i| shown.get(i));
    let listing = Listing {
        builds,
        accelerator: taken.and_then(|o| {
            let asked = (&*requirement.extras, metadata.as_deref());
            accelerator(&judged, o, &rules, &run, asked)
        }),
        unserved: shown
            .iter()
            .filter(|o| judged.unserved(o, &chosen.target).is_some())
            .map(|o| o.version.clone())
            .collect(),
        grid: arguments.grid.then(|| grid(shown.iter(), &chosen.target)),
        cautions: cautions(&requirement, &chosen.target, page, metadata.as_deref()),
        requirement,
        target: chosen.target,
        shown: chosen.shown,
        offers: shown,
        best,
        outside,
        limit,
        files: arguments.files,
        depot: depot.label().to_owned(),
        also_in,
        elsewhere: page.elsewhere.clone(),
        empty: page.why_empty(),
    };
    let outcome = if listing.best.is_some() {
        Outcome::Ok
    } else {
        Outcome::No
    };
    Ok(Answer {
        outcome,
        text: render::shortlist::text(&listing),
        report: report::Shortlist::Listed(Box::new((&listing).into())).into(),
    })
}

/// That a release is for a toolkit older than the devices, leaves the accelerator unused, or brings
/// its runtime only with an extra.
fn accelerator(
    judged: &JudgedPage,
    offer: &Offer,
    rules: &Rules<'_>,
    run: &Run,
    (extras, metadata): (&[Name], Option<&Metadata>),
) -> Option<String> {
    let target = rules.target;
    let release = format!("{} {}", judged.project(), offer.version);
    let build = offer.best().and_then(|f| judged.build_of(f));
    let all = &target.accelerators;
    if let Some(unserved) = judged.unserved(offer, target) {
        return Some(format!("{release} is {unserved}"));
    }
    if let Some(loss) = run.loss(judged, offer, rules) {
        return Some(words::releases::unused(&release, &loss, all));
    }
    let open = metadata.filter(|_| build.is_none());
    let by = open.and_then(|m| by_extra(m, extras, target))?;
    Some(words::releases::by_extra(&release, judged.project(), &by))
}

/// How builds are foreseen here.
struct Builds<'a> {
    arguments: &'a Shortlist,
    surroundings: &'a Surroundings,
    depots: &'a Arc<Depots>,
    policy: &'a Policy,
    chosen: &'a plan::Chosen,
    run: &'a Run,
}

impl Builds<'_> {
    /// What is foreseen of the release to take, when it has only source, and of the newest that has
    /// only source where that is another; each with what pins it.
    fn foreseen(
        &self,
        project: &Name,
        offers: &[Offer],
        best: Option<usize>,
    ) -> Result<Vec<(Foreseen, String)>, Error> {
        let only_source = |o: &&Offer| o.verdict == Verdict::Build && o.yanked.is_none();
        let newest = offers
            .iter()
            .take(best.unwrap_or(offers.len()))
            .find(only_source);
        let taken = best.and_then(|at| offers.get(at)).filter(only_source);
        let mut ready = offers.iter().filter(|o| !o.version.is_prerelease());
        let with_wheel = ready
            .find(|o| o.verdict == Verdict::Ready && o.yanked.is_none())
            .map(|o| o.version.clone());
        let options = &self.arguments.target;
        let python = plan::interpreter_here(options, self.surroundings, self.chosen).ok();
        let bounds = asks::build_bounds(&self.arguments.policy.permit)?;
        let place = Place {
            surroundings: self.surroundings,
            depots: self.depots,
            target: &self.chosen.target,
            python: python.as_ref(),
            policy: self.policy,
            bounds: &bounds,
        };
        let mut told = Vec::new();
        for offer in newest.into_iter().chain(taken) {
            let Some(file) = offer.best().map(|f| &f.file) else {
                continue;
            };
            let mut one = place.of_file(project, file, self.run)?;
            one.with_wheel.clone_from(&with_wheel);
            let mut words = vec![Requirement::exactly(project, &offer.version).to_string()];
            words.extend(["--build".to_owned(), project.to_string()]);
            words.extend(typed::target(options));
            words.extend(typed::depots(&self.arguments.depots));
            if let Some(python) = &options.interpreter {
                words.extend(["--interpreter".to_owned(), python.clone()]);
            }
            let asked = AskOptions {
                requirements: words.get(..1).unwrap_or_default().to_vec(),
                ..AskOptions::default()
            };
            if let Some(out) = remembered::out_for(&asked) {
                words.extend(["--out".to_owned(), words::near(&out)]);
            }
            let settle = Step::Run(vec![Invocation::new(Verb::Settle, words)]);
            told.push((one, words::steps::typed(&settle)));
        }
        Ok(told)
    }
}

/// Other depots that have the project: a project comes from one of them, so they are told and not
/// used.
fn also_in(project: &Name, used: &str, depots: &Depots) -> Vec<String> {
    depots
        .serving(project)
        .filter(|l| l.depot.label() != used)
        .filter(|l| l.depot.page(project).is_ok_and(|p| p.is_some()))
        .map(|l| l.depot.label().to_owned())
        .collect()
}

fn report_left_out(page: &Page, output: &Output) {
    if output.verbose() {
        for skipped in &page.skipped {
            output.notice(&format!(
                "left out: {}: {}",
                eutaxis_core::fault::escaped(&skipped.filename),
                skipped.reason
            ));
        }
        page.remarks
            .iter()
            .for_each(|r| output.notice(&format!("remark: {}", eutaxis_core::fault::escaped(r))));
    }
}

fn cautions(
    requirement: &Requirement,
    target: &Target,
    page: &Page,
    metadata: Option<&Metadata>,
) -> Vec<String> {
    let mut cautions: Vec<String> = words::of_module(&requirement.name).into_iter().collect();
    if requirement
        .marker
        .as_ref()
        .is_some_and(|m| !m.wanted(&target.markers, &[]))
    {
        cautions.push(format!(
            "the marker of `{requirement}` does not hold on this target: settled, it asks for \
                nothing."
        ));
    }
    if let (Some(metadata), false) = (metadata, requirement.extras.is_empty()) {
        for extra in requirement
            .extras
            .iter()
            .filter(|e| !metadata.extras.contains(e))
        {
            let offered: Vec<&str> = metadata.extras.iter().map(Name::as_str).collect();
            let offered = if offered.is_empty() {
                "none".to_owned()
            } else {
                offered.join(", ")
            };
            cautions.push(format!(
                "{} {} offers no extra `{extra}`: it adds nothing. Offered: {offered}.",
                metadata.name, metadata.version
            ));
        }
    }
    if let Some((status, reason)) = &page.status {
        let why = reason.as_ref().map_or(String::new(), |r| {
            format!(": {}", eutaxis_core::fault::escaped(r))
        });
        cautions.push(format!(
            "{} is marked {} in its depot{why}.",
            page.project,
            eutaxis_core::fault::escaped(status)
        ));
    }
    cautions
}

fn absent(requirement: &Requirement, rules: &Rules<'_>, run: &Run) -> Answer {
    let depots = run.depots();
    let brought = Bringers::new(run, *rules).of_name(&requirement.name);
    let known = depots.projects();
    let near = run.near_names(&known, &requirement.name, MOST_NEAR);
    let report = report::Shortlist::Absent(report::NoProject {
        project: requirement.name.to_string(),
        target: rules.target.to_string(),
        best: None,
        offers: Vec::new(),
        nearest: near.offered.iter().map(ToString::to_string).collect(),
        doubtful: report::doubtful(&near),
        brought_by: brought.as_ref().map(|b| b.project.to_string()),
    });
    let text = render::shortlist::absent(
        &requirement.name,
        brought.as_ref(),
        &near,
        &depots.labels(),
        !known.is_empty(),
    );
    Answer {
        outcome: Outcome::No,
        text,
        report: report.into(),
    }
}
