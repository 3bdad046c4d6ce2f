//! The way back: the objects that tell what is known of a switch, and the lines of a walk.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::net::Ipv4Addr;

use jiff::Timestamp;

use super::standard::names::{self, Written};
use super::standard::rows::{Form, Of, ROWS};
use super::standard::{bridge, interfaces, media, neighbours, power, tree, vlans};
use super::text::{BEHIND, TAKEN, WALKED};
use crate::model::{
    Announcement, Fact, FastStart, Learned, Media, Milliwatts, Mode, Oid, Scope, SettingType, StationAddress, Switch,
    Value, VlanId, VlanSet, facts, settings, write_arcs,
};
use crate::sorted;

/// A value as an agent gives it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum WalkedValue {
    /// INTEGER.
    Integer(i32),
    /// Gauge32, Unsigned32.
    Gauge(u32),
    /// Counter32.
    Counter(u32),
    /// Counter64.
    Counter64(u64),
    /// `TimeTicks`.
    Ticks(u32),
    /// OCTET STRING.
    Octets(Vec<u8>),
    /// OBJECT IDENTIFIER.
    Oid(Oid),
    /// `IpAddress`.
    Address(Ipv4Addr),
}

/// Objects in the order of their identifiers.
pub type Told = BTreeMap<Oid, WalkedValue>;

/// A line of a walk, with the object's name behind it where it is one that is read.
pub fn line(oid: &[u32], value: &WalkedValue) -> String {
    let mut line = String::new();
    _ = write_arcs(oid, &mut line);
    line.push(' ');
    let known = names::of(oid);
    let is_text = known.as_ref().is_none_or(|(_, written)| *written == Written::Plain);
    _ = match value {
        WalkedValue::Integer(number) => write!(line, "integer {number}"),
        WalkedValue::Gauge(number) => write!(line, "gauge32 {number}"),
        WalkedValue::Counter(number) => write!(line, "counter32 {number}"),
        WalkedValue::Counter64(number) => write!(line, "counter64 {number}"),
        WalkedValue::Ticks(number) => write!(line, "ticks {number}"),
        WalkedValue::Octets(octets) => write_octets(octets, is_text, &mut line),
        WalkedValue::Oid(oid) => write!(line, "oid {oid}"),
        WalkedValue::Address(address) => write!(line, "address {address}"),
    };
    if let Some((name, _)) = known {
        line.extend([BEHIND, &name]);
    }
    line
}

/// Octets as text where they are one, in hexadecimal otherwise.
fn write_octets(octets: &[u8], is_text: bool, line: &mut String) -> std::fmt::Result {
    match std::str::from_utf8(octets) {
        Ok(text) if is_text && !text.chars().any(char::is_control) => {
            line.push_str("octets \"");
            for sign in text.chars() {
                if matches!(sign, '"' | '\\') {
                    line.push('\\');
                }
                line.push(sign);
            }
            line.push('"');
        }
        _ => {
            line.push_str("hex");
            for octet in octets {
                write!(line, " {octet:02x}")?;
            }
        }
    }
    Ok(())
}

/// The line that says when a walk was taken.
pub fn taken_line(at: Timestamp) -> String {
    format!("{TAKEN} {at}")
}

/// The line that says how many objects a part of the tree had.
pub fn walked_line(root: &[u32], count: usize) -> String {
    let mut line = format!("{WALKED} ");
    _ = write_arcs(root, &mut line);
    _ = write!(line, " {count}");
    line
}

struct Writer<'s> {
    switch: &'s Switch,
    told: Told,
}

/// The objects that tell what the standards can say of a switch: ports have the numbers of their order, from 1.
pub fn objects_of(switch: &Switch, identifier: &Oid) -> Told {
    let mut writer = Writer { switch, told: Told::new() };
    writer.put(super::standard::SYSTEM_IDENTIFIER, &[0], WalkedValue::Oid(identifier.clone()));
    writer.put(interfaces::UP_TIME, &[0], WalkedValue::Ticks(8_640_000));
    writer.ports();
    writer.rows();
    writer.membership();
    writer.starts();
    writer.stations();
    writer.announced();
    writer.neighbours();
    writer.power();
    writer.told
}

