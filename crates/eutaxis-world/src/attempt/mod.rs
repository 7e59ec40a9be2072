//! Running code by an environment's interpreter: each module and each trial in a process group of
//! its own, with empty input, captured output, limits of time and memory, and ended whole. No
//! bytecode is written, and what the code takes for home and temporary folders is thrown away.

mod sift;

use std::fs;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus, Stdio};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use eutaxis_core::examine::{Attempt, Awaited, Ended, Trial};

use crate::config::{self, Tried, Until};

use crate::error::Doing;
use crate::process::{end_group, is_of_the_place, lead_group};
use crate::threads::each;
use crate::{Error, ErrorKind, Result};

pub use sift::{Fallen, Sifted};

const SCRIPT: &str = include_str!("import.py");
/// So much of what a process writes is kept, from its end.
const MOST_KEPT: usize = 64 * 1024;
/// How often it is looked whether a process has ended.
const PAUSE: Duration = Duration::from_millis(5);

/// What a process may use.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// Seconds by the clock.
    pub seconds: u64,
    /// Bytes of memory for data.
    pub memory: u64,
}

/// The interpreter that runs the code.
#[derive(Debug, Clone)]
pub struct Runner {
    /// Its program.
    pub python: PathBuf,
    /// The base folder of the user's own packages, when it looks there.
    pub user_base: Option<PathBuf>,
    /// What each process may use.
    pub limits: Limits,
    /// Of the variables around it a process sees only those that say where it runs: no credentials.
    pub clean: bool,
}

/// A process that has ended.
struct Ran {
    ended: Ended,
    printed: String,
    complained: String,
    leaves: Vec<String>,
}

impl Runner {
    /// Imports each module, several at once; the answers in the same order.
    ///
    /// # Errors
    /// When the interpreter cannot be started, or no temporary folder can be made.
    pub fn import(
        &self,
        modules: &[(String, usize)],
        done: &(dyn Fn() + Sync),
    ) -> Result<Vec<Attempt>> {
        let threads = std::thread::available_parallelism().map_or(2, usize::from);
        let tried = each(modules, threads, |(module, owner)| {
            let ran = self.run(module, "");
            done();
            ran.map(|ran| Attempt {
                module: module.clone(),
                owner: Some(*owner),
                ended: ran.ended,
                output: format!("{}{}", ran.printed, ran.complained),
                complained: ran.complained,
                leaves: ran.leaves,
            })
        });
        tried.into_iter().flatten().collect()
    }

    /// Runs the user's own trials: name, code, and what is expected of it. One after the other:
    /// they may need all there is.
    ///
    /// # Errors
    /// As [`Runner::import`].
    pub fn trials(&self, trials: &[(String, config::Trial)]) -> Result<Vec<Trial>> {
        let run = |(name, trial): &(String, config::Trial)| {
            let (ran, awaited) = match &trial.what {
                Tried::Code(code) => (self.run("-", code)?, None),
                Tried::Command(words) => (self.started(words, None, &home()?)?.0, None),
                // A second start finds what the first one made.
                Tried::Service(words, until) => {
                    let home = home()?;
                    let (mut ran, first) = self.started(words, Some(until), &home)?;
                    let mut seconds: Vec<f64> = first.into_iter().collect();
                    if first.is_some() {
                        let (again, second) = self.started(words, Some(until), &home)?;
                        seconds.extend(second);
                        ran = if second.is_some() { ran } else { again };
                    }
                    let what = until.to_string();
                    (ran, Some(Awaited { what, seconds }))
                }
            };
            Ok(Trial {
                name: name.clone(),
                expect: trial.expect.clone(),
                ended: ran.ended,
                printed: ran.printed,
                complained: ran.complained,
                awaited,
            })
        };
        trials.iter().map(run).collect()
    }

