//! From a switch to its objects and back: what is told again is what was in force.

use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::sync::Arc;

use yellowlegs_core::model::{DoubtWidth, Oid, Origin, Scope, SettingId, Switch};
use yellowlegs_core::resolve::{State, resolve_walked, resolve_with};
use yellowlegs_core::source::Source;
use yellowlegs_core::walk::{self, WalkedValue};

use crate::support::{as_of, dialect};
use crate::walks::{alone, told};

macro_rules! demo {
    ($file:literal) => {
        include_str!(concat!("../../../../demo/", $file))
    };
}

/// Switches of two systems, each with a text of state.
const DEMO: [(&str, &str, &str, &str); 4] = [
    (
        "nq-desks-1",
        demo!("dialects/shingle.toml"),
        demo!("northquay/nq-desks-1/config.txt"),
        demo!("northquay/nq-desks-1/tables.out"),
    ),
    (
        "nq-core-1",
        demo!("dialects/shingle.toml"),
        demo!("northquay/nq-core-1/config.txt"),
        demo!("northquay/nq-core-1/tables.out"),
    ),
    (
        "sp-gates-1",
        demo!("dialects/fathom.toml"),
        demo!("saltpan/sp-gates-1/config.txt"),
        demo!("saltpan/sp-gates-1/tables.out"),
    ),
    (
        "sp-core-1",
        demo!("dialects/fathom.toml"),
        demo!("saltpan/sp-core-1/config.txt"),
        demo!("saltpan/sp-core-1/tables.out"),
    ),
];

/// The text of a walk of a switch.
fn walked(switch: &Switch) -> String {
    let mut text = String::new();
    for (oid, value) in walk::objects_of(switch, &Oid::parse("1.3.6.1.4.1.32473.7").unwrap()) {
        _ = writeln!(text, "{}", walk::line(oid.arcs(), &value));
    }
    text
}

#[test]
fn what_is_told_again_is_what_was_in_force() {
    let mut checked = 0;
    for (name, language, config, tables) in DEMO {
        let language = dialect(language);
        let source = |path: &str, text: &str| Arc::new(Source::of(format!("{name}/{path}"), text));
        let state = State { texts: vec![source("tables.out", tables)], as_of: as_of().moment(), ..State::default() };
        let whole = resolve_with(name, &language, source("config.txt", config), &state).switch;
        let walks = vec![source("agent.walk", &walked(&whole))];
        let again = resolve_walked(name, None, &State { walks, as_of: as_of().moment(), ..State::default() }).switch;
        assert!(again.unread().is_empty(), "{:?}", again.unread().first());
        assert_eq!(again.ports(), whole.ports(), "{name}");
        let places = std::iter::once(None).chain((0..whole.ports().len()).map(Some));
        for port in places {
            for id in SettingId::all().filter(|id| (id.info().scope == Scope::Port) == port.is_some()) {
                let slot = again.slot(port, id);
                if slot.origin != Origin::State {
                    continue;
                }
                checked += 1;
                let (was, is) = (&whole.slot(port, id).value, &slot.value);
                let by_members = [
                    "port.mode",
                    "port.access-vlan",
                    "port.native-vlan",
                    "port.tagged-vlans",
                    "port.voice-vlan",
                    "fast-start.mode",
                ];
                if by_members.contains(&id.name()) {
                    continue;
                }
                let port = port.map(|port| whole.ports()[port].to_string());
                assert_eq!(is, was, "{name} {port:?} {}", id.name());
            }
        }
    }
    assert!(checked > 800, "{checked}");
}

/// Beside the text they were made of, the objects of a switch contradict nothing.
#[test]
fn a_walk_of_what_is_in_force_contradicts_nothing() {
    for (name, language, config, tables) in DEMO {
        let language = dialect(language);
        let source = |path: &str, text: &str| Arc::new(Source::of(format!("{name}/{path}"), text));
        let texts = vec![source("tables.out", tables)];
        let state = State { texts, as_of: as_of().moment(), ..State::default() };
        let alone = resolve_with(name, &language, source("config.txt", config), &state).switch;
        let walks = vec![source("agent.walk", &walked(&alone))];
        let both = resolve_with(name, &language, source("config.txt", config), &State { walks, ..state }).switch;
        assert_eq!(both.remarks(), alone.remarks(), "{name}");
    }
}

