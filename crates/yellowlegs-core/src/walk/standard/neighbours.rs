//! LLDP (IEEE 802.1AB, LLDP-MIB) and LLDP-MED (ANSI/TIA-1057, LLDP-EXT-MED-MIB): who is at the other end, and what is announced to phones.

use std::sync::Arc;

use super::super::objects::Object;
use super::super::teller::{Open, Teller};
use crate::dialect::{ObjectForm, SaidOf};
use crate::model::{
    Announcement, Capability, Choice, Choices, Fact, Field, Kind, Mark, SettingId, Value, VlanId, facts, settings,
};

/// What all of LLDP-MED begins with.
macro_rules! med {
    ($($arc:literal),+) => { &[1, 0, 8802, 1, 1, 2, 1, 5, 4795, 1, $($arc),+] };
}

pub(in super::super) const INTERVAL: &[u32] = &[1, 0, 8802, 1, 1, 2, 1, 1, 1];
pub(in super::super) const ADMIN: &[u32] = &[1, 0, 8802, 1, 1, 2, 1, 1, 6, 1, 2];
pub(in super::super) const LOCAL_PORT_KIND: &[u32] = &[1, 0, 8802, 1, 1, 2, 1, 3, 7, 1, 2];
pub(in super::super) const LOCAL_PORT: &[u32] = &[1, 0, 8802, 1, 1, 2, 1, 3, 7, 1, 3];
pub(in super::super) const LOCAL_PORT_TEXT: &[u32] = &[1, 0, 8802, 1, 1, 2, 1, 3, 7, 1, 4];
pub(in super::super) const REMOTE_CHASSIS_KIND: &[u32] = &[1, 0, 8802, 1, 1, 2, 1, 4, 1, 1, 4];
pub(in super::super) const REMOTE_CHASSIS: &[u32] = &[1, 0, 8802, 1, 1, 2, 1, 4, 1, 1, 5];
pub(in super::super) const REMOTE_PORT_KIND: &[u32] = &[1, 0, 8802, 1, 1, 2, 1, 4, 1, 1, 6];
pub(in super::super) const REMOTE_PORT: &[u32] = &[1, 0, 8802, 1, 1, 2, 1, 4, 1, 1, 7];
pub(in super::super) const REMOTE_NAME: &[u32] = &[1, 0, 8802, 1, 1, 2, 1, 4, 1, 1, 9];
pub(in super::super) const REMOTE_TEXT: &[u32] = &[1, 0, 8802, 1, 1, 2, 1, 4, 1, 1, 10];
pub(in super::super) const REMOTE_ENABLED: &[u32] = &[1, 0, 8802, 1, 1, 2, 1, 4, 1, 1, 12];
/// lldpXMedPortConfigTLVsTxEnable: bit 1 is the network policy.
pub(in super::super) const MED_SENDS: &[u32] = med!(1, 2, 1, 2);
/// The announced policies; without the last arc, which is the column.
pub(in super::super) const MED_LOCAL_POLICY: &[u32] = med!(2, 1, 1);
pub(in super::super) const MED_CLASS: &[u32] = med!(3, 1, 1, 3);
pub(in super::super) const MED_REMOTE_POLICY: &[u32] = med!(3, 2, 1);
/// lldpXMedRemXPoEPSEPowerAv and lldpXMedRemXPoEPDPowerReq, in tenths of a watt.
pub(in super::super) const MED_POWER_GIVEN: &[u32] = med!(3, 6, 1, 1);
pub(in super::super) const MED_POWER_ASKED: &[u32] = med!(3, 7, 1, 1);

/// Columns of both tables of policies: VLAN, priority, DSCP, whether it is unknown, whether it is tagged.
pub(in super::super) const POLICY: [u32; 5] = [2, 3, 4, 5, 6];

/// Bits of capabilities (IEEE 802.1AB, 8.5.8): from the first.
const CAPABILITIES: [Capability; 8] = [
    Capability::Other,
    Capability::Repeater,
    Capability::Bridge,
    Capability::AccessPoint,
    Capability::Router,
    Capability::Telephone,
    Capability::Other,
    Capability::Station,
];

/// The bits of capabilities.
pub(in super::super) fn octet_of(able: Choices<Capability>) -> u8 {
    let each = CAPABILITIES.iter().enumerate().filter(|(bit, _)| *bit != 6);
    each.filter(|(_, capability)| able.contains(**capability)).fold(0, |octet, (bit, _)| octet | 0x80 >> bit)
}

/// What a policy is for (ANSI/TIA-1057, 10.2.3.1): the bit that the index has, and the number that some have in its place.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(in super::super) enum Application {
    Voice = 1,
    Signalling = 2,
}

