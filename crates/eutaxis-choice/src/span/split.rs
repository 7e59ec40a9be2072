//! The smallest split of the asks into environments, each with an interpreter of its own.
//!
//! Which asks cannot be together under an interpreter is learned from the clashes: a split is only
//! tried when it parts every set of asks that is known to clash, so that every trial either
//! succeeds or teaches a new one. First two environments, with as few asks as can be in the second;
//! where two do not do, what was taken out is split again.
//!
//! A clash that rests on a yanked file or a pre-release forbids only the very asks that were tried:
//! another ask may pin that file or name that pre-release, and so what goes nowhere alone may hold
//! beside it.

use std::collections::HashMap;

use crate::offer::BarKind;
use crate::solve::{Clash, End, FactKind, Problem, Solution, Solver};
use eutaxis_standards::requirement::Ask;

/// So many searches at most.
const MOST_SOLVED: usize = 600;
/// So many asks at most are taken out at once.
const MOST_APART: usize = 6;

/// One environment of a split.
#[derive(Debug, Clone)]
pub struct Part {
    /// The asks, by their place in the list.
    pub asks: Vec<usize>,
    /// The row of its interpreter.
    pub row: usize,
    /// A solution for every column.
    pub solutions: Vec<Solution>,
}

/// What the asks come to.
#[derive(Debug, Clone)]
pub enum Split {
    /// These environments, the largest first.
    Parts(Vec<Part>),
    /// This ask, by its place, cannot be had under any of the interpreters.
    Nowhere(usize),
    /// No split was found within the limit.
    GaveUp,
}

/// The smallest split of the asks of problems that differ in their targets only:
/// `problems[row][column]`, newest row first; rows without problems are out. `known` are clashes
/// that were found already, each with its row.
///
/// # Errors
/// When facts cannot be had.
pub fn split<S: Solver>(
    problems: &[Vec<Problem>],
    known: &[(usize, &Clash)],
    solver: &mut S,
) -> Result<Split, S::Error> {
    let Some(asks) = problems.iter().flatten().next().map(|p| p.asks.clone()) else {
        return Ok(Split::GaveUp);
    };
    let mut splitter = Splitter {
        problems,
        asks: &asks,
        cores: vec![Vec::new(); problems.len()],
        liftable: vec![Vec::new(); problems.len()],
        tried: HashMap::new(),
        left: MOST_SOLVED,
        solver,
    };
    for (row, clash) in known {
        splitter.learn(*row, clash);
    }
    let all: Vec<usize> = (0..asks.len()).collect();
    let mut split = splitter.split(&all)?;
    if let Split::Parts(parts) = &mut split {
        parts.sort_by_key(|p| std::cmp::Reverse(p.asks.len()));
    }
    Ok(split)
}

struct Splitter<'a, S: Solver> {
    problems: &'a [Vec<Problem>],
    asks: &'a [Ask],
    /// For each row sets of asks that cannot be together.
    cores: Vec<Vec<Vec<usize>>>,
    /// For each row asks that cannot be together unless another ask lets in what is kept out.
    liftable: Vec<Vec<Vec<usize>>>,
    tried: HashMap<(usize, Vec<usize>), Option<Vec<Solution>>>,
    left: usize,
    solver: &'a mut S,
}

