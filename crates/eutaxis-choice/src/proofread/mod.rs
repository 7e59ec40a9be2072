//! What is wrong in what is asked for, before anything is chosen: by the lines alone, and against
//! the pages of a depot.
//!
//! ```
//! use eutaxis_standards::fault::Origin;
//! use eutaxis_choice::proofread::alone;
//! use eutaxis_standards::{Ask, Requirement, Target};
//!
//! let target = Target::parse("cpython 3.12 / linux x86_64 glibc 2.36")?;
//! let ask = |text: &str, line: u32| Ok(Ask {
//!     requirement: Requirement::parse(text)?,
//!     origin: Origin::line("list.txt", line),
//! });
//! let remarks = alone(&[ask("firnio>=2", 1)?, ask("firnio<1", 2)?], &target);
//! assert_eq!(remarks.len(), 1);
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```

mod alone;
mod paged;
mod pinned;
mod trouble;

use eutaxis_standards::fault::Origin;
use eutaxis_standards::name::Name;

pub use alone::alone;
pub use eutaxis_standards::severity::Severity;
pub use paged::{around, paged};
pub use pinned::{hashless, interpreter_of, pinned};
pub use trouble::{Pinned, Said, Trouble};

/// Something to be said of a line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Remark {
    /// Where.
    pub place: Origin,
    /// The project, if it is about one.
    pub project: Option<Name>,
    /// What is wrong.
    pub trouble: Trouble,
}

impl Remark {
    /// A remark on a line.
    pub fn new(place: &Origin, trouble: Trouble) -> Self {
        Remark {
            place: place.clone(),
            project: None,
            trouble,
        }
    }

    /// The same, about a project.
    #[must_use]
    pub fn about(self, project: &Name) -> Self {
        Remark {
            project: Some(project.clone()),
            ..self
        }
    }
}
