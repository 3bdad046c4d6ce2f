//! The spanning tree (RFC 4188, BRIDGE-MIB; RFC 4318, RSTP-MIB): timers and priority are rows; how a port starts takes two objects.

use super::super::teller::{Open, Teller};
use super::rows::Form;
use crate::dialect::{ObjectForm, SaidOf};
use crate::model::{Choice, Fact, FastStart, Kind, TreeState, Value, facts, settings};

pub(in super::super) const PRIORITY: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 2];
pub(in super::super) const MAX_AGE: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 12];
pub(in super::super) const HELLO: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 13];
pub(in super::super) const FORWARD_DELAY: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 14];
pub(in super::super) const VERSION: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 16];
pub(in super::super) const ADMIN_EDGE: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 19, 1, 2];
pub(in super::super) const EDGE: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 19, 1, 3];
pub(in super::super) const LINK: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 19, 1, 4];

/// dot1dStpRootPort: the port that leads to the root; 0: the switch is the root.
pub(in super::super) const ROOT: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 7];
pub(in super::super) const STATE: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 2, 15, 1, 3];

/// States by their numbers, from 1.
const STATES: [TreeState; 6] = [
    TreeState::Disabled,
    TreeState::Blocking,
    TreeState::Listening,
    TreeState::Learning,
    TreeState::Forwarding,
    TreeState::Broken,
];

pub(super) const VERSIONS: Form = Form::Words(&[(0, "classic"), (2, "rapid"), (3, "multiple")]);
pub(super) const LINKS: Form = Form::Words(&[(0, "point-to-point"), (1, "shared"), (2, "auto")]);

pub(super) fn tell(teller: &mut Teller<'_>) {
    starts(teller);
    states(teller);
}

/// What the tree makes of each port, and which leads to the root.
fn states(teller: &mut Teller<'_>) {
    use facts::tree_port as told;
    let root = teller.objects.at(ROOT, &[0]).and_then(|object| object.number(teller.text));
    for (index, object) in teller.objects.below(STATE) {
        let [number] = index else { continue };
        let Some(port) = teller.ports.of_bridge(*number).cloned() else { continue };
        let open = Open { kind: Some(told::FACT), port: Some(&port), ..Open::default() };
        let state = object.number(teller.text).and_then(|state| usize::try_from(state.checked_sub(1)?).ok());
        let Some(state) = state.and_then(|state| STATES.get(state)) else {
            teller.miss(object, open);
            continue;
        };
        let leads = root.map(|root| Value::Flag(root == i64::from(*number)));
        let fact = Fact::new(told::FACT, object.mark)
            .with(told::PORT, Some(Value::Port(Some(port.clone()))))
            .with(told::STATE, Some(Value::Choice { set: TreeState::SET, index: state.index() }))
            .with(told::ROOT, leads);
        teller.told.facts.push(fact);
    }
}

/// A port that was made an edge is one. One that was not, and is one, became so by itself. One that is none may be told to try or
/// not: these objects do not say, and the setting stays open.
fn starts(teller: &mut Teller<'_>) {
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
