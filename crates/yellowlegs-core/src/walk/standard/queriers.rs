//! How memberships of multicast are asked for (RFC 2933, IGMP-STD-MIB), on the interfaces of VLANs. Who asks is told without the port it is heard on,
//! and so is nothing that can be judged.

use super::super::teller::{Open, Teller};
use super::interfaces;
use crate::dialect::{ObjectForm, SaidOf};
use crate::model::{Kind, VlanId, settings};

pub(in super::super) const INTERVAL: &[u32] = &[1, 3, 6, 1, 2, 1, 85, 1, 1, 1, 2];
pub(in super::super) const VERSION: &[u32] = &[1, 3, 6, 1, 2, 1, 85, 1, 1, 1, 4];
pub(in super::super) const ROBUSTNESS: &[u32] = &[1, 3, 6, 1, 2, 1, 85, 1, 1, 1, 14];

/// The types of interfaces that stand for a VLAN (IANA: l2vlan, l3ipvlan).
pub(in super::super) const OF_VLANS: [i64; 2] = [135, 136];

/// The VLAN that an interface stands for: one of such a type, whose name has one number, and that is a VLAN. No standard says it
/// otherwise.
fn vlan(teller: &Teller<'_>, number: u32) -> Option<VlanId> {
    let kind = teller.objects.at(interfaces::TYPE, &[number])?.number(teller.text)?;
    OF_VLANS.contains(&kind).then_some(())?;
    let name = [interfaces::NAME, interfaces::NAME_OF_OLD].iter().find_map(|of| {
        let name = teller.objects.at(of, &[number])?.text(teller.text)?;
        Some(name).filter(|name| !name.is_empty())
    })?;
    let mut numbers = name.split(|sign: char| !sign.is_ascii_digit()).filter(|digits| !digits.is_empty());
    let vlan = VlanId::new(numbers.next()?.parse().ok()?).ok()?;
    numbers.next().is_none().then_some(vlan)
}

pub(super) fn tell(teller: &mut Teller<'_>) {
    let count = ObjectForm::plain(Kind::Count);
    let seconds = ObjectForm::plain(Kind::Seconds);
    let rows = [
        (INTERVAL, settings::QUERY_INTERVAL.id, &seconds),
        (VERSION, settings::QUERY_VERSION.id, &count),
        (ROBUSTNESS, settings::ROBUSTNESS.id, &count),
    ];
    for (column, setting, form) in rows {
        for (index, object) in teller.objects.below(column) {
            let [number] = index else { continue };
            let Some(vlan) = vlan(teller, *number) else { continue };
            let open = Open { setting: Some(setting), ..Open::default() };
            if let Some(value) = teller.value(object, form, open) {
                teller.say(SaidOf::Vlans(vec![vlan]), setting, value, object.mark);
            }
        }
    }
}
