//! The mirror sessions of a switch, as checks see them.

use std::sync::Arc;

use crate::check::{Judgement, SwitchView, Tally, Unknown, Violation};
use crate::model::{Direction, Key, SettingId, SettingType, VlanSet, settings};

/// An active session.
pub(super) struct Session {
    pub(super) name: Arc<str>,
    /// Ports that are copied.
    pub(super) sources: Arc<[(Arc<str>, Direction)]>,
    /// VLANs that are copied.
    pub(super) vlans: Arc<VlanSet>,
    /// Where the copies go, by name.
    pub(super) target: Option<Arc<str>>,
    /// The same by position, where the port is there.
    pub(super) port: Option<usize>,
}

impl Session {
    /// A violation of this session, on its target port.
    pub(super) fn violation(&self, on: &SwitchView<'_>, setting: SettingId, says: &'static str) -> Violation {
        let position = |(name, _): &(Arc<str>, Direction)| on.switch().port_index(name);
        let related = self.sources.iter().filter_map(position).map(|port| on.related(port)).collect();
        let target = self.target.as_deref().unwrap_or("nowhere");
        Violation::of(setting, says)
            .of_mirror(&self.name)
            .on(self.port)
            .related(related)
            .fact("session", &*self.name)
            .fact("target", target)
            .fact("sources", self.shown())
    }

    /// What is copied, in words.
    pub(super) fn shown(&self) -> String {
        let ports = self.sources.iter().map(|(port, direction)| format!("{port} {direction}"));
        let vlans = (!self.vlans.is_empty()).then(|| format!("VLAN {}", self.vlans));
        ports.chain(vlans).collect::<Vec<_>>().join(", ")
    }
}

/// The active sessions, and what is not known of them.
pub(super) fn sessions(on: &SwitchView<'_>) -> (Vec<Session>, Vec<Unknown>) {
    let (mut sessions, mut unknown) = (Vec::new(), Vec::new());
    for name in on.switch().mirrors().keys() {
        match session(on, name) {
            Ok(Some(session)) => sessions.push(session),
            Ok(None) => {}
            Err(missing) => unknown.push(missing),
        }
    }
    (sessions, unknown)
}

/// Every active session judged, and what is not known of the others.
pub(super) fn each(on: &SwitchView<'_>, judge: impl Fn(&Session) -> Option<Violation>) -> Judgement {
    let mut tally = Tally::default();
    let (sessions, unknown) = sessions(on);
    unknown.into_iter().for_each(|unknown| tally.add(Err(unknown)));
    for session in &sessions {
        tally.add(Ok(judge(session)));
    }
    tally.judgement()
}

fn session(on: &SwitchView<'_>, name: &Arc<str>) -> Result<Option<Session>, Unknown> {
    let slots = on.switch().mirrors().get(name);
    fn get<T: SettingType>(
        slots: Option<&std::collections::BTreeMap<SettingId, crate::model::Slot>>,
        key: Key<T>,
    ) -> Option<T> {
        T::read(slots?.get(&key.id)?.value.as_ref()?)
    }
    if !get(slots, settings::MIRROR_ENABLED).ok_or_else(|| Unknown::fact(settings::MIRROR_ENABLED.id.name()))? {
        return Ok(None);
    }
    let target = get(slots, settings::MIRROR_TARGET).flatten();
    let port = target.as_ref().and_then(|name| on.switch().port_index(name));
    Ok(Some(Session {
        name: Arc::clone(name),
        sources: get(slots, settings::MIRROR_SOURCES).unwrap_or_default(),
        vlans: get(slots, settings::MIRROR_VLANS).unwrap_or_default(),
        target,
        port,
    }))
}
