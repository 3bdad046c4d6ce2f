//! What `dialect explain` knows of each line: what took it and what it says, what it fits longest, what opens; nothing is shown that is secret.

use std::sync::Arc;

use rstest::rstest;
use yellowlegs_core::resolve::{Explained, Outcome, explain, explain_state};
use yellowlegs_core::source::Source;

use super::support::{as_of, dialect};

const DIALECT: &str = "\
[dialect]
name = 'x'
[text]
structure = 'indent'
comment = '#'
negation = 'no'
[ports]
names = ['<n>']
[[rule]]
pattern = 'berth <which:ports>'
ports = '<which>'
opens = 'berth'
[[rule]]
in = 'berth'
pattern = 'max <most:int> [then <action:(shut=disable-port)>]'
sets = { 'port-security.limit' = '<most>', 'port-security.action' = '<action>' }
implies = { 'port-security.enabled' = true }
negation = 'default'
[[rule]]
in = 'berth'
pattern = 'lanes more <lanes:vlans>'
adds = { 'port.tagged-vlans' = '<lanes>' }
[[rule]]
in = 'berth'
pattern = 'lanes less <lanes:vlans>'
removes = { 'port.tagged-vlans' = '<lanes>' }
[[rule]]
in = 'berth'
pattern = 'hush'
about = 'open'
[[rule]]
pattern = 'key <key:secret>'
[[rule]]
pattern = 'clock'
about = 'nothing'
[[table]]
fact = 'station'
columns = [{ title = 'Lane', is = '<vlan:vlan>' }, { title = 'Station', is = '<address:station>' }, { title = 'Berth', is = '<port:port>' }]
[[line]]
pattern = 'berth <port:port> is <link:(up=true|down=false)>'
fact = 'port-status'
";

fn shown(line: &Explained) -> String {
    let outcome = |outcome: &Outcome| match outcome {
        Outcome::Passed => "passed".to_owned(),
        Outcome::Open { rule } => format!("open {rule}"),
        Outcome::Told { rule, facts, .. } => format!("told by {rule}: {} fact(s)", facts.len()),
        Outcome::Misfit { table, column, blank } => {
            format!("misfit {table} {column}{}", if *blank { " blank" } else { "" })
        }
        Outcome::Unread { context, nearest, stopped } => format!(
            "unread in {} near {} at {}",
            context.as_deref().unwrap_or("-"),
            nearest.map_or("-".into(), |line| line.to_string()),
            stopped.as_deref().unwrap_or("-")
        ),
        Outcome::Taken { rule, negated, said, opens } => {
            let said: Vec<String> = said
                .iter()
                .map(|s| {
                    format!(
                        "{} {}{}",
                        s.how,
                        s.setting.name(),
                        s.value.as_ref().map(|v| format!("={v}")).unwrap_or_default()
                    )
                })
                .collect();
            let (no, opens) = (
                if *negated { "no " } else { "" },
                opens.as_deref().map(|o| format!(" opens {o}")).unwrap_or_default(),
            );
            format!("{no}{rule}: {}{opens}", said.join(", "))
        }
    };
    format!("{} | {}", line.text, line.outcome.iter().map(outcome).collect::<Vec<_>>().join(" + "))
}

#[rstest]
#[case::an_opener("berth 1", &["berth 1 | 10:  opens berth"])]
#[case::what_is_set("berth 1\n  max 3", &["berth 1 | 10:  opens berth", "  max 3 | 15: sets port-security.limit=3, implies port-security.enabled=true"])]
#[case::an_optional_part("berth 1\n  max 3 then shut", &["berth 1 | 10:  opens berth", "  max 3 then shut | 15: sets port-security.limit=3, sets port-security.action=disable-port, implies port-security.enabled=true"])]
#[case::taken_back("berth 1\n  no max", &["berth 1 | 10:  opens berth", "  no max | no 15: takes back port-security.limit, takes back port-security.action, takes back port-security.enabled"])]
#[case::lists("berth 1\n  lanes more 110,120\n  lanes less 120", &["berth 1 | 10:  opens berth", "  lanes more 110,120 | 21: adds port.tagged-vlans=110,120", "  lanes less 120 | 25: removes port.tagged-vlans=120"])]
#[case::open("berth 1\n  hush", &["berth 1 | 10:  opens berth", "  hush | open 29"])]
#[case::a_secret("key three-long", &["key ********** | 32: "])]
#[case::about_nothing("clock of the harbour\n  5 bells", &["clock of the harbour | 34: ", "  5 bells | passed"])]
#[case::a_comment("# old password three-long\n\nberth 1", &["# old password three-long | passed", " | passed", "berth 1 | 10:  opens berth"])]
#[case::stops_at_a_word("berth 1\n  max many", &["berth 1 | 10:  opens berth", "max <word> | unread in berth near 15 at many"])]
#[case::stops_at_the_end("berth 1\n  max", &["berth 1 | 10:  opens berth", "max | unread in berth near 15 at "])]
#[case::begins_like_nothing("chime 7", &["<word> <number> | unread in top near - at -"])]
#[case::below_what_nobody_knows("chime 7\n  max 3", &["<word> <number> | unread in top near - at -", "max <number> | unread in - near - at -"])]
fn lines_of_a_configuration(#[case] text: &str, #[case] expected: &[&str]) {
    let explained = explain(&dialect(DIALECT), &Arc::new(Source::of("config.txt", format!("{text}\n"))));
    let by_shape = |line: &Explained| line.outcome.iter().any(|outcome| matches!(outcome, Outcome::Unread { .. }));
    let masked = |line: &Explained| match &line.shape {
        Some(shape) if by_shape(line) => shown(&Explained { text: shape.clone(), ..line.clone() }),
        _ => shown(line),
    };
    let told: Vec<String> = explained.iter().map(masked).collect();
    assert_eq!(told, expected);
    assert_eq!(
        explained.iter().map(|line| line.line).collect::<Vec<_>>(),
        (1..=expected.len() as u32).collect::<Vec<_>>()
    );
}

/// Comments and free texts are shown by their shape: old passwords live there.
#[test]
fn what_is_passed_over_has_a_shape() {
    let explained = explain(&dialect(DIALECT), &Arc::new(Source::of("config.txt", "# old key three-long\nberth 1\n")));
    let shape = explained[0].shape.as_deref().unwrap();
    assert!(shape.contains("key") && !shape.contains("three"), "{shape}");
    assert_eq!(explained[1].shape, None);
}

#[rstest]
#[case::a_row("Lane  Station         Berth\n110   0200.5e10.0001  1\n", &["told by 37: 0 fact(s)", "told by 37: 1 fact(s)"])]
#[case::a_cell_that_does_not_fit("Lane  Station         Berth\n110   hello           1\n", &["told by 37: 0 fact(s)", "misfit 37 Station"])]
#[case::no_cell_where_one_makes_the_row("Lane  Station         Berth\n110                   1\n", &["told by 37: 0 fact(s)", "misfit 37 Station blank"])]
#[case::a_line("berth 1 is up\n", &["told by 40: 1 fact(s)"])]
#[case::near_a_line("berth 1 is gone\n", &["unread in top near 40 at gone"])]
#[case::nothing_like_it("chime 7\n", &["unread in top near - at -"])]
fn lines_of_state(#[case] text: &str, #[case] expected: &[&str]) {
    let explained = explain_state(&dialect(DIALECT), &Arc::new(Source::of("t.out", text)), as_of().moment());
    let told: Vec<String> = explained.iter().map(|line| shown(line).split_once(" | ").unwrap().1.to_owned()).collect();
    assert_eq!(told, expected);
}
