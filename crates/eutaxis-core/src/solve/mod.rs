//! The search (design, section 5; choice): a set of releases in which every need is met.
//!
//! [`Search`] is a state machine that does no I/O. [`Search::step`] says what it wants to know ([`Want`]), or ends with a
//! solution or with the facts that cannot hold together; [`Search::supply_page`] and [`Search::supply_metadata`] hand
//! facts in. The same facts in any order give the same answer.
//!
//! The promise: asked projects stand in a queue in the order listed; when a project's release is decided, the projects
//! it needs join at the end. The next undecided project of the queue gets the best of its offers that any full solution
//! allows, given the decisions before it.
//!
//! How it is kept: decisions are made in exactly that order, best offer first, and an offer is only ever passed over
//! when clauses that follow from the problem exclude it under the decisions made before. Learned clauses are such, so
//! the first full assignment is the promised one.

mod analyze;
mod bits;
mod clause;
mod expand;
mod explain;
mod facts;
mod problem;
mod queue;
mod search;
mod state;
mod verify;

pub use explain::{Clash, Contested, Fact, FactKind};
pub use facts::{MetadataAnswer, Want};
pub use problem::Problem;
pub use queue::{Asker, Caution, Chosen, Newest, Solution};
pub use search::{Search, Step};
pub use verify::verify;

#[cfg(test)]
mod tests;
