//! Cases under another policy or on another platform than the tables': values of the site, other roles, other traits, other lines of state.

use rstest::rstest;
use yellowlegs_core::check::{FleetOutcome, Judge, Selection, Usage, all};
use yellowlegs_core::policy::{Inventory, InventoryFile};
use yellowlegs_core::source::Source;

use super::support::{POLICY, SHINGLE, as_of, dialect, policy, verdicts};
use super::{state, switch};

/// What is added: values of the site, entries of the policy, rules of the dialect (`key = value` above the first table replaces
/// that line).
#[derive(Default, Clone, Copy)]
struct Besides {
    site: &'static str,
    policy: &'static str,
    dialect: &'static str,
    trait_: (&'static str, &'static str),
}

const PLAIN: Besides = Besides { site: "", policy: "", dialect: "", trait_: ("", "") };

fn site(site: &'static str) -> Besides {
    Besides { site, ..PLAIN }
}

fn entries(policy: &'static str) -> Besides {
    Besides { policy, ..PLAIN }
}

fn rules(dialect: &'static str) -> Besides {
    Besides { dialect, ..PLAIN }
}

fn platform(line: &'static str, instead: &'static str) -> Besides {
    Besides { trait_: (line, instead), ..PLAIN }
}

fn verdict(check: &str, besides: Besides, note: &str, lines: &str) -> &'static str {
    let text = POLICY.replacen("[site]\n", &format!("[site]\n{}\n", besides.site), 1) + besides.policy;
    let mut policy = policy(&text);
    policy.stations =
        Some(Inventory::parse(&Source::of("stations.csv", state::STATIONS), &InventoryFile::default()).unwrap());
    let rules = SHINGLE.split("# ── examples").next().unwrap().to_owned() + besides.dialect;
    let (line, instead) = besides.trait_;
    assert!(rules.contains(line), "{line} is not there to be replaced");
    let dialect = dialect(&if line.is_empty() { rules } else { rules.replacen(line, instead, 1) });
    let told = verdicts(&switch(&dialect, note, lines), &dialect, &policy);
    assert!(all().any(|known| known.id == check), "{check}");
    told.iter().find(|(id, ..)| *id == check).map(|(_, verdict, _)| *verdict).unwrap()
}

const DESK: &str = "carries single;home lane 110";
const GRANTED: &str = "[[line]]\npattern = 'lease of <address:station> at <ip:ip> lane <vlan:vlan> socket <port:port> granted <granted:time>'\nfact = 'binding'\n";
const ARP: &str = "[[line]]\npattern = '<time:time> socket <port:port> claim of <ip:ip> by <address:station> dropped'\nfact = 'event'\nfields = { kind = 'arp-dropped' }\n";
const ONE_WAY: &str = "[[line]]\npattern = '<time:time> socket <port:port> hears and is not heard'\nfact = 'event'\nfields = { kind = 'one-way' }\n";
const AP: &str = "[[role]]\nname = 'radio'\nfaces = 'access-point'\ndescribes = ['^radio']\n";
const PHONE: &str = "[[role]]\nname = 'handset'\nfaces = 'phone'\ndescribes = ['^handset']\n";
const ROUTER: &str = "[[role]]\nname = 'out'\nfaces = 'router'\ndescribes = ['^out']\n";
const STUDIO: &str = "[[role]]\nname = 'studio'\nfaces = 'host'\ndescribes = ['^studio']\ntime-critical = true\n[role.expect]\n'port.trust' = 'both'\n";

/// VLANs that the site wants snooped, whether ports use them or not: those that are there.
#[rstest]
#[case("", DESK, "met")]
#[case("snooping-vlans = '110,140'", DESK, "met")]
#[case("snooping-vlans = '110,300'", DESK, "violated")]
#[case("snooping-vlans = '110,777'", DESK, "met")]
#[case("snooping-vlans = '300'", "carries single;home lane 300", "violated")]
#[case("snooping-vlans = '300'", "top dhcp watch lanes 300;carries single;home lane 110", "met")]
fn vlans_that_the_site_wants_snooped(#[case] value: &'static str, #[case] lines: &str, #[case] expected: &str) {
    assert_eq!(verdict("dhcp-snooping/vlan-uncovered", site(value), "desk", lines), expected);
}

