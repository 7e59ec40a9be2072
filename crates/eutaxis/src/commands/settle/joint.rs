//! Several targets at once: pins for each, with the same releases where that can be.

use std::path::{Path, PathBuf};

use eutaxis_core::pins::Lock;
use eutaxis_core::record;
use eutaxis_core::solve::{Joint, Problem};
use eutaxis_world::Error;

use super::{Job, check, depot, file_name_caution, lock, out_of, pinned, prove, unbuilt};
use crate::output::{Answer, Outcome};
use crate::plan;
use crate::{render, report};

/// The plain list of a target: `NAME` before the ending.
fn list_of(list: &Path, name: &str) -> PathBuf {
    let stem = list
        .file_stem()
        .map(|s| s.to_string_lossy().into_owned())
        .unwrap_or_default();
    let ending = list
        .extension()
        .map(|e| format!(".{}", e.to_string_lossy()))
        .unwrap_or_default();
    list.with_file_name(format!("{stem}.{name}{ending}"))
}

impl Job<'_> {
    /// Pins for every target, or the clash of the first that has none.
    pub(super) fn several(
        &mut self,
        problems: &[(&plan::Chosen, Problem, Option<Lock>)],
    ) -> Result<Answer, Error> {
        if self.arguments.take.is_some() {
            let error = Error::request("--take goes a way out of one target");
            return Err(
                error.help("settle with --take for the target that clashes alone, then for all")
            );
        }
        if self.arguments.permit_urls {
            let error = Error::request("--permit-urls is for one target at a time");
            return Err(error.help("settle each target by itself, with --out pylock.NAME.toml"));
        }
        let all: Vec<Problem> = problems
            .iter()
            .map(|(_, problem, _)| problem.clone())
            .collect();
        let search = || self.run.joint(&all, &|_| ());
        let joint = self.output.watch(
            "settling",
            &self.bar,
            &self.run,
            self.depots.network(),
            search,
        );
        let solutions = match joint? {
            Joint::Settled(solutions) => solutions,
            Joint::Clash(place, clash) => {
                let Some((chosen, problem, old)) = problems.get(place) else {
                    return Err(Error::request("no target is named"));
                };
                return self.refused(&clash, chosen, problem, old.as_ref());
            }
            Joint::GaveUp(_) => {
                return Err(Error::request(
                    "the search gave up after very many conflicts",
                ));
            }
        };
        let outs: Vec<PathBuf> = problems
            .iter()
            .map(|(chosen, _, _)| out_of(self.arguments, chosen, problems.len()))
            .collect();
        let mut proofs = vec![None; problems.len()];
        let (all, solutions) = if self.arguments.prove {
            let places = problems.iter().zip(&outs);
            let places: Vec<_> = places.map(|((c, _, _), out)| (*c, out.as_path())).collect();
            let proven = self.all_proven(&places, all, solutions)?;
            let failed = proven.iter().zip(problems).find(|(p, _)| p.proof.failed);
            if let Some((proven, (chosen, _, _))) = failed {
                return Ok(prove::refused(&proven.proof, chosen));
            }
            proofs = proven.iter().map(|p| Some(p.proof.clone())).collect();
            proven.into_iter().map(|p| (p.problem, p.solution)).unzip()
        } else {
            (all, solutions)
        };
        let mut settled = Vec::new();
        let mut locks = Vec::new();
        let mut checked = Vec::new();
        let each = problems.iter().zip(all.iter().zip(&solutions));
        for (((chosen, _, old), (problem, solution)), (proof, out)) in
            each.zip(proofs.into_iter().zip(&outs))
        {
            let mut one = pinned::settle(
                solution,
                problem,
                &self.asks.directives,
                &self.run,
                &chosen.name,
                self.output,
            )?;
            one.proof = proof;
            one.but_not.clone_from(&self.left_out);
            one.builds = self.foreseen(&one, chosen)?;
            one.permit = self.permit(&one.builds, chosen, out);
            let strays = depot::strays(&one, old.as_ref(), out, &self.arguments.renew)?;
            if let Some(old) = old.as_ref().filter(|_| self.arguments.is_check()) {
                let mut found = check::check(&one, old, out, &self.run);
                found.add_strays(&strays);
                checked.push(found);
                continue;
            }
            if !strays.is_empty() {
                return Ok(depot::refused(&strays, &chosen.name));
            }
            // What concerns all of them is told with the first.
            one.cautions.extend(self.depots.network().cautions());
            one.cautions.extend(
                unbuilt(&self.asks)
                    .into_iter()
                    .filter(|_| settled.is_empty()),
            );
            one.cautions
                .extend(file_name_caution(self.arguments.out()).filter(|_| settled.is_empty()));
            one.moves = pinned::moves(old.as_ref(), &one);
            let lock = lock::lock(&one, out, old.as_ref(), (&self.question, &self.asks))?;
            one.evidence = record::proof_of(&lock);
            locks.push((lock, out));
            settled.push(one);
        }
        if self.arguments.is_check() {
            return Ok(check::answer(&checked));
        }
        // Nothing is written before all is known.
        for edit in &self.edits {
            edit.ensure()?;
        }
        for edit in &self.edits {
            edit.write()?;
        }
        for ((one, (lock, out)), (chosen, _, _)) in settled.iter_mut().zip(&locks).zip(problems) {
            let list = self
                .arguments
                .list
                .as_ref()
                .map(|list| list_of(list, &chosen.name));
            lock::write(one, lock, out, list.as_deref(), self.arguments.exact)?;
        }
        let differences = render::joint::differences(&settled);
        let text = format!(
            "{}{}",
            render::ways::edits(&self.edits),
            render::joint::text(&settled, &differences)
        );
        let written = settled.iter().flat_map(|s| s.files.iter().cloned());
        let names = || settled.iter().map(|s| s.target.clone());
        let differences = differences.iter().map(|d| report::Difference {
            project: d.project.clone(),
            releases: names().zip(d.releases.iter().cloned()).collect(),
            because: d.because.clone(),
        });
        let targets = settled
            .iter()
            .map(|s| report::Pinned::from(s).named(&s.target));
        let report = report::Settle::Targets(report::Targets {
            targets: targets.collect(),
            differences: differences.collect(),
            written: written.collect(),
        });
        Ok(Answer {
            outcome: Outcome::Ok,
            text,
            report: report.into(),
        })
    }
}
