//! Which role a port has, and what says so.
//!
//! In this order: the policy's own list; its pattern on the description; what the neighbour says it is; VLAN and mode. A role that was
//! derived from a fact cannot judge that fact.

use std::collections::BTreeSet;

use regex::RegexSet;
use rustc_hash::FxHashMap;

use super::{Faces, Policy, Role};
use crate::dialect::Lists;
use crate::model::{Mode, Remark, Rows, SettingId, SettingSet, Switch, facts, settings};

/// What told a role.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize)]
#[serde(rename_all = "lowercase")]
pub enum RoleFrom {
    /// The policy's list of ports.
    List,
    /// The policy's pattern on the description.
    Description,
    /// What the neighbour says it is.
    Neighbour,
    /// VLAN and mode.
    Vlan,
}

/// A role with what told it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Assigned {
    /// Position of the role in the policy.
    pub role: usize,
    /// What told it.
    pub from: RoleFrom,
}

/// The settings that roles are derived from.
pub fn derived_from() -> SettingSet {
    let settings = [settings::DESCRIPTION.id, settings::MODE.id, settings::ACCESS_VLAN.id, settings::TAGGED_VLANS.id];
    settings.into_iter().collect()
}

impl Assigned {
    /// The settings the role was derived from: it cannot judge them.
    pub fn derived_from(&self) -> &'static [SettingId] {
        const VLAN: &[SettingId] =
            &[settings::MODE.id, settings::ACCESS_VLAN.id, settings::NATIVE_VLAN.id, settings::TAGGED_VLANS.id];
        match self.from {
            RoleFrom::Vlan => VLAN,
            RoleFrom::List | RoleFrom::Description | RoleFrom::Neighbour => &[],
        }
    }
}

/// The roles of one switch's ports, and which entries of the policy had a hand in it.
#[derive(Debug, Clone, Default)]
pub struct Assignment {
    /// By port.
    pub ports: Vec<Option<Assigned>>,
    /// By port, the first port that has its role, told by the same, and the same in force: itself where there is none.
    pub alike: Vec<usize>,
    /// What is written for each port.
    pub(crate) rows: Rows,
    /// Roles that some port has.
    pub roles: BTreeSet<usize>,
    /// Entries of `ports` (role, position) that name some port.
    pub lists: BTreeSet<(usize, usize)>,
    /// Patterns of `describes` (role, position) that fit some description.
    pub describes: BTreeSet<(usize, usize)>,
    /// Ports that two entries claim, entries that cannot be read.
    pub remarks: Vec<Remark>,
}

impl Assignment {
    /// The roles that are certain where less is known of the switch: one that was told by a description, or by VLAN and
    /// mode, is none where those are doubtful. Other ports are alike then.
    #[must_use]
    pub fn for_doubtful(&self, policy: &Policy, certain: &Switch) -> Self {
        let doubtful = |port: usize, id: &SettingId| certain.slot(Some(port), *id).is_doubtful();
        let is_certain = |(port, assigned): (usize, &Option<Assigned>)| {
            let assigned = (*assigned)?;
            let by_words = policy.derive.description && assigned.from != RoleFrom::List;
            let open = by_words && doubtful(port, &settings::DESCRIPTION.id)
                || assigned.derived_from().iter().any(|id| doubtful(port, id));
            (!open).then_some(assigned)
        };
        let ports: Vec<Option<Assigned>> = self.ports.iter().enumerate().map(is_certain).collect();
        let rows = certain.rows();
        Self { alike: alike(&rows, &ports), rows, ports, ..Self::default() }
    }
}

/// Gives every port of a switch its role, and tells which ports are alike.
pub fn assign(policy: &Policy, switch: &Switch, lists: Option<&Lists>) -> Assignment {
    let mut result = assign_roles(policy, switch, lists);
    result.rows = switch.rows();
    result.alike = alike(&result.rows, &result.ports);
    result
}

