//! What may be fetched to learn something, as against what the answer itself is made of.
//!
//! A file above the limit of a file is never fetched whole to learn something; what that forbids is
//! told of the release. The limit of a run ends it. Whoever fetches reserves first what it expects
//! to need, so that many at once stay below.

use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};

use crate::files::size;
use crate::{Error, ErrorKind, Result};

/// The most of one file, when nothing else is said.
const FILE: u64 = 32_000_000;
/// The most of a run.
const RUN: u64 = 256_000_000;
/// From so many bytes on it is told what for.
const TELL_FROM: u64 = 20_000_000;
/// So much is asked for in a run.
const MOST_REQUESTS: u64 = 10_000;
/// Sizes that are advised are multiples of this.
const ROUND: u64 = 10_000_000;

/// The limits.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FetchLimits {
    /// Bytes of one file.
    pub file: u64,
    /// Bytes of a run.
    pub run: u64,
}

impl Default for FetchLimits {
    fn default() -> Self {
        FetchLimits {
            file: FILE,
            run: RUN,
        }
    }
}

impl FetchLimits {
    /// The limits with `--fetch-limit SIZE`: as much for one file, and for the run what that comes
    /// to in the usual proportion, but no more than usual unless the file alone is more.
    pub fn of(size: u64) -> Self {
        FetchLimits {
            file: size,
            run: size.saturating_mul(RUN / FILE).min(RUN).max(size),
        }
    }
}

#[derive(Debug, Default)]
struct State {
    spent: u64,
    reserved: u64,
    /// Requests so far: many small ones without end are too much as well.
    requests: u64,
    /// It was told that much is fetched.
    told: bool,
}

/// Whoever is told that much is fetched, and what for.
type Voice = Box<dyn Fn(&str) + Send + Sync>;

/// What was fetched to learn something, and what may be.
#[derive(Default)]
pub(crate) struct Allowance {
    limits: FetchLimits,
    state: Mutex<State>,
    freed: Condvar,
    voice: Mutex<Option<Voice>>,
}

impl std::fmt::Debug for Allowance {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Allowance")
            .field("limits", &self.limits)
            .finish_non_exhaustive()
    }
}

impl Allowance {
    pub(crate) fn new(limits: FetchLimits) -> Self {
        Allowance {
            limits,
            ..Allowance::default()
        }
    }

    pub(crate) fn limits(&self) -> FetchLimits {
        self.limits
    }

    /// Who is told once much was fetched.
    pub(crate) fn set_voice(&self, voice: Voice) {
        *self.voice.lock().unwrap_or_else(PoisonError::into_inner) = Some(voice);
    }

    pub(crate) fn spent(&self) -> u64 {
        self.lock().spent
    }

    fn lock(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Reserves what is expected to be needed. What others have reserved and may not need is waited
    /// for.
    ///
    /// # Errors
    /// When the run may not fetch so much.
    pub(crate) fn reserve(&self, expected: u64, what: &str) -> Result<Share<'_>> {
        let mut state = self.lock();
        state.requests += 1;
        if state.requests > MOST_REQUESTS {
            let message = format!(
                "to answer this, too much would have to be asked only to learn something: {what} \
                    would be the request after {MOST_REQUESTS} others"
            );
            return Err(Error::new(ErrorKind::Budget, message).help(
                "nothing was written: ask for fewer releases (bounds, --interpreter, --wheels \
                    only), or look at the depot, which may have no end of releases",
            ));
        }
        loop {
            if state
                .spent
                .saturating_add(state.reserved)
                .saturating_add(expected)
                <= self.limits.run
            {
                state.reserved += expected;
                return Ok(Share {
                    allowance: self,
                    left: expected,
                    what: what.to_owned(),
                });
            }
            if state.reserved == 0 || state.spent.saturating_add(expected) > self.limits.run {
                return Err(self.refusal(state.spent, expected, what));
            }
            state = self
                .freed
                .wait(state)
                .unwrap_or_else(PoisonError::into_inner);
        }
    }

