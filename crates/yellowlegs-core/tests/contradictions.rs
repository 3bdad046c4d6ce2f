//! Tables that disagree, times that cannot be, ports that are not there: remarks with file and line.

use std::sync::Arc;

use crate::support::{HEAD, as_of, policy, shingle_without};
use proptest::prelude::*;
use rstest::rstest;
use yellowlegs_core::check::{Judge, Selection};
use yellowlegs_core::resolve::{State, resolve_with};
use yellowlegs_core::source::Source;

const STATUS: &str = "Socket  Line  Kept shut by  Since                Opens in  Pace";
const STATION: &str = "Lane  Station            Socket  Kept      Silent for";
const BINDING: &str = "Station            Address      Lane  Socket  Left";
const POWER: &str = "Socket  Feeds  Class  Asked  Set aside  Drawn";
const CLOCK: &str = "harbour clock 2031-03-04 06:00:00";

/// The remarks on a switch that tells this: line, and words.
fn remarks(config: &str, told: &[&str]) -> Vec<(Option<u32>, String)> {
    let policy = policy("");
    let (as_of, selection) = (as_of(), Selection::default());
    let texts = vec![Arc::new(Source::of("t/tables.out", told.join("\n") + "\n"))];
    let state = State { texts, as_of: as_of.moment(), ..State::default() };
    let source = Source::of("t/config.txt", format!("{HEAD}{}\n", config.replace(';', "\n")));
    let resolved = resolve_with("t", &shingle_without(&[]), Arc::new(source), &state);
    assert!(resolved.switch.unread().is_empty(), "{:?}", resolved.switch.unread());
    let outcome = Judge::new(&policy, &as_of, &selection, false).switch(&resolved, resolved.lists()).outcome;
    let told = outcome.remarks.into_iter().filter(|remark| remark.file.as_deref() == Some("t/tables.out"));
    told.map(|remark| (remark.line, remark.text)).collect()
}

#[rstest]
#[case::station_twice("", &[STATION, "110   02:00:5e:10:00:01  1.1     heard     5s", "110   02:00:5e:10:00:01  1.2     heard     5s"], 3, "is on port 1.2 here and on port 1.1 in line 2")]
#[case::bound_elsewhere("", &[STATION, "110   02:00:5e:10:00:01  1.1     heard     5s", "", BINDING, "02:00:5e:10:00:01  192.0.2.7    110   1.2     1h"], 5, "is bound on port 1.2 in VLAN 110, and the address table has it on port 1.1 (line 2)")]
#[case::status_twice("", &[STATUS, "1.1     up    -                                            1G", "1.1     down  nobody"], 3, "has another status in line 2")]
#[case::shut_here("", &[STATUS, "1.1     down  keeper        2031-03-04 05:00:00"], 2, "is shut here and open in the configuration")]
#[case::heard_without_a_link("", &[STATUS, "1.1     down  nobody", "", STATION, "110   02:00:5e:10:00:01  1.1     heard     5s"], 2, "has no link here, and a station is heard on it in line 5")]
#[case::held_and_up("", &[STATUS, "1.1     up    -                                            1G", "", "socket 1.1 flutter held 5 seen opens in 20s"], 4, "holds port 1.1 down, and its link is up in line 2")]
#[case::power("", &[POWER, "1.1     yes    2      6.5    7.0        4.1", "", "socket 1.1 hears", "  power:", "    asks: 9W"], 2, "asks 6.5 W here and 9 W in line 4")]
#[case::mirror("", &["looking-glass 1 awake from 1.1 onto 1.2"], 1, "runs, and is not active in the configuration")]
#[case::unknown_port("", &[STATION, "110   02:00:5e:10:00:01  7.9     heard     5s"], 2, "station tells of ports that the configuration does not have: 7.9")]
#[case::from_the_future("", &["2031-03-09 05:00:00 socket 1.1 line down"], 1, "is after the moment of the audit")]
#[case::old("", &["harbour clock 2031-03-01 06:00:00", STATION, "110   02:00:5e:10:00:01  1.1     heard     5s"], 1, "more than 24 h before the audit")]
#[case::saved_after("", &[CLOCK, "2031-03-04 06:10:00 everything stowed"], 2, "was saved at 2031-03-04T06:10:00Z, after the state was taken")]
fn what_contradicts_is_said(#[case] config: &str, #[case] told: &[&str], #[case] line: u32, #[case] words: &str) {
    let remarks = remarks(config, told);
    let found = remarks.iter().any(|(at, text)| *at == Some(line) && text.contains(words));
    assert!(found, "{remarks:?}");
}