/// The same for whoever asks for roles alone: every port is like itself.
pub(crate) fn assign_roles(policy: &Policy, switch: &Switch, lists: Option<&Lists>) -> Assignment {
    let mut result = Assignment { ports: vec![None; switch.ports().len()], ..Assignment::default() };
    by_list(policy, switch, lists, &mut result);
    if policy.derive.description {
        by_description(policy, switch, &mut result);
    }
    if policy.derive.neighbour {
        by_neighbour(policy, switch, &mut result);
    }
    if policy.derive.vlan {
        by_vlan(policy, switch, &mut result);
    }
    for assigned in result.ports.iter().flatten() {
        if !result.roles.contains(&assigned.role) {
            result.roles.insert(assigned.role);
        }
    }
    result.rows = Rows::not_looked_at();
    result
}

fn alike(rows: &Rows, roles: &[Option<Assigned>]) -> Vec<usize> {
    type Kind<'a> = (Option<Assigned>, &'a [(u16, u32)]);
    let mut kinds: FxHashMap<Kind<'_>, usize> =
        FxHashMap::with_capacity_and_hasher(roles.len(), rustc_hash::FxBuildHasher);
    let first = |(port, role): (usize, &Option<Assigned>)| *kinds.entry((*role, rows.of(port))).or_insert(port);
    roles.iter().enumerate().map(first).collect()
}

fn remark(switch: &Switch, text: String) -> Remark {
    Remark { about: switch.name().to_string(), file: None, line: None, text }
}

fn by_list(policy: &Policy, switch: &Switch, lists: Option<&Lists>, result: &mut Assignment) {
    for (number, role) in policy.roles.iter().enumerate() {
        let entries = policy.by_switch.lists.get(number).map(|named| named.on(switch.name())).unwrap_or_default();
        for entry in entries {
            let Some(pattern) = role.ports.get(entry) else { continue };
            let Some(positions) = pattern.ports.positions(switch, lists) else {
                let text = format!(
                    "role `{}` names ports as `{}`, which is no port list of this switch's dialect",
                    role.name,
                    pattern.ports.as_str()
                );
                result.remarks.push(remark(switch, text));
                continue;
            };
            for port in positions {
                result.lists.insert((number, entry));
                match result.ports[port] {
                    None => result.ports[port] = Some(Assigned { role: number, from: RoleFrom::List }),
                    Some(there) if there.role != number => {
                        let first = &policy.roles[there.role].name;
                        let name = &switch.ports()[port];
                        let text = format!(
                            "port {name} is listed for the roles `{first}` and `{}`; the first counts",
                            role.name
                        );
                        result.remarks.push(remark(switch, text));
                    }
                    Some(_) => {}
                }
            }
        }
    }
}

/// The patterns on descriptions of all roles, held against a description at once.
#[derive(Debug, Clone, Default)]
pub(super) struct Describing {
    /// Nothing where all together are too large: then each is tried by itself.
    set: Option<RegexSet>,
    /// By its place in the set, the role and the place among its patterns.
    of: Vec<(usize, usize)>,
}

impl Describing {
    pub(super) fn of(roles: &[Role]) -> Self {
        let patterns = roles.iter().flat_map(|role| role.describes.iter().map(|(regex, _)| regex.as_str()));
        let of = roles.iter().enumerate().flat_map(|(n, role)| (0..role.describes.len()).map(move |entry| (n, entry)));
        Self { set: RegexSet::new(patterns).ok(), of: of.collect() }
    }

    /// The roles that a description fits, in their order, each with the first of its patterns that does.
    fn fitting(&self, roles: &[Role], description: &str) -> Vec<(usize, usize)> {
        let mut fitting: Vec<(usize, usize)> = match &self.set {
            Some(set) => set.matches(description).into_iter().filter_map(|n| self.of.get(n).copied()).collect(),
            None => {
                let fits = |(role, entry): &&(usize, usize)| {
                    let pattern = roles.get(*role).and_then(|role| role.describes.get(*entry));
                    pattern.is_some_and(|(regex, _)| regex.is_match(description))
                };
                self.of.iter().filter(fits).copied().collect()
            }
        };
        fitting.dedup_by_key(|(role, _)| *role);
        fitting
    }
}

