//! A planned switch in Skerry: braces, and profiles that ports follow where they are as usual.

use std::fmt::Write as _;

use super::plan::{Action, HOSTS, Port, Switch, TRUNK, Use};

pub(crate) const DIALECT: &str = include_str!("skerry.toml");

pub(crate) fn text(switch: &Switch) -> String {
    let mut text = format!("skerry {};\nlocated \"hall {}\";\n", switch.name, switch.number % 97);
    for vlan in HOSTS {
        let _ = writeln!(text, "pool {vlan} {{\n  called \"hosts {vlan}\";\n}}");
    }
    text.push_str("pool 210 {\n  called \"phones\";\n}\npool 300;\npool 998;\npool 999;\n");
    let _ = writeln!(text, "leases {{\n  run;\n  pools {TRUNK};\n}}");
    text.push_str("shape guarded {\n  edge;\n  stop bridges;\n  stop routers;\n}\n");
    for port in &switch.ports {
        let _ = writeln!(text, "quay q{} {{\n  note \"{}\";", port.number, port.note);
        put(&mut text, port);
        text.push_str("}\n");
    }
    text
}

fn put(text: &mut String, port: &Port) {
    match port.of {
        Use::Up => _ = writeln!(text, "  carries {TRUNK} bare 999;\n  lessor;\n  blind seal;\n  keep loops;"),
        Use::Down => _ = writeln!(text, "  carries {TRUNK} bare 999;\n  blind seal;\n  keep root;"),
        Use::Spare => _ = writeln!(text, "  joins {};\n  sealed;", port.vlan),
        Use::Desk => _ = writeln!(text, "  joins {};", port.vlan),
        Use::Host | Use::Screen => _ = writeln!(text, "  joins {};\n  only bare;", port.vlan),
    }
    if port.of == Use::Desk {
        let _ = writeln!(text, "  voice 210;\n  phone told dscp {};", port.dscp);
    }
    if let Some((limit, action)) = port.limit {
        let action = match action {
            Action::Drop => "ignore",
            Action::Report => "tell",
            Action::Shut => "seal",
        };
        let _ = writeln!(text, "  count to {limit} else {action};");
    }
    if let Some(seconds) = port.aging {
        let _ = writeln!(text, "  count forgets {seconds}s;");
    }
    for station in &port.pinned {
        let _ = writeln!(text, "  knows {station} in {};", port.vlan);
    }
    if let Some((broadcast, multicast)) = port.storms {
        let _ = writeln!(text, "  squall {broadcast}% and {multicast}%;");
    }
    if let Some(pace) = port.pace {
        let _ = writeln!(text, "  leases {pace} a second;");
    }
    if let Some((count, window, hold)) = port.flap {
        let _ = writeln!(text, "  flaps {count} in {window} hold {hold};");
    }
    if port.quick && port.stops_bridges && port.stops_routers {
        text.push_str("  follows guarded;\n");
    } else {
        let single = [(port.quick, "edge"), (port.stops_bridges, "stop bridges"), (port.stops_routers, "stop routers")];
        single.iter().filter(|one| one.0).for_each(|one| _ = writeln!(text, "  {};", one.1));
    }
    if port.watches_loops {
        text.push_str("  probe loops;\n");
    }
    if let Some(speed) = port.speed {
        let _ = writeln!(text, "  speed {speed}M;");
    }
    if let Some(watts) = port.power {
        let _ = writeln!(text, "  feeds {watts} watts;");
    }
}
