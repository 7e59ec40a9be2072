//! The search (docs/house.md; docs/choice.md): a set of releases in which every need is met.
//!
//! [`Search`] is a state machine that does no I/O. [`Search::step`] says what it wants to know
//! ([`Want`]), or ends with a solution or with the facts that cannot hold together;
//! [`Search::supply_page`] and [`Search::supply_metadata`] hand facts in. The same facts in any
//! order give the same answer.
//!
//! The promise: asked projects stand in a queue in the order listed; when a project's release is
//! decided, the projects it needs join at the end. The next undecided project of the queue gets the
//! best of its offers that any full solution allows, given the decisions before it.
//!
//! How it is kept: decisions are made in exactly that order, best offer first, and an offer is only
//! ever passed over when clauses that follow from the problem exclude it under the decisions made
//! before. Learned clauses are such, so the first full assignment is the promised one.
//!
//! ```
//! use std::sync::Arc;
//! use eutaxis_standards::artifact::Metadata;
//! use eutaxis_standards::fault::Origin;
//! use eutaxis_standards::index::parse_json;
//! use eutaxis_choice::offer::{MetadataAnswer, Policy};
//! use eutaxis_choice::solve::{Problem, Search, Step, Want};
//! use eutaxis_standards::{Ask, Requirement, Target};
//!
//! let target = Target::parse("cpython 3.12 / linux x86_64 glibc 2.36")?;
//! let requirement = Requirement::parse("radargram")?;
//! let asks = vec![Ask { requirement, origin: Origin::Argument }];
//! let mut search = Search::new(Problem::new(target, Policy::default(), asks));
//! let chosen = loop {
//!     match search.step() {
//!         // Whoever runs the search has the facts: from a disk, a network, or, here, made up.
//!         Step::Wants { needed, .. } => {
//!             for want in needed {
//!                 match want {
//!                     Want::Page(project) => {
//!                         let file = format!("{project}-1.0-py3-none-any.whl");
//!                         let text = format!(r#"{{"files": [{{"filename": "{file}", "url": "u"}}]}}"#);
//!                         let page = Arc::new(parse_json(text.as_bytes(), &project)?);
//!                         let judged = search.judged(page);
//!                         search.supply_page(&project, Some(judged));
//!                     }
//!                     Want::Metadata(project, file) => {
//!                         let mut text =
//!                             format!("Metadata-Version: 2.1\nName: {project}\nVersion: 1.0\n");
//!                         if project.as_str() == "radargram" {
//!                             text.push_str("Requires-Dist: firnio>=1\n");
//!                         }
//!                         let metadata = Arc::new(Metadata::parse(text.as_bytes())?);
//!                         search.supply_metadata(&project, &file, &MetadataAnswer::Known(metadata));
//!                     }
//!                     Want::Direct(..) | Want::Archive(..) | Want::Files(..) => unreachable!("nothing here is dear"),
//!                 }
//!             }
//!         }
//!         Step::Settled(solution) => break solution.chosen,
//!         Step::Clash(clash) => panic!("{:?}", clash.facts),
//!         Step::GaveUp { .. } => panic!("too hard"),
//!     }
//! };
//! let names: Vec<&str> = chosen.iter().map(|c| c.project.as_str()).collect();
//! assert_eq!(names, ["radargram", "firnio"]);
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```
#![expect(
    clippy::indexing_slicing,
    reason = "only tables are indexed, by keys that they made themselves (`table.rs`)"
)]

mod analyze;
mod asked;
mod bits;
pub(crate) mod chronology;
mod clash;
mod clause;
mod doubts;
mod encode;
mod expand;
mod expand_doubts;
mod facts;
mod held;
mod joint;
mod let_go;
mod losses;
mod problem;
mod queue;
mod search;
mod solution;
mod state;
mod table;
mod toolkits;
mod verify;
mod ways;

pub use chronology::Strength;
pub use clash::{Clash, Contested, Fact, FactKind};
pub use doubts::{Doubt, DoubtKind};
pub use facts::{Effort, Want};
pub use joint::{Joint, joint};
pub use problem::{AskId, BoundId, Problem};
pub use queue::OwnTime;
pub use search::{Search, Step};
pub use solution::{Asker, Caution, Chosen, HeldBack, Newer, Out, Solution};
pub use verify::verify;
pub use ways::{Alternative, Change, End, Environment, Solver, Way, WayKind, Ways, ways_out};

#[cfg(test)]
mod tests;