#[rstest]
#[case::quiet(&[CLOCK, STATUS, "1.1     up    -                                            1G", "", STATION, "110   02:00:5e:10:00:01  1.1     heard     5s"])]
#[case::two_vlans(&[STATION, "110   02:00:5e:10:00:01  1.1     heard     5s", "210   02:00:5e:10:00:01  1.2     heard     5s"])]
#[case::saved_before(&["2031-03-04 05:10:00 everything stowed", CLOCK])]
#[case::kept_on_a_dead_port(&[STATUS, "1.1     down  nobody", "", STATION, "110   02:00:5e:10:00:01  1.1     resident  5s"])]
fn what_agrees_is_not_remarked(#[case] told: &[&str]) {
    assert_eq!(remarks("", told), []);
}

/// A mirror that is awake by its lines and awake by the table; and asleep by both.
#[rstest]
#[case::awake("awake", "awake from 1.1 onto 1.2", 0)]
#[case::asleep("without awake", "awake from 1.1 onto 1.2", 1)]
fn a_mirror_is_as_it_is_written(#[case] line: &str, #[case] told: &str, #[case] count: usize) {
    let config = format!("looking-glass 1;  shows 1.1 both;  onto 1.2;  {line}");
    let said = remarks(&config, &[&format!("looking-glass 1 {told}")]);
    assert_eq!(said.len(), count, "{said:?}");
}

/// Times on the very edge are right, a second beyond it they are told: five minutes ahead, a quarter of an hour apart, saved with the state.
#[rstest]
#[case::ahead(&["2031-03-04 06:35:00 socket 1.1 line down"], &["2031-03-04 06:35:01 socket 1.1 line down"])]
#[case::clocks_apart(&[CLOCK, "harbour clock 2031-03-04 05:45:00"], &[CLOCK, "harbour clock 2031-03-04 05:44:59"])]
#[case::saved_with_it(&[CLOCK, "2031-03-04 06:00:00 everything stowed"], &[CLOCK, "2031-03-04 06:00:01 everything stowed"])]
fn times_on_the_edge(#[case] right: &[&str], #[case] beyond: &[&str]) {
    assert_eq!(remarks("", right), []);
    assert_eq!(remarks("", beyond).len(), 1);
}

/// Of one kind of contradiction a few are told, and how many more there are; where there are no more nothing is added.
#[rstest]
#[case(1, "")]
#[case(5, "")]
#[case(7, "; 2 more like this")]
fn many_of_one_kind(#[case] count: usize, #[case] ends: &str) {
    let rows: Vec<String> = (0..count).map(|n| format!("2031-03-09 05:00:0{n} socket 1.1 line down")).collect();
    let said = remarks("", &rows.iter().map(String::as_str).collect::<Vec<_>>());
    assert_eq!(said.len(), count.min(5));
    let last = &said.last().unwrap().1;
    assert_eq!(last.split(')').next_back(), Some(ends), "{last}");
}

