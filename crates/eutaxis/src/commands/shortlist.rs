//! `shortlist`: which releases exist, which run here, which is best, and why not the others?

use std::sync::Arc;

use eutaxis_core::artifact::Metadata;
use eutaxis_core::index::Page;
use eutaxis_core::name::nearest;
use eutaxis_core::offer::{Bar, Build, Grid, Offer, Rules, grid, pick, takes};
use eutaxis_core::{Name, Requirement, Target};
use eutaxis_world::Error;
use eutaxis_world::depot::Depots;
use eutaxis_world::supply::{Depth, Looked, Run};
use serde_json::{Map, Value, json};

use crate::cli::{Common, Shortlist};
use crate::output::{Answer, Outcome, Output};
use crate::plan::{self, Surroundings};
use crate::render;

/// Everything that is shown.
#[derive(Debug)]
pub(crate) struct Listing {
    pub(crate) requirement: Requirement,
    pub(crate) target: Target,
    /// For people.
    pub(crate) shown: String,
    /// The releases that the requirement takes, newest first.
    pub(crate) offers: Vec<Offer>,
    /// The one to take, as an index into `offers`.
    pub(crate) best: Option<usize>,
    /// How many releases the requirement does not take.
    pub(crate) outside: usize,
    /// How many are shown.
    pub(crate) limit: usize,
    /// Every file is shown.
    pub(crate) files: bool,
    pub(crate) grid: Option<Grid>,
    pub(crate) depot: String,
    /// Other depots that have the project and are not used.
    pub(crate) also_in: Vec<String>,
    /// Where the same project is too, by its page's own word (PEP 708).
    pub(crate) elsewhere: Vec<String>,
    /// Why its page has no file that can be used, when it has none.
    pub(crate) empty: Option<String>,
    pub(crate) cautions: Vec<String>,
}

impl Listing {
    /// The offers that are shown, by their numbers: the newest up to the limit, and always the one
    /// to take.
    pub(crate) fn visible(&self) -> impl Iterator<Item = usize> {
        let first = self.limit.min(self.offers.len());
        (0..first).chain(self.best.filter(|b| *b >= first))
    }
}

pub(crate) fn run(
    arguments: &Shortlist,
    common: &Common,
    output: &Output,
) -> Result<Answer, Vec<Error>> {
    list(arguments, common, output).map_err(|e| vec![e])
}

fn list(arguments: &Shortlist, common: &Common, output: &Output) -> Result<Answer, Error> {
    let surroundings = Surroundings::new(common)?;
    let text = &arguments.requirement;
    let mut requirement =
        Requirement::parse(text).map_err(|f| Error::in_file("command line", text, &f))?;
    let chosen = plan::target(&arguments.target, &surroundings)?;
    let policy = plan::policy(&arguments.policy, &surroundings.config)?;
    let depots = plan::depots(&arguments.depots, &surroundings, false)?;
    plan::keep_secrets(std::iter::once(&mut requirement), depots.network());
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
        return Ok(absent(&requirement, &chosen.target, &depots));
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
    let listing = Listing {
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
        json: answer(&listing),
    })
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
    } else if !page.skipped.is_empty() {
        let count = render::count(page.skipped.len(), "file");
        output.notice(&format!(
            "{count} of the page cannot be used and were left out (-v names them)"
        ));
    }
}

