//! Sets of values of one node, as bits.

use smallvec::SmallVec;

use super::table::{Key, Value};

/// A set of values. All sets of one node have equal length.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) struct Bits(SmallVec<[u64; 2]>);

impl Bits {
    pub(super) fn none(size: usize) -> Self {
        Bits(SmallVec::from_elem(0, size.div_ceil(64)))
    }

    pub(super) fn all(size: usize) -> Self {
        let mut bits = Bits::none(size);
        Value::all(size).for_each(|v| bits.insert(v));
        bits
    }

    pub(super) fn only(size: usize, value: Value) -> Self {
        let mut bits = Bits::none(size);
        bits.insert(value);
        bits
    }

    pub(super) fn insert(&mut self, value: Value) {
        if let Some(word) = self.0.get_mut(value.place() / 64) {
            *word |= 1 << (value.place() % 64);
        }
    }

    pub(super) fn remove(&mut self, value: Value) {
        if let Some(word) = self.0.get_mut(value.place() / 64) {
            *word &= !(1 << (value.place() % 64));
        }
    }

    pub(super) fn contains(&self, value: Value) -> bool {
        self.0
            .get(value.place() / 64)
            .is_some_and(|word| word >> (value.place() % 64) & 1 == 1)
    }

    pub(super) fn is_empty(&self) -> bool {
        self.0.iter().all(|w| *w == 0)
    }

    pub(super) fn meets(&self, other: &Bits) -> bool {
        self.0.iter().zip(&other.0).any(|(a, b)| a & b != 0)
    }

    pub(super) fn is_within(&self, other: &Bits) -> bool {
        self.0.iter().zip(&other.0).all(|(a, b)| a & !b == 0)
    }

    pub(super) fn keep(&mut self, other: &Bits) {
        self.0.iter_mut().zip(&other.0).for_each(|(a, b)| *a &= b);
    }

    pub(super) fn add(&mut self, other: &Bits) {
        self.0.iter_mut().zip(&other.0).for_each(|(a, b)| *a |= b);
    }

    pub(super) fn drop_all(&mut self, other: &Bits) {
        self.0.iter_mut().zip(&other.0).for_each(|(a, b)| *a &= !b);
    }

    /// The smallest member: the best offer, when `absent` is not in the set.
    pub(super) fn first(&self) -> Option<Value> {
        self.0
            .iter()
            .enumerate()
            .find(|(_, w)| **w != 0)
            .map(|(i, w)| Value::at(i * 64 + w.trailing_zeros() as usize))
    }

    pub(super) fn count(&self) -> u32 {
        self.0.iter().map(|w| w.count_ones()).sum()
    }

    /// The only member, if there is just one.
    pub(super) fn single(&self) -> Option<Value> {
        if self.count() == 1 {
            self.first()
        } else {
            None
        }
    }
}
