//! How far a default for many ports reaches: which ports have it, by their modes, and what the later or the port's own line does to it.

use rstest::rstest;
use yellowlegs_core::model::{DoubtWidth, settings};

use super::{dialect, fact, read};

const LANGUAGE: &str = "
[dialect]
name = 'spit'
[ports]
names = ['p<n>']
[defaults]
port = [{ mode = 'negotiated' }]
fast-start = [{ mode = 'off' }]
[traits]
plain-fast-start-on-trunk = 'void'
[[rule]]
pattern = 'berth <p:port>'
opens = 'berth'
ports = '<p>'
[[rule]]
in = 'berth'
[rule.lines]
'is <m:(fixed=access|wide=trunk)>' = 'port.mode'
'is quick <how:(plainly=edge|even-wide=edge-on-trunk)>' = 'fast-start.mode'
'holds <t:seconds>' = 'flap.hold'
'holds as others do' = { resets = ['flap.hold'] }
'link goes to <l:(one=point-to-point|many=shared)>' = 'spanning-tree.link-type'
[[rule]]
pattern = 'everywhere hold <t:seconds>'
reach = 'all-ports'
sets = { 'flap.hold' = '<t>' }
[[rule]]
pattern = 'where fixed hold <t:seconds>'
reach = 'access-ports'
sets = { 'flap.hold' = '<t>' }
[[rule]]
pattern = 'where not wide hold <t:seconds>'
reach = 'access-or-negotiated-ports'
sets = { 'flap.hold' = '<t>' }
[[rule]]
pattern = 'where wide hold <t:seconds>'
reach = 'trunk-ports'
sets = { 'flap.hold' = '<t>' }
[[rule]]
pattern = 'where quick hold <t:seconds>'
reach = 'edge-ports'
sets = { 'flap.hold' = '<t>' }
";

/// Ports of each mode: fixed, wide, neither; then quick ones: fixed, wide by the form that is void there, wide by the one that holds.
const PORTS: &str = "berth p1\n  is fixed\nberth p2\n  is wide\nberth p3\n  holds 9\nberth p4\n  is fixed\n  is quick plainly\n\
berth p5\n  is wide\n  is quick plainly\nberth p6\n  is wide\n  is quick even-wide\n";

/// What holds where no default reaches.
const SILENT: &str = "unknown unknown";

#[rstest]
#[case::everywhere("everywhere hold 60", ["1 min"; 2], ["1 min"; 3])]
#[case::fixed("where fixed hold 60", ["1 min", SILENT], ["1 min", SILENT, SILENT])]
#[case::not_wide("where not wide hold 60", ["1 min", SILENT], ["1 min", SILENT, SILENT])]
#[case::wide("where wide hold 60", [SILENT, "1 min"], [SILENT, "1 min", "1 min"])]
#[case::quick("where quick hold 60", [SILENT, SILENT], ["1 min", SILENT, "1 min"])]
#[case::the_later_of_two("everywhere hold 30\nwhere wide hold 60", ["30 s", "1 min"], ["30 s", "1 min", "1 min"])]
#[case::the_earlier_is_lost("where wide hold 60\neverywhere hold 30", ["30 s"; 2], ["30 s"; 3])]
fn a_default_reaches(#[case] defaults: &str, #[case] plain: [&str; 2], #[case] quick: [&str; 3]) {
    let resolved = read(&dialect(LANGUAGE), &format!("{defaults}\n{PORTS}"));
    assert!(resolved.switch.unread().is_empty());
    let held = |port: u32| {
        let told = fact(&resolved, &format!("p{port} flap.hold"));
        told.split(" global").next().unwrap_or_default().to_owned()
    };
    assert_eq!([1, 2].map(held), plain);
    assert_eq!([4, 5, 6].map(held), quick);
    // The port's own line wins, whatever reaches it.
    let own = held(3);
    assert!(own.starts_with("9 s port"), "{own}");
}

