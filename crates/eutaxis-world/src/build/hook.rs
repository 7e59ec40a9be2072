//! Running a hook of a build backend: a process in a group of its own, with a clean environment, its
//! own home and temporary folder, and limits of time, memory, output and disk.

use std::collections::BTreeMap;
use std::fs::{self, File};
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use serde_json::{Value, json};

use super::breaking::Busy;
use super::confine::confine;
use crate::error::Doing;
use crate::process::{end_group, is_of_the_place, lead_group};
use crate::{Error, ErrorKind, Result};

const SCRIPT: &str = include_str!("hook.py");
/// How often it is looked whether a hook has ended.
const PAUSE: Duration = Duration::from_millis(10);
/// How often its output and the room that it takes are looked at.
const LOOK: Duration = Duration::from_millis(500);
/// Its output is kept up to this size.
const MOST_OUTPUT: u64 = 64 << 20;
/// No file of a build is larger.
const LARGEST_FILE: u64 = 8 << 30;

/// What a build may use.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// Seconds by the clock, for each hook.
    pub seconds: u64,
    /// Bytes of memory for data, for each process.
    pub memory: u64,
    /// Bytes on disk, for all that it writes.
    pub disk: u64,
}

impl Default for Limits {
    fn default() -> Self {
        Limits {
            seconds: 2 * 3600,
            memory: 16 << 30,
            disk: 16 << 30,
        }
    }
}

/// How a hook ended.
#[derive(Debug, Clone, PartialEq)]
pub enum Ended {
    /// It answered.
    Answered(Value),
    /// The backend does not have it.
    Absent,
    /// It raised, or ended its process with this code.
    Failed(i32),
    /// A signal ended its process.
    Signal(i32),
    /// It took longer than it may.
    TooLong(u64),
    /// It wrote more output than it may, in bytes.
    TooMuchOutput(u64),
    /// It wrote more to the disk than it may, in bytes.
    TooMuchDisk(u64),
}

/// What the system let be taken away from a build.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Confined {
    /// The network.
    pub network: bool,
    /// Writing outside its folders.
    pub writing: bool,
}

/// A hook that has ended.
#[derive(Debug, Clone)]
pub struct Ran {
    /// How.
    pub ended: Ended,
    /// What was taken away from it.
    pub confined: Confined,
}

/// A hook to be run.
#[derive(Debug)]
pub struct Hook<'a> {
    /// Its name.
    pub name: &'a str,
    /// What it is called with.
    pub arguments: Vec<Value>,
    /// The object with the hooks.
    pub backend: &'a str,
    /// Folders of the source in which the backend is.
    pub backend_path: &'a [String],
}

/// Where hooks run.
pub(super) struct Bench<'a> {
    /// The interpreter of the build environment.
    pub(super) python: &'a Path,
    /// The folder of the build: all that it may write to is below.
    pub(super) root: &'a Path,
    /// The unpacked source.
    pub(super) source: &'a Path,
    /// The log.
    pub(super) log: &'a Path,
    /// Variables that the user states.
    pub(super) variables: &'a BTreeMap<String, String>,
    /// The network is left to it.
    pub(super) network: bool,
    /// The moment that stands for now, in seconds of the epoch.
    pub(super) epoch: i64,
    pub(super) limits: Limits,
    /// Told the last line of the output while it runs.
    pub(super) progress: &'a (dyn Fn(&str) + Sync),
    /// Set from outside when the work is to be given up.
    pub(super) stop: &'a AtomicBool,
}