/// Each line says what it is; the name is none of the value, and a value that ends like a name keeps it.
#[test]
fn lines_have_the_names_of_their_objects() {
    let text = |oid: &str, value| walk::line(Oid::parse(oid).unwrap().arcs(), &value);
    let octets = |text: &str| WalkedValue::Octets(text.as_bytes().to_vec());
    assert_eq!(
        text("1.3.6.1.2.1.17.7.1.4.5.1.1.3", WalkedValue::Gauge(110)),
        "1.3.6.1.2.1.17.7.1.4.5.1.1.3 gauge32 110  # dot1qPvid"
    );
    assert_eq!(
        text("1.3.6.1.2.1.17.7.1.4.3.1.2.110", octets("@A")),
        "1.3.6.1.2.1.17.7.1.4.3.1.2.110 hex 40 41  # dot1qVlanStaticEgressPorts"
    );
    assert_eq!(
        text("1.0.8802.1.1.2.1.5.4795.1.2.1.1.4.2.1.64", WalkedValue::Integer(46)),
        "1.0.8802.1.1.2.1.5.4795.1.2.1.1.4.2.1.64 integer 46  # lldpXMedLocMediaPolicyDscp"
    );
    for name in ["quay", "quay  # one", "a \\ \"b\"", "quay  # ", ""] {
        let line = text("1.3.6.1.2.1.1.5.0", octets(name));
        assert_eq!(told(&alone(&format!("{line}\n"))), [format!("switch.name = {}", name.trim_end())], "{line}");
    }
    let others = "1.3.6.1.2.1.1.5.0 = STRING: quay  # one\n";
    assert_eq!(told(&alone(others)), ["switch.name = quay  # one"]);
}

/// The text of a walk as it is gathered: each part with how many objects it had.
fn gathered(switch: &Switch) -> String {
    let told = walk::objects_of(switch, &Oid::parse("1.3.6.1.4.1.32473.7").unwrap());
    let mut text = String::from("taken 2031-03-04T06:00:00Z\n");
    for root in walk::ROOTS {
        let below: Vec<_> = told.iter().filter(|(oid, _)| oid.arcs().starts_with(root)).collect();
        below.iter().for_each(|(oid, value)| _ = writeln!(text, "{}", walk::line(oid.arcs(), value)));
        _ = writeln!(text, "{}", walk::walked_line(root, below.len()));
    }
    text
}

/// Whatever line is missing, nothing is told that the whole does not tell.
#[test]
fn a_line_that_is_missing_tells_nothing_else() {
    let (name, language, config, tables) = DEMO[0];
    let source = |path: &str, text: &str| Arc::new(Source::of(format!("{name}/{path}"), text));
    let texts = vec![source("tables.out", tables)];
    let state = State { texts, as_of: as_of().moment(), ..State::default() };
    let text = gathered(&resolve_with(name, &dialect(language), source("config.txt", config), &state).switch);
    let whole: BTreeSet<String> = told(&alone(&text)).into_iter().collect();
    let lines: Vec<&str> = text.lines().collect();
    assert!(whole.len() > 200 && lines.len() > 700, "{} {}", whole.len(), lines.len());
    for missing in (0..lines.len()).step_by(3) {
        let rest: Vec<&str> =
            lines.iter().enumerate().filter(|(at, _)| *at != missing).map(|(_, line)| *line).collect();
        let rest = rest.join("\n") + "\n";
        let torn = crate::walks::resolved(&rest);
        let known = torn.doubtful(DoubtWidth::Block).map_or(torn.switch.clone(), |doubtful| doubtful.resolved.switch);
        let more: Vec<String> = told(&known).into_iter().filter(|told| !whole.contains(told)).collect();
        assert_eq!(more, Vec::<String>::new(), "without {}", lines[missing]);
    }
}