    fn refusal(&self, spent: u64, expected: u64, what: &str) -> Error {
        let needed = spent
            .saturating_add(expected)
            .max(self.limits.run)
            .saturating_add(ROUND);
        let advised = size(needed.div_ceil(ROUND).saturating_mul(ROUND)).replace(' ', "");
        let more = if expected > 0 {
            format!("{} more", size(expected))
        } else {
            "more".to_owned()
        };
        let message = format!(
            "to answer this, too much would have to be fetched only to learn something: {what} \
                would take {more}, after {} of the {} that a run may",
            size(spent),
            size(self.limits.run)
        );
        Error::new(ErrorKind::Budget, message).help(format!(
            "nothing was written, and what was learnt is kept: ask for fewer releases (bounds, \
                --interpreter, --wheels only), or permit more: --fetch-limit {advised}"
        ))
    }

    fn tell(&self, what: &str, spent: u64) {
        if let Some(voice) = &*self.voice.lock().unwrap_or_else(PoisonError::into_inner) {
            voice(&format!(
                "{} fetched to learn what releases need, at the moment {what} (a run may fetch {})",
                size(spent),
                size(self.limits.run)
            ));
        }
    }
}

/// What one fetch may take.
pub(crate) struct Share<'a> {
    allowance: &'a Allowance,
    left: u64,
    what: String,
}

impl Share<'_> {
    /// So many bytes came.
    ///
    /// # Errors
    /// When they are more than the run may fetch.
    pub(crate) fn took(&mut self, bytes: u64) -> Result<()> {
        let mut state = self.allowance.lock();
        let reserved = self.left.min(bytes);
        self.left -= reserved;
        state.reserved = state.reserved.saturating_sub(reserved);
        state.spent = state.spent.saturating_add(bytes);
        let (spent, run) = (state.spent, self.allowance.limits.run);
        let tell = !state.told && spent >= TELL_FROM;
        state.told |= tell;
        drop(state);
        if tell {
            self.allowance.tell(&self.what, spent);
        }
        // What was not foreseen (a page, a directory) may go a little over; what was is kept
        // within.
        if spent > run.saturating_add(TELL_FROM) {
            Err(self.allowance.refusal(spent, 0, &self.what))
        } else {
            Ok(())
        }
    }
}

impl Drop for Share<'_> {
    fn drop(&mut self) {
        let mut state = self.allowance.lock();
        state.reserved = state.reserved.saturating_sub(self.left);
        drop(state);
        self.allowance.freed.notify_all();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(run: u64) -> Allowance {
        Allowance::new(FetchLimits { file: 10, run })
    }

    #[test]
    fn what_was_reserved_and_not_taken_is_free_again() {
        let allowance = of(100);
        for _ in 0..5 {
            allowance.reserve(60, "x").unwrap().took(10).unwrap();
        }
        assert_eq!(allowance.spent(), 50);
        let refused = allowance.reserve(60, "what x 2 needs").err().unwrap();
        assert_eq!(refused.kind, ErrorKind::Budget);
        assert!(
            refused.message.contains("what x 2 needs")
                && refused.help.unwrap().contains("--fetch-limit 20MB")
        );
    }

    #[test]
    fn whoever_comes_later_waits_for_what_may_be_free() {
        let allowance = of(100);
        let first = allowance.reserve(80, "x").unwrap();
        std::thread::scope(|scope| {
            let second = scope.spawn(|| allowance.reserve(50, "y").map(|_| ()));
            std::thread::sleep(std::time::Duration::from_millis(20));
            drop(first);
            assert!(second.join().unwrap().is_ok());
        });
    }

    #[test]
    fn small_requests_without_end_are_too_much_too() {
        let allowance = of(1 << 30);
        assert!((0..MOST_REQUESTS).all(|_| allowance.reserve(0, "x").is_ok()));
        assert_eq!(
            allowance.reserve(0, "x").err().unwrap().kind,
            ErrorKind::Budget
        );
    }

    #[test]
    fn much_is_told_once() {
        let allowance = of(1 << 30);
        let told = std::sync::Arc::new(Mutex::new(Vec::new()));
        let heard = std::sync::Arc::clone(&told);
        allowance.set_voice(Box::new(move |line| {
            heard.lock().unwrap().push(line.to_owned())
        }));
        let mut share = allowance.reserve(0, "what firnio 1 needs").unwrap();
        (0..4).for_each(|_| share.took(9_000_000).unwrap());
        let told = told.lock().unwrap();
        assert!(
            told.len() == 1 && told[0].contains("27 MB") && told[0].contains("what firnio 1 needs"),
            "{told:?}"
        );
    }
}