/// A port that a feature holds down: its configuration, and why that cannot be; nothing where it can.
#[rstest]
#[case::off("", "crowd", "port-security here, and it is off")]
#[case::void("crowd watch;crowd response shut-out", "crowd", "port-security here, and it is void in the port's mode")]
#[case::reports(
    "carries single;crowd watch;crowd response report",
    "crowd",
    "port-security here, and it takes no port down"
)]
#[case::holds("carries single;crowd watch;crowd response shut-out", "crowd", "")]
#[case::bpdu("", "tree", "bpdu-guard here, and it is off")]
#[case::bpdu_holds("tree stranger closes", "tree", "")]
#[case::root("", "crown", "root-guard here, and it is off")]
#[case::root_holds("tree crown kept", "crown", "")]
#[case::loop_guard("", "silence", "loop-guard here, and it is off")]
#[case::loop_guard_holds("tree silence closes", "silence", "")]
#[case::echo("", "echo", "loop-detection here, and it is off")]
#[case::echo_holds("echo watch", "echo", "")]
#[case::unlimited("gale then shut-out", "gale", "storm here, and nothing is limited")]
#[case::drops("gale multicast 1%", "gale", "storm here, and it takes no port down")]
#[case::storm_holds("gale multicast 1%;gale then shut-out", "gale", "")]
#[case::one_way("", "one-way", "unidirectional here, and it is off")]
#[case::one_way_reports("two-way watch tell", "one-way", "unidirectional here, and it only reports")]
#[case::one_way_holds("two-way watch close", "one-way", "")]
#[case::one_way_strictly("two-way watch close-on-silence", "one-way", "")]
#[case::flutter("", "flutter", "flap here, and it is off")]
#[case::flutter_holds("flutter watch", "flutter", "")]
#[case::dhcp("", "dhcp", "dhcp-rate here, and nothing is limited")]
#[case::dhcp_holds("dhcp pace 15", "dhcp", "")]
#[case::nobody("", "nobody", "")]
fn a_port_that_nothing_holds(#[case] block: &str, #[case] cause: &str, #[case] words: &str) {
    let block = format!("socket 1.1;  note \"x\";  {}", block.replace(';', ";  "));
    let row = format!("1.1     down  {cause:12}  2031-03-04 05:00:00  by hand   1000");
    let told = remarks(block.trim_end(), &[STATUS, &row]);
    let held: Vec<_> = told.iter().filter(|(_, text)| text.contains("is held down by")).collect();
    assert_eq!(held.len(), usize::from(!words.is_empty()), "{told:?}");
    assert!(held.iter().all(|(line, text)| *line == Some(2) && text.contains(words)), "{told:?}");
}

/// A thousand contradictions of one sort are a few remarks and a count.
#[test]
fn many_of_one_sort_are_told_as_few() {
    let mut told = vec![STATION.to_owned()];
    for n in 0..500 {
        for port in 1..3 {
            told.push(format!("110   02:00:5e:10:{:02x}:{:02x}  1.{port}     heard     5s", n / 256, n % 256));
        }
    }
    let told: Vec<&str> = told.iter().map(String::as_str).collect();
    let remarks = remarks("", &told);
    assert_eq!(remarks.len(), 5);
    assert!(remarks[4].1.ends_with("; 495 more like this"), "{remarks:?}");
}

const SEEN: &str = include_str!("../../../demo/northquay/nq-desks-1/tables.out");
const LOG: &str = include_str!("../../../demo/northquay/nq-desks-1/events.log");
const CONFIG: &str = include_str!("../../../demo/northquay/nq-desks-1/config.txt");

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]
    /// Lines cut, doubled and out of order, times far off, cells of other tables: every line becomes a fact or stays unread,
    /// and the audit comes to an end.
    #[test]
    fn hostile_state_is_judged_and_nothing_is_dropped(
        picks in proptest::collection::vec((0_usize..200, 0_usize..60, 0_usize..200), 0..120),
    ) {
        let lines: Vec<&str> = SEEN.lines().chain(LOG.lines()).filter(|line| !line.is_empty()).collect();
        let text: String = picks
            .iter()
            .map(|(line, cut, other)| {
                let (line, other) = (lines[line % lines.len()], lines[other % lines.len()]);
                let head: String = line.chars().take(*cut).collect();
                let tail: String = other.chars().skip(*cut).collect();
                head + &tail + "\n"
            })
            .collect();
        let (policy, as_of, selection) = (policy(include_str!("../../../demo/yellowlegs.toml")), as_of(), Selection::default());
        let state = State { texts: vec![Arc::new(Source::of("t/tables.out", text.as_str()))], as_of: as_of.moment(), ..State::default() };
        let dialect = shingle_without(&[]);
        let resolved = resolve_with("nq-desks-1", &dialect, Arc::new(Source::of("t/config.txt", CONFIG)), &state);
        let outcome = Judge::new(&policy, &as_of, &selection, false).switch(&resolved, resolved.lists()).outcome;
        for remark in outcome.remarks.iter().filter(|remark| remark.file.is_some()) {
            prop_assert!(remark.line.is_some_and(|line| line as usize <= text.lines().count()), "{:?}", remark);
        }
        let known: usize = resolved.switch.facts().len();
        let unread = resolved.switch.unread().len();
        prop_assert!(picks.is_empty() || known + unread > 0 || resolved.switch.has_state() || text.trim().is_empty()
            || text.lines().all(dialect_ignores), "{text}");
    }
}

/// Rulers and lines that Shingle passes over.
fn dialect_ignores(line: &str) -> bool {
    line.trim().is_empty() || line.chars().all(|c| "- ".contains(c)) || line.contains("shown") || line.contains("tells")
}
