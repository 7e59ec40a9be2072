//! Many things at once that mostly wait: each on a thread of its own, so many at a time.

use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};

use crate::Result;
use crate::guarded::guarded;

/// Does `work` for every item, at most `most` at a time, and gives the results in the order of the
/// items. After a failure nothing new is begun; what was not begun has no result.
pub(crate) fn each<T: Sync, R: Send>(
    items: &[T],
    most: usize,
    work: impl Fn(&T) -> Result<R> + Sync,
) -> Vec<Option<Result<R>>> {
    let next = AtomicUsize::new(0);
    let failed = AtomicBool::new(false);
    let results: Mutex<Vec<Option<Result<R>>>> = Mutex::new(items.iter().map(|_| None).collect());
    std::thread::scope(|scope| {
        for _ in 0..most.min(items.len()) {
            scope.spawn(|| {
                while !failed.load(Ordering::Relaxed) {
                    let at = next.fetch_add(1, Ordering::Relaxed);
                    let Some(item) = items.get(at) else { return };
                    let result = guarded(|| "one of many things at once".to_owned(), || work(item));
                    failed.fetch_or(result.is_err(), Ordering::Relaxed);
                    if let Some(slot) = results
                        .lock()
                        .unwrap_or_else(PoisonError::into_inner)
                        .get_mut(at)
                    {
                        *slot = Some(result);
                    }
                }
            });
        }
    });
    results.into_inner().unwrap_or_else(PoisonError::into_inner)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Error;

    #[test]
    fn results_stand_in_the_order_of_the_items() {
        let items: Vec<u32> = (0..50).collect();
        let doubled: Vec<u32> = each(&items, 7, |n| Ok(n * 2))
            .into_iter()
            .map(|r| r.unwrap().unwrap())
            .collect();
        assert_eq!(doubled, items.iter().map(|n| n * 2).collect::<Vec<_>>());
    }

    #[test]
    fn a_panic_is_the_failure_of_its_item() {
        let results = each(&[1, 2], 1, |n| if *n == 2 { panic!("two") } else { Ok(*n) });
        assert!(matches!(results.as_slice(), [Some(Ok(1)), Some(Err(_))]));
    }

    #[test]
    fn nothing_is_begun_after_a_failure() {
        let results = each(&[1, 2, 3], 1, |n| {
            if *n == 2 {
                Err(Error::request("two"))
            } else {
                Ok(*n)
            }
        });
        assert!(matches!(
            results.as_slice(),
            [Some(Ok(1)), Some(Err(_)), None]
        ));
    }
}
