//! Bare `rehearse`: what newer releases would move, and what holds those that do not.

use std::path::Path;

use eutaxis_core::Name;
use eutaxis_core::solve::Problem;
use eutaxis_world::Error;
use eutaxis_world::supply::Outcome as End;

use super::Rehearsal;
use crate::answer::rehearse::{Older, Outdated};
use crate::output::{Answer, Outcome};
use crate::paired;
use crate::{render, report, words};

impl Rehearsal<'_> {
    /// What is out of date, by how much, and what holds it.
    pub(super) fn outdated(&self, pins: Option<&str>) -> Result<Answer, Error> {
        let base = &self.base;
        if base.asks.is_empty() {
            let error = Error::request(format!(
                "{} does not record what it is asked for, so nothing can be said of newer releases",
                base.shown
            ));
            return Err(error.help("name what you would add:  eutaxis rehearse REQUIREMENT"));
        }
        let policy = base.policy.clone();
        let mut problem = Problem::new(base.target.clone(), policy, base.asks.clone());
        problem.bounds.clone_from(&base.bounds);
        problem.adjustments.clone_from(&base.adjustments);
        let End::Settled(solution) = self.run.solve(&problem, &|_| ())? else {
            let error = Error::request(format!(
                "what {} is asked for cannot be settled any more",
                base.shown
            ));
            return Err(error.help("`eutaxis settle --renew` tells what clashes"));
        };
        let mut all: Vec<Older> = Vec::new();
        for chosen in &solution.chosen {
            let Some(placed) = base.set.get(&chosen.project) else {
                continue;
            };
            let newest = chosen
                .newer
                .iter()
                .find(|n| !n.version.is_prerelease() || chosen.version.is_prerelease());
            let (newest_version, newest_date) = match newest {
                Some(newer) => (&newer.version, newer.published),
                None => (&chosen.version, chosen.file.published),
            };
            if *newest_version <= placed.version {
                continue;
            }
            let published = self.published(&chosen.project, placed.file.as_deref());
            let days = published
                .zip(newest_date)
                .map(|(from, to)| to.duration_since(from).as_hours() / 24);
            all.push(Older {
                project: chosen.project.to_string(),
                version: placed.version.to_string(),
                published: published.map(eutaxis_core::day),
                would_be: (chosen.version > placed.version).then(|| chosen.version.to_string()),
                newest: newest_version.to_string(),
                days,
                held: newest.map_or_else(Vec::new, |n| words::releases::all_out(n, &problem)),
            });
        }
        all.sort_by(|a, b| (b.days, &a.project).cmp(&(a.days, &b.project)));
        let take = all.iter().any(|o| o.would_be.is_some()).then(|| {
            let pins = Path::new(pins.unwrap_or("pylock.toml"));
            paired::settle_again_line(pins, &["--renew"])
        });
        let outdated = Outdated {
            base: base.shown.clone(),
            target: base.target.to_string(),
            count: base.set.len(),
            all,
            take: take.filter(|_| pins.is_some()),
        };
        Ok(Answer {
            outcome: Outcome::Ok,
            text: render::rehearse::outdated(&outdated),
            report: report::Rehearse::Outdated(report::OutOfDate::from(&outdated)).into(),
        })
    }

    /// When the placed file appeared.
    fn published(&self, project: &Name, file: Option<&str>) -> Option<jiff::Timestamp> {
        let page = self.run.page_of(project)?;
        page.file(file?)?.published
    }
}
