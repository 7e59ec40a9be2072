//! What is wrong in files of asks, in pins, and in one's own code.

use eutaxis_core::Name;
use eutaxis_core::fault::escaped;
use eutaxis_core::own;
use eutaxis_core::proofread::Remark;
use eutaxis_core::severity::Severity;

use crate::words::own::Mends;
use crate::words::{self, place, troubles};

/// All of it.
#[derive(Debug)]
pub(crate) struct Proofread {
    pub(crate) target: String,
    /// What was read, as it was named.
    pub(crate) files: Vec<String>,
    /// So many requirements or pins.
    pub(crate) asked: usize,
    /// No depot is named: the lines alone were read.
    pub(crate) alone: bool,
    pub(crate) code: Option<CodeRead>,
    /// Worst first.
    pub(crate) remarks: Vec<Told>,
}

/// One's own code, as it was read.
#[derive(Debug)]
pub(crate) struct CodeRead {
    pub(crate) files: usize,
    pub(crate) imports: usize,
    /// What it was held against: pins, a list, an environment; nothing where there is none.
    pub(crate) against: Vec<String>,
}

/// A remark.
#[derive(Debug)]
pub(crate) enum Told {
    /// On a line of asks or pins.
    Line(Remark),
    /// On one's own code.
    Own(OwnTold),
    /// A file of code that cannot be read, and why.
    Unread(String, String),
}

/// A remark on one's own code.
#[derive(Debug)]
pub(crate) struct OwnTold {
    pub(crate) remark: own::Remark,
    /// Where it is, if that is no place in code.
    pub(crate) at: Option<String>,
    /// What was held against.
    pub(crate) against: String,
    pub(crate) mends: Mends,
}

impl Told {
    pub(crate) fn severity(&self) -> Severity {
        match self {
            Told::Line(remark) => remark.trouble.severity(),
            Told::Own(told) => told.remark.severity(),
            Told::Unread(..) => Severity::Risk,
        }
    }

    pub(crate) fn id(&self) -> &'static str {
        match self {
            Told::Line(remark) => remark.trouble.id(),
            Told::Own(told) => told.remark.trouble.id(),
            Told::Unread(..) => "unread",
        }
    }

    /// Where it is, for people.
    pub(crate) fn place(&self) -> String {
        match self {
            Told::Line(remark) => place(&remark.place),
            Told::Own(told) => match (told.remark.places.first(), &told.at) {
                (Some(first), _) => first.to_string(),
                (None, at) => at.clone().unwrap_or_default(),
            },
            Told::Unread(file, _) => file.clone(),
        }
    }

    /// What is wrong, and what to do.
    pub(crate) fn told(&self) -> (String, String) {
        match self {
            Told::Line(remark) => troubles::told(remark),
            Told::Own(own) => words::own::told(&own.remark, &own.against, &own.mends),
            Told::Unread(_, why) => (
                format!("it cannot be read: {}", escaped(why)),
                "what it imports is not known".to_owned(),
            ),
        }
    }

    /// Further places in code.
    pub(crate) fn also(&self) -> Vec<String> {
        match self {
            Told::Own(told) => {
                let rest = told.remark.places.iter().skip(1);
                rest.map(ToString::to_string).collect()
            }
            Told::Line(_) | Told::Unread(..) => Vec::new(),
        }
    }

    /// The project, if it is about one.
    pub(crate) fn project(&self) -> Option<&Name> {
        match self {
            Told::Line(remark) => remark.project.as_ref(),
            Told::Own(told) => match &told.remark.trouble {
                own::Trouble::OnlyThrough { project, .. }
                | own::Trouble::NeverImported { project, .. } => Some(project),
                own::Trouble::Hides { project, .. } => project.as_ref(),
                own::Trouble::NotBrought { .. }
                | own::Trouble::NoName { .. }
                | own::Trouble::Crosses { .. }
                | own::Trouble::Unread { .. } => None,
            },
            Told::Unread(..) => None,
        }
    }
}
