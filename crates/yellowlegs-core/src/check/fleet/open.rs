//! What the checks across switches could not decide, in the order in which it came up. A fleet without a fact lacks it on each of its switches.

use crate::finding::Related;
use crate::policy::Level;

/// A check across switches that could not be decided: check, level, where, what is missing.
pub type Open<'a> = (&'static str, Level, &'a Related, &'static str);

/// Those of a fleet: what stands behind each other of one check, level and fact is kept as its places.
#[derive(Debug, Default)]
pub struct Opens(Vec<Alike>);

#[derive(Debug)]
struct Alike {
    check: &'static str,
    level: Level,
    needs: &'static str,
    places: Vec<Related>,
}

impl Opens {
    pub(super) fn push(&mut self, check: &'static str, level: Level, place: Related, needs: &'static str) {
        match self.0.last_mut() {
            Some(last) if (last.check, last.level, last.needs) == (check, level, needs) => last.places.push(place),
            _ => self.0.push(Alike { check, level, needs, places: vec![place] }),
        }
    }

    /// Each of them.
    pub fn iter(&self) -> impl Iterator<Item = Open<'_>> {
        self.0.iter().flat_map(|alike| alike.places.iter().map(|place| (alike.check, alike.level, place, alike.needs)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const CHECKS: &[&str] = &["port/peer-mismatch", "dhcp-snooping/no-path"];
    const LEVELS: &[Level] = &[Level::Breach, Level::Risk];

    proptest! {
        /// However they are kept: as many as came, each as it came, in the order in which they came.
        #[test]
        fn what_came_up_is_told_as_it_came(came in prop::collection::vec((0_usize..2, 0_usize..2, 0_usize..2, "[ab]", prop::option::of("[12]")), 0..12)) {
            let mut opens = Opens::default();
            let came = came.into_iter().map(|(check, level, needs, switch, port)| {
                let place = Related { switch: switch.into(), port: port.map(Into::into) };
                (CHECKS[check], LEVELS[level], place, CHECKS[needs])
            });
            let came: Vec<_> = came.collect();
            came.iter().for_each(|(check, level, place, needs)| opens.push(check, *level, place.clone(), needs));
            let said = |(check, level, place, needs): Open<'_>| format!("{check} {} {place:?} {needs}", level.word());
            let told: Vec<String> = opens.iter().map(said).collect();
            let plain: Vec<String> = came.iter().map(|(check, level, place, needs)| said((check, *level, place, needs))).collect();
            prop_assert_eq!(told, plain);
            let alike = |pair: &[(&'static str, Level, Related, &'static str)]| {
                (pair[0].0, pair[0].1, pair[0].3) == (pair[1].0, pair[1].1, pair[1].3)
            };
            let changes = came.windows(2).filter(|pair| !alike(pair)).count();
            prop_assert_eq!(opens.0.len(), if came.is_empty() { 0 } else { changes + 1 }, "what is alike is kept as places");
        }
    }
}
