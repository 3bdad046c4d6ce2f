//! A policy drafted from a fleet: VLANs with guessed purposes, roles with the ports each would have, links, servers.
//! It loads as it is; what it guessed is said beside it.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::sync::Arc;

use super::Purpose;
use crate::model::{FastStart, Mode, Switch, VlanId, facts, settings};
use crate::sorted;
use crate::source::quoted;

/// What is gathered of a fleet, switch by switch.
#[derive(Debug, Default)]
pub struct Draft {
    vlans: BTreeMap<VlanId, Vlan>,
    /// By role as guessed: the ports, by switch.
    roles: BTreeMap<Guess, BTreeMap<Arc<str>, Vec<String>>>,
    /// Trusted ports that are no trunks: a server may be there.
    servers: BTreeSet<(Arc<str>, String)>,
    /// What neighbours announce: here, this port; there, that port.
    heard: Vec<Heard>,
    /// Configured names and folders.
    names: BTreeMap<Arc<str>, Arc<str>>,
    ports: usize,
}

/// Switch and port, then the neighbour's name and its port.
type Heard = (Arc<str>, String, Arc<str>, Arc<str>);

/// What is known of a VLAN.
#[derive(Debug, Default)]
struct Vlan {
    name: Option<Arc<str>>,
    /// Ports in use that are in it untagged, on access ports; the same shut; as voice VLAN; as native VLAN.
    access: usize,
    shut: usize,
    voice: usize,
    native: usize,
    tagged: usize,
}

/// A role as guessed, with what tells it apart.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
enum Guess {
    PhoneAndHost(VlanId, VlanId),
    Host(VlanId),
    TaggedHost,
    Uplink,
    Downlink,
    Spare,
}

impl Guess {
    fn faces(&self) -> &'static str {
        match self {
            Self::PhoneAndHost(..) => "phone-and-host",
            Self::Host(_) => "host",
            Self::TaggedHost => "tagged-host",
            Self::Uplink => "bridge-up",
            Self::Downlink => "bridge-down",
            Self::Spare => "nothing",
        }
    }

    fn why(&self) -> &'static str {
        match self {
            Self::PhoneAndHost(..) => "access ports with a voice VLAN",
            Self::Host(_) => "access ports of one VLAN",
            Self::TaggedHost => "trunks that are edge ports",
            Self::Uplink => "trunks that DHCP snooping trusts",
            Self::Downlink => "trunks that nothing trusts",
            Self::Spare => "ports that somebody shut",
        }
    }
}

impl Draft {
    /// Takes in a switch.
    pub fn add(&mut self, switch: &Switch) {
        let configured = switch.setting(None, settings::NAME).value;
        self.names.extend(configured.into_iter().map(|name| (name, Arc::clone(switch.name()))));
        self.names.insert(Arc::clone(switch.name()), Arc::clone(switch.name()));
        for vlan in switch.setting(None, settings::VLANS).value.unwrap_or_default().iter() {
            let name = switch.vlan_slot(vlan, settings::VLAN_NAME.id).value.as_ref().map(ToString::to_string);
            let entry = self.vlans.entry(vlan).or_default();
            entry.name = entry.name.take().or(name.filter(|n| !n.is_empty()).map(Into::into));
        }
        for port in 0..switch.ports().len() {
            self.port(switch, port);
        }
        for fact in switch.facts_of(facts::neighbour::FACT) {
            let told = (fact.port(), fact.get(facts::neighbour::NAME), fact.get(facts::neighbour::THEIR_PORT));
            if let (Some(port), Some(name), Some(theirs)) = told {
                self.heard.push((Arc::clone(switch.name()), port.to_string(), name, theirs));
            }
        }
    }

