//! Cases of the checks that need state. Beside the lines of the other tables: `seen KIND CELL…` is a row of a table (without
//! cells only its heading), `raw LINE` a line of state as it stands; `~` stands for a blank inside a cell.

use super::Case;

/// What a switch tells that has nothing to tell.
const QUIET: &str = "raw harbour clock 2031-03-04 06:00:00";

/// The headings of Shingle's tables.
pub(crate) const TABLES: &[(&str, &[&str])] = &[
    ("status", &["Socket", "Line", "Kept shut by", "Since", "Opens in", "Pace"]),
    ("station", &["Lane", "Station", "Socket", "Kept", "Silent for"]),
    ("binding", &["Station", "Address", "Lane", "Socket", "Left"]),
    ("counters", &["Socket", "Turned away", "Inside", "False leases"]),
    ("power", &["Socket", "Feeds", "Class", "Asked", "Set aside", "Drawn"]),
];

/// The inventory that these cases are judged by.
pub(crate) const STATIONS: &str = "address,kind,role,owner,room
02:00:5e:20:00:01,phone,,,
02:00:5e:10:00:01,computer,desk,office,room 7
02:00:5e:10:00:02,computer,,,
02:00:5e:10:00:09,kiosk,kiosk,,
02:00:5e:30:00:01,phone,,,
";

