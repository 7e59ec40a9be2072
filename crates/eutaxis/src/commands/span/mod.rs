//! `span`: which interpreter versions, on which targets, can hold all of this? if none: which split
//! can?

mod rows;
mod toolkits;

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

use eutaxis_core::knowledge;
use eutaxis_core::offer::Policy;
use eutaxis_core::solve::{Clash, End, Problem};
use eutaxis_core::span::{Cell, Matrix, Series, Split, split};
use eutaxis_core::targets::{Implementation, Interpreter};
use eutaxis_core::{Target, Version};
use eutaxis_world::depot::Depots;
use eutaxis_world::files::write_whole;
use eutaxis_world::processor;
use eutaxis_world::root::root;
use eutaxis_world::supply::{Progress, Run};
use eutaxis_world::{Error, Errors};

use crate::answer::build::Foreseen;
use crate::answer::span::{Head, Report};
use crate::asks::{self, Asks};
use crate::building::foresee::Place;
use crate::building::trees;
use crate::cli::{Common, Span};
use crate::output::{Answer, Outcome, Output};
use crate::plan::{self, Chosen, Surroundings};
use crate::remembered;
use crate::{render, report};

/// The question, for any interpreter.
struct Question<'a> {
    asks: &'a Asks,
    columns: &'a [Chosen],
    policy: Policy,
    surroundings: &'a Surroundings,
    depots: &'a Arc<Depots>,
}

pub(crate) fn run(arguments: &Span, common: &Common, output: &Output) -> Result<Answer, Errors> {
    let surroundings = Surroundings::new(common)?;
    if let Some(one) = &arguments.target.interpreter {
        let error =
            Error::request("span looks at several interpreters, and --interpreter names one");
        return Err(error
            .help(format!(
                "write --interpreters {one}, or a range such as 3.9..3.13"
            ))
            .into());
    }
    let stated = arguments
        .interpreters
        .as_deref()
        .map(rows::parse)
        .transpose()?;
    if let Some([first, .., last] | [first @ last]) = stated.as_ref().map(|s| s.unknown.as_slice())
    {
        let range = match first == last {
            true => first.to_string(),
            false => format!("{first} to {last}"),
        };
        output.notice(&format!(
            "no rows for {range}: newer than every series that is known"
        ));
    }
    let stated = stated.map(|stated| stated.series);
    let kept = remembered::kept(Path::new("pylock.toml"));
    let (asked, target) = (&arguments.asks, &arguments.target);
    let (mut taken, _) = remembered::taken_up(
        asked,
        target,
        &arguments.policy,
        kept.as_ref(),
        &surroundings.config.members,
    )?;
    // Interpreters are what it compares.
    taken.target.interpreter = None;
    let arguments = &Span {
        asks: taken.asks,
        target: taken.target,
        policy: taken.policy,
        ..arguments.clone()
    };
    let mut asks = asks::read(&arguments.asks, &surroundings, &BTreeMap::new())?;
    let columns = plan::targets(&arguments.target, &surroundings)?;
    let mut policy = plan::policy(&arguments.policy, &surroundings.config)?;
    let depots = plan::depots(&arguments.depots, &surroundings, false)?;
    asks::keep_secrets(
        asks.asks.iter_mut().map(|a| &mut a.requirement),
        depots.network(),
    );
    let typed = (&arguments.target, &arguments.policy.permit);
    let own = trees::know(
        &asks,
        typed,
        &columns,
        (&surroundings, &depots),
        &policy,
        output,
    )?;
    policy.build.extend(own);
    let question = Question {
        asks: &asks,
        columns: &columns,
        policy,
        surroundings: &surroundings,
        depots: &depots,
    };
    let run = Run::new(Arc::clone(&depots));
    let bar = output.searching();
    let search = || span(&question, arguments, stated, &run, &|_| ());
    let report = output.watch("spanning", &bar, &run, depots.network(), search);
    bar.finish_and_clear();
    output.report_network(depots.network());
    let report = report?;
    let mut answer = report::Span::from(&report);
    if let Some(file) = &arguments.picture {
        write_whole(file, render::picture::span(&report).as_bytes())?;
        answer.picture = Some(file.display().to_string());
        output.notice(&format!("wrote {}", file.display()));
    }
    let outcome = if report.best.is_some() {
        Outcome::Ok
    } else {
        Outcome::No
    };
    Ok(Answer {
        outcome,
        text: render::span::text(&report),
        report: answer.into(),
    })
}

fn span<'a>(
    question: &Question<'a>,
    arguments: &'a Span,
    stated: Option<Vec<Series>>,
    run: &Run,
    progress: Progress<'_>,
) -> Result<Report<'a>, Error> {
    let rows = rows::heads(question, stated, run, progress)?;
    // Every cell that is not out before the search; then all of them at once.
    let of_row = |row: &Head| {
        question
            .columns
            .iter()
            .map(|c| question.problem(row, c))
            .collect()
    };
    let cells: Vec<Vec<Asked>> = rows.iter().map(of_row).collect();
    let matrix = Matrix::new(solved(&cells, run, progress)?);
    let looks_here = question.columns.iter().any(|c| c.here);
    let interpreters: Vec<_> = rows
        .iter()
        .map(|row| {
            (
                knowledge::series_began(&row.series.to_string()),
                looks_here && row.here.is_some(),
            )
        })
        .collect();
    let best = matrix.best(&interpreters);
    let split = match best {
        Some(_) => None,
        None => Some(question.split(&cells, &matrix, run, progress)?),
    };
    let toolkits = toolkits::all(question, &rows, &matrix, run, progress)?;
    let builds = match &best {
        Some(best) => {
            let under = Under {
                head: rows.get(best.row),
                cells: matrix.rows().get(best.row),
                problems: cells.get(best.row),
            };
            question.builds(&under, run)?
        }
        None => Vec::new(),
    };
    let (asks, columns) = (question.asks, question.columns);
    Ok(Report {
        arguments,
        asks,
        columns,
        rows,
        matrix,
        best,
        split,
        builds,
        toolkits,
        out: remembered::out_for(&arguments.asks),
    })
}