impl Writer<'_> {
    fn put(&mut self, column: &[u32], index: &[u32], value: WalkedValue) {
        self.told.insert(Oid::new([column, index].concat()), value);
    }

    /// A number that is none of an agent's is left out.
    fn integer(&mut self, column: &[u32], index: &[u32], number: impl TryInto<i32>) {
        if let Ok(number) = number.try_into() {
            self.put(column, index, WalkedValue::Integer(number));
        }
    }

    fn text(&mut self, column: &[u32], index: &[u32], text: &str) {
        self.put(column, index, WalkedValue::Octets(text.as_bytes().to_vec()));
    }

    fn get<T: SettingType>(&self, port: usize, key: crate::model::Key<T>) -> Option<T> {
        self.switch.setting(Some(port), key).value
    }

    /// The ports' numbers, from 1, with their names.
    fn numbered(&self) -> Vec<(u32, usize, String)> {
        self.switch.ports().iter().enumerate().map(|(at, name)| (at as u32 + 1, at, name.to_string())).collect()
    }

    fn ports(&mut self) {
        for (number, at, name) in self.numbered() {
            let index = &[number];
            self.text(interfaces::NAME_OF_OLD, index, &name);
            self.text(interfaces::NAME, index, &name);
            self.integer(interfaces::TYPE, index, 6);
            self.integer(bridge::INTERFACE, index, number);
            let status = self.switch.facts_about(facts::port_status::FACT, at).last();
            let link = status.and_then(|fact| fact.get(facts::port_status::LINK));
            let since = status.and_then(|fact| fact.get(facts::port_status::FOR));
            let speed = status.and_then(|fact| fact.get(facts::port_status::SPEED));
            // 4: unknown.
            self.integer(interfaces::LINK, index, link.map_or(4, |up| if up { 1 } else { 2 }));
            self.put(interfaces::HIGH_SPEED, index, WalkedValue::Gauge(speed.unwrap_or(0)));
            let ticks = since.map_or(0, |since| 8_640_000_u32.saturating_sub(since.0.saturating_mul(100)));
            self.put(interfaces::LAST_CHANGE, index, WalkedValue::Ticks(ticks));
            let kind = self.get(at, settings::MEDIA).map(|media| match media {
                Media::Copper => 30,
                Media::Fibre => 26,
            });
            if let Some(kind) = kind {
                self.put(media::TYPE, &[number, 1], WalkedValue::Oid(Oid::new([media::TYPES, &[kind]].concat())));
            }
        }
    }

    fn rows(&mut self) {
        for row in ROWS {
            match (row.of, row.setting.info().scope) {
                (Of::Switch, Scope::Switch) => self.row(row, None, &[0]),
                (Of::PowerPort, _) => {
                    let power = |at| self.switch.setting(Some(at), settings::POWER).value.is_some();
                    // A switch without any port that supplies has no such table.
                    let supplies = (0..self.switch.ports().len()).any(power);
                    for (number, at, _) in self.numbered().into_iter().filter(|_| supplies) {
                        self.row(row, Some(at), &[1, number]);
                    }
                }
                _ => self.numbered().into_iter().for_each(|(number, at, _)| self.row(row, Some(at), &[number])),
            }
        }
    }

    fn row(&mut self, row: &super::standard::rows::Row, port: Option<usize>, index: &[u32]) {
        let Some(value) = self.switch.slot(port, row.setting).value.clone() else { return };
        let number = match (&value, row.form) {
            (Value::Text(text), _) => return self.text(row.column, index, &text.clone()),
            (Value::Flag(flag), Form::Truth) => Some(if *flag { 1 } else { 2 }),
            (Value::Seconds(number) | Value::Count(number), Form::Plain) => i32::try_from(*number).ok(),
            (Value::Seconds(number) | Value::Count(number), Form::Hundredths) => {
                number.checked_mul(100).and_then(|number| i32::try_from(number).ok())
            }
            (_, Form::Words(_)) => {
                let form = row.reads();
                let known = form.words.iter().find(|(_, known)| *known == value);
                known.and_then(|(number, _)| number.parse().ok())
            }
            _ => None,
        };
        if let Some(number) = number {
            self.integer(row.column, index, number);
        }
    }

    fn membership(&mut self) {
        let vlans = self.switch.setting(None, settings::VLANS).value.unwrap_or_default();
        let mut egress: BTreeMap<VlanId, Vec<u8>> = sorted::tree_map(vlans.iter().map(|vlan| (vlan, Vec::new())));
        let mut untagged = egress.clone();
        let put = |sets: &mut BTreeMap<VlanId, Vec<u8>>, vlan: VlanId, number: u32| {
            // What is not defined is carried nowhere.
            let Some(octets) = sets.get_mut(&vlan) else { return };
            let at = (number - 1) as usize;
            octets.resize(octets.len().max(at / 8 + 1), 0);
            octets[at / 8] |= 0x80 >> (at % 8);
        };
        for (number, at, _) in self.numbered() {
            let mut plain = None;
            let mut tagged = VlanSet::default();
            match self.get(at, settings::MODE) {
                Some(Mode::Access) => {
                    plain = self.get(at, settings::ACCESS_VLAN).flatten();
                    self.get(at, settings::VOICE_VLAN).flatten().into_iter().for_each(|vlan| tagged.insert(vlan));
                }
                Some(Mode::Trunk) => {
                    plain = self.get(at, settings::NATIVE_VLAN).flatten();
                    tagged = self.get(at, settings::TAGGED_VLANS).map(|set| (*set).clone()).unwrap_or_default();
                }
                Some(Mode::Negotiated) | None => {}
            }
            plain.into_iter().for_each(|vlan| tagged.remove(vlan));
            for vlan in tagged.iter().chain(plain) {
                put(&mut egress, vlan, number);
            }
            if let Some(vlan) = plain {
                put(&mut untagged, vlan, number);
                self.put(vlans::UNTAGGED_IN, &[number], WalkedValue::Gauge(vlan.get().into()));
            }
        }
        for (sets, column) in [(egress, vlans::EGRESS), (untagged, vlans::UNTAGGED)] {
            for (vlan, octets) in sets {
                self.put(column, &[vlan.get().into()], WalkedValue::Octets(octets));
            }
        }
        for vlan in vlans.iter() {
            self.put(bridge::DATABASE, &[0, vlan.get().into()], WalkedValue::Gauge(vlan.get().into()));
            if let Some(Value::Text(name)) = self.switch.vlan_slot(vlan, settings::VLAN_NAME.id).value.clone() {
                self.text(vlans::NAME, &[vlan.get().into()], &name);
            }
        }
    }

    fn starts(&mut self) {
        for (number, at, _) in self.numbered() {
            let Some(mode) = self.get(at, settings::FAST_START) else { continue };
            let status = self.switch.facts_about(facts::port_status::FACT, at).last();
            let is_up = status.and_then(|fact| fact.get(facts::port_status::LINK)).unwrap_or(false);
            let admin = matches!(mode, FastStart::Edge | FastStart::EdgeOnTrunk);
            let truth = |is: bool| if is { 1 } else { 2 };
            self.integer(tree::ADMIN_EDGE, &[number], truth(admin));
            self.integer(tree::EDGE, &[number], truth(is_up && (admin || mode == FastStart::Auto)));
        }
    }

    fn number_of(&self, fact: &Fact) -> Option<u32> {
        Some(self.switch.port_index(fact.port()?)? as u32 + 1)
    }

    fn stations(&mut self) {
        let switch = self.switch;
        for fact in switch.facts_of(facts::station::FACT) {
            use facts::station as told;
            let (Some(number), Some(address)) = (self.number_of(fact), fact.get(told::ADDRESS)) else { continue };
            let kind = match fact.get(told::KIND) {
                Some(Learned::Written | Learned::Pinned) => 5,
                Some(Learned::Learned) | None => 3,
            };
            let octets = octets(address).map(u32::from);
            // An agent has no entry of which it does not know the VLAN.
            if let Some(vlan) = fact.get(told::VLAN).flatten() {
                let index = [&[u32::from(vlan.get())], &octets[..]].concat();
                self.integer(bridge::HEARD_IN, &index, number);
                self.integer(bridge::HEARD_IN_HOW, &index, kind);
            }
        }
    }

    fn announced(&mut self) {
        for (number, at, _) in self.numbered() {
            let index = &[number];
            if self.switch.setting(None, settings::LLDP).value == Some(true) {
                self.integer(neighbours::LOCAL_PORT_KIND, index, 5);
                let name = self.switch.ports()[at].to_string();
                self.text(neighbours::LOCAL_PORT, index, &name);
            }
            if let Some(sends) = self.get(at, settings::LLDP_MED) {
                let bits = if sends { 0xc0 } else { 0x80 };
                self.put(neighbours::MED_SENDS, index, WalkedValue::Octets(vec![bits]));
            }
            for (application, [how, vlan, priority, dscp]) in neighbours::ANNOUNCED {
                let value = |id| self.switch.slot(Some(at), id).value.clone();
                let count = |id| if let Some(Value::Count(number)) = value(id) { number } else { 0 };
                let announcement = value(how).as_ref().and_then(Announcement::read);
                let tagged = match announcement {
                    Some(Announcement::Tagged | Announcement::PriorityTagged) => 1_u32,
                    Some(Announcement::Untagged) => 2,
                    Some(Announcement::Nothing) | None => continue,
                };
                let of_vlan = match (announcement, value(vlan)) {
                    (Some(Announcement::PriorityTagged), _) => 0,
                    (_, Some(Value::Vlan(Some(vlan)))) => u32::from(vlan.get()),
                    _ => 0,
                };
                let cells = [of_vlan, count(priority), count(dscp), 2, tagged];
                self.policy(neighbours::MED_LOCAL_POLICY, &[number, 1, 0x80 >> application as u32], cells);
            }
        }
    }

    fn policy(&mut self, table: &[u32], index: &[u32], cells: [u32; 5]) {
        for (column, cell) in neighbours::POLICY.into_iter().zip(cells) {
            self.integer(&[table, &[column]].concat(), index, cell);
        }
    }

    fn neighbours(&mut self) {
        use facts::neighbour as told;
        let switch = self.switch;
        let mut of_port: BTreeMap<u32, u32> = BTreeMap::new();
        for fact in switch.facts_of(told::FACT) {
            let Some(number) = self.number_of(fact) else { continue };
            let which = of_port.entry(number).or_default();
            *which += 1;
            let index = [0, number, *which];
            let station = |text: &str| StationAddress::parse(text).ok().map(|station| octets(station).to_vec());
            // Subtypes: an address, or what is assigned locally.
            let chassis = fact.get(told::CHASSIS).unwrap_or_else(|| "?".into());
            let of_chassis = station(&chassis);
            self.integer(neighbours::REMOTE_CHASSIS_KIND, &index, if of_chassis.is_some() { 4 } else { 7 });
            let octets_of = |known: Option<Vec<u8>>, text: &str| known.unwrap_or_else(|| text.as_bytes().to_vec());
            self.put(neighbours::REMOTE_CHASSIS, &index, WalkedValue::Octets(octets_of(of_chassis, &chassis)));
            if let Some(port) = fact.get(told::THEIR_PORT) {
                let of_port = station(&port);
                self.integer(neighbours::REMOTE_PORT_KIND, &index, if of_port.is_some() { 3 } else { 7 });
                self.put(neighbours::REMOTE_PORT, &index, WalkedValue::Octets(octets_of(of_port, &port)));
            }
            for (column, field) in [(neighbours::REMOTE_NAME, told::NAME), (neighbours::REMOTE_TEXT, told::DESCRIPTION)]
            {
                if let Some(text) = fact.get(field) {
                    self.text(column, &index, &text);
                }
            }
            if let Some(able) = fact.get(told::CAPABILITIES) {
                let octet = neighbours::octet_of(able);
                self.put(neighbours::REMOTE_ENABLED, &index, WalkedValue::Octets(vec![octet, 0]));
            }
            if let Some(class) = fact.get(told::CLASS) {
                self.integer(neighbours::MED_CLASS, &index, class);
            }
            for (column, field) in
                [(neighbours::MED_POWER_ASKED, told::POWER_ASKED), (neighbours::MED_POWER_GIVEN, told::POWER_GIVEN)]
            {
                if let Some(Milliwatts(power)) = fact.get(field) {
                    self.put(column, &index, WalkedValue::Gauge(power / 100));
                }
            }
            let tagged = match fact.get(told::VOICE) {
                Some(Announcement::Tagged | Announcement::PriorityTagged) => 1_u32,
                Some(Announcement::Untagged) => 2,
                Some(Announcement::Nothing) | None => continue,
            };
            let vlan = fact.get(told::VOICE_VLAN).flatten().map_or(0, |vlan| u32::from(vlan.get()));
            let count = |field| fact.get(field).unwrap_or(0_u32);
            let cells = [vlan, count(told::VOICE_PRIORITY), count(told::VOICE_DSCP), 2, tagged];
            self.policy(neighbours::MED_REMOTE_POLICY, &[&index[..], &[1, 0x40]].concat(), cells);
        }
    }

    fn power(&mut self) {
        let switch = self.switch;
        for fact in switch.facts_of(facts::power::FACT) {
            let Some(number) = self.number_of(fact) else { continue };
            let on = fact.get(facts::power::ON).unwrap_or(false);
            self.integer(power::DETECTION, &[1, number], if on { 3 } else { 2 });
            if let Some(class) = fact.get(facts::power::CLASS) {
                self.integer(power::CLASS, &[1, number], class + 1);
            }
        }
        for (group, fact) in (1..).zip(switch.facts_of(facts::power_supply::FACT)) {
            let cells = [(power::BUDGET, facts::power_supply::BUDGET), (power::DRAWN, facts::power_supply::DRAWN)];
            for (column, field) in cells {
                if let Some(Milliwatts(power)) = fact.get(field) {
                    self.put(column, &[group], WalkedValue::Gauge(power / 1000));
                }
            }
        }
    }
}

fn octets(address: StationAddress) -> [u8; 6] {
    let [_, _, octets @ ..] = address.number().to_be_bytes();
    octets
}
