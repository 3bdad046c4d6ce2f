//! Drills that somebody wrote, played on two switches that two cables join: what comes is what the features and the standards say.

use crate::support::bare::named;
use rstest::rstest;
use serde_json::{Value, json};
use yellowlegs_core::drill::script::{Script, play};
use yellowlegs_core::source::Source;

/// Stations of every script here; its steps follow. Ports 1 and 2 of `s` are joined to those of `t`, where a case says so.
const HEAD: &str = r#"
[drill]
name = "d"
switch = "s"
lease = "60s"
[stations]
a = "02:00:5e:00:00:01"
b = "02:00:5e:00:00:02"
low = "02:00:00:00:00:01"
"#;

/// Plays steps; what was expected and came otherwise, or that nobody knows.
fn not_met(steps: &str, port: &Value, whole: &Value, cables: usize) -> Vec<String> {
    let steps: Vec<String> = steps.lines().map(|line| format!("  {{ {} }},", line.trim())).collect();
    let text = format!("step = [\n{}\n]\n{HEAD}", steps.join("\n"));
    let script = Script::load(&Source::of("own.toml", text)).unwrap_or_else(|p| panic!("{p:?}"));
    let (s, t) = (named("s", port, whole, &json!({})), named("t", port, whole, &json!({})));
    let wires: Vec<_> = (0..cables).map(|n| ((0, n), (1, n))).collect();
    let ran = play(&script, &[&s, &t], &wires).unwrap_or_else(|p| panic!("{p:?}"));
    let story: Vec<String> = ran.story.iter().map(|line| format!("{} {} {}", line.at, line.port, line.words)).collect();
    let came = |one: &yellowlegs_core::drill::script::Checked| match &one.came {
        Ok(came) => format!("{}: {}, not {came}\n{}", one.at, one.expected, story.join("\n")),
        Err(hang) => format!("{}: hangs on {}", one.at, hang.on),
    };
    assert!(!ran.checked.is_empty(), "nothing was expected");
    ran.checked.iter().filter(|one| !one.met).map(came).collect()
}

/// Two sockets of one switch are joined: the loop stands until the first BPDU (hello time, 2 s) or probe (5 s) ends it.
#[rstest]
#[case::guard(json!({"fast-start.mode": "edge", "guard.bpdu": true}), json!({}), true, "held", Some("bpdu-guard"), 2)]
#[case::tree(json!({"fast-start.mode": "edge"}), json!({}), true, "waiting", None, 2)]
#[case::probe(json!({"guard.loop-detection": true}), json!({"spanning-tree.enabled": false}), true, "held", Some("loop-detection"), 5)]
#[case::nothing(json!({}), json!({"spanning-tree.enabled": false}), true, "forwarding", None, 1000)]
#[case::no_edge(json!({}), json!({}), false, "waiting", None, 2)]
fn a_patched_wire(
    #[case] port: Value,
    #[case] whole: Value,
    #[case] circles: bool,
    #[case] after: &str,
    #[case] cause: Option<&str>,
    #[case] seconds: u64,
) {
    let cause = cause.map_or(String::new(), |cause| format!(", cause = \"{cause}\""));
    let steps = format!(
        r#"at = "0s", port = "1", wire-to = "2"
        at = "1s", port = "3", from = "a", send = "plain", tags = [110], circles = {circles}
        at = "{seconds}s", port = "2", port-is = "{after}"{cause}
        at = "{seconds}s", port = "3", from = "a", send = "plain", tags = [110], circles = {}"#,
        cause.is_empty() && after == "forwarding"
    );
    assert_eq!(not_met(&steps, &port, &whole, 0), [""; 0]);
}

