//! What the machine asks of the settings in force. What is unknown leaves through `?`, with the setting it hangs on.

use crate::model::{Key, Kind, SettingId, SettingType, Switch, TraitId, Value, VlanId};

/// Something that nobody knows, and on which it hangs how the machine goes on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Hang {
    /// The setting or trait, or what else is missing.
    pub on: &'static str,
    /// The setting, where it is one.
    pub setting: Option<SettingId>,
}

/// A value, or what it hangs on.
pub type Known<T> = Result<T, Hang>;

/// The settings of one switch, with at most one value assumed in place of what is unknown.
#[derive(Debug, Clone)]
pub struct Asked<'a> {
    switch: &'a Switch,
    assumed: Option<(SettingId, Value)>,
}

impl<'a> Asked<'a> {
    /// The settings in force.
    pub fn new(switch: &'a Switch) -> Self {
        Self { switch, assumed: None }
    }

    /// With a value in place of an unknown one.
    #[must_use]
    pub fn assuming(self, setting: SettingId, value: Value) -> Self {
        Self { assumed: Some((setting, value)), ..self }
    }

    /// The switch.
    pub fn switch(&self) -> &'a Switch {
        self.switch
    }

    fn value<T: SettingType>(&self, id: SettingId, value: Option<&Value>) -> Known<T> {
        let assumed = || self.assumed.as_ref().filter(|(assumed, _)| *assumed == id).and_then(|(_, v)| T::read(v));
        value.and_then(T::read).or_else(assumed).ok_or(Hang { on: id.name(), setting: Some(id) })
    }

    /// A setting of a port, or of the switch beneath it.
    pub fn port<T: SettingType>(&self, port: usize, key: Key<T>) -> Known<T> {
        self.value(key.id, self.switch.slot(Some(port), key.id).value.as_ref())
    }

    /// A setting of the switch.
    pub fn switch_wide<T: SettingType>(&self, key: Key<T>) -> Known<T> {
        self.value(key.id, self.switch.slot(None, key.id).value.as_ref())
    }

    /// A setting of a VLAN.
    pub fn vlan<T: SettingType>(&self, vlan: VlanId, key: Key<T>) -> Known<T> {
        self.value(key.id, self.switch.vlan_slot(vlan, key.id).value.as_ref())
    }

    /// Whether a word of one of the platform's traits holds.
    pub fn platform(&self, id: TraitId, word: &str) -> Known<bool> {
        self.switch.traits().holds(id, word).ok_or(Hang { on: id.info().name, setting: None })
    }
}

impl Hang {
    /// A fact that is no setting.
    pub fn fact(on: &'static str) -> Self {
        Self { on, setting: None }
    }

    /// The values that what is unknown may have, where they are few enough to try each.
    pub fn values(&self) -> Vec<Value> {
        match self.setting.map(|id| id.info().kind) {
            Some(Kind::Flag) => vec![Value::Flag(true), Value::Flag(false)],
            Some(Kind::Choice(set)) => {
                (0..set.words.len()).map(|index| Value::Choice { set, index: index as u8 }).collect()
            }
            _ => Vec::new(),
        }
    }
}