    fn port(&mut self, switch: &Switch, port: usize) {
        let Some(name) = switch.ports().get(port).map(ToString::to_string) else { return };
        self.ports += 1;
        let enabled = switch.setting(Some(port), settings::ENABLED).value != Some(false);
        let trusted = switch.setting(Some(port), settings::SNOOPING_TRUSTED).value == Some(true);
        let is_trunk = switch.setting(Some(port), settings::MODE).value == Some(Mode::Trunk);
        let untagged = if is_trunk { settings::NATIVE_VLAN } else { settings::ACCESS_VLAN };
        let untagged = switch.setting(Some(port), untagged).value.flatten();
        let voice = switch.setting(Some(port), settings::VOICE_VLAN).value.flatten().filter(|_| !is_trunk);
        if let Some(vlan) = untagged {
            let entry = self.vlans.entry(vlan).or_default();
            *match (is_trunk, enabled) {
                (true, _) => &mut entry.native,
                (false, true) => &mut entry.access,
                (false, false) => &mut entry.shut,
            } += 1;
        }
        if let Some(vlan) = voice {
            self.vlans.entry(vlan).or_default().voice += 1;
        }
        if is_trunk {
            let tagged = switch.setting(Some(port), settings::TAGGED_VLANS).value.unwrap_or_default();
            if !tagged.is_all() {
                tagged.iter().for_each(|vlan| self.vlans.entry(vlan).or_default().tagged += 1);
            }
        }
        let edge = switch.setting(Some(port), settings::FAST_START).value;
        let guess = match (enabled, is_trunk) {
            (false, _) => Some(Guess::Spare),
            (true, true) if edge == Some(FastStart::EdgeOnTrunk) => Some(Guess::TaggedHost),
            (true, true) if trusted => Some(Guess::Uplink),
            (true, true) => Some(Guess::Downlink),
            (true, false) => match (untagged, voice) {
                (Some(data), Some(voice)) => Some(Guess::PhoneAndHost(data, voice)),
                (Some(data), None) => Some(Guess::Host(data)),
                (None, _) => None,
            },
        };
        if trusted && !is_trunk {
            self.servers.insert((Arc::clone(switch.name()), name.clone()));
        }
        if let Some(guess) = guess {
            self.roles.entry(guess).or_default().entry(Arc::clone(switch.name())).or_default().push(name);
        }
    }

    /// The policy, with what was guessed beside it.
    pub fn write(&self) -> String {
        let mut out = format!(
            "# A draft, made from {} switches with {} ports. It loads as it is; look at every guess, and\n\
             # `yellowlegs policy test` tells what matches nothing. docs/policy.md explains every key.\n\n\
             [site]\nname = \"\"\n\n[vlans]\n",
            sorted::set(self.names.values()).len(),
            self.ports
        );
        for (id, vlan) in &self.vlans {
            let (purpose, why) = vlan.purpose();
            let name = vlan.name.as_deref().map(|n| format!("name = {}, ", quoted(n))).unwrap_or_default();
            let _ = writeln!(out, "{} = {{ {name}purpose = \"{}\" }} # {why}", id.get(), purpose.word());
        }
        let mut names: BTreeSet<String> = BTreeSet::new();
        for (guess, switches) in &self.roles {
            let base = self.name(guess);
            let name = (1..).map(|n| if n == 1 { base.clone() } else { format!("{base}-{n}") });
            let Some(name) = name.into_iter().find(|name| !names.contains(name)) else { continue };
            names.insert(name.clone());
            let count: usize = switches.values().map(Vec::len).sum();
            let _ = write!(
                out,
                "\n# {count} ports: {}\n[[role]]\nname = {}\nfaces = \"{}\"\n",
                guess.why(),
                quoted(&name),
                guess.faces()
            );
            match guess {
                Guess::PhoneAndHost(data, voice) => {
                    let _ = writeln!(out, "vlans = [{}]\nvoice = {}", data.get(), voice.get());
                }
                Guess::Host(vlan) => _ = writeln!(out, "vlans = [{}]", vlan.get()),
                _ => {}
            }
            out.push_str("ports = [\n");
            for (switch, ports) in switches {
                let _ = writeln!(out, "    {},", quoted(&format!("{switch} {}", ports.join(","))));
            }
            out.push_str("]\n");
        }
        for (switch, port) in &self.servers {
            let _ = write!(
                out,
                "\n# trusted, and no trunk: is an authorised server there?\n[[dhcp-server]]\nswitch = {}\nport = {}\n",
                quoted(switch),
                quoted(port)
            );
        }
        for ((switch, port), (other, theirs)) in self.links() {
            let _ = write!(
                out,
                "\n[[link]] # as the neighbours announce it\na = {{ switch = {}, port = {} }}\nb = {{ switch = {}, port = {} }}\n",
                quoted(&switch),
                quoted(&port),
                quoted(&other),
                quoted(&theirs)
            );
        }
        out
    }

