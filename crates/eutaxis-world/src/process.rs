//! Other programs as children: each leads a group of its own, so that what it leaves behind ends
//! with it.

use std::io::Read;
use std::process::{Child, Command, ExitStatus};
use std::sync::mpsc::{RecvTimeoutError, sync_channel};
use std::time::{Duration, Instant};

/// How often it is looked whether a process has ended.
const PAUSE: Duration = Duration::from_millis(2);
/// What was written before the end of a process is waited for so long.
const GRACE: Duration = Duration::from_millis(500);

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

/// Whether a variable says where a process runs.
pub(crate) fn is_of_the_place(name: &str) -> bool {
    OF_THE_PLACE.contains(&name) || name.starts_with("LC_") || name.ends_with("VISIBLE_DEVICES")
}

/// Makes a command lead a process group of its own.
pub(crate) fn lead_group(command: &mut Command) {
    #[cfg(unix)]
    {
        use std::os::unix::process::CommandExt;
        command.process_group(0);
    }
    #[cfg(not(unix))]
    let _ = command;
}

/// Ends all processes of the group that a child leads.
pub(crate) fn end_group(child: &Child) {
    #[cfg(unix)]
    if let Some(group) = i32::try_from(child.id())
        .ok()
        .and_then(rustix::process::Pid::from_raw)
    {
        // A group that has ended is no error.
        let _ = rustix::process::kill_process_group(group, rustix::process::Signal::KILL);
    }
    #[cfg(not(unix))]
    let _ = child;
}

/// Why there is no answer of a child.
#[derive(Debug)]
pub(crate) enum Silence {
    /// It did not end, or its output did not, until the deadline.
    TooLate,
    /// It wrote more than it may.
    TooMuch,
    /// It cannot be waited for, or read from: why.
    Lost(String),
}

/// Waits for a child that leads a group, and for what it writes to its standard output: at most so
/// many bytes, until one deadline for all of it. Whatever happens, the group has ended afterwards.
pub(crate) fn answer(
    mut child: Child,
    most: usize,
    deadline: Instant,
) -> Result<(ExitStatus, Vec<u8>), Silence> {
    let answer = wait(&mut child, most, deadline);
    end_group(&child);
    let _ = child.kill();
    let _ = child.wait();
    answer
}

fn wait(
    child: &mut Child,
    most: usize,
    deadline: Instant,
) -> Result<(ExitStatus, Vec<u8>), Silence> {
    let (send, receive) = sync_channel(4);
    if let Some(mut out) = child.stdout.take() {
        // It ends with the pipe, or when nobody wants more of it.
        let reader = move || {
            let mut piece = vec![0; 1 << 14];
            while let Ok(n) = out.read(&mut piece) {
                let part = piece.get(..n).unwrap_or_default().to_vec();
                if part.is_empty() || send.send(part).is_err() {
                    return;
                }
            }
        };
        let begun = std::thread::Builder::new()
            .name("answer".to_owned())
            .spawn(reader);
        begun.map_err(|_| Silence::Lost("the system gives no more threads".to_owned()))?;
    } else {
        drop(send);
    }
    let mut taken = Vec::new();
    let mut ended: Option<(ExitStatus, Instant)> = None;
    loop {
        let now = Instant::now();
        if ended.is_none() {
            match child.try_wait() {
                Ok(Some(status)) => {
                    // What it leaves behind must not hold the pipe open.
                    end_group(child);
                    ended = Some((status, (now + GRACE).min(deadline)));
                }
                Ok(None) if now >= deadline => return Err(Silence::TooLate),
                Ok(None) => {}
                Err(e) => return Err(Silence::Lost(format!("cannot be waited for: {e}"))),
            }
        }
        match receive.recv_timeout(PAUSE) {
            Ok(part) => taken.extend_from_slice(&part),
            Err(RecvTimeoutError::Disconnected) => match ended {
                Some((status, _)) => return Ok((status, taken)),
                None => std::thread::sleep(PAUSE),
            },
            Err(RecvTimeoutError::Timeout) => {}
        }
        if taken.len() > most {
            return Err(Silence::TooMuch);
        }
        // Somebody outside the group has the pipe: what came is all that the child itself had to
        // say.
        if let Some((status, until)) = ended.filter(|(_, until)| Instant::now() >= *until) {
            let _ = until;
            return Ok((status, taken));
        }
    }
}

#[cfg(test)]
#[cfg(unix)]
mod tests {
    use super::*;
    use rstest::rstest;
    use std::process::Stdio;

    fn run(script: &str, most: usize, patience: u64) -> Result<String, Silence> {
        let mut command = Command::new("sh");
        command
            .args(["-c", script])
            .stdin(Stdio::null())
            .stdout(Stdio::piped())
            .stderr(Stdio::null());
        lead_group(&mut command);
        let child = command.spawn().unwrap();
        let (_, bytes) = answer(
            child,
            most,
            Instant::now() + Duration::from_millis(patience),
        )?;
        Ok(String::from_utf8(bytes).unwrap())
    }

    #[rstest]
    #[case::plain("echo told")]
    #[case::a_child_that_stays("echo told; sleep 600 &")]
    #[case::a_child_of_another_group("echo told; setsid sleep 2 &")]
    fn an_answer_is_that_of_the_child_itself(#[case] script: &str) {
        assert_eq!(run(script, 1000, 20_000).unwrap(), "told\n");
    }

    #[rstest]
    #[case("yes", Some(true))]
    #[case("yes & echo told", None)]
    #[case("sleep 600", Some(false))]
    #[case("sleep 600 & sleep 600", Some(false))]
    fn what_does_not_end_is_ended(#[case] script: &str, #[case] much: Option<bool>) {
        let found = run(script, 100_000, 1_000);
        match (much, found) {
            (Some(true), Err(Silence::TooMuch)) | (Some(false), Err(Silence::TooLate)) => {}
            // How much the child that stays had written by then is a matter of chance.
            (None, Ok(_) | Err(Silence::TooMuch)) => {}
            (_, other) => panic!("{other:?}"),
        }
    }
}
