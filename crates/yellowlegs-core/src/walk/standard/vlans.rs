//! VLANs and who is in them (RFC 4363, Q-BRIDGE-MIB): membership as sets of ports, and what a port makes of frames without a tag.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::super::Membership;
use super::super::objects::Object;
use super::super::teller::{Open, Teller};
use super::neighbours::{MED_LOCAL_POLICY, POLICY};
use crate::dialect::{ObjectForm, SaidOf};
use crate::model::{Choice, Kind, Mode, Value, VlanId, VlanSet, settings};

pub(in super::super) const NAME: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 7, 1, 4, 3, 1, 1];
pub(in super::super) const EGRESS: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 7, 1, 4, 3, 1, 2];
pub(in super::super) const UNTAGGED: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 7, 1, 4, 3, 1, 4];
pub(super) const EGRESS_NOW: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 7, 1, 4, 2, 1, 4];
pub(super) const UNTAGGED_NOW: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 7, 1, 4, 2, 1, 5];
pub(in super::super) const UNTAGGED_IN: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 7, 1, 4, 5, 1, 1];

/// The numbers of the ports in a set: a bit each, the first octet's highest is port 1.
fn members(octets: &[u8]) -> impl Iterator<Item = u32> {
    let bits = octets
        .iter()
        .enumerate()
        .flat_map(|(at, octet)| (0..8).map(move |bit| (at * 8 + bit, octet & 0x80 >> bit != 0)));
    bits.filter(|(_, is_in)| *is_in).map(|(at, _)| at as u32 + 1)
}

/// Whether a port is in a set.
fn is_member(octets: &[u8], port: u32) -> bool {
    let at = port as usize - 1;
    octets.get(at / 8).is_some_and(|octet| octet & 0x80 >> (at % 8) != 0)
}

pub(super) fn tell(teller: &mut Teller<'_>) {
    names(teller);
    let is_static = teller.objects.below(EGRESS).next().is_some();
    let (egress, untagged) = if is_static { (EGRESS, UNTAGGED) } else { (EGRESS_NOW, UNTAGGED_NOW) };
    let mut known = VlanSet::default();
    let mut of: BTreeMap<Arc<str>, (u32, Membership)> = BTreeMap::new();
    let mut is_whole = true;
    for (index, object) in teller.objects.below(egress) {
        // The table of now has the time before the VLAN.
        let Some(vlan) = index.last().and_then(|vlan| VlanId::new((*vlan).into()).ok()) else { continue };
        known.insert(vlan);
        let sets = (ports(teller, Some(object)), ports(teller, teller.objects.at(untagged, index)));
        let (Some(all), Some(plain)) = sets else {
            is_whole = false;
            continue;
        };
        for port in members(&all) {
            let Some(name) = teller.ports.of_bridge(port) else { continue };
            let none = || Membership {
                port: Arc::clone(name),
                untagged: VlanSet::default(),
                tagged: VlanSet::default(),
                mark: object.mark,
                tagged_mark: None,
            };
            let (_, membership) = of.entry(Arc::clone(name)).or_insert_with(|| (port, none()));
            let is_plain = is_member(&plain, port);
            if is_plain {
                membership.untagged.insert(vlan);
            } else {
                membership.tagged.insert(vlan);
                membership.tagged_mark.get_or_insert(object.mark);
            }
        }
    }
    if known.is_empty() {
        return;
    }
    let first = teller.objects.below(egress).next().map(|(_, object)| object.mark);
    if let Some(mark) = first {
        teller.say(SaidOf::Switch, settings::VLANS.id, Value::Vlans(Arc::new(known.clone())), mark);
    }
    // Where a set is not understood no port's membership is known.
    if is_whole {
        let announced = announced(teller);
        for (number, membership) in of.into_values() {
            let phones = announced.get(&membership.port).copied();
            port(teller, number, &membership, phones, &known);
            teller.told.members.push(membership);
        }
        teller.told.vlans = known;
    }
}

