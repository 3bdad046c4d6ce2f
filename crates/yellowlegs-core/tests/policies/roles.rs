//! Which port has which role, and by what: lists, descriptions, neighbours, VLANs, in this order.

use std::sync::Arc;

use rstest::rstest;
use yellowlegs_core::policy::{RoleFrom, assign};
use yellowlegs_core::resolve::{State, resolve_with};
use yellowlegs_core::source::Source;

use super::support::{as_of, policy, shingle_without};

/// Each port with its role and what told it, then the remarks.
fn roles(policy_text: &str, lines: &str, state: &str) -> (Vec<String>, Vec<String>) {
    let policy = policy(policy_text);
    let dialect = shingle_without(&[]);
    let config = format!("shingle 4 unit quay-1\nsockets 1.1..1.3\n{}\n", lines.replace(';', "\n"));
    let state =
        State { texts: vec![Arc::new(Source::of("tables.out", state))], as_of: as_of().moment(), ..State::default() };
    let resolved = resolve_with("quay-1", &dialect, Arc::new(Source::of("config.txt", config)), &state);
    assert!(resolved.switch.unread().is_empty(), "{:?}", resolved.switch.unread());
    let assignment = assign(&policy, &resolved.switch, Some(dialect.lists()));
    let by = |from| match from {
        RoleFrom::List => "list",
        RoleFrom::Description => "description",
        RoleFrom::Neighbour => "neighbour",
        RoleFrom::Vlan => "vlan",
    };
    let shown = |port: &Option<yellowlegs_core::policy::Assigned>| {
        port.map_or_else(|| "-".to_owned(), |a| format!("{} by {}", policy.roles[a.role].name, by(a.from)))
    };
    let remarks = assignment.remarks.iter().map(|remark| remark.text.clone()).collect();
    (assignment.ports.iter().map(shown).collect(), remarks)
}

const TWO: &str = "[[role]]\nname = 'desk'\nfaces = 'host'\n";

#[rstest]
#[case::listed("ports = ['quay-1 1.1..1.2']", "", &["desk by list", "desk by list", "-"])]
#[case::by_a_pattern_of_switches("ports = ['quay-* 1.3']", "", &["-", "-", "desk by list"])]
#[case::another_switch("ports = ['hall-* 1.3']", "", &["-", "-", "-"])]
#[case::described("describes = ['^desk']", "socket 1.2;  note desks;socket 1.3;  note cupboard", &["-", "desk by description", "-"])]
#[case::by_vlan("vlans = [110]", "socket 1.1;  carries single;  home lane 110;socket 1.2;  home lane 110;socket 1.3;  carries single;  home lane 120", &["desk by vlan", "-", "-"])]
#[case::a_list_before_a_description("ports = ['quay-1 1.1']\ndescribes = ['^desk']", "socket 1.1..1.2;  note desks", &["desk by list", "desk by description", "-"])]
#[case::without_descriptions("describes = ['^desk']\n[roles]\nderive = ['neighbour', 'vlan']", "socket 1.2;  note desks", &["-", "-", "-"])]
#[case::without_vlans("vlans = [110]\n[roles]\nderive = ['description', 'neighbour']", "socket 1.1;  carries single;  home lane 110", &["-", "-", "-"])]
fn one_role(#[case] keys: &str, #[case] lines: &str, #[case] expected: &[&str]) {
    assert_eq!(
        roles(&format!("{TWO}{keys}\n"), lines, ""),
        (expected.iter().map(ToString::to_string).collect(), Vec::new())
    );
}

/// A trunk has the role that may use all its VLANs; one without a list has none.
#[rstest]
#[case::all_of_them("bridge-up", "carries bundle;  bundle lanes 110,120", "up by vlan")]
#[case::some_of_them("bridge-up", "carries bundle;  bundle lanes 110", "up by vlan")]
#[case::its_voice_vlan_too("bridge-up", "carries bundle;  bundle lanes 110,210", "up by vlan")]
#[case::one_more("bridge-up", "carries bundle;  bundle lanes 110,130", "-")]
#[case::no_list("bridge-up", "carries bundle", "-")]
#[case::tagged_host("tagged-host", "carries bundle;  bundle lanes 110,120", "up by vlan")]
#[case::access_point_tagged("access-point", "carries bundle;  bundle lanes 110,120", "up by vlan")]
#[case::access_point_untagged("access-point", "carries single;  home lane 110", "up by vlan")]
#[case::spare("nothing", "carries single;  home lane 110", "up by vlan")]
#[case::host_on_a_trunk("host", "carries bundle;  bundle lanes 110", "-")]
#[case::bridge_on_an_access_port("bridge-up", "carries single;  home lane 110", "-")]
#[case::neither("host", "carries bargain;  home lane 110", "-")]
fn roles_by_vlans(#[case] faces: &str, #[case] block: &str, #[case] expected: &str) {
    let voice = if faces == "nothing" { "" } else { "voice = 210\n" };
    let text = format!(
        "[vlans]\n210 = {{ purpose = 'voice' }}\n[[role]]\nname = 'up'\nfaces = '{faces}'\nvlans = [110, 120]\n{voice}"
    );
    assert_eq!(roles(&text, &format!("socket 1.1;  {block}"), "").0[0], expected);
}