fn cautions(
    requirement: &Requirement,
    target: &Target,
    page: &Page,
    metadata: Option<&Metadata>,
) -> Vec<String> {
    let mut cautions = Vec::new();
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

fn absent(requirement: &Requirement, target: &Target, depots: &Depots) -> Answer {
    let known = depots.projects();
    let near = nearest(requirement.name.as_str(), known.iter().map(Name::as_str), 5);
    let near: Vec<String> = near.into_iter().map(str::to_owned).collect();
    let mut object = Map::new();
    object.insert("project".into(), json!(requirement.name.as_str()));
    object.insert("target".into(), json!(target.to_string()));
    object.insert("best".into(), Value::Null);
    object.insert("offers".into(), json!([]));
    object.insert("nearest".into(), json!(near));
    let text = render::shortlist::absent(
        &requirement.name,
        &near,
        &depots.labels(),
        !known.is_empty(),
    );
    Answer {
        outcome: Outcome::No,
        text,
        json: object,
    }
}

fn answer(listing: &Listing) -> Map<String, Value> {
    let offers: Vec<Value> = listing
        .visible()
        .filter_map(|i| listing.offers.get(i))
        .map(|o| offer(o, listing.files))
        .collect();
    let best = listing
        .best
        .and_then(|i| listing.offers.get(i))
        .map(|o| o.version.to_string());
    let mut object = Map::new();
    object.insert("project".into(), json!(listing.requirement.name.as_str()));
    object.insert("target".into(), json!(listing.target.to_string()));
    object.insert("best".into(), json!(best));
    object.insert("offers".into(), json!(offers));
    object.insert(
        "more".into(),
        json!(listing.offers.len() - listing.visible().count()),
    );
    object.insert("outside".into(), json!(listing.outside));
    if let Some(why) = &listing.empty {
        object.insert("empty".into(), json!(why));
    }
    object.insert("depot".into(), json!(listing.depot));
    object.insert("also_in".into(), json!(listing.also_in));
    object.insert("elsewhere".into(), json!(listing.elsewhere));
    object.insert("cautions".into(), json!(listing.cautions));
    if let Some(grid) = &listing.grid {
        object.insert("grid".into(), grid_json(grid, listing));
    }
    object
}

fn bars(list: &[Bar]) -> Vec<Value> {
    list.iter()
        .map(|b| json!({"kind": b.kind().as_str(), "detail": b.to_string()}))
        .collect()
}

/// What the wheels of an offer were made for, if that is told.
fn best_build(offer: &Offer) -> Option<&Build> {
    offer
        .best()
        .or(offer.files.first())
        .and_then(|f| f.build.as_ref())
}

fn offer(offer: &Offer, files: bool) -> Value {
    let best = offer.best().map(|f| &f.file);
    let mut object = json!({
        "version": offer.version.to_string(),
        "published": offer.published().map(|t| t.to_string()),
        "verdict": offer.verdict.as_str(),
        "file": best.map(|f| f.filename.to_string()),
        "size": best.and_then(|f| f.size),
        "bars": bars(&offer.bars),
        "interpreters": offer.interpreters(),
        "yanked": offer.yanked,
        "prerelease": offer.version.is_prerelease(),
        "accelerator": render::words::build_json(best_build(offer)),
    });
    if files {
        let all: Vec<Value> = offer
            .files
            .iter()
            .map(|f| {
                json!({"file": &*f.file.filename, "size": f.file.size, "verdict": f.verdict().as_str(), "bars": bars(&f.bars),
                    "yanked": f.file.yanked, "sha256": f.file.hashes.sha256()})
            })
            .collect();
        object["files"] = json!(all);
    }
    object
}

fn grid_json(grid: &Grid, listing: &Listing) -> Value {
    use eutaxis_core::offer::Mark;
    let word = |mark: &Mark| match mark {
        Mark::Wheel => "wheel",
        Mark::Elsewhere => "elsewhere",
        Mark::Source => "source",
        Mark::Nothing => "nothing",
    };
    let platforms: Vec<String> = grid
        .platforms
        .iter()
        .map(|(system, arch)| format!("{system} {arch}"))
        .collect();
    let rows: Vec<Value> = listing
        .visible()
        .filter_map(|i| grid.rows.get(i))
        .map(|row| {
            let marks: Map<String, Value> = grid
                .interpreters
                .iter()
                .zip(&row.marks)
                .map(|(name, mark)| (name.clone(), json!(word(mark))))
                .collect();
            let floors: Map<String, Value> = platforms
                .iter()
                .zip(&row.floors)
                .map(|(name, floor)| (name.clone(), json!(floor)))
                .collect();
            json!({"version": row.version.to_string(), "interpreters": marks, "platforms": floors})
        })
        .collect();
    json!({"interpreters": grid.interpreters, "platforms": platforms, "rows": rows})
}
