//! What links run over (RFC 4836, MAU-MIB; its types are registered with IANA).

use super::super::teller::{Open, Teller};
use crate::dialect::SaidOf;
use crate::model::{Choice, Media, Value, settings};

pub(in super::super) const TYPE: &[u32] = &[1, 3, 6, 1, 2, 1, 26, 2, 1, 1, 3];
/// What the identifiers of types begin with (dot3MauType).
pub(in super::super) const TYPES: &[u32] = &[1, 3, 6, 1, 2, 1, 26, 4];
/// Types over twisted pair or twinaxial cable.
const COPPER: [u32; 14] = [5, 10, 11, 14, 15, 16, 19, 20, 27, 28, 29, 30, 41, 54];
/// Types over fibre.
const FIBRE: [u32; 30] = [
    3, 6, 7, 8, 12, 13, 17, 18, 23, 24, 25, 26, 32, 34, 35, 36, 38, 39, 40, 44, 45, 46, 47, 48, 49, 50, 51, 52, 53, 55,
];

pub(super) fn tell(teller: &mut Teller<'_>) {
    for (index, object) in teller.objects.below(TYPE) {
        // A port with several attachments has one in use, and nothing here says which.
        let [interface, 1] = index else { continue };
        if teller.objects.at(TYPE, &[*interface, 2]).is_some() {
            continue;
        }
        let Some(port) = teller.ports.of_interface(*interface).cloned() else { continue };
        let open = Open { setting: Some(settings::MEDIA.id), port: Some(&port), ..Open::default() };
        let Some(oid) = object.oid(teller.text) else {
            teller.miss(object, open);
            continue;
        };
        let media = match oid.strip_prefix(TYPES) {
            Some([number]) if COPPER.contains(number) => Media::Copper,
            Some([number]) if FIBRE.contains(number) => Media::Fibre,
            // Types that say nothing of what is plugged in, and those of makers.
            _ => continue,
        };
        let value = Value::Choice { set: Media::SET, index: media.index() };
        teller.say(SaidOf::Port(port), settings::MEDIA.id, value, object.mark);
    }
}
