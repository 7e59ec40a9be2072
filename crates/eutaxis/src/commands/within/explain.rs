//! `--explain`: a command that ended badly with a fault of imports, versions or libraries is
//! explained from the end of its error output.

use std::path::Path;

use eutaxis_world::within::Ended;

use super::Session;
use crate::cli::Command;
use crate::output::Outcome;
use crate::report::Report;

/// Causes that a set of projects has a part in; what else went wrong is the command's own matter.
const OURS: [&str; 19] = [
    "module-absent",
    "module-shadowed",
    "library-absent",
    "library-version-differs",
    "libc-too-old",
    "cxx-runtime-too-old",
    "wrong-architecture",
    "symbol-absent",
    "abi-changed",
    "api-removed",
    "syntax-too-new",
    "stale-dependency",
    "clash",
    "driver-too-old",
    "device-unsupported",
    "accelerator-build-absent",
    "toolkit-absent",
    "file-corrupt",
    "build-dependency-missing",
];

/// The exit code of the command, once its end is explained.
pub(super) fn explained(ended: &Ended, root: &Path, session: &Session<'_>) -> u8 {
    if ended.code == 0 || ended.errors.is_empty() {
        return ended.code;
    }
    // What cannot be explained is no reason to end in another way than the command.
    let _ = told(ended, root, session);
    ended.code
}

fn told(ended: &Ended, root: &Path, session: &Session<'_>) -> Option<()> {
    let folder = tempfile::tempdir().ok()?;
    let log = folder.path().join("errors.log");
    std::fs::write(&log, &ended.errors).ok()?;
    let mut words: Vec<String> = vec!["diagnose".to_owned()];
    words.extend([log.display().to_string(), "--in".to_owned()]);
    words.push(root.display().to_string());
    words.extend(crate::typed::depots(&session.arguments.depots));
    let Some(Command::Diagnose(diagnose)) = Command::of_words(words) else {
        return None;
    };
    let answer = crate::commands::diagnose::run(&diagnose, session.common, session.output).ok()?;
    let is_ours = matches!(&answer.report,
        Report::Diagnose(report) if report.ids().any(|id| OURS.contains(&id)));
    if answer.outcome == Outcome::No && is_ours {
        session.output.tell(&format!("\n{}", answer.text));
    }
    Some(())
}