/// The settings of what is announced for an application: how, VLAN, priority, DSCP.
pub(in super::super) const ANNOUNCED: [(Application, [SettingId; 4]); 2] = [
    (
        Application::Voice,
        [
            settings::VOICE_ANNOUNCED.id,
            settings::VOICE_ANNOUNCED_VLAN.id,
            settings::VOICE_PRIORITY.id,
            settings::VOICE_DSCP.id,
        ],
    ),
    (
        Application::Signalling,
        [
            settings::SIGNALLING_ANNOUNCED.id,
            settings::SIGNALLING_VLAN.id,
            settings::SIGNALLING_PRIORITY.id,
            settings::SIGNALLING_DSCP.id,
        ],
    ),
];

/// The application of an index behind the port: a text of bits with its length before it, the bits alone, or a number.
fn application(index: &[u32]) -> Option<Application> {
    let all = [Application::Voice, Application::Signalling];
    let bits = match index {
        [1, octet] => *octet,
        [2, first, _] => *first,
        [one] if *one >= 16 => *one,
        [one] => return all.into_iter().find(|application| *application as u32 == *one),
        _ => return None,
    };
    all.into_iter().find(|application| bits == 0x80 >> *application as u32)
}

/// A policy as it was announced or heard.
struct Policy {
    how: Announcement,
    vlan: Option<VlanId>,
    priority: Option<u32>,
    dscp: Option<u32>,
    mark: Mark,
}

pub(super) fn tell(teller: &mut Teller<'_>) {
    sends(teller);
    announced(teller);
    heard(teller);
}

fn sends(teller: &mut Teller<'_>) {
    for (index, object) in teller.objects.below(MED_SENDS) {
        let [number] = index else { continue };
        let Some(port) = teller.ports.of_lldp(*number).cloned() else { continue };
        let open = Open { setting: Some(settings::LLDP_MED.id), port: Some(&port), ..Open::default() };
        let Some(bits) = object.octets(teller.text).and_then(|octets| octets.first().copied()) else {
            teller.miss(object, open);
            continue;
        };
        teller.say(SaidOf::Port(port), settings::LLDP_MED.id, Value::Flag(bits & 0x40 != 0), object.mark);
    }
}

/// The policy of a row, where its columns are understood.
fn policy(teller: &mut Teller<'_>, table: &[u32], index: &[u32], open: Open<'_>) -> Option<Policy> {
    let column = |column: u32| [table, &[column]].concat();
    let mark = teller.objects.at(&column(POLICY[0]), index)?.mark;
    let mut number = |of: u32| {
        let object = teller.objects.at(&column(of), index)?;
        let number = object.number(teller.text).and_then(|number| u32::try_from(number).ok());
        if number.is_none() {
            teller.miss(object, open);
        }
        number
    };
    let [vlan, priority, dscp, unknown, tagged] = POLICY.map(&mut number);
    // A policy that the device says it does not know is none.
    if unknown == Some(1) {
        return None;
    }
    let how = match (tagged?, vlan?) {
        (1, 0) => Announcement::PriorityTagged,
        (1, _) => Announcement::Tagged,
        (2, _) => Announcement::Untagged,
        _ => return None,
    };
    let vlan = VlanId::new(vlan?.into()).ok();
    Some(Policy { how, vlan, priority: priority.filter(|p| *p < 8), dscp: dscp.filter(|d| *d < 64), mark })
}

fn how(announcement: Announcement) -> Value {
    Value::Choice { set: Announcement::SET, index: announcement.index() }
}

fn announced(teller: &mut Teller<'_>) {
    let first = [MED_LOCAL_POLICY, &[POLICY[0]]].concat();
    for (index, _) in teller.objects.below(&first) {
        let Some((number, rest)) = index.split_first() else { continue };
        let Some(port) = teller.ports.of_lldp(*number).cloned() else { continue };
        let known = application(rest).and_then(|of| ANNOUNCED.iter().find(|(application, _)| *application == of));
        let Some((_, [of_how, of_vlan, of_priority, of_dscp])) = known else { continue };
        let open = Open { setting: Some(*of_how), port: Some(&port), ..Open::default() };
        let Some(policy) = policy(teller, MED_LOCAL_POLICY, index, open) else { continue };
        let mut say = |id: SettingId, value| teller.say(SaidOf::Port(Arc::clone(&port)), id, value, policy.mark);
        say(*of_how, how(policy.how));
        say(*of_vlan, Value::Vlan(policy.vlan));
        policy.priority.into_iter().for_each(|priority| say(*of_priority, Value::Count(priority)));
        policy.dscp.into_iter().for_each(|dscp| say(*of_dscp, Value::Count(dscp)));
    }
}

