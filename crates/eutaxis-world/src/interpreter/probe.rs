//! Asking an interpreter about itself: one small script, run isolated.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use super::{Facts, elf};
use crate::process::{self, Silence, lead_group};
use crate::{Error, ErrorKind};

const SCRIPT: &str = include_str!("probe.py");
/// An interpreter that does not answer in this time is left out.
const PATIENCE: Duration = Duration::from_secs(20);
/// No interpreter says more of itself.
const MOST_SAID: usize = 1 << 20;

/// Where an interpreter lies and which it is, a line each: what is least to ask.
const WHEREABOUTS: &str = "import sys\nsys.stdout.write(sys.executable + '\\n' + \
    sys.version.split()[0] + '\\n')";

/// Why an interpreter did not answer.
#[derive(Debug)]
pub(super) struct Unanswered {
    pub(super) error: Box<Error>,
    /// The same can be expected of it again: it was not only slow.
    pub(super) lasts: bool,
}

impl From<Unanswered> for Error {
    fn from(why: Unanswered) -> Self {
        *why.error
    }
}

/// An answer, or why there is none.
pub(super) type Answer<T> = std::result::Result<T, Unanswered>;

/// Asks the interpreter at a path.
///
/// # Errors
/// When it cannot be started, fails, does not answer in time, or its answer cannot be read.
pub(super) fn probe(path: &Path) -> Answer<Facts> {
    let answer = answer(path, SCRIPT)?;
    let mut facts: Facts = serde_json::from_slice(&answer).map_err(|_| {
        let what = "is not a Python interpreter: it does not answer as one";
        let message = format!("{} {what}", path.display());
        Unanswered {
            error: Box::new(Error::new(ErrorKind::Interpreter, message)),
            lasts: true,
        }
    })?;
    let binary = elf::read(&facts.executable);
    facts.soft_float = binary.soft_float;
    if facts.glibc.is_none() {
        facts.musl = binary.loader.as_deref().and_then(elf::musl_version);
    }
    Ok(facts)
}

/// Asks a program where the interpreter lies that it starts, and which it is. None when it answers
/// otherwise, as a program may that speaks for an interpreter.
///
/// # Errors
/// When it cannot be started, fails, or does not answer in time.
pub(super) fn whereabouts(path: &Path) -> Answer<Option<(PathBuf, String)>> {
    let answer = answer(path, WHEREABOUTS)?;
    let lines = std::str::from_utf8(&answer).ok().and_then(|a| {
        let (executable, version) = a.trim_end().split_once('\n')?;
        Some((PathBuf::from(executable), version.to_owned()))
    });
    Ok(lines.filter(|(executable, _)| executable.is_absolute()))
}

/// What a script prints, run isolated and without the site module's work.
///
/// # Errors
/// When the interpreter cannot be started, fails, or does not answer in time.
pub(super) fn answer(path: &Path, script: &str) -> Answer<Vec<u8>> {
    let bad = |what: Failure| Unanswered {
        lasts: !matches!(what, Failure::Slow(_)),
        error: Box::new(Error::new(
            ErrorKind::Interpreter,
            format!("{} {}", path.display(), what.words()),
        )),
    };
    // `-I` isolates from 3.4 on; 2.7 has only the parts of it and says so with exit code 2.
    let deadline = Instant::now() + PATIENCE;
    match run(path, &["-I", "-S", "-c", script], deadline) {
        Err(Failure::Refused) => {
            run(path, &["-E", "-s", "-S", "-c", script], deadline).map_err(bad)
        }
        other => other.map_err(bad),
    }
}

enum Failure {
    /// Exit code 2: it does not know an option.
    Refused,
    /// The system had no room for it, or it took too long: another time it may answer.
    Slow(String),
    Other(String),
}

impl Failure {
    fn words(self) -> String {
        match self {
            Failure::Refused => {
                "does not know the options that isolate it (exit code 2)".to_owned()
            }
            Failure::Slow(text) | Failure::Other(text) => text,
        }
    }
}

fn run(
    path: &Path,
    arguments: &[&str],
    deadline: Instant,
) -> std::result::Result<Vec<u8>, Failure> {
    let mut command = Command::new(path);
    command
        .args(arguments)
        .env_remove("PYTHONHOME")
        .env_remove("__PYVENV_LAUNCHER__")
        .env("SYSTEM_VERSION_COMPAT", "0")
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::null());
    lead_group(&mut command);
    let child = command
        .spawn()
        .map_err(|e| Failure::Other(format!("cannot be started: {e}")))?;
    let silent = |silence| match silence {
        Silence::TooLate => {
            Failure::Slow(format!("did not answer within {} s", PATIENCE.as_secs()))
        }
        Silence::TooMuch => Failure::Other(format!(
            "answers with more than the {MOST_SAID} bytes that an interpreter says of itself"
        )),
        Silence::Lost(why) => Failure::Slow(why),
    };
    let (status, answer) = process::answer(child, MOST_SAID, deadline).map_err(silent)?;
    match status.code() {
        Some(0) => Ok(answer),
        Some(2) => Err(Failure::Refused),
        Some(code) => Err(Failure::Other(format!(
            "does not run: it ends with exit code {code}"
        ))),
        None => Err(Failure::Other(
            "does not run: it was ended by a signal".to_owned(),
        )),
    }
}
