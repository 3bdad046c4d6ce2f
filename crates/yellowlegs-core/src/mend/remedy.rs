//! What mends a finding: what its check says, seen from the switch as it is now.

use std::sync::Arc;

use super::Site;
use crate::check::{Case, Mending, SwitchView, Target, To, all};
use crate::finding::Finding;
use crate::model::{Mode, SettingType, Value, platform, settings};
use crate::policy::{Assignment, assign};
use crate::resolve::{About, Resolved};

/// What mends a finding, by its check; house rules are for people.
pub(super) fn mending_of(site: &Site<'_>, finding: &Finding, roles: &mut Roles) -> Mending {
    let Some(check) = all().find(|check| check.id == finding.check) else { return Mending::Person };
    let fleet = |name: &str| site.get(name).map(|resolved| &**resolved);
    let case = |on| Case { finding, policy: site.policy, on, fleet: &fleet };
    let Some(resolved) = finding.switch.as_deref().and_then(fleet) else { return case(None).mending(check) };
    let roles = roles.of(site, resolved);
    case(Some(SwitchView::new(resolved, site.policy, &roles, site.as_of))).mending(check)
}

/// The roles of the switch that was asked about last: findings come switch by switch.
#[derive(Default)]
pub(super) struct Roles(Option<(Arc<str>, Arc<Assignment>)>);

impl Roles {
    fn of(&mut self, site: &Site<'_>, resolved: &Resolved) -> Arc<Assignment> {
        let name = resolved.switch.name();
        if let Some((_, roles)) = self.0.as_ref().filter(|(of, _)| of == name) {
            return Arc::clone(roles);
        }
        let roles = Arc::new(assign(site.policy, &resolved.switch, resolved.lists()));
        self.0 = Some((Arc::clone(name), Arc::clone(&roles)));
        roles
    }
}

/// Where membership decides the mode, the mode is changed by it: a trunk takes in the VLANs of its role; an access port gets the
/// voice VLAN of its role, if that is another, else it gives away what it carries tagged.
pub(super) fn by_membership(now: &Site<'_>, target: &Target, roles: &mut Roles) -> Option<Target> {
    let (About::Port(port), To::Value(mode)) = (&target.about, &target.to) else { return None };
    if target.setting != settings::MODE.id {
        return None;
    }
    let resolved = now.get(&target.switch)?;
    let switch = &resolved.switch;
    let never = resolved.dialect()?.writing().never.iter().any(|(id, _)| *id == target.setting);
    if !never && switch.traits().holds(platform::MODE_FROM, "membership") != Some(true) {
        return None;
    }
    let port = switch.port_index(port)?;
    let roles = roles.of(now, resolved);
    let role = roles.ports.get(port).copied().flatten().and_then(|assigned| now.policy.roles.get(assigned.role));
    let instead = |setting, to| Some(Target { setting, to, ..target.clone() });
    match Mode::read(mode)? {
        Mode::Access => {
            let voice = role.and_then(|role| role.voice);
            let has = switch.setting(Some(port), settings::VOICE_VLAN).value;
            match voice.filter(|voice| has.is_some_and(|has| has != Some(*voice))) {
                Some(voice) => instead(settings::VOICE_VLAN.id, To::Value(Value::Vlan(Some(voice)))),
                None => instead(settings::TAGGED_VLANS.id, To::Value(Value::Vlans(Arc::default()))),
            }
        }
        Mode::Trunk => instead(settings::TAGGED_VLANS.id, To::With(Value::Vlans(Arc::new(role?.may_use())))),
        Mode::Negotiated => None,
    }
}
