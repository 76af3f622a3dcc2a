//! Work on many items, done by several threads.

use std::sync::Mutex;
use std::thread;

/// Threads for work that mostly waits for the disk: a file system makes one wait of several.
pub(crate) const DISK_THREADS: usize = 8;

/// Returns how many threads can compute at the same time.
pub fn processors() -> usize {
    thread::available_parallelism().map_or(1, usize::from)
}

/// Maps items on at most `threads` threads; results are in the order of the items.
///
/// # Panics
/// If `work` panics, with the same message.
pub fn in_parallel<T: Send, R: Send>(
    items: impl ExactSizeIterator<Item = T> + Send,
    threads: usize,
    work: impl Fn(T) -> R + Sync,
) -> Vec<R> {
    let threads = threads.min(items.len());
    if threads < 2 {
        return items.map(work).collect();
    }
    let items = Mutex::new(items.enumerate());
    let next = || match items.lock() {
        Ok(mut items) => items.next(),
        // Another thread panicked while it took one; its panic is handed on below.
        Err(_) => None,
    };
    let run = || -> Vec<(usize, R)> {
        std::iter::from_fn(next)
            .map(|(nth, item)| (nth, work(item)))
            .collect()
    };
    let mut done = thread::scope(|scope| {
        let others: Vec<_> = (1..threads).map(|_| scope.spawn(run)).collect();
        let mut done = run();
        for other in others {
            match other.join() {
                Ok(more) => done.extend(more),
                Err(panic) => std::panic::resume_unwind(panic),
            }
        }
        done
    });
    done.sort_unstable_by_key(|(nth, _)| *nth);
    done.into_iter().map(|(_, result)| result).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn results_come_in_the_order_of_the_items() {
        for (n, threads) in [(0, 2), (1, 2), (4, 8), (100, 1), (100, 3)] {
            let squares = in_parallel(0..n, threads, |i| i * i);
            assert_eq!(squares, (0..n).map(|i| i * i).collect::<Vec<_>>());
        }
    }

    #[test]
    fn a_panic_is_handed_on() {
        let panicked = std::panic::catch_unwind(|| {
            in_parallel(0..9, 3, |i| assert_ne!(i, 7));
        });
        assert!(panicked.is_err());
    }
}
