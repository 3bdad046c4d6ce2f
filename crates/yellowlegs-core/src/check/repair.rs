//! What would satisfy a check, as settings: beside its row, so that a new check brings its own repair.

use std::fmt::Display;
use std::sync::Arc;

use super::{Check, PortView, SwitchView};
use crate::finding::Finding;
use crate::model::{Kind, Scope, SettingId, Value, VlanId, VlanSet};
use crate::policy::{Policy, Purpose, Role, SiteVlan};
use crate::resolve::{About, Resolved};

/// What satisfies a check that is violated.
pub enum Repair {
    /// These settings of the place where the finding stands.
    Set(&'static [(SettingId, Aim)]),
    /// The setting that the finding blames.
    Cause(Aim),
    /// Worked out from the finding and what is around it.
    Work(fn(&Case<'_>) -> Mending),
    /// The configuration is saved.
    Save,
    /// Nothing that is set: a person does what the remedy says.
    Person,
}

/// What a setting is to become.
#[derive(Debug, Clone, Copy)]
pub enum Aim {
    /// On.
    On,
    /// Off, none or empty.
    Off,
    /// One of its words.
    Word(&'static str),
    /// What the finding found out under this name.
    Fact(&'static str),
}

/// What a setting is to come to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum To {
    /// This value.
    Value(Value),
    /// The list that it holds, with these elements.
    With(Value),
    /// The list that it holds, without these.
    Without(Value),
}

/// A setting that is to change.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Target {
    /// The switch.
    pub switch: Arc<str>,
    /// Of what.
    pub about: About,
    /// Which.
    pub setting: SettingId,
    /// To what.
    pub to: To,
}

/// What a finding asks for.
#[derive(Debug, Clone)]
pub enum Mending {
    /// Settings.
    Targets(Vec<Target>),
    /// A decision first.
    Ask(Question),
    /// The configuration is saved.
    Save,
    /// A person.
    Person,
}

/// A decision that nobody but a person takes.
#[derive(Debug, Clone)]
pub struct Question {
    /// What tells it from others, where one decision holds for several findings.
    pub of: Option<String>,
    /// What is asked.
    pub asks: String,
    /// What can be answered, and what then changes.
    pub choices: Vec<(String, Vec<Target>)>,
    /// Where any value of a kind can be answered: the setting that gets it.
    pub free: Option<Place>,
}

/// A setting, and of what.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Place {
    /// The switch.
    pub switch: Arc<str>,
    /// Of what.
    pub about: About,
    /// Which.
    pub setting: SettingId,
}

impl Mending {
    /// Settings; a person where there are none.
    pub(super) fn of(targets: impl IntoIterator<Item = Target>) -> Self {
        let targets: Vec<Target> = targets.into_iter().collect();
        if targets.is_empty() { Self::Person } else { Self::Targets(targets) }
    }

    /// The same decision for all findings of one kind.
    #[must_use]
    pub(super) fn decided_once(self, of: impl Into<String>) -> Self {
        match self {
            Self::Ask(question) => Self::Ask(Question { of: Some(of.into()), ..question }),
            other => other,
        }
    }

    /// One of several: where there is but one, nothing is asked.
    pub(super) fn one_of(asks: impl Into<String>, mut choices: Vec<(String, Vec<Target>)>) -> Self {
        match choices.len() {
            0 => Self::Person,
            1 => choices.pop().map_or(Self::Person, |(_, targets)| Self::of(targets)),
            _ => Self::Ask(Question { of: None, asks: asks.into(), choices, free: None }),
        }
    }
}

/// A finding, and where it stands.
#[derive(Clone, Copy)]
pub struct Case<'a> {
    /// The finding.
    pub finding: &'a Finding,
    /// The policy.
    pub policy: &'a Policy,
    /// Its switch; none: it stands on none.
    pub on: Option<SwitchView<'a>>,
    /// Other switches of the fleet.
    pub fleet: &'a dyn Fn(&str) -> Option<&'a Resolved>,
}

impl<'a> Case<'a> {
    /// What mends it.
    pub fn mending(&self, check: &Check) -> Mending {
        match &check.repair {
            Repair::Set(aims) => {
                let each = aims.iter().map(|(setting, aim)| self.aim(*setting, *aim));
                each.collect::<Option<Vec<_>>>().map_or(Mending::Person, |each| self.chosen(each))
            }
            Repair::Cause(aim) => {
                let each = self.cause().and_then(|cause| self.aim(cause, *aim));
                each.map_or(Mending::Person, |each| self.chosen(vec![each]))
            }
            Repair::Work(work) => work(self),
            Repair::Save => Mending::Save,
            Repair::Person => Mending::Person,
        }
    }

