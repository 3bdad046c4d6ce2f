//! One object a line, in every form that is about.

use std::fmt::Write as _;

use rstest::rstest;

use crate::walks::{alone, ports, remarks, told};

/// The switch's name, told in unlike forms.
#[rstest]
#[case::own("1.3.6.1.2.1.1.5.0 octets \"nq-1\"")]
#[case::sign("1.3.6.1.2.1.1.5.0 = STRING: \"nq-1\"")]
#[case::dotted(".1.3.6.1.2.1.1.5.0 = STRING: nq-1")]
#[case::iso("iso.3.6.1.2.1.1.5.0 = STRING: \"nq-1\"")]
#[case::untyped("1.3.6.1.2.1.1.5.0 = \"nq-1\"")]
#[case::tags("1.3.6.1.2.1.1.5.0|4|nq-1")]
#[case::tags_hex("1.3.6.1.2.1.1.5.0|4x|6e712d31")]
#[case::hex("1.3.6.1.2.1.1.5.0 = Hex-STRING: 6E 71 2D 31 ")]
#[case::hex_over_lines("1.3.6.1.2.1.1.5.0 = Hex-STRING: 6E 71\n2D 31")]
#[case::octet_string("1.3.6.1.2.1.1.5.0: OCTET-STRING: nq-1".replacen(':', " =", 1))]
#[case::crlf("1.3.6.1.2.1.1.5.0 = STRING: \"nq-1\"\r")]
#[case::twice_the_same("1.3.6.1.2.1.1.5.0 octets \"nq-1\"\n1.3.6.1.2.1.1.5.0 octets \"nq-1\"")]
fn names(#[case] text: impl AsRef<str>) {
    let switch = alone(&format!("{}\n", text.as_ref()));
    assert_eq!(told(&switch), ["switch.name = nq-1"]);
    assert!(switch.unread().is_empty());
}

#[rstest]
#[case::quotes("octets \"a \\\"b\\\" \\\\c\"", "a \"b\" \\c")]
#[case::over_lines("= STRING: \"one\ntwo\"", "one\ntwo")]
#[case::looks_like_an_object("= STRING: \"one\n= two\"", "one\n= two")]
#[case::no_such_is_a_name("= STRING: \"no such room\"", "no such room")]
#[case::other_alphabets("octets \"Café 東\"", "Café 東")]
fn texts(#[case] written: &str, #[case] read: &str) {
    let switch = alone(&format!("1.3.6.1.2.1.1.5.0 {written}\n"));
    assert_eq!(told(&switch), [format!("switch.name = {read}")]);
}

#[rstest]
#[case::plain("integer 2", Some(false))]
#[case::word("= INTEGER: down(2)", Some(false))]
#[case::up("= INTEGER: up(1)", Some(true))]
#[case::gauge("= Gauge32: 1", Some(true))]
#[case::bare("= 1", Some(true))]
#[case::tag("|2|1", Some(true))]
#[case::text("= STRING: \"1\"", None)]
#[case::other("= INTEGER: 9", None)]
#[case::negative("= INTEGER: -1", None)]
#[case::nothing("= No Such Instance currently exists at this OID", None)]
fn numbers(#[case] written: &str, #[case] enabled: Option<bool>) {
    let separator = if written.starts_with('|') { "" } else { " " };
    let switch = alone(&format!("{}1.3.6.1.2.1.2.2.1.7.1001{separator}{written}\n", ports()));
    let expected: Vec<String> = enabled.iter().map(|enabled| format!("1/1 port.enabled = {enabled}")).collect();
    assert_eq!(told(&switch), expected);
    let is_misread = enabled.is_none() && !written.contains("No Such");
    assert_eq!(switch.unread().len(), usize::from(is_misread));
    // What is not understood leaves open what it could have said, and shows nothing of itself.
    assert_eq!(
        crate::walks::resolved(&format!("{}1.3.6.1.2.1.2.2.1.7.1001{separator}{written}\n", ports()))
            .doubtful(yellowlegs_core::model::DoubtWidth::Block)
            .is_some(),
        is_misread
    );
}

#[rstest]
#[case::symbols("IF-MIB::ifDescr.1 = STRING: secret")]
#[case::words("set word hunter2 here")]
#[case::short("1.3 integer 1")]
#[case::not_apart("1.3.6.1.2.1.1.5.0\"nq-1\"")]
#[case::too_long(format!("1{} integer 1", ".1".repeat(128)))]
#[case::two_values("1.3.6.1.2.1.1.5.0 octets \"a\"\n1.3.6.1.2.1.1.5.0 octets \"b\"")]
#[case::never_closed("1.3.6.1.2.1.1.5.0 octets \"hunter2")]
fn lines_that_are_no_objects(#[case] line: impl AsRef<str>) {
    let switch = alone(&format!("{}1.3.6.1.2.1.2.2.1.7.1001 integer 1\n{}\n", ports(), line.as_ref()));
    assert!(!switch.unread().is_empty());
    let shapes: Vec<&str> = switch.unread().iter().map(|unread| &*unread.shape).collect();
    assert!(!shapes.join(" ").contains("hunter2") && !shapes.join(" ").contains("secret"), "{shapes:?}");
    let shown: Vec<String> = switch.unread().iter().filter_map(|u| Some(switch.quote(u.mark)?.text)).collect();
    assert!(!shown.join(" ").contains("hunter2") && !shown.join(" ").contains("secret"), "{shown:?}");
    assert!(!told(&switch).iter().any(|told| told.contains("switch.name")));
}

