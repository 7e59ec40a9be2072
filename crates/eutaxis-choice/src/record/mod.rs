//! What pins record of the question that they answer, in `[tool.eutaxis]` of the lock file (PEP 751,
//! `[tool]`), so that it can be gone back to: asks and bounds with their origins, the policy as far
//! as it is not the usual one, adjustments, and for each project who asks for it in which words and
//! what keeps newer releases out.
//!
//! ```
//! use eutaxis_choice::offer::Policy;
//! use eutaxis_choice::record::question;
//! use eutaxis_choice::solve::Problem;
//! use eutaxis_standards::fault::Origin;
//! use eutaxis_standards::{Ask, Requirement, Target};
//!
//! let target = Target::parse("cpython 3.9 / linux armv7l glibc 2.31")?;
//! let requirement = Requirement::parse("firnio<2")?;
//! let ask = Ask { requirement, origin: Origin::Argument };
//! let problem = Problem::new(target, Policy::default(), vec![ask]);
//! // The table that stands in the lock file as [tool.eutaxis].
//! let table = question(&problem);
//! assert!(table.to_string().contains("firnio<2"));
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```

mod moved;
mod read;
mod since;
#[cfg(test)]
mod tests;
mod together;
mod write;

use toml::{Table, Value};

pub use moved::{Moved, moved};
pub use read::{
    NewerRecord, Proof, Unrecorded, adjustments_of, asked_as, asks_of, bounds_of, depot_of,
    is_asked, left_out_of, newer_of, policy_of, problem_of, proof_of, question_of, releases,
    said_of, target_is_recorded, target_of, usual_parts,
};
pub use since::{AskMoves, Since};
pub use together::{Apart, Share, is_shared, join, of_place, share_at, shares};
pub use write::{Wording, adjustment, chosen, left_out, proof, question};

/// Our own table of a lock file, or of a package of it.
fn own(tool: Option<&Table>) -> Option<&Table> {
    tool?.get("eutaxis")?.as_table()
}

fn string<'a>(table: &'a Table, key: &str) -> Option<&'a str> {
    table.get(key)?.as_str()
}

fn tables<'a>(table: &'a Table, key: &str) -> impl Iterator<Item = &'a Table> {
    table
        .get(key)
        .and_then(Value::as_array)
        .into_iter()
        .flatten()
        .filter_map(Value::as_table)
}