#[rstest]
#[case::telephone(
    "phone",
    "[[role]]\nname = 'phone'\nfaces = 'phone'\nendpoint = ['telephone']\n",
    "phone by neighbour"
)]
#[case::something_else("host", "[[role]]\nname = 'phone'\nfaces = 'phone'\nendpoint = ['telephone']\n", "-")]
#[case::two_fit(
    "phone",
    "[[role]]\nname = 'phone'\nfaces = 'phone'\nendpoint = ['telephone']\n[[role]]\nname = 'box'\nfaces = 'phone'\nendpoint = ['telephone']\n",
    "-"
)]
#[case::a_neighbour_makes_no_uplink(
    "bridge",
    "[[role]]\nname = 'up'\nfaces = 'bridge-up'\nendpoint = ['bridge']\n",
    "-"
)]
#[case::not_asked(
    "phone",
    "[roles]\nderive = ['description', 'vlan']\n[[role]]\nname = 'phone'\nfaces = 'phone'\nendpoint = ['telephone']\n",
    "-"
)]
fn roles_by_neighbours(#[case] can: &str, #[case] text: &str, #[case] expected: &str) {
    assert_eq!(roles(text, "", &format!("socket 1.1 hears\n  can: {can}\n")).0[0], expected);
}

#[test]
fn a_neighbour_changes_no_role_that_was_told_before() {
    let text =
        format!("{TWO}describes = ['^desk']\n[[role]]\nname = 'phone'\nfaces = 'phone'\nendpoint = ['telephone']\n");
    let (ports, _) = roles(&text, "socket 1.1;  note desks", "socket 1.1 hears\n  can: phone\n");
    assert_eq!(ports[0], "desk by description");
}

#[rstest]
#[case::two_lists("ports = ['quay-1 1.1']", "ports = ['quay-1 1.1..1.2']", &["port 1.1 is listed for the roles `desk` and `gate`; the first counts"])]
#[case::twice_in_one("ports = ['quay-1 1.1', 'quay-* 1.1']", "ports = ['quay-1 1.2']", &[])]
#[case::two_descriptions("describes = ['^desk']", "describes = ['s$']", &["the description of port 1.1 fits the roles `desk` and `gate`; the first counts"])]
#[case::a_list_settles_it("ports = ['quay-1 1.1']", "describes = ['s$']", &[])]
#[case::one_description_fits("describes = ['^desk']", "describes = ['^gate']", &[])]
#[case::no_list("ports = ['quay-1 upstairs']", "describes = ['^gate']", &["role `desk` names ports as `upstairs`, which is no port list of this switch's dialect"])]
fn claims_that_contend_are_remarked(#[case] first: &str, #[case] second: &str, #[case] expected: &[&str]) {
    let text = format!("{TWO}{first}\n[[role]]\nname = 'gate'\nfaces = 'host'\n{second}\n");
    let (ports, remarks) = roles(&text, "socket 1.1;  note desks", "");
    assert_eq!(remarks, expected);
    assert!(ports[0].starts_with("desk") || expected.is_empty() || ports[0] == "-", "{ports:?}");
}

/// Of ports with the same role and the same in force one stands for all.
#[test]
fn ports_are_alike_where_role_and_settings_are() {
    let text = format!("{TWO}ports = ['quay-1 1.1..1.2']\n");
    let (policy, dialect) = (policy(&text), shingle_without(&[]));
    let alike = |block: &str| {
        let config = format!("shingle 4 unit quay-1\nsockets 1.1..1.4\n{}\n", block.replace(';', "\n"));
        let source = Arc::new(Source::of("config.txt", config));
        let resolved = resolve_with("quay-1", &dialect, source, &State::default());
        let assignment = assign(&policy, &resolved.switch, Some(dialect.lists()));
        (assignment.alike, assignment.roles, assignment.lists)
    };
    assert_eq!(alike(""), (vec![0, 0, 2, 2], [0].into(), [(0, 0)].into()));
    assert_eq!(alike("socket 1.2;  asleep;socket 1.4;  pace 100").0, [0, 1, 2, 3]);
}