/// A line that is none may have told anything.
#[test]
fn a_line_that_is_no_object_leaves_everything_open() {
    let whole = format!("{}1.3.6.1.2.1.2.2.1.7.1001 integer 1\n1.3.6.1.2.1.2.2.1.8.1001 integer 1\n", ports());
    assert!(crate::walks::resolved(&whole).doubtful(yellowlegs_core::model::DoubtWidth::Block).is_none());
    let torn = crate::walks::resolved(&format!("{whole}garbled"));
    let doubtful = torn.doubtful(yellowlegs_core::model::DoubtWidth::Block).unwrap().resolved.switch;
    assert!(!told(&doubtful).iter().any(|told| told.contains("port.enabled")), "{:?}", told(&doubtful));
    let status = yellowlegs_core::model::FactKind::by_name("port-status").unwrap();
    assert!(doubtful.is_doubted(status, None));
}

/// What came is counted when it is written, so that a file that was cut shows it.
#[rstest]
#[case(2, true)]
#[case(3, false)]
#[case(1, false)]
fn objects_are_counted(#[case] count: usize, #[case] whole: bool) {
    let text = format!(
        "taken 2031-03-04T06:00:00Z\n1.3.6.1.2.1.1.1.0 octets \"quay\"\n1.3.6.1.2.1.1.5.0 octets \"nq-1\"\nwalked 1.3.6.1.2.1.1 {count}\n"
    );
    let switch = alone(&text);
    assert_eq!(switch.unread().is_empty(), whole, "{:?}", switch.unread());
}

/// What is hexadecimal goes on only with more of it.
#[test]
fn a_line_of_the_walk_itself_is_no_value() {
    let switch = alone("1.3.6.1.2.1.1.5.0 hex 6e 71\nwalked 1.3.6.1.2.1.1 1\n");
    assert_eq!(told(&switch), ["switch.name = nq"]);
    assert!(switch.unread().is_empty());
    let cut = alone("1.3.6.1.2.1.1.5.0 hex 6e 71\nwalked 1.3.6.1.2.1.1 2\n");
    assert_eq!(&*cut.unread()[0].shape, "2 objects came when it was walked, 1 are here");
}

#[test]
fn parts_that_nothing_reads_are_told() {
    let switch = alone(
        "1.3.6.1.2.1.1.5.0 octets \"nq-1\"\n1.3.6.1.2.1.4.1.0 integer 1\n1.3.6.1.2.1.4.2.0 integer 64\n1.3.6.1.6.3.10.2.1.1.0 hex 80\n",
    );
    let told = "3 of 4 objects are of parts that nothing reads: 1.3.6.1.2.1.4 (2), 1.3.6.1.6.3.10 (1)";
    assert!(remarks(&switch).contains(&told), "{:?}", remarks(&switch));
    assert!(switch.unread().is_empty());
}

#[rstest]
#[case::minutes_old("2031-03-04T06:00:00Z", true)]
#[case::days_old("2031-03-01T06:00:00Z", false)]
fn what_is_old_is_not_believed(#[case] taken: &str, #[case] believed: bool) {
    let switch = alone(&format!("taken {taken}\n{}1.3.6.1.2.1.2.2.1.7.1001 integer 1\n", ports()));
    assert_eq!(told(&switch), if believed { vec!["1/1 port.enabled = true"] } else { vec![] });
}

/// What would take hours if each line looked at all before it.
#[test]
fn large_walks_take_steps_that_follow_their_length() {
    let open = format!("1.3.6.1.2.1.1.5.0 octets \"{}", "room\n".repeat(400_000));
    let switch = alone(&open);
    assert_eq!((switch.unread().len(), told(&switch).len()), (1, 0));
    let mut text = String::new();
    for port in 1..=20_000 {
        _ = writeln!(
            text,
            "1.3.6.1.2.1.2.2.1.2.{port} octets \"gap {port}\"\n1.3.6.1.2.1.2.2.1.3.{port} integer 6\n\
             1.3.6.1.2.1.17.1.4.1.2.{port} integer {port}\n1.3.6.1.2.1.105.1.1.1.6.1.{port} integer 3\n\
             1.0.8802.1.1.2.1.3.7.1.2.{port} integer 5\n1.0.8802.1.1.2.1.3.7.1.3.{port} octets \"gap {port}\"\n\
             walked 1.3.6.1.2.1.105 20000"
        );
    }
    let set = "ff ".repeat(2_500);
    for vlan in 100..130 {
        _ = writeln!(text, "1.3.6.1.2.1.17.7.1.4.3.1.2.{vlan} hex {set}\n1.3.6.1.2.1.17.7.1.4.3.1.4.{vlan} hex 00");
    }
    let switch = alone(&text);
    assert_eq!((switch.ports().len(), switch.unread().len()), (20_000, 0));
    assert_eq!(crate::walks::facts(&switch, "power").len(), 20_000);
    assert!(told(&switch).contains(&"gap 20000 port.tagged-vlans = 100-129".to_owned()));
}
