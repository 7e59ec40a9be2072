//! Running a command in an environment without entering it: its scripts first on PATH, no shell
//! between, signals and exit code passed through.

use std::collections::VecDeque;
use std::ffi::{OsStr, OsString};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

/// The exit code where the environment cannot be used.
pub const UNUSABLE: u8 = 125;
/// The exit code where the command is there and cannot be started.
pub const NOT_EXECUTABLE: u8 = 126;
/// The exit code where there is no such command.
pub const NOT_FOUND: u8 = 127;

/// Of the end of the error output so much is kept.
const KEPT: usize = 256 * 1024;

/// How often it is looked whether a signal is to be passed on.
const PAUSE: Duration = Duration::from_millis(10);

/// A command in an environment.
#[derive(Debug)]
pub struct Within<'a> {
    /// The environment's folder, whole.
    pub root: &'a Path,
    /// The command.
    pub program: &'a OsStr,
    /// What follows it.
    pub arguments: &'a [OsString],
}

/// Why a command could not be started.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unstarted {
    /// What the run ends with.
    pub code: u8,
    /// Why, in a sentence without the command's name.
    pub why: String,
}

/// How a command ended that was watched.
#[derive(Debug)]
pub struct Ended {
    /// Its exit code; 128 and the signal's number where a signal ended it.
    pub code: u8,
    /// The end of its error output.
    pub errors: Vec<u8>,
}

/// The folder of an environment's scripts.
fn scripts(root: &Path) -> PathBuf {
    root.join(if cfg!(windows) { "Scripts" } else { "bin" })
}

impl Within<'_> {
    /// Where the command is: as a path, or the first of that name on PATH behind the environment's
    /// scripts.
    fn place(&self) -> Result<PathBuf, Unstarted> {
        let named = Path::new(self.program);
        if named.components().count() > 1 {
            return match named.exists() {
                true => Ok(named.to_owned()),
                false => Err(absent()),
            };
        }
        let path = self.path();
        let mut refused = None;
        for folder in std::env::split_paths(&path) {
            let place = folder.join(named);
            if is_executable(&place) {
                return Ok(place);
            }
            if place.is_file() {
                refused.get_or_insert(place);
            }
        }
        Err(match refused {
            Some(place) => Unstarted {
                code: NOT_EXECUTABLE,
                why: format!("{} may not be executed", place.display()),
            },
            None => absent(),
        })
    }

    /// PATH with the environment's scripts first.
    fn path(&self) -> OsString {
        let path = std::env::var_os("PATH").unwrap_or_default();
        let own = scripts(self.root);
        let others = std::env::split_paths(&path).filter(|p| *p != own);
        let all: Vec<PathBuf> = std::iter::once(own.clone()).chain(others).collect();
        std::env::join_paths(all).unwrap_or(path)
    }

    fn command(&self) -> Result<Command, Unstarted> {
        let mut command = Command::new(self.place()?);
        #[cfg(unix)]
        std::os::unix::process::CommandExt::arg0(&mut command, self.program);
        command
            .args(self.arguments)
            .env("PATH", self.path())
            .env("VIRTUAL_ENV", self.root)
            // It would lead the interpreter to another library than its own.
            .env_remove("PYTHONHOME");
        Ok(command)
    }

    /// Becomes the command; comes back only where it cannot be started. Where the system has no such
    /// thing the command is waited for, and this program ends as it does.
    pub fn become_it(&self) -> Unstarted {
        let mut command = match self.command() {
            Ok(command) => command,
            Err(why) => return why,
        };
        #[cfg(unix)]
        {
            let error = std::os::unix::process::CommandExt::exec(&mut command);
            unstarted(&error)
        }
        #[cfg(not(unix))]
        match command.status() {
            Ok(status) => std::process::exit(status.code().unwrap_or(1)),
            Err(error) => unstarted(&error),
        }
    }

    /// Runs the command with its error output shown and the end of it kept.
    ///
    /// # Errors
    /// When it cannot be started.
    pub fn watched(&self) -> Result<Ended, Unstarted> {
        let mut command = self.command()?;
        let signals = Signals::caught();
        let mut child = command
            .stderr(Stdio::piped())
            .spawn()
            .map_err(|e| unstarted(&e))?;
        let errors = child.stderr.take();
        let reader = std::thread::spawn(move || errors.map(shown).unwrap_or_default());
        let status = loop {
            match child.try_wait() {
                Ok(Some(status)) => break Some(status),
                Ok(None) => signals.pass_on(&child),
                Err(_) => break None,
            }
            std::thread::sleep(PAUSE);
        };
        let errors = reader.join().unwrap_or_default();
        Ok(Ended {
            code: status.map_or(1, code_of),
            errors,
        })
    }
}

fn absent() -> Unstarted {
    Unstarted {
        code: NOT_FOUND,
        why: "there is no such command in the environment or on PATH".to_owned(),
    }
}

fn unstarted(error: &std::io::Error) -> Unstarted {
    let is_absent = error.kind() == std::io::ErrorKind::NotFound;
    Unstarted {
        code: if is_absent { NOT_FOUND } else { NOT_EXECUTABLE },
        why: match is_absent {
            true => "what its first line names to run it is not there".to_owned(),
            false => error.to_string(),
        },
    }
}

