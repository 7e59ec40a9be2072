//! Where a module can be imported, for programs.

use schemars::JsonSchema;
use serde::Serialize;

use super::shown;
use crate::answer::bringing::Bringing;
use crate::answer::locate::{Row, is_found};

/// What `locate` answers.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Locate {
    module: String,
    places: Vec<Place>,
    /// The interpreter that code runs with here, unless told otherwise.
    default: Option<String>,
    /// Where it is nowhere: the project that brings it, or usually does.
    brought_by: Option<String>,
}

/// An interpreter that was looked into.
#[derive(Debug, Serialize, JsonSchema)]
struct Place {
    interpreter: String,
    interpreter_version: String,
    root: String,
    /// It belongs to an environment.
    environment: bool,
    found: bool,
    /// The project that brings the module.
    project: Option<String>,
    version: Option<String>,
    path: Option<String>,
    bare_names: Vec<String>,
    note: String,
}

impl Locate {
    pub(crate) fn new(module: &str, rows: &[Row], brought: Option<&Bringing>) -> Self {
        let default = rows.iter().find(|r| r.default);
        Locate {
            module: module.to_owned(),
            places: rows.iter().map(Place::from).collect(),
            default: default.map(|r| shown(&r.spot.interpreter)),
            brought_by: brought.map(|b| b.project.to_string()),
        }
    }
}

impl From<&Row> for Place {
    fn from(row: &Row) -> Self {
        let spot = &row.spot;
        let owner = spot.owner.as_ref();
        Place {
            interpreter: shown(&spot.interpreter),
            interpreter_version: spot.version.to_string(),
            root: shown(&spot.root),
            environment: spot.is_environment,
            found: is_found(spot),
            project: owner.map(|(name, _)| name.to_string()),
            version: owner.and_then(|(_, v)| v.as_ref().map(ToString::to_string)),
            path: spot.found.as_deref().map(shown),
            bare_names: row.bare_names.clone(),
            note: row.note.clone(),
        }
    }
}
