//! Days, as they are told.

/// The day of a moment, in UTC: `2026-03-02`.
pub fn day(moment: jiff::Timestamp) -> String {
    moment.to_string().chars().take(10).collect()
}
