//! Interfaces (RFC 2863, IF-MIB): their names, whether they are up, how fast, since when.

use super::super::teller::{Open, Teller};
use crate::dialect::ObjectForm;
use crate::model::{Fact, Kind, Value, facts};

pub(in super::super) const NAME_OF_OLD: &[u32] = &[1, 3, 6, 1, 2, 1, 2, 2, 1, 2];
pub(in super::super) const TYPE: &[u32] = &[1, 3, 6, 1, 2, 1, 2, 2, 1, 3];
pub(in super::super) const SPEED: &[u32] = &[1, 3, 6, 1, 2, 1, 2, 2, 1, 5];
pub(in super::super) const ADDRESS: &[u32] = &[1, 3, 6, 1, 2, 1, 2, 2, 1, 6];
pub(in super::super) const ADMIN: &[u32] = &[1, 3, 6, 1, 2, 1, 2, 2, 1, 7];
pub(in super::super) const LINK: &[u32] = &[1, 3, 6, 1, 2, 1, 2, 2, 1, 8];
pub(in super::super) const LAST_CHANGE: &[u32] = &[1, 3, 6, 1, 2, 1, 2, 2, 1, 9];
pub(in super::super) const NAME: &[u32] = &[1, 3, 6, 1, 2, 1, 31, 1, 1, 1, 1];
pub(in super::super) const HIGH_SPEED: &[u32] = &[1, 3, 6, 1, 2, 1, 31, 1, 1, 1, 15];
pub(in super::super) const ALIAS: &[u32] = &[1, 3, 6, 1, 2, 1, 31, 1, 1, 1, 18];
/// sysUpTime (RFC 3418).
pub(in super::super) const UP_TIME: &[u32] = &[1, 3, 6, 1, 2, 1, 1, 3];

/// What `ifOperStatus` says of the link: up; down, dormant, notPresent, lowerLayerDown. Of testing and unknown it says nothing.
const LINKS: [(i64, Option<bool>); 7] =
    [(1, Some(true)), (2, Some(false)), (3, None), (4, None), (5, Some(false)), (6, Some(false)), (7, Some(false))];

pub(super) fn tell(teller: &mut Teller<'_>) {
    use facts::port_status as status;
    let numbers: Vec<u32> = teller.ports.numbers().collect();
    let up_time = teller.objects.at(UP_TIME, &[0]).and_then(|object| object.number(teller.text));
    for number in numbers {
        let Some(name) = teller.ports.of_interface(number).cloned() else { continue };
        let Some(operational) = teller.objects.at(LINK, &[number]) else { continue };
        let open = Open { kind: Some(status::FACT), port: Some(&name), ..Open::default() };
        let told = operational.number(teller.text).and_then(|number| LINKS.iter().find(|(known, _)| *known == number));
        let Some((_, link)) = told else {
            teller.miss(operational, open);
            continue;
        };
        let admin = teller.objects.at(ADMIN, &[number]).and_then(|object| object.number(teller.text));
        let megabits = ObjectForm::plain(Kind::Count);
        let bits = ObjectForm { per: 1_000_000, ..megabits.clone() };
        let high = teller.objects.at(HIGH_SPEED, &[number]);
        let speed = match high {
            Some(_) => teller.field(high, &megabits, open),
            None => teller.field(teller.objects.at(SPEED, &[number]), &bits, open),
        };
        let changed = teller.objects.at(LAST_CHANGE, &[number]).and_then(|object| object.number(teller.text));
        // 0: before the agent began to count.
        let ago = up_time.zip(changed.filter(|changed| *changed > 0)).and_then(|(now, then)| now.checked_sub(then));
        let seconds = ago.and_then(|ticks| u32::try_from(ticks / 100).ok());
        let fact = Fact::new(status::FACT, operational.mark)
            .with(status::PORT, Some(Value::Port(Some(name.clone()))))
            .with(status::LINK, link.map(Value::Flag))
            .with(status::ADMIN, admin.filter(|admin| *admin < 3).map(|admin| Value::Flag(admin == 1)))
            .with(status::SPEED, speed.filter(|speed| *speed != Value::Count(0)))
            .with(status::FOR, seconds.map(Value::Seconds));
        teller.told.facts.push(fact);
    }
}
