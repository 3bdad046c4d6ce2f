//! What a management agent answers: its text in every form that is about, what the standards' objects mean, what is not understood, and
//! the way back from a switch to its objects.

mod back;
mod beside;
mod own;
mod standards;
mod text;

use std::fmt::Write as _;
use std::sync::Arc;

use crate::support;
use yellowlegs_core::model::{Origin, SettingId, Switch};
use yellowlegs_core::resolve::{Resolved, State, resolve_walked};
use yellowlegs_core::source::Source;

/// A walk of a switch: what everybody needs to name ports, and the lines of the case.
///
/// Ports 1 to 4 of the bridge are the interfaces 1001 to 1004, named 1/1 to 1/4; interface 7 is that of VLAN 110.
fn ports() -> String {
    let mut text = String::new();
    for port in 1..=4 {
        let interface = 1000 + port;
        _ = write!(
            text,
            "1.3.6.1.2.1.2.2.1.2.{interface} octets \"berth {port}\"\n1.3.6.1.2.1.2.2.1.3.{interface} integer 6\n\
             1.3.6.1.2.1.31.1.1.1.1.{interface} octets \"1/{port}\"\n1.3.6.1.2.1.17.1.4.1.2.{port} integer {interface}\n"
        );
    }
    text + "1.3.6.1.2.1.2.2.1.2.7 octets \"pool 110\"\n1.3.6.1.2.1.2.2.1.3.7 integer 136\n1.3.6.1.2.1.31.1.1.1.1.7 octets \"pool110\"\n"
}

fn state(text: &str) -> State {
    let walks = vec![Arc::new(Source::of("sw1/agent.walk", text))];
    State { walks, as_of: support::as_of().moment(), oldest: Some(3600), ..State::default() }
}

/// A switch that is known by its walk alone.
fn alone(text: &str) -> Switch {
    resolved(text).switch
}

fn resolved(text: &str) -> Resolved {
    resolve_walked("sw1", None, &state(text))
}

/// The settings of the switch and of its ports that are told, each as `port name = value`.
fn told(switch: &Switch) -> Vec<String> {
    let mut told = Vec::new();
    let places = std::iter::once(None).chain((0..switch.ports().len()).map(Some));
    for port in places {
        for id in SettingId::all() {
            let slot = switch.slot(port, id);
            let is_here = port.is_some() == (id.info().scope == yellowlegs_core::model::Scope::Port);
            if let (Origin::State, Some(value), true) = (slot.origin, &slot.value, is_here) {
                let name = port.map(|port| format!("{} ", switch.ports()[port])).unwrap_or_default();
                told.push(format!("{name}{} = {value}", id.name()));
            }
        }
    }
    told
}

/// The facts of a switch, but for those of ports where nothing else is asked.
fn facts(switch: &Switch, kind: &str) -> Vec<String> {
    let of_kind = switch.facts().iter().filter(|fact| fact.kind.info().name == kind);
    let shown = of_kind.map(|fact| {
        let fields = fact.kind.info().fields.iter().zip(&fact.fields);
        let told = fields.filter_map(|(info, value)| Some(format!("{}={}", info.name, value.as_ref()?)));
        told.collect::<Vec<_>>().join(" ")
    });
    shown.collect()
}

fn remarks(switch: &Switch) -> Vec<&str> {
    switch.remarks().iter().map(|remark| remark.text.as_str()).collect()
}