    /// A role's name: its VLAN's, where that makes a word.
    fn name(&self, guess: &Guess) -> String {
        let of_vlan = |vlan: &VlanId| {
            let name = self.vlans.get(vlan).and_then(|v| v.name.as_deref()).unwrap_or_default();
            let word: String =
                name.chars().map(|c| if c.is_alphanumeric() { c.to_ascii_lowercase() } else { '-' }).collect();
            if word.is_empty() { format!("vlan-{}", vlan.get()) } else { word }
        };
        match guess {
            Guess::PhoneAndHost(data, _) | Guess::Host(data) => of_vlan(data),
            Guess::TaggedHost => "tagged-host".into(),
            Guess::Uplink => "uplink".into(),
            Guess::Downlink => "downlink".into(),
            Guess::Spare => "spare".into(),
        }
    }

    /// Cables between switches of the fleet, each once.
    fn links(&self) -> sorted::Set<((String, String), (String, String))> {
        let link = |(switch, port, name, theirs): &Heard| {
            let other = self.names.get(name).filter(|other| *other != switch)?;
            let (here, there) = ((switch.to_string(), port.clone()), (other.to_string(), theirs.to_string()));
            Some(if here < there { (here, there) } else { (there, here) })
        };
        sorted::set(self.heard.iter().filter_map(link))
    }
}

impl Vlan {
    /// What it seems to be for, and why.
    fn purpose(&self) -> (Purpose, String) {
        const WORDS: [(Purpose, &[&str]); 5] = [
            (Purpose::Voice, &["voice", "phone", "tel"]),
            (Purpose::Parking, &["park", "spare", "unused", "put away", "dead"]),
            (Purpose::Native, &["native", "nobody", "untagged"]),
            (Purpose::Management, &["manage", "mgmt", "switch", "vessel", "admin"]),
            (Purpose::RealTime, &["gate", "display", "camera", "audio", "video", "clock", "announce"]),
        ];
        if self.voice > 0 {
            return (Purpose::Voice, format!("the voice VLAN of {} ports", self.voice));
        }
        let name = self.name.as_deref().unwrap_or_default().to_lowercase();
        let told = WORDS.iter().find(|(_, words)| words.iter().any(|word| name.contains(word)));
        if let Some((purpose, _)) = told {
            return (*purpose, "by its name".into());
        }
        if self.access == 0 && self.shut > 0 {
            return (Purpose::Parking, format!("only shut ports are in it, {} of them", self.shut));
        }
        if self.access == 0 && self.native > 0 {
            return (Purpose::Native, format!("the native VLAN of {} trunks, and nobody's access VLAN", self.native));
        }
        (Purpose::Data, format!("the untagged VLAN of {} access ports, on {} trunks", self.access, self.tagged))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::by_use(Vlan { voice: 3, ..Vlan::default() }, Purpose::Voice)]
    #[case::by_name(Vlan { name: Some("Gate barriers".into()), access: 9, ..Vlan::default() }, Purpose::RealTime)]
    #[case::shut(Vlan { shut: 2, ..Vlan::default() }, Purpose::Parking)]
    #[case::native(Vlan { native: 2, tagged: 1, ..Vlan::default() }, Purpose::Native)]
    #[case::silent(Vlan { access: 1, ..Vlan::default() }, Purpose::Data)]
    fn purposes(#[case] vlan: Vlan, #[case] expected: Purpose) {
        assert_eq!(vlan.purpose().0, expected);
    }
}
