//! Rules of the house: what they may be called, what their conditions may say, and what they come to on values of each kind.

use rstest::rstest;
use yellowlegs_core::model::{SettingId, Value};
use yellowlegs_core::policy::{AsOf, Name};

use super::refused;
use super::support::policy;

fn rule(id: &str, when: &str) -> String {
    format!("[[rule]]\nid = '{id}'\nlevel = 'risk'\nwhen = \"{when}\"\nmessage = 'odd'\nremedy = 'right it'\n")
}

#[rstest]
#[case("house/loud", "")]
#[case("house-2/loud-1", "")]
#[case("house", "a family and a name")]
#[case("House/loud", "a family and a name")]
#[case("house/Loud", "a family and a name")]
#[case("house/", "a family and a name")]
#[case("/loud", "a family and a name")]
#[case("house/loud_1", "a family and a name")]
#[case("voice/loud", "one of the catalogue's")]
fn ids_of_rules(#[case] id: &str, #[case] wrong: &str) {
    let told = refused(&rule(id, "port.enabled"));
    assert_eq!(told.is_empty(), wrong.is_empty(), "{told:?}");
    assert!(told.iter().all(|(line, says)| *line == 2 && says.contains(wrong)), "{told:?}");
}

/// A condition, a setting with its value as a policy writes it, and whether the condition holds.
#[rstest]
#[case::flag("port.enabled", "port.enabled", "true", true)]
#[case::not_a_flag("!port.enabled", "port.enabled", "true", false)]
#[case::count("port.mtu == 9000", "port.mtu", "9000", true)]
#[case::sum("port.mtu + 1 == 9001", "port.mtu", "9000", true)]
#[case::text_and_text("port.description + '!' == 'desk!'", "port.description", "desk", true)]
#[case::word("port.mode == 'trunk'", "port.mode", "trunk", true)]
#[case::vlan("port.access_vlan == 110", "port.access-vlan", "110", true)]
#[case::no_vlan("port.access_vlan == null", "port.access-vlan", "none", true)]
#[case::a_vlan_is_not_null("port.access_vlan == null", "port.access-vlan", "110", false)]
#[case::vlans("110 in port.tagged_vlans", "port.tagged-vlans", "110,120", true)]
#[case::other_vlans("130 in port.tagged_vlans", "port.tagged-vlans", "110,120", false)]
#[case::how_many("size(port.tagged_vlans) == 2", "port.tagged-vlans", "110,120", true)]
#[case::together("size(port.tagged_vlans + [1, 2]) == 4", "port.tagged-vlans", "110,120", true)]
#[case::no_rate("storm.broadcast == null", "storm.broadcast", "none", true)]
#[case::a_rate("storm.broadcast == '2 %'", "storm.broadcast", "2%", true)]
#[case::seconds("port_security.aging > 60", "port-security.aging", "61", true)]
#[case::pairs("queue.dscp_map.exists(p, p.startsWith('46'))", "queue.dscp-map", "46:7", true)]
#[case::no_pairs("size(queue.dscp_map) == 0", "queue.dscp-map", "none", true)]
#[case::words("'192.0.2.9' in switch.report_receivers", "switch.report-receivers", "192.0.2.9", true)]
#[case::causes("'storm' in recovery.causes", "recovery.causes", "storm", true)]
#[case::two_loops("port.tagged_vlans.exists(v, v > 115 && v < 125)", "port.tagged-vlans", "110,120", true)]
fn conditions_on_values(#[case] when: &str, #[case] name: &str, #[case] value: &str, #[case] expected: bool) {
    let policy = policy(&rule("house/odd", when));
    let condition = &policy.rules[0].when;
    assert_eq!(condition.as_str(), when);
    assert!(condition.names().any(|named| matches!(named, Name::Setting(id) if id.name() == name)));
    let id = SettingId::by_name(name).unwrap();
    let value: Value = id.info().kind.parse(value).unwrap_or_else(|_| panic!("{value}"));
    assert_eq!(condition.holds(|named| (named == Name::Setting(id)).then(|| value.clone())), Ok(expected));
    assert!(condition.holds(|_| None).is_err(), "what is unknown is neither");
}

/// What a condition adds up or compares must go together.
#[rstest]
#[case("port.description + 1 == 'desk1'")]
#[case("port.enabled + 1 == 2")]
#[case("port.mode < 4")]
#[case("size(port.mtu) == 1")]
#[case("port.mode.startsWith(4)")]
#[case("port.enabled ? 1 : 'one'")]
#[case("port.mtu.frobnicate()")]
fn what_does_not_go_together(#[case] when: &str) {
    let told = refused(&rule("house/odd", when));
    assert_eq!(told.iter().map(|(line, _)| *line).collect::<Vec<_>>(), [4], "{told:?}");
}