/// An identifier of a chassis or a port by its subtype: addresses as such, everything else as text.
fn identifier(object: &Object, kind: Option<i64>, text: &str, address: [i64; 2]) -> Option<String> {
    if kind == Some(address[0]) {
        return object.station(text).map(|station| station.to_string()).or_else(|| object.text(text));
    }
    // A network address has its family before it (IEEE 802.1AB, 8.5.2.3).
    if kind == Some(address[1])
        && let Some([1, a, b, c, d]) = object.octets(text).as_deref()
    {
        return Some(format!("{a}.{b}.{c}.{d}"));
    }
    object.text(text)
}

fn heard(teller: &mut Teller<'_>) {
    use facts::neighbour as told;
    for (index, object) in teller.objects.below(REMOTE_CHASSIS) {
        let [_, number, _] = index else { continue };
        let Some(port) = teller.ports.of_lldp(*number).cloned() else {
            teller.remark(
                Some(object.mark),
                format!("which port LLDP counts as {number} is not told: its neighbour is left out"),
            );
            continue;
        };
        let text = teller.text;
        let open = Open { kind: Some(told::FACT), port: Some(&port), ..Open::default() };
        let kind = |column| teller.objects.at(column, index).and_then(|object| object.number(text));
        let chassis = identifier(object, kind(REMOTE_CHASSIS_KIND), text, [4, 5]);
        let (port_kind, port_object) = (kind(REMOTE_PORT_KIND), teller.objects.at(REMOTE_PORT, index));
        let their_port = port_object.and_then(|object| identifier(object, port_kind, text, [3, 4]));
        let words = |column| teller.objects.at(column, index).and_then(|object| object.text(text));
        let named = |words: Option<String>| words.filter(|w| !w.is_empty()).map(|words| Value::Text(words.into()));
        let mut fact = Fact::new(told::FACT, object.mark)
            .with(told::PORT, Some(Value::Port(Some(port.clone()))))
            .with(told::CHASSIS, named(chassis))
            .with(told::THEIR_PORT, named(their_port))
            .with(told::NAME, named(words(REMOTE_NAME)))
            .with(told::DESCRIPTION, named(words(REMOTE_TEXT)));
        let able = teller.objects.at(REMOTE_ENABLED, index);
        let bits = able.and_then(|object| object.octets(text)).and_then(|octets| octets.first().copied());
        match (able, bits) {
            (Some(_), Some(octet)) => {
                let able = CAPABILITIES.iter().enumerate().filter(|(bit, _)| octet & 0x80 >> bit != 0);
                let bits = able.fold(0, |bits, (_, capability)| bits | 1 << capability.index());
                fact = fact.with(told::CAPABILITIES, Some(Value::Choices { set: Capability::SET, bits }));
            }
            (Some(object), None) => teller.miss(object, open),
            (None, _) => {}
        }
        let class = teller.objects.at(MED_CLASS, index).and_then(|object| object.number(text));
        let class = class.and_then(|class| u32::try_from(class).ok()).filter(|class| (1..=3).contains(class));
        fact = fact.with(told::CLASS, class.map(Value::Count));
        let tenths = ObjectForm { times: 100, ..ObjectForm::plain(Kind::Milliwatts) };
        for (column, field) in [(MED_POWER_ASKED, told::POWER_ASKED), (MED_POWER_GIVEN, told::POWER_GIVEN)] {
            let power = teller.field(teller.objects.at(column, index), &tenths, open);
            fact = fact.with(field, power.filter(|power| *power != Value::Milliwatts(0)));
        }
        let fact = with_policy(teller, fact, index, open);
        teller.told.facts.push(fact);
    }
}

/// The neighbour's policy for voice, put into its fact.
fn with_policy(teller: &mut Teller<'_>, fact: Fact, index: &[u32], open: Open<'_>) -> Fact {
    use facts::neighbour as told;
    let first = [MED_REMOTE_POLICY, &[POLICY[0]], index].concat();
    let objects = teller.objects;
    let mut all = objects.below(&first).map(|(rest, _)| rest);
    let Some(rest) = all.find(|rest| application(rest) == Some(Application::Voice)) else { return fact };
    let Some(policy) = policy(teller, MED_REMOTE_POLICY, &[index, rest].concat(), open) else { return fact };
    let count = |field: Field<u32>, value: Option<u32>, fact: Fact| fact.with(field, value.map(Value::Count));
    let fact = fact.with(told::VOICE, Some(how(policy.how))).with(told::VOICE_VLAN, Some(Value::Vlan(policy.vlan)));
    count(told::VOICE_DSCP, policy.dscp, count(told::VOICE_PRIORITY, policy.priority, fact))
}
