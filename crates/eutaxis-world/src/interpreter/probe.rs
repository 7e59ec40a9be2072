//! Asking an interpreter about itself: one small script, run isolated.

use std::io::Read;
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use super::{Facts, elf};
use crate::{Error, ErrorKind, Result};

const SCRIPT: &str = include_str!("probe.py");
/// An interpreter that does not answer in this time is left out.
const PATIENCE: Duration = Duration::from_secs(20);

/// Asks the interpreter at a path.
///
/// # Errors
/// When it cannot be started, fails, does not answer in time, or its answer cannot be read.
pub fn probe(path: &Path) -> Result<Facts> {
    let mut facts: Facts = serde_json::from_slice(&answer(path, SCRIPT)?).map_err(|_| {
        let what = "is not a Python interpreter: it does not answer as one";
        Error::new(ErrorKind::Interpreter, format!("{} {what}", path.display()))
    })?;
    let binary = elf::read(&facts.executable);
    facts.soft_float = binary.soft_float;
    if facts.glibc.is_none() {
        facts.musl = binary.loader.as_deref().and_then(elf::musl_version);
    }
    Ok(facts)
}

/// What a script prints, run isolated and without the site module's work.
///
/// # Errors
/// When the interpreter cannot be started, fails, or does not answer in time.
pub(super) fn answer(path: &Path, script: &str) -> Result<Vec<u8>> {
    let bad = |what: Failure| Error::new(ErrorKind::Interpreter, format!("{} {}", path.display(), what.words()));
    // `-I` isolates from 3.4 on; 2.7 has only the parts of it and says so with exit code 2.
    match run(path, &["-I", "-S", "-c", script]) {
        Err(Failure::Refused) => run(path, &["-E", "-s", "-S", "-c", script]).map_err(bad),
        other => other.map_err(bad),
    }
}

enum Failure {
    /// Exit code 2: it does not know an option.
    Refused,
    Other(String),
}

impl Failure {
    fn words(self) -> String {
        match self {
            Failure::Refused => "does not know the options that isolate it (exit code 2)".to_owned(),
            Failure::Other(text) => text,
        }
    }
}

fn run(path: &Path, arguments: &[&str]) -> std::result::Result<Vec<u8>, Failure> {
    let mut child = Command::new(path)
        .args(arguments)
        .env_remove("PYTHONHOME")
        .env_remove("__PYVENV_LAUNCHER__")
        .env("SYSTEM_VERSION_COMPAT", "0")
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .map_err(|e| Failure::Other(format!("cannot be started: {e}")))?;
    // The answer is short and fits the pipe, so waiting before reading cannot block.
    let started = Instant::now();
    let status = loop {
        match child.try_wait() {
            Ok(Some(status)) => break status,
            Ok(None) if started.elapsed() < PATIENCE => std::thread::sleep(Duration::from_millis(2)),
            Ok(None) => {
                let _ = child.kill();
                let _ = child.wait();
                return Err(Failure::Other(format!("did not answer within {} s", PATIENCE.as_secs())));
            }
            Err(e) => return Err(Failure::Other(format!("cannot be waited for: {e}"))),
        }
    };
    let mut answer = Vec::new();
    if let Some(out) = &mut child.stdout {
        out.read_to_end(&mut answer).map_err(|e| Failure::Other(format!("cannot be read from: {e}")))?;
    }
    match status.code() {
        Some(0) => Ok(answer),
        Some(2) => Err(Failure::Refused),
        Some(code) => Err(Failure::Other(format!("does not run: it ends with exit code {code}"))),
        None => Err(Failure::Other("does not run: it was ended by a signal".to_owned())),
    }
}