    /// Runs a command of the environment to its end, or until something is seen: then after how many
    /// seconds, and it is ended with all that it started.
    fn started(
        &self,
        words: &[String],
        until: Option<&Until>,
        home: &tempfile::TempDir,
    ) -> Result<(Ran, Option<f64>)> {
        let (Some(program), Some(scripts)) = (words.first(), self.python.parent()) else {
            return Err(Error::request("a command has at least one word"));
        };
        let own = scripts.join(program);
        let program = if own.exists() {
            own.as_os_str()
        } else {
            std::ffi::OsStr::new(program)
        };
        let mut command = Command::new(program);
        command.args(words.get(1..).unwrap_or_default());
        let path = std::env::var_os("PATH").unwrap_or_default();
        let folders = std::iter::once(scripts.to_owned()).chain(std::env::split_paths(&path));
        if let Ok(joined) = std::env::join_paths(folders) {
            command.env("PATH", joined);
        }
        self.dress(&mut command, home.path());
        command.stdin(Stdio::null());
        let started = Instant::now();
        let mut child = command.spawn().map_err(|e| {
            let what = Path::new(program).display();
            Error::new(
                ErrorKind::Interpreter,
                format!("{what} cannot be started: {e}"),
            )
            .help("look at the `command` of the trial in the settings")
        })?;
        let said = Arc::new(Mutex::new(String::new()));
        let watched = [
            child.stdout.take().map(|s| watch(s, Arc::clone(&said))),
            child.stderr.take().map(|s| watch(s, Arc::clone(&said))),
        ];
        let is_seen = || match until {
            None => false,
            Some(Until::Text(text)) => held(&said).contains(text.as_str()),
            Some(Until::Port(port)) => is_listening(*port),
        };
        let mut seen = None;
        let mut ended = Ended::Hung(self.limits.seconds);
        while started.elapsed() < Duration::from_secs(self.limits.seconds) {
            if is_seen() {
                seen = Some(started.elapsed().as_secs_f64());
                ended = Ended::Well;
                break;
            }
            if let Ok(Some(status)) = child.try_wait() {
                // What it wrote last is read to its end.
                ended = how(status, None);
                break;
            }
            std::thread::sleep(PAUSE);
        }
        end_group(&child);
        let _ = child.kill();
        let _ = child.wait();
        let [printed, complained] =
            watched.map(|t| t.and_then(|t| t.join().ok()).unwrap_or_default());
        if let Some(Until::Text(text)) = until
            && seen.is_none()
            && (printed.contains(text.as_str()) || complained.contains(text.as_str()))
        {
            seen = Some(started.elapsed().as_secs_f64());
            ended = Ended::Well;
        }
        if let (Ended::Exited(0), None) = (ended, until) {
            ended = Ended::Well;
        }
        let ran = Ran {
            ended,
            printed,
            complained,
            leaves: Vec::new(),
        };
        Ok((ran, seen))
    }

    fn run(&self, module: &str, input: &str) -> Result<Ran> {
        Ok(self.run_telling(module, input)?.0)
    }

    /// With what the script told by its file.
    fn run_telling(&self, module: &str, input: &str) -> Result<(Ran, Option<String>)> {
        let temporary = tempfile::Builder::new().prefix("eutaxis-").tempdir();
        let temporary = temporary.map_err(|e| {
            Error::new(
                ErrorKind::Disk,
                format!("cannot make a temporary folder: {e}"),
            )
        })?;
        let told = temporary.path().join("told");
        let work = temporary.path().join("work");
        fs::create_dir(&work).doing("cannot make the folder", &work)?;
        let mut child = self.command(module, &told, &work).spawn().map_err(|e| {
            Error::new(
                ErrorKind::Interpreter,
                format!("{} cannot be started: {e}", self.python.display()),
            )
        })?;
        if let Some(mut standard) = child.stdin.take() {
            // A process that does not read is no error.
            let _ = standard.write_all(input.as_bytes());
        }
        let printed = child.stdout.take().map(kept);
        let complained = child.stderr.take().map(kept);
        let status = self.wait(&mut child);
        end_group(&child);
        let texts =
            [printed, complained].map(|t| t.and_then(|t| t.join().ok()).unwrap_or_default());
        let told = fs::read_to_string(&told).ok();
        let ended = match status {
            None => Ended::Hung(self.limits.seconds),
            Some(status) => how(status, told.as_deref()),
        };
        // What stands for the real folders is of no use to readers.
        let name = work.display().to_string();
        let [printed, complained] = texts.map(|t| t.replace(&name, "."));
        let ran = Ran {
            ended,
            printed,
            complained,
            leaves: left_in(&work),
        };
        Ok((ran, told))
    }

