//! Tables of the search: rows that are only ever added, or taken off the end, with keys that fit
//! one table and no other.
//!
//! A key is made by [`Table::push`] alone, so a row is there as long as the table has not been cut
//! back below it: this is the one place of the search that indexes.

use std::marker::PhantomData;
use std::ops::{Index, IndexMut};

/// The key of a row.
pub(super) trait Key: Copy {
    /// The key of the row at a place; places are counted from 0.
    fn at(place: usize) -> Self;
    /// The place of the row.
    fn place(self) -> usize;
}

/// Makes key types: a number that fits one table.
macro_rules! keys {
    ($($(#[$doc:meta])* $name:ident)*) => {$(
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
        pub(super) struct $name(u32);

        impl Key for $name {
            fn at(place: usize) -> Self {
                // What is read of one run is limited far below this (`Want` and pages' limits).
                $name(u32::try_from(place).unwrap_or(u32::MAX))
            }

            fn place(self) -> usize {
                self.0 as usize
            }
        }
    )*};
}

keys! {
    /// A node: a project, an extra of one, or the toolkit.
    NodeId
    /// A clause.
    ClauseId
    /// A step of the trail.
    StepId
    /// What a node can be: nothing, or one of its offers in their order, the best first. Of an extra
    /// and of the toolkit the values after the first are "asked for", and the toolkits.
    Value
}

impl Value {
    /// The node has no part in the set.
    pub(super) const ABSENT: Value = Value(0);
    /// The first one that is something: the best offer, "asked for".
    pub(super) const FIRST: Value = Value(1);

    /// The value of the offer, or toolkit, at a place, counted from 0.
    pub(super) fn of(place: usize) -> Self {
        Value::at(place + 1)
    }

    /// What stands for it in a list of the node's offers; none for what is absent.
    pub(super) fn in_list<T>(self, list: &[T]) -> Option<&T> {
        list.get(self.place().checked_sub(1)?)
    }

    /// Whether it is something.
    pub(super) fn is_present(self) -> bool {
        self != Value::ABSENT
    }

    /// All that a node of a size can have, absence first.
    pub(super) fn all(size: usize) -> impl DoubleEndedIterator<Item = Value> + Clone {
        (0..size).map(Value::at)
    }

    /// The same without absence.
    pub(super) fn present(size: usize) -> impl DoubleEndedIterator<Item = Value> + Clone {
        (1..size).map(Value::at)
    }
}

/// Rows by their keys.
#[derive(Debug)]
pub(super) struct Table<K, T> {
    rows: Vec<T>,
    keys: PhantomData<K>,
}

impl<K, T> Default for Table<K, T> {
    fn default() -> Self {
        Table {
            rows: Vec::new(),
            keys: PhantomData,
        }
    }
}

impl<K: Key, T> Table<K, T> {
    /// The key that the next row will have.
    pub(super) fn next(&self) -> K {
        K::at(self.rows.len())
    }

    pub(super) fn push(&mut self, row: T) -> K {
        let key = self.next();
        self.rows.push(row);
        key
    }

    /// Takes off the last row when it is not before `start`.
    pub(super) fn pop_from(&mut self, start: K) -> Option<T> {
        (self.rows.len() > start.place())
            .then(|| self.rows.pop())
            .flatten()
    }

    pub(super) fn get(&self, key: K) -> Option<&T> {
        self.rows.get(key.place())
    }

    pub(super) fn len(&self) -> usize {
        self.rows.len()
    }

    /// All rows with their keys.
    pub(super) fn iter(&self) -> impl Iterator<Item = (K, &T)> {
        self.rows
            .iter()
            .enumerate()
            .map(|(place, row)| (K::at(place), row))
    }
}

impl<K: Key, T> Index<K> for Table<K, T> {
    type Output = T;

    fn index(&self, key: K) -> &T {
        &self.rows[key.place()]
    }
}

impl<K: Key, T> IndexMut<K> for Table<K, T> {
    fn index_mut(&mut self, key: K) -> &mut T {
        &mut self.rows[key.place()]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_found_by_the_keys_they_got() {
        let mut table: Table<StepId, &str> = Table::default();
        let first = table.push("a");
        let start = table.next();
        let second = table.push("b");
        table[first] = "c";
        assert_eq!((table[first], table[second]), ("c", "b"));
        assert_eq!(
            table.iter().map(|(k, _)| k).collect::<Vec<_>>(),
            [first, second]
        );
        assert_eq!(table.pop_from(start), Some("b"));
        assert_eq!(table.pop_from(start), None);
        assert_eq!((table.get(second), table.len()), (None, 1));
    }
}
