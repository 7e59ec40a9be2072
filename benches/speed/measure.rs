//! Whole processes, measured from outside: how long, and how much memory at the most.

use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// What a process cost.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Cost {
    /// From its start to its end.
    pub(crate) wall: Duration,
    /// Memory at the most, in kB; none where the system does not tell it.
    pub(crate) peak: Option<u64>,
    pub(crate) code: i32,
}

/// How often it is asked for the memory.
const LOOK: Duration = Duration::from_micros(300);

fn started(command: &mut Command) -> std::io::Result<Child> {
    let quiet = command.stdin(Stdio::null()).stdout(Stdio::null());
    quiet.stderr(Stdio::null()).spawn()
}

/// The memory of a running process at its height so far.
fn height(process: &Child) -> Option<u64> {
    let status = std::fs::read_to_string(format!("/proc/{}/status", process.id())).ok()?;
    let line = status.lines().find_map(|l| l.strip_prefix("VmHWM:"))?;
    line.split_whitespace().next()?.parse().ok()
}

/// The best of so many runs of a command; `before` makes anew what each of them needs. Memory is
/// looked at in a further run, which looking slows down.
pub(crate) fn best(runs: usize, command: &mut Command, before: &dyn Fn()) -> std::io::Result<Cost> {
    let mut found: Option<Cost> = None;
    for _ in 0..runs {
        before();
        let began = Instant::now();
        let status = started(command)?.wait()?;
        let wall = began.elapsed();
        let code = status.code().unwrap_or(-1);
        if found.is_none_or(|known| wall < known.wall) {
            found = Some(Cost {
                wall,
                peak: None,
                code,
            });
        }
    }
    before();
    let mut process = started(command)?;
    let mut peak = None;
    while process.try_wait()?.is_none() {
        peak = height(&process).max(peak);
        std::thread::sleep(LOOK);
    }
    let found = found.ok_or_else(|| std::io::Error::other("it was not run"))?;
    Ok(Cost { peak, ..found })
}
