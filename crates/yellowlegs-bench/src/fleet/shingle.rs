//! A planned switch in Shingle: indented blocks, a block for each port.

use std::fmt::Write as _;

use super::Wanted;
use super::plan::{Action, HOSTS, Port, Switch, TRUNK, Use};

pub(crate) const DIALECT: &str = include_str!("../../../../demo/dialects/shingle.toml");

pub(crate) fn text(switch: &Switch, wanted: Wanted) -> String {
    let links = wanted.links;
    let mut text = format!(
        "shingle 4 unit {}\nplace \"hall {}\"\nclock harbour\nsockets 1.1..1.52\n",
        switch.name,
        switch.number % 97
    );
    for vlan in HOSTS {
        let _ = write!(text, "lane {vlan}\n  called \"hosts {vlan}\"\n");
        if links && switch.number == 0 && vlan == 140 {
            text.push_str("  asks\n  asks from 192.0.2.1\n");
        }
    }
    text.push_str("lane 210\n  called \"phones\"\nlane 300\n  called \"switches\"\nlane 998\nlane 999\nloft cleared for binding-loft\ndhcp watch\n");
    let _ = writeln!(text, "dhcp watch lanes {TRUNK}");
    text.push_str("dhcp watch compares\ndhcp watch keeps\ndhcp watch tag keep\ntree kind young\nquick sockets closed to trees\nannouncements\n");
    if links {
        text.push_str("choir watch\nchoir watch lanes 140\n");
    }
    let _ = writeln!(text, "tells 192.0.2.{}", 1 + switch.number % 250);
    text.push_str("every socket\n  believes both\n  announces\n  without doze\n  flutter watch\n  flutter 5 within 10\n  flutter hold 60\nevery single socket\n  admit untagged\n  router calls refused\n  lease calls refused\n  gale broadcast 1%\n  gale multicast 1%\n  dhcp pace 15\nlarder 2000W\ndscp 46 to queue 7\nqueue 7 first\nreturn of gale after 300\n");
    if wanted.mirrors {
        text.push_str("looking-glass 1\n  shows 1.1 both\n  onto 1.22\n  awake\n");
    }
    switch.ports.iter().for_each(|port| put(&mut text, port));
    text
}

fn put(text: &mut String, port: &Port) {
    let _ = write!(text, "socket 1.{}\n  note \"{}\"\n", port.number, port.note);
    match port.of {
        Use::Up | Use::Down => {
            let _ = write!(
                text,
                "  carries bundle\n  bundle lanes {TRUNK}\n  bare lane 999\n  made of glass\n  two-way watch close\n  two-way watch every 2\n"
            );
            text.push_str(if port.of == Use::Up {
                "  dhcp believed\n  tree silence closes\n"
            } else {
                "  tree crown kept\n"
            });
        }
        Use::Spare => _ = write!(text, "  carries single\n  home lane {}\n  asleep\n", port.vlan),
        Use::Desk | Use::Host | Use::Screen => _ = write!(text, "  carries single\n  home lane {}\n", port.vlan),
    }
    if port.of == Use::Desk {
        let _ = write!(
            text,
            "  speech lane 210\n  admit every\n  announces speech\n  speech told tagged\n  speech told lane 210\n  speech told priority 5\n  speech told dscp {}\n",
            port.dscp
        );
    }
    if let Some((limit, action)) = port.limit {
        let action = match action {
            Action::Drop => "turn-away",
            Action::Report => "report",
            Action::Shut => "shut-out",
        };
        let _ = write!(text, "  crowd watch\n  crowd ceiling {limit} then {action}\n");
    }
    if let Some(seconds) = port.aging {
        let _ = writeln!(text, "  crowd forget after {}m", seconds / 60);
    }
    for station in &port.pinned {
        let _ = writeln!(text, "  crowd kept {station} lane {}", port.vlan);
    }
    let is_edge = matches!(port.of, Use::Desk | Use::Host | Use::Screen);
    match port.storms {
        Some((1, 1)) => {}
        Some((broadcast, multicast)) => {
            _ = write!(text, "  gale broadcast {broadcast}%\n  gale multicast {multicast}%\n");
        }
        None if is_edge => text.push_str("  without gale broadcast\n  without gale multicast\n"),
        None => {}
    }
    match port.pace {
        Some(15) => {}
        Some(pace) => _ = writeln!(text, "  dhcp pace {pace}"),
        None if is_edge => text.push_str("  without dhcp pace\n"),
        None => {}
    }
    match port.flap {
        Some((5, 10, 60)) => {}
        Some((count, window, hold)) => _ = write!(text, "  flutter {count} within {window}\n  flutter hold {hold}\n"),
        None => text.push_str("  without flutter watch\n"),
    }
    for (has, line) in [
        (port.quick, "wakes quickly"),
        (port.stops_bridges, "tree stranger closes"),
        (!port.stops_routers && port.limit.is_some(), "without router calls refused"),
        (port.watches_loops, "echo watch"),
    ] {
        if has {
            let _ = writeln!(text, "  {line}");
        }
    }
    if let Some(speed) = port.speed {
        let _ = writeln!(text, "  pace {}", if speed == 1000 { "1G".to_owned() } else { format!("{speed}M") });
    }
    if let Some(watts) = port.power {
        let _ = writeln!(text, "  feeds at-most {watts}");
    }
}