impl<S: Solver> Splitter<'_, S> {
    fn learn(&mut self, row: usize, clash: &Clash) {
        let core = clash.asked(self.asks);
        let lets_in =
            |kind: FactKind| matches!(kind, FactKind::Bar(BarKind::Yanked | BarKind::Prerelease));
        let kept = if clash.facts.iter().any(|f| lets_in(f.kind)) {
            &mut self.liftable
        } else {
            &mut self.cores
        };
        if let Some(cores) = kept
            .get_mut(row)
            .filter(|cores| !core.is_empty() && !cores.contains(&core))
        {
            cores.push(core);
        }
    }

    /// Whether nothing that is known forbids these asks under an interpreter.
    fn may_hold(&self, row: usize, asks: &[usize]) -> bool {
        let within = |core: &Vec<usize>| core.iter().all(|a| asks.contains(a));
        self.problems.get(row).is_some_and(|p| !p.is_empty())
            && self
                .cores
                .get(row)
                .is_some_and(|cores| !cores.iter().any(within))
    }

    /// Solutions for these asks under an interpreter, one per column.
    fn holds(&mut self, row: usize, asks: &[usize]) -> Result<Option<Vec<Solution>>, S::Error> {
        if asks.is_empty() || !self.may_hold(row, asks) {
            return Ok(None);
        }
        let key = (row, asks.to_vec());
        if let Some(known) = self.tried.get(&key) {
            return Ok(known.clone());
        }
        let mut solutions = Some(Vec::new());
        for problem in self.problems.get(row).into_iter().flatten() {
            if self.left == 0 {
                return Ok(None);
            }
            self.left -= 1;
            let mut problem = problem.clone();
            problem.asks = asks
                .iter()
                .filter_map(|i| self.asks.get(*i))
                .cloned()
                .collect();
            match self.solver.solve(&problem)? {
                End::Settled(solution) => {
                    solutions.iter_mut().for_each(|s| s.push(solution.clone()))
                }
                End::Clash(clash) => {
                    self.learn(row, &clash);
                    solutions = None;
                    break;
                }
                End::GaveUp | End::Untried(_) => {
                    solutions = None;
                    break;
                }
            }
        }
        self.tried.insert(key, solutions.clone());
        Ok(solutions)
    }

    /// The first row under which all of these asks hold.
    fn anywhere(&mut self, asks: &[usize]) -> Result<Option<Part>, S::Error> {
        for row in 0..self.problems.len() {
            if let Some(solutions) = self.holds(row, asks)? {
                return Ok(Some(Part {
                    asks: asks.to_vec(),
                    row,
                    solutions,
                }));
            }
        }
        Ok(None)
    }

    fn split(&mut self, asks: &[usize]) -> Result<Split, S::Error> {
        if let Some(part) = self.anywhere(asks)? {
            return Ok(Split::Parts(vec![part]));
        }
        if let [only] = asks {
            return Ok(if self.left == 0 {
                Split::GaveUp
            } else {
                Split::Nowhere(*only)
            });
        }
        // An ask that goes nowhere by itself cannot be helped by any split, unless its clash is one
        // that another ask lifts.
        let mut nowhere = None;
        let mut contested: Vec<usize> = (0..self.problems.len())
            .flat_map(|row| self.contested(row, asks))
            .collect();
        contested.sort_unstable();
        contested.dedup();
        for ask in contested {
            if self.anywhere(&[ask])?.is_some() {
                continue;
            }
            if self.left == 0 {
                return Ok(Split::GaveUp);
            }
            if !self.may_be_lifted(ask) {
                return Ok(Split::Nowhere(ask));
            }
            nowhere.get_or_insert(ask);
        }
        // What was taken out, the fewest first, in case no two environments do.
        let mut taken_out: Vec<(Part, Vec<usize>)> = Vec::new();
        for size in 1..asks.len().min(MOST_APART + 1) {
            for row in 0..self.problems.len() {
                let mut choice = Choice::first(size);
                let mut worth = self.contested(row, asks);
                loop {
                    // Only asks that are known to clash are worth taking out; when more become
                    // known, it begins anew.
                    let now = self.contested(row, asks);
                    if now != worth {
                        (worth, choice) = (now, Choice::first(size));
                    }
                    let Some(apart) = choice.of(&worth) else {
                        break;
                    };
                    let rest: Vec<usize> = asks
                        .iter()
                        .copied()
                        .filter(|a| !apart.contains(a))
                        .collect();
                    if let Some(solutions) = self.holds(row, &rest)? {
                        let part = Part {
                            asks: rest,
                            row,
                            solutions,
                        };
                        if let Some(other) = self.anywhere(&apart)? {
                            return Ok(Split::Parts(vec![part, other]));
                        }
                        taken_out.push((part, apart));
                    }
                    if self.left == 0 {
                        return Ok(Split::GaveUp);
                    }
                    if !choice.next(worth.len()) {
                        break;
                    }
                }
            }
        }
        for (part, apart) in taken_out {
            match self.split(&apart)? {
                Split::Parts(others) => {
                    return Ok(Split::Parts(std::iter::once(part).chain(others).collect()));
                }
                Split::Nowhere(ask) if self.may_be_lifted(ask) => nowhere = nowhere.or(Some(ask)),
                other @ (Split::Nowhere(_) | Split::GaveUp) => return Ok(other),
            }
        }
        Ok(nowhere.map_or(Split::GaveUp, Split::Nowhere))
    }

    /// Whether another ask might let in what keeps this one out.
    fn may_be_lifted(&self, ask: usize) -> bool {
        self.liftable.iter().flatten().any(|core| core == &[ask])
    }

    /// Asks that clash with others under an interpreter, as far as that is known, in their order.
    fn contested(&self, row: usize, asks: &[usize]) -> Vec<usize> {
        let cores = self
            .cores
            .get(row)
            .into_iter()
            .chain(self.liftable.get(row))
            .flatten();
        let mut found: Vec<usize> = cores
            .flatten()
            .copied()
            .filter(|a| asks.contains(a))
            .collect();
        found.sort_unstable();
        found.dedup();
        found
    }
}

/// A choice of so many things out of some, as places; the last ones first, so that what is asked
/// for first stays together.
struct Choice {
    places: Vec<usize>,
}

impl Choice {
    fn first(size: usize) -> Self {
        Choice {
            places: (0..size).collect(),
        }
    }

    /// The chosen things; none when there are not so many.
    fn of(&self, things: &[usize]) -> Option<Vec<usize>> {
        let chosen = self.places.iter().map(|p| {
            things
                .len()
                .checked_sub(p + 1)
                .and_then(|i| things.get(i))
                .copied()
        });
        let mut chosen = chosen.collect::<Option<Vec<usize>>>()?;
        chosen.sort_unstable();
        Some(chosen)
    }

    /// The next choice out of so many things; false when that was the last.
    fn next(&mut self, of: usize) -> bool {
        let size = self.places.len();
        for i in (0..size).rev() {
            if let Some(place) = self.places.get_mut(i).filter(|p| **p + (size - i) < of) {
                *place += 1;
                let from = *place;
                self.places
                    .iter_mut()
                    .skip(i + 1)
                    .enumerate()
                    .for_each(|(k, p)| *p = from + k + 1);
                return true;
            }
        }
        false
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_choice_is_made_once() {
        let things = [10, 11, 12, 13];
        let mut choice = Choice::first(2);
        let mut all = vec![choice.of(&things).unwrap()];
        while choice.next(things.len()) {
            all.push(choice.of(&things).unwrap());
        }
        assert_eq!(
            all,
            [[12, 13], [11, 13], [10, 13], [11, 12], [10, 12], [10, 11]]
        );
        assert!(Choice::first(5).of(&things).is_none());
    }
}
