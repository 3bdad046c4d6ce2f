//! The spanning tree (RFC 4188, BRIDGE-MIB; RFC 4318, RSTP-MIB): timers and priority are rows; how a port starts takes two objects.

use super::super::teller::{Open, Teller};
use super::rows::Form;
use crate::dialect::{ObjectForm, SaidOf};
use crate::model::{Choice, FastStart, Kind, Value, settings};

pub(in super::super) const PRIORITY: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 2];
pub(in super::super) const MAX_AGE: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 12];
pub(in super::super) const HELLO: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 13];
pub(in super::super) const FORWARD_DELAY: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 14];
pub(in super::super) const VERSION: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 16];
pub(in super::super) const ADMIN_EDGE: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 19, 1, 2];
pub(in super::super) const EDGE: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 19, 1, 3];
pub(in super::super) const LINK: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 19, 1, 4];

pub(super) const VERSIONS: Form = Form::Words(&[(0, "classic"), (2, "rapid"), (3, "multiple")]);
pub(super) const LINKS: Form = Form::Words(&[(0, "point-to-point"), (1, "shared"), (2, "auto")]);

/// A port that was made an edge is one. One that was not, and is one, became so by itself. One that is none may be told to try or
/// not: these objects do not say, and the setting stays open.
pub(super) fn tell(teller: &mut Teller<'_>) {
    let truth = ObjectForm::plain(Kind::Flag);
    for (index, object) in teller.objects.below(ADMIN_EDGE) {
        let [number] = index else { continue };
        let Some(port) = teller.ports.of_bridge(*number).cloned() else { continue };
        let open = Open { setting: Some(settings::FAST_START.id), port: Some(&port), ..Open::default() };
        let admin = teller.value(object, &truth, open);
        let operational = teller.field(teller.objects.at(EDGE, index), &truth, open);
        let is = |value: Option<&Value>| value == Some(&Value::Flag(true));
        let value = |mode: FastStart| Value::Choice { set: FastStart::SET, index: mode.index() };
        match (is(admin.as_ref()), is(operational.as_ref())) {
            // These objects have one form for every port, also on a trunk.
            (true, _) => {
                let (plain, explicit) = (value(FastStart::Edge), value(FastStart::EdgeOnTrunk));
                teller.say_or(&port, settings::FAST_START.id, plain, explicit, object.mark);
            }
            (false, true) if admin.is_some() => {
                teller.say(SaidOf::Port(port), settings::FAST_START.id, value(FastStart::Auto), object.mark);
            }
            _ => {}
        }
    }
}
