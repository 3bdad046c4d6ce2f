//! What comes again and again in the same order, found without looking it up.

use std::hash::Hash;

use rustc_hash::FxHashMap;

/// What comes again and again in much the same order, as checks do port by port: most is found where the one before was, and not looked up.
pub(super) struct InTurn<K, V> {
    order: Vec<(K, V)>,
    at: FxHashMap<K, usize>,
    /// Behind the last that was found.
    next: usize,
}

impl<K, V> Default for InTurn<K, V> {
    fn default() -> Self {
        Self { order: Vec::new(), at: FxHashMap::default(), next: 0 }
    }
}

impl<K: Copy + Eq + Hash, V: Copy> InTurn<K, V> {
    /// So many are looked at from there on: some ports leave some out.
    const AHEAD: usize = 4;

    pub(super) fn find(&mut self, key: K, make: impl FnOnce() -> V) -> V {
        let ahead = (self.next..self.next + Self::AHEAD).chain([0]);
        let near = ahead.into_iter().find(|at| self.order.get(*at).is_some_and(|(known, _)| *known == key));
        let at = near.unwrap_or_else(|| {
            *self.at.entry(key).or_insert_with(|| {
                self.order.push((key, make()));
                self.order.len() - 1
            })
        });
        self.next = at + 1;
        self.order[at].1
    }
}

#[cfg(test)]
mod tests {
    use super::InTurn;
    use proptest::prelude::*;
    use std::collections::BTreeMap;

    proptest! {
        /// In whatever order things come, with what is left out and what is new: each is made once, and found as it was made.
        #[test]
        fn what_comes_in_turn_is_made_once(ports in prop::collection::vec(prop::collection::vec(0_u8..20, 0..30), 0..8)) {
            let (mut in_turn, mut made) = (InTurn::default(), BTreeMap::new());
            for key in ports.into_iter().flatten() {
                let next = made.len();
                let found = in_turn.find(key, || {
                    assert!(made.insert(key, next).is_none(), "{key} is made again");
                    next
                });
                prop_assert_eq!(Some(&found), made.get(&key));
            }
        }
    }
}
