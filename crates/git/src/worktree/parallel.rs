//! Work that mostly waits for the disk, done by several threads.

use std::sync::Mutex;
use std::thread;

/// Threads that wait for the disk at one time: a file system makes one wait of several.
const THREADS: usize = 8;
/// Items up to which starting threads takes longer than it saves.
const FEW: usize = 4;

/// Maps items in their order.
pub(crate) fn in_parallel<T: Send, R: Send>(
    items: impl ExactSizeIterator<Item = T> + Send,
    work: impl Fn(T) -> R + Sync,
) -> Vec<R> {
    if items.len() <= FEW {
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
        let others: Vec<_> = (1..THREADS).map(|_| scope.spawn(run)).collect();
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
        for n in [0, 1, FEW, 100] {
            let squares = in_parallel(0..n, |i| i * i);
            assert_eq!(squares, (0..n).map(|i| i * i).collect::<Vec<_>>());
        }
    }
}
