//! Work in parallel, results in order, through a window no larger than the jobs allow.

use std::collections::BTreeMap;
use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};

struct State<R> {
    next: usize,
    told: usize,
    done: BTreeMap<usize, R>,
    stopped: bool,
}

struct Window<R> {
    state: Mutex<State<R>>,
    moved: Condvar,
}

impl<R> Window<R> {
    fn lock(&self) -> MutexGuard<'_, State<R>> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn wait<'g>(&self, guard: MutexGuard<'g, State<R>>) -> MutexGuard<'g, State<R>> {
        self.moved.wait(guard).unwrap_or_else(PoisonError::into_inner)
    }
}

/// Ends the others when one side leaves early, by an error or a panic.
struct Stop<'w, R>(&'w Window<R>);

impl<R> Drop for Stop<'_, R> {
    fn drop(&mut self) {
        self.0.lock().stopped = true;
        self.0.moved.notify_all();
    }
}

/// Runs `work` on every item with `jobs` threads and hands the results to `tell` in the order of the items.
pub(crate) fn in_order<T: Sync, R: Send, E>(
    items: &[T],
    jobs: usize,
    work: impl Fn(&T) -> R + Sync,
    mut tell: impl FnMut(R) -> Result<(), E>,
) -> Result<(), E> {
    let state = State { next: 0, told: 0, done: BTreeMap::new(), stopped: false };
    let window = Window { state: Mutex::new(state), moved: Condvar::new() };
    let ahead = jobs.max(1) * 2;
    let worker = || {
        let stop = Stop(&window);
        loop {
            let mut state = window.lock();
            while !state.stopped && state.next < items.len() && state.next >= state.told + ahead {
                state = window.wait(state);
            }
            let position = state.next;
            let Some(item) = items.get(position).filter(|_| !state.stopped) else { break };
            state.next += 1;
            drop(state);
            let result = work(item);
            window.lock().done.insert(position, result);
            window.moved.notify_all();
        }
        std::mem::forget(stop);
    };
    std::thread::scope(|scope| {
        for _ in 0..jobs.clamp(1, items.len().max(1)) {
            scope.spawn(worker);
        }
        let _stop = Stop(&window);
        for position in 0..items.len() {
            let mut state = window.lock();
            let result = loop {
                if let Some(result) = state.done.remove(&position) {
                    state.told = position + 1;
                    break Some(result);
                }
                if state.stopped {
                    break None;
                }
                state = window.wait(state);
            };
            drop(state);
            window.moved.notify_all();
            match result {
                Some(result) => tell(result)?,
                None => break,
            }
        }
        Ok(())
    })
}

#[cfg(test)]
mod tests {
    use super::in_order;
    use rstest::rstest;

    #[rstest]
    #[case(0, 4)]
    #[case(1, 4)]
    #[case(100, 1)]
    #[case(100, 7)]
    fn results_come_in_order(#[case] items: usize, #[case] jobs: usize) {
        let items: Vec<usize> = (0..items).collect();
        let mut told = Vec::new();
        let slow = |n: &usize| {
            std::thread::sleep(std::time::Duration::from_micros(if n.is_multiple_of(3) { 300 } else { 0 }));
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
}