/// What was expected of a frame, and came otherwise, is told in words.
#[rstest]
#[case(true, "1000: circles, not does not circle")]
#[case(false, "1000: does not circle, not circles")]
fn a_loop_in_words(#[case] expected: bool, #[case] words: &str) {
    let joined = if expected { "" } else { "at = \"0s\", port = \"1\", wire-to = \"2\"\n" };
    let steps = format!(
        "{joined}at = \"1s\", port = \"3\", from = \"a\", send = \"plain\", tags = [110], circles = {expected}"
    );
    let told = not_met(&steps, &json!({}), &json!({"spanning-tree.enabled": false}), 0);
    assert_eq!(told.iter().map(|one| one.lines().next().unwrap_or_default()).collect::<Vec<_>>(), [words]);
}

/// A loop over two switches that were joined already, and are joined once more: the tree closes the new wire, or a probe finds it.
#[rstest]
#[case::tree(json!({"fast-start.mode": "edge"}), json!({}), "2s", false)]
#[case::probe(json!({"guard.loop-detection": true}), json!({"spanning-tree.enabled": false}), "5s", false)]
#[case::nothing(json!({}), json!({"spanning-tree.enabled": false}), "60s", true)]
fn a_wire_to_a_sister(#[case] port: Value, #[case] whole: Value, #[case] at: &str, #[case] circles: bool) {
    let steps = format!(
        r#"at = "0s", port = "2", wire-to = "t 2"
        at = "1s", port = "3", from = "a", send = "plain", tags = [110], circles = true
        at = "{at}", port = "3", from = "a", send = "plain", tags = [110], circles = {circles}"#
    );
    assert_eq!(not_met(&steps, &port, &whole, 1), [""; 0]);
}

