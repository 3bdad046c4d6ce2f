//! The knock-out: from a fleet that is wholly right each setting is given each other value of its type in turn. What the
//! audit then says stands in `data/knock-out.txt`, reviewed by hand, and must be exactly that.
//!
//! `YELLOWLEGS_RENEW=1` writes the file again; the difference is to be read line by line.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

use crate::support::changes::changes;
use crate::support::right::{POLICY, fleet, judged};
use crate::support::{compare, policy};
use yellowlegs_core::check::all;

/// Checks that no single setting of a right fleet breaks, with the reason.
const ELSEWHERE: &[(&str, &str)] = &[
    ("port/role-unknown", "roles are listed here, whatever the settings"),
    ("port-security/pinned-unsaved", "this fleet keeps no saved copies: checks/main.rs"),
    ("port-security/pinned-twice", "stations are lists without a value of their own to put in: fleet.rs"),
    ("dhcp-snooping/off", "one switch of two that is off is not-armed: checks/addresses.rs"),
    ("multicast/snooping-off", "one switch of three that is off is not-armed: checks/streams.rs"),
    ("unidirectional/off", "one end of two that is off is one-ended: fleet.rs"),
    ("fast-start/reach", "needs a value that a global line gave: checks/edge.rs"),
    ("fast-start/slow", "detection takes 3 s, less than the built-in policy: checks/edge.rs"),
    ("voice/range-overlap", "ranges are lists without a value of their own to put in: checks/voice.rs"),
    ("voice/range-wide", "the same"),
    ("config/unsaved", "this fleet keeps no saved copies: checks/whole.rs"),
    ("config/unread", "about lines, not settings: checks/whole.rs"),
    ("config/torn", "about the text, not settings: doubt.rs"),
    ("config/dangling", "about names, not settings: doubt.rs"),
    ("config/restart-pending", "names are lists without a value of their own to put in: checks/whole.rs"),
    ("config/drift", "this fleet has no sisters: fleet.rs"),
];

/// Settings that no check on configuration holds against anything, whatever their value, with the reason.
const QUIET: &[(&str, &str)] = &[
    ("arp-inspection.enabled", "Shingle has no such switch: the VLANs are enough"),
    ("arp-inspection.rate-limit", "no policy asks for one"),
    ("dhcp-snooping.store-delay", "counts with the state of the store"),
    ("guard.loop-detection-interval", "no policy asks for one"),
    ("lldp.interval", "no policy asks for one"),
    ("multicast.querier-address", "each querier here has an address of its own"),
    ("platform.pending", "only its names matter: checks/whole.rs"),
    ("port.description", "roles are listed here"),
    ("port.media", "with detection on at both ends it makes no difference: fleet.rs"),
    ("power.maximum", "one port more does not exceed the budget: power.budget does"),
    ("power.limit", "a lower one leaves more: power.maximum and power.budget"),
    ("recovery.causes", "without an interval they come back by hand, as before"),
    ("recovery.interval", "no cause uses it here: checks/whole.rs"),
    ("recovery.loop-detection", "no security cause"),
    ("recovery.unidirectional", "no security cause"),
    ("spanning-tree.hello", "detection is quicker than any value next to it: unidirectional.interval"),
    ("spanning-tree.host-speed-up", "counts with the classic protocol"),
    ("spanning-tree.max-age", "counts with the classic protocol, or where hosts wait"),
    ("spanning-tree.priority", "who is root shows only in state"),
    ("storm.action", "no policy asks for one"),
    ("switch.address-ranges", "none is right; others: checks/voice.rs"),
    ("switch.name", "the folder names the switch, the policy its links"),
    ("vlan.mld-querier", "no policy asks for IPv6 multicast"),
    ("vlan.mld-snooping", "the same"),
    ("vlan.name", "names are for people"),
    ("vlan.response-interval", "no policy asks for one"),
    ("vlan.robustness", "no policy asks for one"),
    ("voice.signalling-announcement", "without it nothing is judged of signalling"),
    ("voice.signalling-vlan", "the site marks signalling, it has no VLAN of its own"),
];

#[test]
fn each_setting_breaks_exactly_what_it_is_listed_to_break() {
    let (policy, fleet) = (policy(POLICY), fleet());
    let right = judged(&policy, &fleet.clone().into_iter().collect());
    assert!(right.is_empty(), "the fleet is not wholly right: {right:#?}");
    let mut rows: BTreeMap<(String, String), BTreeMap<String, BTreeSet<String>>> = BTreeMap::new();
    let (mut broken, mut count) = (BTreeSet::new(), 0);
    changes(&fleet, |setting, value, place, after| {
        let told = judged(&policy, after);
        count += 1;
        broken.extend(told.iter().filter_map(|line| line.split(' ').next().map(str::to_owned)));
        let entry = rows.entry((setting.to_owned(), value.to_owned())).or_default();
        if !told.is_empty() {
            entry.insert(place.to_owned(), told);
        }
    });
    assert!(count > 1500, "only {count} changes");
    let mut page = String::from("# Setting = value, then where it was changed: what the audit says.\n");
    let mut settings: BTreeMap<&str, bool> = BTreeMap::new();
    for ((setting, value), places) in &rows {
        *settings.entry(setting).or_default() |= !places.is_empty();
        for (place, told) in places {
            // What stands on the changed place itself is told without it.
            let told: Vec<String> = told
                .iter()
                .map(|line| line.strip_suffix(place.as_str()).map_or_else(|| line.clone(), |l| l.trim_end().to_owned()))
                .collect();
            let _ = writeln!(page, "{setting} = {value} | {place} | {}", told.join(", "));
        }
    }
    compare("crates/yellowlegs-core/tests/data/knock-out.txt", &page);
    let quiet: BTreeSet<&str> = settings.iter().filter(|(_, breaks)| !**breaks).map(|(setting, _)| *setting).collect();
    assert_eq!(quiet, QUIET.iter().map(|(setting, _)| *setting).collect::<BTreeSet<_>>());
    let entries = ["config/policy-unused", "config/waiver-expired"];
    let elsewhere = |id: &str| entries.contains(&id) || ELSEWHERE.iter().any(|(listed, _)| *listed == id);
    let never: Vec<&str> =
        all().filter(|c| !c.is_state()).map(|c| c.id).filter(|id| !elsewhere(id) && !broken.contains(*id)).collect();
    assert!(never.is_empty(), "no setting breaks {never:?}");
    let needless: Vec<&str> = ELSEWHERE.iter().map(|(id, _)| *id).filter(|id| broken.contains(*id)).collect();
    assert!(needless.is_empty(), "some setting does break {needless:?}");
}