    fn command(&self, module: &str, told: &Path, work: &Path) -> Command {
        let mut command = Command::new(&self.python);
        if self.clean {
            let held = std::env::vars_os();
            let place = held.filter(|(name, _)| name.to_str().is_some_and(is_of_the_place));
            let place: Vec<_> = place.collect();
            command.env_clear().envs(place);
        }
        command
            .args(["-B", "-c", SCRIPT, module])
            .arg(told)
            .arg(self.limits.memory.to_string());
        self.dress(&mut command, work);
        command
    }

    /// What every process gets: a folder of its own for its home, no input of ours, and a group that
    /// it leads.
    fn dress(&self, command: &mut Command, work: &Path) {
        command
            .current_dir(work)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped());
        command
            .env("PYTHONDONTWRITEBYTECODE", "1")
            .env("PYTHONFAULTHANDLER", "1");
        for name in [
            "PYTHONSTARTUP",
            "PYTHONINSPECT",
            "PYTHONHOME",
            "__PYVENV_LAUNCHER__",
            "PYTHONPYCACHEPREFIX",
        ] {
            command.env_remove(name);
        }
        for name in [
            "HOME",
            "TMPDIR",
            "XDG_CACHE_HOME",
            "XDG_CONFIG_HOME",
            "XDG_DATA_HOME",
            "XDG_STATE_HOME",
        ] {
            command.env(name, work);
        }
        if let Some(base) = &self.user_base {
            command.env("PYTHONUSERBASE", base);
        }
        lead_group(command);
    }

    fn wait(&self, child: &mut Child) -> Option<ExitStatus> {
        let started = Instant::now();
        while started.elapsed() < Duration::from_secs(self.limits.seconds) {
            match child.try_wait() {
                Ok(Some(status)) => return Some(status),
                Ok(None) => std::thread::sleep(PAUSE),
                Err(_) => return None,
            }
        }
        end_group(child);
        let _ = child.kill();
        let _ = child.wait();
        None
    }
}

/// What lies in a home that was empty before, in words: `.moulin: a database, logs`.
fn left_in(home: &Path) -> Vec<String> {
    let entries = fs::read_dir(home).into_iter().flatten().flatten();
    let mut told: Vec<String> = entries
        .map(|entry| {
            let name = entry.file_name().to_string_lossy().into_owned();
            let mut kinds: Vec<&str> = kinds_below(&entry.path(), 0);
            kinds.sort_unstable();
            kinds.dedup();
            if kinds.is_empty() {
                format!("~/{name}")
            } else {
                format!("~/{name}: {}", kinds.join(", "))
            }
        })
        .collect();
    told.sort();
    told
}

/// What kinds of files lie in a place that a process made.
fn kinds_below(path: &Path, depth: usize) -> Vec<&'static str> {
    const DEEPEST: usize = 6;
    if path.is_symlink() || depth > DEEPEST {
        return Vec::new();
    }
    if path.is_dir() {
        let inside = fs::read_dir(path).into_iter().flatten().flatten();
        return inside
            .flat_map(|e| kinds_below(&e.path(), depth + 1))
            .collect();
    }
    let ending = path.extension().map(|e| e.to_string_lossy().into_owned());
    vec![match ending.as_deref() {
        Some("db" | "sqlite" | "sqlite3") => "a database",
        Some("log") => "logs",
        Some("json" | "toml" | "ini" | "cfg" | "conf" | "yaml" | "yml") => "settings",
        _ => "files",
    }]
}

/// An empty home that is thrown away.
fn home() -> Result<tempfile::TempDir> {
    let made = tempfile::Builder::new().prefix("eutaxis-").tempdir();
    made.doing("cannot make a folder in", &std::env::temp_dir())
}

/// What was written so far, by any of the streams.
fn held(said: &Mutex<String>) -> std::sync::MutexGuard<'_, String> {
    said.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Reads a stream to its end and adds it to what all streams said; gives it alone.
