//! Choosing releases that go together, in a place.
//!
//! An index page becomes [`offer`]s: ordered, and each with what bars it for a target. The search
//! of [`solve`] picks one offer per project so that all that is asked for and all that the picked
//! ones need holds; where that cannot be, it tells the smallest clash, and ways out that were
//! solved themselves. [`span`] asks for the interpreters on which a set can be had, [`rehearse`]
//! for what a plain step-by-step installation would come to, [`proofread`] reads a list of
//! requirements with an eye for mistakes, and [`record`] is what the pins keep of the question.
//!
//! What a search has to know, it asks for, one step after the other ([`solve::Step`]): the caller
//! fetches. No file, network, process or clock is touched here. How the search works is told in
//! [`solve`].

pub mod offer;
pub mod proofread;
pub mod record;
pub mod rehearse;
pub mod solve;
pub mod span;
