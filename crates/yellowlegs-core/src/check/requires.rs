//! What a platform needs first before a feature acts.

use super::{SwitchView, Unknown};
use crate::model::{Requirement, SettingId, Value, settings};

impl SwitchView<'_> {
    /// Whether what a feature requires first is not in force.
    pub(super) fn lacks(&self, requirement: &Requirement) -> Result<bool, Unknown> {
        let ready = self.known(settings::READY)?;
        Ok(!ready.contains(&requirement.ready))
    }

    /// Whether it is written and waits for a restart.
    pub(super) fn waits_for_restart(&self, requirement: &Requirement) -> Result<bool, Unknown> {
        Ok(self.lacks(requirement)? && self.known(settings::PENDING)?.contains(&requirement.ready))
    }

    /// Whether something that a feature requires first holds it back.
    pub(super) fn is_held_back(&self, feature: &str) -> Result<bool, Unknown> {
        for requirement in self.requires().iter().filter(|r| &*r.feature == feature) {
            if self.lacks(requirement)? {
                return Ok(true);
            }
        }
        Ok(false)
    }

    /// Whether a feature is written somewhere on the switch, or wanted on a port of it.
    pub(super) fn is_about(&self, feature: &str) -> bool {
        let wanted = crate::policy::Feature::ALL.iter().find(|f| f.info().name == feature).is_some_and(|feature| {
            self.unlike_ports().any(|port| port.role().is_ok_and(|role| role.expect.wants(*feature)))
        });
        let of_feature = |id: &SettingId| id.name().split_once('.').is_some_and(|(f, _)| f == feature);
        let on = |slot: &crate::model::Slot| {
            slot.is_doubtful()
                || slot.origin.is_written()
                    && !matches!(slot.value, None | Some(Value::Flag(false) | Value::Rate(None)))
        };
        let somewhere = |id| on(self.slot(id)) || self.unlike_ports().any(|port| on(port.slot(id)));
        wanted || SettingId::all().filter(of_feature).any(somewhere)
    }
}