    /// The port that it stands on.
    pub(super) fn port(&self) -> Option<PortView<'a>> {
        let on = self.on?;
        on.switch().port_index(self.finding.port.as_deref()?).map(|port| on.port(port))
    }

    /// The role of that port.
    pub(super) fn role(&self) -> Option<&'a Role> {
        self.port()?.role().ok()
    }

    /// The VLAN that it is about.
    pub(super) fn vlan(&self) -> Option<VlanId> {
        self.finding.vlan.and_then(|vlan| VlanId::new(vlan.into()).ok())
    }

    /// The setting that it blames.
    pub(super) fn cause(&self) -> Option<SettingId> {
        SettingId::by_name(self.finding.settings.first()?.name)
    }

    /// What it found out, in words.
    pub(super) fn text(&self, fact: &str) -> Option<String> {
        self.finding.inputs.get(fact).map(ToString::to_string)
    }

    /// A set of VLANs that it found out.
    pub(super) fn vlans(&self, fact: &str) -> Option<VlanSet> {
        match Kind::Vlans.parse(&self.text(fact)?).ok()? {
            Value::Vlans(set) => Some((*set).clone()),
            _ => None,
        }
    }

    /// The thing that a setting is of, where the finding stands.
    pub(super) fn about(&self, setting: SettingId) -> Option<About> {
        Some(match setting.info().scope {
            Scope::Switch => About::Switch,
            Scope::Port => About::Port(self.finding.port.as_deref()?.into()),
            Scope::Vlan => About::Vlan(self.vlan()?),
            Scope::Mirror => About::Mirror(self.text("session")?.into()),
        })
    }

    /// A setting here, and what it is to come to.
    pub(super) fn to(&self, setting: SettingId, to: To) -> Option<Target> {
        let switch = Arc::clone(self.finding.switch.as_ref()?);
        Some(Target { switch, about: self.about(setting)?, setting, to })
    }

    /// A setting here, and its value.
    pub(super) fn set(&self, setting: SettingId, value: Value) -> Option<Target> {
        self.to(setting, To::Value(value))
    }

    /// A switch of a feature here, thrown.
    pub(super) fn flag(&self, setting: SettingId, on: bool) -> Option<Target> {
        self.set(setting, Value::Flag(on))
    }

    /// A setting here, by one of the words of its kind.
    pub(super) fn word(&self, setting: SettingId, word: impl Display) -> Option<Target> {
        self.set(setting, setting.info().kind.parse(&word.to_string()).ok()?)
    }

    /// A list here that takes VLANs in.
    pub(super) fn with(&self, setting: SettingId, vlans: VlanSet) -> Option<Target> {
        self.to(setting, To::With(Value::Vlans(Arc::new(vlans))))
    }

    /// A VLAN here: one of these.
    pub(super) fn one_vlan(&self, setting: SettingId, of: &VlanSet) -> Mending {
        let asks = format!("{}: which VLAN is {} to be?", self.place(), setting.name());
        let choice = |vlan: VlanId| Some((vlan.to_string(), vec![self.set(setting, Value::Vlan(Some(vlan)))?]));
        Mending::one_of(asks, of.iter().filter_map(choice).collect())
    }

    /// Somebody says what a setting here is to be: once for all ports of one role.
    pub(super) fn any_value(&self, setting: SettingId) -> Mending {
        let (Some(switch), Some(about)) = (self.finding.switch.clone(), self.about(setting)) else {
            return Mending::Person;
        };
        let whose = match &self.finding.role {
            Some(role) => format!("ports of role {role}"),
            None => self.place(),
        };
        let asks = format!("{whose}: what is {} to be?", setting.name());
        let free = Some(Place { switch, about, setting });
        Mending::Ask(Question { of: Some(format!("{} {whose}", setting.name())), asks, choices: Vec::new(), free })
    }

    /// The VLANs among some that the policy has; of others somebody has to say first what they are.
    pub(super) fn known_to_policy(&self, vlans: &VlanSet) -> VlanSet {
        self.among_site_vlans(vlans, |_| true)
    }

    /// The same without those that nobody is in.
    pub(super) fn with_users(&self, vlans: &VlanSet) -> VlanSet {
        self.among_site_vlans(vlans, |vlan| !matches!(vlan.purpose, Some(Purpose::Native | Purpose::Parking)))
    }

    fn among_site_vlans(&self, vlans: &VlanSet, takes: impl Fn(&SiteVlan) -> bool) -> VlanSet {
        let Some(on) = self.on else { return VlanSet::default() };
        let known = |vlan: &VlanId| self.policy.vlan(on.switch().name(), *vlan).is_some_and(&takes);
        if self.policy.vlans.is_empty() { vlans.clone() } else { vlans.iter().filter(known).collect() }
    }

    /// Where it stands, in words.
    pub(super) fn place(&self) -> String {
        let switch = self.finding.switch.as_deref().unwrap_or("the fleet");
        self.finding.port.as_deref().map_or_else(|| switch.to_owned(), |port| format!("{switch} {port}"))
    }

    /// What an aim comes to: the targets to choose from.
    fn aim(&self, setting: SettingId, aim: Aim) -> Option<(SettingId, Vec<Target>)> {
        let kind = setting.info().kind;
        let fact = |name: &str| {
            let text = self.text(name)?;
            let number = || text.parse().ok().and_then(|number| kind.from_number(number).ok());
            kind.parse(&text).ok().or_else(number)
        };
        let one = match aim {
            Aim::On => To::Value(Value::Flag(true)),
            Aim::Off => To::Value(kind.off().or_else(|| kind.parse("off").ok()).or_else(|| kind.parse("none").ok())?),
            Aim::Word(word) => To::Value(kind.parse(word).ok()?),
            Aim::Fact(name) if kind == Kind::Vlan => {
                let each = self.vlans(name)?;
                let targets = each.iter().filter_map(|vlan| self.set(setting, Value::Vlan(Some(vlan))));
                return Some((setting, targets.collect()));
            }
            Aim::Fact(name) => To::Value(fact(name)?),
        };
        Some((setting, vec![self.to(setting, one)?]))
    }

    /// The targets of each aim; where one has several, a question.
    fn chosen(&self, each: Vec<(SettingId, Vec<Target>)>) -> Mending {
        if each.iter().all(|(_, targets)| targets.len() == 1) {
            return Mending::of(each.into_iter().flat_map(|(_, targets)| targets));
        }
        let Some((setting, open)) = each.iter().find(|(_, targets)| targets.len() > 1) else { return Mending::Person };
        let rest = || each.iter().filter(|(_, t)| t.len() == 1).flat_map(|(_, t)| t.clone());
        let choice = |target: &Target| match &target.to {
            To::Value(value) => (value.to_string(), rest().chain([target.clone()]).collect()),
            To::With(value) | To::Without(value) => (value.to_string(), vec![target.clone()]),
        };
        let asks = format!("{}: which of them is {} to be?", self.place(), setting.name());
        Mending::one_of(asks, open.iter().map(choice).collect())
    }
}