/// A strand of the cable that the tree keeps closed fails. It opens after 10 s by the rapid protocol's timers, 50 s by the classic
/// one's, 36 s where the classic wait is kept (here: not at all before, and at once then), unless loop guard or detection (RFC 5171:
/// three intervals) is quicker.
#[rstest]
#[case::rapid(json!({}), json!({}), 10, "forwarding")]
#[case::classic(json!({}), json!({"spanning-tree.protocol": "classic"}), 50, "forwarding")]
#[case::loop_guard(json!({"guard.loop": true}), json!({}), 300, "waiting")]
#[case::strict(json!({"unidirectional.mode": "strict", "unidirectional.interval": 3}), json!({}), 9, "held")]
#[case::echo(json!({"unidirectional.mode": "disable-port", "unidirectional.interval": 3}), json!({}), 9, "down")]
#[case::too_slow(json!({"unidirectional.mode": "disable-port", "unidirectional.interval": 15}), json!({}), 10, "forwarding")]
#[case::only_reported(json!({"unidirectional.mode": "report-only", "unidirectional.interval": 1}), json!({}), 10, "forwarding")]
fn a_strand_fails(#[case] port: Value, #[case] whole: Value, #[case] seconds: u64, #[case] after: &str) {
    // Of two equal switches the one with the lower address is the root: the other one's second cable is closed.
    let closed = ["s", "t"].into_iter().find(|switch| {
        not_met(&format!(r#"port = "2", switch = "{switch}", port-is = "waiting""#), &port, &whole, 2).is_empty()
    });
    let switch = closed.expect("the tree closes an end of the second cable");
    let steps = format!(
        r#"at = "1s", port = "2", switch = "{switch}", strand = "fails"
        at = "{}s", port = "2", switch = "{switch}", port-is = "waiting"
        at = "{}s", port = "2", switch = "{switch}", port-is = "{after}""#,
        seconds,
        seconds + 1
    );
    assert_eq!(not_met(&steps, &port, &whole, 2), [""; 0]);
}

/// The cable that is in use is pulled: the other one opens, at once by the rapid protocol, after 2 × forward delay by the classic.
#[rstest]
#[case::rapid(json!({}), 0)]
#[case::classic(json!({"spanning-tree.protocol": "classic"}), 30)]
fn a_cable_is_pulled(#[case] whole: Value, #[case] seconds: u64) {
    let sends = r#"port = "3", from = "a", send = "plain", tags = [110]"#;
    let not_yet =
        if seconds > 0 { format!("at = \"{seconds}s\", {sends}, not-heard-on = [\"t 3\"]\n") } else { String::new() };
    let steps = format!(
        r#"at = "0s", {sends}, heard-on = ["t 3"], circles = false
        at = "1s", port = "1", link = "down"
        at = "1s", switch = "t", port = "1", port-is = "down"
        {not_yet}at = "{}s", {sends}, heard-on = ["t 3"]"#,
        seconds + 1
    );
    assert_eq!(not_met(&steps, &json!({}), &whole, 2), [""; 0]);
}

/// BPDUs with a priority: superior to the root that is known (32768 here), or not; root guard opens again when they have stopped for
/// as long as the tree waits (rapid 10 s).
#[rstest]
#[case::better(4096, "a", "waiting")]
#[case::equal_and_lower_address(32768, "low", "waiting")]
#[case::worse(36864, "low", "forwarding")]
fn root_guard(#[case] priority: u32, #[case] from: &str, #[case] after: &str) {
    let steps = format!(
        r#"at = "0s", port = "1", from = "{from}", send = "bpdu", priority = {priority}, port-is = "{after}"
        at = "9s", port = "1", from = "{from}", send = "bpdu", priority = {priority}
        at = "18s", port = "1", port-is = "{after}"
        at = "19s", port = "1", port-is = "forwarding""#
    );
    assert_eq!(not_met(&steps, &json!({"guard.root": true}), &json!({}), 0), [""; 0]);
}

/// One expectation on one frame.
#[rstest]
#[case::announcements_stay(r#"port = "1", from = "a", send = "lldp", expect = "let-in", not-heard-on = ["2", "3"]"#)]
#[case::announcements_are_heard_while_a_port_waits(
    r#"port = "1", link = "up"
    port = "1", from = "a", send = "lldp", expect = "let-in", port-is = "waiting"
    port = "1", from = "a", send = "plain", expect = "closed""#
)]
#[case::refusals_are_a_servers(
    r#"port = "1", from = "a", send = "dhcp-nak", client = "b", expect = "stopped", by = "DHCP snooping""#
)]
#[case::declined_by_another_port(
    r#"port = "1", from = "a", send = "dhcp-request", ip = "192.0.2.10"
    port = "3", from = "b", send = "dhcp-ack", client = "a", ip = "192.0.2.10", tags = [110]
    port = "2", from = "a", send = "dhcp-decline", ip = "192.0.2.10", expect = "stopped"
    port = "1", from = "a", send = "arp", ip = "192.0.2.10", expect = "let-in"
    port = "1", from = "a", send = "dhcp-decline", ip = "192.0.2.10", expect = "let-in"
    port = "1", from = "a", send = "arp", ip = "192.0.2.10", expect = "stopped", by = "ARP inspection""#
)]
#[case::a_lease_ends(
    r#"port = "1", from = "a", send = "dhcp-request", ip = "192.0.2.10"
    port = "3", from = "b", send = "dhcp-ack", client = "a", ip = "192.0.2.10", tags = [110]
    at = "59s", port = "1", from = "a", send = "arp", ip = "192.0.2.10", expect = "let-in"
    at = "60s", port = "1", from = "a", send = "arp", ip = "192.0.2.10", expect = "stopped""#
)]
#[case::a_restart_before_the_store(
    r#"port = "1", from = "a", send = "dhcp-request", ip = "192.0.2.10"
    port = "3", from = "b", send = "dhcp-ack", client = "a", ip = "192.0.2.10", tags = [110]
    at = "14s", port = "2", restart = true
    at = "14s", port = "1", from = "a", send = "arp", ip = "192.0.2.10", expect = "stopped""#
)]
#[case::a_restart_after_it(
    r#"port = "1", from = "a", send = "dhcp-request", ip = "192.0.2.10"
    port = "3", from = "b", send = "dhcp-ack", client = "a", ip = "192.0.2.10", tags = [110]
    at = "15s", port = "2", restart = true
    at = "15s", port = "1", from = "a", send = "arp", ip = "192.0.2.10", expect = "let-in""#
)]
#[case::mld_members(r#"port = "1", from = "a", send = "mld-report", group = "ff35::8000:1"
    port = "3", from = "b", send = "stream", group = "ff35::8000:1", tags = [110], heard-on = ["1"], not-heard-on = ["2"]
    port = "1", from = "a", send = "mld-done", group = "ff35::8000:1"
    at = "2s", port = "3", from = "b", send = "stream", group = "ff35::8000:1", tags = [110], not-heard-on = ["1", "2"]"#)]