#[rustfmt::skip]
pub(crate) const CASES: &[Case] = &[
    ("port/role-mismatch", "met", "desk", "raw socket 1.1 hears;raw   can: phone, bridge;seen station 110 02:00:5e:10:00:01 1.1 heard 5s", &[]),
    ("port/role-mismatch", "violated", "desk", "raw socket 1.1 hears;raw   name: hub;raw   can: bridge", &[]),
    // What announces itself as an endpoint is one, whatever else it can do.
    ("port/role-mismatch", "met", "host", "raw socket 1.1 hears;raw   can: bridge;raw   class: 1", &[]),
    ("port/role-mismatch", "violated", "host", "raw socket 1.1 hears;raw   can: phone;raw   class: 3", &[]),
    ("port/role-mismatch", "violated", "up", "raw socket 1.1 hears;raw   can: phone", &[]),
    ("port/role-mismatch", "met", "up", "raw socket 1.1 hears;raw   can: bridge, router", &[]),
    ("port/role-mismatch", "violated", "spare", "seen station 110 02:00:5e:10:00:01 1.1 heard 5s", &[]),
    ("port/role-mismatch", "violated", "desk", "seen station 110 02:00:5e:10:00:09 1.1 heard 5s", &[]),
    ("port/role-mismatch", "violated", "host", "seen station 110 02:00:5e:20:00:01 1.1 heard 5s", &[]),
    ("port/role-mismatch", "undetermined", "desk", QUIET, &[]),
    ("port/role-mismatch", "undetermined", "nobody", "raw socket 1.1 hears;raw   can: bridge", &[]),
    ("port/role-mismatch", "not-applicable", "desk", "", &[]),

    ("port-security/over-limit", "met", "desk", "carries single;home lane 110;crowd watch;crowd ceiling 3;seen station 110 02:00:5e:10:00:01 1.1 heard 5s", &[]),
    ("port-security/over-limit", "met", "desk", "seen station", &[]),
    // A phone that speaks in two VLANs counts twice on this platform: three are right.
    ("port-security/over-limit", "met", "desk", "carries single;crowd watch;crowd ceiling 3;seen station 110 02:00:5e:10:00:01 1.1 heard 5s;seen station 110 02:00:5e:20:00:01 1.1 heard 5s;seen station 210 02:00:5e:20:00:01 1.1 heard 5s", &[]),
    ("port-security/over-limit", "violated", "desk", "carries single;crowd watch;crowd ceiling 2;seen station 110 02:00:5e:10:00:01 1.1 heard 5s;seen station 110 02:00:5e:20:00:01 1.1 heard 5s;seen station 210 02:00:5e:20:00:01 1.1 heard 5s", &[]),
    ("port-security/over-limit", "met", "desk", "carries single;crowd watch;crowd ceiling 2;seen station 110 02:00:5e:10:00:01 1.1 heard 5s;seen station 110 02:00:5e:20:00:01 1.1 heard 5s;seen station 210 02:00:5e:20:00:01 1.1 heard 5s", &["stations-counted = \"per-station\""]),
    // Without port security the role's number stands.
    ("port-security/over-limit", "violated", "host", "carries single;seen station 120 02:00:5e:10:00:01 1.1 heard 5s;seen station 120 02:00:5e:10:00:02 1.1 heard 5s", &[]),
    ("port-security/over-limit", "undetermined", "desk", QUIET, &[]),
    ("port-security/over-limit", "undetermined", "nobody", "seen station 110 02:00:5e:10:00:01 1.1 heard 5s", &[]),
    ("port-security/over-limit", "not-applicable", "up", "seen station 110 02:00:5e:10:00:01 1.1 heard 5s;seen station 110 02:00:5e:10:00:02 1.1 heard 5s", &[]),
    ("port-security/over-limit", "not-applicable", "desk", "", &[]),

    ("port-security/stranger", "met", "desk", "seen station 110 02:00:5e:10:00:01 1.1 heard 5s", &[]),
    ("port-security/stranger", "violated", "desk", "seen station 110 02:00:5e:66:00:01 1.1 heard 5s", &[]),
    ("port-security/stranger", "undetermined", "desk", QUIET, &[]),
    // A table that is too old tells nothing.
    ("port-security/stranger", "undetermined", "desk", "raw harbour clock 2031-03-01 06:00:00;seen station 110 02:00:5e:66:00:01 1.1 heard 5s", &[]),
    ("port-security/stranger", "violated", "desk", "raw harbour clock 2031-03-03 06:31:00;seen station 110 02:00:5e:66:00:01 1.1 heard 5s", &[]),
    ("port-security/stranger", "not-applicable", "up", "seen station 110 02:00:5e:66:00:01 1.1 heard 5s", &[]),

    ("port-security/violations", "met", "desk", "seen counters 1.1 0 1 0", &[]),
    ("port-security/violations", "violated", "desk", "seen counters 1.1 4 1 0", &[]),
    ("port-security/violations", "violated", "desk", "seen status 1.1 down crowd 2031-03-04~05:00:00 by~hand 1G", &[]),
    ("port-security/violations", "violated", "desk", "raw 2031-03-04 05:00:00 socket 1.1 turned away 02:00:5e:66:00:01", &[]),
    ("port-security/violations", "met", "desk", "seen counters 1.1 0 1 0;raw 2031-01-04 05:00:00 socket 1.1 turned away 02:00:5e:66:00:01", &[]),
    // The counters were cleared since.
    ("port-security/violations", "met", "desk", "seen counters 1.1 0 1 0;raw 2031-03-04 05:00:00 socket 1.1 turned away 02:00:5e:66:00:01", &[]),
    ("port-security/violations", "undetermined", "desk", QUIET, &[]),
    ("port-security/violations", "not-applicable", "desk", "", &[]),

    ("dhcp-snooping/store-failing", "met", "desk", "top dhcp watch keeps;raw bindings kept in loft last at 2031-03-04 05:59:00", &[]),
    ("dhcp-snooping/store-failing", "violated", "desk", "top dhcp watch keeps;raw bindings kept in loft last at 2031-03-04 05:59:00 failed 2 times", &[]),
    ("dhcp-snooping/store-failing", "violated", "desk", "top dhcp watch keeps;raw 2031-03-04 05:00:00 bindings not written", &[]),
    ("dhcp-snooping/store-failing", "undetermined", "desk", "top dhcp watch keeps;raw harbour clock 2031-03-04 06:00:00", &[]),
    // Where nothing is kept, store-missing says it.
    ("dhcp-snooping/store-failing", "not-applicable", "desk", "raw 2031-03-04 05:00:00 bindings not written", &[]),

    ("dhcp-snooping/binding-misplaced", "met", "desk", "carries single;home lane 110;seen binding 02:00:5e:10:00:01 192.0.2.7 110 1.1 1h", &[]),
    ("dhcp-snooping/binding-misplaced", "violated", "desk", "carries single;home lane 110;seen binding 02:00:5e:10:00:01 192.0.2.7 120 1.1 1h", &[]),
    ("dhcp-snooping/binding-misplaced", "violated", "up", "carries bundle;dhcp believed;seen binding 02:00:5e:10:00:01 192.0.2.7 110 1.1 1h", &[]),
    ("dhcp-snooping/binding-misplaced", "undetermined", "desk", QUIET, &[]),
    ("dhcp-snooping/binding-misplaced", "undetermined", "desk", "seen binding 02:00:5e:10:00:01 192.0.2.7 120 1.1 1h", &["port.mode"]),
    ("dhcp-snooping/binding-misplaced", "not-applicable", "desk", "", &[]),

    ("dhcp-snooping/binding-double", "met", "desk", "seen binding 02:00:5e:10:00:01 192.0.2.7 110 1.1 1h;seen binding 02:00:5e:10:00:02 192.0.2.8 110 1.1 1h", &[]),
    ("dhcp-snooping/binding-double", "violated", "desk", "seen binding 02:00:5e:10:00:01 192.0.2.7 110 1.1 1h;seen binding 02:00:5e:10:00:02 192.0.2.7 110 1.2 1h", &[]),
    ("dhcp-snooping/binding-double", "violated", "desk", "seen binding 02:00:5e:10:00:01 192.0.2.7 110 1.1 1h;seen binding 02:00:5e:10:00:01 192.0.2.8 110 1.1 1h", &[]),
    // Another VLAN is another address.
    ("dhcp-snooping/binding-double", "met", "desk", "seen binding 02:00:5e:10:00:01 192.0.2.7 110 1.1 1h;seen binding 02:00:5e:10:00:01 192.0.2.130 210 1.1 1h", &[]),
    ("dhcp-snooping/binding-double", "undetermined", "desk", QUIET, &[]),
    ("dhcp-snooping/binding-double", "not-applicable", "desk", "", &[]),

    ("dhcp-snooping/binding-expired", "met", "desk", "seen binding 02:00:5e:10:00:01 192.0.2.7 110 1.1 1s", &[]),
    ("dhcp-snooping/binding-expired", "violated", "desk", "seen binding 02:00:5e:10:00:01 192.0.2.7 110 1.1 0s", &[]),
    ("dhcp-snooping/binding-expired", "undetermined", "desk", QUIET, &[]),
    ("dhcp-snooping/binding-expired", "not-applicable", "desk", "", &[]),

    ("dhcp-snooping/host-unbound", "met", "desk", "carries single;home lane 110;seen station 110 02:00:5e:10:00:01 1.1 heard 5s;seen binding 02:00:5e:10:00:01 192.0.2.7 110 1.1 1h", &[]),
    ("dhcp-snooping/host-unbound", "violated", "desk", "carries single;home lane 110;seen station 110 02:00:5e:10:00:01 1.1 heard 5s;seen binding", &[]),
    ("dhcp-snooping/host-unbound", "violated", "desk", "carries single;home lane 110;seen station 110 02:00:5e:10:00:01 1.1 heard 5s;seen binding 02:00:5e:10:00:01 192.0.2.130 210 1.1 1h", &[]),
    // An entry that is over, an address it gave itself, a station written by hand, one the site lists: told elsewhere or right.
    ("dhcp-snooping/host-unbound", "met", "desk", "carries single;home lane 110;seen station 110 02:00:5e:10:00:01 1.1 heard 5s;seen binding 02:00:5e:10:00:01 192.0.2.7 110 1.1 0s", &[]),
    ("dhcp-snooping/host-unbound", "met", "desk", "carries single;home lane 110;seen station 110 02:00:5e:10:00:01 1.1 resident 5s;seen binding", &[]),
    ("dhcp-snooping/host-unbound", "met", "desk", "carries single;home lane 110;seen station 110 02:00:5e:fe:00:01 1.1 heard 5s;seen binding", &[]),
    // A VLAN that is not covered.
    ("dhcp-snooping/host-unbound", "met", "desk", "carries single;home lane 300;seen station 300 02:00:5e:10:00:01 1.1 heard 5s;seen binding", &[]),
    ("dhcp-snooping/host-unbound", "undetermined", "desk", "carries single;home lane 110;seen station 110 02:00:5e:10:00:01 1.1 heard 5s", &[]),
    ("dhcp-snooping/host-unbound", "not-applicable", "desk", "dhcp believed;seen station 110 02:00:5e:10:00:01 1.1 heard 5s;seen binding", &[]),
    ("dhcp-snooping/host-unbound", "not-applicable", "up", "seen station 110 02:00:5e:10:00:01 1.1 heard 5s;seen binding", &[]),

    ("dhcp-snooping/rogue-seen", "met", "desk", "seen counters 1.1 0 1 0", &[]),
    ("dhcp-snooping/rogue-seen", "violated", "desk", "seen counters 1.1 0 1 3", &[]),
    ("dhcp-snooping/rogue-seen", "violated", "desk", "raw 2031-03-04 05:00:00 socket 1.1 false lease from 192.0.2.66 dropped", &[]),
    ("dhcp-snooping/rogue-seen", "met", "desk", "raw 2031-03-04 05:00:00 socket 1.2 false lease from 192.0.2.66 dropped", &[]),
    ("dhcp-snooping/rogue-seen", "not-applicable", "up", "dhcp believed;seen counters 1.1 0 1 3", &[]),
    ("dhcp-snooping/rogue-seen", "undetermined", "desk", QUIET, &[]),
    ("dhcp-snooping/rogue-seen", "undetermined", "desk", "seen counters 1.1 0 1 3", &["dhcp-snooping.trusted"]),
    ("dhcp-snooping/rogue-seen", "not-applicable", "desk", "", &[]),

    ("dhcp-snooping/self-assigned", "met", "desk", "seen binding 02:00:5e:10:00:01 192.0.2.7 110 1.1 1h", &[]),
    ("dhcp-snooping/self-assigned", "violated", "desk", "seen binding 02:00:5e:10:00:01 169.254.7.7 110 1.1 1h", &[]),
    ("dhcp-snooping/self-assigned", "undetermined", "desk", QUIET, &[]),
    ("dhcp-snooping/self-assigned", "not-applicable", "up", "seen binding 02:00:5e:10:00:01 169.254.7.7 110 1.1 1h", &[]),

    ("dhcp-snooping/foreign-subnet", "met", "desk", "seen binding 02:00:5e:10:00:01 192.0.2.7 110 1.1 1h", &[]),
    ("dhcp-snooping/foreign-subnet", "violated", "desk", "seen binding 02:00:5e:10:00:01 192.0.2.130 110 1.1 1h", &[]),
    ("dhcp-snooping/foreign-subnet", "met", "desk", "seen binding 02:00:5e:10:00:01 169.254.7.7 110 1.1 1h", &[]),
    ("dhcp-snooping/foreign-subnet", "met", "desk", "seen binding 02:00:5e:10:00:01 198.51.100.7 210 1.1 1h", &[]),
    ("dhcp-snooping/foreign-subnet", "undetermined", "desk", QUIET, &[]),
    ("dhcp-snooping/foreign-subnet", "not-applicable", "desk", "", &[]),

    ("voice/phone-astray", "met", "desk", "carries single;home lane 110;speech lane 210;seen station 210 02:00:5e:20:00:01 1.1 heard 5s;seen station 110 02:00:5e:10:00:01 1.1 heard 5s", &[]),
    ("voice/phone-astray", "violated", "desk", "carries single;home lane 110;speech lane 210;seen station 110 02:00:5e:20:00:01 1.1 heard 5s", &[]),
    // By the inventory; by its binding; by what it announces.
    ("voice/phone-astray", "violated", "desk", "carries single;home lane 110;speech lane 210;seen station 110 02:00:5e:30:00:01 1.1 heard 5s", &[]),
    ("voice/phone-astray", "violated", "desk", "carries single;home lane 110;speech lane 210;seen station;seen binding 02:00:5e:20:00:01 192.0.2.7 110 1.1 1h", &[]),
    ("voice/phone-astray", "violated", "desk", "carries single;home lane 110;speech lane 210;seen station 110 02:00:5e:40:00:01 1.1 heard 5s;raw socket 1.1 hears;raw   chassis: 02:00:5e:40:00:01;raw   can: phone", &[]),
    // It was moved, and stands in the data VLAN until it is forgotten there.
    ("voice/phone-astray", "met", "desk", "carries single;home lane 110;speech lane 210;seen station 110 02:00:5e:20:00:01 1.1 heard 5s;seen station 210 02:00:5e:20:00:01 1.1 heard 5s", &[]),
    // By its class, where it says nothing else of itself; another class is no phone.
    ("voice/phone-astray", "violated", "desk", "carries single;home lane 110;speech lane 210;seen station 110 02:00:5e:40:00:01 1.1 heard 5s;raw socket 1.1 hears;raw   chassis: 02:00:5e:40:00:01;raw   class: 3", &[]),
    ("voice/phone-astray", "met", "desk", "carries single;home lane 110;speech lane 210;seen station 110 02:00:5e:40:00:01 1.1 heard 5s;raw socket 1.1 hears;raw   chassis: 02:00:5e:40:00:01;raw   class: 2", &[]),
    ("voice/phone-astray", "undetermined", "desk", QUIET, &[]),
    ("voice/phone-astray", "undetermined", "desk", "seen station 110 02:00:5e:20:00:01 1.1 heard 5s", &["port.mode"]),
    ("voice/phone-astray", "not-applicable", "host", "seen station 110 02:00:5e:20:00:01 1.1 heard 5s", &[]),

    ("voice/neighbour-disagrees", "met", "desk", "announces speech;speech told tagged;speech told lane 210;speech told priority 5;speech told dscp 46;raw socket 1.1 hears;raw   speech:;raw     lane: 210;raw     priority: 5;raw     dscp: 46", &[]),
    ("voice/neighbour-disagrees", "violated", "desk", "speech told tagged;speech told lane 210;raw socket 1.1 hears;raw   speech:;raw     lane: 110", &[]),
    ("voice/neighbour-disagrees", "violated", "desk", "speech told tagged;speech told lane 210;speech told dscp 46;raw socket 1.1 hears;raw   speech:;raw     lane: 210;raw     dscp: 0", &[]),
    // A phone that tells nothing of voice contradicts nothing.
    ("voice/neighbour-disagrees", "met", "desk", "speech told tagged;speech told lane 210;raw socket 1.1 hears;raw   can: phone", &[]),
    ("voice/neighbour-disagrees", "undetermined", "desk", "speech told tagged;raw harbour clock 2031-03-04 06:00:00", &[]),
    ("voice/neighbour-disagrees", "not-applicable", "desk", "raw socket 1.1 hears;raw   speech:;raw     lane: 110", &[]),
    ("voice/neighbour-disagrees", "not-applicable", "host", "speech told tagged;raw socket 1.1 hears;raw   speech:;raw     lane: 110", &[]),

    ("voice/range-gap", "met", "desk", "roaming lane;top stations 02:00:5e:20:00:00/32 into lane 210;seen station 210 02:00:5e:20:00:01 1.1 heard 5s", &[]),
    ("voice/range-gap", "violated", "desk", "roaming lane;top stations 02:00:5e:20:00:00/32 into lane 210;seen station 110 02:00:5e:30:00:01 1.1 heard 5s", &[]),
    ("voice/range-gap", "undetermined", "desk", "roaming lane;raw harbour clock 2031-03-04 06:00:00", &[]),
    ("voice/range-gap", "not-applicable", "desk", "seen station 110 02:00:5e:30:00:01 1.1 heard 5s", &[]),

    // Nothing hangs on a port that the table of power leaves out; where it goes by the hardware alone each port counts.
    ("voice/power-overdrawn", "met", "desk", "top larder 10W;seen power 1.1 yes 2 6W 7W 5W", &[]),
    ("voice/power-overdrawn", "violated", "desk", "top larder 6W;seen power 1.1 yes 2 6W 7W 5W", &[]),
    ("voice/power-overdrawn", "met", "desk", "top larder 1W;seen power", &[]),
    ("voice/power-overdrawn", "violated", "desk", "top larder 10W;raw harbour clock 2031-03-04 06:00:00", &[]),
    ("voice/power-overdrawn", "violated", "desk", "top larder 10W;seen power 1.1 yes 2 6W 7W 5W", &["power-set-aside = [\"port-maximum\"]"]),
    ("voice/power-overdrawn", "violated", "desk", "top larder 10W;raw harbour clock 2031-03-01 06:00:00;seen power 1.1 yes 2 6W 7W 5W", &[]),
    ("voice/power-short", "met", "desk", "feeds;seen power 1.1 yes 2 6W 7W 5W", &[]),
    ("voice/power-short", "violated", "desk", "feeds;feeds at-most 5W;seen power 1.1 yes 2 6W 7W 5W", &[]),
    ("voice/power-short", "violated", "desk", "feeds;seen power 1.1 yes 2 6W 5W 5W", &[]),
    ("voice/power-short", "violated", "desk", "feeds;seen power 1.1 yes 1 6W 7W 5W", &[]),
    ("voice/power-short", "violated", "desk", "feeds;feeds at-most 5W;raw socket 1.1 hears;raw   power:;raw     asks: 6W", &[]),
    // As much as is asked is enough, by the limit, by what is set aside, by the class (6.49 W) and by the port.
    ("voice/power-short", "met", "desk", "feeds;feeds at-most 6W;seen power 1.1 yes 2 6W 6W 5W", &[]),
    ("voice/power-short", "met", "desk", "feeds;seen power 1.1 yes 3 15W 15W 5W", &["power.maximum = \"15W\""]),
    ("voice/power-short", "violated", "desk", "feeds;seen power 1.1 yes 3 15W 15W 5W", &["power.maximum = \"14W\""]),
    // No limit, and a class that says nothing.
    ("voice/power-short", "met", "desk", "feeds;feeds at-most 0W;seen power 1.1 yes 2 6W 7W 5W", &[]),
    ("voice/power-short", "met", "desk", "feeds;seen power 1.1 yes 0 20W 20W 5W", &[]),
    ("voice/power-short", "met", "desk", "feeds;seen power 1.1 yes 2 6W 7W 5W", &["power.maximum = 0"]),
    ("voice/power-short", "undetermined", "desk", "feeds;raw harbour clock 2031-03-04 06:00:00", &[]),
    ("voice/power-short", "not-applicable", "desk", "without feeds;seen power 1.1 yes 2 6W 5W 5W", &[]),

    ("multicast/fast-leave-shared", "met", "strict", "choir quick leave;seen station 140 02:00:5e:10:00:01 1.1 heard 5s", &[]),
    ("multicast/fast-leave-shared", "violated", "strict", "choir quick leave;seen station 140 02:00:5e:10:00:01 1.1 heard 5s;seen station 140 02:00:5e:10:00:02 1.1 heard 5s", &[]),
    ("multicast/fast-leave-shared", "undetermined", "strict", "choir quick leave;raw harbour clock 2031-03-04 06:00:00", &[]),
    ("multicast/fast-leave-shared", "not-applicable", "strict", "seen station 140 02:00:5e:10:00:01 1.1 heard 5s;seen station 140 02:00:5e:10:00:02 1.1 heard 5s", &[]),

    ("unidirectional/seen", "met", "up", "two-way watch close;raw socket 1.1 two-way watch sees both-ways of t2", &[]),
    ("unidirectional/seen", "violated", "up", "two-way watch close;raw socket 1.1 two-way watch sees one-way", &[]),
    ("unidirectional/seen", "violated", "up", "two-way watch close;raw socket 1.1 two-way watch sees unsure", &[]),
    // A neighbour that takes no part is no fault of the link.
    ("unidirectional/seen", "met", "up", "two-way watch close;raw socket 1.1 two-way watch sees nobody", &[]),
    ("unidirectional/seen", "met", "up", "raw socket 1.1 two-way watch sees unsure", &[]),
    ("unidirectional/seen", "undetermined", "up", QUIET, &[]),
    ("unidirectional/seen", "not-applicable", "up", "", &[]),

    ("flap/would-trip", "met", "desk", "raw 2031-03-04 05:00:00 socket 1.1 line down;raw 2031-03-04 05:00:03 socket 1.1 line up", &[]),
    ("flap/would-trip", "violated", "desk", "raw 2031-03-04 05:00:00 socket 1.1 line down;raw 2031-03-04 05:00:02 socket 1.1 line down;raw 2031-03-04 05:00:04 socket 1.1 line down;raw 2031-03-04 05:00:06 socket 1.1 line down;raw 2031-03-04 05:00:10 socket 1.1 line down", &[]),
    // One second past the window.
    ("flap/would-trip", "met", "desk", "raw 2031-03-04 05:00:00 socket 1.1 line down;raw 2031-03-04 05:00:02 socket 1.1 line down;raw 2031-03-04 05:00:04 socket 1.1 line down;raw 2031-03-04 05:00:06 socket 1.1 line down;raw 2031-03-04 05:00:11 socket 1.1 line down", &[]),
    ("flap/would-trip", "violated", "desk", "raw 2031-03-04 05:00:00 socket 1.1 shut by flutter;raw 2031-03-04 05:01:00 socket 1.1 opened again", &[]),
    ("flap/would-trip", "not-applicable", "desk", "raw 2031-03-04 05:00:00 socket 1.1 shut by flutter;raw socket 1.1 flutter held 5 seen opens in 20s", &[]),
    ("flap/would-trip", "undetermined", "desk", QUIET, &[]),
    // Whether each change counts decides here, and nobody says.
    ("flap/would-trip", "undetermined", "desk", "raw 2031-03-04 05:00:00 socket 1.1 line down;raw 2031-03-04 05:00:01 socket 1.1 line up;raw 2031-03-04 05:00:02 socket 1.1 line down;raw 2031-03-04 05:00:03 socket 1.1 line up;raw 2031-03-04 05:00:04 socket 1.1 line down", &["flap-counts"]),
    ("flap/would-trip", "not-applicable", "desk", "", &[]),

    ("recovery/held-down", "met", "desk", "seen status 1.1 up nobody 2031-03-04~05:00:00 _ 1G", &[]),
    ("recovery/held-down", "met", "desk", "seen status 1.1 down nobody 2031-03-04~05:00:00 _ 1G", &[]),
    ("recovery/held-down", "met", "desk", "seen status 1.1 down keeper 2031-03-04~05:00:00 _ 1G", &[]),
    ("recovery/held-down", "violated", "desk", "seen status 1.1 down tree 2031-03-04~05:00:00 by~hand 1G", &[]),
    ("recovery/held-down", "violated", "desk", "raw socket 1.1 flutter held 5 seen opens in 20s", &[]),
    ("recovery/held-down", "undetermined", "desk", QUIET, &[]),
    ("recovery/held-down", "not-applicable", "desk", "", &[]),

    ("recovery/shut-in-use", "met", "desk", "raw 2031-03-04 05:00:00 socket 1.1 line down", &[]),
    ("recovery/shut-in-use", "violated", "desk", "asleep;raw 2031-03-04 05:00:00 socket 1.1 line down", &[]),
    ("recovery/shut-in-use", "violated", "desk", "seen status 1.1 down keeper 2031-03-04~05:00:00 _ 1G;raw 2031-03-03 05:00:00 socket 1.1 line up", &[]),
    ("recovery/shut-in-use", "violated", "desk", "asleep;seen station 110 02:00:5e:10:00:01 1.1 heard 5s", &[]),
    ("recovery/shut-in-use", "met", "desk", "asleep;raw 2030-12-04 05:00:00 socket 1.1 line down", &[]),
    // No log, no station: the status says when it went down.
    ("recovery/shut-in-use", "violated", "desk", "seen status 1.1 down keeper 2031-03-03~05:00:00 _ 1G", &[]),
    ("recovery/shut-in-use", "met", "desk", "seen status 1.1 down keeper 2030-12-04~05:00:00 _ 1G", &[]),
    ("recovery/shut-in-use", "violated", "desk", "asleep;seen status 1.1 down nobody 2031-03-03~05:00:00 _ 1G", &[]),
    ("recovery/shut-in-use", "met", "spare", "asleep;raw 2031-03-04 05:00:00 socket 1.1 line down", &[]),
    ("recovery/shut-in-use", "undetermined", "desk", "asleep;raw harbour clock 2031-03-04 06:00:00", &[]),
    ("recovery/shut-in-use", "not-applicable", "desk", "", &[]),
];