/// Ranges of addresses for the voice VLAN: a last octet more is 256 addresses.
#[rstest]
#[case::as_large_as_may_be("range-stations = 65536", "top stations 02:00:5e:20:00:00/32 into lane 210", "met")]
#[case::one_too_large("range-stations = 65535", "top stations 02:00:5e:20:00:00/32 into lane 210", "violated")]
#[case::no_size_is_said("", "top stations 02:00:5e:20:00:00/32 into lane 210", "met")]
#[case::not_the_sites_phones("range-stations = 65536", "top stations 02:00:5e:40:00:00/32 into lane 210", "violated")]
#[case::more_than_the_sites_phones(
    "range-stations = 4294967295",
    "top stations 02:00:5e:20:00:00/28 into lane 210",
    "violated"
)]
fn ranges_that_take_in_too_much(#[case] value: &'static str, #[case] lines: &str, #[case] expected: &str) {
    assert_eq!(verdict("voice/range-wide", site(value), "desk", lines), expected);
}

/// The last write, then when the newest binding was granted; the audit is of 06:30, the delay is five minutes.
#[rstest]
#[case::before_the_write("2031-03-04 05:50:00", "2031-03-04 05:40:00", "met")]
#[case::at_the_write("2031-03-04 05:50:00", "2031-03-04 05:50:00", "met")]
#[case::after_it("2031-03-04 05:50:00", "2031-03-04 05:50:01", "violated")]
#[case::within_the_delay("2031-03-04 05:50:00", "2031-03-04 06:25:00", "met")]
#[case::just_over_the_delay("2031-03-04 05:50:00", "2031-03-04 06:24:59", "violated")]
fn bindings_that_are_not_written_in_time(#[case] written: &str, #[case] granted: &str, #[case] expected: &str) {
    let lines = format!(
        "top dhcp watch keeps;raw bindings kept in loft last at {written};raw lease of 02:00:5e:10:00:01 at 192.0.2.7 lane 110 socket 1.1 granted {granted}"
    );
    assert_eq!(verdict("dhcp-snooping/store-failing", rules(GRANTED), "desk", &lines), expected);
}

#[test]
fn the_newest_binding_counts() {
    let lines = "top dhcp watch keeps;raw bindings kept in loft last at 2031-03-04 05:50:00;\
        raw lease of 02:00:5e:10:00:01 at 192.0.2.7 lane 110 socket 1.1 granted 2031-03-04 06:00:00;\
        raw lease of 02:00:5e:10:00:02 at 192.0.2.8 lane 110 socket 1.1 granted 2031-03-04 05:00:00";
    assert_eq!(verdict("dhcp-snooping/store-failing", rules(GRANTED), "desk", lines), "violated");
}

/// An address that a station gave itself, as ARP inspection dropped its claim.
#[rstest]
#[case("169.254.7.1", "violated")]
#[case("192.0.2.7", "met")]
#[case("fe80::7", "met")]
fn claims_of_addresses_that_nobody_gave(#[case] ip: &str, #[case] expected: &str) {
    let lines = format!("raw 2031-03-04 06:00:00 socket 1.1 claim of {ip} by 02:00:5e:10:00:01 dropped");
    assert_eq!(verdict("dhcp-snooping/self-assigned", rules(ARP), "desk", &lines), expected);
}

/// What the port faces and what its neighbour can do: something that fits outweighs that it bridges as well.
#[rstest]
#[case::radio(AP, "radio", "bridge, radio", "met", "met")]
#[case::a_machine_that_bridges_too("", "host", "bridge, host", "met", "met")]
#[case::a_router_on_a_desk("", "desk", "router", "violated", "met")]
#[case::a_radio_on_a_desk("", "desk", "radio", "violated", "met")]
#[case::a_machine_behind_a_phone("", "desk", "host", "met", "met")]
#[case::a_machine_where_a_phone_is(PHONE, "handset", "host", "violated", "met")]
#[case::a_phone_where_one_is(PHONE, "handset", "phone", "met", "met")]
#[case::a_machine_on_an_uplink("", "up", "host", "violated", "violated")]
#[case::a_router_on_an_uplink("", "up", "router", "met", "violated")]
#[case::a_radio_on_an_uplink("", "up", "radio", "violated", "violated")]
#[case::whatever_it_is("", "host", "loom", "met", "met")]
#[case::radio_that_is_none(AP, "radio", "bridge", "violated", "violated")]
#[case::radio_that_says_phone(AP, "radio", "phone", "violated", "met")]
#[case::radio_that_says_host(AP, "radio", "host", "violated", "met")]
#[case::router(ROUTER, "out", "bridge, router", "met", "met")]
#[case::router_that_is_none(ROUTER, "out", "bridge", "violated", "met")]
#[case::router_that_says_host(ROUTER, "out", "host", "violated", "met")]
#[case::a_bridge_on_a_desk("", "desk", "bridge", "violated", "violated")]
#[case::a_phone_on_a_desk("", "desk", "bridge, phone", "met", "met")]
fn neighbours_that_fit(
    #[case] role: &'static str,
    #[case] note: &str,
    #[case] can: &str,
    #[case] mismatch: &str,
    #[case] fast_start: &str,
) {
    let lines = format!("carries single;home lane 110;wakes quickly;raw socket 1.1 hears;raw   can: {can}");
    assert_eq!(verdict("port/role-mismatch", entries(role), note, &lines), mismatch);
    if note != "out" {
        assert_eq!(verdict("fast-start/toward-bridge", entries(role), note, &lines), fast_start);
    }
}