#[case::mld_routers(r#"port = "2", from = "b", send = "mld-query"
    port = "3", from = "b", send = "stream", group = "ff35::8000:1", tags = [110], heard-on = ["2"], not-heard-on = ["1"]
    port = "3", from = "b", send = "stream", group = "233.252.0.1", tags = [110], not-heard-on = ["1", "2"]"#)]
#[case::all_nodes_flood(
    r#"port = "3", from = "b", send = "stream", group = "ff02::1", tags = [110], heard-on = ["1", "2"]"#
)]
fn a_frame(#[case] steps: &str) {
    let whole = json!({"dhcp-snooping.vlans": "110", "arp-inspection.vlans": "110", "multicast.snooping": true});
    assert_eq!(not_met(steps, &json!({"3:dhcp-snooping.trusted": true}), &whole, 0), [""; 0]);
}

/// Each kind of frame is that kind: what stops it is the feature that looks at it, with the port's guards all on.
/// Where it came out otherwise, what came is said.
#[rstest]
#[case::nobody(
    r#"port = "2", from = "b", send = "plain"
    port = "1", from = "a", send = "plain", to = "b", heard-on = ["3"]"#,
    "not heard on 2"
)]
#[case::nobody_at_all(r#"port = "1", from = "a", send = "lldp", heard-on = ["2"]"#, "not heard on nobody")]
fn who_heard_it_instead(#[case] steps: &str, #[case] words: &str) {
    let told = not_met(steps, &json!({}), &json!({}), 0);
    assert!(told.len() == 1 && told[0].lines().next().is_some_and(|line| line.ends_with(words)), "{told:?}");
}

#[rstest]
#[case("plain", "", "let-in", "nothing")]
#[case("arp", ", ip = \"192.0.2.10\"", "stopped", "ARP inspection")]
#[case("packet", ", ip = \"192.0.2.10\"", "stopped", "source guard")]
#[case("dhcp-discover", ", client = \"b\"", "stopped", "DHCP snooping")]
#[case("dhcp-discover", ", client = \"a\"", "let-in", "nothing")]
#[case("dhcp-offer", ", client = \"b\"", "stopped", "DHCP snooping")]
#[case("dhcp-request", ", client = \"b\"", "stopped", "DHCP snooping")]
#[case("dhcp-request", "", "let-in", "nothing")]
#[case("dhcp-ack", ", client = \"b\"", "stopped", "DHCP snooping")]
#[case("dhcp-nak", ", client = \"b\"", "stopped", "DHCP snooping")]
#[case("dhcp-release", "", "stopped", "DHCP snooping")]
#[case("dhcp-decline", "", "stopped", "DHCP snooping")]
#[case("router-advertisement", "", "stopped", "IPv6 guard")]
#[case("dhcpv6-answer", "", "stopped", "IPv6 guard")]
#[case("lldp", "", "let-in", "nothing")]
fn each_kind_of_frame_meets_its_guard(#[case] kind: &str, #[case] more: &str, #[case] expect: &str, #[case] by: &str) {
    let by = if by == "nothing" { String::new() } else { format!(", by = \"{by}\"") };
    // Port 2 has an address that was given; a release or a decline of it from port 1 is nobody's to send.
    let steps = format!(
        r#"port = "2", from = "a", send = "dhcp-request", ip = "192.0.2.10"
        port = "3", from = "b", send = "dhcp-ack", client = "a", ip = "192.0.2.10", tags = [110]
        port = "1", from = "a", send = "{kind}"{more}, expect = "{expect}"{by}"#
    );
    let port = json!({"3:dhcp-snooping.trusted": true, "source-guard.enabled": true, "3:source-guard.enabled": false,
        "ipv6-guard.advertisements-blocked": true, "ipv6-guard.servers-blocked": true});
    let whole = json!({"dhcp-snooping.vlans": "110", "arp-inspection.vlans": "110", "multicast.snooping": true});
    assert_eq!(not_met(&steps, &port, &whole, 0), [""; 0]);
}

