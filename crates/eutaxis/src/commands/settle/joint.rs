//! Several targets at once: pins for each, with the same releases where that can be; apart, or
//! together in one lock.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_core::knowledge::Families;
use eutaxis_core::pins::Lock;
use eutaxis_core::record::{self, Apart, Share};
use eutaxis_core::solve::{Joint, Problem};
use eutaxis_world::Error;

use super::{
    Job, check, depot, earlier_pins, file_name_caution, lock, out_of, pinned, prove, unbuilt,
};
use crate::answer::settle::Settled;
use crate::cli::Settle;
use crate::output::{Answer, Outcome};
use crate::plan;
use crate::words::count;
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

/// The earlier pins of a target in a lock that is for several; none where the pins are not such.
pub(super) fn earlier(
    arguments: &Settle,
    chosen: &plan::Chosen,
    families: &Arc<Families>,
) -> Result<Option<Lock>, Error> {
    let lock = match earlier_pins(arguments.out()) {
        Ok(lock) => lock,
        // Nothing is written there.
        Err(_) if arguments.target.target.len() > 1 && !arguments.together => None,
        Err(error) => return Err(error),
    };
    let Some(lock) = lock else { return Ok(None) };
    if !record::is_shared(&lock) {
        // Pins of one target are where those of several begin.
        return Ok(Some(lock).filter(|_| arguments.together));
    }
    let shares = record::shares(&lock, families);
    let same = |s: &&Share| s.name == chosen.name;
    let like = |s: &&Share| s.target == chosen.target;
    let found = shares.iter().find(same);
    let found = found.or_else(|| shares.iter().find(like));
    Ok(found.or(shares.first()).map(|s| s.lock.clone()))
}

/// The pins of one of the targets.
struct Piece<'p> {
    settled: Settled<'p>,
    lock: Lock,
    /// Where they go if they go alone.
    out: PathBuf,
}

/// Why pins are not one lock, in words.
fn apart_words(apart: &Apart) -> String {
    let one = |(target, held): &(String, Option<String>)| match held {
        Some(held) => format!("{held} on {target}"),
        None => format!("not needed on {target}"),
    };
    format!(
        "not one lock: {} is {} and {}, and no marker of the standard tells these two apart. Each \
            target has a lock of its own.",
        apart.project,
        one(&apart.one),
        one(&apart.other)
    )
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
        let mut pieces: Vec<Piece<'_>> = Vec::new();
        let mut checked = Vec::new();
        let each = problems.iter().zip(all.iter().zip(&solutions));
        for (((chosen, _, old), (problem, solution)), (proof, out)) in
            each.zip(proofs.into_iter().zip(outs))
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
            one.permit = self.permit(&one.builds, chosen, &out);
            let strays = depot::strays(&one, old.as_ref(), &out, &self.arguments.renew)?;
            if let Some(old) = old.as_ref().filter(|_| self.arguments.is_check()) {
                let file = match self.arguments.together && self.arguments.out().exists() {
                    true => self.arguments.out(),
                    false => &out,
                };
                let mut found = check::check(&one, old, file, &self.run);
                found.add_strays(&strays);
                checked.push(found);
                continue;
            }
            if !strays.is_empty() {
                return Ok(depot::refused(&strays, &chosen.name));
            }
            // What concerns all of them is told with the first.
            if pieces.is_empty() {
                one.cautions.extend(unbuilt(&self.asks));
                one.cautions.extend(file_name_caution(self.arguments.out()));
            }
            one.cautions.extend(self.depots.network().cautions());
            one.moves = pinned::moves(old.as_ref(), &one);
            let lock = lock::lock(&one, &out, old.as_ref(), (&self.question, &self.asks))?;
            one.evidence = record::proof_of(&lock);
            pieces.push(Piece {
                settled: one,
                lock,
                out,
            });
        }
        if self.arguments.is_check() {
            return Ok(check::answer(&checked));
        }
        let (joined, apart) = match self.joined(&pieces, problems) {
            Some(Ok(lock)) => (Some(lock), None),
            Some(Err(apart)) => (None, Some(self.apart_words(&apart))),
            None => (None, None),
        };
        // Nothing is written before all is known.
        for edit in &self.edits {
            edit.ensure()?;
        }
        for edit in &self.edits {
            edit.write()?;
        }
        self.write(&mut pieces, joined.as_ref())?;
        let settled: Vec<Settled<'_>> = pieces.into_iter().map(|p| p.settled).collect();
        let differences = render::joint::differences(&settled);
        let text = format!(
            "{}{}",
            render::ways::edits(&self.edits),
            render::joint::text(&settled, &differences, apart.as_deref())
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
            together: self.arguments.together.then(|| report::Together {
                lock: joined.map(|_| self.arguments.out().display().to_string()),
                because: apart,
            }),
        });
        Ok(Answer {
            outcome: Outcome::Ok,
            text,
            report: report.into(),
        })
    }

    /// Why the pins are not one lock, and what to do with one that is there.
    fn apart_words(&self, apart: &Apart) -> String {
        let out = self.arguments.out();
        let words = apart_words(apart);
        match out.exists() {
            true => format!("{words} {} holds earlier pins: remove it.", out.display()),
            false => words,
        }
    }

    /// The pins of all as one lock, where that is asked for.
    fn joined(
        &self,
        pieces: &[Piece<'_>],
        problems: &[(&plan::Chosen, Problem, Option<Lock>)],
    ) -> Option<Result<Lock, Apart>> {
        if !self.arguments.together {
            return None;
        }
        let each = pieces.iter().zip(problems);
        let shares = each.map(|(piece, (chosen, problem, _))| Share {
            name: chosen.name.clone(),
            target: problem.target.clone(),
            lock: piece.lock.clone(),
        });
        let shares: Vec<Share> = shares.collect();
        Some(record::join(&shares))
    }

    /// Writes one lock for all, or one for each, with the plain lists.
    fn write(&self, pieces: &mut [Piece<'_>], joined: Option<&Lock>) -> Result<(), Error> {
        let targets = pieces.len();
        if let Some(lock) = joined
            && let Some(first) = pieces.first_mut()
        {
            lock::write(&mut first.settled, lock, self.arguments.out())?;
            if let Some(line) = first.settled.written.last_mut() {
                line.push_str(&format!(", one lock for {}", count(targets, "target")));
            }
        }
        for piece in pieces {
            if joined.is_none() {
                lock::write(&mut piece.settled, &piece.lock, &piece.out)?;
            }
            if let Some(list) = &self.arguments.list {
                let list = list_of(list, &piece.settled.target);
                let (lock, exact) = (&piece.lock, self.arguments.exact);
                lock::write_list(&mut piece.settled, lock, &list, exact)?;
            }
        }
        Ok(())
    }
}