/// The steps that are told of an expression that takes too many.
fn steps(when: &str) -> u64 {
    let told = refused(&rule("house/odd", when));
    let (_, rest) =
        told.first().and_then(|(_, says)| says.split_once("may take ")).unwrap_or_else(|| panic!("{told:?}"));
    rest.split(' ').next().and_then(|number| number.parse().ok()).unwrap_or_else(|| panic!("{told:?}"))
}

/// A loop counts as often as its list may be long: 4,094 where it is of VLANs, 1,024 of anything else, as long as it is where it is written out.
#[test]
fn loops_count_as_often_as_their_lists_may_be_long() {
    let twice =
        |outer: &str| steps(&format!("{outer}.all(a, port.tagged_vlans.all(b, port.tagged_vlans.all(c, b == c)))"));
    let (one, two, three) = (twice("[1]"), twice("[1, 2]"), twice("[1, 2, 3]"));
    // What one turn of the outer loop costs; a list written out costs a step more for each element besides.
    let turn = two - one - 1;
    assert_eq!(three - two - 1, turn);
    let (vlans, filtered) = (twice("port.tagged_vlans"), twice("port.tagged_vlans.filter(v, v > 1)"));
    let others = twice("port_security.written_stations");
    // Around the turns: the list, what is begun with, and what comes of it.
    assert_eq!((vlans, others), (4_094 * turn + 3, 1_024 * turn + 3));
    assert!(filtered > vlans, "{filtered} {vlans}");
}

/// Loops over a filtered list are as long as the list may be.
#[rstest]
#[case("port.tagged_vlans.filter(v, v > 1).all(v, v < 4000)", true)]
#[case("port.tagged_vlans.filter(v, v > 1).all(v, port.tagged_vlans.all(w, v == w))", false)]
fn loops_are_bounded_before_they_run(#[case] when: &str, #[case] fine: bool) {
    let told = refused(&rule("house/odd", when));
    assert_eq!(told.is_empty(), fine, "{told:?}");
    assert!(told.iter().all(|(_, says)| says.contains("steps")), "{told:?}");
}

/// What an expression may be before anybody reads it: 4,096 bytes, 512 words and signs, brackets 24 deep; what stands in quotes is one
/// thing, whatever it holds.
#[rstest]
#[case::as_long_as_may_be(format!("port.mtu == 1{}", " ".repeat(4096 - 13)), "")]
#[case::too_long(format!("port.mtu == 1{}", " ".repeat(4096 - 12)), "4097 bytes long")]
#[case::as_deep_as_may_be(format!("{}port.enabled{}", "(".repeat(24), ")".repeat(24)), "")]
#[case::too_deep(format!("{}port.enabled{}", "(".repeat(25), ")".repeat(25)), "deeper than 24")]
#[case::side_by_side(vec!["(port.enabled)"; 30].join(" && "), "")]
#[case::brackets_in_quotes(format!("port.description == '{}'", "[".repeat(30)), "")]
#[case::a_quote_in_quotes(format!(r"port.description == '\'{}'", "[".repeat(30)), "")]
#[case::a_sign_that_guards_itself(format!(r"port.description == 'a\\' && {}port.enabled{}", "(".repeat(25), ")".repeat(25)), "deeper than 24")]
#[case::behind_quotes(format!("port.description == 'a' && {}port.enabled{}", "(".repeat(25), ")".repeat(25)), "deeper than 24")]
#[case::as_many_as_may_be(format!("{}port.enabled", "!".repeat(508)), "")]
#[case::too_many(format!("{}port.enabled", "!".repeat(510)), "more than 512")]
#[case::a_long_word(format!("port.description == '{}' || lldp.med", "a_b1".repeat(200)), "")]
fn an_expression_is_bounded(#[case] when: String, #[case] says: &'static str) {
    let judge = move || {
        let told = refused(&rule("house/odd", &when.replace('\\', "\\\\").replace('"', "\\\"")));
        assert_eq!(told.is_empty(), says.is_empty(), "{told:?}");
        assert!(told.iter().all(|(_, told)| told.contains(says)), "{told:?}");
    };
    // What is not optimised needs more room for each bracket than a test's thread has; the program, as it is released, needs less than 1 MB.
    std::thread::Builder::new().stack_size(64 << 20).spawn(judge).unwrap().join().unwrap();
}

/// What is told of a condition is its text, and a moment is told as it was given.
#[test]
fn what_was_given_is_told_as_it_was_given() {
    let policy = policy(&rule("house/odd", "port.mtu > 1500"));
    assert!(format!("{:?}", policy.rules).contains("port.mtu > 1500"), "{:?}", policy.rules);
    let moment = AsOf::parse("2031-03-04T07:30:00+01:00").unwrap();
    assert_eq!(moment.as_str(), "2031-03-04T07:30:00+01:00");
}