/// A frame to everybody, to a station, to all again; a better root named and not.
#[rstest]
#[case::to_a_station_that_is_known(
    r#"port = "2", from = "b", send = "plain"
    port = "1", from = "a", send = "plain", to = "b", heard-on = ["2"], not-heard-on = ["3"]"#
)]
#[case::to_all(
    r#"port = "2", from = "b", send = "plain"
    port = "1", from = "a", send = "plain", to = "all", heard-on = ["2", "3"]"#
)]
#[case::a_query_for_one_group(
    r#"port = "1", from = "a", send = "igmp-report", group = "233.252.0.1"
    port = "2", from = "b", send = "igmp-query", group = "233.252.0.1"
    port = "3", from = "b", send = "stream", group = "233.252.0.1", tags = [110], heard-on = ["1"]"#
)]
#[case::superior(r#"port = "1", from = "a", send = "superior-bpdu", port-is = "waiting""#)]
#[case::no_better(r#"port = "1", from = "a", send = "bpdu", port-is = "forwarding""#)]
fn whom_a_frame_is_for(#[case] steps: &str) {
    assert_eq!(not_met(steps, &json!({"guard.root": true}), &json!({"multicast.snooping": true}), 0), [""; 0]);
}

/// What is wrong with a file is told with its place and a hint.
#[rstest]
#[case::no_multicast(r#"port = "1", from = "a", send = "stream", group = "192.0.2.1""#, "`192.0.2.1` is no group")]
#[case::other_family(r#"port = "1", from = "a", send = "mld-report", group = "233.252.0.1""#, "is no IPv6 group")]
#[case::no_group(r#"port = "1", from = "a", send = "igmp-report""#, "`group`")]
#[case::priority(r#"port = "1", from = "a", send = "bpdu", priority = 5000"#, "a multiple of 4096, 0 to 61440")]
#[case::strand(r#"port = "1", strand = "breaks""#, "`strand` cannot be `breaks`")]
#[case::circles(r#"port = "1", circles = true"#, "`circles` is expected of a frame")]
#[case::two(r#"port = "1", link = "up", wire-to = "2""#, "link, wire-to")]
#[case::count(r#"port = "1", from = "a", send = "plain", count = 0"#, "1 to 100000")]
#[case::vlan(r#"port = "1", from = "a", send = "plain", tags = [4095]"#, "0 to 4094")]
#[case::too_late(r#"at = "8d", port = "1", port-is = "down""#, "at most a week, 604800 s in all, not 691200\"")]
#[case::too_long(r#"port = "1", from = "a", send = "plain", count = 100000, every = "60s""#, "at most a week")]
fn mistakes(#[case] step: &str, #[case] words: &str) {
    let text = format!("step = [ {{ {step} }} ]\n{HEAD}");
    let problems = Script::load(&Source::of("own.toml", text)).unwrap_err();
    let told: Vec<String> = problems.iter().map(|problem| format!("{problem:?}")).collect();
    assert!(told.iter().any(|one| one.contains(words)), "{told:?}");
}

