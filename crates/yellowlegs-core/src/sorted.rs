//! Putting in order what is short, or seldom put in order: one sort of places serves all types.
//!
//! The standard library's sort is built anew for each type and each order, seven thousand bytes apiece; those were a twelfth of the
//! program and of the time to build it. What is put in order for every port or line of a fleet stays with the standard's.

use std::borrow::Borrow;
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

/// A set that is made once and then looked up: a list in order.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Set<T>(Vec<T>);

/// The set of `items`.
pub fn set<T: Ord>(items: impl IntoIterator<Item = T>) -> Set<T> {
    let mut items: Vec<T> = items.into_iter().collect();
    plain(&mut items);
    items.dedup_by(|later, kept| later == kept);
    Set(items)
}

impl<T> Set<T> {
    /// Whether it has an item.
    pub fn contains<Q: Ord + ?Sized>(&self, item: &Q) -> bool
    where
        T: Borrow<Q>,
    {
        self.0.binary_search_by(|own| own.borrow().cmp(item)).is_ok()
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// All, in order.
    pub fn iter(&self) -> std::slice::Iter<'_, T> {
        self.0.iter()
    }
}

impl<T> IntoIterator for Set<T> {
    type Item = T;
    type IntoIter = std::vec::IntoIter<T>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.into_iter()
    }
}

impl<'a, T> IntoIterator for &'a Set<T> {
    type Item = &'a T;
    type IntoIter = std::slice::Iter<'a, T>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.iter()
    }
}

/// A map that is made once and then looked up: a list of pairs in the order of their keys.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Map<K, V>(Vec<(K, V)>);

/// A map of `pairs`; of those with the same key the last counts.
pub fn map<K: Ord, V>(pairs: impl IntoIterator<Item = (K, V)>) -> Map<K, V> {
    let mut pairs: Vec<(K, V)> = pairs.into_iter().collect();
    by(&mut pairs, |(a, _), (b, _)| a.cmp(b));
    keep_last(&mut pairs);
    Map(pairs)
}

/// Of pairs with the same key that stand side by side the last is kept.
pub(crate) fn keep_last<K: PartialEq, V>(pairs: &mut Vec<(K, V)>) {
    pairs.dedup_by(|later, kept| {
        let is_same = later.0 == kept.0;
        if is_same {
            std::mem::swap(later, kept);
        }
        is_same
    });
}

impl<K, V> Map<K, V> {
    /// What a key leads to.
    pub fn get<Q: Ord + ?Sized>(&self, key: &Q) -> Option<&V>
    where
        K: Borrow<Q>,
    {
        let at = self.0.binary_search_by(|(own, _)| own.borrow().cmp(key)).ok()?;
        Some(&self.0[at].1)
    }

    /// Whether a key leads anywhere.
    pub fn contains_key<Q: Ord + ?Sized>(&self, key: &Q) -> bool
    where
        K: Borrow<Q>,
    {
        self.get(key).is_some()
    }

    /// All pairs, in the order of their keys.
    pub fn iter(&self) -> impl DoubleEndedIterator<Item = (&K, &V)> {
        self.0.iter().map(|(key, value)| (key, value))
    }

    /// All keys, in order.
    pub fn keys(&self) -> impl DoubleEndedIterator<Item = &K> {
        self.0.iter().map(|(key, _)| key)
    }

    /// What they lead to, in their order.
    pub fn values(&self) -> impl DoubleEndedIterator<Item = &V> {
        self.0.iter().map(|(_, value)| value)
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

impl<K, V> IntoIterator for Map<K, V> {
    type Item = (K, V);
    type IntoIter = std::vec::IntoIter<(K, V)>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.into_iter()
    }
}

/// A map of `pairs` that others come to: a tree, made without a sort of its own.
pub fn tree_map<K: Ord, V>(pairs: impl IntoIterator<Item = (K, V)>) -> BTreeMap<K, V> {
    let mut map = BTreeMap::new();
    map.extend(pairs);
    map
}

/// The set of `items`, that others come to: a tree, made without a sort of its own.
pub fn tree_set<T: Ord>(items: impl IntoIterator<Item = T>) -> BTreeSet<T> {
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
            standard.sort_unstable();
            prop_assert_eq!(mine, standard);
        }

        #[test]
        fn of_pairs_with_one_key_the_last_counts(pairs in prop::collection::vec((0u8..6, any::<u8>()), 0..30)) {
            let standard: BTreeMap<u8, u8> = pairs.iter().copied().collect();
            let mine = map(pairs.iter().copied());
            prop_assert_eq!(&tree_map(pairs.iter().copied()), &standard);
            prop_assert!(mine.iter().eq(&standard) && mine.keys().eq(standard.keys()) && mine.values().eq(standard.values()));
            prop_assert_eq!(mine.is_empty(), standard.is_empty());
            let keys = set(pairs.iter().map(|(key, _)| *key));
            prop_assert!(tree_set(pairs.iter().map(|(key, _)| *key)).iter().eq(&keys));
            prop_assert_eq!((keys.len(), keys.is_empty()), (standard.len(), standard.is_empty()));
            for key in 0..7 {
                prop_assert_eq!(mine.get(&key), standard.get(&key));
                prop_assert_eq!((mine.contains_key(&key), keys.contains(&key)), (standard.contains_key(&key), standard.contains_key(&key)));
            }
            prop_assert!(keys.into_iter().eq(standard.keys().copied()));
            prop_assert!(mine.into_iter().eq(standard));
        }
    }
}
