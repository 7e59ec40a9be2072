//! `proofread`: what is wrong in a requirement list, project file or pins, before anything is
//! fetched or placed, and in one's own code against them?

mod brought;
mod code;
mod lines;

use std::path::{Path, PathBuf};
use std::sync::Arc;

use eutaxis_core::Target;
use eutaxis_core::offer::{Adjustment, Policy, Rules};
use eutaxis_core::severity::Severity;
use eutaxis_world::Error;
use eutaxis_world::depot::Depots;
use eutaxis_world::files::read_text;
use eutaxis_world::own_code::is_code;
use eutaxis_world::supply::Run;

use crate::answer::proofread::{Proofread as Found, Told};
use crate::asks;
use crate::cli::{Common, Proofread};
use crate::output::{Answer, Outcome, Output};
use crate::plan::{self, Surroundings};
use crate::{render, report};

pub(crate) fn run(
    arguments: &Proofread,
    common: &Common,
    output: &Output,
) -> Result<Answer, Error> {
    let surroundings = Surroundings::reading(common)?;
    let depots = plan::named_depots(&arguments.depots, &surroundings, false)?;
    let chosen = plan::target(&arguments.target, &surroundings)?;
    let policy = plan::policy(&arguments.policy, &surroundings.config)?;
    let options = &arguments.target;
    let stated =
        !options.target.is_empty() || options.interpreter.is_some() || options.platform.is_some();
    let reader = Reader {
        surroundings: &surroundings,
        depots: &depots,
        run: &Run::new(Arc::clone(&depots)),
        target: &chosen.target,
        stated,
        policy: &policy,
        adjustments: &surroundings.config.adjustments,
    };
    // Where none is named, the file that a question here would be read from; an environment is held
    // against the code of this folder.
    let files = match (arguments.files.as_slice(), &arguments.environment) {
        ([], Some(_)) => vec![PathBuf::from(".")],
        ([], None) => usual_file()?,
        (files, _) => files.to_vec(),
    };
    let (code, others): (Vec<PathBuf>, Vec<PathBuf>) =
        files.iter().cloned().partition(|path| is_code(path));
    if let (Some(root), [], false) = (&arguments.environment, code.as_slice(), files.is_empty()) {
        let shown = root.display();
        return Err(
            Error::request(format!("--in {shown} is for code, and none is named"))
                .help("name a folder, a .py file or a notebook:  eutaxis proofread . --in ENV"),
        );
    }
    let mut remarks: Vec<Told> = Vec::new();
    let mut asked = 0;
    let scripts = code.iter().filter(|path| is_script(path) && !path.is_dir());
    for file in others.iter().chain(scripts) {
        // A source in another encoding is read as code, and has no asks that could be read.
        if code.contains(file) && file.is_file() && read_text(file).is_err() {
            continue;
        }
        let (more, count) = reader.file(file)?;
        remarks.extend(more.into_iter().map(Told::Line));
        asked += count;
    }
    let read = match code.as_slice() {
        [] => None,
        code => {
            let environment = arguments.environment.as_deref();
            let (read, more) = code::held(&reader, code, &others, environment)?;
            remarks.extend(more);
            Some(read)
        }
    };
    output.report_network(depots.network());
    // Worst first; within one severity as the lines stand.
    remarks.sort_by_cached_key(|told| {
        let line = match told {
            Told::Line(remark) => Some(remark.place.clone()),
            Told::Own(_) | Told::Unread(..) => None,
        };
        (told.severity(), line.is_none(), line)
    });
    let breaks = remarks
        .iter()
        .any(|told| told.severity() == Severity::Breaks);
    let found = Found {
        target: chosen.target.to_string(),
        files: files.iter().map(|f| f.display().to_string()).collect(),
        asked,
        alone: depots.is_empty(),
        code: read,
        remarks,
    };
    Ok(Answer {
        outcome: if breaks { Outcome::No } else { Outcome::Ok },
        text: render::proofread::text(&found),
        report: report::Proofread::from(&found).into(),
    })
}

/// Whether a path is that of a source by its name, which may hold asks of its own (PEP 723).
fn is_script(path: &Path) -> bool {
    path.extension().is_some_and(|e| e == "py" || e == "pyw")
}

/// The file of this folder, where none is named.
fn usual_file() -> Result<Vec<PathBuf>, Error> {
    let found = asks::default_file();
    let found = found.map_err(|_| {
        let error = Error::request(
            "no file is named, and there is no pyproject.toml and no requirements.txt in this \
             folder",
        );
        error.help("name one: eutaxis proofread FILE")
    })?;
    Ok(found.into_iter().collect())
}

/// By what files are read.
struct Reader<'a> {
    surroundings: &'a Surroundings,
    depots: &'a Arc<Depots>,
    run: &'a Run,
    target: &'a Target,
    /// The target was named; else pins are read for the one that they record.
    stated: bool,
    policy: &'a Policy,
    adjustments: &'a [Adjustment],
}

impl Reader<'_> {
    fn rules(&self) -> Rules<'_> {
        Rules {
            target: self.target,
            policy: self.policy,
            adjustments: self.adjustments,
        }
    }
}
