//! How long is waited before something is asked for again.

use std::hash::{BuildHasher, RandomState};
use std::time::Duration;

/// The pause before the second attempt; it doubles with each.
const FIRST_PAUSE: Duration = Duration::from_millis(250);
/// No pause of ours is longer.
const LONGEST_PAUSE: Duration = Duration::from_secs(20);
/// A server that asks to wait longer than this is not waited for.
const LONGEST_WAIT: Duration = Duration::from_secs(60);

/// Where the part of a pause that is left to chance comes from.
pub(super) trait Chance {
    /// A number from 0 to `u32::MAX`, each as likely.
    fn next(&mut self) -> u32;
}

/// Chance as the standard library seeds its tables.
#[derive(Debug, Default)]
pub(super) struct Seeded;

impl Chance for Seeded {
    fn next(&mut self) -> u32 {
        // Each state is seeded anew; the upper half is as good as the lower.
        (RandomState::new().hash_one(()) >> 32) as u32
    }
}

/// The attempts at one request, and the pauses between them.
///
/// A pause is between half of its length and all of it: programs that failed at one moment, as all
/// do when a server falls over, do not come back at one moment.
#[derive(Debug)]
pub(super) struct BackOff<C = Seeded> {
    /// Attempts made so far, the first included.
    made: u32,
    most: u32,
    pause: Duration,
    chance: C,
}

impl<C: Chance> BackOff<C> {
    /// Before the first attempt of at most so many.
    pub(super) fn new(most: u32, chance: C) -> Self {
        BackOff {
            made: 1,
            most,
            pause: FIRST_PAUSE,
            chance,
        }
    }

    /// Which attempt is being made, from 1.
    pub(super) fn attempt(&self) -> u32 {
        self.made
    }

    /// The attempt failed, and another one could help: how long to wait for it. None when there is
    /// no other. `told` is what the server says (RFC 9110, 10.2.3), which is kept to the second.
    pub(super) fn after_failure(&mut self, told: Option<Duration>) -> Option<Duration> {
        if self.made >= self.most || told.is_some_and(|wait| wait > LONGEST_WAIT) {
            return None;
        }
        self.made += 1;
        let whole = self.pause;
        self.pause = (whole * 2).min(LONGEST_PAUSE);
        let half = whole / 2;
        let part = f64::from(self.chance.next()) / f64::from(u32::MAX);
        Some(told.unwrap_or_else(|| half + half.mul_f64(part)))
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    struct Always(u32);

    impl Chance for Always {
        fn next(&mut self) -> u32 {
            self.0
        }
    }

    fn pauses(most: u32, chance: u32) -> Vec<u128> {
        let mut back_off = BackOff::new(most, Always(chance));
        std::iter::from_fn(|| back_off.after_failure(None))
            .map(|pause| pause.as_millis())
            .collect()
    }

    #[rstest]
    #[case::the_longest(u32::MAX, &[250, 500, 1000])]
    #[case::the_shortest(0, &[125, 250, 500])]
    #[case::between(u32::MAX / 2, &[187, 375, 750])]
    fn pauses_double_and_lie_in_the_upper_half(#[case] chance: u32, #[case] expected: &[u128]) {
        assert_eq!(pauses(4, chance), expected);
    }

    #[test]
    fn pauses_stop_growing() {
        assert_eq!(pauses(12, u32::MAX).into_iter().max(), Some(20_000));
    }

    #[rstest]
    #[case::what_the_server_says(4, Some(7), Some(7_000))]
    #[case::as_long_as_is_waited_for(4, Some(60), Some(60_000))]
    #[case::longer_than_that(4, Some(61), None)]
    #[case::no_attempt_is_left(1, Some(1), None)]
    #[case::no_attempts_at_all(0, None, None)]
    fn the_server_has_its_say(
        #[case] most: u32,
        #[case] told: Option<u64>,
        #[case] expected: Option<u64>,
    ) {
        let mut back_off = BackOff::new(most, Always(0));
        let pause = back_off.after_failure(told.map(Duration::from_secs));
        assert_eq!(pause, expected.map(Duration::from_millis));
    }

    #[test]
    fn attempts_are_counted() {
        let mut back_off = BackOff::new(2, Always(0));
        assert_eq!(back_off.attempt(), 1);
        assert!(back_off.after_failure(None).is_some());
        assert_eq!(back_off.attempt(), 2);
        assert_eq!(back_off.after_failure(None), None);
        assert_eq!(back_off.attempt(), 2);
    }

    #[test]
    fn chance_is_not_always_the_same() {
        let numbers: std::collections::BTreeSet<u32> = (0..20).map(|_| Seeded.next()).collect();
        assert!(numbers.len() > 10);
    }
}