fn names(teller: &mut Teller<'_>) {
    let text = ObjectForm::plain(Kind::Text);
    for (index, object) in teller.objects.below(NAME) {
        let Some(vlan) = index.last().and_then(|vlan| VlanId::new((*vlan).into()).ok()) else { continue };
        let open = Open { setting: Some(settings::VLAN_NAME.id), ..Open::default() };
        if let Some(value) = teller.value(object, &text, open).filter(|value| *value != Value::Text("".into())) {
            teller.say(SaidOf::Vlans(vec![vlan]), settings::VLAN_NAME.id, value, object.mark);
        }
    }
}

/// The octets of a set of ports; what is none is noted for all settings of membership.
fn ports(teller: &mut Teller<'_>, object: Option<&Object>) -> Option<Vec<u8>> {
    let object = object?;
    let octets = object.octets(teller.text);
    if octets.is_none() {
        for setting in
            [settings::MODE.id, settings::ACCESS_VLAN.id, settings::NATIVE_VLAN.id, settings::TAGGED_VLANS.id]
        {
            teller.miss(object, Open { setting: Some(setting), ..Open::default() });
        }
    }
    octets
}

/// What a port's membership comes to. A port with one VLAN tagged beside an untagged one may be a trunk or have a phone: only an announcement to
/// phones tells, and without one the mode stays open.
fn port(teller: &mut Teller<'_>, number: u32, membership: &Membership, phones: Option<VlanId>, known: &VlanSet) {
    let Membership { port, tagged, untagged, mark, tagged_mark } = membership;
    let with_tag = tagged_mark.unwrap_or(*mark);
    let vlan = ObjectForm::plain(Kind::Vlan);
    let open = Open { setting: Some(settings::ACCESS_VLAN.id), port: Some(port), ..Open::default() };
    let object = teller.objects.at(UNTAGGED_IN, &[number]);
    let without_tag = object.and_then(|object| Some((teller.value(object, &vlan, open)?, object.mark)));
    let mode = |mode: Mode| Value::Choice { set: Mode::SET, index: mode.index() };
    let phone = tagged.single().filter(|vlan| phones == Some(*vlan));
    if tagged.is_empty() || phone.is_some() {
        teller.say_of_members(port, settings::MODE.id, mode(Mode::Access), *mark);
        let access = without_tag.or_else(|| Some((Value::Vlan(Some(untagged.single()?)), *mark)));
        if let Some((value, mark)) = access {
            teller.say_of_members(port, settings::ACCESS_VLAN.id, value, mark);
        }
        teller.say_of_members(port, settings::VOICE_VLAN.id, Value::Vlan(phone), with_tag);
    } else if tagged.len() > 1 || untagged.is_empty() {
        teller.say_of_members(port, settings::MODE.id, mode(Mode::Trunk), *mark);
        teller.say_of_members(port, settings::TAGGED_VLANS.id, Value::Vlans(Arc::new(tagged.clone())), with_tag);
        // What is taken in without a tag and never leaves so is half a native VLAN: that is not said.
        let native = match &without_tag {
            Some((Value::Vlan(Some(vlan)), _)) => untagged.contains(*vlan) || !known.contains(*vlan),
            _ => true,
        };
        if native {
            let (value, mark) = without_tag.unwrap_or((Value::Vlan(untagged.single()), *mark));
            teller.say_of_members(port, settings::NATIVE_VLAN.id, value, mark);
        }
    }
}

/// The VLANs that are announced to phones, by port.
fn announced(teller: &Teller<'_>) -> BTreeMap<Arc<str>, VlanId> {
    let first = [MED_LOCAL_POLICY, &[POLICY[0]]].concat();
    let mut of = BTreeMap::new();
    for (index, object) in teller.objects.below(&first) {
        let port = index.first().and_then(|number| teller.ports.of_lldp(*number));
        let vlan = object.number(teller.text).and_then(|number| VlanId::new(number).ok());
        if let (Some(port), Some(vlan)) = (port, vlan) {
            of.entry(Arc::clone(port)).or_insert(vlan);
        }
    }
    of
}
