//! Running code by an environment's interpreter: each module and each trial in a process group of
//! its own, with empty input, captured output, limits of time and memory, and ended whole. No
//! bytecode is written, and what the code takes for home and temporary folders is thrown away.

use std::fs;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus, Stdio};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use eutaxis_core::examine::{Attempt, Ended, Trial};

use crate::error::Doing;
use crate::process::{end_group, lead_group};
use crate::threads::each;
use crate::{Error, ErrorKind, Result};

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

/// Variables that say where a process runs, and hold nothing that is anybody's.
const OF_THE_PLACE: [&str; 14] = [
    "PATH",
    "LANG",
    "LANGUAGE",
    "TZ",
    "TERM",
    "LD_LIBRARY_PATH",
    "DYLD_LIBRARY_PATH",
    "DYLD_FALLBACK_LIBRARY_PATH",
    "DISPLAY",
    "WAYLAND_DISPLAY",
    "SYSTEMROOT",
    "WINDIR",
    "COMSPEC",
    "PATHEXT",
];

fn is_of_the_place(name: &str) -> bool {
    OF_THE_PLACE.contains(&name) || name.starts_with("LC_") || name.ends_with("VISIBLE_DEVICES")
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
    pub fn trials(&self, trials: &[(String, String, Option<String>)]) -> Result<Vec<Trial>> {
        let run = |(name, code, expect): &(String, String, Option<String>)| {
            let ran = self.run("-", code)?;
            let Ran {
                ended,
                printed,
                complained,
                leaves: _,
            } = ran;
            Ok(Trial {
                name: name.clone(),
                expect: expect.clone(),
                ended,
                printed,
                complained,
            })
        };
        trials.iter().map(run).collect()
    }

    fn run(&self, module: &str, input: &str) -> Result<Ran> {
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
        let ended = match status {
            None => Ended::Hung(self.limits.seconds),
            Some(status) => how(status, fs::read_to_string(&told).ok().as_deref()),
        };
        // What stands for the real folders is of no use to readers.
        let name = work.display().to_string();
        let [printed, complained] = texts.map(|t| t.replace(&name, "."));
        Ok(Ran {
            ended,
            printed,
            complained,
            leaves: left_in(&work),
        })
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
        lead_group(&mut command);
        command
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
        let tried = runner(30)
            .trials(&[("x".to_owned(), code.to_owned(), None)])
            .unwrap();
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
        let tried = runner(2).trials(&[("x".to_owned(), code, None)]).unwrap();
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
    fn much_output_is_kept_from_its_end() {
        let code = "for i in range(200000): print('line', i)".to_owned();
        let tried = runner(60).trials(&[("x".to_owned(), code, None)]).unwrap();
        assert!(tried[0].printed.len() <= MOST_KEPT && tried[0].printed.ends_with("line 199999\n"));
    }
}