impl Bench<'_> {
    /// Runs a hook to its end.
    pub(super) fn run(&self, hook: &Hook<'_>) -> Result<Ran> {
        let asked = self.root.join("asked.json");
        let told = self.root.join("told.json");
        let _ = fs::remove_file(&told);
        let request = json!({
            "backend": hook.backend,
            "backend_path": hook.backend_path,
            "hook": hook.name,
            "arguments": hook.arguments,
            "network": self.network,
            "memory": self.limits.memory,
            "file": LARGEST_FILE.min(self.limits.disk),
        });
        fs::write(&asked, request.to_string()).doing("cannot write", &asked)?;
        let mut log = File::options()
            .create(true)
            .append(true)
            .open(self.log)
            .doing("cannot write", self.log)?;
        writeln!(log, "== {} of {}", hook.name, hook.backend).doing("cannot write", self.log)?;
        let command = self.command(&asked, &told, &log)?;
        // Rights are taken from a thread of its own, which stays as long as the child does: a child
        // ends with the thread that started it.
        let (ended, writing) = std::thread::scope(|scope| {
            let work = scope.spawn(|| self.watch(command));
            work.join().unwrap_or_else(|_| {
                let message = "a fault of this program, while it was at a build";
                Err(Error::new(ErrorKind::Internal, message))
            })
        })?;
        let answer: Value = fs::read(&told)
            .ok()
            .and_then(|bytes| serde_json::from_slice(&bytes).ok())
            .unwrap_or_default();
        let confined = Confined {
            network: answer.get("offline").and_then(Value::as_bool) == Some(true),
            writing,
        };
        let ended = match ended {
            Some(ended) => ended,
            None if answer.get("absent").is_some() => Ended::Absent,
            None => match answer.get("answer") {
                Some(answer) => Ended::Answered(answer.clone()),
                None => Ended::Failed(0),
            },
        };
        Ok(Ran { ended, confined })
    }

    fn command(&self, asked: &Path, told: &Path, log: &File) -> Result<Command> {
        let copy = || log.try_clone().doing("cannot write", self.log);
        let mut command = Command::new(self.python);
        let held: Vec<_> = std::env::vars_os()
            .filter(|(name, _)| name.to_str().is_some_and(is_of_the_place))
            .collect();
        command.env_clear().envs(held);
        command
            .args(["-I", "-c", SCRIPT])
            .args([asked, told])
            .current_dir(self.source)
            .stdin(Stdio::null())
            .stdout(copy()?)
            .stderr(copy()?);
        let path = std::env::var_os("PATH").unwrap_or_default();
        let scripts = self.python.parent().map(Path::to_owned);
        let folders = scripts.into_iter().chain(std::env::split_paths(&path));
        if let Ok(joined) = std::env::join_paths(folders) {
            command.env("PATH", joined);
        }
        let home = self.root.join("home");
        for name in [
            "HOME",
            "USERPROFILE",
            "XDG_CACHE_HOME",
            "XDG_CONFIG_HOME",
            "XDG_DATA_HOME",
            "XDG_STATE_HOME",
        ] {
            command.env(name, &home);
        }
        for name in ["TMPDIR", "TMP", "TEMP"] {
            command.env(name, self.root.join("tmp"));
        }
        command
            .env("PYTHONNOUSERSITE", "1")
            .env("PYTHONUNBUFFERED", "1")
            .env("PYTHONIOENCODING", "utf-8")
            .env("SOURCE_DATE_EPOCH", self.epoch.to_string())
            .envs(self.variables);
        lead_group(&mut command);
        Ok(command)
    }

    /// Starts it and waits; none: it ended well. With whether writing outside is forbidden.
    fn watch(&self, mut command: Command) -> Result<(Option<Ended>, bool)> {
        let _busy = Busy::begin();
        // A tree that is used where it lies gets what its build leaves there.
        let folders: Vec<PathBuf> = vec![self.root.to_owned(), self.source.to_owned()];
        let writing = confine(&folders, self.network);
        let mut child = command.spawn().map_err(|e| {
            let what = self.python.display();
            Error::new(
                ErrorKind::Interpreter,
                format!("{what} cannot be started: {e}"),
            )
        })?;
        let ended = self.wait(&mut child);
        end_group(&child);
        let _ = child.kill();
        let _ = child.wait();
        Ok((ended?, writing))
    }

    fn wait(&self, child: &mut Child) -> Result<Option<Ended>> {
        let started = Instant::now();
        let mut looked = Instant::now();
        loop {
            match child.try_wait() {
                Ok(Some(status)) => return Ok(how(status)),
                Ok(None) => std::thread::sleep(PAUSE),
                Err(e) => return Err(Error::io("cannot wait for", self.python, &e)),
            }
            if self.stop.load(Ordering::Relaxed) {
                return Err(Error::new(ErrorKind::Interrupted, "given up"));
            }
            if started.elapsed() > Duration::from_secs(self.limits.seconds) {
                return Ok(Some(Ended::TooLong(self.limits.seconds)));
            }
            if looked.elapsed() < LOOK {
                continue;
            }
            looked = Instant::now();
            if fs::metadata(self.log).is_ok_and(|m| m.len() > MOST_OUTPUT) {
                return Ok(Some(Ended::TooMuchOutput(MOST_OUTPUT)));
            }
            if taken_by(self.root) > self.limits.disk {
                return Ok(Some(Ended::TooMuchDisk(self.limits.disk)));
            }
            (self.progress)(&last_line(self.log));
        }
    }
}

fn how(status: ExitStatus) -> Option<Ended> {
    #[cfg(unix)]
    {
        use std::os::unix::process::ExitStatusExt;
        if let Some(signal) = status.signal() {
            return Some(Ended::Signal(signal));
        }
    }
    match status.code() {
        Some(0) => None,
        code => Some(Ended::Failed(code.unwrap_or(1))),
    }
}

/// The bytes of all files below a folder; links are not followed.
fn taken_by(folder: &Path) -> u64 {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    let size = |entry: fs::DirEntry| match entry.metadata() {
        Ok(m) if m.is_dir() => taken_by(&entry.path()),
        Ok(m) => m.len(),
        Err(_) => 0,
    };
    entries.map(size).fold(0, u64::saturating_add)
}

/// The last line of a log that says something.
fn last_line(log: &Path) -> String {
    const TAIL: u64 = 2_000;
    let read = || -> std::io::Result<Vec<u8>> {
        let mut file = File::open(log)?;
        let size = file.metadata()?.len();
        file.seek(SeekFrom::Start(size.saturating_sub(TAIL)))?;
        let mut bytes = Vec::new();
        file.take(TAIL).read_to_end(&mut bytes)?;
        Ok(bytes)
    };
    let text = read().unwrap_or_default();
    let text = String::from_utf8_lossy(&text);
    let line = text.lines().rev().find(|l| !l.trim().is_empty());
    line.unwrap_or_default().trim().to_owned()
}
