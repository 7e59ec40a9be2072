//! A number of any size, as versions may hold: dates and serial numbers overflow machine words.

use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

/// A non-negative integer without limit.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Number(Repr);

#[derive(Debug, Clone, PartialEq, Eq, Hash)]
enum Repr {
    Small(u64),
    /// Decimal digits without leading zeros; always above `u64::MAX`.
    Large(Arc<str>),
}

impl Number {
    /// Zero.
    pub const ZERO: Number = Number(Repr::Small(0));

    /// Reads ASCII digits; the caller has checked that there are only digits. No digits are zero.
    pub(crate) fn from_digits(digits: &str) -> Self {
        let digits = digits.trim_start_matches('0');
        if digits.is_empty() {
            return Number::ZERO;
        }
        digits
            .parse::<u64>()
            .map_or_else(|_| Number(Repr::Large(digits.into())), Number::from)
    }

    /// The value if it fits 64 bits.
    pub fn small(&self) -> Option<u64> {
        match &self.0 {
            Repr::Small(n) => Some(*n),
            Repr::Large(_) => None,
        }
    }

    /// The value, or `u64::MAX` when it is larger.
    pub fn saturated(&self) -> u64 {
        self.small().unwrap_or(u64::MAX)
    }
}

impl Default for Number {
    fn default() -> Self {
        Number::ZERO
    }
}

impl From<u64> for Number {
    fn from(n: u64) -> Self {
        Number(Repr::Small(n))
    }
}

impl Ord for Number {
    fn cmp(&self, other: &Self) -> Ordering {
        match (&self.0, &other.0) {
            (Repr::Small(a), Repr::Small(b)) => a.cmp(b),
            (Repr::Small(_), Repr::Large(_)) => Ordering::Less,
            (Repr::Large(_), Repr::Small(_)) => Ordering::Greater,
            (Repr::Large(a), Repr::Large(b)) => a.len().cmp(&b.len()).then_with(|| a.cmp(b)),
        }
    }
}

impl PartialOrd for Number {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl fmt::Display for Number {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.0 {
            Repr::Small(n) => n.fmt(f),
            Repr::Large(digits) => f.write_str(digits),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_compare_by_value_beyond_64_bits() {
        let texts = [
            "0",
            "7",
            "18446744073709551615",
            "18446744073709551616",
            "99999999999999999999",
            "100000000000000000000",
        ];
        let numbers: Vec<Number> = texts.iter().map(|t| Number::from_digits(t)).collect();
        assert!(numbers.windows(2).all(|w| w[0] < w[1]));
        assert_eq!(
            Number::from_digits("0018446744073709551616").to_string(),
            "18446744073709551616"
        );
    }
}