/// A wire to a socket that there is none of is refused before anything is played.
#[test]
fn a_wire_to_nowhere() {
    let text = format!("step = [ {{ port = \"1\", wire-to = \"7\" }} ]\n{HEAD}");
    let script = Script::load(&Source::of("own.toml", text)).unwrap();
    let switch = named("s", &json!({}), &json!({}), &json!({}));
    let problems = play(&script, &[&switch], &[]).expect_err("there is no port 7");
    assert!(format!("{problems:?}").contains('7'), "{problems:?}");
}

/// Over a cable between two switches.
#[rstest]
#[case::heard_on_the_other(
    r#"port = "2", from = "a", send = "plain", expect = "let-in", heard-on = ["3", "t 2", "t 3"]"#
)]
#[case::learned_on_both(
    r#"port = "2", from = "a", send = "plain"
    switch = "t", port = "2", from = "b", send = "plain", to = "a", heard-on = ["s 2"], not-heard-on = ["s 3", "t 3"]"#
)]
#[case::forgotten_after_300_s(
    r#"port = "2", from = "a", send = "plain"
    at = "300s", switch = "t", port = "2", from = "b", send = "plain", to = "a", heard-on = ["s 2", "s 3", "t 3"]"#
)]
#[case::pulled_and_forgotten(r#"port = "2", from = "a", send = "plain"
    at = "1s", port = "1", link = "down"
    at = "1s", switch = "t", port = "2", from = "b", send = "plain", to = "a", heard-on = ["t 3"], not-heard-on = ["s 2"]"#)]
#[case::plugged_in_again(
    r#"at = "1s", port = "1", link = "down"
    at = "2s", port = "1", link = "up"
    at = "30s", port = "2", from = "a", send = "plain", heard-on = ["t 2"]"#
)]
#[case::a_group_over_the_cable(r#"switch = "t", port = "2", from = "b", send = "igmp-query"
    port = "2", from = "a", send = "igmp-report", group = "233.252.0.1"
    switch = "t", port = "2", from = "b", send = "stream", group = "233.252.0.1", not-heard-on = ["t 3", "s 3"], heard-on = ["s 2"]"#)]
#[case::a_report_goes_to_the_querier_only(r#"switch = "t", port = "2", from = "b", send = "igmp-query"
    port = "2", from = "a", send = "igmp-report", group = "233.252.0.1", heard-on = ["t 2"], not-heard-on = ["t 3", "s 3"]"#)]
#[case::a_flood(r#"port = "2", from = "a", send = "plain", count = 50, every = "10ms", expect = "stopped", by = "storm limit", port-is = "forwarding""#)]
#[case::slow_enough(r#"port = "2", from = "a", send = "plain", count = 50, every = "100ms", expect = "let-in""#)]
#[case::patched_over(
    r#"port = "1", wire-to = "2"
    at = "1s", switch = "t", port = "1", port-is = "down"
    at = "60s", switch = "t", port = "2", from = "b", send = "plain", not-heard-on = ["s 3"], heard-on = ["t 3"]"#
)]
#[case::a_plug_that_loops_back(
    r#"port = "2", wire-to = "2"
    at = "30s", port = "3", from = "b", send = "plain", tags = [110], circles = false"#
)]
#[case::a_week_of_it(
    r#"port = "1", wire-to = "2"
    at = "7d", port = "3", from = "b", send = "plain", tags = [110], circles = false"#
)]
#[case::a_strand_of_the_cable(
    r#"switch = "t", port = "1", strand = "fails"
    at = "1s", port = "2", from = "a", send = "plain", not-heard-on = ["t 2", "t 3"]
    at = "1s", switch = "t", port = "2", from = "b", send = "plain", heard-on = ["s 2"]"#
)]
fn over_a_cable(#[case] steps: &str) {
    let whole = json!({"multicast.snooping": true});
    assert_eq!(not_met(steps, &json!({"storm.broadcast": "20 pps"}), &whole, 1), [""; 0]);
}