/// What the inventory says a station is, and what the port faces. Behind an access point are whoever is near it.
#[rstest]
#[case("", "host", "computer", "met")]
#[case("", "host", "phone", "violated")]
#[case("", "host", "Switch", "violated")]
#[case("", "host", "router", "violated")]
#[case("", "host", "access-point", "violated")]
#[case("", "desk", "phone", "met")]
#[case("", "desk", "bridge", "violated")]
#[case(PHONE, "handset", "phone", "met")]
#[case(PHONE, "handset", "computer", "violated")]
#[case(AP, "radio", "phone", "met")]
#[case(AP, "radio", "computer", "met")]
#[case("", "up", "computer", "met")]
fn kinds_of_stations(#[case] role: &'static str, #[case] note: &str, #[case] kind: &str, #[case] expected: &str) {
    let lines = "carries single;home lane 110;raw socket 1.2 hears;raw   can: host;seen station 110 02:00:5e:77:00:01 1.1 heard 5s";
    let text = POLICY.to_owned() + role;
    let mut policy = policy(&text);
    let listed = format!("address,kind\n02:00:5e:77:00:01,{kind}\n");
    policy.stations = Some(Inventory::parse(&Source::of("stations.csv", listed), &InventoryFile::default()).unwrap());
    let dialect = dialect(SHINGLE.split("# ── examples").next().unwrap());
    let told = verdicts(&switch(&dialect, note, lines), &dialect, &policy);
    let of_check = told.iter().find(|(id, ..)| *id == "port/role-mismatch");
    assert_eq!(of_check.map(|(_, verdict, _)| *verdict), Some(expected));
}

/// What a time-critical port trusts: what its role says, else what the site says.
#[rstest]
#[case(STUDIO, "studio", "believes both", "met")]
#[case(STUDIO, "studio", "believes dscp", "violated")]
#[case("", "screen", "believes dscp", "met")]
fn markings_that_a_role_trusts(
    #[case] role: &'static str,
    #[case] note: &str,
    #[case] line: &str,
    #[case] expected: &str,
) {
    assert_eq!(verdict("multicast/marking-untrusted", entries(role), note, line), expected);
}

/// A port that is held until somebody comes, at places where somebody is and where nobody is.
#[rstest]
#[case::nobody_is_anywhere("", "violated")]
#[case::somebody_is("attended = true", "met")]
#[case::not_at_this_place("attended = true\nunattended = ['t*']", "violated")]
#[case::not_at_another("attended = true\nunattended = ['quay-*']", "met")]
fn places_that_nobody_attends(#[case] site: &'static str, #[case] expected: &str) {
    let lines = "carries single;home lane 120;flutter watch;flutter hold 0";
    assert_eq!(verdict("flap/hold", Besides { site, ..PLAIN }, "host", lines), expected);
}

/// A host that may tag its own VLAN, where nothing else is let in.
#[rstest]
#[case::not_said("", "carries single;home lane 120", "violated")]
#[case::none("host-tags = 'none'", "carries single;home lane 120", "violated")]
#[case::its_own("host-tags = 'own-vlan'", "carries single;home lane 120", "met")]
#[case::others_get_in("host-tags = 'own-vlan'", "carries single;home lane 120;without strict entry", "violated")]
#[case::untagged_alone("", "carries single;home lane 120;admit untagged", "met")]
fn tags_of_a_host(#[case] site: &'static str, #[case] lines: &str, #[case] expected: &str) {
    assert_eq!(verdict("port/ingress-open", Besides { site, ..PLAIN }, "host", lines), expected);
}