/// Whether other lines spoke of a setting too, and lost: what is in force then says so.
#[rstest]
#[case::a_default_alone("everywhere hold 30\nberth p1\n  is fixed\n", Some("30 s"), false)]
#[case::a_default_twice("everywhere hold 60\neverywhere hold 30\nberth p1\n  is fixed\n", Some("30 s"), true)]
#[case::two_that_reach("everywhere hold 60\nwhere fixed hold 30\nberth p1\n  is fixed\n", Some("30 s"), true)]
#[case::one_that_does_not("everywhere hold 30\nwhere wide hold 60\nberth p1\n  is fixed\n", Some("30 s"), false)]
#[case::its_own("berth p1\n  holds 9\n", Some("9 s"), false)]
#[case::its_own_twice("berth p1\n  holds 8\n  holds 9\n", Some("9 s"), true)]
#[case::its_own_over_a_default("everywhere hold 30\nberth p1\n  holds 9\n", Some("9 s"), true)]
#[case::taken_back_over_a_default(
    "everywhere hold 30\nberth p1\n  holds 9\n  holds as others do\n",
    Some("30 s"),
    true
)]
#[case::taken_back("berth p1\n  holds 9\n  holds as others do\n", None, true)]
#[case::nobody("berth p1\n  is fixed\n", None, false)]
#[case::nobody_knows("where fixed hold 30\nberth p1\n  is odd\n", None, false)]
fn whether_others_spoke(#[case] text: &str, #[case] value: Option<&str>, #[case] contested: bool) {
    let resolved = read(&dialect(LANGUAGE), text);
    let slot = resolved.switch.slot(Some(0), settings::FLAP_HOLD.id);
    assert_eq!((slot.value.as_ref().map(ToString::to_string).as_deref(), slot.contested), (value, contested));
}

/// What nobody understands of a port's mode, or of what makes it an edge, leaves open how far a default reaches, and with that what it
/// says there; one that reaches all, and what the port says itself, stay.
#[rstest]
#[case::by_mode("where wide hold 60", "is wade", None)]
#[case::by_mode_of_others("where fixed hold 60", "is wade", None)]
#[case::by_not_being_wide("where not wide hold 60", "is wade", None)]
#[case::by_edge("where quick hold 60", "is quick somehow", None)]
#[case::everywhere("everywhere hold 60", "is wade", Some("1 min"))]
#[case::its_own("where wide hold 60", "is wade\n  holds 9", Some("9 s"))]
#[case::by_a_link_that_is_detected("where quick hold 60", "link goes to some", None)]
#[case::no_edge_by_its_mode("where wide hold 60", "link goes to some", Some("1 min"))]
fn a_doubt_of_the_reach(#[case] default: &str, #[case] lines: &str, #[case] expected: Option<&str>) {
    let detects = LANGUAGE.replace("[traits]\n", "[traits]\nedge-detected = 'yes'\n");
    let rapid = detects.replace(
        "[defaults]\n",
        "[defaults]\nspanning-tree = [{ protocol = 'rapid', link-type = 'point-to-point' }]\n",
    );
    let text = format!("{default}\nberth p1\n  is wide\n  {lines}\nberth p2\n  is wide\n  is quick even-wide\n");
    let resolved = read(&dialect(&rapid), &text);
    assert_eq!(resolved.switch.unread().len(), 1);
    let doubtful = resolved.doubtful(DoubtWidth::Near).unwrap().resolved.switch;
    let held = |port: usize| doubtful.slot(Some(port), settings::FLAP_HOLD.id).value.as_ref().map(ToString::to_string);
    assert_eq!(held(0).as_deref(), expected);
    // Of another port nothing is doubted.
    let before = resolved.switch.slot(Some(1), settings::FLAP_HOLD.id).value.as_ref().map(ToString::to_string);
    assert_eq!(held(1), before);
}

/// Where no edge is detected the kind of a link makes none.
#[test]
fn a_link_makes_no_edge_where_none_is_detected() {
    let text = "where quick hold 60\nberth p1\n  is fixed\n  is quick plainly\n  link goes to some\n";
    let resolved = read(&dialect(LANGUAGE), text);
    let doubtful = resolved.doubtful(DoubtWidth::Near).unwrap().resolved.switch;
    let held = doubtful.slot(Some(0), settings::FLAP_HOLD.id);
    assert_eq!(held.value.as_ref().map(ToString::to_string).as_deref(), Some("1 min"));
}
