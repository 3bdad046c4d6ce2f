//! What some line could have changed: which settings, where, and how strongly it would have spoken.

use std::sync::Arc;

use crate::dialect::Dialect;
use crate::model::{Scope, SettingSet, VlanId};

/// How a line would have spoken: what was written in a stronger way, or later in the same, stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(super) enum Layer {
    /// Of a port itself.
    Own,
    /// Of a profile that it uses.
    Profile,
    /// As a default, or of the switch.
    Global,
    /// Where nothing is written: what the switch tells of its state.
    State,
    /// Nothing stands against it: the text is torn.
    Torn,
}

/// What some line could have changed.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) struct Target {
    pub(super) place: Place,
    pub(super) settings: SettingSet,
    pub(super) layer: Layer,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) enum Place {
    Switch,
    AllPorts,
    Ports(Arc<[usize]>),
    /// Every VLAN where none is named.
    Vlans(Vec<VlanId>),
    /// Every session, and one that nobody sees, where none is named.
    Mirror(Option<Arc<str>>),
}

/// Settings of all scopes, on the ports and VLANs that are named or else on all.
pub(super) fn spread(
    settings: SettingSet,
    ports: &[usize],
    vlans: &[VlanId],
    layer: Layer,
) -> impl Iterator<Item = Target> {
    [Scope::Switch, Scope::Port, Scope::Vlan, Scope::Mirror].into_iter().filter_map(move |scope| {
        let settings = settings.common(SettingSet::of(scope));
        // Most rules speak of one scope: for the others there is nothing to make.
        if settings.is_empty() {
            return None;
        }
        let place = match scope {
            Scope::Switch => Place::Switch,
            Scope::Port if ports.is_empty() => Place::AllPorts,
            Scope::Port => Place::Ports(ports.into()),
            Scope::Vlan => Place::Vlans(vlans.to_vec()),
            Scope::Mirror => Place::Mirror(None),
        };
        // A switch has no line of its own that a default would yield to.
        let is_own = scope == Scope::Switch && !matches!(layer, Layer::Torn | Layer::State);
        Some(Target { place, settings, layer: if is_own { Layer::Global } else { layer } })
    })
}

/// Every setting there is.
pub(super) fn everywhere(layer: Layer) -> Vec<Target> {
    vec![
        Target { place: Place::Switch, settings: SettingSet::of(Scope::Switch), layer },
        Target { place: Place::AllPorts, settings: SettingSet::of(Scope::Port), layer },
        Target { place: Place::Vlans(Vec::new()), settings: SettingSet::of(Scope::Vlan), layer },
        Target { place: Place::Mirror(None), settings: SettingSet::of(Scope::Mirror), layer },
    ]
}

/// By context, every setting that a rule in it or in what it opens can change.
pub(super) fn of_contexts(dialect: &Dialect) -> Vec<SettingSet> {
    let mut sets = vec![SettingSet::default(); dialect.contexts().len()];
    // As often as contexts can nest within each other.
    for _ in 0..=sets.len().min(16) {
        for rule in dialect.rules() {
            let mut own: SettingSet = rule.effects.iter().map(|effect| effect.setting).collect();
            if rule.uses.is_some() {
                own = own.union(SettingSet::of(Scope::Port));
            }
            if let Some(inside) = rule.opens.and_then(|context| sets.get(context)) {
                own = own.union(*inside);
            }
            for context in &rule.contexts {
                if let Some(set) = sets.get_mut(*context) {
                    *set = set.union(own);
                }
            }
        }
    }
    sets
}