fn by_description(policy: &Policy, switch: &Switch, result: &mut Assignment) {
    if policy.describing.of.is_empty() {
        return;
    }
    for port in 0..switch.ports().len() {
        let Some(description) = switch.setting(Some(port), settings::DESCRIPTION).value.filter(|d| !d.is_empty())
        else {
            continue;
        };
        for (number, entry) in policy.describing.fitting(&policy.roles, &description) {
            result.describes.insert((number, entry));
            match result.ports[port] {
                None => result.ports[port] = Some(Assigned { role: number, from: RoleFrom::Description }),
                Some(there) if there.role != number && there.from == RoleFrom::Description => {
                    let first = &policy.roles[there.role].name;
                    let name = &switch.ports()[port];
                    let text = format!(
                        "the description of port {name} fits the roles `{first}` and `{}`; the first counts",
                        policy.roles[number].name
                    );
                    result.remarks.push(remark(switch, text));
                }
                Some(_) => {}
            }
        }
    }
}

/// Only where exactly one role fits, and never to a role towards a bridge: a neighbour promotes nobody.
fn by_neighbour(policy: &Policy, switch: &Switch, result: &mut Assignment) {
    for fact in switch.facts_of(facts::neighbour::FACT) {
        let capabilities = fact.get(facts::neighbour::CAPABILITIES);
        let port = fact.port().and_then(|name| switch.port_index(name));
        let (Some(port), Some(capabilities)) = (port, capabilities) else { continue };
        if result.ports[port].is_some() {
            continue;
        }
        let tells = |role: &Role| !role.faces.is_bridge() && role.endpoint.iter().any(|c| capabilities.contains(*c));
        let mut fitting = policy.roles.iter().enumerate().filter(|(_, role)| tells(role));
        if let (Some((role, _)), None) = (fitting.next(), fitting.next()) {
            result.ports[port] = Some(Assigned { role, from: RoleFrom::Neighbour });
        }
    }
}

/// Only where exactly one role fits.
fn by_vlan(policy: &Policy, switch: &Switch, result: &mut Assignment) {
    for port in 0..switch.ports().len() {
        if result.ports[port].is_some() {
            continue;
        }
        let mut fitting = policy.roles.iter().enumerate().filter(|(_, role)| fits(role, switch, port));
        if let (Some((role, _)), None) = (fitting.next(), fitting.next()) {
            result.ports[port] = Some(Assigned { role, from: RoleFrom::Vlan });
        }
    }
}

/// Whether mode and VLANs are a role's: its untagged VLAN on an access port, all VLANs of a trunk with a list.
fn fits(role: &Role, switch: &Switch, port: usize) -> bool {
    if role.vlans.is_empty() {
        return false;
    }
    match switch.setting(Some(port), settings::MODE).value {
        Some(Mode::Access) => {
            let untagged = switch.setting(Some(port), settings::ACCESS_VLAN).value.flatten();
            let faces = role.faces.is_untagged_host() || matches!(role.faces, Faces::AccessPoint | Faces::Nothing);
            faces && untagged.is_some_and(|vlan| role.vlans.contains(vlan))
        }
        Some(Mode::Trunk) => {
            let tagged = switch.setting(Some(port), settings::TAGGED_VLANS).value;
            let faces = role.faces.is_bridge() || matches!(role.faces, Faces::AccessPoint | Faces::TaggedHost);
            faces && tagged.is_some_and(|set| !set.is_empty() && set.minus(&role.may_use()).is_empty())
        }
        Some(Mode::Negotiated) | None => false,
    }
}