/// How long a host waits under the classic protocol, where the platform speeds host ports up to 7 s.
#[rstest]
#[case::sped_up("", "carries single;home lane 120", "host", "7")]
#[case::void_by_tags("voided-by-tags", "carries single;home lane 110;speech lane 210", "host", "30")]
#[case::void_by_a_trunk_s_tags("voided-by-tags", "carries bundle;bare lane 110;bundle lanes 120", "host", "30")]
#[case::no_tags("voided-by-tags", "carries single;home lane 110", "host", "7")]
#[case::tags_do_not_matter("voided-by-second-station", "carries single;home lane 110;speech lane 210", "host", "7")]
#[case::void_by_a_second_station("voided-by-second-station", "carries single;home lane 110", "desk", "30")]
#[case::one_station("voided-by-second-station", "carries single;home lane 120", "host", "7")]
#[case::not_void_for_two("voided-by-tags", "carries single;home lane 110", "desk", "7")]
fn the_classic_speed_up(#[case] words: &str, #[case] lines: &str, #[case] note: &str, #[case] expected: &str) {
    let words = if words.is_empty() { String::new() } else { format!("'{words}'") };
    let rule = "[[rule]]\nin = 'socket'\npattern = 'hurries <time:seconds>'\nsets = { 'spanning-tree.host-speed-up' = '<time>' }\n";
    let rules = SHINGLE.split("# ── examples").next().unwrap();
    let rules = rules.replacen("[traits]\n", &format!("[traits]\nhost-speed-up = [{words}]\n"), 1) + rule;
    let (dialect, policy) = (dialect(&rules), policy(POLICY));
    let resolved = switch(&dialect, note, &format!("{lines};hurries 7"));
    let (as_of, selection) = (as_of(), Selection::default());
    let outcome = Judge::new(&policy, &as_of, &selection, false).switch(&resolved, Some(dialect.lists())).outcome;
    let found = outcome.findings.iter().find(|f| f.check == "fast-start/missing" && f.port.as_deref() == Some("1.1"));
    assert_eq!(found.map(|f| f.inputs.get("seconds").unwrap().to_string()).as_deref(), Some(expected));
}

/// A line of the log that the link works one way; the table that shows both ways again is newer.
#[rstest]
#[case::after_the_table(
    "raw harbour clock 2031-03-04 05:30:00;raw 2031-03-04 06:00:00 socket 1.1 hears and is not heard;raw socket 1.1 two-way watch sees both-ways of tide-1",
    "violated"
)]
#[case::before_the_table(
    "raw harbour clock 2031-03-04 06:10:00;raw 2031-03-04 06:00:00 socket 1.1 hears and is not heard;raw socket 1.1 two-way watch sees both-ways of tide-1",
    "met"
)]
// The table was taken after what the log had told by then.
#[case::at_the_moment_of_the_table(
    "raw harbour clock 2031-03-04 06:00:00;raw 2031-03-04 06:00:00 socket 1.1 hears and is not heard;raw socket 1.1 two-way watch sees both-ways of tide-1",
    "met"
)]
#[case::the_log("raw 2031-03-04 06:00:00 socket 1.1 hears and is not heard", "violated")]
#[case::and_the_table(
    "raw 2031-03-04 06:00:00 socket 1.1 hears and is not heard;raw socket 1.1 two-way watch sees both-ways of tide-1",
    "met"
)]
#[case::and_a_table_that_cannot_tell(
    "raw 2031-03-04 06:00:00 socket 1.1 hears and is not heard;raw socket 1.1 two-way watch sees nobody",
    "violated"
)]
#[case::another_port(
    "raw 2031-03-04 06:00:00 socket 1.2 hears and is not heard;raw socket 1.1 two-way watch sees both-ways of tide-1",
    "met"
)]
fn links_that_work_one_way(#[case] told: &str, #[case] expected: &str) {
    let lines = format!("carries bundle;two-way watch close;made of glass;{told}");
    assert_eq!(verdict("unidirectional/seen", rules(ONE_WAY), "up", &lines), expected);
}