/// The question of a cell, or why its interpreter is out before anything is searched for.
type Asked = Result<Problem, String>;

/// All cells, solved over the same facts.
fn solved(
    cells: &[Vec<Asked>],
    run: &Run,
    progress: Progress<'_>,
) -> Result<Vec<Vec<Cell>>, Error> {
    let problems: Vec<Problem> = cells
        .iter()
        .flatten()
        .filter_map(|c| c.as_ref().ok())
        .cloned()
        .collect();
    let mut ends = run.each(&problems, progress)?.into_iter();
    let mut cell = |problem: &Asked| match problem {
        Err(why) => Cell::Barred(why.clone()),
        Ok(_) => match ends.next() {
            Some(End::Settled(solution)) => Cell::Settled(solution),
            Some(End::Clash(clash)) => Cell::Clash(clash),
            Some(End::GaveUp | End::Untried(_)) | None => Cell::GaveUp,
        },
    };
    Ok(cells
        .iter()
        .map(|row| row.iter().map(&mut cell).collect())
        .collect())
}

/// A row that was solved.
struct Under<'a> {
    head: Option<&'a Head>,
    cells: Option<&'a Vec<Cell>>,
    problems: Option<&'a Vec<Asked>>,
}

impl Question<'_> {
    /// What is foreseen of the builds in a row, for each target.
    fn builds(&self, under: &Under<'_>, run: &Run) -> Result<Vec<(String, Foreseen)>, Error> {
        let mut all = Vec::new();
        let (cells, problems) = (under.cells, under.problems);
        let each = cells
            .into_iter()
            .flatten()
            .zip(problems.into_iter().flatten());
        for ((cell, problem), column) in each.zip(self.columns) {
            let (Cell::Settled(solution), Ok(problem)) = (cell, problem) else {
                continue;
            };
            let python = under
                .head
                .and_then(|h| h.here.as_ref())
                .filter(|_| column.here);
            let place = Place {
                surroundings: self.surroundings,
                depots: self.depots,
                target: &problem.target,
                python,
                policy: &problem.policy,
                bounds: &[],
            };
            let foreseen = place.of_solution(solution, problem, run)?;
            all.extend(foreseen.into_iter().map(|f| (column.shown.clone(), f)));
        }
        Ok(all)
    }

    /// The place of a column with the interpreter of a row.
    ///
    /// # Errors
    /// Why there is no such place.
    fn target(&self, row: &Head, column: &Chosen) -> Result<Target, String> {
        let target = &column.target;
        let implementation = &target.interpreter.implementation;
        if column.here
            && let Some(found) = row
                .here
                .as_ref()
                .filter(|_| *implementation == Implementation::Cpython)
            && let Ok(here) =
                processor::target_of(&root(), &found.facts, target.accelerators.clone())
        {
            return Ok(here);
        }
        let series = &target.interpreter.series();
        if (row.series.major, row.series.minor) == *series {
            return Ok(target.clone());
        }
        let version = Version::parse(&row.series.to_string()).map_err(|f| f.to_string())?;
        let interpreter = Interpreter::planned(
            implementation.clone(),
            &version,
            target.interpreter.free_threaded,
        );
        interpreter
            .map(|i| target.with_interpreter(i))
            .map_err(|f| f.message().to_owned())
    }

    /// The question of a cell.
    ///
    /// # Errors
    /// Why the interpreter is out before anything is searched for.
    fn problem(&self, row: &Head, column: &Chosen) -> Asked {
        let target = self.target(row, column)?;
        if let Some((set, origin)) = &self.asks.requires_python
            && !set.matches(&target.interpreter.version)
        {
            return Err(format!("{origin} says requires-python {set}"));
        }
        Ok(self.on(target))
    }

    fn on(&self, target: Target) -> Problem {
        let mut problem = Problem::new(target, self.policy.clone(), self.asks.asks.clone());
        problem.bounds = self.asks.bounds.clone();
        problem.adjustments = self.surroundings.config.adjustments.clone();
        let hashed = self.asks.hashed.iter().cloned();
        problem.adjustments.extend(hashed);
        problem
    }

    /// The smallest split into environments, when no row holds everything.
    fn split(
        &self,
        cells: &[Vec<Asked>],
        matrix: &Matrix,
        run: &Run,
        progress: Progress<'_>,
    ) -> Result<Split, Error> {
        // A row that is out on one target is out.
        let problems: Vec<Vec<Problem>> = cells
            .iter()
            .map(|row| {
                row.iter()
                    .cloned()
                    .collect::<Result<_, _>>()
                    .unwrap_or_default()
            })
            .collect();
        let known: Vec<(usize, &Clash)> = matrix
            .rows()
            .iter()
            .enumerate()
            .flat_map(|(i, row)| {
                row.iter().filter_map(move |cell| {
                    if let Cell::Clash(clash) = cell {
                        Some((i, clash))
                    } else {
                        None
                    }
                })
            })
            .collect();
        split(&problems, &known, &mut run.solver(progress))
    }
}
