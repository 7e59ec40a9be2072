//! `--permit-urls`: what projects of a depot need by an address of their own.

use eutaxis_core::fault::Origin;
use eutaxis_core::requirement::Accepts;
use eutaxis_core::solve::{Clash, Problem};
use eutaxis_core::{Ask, Requirement};
use eutaxis_world::Error;

use super::Job;
use crate::asks::Asks;
use crate::building::trees;
use crate::plan::Chosen;

/// Where such asks are said to stand.
pub(super) const PERMITTED: &str = "--permit-urls";

/// What a clash needs by an address that nobody asks for.
pub(super) fn needed(clash: &Clash, problem: &Problem) -> Vec<Requirement> {
    let needs = clash.facts.iter().filter_map(|f| f.needs.as_deref());
    let needs = needs.filter_map(|text| Requirement::parse_lenient(text).ok());
    needs
        .filter(|r| matches!(r.accepts, Accepts::Url(_)))
        .filter(|r| {
            !problem
                .asks
                .iter()
                .any(|a| a.requirement.accepts == r.accepts)
        })
        .collect()
}

impl Job<'_> {
    /// Asks for what a clash needs by an address, once it is known what lies there.
    pub(super) fn addresses(
        &self,
        clash: &Clash,
        problem: &Problem,
        chosen: &Chosen,
    ) -> Result<Vec<Ask>, Error> {
        let asks: Vec<Ask> = needed(clash, problem)
            .into_iter()
            .map(|requirement| Ask {
                requirement,
                origin: Origin::line(PERMITTED, 1),
            })
            .collect();
        let found = Asks {
            asks: asks.clone(),
            ..Asks::default()
        };
        let arguments = self.arguments;
        trees::know(
            &found,
            (&arguments.target, &arguments.policy.permit),
            std::slice::from_ref(chosen),
            (self.surroundings, &self.depots),
            &problem.policy,
            self.output,
        )?;
        Ok(asks)
    }
}