/// What a step may do, whatever came before.
const ACTS: [&str; 16] = [
    "link = \"up\"",
    "link = \"down\"",
    "wire-to = \"2\"",
    "wire-to = \"t 1\"",
    "wire-to = \"t 3\"",
    "strand = \"fails\"",
    "clear = \"bindings\"",
    "restart = true",
    "from = \"a\", send = \"plain\", count = 20, every = \"100ms\"",
    "from = \"b\", send = \"plain\", to = \"a\"",
    "from = \"a\", send = \"dhcp-request\", ip = \"192.0.2.10\"",
    "from = \"b\", send = \"dhcp-ack\", client = \"a\", ip = \"192.0.2.10\"",
    "from = \"a\", send = \"arp\", ip = \"192.0.2.10\"",
    "from = \"low\", send = \"bpdu\", priority = 0",
    "from = \"a\", send = \"igmp-report\", group = \"233.252.0.1\"",
    "from = \"b\", send = \"stream\", group = \"233.252.0.1\"",
];

/// Settings under which much happens.
fn busy(which: usize) -> (Value, Value) {
    let whole = json!({"multicast.snooping": true, "dhcp-snooping.vlans": "110", "arp-inspection.vlans": "110",
        "recovery.causes": ["loop-detection", "bpdu-guard"], "recovery.interval": 7});
    let port = match which {
        0 => json!({"guard.bpdu": true, "fast-start.mode": "edge"}),
        1 => json!({"guard.loop-detection": true, "spanning-tree.port-enabled": false}),
        2 => json!({"port-security.enabled": true, "port-security.action": "disable-port", "guard.root": true}),
        _ => {
            json!({"unidirectional.mode": "strict", "flap.enabled": true, "flap.threshold": 3, "flap.window": 10, "flap.hold": 5})
        }
    };
    (port, whole)
}

proptest::proptest! {
    #![proptest_config(proptest::test_runner::Config { cases: 300, failure_persistence: None, ..Default::default() })]

    /// Anything may be done in any order: it comes to an end, and to the same end each time. Nothing forwards that is held or down.
    #[test]
    fn whatever_is_done(
        steps in proptest::collection::vec((0_u32..40, 1_usize..4, 0_usize..2, 0..ACTS.len()), 1..12),
        which in 0_usize..4,
        cables in 0_usize..3,
    ) {
        let (port, whole) = busy(which);
        let mut at = 0;
        let mut lines = Vec::new();
        for (later, port, switch, act) in &steps {
            at += later;
            let switch = ["s", "t"][*switch];
            lines.push(format!("{{ at = \"{at}s\", switch = \"{switch}\", port = \"{port}\", {}, port-is = \"held\" }},", ACTS[*act]));
        }
        let text = format!("step = [\n{}\n]\n{HEAD}", lines.join("\n"));
        let (s, t) = (named("s", &port, &whole, &json!({})), named("t", &port, &whole, &json!({})));
        let wires: Vec<_> = (0..cables).map(|n| ((0, n), (1, n))).collect();
        let played = || {
            let script = Script::load(&Source::of("own.toml", text.clone())).unwrap();
            let ran = play(&script, &[&s, &t], &wires).unwrap();
            let came: Vec<_> = ran.checked.iter().map(|one| (one.at, one.met, one.came.clone().ok())).collect();
            (came, ran.story)
        };
        let (came, story) = played();
        assert_eq!(came.len(), steps.len());
        assert!(story.windows(2).all(|two| two[0].at <= two[1].at), "the story goes on in time");
        assert!(came.iter().all(|(_, met, word)| *met == (word.as_deref() == Some("held"))));
        assert_eq!((came, story), played());
    }
}
