//! What flap protection would have done: a log's link changes against a threshold, a window and a hold.

use jiff::{SignedDuration, Timestamp};

use crate::model::{EventSeen, Fact, facts};
use crate::sorted;

/// When a port is taken down, and for how long.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Protection {
    /// So many flaps.
    pub threshold: u32,
    /// Within so many seconds, both ends counted in.
    pub window: u32,
    /// Seconds it is held down; 0: until somebody comes.
    pub hold: u32,
}

/// A port that is taken down.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Trip {
    /// When.
    pub at: Timestamp,
    /// The first of the flaps that did it, by position.
    pub from: usize,
    /// The last of them.
    pub to: usize,
}

/// The lines of a log that count as flaps of a port, in the order of time: each loss of link, or each change.
pub fn flaps<'f>(events: impl IntoIterator<Item = &'f Fact>, each_change: bool) -> Vec<(Timestamp, &'f Fact)> {
    let counts = |event: &&Fact| match event.get(facts::event::KIND) {
        Some(EventSeen::LinkDown) => true,
        Some(EventSeen::LinkUp) => each_change,
        _ => false,
    };
    let dated = |event: &'f Fact| Some((event.get(facts::event::TIME)?, event));
    let mut flaps: Vec<(Timestamp, &Fact)> = events.into_iter().filter(counts).filter_map(dated).collect();
    sorted::by_key(&mut flaps, |(time, _)| *time);
    flaps
}

/// When a port with these flaps is taken down. While it is held down nothing counts; then the count begins anew.
pub fn trips(flaps: &[Timestamp], protection: Protection) -> Vec<Trip> {
    let Protection { threshold, window, hold } = protection;
    let (count, window) = (threshold.max(1) as usize, SignedDuration::from_secs(window.into()));
    let mut trips = Vec::new();
    let mut begins = 0;
    let mut to = 0;
    while let Some(at) = flaps.get(to).copied() {
        let first = (to + 1).checked_sub(count).filter(|first| *first >= begins);
        let Some((from, first)) = first.and_then(|first| Some((first, *flaps.get(first)?))) else {
            to += 1;
            continue;
        };
        if at.duration_since(first) > window {
            to += 1;
            continue;
        }
        trips.push(Trip { at, from, to });
        if hold == 0 {
            break;
        }
        let held = SignedDuration::from_secs(hold.into());
        let after = flaps.iter().position(|flap| flap.duration_since(at) > held);
        let Some(after) = after else { break };
        (begins, to) = (after, after);
    }
    trips
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn at(seconds: i64) -> Timestamp {
        Timestamp::from_second(1_900_000_000 + seconds).unwrap()
    }

    fn told(flaps: &[i64], threshold: u32, window: u32, hold: u32) -> Vec<i64> {
        let flaps: Vec<Timestamp> = flaps.iter().map(|s| at(*s)).collect();
        let trips = trips(&flaps, Protection { threshold, window, hold });
        trips.iter().map(|trip| trip.at.as_second() - 1_900_000_000).collect()
    }

    #[rstest]
    #[case::none(&[], 3, 10, 30, &[])]
    #[case::one_too_few(&[0, 1], 3, 10, 30, &[])]
    #[case::the_third(&[0, 1, 2], 3, 10, 30, &[2])]
    #[case::at_the_edge(&[0, 5, 10], 3, 10, 30, &[10])]
    #[case::past_the_edge(&[0, 5, 11], 3, 10, 30, &[])]
    #[case::the_window_slides(&[0, 5, 11, 14], 3, 10, 30, &[14])]
    #[case::held_down_nothing_counts(&[0, 1, 2, 3, 4, 5, 6], 3, 10, 30, &[2])]
    #[case::again_after_the_hold(&[0, 1, 2, 33, 34, 35], 3, 10, 30, &[2, 35])]
    #[case::at_the_end_of_the_hold_it_is_held(&[0, 1, 2, 32, 33, 34, 35], 3, 10, 30, &[2, 35])]
    #[case::until_somebody_comes(&[0, 1, 2, 100, 101, 102], 3, 10, 0, &[2])]
    #[case::one_is_enough(&[7], 1, 0, 5, &[7])]
    #[case::at_one_time(&[7, 7, 7], 3, 0, 5, &[7])]
    #[case::no_threshold_is_one(&[7], 0, 10, 5, &[7])]
    fn ports_are_taken_down(
        #[case] flaps: &[i64],
        #[case] threshold: u32,
        #[case] window: u32,
        #[case] hold: u32,
        #[case] expected: &[i64],
    ) {
        assert_eq!(told(flaps, threshold, window, hold), expected);
    }

    proptest! {
        /// A wider window, a lower threshold never trip less where nothing comes back; and the first trip is the first moment
        /// at which the count was full.
        #[test]
        fn the_first_trip_is_the_first_full_window(
            mut flaps in proptest::collection::vec(0_i64..200, 0..40), threshold in 1_u32..6, window in 0_u32..30,
        ) {
            flaps.sort_unstable();
            let full = |end: &&i64| {
                let inside = flaps.iter().filter(|f| **f <= **end && **end - **f <= i64::from(window)).count();
                inside >= threshold as usize
            };
            let first = told(&flaps, threshold, window, 0);
            prop_assert_eq!(first.first(), flaps.iter().find(full));
            let wider = told(&flaps, threshold, window + 1, 0);
            prop_assert!(first.is_empty() || wider.first() <= first.first());
            prop_assert!(first.is_empty() || !wider.is_empty());
        }
    }
}
