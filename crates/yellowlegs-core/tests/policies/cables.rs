//! Which ports a cable joins: by the policy's links, then by what neighbours say, and who is believed where they differ.

use rstest::rstest;
use yellowlegs_core::policy::{At, Cables, Neighbour, Told};

const PORTS: [&str; 3] = ["p1", "p2", "p3"];

fn position(port: &str) -> usize {
    PORTS.iter().position(|there| *there == port).unwrap()
}

/// A switch of three ports, as `b =quay 0-@p3 p1>c/p2`: its name in reports and the configured one, the end of link 0 that is at p3 (`+`: end a),
/// what p1 hears.
struct Says {
    switch: String,
    configured: Option<String>,
    ends: Vec<(usize, bool, usize)>,
    heard: [Option<Neighbour>; 3],
}

impl Says {
    fn of(text: &str) -> Self {
        let mut words = text.split(' ');
        let switch = words.next().unwrap().to_owned();
        let (mut configured, mut ends, mut heard) = (None, Vec::new(), [None, None, None]);
        for word in words {
            if let Some(name) = word.strip_prefix('=') {
                configured = Some(name.to_owned());
            } else if let Some((link, port)) = word.split_once('@') {
                ends.push((link[..1].parse().unwrap(), link.ends_with('+'), position(port)));
            } else if let Some((port, (name, theirs))) =
                word.split_once('>').map(|(port, far)| (port, far.split_once('/').unwrap()))
            {
                heard[position(port)] = Some((name.into(), theirs.into()));
            }
        }
        Self { switch, configured, ends, heard }
    }

    fn told(&self) -> Told<'_> {
        let ports = PORTS.into_iter().zip(self.heard.iter().map(Option::as_ref)).collect();
        Told { switch: &self.switch, configured: self.configured.as_deref(), ports, ends: &self.ends }
    }
}

#[rstest]
#[case::a_link(&["a 0+@p1", "b 0-@p3"], &[((0, 0), (1, 2))])]
#[case::the_far_end_comes_first(&["a 0-@p2", "b 0+@p3"], &[((0, 1), (1, 2))])]
#[case::an_end_is_not_there(&["a 3+@p1", "b"], &[])]
#[case::two_links(&["a 2+@p1 0-@p2", "b 0+@p1 2-@p2"], &[((0, 0), (1, 1)), ((0, 1), (1, 0))])]
#[case::a_port_in_itself(&["a 0+@p2 0-@p2"], &[((0, 1), (0, 1))])]
#[case::a_link_within_a_switch(&["a 0+@p3 0-@p1"], &[((0, 0), (0, 2))])]
#[case::a_neighbour(&["a p2>b/p3", "b"], &[((0, 1), (1, 2))])]
#[case::both_say_so(&["a p2>b/p3", "b p3>a/p2"], &[((0, 1), (1, 2))])]
#[case::by_its_configured_name(&["a p2>quay/p3", "b =quay"], &[((0, 1), (1, 2))])]
#[case::the_last_of_a_name(&["a p2>c/p3", "b =c", "c"], &[((0, 1), (2, 2))])]
#[case::both_names_are_one(&["a p2>b/p1", "b =b"], &[((0, 1), (1, 0))])]
#[case::itself(&["a p2>a/p3"], &[])]
#[case::a_port_that_is_not_there(&["a p2>b/p9", "b"], &[])]
#[case::a_link_is_believed_first(&["a 0+@p1 p1>c/p1", "b 0-@p1", "c"], &[((0, 0), (1, 0))])]
#[case::a_port_has_one_cable(&["a p1>c/p1", "b p1>c/p1", "c"], &[((0, 0), (2, 0))])]
fn a_cable(#[case] fleet: &[&str], #[case] expected: &[(At, At)]) {
    let fleet: Vec<Says> = fleet.iter().map(|text| Says::of(text)).collect();
    let cables = Cables::of(&fleet.iter().map(Says::told).collect::<Vec<_>>());
    assert_eq!(cables.all, expected);
    for (a, b) in expected {
        assert_eq!((cables.peer(*a), cables.peer(*b)), (Some(*b), Some(*a)), "from both ends");
        assert!(cables.of_switch(b.0).any(|cable| cable == (*b, *a)), "on the far switch");
    }
    let ends: usize = (0..fleet.len()).map(|switch| cables.of_switch(switch).count()).sum();
    let alone = expected.iter().filter(|(a, b)| a == b).count();
    assert_eq!(ends, 2 * expected.len() - alone);
}
