//! Putting in order what is short, or seldom put in order: one sort of places serves all types.
//!
//! The standard library's sort is built anew for each type and each order, seven thousand bytes apiece; those were a twelfth of the
//! program and of the time to build it. What is put in order for every port or line of a fleet stays with the standard's.

use std::cmp::Ordering;
use std::collections::{BTreeMap, BTreeSet};

/// Puts `items` in the order of `compare`; those that it calls equal stay as they stood.
pub fn by<T>(items: &mut [T], mut compare: impl FnMut(&T, &T) -> Ordering) {
    if items.len() > 1 {
        let mut from = order(items.len(), &mut |a, b| compare(&items[a], &items[b]));
        arrange(&mut from, &mut |a, b| items.swap(a, b));
    }
}

/// Puts `items` in the order of their keys, each of which is made whenever two are compared.
pub fn by_key<T, K: Ord>(items: &mut [T], mut key: impl FnMut(&T) -> K) {
    by(items, |a, b| key(a).cmp(&key(b)));
}

/// Puts `items` in their own order.
pub fn plain<T: Ord>(items: &mut [T]) {
    by(items, T::cmp);
}

/// A map of `pairs`; of those with the same key the last counts.
pub fn map<K: Ord, V>(pairs: impl IntoIterator<Item = (K, V)>) -> BTreeMap<K, V> {
    let mut map = BTreeMap::new();
    map.extend(pairs);
    map
}

/// The set of `items`.
pub fn set<T: Ord>(items: impl IntoIterator<Item = T>) -> BTreeSet<T> {
    let mut set = BTreeSet::new();
    set.extend(items);
    set
}

/// For each place of the ordered list, where its item stands now.
fn order(count: usize, compare: &mut dyn FnMut(usize, usize) -> Ordering) -> Vec<usize> {
    let mut from: Vec<usize> = (0..count).collect();
    from.sort_by(|a, b| compare(*a, *b));
    from
}

/// Swaps items until each stands where it belongs, along the rings in which they stand in each other's places.
fn arrange(from: &mut [usize], swap: &mut dyn FnMut(usize, usize)) {
    for first in 0..from.len() {
        let mut here = first;
        loop {
            let next = std::mem::replace(&mut from[here], here);
            if next == first {
                break;
            }
            swap(here, next);
            here = next;
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        /// The same as the standard's sort, which keeps what is equal as it stood.
        #[test]
        fn what_is_equal_stays_as_it_stood(keys in prop::collection::vec(0u8..6, 0..60)) {
            let mut mine: Vec<(u8, usize)> = keys.iter().copied().enumerate().map(|(place, key)| (key, place)).collect();
            let mut standard = mine.clone();
            by_key(&mut mine, |(key, _)| std::cmp::Reverse(*key));
            standard.sort_by_key(|(key, _)| std::cmp::Reverse(*key));
            prop_assert_eq!(&mine, &standard);
            plain(&mut mine);
            standard.sort();
            prop_assert_eq!(mine, standard);
        }

        #[test]
        fn of_pairs_with_one_key_the_last_counts(pairs in prop::collection::vec((0u8..6, any::<u8>()), 0..30)) {
            let mine = map(pairs.iter().copied());
            prop_assert_eq!(&mine, &pairs.iter().copied().collect::<BTreeMap<_, _>>());
            prop_assert_eq!(set(pairs.iter().map(|(key, _)| *key)), mine.into_keys().collect::<BTreeSet<_>>());
        }
    }
}