fn watch(mut stream: impl Read + Send + 'static, said: Arc<Mutex<String>>) -> JoinHandle<String> {
    std::thread::spawn(move || {
        let mut all = String::new();
        let mut buffer = vec![0u8; 1 << 12];
        while let Ok(n) = stream.read(&mut buffer) {
            let Some(part) = buffer.get(..n).filter(|p| !p.is_empty()) else {
                break;
            };
            let text = String::from_utf8_lossy(part);
            // What says too much is kept from its beginning: what is waited for comes early.
            if all.len() < MOST_KEPT {
                all.push_str(&text);
                held(&said).push_str(&text);
            }
        }
        all
    })
}

/// Whether somebody listens at a port of this machine.
fn is_listening(port: u16) -> bool {
    let at = std::net::SocketAddr::from(([127, 0, 0, 1], port));
    std::net::TcpStream::connect_timeout(&at, Duration::from_millis(200)).is_ok()
}

/// Reads a stream to its end, and keeps the last of it.
fn kept(mut stream: impl Read + Send + 'static) -> JoinHandle<String> {
    std::thread::spawn(move || {
        let mut held: Vec<u8> = Vec::new();
        let mut buffer = vec![0u8; 1 << 14];
        while let Ok(n) = stream.read(&mut buffer) {
            let Some(part) = buffer.get(..n).filter(|p| !p.is_empty()) else {
                break;
            };
            held.extend_from_slice(part);
            if held.len() > 2 * MOST_KEPT {
                held.drain(..held.len() - MOST_KEPT);
            }
        }
        held.drain(..held.len().saturating_sub(MOST_KEPT));
        String::from_utf8_lossy(&held).into_owned()
    })
}

/// How a process ended, by its status and by what the script told.
fn how(status: ExitStatus, told: Option<&str>) -> Ended {
    #[cfg(unix)]
    {
        use std::os::unix::process::ExitStatusExt;
        if let Some(signal) = status.signal() {
            return Ended::Signal(signal);
        }
    }
    match told {
        Some("well") => Ended::Well,
        Some("raised") => Ended::Raised,
        Some(other) => Ended::Exited(
            other
                .strip_prefix("exited ")
                .and_then(|c| c.parse().ok())
                .unwrap_or(1),
        ),
        None => Ended::Exited(status.code().unwrap_or(1)),
    }
}