/// A target that has a neighbour carries no copies alone, unless its role is to capture.
#[rstest]
#[case("spare", "", "violated")]
#[case("probe", "", "met")]
#[case("probe", "host", "met")]
#[case("probe", "bridge", "violated")]
#[case("probe", "phone", "violated")]
#[case("probe", "bridge, host", "met")]
fn neighbours_on_a_mirrors_target(#[case] note: &str, #[case] can: &str, #[case] expected: &str) {
    let capture = entries("[[role]]\nname = 'probe'\nfaces = 'capture'\ndescribes = ['^probe']\n");
    let can = if can.is_empty() { String::new() } else { format!(";raw   can: {can}") };
    let lines = format!(
        "carries single;home lane none;top looking-glass 1;top   shows 1.2 both;top   onto 1.1;top   awake;raw socket 1.1 hears;raw   name: probe-1{can}"
    );
    assert_eq!(verdict("mirror/target-busy", capture, note, &lines), expected);
}

const AGREED: &str = "[[mirror]]\nswitch = 't'\nsources = ['1.1 both', '1.4 received', 'vlan 110,120']\ntarget = '1.3'\nreason = 'a fault'\nowner = 'harbour office'\nlast-day = '2031-12-31'\n[[mirror]]\nswitch = 't'\nsources = ['1.1 both']\ntarget = '1.9'\nreason = 'a fault'\nowner = 'harbour office'\nlast-day = '2031-12-31'\n";

/// What is agreed in the register is agreed in part, too; more is not, and a target that is not there may be agreed to.
#[rstest]
#[case::all("shows 1.1 both;shows 1.4 coming;shows lanes 110,120;onto 1.3", "met", "met")]
#[case::a_part("shows 1.1 both;onto 1.3", "met", "met")]
#[case::a_part_of_the_vlans("shows lanes 120;onto 1.3", "met", "met")]
#[case::one_way_of_both("shows 1.1 coming;onto 1.3", "met", "violated")]
#[case::another_way("shows 1.4 going;onto 1.3", "met", "violated")]
#[case::both_ways_of_one("shows 1.4 both;onto 1.3", "met", "violated")]
#[case::one_more("shows 1.1 both;shows 1.2 coming;onto 1.3", "violated", "met")]
#[case::a_vlan_more("shows lanes 110,140;onto 1.3", "violated", "met")]
#[case::another_target("shows 1.1 both;onto 1.4", "violated", "met")]
#[case::a_target_that_is_not_there("shows 1.1 both;onto 1.9", "met", "met")]
#[case::another_that_is_not_there("shows 1.1 both;onto 1.8", "violated", "met")]
fn mirrors_that_are_agreed(#[case] session: &str, #[case] left_on: &str, #[case] one_sided: &str) {
    let lines = format!("top looking-glass 7;top   {};top   awake", session.replace(';', ";top   "));
    assert_eq!(verdict("mirror/left-on", entries(AGREED), "desk", &lines), left_on);
    assert_eq!(verdict("mirror/one-sided", entries(AGREED), "desk", &lines), one_sided);
}

/// A VLAN as a source is copied only where the platform copies VLANs: 1.1 and 1.2 carry it, each at the target's speed.
#[rstest]
#[case("vlan-mirror = \"no\"", "met")]
#[case("vlan-mirror = \"yes\"", "violated")]
fn copies_of_a_vlan(#[case] instead: &'static str, #[case] expected: &str) {
    let besides = platform("vlan-mirror = \"no\"", instead);
    let lines = "carries single;home lane 110;top socket 1.2;top   carries single;top   home lane 110;top looking-glass 7;top   shows lanes 110;top   onto 1.3;top   awake";
    assert_eq!(verdict("mirror/overdrawn", besides, "desk", lines), expected);
}

/// What is held back until a restart leaves a VLAN uncovered all the same.
#[test]
fn a_vlan_is_uncovered_though_snooping_is_held_back() {
    let lines = "less loft cleared for binding-loft;top loft to clear for binding-loft;carries single;home lane 300";
    assert_eq!(verdict("dhcp-snooping/vlan-uncovered", PLAIN, "desk", lines), "violated");
}

/// A platform of which nobody says whether a plain edge on a trunk works, and one where it does.
#[rstest]
#[case("plain-fast-start-on-trunk = \"void\"", "plain-fast-start-on-trunk = \"works\"", "met")]
#[case("plain-fast-start-on-trunk = \"void\"", "plain-fast-start-on-trunk = \"void\"", "violated")]
fn a_plain_edge_on_a_trunk(#[case] line: &'static str, #[case] instead: &'static str, #[case] expected: &str) {
    assert_eq!(
        verdict("fast-start/no-effect", platform(line, instead), "virtual", "carries bundle;wakes quickly"),
        expected
    );
}