#[cfg(unix)]
use crate::files::is_program as is_executable;

#[cfg(not(unix))]
fn is_executable(path: &Path) -> bool {
    path.is_file() || path.with_extension("exe").is_file()
}

#[cfg(unix)]
fn code_of(status: ExitStatus) -> u8 {
    use std::os::unix::process::ExitStatusExt;
    let code = status
        .code()
        .or_else(|| status.signal().map(|signal| 128 + signal));
    code.and_then(|c| u8::try_from(c).ok()).unwrap_or(1)
}

#[cfg(not(unix))]
fn code_of(status: ExitStatus) -> u8 {
    status
        .code()
        .and_then(|c| u8::try_from(c).ok())
        .unwrap_or(1)
}

/// Shows what comes, and keeps the end of it.
fn shown(mut from: impl Read) -> Vec<u8> {
    let mut kept: VecDeque<u8> = VecDeque::new();
    let mut piece = [0; 8192];
    loop {
        let read = match from.read(&mut piece) {
            Ok(0) => break,
            Ok(read) => read,
            Err(e) if e.kind() == std::io::ErrorKind::Interrupted => continue,
            Err(_) => break,
        };
        let bytes = piece.get(..read).unwrap_or_default();
        let mut out = std::io::stderr().lock();
        let _ = out.write_all(bytes).and_then(|()| out.flush());
        kept.extend(bytes);
        let over = kept.len().saturating_sub(KEPT);
        kept.drain(..over);
    }
    kept.into()
}

/// The signals that are passed on to the command.
struct Signals {
    #[cfg(unix)]
    flags: Vec<(i32, Arc<AtomicBool>)>,
}

impl Signals {
    /// From now on they end this program no more.
    fn caught() -> Self {
        #[cfg(unix)]
        {
            use signal_hook::consts::{SIGHUP, SIGINT, SIGQUIT, SIGTERM, SIGUSR1, SIGUSR2};
            let all = [SIGTERM, SIGHUP, SIGINT, SIGQUIT, SIGUSR1, SIGUSR2];
            let flags = all.into_iter().filter_map(|signal| {
                let flag = Arc::new(AtomicBool::new(false));
                signal_hook::flag::register(signal, Arc::clone(&flag)).ok()?;
                Some((signal, flag))
            });
            Signals {
                flags: flags.collect(),
            }
        }
        #[cfg(not(unix))]
        Signals {}
    }

    /// Sends on what came. A terminal sends its own to the command as well.
    #[cfg(unix)]
    fn pass_on(&self, child: &Child) {
        use signal_hook::consts::{SIGINT, SIGQUIT};
        let at_terminal = std::io::IsTerminal::is_terminal(&std::io::stdin());
        for (signal, flag) in &self.flags {
            let came = flag.swap(false, Ordering::Relaxed);
            if !came || (at_terminal && matches!(*signal, SIGINT | SIGQUIT)) {
                continue;
            }
            let pid = i32::try_from(child.id())
                .ok()
                .and_then(rustix::process::Pid::from_raw);
            let signal = rustix::process::Signal::from_named_raw(*signal);
            if let (Some(pid), Some(signal)) = (pid, signal) {
                let _ = rustix::process::kill_process(pid, signal);
            }
        }
    }

    #[cfg(not(unix))]
    fn pass_on(&self, _: &Child) {}
}

#[cfg(test)]
mod tests {
    use super::*;

    fn within<'a>(root: &'a Path, program: &'a str, arguments: &'a [OsString]) -> Within<'a> {
        Within {
            root,
            program: OsStr::new(program),
            arguments,
        }
    }

    #[cfg(unix)]
    #[test]
    fn what_the_environment_has_comes_first() {
        use std::os::unix::fs::PermissionsExt;
        let folder = tempfile::tempdir().unwrap();
        let bin = folder.path().join("bin");
        std::fs::create_dir(&bin).unwrap();
        let script = bin.join("ls");
        std::fs::write(&script, "#!/bin/sh\necho $VIRTUAL_ENV >&2\nexit 7\n").unwrap();
        let mode = |mode| std::fs::set_permissions(&script, PermissionsExt::from_mode(mode));
        mode(0o755).unwrap();
        let ended = within(folder.path(), "ls", &[]).watched().unwrap();
        assert_eq!(ended.code, 7);
        let told = String::from_utf8(ended.errors).unwrap();
        assert_eq!(told.trim(), folder.path().to_str().unwrap());
        mode(0o644).unwrap();
        // Of that name there is another one further down.
        assert_ne!(within(folder.path(), "ls", &[]).place().unwrap(), script);
        std::fs::rename(&script, bin.join("snow-ls")).unwrap();
        let refused = within(folder.path(), "snow-ls", &[]).watched().unwrap_err();
        assert_eq!(refused.code, NOT_EXECUTABLE);
    }

    #[test]
    fn what_is_nowhere_is_told() {
        let folder = tempfile::tempdir().unwrap();
        for program in ["no-such-command", "./no-such-command"] {
            let told = within(folder.path(), program, &[]).watched().unwrap_err();
            assert_eq!(told.code, NOT_FOUND);
        }
    }
}
