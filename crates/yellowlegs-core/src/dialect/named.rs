//! The ports of switches with their names, sorted: most switches of a dialect have the ports that others have, and these are named once.
//! Kept for as long as the dialect is; naming with nothing kept gives the same.

use std::collections::VecDeque;
use std::fmt;
use std::sync::{Arc, Mutex};

use rustc_hash::FxHashMap;

use super::{Lists, PortRef};
use crate::model::PortName;
use crate::sorted;

/// So many sets of ports are kept,
const KEPT: usize = 16;
/// none of them larger.
const LARGEST: usize = 1024;

/// The ports of a switch, in natural order of their names.
#[derive(Debug)]
pub(crate) struct NamedPorts {
    /// In the order of their numbers.
    found: Vec<PortRef>,
    pub(crate) ports: Vec<PortRef>,
    pub(crate) names: Vec<PortName>,
    /// The position of each.
    pub(crate) index: FxHashMap<PortRef, u32>,
}

impl NamedPorts {
    /// `found`: sorted.
    fn of(lists: &Lists, found: Vec<PortRef>) -> Self {
        // In the order of their numbers most names are sorted already.
        let mut named: Vec<(PortName, PortRef)> =
            found.iter().map(|port| (PortName::new(lists.name(*port)), *port)).collect();
        sorted::plain(&mut named);
        let (names, ports): (Vec<PortName>, Vec<PortRef>) = named.into_iter().unzip();
        let index = ports.iter().zip(0..).map(|(port, at)| (*port, at)).collect();
        Self { found, ports, names, index }
    }
}

/// The sets of ports that came up lately.
#[derive(Default)]
pub(super) struct NamedLately(Mutex<VecDeque<Arc<NamedPorts>>>);

impl NamedLately {
    /// The ports with their names. `found`: sorted.
    pub(super) fn named(&self, lists: &Lists, found: Vec<PortRef>) -> Arc<NamedPorts> {
        let Ok(mut lately) = self.0.lock() else { return Arc::new(NamedPorts::of(lists, found)) };
        if let Some(known) = lately.iter().find(|known| known.found == found) {
            return Arc::clone(known);
        }
        let named = Arc::new(NamedPorts::of(lists, found));
        if named.ports.len() <= LARGEST {
            lately.truncate(KEPT - 1);
            lately.push_front(Arc::clone(&named));
        }
        named
    }
}

/// A copy of a dialect begins with none.
impl Clone for NamedLately {
    fn clone(&self) -> Self {
        Self::default()
    }
}

impl fmt::Debug for NamedLately {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("NamedLately")
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::ListsText;
    use proptest::prelude::*;

    fn lists() -> Lists {
        Lists::new(ListsText { forms: vec!["<n>.<n>"], ..ListsText::default() }).unwrap()
    }

    fn port(card: u16, number: u16) -> PortRef {
        lists().port(&format!("{card}.{number}")).unwrap()
    }

    proptest! {
        /// More sets than are kept come up, again and again, small and large.
        #[test]
        fn a_set_is_named_as_if_it_were_the_first(
            sets in prop::collection::vec((1_u16..3, 1_u16..30), 1..25),
            asked in prop::collection::vec(0_usize..25, 1..60),
        ) {
            let (lists, lately) = (lists(), NamedLately::default());
            for asked in asked {
                let (cards, ports) = sets[asked % sets.len()];
                let mut found: Vec<PortRef> = (1..=cards).flat_map(|c| (1..=ports).map(move |p| port(c, p))).collect();
                found.sort_unstable();
                let (known, alone) = (lately.named(&lists, found.clone()), NamedPorts::of(&lists, found));
                prop_assert_eq!(&known.names, &alone.names);
                prop_assert_eq!(&known.ports, &alone.ports);
                prop_assert!(known.ports.iter().enumerate().all(|(at, port)| known.index[port] as usize == at));
                prop_assert!(known.names.is_sorted());
            }
        }
    }

    #[test]
    fn one_that_is_too_large_is_not_kept() {
        let (lists, lately) = (lists(), NamedLately::default());
        let found: Vec<PortRef> = (1..=LARGEST as u16 + 1).map(|number| port(1, number)).collect();
        let named = |found: &[PortRef]| lately.named(&lists, found.to_vec());
        assert!(!Arc::ptr_eq(&named(&found), &named(&found)));
        assert!(Arc::ptr_eq(&named(&found[1..]), &named(&found[1..])));
    }
}