/// Edges that the platform detects: enough, or to be set. BPDU guard is asked for on the same ports.
#[rstest]
#[case::enough("", "no", "top tree kind young;carries single", "fast-start/missing", "violated")]
#[case::enough("", "yes", "top tree kind young;carries single", "fast-start/missing", "met")]
#[case::to_be_set(
    "detected-edges = 'set'",
    "yes",
    "top tree kind young;carries single",
    "fast-start/missing",
    "violated"
)]
#[case::set(
    "detected-edges = 'set'",
    "yes",
    "top tree kind young;carries single;wakes quickly",
    "fast-start/missing",
    "met"
)]
#[case::listens("detected-edges = 'set'", "no", "carries single;wakes listening", "fast-start/missing", "violated")]
#[case::listens("detected-edges = 'enough'", "no", "carries single;wakes listening", "fast-start/missing", "met")]
#[case::of_the_classic_tree("detected-edges = 'set'", "yes", "carries single", "fast-start/missing", "violated")]
#[case::shared("", "yes", "top tree kind young;carries single;tree link crowd", "guard/bpdu-missing", "not-applicable")]
#[case::bare("", "yes", "top tree kind young;carries single", "guard/bpdu-missing", "violated")]
#[case::guarded("", "yes", "top tree kind young;carries single;tree stranger closes", "guard/bpdu-missing", "met")]
#[case::by_the_default_of_edges(
    "",
    "yes",
    "top tree kind young;top quick sockets closed to trees;carries single",
    "guard/bpdu-missing",
    "met"
)]
#[case::no_edge(
    "",
    "no",
    "top tree kind young;top quick sockets closed to trees;carries single",
    "guard/bpdu-missing",
    "not-applicable"
)]
#[case::set_is_asked_first(
    "detected-edges = 'set'",
    "yes",
    "top tree kind young;carries single",
    "guard/bpdu-missing",
    "not-applicable"
)]
#[case::slow("", "yes", "top tree kind young;carries single", "fast-start/slow", "violated")]
#[case::missing_says_it(
    "detected-edges = 'set'",
    "yes",
    "top tree kind young;carries single",
    "fast-start/slow",
    "not-applicable"
)]
fn edges_that_are_detected(
    #[case] value: &'static str,
    #[case] detects: &str,
    #[case] lines: &str,
    #[case] check: &str,
    #[case] expected: &str,
) {
    let instead = if detects == "yes" { "edge-detected = \"yes\"" } else { "edge-detected = \"no\"" };
    let besides = Besides { site: value, trait_: ("edge-detected = \"no\"", instead), ..PLAIN };
    assert_eq!(verdict(check, besides, "desk", lines), expected);
}

/// One line, one finding: what a time-critical port is told of energy saving the role's expectation does not say again.
#[rstest]
#[case("time-critical = true", "without doze", "multicast/energy-saving", "met")]
#[case("time-critical = true", "", "multicast/energy-saving", "violated")]
#[case("time-critical = true", "", "port/unexpected", "not-applicable")]
#[case("time-critical = true", "frames up-to 9000", "port/unexpected", "not-applicable")]
#[case("time-critical = false", "", "multicast/energy-saving", "not-applicable")]
#[case("time-critical = false", "", "port/unexpected", "violated")]
fn energy_saving_is_told_once(#[case] critical: &str, #[case] line: &str, #[case] check: &str, #[case] expected: &str) {
    let role = format!(
        "[[role]]\nname = 'lamp'\nfaces = 'host'\nvlans = [110]\ndescribes = ['^lamp']\n{critical}\n[role.expect]\n'port.energy-saving' = 'unwanted'\n"
    );
    let role: &'static str = role.leak();
    assert_eq!(verdict(check, entries(role), "lamp", &format!("{DESK};{line}")), expected);
}

/// A level that is off for a role takes a dead entry of that role out of what is told.
#[test]
fn a_dead_entry_of_a_role_for_which_the_check_is_off() {
    let dead = |levels: &str| {
        let text = format!("{POLICY}{ROUTER}[levels]\n{levels}\n");
        let policy = policy(&text);
        let found = FleetOutcome::entries(&policy, &as_of(), &Usage::default());
        found.iter().filter(|finding| finding.message.contains("role out")).count()
    };
    assert_eq!(dead(""), 1);
    assert_eq!(dead("\"out:config/policy-unused\" = \"off\""), 0);
    assert_eq!(dead("\"desk:config/policy-unused\" = \"off\""), 1);
}
