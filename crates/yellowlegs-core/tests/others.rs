//! What is said of other ports makes no difference to a port: alone on its switch, with the same global defaults, it has the same in
//! force, by the same lines, and the lines that lost are the same.

use std::fmt::Write as _;
use std::sync::Arc;

use crate::support::{SHINGLE, dialect, read};
use proptest::prelude::*;
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::model::{Mark, Scope, SettingId};
use yellowlegs_core::resolve::Resolved;

/// What somebody may write once for many ports.
const GLOBAL: [&str; 14] = [
    "every socket\n  carries single",
    "every socket\n  announces",
    "every socket\n  without announces",
    "every socket\n  admit tagged",
    "every socket\n  wakes listening",
    "every socket\n  gale broadcast 2%",
    "every socket\n  echo watch",
    "every single socket\n  admit untagged",
    "every single socket\n  wakes quickly",
    "every single socket\n  gale broadcast 1%",
    "every single socket\n  router calls refused",
    "every single socket\n  crowd watch",
    "quick sockets closed to trees",
    "tree kind young\nquick sockets closed to trees",
];

/// What somebody may write for one.
const OWN: [&str; 22] = [
    "carries single",
    "carries bundle",
    "carries bargain",
    "without carries",
    "carries drift",
    "home lane 110",
    "bundle lanes 110,120",
    "speech lane 210",
    "admit every",
    "without admit",
    "announces",
    "without announces",
    "wakes slowly",
    "wakes quickly",
    "wakes quickly-even-bundled",
    "wakes drift",
    "tree link crowd",
    "tree stranger closes",
    "without tree stranger closes",
    "gale broadcast 3%",
    "without gale broadcast",
    "without crowd watch",
];

/// Platforms that are unlike in what decides how far a default reaches.
fn platforms() -> Vec<Arc<Dialect>> {
    let rules = SHINGLE.split("# ── examples").next().unwrap();
    let with = |trait_line: &str, other: &str| {
        assert!(rules.contains(trait_line), "{trait_line}");
        dialect(&rules.replace(trait_line, other))
    };
    let of_kind = "[[ports.kind]]\nnames = [\"1.1..1.2\"]\ndefaults = { \"port.acceptable-frames\" = \"tagged\", \"fast-start.mode\" = \"edge\" }\n[lists]\n";
    vec![
        dialect(rules),
        with("edge-detected = \"no\"", "edge-detected = \"yes\""),
        with("plain-fast-start-on-trunk = \"void\"\n", ""),
        with("mode-from = \"statement\"", "mode-from = \"membership\""),
        with("[lists]\n", of_kind),
    ]
}

/// What is in force on a port and what was said of it, with the words of each line.
fn told(resolved: &Resolved, name: &str) -> String {
    let line = |mark: Option<Mark>| match mark.and_then(|mark| resolved.switch.quote(mark)) {
        Some(quote) => format!("{} {}", quote.place.file, quote.text),
        None => "nothing".to_owned(),
    };
    let port = resolved.switch.ports().iter().position(|port| port.as_str() == name).unwrap();
    let mut told = String::new();
    for id in SettingId::of(Scope::Port) {
        let slot = resolved.switch.slot(Some(port), id);
        let marks = resolved.marks(Some(port), id);
        let lines: Vec<String> = marks.into_iter().map(|mark| line(Some(mark))).collect();
        let (value, origin, by) = (&slot.value, slot.origin, line(slot.mark));
        let _ = writeln!(told, "{}: {value:?} {origin:?} {} by {by}, of {lines:?}", id.name(), slot.contested);
    }
    told
}

proptest! {
    #[test]
    fn a_port_has_what_it_has_alone(
        platform in 0_usize..5,
        before in prop::collection::vec(prop::sample::select(&GLOBAL[..]), 0..6),
        after in prop::collection::vec(prop::sample::select(&GLOBAL[..]), 0..3),
        ports in prop::collection::vec(prop::collection::vec(prop::sample::select(&OWN[..]), 0..6), 2..7),
    ) {
        let dialect = &platforms()[platform];
        let text = |only: Option<usize>| {
            let mut text = format!("shingle 4 unit t\nsockets 1.1..1.{}\n", ports.len());
            before.iter().for_each(|lines| text.extend([*lines, "\n"]));
            for (number, lines) in ports.iter().enumerate().filter(|(at, _)| only.is_none_or(|only| only == *at)) {
                let _ = writeln!(text, "socket 1.{}", number + 1);
                lines.iter().for_each(|line| text.extend(["  ", line, "\n"]));
            }
            after.iter().for_each(|lines| text.extend([*lines, "\n"]));
            text
        };
        let all = text(None);
        let together = read(dialect, &all);
        for number in 0..ports.len() {
            let (alone, name) = (text(Some(number)), format!("1.{}", number + 1));
            let (here, there) = (told(&together, &name), told(&read(dialect, &alone), &name));
            prop_assert_eq!(here, there, "port {} of\n{}", name, all);
        }
    }
}
