//! What a calculation used, as a finding tells it.

use std::fmt;

use serde::{Serialize, Serializer};

use super::Fact;
use crate::sorted;

/// What a calculation used, by name and in the order of the names; of a name that comes twice the last counts. Few, so a list finds them.
#[derive(Clone, Default, PartialEq, Eq)]
pub struct Inputs(Box<[(&'static str, Fact)]>);

impl Inputs {
    /// One by its name.
    pub fn get(&self, name: &str) -> Option<&Fact> {
        self.iter().find_map(|(known, fact)| (known == name).then_some(fact))
    }

    /// All of them.
    pub fn iter(&self) -> impl Iterator<Item = (&'static str, &Fact)> {
        self.0.iter().map(|(name, fact)| (*name, fact))
    }
}

impl From<Vec<(&'static str, Fact)>> for Inputs {
    fn from(mut facts: Vec<(&'static str, Fact)>) -> Self {
        // Stable: the last of a name stands last, and is what the one before becomes.
        facts.sort_by_key(|(name, _)| *name);
        sorted::keep_last(&mut facts);
        Self(facts.into())
    }
}

impl fmt::Debug for Inputs {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_map().entries(self.iter()).finish()
    }
}

impl Serialize for Inputs {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_map(self.iter())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeMap;

    const NAMES: [&str; 5] = ["at", "detects", "how", "opens", "value"];

    proptest! {
        /// Facts in whatever order, of whatever names: what a tree map makes of them, to whoever asks and in the report.
        #[test]
        fn of_a_name_the_last_counts(facts in prop::collection::vec((prop::sample::select(&NAMES[..]), 0_u32..9), 0..9)) {
            let facts: Vec<(&'static str, Fact)> = facts.into_iter().map(|(name, count)| (name, Fact::Count(count))).collect();
            let inputs = Inputs::from(facts.clone());
            let map: BTreeMap<&'static str, Fact> = facts.into_iter().collect();
            prop_assert!(inputs.iter().eq(map.iter().map(|(name, fact)| (*name, fact))), "{:?}", inputs);
            for name in NAMES {
                prop_assert_eq!(inputs.get(name), map.get(name), "{}", name);
            }
            prop_assert_eq!(serde_json::to_string(&inputs).unwrap(), serde_json::to_string(&map).unwrap());
        }
    }
}