#[cfg(test)]
#[cfg(unix)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn runner(seconds: u64) -> Runner {
        let finder = crate::interpreter::Finder::new(Vec::new());
        let cache = tempfile::tempdir().unwrap();
        let found = finder
            .default(&crate::interpreter::ProbeCache::open(cache.path()))
            .unwrap();
        Runner {
            python: found.path,
            user_base: None,
            limits: Limits {
                seconds,
                memory: 1 << 30,
            },
            clean: false,
        }
    }

    fn of(code: &str) -> (String, config::Trial) {
        let trial = config::Trial {
            what: Tried::Code(code.to_owned()),
            expect: None,
        };
        ("x".to_owned(), trial)
    }

    #[rstest]
    #[case::well("print('b3')", Ended::Well, "b3\n")]
    #[case::ends_itself_well("import sys; sys.exit(0)", Ended::Well, "")]
    #[case::cannot_be_read("print(", Ended::Raised, "")]
    #[case::raises("import glaciers_that_are_not_there", Ended::Raised, "")]
    #[case::exits("import sys; sys.exit(3)", Ended::Exited(3), "")]
    #[case::exits_hard("import os; os._exit(4)", Ended::Exited(4), "")]
    #[case::aborts("import os; os.abort()", Ended::Signal(6), "")]
    #[case::crashes(
        "import os, signal; os.kill(os.getpid(), signal.SIGSEGV)",
        Ended::Signal(11),
        ""
    )]
    #[case::asks("import sys; print(repr(sys.stdin.read()))", Ended::Well, "''\n")]
    #[case::takes_too_much("x = bytearray(3 << 30)", Ended::Raised, "")]
    #[case::thread_that_stays(
        "import threading, time; threading.Thread(target=time.sleep, args=(60,)).start()",
        Ended::Well,
        ""
    )]
    fn how_code_ends_is_told(#[case] code: &str, #[case] ended: Ended, #[case] printed: &str) {
        let tried = runner(30).trials(&[of(code)]).unwrap();
        assert_eq!(
            (tried[0].ended, tried[0].printed.as_str()),
            (ended, printed),
            "{tried:?}"
        );
    }

    #[test]
    fn what_hangs_is_ended_with_all_that_it_started() {
        let folder = tempfile::tempdir().unwrap();
        let mark = folder.path().join("mark");
        let code = format!(
            "import subprocess, sys, time\nother = 'import sys, time; time.sleep(4); \
                open(sys.argv[1], chr(119))'\n\
             subprocess.Popen([sys.executable, '-c', other, {:?}])\ntime.sleep(60)",
            mark.display().to_string()
        );
        let tried = runner(2).trials(&[of(&code)]).unwrap();
        assert_eq!(tried[0].ended, Ended::Hung(2));
        std::thread::sleep(Duration::from_secs(4));
        assert!(!mark.exists(), "what it started was ended with it");
    }

    #[test]
    fn a_clean_process_sees_no_credentials_and_what_it_leaves_is_told() {
        let code = "import os; print('CARGO_MANIFEST_DIR' in os.environ, 'PATH' in os.environ)\n\
                    os.mkdir(os.path.expanduser('~/.moulin'))\n\
                    open(os.path.expanduser('~/.moulin/a.log'), 'w')";
        let runner = Runner {
            clean: true,
            ..runner(30)
        };
        let ran = runner.run("-", code).unwrap();
        assert_eq!(ran.printed, "False True\n", "{}", ran.complained);
        assert_eq!(ran.leaves, ["~/.moulin: logs"]);
    }

    #[test]
    fn many_are_imported_in_few_processes_and_those_that_fail_are_named() {
        let folder = tempfile::tempdir().unwrap();
        let files = [
            ("firn", ""),
            ("neve", "import glaciers_that_are_not_there"),
            ("serac", "import os; os._exit(3)"),
            ("rime", "import sys; sys.exit(4)"),
            ("scree", "import firn"),
            ("esker", "import os; os.fork()"),
            ("drumlin", "import os; os.closerange(3, 100)"),
            ("tarn", "import os; os.kill(os.getpid(), 11)"),
            ("cirque", "print('x' * 300000)"),
        ];
        for (name, text) in files {
            std::fs::write(folder.path().join(format!("{name}.py")), text).unwrap();
        }
        let base = runner(60);
        // A program that looks there before it starts the interpreter.
        let python = folder.path().join("python");
        let text = format!(
            "#!/bin/sh\nPYTHONPATH={} exec {} \"$@\"\n",
            folder.path().display(),
            base.python.display()
        );
        std::fs::write(&python, text).unwrap();
        use std::os::unix::fs::PermissionsExt;
        std::fs::set_permissions(&python, std::fs::Permissions::from_mode(0o755)).unwrap();
        let runner = Runner { python, ..base };
        let names = files.map(|(name, _)| name.to_owned());
        let groups = [names.to_vec(), vec!["scree".to_owned()]];
        let sifted = runner.sift(&groups, &|| {}).unwrap();
        let failed = sifted[0].failed.iter();
        let raised = |f: &Fallen| f.raised.as_ref().map(|r| r.trim_end().to_owned());
        let failed: Vec<_> = failed.map(|f| (f.module.as_str(), raised(f))).collect();
        let names: Vec<&str> = failed.iter().map(|(name, _)| *name).collect();
        assert_eq!(names, ["neve", "serac", "rime", "drumlin", "tarn"]);
        let neve = failed[0].1.as_ref().unwrap();
        assert!(neve.starts_with("Traceback") && neve.ends_with("'glaciers_that_are_not_there'"));
        assert_eq!((&failed[1].1, &failed[4].1), (&None, &None));
        assert!(sifted[0].left.is_empty());
        assert_eq!(sifted[1], Sifted::default());
    }

    #[test]
    fn much_output_is_kept_from_its_end() {
        let code = "for i in range(200000): print('line', i)".to_owned();
        let tried = runner(60).trials(&[of(&code)]).unwrap();
        assert!(tried[0].printed.len() <= MOST_KEPT && tried[0].printed.ends_with("line 199999\n"));
    }
}
