//! Work in parallel, results in order, through a window no larger than the jobs allow.

use std::collections::BTreeMap;
use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};

struct State<R, E> {
    next: usize,
    told: usize,
    is_telling: bool,
    done: BTreeMap<usize, R>,
    /// So many threads wait for something to move: waking nobody costs a call of the system.
    waiting: usize,
    ended: Option<Result<(), E>>,
}

struct Window<'i, T, R, E> {
    items: &'i [T],
    /// So far may work be ahead of what is told.
    ahead: usize,
    state: Mutex<State<R, E>>,
    moved: Condvar,
}

/// What a thread does next.
enum Next<'i, T, R> {
    Tell(R),
    Work(usize, &'i T),
    Nothing,
}

impl<'i, T, R, E> Window<'i, T, R, E> {
    fn lock(&self) -> MutexGuard<'_, State<R, E>> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Changes something that others may wait for.
    fn change(&self, change: impl FnOnce(&mut State<R, E>)) {
        let mut state = self.lock();
        change(&mut state);
        let waiting = state.waiting;
        drop(state);
        if waiting > 0 {
            self.moved.notify_all();
        }
    }

    /// The result whose turn it is, where nobody is telling; else an item to work on.
    fn next(&self) -> Next<'i, T, R> {
        let mut state = self.lock();
        loop {
            if state.ended.is_some() {
                return Next::Nothing;
            }
            let (told, next) = (state.told, state.next);
            if !state.is_telling {
                if told >= self.items.len() {
                    return Next::Nothing;
                }
                if let Some(result) = state.done.remove(&told) {
                    state.is_telling = true;
                    return Next::Tell(result);
                }
            }
            if let Some(item) = self.items.get(next).filter(|_| next < told + self.ahead) {
                state.next += 1;
                return Next::Work(next, item);
            }
            state.waiting += 1;
            state = self.moved.wait(state).unwrap_or_else(PoisonError::into_inner);
            state.waiting -= 1;
        }
    }

    fn told(&self, told: Result<(), E>) {
        self.change(|state| {
            state.is_telling = false;
            state.told += 1;
            if told.is_err() {
                state.ended = Some(told);
            }
        });
    }
}

/// Ends the others when a thread leaves early, by a panic.
struct Stop<'w, 'i, T, R, E>(&'w Window<'i, T, R, E>);

impl<T, R, E> Drop for Stop<'_, '_, T, R, E> {
    fn drop(&mut self) {
        self.0.change(|state| _ = state.ended.get_or_insert(Ok(())));
    }
}

/// Runs `work` on every item with `jobs` threads, and hands the results to `tell` in the order of the items, one at a time. The thread
/// that calls is one of them. Whoever has done what is next tells it: memory is given back where it was taken, and no thread is there
/// to tell alone.
pub(crate) fn in_order<T: Sync, R: Send, E: Send>(
    items: &[T],
    jobs: usize,
    work: impl Fn(&T) -> R + Sync,
    tell: impl FnMut(R) -> Result<(), E> + Send,
) -> Result<(), E> {
    let state = State { next: 0, told: 0, is_telling: false, done: BTreeMap::new(), waiting: 0, ended: None };
    let ahead = jobs.max(1) * 2;
    let window = Window { items, ahead, state: Mutex::new(state), moved: Condvar::new() };
    let tell = Mutex::new(tell);
    let each = || {
        let stop = Stop(&window);
        loop {
            match window.next() {
                Next::Work(position, item) => {
                    let result = work(item);
                    window.change(|state| _ = state.done.insert(position, result));
                }
                Next::Tell(result) => window.told(tell.lock().unwrap_or_else(PoisonError::into_inner)(result)),
                Next::Nothing => break,
            }
        }
        std::mem::forget(stop);
    };
    std::thread::scope(|scope| {
        for _ in 1..jobs.min(items.len()) {
            scope.spawn(each);
        }
        each();
    });
    window.state.into_inner().unwrap_or_else(PoisonError::into_inner).ended.unwrap_or(Ok(()))
}

#[cfg(test)]
mod tests {
    use super::in_order;
    use rstest::rstest;
    use std::sync::atomic::{AtomicUsize, Ordering::SeqCst};
    use std::time::Duration;

    #[rstest]
    #[case(0, 4)]
    #[case(1, 4)]
    #[case(100, 1)]
    #[case(100, 7)]
    fn results_come_in_order(#[case] items: usize, #[case] jobs: usize) {
        let items: Vec<usize> = (0..items).collect();
        let mut told = Vec::new();
        let slow = |n: &usize| {
            std::thread::sleep(Duration::from_micros(if n.is_multiple_of(3) { 300 } else { 0 }));
            *n
        };
        let done: Result<(), ()> = in_order(&items, jobs, slow, |n| {
            told.push(n);
            Ok(())
        });
        assert_eq!((done, told), (Ok(()), items));
    }

    #[test]
    fn an_error_ends_the_work() {
        let items: Vec<usize> = (0..1000).collect();
        let done = in_order(&items, 3, |n| *n, |n| if n == 5 { Err(n) } else { Ok(()) });
        assert_eq!(done, Err(5));
    }

    /// Three jobs are three threads, telling among them; one tells at a time, and work is never far ahead of it.
    #[rstest]
    #[case(1)]
    #[case(3)]
    fn no_more_is_done_at_once_than_jobs_allow(#[case] jobs: usize) {
        let items: Vec<usize> = (0..200).collect();
        let (busy, most, telling, told) =
            (AtomicUsize::new(0), AtomicUsize::new(0), AtomicUsize::new(0), AtomicUsize::new(0));
        let do_it = || {
            most.fetch_max(busy.fetch_add(1, SeqCst) + 1, SeqCst);
            std::thread::sleep(Duration::from_micros(200));
            busy.fetch_sub(1, SeqCst);
        };
        let work = |n: &usize| {
            assert!(*n <= told.load(SeqCst) + jobs * 2, "{n} is too far ahead");
            do_it();
            *n
        };
        let done: Result<(), ()> = in_order(&items, jobs, work, |n| {
            assert_eq!(telling.fetch_add(1, SeqCst), 0);
            do_it();
            telling.fetch_sub(1, SeqCst);
            told.store(n + 1, SeqCst);
            Ok(())
        });
        assert_eq!((done, told.into_inner(), most.into_inner()), (Ok(()), 200, jobs));
    }

    /// A fault in one thread leaves nobody waiting for it, and is not taken for an end.
    #[rstest]
    #[case::in_work(true)]
    #[case::in_telling(false)]
    fn a_panic_ends_the_work(#[case] in_work: bool) {
        let items: Vec<usize> = (0..1000).collect();
        let fault = |n: usize| assert_ne!(n, 17, "made up");
        let run = || {
            in_order(
                &items,
                4,
                |n| {
                    if in_work {
                        fault(*n);
                    }
                    *n
                },
                |n| {
                    if !in_work {
                        fault(n);
                    }
                    Ok::<(), ()>(())
                },
            )
        };
        assert!(std::panic::catch_unwind(run).is_err());
    }
}
