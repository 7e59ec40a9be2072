//! How patient the client is, and what it may fetch.

use super::allowance::FetchLimits;

/// `[network]`: how patient the client is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NetworkSettings {
    /// Seconds without any news after which an attempt is given up.
    pub timeout: u64,
    /// How often something is tried at most.
    pub attempts: u32,
    /// What may be fetched to learn something.
    pub limits: FetchLimits,
}

impl Default for NetworkSettings {
    fn default() -> Self {
        NetworkSettings {
            timeout: 30,
            attempts: 4,
            limits: FetchLimits::default(),
        }
    }
}
