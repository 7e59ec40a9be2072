//! Named points at which a run ends at once, as if it were killed just there: so that tests can look
//! at what every half-done step leaves behind, and at the same step each time.
//!
//! `EUTAXIS_HALT=POINT` ends it there, `POINT:3` the third time that it comes there. Builds without
//! debug assertions, which are those that people use, have no such points.

/// A point of this name.
#[cfg(debug_assertions)]
pub(crate) fn at(point: &str) {
    use std::sync::OnceLock;
    use std::sync::atomic::{AtomicUsize, Ordering};

    static WANTED: OnceLock<Option<(String, AtomicUsize)>> = OnceLock::new();
    let wanted = WANTED.get_or_init(|| {
        let text = std::env::var("EUTAXIS_HALT").ok()?;
        let (name, times) = text.split_once(':').unwrap_or((&text, "1"));
        Some((name.to_owned(), AtomicUsize::new(times.parse().ok()?)))
    });
    if let Some((name, left)) = wanted
        && name == point
        && left.fetch_sub(1, Ordering::Relaxed) == 1
    {
        std::process::abort();
    }
}

/// A point of this name: nothing is there.
#[cfg(not(debug_assertions))]
pub(crate) fn at(_: &str) {}
