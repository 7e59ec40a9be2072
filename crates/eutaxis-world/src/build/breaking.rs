//! Breaking builds off: while hooks run, the signal for that ends them and cleans up; otherwise it
//! ends the program at once, as it does without any of this.

use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

use crate::Result;

struct Flags {
    /// The user breaks it off.
    stop: Arc<AtomicBool>,
    /// No hook runs.
    idle: Arc<AtomicBool>,
    /// So many run.
    busy: Mutex<usize>,
}

static FLAGS: OnceLock<Flags> = OnceLock::new();

fn flags() -> &'static Flags {
    FLAGS.get_or_init(|| Flags {
        stop: Arc::new(AtomicBool::new(false)),
        idle: Arc::new(AtomicBool::new(true)),
        busy: Mutex::new(0),
    })
}

/// A flag that is set when the user breaks it off while hooks run.
///
/// # Errors
/// When the system does not let the signals be caught.
pub fn broken_off() -> Result<Arc<AtomicBool>> {
    static CAUGHT: Mutex<bool> = Mutex::new(false);
    let mut caught = CAUGHT.lock().unwrap_or_else(PoisonError::into_inner);
    let flags = flags();
    if !*caught {
        catch(flags)?;
        *caught = true;
    }
    Ok(Arc::clone(&flags.stop))
}

#[cfg(unix)]
fn catch(flags: &Flags) -> Result<()> {
    use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
    use signal_hook::flag;
    for signal in [SIGINT, SIGTERM, SIGHUP] {
        let code = 128 + signal;
        // The first is looked at first: a second signal finds the flag set, and ends it at once.
        let caught = flag::register_conditional_shutdown(signal, code, Arc::clone(&flags.idle))
            .and_then(|_| {
                flag::register_conditional_shutdown(signal, code, Arc::clone(&flags.stop))
            })
            .and_then(|_| flag::register(signal, Arc::clone(&flags.stop)));
        caught.map_err(|e| {
            let message = format!("a signal cannot be caught: {e}");
            crate::Error::new(crate::ErrorKind::Internal, message)
        })?;
    }
    Ok(())
}

#[cfg(not(unix))]
fn catch(_: &Flags) -> Result<()> {
    Ok(())
}

/// Held while a hook runs.
pub(super) struct Busy;

impl Busy {
    pub(super) fn begin() -> Self {
        let flags = flags();
        let mut busy = flags.busy.lock().unwrap_or_else(PoisonError::into_inner);
        *busy += 1;
        flags.idle.store(false, Ordering::SeqCst);
        Busy
    }
}

impl Drop for Busy {
    fn drop(&mut self) {
        let flags = flags();
        let mut busy = flags.busy.lock().unwrap_or_else(PoisonError::into_inner);
        *busy = busy.saturating_sub(1);
        if *busy == 0 {
            flags.idle.store(true, Ordering::SeqCst);
        }
    }
}
